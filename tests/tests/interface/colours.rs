//! Photographs colour the clouds: placed by what is picked, what they saw is coloured and counted, goes into the package, and
//! is undone.

use nalgebra::UnitQuaternion;
use serde_json::{Value, json};
use vistazo_core::colour::Camera;
use vistazo_core::geometry::{Mat3, Pose, Vec3};
use vistazo_sim::Eye;
use vistazo_tests::browser::Browser;
use vistazo_tests::job;
use vistazo_tests::server::PASSWORD;

const SIZE: [usize; 2] = [900, 600];

/// A camera in the room, a step beside the first scanner, that looks at its middle.
fn camera(from: Vec3, to: &Vec3) -> Camera {
    let ahead = (to - from).normalize();
    let right = ahead.cross(&Vec3::z()).normalize();
    let axes = Mat3::from_columns(&[right, ahead.cross(&right), ahead]);
    let pose = Pose { rotation: UnitQuaternion::from_matrix(&axes), translation: from };
    Camera { pose, focal: 620.0, centre: [455.0, 296.0], radial: [-0.05, 0.0] }
}

fn png(pixels: &[[u8; 3]]) -> Vec<u8> {
    let mut out = Vec::new();
    let mut encoder = png::Encoder::new(&mut out, SIZE[0] as u32, SIZE[1] as u32);
    encoder.set_color(png::ColorType::Rgb);
    encoder.write_header().unwrap().write_image_data(pixels.as_flattened()).unwrap();
    out
}

/// How far two picks lie apart.
fn off(a: &Value, b: &Value, what: &str) -> f64 {
    let pairs = a[what].as_array().unwrap().iter().zip(b[what].as_array().unwrap());
    pairs.map(|(a, b)| (a.as_f64().unwrap() - b.as_f64().unwrap()).powi(2)).sum::<f64>().sqrt()
}

/// Clicks one of some pairs in the photograph and in the panorama, which somebody sees from within: to the right is clockwise.
async fn pick_by_hand(b: &Browser, count: usize, picks: &[Value]) {
    let at = |v: &Value| v.as_array().unwrap().iter().map(|v| v.as_f64().unwrap()).collect::<Vec<_>>();
    let turn = std::f64::consts::TAU;
    let on_panorama = |p: &Value| {
        let p = at(&p["at"]);
        let (u, v) = (0.5 - p[1].atan2(p[0]) / turn, 0.5 - p[2].atan2(p[0].hypot(p[1])) / (turn / 2.0));
        ((u - 0.5) * 1.6, (v - 0.5) * 0.8)
    };
    let pick = picks.iter().find(|p| on_panorama(p).0.abs() < 0.45).unwrap();
    let r = b.drawn("canvas[aria-label^='Photograph']").await;
    let k = (r[2] / SIZE[0] as f64).min(r[3] / SIZE[1] as f64);
    let pixel = at(&pick["pixel"]);
    let middle = [r[0] + r[2] / 2.0, r[1] + r[3] / 2.0];
    b.click_at(middle[0] + (pixel[0] - SIZE[0] as f64 / 2.0) * k, middle[1] + (pixel[1] - SIZE[1] as f64 / 2.0) * k)
        .await;
    let r = b.drawn("canvas[aria-label^='Panorama']").await;
    let (x, y) = on_panorama(pick);
    b.click_at(r[0] + r[2] * (0.5 + x), r[1] + r[3] / 2.0 + r[2] * y).await;
    b.see(&format!("//table[@aria-label='Picks']/tbody/tr[{}]", count + 1)).await;
}

#[tokio::test]
async fn a_photograph_is_placed_and_colours_what_it_saw() {
    let files = job::files();
    let (scene, truth) = (&files.job.scene, &files.job.truth.poses);
    let far = scene.site.walls[0].line[2];
    let (server, c, id) = job::standing("vera", "Coloured").await;
    let base = format!("/api/jobs/{id}");
    let middle = Vec3::new(far.x / 2.0, far.y / 2.0, 1.4);
    let from = truth[0].translation + (middle - truth[0].translation) * -0.05 + Vec3::new(0.0, 0.0, 0.1);
    let camera = camera(from, &middle);
    let eye = Eye::open(scene, 0);
    let picture = png(&eye.photograph(&camera, SIZE));
    let refused = c.send_bytes(&format!("{base}/photos?name=x.jpg"), picture[..200].to_vec()).await;
    assert_eq!(refused.0, 422, "{refused:?}");
    let (status, all) = c.send_bytes(&format!("{base}/photos?name=room.png"), picture).await;
    assert_eq!(status, 200, "{all}");
    let photo = all["photos"][0].clone();
    let path = format!("{base}/photos/{}", photo["id"].as_str().unwrap());
    assert!(photo["refused"].as_str().unwrap().contains("at least 6"), "{photo}");
    // the corners of the room and of what hangs in it, as somebody would pick them in the first scan
    let scans = c.ok("GET", &format!("{base}/scans"), Value::Null).await;
    let scan = scans[0]["id"].clone();
    let mut picks = Vec::new();
    for k in 0..60 {
        let (a, b) = (f64::from(k * 7 % 60) / 60.0, f64::from(k * 13 % 60) / 60.0);
        let place = match k % 3 {
            0 => Vec3::new(a * far.x, far.y, 2.6 * b),
            1 => Vec3::new(far.x, a * far.y, 2.6 * b),
            _ => Vec3::new(a * far.x, b * far.y, 0.0),
        };
        let Some((at, _)) = camera.project(&place) else { continue };
        let inside = (0..2).all(|k| at[k] > 10.0 && at[k] < SIZE[k] as f64 - 10.0);
        if inside && eye.sees(&from, &place) && picks.len() < 14 {
            let own = truth[0].inverse().apply(&place);
            picks.push(json!({ "pixel": at, "scan": scan, "at": [own.x, own.y, own.z] }));
        }
    }
    assert!(picks.len() >= 8, "{}", picks.len());
    let change =
        |version: i32, picks: &[Value]| json!({ "version": version, "picks": picks, "masks": [], "used": true });
    c.refused(409, "POST", &format!("{base}/colours"), json!({})).await;
    let all = c.ok("PUT", &path, change(1, &picks)).await;
    c.refused(409, "PUT", &path, change(1, &picks)).await;
    let fit = &all["photos"][0]["fit"];
    let position = job::on_grid_at(&from);
    for (k, at) in position.iter().enumerate() {
        let off = (fit["position"][k].as_f64().unwrap() - at).abs();
        let stated = fit["position95"][k].as_f64().unwrap();
        assert!(off < stated && stated < 0.3, "{off} {fit}");
    }
    // picked where they are drawn: none is blamed
    assert!(fit["p_family"].as_array().unwrap().iter().all(|p| p.as_f64().unwrap() > 0.05), "{fit}");
    c.run_body(&id, "/colours", json!({ "scan": scan })).await;
    let all = c.ok("GET", &format!("{base}/photos"), Value::Null).await;
    assert_eq!((all["scans"].as_array().unwrap().len(), all["to_do"].as_u64()), (1, Some(3)), "{all}");
    c.run_body(&id, "/colours", json!({})).await;
    let all = c.ok("GET", &format!("{base}/photos"), Value::Null).await;
    for s in all["scans"].as_array().unwrap() {
        let (coloured, unseen) = (s["coloured"].as_f64().unwrap(), s["unseen"].as_f64().unwrap());
        // a lens of 72° sees a fifth or so of what is all round it
        let share = coloured / (coloured + unseen);
        assert!(share > 0.05 && share < 0.5 && s["stale"] == false, "{s}");
    }
    let cloud = c.ok("GET", &format!("{base}/cloud"), Value::Null).await;
    let tiles = cloud["scans"][0]["tiles"].clone();

    let b = Browser::open().await;
    b.sign_in(&server.url, &c.email, PASSWORD).await;
    b.page.goto(&format!("{}/jobs/{id}/check?evidence=colours", server.url)).await.unwrap();
    b.see("//table[@aria-label='Coloured, by scan']/tbody/tr[4]").await;
    b.click("//button[normalize-space(.)='Pick']").await;
    b.see("//section[@aria-label='room.png']//table[@aria-label='Picks']/tbody/tr[8]").await;
    pick_by_hand(&b, picks.len(), &picks).await;
    let all = c.ok("GET", &format!("{base}/photos"), Value::Null).await;
    let last = all["photos"][0]["picks"].as_array().unwrap().last().unwrap().clone();
    let like = picks.iter().min_by(|p, q| off(p, &last, "pixel").total_cmp(&off(q, &last, "pixel"))).unwrap();
    // the photograph is shown at three fifths of its size, and a click is whole pixels
    assert!(off(like, &last, "pixel") < 5.0, "{like} {last}");
    assert!(off(like, &last, "at") < 0.15, "{like} {last}");
    b.press("Take the colours away again").await;
    b.see("//*[contains(.,'4 scans not coloured as things stand')]").await;
    b.close().await;
    let cloud = c.ok("GET", &format!("{base}/cloud"), Value::Null).await;
    assert_ne!(cloud["scans"][0]["tiles"]["build"], tiles["build"], "the cloud is as it came again");
}
