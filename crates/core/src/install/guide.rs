//! When it does not work: from what is seen to what it may be, and what to look at next. Causes are weighed by
//! what is usual, by what the job knows of this place, and by what the firm has met; each answer narrows them
//! (Bayes), and the next check is the one that tells most for its minutes.

use std::collections::BTreeMap;
use std::sync::LazyLock;

use serde::{Deserialize, Serialize};

use crate::analysis::Analysis;
use crate::fit::{self, FitFinding};
use crate::gate::Gate;
use crate::gate::work::WorkedDevice;
use crate::network::outcome::Hop;
use crate::record::{CheckAnswer, Fault, Step};
use crate::site::{BoxKind, DeviceId, Feed};
use crate::units::Db;

/// What is seen.
#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Symptom {
    /// Its word.
    pub id: String,
    /// In words.
    pub text: String,
    causes: BTreeMap<String, f64>,
}

/// What it may be.
#[derive(Debug, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct FaultCause {
    /// Its word.
    pub id: String,
    /// In words.
    pub text: String,
    /// What helps.
    pub cure: String,
}

/// What is asked.
#[derive(Debug, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct GuideCheck {
    /// Its word.
    pub id: String,
    /// The question.
    pub ask: String,
    /// How long it takes, in minutes.
    pub minutes: f64,
    /// How often yes is the answer where a cause is not named.
    r#else: f64,
    yes: BTreeMap<String, f64>,
}

impl GuideCheck {
    fn yes(&self, cause: &str) -> f64 {
        self.yes.get(cause).copied().unwrap_or(self.r#else).clamp(0.01, 0.99)
    }
}

/// The rows.
#[derive(Debug, Default, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct GuideRows {
    /// What is seen.
    pub symptom: Vec<Symptom>,
    /// What it may be.
    pub cause: Vec<FaultCause>,
    /// What is asked.
    pub check: Vec<GuideCheck>,
}

/// The rows. A broken file is a defect that the tests catch.
pub static ROWS: LazyLock<GuideRows> =
    LazyLock::new(|| toml::from_str(include_str!("../../data/faults.toml")).unwrap_or_default());

impl GuideRows {
    /// A symptom by its word.
    pub fn symptom(&self, id: &str) -> Option<&Symptom> {
        self.symptom.iter().find(|s| s.id == id)
    }

    /// A cause by its word.
    pub fn cause(&self, id: &str) -> Option<&FaultCause> {
        self.cause.iter().find(|c| c.id == id)
    }

    /// A check by its word.
    pub fn check(&self, id: &str) -> Option<&GuideCheck> {
        self.check.iter().find(|c| c.id == id)
    }
}

/// What speaks for a cause at this place.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Hint {
    /// The cause.
    pub cause: &'static str,
    /// How many times as likely it makes it.
    pub times: f64,
    /// What the job knows.
    pub why: String,
}

/// A cause with how likely it is.
#[derive(Clone, Debug, PartialEq)]
pub struct RankedCause {
    /// Its word.
    pub cause: String,
    /// How likely, from nought to one.
    pub share: f64,
    /// What the job knows that speaks for it.
    pub whys: Vec<String>,
}

/// Where the search for a fault stands.
#[derive(Clone, Debug, PartialEq)]
pub struct Guided {
    /// Causes, the likeliest first.
    pub ranked: Vec<RankedCause>,
    /// What to look at next, where anything tells more.
    pub next: Option<String>,
    /// The faults that were met like this one, by their causes: how often, and how many minutes they took.
    pub met: Vec<MetBefore>,
}

/// A cause this likely is taken for it.
pub const SURE: f64 = 0.8;

/// A check that tells less than this is not worth its minutes.
const LEAST_BITS: f64 = 0.02;

/// Walking there and back takes so many minutes whatever is looked at.
const THERE_AND_BACK_MIN: f64 = 0.5;

/// The guide as a phone takes it along: a reader of it there comes to what [`guide`] comes to.
#[derive(Debug, Serialize)]
pub struct GuideKit {
    sure: f64,
    least_bits: f64,
    there_and_back_min: f64,
    symptoms: Vec<SymptomKit>,
    causes: &'static [FaultCause],
    checks: &'static [GuideCheck],
    /// What the job knows of each of its devices.
    hints: BTreeMap<DeviceId, Vec<Hint>>,
}

/// A symptom with the weights of its causes, what the firm has met in them.
#[derive(Debug, Serialize)]
struct SymptomKit {
    id: &'static str,
    text: &'static str,
    weights: BTreeMap<String, f64>,
    /// How often each cause was met, and how many minutes it took.
    met: Vec<MetBefore>,
}

impl GuideKit {
    /// The guide with the faults of the firm, and what is known of the devices of a job.
    pub fn of(known: &[Fault], hints: BTreeMap<DeviceId, Vec<Hint>>) -> Self {
        let symptom = |of: &'static Symptom| {
            let (weights, met) = weighed(of, known);
            SymptomKit { id: &of.id, text: &of.text, weights, met }
        };
        Self {
            sure: SURE,
            least_bits: LEAST_BITS,
            there_and_back_min: THERE_AND_BACK_MIN,
            symptoms: ROWS.symptom.iter().map(symptom).collect(),
            causes: &ROWS.cause,
            checks: &ROWS.check,
            hints,
        }
    }
}

/// A cause that was met before: how often, and how many minutes it took.
pub type MetBefore = (String, usize, f64);

/// The weights of the causes of a symptom before anything is known of the place, and the faults that were met like it, by
/// their causes: how often, and how many minutes each took.
fn weighed(of: &Symptom, known: &[Fault]) -> (BTreeMap<String, f64>, Vec<MetBefore>) {
    let alike = |f: &&Fault| f.symptom == of.id && ROWS.cause(&f.cause).is_some();
    let mut met: BTreeMap<&str, (usize, f64)> = BTreeMap::new();
    for fault in known.iter().filter(alike) {
        let entry = met.entry(&fault.cause).or_default();
        entry.0 += 1;
        entry.1 += fault.minutes.unwrap_or(0.0);
    }
    #[expect(clippy::cast_precision_loss, reason = "a few faults")]
    let count = |n: usize| n as f64;
    let mut weights = of.causes.clone();
    for (cause, (times, _)) in &met {
        // One that was met weighs as one of the rows' own ten or so.
        *weights.entry((*cause).to_owned()).or_insert(0.0) += count(*times);
    }
    let met = met.into_iter().map(|(cause, (n, all))| (cause.to_owned(), n, all / count(n)));
    (weights, met.collect())
}

/// Ranks the causes of a symptom, and finds the next check. `known` are the faults of the firm.
pub fn guide(
    symptom: &str,
    answers: &[CheckAnswer],
    hints: &[Hint],
    known: &[Fault],
) -> Option<Guided> {
    let rows = &*ROWS;
    let of = rows.symptom(symptom)?;
    let (mut weights, met) = weighed(of, known);
    for hint in hints {
        if let Some(weight) = weights.get_mut(hint.cause) {
            *weight *= hint.times;
        }
    }
    let asked = |answer: &CheckAnswer| Some((rows.check(&answer.check)?, answer.so?));
    for (check, so) in answers.iter().filter_map(asked) {
        for (cause, weight) in &mut weights {
            let yes = check.yes(cause);
            *weight *= if so { yes } else { 1.0 - yes };
        }
    }
    let total: f64 = weights.values().sum();
    let mut ranked: Vec<RankedCause> = weights
        .iter()
        .map(|(cause, weight)| RankedCause {
            cause: cause.clone(),
            share: weight / total.max(f64::MIN_POSITIVE),
            whys: hints
                .iter()
                .filter(|h| h.cause == cause && h.times > 0.0)
                .map(|h| h.why.clone())
                .collect(),
        })
        .collect();
    ranked.sort_by(|a, b| b.share.total_cmp(&a.share).then(a.cause.cmp(&b.cause)));
    let next = next(&ranked, answers);
    Some(Guided { ranked, next, met })
}

/// The check that tells most for its minutes; nothing where a cause is as good as found, or none tells
/// anything.
fn next(ranked: &[RankedCause], answers: &[CheckAnswer]) -> Option<String> {
    if ranked.first().is_none_or(|first| first.share >= SURE) {
        return None;
    }
    let was_asked = |check: &GuideCheck| answers.iter().any(|a| a.check == check.id);
    let told = |check: &GuideCheck| {
        let yes: f64 = ranked.iter().map(|r| r.share * check.yes(&r.cause)).sum();
        let after = |so: bool| -> f64 {
            let all = if so { yes } else { 1.0 - yes };
            let part = |r: &RankedCause| {
                let p = check.yes(&r.cause);
                r.share * if so { p } else { 1.0 - p } / all
            };
            all * entropy(ranked.iter().map(part))
        };
        entropy(ranked.iter().map(|r| r.share)) - after(true) - after(false)
    };
    let worth = |check: &GuideCheck| told(check) / (check.minutes + THERE_AND_BACK_MIN);
    ROWS.check
        .iter()
        .filter(|c| !was_asked(c) && told(c) > LEAST_BITS)
        .max_by(|a, b| worth(a).total_cmp(&worth(b)).then(b.id.cmp(&a.id)))
        .map(|c| c.id.clone())
}

/// In bits.
fn entropy(shares: impl Iterator<Item = f64>) -> f64 {
    shares.filter(|p| *p > 0.0).map(|p| -p * p.log2()).sum()
}

/// What the job knows that speaks for causes at a place.
pub fn hints(analysis: &Analysis, gate: &Gate<'_>, spot: &WorkedDevice<'_>) -> Vec<Hint> {
    let mut all = wiring_hints(spot);
    let site = spot.site;
    let mut add = |cause, times, why: String| all.push(Hint { cause, times, why });
    if spot.device.can_be_cut || spot.kind.easily_cut || spot.point.feed != Feed::Always {
        if spot.point.feed == Feed::BehindSwitch {
            add("cut-at-wall", 5.0, "it sits behind a switch".to_owned());
        } else if spot.device.can_be_cut || spot.kind.easily_cut {
            add("cut-at-wall", 3.0, "anyone can cut its supply".to_owned());
        }
    }
    if gate.joined_elsewhere(&spot.device.id) {
        add("stale-route", 4.0, "it was joined elsewhere than where it lives".to_owned());
        add("weak-link", 2.0, "it was joined elsewhere than where it lives".to_owned());
    }
    if spot.kind.join.deletes_too {
        add("long-pressed", 3.0, "a long press of its family takes it out again".to_owned());
    }
    if spot.takes(Step::Joined) && !gate.holds(&spot.device.id, Step::Joined) {
        add("not-joined", 6.0, "it is not marked as joined".to_owned());
    }
    if gate.open_time(&spot.device.network).is_none() {
        add("not-open", 3.0, "no network stands open by the record".to_owned());
    }
    if !spot.device.replaces.trim().is_empty() {
        let why = format!("it takes the place of {}", spot.device.replaces.trim());
        add("ghost", 4.0, why);
    }
    // What it has not got cannot fail.
    let lacks = [
        (spot.kind.is_on_mains(), "battery-flat"),
        (spot.kind.is_on_mains(), "asleep"),
        (spot.kind.button.is_none() && !spot.kind.is_hand_held(), "painted"),
        (spot.kind.button.is_none() && !spot.kind.is_hand_held(), "long-pressed"),
        (!spot.kind.is_on_mains(), "breaker-off"),
        (!spot.opens_box(), "loose-joint"),
    ];
    for (_, cause) in lacks.into_iter().filter(|(lacks, _)| *lacks) {
        add(cause, 0.0, String::new());
    }
    let found = analysis.networks.iter().find_map(|n| Some((n, n.place_of(&spot.device.id)?)));
    let Some((network, place)) = found else { return all };
    let route = network.first_route(place);
    if let Some(parent) = route.last().filter(|_| route.len() > 1).map(|hop| &hop.from) {
        let parent = site.devices.get(parent);
        let at = parent.and_then(|d| Some((d, site.point_of(d)?)));
        if let Some((parent, point)) = at {
            let on = if point.circuit.trim().is_empty() {
                String::new()
            } else {
                format!(", on breaker {}", point.circuit.trim())
            };
            add("parent-off", 3.0, format!("it is carried by {}{on}", parent.name));
        }
    }
    if route.len() > 2 {
        add("many-hops", 3.0, format!("its planned way has {} hops", route.len()));
    }
    let weakest = route.iter().map(Hop::margin).min_by(Db::total_cmp);
    match weakest {
        None if !network.is_hub(place) => {
            add("weak-link", 6.0, "by the plan nothing reaches it".to_owned());
        }
        Some(margin) if margin < Db::new(10.0) => {
            let why = format!("its weakest hop has {margin:.0} to spare by the plan");
            add("weak-link", 3.0, why);
        }
        _ => {}
    }
    all
}

/// What is known of its box, load and group.
fn wiring_hints(spot: &WorkedDevice<'_>) -> Vec<Hint> {
    let site = spot.site;
    let mut all = Vec::new();
    let mut add = |cause, times, why: String| all.push(Hint { cause, times, why });
    let lead = site.box_of(spot.point);
    if let Some(circuit) = site.circuit_of(spot.point) {
        if circuit.shared_neutral == Some(true) {
            let why = format!("circuit {} shares its neutral", circuit.label);
            add("shared-neutral", 5.0, why.clone());
            add("no-neutral", 2.0, why);
        }
        if let Some(really) = circuit.mislabelled() {
            add("breaker-off", 4.0, format!("labelled {}, fed by {really}", circuit.label));
        } else if circuit.proven.is_none() {
            add("breaker-off", 2.0, format!("nobody has proven breaker {}", circuit.label));
        }
    }
    if lead.back_box == BoxKind::Metal {
        add("weak-link", 3.0, "it sits in a metal box".to_owned());
        add("earth-touches", 1.5, "it sits in a metal box".to_owned());
    }
    let in_box = site.points.iter().filter(|p| site.box_of(p).id == lead.id).count();
    if in_box > 1 {
        add("loose-joint", 1.5, format!("{in_box} devices share its box"));
        add("pinched", 1.5, format!("{in_box} devices share its box"));
    }
    if site.group_of(&spot.point.id).is_some_and(|g| g.places.len() > 1) {
        let why = "several places work this load".to_owned();
        add("other-family", 2.0, why.clone());
        add("swapped", 1.5, why);
    }
    for found in fit::findings(site, spot.kind, spot.point, Some(spot.device)) {
        match found {
            FitFinding::TooLittle { .. } => {
                add("too-little-load", 5.0, found.to_string());
            }
            FitFinding::NeutralUnknown { .. } | FitFinding::NeutralNotSeen => {
                add("no-neutral", 3.0, found.to_string());
            }
            _ => {}
        }
    }
    if site.loads_of(&spot.point.id).any(|l| l.dimmable != Some(true)) && spot.kind.fit.is_dimmer()
    {
        add("not-dimmable", 3.0, "nobody knows that its lamps can be dimmed".to_owned());
    }
    all
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_word_of_the_rows_is_known() {
        assert!(ROWS.symptom.len() >= 9 && ROWS.cause.len() > 40 && ROWS.check.len() > 25);
        for symptom in &ROWS.symptom {
            for cause in symptom.causes.keys() {
                assert!(ROWS.cause(cause).is_some(), "{cause} of {}", symptom.id);
            }
        }
        for check in &ROWS.check {
            for cause in check.yes.keys() {
                assert!(ROWS.cause(cause).is_some(), "{cause} of {}", check.id);
            }
        }
    }

    #[test]
    fn every_cause_is_found_by_answers_that_speak_for_it() {
        // Whoever answers as the cause would is led to it, or to where the rows cannot tell it apart.
        for symptom in &ROWS.symptom {
            for cause in symptom.causes.keys() {
                let mut answers: Vec<CheckAnswer> = Vec::new();
                let last =
                    loop {
                        let found = guide(&symptom.id, &answers, &[], &[]).unwrap_or_else(|| {
                            Guided { ranked: Vec::new(), next: None, met: Vec::new() }
                        });
                        let Some(check) = found.next.as_ref().and_then(|c| ROWS.check(c)) else {
                            break found;
                        };
                        let so = Some(check.yes(cause) > 0.5);
                        answers.push(CheckAnswer { check: check.id.clone(), so });
                    };
                let place = last.ranked.iter().position(|r| r.cause == *cause);
                assert!(
                    place.is_some_and(|p| p < 3),
                    "{cause} of {}: {:?}",
                    symptom.id,
                    last.ranked
                );
            }
        }
    }
}
