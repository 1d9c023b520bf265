//! Where the decibels go on one hop: the terms of its budget, named, in the order of the way.

use crate::geometry::structure::Surface;
use crate::network::Node;
use crate::network::link::received;
use crate::propagation::{Cause, Medium, Term};
use crate::site::{OpeningKind, SlabId, WallId};
use crate::units::{Db, Dbm, Metres, typographic};

/// What a step of the staircase stands for.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum StepOf {
    /// The antenna at the sending end.
    SendingAntenna,
    /// A box, plate, cupboard or hand at the sending end.
    AroundSender,
    /// Distance in the open.
    Distance,
    /// A wall, by its id.
    Wall(WallId),
    /// A door, window or other filled opening in a wall.
    Opening(WallId),
    /// A floor or roof.
    Floor(SlabId),
    /// What a real construction holds beyond its bare slab.
    Clutter,
    /// Several floors together cost less than their sum, or more.
    FloorFactor,
    /// What comes around instead of through.
    Leak,
    /// What calibration found.
    Calibration,
    /// A box, plate, cupboard or hand at the hearing end.
    AroundHearer,
    /// The antenna at the hearing end.
    HearingAntenna,
}

/// One step: a loss (or, negative, a gain) with its name.
#[derive(Clone, Debug, PartialEq)]
pub struct Stair {
    /// What it stands for.
    pub of: StepOf,
    /// Its name.
    pub name: String,
    /// The loss.
    pub loss: Db,
    /// Where it happens, from the sender.
    pub at: Metres,
}

/// A hop in one direction.
#[derive(Clone, Debug, PartialEq)]
pub struct Staircase {
    /// The sender's name.
    pub from: String,
    /// The hearer's name.
    pub to: String,
    /// Transmit power.
    pub tx: Dbm,
    /// Length of the hop.
    pub length: Metres,
    /// The steps from the sender to the hearer.
    pub steps: Vec<Stair>,
    /// The level that arrives.
    pub received: Dbm,
    /// What the hearer needs.
    pub needs: Dbm,
    /// What it needs for the wanted confidence.
    pub wants: Dbm,
}

impl Staircase {
    /// The margin over what the hearer needs.
    pub fn margin(&self) -> Db {
        self.received - self.needs
    }
}

/// The staircase of the hop from `from` to `to`.
pub fn staircase(medium: &Medium, from: &Node, to: &Node, target: Db) -> Staircase {
    let length = from.place.distance(to.place);
    let mut steps = Vec::new();
    let mut push = |of, name: &str, loss: Db, at: f64| {
        if loss != Db::ZERO {
            steps.push(Stair { of, name: name.to_owned(), loss, at: Metres::new(at) });
        }
    };
    push(StepOf::SendingAntenna, "sending antenna", -from.radio.antenna, 0.0);
    let around = |node: &Node| {
        let hand = [("hand and body", node.hand)];
        node.mounting.iter().copied().chain(hand).collect::<Vec<_>>()
    };
    for (name, loss) in around(from) {
        push(StepOf::AroundSender, name, loss, 0.0);
    }
    let terms = medium.explain(from.place, to.place);
    let path_loss: Db = terms.iter().map(|t| t.loss).sum();
    for term in &terms {
        let (of, name) = describe(medium, term, length);
        push(of, &name, term.loss, term.t * length);
    }
    for (name, loss) in around(to) {
        push(StepOf::AroundHearer, name, loss, length);
    }
    push(StepOf::HearingAntenna, "hearing antenna", -to.radio.antenna, length);
    Staircase {
        from: from.name.clone(),
        to: to.name.clone(),
        tx: from.radio.tx,
        length: Metres::new(length),
        steps,
        received: received(from, to, path_loss),
        needs: to.radio.sensitivity,
        wants: to.radio.sensitivity + target,
    }
}

/// What stands between two nodes and around them, costliest first, slab and clutter of one surface
/// together.
pub fn obstacles(medium: &Medium, from: &Node, to: &Node) -> Vec<(String, Db)> {
    let length = from.place.distance(to.place);
    let mut found: Vec<(Option<Surface>, String, Db)> = Vec::new();
    for term in medium.explain(from.place, to.place) {
        let (Cause::Slab(surface) | Cause::Clutter(surface)) = term.cause else { continue };
        match found.iter_mut().find(|(known, _, _)| *known == Some(surface)) {
            Some((_, _, loss)) => *loss += term.loss,
            None => found.push((Some(surface), describe(medium, &term, length).1, term.loss)),
        }
    }
    for node in [from, to] {
        found.extend(
            node.mounting
                .iter()
                .map(|(name, loss)| (None, format!("{name} at {}", node.name), *loss)),
        );
    }
    found.sort_by(|a, b| b.2.total_cmp(&a.2));
    found.into_iter().map(|(_, name, loss)| (name, loss)).collect()
}

/// A term as a step: what it is of, and its name.
pub fn describe(medium: &Medium, term: &Term, length: f64) -> (StepOf, String) {
    let building = &medium.structure;
    let construction = |place: Option<usize>| {
        place.and_then(|p| building.constructions.get(p)).map_or("", |c| c.name.as_str()).to_owned()
    };
    match term.cause {
        Cause::Distance => (StepOf::Distance, format!("{} m in the open", typographic(length, 1))),
        Cause::Slab(Surface::Wall(wall)) => {
            let wall = &building.walls[wall];
            (StepOf::Wall(wall.id.clone()), construction(Some(wall.construction)))
        }
        Cause::Slab(Surface::Opening(wall, hole)) => {
            let wall = &building.walls[wall];
            (StepOf::Opening(wall.id.clone()), construction(wall.openings[hole].construction))
        }
        Cause::Slab(Surface::Slab(slab)) => {
            let slab = &building.slabs[slab];
            (StepOf::Floor(slab.id.clone()), construction(Some(slab.construction)))
        }
        Cause::Clutter(_) => (StepOf::Clutter, "studs, pipes, furniture".to_owned()),
        Cause::FloorFactor => (StepOf::FloorFactor, "several floors together".to_owned()),
        Cause::Leak => (StepOf::Leak, "leaks around".to_owned()),
        Cause::Calibration => (StepOf::Calibration, "calibration".to_owned()),
    }
}

/// How an opening is spoken of.
pub fn opening_name(kind: OpeningKind) -> &'static str {
    match kind {
        OpeningKind::Door => "door",
        OpeningKind::Window => "window",
        OpeningKind::Open => "opening",
    }
}
