use super::budget::Group;
use super::kinds::Kind;
use super::network::Network;
use super::normal::Row;
use super::observation::Unknown;
use super::tripod::{self, TripodMoved};
use super::variance::{PRIOR_DOF, Scaling, factor_of};
use crate::geometry::{Mat3, Vec3};
use crate::stats::{chi2_tail, f_tail};
use nalgebra::{DMatrix, Matrix6, Vector6};
use rayon::prelude::*;
use std::sync::OnceLock;

/// Risk of a single test: one right observation in a thousand is beyond it.
pub const SINGLE_RISK: f64 = 0.001;
/// Power at which a bias counts as detectable.
pub const POWER: f64 = 0.8;

/// Noncentrality at which a test of `dof` degrees of freedom finds a bias with [`POWER`] at [`SINGLE_RISK`].
pub(super) fn detection_edge(dof: usize) -> f64 {
    static EDGES: OnceLock<[f64; 7]> = OnceLock::new();
    EDGES.get_or_init(|| std::array::from_fn(|d| crate::stats::noncentrality(SINGLE_RISK, d.max(1), POWER)))[dof.min(6)]
}

/// An explanation whose statistic comes this near to the best one's cannot be told from it: it is at most
/// `exp(EVEN / 2)`, some seven, times less likely.
pub const EVEN: f64 = 4.0;

/// Redundancy from which a block says something of an error that was known beforehand.
const LEAST_SAY: f64 = 0.05;

/// What a right observation's statistic of `dof` degrees of freedom exceeds with [`SINGLE_RISK`].
fn single_edge(dof: usize) -> f64 {
    static EDGES: OnceLock<[f64; 7]> = OnceLock::new();
    EDGES.get_or_init(|| std::array::from_fn(|d| crate::stats::chi2_quantile(1.0 - SINGLE_RISK, d.max(1))))[dof.min(6)]
}

/// What the adjustment says about one observation.
#[derive(Clone, Debug)]
pub struct Residual {
    /// Observed minus adjusted, in the rows of its kind.
    pub rows: Vector6<f64>,
    /// The part of it that is a length, block axes, metres; zero for angles.
    pub vector: Vec3,
    /// Length of that at 95 % that the observation's own noise explains, metres; radians for angles.
    pub expected: f64,
    /// Test statistic: χ² with `dof` degrees of freedom when the observation is right and the stated
    /// noise true.
    pub statistic: f64,
    /// Degrees of freedom of the test: its rows, less what the geometry cannot check.
    pub dof: usize,
    /// Probability of a statistic as large as this when nothing is wrong, the noise taken as the other
    /// observations show it (external studentisation).
    pub p_value: f64,
    /// Redundancy number: 0 is not checked by the others at all, the number of rows fully.
    pub redundancy: f64,
    /// Minimal detectable bias (Baarda 1968): the smallest error found with 80 % power at 0.1 % risk, in
    /// the worst direction, metres (radians for angles); infinite when a direction is not checked.
    pub detectable: f64,
}

/// The hypothesis that a target moved between two scans.
#[derive(Clone, Debug, PartialEq)]
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
    /// Only one scan saw it on one side, so a wrong observation there explains the same.
    pub single_sided: bool,
}

/// What may be wrong.
#[derive(Clone, Debug, PartialEq)]
pub enum Hypothesis {
    /// One observation (index).
    Observation(usize),
    /// A target that was moved.
    Moved(Moved),
    /// A tripod that was knocked while its scan ran.
    Tripod(TripodMoved),
}

/// An alternative hypothesis with its evidence.
#[derive(Clone, Debug, PartialEq)]
pub struct Suspicion {
    /// What may be wrong.
    pub hypothesis: Hypothesis,
    /// χ² with `dof` degrees of freedom when it is not.
    pub statistic: f64,
    /// Degrees of freedom.
    pub dof: usize,
    /// Probability of this statistic when nothing is wrong.
    pub p_value: f64,
    /// Probability that the largest of all the tests made here comes out like this when nothing is
    /// wrong: what a decision rests on.
    pub p_family: f64,
}

impl Suspicion {
    /// How far the statistic is beyond what one in a thousand exceeds: by this explanations of different dimension
    /// compare.
    pub fn beyond(&self) -> f64 {
        self.statistic - single_edge(self.dof)
    }
}

/// Tests of alternative hypotheses in the adjusted network (Baarda 1968; Teunissen 2000): for a
/// bias entering through `E`, `T = uᵀ S⁻¹ u` with `u = Eᵀ P v`, `S = Eᵀ P Q_vv P E`.
pub(super) struct Tester<'a> {
    pub(super) net: &'a Network,
    covariance: &'a DMatrix<f64>,
    rows: &'a [Row],
    /// Weighted sum of squares and degrees of freedom of the whole.
    sum: f64,
    dof: usize,
    scaling: Scaling,
    /// What the covariances of the groups were multiplied by.
    factors: &'a [(Group, f64)],
}

impl<'a> Tester<'a> {
    /// `covariance` is the unscaled one.
    pub(super) fn new(
        net: &'a Network,
        rows: &'a [Row],
        covariance: &'a DMatrix<f64>,
        sum: f64,
        dof: usize,
        scaling: Scaling,
        factors: &'a [(Group, f64)],
    ) -> Self {
        Self { net, covariance, rows, sum, dof, scaling, factors }
    }

    /// `A_i Q A_jᵀ`: covariance between two adjusted observations.
    pub(super) fn adjusted(&self, i: usize, j: usize) -> Matrix6<f64> {
        let mut out = Matrix6::zeros();
        for (u, a) in self.rows[i].at.parts() {
            let (at, wide) = self.net.columns(*u);
            for (v, b) in self.rows[j].at.parts() {
                let (to, high) = self.net.columns(*v);
                out +=
                    a.columns(0, wide) * self.covariance.view((at, to), (wide, high)) * b.columns(0, high).transpose();
            }
        }
        out
    }

    /// Covariance between the residuals of two active observations.
    pub(super) fn residual_covariance(&self, i: usize, j: usize) -> Matrix6<f64> {
        let own = if i == j { self.own(i) } else { Matrix6::zeros() };
        own - self.adjusted(i, j)
    }

    fn own(&self, i: usize) -> Matrix6<f64> {
        let o = &self.net.observations[i];
        o.weighted_covariance() * factor_of(self.factors, &**o)
    }

    /// The chance of a statistic, with the noise as the rest shows it.
    fn chance(&self, statistic: f64, dof: usize) -> f64 {
        if dof == 0 {
            return 1.0;
        }
        if self.scaling == Scaling::Stated || self.dof <= dof {
            return chi2_tail(statistic, dof);
        }
        let others = PRIOR_DOF + (self.dof - dof) as f64;
        let noise = (PRIOR_DOF + (self.sum - statistic).max(0.0)) / others;
        f_tail(statistic / dof as f64 / noise, dof as f64, others)
    }

    pub(super) fn observation(&self, i: usize) -> Residual {
        let o = &self.net.observations[i];
        let row = &self.rows[i];
        let (v, rows) = (row.at.misclosure, row.at.rows);
        // in units of its own standard deviations, so that shifts and turns become comparable
        let c = self.own(i);
        let scale: Vec<f64> = (0..rows).map(|k| c[(k, k)].max(f64::MIN_POSITIVE).sqrt().recip()).collect();
        let qvv = if o.active { self.residual_covariance(i, i) } else { c + self.adjusted(i, i) };
        let whiten = |m: &Matrix6<f64>| DMatrix::from_fn(rows, rows, |a, b| m[(a, b)] * scale[a] * scale[b]);
        let (q, own) = (whiten(&qvv), whiten(&c));
        let scaled = nalgebra::DVector::from_fn(rows, |k, _| v[k] * scale[k]);
        // with own = L Lᵀ the eigenvalues of L⁻¹ q L⁻ᵀ are redundancy numbers between 0 and 1
        let (mut statistic, mut dof, mut redundancy) = (0.0, 0, 0.0);
        if let Some(l) = own.cholesky() {
            let inner = l.l().solve_lower_triangular(&q).and_then(|m| l.l().solve_lower_triangular(&m.transpose()));
            let whitened = l.l().solve_lower_triangular(&scaled);
            if let (Some(inner), Some(w)) = (inner, whitened) {
                let e = ((&inner + inner.transpose()) / 2.0).symmetric_eigen();
                for k in (0..rows).filter(|&k| e.eigenvalues[k] > 1e-6) {
                    statistic += e.eigenvectors.column(k).dot(&w).powi(2) / e.eigenvalues[k];
                    dof += 1;
                }
                redundancy = if o.active { e.eigenvalues.iter().sum::<f64>().clamp(0.0, rows as f64) } else { 0.0 };
            }
        }
        // lengths are the first three rows; a bias is looked for in those alone
        let wide = if o.angular() { rows } else { rows.min(3) };
        let mut lengths = row.information * qvv * row.information;
        lengths.rows_mut(wide, 6 - wide).fill(0.0);
        let s = lengths.view((0, 0), (wide, wide)).into_owned().symmetric_eigenvalues();
        let detectable = if !o.active {
            f64::INFINITY
        } else if s.min() > 1e-9 * row.information.view((0, 0), (wide, wide)).norm() {
            (detection_edge(wide) / s.min()).sqrt()
        } else {
            f64::INFINITY
        };
        let worst = c.view((0, 0), (wide, wide)).into_owned().symmetric_eigenvalues().max().max(0.0);
        let in_space = if o.angular() { Vec3::zeros() } else { self.axes(i) * v.fixed_rows::<3>(0) };
        Residual {
            rows: v,
            vector: in_space,
            expected: worst.sqrt() * crate::stats::chi2_quantile(0.95, wide).sqrt(),
            statistic,
            dof,
            p_value: if o.active { self.chance(statistic, dof) } else { chi2_tail(statistic, dof) },
            redundancy,
            detectable,
        }
    }

    /// Takes the first three rows of an observation to the axes of the block: they are `E = ∂l/∂X`
    /// of a target, or the axes of the first scan of a tie.
    fn axes(&self, i: usize) -> Mat3 {
        let parts = self.rows[i].at.parts();
        // errors that observations share come after their scans, and turn nothing
        let of_scan = || parts.iter().rfind(|p| matches!(p.0, Unknown::Scan(_)));
        let design = parts.iter().find(|p| matches!(p.0, Unknown::Target(_))).or_else(of_scan);
        design.map_or_else(Mat3::identity, |(_, a)| a.fixed_view::<3, 3>(0, 0).transpose())
    }

    /// The derivative of an observation by its target.
    pub(super) fn by_target(&self, i: usize) -> Matrix6<f64> {
        let part = self.rows[i].at.parts().iter().find(|p| matches!(p.0, Unknown::Target(_)));
        part.map_or_else(Matrix6::zeros, |p| p.1)
    }

    pub(super) fn row(&self, i: usize) -> &Row {
        &self.rows[i]
    }

    /// Active observations of a target that were made in a scan, in the order of the scans.
    pub(super) fn sightings(&self, target: usize) -> Vec<(usize, usize)> {
        let of = |(i, o): (usize, &super::Observation)| {
            (o.active && o.target_index() == Some(target)).then_some((i, o.scan()?))
        };
        let mut all: Vec<(usize, usize)> = self.net.observations.iter().enumerate().filter_map(of).collect();
        all.sort_by_key(|s| s.1);
        all
    }

    /// Every way to split the sightings of a target into earlier and later ones: the later, what
    /// they say about a shift of the target between (`S = Eᵀ P Q_vv P E`), and what they would say
    /// if all else were known.
    pub(super) fn splits(&self, target: usize) -> Vec<(Vec<usize>, Mat3, Mat3)> {
        let seen: Vec<usize> = self.sightings(target).into_iter().map(|s| s.0).collect();
        // from the last sighting on, each adds what it has in common with itself and with all later
        let designs: Vec<Matrix6<f64>> = seen.iter().map(|&i| self.by_target(i)).collect();
        let weighted: Vec<Matrix6<f64>> =
            seen.iter().zip(&designs).map(|(&i, e)| e.transpose() * self.rows[i].information).collect();
        let three = |m: Matrix6<f64>| -> Mat3 { m.fixed_view::<3, 3>(0, 0).into_owned() };
        let common = |a: usize, b: usize| {
            three(weighted[a] * self.residual_covariance(seen[a], seen[b]) * weighted[b].transpose())
        };
        let (mut s, mut scale) = (Mat3::zeros(), Mat3::zeros());
        let mut out = Vec::with_capacity(seen.len());
        for cut in (1..seen.len()).rev() {
            s += common(cut, cut);
            for later in cut + 1..seen.len() {
                let c = common(cut, later);
                s += c + c.transpose();
            }
            scale += three(weighted[cut] * designs[cut]);
            out.push((seen[cut..].to_vec(), s, scale));
        }
        out.reverse();
        out
    }

    /// For every target seen by two scans or more, the splits of its sightings with their evidence.
    fn moved(&self, target: usize) -> Vec<(Moved, f64)> {
        let seen = self.sightings(target);
        let splits = self.splits(target);
        splits
            .into_iter()
            .filter_map(|(later, s, scale)| {
                if s.symmetric_eigenvalues().min() < 1e-6 * scale.symmetric_eigenvalues().max() {
                    return None;
                }
                let u: Vec3 = later
                    .iter()
                    .map(|&i| {
                        let pulled =
                            self.by_target(i).transpose() * self.rows[i].information * self.rows[i].at.misclosure;
                        pulled.fixed_rows::<3>(0).into_owned()
                    })
                    .sum();
                let covariance = s.try_inverse()?;
                let shift = covariance * u;
                let moved = Moved {
                    target,
                    before: seen.iter().filter(|x| !later.contains(&x.0)).map(|x| x.1).max()?,
                    after: seen.iter().filter(|x| later.contains(&x.0)).map(|x| x.1).min()?,
                    shift,
                    covariance,
                    single_sided: later.len() == 1 || seen.len() - later.len() == 1,
                };
                Some((moved, u.dot(&shift)))
            })
            .collect()
    }

    /// All hypotheses, the best explained first. Moved targets, knocked tripods and wrong observations compete on one
    /// footing: where one wrong sighting explains as much as a move, being one of few it stays said of
    /// the move ([`Moved::single_sided`]).
    pub(super) fn suspicions(&self, residuals: &[Residual]) -> Vec<Suspicion> {
        let per_target: Vec<Vec<(Moved, f64)>> =
            (0..self.net.targets.len()).into_par_iter().map(|t| self.moved(t)).collect();
        // what is known beforehand of the instrument is tested where the block has a word in it
        let tested = |i: usize| {
            let prior = matches!(self.net.observations[i].kind, Kind::SystematicPrior(_));
            self.rows[i].active && residuals[i].dof > 0 && (!prior || residuals[i].redundancy > LEAST_SAY)
        };
        let knocked: Vec<Vec<(TripodMoved, f64)>> =
            (0..self.net.scans.len()).into_par_iter().map(|k| self.knocked(k)).collect();
        let tests = per_target.iter().map(Vec::len).sum::<usize>()
            + knocked.iter().map(Vec::len).sum::<usize>()
            + (0..residuals.len()).filter(|&i| tested(i)).count();
        let family = |p: f64| if p <= 0.0 { 0.0 } else { -f64::exp_m1(tests as f64 * f64::ln_1p(-p.min(1.0 - 1e-12))) };
        let judged = |hypothesis: Hypothesis, statistic: f64, dof: usize| {
            let p_value = self.chance(statistic, dof);
            Suspicion { hypothesis, statistic, dof, p_value, p_family: family(p_value) }
        };
        let mut out = Vec::new();
        for splits in per_target {
            let best = splits.into_iter().max_by(|a, b| a.1.total_cmp(&b.1));
            out.extend(best.map(|(moved, statistic)| judged(Hypothesis::Moved(moved), statistic, 3)));
        }
        for splits in knocked {
            let best = splits.into_iter().max_by(|a, b| a.1.total_cmp(&b.1));
            out.extend(best.map(|(moved, statistic)| judged(Hypothesis::Tripod(moved), statistic, tripod::DOF)));
        }
        for (i, r) in residuals.iter().enumerate().filter(|(i, _)| tested(*i)) {
            out.push(Suspicion {
                hypothesis: Hypothesis::Observation(i),
                statistic: r.statistic,
                dof: r.dof,
                p_value: r.p_value,
                p_family: family(r.p_value),
            });
        }
        // beyond what one in a thousand exceeds: statistics of different dimension on one scale; on equal terms a move
        // is named, since it includes the wrong sighting, and a knock only where it explains clearly more: it is rarer
        let rank = |s: &Suspicion| match s.hypothesis {
            Hypothesis::Moved(_) => s.beyond() + 1e-9 * s.statistic,
            Hypothesis::Tripod(_) => s.beyond() - EVEN,
            Hypothesis::Observation(_) => s.beyond(),
        };
        out.sort_by(|a, b| rank(b).total_cmp(&rank(a)));
        out
    }
}
