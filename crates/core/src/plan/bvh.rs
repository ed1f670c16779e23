use super::site::Panel;
use crate::geometry::Vec3;
use nalgebra::Vector2;

#[derive(Clone, Copy)]
struct Node {
    low: Vector2<f64>,
    high: Vector2<f64>,
    top: f64,
    base: f64,
    /// Leaf: first panel and count. Inner: index of the left child (the right one follows), count 0.
    first: u32,
    count: u32,
}

/// A bounding-volume hierarchy over upright panels, split at the median of the longer side.
pub struct Bvh {
    nodes: Vec<Node>,
    panels: Vec<Panel>,
}

impl Bvh {
    /// Builds the hierarchy.
    pub fn new(mut panels: Vec<Panel>) -> Self {
        let mut nodes = Vec::with_capacity(2 * panels.len().max(1));
        let n = panels.len();
        nodes.push(bounds(&panels, 0, n));
        split(&mut nodes, &mut panels, 0);
        Self { nodes, panels }
    }

    /// Whether anything stands between two points, metres. Panels within a millimetre of either
    /// end do not count: a point on a wall is not hidden by that wall.
    pub fn blocked(&self, from: &Vec3, to: &Vec3) -> bool {
        if self.panels.is_empty() {
            return false;
        }
        let d = to - from;
        let length = d.norm();
        if length < 1e-9 {
            return false;
        }
        let margin = 1e-3 / length;
        let mut stack = vec![0u32];
        while let Some(k) = stack.pop() {
            let node = &self.nodes[k as usize];
            if !meets(node, from, &d) {
                continue;
            }
            if node.count == 0 {
                stack.push(node.first);
                stack.push(node.first + 1);
                continue;
            }
            let range = node.first as usize..(node.first + node.count) as usize;
            if self.panels[range].iter().any(|p| crosses(p, from, &d, margin)) {
                return true;
            }
        }
        false
    }
}

fn bounds(panels: &[Panel], first: usize, count: usize) -> Node {
    let mut n = Node {
        low: Vector2::repeat(f64::MAX),
        high: Vector2::repeat(f64::MIN),
        base: f64::MAX,
        top: f64::MIN,
        first: first as u32,
        count: count as u32,
    };
    for p in &panels[first..first + count] {
        n.low = n.low.inf(&p.a).inf(&p.b);
        n.high = n.high.sup(&p.a).sup(&p.b);
        n.base = n.base.min(p.base);
        n.top = n.top.max(p.top);
    }
    n
}

fn split(nodes: &mut Vec<Node>, panels: &mut [Panel], at: usize) {
    let node = nodes[at];
    if node.count <= 4 {
        return;
    }
    let axis = usize::from(node.high.y - node.low.y > node.high.x - node.low.x);
    let (first, count) = (node.first as usize, node.count as usize);
    let half = count / 2;
    panels[first..first + count]
        .select_nth_unstable_by(half, |p, q| (p.a[axis] + p.b[axis]).total_cmp(&(q.a[axis] + q.b[axis])));
    let left = nodes.len();
    nodes[at].first = left as u32;
    nodes[at].count = 0;
    nodes.push(bounds(panels, first, half));
    nodes.push(bounds(panels, first + half, count - half));
    split(nodes, panels, left);
    split(nodes, panels, left + 1);
}

/// Slab test of the segment `from + s d`, `s` in 0..1, against a node's box.
fn meets(n: &Node, from: &Vec3, d: &Vec3) -> bool {
    let (mut lo, mut hi) = (0.0_f64, 1.0_f64);
    for (k, low, high) in [(0, n.low.x, n.high.x), (1, n.low.y, n.high.y), (2, n.base, n.top)] {
        if d[k].abs() < 1e-12 {
            if from[k] < low - 1e-9 || from[k] > high + 1e-9 {
                return false;
            }
        } else {
            let (s, t) = ((low - 1e-9 - from[k]) / d[k], (high + 1e-9 - from[k]) / d[k]);
            lo = lo.max(s.min(t));
            hi = hi.min(s.max(t));
        }
    }
    lo <= hi
}

fn crosses(p: &Panel, from: &Vec3, d: &Vec3, margin: f64) -> bool {
    let e = p.b - p.a;
    let det = d.x * e.y - d.y * e.x;
    if det.abs() < 1e-12 {
        return false;
    }
    let w = p.a - from.xy();
    let s = (w.x * e.y - w.y * e.x) / det;
    let t = (w.x * d.y - w.y * d.x) / det;
    let z = from.z + s * d.z;
    s > margin && s < 1.0 - margin && (0.0..=1.0).contains(&t) && z >= p.base && z <= p.top
}
