//! What is tapped when proving: each act comes to entries of the record, and to what is planned with from then
//! on.

use std::collections::BTreeSet;
use std::sync::Arc;

use serde::Deserialize;

use super::accept::{counts, judged};
use super::calibrate::{Proof, prove};
use super::diagnose::parents::{actual, via};
use super::rules_tried::{RuleTrial, tried};
use super::stages::{keep, newest};
use crate::analysis::{Analysis, Options, analyse};
use crate::bill::bill;
use crate::catalogue::Duty;
use crate::install::schedule::schedule;
use crate::moment::Moment;
use crate::names::agree_rooms;
use crate::network::Outcome;
use crate::record::{
    GaveOut, MilestoneId, OfferSigned, OfferSignedId, Prepared, Record, RoomsAgreedId, RuleTriedId,
    Sender, SignOff, SignOffId, Stage, Telling, What,
};
use crate::site::{
    AlreadyThere, Correction, Device, DeviceId, Edit, Kind, LearnedOf, Ref, Refusal, RuleId, Site,
    Wrong,
};

/// An act of proving.
#[derive(Clone, Debug, PartialEq, Deserialize)]
#[serde(tag = "do", rename_all = "kebab-case", rename_all_fields = "snake_case")]
#[serde(deny_unknown_fields)]
#[expect(missing_docs, reason = "each variant says what its fields are for")]
pub enum Proving {
    /// Plans with what the readings teach from now on. How the plan stood before is kept, if it was not.
    AcceptCalibration { id: MilestoneId, by: String, at: Moment },
    /// Keeps how the plan stands.
    KeepStage { id: MilestoneId, stage: Stage, by: String, at: Moment },
    /// Something was done at a device in the house: readings of before do not count any longer.
    Cured { device: DeviceId, what: String, at: Moment },
    /// The unit of a device is dead: another of its kind takes its place, and what hung on it is tested again.
    GaveOut {
        device: DeviceId,
        why: String,
        #[serde(default)]
        by: Option<String>,
        at: Moment,
    },
    /// A rule was run by hand, and these moved; or a second person read it back.
    TryRule {
        id: RuleTriedId,
        rule: RuleId,
        #[serde(default)]
        moved: BTreeSet<DeviceId>,
        #[serde(default)]
        read_by: Option<String>,
        #[serde(default)]
        note: String,
        at: Moment,
    },
    /// The household agrees to the list of rooms as it is.
    AgreeRooms {
        id: RoomsAgreedId,
        name: String,
        #[serde(default)]
        note: String,
        at: Moment,
    },
    /// Signs the offer as the bill stands; how the plan then stands is kept as designed.
    SignOffer {
        id: OfferSignedId,
        name: String,
        #[serde(default)]
        note: String,
        at: Moment,
    },
    /// Signs that the house is accepted as it stands; what then stands is kept as proven.
    Sign {
        id: SignOffId,
        name: String,
        #[serde(default)]
        role: String,
        #[serde(default)]
        note: String,
        at: Moment,
    },
}

impl Proving {
    /// The words of the acts.
    pub const WORDS: [&'static str; 8] = [
        "accept-calibration",
        "keep-stage",
        "cured",
        "gave-out",
        "try-rule",
        "agree-rooms",
        "sign-offer",
        "sign",
    ];

    /// Whether it asks what the readings teach, which takes long.
    pub fn asks_what_is_taught(&self) -> bool {
        matches!(self, Self::AcceptCalibration { .. } | Self::Sign { .. })
    }

    /// What it comes to; `known` is what the readings teach, where that was worked out before.
    ///
    /// # Errors
    /// Too few readings, nobody who signs.
    pub fn prepare(
        self,
        site: &Site,
        record: &Record,
        caller: &Sender,
        known: Option<&(Arc<Analysis>, Arc<Proof>)>,
    ) -> Result<Prepared, Refusal> {
        let whole = || match known {
            Some((analysis, _)) => Arc::clone(analysis),
            None => Arc::new(analyse(&Arc::new(site.clone()), &Options::default())),
        };
        let taught = |analysis: &Analysis| match known {
            Some((_, proof)) => Arc::clone(proof),
            None => Arc::new(prove(analysis, record)),
        };
        let (edit, tellings) = match self {
            Self::AcceptCalibration { id, by, at } => {
                let analysis = whole();
                let proposed = taught(&analysis).proposed.clone();
                let mut proposed =
                    proposed.ok_or_else(|| Refusal::wrong("readings", Wrong::FewReadings))?;
                proposed.at = at.to_string();
                let mut all = Vec::new();
                if newest(record, Stage::Designed).is_none() {
                    let kept = keep(&analysis, record, id, Stage::Designed, &by, &at);
                    all.push(Telling::new(What::Stage(kept), Some(&by), Some(&at)));
                }
                (Some(Edit::put(proposed)), all)
            }
            Self::KeepStage { id, stage, by, at } => {
                let kept = keep(&whole(), record, id, stage, &by, &at);
                (None, vec![Telling::new(What::Stage(kept), Some(&by), Some(&at))])
            }
            Self::Cured { device, what, at } => {
                let edit = untaught(site, record, &device)?;
                (edit, vec![Telling::new(What::Cured { device, what }, None, Some(&at))])
            }
            Self::GaveOut { device, why, by, at } => {
                let edit = taken_over(site, record, &device)?;
                let hung = hangs_on(&whole(), record, &device);
                let node = site.devices.get(&device).and_then(|d| record.number(d));
                let what = What::GaveOut(GaveOut { device, why, node, hung });
                (Some(edit), vec![Telling::new(what, by.as_deref(), Some(&at))])
            }
            Self::TryRule { id, rule, moved, read_by, note, at } => {
                let of = RuleTrial { id, rule, moved, read_by, note, at };
                (None, vec![tried(site, caller, of)?])
            }
            Self::AgreeRooms { id, name, note, at } => {
                (None, vec![agree_rooms(site, record, (id, name), (note, at))?])
            }
            Self::SignOffer { id, name, note, at } => {
                if name.trim().is_empty() {
                    return Err(Refusal::wrong("name", Wrong::NoName));
                }
                (None, offer_signed(&whole(), record, OfferSigning { id, name, note, at })?.into())
            }
            Self::Sign { id, name, role, note, at } => {
                if name.trim().is_empty() {
                    return Err(Refusal::wrong("name", Wrong::NoName));
                }
                let analysis = whole();
                let proof = taught(&analysis);
                let count = |n: usize| u32::try_from(n).unwrap_or(u32::MAX);
                let [passed, failed, untested] = counts(&judged(&analysis, &proof)).map(count);
                let of = format!("proven-{id}");
                let milestone = of.parse().map_err(|e| Refusal::wrong("id", Wrong::Id(e)))?;
                let proven = keep(&analysis, record, milestone, Stage::Proven, &name, &at);
                let by = name.clone();
                let signed =
                    SignOff { id, name, role, at: at.clone(), passed, failed, untested, note };
                let both = [What::Stage(proven), What::Signed(signed)];
                (None, both.map(|what| Telling::new(what, Some(&by), Some(&at))).into())
            }
        };
        Ok(Prepared { edit, entries: caller.entries(site, tellings) })
    }
}

/// Who signs an offer, with what reservations, and when.
struct OfferSigning {
    id: OfferSignedId,
    name: String,
    note: String,
    at: Moment,
}

/// An offer that is signed, with what the bill then comes to; and the plan as it was designed for it.
fn offer_signed(
    analysis: &Analysis,
    record: &Record,
    OfferSigning { id, name, note, at }: OfferSigning,
) -> Result<[Telling; 2], Refusal> {
    let site = &analysis.site;
    let bill = bill(site, schedule(analysis, record).visits.len());
    let count = |n: usize| u32::try_from(n).unwrap_or(u32::MAX);
    let milestone = format!("offered-{id}").parse();
    let milestone = milestone.map_err(|e| Refusal::wrong("id", Wrong::Id(e)))?;
    let designed = keep(analysis, record, milestone, Stage::Designed, &name, &at);
    let by = name.clone();
    let signed = OfferSigned {
        id,
        name,
        at: at.clone(),
        total: bill.total,
        currency: site.job.currency.clone(),
        devices: count(site.devices.len()),
        without_price: count(bill.without_price),
        open: count(bill.open.0 + bill.open.1),
        note,
    };
    let both = [What::Stage(designed), What::OfferSigned(signed)];
    Ok(both.map(|what| Telling::new(what, Some(&by), Some(&at))))
}

/// The plan once another unit takes the place of a dead one: it is new, and its entry in the hub's list goes first.
fn taken_over(site: &Site, record: &Record, device: &DeviceId) -> Result<Edit, Refusal> {
    let none = || Refusal::wrong("device", Wrong::NoSuch(Ref::new(Kind::Device, device.as_str())));
    let of = site.devices.get(device).ok_or_else(none)?;
    if site.kind(&of.kind).is_some_and(|k| k.duty == Duty::Hub) {
        return Err(Refusal::wrong("device", Wrong::HubGaveOut));
    }
    let node = record.number(of).map(|n| format!(", node {n}")).unwrap_or_default();
    let replaces = format!("the dead {}{node}", of.name);
    let (already_there, number, replaces_dead) = (AlreadyThere::No, None, true);
    Ok(Edit::put(Device { replaces, replaces_dead, already_there, number, ..of.clone() }))
}

/// What is reached over a device: as the hub's list or the joining told, else as the plan has it.
pub fn hangs_on(analysis: &Analysis, record: &Record, device: &DeviceId) -> BTreeSet<DeviceId> {
    let Some((network, _)) = analysis.find(device) else { return BTreeSet::new() };
    let over = |outcome: &&Outcome| match actual(&analysis.site, record, &outcome.device) {
        Some(actual) => actual.via.contains(device),
        None => via(outcome).contains(device),
    };
    network.outcomes.iter().filter(over).map(|outcome| outcome.device.clone()).collect()
}

/// A cure at a device: what readings of before taught of it counts no longer.
fn untaught(site: &Site, record: &Record, device: &DeviceId) -> Result<Option<Edit>, Refusal> {
    if site.devices.get(device).is_none() {
        let none = Wrong::NoSuch(Ref::new(Kind::Device, device.as_str()));
        return Err(Refusal::wrong("device", none));
    }
    let edit = site.calibration.as_ref().and_then(|taught| without(taught, device));
    let mut read = record.readings.iter();
    let is_read = read.any(|r| (r.from == *device || r.to == *device) && r.superseded.is_empty());
    if edit.is_none() && !is_read {
        return Err(Refusal::wrong("device", Wrong::NothingTested));
    }
    Ok(edit.map(Edit::put))
}

/// A calibration without what it says of a device; nothing where it says nothing of it.
fn without(taught: &Correction, device: &DeviceId) -> Option<Correction> {
    let is_own = |of: &LearnedOf| matches!(of, LearnedOf::Device { id } if id == device);
    let place = taught.learned.iter().position(|r| is_own(&r.of))?;
    let mut taught = taught.clone();
    let mut cells = std::mem::take(&mut taught.spread).into_iter();
    for i in 0..taught.learned.len() {
        for j in 0..=i {
            let cell = cells.next().unwrap_or(0.0);
            if i != place && j != place {
                taught.spread.push(cell);
            }
        }
    }
    taught.learned.remove(place);
    taught.links.retain(|l| l.from != *device && l.to != *device);
    Some(taught)
}
