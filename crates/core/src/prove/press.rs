//! What presses and pings prove: Wilson's bounds, and how many more would settle it.

/// How a test is done: its word, what it says, and whether it is asked of every device, or of remotes alone.
pub const CONDITIONS: [(&str, &str, AskedOf); 6] = [
    ("box-closed", "box closed, plate on", AskedOf::Plate),
    ("doors-lived", "doors as they are lived with", AskedOf::All),
    ("farthest", "at the farthest place that it is used from", AskedOf::Remote),
    ("turned", "held the other ways round", AskedOf::Remote),
    ("body", "a body in the way", AskedOf::Remote),
    ("in-use", "kitchen, screens and other radios in use", AskedOf::Nobody),
];

/// Of what a condition is asked before it passes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum AskedOf {
    /// Of everything.
    All,
    /// Of what has a plate or a box that is closed.
    Plate,
    /// Of what is carried about.
    Remote,
    /// Of nothing: it is kept with a press where it was so.
    Nobody,
}

impl AskedOf {
    /// Whether it makes sense for a device: what has no plate is tested without one, what is fixed is not turned.
    pub fn is_of(self, is_remote: bool, has_plate: bool) -> bool {
        match self {
            Self::All | Self::Nobody => true,
            Self::Plate => has_plate,
            Self::Remote => is_remote,
        }
    }

    /// Its word in a page.
    pub fn word(self) -> &'static str {
        match self {
            Self::All | Self::Nobody => "all",
            Self::Plate => "plate",
            Self::Remote => "remote",
        }
    }
}

/// Of a normal variable, the bound that 95 % lie within.
const Z: f64 = 1.959_964;

/// The bounds of the true share after so many of so many, 95 % of the time: Wilson, without continuity
/// correction.
///
/// ```
/// # use dot_reach_core::prove::press::wilson;
/// assert_eq!(format!("{:.0} %", wilson(3, 3).0 * 100.0), "44 %");
/// assert_eq!(format!("{:.0} %", wilson(10, 10).0 * 100.0), "72 %");
/// assert_eq!(format!("{:.0} %", wilson(29, 30).0 * 100.0), "83 %");
/// ```
pub fn wilson(arrived: u32, count: u32) -> (f64, f64) {
    if count == 0 {
        return (0.0, 1.0);
    }
    let n = f64::from(count);
    let p = f64::from(arrived.min(count)) / n;
    let z2 = Z * Z;
    let middle = p + z2 / (2.0 * n);
    let half = Z * (p * (1.0 - p) / n + z2 / (4.0 * n * n)).sqrt();
    let whole = 1.0 + z2 / n;
    (((middle - half) / whole).max(0.0), ((middle + half) / whole).min(1.0))
}

/// The most further presses that are spoken of.
const MOST_MORE: u32 = 2000;

/// How many further ones, all arriving, until at least `rate` is proven; nothing where no number would do.
pub fn more_until(arrived: u32, count: u32, rate: f64) -> Option<u32> {
    if rate >= 1.0 {
        return None;
    }
    (0..=MOST_MORE).find(|more| wilson(arrived + more, count + more).0 >= rate)
}

/// What so many of so many say, in a sentence.
pub fn in_words(arrived: u32, count: u32) -> String {
    let (low, _) = wilson(arrived, count);
    format!("{arrived} of {count} shows that at least {:.0} % arrive", low * 100.0)
}
