//! Two scans are tied alike, and targets found alike, whichever comes first, which way each scanner looked, and however
//! densely it scanned: only the scans themselves judge, no truth and no stated error.

use crate::sites;

use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use sites::{Plan, hall, rooms, scene};
use vistazo_core::cloud::{Order, working};
use vistazo_core::geometry::{Pose, Vec3};
use vistazo_core::instrument::Instrument;
use vistazo_core::scan::{NO_POINT, Scan};
use vistazo_core::targets::{Search, detect};
use vistazo_core::tie::{Expected, Grade, Shown, Sight, tie_by_clouds};
use vistazo_sim::{Scanner, scan, set_up_near, small_job};

fn shown(scan: &Scan) -> Shown {
    Shown::new(working(scan, &Order::of(scan)).0, Sight::of(scan))
}

/// The same scan by a scanner that looked another way.
fn turned(scan: &Scan, by: f64) -> Scan {
    let turn = Pose::levelled(by, Vec3::zeros());
    let point = |p: &[f32; 3]| turn.apply(&Vec3::from(p.map(f64::from))).map(|v| v as f32).into();
    Scan { points: scan.points.iter().map(point).collect(), ..scan.clone() }
}

/// The same scan with every other column and row only.
fn coarser(scan: &Scan) -> Scan {
    let (mut cells, mut points, mut intensity) = (Vec::new(), Vec::new(), Vec::new());
    for r in (0..scan.rows).step_by(2) {
        for c in (0..scan.cols).step_by(2) {
            let i = scan.grid[(r * scan.cols + c) as usize];
            if i != NO_POINT {
                cells.push((r / 2, c / 2));
                points.push(scan.points[i as usize]);
                intensity.push(scan.intensity[i as usize]);
            }
        }
    }
    Scan::from_grid(scan.rows.div_ceil(2), scan.cols.div_ceil(2), cells.into_iter(), points, intensity).unwrap()
}

/// The same points without the order they were taken in.
fn disordered(scan: &Scan, rng: &mut ChaCha8Rng) -> Scan {
    let mut all: Vec<usize> = (0..scan.points.len()).collect();
    rand::seq::SliceRandom::shuffle(&mut all[..], rng);
    let points = all.iter().map(|&i| scan.points[i]).collect();
    Scan::from_unordered(points, all.iter().map(|&i| scan.intensity[i]).collect()).unwrap()
}

/// How, the two scans, and how what comes out is told as at first.
type Told<'a> = (&'a str, Shown, Shown, &'a dyn Fn(&Pose) -> Pose);

#[test]
fn a_tie_is_the_same_however_it_is_told() {
    let instrument = Instrument { step: 0.004, ..Instrument::mid_range() };
    type Make = fn(&mut ChaCha8Rng) -> Plan;
    let kinds: [(&str, Make, (usize, usize)); 2] = [("hall", hall, (0, 1)), ("rooms", rooms, (1, 3))];
    let (mut told, mut alike) = (0, 0);
    for (name, make, (i, j)) in kinds {
        let mut rng = ChaCha8Rng::seed_from_u64(21);
        let plan = make(&mut rng);
        let scene = scene(&plan);
        let scanner = Scanner::drawn(&instrument, 3);
        let taken = [i, j].map(|k| {
            let pose = set_up_near(plan.3[k], &instrument, k as u64);
            scan(&scene, &scanner, &pose, k, 60 + k as u64, &|_| true).unwrap().into_scan().unwrap()
        });
        let expected = Expected { profile: instrument.systematic, ..Expected::default() };
        let [a, b] = taken.each_ref().map(shown);
        let first = tie_by_clouds(&a, &b, &expected).unwrap_or_else(|| panic!("{name}: nothing found"));
        let by = rng.random_range(-3.0..3.0);
        let turn = Pose::levelled(by, Vec3::zeros());
        let others: [Told<'_>; 5] = [
            ("from the other end", b.clone(), a.clone(), &Pose::inverse),
            ("the second turned", a.clone(), shown(&turned(&taken[1], by)), &|p| p.compose(&turn)),
            ("the first turned", shown(&turned(&taken[0], by)), b.clone(), &|p| turn.inverse().compose(p)),
            ("the second coarser", a.clone(), shown(&coarser(&taken[1])), &|p| *p),
            (
                "both without order",
                shown(&disordered(&taken[0], &mut rng)),
                shown(&disordered(&taken[1], &mut rng)),
                &|p| *p,
            ),
        ];
        for (how, x, y, back) in others {
            let again = tie_by_clouds(&x, &y, &expected).unwrap_or_else(|| panic!("{name}, {how}: nothing found"));
            let off = first.fit.relative.difference(&back(&again.fit.relative));
            let (shift, angle) = (off.fixed_rows::<3>(0).norm(), off.fixed_rows::<3>(3).norm());
            println!("{name}, {how}: {:.2} mm, {:.1}″, {:?}", shift * 1e3, angle * 206_265.0, again.grade.grade);
            told += 1;
            alike += usize::from(again.grade.grade == first.grade.grade);
            let sound = |t: &vistazo_core::tie::CloudTieFound| t.grade.grade == Grade::Sound;
            if sound(&first) && sound(&again) {
                // both fit nearly the same points: they agree far better than each is stated to be right
                assert!(shift < 0.003 && angle < 3e-4, "{name}, {how}: {shift} m, {angle} rad");
            }
        }
        println!("{name}: {:?}", first.grade.grade);
    }
    assert!(5 * alike >= 4 * told, "{alike} of {told} have one grade");
}

/// Targets are found in the same places whichever way the scanner looked and in whatever order its points are kept.
#[test]
fn targets_are_the_same_however_they_are_told() {
    let job = small_job(5);
    let search = Search { sphere_radius: Some(0.1), checker_half: Some(0.15) };
    let scanner = Scanner::drawn(&job.instrument, 2);
    let mut rng = ChaCha8Rng::seed_from_u64(9);
    let (mut of, mut again) = (0, [0; 2]);
    for (k, pose) in job.truth.poses.iter().enumerate() {
        let plain = scan(&job.scene, &scanner, pose, k, 70 + k as u64, &|_| true).unwrap().into_scan().unwrap();
        let first = detect(&plain, &job.instrument, &search);
        let by = rng.random_range(-3.0..3.0);
        let back = Pose::levelled(-by, Vec3::zeros());
        let others = [
            (detect(&turned(&plain, by), &job.instrument, &search), back),
            (detect(&disordered(&plain, &mut rng), &job.instrument, &search), Pose::identity()),
        ];
        of += first.len();
        for (n, (found, back)) in others.iter().enumerate() {
            for d in &first {
                let near = found.iter().filter(|o| o.kind == d.kind).map(|o| (back.apply(&o.centre) - d.centre).norm());
                let near = near.fold(f64::INFINITY, f64::min);
                let sigma = d.covariance.symmetric_eigenvalues().max().sqrt();
                // the same points: what differs is which of them are taken for neighbours
                again[n] += usize::from(near < sigma.max(2e-4) * if n == 0 { 1.0 } else { 2.0 });
            }
            assert!(found.len() <= first.len() + 1, "{} become {}", first.len(), found.len());
        }
    }
    println!("{of} targets: {} when turned, {} without order", again[0], again[1]);
    assert!(of >= 16 && again[0] + 1 >= of && 10 * again[1] >= 9 * of, "{of}: {again:?}");
}
