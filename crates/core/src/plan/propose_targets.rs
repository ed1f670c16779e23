use super::leapfrog::places_between;
use super::predict::{Design, PlannedKind, PlannedTarget, sightings};
use crate::geometry::Vec3;
use crate::targets::{Fault, configuration};
use rayon::prelude::*;

/// Heights of new spheres above the ground, metres, in turn: equal heights make patterns alike.
const HEIGHTS: [f64; 4] = [1.2, 1.75, 1.45, 2.0];
/// Targets that two stations which follow one another should share.
const WANTED: usize = 3;

/// Places for spheres so that every two stations that follow one another share three targets which
/// hold them: spread, in no line, not like themselves. What stands already counts.
///
/// Greedy: each sphere goes where it mends most pairs, and among equals where the patterns it joins
/// become most distinct. At most `most` spheres; pairs that no place serves stay as they are.
pub fn propose_targets(design: &Design<'_>, most: usize) -> Vec<Vec3> {
    let n = design.stations.len();
    let mut targets = design.targets.to_vec();
    let mut sees: Vec<Vec<usize>> =
        sightings(design).into_iter().map(|s| s.into_iter().map(|t| t.target).collect()).collect();
    let mut out = Vec::new();
    while out.len() < most {
        let shared = |a: usize, b: usize| -> Vec<Vec3> {
            sees[a].iter().filter(|t| sees[b].contains(t)).map(|&t| targets[t].position).collect()
        };
        let bad = |p: &[Vec3]| p.len() < WANTED || configuration(p, 0.0).faults.iter().any(|f| *f != Fault::Bunched);
        let weak: Vec<[usize; 2]> = (1..n)
            .map(|b| [b - 1, b])
            .filter(|[a, b]| bad(&shared(*a, *b)) && shared(*a, *b).len() < WANTED + 3)
            .collect();
        if weak.is_empty() {
            break;
        }
        let height = HEIGHTS[out.len() % HEIGHTS.len()];
        let candidates: Vec<Vec3> = weak
            .iter()
            .flat_map(|&[a, b]| {
                let ground = design.stations[a].position.z - 1.6;
                places_between(design.site, &design.stations[a], &design.stations[b], ground)
                    .into_iter()
                    .map(move |p| p.push(ground + height))
            })
            .filter(|p| targets.iter().all(|t| (t.position.xy() - p.xy()).norm() > 1.5))
            .filter(|p| design.stations.iter().all(|s| (s.position.xy() - p.xy()).norm() > 1.5))
            .collect();
        let best = candidates
            .into_par_iter()
            .map(|p| {
                let one = [sphere(p)];
                let seen = sightings(&Design { targets: &one, ..design.clone() });
                let by = |s: usize| !seen[s].is_empty();
                let mut gain = 0.0;
                for &[a, b] in weak.iter().filter(|w| by(w[0]) && by(w[1])) {
                    let mut with = shared(a, b);
                    with.push(p);
                    gain += 1.0;
                    if with.len() >= WANTED {
                        let c = configuration(&with, 0.0);
                        // mended altogether, and by how much the pattern differs from itself
                        gain += if bad(&with) { 0.0 } else { 1.0 }
                            + (c.distinct.min(1.0) + c.off_line.min(4.0) / 8.0) / 4.0;
                    } else {
                        let spread = configuration(&with, 0.0).spread;
                        gain += spread.min(10.0) / 40.0;
                    }
                }
                (p, gain, seen.iter().map(|s| !s.is_empty()).collect::<Vec<_>>())
            })
            .max_by(|a, b| a.1.total_cmp(&b.1));
        let Some((place, gain, seen)) = best else { break };
        if gain <= 0.0 {
            break;
        }
        for (s, _) in seen.iter().enumerate().filter(|s| *s.1) {
            sees[s].push(targets.len());
        }
        targets.push(sphere(place));
        out.push(place);
    }
    out
}

fn sphere(position: Vec3) -> PlannedTarget {
    PlannedTarget { name: String::new(), position, kind: PlannedKind::Sphere, control_sigma: None, check: false }
}

#[cfg(test)]
mod tests {
    use super::super::{Kit, Site, Station, predict};
    use super::*;
    use crate::instrument::Instrument;

    /// In a bare yard, the proposed spheres tie every station to the next, in patterns that hold.
    #[test]
    fn spheres_tie_every_station_to_the_next() {
        let stations: Vec<Station> = (0..5)
            .map(|k| Station::at(&format!("S{k}"), Vec3::new(12.0 * f64::from(k), f64::from(k % 2) * 5.0, 1.6)))
            .collect();
        let (site, instrument) = (Site::default(), Instrument::mid_range());
        let design = design_of(&site, &stations, &instrument);
        let places = propose_targets(&design, 40);
        assert!(places.len() <= 15, "{} spheres", places.len());
        let targets: Vec<PlannedTarget> = places.iter().map(|p| sphere(*p)).collect();
        let p = predict(&Design { targets: &targets, ..design.clone() });
        assert!(p.block.is_ok());
        for b in 1..stations.len() {
            let shared: Vec<Vec3> =
                p.sees[b].iter().filter(|t| p.sees[b - 1].contains(t)).map(|&t| targets[t].position).collect();
            let c = configuration(&shared, 0.0);
            assert!(shared.len() >= 3 && c.faults.iter().all(|f| *f == Fault::Bunched), "{b}: {c:?}");
        }
        // what stands already is used: nothing more is asked for
        assert!(propose_targets(&Design { targets: &targets, ..design }, 40).is_empty());
    }

    fn design_of<'a>(site: &'a Site, stations: &'a [Station], instrument: &'a Instrument) -> Design<'a> {
        Design::new(site, instrument, Kit::default(), stations, &[])
    }
}
