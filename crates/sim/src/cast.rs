use crate::scanner::{Bent, Scanner, Wrong};
use crate::scene::Scene;
use crate::shapes::{Hit, Light, Shape, is_edge, passers, seen, shapes};
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
    /// What each point really is: read by tests and by nothing else.
    pub truth: Vec<Really>,
}

/// What a point really is.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Really {
    /// On a surface, to within the noise.
    #[default]
    Surface,
    /// Its range is mixed from two surfaces, three centimetres or more from both.
    Mixed,
    /// On somebody who stood in the way, or on something that was not there in all scans.
    Passer,
    /// Seen in a mirror.
    Ghost,
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
    let mut shapes = shapes(scene, epoch, scanner, seed);
    let people = shapes.len() as u32;
    shapes.extend(passers(scene, epoch));
    let candidates = by_column(&shapes, pose, cols);
    let windows = Windows::new(aims, pose, &grid);
    let bands: Vec<usize> = (0..rows).step_by(16).collect();
    let mut ranges = vec![(f32::NAN, 0.0_f32, Really::Surface); rows * cols];
    let stopped = std::sync::atomic::AtomicBool::new(false);
    let done = std::sync::atomic::AtomicUsize::new(0);
    let bent = (0..rows).map(|row| wrong.bent(grid.elevation(row))).collect();
    let beam = Beam {
        shapes: &shapes,
        candidates: &candidates,
        ground: scene.ground,
        people,
        pose,
        instrument,
        wrong,
        bent,
        grid: &grid,
    };
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
    for (k, &(range, intensity, really)) in ranges.iter().enumerate() {
        if range.is_finite() {
            let (row, col) = (k / cols, k % cols);
            let p = grid.ray(row, col) * f64::from(range);
            raw.cells.push((row as u32, col as u32));
            raw.points.push([p.x as f32, p.y as f32, p.z as f32]);
            raw.intensity.push(intensity);
            raw.truth.push(really);
        }
    }
    Some(raw)
}

/// The directions that a scanner says it looks in.
struct Grid {
    rows: usize,
    cols: usize,
    step: f64,
    top: f64,
    /// Cosine and sine of the elevation of each row.
    tilt: Vec<[f64; 2]>,
    /// Cosine and sine of the azimuth of each column.
    turn: Vec<[f64; 2]>,
}

impl Grid {
    fn of(instrument: &Instrument) -> Self {
        let (step, top) = (instrument.step, instrument.elevation_max);
        let cols = (std::f64::consts::TAU / step).round() as usize;
        let rows = ((top - instrument.elevation_min) / step) as usize;
        let mut grid = Self { rows, cols, step, top, tilt: Vec::new(), turn: Vec::new() };
        grid.tilt = (0..rows).map(|row| grid.elevation(row)).map(|el| [el.cos(), el.sin()]).collect();
        grid.turn = (0..cols).map(|col| grid.azimuth(col)).map(|az| [az.cos(), az.sin()]).collect();
        grid
    }

    fn elevation(&self, row: usize) -> f64 {
        self.top - row as f64 * self.step
    }

    fn azimuth(&self, col: usize) -> f64 {
        col as f64 / self.cols as f64 * std::f64::consts::TAU
    }

    fn ray(&self, row: usize, col: usize) -> Vec3 {
        let ([flat, rise], [x, y]) = (self.tilt[row], self.turn[col]);
        Vec3::new(flat * x, flat * y, rise)
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
    /// Shapes from here on are people.
    people: u32,
    pose: &'a Pose,
    instrument: &'a Instrument,
    wrong: Wrong,
    /// What is wrong in each row.
    bent: Vec<Bent>,
    grid: &'a Grid,
}

impl Beam<'_> {
    /// Range and intensity in one direction, with everything that is wrong in them.
    fn measure(&self, row: usize, col: usize, normal: &mut dyn FnMut() -> f64) -> Option<(f32, f32, Really)> {
        let (pose, instrument, near) = (self.pose, self.instrument, &self.candidates[col]);
        let world = |d: &Vec3| pose.rotation * d;
        let nominal = self.grid.ray(row, col);
        let side = nominal.cross(&Vec3::z()).normalize();
        let up = side.cross(&nominal);
        let share = col as f64 / self.grid.cols as f64;
        let from = pose.translation - Vec3::z() * self.wrong.sunk(share);
        let true_ray = (self.wrong.along(&self.bent[row], self.grid.azimuth(col), share)
            + side * (normal() * instrument.angular_sigma)
            + up * (normal() * instrument.angular_sigma))
            .normalize();
        let meets = |ray: &Vec3| seen(self.shapes, near, self.ground, &from, &world(ray), instrument);
        let (hit, mirrored) = meets(&true_ray)?;
        let mut range = hit.range;
        // a second ray inside the beam: where it meets something else, the ranges mix
        let w = instrument.footprint_sigma(range) / range;
        let beam = (true_ray + side * (normal() * w) + up * (normal() * w)).normalize();
        let mix: f64 = (normal() * 0.3 + 0.5).clamp(0.0, 1.0);
        let person = |h: &Hit| h.of.is_some_and(|k| k >= self.people);
        let mut really = match () {
            () if mirrored => Really::Ghost,
            () if person(&hit) => Really::Passer,
            () => Really::Surface,
        };
        if !mirrored
            && is_edge(self.shapes, near, &hit, &from, &world(&true_ray), w)
            && let Some((other, false)) = meets(&beam)
            && (other.range - range).abs() > 0.02
            && (other.range - range).abs() < 3.0
        {
            range = range * mix + other.range * (1.0 - mix);
            if (range - hit.range).abs() > 0.03 && (range - other.range).abs() > 0.03 {
                really = Really::Mixed;
            } else if person(&other) && (range - other.range).abs() <= 0.03 {
                really = Really::Passer;
            }
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
        Some((range as f32, intensity.clamp(0.0, 1.0) as f32, really))
    }
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
            Shape::Panel { a, b, .. } | Shape::Mirror { a, b, .. } => {
                let (p, q) = (azimuth(a[0], a[1]), azimuth(b[0], b[1]));
                let d = (q - p).sin().atan2((q - p).cos());
                if d >= 0.0 { (p, p + d) } else { (p + d, p) }
            }
            Shape::Sphere { c, r } => around(c.x, c.y, r),
            Shape::Post { x, y, r, .. } => around(x, y, r),
            Shape::Pipe { a, along, long, r } => {
                let middle = a + along * (long / 2.0);
                around(middle.x, middle.y, long / 2.0 + r)
            }
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
