//! What is typed into a cell of the grid of keys: an order, a level, which way it goes; and the edit that it comes to.

use crate::site::{
    Action, Device, DeviceId, Edit, Kind, Ref, Refusal, Rule, RuleId, RunsIn, Site, Target,
    Trigger, TurnsTo, Wrong,
};

/// A place where a hand presses: a key of a controller and what is done there.
#[derive(Clone, Debug, PartialEq, Eq, serde::Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Pressed {
    /// The switch or remote.
    pub controller: DeviceId,
    /// Which of its keys; nothing where it has one.
    #[serde(default)]
    pub key: Option<u8>,
    /// What a hand does there; empty for a press.
    #[serde(default)]
    pub gesture: String,
}

impl Pressed {
    /// Whether a rule is set off by that.
    pub fn sets_off(&self, rule: &Rule) -> bool {
        let plain = |text: &str| text.trim().to_lowercase();
        matches!(&rule.when, Trigger::Press { controller, key, gesture }
            if *controller == self.controller && *key == self.key && plain(gesture) == plain(&self.gesture))
    }

    fn trigger(&self) -> Trigger {
        let Self { controller, key, gesture } = self.clone();
        Trigger::Press { controller, key, gesture: gesture.trim().to_owned() }
    }
}

/// What was typed into a cell, read.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
struct Order {
    to: Option<TurnsTo>,
    level: Option<u8>,
    runs: Option<RunsIn>,
}

/// Reads an order as it is typed: `on`, `off`, `toggle`, `dim` or their letters, a level, and `direct` or `hub`.
fn read(text: &str) -> Result<Order, Refusal> {
    let mut order = Order::default();
    let none = || Refusal::wrong("text", Wrong::NoOrder { text: text.trim().to_owned() });
    let plain = text.replace(['%', ','], " ").to_lowercase();
    for word in plain.split_whitespace() {
        let to = match word {
            "t" | "toggle" => Some(TurnsTo::Toggle),
            "o" | "on" => Some(TurnsTo::On),
            "f" | "off" => Some(TurnsTo::Off),
            "d" | "dim" => Some(TurnsTo::Dim),
            _ => None,
        };
        let runs = match word {
            "b" | "bound" | "direct" | "directly" => Some(RunsIn::Direct),
            "h" | "hub" => Some(RunsIn::Hub),
            _ => None,
        };
        if let Some(to) = to {
            if order.to.replace(to).is_some_and(|before| before != to) {
                return Err(none());
            }
        } else if let Some(runs) = runs {
            order.runs = Some(runs);
        } else if word != "at" {
            let level = word.parse::<u8>().ok().filter(|level| (1..=100).contains(level));
            order.level = Some(level.ok_or_else(none)?);
        }
    }
    match order.to {
        None if order.level.is_some() => order.to = Some(TurnsTo::On),
        Some(TurnsTo::Toggle | TurnsTo::Off | TurnsTo::Dim) if order.level.is_some() => {
            return Err(none());
        }
        _ => {}
    }
    Ok(order)
}

/// Whether what is acted on can be done that to.
fn suits(site: &Site, what: &Target, order: Order) -> Result<(), Refusal> {
    let needs_levels = order.to == Some(TurnsTo::Dim) || order.level.is_some_and(|l| l < 100);
    match what {
        Target::Device(id) => {
            let missing = || Refusal::Missing(Ref::new(Kind::Device, id.as_str()));
            let device = site.devices.get(id).ok_or_else(missing)?;
            if needs_levels && site.is_light(device) && !site.can_dim(device) {
                return Err(Refusal::wrong("text", Wrong::CannotDim));
            }
        }
        // A favourite level holds for all of them or for none.
        Target::Room(_) | Target::Group(_) if needs_levels => {
            let lacks = |d: &&Device| site.is_light(d) && !site.can_dim(d);
            if let Some(device) = site.devices_of(what).into_iter().find(lacks) {
                let name = device.name.clone();
                return Err(Refusal::wrong("text", Wrong::OneCannotDim { name }));
            }
        }
        Target::Scene(_) if order.to != Some(TurnsTo::On) || order.level.is_some() => {
            return Err(Refusal::wrong("text", Wrong::SceneIsCalled));
        }
        _ => {}
    }
    Ok(())
}

/// The edit that an order comes to, at a press, for one thing: an empty one takes away what stands there. A new rule gets
/// `id`.
///
/// # Errors
/// It is no order, or what is acted on cannot do it.
pub fn typed(
    site: &Site,
    at: &Pressed,
    what: &Target,
    text: &str,
    id: &RuleId,
) -> Result<Edit, Refusal> {
    let mut there = site.rules.iter().filter(|rule| at.sets_off(rule));
    let held = there.find_map(|rule| {
        let place = rule.does.iter().position(|action| action.what == *what)?;
        Some((rule, place))
    });
    if text.trim().is_empty() {
        return Ok(
            held.map_or_else(|| Edit::batch(Vec::new()), |(rule, place)| without(rule, place))
        );
    }
    let mut order = read(text)?;
    let before = held.and_then(|(rule, place)| rule.does.get(place));
    if order.to.is_none() {
        // Which way alone: what is done stays.
        order.to = before.map(|action| action.to).or(Some(match what {
            Target::Scene(_) => TurnsTo::On,
            _ => TurnsTo::Toggle,
        }));
        order.level = before.and_then(|action| action.level);
    }
    suits(site, what, order)?;
    let mut action = before.cloned().unwrap_or(Action {
        what: what.clone(),
        to: TurnsTo::Toggle,
        level: None,
        kelvin: None,
        over_s: None,
    });
    action.to = order.to.unwrap_or_default();
    action.level = order.level;
    let runs = order.runs.or_else(|| held.map(|(rule, _)| rule.runs)).unwrap_or_default();
    match held {
        Some((rule, place)) if rule.runs == runs || rule.does.len() == 1 => {
            let mut changed = rule.clone();
            changed.does[place] = action;
            changed.runs = runs;
            Ok(Edit::put(changed))
        }
        // What goes another way than the rest of its rule is one of its own.
        Some((rule, place)) => {
            let own = Rule { id: id.clone(), does: vec![action], runs, ..rule.clone() };
            Ok(Edit::batch(vec![without(rule, place), Edit::put(own)]))
        }
        None => Ok(Edit::put(Rule::new(id.clone(), at.trigger(), vec![action], runs))),
    }
}

/// A rule without one of the things that it does; where that was all, no rule.
fn without(rule: &Rule, place: usize) -> Edit {
    let mut left = rule.clone();
    left.does.remove(place);
    if left.does.is_empty() { Edit::remove(Kind::Rule, &rule.id) } else { Edit::put(left) }
}
