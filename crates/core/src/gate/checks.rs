//! What is looked at one by one before a step counts as done. The cautions of the work stand here, where the
//! work is; the rows are `data/day.toml`.

use std::sync::LazyLock;

use serde::Deserialize;

use super::fixing::fixed;
use super::work::WorkedDevice;
use crate::catalogue::{Button, DeviceKind, Duty, Far, PointKind, Supply};
use crate::fit::FitPlace;
use crate::record::Step;
use crate::site::{
    Becomes, ComesIn, Control, Device, DeviceShare, Earth, Function, OldUse, Platform, Point,
    Residual,
};
use crate::survey::classes;
use crate::wires;

/// A check of a step.
#[derive(Clone, Debug, PartialEq)]
pub struct StepCheck {
    /// Its word in a mark.
    pub word: String,
    /// What is looked at.
    pub text: String,
    /// Whether it is ticked by itself: life hangs on it.
    pub alone: bool,
}

/// Where a row of the day applies.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "kebab-case")]
enum Applies {
    /// Everywhere.
    #[default]
    Always,
    /// Above reach, or outdoors.
    HighOrWet,
    /// In a switch box.
    InBox,
    /// In a box of several gangs whose device is derated there.
    InWideBox,
    /// Where an earth comes in or is wanted.
    HasEarth,
    /// Where a conductor is spare or capped, none is listed, or what comes there takes none.
    HasUnused,
    /// Where the load is worked from several places.
    SeveralPlaces,
    /// On a battery.
    Battery,
    /// On the mains.
    Mains,
    /// Where it switches, or gives light itself.
    Switches,
    /// Where it dims.
    Dims,
    /// With a button of its own.
    OwnButton,
    /// With a wired wall switch before it.
    WiredButton,
    /// With a radio.
    HasRadio,
    /// A remote.
    Remote,
    /// In a house of several platforms.
    SeveralPlatforms,
    /// Above reach.
    IsHigh,
    /// Outdoors.
    IsOutdoors,
    /// Where a box is opened.
    OpensBox,
    /// A module behind or before the mechanism of a wall switch.
    Module,
    /// Wired in, and switching by electronics or a relay.
    SwitchesWired,
    /// Of several channels.
    SeveralChannels,
    /// A wired outlet that it switches.
    Outlet,
    /// In the body of a lamp on a cord.
    OnCord,
    /// Where something works once it is closed: all but a cover.
    Works,
    /// In a box that a plate or a cover closes.
    HasPlate,
    /// What keeps a network, its rules and its account.
    Hub,
    /// In the place of something that still answers.
    ReplacesLiving,
}

impl Applies {
    fn holds(self, spot: &WorkedDevice<'_>) -> bool {
        match self {
            Self::Always => true,
            Self::HighOrWet => {
                spot.point.height_m.get() > 2.1 || spot.point.kind == PointKind::Outdoor
            }
            Self::InBox => spot.point.kind == PointKind::Switch,
            Self::InWideBox => {
                let gangs = || FitPlace::of(spot.site, spot.point, Some(spot.device)).gangs;
                spot.kind.fit.derated.is_some() && gangs() > 1
            }
            Self::HasEarth => {
                spot.kind.fit.wants_earth()
                    || spot.site.box_of(spot.point).earth == Earth::Conductor
            }
            Self::HasUnused => {
                let conductors = &spot.site.box_of(spot.point).conductors;
                !spot.kind.is_on_mains()
                    || conductors.is_empty()
                    || conductors.iter().any(|c| c.capped || c.found == Function::Spare)
            }
            Self::SeveralPlaces => {
                spot.site.group_of(&spot.point.id).is_some_and(|g| g.places.len() > 1)
            }
            Self::Battery => spot.kind.supply == Supply::Battery,
            Self::Mains => spot.kind.is_on_mains(),
            Self::Switches => spot.kind.fit.switches() || spot.kind.fit.gives_light,
            Self::Dims => spot.kind.fit.is_dimmer(),
            Self::OwnButton => spot.kind.button == Some(Button::Own),
            Self::WiredButton => spot.kind.button == Some(Button::Wired),
            Self::HasRadio => spot.kind.has_radio,
            Self::Remote => spot.kind.is_hand_held() || spot.kind.fit.far == Far::Remote,
            Self::ReplacesLiving => !spot.device.replaces_dead,
            Self::Hub => spot.kind.duty == Duty::Hub,
            Self::SeveralPlatforms => spot.site.platforms.len() > 1,
            Self::IsHigh => spot.point.height_m.get() > 2.1,
            Self::IsOutdoors => spot.point.kind == PointKind::Outdoor,
            Self::OpensBox => spot.opens_box(),
            Self::Module => {
                spot.kind.button == Some(Button::Wired) && spot.kind.has_radio && spot.opens_box()
            }
            Self::SwitchesWired => spot.kind.fit.switches() && spot.opens_box(),
            Self::SeveralChannels => spot.kind.fit.channels > 1,
            Self::OnCord => spot.is_on_cord(),
            Self::Works => !spot.kind.is_cover(),
            Self::HasPlate => spot.opens_box() && spot.takes(Step::Closed),
            Self::Outlet => spot.point.kind == PointKind::Socket && spot.kind.fit.switches(),
        }
    }
}

#[derive(Deserialize)]
struct CheckRow {
    step: Step,
    word: String,
    text: String,
    #[serde(default)]
    alone: bool,
    #[serde(default)]
    at: Applies,
}

#[derive(Deserialize)]
struct CautionRow {
    step: Step,
    text: String,
    #[serde(default)]
    at: Applies,
}

/// What is kept of a device as it was set.
#[derive(Debug, Deserialize)]
pub struct SettingRow {
    /// What it is called.
    pub name: String,
    /// The words that it usually has; none where it is a number or free words.
    #[serde(default)]
    pub values: Vec<String>,
    #[serde(default)]
    at: Applies,
}

#[derive(Deserialize)]
struct FindingRow {
    word: String,
    text: String,
}

#[derive(Default, Deserialize)]
struct DayRows {
    check: Vec<CheckRow>,
    caution: Vec<CautionRow>,
    setting: Vec<SettingRow>,
    power: Vec<String>,
    finding: Vec<FindingRow>,
    default_room: Vec<String>,
}

/// The rows. A broken file is a defect that the tests catch.
static ROWS: LazyLock<DayRows> =
    LazyLock::new(|| toml::from_str(include_str!("../../data/day.toml")).unwrap_or_default());

/// The checks of a step at a device, in order: the rows, then what its own sheet, its system and the
/// platforms of the house ask for.
pub fn checks(spot: &WorkedDevice<'_>, step: Step) -> Vec<StepCheck> {
    let rows = ROWS.check.iter().filter(|row| row.step == step && row.at.holds(spot));
    let check = |row: &CheckRow| StepCheck {
        word: row.word.clone(),
        text: row.text.clone(),
        alone: row.alone,
    };
    let mut all: Vec<StepCheck> = rows.map(check).collect();
    let shows = &spot.kind.join.first_light;
    if let Some(light) = all.iter_mut().find(|c| c.word == "light" && !shows.is_empty()) {
        light.text = format!(
            "At first power its light {shows}; where it shows anything else, “It does not work” says what that is"
        );
    }
    // Whatever else is proved dead, and what protects a life, is ticked by itself too.
    let mut add = |word: String, text: String| {
        let alone = step == Step::Dead || ["residual", "capped"].contains(&word.as_str());
        all.push(StepCheck { word, text, alone });
    };
    match step {
        Step::Dead => {
            if let Some(text) = made(spot) {
                add("made".to_owned(), text);
            }
            for stays in &spot.site.box_of(spot.point).stays {
                let gang =
                    if stays.gang > 0 { format!(" in gang {}", stays.gang) } else { String::new() };
                let text = format!("Dead at the {} that stays{gang}", stays.what.name());
                add(format!("stays-{}", stays.id), text);
            }
            for other in left_in_box(spot) {
                let text = format!("Dead at {}, which stays in the box", other.name);
                add(format!("there-{}", other.id), text);
            }
        }
        Step::Wired => {
            // Nobody reaches these once it is closed.
            for (n, hidden) in spot.kind.wiring.hidden.iter().enumerate() {
                add(format!("hidden-{n}"), format!("Set before it is closed: {hidden}"));
            }
            if !spot.kind.set_to.is_empty() {
                add(
                    "set-to".to_owned(),
                    format!("Set to what is planned here: {}", spot.kind.set_to),
                );
            }
            for (channel, text) in spare_outputs(spot) {
                add(format!("spare-{channel}"), text);
            }
        }
        Step::Powered if spot.opens_box() => {
            if let Some(text) = works_again(spot) {
                add("hangs-on".to_owned(), text);
            }
            if let Some(text) = residual_tried(spot) {
                add("residual".to_owned(), text);
            }
        }
        Step::Decoupled => {
            // Whatever switches it off by word, room or "all off" leaves the lamp dark, and its key works nothing.
            for platform in &spot.site.platforms {
                let text =
                    format!("Its relay is hidden in {}: from voice, rooms, all off", platform.name);
                add(format!("hidden-{}", platform.id), text);
            }
        }
        Step::Joined if spot.kind.join.deletes_too => add(
            "once".to_owned(),
            "Pressed once only: the same press takes it out again when it is in".to_owned(),
        ),
        _ => {}
    }
    let further = match step {
        Step::Settings => set_up(spot).into_iter().collect(),
        Step::Tied => tied(spot),
        Step::Placed => fixed(spot),
        Step::Closed if !spot.takes(Step::Placed) => fixed(spot),
        Step::Named => pointed_anew(spot).into_iter().chain(named(spot)).collect(),
        _ => Vec::new(),
    };
    for (word, text) in further {
        add(word, text);
    }
    all
}

/// What a remote works by itself, load by load: one that answers says nothing of the next.
fn tied(spot: &WorkedDevice<'_>) -> Vec<(String, String)> {
    let several = spot.binds().count() > 1;
    let asked = spot.binds().filter(|c| several || !c.by_hand().is_empty());
    let check = |control: Control<'_>| {
        let load = spot.site.devices.get(control.load);
        let name = load.map_or(control.load.as_str(), |d| d.name.as_str());
        let by = control.by_hand();
        let text = match by.as_str() {
            "" => format!("It works {name}"),
            by => format!("By {by} it works {name}, and nothing else"),
        };
        (format!("hand-{}", control.mark()), text)
    };
    asked.map(check).collect()
}

/// The name of a device, and its room where it has one.
fn called(spot: &WorkedDevice<'_>) -> String {
    let name = spot.device.name.trim();
    match spot.site.room_name(spot.point).trim() {
        "" => format!("“{name}”"),
        room => format!("“{name}”, in {room}"),
    }
}

/// The word under which the name of a device in a platform is ticked. It holds for what was looked at: renamed, or in
/// another room, it is another.
pub fn name_tick(spot: &WorkedDevice<'_>, platform: &str) -> String {
    let said = format!("{} {}", spot.device.name, spot.site.room_name(spot.point));
    let words = said.split(|c: char| !c.is_alphanumeric()).filter(|word| !word.is_empty());
    let said = words.map(str::to_lowercase).collect::<Vec<_>>().join("-");
    format!("in-{platform}-{said}")
}

/// Whether a room is one that platforms make by themselves, by its name.
pub fn is_default_room(name: &str) -> bool {
    let name = name.trim().to_lowercase();
    name.is_empty() || ROWS.default_room.contains(&name)
}

/// How it stands in each platform.
fn named(spot: &WorkedDevice<'_>) -> Vec<(String, String)> {
    let class = classes::class(spot.site, spot.device, spot.kind);
    let there = class.map_or_else(String::new, |class| {
        let word = class.name();
        let a = if word == "outlet" { "an" } else { "a" };
        format!(", there as {a} {word}")
    });
    let of = |platform: &Platform| {
        let said: Vec<&DeviceShare> = shares(spot).filter(|s| s.platform == platform.id).collect();
        let is_there = said.iter().all(|share| share.comes != ComesIn::KeptOut);
        let shared = said.iter().map(|share| (share.tick(), stands_in(share, &platform.name)));
        let mut all: Vec<(String, String)> = shared.collect();
        all.extend(is_there.then(|| {
            let text = format!("In {} it is called {}{there}", platform.name, called(spot));
            (name_tick(spot, platform.id.as_str()), text)
        }));
        all
    };
    spot.site.platforms.iter().flat_map(of).collect()
}

/// What is set as the house is, and that spare keys move nothing.
fn set_up(spot: &WorkedDevice<'_>) -> Vec<(String, String)> {
    let house = |name: &'static str| {
        let house = spot.site.job.settings.get(name).map(|v| v.trim()).filter(|v| !v.is_empty())?;
        let n = ROWS.setting.iter().position(|row| row.name == name)?;
        Some((format!("house-{n}"), format!("{name}: {house}, as the house is set")))
    };
    let spare = spot.spare_channels().into_iter().map(|channel| {
        let text = format!(
            "Key {channel} is an entry of its own in the hub's list, and moves no load by itself"
        );
        (format!("spare-{channel}"), text)
    });
    settings(spot).map(|row| row.name.as_str()).filter_map(house).chain(spare).collect()
}

/// What named the old device that it replaces: each points here, or is gone.
fn pointed_anew(spot: &WorkedDevice<'_>) -> Vec<(String, String)> {
    let uses = spot.site.old_uses.iter().filter(|u| u.device == spot.device.id);
    let told = |of: &OldUse| {
        let title = of.title();
        let text = match of.becomes {
            Becomes::Open => format!("Decided and done: the {title} points here, or is deleted"),
            Becomes::Pointed => format!("The {title} points here, and was run once"),
            Becomes::Deleted => format!("The {title} is deleted"),
        };
        (format!("use-{}", of.id), text)
    };
    uses.map(told).collect()
}

/// What is said of a device in further platforms.
fn shares<'a>(spot: &WorkedDevice<'a>) -> impl Iterator<Item = &'a DeviceShare> + use<'a> {
    let own = spot.device.id.clone();
    spot.site.shares.iter().filter(move |share| share.device == own)
}

/// What is looked at where a device comes into a further platform, or is kept out of it.
fn stands_in(share: &DeviceShare, platform: &str) -> String {
    match share.comes {
        ComesIn::LetIn => {
            let window = share
                .window_minutes
                .map_or_else(String::new, |minutes| format!(", open for {minutes} minutes"));
            let code = match share.code.trim() {
                "" => "the code that is shown".to_owned(),
                code => format!("its code {code}"),
            };
            format!(
                "Let into {platform}: its window opened where it is joined{window}, {code} typed in {platform}, once"
            )
        }
        ComesIn::ByItself => format!("Arrived in {platform} by itself, and stands there once"),
        ComesIn::KeptOut => {
            format!("Is not seen in {platform}: looked, and taken out where it had come by itself")
        }
    }
}

/// What is in the box of a device already, and stays there.
fn left_in_box<'a>(spot: &WorkedDevice<'a>) -> impl Iterator<Item = &'a Device> + use<'a> {
    let (site, own) = (spot.site, spot.device.id.clone());
    let lead = site.box_of(spot.point).id.clone();
    let in_box = site.points.iter().filter(move |p| site.box_of(p).id == lead);
    let there = in_box.flat_map(|p| site.devices_at(&p.id)).filter(move |d| d.id != own);
    there.filter(|d| d.is_there() && site.kind(&d.kind).is_some_and(DeviceKind::is_wired_in))
}

/// The outputs of a device on which no load hangs, by their channel, with what becomes of each.
pub fn spare_outputs(spot: &WorkedDevice<'_>) -> impl Iterator<Item = (u8, String)> + use<> {
    spot.spare_channels().into_iter().map(|channel| {
        let text = format!(
            "Channel {channel} has no load: its output is capped by itself, and written down"
        );
        (channel, text)
    })
}

/// What has to be there before a box that was made is worked in.
fn made(spot: &WorkedDevice<'_>) -> Option<String> {
    let new = spot.site.box_of(spot.point).to_make.as_ref()?;
    let from = new.cable_from.as_ref().and_then(|id| spot.site.points.get(id));
    let from = from.map_or_else(|| "where it is fed from".to_owned(), Point::title);
    let depth = spot.site.box_of(spot.point).depth_mm;
    let depth = depth.map_or_else(String::new, |mm| format!(", {mm:.0} mm deep inside"));
    Some(format!(
        "The box is made by its template{depth}, its cable from {from} is in and held, and that end is proved dead too"
    ))
}

/// What is tried once power is back: what hangs on the joints of the box.
fn works_again(spot: &WorkedDevice<'_>) -> Option<String> {
    let behind = spot.site.hangs_on(spot.point);
    if !behind.is_empty() {
        let names: Vec<String> = behind.iter().map(|p| p.title()).collect();
        return Some(format!(
            "What hangs on this box works again, each tried: {}",
            names.join(", ")
        ));
    }
    let own = wires::of_place(spot.site, &spot.point.id);
    let plan = own.iter().flat_map(|c| &c.boxes).find(|b| b.point == spot.point.id);
    // What nobody listed can go on from here.
    let is_listed = |b: &&wires::BoxPlan| b.conductors.iter().all(|c| c.is_surveyed);
    match plan.filter(is_listed).map(|b| b.feeds_on) {
        Some(0) => None,
        None => Some("Nothing else went dark with this box, or what did works again".to_owned()),
        Some(feeds_on) => Some(format!(
            "What goes on from this box works again: {} that nobody has named. Find out where, and try it",
            if feeds_on == 1 { "a feed".to_owned() } else { format!("{feeds_on} feeds") }
        )),
    }
}

/// Residual-current protection is tried after every work on its circuit (IEC 60364-6, 6.4.3.8).
fn residual_tried(spot: &WorkedDevice<'_>) -> Option<String> {
    let circuits = spot.circuits();
    let mut rows =
        spot.site.circuits.iter().filter(|c| circuits.iter().any(|l| l == c.label.trim()));
    rows.any(|c| c.residual == Residual::Protected).then(|| {
        let behind = spot.site.hangs_on(spot.point);
        let outlets = behind.iter().filter(|p| matches!(p.kind, PointKind::Socket | PointKind::Outdoor));
        let names: Vec<String> = outlets.map(|p| p.title()).collect();
        let also = if names.is_empty() {
            String::new()
        } else {
            format!("; the outlets behind are dark with it: {}", names.join(", "))
        };
        format!("Residual-current protection trips by its test button, and holds when it is set again{also}")
    })
}

/// What can hurt at a step of a device.
pub fn cautions(spot: &WorkedDevice<'_>, step: Step) -> Vec<String> {
    let rows = ROWS.caution.iter().filter(|row| row.step == step && row.at.holds(spot));
    let mut all: Vec<String> = rows.map(|row| row.text.clone()).collect();
    if step == Step::Dead {
        let behind = spot.site.hangs_on(spot.point);
        let names: Vec<String> = behind.iter().map(|p| p.title()).collect();
        let told = format!("Dark while this box is open: {}.", names.join(", "));
        all.extend((!names.is_empty()).then_some(told));
    }
    if step == Step::Dead && spot.site.box_of(spot.point).to_make.is_some() {
        all.push(
            "Before a hole is cut: cables and pipes looked for with a detector, what may run there switched off; no joist \
             and no lintel is weakened."
                .to_owned(),
        );
    }
    all
}

/// What is looked at before power is let in for finding lines.
pub fn finding() -> impl Iterator<Item = StepCheck> {
    let check =
        |r: &FindingRow| StepCheck { word: r.word.clone(), text: r.text.clone(), alone: true };
    ROWS.finding.iter().map(check)
}

/// What is kept of a device as it was set.
pub fn settings(spot: &WorkedDevice<'_>) -> impl Iterator<Item = &'static SettingRow> {
    ROWS.setting.iter().filter(|row| row.at.holds(spot))
}

/// Every setting that is kept of a device, whatever the device.
pub fn all_settings() -> impl Iterator<Item = &'static SettingRow> {
    ROWS.setting.iter()
}

/// What can hurt when power is switched off or on.
pub fn power_cautions() -> impl Iterator<Item = &'static str> {
    ROWS.power.iter().map(String::as_str)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_file_of_the_day_is_read_whole_and_every_step_with_power_has_its_caution() {
        assert_eq!(ROWS.check.len(), 82);
        assert_eq!(ROWS.setting.len(), 9);
        assert_eq!(ROWS.power.len(), 3);
        assert_eq!(ROWS.finding.len(), 5);
        for step in [Step::Dead, Step::Noted, Step::Wired, Step::Powered, Step::Closed] {
            assert!(ROWS.caution.iter().any(|row| row.step == step), "{step:?}");
        }
        for (n, row) in ROWS.check.iter().enumerate() {
            let twice = |other: &CheckRow| (other.step, &other.word) == (row.step, &row.word);
            assert!(!ROWS.check[..n].iter().any(twice), "{} twice", row.word);
        }
    }
}
