//! A pass that may lie in several places: each is followed to its end, and scans and passes that stand say which of them cannot
//! be.

use super::register::State;
use super::{Anchor, Refused};
use crate::geometry::Pose;
use crate::tie::{Seen, Shown};
use rayon::prelude::*;

/// Places of each piece that the scans are asked about.
const ASKED: usize = 300;
/// What lies so far before a surface that a scan saw was seen through, metres: a pass that grew along its ties is bent by less.
const CLEAR: f64 = 0.12;
/// The same of what a pass saw through, from where it walked.
const CLEAR_TO_PASSES: f64 = 0.3;
/// One place is right when of what the scans can speak of, they saw through this much more in every other, and so many times
/// as much. What moved since, and edges, speak against all places alike.
const MORE: f64 = 0.004;
const TIMES: f64 = 2.0;
/// Of several places that look alike the right one may be missing: the best is none where so much was seen through. Right places
/// had 0.0148 at most (bushes in a yard), wrong ones 0.07 to 0.5.
const WRONG: f64 = 0.04;
/// The same of a place that has no rival, on a site where things moved.
const WRONG_ALONE: f64 = 0.1;

impl State<'_> {
    /// Grows a pass from where it may begin; where there are several places, all of it decides. `None` when it was stopped.
    pub(super) fn grow_from(
        &mut self,
        anchors: &[Anchor<'_>],
        pass: usize,
        starts: &[(usize, Pose)],
        go_on: &dyn Fn(f64) -> bool,
    ) -> Option<Result<(), Refused>> {
        let pieces = self.passes[pass].pieces.len().max(1) as f64;
        if let [(piece, pose)] = starts {
            let before = self.known.clone();
            self.grow(pass, *piece, *pose, &mut |n| go_on(n as f64 / pieces))?;
            let told = self.passes[pass].start.is_some() || self.by_marks(pass).is_some();
            if !told && self.seen_through(anchors, &[], pass) > WRONG_ALONE {
                self.known = before;
                return Some(Err(Refused::NoPlace));
            }
            return Some(Ok(()));
        }
        let before = self.known.clone();
        let walked = self.walked();
        let mut tried = Vec::new();
        for (k, (piece, pose)) in starts.iter().enumerate() {
            self.known = before.clone();
            self.grow(pass, *piece, *pose, &mut |n| go_on((k as f64 + n as f64 / pieces) / starts.len() as f64))?;
            tried.push((self.seen_through(anchors, &walked, pass), self.known.clone()));
            // two that nothing speaks against: no third is better by enough
            if tried.iter().filter(|t| t.0 <= MORE).count() > 1 {
                self.known = before;
                return Some(Err(Refused::NoPlace));
            }
        }
        tried.sort_by(|a, b| a.0.total_cmp(&b.0));
        let mut tried = tried.into_iter();
        let (Some((best, known)), Some((next, _))) = (tried.next(), tried.next()) else {
            return Some(Err(Refused::NoPlace));
        };
        let clear = best <= WRONG && next > best + MORE && next > TIMES * best;
        self.known = if clear { known } else { before };
        Some(if clear { Ok(()) } else { Err(Refused::NoPlace) })
    }

    /// Of what scans and other passes can speak of, the share that they saw through where a pass now lies.
    fn seen_through(&self, anchors: &[Anchor<'_>], walked: &[(Shown, Pose)], pass: usize) -> f64 {
        let first = self.first[pass];
        let of = |(k, piece): (usize, &super::Piece)| {
            let at = self.known.graph.poses[first + k];
            let step = (piece.cloud.points.len() / ASKED).max(1);
            let places: Vec<_> = piece.cloud.placed(&at).step_by(step).map(|p| p.0).collect();
            let (mut surface, mut through) = (0.0, 0.0);
            let mut count = |seen: Seen| match seen {
                Seen::Surface => surface += 1.0,
                Seen::Through => through += 1.0,
                Seen::Unknown => {}
            };
            for a in anchors {
                let back = a.pose.inverse();
                for p in &places {
                    count(a.shown.sight.look(&back.apply(p), CLEAR));
                }
            }
            for (shown, at) in walked {
                let back = at.inverse();
                for p in &places {
                    count(shown.sight.look(&back.apply(p), CLEAR_TO_PASSES));
                }
            }
            [surface, through]
        };
        let sum = |a: [f64; 2], b: [f64; 2]| [a[0] + b[0], a[1] + b[1]];
        let [surface, through] = self.passes[pass].pieces.par_iter().enumerate().map(of).reduce(|| [0.0; 2], sum);
        through / f64::max(surface + through, 1.0)
    }
}
