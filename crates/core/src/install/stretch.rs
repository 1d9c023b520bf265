//! A stretch of the day, its moves, and what each of them needs by the gate and gives.

use std::collections::BTreeSet;

use crate::gate::work::WorkedDevice;
use crate::gate::{Deed, Gate, deeds};
use crate::record::{FoundLive, Isolated, IsolationId, OpenTimeId, Step};
use crate::site::{DeviceId, NetworkId};

/// A stretch of the day.
#[derive(Debug)]
pub struct Stretch {
    /// Its key: `hubs`, the key of a time without power, or `rest-` and a visit.
    pub key: String,
    /// What it is called.
    pub title: String,
    /// The moves, in order.
    pub moves: Vec<Move>,
    /// What is switched off for it, as planned; nothing where the power stays on.
    pub off: Option<Isolated>,
    /// What goes off beside that where a box was found live, as a proposal.
    pub further: Option<Isolated>,
    /// The devices whose boxes are opened.
    pub boxes: Vec<DeviceId>,
}

impl Stretch {
    /// What a move of it needs by the gate, and what follows from it.
    pub fn deeds(&self, gate: &Gate<'_>, of: &Move) -> Deeds {
        let site = gate.site();
        let key =
            |of: &Option<IsolationId>| of.as_ref().map_or(self.key.clone(), ToString::to_string);
        let own = match &of.act {
            WalkAct::Isolate { further: true, of } => {
                let live = self.live(gate);
                let off = self.further.as_ref().filter(|_| of.is_none());
                off.map_or_else(Deed::default, |off| {
                    deeds::isolate(&format!("{}:further", self.key), site, off, &live)
                })
            }
            WalkAct::Isolate { .. } => self.off.as_ref().map_or_else(Deed::default, |off| {
                deeds::isolate(&self.key, site, off, &self.boxes)
            }),
            WalkAct::ProveTester { of, further } if *further && of.is_none() => {
                let key = format!("{}:further", self.key);
                deeds::show_tester(&key, None, &self.live(gate))
            }
            WalkAct::ProveTester { of, .. } => {
                deeds::show_tester(&key(of), of.as_ref(), &self.boxes)
            }
            WalkAct::Energise { of, further } if *further && of.is_none() => {
                let key = format!("{}:further", self.key);
                deeds::energise(gate, &key, None, &self.live(gate))
            }
            WalkAct::Energise { of, .. } => {
                deeds::energise(gate, &key(of), of.as_ref(), &self.boxes)
            }
            WalkAct::Find { of, .. } => deeds::find(gate, &key(of), of.as_ref(), &self.boxes),
            WalkAct::FindOver { of, .. } => {
                deeds::find_over(gate, &key(of), of.as_ref(), &self.boxes)
            }
            WalkAct::Open { network, expected, .. } => deeds::open(site, network, expected),
            WalkAct::Close { network, expected, .. } => deeds::close(site, network, expected),
            WalkAct::Rebuild { network, .. } => deeds::rebuild(network),
            WalkAct::Step { device, step } => {
                let Some(spot) = WorkedDevice::of(site, device) else { return Deeds::default() };
                let step = *step;
                return Deeds {
                    own: deeds::step(gate, &spot, step, false),
                    elsewhere: (step == Step::Joined).then(|| deeds::step(gate, &spot, step, true)),
                    put_back: (step.is_in_box() && step != Step::Dead)
                        .then(|| deeds::step(gate, &spot, Step::PutBack, false)),
                    live: (step == Step::Dead).then(|| deeds::found_live(device)),
                    back: Some(deeds::take_back(gate, device, step)),
                };
            }
        };
        Deeds { own, ..Deeds::default() }
    }

    /// How many of its cards are done, and how many there are.
    pub fn cards(&self) -> (usize, usize) {
        let count = self.moves.last().map_or(0, |m| m.card);
        let open: BTreeSet<usize> = self.moves.iter().filter(|m| !m.done).map(|m| m.card).collect();
        (count - open.len(), count)
    }

    /// What was found live in its boxes under what is off, the last word of each.
    pub fn found_live<'a>(&self, gate: &Gate<'a>) -> Vec<&'a FoundLive> {
        let last =
            |d: &DeviceId| gate.record().in_force().filter_map(|i| i.live.get(d)).next_back();
        self.boxes.iter().filter_map(last).collect()
    }

    fn live(&self, gate: &Gate<'_>) -> Vec<DeviceId> {
        self.found_live(gate).into_iter().map(|live| live.device.clone()).collect()
    }
}

/// A move.
#[derive(Debug)]
pub struct Move {
    /// What is done.
    pub act: WalkAct,
    /// Whether it is done.
    pub done: bool,
    /// Whether it was done against a rule, for a reason.
    pub overruled: bool,
    /// On which card of the stretch it stands, from one.
    pub card: usize,
}

impl Move {
    pub(super) fn of(act: WalkAct, done: bool) -> Self {
        Self { act, done, overruled: false, card: 0 }
    }
}

/// What a move needs, and what follows from it.
#[derive(Debug, Default)]
pub struct Deeds {
    /// Of the move itself.
    pub own: Deed,
    /// The same, where a device is joined elsewhere than where it lives.
    pub elsewhere: Option<Deed>,
    /// Of making the box safe in place of it.
    pub put_back: Option<Deed>,
    /// Of saying that it is live, in place of proving it dead.
    pub live: Option<Deed>,
    /// Of taking it back.
    pub back: Option<Deed>,
}

/// What is done.
#[derive(Clone, Debug, PartialEq)]
pub enum WalkAct {
    /// The circuits are switched off; `of` is the isolation, once it is on record.
    Isolate {
        /// The isolation.
        of: Option<IsolationId>,
        /// Whether it goes off beside what is off, since a box was found live.
        further: bool,
    },
    /// The tester is shown to work.
    ProveTester {
        /// The isolation.
        of: Option<IsolationId>,
        /// Whether it is of one that goes off beside another.
        further: bool,
    },
    /// A step of a device.
    Step {
        /// The device.
        device: DeviceId,
        /// The step.
        step: Step,
    },
    /// Power comes on again.
    Energise {
        /// The isolation.
        of: Option<IsolationId>,
        /// Whether it is of one that went off beside another.
        further: bool,
    },
    /// Power is let in for finding lines.
    Find {
        /// The isolation under which.
        of: Option<IsolationId>,
        /// Which time under it, from nought on.
        time: usize,
    },
    /// It goes off again.
    FindOver {
        /// The isolation under which.
        of: Option<IsolationId>,
        /// Which time under it, from nought on.
        time: usize,
    },
    /// A network is opened.
    Open {
        /// The network.
        network: NetworkId,
        /// What is expected.
        expected: Vec<DeviceId>,
        /// Whether one act lets in all of them.
        at_once: bool,
    },
    /// It is closed again.
    Close {
        /// The network.
        network: NetworkId,
        /// What was expected.
        expected: Vec<DeviceId>,
        /// The time for which it stood open.
        of: Option<OpenTimeId>,
    },
    /// Its routes are rebuilt.
    Rebuild {
        /// The network.
        network: NetworkId,
        /// The time for which it stood open last.
        of: Option<OpenTimeId>,
    },
}

impl WalkAct {
    /// Whether it switches power or a network: that is said by itself, before anything is said of what follows on its card.
    pub fn is_switch(&self) -> bool {
        matches!(
            self,
            Self::Isolate { .. }
                | Self::ProveTester { .. }
                | Self::Energise { .. }
                | Self::Find { .. }
                | Self::FindOver { .. }
                | Self::Open { .. }
        )
    }
}
