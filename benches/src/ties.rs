//! Ties by clouds: two scans of 6.8 million points beside public libraries in the same run, and how the work grows with
//! the number of scans.
//!
//! `scripts/bench ties`; the libraries are those of `benches/ties.py`, run by the Python of `VISTAZO_BENCH_PYTHON` (left
//! out without it). Scans of the largest row: `VISTAZO_BENCH_SCANS` (200).
use nalgebra::{Vector2, Vector6};
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use std::io::Write;
use std::path::Path;
use std::time::Instant;
use vistazo_core::cloud::{Order, working};
use vistazo_core::geometry::{Pose, Vec3};
use vistazo_core::instrument::Instrument;
use vistazo_core::plan::{Obstacle, Opening, Site, Wall};
use vistazo_core::scan::Scan;
use vistazo_core::tie::{Expected, NextPair, NextStep, Pairs, Shown, Sight, place_in_block, tie_by_clouds};
use vistazo_sim::{Scanner, Scene, roundhouse, scan, set_up_near};

pub(crate) fn main() {
    side_by_side();
    growth();
}

fn shown(scan: &Scan) -> Shown {
    let sight = Sight::of(scan);
    let (cloud, _) = working(scan, &Order::of(scan));
    Shown::new(cloud, sight)
}

fn taken(scene: &Scene, instrument: &Instrument, pose: &Pose, k: usize) -> Scan {
    let scanner = Scanner::drawn(instrument, 4711);
    scan(scene, &scanner, pose, k, k as u64, &|_| true).unwrap().into_scan().unwrap()
}

fn off(found: &Pose, truth: &Pose) -> String {
    let d = found.difference(truth);
    let turn = d.fixed_rows::<3>(3).norm().to_degrees() * 3600.0;
    format!("off {:.2} mm, {turn:.1}″", 1000.0 * d.fixed_rows::<3>(0).norm())
}

fn side_by_side() {
    let house = roundhouse();
    let instrument = Instrument { step: house.instrument.step * (2.4_f64 / 6.8).sqrt(), ..house.instrument.clone() };
    // two scans of the ring, the yard and the crates between
    let poses = [house.truth.poses[5], house.truth.poses[6]];
    let scans: Vec<Scan> = (0..2).map(|k| taken(&house.scene, &instrument, &poses[k], k)).collect();
    let truth = poses[0].inverse().compose(&poses[1]);
    let start = truth.moved(&Vector6::new(0.12, -0.1, 0.05, 0.002, -0.002, 0.02));
    println!("two scans of {} and {} points", scans[0].points.len(), scans[1].points.len());
    for (name, pose) in [("with a start", Some(start)), ("without any", None)] {
        let begin = Instant::now();
        let (first, second) = both_shown(&scans);
        let prepared = begin.elapsed().as_secs_f64();
        let expected = Expected { pose, profile: instrument.systematic, ..Expected::default() };
        let tie = tie_by_clouds(&first, &second, &expected).unwrap();
        let all = begin.elapsed().as_secs_f64();
        let said = off(&tie.fit.relative, &truth);
        println!("  ours, {name}: {all:.2} s ({prepared:.2} s of it preparing), {said}, {:?}", tie.grade.grade);
    }
    let Ok(python) = std::env::var("VISTAZO_BENCH_PYTHON") else {
        println!("  VISTAZO_BENCH_PYTHON is not set: no library beside it");
        return;
    };
    let folder = tempfile::tempdir().unwrap();
    for (k, s) in scans.iter().enumerate() {
        let bytes: Vec<u8> = s.points.iter().flatten().flat_map(|v| v.to_le_bytes()).collect();
        std::fs::write(folder.path().join(format!("{k}.f32")), bytes).unwrap();
    }
    matrix(&folder.path().join("start"), &start);
    matrix(&folder.path().join("truth"), &truth);
    let script = Path::new(env!("CARGO_MANIFEST_DIR")).join("ties.py");
    let status = std::process::Command::new(python).arg(script).arg(folder.path()).status().unwrap();
    assert!(status.success());
}

fn both_shown(scans: &[Scan]) -> (Shown, Shown) {
    (shown(&scans[0]), shown(&scans[1]))
}

fn matrix(path: &Path, pose: &Pose) {
    let r = pose.matrix();
    let mut file = std::fs::File::create(path).unwrap();
    for row in 0..3 {
        writeln!(file, "{} {} {} {}", r[(row, 0)], r[(row, 1)], r[(row, 2)], pose.translation[row]).unwrap();
    }
    writeln!(file, "0 0 0 1").unwrap();
}

/// A street of rooms one behind the other, no two alike, a scan in each: all of them are tied from nothing.
fn growth() {
    let most: usize = std::env::var("VISTAZO_BENCH_SCANS").ok().and_then(|v| v.parse().ok()).unwrap_or(200);
    let instrument = Instrument { step: 0.006, ..Instrument::mid_range() };
    let (scene, poses) = street(most, &instrument);
    let all: Vec<Shown> = poses.iter().enumerate().map(|(k, p)| shown(&taken(&scene, &instrument, p, k))).collect();
    println!("scans of {} points on average, in the order they were taken, no plan", all[0].cloud.points.len());
    let mut before: Option<(f64, f64)> = None;
    for n in [25, 50, 100, 200, 400] {
        if n > most {
            break;
        }
        let begin = Instant::now();
        let mut pairs = Pairs::new(&vec![None; n]);
        let (mut looked, mut sound, mut wrong) = (0, 0, 0);
        while let Some(next) = pairs.next_step() {
            looked += 1;
            let NextPair { scans: (i, j), start } = match next {
                NextStep::Pair(pair) => pair,
                NextStep::Place(scan, among) => {
                    let block: Vec<(&Shown, Pose)> = among.iter().map(|(k, pose)| (&all[*k], *pose)).collect();
                    if let Some(p) = place_in_block(&block, &all[scan]) {
                        let seen_by: Vec<usize> = p.witnesses.iter().map(|&w| among[w].0).collect();
                        pairs.stands(scan, &p.pose, &seen_by);
                    }
                    continue;
                }
            };
            let expected =
                Expected { pose: start, close: start.is_some(), profile: instrument.systematic, ..Expected::default() };
            let tie =
                tie_by_clouds(&all[i], &all[j], &expected).filter(|t| t.grade.grade == vistazo_core::tie::Grade::Sound);
            if let Some(t) = &tie {
                sound += 1;
                let truth = poses[i].inverse().compose(&poses[j]);
                wrong += usize::from((t.fit.relative.translation - truth.translation).norm() > 0.05);
            }
            pairs.found((i, j), tie.map(|t| t.fit.relative).as_ref());
        }
        let seconds = begin.elapsed().as_secs_f64();
        let mut parts = pairs.parts();
        parts.sort_unstable();
        parts.dedup();
        let power = before.map_or(String::new(), |(m, s)| {
            format!(", time grows by n^{:.2}", (seconds / s).ln() / (n as f64 / m).ln())
        });
        println!(
            "  {n} scans: {seconds:.1} s, {looked} pairs looked at, {sound} sound, {wrong} of them wrong, {} part(s){power}",
            parts.len()
        );
        before = Some((n as f64, seconds));
    }
    let peak = std::fs::read_to_string("/proc/self/status").unwrap();
    println!("  {}", peak.lines().find(|l| l.starts_with("VmHWM")).unwrap_or_default());
}

fn street(n: usize, instrument: &Instrument) -> (Scene, Vec<Pose>) {
    let mut rng = ChaCha8Rng::seed_from_u64(7);
    let mut site = Site::default();
    let mut poses = Vec::new();
    let mut x = 0.0;
    let line = |a: (f64, f64), b: (f64, f64)| vec![Vector2::new(a.0, a.1), Vector2::new(b.0, b.1)];
    for k in 0..n {
        let (long, deep) = (rng.random_range(6.0..9.0), rng.random_range(5.0..8.0));
        let low = rng.random_range(-1.5..0.0);
        for (a, b) in [((x, low), (x + long, low)), ((x, low + deep), (x + long, low + deep))] {
            site.walls.push(Wall::plain(site.walls.len(), line(a, b), 0.0, 3.2));
        }
        // a wide door to the next
        let door = Opening { name: "door".into(), at: rng.random_range(4.4..6.0), width: 2.6, sill: 0.0, head: 2.4 };
        let wall = Wall::plain(site.walls.len(), line((x + long, -2.0), (x + long, 9.0)), 0.0, 3.2);
        site.walls.push(Wall { openings: vec![door], ..wall });
        for _ in 0..3 {
            let (w, d) = (rng.random_range(0.4..1.6), rng.random_range(0.4..1.2));
            let (u, v) = (x + rng.random_range(0.2..long - w), low + rng.random_range(0.1..deep - d));
            let outline =
                [(0.0, 0.0), (w, 0.0), (w, d), (0.0, d)].iter().map(|c| Vector2::new(u + c.0, v + c.1)).collect();
            site.obstacles.push(Obstacle { outline, base: 0.0, top: rng.random_range(0.5..1.4) });
        }
        poses.push(set_up_near(Vec3::new(x + long * 0.75, 3.2, 1.6), instrument, k as u64));
        x += long;
    }
    (Scene { site, ..Scene::default() }, poses)
}
