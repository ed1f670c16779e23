//! Planning of set-ups over marks with an instrument of one's own, the copy for the field, the site in
//! space, and a slice of a cloud under the plan.

use serde_json::{Value, json};
use std::time::Duration;
use vistazo_tests::browser::Browser;
use vistazo_tests::server::PASSWORD;
use vistazo_tests::{Client, Server, job};

fn item(kind: &str, data: Value) -> Value {
    let mut full = json!({ "base": 0.0, "top": 0.0, "position": [0.0, 0.0, 0.0] });
    full.as_object_mut().unwrap().extend(data.as_object().unwrap().clone());
    json!({ "id": uuid::Uuid::now_v7(), "kind": kind, "data": full, "version": null, "deleted": false })
}

async fn instruments(c: &Client) -> Vec<Value> {
    c.ok("GET", "/api/instruments", Value::Null).await.as_array().unwrap().clone()
}

#[tokio::test]
async fn a_traverse_is_planned_and_carried_along() {
    let server = Server::start().await;
    let c = server.person("mara").await;
    let other = server.person("udo").await;
    // an instrument of one's own: kept, found again, changed, seen by nobody else
    let along = instruments(&c).await;
    let mut own = along.iter().find(|i| !i["instrument"]["sighting_sigma"].is_null()).unwrap()["instrument"].clone();
    own["name"] = "Ours".into();
    c.ok("PUT", "/api/instruments", json!({ "instrument": own })).await;
    let said = c.refused(409, "PUT", "/api/instruments", json!({ "instrument": own })).await;
    assert!(said.contains("“Ours” is used already"), "{said}");
    let kept = instruments(&c).await[0].clone();
    assert_eq!((kept["instrument"]["name"].as_str(), kept["version"].as_i64()), (Some("Ours"), Some(1)));
    own["range_sigma"] = (-1.0).into();
    let change = |own: &Value| json!({ "id": kept["id"], "version": 1, "instrument": own });
    assert!(c.refused(422, "PUT", "/api/instruments", change(&own)).await.contains("found -1"));
    own["range_sigma"] = 0.002.into();
    c.ok("PUT", "/api/instruments", change(&own)).await;
    c.refused(409, "PUT", "/api/instruments", change(&own)).await;
    assert_eq!(instruments(&other).await.len(), along.len());
    other.refused(404, "DELETE", &format!("/api/instruments/{}", kept["id"].as_str().unwrap()), Value::Null).await;

    let made = c.ok("POST", "/api/jobs", json!({ "name": "Traverse" })).await;
    let id = made["id"].as_str().unwrap().to_owned();
    let mark = |name: &str, x: f64, y: f64| {
        item(
            "target",
            json!({ "name": name, "target": "mark", "position": [x, y, 0.3], "control_sigma": [0.002, 0.002] }),
        )
    };
    let marks = [mark("A", 0.0, 0.0), mark("B", 40.0, 6.0), mark("C", 75.0, -9.0)];
    let wall = json!({ "name": "Front", "line": [[0.0, 18.0], [75.0, 18.0]], "top": 6.0, "required_spacing": 0.1 });
    let station = item("station", json!({ "name": "S1", "position": [3.0, 3.0, 1.7], "order": 1 }));
    // what a name holds must not end the script of the field copy
    let second = json!({ "name": "S2</script>", "over": marks[1]["id"], "sights": [marks[0]["id"], marks[2]["id"]], "order": 2 });
    let edits = json!([marks[0], marks[1], marks[2], item("wall", wall), station, item("station", second)]);
    c.ok("POST", &format!("/api/jobs/{id}/plan/edits"), edits).await;
    let trap = async |words: &str| {
        let cover = c.ok("GET", &format!("/api/jobs/{id}/plan/cover"), Value::Null).await;
        let all = cover["traps"].as_array().unwrap().clone();
        all.iter().any(|t| t["title"].as_str().unwrap().contains(words))
    };
    // the instrument that a brief begins with sights nothing
    assert!(trap("cannot sight A").await);

    let b = Browser::open().await;
    b.sign_in(&server.url, &c.email, PASSWORD).await;
    b.page.goto(&format!("{}/jobs/{id}/brief", server.url)).await.unwrap();
    let option = |text: &str| {
        format!(
            "//div[contains(@class, 'ant-select-item-option') and .//text()[normalize-space(.)='{text}'] and not(ancestor::div[contains(@class, 'ant-select-dropdown-hidden')])]"
        )
    };
    let open =
        |label: &str| format!("//input[@aria-label='{label}']/ancestor::div[contains(@class, 'ant-select')][last()]");
    b.click(&open("From the library")).await;
    b.click(&option("Ours")).await;
    b.says("as kept in the library").await;
    b.press("Save brief").await;
    b.see("//button[contains(., 'Saved')]").await;
    assert!(!trap("cannot sight A").await);

    b.page.goto(&format!("{}/jobs/{id}/plan", server.url)).await.unwrap();
    b.click(
        "//aside//div[contains(@class, 'segmented')]//div[normalize-space(.)='Coverage' and contains(@class, 'label')]",
    )
    .await;
    b.click("//table[@aria-label='Stations']//td[.='S1']").await;
    b.click(&open("Stands over")).await;
    b.click(&option("A")).await;
    b.click(&open("Sights")).await;
    b.click(&option("B")).await;
    // a list of several stays open until one clicks beside it
    b.click("//aside//h2[starts-with(., 'Station')]").await;
    b.press("Apply").await;
    let mut first = Value::Null;
    for _ in 0..80 {
        let plan = c.ok("GET", &format!("/api/jobs/{id}/plan"), Value::Null).await;
        first = plan.as_array().unwrap().iter().find(|i| i["data"]["name"] == "S1").unwrap()["data"].clone();
        if first["over"] == marks[0]["id"] {
            break;
        }
        tokio::time::sleep(std::time::Duration::from_millis(100)).await;
    }
    assert_eq!((&first["over"], &first["sights"]), (&marks[0]["id"], &json!([marks[1]["id"]])), "{first}");
    assert!((first["position"][2].as_f64().unwrap() - 1.95).abs() < 1e-9 && first["position"][0] == 0.0, "{first}");
    let cover = c.ok("GET", &format!("/api/jobs/{id}/plan/cover"), Value::Null).await;
    assert_eq!(cover["groups"].as_array().unwrap().len(), 1, "{}", cover["groups"]);
    assert_eq!(cover["links"][0]["marks"], json!(["A", "B"]));
    let stations = cover["prediction"]["stations"].as_array().unwrap();
    assert!(cover["prediction"]["on_grid"] == true && stations.len() == 2, "{}", cover["prediction"]);
    for s in stations {
        let e = s["error"]["spatial"].as_f64().unwrap();
        assert!((0.002..0.03).contains(&e), "{s}");
    }
    let parts = cover["prediction"]["budget"].as_array().unwrap();
    assert!(parts.iter().any(|p| p["name"] == "set-ups" && p["share"].as_f64().unwrap() > 0.1), "{parts:?}");

    // in space: what is pointed at is read, what is clicked is picked
    b.click("//div[@role='toolbar']//div[contains(@class, 'segmented')]//div[.='3-D' and contains(@class, 'label')]")
        .await;
    let canvas = b.see("//div[@aria-label='Cover in space']/canvas").await;
    let (left, top, w, h) = canvas.rectangle().await.unwrap();
    for up in [0.0, 0.04, 0.08, 0.12, 0.16, 0.2] {
        b.click_at(left + w / 2.0, top + h * (0.5 - up)).await;
        // the page has its time to answer: a click further up may miss the wall, and read nothing
        let read = fantoccini::Locator::XPath("//body[contains(normalize-space(.), 'Front: height')]");
        if b.page.wait().at_most(Duration::from_secs(3)).for_element(read).await.is_ok() {
            break;
        }
    }
    b.see("//aside//h2[contains(., 'Front')]").await;
    b.says("Front: height").await;

    // the field copy works from a file, without the server, and keeps its ticks
    let answer = c.request("GET", &format!("/api/jobs/{id}/plan/files/field.html")).send().await.unwrap();
    assert_eq!(answer.status(), 200);
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("field.html");
    std::fs::write(&file, answer.text().await.unwrap()).unwrap();
    b.page.goto(&format!("file://{}", file.display())).await.unwrap();
    b.says("0 of 2 scanned").await;
    b.says("2. S2</script>").await;
    b.says("A at 40.45 m").await;
    // a click while the page is still laid out goes beside it
    for _ in 0..20 {
        b.click("//article[1]//label[contains(., 'scanned')]").await;
        let ticked = "return document.querySelectorAll('article')[0].querySelectorAll('input')[1].checked";
        if b.page.execute(ticked, Vec::new()).await.unwrap() == true {
            break;
        }
    }
    b.says("1 of 2 scanned").await;
    b.page.refresh().await.unwrap();
    b.says("1 of 2 scanned").await;
    b.close().await;
}

#[tokio::test]
async fn a_slice_of_an_earlier_cloud_lies_where_it_was_scanned() {
    let files = job::files();
    let (server, c, earlier) = job::standing("lena", "Earlier").await;
    let mut brief = job::brief(&files.job);
    brief["origin"] = json!([job::ORIGIN.x, job::ORIGIN.y, job::ORIGIN.z]);
    let id =
        c.ok("POST", "/api/jobs", json!({ "name": "Later", "brief": brief })).await["id"].as_str().unwrap().to_owned();
    let path = |height: f64| format!("/api/jobs/{id}/plan/slice?source={earlier}&height={height}&thickness=0.2");
    let items = c.ok("POST", &path(1.3), Value::Null).await;
    let d = &items[0]["data"];
    let picture = format!("/api/jobs/{id}/plan/underlays/{}", items[0]["id"].as_str().unwrap());
    let bytes = c.request("GET", &picture).send().await.unwrap().bytes().await.unwrap();
    let mut reader = png::Decoder::new(std::io::Cursor::new(bytes)).read_info().unwrap();
    let mut pixels = vec![0; reader.output_buffer_size().unwrap()];
    let info = reader.next_frame(&mut pixels).unwrap();
    assert_eq!(d["pixels"], json!([info.width, info.height]));
    let number = |v: &Value| v.as_f64().unwrap();
    // how much of a square of 10 cm about a place of the plan is inked
    let inked = |x: f64, y: f64| {
        let scale = number(&d["scale"]);
        let (i, j) = ((x - number(&d["position"][0])) / scale, (y - number(&d["position"][1])) / scale);
        let (i, j, r) = (i as usize, info.height as usize - 1 - j as usize, 2);
        let all = (j - r..=j + r).flat_map(|j| (i - r..=i + r).map(move |i| (i, j)));
        all.filter(|(i, j)| pixels[4 * (j * info.width as usize + i) + 3] > 0).count()
    };
    let room = &files.job.scene.site.walls[0].line;
    for side in room.windows(2) {
        for t in [0.2, 0.35, 0.65] {
            let p = side[0] + (side[1] - side[0]) * t;
            assert!(inked(p.x, p.y) > 3, "the wall at {p} is not drawn");
        }
    }
    let inside = room[0] + (room[2] - room[0]) * 0.4;
    assert_eq!(inked(inside.x, inside.y), 0);
    let said = c.refused(422, "POST", &path(50.0), Value::Null).await;
    assert!(said.contains("nothing lies at 50.00 m; the cloud reaches from"), "{said}");
    let stranger = server.person("egon").await;
    let own = stranger.ok("POST", "/api/jobs", json!({ "name": "Own" })).await["id"].as_str().unwrap().to_owned();
    let peek = format!("/api/jobs/{own}/plan/slice?source={earlier}&height=1.3&thickness=0.2");
    assert!(stranger.refused(422, "POST", &peek, Value::Null).await.contains("a job whose work you may see"));
}
