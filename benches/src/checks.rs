//! Checking and cleaning beside public libraries in the same run: two scans set against one another, and points at edges
//! found, with what is found of what was planted.
//!
//! `scripts/bench checks`; the libraries are those of `benches/checks.py`, run by the Python of `VISTAZO_BENCH_PYTHON` (left
//! out without it).
use nalgebra::Matrix6;
use std::path::Path;
use std::time::Instant;
use vistazo_core::clean::{Class, stray};
use vistazo_core::cloud::{Order, working};
use vistazo_core::compare::compare;
use vistazo_core::geometry::Pose;
use vistazo_core::instrument::Instrument;
use vistazo_core::scan::Scan;
use vistazo_core::tie::{Shown, Sight};
use vistazo_sim::{Really, Scanner, roundhouse, scan};

pub(crate) fn main() {
    let house = roundhouse();
    // the second and the third scan: nothing changed between them
    let which = [1, 2];
    let instrument = Instrument { step: house.instrument.step * 0.6, ..house.instrument.clone() };
    let scanner = Scanner::drawn(&instrument, 4711);
    let poses: Vec<Pose> = which.iter().map(|&k| house.truth.poses[k].compose(&scanner.frame())).collect();
    let mut truths = Vec::new();
    let scans: Vec<Scan> = which
        .iter()
        .map(|&k| {
            let raw = scan(&house.scene, &scanner, &house.truth.poses[k], k, k as u64, &|_| true).unwrap();
            truths.push(raw.truth.clone());
            raw.into_scan().unwrap()
        })
        .collect();
    println!("two scans of {} and {} points", scans[0].points.len(), scans[1].points.len());

    let begin = Instant::now();
    let shown: Vec<Shown> = scans.iter().map(|s| Shown::new(working(s, &Order::of(s)).0, Sight::of(s))).collect();
    let prepared = begin.elapsed().as_secs_f64();
    let relative = poses[0].inverse().compose(&poses[1]);
    let c = compare(&shown[0], &shown[1], &relative, &(Matrix6::identity() * 1e-12));
    let all = begin.elapsed().as_secs_f64();
    println!(
        "  ours: {all:.2} s ({prepared:.2} s of it preparing, once a scan), {} places, {:.1} % beyond the 95 % level of detection, {} regions",
        c.cells.len(),
        100.0 * c.beyond(),
        c.regions.len()
    );
    let begin = Instant::now();
    let classes = stray(&scans[0]);
    let seconds = begin.elapsed().as_secs_f64();
    let (mut found, mut mixed, mut wrong, mut good) = (0_usize, 0_usize, 0_usize, 0_usize);
    for (class, really) in classes.iter().zip(&truths[0]) {
        let out = usize::from(*class != Class::Kept);
        if *really == Really::Mixed {
            (mixed, found) = (mixed + 1, found + out);
        } else {
            (good, wrong) = (good + 1, wrong + out);
        }
    }
    println!(
        "  ours, points at edges: {seconds:.2} s, {:.1} million points a second, {found} of {mixed} mixed ones found, {:.3} % of the others with them",
        scans[0].points.len() as f64 / 1e6 / seconds,
        100.0 * wrong as f64 / good as f64
    );
    let peak = std::fs::read_to_string("/proc/self/status").unwrap();
    println!("  {}", peak.lines().find(|l| l.starts_with("VmHWM")).unwrap_or_default());

    let Ok(python) = std::env::var("VISTAZO_BENCH_PYTHON") else {
        println!("  VISTAZO_BENCH_PYTHON is not set: no library beside it");
        return;
    };
    let folder = tempfile::tempdir().unwrap();
    for (k, (s, pose)) in scans.iter().zip(&poses).enumerate() {
        let place = |p: &[f32; 3]| <[f64; 3]>::from(pose.apply(&nalgebra::Vector3::from(p.map(f64::from))));
        let bytes: Vec<u8> = s.points.iter().flat_map(place).flat_map(f64::to_le_bytes).collect();
        std::fs::write(folder.path().join(format!("{k}.f64")), bytes).unwrap();
    }
    let core = c.cells.iter().flat_map(|p| <[f64; 3]>::from(poses[0].apply(&p.at))).flat_map(f64::to_le_bytes);
    std::fs::write(folder.path().join("core.f64"), core.collect::<Vec<u8>>()).unwrap();
    let truth: Vec<u8> = truths[0].iter().map(|t| u8::from(*t == Really::Mixed)).collect();
    std::fs::write(folder.path().join("mixed.u8"), truth).unwrap();
    let script = Path::new(env!("CARGO_MANIFEST_DIR")).join("checks.py");
    let status = std::process::Command::new(python).arg(script).arg(folder.path()).status().unwrap();
    assert!(status.success());
}
