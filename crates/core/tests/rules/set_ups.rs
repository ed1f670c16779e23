//! Stations set up over marks, with backsights: what is predicted against what simulated set-ups give.

use nalgebra::Vector2;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use rand_distr::StandardNormal;
use vistazo_core::adjust::kinds::Kind;
use vistazo_core::adjust::{Group, Network, Plumb, Scaling, solve};
use vistazo_core::geometry::{FitModel, Pose, Vec3};
use vistazo_core::georef::{ControlPoint, constrained, free_fit};
use vistazo_core::instrument::{Instrument, library};
use vistazo_core::plan::{
    Design, Kit, PlannedKind, PlannedTarget, Site, Station, Trap, Wall, cover, predict, station_graph, traps,
};

fn mark(name: &str, x: f64, y: f64, sigma: Option<f64>) -> PlannedTarget {
    PlannedTarget {
        name: name.into(),
        position: Vec3::new(x, y, 0.02 * x),
        kind: PlannedKind::Mark,
        control_sigma: sigma.map(Vec3::repeat),
        check: false,
    }
}

fn over(name: &str, marks: &[PlannedTarget], at: usize, sights: &[usize]) -> Station {
    let position = marks[at].position + Vec3::z() * 1.65;
    Station { over: Some(at), sights: sights.to_vec(), ..Station::at(name, position) }
}

fn sighting() -> Instrument {
    library().into_iter().find(|i| i.sighting_sigma.is_some()).unwrap()
}

/// A traverse of five set-ups between known marks, simulated as it is done: the instrument plumbed over
/// the mark, its height measured, each reflector plumbed and sighted by directions and distance.
#[test]
fn a_traverse_comes_out_as_predicted() {
    let marks = [
        mark("A", 0.0, 0.0, Some(0.002)),
        mark("B", 60.0, 8.0, None),
        mark("C", 120.0, -5.0, None),
        mark("D", 175.0, 10.0, None),
        mark("E", 230.0, 0.0, Some(0.002)),
        mark("R", -80.0, 15.0, Some(0.002)),
        mark("Q", 250.0, 90.0, Some(0.002)),
    ];
    let stations = [
        over("S1", &marks, 0, &[5, 1]),
        over("S2", &marks, 1, &[0, 2]),
        over("S3", &marks, 2, &[1, 3]),
        over("S4", &marks, 3, &[2, 4]),
        over("S5", &marks, 4, &[3, 6]),
    ];
    let instrument = sighting();
    let site = Site::default();
    let design = Design::new(&site, &instrument, Kit::default(), &stations, &marks);
    let planned = predict(&design);
    let plan = planned.on_grid.as_ref().unwrap_or_else(|| panic!("{:?}", planned.block));
    let parts = planned.budget(2).unwrap();
    assert!(parts.share(Group::SetUp) > 0.2 && parts.share(Group::Spheres) == 0.0, "{parts:?}");

    const RUNS: u64 = 400;
    let (mut found, mut said) = ([0.0; 5], [0.0; 5]);
    let (mut high, mut high_said) = (0.0, 0.0);
    for seed in 0..RUNS {
        let mut rng = ChaCha8Rng::seed_from_u64(seed);
        let mut n = |sigma: f64| rng.sample::<f64, _>(StandardNormal) * sigma;
        let mut net: Network = planned.network.clone();
        net.plumb = Plumb { origin: Vec3::zeros(), radius: f64::INFINITY };
        let tilt = instrument.compensator_sigma.unwrap();
        let mut turn = 0.3;
        for (k, s) in stations.iter().enumerate() {
            turn += 1.1;
            let at = marks[s.over.unwrap()].position;
            let plumbed = Vec3::new(
                n(instrument.centring_sigma),
                n(instrument.centring_sigma),
                1.65 + n(instrument.height_sigma),
            );
            let mut pose = Pose::levelled(turn, at + plumbed);
            pose.rotation =
                nalgebra::UnitQuaternion::from_scaled_axis(Vec3::new(n(tilt), n(tilt), 0.0)) * pose.rotation;
            net.scans[k].pose = pose;
            for o in net.observations.iter_mut().filter(|o| o.scan() == Some(k)) {
                let Kind::Backsight(sight) = &mut o.kind else { continue };
                let reflector = marks[planned.used[sight.target]].position
                    + Vec3::new(
                        n(instrument.centring_sigma),
                        n(instrument.centring_sigma),
                        1.5 + n(instrument.height_sigma),
                    );
                let p = pose.inverse().apply(&reflector);
                let sigma = instrument.sighting_sigma.unwrap();
                let range = p.norm() + n(instrument.range_noise(p.norm(), 1.0));
                let (bearing, up) = (p.y.atan2(p.x) + n(sigma), (p.z / p.norm()).asin() + n(sigma));
                sight.reflector = Vec3::new(up.cos() * bearing.cos(), up.cos() * bearing.sin(), up.sin()) * range;
            }
        }
        let block = solve(net.clone(), Scaling::Stated).unwrap();
        let control: Vec<ControlPoint> = planned
            .used
            .iter()
            .enumerate()
            .filter(|(_, t)| marks[**t].control_sigma.is_some())
            .map(|(k, &t)| ControlPoint {
                name: marks[t].name.clone(),
                position: marks[t].position + Vec3::new(n(0.002), n(0.002), n(0.002)),
                sigma: Vec3::repeat(0.002),
                check: false,
                target: Some(k),
            })
            .collect();
        let mut free = free_fit(&block, &control, FitModel::Levelled).unwrap();
        free.variance.applied = 1.0;
        net.scans.iter_mut().zip(&block.poses).for_each(|(s, p)| s.pose = *p);
        net.targets.iter_mut().zip(&block.targets).for_each(|(t, p)| t.position = *p);
        let grid = constrained(&net, &block, &free, &control).unwrap();
        for k in 0..5 {
            let e = grid.targets[k] - marks[planned.used[k]].position;
            found[k] += e.xy().norm_squared();
            said[k] += plan.target_covariance(k).fixed_view::<2, 2>(0, 0).trace();
            high += e.z * e.z;
            high_said += plan.target_covariance(k)[(2, 2)];
        }
    }
    for k in 0..5 {
        let ratio = f64::sqrt(found[k] / said[k]);
        assert!((0.9..1.1).contains(&ratio), "{}: spread {ratio} of the predicted", marks[k].name);
    }
    let ratio = f64::sqrt(high / high_said);
    assert!((0.9..1.1).contains(&ratio), "heights: spread {ratio} of the predicted");
}

/// What goes wrong with set-ups over marks is named.
#[test]
fn bad_set_ups_are_named() {
    let line = [(-30.0, 40.0), (60.0, 40.0)].iter().map(|p| Vector2::new(p.0, p.1)).collect();
    let screen = [(10.0, -1.0), (10.0, 1.0)].iter().map(|p| Vector2::new(p.0, p.1)).collect();
    let site =
        Site { walls: vec![Wall::plain(0, line, 0.0, 6.0), Wall::plain(1, screen, 0.0, 4.0)], ..Site::default() };
    let marks = [
        mark("A", 0.0, 0.0, Some(0.002)),
        mark("N", -7.0, 3.0, Some(0.002)),
        mark("H", 22.0, 0.0, Some(0.002)),
        mark("F", 700.0, -9.0, Some(0.002)),
        mark("G", -20.0, -30.0, Some(0.002)),
    ];
    let found = |sights: &[usize], instrument: &Instrument| {
        let stations = [over("S1", &marks, 0, sights)];
        let design = Design::new(&site, instrument, Kit::default(), &stations, &marks);
        let (c, p) = (cover(&site, &stations, instrument, 0.5), predict(&design));
        let all = traps(&design, &c, &station_graph(&c.overlap, &p.sees, &p.marks()), &p);
        all.into_iter()
            .filter(|t| {
                matches!(
                    t,
                    Trap::CannotSight(..) | Trap::SightBlocked(..) | Trap::ShortBacksight(..) | Trap::NoBacksight(..)
                )
            })
            .collect::<Vec<_>>()
    };
    let instrument = sighting();
    assert_eq!(found(&[4], &instrument), []);
    assert_eq!(found(&[4, 3], &instrument), [Trap::CannotSight(0, 3)]);
    assert_eq!(found(&[4, 2], &instrument), [Trap::SightBlocked(0, 2)]);
    assert!(matches!(found(&[1], &instrument)[..], [Trap::ShortBacksight(0, back, far)] if back < 8.0 && far > 40.0));
    assert_eq!(found(&[], &instrument), [Trap::NoBacksight(0)]);
    let blind = Instrument { sighting_sigma: None, ..instrument };
    assert_eq!(found(&[4], &blind), [Trap::CannotSight(0, 4), Trap::NoBacksight(0)]);
}
