use super::graph::{Fact, Graph, GraphError};
use super::place;
use super::ready::Ready;
use super::revisits::Footprint;
use super::{Anchor, PassIn, Piece, Refused, Registered, Which};
use crate::cloud::WorkingCloud;
use crate::geometry::{FitModel, Pose, Vec3, fit};
use crate::tie::{CloudFit, Prepared, Shown, Sight};
use nalgebra::Matrix6;
use rayon::prelude::*;
use std::collections::HashMap;
use std::sync::Arc;

/// Kinds of relations, each with a σ of its own; the odometry of each pass, from here on, is another: units drift as they like.
pub(super) const TO_STATIONS: usize = 0;
pub(super) const REVISITS: usize = 1;
pub(super) const ODOMETRY: usize = 2;

/// What is tied: an anchor or a piece.
pub(super) struct Body<'a> {
    cloud: &'a WorkingCloud,
    pub(super) footprint: Footprint,
    pub(super) of: Which,
}

pub(super) struct State<'a> {
    pub(super) passes: &'a [PassIn<'a>],
    pub(super) bodies: Vec<Body<'a>>,
    ready: Ready,
    /// The first body of each pass, and the first of its habits.
    pub(super) first: Vec<usize>,
    pub(super) habits: Vec<usize>,
    pub(super) known: SoFar,
}

/// What is known so far.
#[derive(Clone)]
pub(super) struct SoFar {
    pub(super) graph: Graph,
    /// Which bodies have a pose.
    pub(super) placed: Vec<bool>,
    /// Pairs that were tried, and which fact came of it.
    pub(super) tried: HashMap<(usize, usize), Option<usize>>,
    pub(super) fits: HashMap<usize, (usize, usize, CloudFit)>,
    pub(super) marks: HashMap<usize, (usize, usize)>,
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
    // where nothing stands, passes that known points hold say where the others are
    let mut order: Vec<usize> = (0..passes.len()).collect();
    order.sort_by_key(|k| anchors.is_empty() && s.by_marks(*k).is_none());
    for k in order {
        let pass = &passes[k];
        let on = |share: f64| go_on(0.7 * (done as f64 + share * pass.pieces.len() as f64) / count.max(1) as f64);
        match s.place(anchors, k) {
            Ok(starts) => refused[k] = s.grow_from(anchors, k, &starts, &on)?.err(),
            Err(why) => refused[k] = Some(why),
        }
        done += pass.pieces.len();
    }
    if refused.iter().all(Option::is_some) {
        let passes = refused.into_iter().flatten().map(Err).collect();
        return Some(Ok(Registered { passes, ties: Vec::new(), factors: [1.0; 2], wrong_marks: Vec::new() }));
    }
    s.finish(&refused, go_on)
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
        let body = |(cloud, of): (&'a WorkingCloud, _)| Body { footprint: Footprint::of(cloud), cloud, of };
        let bodies: Vec<Body<'a>> = clouds.into_par_iter().map(body).collect();
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
        let seconds = |p: &PassIn<'_>| p.path.span()[1] - p.path.span()[0];
        let habits = passes.iter().map(|p| p.unit.in_graph(&mut graph, seconds(p))).collect();
        Self {
            passes,
            bodies,
            ready: Ready::default(),
            first,
            habits,
            known: SoFar { graph, placed, tried: HashMap::new(), fits: HashMap::new(), marks: HashMap::new() },
        }
    }

    /// A body that is to be tied.
    pub(super) fn ready(&self, body: usize) -> Arc<Prepared> {
        self.ready.body(body, || Prepared::of(self.bodies[body].cloud))
    }

    /// Where a pass begins to be known, or may: at least one place.
    fn place(&self, anchors: &[Anchor<'_>], k: usize) -> Result<Vec<(usize, Pose)>, Refused> {
        let pass = &self.passes[k];
        let middle = pass.pieces.len() / 2;
        if pass.pieces.iter().all(|p| p.cloud.points.is_empty()) {
            return Err(Refused::Empty);
        }
        if let Some(start) = pass.start {
            let at = |i: usize| (i, Pose { translation: start.apply(&pass.pieces[i].place), ..start });
            // from where most is tied
            return Ok(vec![at(middle)]);
        }
        if let Some(start) = self.by_marks(k) {
            return Ok(vec![(middle, Pose { translation: start.apply(&pass.pieces[middle].place), ..start })]);
        }
        let walked = self.walked();
        let mut block: Vec<(&Shown, Pose)> = anchors.iter().map(|a| (a.shown, a.pose)).collect();
        block.extend(walked.iter().map(|(s, p)| (s, *p)));
        if block.is_empty() && self.passes.iter().any(|p| !p.marks.is_empty()) {
            return Err(Refused::FewMarks);
        }
        if block.is_empty() {
            return place::own_frame(pass.pieces).map(|own| vec![own]).ok_or(Refused::Empty);
        }
        Some(place::place(&block, pass.pieces)).filter(|p| !p.is_empty()).ok_or(Refused::NoPlace)
    }

    /// The frame of a path by the marks it stood on.
    pub(super) fn by_marks(&self, k: usize) -> Option<Pose> {
        let pass = &self.passes[k];
        let from: Vec<Vec3> = pass.marks.iter().map(|m| m.noted.place(pass.path)).collect();
        let to: Vec<Vec3> = pass.marks.iter().map(|m| m.at).collect();
        let wide = |p: &[Vec3]| p.iter().map(|q| (q - p[0]).xy().norm()).fold(0.0, f64::max);
        if from.len() < 2 || wide(&from) < 3.0 || wide(&to) < 3.0 {
            return None;
        }
        fit(FitModel::Levelled, &from, &to).map(|f| f.pose)
    }

    /// Pieces of passes that have their place, as what others may be placed by. One that came by where another did shows nothing
    /// new: there are as many as the site is large, however long it was walked.
    pub(super) fn walked(&self) -> Vec<(Shown, Pose)> {
        /// So many at most.
        const MOST: usize = 100;
        /// So far apart they show something else, metres.
        const ELSEWHERE: f64 = 2.5;
        let mut there: Vec<(&Piece, Pose)> = Vec::new();
        for (body, b) in self.bodies.iter().enumerate().filter(|(body, _)| self.known.placed[*body]) {
            let Err((pass, piece)) = b.of else { continue };
            let (piece, at) = (&self.passes[pass].pieces[piece], self.known.graph.poses[body]);
            if there.iter().all(|t| (t.1.translation - at.translation).norm() > ELSEWHERE) {
                there.push((piece, at));
            }
        }
        let shown = |(piece, at): (&Piece, Pose)| {
            let sight = Sight::coarse(&piece.cloud.points);
            (Shown::new(piece.cloud.clone(), sight), at)
        };
        // on a site too large for all, some all over it
        let step = there.len().div_ceil(MOST).max(1);
        there.into_par_iter().step_by(step).map(shown).collect()
    }
}
