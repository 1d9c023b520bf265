//! The tables of a job: one line each. What a job holds, what can be put, set and removed, what the
//! store keeps and what a job file lists all follow from this list; each type stands in its own file
//! under `tables/`, with what it may hold and what it names.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::Value;

use super::kept::{Kept, Most, Tie};
use super::{Correction, Job, Ref, Refusal, Table};

macro_rules! tables {
    ($(
        $field:ident: $file:ident::$type:ident = $word:tt, $called:literal, $doc:literal
            $(, once $once:literal in $onces:literal)?;
    )*) => {
        $(
            mod $file;
            pub use $file::*;
        )*

        /// One job.
        #[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
        #[serde(deny_unknown_fields)]
        pub struct Site {
            /// What the job is called, for whom, where, and how sure it must be.
            pub job: Job,
            $(
                #[doc = $doc]
                #[serde(default $(, alias = $onces)?)]
                pub $field: Table<$type>,
            )*
            /// What the readings taught, once accepted.
            #[serde(default, skip_serializing_if = "Option::is_none")]
            pub calibration: Option<Correction>,
        }

        /// A kind of thing: the job's own fields, what readings taught, or a table.
        #[derive(
            Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema,
        )]
        #[expect(missing_docs, reason = "each is its type")]
        pub enum Kind {
            #[serde(rename = "job")]
            Job,
            #[serde(rename = "calibration")]
            Calibration,
            $(
                #[serde(rename = $word $(, alias = $once)?)]
                $type,
            )*
        }

        impl Kind {
            /// The tables, each after what it names.
            pub const TABLES: [Self; [$($word),*].len()] = [$(Self::$type),*];

            /// Its word in an edit.
            pub fn word(self) -> &'static str {
                match self {
                    Self::Job => "job",
                    Self::Calibration => "calibration",
                    $(Self::$type => $word,)*
                }
            }

            /// What people call one of it.
            pub fn called(self) -> &'static str {
                match self {
                    Self::Job => "brief",
                    Self::Calibration => "calibration",
                    $(Self::$type => $called,)*
                }
            }

            /// How many a job may hold.
            pub fn most(self) -> Most {
                match self {
                    Self::Job | Self::Calibration => Most { count: 1, why: "a job has one" },
                    $(Self::$type => <$type as Kept>::MOST,)*
                }
            }

            pub(super) fn wholes(self) -> &'static [&'static str] {
                match self {
                    Self::Job | Self::Calibration => &[],
                    $(Self::$type => <$type as Kept>::WHOLES,)*
                }
            }

            pub(super) fn sets(self) -> &'static [&'static str] {
                match self {
                    Self::Job => super::Job::SETS,
                    Self::Calibration => &[],
                    $(Self::$type => <$type as Kept>::SETS,)*
                }
            }
        }

        /// A thing of a job.
        #[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
        #[serde(tag = "kind", content = "value")]
        #[expect(missing_docs, reason = "each is its type")]
        #[expect(clippy::large_enum_variant, reason = "few are held at a time; tables hold their types")]
        pub enum Thing {
            #[serde(rename = "job")]
            Job(Job),
            #[serde(rename = "calibration")]
            Calibration(Correction),
            $(
                #[serde(rename = $word $(, alias = $once)?)]
                $type($type),
            )*
        }

        impl From<Job> for Thing {
            fn from(job: Job) -> Self {
                Self::Job(job)
            }
        }

        impl From<Correction> for Thing {
            fn from(taught: Correction) -> Self {
                Self::Calibration(taught)
            }
        }

        $(
            impl From<$type> for Thing {
                fn from(thing: $type) -> Self {
                    Self::$type(thing)
                }
            }
        )*

        impl Thing {
            /// Its kind and id.
            pub fn of(&self) -> Ref {
                match self {
                    Self::Job(_) => Ref::JOB,
                    Self::Calibration(_) => Ref::CALIBRATION,
                    $(Self::$type(thing) => Ref::of(Kind::$type, thing),)*
                }
            }

            /// What people call it, where it has a name.
            pub fn name(&self) -> Option<String> {
                Some(self.to_value().ok()?.get("name")?.as_str()?.to_owned())
            }

            /// Calls `visit` with each thing that it names.
            pub fn ties(&self, visit: &mut dyn FnMut(Tie)) {
                match self {
                    Self::Job(_) | Self::Calibration(_) => {}
                    $(Self::$type(thing) => thing.ties(visit),)*
                }
            }

            /// Its own shape.
            ///
            /// # Errors
            /// The first field that cannot stand.
            pub fn check(&self) -> Result<(), Refusal> {
                match self {
                    Self::Job(job) => job.check(),
                    Self::Calibration(correction) => correction.check(),
                    $(Self::$type(thing) => Kept::check(thing),)*
                }
            }

            /// As the job file writes it.
            ///
            /// # Errors
            /// Never for a thing that came in by an edit.
            pub fn to_value(&self) -> serde_json::Result<Value> {
                match self {
                    Self::Job(job) => serde_json::to_value(job),
                    Self::Calibration(correction) => serde_json::to_value(correction),
                    $(Self::$type(thing) => serde_json::to_value(thing),)*
                }
            }

            /// A thing as the job file writes it.
            ///
            /// # Errors
            /// The value is none of this kind.
            pub fn from_value(kind: Kind, value: Value) -> serde_json::Result<Self> {
                Ok(match kind {
                    Kind::Job => Self::Job(serde_json::from_value(value)?),
                    Kind::Calibration => Self::Calibration(serde_json::from_value(value)?),
                    $(Kind::$type => Self::$type(serde_json::from_value(value)?),)*
                })
            }
        }

        impl Site {
            /// An empty job.
            pub fn new(job: Job) -> Self {
                Self { job, $($field: Table::default(),)* calibration: None }
            }

            /// A site of things that stood in one before; nothing without the job's own fields.
            pub fn of_things(things: impl IntoIterator<Item = Thing>) -> Option<Self> {
                let mut site: Option<Self> = None;
                for thing in things {
                    match (&mut site, thing) {
                        (Some(site), thing) => site.put(thing),
                        (None, Thing::Job(job)) => site = Some(Self::new(job)),
                        (None, _) => return None,
                    }
                }
                site
            }

            /// The thing of this kind and id.
            pub fn thing(&self, of: &Ref) -> Option<Thing> {
                match of.kind {
                    Kind::Job => Some(Thing::Job(self.job.clone())),
                    Kind::Calibration => self.calibration.clone().map(Thing::Calibration),
                    $(Kind::$type => self.$field.named(&of.id).cloned().map(Thing::$type),)*
                }
            }

            /// Whether there is such a thing.
            pub fn has(&self, of: &Ref) -> bool {
                match of.kind {
                    Kind::Job => true,
                    Kind::Calibration => self.calibration.is_some(),
                    $(Kind::$type => self.$field.named(&of.id).is_some(),)*
                }
            }

            /// How many there are of a kind.
            pub fn count(&self, kind: Kind) -> usize {
                match kind {
                    Kind::Job => 1,
                    Kind::Calibration => usize::from(self.calibration.is_some()),
                    $(Kind::$type => self.$field.len(),)*
                }
            }

            /// Every thing, each table after those that it names.
            pub fn things(&self) -> impl Iterator<Item = Thing> {
                let taught = self.calibration.clone().map(Thing::Calibration);
                let job = std::iter::once(Thing::Job(self.job.clone()));
                let all = job.chain(taught);
                $(let all = all.chain(self.$field.iter().cloned().map(Thing::$type));)*
                all
            }

            /// Calls `visit` with every thing of a table and each that it names.
            pub(super) fn visit_ties(&self, visit: &mut dyn FnMut(Kind, &str, Tie)) {
                $(for thing in self.$field.iter() {
                    let id: &str = std::borrow::Borrow::borrow(super::Keyed::id(thing));
                    thing.ties(&mut |tie| visit(Kind::$type, id, tie));
                })*
            }

            /// Puts a thing in, in place of what stood there; nothing is checked.
            pub(super) fn put(&mut self, thing: Thing) {
                match thing {
                    Thing::Job(job) => self.job = job,
                    Thing::Calibration(correction) => self.calibration = Some(correction),
                    $(Thing::$type(thing) => self.$field.put(thing),)*
                }
            }

            /// Takes a thing out; nothing is checked. The job's own fields stay.
            pub(super) fn take(&mut self, of: &Ref) {
                match of.kind {
                    Kind::Job => {}
                    Kind::Calibration => self.calibration = None,
                    $(Kind::$type => self.$field.remove(&of.id),)*
                }
            }
        }
    };
}

// field: file::Type = its word in an edit, what people call one, what the table holds. Each after
// what it names.
tables! {
    floors: floor::Floor = "floor", "storey", "Storeys, of one or several buildings.";
    constructions: construction::Construction = "construction", "construction", "Constructions of this job, beside or in place of the shipped ones.";
    walls: wall::Wall = "wall", "wall", "Walls, by storey.";
    slabs: slab::Slab = "slab", "floor slab", "Floor slabs and roofs.";
    kinds: own_kind::DeviceKind = "device-kind", "device of the library", "Devices of this job's library, beside or in place of the shipped ones.";
    rates: rate::Rate = "rate", "price or time", "Prices and times of this job, in place of the shipped ones.";
    people: person::Person = "person", "person", "Who lives there, who asks, who may do which work.";
    platforms: platform::Platform = "platform", "platform", "Platforms that the house is worked from.";
    accesses: access::HouseAccess = "access", "access to the house", "Who gets the house on which phone.";
    add_ons: add_on::AddOn = "add-on", "add-on", "What was added to platforms by hand, and under which version it was tried.";
    rooms: room::Room = "room", "room", "Rooms, by storey.";
    needs_power: needs_power::NeedsPower = "needs-power", "thing that needs its power", "What must not go dark without a word.";
    circuits: circuit::Circuit = "circuit", "circuit", "Circuits: breakers as printed and as proven.";
    points: point::Point = "point", "point", "Surveyed places.";
    photos: photo::Photo = "photo", "photo", "Photos taken at points.";
    wishes: wish::Wish = "wish", "wish", "What people want to do, and which points are to meet it.";
    loads: load::Load = "load", "load", "Loads, each switched at a point.";
    asked: asked::AskedOfBuilder = "asked", "thing asked of the builder", "What the builder was asked to bring to each place.";
    regroups: regroup::Regroup = "regroup", "load to regroup", "Loads that are to go with another place.";
    groups: group::Group = "group", "control group", "Places that work the same loads.";
    networks: network::Network = "network", "network", "Radio networks.";
    rulings: ruling::Ruling = "ruling", "ruling on advice", "What people said to a piece of advice, and why.";
    devices: device::Device = "device", "device", "Devices, each at a point.";
    old_uses: old_use::OldUse = "old-use", "use of an old device", "What old devices did beside switching, and what becomes of it.";
    shares: share::DeviceShare = "share", "device in a platform", "Devices in further platforms, or kept out of them.";
    kits: kit::Kit = "kit", "kit", "Kits and sets that are bought, with what is in them.";
    hub_entries: hub_entry::HubEntry = "hub-entry", "listed device", "What hubs list and is on no plan yet.";
    emitters: emitter::Emitter = "emitter", "source on the air", "Wi-Fi access points and foreign 802.15.4 networks with a place on the plan.";
    scans: scan::Scan = "scan", "line of a scan", "What a scan at the hub heard.";
    rules: rule::Rule = "rule", "rule", "What a hand, a sensor, a phrase and a clock do.", once "control" in "controls";
    visits: visit::Visit = "visit", "visit", "Visits that are agreed.";
}
