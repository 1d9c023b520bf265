//! Lines as SVG path data, in centimetres so that the text stays short.

use std::fmt::Write;

use dot_reach_core::site::Spot;

fn centimetres(metres: f64) -> i64 {
    #[expect(clippy::cast_possible_truncation, reason = "the sheet is at most kilometres wide")]
    let whole = (metres * 100.0).round() as i64;
    whole
}

/// Open or closed lines as one `d`, in centimetres, each step relative to the last.
pub(crate) fn path(lines: &[Vec<Spot>], closed: bool) -> String {
    let mut d = String::new();
    for line in lines {
        let mut last = (0, 0);
        for (i, [x, y]) in line.iter().enumerate() {
            let here = (centimetres(*x), centimetres(*y));
            // Writing to a string cannot fail.
            let _infallible = if i == 0 {
                write!(d, "M{} {}", here.0, here.1)
            } else if here == last {
                continue;
            } else {
                write!(d, "l{} {}", here.0 - last.0, here.1 - last.1)
            };
            last = here;
        }
        if closed {
            d.push('z');
        }
    }
    d
}

/// A curve over 0 to 70 degrees and 0 to 40 dB in a picture 300 wide and 200 high.
pub(crate) fn curve(points: &[(f64, f64)]) -> String {
    let mut d = String::new();
    for (i, (degrees, db)) in points.iter().enumerate() {
        let word = if i == 0 { 'M' } else { 'L' };
        let (x, y) = (degrees / 70.0 * 300.0, 200.0 - db.clamp(0.0, 40.0) / 40.0 * 200.0);
        // Writing to a string cannot fail.
        let _infallible = write!(d, "{word}{x:.1} {y:.1}");
    }
    d
}
