//! Files as other programs write them, every kind that a format has: each says the same points.

use las::point::Format;
use las::{Builder, Color, Point, Transform, Vector, Version, Writer};
use vistazo_core::geometry::Vec3;
use vistazo_formats::{Columns, FormatError, ReadOptions, SourceKind, SourceScan, UpAxis, read_source};

/// Points of a wall and a floor, as a scanner at the origin sees them; no two alike.
fn points() -> Vec<[f64; 3]> {
    let wall = (0..40).flat_map(|i| (0..20).map(move |j| [f64::from(i) * 0.1 - 2.0, 4.0, f64::from(j) * 0.1 - 1.0]));
    let floor = (0..40).flat_map(|i| (0..20).map(move |j| [f64::from(i) * 0.1 - 2.0, 1.0 + f64::from(j) * 0.14, -1.5]));
    wall.chain(floor).enumerate().map(|(k, p)| [p[0], p[1], p[2] + 1e-3 * (k % 7) as f64]).collect()
}

fn light(k: usize) -> f64 {
    (k % 100) as f64 / 100.0
}

fn read(bytes: &[u8], options: &ReadOptions) -> Result<SourceScan, FormatError> {
    let file = tempfile::NamedTempFile::new().unwrap();
    std::fs::write(file.path(), bytes).unwrap();
    let mut all = Vec::new();
    read_source(file.path(), options, &|_| true, &mut |s| {
        all.push(s);
        Ok(())
    })?;
    assert_eq!(all.len(), 1);
    Ok(all.remove(0))
}

/// The same points, to a tolerance in metres, about the scanner or about the place that the file says.
fn same(found: &SourceScan, tolerance: f64, what: &str) {
    let expected = points();
    assert_eq!(found.scan.points.len(), expected.len(), "{what}");
    let at = found.pose.map_or(Vec3::zeros(), |p| p.translation);
    for (a, b) in found.scan.points.iter().zip(&expected) {
        let a = Vec3::from(a.map(f64::from)) + at;
        assert!((a - Vec3::from(*b)).amax() < tolerance, "{what}: {a:?} for {b:?}");
    }
}

#[test]
fn las_of_every_version_and_format_says_the_same() {
    let mut tried = 0;
    for (minor, formats) in [(0, 0..=1), (1, 0..=1), (2, 0..=3), (3, 0..=5), (4, 0..=10)] {
        for number in formats {
            for compressed in [false, true] {
                let mut format = Format::new(number).unwrap();
                // waveforms are another's business, and none of ours to compress
                if format.has_waveform && compressed {
                    continue;
                }
                format.is_compressed = compressed;
                let mut builder = Builder::from(Version::new(1, minor));
                builder.point_format = format;
                let (scale, offset) = ([0.0001, 0.0005, 0.001][tried % 3], [0.0, 100.0, -7.5][tried % 3]);
                let t = Transform { scale, offset };
                builder.transforms = Vector { x: t, y: t, z: t };
                let Ok(header) = builder.into_header() else { continue };
                let file = tempfile::NamedTempFile::new().unwrap();
                {
                    let Ok(mut w) = Writer::new(std::io::BufWriter::new(file.reopen().unwrap()), header) else {
                        continue;
                    };
                    for (k, p) in points().into_iter().enumerate() {
                        let colour = format.has_color.then_some(Color { red: 257 * 200, green: 257 * 7, blue: 0 });
                        w.write_point(Point {
                            x: p[0],
                            y: p[1],
                            z: p[2],
                            intensity: (light(k) * 65_535.0) as u16,
                            color: colour,
                            gps_time: format.has_gps_time.then_some(1.0 + k as f64),
                            nir: format.has_nir.then_some(3),
                            waveform: format.has_waveform.then(Default::default),
                            number_of_returns: 1,
                            return_number: 1,
                            ..Point::default()
                        })
                        .unwrap();
                    }
                    w.close().unwrap();
                }
                let what = format!("LAS 1.{minor}, format {number}, {}", if compressed { "LAZ" } else { "LAS" });
                let found = read(&std::fs::read(file.path()).unwrap(), &ReadOptions::default())
                    .unwrap_or_else(|e| panic!("{what}: {e}"));
                same(&found, scale, &what);
                for (k, i) in found.scan.intensity.iter().enumerate() {
                    assert!((f64::from(*i) / 65_535.0 - light(k)).abs() < 0.02, "{what}: light {i} at {k}");
                }
                assert_eq!(found.scan.colour.is_empty(), !format.has_color, "{what}");
                assert!(found.scan.colour.iter().all(|c| *c == [200, 7, 0]), "{what}");
                tried += 1;
            }
        }
    }
    assert!(tried >= 20, "{tried} kinds");
}

/// A text with a separator, its columns in some order, and a heading or none.
fn text(separator: &str, comma: bool, heading: bool, row: impl Fn([f64; 3], usize) -> Vec<f64>) -> Vec<u8> {
    let mut out = if heading { "\u{feff}X Y Z Intensität\r\n".to_owned() } else { String::new() };
    for (k, p) in points().into_iter().enumerate() {
        let line: Vec<String> = row(p, k).iter().map(|v| format!("{v:.4}")).collect();
        let line = line.join(separator);
        out += &if comma { line.replace('.', ",") } else { line };
        out += if k % 2 == 0 { "\r\n" } else { "\n" };
    }
    out.into_bytes()
}

#[test]
fn text_of_every_dialect_says_the_same() {
    for separator in [" ", "\t", ";", ",", " ; ", "   "] {
        for heading in [false, true] {
            let what = format!("separated by {separator:?}, heading {heading}");
            let found = read(
                &text(separator, false, heading, |p, k| vec![p[0], p[1], p[2], light(k)]),
                &ReadOptions::default(),
            )
            .unwrap_or_else(|e| panic!("{what}: {e}"));
            same(&found, 1e-4, &what);
            assert!((f64::from(found.scan.intensity[50]) / 65_535.0 - light(50)).abs() < 0.02, "{what}");
        }
    }
    // with a decimal comma, where the separator leaves no doubt
    for separator in [";", "\t", " "] {
        let what = format!("decimal comma, separated by {separator:?}");
        let found =
            read(&text(separator, true, false, |p, k| vec![p[0], p[1], p[2], light(k)]), &ReadOptions::default())
                .unwrap_or_else(|e| panic!("{what}: {e}"));
        same(&found, 1e-4, &what);
    }
    // columns told, units and the axis that is up
    let columns = Some(Columns { xyz: [3, 2, 1], intensity: Some(0), rgb: None });
    let reversed = text(" ", false, false, |p, k| vec![light(k), p[2], p[1], p[0], 77.0]);
    same(&read(&reversed, &ReadOptions { columns, ..ReadOptions::default() }).unwrap(), 1e-4, "columns told");
    for unit in [0.3048, 1200.0 / 3937.0, 0.001] {
        let scaled = text(" ", false, false, |p, _| p.map(|v| v / unit).to_vec());
        same(&read(&scaled, &ReadOptions { unit, ..ReadOptions::default() }).unwrap(), 2e-4, "another unit");
    }
    let modelled = text(" ", false, false, |[x, y, z], _| vec![x, z, -y]);
    same(&read(&modelled, &ReadOptions { up: UpAxis::Y, ..ReadOptions::default() }).unwrap(), 1e-4, "y up");
    let moved = text(" ", false, false, |[x, y, z], _| vec![x + 100.0, y - 50.0, z + 7.0]);
    let scanner = Vec3::new(100.0, -50.0, 7.0);
    same(&read(&moved, &ReadOptions { scanner, ..ReadOptions::default() }).unwrap(), 2e-4, "about its scanner");
}

/// A PLY with types and an order of one's own, with things between and after that nobody asked for.
fn ply(format: &str, kinds: &[(&str, &str)]) -> Vec<u8> {
    let all = points();
    let mut out =
        format!("ply\r\nformat {format} 1.0\r\ncomment by hand\r\nobj_info none\r\nelement vertex {}\r\n", all.len());
    kinds.iter().for_each(|(kind, name)| out += &format!("property {kind} {name}\r\n"));
    out += "element face 1\r\nproperty list uchar int vertex_indices\r\nend_header\r\n";
    let mut out = out.into_bytes();
    for (k, p) in all.iter().enumerate() {
        for (kind, name) in kinds {
            let v = match *name {
                "x" => p[0],
                "y" => p[1],
                "z" => p[2],
                "red" => 200.0,
                "green" => 7.0,
                "intensity" | "scalar_intensity" => {
                    light(k) * if kind.contains("char") || kind.contains("int8") { 255.0 } else { 1.0 }
                }
                _ => 0.0,
            };
            if format == "ascii" {
                let text =
                    if kind.contains("float") || *kind == "double" { format!("{v:.4} ") } else { format!("{v:.0} ") };
                out.extend(text.bytes());
                continue;
            }
            let mut bytes = match *kind {
                "float" | "float32" => (v as f32).to_be_bytes().to_vec(),
                "double" | "float64" => v.to_be_bytes().to_vec(),
                "uchar" | "uint8" => vec![v as u8],
                "short" | "int16" => (v as i16).to_be_bytes().to_vec(),
                _ => (v as i32).to_be_bytes().to_vec(),
            };
            if format == "binary_little_endian" {
                bytes.reverse();
            }
            out.extend(bytes);
        }
        if format == "ascii" {
            out.push(b'\n');
        }
    }
    if format == "ascii" {
        out.extend(b"3 0 1 2\n")
    } else {
        out.extend([3, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0])
    }
    out
}

#[test]
fn ply_of_every_type_and_order_says_the_same() {
    let kinds: [&[(&str, &str)]; 4] = [
        &[("float", "x"), ("float", "y"), ("float", "z")],
        &[("double", "x"), ("double", "y"), ("double", "z"), ("uchar", "red"), ("uchar", "green"), ("uchar", "blue")],
        &[
            ("int", "label"),
            ("float64", "z"),
            ("short", "flag"),
            ("float64", "x"),
            ("float64", "y"),
            ("uint8", "intensity"),
        ],
        &[
            ("float32", "nx"),
            ("float32", "x"),
            ("float32", "ny"),
            ("float32", "y"),
            ("float32", "z"),
            ("float32", "scalar_intensity"),
        ],
    ];
    for format in ["ascii", "binary_little_endian", "binary_big_endian"] {
        for kinds in kinds {
            let what = format!("{format} {kinds:?}");
            let found = read(&ply(format, kinds), &ReadOptions::default()).unwrap_or_else(|e| panic!("{what}: {e}"));
            same(&found, 1e-4, &what);
            if kinds.iter().any(|k| k.1 == "red") {
                assert!(found.scan.colour.iter().all(|c| *c == [200, 7, 0]), "{what}");
            }
            if kinds.iter().any(|k| k.1 == "intensity") {
                assert!((f64::from(found.scan.intensity[50]) / 65_535.0 - light(50)).abs() < 0.02, "{what}");
            }
        }
    }
}

#[test]
fn a_kind_is_told_by_what_is_in_the_file_and_errors_say_what_was_found() {
    let kind = |bytes: &[u8]| {
        let file = tempfile::NamedTempFile::new().unwrap();
        std::fs::write(file.path(), bytes).unwrap();
        SourceKind::of(file.path())
    };
    assert_eq!(kind(b"ply\nformat").unwrap(), SourceKind::Ply);
    assert_eq!(kind(b"LASF....").unwrap(), SourceKind::Las);
    assert_eq!(kind(b"ASTM-E57....").unwrap(), SourceKind::E57);
    assert_eq!(kind("Höhe 1.0 2.0 3.0\n".as_bytes()).unwrap(), SourceKind::Xyz);
    assert!(matches!(kind(b""), Err(FormatError::Empty)));
    let other = kind(b"PK\x03\x04zip").unwrap_err().to_string();
    assert!(other.contains("50 4b 03 04"), "{other}");
    for (bytes, told) in [
        (&b"ply\nformat ascii 1.0\nelement vertex 5\nproperty float x\nproperty float y\nend_header\n1 2\n"[..], "z"),
        (b"ply\nformat ascii 1.0\nelement vertex 900000000000\nproperty float x\nproperty float y\nproperty float z\nend_header\n1 2 3\n", "900000000000"),
        (b"ply\nformat binary_middle_endian 1.0\nend_header\n", "binary_middle_endian"),
        (b"one two three\nfour five six 7\n", ""),
        (b"1.0 2.0\n3.0 4.0\n", ""),
    ] {
        let e = read(bytes, &ReadOptions::default()).unwrap_err().to_string();
        assert!(e.replace([' ', '\u{a0}'], "").contains(told) && e.len() > 15, "{e}");
    }
}
