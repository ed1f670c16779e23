//! A package with everything that can be written: each file read by another reader, the 95 % of points held against where the
//! room truly is, and what the brief asks for checked by the verdict.

use serde_json::{Value, json};
use std::io::Read;
use vistazo_core::geometry::Vec3;
use vistazo_tests::{Client, job};

type Zip = zip::ZipArchive<std::io::Cursor<Vec<u8>>>;

async fn package(c: &Client, id: &str, options: Value) -> (Value, Zip) {
    c.run_body(id, "/packages", options).await;
    let package = c.ok("GET", &format!("/api/jobs/{id}/packages"), Value::Null).await[0].clone();
    let path = format!("/api/jobs/{id}/packages/{}/download", package["id"].as_str().unwrap());
    let bytes = c.request("GET", &path).send().await.unwrap().bytes().await.unwrap();
    (package["manifest"].clone(), Zip::new(std::io::Cursor::new(bytes.to_vec())).unwrap())
}

fn entry(zip: &mut Zip, name: &str) -> Vec<u8> {
    let mut out = Vec::new();
    zip.by_name(name).unwrap_or_else(|e| panic!("{name}: {e}")).read_to_end(&mut out).unwrap();
    out
}

/// Coordinates and the two 95 % of each point of a LAZ file.
fn said(laz: &[u8]) -> Vec<(Vec3, [f64; 2])> {
    let mut reader = las::Reader::new(std::io::Cursor::new(laz.to_vec())).unwrap();
    let half = |b: &[u8]| f64::from(u16::from_le_bytes([b[0], b[1]])) * 1e-4;
    let of = |p: las::Point| (Vec3::new(p.x, p.y, p.z), [half(&p.extra_bytes), half(&p.extra_bytes[2..])]);
    let mut data = las::PointDataBuilder::new().for_header(reader.header()).build();
    reader.fill_points(reader.header().number_of_points(), &mut data).unwrap();
    data.points().map(|p| of(p.unwrap())).collect()
}

/// The floor of the room lies at height 0, its walls where they were built: points lie off them by no more than they say,
/// 95 times in 100 in height, and more often in plan, where only the direction across a wall is seen.
#[tokio::test]
async fn every_format_says_the_same_points_and_their_errors_hold() {
    let files = job::files();
    let (_server, c, id) = job::standing("pia", "Everything").await;
    let all = ["laz", "copc", "e57", "ply", "xyz", "tiles", "walk_through"];
    let (manifest, mut zip) = package(&c, &id, json!({ "formats": all, "thin": 0.02 })).await;
    let points = manifest["points"].as_u64().unwrap();
    let listed = manifest["files"].as_array().unwrap();
    let named = |name: &str| listed.iter().find(|f| f["name"] == name).unwrap_or_else(|| panic!("{name}: {manifest}"));
    for name in ["everything.laz", "everything.copc.laz"] {
        assert_eq!(named(name)["points"], points, "{name}");
    }
    // scans keep their own points there: neighbours of two scans do not meet
    assert!(named("everything.e57")["points"].as_u64().unwrap() > points);
    assert!(named("everything-tiles/")["files"].as_u64().unwrap() > 4);

    let laz = said(&entry(&mut zip, "everything.laz"));
    let mut copc = said(&entry(&mut zip, "everything.copc.laz"));
    assert_eq!((laz.len() as u64, copc.len() as u64), (points, points));
    let key = |p: &(Vec3, [f64; 2])| [p.0.x, p.0.y, p.0.z, p.1[0], p.1[1]].map(|v| (v * 1e4).round() as i64);
    let mut sorted = laz.clone();
    sorted.sort_by_key(key);
    copc.sort_by_key(key);
    assert!(sorted.iter().map(key).eq(copc.iter().map(key)));
    let text = String::from_utf8(entry(&mut zip, "everything.xyz")).unwrap();
    assert_eq!(text.lines().count() as u64, points + 1);
    let ply = entry(&mut zip, "everything.ply");
    assert!(String::from_utf8_lossy(&ply[..4000]).contains("element vertex"));

    // the walls as they were built, and the room on the grid
    let line = &files.job.scene.site.walls[0].line;
    let (w, d) = (line[2].x, line[2].y);
    let (mut height, mut plan) = ([0.0; 2], [0.0; 2]);
    for (at, [plan95, height95]) in &laz {
        let mut p = (at - job::ORIGIN).component_div(&Vec3::new(job::GRID_FACTOR, job::GRID_FACTOR, 1.0));
        let inside = (0.3..w - 0.3).contains(&p.x) && (0.3..d - 0.3).contains(&p.y);
        if inside && p.z.abs() < 0.02 {
            height[usize::from(p.z.abs() <= *height95)] += 1.0;
        }
        p.x = p.x.min(w - p.x);
        // no boards on these two sides, and away from the floor
        if p.x.abs() < 0.015 && at.x - job::ORIGIN.x > 1.0 && (0.3..d - 0.3).contains(&p.y) && p.z > 0.3 {
            plan[usize::from(p.x.abs() <= *plan95)] += 1.0;
        }
    }
    let [height, plan] = [height, plan].map(|[out, within]| (within / (out + within), out + within));
    println!(
        "within 95 %: {:.1} % of {} on the floor, {:.1} % of {} on a wall",
        height.0 * 100.0,
        height.1,
        plan.0 * 100.0,
        plan.1
    );
    assert!(height.1 > 10_000.0 && (0.92..0.985).contains(&height.0), "height {height:?}");
    assert!(plan.1 > 5_000.0 && plan.0 > 0.95, "plan {plan:?}");

    // the page that opens by itself reads nothing that is not beside it
    let page = String::from_utf8(entry(&mut zip, "walk-through/index.html")).unwrap();
    assert!(!page.contains("http:") && !page.contains("https:"), "{page}");
    let data = String::from_utf8(entry(&mut zip, "walk-through/data.js")).unwrap();
    let data: Value = serde_json::from_str(data.trim_start_matches("window.WALK = ").trim_end_matches(";\n")).unwrap();
    let stations = data["stations"].as_array().unwrap();
    assert_eq!(stations.len(), files.scans.len());
    for s in stations {
        assert!(!s["links"].as_array().unwrap().is_empty(), "one room: {s}");
        assert!(entry(&mut zip, &format!("walk-through/{}", s["file"].as_str().unwrap())).len() > 20_000);
    }
}

/// What the brief asks for is written without being chosen once more, and what nobody drew is not met.
#[tokio::test]
async fn the_brief_asks_the_verdict_checks_and_the_package_makes() {
    let (_server, c, id) = job::standing("pia", "Asked").await;
    let path = format!("/api/jobs/{id}");
    let mut row = c.ok("GET", &path, Value::Null).await;
    let verdict = async |c: &Client| {
        let rows = c.ok("GET", &format!("{path}/verdicts"), Value::Null).await;
        rows.as_array().unwrap().iter().find(|r| r["asked"] == "deliverables").cloned()
    };
    assert!(verdict(&c).await.is_none(), "nothing is asked for");
    row["brief"]["deliverables"] = json!(["copc", "floor_plans"]);
    let edit = json!({ "name": row["name"], "brief": row["brief"], "version": row["version"] });
    c.ok("PUT", &path, edit).await;
    let judged = verdict(&c).await.unwrap();
    assert_eq!((judged["verdict"].as_str(), judged["required"].is_null()), (Some("not met"), true), "{judged}");
    assert_eq!(judged["evidence"], "not drawn: floor plans; ready for the package: clouds as COPC");

    let offered = c.ok("GET", &format!("{path}/deliverables"), Value::Null).await;
    let of = |what: &str| offered.as_array().unwrap().iter().find(|d| d["what"] == what).unwrap().clone();
    assert_eq!((of("copc")["asked"].as_bool(), of("laz")["asked"].as_bool()), (Some(true), Some(false)));
    assert!(of("copc")["bytes"].as_u64().unwrap() > 100_000 && of("floor_plans")["drawn"].is_null());
    let wrong = json!({ "formats": ["ground"] });
    let says = c.refused(422, "POST", &format!("{path}/packages"), wrong).await;
    assert!(says.contains("ground surface") && says.contains("formats of clouds"), "{says}");

    // whose report it is; what cannot be printed is refused by its field
    let head = format!("{path}/letterhead");
    let logo = base64::Engine::encode(&base64::prelude::BASE64_STANDARD, job::dot());
    let mut of_ours =
        json!({ "lines": ["Harbour Survey Office", "4 Quay Street"], "colour": "#7a1f3d", "logo": logo, "version": 0 });
    for (field, value, says) in [
        ("colour", json!("#ffee88"), "contrast"),
        ("logo", json!("bm90IGEgcGljdHVyZQ=="), "no PNG"),
        ("colour", json!("red"), "six hex"),
    ] {
        let mut wrong = of_ours.clone();
        wrong[field] = value;
        let told = c.refused(422, "PUT", &head, wrong).await;
        assert!(told.contains(says), "{told}");
    }
    c.ok("PUT", &head, of_ours.clone()).await;
    c.refused(409, "PUT", &head, of_ours.clone()).await;
    of_ours["version"] = json!(1);
    assert_eq!(c.ok("PUT", &head, of_ours).await["version"], 2);

    let (manifest, mut zip) = package(&c, &id, json!({ "thin": 0.05 })).await;
    let [full, short] = ["report.pdf", "report-short.pdf"].map(|n| entry(&mut zip, n));
    let has_picture = |pdf: &[u8]| pdf.windows(14).any(|w| w == b"/Subtype/Image" || w == b"/Subtype /Imag");
    assert!(full.starts_with(b"%PDF") && short.starts_with(b"%PDF") && short.len() < full.len());
    assert!(has_picture(&full) && has_picture(&short), "the logo is in both");
    let names: Vec<&str> = manifest["files"].as_array().unwrap().iter().filter_map(|f| f["name"].as_str()).collect();
    assert!(names.contains(&"asked.copc.laz") && !names.iter().any(|n| n.ends_with(".e57")), "{names:?}");
    let laz = said(&entry(&mut zip, "asked.copc.laz"));
    assert_eq!(laz.len() as u64, manifest["points"].as_u64().unwrap());
    assert!(laz.iter().all(|p| p.1[0] > 1e-3 && p.1[0] < 0.02), "thinned points say their errors");

    let sheet = json!({ "name": "Ground floor", "floor": job::ORIGIN.z, "cut": 1.2, "thickness": 0.1 });
    c.run_body(&id, "/drawing", sheet).await;
    let judged = verdict(&c).await.unwrap();
    assert_eq!(judged["verdict"], "met", "{judged}");
}
