use super::dense;
use super::network::Network;
use super::observation::{Linearised, Unknown};
use crate::geometry::{Mat3, Vec3};
use nalgebra::{DMatrix, DVector, Matrix3x6, Matrix6, Vector6};
use rayon::prelude::*;

/// Every observation linearised at the present state, with the weight it has.
pub(super) struct Row {
    pub at: Linearised,
    /// Inverse of the covariance on the rows there are, zero beyond.
    pub information: Matrix6<f64>,
    pub active: bool,
}

impl Row {
    /// `vᵀ P v`.
    pub(super) fn square(&self) -> f64 {
        (self.at.misclosure.transpose() * self.information * self.at.misclosure)[0]
    }
}

/// The inverse of the leading `rows` × `rows` block of a covariance; `None` when there is none.
fn information(covariance: &Matrix6<f64>, rows: usize) -> Option<Matrix6<f64>> {
    // scaled, because metres and radians differ by orders of magnitude
    let scale: Vec<f64> = (0..rows).map(|i| covariance[(i, i)].sqrt().recip()).collect();
    if scale.iter().any(|s| !s.is_finite()) {
        return None;
    }
    let scaled = DMatrix::from_fn(rows, rows, |i, j| covariance[(i, j)] * scale[i] * scale[j]);
    let inverse = scaled.cholesky()?.inverse();
    let mut out = Matrix6::zeros();
    for i in 0..rows {
        for j in 0..rows {
            out[(i, j)] = inverse[(i, j)] * scale[i] * scale[j];
        }
    }
    Some(out)
}

/// All rows of a network at its present state; `Err` names the first observation whose covariance is
/// not positive definite.
pub(super) fn rows(net: &Network) -> Result<Vec<Row>, usize> {
    net.observations
        .par_iter()
        .enumerate()
        .map(|(i, o)| {
            let at = o.linearise(net);
            let information = information(&o.weighted_covariance(), at.rows).ok_or(i)?;
            Ok(Row { at, information, active: o.active })
        })
        .collect()
}

/// The normal equations with the targets eliminated (Schur 1917), except those that are observed
/// together with another target: what is left of the others is a diagonal of 3 × 3 blocks. The rest
/// is dense and has 6 unknowns a scan and 3 a target that stays.
pub(super) struct Normal {
    /// Of what stays, before elimination.
    pub kept: DMatrix<f64>,
    /// Of what stays, after elimination.
    pub reduced: DMatrix<f64>,
    /// Right side of what stays, after elimination.
    right: DVector<f64>,
    /// For each target its first column among what stays, or what was eliminated.
    targets: Vec<Place>,
}

enum Place {
    Kept(usize),
    Eliminated(TargetPart),
}

struct TargetPart {
    inverse: Mat3,
    right: Vec3,
    /// First column of each scan that sees it, and `N_tt⁻¹ N_ts`.
    gain: Vec<(usize, Matrix3x6<f64>)>,
}

/// A target that no active observation holds.
#[derive(Debug)]
pub(super) struct Unseen;

/// Normal matrix, right side, and what a target has in common with each scan.
type Seen = (Mat3, Vec3, Vec<(usize, Matrix3x6<f64>)>);

/// Builds the normal equations. `weights[i]` multiplies the weight of observation `i`; excluded
/// observations do not enter.
pub(super) fn build(net: &Network, rows: &[Row], weights: &[f64]) -> Result<Normal, Unseen> {
    let scans = 6 * net.scans.len();
    let mut stays = vec![None; net.targets.len()];
    let mut n = scans;
    for row in rows.iter().filter(|r| r.active) {
        if let [(Unknown::Target(a), _), (Unknown::Target(b), _)] = row.at.parts() {
            for t in [*a, *b] {
                if stays[t].is_none() {
                    stays[t] = Some(n);
                    n += 3;
                }
            }
        }
    }
    let mut kept = DMatrix::zeros(n, n);
    let mut right = DVector::zeros(n);
    let mut seen: Vec<Seen> = vec![(Mat3::zeros(), Vec3::zeros(), Vec::new()); net.targets.len()];
    // column among what stays and width, or `None` for what is eliminated
    let place = |u: Unknown| match u {
        Unknown::Scan(s) => Some((net.scan_column(s), 6)),
        Unknown::Target(t) => stays[t].map(|c| (c, 3)),
    };
    for (row, &weight) in rows.iter().zip(weights).filter(|(r, _)| r.active) {
        let p = row.information * weight;
        for (u, left) in row.at.parts() {
            let weighted: Matrix6<f64> = left.transpose() * p;
            let pull: Vector6<f64> = weighted * row.at.misclosure;
            match (place(*u), u) {
                (Some((a, wide)), _) => {
                    let mut add = right.rows_mut(a, wide);
                    add += pull.rows(0, wide);
                    for (v, design) in row.at.parts() {
                        if let Some((b, high)) = place(*v) {
                            let mut add = kept.view_mut((a, b), (wide, high));
                            add += (weighted * design).view((0, 0), (wide, high));
                        }
                    }
                }
                (None, Unknown::Target(t)) => {
                    let own = &mut seen[*t];
                    own.0 += (weighted * left).fixed_view::<3, 3>(0, 0);
                    own.1 += pull.fixed_rows::<3>(0);
                    for (v, design) in row.at.parts() {
                        let Some((s, _)) = place(*v) else { continue };
                        let cross: Matrix3x6<f64> = (weighted * design).fixed_view::<3, 6>(0, 0).into_owned();
                        match own.2.iter_mut().find(|c| c.0 == s) {
                            Some(c) => c.1 += cross,
                            None => own.2.push((s, cross)),
                        }
                    }
                }
                (None, Unknown::Scan(_)) => {}
            }
        }
    }
    let mut reduced = kept.clone();
    let mut targets = Vec::with_capacity(seen.len());
    for (t, (normal, tr, cross)) in seen.into_iter().enumerate() {
        if let Some(c) = stays[t] {
            targets.push(Place::Kept(c));
            continue;
        }
        let inverse = inverse3(&normal).ok_or(Unseen)?;
        let gain: Vec<(usize, Matrix3x6<f64>)> = cross.iter().map(|(s, c)| (*s, inverse * c)).collect();
        for (a, ca) in &cross {
            let mut sub = right.fixed_rows_mut::<6>(*a);
            sub -= ca.transpose() * (inverse * tr);
            for (b, gb) in &gain {
                let mut sub = reduced.fixed_view_mut::<6, 6>(*a, *b);
                sub -= ca.transpose() * gb;
            }
        }
        targets.push(Place::Eliminated(TargetPart { inverse, right: tr, gain }));
    }
    Ok(Normal { kept, reduced, right, targets })
}

/// The inverse of a target's normal matrix, whose axes may differ by orders of magnitude.
fn inverse3(n: &Mat3) -> Option<Mat3> {
    let scale = n.diagonal().map(|d| d.sqrt().recip());
    if !scale.iter().all(|s| s.is_finite()) {
        return None;
    }
    let d = Mat3::from_diagonal(&scale);
    Some(d * (d * n * d).try_inverse()? * d)
}

impl Normal {
    /// Column among what stays → column among all unknowns.
    fn all_columns(&self, net: &Network) -> Vec<usize> {
        let mut out: Vec<usize> = (0..6 * net.scans.len()).collect();
        out.resize(self.reduced.nrows(), 0);
        for (t, place) in self.targets.iter().enumerate() {
            if let Place::Kept(c) = place {
                (0..3).for_each(|k| out[c + k] = net.target_column(t) + k);
            }
        }
        out
    }

    /// A matrix over all unknowns cut to what stays.
    pub(super) fn of_kept(&self, net: &Network, all: &DMatrix<f64>) -> DMatrix<f64> {
        all.select_rows(&self.all_columns(net))
    }

    /// The reduced matrix made regular: the frame is held by inner constraints. Any frame does;
    /// [`Normal::covariance`] changes to the one wanted.
    fn regular(&self, net: &Network, free: &DMatrix<f64>) -> DMatrix<f64> {
        let b = self.of_kept(net, free);
        &self.reduced + &b * b.transpose() * self.reduced.diagonal().mean().max(1e-12)
    }

    /// The step of all unknowns; `None` when the matrix is not positive definite.
    pub(super) fn step(&self, net: &Network, free: &DMatrix<f64>) -> Option<DVector<f64>> {
        let solved = dense::solve(&self.regular(net, free), &self.right)?;
        let mut out = DVector::zeros(net.unknowns());
        out.rows_mut(0, 6 * net.scans.len()).copy_from(&solved.rows(0, 6 * net.scans.len()));
        for (t, place) in self.targets.iter().enumerate() {
            let x = match place {
                Place::Kept(c) => solved.fixed_rows::<3>(*c).into_owned(),
                Place::Eliminated(part) => {
                    part.gain.iter().fold(part.inverse * part.right, |x, (s, g)| x - g * solved.fixed_rows::<6>(*s))
                }
            };
            out.fixed_rows_mut::<3>(net.target_column(t)).copy_from(&x);
        }
        Some(out)
    }

    /// The covariance of all unknowns; what the observations leave free of the frame is held by inner
    /// constraints over the targets.
    pub(super) fn covariance(&self, net: &Network, free: &DMatrix<f64>) -> Option<DMatrix<f64>> {
        let inner = dense::inverse(&self.regular(net, free))?;
        let (m, n) = (6 * net.scans.len(), net.unknowns());
        // rows of every target over what stays: −G Q for what was eliminated, with the gains G
        let over_kept: Vec<DMatrix<f64>> = self
            .targets
            .par_iter()
            .map(|place| match place {
                Place::Kept(c) => inner.rows(*c, 3).into_owned(),
                Place::Eliminated(part) => {
                    let mut rows = DMatrix::zeros(3, inner.ncols());
                    for (s, g) in &part.gain {
                        rows -= g * inner.rows(*s, 6);
                    }
                    rows
                }
            })
            .collect();
        let mut q = DMatrix::zeros(n, n);
        q.view_mut((0, 0), (m, m)).copy_from(&inner.view((0, 0), (m, m)));
        for (t, rows) in over_kept.iter().enumerate() {
            q.view_mut((m + 3 * t, 0), (3, m)).copy_from(&rows.columns(0, m));
            q.view_mut((0, m + 3 * t), (m, 3)).copy_from(&rows.columns(0, m).transpose());
        }
        // between two targets: from the rows of the one by the gains of the other
        let among: Vec<DMatrix<f64>> = (0..self.targets.len())
            .into_par_iter()
            .map(|t| {
                let mut rows = DMatrix::zeros(3, n - m);
                for (u, place) in self.targets.iter().enumerate() {
                    let block: Mat3 = match place {
                        Place::Kept(c) => over_kept[t].fixed_view::<3, 3>(0, *c).into_owned(),
                        Place::Eliminated(part) => {
                            let own = if t == u { part.inverse } else { Mat3::zeros() };
                            part.gain
                                .iter()
                                .fold(own, |x, (s, g)| x - over_kept[t].fixed_view::<3, 6>(0, *s) * g.transpose())
                        }
                    };
                    rows.fixed_view_mut::<3, 3>(0, 3 * u).copy_from(&block);
                }
                rows
            })
            .collect();
        for (t, rows) in among.iter().enumerate() {
            q.view_mut((m + 3 * t, m), (3, n - m)).copy_from(rows);
        }
        if free.ncols() == 0 {
            return Some(q);
        }
        // S-transformation to the frame held by the targets: S = I − G (BᵀG)⁻¹ Bᵀ
        let mut b = free.clone();
        if !net.targets.is_empty() {
            b.rows_mut(0, m).fill(0.0);
        }
        let gm = free * (b.transpose() * free).try_inverse()?;
        let u = &q * &b;
        let middle = b.transpose() * &u;
        let left = &gm * u.transpose();
        q -= &left;
        q -= left.transpose();
        q += &gm * middle * gm.transpose();
        Some(q)
    }
}

/// The directions in which the block as a whole can move without changing an observation: of three
/// shifts and three turns, what no observation resists. Nothing of it is a rule of thumb: levelled
/// scans resist the tilts, control resists what it fixes.
pub(super) fn free_frame(net: &Network, rows: &[Row]) -> DMatrix<f64> {
    let n = net.targets.len().max(1) as f64;
    let centre = if net.targets.is_empty() {
        net.scans.iter().map(|s| s.pose.translation).sum::<Vec3>() / net.scans.len().max(1) as f64
    } else {
        net.targets.iter().map(|t| t.position).sum::<Vec3>() / n
    };
    let mut g = DMatrix::zeros(net.unknowns(), 6);
    let scans = net.scans.iter().enumerate().map(|(k, s)| (net.scan_column(k), s.pose.translation, true));
    let targets = net.targets.iter().enumerate().map(|(k, t)| (net.target_column(k), t.position, false));
    let mut reach = 1.0_f64;
    for (at, p, is_scan) in scans.chain(targets) {
        reach = reach.max((p - centre).norm());
        for c in 0..6 {
            let shift = if c < 3 { Vec3::ith(c, 1.0) } else { Vec3::ith(c - 3, 1.0).cross(&(p - centre)) };
            g.fixed_view_mut::<3, 1>(at, c).copy_from(&shift);
            if c >= 3 && is_scan {
                g.fixed_view_mut::<3, 1>(at + 3, c).copy_from(&Vec3::ith(c - 3, 1.0));
            }
        }
    }
    // turns by what they do at the rim, so that all six are of one size
    for c in 3..6 {
        g.column_mut(c).scale_mut(1.0 / reach);
    }
    let mut resists = Matrix6::zeros();
    let mut strongest = 0.0_f64;
    for row in rows.iter().filter(|r| r.active) {
        let mut moved = Matrix6::zeros();
        for (u, design) in row.at.parts() {
            let (at, wide) = net.columns(*u);
            moved += design.columns(0, wide) * g.rows(at, wide);
        }
        resists += moved.transpose() * row.information * moved;
        strongest = strongest.max(row.information.diagonal().max());
    }
    let e = resists.symmetric_eigen();
    let free: Vec<usize> = (0..6).filter(|&k| e.eigenvalues[k] < 1e-12 * strongest).collect();
    let turned = &g * e.eigenvectors;
    turned.select_columns(&free)
}
