use super::graph::{Fact, Graph, GraphError, Said, Settled};
use super::place;
use super::revisits::{Footprint, tie};
use super::{Correction, Doubled, Drift, Habits, LEANS, Piece, STEADY, Trajectory, Unit, doubled};
use crate::cloud::WorkingCloud;
use crate::geometry::{FitModel, Mat3, Pose, Vec3, fit};
use crate::stats::median;
use crate::tie::{CloudFit, Prepared, Shown};
use nalgebra::{Matrix6, Vector6};
use rayon::prelude::*;
use std::collections::HashMap;

/// A scan that stands, which passes are tied to.
#[derive(Clone, Debug)]
pub struct Anchor<'a> {
    /// What it shows.
    pub shown: &'a Shown,
    /// Its pose, in the frame that everything comes into.
    pub pose: Pose,
    /// By left increments, m² and rad².
    pub covariance: Matrix6<f64>,
}

/// A moment at which the unit stood on a point that is known.
#[derive(Clone, Debug, PartialEq)]
pub struct Mark {
    /// Seconds, by the clock of the path.
    pub time: f64,
    /// Where the unit was then, in the frame that everything comes into, metres.
    pub at: Vec3,
    /// Of that and of setting it down there, m².
    pub covariance: Mat3,
}

/// A pass as it is handed in.
#[derive(Clone, Debug)]
pub struct PassIn<'a> {
    /// Its path.
    pub path: &'a Trajectory,
    /// Cut by [`super::pieces`].
    pub pieces: &'a [Piece],
    /// What it was walked with.
    pub unit: &'a Unit,
    /// Where the frame of the path (about its origin) roughly lies, where somebody says it: right to half a metre and some
    /// degrees.
    pub start: Option<Pose>,
    /// Points it stood on.
    pub marks: &'a [Mark],
}

/// Why a pass has no place.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
pub enum Refused {
    /// Nothing of it was measured near its path.
    #[error("no point of the cloud lies near the path at its time")]
    Empty,
    /// No place in the block agrees with what it shows, or several do.
    #[error("what it shows agrees with no place, or with several alike")]
    NoPlace,
}

/// A pass that has its place.
#[derive(Clone, Debug)]
pub struct PassOut {
    /// What takes its points there.
    pub correction: Correction,
    /// The one placement of the whole, turned about the vertical and shifted, that comes nearest.
    pub rigid: Pose,
    /// How far the path bends away from that: root mean square and most, metres.
    pub bends: [f64; 2],
    /// Surfaces that lie double before and after, over all that were seen twice.
    pub doubled: [Doubled; 2],
}

/// An anchor, or a pass and its piece.
pub type Which = Result<usize, (usize, usize)>;

/// A tie that was found.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct TieOut {
    /// The pass and its piece.
    pub of: (usize, usize),
    /// What it was tied to: an anchor, or a piece of a pass.
    pub to: Which,
    /// Robust scatter of the surfaces, metres.
    pub rms: f64,
    /// Share of the surfaces of the piece that lie on the other's.
    pub overlap: f64,
    /// Its residual in the place, metres.
    pub off: f64,
    /// Contradicts all others, and does not count.
    pub left_out: bool,
}

/// What came of passes.
#[derive(Clone, Debug)]
pub struct Registered {
    /// Each pass, in the order given.
    pub passes: Vec<Result<PassOut, Refused>>,
    /// All ties.
    pub ties: Vec<TieOut>,
    /// By how much the units lost their way more than their profile says (of σ), ties to stations scatter more, and ties
    /// of passes with themselves and one another.
    pub factors: [f64; 3],
    /// Marks that contradict the rest: pass and mark.
    pub wrong_marks: Vec<(usize, usize)>,
}

/// Kinds of relations, each with a σ of its own.
const ODOMETRY: usize = 0;
const TO_STATIONS: usize = 1;
const REVISITS: usize = 2;

/// Stations a piece is tied to at most, and pieces of other visits.
const STATIONS: usize = 2;
const VISITS: usize = 3;
/// Pieces so near in the order are one visit.
const VISIT: usize = 8;
/// And so near they are the same look at a place: nothing new is said by them.
const BESIDE: usize = 3;
/// Share of a piece that must lie where the other has surfaces, coarsely, for a tie to be tried.
const MAY_SHARE: f64 = 0.35;
/// Pieces after which all that is known is put together again on the way.
const EVERY: usize = 6;
/// What is not known of a piece that follows one that is, metres.
const ON_THE_WAY: f64 = 0.3;
/// And of a place that is come back to, for a metre walked since.
const COMES_BACK: f64 = 0.008;

/// Rounds of solving at most, and those in which σ are told by the middle of the residuals.
const ROUNDS: usize = 12;
const BY_THE_MIDDLE: usize = 4;
/// Fewer residuals have no middle.
const FEW: usize = 8;

/// What is tied: an anchor or a piece.
struct Body {
    prepared: Prepared,
    footprint: Footprint,
    of: Which,
}

struct State<'a> {
    passes: &'a [PassIn<'a>],
    bodies: Vec<Body>,
    /// The first body of each pass, and the first of its habits.
    first: Vec<usize>,
    habits: Vec<usize>,
    graph: Graph,
    /// Which bodies have a pose.
    placed: Vec<bool>,
    /// Pairs that were tried, and which fact came of it.
    tried: HashMap<(usize, usize), Option<usize>>,
    fits: HashMap<usize, (usize, usize, CloudFit)>,
    marks: HashMap<usize, (usize, usize)>,
}

/// Brings passes into the frame of scans that stand, and takes the drift out of them.
///
/// Where a stretch of a pass lies is found as for a scan ([`place_in_block`](crate::tie::place_in_block)); from there
/// it grows piece by piece, each tied to stations and to what was walked before by [`tie_clouds`](crate::tie::tie_clouds).
/// Then all of it is solved together, once more tied from where it came to lie, and what contradicts is left out. How
/// far the odometry can be trusted is not taken from the profile alone but found with the solution.
///
/// `go_on` hears what share is done and says whether to go on; `None` when it said no.
///
/// # Errors
/// [`GraphError`] when nothing holds the poses.
pub fn register(
    anchors: &[Anchor<'_>],
    passes: &[PassIn<'_>],
    go_on: &(dyn Fn(f64) -> bool + Sync),
) -> Option<Result<Registered, GraphError>> {
    let mut s = State::new(anchors, passes);
    let mut refused = vec![None; passes.len()];
    let count: usize = passes.iter().map(|p| p.pieces.len()).sum();
    let mut done = 0;
    for (k, pass) in passes.iter().enumerate() {
        match s.place(anchors, k) {
            Ok((piece, pose)) => {
                let mut on = |n: usize| go_on(0.7 * (done + n) as f64 / count.max(1) as f64);
                s.grow(k, piece, pose, &mut on)?;
            }
            Err(why) => refused[k] = Some(why),
        }
        done += pass.pieces.len();
    }
    if refused.iter().all(Option::is_some) {
        let passes = refused.into_iter().flatten().map(Err).collect();
        return Some(Ok(Registered { passes, ties: Vec::new(), factors: [1.0; 3], wrong_marks: Vec::new() }));
    }
    s.finish(&refused, go_on)
}

/// Lets a pass have habits, which wander as its unit's do; returns the number of the first.
fn habits(graph: &mut Graph, pass: &PassIn<'_>) -> usize {
    let first = graph.habits.len();
    let [from, to] = pass.path.span();
    for k in 0..=((to - from) / STEADY) as usize {
        graph.habits.push(Vector6::zeros());
        let before = k.checked_sub(1).map(|b| first + b);
        let sigma = pass.unit.habits.sigma(before.map(|_| STEADY));
        graph.know(Fact::Steady { of: first + k, before, sigma });
    }
    first
}

/// The frame of a path that says nothing of its own direction: by its first piece.
fn alone(c: &Correction) -> Pose {
    let first = c.poses[0];
    Pose { translation: first.apply(&-c.places[0]), ..first }
}

impl<'a> State<'a> {
    fn new(anchors: &[Anchor<'a>], passes: &'a [PassIn<'a>]) -> Self {
        let mut clouds: Vec<(&'a WorkingCloud, Which)> =
            anchors.iter().enumerate().map(|(k, a)| (&a.shown.cloud, Ok(k))).collect();
        let mut first = Vec::new();
        for (k, pass) in passes.iter().enumerate() {
            first.push(clouds.len());
            clouds.extend(pass.pieces.iter().enumerate().map(|(i, p)| (&p.cloud, Err((k, i)))));
        }
        let body = |(cloud, of): (&'a WorkingCloud, _)| Body {
            footprint: Footprint::of(cloud),
            prepared: Prepared::of(cloud),
            of,
        };
        let bodies: Vec<Body> = clouds.into_par_iter().map(body).collect();
        let mut graph = Graph::default();
        let mut placed = vec![false; bodies.len()];
        for (k, a) in anchors.iter().enumerate() {
            graph.add(a.pose);
            graph.know(Fact::Known { of: k, pose: a.pose, covariance: a.covariance + Matrix6::identity() * 1e-10 });
            placed[k] = true;
        }
        // poses of bodies without a place yet: found out where their turn comes
        (anchors.len()..bodies.len()).for_each(|_| {
            graph.add(Pose::identity());
        });
        let habits = passes.iter().map(|p| habits(&mut graph, p)).collect();
        Self {
            passes,
            bodies,
            first,
            habits,
            graph,
            placed,
            tried: HashMap::new(),
            fits: HashMap::new(),
            marks: HashMap::new(),
        }
    }

    /// Where a pass begins to be known.
    fn place(&self, anchors: &[Anchor<'_>], k: usize) -> Result<(usize, Pose), Refused> {
        let pass = &self.passes[k];
        let middle = pass.pieces.len() / 2;
        if pass.pieces.iter().all(|p| p.cloud.points.is_empty()) {
            return Err(Refused::Empty);
        }
        if let Some(start) = pass.start {
            let at = |i: usize| (i, Pose { translation: start.apply(&pass.pieces[i].place), ..start });
            // from where most is tied
            return Ok(at(middle));
        }
        if let Some(start) = self.by_marks(k) {
            return Ok((middle, Pose { translation: start.apply(&pass.pieces[middle].place), ..start }));
        }
        let walked: Vec<(Shown, Pose)> = (0..k).flat_map(|p| self.walked(p)).collect();
        let mut block: Vec<(&Shown, Pose)> = anchors.iter().map(|a| (a.shown, a.pose)).collect();
        block.extend(walked.iter().map(|(s, p)| (s, *p)));
        if block.is_empty() {
            return place::own_frame(pass.pieces).ok_or(Refused::Empty);
        }
        place::place(&block, pass.pieces).ok_or(Refused::NoPlace)
    }

    /// The frame of a path by the marks it stood on.
    fn by_marks(&self, k: usize) -> Option<Pose> {
        let pass = &self.passes[k];
        let from: Vec<Vec3> = pass.marks.iter().map(|m| pass.path.place(m.time)).collect();
        let to: Vec<Vec3> = pass.marks.iter().map(|m| m.at).collect();
        let wide = |p: &[Vec3]| p.iter().map(|q| (q - p[0]).xy().norm()).fold(0.0, f64::max);
        if from.len() < 2 || wide(&from) < 3.0 || wide(&to) < 3.0 {
            return None;
        }
        fit(FitModel::Levelled, &from, &to).map(|f| f.pose)
    }

    /// A pass that has its place, in stretches, as what others may be placed by.
    fn walked(&self, pass: usize) -> Vec<(Shown, Pose)> {
        const STRETCH: usize = 8;
        let pieces = self.passes[pass].pieces;
        let of = |(n, some): (usize, &[Piece])| {
            let body = self.first[pass] + n * STRETCH + some.len() / 2;
            self.placed[body].then(|| (place::shown(some), self.graph.poses[body]))
        };
        pieces.chunks(STRETCH).enumerate().filter_map(of).collect()
    }

    /// Places all pieces of a pass, from one of them on both ways.
    fn grow(&mut self, pass: usize, from: usize, pose: Pose, go_on: &mut dyn FnMut(usize) -> bool) -> Option<()> {
        let (first, pieces) = (self.first[pass], self.passes[pass].pieces);
        self.graph.poses[first + from] = pose;
        self.placed[first + from] = true;
        // where nothing stands, the first pass is the frame; else this is far weaker than any tie
        let alone = self.first[pass] == 0 && self.by_marks(pass).is_none();
        let weak = Matrix6::from_diagonal(&Vector6::new(1.0, 1.0, 1.0, LEANS.powi(2), LEANS.powi(2), 1.0));
        let covariance = if alone { Matrix6::identity() * 1e-10 } else { weak };
        self.graph.know(Fact::Known { of: first + from, pose, covariance });
        self.stand_on_marks(pass);
        let (mut since, mut tied) = (0, from);
        let after = from + 1..pieces.len();
        let order = std::iter::once(from).chain(after).chain((0..from).rev());
        for (n, k) in order.enumerate() {
            if n > 0 {
                let before = if k > from { k - 1 } else { k + 1 };
                let at = self.graph.poses[first + before];
                self.graph.poses[first + k] = place::by_odometry(&pieces[k], &pieces[before], &at);
                self.placed[first + k] = true;
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
        self.graph.know(Fact::Relative { from, to: from + 1, pose, covariance, kind: ODOMETRY, habit });
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
            let Some(k) = (0..pieces.len()).min_by(|a, b| {
                let off = |k: usize| (pieces[k].time - m.time).abs();
                off(*a).total_cmp(&off(*b))
            }) else {
                continue;
            };
            let local = path.place(m.time) - pieces[k].place;
            let fact = Fact::Point { of: self.first[pass] + k, local, at: m.at, covariance: m.covariance };
            let number = self.graph.know(fact);
            self.marks.insert(number, (pass, n));
        }
    }

    /// What of two bodies may be tied, the most promising first, a few of each sort.
    fn partners(&self, body: usize) -> Vec<usize> {
        let pose = self.graph.poses[body];
        let shares = |o: usize| {
            let relative = self.graph.poses[o].inverse().compose(&pose);
            self.bodies[o].footprint.shared(&self.bodies[body].footprint, &relative)
        };
        let near = |o: &usize| self.placed[*o] && *o != body && !self.beside(*o, body);
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
            .filter(|p| !self.tried.contains_key(p))
            .collect();
        self.tie_pairs(pairs, within)
    }

    fn tie_pairs(&mut self, pairs: Vec<(usize, usize)>, within: f64) -> usize {
        let of = |(a, b): (usize, usize)| {
            let start = self.graph.poses[a].inverse().compose(&self.graph.poses[b]);
            let within = if within < ON_THE_WAY { within } else { within.max(self.apart(a, b)) };
            ((a, b), tie(&self.bodies[a].prepared, &self.bodies[b].prepared, &start, within))
        };
        let found: Vec<_> = pairs.into_par_iter().map(of).collect();
        let mut ties = 0;
        for ((a, b), fit) in found {
            let number = fit.map(|fit| {
                ties += 1;
                self.know(a, b, fit)
            });
            self.tried.insert((a, b), number);
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
        let covariance = fit.covariance + blurred;
        let number =
            self.graph.know(Fact::Relative { from: a, to: b, pose: fit.relative, covariance, kind, habit: None });
        self.fits.insert(number, (a, b, fit));
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
            .placed
            .iter()
            .scan(0, |n, p| {
                *n += usize::from(*p);
                Some(p.then(|| *n - 1))
            })
            .collect();
        let mut part = Graph { habits: self.graph.habits.clone(), ..Graph::default() };
        (0..self.bodies.len()).filter(|k| self.placed[*k]).for_each(|k| {
            part.add(self.graph.poses[k]);
        });
        for f in &self.graph.facts {
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
                    self.graph.poses[k] = part.poses[*n];
                }
            }
            self.graph.habits = part.habits;
        }
    }

    /// Everything once more from where it came to lie, then the solution and what it says.
    fn finish(
        mut self,
        refused: &[Option<Refused>],
        go_on: &(dyn Fn(f64) -> bool + Sync),
    ) -> Option<Result<Registered, GraphError>> {
        const CLOSE: f64 = 0.1;
        // refused passes are no part of it: they hang on one another where nobody looks
        let loose: Vec<usize> = (0..self.bodies.len()).filter(|k| !self.placed[*k]).collect();
        for k in loose {
            self.graph.know(Fact::Known { of: k, pose: self.graph.poses[k], covariance: Matrix6::identity() });
        }
        // ties anew, all from near by: the first ones may have been drawn aside by what was not yet known
        let mut pairs: Vec<(usize, usize)> = (0..self.bodies.len())
            .into_par_iter()
            .filter(|k| self.placed[*k] && self.bodies[*k].of.is_err())
            .flat_map_iter(|k| self.partners(k).into_iter().map(move |o| (o.min(k), o.max(k))))
            .collect();
        pairs.sort_unstable();
        pairs.dedup();
        if !go_on(0.72) {
            return None;
        }
        let is_tie = |f: &Fact| matches!(f, Fact::Relative { kind, .. } if *kind != ODOMETRY);
        let marks: Vec<Option<(usize, usize)>> =
            (0..self.graph.facts.len()).map(|k| self.marks.get(&k).copied()).collect();
        let kept: Vec<(Fact, Option<(usize, usize)>)> =
            self.graph.facts.drain(..).zip(marks).filter(|(f, _)| !is_tie(f)).collect();
        (self.graph.left_out, self.fits, self.marks) = (Vec::new(), HashMap::new(), HashMap::new());
        for (fact, mark) in kept {
            let number = self.graph.know(fact);
            mark.map(|m| self.marks.insert(number, m));
        }
        self.tried.clear();
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
        Some(solved.map(|(factors, said)| self.out(refused, factors, &said)))
    }

    /// Solves with the σ that the residuals show, and without what contradicts.
    fn solve(&mut self) -> Result<([f64; 3], Settled), GraphError> {
        let mut variance = [1.0; 3];
        let stated = self.graph.facts.clone();
        for round in 0..ROUNDS {
            self.graph.settle(round < BY_THE_MIDDLE)?;
            let said = self.graph.precision()?.said;
            // the worst fifth at a time: one that is wrong makes its neighbours look wrong
            let mut wrong: Vec<usize> =
                self.graph.contradicting(&said).into_iter().filter(|k| self.graph.facts[*k].may_be_wrong()).collect();
            let worse = round < BY_THE_MIDDLE && self.worse_than_said(&wrong);
            if worse {
                wrong.clear();
            }
            for k in wrong.iter().take(wrong.len().div_ceil(5)) {
                self.graph.left_out[*k] = true;
            }
            let before = variance;
            for (kind, v) in variance.iter_mut().enumerate() {
                // no unit becomes much better than it is sold as by one walk that went well, and σ that ties state are not
                // made smaller: what they share beyond their pieces does not show in residuals
                let least = if kind == ODOMETRY { 0.7 } else { 1.0 };
                let by_all = worse && kind == ODOMETRY || round >= BY_THE_MIDDLE;
                *v = (*v * self.component(&said, kind, by_all)).clamp(least, 400.0);
            }
            for (fact, own) in self.graph.facts.iter_mut().zip(&stated) {
                match own {
                    Fact::Relative { kind, .. } => *fact = own.widened(variance[*kind]),
                    // a unit that went well by chance is not wont to do better than it is sold as
                    Fact::Steady { .. } => *fact = own.widened(variance[ODOMETRY].max(1.0)),
                    Fact::Known { .. } | Fact::Point { .. } => {}
                }
            }
            let still = before.iter().zip(variance).all(|(b, v)| (v / b - 1.0).abs() < 0.05);
            if still && wrong.is_empty() && round > BY_THE_MIDDLE {
                break;
            }
        }
        self.graph.settle(false)?;
        Ok((variance.map(f64::sqrt), self.graph.precision()?))
    }

    /// Whether so many marks contradict the walk that it is the walk which is worse than its profile says: people err on one mark,
    /// not on a third of them.
    fn worse_than_said(&self, wrong: &[usize]) -> bool {
        let marks = wrong.iter().filter(|k| self.marks.contains_key(k)).count();
        marks > 1 && 3 * marks > self.marks.len()
    }

    /// While wrong ties are still in, the squares of a kind say nothing of the right ones: the middle does.
    fn component(&self, said: &[Said], kind: usize, by_all: bool) -> f64 {
        if by_all {
            return self.graph.component(said, kind);
        }
        let of_kind = |k: usize| matches!(self.graph.facts[k], Fact::Relative { kind: own, .. } if own == kind);
        let mut squares: Vec<f64> = (0..said.len())
            .filter(|k| of_kind(*k) && said[*k].redundancy > 0.3)
            .map(|k| said[k].square / said[k].redundancy * 6.0)
            .collect();
        // the middle of the distribution of χ² with six degrees of freedom
        const MIDDLE: f64 = 5.348;
        if squares.len() < FEW { 1.0 } else { median(&mut squares).map_or(1.0, |m| m / MIDDLE) }
    }

    fn out(&self, refused: &[Option<Refused>], factors: [f64; 3], settled: &Settled) -> Registered {
        let ties = self.fits.iter().map(|(number, (a, b, fit))| {
            let left_out = self.graph.left_out[*number];
            let relative = self.graph.poses[*a].inverse().compose(&self.graph.poses[*b]);
            let off = relative.difference(&fit.relative).fixed_rows::<3>(0).norm();
            let of = self.bodies[*b].of.err().unwrap_or_default();
            TieOut { of, to: self.bodies[*a].of, rms: fit.rms, overlap: fit.overlap, off, left_out }
        });
        let mut ties: Vec<TieOut> = ties.collect();
        ties.sort_by_key(|t| (t.of, t.to.ok(), t.to.err()));
        let mut wrong_marks: Vec<(usize, usize)> =
            self.marks.iter().filter(|m| self.graph.left_out[*m.0]).map(|m| *m.1).collect();
        wrong_marks.sort_unstable();
        let passes = (0..self.passes.len())
            .map(|k| refused[k].map_or_else(|| Ok(self.pass(k, factors[ODOMETRY], settled)), Err));
        Registered { passes: passes.collect(), ties, factors, wrong_marks }
    }

    fn pass(&self, k: usize, drifts: f64, settled: &Settled) -> PassOut {
        let PassIn { path, pieces, unit, .. } = &self.passes[k];
        let body = |i: usize| self.first[k] + i;
        let n = pieces.len();
        let Drift { walked, heading, turned, tilt } = unit.drift;
        let correction = Correction {
            times: pieces.iter().map(|p| p.time).collect(),
            places: pieces.iter().map(|p| p.place).collect(),
            poses: (0..n).map(|i| self.graph.poses[body(i)]).collect(),
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
            bends: [rms, off.iter().copied().fold(0.0, f64::max)],
            doubled: [doubled(pieces, &laid), doubled(pieces, &correction.poses)],
            correction,
        }
    }
}
