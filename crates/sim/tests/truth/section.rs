//! Sections through simulated rooms: what is cut is where it was built, to within what is stated.

use crate::sites;

use nalgebra::{Matrix6, Vector2, Vector6};
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use rand_distr::StandardNormal;
use rayon::prelude::*;
use sites::{hall, rooms, scene};
use vistazo_core::draw::{Facing, Layer, Section, Stand};
use vistazo_core::geometry::Vec3;
use vistazo_core::instrument::Instrument;
use vistazo_sim::{Scanner, scan, set_up_near};

/// 1 mm and 0.1 mrad round the plumb line, half of that out of it.
fn known() -> Matrix6<f64> {
    Matrix6::from_diagonal(&Vector6::new(1e-3, 1e-3, 1e-3, 5e-5, 5e-5, 1e-4).map(|s| s * s))
}

#[test]
fn what_is_cut_is_where_it_was_built() {
    let (mut hits, mut all, mut floors, mut walls, mut strange) = (0, 0, 0, 0, 0);
    for (k, make) in [rooms as fn(&mut ChaCha8Rng) -> sites::Plan, hall].into_iter().enumerate() {
        let seed = k as u64 + 1;
        let mut rng = ChaCha8Rng::seed_from_u64(seed);
        let plan = make(&mut rng);
        let scene = scene(&plan);
        let instrument = Instrument { step: 0.003, ..Instrument::mid_range() };
        let scanner = Scanner::drawn(&instrument, seed);
        let places = &plan.3[..plan.3.len().min(6)];
        let scans: Vec<_> = places
            .par_iter()
            .enumerate()
            .map(|(k, p)| {
                let pose = set_up_near(*p, &instrument, seed + k as u64);
                let raw = scan(&scene, &scanner, &pose, k, 100 * seed + k as u64, &|_| true).unwrap();
                (raw.points, pose.compose(&scanner.frame()))
            })
            .collect();
        // through the middle of the first station's room, both ways
        for along in [Vector2::new(1.0, 0.03), Vector2::new(0.02, 1.0)] {
            let middle = places[0].xy() + Vector2::new(0.4, 0.3);
            let ends = [middle - along * 9.0, middle + along * 9.0];
            let facing = Facing::new(ends, [-0.5, 3.6], [1.0, 1.0], 0.01);
            let section = Section::new(&facing, 0.06);
            let walk = (ends[1] - ends[0]).normalize();
            // where walls of the plan cross the plane: metres from its left end
            let walls_of = plan.0.iter().flat_map(|w| w.line.windows(2).map(|l| [l[0], l[1]]));
            let sides = plan.1.iter().flat_map(|o| {
                let n = o.outline.len();
                (0..n).map(move |k| [o.outline[k], o.outline[(k + 1) % n]])
            });
            let crossings: Vec<f64> = walls_of
                .chain(sides)
                .filter_map(|leg| {
                    let d = leg[1] - leg[0];
                    let sine = walk.perp(&d);
                    let s = (leg[0] - ends[0]).perp(&walk) / sine;
                    let t = (leg[0] - ends[0]).perp(&d) / sine;
                    (sine.abs() > 0.3 * d.norm() && (-0.01..=1.01).contains(&s)).then_some(t)
                })
                .collect();
            for _ in 0..4 {
                let stands: Vec<Stand> = scans
                    .iter()
                    .map(|s| {
                        let off =
                            Vector6::from_fn(|k, _| known()[(k, k)].sqrt() * rng.sample::<f64, _>(StandardNormal));
                        Stand { pose: s.1.moved(&off), covariance: known() }
                    })
                    .collect();
                let layers: Vec<Layer> = scans
                    .par_iter()
                    .zip(&stands)
                    .map(|(s, stand)| {
                        let mut slab = section.slab();
                        let place = |p: &[f32; 3]| stand.pose.apply(&Vec3::new(p[0].into(), p[1].into(), p[2].into()));
                        s.0.iter().for_each(|p| section.add(&mut slab, &place(p)));
                        slab.finish()
                    })
                    .collect();
                let found = section.lines(&layers, &stands, &|_, _| None, &instrument);
                for f in found.faces.iter().filter(|f| (f.ends[1] - f.ends[0]).norm() > 0.5) {
                    let d = (f.ends[1] - f.ends[0]).normalize();
                    let off = if d.x.abs() > 0.98 && f.ends[0].y < 0.56 {
                        // the floor lies at height 0, half a metre above the foot of the section
                        floors += 1;
                        f.ends.map(|e| e.y - 0.5)
                    } else if d.y.abs() > 0.98 {
                        let x = f64::midpoint(f.ends[0].x, f.ends[1].x);
                        let Some(t) = crossings.iter().min_by(|a, b| (*a - x).abs().total_cmp(&(*b - x).abs())) else {
                            continue;
                        };
                        walls += 1;
                        f.ends.map(|e| e.x - t)
                    } else {
                        continue;
                    };
                    if off.iter().any(|o| o.abs() > 0.04) {
                        strange += 1;
                        println!("strange: {:?}", f.ends);
                        continue;
                    }
                    for (o, e) in off.iter().zip(&f.error95) {
                        hits += usize::from(o.abs() <= *e);
                        all += 1;
                    }
                }
            }
        }
    }
    let share = 100.0 * f64::from(hits as u32) / f64::from(all as u32);
    println!("{share:.1} % of {all} ends inside; {floors} floors, {walls} walls, {strange} of things that stand about");
    assert!(floors >= 12 && walls >= 20, "{floors} floors, {walls} walls");
    assert!((90.0..=99.5).contains(&share), "{share}");
    assert!(strange * 5 < floors + walls, "{strange} lie where nothing was built");
}
