use super::bvh::Bvh;
use super::cover::{Sample, faces, look_round};
use super::site::Station;
use crate::geometry::Vec3;
use crate::instrument::Instrument;
use rayon::prelude::*;

/// What one place covers and sees, as bit sets over the samples.
#[derive(Clone)]
pub(super) struct View {
    pub covers: Vec<u64>,
    pub sees: Vec<u64>,
}

impl View {
    pub(super) fn new(bvh: &Bvh, samples: &[Sample], at: &Vec3, instrument: &Instrument) -> Self {
        let c = look_round(bvh, samples, &Station::at("", *at), instrument);
        let words = samples.len().div_ceil(64);
        let mut covers = vec![0; words];
        for (i, s) in samples.iter().enumerate() {
            if s.demand.is_some() && c.samples[i].is_ok() {
                covers[i / 64] |= 1 << (i % 64);
            }
        }
        Self { covers, sees: faces(samples, at, &c) }
    }

    pub(super) fn has(&self, i: usize) -> bool {
        self.covers[i / 64] & (1 << (i % 64)) != 0
    }
}

/// The places of the bits that are set.
pub(super) fn ones(set: &[u64]) -> impl Iterator<Item = usize> + '_ {
    set.iter().enumerate().flat_map(|(w, bits)| {
        let mut left = *bits;
        std::iter::from_fn(move || {
            (left != 0).then(|| {
                let k = left.trailing_zeros() as usize;
                left &= left - 1;
                w * 64 + k
            })
        })
    })
}

/// For each place, those that share enough with it of what they see, both ways.
pub(super) fn links(views: &[View], overlap: f64) -> Vec<Vec<usize>> {
    // pieces are nearly equal in size: their number stands for their area
    let seen: Vec<f64> = views.iter().map(|v| f64::from(v.sees.iter().map(|w| w.count_ones()).sum::<u32>())).collect();
    let linked = |a: usize, b: usize| {
        let both: u32 = views[a].sees.iter().zip(&views[b].sees).map(|(p, q)| (p & q).count_ones()).sum();
        both > 0 && f64::from(both) >= overlap * seen[a].max(seen[b])
    };
    (0..views.len()).into_par_iter().map(|a| (0..views.len()).filter(|&b| b != a && linked(a, b)).collect()).collect()
}
