//! Loss of a layered slab between air, at any angle. Source: Rec. ITU-R P.2040-3, § 2.2.2.2.
//!
//! The characteristic-matrix form is used: each layer is a 2×2 matrix and the stack is their
//! product, which gives the same coefficients as the recursive form of the Recommendation.

use num_complex::Complex64;

use super::{Material, UnknownMaterial};
use crate::units::{Db, Megahertz, Metres};

/// Constructions are held at this angle of incidence beyond it: near grazing a slab of infinite
/// extent says little about a wall (*planning value*).
pub const STEEPEST_DEG: f64 = 70.0;

/// The most layers one construction may have.
pub const MOST_LAYERS: usize = 64;

/// One layer: a material of some thickness.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Layer {
    material: &'static Material,
    thickness: Metres,
}

/// Why a stack of layers was refused.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
#[non_exhaustive]
pub enum LayerError {
    /// The material has no row.
    #[error(transparent)]
    Material(#[from] UnknownMaterial),
    /// Not between 0.01 mm and 5 m.
    #[error(
        "a layer of {material} is {millimetres} mm thick; give a thickness from 0.01 to 5000 mm"
    )]
    Thickness {
        /// What the layer is made of.
        material: String,
        /// What was asked for.
        millimetres: f64,
    },
    /// More layers than [`MOST_LAYERS`], or none.
    #[error("a construction has 1 to {MOST_LAYERS} layers, this one has {0}")]
    Count(usize),
    /// The text is not `material:millimetres,…`.
    #[error("“{0}” is not material:millimetres, such as plasterboard:12.5")]
    Text(String),
}

impl Layer {
    /// A layer of the named material.
    ///
    /// # Errors
    /// An unknown material, or a thickness outside 0.01 mm to 5 m.
    pub fn new(material: &str, millimetres: f64) -> Result<Self, LayerError> {
        let row = Material::named(material)?;
        if !(0.01..=5000.0).contains(&millimetres) {
            return Err(LayerError::Thickness { material: material.to_owned(), millimetres });
        }
        Ok(Self { material: row, thickness: Metres::new(millimetres / 1000.0) })
    }

    /// What the layer is made of.
    pub fn material(&self) -> &'static Material {
        self.material
    }

    /// How thick it is.
    pub fn thickness(&self) -> Metres {
        self.thickness
    }
}

/// Layers written as `plasterboard:12.5,air:75,plasterboard:12.5` (millimetres).
///
/// # Errors
/// The first part that cannot be read, or a stack that is empty or too long.
pub fn parse_layers(text: &str) -> Result<Vec<Layer>, LayerError> {
    let layers = text
        .split(',')
        .map(str::trim)
        .filter(|part| !part.is_empty())
        .map(|part| {
            let wrong = || LayerError::Text(part.to_owned());
            let (material, millimetres) = part.split_once(':').ok_or_else(wrong)?;
            let millimetres = millimetres.trim().parse::<f64>().map_err(|_| wrong())?;
            Layer::new(material.trim(), millimetres)
        })
        .collect::<Result<Vec<_>, _>>()?;
    if layers.is_empty() || layers.len() > MOST_LAYERS {
        return Err(LayerError::Count(layers.len()));
    }
    Ok(layers)
}

/// The share of the power that passes and that is thrown back, in the mean of TE and TM.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct SlabShares {
    /// Transmitted power, electric field perpendicular to the plane of incidence.
    pub te: f64,
    /// Transmitted power, electric field in the plane of incidence.
    pub tm: f64,
    /// Reflected power, TE.
    pub te_back: f64,
    /// Reflected power, TM.
    pub tm_back: f64,
}

impl SlabShares {
    /// Mean of the TE and TM powers that pass.
    pub fn mean(&self) -> f64 {
        0.5 * (self.te + self.tm)
    }
    /// Mean of the TE and TM powers that are reflected.
    pub fn mean_back(&self) -> f64 {
        0.5 * (self.te_back + self.tm_back)
    }
}

/// The bare slab at one frequency; `cos_incidence` is 1 for a ray straight through.
///
/// ```
/// # use dot_reach_core::{materials::slab::{bare, parse_layers}, units::{Db, Megahertz}};
/// let wall = parse_layers("concrete:200").unwrap();
/// let loss = Db::loss_from_ratio(bare(&wall, Megahertz::new(2440.0), 1.0).mean());
/// assert_eq!(format!("{loss:.2}"), "14.76 dB");
/// ```
pub fn bare(layers: &[Layer], f: Megahertz, cos_incidence: f64) -> SlabShares {
    let cos0 = cos_incidence.clamp(0.0, 1.0).max(1e-6);
    let sin_squared = 1.0 - cos0 * cos0;
    let k0 = std::f64::consts::TAU / f.wavelength().get();
    let (te, te_back) = stack(layers, f, k0, sin_squared, cos0, false);
    let (tm, tm_back) = stack(layers, f, k0, sin_squared, cos0, true);
    SlabShares { te, tm, te_back, tm_back }
}

/// Power transmitted and reflected for one polarisation.
fn stack(
    layers: &[Layer],
    f: Megahertz,
    k0: f64,
    sin_squared: f64,
    cos0: f64,
    tm: bool,
) -> (f64, f64) {
    let one = Complex64::new(1.0, 0.0);
    let j = Complex64::new(0.0, 1.0);
    let (mut m11, mut m12, mut m21, mut m22) = (one, Complex64::ZERO, Complex64::ZERO, one);
    // A thick lossy layer would overflow cosh; its attenuation is carried apart, in nepers.
    let mut nepers = 0.0;
    for layer in layers {
        let eta = layer.material.permittivity(f);
        let root = (eta - sin_squared).sqrt();
        // Normalised admittance: TE √(η−sin²θ), TM η/√(η−sin²θ).
        let admittance = if tm { eta / root } else { root };
        let phase = root * (k0 * layer.thickness.get());
        let decay = phase.im.abs();
        nepers += decay;
        // cos φ and sin φ, both scaled by e^−|Im φ|.
        let plus = (j * phase.re).exp() * (-phase.im - decay).exp();
        let minus = (-j * phase.re).exp() * (phase.im - decay).exp();
        let cos = (plus + minus) * 0.5;
        let sin = (plus - minus) / (2.0 * j);
        let (a, b, c) = (cos, j * sin / admittance, j * sin * admittance);
        (m11, m12) = (m11 * a + m12 * c, m11 * b + m12 * a);
        (m21, m22) = (m21 * a + m22 * c, m21 * b + m22 * a);
    }
    let air = if tm { 1.0 / cos0 } else { cos0 };
    let direct = (m11 + m12 * air) * air;
    let back = m21 + m22 * air;
    let through = 2.0 * air / (direct + back);
    let reflected = (direct - back) / (direct + back);
    (through.norm_sqr() * (-2.0 * nepers).exp(), reflected.norm_sqr())
}

/// Frequencies, as parts of the centre, over which a planning value is averaged: a standing-wave
/// null at one frequency must decide nothing. ±10 % (*planning value*).
const AVERAGED_OVER: [f64; 11] = [0.9, 0.92, 0.94, 0.96, 0.98, 1.0, 1.02, 1.04, 1.06, 1.08, 1.1];

/// Mean power passed and reflected over ±10 % of frequency, TE and TM alike.
pub fn averaged(layers: &[Layer], f: Megahertz, cos_incidence: f64) -> (f64, f64) {
    let count = f64::from(u32::try_from(AVERAGED_OVER.len()).unwrap_or(1));
    let (mut through, mut back) = (0.0, 0.0);
    for part in AVERAGED_OVER {
        let slab = bare(layers, Megahertz::new(f.get() * part), cos_incidence);
        through += slab.mean() / count;
        back += slab.mean_back() / count;
    }
    (through, back)
}

/// Loss of a power share, capped: no construction is given more than 90 dB, below any receiver.
pub(crate) fn loss_of(share: f64) -> Db {
    Db::loss_from_ratio(share.max(1e-9))
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Rows worked out with the recursive form of Rec. ITU-R P.2040-3 in double precision; dB.
    #[test]
    fn bare_slabs_are_as_the_recommendation_gives() {
        #[rustfmt::skip]
        let rows = [
            ("concrete:200",                              2440.0,  0.0, 14.76),
            ("concrete:200",                              2440.0, 60.0, 15.94),
            ("concrete:200",                              868.42,  0.0,  7.49),
            ("brick:102",                                 2440.0,  0.0,  3.48),
            ("plasterboard:12.5",                         2440.0,  0.0,  1.09),
            ("plasterboard:12.5,air:75,plasterboard:12.5", 2440.0, 0.0,  0.95),
            ("glass:4,air:16,glass:4",                    2440.0,  0.0,  0.16),
        ];
        for (text, mhz, degrees, want) in rows {
            let layers = parse_layers(text).unwrap();
            let cos = f64::to_radians(degrees).cos();
            let got = loss_of(bare(&layers, Megahertz::new(mhz), cos).mean()).get();
            assert!((got - want).abs() < 0.01, "{text} at {mhz} MHz {degrees}°: {got:.3}");
        }
    }

    #[test]
    fn power_is_never_made() {
        for text in ["metal:1", "glass:4", "concrete:400,air:50,brick:102", "air:100"] {
            let layers = parse_layers(text).unwrap();
            for degrees in [0.0, 30.0, 60.0, 85.0, 90.0] {
                let s = bare(&layers, Megahertz::new(868.0), f64::to_radians(degrees).cos());
                assert!(s.te + s.te_back <= 1.0 + 1e-9, "{text} {degrees} {s:?}");
                assert!(s.tm + s.tm_back <= 1.0 + 1e-9, "{text} {degrees} {s:?}");
            }
        }
    }

    #[test]
    fn a_layer_cut_in_two_is_the_same_layer() {
        let whole = bare(&parse_layers("brick:102").unwrap(), Megahertz::new(2440.0), 0.7);
        let cut = bare(&parse_layers("brick:40,brick:62").unwrap(), Megahertz::new(2440.0), 0.7);
        assert!((whole.te - cut.te).abs() < 1e-12 && (whole.tm - cut.tm).abs() < 1e-12);
    }

    #[test]
    fn five_metres_of_metal_stays_finite() {
        let s = bare(&parse_layers("metal:5000").unwrap(), Megahertz::new(6000.0), 1.0);
        assert!(s.te >= 0.0 && s.te < 1e-9);
        assert!(loss_of(s.mean()).get().is_finite());
    }

    #[test]
    fn impossible_layers_are_refused_with_a_reason() {
        let words = |text: &str| parse_layers(text).unwrap_err().to_string();
        assert_eq!(
            words("brick:0"),
            "a layer of brick is 0 mm thick; give a thickness from 0.01 to 5000 mm"
        );
        assert_eq!(
            words("brick"),
            "“brick” is not material:millimetres, such as plasterboard:12.5"
        );
        assert!(words("cheese:10").starts_with("no material is called “cheese”; known: air, "));
        assert!(words("brick:NaN").contains("NaN mm thick"));
        let many = vec!["brick:1"; 200].join(",");
        assert_eq!(words(&many), "a construction has 1 to 64 layers, this one has 200");
    }
}
