use super::sphere_fit::residual;
use crate::geometry::Vec3;
use crate::instrument::Instrument;
use nalgebra::{Matrix6, Vector6};

/// How much more a surface bends one way than the other.
#[derive(Clone, Copy, Debug)]
pub(super) struct Shape {
    /// Half the difference of the two curvatures times the radius: 0 for a sphere, 0.5 for a pipe of the same radius.
    pub anisotropy: f64,
    /// Its standard deviation per component.
    pub sigma: f64,
    /// Noise about the surface that bends as it likes, over the profile's.
    pub noise: f64,
}

impl Shape {
    /// Whether it may be a sphere and cannot be a pipe.
    pub(super) fn is_round(self) -> bool {
        self.sigma < 0.15 && self.anisotropy < 0.1 + 2.5 * self.sigma
    }
}

/// Fits centre, radius and the two terms by which the curvatures may differ to points about a sphere: with the
/// direction (a, b) of a point from the centre across the line of sight, the surface stands
/// `q₁ R (a² − b²)/2 + q₂ R a b` above it. Cylinders, cones, elbows, edges and planes have a difference.
pub(super) fn shape(points: &[Vec3], instrument: &Instrument, centre: Vec3, radius: f64) -> Option<Shape> {
    let sight = -centre.normalize();
    let e1 = sight.cross(&Vec3::z()).try_normalize(1e-6).unwrap_or_else(Vec3::x);
    let e2 = sight.cross(&e1);
    let (mut c, mut r, mut q) = (centre, radius, [0.0; 2]);
    let mut scale = 0.0;
    let mut last = Matrix6::zeros();
    for pass in 0..8 {
        let terms = |p: &Vec3| {
            let (normal, off, weight) = residual(p, &c, r, instrument);
            let (a, b) = (normal.dot(&e1), normal.dot(&e2));
            let of = [0.5 * r * (a * a - b * b), r * a * b];
            let row = Vector6::new(normal.x, normal.y, normal.z, 1.0, of[0], of[1]);
            (row, off - q[0] * of[0] - q[1] * of[1], weight)
        };
        // robust against what is not of it: a pole, an edge, a leaf
        if pass > 0 {
            let mut sizes: Vec<f64> = points
                .iter()
                .map(|p| {
                    let (_, v, w) = terms(p);
                    v.abs() * w.sqrt()
                })
                .collect();
            scale = 1.4826 * crate::stats::median(&mut sizes)?;
        }
        let (mut n, mut b) = (Matrix6::zeros(), Vector6::zeros());
        for p in points {
            let (row, v, weight) = terms(p);
            let t = v.abs() * weight.sqrt();
            let edge = 2.5 * scale.max(1.0);
            let w = if pass > 0 && t > edge { weight * edge / t } else { weight };
            n += row * row.transpose() * w;
            b += row * (w * v);
        }
        last = n;
        let step = n.cholesky()?.solve(&b);
        c += step.fixed_rows::<3>(0);
        r += step[3];
        q = [q[0] + step[4], q[1] + step[5]];
        if r < 0.2 * radius || r > 5.0 * radius || (c - centre).norm() > 2.0 * radius {
            return None;
        }
        if pass > 1 && step.norm() < 1e-7 {
            break;
        }
    }
    let inverse = last.cholesky()?.inverse();
    // what six parameters took from the scatter
    let noise = scale * (points.len() as f64 / (points.len() as f64 - 6.0).max(1.0)).sqrt();
    let sigma = inverse[(4, 4)].max(inverse[(5, 5)]).sqrt() * noise.max(0.3);
    Some(Shape { anisotropy: q[0].hypot(q[1]), sigma, noise })
}
