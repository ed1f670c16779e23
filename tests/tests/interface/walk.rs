//! The whole job in a real browser, from nothing to a signed package, and the package against the
//! truth through independent readers.

use serde_json::{Value, json};
use std::io::Read;
use vistazo_core::geometry::Vec3;
use vistazo_tests::browser::Browser;
use vistazo_tests::server::PASSWORD;
use vistazo_tests::{Server, job};

/// Reads a file of the archive.
fn entry(zip: &mut zip::ZipArchive<std::io::Cursor<Vec<u8>>>, ends: &str) -> Vec<u8> {
    let name = zip
        .file_names()
        .map(|n| n.unwrap().into_owned())
        .find(|n| n.ends_with(ends))
        .unwrap_or_else(|| panic!("no {ends} in the package"));
    let mut bytes = Vec::new();
    zip.by_name(&name).unwrap().read_to_end(&mut bytes).unwrap();
    bytes
}

#[tokio::test]
async fn from_nothing_to_a_signed_package() {
    let server = Server::start().await;
    let surveyor = server.person("ilse").await;
    let checker = server.person("omar").await;
    let files = job::files();
    let folder = tempfile::tempdir().unwrap();
    let paths: Vec<_> = files
        .scans
        .iter()
        .map(|(name, bytes)| {
            let p = folder.path().join(name);
            std::fs::write(&p, bytes).unwrap();
            p
        })
        .collect();

    let b = Browser::open().await;
    b.sign_in(&server.url, &surveyor.email, PASSWORD).await;
    b.fill("Name of the new job", "Room survey").await;
    b.press("Create job").await;
    b.fill("Client", "Nobody & Sons").await;
    b.fill("3-D limit", "8").await;
    b.fill("Check point limit", "10").await;
    b.fill("Angular increment", "4").await;
    b.fill("EPSG code", "25832").await;
    b.says("ETRS89 / UTM zone 32N").await;
    b.press("Save brief").await;
    b.see("//button[contains(., 'Saved')]").await;
    let id = b.page.current_url().await.unwrap().path().split('/').nth(2).unwrap().to_owned();

    // georeferencing before adjusting is refused with the reason
    surveyor
        .ok(
            "POST",
            &format!("/api/jobs/{id}/control"),
            json!({ "text": files.control_text, "unit": "m", "sigma_h": 0.001, "sigma_v": 0.001 }),
        )
        .await;
    b.sheet("Georeference").await;
    b.press("Fit to control").await;
    b.says("the block is not adjusted yet").await;

    // one file at a time keeps the order in which the scans were taken; the sheet before has a file
    // input of its own
    b.sheet("Field").await;
    b.see("//h2[.='Files of your own']").await;
    for (k, path) in paths.iter().enumerate() {
        b.choose("//main", std::slice::from_ref(path)).await;
        b.press("Upload 1 file").await;
        b.see(&format!("//table[@aria-label='Scans']/tbody/tr[{}]", k + 1)).await;
    }
    b.sheet("Register").await;
    b.press("Find targets and adjust").await;
    b.says("Nothing speaks against this block").await;
    b.press("Lock result").await;
    b.press("Unlock").await;
    b.press("Lock result").await;

    // the control file once more by hand, with the preview; two points are held back
    b.sheet("Georeference").await;
    b.fill("Control text", "Name;E;N;H\nP1;1;x;3").await;
    b.press("Preview").await;
    b.says("line 2, column 3: found “x”, expected a northing (a number)").await;
    b.fill("Control text", &files.control_text).await;
    b.press("Preview").await;
    b.says("columns northing, easting, height (said by the heading)").await;
    b.press("Store these 6 points").await;
    for point in ["P2", "P5"] {
        b.click(&format!("//button[starts-with(@aria-label, 'Use of {point}:')]")).await;
        b.see(&format!("//button[starts-with(@aria-label, 'Use of {point}:') and normalize-space(.)='check']")).await;
    }
    b.press("Fit to control").await;
    b.says("test: 4 control points, levelled fit of the free block").await;
    b.says("point scale 0.999695").await;

    b.sheet("Check").await;
    b.see("//tr[@data-verdict='met']").await;
    b.sheet("Deliver").await;
    b.press("Make package").await;
    b.click("//a[.='Download package']").await;
    let downloaded = b.download(".zip").await;
    b.press("Sign as preparer").await;
    b.says("ilse").await;
    // the preparer is the owner and may check in general, but not this one
    b.press("Sign as checker").await;
    b.says("the checker must be another person than the preparer").await;
    surveyor.ok("PUT", &format!("/api/jobs/{id}/members"), json!({ "email": checker.email, "role": "reviewer" })).await;
    let packages = surveyor.ok("GET", &format!("/api/jobs/{id}/packages"), Value::Null).await;
    let package = packages[0]["id"].as_str().unwrap().to_owned();
    checker.ok("POST", &format!("/api/jobs/{id}/packages/{package}/sign"), json!({ "place": "checked" })).await;
    b.page.refresh().await.unwrap();
    b.says("omar").await;
    b.close().await;

    // the package against the truth
    let answer = checker.request("GET", &format!("/api/jobs/{id}/packages/{package}/download")).send().await.unwrap();
    let bytes = answer.bytes().await.unwrap().to_vec();
    assert!(bytes == downloaded, "the page and the API hand over the same package");
    let mut zip = zip::ZipArchive::new(std::io::Cursor::new(bytes)).unwrap();
    let manifest: Value = serde_json::from_slice(&entry(&mut zip, "manifest.json")).unwrap();
    for f in manifest["files"].as_array().unwrap() {
        use sha2::Digest;
        let bytes = entry(&mut zip, f["name"].as_str().unwrap());
        assert_eq!(vistazo_store::objects::hex(&sha2::Sha256::digest(&bytes)), f["sha256"].as_str().unwrap(), "{f}");
    }
    assert!(entry(&mut zip, "report.pdf").starts_with(b"%PDF"));
    let e57 = folder.path().join("out.e57");
    std::fs::write(&e57, entry(&mut zip, ".e57")).unwrap();
    let mut reader = e57::E57Reader::from_file(&e57).unwrap();
    let clouds = reader.pointclouds();
    assert_eq!(clouds.len(), 4);
    let mut worst_pose = 0.0_f64;
    let mut first = Vec::new();
    for (k, cloud) in clouds.iter().enumerate() {
        let t = cloud.transform.as_ref().unwrap();
        let q = nalgebra::UnitQuaternion::from_quaternion(nalgebra::Quaternion::new(
            t.rotation.w,
            t.rotation.x,
            t.rotation.y,
            t.rotation.z,
        ));
        let found = Vec3::new(t.translation.x, t.translation.y, t.translation.z);
        let truth = job::true_pose(&files.job, k);
        // where both poses put a point 5 m from the scanner
        for p in [Vec3::zeros(), Vec3::new(5.0, 0.0, 0.0), Vec3::new(0.0, 5.0, 0.0), Vec3::new(0.0, 0.0, 5.0)] {
            worst_pose = worst_pose.max((q * p + found - truth.apply(&p)).norm());
        }
        let mut points = reader.pointcloud_simple(cloud).unwrap();
        points.apply_pose(true);
        if k == 0 {
            first = points
                .take(2000)
                .filter_map(|p| match p.unwrap().cartesian {
                    e57::CartesianCoordinate::Valid { x, y, z } => Some(Vec3::new(x, y, z)),
                    _ => None,
                })
                .collect();
        }
    }
    assert!(worst_pose < 0.003, "a point 5 m from a scanner is {:.1} mm off", worst_pose * 1e3);
    // LAZ and E57 hold the same points in the same place
    let laz = folder.path().join("out.laz");
    std::fs::write(&laz, entry(&mut zip, ".laz")).unwrap();
    let mut reader = las::Reader::from_path(&laz).unwrap();
    assert!(reader.header().has_wkt_crs());
    let points = reader.read_points(2000).unwrap();
    let worst = points
        .x()
        .zip(points.y())
        .zip(points.z())
        .zip(&first)
        .map(|(((x, y), z), p)| (Vec3::new(x, y, z) - p).norm())
        .fold(0.0, f64::max);
    assert!(worst < 0.0004, "LAZ and E57 differ by {:.2} mm", worst * 1e3);
    let total: i64 = manifest["points"].as_i64().unwrap();
    assert_eq!(reader.header().number_of_points() as i64, total);
    // the walls of the room are where they are
    let inside = points
        .x()
        .zip(points.y())
        .filter(|(x, y)| (-0.1..13.2).contains(&(x - job::ORIGIN.x)) && (-0.1..10.2).contains(&(y - job::ORIGIN.y)))
        .count();
    assert_eq!(inside, 2000);
}

#[tokio::test]
async fn the_plan_is_drawn_undone_and_scanned() {
    let server = Server::start().await;
    let person = server.person("vera").await;
    let job = person.ok("POST", "/api/jobs", json!({ "name": "Drawn", "training": true })).await;
    let id = job["id"].as_str().unwrap();
    let b = Browser::open().await;
    b.sign_in(&server.url, &person.email, PASSWORD).await;
    b.page.goto(&format!("{}/jobs/{id}/plan", server.url)).await.unwrap();
    b.see("//div[@aria-label='Plan']//canvas").await;
    let click = async |x: i64, y: i64, double: bool| {
        use fantoccini::actions::{InputSource, MOUSE_BUTTON_LEFT, MouseActions, PointerAction};
        let canvas = b.see("//div[@aria-label='Plan']").await;
        let (left, top, _, _) = canvas.rectangle().await.unwrap();
        let mut mouse = MouseActions::new("mouse".into()).then(PointerAction::MoveTo {
            duration: None,
            x: left + x as f64,
            y: top + y as f64,
        });
        for _ in 0..(1 + usize::from(double)) {
            mouse = mouse
                .then(PointerAction::Down { button: MOUSE_BUTTON_LEFT })
                .then(PointerAction::Up { button: MOUSE_BUTTON_LEFT });
        }
        b.page.perform_actions(mouse).await.unwrap();
        tokio::time::sleep(std::time::Duration::from_millis(350)).await;
    };
    let count = async || person.ok("GET", &format!("/api/jobs/{id}/plan"), Value::Null).await.as_array().unwrap().len();
    let settles = async |n: usize| {
        for _ in 0..80 {
            if count().await == n {
                return;
            }
            tokio::time::sleep(std::time::Duration::from_millis(100)).await;
        }
        panic!("found {} items on the plan, expected {n}", count().await);
    };
    b.click("//div[@aria-label='Plan tools']//div[normalize-space(.)='Wall' and contains(@class, 'label')]").await;
    click(120, 200, false).await;
    click(420, 200, true).await;
    settles(1).await;
    b.click("//div[@aria-label='Plan tools']//div[normalize-space(.)='Station' and contains(@class, 'label')]").await;
    click(200, 420, false).await;
    settles(2).await;
    click(400, 420, false).await;
    settles(3).await;
    b.press("Undo").await;
    settles(2).await;
    b.press("Redo").await;
    settles(3).await;
    // another editor's change wins; ours is refused and the plan reloaded
    let plan = person.ok("GET", &format!("/api/jobs/{id}/plan"), Value::Null).await;
    let station = plan.as_array().unwrap().iter().find(|i| i["kind"] == "station").unwrap().clone();
    let edit = |v: i64| json!([{ "id": station["id"], "kind": "station", "data": station["data"], "version": v }]);
    person.ok("POST", &format!("/api/jobs/{id}/plan/edits"), edit(station["version"].as_i64().unwrap())).await;
    let said = person
        .refused(409, "POST", &format!("/api/jobs/{id}/plan/edits"), edit(station["version"].as_i64().unwrap()))
        .await;
    assert!(said.contains("somebody changed this"), "{said}");
    // it is all there after a reload, with its cover
    b.page.refresh().await.unwrap();
    b.click("//aside//div[normalize-space(.)='Coverage' and contains(@class, 'label')]").await;
    b.see("//table[@aria-label='Stations']//td[.='S2']").await;
    // and the simulated scanner takes the stations
    b.sheet("Field").await;
    b.press("All not yet taken").await;
    b.fill("Operator", "vera").await;
    b.press("Scan 2 stations").await;
    b.see("//table[@aria-label='Scans']/tbody/tr[2]").await;
    b.close().await;
}
