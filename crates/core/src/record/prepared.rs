//! A wish as it is to be kept: what it changes on the plan, and what it puts on record. It is worked out
//! beside the store, which then only compares, applies and writes.

use std::collections::BTreeSet;

use super::{Entry, EntryId, Record, What};
use crate::moment::Moment;
use crate::site::{Change, DeviceId, Edit, Refusal, Site, Wrong, apply, difference};

/// Who sends something, when it came in, and by what it is known.
#[derive(Clone, Debug, PartialEq)]
pub struct Sender {
    /// By name.
    pub name: String,
    /// When, by the server's clock.
    pub taken: Moment,
    /// By what it is known: the ids of its entries are made of it, so that the same sent twice is the same.
    pub stem: String,
}

impl Sender {
    /// The id of the n-th entry.
    fn id(&self, n: usize) -> EntryId {
        let plain = |c: char| c.is_ascii_alphanumeric() || matches!(c, '-' | '_' | '.');
        let stem = if self.stem.len() <= 56 && !self.stem.is_empty() && self.stem.chars().all(plain)
        {
            self.stem.clone()
        } else {
            // An id holds 64 plain signs: another is told by a sum of it.
            let sum = self.stem.bytes().fold(0xcbf2_9ce4_8422_2325_u64, |sum, byte| {
                (sum ^ u64::from(byte)).wrapping_mul(0x0100_0000_01b3)
            });
            format!("e-{sum:016x}")
        };
        let text = if n == 0 { stem } else { format!("{stem}.{n}") };
        text.parse().unwrap_or_else(|_| unreachable!("made of what an id may hold"))
    }

    /// Entries of what happened, each with who says so and when; what is not said is the sender's.
    pub fn entries(&self, site: &Site, all: impl IntoIterator<Item = Telling>) -> Vec<Entry> {
        all.into_iter().enumerate().map(|(n, telling)| self.entry(site, n, telling)).collect()
    }

    /// The n-th of them.
    pub fn entry(&self, site: &Site, n: usize, telling: Telling) -> Entry {
        let Telling { by, said, corrects, what } = telling;
        let by = by.filter(|b| !b.trim().is_empty()).unwrap_or_else(|| self.name.clone());
        let known = site.people.iter().find(|p| Entry::is_name(&p.name, &by));
        let known = known.or_else(|| site.people.named(by.trim()));
        Entry {
            id: self.id(n),
            said: said.unwrap_or_else(|| self.taken.clone()),
            taken: self.taken.clone(),
            person: known.map(|p| p.id.clone()),
            by: known.map_or_else(|| by.trim().to_owned(), |p| p.name.trim().to_owned()),
            corrects,
            what,
        }
    }
}

/// That something happened, before it is known who took it in.
#[derive(Clone, Debug, PartialEq)]
pub struct Telling {
    /// Who says so; nothing for who sends it.
    pub by: Option<String>,
    /// When it happened; nothing for now.
    pub said: Option<Moment>,
    /// The entry that it corrects.
    pub corrects: Option<EntryId>,
    /// What happened.
    pub what: What,
}

impl Telling {
    /// Something that happened, said by somebody.
    pub fn new(what: What, by: Option<&str>, said: Option<&Moment>) -> Self {
        Self { by: by.map(str::to_owned), said: said.cloned(), corrects: None, what }
    }
}

/// A wish as it is to be kept.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Prepared {
    /// What it changes on the plan.
    pub edit: Option<Edit>,
    /// What it puts on record.
    pub entries: Vec<Entry>,
}

impl Prepared {
    /// Whether whoever signed in may put it on record: work on the mains asks for a licence of the country by which the house
    /// is wired. `licence` is the country of theirs.
    ///
    /// # Errors
    /// There is none, it is of another country, or nobody said of which the house is.
    pub fn entitled(&self, site: &Site, licence: Option<&str>) -> Result<(), Refusal> {
        if !self.entries.iter().any(|entry| entry.what.is_mains_work()) {
            return Ok(());
        }
        let asked =
            site.job.country().map(|country| (country.code.as_str(), country.name.as_str()));
        let why = match (asked, licence) {
            (_, None) => Wrong::NoLicence,
            (None, Some(_)) => Wrong::NoCountry,
            (Some((code, _)), Some(is)) if code == is => return Ok(()),
            (Some((_, name)), Some(is)) => {
                Wrong::LicenceElsewhere { is: is.to_uppercase(), asked: name }
            }
        };
        Err(Refusal::wrong("licence", why))
    }

    /// Whether it is of the day, at devices among these: what somebody may say who is named on some visits.
    ///
    /// # Errors
    /// It is of another visit, or no part of a day.
    pub fn is_at(&self, own: &BTreeSet<DeviceId>) -> Result<(), Refusal> {
        for entry in &self.entries {
            let of = entry.what.of_the_day();
            if !of.is_some_and(|devices| devices.into_iter().all(|device| own.contains(device))) {
                return Err(Refusal::wrong("device", Wrong::OtherVisit));
            }
        }
        Ok(())
    }
}

/// The plan and the record of a job.
#[derive(Clone, Debug, PartialEq)]
pub struct Folder {
    /// The plan.
    pub site: Site,
    /// What happened.
    pub record: Record,
}

impl Folder {
    /// A plan of which nothing has happened yet.
    pub fn planned(site: Site) -> Self {
        Self { site, record: Record::default() }
    }

    /// What brings a job up to date with a file of it: its plan becomes that of the file; of the record, entries are
    /// added that are not there yet, and nothing that is there is touched. With what could not be added, and why.
    pub fn up_to_date(&self, site: &Site, record: &Record) -> (Prepared, Vec<(EntryId, Refusal)>) {
        let mut grown = record.clone();
        let (mut entries, mut left) = (Vec::new(), Vec::new());
        for entry in self.record.entries().filter(|e| record.entry(&e.id).is_none()) {
            match grown.say(entry.clone()) {
                Ok(()) => entries.push(entry.clone()),
                Err(why) => left.push((entry.id.clone(), why)),
            }
        }
        let edit = difference(site, &self.site);
        let is_same = matches!(&edit, Edit::Batch { edits } if edits.is_empty());
        (Prepared { edit: (!is_same).then_some(edit), entries }, left)
    }

    /// Keeps a wish: all of it or nothing. What it changed on the plan, if it did.
    ///
    /// # Errors
    /// The plan or the record refuses a part.
    pub fn keep(&mut self, prepared: &Prepared) -> Result<Option<Change>, Refusal> {
        let (mut site, mut record) = (self.site.clone(), self.record.clone());
        let change = prepared.edit.as_ref().map(|edit| apply(&mut site, edit)).transpose()?;
        prepared.entries.iter().try_for_each(|entry| record.say(entry.clone()))?;
        (self.site, self.record) = (site, record);
        Ok(change)
    }
}
