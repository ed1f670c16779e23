//! Clouds as they are handed over, read back by readers that share no code with what wrote them: every format says the same
//! points, and the index of a COPC file holds each of them once, in the node that it says.

use las::copc::{BoundsSelection, CopcReader, LodSelection};
use std::path::Path;
use vistazo_core::geometry::Vec3;
use vistazo_formats::{CloudFormat, CloudLayout, CloudPoint, ReadOptions, read_source};

const FEET: f64 = 0.3048;

/// A floor of 70 m, a mast, and a heap of points in one place, which is divided deepest; no two alike in what they say.
fn points() -> Vec<CloudPoint> {
    let mut state = 7_u64;
    let mut random = move || {
        state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (state >> 11) as f64 / (1_u64 << 53) as f64
    };
    (0..260_000_u32)
        .map(|k| {
            let at = match k % 4 {
                0 | 1 => Vec3::new(random() * 70.0 - 35.0, random() * 70.0 - 35.0, 0.02 * random()),
                2 => Vec3::new(0.1 * random(), 0.1 * random(), 30.0 * random()),
                _ => Vec3::new(20.0 + random(), 20.0 + random(), 3.0 + random()),
            };
            CloudPoint {
                // on a step: what lies between two may be rounded either way
                at: ((at + Vec3::new(412_000.0, 5_604_000.0, 112.0)) / FEET).map(|v| (v * 1e4).round() / 1e4),
                intensity: (k % 65_000) as u16,
                colour: [(k % 251) as u8, (k % 13) as u8, (k % 7) as u8],
                scan: (k % 9 + 1) as u16,
                class: [0, 1, 7][k as usize % 3],
                error95: [f64::from(k % 900) * 1e-4, f64::from(k % 500) * 1e-4],
            }
        })
        .collect()
}

fn layout() -> CloudLayout {
    CloudLayout {
        wkt: Some("LOCAL_CS[\"Yard\"]".into()),
        coloured: true,
        errors: true,
        unit: FEET,
        ..CloudLayout::plain(Vec3::new(412_000.4, 5_604_000.2, 112.0) / FEET)
    }
}

/// What a point says, in whole steps, so that it can be sorted and compared.
type Said = ([i64; 3], u16, [u8; 3], u16, u8, [i64; 2]);

fn steps(v: f64) -> i64 {
    (v * 1e4).round() as i64
}

fn meant(points: &[CloudPoint]) -> Vec<Said> {
    let of = |p: &CloudPoint| {
        (<[f64; 3]>::from(p.at).map(steps), p.intensity, p.colour, p.scan, p.class, p.error95.map(steps))
    };
    sorted(points.iter().map(of).collect())
}

fn sorted(mut of: Vec<Said>) -> Vec<Said> {
    of.sort_unstable();
    of
}

fn written(format: CloudFormat, points: &[CloudPoint], folder: &Path) -> std::path::PathBuf {
    let mut file = format.create(folder, "yard", &layout(), folder).unwrap();
    points.iter().for_each(|p| file.put(p).unwrap());
    file.end().unwrap();
    folder.join(format.file("yard"))
}

fn of_las(p: &las::Point) -> Said {
    let half = |k: usize| i64::from(u16::from_le_bytes([p.extra_bytes[k], p.extra_bytes[k + 1]]));
    let c = p.color.unwrap();
    (
        [p.x, p.y, p.z].map(steps),
        p.intensity,
        [c.red, c.green, c.blue].map(|v| (v / 257) as u8),
        p.point_source_id,
        p.classification.into(),
        [half(0), half(2)],
    )
}

#[test]
fn laz_and_copc_say_every_point_and_its_error() {
    let (points, folder) = (points(), tempfile::tempdir().unwrap());
    for format in [CloudFormat::Laz, CloudFormat::Copc] {
        let path = written(format, &points, folder.path());
        let mut reader = las::Reader::from_path(&path).unwrap();
        let header = reader.header().clone();
        assert_eq!(header.number_of_points(), points.len() as u64);
        assert!(header.has_wkt_crs() && header.get_wkt_crs_bytes().is_some());
        let fields = header.vlrs().iter().find(|v| v.record_id == 4).unwrap();
        assert_eq!(fields.data.len(), 2 * 192);
        assert!(fields.data[4..].starts_with(b"error95_plan") && fields.data[196..].starts_with(b"error95_height"));
        let mut data = las::PointDataBuilder::new().for_header(&header).build();
        reader.fill_points(header.number_of_points(), &mut data).unwrap();
        let there: Vec<Said> = data.points().map(|p| of_las(&p.unwrap())).collect();
        let bounds = header.bounds();
        for k in 0..3 {
            let of = |f: fn(i64, i64) -> i64, start| there.iter().fold(start, |v, p| f(v, p.0[k]));
            let said = [(bounds.min.x, bounds.max.x), (bounds.min.y, bounds.max.y), (bounds.min.z, bounds.max.z)][k];
            assert_eq!((steps(said.0), steps(said.1)), (of(i64::min, i64::MAX), of(i64::max, i64::MIN)), "axis {k}");
        }
        assert!(sorted(there) == meant(&points), "{format:?}");
    }
}

#[test]
fn the_index_of_a_copc_file_holds_each_point_once_where_it_says() {
    let (points, folder) = (points(), tempfile::tempdir().unwrap());
    let path = written(CloudFormat::Copc, &points, folder.path());
    assert_eq!(std::fs::read(&path).unwrap()[375 + 2..][..4], *b"copc", "its own record is the first");
    let mut reader = CopcReader::from_path(&path).unwrap();
    let info = reader.header().copc_info_vlr().unwrap();
    let entries: Vec<_> = reader.hierarchy_entries().collect();
    assert_eq!(entries.iter().map(|e| i64::from(e.point_count)).sum::<i64>(), points.len() as i64);
    assert!(entries.iter().map(|e| e.key.l).max() >= Some(5), "the heap lies deep");
    let keys: std::collections::HashSet<_> = entries.iter().map(|e| e.key).collect();
    let mut nearest = f64::MAX;
    for e in &entries {
        assert!(keys.contains(&e.key.parent()), "{:?} hangs on nothing", e.key);
        if e.point_count == 0 {
            continue;
        }
        let b = e.key.bounds(&info);
        let data = reader.read_entry(e).unwrap();
        assert_eq!(data.len() as i32, e.point_count);
        let at: Vec<[f64; 3]> = data.points().map(|p| p.unwrap()).map(|p| [p.x, p.y, p.z]).collect();
        for p in &at {
            for (k, (low, high)) in [(b.min.x, b.max.x), (b.min.y, b.max.y), (b.min.z, b.max.z)].iter().enumerate() {
                assert!((low - 1e-5..=high + 1e-5).contains(&p[k]), "{p:?} outside of {:?}", e.key);
            }
        }
        if e.key.l == 0 {
            // what is shown first lies as far apart as is said, but for neighbours in two cells
            nearest = at.len() as f64;
        }
    }
    assert!((1_000.0..60_000.0).contains(&nearest), "{nearest} points at the root");
    // a coarse look reads a part of it
    let coarse = reader.query(LodSelection::Level(0), BoundsSelection::All).unwrap();
    assert_eq!(coarse.len() as f64, nearest);
}

#[test]
fn text_and_ply_say_the_same() {
    let (points, folder) = (points(), tempfile::tempdir().unwrap());
    let text = std::fs::read_to_string(written(CloudFormat::Xyz, &points, folder.path())).unwrap();
    let mut lines = text.lines();
    assert_eq!(
        lines.next().unwrap(),
        "# x y z intensity red green blue scan class error95_plan error95_height; Vistazo, units of 0.3048 m"
    );
    let there = lines.map(|l| {
        let f: Vec<f64> = l.split(' ').map(|v| v.parse().unwrap()).collect();
        let whole = |k: usize| f[k] as u16;
        let colour = [4, 5, 6].map(|k| f[k] as u8);
        ([0, 1, 2].map(|k| steps(f[k])), whole(3), colour, whole(7), f[8] as u8, [9, 10].map(|k| steps(f[k])))
    });
    assert!(sorted(there.collect()) == meant(&points));

    let path = written(CloudFormat::Ply, &points, folder.path());
    let mut got = Vec::new();
    let options = ReadOptions { unit: FEET, ..ReadOptions::default() };
    read_source(&path, &options, &|_| true, &mut |s| {
        got.push(s);
        Ok(())
    })
    .unwrap();
    let scan = &got[0].scan;
    assert_eq!(scan.points.len(), points.len());
    for k in (0..points.len()).step_by(997) {
        let middle = got[0].pose.map_or_else(Vec3::zeros, |p| p.translation);
        let off = scan.at(k) + middle - points[k].at * FEET;
        assert!(off.norm() < 2e-5, "{off:?}");
        assert_eq!(scan.colour[k], points[k].colour);
    }
}

#[test]
fn tiles_hold_each_point_once_within_their_boxes() {
    let (points, folder) = (points(), tempfile::tempdir().unwrap());
    let tiles = written(CloudFormat::Tiles, &points, folder.path());
    let document: serde_json::Value =
        serde_json::from_slice(&std::fs::read(tiles.join("tileset.json")).unwrap()).unwrap();
    let origin: Vec<f64> =
        document["asset"]["extras"]["origin"].as_array().unwrap().iter().map(|v| v.as_f64().unwrap()).collect();
    let mut all: Vec<[i64; 3]> = Vec::new();
    let mut open = vec![document["root"].clone()];
    while let Some(tile) = open.pop() {
        let b: Vec<f64> =
            tile["boundingVolume"]["box"].as_array().unwrap().iter().map(|v| v.as_f64().unwrap()).collect();
        let glb = std::fs::read(tiles.join(tile["content"]["uri"].as_str().unwrap())).unwrap();
        for (p, class) in vistazo_formats::tile_points(&glb).unwrap() {
            for k in 0..3 {
                assert!((p[k] - b[k]).abs() <= b[3 + 4 * k] + 1e-4, "{p:?} outside of {b:?}");
            }
            assert!([0, 1, 7].contains(&class));
            all.push(std::array::from_fn(|k| ((p[k] + origin[k]) * 1e3).round() as i64));
        }
        for child in tile["children"].as_array().into_iter().flatten() {
            assert!(child["geometricError"].as_f64().unwrap() < tile["geometricError"].as_f64().unwrap());
            open.push(child.clone());
        }
    }
    let mut meant: Vec<[i64; 3]> =
        points.iter().map(|p| <[f64; 3]>::from(p.at * FEET * 1e3).map(|v| v.round() as i64)).collect();
    all.sort_unstable();
    meant.sort_unstable();
    assert_eq!(all.len(), meant.len());
    // sorted by what may round either way: compared loosely
    let far = all.iter().zip(&meant).filter(|(a, b)| (a[0] - b[0]).abs() > 1).count();
    assert_eq!(far, 0);
}

#[test]
fn a_point_too_far_off_is_refused_by_name() {
    let folder = tempfile::tempdir().unwrap();
    let mut file =
        CloudFormat::Laz.create(folder.path(), "far", &CloudLayout::plain(Vec3::zeros()), folder.path()).unwrap();
    let said = file.put(&CloudPoint { at: Vec3::new(3e5, 0.0, 0.0), ..CloudPoint::default() }).unwrap_err().to_string();
    assert!(said.contains("300000.000") && said.contains("too far"), "{said}");
}
