//! The wiring as electricity meets it: pins that are joined, contacts that open and close, and what is live for every
//! position of every switch and every state of the unit. A plan is shown only where this finds nothing wrong; it knows
//! nothing of how the plan was made.

use super::layout::CableEnd;

/// A place where metal can be touched: an end of a conductor, or a terminal.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Pin {
    /// The end of a conductor at the nearer or the farther end of its cable.
    End {
        /// The cable.
        cable: usize,
        /// The conductor in it.
        core: usize,
        /// Whether it is the farther end.
        far: bool,
    },
    /// A terminal of a thing that is wired in.
    Terminal {
        /// The thing, by its number.
        thing: usize,
        /// The terminal, by its number.
        terminal: usize,
    },
    /// Line at the panel.
    SourceLine,
    /// Neutral at the panel.
    SourceNeutral,
    /// The two terminals of the lamp: where the load comes, and its neutral.
    LampLoad,
    /// See above.
    LampNeutral,
}

/// A thing with contacts.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum WiredThing {
    /// A unit that joins line and load: its terminals are line, load, and neutral and signal where it has them.
    Unit {
        /// The number of its neutral terminal.
        neutral: Option<usize>,
        /// The number of its signal terminal.
        signal: Option<usize>,
    },
    /// A unit in the place of a switch that feeds one of two travellers: line, first, second, neutral.
    Sensing,
    /// A switch of three terminals: common, first, second.
    TwoWay,
    /// A switch of four terminals that crosses two pairs.
    Intermediate,
    /// A contact between two terminals.
    Contact {
        /// Whether it is closed only while somebody presses it; else in one of two positions.
        momentary: bool,
    },
    /// Something that is fed and switches nothing here: line, neutral where it has one.
    Fed {
        /// Whether it has a neutral terminal.
        neutral: bool,
    },
}

/// A thing at a place.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct WiredAt {
    /// What it is.
    pub thing: WiredThing,
    /// Where.
    pub at: CableEnd,
}

/// A wiring: which ends of conductors there are, what is joined, which things stand in it.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct WireNet {
    /// How many conductors each cable has.
    pub cores: Vec<usize>,
    /// What stands in it.
    pub things: Vec<WiredAt>,
    /// Pins that are joined, at one place each.
    pub joints: Vec<Vec<Pin>>,
    /// What was fed on before, and has to stay so: ends at which line, and at which neutral has to stand.
    pub fed_on: Vec<(Pin, Pin)>,
}

/// One state that was tried.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct TriedState {
    /// The position of each thing that has one, by its number.
    pub positions: Vec<(usize, bool)>,
    /// What the unit does: off, or which of its outputs it feeds.
    pub unit: usize,
    /// Whether the lamp is live.
    pub lamp: bool,
}

/// What is wrong with a wiring.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, thiserror::Error)]
pub enum WiringFault {
    /// Line and neutral meet.
    #[error("line and neutral meet")]
    Short,
    /// A unit has no line or no neutral in some state.
    #[error("a unit is starved")]
    Starved,
    /// The lamp has no neutral.
    #[error("the lamp has no neutral")]
    NoNeutral,
    /// The lamp stays dark whatever the unit does.
    #[error("the lamp stays dark")]
    Dark,
    /// The lamp is live though the unit is off.
    #[error("the lamp cannot be switched off")]
    NeverOff,
    /// A place changes nothing.
    #[error("a place works nothing")]
    Mute,
    /// What was fed on from a box is no longer.
    #[error("something that was fed on is cut off")]
    CutOff,
    /// The signal of far places is joined to something else.
    #[error("the signal is joined to something else")]
    Crossed,
}

struct Union(Vec<usize>);

impl Union {
    fn root(&mut self, mut at: usize) -> usize {
        while self.0[at] != at {
            self.0[at] = self.0[self.0[at]];
            at = self.0[at];
        }
        at
    }
    fn join(&mut self, a: usize, b: usize) {
        let (a, b) = (self.root(a), self.root(b));
        self.0[a] = b;
    }
}

/// How many terminals each thing has at the most.
const TERMINALS: usize = 4;

impl WireNet {
    fn number(&self, pin: Pin) -> usize {
        let before = |cable: usize| self.cores[..cable].iter().sum::<usize>() * 2;
        match pin {
            Pin::SourceLine => 0,
            Pin::SourceNeutral => 1,
            Pin::LampLoad => 2,
            Pin::LampNeutral => 3,
            Pin::End { cable, core, far } => 4 + before(cable) + core * 2 + usize::from(far),
            Pin::Terminal { thing, terminal } => {
                4 + before(self.cores.len()) + thing * TERMINALS + terminal
            }
        }
    }

    /// All that is joined for good: conductors from end to end, and joints.
    fn joined(&self) -> Union {
        let count = 4 + self.cores.iter().sum::<usize>() * 2 + self.things.len() * TERMINALS;
        let mut union = Union((0..count).collect());
        for (cable, cores) in self.cores.iter().enumerate() {
            for core in 0..*cores {
                let end = |far| self.number(Pin::End { cable, core, far });
                union.join(end(false), end(true));
            }
        }
        for joint in &self.joints {
            for pair in joint.windows(2) {
                union.join(self.number(pair[0]), self.number(pair[1]));
            }
        }
        union
    }

    /// What is joined in a state.
    fn in_state(&self, unit: usize, position: impl Fn(usize) -> bool) -> Union {
        let mut union = self.joined();
        for (n, at) in self.things.iter().enumerate() {
            let pin = |terminal| self.number(Pin::Terminal { thing: n, terminal });
            let mut close = |a: usize, b: usize| union.join(pin(a), pin(b));
            match &at.thing {
                WiredThing::Unit { .. } if unit == 1 => close(0, 1),
                WiredThing::Sensing if unit > 0 => close(0, unit),
                WiredThing::TwoWay => close(0, if position(n) { 1 } else { 2 }),
                WiredThing::Intermediate if position(n) => {
                    close(0, 2);
                    close(1, 3);
                }
                WiredThing::Intermediate => {
                    close(0, 3);
                    close(1, 2);
                }
                WiredThing::Contact { .. } if position(n) => close(0, 1),
                WiredThing::Unit { .. }
                | WiredThing::Sensing
                | WiredThing::Contact { .. }
                | WiredThing::Fed { .. } => {}
            }
        }
        union
    }

    /// Every state tried, or the first thing that is wrong.
    ///
    /// # Errors
    /// What is wrong.
    pub fn tried(&self) -> Result<Vec<TriedState>, WiringFault> {
        let movable: Vec<usize> = (0..self.things.len())
            .filter(|n| {
                let thing = &self.things[*n].thing;
                matches!(
                    thing,
                    WiredThing::TwoWay | WiredThing::Intermediate | WiredThing::Contact { .. }
                )
            })
            .collect();
        let is_sensing = self.things.iter().any(|t| t.thing == WiredThing::Sensing);
        let has_unit = self.things.iter().any(|t| matches!(t.thing, WiredThing::Unit { .. }));
        let outputs = if is_sensing {
            3
        } else if has_unit {
            2
        } else {
            1
        };
        let mut all = Vec::new();
        let mut signals: Vec<bool> = Vec::new();
        for state in 0..1_usize << movable.len() {
            let of = |n: usize| {
                movable.iter().position(|m| *m == n).is_some_and(|at| state >> at & 1 == 1)
            };
            let mut lit = Vec::new();
            for unit in 0..outputs {
                let mut union = self.in_state(unit, of);
                self.check(&mut union)?;
                let lamp = self.live(&mut union, Pin::LampLoad);
                lit.push(lamp);
                let positions = movable.iter().map(|n| (*n, of(*n))).collect();
                all.push(TriedState { positions, unit, lamp });
            }
            match lit.as_slice() {
                // Without a unit the lamp is on for good.
                [always] if !always && movable.is_empty() => return Err(WiringFault::Dark),
                [true, ..] if outputs > 1 => return Err(WiringFault::NeverOff),
                [_, on] if !on => return Err(WiringFault::Dark),
                [_, one, two] if !(one ^ two) => {
                    return Err(if *one { WiringFault::NeverOff } else { WiringFault::Dark });
                }
                _ => {}
            }
            let mut off = self.in_state(0, of);
            // Where there is no unit the switches work the lamp themselves.
            let told = if outputs == 1 { lit[0] } else { self.signal_is_live(&mut off) };
            signals.push(told);
        }
        self.places_work(&movable, &all, &signals, is_sensing)?;
        Ok(all)
    }

    fn live(&self, union: &mut Union, pin: Pin) -> bool {
        union.root(self.number(pin)) == union.root(self.number(Pin::SourceLine))
    }

    fn on_neutral(&self, union: &mut Union, pin: Pin) -> bool {
        union.root(self.number(pin)) == union.root(self.number(Pin::SourceNeutral))
    }

    fn signal(&self) -> Option<Pin> {
        self.things.iter().enumerate().find_map(|(thing, at)| match at.thing {
            WiredThing::Unit { signal: Some(terminal), .. } => {
                Some(Pin::Terminal { thing, terminal })
            }
            _ => None,
        })
    }

    fn signal_is_live(&self, union: &mut Union) -> bool {
        self.signal().is_some_and(|pin| self.live(union, pin))
    }

    fn check(&self, union: &mut Union) -> Result<(), WiringFault> {
        if self.on_neutral(union, Pin::SourceLine) {
            return Err(WiringFault::Short);
        }
        if !self.on_neutral(union, Pin::LampNeutral) {
            return Err(WiringFault::NoNeutral);
        }
        for (line, neutral) in &self.fed_on {
            if !self.live(union, *line) || !self.on_neutral(union, *neutral) {
                return Err(WiringFault::CutOff);
            }
        }
        for (thing, at) in self.things.iter().enumerate() {
            let pin = |terminal| Pin::Terminal { thing, terminal };
            let neutral = match at.thing {
                WiredThing::Unit { neutral, .. } => neutral,
                WiredThing::Sensing => Some(3),
                WiredThing::Fed { neutral } => neutral.then_some(1),
                WiredThing::TwoWay | WiredThing::Intermediate | WiredThing::Contact { .. } => {
                    continue;
                }
            };
            let has_neutral = neutral.is_none_or(|n| self.on_neutral(union, pin(n)));
            if !self.live(union, pin(0)) || !has_neutral {
                return Err(WiringFault::Starved);
            }
        }
        // What far places tell must not be told by the load, nor lie on neutral.
        if let Some(signal) = self.signal() {
            let load = union.root(self.number(Pin::LampLoad));
            let told = union.root(self.number(signal));
            if self.on_neutral(union, signal) || load == told && !self.live(union, signal) {
                return Err(WiringFault::Crossed);
            }
        }
        Ok(())
    }

    /// Whether every place that has a contact changes something: the signal of the unit, or which traveller is fed.
    fn places_work(
        &self,
        movable: &[usize],
        all: &[TriedState],
        signals: &[bool],
        is_sensing: bool,
    ) -> Result<(), WiringFault> {
        let is_momentary =
            |n: &usize| matches!(self.things[*n].thing, WiredThing::Contact { momentary: true });
        let pressed = movable.iter().enumerate().filter(|(_, n)| is_momentary(n));
        let pressed: usize = pressed.map(|(at, _)| 1 << at).sum();
        for (at, n) in movable.iter().enumerate() {
            for state in 0..signals.len() {
                let other = state ^ (1 << at);
                // Nobody presses two buttons at once.
                let beside = if is_momentary(n) { pressed & !(1 << at) } else { pressed };
                if state & beside != 0 {
                    continue;
                }
                let changes = if is_sensing {
                    // With one output fed, the lamp goes from live to dead or back.
                    all[state * 3 + 1].lamp != all[other * 3 + 1].lamp
                } else {
                    signals[state] != signals[other]
                };
                if !changes {
                    return Err(WiringFault::Mute);
                }
            }
        }
        Ok(())
    }
}
