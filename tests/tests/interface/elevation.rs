//! A wall seen square on: its picture shows it from corner to corner, at true lengths, and goes into the package.

use serde_json::{Value, json};
use vistazo_tests::browser::Browser;
use vistazo_tests::job;
use vistazo_tests::server::PASSWORD;

/// So much of the plane lies beyond the corners of the room, metres.
const BEYOND: f64 = 0.5;
const PIXEL: f64 = 0.01;

#[tokio::test]
async fn a_wall_is_seen_square_on_from_corner_to_corner() {
    let files = job::files();
    let (server, c, id) = job::standing("lena", "Walls").await;
    let base = format!("/api/jobs/{id}");

    // the longest wall, from the left to the right of who stands in the room
    let walls = &files.job.scene.site.walls[0].line;
    let middle = walls.iter().sum::<nalgebra::Vector2<f64>>() / walls.len() as f64;
    let longest = walls.windows(2).max_by(|a, b| (a[1] - a[0]).norm().total_cmp(&(b[1] - b[0]).norm())).unwrap();
    let (mut left, mut right) = (longest[0], longest[1]);
    if (right - left).perp(&(middle - left)) > 0.0 {
        (left, right) = (right, left);
    }
    let d = (right - left).normalize();
    let long = (right - left).norm();
    let ends = [left - d * BEYOND, right + d * BEYOND].map(|p| {
        let g = job::on_grid_at(&p.push(0.0));
        [g.x, g.y]
    });
    let heights = [job::ORIGIN.z + 0.3, job::ORIGIN.z + 2.0];
    let item = uuid::Uuid::now_v7();
    let data = json!({ "name": "Long wall", "line": ends, "heights": heights, "depth": [0.08, 0.05], "pixel": PIXEL });
    let edit =
        |data: &Value| json!([{ "id": item, "kind": "elevation", "version": null, "deleted": false, "data": data }]);
    let mut fine = data.clone();
    fine["pixel"] = json!(0.0001);
    let (status, says) = c.call("POST", &format!("{base}/drawing/edits"), edit(&fine)).await;
    assert!(status == 422 && says["error"].as_str().unwrap().contains("1 to 200 mm"), "{says}");
    c.ok("POST", &format!("{base}/drawing/edits"), edit(&data)).await;

    // from the page
    let b = Browser::open().await;
    b.sign_in(&server.url, &c.email, PASSWORD).await;
    b.page.goto(&format!("{}/jobs/{id}/draw?drawn=elevations", server.url)).await.unwrap();
    b.press("Make the picture").await;
    b.see_within("//canvas[@aria-label='Picture of Long wall'][@data-ready='yes']", 120).await;
    b.says("(95 %)").await;
    b.click("//canvas[@aria-label='Picture of Long wall']").await;

    // from corner to corner, and nothing beyond
    let drawing = c.ok("GET", &format!("{base}/drawing"), Value::Null).await;
    let made = &drawing["items"][0]["data"]["picture"];
    let get = async |f: &str| {
        let path = format!("{base}/drawing/{item}/elevation.{f}");
        c.request("GET", &path).send().await.unwrap().bytes().await.unwrap()
    };
    let bytes = get("png").await;
    let mut reader = png::Decoder::new(std::io::Cursor::new(&bytes[..])).read_info().unwrap();
    let mut pixels = vec![0; reader.output_buffer_size().unwrap()];
    let info = reader.next_frame(&mut pixels).unwrap();
    let (w, h) = (info.width as usize, info.height as usize);
    let factor = job::GRID_FACTOR;
    assert_eq!([w, h], [((long + 2.0 * BEYOND) * factor / PIXEL).ceil() as usize, 170]);
    let seen = |x: usize| (0..h).filter(|y| pixels[4 * (y * w + x) + 3] > 0).count() * 2 > h;
    let (first, last) = ((0..w).find(|x| seen(*x)).unwrap(), (0..w).rfind(|x| seen(*x)).unwrap());
    let within = made["error95"].as_f64().unwrap() + PIXEL;
    let off = |pixel: f64, truth: f64| (pixel * PIXEL - truth * factor).abs();
    assert!(off(first as f64, BEYOND) < within, "{first} {within}");
    assert!(off(last as f64 + 1.0, BEYOND + long) < within, "{last} {within}");
    assert!(within < 0.03 && made["share"].as_f64().unwrap() > 0.7, "{made}");
    assert_eq!(drawing["stale"], json!([]));

    // six numbers that say where it lies, and the same in the package
    let world = String::from_utf8(get("pgw").await.to_vec()).unwrap();
    let numbers: Vec<f64> = world.lines().map(|l| l.parse().unwrap()).collect();
    let truth = [PIXEL, 0.0, 0.0, -PIXEL, PIXEL / 2.0, heights[1] - PIXEL / 2.0];
    assert!(numbers.iter().zip(truth).all(|(a, b)| (a - b).abs() < 1e-6), "{world}");
    assert!(get("pdf").await.starts_with(b"%PDF") && get("tif").await.starts_with(b"II*\0"));
    c.run(&id, "/packages").await;
    let package = c.ok("GET", &format!("{base}/packages"), Value::Null).await[0].clone();
    let names: Vec<&str> =
        package["manifest"]["files"].as_array().unwrap().iter().map(|f| f["name"].as_str().unwrap()).collect();
    let wanted = ["png", "pgw", "tif", "pdf"].map(|e| format!("long-wall-elevation.{e}"));
    assert!(wanted.iter().all(|n| names.contains(&n.as_str())), "{names:?}");

    // the plane lies in the wall: there is nothing of it to cut but what meets it
    let none = drawing["items"][0]["data"]["section"]["lines"].as_array().map_or(0, Vec::len);
    assert!(none <= 3, "{none} lines where the plane lies in a wall: {}", drawing["items"][0]["data"]["section"]);
    // moved into the room, it cuts both walls beside it and the floor
    let inwards = nalgebra::Vector2::new(-d.y, d.x) * (middle - left).dot(&nalgebra::Vector2::new(-d.y, d.x)).signum();
    let moved = [left - d * BEYOND, right + d * BEYOND].map(|p| {
        let g = job::on_grid_at(&(p + inwards * 1.1).push(0.0));
        [g.x, g.y]
    });
    let cut = json!({ "name": "Through", "line": moved, "heights": [heights[0] - 0.6, heights[1]], "depth": [0.3, 0.3], "pixel": PIXEL });
    let other = uuid::Uuid::now_v7();
    let edit = json!([{ "id": other, "kind": "elevation", "version": null, "deleted": false, "data": cut }]);
    c.ok("POST", &format!("{base}/drawing/edits"), edit).await;
    c.run(&id, &format!("/drawing/{other}/picture")).await;
    let drawing = c.ok("GET", &format!("{base}/drawing"), Value::Null).await;
    let found = drawing["items"].as_array().unwrap().iter().find(|i| i["id"] == json!(other)).unwrap();
    let lines = found["data"]["section"]["lines"].as_array().unwrap();
    for truth in [BEYOND, BEYOND + long] {
        let near = lines.iter().find_map(|l| {
            let (a, b) = (l["ends"][0][0].as_f64()?, l["ends"][1][0].as_f64()?);
            let off = (a - truth * factor).abs().max((b - truth * factor).abs());
            (off < 0.05).then(|| (off, l["error95"][0].as_f64().unwrap().max(l["error95"][1].as_f64().unwrap())))
        });
        let (off, said) = near.unwrap_or_else(|| panic!("no line at {truth} of {lines:?}"));
        assert!(off < said + 0.004 && said < 0.02, "{off} of {said}");
    }
    let level = lines.iter().any(|l| (0..2).all(|k| (l["ends"][k][1].as_f64().unwrap() - job::ORIGIN.z).abs() < 0.01));
    assert!(level, "the floor: {lines:?}");
    let path = format!("{base}/drawing/{other}/section.dxf");
    let dxf = c.request("GET", &path).send().await.unwrap().text().await.unwrap();
    assert!(dxf.contains("CUT") && dxf.contains("95 %"), "{dxf}");

    // looked at from the other side it is another picture
    b.press("From the other side").await;
    b.says("changed since the picture was made").await;
    b.close().await;
}
