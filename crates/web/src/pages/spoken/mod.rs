//! Names and phrases: which two names are taken for each other, and what answers to each phrase of the household.

use std::collections::BTreeSet;
use std::sync::Arc;

use actix_web::{HttpResponse, get, web};
use askama::Template;
use dot_reach_core::rules::in_a_sentence;
use dot_reach_core::site::{DeviceId, Edit, Kind, Site};
use dot_reach_core::spoken::{Meant, NameBook, PhraseAnswer, near_twins};
use serde::Deserialize;
use serde_json::json;

use crate::door::{For, See};
use crate::error::WebError;
use crate::pages::{Shell, printed};

#[derive(Template)]
#[template(path = "spoken/page.html")]
struct Page {
    shell: Shell,
    twins: Vec<TwinRow>,
    say: String,
    said: Option<PhraseRow>,
    phrases: Vec<PhraseRow>,
    has_voice: bool,
}

/// Two names that are taken for each other.
struct TwinRow {
    one: String,
    other: String,
    how: &'static str,
    better: String,
    /// The edit that calls the other so; empty where there is no better name.
    edit: String,
}

/// What answers to a phrase.
pub(crate) struct PhraseRow {
    pub(crate) phrase: String,
    pub(crate) answers: String,
    is_wrong: bool,
    pub(crate) also: String,
    not_reached: String,
}

#[derive(Deserialize)]
pub(crate) struct Query {
    /// A phrase to be tried.
    #[serde(default)]
    say: String,
}

#[get("/jobs/{job}/spoken")]
pub(crate) async fn show(
    For(job, ..): For<See>,
    query: web::Query<Query>,
) -> Result<HttpResponse, WebError> {
    let shell = job.shell("spoken");
    let site = Arc::clone(&job.site);
    let say: String = query.into_inner().say.chars().take(200).collect();
    printed(job, move |_| {
        let name = |id: &DeviceId| named(&site, id);
        let twins = near_twins(&site).into_iter().map(|t| TwinRow {
            one: name(&t.one),
            other: name(&t.other),
            how: t.how.says(),
            edit: if t.better.is_empty() {
                String::new()
            } else {
                json!(Edit::set(Kind::Device, &t.other, "name", json!(t.better))).to_string()
            },
            better: t.better,
        });
        let twins = twins.collect();
        let book = NameBook::of(&site);
        let mut phrases: Vec<PhraseRow> =
            book.guide().iter().map(|phrase| answered(&site, &book.answer(phrase))).collect();
        phrases.sort_by_key(|p| !p.is_wrong);
        let has_voice = phrases.iter().any(|p| p.not_reached.is_empty());
        Ok(Page {
            shell,
            twins,
            said: (!say.trim().is_empty()).then(|| answered(&site, &book.answer(&say))),
            say,
            phrases,
            has_voice,
        })
    })
    .await
}

fn named(site: &Site, id: &DeviceId) -> String {
    site.devices.get(id).map_or_else(String::new, |d| d.name.clone())
}

fn list(site: &Site, all: &BTreeSet<DeviceId>) -> String {
    let names: Vec<String> = all.iter().map(|id| named(site, id)).collect();
    match names.len() {
        0..=4 => names.join(", "),
        n => format!("{} and {} more", names[..3].join(", "), n - 3),
    }
}

/// What answers to a phrase, in words.
pub(crate) fn answered(site: &Site, told: &PhraseAnswer) -> PhraseRow {
    let answers = match &told.meant {
        Meant::Rule(rule) => {
            let rule = site.rules.get(rule);
            rule.map_or_else(String::new, |rule| match rule.name.as_str() {
                "" => in_a_sentence(site, rule).trim_end_matches('.').to_owned(),
                name => format!("scene {name}"),
            })
        }
        Meant::Devices(all) => list(site, all),
        Meant::Lights(all) => format!("the lights: {}", list(site, all)),
        Meant::Room(all) => format!("all of the room: {}", list(site, all)),
        Meant::Several(all) => format!("asks back, or takes one of: {}", list(site, all)),
        Meant::Nothing => "nothing".to_owned(),
    };
    PhraseRow {
        phrase: told.phrase.clone(),
        answers,
        is_wrong: matches!(told.meant, Meant::Nothing | Meant::Several(_)),
        also: list(site, &told.also),
        not_reached: list(site, &told.not_reached),
    }
}
