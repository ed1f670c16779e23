//! Passes come in whatever open form they have: paths by heading or by count, times in any unit, clocks that differ as clocks
//! do; and what is none is told with its line.

use vistazo_core::geometry::Vec3;
use vistazo_core::mobile::Piece;
use vistazo_formats::passes::{
    ClockShift, KeptPath, KeptPieces, PathOptions, TimedCloud, Turns, clock_shift, read_path, read_timed,
};
use vistazo_formats::{ReadOptions, xyz_preview};

fn path(text: &str) -> Result<vistazo_formats::passes::PathRead, String> {
    read_path(text, &PathOptions::default()).map_err(|e| e.to_string())
}

/// A walk along x at 1 m/s, turning slowly, one line a tenth of a second.
fn lines(line: impl Fn(f64, f64) -> String) -> String {
    (0..100).map(|k| line(f64::from(k) * 0.1, f64::from(k) * 0.01) + "\n").collect()
}

#[test]
fn a_path_is_understood_in_many_forms() {
    let quaternion = |h: f64| format!("0 0 {:.6} {:.6}", (h / 2.0).sin(), (h / 2.0).cos());
    let forms = [
        (lines(|t, h| format!("{t} {t} 2 1.4 {}", quaternion(h))), "quaternion"),
        // the scalar part first, as its heading says
        (
            "time,qw,qx,qy,qz,X [m],Y [m],Z [m]\n".to_owned()
                + &lines(|t, h| format!("{t},{:.6},0,0,{:.6},{t},2,1.4", (h / 2.0).cos(), (h / 2.0).sin())),
            "quaternion",
        ),
        (
            "# timestamp(ns) px py pz roll pitch yaw\n".to_owned()
                + &lines(|t, h| format!("{:.0} {t} 2 1.4 0 0 {:.4}", 1e9 * t, h.to_degrees())),
            "degrees",
        ),
        ("GPS_Time;Easting;Northing;Height\r\n".to_owned() + &lines(|t, _| format!("{t};{t};2;1.4")), "none"),
        ("\u{feff}% a remark\n".to_owned() + &lines(|t, _| format!("{} {t} 2 1.4", 1e3 * t)), "none"),
    ];
    for (text, turns) in forms {
        let read = path(&text).unwrap_or_else(|e| panic!("{e}\n{:.200}", text));
        let last = read.samples[99];
        assert!((last.time - 9.9).abs() < 1e-6 && (last.place - Vec3::new(9.9, 2.0, 1.4)).norm() < 1e-9, "{read:?}");
        let heading = last.turn.map(|q| q.euler_angles().2);
        match (turns, read.columns.turns) {
            ("none", Turns::None) => assert!(heading.is_none()),
            ("quaternion", Turns::Quaternion(_)) | ("degrees", Turns::Angles { degrees: true, .. }) => {
                assert!((heading.unwrap() - 0.99).abs() < 1e-4, "{heading:?}");
            }
            other => panic!("{other:?}"),
        }
    }
}

#[test]
fn what_is_no_path_is_told_with_its_line() {
    let told = |text: &str, words: &str| {
        let e = path(text).map(|_| ()).unwrap_err();
        assert!(e.contains(words), "{e}");
    };
    told("", "no line");
    told("1 2 3\n2 3 4\n", "line 1");
    told("t x y z\n0 1 2 3\n1 1 2 three\n", "line 3, column 4: found “three”, expected a number");
    told("t x y z qx qy qz qw\n0 1 2 3 0 0 0 2\n", "a quaternion of length 2.000");
    told(&("t x y z\n".to_owned() + &lines(|t, _| format!("{t} 1 2"))), "column 4");
}

#[test]
fn clocks_are_brought_together_where_they_differ_as_clocks_do() {
    let walk = [352_000.0, 352_600.0];
    assert_eq!(clock_shift(walk, [351_990.0, 352_700.0], None), Some(ClockShift::None));
    // adjusted standard GPS time against GPS seconds, and against seconds of the week
    let gps = walk.map(|t| t + 2300.0 * 604_800.0);
    let adjusted = gps.map(|t| t - 1e9);
    assert_eq!(clock_shift(adjusted, gps, None), Some(ClockShift::Adjusted(1e9)));
    let weeks = clock_shift(adjusted, walk, None).unwrap();
    assert!((adjusted[0] + weeks.seconds() - walk[0]).abs() < 1e-6, "{weeks:?}");
    assert_eq!(clock_shift([0.0, 600.0], walk, None), None);
}

/// Some points of a wall, each with its time, out of order.
fn some() -> Vec<(f64, [f64; 3])> {
    (0..500_i32)
        .map(|k| ((k * 7 % 500) as f64 * 0.01, [412_000.0 + f64::from(k) * 0.01, 5_604_000.0, f64::from(k % 20) * 0.1]))
        .collect()
}

fn timed(name: &str, bytes: &[u8]) -> Result<TimedCloud, String> {
    let file = tempfile::Builder::new().suffix(name).tempfile().unwrap();
    std::fs::write(file.path(), bytes).unwrap();
    read_timed(file.path(), &ReadOptions::default(), &|_| true).map_err(|e| e.to_string())
}

#[test]
fn clouds_with_times_come_from_las_ply_and_text() {
    let points = some();
    let mut builder = las::Builder::from((1, 4));
    builder.point_format = las::point::Format::new(6).unwrap();
    builder.transforms.x = las::Transform { scale: 0.001, offset: 412_000.0 };
    builder.transforms.y = las::Transform { scale: 0.001, offset: 5_604_000.0 };
    builder.transforms.z = las::Transform { scale: 0.001, offset: 0.0 };
    let mut writer = las::Writer::new(std::io::Cursor::new(Vec::new()), builder.into_header().unwrap()).unwrap();
    for (t, [x, y, z]) in &points {
        let (gps_time, intensity) = (Some(*t), 30_000);
        writer.write_point(las::Point { x: *x, y: *y, z: *z, gps_time, intensity, ..Default::default() }).unwrap();
    }
    let las = writer.into_inner().unwrap().into_inner();
    let line = |(t, [x, y, z]): &(f64, [f64; 3])| format!("{x} {y} {z} 0.4577 {t}\n");
    let text = "x y z intensity time\n".to_owned() + &points.iter().map(line).collect::<String>();
    assert_eq!(xyz_preview(&text).unwrap().columns.intensity, Some(3));
    let header = "ply\nformat ascii 1.0\nelement vertex 500\nproperty double x\nproperty double y\nproperty double z\n\
                  property float intensity\nproperty double gps_time\nend_header\n";
    let ply = header.to_owned() + &points.iter().map(line).collect::<String>();
    for (name, bytes) in [("walk.las", las), ("walk.txt", text.into_bytes()), ("walk.ply", ply.into_bytes())] {
        let got = timed(name, &bytes).unwrap_or_else(|e| panic!("{name}: {e}"));
        assert!(got.times.len() == 500 && got.times.is_sorted(), "{name}");
        for (t, at) in &points {
            let k = got.times.iter().position(|o| (o - t).abs() < 1e-9).unwrap();
            for (axis, v) in at.iter().enumerate() {
                let there = f64::from(got.points[k][axis]) + got.origin[axis];
                assert!((there - v).abs() < 6e-4, "{name}: {there} {v}");
            }
            assert!((f64::from(got.intensity[k]) / 65_535.0 - 0.4577).abs() < 1e-3, "{name}");
        }
        // and kept, and read again
        let mut kept = Vec::new();
        got.write(&mut kept).unwrap();
        let again = TimedCloud::read(&mut &kept[..], kept.len() as u64).unwrap();
        assert_eq!((again.times, again.points, again.origin), (got.times, got.points, got.origin));
        assert!(TimedCloud::read(&mut &kept[..kept.len() - 3], kept.len() as u64 - 3).is_err());
    }
    // an E57 in two sections, the second of which was begun 2.5 s after the first
    let file = tempfile::Builder::new().suffix(".e57").tempfile().unwrap();
    let mut writer = e57::E57Writer::from_file(file.path(), "walk").unwrap();
    let double = e57::RecordDataType::Double { min: None, max: None };
    let names = [
        e57::RecordName::CartesianX,
        e57::RecordName::CartesianY,
        e57::RecordName::CartesianZ,
        e57::RecordName::TimeStamp,
    ];
    for (part, began) in [0.0, 2.5].into_iter().enumerate() {
        let record = |name: &e57::RecordName| e57::Record { name: name.clone(), data_type: double.clone() };
        let mut cloud = writer.add_pointcloud(&format!("part {part}"), names.iter().map(record).collect()).unwrap();
        cloud.set_acquisition_start(Some(e57::DateTime { gps_time: 1.4e9 + began, atomic_reference: true }));
        for (t, [x, y, z]) in points.iter().filter(|p| (p.0 >= 2.5) == (part == 1)) {
            cloud.add_point([*x, *y, *z, t - began].map(e57::RecordValue::Double).to_vec()).unwrap();
        }
        cloud.finalize().unwrap();
    }
    writer.finalize().unwrap();
    let got = timed(".e57", &std::fs::read(file.path()).unwrap()).unwrap();
    assert_eq!(got.began, Some(1.4e9));
    for (t, at) in &points {
        let k = got.times.iter().position(|o| (o - t).abs() < 1e-6).unwrap_or_else(|| panic!("{t}"));
        assert!((f64::from(got.points[k][0]) + got.origin[0] - at[0]).abs() < 6e-4);
    }
    let span = [got.times[0], got.times[got.times.len() - 1]];
    let gps = span.map(|t| t + 1.4e9);
    assert_eq!(clock_shift(span, gps, got.began), Some(ClockShift::Began(1.4e9)));
    let mut scan = e57::E57Writer::from_file(file.path(), "scan").unwrap();
    let prototype = names[..3].iter().map(|n| e57::Record { name: n.clone(), data_type: double.clone() }).collect();
    let mut cloud = scan.add_pointcloud("still", prototype).unwrap();
    cloud.add_point([1.0, 2.0, 3.0].map(e57::RecordValue::Double).to_vec()).unwrap();
    cloud.finalize().unwrap();
    scan.finalize().unwrap();
    assert!(timed(".e57", &std::fs::read(file.path()).unwrap()).unwrap_err().contains("has no times"));
    let without = "x y z\n".to_owned() + &points.iter().map(|p| format!("{} 1 2\n", p.0)).collect::<String>();
    assert!(timed("walk.xyz", without.as_bytes()).unwrap_err().contains("no column is called “time”"));
}

#[test]
fn what_is_kept_of_a_pass_comes_back_and_damage_is_told() {
    let samples = path(&lines(|t, _| format!("{t} {t} 2 1.4 0 0 0 1"))).unwrap().samples;
    let kept = KeptPath(samples);
    assert_eq!(KeptPath::from_bytes(&kept.to_bytes()), Some(kept));
    let cloud = vistazo_core::cloud::WorkingCloud {
        points: vec![[1.0, 2.0, 3.0]],
        normals: vec![[0, 0, 127]],
        counts: vec![4],
    };
    let piece = Piece { span: [0.0, 2.0], time: 1.0, place: Vec3::new(1.0, 2.0, 3.0), cloud, points: 4 };
    let bytes = KeptPieces(vec![piece.clone(), piece]).to_bytes();
    let again = KeptPieces::from_bytes(&bytes).unwrap();
    assert!(again.0.len() == 2 && again.0[1].cloud.counts == [4] && again.0[1].place.z == 3.0);
    for cut in [3, 11, 40, bytes.len() - 1] {
        assert!(KeptPieces::from_bytes(&bytes[..cut]).is_err(), "{cut}");
    }
}
