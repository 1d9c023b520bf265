//! What happened in the house: an append-only log beside the plan, and how things stand by it.
//!
//! An entry is said once and stays. It is never undone, branched, merged or imported over; what was wrong is
//! corrected by another entry that names it. What follows from the entries is folded from them alone
//! (`fold.rs`), in the order in which they came in, whatever clocks say and whatever the plan says since.

mod entry;
mod fold;
mod log;
mod prepared;
mod said;
mod things;

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use rpds::{RedBlackTreeMapSync, VectorSync};
use schemars::{JsonSchema, Schema, SchemaGenerator};
use serde::{Deserialize, Deserializer, Serialize, Serializer};

pub use entry::*;
pub use log::Log;
pub use prepared::*;
pub use said::Said;
pub use things::*;

use crate::site::{Device, DeviceId, Refusal, Wrong};

/// The most entries of a job: every step, check and reading of the largest house several times over.
pub const MOST_ENTRIES: usize = 250_000;

/// The record of a job. Copies share what they hold.
#[derive(Clone, Debug, Default)]
pub struct Record {
    entries: VectorSync<Arc<Entry>>,
    ids: RedBlackTreeMapSync<EntryId, usize>,
    struck: RedBlackTreeMapSync<usize, usize>,
    marks: RedBlackTreeMapSync<DeviceId, BTreeMap<Step, Mark>>,
    stale: RedBlackTreeMapSync<DeviceId, usize>,
    gave_out: RedBlackTreeMapSync<DeviceId, usize>,
    /// Devices whose unit gave out before its box was closed: it stands without its plate until that is done.
    left_open: RedBlackTreeMapSync<DeviceId, ()>,
    /// The entry since which a device counts as joined by none before it: its joining was taken back.
    unjoined: RedBlackTreeMapSync<DeviceId, usize>,
    /// What was switched off, and by whom.
    pub isolations: Log<Isolation>,
    /// How devices were wired in.
    pub wiring_records: Log<WiringRecord>,
    /// Codes by which devices are joined.
    pub join_codes: Log<JoinCode>,
    /// How devices were joined.
    pub joinings: Log<Joining>,
    /// Times at which networks stood open.
    pub open_times: Log<OpenTime>,
    /// Readings taken on site.
    pub readings: Log<Reading>,
    /// What hubs tell of their nodes.
    pub node_reports: Log<NodeReport>,
    /// Tests in place: so many sent, so many arrived.
    pub range_tests: Log<RangeTest>,
    /// What counts as accepted.
    pub acceptances: Log<Acceptance>,
    /// Who signed that the house is accepted.
    pub sign_offs: Log<SignOff>,
    /// Who signed the offer, and what it then came to.
    pub offers_signed: Log<OfferSigned>,
    /// How the plan stood: as designed, as installed, as proven.
    pub milestones: Log<Milestone>,
    /// Faults that were met, and what helped.
    pub faults: Log<Fault>,
    /// What came back after the router was changed.
    pub came_back: Log<CameBack>,
    /// Rules that were run by hand, or read back.
    pub rules_tried: Log<RuleTried>,
    /// Lists of rooms to which the household agreed.
    pub rooms_agreed: Log<RoomsAgreed>,
    /// How platforms name what they hold.
    pub name_lists: Log<NameList>,
}

impl Record {
    /// A record of entries that were taken before, in their order; those that contradict what is said before
    /// them are left out and told.
    pub fn of(entries: impl IntoIterator<Item = Entry>) -> (Self, Vec<(EntryId, Refusal)>) {
        let (mut record, mut refused) = (Self::default(), Vec::new());
        for entry in entries {
            let id = entry.id.clone();
            refused.extend(record.say(entry).err().map(|why| (id, why)));
        }
        (record, refused)
    }

    /// The same without join codes, which open the network of the house: what else is said of them goes along.
    #[must_use]
    pub fn without_codes(&self) -> Self {
        let mut gone = BTreeSet::new();
        let kept = self.entries().filter(|entry| {
            let is_code = match &entry.what {
                What::CodeKept(_) => true,
                What::Struck { of, .. } => gone.contains(of),
                _ => false,
            };
            if is_code {
                gone.insert(entry.id.clone());
            }
            !is_code
        });
        // What rests on a code only is left out with it.
        Self::of(kept.cloned().collect::<Vec<_>>()).0
    }

    /// How many entries there are.
    pub fn len(&self) -> usize {
        self.entries.len()
    }

    /// Whether nothing was said yet.
    pub fn is_empty(&self) -> bool {
        self.entries.is_empty()
    }

    /// The entries from a place on, in order.
    pub fn entries_from(&self, place: usize) -> impl Iterator<Item = &Entry> {
        (place..self.entries.len()).filter_map(|n| self.entries.get(n).map(|e| &**e))
    }

    /// All entries, in order.
    pub fn entries(&self) -> impl Iterator<Item = &Entry> {
        self.entries_from(0)
    }

    /// The entry of this id.
    pub fn entry(&self, id: &EntryId) -> Option<&Entry> {
        self.entries.get(*self.ids.get(id)?).map(|e| &**e)
    }

    /// The place of an entry, counted from nought.
    pub fn place_of(&self, id: &EntryId) -> Option<usize> {
        self.ids.get(id).copied()
    }

    /// The entry that struck this one, if one did.
    pub fn struck_by(&self, id: &EntryId) -> Option<&Entry> {
        let by = self.struck.get(self.ids.get(id)?)?;
        self.entries.get(*by).map(|e| &**e)
    }

    /// A step of a device, done or begun.
    pub fn mark(&self, device: &DeviceId, step: Step) -> Option<&Mark> {
        self.marks.get(device)?.get(&step)
    }

    /// A step of a device that stands as done.
    pub fn done(&self, device: &DeviceId, step: Step) -> Option<&Done> {
        self.mark(device, step)?.done.as_ref()
    }

    /// Every step that was done or begun.
    pub fn marks(&self) -> impl Iterator<Item = (&DeviceId, Step, &Mark)> {
        self.marks.iter().flat_map(|(id, of)| of.iter().map(move |(step, mark)| (id, *step, mark)))
    }

    /// The entry after which range tests of a device count again, because something changed there.
    pub fn stale_since(&self, device: &DeviceId) -> Option<usize> {
        self.stale.get(device).copied()
    }

    /// Isolations in force, those that began first before the others.
    pub fn in_force(&self) -> impl DoubleEndedIterator<Item = &Isolation> {
        self.isolations.iter().filter(|i| i.is_in_force())
    }

    /// Whether the box of a device was opened, and is neither closed nor put back.
    pub fn is_in_hand(&self, device: &DeviceId) -> bool {
        let done = |step| self.done(device, step).is_some();
        let is_begun = done(Step::Dead) || self.left_open.contains_key(device);
        self.in_force().any(|i| i.boxes.contains_key(device))
            || is_begun && !done(Step::Closed) && !done(Step::PutBack)
    }

    /// Whether the box of a device was found live under what is off, and not proved dead since.
    pub fn is_found_live(&self, device: &DeviceId) -> bool {
        self.in_force().any(|i| i.live.contains_key(device))
            && self.done(device, Step::Dead).is_none()
    }

    /// Whether the box of a device was found live with breakers off, and nobody proved it dead by breakers since: until then
    /// it is planned by the main. While anything is off the plan stays as it was when that went off, and what is fitted is
    /// opened no more.
    pub fn was_live_by_breaker(&self, device: &DeviceId) -> bool {
        let mut was_live = false;
        for of in self.isolations.iter().filter(|i| !i.means.is_main()) {
            was_live = match (of.live.contains_key(device), of.boxes.contains_key(device)) {
                (true, _) => true,
                (false, true) => false,
                (false, false) => was_live,
            };
        }
        let is_fitted = self.done(device, Step::DryFitted).is_some();
        was_live && !is_fitted && self.in_force().next().is_none()
    }

    /// Whether a job with this record may be deleted: what says that power is off stays until it is on again.
    ///
    /// # Errors
    /// Power is off; by what.
    pub fn may_go(&self) -> Result<(), Refusal> {
        let Some(off) = self.in_force().next() else { return Ok(()) };
        let what = off.of.circuits.join(", ");
        let what = if what.is_empty() { "the main switch".to_owned() } else { what };
        Err(Refusal::wrong("name", Wrong::PowerIsOff { what }))
    }

    /// How a device was joined last; nothing where that was taken back, or the unit that was joined gave out since.
    pub fn joined(&self, device: &DeviceId) -> Option<&Joining> {
        let mut all = self.joinings.numbered().rev();
        let last = all.find(|(_, j)| j.device == *device);
        let stands = |told: usize| self.unjoined.get(device).is_none_or(|since| told > *since);
        let last = last.filter(|(told, _)| stands(*told) && self.is_of_this_unit(device, *told));
        last.map(|(_, j)| j)
    }

    /// The number that the network has for a device: as it was joined, else as the plan has it of what is there already.
    pub fn number(&self, device: &Device) -> Option<u32> {
        self.joined(&device.id).and_then(|j| j.node).or(device.number)
    }

    /// Whether an entry about a device, by its place, is about the unit that is there now: none gave out since.
    pub fn is_of_this_unit(&self, device: &DeviceId, place: usize) -> bool {
        self.gave_out.get(device).is_none_or(|since| place > *since)
    }

    /// That the unit of a device gave out, the last time that one did.
    pub fn gave_out(&self, device: &DeviceId) -> Option<&GaveOut> {
        let entry = self.entries.get(*self.gave_out.get(device)?)?;
        match &entry.what {
            What::GaveOut(of) => Some(of),
            _ => None,
        }
    }

    /// The codes of a device: of the unit that is there, not of one that gave out.
    pub fn codes_of(&self, device: &DeviceId) -> impl Iterator<Item = &JoinCode> {
        let of = device.clone();
        let own = self.join_codes.numbered().filter(move |(_, code)| code.device == of);
        let since = self.gave_out.get(device).copied();
        own.filter(move |(told, _)| since.is_none_or(|s| *told > s)).map(|(_, code)| code)
    }

    /// The boxes that stand open and that switching an isolation on could make live: those under it, and those
    /// under others that share a circuit with it.
    pub fn open_under(&self, isolation: &Isolation) -> Vec<(&DeviceId, &OpenedBox)> {
        let of = |other: &&Isolation| other.of.id == isolation.of.id;
        let own = self.in_force().filter(of).flat_map(Isolation::open_boxes);
        let others = self.in_force().filter(|i| !of(i)).flat_map(Isolation::open_boxes);
        own.chain(others.filter(|(_, opened)| isolation.touches(&opened.circuits))).collect()
    }
}

impl PartialEq for Record {
    /// Everything follows from the entries.
    fn eq(&self, other: &Self) -> bool {
        self.len() == other.len() && self.entries().eq(other.entries())
    }
}

/// As the list of its entries.
impl Serialize for Record {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_seq(self.entries())
    }
}

impl<'de> Deserialize<'de> for Record {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        let (record, refused) = Self::of(Vec::<Entry>::deserialize(deserializer)?);
        match refused.into_iter().next() {
            Some((id, why)) => Err(serde::de::Error::custom(format!("entry {id}: {why}"))),
            None => Ok(record),
        }
    }
}

impl JsonSchema for Record {
    fn schema_name() -> std::borrow::Cow<'static, str> {
        "Record".into()
    }
    fn json_schema(generator: &mut SchemaGenerator) -> Schema {
        Vec::<Entry>::json_schema(generator)
    }
}
