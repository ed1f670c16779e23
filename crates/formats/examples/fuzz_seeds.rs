//! Writes small good files for fuzzing to begin from: `cargo run -p vistazo-formats --example fuzz_seeds fuzz/corpus`.
#![allow(clippy::unwrap_used, clippy::expect_used)]

use std::path::Path;
use vistazo_core::cloud::{Order, working};
use vistazo_core::geometry::{Pose, Vec3};
use vistazo_formats::{E57Writer, LazWriter, canonical, working_cloud};

fn main() {
    let root = std::env::args().nth(1).expect("expected a folder");
    let root = Path::new(&root);
    for folder in ["source", "stored", "text"] {
        std::fs::create_dir_all(root.join(folder)).unwrap();
    }
    let mut job = vistazo_sim::small_job(3);
    job.instrument.step = 0.09;
    let scan = vistazo_sim::scan(
        &job.scene,
        &vistazo_sim::Scanner::perfect(&job.instrument),
        &job.truth.poses[0],
        0,
        1,
        &|_| true,
    )
    .unwrap()
    .into_scan()
    .unwrap();
    let at = |name: &str| root.join(name);
    let mut e57 = E57Writer::create(&at("source/gridded.e57"), "g").unwrap();
    e57.add("one", "a", &scan, Some(&Pose::levelled(0.3, Vec3::new(1.0, 2.0, 3.0))), true, &|_| true).unwrap();
    e57.add("two", "b", &scan, None, false, &|k| k % 3 == 0).unwrap();
    e57.finish().unwrap();
    let mut laz = LazWriter::create(&at("source/small.laz"), Vec3::zeros(), None, true).unwrap();
    let mut header = las::Builder::from((1, 2));
    header.point_format = las::point::Format::new(1).unwrap();
    let mut las = las::Writer::from_path(at("source/small.las"), header.into_header().unwrap()).unwrap();
    let (mut ply, mut xyz) = (Vec::new(), String::from("x y z i\n"));
    ply.extend_from_slice(
        format!("ply\nformat binary_little_endian 1.0\nelement vertex {}\nproperty float x\nproperty float y\nproperty float z\nproperty uchar red\nproperty uchar green\nproperty uchar blue\nend_header\n", scan.points.len()).as_bytes(),
    );
    for (k, p) in scan.points.iter().enumerate() {
        let q = scan.at(k);
        laz.add(&q, scan.intensity[k], Some([1, 2, 3]), 1, 2).unwrap();
        las.write_point(las::Point { x: q.x, y: q.y, z: q.z, gps_time: Some(0.0), ..Default::default() }).unwrap();
        p.iter().for_each(|v| ply.extend_from_slice(&v.to_le_bytes()));
        ply.extend_from_slice(&[1, 2, 3]);
        xyz += &format!("{:.3} {:.3} {:.3} {:.2}\n", q.x, q.y, q.z, scan.level(k));
    }
    laz.finish().unwrap();
    las.close().unwrap();
    std::fs::write(at("source/small.ply"), ply).unwrap();
    std::fs::write(at("source/small.xyz"), xyz).unwrap();
    let mut stored = Vec::new();
    canonical::write(&scan, &mut stored).unwrap();
    std::fs::write(at("stored/scan"), stored).unwrap();
    std::fs::write(at("stored/cloud"), working_cloud::write(&working(&scan, &Order::of(&scan)).0)).unwrap();
    std::fs::write(at("stored/name"), "12-34.glb").unwrap();
    std::fs::write(
        at("text/control"),
        "Name;Easting;Northing;Height\nCP1;412000.1;5604000.2;88.5\nCP2;412010,5604020,89\n",
    )
    .unwrap();
    std::fs::write(at("text/plan"), r#"{"type":"FeatureCollection","features":[{"type":"Feature","properties":{"base":0,"height":3},"geometry":{"type":"LineString","coordinates":[[0,0],[5,0]]}}]}"#).unwrap();
    std::fs::write(at("text/cloud"), "12\n1 2 3 -5 7 8 9\n").unwrap();
}
