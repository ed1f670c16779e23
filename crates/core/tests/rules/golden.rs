//! Against numbers that another program computed: `scripts/golden/adjustment.py` writes the observation
//! equations down anew, differentiates them numerically and solves them with numpy and scipy.

use serde_json::Value;
use vistazo_core::adjust::kinds::{Backsight, OccupiedMark};
use vistazo_core::adjust::{
    Group, Hypothesis, Network, Observation, Plumb, Scaling, Solution, solve, variance_components,
};
use vistazo_core::geometry::{FitModel, Mat3, Pose, Vec3};
use vistazo_core::georef::{ControlPoint, free_fit};

fn golden() -> Value {
    serde_json::from_str(include_str!("golden/adjustment.json")).unwrap()
}

fn list(v: &Value) -> Vec<f64> {
    v.as_array().unwrap().iter().map(|x| x.as_f64().unwrap()).collect()
}

fn vec3(v: &Value) -> Vec3 {
    Vec3::from_row_slice(&list(v))
}

fn near(found: f64, expected: &Value, digits: f64, what: &str) {
    let e = expected.as_f64().unwrap();
    assert!((found - e).abs() <= digits * e.abs().max(1.0), "{what}: found {found}, expected {e}");
}

/// Parallel plumb lines, as the other program has them.
fn flat() -> Network {
    Network { plumb: Plumb { origin: Vec3::zeros(), radius: f64::INFINITY }, ..Network::default() }
}

/// The three levelled scans of seven targets with the given observations.
fn block(observations: &Value) -> Network {
    let all = golden();
    let g = &all["free_network"];
    let mut net = flat();
    let yaw = list(&g["yaw"]);
    for (k, s) in g["stations"].as_array().unwrap().iter().enumerate() {
        let scan = net.add_scan(&format!("S{k}"), Pose::levelled(yaw[k] + 0.002 * k as f64, vec3(s)));
        net.observe(Observation::level(scan, g["sigma_level"].as_f64().unwrap()));
    }
    for t in g["targets"].as_array().unwrap() {
        net.add_target("T", vec3(t));
    }
    for o in observations.as_array().unwrap() {
        let index = |k: &str| o[k].as_u64().unwrap() as usize;
        let covariance = Mat3::from_row_slice(&list(&o["covariance"]));
        net.observe(Observation::target(index("scan"), index("target"), vec3(&o["centre"]), covariance));
    }
    net
}

fn compare(s: &Solution, expected: &Value) {
    near(s.sum, &expected["sum"], 1e-6, "sum of squares");
    assert_eq!(s.dof as u64, expected["dof"].as_u64().unwrap());
    for (a, row) in expected["distances"].as_array().unwrap().iter().enumerate() {
        for (b, d) in row.as_array().unwrap().iter().enumerate() {
            near((s.targets[a] - s.targets[b]).norm(), d, 1e-8, "distance");
        }
    }
    for (k, e) in expected["target_sigma"].as_array().unwrap().iter().enumerate() {
        near(1e3 * s.target_covariance(k).trace().sqrt(), &(1e3 * e.as_f64().unwrap()).into(), 1e-5, "σ of a target");
    }
    for (k, e) in expected["heading_sigma"].as_array().unwrap().iter().enumerate() {
        let found = s.pose_covariance(k)[(5, 5)].sqrt();
        // the other program lets a tilt speak of the heading, which it hardly does
        near(1e5 * found, &(1e5 * e.as_f64().unwrap()).into(), 1e-4, "σ of a heading");
    }
    // the first three observations of the network are the levels
    for (k, e) in expected["tests"].as_array().unwrap().iter().enumerate() {
        near(s.residuals[3 + k].statistic, &e["statistic"], 1e-5, "test statistic");
        near(s.residuals[3 + k].redundancy, &e["redundancy"], 1e-5, "redundancy");
    }
}

#[test]
fn a_free_network_and_its_tests_are_those_of_an_independent_solver() {
    let all = golden();
    let g = &all["free_network"];
    compare(&solve(block(&g["observations"]), Scaling::Stated).unwrap(), &g["expected"]);
}

#[test]
fn data_snooping_finds_the_gross_error_and_its_statistic() {
    let all = golden();
    let g = &all["data_snooping"];
    let net = block(&g["observations"]);
    let s = solve(net.clone(), Scaling::Stated).unwrap();
    compare(&s, &g["expected"]);
    let Hypothesis::Observation(first) = s.suspicions[0].hypothesis else {
        // the wrong sighting is the only one of its kind between two others: no move explains as much
        panic!("{:?}", s.suspicions[0]);
    };
    let found = net.observations[first].centre().map(|c| (c.scan, c.target));
    assert_eq!(found, Some((1, 3)));
}

#[test]
fn variance_components_converge_to_the_same() {
    let all = golden();
    let g = &all["variance_components"];
    let found = variance_components(block(&g["observations"])).unwrap();
    let of = |group: Group| found.iter().find(|c| c.group == group).unwrap().factor;
    near(of(Group::Spheres), &g["expected"]["targets"], 1e-4, "targets");
    near(of(Group::Levelling), &g["expected"]["levels"], 1e-3, "levels");
}

#[test]
fn a_resection_on_known_points() {
    let all = golden();
    let g = &all["resection"];
    let mut net = flat();
    let scan = net.add_scan("S", Pose::levelled(0.31, vec3(&g["station"]) + Vec3::repeat(0.02)));
    net.observe(Observation::level(scan, 3e-4));
    for (k, p) in g["known"].as_array().unwrap().iter().enumerate() {
        let target = net.add_target("K", vec3(p));
        net.observe(Observation::target(scan, target, vec3(&g["centres"][k]), Mat3::identity() * 1e-6));
        // known without error: a nanometre
        net.observe(Observation::known(target, vec3(p), Mat3::identity() * 1e-18));
    }
    let s = solve(net, Scaling::Stated).unwrap();
    assert!((s.poses[0].translation - vec3(&g["station"])).norm() < 1e-7, "{:?}", s.poses[0].translation);
    near(s.sum, &g["sum"], 1e-5, "sum of squares");
    for (axis, e) in list(&g["sigma"]).into_iter().enumerate() {
        assert!((s.pose_covariance(0)[(axis, axis)].sqrt() / e - 1.0).abs() < 1e-5);
    }
    assert_eq!(s.datum_defect, 0);
}

#[test]
fn a_levelled_traverse_over_marks() {
    let all = golden();
    let g = &all["traverse"];
    let mut net = flat();
    let (heights, headings) = (list(&g["heights"]), list(&g["headings"]));
    let marks: Vec<Vec3> = g["marks"].as_array().unwrap().iter().map(vec3).collect();
    for m in &marks {
        net.add_target("M", *m);
    }
    for (k, (height, heading)) in heights.iter().zip(&headings).enumerate() {
        let (height, scan) =
            (*height, net.add_scan("S", Pose::levelled(heading + 0.003, marks[k] + Vec3::z() * *height)));
        net.observe(Observation::level(scan, 3e-4));
        net.observe(Observation::new(OccupiedMark {
            scan,
            target: k,
            height,
            centring_sigma: 0.001,
            height_sigma: 0.0015,
        }));
    }
    for x in g["sights"].as_array().unwrap() {
        let index = |k: &str| x[k].as_u64().unwrap() as usize;
        net.observe(Observation::new(Backsight {
            scan: index("scan"),
            target: index("target"),
            reflector: vec3(&x["reflector"]),
            height: 1.5,
            sigma: vec3(&g["sigma"]),
        }));
    }
    for t in [0, 3] {
        net.observe(Observation::known(t, marks[t], Mat3::identity() * 4e-6));
    }
    let s = solve(net, Scaling::Stated).unwrap();
    let e = &g["expected"];
    near(s.sum, &e["sum"], 1e-5, "sum of squares");
    for k in 0..4 {
        assert!((s.targets[k] - vec3(&e["marks"][k])).norm() < 1e-7, "{k}: {:?}", s.targets[k]);
        let sigma = vec3(&e["sigma"][k]);
        for axis in 0..3 {
            assert!((s.target_covariance(k)[(axis, axis)].sqrt() / sigma[axis] - 1.0).abs() < 1e-4, "{k} {axis}");
        }
    }
}

#[test]
fn a_weighted_helmert_transformation() {
    let all = golden();
    let g = &all["helmert"];
    let source: Vec<Vec3> = g["source"].as_array().unwrap().iter().map(vec3).collect();
    // a block known without error, whose targets are the source
    let mut net = flat();
    let scans = [net.add_scan("S", Pose::identity()), net.add_scan("S", Pose::identity())];
    for p in &source {
        let target = net.add_target("T", *p);
        for scan in scans {
            net.observe(Observation::target(scan, target, *p, Mat3::identity() * 1e-16));
        }
    }
    let block = solve(net, Scaling::Stated).unwrap();
    let control: Vec<ControlPoint> = (0..source.len())
        .map(|k| ControlPoint {
            name: format!("C{k}"),
            position: vec3(&g["destination"][k]),
            sigma: vec3(&g["sigma"][k]),
            check: false,
            target: Some(k),
        })
        .collect();
    let f = free_fit(&block, &control, FitModel::Similarity).unwrap();
    let e = &g["expected"];
    near(f.fit.scale, &e["scale"], 1e-9, "scale");
    near(f.sum, &e["sum"], 1e-6, "sum of squares");
    // the σ of the scale is stated with what the fit found of the noise
    let stated = f.parameter_sigma[6] / f.variance.applied.max(1.0).sqrt();
    assert!((stated / e["scale_sigma"].as_f64().unwrap() - 1.0).abs() < 1e-5, "{stated}");
    for k in 0..source.len() {
        assert!((f.targets[k] - vec3(&e["points"][k])).norm() < 1e-7);
    }
}
