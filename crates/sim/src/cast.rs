use crate::material::Material;
use crate::scanner::{Scanner, Wrong};
use crate::scene::Scene;
use nalgebra::Vector2;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use rand_distr::StandardNormal;
use rayon::prelude::*;
use vistazo_core::geometry::{Pose, Vec3};
use vistazo_core::instrument::Instrument;
use vistazo_core::scan::{Scan, ScanError};

/// What the scanner hands over: points in its own frame with their row and column.
#[derive(Clone, Debug, Default)]
pub struct RawScan {
    /// Rows of the grid, from the highest elevation down.
    pub rows: u32,
    /// Columns of the grid, anticlockwise.
    pub cols: u32,
    /// Row and column of each point.
    pub cells: Vec<(u32, u32)>,
    /// Coordinates, metres.
    pub points: Vec<[f32; 3]>,
    /// Intensities, 0..1.
    pub intensity: Vec<f32>,
}

impl RawScan {
    /// The scan as the mathematics takes it.
    ///
    /// # Errors
    /// When it holds too few points.
    pub fn into_scan(self) -> Result<Scan, ScanError> {
        let intensity = self.intensity.iter().map(|i| (i * 65_535.0) as u16).collect();
        Scan::from_grid(self.rows, self.cols, self.cells.into_iter(), self.points, intensity)
    }
}

enum Shape {
    Panel {
        a: [f64; 2],
        b: [f64; 2],
        base: f64,
        top: f64,
        of: Material,
    },
    Sphere {
        c: Vec3,
        r: f64,
    },
    Post {
        x: f64,
        y: f64,
        r: f64,
        base: f64,
        top: f64,
        light: Light,
    },
    Board {
        c: Vec3,
        n: Vec3,
        half: f64,
        turn: f64,
        bulge: f64,
    },
    /// A ceiling, or the top of a thing.
    Level {
        outline: Vec<Vector2<f64>>,
        z: f64,
        of: Material,
    },
}

/// How much of the light comes back: a share, or what the material has where it was met.
#[derive(Clone, Copy)]
enum Light {
    Share(f64),
    Of(Material),
}

#[derive(Clone, Copy)]
struct Hit {
    range: f64,
    cos: f64,
    light: Light,
}

/// Scans the scene from a true pose. `epoch` is the number of the scan in the order taken.
///
/// Errors: range noise by the profile (range and incidence), two angles, mixed ranges at edges from the
/// beam's width, intensity; what the [`Scanner`] does wrong in every point. `progress` gets the share done and returns whether to go on; `None`
/// when it said no.
pub fn scan(
    scene: &Scene,
    scanner: &Scanner,
    pose: &Pose,
    epoch: usize,
    seed: u64,
    progress: &(dyn Fn(f64) -> bool + Sync),
) -> Option<RawScan> {
    cast(scene, scanner, pose, epoch, seed, &[], progress)
}

/// A part of the field of view.
#[derive(Clone, Copy, Debug)]
pub struct Aim {
    /// What is aimed at, in the frame of the scene, metres.
    pub at: Vec3,
    /// How far round it the scan reaches, metres.
    pub reach: f64,
}

/// Scans only round some places, as an instrument with a window of detail does: what falls outside
/// has no return. Made for many repetitions of the same set-up.
pub fn scan_towards(
    scene: &Scene,
    scanner: &Scanner,
    pose: &Pose,
    epoch: usize,
    seed: u64,
    aims: &[Aim],
) -> Option<RawScan> {
    cast(scene, scanner, pose, epoch, seed, aims, &|_| true)
}

fn cast(
    scene: &Scene,
    scanner: &Scanner,
    pose: &Pose,
    epoch: usize,
    seed: u64,
    aims: &[Aim],
    progress: &(dyn Fn(f64) -> bool + Sync),
) -> Option<RawScan> {
    let (instrument, wrong) = (&scanner.instrument, scanner.at_set_up(seed));
    let grid = Grid::of(instrument);
    let (rows, cols) = (grid.rows, grid.cols);
    let shapes = shapes(scene, epoch, scanner, seed);
    let candidates = by_column(&shapes, pose, cols);
    let windows = Windows::new(aims, pose, &grid);
    let bands: Vec<usize> = (0..rows).step_by(16).collect();
    let mut ranges = vec![(f32::NAN, 0.0_f32); rows * cols];
    let stopped = std::sync::atomic::AtomicBool::new(false);
    let done = std::sync::atomic::AtomicUsize::new(0);
    let beam = Beam { shapes: &shapes, candidates: &candidates, ground: scene.ground, pose, instrument, wrong, grid };
    ranges.par_chunks_mut(16 * cols).zip(bands.par_iter()).for_each(|(out, &first)| {
        if stopped.load(std::sync::atomic::Ordering::Relaxed) {
            return;
        }
        let mut rng = ChaCha8Rng::seed_from_u64(seed.wrapping_mul(0x9E37_79B9_7F4A_7C15) ^ first as u64);
        let mut normal = || rng.sample::<f64, _>(StandardNormal);
        for (k, cell) in out.iter_mut().enumerate() {
            let (row, col) = (first + k / cols, k % cols);
            if windows.open(row, col, &grid)
                && let Some(seen) = beam.measure(row, col, &mut normal)
            {
                *cell = seen;
            }
        }
        let n = done.fetch_add(1, std::sync::atomic::Ordering::Relaxed) + 1;
        if !progress(n as f64 / bands.len() as f64) {
            stopped.store(true, std::sync::atomic::Ordering::Relaxed);
        }
    });
    if stopped.into_inner() {
        return None;
    }
    let mut raw = RawScan { rows: rows as u32, cols: cols as u32, ..RawScan::default() };
    for (k, &(range, intensity)) in ranges.iter().enumerate() {
        if range.is_finite() {
            let (row, col) = (k / cols, k % cols);
            let p = grid.ray(row, col) * f64::from(range);
            raw.cells.push((row as u32, col as u32));
            raw.points.push([p.x as f32, p.y as f32, p.z as f32]);
            raw.intensity.push(intensity);
        }
    }
    Some(raw)
}

/// The directions that a scanner says it looks in.
#[derive(Clone, Copy)]
struct Grid {
    rows: usize,
    cols: usize,
    step: f64,
    top: f64,
}

impl Grid {
    fn of(instrument: &Instrument) -> Self {
        let (step, top) = (instrument.step, instrument.elevation_max);
        let cols = (std::f64::consts::TAU / step).round() as usize;
        Self { rows: ((top - instrument.elevation_min) / step) as usize, cols, step, top }
    }

    fn elevation(&self, row: usize) -> f64 {
        self.top - row as f64 * self.step
    }

    fn azimuth(&self, col: usize) -> f64 {
        col as f64 / self.cols as f64 * std::f64::consts::TAU
    }

    fn ray(&self, row: usize, col: usize) -> Vec3 {
        let (az, el) = (self.azimuth(col), self.elevation(row));
        Vec3::new(el.cos() * az.cos(), el.cos() * az.sin(), el.sin())
    }
}

/// The windows that are scanned; none for all round.
struct Windows {
    /// Direction, and cosine of the half-angle.
    windows: Vec<(Vec3, f64)>,
    // rows and columns that no window reaches are passed over without a look
    rows: Vec<bool>,
    cols: Vec<bool>,
}

impl Windows {
    fn new(aims: &[Aim], pose: &Pose, grid: &Grid) -> Self {
        let windows: Vec<(Vec3, f64)> = aims
            .iter()
            .map(|a| {
                let p = pose.inverse().apply(&a.at);
                (p.normalize(), (a.reach / p.norm()).min(1.5).cos())
            })
            .collect();
        let reached = |n: usize, is: &dyn Fn(usize, &(Vec3, f64)) -> bool| -> Vec<bool> {
            (0..n).map(|k| windows.is_empty() || windows.iter().any(|w| is(k, w))).collect()
        };
        let rows = reached(grid.rows, &|row, w| (grid.elevation(row) - w.0.z.asin()).abs() < w.1.acos() + grid.step);
        let cols = reached(grid.cols, &|col, w| {
            let off = grid.azimuth(col) - w.0.y.atan2(w.0.x);
            let half = w.1.acos() + grid.step;
            off.sin().atan2(off.cos()).abs() * w.0.x.hypot(w.0.y) < half.sin() * 1.1 || w.0.z.abs() > 0.95
        });
        Self { windows, rows, cols }
    }

    fn open(&self, row: usize, col: usize, grid: &Grid) -> bool {
        self.rows[row]
            && self.cols[col]
            && (self.windows.is_empty() || self.windows.iter().any(|w| w.0.dot(&grid.ray(row, col)) > w.1))
    }
}

/// One beam after the other.
struct Beam<'a> {
    shapes: &'a [Shape],
    candidates: &'a [Vec<u32>],
    ground: f64,
    pose: &'a Pose,
    instrument: &'a Instrument,
    wrong: Wrong,
    grid: Grid,
}

impl Beam<'_> {
    /// Range and intensity in one direction, with everything that is wrong in them.
    fn measure(&self, row: usize, col: usize, normal: &mut dyn FnMut() -> f64) -> Option<(f32, f32)> {
        let (pose, instrument, near) = (self.pose, self.instrument, &self.candidates[col]);
        let world = |d: &Vec3| pose.rotation * d;
        let nominal = self.grid.ray(row, col);
        let side = nominal.cross(&Vec3::z()).normalize();
        let up = side.cross(&nominal);
        let share = col as f64 / self.grid.cols as f64;
        let from = pose.translation - Vec3::z() * self.wrong.sunk(share);
        let true_ray = (self.wrong.ray(self.grid.azimuth(col), self.grid.elevation(row), share)
            + side * (normal() * instrument.angular_sigma)
            + up * (normal() * instrument.angular_sigma))
            .normalize();
        let meets = |ray: &Vec3| nearest(self.shapes, near, self.ground, &from, &world(ray), instrument);
        let hit = meets(&true_ray)?;
        let mut range = hit.range;
        // a second ray inside the beam: where it meets something else, the ranges mix
        let w = instrument.footprint_sigma(range) / range;
        let beam = (true_ray + side * (normal() * w) + up * (normal() * w)).normalize();
        let mix: f64 = (normal() * 0.3 + 0.5).clamp(0.0, 1.0);
        if is_edge(self.shapes, near, &hit, &from, &world(&true_ray), w)
            && let Some(other) = meets(&beam)
            && (other.range - range).abs() > 0.02
            && (other.range - range).abs() < 3.0
        {
            range = range * mix + other.range * (1.0 - mix);
        }
        let albedo = match hit.light {
            Light::Share(share) => share,
            Light::Of(material) => material.albedo(&(from + world(&true_ray) * hit.range), self.ground),
        };
        let light = albedo * (0.4 + 0.6 * hit.cos);
        range = self.wrong.range(range, light) + normal() * instrument.range_noise(hit.range, hit.cos);
        if range < instrument.min_range || range > instrument.max_range {
            return None;
        }
        let intensity = light + normal() * 0.012;
        Some((range as f32, intensity.clamp(0.0, 1.0) as f32))
    }
}

fn shapes(scene: &Scene, epoch: usize, scanner: &Scanner, seed: u64) -> Vec<Shape> {
    let mut out: Vec<Shape> = scene
        .site
        .panels()
        .iter()
        .map(|p| {
            let middle = (p.a + p.b) / 2.0;
            let planks = scene.site.obstacles.iter().any(|o| {
                let sides = o.outline.iter().zip(o.outline.iter().cycle().skip(1));
                p.top == o.top && sides.into_iter().any(|(a, b)| (a + b) / 2.0 == middle)
            });
            let of = if planks { Material::Planks } else { scene.wall_at(&middle) };
            Shape::Panel { a: [p.a.x, p.a.y], b: [p.b.x, p.b.y], base: p.base, top: p.top, of }
        })
        .collect();
    for (i, s) in scene.spheres.iter().enumerate() {
        let c = scene.sphere_at(i, epoch);
        out.push(Shape::Sphere { c: c + scanner.out_of_round(seed, i), r: s.radius });
        out.push(Shape::Post {
            x: c.x,
            y: c.y,
            r: 0.012,
            base: scene.ground,
            top: c.z - 0.9 * s.radius,
            light: Light::Share(0.12),
        });
    }
    out.extend(scene.site.columns.iter().map(|c| Shape::Post {
        x: c.centre.x,
        y: c.centre.y,
        r: c.radius,
        base: c.base,
        top: c.top,
        light: Light::Of(Material::Iron),
    }));
    let ceilings = scene.site.slabs.iter().map(|s| (&s.outline, s.height, Material::Plaster));
    let tops = scene.site.obstacles.iter().map(|o| (&o.outline, o.top, Material::Planks));
    let levels = ceilings.chain(tops).filter(|l| l.0.len() > 2);
    out.extend(levels.map(|(outline, z, of)| Shape::Level { outline: outline.clone(), z, of }));
    out.extend(scene.boards.iter().enumerate().map(|(i, b)| Shape::Board {
        c: b.centre,
        n: b.normal,
        half: b.half,
        turn: b.turn,
        bulge: scanner.bulge(i),
    }));
    out
}

/// A scanner that stands farther from upright than the slack of its columns holds, radians.
const LEANS: f64 = 0.003;

/// For each column of the scan, the shapes that its rays may meet.
fn by_column(shapes: &[Shape], pose: &Pose, cols: usize) -> Vec<Vec<u32>> {
    // the columns of a scanner that leans are no upright planes
    if (pose.rotation * Vec3::z()).z < LEANS.cos() {
        return vec![(0..shapes.len() as u32).collect(); cols];
    }
    let mut out = vec![Vec::new(); cols];
    let to_scanner = pose.inverse();
    let azimuth = |x: f64, y: f64| {
        let p = to_scanner.apply(&Vec3::new(x, y, pose.translation.z));
        p.y.atan2(p.x)
    };
    for (i, s) in shapes.iter().enumerate() {
        let around = |x: f64, y: f64, r: f64| {
            let d = (x - pose.translation.x).hypot(y - pose.translation.y);
            let half = if d > r { (r / d).asin() } else { std::f64::consts::PI };
            let a = azimuth(x, y);
            (a - half, a + half)
        };
        let (from, to) = match *s {
            Shape::Panel { a, b, .. } => {
                let (p, q) = (azimuth(a[0], a[1]), azimuth(b[0], b[1]));
                let d = (q - p).sin().atan2((q - p).cos());
                if d >= 0.0 { (p, p + d) } else { (p + d, p) }
            }
            Shape::Sphere { c, r } => around(c.x, c.y, r),
            Shape::Post { x, y, r, .. } => around(x, y, r),
            Shape::Board { c, half, .. } => around(c.x, c.y, half * 1.5),
            Shape::Level { ref outline, .. } => {
                let (low, high) = outline.iter().fold((outline[0], outline[0]), |(a, b), p| (a.inf(p), b.sup(p)));
                let middle = (low + high) / 2.0;
                around(middle.x, middle.y, (high - low).norm() / 2.0)
            }
        };
        let per = cols as f64 / std::f64::consts::TAU;
        for c in ((from - 0.01) * per).floor() as i64..=((to + 0.01) * per).ceil() as i64 {
            let column = &mut out[c.rem_euclid(cols as i64) as usize];
            if column.last() != Some(&(i as u32)) {
                column.push(i as u32);
            }
        }
    }
    out
}

fn nearest(
    shapes: &[Shape],
    candidates: &[u32],
    ground: f64,
    o: &Vec3,
    d: &Vec3,
    instrument: &Instrument,
) -> Option<Hit> {
    let mut best: Option<Hit> = None;
    if d.z < -1e-6 {
        let range = (ground - o.z) / d.z;
        best = Some(Hit { range, cos: -d.z, light: Light::Of(Material::Ground) });
    }
    for &k in candidates {
        if let Some(h) = meet(&shapes[k as usize], o, d, instrument)
            && best.is_none_or(|b| h.range < b.range)
        {
            best = Some(h);
        }
    }
    best.filter(|h| h.range < instrument.max_range + 1.0)
}

fn meet(s: &Shape, o: &Vec3, d: &Vec3, instrument: &Instrument) -> Option<Hit> {
    match *s {
        Shape::Panel { a, b, base, top, of } => {
            let e = [b[0] - a[0], b[1] - a[1]];
            let det = d.x * e[1] - d.y * e[0];
            if det.abs() < 1e-12 {
                return None;
            }
            let w = [a[0] - o.x, a[1] - o.y];
            let s = (w[0] * e[1] - w[1] * e[0]) / det;
            let t = (w[0] * d.y - w[1] * d.x) / det;
            let z = o.z + s * d.z;
            (s > 1e-6 && (0.0..=1.0).contains(&t) && z >= base && z <= top).then(|| Hit {
                range: s,
                cos: det.abs() / e[0].hypot(e[1]),
                light: Light::Of(of),
            })
        }
        Shape::Sphere { c, r } => {
            let m = c - o;
            let along = m.dot(d);
            let miss = m.norm_squared() - along * along;
            (miss < r * r && along > 0.0).then(|| {
                let half = (r * r - miss).sqrt();
                Hit { range: along - half, cos: half / r, light: Light::Share(0.8) }
            })
        }
        Shape::Post { x, y, r, base, top, light } => {
            let (mx, my) = (o.x - x, o.y - y);
            let a = d.x * d.x + d.y * d.y;
            let b = mx * d.x + my * d.y;
            let disc = b * b - a * (mx * mx + my * my - r * r);
            if disc <= 0.0 || a < 1e-12 {
                return None;
            }
            let s = (-b - disc.sqrt()) / a;
            let z = o.z + s * d.z;
            (s > 1e-6 && z >= base && z <= top).then(|| {
                let n = ((mx + s * d.x) / r, (my + s * d.y) / r);
                Hit { range: s, cos: -(n.0 * d.x + n.1 * d.y), light }
            })
        }
        Shape::Level { ref outline, z, of } => {
            if d.z.abs() < 1e-9 {
                return None;
            }
            let s = (z - o.z) / d.z;
            let at = Vector2::new(o.x + s * d.x, o.y + s * d.y);
            (s > 1e-6 && inside(outline, &at)).then_some(Hit { range: s, cos: d.z.abs(), light: Light::Of(of) })
        }
        Shape::Board { c, n, half, turn, bulge } => {
            let across = d.dot(&n);
            if across.abs() < 1e-9 {
                return None;
            }
            let s = (c - o).dot(&n) / across;
            let q = o + d * s - c;
            let (sin, cos) = turn.sin_cos();
            let flat = q.dot(&Vec3::z().cross(&n));
            let (u, v) = (cos * flat + sin * q.z, cos * q.z - sin * flat);
            (s > 1e-6 && u.abs() < half && v.abs() < half).then(|| {
                // the picture as the beam's width blurs it
                let w = instrument.footprint_sigma(s) * std::f64::consts::SQRT_2;
                let pattern = soft(u / w) * soft(v / w);
                // as a sheet that arches: its middle stands out, its rim back
                let arch = bulge * (1.0 - (u * u + v * v) / (half * half));
                Hit { range: s - arch / across.abs(), cos: across.abs(), light: Light::Share(0.47 + 0.38 * pattern) }
            })
        }
    }
}

/// Whether a place lies in an outline, by how often a line from it crosses the rim.
fn inside(outline: &[Vector2<f64>], at: &Vector2<f64>) -> bool {
    let rim = outline.iter().zip(outline.iter().cycle().skip(1));
    let crossed = |(a, b): &(&Vector2<f64>, &Vector2<f64>)| {
        (a.y > at.y) != (b.y > at.y) && at.x < a.x + (at.y - a.y) / (b.y - a.y) * (b.x - a.x)
    };
    rim.filter(crossed).count() % 2 == 1
}

/// Whether the beam of half-width `w` (radians) may meet something besides what its axis meets:
/// only spheres, posts, boards and panel ends near the ray ask for a second cast.
fn is_edge(shapes: &[Shape], candidates: &[u32], hit: &Hit, o: &Vec3, d: &Vec3, w: f64) -> bool {
    candidates.iter().any(|&k| match shapes[k as usize] {
        Shape::Sphere { c, r } => {
            let m = c - o;
            let along = m.dot(d);
            if along < 0.0 || along - r > hit.range + 0.01 {
                return false;
            }
            let miss = (m.norm_squared() - along * along).max(0.0).sqrt();
            (miss - r).abs() < 4.0 * w * along
        }
        Shape::Post { x, y, r, .. } => {
            let a = d.x.hypot(d.y);
            let miss = ((x - o.x) * d.y - (y - o.y) * d.x).abs() / a;
            (miss - r).abs() < 4.0 * w * (x - o.x).hypot(y - o.y)
        }
        Shape::Panel { a, b, top, .. } => {
            let z = o.z + hit.range * d.z;
            let p = [o.x + hit.range * d.x, o.y + hit.range * d.y];
            let near = 4.0 * w * hit.range;
            (p[0] - a[0]).hypot(p[1] - a[1]) < near || (p[0] - b[0]).hypot(p[1] - b[1]) < near || (z - top).abs() < near
        }
        Shape::Board { .. } | Shape::Level { .. } => false,
    })
}

/// The error function to 2.5e-5 (Abramowitz & Stegun 7.1.25), enough for a picture.
fn soft(x: f64) -> f64 {
    let t = 1.0 / (1.0 + 0.470_47 * x.abs());
    let y = 1.0 - (0.348_024_2 * t - 0.095_879_8 * t * t + 0.747_855_6 * t * t * t) * (-x * x).exp();
    y.copysign(x)
}
