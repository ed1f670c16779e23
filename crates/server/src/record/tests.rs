use super::registration::{Detail, Registration, Unplaced, What, network};
use super::stored::{Ids, store};
use super::*;
use crate::dto::{Brief, FindingDto, FindingKind};
use crate::words;
use nalgebra::UnitQuaternion;
use rand::{Rng, SeedableRng};
use serde_json::{Value, json};
use uuid::Uuid;
use vistazo_core::adjust::{Scaling, precision};
use vistazo_core::registration::{Input, Observed, ScanInput, SizeEvidence, register};
use vistazo_core::targets::{SizeVerdict, TargetKind};

const STATED: f64 = 0.0008;
const LEVEL: f64 = 1.5e-5;
const PLACES: [[f64; 3]; 9] = [
    [1.0, 6.0, 1.2],
    [8.0, 2.5, 1.5],
    [3.0, -4.0, 0.8],
    [9.0, 9.0, 1.9],
    [-4.0, 3.0, 1.1],
    [12.0, -3.0, 1.6],
    [5.0, 4.0, 2.4],
    [15.0, 6.0, 1.3],
    [0.5, 13.0, 1.7],
];

/// Five scans of nine spheres with the noise that is stated; `off` says how far a sphere stood beside its
/// place when a scan saw it.
fn survey(off: impl Fn(usize, usize) -> Vec3) -> Input {
    let mut rng = rand_chacha::ChaCha8Rng::seed_from_u64(5);
    let mut n = move |sigma: f64| rng.sample::<f64, _>(rand_distr::StandardNormal) * sigma;
    let stations = [[0.0, 0.0], [9.0, 2.0], [4.0, 9.0], [12.0, 10.0], [-3.0, 6.0]];
    let scans = stations.iter().enumerate().map(|(s, at)| {
        let level = Pose::levelled(1.3 * s as f64, Vec3::new(at[0], at[1], 1.6));
        let tilt = UnitQuaternion::from_scaled_axis(Vec3::new(n(LEVEL), n(LEVEL), 0.0));
        let pose = Pose { rotation: tilt * level.rotation, ..level };
        let targets = PLACES.iter().enumerate().map(|(t, p)| Observed {
            id: 9 * s + t,
            kind: TargetKind::Sphere,
            group: 0,
            centre: pose.inverse().apply(&(Vec3::from(*p) + off(s, t))) + Vec3::new(n(STATED), n(STATED), n(STATED)),
            covariance: Mat3::identity() * STATED * STATED,
        });
        ScanInput {
            name: format!("S{}", s + 1),
            compensator: Some(LEVEL),
            targets: targets.collect(),
            ..ScanInput::default()
        }
    });
    Input { scans: scans.collect(), ..Input::default() }
}

fn ids(input: &Input) -> (Vec<(Uuid, String)>, Vec<Uuid>) {
    let scans = input.scans.iter().map(|s| (Uuid::now_v7(), s.name.clone())).collect();
    (scans, (0..9 * input.scans.len()).map(|_| Uuid::now_v7()).collect())
}

/// As it comes back from the database.
fn stored(input: &Input) -> (Registration, Detail, Vec<Uuid>) {
    let (scans, detections) = ids(input);
    let (light, long) = store(&register(input), &Ids { scans: &scans, rows: &detections });
    let light = registration(json!(light)).unwrap().unwrap();
    (light, detail(json!(long)).unwrap(), detections)
}

fn said(r: &Registration) -> Vec<FindingDto> {
    r.findings.iter().map(|f| words::registration::finding(&Brief::default(), r, f, false)).collect()
}

fn text(f: &FindingDto) -> String {
    format!("{} {} {}", f.title, f.evidence.join(" "), f.meaning)
}

#[test]
fn what_is_stored_gives_the_same_solution_without_an_iteration() {
    let input = survey(|_, _| Vec3::zeros());
    let solution = register(&input).block.unwrap().solution;
    let (light, long, detections) = stored(&input);
    let again = precision(&network(&light, &long), Scaling::Estimated).unwrap();
    assert_eq!(again.iterations, 0);
    assert!((&again.covariance - &solution.covariance).amax() < 1e-15, "covariances in m² and rad²");
    assert!((again.sum - solution.sum).abs() < 1e-6 && again.dof == solution.dof);
    for (a, b) in again.poses.iter().zip(&solution.poses) {
        assert!((a.translation - b.translation).norm() < 1e-14 && a.rotation.angle_to(&b.rotation) < 1e-12);
    }
    // every sighting keeps the row it came from
    let kept: Vec<Uuid> = long.observations.iter().filter_map(|o| o.id).collect();
    assert_eq!(kept.len(), 45);
    assert!(kept.iter().all(|id| detections.contains(id)));
    assert!(light.findings.is_empty(), "{:?}", said(&light));
}

#[test]
fn a_moved_sphere_is_said_with_its_size_the_doubt_and_both_sides() {
    let input = survey(|s, t| if s >= 3 && t == 6 { Vec3::new(0.009, 0.0, 0.0) } else { Vec3::zeros() });
    let (light, _, detections) = stored(&input);
    let What::Moved { target, before_scan, after_scan, shift, before, after, .. } = &light.findings[0].what else {
        panic!("{:?}", light.findings[0].what)
    };
    assert_eq!((before_scan.as_str(), after_scan.as_str()), ("S3", "S4"));
    assert!((shift[0].hypot(shift[1]).hypot(shift[2]) - 0.009).abs() < 0.0015, "{shift:?}");
    assert_eq!(before, &[detections[6], detections[15], detections[24]]);
    assert_eq!(after, &[detections[33], detections[42]]);
    let f = &said(&light)[0];
    assert_eq!(f.kind, FindingKind::Moved);
    assert_eq!(f.title, format!("{target} was moved between S3 and S4"));
    assert!(f.evidence[0].contains("mm ±") && f.evidence[0].contains("(95 %)"), "{:?}", f.evidence);
    let feet = Brief { unit: "ftUS".into(), ..Brief::default() };
    let f = words::registration::finding(&feet, &light, &light.findings[0], true);
    assert!(f.kept && f.evidence[0].contains("in ±") | f.evidence[0].contains("ftUS ±"), "{:?}", f.evidence);
}

#[test]
fn a_knocked_tripod_is_said_with_when_how_far_and_both_parts() {
    let mut input = survey(|_, _| Vec3::zeros());
    let late = |c: &vistazo_core::geometry::Vec3| c.y.atan2(c.x).rem_euclid(std::f64::consts::TAU) > 3.0;
    let mut after = Vec::new();
    for t in input.scans[2].targets.iter_mut().filter(|t| late(&t.centre)) {
        t.centre -= Vec3::new(0.009, -0.004, 0.0);
        after.push(t.id);
    }
    assert!((2..8).contains(&after.len()));
    let (light, _, detections) = stored(&input);
    let f = &said(&light)[0];
    assert_eq!((f.kind, f.title.as_str()), (FindingKind::Tripod, "The tripod of S3 was knocked while it scanned"));
    let What::Tripod { shift, between, .. } = &light.findings[0].what else { panic!("{:?}", light.findings[0].what) };
    assert!((shift[0].hypot(shift[1]) - 0.00985).abs() < 0.003 && between[1] > 3.0, "{shift:?} {between:?}");
    let mut said: Vec<Uuid> = f.after.clone();
    said.sort_unstable();
    let mut planted: Vec<Uuid> = after.iter().map(|&id| detections[id]).collect();
    planted.sort_unstable();
    assert_eq!(said, planted);
    assert!(f.evidence[0].contains("mm ±") && f.evidence[1].contains("° of its turn"), "{:?}", f.evidence);
}

#[test]
fn one_wrong_sighting_is_said_as_one_and_names_scan_target_and_row() {
    let input = survey(|s, t| if s == 2 && t == 4 { Vec3::new(0.0, 0.012, 0.0) } else { Vec3::zeros() });
    let (light, long, detections) = stored(&input);
    let What::Outlier { scan, target, observation, residual, .. } = &light.findings[0].what else {
        panic!("{:?}", light.findings[0].what)
    };
    assert_eq!(scan.as_deref(), Some("S3"));
    assert_eq!(observation, &Some(detections[9 * 2 + 4]));
    assert!(*residual > 0.006, "{residual}");
    let f = &said(&light)[0];
    assert!(f.title.contains("S3") && f.title.contains(target.as_deref().unwrap()), "{}", f.title);
    assert_eq!(f.after, [detections[22]]);
    let row = long.observations.iter().find(|o| o.id == Some(detections[22])).unwrap();
    assert!(row.suspect && row.residual.detectable.unwrap() > 0.001);
}

#[test]
fn scans_that_cannot_be_placed_are_said_with_what_would_help() {
    let mut input = survey(|_, _| Vec3::zeros());
    input.scans[4].targets.truncate(2);
    input.scans[3].targets.clear();
    let (light, _, _) = stored(&input);
    assert_eq!(light.unplaced, ["S4", "S5"]);
    let why: Vec<&Unplaced> = light
        .findings
        .iter()
        .filter_map(|f| if let What::Unplaced { why, .. } = &f.what { Some(why) } else { None })
        .collect();
    assert!(matches!(why[..], [Unplaced::NoTargets, Unplaced::Few(2)]), "{why:?}");
    let all: Vec<String> = said(&light).iter().map(text).collect();
    assert!(all[0].contains("no targets were found in S4") && all[1].contains("shows 2 targets; 3 shared"), "{all:?}");
}

#[test]
fn a_scan_that_leans_is_said_with_both_angles() {
    let mut input = survey(|_, _| Vec3::zeros());
    let lean = UnitQuaternion::from_scaled_axis(Vec3::new(0.02, 0.0, 0.0));
    input.scans[1].targets.iter_mut().for_each(|o| o.centre = lean * o.centre);
    let (light, _, _) = stored(&input);
    let f = said(&light).into_iter().find(|f| f.kind == FindingKind::NotLevel).expect("named");
    assert!(f.title.starts_with("S2 is not level"), "{}", f.title);
    assert!(f.evidence[0].contains("1.1") && f.evidence[0].contains('°'), "{:?}", f.evidence);
    assert!(f.evidence[1].contains("3.1″"), "{:?}", f.evidence);
}

#[test]
fn refusals_say_how_many_there_are_and_how_many_are_needed() {
    let say = |input: &Input| words::registration::refusal(stored(input).0.refused.as_ref().expect("refused"));
    let mut one = survey(|_, _| Vec3::zeros());
    one.scans.truncate(1);
    assert_eq!(say(&one), "there is 1 scan; at least 2 that share 3 targets are needed");
    let mut none = survey(|_, _| Vec3::zeros());
    none.scans.iter_mut().for_each(|s| s.targets.clear());
    none.other_sizes = vec![SizeEvidence { verdict: SizeVerdict::DiameterRadiusMixUp, radius: 0.2 }; 4];
    let (light, _, _) = stored(&none);
    let said_now = words::registration::refusal(light.refused.as_ref().unwrap());
    assert!(said_now.contains("4 of another size"), "{said_now}");
    let size = said(&light).into_iter().find(|f| f.kind == FindingKind::Size).expect("the sizes are a finding");
    assert!(size.title.contains("diameter and radius") && text(&size).contains("4 spheres"), "{size:?}");
    let mut apart = survey(|_, _| Vec3::zeros());
    apart.scans.iter_mut().enumerate().for_each(|(k, s)| {
        s.targets.drain(..k);
        s.targets.truncate(1);
    });
    assert!(say(&apart).contains("no two scans have 3 targets in common"), "{}", say(&apart));
}

#[test]
fn records_of_other_versions_are_told_apart_and_a_damaged_one_is_named() {
    let (light, long, _) = stored(&survey(|_, _| Vec3::zeros()));
    let mut newer = json!(light);
    newer["version"] = json!(9);
    let e = registration(newer).unwrap_err().to_string();
    assert!(e.contains("version 9") && e.contains("newer program"), "{e}");
    assert!(registration(json!({ "stations": [] })).unwrap().is_none(), "of the first version: to be run again");
    let mut damaged = json!(light);
    damaged["scans"][1]["pose"] = Value::Null;
    let e = registration(damaged).unwrap_err().to_string();
    assert!(e.starts_with("the stored registration cannot be read"), "{e}");
    let mut damaged = json!(long);
    damaged["observations"][0]["measured"]["kind"] = json!("guess");
    assert!(detail(damaged).unwrap_err().to_string().contains("observations of the registration"));
}
