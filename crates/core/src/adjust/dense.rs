//! Dense symmetric algebra by a blocked, parallel library: at 300 scans the reduced matrix has 1800
//! rows, where a plain loop takes seconds.

use faer::Side;
use faer::linalg::solvers::{DenseSolveCore, Solve};
use nalgebra::{DMatrix, DVector};

fn to_faer(m: &DMatrix<f64>) -> faer::Mat<f64> {
    faer::Mat::from_fn(m.nrows(), m.ncols(), |i, j| m[(i, j)])
}

/// `m⁻¹ b` for a symmetric positive definite matrix; `None` when it is not.
pub(super) fn solve(m: &DMatrix<f64>, b: &DVector<f64>) -> Option<DVector<f64>> {
    let factor = to_faer(m).llt(Side::Lower).ok()?;
    let x = factor.solve(faer::Mat::from_fn(b.len(), 1, |i, _| b[i]));
    Some(DVector::from_fn(b.len(), |i, _| x[(i, 0)]))
}

/// The smallest eigenvalue of a symmetric positive definite matrix, from above and seldom more than a few
/// per cent off, by inverse iteration from fixed starts; `None` when it is not positive definite.
pub(super) fn smallest_eigenvalue(m: &DMatrix<f64>) -> Option<f64> {
    const STARTS: usize = 4;
    let factor = to_faer(m).llt(Side::Lower).ok()?;
    // starts that no pattern of the unknowns is orthogonal to: a low-discrepancy sequence
    let golden = |i: usize, c: usize| ((i * STARTS + c + 1) as f64 * 0.618_033_988_749_894_9).fract() - 0.5;
    let mut x = faer::Mat::from_fn(m.nrows(), STARTS, golden);
    let mut growth = 0.0_f64;
    for _ in 0..4 {
        for c in 0..STARTS {
            let norm = x.col(c).norm_l2().max(f64::MIN_POSITIVE);
            (0..m.nrows()).for_each(|i| x[(i, c)] /= norm);
        }
        x = factor.solve(x);
        growth = (0..STARTS).map(|c| x.col(c).norm_l2()).fold(0.0, f64::max);
    }
    (growth.is_finite() && growth > 0.0).then(|| growth.recip())
}

/// `m⁻¹` for a symmetric positive definite matrix; `None` when it is not.
pub(super) fn inverse(m: &DMatrix<f64>) -> Option<DMatrix<f64>> {
    let factor = to_faer(m).llt(Side::Lower).ok()?;
    let x = factor.inverse();
    Some(DMatrix::from_fn(m.nrows(), m.ncols(), |i, j| x[(i, j)]))
}

/// Eigenvalues, smallest first, and eigenvectors as columns, of a symmetric matrix.
pub(super) fn eigen(m: &DMatrix<f64>) -> Option<(Vec<f64>, DMatrix<f64>)> {
    let e = to_faer(m).self_adjoint_eigen(Side::Lower).ok()?;
    let n = m.nrows();
    let values = (0..n).map(|i| e.S()[i]).collect();
    let vectors = e.U();
    Some((values, DMatrix::from_fn(n, n, |i, j| vectors[(i, j)])))
}
