//! Every kind of observation against what any of them must be: its derivatives are those of its misclosure, its
//! covariance is one, and moving the whole block changes only what knows where the block is.

use nalgebra::{Matrix6, UnitQuaternion, Vector6};
use proptest::prelude::*;
use vistazo_core::adjust::kinds::{
    Backsight, CloudTie, Distance, Held, KnownPoint, Level, OccupiedMark, SystematicPrior, TargetCentre, TrackedPose,
};
use vistazo_core::adjust::{Kind, Network, Observation, Parameter, Plumb, Unknown};
use vistazo_core::geometry::{Mat3, Pose, Vec3};
use vistazo_core::targets::TargetKind;

fn pose(v: &[f64]) -> Pose {
    Pose {
        rotation: UnitQuaternion::from_scaled_axis(Vec3::new(0.02 * v[0], 0.02 * v[1], v[2])),
        translation: Vec3::new(v[3], v[4], 0.2 * v[5]) * 10.0,
    }
}

/// Two scans and two targets anywhere, and one observation of each kind that is off by a little.
fn network(v: &[f64]) -> Network {
    let flat = Plumb { origin: Vec3::zeros(), radius: f64::INFINITY };
    let mut net = Network { plumb: flat, ..Network::default() };
    let (a, b) = (net.add_scan("A", pose(v)), net.add_scan("B", pose(&v[6..])));
    let places = [12, 15].map(|k| Vec3::new(v[k], v[k + 1], 0.2 * v[k + 2]) * 10.0 + Vec3::new(3.0, -2.0, 0.5));
    let targets = places.map(|p| net.add_target("T", p));
    let off = Vec3::new(v[3], v[0], v[1]) * 0.003;
    let seen = net.scans[a].pose.inverse().apply(&places[0]) + off;
    let turn = UnitQuaternion::from_scaled_axis(off);
    let between = net.scans[a].pose.inverse().compose(&net.scans[b].pose);
    let relative = Pose { rotation: turn * between.rotation, translation: between.translation + off };
    let covariance = Matrix6::from_diagonal(&Vector6::new(1e-6, 2e-6, 3e-6, 1e-8, 2e-8, 1e-8));
    let of = Mat3::from_diagonal(&Vec3::new(1e-6, 4e-6, 2e-6));
    let reflector = net.scans[a].pose.inverse().apply(&(places[0] + Vec3::z() * 1.5)) + off;
    let instrument = net.add_systematic(None, Parameter::OF_INSTRUMENT.to_vec());
    net.systematic[instrument].values =
        Vector6::new(v[0], v[1], 0.02 * v[2], 0.1 * v[3], 0.1 * v[4], 0.1 * v[5]) * 1e-3;
    let set_up = net.add_systematic(Some(a), Parameter::OF_SET_UP.to_vec());
    let systematic = [Some(instrument), Some(set_up)];
    let by = TargetKind::Checker;
    let by_errors = Matrix6::from_fn(|i, j| v[(i + 2 * j) % 6]);
    let kinds: Vec<Kind> = vec![
        TargetCentre { scan: a, target: targets[0], centre: seen, covariance: of, by, systematic }.into(),
        SystematicPrior { of: instrument, parameter: 3, sigma: 5e-5 }.into(),
        CloudTie {
            from: a,
            to: b,
            relative,
            covariance,
            shared: vec![(instrument, by_errors), (set_up, by_errors * 0.5)],
        }
        .into(),
        TrackedPose { from: a, to: b, relative, covariance }.into(),
        Held { from: a, to: b, relative, worth: covariance }.into(),
        Level { scan: a, sigma: 1e-5 }.into(),
        OccupiedMark { scan: a, target: targets[1], height: 1.6, centring_sigma: 1e-3, height_sigma: 2e-3 }.into(),
        Backsight { scan: a, target: targets[0], reflector, height: 1.5, sigma: Vec3::new(1e-3, 2e-3, 1e-3) }.into(),
        KnownPoint { target: targets[1], position: places[1] + off, covariance: of }.into(),
        Distance { from: targets[0], to: targets[1], distance: (places[1] - places[0]).norm() + off.x, sigma: 1e-3 }
            .into(),
    ];
    kinds.into_iter().for_each(|k| net.observe(Observation::new(k)));
    net
}

fn moved(net: &Network, unknown: Unknown, column: usize, by: f64) -> Network {
    let mut out = net.clone();
    match unknown {
        Unknown::Scan(s) => {
            let mut step: Vector6<f64> = Vector6::zeros();
            step[column] = by;
            out.scans[s].pose = out.scans[s].pose.moved(&step);
        }
        Unknown::Target(t) => out.targets[t].position[column] += by,
        Unknown::Systematic(k) => out.systematic[k].values[column] += by,
    }
    out
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 60, ..ProptestConfig::default() })]

    /// Observed minus computed falls as the computed grows: the design is its negative derivative, up to what is
    /// of second order in a misclosure of millimetres.
    #[test]
    fn derivatives_are_those_of_the_misclosure(v in prop::collection::vec(-1.0..1.0_f64, 18)) {
        let net = network(&v);
        prop_assume!((net.targets[0].position - net.targets[1].position).norm() > 1.0);
        prop_assume!((net.targets[0].position - net.scans[0].pose.translation).xy().norm() > 1.0);
        const STEP: f64 = 1e-5;
        for o in &net.observations {
            let here = o.linearise(&net);
            for (unknown, design) in here.parts() {
                let columns = net.columns(*unknown).1;
                for column in 0..columns {
                    let ahead = o.linearise(&moved(&net, *unknown, column, STEP)).misclosure;
                    let behind = o.linearise(&moved(&net, *unknown, column, -STEP)).misclosure;
                    let numeric = (behind - ahead) / (2.0 * STEP);
                    let size = numeric.norm().max(1.0);
                    let off = (numeric - design.column(column)).norm() / size;
                    prop_assert!(off < 6e-3, "{} by {unknown:?} {column}: {off} {numeric} {}", o.kind.name(), design.column(column));
                }
            }
        }
    }

    /// A covariance is symmetric and positive on the rows there are, and zero beyond.
    #[test]
    fn covariances_are_covariances(v in prop::collection::vec(-1.0..1.0_f64, 18)) {
        let net = network(&v);
        for o in &net.observations {
            let (rows, c) = (o.linearise(&net).rows, o.covariance());
            prop_assert!((c - c.transpose()).amax() < 1e-18);
            prop_assert!(c.view((0, 0), (rows, rows)).into_owned().cholesky().is_some(), "{}", o.kind.name());
            prop_assert_eq!(c.view((rows, 0), (6 - rows, 6)).amax(), 0.0);
        }
    }

    /// Shifted and turned about the vertical as a whole, the block looks the same to all but known points.
    #[test]
    fn the_block_may_stand_anywhere(v in prop::collection::vec(-1.0..1.0_f64, 18), yaw in -3.0..3.0_f64, east in -200.0..200.0_f64) {
        let net = network(&v);
        let by = Pose::levelled(yaw, Vec3::new(east, -0.4 * east, 7.0));
        let mut there = net.clone();
        there.scans.iter_mut().for_each(|s| s.pose = by.compose(&s.pose));
        there.targets.iter_mut().for_each(|t| t.position = by.apply(&t.position));
        for o in net.observations.iter().filter(|o| o.kind.name() != "KnownPoint") {
            let (a, b) = (o.linearise(&net), o.linearise(&there));
            // what is measured against the axes of the block turns with them
            let same = (a.misclosure - b.misclosure).norm().min((a.misclosure.norm() - b.misclosure.norm()).abs());
            prop_assert!(same < 1e-9, "{}: {same}", o.kind.name());
        }
    }
}

#[test]
fn targets_that_are_renumbered_take_their_observations_along() {
    let net = network(&[0.3; 18]);
    for o in &net.observations {
        let mut kind = o.kind.clone();
        let before = o.target_index();
        kind.measurement_mut().retarget(&|t| t + 40);
        assert_eq!(Observation::new(kind).target_index(), before.map(|t| t + 40), "{}", o.kind.name());
    }
    let mut names: Vec<&str> = net.observations.iter().map(|o| o.kind.name()).collect();
    names.sort_unstable();
    names.dedup();
    assert_eq!(names.len(), 10, "one of every kind, each with its own name for records");
}
