//! The ground beside public libraries in the same run: which points are ground, and a surface over many corners.
//!
//! `scripts/bench ground`; the libraries are those of `benches/ground.py`, run by the Python of `VISTAZO_BENCH_PYTHON` (left out
//! without it). Millions of points: `VISTAZO_BENCH_GROUND` (4).

use nalgebra::{Matrix6, Vector6};
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use rand_distr::StandardNormal;
use spade::{DelaunayTriangulation, Point2, Triangulation};
use std::path::Path;
use std::time::Instant;
use vistazo_core::draw::Stand;
use vistazo_core::draw::ground::{GroundScan, ground};
use vistazo_core::geometry::{Pose, Vec3};
use vistazo_core::instrument::Instrument;

const CELL: f64 = 0.25;
const CORNERS: usize = 500_000;

fn height(x: f64, y: f64) -> f64 {
    0.25 * (x * 0.11).sin() + 0.18 * (y * 0.17).cos() + 0.01 * x
}

/// A yard of 80 m with containers, crates, bushes and people on it, as four scans see it: denser near them.
fn yard(points: usize) -> Vec<Vec<(Vec3, bool)>> {
    let mut rng = ChaCha8Rng::seed_from_u64(11);
    let stations = [(-20.0, -20.0), (20.0, -18.0), (18.0, 20.0), (-19.0, 21.0)];
    let boxes: Vec<[f64; 5]> = (0..70)
        .map(|_| {
            let (x, y) = (rng.random_range(-38.0..34.0), rng.random_range(-38.0..34.0));
            [x, y, rng.random_range(0.4..6.0), rng.random_range(0.4..2.6), rng.random_range(0.3..2.6)]
        })
        .collect();
    let bushes: Vec<[f64; 3]> = (0..60)
        .map(|_| [rng.random_range(-38.0..38.0), rng.random_range(-38.0..38.0), rng.random_range(0.4..2.0)])
        .collect();
    let of = |(sx, sy): (f64, f64), rng: &mut ChaCha8Rng| {
        let mut out = Vec::with_capacity(points / 4);
        while out.len() < points / 4 {
            let (r, a) = (rng.random_range(0.8_f64..6.5).powi(2), rng.random_range(0.0..std::f64::consts::TAU));
            let (x, y) = (sx + r * a.cos(), sy + r * a.sin());
            if x.abs() > 40.0 || y.abs() > 40.0 {
                continue;
            }
            let noise = 0.0015 * rng.sample::<f64, _>(StandardNormal);
            let under = boxes.iter().find(|b| (b[0]..b[0] + b[2]).contains(&x) && (b[1]..b[1] + b[3]).contains(&y));
            let bush = bushes.iter().find(|b| (x - b[0]).hypot(y - b[1]) < b[2]);
            let (up, is_ground) = match (under, bush) {
                // the top, and sides here and there
                (Some(b), _) => (if rng.random_bool(0.7) { b[4] } else { rng.random_range(0.0..b[4]) }, false),
                // a third reaches through
                (_, Some(_)) if rng.random_bool(0.67) => (rng.random_range(0.08..1.2), false),
                _ => (0.0, true),
            };
            out.push((Vec3::new(x, y, height(x, y) + up + noise), is_ground));
        }
        out
    };
    stations.into_iter().map(|s| of(s, &mut rng)).collect()
}

pub(crate) fn main() {
    let millions = std::env::var("VISTAZO_BENCH_GROUND").ok().and_then(|v| v.parse().ok()).unwrap_or(4.0);
    let scans = yard((millions * 1e6) as usize);
    let n: usize = scans.iter().map(Vec::len).sum();
    let known = Matrix6::from_diagonal(&Vector6::new(1e-3, 1e-3, 1e-3, 2e-5, 2e-5, 5e-5).map(|s: f64| s * s));
    let stations = [(-20.0, -20.0), (20.0, -18.0), (18.0, 20.0), (-19.0, 21.0)];
    let stands: Vec<Stand> = stations
        .iter()
        .map(|(x, y)| Stand { pose: Pose::levelled(0.0, Vec3::new(*x, *y, height(*x, *y) + 1.7)), covariance: known })
        .collect();
    println!("{:.1} million points of a yard with 70 boxes and 60 bushes", n as f64 / 1e6);
    let begin = Instant::now();
    let filled: Vec<GroundScan> = scans
        .iter()
        .map(|points| {
            let mut s = GroundScan::new(CELL);
            points.iter().for_each(|p| s.add(&p.0));
            s
        })
        .collect();
    let found = ground(&filled, &stands, &Instrument::mid_range(), 7.0, CELL).unwrap();
    let took = begin.elapsed().as_secs_f64();
    let mut counts = [[0_u64; 2]; 2];
    for (p, is) in scans.iter().flatten() {
        let said = found.at(&p.xy()).and_then(|k| found.cells[k]).is_some_and(|c| (p.z - c.height).abs() < 0.05);
        counts[usize::from(*is)][usize::from(said)] += 1;
    }
    let share = |row: [u64; 2]| 100.0 * row[1] as f64 / (row[0] + row[1]) as f64;
    println!(
        "  here: {took:.2} s, {:.2} million points a second, each with its 95 %; {:.2} % of the ground found, {:.2} % of the rest taken for it",
        n as f64 / 1e6 / took,
        share(counts[1]),
        share(counts[0])
    );

    let mut rng = ChaCha8Rng::seed_from_u64(5);
    let corners: Vec<Point2<f64>> =
        (0..CORNERS).map(|_| Point2::new(rng.random_range(-40.0..40.0), rng.random_range(-40.0..40.0))).collect();
    let begin = Instant::now();
    let triangles = DelaunayTriangulation::<Point2<f64>>::bulk_load(corners.clone()).unwrap();
    println!(
        "  here (the crate spade): {CORNERS} corners, {} triangles in {:.2} s",
        triangles.num_inner_faces(),
        begin.elapsed().as_secs_f64()
    );

    let Ok(python) = std::env::var("VISTAZO_BENCH_PYTHON") else { return };
    let folder = tempfile::tempdir().unwrap();
    let put = |name: &str, bytes: Vec<u8>| std::fs::write(folder.path().join(name), bytes).unwrap();
    let all = scans.iter().flatten();
    put("points.bin", all.clone().flat_map(|p| <[f64; 3]>::from(p.0)).flat_map(f64::to_le_bytes).collect());
    put("is_ground.bin", all.map(|p| u8::from(p.1)).collect());
    put("corners.bin", corners.iter().flat_map(|c| [c.x, c.y]).flat_map(f64::to_le_bytes).collect());
    let script = Path::new(env!("CARGO_MANIFEST_DIR")).join("ground.py");
    let status = std::process::Command::new(python).arg(script).arg(folder.path()).status().unwrap();
    assert!(status.success());
}
