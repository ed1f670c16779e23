//! What is written is read back the same, and what is damaged is refused without a panic.

use proptest::prelude::*;
use std::sync::OnceLock;
use vistazo_core::geometry::{Pose, Vec3};
use vistazo_core::scan::Scan;
use vistazo_formats::{
    Columns, E57Writer, LazWriter, ReadOptions, SourceScan, UpAxis, canonical, control, plan, read_images, read_source,
    working_cloud, xyz_preview,
};
use vistazo_sim::{Scanner, scan, small_job};

fn sample() -> &'static Scan {
    static SCAN: OnceLock<Scan> = OnceLock::new();
    SCAN.get_or_init(|| {
        let mut job = small_job(3);
        job.instrument.step = 0.02;
        scan(&job.scene, &Scanner::perfect(&job.instrument), &job.truth.poses[0], 0, 1, &|_| true)
            .unwrap()
            .into_scan()
            .unwrap()
    })
}

fn sources(bytes: &[u8], scanner: Vec3) -> Result<Vec<SourceScan>, String> {
    read_with(bytes, &ReadOptions { scanner, ..ReadOptions::default() })
}

fn read_with(bytes: &[u8], options: &ReadOptions) -> Result<Vec<SourceScan>, String> {
    let file = tempfile::NamedTempFile::new().unwrap();
    std::fs::write(file.path(), bytes).unwrap();
    let mut all = Vec::new();
    read_source(file.path(), options, &|_| true, &mut |s| {
        all.push(s);
        Ok(())
    })
    .map_err(|e| e.to_string())?;
    Ok(all)
}

fn e57_bytes(pose: &Pose) -> Vec<u8> {
    let file = tempfile::NamedTempFile::new().unwrap();
    let mut w = E57Writer::create(file.path(), "g").unwrap();
    w.add("first", "a", sample(), Some(pose), true, &|_| true).unwrap();
    w.add("second", "b", sample(), None, false, &|_| true).unwrap();
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
        true,
    )
    .unwrap();
    for k in 0..sample().points.len() {
        w.add(&pose.apply(&sample().at(k)), sample().intensity[k], Some([k as u8, 7, 200]), 1, 7).unwrap();
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
    assert_eq!(back[0].scan.intensity, sample().intensity);
    assert!(back[0].scan.colour.iter().enumerate().all(|(k, c)| *c == [k as u8, 7, 200]));
}

#[test]
fn text_with_odd_lines_is_read() {
    let mut text = "x y z i\n# made up\n\n".to_owned();
    for k in 0..sample().points.len() {
        let p = sample().at(k);
        text += &format!("{:.4},{:.4};{:.4}\t{:.0}\n", p.x, p.y, p.z, sample().level(k) * 200.0);
    }
    text += "nan 1 1 1\n";
    let all = sources(text.as_bytes(), Vec3::zeros()).unwrap();
    assert_eq!((all[0].scan.points.len(), all[0].skipped), (sample().points.len(), 1));
}

/// The sample as PLY: ascii, or binary of either order, with colours and 8-bit intensities.
fn ply(format: &str) -> Vec<u8> {
    let s = sample();
    let mut out = format!(
        "ply\nformat {format} 1.0\ncomment made up\nelement vertex {}\nproperty float x\nproperty float y\nproperty float z\nproperty uchar intensity\nproperty uchar red\nproperty uchar green\nproperty uchar blue\nelement face 0\nproperty list uchar int vertex_indices\nend_header\n",
        s.points.len()
    )
    .into_bytes();
    for (k, p) in s.points.iter().enumerate() {
        // lying on its side: y up
        let p = [p[0], p[2], -p[1]];
        let shade = (s.level(k) * 255.0) as u8;
        if format == "ascii" {
            out.extend_from_slice(format!("{:?} {:?} {:?} {shade} 1 2 3\n", p[0], p[1], p[2]).as_bytes());
            continue;
        }
        for v in p {
            out.extend_from_slice(&if format.contains("little") { v.to_le_bytes() } else { v.to_be_bytes() });
        }
        out.extend_from_slice(&[shade, 1, 2, 3]);
    }
    out
}

#[test]
fn ply_of_every_kind_comes_in_upright() {
    let options = ReadOptions { up: UpAxis::Y, ..ReadOptions::default() };
    for format in ["ascii", "binary_little_endian", "binary_big_endian"] {
        let all = read_with(&ply(format), &options).unwrap();
        assert_eq!(all[0].scan.points, sample().points, "{format}");
        assert!(all[0].scan.colour.iter().all(|c| *c == [1, 2, 3]));
        assert!((all[0].scan.level(5) - sample().level(5)).abs() < 1.0 / 250.0);
    }
    let refused = |text: &str| sources(text.as_bytes(), Vec3::zeros()).unwrap_err();
    assert!(refused("ply\nformat ascii 1.0\nelement vertex 99999999999\nend_header\n").contains("at most"));
    assert!(
        refused("ply\nformat ascii 1.0\nelement vertex 200\nproperty float x\nend_header\n")
            .contains("no property “y”")
    );
    let cut = &ply("binary_little_endian")[..4000];
    assert!(sources(cut, Vec3::zeros()).unwrap_err().contains("are announced"));
}

#[test]
fn text_columns_are_guessed_or_told() {
    let guess = |t: &str| xyz_preview(t).unwrap().columns;
    assert_eq!(guess("12\n1 2 3 -5 7 8 9\n").rgb, Some(4));
    assert_eq!(guess("1 2 3 10 20 30\n").rgb, Some(3));
    assert_eq!(guess("id;N;E;H\n1;5;6;7\n").xyz, [2, 1, 3]);
    assert!(xyz_preview("1 2\n").unwrap_err().to_string().contains("line 1, column 3"));
    let text = (0..sample().points.len()).fold(String::new(), |t, k| {
        let p = sample().at(k) / 0.3048;
        t + &format!("{k} {:.5} {:.5} {:.5}\n", p.y, p.x, p.z)
    });
    let columns = Some(Columns { xyz: [2, 1, 3], intensity: None, rgb: None });
    let options = ReadOptions { unit: 0.3048, columns, ..ReadOptions::default() };
    let scan = &read_with(text.as_bytes(), &options).unwrap()[0].scan;
    assert!((0..scan.points.len()).all(|k| (scan.at(k) - sample().at(k)).amax() < 1e-5));
}

/// A COPC file written by an independent library: 4096 points on a cylinder of 8 m, red.
#[test]
fn copc_comes_in_as_what_it_is() {
    let all = sources(include_bytes!("data/small.copc.laz"), Vec3::zeros()).unwrap();
    let scan = &all[0].scan;
    assert_eq!((scan.points.len(), all[0].skipped), (4096, 0));
    assert!((0..4096).all(|k| (scan.at(k).xy().norm() - 8.0).abs() < 2e-3));
    assert!(scan.colour.iter().all(|c| *c == [255, 0, 16]) && scan.level(7) > 0.0);
}

#[test]
fn pictures_of_an_e57_are_kept() {
    let file = tempfile::NamedTempFile::new().unwrap();
    let mut w = e57::E57Writer::from_file(file.path(), "f").unwrap();
    let xyz = |name| e57::Record { name, data_type: e57::RecordDataType::Double { min: None, max: None } };
    let prototype = [e57::RecordName::CartesianX, e57::RecordName::CartesianY, e57::RecordName::CartesianZ].map(xyz);
    let mut cloud = w.add_pointcloud("cloud", prototype.to_vec()).unwrap();
    for p in &sample().points {
        cloud.add_point(p.iter().map(|v| e57::RecordValue::Double(f64::from(*v))).collect()).unwrap();
    }
    cloud.finalize().unwrap();
    let mut image = w.add_image("picture").unwrap();
    image.set_pointcloud_guid("cloud");
    let properties = e57::SphericalImageProperties { width: 8, height: 4, pixel_width: 0.1, pixel_height: 0.1 };
    image.add_spherical(e57::ImageFormat::Png, &mut &b"made-up picture"[..], properties, None).unwrap();
    image.finalize().unwrap();
    w.finalize().unwrap();
    assert_eq!(sources(&std::fs::read(file.path()).unwrap(), Vec3::zeros()).unwrap()[0].images, 1);
    let pictures = read_images(file.path(), 0).unwrap();
    let out = tempfile::NamedTempFile::new().unwrap();
    let mut again = E57Writer::create(out.path(), "g").unwrap();
    again.add("s", "new", sample(), None, false, &|k| k % 2 == 0).unwrap();
    again.add_image(&pictures[0], "p", "new").unwrap();
    again.finish().unwrap();
    let back = read_images(out.path(), 0).unwrap();
    assert_eq!(back[0].bytes, b"made-up picture");
    assert!(matches!(&back[0].image.projection, Some(e57::Projection::Spherical(s)) if s.properties.width == 8));
    let half = sources(&std::fs::read(out.path()).unwrap(), Vec3::zeros()).unwrap();
    assert_eq!(half[0].scan.points.len(), sample().points.len().div_ceil(2));
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
        let mut coloured = sample().clone();
        coloured.colour = (0..coloured.points.len()).map(|k| [k as u8, 1, 2]).collect();
        let mut good = Vec::new();
        canonical::write(&coloured, &mut good).unwrap();
        let read = |b: &[u8]| canonical::read(&mut &b[..], b.len() as u64);
        prop_assert_eq!(good.len() as u64, canonical::length(&coloured));
        let back = read(&good).unwrap();
        prop_assert_eq!((&back.grid, &back.points, &back.intensity), (&coloured.grid, &coloured.points, &coloured.intensity));
        prop_assert_eq!((back.colour, back.col_step), (coloured.colour, coloured.col_step));
        prop_assert!(read(&good[..good.len() - 1 - cut]).is_err());
        let mut bad = good;
        bad[at] ^= value;
        let _ = read(&bad);
    }

    #[test]
    fn a_damaged_ply_or_working_cloud_is_refused_or_read_but_never_panics(at in 0.0..1.0_f64, value in any::<u8>(), cut in 0.0..1.0_f64) {
        let mut bytes = ply("binary_big_endian");
        let n = bytes.len();
        bytes[(at * 400.0) as usize] ^= value;
        bytes.truncate((cut * n as f64) as usize);
        let _ = sources(&bytes, Vec3::zeros());
        let order = vistazo_core::cloud::Order::of(sample());
        let good = working_cloud::write(&vistazo_core::cloud::working(sample(), &order).0);
        prop_assert!(working_cloud::read(&good).is_ok());
        prop_assert!(working_cloud::read(&good[..(cut * (good.len() - 1) as f64) as usize]).is_err());
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
            let at = Vec3::from(a.position.map(|v| v.unwrap()));
            prop_assert!((at - Vec3::new(b.0, b.1, b.2)).amax() < 6e-5);
        }
    }
}
