//! The ground under crates, posts and bushes, from rays cast onto a yard that no code of the project made: heights, contours
//! and volumes lie within what is stated.

use nalgebra::{Matrix6, Vector2, Vector6};
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use rand_distr::StandardNormal;
use vistazo_core::draw::Stand;
use vistazo_core::draw::ground::{GroundScan, Surface, contours, ground, volume_to};
use vistazo_core::geometry::{Pose, Vec3};
use vistazo_core::instrument::Instrument;

/// A yard: how high it is at a place, and boxes and bushes on it.
struct Yard {
    phase: f64,
    boxes: Vec<([f64; 4], f64)>,
    bushes: Vec<(Vector2<f64>, f64)>,
}

impl Yard {
    fn drawn(rng: &mut ChaCha8Rng) -> Self {
        let place = |rng: &mut ChaCha8Rng| (rng.random_range(-18.0..16.0), rng.random_range(-14.0..12.0));
        let boxes = (0..6)
            .map(|_| {
                let (x, y) = place(rng);
                ([x, x + rng.random_range(0.6..3.0), y, y + rng.random_range(0.6..2.4)], rng.random_range(0.4..2.2))
            })
            .collect();
        let bushes =
            (0..8).map(|_| (Vector2::from(<[f64; 2]>::from(place(rng))), rng.random_range(0.3..0.9))).collect();
        Self { phase: rng.random_range(0.0..6.0), boxes, bushes }
    }

    fn ground(&self, x: f64, y: f64) -> f64 {
        0.02 * x - 0.01 * y + 0.25 * (x / 7.0 + self.phase).sin() * (y / 9.0).cos()
    }

    fn boxed(&self, x: f64, y: f64) -> Option<f64> {
        let top = |(b, h): &([f64; 4], f64)| {
            let inside = x > b[0] && x < b[1] && y > b[2] && y < b[3];
            inside.then(|| self.ground((b[0] + b[1]) / 2.0, (b[2] + b[3]) / 2.0) + h)
        };
        self.boxes.iter().find_map(top)
    }

    /// Where a ray first meets something, and whether that is the ground.
    fn hit(&self, from: &Vec3, ray: &Vec3, rng: &mut ChaCha8Rng) -> Option<(f64, bool)> {
        let mut before = 0.4;
        let mut t = 0.4;
        while t < 45.0 {
            let p = from + ray * t;
            for (c, r) in &self.bushes {
                let height = p.z - self.ground(p.x, p.y);
                // leaves: some rays are caught, others go on to the ground
                if (p.xy() - c).norm() < *r && height < 2.0 * r && height > 0.05 && rng.random_bool(0.12) {
                    return Some((t, false));
                }
            }
            let top = self.boxed(p.x, p.y);
            if top.is_some_and(|z| p.z < z) {
                return Some((t, false));
            }
            if p.z < self.ground(p.x, p.y) {
                let (mut a, mut b) = (before, t);
                for _ in 0..40 {
                    let m = f64::midpoint(a, b);
                    let q = from + ray * m;
                    if q.z < self.ground(q.x, q.y) { b = m } else { a = m }
                }
                return Some((a, true));
            }
            before = t;
            t += 0.08;
        }
        None
    }
}

fn normal(rng: &mut ChaCha8Rng, sigma: f64) -> f64 {
    sigma * rng.sample::<f64, _>(StandardNormal)
}

/// Points of a scan from a place with whether they are ground, as its own frame has them.
fn cast(
    yard: &Yard,
    instrument: &Instrument,
    from: &Vec3,
    index: f64,
    offset: f64,
    rng: &mut ChaCha8Rng,
) -> Vec<(Vec3, bool)> {
    let step = 0.0045;
    let mut out = Vec::new();
    for i in 0..(std::f64::consts::TAU / step) as usize {
        for j in 0..(1.0 / step) as usize {
            let (az, el) = (i as f64 * step, -1.0 + j as f64 * step);
            let (a, e) = (az + normal(rng, 4e-5), el + normal(rng, 4e-5) + index);
            let ray = Vec3::new(e.cos() * a.cos(), e.cos() * a.sin(), e.sin());
            let Some((t, is_ground)) = yard.hit(from, &ray, rng) else { continue };
            let r = t + normal(rng, instrument.range_noise(t, 0.2)) + offset;
            out.push((Vec3::new(el.cos() * az.cos(), el.cos() * az.sin(), el.sin()) * r, is_ground));
        }
    }
    out
}

/// How well a registration knows a place: 1.2 mm, 1.5 mm in height, 20 and 60 µrad.
fn known() -> Matrix6<f64> {
    Matrix6::from_diagonal(&Vector6::new(1.2e-3, 1.2e-3, 1.5e-3, 2e-5, 2e-5, 6e-5).map(|s| s * s))
}

#[test]
fn heights_and_volumes_hold_what_is_stated() {
    let instrument = Instrument::mid_range();
    let seeds = std::env::var("VISTAZO_DRAW_SEEDS").ok().and_then(|s| s.parse().ok()).unwrap_or(1_u64);
    let (mut inside, mut all, mut volumes, mut levels) = (0, 0, 0, 0);
    for seed in 1..=seeds {
        let mut rng = ChaCha8Rng::seed_from_u64(seed);
        let yard = Yard::drawn(&mut rng);
        let s = instrument.systematic;
        let (index, offset) = (normal(&mut rng, s.index), normal(&mut rng, s.range_offset));
        let places = [(-11.0, -7.0), (-2.0, 6.0), (7.0, -5.0), (13.0, 8.0), (0.0, -11.0)];
        let free = |p: &&(f64, f64)| {
            yard.boxed(p.0, p.1).is_none()
                && yard.bushes.iter().all(|b| (b.0 - Vector2::new(p.0, p.1)).norm() > b.1 + 0.3)
        };
        let (mut scans, mut stands, mut truth) = (Vec::new(), Vec::new(), [0_u64; 4]);
        for (x, y) in places.iter().filter(free) {
            let from = Vec3::new(*x, *y, yard.ground(*x, *y) + 1.7);
            let index = index + normal(&mut rng, s.index_at_set_up);
            let points = cast(&yard, &instrument, &from, index, offset, &mut rng);
            let off = Vector6::from_fn(|k, _| normal(&mut rng, known()[(k, k)].sqrt()));
            let stand = Stand { pose: Pose::levelled(0.0, from).moved(&off), covariance: known() };
            let mut scan = GroundScan::new(0.25);
            points.iter().for_each(|(p, _)| scan.add(&stand.pose.apply(p)));
            truth[0] += points.iter().filter(|p| p.1).count() as u64;
            truth[1] += points.len() as u64;
            scans.push(scan);
            stands.push(stand);
        }
        let began = std::time::Instant::now();
        let found = ground(&scans, &stands, &instrument, 5.0, 0.25).unwrap();
        let surface = Surface::new(found, &[], 0.006, 3.0).unwrap();
        let found = surface.ground();
        let (corners, faces) = surface.triangles();
        println!(
            "{seed}: {} points, {:.1} % ground of {:.1} % true; {} cells, {} corners, {} triangles, {:.2} s",
            truth[1],
            100.0 * found.points[0] as f64 / truth[1] as f64,
            100.0 * truth[0] as f64 / truth[1] as f64,
            found.cells.iter().flatten().count(),
            corners.len(),
            faces.len(),
            began.elapsed().as_secs_f64()
        );
        let (mut hits, mut n, mut worst) = (0, 0, (0.0_f64, Vector2::zeros(), 0.0));
        let mut said = Vec::new();
        for _ in 0..1500 {
            let p = Vector2::new(rng.random_range(-16.0..16.0), rng.random_range(-12.0..12.0));
            if yard.boxed(p.x, p.y).is_some() {
                continue;
            }
            let Some(h) = surface.height(&p) else { continue };
            let off = h.height - yard.ground(p.x, p.y);
            hits += usize::from(off.abs() <= h.error95);
            n += 1;
            said.push(h.error95);
            if off.abs() > worst.0.abs() {
                worst = (off, p, h.error95);
            }
        }
        said.sort_by(f64::total_cmp);
        println!(
            "   {:.1} % of {n} heights inside, half stated within {:.1} mm; worst {:.1} mm of {:.1} at {:.1?}",
            100.0 * hits as f64 / n as f64,
            1e3 * said[said.len() / 2],
            1e3 * worst.0,
            1e3 * worst.2,
            worst.1.as_slice()
        );
        inside += hits;
        all += n;
        // over and under a level within an outline without boxes
        let outline = [(-3.0, -3.0), (3.0, -3.0), (3.0, 3.0), (-3.0, 3.0)].map(|p| Vector2::new(p.0, p.1));
        let v = volume_to(&surface, 0.1, &outline);
        let mut real = 0.0;
        for k in 0..found.cells.len() {
            let p = found.middle(k);
            if surface.height(&p).is_some() {
                // in parts: the ground bends within a cell, and the outline cuts some
                for k in 0..100 {
                    let part = |k: i32| (f64::from(k) + 0.5) / 10.0 - 0.5;
                    let q = p + Vector2::new(part(k % 10), part(k / 10)) * found.cell;
                    if vistazo_core::plan::inside(&outline, &q) {
                        real += (yard.ground(q.x, q.y) - 0.1) * found.cell * found.cell / 100.0;
                    }
                }
            }
        }
        let off = (v.above - v.below) - real;
        println!("   volume {:.3} m³ of {real:.3}, off {off:.3} of ±{:.3}", v.above - v.below, v.error95);
        volumes += usize::from(off.abs() <= v.error95);
        levels += 1;
        // contours lie where the ground is as high as they say
        let lines = contours(&surface, 0.1);
        let mut far = 0;
        let mut places = 0;
        for (level, line) in &lines {
            for p in line.iter().filter(|p| p.x.abs() < 14.0 && p.y.abs() < 10.0 && yard.boxed(p.x, p.y).is_none()) {
                far += usize::from((yard.ground(p.x, p.y) - level).abs() > 0.012);
                places += 1;
            }
        }
        println!("   {} contours, {far} of {places} places off by more than 12 mm", lines.len());
        assert!(lines.len() > 5 && far * 20 < places, "{far} of {places}");
    }
    let share = inside as f64 / all as f64;
    println!("{:.1} % of {all} inside; {volumes} of {levels} volumes", 100.0 * share);
    assert!((0.90..0.99).contains(&share), "{share}");
    assert!(volumes * 4 >= levels * 3, "{volumes} of {levels} volumes");
}
