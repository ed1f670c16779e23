//! Scans set against one another: where nothing changed hardly anything is said to have, and what was planted is found: a
//! panel before a wall, a crate that came, a scan that lies beside its place.

use crate::sites;

use nalgebra::{Matrix6, Vector2, Vector6};
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use rand_distr::StandardNormal;
use rayon::prelude::*;
use sites::{Plan, hall, rooms, scene, works, yard};
use vistazo_core::cloud::{Order, working};
use vistazo_core::compare::{
    Built, Comparison, Element, Gaze, Kind, State, Surfaces, SurveyPoint, compare, survey_report,
};
use vistazo_core::geometry::{Pose, Vec3};
use vistazo_core::instrument::Instrument;
use vistazo_core::plan::{Column, Obstacle, Opening};
use vistazo_core::tie::{Shown, Sight};
use vistazo_sim::{Scanner, Scene, Standing, scan, set_up_near};

type Make = fn(&mut ChaCha8Rng) -> Plan;
const KINDS: [(&str, Make); 4] =
    [("rooms", rooms), ("hall", hall), ("yard", yard), ("works", |rng| works(rng, (3, 2)))];

/// Of each kind of site; more with `VISTAZO_COMPARE_SEEDS`.
fn seeds() -> u64 {
    std::env::var("VISTAZO_COMPARE_SEEDS").ok().and_then(|s| s.parse().ok()).unwrap_or(1)
}

/// The scans of a scene as each was taken, with where they really stood.
fn taken(scene: &Scene, stands: &[Vec3], seed: u64) -> Vec<(Shown, Pose)> {
    let instrument = Instrument { step: 0.004, ..Instrument::mid_range() };
    let scanner = Scanner::drawn(&instrument, seed);
    (stands.par_iter().enumerate())
        .map(|(k, p)| {
            let pose = set_up_near(*p, &instrument, seed + k as u64);
            let s = scan(scene, &scanner, &pose, k, 100 * seed + k as u64, &|_| true).unwrap().into_scan().unwrap();
            (Shown::new(working(&s, &Order::of(&s)).0, Sight::of(&s)), pose.compose(&scanner.frame()))
        })
        .collect()
}

/// How well a registration knows a place: 1.5 mm and 0.1 mrad.
fn known() -> Matrix6<f64> {
    Matrix6::from_diagonal(&Vector6::new(1.5e-3, 1.5e-3, 1.5e-3, 1e-4, 1e-4, 1e-4).map(|s| s * s))
}

/// The relative pose as a registration of that covariance has it.
fn as_registered(a: &Pose, b: &Pose, rng: &mut ChaCha8Rng) -> Pose {
    let off = Vector6::from_fn(|k, _| known()[(k, k)].sqrt() * rng.sample::<f64, _>(StandardNormal));
    a.inverse().compose(b).moved(&off)
}

/// Each pair so often, as other registrations would have it.
fn pairs(
    scans: &[(Shown, Pose)],
    rng: &mut ChaCha8Rng,
    off: &Vector6<f64>,
    often: usize,
) -> Vec<(usize, usize, Comparison)> {
    let mut out = Vec::new();
    for b in 1..scans.len() {
        for a in (0..b).flat_map(|a| std::iter::repeat_n(a, often)) {
            let relative = as_registered(&scans[a].1, &scans[b].1, rng).moved(off);
            let c = compare(&scans[a].0, &scans[b].0, &relative, &known());
            if c.cells.len() >= 100 {
                out.push((a, b, c));
            }
        }
    }
    out
}

#[test]
fn where_nothing_changed_hardly_anything_is_said_to_have() {
    for (name, make) in KINDS {
        for seed in 1..=seeds() {
            let mut rng = ChaCha8Rng::seed_from_u64(seed);
            let plan = make(&mut rng);
            let scans = taken(&scene(&plan), &plan.3[..plan.3.len().min(6)], seed);
            let all = pairs(&scans, &mut rng, &Vector6::zeros(), 8);
            let cells: usize = all.iter().map(|p| p.2.cells.len()).sum();
            let beyond: f64 = all.iter().map(|p| p.2.beyond() * p.2.cells.len() as f64).sum::<f64>() / cells as f64;
            let found: Vec<_> = all.iter().flat_map(|p| p.2.regions.iter().map(|r| (p.0, p.1, *r))).collect();
            let misfits = all.iter().filter(|p| p.2.misfit.is_some()).count();
            let detectable = all.iter().map(|p| p.2.medians().1).sum::<f64>() / all.len() as f64;
            println!(
                "{name} {seed}: {} pairs, {cells} places, {:.2} % beyond, {:.1} mm detectable, {misfits} misfits, {} regions",
                all.len(),
                100.0 * beyond,
                1000.0 * detectable,
                found.len()
            );
            for (a, b, r) in &found {
                println!("  {a}–{b} {r:?}");
            }
            assert!((0.01..0.075).contains(&beyond), "{name} {seed}: {beyond}");
            assert!(misfits == 0, "{name} {seed}");
            assert!(found.len() * 10 <= all.len(), "{name} {seed}: {} of {}", found.len(), all.len());
        }
    }
}

#[test]
fn what_was_planted_is_found() {
    let square = |x: f64, y: f64, w: f64, d: f64| {
        [(0.0, 0.0), (w, 0.0), (w, d), (0.0, d)].map(|p| Vector2::new(x + p.0, y + p.1))
    };
    let mut rng = ChaCha8Rng::seed_from_u64(5);
    let (mut crates, mut panels) = ([0; 2], [0; 2]);
    for seed in 1..=2 * seeds() {
        // a room without anything in it, and what comes after two of four scans: panels before the south wall, and a crate
        let mut plan = hall(&mut rng);
        plan.1.clear();
        let stands = plan.3[..4].to_vec();
        let mut scene = scene(&plan);
        let mut panel = |x: f64, thick: f64, base: f64| {
            let thing = Obstacle { outline: square(x, 0.0, 1.4, thick).to_vec(), base, top: base + 1.4 };
            scene.standing.push(Standing { thing, scans: (2, usize::MAX) });
        };
        let at = [(10.0, 0.012, 0.6), (13.0, 0.02, 0.9), (16.0, 0.04, 1.2)];
        at.iter().for_each(|&(x, thick, base)| panel(x, thick, base));
        let corner = Vector2::new(rng.random_range(8.0..12.0), rng.random_range(5.5..7.5));
        let thing = Obstacle { outline: square(corner.x, corner.y, 0.9, 0.7).to_vec(), base: 0.0, top: 0.8 };
        scene.standing.push(Standing { thing, scans: (2, usize::MAX) });
        let scans = taken(&scene, &stands, 30 + seed);
        for (a, b, c) in pairs(&scans, &mut rng, &Vector6::zeros(), 1) {
            let on_site = |p: &Vec3| scans[a].1.apply(p);
            let changed = a < 2 && b >= 2;
            let near = |r: &&vistazo_core::compare::Region| {
                let p = on_site(&r.middle);
                r.kind != Kind::Apart && (p.xy() - corner - Vector2::new(0.45, 0.35)).norm() < 0.8
            };
            crates[1] += usize::from(changed);
            crates[0] += usize::from(changed && c.regions.iter().any(|r| near(&r) && r.kind == Kind::SecondOnly));
            assert!(changed || !c.regions.iter().any(|r| near(&r)), "{seed} {a}–{b}: {:?}", c.regions);
            for (x, thick, base) in at {
                // what is well within the panel, where twice the level of detection is less than it is thick
                let inside = c.cells.iter().filter(|k| {
                    let p = on_site(&k.at);
                    p.y < 0.1 && (p.x - x - 0.7).abs() < 0.45 && (p.z - base - 0.7).abs() < 0.45
                });
                for k in inside.filter(|k| changed && 2.0 * k.detectable < thick) {
                    panels[1] += 1;
                    panels[0] += usize::from(k.is_beyond() && (k.distance - thick).abs() < k.detectable);
                }
            }
        }
    }
    println!("{} of {} views of the crate, {} of {} places on panels", crates[0], crates[1], panels[0], panels[1]);
    assert!(crates[0] * 10 >= crates[1] * 9 && crates[1] > 4);
    assert!(panels[0] as f64 >= 0.95 * panels[1] as f64 * 0.95 && panels[1] > 200);
}

#[test]
fn a_scan_beside_its_place_is_a_misfit_and_no_thing_that_moved() {
    for (name, make) in KINDS {
        let mut rng = ChaCha8Rng::seed_from_u64(8);
        let plan = make(&mut rng);
        let scans = taken(&scene(&plan), &plan.3[..4.min(plan.3.len())], 8);
        let off = Vector6::new(0.012, -0.009, 0.007, 0.0, 0.0, 0.0);
        let all = pairs(&scans, &mut rng, &off, 1);
        let found: Vec<_> = all.iter().filter_map(|p| p.2.misfit).collect();
        let regions: usize = all.iter().map(|p| p.2.regions.len()).sum();
        println!("{name}: {} of {} pairs, {:?}, {regions} regions", found.len(), all.len(), found.first());
        assert!(found.len() * 5 >= all.len() * 3 && regions * 3 <= all.len(), "{name}: {regions}");
        for m in found {
            assert!((0.004..0.016).contains(&m.apart), "{name}: {m:?}");
        }
    }
}

/// A cloud that lies beside an independent survey of forty points is said to, along each axis, within what is stated; and
/// where nothing was planted as often as stated.
#[test]
fn forty_independent_points_give_the_errors_that_were_planted() {
    let instrument = Instrument { step: 0.004, ..Instrument::mid_range() };
    let (mut inside, mut asked, mut off) = (0_u32, 0_u32, 0);
    for seed in 1..=6 * seeds() {
        let mut rng = ChaCha8Rng::seed_from_u64(60 + seed);
        let mut plan = hall(&mut rng);
        plan.1.clear();
        let corner = plan.0[0].line[2];
        let scanner = Scanner::perfect(&instrument);
        let stands: Vec<(Surfaces, Pose)> = plan.3[..3]
            .par_iter()
            .enumerate()
            .map(|(k, p)| {
                let pose = set_up_near(*p, &instrument, seed + k as u64);
                let s = scan(&scene(&plan), &scanner, &pose, k, 7 * seed + k as u64, &|_| true).unwrap();
                let s = s.into_scan().unwrap();
                (Surfaces::of(&working(&s, &Order::of(&s)).0), pose.compose(&scanner.frame()))
            })
            .collect();
        let planted = Vec3::from_fn(|_, _| rng.random_range(-0.012..0.012));
        let noise = 0.0015;
        let mut normal = || rng.sample::<f64, _>(StandardNormal);
        let mut found = Vec::new();
        for k in 0..40 {
            let mut share = || normal().abs().fract() * 0.8 + 0.1;
            let (a, b) = (share(), share());
            let at = match k % 5 {
                0 => Vec3::new(a * corner.x, 0.0, 3.0 * b),
                1 => Vec3::new(a * corner.x, corner.y, 3.0 * b),
                2 => Vec3::new(0.0, a * corner.y, 3.0 * b),
                3 => Vec3::new(corner.x, a * corner.y, 3.0 * b),
                _ => Vec3::new(a * corner.x, b * corner.y, 0.0),
            };
            let at = at - planted + Vec3::from_fn(|_, _| noise * normal());
            let point = SurveyPoint { at, sigma: Vec3::repeat(noise) };
            let beside = stands.iter().filter_map(|(s, pose)| s.beside(pose, &known(), &instrument.systematic, &point));
            found.push(beside.min_by(|x, y| x.sigma.total_cmp(&y.sigma)));
        }
        let report = survey_report(&found);
        assert!(report.all.count > 30, "{report:?}");
        for (k, bias) in report.bias.iter().enumerate() {
            let (shift, shift95) = bias.expect("walls and floor face along every axis");
            asked += 1;
            inside += u32::from((shift - planted[k]).abs() < shift95);
            assert!((shift - planted[k]).abs() < 2.0 * shift95 && shift95 < 0.004, "{shift} {shift95} {planted}");
        }
        off += report.p_family.iter().flatten().filter(|p| **p < 0.01).count();
    }
    println!("{inside} of {asked} shifts within their 95 %, {off} points said to be off");
    assert!(f64::from(inside) >= 0.85 * f64::from(asked));
}

/// A box along x: its axis, thickness and height.
fn partition(from: Vector2<f64>, length: f64, thick: f64) -> Obstacle {
    let corners = [(0.0, -0.5), (1.0, -0.5), (1.0, 0.5), (0.0, 0.5)];
    let outline = corners.map(|(a, b)| from + Vector2::new(a * length, b * thick)).to_vec();
    Obstacle { outline, base: 0.0, top: 2.8 }
}

#[test]
fn what_is_built_is_told_from_what_is_not_and_from_what_stands_elsewhere() {
    let (mut inside, mut asked) = (0, 0);
    for seed in 1..=3 * seeds() {
        let mut rng = ChaCha8Rng::seed_from_u64(500 + seed);
        let mut plan = hall(&mut rng);
        plan.1.clear();
        let far = plan.0[0].line[2];
        let stands = [(0.3, 0.35), (0.7, 0.4), (0.5, 0.75)].map(|(a, b)| Vec3::new(a * far.x, b * far.y, 1.7));
        let mut s = scene(&plan);
        let planted = rng.random_range(0.03..0.06);
        let small = rng.random_range(-0.004..0.004);
        let at = |a: f64, b: f64| Vector2::new(a * far.x, b * far.y);
        let up = Vector2::new(0.0, 1.0);
        s.site.obstacles.push(partition(at(0.15, 0.12) + up * small, 3.0, 0.12));
        s.site.obstacles.push(partition(at(0.6, 0.12) + up * planted, 3.0, 0.12));
        let column = at(0.5, 0.5);
        let aside = Vector2::new(0.6, 0.8) * planted;
        s.site.columns.push(Column { centre: column + aside, radius: 0.2, base: 0.0, top: 3.0 });
        // the first wall runs along x: a door where it should be, one three decimetres farther, and one not cut yet
        let door = |name: &str, at: f64| Opening { name: name.into(), at, width: 1.2, sill: 0.0, head: 2.1 };
        let doors = [0.2 * far.x, 0.5 * far.x, 0.8 * far.x];
        s.site.walls[0].openings = vec![door("A", doors[0]), door("B", doors[1] + 0.3)];
        let wall = |from: Vector2<f64>, length: f64| Element::Wall {
            line: vec![from, from + Vector2::new(length, 0.0)],
            base: 0.1,
            top: 2.7,
            thickness: 0.12,
        };
        let opening = |x: f64| Element::Opening {
            ends: [Vector2::new(x - 0.6, 0.0), Vector2::new(x + 0.6, 0.0)],
            sill: 0.1,
            head: 2.0,
        };
        let pipe = |c: Vector2<f64>| Element::Pipe {
            line: vec![Vec3::new(c.x, c.y, 0.2), Vec3::new(c.x, c.y, 2.8)],
            radius: 0.2,
        };
        let mut gaze = Gaze::new(vec![
            wall(at(0.15, 0.12), 3.0),
            wall(at(0.6, 0.12), 3.0),
            wall(at(0.3, 0.6), 3.0),
            wall(at(1.0, 0.3) + Vector2::new(3.0, 0.0), 3.0),
            pipe(column),
            pipe(at(0.3, 0.8)),
            // where a column stands, lengthwise through it and beside it
            Element::Pipe {
                line: vec![Vec3::new(column.x - 1.2, column.y, 1.5), Vec3::new(column.x + 1.2, column.y, 1.5)],
                radius: 0.08,
            },
            opening(doors[0]),
            opening(doors[1]),
            opening(doors[2]),
        ]);
        for (shown, pose) in taken(&s, &stands, seed) {
            gaze.look(&shown, &pose, &known());
        }
        let states = gaze.states(0.015);
        let built: Vec<Built> = states.iter().map(|s| s.built).collect();
        use Built::{Elsewhere, NotSeen, NotYet, There};
        let expected = [There, Elsewhere, NotYet, NotSeen, Elsewhere, NotYet, NotYet, There, Elsewhere, NotYet];
        assert_eq!(built, expected, "seed {seed}: {states:#?}");
        let truth = [(0, small), (1, planted), (4, planted)];
        let off = |(k, truth): (usize, f64)| {
            let State { distance, detectable, .. } = states[k];
            let error = (distance.unwrap() - truth).abs();
            assert!(error < 2.0 * detectable && detectable < 0.012, "seed {seed}, {k}: {error} {detectable}");
            error < detectable
        };
        asked += truth.len();
        inside += truth.into_iter().filter(|t| off(*t)).count();
        assert!((states[8].distance.unwrap() - 0.3).abs() < 0.11, "{:?}", states[8]);
        let clash = states[6].clash.unwrap();
        let off = (clash.at - Vec3::new(column.x, column.y, 1.5)).norm();
        assert!(off < 0.25 && clash.extent < 0.9, "seed {seed}: {clash:?}");
        let free: Vec<usize> = (0..states.len()).filter(|k| states[*k].clash.is_some()).collect();
        assert_eq!(free, [6], "seed {seed}: nothing is in the way of the others: {states:#?}");
    }
    println!("distances within what is stated: {inside} of {asked}");
    assert!(inside * 10 >= asked * 8, "{inside} of {asked}");
}
