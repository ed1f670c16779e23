//! Everything that is known of passes, solved together: how far each kind can be trusted, what contradicts, where they lie.

use super::graph::{Fact, GraphError, Said, Settled};
use super::register::{ODOMETRY, REVISITS, State, TO_STATIONS};
use super::{Correction, Drift, PassIn, PassOut, Refused, Registered, TieOut, doubled};
use crate::geometry::{FitModel, Pose, Vec3, fit};
use crate::stats::{chi2_quantile, median};
use nalgebra::Matrix6;
use rayon::prelude::*;
use std::collections::HashMap;

/// Rounds of solving at most, and those in which σ are told by the middle of the residuals.
const ROUNDS: usize = 12;
const BY_THE_MIDDLE: usize = 4;
/// Fewer residuals have no middle.
const FEW: usize = 8;

/// The frame of a path that says nothing of its own direction: by its first piece.
fn alone(c: &Correction) -> Pose {
    let first = c.poses[0];
    Pose { translation: first.apply(&-c.places[0]), ..first }
}

impl State<'_> {
    /// Everything once more from where it came to lie, then the solution and what it says.
    pub(super) fn finish(
        mut self,
        refused: &[Option<Refused>],
        go_on: &(dyn Fn(f64) -> bool + Sync),
    ) -> Option<Result<Registered, GraphError>> {
        const CLOSE: f64 = 0.1;
        // refused passes are no part of it: they hang on one another where nobody looks
        let loose: Vec<usize> = (0..self.bodies.len()).filter(|k| !self.known.placed[*k]).collect();
        for k in loose {
            self.known.graph.know(Fact::Known {
                of: k,
                pose: self.known.graph.poses[k],
                covariance: Matrix6::identity(),
            });
        }
        // ties anew, all from near by: the first ones may have been drawn aside by what was not yet known
        let mut pairs: Vec<(usize, usize)> = (0..self.bodies.len())
            .into_par_iter()
            .filter(|k| self.known.placed[*k] && self.bodies[*k].of.is_err())
            .flat_map_iter(|k| self.partners(k).into_iter().map(move |o| (o.min(k), o.max(k))))
            .collect();
        pairs.sort_unstable();
        pairs.dedup();
        if !go_on(0.72) {
            return None;
        }
        let is_tie = |f: &Fact| matches!(f, Fact::Relative { kind, .. } if *kind < ODOMETRY);
        let marks: Vec<Option<(usize, usize)>> =
            (0..self.known.graph.facts.len()).map(|k| self.known.marks.get(&k).copied()).collect();
        let kept: Vec<(Fact, Option<(usize, usize)>)> =
            self.known.graph.facts.drain(..).zip(marks).filter(|(f, _)| !is_tie(f)).collect();
        (self.known.graph.left_out, self.known.fits, self.known.marks) = (Vec::new(), HashMap::new(), HashMap::new());
        for (fact, mark) in kept {
            let number = self.known.graph.know(fact);
            mark.map(|m| self.known.marks.insert(number, m));
        }
        self.known.tried.clear();
        let lots = pairs.len().div_ceil(64).max(1);
        for (n, lot) in pairs.chunks(64).enumerate() {
            self.tie_pairs(lot.to_vec(), CLOSE);
            if !go_on(0.72 + 0.2 * (n + 1) as f64 / lots as f64) {
                return None;
            }
        }
        let solved = self.solve();
        if !go_on(0.94) {
            return None;
        }
        Some(solved.map(|(factors, said)| self.out(refused, &factors, &said)))
    }

    /// Solves with the σ that the residuals show, and without what contradicts.
    fn solve(&mut self) -> Result<(Vec<f64>, Settled), GraphError> {
        let mut variance = vec![1.0; ODOMETRY + self.passes.len()];
        let stated = self.known.graph.facts.clone();
        for round in 0..ROUNDS {
            self.known.graph.settle(round < BY_THE_MIDDLE)?;
            let said = self.known.graph.precision()?.said;
            // the worst fifth at a time: one that is wrong makes its neighbours look wrong
            let mut wrong: Vec<usize> = self
                .known
                .graph
                .contradicting(&said)
                .into_iter()
                .filter(|k| self.known.graph.facts[*k].may_be_wrong())
                .collect();
            let worse = round < BY_THE_MIDDLE && self.worse_than_said(&wrong);
            if worse {
                wrong.clear();
            }
            for k in wrong.iter().take(wrong.len().div_ceil(5)) {
                self.known.graph.left_out[*k] = true;
            }
            let before = variance.clone();
            for (kind, v) in variance.iter_mut().enumerate() {
                // neither is made smaller than stated: what ties share beyond their pieces does not show in residuals, and one factor
                // for a whole unit would let a heading that goes well take from its places
                let by_all = worse && kind >= ODOMETRY || round >= BY_THE_MIDDLE;
                *v = (*v * self.component(&said, kind, by_all)).clamp(1.0, 400.0);
            }
            for (fact, own) in self.known.graph.facts.iter_mut().zip(&stated) {
                match own {
                    Fact::Relative { kind, .. } => *fact = own.widened(variance[*kind]),
                    Fact::Steady { of, .. } => {
                        let pass = self.habits.partition_point(|first| first <= of) - 1;
                        *fact = own.widened(variance[ODOMETRY + pass]);
                    }
                    Fact::Known { .. } | Fact::Point { .. } => {}
                }
            }
            let still = before.iter().zip(&variance).all(|(b, v)| (v / b - 1.0).abs() < 0.05);
            if still && wrong.is_empty() && round > BY_THE_MIDDLE {
                break;
            }
        }
        self.known.graph.settle(false)?;
        Ok((variance.into_iter().map(f64::sqrt).collect(), self.known.graph.precision()?))
    }

    /// Whether so many marks contradict the walk that it is the walk which is worse than its profile says: people err on one mark,
    /// not on a third of them.
    fn worse_than_said(&self, wrong: &[usize]) -> bool {
        let marks = wrong.iter().filter(|k| self.known.marks.contains_key(k)).count();
        marks > 1 && 3 * marks > self.known.marks.len()
    }

    /// While wrong ties are still in, the squares of a kind say nothing of the right ones: the middle does.
    fn component(&self, said: &[Said], kind: usize, by_all: bool) -> f64 {
        if by_all {
            return self.known.graph.component(said, kind);
        }
        let of_kind = |k: usize| matches!(self.known.graph.facts[k], Fact::Relative { kind: own, .. } if own == kind);
        let mut squares: Vec<f64> = (0..said.len())
            .filter(|k| of_kind(*k) && said[*k].redundancy > 0.05 * said[*k].rows)
            .map(|k| said[k].square / said[k].redundancy * said[k].rows / chi2_quantile(0.5, said[k].rows as usize))
            .collect();
        if squares.len() < FEW { 1.0 } else { median(&mut squares).unwrap_or(1.0) }
    }

    fn out(&self, refused: &[Option<Refused>], factors: &[f64], settled: &Settled) -> Registered {
        let ties = self.known.fits.iter().map(|(number, (a, b, fit))| {
            let left_out = self.known.graph.left_out[*number];
            let relative = self.known.graph.poses[*a].inverse().compose(&self.known.graph.poses[*b]);
            let moved = relative.difference(&fit.relative).fixed_rows::<3>(0).into_owned();
            let off = self.known.graph.facts[*number].held_part(moved).norm();
            let of = self.bodies[*b].of.err().unwrap_or_default();
            TieOut { of, to: self.bodies[*a].of, rms: fit.rms, overlap: fit.overlap, off, left_out }
        });
        let mut ties: Vec<TieOut> = ties.collect();
        ties.sort_by_key(|t| (t.of, t.to.ok(), t.to.err()));
        let mut wrong_marks: Vec<(usize, usize)> =
            self.known.marks.iter().filter(|m| self.known.graph.left_out[*m.0]).map(|m| *m.1).collect();
        wrong_marks.sort_unstable();
        let passes = (0..self.passes.len())
            .map(|k| refused[k].map_or_else(|| Ok(self.pass(k, factors[ODOMETRY + k], settled)), Err));
        Registered { passes: passes.collect(), ties, factors: [factors[TO_STATIONS], factors[REVISITS]], wrong_marks }
    }

    fn pass(&self, k: usize, drifts: f64, settled: &Settled) -> PassOut {
        let PassIn { path, pieces, unit, .. } = &self.passes[k];
        let body = |i: usize| self.first[k] + i;
        let n = pieces.len();
        let Drift { walked, heading, turned, tilt } = unit.drift;
        let correction = Correction {
            times: pieces.iter().map(|p| p.time).collect(),
            places: pieces.iter().map(|p| p.place).collect(),
            poses: (0..n).map(|i| self.known.graph.poses[body(i)]).collect(),
            covariances: (0..n).map(|i| settled.covariances[body(i)]).collect(),
            cross: (1..n).map(|i| settled.cross.get(&(body(i - 1), body(i))).copied().unwrap_or_default()).collect(),
            walked: pieces.iter().map(|p| path.walked(p.time)).collect(),
            drift: Drift {
                walked: walked * drifts,
                heading: heading * drifts,
                turned: turned * drifts,
                tilt: tilt * drifts,
            },
        };
        let to: Vec<Vec3> = correction.poses.iter().map(|p| p.translation).collect();
        // a pass along one line says too little about its own tilt
        let rigid = fit(FitModel::Levelled, &correction.places, &to).map_or_else(|| alone(&correction), |f| f.pose);
        let off: Vec<f64> = (0..n).map(|i| correction.moved_against(&rigid, i).norm()).collect();
        let rms = (off.iter().map(|o| o * o).sum::<f64>() / n as f64).sqrt();
        let laid: Vec<Pose> = pieces.iter().map(|p| Pose { translation: rigid.apply(&p.place), ..rigid }).collect();
        PassOut {
            rigid,
            drifted: drifts,
            bends: [rms, off.iter().copied().fold(0.0, f64::max)],
            doubled: [doubled(pieces, &laid), doubled(pieces, &correction.poses)],
            correction,
        }
    }
}
