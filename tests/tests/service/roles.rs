//! Every route of the API against every role: a route without a line in the table fails.

use serde_json::{Value, json};
use vistazo_tests::{Server, job};

/// Method, path, and who may: o(wner), s(urveyor), r(eviewer), c(lient); `*` anybody signed in,
/// `-` anybody at all.
const TABLE: &[(&str, &str, &str)] = &[
    ("post", "/api/session", "-"),
    ("get", "/api/me", "*"),
    ("delete", "/api/me", "*"),
    ("get", "/api/tokens", "*"),
    ("post", "/api/tokens", "*"),
    ("delete", "/api/tokens/{id}", "*"),
    ("get", "/api/jobs", "*"),
    ("post", "/api/jobs", "*"),
    ("get", "/api/references/{code}", "*"),
    ("get", "/api/instruments", "*"),
    ("put", "/api/instruments", "*"),
    ("delete", "/api/instruments/{id}", "*"),
    ("get", "/api/jobs/{job}", "osrc"),
    ("put", "/api/jobs/{job}", "os"),
    ("get", "/api/jobs/{job}/members", "osr"),
    ("put", "/api/jobs/{job}/members", "o"),
    ("get", "/api/jobs/{job}/summary", "osrc"),
    ("get", "/api/jobs/{job}/log", "osr"),
    ("post", "/api/jobs/{job}/log", "os"),
    ("get", "/api/jobs/{job}/plan", "osr"),
    ("post", "/api/jobs/{job}/plan/edits", "os"),
    ("post", "/api/jobs/{job}/plan/import", "os"),
    ("get", "/api/jobs/{job}/plan/cover", "osr"),
    ("post", "/api/jobs/{job}/plan/underlays", "os"),
    ("get", "/api/jobs/{job}/plan/underlays/{item}", "osr"),
    ("post", "/api/jobs/{job}/plan/slice", "os"),
    ("post", "/api/jobs/{job}/plan/look", "osr"),
    ("get", "/api/jobs/{job}/plan/map", "osr"),
    ("post", "/api/jobs/{job}/plan/propose", "os"),
    ("get", "/api/jobs/{job}/plan/proposal", "osr"),
    ("get", "/api/jobs/{job}/plan/walks", "osr"),
    ("post", "/api/jobs/{job}/plan/walks/propose", "osr"),
    ("post", "/api/jobs/{job}/plan/walks/{item}/split", "osr"),
    ("post", "/api/jobs/{job}/plan/leapfrog", "osr"),
    ("get", "/api/jobs/{job}/plan/advice", "osr"),
    ("get", "/api/jobs/{job}/plan/targets", "osr"),
    ("get", "/api/jobs/{job}/plan/control", "osr"),
    ("get", "/api/jobs/{job}/plan/density", "osr"),
    ("get", "/api/jobs/{job}/plan/files/{file}", "osr"),
    ("get", "/api/jobs/{job}/day", "osr"),
    ("put", "/api/jobs/{job}/day", "os"),
    ("post", "/api/jobs/{job}/day/order", "osr"),
    ("post", "/api/jobs/{job}/day/options", "osr"),
    ("get", "/api/jobs/{job}/day/files/{file}", "osr"),
    ("get", "/api/jobs/{job}/scans", "osr"),
    ("put", "/api/jobs/{job}/scans/{scan}", "os"),
    ("delete", "/api/jobs/{job}/scans/{scan}", "os"),
    ("get", "/api/jobs/{job}/cloud", "osrc"),
    ("get", "/api/jobs/{job}/tileset.json", "osrc"),
    ("get", "/api/jobs/{job}/scans/{scan}/tiles/{build}/{name}", "osrc"),
    ("get", "/api/jobs/{job}/scans/{scan}/panorama", "osrc"),
    ("post", "/api/jobs/{job}/measure", "osrc"),
    ("get", "/api/jobs/{job}/views", "osr"),
    ("post", "/api/jobs/{job}/views", "os"),
    ("delete", "/api/jobs/{job}/views/{view}", "os"),
    ("get", "/api/jobs/{job}/uploads", "osr"),
    ("post", "/api/jobs/{job}/uploads", "os"),
    ("options", "/api/jobs/{job}/uploads", "osr"),
    ("post", "/api/jobs/{job}/uploads/preview", "os"),
    ("post", "/api/jobs/{job}/uploads/propose", "os"),
    ("head", "/api/jobs/{job}/uploads/{upload}", "os"),
    ("patch", "/api/jobs/{job}/uploads/{upload}", "os"),
    ("delete", "/api/jobs/{job}/uploads/{upload}", "os"),
    ("post", "/api/jobs/{job}/tasks/{task}/retry", "os"),
    ("post", "/api/jobs/{job}/field/scan", "os"),
    ("get", "/api/jobs/{job}/field/now", "osr"),
    ("get", "/api/jobs/{job}/field/journal", "osr"),
    ("post", "/api/jobs/{job}/field/journal", "os"),
    ("put", "/api/jobs/{job}/field/files/{attachment}", "os"),
    ("get", "/api/jobs/{job}/field/files/{attachment}", "osr"),
    ("post", "/api/jobs/{job}/field/tie", "os"),
    ("post", "/api/jobs/{job}/field/control", "os"),
    ("get", "/api/jobs/{job}/field/instrument-checks", "osr"),
    ("post", "/api/jobs/{job}/field/instrument-checks/simulated", "os"),
    ("post", "/api/jobs/{job}/field/instrument-checks/profile", "os"),
    ("get", "/api/jobs/{job}/field/record.csv", "osr"),
    ("get", "/api/jobs/{job}/field/record.pdf", "osr"),
    ("get", "/api/jobs/{job}/field/kit", "osr"),
    ("post", "/api/jobs/{job}/field/kit/{device}", "os"),
    ("get", "/api/jobs/{job}/detections", "osr"),
    ("patch", "/api/jobs/{job}/detections", "os"),
    ("post", "/api/jobs/{job}/register", "os"),
    ("get", "/api/jobs/{job}/cloud-ties", "osr"),
    ("post", "/api/jobs/{job}/cloud-ties", "os"),
    ("patch", "/api/jobs/{job}/cloud-ties", "os"),
    ("get", "/api/jobs/{job}/cloud-ties/{tie}/card", "osr"),
    ("get", "/api/jobs/{job}/cloud-ties/{tie}/one-more", "osr"),
    ("delete", "/api/jobs/{job}/cloud-ties/{tie}/by-hand", "os"),
    ("post", "/api/jobs/{job}/cloud-ties/trial", "osr"),
    ("post", "/api/jobs/{job}/cloud-ties/by-hand", "os"),
    ("post", "/api/jobs/{job}/cloud-ties/pairs", "osr"),
    ("get", "/api/jobs/{job}/cloud-ties/parts", "osr"),
    ("get", "/api/jobs/{job}/passes", "osr"),
    ("post", "/api/jobs/{job}/passes", "os"),
    ("put", "/api/jobs/{job}/passes/{pass}", "os"),
    ("delete", "/api/jobs/{job}/passes/{pass}", "os"),
    ("post", "/api/jobs/{job}/passes/{pass}/order", "os"),
    ("post", "/api/jobs/{job}/passes/register", "os"),
    ("post", "/api/jobs/{job}/passes/preview", "os"),
    ("get", "/api/jobs/{job}/passes/{pass}/path.csv", "osr"),
    ("get", "/api/jobs/{job}/scan-groups", "osr"),
    ("post", "/api/jobs/{job}/scan-groups", "os"),
    ("put", "/api/jobs/{job}/scan-groups/{group}", "os"),
    ("delete", "/api/jobs/{job}/scan-groups/{group}", "os"),
    ("post", "/api/jobs/{job}/scans/{scan}/point", "osr"),
    ("post", "/api/jobs/{job}/scans/{scan}/targets", "os"),
    ("delete", "/api/jobs/{job}/detections/{detection}", "os"),
    ("get", "/api/jobs/{job}/adjustment", "osr"),
    ("post", "/api/jobs/{job}/findings/keep", "os"),
    ("post", "/api/jobs/{job}/findings/reopen", "os"),
    ("post", "/api/jobs/{job}/adjustment/lock", "os"),
    ("post", "/api/jobs/{job}/adjustment/profile", "os"),
    ("post", "/api/jobs/{job}/adjustment/otherwise", "osr"),
    ("get", "/api/jobs/{job}/adjustment/schools", "osr"),
    ("delete", "/api/jobs/{job}/adjustment/lock", "os"),
    ("post", "/api/jobs/{job}/control/preview", "os"),
    ("get", "/api/jobs/{job}/control", "osr"),
    ("post", "/api/jobs/{job}/control", "os"),
    ("post", "/api/jobs/{job}/control/points", "os"),
    ("put", "/api/jobs/{job}/control/{point}", "os"),
    ("delete", "/api/jobs/{job}/control/{point}", "os"),
    ("get", "/api/jobs/{job}/georeference", "osr"),
    ("post", "/api/jobs/{job}/georeference", "os"),
    ("get", "/api/jobs/{job}/verdicts", "osrc"),
    ("post", "/api/jobs/{job}/spacing", "os"),
    ("get", "/api/jobs/{job}/shown", "osr"),
    ("get", "/api/jobs/{job}/cleaning", "osr"),
    ("post", "/api/jobs/{job}/cleaning", "os"),
    ("put", "/api/jobs/{job}/cleaning/{step}", "os"),
    ("get", "/api/jobs/{job}/comparison", "osr"),
    ("post", "/api/jobs/{job}/comparison", "os"),
    ("get", "/api/jobs/{job}/comparison/pairs/{pair}", "osr"),
    ("put", "/api/jobs/{job}/comparison/things", "osr"),
    ("get", "/api/jobs/{job}/slices", "osr"),
    ("put", "/api/jobs/{job}/slices", "osr"),
    ("post", "/api/jobs/{job}/slices/cut", "osr"),
    ("post", "/api/jobs/{job}/slices/offsets", "osr"),
    ("get", "/api/jobs/{job}/photos", "osr"),
    ("post", "/api/jobs/{job}/photos", "os"),
    ("get", "/api/jobs/{job}/photos/{photo}/picture", "osr"),
    ("put", "/api/jobs/{job}/photos/{photo}", "os"),
    ("delete", "/api/jobs/{job}/photos/{photo}", "os"),
    ("post", "/api/jobs/{job}/colours", "os"),
    ("delete", "/api/jobs/{job}/colours", "os"),
    ("get", "/api/jobs/{job}/designs", "osr"),
    ("post", "/api/jobs/{job}/designs", "os"),
    ("post", "/api/jobs/{job}/designs/run", "os"),
    ("delete", "/api/jobs/{job}/designs/{design}", "os"),
    ("get", "/api/jobs/{job}/surveys", "osr"),
    ("post", "/api/jobs/{job}/surveys", "os"),
    ("post", "/api/jobs/{job}/surveys/run", "os"),
    ("put", "/api/jobs/{job}/surveys/{survey}", "os"),
    ("delete", "/api/jobs/{job}/surveys/{survey}", "os"),
    ("get", "/api/jobs/{job}/drawing", "osr"),
    ("post", "/api/jobs/{job}/drawing", "os"),
    ("post", "/api/jobs/{job}/drawing/edits", "os"),
    ("post", "/api/jobs/{job}/drawing/fit", "os"),
    ("post", "/api/jobs/{job}/drawing/measure", "os"),
    ("get", "/api/jobs/{job}/drawing/{sheet}/{file}", "osr"),
    ("get", "/api/jobs/{job}/features/{file}", "osr"),
    ("post", "/api/jobs/{job}/drawing/solids", "os"),
    ("get", "/api/jobs/{job}/solids/{file}", "osr"),
    ("get", "/api/jobs/{job}/letterhead", "osr"),
    ("put", "/api/jobs/{job}/letterhead", "os"),
    ("post", "/api/jobs/{job}/drawing/{sheet}/picture", "os"),
    ("get", "/api/jobs/{job}/ground", "osr"),
    ("post", "/api/jobs/{job}/ground", "os"),
    ("get", "/api/jobs/{job}/ground/{file}", "osr"),
    ("post", "/api/jobs/{job}/surfaces", "os"),
    ("put", "/api/jobs/{job}/surfaces/{surface}", "os"),
    ("delete", "/api/jobs/{job}/surfaces/{surface}", "os"),
    ("get", "/api/jobs/{job}/deliverables", "osr"),
    ("get", "/api/jobs/{job}/packages", "osrc"),
    ("post", "/api/jobs/{job}/packages", "os"),
    ("get", "/api/jobs/{job}/packages/{package}/download", "osrc"),
    ("get", "/api/jobs/{job}/packages/{package}/files/{entry}", "osrc"),
    ("get", "/api/jobs/{job}/packages/{package}/walk-through/{entry}", "osrc"),
    ("post", "/api/jobs/{job}/packages/{package}/sign", "osr"),
    ("get", "/api/tasks", "*"),
    ("post", "/api/jobs/{job}/tasks/retry", "os"),
    ("get", "/api/jobs/{job}/tasks", "osr"),
    ("delete", "/api/jobs/{job}/tasks/{task}", "os"),
    ("get", "/api/jobs/{job}/events", "osr"),
];

#[tokio::test]
async fn every_route_checks_the_role() {
    let server = Server::start().await;
    let people = [
        ("o", server.person("olga").await),
        ("s", server.person("sten").await),
        ("r", server.person("rosa").await),
        ("c", server.person("carl").await),
    ];
    let outsider = server.person("otto").await;
    let mut nobody = outsider.clone();
    nobody.token = None;
    let owner = &people[0].1;
    let job = owner.ok("POST", "/api/jobs", json!({ "name": "Matrix" })).await;
    let id = job["id"].as_str().unwrap();
    for (who, role) in [(1, "surveyor"), (2, "reviewer"), (3, "client")] {
        owner
            .ok("PUT", &format!("/api/jobs/{id}/members"), json!({ "email": people[who].1.email, "role": role }))
            .await;
    }
    let described: Value =
        reqwest::get(format!("{}/api/openapi.json", server.url)).await.unwrap().json().await.unwrap();
    let mut count = 0;
    let mut named = std::collections::HashSet::new();
    for (path, item) in described["paths"].as_object().unwrap() {
        for method in item.as_object().unwrap().keys() {
            // clients are made by these names: two of one name would be one
            assert!(named.insert(item[method]["operationId"].clone()), "{method} {path}: a name that is taken");
            let line = TABLE.iter().find(|l| l.0 == method && l.1 == path);
            let (_, _, allowed) = line.unwrap_or_else(|| panic!("{method} {path} has no line in the role table"));
            count += 1;
            let other = uuid::Uuid::now_v7().to_string();
            let mut address = path.replace("{job}", id).replace("{code}", "25832");
            for name in [
                "{id}",
                "{item}",
                "{file}",
                "{scan}",
                "{point}",
                "{package}",
                "{task}",
                "{step}",
                "{build}",
                "{name}",
                "{view}",
                "{upload}",
                "{entry}",
            ] {
                address = address.replace(name, &other);
            }
            let status = async |c: &vistazo_tests::Client| {
                // a body that fits few routes: whoever may is refused for the body, not for the role;
                // a reviewer signs as checker
                let place = if c.email.starts_with("rosa") { "checked" } else { "prepared" };
                let body = !["get", "head", "options"].contains(&method.as_str());
                let body = body.then(|| json!({ "place": place }).to_string());
                let mut r = c.request(&method.to_uppercase(), &address).timeout(std::time::Duration::from_secs(5));
                if let Some(b) = body {
                    r = r.header("content-type", "application/json").body(b);
                }
                r.send().await.unwrap().status().as_u16()
            };
            if *allowed == "-" {
                continue;
            }
            assert_eq!(status(&nobody).await, 401, "{method} {path} without signing in");
            if *allowed == "*" {
                continue;
            }
            assert_eq!(status(&outsider).await, 404, "{method} {path} by somebody outside the job");
            for (letter, person) in &people {
                let got = status(person).await;
                assert_eq!(got == 403, !allowed.contains(letter), "{method} {path} by {letter}: {got}");
                assert_ne!(got, 401, "{method} {path} by {letter}");
            }
        }
    }
    assert_eq!(count, TABLE.len(), "the table names routes that are not there");
}

/// Every nested identifier, of a thing that is really there in another job of the same person: nothing is found, nothing
/// is changed.
#[tokio::test]
async fn no_route_reaches_into_another_job() {
    let files = job::files();
    let (server, c, full) = job::standing("nora", "Full").await;
    let empty = job::new(&c, "Empty", files).await;
    let base = format!("/api/jobs/{full}");
    let station = json!({ "name": "S1", "position": [1.0, 1.0, 1.6], "base": 0.0, "top": 0.0 });
    let edit =
        json!([{ "id": uuid::Uuid::now_v7(), "kind": "station", "data": station, "version": null, "deleted": false }]);
    let items = c.ok("POST", &format!("{base}/plan/edits"), edit).await;
    c.run(&full, "/packages").await;
    c.run(&full, "/cloud-ties").await;
    c.ok("POST", &format!("{base}/views"), json!({ "name": "v", "data": {} })).await;
    let first = async |path: &str| c.ok("GET", &format!("{base}{path}"), Value::Null).await[0].clone();
    let scan = first("/scans").await;
    let id = |v: &Value| v["id"].as_str().unwrap().to_owned();
    let group = json!({ "name": "North", "scans": [id(&scan)], "hold": "free" });
    let group = c.ok("POST", &format!("{base}/scan-groups"), group).await;
    let pass = json!({ "name": "Walk", "unit": "Backpack" });
    let pass = c.ok("POST", &format!("{base}/passes"), pass).await;
    let attachment = uuid::Uuid::now_v7();
    let put = c.request("PUT", &format!("{base}/field/files/{attachment}?name=seen.txt"));
    let put = put.header("content-type", "text/plain").body("seen").send().await.unwrap();
    assert_eq!(put.status(), 200);
    c.ok("POST", &format!("{base}/cleaning"), json!({ "what": "stray", "options": {} })).await;
    let step = c.ok("GET", &format!("{base}/cleaning"), Value::Null).await["steps"][0].clone();
    c.run(&full, "/comparison").await;
    let pair = c.ok("GET", &format!("{base}/comparison"), Value::Null).await["pairs"][0].clone();
    let file = json!({ "text": "A;412001;5604002;112.1\n", "unit": "m", "sigma_h": 0.001, "sigma_v": 0.001 });
    let survey = c.ok("POST", &format!("{base}/surveys"), json!({ "name": "Wall", "file": file })).await[0].clone();
    let wall = json!({ "name": "New", "text": "wall;W1;112;115;0;412000;5604000;412004;5604000", "unit": "m", "tolerance": 0.01 });
    let design = c.ok("POST", &format!("{base}/designs"), wall).await[0].clone();
    let surface = json!({ "name": "Old", "text": job::SURFACE, "error95": 0.02 });
    let surface = c.ok("POST", &format!("{base}/surfaces"), surface).await["surfaces"][0].clone();
    let elevation = json!({ "name": "North", "line": [[412000.0, 5604000.0], [412004.0, 5604000.0]],
        "heights": [112.0, 115.0], "depth": [0.5, 0.5], "pixel": 0.01 });
    let edit = json!([{ "id": uuid::Uuid::now_v7(), "kind": "elevation", "data": elevation, "version": null, "deleted": false }]);
    let drawn = c.ok("POST", &format!("{base}/drawing/edits"), edit).await;
    let ids = [
        ("{sheet}", id(&drawn[0])),
        ("{scan}", id(&scan)),
        ("{upload}", scan["upload_id"].as_str().unwrap().to_owned()),
        ("{task}", id(&first("/tasks").await)),
        ("{package}", id(&first("/packages").await)),
        ("{view}", id(&first("/views").await)),
        ("{point}", id(&first("/control").await)),
        ("{build}", scan["derived"]["build"].as_str().unwrap().to_owned()),
        ("{name}", "0-64.glb".to_owned()),
        ("{item}", id(&items[0])),
        ("{file}", "plan.csv".to_owned()),
        ("{entry}", "report.pdf".to_owned()),
        ("{tie}", id(&first("/cloud-ties").await)),
        ("{group}", id(&group)),
        ("{pass}", pass.as_str().unwrap().to_owned()),
        ("{detection}", id(&first("/detections").await)),
        ("{attachment}", attachment.to_string()),
        ("{device}", "scanner".to_owned()),
        ("{step}", id(&step)),
        ("{pair}", id(&pair)),
        ("{survey}", id(&survey)),
        ("{design}", id(&design)),
        ("{surface}", id(&surface)),
        ("{photo}", id(&c.send_bytes(&format!("{base}/photos?name=p.png"), job::dot()).await.1["photos"][0])),
    ];
    let before = c.ok("GET", &format!("{base}/scans"), Value::Null).await;
    let described: Value =
        reqwest::get(format!("{}/api/openapi.json", server.url)).await.unwrap().json().await.unwrap();
    let mut tried = 0;
    for (path, methods) in described["paths"].as_object().unwrap() {
        let nested = path.matches('{').count() > 1 && !path.contains("{file}");
        if !path.starts_with("/api/jobs/{job}") || !nested {
            continue;
        }
        let mut address = path.replace("{job}", &empty);
        ids.iter().for_each(|(name, id)| address = address.replace(name, id));
        assert!(!address.contains('{'), "{path}: this test knows no identifier for it");
        for method in methods.as_object().unwrap().keys() {
            let body = match (method.as_str(), path.rsplit('/').next().unwrap()) {
                ("get" | "head" | "options", _) => None,
                (_, "sign") => Some(json!({ "place": "prepared" })),
                (_, "{scan}") => {
                    Some(json!({ "name": "taken", "levelled": true, "log": {}, "version": scan["version"] }))
                }
                (_, "{point}") => Some(json!({ "is_check": true, "version": 1 })),
                (_, "{step}") => Some(json!({ "active": false, "version": 1 })),
                (_, "{group}") => Some(json!({ "version": 1, "name": "taken", "scans": [], "hold": "free" })),
                _ => Some(json!({})),
            };
            let r = c.request(&method.to_uppercase(), &format!("{address}?version=1")).header("tus-resumable", "1.0.0");
            let r = if let Some(b) = body { r.json(&b) } else { r };
            let status = r.send().await.unwrap().status().as_u16();
            assert!((400..500).contains(&status), "{method} {path} with things of another job: {status}");
            tried += 1;
        }
    }
    assert!(tried >= 12, "{tried} routes with nested identifiers");
    assert_eq!(c.ok("GET", &format!("{base}/scans"), Value::Null).await, before, "nothing was changed");
    // the station of another job is no station of this one
    let item = c.ok("GET", &format!("{base}/plan"), Value::Null).await[0]["id"].clone();
    let mine = c.upload(&empty, &files.scans[0].0, files.scans[0].1.clone()).await;
    assert_eq!(mine["state"], "done");
    let row = c.ok("GET", &format!("/api/jobs/{empty}/scans"), Value::Null).await[0].clone();
    let body = json!({ "name": "R", "levelled": true, "log": {}, "version": row["version"], "station": item });
    let (status, answer) = c.call("PUT", &format!("/api/jobs/{empty}/scans/{}", id(&row)), body).await;
    assert!((400..500).contains(&status), "{status} {answer}");
}

/// After the second signature the job goes on; a client sees what was signed, in every route.
#[tokio::test]
async fn a_client_sees_the_signed_package_and_nothing_newer() {
    let (server, c, id) = job::standing("ole", "Signed").await;
    let (checker, client) = (server.person("pim").await, server.person("quin").await);
    let base = format!("/api/jobs/{id}");
    for (who, role) in [(&checker, "reviewer"), (&client, "client")] {
        c.ok("PUT", &format!("{base}/members"), json!({ "email": who.email, "role": role })).await;
    }
    for hidden in ["verdicts", "summary", "cloud", "tileset.json"] {
        client.refused(404, "GET", &format!("{base}/{hidden}"), Value::Null).await;
    }
    let demand = async |spatial: f64| {
        let now = c.ok("GET", &base, Value::Null).await;
        let mut brief = now["brief"].clone();
        brief["requirement"]["spatial95"] = spatial.into();
        c.ok("PUT", &base, json!({ "name": "Signed", "brief": brief, "version": now["version"] })).await;
    };
    demand(0.013).await;
    let early = client.ok("GET", &base, Value::Null).await;
    assert_ne!(early["brief"]["requirement"]["spatial95"], json!(0.013), "the brief is not shown before");
    c.run(&id, "/packages").await;
    assert_eq!(client.ok("GET", &format!("{base}/packages"), Value::Null).await, json!([]));
    let package = c.ok("GET", &format!("{base}/packages"), Value::Null).await[0]["id"].as_str().unwrap().to_owned();
    let sign = format!("{base}/packages/{package}/sign");
    c.ok("POST", &sign, json!({ "place": "prepared" })).await;
    let report = format!("{base}/packages/{package}/files/report.pdf");
    client.refused(404, "GET", &report, Value::Null).await;
    checker.ok("POST", &sign, json!({ "place": "checked" })).await;
    let read = client.request("GET", &report).send().await.unwrap();
    assert!(read.status() == 200 && read.headers()["content-type"] == "application/pdf");
    assert!(read.bytes().await.unwrap().starts_with(b"%PDF"));
    client.refused(404, "GET", &report.replace("report", "no-such"), Value::Null).await;
    let look = async |who: &vistazo_tests::Client| {
        let mut all = Vec::new();
        for part in ["", "/verdicts", "/summary", "/cloud", "/tileset.json"] {
            let mut v = who.ok("GET", &format!("{base}{part}"), Value::Null).await;
            v.as_object_mut().map(|o| ["role", "version", "standing"].map(|k| o.remove(k)));
            all.push(v);
        }
        all
    };
    let signed = look(&client).await;
    assert_eq!(signed[1], c.ok("GET", &format!("{base}/verdicts"), Value::Null).await);
    assert!(signed[3]["scans"].as_array().unwrap().len() == 4 && signed[3]["frame"] == "grid");
    // tiles of the signed cloud load
    let text = signed[4].to_string();
    let tile = text.split('"').find(|s| s.contains("/tiles/")).expect("a tile").trim_start_matches('/').to_owned();
    let tile = if tile.starts_with("api/") { format!("/{tile}") } else { format!("{base}/{tile}") };
    assert_eq!(client.request("GET", &tile).send().await.unwrap().status(), 200, "{tile}");
    // the work goes on: another brief, a scan taken out, the block adjusted anew
    demand(0.001).await;
    let last = c.ok("GET", &format!("{base}/scans"), Value::Null).await[3]["id"].as_str().unwrap().to_owned();
    c.ok("DELETE", &format!("{base}/scans/{last}"), Value::Null).await;
    c.run(&id, "/register").await;
    assert_eq!(look(&client).await, signed, "what a client sees is what was signed");
    let packages = client.ok("GET", &format!("{base}/packages"), Value::Null).await;
    assert_eq!((packages.as_array().unwrap().len(), packages[0]["stale"].as_bool()), (1, Some(false)));
    let points = json!({ "points": [] });
    let (status, _) = client.call("POST", &format!("{base}/measure"), points).await;
    assert!((400..500).contains(&status), "figures are not computed from newer work: {status}");
}

#[tokio::test]
async fn sign_in_is_guarded() {
    let server = Server::start().await;
    let person = server.person("pia").await;
    let http = reqwest::Client::builder().cookie_store(false).build().unwrap();
    let sign_in = async |password: &str| {
        http.post(format!("{}/api/session", server.url))
            .json(&json!({ "email": person.email, "password": password }))
            .send()
            .await
            .unwrap()
    };
    let good = sign_in(vistazo_tests::server::PASSWORD).await;
    assert_eq!(good.status(), 200);
    let cookie = good.headers()["set-cookie"].to_str().unwrap().to_owned();
    for flag in ["HttpOnly", "SameSite=Strict", "Secure"] {
        assert!(cookie.contains(flag), "{cookie}");
    }
    let pair = cookie.split(';').next().unwrap().to_owned();
    // a change with the cookie but without the page's header is another site's
    let with_cookie = |header: bool| {
        let r = http.post(format!("{}/api/jobs", server.url)).header("cookie", &pair).json(&json!({ "name": "J" }));
        if header { r.header("x-vistazo", "1") } else { r }
    };
    assert_eq!(with_cookie(false).send().await.unwrap().status(), 403);
    assert_eq!(with_cookie(true).send().await.unwrap().status(), 200);
    // secrets are stored as hashes
    let stored: Vec<Vec<u8>> =
        sqlx::query_scalar("select token_hash from tokens").fetch_all(&server.pool().await).await.unwrap();
    assert!(stored.iter().all(|h| h.len() == 32));
    for _ in 0..8 {
        assert_eq!(sign_in("wrong").await.status(), 401);
    }
    assert_eq!(sign_in(vistazo_tests::server::PASSWORD).await.status(), 429, "the ninth try is braked even when right");
    // withdrawn tokens and ended sessions are refused
    assert_eq!(
        http.delete(format!("{}/api/me", server.url))
            .header("cookie", &pair)
            .header("x-vistazo", "1")
            .send()
            .await
            .unwrap()
            .status(),
        204
    );
    assert_eq!(http.get(format!("{}/api/me", server.url)).header("cookie", &pair).send().await.unwrap().status(), 401);
}

/// The committed description, which the client of the pages is made from, is that of this program.
#[test]
fn the_committed_description_is_not_stale() {
    let path = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../docs/openapi.json");
    let committed: Value = serde_json::from_str(&std::fs::read_to_string(path).unwrap()).unwrap();
    assert_eq!(committed, serde_json::to_value(vistazo_server::routes::openapi()).unwrap(), "run scripts/client");
}
