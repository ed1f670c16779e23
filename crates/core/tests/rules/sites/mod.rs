//! Generated sites of several kinds, to be planned.
#![allow(dead_code, clippy::unwrap_used, clippy::expect_used, clippy::panic, unreachable_pub)]

use nalgebra::Vector2;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use vistazo_core::plan::{Column, Demand, Obstacle, Opening, Site, Wall};

fn wanted(line: &[(f64, f64)], top: f64) -> Wall {
    let line = line.iter().map(|p| Vector2::new(p.0, p.1)).collect();
    Wall { demand: Some(Demand::spaced(0.03)), ..Wall::plain(0, line, 0.0, top) }
}

/// A door whose middle stands at a distance along its wall.
pub(crate) fn door(at: f64) -> Opening {
    Opening { name: "Door".into(), at, width: 1.0, sill: 0.0, head: 2.1 }
}

fn crate_at(x: f64, y: f64, w: f64, d: f64, top: f64) -> Obstacle {
    let outline = [(x, y), (x + w, y), (x + w, y + d), (x, y + d)].iter().map(|p| Vector2::new(p.0, p.1)).collect();
    Obstacle { outline, base: 0.0, top }
}

/// A site of one of five kinds.
pub(crate) fn site(seed: u64) -> (&'static str, Site) {
    let mut rng = ChaCha8Rng::seed_from_u64(seed);
    let mut site = Site::default();
    let kind = match seed % 5 {
        0 => {
            let (w, d) = (rng.random_range(24.0..40.0), rng.random_range(14.0..24.0));
            site.walls.push(wanted(&[(0.0, 0.0), (w, 0.0), (w, d), (0.0, d), (0.0, 0.0)], 6.0));
            for i in 1..4 {
                for j in 1..3 {
                    let centre = Vector2::new(w * f64::from(i) / 4.0, d * f64::from(j) / 3.0);
                    site.columns.push(Column { centre, radius: 0.3, base: 0.0, top: 6.0 });
                }
            }
            "hall with columns"
        }
        1 => {
            // rooms on both sides of a corridor
            let n = rng.random_range(3..5);
            let w = 5.0 * f64::from(n);
            site.walls.push(wanted(&[(0.0, 0.0), (w, 0.0), (w, 12.0), (0.0, 12.0), (0.0, 0.0)], 3.0));
            for y in [5.0, 7.0] {
                let openings = (0..n).map(|k| door(5.0 * f64::from(k) + rng.random_range(1.0..4.0))).collect();
                site.walls.push(Wall { openings, ..wanted(&[(0.0, y), (w, y)], 3.0) });
            }
            for k in 1..n {
                let x = 5.0 * f64::from(k);
                site.walls.push(wanted(&[(x, 0.0), (x, 5.0)], 3.0));
                site.walls.push(wanted(&[(x, 7.0), (x, 12.0)], 3.0));
            }
            "rooms along a corridor"
        }
        2 => {
            let (a, b) = (rng.random_range(18.0..28.0), rng.random_range(8.0..12.0));
            site.walls.push(wanted(&[(0.0, 0.0), (a, 0.0), (a, b), (b, b), (b, a), (0.0, a), (0.0, 0.0)], 4.5));
            "an L"
        }
        3 => {
            // the outside of buildings in a fenced yard
            site.walls.push(wanted(&[(0.0, 0.0), (45.0, 0.0), (45.0, 35.0), (0.0, 35.0), (0.0, 0.0)], 2.0));
            for _ in 0..3 {
                let (x, y) = (rng.random_range(6.0..30.0), rng.random_range(6.0..22.0));
                let (w, d) = (rng.random_range(4.0..9.0), rng.random_range(4.0..8.0));
                site.obstacles.push(crate_at(x, y, w, d, 4.0));
                site.walls.push(wanted(&[(x, y), (x + w, y), (x + w, y + d), (x, y + d), (x, y)], 4.0));
            }
            "buildings in a yard"
        }
        _ => {
            // a ring of bays
            let at = |r: f64, a: f64| (r * a.cos(), r * a.sin());
            for k in 0..7 {
                let (a, b) = (0.4 * f64::from(k), 0.4 * f64::from(k + 1));
                site.walls.push(wanted(&[at(12.0, a), at(20.0, a), at(20.0, b)], 5.0));
            }
            for _ in 0..4 {
                let (x, y) = (rng.random_range(-8.0..8.0), rng.random_range(-2.0..9.0));
                site.obstacles.push(crate_at(x, y, 1.5, 1.5, 1.6));
            }
            "a ring of bays"
        }
    };
    for (k, w) in site.walls.iter_mut().enumerate() {
        w.id = k;
    }
    (kind, site)
}
