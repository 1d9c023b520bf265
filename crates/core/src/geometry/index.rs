//! A bounding-box tree over the walls of one storey, so that a ray meets few of them.

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
    bounds: Bounds,
    /// Where to go on when the ray misses this node.
    skip: usize,
    /// The segments of a leaf; empty in an inner node.
    from: usize,
    to: usize,
}

/// The most segments in a leaf.
const LEAF: usize = 4;

/// Segments ordered for ray queries. Nodes stand depth first: a hit goes to the next node, a miss
/// skips the subtree, so that no stack is needed.
#[derive(Clone, Debug, Default)]
pub struct SegmentIndex {
    segments: Vec<Segment>,
    nodes: Vec<Node>,
}

impl SegmentIndex {
    /// Builds the tree by halving along the longer side.
    pub fn new(mut segments: Vec<Segment>) -> Self {
        let mut nodes = Vec::new();
        let count = segments.len();
        if count > 0 {
            build(&mut segments, 0, count, &mut nodes);
        }
        Self { segments, nodes }
    }

    /// All segments, in the order of the tree.
    pub fn segments(&self) -> &[Segment] {
        &self.segments
    }

    /// Calls `visit` for each segment whose box the ray from `p` to `q` may meet.
    #[inline]
    pub fn visit(&self, p: [f64; 2], q: [f64; 2], visit: &mut impl FnMut(&Segment)) {
        let (dx, dy) = (q[0] - p[0], q[1] - p[1]);
        let (low_x, high_x) = (p[0].min(q[0]), p[0].max(q[0]));
        let (low_y, high_y) = (p[1].min(q[1]), p[1].max(q[1]));
        let mut at = 0;
        while let Some(node) = self.nodes.get(at) {
            let Bounds { low, high } = node.bounds;
            let apart = low[0] > high_x || high[0] < low_x || low[1] > high_y || high[1] < low_y;
            // The box lies on one side of the ray's line: the far corners decide. A hair of slack
            // keeps touching boxes in, as the exact test comes later.
            let (cx, cy) = (0.5 * (low[0] + high[0]), 0.5 * (low[1] + high[1]));
            let (hx, hy) = (0.5 * (high[0] - low[0]), 0.5 * (high[1] - low[1]));
            let off = (dx * (cy - p[1]) - dy * (cx - p[0])).abs();
            let reach = dx.abs() * hy + dy.abs() * hx;
            if apart || off > reach * (1.0 + 1e-12) + 1e-9 {
                at = node.skip;
                continue;
            }
            for segment in &self.segments[node.from..node.to] {
                visit(segment);
            }
            at += 1;
        }
    }
}

fn build(segments: &mut [Segment], offset: usize, count: usize, nodes: &mut Vec<Node>) {
    let here = nodes.len();
    let bounds = Bounds::of(segments);
    nodes.push(Node { bounds, skip: 0, from: offset, to: offset });
    if count <= LEAF {
        nodes[here].to = offset + count;
    } else {
        let wide = bounds.high[0] - bounds.low[0] >= bounds.high[1] - bounds.low[1];
        let axis = usize::from(!wide);
        segments.sort_by(|s, t| (s.a[axis] + s.b[axis]).total_cmp(&(t.a[axis] + t.b[axis])));
        let half = count / 2;
        let (left, right) = segments.split_at_mut(half);
        build(left, offset, half, nodes);
        build(right, offset + half, count - half, nodes);
    }
    nodes[here].skip = nodes.len();
}
