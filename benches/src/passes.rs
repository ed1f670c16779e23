//! Passes: the graph of poses beside a public one on the same graph in the same run, and passes at full size.
//!
//! `scripts/bench passes`; the public library is that of `benches/passes.py`, run by the Python of `VISTAZO_BENCH_PYTHON`
//! (left out without it). `VISTAZO_BENCH_POINTS` says how many points a pass has (30 million), `VISTAZO_BENCH_MINUTES` how long it is
//! walked (20).

use nalgebra::{Matrix6, Vector6};
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use rand_distr::StandardNormal;
use serde_json::json;
use std::fs::File;
use std::io::{BufReader, BufWriter, Read, Write};
use std::time::Instant;
use vistazo_core::geometry::{Pose, Vec3};
use vistazo_core::mobile::{Fact, Graph, PassIn, Piece, Sample, TimedPoint, Trajectory, Unit, pieces, register, units};
use vistazo_sim::{Walker, roundhouse, walk};

fn set(name: &str, usual: f64) -> f64 {
    std::env::var(name).ok().and_then(|v| v.parse().ok()).unwrap_or(usual)
}

pub(crate) fn main() {
    graph();
    full_size(set("VISTAZO_BENCH_POINTS", 30e6), set("VISTAZO_BENCH_MINUTES", 20.0));
}

fn noise(rng: &mut ChaCha8Rng, sigma: &Vector6<f64>) -> Vector6<f64> {
    Vector6::from_fn(|k, _| sigma[k] * rng.sample::<f64, _>(StandardNormal))
}

/// Round and round a yard: odometry with white noise, ties between laps, two places that are known. A graph any library can take.
fn laps(n: usize, rng: &mut ChaCha8Rng) -> (Graph, Vec<Pose>) {
    let per = 60;
    let truth: Vec<Pose> = (0..n)
        .map(|k| {
            let turn = std::f64::consts::TAU * k as f64 / per as f64;
            let out = 28.0 + 3.0 * (turn * 5.0).sin() + 0.02 * k as f64;
            Pose::levelled(turn + 1.57, Vec3::new(out * turn.cos(), out * turn.sin(), 1.4))
        })
        .collect();
    let mut g = Graph::default();
    let step = Vector6::new(0.006, 0.006, 0.006, 4e-4, 4e-4, 8e-4);
    let tie = Vector6::new(0.003, 0.003, 0.003, 3e-4, 3e-4, 3e-4);
    let between = |a: usize, b: usize, s: &Vector6<f64>, rng: &mut ChaCha8Rng| {
        let pose = truth[a].inverse().compose(&truth[b]).moved(&noise(rng, s));
        Fact::Relative {
            from: a,
            to: b,
            pose,
            covariance: Matrix6::from_diagonal(&s.map(|v| v * v)),
            unheld: Matrix6::zeros(),
            kind: 0,
            habit: None,
        }
    };
    let mut at = truth[0];
    g.add(at);
    for k in 1..n {
        let fact = between(k - 1, k, &step, rng);
        if let Fact::Relative { pose, .. } = &fact {
            at = at.compose(pose);
        }
        g.add(at);
        g.know(fact);
        for back in [per, 2 * per, 3 * per + 1].into_iter().filter(|b| *b <= k) {
            g.know(between(k - back, k, &tie, rng));
        }
    }
    for of in [0, n / 2] {
        g.know(Fact::Known { of, pose: truth[of], covariance: Matrix6::from_diagonal(&tie.map(|v| v * v / 4.0)) });
    }
    (g, truth)
}

fn graph() {
    println!("graphs of poses: odometry, three ties back for each pose, two known places");
    let folder = tempfile::tempdir().unwrap();
    let mut all = Vec::new();
    for n in [400, 1600, 4800] {
        let (mut g, truth) = laps(n, &mut ChaCha8Rng::seed_from_u64(n as u64));
        let start = g.poses.clone();
        let began = Instant::now();
        g.settle(false).unwrap();
        let settled = began.elapsed().as_secs_f64();
        let began = Instant::now();
        let known = g.precision().unwrap();
        let precision = began.elapsed().as_secs_f64();
        let off = |poses: &[Pose]| {
            let sum: f64 = poses.iter().zip(&truth).map(|(p, t)| (p.translation - t.translation).norm_squared()).sum();
            1e3 * (sum / n as f64).sqrt()
        };
        println!(
            "  {n} poses, {} facts: ours settled in {settled:.3} s, covariances of all in {precision:.3} s; {:.0} mm before, {:.2} mm after",
            g.facts.len(),
            off(&start),
            off(&g.poses)
        );
        let flat = |p: &Pose| {
            let q = p.rotation.quaternion();
            [q.w, q.i, q.j, q.k, p.translation.x, p.translation.y, p.translation.z]
        };
        let facts: Vec<_> = g
            .facts
            .iter()
            .map(|f| match f {
                Fact::Relative { from, to, pose, covariance, .. } => {
                    json!({ "from": from, "to": to, "pose": flat(pose), "sigma": covariance.diagonal().map(f64::sqrt).as_slice() })
                }
                Fact::Known { of, pose, covariance } => {
                    json!({ "of": of, "pose": flat(pose), "sigma": covariance.diagonal().map(f64::sqrt).as_slice() })
                }
                _ => unreachable!("there are no others"),
            })
            .collect();
        let sigma: Vec<f64> = known.covariances.iter().map(|c| c.fixed_view::<3, 3>(0, 0).trace().sqrt()).collect();
        all.push(json!({ "start": start.iter().map(flat).collect::<Vec<_>>(), "facts": facts, "sigma": sigma,
            "ours": g.poses.iter().map(flat).collect::<Vec<_>>(), "truth": truth.iter().map(flat).collect::<Vec<_>>() }));
    }
    std::fs::write(folder.path().join("graphs.json"), json!(all).to_string()).unwrap();
    let Ok(python) = std::env::var("VISTAZO_BENCH_PYTHON") else {
        println!("  the public library: left out (VISTAZO_BENCH_PYTHON)");
        return;
    };
    let script = concat!(env!("CARGO_MANIFEST_DIR"), "/passes.py");
    assert!(std::process::Command::new(python).arg(script).arg(folder.path()).status().unwrap().success());
}

/// Most memory that this program held since it was last asked, GiB.
fn held() -> f64 {
    let told = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let line = told.lines().find_map(|l| l.strip_prefix("VmHWM:")).unwrap_or_default();
    let kib: f64 = line.trim().trim_end_matches("kB").trim().parse().unwrap_or(f64::NAN);
    let _ = std::fs::write("/proc/self/clear_refs", "5");
    kib / 1024.0 / 1024.0
}

/// Round the wing of the roundhouse, in and out of its rooms, until the time is over.
fn way(metres: f64, turn: usize) -> Vec<Vec3> {
    const ROUND: [[f64; 2]; 24] = [
        [28.8, -5.5],
        [32.5, -5.6],
        [32.5, -7.8],
        [30.2, -8.4],
        [30.0, -11.5],
        [34.8, -11.3],
        [35.4, -8.2],
        [32.5, -7.7],
        [32.5, -5.5],
        [37.0, -5.4],
        [41.2, -5.6],
        [41.2, -7.7],
        [39.1, -8.6],
        [38.8, -12.3],
        [41.7, -12.2],
        [44.6, -11.4],
        [44.8, -8.2],
        [41.2, -7.6],
        [41.2, -5.4],
        [33.2, -5.4],
        [33.2, -3.1],
        [31.0, 0.5],
        [34.7, 0.4],
        [33.2, -3.1],
    ];
    let mut out: Vec<Vec3> = Vec::new();
    let mut sum = 0.0;
    for k in turn.. {
        let [x, y] = ROUND[k % ROUND.len()];
        let at = Vec3::new(x, y, 1.4);
        sum += out.last().map_or(0.0, |l| (at - l).norm());
        out.push(at);
        if sum > metres {
            break;
        }
    }
    out
}

struct Kept {
    path: Trajectory,
    pieces: Vec<Piece>,
    file: tempfile::NamedTempFile,
    points: usize,
}

fn take(points: f64, seconds: f64, turn: usize, unit: &Unit) -> Kept {
    let walker = Walker { rays: points / seconds * 1.02, ..Walker::hand_held() };
    let house = roundhouse();
    let w = walk(&house.scene, &walker, &way(walker.speed * seconds, turn), 0, 40 + turn as u64);
    let sample = |(t, p): &(f64, Pose)| Sample { time: *t, place: p.translation, turn: Some(p.rotation) };
    let path = Trajectory::new(w.path.iter().map(sample).collect()).unwrap();
    let all: Vec<TimedPoint> = w.points.iter().map(|p| TimedPoint { time: p.time, at: p.at }).collect();
    drop(w);
    // as the store holds it
    let file = tempfile::NamedTempFile::new().unwrap();
    let mut out = BufWriter::new(file.reopen().unwrap());
    for p in &all {
        out.write_all(&p.time.to_le_bytes()).unwrap();
        p.at.iter().for_each(|v| out.write_all(&v.to_le_bytes()).unwrap());
    }
    out.flush().unwrap();
    held();
    let began = Instant::now();
    let pieces = pieces(&path, &all, unit.max_range);
    println!(
        "    {:.1} million points, {:.0} m: {} pieces in {:.1} s, {:.2} GiB",
        all.len() as f64 / 1e6,
        path.walked(f64::MAX),
        pieces.len(),
        began.elapsed().as_secs_f64(),
        held()
    );
    Kept { path, pieces, file, points: all.len() }
}

fn full_size(points: f64, minutes: f64) {
    let unit = units().swap_remove(0);
    println!(
        "three passes with {:.0} million points and {minutes} min each, a quarter of that first, then a half",
        points / 1e6
    );
    for part in [0.25, 0.5, 1.0] {
        println!("  {:.1} min:", minutes * part);
        let kept: Vec<Kept> = (0..3).map(|k| take(points * part, minutes * part * 60.0, 8 * k, &unit)).collect();
        let given: Vec<PassIn<'_>> = kept
            .iter()
            .map(|k| PassIn { path: &k.path, pieces: &k.pieces, unit: &unit, start: None, marks: &[] })
            .collect();
        held();
        let began = Instant::now();
        let out = register(&[], &given, &|_| true).unwrap().unwrap();
        println!(
            "    tied and corrected in {:.1} s by {} ties, {:.2} GiB; {} of 3 found their place",
            began.elapsed().as_secs_f64(),
            out.ties.len(),
            held(),
            out.passes.iter().filter(|p| p.is_ok()).count()
        );
        // the cloud follows by time, a pass at a time
        let began = Instant::now();
        let mut merged = BufWriter::new(tempfile::tempfile().unwrap());
        let mut count = 0;
        for (k, p) in kept.iter().zip(&out.passes) {
            let Ok(p) = p else { continue };
            let mut file = BufReader::with_capacity(1 << 20, File::open(k.file.path()).unwrap());
            let mut raw = [0_u8; 20];
            for _ in 0..k.points {
                file.read_exact(&mut raw).unwrap();
                let time = f64::from_le_bytes(raw[..8].try_into().unwrap());
                let of = |i: usize| f64::from(f32::from_le_bytes(raw[8 + 4 * i..12 + 4 * i].try_into().unwrap()));
                let at = p.correction.apply(time, &Vec3::new(of(0), of(1), of(2)));
                at.iter().for_each(|v| merged.write_all(&v.to_le_bytes()).unwrap());
                count += 1;
            }
        }
        println!(
            "    {:.0} million points moved and written as one cloud in {:.1} s, {:.2} GiB",
            f64::from(count) / 1e6,
            began.elapsed().as_secs_f64(),
            held()
        );
    }
}
