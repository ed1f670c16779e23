use super::bvh::Bvh;
use super::site::{Site, Station};
use crate::geometry::Vec3;
use crate::instrument::Instrument;
use rayon::prelude::*;

/// Largest incidence at which a surface counts as seen, radians (70°).
const MAX_INCIDENCE: f64 = 1.221_730_476;

/// Why a station does not cover a sample.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum NotCovered {
    /// Nearer or farther than the instrument measures.
    Range,
    /// Above the field of view, or in the blind cone under the tripod.
    BlindCone,
    /// Met at more than 70°.
    Oblique,
    /// Something stands in between.
    Hidden,
    /// Seen, but the points lie wider apart than required.
    Coarse,
}

/// A small piece of a wall.
#[derive(Clone, Copy, Debug)]
pub struct Sample {
    /// Identifier of the wall.
    pub wall: usize,
    /// Centre, metres.
    pub position: Vec3,
    /// Horizontal unit normal (one of the two sides).
    pub normal: Vec3,
    /// Area, m².
    pub area: f64,
    /// Required spacing, metres, where there is one.
    pub required: Option<f64>,
}

/// What one station covers.
#[derive(Clone, Debug)]
pub struct StationCover {
    /// For each sample, the spacing there in metres, or the reason it is not covered.
    pub samples: Vec<Result<f64, NotCovered>>,
    /// Area covered, m².
    pub area: f64,
}

/// What all stations cover together.
#[derive(Clone, Debug)]
pub struct Cover {
    /// The samples.
    pub samples: Vec<Sample>,
    /// One per station.
    pub stations: Vec<StationCover>,
    /// `overlap[a][b]`: the share of what `b` covers that `a` covers too, 0..1.
    pub overlap: Vec<Vec<f64>>,
    /// Share of the required area covered at least once, 0..1; `None` when nothing is required.
    pub once: Option<f64>,
    /// Share of the required area covered at least twice.
    pub twice: Option<f64>,
}

impl Cover {
    /// The best spacing at a sample over all stations, metres.
    pub fn best(&self, sample: usize) -> Option<f64> {
        self.stations.iter().filter_map(|s| s.samples[sample].ok()).min_by(f64::total_cmp)
    }
}

/// Computes what the stations cover, sample by sample.
///
/// Walls are cut into pieces of about `grid` metres. A piece is covered when its centre is in
/// range and field of view, met at no more than 70°, in line of sight, and no coarser than
/// required. Walls may be seen from either side.
pub fn cover(site: &Site, stations: &[Station], instrument: &Instrument, grid: f64) -> Cover {
    let bvh = Bvh::new(site.panels());
    let samples = sample(site, grid);
    let seen: Vec<StationCover> = stations
        .par_iter()
        .map(|s| {
            let cells: Vec<_> = samples.iter().map(|p| look(&bvh, s, p, instrument)).collect();
            let area = cells.iter().zip(&samples).filter(|(c, _)| c.is_ok()).map(|(_, p)| p.area).sum();
            StationCover { samples: cells, area }
        })
        .collect();
    let overlap = seen
        .iter()
        .map(|a| {
            seen.iter()
                .map(|b| {
                    let both: f64 = (0..samples.len())
                        .filter(|&i| a.samples[i].is_ok() && b.samples[i].is_ok())
                        .map(|i| samples[i].area)
                        .sum();
                    if b.area > 0.0 { both / b.area } else { 0.0 }
                })
                .collect()
        })
        .collect();
    let required: Vec<usize> = (0..samples.len()).filter(|&i| samples[i].required.is_some()).collect();
    let total: f64 = required.iter().map(|&i| samples[i].area).sum();
    let share = |times: usize| {
        (total > 0.0).then(|| {
            required
                .iter()
                .filter(|&&i| seen.iter().filter(|s| s.samples[i].is_ok()).count() >= times)
                .map(|&i| samples[i].area)
                .sum::<f64>()
                / total
        })
    };
    let (once, twice) = (share(1), share(2));
    Cover { samples, stations: seen, overlap, once, twice }
}

fn sample(site: &Site, grid: f64) -> Vec<Sample> {
    let mut out = Vec::new();
    for w in &site.walls {
        for p in w.line.windows(2) {
            let along = p[1] - p[0];
            let (length, height) = (along.norm(), w.top - w.base);
            if length < 1e-6 || height < 1e-6 {
                continue;
            }
            let (nu, nv) = ((length / grid).ceil().max(1.0), (height / grid).ceil().max(1.0));
            let normal = Vec3::new(along.y, -along.x, 0.0) / length;
            for i in 0..nu as usize {
                for j in 0..nv as usize {
                    let foot = p[0] + along * ((i as f64 + 0.5) / nu);
                    out.push(Sample {
                        wall: w.id,
                        position: Vec3::new(foot.x, foot.y, w.base + height * (j as f64 + 0.5) / nv),
                        normal,
                        area: length * height / (nu * nv),
                        required: w.required_spacing,
                    });
                }
            }
        }
    }
    out
}

fn look(bvh: &Bvh, station: &Station, sample: &Sample, instrument: &Instrument) -> Result<f64, NotCovered> {
    let d = sample.position - station.position;
    let range = d.norm();
    if range < instrument.min_range || range > instrument.max_range {
        return Err(NotCovered::Range);
    }
    let elevation = (d.z / range).asin();
    if elevation < instrument.elevation_min || elevation > instrument.elevation_max {
        return Err(NotCovered::BlindCone);
    }
    let cos_incidence = (sample.normal.dot(&d) / range).abs();
    if cos_incidence < MAX_INCIDENCE.cos() {
        return Err(NotCovered::Oblique);
    }
    if bvh.blocked(&station.position, &sample.position) {
        return Err(NotCovered::Hidden);
    }
    let spacing = instrument.spacing(range, cos_incidence);
    if sample.required.is_some_and(|r| spacing > r) {
        return Err(NotCovered::Coarse);
    }
    Ok(spacing)
}

#[cfg(test)]
mod tests {
    use super::super::{Obstacle, Wall};
    use super::*;
    use nalgebra::Vector2;

    fn wall(id: usize, a: (f64, f64), b: (f64, f64)) -> Wall {
        Wall {
            id,
            line: vec![Vector2::new(a.0, a.1), Vector2::new(b.0, b.1)],
            base: 0.0,
            top: 3.0,
            required_spacing: Some(0.05),
        }
    }

    /// A column's shadow on a wall, against the exact answer from similar triangles.
    #[test]
    fn shadow_of_a_column_is_as_wide_as_similar_triangles_say() {
        let column = [(-0.25, 3.0), (0.25, 3.0), (0.25, 3.2), (-0.25, 3.2)];
        let site = Site {
            walls: vec![wall(0, (-8.0, 9.0), (8.0, 9.0))],
            obstacles: vec![Obstacle {
                outline: column.iter().map(|p| Vector2::new(p.0, p.1)).collect(),
                base: 0.0,
                top: 3.0,
            }],
        };
        let station = Station { name: "S1".into(), position: Vec3::new(0.0, 0.0, 1.5) };
        let c = cover(&site, &[station], &Instrument::mid_range(), 0.05);
        let hidden: f64 = c
            .samples
            .iter()
            .zip(&c.stations[0].samples)
            .filter(|(_, s)| **s == Err(NotCovered::Hidden))
            .map(|(p, _)| p.area)
            .sum();
        // half a metre at 3 m throws 1.5 m at 9 m, over the full height of 3 m
        assert!((hidden - 4.5).abs() < 0.31, "{hidden}");
        let share = c.once.unwrap();
        assert!((share - (48.0 - 4.5) / 48.0).abs() < 0.01, "{share}");
    }

    /// Two rooms with a closed wall between them share nothing but the wall itself.
    #[test]
    fn overlap_through_a_wall_is_the_wall() {
        let site = Site {
            walls: vec![
                wall(0, (0.0, -4.0), (0.0, 4.0)),
                wall(1, (-5.0, -4.0), (-5.0, 4.0)),
                wall(2, (5.0, -4.0), (5.0, 4.0)),
            ],
            obstacles: vec![],
        };
        let at = |x: f64| Station { name: "S".into(), position: Vec3::new(x, 0.0, 1.5) };
        let c = cover(&site, &[at(-2.5), at(2.5)], &Instrument::mid_range(), 0.1);
        for (i, s) in c.samples.iter().enumerate() {
            assert_eq!(c.stations[0].samples[i].is_ok() && c.stations[1].samples[i].is_ok(), s.wall == 0, "{s:?}");
        }
        assert!((c.overlap[0][1] - 0.5).abs() < 0.01);
    }
}
