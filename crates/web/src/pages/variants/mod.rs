//! Variants of a job side by side, what makes each another, and which is taken.

use std::collections::BTreeMap;
use std::sync::Arc;

use actix_web::{HttpResponse, get, post, web};
use askama::Template;
use dot_reach_core::analysis::{Analysis, Options, analyse_after};
use dot_reach_core::compare::{Difference, Standing, differences, standing};
use dot_reach_core::record::Prepared;
use dot_reach_core::site::{
    Both, Edit, Merge, Refusal, Side, Site, Wrong, apply, field_in_words, in_words, merge,
};
use dot_reach_core::units::{Db, typographic};
use dot_reach_store::{JobId, Reads, StoreError, Variant};
use serde::Deserialize;
use serde_json::json;

use crate::app::now;
use crate::commands::{Answer, ChangeMark, command, keep, receipt};
use crate::door::{AskedJob, For, Keep, See};
use crate::drawing::plan::{Plan, sheet};
use crate::drawing::stairs::signed;
use crate::error::WebError;
use crate::pages::{Shell, printed};

/// The most that stand side by side, the plan included.
const MOST_BESIDE: usize = 4;

#[derive(Deserialize)]
pub(crate) struct Query {
    /// The variants that are looked at, by their ids, parted by commas; the first where nothing is said.
    #[serde(default)]
    with: String,
}

#[derive(Template)]
#[template(path = "variants/page.html")]
struct Page {
    shell: Shell,
    of: String,
    /// Each variant: id, name, the address that shows or hides it, whether it is shown.
    all: Vec<(String, String, String, bool)>,
    /// Those that were put aside: id and name.
    aside: Vec<(String, String)>,
    columns: Vec<Column>,
    rows: Vec<(&'static str, &'static str, Vec<Cell>)>,
}

struct Column {
    id: String,
    name: String,
    is_plan: bool,
    differences: Vec<String>,
    /// What was changed in the plan since it was branched off, and in the variant too.
    both: Vec<Asked>,
    sheets: Vec<(String, Plan)>,
}

/// What both sides changed: which of them is to stand.
struct Asked {
    key: String,
    says: String,
    plan: String,
    variant: String,
}

impl From<&Both> for Asked {
    fn from(both: &Both) -> Self {
        let field = both.field.as_ref().map(|f| format!(", {}", field_in_words(f)));
        Self {
            key: both.key(),
            says: format!("{}{}", both.name, field.unwrap_or_default()),
            plan: in_words(both.plan.as_ref(), both.field.as_deref()),
            variant: in_words(both.variant.as_ref(), both.field.as_deref()),
        }
    }
}

/// A number, and whether it is the best of its row.
struct Cell {
    says: String,
    is_best: bool,
}

/// The job that is the plan: that of a variant is the one it is a branch of.
fn plan_of(job: &AskedJob) -> JobId {
    job.variant.as_ref().map_or_else(|| job.id.clone(), |v| v.of.clone())
}

struct Looked {
    variant: Option<Variant>,
    site: Arc<Site>,
    /// What the plan was when this branched off.
    base: Option<Arc<Site>>,
}

#[get("/jobs/{job}/variants")]
pub(crate) async fn show(
    For(job, query, ..): For<See, web::Query<Query>>,
) -> Result<HttpResponse, WebError> {
    let of = plan_of(&job);
    let asked = of.clone();
    let shown: Vec<String> =
        query.with.split(',').filter(|s| !s.is_empty()).map(str::to_owned).collect();
    let open = move |store: &dot_reach_store::Store| -> Result<_, StoreError> {
        let (aside, all): (Vec<_>, Vec<_>) =
            store.variants(&asked)?.into_iter().partition(|v| v.is_aside);
        let is_shown = |v: &&Variant| shown.is_empty() || shown.iter().any(|s| s == v.id.as_str());
        let chosen: Vec<Variant> =
            all.iter().filter(is_shown).take(MOST_BESIDE - 1).cloned().collect();
        let plan = Looked { variant: None, site: store.site(&asked)?.0, base: None };
        let mut looked = vec![plan];
        for variant in chosen {
            let (site, _) = store.site(&variant.id)?;
            let base = Some(store.branched_off(&variant.id)?);
            looked.push(Looked { variant: Some(variant), site, base });
        }
        Ok((all, aside, looked))
    };
    let (all, aside, looked) = job.app.ask(open).await?;
    let found = job.compute(move || {
        // Each starts from what the one before shares with it.
        let mut last: Option<Analysis> = None;
        let stand = |l: Looked| {
            let analysis = analyse_after(last.as_ref(), &l.site, &Options::default());
            let standing = standing(&analysis);
            last = Some(analysis);
            (standing, l)
        };
        looked.into_iter().map(stand).collect::<Vec<_>>()
    });
    let found = found.await?;
    printed(job, move |job| Ok(page(job, &of, (&all, &aside), &found))).await
}

fn page(
    job: &AskedJob,
    of: &JobId,
    (all, aside): (&[Variant], &[Variant]),
    found: &[(Standing, Looked)],
) -> Page {
    let shown: Vec<&str> =
        found.iter().filter_map(|(_, l)| Some(l.variant.as_ref()?.id.as_str())).collect();
    let plan = &found[0].1.site;
    let all = all.iter().map(|v| {
        let is_shown = shown.contains(&v.id.as_str());
        let mut with: Vec<&str> = shown.iter().copied().filter(|s| *s != v.id.as_str()).collect();
        if !is_shown {
            with.truncate(MOST_BESIDE - 2);
            with.push(v.id.as_str());
        }
        let none = if with.is_empty() { "none".to_owned() } else { with.join(",") };
        (v.id.to_string(), v.name.clone(), format!("?with={none}"), is_shown)
    });
    Page {
        shell: job.shell("variants"),
        of: of.to_string(),
        all: all.collect(),
        aside: aside.iter().map(|v| (v.id.to_string(), v.name.clone())).collect(),
        columns: found.iter().map(|(_, l)| column(of, plan, l)).collect(),
        rows: rows(&found.iter().map(|(s, _)| *s).collect::<Vec<_>>(), &plan.job.currency),
    }
}

fn column(of: &JobId, plan: &Site, looked: &Looked) -> Column {
    let Some(variant) = &looked.variant else {
        return Column {
            id: of.to_string(),
            name: "The plan".to_owned(),
            is_plan: true,
            differences: Vec::new(),
            both: Vec::new(),
            sheets: Vec::new(),
        };
    };
    let found = differences(plan, &looked.site);
    let unanswered = |base: &Arc<Site>| merge(base, plan, &looked.site, &BTreeMap::new()).both;
    let both = looked.base.as_ref().map(unanswered).unwrap_or_default();
    Column {
        id: variant.id.to_string(),
        name: variant.name.clone(),
        is_plan: false,
        differences: found.iter().map(|d| d.words.clone()).collect(),
        both: both.iter().map(Asked::from).collect(),
        sheets: sheets(&looked.site, &found),
    }
}

/// The storeys on which something differs, with the numbers of the list.
fn sheets(site: &Site, found: &[Difference]) -> Vec<(String, Plan)> {
    let on = |floor: &dot_reach_core::site::Floor| {
        let numbered = found.iter().enumerate();
        let here: Vec<_> = numbered
            .filter_map(|(n, d)| {
                let (at, spot) = d.at.as_ref()?;
                (*at == floor.id).then(|| (*spot, (n + 1).to_string(), d.words.clone()))
            })
            .collect();
        (!here.is_empty()).then(|| {
            let mut plan = sheet(site, &floor.id, None);
            plan.marks(here.into_iter());
            (floor.name.clone(), plan)
        })
    };
    site.floors_upward().into_iter().filter_map(on).collect()
}

#[expect(clippy::cast_precision_loss, reason = "counts of a house")]
fn rows(all: &[Standing], currency: &str) -> Vec<(&'static str, &'static str, Vec<Cell>)> {
    let row = |name, means, key: &dyn Fn(&Standing) -> f64, says: &dyn Fn(&Standing) -> String| {
        // The more the better; a row in which all are alike has no best.
        let best = all.iter().map(key).fold(f64::NEG_INFINITY, f64::max);
        let least = all.iter().map(key).fold(f64::INFINITY, f64::min);
        let is_best = |s: &Standing| key(s) >= best && best > least;
        let cells = all.iter().map(|s| Cell { says: says(s), is_best: is_best(s) });
        (name, means, cells.collect())
    };
    vec![
        row(
            "devices at target",
            "of all networks, hubs left out",
            &|s| s.at_target.0 as f64 / s.at_target.1.max(1) as f64,
            &|s| format!("{} of {}", s.at_target.0, s.at_target.1),
        ),
        row(
            "worst spare",
            "the least margin over target of those that are reached",
            &|s| s.worst.map_or(-99.0, Db::get),
            &|s| s.worst.map_or_else(|| "–".to_owned(), signed),
        ),
        row("deepest route", "hops", &|s| -(s.deepest as f64), &|s| s.deepest.to_string()),
        row(
            "single points of failure",
            "devices beside the hubs on which another hangs",
            &|s| -(s.single as f64),
            &|s| s.single.to_string(),
        ),
        row(
            "whole house at once",
            "the chance that every device is reached, over 500 drawn houses",
            &|s| s.chance,
            &|s| format!("{:.0} %", s.chance * 100.0),
        ),
        row("cost", "of the whole bill", &|s| -s.cost, &|s| {
            format!("{} {currency}", typographic(s.cost, 2)).trim_end().to_owned()
        }),
        row("boxes opened", "something is wired into them", &|s| -(s.boxes as f64), &|s| {
            s.boxes.to_string()
        }),
        row(
            "batteries a year",
            "cells to change, by how often each is used",
            &|s| -s.batteries,
            &|s| typographic(s.batteries, 1),
        ),
    ]
}

#[derive(Deserialize)]
pub(crate) struct SentBranch {
    name: String,
    /// What makes it a variant; nothing for one that begins as the plan.
    #[serde(default)]
    edit: Option<Edit>,
}

/// Branches the job off under a name.
#[post("/jobs/{job}/variants")]
pub(crate) async fn branch(For(job, sent, ..): For<Keep, web::Json<SentBranch>>) -> Answer {
    let SentBranch { name, edit } = sent.into_inner();
    let name = name.trim().to_owned();
    if name.is_empty() || name.chars().count() > 60 {
        return Err(WebError::field("name", "give it a name of 1 to 60 letters"));
    }
    let of = plan_of(&job);
    let id = job
        .app
        .ask(move |store| {
            let (base, _) = store.site(&of)?;
            let mut site = Site::clone(&base);
            if let Some(edit) = &edit {
                apply(&mut site, edit)?;
            }
            store.branch(&of, &name, &base, &site, &now())
        })
        .await?;
    Ok(HttpResponse::Ok()
        .json(json!({ "id": id.to_string(), "href": format!("/jobs/{id}/reach") })))
}

#[derive(Deserialize)]
pub(crate) struct SentTake {
    #[serde(flatten)]
    mark: ChangeMark,
    /// Of what both sides changed: whose stands, by its key.
    #[serde(default)]
    answers: BTreeMap<String, Side>,
}

/// Takes what a variant changes over into the plan, field by field and as one change.
#[post("/jobs/{job}/variants/{variant}/take")]
pub(crate) async fn take(
    For(job, sent, ..): For<Keep, web::Json<SentTake>>,
    path: web::Path<(String, String)>,
) -> Answer {
    let SentTake { mark, answers } = sent.into_inner();
    let id: JobId = path.into_inner().1.parse()?;
    let of = job.id.clone();
    let parted = job.app.ask(move |store| {
        let variant = store.variant(&id)?.filter(|v| v.of == of);
        let variant = variant.ok_or_else(|| StoreError::NoJob(id.to_string()))?;
        let base = store.branched_off(&variant.id)?;
        let (site, _) = store.site(&variant.id)?;
        Ok::<_, StoreError>((base, site))
    });
    let (base, variant) = parted.await?;
    let committed = keep(&job, command(&job, mark), Reads::All, move |plan, _| {
        let Merge { edits, both } = merge(&base, plan, &variant, &answers);
        if both.is_empty() {
            return Ok(Prepared { edit: Some(Edit::batch(edits)), entries: Vec::new() });
        }
        let why = Wrong::BothChanged { what: told(&both) };
        Err(Refusal::Wrong { field: "answers".to_owned(), why })
    })
    .await?;
    Ok(HttpResponse::Ok().json(receipt(&committed)))
}

/// What nobody has answered, in a line.
fn told(both: &[Both]) -> String {
    let told = both.iter().map(|both| {
        let Asked { key, says, plan, variant } = both.into();
        format!("{says} ({key}): {plan} in the plan, {variant} in the variant")
    });
    told.collect::<Vec<_>>().join("; ")
}

/// Puts a variant aside.
#[post("/jobs/{job}/variants/{variant}/aside")]
pub(crate) async fn put_aside(
    For(job, ..): For<Keep>,
    path: web::Path<(String, String)>,
) -> Answer {
    put(job, &path.into_inner().1, true).await
}

/// Brings one back that was put aside.
#[post("/jobs/{job}/variants/{variant}/back")]
pub(crate) async fn bring_back(
    For(job, ..): For<Keep>,
    path: web::Path<(String, String)>,
) -> Answer {
    put(job, &path.into_inner().1, false).await
}

async fn put(job: AskedJob, variant: &str, aside: bool) -> Answer {
    let id: JobId = variant.parse()?;
    let of = job.id.clone();
    let done = job.app.ask(move |store| {
        let variant = store.variant(&id)?.filter(|v| v.of == of);
        let variant = variant.ok_or_else(|| StoreError::NoJob(id.to_string()))?;
        store.put_aside(&variant.id, aside)
    });
    done.await?;
    Ok(HttpResponse::Ok().json(json!({})))
}
