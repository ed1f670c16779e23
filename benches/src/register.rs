//! Detect, match and adjust a job of eight scans of about three million points: points per second
//! and peak memory; beside the same points decoded by the plain LAZ reader in the same run. Then
//! the accuracy of sphere centres against the bound that the noise sets.
use std::time::Instant;
use vistazo_core::geometry::{Pose, Vec3};
use vistazo_core::instrument::Instrument;
use vistazo_core::registration::{Input, Observed, ScanInput, register};
use vistazo_core::scan::Scan;
use vistazo_core::targets::{Search, SizeVerdict, detect};
use vistazo_formats::LazWriter;
use vistazo_sim::{Scanner, Scene, Sphere, roundhouse, scan};

pub(crate) fn main() {
    registration();
    sphere_accuracy();
}

fn registration() {
    let house = roundhouse();
    let instrument = Instrument { step: 0.00142, ..house.instrument.clone() };
    let search = Search { sphere_radius: Some(0.1), checker_half: Some(0.2) };
    let scans: Vec<Scan> = (0..8)
        .map(|k| {
            scan(&house.scene, &Scanner::perfect(&instrument), &house.truth.poses[k], k, k as u64, &|_| true)
                .unwrap()
                .into_scan()
                .unwrap()
        })
        .collect();
    let points: usize = scans.iter().map(|s| s.points.len()).sum();
    println!("8 scans, {:.1} million points in all", points as f64 / 1e6);

    let begin = Instant::now();
    let found: Vec<ScanInput> = scans
        .iter()
        .enumerate()
        .map(|(k, s)| ScanInput {
            name: format!("S{}", k + 1),
            compensator: instrument.compensator_sigma,
            targets: detect(s, &instrument, &search)
                .iter()
                .filter(|d| d.size == SizeVerdict::Agrees)
                .enumerate()
                .map(|(id, d)| Observed { id, kind: d.kind, group: 0, centre: d.centre, covariance: d.covariance })
                .collect(),
            ..ScanInput::default()
        })
        .collect();
    let detected = begin.elapsed().as_secs_f64();
    let begin = Instant::now();
    let registration = register(&Input { scans: found, ..Input::default() });
    let solution = registration.block.unwrap().solution;
    let adjusted = begin.elapsed().as_secs_f64();
    let all = detected + adjusted;
    println!(
        "detect {detected:.2} s, match, adjust and judge {:.1} ms: {:.1} million points/s",
        adjusted * 1e3,
        points as f64 / all / 1e6
    );
    println!(
        "{} targets, strongest moved-target test {:.0}",
        solution.targets.len(),
        solution.moved().next().unwrap().0.statistic
    );

    // the same points through the public decoder, as a yardstick for one pass over them
    let file = std::env::temp_dir().join("vistazo-bench.laz");
    let mut writer = LazWriter::create(&file, Vec3::zeros(), None, false).unwrap();
    for s in &scans {
        for k in 0..s.points.len() {
            writer.add(&s.at(k), s.intensity[k], None, 1, 0).unwrap();
        }
    }
    writer.finish().unwrap();
    let begin = Instant::now();
    let mut reader = las::Reader::from_path(&file).unwrap();
    let mut sum = 0.0;
    loop {
        let data = reader.read_points(1_000_000).unwrap();
        if data.is_empty() {
            break;
        }
        sum += data.x().sum::<f64>();
    }
    let decoded = begin.elapsed().as_secs_f64();
    let _ = std::fs::remove_file(&file);
    println!(
        "decoding the same points from LAZ with the plain reader: {decoded:.2} s (checksum {sum:.0}); registration takes {:.2} times that",
        all / decoded
    );
    println!(
        "peak memory {:.2} GiB, of which the scans themselves {:.2}",
        peak_gib(),
        points as f64 * 20.0 / (1u64 << 30) as f64
    );
}

/// Centres of lone spheres: root mean square error over the bound from the noise (1 is perfect).
fn sphere_accuracy() {
    let instrument = Instrument { elevation_min: -0.15, elevation_max: 0.15, step: 0.0016, ..Instrument::mid_range() };
    println!("sphere of 200 mm, step 1.6 mrad: error of the centre against the bound");
    for range in [4.0, 8.0, 12.0, 16.0, 20.0] {
        let scene = Scene {
            ground: -3.0,
            spheres: (0..36)
                .map(|k| {
                    let (s, c) = (f64::from(k) / 36.0 * std::f64::consts::TAU).sin_cos();
                    Sphere { centre: Vec3::new(range * c, range * s, 0.0), radius: 0.1, knocked: None }
                })
                .collect(),
            ..Scene::default()
        };
        let (mut square, mut bound, mut n) = (0.0, 0.0, 0);
        for seed in 0..6 {
            let raw = scan(&scene, &Scanner::perfect(&instrument), &Pose::identity(), 0, seed, &|_| true).unwrap();
            let Ok(s) = raw.into_scan() else { continue };
            for d in detect(&s, &instrument, &Search { sphere_radius: Some(0.1), checker_half: None }) {
                let Some(truth) = scene.spheres.iter().find(|t| (t.centre - d.centre).norm() < 0.05) else { continue };
                let Some(b) = vistazo_core::targets::predicted_sphere_covariance(&truth.centre, 0.1, &instrument)
                else {
                    continue;
                };
                square += (d.centre - truth.centre).norm_squared();
                bound += b.trace();
                n += 1;
            }
        }
        println!(
            "  at {range:>4.1} m: {:.3} mm found, {:.3} mm bound, ratio {:.2} over {n} spheres",
            (square / f64::from(n)).sqrt() * 1e3,
            (bound / f64::from(n)).sqrt() * 1e3,
            (square / bound).sqrt()
        );
    }
}

fn peak_gib() -> f64 {
    let status = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let kib: f64 = status
        .lines()
        .find_map(|l| l.strip_prefix("VmHWM:"))
        .and_then(|l| l.split_whitespace().next())
        .and_then(|v| v.parse().ok())
        .unwrap_or(0.0);
    kib / (1 << 20) as f64
}
