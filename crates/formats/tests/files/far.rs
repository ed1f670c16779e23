//! Files whose coordinates are not about a scanner: projects on a grid, merged clouds, other units.

use std::path::Path;
use vistazo_formats::{FormatError, ReadOptions, SourceScan, read_source};

fn read(path: &Path, options: &ReadOptions) -> Result<SourceScan, FormatError> {
    let mut all = Vec::new();
    read_source(path, options, &|_| true, &mut |s| {
        all.push(s);
        Ok(())
    })?;
    Ok(all.pop().unwrap())
}

/// A wall, a floor and a post, as anybody may have drawn them.
fn things(k: usize) -> [f64; 3] {
    let (a, b) = ((k % 60) as f64 * 0.1, (k / 60 % 40) as f64 * 0.1);
    match k % 3 {
        0 => [a, 4.0, b * 0.7],
        1 => [a, b, 0.0],
        _ => [3.0 + 0.1 * (a * 3.0).cos(), 2.0 + 0.1 * (a * 3.0).sin(), b],
    }
}

const WKT: &str = "COMPD_CS[\"t\",PROJCS[\"Somewhere (ftUS)\",GEOGCS[\"g\",DATUM[\"d\",SPHEROID[\"s\",6378137,298.25]],\
PRIMEM[\"m\",0],UNIT[\"degree\",0.0174532925199433]],PROJECTION[\"Transverse_Mercator\"],\
PARAMETER[\"scale_factor\",0.9999],UNIT[\"US survey foot\",0.3048006096012192]],VERT_CS[\"h\",VERT_DATUM[\"v\",2005],\
UNIT[\"metre\",1]]]";

#[test]
fn a_project_in_survey_feet_comes_in_where_it_lies() {
    let file = tempfile::Builder::new().suffix(".las").tempfile().unwrap();
    let mut builder = las::Builder::from((1, 4));
    builder.point_format = las::point::Format::new(6).unwrap();
    let axis = |offset: f64| las::Transform { scale: 1e-4, offset };
    builder.transforms = las::Vector { x: axis(1_650_000.0), y: axis(480_000.0), z: axis(0.0) };
    let mut header = builder.into_header().unwrap();
    header.set_wkt_crs(WKT.as_bytes().to_vec()).unwrap();
    let mut writer = las::Writer::from_path(file.path(), header).unwrap();
    let foot = 1200.0 / 3937.0;
    let place = |k: usize| {
        let [x, y, z] = things(k);
        [1_650_123.4 + x / foot, 480_567.8 + y / foot, 312.25 + z]
    };
    for k in 0..7200 {
        let [x, y, z] = place(k);
        let point = las::Point { x, y, z, gps_time: Some(0.0), ..las::Point::default() };
        writer.write_point(point).unwrap();
    }
    writer.close().unwrap();
    let got = read(file.path(), &ReadOptions::default()).unwrap();
    assert!(!got.scan.has_scanner() && !got.gridded);
    assert_eq!(got.reference.as_deref(), Some("Somewhere (ftUS), in US survey foot, heights in metre"));
    let middle = got.pose.unwrap().translation;
    assert_eq!((got.scan.points.len(), got.skipped), (7200, 0));
    for k in (0..7200).step_by(61) {
        let [x, y, z] = place(k);
        let truth = nalgebra::Vector3::new(x * foot, y * foot, z);
        // half a step of the file, and what single precision leaves over ten metres
        assert!((got.scan.at(k) + middle - truth).amax() < 0.000_02, "{k}: {:?}", got.scan.at(k) + middle - truth);
    }
}

#[test]
fn text_on_a_grid_of_seven_digits_keeps_its_millimetres() {
    let file = tempfile::NamedTempFile::new().unwrap();
    let line = |k: usize| {
        let [x, y, z] = things(k);
        format!("{:.4} {:.4} {:.4}", 612_345.6 + x, 5_412_345.6 + y, 88.1 + z)
    };
    // a line of zeros is how programs say that nothing came back
    let mut text: Vec<String> = (0..5000).map(line).collect();
    text.push("0 0 0".into());
    std::fs::write(file.path(), text.join("\n")).unwrap();
    let got = read(file.path(), &ReadOptions::default()).unwrap();
    assert_eq!((got.scan.points.len(), got.skipped, got.scan.has_scanner()), (5000, 1, false));
    let middle = got.pose.unwrap().translation;
    let first = got.scan.at(0) + middle;
    assert!((first - nalgebra::Vector3::new(612_345.6, 5_412_349.6, 88.1)).amax() < 1e-4, "{first}");
}

/// Points of a room with columns seen from one or from two places; about the first.
fn room(stations: usize) -> Vec<[f64; 3]> {
    let mut out = Vec::new();
    for s in 0..stations {
        let from = [3.0 * s as f64, 1.5 * s as f64];
        for k in 0..40_000 {
            let (az, el) = ((k % 400) as f64 * 0.0157 + 0.001, (k / 400) as f64 * 0.012 - 0.55);
            let d = [az.cos() * el.cos(), az.sin() * el.cos(), el.sin()];
            // walls 6 m about the first place, floor 1.6 m below, columns of 30 cm
            let wall = |k: usize| if d[k] > 0.0 { (6.0 - from[k]) / d[k] } else { (-6.0 - from[k]) / d[k] };
            let floor = if d[2] < 0.0 { 1.6 / -d[2] } else { f64::MAX };
            let column = |(cx, cy): (f64, f64)| {
                let (mx, my) = (from[0] - cx, from[1] - cy);
                let (a, b) = (d[0] * d[0] + d[1] * d[1], mx * d[0] + my * d[1]);
                let disc = b * b - a * (mx * mx + my * my - 0.09);
                if disc > 0.0 && -b - disc.sqrt() > 0.0 { (-b - disc.sqrt()) / a } else { f64::MAX }
            };
            let columns = [(2.0, -2.0), (-2.0, 1.0), (1.0, 3.0), (4.5, -3.0)].map(column);
            let r = columns.into_iter().fold(wall(0).min(wall(1)).min(floor), f64::min);
            out.push([from[0] + r * d[0], from[1] + r * d[1], r * d[2]]);
        }
    }
    out
}

#[test]
fn one_scan_has_a_scanner_and_a_merged_cloud_has_none() {
    let write = |points: &[[f64; 3]]| {
        let file = tempfile::NamedTempFile::new().unwrap();
        let lines: Vec<String> = points.iter().map(|p| format!("{:.4} {:.4} {:.4}", p[0], p[1], p[2])).collect();
        std::fs::write(file.path(), lines.join("\n")).unwrap();
        file
    };
    let one = write(&room(1));
    assert!(read(one.path(), &ReadOptions::default()).unwrap().scan.has_scanner());
    let two = write(&room(2));
    let merged = read(two.path(), &ReadOptions::default()).unwrap();
    assert!(!merged.scan.has_scanner(), "two stations in one file");
    assert_eq!(merged.scan.points.len(), 80_000);
    // a place that nobody can have seen this from is asked about, with the figures
    let options = ReadOptions { scanner: nalgebra::Vector3::new(3000.0, 0.0, 0.0), ..ReadOptions::default() };
    let said = read(one.path(), &options).unwrap_err().to_string();
    assert!(said.contains("3000.0, 0.0, 0.0") && said.contains(" m away"), "{said}");
}

#[test]
fn a_handful_of_points_is_a_cloud() {
    let file = tempfile::NamedTempFile::new().unwrap();
    std::fs::write(file.path(), "1 1 1\n2 2 2\n3 3 3\n4 4 4\n").unwrap();
    let got = read(file.path(), &ReadOptions::default()).unwrap();
    assert_eq!((got.scan.points.len(), got.scan.has_scanner()), (4, false));
}

/// Absurd coordinates among the first points of a gridded scan are left out with their rows and columns: the grid
/// still says where the others are.
#[test]
fn stray_points_leave_the_grid_as_it_is() {
    let job = vistazo_sim::small_job(3);
    let scanner = vistazo_sim::Scanner::perfect(&job.instrument);
    let raw = vistazo_sim::scan(&job.scene, &scanner, &job.truth.poses[0], 0, 1, &|_| true).unwrap();
    let mut scan = raw.into_scan().unwrap();
    let whole = scan.clone();
    for k in [3, 70, 5000, 90_000] {
        scan.points[k] = [3.0e5, -2.0e5, 100.0];
    }
    let file = tempfile::NamedTempFile::new().unwrap();
    let mut writer = vistazo_formats::E57Writer::create(file.path(), "stray").unwrap();
    writer.add("S", "guid", &scan, None, true, &|_| true).unwrap();
    writer.finish().unwrap();
    let got = read(file.path(), &ReadOptions::default()).unwrap();
    assert!(got.gridded && got.scan.has_scanner());
    assert_eq!((got.skipped, got.scan.points.len() + 4), (4, whole.points.len()));
    let gone: Vec<f32> = [3, 70, 5000, 90_000].iter().map(|&k| whole.points[k][0]).collect();
    let (mut same, mut empty) = (0, 0);
    // the reader begins at the first row that holds a point
    let first = (0..i64::from(whole.rows)).find(|r| (0..i64::from(whole.cols)).any(|c| whole.cell(*r, c).is_some()));
    let first = first.unwrap();
    for row in first..i64::from(whole.rows) {
        for col in 0..i64::from(whole.cols) {
            match (whole.point(row, col), got.scan.point(row - first, col)) {
                (Some(a), Some(b)) => {
                    assert!((a - b).amax() < 1e-3, "row {row}, column {col}");
                    same += 1;
                }
                (Some(a), None) => {
                    assert!(gone.contains(&(a.x as f32)));
                    empty += 1;
                }
                (None, b) => assert!(b.is_none()),
            }
        }
    }
    assert!(same > 100_000 && empty == 4, "{same} {empty}");
}

/// Thousands of records without a return at its beginning do not hide that a file lies far away.
#[test]
fn a_far_file_that_begins_with_nothing_is_kept() {
    let nothing = "0 0 0\n".repeat(10_000);
    let far: String = (0..2000).map(|k| format!("{}.5 5604820.25 {}.125\n", 412_300 + k % 40, k / 40)).collect();
    let file = tempfile::NamedTempFile::new().unwrap();
    std::fs::write(file.path(), nothing + &far).unwrap();
    let got = read(file.path(), &ReadOptions::default()).unwrap();
    assert_eq!((got.scan.points.len(), got.skipped, got.scan.has_scanner()), (2000, 10_000, false));
}
