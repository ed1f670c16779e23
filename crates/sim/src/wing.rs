use nalgebra::Vector2;
use vistazo_core::geometry::Vec3;
use vistazo_core::plan::{Demand, Obstacle, Opening, Site, Slab, Wall};

/// Spacing asked for on most walls, metres.
const WANTED: f64 = 0.015;
/// Height of the ceilings, metres.
const TOP: f64 = 3.1;
/// Corridor and rooms on the plan: lowest and highest x and y, metres.
const CORRIDOR: [f64; 4] = [27.6, 46.0, -6.7, -4.3];
const SOUTH: [f64; 4] = [27.6, 37.0, -12.8, -6.7];
const SOUTH_END: [f64; 4] = [37.0, 46.0, -13.6, -6.7];
const NORTH: [f64; 4] = [28.4, 37.8, -4.3, 1.4];

/// Adds the workshop wing of the Corvane Roundhouse to the site: a corridor with rooms on both sides, no target in any
/// of them. What its scans show is enough to tie them: no two rooms are alike.
///
/// Returns its stations as planned: name and centre of the instrument, plan coordinates, metres.
pub(crate) fn add_to(site: &mut Site) -> Vec<(String, Vec3)> {
    let mut wall = |from: (f64, f64), to: (f64, f64), doors: &[(f64, f64, f64)], asked: bool| {
        let line = vec![Vector2::new(from.0, from.1), Vector2::new(to.0, to.1)];
        let openings = doors
            .iter()
            .enumerate()
            .map(|(k, &(at, width, head))| Opening { name: format!("Door {}", k + 1), at, width, sill: 0.0, head })
            .collect();
        let demand = asked.then(|| Demand::spaced(WANTED));
        site.walls.push(Wall { openings, demand, ..Wall::plain(site.walls.len(), line, 0.0, TOP) });
    };
    let [x0, x1, y0, y1] = CORRIDOR;
    // the corridor: open to the yard, a window's niche at its end
    wall((x0, y0), (x1, y0), &[(4.9, 2.2, 2.3), (13.6, 1.8, 2.3)], true);
    wall((x0, y1), (x1, y1), &[(5.6, 2.4, 2.4)], true);
    wall((x1, y0), (x1, y1), &[], true);
    wall((x0, SOUTH[2]), (x0, 1.4), &[(SOUTH[3] - SOUTH[2] + (y1 - y0) / 2.0, y1 - y0 - 0.3, 2.6)], false);
    for [a, b, c, d] in [SOUTH, SOUTH_END] {
        wall((a, c), (b, c), &[], false);
        wall((b, c), (b, d), &[], true);
    }
    wall((SOUTH_END[0], SOUTH_END[2]), (SOUTH_END[0], SOUTH[2]), &[], false);
    let [a, b, c, d] = NORTH;
    wall((a, c), (a, d), &[], true);
    wall((a, d), (b, d), &[], true);
    wall((b, d), (b, c), &[], true);
    let outline = |[a, b, c, d]: [f64; 4]| -> Vec<Vector2<f64>> {
        [(a, c), (b, c), (b, d), (a, d)].iter().map(|p| Vector2::new(p.0, p.1)).collect()
    };
    for r in [CORRIDOR, SOUTH, SOUTH_END, NORTH] {
        site.slabs.push(Slab { outline: outline(r), height: TOP, demand: None });
    }
    // benches, cupboards, a lathe, a hearth: what tells one room from another
    for (r, base, top) in [
        ([27.7, 28.5, -12.6, -8.4], 0.0, 0.92),
        ([33.8, 36.9, -12.7, -12.0], 0.0, 2.15),
        ([31.2, 33.6, -10.9, -10.1], 0.0, 1.15),
        ([42.2, 45.9, -13.5, -12.3], 0.0, 1.25),
        ([37.1, 37.7, -10.6, -8.0], 0.0, 1.95),
        ([40.2, 41.1, -11.9, -11.2], 0.0, 2.45),
        ([28.5, 29.2, -3.6, 0.4], 0.0, 1.05),
        ([35.6, 37.7, 0.6, 1.3], 0.0, 2.2),
        ([32.6, 33.5, -1.2, 0.3], 0.0, 0.8),
        ([44.9, 45.9, -5.2, -4.4], 0.0, 1.6),
        ([38.6, 39.3, -4.7, -4.35], 0.0, 2.0),
    ] {
        site.obstacles.push(Obstacle { outline: outline(r), base, top });
    }
    [(24.3, -5.2), (30.4, -5.6), (32.6, -7.2), (33.2, -3.8), (39.6, -5.4), (41.1, -7.3)]
        .iter()
        .enumerate()
        .map(|(k, &(x, y))| (format!("W{}", k + 1), Vec3::new(x, y, 1.58 + 0.04 * (k % 3) as f64)))
        .collect()
}
