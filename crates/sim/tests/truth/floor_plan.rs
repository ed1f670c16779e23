//! Floor plans drawn from simulated scans: lines lie where walls are, to within what is stated; openings and columns are
//! found; nothing is made square that is not.

use crate::sites;

use nalgebra::{Matrix6, Vector2, Vector6};
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use rand_distr::StandardNormal;
use rayon::prelude::*;
use sites::{Plan, hall, like_rooms, ring, rooms, scene, works};
use vistazo_core::draw::{Face, FloorPlan, Layer, Level, Slab, Stand, fit_line, floor_plan};
use vistazo_core::geometry::{Pose, Vec3};
use vistazo_core::instrument::Instrument;
use vistazo_core::plan::Wall;
use vistazo_sim::{Scanner, Scene, scan, set_up_near};

type Make = fn(&mut ChaCha8Rng) -> Plan;
const KINDS: [(&str, Make); 5] =
    [("rooms", rooms), ("like rooms", like_rooms), ("hall", hall), ("ring", ring), ("works", |rng| works(rng, (3, 2)))];
pub(crate) const CUT: f64 = 1.25;

/// Of each kind of site; more with `VISTAZO_DRAW_SEEDS`.
fn seeds() -> u64 {
    std::env::var("VISTAZO_DRAW_SEEDS").ok().and_then(|s| s.parse().ok()).unwrap_or(1)
}

/// How well a registration knows a place: 1 mm and 0.1 mrad.
fn known() -> Matrix6<f64> {
    Matrix6::from_diagonal(&Vector6::new(1e-3, 1e-3, 1e-3, 5e-5, 5e-5, 1e-4).map(|s| s * s))
}

/// Slabs of the scans of a scene, with where they really stood.
fn slabs(scene: &Scene, stands: &[Vec3], seed: u64) -> (Instrument, Vec<(Vec<Vec3>, Pose)>) {
    let instrument = Instrument { step: 0.003, ..Instrument::mid_range() };
    let scanner = Scanner::drawn(&instrument, seed);
    let one = |(k, p): (usize, &Vec3)| {
        let pose = set_up_near(*p, &instrument, seed + k as u64);
        let raw = scan(scene, &scanner, &pose, k, 100 * seed + k as u64, &|_| true).unwrap();
        let points = raw.points.iter().map(|p| Vec3::new(p[0].into(), p[1].into(), p[2].into()));
        // its own frame, turned by what the instrument does to all rays alike
        (points.collect(), pose.compose(&scanner.frame()))
    };
    let scans = stands.par_iter().enumerate().map(one).collect();
    (instrument, scans)
}

/// What each scan shows, as a registration with errors of its own has it.
fn layers(scans: &[(Vec<Vec3>, Pose)], rng: &mut ChaCha8Rng) -> (Vec<Layer>, Vec<Stand>) {
    let stands: Vec<Stand> = scans
        .iter()
        .map(|s| {
            let off = Vector6::from_fn(|k, _| known()[(k, k)].sqrt() * rng.sample::<f64, _>(StandardNormal));
            Stand { pose: s.1.moved(&off), covariance: known() }
        })
        .collect();
    let layers: Vec<Layer> = scans
        .par_iter()
        .zip(&stands)
        .map(|(s, stand)| {
            let mut slab = Slab::new(Level { floor: 0.0, cut: CUT, thickness: 0.1 });
            s.0.iter().for_each(|p| slab.add(&stand.pose.apply(p)));
            slab.finish()
        })
        .collect();
    (layers, stands)
}

/// The plan of that.
fn drawn(instrument: &Instrument, scans: &[(Vec<Vec3>, Pose)], rng: &mut ChaCha8Rng) -> FloorPlan {
    let (layers, stands) = layers(scans, rng);
    floor_plan(&layers, &stands, &|_, _| None, instrument, CUT)
}

/// What is really there at the cut: ends, and whether it is a wall.
pub(crate) fn legs(plan: &Plan) -> Vec<([Vector2<f64>; 2], bool)> {
    let walls = plan.0.iter().flat_map(|w| w.line.windows(2).map(|p| ([p[0], p[1]], true)));
    let things = plan
        .1
        .iter()
        .filter(|o| o.top > CUT - 0.06)
        .flat_map(|o| (0..o.outline.len()).map(|k| ([o.outline[k], o.outline[(k + 1) % o.outline.len()]], false)));
    walls.chain(things).collect()
}

/// How far both ends of a face lie beside what is really there, to the side of its normal; none where it is not on it.
pub(crate) fn beside(truth: &[([Vector2<f64>; 2], bool)], leg: &[Vector2<f64>; 2], f: &Face) -> Option<[f64; 2]> {
    let d = (leg[1] - leg[0]).normalize();
    let n = Vector2::new(-d.y, d.x) * Vector2::new(-d.y, d.x).dot(&f.normal).signum();
    let off = f.ends.map(|e| n.dot(&(e - leg[0])));
    // it may run on over legs that lie on one line
    let on = |p: Vector2<f64>| {
        truth.iter().any(|(l, _)| {
            let u = (l[1] - l[0]).normalize();
            let t = u.dot(&(p - l[0]));
            u.perp(&(p - l[0])).abs() < 0.05 && t > -0.05 && t < (l[1] - l[0]).norm() + 0.05
        })
    };
    let along = (f.ends[1] - f.ends[0]).normalize();
    let there = f.shown.iter().all(|s| s.iter().all(|t| on(f.ends[0] + along * *t)));
    (off.iter().all(|o| o.abs() < 0.04) && there).then_some(off)
}

#[test]
fn lines_lie_where_walls_are() {
    let (mut inside, mut all) = (0, 0);
    for (name, make) in KINDS {
        for seed in 1..=seeds() {
            let mut rng = ChaCha8Rng::seed_from_u64(seed);
            let plan = make(&mut rng);
            let (instrument, scans) = slabs(&scene(&plan), &plan.3[..plan.3.len().min(8)], seed);
            let truth = legs(&plan);
            let (mut hits, mut lines, mut strange, mut worst) = (0, 0, 0, 0.0_f64);
            let (mut found, mut errors) = (vec![0.0; truth.len()], Vec::new());
            let often = 6;
            let (mut columns, mut rounds) = ([0; 3], Vec::new());
            for _ in 0..often {
                let p = drawn(&instrument, &scans, &mut rng);
                for f in &p.faces {
                    let of = truth.iter().enumerate().filter_map(|(k, l)| Some((k, beside(&truth, &l.0, f)?)));
                    let nearest =
                        of.min_by(|a, b| (a.1[0].abs() + a.1[1].abs()).total_cmp(&(b.1[0].abs() + b.1[1].abs())));
                    let Some((k, off)) = nearest else {
                        strange += 1;
                        println!("    strange: {:?} {:?} high {} points {}", f.ends, f.shown, f.high, f.points);
                        continue;
                    };
                    found[k] += f.shown.iter().map(|s| s[1] - s[0]).sum::<f64>() / f64::from(often);
                    for (o, e) in off.iter().zip(&f.error95) {
                        hits += usize::from(o.abs() <= *e);
                        lines += 1;
                        errors.push(*e);
                        worst = worst.max(o.abs() / e);
                    }
                }
                for c in &plan.2 {
                    let near = p.columns.iter().find(|r| (r.centre - c.centre).norm() < 0.1);
                    columns[0] += 1;
                    columns[1] += usize::from(near.is_some());
                    if let Some(r) = near {
                        rounds.push((
                            (r.centre - c.centre).norm() / r.error95[0],
                            (r.radius - c.radius).abs() / r.error95[1],
                        ));
                    }
                    columns[2] += near.map_or(0, |r| {
                        usize::from((r.centre - c.centre).norm() <= r.error95[0])
                            + usize::from((r.radius - c.radius).abs() <= r.error95[1])
                    });
                }
                for r in p.columns.iter().filter(|r| plan.2.iter().all(|c| (r.centre - c.centre).norm() > 0.1)) {
                    println!("    strange column {r:?}");
                }
                let posts =
                    p.columns.iter().filter(|r| plan.2.iter().all(|c| (r.centre - c.centre).norm() > 0.1)).count();
                assert!(posts <= 1, "{name} {seed}: {posts} columns that are not there");
            }
            errors.sort_by(f64::total_cmp);
            let walls: f64 = truth.iter().filter(|t| t.1).map(|t| (t.0[1] - t.0[0]).norm()).sum();
            let got: f64 = truth.iter().zip(&found).filter(|t| t.0.1).map(|t| t.1).sum();
            println!(
                "{name} {seed}: {:.1} % of {lines} ends inside, worst {worst:.1}, median 95 % {:.1} mm; {strange} strange; {:.0} % of walls; columns {columns:?}",
                100.0 * hits as f64 / lines as f64,
                1e3 * errors[errors.len() / 2],
                100.0 * got / walls,
            );
            let mean = |of: fn(&(f64, f64)) -> f64| {
                (rounds.iter().map(|r| of(r).powi(2)).sum::<f64>() / rounds.len().max(1) as f64).sqrt()
            };
            println!("    columns: error over 95 %, rms: {:.2} {:.2}", mean(|r| r.0), mean(|r| r.1));
            inside += hits;
            all += lines;
        }
    }
    let share = inside as f64 / all as f64;
    println!("{:.1} % of {all} inside", 100.0 * share);
    assert!((0.92..0.985).contains(&share), "{share}");
}

/// A house of rooms whose walls stand askew by half a degree to three.
fn crooked(rng: &mut ChaCha8Rng) -> Plan {
    let mut corner =
        |x: f64, y: f64| Vector2::new(x + rng.random_range(-0.16..0.16), y + rng.random_range(-0.16..0.16));
    let p =
        [corner(0.0, 0.0), corner(6.0, 0.0), corner(12.0, 0.0), corner(0.0, 5.0), corner(6.0, 5.0), corner(12.0, 5.0)];
    let wall = |a: usize, b: usize| Wall::plain(0, vec![p[a], p[b]], 0.0, 2.8);
    let walls = [(0, 1), (1, 2), (3, 4), (4, 5), (0, 3), (1, 4), (2, 5)].map(|(a, b)| wall(a, b)).to_vec();
    (walls, vec![], vec![], vec![Vec3::new(2.8, 2.4, 1.6), Vec3::new(8.9, 2.6, 1.6)])
}

#[test]
fn no_right_angle_is_invented_and_those_that_are_there_are_used() {
    for seed in 1..=3 * seeds() {
        let mut rng = ChaCha8Rng::seed_from_u64(seed);
        let plan = crooked(&mut rng);
        let (instrument, scans) = slabs(&scene(&plan), &plan.3, seed);
        let p = drawn(&instrument, &scans, &mut rng);
        assert!(p.faces.len() >= 7, "{}", p.faces.len());
        assert!(p.squared.is_empty(), "{seed}: {:?}", p.squared);
        assert!(p.corners.iter().all(|c| !c.squared));
    }
    let mut rng = ChaCha8Rng::seed_from_u64(7);
    let plan = rooms(&mut rng);
    let (instrument, scans) = slabs(&scene(&plan), &plan.3, 7);
    let p = drawn(&instrument, &scans, &mut rng);
    let square: usize = p.squared.iter().map(|s| s.faces.len()).sum();
    println!(
        "{square} of {} square, moved {:?} mm",
        p.faces.len(),
        p.squared.iter().map(|s| 1e3 * s.moved).collect::<Vec<_>>()
    );
    assert!(square * 10 > p.faces.len() * 6, "{square} of {}", p.faces.len());
    // the house stands along the axes
    for s in &p.squared {
        let off = s.direction.min(std::f64::consts::FRAC_PI_2 - s.direction);
        assert!(off < 3.0 * s.sigma, "{off} {}", s.sigma);
    }
}

#[test]
fn doors_and_thicknesses_are_what_they_are() {
    let (mut doors, mut strange, mut held, mut thick) = (0, 0, [0; 2], [0; 2]);
    for seed in 1..=2 * seeds() {
        let mut rng = ChaCha8Rng::seed_from_u64(seed);
        let plan = like_rooms(&mut rng);
        let (instrument, scans) = slabs(&scene(&plan), &plan.3, seed);
        let p = drawn(&instrument, &scans, &mut rng);
        for o in &p.openings {
            let f = &p.faces[o.face];
            let d = (f.ends[1] - f.ends[0]).normalize();
            let ends = o.along.map(|t| f.ends[0] + d * t);
            let real = plan.0.iter().find_map(|w| {
                let (a, b) = (w.line[0], w.line[1]);
                let u = (b - a).normalize();
                let o = w.openings.first()?;
                let jambs = [o.at - o.width / 2.0, o.at + o.width / 2.0].map(|t| a + u * t);
                let near = |p: &Vector2<f64>| jambs.iter().find(|j| (*j - p).norm() < 0.15).copied();
                Some([near(&ends[0])?, near(&ends[1])?])
            });
            let Some(real) = real else {
                println!("{seed}: strange opening {o:?} {ends:?}");
                strange += 1;
                continue;
            };
            doors += 1;
            assert!(o.to_the_floor);
            for k in 0..2 {
                held[0] += usize::from((real[k] - ends[k]).dot(&d).abs() <= o.along95[k]);
                held[1] += 1;
            }
        }
        for w in &p.walls {
            let real = [0.12, 0.12];
            thick[0] += usize::from((w.thickness[0] - real[0]).abs() <= w.thickness[1]);
            thick[1] += 1;
        }
        println!(
            "{seed}: {} openings, {} walls, {} gaps, {} corners",
            p.openings.len(),
            p.walls.len(),
            p.gaps.len(),
            p.corners.len()
        );
    }
    println!("{doors} doors, {strange} strange, {held:?} jambs, {thick:?} thicknesses");
    assert!(doors >= 12 && strange * 8 <= doors && held[0] * 10 >= held[1] * 9 && thick[0] * 10 >= thick[1] * 9);
}

#[test]
fn a_line_drawn_by_hand_is_drawn_to_its_face() {
    let mut rng = ChaCha8Rng::seed_from_u64(3);
    let plan = hall(&mut rng);
    let (instrument, scans) = slabs(&scene(&plan), &plan.3, 3);
    let (layers, stands) = layers(&scans, &mut rng);
    let mut off = |p: Vector2<f64>| p + Vector2::new(rng.random_range(-0.03..0.03), rng.random_range(-0.03..0.03));
    let corners = &plan.0[0].line;
    let mut inside = 0;
    for k in 0..4 {
        let (a, b) = (corners[k], corners[k + 1]);
        let d = (b - a).normalize();
        let ends = [off(a + d * 0.5), off(b - d * 0.5)];
        let f = fit_line(&layers, &stands, &|_, _| None, &instrument, CUT, ends).expect("a wall is there");
        for (e, error) in f.ends.iter().zip(f.error95) {
            inside += usize::from(d.perp(&(e - a)).abs() <= error);
        }
        assert!(f.ends.iter().zip(&ends).all(|(p, q)| d.dot(&(p - q)).abs() < 0.01), "its ends stay along it");
    }
    assert!(inside >= 7, "{inside} of 8");
    // behind the wall there is nothing to hold to
    let nothing = [Vector2::new(-6.0, 9.0), Vector2::new(-4.0, 9.4)];
    assert!(fit_line(&layers, &stands, &|_, _| None, &instrument, CUT, nothing).is_none());
}
