//! What a plan can only gain by another station, a wall that goes, another target; what is the same when the site is
//! turned on the sheet; and areas, inside and outside, against plain counting.

use crate::sites;

use nalgebra::{Rotation2, Vector2};
use proptest::prelude::*;
use rand::seq::SliceRandom;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use sites::{door, site};
use vistazo_core::geometry::Vec3;
use vistazo_core::instrument::Instrument;
use vistazo_core::plan::{
    Cover, Design, Kit, LeapfrogError, Obstacle, Opening, PlannedKind, PlannedTarget, Prediction, Site, Station, Wall,
    cover, day, inside, leapfrog, predict, station_graph,
};

/// Places where an instrument may stand.
fn stations(site: &Site, n: usize, rng: &mut ChaCha8Rng) -> Vec<Station> {
    let (low, high) = site.extent().unwrap();
    let mut out = Vec::new();
    while out.len() < n {
        let at = Vector2::new(rng.random_range(low.x..high.x), rng.random_range(low.y..high.y));
        if site.is_free(&at, 0.0, 1.8, 0.4) {
            out.push(Station::at(&format!("S{}", out.len() + 1), Vec3::new(at.x, at.y, 1.65)));
        }
    }
    out
}

fn targets(site: &Site, n: usize, rng: &mut ChaCha8Rng) -> Vec<PlannedTarget> {
    let places = stations(site, n, rng);
    let control = |k: usize| (k < 4).then(|| Vec3::repeat(0.001));
    places
        .into_iter()
        .enumerate()
        .map(|(k, s)| PlannedTarget {
            name: format!("K{k}"),
            position: s.position + Vec3::new(0.0, 0.0, 0.3 * (k % 3) as f64),
            kind: PlannedKind::Sphere,
            control_sigma: control(k),
            check: false,
        })
        .collect()
}

/// Sites without level surfaces that are wanted: those are cut along the axes of the sheet.
const SEEDS: std::ops::Range<u64> = 0..10;

#[test]
fn another_station_takes_nothing_away() {
    let instrument = Instrument::mid_range();
    for seed in SEEDS {
        let (kind, site) = site(seed);
        let all = stations(&site, 4, &mut ChaCha8Rng::seed_from_u64(seed));
        let mut before: Option<Cover> = None;
        for n in 1..=4 {
            let now = cover(&site, &all[..n], &instrument, 0.8);
            assert!(now.twice.unwrap_or(0.0) <= now.once.unwrap_or(0.0));
            if let Some(before) = before {
                assert!(now.once >= before.once && now.twice >= before.twice, "{kind} {seed}");
                for k in 0..now.samples.len() {
                    assert!(now.count(k) >= before.count(k));
                    if let Ok(was) = before.best(k) {
                        let is = now.best(k).unwrap();
                        assert!(
                            is.spacing <= was.spacing && is.incidence <= was.incidence,
                            "{kind} {seed}: {was:?} {is:?}"
                        );
                    }
                }
            }
            before = Some(now);
        }
    }
}

#[test]
fn what_stands_in_the_way_shows_nothing_more() {
    let instrument = Instrument::mid_range();
    for seed in SEEDS {
        let mut rng = ChaCha8Rng::seed_from_u64(seed);
        let (kind, empty) = site(seed);
        let places = stations(&empty, 3, &mut rng);
        let mut full = empty.clone();
        let (low, high) = full.extent().unwrap();
        for _ in 0..4 {
            let at = Vector2::new(rng.random_range(low.x..high.x), rng.random_range(low.y..high.y));
            if places.iter().any(|p| (p.position.xy() - at).norm() < 3.0) {
                continue;
            }
            let corners = [(0.0, 0.0), (1.4, 0.2), (1.1, 1.2), (-0.2, 0.9)];
            let outline = corners.iter().map(|c| at + Vector2::new(c.0, c.1)).collect();
            full.obstacles.push(Obstacle { outline, base: 0.0, top: rng.random_range(1.0..3.0) });
        }
        let (open, hidden) = (cover(&empty, &places, &instrument, 0.6), cover(&full, &places, &instrument, 0.6));
        assert!(hidden.once <= open.once, "{kind} {seed}");
        for (a, b) in open.stations.iter().zip(&hidden.stations) {
            assert!(
                (0..open.samples.len()).all(|k| a.sees(k) || !b.sees(k)),
                "{kind} {seed}: seen through an obstacle"
            );
        }
    }
}

/// The same site lying otherwise on the sheet.
struct Laid {
    turn: Rotation2<f64>,
    shift: Vector2<f64>,
}

impl Laid {
    fn at(&self, p: &Vector2<f64>) -> Vector2<f64> {
        self.turn * p + self.shift
    }

    fn high(&self, p: &Vec3) -> Vec3 {
        let q = self.at(&p.xy());
        Vec3::new(q.x, q.y, p.z)
    }

    fn site(&self, site: &Site) -> Site {
        let mut s = site.clone();
        s.walls.iter_mut().flat_map(|w| &mut w.line).for_each(|p| *p = self.at(p));
        s.obstacles.iter_mut().flat_map(|o| &mut o.outline).for_each(|p| *p = self.at(p));
        s.columns.iter_mut().for_each(|c| c.centre = self.at(&c.centre));
        s.slabs.iter_mut().flat_map(|o| &mut o.outline).for_each(|p| *p = self.at(p));
        s.edges.iter_mut().flat_map(|o| &mut o.line).for_each(|p| *p = self.at(p));
        s
    }
}

fn predicted(site: &Site, places: &[Station], targets: &[PlannedTarget]) -> Prediction {
    predict(&Design::new(site, &Instrument::mid_range(), Kit::default(), places, targets))
}

#[test]
fn how_a_site_lies_on_the_sheet_changes_nothing() {
    let instrument = Instrument::mid_range();
    for seed in SEEDS {
        let mut rng = ChaCha8Rng::seed_from_u64(100 + seed);
        let (kind, site) = site(seed);
        let (places, marks) = (stations(&site, 4, &mut rng), targets(&site, 9, &mut rng));
        let laid = Laid { turn: Rotation2::new(rng.random_range(-3.0..3.0)), shift: Vector2::new(812.0, -455.0) };
        let (there, mut moved, mut seen) = (laid.site(&site), places.clone(), marks.clone());
        moved.iter_mut().for_each(|s| s.position = laid.high(&s.position));
        seen.iter_mut().for_each(|t| t.position = laid.high(&t.position));
        let (a, b) = (cover(&site, &places, &instrument, 0.7), cover(&there, &moved, &instrument, 0.7));
        // a ray along an edge may fall on either side, and a wall be cut into one piece more
        for (x, y) in [(a.once, b.once), (a.twice, b.twice)] {
            assert!((x.unwrap_or(0.0) - y.unwrap_or(0.0)).abs() < 0.01, "{kind} {seed}: {x:?} {y:?}");
        }
        let (p, q) = (predicted(&site, &places, &marks), predicted(&there, &moved, &seen));
        if p.sees != q.sees {
            continue;
        }
        assert_eq!(p.block.is_ok(), q.block.is_ok(), "{kind} {seed}");
        for k in 0..p.used.len() {
            if let (Some(x), Some(y)) = (p.target_error(k), q.target_error(k)) {
                // a scan begins where the sheet's east is, and settles from there on: a little of it turns along
                assert!((x.spatial - y.spatial).abs() < 0.01 * x.spatial.max(1e-3), "{kind} {seed}: {x:?} {y:?}");
            }
        }
    }
}

#[test]
fn another_target_makes_no_station_worse() {
    for seed in SEEDS {
        let mut rng = ChaCha8Rng::seed_from_u64(300 + seed);
        let (kind, site) = site(seed);
        let (places, marks) = (stations(&site, 4, &mut rng), targets(&site, 14, &mut rng));
        let mut before: Option<Prediction> = None;
        for n in [8, 11, 14] {
            let now = predicted(&site, &places, &marks[..n]);
            if let Some(before) = before.filter(|b| b.on_grid.is_some() && now.on_grid.is_some()) {
                for s in 0..places.len() {
                    let (was, is) = (before.station_error(s).unwrap().spatial, now.station_error(s).unwrap().spatial);
                    assert!(is <= was * (1.0 + 1e-6), "{kind} {seed}: {n} targets, station {s}: {was} becomes {is}");
                }
            }
            before = Some(now);
        }
    }
}

/// The order of names and stations is no part of what hangs together.
#[test]
fn what_hangs_together_does_so_in_any_order() {
    let instrument = Instrument::mid_range();
    for seed in SEEDS {
        let mut rng = ChaCha8Rng::seed_from_u64(seed);
        let (_, site) = site(seed);
        let all = stations(&site, 6, &mut rng);
        let parts = |order: &[usize]| {
            let taken: Vec<Station> = order.iter().map(|&k| all[k].clone()).collect();
            let c = cover(&site, &taken, &instrument, 0.8);
            let none = vec![Vec::new(); taken.len()];
            let graph = station_graph(&c.overlap, &none, &none);
            let mut parts: Vec<Vec<usize>> =
                graph.components.iter().map(|p| p.iter().map(|&k| order[k]).collect()).collect();
            parts.iter_mut().for_each(|p| p.sort_unstable());
            parts.sort();
            parts
        };
        let mut order: Vec<usize> = (0..6).collect();
        let first = parts(&order);
        order.shuffle(&mut rng);
        assert_eq!(parts(&order), first);
    }
}

/// Four spheres do not reach over twelve metres a move, and it is the stock that is said to be small.
#[test]
fn a_leapfrog_says_whether_spheres_or_stations_are_missing() {
    let road = |apart: f64| -> Vec<Station> {
        (0..6).map(|k| Station::at(&format!("S{k}"), Vec3::new(apart * f64::from(k), 0.0, 1.7))).collect()
    };
    let with =
        |apart: f64, spheres: usize| leapfrog(&Site::default(), &road(apart), spheres, 0.1, &Instrument::mid_range());
    assert!(matches!(with(12.0, 3), Err(LeapfrogError::Stock(3))));
    assert!(matches!(with(12.0, 4), Err(LeapfrogError::TooFewFree { stock: 4, .. })), "{:?}", with(12.0, 4));
    assert!(with(12.0, 6).is_ok());
    assert!(matches!(with(60.0, 9), Err(LeapfrogError::Apart { .. })));
}

/// At every move of a leapfrog three spheres stay, no sphere is in two places, and what is carried was free.
#[test]
fn a_leapfrog_leaves_three_standing() {
    let instrument = Instrument::mid_range();
    for (seed, spheres, apart) in [(2, 5, 10.0), (3, 6, 12.0), (4, 8, 12.0), (5, 9, 12.0)] {
        let mut rng = ChaCha8Rng::seed_from_u64(seed);
        let road: Vec<Station> = (0..7)
            .map(|k| Station::at(&format!("S{k}"), Vec3::new(apart * f64::from(k), rng.random_range(-3.0..3.0), 1.7)))
            .collect();
        let moves = leapfrog(&Site::default(), &road, spheres, 0.1, &instrument)
            .unwrap_or_else(|e| panic!("{spheres} spheres, {apart} m: {e}"));
        assert_eq!(moves.len(), road.len());
        for (before, now) in moves.iter().zip(&moves[1..]) {
            let carried: Vec<usize> = now.carry.iter().map(|c| c.0).collect();
            let stays = (0..spheres.min(now.places.len()).min(before.places.len()))
                .filter(|k| !carried.contains(k) && (now.places[*k] - before.places[*k]).norm() < 1e-9)
                .count();
            assert!(stays >= 3, "{stays} of {spheres} stay");
            assert!(carried.iter().enumerate().all(|(k, c)| !carried[..k].contains(c)), "carried twice: {carried:?}");
            assert!(now.carry.iter().all(|(k, to)| (now.places[*k] - to).norm() < 1e-9));
            assert!(now.tie95.is_some_and(|e| e > 0.0 && e < 0.02), "{:?}", now.tie95);
        }
    }
}

#[test]
fn a_day_is_as_long_as_its_parts() {
    let instrument = Instrument::mid_range();
    let (_, site) = site(0);
    let mut rng = ChaCha8Rng::seed_from_u64(5);
    for n in [0, 1, 7, 40] {
        let all = stations(&site, n, &mut rng);
        let d = day(&all, &instrument);
        assert_eq!(d.stops.len(), n);
        assert!(d.stops.windows(2).all(|w| w[1].done > w[0].done + w[1].walk + w[1].scan));
        if let Some(last) = d.stops.last() {
            assert!((d.time - last.done).abs() < 1e-9, "the day ends with its last scan");
            assert_eq!(d.batteries, 1 + d.stops.iter().filter(|s| s.swap).count());
        } else {
            assert_eq!(d.batteries, 0);
        }
        // twice the batteries' life never needs more of them
        let longer = Instrument { battery_time: 2.0 * instrument.battery_time, ..instrument.clone() };
        assert!(day(&all, &longer).batteries <= d.batteries);
    }
}

fn opening(at: f64, width: f64, sill: f64, head: f64) -> Opening {
    Opening { name: String::new(), at, width, sill, head }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 200, ..ProptestConfig::default() })]

    /// The solid pieces of a wall are all of it without its holes, and lie beside one another: by counting points.
    #[test]
    fn pieces_are_the_wall_without_its_holes(
        holes in prop::collection::vec((-1.0..9.0_f64, 0.2..4.0_f64, -0.5..2.0_f64, 0.2..3.0_f64), 0..5),
        corner in 0.5..6.0_f64,
    ) {
        let line = vec![Vector2::new(0.0, 0.0), Vector2::new(corner, 0.0), Vector2::new(corner, 2.0)];
        let openings: Vec<Opening> = holes.iter().map(|h| opening(h.0, h.1, h.2, h.2 + h.3)).collect();
        let wall = Wall { openings: openings.clone(), ..Wall::plain(0, line, 0.0, 3.0) };
        let pieces = wall.pieces();
        let length = corner + 2.0;
        for i in 0..60 {
            for j in 0..30 {
                // off every round number
                let (along, up) = ((f64::from(i) + 0.37) / 60.0 * length, (f64::from(j) + 0.41) / 30.0 * 3.0);
                let hole = openings.iter().any(|o| (along - o.at).abs() < o.width / 2.0 && up > o.sill && up < o.head);
                let within = pieces.iter().filter(|p| along > p[0] && along < p[1] && up > p[2] && up < p[3]).count();
                let near = openings.iter().any(|o| {
                    [(along - o.at).abs() - o.width / 2.0, up - o.sill, up - o.head].iter().any(|d| d.abs() < 2e-6)
                }) || (along - corner).abs() < 2e-6;
                prop_assert!(near || within == usize::from(!hole), "{along} {up}: {within} pieces, hole {hole}");
            }
        }
    }

    /// Inside an outline is where the corners turn once round.
    #[test]
    fn inside_is_where_the_outline_turns_round(radii in prop::collection::vec(0.5..4.0_f64, 3..12), x in -4.0..4.0_f64, y in -4.0..4.0_f64) {
        let n = radii.len();
        let corner = |k: usize| {
            let (s, c) = (std::f64::consts::TAU * k as f64 / n as f64).sin_cos();
            Vector2::new(radii[k % n] * c, radii[k % n] * s)
        };
        let outline: Vec<Vector2<f64>> = (0..n).map(corner).collect();
        let p = Vector2::new(x, y);
        let turn: f64 = (0..n)
            .map(|k| {
                let (a, b) = (outline[k] - p, outline[(k + 1) % n] - p);
                a.perp(&b).atan2(a.dot(&b))
            })
            .sum();
        prop_assert_eq!(inside(&outline, &p), turn.abs() > 3.0, "turned by {}", turn);
    }
}

/// A door lets through what a wall stops, and is nowhere beyond the ends of its wall.
#[test]
fn a_door_is_where_it_is_drawn() {
    let wall = Wall {
        openings: vec![door(2.0)],
        ..Wall::plain(0, vec![Vector2::new(0.0, 0.0), Vector2::new(4.0, 0.0)], 0.0, 3.0)
    };
    let area: f64 = wall.pieces().iter().map(|p| (p[1] - p[0]) * (p[3] - p[2])).sum();
    assert!((area - (12.0 - 2.1)).abs() < 1e-9, "{area}");
    let (at, along) = wall.point_at(2.0).unwrap();
    assert!((at - Vector2::new(2.0, 0.0)).norm() < 1e-12 && (along - Vector2::x()).norm() < 1e-12);
}
