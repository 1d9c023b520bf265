//! Which layouts are still possible by what was surveyed, and which question would tell them apart.

use std::collections::BTreeMap;

use super::layout::{Cable, CableEnd, FeedAt, LAYOUTS, LayoutRow, LoadFrom};
use crate::site::neutrals::really;
use crate::site::{Conductor, Function, Layout, Neutral, Point, PointId, Site};
use crate::survey::lines::as_tested;

/// What was surveyed of the box of one place, as far as it is of its own control.
#[derive(Clone, Debug)]
pub struct SeenBox<'a> {
    /// The point.
    pub point: &'a Point,
    /// Its conductors as the tests have them, with what was noted: of its circuit, less what leads from other gangs.
    pub own: Vec<(Conductor, &'a Conductor)>,
    /// Those of other circuits, and those of other gangs.
    pub foreign: Vec<(Conductor, &'a Conductor)>,
    /// Whether something else in the box is of the same circuit: another place, a switch that stays. What is in it can be
    /// of that.
    pub is_shared: bool,
}

impl<'a> SeenBox<'a> {
    /// The box of a point.
    pub fn of(site: &'a Site, point: &'a Point) -> Self {
        let lead = site.box_of(point);
        let breaker = really(site, &point.circuit);
        let is_own = |c: &Conductor| {
            let label = c.circuit.trim();
            let is_of_gang = c.found == Function::Line || c.gang == 0 || c.gang == point.gang;
            is_of_gang && (label.is_empty() || really(site, label) == breaker)
        };
        let all = as_tested(&lead.conductors).into_iter().zip(&lead.conductors);
        let (own, foreign) = all.partition(|(c, _)| is_own(c));
        let may_be_same = |p: &Point| {
            let other = really(site, &p.circuit);
            other == breaker || other.is_empty() || breaker.is_empty()
        };
        let beside =
            site.points.iter().filter(|p| p.id != point.id && site.box_of(p).id == lead.id);
        let stays = lead.stays.iter().filter(|s| s.what.fills_a_gang());
        let stays = stays.filter(|s| s.gang == 0 || s.gang != point.gang);
        let is_shared = beside.filter(|p| may_be_same(p)).count() + stays.count() > 0;
        Self { point, own, foreign, is_shared }
    }

    /// Whether somebody found a neutral that goes with this gang's own lamp.
    fn has_neutral_of_its_gang(&self) -> bool {
        self.own.iter().any(|(c, _)| c.found == Function::Neutral && c.gang > 0)
    }

    /// How many conductors of a function were found; those of its own control only where the box is its own.
    pub fn count(&self, function: Function) -> usize {
        self.own
            .iter()
            .filter(|(c, _)| c.found == function)
            .map(|(c, _)| usize::from(c.count))
            .sum()
    }
}

/// A layout that is still possible, with its places in the order of the cable.
#[derive(Clone, Debug)]
pub struct Possible {
    /// The layout.
    pub row: &'static LayoutRow,
    /// The places in the order of the cable.
    pub order: Vec<PointId>,
    /// Its cables, what is fed on with them.
    pub cables: Vec<Cable>,
}

/// What a layout has in the box of a place.
pub fn there(cables: &[Cable], place: usize, function: Function) -> usize {
    let node = CableEnd::Place(place);
    let at = cables.iter().filter(|c| c.from == node || c.to == node);
    at.flat_map(|c| &c.cores).filter(|was| **was == function).count()
}

/// The orders in which the cable can run through some places.
fn orders(site: &Site, places: &[PointId], wiring: &Layout) -> Vec<Vec<PointId>> {
    let (mut all, mut turned) = (vec![places.to_vec()], places.to_vec());
    turned.reverse();
    let first_and_last = |all: Vec<PointId>, first: &PointId, last: &PointId| -> Vec<PointId> {
        let is_end = |p: &PointId| p == first || p == last;
        let mut middle: Vec<PointId> = all.into_iter().filter(|p| !is_end(p)).collect();
        middle.insert(0, first.clone());
        if first != last {
            middle.push(last.clone());
        }
        middle
    };
    if let Layout::Boxes { line, load } = wiring {
        return vec![first_and_last(places.to_vec(), line, load)];
    }
    // A switch of four terminals stands between two others.
    let ends: Vec<&PointId> = places
        .iter()
        .filter(|id| site.points.get(id).is_some_and(|p| p.signs.terminals == 3))
        .collect();
    if let ([a, b], true) = (ends.as_slice(), places.len() > 2) {
        all = vec![first_and_last(places.to_vec(), a, b)];
        turned.clone_from(&all[0]);
        turned.reverse();
    }
    if places.len() > 1 {
        all.push(turned);
    }
    all
}

/// Every layout that what was surveyed leaves possible.
pub fn possible(site: &Site, places: &[PointId], wiring: &Layout) -> Vec<Possible> {
    let mut all = Vec::new();
    for order in orders(site, places, wiring) {
        let points: Vec<&Point> = order.iter().filter_map(|id| site.points.get(id)).collect();
        if points.len() != order.len() || points.is_empty() {
            continue;
        }
        let boxes: Vec<SeenBox<'_>> = points.iter().map(|p| SeenBox::of(site, p)).collect();
        for row in LAYOUTS.iter().filter(|row| row.is_of(order.len())) {
            let mut cables = row.cables(order.len());
            let fits = is_as_said(row, &order, wiring)
                && boxes.iter().enumerate().all(|(n, seen)| is_as_seen(site, &cables, n, seen));
            if fits {
                for (n, seen) in boxes.iter().enumerate() {
                    cables.extend(std::iter::repeat_n(onward(n), fed_on(&cables, n, seen)));
                }
                all.push(Possible { row, order: order.clone(), cables });
            }
        }
    }
    all
}

fn onward(place: usize) -> Cable {
    Cable {
        from: CableEnd::Place(place),
        to: CableEnd::Onward(place),
        cores: vec![Function::Line, Function::Neutral],
    }
}

/// How many more feeds there are in a box than the control has: each feeds something on.
fn fed_on(cables: &[Cable], place: usize, seen: &SeenBox<'_>) -> usize {
    let more = |function| seen.count(function).saturating_sub(there(cables, place, function));
    if seen.is_shared { 0 } else { more(Function::Line).min(more(Function::Neutral)) }
}

fn is_as_said(row: &LayoutRow, order: &[PointId], wiring: &Layout) -> bool {
    match wiring {
        Layout::Unknown => true,
        Layout::AtFitting => row.feed == FeedAt::Fitting,
        Layout::Boxes { line, load } => {
            let from = if row.load == LoadFrom::First { order.first() } else { order.last() };
            row.feed == FeedAt::First && order.first() == Some(line) && from == Some(load)
        }
    }
}

fn is_as_seen(site: &Site, cables: &[Cable], place: usize, seen: &SeenBox<'_>) -> bool {
    let expected = |function| there(cables, place, function);
    let lead = site.box_of(seen.point);
    let feeds_more = seen.count(Function::Line) > expected(Function::Line);
    let neutral = match lead.neutral {
        Neutral::Absent => expected(Function::Neutral) == 0,
        Neutral::Tested | Neutral::Seen => {
            let is_others = seen.is_shared && !seen.has_neutral_of_its_gang();
            expected(Function::Neutral) > 0 || is_others || feeds_more
        }
        Neutral::Unknown | Neutral::NotSeen => true,
    };
    // What leads to the lamp or to another place is of this control, where the box is its own.
    let own = [Function::Traveller, Function::Switched]
        .into_iter()
        .all(|f| seen.is_shared || seen.count(f) <= expected(f));
    // A box whose conductors were all told apart has what the layout has.
    let listed: usize = seen.own.iter().map(|(c, _)| usize::from(c.count)).sum();
    let is_told_apart = listed > 0 && seen.own.iter().all(|(c, _)| c.found != Function::Unknown);
    let wanted = [Function::Line, Function::Switched, Function::Traveller, Function::Neutral];
    let has = !is_told_apart || wanted.into_iter().all(|f| seen.count(f) >= expected(f));
    // More neutrals than the control has come with a feed that goes on.
    let more = |f| seen.count(f).saturating_sub(expected(f));
    let goes_on =
        !is_told_apart || seen.is_shared || more(Function::Neutral) <= more(Function::Line);
    neutral && own && has && goes_on && leads_as_noted(cables, place, seen)
}

/// Whether line and the conductor to the lamp lead where somebody noted that they lead.
fn leads_as_noted(cables: &[Cable], place: usize, seen: &SeenBox<'_>) -> bool {
    let node = CableEnd::Place(place);
    let has = |function: Function, other: CableEnd| {
        let joins = |c: &&Cable| (c.from, c.to) == (node, other) || (c.from, c.to) == (other, node);
        cables.iter().filter(joins).any(|c| c.cores.contains(&function))
    };
    let noted = |function: Function, other: CableEnd| {
        seen.own.iter().filter(|(c, _)| c.found == function).any(|(c, _)| is_usual(other, &c.from))
    };
    let ends = [CableEnd::Panel, CableEnd::Fitting];
    let all =
        [Function::Line, Function::Switched].into_iter().flat_map(|f| ends.map(|end| (f, end)));
    all.into_iter().all(|(function, end)| !noted(function, end) || has(function, end))
}

/// Whether a note of where a conductor leads names an end that is no place of the control, in a usual word.
pub fn is_usual(node: CableEnd, noted: &str) -> bool {
    let noted = noted.trim().to_lowercase();
    let words: &[&str] = match node {
        CableEnd::Panel => &["panel", "board", "consumer unit", "supply"],
        CableEnd::Fitting => &["lamp", "fitting", "light", "ceiling", "rose"],
        CableEnd::Onward(_) => &["on to", "next", "onward"],
        CableEnd::Place(_) => &[],
    };
    words.iter().any(|word| noted.contains(word))
}

/// Something that a person can find out in a box.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum BoxQuestion {
    /// Whether line comes in there.
    Line(PointId),
    /// Whether a neutral is there.
    Neutral(PointId),
    /// Whether what leads to the lamp is there.
    Load(PointId),
    /// How many conductors lead to the next place.
    Travellers(PointId),
}

impl BoxQuestion {
    /// Where.
    pub fn at(&self) -> &PointId {
        let (Self::Line(at) | Self::Neutral(at) | Self::Load(at) | Self::Travellers(at)) = self;
        at
    }

    /// It in words.
    pub fn words(&self, site: &Site) -> String {
        let point = site.points.get(self.at());
        let name = point.map_or_else(String::new, Point::title);
        let found = point.map_or(Neutral::Unknown, |p| site.box_of(p).neutral);
        match self {
            Self::Line(_) => format!("Does line come in at {name}? Finding the lines there tells."),
            Self::Neutral(_) if matches!(found, Neutral::Tested | Neutral::Seen) => {
                format!(
                    "Of which gang is each neutral in the box of {name}? Look which cable it comes with."
                )
            }
            Self::Neutral(_) => {
                format!("Is a neutral in the box of {name}? Look deep behind the switch.")
            }
            Self::Load(_) => format!("Does the conductor to the lamp leave from {name}?"),
            Self::Travellers(_) => {
                format!("How many conductors lead from {name} to the next place of the control?")
            }
        }
    }

    fn answer(&self, possible: &Possible) -> usize {
        let place = possible.order.iter().position(|p| p == self.at()).unwrap_or(0);
        let is_there = |f| usize::from(there(&possible.cables, place, f) > 0);
        match self {
            Self::Line(_) => is_there(Function::Line),
            Self::Neutral(_) => is_there(Function::Neutral),
            Self::Load(_) => is_there(Function::Switched),
            Self::Travellers(_) => there(&possible.cables, place, Function::Traveller),
        }
    }
}

/// The question whose answer leaves the fewest possible at the worst; nothing where none tells them apart.
pub fn best_question(all: &[Possible]) -> Option<BoxQuestion> {
    let places = all.first()?.order.clone();
    let mut asked: Vec<(usize, BoxQuestion)> = Vec::new();
    for id in places {
        let questions = [
            BoxQuestion::Line(id.clone()),
            BoxQuestion::Load(id.clone()),
            BoxQuestion::Neutral(id.clone()),
            BoxQuestion::Travellers(id),
        ];
        for question in questions {
            let mut left: BTreeMap<usize, usize> = BTreeMap::new();
            for possible in all {
                *left.entry(question.answer(possible)).or_default() += 1;
            }
            let worst = left.values().copied().max().unwrap_or(0);
            if left.len() > 1 {
                asked.push((worst, question));
            }
        }
    }
    asked.sort();
    asked.into_iter().next().map(|(_, question)| question)
}
