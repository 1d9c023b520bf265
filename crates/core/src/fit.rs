//! Whether a device fits a place: neutral, depth.

use crate::catalogue::{DeviceKind, Supply};
use crate::site::{BoxKind, Neutral, Point};

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

/// One finding about a device at a place.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct FitFinding {
    /// The verdict.
    pub fits: Fits,
    /// The reason, in a sentence a client would accept.
    pub reason: String,
    /// The ways out.
    pub ways_out: &'static [&'static str],
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

/// Everything that speaks for or against this device at this place; empty when it simply fits.
pub fn findings(kind: &DeviceKind, point: &Point) -> Vec<FitFinding> {
    let mut findings = Vec::new();
    let mut say = |fits, reason: String, ways_out| {
        findings.push(FitFinding { fits, reason, ways_out });
    };
    if kind.supply == Supply::MainsNeutral {
        match point.neutral {
            Neutral::Seen => {}
            Neutral::Absent => say(
                Fits::No,
                "It needs a neutral, and the box has been tested: it has none.".to_owned(),
                WITHOUT_NEUTRAL,
            ),
            Neutral::NotSeen => say(
                Fits::ElectricianDecides,
                "It needs a neutral, and none was seen; it may be bundled at the back of the box."
                    .to_owned(),
                WITHOUT_NEUTRAL,
            ),
            Neutral::Unknown => say(
                Fits::IfSo,
                "It needs a neutral, and this box has not been opened.".to_owned(),
                LOOK_DEEPER,
            ),
        }
    }
    if let (Some(depth), Some(inside)) = (kind.depth_mm, point.depth_mm)
        && kind.is_wired_in()
        && point.back_box != BoxKind::None
    {
        let spare = inside - depth - BEND_ALLOWANCE_MM;
        let sum = format!(
            "box {inside:.0} mm − device {depth:.0} mm − {BEND_ALLOWANCE_MM:.0} mm for the \
             conductors leaves {} mm",
            crate::units::typographic(spare, 0)
        );
        if spare < 0.0 {
            say(Fits::No, format!("It is too deep: {sum}."), TOO_DEEP);
        } else if spare < 3.0 {
            say(Fits::IfSo, format!("It is tight: {sum}."), TOO_DEEP);
        }
    }
    findings
}

/// The verdict of all findings together.
pub fn verdict(findings: &[FitFinding]) -> Fits {
    findings.iter().map(|f| f.fits).max().unwrap_or(Fits::Yes)
}
