//! Writing clouds: seconds and bytes a million points, format by format, of rooms as the simulator scans them; LAZ beside the
//! writer of the crate `las` in the same run. Millions of points: `VISTAZO_BENCH_WRITE` (8).

use std::time::Instant;
use vistazo_core::geometry::{Pose, Vec3};
use vistazo_core::instrument::Instrument;
use vistazo_formats::{CloudFormat, CloudLayout, CloudPoint, E57Writer};
use vistazo_sim::{Scanner, scan, small_job};

pub(crate) fn main() {
    let wanted = std::env::var("VISTAZO_BENCH_WRITE").ok().and_then(|v| v.parse().ok()).unwrap_or(8.0) * 1e6;
    let job = small_job(3);
    let instrument = Instrument { step: 0.0016, ..job.instrument.clone() };
    let mut scans = Vec::new();
    let mut count = 0;
    while (count as f64) < wanted {
        let k = scans.len();
        let raw =
            scan(&job.scene, &Scanner::drawn(&instrument, 5), &job.truth.poses[k % 4], k, 900 + k as u64, &|_| true);
        let s = raw.unwrap().into_scan().unwrap();
        count += s.points.len();
        // as twenty rooms of a house stand side by side
        let aside = Vec3::new((k / 4 % 5) as f64 * 14.0, (k / 20) as f64 * 11.0, 0.0);
        let pose = job.truth.poses[k % 4];
        scans.push((s, Pose { translation: pose.translation + aside, ..pose }));
    }
    let offset = Vec3::new(412_000.0, 5_604_000.0, 112.0);
    let layout = CloudLayout { coloured: true, errors: true, ..CloudLayout::plain(offset) };
    let points = || {
        scans.iter().enumerate().flat_map(move |(n, (s, pose))| {
            (0..s.points.len()).map(move |k| {
                let p = pose.apply(&s.at(k));
                let shade = |f: f64| ((p.x * f).sin() * 60.0 + 120.0) as u8;
                CloudPoint {
                    at: p + offset,
                    intensity: s.intensity[k],
                    colour: [shade(0.7), shade(0.9), shade(1.3)],
                    scan: n as u16 + 1,
                    class: 1,
                    error95: [0.002 + 1e-4 * s.at(k).norm(), 0.002],
                }
            })
        })
    };
    let millions = count as f64 / 1e6;
    println!("{} scans, {millions:.1} million points, with colours and 95 %", scans.len());
    let folder = tempfile::tempdir().unwrap();
    let say = |name: &str, begin: Instant, bytes: u64| {
        let s = begin.elapsed().as_secs_f64();
        println!("  {name:<22} {:5.2} s, {:5.1} MB a million points", s / millions, bytes as f64 / 1e6 / millions);
    };
    let begin = Instant::now();
    let sum: f64 = points().map(|p| p.at.x).sum();
    println!("  ({:.2} s a million to make them; {})", begin.elapsed().as_secs_f64() / millions, sum > 0.0);
    use CloudFormat::{Copc, Laz, Ply, Tiles, Xyz};
    for format in [Laz, Copc, Ply, Xyz, Tiles] {
        let begin = Instant::now();
        let mut file = format.create(folder.path(), "rooms", &layout, folder.path()).unwrap();
        points().for_each(|p| file.put(&p).unwrap());
        file.end().unwrap();
        say(&format!("{format:?}"), begin, size(&folder.path().join(format.file("rooms"))));
    }
    let begin = Instant::now();
    let path = folder.path().join("rooms.e57");
    let mut e57 = E57Writer::create(&path, "bench").unwrap();
    for (n, (s, pose)) in scans.iter().enumerate() {
        e57.add(&format!("S{n}"), &format!("guid-{n}"), s, Some(pose), true, &|_| true).unwrap();
    }
    e57.finish().unwrap();
    say("E57 (no colours, 95 %)", begin, size(&path));

    let begin = Instant::now();
    let path = folder.path().join("other.laz");
    let mut builder = las::Builder::from((1, 4));
    builder.point_format = las::point::Format::new(7).unwrap();
    builder.point_format.is_compressed = true;
    builder.point_format.extra_bytes = 4;
    let t = |offset| las::Transform { scale: 1e-4, offset };
    builder.transforms = las::Vector { x: t(offset.x), y: t(offset.y), z: t(offset.z) };
    let mut other = las::Writer::from_path(&path, builder.into_header().unwrap()).unwrap();
    for p in points() {
        let [red, green, blue] = p.colour.map(|v| u16::from(v) * 257);
        let errors = p.error95.map(|e| ((e * 1e4) as u16).to_le_bytes()).concat();
        other
            .write_point(las::Point {
                x: p.at.x,
                y: p.at.y,
                z: p.at.z,
                intensity: p.intensity,
                color: Some(las::Color { red, green, blue }),
                return_number: 1,
                number_of_returns: 1,
                point_source_id: p.scan,
                gps_time: Some(0.0),
                extra_bytes: errors,
                ..las::Point::default()
            })
            .unwrap();
    }
    other.close().unwrap();
    say("LAZ by the crate las", begin, size(&path));
}

fn size(path: &std::path::Path) -> u64 {
    if !path.is_dir() {
        return std::fs::metadata(path).unwrap().len();
    }
    std::fs::read_dir(path).unwrap().map(|e| e.unwrap().metadata().unwrap().len()).sum()
}
