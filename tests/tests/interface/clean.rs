//! What does not belong into the clouds: found, counted, shown, undone; in the package by its class, or left out.

use serde_json::{Value, json};
use std::io::Read;
use vistazo_sim::{Passer, small_job};
use vistazo_tests::browser::Browser;
use vistazo_tests::server::PASSWORD;
use vistazo_tests::{Client, Server, job};

/// Points of the clouds of a new package by their class.
async fn packaged(c: &Client, id: &str, options: Value) -> [usize; 256] {
    let task = c.ok("POST", &format!("/api/jobs/{id}/packages"), options).await;
    assert_eq!(c.wait(id, &task).await["state"], "done");
    let newest = c.ok("GET", &format!("/api/jobs/{id}/packages"), Value::Null).await[0]["id"].clone();
    let path = format!("/api/jobs/{id}/packages/{}/download", newest.as_str().unwrap());
    let bytes = c.request("GET", &path).send().await.unwrap().bytes().await.unwrap();
    let mut zip = zip::ZipArchive::new(std::io::Cursor::new(bytes)).unwrap();
    let name = zip.file_names().map(|n| n.unwrap().into_owned()).find(|n| n.ends_with(".laz")).unwrap();
    let mut laz = Vec::new();
    zip.by_name(&name).unwrap().read_to_end(&mut laz).unwrap();
    let mut reader = las::Reader::new(std::io::Cursor::new(laz)).unwrap();
    let mut out = [0; 256];
    for class in reader.read_all().unwrap().classification() {
        out[usize::from(class)] += 1;
    }
    out
}

#[tokio::test]
async fn who_walked_through_is_taken_out_and_can_come_back() {
    let server = Server::start().await;
    let c = server.person("tilda").await;
    // somebody beside two of the four scanners, who was gone in the other scans
    let mut site = small_job(job::SEED);
    for epoch in [1, 2] {
        let at = site.truth.poses[epoch].translation;
        let middle = site.truth.poses[(epoch + 1) % 4].translation;
        let off = (middle - at).xy() * 0.45;
        site.scene.passers.push(Passer { epoch, at: [at.x + off.x, at.y + off.y], height: 1.78 });
    }
    let files = job::files_of(site);
    let id = job::new(&c, "Passers-by", &files).await;
    let refused = json!({ "what": "moved", "options": {} });
    c.refused(409, "POST", &format!("/api/jobs/{id}/cleaning"), refused).await;
    let id = job::on_grid(&c, "People in the way", &files).await;
    let base = format!("/api/jobs/{id}");
    let ask = async |body: Value| {
        let task = c.ok("POST", &format!("{base}/cleaning"), body).await;
        assert_eq!(c.wait(&id, &task).await["state"], "done");
        c.ok("GET", &format!("{base}/cleaning"), Value::Null).await
    };
    let before = packaged(&c, &id, json!({})).await;
    let all: usize = before.iter().sum();
    assert_eq!(before[0], all, "never classified");
    let moved = ask(json!({ "what": "moved", "options": {} })).await;
    let of = |v: &Value, kind: &str| -> Vec<u64> {
        v["scans"].as_array().unwrap().iter().map(|s| s[kind].as_u64().unwrap()).collect()
    };
    let people = of(&moved, "moved");
    assert!(people[1] > 300 && people[2] > 300 && people[0] + people[3] < 100, "{people:?}");
    let both = ask(json!({ "what": "stray", "options": {} })).await;
    assert_eq!(of(&both, "moved"), people);
    assert!(of(&both, "edge").iter().sum::<u64>() > 0 && both["stale"] == false, "{both}");
    let out: u64 = ["moved", "edge", "single", "chosen"].iter().map(|k| of(&both, k).iter().sum::<u64>()).sum();
    assert!(out * 50 < all as u64, "{out} of {all} points");
    // the cloud is drawn with what is known of each point
    let cloud = c.ok("GET", &format!("{base}/cloud"), Value::Null).await;
    let scans = c.ok("GET", &format!("{base}/scans"), Value::Null).await;
    let (tiles, row) = (&cloud["scans"][1]["tiles"], &scans[1]);
    assert_ne!(tiles["build"], row["derived"]["build"]);
    let tile = |build: &Value| {
        format!(
            "{base}/scans/{}/tiles/{}/{}",
            row["id"].as_str().unwrap(),
            build.as_str().unwrap(),
            tiles["root"].as_str().unwrap()
        )
    };
    assert_eq!(c.request("GET", &tile(&tiles["build"])).send().await.unwrap().status(), 200);
    let nowhere = json!(uuid::Uuid::now_v7());
    assert_eq!(c.request("GET", &tile(&nowhere)).send().await.unwrap().status(), 404);
    // the package says what they are, or is made without them
    let marked = packaged(&c, &id, json!({})).await;
    assert_eq!(marked.iter().sum::<usize>(), all);
    assert_eq!(marked[22] as u64, people.iter().sum::<u64>());
    assert_eq!(all - marked[1], out as usize);
    let without = packaged(&c, &id, json!({ "leave_out": true })).await;
    assert_eq!((without.iter().sum::<usize>(), without[22]), (all - out as usize, 0));
    // by hand: everything in a box; and a box that cannot be is refused with its field
    let at = cloud["scans"][0]["pose"]["translation"].as_array().unwrap().clone();
    let origin = cloud["origin"].as_array().unwrap();
    let middle: Vec<f64> = (0..3).map(|k| at[k].as_f64().unwrap() + origin[k].as_f64().unwrap()).collect();
    let of_box = |half: f64| json!({ "what": "box", "options": { "frame": "grid", "middle": middle, "half": [half, half, 4.0], "turn": 0.3 } });
    let wrong = c.refused(422, "POST", &format!("{base}/cleaning"), of_box(0.0)).await;
    assert!(wrong.contains("half extents"), "{wrong}");
    let chosen = of(&ask(of_box(1.4)).await, "chosen");
    assert!(chosen[0] > 1000, "{chosen:?}");

    // at the page: what each scan loses, undone and done again by a key each
    let b = Browser::open().await;
    b.sign_in(&server.url, &c.email, PASSWORD).await;
    b.page.goto(&format!("{}/jobs/{id}/check?evidence=cleaning", server.url)).await.unwrap();
    b.see("//table[@aria-label='Taken out, by scan']/tbody/tr[4]").await;
    b.press("See it in the cloud").await;
    b.see("//div[contains(@class, 'cloud') and number(@data-points) > 20000]").await;
    b.click("//ul[@aria-label='What was looked for']/li[contains(., 'What moved')]//button").await;
    b.see("//ul[@aria-label='What was looked for']/li[@data-active='false'][contains(., 'What moved')]").await;
    b.see_within("//table[@aria-label='Taken out, by scan'][not(.//span[.='out of date'])]//tr[3]/td[3][.='0']", 60)
        .await;
    b.click("//ul[@aria-label='What was looked for']/li[contains(., 'What moved')]//button").await;
    b.see_within("//table[@aria-label='Taken out, by scan']//tr[3]/td[3][.!='0']", 60).await;
    b.close().await;
    let log = c.ok("GET", &format!("{base}/log"), Value::Null).await.to_string();
    assert!(log.contains("undone: what moved") && log.contains("again: what moved"), "{log}");
    let verified = std::process::Command::new(std::env::var("VISTAZO_TEST_PROGRAM").unwrap())
        .arg("verify")
        .envs([
            ("VISTAZO_DATABASE_URL", server.database.clone()),
            ("VISTAZO_DATA", server.data.path().display().to_string()),
        ])
        .output()
        .unwrap();
    assert!(verified.status.success(), "{}", String::from_utf8_lossy(&verified.stdout));
}

/// What somebody chose in a slice is as much as the truth says: the points of an upright strip, of a half space, of a shell of
/// ranges; counted here from the scans themselves.
#[tokio::test]
async fn what_is_chosen_in_a_slice_and_by_limits_is_counted_from_the_scans() {
    let files = job::files();
    let (server, c, id) = job::standing("edda", "Chosen in slices").await;
    let base = format!("/api/jobs/{id}");
    // where every point of every scan truly is, in the room and from its scanner
    let scans: Vec<Vec<[f64; 4]>> = (0..4)
        .map(|k| {
            let file = tempfile::NamedTempFile::new().unwrap();
            std::fs::write(file.path(), &files.scans[k].1).unwrap();
            let mut read = None;
            let options = vistazo_formats::ReadOptions::default();
            vistazo_formats::read_source(file.path(), &options, &|_| true, &mut |s| {
                read = Some(s.scan);
                Ok(())
            })
            .unwrap();
            let scan = read.unwrap();
            let pose = files.job.truth.poses[k];
            (0..scan.points.len())
                .map(|i| {
                    let (at, p) = (scan.at(i), pose.apply(&scan.at(i)));
                    [p.x, p.y, p.z, at.norm()]
                })
                .collect()
        })
        .collect();
    let count = |is: &dyn Fn(&[f64; 4]) -> bool| -> Vec<usize> {
        scans.iter().map(|s| s.iter().filter(|p| is(p)).count()).collect()
    };
    let ask = async |body: Value| {
        let task = c.ok("POST", &format!("{base}/cleaning"), body).await;
        assert_eq!(c.wait(&id, &task).await["state"], "done");
        let now = c.ok("GET", &format!("{base}/cleaning"), Value::Null).await;
        let chosen: Vec<usize> =
            now["scans"].as_array().unwrap().iter().map(|s| s["chosen"].as_u64().unwrap() as usize).collect();
        // taken back, so that the next stands alone
        let step = now["steps"].as_array().unwrap().iter().rfind(|s| s["active"] == true).unwrap().clone();
        let path = format!("{base}/cleaning/{}", step["id"].as_str().unwrap());
        let task = c.ok("PUT", &path, json!({ "active": false, "version": step["version"] })).await;
        c.wait(&id, &task).await;
        chosen
    };
    let near = |found: &[usize], expected: &[usize], what: &str| {
        for (f, e) in found.iter().zip(expected) {
            assert!(*e > 500 && f.abs_diff(*e) * 100 < *e, "{what}: {found:?}, counted {expected:?}");
        }
    };
    // a level slice at 1.2 m, 0.4 m thick, and a triangle in it
    let far = files.job.scene.site.walls[0].line[2];
    let (x, y) = (far.x / 2.0, far.y / 2.0);
    let g = job::on_grid_at(&nalgebra::Vector3::new(x, y, 1.2));
    let cut =
        json!({ "at": [g.x, g.y, g.z], "bearing": 90.0, "tilt": 0.0, "width": 30.0, "height": 15.0, "thickness": 0.4 });
    let line = [[0.0, -9.0], [9.0, 9.0], [-9.0, 9.0]];
    let inside = |p: &[f64; 4]| {
        let (u, v) = (p[0] - x, p[1] - y);
        (p[2] - 1.2).abs() < 0.2 && v < 9.0 && v > 2.0 * u.abs() - 9.0
    };
    let outline = |outside: bool| json!({ "what": "outline", "options": { "frame": "grid", "cut": cut, "line": line, "outside": outside } });
    near(&ask(outline(false)).await, &count(&inside), "inside");
    let outside = |p: &[f64; 4]| (p[2] - 1.2).abs() < 0.2 && !inside(p);
    near(&ask(outline(true)).await, &count(&outside), "outside");
    // from above, what is behind a level slice is what lies below it
    let behind = json!({ "what": "behind", "options": { "frame": "grid", "cut": cut } });
    near(&ask(behind).await, &count(&|p| p[2] < 1.0), "behind");
    let gate = json!({ "what": "gate", "options": { "range": [2.0, 4.0], "intensity": [0.0, 1.0] } });
    near(&ask(gate).await, &count(&|p| !(2.0..=4.0).contains(&p[3])), "gate");
    let wrong = json!({ "what": "gate", "options": { "range": [4.0, 2.0], "intensity": [0.0, 1.0] } });
    c.refused(422, "POST", &format!("{base}/cleaning"), wrong).await;

    // at the page: an outline of three clicks in the first slice takes something out
    let b = Browser::open().await;
    b.sign_in(&server.url, &c.email, PASSWORD).await;
    b.page.goto(&format!("{}/jobs/{id}/check?evidence=slices", server.url)).await.unwrap();
    b.click("//div[contains(@class, 'slice-view')]//label[normalize-space(.)='Take out']").await;
    b.see("//button[normalize-space(.)='Take out what is inside'][@disabled]").await;
    let [x0, y0, w, h] = b.drawn(".slice-view canvas").await;
    for (u, v) in [(0.2, 0.2), (0.8, 0.2), (0.5, 0.9)] {
        b.click_at(x0 + u * w, y0 + v * h).await;
    }
    b.click("//button[normalize-space(.)='Take out what is inside']").await;
    b.page.goto(&format!("{}/jobs/{id}/check?evidence=cleaning", server.url)).await.unwrap();
    b.see_within("//ul[@aria-label='What was looked for']/li[@data-active='true'][contains(., 'outline')]", 30).await;
    b.see_within("//table[@aria-label='Taken out, by scan'][not(.//span[.='out of date'])]/tbody/tr[1]", 60).await;
    b.close().await;
    let now = c.ok("GET", &format!("{base}/cleaning"), Value::Null).await;
    assert!(now["scans"].as_array().unwrap().iter().any(|s| s["chosen"].as_u64().unwrap() > 0), "{now}");
}
