use crate::geometry::Vec3;
use crate::scan::Scan;
use rayon::prelude::*;
use std::collections::HashMap;

/// A place where a sphere may be.
#[derive(Clone, Copy, Debug)]
pub(super) struct Candidate {
    /// Rough centre, scanner frame, metres.
    pub centre: Vec3,
    /// The cell it was found at.
    pub cell: (i64, i64),
    /// How many of the probes agreed, 0..1.
    pub score: f64,
}

/// The ranges of a scan by cell, 0 where there is none: what the searches read, four bytes a cell.
pub(super) struct RangeImage {
    pub rows: i64,
    pub cols: i64,
    ranges: Vec<f32>,
    /// Angle between columns in each row: the column step shrinks with the cosine of elevation.
    pub col_steps: Vec<f64>,
    pub row_step: f64,
}

impl RangeImage {
    pub(super) fn new(scan: &Scan) -> Self {
        let cols = scan.cols as usize;
        let (ranges, col_steps): (Vec<Vec<f32>>, Vec<f64>) = scan
            .grid
            .par_chunks(cols)
            .map(|row| {
                let mut cos = 0.05_f64;
                let ranges = row
                    .iter()
                    .map(|&i| {
                        scan.points.get(i as usize).map_or(0.0, |p| {
                            let r = (p[0] * p[0] + p[1] * p[1] + p[2] * p[2]).sqrt();
                            cos = cos.max(f64::from(p[0].hypot(p[1]) / r));
                            r
                        })
                    })
                    .collect();
                (ranges, scan.col_step * cos)
            })
            .unzip();
        Self {
            rows: i64::from(scan.rows),
            cols: i64::from(scan.cols),
            ranges: ranges.concat(),
            col_steps,
            row_step: scan.row_step,
        }
    }

    /// Place of a cell in a list of all; columns wrap once round, rows do not.
    pub(super) fn index(&self, row: i64, col: i64) -> Option<usize> {
        if row < 0 || row >= self.rows {
            return None;
        }
        let col = if col < 0 {
            col + self.cols
        } else if col >= self.cols {
            col - self.cols
        } else {
            col
        };
        Some((row * self.cols + col) as usize)
    }

    /// Range in a cell, metres; 0 when there is none.
    pub(super) fn at(&self, row: i64, col: i64) -> f64 {
        self.index(row, col).map_or(0.0, |i| f64::from(self.ranges[i]))
    }
}

/// Proposes spheres of about `radius` from the range image.
///
/// A cell is a candidate when the ranges around it rise by what a sphere of this radius asks for:
/// first the second difference along the column and along the row (this rejects walls and, in one
/// direction, columns and pipes at the cost of four look-ups), then eight probes on a ring.
pub(super) fn search(scan: &Scan, image: &RangeImage, radius: f64, noise: f64) -> Vec<Candidate> {
    let found: Vec<Candidate> = (0..image.rows)
        .into_par_iter()
        .flat_map_iter(|row| {
            (0..image.cols).filter_map(move |col| {
                let score = probe(image, row, col, radius, noise)?;
                let p = scan.point(row, col)?;
                Some(Candidate { centre: p * (1.0 + radius / p.norm()), cell: (row, col), score })
            })
        })
        .collect();
    merge(found, radius)
}

fn probe(image: &RangeImage, row: i64, col: i64, radius: f64, noise: f64) -> Option<f64> {
    let range = image.at(row, col);
    if range <= 2.0 * radius {
        return None;
    }
    let distance = range + radius;
    let alpha = radius / distance;
    let col_step = image.col_steps[row as usize];
    // the probe distance in whole cells nearest to 0.6 of the angular radius
    let (kr, kc) = ((0.6 * alpha / image.row_step).round(), (0.6 * alpha / col_step).round());
    let (ur, uc) = (kr * image.row_step / alpha, kc * col_step / alpha);
    if kr < 1.0 || kc < 1.0 || ur > 0.85 || uc > 0.85 || 2.0 * kc > image.cols as f64 {
        return None;
    }
    // range rise at the share u of the angular radius
    let rise = |u: f64| {
        let phi = u * alpha;
        distance * (1.0 - 0.5 * phi * phi) - (radius * radius - (distance * phi).powi(2)).max(0.0).sqrt() - range
    };
    let (kr, kc) = (kr as i64, kc as i64);
    // what stands in front hides a side: that side then has nothing to say
    let hidden = |r: f64| r > 0.0 && r < range - 2.0 * radius;
    let second = |dr: i64, dc: i64, expected: f64| -> Option<bool> {
        let (a, b) = (image.at(row + dr, col + dc), image.at(row - dr, col - dc));
        let tolerance = (0.45 * expected).max(3.0 * noise);
        if a == 0.0 || b == 0.0 {
            return None;
        }
        let (rise, whole) = match (hidden(a), hidden(b)) {
            (false, false) => (f64::midpoint(a, b) - range, true),
            (true, false) => (b - range, false),
            (false, true) => (a - range, false),
            (true, true) => return None,
        };
        ((rise - expected).abs() < tolerance && (!whole || (a - b).abs() < 3.0 * tolerance)).then_some(whole)
    };
    // one of the two ways must be seen to both sides
    let upright = second(kr, 0, rise(ur))?;
    if !second(0, kc, rise(uc))? && !upright {
        return None;
    }
    // a ring of eight probes somewhat farther out
    let mut good = 0;
    for (i, j) in [(1.0, 0.0), (0.7, 0.7), (0.0, 1.0), (-0.7, 0.7), (-1.0, 0.0), (-0.7, -0.7), (0.0, -1.0), (0.7, -0.7)]
    {
        let dr = (i * kr as f64 * 1.2_f64).round();
        let dc = (j * kc as f64 * 1.2_f64).round();
        let u = (dr * image.row_step).hypot(dc * col_step) / alpha;
        if u > 0.95 {
            good += 1;
            continue;
        }
        let r = image.at(row + dr as i64, col + dc as i64);
        let expected = rise(u);
        good += i32::from(r > 0.0 && (r - range - expected).abs() < (0.6 * expected).max(3.5 * noise));
    }
    (good >= 5).then(|| f64::from(good) / 8.0)
}

/// Merges candidates whose centres lie within a radius of each other into their mean.
fn merge(mut found: Vec<Candidate>, radius: f64) -> Vec<Candidate> {
    found.sort_by(|a, b| b.score.total_cmp(&a.score));
    let cell = |p: &Vec3| p.map(|v| (v / radius).floor() as i64);
    // by the cube of one radius that the mean began in: what is near lies in it or beside it
    let mut near: HashMap<[i64; 3], Vec<usize>> = HashMap::new();
    let mut merged: Vec<(Candidate, f64)> = Vec::new();
    'next: for c in found {
        let at = cell(&c.centre);
        for k in 0..27_i64 {
            let key = [at.x + k % 3 - 1, at.y + k / 3 % 3 - 1, at.z + k / 9 - 1];
            for &m in near.get(&key).into_iter().flatten() {
                let (mean, n) = &mut merged[m];
                if (mean.centre - c.centre).norm() < radius {
                    mean.centre += (c.centre - mean.centre) / (*n + 1.0);
                    *n += 1.0;
                    continue 'next;
                }
            }
        }
        near.entry([at.x, at.y, at.z]).or_default().push(merged.len());
        merged.push((c, 1.0));
    }
    merged.into_iter().map(|(c, _)| c).collect()
}
