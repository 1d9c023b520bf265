//! Toggle against on and off: what a lost message, a power cut and a second controller leave behind.

/// What a key sends.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum KeySends {
    /// “Toggle”: each load goes over to its other state.
    Toggle,
    /// “On” and “off” in turn, by what the controller itself remembers.
    InTurn,
    /// “On” from one key and “off” from another.
    Apart,
}

impl KeySends {
    /// Each with its words.
    pub const ALL: [(Self, &'static str); 3] = [
        (Self::Toggle, "toggle"),
        (Self::InTurn, "on and off in turn, by its own memory"),
        (Self::Apart, "on from one key, off from another"),
    ];
}

/// What happens to two lamps and their two controllers.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum HandEvent {
    /// Somebody presses one of two controllers, and wants the lamps on or off.
    Press {
        /// The first or the second.
        of: usize,
        /// Whether they are to be on.
        wants: bool,
        /// Whether the message to the second lamp is lost.
        lost: bool,
    },
    /// The power goes and comes: both lamps come back on.
    PowerCut,
}

/// How things stand after an event.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct DriftStep {
    /// Whether each lamp is on.
    pub lamps: [bool; 2],
    /// What each controller takes them for.
    pub believes: [bool; 2],
    /// Whether both lamps are as whoever pressed last wants them.
    pub is_as_wanted: bool,
}

/// How two lamps that begin dark stand after each of these, by what the keys send.
pub fn sequence(sends: KeySends, events: &[HandEvent]) -> Vec<DriftStep> {
    let (mut lamps, mut believes, mut wanted) = ([false; 2], [false; 2], false);
    let step = |event: &HandEvent| {
        match *event {
            HandEvent::PowerCut => lamps = [true; 2],
            HandEvent::Press { of, wants, lost } => {
                wanted = wants;
                let order = match sends {
                    KeySends::Toggle => None,
                    KeySends::InTurn => {
                        believes[of] = !believes[of];
                        Some(believes[of])
                    }
                    KeySends::Apart => {
                        believes[of] = wants;
                        Some(wants)
                    }
                };
                for lamp in lamps.iter_mut().take(if lost { 1 } else { 2 }) {
                    *lamp = order.unwrap_or(!*lamp);
                }
            }
        }
        DriftStep { lamps, believes, is_as_wanted: lamps == [wanted; 2] }
    };
    events.iter().map(step).collect()
}

/// The chance that a lamp of a press stands otherwise than was wanted, after so many presses.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct StandsApart {
    /// Where the key sends “toggle”: each lost message counts on.
    pub toggle: f64,
    /// Where it sends “on” or “off”: the last press alone counts.
    pub on_off: f64,
}

/// How likely lamps stand apart after so many presses, by the chance with which each hears one.
pub fn stands_apart(successes: &[f64], presses: u16) -> StandsApart {
    // A lamp that toggles is right where it lost an even number of messages.
    let even = |s: &f64| f64::midpoint(1.0, (2.0 * s - 1.0).powi(presses.into()));
    StandsApart {
        toggle: 1.0 - successes.iter().map(even).product::<f64>(),
        on_off: if presses == 0 { 0.0 } else { 1.0 - successes.iter().product::<f64>() },
    }
}
