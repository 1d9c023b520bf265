//! Names and tags of dots: kept apart, cut where they are long.

use super::Plan;

impl Plan {
    /// Says from how near each label is drawn, so that none lies over another: the first as the sheet is
    /// seen whole, the others where it is seen twice, four or eight times as near.
    pub(super) fn thin_out(&mut self) {
        /// How wide a sheet is on the screen, and how much a short label takes, in pixels.
        const WIDE: f64 = 900.0;
        const LABEL: (f64, f64) = (34.0, 15.0);
        let mut order: Vec<usize> = (0..self.dots.len()).collect();
        order.sort_by_key(|n| !self.dots[*n].show_name);
        let mut placed: Vec<(usize, u8)> = Vec::new();
        for n in order {
            let (x, y) = (self.dots[n].x, self.dots[n].y);
            let level = (0..3u8).find(|level| {
                let px = WIDE / self.width.max(1.0) * f64::from(1u32 << level);
                let meets = |(m, at): &(usize, u8)| {
                    let other = &self.dots[*m];
                    *at <= *level
                        && (other.x - x).abs() * px < LABEL.0
                        && (other.y - y).abs() * px < LABEL.1
                };
                !placed.iter().any(meets)
            });
            let level = level.unwrap_or(3);
            placed.push((n, level));
            self.dots[n].level = level;
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
