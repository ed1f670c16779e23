//! E57 as other writers make it: angles for coordinates, rows that go round, light without limits, colours only.

use e57::{Record, RecordDataType, RecordName, RecordValue};
use std::sync::OnceLock;
use vistazo_core::geometry::Vec3;
use vistazo_core::instrument::Instrument;
use vistazo_core::scan::Scan;
use vistazo_core::targets::{Search, detect};
use vistazo_formats::{ReadOptions, read_source};
use vistazo_sim::{Scanner, scan, small_job};

fn instrument() -> Instrument {
    small_job(5).instrument
}

fn sample() -> &'static Scan {
    static SCAN: OnceLock<Scan> = OnceLock::new();
    SCAN.get_or_init(|| {
        let job = small_job(5);
        let raw = scan(&job.scene, &Scanner::perfect(&job.instrument), &job.truth.poses[0], 0, 1, &|_| true).unwrap();
        raw.into_scan().unwrap()
    })
}

/// What a file says of one point: `light` 0..1.
struct Point {
    at: Vec3,
    light: f64,
    row: i64,
    col: i64,
}

type Column = (RecordName, RecordDataType, fn(&Point) -> RecordValue);

const DOUBLE: RecordDataType = RecordDataType::Double { min: None, max: None };
const XYZ: [Column; 3] = [
    (RecordName::CartesianX, DOUBLE, |p| RecordValue::Double(p.at.x)),
    (RecordName::CartesianY, DOUBLE, |p| RecordValue::Double(p.at.y)),
    (RecordName::CartesianZ, DOUBLE, |p| RecordValue::Double(p.at.z)),
];
const ANGLES: [Column; 3] = [
    (RecordName::SphericalRange, DOUBLE, |p| RecordValue::Double(p.at.norm())),
    (RecordName::SphericalAzimuth, DOUBLE, |p| RecordValue::Double(p.at.y.atan2(p.at.x))),
    (RecordName::SphericalElevation, DOUBLE, |p| RecordValue::Double((p.at.z / p.at.norm()).asin())),
];
const INDEX: RecordDataType = RecordDataType::Integer { min: 0, max: 9999 };
const GRID: [Column; 2] = [
    (RecordName::RowIndex, INDEX, |p| RecordValue::Integer(p.row)),
    (RecordName::ColumnIndex, INDEX, |p| RecordValue::Integer(p.col)),
];
const ROUND: [Column; 2] = [
    (RecordName::RowIndex, INDEX, |p| RecordValue::Integer(p.col)),
    (RecordName::ColumnIndex, INDEX, |p| RecordValue::Integer(p.row)),
];
const WIDE: RecordDataType = RecordDataType::Integer { min: i32::MIN as i64, max: i32::MAX as i64 };
const SINGLE: RecordDataType = RecordDataType::Single { min: None, max: None };
const TYPED: Column =
    (RecordName::Intensity, RecordDataType::Integer { min: 0, max: 65_535 }, |p| whole(p.light * 65_535.0));
const INTEGER: Column = (RecordName::Intensity, WIDE, |p| whole(p.light * 2047.0));
const DECIBEL: Column =
    (RecordName::Intensity, SINGLE, |p| RecordValue::Single(20.0 * (p.light as f32).max(1e-3).log10()));
const BYTE: RecordDataType = RecordDataType::Integer { min: 0, max: 255 };
const COLOURS: [Column; 3] = [
    (RecordName::ColorRed, BYTE, |p| whole(p.light * 255.0)),
    (RecordName::ColorGreen, BYTE, |p| whole(p.light * 250.0)),
    (RecordName::ColorBlue, BYTE, |p| whole(p.light * 240.0)),
];

fn whole(v: f64) -> RecordValue {
    RecordValue::Integer(v as i64)
}

/// Writes the sample with these columns and reads it back.
fn through(columns: Vec<Column>) -> vistazo_formats::SourceScan {
    let file = tempfile::NamedTempFile::new().unwrap();
    let mut writer = e57::E57Writer::from_file(file.path(), "odd").unwrap();
    let prototype =
        columns.iter().map(|(name, kind, _)| Record { name: name.clone(), data_type: kind.clone() }).collect();
    let mut cloud = writer.add_pointcloud("cloud", prototype).unwrap();
    cloud.set_intensity_limits(None);
    let scan = sample();
    for row in 0..i64::from(scan.rows) {
        for col in 0..i64::from(scan.cols) {
            let Some(i) = scan.cell(row, col) else { continue };
            let p = Point { at: scan.at(i), light: scan.level(i), row, col };
            cloud.add_point(columns.iter().map(|c| (c.2)(&p)).collect()).unwrap();
        }
    }
    cloud.finalize().unwrap();
    writer.finalize().unwrap();
    let mut got = None;
    read_source(file.path(), &ReadOptions::default(), &|_| true, &mut |s| {
        got = Some(s);
        Ok(())
    })
    .unwrap();
    got.unwrap()
}

#[test]
fn odd_files_show_the_same_targets() {
    let search = Search { sphere_radius: Some(0.1), checker_half: Some(0.15) };
    let plain = detect(sample(), &instrument(), &search);
    assert!(plain.len() >= 6, "{}", plain.len());
    let files = [
        ("angles", [&ANGLES[..], &[TYPED], &GRID].concat()),
        ("rows that go round", [&XYZ[..], &[TYPED], &ROUND].concat()),
        ("integers without limits", [&XYZ[..], &[INTEGER], &GRID].concat()),
        ("decibels without limits", [&XYZ[..], &[DECIBEL], &GRID].concat()),
        ("colours only", [&XYZ[..], &COLOURS, &GRID].concat()),
        ("angles, no grid, decibels", [&ANGLES[..], &[DECIBEL]].concat()),
    ];
    for (name, columns) in files {
        let gridded = columns.iter().any(|c| c.0 == RecordName::RowIndex);
        let got = through(columns);
        assert_eq!((got.gridded, got.scan.points.len()), (gridded, sample().points.len()), "{name}");
        let (steps, true_steps) = ([got.scan.row_step, got.scan.col_step], [sample().row_step, sample().col_step]);
        assert!(steps.iter().zip(true_steps).all(|(a, b)| !gridded || (a / b - 1.0).abs() < 0.01), "{name}: {steps:?}");
        let bright = got.scan.intensity.iter().max().unwrap();
        assert!(*bright > 30_000, "{name}: {bright}");
        let found = detect(&got.scan, &instrument(), &search);
        for d in &plain {
            assert!(
                found.iter().any(|f| f.kind == d.kind && (f.centre - d.centre).norm() < 0.004),
                "{name}: {:?} at {:?} is missing of {}",
                d.kind,
                d.centre,
                found.len()
            );
        }
    }
}
