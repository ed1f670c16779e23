//! Symmetric algebra by a blocked, parallel library: at 300 scans the reduced matrix has 1800 rows, where a plain
//! loop takes seconds.

use faer::Side;
use faer::linalg::solvers::{DenseSolveCore, Solve};
use faer::sparse::{SparseColMat, Triplet};
use nalgebra::{DMatrix, DVector};

fn to_faer(m: &DMatrix<f64>) -> faer::Mat<f64> {
    faer::Mat::from_fn(m.nrows(), m.ncols(), |i, j| m[(i, j)])
}

/// Rows below which a dense factor is made sooner than the pattern of a sparse one.
const SMALL: usize = 300;
/// Share of entries that are not zero above which a sparse factor fills up.
const CROWDED: f64 = 0.2;

/// Factor of a symmetric positive definite matrix: sparse with a fill-reducing order where most is zero, as in a
/// large site, where a station shares targets with its neighbours only.
enum Factor {
    Dense(faer::linalg::solvers::Llt<f64>),
    Sparse(faer::sparse::linalg::solvers::Llt<usize, f64>),
}

impl Factor {
    /// `None` when the matrix is not positive definite.
    fn new(m: &DMatrix<f64>) -> Option<Self> {
        let n = m.nrows();
        let filled = || m.iter().filter(|v| **v != 0.0).count() as f64;
        if n < SMALL || filled() > CROWDED * (n * n) as f64 {
            return to_faer(m).llt(Side::Lower).ok().map(Self::Dense);
        }
        let lower: Vec<_> = (0..n)
            .flat_map(|j| (j..n).map(move |i| (i, j)))
            .filter(|at| m[*at] != 0.0)
            .map(|(i, j)| Triplet::new(i, j, m[(i, j)]))
            .collect();
        let sparse = SparseColMat::<usize, f64>::try_new_from_triplets(n, n, &lower).ok()?;
        sparse.sp_cholesky(Side::Lower).ok().map(Self::Sparse)
    }

    fn solve(&self, b: &faer::Mat<f64>) -> faer::Mat<f64> {
        match self {
            Self::Dense(f) => f.solve(b),
            Self::Sparse(f) => f.solve(b),
        }
    }
}

/// `m⁻¹ b` for a symmetric positive definite matrix; `None` when it is not.
pub(super) fn solve(m: &DMatrix<f64>, b: &DVector<f64>) -> Option<DVector<f64>> {
    let x = Factor::new(m)?.solve(&faer::Mat::from_fn(b.len(), 1, |i, _| b[i]));
    Some(DVector::from_fn(b.len(), |i, _| x[(i, 0)]))
}

/// The smallest eigenvalue of a symmetric positive definite matrix, from above and seldom more than a few
/// per cent off, by inverse iteration from fixed starts; `None` when it is not positive definite.
pub(super) fn smallest_eigenvalue(m: &DMatrix<f64>) -> Option<f64> {
    const STARTS: usize = 4;
    let factor = Factor::new(m)?;
    // starts that no pattern of the unknowns is orthogonal to: a low-discrepancy sequence
    let golden = |i: usize, c: usize| ((i * STARTS + c + 1) as f64 * 0.618_033_988_749_894_9).fract() - 0.5;
    let mut x = faer::Mat::from_fn(m.nrows(), STARTS, golden);
    let mut growth = 0.0_f64;
    for _ in 0..4 {
        for c in 0..STARTS {
            let norm = x.col(c).norm_l2().max(f64::MIN_POSITIVE);
            (0..m.nrows()).for_each(|i| x[(i, c)] /= norm);
        }
        x = factor.solve(&x);
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
