//! Whether a device fits a place: neutral, depth.

use crate::catalogue::{DeviceKind, Supply};
use crate::site::{BoxKind, Neutral, Point};
use crate::units::typographic;

/// How well a device fits.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Fits {
    /// It fits.
    Yes,
    /// It fits if something that is not known turns out well.
    IfSo,
    /// A licensed electrician decides.
    ElectricianDecides,
    /// It does not fit.
    No,
}

/// Room that conductors need behind a device when they bend, in millimetres; *planning value*.
pub const BEND_ALLOWANCE_MM: f64 = 5.0;

const WITHOUT_NEUTRAL: &[&str] = &[
    "take the version that needs no neutral: it usually does not repeat and may need a minimum load",
    "put a relay module up at the fitting, where a neutral is",
    "have a licensed electrician pull a neutral",
];
const LOOK_DEEPER: &[&str] =
    &["open the box with its circuit proved dead and look for a bundle at the back"];
const TOO_DEEP: &[&str] =
    &["a slimmer device", "a deeper box or an extender ring", "a relay module at the fitting"];

/// What speaks for or against a device at a place; its words are a sentence a client would accept.
#[derive(Clone, Copy, Debug, PartialEq, thiserror::Error)]
#[expect(missing_docs, reason = "each says in its words what it is")]
pub enum FitFinding {
    #[error("It needs a neutral, and the box has been tested: it has none.")]
    NeutralAbsent,
    #[error("It needs a neutral, and none was seen; it may be bundled at the back of the box.")]
    NeutralNotSeen,
    #[error("It needs a neutral, and this box has not been opened.")]
    NeutralUnknown,
    #[error("It is too deep: {0}.")]
    TooDeep(Depths),
    #[error("It is tight: {0}.")]
    Tight(Depths),
}

/// Depths in a box, in millimetres.
#[derive(Clone, Copy, Debug, PartialEq)]
#[expect(missing_docs, reason = "each is what it is called")]
pub struct Depths {
    pub inside: f64,
    pub device: f64,
}

/// With less than this to spare a device is tight, in millimetres; *planning value*.
const TIGHT_MM: f64 = 3.0;

impl Depths {
    fn spare(self) -> f64 {
        self.inside - self.device - BEND_ALLOWANCE_MM
    }
}

impl std::fmt::Display for Depths {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        let Self { inside, device } = self;
        let spare = typographic(self.spare(), 0);
        write!(
            f,
            "box {inside:.0} mm − device {device:.0} mm − {BEND_ALLOWANCE_MM:.0} mm for the \
             conductors leaves {spare} mm"
        )
    }
}

impl FitFinding {
    /// The verdict.
    pub fn fits(&self) -> Fits {
        match self {
            Self::NeutralAbsent | Self::TooDeep(_) => Fits::No,
            Self::NeutralNotSeen => Fits::ElectricianDecides,
            Self::NeutralUnknown | Self::Tight(_) => Fits::IfSo,
        }
    }

    /// The ways out.
    pub fn ways_out(&self) -> &'static [&'static str] {
        match self {
            Self::NeutralAbsent | Self::NeutralNotSeen => WITHOUT_NEUTRAL,
            Self::NeutralUnknown => LOOK_DEEPER,
            Self::TooDeep(_) | Self::Tight(_) => TOO_DEEP,
        }
    }
}

/// Everything that speaks for or against this device at this place; empty when it simply fits.
pub fn findings(kind: &DeviceKind, point: &Point) -> Vec<FitFinding> {
    [neutral(kind, point), depth(kind, point)].into_iter().flatten().collect()
}

fn neutral(kind: &DeviceKind, point: &Point) -> Option<FitFinding> {
    match point.neutral {
        _ if kind.supply != Supply::MainsNeutral => None,
        Neutral::Seen => None,
        Neutral::Absent => Some(FitFinding::NeutralAbsent),
        Neutral::NotSeen => Some(FitFinding::NeutralNotSeen),
        Neutral::Unknown => Some(FitFinding::NeutralUnknown),
    }
}

fn depth(kind: &DeviceKind, point: &Point) -> Option<FitFinding> {
    if !kind.is_wired_in() || point.back_box == BoxKind::None {
        return None;
    }
    let depths = Depths { inside: point.depth_mm?, device: kind.depth_mm? };
    match depths.spare() {
        spare if spare < 0.0 => Some(FitFinding::TooDeep(depths)),
        spare if spare < TIGHT_MM => Some(FitFinding::Tight(depths)),
        _ => None,
    }
}

/// The verdict of all findings together.
pub fn verdict(findings: &[FitFinding]) -> Fits {
    findings.iter().map(FitFinding::fits).max().unwrap_or(Fits::Yes)
}
