//! What is written is read back the same, and what is damaged is refused without a panic.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use proptest::prelude::*;
use std::sync::OnceLock;
use vistazo_core::geometry::{Pose, Vec3};
use vistazo_core::scan::Scan;
use vistazo_formats::{E57Writer, LazWriter, SourceScan, canonical, control, plan, read_source};
use vistazo_sim::{scan, small_job};

fn sample() -> &'static Scan {
    static SCAN: OnceLock<Scan> = OnceLock::new();
    SCAN.get_or_init(|| {
        let mut job = small_job(3);
        job.instrument.step = 0.02;
        scan(&job.scene, &job.instrument, &job.truth.poses[0], 0, 1, &|_| true).unwrap().into_scan().unwrap()
    })
}

fn sources(bytes: &[u8], scanner: Vec3) -> Result<Vec<SourceScan>, String> {
    let file = tempfile::NamedTempFile::new().unwrap();
    std::fs::write(file.path(), bytes).unwrap();
    let mut all = Vec::new();
    read_source(file.path(), scanner, &mut |s| {
        all.push(s);
        Ok(())
    })
    .map_err(|e| e.to_string())?;
    Ok(all)
}

fn e57_bytes(pose: &Pose) -> Vec<u8> {
    let file = tempfile::NamedTempFile::new().unwrap();
    let mut w = E57Writer::create(file.path(), "g").unwrap();
    w.add("first", "a", sample(), Some(pose), true).unwrap();
    w.add("second", "b", sample(), None, false).unwrap();
    w.finish().unwrap();
    std::fs::read(file.path()).unwrap()
}

#[test]
fn e57_keeps_points_grid_names_and_poses() {
    let pose = Pose::levelled(2.9, Vec3::new(3_412_345.678_9, 5_604_321.123_4, 87.5));
    let all = sources(&e57_bytes(&pose), Vec3::zeros()).unwrap();
    assert_eq!(all.iter().map(|s| s.name.clone().unwrap()).collect::<Vec<_>>(), ["first", "second"]);
    assert!(all[0].gridded && !all[1].gridded && all[1].pose.is_none());
    assert!(pose.difference(&all[0].pose.unwrap()).norm() < 1e-7);
    let s = sample();
    assert_eq!(all[0].scan.points.len(), s.points.len());
    assert!((all[0].scan.row_step - s.row_step).abs() < 1e-4 && (all[0].scan.col_step - s.col_step).abs() < 1e-4);
    for (a, b) in all[0].scan.points.iter().zip(&s.points) {
        assert!(a.iter().zip(b).all(|(x, y)| (x - y).abs() < 1e-4));
    }
}

#[test]
fn laz_keeps_large_coordinates_to_a_tenth_of_a_millimetre() {
    let pose = Pose::levelled(1.1, Vec3::new(3_412_345.6, 5_604_321.1, 87.5));
    let file = tempfile::NamedTempFile::new().unwrap();
    let mut w = LazWriter::create(
        file.path(),
        pose.translation.map(f64::round),
        Some(&vistazo_formats::crs::lookup(25832).unwrap().wkt),
    )
    .unwrap();
    for k in 0..sample().points.len() {
        w.add(&pose.apply(&sample().at(k)), sample().intensity[k], 1).unwrap();
    }
    w.finish().unwrap();
    let mut reader = las::Reader::from_path(file.path()).unwrap();
    let data = reader.read_all().unwrap();
    assert_eq!(data.len(), sample().points.len());
    for (k, ((x, y), z)) in data.x().zip(data.y()).zip(data.z()).enumerate() {
        assert!((Vec3::new(x, y, z) - pose.apply(&sample().at(k))).amax() < 6e-5);
    }
    // and it comes in again about its scanner
    let back = sources(&std::fs::read(file.path()).unwrap(), pose.translation).unwrap();
    assert_eq!(back[0].scan.points.len(), sample().points.len());
}

#[test]
fn text_with_odd_lines_is_read() {
    let mut text = "x y z i\n# made up\n\n".to_owned();
    for k in 0..sample().points.len() {
        let p = sample().at(k);
        text += &format!("{:.4},{:.4};{:.4}\t{:.0}\n", p.x, p.y, p.z, sample().intensity[k] * 200.0);
    }
    text += "nan 1 1 1\n";
    let all = sources(text.as_bytes(), Vec3::zeros()).unwrap();
    assert_eq!((all[0].scan.points.len(), all[0].skipped), (sample().points.len(), 1));
}

#[test]
fn plans_are_read_and_bad_ones_named() {
    let good = r#"{"type":"FeatureCollection","features":[
        {"type":"Feature","properties":{"name":"North","base":1,"height":2.5},"geometry":{"type":"LineString","coordinates":[[0,0],[5,0],[5,4]]}},
        {"type":"Feature","properties":null,"geometry":{"type":"Polygon","coordinates":[[[1,1],[2,1],[2,2],[1,1]]]}}]}"#;
    let shapes = plan::read_geojson(good).unwrap();
    assert_eq!((shapes[0].closed, shapes[0].base, shapes[0].top, shapes[0].line.len()), (false, 1.0, 3.5, 3));
    assert_eq!((shapes[1].closed, shapes[1].top, shapes[1].line.len()), (true, 3.0, 3));
    let refused = |text: &str| plan::read_geojson(text).unwrap_err().to_string();
    assert!(refused("{").contains("not GeoJSON"));
    assert!(refused(&good.replace("2.5", "-1")).contains("feature 1: top 0 m is not above base 1 m"));
    assert!(refused(r#"{"type":"FeatureCollection","features":[]}"#).contains("no lines or polygons"));
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]

    #[test]
    fn a_damaged_e57_is_refused_or_read_but_never_panics(at in 0.0..1.0_f64, value in any::<u8>(), cut in 0.3..1.0_f64) {
        let mut bytes = e57_bytes(&Pose::identity());
        let n = bytes.len();
        bytes[(at * (n - 1) as f64) as usize] ^= value;
        bytes.truncate((cut * n as f64) as usize);
        let _ = sources(&bytes, Vec3::zeros());
    }

    #[test]
    fn a_damaged_canonical_scan_is_refused(cut in 0_usize..5000, at in 0_usize..32, value in 1_u8..255) {
        let good = canonical::write(sample());
        prop_assert_eq!(canonical::read(&good).unwrap().grid, sample().grid.clone());
        prop_assert!(canonical::read(&good[..good.len() - 1 - cut]).is_err());
        let mut bad = good;
        bad[at] ^= value;
        let _ = canonical::read(&bad);
    }

    #[test]
    fn control_text_never_panics(text in "[a-zA-Z0-9.,;\t \n#-]{0,200}") {
        let _ = control::read(&text, None);
    }

    #[test]
    fn control_comes_back_as_it_was_written(points in prop::collection::vec((-1e6..1e6_f64, 4e6..6e6_f64, -100.0..3000.0_f64), 1..20)) {
        let text = points.iter().enumerate().fold("name;N;E;H\n".to_owned(), |t, (i, p)| t + &format!("P{i};{:.4};{:.4};{:.4}\n", p.1, p.0, p.2));
        let file = control::read(&text, None).unwrap();
        for (a, b) in file.points.iter().zip(&points) {
            prop_assert!((a.position - Vec3::new(b.0, b.1, b.2)).amax() < 6e-5);
        }
    }
}
