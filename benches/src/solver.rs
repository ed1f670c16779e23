//! The adjustment of 300 stations and 1,500 targets: beside the same observations solved by scipy's sparse
//! Cholesky-like solver in the same run (`scripts/golden/solver.py`, needs numpy and scipy), in seconds and in
//! digits. The adjustment here also gives the full covariance and every test.
use rand::{Rng, SeedableRng};
use rand_distr::StandardNormal;
use std::time::Instant;
use vistazo_core::adjust::{Network, Observation, Plumb, Scaling, converge, solve};
use vistazo_core::geometry::{Mat3, Pose, Vec3};

const LEVEL: f64 = 1.5e-5;

/// Stations in a grid of 20 by 15 with five targets each, all seen by the stations about.
fn block() -> Network {
    let mut rng = rand_chacha::ChaCha8Rng::seed_from_u64(300);
    let mut net = Network { plumb: Plumb { origin: Vec3::zeros(), radius: f64::INFINITY }, ..Network::default() };
    let stations: Vec<Vec3> =
        (0..300).map(|k| Vec3::new(12.0 * f64::from(k % 20), 12.0 * f64::from(k / 20), 1.6)).collect();
    let mut targets = Vec::new();
    for s in &stations {
        for _ in 0..5 {
            let mut r = |a: f64| rng.random_range(-a..a);
            targets.push(s + Vec3::new(r(6.0), r(6.0), r(0.9)));
        }
    }
    let mut n = |sigma: f64| rng.sample::<f64, _>(StandardNormal) * sigma;
    let truth: Vec<Pose> = stations
        .iter()
        .enumerate()
        .map(|(k, s)| {
            let tilt = nalgebra::UnitQuaternion::from_scaled_axis(Vec3::new(n(LEVEL), n(LEVEL), 0.0));
            let level = Pose::levelled(0.7 * k as f64, *s);
            Pose { rotation: tilt * level.rotation, ..level }
        })
        .collect();
    for (k, p) in truth.iter().enumerate() {
        let start = Pose { translation: p.translation + Vec3::new(n(0.01), n(0.01), n(0.01)), ..*p };
        let scan = net.add_scan(&format!("S{k}"), start);
        net.observe(Observation::level(scan, LEVEL));
    }
    for t in &targets {
        let target = net.add_target("T", t + Vec3::new(n(0.01), n(0.01), n(0.01)));
        for (scan, p) in truth.iter().enumerate().filter(|(_, p)| (p.translation - t).norm() < 16.0) {
            let centre = p.inverse().apply(t) + Vec3::new(n(0.001), n(0.001), n(0.001));
            net.observe(Observation::target(scan, target, centre, Mat3::identity() * 1e-6));
        }
    }
    net
}

pub(crate) fn main() {
    let net = block();
    let centres: Vec<_> = net.observations.iter().filter_map(Observation::centre).collect();
    println!("{} scans, {} targets, {} target observations", net.scans.len(), net.targets.len(), centres.len());
    let file = std::env::temp_dir().join("vistazo-solver.json");
    let scans: Vec<_> = net
        .scans
        .iter()
        .map(|s| {
            let q = s.pose.rotation;
            serde_json::json!({ "rotation": [q.w, q.i, q.j, q.k], "translation": s.pose.translation.as_slice() })
        })
        .collect();
    let observations: Vec<_> = centres
        .iter()
        .map(|c| {
            serde_json::json!({
                "scan": c.scan, "target": c.target, "centre": c.centre.as_slice(), "covariance": c.covariance.as_slice(),
            })
        })
        .collect();
    let targets: Vec<_> = net.targets.iter().map(|t| t.position.as_slice().to_vec()).collect();
    let text = serde_json::json!({ "scans": scans, "targets": targets, "observations": observations, "level": LEVEL });
    std::fs::write(&file, text.to_string()).unwrap();

    let begin = Instant::now();
    let s = solve(net.clone(), Scaling::Estimated).unwrap();
    let whole = begin.elapsed().as_secs_f64();
    let begin = Instant::now();
    let iterations = converge(&mut net.clone()).unwrap();
    let alone = begin.elapsed().as_secs_f64();
    println!(
        "positions in {alone:.2} s ({iterations} iterations); with covariance of all unknowns and every test {whole:.2} s; sum of squares {:.6} with {} degrees of freedom",
        s.sum, s.dof
    );
    let script = concat!(env!("CARGO_MANIFEST_DIR"), "/../scripts/golden/solver.py");
    let Ok(out) = std::process::Command::new("python3").arg(script).arg(&file).output() else {
        println!("no python3: not compared");
        return;
    };
    let Ok(other) = serde_json::from_slice::<serde_json::Value>(&out.stdout) else {
        println!("not compared: {}", String::from_utf8_lossy(&out.stderr).lines().last().unwrap_or(""));
        return;
    };
    // compared by distances, which do not depend on the frame
    let places: Vec<Vec3> =
        other["targets"].as_array().unwrap().iter().map(|p| Vec3::from_fn(|k, _| p[k].as_f64().unwrap())).collect();
    let mut worst = 0.0_f64;
    for a in (0..places.len()).step_by(7) {
        for b in (0..places.len()).step_by(11) {
            worst = worst.max(((places[a] - places[b]).norm() - (s.targets[a] - s.targets[b]).norm()).abs());
        }
    }
    println!(
        "scipy: {:.2} s for the positions alone ({} iterations), sum of squares {:.6}; distances differ by at most {:.1e} m",
        other["seconds"].as_f64().unwrap(),
        other["iterations"],
        other["sum"].as_f64().unwrap(),
        worst
    );
}
