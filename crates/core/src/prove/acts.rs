//! What is tapped when proving: each act gives the edit that it stands for.

use std::sync::Arc;

use serde::Deserialize;
use serde_json::json;

use super::accept::{counts, judged};
use super::calibrate::prove;
use super::stages::{keep, newest};
use crate::analysis::{Options, analyse};
use crate::site::{
    DeviceId, Edit, Kind, LearnedOf, MilestoneId, Refusal, SignOff, SignOffId, Site, Stage, Wrong,
};

/// An act of proving.
#[derive(Clone, Debug, PartialEq, Deserialize)]
#[serde(tag = "do", rename_all = "kebab-case", rename_all_fields = "snake_case")]
#[serde(deny_unknown_fields)]
#[expect(missing_docs, reason = "each variant says what its fields are for")]
pub enum Proving {
    /// Plans with what the readings teach from now on. How the plan stood before is kept, if it was not.
    AcceptCalibration { id: MilestoneId, by: String, at: String },
    /// Keeps how the plan stands.
    KeepStage { id: MilestoneId, stage: Stage, by: String, at: String },
    /// Something was done at a device in the house: readings of before do not count any longer.
    Cured { device: DeviceId, what: String, at: String },
    /// Signs that the house is accepted as it stands; what then stands is kept as proven.
    Sign {
        id: SignOffId,
        name: String,
        #[serde(default)]
        role: String,
        #[serde(default)]
        note: String,
        at: String,
    },
}

impl Proving {
    /// The words of the acts.
    pub const WORDS: [&'static str; 4] = ["accept-calibration", "keep-stage", "cured", "sign"];

    /// The edit that it comes to.
    ///
    /// # Errors
    /// Too few readings, nobody who signs.
    pub fn edit(self, site: &Site) -> Result<Edit, Refusal> {
        match self {
            Self::AcceptCalibration { id, by, at } => accept(site, id, &by, &at),
            Self::KeepStage { id, stage, by, at } => {
                Ok(Edit::put(keep(&whole(site), id, stage, &by, &at)))
            }
            Self::Cured { device, what, at } => cured(site, &device, &what, &at),
            Self::Sign { id, name, role, note, at } => sign(site, id, name, role, note, at),
        }
    }
}

fn whole(site: &Site) -> crate::analysis::Analysis {
    analyse(&Arc::new(site.clone()), &Options::default())
}

fn accept(site: &Site, id: MilestoneId, by: &str, at: &str) -> Result<Edit, Refusal> {
    let analysis = whole(site);
    let proposed = prove(&analysis).proposed;
    let mut taught = proposed.ok_or_else(|| Refusal::wrong("readings", Wrong::FewReadings))?;
    at.clone_into(&mut taught.at);
    let mut edits = Vec::new();
    if newest(site, Stage::Designed).is_none() {
        edits.push(Edit::put(keep(&analysis, id, Stage::Designed, by, at)));
    }
    edits.push(Edit::put(taught));
    Ok(Edit::batch(edits))
}

fn cured(site: &Site, device: &DeviceId, what: &str, at: &str) -> Result<Edit, Refusal> {
    if site.devices.get(device).is_none() {
        let id = device.to_string();
        return Err(Refusal::wrong(
            "device",
            Wrong::NoSuch(crate::site::Ref::new(Kind::Device, &id)),
        ));
    }
    let why = format!("before {}: {what}", at.get(..16).unwrap_or(at).replace('T', " "));
    let own = site.readings.iter().filter(|r| {
        (r.from == *device || r.to == *device) && r.superseded.is_empty() && r.at.as_str() <= at
    });
    let mut edits: Vec<Edit> =
        own.map(|r| Edit::set(Kind::Reading, &r.id, "superseded", json!(why))).collect();
    if let Some(taught) = &site.calibration {
        let is_own = |of: &LearnedOf| matches!(of, LearnedOf::Device { id } if id == device);
        if let Some(place) = taught.learned.iter().position(|r| is_own(&r.of)) {
            let mut taught = taught.clone();
            let mut spread = Vec::new();
            let mut cells = taught.spread.iter();
            for i in 0..taught.learned.len() {
                for j in 0..=i {
                    let cell = cells.next().copied().unwrap_or(0.0);
                    if i != place && j != place {
                        spread.push(cell);
                    }
                }
            }
            taught.spread = spread;
            taught.learned.remove(place);
            taught.links.retain(|l| l.from != *device && l.to != *device);
            edits.push(Edit::put(taught));
        }
    }
    if edits.is_empty() {
        return Err(Refusal::wrong("device", Wrong::NothingTested));
    }
    Ok(Edit::batch(edits))
}

fn sign(
    site: &Site,
    id: SignOffId,
    name: String,
    role: String,
    note: String,
    at: String,
) -> Result<Edit, Refusal> {
    let analysis = whole(site);
    let proof = prove(&analysis);
    let count = |n: usize| u32::try_from(n).unwrap_or(u32::MAX);
    let [passed, failed, untested] = counts(&judged(&analysis, &proof)).map(count);
    let of = format!("proven-{id}");
    let milestone = of.parse().map_err(|e| Refusal::wrong("id", Wrong::Id(e)))?;
    let proven = keep(&analysis, milestone, Stage::Proven, &name, &at);
    let signed = SignOff { id, name, role, at, passed, failed, untested, note };
    Ok(Edit::batch(vec![Edit::put(proven), Edit::put(signed)]))
}
