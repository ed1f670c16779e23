//! A walk with a mobile unit: brought with its path, tied to the scans, its drift seen and taken out, handed over with them.

use nalgebra::Vector3;
use serde_json::{Value, json};
use std::io::Read;
use vistazo_tests::browser::Browser;
use vistazo_tests::job;
use vistazo_tests::server::PASSWORD;

/// The height of a hand over the floor, metres.
const HIGH: f64 = 1.4;

/// A round through the room, twice, from over one control point to over another.
fn way(ends: [Vector3<f64>; 2]) -> Vec<Vector3<f64>> {
    let round = [(2.0, 1.5), (9.5, 1.6), (9.6, 6.4), (7.6, 6.6), (2.2, 6.5), (1.8, 2.4)];
    let round = round.iter().chain(&round[..4]).map(|p| Vector3::new(p.0, p.1, HIGH));
    let [first, last] = ends.map(|e| Vector3::new(e.x, e.y, HIGH));
    std::iter::once(first).chain(round).chain([last]).collect()
}

fn far(files: &job::Files, of: &(String, Vector3<f64>)) -> f64 {
    (of.1 - files.control[0].1).xy().norm()
}

#[tokio::test]
async fn a_pass_is_brought_corrected_and_handed_over() {
    let files = job::files();
    let (server, c, id) = job::standing("wanda", "Walked").await;
    let base = format!("/api/jobs/{id}");
    // two control points far from one another
    let ends =
        [&files.control[0], files.control.iter().max_by(|a, b| far(files, a).total_cmp(&far(files, b))).unwrap()];
    let (walk, cloud, path) = job::walked(&files.job, &way(ends.map(|e| e.1)), 41);
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    std::fs::write(at("walk.ply"), &cloud).unwrap();
    std::fs::write(at("walk.txt"), &path).unwrap();
    std::fs::write(at("wrong.txt"), "time x y z\n1 2 3 4\n1.05 2 nowhere 4\n").unwrap();

    let b = Browser::open().await;
    b.sign_in(&server.url, &c.email, PASSWORD).await;
    b.page.goto(&format!("{}/jobs/{id}/register?room=passes", server.url)).await.unwrap();
    b.says("No pass yet").await;
    b.press("Bring a pass").await;
    b.fill("Name of the pass", "Round").await;
    let form = "//form[@aria-label='Bring a pass']";
    let choose = async |label: &str, name: &str| {
        let input = format!("{form}//input[@aria-label='{label}']/..");
        let file = b.see(&format!("{form}//input[@aria-label='{label}']")).await;
        file.send_keys(&at(name).display().to_string()).await.unwrap_or_else(|e| panic!("{input}: {e}"));
    };
    // a path that is none is told before anything is sent
    choose("Its path", "wrong.txt").await;
    b.says("line 3, column 3: found “nowhere”, expected a number").await;
    choose("Its path", "walk.txt").await;
    b.says("how it was held: quaternion").await;
    choose("Cloud with times", "walk.ply").await;
    b.press("Bring it").await;
    b.says("million points along").await;
    b.press("Tie and correct the passes").await;
    // a room with four plain walls looks the same after half a turn: what else stands in it, seen all along, decides, and
    // spheres that the scans measured hold the walk
    b.see_within("//h3[contains(., 'A point is known to')]", 300).await;
    b.says("Targets that it saw on its way hold it").await;
    let stood = [(0.5, ends[0]), (walk.path.last().unwrap().0 - 0.5, ends[1])];
    let lines: Vec<String> = stood.iter().map(|(t, (name, p))| format!("{t} {name} {:.4}", HIGH - p.z)).collect();
    b.click("//summary[contains(., 'it stood on or shows')]").await;
    // another point than the one it stood on, and moments without a name, are told apart from the right ones
    let wrong = files.control.iter().find(|c| ends.iter().all(|e| e.0 != c.0)).unwrap();
    let mixed = lines[1].replacen(&ends[1].0, &wrong.0, 1);
    b.fill("marks it stood on", &[lines[0].clone(), mixed].join("\n")).await;
    b.press("Check the order").await;
    b.says("The order does not agree with the walk").await;
    b.fill("marks it stood on", &stood.map(|s| s.0.to_string()).join("\n")).await;
    b.says("Marks without a name are not kept").await;
    b.see("//button[contains(., 'Name them in the order of the list')]").await;
    b.fill("marks it stood on", &lines.join("\n")).await;
    b.press("Check the order").await;
    b.says("The order agrees with the walk").await;
    b.press("Keep the marks").await;
    b.says("not as things stand now").await;
    b.press("Tie and correct the passes").await;
    let stale = async || c.ok("GET", &format!("{base}/passes"), Value::Null).await["walked"]["stale"] == true;
    for _ in 0..300 {
        if !stale().await {
            break;
        }
        tokio::time::sleep(std::time::Duration::from_secs(1)).await;
    }
    b.says("Places of its path are known to").await;
    b.see("//*[local-name()='svg'][@class='path-map']").await;
    b.see("//figure[contains(@aria-label, 'moved along the walk')]").await;
    b.close().await;

    // where it came to lie against where it was
    let all = c.ok("GET", &format!("{base}/passes"), Value::Null).await;
    let pass = all["passes"][0]["id"].as_str().unwrap().to_owned();
    assert_eq!(all["walked"]["frame"], "grid");
    let table = c.request("GET", &format!("{base}/passes/{pass}/path.csv")).send().await.unwrap().text().await.unwrap();
    let rows: Vec<Vec<f64>> =
        table.lines().skip(1).map(|l| l.split(',').map(|v| v.parse().unwrap()).collect()).collect();
    assert_eq!(rows.len(), walk.path.len());
    let (mut square, mut inside) = (0.0, 0);
    for (row, truth) in rows.iter().zip(&walk.truth) {
        let off = Vector3::new(row[1], row[2], row[3]) - job::on_grid_at(&truth.translation);
        square += off.norm_squared();
        inside += usize::from(off.xy().norm() <= row[4] && off.z.abs() <= row[5]);
    }
    let (rms, share) = ((square / rows.len() as f64).sqrt(), inside as f64 / rows.len() as f64);
    assert!(rms < 0.012 && share > 0.75, "{rms:.4} m, {share:.2}");

    // plans are drawn from it as from scans, and a slice shows it among them
    let sheet = json!({ "name": "Room", "floor": job::ORIGIN.z, "cut": 1.25, "thickness": 0.1 });
    let drawn = c.run_body(&id, "/drawing", sheet).await;
    let said = drawn["message"].as_str().unwrap();
    assert!(said.contains("scans and 1 pass"), "{said}");
    let drawing = c.ok("GET", &format!("{base}/drawing"), Value::Null).await;
    assert_eq!(drawing["stale"], json!([]));
    let by = |i: &&Value| i["kind"] == "line" && i["data"]["scans"].as_array().unwrap().contains(&json!("Round"));
    let lines = drawing["items"].as_array().unwrap().iter().filter(by).count();
    assert!(lines >= 4, "{lines} lines that the walk shows");
    let middle = job::on_grid_at(&Vector3::new(6.0, 4.0, 1.2));
    let cut = json!({ "at": [middle.x, middle.y, middle.z], "bearing": 0.0, "tilt": 0.0, "width": 14.0, "height": 10.0, "thickness": 0.1 });
    let slice = c.ok("POST", &format!("{base}/slices/cut"), cut).await;
    let names: Vec<&str> = slice["scans"].as_array().unwrap().iter().map(|s| s["name"].as_str().unwrap()).collect();
    assert!(names.contains(&"Round"), "{names:?}");

    // and in the package, beside the scans, with what is known of each point
    c.run_body(&id, "/packages", json!({ "formats": ["laz", "e57"] })).await;
    let package = c.ok("GET", &format!("{base}/packages"), Value::Null).await[0].clone();
    let scans = c.ok("GET", &format!("{base}/scans"), Value::Null).await;
    let scanned: u64 = scans.as_array().unwrap().iter().map(|s| s["points"].as_u64().unwrap()).sum();
    assert_eq!(package["manifest"]["points"].as_u64().unwrap(), scanned + walk.points.len() as u64);
    let link = format!("{base}/packages/{}/download", package["id"].as_str().unwrap());
    let bytes = c.request("GET", &link).send().await.unwrap().bytes().await.unwrap();
    let mut zip = zip::ZipArchive::new(std::io::Cursor::new(bytes.to_vec())).unwrap();
    assert!(zip.by_name("round-path.csv").is_ok());
    let mut laz = Vec::new();
    zip.by_name("walked.laz").unwrap().read_to_end(&mut laz).unwrap();
    let mut reader = las::Reader::new(std::io::Cursor::new(laz)).unwrap();
    let mut data = las::PointDataBuilder::new().for_header(reader.header()).build();
    reader.fill_points(reader.header().number_of_points(), &mut data).unwrap();
    let (mut of_pass, mut held) = (0, 0);
    for p in
        data.points().map(|p| p.unwrap()).filter(|p| p.point_source_id == scans.as_array().unwrap().len() as u16 + 1)
    {
        // the floor of the room lies at height 0
        let height = f64::from(u16::from_le_bytes([p.extra_bytes[2], p.extra_bytes[3]])) * 1e-4;
        if (p.z - job::ORIGIN.z).abs() < 0.15 {
            of_pass += 1;
            held += usize::from((p.z - job::ORIGIN.z).abs() <= height);
        }
    }
    let share = f64::from(held as u32) / f64::from(of_pass);
    assert!(of_pass > 20_000 && share > 0.9, "{of_pass} {share:.3}");
}
