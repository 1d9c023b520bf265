//! What a device draws from its battery, as its row says.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// What a battery device draws. *Planning values*; a data sheet overrules them.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Draw {
    /// The cell.
    pub cell: BatteryCell,
    /// How many cells.
    pub cells: u32,
    /// How many of them stand in series: together they hold the charge of one.
    #[serde(default = "one")]
    pub in_series: u32,
    /// Current asleep, in microampere.
    pub sleep_ua: f64,
    /// Charge for one transmission, in microampere-hours.
    pub send_uah: f64,
    /// Charge of what it does at an event beside sending, such as a motor's or a lamp's, in
    /// microampere-hours.
    #[serde(default)]
    pub work_uah: f64,
    /// Events a day, unless the device says otherwise.
    pub events: f64,
    /// Check-ins a day: each one transmission.
    pub check_ins: f64,
}

fn one() -> u32 {
    1
}

/// A kind of cell.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
#[expect(missing_docs, reason = "cells are known by their standard names")]
pub enum BatteryCell {
    Cr2032,
    Cr2450,
    Aaa,
    Aa,
}

impl BatteryCell {
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

/// How far a life may be off either way, as a share of it: currents and charges are planned within
/// about a quarter, cells and days within a fifth; *planning value*.
const OFF_BY: f64 = 0.3;

/// How long a battery lasts.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Life {
    /// Years.
    pub years: f64,
    /// How far off that may be, in years.
    pub off_by: f64,
}

impl Draw {
    /// Life with so many events a day and so many transmissions an event:
    /// `mAh·0.85 ÷ (sleep + events·work + (events + check-ins)·charge·transmissions)`.
    ///
    /// ```
    /// # use dot_reach_core::catalogue::battery::{BatteryCell, Draw};
    /// let draw = Draw { cell: BatteryCell::Cr2450, cells: 1, in_series: 1, sleep_ua: 3.0, send_uah: 0.05,
    ///     work_uah: 0.0, events: 50.0, check_ins: 24.0 };
    /// // 510 mAh over 3 µA and 74·0.05 µAh a day: 510,000 / (72 + 3.7) days.
    /// assert_eq!(format!("{:.1}", draw.life(50.0, 1.0).years), "18.4");
    /// ```
    pub fn life(&self, events: f64, transmissions: f64) -> Life {
        self.life_telling(events, 1.0, transmissions)
    }

    /// Life where an event takes so many messages: one to each load that it tells by itself.
    pub fn life_telling(&self, events: f64, messages: f64, transmissions: f64) -> Life {
        let beside = f64::from(self.cells) / f64::from(self.in_series.max(1));
        let charge_uah = self.cell.mah() * 1000.0 * beside * DERATED;
        let sends = (events * messages.max(1.0) + self.check_ins) * transmissions.max(1.0);
        let a_day = self.sleep_ua * 24.0 + events * self.work_uah + sends * self.send_uah;
        let years = charge_uah / a_day / 365.25;
        Life { years, off_by: years * OFF_BY }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const REMOTE: Draw = Draw {
        cell: BatteryCell::Cr2032,
        cells: 1,
        in_series: 1,
        sleep_ua: 2.0,
        send_uah: 0.1,
        work_uah: 0.0,
        events: 100.0,
        check_ins: 24.0,
    };

    #[test]
    fn a_poor_link_and_more_events_shorten_the_life() {
        let years = |events, sends| REMOTE.life(events, sends).years;
        assert!(years(100.0, 3.0) < years(100.0, 1.0));
        assert!(years(200.0, 1.0) < years(100.0, 1.0));
        // Fewer than one transmission an event is none at all.
        assert!((years(100.0, 0.2) - years(100.0, 1.0)).abs() < 1e-12);
    }

    #[test]
    fn cells_in_series_hold_the_charge_of_one_and_a_motor_costs_what_it_turns() {
        let years = |draw: Draw| draw.life(draw.events, 1.0).years;
        let series = Draw { cells: 4, in_series: 4, ..REMOTE };
        assert!((years(series) - years(REMOTE)).abs() < 1e-12);
        let beside = Draw { cells: 4, in_series: 2, ..REMOTE };
        assert!((years(beside) - 2.0 * years(REMOTE)).abs() < 1e-12);
        // 220 mAh·0.85 over 48 µAh asleep, 124·0.1 sent and 100·50 turned.
        let motor = Draw { work_uah: 50.0, ..REMOTE };
        assert!((years(motor) - 187_000.0 / (48.0 + 12.4 + 5000.0) / 365.25).abs() < 1e-12);
    }
}
