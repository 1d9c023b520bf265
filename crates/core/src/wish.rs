//! What a page asks for: an edit of the plan, a gesture on the sheet, an act of the day or of proving, or what is
//! said of the house as it is. All of it comes to a [`Prepared`]: what changes on the plan, what goes on record.

use serde::{Deserialize, Deserializer};
use serde_json::Value;

use crate::draw::gesture::Gesture;
use crate::gate::acts::{Act, code_held};
use crate::prove::acts::Proving;
use crate::record::{Prepared, Record, Said, Sender, Telling, What};
use crate::site::{Edit, Refusal, Site, Thing, lengths_read};

/// What a page asks for.
#[derive(Clone, Debug, PartialEq)]
#[expect(missing_docs, reason = "each is its type")]
#[expect(clippy::large_enum_variant, reason = "one is held at a time")]
pub enum PageRequest {
    Edit(Edit),
    Gesture(Gesture),
    Act(Act),
    Proving(Proving),
    /// What is said of things on record, written as edits are.
    Said(Vec<Said>),
}

impl PageRequest {
    /// Whether it says that something happened, rather than changing the plan.
    pub fn is_of_record(&self) -> bool {
        matches!(self, Self::Act(_) | Self::Proving(_) | Self::Said(_))
    }

    /// Whether somebody who is named on a visit may wish it: what happens on the day, and photos of it. The plan, and what is
    /// measured and agreed for the house, are the firm's.
    pub fn is_of_a_visit(&self) -> bool {
        matches!(self, Self::Act(_) | Self::Said(_) | Self::Edit(Edit::Put(Thing::Photo(_))))
    }

    /// What it comes to.
    ///
    /// # Errors
    /// Those of [`Gesture::edit`], [`Act::prepare`], [`Proving::prepare`] and [`Said::entry`].
    pub fn prepare(
        self,
        site: &Site,
        record: &Record,
        caller: &Sender,
    ) -> Result<Prepared, Refusal> {
        let planned = |edit| Prepared { edit: Some(edit), entries: Vec::new() };
        match self {
            Self::Edit(edit) => lengths_read(edit).map(planned),
            Self::Gesture(gesture) => gesture.edit(site).map(planned),
            Self::Act(act) => act.prepare(site, record, caller),
            Self::Proving(act) => act.prepare(site, record, caller, None),
            Self::Said(all) => {
                // Each is said of the record as those before it leave it.
                let (mut grown, mut entries) = (record.clone(), Vec::new());
                for (n, said) in all.iter().enumerate() {
                    let (what, corrects) = said.entry(site, &grown)?;
                    // A code is held against its check digits by whatever door it comes.
                    if let What::CodeKept(code) = &what {
                        code_held(site, &grown, code)?;
                    }
                    let telling = Telling { corrects, ..Telling::new(what, None, None) };
                    let entry = caller.entry(site, n, telling);
                    grown.say(entry.clone())?;
                    entries.push(entry);
                }
                Ok(Prepared { edit: None, entries })
            }
        }
    }
}

impl<'de> Deserialize<'de> for PageRequest {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        use serde::de::Error;
        let value = Value::deserialize(deserializer)?;
        let word = value.get("do").and_then(Value::as_str).unwrap_or_default();
        if Gesture::WORDS.contains(&word) {
            return serde_json::from_value(value).map(Self::Gesture).map_err(Error::custom);
        }
        if Act::WORDS.contains(&word) {
            return serde_json::from_value(value).map(Self::Act).map_err(Error::custom);
        }
        if Proving::WORDS.contains(&word) {
            return serde_json::from_value(value).map(Self::Proving).map_err(Error::custom);
        }
        match said(&value) {
            Some(Ok(all)) => Ok(Self::Said(all)),
            Some(Err(apart)) => Err(Error::custom(apart)),
            None => Edit::read(value).map(Self::Edit).map_err(Error::custom),
        }
    }
}

/// What an edit says of things on record; nothing where it is of the plan.
fn said(value: &Value) -> Option<Result<Vec<Said>, &'static str>> {
    let text =
        |field: &str| value.get(field).and_then(Value::as_str).unwrap_or_default().to_owned();
    let kind = text("kind");
    let is_told = |kind: &str| Said::KINDS.contains(&kind) || Said::BY_ACT.contains(&kind);
    match text("do").as_str() {
        "batch" => {
            let parts = value.get("edits")?.as_array()?;
            let parts: Vec<_> = parts.iter().map(said).collect();
            match parts.iter().filter(|p| p.is_some()).count() {
                0 => None,
                n if n < parts.len() => {
                    Some(Err("what is planned and what happened are sent apart"))
                }
                _ => Some(
                    parts.into_iter().flatten().collect::<Result<Vec<_>, _>>().map(|p| p.concat()),
                ),
            }
        }
        _ if !is_told(&kind) => None,
        "put" => {
            let value = value.get("value").cloned().unwrap_or_default();
            Some(Ok(vec![Said::So { kind, value }]))
        }
        "begin" => {
            let value = value.get("value").cloned().unwrap_or_default();
            Some(Ok(vec![Said::Begun { kind, value }]))
        }
        "set" => {
            let (id, field) = (text("id"), text("field"));
            let value = value.get("value").cloned().unwrap_or_default();
            Some(Ok(vec![Said::Otherwise { kind, id, field, value }]))
        }
        "remove" => Some(Ok(vec![Said::NotSo { kind, id: text("id") }])),
        _ => None,
    }
}
