//! Quantities: the type carries the unit, so that a level and a loss cannot be swapped.

use std::fmt;
use std::ops::{Add, AddAssign, Div, Mul, Neg, Sub, SubAssign};

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

pub use crate::speech::typographic;

/// A number that is not a quantity: `NaN` or infinite.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
#[error("must be a finite number")]
pub struct NotFinite;

macro_rules! quantity {
    ($(#[$doc:meta])* $name:ident, $unit:literal, $written:expr) => {
        $(#[$doc])*
        #[derive(Clone, Copy, Debug, Default, PartialEq, PartialOrd, Serialize, Deserialize, JsonSchema)]
        #[serde(try_from = "f64", into = "f64")]
        pub struct $name(f64);

        impl $name {
            #[doc = concat!("A value in ", $unit, ".")]
            pub const fn new(value: f64) -> Self {
                Self(value)
            }
            /// The bare number, for an edge of the program.
            pub const fn get(self) -> f64 {
                self.0
            }
            /// The larger of two.
            #[must_use]
            pub fn max(self, other: Self) -> Self {
                Self(self.0.max(other.0))
            }
            /// The smaller of two.
            #[must_use]
            pub fn min(self, other: Self) -> Self {
                Self(self.0.min(other.0))
            }
            /// Total order, for sorting.
            pub fn total_cmp(&self, other: &Self) -> std::cmp::Ordering {
                self.0.total_cmp(&other.0)
            }
        }
        impl TryFrom<f64> for $name {
            type Error = NotFinite;
            fn try_from(value: f64) -> Result<Self, NotFinite> {
                if value.is_finite() { Ok(Self(value)) } else { Err(NotFinite) }
            }
        }
        impl From<$name> for f64 {
            fn from(q: $name) -> f64 {
                q.0
            }
        }
        impl fmt::Display for $name {
            fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                let decimals = f.precision().unwrap_or(1);
                f.write_str(&$written(self.0, decimals))
            }
        }
    };
}

quantity!(
    /// A ratio of powers in decibels: a loss, a gain, a margin.
    Db, "dB", |v, decimals| format!("{} dB", typographic(v, decimals))
);
quantity!(
    /// A power level in decibels over a milliwatt.
    Dbm, "dBm", |v, decimals| format!("{} dBm", typographic(v, decimals))
);
quantity!(
    /// A length in metres.
    Metres, "m", crate::speech::length
);
quantity!(
    /// A frequency in megahertz.
    Megahertz, "MHz", |v, decimals| format!("{} MHz", typographic(v, decimals))
);

impl Db {
    /// No loss, no gain.
    pub const ZERO: Self = Self(0.0);

    /// The power ratio of this *loss*: 3 dB gives about a half.
    pub fn loss_to_ratio(self) -> f64 {
        10f64.powf(-self.0 / 10.0)
    }
    /// The *loss* of a power ratio: a half gives about 3 dB.
    pub fn loss_from_ratio(ratio: f64) -> Self {
        Self(-10.0 * ratio.log10())
    }
}

impl Megahertz {
    /// Wavelength in free space, `λ = c / f`.
    pub fn wavelength(self) -> Metres {
        Metres(299.792_458 / self.0)
    }
}

/// The total loss when power arrives by several paths at once: powers add, not decibels.
///
/// `L = −10·log10(Σ 10^(−Lᵢ/10))`; of no paths, an infinite loss.
pub fn power_sum(losses: impl IntoIterator<Item = Db>) -> Db {
    Db::loss_from_ratio(losses.into_iter().map(Db::loss_to_ratio).sum())
}

macro_rules! ops {
    ($($trait:ident $fn:ident $l:ident $r:ident $out:ident $op:tt;)*) => {$(
        impl $trait<$r> for $l {
            type Output = $out;
            fn $fn(self, other: $r) -> $out { $out(self.0 $op other.0) }
        }
    )*};
}
ops! {
    Add add Db Db Db +; Sub sub Db Db Db -;
    Add add Dbm Db Dbm +; Sub sub Dbm Db Dbm -; Sub sub Dbm Dbm Db -;
    Add add Metres Metres Metres +; Sub sub Metres Metres Metres -;
}
impl Neg for Db {
    type Output = Self;
    fn neg(self) -> Self {
        Self(-self.0)
    }
}
impl Mul<f64> for Db {
    type Output = Self;
    fn mul(self, k: f64) -> Self {
        Self(self.0 * k)
    }
}
impl Div<Db> for Db {
    type Output = f64;
    fn div(self, other: Self) -> f64 {
        self.0 / other.0
    }
}
impl Div<Metres> for Metres {
    type Output = f64;
    fn div(self, other: Self) -> f64 {
        self.0 / other.0
    }
}
impl AddAssign for Db {
    fn add_assign(&mut self, other: Self) {
        self.0 += other.0;
    }
}
impl SubAssign for Db {
    fn sub_assign(&mut self, other: Self) {
        self.0 -= other.0;
    }
}
impl std::iter::Sum for Db {
    fn sum<I: Iterator<Item = Self>>(iter: I) -> Self {
        iter.fold(Self::ZERO, Add::add)
    }
}

/// A count with its word: `1 device`, `3 devices`.
pub fn count_of(count: usize, one: &str, more: &str) -> String {
    format!("{count} {}", if count == 1 { one } else { more })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn two_equal_paths_gain_three_decibels() {
        let sum = power_sum([Db::new(60.0), Db::new(60.0)]);
        assert!((sum.get() - 56.989_7).abs() < 1e-4, "{sum}");
    }

    #[test]
    fn no_path_is_an_infinite_loss() {
        assert!(power_sum([]).get().is_infinite());
    }

    #[test]
    fn a_quantity_prints_with_its_unit_and_a_true_minus() {
        assert_eq!(format!("{}", Dbm::new(-67.04)), "−67.0 dBm");
        assert_eq!(format!("{:.0}", Db::new(-0.2)), "0 dB");
    }

    #[test]
    fn a_number_that_is_not_finite_is_no_quantity() {
        assert_eq!(Metres::try_from(f64::NAN), Err(NotFinite));
        assert!(serde_json::from_str::<Metres>("1e999").is_err());
    }
}
