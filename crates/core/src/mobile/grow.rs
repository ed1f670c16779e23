//! A pass from the piece that is placed on: each tied to what it comes by.

use super::graph::{Fact, Graph};
use super::place;
use super::register::{ODOMETRY, REVISITS, State, TO_STATIONS};
use super::revisits::tie;
use super::{Habits, LEANS, PassIn, STEADY};
use crate::geometry::Pose;
use crate::tie::CloudFit;
use nalgebra::{Matrix6, Vector6};
use rayon::prelude::*;

/// Stations a piece is tied to at most.
pub const STATIONS: usize = 2;
/// And pieces of other visits.
pub const VISITS: usize = 3;
/// Pieces so near in the order are one visit.
pub const VISIT: usize = 8;
/// And so near they are the same look at a place: nothing new is said by them.
pub const BESIDE: usize = 3;
/// Share of a piece that must lie where the other has surfaces, coarsely, for a tie to be tried.
const MAY_SHARE: f64 = 0.35;
/// Pieces after which all that is known is put together again on the way.
const EVERY: usize = 6;
/// What is not known of a piece that follows one that is, metres.
const ON_THE_WAY: f64 = 0.3;
/// And of a place that is come back to, for a metre walked since.
const COMES_BACK: f64 = 0.008;
/// A direction that is held no better than this says nothing, 1σ, metres,
const HARDLY: f64 = 0.025;
/// nor one that is off by so many times what the clouds bend;
const MAGNIFIED: f64 = 2.0;
/// a turn by what it does so far away, metres.
const LEVER: f64 = 3.0;

/// Directions that are held so badly that they count as not held: a fence holds the way along it by its corners alone, and clouds
/// that bend slide by half a metre along it to make up for some millimetres. `bends` in metres.
fn hardly_held(covariance: &Matrix6<f64>, bends: f64) -> Matrix6<f64> {
    let scale = Matrix6::from_diagonal(&Vector6::from_fn(|k, _| if k < 3 { 1.0 } else { 1.0 / LEVER }));
    let inverse = Matrix6::from_diagonal(&scale.diagonal().map(|s| 1.0 / s));
    let eigen = (inverse * covariance * inverse).symmetric_eigen();
    let least = HARDLY.max(MAGNIFIED * bends);
    let loose = (0..6).filter(|k| eigen.eigenvalues[*k] > least * least);
    loose.map(|k| scale * eigen.eigenvectors.column(k)).map(|v| v * v.transpose()).sum()
}

impl State<'_> {
    /// Places all pieces of a pass, from one of them on both ways.
    pub(super) fn grow(
        &mut self,
        pass: usize,
        from: usize,
        pose: Pose,
        go_on: &mut dyn FnMut(usize) -> bool,
    ) -> Option<()> {
        let (first, pieces) = (self.first[pass], self.passes[pass].pieces);
        // where nothing stands, the first pass is the frame; else this is far weaker than any tie
        let alone = !self.known.placed.contains(&true) && self.by_marks(pass).is_none();
        self.known.graph.poses[first + from] = pose;
        self.known.placed[first + from] = true;
        let weak = Matrix6::from_diagonal(&Vector6::new(1.0, 1.0, 1.0, LEANS.powi(2), LEANS.powi(2), 1.0));
        let covariance = if alone { Matrix6::identity() * 1e-10 } else { weak };
        self.known.graph.know(Fact::Known { of: first + from, pose, covariance });
        self.stand_on_marks(pass);
        let (mut since, mut tied) = (0, from);
        let after = from + 1..pieces.len();
        let order = std::iter::once(from).chain(after).chain((0..from).rev());
        for (n, k) in order.enumerate() {
            if n > 0 {
                let before = if k > from { k - 1 } else { k + 1 };
                let at = self.known.graph.poses[first + before];
                self.known.graph.poses[first + k] = place::by_odometry(&pieces[k], &pieces[before], &at);
                self.known.placed[first + k] = true;
                self.odometry(pass, k.min(before));
            }
            if k + 1 == from {
                tied = from;
            }
            let found = self.tie_to_all(first + k, self.on_the_way(pass, k, tied));
            since += found;
            if found > 0 {
                tied = k;
            }
            if since >= EVERY || n == 0 || k + 1 == pieces.len() {
                since = 0;
                self.settle_placed();
            }
            if !go_on(n) {
                return None;
            }
        }
        self.settle_placed();
        Some(())
    }

    /// How the unit says it went from a piece to the next.
    fn odometry(&mut self, pass: usize, k: usize) {
        let PassIn { path, pieces, unit, .. } = &self.passes[pass];
        let (a, b) = (&pieces[k], &pieces[k + 1]);
        let step = b.place - a.place;
        let seconds = b.time - a.time;
        let walked = path.walked(b.time) - path.walked(a.time);
        let covariance = unit.drift.covariance(&step, walked, seconds, path.turned(a.time, b.time));
        let from = self.first[pass] + k;
        let pose = Pose { translation: step, ..Pose::identity() };
        let habit = self.habits[pass] + ((a.time - path.span()[0]) / STEADY) as usize;
        let habit = Some((habit, Habits::step(&step, seconds)));
        self.known.graph.know(Fact::Relative {
            from,
            to: from + 1,
            pose,
            covariance,
            unheld: Matrix6::zeros(),
            kind: ODOMETRY + pass,
            habit,
        });
    }

    /// What is not known of a piece when the last one that something was tied to is behind it, metres.
    fn on_the_way(&self, pass: usize, k: usize, tied: usize) -> f64 {
        let PassIn { path, pieces, unit, .. } = &self.passes[pass];
        let (a, b) = (pieces[k.min(tied)].time, pieces[k.max(tied)].time);
        let step = pieces[k].place - pieces[tied].place;
        let c = unit.open(&step, path.walked(b) - path.walked(a), b - a, path.turned(a, b));
        ON_THE_WAY + 3.0 * c.fixed_view::<2, 2>(0, 0).trace().sqrt()
    }

    fn stand_on_marks(&mut self, pass: usize) {
        let PassIn { path, pieces, marks, .. } = &self.passes[pass];
        for (n, m) in marks.iter().enumerate() {
            let Some((k, local)) = m.noted.within(path, pieces) else { continue };
            let fact = Fact::Point { of: self.first[pass] + k, local, at: m.at, covariance: m.covariance };
            let number = self.known.graph.know(fact);
            self.known.marks.insert(number, (pass, n));
        }
    }

    /// What of two bodies may be tied, the most promising first, a few of each sort.
    pub(super) fn partners(&self, body: usize) -> Vec<usize> {
        let pose = self.known.graph.poses[body];
        let shares = |o: usize| {
            let relative = self.known.graph.poses[o].inverse().compose(&pose);
            self.bodies[o].footprint.shared(&self.bodies[body].footprint, &relative)
        };
        let near = |o: &usize| self.known.placed[*o] && *o != body && !self.beside(*o, body);
        let mut all: Vec<(f64, usize)> = (0..self.bodies.len())
            .into_par_iter()
            .filter(near)
            .map(|o| (shares(o), o))
            .filter(|s| s.0 > MAY_SHARE)
            .collect();
        all.sort_by(|a, b| b.0.total_cmp(&a.0));
        let mut out: Vec<usize> =
            all.iter().filter(|s| self.bodies[s.1].of.is_ok()).take(STATIONS).map(|s| s.1).collect();
        let mut visits: Vec<usize> = Vec::new();
        for (_, o) in all.into_iter().filter(|s| self.bodies[s.1].of.is_err()) {
            // of a stretch of pieces one speaks for all
            let told = |v: &usize| o.abs_diff(*v) < VISIT;
            if visits.len() < VISITS && !visits.iter().any(told) {
                visits.push(o);
            }
        }
        out.extend(visits);
        out
    }

    /// Whether two are pieces of one look at a place.
    fn beside(&self, a: usize, b: usize) -> bool {
        match (self.bodies[a].of, self.bodies[b].of) {
            (Err((p, i)), Err((q, j))) => p == q && i.abs_diff(j) < BESIDE,
            _ => false,
        }
    }

    /// Ties a body to what it shares most with; returns how many ties came of it.
    fn tie_to_all(&mut self, body: usize, within: f64) -> usize {
        let pairs: Vec<(usize, usize)> = self
            .partners(body)
            .into_iter()
            .map(|o| (o.min(body), o.max(body)))
            .filter(|p| !self.known.tried.contains_key(p))
            .collect();
        self.tie_pairs(pairs, within)
    }

    pub(super) fn tie_pairs(&mut self, pairs: Vec<(usize, usize)>, within: f64) -> usize {
        let of = |(a, b): (usize, usize)| {
            let start = self.known.graph.poses[a].inverse().compose(&self.known.graph.poses[b]);
            let within = if within < ON_THE_WAY { within } else { within.max(self.apart(a, b)) };
            ((a, b), tie(&self.ready(a), &self.ready(b), &start, within))
        };
        let found: Vec<_> = pairs.into_par_iter().map(of).collect();
        let mut ties = 0;
        for ((a, b), fit) in found {
            let number = fit.map(|fit| {
                ties += 1;
                self.know(a, b, fit)
            });
            self.known.tried.insert((a, b), number);
        }
        ties
    }

    /// What may have gone wrong between two visits, metres.
    fn apart(&self, a: usize, b: usize) -> f64 {
        match (self.bodies[a].of, self.bodies[b].of) {
            (Err((p, i)), Err((q, j))) if p == q => {
                let PassIn { path, pieces, unit, .. } = &self.passes[p];
                let worse = unit.drift.walked / 0.0028;
                COMES_BACK * worse * (path.walked(pieces[i].time) - path.walked(pieces[j].time)).abs()
            }
            _ => 0.0,
        }
    }

    fn know(&mut self, a: usize, b: usize, fit: CloudFit) -> usize {
        let kind = if self.bodies[a].of.is_ok() { TO_STATIONS } else { REVISITS };
        let blurred = [a, b].map(|k| self.blurred(k)).into_iter().flatten().sum::<Matrix6<f64>>();
        // what is held by little is drawn aside by how the two bend
        let covariance = fit.covariance + blurred + fit.bent * blurred[(0, 0)];
        let unheld = hardly_held(&covariance, blurred[(0, 0)].sqrt());
        let number = self.known.graph.know(Fact::Relative {
            from: a,
            to: b,
            pose: fit.relative,
            covariance,
            unheld,
            kind,
            habit: None,
        });
        self.known.fits.insert(number, (a, b, fit));
        number
    }

    /// A piece drifts within itself, and what of it is shared is not all of it.
    fn blurred(&self, body: usize) -> Option<Matrix6<f64>> {
        let (p, i) = self.bodies[body].of.err()?;
        let PassIn { path, pieces, unit, .. } = &self.passes[p];
        let [from, to] = pieces[i].span;
        let walked = path.walked(to) - path.walked(from);
        Some(unit.drift.blurred(walked, to - from, path.turned(from, to)))
    }

    /// Puts together all that is known so far of what is placed.
    fn settle_placed(&mut self) {
        // bodies without a place yet are no part of it
        let number: Vec<Option<usize>> = self
            .known
            .placed
            .iter()
            .scan(0, |n, p| {
                *n += usize::from(*p);
                Some(p.then(|| *n - 1))
            })
            .collect();
        let mut part = Graph { habits: self.known.graph.habits.clone(), ..Graph::default() };
        (0..self.bodies.len()).filter(|k| self.known.placed[*k]).for_each(|k| {
            part.add(self.known.graph.poses[k]);
        });
        for f in &self.known.graph.facts {
            let mut f = f.clone();
            let known = match &mut f {
                Fact::Known { of, .. } | Fact::Point { of, .. } => number[*of].map(|n| *of = n).is_some(),
                Fact::Relative { from, to, .. } => match (number[*from], number[*to]) {
                    (Some(a), Some(b)) => {
                        (*from, *to) = (a, b);
                        true
                    }
                    _ => false,
                },
                Fact::Steady { .. } => true,
            };
            if known {
                part.know(f);
            }
        }
        // what does not settle now may do so when more is known
        if part.settle(true).is_ok() {
            for (k, n) in number.iter().enumerate() {
                if let Some(n) = n {
                    self.known.graph.poses[k] = part.poses[*n];
                }
            }
            self.known.graph.habits = part.habits;
        }
    }
}
