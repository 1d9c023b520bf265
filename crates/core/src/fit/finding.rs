//! What speaks for or against a device at a place, as values: each with its words, its verdict, its rule
//! and the ways out.

use super::{BEND_ALLOWANCE_MM, CompanionClash, Fits, space};
use crate::speech::local;
use crate::units::typographic;

/// What speaks for or against a device at a place; its words are a sentence a client would accept.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
#[expect(missing_docs, reason = "each says in its words what it is")]
pub enum FitFinding {
    #[error("It needs a neutral, and the box has been tested: it has none.")]
    NeutralAbsent,
    #[error("It needs a neutral, and none was seen; it may be bundled at the back of the box.")]
    NeutralNotSeen,
    #[error("It needs a neutral, and this box has not been opened{}.", guess(*likely))]
    NeutralUnknown { likely: Option<bool> },
    #[error("{}", local("It needs an earth, and the box has none."))]
    EarthAbsent,
    #[error("{}", local("The metal box is not earthed, and is a part that people touch."))]
    MetalNotEarthed,
    #[error("{}", if *is_metal {
        "The box is of metal, and nobody has looked whether it is earthed."
    } else {
        "It needs an earth, and nobody has checked this box for one: open it and look."
    })]
    EarthUnknown { is_metal: bool },
    #[error(
        "{}",
        local(
            "Whether it needs an earth is not written down, and none is known to be in the box."
        )
    )]
    WantsEarthUnknown,
    #[error("What box is there is not said, and what is wired in needs one.")]
    BoxUnknown,
    #[error("Its box is not there yet, and {} is not said.", open.join(", "))]
    ToMakeOpen { open: Vec<&'static str> },
    #[error(
        "Its box is made first, and a cable is brought to it, with what is there where it comes from."
    )]
    ToMake,
    #[error("How deep it is itself is not written down.")]
    DeviceDepthUnknown,
    #[error("It is too deep: {0}.")]
    TooDeep(Depths),
    #[error("Its maker asks for a box of {} mm; this one is {} mm deep inside.",
        told_apart(*least, *inside)[0], told_apart(*least, *inside)[1])]
    ShallowBox { inside: f64, least: f64 },
    #[error(
        "How deep a box its maker asks for is not written down; this one is {inside:.0} mm deep inside."
    )]
    BoxAskedUnknown { inside: f64 },
    #[error("It is tight: {0}.")]
    Tight(Depths),
    #[error(
        "Whether a plain switch in the same box works it is not written down: one takes up to {most:.0} mm of the \
         {spare:.0} mm that are left."
    )]
    MechanismUnknown { spare: f64, most: f64 },
    #[error("It fills more than one gang: {needs} are wanted, and the box has {has}.")]
    TooWide { needs: usize, has: usize },
    #[error("How deep {what} is, which stays in its gang, is not known.")]
    StaysDepthUnknown { what: String },
    #[error("How deep the box is inside is not known.")]
    DepthUnknown,
    #[error("The box is too full: {0}.")]
    TooFull(Volumes),
    #[error("The volume of the box is not known, and here it decides.")]
    VolumeUnknown,
    #[error("The conductors in the box are not listed, and here the room that they take decides.")]
    ConductorsUnknown,
    #[error("Whether the box has room for it hangs on {unsaid}, and that is not said.")]
    FillUnknown { unsaid: &'static str },
    #[error("It is not made for the open air, and nothing covers it there.")]
    NotForDamp,
    #[error("It is not made for the open air, and stands under a cover.")]
    UnderACover,
    #[error("What it switches is not known.")]
    LoadUnknown,
    #[error("What load it is rated for is not written down.")]
    LimitsUnknown,
    #[error(
        "{is:.0} W at {volts:.0} V are {amperes:.1} A, and its breaker is one of {rated:.0} A."
    )]
    OverBreaker { is: f64, volts: f64, amperes: f64, rated: f64 },
    #[error(
        "A conductor of {size} in its box usually carries up to {carries:.0} A, and its breaker is one of {rated:.0} A."
    )]
    ThinConductor { size: &'static str, carries: f64, rated: f64 },
    #[error(
        "If the {lamps} smart lamps there hang on it: asleep they draw some {is:.1} W, and it needs {least:.0} W at any time."
    )]
    AsleepTooLittle { lamps: usize, is: f64, least: f64 },
    #[error("What its breaker is rated at is not written down: {}.", ratings(*least, *most))]
    BreakerUnrated { least: f64, most: Option<f64> },
    #[error(
        "Which conductors carry its current is not known: it fits if they bear the {rated:.0} A of its breaker."
    )]
    SizeUnknown { rated: f64 },
    #[error("{is:.0} W hang on it, and the least that it needs is not written down.")]
    LeastUnknown { is: f64 },
    #[error(
        "Switching on can draw {is:.0} A for a moment, and what it is rated for is not written down."
    )]
    InrushBorneUnknown { is: f64 },
    #[error("Whether it dims is not written down, and whether {name} dims well is not known.")]
    DimsUnknown { name: String },
    #[error("What it loses with its side tabs off is not written down, and here it can decide.")]
    TabsUnknown,
    #[error("In which box the powered unit has to be is not written down.")]
    PoweredUnknown,
    #[error("Whether a switch stands before it that cuts it off is not said.")]
    FeedUnsaid,
    #[error("What {name} draws is not known.")]
    WattsUnknown { name: String },
    #[error("{name} is a load of the kind {what}, which it must not {}.", if *dims { "dim" } else { "switch" })]
    LoadNotAllowed { name: String, what: &'static str, dims: bool },
    #[error("Too much hangs on it: {0}.")]
    TooMuch(Watts),
    #[error("{is:.0} W hang on it, and it needs {least:.0} W: the lamp glows or flickers.")]
    TooLittle { is: f64, least: f64 },
    #[error("{name} cannot be dimmed.")]
    NotDimmable { name: String },
    #[error("Whether {name} can be dimmed is not known.")]
    DimmableUnknown { name: String },
    #[error("Whether {name} dims well with it is not known.")]
    BenchTest { name: String },
    #[error("Switching on draws {is:.0} A for a moment; it is rated for {most:.0} A.")]
    Inrush { is: f64, most: f64 },
    #[error(
        "The inrush of {} is not known, and can be more than the {most:.0} A that it is rated for.",
        names.join(" and ")
    )]
    InrushUnknown { names: Vec<String>, most: f64 },
    #[error("{} hang on {}: they cannot be switched apart.", names.join(" and "),
        if *channels == 1 { "one channel".to_owned() } else { format!("{channels} channels") })]
    SwitchedTogether { names: Vec<String>, channels: usize },
    #[error("Channel {channel} is loaded to {percent:.0} % of its rating.")]
    ChannelFull { channel: u8, percent: f64 },
    #[error("On which channel {} {} is not said, and together they are too much for one.",
        names.join(" and "), if names.len() == 1 { "hangs" } else { "hang" })]
    ChannelUnsaid { names: Vec<String> },
    #[error("On which channel {} {} is not said.",
        names.join(" and "), if names.len() == 1 { "hangs" } else { "hang" })]
    ChannelOpen { names: Vec<String> },
    #[error("{name} is to hang on channel {channel}, and it has {channels}.")]
    NoSuchChannel { name: String, channel: u8, channels: usize },
    #[error(
        "How many gangs the box has, or into which it goes, is not said, and each side tab that comes off lowers its rating."
    )]
    GangUnknown,
    #[error("With {other} in the same group: {clash}.")]
    WrongMix { other: String, clash: CompanionClash },
    #[error("What becomes of the switch at {} is not planned: left as it is, {clash}.", at.join(" and "))]
    FarUnplanned { at: Vec<String>, clash: CompanionClash },
    #[error("It is {what} and works with a powered unit of its group, and there is none.")]
    FarAlone { what: &'static str },
    #[error("Where line comes in and where the load leaves is not known in its group.")]
    WiringUnknown,
    #[error("Line comes in at the fitting of its group: only switched wires reach this box.")]
    FedAtFitting,
    #[error("It has to be {what}, and that is at {at}.")]
    WrongBox { what: &'static str, at: String },
    #[error("One like it was tried at {at}, and not kept.")]
    NotKept { at: String },
    #[error("The brief refuses it: {what}.")]
    RefusedInBrief { what: &'static str },
    #[error("{platform} must work with everything, and it does not reach this.")]
    PlatformLacks { platform: String },
    #[error("Whether {platform}, which must work with everything, reaches it is not known.")]
    PlatformUnknown { platform: String },
    #[error("Its system has no frequencies in this region.")]
    NoFrequencies,
    #[error("Its network has {is} devices, and {most} is the most.")]
    NetworkFull { is: usize, most: usize },
    #[error("It comes in {}, and {wanted} is wanted here.", comes.join(", "))]
    OtherFinish { wanted: String, comes: Vec<String> },
    #[error("In which finishes it comes is not known, and {wanted} is wanted here.")]
    FinishUnknown { wanted: String },
    #[error("It lasts some {lasts:.0} years, and {keep:.0} are wanted.")]
    ShortLife { lasts: f64, keep: f64 },
    #[error("How long it lasts is not known, and {keep:.0} years are wanted.")]
    LifeUnknown { keep: f64 },
    #[error(
        "A switch stands before it: whoever presses that takes it off the air, and what hangs on it."
    )]
    BehindSwitch,
    #[error("It stands on a cord: whoever pulls the plug takes it off the air.")]
    OnCord,
    #[error(
        "What the {what} that stays does for it is not said: whether it tells it, cuts it off, or works something else."
    )]
    KeptUnsaid { what: String },
    #[error(
        "The {what} that lies before it carries {amperes:.1} A, and is rated for {rated:.1} A."
    )]
    KeptOver { what: String, amperes: f64, rated: f64 },
    #[error("What {load} takes is not known, and the {what} that lies before it carries it.")]
    KeptLoadOpen { what: String, load: String },
    #[error("What the {what} that lies before it is rated for is not known.")]
    KeptUnrated { what: String },
    #[error("The {what} that lies before it takes it off the air, and what hangs on it.")]
    KeptCuts { what: String },
    #[error("Metal stands around it there: most of the signal stays inside.")]
    InMetal,
    #[error(
        "It goes inside the lamp: that must open and close again unharmed, let radio through; its own switch stays on, or tells it."
    )]
    InsideLamp,
    #[error("It switches nothing itself: with line joined through, {} must be worked by radio where {}.",
        names.join(" and "), if names.len() == 1 { "it hangs" } else { "they hang" })]
    NothingSwitches { names: Vec<String> },
    #[error(
        "It is a fan control and a lamp hangs on the same wire: the two cannot be worked apart."
    )]
    FanWithLamp,
    #[error("{name} is not alone on its circuit: a fan is best fed by one of its own, {others} with it.",
        others = if *others == 1 { "1 other load hangs".to_owned() } else { format!("{others} other loads hang") })]
    FanShares { name: String, others: usize },
    #[error("Whether {name} has a circuit of its own is not known.")]
    FanCircuitUnknown { name: String },
    #[error("No residual current protection covers that outdoor circuit.")]
    NoResidual,
    #[error("Whether residual current protection covers that outdoor circuit is not known.")]
    ResidualUnknown,
}

/// Between what a breaker has to be rated at.
fn ratings(least: f64, most: Option<f64>) -> String {
    match most {
        Some(most) if least > most => {
            format!("{least:.0} A flow, and its conductors usually carry no more than {most:.0} A")
        }
        Some(most) if least > 0.0 => format!("it fits if that is {least:.0} to {most:.0} A"),
        Some(most) => format!("it fits if that is no more than {most:.0} A"),
        None => format!("it fits if that is no less than {least:.0} A"),
    }
}

fn guess(likely: Option<bool>) -> &'static str {
    match likely {
        Some(true) => "; by the age of the house it is likely to have one, which proves nothing",
        Some(false) => "; by the age of the house it is likely to have none, which proves nothing",
        None => "",
    }
}

/// Depths in a box, in millimetres.
#[derive(Clone, Copy, Debug, PartialEq)]
#[expect(missing_docs, reason = "each is what it is called")]
pub struct Depths {
    pub inside: f64,
    pub device: f64,
    /// What else takes depth in its gang: the least of the mechanism before it, and what stays there; nought for nothing.
    pub mechanism: f64,
}

impl Depths {
    pub(super) fn spare(self) -> f64 {
        self.inside - self.device - self.mechanism - BEND_ALLOWANCE_MM
    }
}

impl std::fmt::Display for Depths {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        let Self { inside, device, mechanism } = self;
        let spare = typographic(self.spare(), 0);
        write!(f, "box {inside:.0} mm − device {device:.0} mm")?;
        if *mechanism > 0.0 {
            write!(f, " − at least {mechanism:.0} mm for what sits before it")?;
        }
        write!(f, " − {BEND_ALLOWANCE_MM:.0} mm for the conductors leaves {spare} mm")
    }
}

/// Room in a box, in cubic centimetres.
#[derive(Clone, Copy, Debug, PartialEq)]
#[expect(missing_docs, reason = "each is what it is called")]
pub struct Volumes {
    pub has: f64,
    pub needs: f64,
    /// How many devices are in it.
    pub yokes: usize,
}

impl std::fmt::Display for Volumes {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        let Self { has, needs, yokes } = self;
        let inches = |cm3: f64| cm3 / space::IN3;
        let devices =
            if *yokes == 1 { "its device".to_owned() } else { format!("{yokes} devices") };
        write!(
            f,
            "conductors, clamps and {devices} take {needs:.0} cm³ ({:.2} in³) of {has:.0} cm³ ({:.2} in³)",
            inches(*needs),
            inches(*has)
        )
    }
}

/// What hangs on a device against what it bears, in watts.
#[derive(Clone, Copy, Debug, PartialEq)]
#[expect(missing_docs, reason = "each is what it is called")]
pub struct Watts {
    pub what: &'static str,
    pub is: f64,
    pub most: f64,
    /// What is left of the limit by the side tabs that come off.
    pub left: f64,
    /// Whether other kinds take a share too.
    pub is_mixed: bool,
}

/// Two numbers as whole ones, or with the digit that tells them apart.
fn told_apart(one: f64, other: f64) -> [String; 2] {
    let whole = [one, other].map(|v| typographic(v, 0));
    if whole[0] == whole[1] { [one, other].map(|v| typographic(v, 1)) } else { whole }
}

impl std::fmt::Display for Watts {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        let Self { what, is, most, left, is_mixed } = self;
        let [is, most] = told_apart(*is, *most);
        write!(f, "{is} W of {what}, and it is rated for {most} W")?;
        if *left < 1.0 {
            write!(
                f,
                " with its side tabs off ({:.0} % of {:.0} W)",
                left * 100.0,
                self.most / left
            )?;
        }
        if *is_mixed { write!(f, ", with what else hangs on it") } else { Ok(()) }
    }
}

impl FitFinding {
    /// The verdict.
    pub fn fits(&self) -> Fits {
        match self {
            Self::NeutralAbsent
            | Self::TooDeep(_)
            | Self::TooWide { .. }
            | Self::ShallowBox { .. }
            | Self::TooFull(_)
            | Self::NotForDamp
            | Self::LoadNotAllowed { .. }
            | Self::TooMuch(_)
            | Self::ChannelFull { .. }
            | Self::NoSuchChannel { .. }
            | Self::NotDimmable { .. }
            | Self::Inrush { .. }
            | Self::WrongMix { .. }
            | Self::FedAtFitting
            | Self::WrongBox { .. }
            | Self::FarAlone { .. }
            | Self::RefusedInBrief { .. }
            | Self::NotKept { .. }
            | Self::PlatformLacks { .. }
            | Self::NoFrequencies
            | Self::NetworkFull { .. }
            | Self::MetalNotEarthed
            | Self::OverBreaker { .. }
            | Self::KeptOver { .. }
            | Self::OtherFinish { .. } => Fits::No,
            Self::BreakerUnrated { least, most: Some(most) } if least > most => {
                Fits::ElectricianDecides
            }
            Self::NeutralNotSeen
            | Self::EarthAbsent
            | Self::ThinConductor { .. }
            | Self::NoResidual => Fits::ElectricianDecides,
            Self::NeutralUnknown { .. }
            | Self::PlatformUnknown { .. }
            | Self::FinishUnknown { .. }
            | Self::LifeUnknown { .. }
            | Self::KeptUnsaid { .. }
            | Self::KeptUnrated { .. }
            | Self::KeptLoadOpen { .. }
            | Self::ToMakeOpen { .. }
            | Self::ResidualUnknown
            | Self::EarthUnknown { .. }
            | Self::BoxUnknown
            | Self::DeviceDepthUnknown
            | Self::LimitsUnknown
            | Self::DepthUnknown
            | Self::VolumeUnknown
            | Self::ConductorsUnknown
            | Self::LoadUnknown
            | Self::WattsUnknown { .. }
            | Self::DimmableUnknown { .. }
            | Self::InrushUnknown { .. }
            | Self::GangUnknown
            | Self::ChannelUnsaid { .. }
            | Self::StaysDepthUnknown { .. }
            | Self::FillUnknown { .. }
            | Self::DimsUnknown { .. }
            | Self::TabsUnknown
            | Self::PoweredUnknown
            | Self::WiringUnknown => Fits::NotKnown,
            Self::Tight(_)
            | Self::MechanismUnknown { .. }
            | Self::WantsEarthUnknown
            | Self::BoxAskedUnknown { .. }
            | Self::BreakerUnrated { .. }
            | Self::SizeUnknown { .. }
            | Self::LeastUnknown { .. }
            | Self::InrushBorneUnknown { .. }
            | Self::FeedUnsaid
            | Self::FarUnplanned { .. }
            | Self::UnderACover
            | Self::TooLittle { .. }
            | Self::AsleepTooLittle { .. }
            | Self::BenchTest { .. }
            | Self::SwitchedTogether { .. }
            | Self::ShortLife { .. }
            | Self::BehindSwitch
            | Self::OnCord
            | Self::ToMake
            | Self::KeptCuts { .. }
            | Self::InMetal
            | Self::InsideLamp
            | Self::NothingSwitches { .. }
            | Self::FanShares { .. }
            | Self::FanCircuitUnknown { .. }
            | Self::ChannelOpen { .. }
            | Self::FanWithLamp => Fits::IfSo,
        }
    }

    /// The rule that it goes by, as a word that stays.
    pub fn rule(&self) -> &'static str {
        match self {
            Self::NeutralAbsent | Self::NeutralNotSeen | Self::NeutralUnknown { .. } => "neutral",
            Self::EarthAbsent
            | Self::MetalNotEarthed
            | Self::EarthUnknown { .. }
            | Self::WantsEarthUnknown => "earth",
            Self::BoxUnknown => "box",
            Self::ToMakeOpen { .. } | Self::ToMake => "new-box",
            Self::TooDeep(_)
            | Self::ShallowBox { .. }
            | Self::Tight(_)
            | Self::MechanismUnknown { .. }
            | Self::DeviceDepthUnknown
            | Self::BoxAskedUnknown { .. }
            | Self::StaysDepthUnknown { .. }
            | Self::TooWide { .. }
            | Self::DepthUnknown => "depth",
            Self::OverBreaker { .. }
            | Self::ThinConductor { .. }
            | Self::BreakerUnrated { .. }
            | Self::SizeUnknown { .. } => "breaker",
            Self::TooFull(_)
            | Self::VolumeUnknown
            | Self::FillUnknown { .. }
            | Self::ConductorsUnknown => "volume",
            Self::NotForDamp | Self::UnderACover => "weather",
            Self::LoadUnknown
            | Self::LimitsUnknown
            | Self::WattsUnknown { .. }
            | Self::TooMuch(_) => "load",
            Self::LoadNotAllowed { .. } => "kind-of-load",
            Self::TooLittle { .. } | Self::AsleepTooLittle { .. } | Self::LeastUnknown { .. } => {
                "least-load"
            }
            Self::NotDimmable { .. }
            | Self::DimmableUnknown { .. }
            | Self::DimsUnknown { .. }
            | Self::BenchTest { .. } => "dimming",
            Self::Inrush { .. } | Self::InrushUnknown { .. } | Self::InrushBorneUnknown { .. } => {
                "inrush"
            }
            Self::SwitchedTogether { .. }
            | Self::ChannelFull { .. }
            | Self::ChannelUnsaid { .. }
            | Self::ChannelOpen { .. }
            | Self::NoSuchChannel { .. } => "channels",
            Self::GangUnknown | Self::TabsUnknown => "side-tabs",
            Self::WrongMix { .. } | Self::FarAlone { .. } | Self::FarUnplanned { .. } => {
                "companions"
            }
            Self::WiringUnknown
            | Self::FedAtFitting
            | Self::PoweredUnknown
            | Self::WrongBox { .. } => "wiring",
            Self::RefusedInBrief { .. } => "brief",
            Self::NotKept { .. } => "trial",
            Self::PlatformLacks { .. } | Self::PlatformUnknown { .. } => "platform",
            Self::NoFrequencies => "region",
            Self::NetworkFull { .. } => "count",
            Self::OtherFinish { .. } | Self::FinishUnknown { .. } => "finish",
            Self::ShortLife { .. } | Self::LifeUnknown { .. } => "life",
            Self::BehindSwitch | Self::OnCord | Self::FeedUnsaid => "feed",
            Self::InMetal | Self::InsideLamp => "hidden",
            Self::FanWithLamp | Self::FanShares { .. } | Self::FanCircuitUnknown { .. } => "fan",
            Self::NothingSwitches { .. } => "switched",
            Self::KeptUnsaid { .. }
            | Self::KeptOver { .. }
            | Self::KeptUnrated { .. }
            | Self::KeptLoadOpen { .. }
            | Self::KeptCuts { .. } => "kept-switch",
            Self::NoResidual | Self::ResidualUnknown => "residual-current",
        }
    }
}
