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
/// is dense and has 6 unknowns a scan, those of the systematic errors, and 3 a target that stays.
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
    /// First column and width of each scan (and systematic unknown) that it has to do with, and `N_tt⁻¹ N_ts`.
    gain: Vec<(usize, usize, Matrix3x6<f64>)>,
}

impl TargetPart {
    /// `x` less what its gains make of a vector over what stays.
    fn less(&self, x: Vec3, stays: nalgebra::DVectorView<'_, f64>) -> Vec3 {
        self.gain.iter().fold(x, |x, (s, wide, g)| {
            if *wide == 6 { x - g * stays.fixed_rows::<6>(*s) } else { x - g.columns(0, *wide) * stays.rows(*s, *wide) }
        })
    }
}

/// A target that no active observation holds.
#[derive(Debug)]
pub(super) struct Unseen;

/// Normal matrix, right side, and what a target has in common with each scan and systematic unknown.
type Seen = (Mat3, Vec3, Vec<(usize, usize, Matrix3x6<f64>)>);

/// Builds the normal equations. `weights[i]` multiplies the weight of observation `i`; excluded
/// observations do not enter.
pub(super) fn build(net: &Network, rows: &[Row], weights: &[f64]) -> Result<Normal, Unseen> {
    let scans = 6 * net.scans.len();
    let mut stays = vec![None; net.targets.len()];
    let mut n = scans + net.systematic_unknowns();
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
        Unknown::Systematic(k) => Some((scans + net.systematic[k].at, net.systematic[k].wide())),
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
                        let Some((s, wide)) = place(*v) else { continue };
                        let cross: Matrix3x6<f64> = (weighted * design).fixed_view::<3, 6>(0, 0).into_owned();
                        match own.2.iter_mut().find(|c| c.0 == s) {
                            Some(c) => c.2 += cross,
                            None => own.2.push((s, wide, cross)),
                        }
                    }
                }
                (None, Unknown::Scan(_) | Unknown::Systematic(_)) => {}
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
        let gain: Vec<(usize, usize, Matrix3x6<f64>)> = cross.iter().map(|(s, w, c)| (*s, *w, inverse * c)).collect();
        for (a, wide, ca) in &cross {
            let mut sub = right.rows_mut(*a, *wide);
            sub -= (ca.transpose() * (inverse * tr)).rows(0, *wide);
            for (b, high, gb) in &gain {
                let mut sub = reduced.view_mut((*a, *b), (*wide, *high));
                sub -= (ca.transpose() * gb).view((0, 0), (*wide, *high));
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
        out.extend(net.target_column(net.targets.len())..net.unknowns());
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

    /// The matrix made regular by the first scan, which holds what is free of the frame: it keeps its zeros. A
    /// solution differs from that of [`Normal::regular`] by a movement of the whole.
    pub(super) fn anchored(matrix: &DMatrix<f64>, free: &DMatrix<f64>) -> DMatrix<f64> {
        let mut out = matrix.clone();
        let b = free.rows(0, 6);
        let mut first = out.view_mut((0, 0), (6, 6));
        first += b * b.transpose() * matrix.diagonal().mean().max(1e-12);
        out
    }

    /// The reduced matrix made regular: the frame is held by inner constraints. Any frame does;
    /// [`Normal::covariance`] changes to the one wanted.
    fn regular(&self, net: &Network, free: &DMatrix<f64>) -> DMatrix<f64> {
        let b = self.of_kept(net, free);
        &self.reduced + &b * b.transpose() * self.reduced.diagonal().mean().max(1e-12)
    }

    /// The step of all unknowns; `None` when the matrix is not positive definite.
    pub(super) fn step(&self, net: &Network, free: &DMatrix<f64>) -> Option<DVector<f64>> {
        let kept = self.of_kept(net, free);
        let mut solved = dense::solve(&Self::anchored(&self.reduced, &kept), &self.right)
            .or_else(|| dense::solve(&self.regular(net, free), &self.right))?;
        // of all solutions the one that moves the whole least
        if let Some(inner) = (kept.transpose() * &kept).try_inverse() {
            solved -= &kept * (inner * (kept.transpose() * &solved));
        }
        let mut out = DVector::zeros(net.unknowns());
        let (scans, shared) = (6 * net.scans.len(), net.systematic_unknowns());
        out.rows_mut(0, scans).copy_from(&solved.rows(0, scans));
        out.rows_mut(net.unknowns() - shared, shared).copy_from(&solved.rows(scans, shared));
        for (t, place) in self.targets.iter().enumerate() {
            let x = match place {
                Place::Kept(c) => solved.fixed_rows::<3>(*c).into_owned(),
                Place::Eliminated(part) => part.less(part.inverse * part.right, solved.column(0)),
            };
            out.fixed_rows_mut::<3>(net.target_column(t)).copy_from(&x);
        }
        Some(out)
    }

    /// The covariance of all unknowns; what the observations leave free of the frame is held by inner
    /// constraints over the targets. It is written column by column, several at a time: at 300 scans it
    /// fills 300 MB, and memory is what it waits for.
    pub(super) fn covariance(&self, net: &Network, free: &DMatrix<f64>) -> Option<DMatrix<f64>> {
        let inner = dense::inverse(&self.regular(net, free))?;
        let (m, n) = (6 * net.scans.len(), net.unknowns());
        // the systematic unknowns: last of all, next to the scans among what stays
        let shared = net.systematic_unknowns();
        let last = n - shared;
        let over = self.over_kept(&inner);
        let mut q = DMatrix::zeros(n, n);
        let columns = q.as_mut_slice().par_chunks_mut(n.max(1)).enumerate();
        columns.for_each(|(j, column)| {
            if j < m || j >= last {
                let k = if j < m { j } else { m + j - last };
                let own = &inner.as_slice()[k * inner.nrows()..][..m + shared];
                column[..m].copy_from_slice(&own[..m]);
                column[last..].copy_from_slice(&own[m..]);
                (m..last).for_each(|i| column[i] = over[(k, i - m)]);
                return;
            }
            // between two targets: from the column of the one by the gains of the other
            let of_target = over.column(j - m);
            column[..m].copy_from_slice(&of_target.as_slice()[..m]);
            column[last..].copy_from_slice(&of_target.as_slice()[m..m + shared]);
            for (u, place) in self.targets.iter().enumerate() {
                let block: Vec3 = match place {
                    Place::Kept(c) => of_target.fixed_rows::<3>(*c).into_owned(),
                    Place::Eliminated(part) => {
                        let own = (j - m) / 3 == u;
                        let start = if own { part.inverse.column((j - m) % 3).into_owned() } else { Vec3::zeros() };
                        part.less(start, of_target)
                    }
                };
                column[m + 3 * u..m + 3 * u + 3].copy_from_slice(block.as_slice());
            }
        });
        if free.ncols() > 0 {
            held_by_targets(net, free, &mut q)?;
        }
        Some(q)
    }

    /// Of every target the columns over what stays: `−Q Gᵀ` for what was eliminated, with the gains G.
    fn over_kept(&self, inner: &DMatrix<f64>) -> DMatrix<f64> {
        let k = inner.nrows();
        let mut over = DMatrix::zeros(k, 3 * self.targets.len());
        over.as_mut_slice().par_chunks_mut((3 * k).max(1)).zip(&self.targets).for_each(
            |(columns, place)| match place {
                Place::Kept(c) => columns.copy_from_slice(&inner.as_slice()[c * k..(c + 3) * k]),
                Place::Eliminated(part) => {
                    for (s, wide, g) in &part.gain {
                        for (axis, column) in columns.chunks_mut(k).enumerate() {
                            for at in 0..*wide {
                                let (gain, from) = (g[(axis, at)], &inner.as_slice()[(s + at) * k..][..k]);
                                column.iter_mut().zip(from).for_each(|(x, y)| *x -= gain * y);
                            }
                        }
                    }
                }
            },
        );
        over
    }
}

/// S-transformation (Baarda 1973) to the frame held by the targets: `S = I − G (BᵀG)⁻¹ Bᵀ`.
fn held_by_targets(net: &Network, free: &DMatrix<f64>, q: &mut DMatrix<f64>) -> Option<()> {
    let mut b = free.clone();
    if !net.targets.is_empty() {
        b.rows_mut(0, 6 * net.scans.len()).fill(0.0);
    }
    let g = free * (b.transpose() * free).try_inverse()?;
    let (n, k) = g.shape();
    // S Q Sᵀ = Q − G Wᵀ − W Gᵀ with W = Q B − ½ G BᵀQB
    let mut u = DMatrix::zeros(n, k);
    let products: Vec<Vec<f64>> = q
        .as_slice()
        .par_chunks(n)
        .map(|column| {
            let dot = |b: &[f64]| column.iter().zip(b).map(|(x, y)| x * y).sum();
            b.as_slice().chunks(n).map(dot).collect()
        })
        .collect();
    products.iter().enumerate().for_each(|(i, row)| (0..k).for_each(|c| u[(i, c)] = row[c]));
    let w = &u - &g * (b.transpose() * &u) * 0.5;
    q.as_mut_slice().par_chunks_mut(n).enumerate().for_each(|(j, column)| {
        for c in 0..k {
            let (gj, wj) = (g[(j, c)], w[(j, c)]);
            let terms = g.as_slice()[c * n..][..n].iter().zip(&w.as_slice()[c * n..][..n]);
            column.iter_mut().zip(terms).for_each(|(x, (g, w))| *x -= g * wj + w * gj);
        }
    });
    Some(())
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
            let mut of_unknown = Matrix6::zeros();
            of_unknown.rows_mut(0, wide).copy_from(&g.rows(at, wide));
            moved += design * of_unknown;
        }
        resists += moved.transpose() * row.information * moved;
        strongest = strongest.max(row.information.diagonal().max());
    }
    let e = resists.symmetric_eigen();
    let free: Vec<usize> = (0..6).filter(|&k| e.eigenvalues[k] < 1e-12 * strongest).collect();
    let turned = &g * e.eigenvectors;
    turned.select_columns(&free)
}
