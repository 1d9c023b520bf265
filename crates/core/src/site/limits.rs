//! How much of everything a job may hold: far above any real house, so that no input makes the
//! program hold the others up or run out of memory.

use std::collections::BTreeMap;

use super::{Kind, Refusal, Site, Thing, Touch};

/// Something that is counted.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
#[expect(missing_docs, reason = "each row says what is counted")]
pub enum Limit {
    Things(Kind),
    OpeningsInAWall,
    OpeningsOnAStorey,
    Openings,
    DevicesInANetwork,
    HolesInASlab,
    BatchEdits,
    BatchDepth,
}

impl Limit {
    /// The most of it.
    pub fn most(self) -> usize {
        match self {
            Self::Things(kind) => kind.most().count,
            // A wall of a warehouse has as many, a hall on columns a corner each; they are compared
            // pair by pair.
            Self::OpeningsInAWall | Self::HolesInASlab => 64,
            // Legs between jambs grow with the square on each storey: half a million are 8 MB a band.
            Self::OpeningsOnAStorey => 500,
            // Each radio has a leg to each jamb: ten million are 160 MB.
            Self::Openings => 2_000,
            // Half a million links; a hub serves 75 to 500.
            Self::DevicesInANetwork => 1_000,
            // The readings of the largest file, and all that goes with the largest storey.
            Self::BatchEdits => 20_000,
            Self::BatchDepth => 3,
        }
    }

    /// What is counted, as people call it.
    pub fn what(self) -> String {
        match self {
            Self::Things(kind) => format!("{} in a job", kind.called_many()),
            Self::OpeningsInAWall => "openings in a wall".to_owned(),
            Self::OpeningsOnAStorey => "openings on a storey".to_owned(),
            Self::Openings => "openings in a job".to_owned(),
            Self::DevicesInANetwork => "devices in a network".to_owned(),
            Self::HolesInASlab => "holes in a floor".to_owned(),
            Self::BatchEdits => "changes in one edit".to_owned(),
            Self::BatchDepth => "levels of edits within an edit".to_owned(),
        }
    }

    /// Holds a count to the limit.
    ///
    /// # Errors
    /// There are more.
    pub fn holds(self, count: usize) -> Result<(), Refusal> {
        if count <= self.most() { Ok(()) } else { Err(Refusal::TooMany { limit: self, count }) }
    }
}

/// Holds a changed site to every limit that it is nearer to than before: what stood already never
/// blocks an edit.
pub(super) fn hold(before: &Site, after: &Site, touched: &[Touch]) -> Result<(), Refusal> {
    for kind in Kind::TABLES {
        let count = after.count(kind);
        if count > before.count(kind) {
            Limit::Things(kind).holds(count)?;
        }
    }
    let crowded = [Kind::Wall, Kind::Device, Kind::Network];
    if !touched.iter().any(|touch| crowded.contains(&touch.thing.kind)) {
        return Ok(());
    }
    let (was, is) = (Crowds::of(before), Crowds::of(after));
    for (limit, count) in &is.counts {
        if *count > was.counts.get(limit).copied().unwrap_or_default() {
            limit.0.holds(*count)?;
        }
    }
    Ok(())
}

/// What is counted by where it stands: openings in a job and on each storey, devices in a network.
#[derive(Default)]
pub(super) struct Crowds {
    counts: BTreeMap<Crowd, usize>,
}

/// What a thing is counted for, and how often.
fn of_thing(thing: &Thing) -> Vec<(Crowd, usize)> {
    match thing {
        Thing::Wall(wall) if !wall.openings.is_empty() => vec![
            ((Limit::Openings, String::new()), wall.openings.len()),
            ((Limit::OpeningsOnAStorey, wall.floor.to_string()), wall.openings.len()),
        ],
        Thing::Device(device) => vec![((Limit::DevicesInANetwork, device.network.to_string()), 1)],
        _ => Vec::new(),
    }
}

/// A limit and the storey or network that it is held for.
type Crowd = (Limit, String);

impl Crowds {
    pub(super) fn of(site: &Site) -> Self {
        let mut crowds = Self::default();
        let mut add = |crowd, more| *crowds.counts.entry(crowd).or_default() += more;
        for wall in site.walls.iter().filter(|w| !w.openings.is_empty()) {
            add((Limit::Openings, String::new()), wall.openings.len());
            add((Limit::OpeningsOnAStorey, wall.floor.to_string()), wall.openings.len());
        }
        for device in &site.devices {
            add((Limit::DevicesInANetwork, device.network.to_string()), 1);
        }
        crowds
    }

    /// Takes a thing in, in place of an old one where there is one, if there is room for it.
    pub(super) fn take(&mut self, thing: &Thing, old: Option<&Thing>) -> Result<(), Refusal> {
        let left: BTreeMap<Crowd, usize> =
            old.map(of_thing).unwrap_or_default().into_iter().collect();
        let count = |counts: &BTreeMap<Crowd, usize>, crowd: &Crowd| {
            let is = counts.get(crowd).copied().unwrap_or_default();
            is.saturating_sub(left.get(crowd).copied().unwrap_or_default())
        };
        let crowds = of_thing(thing);
        for (crowd, more) in &crowds {
            crowd.0.holds(count(&self.counts, crowd) + more)?;
        }
        for crowd in left.keys() {
            let stays = count(&self.counts, crowd);
            self.counts.insert(crowd.clone(), stays);
        }
        for (crowd, more) in crowds {
            *self.counts.entry(crowd).or_default() += more;
        }
        Ok(())
    }
}
