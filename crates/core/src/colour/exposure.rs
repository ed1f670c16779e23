use super::Photo;
use crate::geometry::Vec3;
use crate::stats::median;
use nalgebra::{DMatrix, DVector};
use rayon::prelude::*;

/// Light of a pixel, 0..1, from its value, and back: the curve that photographs are stored with, as a power.
const CURVE: f64 = 2.2;
/// What is darker or brighter than this says nothing of the light: noise, or all the sensor holds.
const DARK: u8 = 24;
const BRIGHT: u8 = 232;
/// Places that two photographs have to share before they say something of each other, and at most so many are kept.
const FEWEST: usize = 60;
const MOST: usize = 20_000;
/// A photograph that shares nothing stays as it is: how little its gain of one is believed, against one place.
const PRIOR: f64 = 1.0;

/// How much lighter one photograph is than another where both see the same places.
pub struct Exposure {
    photos: usize,
    /// Of each pair (a before b) and channel: log of the light of b over that of a.
    ratios: Vec<[Vec<f64>; 3]>,
}

impl Exposure {
    /// For so many photographs.
    pub fn new(photos: usize) -> Self {
        let pairs = photos * photos.saturating_sub(1) / 2;
        Self { photos, ratios: vec![Default::default(); pairs] }
    }

    /// Looks at places (metres) in all photographs that see them.
    pub fn add(&mut self, points: &[Vec3], photos: &[Photo<'_>]) {
        let light = |c: u8| CURVE * (f64::from(c) / 255.0).ln();
        let seen: Vec<Vec<(usize, [f64; 3])>> = points
            .par_iter()
            .with_min_len(512)
            .map(|p| {
                let of = |(k, photo): (usize, &Photo<'_>)| {
                    let colour = photo.at(photo.depth.seen(p)?.0)?;
                    let told = colour.iter().all(|c| (DARK..=BRIGHT).contains(c));
                    told.then(|| (k, colour.map(light)))
                };
                photos.iter().enumerate().filter_map(of).collect()
            })
            .collect();
        for all in seen.iter().filter(|s| s.len() > 1) {
            for (i, (a, first)) in all.iter().enumerate() {
                for (b, second) in &all[i + 1..] {
                    let kept = &mut self.ratios[pair(*a, *b)];
                    for (k, ratios) in kept.iter_mut().enumerate().filter(|r| r.1.len() < MOST) {
                        ratios.push(second[k] - first[k]);
                    }
                }
            }
        }
    }

    /// What the light of each photograph is multiplied by, red, green and blue, so that they agree where they see the same, by
    /// least squares over all pairs; together they stay as light as they are.
    pub fn gains(&self) -> Vec<[f64; 3]> {
        let n = self.photos;
        let mut out = vec![[1.0; 3]; n];
        for channel in 0..3 {
            let mut normal = DMatrix::<f64>::identity(n, n) * PRIOR;
            let mut right = DVector::<f64>::zeros(n);
            for b in 0..n {
                for a in 0..b {
                    let all = &self.ratios[pair(a, b)][channel];
                    if all.len() < FEWEST {
                        continue;
                    }
                    // the middle: what moved between them, or shines in one of them only, is in the way of the mean
                    let Some(ratio) = median(&mut all.clone()) else { continue };
                    let w = all.len() as f64;
                    normal[(a, a)] += w;
                    normal[(b, b)] += w;
                    normal[(a, b)] -= w;
                    normal[(b, a)] -= w;
                    right[a] += w * ratio;
                    right[b] -= w * ratio;
                }
            }
            let Some(solved) = normal.cholesky().map(|c| c.solve(&right)) else { continue };
            for (k, gain) in solved.iter().enumerate() {
                out[k][channel] = gain.exp();
            }
        }
        out
    }
}

/// The place of a pair, `a` before `b`.
fn pair(a: usize, b: usize) -> usize {
    b * b.saturating_sub(1) / 2 + a
}

/// A colour in another light.
pub(super) fn lit(colour: [u8; 3], gain: &[f64; 3]) -> [u8; 3] {
    std::array::from_fn(|k| (f64::from(colour[k]) * gain[k].powf(1.0 / CURVE)).round().clamp(0.0, 255.0) as u8)
}
