//! Floor plans drawn from walks: rooms that no scanner stood in have their walls, within what is stated.

use crate::floor_plan::{CUT, beside, legs};
use crate::sites::{like_rooms, scene};
use crate::walks::{Taken, known, registered, stations, way};
use rand::SeedableRng;
use rand_chacha::ChaCha8Rng;
use vistazo_core::draw::{Layer, Level, Slab, Stand, floor_plan, stretch_beside, stretches};
use vistazo_core::geometry::Vec3;
use vistazo_core::instrument::Instrument;
use vistazo_core::mobile::units;
use vistazo_sim::Walker;

fn seeds() -> u64 {
    std::env::var("VISTAZO_DRAW_SEEDS").ok().and_then(|s| s.parse().ok()).unwrap_or(2)
}

#[test]
fn walls_that_only_a_walk_saw_lie_where_they_are() {
    let (mut hits, mut ends, mut strange) = (0, 0, 0);
    for seed in 1..=seeds() {
        let plan = like_rooms(&mut ChaCha8Rng::seed_from_u64(seed));
        let scene = scene(&plan);
        let scans = stations(&scene, &plan.3[..5], seed);
        let taken = Taken::of(&scene, &Walker::hand_held(), &way(&plan), 0, seed);
        let out = registered(&known(&scans), &[&taken]);
        let c = &out.passes[0].as_ref().unwrap().correction;
        let (mut layers, mut stands): (Vec<Layer>, Vec<Stand>) = (Vec::new(), Vec::new());
        let noise = units()[0].point_variance(4.0).sqrt();
        for s in stretches(c, 2) {
            let mut slab = Slab::new(Level { floor: 0.0, cut: CUT, thickness: 0.1 });
            let within = taken.walk.points.iter().filter(|p| (s.span[0]..s.span[1]).contains(&p.time));
            within.for_each(|p| slab.add(&c.apply(p.time, &Vec3::from(p.at.map(f64::from)))));
            layers.push(slab.finish().with_calmed(noise));
            stands.push(s.stand);
        }
        let relation = |a: usize, b: usize| Some(stretch_beside([&stands[a], &stands[b]], [true; 2]));
        let drawn = floor_plan(&layers, &stands, &relation, &Instrument::mid_range(), CUT);
        let truth = legs(&plan);
        let (mut length, mut worst, mut errors) = (0.0, 0.0_f64, Vec::new());
        for f in &drawn.faces {
            let of = truth.iter().filter_map(|l| beside(&truth, &l.0, f));
            let Some(off) = of.min_by(|a, b| (a[0].abs() + a[1].abs()).total_cmp(&(b[0].abs() + b[1].abs()))) else {
                println!("    strange: {:?}, {} points", f.ends, f.points);
                strange += 1;
                continue;
            };
            length += f.shown.iter().map(|s| s[1] - s[0]).sum::<f64>();
            for (o, e) in off.iter().zip(&f.error95) {
                hits += usize::from(o.abs() <= *e);
                ends += 1;
                worst = worst.max(o.abs() / e);
                if o.abs() > *e {
                    println!(
                        "    {:.1} of {:.1} mm: {:.2?} {:.2?}, {} points",
                        1e3 * o,
                        1e3 * e,
                        f.ends,
                        f.normal,
                        f.points
                    );
                }
                errors.push(*e);
            }
        }
        errors.sort_by(f64::total_cmp);
        println!(
            "seed {seed}: {} faces, {length:.0} m of them, 95 % {:.1} mm, worst {worst:.1}",
            drawn.faces.len(),
            1e3 * errors[errors.len() / 2],
        );
        // a corridor of thirty metres and three rooms that it went into
        assert!(length > 100.0, "{length} m");
    }
    println!("{hits} of {ends} ends inside, {strange} strange");
    assert!(ends > 40 && hits as f64 / ends as f64 >= 0.93, "{hits} of {ends}");
    assert!(strange * 20 <= ends, "{strange} lines on nothing");
}
