//! The words of everything that is refused, found or told, in one place for a person to read: a
//! change of any of them shows in `golden/words.txt`. After a change that is meant, run with
//! `BLESS=1` and read the difference.

#![expect(clippy::unwrap_used, reason = "an id that is taken here has failed the test")]

use dot_reach_core::codes::CodeError;
use dot_reach_core::confidence::Confidence;
use dot_reach_core::findings::Found;
use dot_reach_core::fit::{CompanionClash, Depths, FitFinding, Volumes, Watts};
use dot_reach_core::gate::Lacks;
use dot_reach_core::gate::isolate::OffReason as Cut;
use dot_reach_core::network::outcome::FallBack;
use dot_reach_core::network::{Reason, RoleReason};
use dot_reach_core::radio::region::Region;
use dot_reach_core::record::Step;
use dot_reach_core::site::{Job, Kind, Limit, Ref, Refusal, Wrong};
use dot_reach_core::survey::hard_spots::HARD_SPOTS;
use dot_reach_core::units::{Db, Dbm, Metres};

fn refusals() -> Vec<Refusal> {
    let point = || Ref::new(Kind::Point, "p1");
    let floor = Ref::new(Kind::Floor, "attic");
    let (is, m) = (7, Metres::new);
    let wrongs = vec![
        ("name", Wrong::NoName),
        ("name", Wrong::LongText { is: 130, most: 120 }),
        ("height_m", Wrong::NoLength { text: "wide".to_owned() }),
        ("id", Wrong::Id("a b".parse::<dot_reach_core::site::PointId>().unwrap_err())),
        ("at", Wrong::OffSheet { reach: 2000.0 }),
        ("height_m", Wrong::Length { is: m(0.0), low: 1.0, high: 20.0 }),
        ("length", Wrong::ShortWall { is: m(0.0), least: m(0.05) }),
        ("openings", Wrong::Twice { id: "o1".to_owned() }),
        ("openings", Wrong::Overlap),
        ("outline", Wrong::Corners { is: 2 }),
        ("metres_per_px", Wrong::Scale),
        ("image", Wrong::NoHash),
        ("length_m", Wrong::OnePlace),
        ("length_m", Wrong::TrueLength { is: m(900.0) }),
        ("depth_mm", Wrong::Depth { mm: 3.0 }),
        ("busy", Wrong::Share { is: 1.5 }),
        ("rssi_dbm", Wrong::Level { is: Dbm::new(90.0) }),
        ("tx_dbm", Wrong::Power { is: Dbm::new(50.0) }),
        ("tx_dbm", Wrong::Sheet { is: 50.0, low: -40.0, high: 36.0, unit: "dBm" }),
        ("channel", Wrong::Carrier("Wi-Fi at 2.4 GHz has the channels 1 to 13")),
        ("channel", Wrong::NoChannels { system: "Z-Wave" }),
        ("channel", Wrong::Channel { is: 9, first: 11, last: 26 }),
        ("most_hops", Wrong::Count { is: 0, least: 1, most: 10_000 }),
        ("at", Wrong::NoTime),
        ("to", Wrong::OneEnd),
        ("load", Wrong::Itself),
        ("calibration", Wrong::Correction),
        ("floor", Wrong::NoSuch(floor)),
        ("colour", Wrong::Unreadable { text: "unknown field `colour`".to_owned() }),
        ("id", Wrong::IdStays),
        ("kind", Wrong::JobStays),
        ("kind", Wrong::NoKind),
        ("wiring", Wrong::NotOfGroup),
        ("in_box_of", Wrong::BoxOfBox),
        ("gang", Wrong::Gang { is: 3, gangs: 2 }),
        ("tester", Wrong::NotSaid),
        ("circuits", Wrong::NoCircuit),
        ("means", Wrong::SafetyOutlet),
        ("master", Wrong::OwnMaster),
        ("from", Wrong::NoMoment),
        ("step", Wrong::NotYet { missing: Lacks::Isolation.to_string() }),
        ("why", Wrong::NotYetUnless { missing: Lacks::Step(Step::Tested).to_string() }),
        ("do", Wrong::ByStep),
        ("by", Wrong::NotTheirs { holder: "Kit".to_owned() }),
        ("step", Wrong::OwnAct),
        ("text", Wrong::CodeOfAnother { name: "Hall lamp".to_owned() }),
        ("master", Wrong::NoMasterOfIt),
        ("isolation", Wrong::OnAgain),
        ("id", Wrong::ShutAlready),
        ("expected", Wrong::NothingExpected),
        ("trigger", Wrong::NothingTested),
        ("text", Wrong::Code(CodeError::CheckDigit)),
        ("text", Wrong::Code(CodeError::Checksum)),
        ("text", Wrong::Code(CodeError::Sign { sign: 'O' })),
        ("text", Wrong::Code(CodeError::Other { is: "Matter", wanted: "Z-Wave" })),
    ];
    let mut all: Vec<_> = wrongs
        .into_iter()
        .map(|(field, why)| Refusal::Wrong { field: field.to_owned(), why })
        .collect();
    all.push(Refusal::Missing(point()));
    all.push(Refusal::InUse { thing: Ref::new(Kind::Network, "n"), count: 1, by: Kind::Device });
    all.push(Refusal::InUse { thing: Ref::new(Kind::Network, "n"), count: is, by: Kind::Device });
    let counted = [Limit::OpeningsInAWall, Limit::OpeningsOnAStorey, Limit::Openings];
    let counted = counted.into_iter().chain([Limit::HolesInASlab, Limit::BatchEdits]);
    let counted = counted
        .chain([Limit::BatchDepth, Limit::DevicesInANetwork])
        .chain(Kind::TABLES.map(Limit::Things));
    all.extend(counted.map(|limit| Refusal::TooMany { limit, count: limit.most() + 1 }));
    all
}

#[expect(clippy::too_many_lines, reason = "one line a finding")]
fn found() -> Vec<Found> {
    let s = |text: &str| text.to_owned();
    let depths = Depths { inside: 35.0, device: 41.0, mechanism: 0.0 };
    let fits = [
        FitFinding::NeutralAbsent,
        FitFinding::NeutralNotSeen,
        FitFinding::NeutralUnknown { likely: None },
        FitFinding::TooDeep(depths),
        FitFinding::Tight(Depths { inside: 48.0, device: 41.0, mechanism: 0.0 }),
        FitFinding::TooDeep(Depths { inside: 28.0, device: 20.0, mechanism: 15.0 }),
        FitFinding::BoxUnknown,
        FitFinding::DeviceDepthUnknown,
        FitFinding::LimitsUnknown,
        FitFinding::MetalNotEarthed,
        FitFinding::EarthUnknown { is_metal: true },
        FitFinding::OverBreaker { is: 3400.0, volts: 230.0, amperes: 14.8, rated: 6.0 },
        FitFinding::ThinConductor { size: "1 mm²", carries: 13.0, rated: 32.0 },
        FitFinding::AsleepTooLittle { lamps: 4, is: 2.0, least: 5.0 },
        FitFinding::EarthAbsent,
        FitFinding::EarthUnknown { is_metal: false },
        FitFinding::ShallowBox { inside: 34.0, least: 35.0 },
        FitFinding::DepthUnknown,
        FitFinding::TooFull(Volumes { has: 295.0, needs: 327.7, yokes: 2 }),
        FitFinding::VolumeUnknown,
        FitFinding::ConductorsUnknown,
        FitFinding::NotForDamp,
        FitFinding::UnderACover,
        FitFinding::LoadUnknown,
        FitFinding::WattsUnknown { name: s("Hall lamps") },
        FitFinding::LoadNotAllowed { name: s("Bath fan"), what: "fan", dims: true },
        FitFinding::LoadNotAllowed { name: s("Hall lamps"), what: "LED", dims: false },
        FitFinding::TooMuch(Watts {
            what: "LED",
            is: 130.0,
            most: 120.0,
            left: 0.8,
            is_mixed: true,
        }),
        FitFinding::TooLittle { is: 4.0, least: 5.0 },
        FitFinding::NotDimmable { name: s("Hall lamps") },
        FitFinding::DimmableUnknown { name: s("Hall lamps") },
        FitFinding::BenchTest { name: s("Hall lamps") },
        FitFinding::Inrush { is: 40.0, most: 25.0 },
        FitFinding::InrushUnknown { names: vec![s("Hall lamps"), s("Den lamps")], most: 25.0 },
        FitFinding::SwitchedTogether { names: vec![s("Pump"), s("Lights")], channels: 1 },
        FitFinding::GangUnknown,
        FitFinding::WrongMix { other: s("Stairs top"), clash: CompanionClash::OtherFamily },
        FitFinding::WrongMix { other: s("Stairs top"), clash: CompanionClash::PlainOnElectronic },
        FitFinding::WrongMix { other: s("Stairs top"), clash: CompanionClash::ElectronicOnPlain },
        FitFinding::WrongMix { other: s("Stairs top"), clash: CompanionClash::TwoMasters },
        FitFinding::WrongMix { other: s("Stairs top"), clash: CompanionClash::NoWire },
        FitFinding::WrongMix { other: s("Stairs top"), clash: CompanionClash::NoRadio },
        FitFinding::FarAlone { what: "a two-terminal electronic companion" },
        FitFinding::WiringUnknown,
        FitFinding::FedAtFitting,
        FitFinding::WrongBox { what: "where the load leaves", at: s("Stairs top") },
        FitFinding::NeutralUnknown { likely: Some(true) },
        FitFinding::NeutralUnknown { likely: Some(false) },
        FitFinding::PlatformLacks { platform: s("Voice") },
        FitFinding::PlatformUnknown { platform: s("Voice") },
        FitFinding::NoFrequencies,
        FitFinding::NetworkFull { is: 76, most: 75 },
        FitFinding::OtherFinish { wanted: s("steel"), comes: vec![s("white"), s("black")] },
        FitFinding::FinishUnknown { wanted: s("steel") },
        FitFinding::ShortLife { lasts: 5.0, keep: 10.0 },
        FitFinding::LifeUnknown { keep: 10.0 },
        FitFinding::BehindSwitch,
        FitFinding::OnCord,
        FitFinding::InMetal,
        FitFinding::InsideLamp,
        FitFinding::FanWithLamp,
        FitFinding::ChannelOpen { names: vec![s("Pump")] },
        FitFinding::FanShares { name: s("Fan"), others: 1 },
        FitFinding::FanShares { name: s("Fan"), others: 3 },
        FitFinding::FanCircuitUnknown { name: s("Fan") },
        FitFinding::NothingSwitches { names: vec![s("Hall lamps")] },
        FitFinding::NoResidual,
        FitFinding::ResidualUnknown,
        FitFinding::ToMakeOpen { open: vec!["how long that is"] },
        FitFinding::ToMake,
        FitFinding::RefusedInBrief { what: "extender rings" },
        FitFinding::NotKept { at: s("Hall") },
        FitFinding::KeptUnsaid { what: s("plain switch") },
        FitFinding::KeptOver { what: s("plain switch"), amperes: 8.0, rated: 6.0 },
        FitFinding::KeptLoadOpen { what: s("plain switch"), load: s("Porch lamp") },
        FitFinding::KeptUnrated { what: s("plain switch") },
        FitFinding::KeptCuts { what: s("plain switch") },
    ];
    let plain = Job::new("House", Region::Eu, Confidence::new(0.95).unwrap());
    let mut all: Vec<_> = fits
        .into_iter()
        .map(|reason| Found::DoesNotFit {
            device: s("Hall switch"),
            ways: reason.ways_out(&plain),
            reason,
        })
        .collect();
    all.extend([
        Found::Mislabelled { label: s("3"), really: s("4"), points: 1 },
        Found::Mislabelled { label: s("3"), really: s("4"), points: 5 },
        Found::SharedNeutral { label: s("3"), partners: Vec::new() },
        Found::SharedNeutral { label: s("3"), partners: vec![s("4")] },
        Found::NeutralNotLooked { label: s("3") },
        Found::SeveralCircuits { at: s("Hall switch"), labels: vec![s("3"), s("7")] },
        Found::TagTwice { tag: s("H1"), points: vec![s("Hall switch"), s("Hall lamp")] },
        Found::NoHub { network: s("Net") },
        Found::HubInMetal { hub: s("Hub"), cupboard: "meter cupboard", lost: Db::new(10.0) },
        Found::HubBesideSource {
            hub: s("Hub"),
            source: s("Router"),
            carrier: s("Wi-Fi 6, 20 MHz"),
        },
        Found::UsbNoise { hub: s("Stick") },
        Found::OneBorderRouter { network: s("Net") },
        Found::OverLimit {
            network: s("Net"),
            count: 80,
            what: "devices",
            system: "Sub-GHz star",
            most: 75,
        },
        Found::NearLimit { network: s("Net"), count: 70, what: "devices", most: 75 },
        Found::SinglePointOfFailure { device: s("Plug"), carries: vec![s("Lamp"), s("Fan")] },
        Found::DeepChain { device: s("Lamp"), hops: 4 },
        Found::FewRepeaters { network: s("Net"), beyond: 6, repeaters: 2, enough: 3 },
        Found::MayGoDark { device: s("Lamp") },
        Found::Asymmetry { device: s("Lamp"), answers: true, apart: Db::new(7.0) },
        Found::Asymmetry { device: s("Lamp"), answers: false, apart: Db::new(7.0) },
        Found::BatteryBehindPoorHops { device: s("Sensor"), poor: 2 },
        Found::OnlyParentMayGoDark { device: s("Sensor") },
        Found::MixedSecurity { network: s("Net") },
        Found::NoChannel { network: s("Net") },
        Found::SharedChannel { one: s("Net"), other: s("Other"), channel: 15 },
        Found::KindGone { device: s("Lamp"), kind: s("old-lamp") },
        Found::KindOfAnotherSystem { device: s("Lamp"), kind: s("Switch, star"), system: "Zigbee" },
        Found::OverRegionLimit {
            device: s("Lamp"),
            eirp: Dbm::new(8.0),
            system: "Z-Wave",
            region: "United States and Canada",
            limit: Dbm::new(4.0),
            average: None,
            source: "47 CFR 15.249",
        },
        Found::OverRegionLimit {
            device: s("Remote"),
            eirp: Dbm::new(8.0),
            system: "Sub-GHz star",
            region: "United States and Canada",
            limit: Dbm::new(5.6),
            average: Some((Dbm::new(-14.4), 0.1)),
            source: "47 CFR 15.231(b)",
        },
        Found::NoAllotment { network: s("Net"), system: "Z-Wave Long Range", region: "Japan" },
        Found::CreditOnCondition { device: s("Dimmer"), carries: 1 },
        Found::CreditOnCondition { device: s("Dimmer"), carries: 4 },
        Found::ControlsNothing { device: s("Hub") },
        Found::NoLoad { device: s("Remote") },
        Found::NoNaturalControl { light: s("Porch lamp"), breaker: s("7") },
        Found::NoNaturalControl { light: s("Porch lamp"), breaker: String::new() },
        Found::BeyondTheWalls { point: s("Gate") },
        Found::OutsideThePlan { point: s("Gate"), outside_m: 85.0, at_most_m: 30.0 },
        Found::ConstructionGone { construction: s("cheese"), used_by: 3 },
    ]);
    let hard = HARD_SPOTS.into_iter().zip([10.0, 0.0].into_iter().cycle());
    all.extend(hard.map(|(spot, most)| Found::HardSpot {
        place: s("Gate"),
        spot,
        most: Db::new(most),
    }));
    all
}

fn reasons() -> Vec<Reason> {
    let s = |text: &str| text.to_owned();
    let db = Db::new;
    let too_far = |only_back, stranger, obstacles: Vec<(String, Db)>| Reason::TooFar {
        nearest: s("Plug"),
        margin: db(-3.2),
        least: db(if only_back { 2.0 } else { 0.0 }),
        obstacles,
        only_back,
        stranger,
    };
    let back = |slower_ms| {
        let (by, way) = (s("straight from Hub"), s("by Plug"));
        let (has, wants, weakest, target) = (db(4.0), db(9.9), db(15.0), db(9.9));
        Reason::FallsBack(Box::new(FallBack { by, has, wants, way, weakest, target, slower_ms }))
    };
    vec![
        Reason::IsHub,
        Reason::NoHub,
        Reason::Down,
        Reason::Reached { weakest: db(12.0), target: db(9.9) },
        Reason::Thin {
            weakest: db(4.0),
            target: db(9.9),
            hop: (s("Hub"), s("Lamp")),
            costliest: Some((s("Brick"), db(7.0))),
        },
        Reason::Thin {
            weakest: db(4.0),
            target: db(9.9),
            hop: (s("Hub"), s("Lamp")),
            costliest: None,
        },
        too_far(false, None, Vec::new()),
        too_far(true, Some((s("Fan"), s("Other"))), vec![(s("Stone"), db(22.0))]),
        Reason::HopLimit { hops: 6, allowed: 5, system: "Zigbee" },
        Reason::RouteCost { cost: 17, allowed: 15, system: "Thread" },
        Reason::Capacity { at: s("Hub"), most: 32, what: "children", routers_help: true },
        Reason::Capacity { at: s("Hub"), most: 75, what: "devices", routers_help: false },
        back(12.4),
        back(-12.4),
        back(0.1),
        Reason::SeenFrom,
        Reason::NoRelay,
        Reason::NoAllotment { system: "Z-Wave Long Range", region: "Japan" },
        Reason::OnlyThroughUnsure { through: s("Lamp"), why: RoleReason::CanBeCut },
    ]
}

fn whys() -> Vec<RoleReason> {
    vec![
        RoleReason::KeepsTheNetwork,
        RoleReason::SleepsBetweenPresses,
        RoleReason::OnABattery,
        RoleReason::NoRadio,
        RoleReason::NotByItsMake,
        RoleReason::OnlyWithNeutral,
        RoleReason::NobodyForwards("Wi-Fi"),
        RoleReason::DoesNotFit,
        RoleReason::CanBeCut,
        RoleReason::OnTheMains,
        RoleReason::IfItsBoxIs,
        RoleReason::AgreedToStayOn,
        RoleReason::Missing,
        RoleReason::BeyondLimit { most: 32, what: "routers" },
    ]
}

/// What a step of the day lacks, why power stays off, what goes off and why.
fn the_day() -> Vec<String> {
    let (name, s) = (|| "Hall".to_owned(), |text: &str| text.to_owned());
    let lacks = [
        Lacks::ProvedUnderThis,
        Lacks::NotSettled { why: s("It is too deep.") },
        Lacks::NoPower,
        Lacks::NotThere,
        Lacks::HubNotReady { hub: s("Hub") },
        Lacks::NoHub,
        Lacks::NetworkShut,
        Lacks::NotExpected,
        Lacks::OpenerAsleep { name: s("Master") },
        Lacks::Master { name: name() },
        Lacks::NoMaster,
        Lacks::NotTaken,
        Lacks::BoxOpen { name: name() },
        Lacks::NotWired { name: name() },
        Lacks::TesterNotShown,
        Lacks::NotEntitled,
        Lacks::NotTicked { text: s("The plate is on") },
        Lacks::NotOff,
        Lacks::NotHeld,
        Lacks::NotThereYet { step: Step::Wired },
        Lacks::RestsOnIt { step: Step::Wired, name: name() },
        Lacks::RestsOnIt { step: Step::Wired, name: s("") },
        Lacks::PowerIsOn,
        Lacks::NotIn { name: name() },
        Lacks::StillOpen,
    ];
    let cuts = [
        Cut::SharedNeutral { circuit: s("11") },
        Cut::NeutralNotLooked { circuit: s("11") },
        Cut::InPanel { label: s("11"), panel: s("Garage") },
        Cut::HalfOpened { circuit: s("9"), volts: 240.0, is_looked: true },
        Cut::HalfOpened { circuit: s("9"), volts: 240.0, is_looked: false },
        Cut::Kit { network: s("Kit") },
        Cut::NoBreaker,
        Cut::Several { circuits: vec![s("3"), s("5")] },
        Cut::Mislabelled { label: s("6"), really: s("5") },
        Cut::NotProven { label: s("7") },
        Cut::One { label: s("7") },
    ];
    let lacks = lacks.iter().map(ToString::to_string);
    lacks.chain(cuts.iter().map(ToString::to_string)).collect()
}

#[test]
fn every_word_is_what_was_read_last() {
    let mut text = String::from("== refused\n");
    let mut line = |words: String| {
        text.push_str(&words);
        text.push('\n');
    };
    for one in refusals() {
        line(one.to_string());
    }
    line("\n== found".to_owned());
    for f in found() {
        line(format!("[{}, {:?}, {:?}] {f} {}", f.rule(), f.weight(), f.mends(), f.cure()));
    }
    line("\n== verdicts".to_owned());
    for one in reasons() {
        line(one.to_string());
    }
    line("\n== roles".to_owned());
    for one in whys() {
        line(one.to_string());
    }
    line("\n== the day".to_owned());
    for one in the_day() {
        line(one);
    }
    let kept = concat!(env!("CARGO_MANIFEST_DIR"), "/tests/core/golden/words.txt");
    if std::env::var_os("BLESS").is_some() {
        std::fs::write(kept, &text).unwrap();
    }
    let was = std::fs::read_to_string(kept).unwrap_or_default();
    for (n, (was, is)) in was.lines().zip(text.lines()).enumerate() {
        assert_eq!(is, was, "line {}", n + 1);
    }
    assert_eq!(text.lines().count(), was.lines().count());
}
