use super::site::{Column, Panel, Site, Slab, inside};
use crate::geometry::Vec3;

/// Something that blocks the view.
#[derive(Clone, Debug)]
enum Solid {
    Panel(Panel),
    Column(Column),
    Slab(Slab),
}

#[derive(Clone, Copy)]
struct Node {
    low: Vec3,
    high: Vec3,
    /// Leaf: first solid and count. Inner: index of the left child (the right one follows), count 0.
    first: u32,
    count: u32,
}

/// A bounding-volume hierarchy over what stands on a site, split at the median of the longest side.
pub struct Bvh {
    nodes: Vec<Node>,
    solids: Vec<Solid>,
}

impl Bvh {
    /// Builds the hierarchy.
    pub fn new(site: &Site) -> Self {
        let panels = site.panels().into_iter().map(Solid::Panel);
        let columns = site.columns.iter().copied().map(Solid::Column);
        let mut solids: Vec<Solid> = panels.chain(columns).chain(site.slabs.iter().cloned().map(Solid::Slab)).collect();
        let mut nodes = Vec::with_capacity(2 * solids.len().max(1));
        let n = solids.len();
        nodes.push(bounds(&solids, 0, n));
        split(&mut nodes, &mut solids, 0);
        Self { nodes, solids }
    }

    /// Whether anything stands between two points, metres. What is within a millimetre of either
    /// end does not count: a point on a wall is not hidden by that wall.
    pub fn blocked(&self, from: &Vec3, to: &Vec3) -> bool {
        if self.solids.is_empty() {
            return false;
        }
        let d = to - from;
        let length = d.norm();
        if length < 1e-9 {
            return false;
        }
        let margin = 1e-3 / length;
        let inverse = d.map(|v| if v.abs() < 1e-12 { f64::INFINITY } else { 1.0 / v });
        // a median split of n solids is never deeper than this
        let mut stack = [0u32; 64];
        let mut depth = 1;
        while depth > 0 {
            depth -= 1;
            let node = &self.nodes[stack[depth] as usize];
            if !meets(node, from, &inverse) {
                continue;
            }
            if node.count == 0 {
                stack[depth] = node.first;
                stack[depth + 1] = node.first + 1;
                depth += 2;
                continue;
            }
            let range = node.first as usize..(node.first + node.count) as usize;
            if self.solids[range].iter().any(|s| crosses(s, from, &d, margin)) {
                return true;
            }
        }
        false
    }
}

fn corners(s: &Solid) -> (Vec3, Vec3) {
    match s {
        Solid::Panel(p) => {
            let (low, high) = (p.a.inf(&p.b), p.a.sup(&p.b));
            (low.push(p.base), high.push(p.top))
        }
        Solid::Column(c) => {
            let r = nalgebra::Vector2::repeat(c.radius);
            ((c.centre - r).push(c.base), (c.centre + r).push(c.top))
        }
        Solid::Slab(s) => {
            let first = s.outline.first().copied().unwrap_or_default();
            let (low, high) = s.outline.iter().fold((first, first), |(a, b), p| (a.inf(p), b.sup(p)));
            (low.push(s.height), high.push(s.height))
        }
    }
}

fn bounds(solids: &[Solid], first: usize, count: usize) -> Node {
    let (mut low, mut high) = (Vec3::repeat(f64::MAX), Vec3::repeat(f64::MIN));
    for s in &solids[first..first + count] {
        let (a, b) = corners(s);
        low = low.inf(&a);
        high = high.sup(&b);
    }
    // a little room, so that what lies in a face of the box is met
    let room = Vec3::repeat(1e-9);
    Node { low: low - room, high: high + room, first: first as u32, count: count as u32 }
}

fn split(nodes: &mut Vec<Node>, solids: &mut [Solid], at: usize) {
    let node = nodes[at];
    if node.count <= 4 {
        return;
    }
    let axis = (node.high - node.low).imax();
    let (first, count) = (node.first as usize, node.count as usize);
    let half = count / 2;
    let middle = |s: &Solid| {
        let (a, b) = corners(s);
        a[axis] + b[axis]
    };
    solids[first..first + count].select_nth_unstable_by(half, |p, q| middle(p).total_cmp(&middle(q)));
    let left = nodes.len();
    nodes[at].first = left as u32;
    nodes[at].count = 0;
    nodes.push(bounds(solids, first, half));
    nodes.push(bounds(solids, first + half, count - half));
    split(nodes, solids, left);
    split(nodes, solids, left + 1);
}

/// Slab test of the segment `from + s d`, `s` in 0..1, against a node's box (Kay & Kajiya 1986).
fn meets(n: &Node, from: &Vec3, inverse: &Vec3) -> bool {
    let (mut lo, mut hi) = (0.0_f64, 1.0_f64);
    for k in 0..3 {
        if inverse[k].is_infinite() {
            if from[k] < n.low[k] || from[k] > n.high[k] {
                return false;
            }
        } else {
            let (s, t) = ((n.low[k] - from[k]) * inverse[k], (n.high[k] - from[k]) * inverse[k]);
            lo = lo.max(s.min(t));
            hi = hi.min(s.max(t));
        }
    }
    lo <= hi
}

fn crosses(s: &Solid, from: &Vec3, d: &Vec3, margin: f64) -> bool {
    let between = |s: f64| s > margin && s < 1.0 - margin;
    match s {
        Solid::Panel(p) => {
            let e = p.b - p.a;
            let det = d.x * e.y - d.y * e.x;
            if det.abs() < 1e-12 {
                return false;
            }
            let w = p.a - from.xy();
            let s = (w.x * e.y - w.y * e.x) / det;
            let t = (w.x * d.y - w.y * d.x) / det;
            let z = from.z + s * d.z;
            between(s) && (0.0..=1.0).contains(&t) && z >= p.base && z <= p.top
        }
        Solid::Column(c) => {
            let m = from.xy() - c.centre;
            let (a, b) = (d.xy().norm_squared(), m.dot(&d.xy()));
            let root = b * b - a * (m.norm_squared() - c.radius * c.radius);
            if root <= 0.0 || a < 1e-12 {
                return false;
            }
            [-root.sqrt(), root.sqrt()].iter().any(|r| {
                let s = (-b + r) / a;
                let z = from.z + s * d.z;
                between(s) && z >= c.base && z <= c.top
            })
        }
        Solid::Slab(f) => {
            if d.z.abs() < 1e-12 {
                return false;
            }
            let s = (f.height - from.z) / d.z;
            between(s) && inside(&f.outline, &(from.xy() + d.xy() * s))
        }
    }
}
