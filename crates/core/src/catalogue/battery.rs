//! What a device draws from its battery, as its row says.

use serde::Deserialize;

/// What a battery device draws. *Planning values*; a data sheet overrules them.
#[derive(Clone, Copy, Debug, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Draw {
    /// The cell.
    pub cell: Cell,
    /// How many cells side by side.
    pub cells: u32,
    /// Current asleep, in microampere.
    pub sleep_ua: f64,
    /// Charge for one transmission, in microampere-hours.
    pub send_uah: f64,
    /// Events a day.
    pub events: f64,
    /// Check-ins a day: each one transmission.
    pub check_ins: f64,
}

/// A kind of cell.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "lowercase")]
#[expect(missing_docs, reason = "cells are known by their standard names")]
pub enum Cell {
    Cr2032,
    Cr2450,
    Aaa,
    Aa,
}

impl Cell {
    /// Its charge in milliampere-hours.
    pub fn mah(self) -> f64 {
        match self {
            Self::Cr2032 => 220.0,
            Self::Cr2450 => 600.0,
            Self::Aaa => 1100.0,
            Self::Aa => 2500.0,
        }
    }

    /// Its name.
    pub fn name(self) -> &'static str {
        match self {
            Self::Cr2032 => "CR2032",
            Self::Cr2450 => "CR2450",
            Self::Aaa => "AAA",
            Self::Aa => "AA",
        }
    }
}

/// What is left of a cell's charge after age and cold.
const DERATED: f64 = 0.85;

impl Draw {
    /// Life in years with so many transmissions an event:
    /// `mAh·0.85 ÷ (sleep + (events + check-ins)·charge·transmissions)`.
    ///
    /// ```
    /// # use dot_reach_core::catalogue::battery::{Cell, Draw};
    /// let draw = Draw { cell: Cell::Cr2450, cells: 1, sleep_ua: 3.0, send_uah: 0.05, events: 50.0, check_ins: 24.0 };
    /// // 510 mAh over 3 µA and 74·0.05 µAh a day: 510,000 / (72 + 3.7) days.
    /// assert_eq!(format!("{:.1}", draw.years(1.0)), "18.4");
    /// ```
    pub fn years(&self, transmissions: f64) -> f64 {
        let charge_uah = self.cell.mah() * 1000.0 * f64::from(self.cells) * DERATED;
        let sends = (self.events + self.check_ins) * transmissions.max(1.0);
        let a_day = self.sleep_ua * 24.0 + sends * self.send_uah;
        charge_uah / a_day / 365.25
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_poor_link_shortens_the_life() {
        let draw = Draw {
            cell: Cell::Cr2032,
            cells: 1,
            sleep_ua: 2.0,
            send_uah: 0.1,
            events: 100.0,
            check_ins: 24.0,
        };
        assert!(draw.years(3.0) < draw.years(1.0));
        // Fewer than one transmission an event is none at all.
        assert!((draw.years(0.2) - draw.years(1.0)).abs() < 1e-12);
    }
}
