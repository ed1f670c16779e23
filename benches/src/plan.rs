//! The plan's speed: rays a second beside a public bounding-volume hierarchy over the same surfaces
//! in the same run, the cover of the demo site with 20 stations, one dragged station, prediction and
//! proposal.
use bvh::aabb::{Aabb, Bounded};
use bvh::bounding_hierarchy::BHShape;
use bvh::ray::Ray;
use nalgebra::{Point3, Vector3};
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use std::time::Instant;
use vistazo_core::geometry::Vec3;
use vistazo_core::instrument::Instrument;
use vistazo_core::plan::{
    Bvh, Design, Kit, PlannedKind, PlannedTarget, Station, Wish, cover, look_round, predict, propose, sample,
};
use vistazo_sim::roundhouse;

/// Half of an upright rectangle.
struct Triangle {
    corners: [Point3<f64>; 3],
    node: usize,
}

impl Bounded<f64, 3> for Triangle {
    fn aabb(&self) -> Aabb<f64, 3> {
        self.corners[1..].iter().fold(Aabb::with_bounds(self.corners[0], self.corners[0]), |a, c| a.grow(c))
    }
}

impl BHShape<f64, 3> for Triangle {
    fn set_bh_node_index(&mut self, index: usize) {
        self.node = index;
    }
    fn bh_node_index(&self) -> usize {
        self.node
    }
}

pub(crate) fn main() {
    let house = roundhouse();
    let site = &house.scene.site;
    let mut plain = site.clone();
    // the other hierarchy has no round columns
    plain.columns.clear();
    let panels = plain.panels();
    let mut rng = ChaCha8Rng::seed_from_u64(1);
    let mut at = || Vec3::new(rng.random_range(-25.0..25.0), rng.random_range(-25.0..25.0), rng.random_range(0.2..5.0));
    let rays: Vec<(Vec3, Vec3)> = (0..2_000_000).map(|_| (at(), at())).collect();

    let ours = Bvh::new(&plain);
    let begin = Instant::now();
    let blocked = rays.iter().filter(|(a, b)| ours.blocked(a, b)).count();
    let own = begin.elapsed().as_secs_f64();

    let mut triangles: Vec<Triangle> = panels
        .iter()
        .flat_map(|p| {
            let c = |q: nalgebra::Vector2<f64>, z: f64| Point3::new(q.x, q.y, z);
            let (a, b, d, e) = (c(p.a, p.base), c(p.b, p.base), c(p.b, p.top), c(p.a, p.top));
            [Triangle { corners: [a, b, d], node: 0 }, Triangle { corners: [a, d, e], node: 0 }]
        })
        .collect();
    let theirs = bvh::bvh::Bvh::build(&mut triangles);
    let begin = Instant::now();
    let mut other_blocked = 0;
    for (a, b) in &rays {
        let d = b - a;
        let length = d.norm();
        let ray = Ray::new(Point3::from(*a), Vector3::from(d / length));
        let hit = theirs.traverse_iterator(&ray, &triangles).any(|t| {
            let s = ray.intersects_triangle(&t.corners[0], &t.corners[1], &t.corners[2]).distance;
            // that library's triangles face one way
            let back = ray.intersects_triangle(&t.corners[0], &t.corners[2], &t.corners[1]).distance;
            let s = s.min(back);
            s > 1e-3 && s < length - 1e-3
        });
        other_blocked += usize::from(hit);
    }
    let other = begin.elapsed().as_secs_f64();
    println!(
        "{} panels, {} million lines of sight, one thread: ours {:.1} million/s, the public hierarchy {:.1} million/s; blocked {blocked} and {other_blocked}",
        panels.len(),
        rays.len() / 1_000_000,
        rays.len() as f64 / own / 1e6,
        rays.len() as f64 / other / 1e6
    );

    let mut places = house.stations.iter().map(|s| s.1).cycle();
    let mut stations: Vec<Station> = Vec::new();
    while stations.len() < 20 {
        let p = places.next().unwrap();
        let off = 0.7 * (stations.len() / house.stations.len()) as f64;
        stations.push(Station::at(&format!("S{}", stations.len() + 1), p + Vec3::new(off, off / 2.0, 0.0)));
    }
    let begin = Instant::now();
    let c = cover(site, &stations, &house.instrument, 0.25);
    println!(
        "cover of {} pieces of 0.25 m from 20 stations: {:.0} ms",
        c.samples.len(),
        begin.elapsed().as_secs_f64() * 1e3
    );
    let (all, samples) = (Bvh::new(site), sample(site, 0.25));
    let begin = Instant::now();
    for s in &stations {
        std::hint::black_box(look_round(&all, &samples, s, &house.instrument));
    }
    println!("one station moved: {:.1} ms", begin.elapsed().as_secs_f64() * 1e3 / 20.0);

    let targets: Vec<PlannedTarget> = house
        .targets
        .iter()
        .map(|(name, p, sphere)| PlannedTarget {
            name: name.clone(),
            position: *p,
            kind: if *sphere { PlannedKind::Sphere } else { PlannedKind::Checker(None) },
            control_sigma: Some(Vec3::repeat(0.002)),
            check: false,
        })
        .collect();
    for n in [9, 50, 300] {
        let stations: Vec<Station> = (0..n)
            .map(|k| {
                let p = house.stations[k % house.stations.len()].1;
                let off = 0.02 * (k / house.stations.len()) as f64;
                Station::at(&format!("S{k}"), p + Vec3::new(off, 0.0, 0.0))
            })
            .collect();
        let kit = Kit { sphere_radius: 0.1, checker_half: 0.2 };
        let design = Design {
            site,
            stations: &stations,
            targets: &targets,
            kit,
            instrument: &house.instrument,
            ties: &[],
            distances: &[],
        };
        let begin = Instant::now();
        let p = predict(&design);
        let first = begin.elapsed().as_secs_f64() * 1e3;
        let begin = Instant::now();
        predict(&design);
        println!(
            "prediction of {n} stations, {} sightings: {first:.0} ms, after the next edit {:.0} ms",
            p.network.observations.len(),
            begin.elapsed().as_secs_f64() * 1e3
        );
    }
    let instrument = Instrument { step: 0.004, ..house.instrument.clone() };
    let begin = Instant::now();
    let p = propose(site, &instrument, &Wish { candidate_grid: 1.0, ..Wish::default() }, &|_| true).unwrap();
    println!(
        "proposal on {} places: {} stations, at least {}, {:.1} s",
        p.candidates,
        p.stations.len(),
        p.at_least,
        begin.elapsed().as_secs_f64()
    );
}
