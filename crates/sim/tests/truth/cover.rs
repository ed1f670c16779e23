//! What the plan says is covered, against the points that simulated scans of the same plan put there.

use nalgebra::Vector2;
use vistazo_core::geometry::{Pose, Vec3};
use vistazo_core::instrument::Instrument;
use vistazo_core::plan::{Column, Demand, NotCovered, Obstacle, Opening, Site, Station, Surface, Wall, cover};
use vistazo_sim::{Scanner, Scene, scan};

/// Two rooms with a door between them, a window, a column and a crate.
fn site() -> Site {
    // nearly grazing, so that the comparison is of sight and spacing and not of a limit
    let wanted = Demand { spacing: 1.0, incidence: 80.0_f64.to_radians(), accuracy: None };
    let line = |l: &[(f64, f64)]| l.iter().map(|p| Vector2::new(p.0, p.1)).collect::<Vec<_>>();
    let wall = |l: &[(f64, f64)], top: f64| Wall { demand: Some(wanted), ..Wall::plain(0, line(l), 0.0, top) };
    let door = Opening { name: "Door".into(), at: 4.0, width: 1.2, sill: 0.0, head: 2.2 };
    let window = Opening { name: "Window".into(), at: 3.0, width: 2.0, sill: 0.9, head: 2.4 };
    Site {
        walls: vec![
            Wall { openings: vec![window], ..wall(&[(0.0, 0.0), (12.0, 0.0)], 3.2) },
            wall(&[(12.0, 0.0), (12.0, 9.0), (0.0, 9.0), (0.0, 0.0)], 3.2),
            Wall { openings: vec![door], ..wall(&[(7.0, 0.0), (7.0, 9.0)], 3.2) },
        ],
        columns: vec![Column { centre: Vector2::new(3.0, 4.5), radius: 0.25, base: 0.0, top: 3.2 }],
        obstacles: vec![Obstacle {
            outline: line(&[(9.0, 6.0), (10.2, 6.0), (10.2, 7.4), (9.0, 7.4)]),
            base: 0.0,
            top: 1.3,
        }],
        ..Site::default()
    }
}

#[test]
fn planned_cover_is_what_scans_cover() {
    let site = site();
    let instrument = Instrument { step: 0.003, elevation_max: 60.0_f64.to_radians(), ..Instrument::mid_range() };
    let stations: Vec<Station> = [(1.8, 2.2, 1.6), (5.2, 7.4, 1.7), (9.6, 3.6, 1.55)]
        .iter()
        .enumerate()
        .map(|(k, p)| Station::at(&format!("S{}", k + 1), Vec3::new(p.0, p.1, p.2)))
        .collect();
    const GRID: f64 = 0.25;
    let c = cover(&site, &stations, &instrument, GRID);
    let scene = Scene { site: site.clone(), ground: 0.0, ..Scene::default() };
    let (mut ratios, mut total, mut planned, mut scanned, mut differs) = (Vec::new(), 0.0, 0.0, 0.0, 0.0);
    for (k, s) in stations.iter().enumerate() {
        let pose = Pose::levelled(0.7 * k as f64, s.position);
        let raw = scan(&scene, &Scanner::perfect(&instrument), &pose, 0, 5 + k as u64, &|_| true).unwrap();
        // points to pieces: the piece whose face they lie on
        let mut hits = vec![0_u32; c.samples.len()];
        let mut near: std::collections::HashMap<(i64, i64, i64), Vec<usize>> = std::collections::HashMap::new();
        let key = |p: &Vec3| [p.x, p.y, p.z].map(|v| (v / 0.3).floor() as i64);
        for (i, q) in c.samples.iter().enumerate() {
            let [x, y, z] = key(&q.position);
            near.entry((x, y, z)).or_default().push(i);
        }
        for p in &raw.points {
            let p = pose.apply(&Vec3::new(f64::from(p[0]), f64::from(p[1]), f64::from(p[2])));
            let [x, y, z] = key(&p);
            let around = (-1..=1).flat_map(|a| (-1..=1).flat_map(move |b| (-1..=1).map(move |c| (a, b, c))));
            let found = around.filter_map(|d| near.get(&(x + d.0, y + d.1, z + d.2))).flatten().find(|&&i| {
                let q = &c.samples[i];
                let d = p - q.position;
                let along = Vec3::new(-q.normal.y, q.normal.x, 0.0);
                d.dot(&q.normal).abs() < 0.012 && d.dot(&along).abs() <= q.size[0] / 2.0 && d.z.abs() <= q.size[1] / 2.0
            });
            if let Some(&i) = found {
                hits[i] += 1;
            }
        }
        for (i, q) in c.samples.iter().enumerate() {
            assert!(matches!(q.surface, Surface::Wall(_)));
            let seen = c.stations[k].samples[i];
            // out of reach and grazing pieces are left out by both
            if !matches!(seen, Ok(_) | Err(NotCovered::Hidden)) {
                continue;
            }
            // points that a wholly visible piece carries: its area by the spacing along and across
            let d = q.position - s.position;
            let cos = (q.normal.dot(&d) / d.norm()).abs();
            let spacing = instrument.spacing(d.norm(), cos) * cos.sqrt();
            if cos < 0.18 {
                continue;
            }
            let expected = q.area() / (spacing * spacing);
            let share = (f64::from(hits[i]) / expected).min(1.0);
            total += q.area();
            planned += if seen.is_ok() { q.area() } else { 0.0 };
            scanned += share * q.area();
            differs += (share - f64::from(u8::from(seen.is_ok()))).abs() * q.area();
            if seen.is_ok() && hits[i] >= 30 && share > 0.8 {
                ratios.push((expected / f64::from(hits[i])).sqrt());
            }
        }
    }
    ratios.sort_by(f64::total_cmp);
    let at = |share: f64| ratios[(share * (ratios.len() - 1) as f64) as usize];
    println!(
        "covered: planned {:.2} %, scanned {:.2} % of {total:.0} m², {:.2} % piece by piece; spacing found over planned, the middle 90 %: {:.3} to {:.3}, median {:.3}",
        100.0 * planned / total,
        100.0 * scanned / total,
        100.0 * differs / total,
        at(0.05),
        at(0.95),
        at(0.5)
    );
    // piece by piece the edges of shadows run through pieces, which the plan takes whole or not at all
    assert!((planned - scanned).abs() / total < 0.02 && differs / total < 0.05);
    assert!(at(0.05) > 0.9 && at(0.95) < 1.1 && (at(0.5) - 1.0).abs() < 0.02);
}
