use super::inverse::Inverse;
use super::linear::Row;
use crate::geometry::{Mat3, Pose, Vec3};
use crate::stats::chi2_quantile;
use faer::Side;
use faer::linalg::solvers::Solve;
use faer::sparse::{SparseColMat, Triplet};
use nalgebra::{Matrix6, Vector6};
use rayon::prelude::*;
use std::collections::{BTreeMap, HashMap};

/// What is known of the poses of a graph.
#[derive(Clone, Debug)]
#[allow(clippy::large_enum_variant)] // nearly all of them are of the largest sort
pub enum Fact {
    /// A pose, with its covariance by left increments.
    Known {
        /// Which pose.
        of: usize,
        /// Where it is.
        pose: Pose,
        /// m² and rad².
        covariance: Matrix6<f64>,
    },
    /// A pose in the frame of another.
    Relative {
        /// In whose frame.
        from: usize,
        /// Whose pose.
        to: usize,
        /// The pose of the one in the frame of the other.
        pose: Pose,
        /// By left increments there, m² and rad².
        covariance: Matrix6<f64>,
        /// What of it is only assumed: in its range the relation says nothing. Nil where all is held.
        unheld: Matrix6<f64>,
        /// Which σ they share: a factor for each kind is found from what the residuals say.
        kind: usize,
        /// A habit of whoever says so, and what one unit of each of its numbers does to the pose.
        habit: Option<(usize, Matrix6<f64>)>,
    },
    /// A habit is what the one before it was, or nil, within σ of each of its numbers.
    Steady {
        /// Which habit.
        of: usize,
        /// That before it.
        before: Option<usize>,
        /// σ.
        sigma: Vector6<f64>,
    },
    /// A place of the frame of a pose that is known in the frame of all.
    Point {
        /// Which pose.
        of: usize,
        /// In its frame, metres.
        local: Vec3,
        /// In the frame of all, metres.
        at: Vec3,
        /// m².
        covariance: Mat3,
    },
}

/// Poses, and what is known of them.
#[derive(Clone, Debug, Default)]
pub struct Graph {
    /// Poses as they are taken to be.
    pub poses: Vec<Pose>,
    /// What those who say something about poses are wont to be wrong by, in numbers of their own.
    pub habits: Vec<Vector6<f64>>,
    /// What is known.
    pub facts: Vec<Fact>,
    /// What does not count, by fact.
    pub left_out: Vec<bool>,
}

/// Why a graph has no solution.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum GraphError {
    /// Some poses are held by nothing.
    #[error("the poses are not held: nothing ties some of them to what is known")]
    Loose,
    /// It runs away.
    #[error("the poses did not settle in {0} steps")]
    Diverged(usize),
}

/// A graph that was solved.
#[derive(Clone, Debug)]
pub struct Settled {
    /// Of each pose, by left increments, m² and rad²; then of each habit.
    pub covariances: Vec<Matrix6<f64>>,
    /// Of pairs of poses that facts relate, first with second.
    pub cross: HashMap<(usize, usize), Matrix6<f64>>,
    /// Of each fact the square of its residual in units of its σ, its rows, and its redundancy.
    pub said: Vec<Said>,
}

/// What a fact says against all others.
#[derive(Clone, Copy, Debug, Default)]
pub struct Said {
    /// `vᵀ P v`.
    pub square: f64,
    /// Rows.
    pub rows: f64,
    /// How much of it the others check, 0..rows.
    pub redundancy: f64,
    /// Square of what it lies off what all others say, in units of the σ of that: χ² with its rows. Nil where they say nothing.
    pub against: f64,
}

impl Fact {
    /// Ties and marks may be of another place; what is known stands, and a unit's own way has no blunders.
    pub fn may_be_wrong(&self) -> bool {
        match self {
            Self::Relative { habit, .. } => habit.is_none(),
            Self::Point { .. } => true,
            Self::Known { .. } | Self::Steady { .. } => false,
        }
    }

    /// What of a shift lies where a relation holds it: bare ground says nothing of ways along it.
    pub(super) fn held_part(&self, shift: Vec3) -> Vec3 {
        let Self::Relative { unheld, .. } = self else { return shift };
        let eigen = unheld.fixed_view::<3, 3>(0, 0).into_owned().symmetric_eigen();
        let held = (0..3).filter(|k| eigen.eigenvalues[*k] < 0.5).map(|k| eigen.eigenvectors.column(k).into_owned());
        held.map(|v| v * v.dot(&shift)).sum()
    }

    /// The same with its covariance multiplied.
    #[must_use]
    pub fn widened(&self, factor: f64) -> Self {
        let mut out = self.clone();
        match &mut out {
            Self::Known { covariance, .. } | Self::Relative { covariance, .. } => *covariance *= factor,
            Self::Point { covariance, .. } => *covariance *= factor,
            Self::Steady { sigma, .. } => *sigma *= factor.sqrt(),
        }
        out
    }
}

/// A residual is only that part of an error that the others leave it: put back to its whole, by each direction that they say
/// something of (Baarda 1968, for blocks). Where a tie is far better known than what it contradicts, hardly anything of an
/// error shows in its residual.
fn against(own: &Matrix6<f64>, row: &Row) -> f64 {
    let eigen = own.symmetric_eigen();
    let told = (0..6).filter(|k| eigen.eigenvalues[*k] > LITTLE);
    told.map(|k| eigen.eigenvectors.column(k).dot(&row.misclosure).powi(2) / eigen.eigenvalues[k]).sum()
}

/// Redundancy of a direction that nothing is said of.
const LITTLE: f64 = 1e-3;

/// Normal equations with six unknowns a pose or habit: sparse, factored with a fill-reducing order.
struct Normal {
    factor: faer::sparse::linalg::solvers::Llt<usize, f64>,
    right: faer::Mat<f64>,
}

/// Lower blocks of the normal matrix, by row and column.
type Blocks = BTreeMap<(usize, usize), Matrix6<f64>>;

/// Blocks of the normal matrix, and the right side; what does not count has its blocks too, as nil.
fn normal_blocks(unknowns: usize, rows: &[Row], weights: &[f64]) -> (Blocks, faer::Mat<f64>) {
    let mut blocks = Blocks::new();
    let mut right = faer::Mat::zeros(6 * unknowns, 1);
    for (row, &weight) in rows.iter().zip(weights) {
        for (a, by_a) in row.parts.iter().flatten() {
            let pull = by_a.transpose() * row.misclosure * weight;
            for k in 0..6 {
                right[(6 * a + k, 0)] += pull[k];
            }
            for (b, by_b) in row.parts.iter().flatten().filter(|(b, _)| b <= a) {
                *blocks.entry((*a, *b)).or_default() += by_a.transpose() * by_b * weight;
            }
        }
    }
    (blocks, right)
}

impl Normal {
    fn new(unknowns: usize, rows: &[Row], weights: &[f64]) -> Option<Self> {
        let (blocks, right) = normal_blocks(unknowns, rows, weights);
        let mut lower = Vec::with_capacity(blocks.len() * 36);
        for ((a, b), block) in &blocks {
            for i in 0..6 {
                for j in (0..6).filter(|j| a > b || *j <= i) {
                    lower.push(Triplet::new(6 * a + i, 6 * b + j, block[(i, j)]));
                }
            }
        }
        let n = 6 * unknowns;
        let matrix = SparseColMat::<usize, f64>::try_new_from_triplets(n, n, &lower).ok()?;
        Some(Self { factor: matrix.sp_cholesky(Side::Lower).ok()?, right })
    }

    fn step(&self) -> Vec<Vector6<f64>> {
        let x = self.factor.solve(&self.right);
        (0..x.nrows() / 6).map(|k| Vector6::from_fn(|i, _| x[(6 * k + i, 0)])).collect()
    }

    /// The columns of the inverse that belong to a pose.
    fn columns(&self, pose: usize) -> faer::Mat<f64> {
        let n = self.right.nrows();
        self.factor.solve(&faer::Mat::from_fn(n, 6, |i, j| if i == 6 * pose + j { 1.0 } else { 0.0 }))
    }
}

/// Steps at most.
const MOST: usize = 30;
/// A step this small is the last, metres and radians.
const SMALL: f64 = 1e-7;
/// From this many σ on a residual pulls no harder than at this, while poses are on the way.
const PULLS: f64 = 3.0;

impl Graph {
    /// Adds a pose; returns its number.
    pub fn add(&mut self, pose: Pose) -> usize {
        self.poses.push(pose);
        self.poses.len() - 1
    }

    /// Adds what is known; returns its number.
    pub fn know(&mut self, fact: Fact) -> usize {
        self.facts.push(fact);
        self.left_out.push(false);
        self.facts.len() - 1
    }

    /// Poses and habits.
    fn unknowns(&self) -> usize {
        self.poses.len() + self.habits.len()
    }

    fn rows(&self) -> Vec<Row> {
        self.facts.par_iter().map(|f| f.row(&self.poses, &self.habits)).collect()
    }

    /// Brings the poses to where the weighted sum of squares is least: Gauss–Newton on the manifold, sparse normal
    /// equations; `robust` weighs large residuals of what may be wrong down (Huber 1964). What a unit says of its own way is
    /// off a little everywhere and never wrong at one place: else a wrong tie would be believed, and the way torn for it.
    ///
    /// # Errors
    /// [`GraphError`].
    pub fn settle(&mut self, robust: bool) -> Result<(), GraphError> {
        let mut size = f64::INFINITY;
        for _ in 0..MOST {
            let rows = self.rows();
            let weight = |((row, out), fact): ((&Row, &bool), &Fact)| match row.misclosure.norm() {
                _ if *out => 0.0,
                t if robust && fact.may_be_wrong() && t > PULLS * (row.rows as f64).sqrt() => {
                    PULLS * (row.rows as f64).sqrt() / t
                }
                _ => 1.0,
            };
            let weights: Vec<f64> = rows.iter().zip(&self.left_out).zip(&self.facts).map(weight).collect();
            let step = Normal::new(self.unknowns(), &rows, &weights).ok_or(GraphError::Loose)?.step();
            size = step.iter().map(Vector6::amax).fold(0.0, f64::max);
            if !size.is_finite() {
                break;
            }
            let (poses, habits) = step.split_at(self.poses.len());
            self.poses.iter_mut().zip(poses).for_each(|(p, d)| *p = p.moved(d));
            self.habits.iter_mut().zip(habits).for_each(|(h, d)| *h += d);
            if size < SMALL || robust && size < 1e-4 {
                return Ok(());
            }
        }
        // a weight that goes to and fro between two residuals is no reason to give up
        if size < 1e-4 { Ok(()) } else { Err(GraphError::Diverged(MOST)) }
    }

    /// Covariances at the state it is in, and what each fact says against the others.
    ///
    /// # Errors
    /// [`GraphError::Loose`].
    pub fn precision(&self) -> Result<Settled, GraphError> {
        let rows = self.rows();
        let weights: Vec<f64> = self.left_out.iter().map(|o| if *o { 0.0 } else { 1.0 }).collect();
        let inverse = Inverse::of(self.unknowns(), &normal_blocks(self.unknowns(), &rows, &weights).0)
            .ok_or(GraphError::Loose)?;
        let covariances: Vec<Matrix6<f64>> = (0..self.unknowns()).map(|k| inverse.block(k, k)).collect();
        let cross: HashMap<_, _> =
            rows.iter().flat_map(Row::pairs).map(|(a, b)| ((a, b), inverse.block(a, b))).collect();
        let said = rows
            .iter()
            .zip(&weights)
            .map(|(row, weight)| {
                let mut of_solution = Matrix6::zeros();
                for (a, by_a) in row.parts.iter().flatten() {
                    of_solution += by_a * covariances[*a] * by_a.transpose();
                }
                for (a, b) in row.pairs() {
                    let by =
                        |k: usize| row.parts.iter().flatten().find(|p| p.0 == k).map_or_else(Matrix6::zeros, |p| p.1);
                    let both = by(a) * cross[&(a, b)] * by(b).transpose();
                    of_solution += both + both.transpose();
                }
                let n = row.rows as f64;
                let counts = if *weight > 0.0 { -1.0 } else { 1.0 };
                // what does not count is checked by all others: its residual has their variance on top
                let own = Matrix6::identity() + of_solution * counts;
                let redundancy = (n + counts * of_solution.trace()).clamp(0.0, 2.0 * n);
                Said { square: row.misclosure.norm_squared(), rows: n, redundancy, against: against(&own, row) }
            })
            .collect();
        Ok(Settled { covariances, cross, said })
    }

    /// What the covariance of the place of every pose would become if the place of one were known with an error of its own:
    /// one answer for each pose asked about and its covariance, m². Nothing is solved anew for it: a known place
    /// changes the inverse by three rows (Sherman–Morrison–Woodbury).
    ///
    /// # Errors
    /// [`GraphError::Loose`].
    pub fn if_known(&self, places: &[(usize, Mat3)]) -> Result<Vec<Vec<Mat3>>, GraphError> {
        let rows = self.rows();
        let weights: Vec<f64> = self.left_out.iter().map(|o| if *o { 0.0 } else { 1.0 }).collect();
        let normal = Normal::new(self.unknowns(), &rows, &weights).ok_or(GraphError::Loose)?;
        let place = |x: &faer::Mat<f64>, k: usize| Mat3::from_fn(|i, j| x[(6 * k + i, j)]);
        let own: Vec<Mat3> = (0..self.poses.len()).into_par_iter().map(|k| place(&normal.columns(k), k)).collect();
        let then = |(k, known): &(usize, Mat3)| {
            let x = normal.columns(*k);
            let gain = (own[*k] + known).try_inverse().unwrap_or_else(Mat3::zeros);
            let with = |i: usize| {
                let by = place(&x, i);
                own[i] - by * gain * by.transpose()
            };
            (0..own.len()).map(with).collect()
        };
        Ok(places.par_iter().map(then).collect())
    }

    /// By how much the covariances of a kind of relations are too small (or too large), from what their residuals say
    /// against all others: variance components (Helmert 1907, Förstner 1979), by one step. 1 where nothing checks them.
    pub fn component(&self, said: &[Said], kind: usize) -> f64 {
        let (mut sum, mut checked) = (PRIOR, PRIOR);
        for ((fact, s), _) in self.facts.iter().zip(said).zip(&self.left_out).filter(|f| !f.1) {
            if matches!(fact, Fact::Relative { kind: k, .. } if *k == kind) {
                sum += s.square;
                checked += s.redundancy;
            }
        }
        sum / checked
    }

    /// Facts that contradict the others beyond chance, the worst first.
    pub fn contradicting(&self, said: &[Said]) -> Vec<usize> {
        let limit = |s: &Said| chi2_quantile(RISK, (s.rows as usize).max(1));
        let beyond = said.iter().enumerate().map(|(k, s)| (s.against / limit(s), k));
        let mut out: Vec<(f64, usize)> = beyond.filter(|s| !self.left_out[s.1] && s.0 > 1.0).collect();
        out.sort_by(|a, b| b.0.total_cmp(&a.0));
        out.into_iter().map(|s| s.1).collect()
    }
}

/// The stated σ count as so many checks beside those that are there.
const PRIOR: f64 = 6.0;
/// Chance that a right one is taken for a contradiction: there are hundreds of them.
const RISK: f64 = 1.0 - 1e-5;

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn dozens_that_do_not_hold_a_way_hold_it_no_better_than_none() {
        // a place known to a decimetre, and forty relations over bare ground that lies aslant: they hold its height above that ground,
        // and the two tilts, and of what lies along it they assume a metre
        let aslant = Pose::levelled(0.3, Vec3::zeros()).rotation * Vec3::new(1.0, 0.0, 0.2).normalize();
        let along = [aslant, Vec3::z().cross(&aslant).normalize()];
        let up = along[0].cross(&along[1]).normalize();
        let mut unheld = Matrix6::zeros();
        unheld[(5, 5)] = 0.1;
        let mut covariance = Matrix6::from_diagonal(&Vector6::new(0.0, 0.0, 0.0, 1e-6, 1e-6, 0.1));
        for v in along {
            let mut of = unheld.fixed_view_mut::<3, 3>(0, 0);
            of += v * v.transpose();
        }
        let wide = unheld.fixed_view::<3, 3>(0, 0) + up * up.transpose() * 1e-6;
        covariance.fixed_view_mut::<3, 3>(0, 0).copy_from(&wide);
        let mut g = Graph::default();
        let (first, second) = (g.add(Pose::identity()), g.add(Pose::identity()));
        let known = |of, sigma: f64| Fact::Known {
            of,
            pose: Pose::identity(),
            covariance: Matrix6::identity() * sigma.powi(2),
        };
        g.know(known(first, 1e-5));
        g.know(known(second, 0.1));
        for k in 0..40 {
            // and they contradict one another along it by metres
            let pose = Pose { translation: along[k % 2] * f64::from(k as u8), ..Pose::identity() };
            g.know(Fact::Relative { from: first, to: second, pose, covariance, unheld, kind: 0, habit: None });
        }
        g.settle(false).unwrap();
        let p = g.precision().unwrap();
        let c = p.covariances[second].fixed_view::<3, 3>(0, 0).into_owned();
        for v in along {
            assert!((v.dot(&(c * v)) - 0.01).abs() < 1e-4, "{c}");
        }
        assert!(up.dot(&(c * up)) < 1.1e-6 / 40.0 && g.poses[second].translation.norm() < 1e-6);
        // three of six directions each, and no square of what is not held
        assert!(p.said[2..].iter().all(|s| (s.rows - 3.0).abs() < 0.1 && s.square < 1e-6));
    }

    #[test]
    fn a_bent_chain_is_straightened_by_what_is_known_of_its_ends() {
        // ten steps of a metre, each of them measured a centimetre too long
        let mut g = Graph::default();
        let c = Matrix6::identity() * 1e-4;
        for k in 0..=10 {
            g.add(Pose::levelled(0.0, Vec3::new(1.01 * f64::from(k), 0.0, 0.0)));
        }
        let step = Pose::levelled(0.0, Vec3::new(1.01, 0.0, 0.0));
        for k in 0..10 {
            g.know(Fact::Relative {
                from: k,
                to: k + 1,
                pose: step,
                covariance: c,
                unheld: Matrix6::zeros(),
                kind: 0,
                habit: None,
            });
        }
        for (of, x) in [(0, 0.0), (10, 10.0)] {
            let pose = Pose::levelled(0.0, Vec3::new(x, 0.0, 0.0));
            g.know(Fact::Known { of, pose, covariance: c * 1e-6 });
        }
        g.settle(false).unwrap();
        let p = g.precision().unwrap();
        for k in 0..=10 {
            assert!((g.poses[k].translation.x - k as f64).abs() < 1e-5, "{k}: {}", g.poses[k].translation.x);
        }
        // a bridge: least known in the middle, where it is half of what a chain of five would be
        let x: Vec<f64> = p.covariances.iter().map(|c| c[(0, 0)]).collect();
        assert!((x[5] - 1e-4 * 2.5).abs() < 1e-7, "{}", x[5]);
        assert!(x[1] < x[3] && x[3] < x[5] && x[9] < x[7]);
        // all redundancies together are the observations less the unknowns
        let checked: f64 = p.said.iter().map(|s| s.redundancy).sum();
        assert!((checked - (12.0 * 6.0 - 66.0)).abs() < 1e-6, "{checked}");
    }
}
