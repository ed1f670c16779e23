//! Jobs on grids that change lengths: what is handed over is right in the unit and on the grid of its reference.

use serde_json::{Value, json};
use std::io::Read;
use vistazo_core::geometry::Vec3;
use vistazo_core::units::LengthUnit;
use vistazo_tests::{Server, job};

fn entry(zip: &mut zip::ZipArchive<std::io::Cursor<Vec<u8>>>, ending: &str) -> Vec<u8> {
    let name = zip.file_names().map(|n| n.unwrap().into_owned()).find(|n| n.ends_with(ending)).unwrap();
    let mut out = Vec::new();
    zip.by_name(&name).unwrap().read_to_end(&mut out).unwrap();
    out
}

/// A state-plane-like job in US survey feet: control in feet, coordinates in feet in LAZ and CSV, metres in E57 under a
/// definition in metres; a job in metres under the same reference is refused with what it would cost.
#[tokio::test]
async fn a_job_in_us_feet_is_right_in_every_file() {
    let server = Server::start().await;
    let c = server.person("fay").await;
    let files = job::files();
    let foot = LengthUnit::UsSurveyFoot.metres();
    // EPSG:2263 at this place: point scale 0.999997466220, height factor 0.999997647028, by an independent library
    const FACTOR: f64 = 0.999_995_113_254;
    let origin = Vec3::new(304_224.5, 61_446.5, 15.0);
    let on_grid = |p: &Vec3| origin + Vec3::new(p.x * FACTOR, p.y * FACTOR, p.z);
    let mut brief = job::brief(&files.job);
    brief["epsg"] = 2263.into();
    brief["origin"] = json!(origin.as_slice());
    let said = c.refused(422, "POST", "/api/jobs", json!({ "name": "Metres", "brief": brief })).await;
    assert!(said.contains("US survey foot") && said.contains("would cost"), "{said}");
    brief["unit"] = "ft".into();
    let said = c.refused(422, "POST", "/api/jobs", json!({ "name": "Feet", "brief": brief })).await;
    assert!(said.contains("0.62 m"), "{said}");
    brief["unit"] = "ftUS".into();
    let id =
        c.ok("POST", "/api/jobs", json!({ "name": "Feet", "brief": brief })).await["id"].as_str().unwrap().to_owned();
    for (name, bytes) in &files.scans {
        assert_eq!(c.upload(&id, name, bytes.clone()).await["state"], "done");
    }
    c.run(&id, "/register").await;
    let text = files.control.iter().fold("Point,E,N,H,sE,sN,sH\n".to_owned(), |t, (name, p)| {
        let g = on_grid(p) / foot;
        t + &format!("{name},{:.5},{:.5},{:.5},0.003,0.003,0.004\n", g.x, g.y, g.z)
    });
    let control = json!({ "text": text, "unit": "ftUS", "sigma_h": 0.01, "sigma_v": 0.01 });
    let rows = c.ok("POST", &format!("/api/jobs/{id}/control"), control).await;
    assert!((rows[0]["sigma_e"].as_f64().unwrap() - 0.003 * foot).abs() < 1e-12, "{}", rows[0]);
    let g =
        c.ok("POST", &format!("/api/jobs/{id}/georeference"), json!({ "model": "levelled" })).await["result"].clone();
    assert_eq!(g["source"], "constrained", "{}", g["warnings"]);
    // a metre of height is 0.16 ppm
    assert!((g["grid"]["combined"].as_f64().unwrap() - FACTOR).abs() < 3e-7, "{}", g["grid"]);
    // where the stations truly are, within the noise of the scans
    for (k, s) in g["stations"].as_array().unwrap().iter().enumerate() {
        let at = Vec3::from_fn(|a, _| s["pose"]["translation"][a].as_f64().unwrap());
        let off = (at - on_grid(&files.job.truth.poses[k].translation)).norm();
        assert!(off < 0.004, "station {k} is {:.1} mm off", off * 1e3);
    }

    c.run(&id, "/packages").await;
    let package = c.ok("GET", &format!("/api/jobs/{id}/packages"), Value::Null).await[0].clone();
    let path = format!("/api/jobs/{id}/packages/{}/download", package["id"].as_str().unwrap());
    let bytes = c.request("GET", &path).send().await.unwrap().bytes().await.unwrap().to_vec();
    let mut zip = zip::ZipArchive::new(std::io::Cursor::new(bytes)).unwrap();
    let manifest: Value = serde_json::from_slice(&entry(&mut zip, "manifest.json")).unwrap();
    assert_eq!(manifest["simulated"], false);
    assert!(manifest["coordinates"].as_str().unwrap().contains("combined factor 0.9999949"), "{manifest}");

    // CSV: feet, to a hundredth of a millimetre of what the API says in metres
    let csv = String::from_utf8(entry(&mut zip, "coordinates.csv")).unwrap();
    assert!(csv.starts_with("name,kind,E [ftUS],N [ftUS],H [ftUS]"), "{csv}");
    let first = g["stations"][0].clone();
    let row: Vec<&str> = csv.lines().find(|l| l.starts_with("R1,station")).unwrap().split(',').collect();
    for axis in 0..3 {
        let feet: f64 = row[2 + axis].parse().unwrap();
        let metres = first["pose"]["translation"][axis].as_f64().unwrap();
        assert!((feet * foot - metres).abs() < 1e-5, "{row:?}");
    }

    // the same points in LAZ (feet) and E57 (metres)
    let folder = tempfile::tempdir().unwrap();
    for ending in [".laz", ".e57"] {
        std::fs::write(folder.path().join(format!("out{ending}")), entry(&mut zip, ending)).unwrap();
    }
    let mut laz = las::Reader::from_path(folder.path().join("out.laz")).unwrap();
    let wkt = laz
        .header()
        .all_vlrs()
        .find(|v| v.record_id == 2112)
        .map(|v| String::from_utf8_lossy(&v.data).into_owned())
        .unwrap();
    assert!(wkt.contains("US survey foot") && wkt.contains("2263"), "{wkt}");
    let points = laz.read_points(3000).unwrap();
    let in_feet: Vec<Vec3> = points.x().zip(points.y()).zip(points.z()).map(|((x, y), z)| Vec3::new(x, y, z)).collect();
    let mut e57 = e57::E57Reader::from_file(folder.path().join("out.e57")).unwrap();
    let reference = e57.coordinate_metadata().unwrap_or_default().to_owned();
    assert!(reference.contains("UNIT[\"metre\",1]") && !reference.contains("US survey foot"), "{reference}");
    let cloud = e57.pointclouds()[0].clone();
    let mut list = e57.pointcloud_simple(&cloud).unwrap();
    list.apply_pose(true);
    let mut worst = 0.0_f64;
    let in_metres = list.filter_map(|p| match p.unwrap().cartesian {
        e57::CartesianCoordinate::Valid { x, y, z } => Some(Vec3::new(x, y, z)),
        _ => None,
    });
    for (feet, metres) in in_feet.iter().zip(in_metres) {
        worst = worst.max((feet * foot - metres).norm());
    }
    assert!(in_feet.len() == 3000 && worst < 1e-4, "LAZ and E57 differ by {:.3} mm", worst * 1e3);
}
