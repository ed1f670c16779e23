use super::Surface;
use nalgebra::{Vector2, Vector3};
use std::collections::HashMap;

/// Shorter lines are what is uncertain about a height rather than its shape, cells.
const SHORT: f64 = 12.0;

/// Lines of equal height, `apart` metres of height from one another, at multiples of it: the height, and the places along
/// each line; closed ones end where they begin.
pub fn contours(surface: &Surface, apart: f64) -> Vec<(f64, Vec<Vector2<f64>>)> {
    let (corners, faces) = surface.triangles();
    let mut out = Vec::new();
    let (mut low, mut high) = (f64::MAX, f64::MIN);
    for f in faces.iter().flatten() {
        (low, high) = (low.min(corners[*f].z), high.max(corners[*f].z));
    }
    if low > high || !(1e-4..1e4).contains(&apart) {
        return out;
    }
    let mut by_level: HashMap<i64, Vec<[Edge; 2]>> = HashMap::new();
    for f in &faces {
        let z = f.map(|k| corners[k].z);
        let (a, b) = (z.iter().copied().fold(f64::MAX, f64::min), z.iter().copied().fold(f64::MIN, f64::max));
        for n in (a / apart).ceil() as i64..=(b / apart).floor() as i64 {
            let level = n as f64 * apart;
            // a corner on the level counts as above it: every triangle is cut on two sides or none
            let above = f.map(|k| corners[k].z >= level);
            let cut: Vec<Edge> =
                (0..3).filter(|k| above[*k] != above[(k + 1) % 3]).map(|k| edge(f[k], f[(k + 1) % 3])).collect();
            if let [p, q] = cut[..] {
                by_level.entry(n).or_default().push([p, q]);
            }
        }
    }
    let mut levels: Vec<_> = by_level.into_iter().collect();
    levels.sort_by_key(|l| l.0);
    let least = SHORT * surface.ground().cell;
    for (n, pieces) in levels {
        let level = n as f64 * apart;
        for line in chained(&pieces) {
            let line: Vec<_> = line.iter().map(|e| crossing(&corners, *e, level)).collect();
            if line.windows(2).map(|l| (l[1] - l[0]).norm()).sum::<f64>() >= least {
                out.push((level, line));
            }
        }
    }
    out
}

type Edge = (usize, usize);

fn edge(a: usize, b: usize) -> Edge {
    (a.min(b), a.max(b))
}

fn crossing(corners: &[Vector3<f64>], (a, b): Edge, level: f64) -> Vector2<f64> {
    let (p, q) = (corners[a], corners[b]);
    let share = if (q.z - p.z).abs() < 1e-12 { 0.5 } else { (level - p.z) / (q.z - p.z) };
    (p + (q - p) * share.clamp(0.0, 1.0)).xy()
}

/// Pieces put one after the other where they share an edge.
fn chained(pieces: &[[Edge; 2]]) -> Vec<Vec<Edge>> {
    let mut at: HashMap<Edge, Vec<usize>> = HashMap::new();
    for (k, p) in pieces.iter().enumerate() {
        for e in p {
            at.entry(*e).or_default().push(k);
        }
    }
    let mut used = vec![false; pieces.len()];
    let mut out = Vec::new();
    // open lines from their ends first, then closed ones from anywhere
    let ends = (0..pieces.len()).filter(|k| pieces[*k].iter().any(|e| at[e].len() == 1));
    for start in ends.chain(0..pieces.len()) {
        if used[start] {
            continue;
        }
        let [p, q] = pieces[start];
        let (first, mut last) = if at[&p].len() == 1 { (p, q) } else { (q, p) };
        let mut line = vec![first, last];
        used[start] = true;
        while let Some(k) = at[&last].iter().copied().find(|k| !used[*k]) {
            used[k] = true;
            let [a, b] = pieces[k];
            last = if a == last { b } else { a };
            line.push(last);
        }
        out.push(line);
    }
    out
}
