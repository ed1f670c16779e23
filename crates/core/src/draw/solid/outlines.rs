//! Outlines of what stands on a plan: walls between their faces, and closed outlines of pillars and things.

use nalgebra::Vector2;

/// A part of a wall, seen from above.
#[derive(Clone, Debug, PartialEq)]
pub struct Piece {
    /// Its corners.
    pub outline: Vec<Vector2<f64>>,
    /// It lies over an opening.
    pub over_opening: bool,
}

type Line = [Vector2<f64>; 2];

/// Lines nearer to one another than this, across, are one face; ends so near meet, metres.
const ACROSS: f64 = 0.02;
const MEET: f64 = 0.06;
/// Sine of what counts as parallel.
const PARALLEL: f64 = 0.02;
/// Shorter parts are left out, metres.
const SHORTEST: f64 = 0.15;
/// A face may be so far from where its thickness is said, along it, metres.
const FAR: f64 = 5.0;
/// Round about a pillar at most, metres, and corners.
const ROUND: f64 = 8.0;
const CORNERS: usize = 8;

struct Face {
    at: Vector2<f64>,
    along: Vector2<f64>,
}

impl Face {
    fn of(l: &Line) -> Option<Self> {
        Some(Self { at: l[0], along: (l[1] - l[0]).try_normalize(1e-6)? })
    }

    fn off(&self, p: &Vector2<f64>) -> f64 {
        self.along.perp(&(p - self.at))
    }

    fn has(&self, l: &Line) -> bool {
        l.iter().all(|p| self.off(p).abs() < ACROSS)
    }

    fn interval(&self, l: &Line) -> [f64; 2] {
        let t = l.map(|p| self.along.dot(&(p - self.at)));
        [t[0].min(t[1]), t[0].max(t[1])]
    }

    fn gap(&self, l: &Line, p: &Vector2<f64>) -> f64 {
        let ([a, b], t) = (self.interval(l), self.along.dot(&(p - self.at)));
        (a - t).max(t - b).max(0.0)
    }
}

/// Walls between two faces each: drawn lines, where thicknesses are said (place and thickness), and openings.
pub fn pieces(lines: &[Line], thicknesses: &[(Vector2<f64>, f64)], openings: &[Line]) -> Vec<Piece> {
    let mut out: Vec<Piece> = Vec::new();
    for (at, thick) in thicknesses {
        // the face on either side that is nearest to where the thickness is said
        let mut sides: [Option<(f64, &Line, Face)>; 2] = [None, None];
        for l in lines {
            let Some(face) = Face::of(l) else { continue };
            let (off, gap) = (face.off(at), face.gap(l, at));
            if (off.abs() - thick / 2.0).abs() > ACROSS || gap > FAR {
                continue;
            }
            let first = sides[0].as_ref();
            // the side is told against the first one found
            let same = first.is_none_or(|f| {
                let d = f.2.along;
                f.2.off(at) * off * d.dot(&face.along).signum() > 0.0
            });
            if first.is_some_and(|f| f.2.along.perp(&face.along).abs() > PARALLEL) {
                continue;
            }
            let side = &mut sides[usize::from(!same)];
            if side.as_ref().is_none_or(|s| gap < s.0) {
                *side = Some((gap, l, face));
            }
        }
        let [Some((_, _, a)), Some((_, _, b))] = sides else { continue };
        let across = a.along.perp(&(b.at - a.at));
        let normal = Vector2::new(-a.along.y, a.along.x);
        let of = |f: &Face, lines: &[Line]| -> Vec<[f64; 2]> {
            lines.iter().filter(|l| f.has(l)).map(|l| a.interval(l)).collect()
        };
        let outline = |[t0, t1]: [f64; 2]| {
            let p = |t: f64| a.at + a.along * t;
            // the other face need not be quite parallel
            let q = |t: f64| {
                let p = p(t);
                let off = b.off(&p) / b.along.dot(&a.along);
                p + normal * (-off).abs().copysign(across)
            };
            vec![p(t0), p(t1), q(t1), q(t0)]
        };
        let mut add = |t: [f64; 2], over_opening: bool| {
            let piece = Piece { outline: outline(t), over_opening };
            let middle = |p: &Piece| p.outline.iter().sum::<Vector2<f64>>() / p.outline.len() as f64;
            let there = out.iter().any(|o| (middle(o) - middle(&piece)).norm() < 0.1);
            if t[1] - t[0] > SHORTEST && !there {
                out.push(piece);
            }
        };
        for p in of(&a, lines) {
            for q in of(&b, lines) {
                add([p[0].max(q[0]), p[1].min(q[1])], false);
            }
        }
        for t in of(&a, openings).into_iter().chain(of(&b, openings)) {
            let near = a.along.dot(&(at - a.at));
            if (t[0] - near).max(near - t[1]) < FAR {
                add(t, true);
            }
        }
    }
    out
}

/// Outlines that lines close round something no larger than a pillar or a crate.
///
/// ```
/// use nalgebra::Vector2;
/// use vistazo_core::draw::solid::closed;
/// let c = [[0.0, 0.0], [0.6, 0.0], [0.6, 0.4], [0.0, 0.4]].map(Vector2::from);
/// let lines = [[c[0], c[1]], [c[2], c[1]], [c[2], c[3]], [c[3], c[0]], [c[0], Vector2::new(9.0, 9.0)]];
/// assert_eq!(closed(&lines).len(), 1);
/// assert!(closed(&lines[..3]).is_empty());
/// ```
pub fn closed(lines: &[Line]) -> Vec<Vec<Vector2<f64>>> {
    let mut used = vec![false; lines.len()];
    let mut out = Vec::new();
    for first in 0..lines.len() {
        if used[first] {
            continue;
        }
        let (mut way, mut outline) = (vec![first], vec![lines[first][0]]);
        let mut end = lines[first][1];
        let mut round = (lines[first][1] - lines[first][0]).norm();
        let closes = loop {
            if way.len() >= 3 && (end - outline[0]).norm() < MEET {
                break true;
            }
            if way.len() == CORNERS || round > ROUND {
                break false;
            }
            let next = (0..lines.len()).filter(|k| !used[*k] && !way.contains(k)).find_map(|k| {
                let e = lines[k];
                (0..2).find(|i| (e[*i] - end).norm() < MEET).map(|i| (k, e[1 - i]))
            });
            let Some((k, to)) = next else { break false };
            round += (to - end).norm();
            outline.push(end);
            way.push(k);
            end = to;
        };
        if closes {
            for k in way {
                used[k] = true;
            }
            out.push(outline);
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_wall_with_a_door_is_three_pieces() {
        let l = |a: [f64; 2], b: [f64; 2]| [Vector2::from(a), Vector2::from(b)];
        // two faces 0.2 m apart, one of them a little askew, and a door from 2 to 3 m
        let lines = [
            l([0.0, 0.0], [2.0, 0.0]),
            l([3.0, 0.0], [5.0, 0.0]),
            l([5.2, 0.203], [3.0, 0.201]),
            l([0.1, 0.2], [2.0, 0.2]),
            l([0.0, 0.0], [0.0, 4.0]),
        ];
        let openings = [l([2.0, 0.0], [3.0, 0.0]), l([3.0, 0.2], [2.0, 0.2])];
        let found = pieces(&lines, &[(Vector2::new(2.5, 0.1), 0.2)], &openings);
        let spans: Vec<_> = found.iter().map(|p| (p.outline[0].x, p.outline[1].x, p.over_opening)).collect();
        assert_eq!(spans, [(0.1, 2.0, false), (3.0, 5.0, false), (2.0, 3.0, true)]);
        assert!(found.iter().flat_map(|p| &p.outline).all(|p| p.y.abs() < 1e-9 || (p.y - 0.2).abs() < 0.004));
        assert!(pieces(&lines, &[(Vector2::new(2.5, 0.1), 0.3)], &openings).is_empty());
    }
}
