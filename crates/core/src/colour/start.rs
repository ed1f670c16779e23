//! Where a camera may stand: the closed forms that an adjustment begins from.

use super::{Camera, Pair};
use crate::geometry::{Mat3, Pose, Vec3};
use nalgebra::{DMatrix, DVector};

/// The direct linear transform: its twelve numbers row by row, of points set about their middle and size, and of pixels about
/// a centre in a unit.
fn transform(pairs: &[Pair], centre: [f64; 2], unit: f64) -> Option<DVector<f64>> {
    let (shift, scale) = similarity(pairs);
    let mut a = DMatrix::<f64>::zeros(2 * pairs.len(), 12);
    for (k, p) in pairs.iter().enumerate() {
        let q = (p.point - shift) / scale;
        let h = [q.x, q.y, q.z, 1.0];
        let [u, v] = [0, 1].map(|c| (p.pixel[c] - centre[c]) / unit);
        for (c, h) in h.into_iter().enumerate() {
            a[(2 * k, c)] = h;
            a[(2 * k, 8 + c)] = -u * h;
            a[(2 * k + 1, 4 + c)] = h;
            a[(2 * k + 1, 8 + c)] = -v * h;
        }
    }
    null(&a)
}

/// The direct linear transform, taken apart into a camera.
pub(super) fn linear(pairs: &[Pair], size: [f64; 2]) -> Option<Camera> {
    let (shift, scale) = similarity(pairs);
    let (middle, unit) = ([size[0] / 2.0, size[1] / 2.0], size[0]);
    let p = transform(pairs, middle, unit)?;
    let m = Mat3::from_fn(|r, c| p[4 * r + c]);
    let last = Vec3::new(p[3], p[7], p[11]);
    let position = -(m.try_inverse()? * last);
    let (k, mut rotation) = upper_and_turn(&m)?;
    // the sign of the whole is free: things lie before the camera
    if (rotation.row(2) * (Vec3::zeros() - position))[0] < 0.0 {
        rotation = -rotation;
    }
    if rotation.determinant() < 0.0 {
        return None;
    }
    let pose = Pose::from_matrix(rotation.transpose(), position * scale + shift);
    let focal = f64::midpoint(k[(0, 0)], k[(1, 1)]).abs() * unit;
    let centre = [0, 1].map(|c| middle[c] + k[(c, 2)] * unit);
    // a wild lens is left to the priors
    let focal = focal.clamp(0.3 * unit, 6.0 * unit);
    let centre = [0, 1].map(|c| centre[c].clamp(middle[c] - 0.1 * unit, middle[c] + 0.1 * unit));
    Some(Camera { pose, focal, centre, radial: [0.0; 2] })
}

/// The same for a lens that is known: rows 1 to 3 of the transform are a rotation then.
pub(super) fn calibrated(pairs: &[Pair], lens: &Camera) -> Option<Camera> {
    let (shift, scale) = similarity(pairs);
    let p = transform(pairs, lens.centre, lens.focal)?;
    let m = Mat3::from_fn(|r, c| p[4 * r + c]);
    let last = Vec3::new(p[3], p[7], p[11]);
    let svd = m.svd(true, true);
    let (u, v) = (svd.u?, svd.v_t?);
    let sign = (u * v).determinant().signum();
    let rotation = u * v * sign;
    let size = svd.singular_values.mean() * sign;
    let inner = last / size;
    let pose = Pose::from_matrix(rotation.transpose(), (-(rotation.transpose() * inner)) * scale + shift);
    Some(Camera { pose, ..*lens })
}

/// Of points on a plane: the homography of the plane, taken apart for a lens that is known.
pub(super) fn planar(pairs: &[Pair], lens: &Camera) -> Option<Camera> {
    let n = pairs.len() as f64;
    let mean = pairs.iter().map(|p| p.point).sum::<Vec3>() / n;
    let scatter = pairs.iter().fold(Mat3::zeros(), |m, p| m + (p.point - mean) * (p.point - mean).transpose());
    let eigen = scatter.symmetric_eigen();
    let mut order = [0, 1, 2];
    order.sort_by(|a, b| eigen.eigenvalues[*b].total_cmp(&eigen.eigenvalues[*a]));
    let (e1, e2): (Vec3, Vec3) =
        (eigen.eigenvectors.column(order[0]).into(), eigen.eigenvectors.column(order[1]).into());
    let axes = Mat3::from_columns(&[e1, e2, e1.cross(&e2)]);
    let scale = eigen.eigenvalues[order[0]].max(1e-12).sqrt() / n.sqrt();
    let mut a = DMatrix::<f64>::zeros(2 * pairs.len(), 9);
    for (k, p) in pairs.iter().enumerate() {
        let q = axes.transpose() * (p.point - mean) / scale;
        let h = [q.x, q.y, 1.0];
        let [u, v] = [0, 1].map(|c| (p.pixel[c] - lens.centre[c]) / lens.focal);
        for (c, h) in h.into_iter().enumerate() {
            a[(2 * k, c)] = h;
            a[(2 * k, 6 + c)] = -u * h;
            a[(2 * k + 1, 3 + c)] = h;
            a[(2 * k + 1, 6 + c)] = -v * h;
        }
    }
    let h = null(&a)?;
    let mut h = Mat3::from_fn(|r, c| h[3 * r + c]);
    // things lie before the camera
    h *= h[(2, 2)].signum() * 2.0 / (h.column(0).norm() + h.column(1).norm());
    let (r1, r2): (Vec3, Vec3) = (h.column(0).into(), h.column(1).into());
    let svd = Mat3::from_columns(&[r1, r2, r1.cross(&r2)]).svd(true, true);
    let rotation = svd.u? * svd.v_t?;
    let rotation = rotation * rotation.determinant().signum() * axes.transpose();
    let inner = Vec3::from(h.column(2)) * scale;
    Some(Camera { pose: Pose::from_matrix(rotation.transpose(), mean - rotation.transpose() * inner), ..*lens })
}

/// Middle and size of the points, so that the equations are well conditioned (Hartley 1997).
fn similarity(pairs: &[Pair]) -> (Vec3, f64) {
    let n = pairs.len() as f64;
    let mean = pairs.iter().map(|p| p.point).sum::<Vec3>() / n;
    let size = pairs.iter().map(|p| (p.point - mean).norm()).sum::<f64>() / n;
    (mean, size.max(1e-9))
}

/// The vector that the rows of a matrix are most nearly square to.
fn null(a: &DMatrix<f64>) -> Option<DVector<f64>> {
    let square = a.transpose() * a;
    let eigen = square.symmetric_eigen();
    let least = (0..eigen.eigenvalues.len()).min_by(|i, j| eigen.eigenvalues[*i].total_cmp(&eigen.eigenvalues[*j]))?;
    Some(eigen.eigenvectors.column(least).into_owned())
}

/// A matrix as an upper triangle times a rotation; the triangle ends in 1.
fn upper_and_turn(m: &Mat3) -> Option<(Mat3, Mat3)> {
    let flip = Mat3::new(0.0, 0.0, 1.0, 0.0, 1.0, 0.0, 1.0, 0.0, 0.0);
    let qr = (flip * m).transpose().qr();
    let (mut k, mut r) = (flip * qr.r().transpose() * flip, flip * qr.q().transpose());
    for c in 0..3 {
        if k[(c, c)] < 0.0 {
            k.column_mut(c).neg_mut();
            r.row_mut(c).neg_mut();
        }
    }
    let last = k[(2, 2)];
    (last.abs() > 1e-12).then(|| (k / last, r))
}
