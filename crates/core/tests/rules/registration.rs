//! A registration from observations to findings: what is wrong is named, what is not is left alone, and
//! loops are closed.

use crate::survey;

use survey::{Recipe, flat, hall, stays, survey};
use vistazo_core::adjust::{Unknown, profile_as_found};
use vistazo_core::geometry::{FitModel, Vec3, fit};
use vistazo_core::instrument::Instrument;
use vistazo_core::registration::{Finding, Input, MeasuredDistance, NamedPlace, Registration, SetUp, Sight, register};
use vistazo_core::stats::chi2_quantile;
use vistazo_core::targets::TargetKind;

fn run(r: &Recipe<'_>) -> Registration {
    register(&Input { scans: survey(r).scans, ..Input::default() })
}

fn recipe<'a>(stations: &'a [Vec3], targets: &'a [Vec3], seed: u64) -> Recipe<'a> {
    Recipe { stations, targets, sees: &|_, _| true, noise: 1.0, level: 1.0, up: &flat, off: &stays, seed }
}

/// One wrong sighting among five is told as that, a move as a move, in the same network.
#[test]
fn a_wrong_sighting_is_no_move_and_a_move_no_wrong_sighting() {
    let (stations, targets) = hall();
    let base = recipe(&stations, &targets, 1);
    let wrong = run(&Recipe {
        off: &|s, t| if (s, t) == (2, 4) { Vec3::new(0.012, -0.009, 0.002) } else { Vec3::zeros() },
        ..base
    });
    let Finding::Outlier { observation, .. } = wrong.findings[0] else { panic!("{:?}", wrong.findings[0]) };
    let c = wrong.placed.network.observations[observation].centre().unwrap();
    let there = wrong.block.as_ref().unwrap().solution.poses[2].apply(&c.centre);
    assert_eq!(c.scan, 2);
    let moved = run(&Recipe {
        off: &|s, t| if s >= 2 && t == 4 { Vec3::new(0.012, -0.009, 0.002) } else { Vec3::zeros() },
        ..recipe(&stations, &targets, 1)
    });
    let Finding::Moved { moved: m, before, after, .. } = &moved.findings[0] else { panic!("{:?}", moved.findings[0]) };
    assert_eq!((m.before, m.after, before.len(), after.len()), (1, 2, 2, 3));
    assert!((m.shift.norm() - 0.0151).abs() < 0.003, "{}", m.shift.norm());
    // both speak of the same target: the place agrees
    let target = moved.block.as_ref().unwrap().solution.targets[m.target];
    assert!((there - target).norm() < 0.05);
    // the observation keeps the caller's identifier
    assert!(before.iter().chain(after).all(|&i| moved.placed.network.observations[i].id % 1000 == 4));
}

/// With noise two and a half times as large as stated, as a healthy instrument may have it, nothing is accused,
/// and stated regions still hold the truth.
#[test]
fn noise_beyond_the_stated_widens_the_regions_and_accuses_nobody() {
    let (stations, targets) = hall();
    let (mut findings, mut inside, mut of) = (0, 0, 0);
    for seed in 0..60 {
        let r = run(&Recipe { noise: 2.5, level: 2.0, ..recipe(&stations, &targets, seed) });
        findings += r.findings.len();
        let block = r.block.unwrap();
        assert!(block.solution.variance.interval.0 > 1.5, "{:?}", block.solution.variance);
        // taken into the profile, the noise is what it was
        let profile = Instrument::mid_range();
        let found = profile_as_found(&profile, &block.solution.components()).unwrap();
        assert!((1.9..3.1).contains(&(found.range_sigma / profile.range_sigma)), "{}", found.range_sigma);
        // targets are numbered in the order they were first seen, which is that of the truth
        let f = fit(FitModel::Levelled, &targets, &block.solution.targets).unwrap();
        for (k, t) in targets.iter().enumerate() {
            let e = block.solution.targets[k] - f.apply(t);
            let c = block.solution.target_covariance(k);
            inside += usize::from(e.dot(&(c.try_inverse().unwrap() * e)) < chi2_quantile(0.95, 3));
            of += 1;
        }
    }
    let share = 100.0 * inside as f64 / of as f64;
    assert!((93.0..99.5).contains(&share), "{share:.1} % of {of} truths inside");
    assert!(findings <= 3, "{findings} findings in 60 blocks without a fault");
}

/// A scan said to be level that leans is placed by its targets, and said to lean.
#[test]
fn a_scan_that_leans_is_named() {
    let (stations, targets) = hall();
    let s = survey(&recipe(&stations, &targets, 3));
    // by so much that it fits nothing while it is taken for level, and by so little that it does
    for (tilt, expected) in [((0.005, -0.0045), 0.00673), ((0.0003, -0.0002), 0.00036)] {
        let lean = nalgebra::UnitQuaternion::from_scaled_axis(Vec3::new(tilt.0, tilt.1, 0.0));
        let mut scans = s.scans.clone();
        for t in &mut scans[2].targets {
            t.centre = lean * t.centre;
        }
        let r = register(&Input { scans, ..Input::default() });
        assert_eq!(r.block.as_ref().unwrap().solution.poses.len(), 5);
        let [Finding::NotLevel { scan: 2, tilt, .. }] = r.findings[..] else { panic!("{:?}", r.findings) };
        assert!((tilt - expected).abs() < 1e-4, "{tilt}");
        assert!(r.block.unwrap().solution.global_p > 0.001);
    }
}

/// A ring of sixteen stations that hang together by three near targets each drifts by far more than
/// targets lie apart from where they were; the last is joined to the first all the same, the misclosure is
/// told with its σ, and the targets come out once.
#[test]
fn a_ring_is_closed_whatever_the_drift() {
    let n = 16;
    let around = |k: usize, r: f64, z: f64| {
        let (s, c) = (std::f64::consts::TAU * k as f64 / n as f64).sin_cos();
        Vec3::new(r * c, r * s, z)
    };
    let stations: Vec<Vec3> = (0..n).map(|k| around(k, 60.0, 1.6)).collect();
    // three spheres between every two stations, within a metre and a half: a weak heading
    let targets: Vec<Vec3> = (0..n)
        .flat_map(|k| {
            let m = (around(k, 60.0, 1.2) + around((k + 1) % n, 60.0, 1.2)) / 2.0;
            let k = k as f64;
            [(0.0, 0.0, 0.1), (1.1 + 0.02 * k, 0.2, 0.5), (0.3, 1.3 - 0.03 * k, 0.9)]
                .map(|o| m + Vec3::new(o.0, o.1, o.2))
        })
        .collect();
    let sees = |s: usize, t: usize| t / 3 == s || t / 3 == (s + n - 1) % n;
    let r = run(&Recipe { sees: &sees, ..recipe(&stations, &targets, 11) });
    let block = r.block.unwrap();
    assert_eq!(block.solution.poses.len(), n);
    assert_eq!(block.solution.targets.len(), targets.len(), "{:?}", block.joins);
    assert_eq!(block.joins.len(), 3);
    let gap = block.joins.iter().map(|j| j.gap.norm()).fold(0.0, f64::max);
    assert!(gap > 0.15, "the drift of {gap} m is none: the test shows nothing");
    assert!(block.joins.iter().all(|j| j.p_value > 0.001), "{:?}", block.joins);
    assert!(r.findings.is_empty(), "{:?}", r.findings);
    // the one loop there is, from the ties alone
    assert_eq!(block.loops.len(), 1);
    assert!(block.loops[0].scans.len() == n && block.loops[0].p_value > 0.001, "{:?}", block.loops[0]);
    let f = fit(FitModel::Levelled, &stations, &block.solution.poses.iter().map(|p| p.translation).collect::<Vec<_>>());
    assert!(f.unwrap().rms < 0.06, "{}", f.unwrap().rms);
}

/// A misclosure's σ is that of its scatter.
#[test]
fn misclosures_scatter_as_stated() {
    let (stations, targets) = hall();
    let sees = |s: usize, t: usize| !(s + t).is_multiple_of(3);
    let (mut sum, mut of) = (0.0, 0);
    for seed in 0..80 {
        let block = run(&Recipe { sees: &sees, ..recipe(&stations, &targets, 100 + seed) }).block.unwrap();
        for l in &block.loops {
            sum += f64::from(u8::from(l.p_value < 0.05));
            of += 1;
        }
    }
    let share = sum / f64::from(of);
    assert!((0.03..0.08).contains(&share), "{share} of {of} misclosures beyond their 95 %");
}

/// Targets have the names of the plan where places agree; numbers keep clear of the names of control.
#[test]
fn names_come_from_the_plan_and_numbers_keep_clear_of_control() {
    let (stations, targets) = hall();
    let mut s = survey(&recipe(&stations, &targets, 5));
    for (scan, at) in s.scans.iter_mut().zip(&stations) {
        // nobody sets up exactly where the plan says
        scan.planned = Some(at + Vec3::new(0.12, -0.09, 0.05));
    }
    let named = |name: &str, at: Vec3, control: bool| NamedPlace {
        name: name.into(),
        position: at,
        sigma: 0.05,
        kind: (!control).then_some(TargetKind::Sphere),
        control,
    };
    let input = Input {
        scans: s.scans,
        named: vec![
            named("K7", targets[2] + Vec3::new(0.1, 0.1, 0.0), false),
            named("T01", Vec3::new(200.0, 0.0, 0.0), true),
        ],
        ..Input::default()
    };
    let r = register(&input);
    let names: Vec<&str> = r.placed.targets.iter().map(|t| t.name.as_str()).collect();
    assert_eq!(names, ["T02", "T03", "K7", "T04", "T05", "T06", "T07", "T08", "T09"]);
}

/// What the log says of a set-up reaches the adjustment: a forgotten instrument height is found.
#[test]
fn a_wrong_instrument_height_is_named() {
    let (stations, targets) = hall();
    let marks: Vec<Vec3> = stations.iter().map(|s| Vec3::new(s.x, s.y, 0.02)).collect();
    let build = |wrong: f64| {
        let mut s = survey(&recipe(&stations, &targets, 9));
        for k in [0, 1, 3] {
            let sight = |to: usize| Sight {
                mark: format!("M{to}"),
                reflector: s.poses[k].inverse().apply(&(marks[to] + Vec3::z() * 1.5)),
                height: 1.5,
                sigma: Vec3::new(0.0012, 0.0015, 0.0012),
            };
            let height = stations[k].z - 0.02 + if k == 1 { wrong } else { 0.0 };
            let sights = [0, 1, 3].into_iter().filter(|t| *t != k).map(sight).collect();
            s.scans[k].set_up =
                Some(SetUp { mark: format!("M{k}"), height, centring_sigma: 0.001, height_sigma: 0.0015, sights });
        }
        register(&Input { scans: s.scans, ..Input::default() })
    };
    assert!(build(0.0).findings.is_empty());
    let r = build(0.1);
    let Finding::Outlier { observation, .. } = r.findings[0] else { panic!("{:?}", r.findings[0]) };
    let o = &r.placed.network.observations[observation];
    assert_eq!((o.kind.name(), o.unknowns()[0]), ("OccupiedMark", Some(Unknown::Scan(1))));
}

/// The reflector stood on another mark than the log says: the sight is named, not the marks.
#[test]
fn a_backsight_to_the_wrong_mark_is_named() {
    let (stations, targets) = hall();
    let marks: Vec<Vec3> = stations.iter().map(|s| Vec3::new(s.x, s.y, 0.02)).collect();
    let mut s = survey(&recipe(&stations, &targets, 9));
    for k in [0, 1, 3] {
        let sight = |to: usize| {
            let stood = if (k, to) == (1, 3) { 2 } else { to };
            Sight {
                mark: format!("M{to}"),
                reflector: s.poses[k].inverse().apply(&(marks[stood] + Vec3::z() * 1.5)),
                height: 1.5,
                sigma: Vec3::new(0.0012, 0.0015, 0.0012),
            }
        };
        let sights = [0, 1, 3].into_iter().filter(|t| *t != k).map(sight).collect();
        let height = stations[k].z - 0.02;
        let mark = format!("M{k}");
        s.scans[k].set_up = Some(SetUp { mark, height, centring_sigma: 0.001, height_sigma: 0.0015, sights });
    }
    let r = register(&Input { scans: s.scans, ..Input::default() });
    let [Finding::Outlier { observation, left_out: true, .. }] = r.findings[..] else { panic!("{:?}", r.findings) };
    let o = &r.placed.network.observations[observation];
    assert_eq!((o.kind.name(), o.unknowns()[0]), ("Backsight", Some(Unknown::Scan(1))));
    let off = r.block.unwrap().solution.residuals[observation].vector.norm();
    assert!((off - (marks[3] - marks[2]).norm()).abs() < 0.01, "{off}");
    let mark = o.target_index().unwrap();
    assert_eq!(r.placed.targets[mark].name, "M3");
}

/// Scans without a single target in common hang together by their set-ups.
#[test]
fn a_traverse_needs_no_targets() {
    let stations: Vec<Vec3> = (0..4).map(|k| Vec3::new(50.0 * k as f64, 6.0 * (k % 2) as f64, 1.6)).collect();
    let mut s = survey(&recipe(&stations, &[], 2));
    for k in 0..4 {
        let near = [usize::checked_sub(k, 1), (k < 3).then_some(k + 1)];
        let sights = near.into_iter().flatten().map(|to| Sight {
            mark: format!("M{to}"),
            reflector: s.poses[k].inverse().apply(&(stations[to] - Vec3::z() * 0.1)),
            height: 1.5,
            sigma: Vec3::repeat(0.0015),
        });
        s.scans[k].set_up = Some(SetUp {
            mark: format!("M{k}"),
            height: 1.6,
            centring_sigma: 0.001,
            height_sigma: 0.0015,
            sights: sights.collect(),
        });
    }
    let r = register(&Input { scans: s.scans, ..Input::default() });
    let block = r.block.unwrap_or_else(|e| panic!("{e:?}"));
    assert_eq!(block.solution.poses.len(), 4);
    let places: Vec<Vec3> = block.solution.poses.iter().map(|p| p.translation).collect();
    assert!(fit(FitModel::Levelled, &stations, &places).unwrap().rms < 2e-3);
    assert!(r.placed.targets.iter().all(|t| t.name.starts_with('M')));
}

/// A distance between two targets, from plan to finding: it is predicted, it holds what it measures, and a wrong one
/// is named.
#[test]
fn a_measured_distance_goes_through() {
    use vistazo_core::adjust::{Group, Network, Observation, Scaling, kinds::Distance, precision, solve};
    let (stations, targets) = hall();
    let mut s = survey(&recipe(&stations, &targets, 21));
    for (scan, at) in s.scans.iter_mut().zip(&stations) {
        scan.planned = Some(*at);
    }
    let named = |k: usize| NamedPlace {
        name: format!("K{k}"),
        position: targets[k],
        sigma: 0.05,
        kind: Some(TargetKind::Sphere),
        control: false,
    };
    let run = |wrong: f64, sigma: f64| {
        let distance = (targets[0] - targets[7]).norm() + wrong;
        register(&Input {
            scans: s.scans.clone(),
            named: vec![named(0), named(7)],
            distances: vec![MeasuredDistance { from: "K0".into(), to: "k7".into(), distance, sigma }],
            ..Input::default()
        })
    };
    let r = run(0.0, 0.0002);
    assert!(r.findings.is_empty(), "{:?}", r.findings);
    let block = r.block.unwrap();
    let found = (block.solution.targets[0] - block.solution.targets[7]).norm();
    assert!((found - (targets[0] - targets[7]).norm()).abs() < 4e-4, "{found}");
    assert!(block.budgets[0].share(Group::Distances) > 0.0);
    let last = block.solution.residuals.last().unwrap();
    // four times as good as the scans, so hardly checked by them
    assert!((0.05..0.4).contains(&last.redundancy) && last.detectable.is_finite(), "{last:?}");
    let r = run(0.02, 0.002);
    let Finding::Outlier { observation, .. } = r.findings[0] else { panic!("{:?}", r.findings[0]) };
    assert_eq!(r.placed.network.observations[observation].kind.name(), "Distance");
    let length = r.block.unwrap().solution.residuals[observation].vector.norm();
    assert!((0.015..0.021).contains(&length), "{length}");

    // targets that are observed together stay in the normal equations: with a distance that says nothing the
    // result is that without it, to the last digit
    let mut net: Network = r.placed.network.clone();
    net.observations.truncate(net.observations.len() - 1);
    let without = solve(net.clone(), Scaling::Stated).unwrap();
    net.observe(Observation::new(Distance { from: 0, to: 7, distance: 1.0, sigma: 1e6 }));
    let with = solve(net.clone(), Scaling::Stated).unwrap();
    let largest = (&with.covariance - &without.covariance).amax();
    assert!(largest < 1e-9 * without.covariance.amax(), "{largest}");
    let shape = |s: &vistazo_core::adjust::Solution| -> Vec<f64> {
        s.targets.iter().map(|t| (t - s.targets[3]).norm()).collect()
    };
    assert!(shape(&with).iter().zip(shape(&without)).all(|(a, b)| (a - b).abs() < 1e-9));
    // and a plan that counts a good one predicts what comes out
    let sigma = |net: &Network| {
        let s = precision(net, Scaling::Stated).unwrap();
        let e = (s.targets[0] - s.targets[7]).normalize();
        let c = s.target_cross(0, 0) + s.target_cross(7, 7) - s.target_cross(0, 7) - s.target_cross(7, 0);
        e.dot(&(c * e)).sqrt()
    };
    let before = sigma(&net);
    net.observe(Observation::new(Distance { from: 0, to: 7, distance: found, sigma: 0.0001 }));
    let expected = (before.powi(-2) + 0.0001_f64.powi(-2)).sqrt().recip();
    assert!((sigma(&net) / expected - 1.0).abs() < 1e-4, "{} against {expected}", sigma(&net));
}
