use super::dense;
use super::network::{CloudTie, Network, Observation, ScanUnknown};
use crate::geometry::{Mat3, Vec3, skew};
use nalgebra::{DMatrix, DVector, Matrix3x6, Matrix6, Vector6};

/// The derivative of one target observation `l = Rᵀ (X − t)` by left increments of the pose and
/// by the target: with `w = X − t`, `dl = Rᵀ (dX − ρ + [w]× ω)`.
pub(super) struct Row {
    pub scan: Matrix3x6<f64>,
    pub target: Mat3,
    /// Observed minus computed, scanner frame, metres.
    pub misclosure: Vec3,
}

pub(super) fn row(net: &Network, o: &Observation) -> Row {
    let pose = &net.scans[o.scan].pose;
    let rt = pose.matrix().transpose();
    let w = net.targets[o.target].position - pose.translation;
    let mut scan = Matrix3x6::zeros();
    scan.fixed_view_mut::<3, 3>(0, 0).copy_from(&-rt);
    scan.fixed_view_mut::<3, 3>(0, 3).copy_from(&(rt * skew(&w)));
    Row { scan, target: rt, misclosure: o.centre - rt * w }
}

/// The derivative of a cloud tie by left increments of its two poses. With `w = t_b − t_a` the relative
/// pose changes by `Rₐᵀ (ρ_b − ρ_a + [w]× ω_a)` and `Rₐᵀ (ω_b − ω_a)`.
pub(super) struct TieRow {
    pub from: Matrix6<f64>,
    pub to: Matrix6<f64>,
    /// Observed minus computed, scanner frame of `from`, metres and radians.
    pub misclosure: Vector6<f64>,
}

pub(super) fn tie_row(net: &Network, tie: &CloudTie) -> TieRow {
    let (a, b) = (&net.scans[tie.from].pose, &net.scans[tie.to].pose);
    let rt = a.matrix().transpose();
    let w = b.translation - a.translation;
    let mut to = Matrix6::zeros();
    to.fixed_view_mut::<3, 3>(0, 0).copy_from(&rt);
    to.fixed_view_mut::<3, 3>(3, 3).copy_from(&rt);
    let mut from = -to;
    from.fixed_view_mut::<3, 3>(0, 3).copy_from(&(rt * skew(&w)));
    TieRow { from, to, misclosure: a.inverse().compose(b).difference(&tie.relative) }
}

/// The normal equations with the targets eliminated (Schur 1917): targets are seen by few scans
/// and never observe each other, so their part is a diagonal of 3 × 3 blocks. What is left is dense
/// and has 6 unknowns a scan.
pub(super) struct Normal {
    /// Of the scans, before elimination.
    pub scans: DMatrix<f64>,
    /// Of the scans, after elimination.
    pub reduced: DMatrix<f64>,
    /// Right side of the scans, after elimination.
    right: DVector<f64>,
    targets: Vec<TargetPart>,
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

/// Builds the normal equations at the network's present state. `weights[i]` multiplies the weight
/// of observation `i`; excluded observations do not enter.
pub(super) fn build(net: &Network, information: &[Mat3], weights: &[f64]) -> Result<Normal, Unseen> {
    let n = 6 * net.scans.len();
    let mut scans = DMatrix::zeros(n, n);
    let mut right = DVector::zeros(n);
    // of each target: normal matrix, right side, and what it has in common with each scan
    let mut seen = vec![(Mat3::zeros(), Vec3::zeros(), Vec::<(usize, Matrix3x6<f64>)>::new()); net.targets.len()];
    for (i, o) in net.observations.iter().enumerate().filter(|(_, o)| o.active) {
        let p = information[i] * weights[i];
        let r = row(net, o);
        let s = net.scan_column(o.scan);
        let sp = r.scan.transpose() * p;
        let tp = r.target.transpose() * p;
        let mut add = scans.fixed_view_mut::<6, 6>(s, s);
        add += sp * r.scan;
        let mut add = right.fixed_rows_mut::<6>(s);
        add += sp * r.misclosure;
        let t = &mut seen[o.target];
        t.0 += tp * r.target;
        t.1 += tp * r.misclosure;
        let cross = tp * r.scan;
        match t.2.iter_mut().find(|c| c.0 == s) {
            Some(c) => c.1 += cross,
            None => t.2.push((s, cross)),
        }
    }
    for (k, scan) in net.scans.iter().enumerate() {
        let Some((rows, weight)) = level_rows(scan) else { continue };
        let u = scan.pose.rotation * Vec3::z();
        let at = net.scan_column(k) + 3;
        for (r, value) in rows.iter().zip([-u.x, -u.y]) {
            let mut add = scans.fixed_view_mut::<3, 3>(at, at);
            add += r * r.transpose() * weight;
            let mut add = right.fixed_rows_mut::<3>(at);
            add += r * (weight * value);
        }
    }
    for tie in net.ties.iter().filter(|t| t.active) {
        let Some(p) = tie.covariance.try_inverse() else { continue };
        let r = tie_row(net, tie);
        let sides = [(net.scan_column(tie.from), r.from), (net.scan_column(tie.to), r.to)];
        for (row, left) in &sides {
            let weighted = left.transpose() * p;
            let mut add = right.fixed_rows_mut::<6>(*row);
            add += weighted * r.misclosure;
            for (column, design) in &sides {
                let mut add = scans.fixed_view_mut::<6, 6>(*row, *column);
                add += weighted * design;
            }
        }
    }
    let mut reduced = scans.clone();
    let mut targets = Vec::with_capacity(seen.len());
    for (normal, tr, cross) in seen {
        let inverse = normal.try_inverse().ok_or(Unseen)?;
        let gain: Vec<(usize, Matrix3x6<f64>)> = cross.iter().map(|(s, c)| (*s, inverse * c)).collect();
        for (a, ca) in &cross {
            let mut sub = right.fixed_rows_mut::<6>(*a);
            sub -= ca.transpose() * (inverse * tr);
            for (b, gb) in &gain {
                let mut sub = reduced.fixed_view_mut::<6, 6>(*a, *b);
                sub -= ca.transpose() * gb;
            }
        }
        targets.push(TargetPart { inverse, right: tr, gain });
    }
    Ok(Normal { scans, reduced, right, targets })
}

/// The two rows that levelling adds to the turn of a scan, and their weight: the scanner's z axis
/// `u` must be vertical, `du = ω × u`, so `du_x = ω_y u_z − ω_z u_y` and so on.
fn level_rows(scan: &ScanUnknown) -> Option<([Vec3; 2], f64)> {
    let sigma = scan.level_sigma?;
    let u = scan.pose.rotation * Vec3::z();
    Some(([Vec3::new(0.0, u.z, -u.y), Vec3::new(-u.z, 0.0, u.x)], 1.0 / (sigma * sigma)))
}

/// What levelling adds to the normal matrix of each levelled scan: first column of its turn, block.
pub(super) fn level_blocks(net: &Network) -> Vec<(usize, Mat3)> {
    let block = |(k, s): (usize, &ScanUnknown)| {
        level_rows(s).map(|(rows, w)| (net.scan_column(k) + 3, rows.iter().map(|r| r * r.transpose() * w).sum()))
    };
    net.scans.iter().enumerate().filter_map(block).collect()
}

impl Normal {
    /// The reduced matrix made regular: the frame is held by inner constraints over the scans. Any
    /// frame does; [`Normal::covariance`] changes to the one wanted.
    fn regular(&self, net: &Network) -> DMatrix<f64> {
        let g = gauge(net, Over::All);
        let b = g.rows(0, self.reduced.nrows());
        &self.reduced + b * b.transpose() * self.reduced.diagonal().mean().max(1e-12)
    }

    /// The step of all unknowns; `None` when the matrix is not positive definite.
    pub(super) fn step(&self, net: &Network) -> Option<DVector<f64>> {
        let scans = dense::solve(&self.regular(net), &self.right)?;
        let mut out = DVector::zeros(net.unknowns());
        out.rows_mut(0, scans.len()).copy_from(&scans);
        for (t, part) in self.targets.iter().enumerate() {
            let mut x = part.inverse * part.right;
            for (s, g) in &part.gain {
                x -= g * scans.fixed_rows::<6>(*s);
            }
            out.fixed_rows_mut::<3>(net.target_column(t)).copy_from(&x);
        }
        Some(out)
    }

    /// The covariance of all unknowns, with inner constraints over the targets.
    pub(super) fn covariance(&self, net: &Network) -> Option<DMatrix<f64>> {
        let scans = dense::inverse(&self.regular(net))?;
        let (m, n) = (scans.nrows(), net.unknowns());
        let mut q = DMatrix::zeros(n, n);
        q.view_mut((0, 0), (m, m)).copy_from(&scans);
        // Q_st = −Q_ss Gᵀ, Q_tu = N_tt⁻¹ δ_tu + G_t Q_ss G_uᵀ with the gains G = N_tt⁻¹ N_ts
        let mut cross = DMatrix::zeros(m, n - m);
        for (t, part) in self.targets.iter().enumerate() {
            let mut column = cross.columns_mut(3 * t, 3);
            for (s, g) in &part.gain {
                column -= scans.columns(*s, 6) * g.transpose();
            }
        }
        for (t, part) in self.targets.iter().enumerate() {
            let mut rows = DMatrix::zeros(3, n - m);
            for (s, g) in &part.gain {
                rows -= g * cross.rows(*s, 6);
            }
            let mut own = rows.fixed_view_mut::<3, 3>(0, 3 * t);
            own += part.inverse;
            q.view_mut((m + 3 * t, m), (3, n - m)).copy_from(&rows);
        }
        q.view_mut((0, m), (m, n - m)).copy_from(&cross);
        q.view_mut((m, 0), (n - m, m)).copy_from(&cross.transpose());
        // S-transformation to the frame held by the targets: S = I − G (BᵀG)⁻¹ Bᵀ
        let (g, b) = (gauge(net, Over::All), gauge(net, Over::Targets));
        let gm = &g * (b.transpose() * &g).try_inverse()?;
        let u = &q * &b;
        let middle = b.transpose() * &u;
        let left = &gm * u.transpose();
        q -= &left;
        q -= left.transpose();
        q += &gm * middle * gm.transpose();
        Some(q)
    }
}

/// The directions in which the whole block can move without changing an observation: columns for
/// three shifts, the turn about the vertical and, when no scan is levelled, the two tilts.
pub(super) fn gauge(net: &Network, over: Over) -> DMatrix<f64> {
    let d = net.datum_defect();
    let mut g = DMatrix::zeros(net.unknowns(), d);
    let n = net.targets.len().max(1) as f64;
    let centre = net.targets.iter().map(|t| t.position).sum::<Vec3>() / n;
    let centre = if net.targets.is_empty() { net.scans[0].pose.translation } else { centre };
    let axes = [Vec3::z(), Vec3::x(), Vec3::y()];
    let scans = net.scans.iter().enumerate().map(|(k, s)| (net.scan_column(k), s.pose.translation, true));
    let targets = net.targets.iter().enumerate().map(|(k, t)| (net.target_column(k), t.position, false));
    for (at, p, is_scan) in scans.chain(targets) {
        // a block that ties by clouds only is held by its scans
        if is_scan && over == Over::Targets && !net.targets.is_empty() {
            continue;
        }
        for c in 0..d {
            let shift = if c < 3 { Vec3::ith(c, 1.0) } else { axes[c - 3].cross(&(p - centre)) };
            g.fixed_view_mut::<3, 1>(at, c).copy_from(&shift);
            if c >= 3 && is_scan {
                g.fixed_view_mut::<3, 1>(at + 3, c).copy_from(&axes[c - 3]);
            }
        }
    }
    g
}

/// Which unknowns the inner constraints are laid on.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(super) enum Over {
    /// All: the true null space of the normal matrix.
    All,
    /// The targets only: what the frame is held by.
    Targets,
}
