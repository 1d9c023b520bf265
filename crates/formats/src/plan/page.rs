//! A page of a PDF that was drawn as a picture, and how it lies under the sheet.

use dot_reach_core::site::Underlay;

/// A point of a PDF in metres: a seventy-second of an inch (ISO 32000-1, 8.3.2.3).
const POINT_M: f64 = 0.0254 / 72.0;
/// Plans are drawn at 1 : so much.
const SCALES: (f64, f64) = (1.0, 5000.0);

/// A page: its size in points, and at 1 : how much it is drawn.
#[derive(Clone, Copy, Debug, PartialEq, serde::Deserialize)]
pub struct Page {
    /// Its width in points.
    pub width_pt: f64,
    /// Its height in points.
    pub height_pt: f64,
    /// 1 : so much.
    pub scale: f64,
}

impl Page {
    /// How large what is on it is in truth, across and down, in metres.
    ///
    /// # Errors
    /// The scale is none that a plan is drawn at, or the page has no size; what to give instead.
    pub fn size_m(&self) -> Result<[f64; 2], String> {
        let (low, high) = SCALES;
        if !(low..=high).contains(&self.scale) {
            return Err(format!("give the scale that is written on the page: 1 : {low} to {high}"));
        }
        let size = [self.width_pt, self.height_pt].map(|pt| pt * POINT_M * self.scale);
        let is_page = size.iter().all(|m| m.is_finite() && (0.001..=10_000.0).contains(m));
        is_page.then_some(size).ok_or_else(|| "the page has no size".to_owned())
    }

    /// The picture of it under the sheet, its corner at the origin.
    ///
    /// # Errors
    /// As [`Page::size_m`].
    pub fn under(&self, picture: Underlay) -> Result<Underlay, String> {
        let [across, _] = self.size_m()?;
        let metres_per_px = across / f64::from(picture.width_px.max(1));
        Ok(Underlay { metres_per_px, origin: [0.0, 0.0], scaled: true, ..picture })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn ten_inches_at_one_to_fifty_are_twelve_metres_seventy() {
        let page = Page { width_pt: 720.0, height_pt: 576.0, scale: 50.0 };
        let [across, down] = page.size_m().unwrap();
        assert!((across - 12.7).abs() < 1e-9 && (down - 10.16).abs() < 1e-9);
        let picture = Underlay::first_guess("0".repeat(64), 3000, 2400);
        let lies = page.under(picture).unwrap();
        assert!((lies.metres_per_px * 3000.0 - 12.7).abs() < 1e-9 && lies.scaled);
        for scale in [0.0, -50.0, f64::NAN, 1e9] {
            assert!(Page { scale, ..page }.size_m().is_err());
        }
    }
}
