//! Names and tags of dots: kept apart, cut where they are long.

use super::{Dot, Plan};

/// How wide the smallest picture of a whole sheet is, in pixels: what is drawn from the first level on keeps apart on it.
/// Each further level is twice as near.
pub(crate) const FIRST_WIDE: f64 = 300.0;
/// How many levels there are; what finds no room even in the last is drawn under the hand alone.
pub(crate) const LEVELS: u8 = 7;
/// How wide a letter is and how high a line, in pixels, and how far a label stands beside its dot.
const LETTER: f64 = 7.4;
const LINE: f64 = 16.0;
const BESIDE: f64 = 13.0;
/// The same beside one that is chosen, which has a ring.
const BESIDE_RING: f64 = 18.0;
/// Half of what a dot takes itself.
const DOT: f64 = 9.0;

/// What a label takes: its anchor on the sheet, and a box around that in pixels, whatever the zoom.
struct LabelBox {
    at: (f64, f64),
    left: f64,
    right: f64,
    half: f64,
}

impl LabelBox {
    /// Whether two lie over each other where a centimetre of the sheet is so many pixels.
    fn meets(&self, other: &Self, px: f64) -> bool {
        let (dx, dy) = ((other.at.0 - self.at.0) * px, (other.at.1 - self.at.1) * px);
        self.left < dx + other.right
            && dx + other.left < self.right
            && dy.abs() < self.half + other.half
    }
}

#[expect(clippy::cast_precision_loss, reason = "a label is short")]
fn wide(text: &str) -> f64 {
    text.chars().count() as f64 * LETTER
}

/// All labels that have their place, and from which level on each is drawn.
struct Placed {
    all: Vec<(LabelBox, u8)>,
    width: f64,
}

impl Placed {
    /// How many pixels a centimetre of the sheet takes at a level.
    fn px(&self, level: u8) -> f64 {
        FIRST_WIDE / self.width * f64::from(1u32 << level)
    }

    /// The first level from which on one more lies over none of them: both are drawn from the later of their two on.
    fn first_free(&self, own: &LabelBox) -> u8 {
        let is_free = |level: &u8| {
            let mut drawn = self.all.iter().filter(|(_, at)| *at < LEVELS);
            !drawn.any(|(other, at)| own.meets(other, self.px((*level).max(*at))))
        };
        (0..LEVELS).find(is_free).unwrap_or(LEVELS)
    }
}

impl Plan {
    /// Says from how near each label is drawn, so that none lies over another nor over a dot at any zoom: the first where the
    /// whole sheet is seen smallest, the others each twice as near as those before.
    pub(super) fn thin_out(&mut self) {
        let dots = self.dots.iter().map(|dot| {
            let at = (dot.x, dot.y);
            (LabelBox { at, left: -DOT, right: DOT, half: DOT }, 0)
        });
        let mut placed = Placed { all: dots.collect(), width: self.width.max(1.0) };
        let mut order: Vec<usize> = (0..self.dots.len()).collect();
        // What is chosen has its name at any zoom: the others make room for it.
        let rank = |dot: &Dot| (!dot.class.contains("selected"), !dot.show_name);
        order.sort_by_key(|n| rank(&self.dots[*n]));
        for n in order {
            let Some((label, flip, level)) = self.beside(&self.dots[n], &placed) else { continue };
            placed.all.push((label, level));
            let dot = &mut self.dots[n];
            (dot.flip, dot.level) = (flip, level);
        }
        // Numbers of lines come after names; they may lie along their line: as wide as high, whatever way that runs.
        for label in self.lines.iter_mut().flat_map(|line| &mut line.labels) {
            let half = wide(&label.text) / 2.0;
            let high = half.max(LINE / 2.0);
            let own = LabelBox { at: (label.x, label.y), left: -half, right: half, half: high };
            label.level = placed.first_free(&own);
            placed.all.push((own, label.level));
        }
        // A room has room for its name: it moves up or down until it lies over nothing.
        for room in &mut self.rooms {
            let half = wide(&room.name) / 2.0 + LETTER;
            let shifts = [0.0, -0.2, 0.2, -0.35, 0.35].map(|share| room.middle + share * room.high);
            let at =
                |y: f64| LabelBox { at: (room.x, y), left: -half, right: half, half: LINE / 2.0 };
            let levels = shifts.map(|y| (placed.first_free(&at(y)), y));
            let Some((level, y)) = levels.into_iter().min_by_key(|(level, _)| *level) else {
                continue;
            };
            (room.level, room.y) = (level, y.round());
            placed.all.push((at(y), level));
        }
    }

    /// Where the label of a dot stands best: on its own side, or on the other where it is drawn earlier there; with the level
    /// from which on. Nothing where it has none.
    fn beside(&self, dot: &Dot, placed: &Placed) -> Option<(LabelBox, bool, u8)> {
        let name =
            if dot.show_name { format!("{} {}", dot.tag, dot.name) } else { dot.tag.clone() };
        let near = if dot.is_ringed() { BESIDE_RING } else { BESIDE };
        let far = near + wide(name.trim());
        if name.trim().is_empty() {
            return None;
        }
        let on = |flip: bool| {
            let (left, right) = if flip { (-far, -near) } else { (near, far) };
            let own = LabelBox { at: (dot.x, dot.y), left, right, half: LINE / 2.0 };
            let level = placed.first_free(&own);
            (own, flip, level)
        };
        let (own, other) = (on(dot.flip), on(!dot.flip));
        let reaches = far / placed.px(other.2.min(LEVELS - 1));
        let (from, to) = (self.left + reaches, self.left + self.width - reaches);
        let has_room = if other.1 { dot.x >= from } else { dot.x <= to };
        let best = if has_room && other.2 < own.2 { other } else { own };
        let is_forced = dot.class.contains("selected");
        Some((best.0, best.1, if is_forced { 0 } else { best.2 }))
    }
}

/// A title with the tag in front.
pub(super) fn named(tag: &str, title: &str) -> String {
    if tag.is_empty() { title.to_owned() } else { format!("{tag} {title}") }
}

/// A name as it stands on a plan: cut where it is long; the whole of it is at hand as the title.
pub(super) fn short(name: &str) -> String {
    const MOST: usize = 26;
    if name.chars().count() <= MOST {
        return name.to_owned();
    }
    let cut: String = name.chars().take(MOST - 1).collect();
    format!("{}…", cut.trim_end())
}
