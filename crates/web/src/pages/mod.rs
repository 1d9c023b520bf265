//! Every route in one list; one folder a page.

pub(crate) mod advice;
pub(crate) mod air;
pub(crate) mod assumptions;
pub(crate) mod bill;
pub(crate) mod brief;
pub(crate) mod catalogue;
pub(crate) mod choices;
pub(crate) mod constructions;
pub(crate) mod controls;
pub(crate) mod devices;
pub(crate) mod existing;
pub(crate) mod handover;
pub(crate) mod house_time;
pub(crate) mod hub;
pub(crate) mod install;
pub(crate) mod jobs;
pub(crate) mod journal;
pub(crate) mod library;
pub(crate) mod links;
pub(crate) mod own;
pub(crate) mod people;
pub(crate) mod places;
pub(crate) mod plans;
pub(crate) mod previsit;
pub(crate) mod prove;
pub(crate) mod reach;
pub(crate) mod region;
pub(crate) mod rules_tried;
pub(crate) mod schedules;
pub(crate) mod schools;
pub(crate) mod sheet;
pub(crate) mod sign_in;
pub(crate) mod spoken;
pub(crate) mod survey;
pub(crate) mod variants;
pub(crate) mod ways;

use actix_web::{HttpResponse, web};
use askama::Template;
use dot_reach_accounts::{FirmRole, LinkScope};
use dot_reach_core::glossary::words_of;
use dot_reach_core::site::Site;
use dot_reach_core::units::typographic;
use dot_reach_store::JobId;

use crate::door::{AskedJob, Caller};
use crate::error::WebError;
use crate::{assets, collector, commands, imports, live, metrics, record};
use places::{JobPage, WorkStage};
use region::say;

/// Every route.
pub(crate) fn routes(config: &mut web::ServiceConfig) {
    config
        .service(assets::asset)
        .service(metrics::health)
        .service(metrics::ready)
        .service(metrics::metrics)
        .service(jobs::stand)
        .service(jobs::show)
        .service(catalogue::json)
        .service(catalogue::show)
        .service(commands::schema)
        .service(commands::show_image)
        .service(imports::begin)
        .service(imports::show)
        .service(imports::stop)
        .service(commands::new_job)
        .service(commands::edits)
        .service(record::tell)
        .service(record::entries)
        .service(commands::photo_edit)
        .service(commands::undo)
        .service(commands::redo)
        .service(commands::upload_image)
        .service(commands::readings)
        .service(commands::ledger)
        .service(commands::readings_out)
        .service(reach::surface_csv)
        .service(reach::cures::show)
        .service(reach::surface_geojson)
        .service(live::live)
        .service(commands::upload_photo)
        .service(commands::open_library)
        .service(brief::show)
        .service(sheet::show)
        .service(sheet::paste)
        .service(sheet::bring)
        .service(sheet::out)
        .service(plans::show)
        .service(plans::look)
        .service(plans::take)
        .service(plans::page_size)
        .service(plans::lay)
        .service(plans::out)
        .service(existing::show)
        .service(existing::bring)
        .service(existing::ask_hub)
        .service(previsit::show)
        .service(library::show)
        .service(library::bring)
        .service(library::csv)
        .service(library::json)
        .service(bill::show)
        .service(bill::csv)
        .service(devices::show)
        .service(choices::show)
        .service(survey::show)
        .service(reach::show)
        .service(controls::show)
        .service(schedules::show)
        .service(schedules::exchange::rules)
        .service(schedules::exchange::bring_rules)
        .service(schedules::exchange::calendar)
        .service(schedules::exchange::bring_holidays)
        .service(schedules::exchange::bring_calendar)
        .service(spoken::show)
        .service(hub::show)
        .service(advice::show)
        .service(variants::show)
        .service(variants::branch)
        .service(variants::take)
        .service(variants::put_aside)
        .service(variants::bring_back)
        .service(assumptions::show)
        .service(air::show)
        .service(air::scans)
        .service(schools::show)
        .service(constructions::show)
        .service(constructions::attempt)
        .service(install::overview::show)
        .service(install::stretch::bundle)
        .service(install::stretch::show)
        .service(install::electrician::show)
        .service(install::calendar::show)
        .service(install::fault::show)
        .service(install::fault::kit)
        .service(install::offline::worker)
        .service(install::offline::manifest)
        .service(install::offline::pages)
        .service(install::offline::unreachable)
        .service(collector::events)
        .service(collector::act)
        .service(collector::take_tables)
        .service(commands::tables_out)
        .configure(of_proving)
        .service(handover::show)
        .service(journal::show)
        .service(journal::delete)
        .service(commands::export)
        .service(commands::open)
        .configure(of_people);
}

/// What was measured and found.
fn of_proving(config: &mut web::ServiceConfig) {
    config
        .service(prove::findings::show)
        .service(prove::helps::show)
        .service(prove::readings::show)
        .service(prove::acceptance::show)
        .service(prove::stages::show)
        .service(prove::since::show)
        .service(prove::router::show)
        .service(prove::names::show)
        .service(prove::names::bring)
        .service(prove::report::show)
        .service(prove::walk::show)
        .service(prove::round::show);
}

/// Who comes in, and what they may.
fn of_people(config: &mut web::ServiceConfig) {
    config
        .service(sign_in::show)
        .service(sign_in::enter)
        .service(sign_in::ask_for_passkey)
        .service(sign_in::passkey)
        .service(sign_in::code)
        .service(sign_in::leave)
        .service(sign_in::welcome)
        .service(sign_in::take)
        .service(sign_in::follow)
        .service(people::show)
        .service(people::invite)
        .service(people::end_invite)
        .service(people::keep)
        .service(people::act)
        .service(people::held)
        .service(own::show)
        .service(own::password)
        .service(own::new_passkey)
        .service(own::keep_passkey)
        .service(own::end_passkey)
        .service(own::new_second_step)
        .service(own::keep_second_step)
        .service(own::end_second_step)
        .service(own::end_sessions)
        .service(own::held)
        .service(links::show)
        .service(links::give)
        .service(links::end)
        .service(links::sign);
}

/// What the frame around every page of a job shows.
pub(crate) struct Shell {
    pub(crate) title: String,
    pub(crate) job: String,
    pub(crate) name: String,
    /// The name of the variant that it is, and the job that it is a branch of.
    pub(crate) variant: Option<(String, String)>,
    /// The stage and the page of the job that it is.
    at: Option<(&'static WorkStage, &'static JobPage)>,
    /// Whether it is a page for whoever is not in yet.
    is_outside: bool,
    pub(crate) revision: u64,
    pub(crate) can_undo: bool,
    pub(crate) can_redo: bool,
    pub(crate) commands: Vec<Shortcut>,
    /// What the job needs now: the words and the page where it is done.
    pub(crate) needed: Option<(String, &'static str, bool)>,
    /// Whoever signed in, or followed a link.
    pub(crate) person: Option<ShownPerson>,
}

/// Who is here, as the frame of a page shows it.
#[derive(Clone, Debug)]
#[expect(clippy::struct_excessive_bools, reason = "each opens a part of the frame")]
pub(crate) struct ShownPerson {
    pub(crate) name: String,
    /// What keeps on a phone what is theirs apart from what is another's.
    pub(crate) key: String,
    /// Whether they say who may come in.
    pub(crate) is_owner: bool,
    /// Whether there is an account to be looked after.
    pub(crate) has_account: bool,
    /// The pages of a job that are open to them, by their addresses; nothing where all are.
    pages: Option<&'static [&'static str]>,
    /// Whether they make jobs and give links.
    pub(crate) keeps: bool,
    /// Whether all pages of a job are open to them, and whether they change its plan.
    looks: bool,
    changes: bool,
}

impl ShownPerson {
    fn of(caller: &Caller) -> Option<Self> {
        let name = caller.person.who.clone();
        let key = caller.person.known().unwrap_or_default().to_owned();
        if let Some(link) = caller.link() {
            let pages: &[&str] = match link.scope {
                LinkScope::Client => &["handover"],
                LinkScope::Electrician => &OF_ELECTRICIAN,
                LinkScope::Integrator => &[],
            };
            return Some(Self {
                name,
                key,
                is_owner: false,
                has_account: false,
                pages: Some(pages),
                keeps: false,
                looks: false,
                changes: false,
            });
        }
        let role = caller.role()?;
        let keeps = matches!(role, FirmRole::Owner | FirmRole::Planner);
        let is_owner = role == FirmRole::Owner;
        let looks = role != FirmRole::Electrician;
        let changes = looks && role != FirmRole::Viewer;
        let pages = (!looks).then_some(OF_ELECTRICIAN.as_slice());
        Some(Self { name, key, is_owner, has_account: true, pages, keeps, looks, changes })
    }
}

/// A place that the command box goes to.
pub(crate) struct Shortcut {
    pub(crate) text: String,
    pub(crate) href: String,
}

impl Shell {
    /// Whether it is a page of what happened: what stands there is not undone.
    pub(crate) fn is_of_record(&self) -> bool {
        self.at.is_some_and(|(stage, _)| matches!(stage.name, "Day" | "Prove" | "What changed"))
    }

    /// What a press on *Undo* does.
    pub(crate) fn undo_means(&self) -> &'static str {
        if self.is_of_record() {
            "Undo your last change of the plan; what happened is taken back on its card, or struck in the journal"
        } else {
            "Undo"
        }
    }

    pub(crate) fn of_job(
        job: &AskedJob,
        word: &'static str,
        (can_undo, can_redo): (bool, bool),
    ) -> Self {
        let name = job.site.job.name.clone();
        let variant = job.variant.as_ref().map(|v| (v.name.clone(), v.of.to_string()));
        let at = places::of_word(word);
        let title = at.map_or("", |(_, page)| page.name);
        let title = match &variant {
            Some((variant, _)) => format!("{title} · {name} · {variant}"),
            None if title.is_empty() => name.clone(),
            None => format!("{title} · {name}"),
        };
        let commands = shortcuts(&job.id, &job.site);
        let person = ShownPerson::of(&job.caller);
        let looks = person.as_ref().is_none_or(|person| person.looks);
        let needed = job.needed();
        let needed = (needed.says, places::where_done(needed.at), needed.is_open);
        let (job, revision) = (job.id.to_string(), job.revision);
        Self {
            title,
            job,
            name,
            variant,
            at,
            is_outside: false,
            revision,
            can_undo,
            can_redo,
            commands,
            needed: Some(needed).filter(|_| at.is_some() && looks),
            person,
        }
    }

    /// The frame for whoever asks.
    pub(crate) fn of(self, caller: &Caller) -> Self {
        Self { person: ShownPerson::of(caller), ..self }
    }

    /// The stages of the job that are open to whoever asks: each leads to the first of its pages.
    pub(crate) fn stages(&self) -> Vec<Signpost> {
        let here = self.at.map(|(stage, _)| stage.name);
        let first = |stage: &'static WorkStage| {
            let page = self.open(stage).next()?;
            let means = page.means;
            Some(Signpost {
                name: stage.name,
                href: page.word,
                means,
                is_here: here == Some(stage.name),
            })
        };
        places::STAGES.iter().filter_map(first).collect()
    }

    /// The pages of the stage that one is in, where there are several.
    pub(crate) fn pages(&self) -> Vec<Signpost> {
        let Some((stage, here)) = self.at else { return Vec::new() };
        let pages = self.open(stage).map(|page| Signpost {
            name: page.name,
            href: page.word,
            means: page.means,
            is_here: page.word == here.word,
        });
        let pages: Vec<_> = pages.collect();
        if pages.len() > 1 { pages } else { Vec::new() }
    }

    /// The pages of a stage that are open to whoever asks.
    fn open(&self, stage: &'static WorkStage) -> impl Iterator<Item = &'static JobPage> {
        let only = self.person.as_ref().and_then(|person| person.pages);
        stage.pages.iter().filter(move |page| only.is_none_or(|only| only.contains(&page.word)))
    }

    /// What this page is called.
    pub(crate) fn page_name(&self) -> &'static str {
        self.at.map_or("", |(_, page)| page.name)
    }

    /// Words of the trade that it explains, each with what it means.
    pub(crate) fn terms(&self) -> Vec<(String, String)> {
        let page = self.at.map_or("", |(_, page)| page.word);
        words_of(page).map(|term| (say(&term.word), say(&term.means))).collect()
    }

    /// Whether it is a page in the row of the work.
    pub(crate) fn is_of_work(&self) -> bool {
        self.at.is_some()
    }

    /// The class of the whole page, by which its rules are told apart.
    pub(crate) fn class(&self) -> &'static str {
        if self.is_of_record() { "of-record" } else { "" }
    }

    /// Whether all pages of a job are open to whoever asks, and its live channel.
    pub(crate) fn looks(&self) -> bool {
        self.person.as_ref().is_none_or(|person| person.looks)
    }

    /// Whether they change the plan.
    pub(crate) fn changes(&self) -> bool {
        self.person.as_ref().is_none_or(|person| person.changes)
    }

    /// Whether it is a page for whoever is not in yet.
    pub(crate) fn is_outside(&self) -> bool {
        self.is_outside
    }

    /// The frame of a page for whoever is not in yet.
    pub(crate) fn outside(title: &str) -> Self {
        Self { is_outside: true, ..Self::plain(title) }
    }

    /// Whether they make and delete jobs, and give links; where nobody signs in, everybody.
    pub(crate) fn keeps(&self) -> bool {
        self.person.as_ref().is_none_or(|person| person.keeps)
    }

    /// What tells this build from others.
    #[expect(clippy::unused_self, reason = "templates call it on what they have")]
    pub(crate) fn build(&self) -> &'static str {
        assets::build()
    }

    pub(crate) fn plain(title: &str) -> Self {
        Self {
            title: title.to_owned(),
            job: String::new(),
            name: String::new(),
            variant: None,
            at: None,
            is_outside: false,
            revision: 0,
            can_undo: false,
            can_redo: false,
            commands: Vec::new(),
            needed: None,
            person: None,
        }
    }
}

/// The pages of a job that are open to an electrician.
static OF_ELECTRICIAN: [&str; 2] = ["install", "install/electrician"];

/// A way to a page, as the head of every page shows it.
pub(crate) struct Signpost {
    pub(crate) name: &'static str,
    /// Under the address of the job.
    pub(crate) href: &'static str,
    pub(crate) means: &'static str,
    pub(crate) is_here: bool,
}

fn shortcuts(job: &JobId, site: &Site) -> Vec<Shortcut> {
    let page = |page: &JobPage| Shortcut {
        text: page.name.to_owned(),
        href: format!("/jobs/{job}/{}", page.word),
    };
    let floors = site.floors.iter().map(|f| Shortcut {
        text: f.name.clone(),
        href: format!("/jobs/{job}/reach?floor={}", f.id),
    });
    let devices = site.devices.iter().map(|d| Shortcut {
        text: format!("{}, {}", d.name, site.networks.get(&d.network).map_or("", |n| &n.name)),
        href: format!("/jobs/{job}/reach?select={}", d.id),
    });
    places::all().map(page).chain(floors).chain(devices).collect()
}

/// An amount with the currency of its job.
pub(crate) fn money(amount: f64, places: usize, currency: &str) -> String {
    format!("{} {currency}", typographic(amount, places)).trim_end().to_owned()
}

/// A page of a job: worded and printed off the request threads; that of a large job in its turn.
pub(crate) async fn printed<T: Template>(
    job: AskedJob,
    page: impl FnOnce(&AskedJob) -> Result<T, WebError> + Send + 'static,
) -> Result<HttpResponse, WebError> {
    let asked = job.clone();
    let text = job.word(move || Ok::<_, WebError>(page(&asked)?.render()?)).await??;
    Ok(HttpResponse::Ok().content_type("text/html; charset=utf-8").body(text))
}

/// A page of no job: short, and printed where it is asked for.
pub(crate) fn html(page: &impl Template) -> Result<HttpResponse, WebError> {
    Ok(HttpResponse::Ok().content_type("text/html; charset=utf-8").body(page.render()?))
}
