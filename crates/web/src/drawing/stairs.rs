//! The power staircase of one hop: distance along, level down.

use std::collections::BTreeSet;
use std::fmt::Write;

use dot_reach_core::geometry::Place;
use dot_reach_core::propagation::{NEAREST, loss_at_one_metre};
use dot_reach_core::staircase::{Stair, Staircase, StepOf};
use dot_reach_core::units::{Db, Dbm, Megahertz, typographic};

/// One panel, ready to print. Lengths in its own pixels.
#[derive(Debug)]
pub(crate) struct StairPanel {
    pub(crate) from: String,
    pub(crate) to: String,
    pub(crate) margin: String,
    pub(crate) other_margin: String,
    pub(crate) class: &'static str,
    pub(crate) d: String,
    pub(crate) width: f64,
    pub(crate) height: f64,
    pub(crate) needs_y: f64,
    pub(crate) wants_y: f64,
    /// Where the hearer's need lies on quiet air, where others make it need more.
    pub(crate) quiet_y: Option<f64>,
    pub(crate) received_y: f64,
    pub(crate) end_x: f64,
    /// Where the lines of levels end and their names begin.
    pub(crate) names_x: f64,
    pub(crate) names: Vec<LevelName>,
    pub(crate) tx: String,
    pub(crate) start: String,
    pub(crate) treads: Vec<Tread>,
    pub(crate) items: Vec<Item>,
    pub(crate) marks: Vec<ReadingMark>,
    pub(crate) summary: String,
    pub(crate) way: String,
    pub(crate) others: Vec<(String, String)>,
    /// Materials whose values are taken beyond the frequencies they are stated for.
    pub(crate) extrapolated: String,
    pub(crate) corners: Vec<Place>,
    pub(crate) ticks: Vec<Tick>,
}

/// What a level is, beside it; moved up or down where two would stand on one another.
#[derive(Debug)]
pub(crate) struct LevelName {
    pub(crate) y: f64,
    pub(crate) text: String,
    pub(crate) title: &'static str,
    pub(crate) class: &'static str,
}

/// A numbered drop on the drawing.
#[derive(Debug)]
pub(crate) struct Tread {
    pub(crate) x: f64,
    pub(crate) y: f64,
    pub(crate) number: usize,
    pub(crate) wall: String,
}

/// The same in the list beside it.
#[derive(Debug)]
pub(crate) struct Item {
    pub(crate) number: usize,
    pub(crate) name: String,
    pub(crate) loss: String,
    pub(crate) wall: String,
    pub(crate) is_extrapolated: bool,
}

/// A reading on the drawing.
#[derive(Debug)]
pub(crate) struct ReadingMark {
    pub(crate) y: f64,
    pub(crate) text: String,
}

/// A level on the scale.
#[derive(Debug)]
pub(crate) struct Tick {
    pub(crate) y: f64,
    pub(crate) text: String,
}

/// A reading of this hop in this direction.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Measured {
    pub(crate) level: Dbm,
}

const HEIGHT: f64 = 156.0;
const LEFT: f64 = 34.0;
const TOP: f64 = 10.0;
const RIGHT: f64 = 116.0;
/// A line of small print.
const LINE: f64 = 13.0;
/// Room for each drop that has no length of its own: antennas, boxes, hands.
const SLOT: f64 = 15.0;

fn round(v: f64) -> f64 {
    (v * 10.0).round() / 10.0
}

/// A step that belongs to the hearing end and is drawn after the way.
fn is_at_end(step: &Stair) -> bool {
    matches!(
        step.of,
        StepOf::AroundHearer
            | StepOf::HearingAntenna
            | StepOf::Leak
            | StepOf::OtherWays
            | StepOf::Calibration
            | StepOf::FloorFactor
    )
}

fn is_at_start(step: &Stair) -> bool {
    matches!(step.of, StepOf::AroundSender | StepOf::SendingAntenna)
}

struct Pen {
    d: String,
    x: f64,
    level: f64,
    top: f64,
    per_db: f64,
}

impl Pen {
    fn y(&self, level: f64) -> f64 {
        round(TOP + (self.top - level) * self.per_db)
    }
    fn to(&mut self, x: f64, level: f64) {
        (self.x, self.level) = (x, level);
        let (x, y) = (round(x), self.y(level));
        let word = if self.d.is_empty() { 'M' } else { 'L' };
        // Writing to a string cannot fail.
        let _infallible = write!(self.d, "{word}{x} {y}");
    }
}

/// How wide one of `panels` panels is drawn: fewer have more room.
fn width(panels: usize) -> f64 {
    match panels {
        0 | 1 => 780.0,
        _ => 290.0,
    }
}

/// The panel of one hop out of `panels`; `stairs` is the direction drawn, `back` the other one.
#[expect(clippy::too_many_lines, reason = "one pen stroke after the other")]
pub(crate) fn panel(
    panels: usize,
    stairs: &Staircase,
    back: &Staircase,
    f: Megahertz,
    measured: &[Measured],
) -> StairPanel {
    let start_losses: f64 =
        stairs.steps.iter().filter(|s| is_at_start(s)).map(|s| s.loss.get()).sum();
    // The first metre costs some 40 dB at once; the drawing starts below it and says so.
    let first_metre = loss_at_one_metre(f).get();
    let top = stairs.tx.get() - start_losses.min(0.0) - first_metre + 2.0;
    let bottom = stairs.received.min(stairs.quiet).get() - 5.0;
    let per_db = (HEIGHT - TOP - 8.0) / (top - bottom).max(20.0);
    let ends = stairs.steps.iter().filter(|s| is_at_end(s)).count();
    let starts = stairs.steps.iter().filter(|s| is_at_start(s)).count();
    #[expect(clippy::cast_precision_loss, reason = "a handful of steps")]
    let (run_from, run_to) =
        (LEFT + starts as f64 * SLOT, width(panels) - RIGHT - ends as f64 * SLOT);
    let length = stairs.length.get().max(NEAREST.get());
    let mut pen =
        Pen { d: String::new(), x: LEFT, level: stairs.tx.get() - first_metre, top, per_db };
    pen.to(LEFT, pen.level);
    let (mut treads, mut items) = (Vec::new(), Vec::new());
    let drop = |pen: &mut Pen, treads: &mut Vec<Tread>, items: &mut Vec<Item>, step: &Stair| {
        let before = pen.level;
        pen.to(pen.x, before - step.loss.get());
        // A tenth of a decibel is no step that a person could see.
        if step.loss.get().abs() < 0.05 {
            return;
        }
        // Slab and clutter of one wall share a number: the second adds to the first.
        if step.of == StepOf::Clutter {
            items.push(item(0, step));
            return;
        }
        let number = treads.len() + 1;
        let wall = wall_of(step);
        treads.push(Tread {
            x: round(pen.x),
            y: pen.y(f64::midpoint(before, pen.level)),
            number,
            wall,
        });
        items.push(item(number, step));
    };
    for step in stairs.steps.iter().filter(|s| is_at_start(s)) {
        drop(&mut pen, &mut treads, &mut items, step);
        pen.to(pen.x + SLOT, pen.level);
    }
    let distance = stairs.steps.iter().find(|s| s.of == StepOf::Distance);
    let slope = distance.map_or(0.0, |s| {
        let decades = length.max(1.0).log10();
        if decades > 0.01 { (s.loss.get() - first_metre) / decades } else { 0.0 }
    });
    if let Some(step) = distance {
        items.push(item(0, step));
    }
    let mut at = 0.0;
    let fall = |pen: &mut Pen, from: f64, to: f64| {
        let x = |m: f64| run_from + (run_to - run_from) * (m / length);
        let held = |m: f64| slope * m.max(1.0).log10();
        for k in 1..=12 {
            let m = from + (to - from) * f64::from(k) / 12.0;
            let previous = from + (to - from) * f64::from(k - 1) / 12.0;
            pen.to(x(m), pen.level - (held(m) - held(previous)));
        }
    };
    for step in &stairs.steps {
        if is_at_start(step) || is_at_end(step) || step.of == StepOf::Distance {
            continue;
        }
        if step.at.get() > at {
            fall(&mut pen, at, step.at.get());
            at = step.at.get();
        }
        drop(&mut pen, &mut treads, &mut items, step);
    }
    fall(&mut pen, at, length);
    for step in stairs.steps.iter().filter(|s| is_at_end(s)) {
        pen.to(pen.x + SLOT, pen.level);
        drop(&mut pen, &mut treads, &mut items, step);
    }
    pen.to(pen.x + 10.0, pen.level);
    let margin = stairs.margin();
    let class = if margin < Db::ZERO {
        "out"
    } else if stairs.received < stairs.wants {
        "thin"
    } else {
        "sound"
    };
    let is_noisy = (stairs.needs - stairs.quiet).get() > 0.05;
    let marks = measured
        .iter()
        .map(|m| ReadingMark {
            y: pen.y(m.level.get()),
            text: format!("measured {} ({})", m.level, signed(m.level - stairs.received)),
        })
        .collect();
    #[expect(clippy::cast_possible_truncation, reason = "levels are within ±200 dBm")]
    let (lowest, highest) = ((bottom / 20.0).ceil() as i32, (top / 20.0).floor() as i32);
    let ticks = (lowest..=highest)
        .map(|k| f64::from(k) * 20.0)
        .map(|level| Tick { y: pen.y(level), text: typographic(level, 0) })
        .collect();
    StairPanel {
        from: stairs.from.clone(),
        to: stairs.to.clone(),
        margin: signed(margin),
        other_margin: signed(back.margin()),
        class,
        width: width(panels),
        height: HEIGHT,
        needs_y: pen.y(stairs.needs.get()),
        wants_y: pen.y(stairs.wants.get()),
        quiet_y: is_noisy.then(|| pen.y(stairs.quiet.get())),
        names_x: width(panels) - RIGHT + 14.0,
        names: names(&pen, stairs, is_noisy),
        received_y: pen.y(stairs.received.get()),
        end_x: round(pen.x),
        tx: stairs.tx.to_string(),
        start: format!("{} at 1 m", typographic(stairs.tx.get() - first_metre, 0)),
        summary: format!(
            "{} sends {}, {} hears {}: margin {}",
            stairs.from,
            stairs.tx,
            stairs.to,
            stairs.received,
            signed(margin)
        ),
        d: pen.d,
        way: stairs.way.clone(),
        others: stairs.others.iter().map(|(way, weaker)| (way.clone(), signed(-*weaker))).collect(),
        extrapolated: extrapolated(stairs),
        corners: stairs.corners.clone(),
        treads,
        items,
        marks,
        ticks,
    }
}

/// The levels of a hop with their names, none on another and all within the drawing.
fn names(pen: &Pen, stairs: &Staircase, is_noisy: bool) -> Vec<LevelName> {
    let name = |level: Dbm, text: String, title, class| LevelName {
        y: pen.y(level.get()),
        text,
        title,
        class,
    };
    let needs = if is_noisy {
        "what the hearer needs among what is on the air"
    } else {
        "what the hearer needs"
    };
    let mut names = vec![
        name(stairs.received, stairs.received.to_string(), "what arrives", "strong"),
        name(
            stairs.wants,
            format!("wants {}", stairs.wants),
            "what the wanted confidence asks for",
            "",
        ),
        name(stairs.needs, format!("needs {}", stairs.needs), needs, ""),
    ];
    if is_noisy {
        let title = "what the hearer would need if the air were quiet";
        names.push(name(stairs.quiet, format!("quiet {}", stairs.quiet), title, ""));
    }
    names.sort_by(|a, b| a.y.total_cmp(&b.y));
    let mut free = LINE / 2.0;
    for name in &mut names {
        name.y = name.y.max(free);
        free = name.y + LINE;
    }
    let mut free = HEIGHT - LINE / 2.0;
    for name in names.iter_mut().rev() {
        name.y = round(name.y.min(free));
        free = name.y - LINE;
    }
    names
}

fn wall_of(step: &Stair) -> String {
    match &step.of {
        StepOf::Wall(id) | StepOf::Opening(id) => id.to_string(),
        _ => String::new(),
    }
}

fn item(number: usize, step: &Stair) -> Item {
    Item {
        number,
        name: step.name.clone(),
        loss: signed(-step.loss),
        wall: wall_of(step),
        is_extrapolated: !step.extrapolated.is_empty(),
    }
}

/// Every material whose value is an extrapolation here, once.
fn extrapolated(stairs: &Staircase) -> String {
    let names: BTreeSet<_> = stairs.steps.iter().flat_map(|s| &s.extrapolated).copied().collect();
    names.into_iter().collect::<Vec<_>>().join(", ")
}

/// A difference with its sign.
pub(crate) fn signed(value: Db) -> String {
    let text = typographic(value.get(), 1);
    if text.starts_with('−') { format!("{text} dB") } else { format!("+{text} dB") }
}
