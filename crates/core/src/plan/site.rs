use crate::geometry::Vec3;
use crate::instrument::Instrument;
use nalgebra::Vector2;

/// A hole in a wall that one can see and scan through: a door, a window, a gate.
#[derive(Clone, Debug, PartialEq)]
pub struct Opening {
    /// Name.
    pub name: String,
    /// Where its middle stands along the wall, metres from the first vertex.
    pub at: f64,
    /// Clear width, metres.
    pub width: f64,
    /// Height of the sill, metres.
    pub sill: f64,
    /// Height of the head, metres.
    pub head: f64,
}

/// What the client wants of a surface.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Demand {
    /// Largest distance between neighbouring points, metres.
    pub spacing: f64,
    /// Largest angle between ray and normal, radians.
    pub incidence: f64,
    /// Largest 95 % error of a point on it, metres, when one is asked for.
    pub accuracy: Option<f64>,
}

impl Demand {
    /// A spacing with the usual limit of 70°.
    pub fn spaced(spacing: f64) -> Self {
        Self { spacing, incidence: 70.0_f64.to_radians(), accuracy: None }
    }
}

/// A wall: a line on the plan, standing from base to top, thin. Also fences.
#[derive(Clone, Debug, PartialEq)]
pub struct Wall {
    /// Caller's identifier.
    pub id: usize,
    /// Vertices on the plan, metres.
    pub line: Vec<Vector2<f64>>,
    /// Height of the foot, metres.
    pub base: f64,
    /// Height of the top, metres.
    pub top: f64,
    /// Holes in it.
    pub openings: Vec<Opening>,
    /// What is wanted of it; `None` when it only blocks the view.
    pub demand: Option<Demand>,
}

impl Wall {
    /// A closed wall that only blocks the view.
    pub fn plain(id: usize, line: Vec<Vector2<f64>>, base: f64, top: f64) -> Self {
        Self { id, line, base, top, openings: Vec::new(), demand: None }
    }

    /// Length along the line, metres.
    pub fn length(&self) -> f64 {
        self.line.windows(2).map(|p| (p[1] - p[0]).norm()).sum()
    }

    /// The point on the plan at a distance along the wall, and the direction there.
    pub fn point_at(&self, along: f64) -> Option<(Vector2<f64>, Vector2<f64>)> {
        let mut left = along;
        let legs: Vec<_> = self.line.windows(2).filter(|p| (p[1] - p[0]).norm() > 1e-9).collect();
        let last = legs.len().checked_sub(1)?;
        for (k, p) in legs.iter().enumerate() {
            let leg = p[1] - p[0];
            let length = leg.norm();
            if left <= length || k == last {
                let d = leg / length;
                return Some((p[0] + d * left, d));
            }
            left -= length;
        }
        None
    }

    /// The solid rectangles the wall consists of, as stretches along it and heights:
    /// from, to, base, top. Cut at vertices and openings.
    pub fn pieces(&self) -> Vec<[f64; 4]> {
        let mut cuts = vec![0.0];
        let mut run = 0.0;
        for p in self.line.windows(2) {
            run += (p[1] - p[0]).norm();
            cuts.push(run);
        }
        for o in &self.openings {
            cuts.extend([o.at - o.width / 2.0, o.at + o.width / 2.0].map(|c| c.clamp(0.0, run)));
        }
        cuts.sort_by(f64::total_cmp);
        let mut out = Vec::new();
        for c in cuts.windows(2).filter(|c| c[1] - c[0] > 1e-6) {
            let middle = f64::midpoint(c[0], c[1]);
            // what is open over this stretch, from below
            let mut holes: Vec<(f64, f64)> = self
                .openings
                .iter()
                .filter(|o| (middle - o.at).abs() < o.width / 2.0)
                .map(|o| (o.sill.max(self.base), o.head.min(self.top)))
                .filter(|h| h.1 > h.0)
                .collect();
            holes.sort_by(|a, b| a.0.total_cmp(&b.0));
            let mut from = self.base;
            for (sill, head) in holes {
                if sill - from > 1e-6 {
                    out.push([c[0], c[1], from, sill]);
                }
                from = from.max(head);
            }
            if self.top - from > 1e-6 {
                out.push([c[0], c[1], from, self.top]);
            }
        }
        out
    }
}

/// An obstacle: a closed outline standing from base to top.
#[derive(Clone, Debug, PartialEq)]
pub struct Obstacle {
    /// Outline on the plan, metres; closed by itself.
    pub outline: Vec<Vector2<f64>>,
    /// Height of the foot, metres.
    pub base: f64,
    /// Height of the top, metres.
    pub top: f64,
}

/// A round column.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Column {
    /// Axis on the plan, metres.
    pub centre: Vector2<f64>,
    /// Radius, metres.
    pub radius: f64,
    /// Height of the foot, metres.
    pub base: f64,
    /// Height of the top, metres.
    pub top: f64,
}

/// A level surface that blocks the view between storeys.
#[derive(Clone, Debug, PartialEq)]
pub struct Slab {
    /// Outline on the plan, metres; closed by itself.
    pub outline: Vec<Vector2<f64>>,
    /// Height, metres.
    pub height: f64,
    /// What is wanted of it, from above.
    pub demand: Option<Demand>,
}

/// Ground where no instrument may stand.
#[derive(Clone, Debug, PartialEq)]
pub struct NoGo {
    /// Outline on the plan, metres; closed by itself.
    pub outline: Vec<Vector2<f64>>,
}

/// Where the ground falls: a step, a bank, a quay.
#[derive(Clone, Debug, PartialEq)]
pub struct Edge {
    /// Vertices on the plan, metres.
    pub line: Vec<Vector2<f64>>,
    /// Height of the lower ground, metres.
    pub foot: f64,
    /// Height of the upper ground, metres.
    pub crest: f64,
}

impl Edge {
    /// Distance that instruments keep, metres.
    pub const MARGIN: f64 = 1.0;

    /// Horizontal distance of a place of the plan, metres.
    pub fn distance(&self, at: &Vector2<f64>) -> f64 {
        self.line.windows(2).map(|p| to_segment(at, &p[0], &p[1])).fold(f64::INFINITY, f64::min)
    }
}

/// What stands on the site.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Site {
    /// Walls.
    pub walls: Vec<Wall>,
    /// Obstacles.
    pub obstacles: Vec<Obstacle>,
    /// Round columns.
    pub columns: Vec<Column>,
    /// Floors between storeys, and floors that are wanted.
    pub slabs: Vec<Slab>,
    /// Where no instrument may stand.
    pub no_go: Vec<NoGo>,
    /// Where the ground falls: hides what lies below, and instruments keep away from it.
    pub edges: Vec<Edge>,
}

/// A planned set-up.
#[derive(Clone, Debug, PartialEq)]
pub struct Station {
    /// Name.
    pub name: String,
    /// Centre of the instrument, metres.
    pub position: Vec3,
    /// Angle between neighbouring points at the setting used here, radians, when it is not the instrument's.
    pub step: Option<f64>,
    /// Measurements averaged for each point.
    pub repeats: u32,
    /// Photographs are taken as well.
    pub photographs: bool,
    /// The mark (index of the target) that the instrument stands over: its position is then known to
    /// the centring and to the measured instrument height.
    pub over: Option<usize>,
    /// Marks (indices) sighted with a reflector on them: the backsight, and what is carried forward.
    pub sights: Vec<usize>,
}

impl Station {
    /// A station at the instrument's own setting.
    pub fn at(name: &str, position: Vec3) -> Self {
        Self { name: name.into(), position, step: None, repeats: 1, photographs: false, over: None, sights: Vec::new() }
    }

    /// The instrument as it is set here: its step, its noise after averaging, the time of its scan with
    /// photographs.
    pub fn set(&self, instrument: &Instrument) -> Instrument {
        let step = self.step.unwrap_or(instrument.step);
        let better = f64::from(self.repeats.max(1)).sqrt();
        let photographs = if self.photographs { instrument.photograph_time } else { 0.0 };
        Instrument {
            step,
            range_sigma: instrument.range_sigma / better,
            range_sigma_per_m: instrument.range_sigma_per_m / better,
            scan_time: instrument.time(step, self.repeats.max(1)) + photographs,
            ..instrument.clone()
        }
    }
}

/// An upright rectangle that blocks the view.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Panel {
    /// One foot, on the plan.
    pub a: Vector2<f64>,
    /// The other foot.
    pub b: Vector2<f64>,
    /// Height of the lower edge, metres.
    pub base: f64,
    /// Height of the upper edge, metres.
    pub top: f64,
}

impl Site {
    /// All upright rectangles: the pieces of the walls, the sides of the obstacles, the faces of edges.
    pub fn panels(&self) -> Vec<Panel> {
        let walls = self.walls.iter().flat_map(|w| {
            w.pieces().into_iter().filter_map(move |[from, to, base, top]| {
                let (foot, d) = w.point_at(f64::midpoint(from, to))?;
                let half = d * ((to - from) / 2.0);
                Some(Panel { a: foot - half, b: foot + half, base, top })
            })
        });
        let obstacles = self.obstacles.iter().flat_map(|o| {
            let n = o.outline.len();
            (0..n).map(move |i| Panel { a: o.outline[i], b: o.outline[(i + 1) % n], base: o.base, top: o.top })
        });
        let edges = self
            .edges
            .iter()
            .flat_map(|e| e.line.windows(2).map(move |p| Panel { a: p[0], b: p[1], base: e.foot, top: e.crest }));
        walls.chain(obstacles).chain(edges).collect()
    }

    /// Whether a tripod can stand at a place of the plan, `clear` metres from everything that
    /// stands between the heights `low` and `high`.
    pub fn is_free(&self, at: &Vector2<f64>, low: f64, high: f64, clear: f64) -> bool {
        let meets = |base: f64, top: f64| base < high && top > low;
        let near = |p: &Panel| meets(p.base, p.top) && to_segment(at, &p.a, &p.b) < clear;
        !self.no_go.iter().any(|a| inside(&a.outline, at))
            && !self.edges.iter().any(|e| e.distance(at) < Edge::MARGIN)
            && !self.obstacles.iter().any(|o| meets(o.base, o.top) && inside(&o.outline, at))
            && !self.columns.iter().any(|c| meets(c.base, c.top) && (c.centre - at).norm() < c.radius + clear)
            && !self.panels().iter().any(near)
    }

    /// Whether there is a floor under an instrument at `at` (its centre): on the ground anywhere, on an
    /// upper storey only where its floor is drawn; where none is drawn at all, it is taken to be there.
    pub fn has_floor(&self, at: &Vec3) -> bool {
        /// Heights of the instrument above its floor, metres.
        const ABOVE: std::ops::Range<f64> = 0.3..2.5;
        let ground = self.walls.iter().map(|w| w.base).chain(self.slabs.iter().map(|s| s.height));
        let upper = ground.fold(f64::INFINITY, f64::min) + 1.0;
        let mut under = self.slabs.iter().filter(|s| s.height > upper && ABOVE.contains(&(at.z - s.height))).peekable();
        under.peek().is_none() || under.any(|s| inside(&s.outline, &at.xy()))
    }

    /// Corners of the box round everything that stands, on the plan; `None` on an empty site.
    pub fn extent(&self) -> Option<(Vector2<f64>, Vector2<f64>)> {
        let walls = self.walls.iter().flat_map(|w| w.line.iter().copied());
        let obstacles = self.obstacles.iter().flat_map(|o| o.outline.iter().copied());
        let slabs = self.slabs.iter().flat_map(|s| s.outline.iter().copied());
        let edges = self.edges.iter().flat_map(|e| e.line.iter().copied());
        let all = walls.chain(obstacles).chain(slabs).chain(edges).chain(self.columns.iter().map(|c| c.centre));
        all.fold(None, |e, p| Some(e.map_or((p, p), |(a, b): (Vector2<f64>, Vector2<f64>)| (a.inf(&p), b.sup(&p)))))
    }
}

/// Distance of a point from a segment, metres.
pub(super) fn to_segment(p: &Vector2<f64>, a: &Vector2<f64>, b: &Vector2<f64>) -> f64 {
    let e = b - a;
    let t = if e.norm_squared() > 0.0 { ((p - a).dot(&e) / e.norm_squared()).clamp(0.0, 1.0) } else { 0.0 };
    (p - (a + e * t)).norm()
}

/// Whether a point lies inside a closed outline (even–odd rule).
pub fn inside(outline: &[Vector2<f64>], p: &Vector2<f64>) -> bool {
    let n = outline.len();
    (0..n).fold(false, |within, i| {
        let (a, b) = (outline[i], outline[(i + 1) % n]);
        let crosses = (a.y > p.y) != (b.y > p.y) && p.x < (b.x - a.x) * (p.y - a.y) / (b.y - a.y) + a.x;
        within != crosses
    })
}
