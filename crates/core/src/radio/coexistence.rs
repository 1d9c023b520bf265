//! What Wi-Fi and other 802.15.4 networks do to a receiver at 2.4 GHz.
//!
//! A source is a share of time, not a level of noise: it sends for a while, then is silent, and a frame
//! that meets it goes by the ratio of signal to interference, another by that of signal to noise.
//! What arrives is the part of its power that falls into the receiver's channel. Below 1 GHz it is the neighbours'
//! doorbells, thermometers and alarms that send, each on a carrier of its own.
//!
//! Sources: the alternating renewal process of on and off times, Cox, *Renewal Theory*, § 7.2, off
//! times exponential; packet error by collision time, IEEE 802.15.2-2003, annex C.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::channels::{IEEE_802_15_4, WIFI};
use super::modulation::Modulation;
use crate::units::{Db, Megahertz};

/// Bandwidth of an IEEE 802.15.4 receiver.
const RECEIVER_MHZ: f64 = 2.0;

/// The share of time that something heard in a scan is taken to send, *planning value*.
pub const SCANNED_BUSY: f64 = 0.3;

/// What a source of interference sends.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(tag = "kind", rename_all = "lowercase")]
pub enum Emission {
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
    /// A narrow sender below 1 GHz: a neighbour's doorbell, thermometer, alarm.
    Narrow {
        /// Its carrier, in kHz.
        khz: u32,
    },
}

/// Where narrow senders of households are found, in MHz.
const BELOW_1_GHZ: std::ops::RangeInclusive<f64> = 300.0..=960.0;

/// How much less of a narrow sender a narrow receiver hears at that distance in MHz: channel filters of 200 kHz, a
/// neighbouring channel, and beyond; *planning values*.
fn narrow_off(off: f64) -> f64 {
    match off {
        ..0.15 => 0.0,
        ..0.4 => 20.0,
        ..1.0 => 40.0,
        ..5.0 => 60.0,
        // Another band: the antenna and the filter before the receiver.
        _ => 120.0,
    }
}

impl Emission {
    /// A narrow sender on a carrier below 1 GHz.
    pub fn narrow(carrier: Megahertz) -> Self {
        #[expect(
            clippy::cast_possible_truncation,
            clippy::cast_sign_loss,
            reason = "a carrier in kHz"
        )]
        let khz = (carrier.get() * 1000.0).round() as u32;
        Self::Narrow { khz }
    }

    /// How long it sends at a time, in milliseconds; *planning values*.
    pub fn on_ms(self) -> f64 {
        match self {
            Self::Wifi { .. } => 1.2,
            Self::Mesh { .. } => 2.0,
            Self::Narrow { .. } => 60.0,
        }
    }

    /// The centre of the carrier.
    pub fn centre(self) -> Megahertz {
        match self {
            Self::Wifi { channel, .. } => WIFI.centre(channel),
            Self::Mesh { channel } => IEEE_802_15_4.centre(channel),
            Self::Narrow { khz } => Megahertz::new(f64::from(khz) / 1000.0),
        }
    }

    /// Whether it sends below 1 GHz.
    pub fn is_below_1_ghz(self) -> bool {
        matches!(self, Self::Narrow { .. })
    }

    /// In a few words.
    pub fn name(self) -> String {
        match self {
            Self::Wifi { channel, width_mhz } => format!("Wi-Fi {channel}, {width_mhz} MHz"),
            Self::Mesh { channel } => format!("802.15.4 channel {channel}"),
            Self::Narrow { .. } => format!("{:.2} MHz", self.centre().get()),
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
            Self::Narrow { .. } if !BELOW_1_GHZ.contains(&self.centre().get()) => {
                Some("senders below 1 GHz lie between 300 and 960 MHz")
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
            Self::Narrow { .. } => Db::new(narrow_off(off)),
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

/// The share of frames that meet a source which sends `busy` of the time, `on_ms` at a time:
/// `1 − (1 − ρ)·exp(−L/T_off)`, `T_off = T_on·(1 − ρ)/ρ`. A frame is spared when the source is silent
/// as it begins and stays so for its length `L`.
///
/// ```
/// # use dot_reach_core::radio::coexistence::hit_share;
/// // 26 bytes at 32 µs beside a source of 1.2 ms, 30 % busy: 1 − 0.7·exp(−0.832/2.8).
/// assert_eq!(format!("{:.4}", hit_share(0.3, 0.832, 1.2)), "0.4799");
/// ```
pub fn hit_share(busy: f64, frame_ms: f64, on_ms: f64) -> f64 {
    if busy <= 0.0 {
        return 0.0;
    }
    if busy >= 1.0 {
        return 1.0;
    }
    let off_ms = on_ms * (1.0 - busy) / busy;
    1.0 - (1.0 - busy) * (-frame_ms / off_ms).exp()
}

/// What a source does to a receiver.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Heard {
    /// The share of frames that it meets.
    pub share: f64,
    /// Its power in the channel, as a multiple of the receiver's own noise.
    pub over_noise: f64,
}

/// The shares of frames by what meets them, for [`Delivery::under`]: the loudest source that is on
/// counts in full and the weaker ones by their mean, which spares the sum over all subsets.
///
/// [`Delivery::under`]: super::modulation::Delivery::under
pub fn hits(mut heard: Vec<Heard>) -> Vec<(f64, Db)> {
    heard.retain(|h| h.share > 0.0 && h.over_noise > 0.0);
    heard.sort_by(|a, b| b.over_noise.total_cmp(&a.over_noise));
    let mut louder_off = 1.0;
    let mut hits = Vec::with_capacity(heard.len());
    for (n, one) in heard.iter().enumerate() {
        let weaker: f64 = heard[n + 1..].iter().map(|h| h.share * h.over_noise).sum();
        let rise = 10.0 * (1.0 + one.over_noise + weaker).log10();
        hits.push((louder_off * one.share, Db::new(rise)));
        louder_off *= 1.0 - one.share;
    }
    hits
}

/// What becomes of a frame that is sent until it arrives, at most `tries` times, without fading.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Delivered {
    /// The share of tries that meet the source.
    pub hit_share: f64,
    /// The chance that one of the tries arrives.
    pub delivered: f64,
    /// How many tries are made on average.
    pub expected_tries: f64,
}

/// One source beside a link: tries that it meets succeed by `sinr`, the others by `snr`; tries after
/// back-off are independent.
pub fn deliver(
    modulation: Modulation,
    bytes: u32,
    (snr, sinr): (Db, Db),
    (busy, on_ms): (f64, f64),
    tries: i32,
) -> Delivered {
    let hit = hit_share(busy, modulation.frame_ms(bytes), on_ms);
    let lost = |ratio: Db| modulation.packet_error_rate(ratio, bytes);
    let fails = hit * lost(sinr) + (1.0 - hit) * lost(snr);
    Delivered {
        hit_share: hit,
        delivered: 1.0 - fails.powi(tries),
        expected_tries: (0..tries).map(|k| fails.powi(k)).sum(),
    }
}

#[cfg(test)]
mod tests {
    use rand_chacha::ChaCha8Rng;
    use rand_chacha::rand_core::{Rng, SeedableRng};

    use super::*;

    fn mesh(channel: u8) -> Megahertz {
        Emission::Mesh { channel }.centre()
    }

    #[test]
    fn wifi_one_covers_eleven_to_fourteen_and_leaves_twenty_five_alone() {
        let wifi = Emission::Wifi { channel: 1, width_mhz: 20 };
        // 2 MHz of 18: −9.54 dB within.
        for inside in 11..=14 {
            assert!((wifi.share(mesh(inside)).get() - 9.54).abs() < 0.1, "{inside}");
        }
        assert!(wifi.share(mesh(15)).get() > 25.0);
        assert!(wifi.share(mesh(25)).get() > 45.0);
    }

    #[test]
    fn a_wider_carrier_is_thinner_inside_and_reaches_farther() {
        let narrow = Emission::Wifi { channel: 6, width_mhz: 20 };
        let wide = Emission::Wifi { channel: 6, width_mhz: 40 };
        assert!(wide.share(mesh(17)) > narrow.share(mesh(17)));
        assert!(wide.share(mesh(21)) < narrow.share(mesh(21)));
    }

    #[test]
    fn a_drawn_hour_delivers_what_the_formula_says() {
        // Off times exponential, on times fixed, frames at random: no formula in it.
        let mut random = ChaCha8Rng::seed_from_u64(7);
        let mut uniform = move || {
            #[expect(clippy::cast_precision_loss, reason = "53 bits fit a double")]
            let u = ((random.next_u64() >> 11) as f64 + 0.5) / (1u64 << 53) as f64;
            u
        };
        for (busy, on_ms, snr, sinr, tries) in
            [(0.3, 1.2, 15.0, -5.0, 4), (0.7, 1.2, 1.0, -1.0, 2), (0.05, 3.0, 0.0, -8.0, 1)]
        {
            let frame = Modulation::Oqpsk.frame_ms(20);
            let off_ms = on_ms * (1.0 - busy) / busy;
            // An hour of the source: when it is on.
            let mut on = Vec::new();
            let mut at = 0.0;
            while at < 3_600_000.0 {
                at += -off_ms * uniform().ln();
                on.push((at, at + on_ms));
                at += on_ms;
            }
            let lost = |ratio| Modulation::Oqpsk.packet_error_rate(Db::new(ratio), 20);
            let (mut arrived, mut tried, messages) = (0.0, 0.0, 40_000);
            for _ in 0..messages {
                for _ in 0..tries {
                    tried += 1.0;
                    let begin = uniform() * 3_500_000.0;
                    let next = on.partition_point(|(_, end)| *end <= begin);
                    let is_hit = on.get(next).is_some_and(|(from, _)| *from < begin + frame);
                    if uniform() >= lost(if is_hit { sinr } else { snr }) {
                        arrived += 1.0;
                        break;
                    }
                }
            }
            let ratios = (Db::new(snr), Db::new(sinr));
            let told = deliver(Modulation::Oqpsk, 20, ratios, (busy, on_ms), tries);
            let (share, sends) = (arrived / f64::from(messages), tried / f64::from(messages));
            assert!((share - told.delivered).abs() < 0.01, "{share} {told:?}");
            assert!((sends / told.expected_tries - 1.0).abs() < 0.01, "{sends} {told:?}");
        }
    }

    #[test]
    fn more_of_the_time_is_never_fewer_hits() {
        for frame in [0.1, 0.8, 4.0] {
            let shares: Vec<_> =
                (0..=100).map(|k| hit_share(f64::from(k) / 100.0, frame, 1.2)).collect();
            assert!(shares.windows(2).all(|w| w[0] <= w[1]), "{frame}");
            assert!(shares[0].abs() < 1e-12 && (shares[100] - 1.0).abs() < 1e-12);
        }
    }

    #[test]
    fn the_shares_of_several_sources_leave_the_silence_of_all() {
        let heard = |share, over_noise| Heard { share, over_noise };
        let all = hits(vec![heard(0.5, 10.0), heard(0.2, 100.0), heard(0.0, 1e9)]);
        assert_eq!(all.len(), 2);
        let sum: f64 = all.iter().map(|(share, _)| share).sum();
        assert!((sum - (1.0 - 0.5 * 0.8)).abs() < 1e-12);
        // The loudest with half of the other: 10·log10(1 + 100 + 5).
        assert!((all[0].0 - 0.2).abs() < 1e-12 && (all[0].1.get() - 20.253).abs() < 1e-3);
    }
}
