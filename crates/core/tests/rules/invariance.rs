//! What must not change when the same survey is said in another way: in another order, from frames that are turned, on
//! another part of the grid, with a tie told from its other end; and what may only grow or shrink.

use crate::survey;

use nalgebra::Matrix6;
use proptest::prelude::*;
use rand::seq::SliceRandom;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use std::collections::BTreeMap;
use survey::{LEVEL, Recipe, STATED, flat, hall, stays, survey};
use vistazo_core::adjust::kinds::{CloudTie, Kind, SystematicPrior};
use vistazo_core::adjust::{Network, Observation, Parameter, Scaling, Solution, precision, solve};
use vistazo_core::check::{Asked, Check, Checks, Evidence, Judged, PlaceKind, Requirement, Verdict, verdict};
use vistazo_core::geometry::{Error95, FitModel, Mat3, Pose, Vec3};
use vistazo_core::georef::{self, ControlPoint, Georeferenced, GridFactors, GridMap, georeference};
use vistazo_core::registration::{Finding, Input, Registration, ScanInput, register};

fn taken(seed: u64, off: &dyn Fn(usize, usize) -> Vec3) -> Vec<ScanInput> {
    let (stations, targets) = hall();
    let r = Recipe {
        stations: &stations,
        targets: &targets,
        sees: &|_, _| true,
        noise: 1.0,
        level: 1.0,
        up: &flat,
        off,
        seed,
    };
    survey(&r).scans
}

fn registered(scans: Vec<ScanInput>) -> Registration {
    register(&Input { scans, ..Input::default() })
}

/// Distances between targets by the sightings that they were seen by, whatever they are numbered.
fn distances(r: &Registration) -> BTreeMap<(usize, usize), f64> {
    let block = r.block.as_ref().unwrap();
    let mut named = BTreeMap::new();
    for o in &r.placed.network.observations {
        if let Some(c) = o.centre() {
            named.insert(o.id % 1000, block.solution.targets[c.target]);
        }
    }
    let pairs = named.iter().flat_map(|a| named.iter().map(move |b| (a, b))).filter(|(a, b)| a.0 < b.0);
    pairs.map(|((i, p), (j, q))| ((*i, *j), (p - q).norm())).collect()
}

fn same(a: &Registration, b: &Registration) {
    let (of, by) = (distances(a), distances(b));
    assert_eq!(of.len(), by.len());
    for (k, d) in &of {
        assert!((d - by[k]).abs() < 1e-8, "{k:?}: {d} and {}", by[k]);
    }
    let (x, y) = (&a.block.as_ref().unwrap().solution, &b.block.as_ref().unwrap().solution);
    assert_eq!((x.dof, x.datum_defect), (y.dof, y.datum_defect));
    assert!((x.sum - y.sum).abs() < 1e-4 * x.sum, "{} and {}", x.sum, y.sum);
}

/// What is accused: the kind of the fault and the sighting or target that it is of.
fn accused(r: &Registration) -> Vec<String> {
    let id = |k: usize| r.placed.network.observations[k].id;
    let mut all: Vec<String> = r
        .findings
        .iter()
        .map(|f| match f {
            Finding::Outlier { observation, .. } => format!("outlier {}", id(*observation)),
            // between the first scan and all others, or all others and the last, a move is one wrong sighting
            Finding::Moved { before, after, .. } if before.len().min(after.len()) == 1 => {
                format!("outlier {}", id(if before.len() == 1 { before[0] } else { after[0] }))
            }
            other => format!("{other:?}").chars().take(20).collect(),
        })
        .collect();
    all.sort();
    all
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 12, ..ProptestConfig::default() })]

    /// Scans are levelled: which way each looked is nobody's business.
    #[test]
    fn the_heading_of_a_scanner_changes_nothing(seed in 0_u64..1000, turns in prop::collection::vec(-3.1..3.1_f64, 5)) {
        let scans = taken(seed, &stays);
        let mut turned = scans.clone();
        for (s, by) in turned.iter_mut().zip(&turns) {
            let turn = Pose::levelled(*by, Vec3::zeros());
            s.targets.iter_mut().for_each(|t| t.centre = turn.apply(&t.centre));
        }
        same(&registered(scans), &registered(turned));
    }

    /// Nor is the order in which targets are found in a scan, and in which scans come.
    #[test]
    fn the_order_changes_nothing(seed in 0_u64..1000) {
        let mut rng = ChaCha8Rng::seed_from_u64(seed);
        let wrong = (2, rng.random_range(0..9));
        let off = move |s: usize, t: usize| if (s, t) == wrong { Vec3::new(0.012, -0.009, 0.002) } else { Vec3::zeros() };
        let scans = taken(seed, &off);
        let mut mixed = scans.clone();
        mixed.iter_mut().for_each(|s| s.targets.shuffle(&mut rng));
        let (a, b) = (registered(scans), registered(mixed.clone()));
        same(&a, &b);
        prop_assert_eq!(accused(&a), accused(&b));
        prop_assert!(accused(&a).contains(&format!("outlier {}", 2000 + wrong.1)), "{:?}", accused(&a));
        // a wrong sighting is one whenever its scan was taken
        mixed.shuffle(&mut rng);
        let c = registered(mixed);
        same(&a, &c);
        prop_assert!(accused(&c).contains(&format!("outlier {}", 2000 + wrong.1)), "{:?}", accused(&c));
    }

    /// What shares nothing with the others is said to be apart, and changes nothing between them.
    #[test]
    fn a_scan_of_nothing_that_is_shared_disturbs_nobody(seed in 0_u64..1000, at in 0_usize..6) {
        let scans = taken(seed, &stays);
        let mut more = scans.clone();
        more.insert(at, ScanInput { name: "yard".into(), compensator: Some(LEVEL), ..ScanInput::default() });
        let (a, b) = (registered(scans), registered(more));
        same(&a, &b);
        // one network in a thousand accuses somebody by chance: the loose scan must not change that either
        let apart = b.findings.iter().filter(|f| matches!(f, Finding::Unplaced { scan, .. } if *scan == at)).count();
        prop_assert_eq!((apart, b.findings.len()), (1, a.findings.len() + 1), "{:?}", b.findings);
    }
}

/// A planned network: stations in a hall, targets, who sees whom by chance.
fn planned(rng: &mut ChaCha8Rng, times: usize) -> Network {
    let (stations, targets) = hall();
    let mut net = Network::default();
    let scans: Vec<usize> = stations
        .iter()
        .enumerate()
        .map(|(k, p)| net.add_scan(&format!("S{k}"), Pose::levelled(k as f64, *p)))
        .collect();
    let all: Vec<usize> = targets.iter().enumerate().map(|(k, t)| net.add_target(&format!("K{k}"), *t)).collect();
    let again: Vec<Vec<usize>> =
        (1..times).map(|_| scans.iter().map(|&s| net.add_scan("again", net.scans[s].pose)).collect()).collect();
    for (k, &s) in scans.iter().enumerate() {
        for which in std::iter::once(s).chain(again.iter().map(|a| a[k])) {
            net.observe(Observation::level(which, LEVEL));
        }
        for &t in &all {
            if rng.random_bool(0.75) || t < 4 {
                let centre = net.scans[s].pose.inverse().apply(&net.targets[t].position);
                let sigma = STATED * rng.random_range(0.5..3.0_f64);
                for which in std::iter::once(s).chain(again.iter().map(|a| a[k])) {
                    net.observe(Observation::target(which, t, centre, Mat3::identity() * sigma * sigma));
                }
            }
        }
    }
    net
}

/// σ of the distance between two targets: no matter of the datum.
fn distance_sigma(s: &Solution, i: usize, j: usize) -> f64 {
    let along = (s.targets[i] - s.targets[j]).normalize();
    let cross = s.target_cross(i, j);
    let c = s.target_covariance(i) + s.target_covariance(j) - cross - cross.transpose();
    along.dot(&(c * along)).sqrt()
}

fn pairs(n: usize) -> impl Iterator<Item = (usize, usize)> {
    (0..n).flat_map(move |i| (i + 1..n).map(move |j| (i, j)))
}

#[test]
fn no_observation_makes_anything_worse() {
    let mut rng = ChaCha8Rng::seed_from_u64(11);
    for _ in 0..12 {
        let full = planned(&mut rng, 1);
        let with = precision(&full, Scaling::Stated).unwrap();
        for _ in 0..6 {
            let mut less = full.clone();
            let gone = rng.random_range(0..less.observations.len());
            less.observations[gone].active = false;
            let without = precision(&less, Scaling::Stated).unwrap();
            for (i, j) in pairs(9) {
                let (a, b) = (distance_sigma(&with, i, j), distance_sigma(&without, i, j));
                assert!(a <= b * (1.0 + 1e-9), "without observation {gone} targets {i} and {j}: {a:e} becomes {b:e}");
            }
        }
    }
}

/// Every scan taken four times halves every error: exactly, as each is for itself.
#[test]
fn four_times_the_scans_is_half_the_error() {
    for seed in 0..5 {
        let once = planned(&mut ChaCha8Rng::seed_from_u64(seed), 1);
        let often = planned(&mut ChaCha8Rng::seed_from_u64(seed), 4);
        let (a, b) = (precision(&once, Scaling::Stated).unwrap(), precision(&often, Scaling::Stated).unwrap());
        for (i, j) in pairs(9) {
            let ratio = distance_sigma(&a, i, j) / distance_sigma(&b, i, j);
            assert!((ratio - 2.0).abs() < 1e-6, "{ratio}");
        }
    }
}

/// The covariance of a relation told from its other end: by increments of both, taken numerically.
fn from_the_other_end(relative: &Pose, covariance: &Matrix6<f64>) -> Matrix6<f64> {
    let back = relative.inverse();
    let step = 1e-6;
    let by = Matrix6::from_fn(|r, c| {
        let mut d = nalgebra::Vector6::zeros();
        d[c] = step;
        (back.difference(&relative.moved(&d).inverse()))[r] / step
    });
    by * covariance * by.transpose()
}

#[test]
fn a_tie_says_the_same_from_both_ends() {
    let (stations, _) = hall();
    for seed in 0..6 {
        let mut rng = ChaCha8Rng::seed_from_u64(seed);
        let poses: Vec<Pose> = stations.iter().map(|p| Pose::levelled(rng.random_range(-3.0..3.0), *p * 3.0)).collect();
        let (mut there, mut back) = (Network::default(), Network::default());
        for net in [&mut there, &mut back] {
            for (k, p) in poses.iter().enumerate() {
                let s = net.add_scan(&format!("S{k}"), *p);
                net.observe(Observation::level(s, LEVEL));
            }
        }
        for (i, j) in pairs(5) {
            let half = Matrix6::from_fn(|r, c| rng.random_range(-1.0..1.0) * if r.max(c) < 3 { 1e-3 } else { 1e-4 });
            let covariance = half * half.transpose() + Matrix6::identity() * 1e-10;
            let off = nalgebra::Vector6::from_fn(|k, _| rng.random_range(-1.0..1.0) * if k < 3 { 1e-3 } else { 5e-5 });
            let relative = poses[i].inverse().compose(&poses[j]).moved(&off);
            there.observe(Observation::new(CloudTie { from: i, to: j, relative, covariance, shared: Vec::new() }));
            let (relative, covariance) = (relative.inverse(), from_the_other_end(&relative, &covariance));
            back.observe(Observation::new(CloudTie { from: j, to: i, relative, covariance, shared: Vec::new() }));
        }
        let (a, b) = (solve(there, Scaling::Stated).unwrap(), solve(back, Scaling::Stated).unwrap());
        // linear to the square of a turn of 5e-5
        assert!((a.sum - b.sum).abs() < 1e-3 * a.sum, "{} and {}", a.sum, b.sum);
        for (i, j) in pairs(5) {
            let of = |s: &Solution| (s.poses[i].translation - s.poses[j].translation).norm();
            assert!((of(&a) - of(&b)).abs() < 1e-6, "{} and {}", of(&a), of(&b));
        }
    }
}

/// A residual is as long in the axes of the block as in those of its scan, also of a tie that shares errors with others.
#[test]
fn residuals_keep_their_length() {
    let (stations, _) = hall();
    let mut rng = ChaCha8Rng::seed_from_u64(3);
    let mut net = Network::default();
    for (k, p) in stations.iter().enumerate() {
        let s = net.add_scan(&format!("S{k}"), Pose::levelled(k as f64, *p));
        net.observe(Observation::level(s, LEVEL));
    }
    let offset = net.add_systematic(None, vec![Parameter::RangeOffset]);
    net.observe(Observation::new(SystematicPrior { of: offset, parameter: 0, sigma: 1e-3 }));
    for (from, to) in pairs(5) {
        let off = nalgebra::Vector6::from_fn(|k, _| rng.random_range(-1.0..1.0) * if k < 3 { 2e-3 } else { 1e-4 });
        let relative = net.scans[from].pose.inverse().compose(&net.scans[to].pose).moved(&off);
        let mut by = Matrix6::zeros();
        by.column_mut(0).copy_from(&nalgebra::Vector6::new(0.4, -0.3, 0.1, 0.0, 0.0, 0.01));
        let covariance = Matrix6::identity() * 1e-6;
        net.observe(Observation::new(CloudTie { from, to, relative, covariance, shared: vec![(offset, by)] }));
    }
    let solution = solve(net.clone(), Scaling::Stated).unwrap();
    for (o, r) in net.observations.iter().zip(&solution.residuals) {
        if matches!(o.kind, Kind::CloudTie(_)) {
            let own = r.rows.fixed_rows::<3>(0).norm();
            assert!(own > 1e-5 && (r.vector.norm() - own).abs() < 1e-9, "{own} m becomes {} m", r.vector.norm());
        }
    }
}

fn on_grid(origin: Vec3, order: &[usize], off: Vec3) -> Georeferenced {
    let (_, targets) = hall();
    let r = registered(taken(5, &stays));
    let block = r.block.unwrap();
    let names: Vec<String> = r.placed.targets.iter().map(|t| t.name.clone()).collect();
    let turn = Pose::levelled(0.9, origin);
    let control = order
        .iter()
        .map(|&t| ControlPoint {
            name: format!("C{t}"),
            position: turn.apply(&targets[t]) + if t == 4 { off } else { Vec3::zeros() },
            sigma: Vec3::repeat(0.002),
            check: t == 8,
            target: None,
        })
        .collect();
    let flat = GridFactors { point_scale: 1.0, height_factor: 1.0, convergence: 0.0 };
    let input = georef::Input {
        network: &r.placed.network,
        block: &block.solution,
        names: &names,
        control,
        model: FitModel::Levelled,
        levelled: true,
        map_at: &|at| GridMap::from_exact(*at, flat, |p| at + p),
    };
    georeference(&input).unwrap_or_else(|f| panic!("{} {:?}", f.error, f.mistakes))
}

/// Coordinates follow control over the grid, and nothing that is stated depends on where that is, or on the order of the
/// list.
#[test]
fn where_on_the_grid_changes_nothing_stated() {
    let wrong = Vec3::new(0.02, 0.0, 0.0);
    for off in [Vec3::zeros(), wrong] {
        let near = on_grid(Vec3::zeros(), &[0, 2, 4, 6, 7, 8], off);
        let places = [Vec3::new(512_345.25, 5_604_000.5, 310.0), Vec3::new(-2_000_000.0, 300_000.0, -3.0)];
        for (shift, order) in places.into_iter().zip([[8, 7, 6, 4, 2, 0], [4, 0, 8, 2, 7, 6]]) {
            let far = on_grid(shift, &order, off);
            assert_eq!(near.source, far.source);
            for k in 0..9 {
                assert!((near.target(k) + shift - far.target(k)).norm() < 1e-6);
                let (a, b) = (near.target_error(k), far.target_error(k));
                assert!((a.spatial - b.spatial).abs() < 1e-7 && (a.bearing - b.bearing).abs() < 1e-3, "{a:?} {b:?}");
            }
            assert!((near.checks.spatial - far.checks.spatial).abs() < 1e-6);
            assert_eq!(near.weaknesses.len(), far.weaknesses.len(), "{:?} {:?}", near.weaknesses, far.weaknesses);
        }
    }
}

fn evidence(rng: &mut ChaCha8Rng) -> Evidence {
    let place = |rng: &mut ChaCha8Rng, k: usize| {
        let c = Vec3::from_fn(|_, _| rng.random_range(1e-4..4e-3_f64).powi(2));
        Judged {
            kind: if k == 0 { PlaceKind::Station } else { PlaceKind::Target },
            name: format!("P{k}"),
            error: Error95::from_covariance(&Mat3::from_diagonal(&c)),
            area: None,
        }
    };
    let n = rng.random_range(0..6);
    let checks = (0..n)
        .map(|k| Check {
            name: format!("C{k}"),
            residual: Vec3::from_fn(|_, _| rng.random_range(-3e-3..3e-3)),
            p_family: rng.random_range(0.0..1.0),
            area: None,
        })
        .collect();
    let spatial = rng.random_range(5e-4..6e-3);
    Evidence {
        places: rng.random_bool(0.95).then(|| (0..5).map(|k| place(rng, k)).collect()),
        checks: Checks {
            compared: checks,
            spatial,
            bound: spatial * rng.random_range(1.1..3.0),
            quadrants: rng.random_range(0..5),
            p_value: rng.random_range(0.0..1.0),
            ..Checks::default()
        },
        unsettled: rng.random_range(0..3) / 2,
        unplaced: rng.random_range(0..3) / 2,
        test_passed: rng.random_bool(0.8),
        ..Evidence::default()
    }
}

fn asked(limit: f64) -> Requirement {
    let l = Some(limit);
    Requirement { horizontal95: l, vertical95: l, spatial95: l, check_rmse: l, ..Requirement::default() }
}

/// Asked for less, no answer gets worse; with more against it, none gets better; and without evidence that took no part,
/// nothing is met.
#[test]
fn a_verdict_is_as_hard_as_what_is_asked() {
    let mut rng = ChaCha8Rng::seed_from_u64(3);
    let mut seen = BTreeMap::new();
    for _ in 0..3000 {
        let e = evidence(&mut rng);
        let limit = rng.random_range(5e-4..2e-2);
        let rows = verdict(&asked(limit), &e);
        let easier = verdict(&asked(limit * rng.random_range(1.0..3.0)), &e);
        let doubtful = verdict(&asked(limit), &Evidence { unsettled: e.unsettled + 1, ..e.clone() });
        let off = verdict(&asked(limit), &Evidence { control_off: vec!["C9".into()], test_passed: false, ..e.clone() });
        for (k, row) in rows.iter().enumerate() {
            assert!(easier[k].verdict <= row.verdict, "{row:?} when less is asked: {:?}", easier[k]);
            assert!(doubtful[k].verdict >= row.verdict, "{row:?} with a finding: {:?}", doubtful[k]);
            assert!(off[k].verdict >= row.verdict, "{row:?} with control off: {:?}", off[k]);
            assert!(!row.grounds.is_empty(), "{row:?} rests on nothing");
            if e.checks.compared.is_empty() || e.places.is_none() {
                assert!(row.verdict != Verdict::Met, "{row:?} by its own word");
            }
            *seen.entry((row.asked == Asked::Checks, row.verdict)).or_insert(0) += 1;
        }
    }
    assert_eq!(seen.len(), 6, "every answer was given: {seen:?}");
}
