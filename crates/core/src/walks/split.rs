use super::course::Course;
use nalgebra::Vector2;

/// Metres that two passes of one walk have in common, so that they can be tied to one another.
pub const OVERLAP: f64 = 10.0;

/// Cuts a walk into passes of at most so many seconds, as long as one another, each beginning [`OVERLAP`] metres before the one
/// before it ends. Their lines; the whole line where it is short enough, and nothing where the limit does not let it get
/// on.
pub fn split(course: &Course, limit: f64) -> Vec<Vec<Vector2<f64>>> {
    let spots = &course.spots;
    let whole = course.seconds();
    let Some(last) = spots.len().checked_sub(1).filter(|l| *l > 0) else { return Vec::new() };
    let line = |a: usize, b: usize| straightened(&spots[a..=b].iter().map(|s| s.at.xy()).collect::<Vec<_>>());
    let pace = course.metres() / whole.max(1e-9);
    for count in 1..=60_usize {
        let twice = OVERLAP / pace * (count - 1) as f64;
        let each = (whole + twice) / count as f64;
        if each > limit && count < 60 {
            continue;
        }
        let mut out = Vec::new();
        let mut from = 0;
        while from < last {
            let until = spots[from].time + if count == 1 { f64::INFINITY } else { each.min(limit) };
            let to = spots.iter().rposition(|s| s.time <= until + 1e-9).unwrap_or(from).min(last);
            let back = spots.iter().rposition(|s| s.walked <= spots[to].walked - OVERLAP).unwrap_or(0);
            out.push(line(from, to));
            if to == last {
                return out;
            }
            // slow stretches may leave less than the overlap: then it does not get on
            if back <= from {
                return Vec::new();
            }
            from = back;
        }
        return out;
    }
    Vec::new()
}

/// A line without the places that lie on the way from one corner to the next.
pub(super) fn straightened(line: &[Vector2<f64>]) -> Vec<Vector2<f64>> {
    let mut out: Vec<Vector2<f64>> = Vec::new();
    for p in line {
        if out.last().is_some_and(|l| (p - l).norm() < 1e-6) {
            continue;
        }
        if let [.., a, b] = out[..] {
            let (ab, bp) = (b - a, p - b);
            if ab.perp(&bp).abs() < 1e-6 * ab.norm() * bp.norm().max(1e-9) && ab.dot(&bp) > 0.0 {
                out.pop();
            }
        }
        out.push(*p);
    }
    out
}
