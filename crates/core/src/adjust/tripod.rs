//! The hypothesis that a tripod was knocked while its scan ran.

use super::kinds::Kind;
use super::snooping::Tester;
use super::systematic::turned;
use crate::geometry::{Mat3, Vec3};
use nalgebra::{Matrix4, Matrix6, Matrix6x4, Vector4};

/// The tripod moved while the scanner turned: what it saw afterwards lies beside the rest.
#[derive(Clone, Debug, PartialEq)]
pub struct TripodMoved {
    /// The scan.
    pub scan: usize,
    /// Between these azimuths of the scanner frame it happened, radians from the start of the turn.
    pub between: [f64; 2],
    /// How far the scanner moved, block axes, metres.
    pub shift: Vec3,
    /// Covariance of the shift, m².
    pub covariance: Mat3,
    /// How far it turned about its vertical axis, anticlockwise, radians.
    pub turn: f64,
    /// σ of the turn, radians.
    pub turn_sigma: f64,
    /// Sightings (observations) afterwards.
    pub after: Vec<usize>,
    /// Sightings before.
    pub before: Vec<usize>,
}

/// Three shifts and a turn.
pub(super) const DOF: usize = 4;

impl Tester<'_> {
    /// For every way to split the sightings of a scan into those of the earlier and of the later part of its turn,
    /// two at least on either side, how well a knock between them explains the residuals: `uᵀ S⁻¹ u`.
    pub(super) fn knocked(&self, scan: usize) -> Vec<(TripodMoved, f64)> {
        let sighting = |i: usize| match &self.net.observations[i] {
            o if !o.active => None,
            o => match &o.kind {
                Kind::TargetCentre(c) if c.scan == scan => Some((turned(&c.centre), i, c.centre)),
                _ => None,
            },
        };
        let mut seen: Vec<(f64, usize, Vec3)> = (0..self.net.observations.len()).filter_map(sighting).collect();
        seen.sort_by(|a, b| a.0.total_cmp(&b.0));
        if seen.len() < 4 {
            return Vec::new();
        }
        // ∂l/∂(shift, turn) of what is seen afterwards, in the scanner frame; weighted
        let designs: Vec<Matrix6x4<f64>> = seen.iter().map(|s| design(&s.2)).collect();
        let weighted: Vec<_> =
            seen.iter().zip(&designs).map(|(s, e)| e.transpose() * self.row(s.1).information).collect();
        let common = |a: usize, b: usize| -> Matrix4<f64> {
            let q: Matrix6<f64> = self.residual_covariance(seen[a].1, seen[b].1);
            weighted[a] * q * weighted[b].transpose()
        };
        let (mut s, mut scale, mut u) = (Matrix4::zeros(), Matrix4::zeros(), Vector4::zeros());
        let mut out = Vec::new();
        for cut in (1..seen.len()).rev() {
            s += common(cut, cut);
            for later in cut + 1..seen.len() {
                let c = common(cut, later);
                s += c + c.transpose();
            }
            scale += weighted[cut] * designs[cut];
            u += weighted[cut] * self.row(seen[cut].1).at.misclosure;
            if cut < 2 || seen.len() - cut < 2 {
                continue;
            }
            let Some(inverse) = regular(&s, &scale) else { continue };
            let bias = inverse * u;
            let axes = self.net.scans[scan].pose.matrix();
            let ids = |part: &[(f64, usize, Vec3)]| part.iter().map(|x| x.1).collect();
            let moved = TripodMoved {
                scan,
                between: [seen[cut - 1].0, seen[cut].0].map(|share| share * std::f64::consts::TAU),
                shift: -(axes * bias.fixed_rows::<3>(0)),
                covariance: axes * inverse.fixed_view::<3, 3>(0, 0) * axes.transpose(),
                turn: -bias[3],
                turn_sigma: inverse[(3, 3)].max(0.0).sqrt(),
                before: ids(&seen[..cut]),
                after: ids(&seen[cut..]),
            };
            out.push((moved, u.dot(&bias)));
        }
        out
    }
}

/// What a shift and a turn of everything seen do to a centre.
fn design(centre: &Vec3) -> Matrix6x4<f64> {
    let mut e = Matrix6x4::zeros();
    e.fixed_view_mut::<3, 3>(0, 0).copy_from(&Mat3::identity());
    e.fixed_view_mut::<3, 1>(0, 3).copy_from(&Vec3::z().cross(centre));
    e
}

/// The inverse where the residuals tell all four apart, metres and radians on one scale.
fn regular(s: &Matrix4<f64>, scale: &Matrix4<f64>) -> Option<Matrix4<f64>> {
    let d = Matrix4::from_diagonal(&scale.diagonal().map(|v| v.sqrt().recip()));
    let even = d * s * d;
    (even.symmetric_eigenvalues().min() > 1e-4).then_some(())?;
    Some(d * even.try_inverse()? * d)
}
