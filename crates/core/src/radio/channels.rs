//! Which channels a system has, and where they lie: one row a numbering.

use crate::units::Megahertz;

/// Channels in a row, each so far above the last.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Channels {
    /// The lowest.
    pub first: u8,
    /// The highest.
    pub last: u8,
    /// Where channel 0 would lie.
    zero: Megahertz,
}

/// How far apart neighbours are, in both numberings.
const STEP_MHZ: f64 = 5.0;

/// 11 to 26 at `2405 + 5·(k − 11)` MHz: IEEE 802.15.4-2020, § 10.1.3.3.
pub const IEEE_802_15_4: Channels = Channels { first: 11, last: 26, zero: Megahertz::new(2350.0) };
/// 1 to 13 at `2412 + 5·(c − 1)` MHz: IEEE 802.11-2020, § 15.4.4.3.
pub const WIFI: Channels = Channels { first: 1, last: 13, zero: Megahertz::new(2407.0) };

impl Channels {
    /// The numbers.
    pub fn numbers(self) -> std::ops::RangeInclusive<u8> {
        self.first..=self.last
    }

    /// Whether there is a channel of this number.
    pub fn has(self, channel: u8) -> bool {
        self.numbers().contains(&channel)
    }

    /// The middle of a channel.
    pub fn centre(self, channel: u8) -> Megahertz {
        Megahertz::new(self.zero.get() + STEP_MHZ * f64::from(channel))
    }
}
