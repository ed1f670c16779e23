//! Clouds coloured from photographs: what a camera saw gets its colour, what stands behind something does not.

use crate::sites;

use nalgebra::UnitQuaternion;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use rand_distr::StandardNormal;
use sites::{hall, scene};
use vistazo_core::cloud::{Order, working};
use vistazo_core::colour::{Camera, Depth, Exposure, Pair, Photo, paint, resect};
use vistazo_core::geometry::{Mat3, Pose, Vec3};
use vistazo_core::instrument::Instrument;
use vistazo_sim::{Eye, Scanner, scan, set_up_near};

const SIZE: [usize; 2] = [1500, 1000];

/// A camera at a place, level, that looks towards another.
fn towards(from: Vec3, to: &Vec3) -> Camera {
    let ahead = (to - from).normalize();
    let right = ahead.cross(&Vec3::z()).normalize();
    let axes = Mat3::from_columns(&[right, ahead.cross(&right), ahead]);
    let pose = Pose { rotation: UnitQuaternion::from_matrix(&axes), translation: from };
    Camera { pose, focal: 1100.0, centre: [762.0, 494.0], radial: [-0.06, 0.01] }
}

#[test]
fn what_a_camera_saw_gets_its_colour_and_nothing_else_does() {
    let instrument = Instrument { step: 0.004, ..Instrument::mid_range() };
    let (mut seen, mut coloured_seen, mut hidden, mut coloured_hidden) = (0, 0, 0, 0);
    let mut off = Vec::new();
    for seed in 1..=3 {
        let mut rng = ChaCha8Rng::seed_from_u64(900 + seed);
        let plan = hall(&mut rng);
        let scene = scene(&plan);
        let eye = Eye::open(&scene, 0);
        // two scans, so that what hides something for the camera was scanned from behind as well
        let scans: Vec<_> = (0..2)
            .map(|k| {
                let scanner = Scanner::perfect(&instrument);
                let pose = set_up_near(plan.3[k], &instrument, seed);
                let s = scan(&scene, &scanner, &pose, 0, seed, &|_| true).unwrap().into_scan().unwrap();
                (working(&s, &Order::of(&s)).0, s, pose.compose(&scanner.frame()))
            })
            .collect();
        let middle = scans.iter().map(|s| s.2.translation).sum::<Vec3>() / 2.0;
        let from = scans[0].2.translation + Vec3::new(0.4, -0.3, -0.1);
        let truth = towards(from, &(middle + Vec3::new(0.0, 0.0, -0.2)));
        // picked on what the camera sees, to seven tenths of a pixel
        let (_, s, pose) = &scans[0];
        let mut pairs = Vec::new();
        while pairs.len() < 12 {
            let point = pose.apply(&s.at(rng.random_range(0..s.points.len())));
            let Some((at, _)) = truth.project(&point) else { continue };
            let inside = (0..2).all(|k| at[k] > 20.0 && at[k] < SIZE[k] as f64 - 20.0);
            if inside && eye.sees(&from, &point) {
                let pixel = at.map(|v| v + 0.7 * rng.sample::<f64, _>(StandardNormal));
                pairs.push(Pair { point, pixel });
            }
        }
        let fit = resect(&pairs, SIZE.map(|v| v as f64)).unwrap();
        let pixels = eye.photograph(&truth, SIZE);
        let mut depth = Depth::new(fit.camera, SIZE.map(|v| v as f64));
        for (cloud, _, pose) in &scans {
            depth.add(cloud.placed(pose), cloud.voxel());
        }
        let photo = Photo {
            depth: &depth,
            from: fit.camera.pose.translation,
            size: SIZE,
            pixels: &pixels,
            masks: &[],
            gain: [1.0; 3],
        };
        for (_, s, pose) in &scans {
            let points: Vec<(Vec3, Vec3)> =
                (0..s.points.len()).step_by(7).map(|k| (pose.apply(&s.at(k)), Vec3::zeros())).collect();
            let painted = paint(&points, std::slice::from_ref(&photo));
            for ((p, _), colour) in points.iter().zip(&painted.colours) {
                let Some((at, _)) = truth.project(p) else { continue };
                // in the picture, well inside it
                if !(0..2).all(|k| at[k] > 12.0 && at[k] < SIZE[k] as f64 - 12.0) {
                    continue;
                }
                if eye.sees(&from, p) {
                    seen += 1;
                    coloured_seen += usize::from(colour.is_some());
                    if let Some(c) = colour {
                        let true_at = pixels[at[1] as usize * SIZE[0] + at[0] as usize];
                        off.push((0..3).map(|k| c[k].abs_diff(true_at[k])).max().unwrap());
                    }
                } else {
                    hidden += 1;
                    coloured_hidden += usize::from(colour.is_some());
                }
            }
        }
    }
    off.sort_unstable();
    let share = |n: usize, of: usize| 100.0 * n as f64 / of.max(1) as f64;
    println!(
        "{:.2} % of {seen} points that the camera saw are coloured, {:.2} % of {hidden} that it did not; colours within {} of 255 in nine of ten",
        share(coloured_seen, seen),
        share(coloured_hidden, hidden),
        off[off.len() * 9 / 10]
    );
    assert!(share(coloured_seen, seen) > 97.0, "{coloured_seen} of {seen}");
    assert!(hidden > 1000 && share(coloured_hidden, hidden) < 8.0, "{coloured_hidden} of {hidden}");
    assert!(off[off.len() * 9 / 10] < 40);
}

/// Two photographs of one hall, the second in two thirds of the light and with a cast: they are made to agree, and a third that
/// shares nothing with them stays as it is.
#[test]
fn photographs_in_another_light_are_made_to_agree() {
    let instrument = Instrument { step: 0.006, ..Instrument::mid_range() };
    let mut rng = ChaCha8Rng::seed_from_u64(77);
    let plan = hall(&mut rng);
    let scene = scene(&plan);
    let eye = Eye::open(&scene, 0);
    let scanner = Scanner::perfect(&instrument);
    let stands = set_up_near(plan.3[0], &instrument, 5);
    let s = scan(&scene, &scanner, &stands, 0, 5, &|_| true).unwrap().into_scan().unwrap();
    let (cloud, pose) = (working(&s, &Order::of(&s)).0, stands.compose(&scanner.frame()));
    let from = pose.translation;
    let ahead = plan.3[1] - from;
    let to = from + ahead;
    let back = from - ahead;
    let cast = [0.66, 0.62, 0.5];
    let cameras = [
        towards(from + Vec3::new(0.3, 0.2, -0.1), &to),
        towards(from + Vec3::new(-0.4, 0.3, 0.0), &(to + Vec3::new(0.5, 0.5, 0.0))),
        towards(from, &back),
    ];
    let pictures: Vec<Vec<[u8; 3]>> = cameras
        .iter()
        .enumerate()
        .map(|(k, c)| {
            let mut pixels = eye.photograph(c, SIZE);
            if k == 1 {
                for p in &mut pixels {
                    *p = std::array::from_fn(|i| (f64::from(p[i]) * f64::powf(cast[i], 1.0 / 2.2)).round() as u8);
                }
            }
            pixels
        })
        .collect();
    let depths: Vec<Depth> = cameras
        .iter()
        .map(|c| {
            let mut d = Depth::new(*c, SIZE.map(|v| v as f64));
            d.add(cloud.placed(&pose), cloud.voxel());
            d
        })
        .collect();
    let photo = |k: usize, gain: [f64; 3]| Photo {
        depth: &depths[k],
        from: cameras[k].pose.translation,
        size: SIZE,
        pixels: &pictures[k],
        masks: &[],
        gain,
    };
    let points: Vec<Vec3> = cloud.placed(&pose).map(|p| p.0).collect();
    let mut exposure = Exposure::new(3);
    exposure.add(&points, &[0, 1, 2].map(|k| photo(k, [1.0; 3])));
    let gains = exposure.gains();
    for k in 0..3 {
        let between = gains[1][k] / gains[0][k] * cast[k];
        assert!((between - 1.0).abs() < 0.02, "channel {k}: {gains:?}");
        assert!((gains[0][k] * gains[1][k] - 1.0).abs() < 0.02, "together as light as they were: {gains:?}");
        assert!((gains[2][k] - 1.0).abs() < 1e-6, "{gains:?}");
    }
    // the same places painted from either are alike now, and were not
    let differ = |gains: [[f64; 3]; 2]| {
        let all: Vec<(Vec3, Vec3)> = points.iter().map(|p| (*p, Vec3::zeros())).collect();
        let [a, b] = [0, 1].map(|k| paint(&all, &[photo(k, gains[k])]).colours);
        let mut off: Vec<u8> = (a.iter().zip(&b))
            .filter_map(|(a, b)| {
                let (a, b) = ((*a)?, (*b)?);
                (0..3).map(|k| a[k].abs_diff(b[k])).max()
            })
            .collect();
        off.sort_unstable();
        (off.len(), off[off.len() / 2])
    };
    let (before, after) = (differ([[1.0; 3]; 2]), differ([gains[0], gains[1]]));
    println!("{} places in both: {} of 255 apart before, {} after", before.0, before.1, after.1);
    assert!(before.0 > 2000 && before.1 > 15 && after.1 <= 4, "{before:?} {after:?}");
}
