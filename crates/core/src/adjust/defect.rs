use super::dense;
use super::network::Network;
use super::normal::Normal;
use nalgebra::DMatrix;

/// A scan that the observations do not hold.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Defect {
    /// The scan.
    pub scan: usize,
    /// By what it hangs.
    pub hangs: Hold,
}

/// By what a scan hangs that is not held.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Hold {
    /// Nothing: it shares no target with another scan.
    Nothing,
    /// One target: it can turn about that point.
    One(usize),
    /// Two targets: it can turn about the line through them.
    Two(usize, usize),
    /// Three or more in a line.
    Line(Vec<usize>),
}

/// An eigenvalue of the scaled matrix below this is nothing that an observation holds.
const SINGULAR: f64 = 1e-9;

/// Looks for movements of single scans, beyond those of the block as a whole, that change no
/// observation: null vectors of the scaled reduced normal matrix with the free frame taken out.
///
/// Whether there are any is told first by the smallest eigenvalue, which is cheap. Only then are the
/// eigenvectors asked which scans move.
pub(super) fn find(net: &Network, normal: &Normal, free: &DMatrix<f64>) -> Vec<Defect> {
    let n = normal.reduced.nrows();
    let scale: Vec<f64> =
        (0..n).map(|i| if normal.kept[(i, i)] > 0.0 { normal.kept[(i, i)].sqrt().recip() } else { 1.0 }).collect();
    let scaled = DMatrix::from_fn(n, n, |i, j| normal.reduced[(i, j)] * scale[i] * scale[j]);
    // the frame in the same scaling, made orthonormal
    let mut g = normal.of_kept(net, free);
    for i in 0..n {
        for c in 0..g.ncols() {
            g[(i, c)] /= scale[i];
        }
    }
    let held = |m: &DMatrix<f64>| dense::smallest_eigenvalue(m).is_some_and(|least| least > 100.0 * SINGULAR);
    let q = if g.ncols() == 0 { g } else { g.qr().q() };
    // one scan that holds the frame cannot hold another movement besides: sparse, and mostly enough
    if held(&Normal::anchored(&scaled, &q)) {
        return Vec::new();
    }
    let held_by_all = scaled + &q * q.transpose();
    if held(&held_by_all) {
        return Vec::new();
    }
    let Some((values, vectors)) = dense::eigen(&held_by_all) else { return Vec::new() };
    let mut loose: Vec<usize> = Vec::new();
    for k in (0..n).filter(|&k| values[k] < SINGULAR) {
        let v = vectors.column(k);
        for s in 0..net.scans.len() {
            if v.fixed_rows::<6>(net.scan_column(s)).norm() > 0.05 && !loose.contains(&s) {
                loose.push(s);
            }
        }
    }
    loose.sort_unstable();
    loose.iter().map(|&scan| Defect { scan, hangs: hold(net, scan) }).collect()
}

fn hold(net: &Network, scan: usize) -> Hold {
    let active = || net.observations.iter().filter(|o| o.active);
    let mut shared: Vec<usize> = active()
        .filter(|o| o.scan() == Some(scan))
        .filter_map(super::observation::Observation::target_index)
        .filter(|t| active().any(|p| p.target_index() == Some(*t) && p.scan() != Some(scan)))
        .collect();
    shared.sort_unstable();
    shared.dedup();
    match shared[..] {
        [] => Hold::Nothing,
        [a] => Hold::One(a),
        [a, b] => Hold::Two(a, b),
        _ => Hold::Line(shared),
    }
}
