use super::extract::{self, Near, OFF, pieces, pool};
use super::fit::{Fitted, Known, Relation, Stand, fit};
use super::openings::{Between, between, covered, stretches};
use super::{Gap, Layer, Line, Opening, Round, Squared, round, square};
use crate::instrument::Instrument;
use crate::stats::K95_1D;
use nalgebra::Vector2;
use rayon::prelude::*;

/// The face of a wall, or of something that stands about, as a line on the plan.
#[derive(Clone, Debug, PartialEq)]
pub struct Face {
    /// Both ends, metres.
    pub ends: [Vector2<f64>; 2],
    /// Unit normal, towards where it is seen from.
    pub normal: Vector2<f64>,
    /// How far it may lie beside its place at both ends, across: 95 %, metres.
    pub error95: [f64; 2],
    /// Parts that scans show, metres from the first end.
    pub shown: Vec<[f64; 2]>,
    /// It reaches up above what stands about: a wall.
    pub high: bool,
    /// Of single spots about it, metres.
    pub rms: f64,
    /// Points that it rests on.
    pub points: u64,
    /// The scans that show it.
    pub scans: Vec<usize>,
}

/// Two faces with wall between them.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Wall {
    /// The faces.
    pub faces: [usize; 2],
    /// Thickness in the middle of what both have, and its 95 %, metres.
    pub thickness: [f64; 2],
    /// From where to where both are, along the first, metres from its first end.
    pub along: [f64; 2],
}

/// Where two faces meet.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Corner {
    /// The faces, and which end of each.
    pub faces: [(usize, usize); 2],
    /// Place, metres.
    pub at: Vector2<f64>,
    /// Angle between them on the side that is seen, radians, and its 95 %.
    pub angle: [f64; 2],
    /// Both were made square to one another.
    pub squared: bool,
}

/// A floor plan.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct FloorPlan {
    /// Faces of walls and of what stands about.
    pub faces: Vec<Face>,
    /// Faces that belong together.
    pub walls: Vec<Wall>,
    /// Where walls are open.
    pub openings: Vec<Opening>,
    /// Where nobody saw.
    pub gaps: Vec<Gap>,
    /// Where faces meet.
    pub corners: Vec<Corner>,
    /// Round columns.
    pub columns: Vec<Round>,
    /// What was made square.
    pub squared: Vec<Squared>,
}

/// Ends no farther than this from where lines cross meet there, metres.
const MEET: f64 = 0.3;
/// So much of a face is seen above what stands about where it is a wall.
const HIGH: f64 = 0.4;
/// Thicknesses of walls, metres.
const THICK: [f64; 2] = [0.03, 0.9];
/// Shorter parts that nobody saw are taken to be as what is beside them, metres.
const HIDDEN: f64 = 0.5;
/// Something that leaves a face on the side that it is seen from is no reveal, metres.
const SIDE: f64 = 0.3;
/// Both sides of something thinner are one line.
const SHEET: f64 = 0.025;

/// A line and where it is shown, along it.
type Shown = (Fitted, Vec<[f64; 2]>);

/// Draws the plan out of what scans show at a level.
///
/// Straight pieces are found in what all show together; each line is then fitted to what every scan shows of it, with the
/// uncertainty of the scans' places. Lines are made square only where that is within what they are known by. Lengths in
/// metres, in the frame that the slabs were cut in; `height` is that of the cut.
pub fn floor_plan(
    layers: &[Layer],
    stands: &[Stand],
    relation: Relation,
    instrument: &Instrument,
    height: f64,
) -> FloorPlan {
    let known = Known { layers, stands, relation, instrument, height };
    let spots = pool(layers, stands);
    let near = Near::new(&spots);
    let (found, left) = pieces(&spots, &near);
    let lines = extract::together(found);
    let on = |line: &Line| {
        let seen = |s: &&extract::Pooled| line.normal.dot(&s.towards) > 0.0;
        covered(line, spots.iter().filter(seen).map(|s| s.at), OFF)
    };
    let fitted: Vec<Shown> = lines
        .par_iter()
        .filter_map(|(line, parts)| {
            let limits = [
                parts.iter().map(|p| p[0]).fold(f64::MAX, f64::min),
                parts.iter().map(|p| p[1]).fold(f64::MIN, f64::max),
            ];
            // lines that cross it leave spots on it: only what its own pieces reach
            let shown = stretches(on(line), [limits[0] - 0.05, limits[1] + 0.05]);
            let own: Vec<[f64; 2]> =
                shown.into_iter().filter(|s| parts.iter().any(|p| s[0] < p[1] && s[1] > p[0])).collect();
            let f = fit(&known, line, &own)?;
            let again = |t: f64| f.line.t(&line.point(t));
            let own = own.iter().map(|s| [again(s[0]), again(s[1])]).collect();
            Some((f, own))
        })
        .collect();
    let whole = apart(&sheets(fitted)).into_par_iter().filter_map(|(f, parts, cut)| {
        let f = if cut { fit(&known, &f.line, &parts)? } else { f };
        Some((f, parts))
    });
    let (mut lines, shown): (Vec<Fitted>, Vec<Vec<[f64; 2]>>) = whole.collect::<Vec<_>>().into_iter().unzip();
    let mut ends: Vec<[f64; 2]> = shown.iter().map(|s| [s[0][0], s[s.len() - 1][1]]).collect();
    let squared = square::square(&mut lines, &ends);
    let corners = corners(&lines, &mut ends, &squared);
    let mut plan = FloorPlan { corners, squared, ..FloorPlan::default() };
    for (k, (l, parts)) in lines.iter().zip(&shown).enumerate() {
        let from = ends[k][0];
        for b in between(&l.line, parts, layers, stands) {
            match b {
                Between::Open { along, along95, to_the_floor } => plan.openings.push(Opening {
                    face: k,
                    behind: None,
                    along: along.map(|t| t - from),
                    along95,
                    to_the_floor,
                }),
                // what a pipe or a post hides is no gap in a wall
                Between::NotSeen(t) if t[1] - t[0] < HIDDEN => {}
                Between::NotSeen(t) => plan.gaps.push(Gap { face: k, along: t.map(|t| t - from) }),
            }
        }
        let high = covered(&l.line, layers.iter().flat_map(|l| &l.high).map(|s| s.at), 2.0 * OFF);
        let (mut above, mut all) = (0, 0);
        for p in parts {
            let n = ((p[1] - p[0]) / 0.1).ceil().max(1.0) as usize;
            let mut cells = vec![false; n];
            for t in high.iter().filter(|t| (p[0]..p[1]).contains(*t)) {
                cells[(((t - p[0]) / 0.1) as usize).min(n - 1)] = true;
            }
            above += cells.iter().filter(|c| **c).count();
            all += n;
        }
        let error = |t: f64| {
            let c = &l.covariance;
            K95_1D * (c[(0, 0)] + 2.0 * t * c[(0, 1)] + t * t * c[(1, 1)]).max(0.0).sqrt()
        };
        plan.faces.push(Face {
            ends: ends[k].map(|t| l.line.point(t)),
            normal: l.line.normal,
            error95: ends[k].map(error),
            shown: parts.iter().map(|p| p.map(|t| (t - from).clamp(0.0, ends[k][1] - from))).collect(),
            high: above as f64 >= HIGH * all as f64,
            rms: l.rms,
            points: l.points,
            scans: l.scans.clone(),
        });
    }
    plan.walls = walls(&known, &lines, &ends, &plan.faces);
    for o in 0..plan.openings.len() {
        plan.openings[o].behind = behind(&plan, &lines, &ends, o);
    }
    plan.columns = round::columns(&spots, &left, &near, &known);
    plan
}

/// Parts of one line belong to walls of their own where another wall leaves it between them: rooms on both sides of a
/// corridor may end on one line. The reveals of an opening leave it too, but no farther than a wall is thick. Tells which
/// were cut.
fn apart(all: &[Shown]) -> Vec<(Fitted, Vec<[f64; 2]>, bool)> {
    let ends: Vec<[Vector2<f64>; 2]> =
        all.iter().map(|(f, p)| [p[0][0], p[p.len() - 1][1]].map(|t| f.line.point(t))).collect();
    let leaves = |line: &Line, t: f64| {
        ends.iter().any(|e| {
            let off = e.map(|e| line.off(&e));
            let crosses = (e[1] - e[0]).dot(&line.normal).abs() > 0.5 * (e[1] - e[0]).norm();
            let meets = |k: usize| off[k].abs() < MEET && (line.t(&e[k]) - t).abs() < MEET;
            crosses
                && ((meets(0) && (off[1] > SIDE || off[1] < -THICK[1]))
                    || (meets(1) && (off[0] > SIDE || off[0] < -THICK[1])))
        })
    };
    // another wall runs through between them
    let crossed = |line: &Line, gap: [f64; 2]| {
        all.iter().any(|(o, parts)| {
            let Some(at) = line.crossing(&o.line) else { return false };
            let (t, s) = (line.t(&at), o.line.t(&at));
            let runs = |p: &[f64; 2]| p[0] < s - SIDE && p[1] > s + SIDE;
            t > gap[0] - OFF && t < gap[1] + OFF && parts.iter().any(runs)
        })
    };
    let mut out = Vec::new();
    for (f, parts) in all {
        let mut group: Vec<[f64; 2]> = Vec::new();
        let mut groups = Vec::new();
        for p in parts {
            if let Some(last) = group.last()
                && (leaves(&f.line, last[1]) || leaves(&f.line, p[0]) || crossed(&f.line, [last[1], p[0]]))
            {
                groups.push(std::mem::take(&mut group));
            }
            group.push(*p);
        }
        groups.push(group);
        let cut = groups.len() > 1;
        out.extend(groups.into_iter().map(|g| (f.clone(), g, cut)));
    }
    out
}

/// Fits a line that was drawn by hand, no more than some centimetres off, to what scans show along it; its ends stay as
/// far along as they are. None where too little of a face lies there. Arguments as in [`floor_plan`].
pub fn fit_line(
    layers: &[Layer],
    stands: &[Stand],
    relation: Relation,
    instrument: &Instrument,
    height: f64,
    ends: [Vector2<f64>; 2],
) -> Option<Face> {
    let known = Known { layers, stands, relation, instrument, height };
    let left = Vector2::new(ends[0].y - ends[1].y, ends[1].x - ends[0].x);
    let seen = |side: Vector2<f64>| {
        let mine = |s: &&(&Layer, &Stand)| (s.1.pose.translation.xy() - ends[0]).dot(&side) > 0.0;
        let spots: Vec<Vector2<f64>> = layers
            .iter()
            .zip(stands)
            .collect::<Vec<_>>()
            .iter()
            .filter(mine)
            .flat_map(|s| &s.0.cut)
            .map(|s| s.at)
            .collect();
        let line = extract::drawn_to(&spots, ends, &side)?;
        let t = ends.map(|e| line.t(&e));
        let along = [t[0].min(t[1]), t[0].max(t[1])];
        let shown = stretches(covered(&line, spots.iter().copied(), OFF), along);
        let f = fit(&known, &line, &shown)?;
        Some((f, shown))
    };
    // of the two sides that it may be seen from, the one that is known by more
    let (f, shown) = [seen(left), seen(-left)].into_iter().flatten().max_by_key(|s| s.0.points)?;
    let t = ends.map(|e| f.line.t(&e));
    let error = |t: f64| {
        let c = &f.covariance;
        K95_1D * (c[(0, 0)] + 2.0 * t * c[(0, 1)] + t * t * c[(1, 1)]).max(0.0).sqrt()
    };
    let from = t[0].min(t[1]);
    Some(Face {
        ends: t.map(|t| f.line.point(t)),
        normal: f.line.normal,
        error95: t.map(error),
        shown: shown.iter().map(|p| p.map(|t| t - from)).collect(),
        high: true,
        rms: f.rms,
        points: f.points,
        scans: f.scans,
    })
}

/// Both sides of what is too thin to have two are one line: the one that is known better.
fn sheets(mut all: Vec<Shown>) -> Vec<Shown> {
    let length = |s: &[[f64; 2]]| s.iter().map(|p| p[1] - p[0]).sum::<f64>();
    all.sort_by(|a, b| length(&b.1).total_cmp(&length(&a.1)));
    let mut out: Vec<Shown> = Vec::new();
    for (f, parts) in all.into_iter().filter(|a| !a.1.is_empty()) {
        let ends = [parts[0][0], parts[parts.len() - 1][1]].map(|t| f.line.point(t));
        let one = |o: &Shown| {
            let (a, b) = (o.0.line.t(&ends[0]), o.0.line.t(&ends[1]));
            let (lo, hi) = (a.min(b), a.max(b));
            let shared: f64 = o.1.iter().map(|p| (p[1].min(hi) - p[0].max(lo)).max(0.0)).sum();
            ends.iter().all(|e| o.0.line.off(e).abs() < SHEET) && shared > 0.5 * (hi - lo)
        };
        if !out.iter().any(one) {
            out.push((f, parts));
        }
    }
    out
}

/// Where ends meet; the ends are moved there.
fn corners(lines: &[Fitted], ends: &mut [[f64; 2]], squared: &[Squared]) -> Vec<Corner> {
    let mut near: Vec<(f64, Corner)> = Vec::new();
    for i in 0..lines.len() {
        for j in i + 1..lines.len() {
            let (a, b) = (&lines[i].line, &lines[j].line);
            let Some(at) = a.crossing(b) else { continue };
            let end = |k: usize, l: &Line| {
                let t = l.t(&at);
                let d = ends[k].map(|e| (e - t).abs());
                if d[0] < d[1] { (0, d[0]) } else { (1, d[1]) }
            };
            let ((e, d), (f, g)) = (end(i, a), end(j, b));
            if d > MEET || g > MEET {
                continue;
            }
            // away from the corner along each
            let out = |l: &Line, e: usize| if e == 0 { l.along } else { -l.along };
            let (u, v) = (out(a, e), out(b, f));
            let between = u.dot(&v).clamp(-1.0, 1.0).acos();
            // seen from inside, or from outside
            let angle = if a.normal.dot(&v) > 0.0 { between } else { std::f64::consts::TAU - between };
            let sigma = (lines[i].covariance[(1, 1)] + lines[j].covariance[(1, 1)]).sqrt();
            let both = squared.iter().any(|s| s.faces.contains(&i) && s.faces.contains(&j));
            let c = Corner { faces: [(i, e), (j, f)], at, angle: [angle, K95_1D * sigma], squared: both };
            near.push((d.max(g), c));
        }
    }
    near.sort_by(|a, b| a.0.total_cmp(&b.0));
    let mut taken = std::collections::HashSet::new();
    let mut out = Vec::new();
    for (_, c) in near {
        if c.faces.iter().any(|f| taken.contains(f)) {
            continue;
        }
        taken.extend(c.faces);
        for (k, e) in c.faces {
            ends[k][e] = lines[k].line.t(&c.at);
        }
        out.push(c);
    }
    out
}

/// Faces with wall between them: turned away from one another, nothing nearer.
fn walls(known: &Known, lines: &[Fitted], ends: &[[f64; 2]], faces: &[Face]) -> Vec<Wall> {
    let mut out: Vec<Wall> = Vec::new();
    for i in 0..lines.len() {
        for j in i + 1..lines.len() {
            let (a, b) = (&lines[i], &lines[j]);
            if a.line.normal.dot(&b.line.normal) > -0.9994 || !faces[i].high || !faces[j].high {
                continue;
            }
            let t = ends[j].map(|e| a.line.t(&b.line.point(e)));
            let along = [ends[i][0].max(t[0].min(t[1])), ends[i][1].min(t[0].max(t[1]))];
            let middle = f64::midpoint(along[0], along[1]);
            // the distance across, in the middle of what both have
            let here = a.line.point(middle);
            let thick = -b.line.off(&here);
            if along[1] - along[0] < 0.3 || !(THICK[0]..THICK[1]).contains(&thick) {
                continue;
            }
            let at = |l: &Fitted, c: &nalgebra::Matrix2<f64>| {
                let t = l.line.t(&here);
                c[(0, 0)] + 2.0 * t * c[(0, 1)] + t * t * c[(1, 1)]
            };
            let beside = if a.first == b.first {
                Some(nalgebra::Matrix2::zeros())
            } else {
                known.beside(&b.line, a.first, b.first)
            };
            let variance = match (&a.own, &b.own, beside) {
                (Some(p), Some(q), Some(r)) => at(a, p) + at(b, q) + at(b, &r),
                _ => at(a, &a.covariance) + at(b, &b.covariance),
            };
            // ranges that are too long push both faces apart
            let variance = variance.max(0.0) + 2.0 * a.range * b.range;
            let from = ends[i][0];
            out.push(Wall {
                faces: [i, j],
                thickness: [thick, K95_1D * variance.sqrt()],
                along: along.map(|t| t - from),
            });
        }
    }
    // a face bounds one wall at a place: the thinnest
    out.sort_by(|a, b| a.thickness[0].total_cmp(&b.thickness[0]));
    let mut kept: Vec<Wall> = Vec::new();
    for w in out {
        let taken = |k: &Wall| {
            k.faces[0] == w.faces[0] && k.along[0] < w.along[1] - 0.1 && k.along[1] > w.along[0] + 0.1
                || k.faces[1] == w.faces[1] && k.faces[0] != w.faces[0] && {
                    let l = &lines[w.faces[1]].line;
                    let span = |x: &Wall| {
                        let a = &lines[x.faces[0]].line;
                        let t = x.along.map(|s| l.t(&a.point(s + ends[x.faces[0]][0])));
                        [t[0].min(t[1]), t[0].max(t[1])]
                    };
                    let (p, q) = (span(k), span(&w));
                    p[0] < q[1] - 0.1 && p[1] > q[0] + 0.1
                }
        };
        if !kept.iter().any(taken) {
            kept.push(w);
        }
    }
    kept
}

/// The other face of the wall, where it is open at the same place.
fn behind(plan: &FloorPlan, lines: &[Fitted], ends: &[[f64; 2]], o: usize) -> Option<usize> {
    let of = &plan.openings[o];
    let across = |w: &Wall| match w.faces {
        [a, b] if a == of.face => Some(b),
        [a, b] if b == of.face => Some(a),
        _ => None,
    };
    let middle = lines[of.face].line.point(ends[of.face][0] + f64::midpoint(of.along[0], of.along[1]));
    plan.walls.iter().filter_map(across).find(|b| {
        let t = lines[*b].line.t(&middle) - ends[*b][0];
        plan.openings.iter().any(|p| p.face == *b && (p.along[0]..p.along[1]).contains(&t))
    })
}
