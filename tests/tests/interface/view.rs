//! The view in a real browser: picked points, colours, panoramas, a job of a hundred scans.

use serde_json::{Value, json};
use vistazo_core::geometry::{Pose, Vec3};
use vistazo_core::scan::Scan;
use vistazo_server::dto::PoseDto;
use vistazo_tests::browser::Browser;
use vistazo_tests::server::PASSWORD;
use vistazo_tests::{Client, Server, job};

/// The canonical scans of a job as they lie in the store, with the poses they are shown in.
async fn placed(server: &Server, c: &Client, id: &str, cloud: &Value) -> Vec<(Scan, Pose)> {
    let rows = c.ok("GET", &format!("/api/jobs/{id}/scans"), Value::Null).await;
    let one = |(row, scan): (&Value, &Value)| {
        let (upload, build) = (row["upload_id"].as_str().unwrap(), row["derived"]["build"].as_str().unwrap());
        let path = server.data.path().join(format!("jobs/{id}/scans/{upload}-0/{build}/scan"));
        let bytes = std::fs::read(path).unwrap();
        let points = vistazo_formats::canonical::read(&mut bytes.as_slice(), bytes.len() as u64).unwrap();
        (points, Pose::from(&serde_json::from_value::<PoseDto>(scan["pose"].clone()).unwrap()))
    };
    rows.as_array().unwrap().iter().zip(cloud["scans"].as_array().unwrap()).map(one).collect()
}

/// Points of known position are picked in the browser and read back to a millimetre, at grid
/// coordinates of millions of metres.
#[tokio::test]
async fn picked_points_are_where_they_are() {
    let (server, c, id) = job::standing("nils", "Picking").await;
    let cloud = c.ok("GET", &format!("/api/jobs/{id}/cloud?frame=grid"), Value::Null).await;
    let scans = placed(&server, &c, &id, &cloud).await;
    let origin = Vec3::from_iterator(cloud["origin"].as_array().unwrap().iter().map(|v| v.as_f64().unwrap()));
    // the scans stand in true metres about this place; coordinates that are read back are those of the grid
    let fitted = c.ok("GET", &format!("/api/jobs/{id}/georeference"), Value::Null).await;
    let about = Vec3::from_fn(|k, _| fitted["result"]["grid"]["origin"][k].as_f64().unwrap());
    let in_metres = |grid: &Vec3| {
        let d = grid - about;
        about + Vec3::new(d.x / job::GRID_FACTOR, d.y / job::GRID_FACTOR, d.z)
    };
    let b = Browser::open().await;
    b.sign_in(&server.url, &c.email, PASSWORD).await;
    b.page.goto(&format!("{}/jobs/{id}/georeference", server.url)).await.unwrap();
    b.see("//div[contains(@class, 'cloud') and @data-frame='grid' and @data-busy='false' and number(@data-points) > 50000]").await;
    b.press("Whole cloud").await;
    b.press("Measure").await;
    // a point of each scan's canonical file, carried to the grid by its pose here
    for (k, (points, pose)) in scans.iter().enumerate().take(3) {
        let aim = pose.apply(&points.at(points.points.len() / 2 + 777 * k)) + origin;
        b.press("Go to").await;
        b.fill("Coordinates to go to", &format!("{:.4} {:.4} {:.4}", aim.x, aim.y, aim.z)).await;
        b.press("Look there").await;
        tokio::time::sleep(std::time::Duration::from_millis(2500)).await;
        b.see("//div[contains(@class, 'cloud') and @data-busy='false']").await;
        let canvas = b.see("//div[contains(@class, 'cloud')]//canvas").await;
        let (left, top, width, height) = canvas.rectangle().await.unwrap();
        b.click_at(left + width / 2.0, top + height / 2.0).await;
        let said = b.see(&format!("//table[@aria-label='Measured points']/tbody/tr[{}]", k + 1)).await;
        let said = said.attr("data-point").await.unwrap().unwrap();
        let found = Vec3::from_iterator(said.split(' ').map(|v| v.parse().unwrap()));
        // which of the points it was: the nearest of any scan must be there to a tenth of a millimetre
        let nearest = scans.iter().map(|(points, pose)| {
            let local = pose.inverse().apply(&(in_metres(&found) - origin));
            (0..points.points.len()).map(|i| (points.at(i) - local).norm()).fold(f64::MAX, f64::min)
        });
        let nearest = nearest.fold(f64::MAX, f64::min);
        assert!(nearest < 1e-4, "what is read back is {:.2} mm from any measured point", nearest * 1e3);
        assert!((found - aim).norm() < 0.05, "{:.1} mm from what was aimed at", (found - aim).norm() * 1e3);
        assert!(found.x > 4e5 && found.y > 5e6);
    }
    b.see("//table[@aria-label='Distances']/tbody/tr[2]").await;
    // a view is kept, the page left, and the view shown again
    b.press("Views").await;
    b.fill("Name of the view", "two walls").await;
    b.press("Keep").await;
    b.page.refresh().await.unwrap();
    b.see("//div[contains(@class, 'cloud') and @data-frame='grid']").await;
    b.press("Views").await;
    b.press("two walls").await;
    b.see("//table[@aria-label='Distances']/tbody/tr[2]").await;
    // the thin slice as a plan shows fewer points than the whole
    b.press("Slice").await;
    b.press("Plan at this height").await;
    b.see("//button[contains(., 'Whole cloud')]").await;
    b.close().await;
}

/// Chooses a colouring, and returns what the middle of the cloud looks like.
async fn coloured(b: &Browser, by: &str) -> Vec<[f64; 3]> {
    b.click("//div[@aria-label='Cloud tools']//div[contains(@class, 'ant-select')]").await;
    b.click(&format!(
        "//div[contains(@class, 'ant-select-item-option')][.//div[starts-with(normalize-space(.), 'by {by}')]]"
    ))
    .await;
    // until the list has faded away and the picture stays as it is, however slow the machine
    let mut shot = Vec::new();
    for _ in 0..30 {
        tokio::time::sleep(std::time::Duration::from_millis(1200)).await;
        b.see("//div[contains(@class, 'cloud') and @data-busy='false']").await;
        let now = b.see("//div[contains(@class, 'cloud')]//canvas").await.screenshot().await.unwrap();
        let still = now == shot;
        shot = now;
        if still {
            break;
        }
    }
    let mut reader = png::Decoder::new(std::io::Cursor::new(shot)).read_info().unwrap();
    let mut bytes = vec![0; reader.output_buffer_size().unwrap()];
    let info = reader.next_frame(&mut bytes).unwrap();
    let (w, h, step) = (info.width as usize, info.height as usize, info.color_type.samples());
    let of = |row: usize, col: usize| [0, 1, 2].map(|k| f64::from(bytes[(row * w + col) * step + k]) / 255.0);
    let inside = (h * 3 / 10..h * 8 / 10).flat_map(|row| (w * 2 / 10..w * 8 / 10).map(move |col| (row, col)));
    // paper is what no point covers
    let paper = [0xfb, 0xf8, 0xf1].map(|v| f64::from(v) / 255.0);
    inside.map(|(r, c)| of(r, c)).filter(|p| apart(p, &paper) > 0.05).collect()
}

fn apart(a: &[f64; 3], b: &[f64; 3]) -> f64 {
    (0..3).map(|k| (a[k] - b[k]).abs()).fold(0.0, f64::max)
}

/// Share of pixels that have one of the colours, under some light.
fn share(pixels: &[[f64; 3]], colours: &[[f64; 3]]) -> f64 {
    let lights: Vec<f64> = (0..=36).map(|k| 0.78 + 0.01 * f64::from(k)).collect();
    let is =
        |p: &[f64; 3]| colours.iter().any(|c| lights.iter().any(|l| apart(p, &c.map(|v| (v * l).min(1.0))) < 0.03));
    pixels.iter().filter(|p| is(p)).count() as f64 / pixels.len() as f64
}

/// From teal by sand to red, as the view's legend says.
fn ramp(t: f64) -> [f64; 3] {
    let (a, b, c) = ([0.10, 0.52, 0.50], [0.90, 0.78, 0.45], [0.66, 0.19, 0.15]);
    let (from, to, s) = if t < 0.5 { (a, b, 2.0 * t) } else { (b, c, 2.0 * t.min(1.0) - 1.0) };
    [0, 1, 2].map(|k| from[k] + (to[k] - from[k]) * s)
}

/// Every colouring shows what the figures say.
#[tokio::test]
async fn colours_say_what_the_figures_say() {
    let (server, c, id) = job::standing("mai", "Colours").await;
    let cloud = c.ok("GET", &format!("/api/jobs/{id}/cloud?frame=grid"), Value::Null).await;
    let scans = placed(&server, &c, &id, &cloud).await;
    let b = Browser::open().await;
    b.sign_in(&server.url, &c.email, PASSWORD).await;
    b.page.goto(&format!("{}/jobs/{id}/georeference", server.url)).await.unwrap();
    b.see("//div[contains(@class, 'cloud') and @data-frame='grid' and @data-busy='false' and number(@data-points) > 50000]").await;
    // as the colours are, without the shading over them, and with what hangs above
    b.press("Whole cloud").await;
    b.press("Show").await;
    b.click("//label[contains(., 'shaded by depth')]").await;
    b.press("Show").await;
    let rows = cloud["scans"].as_array().unwrap();
    assert!(rows.iter().all(|s| s["grade"] == "sound"));

    let grade = share(&coloured(&b, "grade").await, &[[0x1d, 0x8a, 0x80].map(|v| f64::from(v) / 255.0)]);
    let strains: Vec<f64> = rows.iter().map(|s| s["residual"].as_f64().unwrap()).collect();
    let pixels = coloured(&b, "residual").await;
    let residual = share(&pixels, &strains.iter().map(|t| ramp(*t)).collect::<Vec<_>>());
    let another = share(&pixels, &[ramp(0.5 + 0.5 * strains.iter().fold(0.0, |a, b| b.max(a)))]);
    // the 95 % error of every hundredth point, from the covariance of its pose, over the limit of the brief
    let mut errors = Vec::new();
    for (row, (scan, pose)) in rows.iter().zip(&scans) {
        let flat: Vec<f64> = row["covariance"].as_array().unwrap().iter().map(|v| v.as_f64().unwrap()).collect();
        let cov = nalgebra::Matrix6::from_row_slice(&flat);
        for i in (0..scan.points.len()).step_by(100) {
            let arm = pose.apply(&scan.at(i)) - pose.translation;
            let mut j = nalgebra::Matrix3x6::zeros();
            j.fixed_view_mut::<3, 3>(0, 0).fill_with_identity();
            j.fixed_view_mut::<3, 3>(0, 3).copy_from(&-arm.cross_matrix());
            errors.push(2.7955 * (j * cov * j.transpose()).symmetric_eigenvalues().max().sqrt() / 0.008);
        }
    }
    errors.sort_by(f64::total_cmp);
    let (low, high) = (errors[0], errors[errors.len() - 1]);
    let range: Vec<[f64; 3]> = (0..=20).map(|k| ramp(low + (high - low) * f64::from(k) / 20.0)).collect();
    let pixels = coloured(&b, "error").await;
    let (error, beyond) = (share(&pixels, &range), share(&pixels, &[ramp(1.0), ramp(0.5)]));
    let pixels = coloured(&b, "intensity").await;
    let grey = pixels.iter().filter(|p| apart(&[p[0]; 3], p) < 0.02).count() as f64 / pixels.len() as f64;
    println!(
        "grade {grade:.2}, residual {residual:.2} (else {another:.2}), error {error:.2} in {low:.2}..{high:.2} (else {beyond:.2}), grey {grey:.2}"
    );
    // the rest are marks, names and the lines of the ties, drawn over the points
    assert!(grade > 0.8 && residual > 0.8 && error > 0.8 && grey > 0.8);
    assert!(high < 0.9 && another < 0.3 && beyond < 0.3);
    b.close().await;
}

/// The panorama of a scan shows what stands in each direction: the quarters of the checkers, as
/// truth has them, dark and light where they should be, and nothing straight down.
#[tokio::test]
async fn a_panorama_shows_what_stands_there() {
    let server = Server::start().await;
    let c = server.person("pia").await;
    let files = job::files();
    let id = job::new(&c, "Panorama", files).await;
    let mut judged = 0;
    for (k, (name, bytes)) in files.scans.iter().enumerate() {
        assert_eq!(c.upload(&id, name, bytes.clone()).await["state"], "done");
        let scan = c.ok("GET", &format!("/api/jobs/{id}/scans"), Value::Null).await[k]["id"].clone();
        let path = format!("/api/jobs/{id}/scans/{}/panorama", scan.as_str().unwrap());
        let answer = c.request("GET", &path).send().await.unwrap();
        assert_eq!(answer.headers()["content-type"], "image/png");
        let mut reader = png::Decoder::new(std::io::Cursor::new(answer.bytes().await.unwrap())).read_info().unwrap();
        let mut pixels = vec![0; reader.output_buffer_size().unwrap()];
        let info = reader.next_frame(&mut pixels).unwrap();
        let (w, h) = (info.width as usize, info.height as usize);
        assert_eq!((w, h), (2048, 1024));
        let light = |d: Vec3| {
            let col = (d.y.atan2(d.x) / std::f64::consts::TAU + 0.5) * w as f64;
            let row = (0.5 - d.z.atan2(d.x.hypot(d.y)) / std::f64::consts::PI) * h as f64;
            i32::from(pixels[((row as usize).min(h - 1) * w + (col as usize).min(w - 1)) * 3])
        };
        let into = files.job.truth.poses[k].inverse();
        assert_eq!(light(Vec3::new(0.0, 0.0, -1.0)), 238, "the blind cone is left as paper");
        for board in &files.job.scene.boards {
            let across = Vec3::z().cross(&board.normal);
            let (sin, cos) = board.turn.sin_cos();
            let quarter = |u: f64, v: f64| {
                let (a, z) = (u * cos - v * sin, u * sin + v * cos);
                light(into.apply(&(board.centre + across * a + Vec3::z() * z)))
            };
            let away = into.apply(&board.centre);
            let square = (into.rotation * board.normal).dot(&away).abs() / away.norm();
            // far or at a graze a quarter has too few points to be judged here
            if away.norm() > 6.0 || square < 0.5 {
                continue;
            }
            judged += 1;
            let q = board.half / 2.0;
            let (white, dark) = (quarter(q, q).min(quarter(-q, -q)), quarter(q, -q).max(quarter(-q, q)));
            assert!(white > dark + 60, "{name}: light quarters {white}, dark ones {dark}");
        }
    }
    assert!(judged >= 4, "{judged} checkers were near enough");
}

/// A hundred scans open within the points of the device and without loading everything.
#[tokio::test]
async fn a_hundred_scans_open() {
    let server = Server::start().await;
    let c = server.person("ove").await;
    let files = job::files();
    let id = job::new(&c, "Hundred scans", files).await;
    for (name, bytes) in &files.scans {
        assert_eq!(c.upload(&id, name, bytes.clone()).await["state"], "done");
    }
    // the same four scans again and again, at other places of a grid with large coordinates
    let db = server.pool().await;
    for k in 0..100 {
        let at = [3_412_000.0 + f64::from(k % 10) * 25.0, 5_604_000.0 + f64::from(k / 10) * 25.0, 90.0];
        let pose = json!({ "rotation": [1.0, 0.0, 0.0, 0.0], "translation": at });
        let copied = if k < 4 {
            sqlx::query("update scans set pose = $1 where id = (select id from scans order by id limit 1 offset $2)")
                .bind(pose)
                .bind(i64::from(k))
        } else {
            sqlx::query(
                "with u as (insert into uploads (id, job_id, file_name, bytes, received) select gen_random_uuid(), job_id, 'copy', 1, 1 from jobs j, \
                 lateral (select j.id as job_id) x limit 1 returning id, job_id) \
                 insert into scans (id, job_id, upload_id, part, name, gridded, points, key, pose, derived, bytes) \
                 select gen_random_uuid(), u.job_id, u.id, 0, 'C' || $2, gridded, points, key, $1, derived, bytes \
                 from u, (select * from scans where name like 'R%' order by id limit 1 offset $2 % 4) s",
            )
            .bind(pose)
            .bind(i64::from(k))
        };
        copied.execute(&db).await.unwrap();
    }
    db.close().await;
    let cloud = c.ok("GET", &format!("/api/jobs/{id}/cloud"), Value::Null).await;
    let all: i64 = cloud["scans"].as_array().unwrap().iter().map(|s| s["points"].as_i64().unwrap()).sum();
    assert_eq!(cloud["scans"].as_array().unwrap().len(), 100);
    let b = Browser::open().await;
    b.sign_in(&server.url, &c.email, PASSWORD).await;
    // before anything is fetched: the browser remembers 250 fetches of a document and drops the rest
    b.page.execute("performance.setResourceTimingBufferSize(20000)", vec![]).await.unwrap();
    b.click("//a[contains(@class, 'job-row')]").await;
    b.sheet("Register").await;
    // drawn by two processors that also run the other tests
    let whole = "//div[contains(@class, 'cloud') and @data-frame='as delivered' and @data-busy='false' and number(@data-points) > 30000]";
    b.see_within(whole, 240).await;
    let cloud = b.see("//div[contains(@class, 'cloud')]").await;
    let shown: i64 = cloud.attr("data-points").await.unwrap().unwrap().parse().unwrap();
    println!("{shown} of {all} points shown");
    // whoever has no graphics card is shown a million points at most
    assert!(shown <= 1_000_000 && shown * 4 < all, "{shown} of {all} points");
    let seen = b
        .page
        .execute(
            "return new Set(performance.getEntriesByType('resource').filter(e => e.name.endsWith('.glb')).map(e => e.name.split('/scans/')[1].slice(0, 36))).size",
            vec![],
        )
        .await
        .unwrap();
    assert_eq!(seen, json!(100), "every scan shows something");
    b.close().await;
}
