//! Sites drawn by chance, five kinds of them and a row of like rooms, and what a scan of one shows.
#![allow(dead_code, clippy::unwrap_used, clippy::expect_used, clippy::panic, unreachable_pub)]

use nalgebra::Vector2;
use rand::Rng;
use rand_chacha::ChaCha8Rng;
use std::f64::consts::TAU;
use vistazo_core::cloud::{Order, working};
use vistazo_core::geometry::{Pose, Vec3};
use vistazo_core::plan::{Column, Obstacle, Opening, Site, Slab, Wall};
use vistazo_core::tie::{Shown, Sight};
use vistazo_sim::{Scanner, Scene, scan};

/// Walls, things that stand about, columns, and where the scanner stands.
pub(crate) type Plan = (Vec<Wall>, Vec<Obstacle>, Vec<Column>, Vec<Vec3>);

pub(crate) fn wall(line: &[(f64, f64)], top: f64, doors: &[(f64, f64)]) -> Wall {
    let line = line.iter().map(|p| Vector2::new(p.0, p.1)).collect();
    let openings =
        doors.iter().map(|&(at, width)| Opening { name: String::new(), at, width, sill: 0.0, head: 2.1 }).collect();
    Wall { openings, ..Wall::plain(0, line, 0.0, top) }
}

pub(crate) fn chest(x: f64, y: f64, w: f64, d: f64, h: f64) -> Obstacle {
    let outline = [(0.0, 0.0), (w, 0.0), (w, d), (0.0, d)].map(|p| Vector2::new(x + p.0, y + p.1)).to_vec();
    Obstacle { outline, base: 0.0, top: h }
}

fn column(x: f64, y: f64, radius: f64, top: f64) -> Column {
    Column { centre: Vector2::new(x, y), radius, base: 0.0, top }
}

/// Rooms of different size along a corridor, with doors and furniture.
pub(crate) fn rooms(rng: &mut ChaCha8Rng) -> Plan {
    let (mut walls, mut chests, mut places) = (vec![], vec![], vec![]);
    let mut x = 0.0;
    while x < 18.0 {
        let (w, d) = (rng.random_range(3.5..6.5), rng.random_range(3.5..5.5));
        let door = rng.random_range(0.8..w - 0.8);
        walls.push(wall(&[(x, 2.0), (x + w, 2.0)], 2.8, &[(door, 1.0)]));
        walls.push(wall(&[(x, 2.0), (x, 2.0 + d), (x + w, 2.0 + d), (x + w, 2.0)], 2.8, &[]));
        for _ in 0..2 {
            let (cx, cy) = (x + rng.random_range(0.1..w - 1.2), 2.0 + d - 0.75);
            chests.push(chest(cx, cy, rng.random_range(0.4..1.1), 0.7, rng.random_range(0.7..1.9)));
        }
        places.push(Vec3::new(x + w / 2.0, 2.0 + d * 0.4, 1.6));
        places.push(Vec3::new(x + door, 1.0, 1.6));
        x += w;
    }
    walls.push(wall(&[(0.0, 2.0), (0.0, 0.0), (x, 0.0), (x, 2.0)], 2.8, &[(2.0, 1.2)]));
    (walls, chests, vec![], places)
}

/// A works of bays in rows, open to one another through gates, with things that stand about; a scan in each bay.
pub(crate) fn works(rng: &mut ChaCha8Rng, (across, along): (usize, usize)) -> Plan {
    const BAY: (f64, f64) = (9.0, 7.0);
    let (w, d) = (BAY.0 * across as f64, BAY.1 * along as f64);
    let mut walls = vec![wall(&[(0.0, 0.0), (w, 0.0), (w, d), (0.0, d), (0.0, 0.0)], 4.5, &[])];
    let (mut chests, mut columns, mut places) = (vec![], vec![], vec![]);
    for (i, j) in (0..along).flat_map(|j| (0..across).map(move |i| (i, j))) {
        let (x, y) = (BAY.0 * i as f64, BAY.1 * j as f64);
        let gate = |rng: &mut ChaCha8Rng, side: f64| (rng.random_range(0.4..side - 5.0), 4.6);
        if i > 0 {
            walls.push(wall(&[(x, y), (x, y + BAY.1)], 4.5, &[gate(rng, BAY.1)]));
        }
        if j > 0 {
            walls.push(wall(&[(x, y), (x + BAY.0, y)], 4.5, &[gate(rng, BAY.0)]));
        }
        for (cx, cy) in [(0.4, 0.4), (BAY.0 - 2.4, 0.3), (0.3, BAY.1 - 1.9), (BAY.0 - 2.2, BAY.1 - 1.7)] {
            if rng.random_bool(0.6) {
                let (a, b, h) = (rng.random_range(0.5..1.8), rng.random_range(0.5..1.3), rng.random_range(0.5..2.4));
                chests.push(chest(x + cx + rng.random_range(0.0..0.3), y + cy, a, b, h));
            }
        }
        columns.push(column(x + rng.random_range(2.8..3.4), y + rng.random_range(1.2..5.8), 0.15, 4.5));
        places.push(Vec3::new(x + rng.random_range(4.4..5.2), y + rng.random_range(3.0..4.0), 1.65));
    }
    (walls, chests, columns, places)
}

/// A hall with columns at uneven distances and things that stand about.
pub(crate) fn hall(rng: &mut ChaCha8Rng) -> Plan {
    let (w, d) = (rng.random_range(22.0..30.0), rng.random_range(14.0..19.0));
    let walls = vec![wall(&[(0.0, 0.0), (w, 0.0), (w, d), (0.0, d), (0.0, 0.0)], 6.0, &[(5.0, 3.0)])];
    let columns = (1..4)
        .flat_map(|i| [0.3, 0.7].map(|f| (w * f64::from(i) / 4.0, d * f)))
        .map(|(x, y)| column(x, y, 0.2, 6.0))
        .collect();
    let chests = (0..8)
        .map(|_| {
            let (x, y) = (rng.random_range(1.0..w - 3.0), rng.random_range(1.0..d - 3.0));
            chest(x, y, rng.random_range(0.5..2.0), rng.random_range(0.5..2.0), rng.random_range(0.5..2.4))
        })
        .collect();
    let places = [(0.13, 0.5), (0.38, 0.14), (0.38, 0.86), (0.62, 0.5), (0.87, 0.2), (0.87, 0.8)];
    let clear = |c: &Obstacle| places.iter().all(|p| (c.outline[0] - Vector2::new(w * p.0, d * p.1)).norm() > 3.2);
    let chests: Vec<Obstacle> = Vec::into_iter(chests).filter(clear).collect();
    (walls, chests, columns, places.map(|(x, y)| Vec3::new(w * x, d * y, 1.65)).to_vec())
}

/// Identical bays in a ring about an empty yard: nothing but the count tells one from the next.
pub(crate) fn ring(rng: &mut ChaCha8Rng) -> Plan {
    const BAYS: usize = 16;
    let at = |r: f64, k: f64| {
        let (s, c) = (k / BAYS as f64 * TAU).sin_cos();
        (r * c, r * s)
    };
    let outer: Vec<_> = (0..=BAYS).map(|k| at(20.0, k as f64)).collect();
    let mut walls = vec![wall(&outer, 6.0, &[])];
    walls.extend((0..BAYS).map(|k| wall(&[at(14.0, k as f64), at(20.0, k as f64)], 6.0, &[])));
    let columns = (0..BAYS)
        .map(|k| {
            let p = at(13.0, k as f64);
            column(p.0, p.1, 0.2, 6.0)
        })
        .collect();
    let off = rng.random_range(0.0..1.0);
    let places = (0..5).map(|k| {
        let p = at(9.0, f64::from(k) * 2.0 + off);
        Vec3::new(p.0, p.1, 1.6)
    });
    (walls, vec![], columns, places.collect())
}

/// Open ground with a fence far away and a few things on it.
pub(crate) fn yard(rng: &mut ChaCha8Rng) -> Plan {
    let w = rng.random_range(38.0..46.0);
    let walls = vec![wall(&[(0.0, 0.0), (w, 2.0), (w - 3.0, 34.0), (2.0, 30.0), (0.0, 0.0)], 1.6, &[])];
    let chests = (0..5)
        .map(|_| {
            let (x, y) = (rng.random_range(6.0..30.0), rng.random_range(6.0..24.0));
            chest(x, y, rng.random_range(1.0..5.0), rng.random_range(1.0..3.0), rng.random_range(1.0..2.6))
        })
        .collect();
    let columns = (0..4).map(|_| column(rng.random_range(4.0..36.0), rng.random_range(4.0..26.0), 0.12, 4.0)).collect();
    let places = [(0.15, 0.2), (0.5, 0.15), (0.8, 0.3), (0.75, 0.75), (0.3, 0.8)];
    (walls, chests, columns, places.map(|(x, y)| Vec3::new(w * x, 31.0 * y, 1.7)).to_vec())
}

/// A corridor of plain walls: nothing holds along it but what few things stand there.
pub(crate) fn corridor(rng: &mut ChaCha8Rng) -> Plan {
    let l = rng.random_range(34.0..42.0);
    let doors: Vec<_> = (0..5).map(|k| (3.0 + 6.5 * f64::from(k) + rng.random_range(0.0..1.5), 1.0)).collect();
    let walls = vec![
        wall(&[(0.0, 0.0), (l, 0.0)], 2.8, &doors),
        wall(&[(l, 0.0), (l, 2.4), (0.0, 2.4), (0.0, 0.0)], 2.8, &[]),
        // what is behind the doors
        wall(&[(0.0, -0.3), (l, -0.3)], 2.8, &[]),
    ];
    let chests =
        (0..3).map(|_| chest(rng.random_range(2.0..l - 3.0), 1.9, 0.9, 0.5, rng.random_range(0.8..2.0))).collect();
    let places = (0..5).map(|k| Vec3::new(3.0 + f64::from(k) * (l - 6.0) / 4.0, 1.1, 1.6)).collect();
    (walls, chests, vec![], places)
}

/// Ten rooms of one size along a corridor, each with a door somewhere and its own furniture: scans in the corridor, then
/// one in each room.
pub(crate) fn like_rooms(rng: &mut ChaCha8Rng) -> Plan {
    let (mut walls, mut chests) = (vec![], vec![]);
    let mut places: Vec<Vec3> = (0..5).map(|k| Vec3::new(6.0 * f64::from(k) + 2.7, 6.5, 1.6)).collect();
    for k in 0..5 {
        let x = 6.0 * f64::from(k);
        // the two sides of the walls a hand apart
        for (door_side, room_side, far) in [(5.56, 5.44, 0.0), (7.44, 7.56, 13.0)] {
            let door = rng.random_range(0.6..4.2);
            for y in [door_side, room_side] {
                walls.push(wall(&[(x, y), (x + 6.0, y)], 2.8, &[(door, 0.95)]));
            }
            walls.push(wall(
                &[(x + 0.06, room_side), (x + 0.06, far), (x + 5.94, far), (x + 5.94, room_side)],
                2.8,
                &[],
            ));
            let station = Vec3::new(x + 3.0, if far > 6.0 { 8.5 } else { 4.5 }, 1.6);
            for _ in 0..4 {
                let (w, d) = (rng.random_range(0.4..1.5), rng.random_range(0.4..0.9));
                let (cx, cy) = (x + rng.random_range(0.2..4.3), rng.random_range(0.1..3.4));
                let cy = if far > 6.0 { 13.0 - cy - d } else { cy };
                if (Vector2::new(cx + w / 2.0, cy + d / 2.0) - station.xy()).norm() > 1.5 {
                    chests.push(chest(cx, cy, w, d, rng.random_range(0.4..1.9)));
                }
            }
            places.push(station);
        }
    }
    walls.push(wall(&[(0.0, 5.5), (0.0, 7.5)], 2.8, &[]));
    walls.push(wall(&[(30.0, 5.5), (30.0, 7.5)], 2.8, &[]));
    (walls, chests, vec![], places)
}

pub(crate) fn scene(plan: &Plan) -> Scene {
    let floor = Slab {
        outline: [(-30.0, -30.0), (200.0, -30.0), (200.0, 60.0), (-30.0, 60.0)]
            .map(|p| Vector2::new(p.0, p.1))
            .to_vec(),
        height: 0.0,
        demand: None,
    };
    let (walls, obstacles, columns) = (plan.0.clone(), plan.1.clone(), plan.2.clone());
    let walls = walls.into_iter().enumerate().map(|(id, w)| Wall { id, ..w }).collect();
    Scene { site: Site { walls, obstacles, columns, slabs: vec![floor], ..Site::default() }, ..Scene::default() }
}

pub(crate) fn shown(scene: &Scene, scanner: &Scanner, pose: &Pose, seed: u64) -> Shown {
    let scan = scan(scene, scanner, pose, 0, seed, &|_| true).unwrap().into_scan().unwrap();
    Shown::new(working(&scan, &Order::of(&scan)).0, Sight::of(&scan))
}
