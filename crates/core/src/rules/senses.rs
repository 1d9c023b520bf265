//! Whether the rules of a house make sense: each thing that does not, with the date on which it first goes wrong.

use std::collections::{BTreeMap, BTreeSet};
use std::fmt;

use jiff::civil::Date;
use jiff::{SignedDuration, Timestamp};

use super::day::{Hours, runs_on, suns_of};
use super::needs::doubles;
use super::said::weekday;
use super::year::{DaySpan, Happening};
use crate::catalogue::by_hand::TOLD;
use crate::gate::work::WorkedDevice;
use crate::record::Step;
use crate::site::{
    Condition, DayTime, DeviceId, Rule, RuleId, RunsIn, Site, SunEvent, Target, Trigger, TurnsTo,
    Weekday,
};

/// Two orders of one device within so many minutes fight each other; *planning value*.
const FIGHT_MIN: i64 = 10;
/// What a rule switched on and nothing switches off for so many hours stays on: from an evening to the next, where the order
/// to switch off comes just before; *planning value*.
const STAYS_ON_HOURS: i64 = 20;
/// From when to when a house sleeps, in minutes since midnight, and above which level a light wakes; *planning values*.
const NIGHT: (u16, u16, u8) = (23 * 60, 5 * 60, 50);
/// A rule that waits longer than this is lost with a restart before it is done, in minutes; *planning value*.
const LONG_WAIT_MIN: f64 = 60.0;

/// What does not make sense.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum SenseOf {
    /// Two rules want different things of one device at nearly the same time.
    Fight {
        /// The other rule.
        with: RuleId,
        /// How many minutes apart.
        minutes: i64,
    },
    /// Nothing switches off what it switches on: on that day, or on any.
    StaysOn {
        /// Whether something does on other days.
        sometimes: bool,
    },
    /// It never changes anything: what it switches on is on already, or the other way round.
    ChangesNothing,
    /// On some days of the week nothing is done to the device, on others it is.
    Gap {
        /// Those days.
        days: BTreeSet<Weekday>,
    },
    /// A light comes on bright while the house sleeps.
    BrightAtNight,
    /// It toggles by a clock: after one message that is lost it does the opposite, day by day.
    TogglesByClock,
    /// Nobody may switch this off.
    NeverOff,
    /// It goes by the sun, and nobody said where the house stands.
    NoPlace,
    /// It goes by the clock, and nobody said by which: times are those of Greenwich meanwhile.
    NoZone,
    /// It gives a level to a light that has none between on and off.
    CannotDim,
    /// The sun does not do that on the day.
    NoSun(SunEvent),
    /// It is to run in a controller that has no clock.
    NoClock,
    /// The clock leaves that time out on the day: it runs an hour later.
    LeftOut,
    /// The clock shows that time twice on the day: it runs the first time.
    ShownTwice,
    /// Another rule does the same.
    Double {
        /// That one.
        with: RuleId,
    },
    /// It waits for hours, and a restart meanwhile forgets it.
    LongWait,
    /// It toggles by a state that lasts: whatever it runs in meets that state anew when it starts again, and toggles once more.
    FiresAtRestart,
    /// It waits for a press that its controller does not tell.
    NoPress {
        /// Whether that is a sensor, which has no keys at all.
        of_sensor: bool,
    },
    /// It names something that is gone.
    Gone,
    /// It does nothing at all.
    Empty,
}

/// Something that does not make sense.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Sense {
    /// Of which rule.
    pub rule: RuleId,
    /// Of which device, where it is of one.
    pub device: Option<DeviceId>,
    /// What.
    pub of: SenseOf,
    /// The date on which it first goes wrong; nothing where it is so on any.
    pub first: Option<Date>,
}

impl SenseOf {
    /// The other rule that it is about, where there is one.
    pub const fn other(&self) -> Option<&RuleId> {
        match self {
            Self::Fight { with, .. } | Self::Double { with } => Some(with),
            _ => None,
        }
    }

    /// Its word in files.
    pub const fn word(&self) -> &'static str {
        match self {
            Self::Fight { .. } => "fight",
            Self::StaysOn { .. } => "stays-on",
            Self::ChangesNothing => "changes-nothing",
            Self::Gap { .. } => "gap",
            Self::BrightAtNight => "bright-at-night",
            Self::TogglesByClock => "toggles-by-clock",
            Self::NeverOff => "never-off",
            Self::NoPlace => "no-place",
            Self::NoZone => "no-zone",
            Self::CannotDim => "cannot-dim",
            Self::NoSun(_) => "no-sun",
            Self::NoClock => "no-clock",
            Self::LeftOut => "left-out",
            Self::ShownTwice => "shown-twice",
            Self::Double { .. } => "double",
            Self::LongWait => "long-wait",
            Self::FiresAtRestart => "fires-at-restart",
            Self::NoPress { .. } => "no-press",
            Self::Gone => "gone",
            Self::Empty => "empty",
        }
    }
}

impl fmt::Display for SenseOf {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Fight { minutes: 0, .. } => {
                write!(f, "Another rule wants something else of it at the same minute.")
            }
            Self::Fight { minutes, .. } => {
                write!(f, "Another rule wants something else of it {minutes} min later.")
            }
            Self::StaysOn { sometimes: true } => {
                write!(f, "It stays on: on this day no time switches it off again.")
            }
            Self::StaysOn { sometimes: false } => {
                write!(f, "It stays on: no time ever switches it off.")
            }
            Self::ChangesNothing => {
                write!(f, "It never changes anything: see whether on and off are mixed up.")
            }
            Self::Gap { days } => {
                let names: Vec<_> = days.iter().map(|day| weekday(*day)).collect();
                write!(f, "Nothing is done to it on {}.", names.join(", "))
            }
            Self::BrightAtNight => write!(f, "It comes on bright while the house sleeps."),
            Self::TogglesByClock => write!(
                f,
                "It toggles by a clock: after one message is lost it does the opposite. Use on and off."
            ),
            Self::NeverOff => write!(f, "Nobody may switch this off."),
            Self::NoPlace => {
                write!(f, "It goes by the sun, and nobody said where the house stands.")
            }
            Self::NoZone => write!(
                f,
                "It goes by the clock, and nobody said in which country the house stands: times are those of Greenwich."
            ),
            Self::CannotDim => write!(f, "It cannot be dimmed: it is fully on, or off."),
            Self::NoSun(event) => write!(f, "There is no {} on this day.", event.word()),
            Self::NoClock => {
                write!(f, "It is to run in a controller that has no clock: let the hub do it.")
            }
            Self::LeftOut => write!(f, "The clock leaves this time out: it runs an hour later."),
            Self::ShownTwice => {
                write!(f, "The clock shows this time twice: it runs the first time.")
            }
            Self::Double { .. } => write!(f, "Another rule does the same."),
            Self::LongWait => write!(
                f,
                "It waits for an hour or more, and a restart meanwhile forgets it: use a time."
            ),
            Self::FiresAtRestart => write!(
                f,
                "It toggles by a state that lasts: a restart meets that state anew and toggles once more. Use on and off."
            ),
            Self::NoPress { of_sensor: true } => write!(
                f,
                "Nothing sets it off: a sensor has no keys. Say what the sensor tells: open, motion, wet."
            ),
            Self::NoPress { of_sensor: false } => write!(
                f,
                "Nothing sets it off: by its row in the library the controller has no such key, or does not tell this press."
            ),
            Self::Gone => write!(f, "It names something that is gone."),
            Self::Empty => write!(f, "It does nothing yet."),
        }
    }
}

/// What of the rules of a job does not make sense over a stretch of days; `happened` is what they do then.
pub fn senses(site: &Site, hours: &Hours<'_>, span: DaySpan, happened: &[Happening]) -> Vec<Sense> {
    let mut all = Vec::new();
    for rule in &site.rules {
        all.extend(of_rule(site, hours, span, rule));
    }
    for (one, other) in doubles(site) {
        let double = |of: &Rule, with: &Rule| Sense {
            rule: of.id.clone(),
            device: None,
            of: SenseOf::Double { with: with.id.clone() },
            first: None,
        };
        all.extend([double(one, other), double(other, one)]);
    }
    let mut by_device: BTreeMap<&DeviceId, Vec<&Happening>> = BTreeMap::new();
    for happening in happened {
        by_device.entry(&happening.device).or_default().push(happening);
    }
    let end = span.each().last().and_then(|d| d.tomorrow().ok());
    let end = end.and_then(|day| hours.clock.midnight(day));
    for (device, events) in &by_device {
        fights(hours, device, events, &mut all);
        stays_on(site, hours, device, events, end, &mut all);
        gaps(hours, span, device, events, &mut all);
        at_night(site, hours, device, events, &mut all);
    }
    changes_nothing(&by_device, &mut all);
    // Of one thing the first date is enough: how far two orders are apart may be another on each.
    all.sort_by_key(|s| s.first);
    let mut seen = BTreeSet::new();
    all.retain(|s| {
        seen.insert((s.rule.clone(), s.device.clone(), s.of.word(), s.of.other().cloned()))
    });
    all
}

fn of_rule(site: &Site, hours: &Hours<'_>, span: DaySpan, rule: &Rule) -> Vec<Sense> {
    let sense = |of, device: Option<&DeviceId>, first| Sense {
        rule: rule.id.clone(),
        device: device.cloned(),
        of,
        first,
    };
    let mut all = Vec::new();
    let is_time = matches!(rule.when, Trigger::Time { .. });
    if rule.does.is_empty() {
        all.push(sense(SenseOf::Empty, None, None));
    }
    if names_what_is_gone(site, rule) {
        all.push(sense(SenseOf::Gone, None, None));
    }
    all.extend(never_pressed(site, rule).map(|of| sense(of, None, None)));
    let suns = suns_of(rule);
    if !suns.is_empty() && !hours.has_place() {
        all.push(sense(SenseOf::NoPlace, None, None));
    }
    if is_time && hours.clock.name().is_none() {
        all.push(sense(SenseOf::NoZone, None, None));
    }
    if is_time && rule.runs == RunsIn::Direct {
        all.push(sense(SenseOf::NoClock, None, None));
    }
    let waits = match &rule.when {
        Trigger::State { for_min, .. } => *for_min,
        _ => None,
    };
    if [rule.off_after_min, waits].into_iter().flatten().any(|after| after >= LONG_WAIT_MIN) {
        all.push(sense(SenseOf::LongWait, None, None));
    }
    if toggles_by_lasting_state(rule) {
        all.push(sense(SenseOf::FiresAtRestart, None, None));
    }
    for reached in site.reached_by(rule) {
        let to = reached.action.to;
        if is_time && to == TurnsTo::Toggle {
            all.push(sense(SenseOf::TogglesByClock, Some(reached.device), None));
        }
        let device = site.devices.get(reached.device);
        let has_level = to == TurnsTo::On && reached.action.level.is_some_and(|l| l < 100);
        if has_level && device.is_some_and(|d| site.is_light(d) && !site.can_dim(d)) {
            all.push(sense(SenseOf::CannotDim, Some(reached.device), None));
        }
    }
    let kept_on = never_off(site, rule).into_iter();
    all.extend(kept_on.map(|device| sense(SenseOf::NeverOff, Some(device), None)));
    for event in suns.into_iter().filter(|_| hours.has_place()) {
        let missing = span.each().find(|day| hours.sun(*day, event).is_none());
        all.extend(missing.map(|day| sense(SenseOf::NoSun(event), None, Some(day))));
    }
    if let Trigger::Time { at: DayTime::Clock(minutes) } = &rule.when {
        let odd = on_the_clock(hours, span, rule, *minutes);
        all.extend(odd.map(|(of, day)| sense(of, None, Some(day))));
    }
    all
}

/// The days on which the clock leaves out the time of a rule, or shows it twice.
fn on_the_clock<'a>(
    hours: &'a Hours<'_>,
    span: DaySpan,
    rule: &'a Rule,
    minutes: u16,
) -> impl Iterator<Item = (SenseOf, Date)> + 'a {
    span.each().filter_map(move |day| {
        let instant = runs_on(hours, rule, day)?;
        if hours.clock.shows(instant).1 != minutes {
            return Some((SenseOf::LeftOut, day));
        }
        // An hour on the clock shows the same.
        let later = instant.checked_add(SignedDuration::from_mins(60)).ok()?;
        (hours.clock.shows(later) == (day, minutes)).then_some((SenseOf::ShownTwice, day))
    })
}

fn toggles_by_lasting_state(rule: &Rule) -> bool {
    let lasts = match &rule.when {
        Trigger::State { is, .. } => TOLD.contains(&(is.trim().to_lowercase().as_str(), true)),
        _ => false,
    };
    let runs_elsewhere = !matches!(rule.runs, RunsIn::Direct | RunsIn::Device);
    lasts && runs_elsewhere && rule.does.iter().any(|a| a.to == TurnsTo::Toggle)
}

/// That a rule waits for a press which is known not to come.
fn never_pressed(site: &Site, rule: &Rule) -> Option<SenseOf> {
    let Trigger::Press { controller, key, gesture } = &rule.when else { return None };
    let kind = site.kind(&site.devices.get(controller)?.kind)?;
    let of_sensor = kind.is_sensor();
    (of_sensor || kind.hand.lacks(*key, gesture)).then_some(SenseOf::NoPress { of_sensor })
}

fn names_what_is_gone(site: &Site, rule: &Rule) -> bool {
    let asks_of_gone = |only: &Condition| match only {
        Condition::Is { device, .. } => site.devices.get(device).is_none(),
        _ => false,
    };
    rule.only.iter().any(asks_of_gone)
        || rule.does.iter().any(|action| match &action.what {
            Target::Device(id) => site.devices.get(id).is_none(),
            Target::Room(id) => site.rooms.get(id).is_none(),
            Target::Group(id) => site.groups.get(id).is_none(),
            Target::Scene(id) => site.rules.get(id).is_none(),
            Target::AllBut(but) => but.iter().any(|id| site.devices.get(id).is_none()),
        })
}

/// What a rule switches off, or may, of what nobody may switch off.
pub fn never_off<'a>(site: &'a Site, rule: &'a Rule) -> BTreeSet<&'a DeviceId> {
    let goes_off =
        |to: TurnsTo| matches!(to, TurnsTo::Off | TurnsTo::Toggle) || rule.off_after_min.is_some();
    let reached = site.reached_by(rule).into_iter().filter(|r| goes_off(r.action.to));
    reached.map(|r| r.device).filter(|id| may_never_be_off(site, id)).collect()
}

/// Whether nobody may switch a device off: it is said so, or its relay was given up and has to stay closed.
fn may_never_be_off(site: &Site, id: &DeviceId) -> bool {
    let is_said = site.devices.get(id).is_some_and(|d| d.stays_on);
    is_said || WorkedDevice::of(site, id).is_some_and(|spot| spot.takes(Step::Decoupled))
}

fn minutes_between(a: Timestamp, b: Timestamp) -> i64 {
    (b.as_second() - a.as_second()) / 60
}

fn day_of(hours: &Hours<'_>, happening: &Happening) -> Date {
    hours.clock.shows(happening.at).0
}

fn fights(hours: &Hours<'_>, device: &DeviceId, events: &[&Happening], into: &mut Vec<Sense>) {
    for (n, one) in events.iter().enumerate() {
        let near =
            events[n + 1..].iter().take_while(|o| minutes_between(one.at, o.at) <= FIGHT_MIN);
        for other in near {
            let differ = one.differs(other);
            if differ && one.rule != other.rule {
                into.push(Sense {
                    rule: one.rule.clone(),
                    device: Some(device.clone()),
                    of: SenseOf::Fight {
                        with: other.rule.clone(),
                        minutes: minutes_between(one.at, other.at),
                    },
                    first: Some(day_of(hours, one)),
                });
            }
        }
    }
}

fn stays_on(
    site: &Site,
    hours: &Hours<'_>,
    device: &DeviceId,
    events: &[&Happening],
    end: Option<Timestamp>,
    into: &mut Vec<Sense>,
) {
    if site.devices.get(device).is_some_and(|d| d.stays_on) {
        return;
    }
    let sometimes = events.iter().any(|e| matches!(e.to, TurnsTo::Off | TurnsTo::Toggle));
    for (n, on) in events.iter().enumerate() {
        if on.is_on() != Some(true) {
            continue;
        }
        let ends = |e: &&&Happening| e.is_on() != Some(true);
        let off = events[n + 1..].iter().find(ends).map(|e| e.at);
        let until = off.or(end).map_or(i64::MAX, |at| minutes_between(on.at, at));
        if until > STAYS_ON_HOURS * 60 {
            into.push(Sense {
                rule: on.rule.clone(),
                device: Some(device.clone()),
                of: SenseOf::StaysOn { sometimes },
                first: Some(day_of(hours, on)),
            });
            return;
        }
    }
}

fn gaps(
    hours: &Hours<'_>,
    span: DaySpan,
    device: &DeviceId,
    events: &[&Happening],
    into: &mut Vec<Sense>,
) {
    let days: BTreeSet<Date> = events.iter().map(|e| day_of(hours, e)).collect();
    let of =
        |day: Date| Weekday::ALL[usize::from(day.weekday().to_monday_zero_offset().unsigned_abs())];
    let plain = || span.each().filter(|day| !hours.is_holiday(*day));
    let met: BTreeSet<Weekday> = plain().filter(|d| days.contains(d)).map(of).collect();
    let all: BTreeSet<Weekday> = plain().map(of).collect();
    let open: BTreeSet<Weekday> = all.difference(&met).copied().collect();
    let first = plain().find(|day| open.contains(&of(*day)));
    if let (Some(first), Some(one)) = (first, events.first()) {
        into.push(Sense {
            rule: one.rule.clone(),
            device: Some(device.clone()),
            of: SenseOf::Gap { days: open },
            first: Some(first),
        });
    }
}

fn at_night(
    site: &Site,
    hours: &Hours<'_>,
    device: &DeviceId,
    events: &[&Happening],
    into: &mut Vec<Sense>,
) {
    let gives_light = site.devices.get(device).is_some_and(|d| site.is_light(d));
    let (from, to, most) = NIGHT;
    let bright = |e: &&&Happening| {
        let (_, minutes) = hours.clock.shows(e.at);
        (minutes >= from || minutes < to)
            && e.is_on() == Some(true)
            && e.level.is_none_or(|level| level > most)
    };
    let found = events.iter().find(bright).filter(|_| gives_light);
    into.extend(found.map(|e| Sense {
        rule: e.rule.clone(),
        device: Some(device.clone()),
        of: SenseOf::BrightAtNight,
        first: Some(day_of(hours, e)),
    }));
}

fn changes_nothing(by_device: &BTreeMap<&DeviceId, Vec<&Happening>>, into: &mut Vec<Sense>) {
    // By rule: how often it ran, and how often that changed something.
    let mut ran: BTreeMap<&RuleId, (usize, usize)> = BTreeMap::new();
    for events in by_device.values() {
        let mut before: Option<&Happening> = None;
        for event in events {
            let is_changed = before.is_none_or(|b| b.is_on().is_none() || event.differs(b));
            let counted = ran.entry(&event.rule).or_default();
            counted.0 += 1;
            counted.1 += usize::from(is_changed || event.is_on().is_none());
            before = Some(event);
        }
    }
    // What the first run of all meets is not known.
    let idle = ran.iter().filter(|(_, (all, changed))| *all > 1 && *changed <= 1 && changed < all);
    into.extend(idle.filter(|(_, (all, _))| *all > 2).map(|(rule, _)| Sense {
        rule: (*rule).clone(),
        device: None,
        of: SenseOf::ChangesNothing,
        first: None,
    }));
}
