//! A free station of the scanner: one scan, its targets and control; drawn with errors that all its sightings share.

use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use rand_distr::StandardNormal;
use vistazo_core::geometry::{FitModel, Mat3, Vec3};
use vistazo_core::georef::{ControlPoint, Georeferenced, GridMap, Input, Weakness, georeference};
use vistazo_core::instrument::Systematic;
use vistazo_core::registration::{Observed, ScanInput, single};
use vistazo_core::targets::TargetKind;

const TILT: f64 = 3e-5;
const RANGE: f64 = 0.002;
const ANGLE: f64 = 4e-5;
const CONTROL: f64 = 0.002;
/// E, N, H of control round the place of the scanner, metres.
const MARKS: [[f64; 3]; 4] =
    [[4012.0, 7030.0, 101.2], [3990.0, 7021.0, 103.0], [4001.0, 6988.0, 100.6], [4030.0, 7004.0, 102.2]];
const STANDS: [f64; 3] = [4003.0, 7008.0, 101.9];

/// A scan of some of the marks, worked out by hand: heading, tilt, zero offset and noise; `moved` shifts the first mark.
fn scan(rng: &mut ChaCha8Rng, marks: &[[f64; 3]], moved: f64, profile: &Systematic) -> (ScanInput, Vec<ControlPoint>) {
    let mut n = |s: f64| s * rng.sample::<f64, _>(StandardNormal);
    let heading: f64 = n(2.0);
    let tilt = [n(TILT), n(TILT)];
    let (offset, collimation, index) = (n(profile.range_offset), n(profile.collimation), n(profile.index));
    let targets = marks.iter().enumerate().map(|(id, m)| {
        let shift = if id == 0 { moved } else { 0.0 };
        let d = Vec3::from(*m) + Vec3::new(shift, 0.0, 0.0) - Vec3::from(STANDS);
        let (s, c) = heading.sin_cos();
        let p = Vec3::new(c * d.x + s * d.y, -s * d.x + c * d.y, d.z);
        // a small turn about x and y
        let p = Vec3::new(p.x - tilt[1] * p.z, p.y + tilt[0] * p.z, p.z + tilt[1] * p.x - tilt[0] * p.y);
        let r = p.norm();
        let (azimuth, elevation) = (p.y.atan2(p.x), (p.z / r).asin());
        let r = r + offset + n(RANGE);
        let elevation = elevation + index + n(ANGLE);
        let azimuth = azimuth + collimation / elevation.cos() + n(ANGLE);
        let out = Vec3::new(azimuth.cos() * elevation.cos(), azimuth.sin() * elevation.cos(), elevation.sin());
        let across = Mat3::identity() - out * out.transpose();
        let covariance = out * out.transpose() * RANGE.powi(2) + across * (r * ANGLE).powi(2);
        Observed { id, kind: TargetKind::Checker, group: 0, centre: out * r, covariance }
    });
    let targets = targets.collect();
    let control = marks.iter().enumerate().map(|(k, m)| ControlPoint {
        name: format!("CP{k}"),
        position: Vec3::from(*m) + Vec3::new(n(CONTROL), n(CONTROL), n(CONTROL)),
        sigma: Vec3::repeat(CONTROL),
        check: false,
        target: None,
    });
    let control = control.collect();
    (ScanInput { name: "S".into(), compensator: Some(TILT), targets, ..ScanInput::default() }, control)
}

fn stands(scan: &ScanInput, control: Vec<ControlPoint>, profile: &Systematic) -> Georeferenced {
    let (placed, block) = single(scan, profile).unwrap();
    let names = vec![String::new(); placed.targets.len()];
    georeference(&Input {
        network: &placed.network,
        block: &block,
        names: &names,
        control,
        model: FitModel::Levelled,
        levelled: true,
        map_at: &|at| GridMap::local(*at),
    })
    .unwrap()
}

#[test]
fn a_scan_alone_stands_where_it_says_within_its_95_percent() {
    let profile = Systematic { settling: 0.0, turning: 0.0, reflectivity: 0.0, ..Systematic::sober(RANGE, ANGLE) };
    let mut rng = ChaCha8Rng::seed_from_u64(21);
    for marks in [&MARKS[..], &MARKS[..3]] {
        let (mut inside, mut said) = (0, 0);
        for _ in 0..400 {
            let (scan, control) = scan(&mut rng, marks, 0.0, &profile);
            let g = stands(&scan, control, &profile);
            let off = g.map.apply(&g.poses[0].translation) - Vec3::from(STANDS);
            let c: Mat3 = g.pose_covariances[0].fixed_view::<3, 3>(0, 0).into_owned();
            inside += usize::from((off.transpose() * c.try_inverse().unwrap() * off)[0] < 7.815);
            said += usize::from(
                g.weaknesses.iter().any(|w| matches!(w, Weakness::ControlOff { .. } | Weakness::FitPoor(_))),
            );
        }
        assert!((368..=396).contains(&inside), "{inside} of 400 within 95 % by {} marks", marks.len());
        assert!(said <= 12, "{said} of 400 accused by {} marks", marks.len());
    }
    // a mark that was knocked by three centimetres is named
    let mut named = 0;
    for _ in 0..50 {
        let (scan, control) = scan(&mut rng, &MARKS, 0.03, &profile);
        let g = stands(&scan, control, &profile);
        named += usize::from(g.weaknesses.iter().any(|w| matches!(w, Weakness::ControlOff { control: 0, .. })));
    }
    assert!(named >= 45, "{named} of 50 named");
}
