//! Where the decibels go on one hop: the terms of its budget, named, in the order of the way.

use crate::building::structure::Surface;
use crate::geometry::Place;
use crate::network::Node;
use crate::network::link::received;
use crate::propagation::bounce::Mirror;
use crate::propagation::doorway::Station;
use crate::propagation::{LossCause, Medium, SignalWay, Term, WayKind};
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
    /// A bounce off a wall, floor or the ground.
    Bounce,
    /// A bend around a jamb of an opening, by its wall.
    Bend(WallId),
    /// Several floors together cost less than their sum, or more.
    FloorFactor,
    /// What comes around instead of through.
    Leak,
    /// What ways beside the strongest one add.
    OtherWays,
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
    /// Layers whose material is not stated at this frequency: the loss is an extrapolation.
    pub extrapolated: Vec<&'static str>,
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
    /// Length of the way that carries most.
    pub length: Metres,
    /// How that way runs, in words.
    pub way: String,
    /// Its corners, ends included.
    pub corners: Vec<Place>,
    /// The other ways in words, the strongest first, and how much weaker each is.
    pub others: Vec<(String, Db)>,
    /// The steps from the sender to the hearer.
    pub steps: Vec<Stair>,
    /// The level that arrives.
    pub received: Dbm,
    /// What the hearer needs where nothing else is on the air.
    pub quiet: Dbm,
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

    /// The same with what readings of this very link found beyond all that is drawn.
    #[must_use]
    pub fn with_read(mut self, own: Db) -> Self {
        if own == Db::ZERO {
            return self;
        }
        let at_hearer = |s: &Stair| matches!(s.of, StepOf::AroundHearer | StepOf::HearingAntenna);
        let place = self.steps.iter().position(at_hearer).unwrap_or(self.steps.len());
        let (name, at) = ("readings of this link".to_owned(), self.length);
        let read = Stair { of: StepOf::Calibration, name, loss: own, at, extrapolated: Vec::new() };
        self.steps.insert(place, read);
        self.received = self.received - own;
        self
    }
}

/// The staircase of the hop from `from` to `to`.
pub fn staircase(medium: &Medium, from: &Node, to: &Node, target: Db) -> Staircase {
    let (a, b) = (medium.station(from.place), medium.station(to.place));
    staircase_between(medium, (from, &a), (to, &b), target)
}

/// [`staircase`] for nodes whose stations are at hand: for many hops of the same radios.
pub fn staircase_between(
    medium: &Medium,
    (from, a): (&Node, &Station),
    (to, b): (&Node, &Station),
    target: Db,
) -> Staircase {
    let (main, others) = medium.explain_between(a, b);
    let length = main.length;
    let own: Db = main.terms.iter().map(|t| t.loss).sum::<Db>();
    let carried = main
        .terms
        .iter()
        .filter(|t| !matches!(t.cause, LossCause::OtherWays | LossCause::Calibration))
        .map(|t| t.loss)
        .sum::<Db>();
    let mut steps = Vec::new();
    let mut add = |of, name: &str, loss: Db, at: f64, extrapolated| {
        if loss != Db::ZERO {
            steps.push(Stair {
                of,
                name: name.to_owned(),
                loss,
                at: Metres::new(at),
                extrapolated,
            });
        }
    };
    let mut push = |of, name: &str, loss: Db, at: f64| add(of, name, loss, at, Vec::new());
    push(StepOf::SendingAntenna, "sending antenna", -from.radio.antenna, 0.0);
    let around = |node: &Node| {
        let hand = [("hand and body", node.hand)];
        node.mounting.iter().copied().chain(hand).collect::<Vec<_>>()
    };
    for (name, loss) in around(from) {
        push(StepOf::AroundSender, name, loss, 0.0);
    }
    for term in &main.terms {
        let (of, name) = describe(medium, term, length);
        add(of, &name, term.loss, term.t * length, medium.extrapolated(term.cause).to_vec());
    }
    let mut push = |of, name: &str, loss: Db, at: f64| add(of, name, loss, at, Vec::new());
    for (name, loss) in around(to) {
        push(StepOf::AroundHearer, name, loss, length);
    }
    push(StepOf::HearingAntenna, "hearing antenna", -to.radio.antenna, length);
    Staircase {
        from: from.name.clone(),
        to: to.name.clone(),
        tx: from.radio.tx,
        length: Metres::new(length),
        way: way_words(medium, &main.kind),
        corners: main.corners,
        others: in_words(medium, &others, carried),
        steps,
        received: received(from, to, own),
        quiet: to.quiet,
        needs: to.needs,
        wants: to.needs + target,
    }
}

/// A term as a step: what it is of, and its name.
pub fn describe(medium: &Medium, term: &Term, length: f64) -> (StepOf, String) {
    let building = &medium.structure;
    match term.cause {
        LossCause::Distance => {
            (StepOf::Distance, format!("{} m in the open", typographic(length, 1)))
        }
        LossCause::Slab(surface) => {
            let of = match surface {
                Surface::Wall(wall) => StepOf::Wall(building.walls[wall].id.clone()),
                Surface::Opening(wall, _) => StepOf::Opening(building.walls[wall].id.clone()),
                Surface::Slab(slab) => StepOf::Floor(building.slabs[slab].id.clone()),
            };
            (of, building.made_of(surface).to_owned())
        }
        LossCause::Clutter(surface) => {
            let of = medium.construction_of(surface);
            let learned = of.is_some_and(|c| medium.learned_of(c) != Db::ZERO);
            let name =
                if learned { "beyond the slab, by readings" } else { "studs, pipes, furniture" };
            (StepOf::Clutter, name.to_owned())
        }
        LossCause::FloorFactor => (StepOf::FloorFactor, "several floors together".to_owned()),
        LossCause::Bounce(mirror) => {
            (StepOf::Bounce, format!("bounces off {}", mirror_name(medium, mirror)))
        }
        LossCause::Bend(wall, hole) => {
            let of = opening_words(medium, (wall, hole));
            (StepOf::Bend(building.walls[wall].id.clone()), format!("bends at {of}"))
        }
        LossCause::OtherWays => (StepOf::OtherWays, "other ways add".to_owned()),
        LossCause::Leak => (StepOf::Leak, "leaks around".to_owned()),
        LossCause::Calibration => (StepOf::Calibration, "calibration".to_owned()),
    }
}

/// What a path bounces off, in words.
fn mirror_name(medium: &Medium, mirror: Mirror) -> String {
    match mirror {
        Mirror::Ground => "the ground".to_owned(),
        Mirror::Surface(surface) => medium.structure.made_of(surface).to_owned(),
    }
}

/// What fills an opening, in words.
fn opening_words(medium: &Medium, (wall, hole): (usize, usize)) -> &str {
    match medium.structure.made_of(Surface::Opening(wall, hole)) {
        "" => "an open doorway",
        fill => fill,
    }
}

/// The other ways in words, each once, with how much weaker it is: of ways that read alike the
/// strongest.
fn in_words(medium: &Medium, others: &[SignalWay], carried: Db) -> Vec<(String, Db)> {
    let mut told: Vec<(String, Db)> = Vec::new();
    for way in others {
        let words = way_words(medium, &way.kind);
        if !told.iter().any(|(known, _)| *known == words) {
            told.push((words, way.loss - carried));
        }
    }
    told.truncate(4);
    told
}

/// How a way runs, in words.
pub fn way_words(medium: &Medium, kind: &WayKind) -> String {
    let opening = |at| opening_words(medium, at);
    match kind {
        WayKind::Straight => "straight".to_owned(),
        WayKind::Bounce(mirror) => format!("one bounce off {}", mirror_name(medium, *mirror)),
        WayKind::Bends(one, None) => format!("around {}", opening(*one)),
        WayKind::Bends(one, Some(other)) => {
            format!("around {} and {}", opening(*one), opening(*other))
        }
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
