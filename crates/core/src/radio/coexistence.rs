//! What Wi-Fi and other 802.15.4 networks do to a receiver at 2.4 GHz.
//!
//! A source contributes the share of its power that falls into the receiver's channel, times the
//! share of time it is busy. Sub-GHz systems are untouched.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::channels::{IEEE_802_15_4, WIFI};
use crate::units::{Db, Dbm, Megahertz};

/// Bandwidth of an IEEE 802.15.4 receiver.
const RECEIVER_MHZ: f64 = 2.0;

/// Noise figure of a small receiver, *planning value*.
const NOISE_FIGURE: Db = Db::new(10.0);

/// SNR at which 1 % of frames of 20 bytes are lost: see the check values of
/// [`super::modulation`].
const SNR_NEEDED: Db = Db::new(0.4);

/// The share of time that something heard in a scan is taken to send, *planning value*.
pub const SCANNED_BUSY: f64 = 0.3;

/// What a source of interference sends.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(tag = "kind", rename_all = "lowercase")]
pub enum Carrier {
    /// Wi-Fi on channel 1 to 13, 20 or 40 MHz wide.
    Wifi {
        /// The channel.
        channel: u8,
        /// The width in MHz.
        width_mhz: u8,
    },
    /// Another network of IEEE 802.15.4 on channel 11 to 26.
    Mesh {
        /// The channel.
        channel: u8,
    },
}

impl Carrier {
    /// The centre of the carrier.
    pub fn centre(self) -> Megahertz {
        match self {
            Self::Wifi { channel, .. } => WIFI.centre(channel),
            Self::Mesh { channel } => IEEE_802_15_4.centre(channel),
        }
    }

    /// In a few words.
    pub fn name(self) -> String {
        match self {
            Self::Wifi { channel, width_mhz } => format!("Wi-Fi {channel}, {width_mhz} MHz"),
            Self::Mesh { channel } => format!("802.15.4 channel {channel}"),
        }
    }

    /// What is wrong with it, if anything.
    pub fn wrong(self) -> Option<&'static str> {
        match self {
            Self::Wifi { channel, .. } if !WIFI.has(channel) => {
                Some("Wi-Fi at 2.4 GHz has the channels 1 to 13")
            }
            Self::Wifi { width_mhz, .. } if !matches!(width_mhz, 20 | 40) => {
                Some("Wi-Fi at 2.4 GHz is 20 or 40 MHz wide")
            }
            Self::Mesh { channel } if !IEEE_802_15_4.has(channel) => {
                Some("802.15.4 at 2.4 GHz has the channels 11 to 26")
            }
            _ => None,
        }
    }

    /// How much weaker it is in the 2 MHz around `f` than as a whole.
    ///
    /// Wi-Fi by the transmit mask of IEEE 802.11-2020, § 17.3.9.3 (20 MHz: 0 dBr to 9 MHz, −20 at
    /// 11, −28 at 20, −40 from 30; twice as wide for 40 MHz); 802.15.4 by IEEE 802.15.4-2020,
    /// § 12.3.3 (−20 dBr beyond 3.5 MHz), falling on to −40.
    pub fn share(self, f: Megahertz) -> Db {
        let off = (f.get() - self.centre().get()).abs();
        match self {
            Self::Wifi { width_mhz, .. } => {
                let scale = f64::from(width_mhz) / 20.0;
                let occupied = 18.0 * scale;
                // The mask at 21 places across the receiver, as a mean power.
                let at = |k: i32| {
                    let place = off + RECEIVER_MHZ * (f64::from(k) / 20.0 - 0.5);
                    10f64.powf(wifi_mask(place.abs() / scale) / 10.0)
                };
                let mean = (0..=20).map(at).sum::<f64>() / 21.0;
                Db::loss_from_ratio(mean * RECEIVER_MHZ / occupied)
            }
            Self::Mesh { .. } => Db::new(match off {
                ..1.0 => 0.0,
                ..3.5 => 10.0,
                ..6.0 => 25.0,
                _ => 40.0,
            }),
        }
    }
}

/// The 20 MHz mask at an offset in MHz, in dBr.
fn wifi_mask(off: f64) -> f64 {
    let corners = [(9.0, 0.0), (11.0, -20.0), (20.0, -28.0), (30.0, -40.0)];
    if off <= corners[0].0 {
        return 0.0;
    }
    for pair in corners.windows(2) {
        let ((a, low), (b, high)) = (pair[0], pair[1]);
        if off <= b {
            return low + (high - low) * (off - a) / (b - a);
        }
    }
    -40.0
}

/// What a receiver needs: `max(sensitivity, N + I + SNR)`, N thermal noise in 2 MHz with the noise
/// figure, I the interference.
pub fn needed(sensitivity: Dbm, interference_mw: f64) -> Dbm {
    // −174 dBm/Hz + 10·log10(2 MHz) + NF
    let noise = Dbm::new(-174.0 + 63.01) + NOISE_FIGURE;
    let together = 10f64.powf(noise.get() / 10.0) + interference_mw;
    sensitivity.max(Dbm::new(10.0 * together.log10()) + SNR_NEEDED)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn mesh(channel: u8) -> Megahertz {
        Carrier::Mesh { channel }.centre()
    }

    #[test]
    fn wifi_one_covers_eleven_to_fourteen_and_leaves_twenty_five_alone() {
        let wifi = Carrier::Wifi { channel: 1, width_mhz: 20 };
        // 2 MHz of 18: −9.54 dB within.
        for inside in 11..=14 {
            assert!((wifi.share(mesh(inside)).get() - 9.54).abs() < 0.1, "{inside}");
        }
        assert!(wifi.share(mesh(15)).get() > 25.0);
        assert!(wifi.share(mesh(25)).get() > 45.0);
    }

    #[test]
    fn a_wider_carrier_is_thinner_inside_and_reaches_farther() {
        let narrow = Carrier::Wifi { channel: 6, width_mhz: 20 };
        let wide = Carrier::Wifi { channel: 6, width_mhz: 40 };
        assert!(wide.share(mesh(17)) > narrow.share(mesh(17)));
        assert!(wide.share(mesh(21)) < narrow.share(mesh(21)));
    }

    #[test]
    fn without_interference_the_sensitivity_decides() {
        let s = Dbm::new(-97.0);
        assert_eq!(needed(s, 0.0), s);
        // −80 dBm of it: −80 + 0.4.
        let loud = needed(s, 1e-8);
        assert!((loud.get() + 79.57).abs() < 0.05, "{loud}");
    }

    #[test]
    fn more_interference_never_needs_less() {
        let s = Dbm::new(-97.0);
        let steps: Vec<_> =
            (-140..-40).map(|dbm| needed(s, 10f64.powf(f64::from(dbm) / 10.0))).collect();
        assert!(steps.windows(2).all(|w| w[0] <= w[1]));
    }
}
