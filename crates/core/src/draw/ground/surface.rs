use super::Ground;
use crate::stats::K95_1D;
use nalgebra::{Vector2, Vector3};
use spade::{ConstrainedDelaunayTriangulation, HasPosition, Point2, Triangulation};

/// A line on the ground that triangles do not cross, with heights, metres.
pub type Breakline = Vec<Vector3<f64>>;

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
}

/// The ground as triangles (constrained Delaunay).
pub struct Surface {
    pub(super) mesh: ConstrainedDelaunayTriangulation<Corner>,
    /// Longer triangles bridge what nobody saw, metres.
    longest: f64,
    /// How far the raster may lie beside the triangles, metres.
    tolerance: f64,
}

impl Surface {
    /// Through the cells of the ground, and no more corners than it takes to lie within `tolerance` of every cell; holes
    /// wider than `longest` are left open. Coordinates about the corner of the raster, so that nothing is lost.
    pub fn new(ground: &Ground, breaklines: &[Breakline], tolerance: f64, longest: f64) -> Option<Self> {
        let corner = |k: usize| {
            let c = ground.cells[k]?;
            Some(Corner { at: ground.middle(k).push(c.height), own: c.own, common: c.common })
        };
        let all: Vec<usize> = (0..ground.cells.len()).filter(|k| ground.cells[*k].is_some()).collect();
        let [w, _] = ground.size;
        let mut mesh = ConstrainedDelaunayTriangulation::<Corner>::new();
        // a coarse net first, then the worst of each block, the blocks smaller and smaller
        let mut block = 32;
        let near_rim = |k: usize| {
            let (x, y) = (k % w, k / w);
            let there = |i: isize, j: isize| {
                let (x, y) = (x as isize + i, y as isize + j);
                x >= 0
                    && y >= 0
                    && (x as usize) < w
                    && (y as usize) < ground.size[1]
                    && ground.cells[y as usize * w + x as usize].is_some()
            };
            !(there(-1, 0) && there(1, 0) && there(0, -1) && there(0, 1))
        };
        for &k in all.iter().filter(|k| (*k % w) % block == 0 && (*k / w) % block == 0 || near_rim(**k)) {
            mesh.insert(corner(k)?).ok()?;
        }
        for line in breaklines {
            let mut before = None;
            for p in line {
                let here = mesh.insert(Corner { at: *p, own: 0.0, common: 0.0 }).ok()?;
                if let Some(from) = before
                    && from != here
                    && mesh.can_add_constraint(from, here)
                {
                    mesh.add_constraint(from, here);
                }
                before = Some(here);
            }
        }
        while block >= 1 {
            loop {
                let mut worst: std::collections::HashMap<(usize, usize), (f64, usize)> =
                    std::collections::HashMap::new();
                for &k in &all {
                    let Some(c) = corner(k) else { continue };
                    let Some(z) = plane(&mesh, &c.at.xy()) else { continue };
                    let off = (z - c.at.z).abs();
                    // what a cell is uncertain by is no shape of the ground
                    if off > tolerance.max(2.0 * c.own.sqrt()) {
                        let entry = worst.entry((k % w / block, k / w / block)).or_insert((off, k));
                        if off > entry.0 {
                            *entry = (off, k);
                        }
                    }
                }
                if worst.is_empty() {
                    break;
                }
                let mut chosen: Vec<usize> = worst.into_values().map(|v| v.1).collect();
                chosen.sort_unstable();
                for k in chosen {
                    mesh.insert(corner(k)?).ok()?;
                }
                if block > 1 {
                    break;
                }
            }
            block /= 2;
        }
        (mesh.num_vertices() > 2).then_some(Self { mesh, longest, tolerance })
    }

    /// Corners and triangles: places, and three corners of each, anticlockwise. Those that bridge what nobody saw are left out.
    pub fn triangles(&self) -> (Vec<Vector3<f64>>, Vec<[usize; 3]>) {
        let corners: Vec<Vector3<f64>> = self.mesh.vertices().map(|v| v.data().at).collect();
        let faces = self.mesh.inner_faces().map(|f| f.vertices().map(|v| v.index()));
        let short = |t: &[usize; 3]| {
            let side = |k: usize| (corners[t[k]].xy() - corners[t[(k + 1) % 3]].xy()).norm();
            (0..3).all(|k| side(k) <= self.longest)
        };
        let faces = faces.filter(short).collect();
        (corners, faces)
    }

    /// The height at a place; none outside and over holes.
    pub fn height(&self, p: &Vector2<f64>) -> Option<Height> {
        let (corners, shares) = within(&self.mesh, p)?;
        let longest = (0..3).map(|k| (corners[k].at.xy() - corners[(k + 1) % 3].at.xy()).norm()).fold(0.0, f64::max);
        if longest > self.longest {
            return None;
        }
        let sum = |of: fn(&Corner) -> f64| corners.iter().zip(shares).map(|(c, s)| s * of(c)).sum::<f64>();
        let own: f64 = corners.iter().zip(shares).map(|(c, s)| s * s * c.own).sum();
        // between corners the ground lies within the tolerance: 1σ half of it
        let between = 1.0 - shares.iter().copied().fold(0.0, f64::max);
        let shape = 0.5 * self.tolerance * between * 1.5;
        Some(Height { height: sum(|c| c.at.z), error95: K95_1D * (own + sum(|c| c.common) + shape * shape).sqrt() })
    }
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
