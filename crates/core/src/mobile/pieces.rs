use super::{TimedPoint, Trajectory};
use crate::cloud::{Order, WorkingCloud, working_from};
use crate::geometry::Vec3;
use crate::scan::Scan;
use rayon::prelude::*;

/// A stretch of a pass that is short enough to be rigid.
#[derive(Clone, Debug)]
pub struct Piece {
    /// When it begins and ends, seconds.
    pub span: [f64; 2],
    /// The time in its middle, seconds.
    pub time: f64,
    /// Where the unit was then, metres about the origin of the path: its own frame has its origin there, and the axes
    /// of the path.
    pub place: Vec3,
    /// Its surfaces, in its own frame.
    pub cloud: WorkingCloud,
    /// How many points it has.
    pub points: usize,
}

/// Longest piece, metres and seconds.
pub const LONGEST: [f64; 2] = [3.0, 5.0];

/// Cuts a pass. Points are in any order; what lies beyond `reach` metres from where the unit was is left out, and so is
/// what was measured before the path begins or after it ends.
pub fn pieces(path: &Trajectory, points: &[TimedPoint], reach: f64) -> Vec<Piece> {
    let [from, to] = path.span();
    let mut cuts = vec![from];
    for s in path.samples() {
        let last = cuts[cuts.len() - 1];
        if path.walked(s.time) - path.walked(last) >= LONGEST[0] || s.time - last >= LONGEST[1] {
            cuts.push(s.time);
        }
    }
    // what is left is a piece of its own when it is half of one
    if to - cuts[cuts.len() - 1] < LONGEST[1] / 2.0 && cuts.len() > 1 {
        cuts.pop();
    }
    cuts.push(to + 1e-9);
    let count = cuts.len() - 1;
    let mut of: Vec<Vec<u32>> = vec![Vec::new(); count];
    for (k, p) in points.iter().enumerate() {
        let cut = cuts.partition_point(|c| *c <= p.time);
        if cut > 0 && cut <= count {
            of[cut - 1].push(k as u32);
        }
    }
    of.into_par_iter()
        .enumerate()
        .map(|(k, mine)| {
            let span = [cuts[k], cuts[k + 1]];
            let time = f64::midpoint(span[0], span[1]);
            let place = path.place(time);
            let (mut times, mut local) = (Vec::with_capacity(mine.len()), Vec::with_capacity(mine.len()));
            for p in mine.iter().map(|k| points[*k as usize]) {
                let at = p.place() - place;
                if at.norm_squared() < reach * reach {
                    times.push(p.time);
                    local.push(at.map(|v| v as f32).into());
                }
            }
            let count = local.len();
            let scan = Scan { points: local, ..Scan::default() };
            let seen_from = |k: usize| path.place(times[k]) - place;
            let cloud = match count {
                0 => WorkingCloud::default(),
                _ => working_from(&scan, &Order::of(&scan), &seen_from).0,
            };
            Piece { span, time, place, cloud, points: count }
        })
        .collect()
}
