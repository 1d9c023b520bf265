//! What to do where something speaks against a device at a place: for each finding its ways out, the best first, with what
//! each costs and where it is done, less what the brief refuses.

use self::Row::{Unless, Way};
use self::WayLeads::{AtFitting, Brief, Devices, Hub, Library, Others, Place};
use super::FitFinding;
use crate::site::Job;
use crate::site::Refused::{self, Batteries, Extenders, OpenedWalls};

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

/// A way out of what speaks against a device.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct WayOut {
    /// What is done, as it is said.
    pub says: &'static str,
    /// Where it is done.
    pub leads: WayLeads,
}

/// A row of the table: a way out, and the refusal of the brief that rules it out.
enum Row {
    Way(WayLeads, &'static str),
    Unless(Refused, WayLeads, &'static str),
}

/// What is left where the brief refuses every way out.
const ASK_AGAIN: WayOut =
    WayOut { says: "the brief refuses all that would help: ask the client again", leads: Brief };

impl FitFinding {
    /// The ways out that the brief of a job leaves, the best first.
    pub fn ways_out(&self, job: &Job) -> Vec<WayOut> {
        let left = |row: &Row| match *row {
            Unless(refused, ..) if job.refused.contains(&refused) => None,
            Way(leads, says) | Unless(_, leads, says) => Some(WayOut { says, leads }),
        };
        let left: Vec<WayOut> = self.every_way_out().iter().filter_map(left).collect();
        if left.is_empty() { vec![ASK_AGAIN] } else { left }
    }

    /// The ways out, the best first, whatever the brief says.
    #[expect(clippy::too_many_lines, reason = "a flat table")]
    fn every_way_out(&self) -> &'static [Row] {
        match self {
            Self::NeutralAbsent | Self::NeutralNotSeen => &[
                Way(
                    Devices,
                    "take the version that needs no neutral: it usually does not repeat and may need a minimum load",
                ),
                Way(AtFitting, "put a relay module up at the fitting, where a neutral is"),
                Unless(OpenedWalls, Others, "have a licensed electrician pull a neutral"),
            ],
            Self::NeutralUnknown { .. } => &[Way(
                Place,
                "open the box with its circuit proved dead and look for a bundle at the back",
            )],
            Self::EarthAbsent => &[Way(
                Others,
                "have a licensed electrician decide, or take a device that asks for none",
            )],
            Self::MetalNotEarthed => &[
                Way(Others, "have a licensed electrician bring an earth to the box"),
                Way(Place, "a box of plastic, with a device that asks for no earth"),
            ],
            Self::EarthUnknown { .. } => {
                &[Way(Place, "look for a conductor, or test whether the metal box is earthed")]
            }
            Self::BoxUnknown => &[Way(
                Place,
                "look what box is there, of what, and how deep; say “none” where there is none",
            )],
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
            | Self::PoweredUnknown => {
                &[Way(Library, "read it on its sheet, and note it in the library")]
            }
            Self::BreakerUnrated { .. } => {
                &[Way(Place, "read it on the breaker, and note it with the circuit")]
            }
            Self::SizeUnknown { .. } => &[Way(
                Place,
                "list the conductors of the box with their size, its circuit proved dead",
            )],
            Self::FillUnknown { .. } => &[Way(Place, "look at the box, and note it")],
            Self::FeedUnsaid => {
                &[Way(Place, "see whether a switch of the wall cuts it off, and say so")]
            }
            Self::OverBreaker { .. } => &[
                Way(Others, "a smaller load on this breaker"),
                Way(Others, "have a licensed electrician run a circuit for it"),
            ],
            Self::ThinConductor { .. } => &[Way(
                Others,
                "have a licensed electrician look at breaker and conductors before anything is done there",
            )],
            Self::TooDeep(_) | Self::ShallowBox { .. } | Self::Tight(_) => &[
                Way(Devices, "a slimmer device"),
                Way(AtFitting, "a relay module at the fitting, with a switch or a remote here"),
                Unless(Extenders, Place, "an extender ring: it is seen, and few like it"),
                Unless(OpenedWalls, Others, "a deeper box: plaster is opened and made good"),
                Way(Others, "trimming the box may cost its approval: ask its maker"),
            ],
            Self::TooWide { .. } => {
                &[Way(Devices, "a device of one gang"), Way(Others, "a box of one gang more")]
            }
            Self::DepthUnknown => {
                &[Way(Place, "measure the box inside, from the wall's face to its back")]
            }
            Self::TooFull(_) => &[
                Way(Devices, "fewer devices in this box"),
                Way(AtFitting, "a relay module at the fitting"),
                Unless(Extenders, Place, "an extender ring: it is seen, and few like it"),
                Unless(OpenedWalls, Others, "a larger box: plaster is opened and made good"),
            ],
            Self::VolumeUnknown => {
                &[Way(Place, "read the volume stamped in the box, or measure it")]
            }
            Self::ConductorsUnknown => {
                &[Way(Place, "count the conductors that come in, with their size")]
            }
            Self::NotForDamp | Self::UnderACover => &[
                Way(Devices, "a device rated for outdoors"),
                Way(Others, "an enclosure rated for the weather, on a protected circuit"),
            ],
            Self::LoadUnknown | Self::WattsUnknown { .. } => {
                &[Way(Place, "note what hangs on it: the kind, how many, and the watts of each")]
            }
            Self::LoadNotAllowed { .. } => {
                &[Way(Devices, "a switch or control made for that kind of load")]
            }
            Self::TooMuch(_) => &[
                Way(Devices, "a device for larger loads"),
                Way(Others, "lamps that draw less"),
                Way(Place, "split the load over two channels"),
            ],
            Self::TooLittle { .. } => &[
                Way(Place, "a bypass capacitor at the lamp, one for each unit that needs it"),
                Way(Devices, "a device that needs a neutral and no least load"),
            ],
            Self::AsleepTooLittle { .. } => &[
                Way(Place, "a bypass capacitor at one of the lamps"),
                Way(Devices, "a device that needs a neutral and no least load"),
                Way(Place, "say in which circuit the lamps are, where it is another one"),
            ],
            Self::NotDimmable { .. } => &[
                Way(Others, "lamps that can be dimmed"),
                Way(Devices, "a switch in place of the dimmer"),
            ],
            Self::DimmableUnknown { .. } => &[Way(Place, "read it on the lamp or its box")],
            Self::BenchTest { .. } => {
                &[Way(Others, "try lamp and dimmer on a bench before the day")]
            }
            Self::Inrush { .. } => &[
                Way(Devices, "a device with a higher rating"),
                Way(Others, "a contactor between the two"),
            ],
            Self::InrushUnknown { .. } => {
                &[Way(Place, "read it on the driver's sheet, or try them on a bench")]
            }
            Self::SwitchedTogether { .. } => &[
                Way(Devices, "a device with a channel for each"),
                Way(Others, "leave them together and say so to the client"),
            ],
            Self::GangUnknown => {
                &[Way(Place, "say how many gangs the box has, and into which it goes")]
            }
            Self::ChannelFull { .. } => &[
                Way(Place, "move a load to another channel"),
                Way(Devices, "a device for larger loads"),
            ],
            Self::ChannelUnsaid { .. } | Self::ChannelOpen { .. } | Self::NoSuchChannel { .. } => {
                &[Way(Place, "say which load hangs on which channel, before it is wired")]
            }
            Self::StaysDepthUnknown { .. } => {
                &[Way(Place, "measure what stays in the box, or read it on its sheet")]
            }
            Self::WrongMix { .. } => &[
                Way(Devices, "the companion of the same family"),
                Unless(
                    Batteries,
                    Devices,
                    "a battery remote on that plate, with the old conductors joined or capped",
                ),
                Way(Devices, "a master that takes what is there"),
            ],
            Self::FarUnplanned { .. } => &[
                Way(Devices, "plan a companion of the same family there"),
                Unless(
                    Batteries,
                    Devices,
                    "a battery remote on its plate, its old conductors joined or capped",
                ),
            ],
            Self::FarAlone { .. } => {
                &[Way(Place, "name the group that it belongs to, and the powered unit in it")]
            }
            Self::WiringUnknown => &[Way(
                Place,
                "find out with the circuit proved dead which box has line and which the load",
            )],
            Self::FedAtFitting => &[
                Unless(
                    Batteries,
                    AtFitting,
                    "a relay module at the fitting, with battery remotes on the plates",
                ),
                Unless(OpenedWalls, Others, "have a licensed electrician bring line to the box"),
            ],
            Self::WrongBox { .. } => &[
                Way(Place, "put it into that box"),
                Way(Devices, "a device that may be in either"),
            ],
            Self::NotKept { .. } => {
                &[Way(Devices, "another device"), Way(Place, "say again what came of the trial")]
            }
            Self::RefusedInBrief { .. } => &[
                Way(Devices, "another device"),
                Way(Brief, "ask the client again, and note in the brief what they say"),
            ],
            Self::PlatformLacks { .. } => &[
                Way(Devices, "a device that the platform reaches"),
                Way(Brief, "a bridge between the two, with its purpose noted in the brief"),
            ],
            Self::NoFrequencies => &[Way(Devices, "a system that is allotted frequencies here")],
            Self::NetworkFull { .. } => {
                &[Way(Hub, "a second hub"), Way(Devices, "another system for part of the house")]
            }
            Self::OtherFinish { .. } => &[
                Way(Others, "another finish, agreed with the client"),
                Way(
                    Others,
                    "a clip-on paddle of its maker; paint jams it and takes it off the air",
                ),
            ],
            Self::FinishUnknown { .. } => &[Way(Others, "ask its maker before it is bought")],
            Self::ShortLife { .. } => &[
                Way(Devices, "a longer-lived model"),
                Way(Others, "agree on a date to replace it, and keep a spare"),
            ],
            Self::LifeUnknown { .. } => {
                &[Way(Library, "ask its maker, and note it in the library")]
            }
            Self::BehindSwitch => &[
                Way(Place, "keep the relay of that switch closed and let it send commands instead"),
                Unless(
                    Batteries,
                    Devices,
                    "join its line through and put a battery remote on the plate",
                ),
                Way(Hub, "lock the switch, and put its part as a repeater elsewhere"),
            ],
            Self::OnCord => &[
                Way(Others, "agree that it stays plugged in, and mark the plug"),
                Way(Devices, "a wired repeater nearby in its place"),
            ],
            Self::ToMakeOpen { .. } => {
                &[Way(Others, "measure the way of the cable, and agree who opens the wall")]
            }
            Self::ToMake => &[
                Way(Devices, "a remote on the wall in its place"),
                Way(AtFitting, "a unit at the fitting"),
            ],
            Self::KeptUnsaid { .. } => {
                &[Way(Place, "say in the survey what the switch that stays is for")]
            }
            Self::KeptOver { .. } => &[
                Way(Devices, "a switch of a larger rating"),
                Way(Place, "let it tell the unit in place of carrying the load"),
            ],
            Self::KeptLoadOpen { .. } => &[Way(Place, "read it on the lamps, and note it")],
            Self::KeptUnrated { .. } => &[Way(Place, "read it on the switch, or on its sheet")],
            Self::KeptCuts { .. } => &[
                Way(Place, "let it tell the unit in place of cutting it off"),
                Way(Others, "agree that it stays on, and mark it"),
            ],
            Self::InMetal => &[
                Way(Devices, "a body of plastic, glass or wood"),
                Way(Devices, "a relay at the wall in its place"),
                Way(Place, "measure it closed, in place, before it is counted on"),
            ],
            Self::InsideLamp => &[
                Way(Devices, "a plug-in unit before the lamp"),
                Way(Others, "photograph its code before the lamp is closed"),
            ],
            Self::NothingSwitches { .. } => &[
                Way(AtFitting, "smart lamps, or a relay module at the fitting"),
                Way(Devices, "a switch here, and the remote at another place"),
            ],
            Self::FanWithLamp => &[
                Unless(OpenedWalls, Others, "pull a conductor so that the lamp has its own"),
                Way(Devices, "a smart lamp in the fitting, and the fan control for the fan alone"),
            ],
            Self::FanShares { .. } => &[
                Way(Others, "have a licensed electrician feed it from a breaker of its own"),
                Way(Others, "leave it where it is, and say so to the client"),
            ],
            Self::FanCircuitUnknown { .. } => {
                &[Way(Place, "find out which breaker feeds it, and what else")]
            }
            Self::NoResidual => {
                &[Way(Others, "have a licensed electrician add it before anything goes outdoors")]
            }
            Self::ResidualUnknown => &[Way(Place, "look at the panel: a test button marks it")],
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_the_brief_refuses_is_no_way_out() {
        let job = Job::new(
            "A job",
            crate::radio::region::Region::Eu,
            crate::confidence::Confidence::new(0.95).unwrap_or_else(|_| unreachable!("it is one")),
        );
        let ruled_out = [
            (Extenders, FitFinding::ShallowBox { inside: 30.0, least: 40.0 }, 1),
            (OpenedWalls, FitFinding::NeutralAbsent, 1),
            (OpenedWalls, FitFinding::FanWithLamp, 1),
            (Batteries, FitFinding::BehindSwitch, 1),
            (Batteries, FitFinding::EarthAbsent, 0),
        ];
        for (refused, found, fewer) in ruled_out {
            let firm = Job { refused: [refused].into_iter().collect(), ..job.clone() };
            let (all, left) = (found.ways_out(&job), found.ways_out(&firm));
            assert_eq!(all.len(), left.len() + fewer, "{found:?}");
            assert!(left.iter().all(|way| all.contains(way)), "{found:?}");
        }
        let both = Job { refused: [OpenedWalls, Batteries].into_iter().collect(), ..job };
        assert_eq!(FitFinding::FedAtFitting.ways_out(&both), [ASK_AGAIN]);
    }
}
