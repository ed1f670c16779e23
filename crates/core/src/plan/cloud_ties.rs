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
/// edges, bad normals and unequal weights cost the rest. See `crates/sim/tests/truth/cloud_ties.rs`.
const USED: f64 = 0.5;

/// Heights that the drawn surfaces leave more open than this are held by the floor, 1σ, metres.
const OPEN: f64 = 0.01;
/// Tripods whose heads lie farther apart than this stand on floors of their own, metres.
const STOREY: f64 = 1.5;
/// Heads of tripods over the floor, metres; how far it is exactly matters little.
const HEAD: f64 = 1.6;

/// The ties that the clouds of a plan will give, where two stations see enough of the same surfaces from
/// the same side ([`LEAST_OVERLAP`]).
///
/// Each piece that both see adds what its points say along its normal (Gauss–Markov with
/// point-to-plane rows `[nᵀ, (r × n)ᵀ]`); `surface_sigma` adds an offset common to each surface.
/// Floors are seldom drawn: where no drawn surface holds the height, the floor that both tripods stand on does, by what both
/// see of it on the way from one to the other. Surfaces that leave a direction open give a tie with a large variance there, not none.
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
        let patch = (s.normal, s.area());
        let weight =
            USED / (variance(&va, patch, &stations[a], instrument) + variance(&vb, patch, &stations[b], instrument));
        let row = row(&vb, &s.normal);
        normal += row * row.transpose() * weight;
        *of_surface.entry(s.surface).or_default() += row * weight;
    }
    let mut common: Matrix6<f64> = of_surface.values().map(|g| g * g.transpose()).sum();
    if normal[(2, 2)] < OPEN.powi(-2) && (pa.z - pb.z).abs() < STOREY {
        let patch = (Vec3::z(), 1.0);
        let mut floor = Vector6::zeros();
        for share in [0.25, 0.5, 0.75] {
            let at = pa + (pb - pa) * share - Vec3::z() * HEAD;
            let (va, vb) = (at - pa, at - pb);
            let weight = USED
                / (variance(&va, patch, &stations[a], instrument) + variance(&vb, patch, &stations[b], instrument));
            let row = row(&vb, &patch.0);
            normal += row * row.transpose() * weight;
            floor += row * weight;
        }
        common += floor * floor.transpose();
    }
    // a direction that nothing says anything of is known to a metre and a radian
    normal += Matrix6::identity();
    let inverse = normal.try_inverse()?;
    let covariance = inverse + inverse * common * inverse * surface_sigma.powi(2);
    Some(CloudTie {
        from: a,
        to: b,
        relative: Pose::levelled(0.0, pb - pa),
        covariance: (covariance + covariance.transpose()) / 2.0,
        shared: Vec::new(),
    })
}

/// Variance of the mean of all points on a piece of surface (its normal and area, m²), along the normal, m². `v` leads
/// from the station to the piece, metres.
fn variance(v: &Vec3, (normal, area): (Vec3, f64), station: &Station, instrument: &Instrument) -> f64 {
    let range = v.norm();
    let cos = (v.dot(&normal) / range).abs().max(1e-3);
    let set = station.set(instrument);
    let points = area * cos / (range * set.step).powi(2);
    let noise =
        (set.range_noise(range, cos) * cos).powi(2) + (range * instrument.angular_sigma).powi(2) * (1.0 - cos * cos);
    noise / points
}

/// Point-to-plane row of a place `v` from the second station.
fn row(v: &Vec3, normal: &Vec3) -> Vector6<f64> {
    let turn = v.cross(normal);
    Vector6::new(normal.x, normal.y, normal.z, turn.x, turn.y, turn.z)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::plan::{Site, Wall, cover};
    use nalgebra::Vector2;

    /// A room of which the walls alone are drawn: the height between two scans is held by the floor that nobody drew.
    #[test]
    fn a_floor_that_is_not_drawn_holds_the_height() {
        let corners = [(0.0, 0.0), (8.0, 0.0), (8.0, 6.0), (0.0, 6.0), (0.0, 0.0)];
        let line = corners.iter().map(|c| Vector2::new(c.0, c.1)).collect();
        let site = Site { walls: vec![Wall::plain(0, line, 0.0, 3.0)], ..Site::default() };
        let instrument = Instrument::mid_range();
        let station = |x: f64, z: f64| Station::at("S", Vec3::new(x, 3.0, z));
        let height = |z: f64| {
            let stations = [station(2.0, 1.6), station(6.0, z)];
            let c = cover(&site, &stations, &instrument, 0.25);
            cloud_ties(&c, &stations, &instrument, SURFACE_SIGMA)[0].covariance[(2, 2)].sqrt()
        };
        let sigma = height(1.7);
        assert!((0.5 * SURFACE_SIGMA..3.0 * SURFACE_SIGMA).contains(&sigma), "{sigma} m");
        // on another floor nothing holds it
        assert!(height(3.2) > 0.1, "{}", height(3.2));
    }
}
