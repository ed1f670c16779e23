//! The page in use: nothing typed or queued is lost, nothing false is said, everything is reached by keys and read by
//! whoever does not see it, and long ledgers stay quick.

use serde_json::{Value, json};
use std::time::Duration;
use vistazo_tests::browser::Browser;
use vistazo_tests::server::PASSWORD;
use vistazo_tests::{Server, job};

const SHEETS: [&str; 7] = ["Brief", "Plan", "Field", "Register", "Georeference", "Check", "Deliver"];

/// What each sheet would say if a failed reading were taken for an empty one.
const FALSE: [&str; 7] = [
    "No scans yet",
    "No control yet",
    "No package yet",
    "No result yet",
    "Nothing is asked for",
    "An empty plan",
    "Nobody yet",
];

async fn body(b: &Browser) -> String {
    b.page.find(fantoccini::Locator::Css("body")).await.unwrap().text().await.unwrap_or_default()
}

/// Ten files go on while all sheets are gone through and back.
#[tokio::test]
async fn uploads_go_on_from_sheet_to_sheet() {
    let server = Server::start().await;
    let c = server.person("uma").await;
    let files = job::files();
    let id = job::new(&c, "Ten files", files).await;
    let folder = tempfile::tempdir().unwrap();
    let paths: Vec<_> = (0..10)
        .map(|k| {
            let path = folder.path().join(format!("scan-{k:02}.e57"));
            std::fs::write(&path, &files.scans[k % 4].1).unwrap();
            path
        })
        .collect();
    let b = Browser::open().await;
    b.sign_in(&server.url, &c.email, PASSWORD).await;
    b.page.goto(&format!("{}/jobs/{id}/field", server.url)).await.unwrap();
    b.see("//h2[.='Files of your own']").await;
    b.choose("//main", &paths).await;
    b.press("Upload 10 files").await;
    for sheet in SHEETS {
        b.sheet(sheet).await;
        b.see(&format!("//h1[starts-with(., '{sheet} of')]")).await;
    }
    b.sheet("Field").await;
    b.see_within("//table[@aria-label='Scans']/tbody/tr[10]", 180).await;
    let rows = c.ok("GET", &format!("/api/jobs/{id}/scans"), Value::Null).await;
    assert_eq!(rows.as_array().unwrap().len(), 10);
    b.close().await;
}

/// Two people change the brief at once: what only one changed is kept, what both changed is shown side by side.
#[tokio::test]
async fn two_people_at_one_brief_lose_nothing() {
    let server = Server::start().await;
    let c = server.person("vic").await;
    let files = job::files();
    let id = job::new(&c, "Two people", files).await;
    let b = Browser::open().await;
    b.sign_in(&server.url, &c.email, PASSWORD).await;
    b.page.goto(&format!("{}/jobs/{id}/brief", server.url)).await.unwrap();
    b.fill("Client", "Mine").await;
    b.fill("Purpose", "only mine").await;
    // a reload and another sheet lose nothing
    b.page.refresh().await.unwrap();
    b.sheet("Check").await;
    b.sheet("Brief").await;
    let row = c.ok("GET", &format!("/api/jobs/{id}"), Value::Null).await;
    let mut brief = row["brief"].clone();
    (brief["client"], brief["site"]) = ("Theirs".into(), "only theirs".into());
    c.ok("PUT", &format!("/api/jobs/{id}"), json!({ "name": "Two people", "brief": brief, "version": row["version"] }))
        .await;
    b.press("Save brief").await;
    b.says("Somebody else changed the same while you wrote").await;
    b.see("//table[@aria-label='Conflicts']//tr[td[1][.='Client']][td[2][contains(., 'Mine')]][td[3][contains(., 'Theirs')]]").await;
    b.see("//button[@disabled][contains(., 'Save brief')]").await;
    b.press("Keep mine").await;
    b.press("Save brief").await;
    b.see("//button[contains(., 'Saved')]").await;
    let saved = c.ok("GET", &format!("/api/jobs/{id}"), Value::Null).await["brief"].clone();
    assert_eq!(
        ["client", "site", "purpose"].map(|k| saved[k].as_str().unwrap()),
        ["Mine", "only theirs", "only mine"],
        "{saved}"
    );
    b.close().await;
}

/// The server is gone for a while: every sheet says so, or shows what it knows and how old it is, and comes back alone.
#[tokio::test]
async fn a_server_that_is_gone_is_no_empty_job() {
    let (mut server, c, id) = job::standing("wen", "Gone").await;
    c.run(&id, "/packages").await;
    let b = Browser::open().await;
    b.sign_in(&server.url, &c.email, PASSWORD).await;
    b.page.goto(&format!("{}/jobs/{id}/brief", server.url)).await.unwrap();
    // the sheets themselves are there; what they hold is asked for anew
    for sheet in SHEETS {
        b.sheet(sheet).await;
        b.see(&format!("//h1[starts-with(., '{sheet} of')]")).await;
        tokio::time::sleep(Duration::from_millis(500)).await;
    }
    server.kill();
    // older than they may be: everything is read again
    tokio::time::sleep(Duration::from_secs(6)).await;
    for sheet in ["Field", "Register", "Georeference", "Check", "Deliver"] {
        b.sheet(sheet).await;
        b.see("//*[contains(@class, 'state')][contains(., 'cannot be reached')]").await;
        let text = body(&b).await;
        for words in FALSE {
            assert!(!text.contains(words), "{sheet} says “{words}” while the server is gone:\n{text}");
        }
    }
    server.restart().await;
    b.sheet("Field").await;
    b.see("//table[@aria-label='Scans']/tbody/tr[4]").await;
    b.see("//main[not(.//*[contains(@class, 'state')])]").await;
    b.close().await;
}

/// Presses keys, one after the other.
async fn keys(b: &Browser, text: &str) {
    use fantoccini::actions::{InputSource, KeyAction, KeyActions};
    let mut all = KeyActions::new("keys".into());
    for value in text.chars() {
        all = all.then(KeyAction::Down { value }).then(KeyAction::Up { value });
    }
    b.page.perform_actions(all).await.unwrap();
}

const TAB: &str = "\u{E004}";
const ENTER: &str = "\u{E007}";

/// Goes on with the tabulator until something has the focus.
async fn tab_to(b: &Browser, what: &str) {
    for _ in 0..220 {
        let there = b.page.execute(
            "const e = document.activeElement; return (e.getAttribute('aria-label') ?? e.innerText ?? '').trim().startsWith(arguments[0])",
            vec![json!(what)],
        );
        if there.await.unwrap() == json!(true) {
            return;
        }
        keys(b, TAB).await;
    }
    panic!("the tabulator does not reach “{what}”:\n{}", body(b).await)
}

/// From the sign-in to a signed package without a pointer.
#[tokio::test]
async fn everything_is_done_by_keys() {
    let server = Server::start().await;
    let c = server.person("xia").await;
    let files = job::files();
    let id = job::new(&c, "By keys", files).await;
    for (name, bytes) in &files.scans {
        assert_eq!(c.upload(&id, name, bytes.clone()).await["state"], "done");
    }
    let control = json!({ "text": files.control_text, "unit": "m", "sigma_h": 0.001, "sigma_v": 0.001 });
    c.ok("POST", &format!("/api/jobs/{id}/control"), control).await;
    let b = Browser::open().await;
    b.page.goto(&server.url).await.unwrap();
    b.see("//input[@name='email']").await;
    for text in [TAB, &c.email, TAB, PASSWORD, ENTER] {
        keys(&b, text).await;
    }
    b.see("//h2[.='Jobs']").await;
    b.see("//a[contains(@class, 'job-row')]").await;
    tab_to(&b, "By keys").await;
    keys(&b, ENTER).await;
    b.see("//h1[starts-with(., 'Brief of')]").await;
    keys(&b, "4").await;
    b.see("//button[contains(., 'Find targets and adjust')]").await;
    keys(&b, "gr").await;
    b.says("Nothing speaks against this block").await;
    keys(&b, "5").await;
    b.see("//table[@aria-label='Control']/tbody/tr[6]").await;
    tab_to(&b, "Use of P2").await;
    keys(&b, ENTER).await;
    b.see("//button[starts-with(@aria-label, 'Use of P2:') and normalize-space(.)='check']").await;
    tab_to(&b, "Fit to control").await;
    keys(&b, ENTER).await;
    b.says("levelled fit of the free block").await;
    // a ledger is walked through and something picked in it stands in the address
    tab_to(&b, "P1").await;
    keys(&b, "8").await;
    b.see("//h1[starts-with(., 'Deliver of')]").await;
    tab_to(&b, "Make package").await;
    keys(&b, ENTER).await;
    b.see("//a[.='Download package']").await;
    tab_to(&b, "Sign as preparer").await;
    keys(&b, ENTER).await;
    b.see("//div[contains(@class, 'sigs')]//b[.='xia']").await;
    b.close().await;
}

/// Every sheet, in the light and in the dark, by the rules of WCAG as axe-core checks them.
#[tokio::test]
async fn every_sheet_is_accessible() {
    let (server, c, id) = job::standing("yan", "Accessible").await;
    let station = |k: f64| {
        let data = json!({ "name": format!("S{k}"), "position": [k, 2.0, 1.6], "base": 0.0, "top": 0.0 });
        json!({ "id": uuid::Uuid::now_v7(), "kind": "station", "data": data, "version": null, "deleted": false })
    };
    c.ok("POST", &format!("/api/jobs/{id}/plan/edits"), json!([station(1.0), station(4.0)])).await;
    c.run(&id, "/packages").await;
    let ground = json!({ "cell": 0.25, "reach": 20.0, "widest": 3.0, "slope": 0.3, "tolerance": 0.01, "longest": 2.0 });
    c.run_body(&id, "/ground", ground).await;
    let elevation = json!({ "name": "North", "line": [[412000.0, 5604000.0], [412004.0, 5604000.0]],
        "heights": [112.0, 115.0], "depth": [0.5, 0.5], "pixel": 0.02 });
    let edit = json!([{ "id": uuid::Uuid::now_v7(), "kind": "elevation", "data": elevation, "version": null, "deleted": false }]);
    let drawn = c.ok("POST", &format!("/api/jobs/{id}/drawing/edits"), edit).await;
    c.run(&id, &format!("/drawing/{}/picture", drawn[0]["id"].as_str().unwrap())).await;
    let axe = concat!(env!("CARGO_MANIFEST_DIR"), "/../web/node_modules/axe-core/axe.min.js");
    let axe = std::fs::read_to_string(axe).expect("axe-core: scripts/test installs it");
    let b = Browser::open().await;
    b.sign_in(&server.url, &c.email, PASSWORD).await;
    let mut wrong = Vec::new();
    let mut looked = 0;
    for theme in ["light", "dark", "contrast"] {
        let kept = json!({ "theme": theme }).to_string();
        b.page.execute("localStorage.setItem('vistazo-settings', arguments[0])", vec![json!(kept)]).await.unwrap();
        for sheet in LOOKED_AT {
            let path = if sheet.is_empty() { String::new() } else { format!("/jobs/{id}/{sheet}") };
            b.page.goto(&format!("{}{path}", server.url)).await.unwrap();
            b.see("//h2").await;
            tokio::time::sleep(Duration::from_millis(1500)).await;
            b.page.execute(&axe, Vec::new()).await.unwrap();
            let found = b.page.execute_async(
                "const done = arguments[0]; axe.run(document, { runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa'] }).then((r) => done(r.violations.map((v) => `${v.id}: ${v.help} at ${v.nodes.slice(0, 3).map((n) => n.target.join(' ') + ' ' + n.html.slice(0, 120)).join(' | ')} (${v.nodes.length})`)), (e) => done([String(e)]))",
                Vec::new(),
            );
            let found: Vec<String> = serde_json::from_value(found.await.unwrap()).unwrap();
            wrong.extend(
                found.into_iter().map(|f| format!("{theme} {}: {f}", if sheet.is_empty() { "jobs" } else { sheet })),
            );
            looked += 1;
        }
    }
    b.close().await;
    assert_eq!(looked, 3 * LOOKED_AT.len());
    assert!(wrong.is_empty(), "{} violations:\n{}", wrong.len(), wrong.join("\n"));
}

/// The desk, and the sheets of a job with those of their views that look otherwise.
const LOOKED_AT: [&str; 12] = [
    "",
    "brief",
    "plan",
    "field",
    "register",
    "georeference",
    "check",
    "draw",
    "draw?drawn=elevations",
    "draw?drawn=features",
    "draw?drawn=ground",
    "deliver",
];

/// Answers of a large job, given by the page to itself: what is measured is the page.
const LARGE: &str = "
const names = Array.from({ length: 1500 }, (_, k) => `K${k + 1}`);
const error = { bearing: 0, horizontal: 0.001, horizontal_minor: 0.001, spatial: 0.002, vertical: 0.001 };
const pose = { rotation: [1, 0, 0, 0], translation: [0, 0, 0] };
const real = window.fetch;
window.fetch = async (input, init) => {
  const url = typeof input === 'string' ? input : input.url;
  if (!url.endsWith('/adjustment')) return real(input, init);
  const answer = await (await real(input, init)).json();
  answer.result.stations = Array.from({ length: 300 }, (_, k) => ({ ...answer.result.stations[0], name: `S${k + 1}` }));
  answer.result.targets = names.map((name, k) => ({ ...answer.result.targets[0], name, position: [k % 40, k / 40, 1] }));
  const one = answer.result.observations.find((o) => o.active);
  answer.result.observations = Array.from({ length: 5000 }, (_, k) => ({ ...one, detection: null, kind: 'sphere',
    scan: `S${(k % 300) + 1}`, target: names[(k * 7) % 1500], length: ((k * 7919) % 5000) / 1e6, range: 1 + (k % 50) }));
  return new Response(JSON.stringify(answer), { status: 200, headers: { 'content-type': 'application/json' } });
};";

/// 5 000 observations and 300 stations: what is done with a ledger is there within a blink. Printed, not asserted.
#[tokio::test]
async fn long_ledgers_stay_quick() {
    let (server, c, id) = job::standing("zoe", "Long ledgers").await;
    let b = Browser::open().await;
    b.sign_in(&server.url, &c.email, PASSWORD).await;
    b.page.goto(&format!("{}/jobs/{id}/brief", server.url)).await.unwrap();
    b.see("//h1[starts-with(., 'Brief of')]").await;
    b.page.execute(LARGE, Vec::new()).await.unwrap();
    // the cloud beside is another matter, and drawn by the processor here
    b.page.execute("HTMLCanvasElement.prototype.getContext = () => null", Vec::new()).await.unwrap();
    b.sheet("Register").await;
    let view = |name: &str| format!("//div[contains(@class, 'ant-segmented-item-label')][.='{name}']");
    for (name, label, rows) in [("observations", "Observations", 5000), ("stations", "Stations", 300)] {
        b.click(&view(name)).await;
        b.see(&format!("//div[@data-rows='{rows}']//table[@aria-label='{label}']")).await;
        let drawn = b.page.find_all(fantoccini::Locator::Css("table.ledger tbody tr")).await.unwrap().len();
        assert!(drawn < 120, "{drawn} rows of {rows} are drawn");
        let took = b.page.execute_async(
            "const [label, done] = arguments; const table = document.querySelector(`table[aria-label='${label}']`);
             const box = table.parentElement; const out = {};
             const frame = () => new Promise((r) => requestAnimationFrame(() => setTimeout(r, 0)));
             const time = async (name, act) => { const t = performance.now(); act(); await frame(); out[name] = performance.now() - t; };
             (async () => {
               await time('sort', () => table.querySelectorAll('th button.sort')[3].click());
               let worst = 0;
               for (let k = 1; k <= 20; k++) { const t = performance.now(); box.scrollTop = k * 900; await frame(); worst = Math.max(worst, performance.now() - t); }
               out.scroll = worst;
               box.scrollTop = 0; await frame();
               const search = document.querySelector(`input[aria-label='Search ${label}']`);
               const set = Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set;
               await time('search', () => { set.call(search, 'S17'); search.dispatchEvent(new Event('input', { bubbles: true })); });
               out.found = Number(box.dataset.rows);
               await time('pick', () => (table.querySelector('tbody tr .link') ?? table.querySelector('tbody tr[data-id]')).click());
               done(out);
             })();",
            vec![json!(label)],
        );
        let took = took.await.unwrap();
        println!("{rows} rows of {label}: {took} (milliseconds)");
        assert!(took["found"].as_u64().unwrap() > 0, "{took}");
    }
    // what was picked stands in the address, and a link opens the same view
    let url = b.page.current_url().await.unwrap();
    assert!(url.query().unwrap_or_default().starts_with("pick="), "{url}");
    b.close().await;
}
