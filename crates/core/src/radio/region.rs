//! Regions set frequencies and transmit limits.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::system::System;
use crate::units::{Db, Dbm, Megahertz};

/// Where the house stands, as far as radio rules go.
#[derive(
    Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema,
)]
#[serde(rename_all = "lowercase")]
#[expect(missing_docs, reason = "places name themselves; see Region::name")]
pub enum Region {
    Eu,
    Uk,
    Us,
    Anz,
    In,
    Jp,
    Kr,
    Il,
    Hk,
}

/// What a region fixes.
#[derive(Clone, Copy, Debug)]
pub struct RegionRule {
    /// The region.
    pub region: Region,
    /// Its name.
    pub name: &'static str,
    /// Centre of the classic Z-Wave channel at 100 kbit/s, or the nearest to it.
    pub zwave: Megahertz,
    /// Centre of the Z-Wave Long Range channel, where one is allotted.
    pub zwave_lr: Option<Megahertz>,
    /// Channel of the proprietary star profile sold there.
    pub star: Megahertz,
    /// Most radiated power of Z-Wave, classic and long range, and of the star.
    pub zwave_limit: PowerLimit,
    /// Most radiated power of Z-Wave Long Range.
    pub zwave_lr_limit: PowerLimit,
    /// Most radiated power of the star.
    pub star_limit: PowerLimit,
    /// Most radiated power at 2.4 GHz of narrow systems.
    pub mhz_2400_limit: PowerLimit,
    /// Most radiated power of Wi-Fi at 2.4 GHz.
    pub wifi_limit: PowerLimit,
    /// Where the frequencies come from.
    pub source: &'static str,
}

/// The most radiated power, over isotropic, and the rule that says so.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct PowerLimit {
    /// The power; where the limit is an average, over 100 ms.
    pub eirp: Dbm,
    /// How far the peak may lie above the average at most; nothing where the limit is of the peak.
    pub peak_above: Option<Db>,
    /// The rule.
    pub source: &'static str,
}

const fn limit(eirp: f64, source: &'static str) -> PowerLimit {
    PowerLimit { eirp: Dbm::new(eirp), peak_above: None, source }
}

impl PowerLimit {
    /// The most power while sending, for who sends in this share of 100 ms: the average and
    /// `−20·log10(duty)`, as field strengths are averaged, held to the peak limit.
    ///
    /// ```
    /// # use dot_reach_core::radio::{region::Region, system::System};
    /// let limit = Region::Us.limit(System::Star);
    /// assert_eq!(format!("{:.1}", limit.peak(1.0)), "−14.4 dBm");
    /// assert_eq!(format!("{:.1}", limit.peak(0.5)), "−8.4 dBm");
    /// assert_eq!(format!("{:.1}", limit.peak(0.01)), "5.6 dBm");
    /// ```
    pub fn peak(&self, duty: f64) -> Dbm {
        let above = self
            .peak_above
            .map_or(0.0, |most| (-20.0 * duty.clamp(1e-6, 1.0).log10()).min(most.get()));
        self.eirp + Db::new(above)
    }
}

const G9959: &str = "Rec. ITU-T G.9959, annex A; star: planning value";

// ERP + 2.15 dB = EIRP.
const EU_869: PowerLimit = limit(
    16.15,
    "ERC Rec. 70-03, annex 1: 25 mW ERP at 869.7–870.0 MHz for 1 % of the time at the most; 5 mW ERP above that",
);
const EU_864: PowerLimit = limit(
    16.15,
    "ERC Rec. 70-03, annex 1: 25 mW ERP at 863–865 MHz for 0.1 % of the time at the most, or listening first",
);
const EU_433: PowerLimit = limit(12.15, "ERC Rec. 70-03, annex 1: 10 mW ERP at 433.05–434.79 MHz");
const EU_2400: PowerLimit =
    limit(20.0, "EN 300 328: 100 mW EIRP, spectral density 10 mW/MHz for wideband");
const EU_WIFI: PowerLimit = limit(20.0, "EN 300 328: 100 mW EIRP");
// 50 mV/m at 3 m: E²·r²/30 = 0.75 mW.
const US_908: PowerLimit = limit(-1.249, "47 CFR 15.249(a): 50 mV/m at 3 m, 902–928 MHz");
const US_LR: PowerLimit =
    limit(36.0, "47 CFR 15.247(b)(3) and (4): 1 W conducted, an antenna of 6 dBi at the most");
// 10,998 µV/m at 3 m and 433.92 MHz: E²·r²/30 W.
const US_434: PowerLimit = PowerLimit {
    eirp: Dbm::new(-14.4),
    peak_above: Some(Db::new(20.0)),
    source: "47 CFR 15.231(b), averaged over 100 ms by 15.35(c), peak 20 dB above by 15.35(b)",
};
const US_2400: PowerLimit =
    limit(36.0, "47 CFR 15.247(b)(3) and (4): 1 W conducted, an antenna of 6 dBi at the most");
const ANZ_916: PowerLimit = limit(30.0, "AS/NZS 4268: 1 W EIRP at 915–928 MHz");
const JP_920: PowerLimit = limit(16.0, "ARIB STD-T108: 20 mW and 3 dBi");
const JP_426: PowerLimit = limit(12.15, "ARIB STD-T67: 10 mW");
const JP_2400: PowerLimit = limit(12.14, "ARIB STD-T66: 10 mW/MHz and 2.14 dBi");
const JP_WIFI: PowerLimit = limit(22.14, "ARIB STD-T66: 10 mW/MHz over 20 MHz and 2.14 dBi");
const ASIA_SUB: PowerLimit = limit(14.0, "national short-range rules: planning value");
const ASIA_433: PowerLimit = limit(10.0, "national short-range rules: planning value");

const fn row(
    region: Region,
    name: &'static str,
    mhz: [f64; 3],
    limits: [PowerLimit; 5],
) -> RegionRule {
    let [zwave, zwave_lr, star] = mhz;
    let [zwave_limit, zwave_lr_limit, star_limit, mhz_2400_limit, wifi_limit] = limits;
    RegionRule {
        region,
        name,
        zwave: Megahertz::new(zwave),
        zwave_lr: if zwave_lr > 0.0 { Some(Megahertz::new(zwave_lr)) } else { None },
        star: Megahertz::new(star),
        zwave_limit,
        zwave_lr_limit,
        star_limit,
        mhz_2400_limit,
        wifi_limit,
        source: G9959,
    }
}

#[rustfmt::skip]
/// One row a region, in the order of the enum: the frequencies of Z-Wave, its Long Range (nought where
/// none is allotted) and the star in MHz; the limits of those three, of 2.4 GHz and of Wi-Fi.
pub const REGIONS: [RegionRule; 9] = [
    row(Region::Eu,   "European Union",             [869.85,  864.4, 433.92],
        [EU_869, EU_864, EU_433, EU_2400, EU_WIFI]),
    row(Region::Uk,   "United Kingdom",             [869.85,  864.4, 433.92],
        [EU_869, EU_864, EU_433, EU_2400, EU_WIFI]),
    row(Region::Us,   "United States and Canada",   [ 916.0,  912.0,  434.0],
        [US_908, US_LR, US_434, US_2400, US_2400]),
    row(Region::Anz,  "Australia and New Zealand",  [919.82,    0.0, 433.92],
        [ANZ_916, ANZ_916, EU_433, EU_2400, US_2400]),
    row(Region::In,   "India",                      [865.22,    0.0, 433.92],
        [ASIA_SUB, ASIA_SUB, ASIA_433, EU_2400, EU_WIFI]),
    row(Region::Jp,   "Japan",                      [ 922.5,    0.0,  426.0],
        [JP_920, JP_920, JP_426, JP_2400, JP_WIFI]),
    row(Region::Kr,   "South Korea",                [ 920.9,    0.0, 433.92],
        [ASIA_SUB, ASIA_SUB, ASIA_433, EU_2400, EU_WIFI]),
    row(Region::Il,   "Israel",                     [ 916.0,    0.0, 433.92],
        [ASIA_SUB, ASIA_SUB, ASIA_433, EU_2400, EU_WIFI]),
    row(Region::Hk,   "Hong Kong",                  [919.82,    0.0, 433.92],
        [ASIA_SUB, ASIA_SUB, ASIA_433, EU_2400, EU_WIFI]),
];

/// The middle of the 2.4 GHz band, for a system that has no channels or none chosen.
const BAND_2400: Megahertz = Megahertz::new(2440.0);

impl Region {
    /// The row of this region.
    pub fn rule(self) -> &'static RegionRule {
        &REGIONS[self as usize]
    }

    /// The frequency at which a system works here, on `channel` where it has channels: 11 to 26 at
    /// `2405 + 5·(k − 11)` MHz (IEEE 802.15.4), 1 to 13 at `2412 + 5·(c − 1)` MHz (IEEE 802.11).
    pub fn frequency(self, system: System, channel: Option<u8>) -> Megahertz {
        let row = self.rule();
        match (system, channel) {
            (System::ZWave, _) => row.zwave,
            // Without an allotment it may not be used; losses are shown as those of the classic one.
            (System::ZWaveLr, _) => row.zwave_lr.unwrap_or(row.zwave),
            (System::Star, _) => row.star,
            (system, Some(channel)) => match system.channels() {
                Some(channels) => channels.centre(channel),
                None => BAND_2400,
            },
            _ => BAND_2400,
        }
    }

    /// Whether a system may be used here at all: Z-Wave Long Range needs an allotment.
    pub fn allows(self, system: System) -> bool {
        system != System::ZWaveLr || self.rule().zwave_lr.is_some()
    }

    /// The most power that a system may radiate here.
    pub fn limit(self, system: System) -> PowerLimit {
        let row = self.rule();
        match system {
            System::ZWave => row.zwave_limit,
            System::ZWaveLr => row.zwave_lr_limit,
            System::Star => row.star_limit,
            System::Wifi => row.wifi_limit,
            _ => row.mhz_2400_limit,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn rows_are_in_the_order_of_the_enum() {
        for (i, row) in REGIONS.iter().enumerate() {
            assert_eq!(row.region as usize, i, "{}", row.name);
        }
    }

    #[test]
    fn channels_lie_where_the_standards_put_them() {
        let at = |system, channel| Region::Eu.frequency(system, Some(channel)).get();
        for (system, channel, mhz) in [
            (System::Zigbee, 11, 2405.0),
            (System::Thread, 26, 2480.0),
            (System::Wifi, 1, 2412.0),
            (System::Wifi, 13, 2472.0),
        ] {
            assert!((at(system, channel) - mhz).abs() < 1e-9, "{system:?} {channel}");
        }
    }
}
