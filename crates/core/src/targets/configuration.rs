use crate::geometry::{Mat3, Vec3};

/// How good the targets are that two scans share, or that hold a block to control.
#[derive(Clone, Debug, PartialEq)]
pub struct Configuration {
    /// Targets.
    pub count: usize,
    /// Largest distance between two of them, metres.
    pub spread: f64,
    /// Largest distance of one from the straight line that fits them best, metres: near nothing, the
    /// scan can turn about that line.
    pub off_line: f64,
    /// By how much the distances differ, metres, when the targets are taken for one another in the
    /// most similar way: near the noise, scans can be matched wrongly. Infinite with fewer than 3.
    pub distinct: f64,
    /// The pairs that would be mistaken in that case.
    pub mistaken: Vec<(usize, usize)>,
    /// What is wrong with it.
    pub faults: Vec<Fault>,
}

/// What can be wrong with a set of targets.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Fault {
    /// Fewer than three.
    TooFew,
    /// Nearly in a line.
    InLine,
    /// All close together compared with the distance to the scanners.
    Bunched,
    /// The pattern fits on itself in another way.
    Ambiguous,
}

/// Distances that differ by less than this are taken for equal when scans are matched, metres.
pub const SAME_DISTANCE: f64 = 0.02;

/// Judges a set of targets. `reach` is the distance up to which the scans measure with them, metres.
///
/// # Example
/// ```
/// use vistazo_core::{geometry::Vec3, targets::{Fault, configuration}};
/// let row: Vec<Vec3> = (0..4).map(|k| Vec3::new(3.0 * k as f64, 0.01 * k as f64, 1.5)).collect();
/// let c = configuration(&row, 15.0);
/// assert!(c.faults.contains(&Fault::InLine) && c.faults.contains(&Fault::Ambiguous));
/// ```
pub fn configuration(targets: &[Vec3], reach: f64) -> Configuration {
    let n = targets.len();
    let spread = pairs(n).map(|(i, j)| (targets[i] - targets[j]).norm()).fold(0.0, f64::max);
    let off_line = off_line(targets);
    let (distinct, mistaken) = most_similar(targets);
    let mut faults = Vec::new();
    if n < 3 {
        faults.push(Fault::TooFew);
    } else {
        // a tenth of the spread off the line turns a noise of 1 mm into 10 mm at the same distance
        if off_line < 0.1 * spread {
            faults.push(Fault::InLine);
        }
        if spread < 0.25 * reach {
            faults.push(Fault::Bunched);
        }
        if distinct < SAME_DISTANCE {
            faults.push(Fault::Ambiguous);
        }
    }
    Configuration { count: n, spread, off_line, distinct, mistaken, faults }
}

fn pairs(n: usize) -> impl Iterator<Item = (usize, usize)> {
    (0..n).flat_map(move |i| (i + 1..n).map(move |j| (i, j)))
}

fn off_line(targets: &[Vec3]) -> f64 {
    let n = targets.len();
    if n < 3 {
        return 0.0;
    }
    let middle = targets.iter().sum::<Vec3>() / n as f64;
    let scatter: Mat3 = targets.iter().map(|p| (p - middle) * (p - middle).transpose()).sum();
    let e = scatter.symmetric_eigen();
    let line: Vec3 = e.eigenvectors.column(e.eigenvalues.imax()).into();
    targets.iter().map(|p| (p - middle).cross(&line).norm()).fold(0.0, f64::max)
}

/// The way to take targets for one another, other than as they are, that changes the distances
/// between them least: branch and bound over the permutations.
fn most_similar(targets: &[Vec3]) -> (f64, Vec<(usize, usize)>) {
    let n = targets.len();
    if n < 3 {
        return (f64::INFINITY, Vec::new());
    }
    let d: Vec<Vec<f64>> = targets.iter().map(|p| targets.iter().map(|q| (p - q).norm()).collect()).collect();
    let mut search = Search { d: &d, best: f64::INFINITY, found: Vec::new(), steps: 0 };
    search.extend(&mut Vec::with_capacity(n), 0.0, false);
    let mistaken = search.found.iter().enumerate().filter(|(i, j)| i != *j).map(|(i, j)| (i, *j)).collect();
    (search.best, mistaken)
}

struct Search<'a> {
    d: &'a [Vec<f64>],
    best: f64,
    found: Vec<usize>,
    steps: usize,
}

impl Search<'_> {
    fn extend(&mut self, so_far: &mut Vec<usize>, worst: f64, other: bool) {
        let (n, k) = (self.d.len(), so_far.len());
        // with dozens of targets the bound cuts nearly everything; the limit is for made-up grids of equals
        self.steps += 1;
        if self.steps > 200_000 {
            return;
        }
        if k == n {
            if other && worst < self.best {
                self.best = worst;
                self.found.clone_from(so_far);
            }
            return;
        }
        for j in 0..n {
            if so_far.contains(&j) {
                continue;
            }
            let change = (0..k).map(|i| (self.d[i][k] - self.d[so_far[i]][j]).abs()).fold(worst, f64::max);
            if change < self.best {
                so_far.push(j);
                self.extend(so_far, change, other || j != k);
                so_far.pop();
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn patterns_are_told_apart() {
        let at = |p: &[(f64, f64, f64)]| p.iter().map(|q| Vec3::new(q.0, q.1, q.2)).collect::<Vec<_>>();
        let good = configuration(&at(&[(0.0, 0.0, 1.2), (9.0, 1.0, 1.8), (4.0, 7.5, 1.5), (-2.0, 5.0, 1.3)]), 15.0);
        assert!(good.faults.is_empty(), "{good:?}");
        // an isosceles triangle: its two far corners can be taken for one another
        let two = configuration(&at(&[(0.0, 0.0, 1.5), (8.0, 3.0, 1.5), (8.0, -3.0, 1.5)]), 15.0);
        assert_eq!(two.faults, [Fault::Ambiguous]);
        assert_eq!(two.mistaken, [(1, 2), (2, 1)]);
        let near = configuration(&at(&[(0.0, 0.0, 1.0), (1.0, 0.2, 1.5), (0.3, 2.3, 1.2)]), 20.0);
        assert_eq!(near.faults, [Fault::Bunched]);
        assert_eq!(configuration(&at(&[(0.0, 0.0, 1.0)]), 5.0).faults, [Fault::TooFew]);
        // a grid of equals ends, and says so
        let grid: Vec<Vec3> = (0..36).map(|k| Vec3::new(f64::from(k % 6), f64::from(k / 6), 1.0)).collect();
        assert!(configuration(&grid, 6.0).faults.contains(&Fault::Ambiguous));
    }

    /// Moving one target of a symmetric pattern away makes it distinct by about that much.
    #[test]
    fn the_distinction_is_the_smallest_change_of_a_distance() {
        let mut t = vec![Vec3::new(0.0, 0.0, 1.5), Vec3::new(8.0, 3.0, 1.5), Vec3::new(8.0, -3.0, 1.5)];
        t[1].x += 0.5;
        let c = configuration(&t, 15.0);
        let by_hand = ((t[0] - t[1]).norm() - (t[0] - t[2]).norm()).abs();
        assert!((c.distinct - by_hand).abs() < 1e-12 && c.faults.is_empty());
    }
}
