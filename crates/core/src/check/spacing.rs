use crate::geometry::Vec3;
use crate::plan::Sample;
use std::collections::HashMap;

/// Counts points on required surfaces, to tell the spacing that was achieved.
///
/// Feed it points in plan coordinates with [`SpacingCounter::add`]; each counts for the sample of
/// a wall that it lies on, when it is within 6 cm of the wall's plane.
pub struct SpacingCounter {
    samples: Vec<Sample>,
    counts: Vec<u32>,
    cells: HashMap<(i64, i64, i64), Vec<u32>>,
    size: f64,
}

/// The spacing achieved on the required surfaces.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct SpacingResult {
    /// Area with the required spacing or better, m².
    pub within: f64,
    /// Area asked for, m².
    pub total: f64,
    /// Area-weighted median of the spacing where there are points, metres.
    pub typical: f64,
}

const NEAR: f64 = 0.06;

impl SpacingCounter {
    /// From the samples of the plan, cut at `grid` metres; only those with a requirement are kept.
    pub fn new(samples: &[Sample], grid: f64) -> Self {
        let samples: Vec<Sample> = samples.iter().filter(|s| s.demand.is_some()).copied().collect();
        let mut cells: HashMap<_, Vec<u32>> = HashMap::new();
        // a sample stands in its own cell and all around it, so that a point asks once
        for (i, s) in samples.iter().enumerate() {
            let (x, y, z) = key(&s.position, grid);
            for n in 0..27 {
                let cell = (x + n % 3 - 1, y + n / 3 % 3 - 1, z + n / 9 - 1);
                cells.entry(cell).or_default().push(i as u32);
            }
        }
        Self { counts: vec![0; samples.len()], samples, cells, size: grid }
    }

    /// Counts one point, plan coordinates in metres.
    pub fn add(&mut self, p: &Vec3) {
        let Some(near) = self.cells.get(&key(p, self.size)) else { return };
        let mut best: Option<(f64, u32)> = None;
        for &s in near {
            let sample = &self.samples[s as usize];
            let d = p - sample.position;
            let off = sample.normal.dot(&d);
            let along = (d - sample.normal * off).amax();
            if off.abs() < NEAR && best.is_none_or(|b| along < b.0) {
                best = Some((along, s));
            }
        }
        if let Some((along, s)) = best
            && along < self.size
        {
            self.counts[s as usize] += 1;
        }
    }

    /// Adds the counts of another counter over the same samples.
    pub fn merge(&mut self, other: &Self) {
        self.counts.iter_mut().zip(&other.counts).for_each(|(a, b)| *a += b);
    }

    /// The result so far: spacing is the square root of area per point.
    pub fn result(&self) -> SpacingResult {
        let mut all: Vec<(f64, f64)> = Vec::new();
        let (mut within, mut total) = (0.0, 0.0);
        for (s, &n) in self.samples.iter().zip(&self.counts) {
            total += s.area();
            if n > 0 {
                let spacing = (s.area() / f64::from(n)).sqrt();
                all.push((spacing, s.area()));
                if s.demand.is_some_and(|d| spacing <= d.spacing) {
                    within += s.area();
                }
            }
        }
        all.sort_by(|a, b| a.0.total_cmp(&b.0));
        let half = all.iter().map(|a| a.1).sum::<f64>() / 2.0;
        let mut run = 0.0;
        let typical = all
            .iter()
            .find(|a| {
                run += a.1;
                run >= half
            })
            .map_or(0.0, |a| a.0);
        SpacingResult { within, total, typical }
    }
}

fn key(p: &Vec3, size: f64) -> (i64, i64, i64) {
    let f = |v: f64| (v / size).floor() as i64;
    (f(p.x), f(p.y), f(p.z))
}
