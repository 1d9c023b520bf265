//! The adviser: the least that is enough, each part accepted or refused by itself.

mod view;

use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;

use actix_web::{HttpResponse, get, web};
use askama::Template;
use dot_reach_core::analysis::Analysis;
use dot_reach_core::placement::advice::{Advice, Apart, Ask, advise};
use serde::{Deserialize, Serialize};
use serde_json::json;

use crate::door::{AskedJob, For, See};
use crate::drawing::plan::{Plan, blank};
use crate::error::WebError;
use crate::pages::hub::search;
use crate::pages::{Shell, printed};
use crate::work::{About, Question, Ticket, WorkFound};
use view::View;

/// What stands in the address: what is asked, and the storey that is shown.
#[derive(Clone, Debug, Default, Deserialize, Serialize)]
pub(crate) struct Query {
    #[serde(default)]
    network: String,
    #[serde(default)]
    floor: String,
    /// `alone` for this radio by itself.
    #[serde(default)]
    radios: String,
    /// `stays` where the hub is not to move.
    #[serde(default)]
    hub: String,
    /// `devices` or `breakers`: what the two routes of a critical device must not share.
    #[serde(default)]
    apart: String,
    /// How sure all must be at once, in percent.
    #[serde(default)]
    chance: String,
    /// Places that a person marked.
    #[serde(default)]
    spots: String,
}

impl Query {
    /// What the places of a hub are ranked by.
    pub(crate) fn of_hub(network: &str, radios: &str, spots: &str) -> Self {
        let (network, radios, spots) = (network.to_owned(), radios.to_owned(), spots.to_owned());
        Self { network, radios, spots, ..Self::default() }
    }

    /// What a page asks while there is no answer yet.
    pub(crate) fn question(&self) -> String {
        json!({ "ask": "advice", "view": self }).to_string()
    }

    /// The same with one word changed, as an address.
    fn with(&self, key: &str, value: &str) -> String {
        let mut other = self.clone();
        match key {
            "network" => value.clone_into(&mut other.network),
            "floor" => value.clone_into(&mut other.floor),
            "radios" => value.clone_into(&mut other.radios),
            "hub" => value.clone_into(&mut other.hub),
            "apart" => value.clone_into(&mut other.apart),
            _ => value.clone_into(&mut other.chance),
        }
        format!("?{}", serde_urlencoded::to_string(&other).unwrap_or_default())
    }

    fn ask(&self, analysis: &Analysis) -> Option<Ask> {
        let has_hub = |n: &&dot_reach_core::network::NetworkAnalysis| !n.hubs.is_empty();
        let named = analysis.networks.iter().find(|n| n.network.as_str() == self.network);
        let network = named.or_else(|| analysis.networks.iter().find(has_hub))?;
        let chance = self.chance.trim().parse::<f64>().ok().filter(|c| (1.0..100.0).contains(c));
        Some(Ask {
            alone: self.radios == "alone",
            hub_stays: self.hub == "stays",
            spots: search(&self.radios, &self.spots).spots,
            apart: match self.apart.as_str() {
                "devices" => Apart::Devices,
                "breakers" => Apart::Breakers,
                _ => Apart::Nothing,
            },
            chance: chance.map(|c| c / 100.0),
            ..Ask::of(network.network.clone())
        })
    }
}

/// Words, an address, and whether it is what is asked now.
type Choice = (String, String, bool);

#[derive(Template)]
#[template(path = "advice/page.html")]
struct Page {
    shell: Shell,
    /// What the page asks while there is no answer yet.
    question: String,
    /// A network without a hub cannot be advised.
    no_hub: bool,
    network: String,
    /// Each with its address first.
    networks: Vec<Choice>,
    floors: Vec<Choice>,
    /// What can be asked otherwise.
    choices: Vec<(&'static str, Vec<Choice>)>,
    chance: String,
    advice: Option<View>,
    critical: Vec<view::Critical>,
    rulings: Vec<view::Ruled>,
    currency: String,
    rooms: Vec<(String, String)>,
    kinds: Vec<(String, String)>,
    uncritical: Vec<(String, String)>,
    plan: Plan,
    legend: Vec<(&'static str, String)>,
}

/// How long a page waits for the answer before it is shown without.
const AT_ONCE: Duration = Duration::from_millis(700);

/// Looks for the least that is enough, for a job as it stands.
pub(crate) async fn ticket(job: &AskedJob, query: &Query) -> Result<Arc<Ticket>, WebError> {
    let analysis = job.analysed().await?;
    let ask = query.ask(&analysis).ok_or(WebError::NotFound("network"))?;
    let about = About::Advice(ask.clone());
    let question = Question::Job { job: job.id.clone(), revision: job.revision, about };
    Ok(job.app.work.begin(question, move |pulse| {
        let broken = AtomicBool::new(false);
        let wanted = || !broken.load(Ordering::Relaxed);
        let mut told = |done: usize, of: usize| {
            let goes_on = pulse(done, of);
            broken.fetch_or(goes_on.is_break(), Ordering::Relaxed);
            goes_on
        };
        let advice = advise(&analysis, &ask, &mut told, &wanted);
        advice.filter(|_| wanted()).map(|a| WorkFound::Advice(Arc::new(a)))
    }))
}

#[get("/jobs/{job}/advice")]
pub(crate) async fn show(
    For(job, query, ..): For<See, web::Query<Query>>,
) -> Result<HttpResponse, WebError> {
    let analysis = job.analysed().await?;
    let found = match ticket(&job, &query).await {
        Ok(ticket) => ticket.within(AT_ONCE).await,
        Err(_) => None,
    };
    let advice = match found {
        Some(WorkFound::Advice(advice)) => Some(advice),
        _ => None,
    };
    printed(job, move |job| page(job, &analysis, &query, advice.as_deref())).await
}

fn page(
    job: &AskedJob,
    analysis: &Analysis,
    query: &Query,
    advice: Option<&Advice>,
) -> Result<Page, WebError> {
    let site = &job.site;
    let ask = query.ask(analysis);
    let network = ask.as_ref().map(|a| a.network.to_string()).unwrap_or_default();
    let mut query = query.clone();
    network.clone_into(&mut query.network);
    let floor = view::floor(analysis, ask.as_ref(), advice, &query.floor);
    let option = |key, value: &str, words: &str, now: &str| {
        (words.to_owned(), query.with(key, value), now == value)
    };
    let choices = vec![
        (
            "The hub",
            vec![
                option("hub", "", "may move", &query.hub),
                option("hub", "stays", "stays where it is", &query.hub),
            ],
        ),
        (
            "It serves",
            vec![
                option("radios", "", "all its networks", &query.radios),
                option("radios", "alone", "this one", &query.radios),
            ],
        ),
        (
            "Critical devices want",
            vec![
                option("apart", "", "one route", &query.apart),
                option("apart", "devices", "two, no device shared", &query.apart),
                option("apart", "breakers", "two, no breaker shared", &query.apart),
            ],
        ),
    ];
    let networks = analysis.networks.iter().map(|n| {
        let id = n.network.to_string();
        let is_it = id == network;
        (query.with("network", &id), n.name.clone(), is_it)
    });
    let floors = site.floors_upward().into_iter().map(|f| {
        (query.with("floor", f.id.as_str()), f.name.clone(), Some(&f.id) == floor.as_ref())
    });
    let view::Rules { rooms, kinds, uncritical } = view::Rules::of(site, &network)?;
    Ok(Page {
        shell: job.shell("advice"),
        currency: site.job.currency.clone(),
        rooms,
        kinds,
        uncritical,
        question: query.question(),
        no_hub: ask.as_ref().is_none_or(|a| {
            let of = analysis.networks.iter().find(|n| n.network == a.network);
            of.is_none_or(|n| n.hubs.is_empty() || n.is_hubless)
        }),
        networks: networks.collect(),
        floors: floors.collect(),
        choices,
        chance: query.chance.clone(),
        advice: advice.map(|a| View::of(site, a)).transpose()?,
        critical: view::critical(site, &network, advice),
        rulings: view::rulings(site),
        plan: floor.map_or_else(blank, |f| view::plan(analysis, &network, &f, advice)),
        legend: Vec::new(),
        network,
    })
}
