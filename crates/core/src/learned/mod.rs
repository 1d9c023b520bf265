//! What readings taught about a house, in force: how much more than planned things cost, and how surely a
//! link is known after that.
//!
//! [`crate::prove`] finds it; what was accepted stands in the job as a [`Correction`].

pub mod gauss;

use std::collections::BTreeMap;
use std::sync::Arc;

use crate::building::structure::Structure;
use crate::materials::construction::FrequencyBand;
use crate::propagation::Lean;
use crate::site::{Correction, DeviceId, LearnedOf, NetworkId};
use crate::units::{Db, Megahertz};
use gauss::Symmetric;

/// What was learned, ready for links.
#[derive(Clone, Debug, PartialEq)]
pub struct Learned {
    places: BTreeMap<LearnedOf, usize>,
    means: Vec<f64>,
    covariance: Symmetric,
    /// Variance of what a link has of its own, and of what a reading has.
    noise: [f64; 2],
    links: BTreeMap<(NetworkId, DeviceId, DeviceId), (Db, f64)>,
}

/// Deviations of what no reading told of, in decibels.
#[derive(Clone, Copy, Debug)]
pub struct Unread {
    /// Of a construction in a band.
    pub construction: f64,
    /// Of a radio and what is around it: it may be in metal.
    pub device: f64,
}

/// *Planning values*.
pub const UNREAD: Unread = Unread { construction: 3.0, device: 3.0 };

impl Learned {
    /// What an accepted calibration says; nothing where it only moves exponent and offset.
    pub fn of(correction: &Correction) -> Option<Self> {
        if correction.learned.is_empty() {
            return None;
        }
        let mut covariance = Symmetric::zero(correction.learned.len());
        let mut cells = correction.spread.iter();
        for i in 0..covariance.size() {
            for j in 0..=i {
                covariance.set(i, j, cells.next().copied().unwrap_or(0.0));
            }
        }
        let rows = correction.learned.iter().enumerate();
        let links = correction.links.iter().map(|l| {
            let (a, b) = (l.from.clone().min(l.to.clone()), l.from.clone().max(l.to.clone()));
            ((l.network.clone(), a, b), (l.db, l.share))
        });
        Some(Self {
            places: rows.map(|(i, r)| (r.of.clone(), i)).collect(),
            means: correction.learned.iter().map(|r| r.db.get()).collect(),
            covariance,
            noise: correction.noise_db.map(|n| n.get().powi(2)),
            links: links.collect(),
        })
    }

    fn mean(&self, of: &LearnedOf) -> Option<Db> {
        self.places.get(of).map(|i| Db::new(self.means[*i]))
    }

    /// How much more than planned each construction of a building costs at a frequency, in its order.
    pub fn constructions(&self, structure: &Structure, f: Megahertz) -> Arc<Vec<Db>> {
        let band = FrequencyBand::of(f);
        let of = |id: &str| LearnedOf::Construction { id: id.to_owned(), band };
        let more =
            structure.constructions.iter().map(|c| self.mean(&of(&c.id)).unwrap_or_default());
        Arc::new(more.collect())
    }

    /// What the receivers of a network tell too little.
    pub fn offset(&self, network: &NetworkId) -> Db {
        self.mean(&LearnedOf::Network { id: network.clone() }).unwrap_or_default()
    }

    /// What a radio loses beyond its plan; nothing where it was not read.
    pub fn device(&self, device: &DeviceId) -> Option<Db> {
        self.mean(&LearnedOf::Device { id: device.clone() })
    }

    /// What a link that was read loses beyond all that.
    pub fn link(&self, network: &NetworkId, a: &DeviceId, b: &DeviceId) -> Db {
        self.known_link(network, a, b).map_or(Db::ZERO, |(db, _)| db)
    }

    fn known_link(&self, network: &NetworkId, a: &DeviceId, b: &DeviceId) -> Option<(Db, f64)> {
        let key = (network.clone(), a.min(b).clone(), a.max(b).clone());
        self.links.get(&key).copied()
    }

    /// The deviation of a link between two radios of a network: of what is learned, of what no reading told,
    /// of what the link has of its own.
    pub fn sigma(
        &self,
        network: &NetworkId,
        [a, b]: [&DeviceId; 2],
        lean: &Lean,
        structure: &Structure,
        f: Megahertz,
    ) -> Db {
        let band = FrequencyBand::of(f);
        let mut row: Vec<(usize, f64)> = Vec::new();
        let mut unread = 0.0;
        let mut add = |of: LearnedOf, n: f64, deviation: f64| match self.places.get(&of) {
            Some(i) => row.push((*i, n)),
            None => unread += (n * deviation).powi(2),
        };
        add(LearnedOf::Exponent, lean.decades, 0.0);
        add(LearnedOf::Network { id: network.clone() }, 1.0, 0.0);
        for (c, n) in &lean.constructions {
            let id = structure.constructions[*c].id.clone();
            add(LearnedOf::Construction { id, band }, *n, UNREAD.construction);
        }
        for device in [a, b] {
            add(LearnedOf::Device { id: device.clone() }, 1.0, UNREAD.device);
        }
        let share = self.known_link(network, a, b).map_or(0.0, |(_, share)| share);
        let [link, reading] = self.noise;
        let known = (1.0 - share).powi(2) * self.covariance.between(&row, &row).max(0.0);
        Db::new((known + unread + link * (1.0 - share) + reading).sqrt())
    }
}
