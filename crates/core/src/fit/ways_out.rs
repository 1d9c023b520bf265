//! What to do where something speaks against a device at a place: for each finding its ways out, the best first, with what
//! each costs, less what the brief refuses.

use super::FitFinding;
use crate::site::{Job, Refused};

/// Ways out that a refusal of the brief rules out, by what stands in their words.
const RULED_OUT: [(Refused, &[&str]); 3] = [
    (Refused::Extenders, &["extender ring"]),
    (
        Refused::OpenedWalls,
        &["plaster is opened", "pull a neutral", "bring line to the box", "pull a conductor"],
    ),
    (Refused::Batteries, &["battery remote"]),
];

/// Where a way out is done.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum WayLeads {
    /// A module is planned up at the fitting.
    AtFitting,
    /// Another device is chosen for the place.
    Devices,
    /// The place, its box or what hangs on it is looked at again and noted.
    Place,
    /// A row of the library.
    Library,
    /// The brief.
    Brief,
    /// The hub and what repeats.
    Hub,
    /// Somebody else does it: an electrician, the client, a maker.
    Others,
}

/// Where each way out is done, by what stands in its words; the first row that has it holds.
const LEADS: [(&str, WayLeads); 59] = [
    ("note it in the library", WayLeads::Library),
    ("what they say", WayLeads::Brief),
    ("noted in the brief", WayLeads::Brief),
    ("ask the client again", WayLeads::Brief),
    ("second hub", WayLeads::Hub),
    ("repeater elsewhere", WayLeads::Hub),
    ("relay module", WayLeads::AtFitting),
    ("a unit at the fitting", WayLeads::AtFitting),
    ("licensed electrician", WayLeads::Others),
    ("plaster is opened", WayLeads::Others),
    ("pull a conductor", WayLeads::Others),
    ("a box of one gang more", WayLeads::Others),
    ("ask its maker", WayLeads::Others),
    ("agree", WayLeads::Others),
    ("contactor", WayLeads::Others),
    ("try lamp", WayLeads::Others),
    ("clip-on paddle", WayLeads::Others),
    ("lock the switch", WayLeads::Others),
    ("photograph its code", WayLeads::Others),
    ("lamps that", WayLeads::Others),
    ("smaller load", WayLeads::Others),
    ("leave ", WayLeads::Others),
    ("put it into that box", WayLeads::Place),
    ("bypass capacitor", WayLeads::Place),
    ("extender ring", WayLeads::Place),
    ("box of plastic", WayLeads::Place),
    ("move a load", WayLeads::Place),
    ("split the load", WayLeads::Place),
    ("keep the relay", WayLeads::Place),
    ("let it tell", WayLeads::Place),
    ("name the group", WayLeads::Place),
    ("find out", WayLeads::Place),
    ("look ", WayLeads::Place),
    ("note ", WayLeads::Place),
    ("read it on the breaker", WayLeads::Place),
    ("read it on the lamp", WayLeads::Place),
    ("read it on the switch", WayLeads::Place),
    ("read it on the driver", WayLeads::Place),
    ("read the volume", WayLeads::Place),
    ("list the conductors", WayLeads::Place),
    ("count the conductors", WayLeads::Place),
    ("measure", WayLeads::Place),
    ("open the box", WayLeads::Place),
    ("say ", WayLeads::Place),
    ("see whether", WayLeads::Place),
    ("enclosure rated", WayLeads::Others),
    ("plug-in unit", WayLeads::Devices),
    ("relay at the wall", WayLeads::Devices),
    ("remote", WayLeads::Devices),
    ("companion", WayLeads::Devices),
    ("device", WayLeads::Devices),
    ("master", WayLeads::Devices),
    ("switch", WayLeads::Devices),
    ("system", WayLeads::Devices),
    ("smart lamp", WayLeads::Devices),
    ("model", WayLeads::Devices),
    ("repeater", WayLeads::Devices),
    ("body of plastic", WayLeads::Devices),
    ("version", WayLeads::Devices),
];

/// Where a way out is done; nothing where no row says it.
pub fn way_leads(way: &str) -> Option<WayLeads> {
    LEADS.iter().find(|(words, _)| way.contains(words)).map(|(_, leads)| *leads)
}

/// What is left where the brief refuses every way out.
const ASK_AGAIN: &str = "the brief refuses all that would help: ask the client again";

impl FitFinding {
    /// The ways out that the brief of a job leaves, the best first.
    pub fn ways_out(&self, job: &Job) -> Vec<&'static str> {
        let is_left = |way: &&&str| {
            let mut rows = RULED_OUT.iter().filter(|(refused, _)| job.refused.contains(refused));
            !rows.any(|(_, words)| words.iter().any(|word| way.contains(word)))
        };
        let left: Vec<&'static str> =
            self.every_way_out().iter().filter(is_left).copied().collect();
        if left.is_empty() { vec![ASK_AGAIN] } else { left }
    }

    /// The ways out, the best first, whatever the brief says.
    #[expect(clippy::too_many_lines, reason = "a flat table")]
    fn every_way_out(&self) -> &'static [&'static str] {
        match self {
            Self::NeutralAbsent | Self::NeutralNotSeen => &[
                "take the version that needs no neutral: it usually does not repeat and may need a minimum load",
                "put a relay module up at the fitting, where a neutral is",
                "have a licensed electrician pull a neutral",
            ],
            Self::NeutralUnknown { .. } => {
                &["open the box with its circuit proved dead and look for a bundle at the back"]
            }
            Self::EarthAbsent => {
                &["have a licensed electrician decide, or take a device that asks for none"]
            }
            Self::MetalNotEarthed => &[
                "have a licensed electrician bring an earth to the box",
                "a box of plastic, with a device that asks for no earth",
            ],
            Self::EarthUnknown { .. } => {
                &["look for a conductor, or test whether the metal box is earthed"]
            }
            Self::BoxUnknown => {
                &["look what box is there, of what, and how deep; say “none” where there is none"]
            }
            Self::DeviceDepthUnknown
            | Self::LimitsUnknown
            | Self::WantsEarthUnknown
            | Self::MechanismUnknown { .. }
            | Self::BoxAskedUnknown { .. }
            | Self::LeastUnknown { .. }
            | Self::InrushBorneUnknown { .. }
            | Self::DimsUnknown { .. }
            | Self::TabsUnknown
            | Self::PlatformUnknown { .. }
            | Self::PoweredUnknown => &["read it on its sheet, and note it in the library"],
            Self::BreakerUnrated { .. } => {
                &["read it on the breaker, and note it with the circuit"]
            }
            Self::SizeUnknown { .. } => {
                &["list the conductors of the box with their size, its circuit proved dead"]
            }
            Self::FillUnknown { .. } => &["look at the box, and note it"],
            Self::FeedUnsaid => &["see whether a switch of the wall cuts it off, and say so"],
            Self::OverBreaker { .. } => &[
                "a smaller load on this breaker",
                "have a licensed electrician run a circuit for it",
            ],
            Self::ThinConductor { .. } => &[
                "have a licensed electrician look at breaker and conductors before anything is done there",
            ],
            Self::TooDeep(_) | Self::ShallowBox { .. } | Self::Tight(_) => &[
                "a slimmer device",
                "a relay module at the fitting, with a switch or a remote here",
                "an extender ring: it is seen, and few like it",
                "a deeper box: plaster is opened and made good",
                "trimming the box may cost its approval: ask its maker",
            ],
            Self::TooWide { .. } => &["a device of one gang", "a box of one gang more"],
            Self::DepthUnknown => &["measure the box inside, from the wall's face to its back"],
            Self::TooFull(_) => &[
                "fewer devices in this box",
                "a relay module at the fitting",
                "an extender ring: it is seen, and few like it",
                "a larger box: plaster is opened and made good",
            ],
            Self::VolumeUnknown => &["read the volume stamped in the box, or measure it"],
            Self::ConductorsUnknown => &["count the conductors that come in, with their size"],
            Self::NotForDamp | Self::UnderACover => &[
                "a device rated for outdoors",
                "an enclosure rated for the weather, on a protected circuit",
            ],
            Self::LoadUnknown | Self::WattsUnknown { .. } => {
                &["note what hangs on it: the kind, how many, and the watts of each"]
            }
            Self::LoadNotAllowed { .. } => &["a switch or control made for that kind of load"],
            Self::TooMuch(_) => &[
                "a device for larger loads",
                "lamps that draw less",
                "split the load over two channels",
            ],
            Self::TooLittle { .. } => &[
                "a bypass capacitor at the lamp, one for each unit that needs it",
                "a device that needs a neutral and no least load",
            ],
            Self::AsleepTooLittle { .. } => &[
                "a bypass capacitor at one of the lamps",
                "a device that needs a neutral and no least load",
                "say in which circuit the lamps are, where it is another one",
            ],
            Self::NotDimmable { .. } => {
                &["lamps that can be dimmed", "a switch in place of the dimmer"]
            }
            Self::DimmableUnknown { .. } => &["read it on the lamp or its box"],
            Self::BenchTest { .. } => &["try lamp and dimmer on a bench before the day"],
            Self::Inrush { .. } => {
                &["a device with a higher rating", "a contactor between the two"]
            }
            Self::InrushUnknown { .. } => {
                &["read it on the driver's sheet, or try them on a bench"]
            }
            Self::SwitchedTogether { .. } => &[
                "a device with a channel for each",
                "leave them together and say so to the client",
            ],
            Self::GangUnknown => &["say how many gangs the box has, and into which it goes"],
            Self::ChannelFull { .. } => {
                &["move a load to another channel", "a device for larger loads"]
            }
            Self::ChannelUnsaid { .. } | Self::ChannelOpen { .. } | Self::NoSuchChannel { .. } => {
                &["say which load hangs on which channel, before it is wired"]
            }
            Self::StaysDepthUnknown { .. } => {
                &["measure what stays in the box, or read it on its sheet"]
            }
            Self::WrongMix { .. } => &[
                "the companion of the same family",
                "a battery remote on that plate, with the old conductors joined or capped",
                "a master that takes what is there",
            ],
            Self::FarUnplanned { .. } => &[
                "plan a companion of the same family there",
                "a battery remote on its plate, its old conductors joined or capped",
            ],
            Self::FarAlone { .. } => {
                &["name the group that it belongs to, and the powered unit in it"]
            }
            Self::WiringUnknown => {
                &["find out with the circuit proved dead which box has line and which the load"]
            }
            Self::FedAtFitting => &[
                "a relay module at the fitting, with battery remotes on the plates",
                "have a licensed electrician bring line to the box",
            ],
            Self::WrongBox { .. } => &["put it into that box", "a device that may be in either"],
            Self::NotKept { .. } => &["another device", "say again what came of the trial"],
            Self::RefusedInBrief { .. } => {
                &["another device", "ask the client again, and note in the brief what they say"]
            }
            Self::PlatformLacks { .. } => &[
                "a device that the platform reaches",
                "a bridge between the two, with its purpose noted in the brief",
            ],
            Self::NoFrequencies => &["a system that is allotted frequencies here"],
            Self::NetworkFull { .. } => &["a second hub", "another system for part of the house"],
            Self::OtherFinish { .. } => &[
                "another finish, agreed with the client",
                "a clip-on paddle of its maker; paint jams it and takes it off the air",
            ],
            Self::FinishUnknown { .. } => &["ask its maker before it is bought"],
            Self::ShortLife { .. } => {
                &["a longer-lived model", "agree on a date to replace it, and keep a spare"]
            }
            Self::LifeUnknown { .. } => &["ask its maker, and note it in the library"],
            Self::BehindSwitch => &[
                "keep the relay of that switch closed and let it send commands instead",
                "join its line through and put a battery remote on the plate",
                "lock the switch, and put its part as a repeater elsewhere",
            ],
            Self::OnCord => &[
                "agree that it stays plugged in, and mark the plug",
                "a wired repeater nearby in its place",
            ],
            Self::ToMakeOpen { .. } => {
                &["measure the way of the cable, and agree who opens the wall"]
            }
            Self::ToMake => &["a remote on the wall in its place", "a unit at the fitting"],
            Self::KeptUnsaid { .. } => &["say in the survey what the switch that stays is for"],
            Self::KeptOver { .. } => &[
                "a switch of a larger rating",
                "let it tell the unit in place of carrying the load",
            ],
            Self::KeptLoadOpen { .. } => &["read it on the lamps, and note it"],
            Self::KeptUnrated { .. } => &["read it on the switch, or on its sheet"],
            Self::KeptCuts { .. } => &[
                "let it tell the unit in place of cutting it off",
                "agree that it stays on, and mark it",
            ],
            Self::InMetal => &[
                "a body of plastic, glass or wood",
                "a relay at the wall in its place",
                "measure it closed, in place, before it is counted on",
            ],
            Self::InsideLamp => {
                &["a plug-in unit before the lamp", "photograph its code before the lamp is closed"]
            }
            Self::NothingSwitches { .. } => &[
                "smart lamps, or a relay module at the fitting",
                "a switch here, and the remote at another place",
            ],
            Self::FanWithLamp => &[
                "pull a conductor so that the lamp has its own",
                "a smart lamp in the fitting, and the fan control for the fan alone",
            ],
            Self::FanShares { .. } => &[
                "have a licensed electrician feed it from a breaker of its own",
                "leave it where it is, and say so to the client",
            ],
            Self::FanCircuitUnknown { .. } => &["find out which breaker feeds it, and what else"],
            Self::NoResidual => {
                &["have a licensed electrician add it before anything goes outdoors"]
            }
            Self::ResidualUnknown => &["look at the panel: a test button marks it"],
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_word_that_rules_out_stands_in_a_way_out() {
        let job = Job::new(
            "A job",
            crate::radio::region::Region::Eu,
            crate::confidence::Confidence::new(0.95).unwrap_or_else(|_| unreachable!("it is one")),
        );
        let deep = FitFinding::ShallowBox { inside: 30.0, least: 40.0 };
        let found = [
            deep.clone(),
            FitFinding::NeutralAbsent,
            FitFinding::FedAtFitting,
            FitFinding::FanWithLamp,
            FitFinding::BehindSwitch,
        ];
        for (_, words) in RULED_OUT {
            for word in words {
                let has = |f: &FitFinding| f.every_way_out().iter().any(|way| way.contains(word));
                assert!(found.iter().any(has), "{word}");
            }
        }
        let refused = [Refused::Extenders].into_iter().collect();
        let firm = Job { refused, ..job.clone() };
        assert_eq!(deep.ways_out(&job).len(), deep.ways_out(&firm).len() + 1);
    }
}
