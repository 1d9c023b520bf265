//! A bounding-box tree over the walls of one storey, so that a ray meets few of them.
//!
//! Boxes and a first test of eight walls at a time work in single precision with slack, so that
//! they vectorise; whoever passes is tested exactly by the caller.

/// An axis-parallel rectangle on the sheet.
#[derive(Clone, Copy, Debug, PartialEq)]
struct Bounds {
    low: [f64; 2],
    high: [f64; 2],
}

impl Bounds {
    fn of(segments: &[Segment]) -> Self {
        let mut bounds = Self { low: [f64::INFINITY; 2], high: [f64::NEG_INFINITY; 2] };
        for corner in segments.iter().flat_map(|s| [s.a, s.b]) {
            for (axis, at) in corner.into_iter().enumerate() {
                bounds.low[axis] = bounds.low[axis].min(at);
                bounds.high[axis] = bounds.high[axis].max(at);
            }
        }
        bounds
    }
}

/// A segment on the sheet and what it belongs to.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Segment {
    /// One end.
    pub a: [f64; 2],
    /// The other end.
    pub b: [f64; 2],
    /// The caller's name for it.
    pub owner: usize,
}

#[derive(Clone, Copy, Debug)]
struct Node {
    /// Middle and half size of its box.
    middle: [f32; 2],
    half: [f32; 2],
    /// Where to go on when the ray misses this node.
    skip: u32,
    /// Its leaf; none in an inner node.
    leaf: u32,
}

/// The most segments in a leaf.
const LEAF: usize = 8;
const NONE: u32 = u32::MAX;
/// Single precision resolves 0.1 mm at the edge of the sheet; this is ten times as much, in metres.
const SLACK: f32 = 1e-3;

/// Up to eight segments, coordinate by coordinate; empty places lie out of every ray's reach.
#[derive(Clone, Copy, Debug)]
struct Leaf {
    ax: [f32; LEAF],
    ay: [f32; LEAF],
    bx: [f32; LEAF],
    by: [f32; LEAF],
    from: usize,
    /// A bit for each place in use.
    mask: u32,
}

/// Segments ordered for ray queries. Nodes stand depth first: a hit goes to the next node, a miss
/// skips the subtree, so that no stack is needed.
#[derive(Clone, Debug, Default)]
pub struct SegmentIndex {
    segments: Vec<Segment>,
    nodes: Vec<Node>,
    leaves: Vec<Leaf>,
}

#[expect(clippy::cast_possible_truncation, reason = "slack makes up for what is cut off")]
fn single(v: f64) -> f32 {
    v as f32
}

impl SegmentIndex {
    /// Builds the tree by halving along the longer side.
    pub fn new(segments: Vec<Segment>) -> Self {
        let mut this = Self { segments, nodes: Vec::new(), leaves: Vec::new() };
        let count = this.segments.len();
        if count > 0 {
            this.build(0, count);
        }
        this
    }

    /// All segments, in the order of the tree.
    pub fn segments(&self) -> &[Segment] {
        &self.segments
    }

    fn build(&mut self, from: usize, to: usize) {
        let here = self.nodes.len();
        let bounds = Bounds::of(&self.segments[from..to]);
        let axes = [0, 1];
        self.nodes.push(Node {
            middle: axes.map(|i| single(f64::midpoint(bounds.low[i], bounds.high[i]))),
            half: axes.map(|i| single((bounds.high[i] - bounds.low[i]) / 2.0) + SLACK),
            skip: 0,
            leaf: NONE,
        });
        if to - from <= LEAF {
            self.nodes[here].leaf = u32::try_from(self.leaves.len()).unwrap_or(NONE);
            self.leaves.push(Leaf::new(&self.segments[from..to], from));
        } else {
            let wide = bounds.high[0] - bounds.low[0] >= bounds.high[1] - bounds.low[1];
            let axis = usize::from(!wide);
            self.segments[from..to]
                .sort_by(|s, t| (s.a[axis] + s.b[axis]).total_cmp(&(t.a[axis] + t.b[axis])));
            let half = usize::midpoint(from, to);
            self.build(from, half);
            self.build(half, to);
        }
        self.nodes[here].skip = u32::try_from(self.nodes.len()).unwrap_or(NONE);
    }

    /// Calls `visit` for each segment that the ray from `p` to `q` may meet: all that it meets, and
    /// few others.
    #[inline]
    pub fn visit(&self, p: [f64; 2], q: [f64; 2], visit: &mut impl FnMut(&Segment)) {
        let ray = Ray::new(p, q);
        let mut at = 0;
        while let Some(node) = self.nodes.get(at) {
            if ray.misses(node) {
                at = node.skip as usize;
                continue;
            }
            at += 1;
            let Some(leaf) = self.leaves.get(node.leaf as usize) else { continue };
            let mut met = ray.meets(leaf);
            while met != 0 {
                let place = met.trailing_zeros() as usize;
                met &= met - 1;
                visit(&self.segments[leaf.from + place]);
            }
        }
    }
}

impl Leaf {
    fn new(segments: &[Segment], from: usize) -> Self {
        let mut leaf = Self {
            ax: [f32::MAX; LEAF],
            ay: [f32::MAX; LEAF],
            bx: [f32::MAX; LEAF],
            by: [f32::MAX; LEAF],
            from,
            mask: (1u32 << segments.len()) - 1,
        };
        for (i, s) in segments.iter().enumerate() {
            (leaf.ax[i], leaf.ay[i]) = (single(s.a[0]), single(s.a[1]));
            (leaf.bx[i], leaf.by[i]) = (single(s.b[0]), single(s.b[1]));
        }
        leaf
    }
}

struct Ray {
    p: [f32; 2],
    d: [f32; 2],
    middle: [f32; 2],
    half: [f32; 2],
    /// How far off the ray's line counts as on it, times its length.
    slack: f32,
}

impl Ray {
    #[inline]
    fn new(p: [f64; 2], q: [f64; 2]) -> Self {
        let axes = [0, 1];
        let d = axes.map(|i| single(q[i] - p[i]));
        Self {
            p: p.map(single),
            d,
            middle: axes.map(|i| single(f64::midpoint(p[i], q[i]))),
            half: d.map(|v| v.abs() / 2.0),
            slack: SLACK * (d[0].abs() + d[1].abs() + 1.0),
        }
    }

    /// The separating axes of a segment and a box: the two of the sheet and the ray's own.
    #[inline]
    fn misses(&self, node: &Node) -> bool {
        let x = node.middle[0] - self.middle[0];
        let y = node.middle[1] - self.middle[1];
        let off = (self.d[0] * y - self.d[1] * x).abs();
        let reach = self.d[0].abs() * node.half[1] + self.d[1].abs() * node.half[0];
        x.abs() > node.half[0] + self.half[0] + SLACK
            || y.abs() > node.half[1] + self.half[1] + SLACK
            || off > reach + self.slack
    }

    /// Which segments of a leaf may be met, a bit each: those whose ends lie on two sides of the
    /// ray and that have the ray's ends on two sides, with slack.
    #[inline]
    fn meets(&self, leaf: &Leaf) -> u32 {
        let [dx, dy] = self.d;
        let [px, py] = self.p;
        // How far both ends of the one lie on one side of the other: positive is apart.
        let (mut of_wall, mut of_ray) = ([0.0f32; LEAF], [0.0f32; LEAF]);
        for i in 0..LEAF {
            let (ax, ay) = (leaf.ax[i] - px, leaf.ay[i] - py);
            let (bx, by) = (leaf.bx[i] - px, leaf.by[i] - py);
            let (ux, uy) = (bx - ax, by - ay);
            of_wall[i] = one_side(dx * ay - dy * ax, dx * by - dy * bx);
            let side_p = ay * ux - ax * uy;
            let slack = SLACK * (ux.abs() + uy.abs() + 1.0);
            of_ray[i] = one_side(side_p, side_p + (dx * uy - dy * ux)) - slack;
        }
        let mut bits = 0;
        for i in 0..LEAF {
            bits |= u32::from(of_wall[i] <= self.slack && of_ray[i] <= 0.0) << i;
        }
        bits & leaf.mask
    }
}

/// The lesser distance from nought when both lie on one side of it, else nought or less.
#[inline]
fn one_side(a: f32, b: f32) -> f32 {
    let (low, high) = if a < b { (a, b) } else { (b, a) };
    if low > -high { low } else { -high }
}
