use super::cover::{Cover, Surface};
use super::graph::{LEAST_OVERLAP, shares};
use super::site::Station;
use crate::adjust::kinds::CloudTie;
use crate::geometry::{Pose, Vec3};
use crate::instrument::Instrument;
use nalgebra::{Matrix6, Vector6};
use std::collections::HashMap;

/// How far two scans of one surface may lie apart beyond their noise, 1σ, metres: range errors that go
/// with material and incidence, unevenness, what moved. It is common to a whole surface, so points do
/// not average it out.
pub const SURFACE_SIGMA: f64 = 0.001;

/// Part of the information in the points that a tie by clouds makes use of, found by simulated ties:
/// edges, bad normals and unequal weights cost the rest. See `crates/sim/tests/cloud_ties.rs`.
const USED: f64 = 0.5;

/// The ties that the clouds of a plan will give, where two stations see enough of the same surfaces from
/// the same side ([`LEAST_OVERLAP`]).
///
/// Each piece that both see adds what its points say along its normal (Gauss–Markov with
/// point-to-plane rows `[nᵀ, (r × n)ᵀ]`); `surface_sigma` adds an offset common to each surface.
/// Surfaces that leave a direction open give a tie with a large variance there, not none.
pub fn cloud_ties(cover: &Cover, stations: &[Station], instrument: &Instrument, surface_sigma: f64) -> Vec<CloudTie> {
    let n = stations.len();
    let pairs = (0..n).flat_map(|a| (a + 1..n).map(move |b| (a, b)));
    pairs
        .filter(|&(a, b)| shares(&cover.overlap, a, b) >= LEAST_OVERLAP)
        .filter_map(|(a, b)| tie(cover, stations, instrument, surface_sigma, a, b))
        .collect()
}

fn tie(
    cover: &Cover,
    stations: &[Station],
    instrument: &Instrument,
    surface_sigma: f64,
    a: usize,
    b: usize,
) -> Option<CloudTie> {
    let (pa, pb) = (stations[a].position, stations[b].position);
    let mut normal = Matrix6::zeros();
    let mut of_surface: HashMap<Surface, Vector6<f64>> = HashMap::new();
    for (i, s) in cover.samples.iter().enumerate() {
        if !(cover.stations[a].sees(i) && cover.stations[b].sees(i)) {
            continue;
        }
        let (va, vb) = (s.position - pa, s.position - pb);
        // a thin wall seen from its two sides is two surfaces
        let side = |v: &Vec3| v.dot(&s.normal);
        if side(&va) * side(&vb) <= 0.0 {
            continue;
        }
        let variance = |v: &Vec3, st: &Station| {
            let range = v.norm();
            let cos = (side(v) / range).abs().max(1e-3);
            let set = st.set(instrument);
            let points = s.area() * cos / (range * set.step).powi(2);
            let noise = (set.range_noise(range, cos) * cos).powi(2)
                + (range * instrument.angular_sigma).powi(2) * (1.0 - cos * cos);
            noise / points
        };
        let weight = USED / (variance(&va, &stations[a]) + variance(&vb, &stations[b]));
        let turn = vb.cross(&s.normal);
        let row = Vector6::new(s.normal.x, s.normal.y, s.normal.z, turn.x, turn.y, turn.z);
        normal += row * row.transpose() * weight;
        *of_surface.entry(s.surface).or_default() += row * weight;
    }
    // a direction that nothing says anything of is known to a metre and a radian
    normal += Matrix6::identity();
    let inverse = normal.try_inverse()?;
    let common: Matrix6<f64> = of_surface.values().map(|g| g * g.transpose()).sum();
    let covariance = inverse + inverse * common * inverse * surface_sigma.powi(2);
    Some(CloudTie {
        from: a,
        to: b,
        relative: Pose::levelled(0.0, pb - pa),
        covariance: (covariance + covariance.transpose()) / 2.0,
        shared: Vec::new(),
    })
}
