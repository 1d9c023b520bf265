//! Places on a sheet, what lies between two of them, and rectangles around many.

use std::ops::{Add, Mul, Sub};

/// A place on a sheet: metres right and down.
pub type Spot = [f64; 2];

/// From one place to another: metres right and down.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Vec2 {
    /// To the right.
    pub x: f64,
    /// Down.
    pub y: f64,
}

impl Vec2 {
    /// The way from `a` to `b`.
    pub fn between(a: Spot, b: Spot) -> Self {
        Self { x: b[0] - a[0], y: b[1] - a[1] }
    }

    /// Its length.
    pub fn length(self) -> f64 {
        self.x.hypot(self.y)
    }

    /// `|a|·|b|·cos` of the angle between them.
    pub fn dot(self, other: Self) -> f64 {
        self.x * other.x + self.y * other.y
    }

    /// `|a|·|b|·sin` of the angle from this one to the other: positive when that turns down.
    pub fn cross(self, other: Self) -> f64 {
        self.x * other.y - self.y * other.x
    }

    /// Where it leads from a place.
    pub fn from(self, start: Spot) -> Spot {
        [start[0] + self.x, start[1] + self.y]
    }
}

impl Add for Vec2 {
    type Output = Self;
    fn add(self, other: Self) -> Self {
        Self { x: self.x + other.x, y: self.y + other.y }
    }
}

impl Sub for Vec2 {
    type Output = Self;
    fn sub(self, other: Self) -> Self {
        Self { x: self.x - other.x, y: self.y - other.y }
    }
}

impl Mul<f64> for Vec2 {
    type Output = Self;
    fn mul(self, k: f64) -> Self {
        Self { x: self.x * k, y: self.y * k }
    }
}

/// How far apart two places are.
pub fn apart(a: Spot, b: Spot) -> f64 {
    Vec2::between(a, b).length()
}

/// A rectangle along the edges of the sheet.
#[derive(Clone, Copy, Debug, PartialEq)]
#[expect(missing_docs, reason = "each is the edge that it is called")]
pub struct Rect {
    pub left: f64,
    pub top: f64,
    pub right: f64,
    pub bottom: f64,
}

impl Rect {
    /// The smallest around these places; nothing around none.
    pub fn around(places: impl IntoIterator<Item = Spot>) -> Option<Self> {
        places.into_iter().fold(None, |rect: Option<Self>, [x, y]| {
            let r = rect.unwrap_or(Self { left: x, top: y, right: x, bottom: y });
            Some(Self {
                left: r.left.min(x),
                top: r.top.min(y),
                right: r.right.max(x),
                bottom: r.bottom.max(y),
            })
        })
    }

    /// Its width.
    pub fn width(&self) -> f64 {
        self.right - self.left
    }

    /// Its height on the sheet.
    pub fn height(&self) -> f64 {
        self.bottom - self.top
    }

    /// How far outside a place lies, along the worse of the two axes; negative within.
    pub fn outside(&self, [x, y]: Spot) -> f64 {
        (self.left - x).max(x - self.right).max(self.top - y).max(y - self.bottom)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn ways_add_up_and_turn_as_they_should() {
        let (a, b, c) = ([1.0, 2.0], [4.0, 6.0], [5.0, 1.0]);
        let (ab, bc) = (Vec2::between(a, b), Vec2::between(b, c));
        assert_eq!(ab + bc, Vec2::between(a, c));
        assert!((ab - ab * 1.0).length() < 1e-12);
        assert!((ab.length() - 5.0).abs() < 1e-12 && (apart(a, b) - 5.0).abs() < 1e-12);
        let right = Vec2 { x: 1.0, y: 0.0 };
        let down = Vec2 { x: 0.0, y: 1.0 };
        assert!(right.cross(down) > 0.0 && right.dot(down).abs() < 1e-12);
        assert_eq!(ab.from(a).map(f64::to_bits), b.map(f64::to_bits));
    }

    #[test]
    fn a_rectangle_lies_around_its_places() {
        assert_eq!(Rect::around([]), None);
        let rect = Rect::around([[1.0, 5.0], [-2.0, 7.0], [0.0, 6.0]]);
        assert_eq!(rect, Some(Rect { left: -2.0, top: 5.0, right: 1.0, bottom: 7.0 }));
        let outside = rect.map(|r| [r.outside([0.0, 6.0]), r.outside([4.0, 6.0])]);
        assert!(
            outside.is_some_and(|[within, beside]| within < 0.0 && (beside - 3.0).abs() < 1e-12)
        );
    }
}
