//! A connection plan: from a layout and the method of the products that go in, what becomes of every conductor in every
//! box. It is shown only where [`super::net`] finds nothing wrong with it for any position of any switch.

use super::carries::{Carries, PartDemand, Parts, TooFew, hand_out};
use super::layout::{Cable, CableEnd};
use super::net::{Pin, TriedState, WireNet, WiredAt, WiredThing, WiringFault};
use crate::site::Function;

/// What stands at a place that does not switch the load itself.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Beside {
    /// A plain switch, a push-button or a two-terminal companion: it joins line and signal.
    Contact {
        /// Whether it closes only while it is pressed.
        momentary: bool,
    },
    /// A unit that follows by wire and is fed itself.
    Follower {
        /// Whether it has a neutral terminal.
        neutral: bool,
    },
    /// A unit that is fed and told by radio.
    Fed {
        /// Whether it has a neutral terminal.
        neutral: bool,
    },
    /// The old switch stays as it was.
    Stays,
    /// Nothing on the wires: a remote, a blank plate.
    Nothing,
}

/// The unit that switches the load.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct UnitAt {
    /// Where.
    pub at: CableEnd,
    /// Whether it has a neutral terminal.
    pub neutral: bool,
    /// Whether it feeds one of two travellers and senses by them, in place of an old switch.
    pub sensing: bool,
}

/// What goes in: the unit, and what stands at the other places.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Scheme {
    /// The unit; nothing where smart lamps are fed for good.
    pub unit: Option<UnitAt>,
    /// What else stands where.
    pub beside: Vec<(CableEnd, Beside)>,
}

/// Why there is no plan.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum NoPlan {
    /// The conductors that are there are not enough.
    TooFew(TooFew),
    /// What would come of it does not work.
    Faulty(WiringFault),
    /// A unit that senses by the travellers goes where line comes in.
    NotAtLine,
}

/// A plan that works.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ConnectionPlan {
    /// The cables of the layout.
    pub cables: Vec<Cable>,
    /// What each conductor carries.
    pub parts: Parts,
    /// What is joined.
    pub net: WireNet,
    /// Every state that was tried.
    pub works: Vec<TriedState>,
}

/// Terminals of a unit by their numbers in the net.
pub const LINE: usize = 0;
/// Where the load leaves.
pub const LOAD: usize = 1;
/// Its neutral.
pub const NEUTRAL: usize = 2;
/// What far places tell.
pub const SIGNAL: usize = 3;

impl Scheme {
    fn has_signal(&self) -> bool {
        let tells = |b: &Beside| matches!(b, Beside::Contact { .. } | Beside::Follower { .. });
        self.beside.iter().any(|(_, b)| tells(b))
    }

    /// What has to reach where.
    fn demands(&self, cables: &[Cable]) -> Vec<PartDemand> {
        let is_past = neutral_is_past(cables);
        let mut line = vec![CableEnd::Panel];
        let mut neutral =
            if is_past { vec![CableEnd::Panel] } else { vec![CableEnd::Panel, CableEnd::Fitting] };
        let (mut load, mut signal) = (Vec::new(), Vec::new());
        match self.unit {
            Some(unit) => {
                line.push(unit.at);
                load.extend([unit.at, CableEnd::Fitting]);
                neutral.extend(unit.neutral.then_some(unit.at));
                signal.push(unit.at);
            }
            None => line.push(CableEnd::Fitting),
        }
        for (at, beside) in &self.beside {
            match beside {
                Beside::Contact { .. } => {
                    line.push(*at);
                    signal.push(*at);
                }
                Beside::Follower { neutral: has } => {
                    line.push(*at);
                    signal.push(*at);
                    neutral.extend(has.then_some(*at));
                }
                Beside::Fed { neutral: has } => {
                    line.push(*at);
                    neutral.extend(has.then_some(*at));
                }
                Beside::Stays | Beside::Nothing => {}
            }
        }
        let onward = cables.iter().map(|c| c.to).filter(|n| matches!(n, CableEnd::Onward(_)));
        for node in onward {
            line.push(node);
            neutral.push(node);
        }
        if !self.has_signal() {
            signal.clear();
        }
        // A neutral that comes by a way of its own is not among the cables.
        let all = [
            (Carries::Line, line),
            (Carries::Neutral, if is_past && neutral.len() == 1 { Vec::new() } else { neutral }),
            (Carries::Load, load),
            (Carries::Signal, signal),
        ];
        let wanted = all.into_iter().filter(|(_, at)| at.len() > 1);
        wanted.map(|(part, at)| PartDemand { part, at }).collect()
    }
}

/// Whether the lamp has its neutral by a way that no box of the control sees.
pub fn neutral_is_past(cables: &[Cable]) -> bool {
    let to_lamp = |c: &&Cable| c.from == CableEnd::Fitting || c.to == CableEnd::Fitting;
    !cables.iter().filter(to_lamp).any(|c| c.cores.contains(&Function::Neutral))
}

/// The plan of a scheme in a layout.
///
/// # Errors
/// Why there is none.
pub fn plan(cables: &[Cable], scheme: &Scheme) -> Result<ConnectionPlan, NoPlan> {
    let is_sensing = scheme.unit.is_some_and(|u| u.sensing);
    let parts = if is_sensing {
        as_it_was(cables)
    } else {
        hand_out(cables, &scheme.demands(cables)).map_err(NoPlan::TooFew)?
    };
    let net =
        if is_sensing { sensing(cables, &parts, scheme)? } else { net(cables, &parts, scheme) };
    let works = net.tried().map_err(NoPlan::Faulty)?;
    Ok(ConnectionPlan { cables: cables.to_vec(), parts, net, works })
}

/// What each conductor carries as the house was wired.
pub fn as_it_was(cables: &[Cable]) -> Parts {
    cables.iter().map(|c| c.cores.iter().map(|was| Carries::as_it_was(*was)).collect()).collect()
}

/// The house as it was wired: a switch at each place.
pub fn old(cables: &[Cable], places: usize) -> WireNet {
    let parts = as_it_was(cables);
    if places == 1 {
        let mut net = empty(cables);
        net.things.push(WiredAt {
            thing: WiredThing::Contact { momentary: false },
            at: CableEnd::Place(0),
        });
        join_all(&mut net, cables, &parts, |node, part| match (node, part) {
            (CableEnd::Place(0), Carries::Line) => vec![Pin::Terminal { thing: 0, terminal: 0 }],
            (CableEnd::Place(0), Carries::Load) => vec![Pin::Terminal { thing: 0, terminal: 1 }],
            _ => Vec::new(),
        });
        return net;
    }
    travellers(cables, &parts, places, None)
}

fn empty(cables: &[Cable]) -> WireNet {
    let fed_on = cables.iter().enumerate().filter(|(_, c)| matches!(c.to, CableEnd::Onward(_)));
    let end = |(cable, c): (usize, &Cable)| {
        let of = |was| {
            let core = c.cores.iter().position(|f| *f == was)?;
            Some(Pin::End { cable, core, far: true })
        };
        Some((of(Function::Line)?, of(Function::Neutral)?))
    };
    WireNet {
        cores: cables.iter().map(|c| c.cores.len()).collect(),
        things: Vec::new(),
        joints: Vec::new(),
        fed_on: fed_on.filter_map(end).collect(),
    }
}

/// Every end of a conductor at a node that carries a part.
fn ends<'a>(
    cables: &'a [Cable],
    parts: &'a Parts,
    node: CableEnd,
    part: Carries,
) -> impl Iterator<Item = Pin> + 'a {
    cables.iter().enumerate().flat_map(move |(cable, c)| {
        let far = if c.from == node {
            Some(false)
        } else if c.to == node {
            Some(true)
        } else {
            None
        };
        let cores = parts[cable].iter().enumerate().filter(move |(_, p)| **p == Some(part));
        cores.filter_map(move |(core, _)| Some(Pin::End { cable, core, far: far? }))
    })
}

fn nodes(cables: &[Cable]) -> Vec<CableEnd> {
    let mut all: Vec<CableEnd> = cables.iter().flat_map(|c| [c.from, c.to]).collect();
    all.sort();
    all.dedup();
    all
}

/// At every node all that carries one part is joined, with the terminals that want it there.
fn join_all(
    net: &mut WireNet,
    cables: &[Cable],
    parts: &Parts,
    terminals: impl Fn(CableEnd, Carries) -> Vec<Pin>,
) {
    for node in nodes(cables) {
        for (part, _) in Carries::ALL {
            // Travellers are no joint: each has a terminal of its own.
            if part == Carries::Traveller {
                continue;
            }
            let mut joint: Vec<Pin> = ends(cables, parts, node, part).collect();
            joint.extend(terminals(node, part));
            match (node, part) {
                (CableEnd::Panel, Carries::Line) => joint.push(Pin::SourceLine),
                (CableEnd::Panel, Carries::Neutral) => joint.push(Pin::SourceNeutral),
                (CableEnd::Fitting, Carries::Neutral) => {
                    joint.push(Pin::LampNeutral);
                    if neutral_is_past(cables) {
                        joint.push(Pin::SourceNeutral);
                    }
                }
                (CableEnd::Fitting, Carries::Load) => joint.push(Pin::LampLoad),
                _ => {}
            }
            if !joint.is_empty() {
                net.joints.push(joint);
            }
        }
    }
}

fn net(cables: &[Cable], parts: &Parts, scheme: &Scheme) -> WireNet {
    let mut net = empty(cables);
    let mut wants: Vec<(CableEnd, Carries, Pin)> = Vec::new();
    let mut put =
        |net: &mut WireNet, thing: WiredThing, at: CableEnd, terminals: &[(Carries, usize)]| {
            let n = net.things.len();
            net.things.push(WiredAt { thing, at });
            let pins = terminals.iter().map(|(part, terminal)| {
                (at, *part, Pin::Terminal { thing: n, terminal: *terminal })
            });
            wants.extend(pins);
        };
    if let Some(unit) = scheme.unit {
        let neutral = unit.neutral.then_some(NEUTRAL);
        let signal = scheme.has_signal().then_some(SIGNAL);
        let mut terminals = vec![(Carries::Line, LINE), (Carries::Load, LOAD)];
        terminals.extend(neutral.map(|n| (Carries::Neutral, n)));
        terminals.extend(signal.map(|n| (Carries::Signal, n)));
        put(&mut net, WiredThing::Unit { neutral, signal }, unit.at, &terminals);
    }
    for (at, beside) in &scheme.beside {
        let contact = [(Carries::Line, 0), (Carries::Signal, 1)];
        let fed = |neutral: bool| -> &[(Carries, usize)] {
            if neutral {
                &[(Carries::Line, 0), (Carries::Neutral, 1)]
            } else {
                &[(Carries::Line, 0)]
            }
        };
        match beside {
            Beside::Contact { momentary } => {
                put(&mut net, WiredThing::Contact { momentary: *momentary }, *at, &contact);
            }
            Beside::Follower { neutral } => {
                put(&mut net, WiredThing::Fed { neutral: *neutral }, *at, fed(*neutral));
                put(&mut net, WiredThing::Contact { momentary: true }, *at, &contact);
            }
            Beside::Fed { neutral } => {
                put(&mut net, WiredThing::Fed { neutral: *neutral }, *at, fed(*neutral));
            }
            Beside::Stays | Beside::Nothing => {}
        }
    }
    let is_fed_for_good = scheme.unit.is_none();
    join_all(&mut net, cables, parts, |node, part| {
        let here = wants.iter().filter(|(at, of, _)| *at == node && *of == part);
        let mut pins: Vec<Pin> = here.map(|(.., pin)| *pin).collect();
        if is_fed_for_good && node == CableEnd::Fitting && part == Carries::Line {
            pins.push(Pin::LampLoad);
        }
        pins
    });
    net
}

/// A unit that feeds one of two travellers, where line comes in; the other switches stay.
fn sensing(cables: &[Cable], parts: &Parts, scheme: &Scheme) -> Result<WireNet, NoPlan> {
    let places = nodes(cables).into_iter().filter(|n| matches!(n, CableEnd::Place(_))).count();
    if scheme.unit.map(|u| u.at) != Some(CableEnd::Place(0)) || places < 2 {
        return Err(NoPlan::NotAtLine);
    }
    Ok(travellers(cables, parts, places, Some(0)))
}

/// Two travellers from place to place, with a switch at each; at one of them a unit in its place.
fn travellers(cables: &[Cable], parts: &Parts, places: usize, unit: Option<usize>) -> WireNet {
    let mut net = empty(cables);
    let last = places - 1;
    for place in 0..places {
        let thing = if unit == Some(place) {
            WiredThing::Sensing
        } else if place == 0 || place == last {
            WiredThing::TwoWay
        } else {
            WiredThing::Intermediate
        };
        net.things.push(WiredAt { thing, at: CableEnd::Place(place) });
    }
    let terminal = |thing: usize, terminal: usize| Pin::Terminal { thing, terminal };
    join_all(&mut net, cables, parts, |node, part| match (node, part) {
        (CableEnd::Place(0), Carries::Line) => vec![terminal(0, 0)],
        (CableEnd::Place(n), Carries::Load) if n == last => vec![terminal(last, 0)],
        (CableEnd::Place(n), Carries::Neutral) if unit == Some(n) => vec![terminal(n, 3)],
        _ => Vec::new(),
    });
    for place in 0..places {
        let mut all: Vec<Pin> =
            ends(cables, parts, CableEnd::Place(place), Carries::Traveller).collect();
        all.sort();
        // Towards the first place come before those towards the last: cables are listed along the way.
        let terminals: &[usize] = if place == 0 || place == last { &[1, 2] } else { &[0, 1, 2, 3] };
        for (pin, number) in all.into_iter().zip(terminals) {
            net.joints.push(vec![pin, terminal(place, *number)]);
        }
    }
    net
}

/// A module that the old switches go on telling: they stay as they were, and what they switched is its signal.
///
/// # Errors
/// Why there is no such plan.
pub fn chained(cables: &[Cable], places: usize, unit: UnitAt) -> Result<ConnectionPlan, NoPlan> {
    let parts = as_it_was(cables);
    let mut net = old(cables, places);
    let n = net.things.len();
    let neutral = unit.neutral.then_some(NEUTRAL);
    net.things
        .push(WiredAt { thing: WiredThing::Unit { neutral, signal: Some(SIGNAL) }, at: unit.at });
    let terminal = |terminal| Pin::Terminal { thing: n, terminal };
    // What leads on to the lamp is its load; what comes from the switches, its signal.
    let to_lamp = |pin: &Pin| match *pin {
        Pin::LampLoad => true,
        Pin::End { cable, .. } => {
            let c = &cables[cable];
            let other = if c.from == unit.at { c.to } else { c.from };
            other == CableEnd::Fitting
        }
        _ => false,
    };
    let here = |pin: &Pin| match *pin {
        Pin::End { cable, far, .. } => {
            (if far { cables[cable].to } else { cables[cable].from }) == unit.at
        }
        Pin::Terminal { thing, .. } => net.things[thing].at == unit.at,
        Pin::LampLoad | Pin::LampNeutral => unit.at == CableEnd::Fitting,
        Pin::SourceLine | Pin::SourceNeutral => unit.at == CableEnd::Panel,
    };
    let of = |part: Carries| -> Vec<Pin> { ends(cables, &parts, unit.at, part).collect() };
    let (line, neutrals, load) = (of(Carries::Line), of(Carries::Neutral), of(Carries::Load));
    let mut joints = Vec::new();
    let mut is_fed = false;
    for joint in &net.joints {
        let holds = |all: &[Pin]| joint.iter().any(|p| all.contains(p) && here(p));
        let mut joint = joint.clone();
        if holds(&line) {
            joint.push(terminal(LINE));
            is_fed = true;
        } else if holds(&neutrals) && unit.neutral {
            joint.push(terminal(NEUTRAL));
        } else if holds(&load) {
            let (mut on, mut from): (Vec<Pin>, Vec<Pin>) = joint.into_iter().partition(to_lamp);
            if on.is_empty() || from.is_empty() {
                return Err(NoPlan::Faulty(WiringFault::Mute));
            }
            on.push(terminal(LOAD));
            from.push(terminal(SIGNAL));
            joints.push(on);
            joint = from;
        }
        joints.push(joint);
    }
    if !is_fed {
        let needs = vec![Carries::Line];
        return Err(NoPlan::TooFew(TooFew { between: None, needs }));
    }
    net.joints = joints;
    let works = net.tried().map_err(NoPlan::Faulty)?;
    Ok(ConnectionPlan { cables: cables.to_vec(), parts, net, works })
}

/// What becomes of one conductor at one end.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Connection {
    /// Its cable.
    pub cable: usize,
    /// Which conductor of it.
    pub core: usize,
    /// Where the other end of its cable is.
    pub towards: CableEnd,
    /// What it was.
    pub was: Function,
    /// What it carries from now on; nothing where it is capped.
    pub becomes: Option<Carries>,
    /// The terminals that it comes to, by thing and number: directly, or by a lead of its joint.
    pub terminals: Vec<(usize, usize)>,
    /// The conductors that it is joined with.
    pub joins: Vec<(usize, usize)>,
}

impl ConnectionPlan {
    /// What becomes of every conductor in the box of a node.
    pub fn at(&self, node: CableEnd) -> Vec<Connection> {
        let mut all = Vec::new();
        for (cable, c) in self.cables.iter().enumerate() {
            let (far, towards) = if c.from == node {
                (false, c.to)
            } else if c.to == node {
                (true, c.from)
            } else {
                continue;
            };
            for (core, was) in c.cores.iter().enumerate() {
                let pin = Pin::End { cable, core, far };
                let joint = self.net.joints.iter().find(|j| j.contains(&pin));
                let others = || joint.into_iter().flatten().filter(|p| **p != pin);
                let terminals = others().filter_map(|p| match p {
                    Pin::Terminal { thing, terminal } => Some((*thing, *terminal)),
                    _ => None,
                });
                let joins = others().filter_map(|p| match p {
                    Pin::End { cable, core, .. } => Some((*cable, *core)),
                    _ => None,
                });
                all.push(Connection {
                    cable,
                    core,
                    towards,
                    was: *was,
                    becomes: self.parts[cable][core],
                    terminals: terminals.collect(),
                    joins: joins.collect(),
                });
            }
        }
        all
    }
}
