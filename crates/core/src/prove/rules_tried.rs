//! Rules that were run by hand and read back: what moved against what was meant.

use std::collections::BTreeSet;

use crate::moment::Moment;
use crate::record::{Record, RuleTried, RuleTriedId, Sender, Telling, What};
use crate::site::{DeviceId, Kind, Ref, Refusal, Rule, RuleId, Site, Wrong};

/// How a rule stands by the record.
#[derive(Clone, Debug, PartialEq)]
pub struct RuleProof<'a> {
    /// The last time it was run by hand as it stands.
    pub run: Option<&'a RuleTried>,
    /// The last time somebody read it back as it stands.
    pub read: Option<&'a RuleTried>,
    /// Whether it was tried before, and is otherwise since.
    pub is_changed: bool,
    /// What moved and was not meant to.
    pub also: BTreeSet<DeviceId>,
    /// What was meant to move and did not.
    pub stayed: BTreeSet<DeviceId>,
}

impl RuleProof<'_> {
    /// Whether it was run by hand as it stands, and what was meant moved, and nothing else.
    pub fn is_proven(&self) -> bool {
        self.run.is_some_and(RuleTried::is_as_meant)
    }
}

/// What a rule comes to, each device once.
pub fn meant(site: &Site, rule: &Rule) -> BTreeSet<DeviceId> {
    site.reached_by(rule).into_iter().map(|reached| reached.device.clone()).collect()
}

/// How a rule stands by the record.
pub fn rule_proof<'a>(site: &Site, record: &'a Record, rule: &Rule) -> RuleProof<'a> {
    let meant = meant(site, rule);
    let bare = |rule: &Rule| Rule { name: String::new(), note: String::new(), ..rule.clone() };
    let mut own = record.rules_tried.iter().filter(|tried| tried.rule.id == rule.id);
    let stands = |tried: &RuleTried| {
        tried.rule.id == rule.id && bare(&tried.rule) == bare(rule) && tried.meant == meant
    };
    let newest = |was_run: bool| {
        let all = record
            .rules_tried
            .numbered()
            .filter(|(_, tried)| stands(tried) && tried.was_run() == was_run);
        all.max_by_key(|(told, _)| *told).map(|(_, tried)| tried)
    };
    let (run, read) = (newest(true), newest(false));
    let differs = |of: fn(&RuleTried) -> [&BTreeSet<DeviceId>; 2]| {
        run.map(|tried| {
            let [one, other] = of(tried);
            one.difference(other).cloned().collect()
        })
        .unwrap_or_default()
    };
    RuleProof {
        is_changed: run.is_none() && own.any(RuleTried::was_run),
        also: differs(|tried| [&tried.moved, &tried.meant]),
        stayed: differs(|tried| [&tried.meant, &tried.moved]),
        run,
        read,
    }
}

/// A trial of a rule, as somebody tells of it.
#[derive(Clone, Debug, PartialEq)]
pub(super) struct RuleTrial {
    pub(super) id: RuleTriedId,
    pub(super) rule: RuleId,
    pub(super) moved: BTreeSet<DeviceId>,
    pub(super) read_by: Option<String>,
    pub(super) note: String,
    pub(super) at: Moment,
}

/// What comes on record of a trial of a rule: who reads it back is somebody else than who puts that on record.
pub(super) fn tried(site: &Site, sender: &Sender, of: RuleTrial) -> Result<Telling, Refusal> {
    let RuleTrial { id, rule, moved, read_by, note, at } = of;
    let missing = || Refusal::Missing(Ref::new(Kind::Rule, rule.as_str()));
    let rule = site.rules.get(&rule).ok_or_else(missing)?.clone();
    if let Some(gone) = moved.iter().find(|id| site.devices.get(*id).is_none()) {
        let gone = Wrong::NoSuch(Ref::new(Kind::Device, gone.as_str()));
        return Err(Refusal::wrong("moved", gone));
    }
    let read_by = match read_by {
        None => String::new(),
        Some(name) if name.trim().is_empty() => {
            return Err(Refusal::wrong("read_by", Wrong::NoName));
        }
        Some(name) if crate::record::Entry::is_name(&name, &sender.name) => {
            return Err(Refusal::wrong("read_by", Wrong::ReadBySelf));
        }
        Some(name) => name.trim().to_owned(),
    };
    let meant = meant(site, &rule);
    let tried = RuleTried { id, rule, meant, moved, read_by, at: at.clone(), note };
    Ok(Telling::new(What::RuleTried(tried), None, Some(&at)))
}
