//! Where batteries are changed at the least cost.

/// A stretch of work between two places where a battery could be changed.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Stretch {
    /// Seconds the scanner runs for it, the way there and rests before it included.
    pub need: f64,
    /// What it costs to change the battery before it, seconds (or what else is to be kept small).
    pub cost: f64,
}

/// Before which stretches the battery is changed, so that none is asked for more than `battery` seconds and the
/// costs together are least; `None` when a single stretch is longer than a battery. `used` seconds of the first
/// battery are gone already.
///
/// Exact: the shortest way through all places where it could be changed, backwards (Bellman 1957).
///
/// ```
/// use vistazo_core::day::{Stretch, swaps};
/// let s = |need, cost| Stretch { need, cost };
/// // a battery of 10: changing in the noon break costs nothing, and is early enough
/// let day = [s(4.0, 9.0), s(4.0, 9.0), s(3.0, 1.0), s(4.0, 9.0)];
/// assert_eq!(swaps(&day, 10.0, 0.0), Some(vec![2]));
/// assert_eq!(swaps(&[s(11.0, 1.0)], 10.0, 0.0), None);
/// ```
pub fn swaps(stretches: &[Stretch], battery: f64, used: f64) -> Option<Vec<usize>> {
    let n = stretches.len();
    // least cost of all that follows when a fresh battery goes in before k, and where the one after it goes in
    let mut best: Vec<Option<(f64, usize)>> = vec![None; n + 1];
    best[n] = Some((0.0, n));
    let onward = |from: usize, used: f64, best: &[Option<(f64, usize)>]| {
        let mut run = used;
        let mut found: Option<(f64, usize)> = None;
        for to in from..=n {
            // on this battery up to `to`, a fresh one before it
            if run > battery + 1e-6 {
                break;
            }
            if to > from || used > 0.0 {
                let change = stretches.get(to).map_or(0.0, |s| s.cost);
                if let Some((after, _)) = best[to]
                    && found.is_none_or(|f| after + change < f.0 - 1e-9)
                {
                    found = Some((after + change, to));
                }
            }
            run += stretches.get(to).map_or(0.0, |s| s.need);
        }
        found
    };
    for k in (0..n).rev() {
        best[k] = onward(k, 0.0, &best);
    }
    let mut out = Vec::new();
    let mut at = if n == 0 { n } else { onward(0, used, &best)?.1 };
    while at < n {
        out.push(at);
        at = best[at]?.1;
    }
    Some(out)
}
