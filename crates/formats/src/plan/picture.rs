//! Layers of a plan as a picture under the sheet.

use std::io::Cursor;

use dot_reach_core::geometry::Rect;
use dot_reach_core::site::{Spot, Underlay};
use image::{GrayImage, ImageFormat, Luma};

use super::{As, Choices, Drawing};
use crate::plan_image::CheckedImage;

/// So many pixels along the longer side.
const LONGEST: f64 = 2400.0;

/// The layers that become a picture, drawn; nothing where there are none. With it, how it lies on the
/// sheet once its hash is known.
pub fn underlay(drawing: &Drawing, choices: &Choices) -> Option<(CheckedImage, Underlay)> {
    let shown =
        drawing.layers.iter().filter(|(name, _)| choices.layers.get(*name) == Some(&As::Underlay));
    let lines: Vec<(Spot, Spot)> =
        shown.flat_map(|(_, pieces)| pieces.iter().map(|p| (p.a, p.b))).collect();
    let around = Rect::around(lines.iter().flat_map(|(a, b)| [*a, *b]))?;
    let used = drawing
        .layers
        .iter()
        .filter(|(name, _)| choices.layers.get(*name).is_some_and(|what| *what != As::Skip));
    let origin = Rect::around(used.flat_map(|(_, p)| p.iter().flat_map(|p| [p.a, p.b])))?;
    let per_px = around.width().max(around.height()) / LONGEST;
    if !(per_px.is_finite() && per_px > 0.0) {
        return None;
    }
    #[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "at most 2402")]
    let pixels = |length: f64| (length / per_px).ceil() as u32 + 2;
    let (width, height) = (pixels(around.width()), pixels(around.height()));
    let mut picture = GrayImage::from_pixel(width, height, Luma([255]));
    for (a, b) in lines {
        let at = |[x, y]: Spot| [(x - around.left) / per_px, (y - around.top) / per_px];
        stroke(&mut picture, at(a), at(b));
    }
    let mut bytes = Cursor::new(Vec::new());
    picture.write_to(&mut bytes, ImageFormat::Png).ok()?;
    let scale = choices.metres_per_unit;
    let image = CheckedImage {
        media_type: "image/png",
        width_px: width,
        height_px: height,
        bytes: bytes.into_inner(),
    };
    let lies = Underlay {
        image: String::new(),
        width_px: width,
        height_px: height,
        origin: [(around.left - origin.left) * scale, (around.top - origin.top) * scale],
        metres_per_px: per_px * scale,
        scaled: true,
    };
    Some((image, lies))
}

fn stroke(picture: &mut GrayImage, a: Spot, b: Spot) {
    let steps = (b[0] - a[0]).abs().max((b[1] - a[1]).abs()).ceil().clamp(1.0, 5000.0);
    let mut t = 0.0;
    while t <= steps {
        let at = [0, 1].map(|axis| a[axis] + (b[axis] - a[axis]) * t / steps);
        #[expect(
            clippy::cast_possible_truncation,
            clippy::cast_sign_loss,
            reason = "in the picture"
        )]
        let [x, y] = at.map(|v| v.max(0.0) as u32);
        for (x, y) in [(x, y), (x + 1, y), (x, y + 1)] {
            if x < picture.width() && y < picture.height() {
                picture.put_pixel(x, y, Luma([60]));
            }
        }
        t += 1.0;
    }
}
