use super::Ground;
use crate::stats::K95_1D;
use nalgebra::{Vector2, Vector3};
use spade::{ConstrainedDelaunayTriangulation, HasPosition, Point2, Triangulation};
use std::collections::HashMap;

/// A line that triangles do not cross: a kerb, an edge, a ridge. Easting and northing, metres; it lies on the ground.
pub type Breakline = Vec<Vector2<f64>>;

/// A corner of the surface.
#[derive(Clone, Copy, Debug)]
pub(super) struct Corner {
    pub(super) at: Vector3<f64>,
    pub(super) own: f64,
    pub(super) common: f64,
}

impl HasPosition for Corner {
    type Scalar = f64;

    fn position(&self) -> Point2<f64> {
        Point2::new(self.at.x, self.at.y)
    }
}

/// A height on the surface, with its 95 %, metres.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Height {
    /// Metres.
    pub height: f64,
    /// 95 %, metres.
    pub error95: f64,
    /// Of that what it has in common with what lies about it, metres.
    pub common95: f64,
}

/// The ground as triangles (constrained Delaunay).
pub struct Surface {
    ground: Ground,
    pub(super) mesh: ConstrainedDelaunayTriangulation<Corner>,
    /// Longer triangles bridge what nobody saw, metres.
    longest: f64,
    /// How far the raster may lie beside the triangles, metres.
    tolerance: f64,
    /// How far the ground lies beside the middle of a straight line over a gap of two cells, four, eight …, 1σ, metres: as
    /// where it is seen.
    bends: Vec<f64>,
}

impl Surface {
    /// Through the cells of the ground, and no more corners than it takes to lie within `tolerance` of every cell; holes
    /// wider than `longest` are left open.
    pub fn new(ground: Ground, breaklines: &[Breakline], tolerance: f64, longest: f64) -> Option<Self> {
        let corner = |k: usize| {
            let c = ground.cells[k]?;
            Some(Corner { at: ground.middle(k).push(c.height), own: c.own, common: c.common })
        };
        let all: Vec<usize> = (0..ground.cells.len()).filter(|k| ground.cells[*k].is_some()).collect();
        let [w, _] = ground.size;
        let mut mesh = ConstrainedDelaunayTriangulation::<Corner>::new();
        // a coarse net and the rim first, then the worst of each block, the blocks smaller and smaller
        let mut block = COARSE.min((longest / ground.cell / 2.0) as usize).max(1);
        let rim = rim(&ground, longest);
        for &k in all.iter().filter(|k| (*k % w) % block == 0 && (*k / w) % block == 0 || rim[**k]) {
            mesh.insert(corner(k)?).ok()?;
        }
        for line in breaklines {
            let mut before = None;
            for p in draped(&ground, line) {
                let here = mesh.insert(p).ok()?;
                if let Some(from) = before
                    && from != here
                    && mesh.can_add_constraint(from, here)
                {
                    mesh.add_constraint(from, here);
                }
                before = Some(here);
            }
        }
        loop {
            let chosen = worst(&ground, &mesh, &all, block, tolerance);
            for k in &chosen {
                mesh.insert(corner(*k)?).ok()?;
            }
            match (block, chosen.len()) {
                (1, 0) => break,
                (1, _) => {}
                _ => block /= 2,
            }
        }
        let bends = bends(&ground, longest);
        (mesh.num_vertices() > 2).then_some(Self { ground, mesh, longest, tolerance, bends })
    }

    /// What it goes through.
    pub fn ground(&self) -> &Ground {
        &self.ground
    }

    /// Corners and triangles: places, and three corners of each, anticlockwise. Those that bridge what nobody saw are left out.
    pub fn triangles(&self) -> (Vec<Vector3<f64>>, Vec<[usize; 3]>) {
        let corners: Vec<Vector3<f64>> = self.mesh.vertices().map(|v| v.data().at).collect();
        let faces = self.mesh.inner_faces().map(|f| f.vertices().map(|v| v.index()));
        let short = |t: &[usize; 3]| {
            let side = |k: usize| (corners[t[k]].xy() - corners[t[(k + 1) % 3]].xy()).norm();
            // corners of a straight rim: a triangle without an inside
            let wide = (corners[t[1]] - corners[t[0]]).xy().perp(&(corners[t[2]] - corners[t[0]]).xy());
            let short = (0..3).all(|k| side(k) <= self.longest);
            wide > FLAT * self.ground.cell * self.ground.cell && (short || self.is_seen(&t.map(|k| corners[k].xy())))
        };
        let faces = faces.filter(short).collect();
        (corners, faces)
    }

    /// Whether the ground was seen in the middle of a triangle and of its sides.
    fn is_seen(&self, [a, b, c]: &[Vector2<f64>; 3]) -> bool {
        [(a + b + c) / 3.0, (a + b) / 2.0, (b + c) / 2.0, (c + a) / 2.0]
            .iter()
            .all(|p| self.ground.at(p).is_some_and(|k| self.ground.cells[k].is_some()))
    }

    /// How far the ground may lie beside a triangle over what nobody saw, 1σ, metres.
    fn bend(&self, side: f64) -> f64 {
        let k = (side / self.ground.cell / 2.0).max(1.0).log2();
        let (low, high) = (k.floor() as usize, k.ceil() as usize);
        let at = |k: usize| self.bends.get(k).or(self.bends.last()).copied().unwrap_or(0.0);
        at(low) + (at(high) - at(low)) * k.fract()
    }

    /// The height at a place; none outside and over holes.
    pub fn height(&self, p: &Vector2<f64>) -> Option<Height> {
        let (corners, shares) = within(&self.mesh, p)?;
        let seen = self.ground.at(p).is_some_and(|k| self.ground.cells[k].is_some());
        let longest = (0..3).map(|k| (corners[k].at.xy() - corners[(k + 1) % 3].at.xy()).norm()).fold(0.0, f64::max);
        if longest > self.longest && !seen {
            return None;
        }
        let sum = |of: fn(&Corner) -> f64| corners.iter().zip(shares).map(|(c, s)| s * of(c)).sum::<f64>();
        let own: f64 = corners.iter().zip(shares).map(|(c, s)| s * s * c.own).sum();
        // between corners the ground lies within the tolerance: 1σ half of it; where nobody saw it, it bends as elsewhere
        let height = sum(|c| c.at.z);
        let between = 1.5 * (1.0 - shares.iter().copied().fold(0.0, f64::max));
        let shape = (between * if seen { 0.5 * self.tolerance } else { self.bend(longest) }).powi(2);
        // a hole is wrong as a whole
        let common = sum(|c| c.common) + if seen { 0.0 } else { shape };
        let error95 = K95_1D * (own + common + if seen { shape } else { 0.0 }).sqrt();
        Some(Height { height, error95, common95: K95_1D * common.sqrt() })
    }
}

/// How far the ground lies beside straight lines over gaps of two cells, four, eight …, 1σ, metres.
fn bends(ground: &Ground, longest: f64) -> Vec<f64> {
    let [w, h] = ground.size;
    let steps = (longest / ground.cell / 2.0).max(1.0).log2().ceil() as u32;
    let of = |step: usize| {
        let (mut sum, mut n) = (0.0, 0_u32);
        let height = |x: usize, y: usize| ground.cells[y * w + x].map(|c| c.height);
        let mut triple = |a: Option<f64>, b: Option<f64>, c: Option<f64>| {
            if let (Some(a), Some(b), Some(c)) = (a, b, c) {
                sum += (f64::midpoint(a, c) - b).powi(2);
                n += 1;
            }
        };
        for y in 0..h {
            for x in step..w.saturating_sub(step) {
                triple(height(x - step, y), height(x, y), height(x + step, y));
            }
        }
        for y in step..h.saturating_sub(step) {
            for x in 0..w {
                triple(height(x, y - step), height(x, y), height(x, y + step));
            }
        }
        (n > 20).then(|| (sum / f64::from(n)).sqrt())
    };
    // where too little is seen to tell, as much more as the gap is wider
    let mut out: Vec<f64> = Vec::new();
    for k in 0..=steps {
        let before = out.last().map_or(ground.cell / 10.0, |b| 2.0 * b);
        out.push(of(1 << k).unwrap_or(before));
    }
    out
}

/// Triangles of less area are none, cells.
const FLAT: f64 = 1e-3;

/// Cells between the corners of the first net, at most.
const COARSE: usize = 32;

/// The cells that lie farthest off the triangles, one in each block at most.
fn worst(
    ground: &Ground,
    mesh: &ConstrainedDelaunayTriangulation<Corner>,
    all: &[usize],
    block: usize,
    tolerance: f64,
) -> Vec<usize> {
    let w = ground.size[0];
    let mut worst: HashMap<(usize, usize), (f64, usize)> = HashMap::new();
    for &k in all {
        let Some(c) = ground.cells[k] else { continue };
        let Some(z) = plane(mesh, &ground.middle(k)) else { continue };
        let off = (z - c.height).abs();
        // what a cell is uncertain by is no shape of the ground
        if off > tolerance.max(2.0 * c.own.sqrt()) {
            let entry = worst.entry((k % w / block, k / w / block)).or_insert((off, k));
            if off > entry.0 {
                *entry = (off, k);
            }
        }
    }
    let mut chosen: Vec<usize> = worst.into_values().map(|v| v.1).collect();
    chosen.sort_unstable();
    chosen
}

/// Cells at the rim of what was seen: outside, and about holes that triangles do not bridge.
fn rim(ground: &Ground, longest: f64) -> Vec<bool> {
    let [w, h] = ground.size;
    let mut out = vec![false; w * h];
    let mut looked = vec![false; w * h];
    let about = |k: usize| {
        let (x, y) = (k % w, k / w);
        let sides = [(x > 0, k.wrapping_sub(1)), (x + 1 < w, k + 1), (y > 0, k.wrapping_sub(w)), (y + 1 < h, k + w)];
        sides.map(|(there, k)| there.then_some(k))
    };
    for start in 0..w * h {
        if ground.cells[start].is_some() || looked[start] {
            continue;
        }
        // one hole: how far it reaches, and what lies about it
        let (mut low, mut high, mut edge) = ([w, h], [0, 0], Vec::new());
        let (mut open, mut outside) = (vec![start], false);
        looked[start] = true;
        while let Some(k) = open.pop() {
            for (i, v) in [k % w, k / w].into_iter().enumerate() {
                (low[i], high[i]) = (low[i].min(v), high[i].max(v));
            }
            for n in about(k) {
                match n {
                    None => outside = true,
                    Some(n) if ground.cells[n].is_some() => edge.push(n),
                    Some(n) if !looked[n] => {
                        looked[n] = true;
                        open.push(n);
                    }
                    Some(_) => {}
                }
            }
        }
        let wide = (0..2).any(|i| (high[i] - low[i] + 2) as f64 * ground.cell > longest);
        if outside || wide {
            for k in edge {
                out[k] = true;
            }
        }
    }
    for k in 0..w * h {
        if ground.cells[k].is_some() && about(k).contains(&None) {
            out[k] = true;
        }
    }
    out
}

/// A line laid on the ground, a corner in every cell that it crosses; where nobody saw the ground it goes straight on.
fn draped(ground: &Ground, line: &[Vector2<f64>]) -> Vec<Corner> {
    let mut out: Vec<Corner> = Vec::new();
    let mut put = |p: Vector2<f64>| {
        if let Some(c) = ground.at(&p).and_then(|k| ground.cells[k]) {
            out.push(Corner { at: p.push(c.height), own: c.own, common: c.common });
        }
    };
    for leg in line.windows(2) {
        let steps = ((leg[1] - leg[0]).norm() / ground.cell).ceil().max(1.0);
        (0..steps as usize).for_each(|k| put(leg[0].lerp(&leg[1], k as f64 / steps)));
    }
    line.last().into_iter().for_each(|p| put(*p));
    out
}

/// The triangle that a place lies in, and its shares of the corners.
fn within(mesh: &ConstrainedDelaunayTriangulation<Corner>, p: &Vector2<f64>) -> Option<([Corner; 3], [f64; 3])> {
    use spade::PositionInTriangulation::{OnEdge, OnFace, OnVertex};
    let at = Point2::new(p.x, p.y);
    let face = match mesh.locate(at) {
        OnFace(f) => mesh.face(f),
        OnEdge(e) => {
            let e = mesh.directed_edge(e);
            e.face().as_inner().or_else(|| e.rev().face().as_inner())?
        }
        OnVertex(v) => mesh.vertex(v).out_edges().find_map(|e| e.face().as_inner())?,
        _ => return None,
    };
    let corners = face.vertices().map(|v| *v.data());
    let [a, b, c] = corners.map(|c| c.at.xy());
    let whole = (b - a).perp(&(c - a));
    let shares = [(b - p).perp(&(c - p)) / whole, (c - p).perp(&(a - p)) / whole, (a - p).perp(&(b - p)) / whole];
    Some((corners, shares))
}

fn plane(mesh: &ConstrainedDelaunayTriangulation<Corner>, p: &Vector2<f64>) -> Option<f64> {
    let (corners, shares) = within(mesh, p)?;
    Some(corners.iter().zip(shares).map(|(c, s)| s * c.at.z).sum())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::draw::ground::{GroundCell, contours, volume_to};

    /// 40 m by 30 m about a corner far from the origin, with a hole of a metre and one of six.
    fn yard(height: impl Fn(f64, f64) -> f64) -> Ground {
        let (corner, cell, size) = (Vector2::new(412_300.0, 5_604_800.0), 0.2, [200, 150]);
        let mut g = Ground { corner, cell, size, cells: vec![None; 200 * 150], points: [0; 2] };
        for k in 0..g.cells.len() {
            let p = g.middle(k) - corner;
            let within = |x: f64, y: f64, side: f64| (p.x - x).abs() < side / 2.0 && (p.y - y).abs() < side / 2.0;
            if !within(10.0, 10.0, 1.0) && !within(25.0, 15.0, 6.0) {
                g.cells[k] = Some(GroundCell { height: height(p.x, p.y), own: 1e-7, common: 4e-6, points: 9 });
            }
        }
        g
    }

    #[test]
    fn a_flat_yard_is_known_everywhere_but_over_wide_holes() {
        let g = yard(|_, _| 87.0);
        let at = |x: f64, y: f64| g.corner + Vector2::new(x, y);
        let s = Surface::new(g.clone(), &[], 0.01, 3.0).unwrap();
        let (corners, faces) = s.triangles();
        let area: f64 = faces
            .iter()
            .map(|f| {
                let [a, b, c] = f.map(|k| corners[k].xy());
                (b - a).perp(&(c - a)) / 2.0
            })
            .sum();
        // to the middles of the cells at the rim, and about the hole, whose corners are bridged by as much as was asked
        let truth = 39.8 * 29.8 - 6.2 * 6.2;
        assert!(
            area > truth - 0.1 && area < truth + 4.0 * 2.13 * 2.13 / 2.0 + 0.1 && corners.len() < 2500,
            "{area} of {truth}, {} corners",
            corners.len()
        );
        for p in [at(5.0, 5.0), at(33.3, 7.7), at(20.1, 25.0)] {
            let h = s.height(&p).unwrap();
            // what cells have in common, and between corners up to the tolerance that was asked for
            let common = K95_1D * 2e-3;
            assert!((h.height - 87.0).abs() < 1e-9 && (h.common95 - common).abs() < 1e-6, "{h:?}");
            assert!(h.error95 > common && h.error95 < common.hypot(K95_1D * 0.005), "{h:?}");
        }
        // a small hole is bridged, and known worse where the ground bends; a wide one stays open
        assert!(s.height(&at(10.0, 10.0)).is_some() && s.height(&at(25.0, 15.0)).is_none());
        let v = volume_to(&s, 86.5, &[at(1.0, 1.0), at(8.0, 1.0), at(8.0, 4.5), at(1.0, 4.5)]);
        assert!((v.area - 24.5).abs() < 0.05 && (v.above - 12.25).abs() < 0.03 && v.below == 0.0, "{v:?}");
        assert!(contours(&s, 0.1).is_empty());
    }

    #[test]
    fn a_slope_has_contours_where_it_is_as_high_and_a_kerb_is_no_ramp() {
        let g = yard(|x, y| 87.0 + 0.03 * x + if y > 20.0 { 0.12 } else { 0.0 });
        let line = [4.0, 36.0].map(|x| g.corner + Vector2::new(x, 20.1)).to_vec();
        let s = Surface::new(g.clone(), &[line], 0.005, 3.0).unwrap();
        let lines = contours(&s, 0.25);
        assert!(lines.len() >= 4, "{}", lines.len());
        for (level, line) in &lines {
            for p in line.iter().map(|p| p - g.corner).filter(|p| (p.y - 20.0).abs() > 0.5) {
                let z = 87.0 + 0.03 * p.x + if p.y > 20.0 { 0.12 } else { 0.0 };
                assert!((z - level).abs() < 0.011, "{level} {p}");
            }
        }
        // over the hole the error grows with how the yard bends elsewhere
        let at = |x: f64, y: f64| s.height(&(g.corner + Vector2::new(x, y))).unwrap();
        assert!(at(10.0, 10.0).error95 > at(8.0, 8.0).error95);
        // corners of the kerb's line lie on the ground, on its upper side
        assert!((at(20.0, 20.1).height - 87.72).abs() < 0.01, "{:?}", at(20.0, 20.1));
    }
}
