use crate::geometry::Pose;
use nalgebra::Vector2;
use std::collections::HashSet;

/// Which pairs of scans are brought together, in turn, so that n scans cost about n and not n².
///
/// First what hangs together with nothing yet: neighbours by the plan where it is known, else by the order in
/// which they were taken. Then, in every part that hangs together, each scan with those that came out nearest to
/// it, from where they came out: that closes loops, and finds what the search alone did not.
#[derive(Debug)]
pub struct Pairs {
    /// Pairs by how likely they share something, the likeliest last.
    waiting: Vec<(usize, usize)>,
    /// Pairs to be tried from where the scans came out, once nothing waits; the nearest last.
    near: Option<Vec<(usize, usize)>>,
    /// The part that each scan belongs to, and its pose there.
    part: Vec<(usize, Pose)>,
    tied: HashSet<(usize, usize)>,
    looked: HashSet<(usize, usize)>,
    /// Searches spent on each scan.
    spent: Vec<usize>,
    /// Scans among which nothing is looked for.
    settled: Vec<bool>,
}

/// A pair to look at.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct NextPair {
    /// The scans, the lower index first.
    pub scans: (usize, usize),
    /// Pose of the second in the frame of the first, where other ties say it.
    pub start: Option<Pose>,
}

/// Searches spent on a scan that hangs on nothing.
const SEARCHES: usize = 14;
/// Neighbours that each scan is tied to.
const NEIGHBOURS: usize = 5;
/// Stations that are planned farther apart share nothing, metres.
const FAR: f64 = 80.0;

impl Pairs {
    /// Of scans in the order they were taken, with the places of their stations as planned, metres.
    pub fn new(planned: &[Option<Vector2<f64>>]) -> Self {
        let n = planned.len();
        let mut waiting: Vec<(f64, usize, (usize, usize))> = Vec::new();
        for i in 0..n {
            for j in i + 1..n {
                let apart = planned[i].zip(planned[j]).map(|(a, b)| (a - b).norm());
                if apart.is_none_or(|d| d < FAR) {
                    // one step in the order counts as much as some metres
                    waiting.push((apart.unwrap_or(8.0 * (j - i) as f64), j - i, (i, j)));
                }
            }
        }
        waiting.sort_by(|a, b| b.0.total_cmp(&a.0).then(b.1.cmp(&a.1)).then(b.2.cmp(&a.2)));
        Self {
            waiting: waiting.into_iter().map(|w| w.2).collect(),
            near: None,
            part: (0..n).map(|k| (k, Pose::identity())).collect(),
            tied: HashSet::new(),
            looked: HashSet::new(),
            spent: vec![0; n],
            settled: vec![false; n],
        }
    }

    /// Takes scans as hanging together already, in poses of one frame.
    pub fn place(&mut self, scans: &[(usize, Pose)]) {
        let Some(part) = scans.iter().map(|s| self.part[s.0].0).min() else { return };
        for (k, pose) in scans {
            self.part[*k] = (part, *pose);
        }
    }

    /// Leaves out what lies among scans that hang together already: only what is loose is tied.
    pub fn only_loose(&mut self) {
        self.settled = self.part.iter().map(|p| self.part.iter().filter(|q| q.0 == p.0).count() > 1).collect();
    }

    /// The next pair; `None` when all that is worth it was looked at.
    pub fn next_pair(&mut self) -> Option<NextPair> {
        while let Some((i, j)) = self.waiting.pop() {
            let open = self.part[i].0 != self.part[j].0 && !self.looked.contains(&(i, j));
            if open && self.spent[i].min(self.spent[j]) < SEARCHES {
                self.spent[i] += 1;
                self.spent[j] += 1;
                return Some(NextPair { scans: (i, j), start: None });
            }
        }
        if self.near.is_none() {
            self.near = Some(self.neighbours());
        }
        loop {
            let (i, j) = self.near.as_mut()?.pop()?;
            if !self.tied.contains(&(i, j)) {
                let start = self.part[i].1.inverse().compose(&self.part[j].1);
                return Some(NextPair { scans: (i, j), start: Some(start) });
            }
        }
    }

    /// How many are left, at most.
    pub fn left(&self) -> usize {
        let loose: HashSet<usize> = self.part.iter().map(|p| p.0).collect();
        let near = self.near.as_ref().map_or(self.part.len() * NEIGHBOURS / 2, Vec::len);
        near + if self.waiting.is_empty() { 0 } else { (loose.len() - 1) * 2 }
    }

    /// Notes what came out of a pair: the pose of the second in the frame of the first, where it is to be relied on.
    pub fn found(&mut self, (i, j): (usize, usize), relative: Option<&Pose>) {
        self.looked.insert((i, j));
        let Some(relative) = relative else { return };
        self.tied.insert((i, j));
        let ((a, at_i), (b, at_j)) = (self.part[i], self.part[j]);
        if a == b {
            return;
        }
        let moved = at_i.compose(relative).compose(&at_j.inverse());
        for p in self.part.iter_mut().filter(|p| p.0 == b) {
            *p = (a, moved.compose(&p.1));
        }
    }

    /// Scans of the part of the first, without the two, nearest to where the second would stand, with its pose in the
    /// frame of each: whom to ask.
    pub fn witnesses(&self, (i, j): (usize, usize), relative: &Pose, most: usize) -> Vec<(usize, Pose)> {
        let (part, at_i) = self.part[i];
        let there = at_i.compose(relative);
        let mut near: Vec<(f64, usize)> = (0..self.part.len())
            .filter(|&k| k != i && k != j && self.part[k].0 == part)
            .map(|k| ((self.part[k].1.translation - there.translation).norm(), k))
            .collect();
        near.sort_by(|a, b| a.0.total_cmp(&b.0));
        near.into_iter().take(most).map(|(_, k)| (k, self.part[k].1.inverse().compose(&there))).collect()
    }

    /// For each scan the part that it hangs together with.
    pub fn parts(&self) -> Vec<usize> {
        self.part.iter().map(|p| p.0).collect()
    }

    /// For each scan its part and its pose there.
    pub fn standing(&self) -> &[(usize, Pose)] {
        &self.part
    }

    /// Pairs within one part that came out near to one another, the nearest last.
    fn neighbours(&self) -> Vec<(usize, usize)> {
        let apart = |i: usize, j: usize| (self.part[i].1.translation - self.part[j].1.translation).norm();
        let mut out: Vec<(usize, usize)> = (0..self.part.len())
            .flat_map(|i| {
                let mut others: Vec<usize> =
                    (0..self.part.len()).filter(|&j| j != i && self.part[j].0 == self.part[i].0).collect();
                others.sort_by(|&a, &b| apart(i, a).total_cmp(&apart(i, b)));
                others.into_iter().take(NEIGHBOURS).map(move |j| (i.min(j), i.max(j)))
            })
            .filter(|&(i, j)| !(self.settled[i] && self.settled[j]))
            .collect();
        out.sort_by(|a, b| apart(b.0, b.1).total_cmp(&apart(a.0, a.1)).then(a.cmp(b)));
        out.dedup();
        out
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::Vec3;

    /// Stations in a row, each of which shares something with the next two.
    fn row(n: usize, planned: bool) -> (usize, Vec<usize>) {
        let at = |k: usize| Pose::levelled(0.3 * k as f64, Vec3::new(6.0 * k as f64, 0.0, 1.5));
        let places: Vec<_> = (0..n).map(|k| planned.then(|| at(k).translation.xy())).collect();
        let mut pairs = Pairs::new(&places);
        let mut count = 0;
        while let Some(NextPair { scans: (i, j), start }) = pairs.next_pair() {
            count += 1;
            let truth = at(i).inverse().compose(&at(j));
            if let Some(s) = start {
                assert!((s.translation - truth.translation).norm() < 1e-6, "{i}–{j}");
            }
            pairs.found((i, j), (j - i <= 2).then_some(&truth));
        }
        (count, pairs.parts())
    }

    #[test]
    fn the_work_grows_with_the_number_of_scans() {
        for planned in [false, true] {
            let (few, parts) = row(30, planned);
            assert!(parts.iter().all(|p| *p == parts[0]));
            let (many, _) = row(300, planned);
            assert!(many < 11 * few && many < 300 * 5, "{few} pairs of 30 scans, {many} of 300");
        }
    }

    #[test]
    fn what_shares_nothing_costs_a_few_searches_and_stays_apart() {
        let mut pairs = Pairs::new(&[None; 40]);
        let mut count = 0;
        while let Some(next) = pairs.next_pair() {
            count += 1;
            pairs.found(next.scans, None);
        }
        assert!(count <= 40 * SEARCHES, "{count}");
        let parts: HashSet<usize> = pairs.parts().into_iter().collect();
        assert_eq!(parts.len(), 40);
    }
}
