//! Names and tags of dots: kept apart, cut where they are long.

use super::Plan;

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

impl Plan {
    /// Says from how near each label is drawn, so that none lies over another at any zoom: the first where the whole sheet is
    /// seen smallest, the others each twice as near as those before.
    pub(super) fn thin_out(&mut self) {
        let mut order: Vec<usize> = (0..self.dots.len()).collect();
        // What is chosen has its name at any zoom: the others make room for it.
        let rank = |dot: &super::Dot| (!dot.class.contains("selected"), !dot.show_name);
        order.sort_by_key(|n| rank(&self.dots[*n]));
        let mut placed: Vec<(LabelBox, u8)> = Vec::new();
        let width = self.width.max(1.0);
        let first_free = |own: &LabelBox, placed: &[(LabelBox, u8)]| {
            let is_free = |level: &u8| {
                let px = FIRST_WIDE / width * f64::from(1u32 << level);
                !placed.iter().any(|(other, at)| at <= level && own.meets(other, px))
            };
            (0..LEVELS).find(is_free).unwrap_or(LEVELS)
        };
        for n in order {
            let dot = &self.dots[n];
            let name =
                if dot.show_name { format!("{} {}", dot.tag, dot.name) } else { dot.tag.clone() };
            if name.trim().is_empty() {
                continue;
            }
            let near = if dot.is_ringed() { BESIDE_RING } else { BESIDE };
            let far = near + wide(name.trim());
            let (left, right) = if dot.flip { (-far, -near) } else { (near, far) };
            let own = LabelBox { at: (dot.x, dot.y), left, right, half: LINE / 2.0 };
            let level = first_free(&own, &placed);
            placed.push((own, level));
            self.dots[n].level = level;
        }
        // Numbers of lines come after names, and under no dot.
        let dots = self.dots.iter().map(|dot| {
            let at = (dot.x, dot.y);
            (LabelBox { at, left: -DOT, right: DOT, half: DOT }, 0)
        });
        placed.extend(dots);
        for line in &mut self.lines {
            for label in &mut line.labels {
                // It may lie along its line: as wide as it is high, whatever way that runs.
                let half = wide(&label.text) / 2.0;
                let own = LabelBox {
                    at: (label.x, label.y),
                    left: -half,
                    right: half,
                    half: half.max(LINE / 2.0),
                };
                label.level = first_free(&own, &placed);
                placed.push((own, label.level));
            }
        }
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
