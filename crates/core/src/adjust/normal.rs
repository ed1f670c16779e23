use super::network::{Network, Observation};
use crate::geometry::{Mat3, Vec3, skew};
use nalgebra::{DMatrix, DVector, Matrix3x6};

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

/// Normal equations, kept apart by group of observations so that the error budget can be told.
pub(super) struct Normal {
    pub targets: DMatrix<f64>,
    pub level: DMatrix<f64>,
    pub right: DVector<f64>,
}

impl Normal {
    pub(super) fn total(&self) -> DMatrix<f64> {
        &self.targets + &self.level
    }
}

/// Builds the normal equations at the network's present state. `weights[i]` multiplies the weight
/// of observation `i`; excluded observations do not enter.
pub(super) fn build(net: &Network, information: &[Mat3], weights: &[f64]) -> Normal {
    let n = net.unknowns();
    let mut targets = DMatrix::zeros(n, n);
    let mut level = DMatrix::zeros(n, n);
    let mut right = DVector::zeros(n);
    for (i, o) in net.observations.iter().enumerate().filter(|(_, o)| o.active) {
        let p = information[i] * weights[i];
        let r = row(net, o);
        let (s, t) = (net.scan_column(o.scan), net.target_column(o.target));
        let sp = r.scan.transpose() * p;
        let tp = r.target.transpose() * p;
        let mut add = targets.fixed_view_mut::<6, 6>(s, s);
        add += sp * r.scan;
        let cross = sp * r.target;
        let mut add = targets.fixed_view_mut::<6, 3>(s, t);
        add += cross;
        let mut add = targets.fixed_view_mut::<3, 6>(t, s);
        add += cross.transpose();
        let mut add = targets.fixed_view_mut::<3, 3>(t, t);
        add += tp * r.target;
        let mut add = right.fixed_rows_mut::<6>(s);
        add += sp * r.misclosure;
        let mut add = right.fixed_rows_mut::<3>(t);
        add += tp * r.misclosure;
    }
    for (k, scan) in net.scans.iter().enumerate() {
        let Some(sigma) = scan.level_sigma else { continue };
        // the scanner's z axis u must be vertical: du = ω × u, so du_x = ω_y u_z − ω_z u_y and so on
        let u = scan.pose.rotation * Vec3::z();
        let rows = [Vec3::new(0.0, u.z, -u.y), Vec3::new(-u.z, 0.0, u.x)];
        let weight = 1.0 / (sigma * sigma);
        let at = net.scan_column(k) + 3;
        for (r, value) in rows.iter().zip([-u.x, -u.y]) {
            let mut add = level.fixed_view_mut::<3, 3>(at, at);
            add += r * r.transpose() * weight;
            let mut add = right.fixed_rows_mut::<3>(at);
            add += r * (weight * value);
        }
    }
    Normal { targets, level, right }
}

/// The directions in which the whole block can move without changing an observation: columns for
/// three shifts, the turn about the vertical and, when no scan is levelled, the two tilts.
pub(super) fn gauge(net: &Network, over: Over) -> DMatrix<f64> {
    let d = net.datum_defect();
    let mut g = DMatrix::zeros(net.unknowns(), d);
    let n = net.targets.len().max(1) as f64;
    let centre = net.targets.iter().map(|t| t.position).sum::<Vec3>() / n;
    let axes = [Vec3::z(), Vec3::x(), Vec3::y()];
    let scans = net.scans.iter().enumerate().map(|(k, s)| (net.scan_column(k), s.pose.translation, true));
    let targets = net.targets.iter().enumerate().map(|(k, t)| (net.target_column(k), t.position, false));
    for (at, p, is_scan) in scans.chain(targets) {
        if is_scan && over == Over::Targets {
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
