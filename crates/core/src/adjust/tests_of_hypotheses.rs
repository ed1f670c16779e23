use super::network::Network;
use super::normal::{self, Row};
use super::solve::{Residual, TieResidual};
use crate::geometry::{Mat3, Vec3};
use crate::stats::chi2_tail;
use nalgebra::{DMatrix, Matrix6, SMatrix};

/// The hypothesis that a target moved between two scans.
#[derive(Clone, Debug)]
pub struct Moved {
    /// Index of the target.
    pub target: usize,
    /// Last scan that saw it in its first place.
    pub before: usize,
    /// First scan that saw it in its second place.
    pub after: usize,
    /// From the first to the second place, block axes, metres.
    pub shift: Vec3,
    /// Covariance of the shift, m².
    pub covariance: Mat3,
    /// χ² with 3 degrees of freedom when it did not move.
    pub statistic: f64,
    /// Probability of a statistic as large as this when it did not move.
    pub p_value: f64,
    /// Only one scan saw it on one side, so a wrong observation there explains the same.
    pub single_sided: bool,
}

/// Tests of alternative hypotheses in the adjusted network (Baarda 1968; Teunissen 2000): for a
/// bias entering through `E`, `T = uᵀ S⁻¹ u` with `u = Eᵀ P v`, `S = Eᵀ P Q_vv P E`.
pub(super) struct Tester<'a> {
    net: &'a Network,
    information: &'a [Mat3],
    covariance: &'a DMatrix<f64>,
    rows: Vec<Row>,
}

impl<'a> Tester<'a> {
    pub(super) fn new(net: &'a Network, information: &'a [Mat3], covariance: &'a DMatrix<f64>) -> Self {
        let rows = net.observations.iter().map(|o| normal::row(net, o)).collect();
        Self { net, information, covariance, rows }
    }

    /// `A_i Q A_jᵀ`: covariance between two adjusted observations.
    fn adjusted(&self, i: usize, j: usize) -> Mat3 {
        let (oi, oj) = (&self.net.observations[i], &self.net.observations[j]);
        let (ri, rj) = (&self.rows[i], &self.rows[j]);
        let at = |o: &super::Observation| (self.net.scan_column(o.scan), self.net.target_column(o.target));
        let ((si, ti), (sj, tj)) = (at(oi), at(oj));
        let q = self.covariance;
        let ss: SMatrix<f64, 6, 6> = q.fixed_view::<6, 6>(si, sj).into_owned();
        let st: SMatrix<f64, 6, 3> = q.fixed_view::<6, 3>(si, tj).into_owned();
        let ts: SMatrix<f64, 3, 6> = q.fixed_view::<3, 6>(ti, sj).into_owned();
        let tt: Mat3 = q.fixed_view::<3, 3>(ti, tj).into_owned();
        let left: SMatrix<f64, 3, 6> = ri.scan * ss + ri.target * ts;
        let right: Mat3 = ri.scan * st + ri.target * tt;
        left * rj.scan.transpose() + right * rj.target.transpose()
    }

    /// Covariance between the residuals of two active observations.
    fn residual_covariance(&self, i: usize, j: usize) -> Mat3 {
        let own = if i == j { self.net.observations[i].covariance } else { Mat3::zeros() };
        own - self.adjusted(i, j)
    }

    pub(super) fn observation(&self, i: usize) -> Residual {
        let o = &self.net.observations[i];
        let v = self.rows[i].misclosure;
        let vector = self.net.scans[o.scan].pose.rotation * v;
        if !o.active {
            // an observation that took no part: its misfit against the prediction
            let s = o.covariance + self.adjusted(i, i);
            let statistic = s.cholesky().map_or(0.0, |c| v.dot(&c.solve(&v)));
            return Residual {
                vector,
                statistic,
                dof: 3,
                p_value: chi2_tail(statistic, 3),
                redundancy: 3.0,
                detectable: 0.0,
            };
        }
        let p = self.information[i];
        let qvv = self.residual_covariance(i, i);
        let s = p * qvv * p;
        let (statistic, dof) = quadratic(&s, &p, &(p * v));
        // smallest bias found in the worst direction
        let weakest = s.symmetric_eigenvalues().min();
        let scale = p.symmetric_eigenvalues().max();
        let detectable = if weakest > 1e-9 * scale { (17.07 / weakest).sqrt() } else { f64::INFINITY };
        Residual {
            vector,
            statistic,
            dof,
            p_value: chi2_tail(statistic, dof),
            redundancy: (qvv * p).trace().clamp(0.0, 3.0),
            detectable,
        }
    }

    /// For every target seen by two scans or more, the best place in the sequence to split it.
    pub(super) fn moved(&self) -> Vec<Moved> {
        let mut all: Vec<Moved> = (0..self.net.targets.len()).filter_map(|t| self.moved_target(t)).collect();
        all.sort_by(|a, b| b.statistic.total_cmp(&a.statistic));
        all
    }

    pub(super) fn row(&self, observation: usize) -> &Row {
        &self.rows[observation]
    }

    /// Every way to split the sightings of a target into earlier and later ones: the later, what
    /// they say about a shift of the target between (`S = Eᵀ P Q_vv P E`), and what they would say
    /// if all else were known.
    pub(super) fn splits(&self, target: usize) -> Vec<(Vec<usize>, Mat3, Mat3)> {
        let mut seen: Vec<usize> = (0..self.rows.len())
            .filter(|&i| self.net.observations[i].active && self.net.observations[i].target == target)
            .collect();
        seen.sort_by_key(|&i| self.net.observations[i].scan);
        // from the last sighting on, each adds what it has in common with itself and with all later
        let weighted: Vec<Mat3> = seen.iter().map(|&i| self.rows[i].target.transpose() * self.information[i]).collect();
        let common =
            |a: usize, b: usize| weighted[a] * self.residual_covariance(seen[a], seen[b]) * weighted[b].transpose();
        let (mut s, mut scale) = (Mat3::zeros(), Mat3::zeros());
        let mut out = Vec::with_capacity(seen.len());
        for cut in (1..seen.len()).rev() {
            s += common(cut, cut);
            for later in cut + 1..seen.len() {
                let c = common(cut, later);
                s += c + c.transpose();
            }
            scale += weighted[cut] * self.rows[seen[cut]].target;
            out.push((seen[cut..].to_vec(), s, scale));
        }
        out.reverse();
        out
    }

    fn moved_target(&self, target: usize) -> Option<Moved> {
        let splits = self.splits(target);
        let all: Vec<usize> = {
            let of = |i: &usize| self.net.observations[*i].active && self.net.observations[*i].target == target;
            (0..self.rows.len()).filter(of).collect()
        };
        let best = splits.into_iter().filter_map(|(later, s, scale)| {
            if s.symmetric_eigenvalues().min() < 1e-6 * scale.symmetric_eigenvalues().max() {
                return None;
            }
            let u: Vec3 = later
                .iter()
                .map(|&i| self.rows[i].target.transpose() * self.information[i] * self.rows[i].misclosure)
                .sum();
            let covariance = s.try_inverse()?;
            let shift = covariance * u;
            let statistic = u.dot(&shift);
            let scan = |i: &usize| self.net.observations[*i].scan;
            Some(Moved {
                target,
                before: all.iter().filter(|i| !later.contains(i)).map(scan).max()?,
                after: later.iter().map(scan).min()?,
                shift,
                covariance,
                statistic,
                p_value: chi2_tail(statistic, 3),
                single_sided: later.len() == 1 || all.len() - later.len() == 1,
            })
        });
        best.max_by(|a, b| a.statistic.total_cmp(&b.statistic))
    }
}

/// Tests a cloud tie against all else: as an observation with six components.
pub(super) fn tie(net: &Network, covariance: &DMatrix<f64>, i: usize) -> TieResidual {
    let t = &net.ties[i];
    let r = normal::tie_row(net, t);
    let (a, b) = (net.scan_column(t.from), net.scan_column(t.to));
    let q = |row: usize, column: usize| -> Matrix6<f64> { covariance.fixed_view::<6, 6>(row, column).into_owned() };
    let adjusted = r.from * (q(a, a) * r.from.transpose() + q(a, b) * r.to.transpose())
        + r.to * (q(b, a) * r.from.transpose() + q(b, b) * r.to.transpose());
    let v = r.misclosure;
    // in units of its own standard deviations: shifts and turns become comparable
    let scale = t.covariance.diagonal().map(|c| c.max(f64::MIN_POSITIVE).sqrt().recip());
    let qvv = if t.active { t.covariance - adjusted } else { t.covariance + adjusted };
    let qvv = Matrix6::from_fn(|i, j| qvv[(i, j)] * scale[i] * scale[j]);
    let scaled = v.component_mul(&scale);
    let e = ((qvv + qvv.transpose()) / 2.0).symmetric_eigen();
    let (mut statistic, mut dof) = (0.0, 0);
    for k in (0..6).filter(|&k| e.eigenvalues[k] > 1e-6) {
        statistic += e.eigenvectors.column(k).dot(&scaled).powi(2) / e.eigenvalues[k];
        dof += 1;
    }
    TieResidual { vector: v, statistic, dof, p_value: chi2_tail(statistic, dof) }
}

/// `uᵀ S⁺ u` and the rank of `S`, leaving out directions that the network does not check.
fn quadratic(s: &Mat3, information: &Mat3, u: &Vec3) -> (f64, usize) {
    let least = 1e-6 * information.symmetric_eigenvalues().max();
    let e = s.symmetric_eigen();
    let mut t = 0.0;
    let mut rank = 0;
    for k in 0..3 {
        if e.eigenvalues[k] > least {
            t += e.eigenvectors.column(k).dot(u).powi(2) / e.eigenvalues[k];
            rank += 1;
        }
    }
    (t, rank)
}
