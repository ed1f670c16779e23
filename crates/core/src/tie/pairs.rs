use crate::geometry::Pose;
use nalgebra::Vector2;
use std::collections::{BTreeMap, HashMap, HashSet};

/// Which pairs of scans are brought together, in turn, so that n scans cost about n and not n².
///
/// First what hangs together with nothing yet: neighbours by the plan where it is known, else by the order in
/// which they were taken. What no pair tells the place of is then looked for in the largest part that hangs together, by
/// all that its scans saw. At last, in every part, each scan with those that came out nearest to it, from where they came
/// out: that closes loops, and finds what the search alone did not.
#[derive(Debug)]
pub struct Pairs {
    /// Places of the stations as planned, metres.
    planned: Vec<Option<Vector2<f64>>>,
    /// Pairs by how likely they share something, the likeliest last.
    waiting: Vec<(usize, usize)>,
    /// Pairs put off until scans were looked for in a block, the likeliest first.
    later: Vec<(usize, usize)>,
    /// Searches that may be spent on a scan by now.
    limit: usize,
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
    /// Pairs by the place that was found in a block, with the pose of the second in the frame of the first.
    told: Vec<((usize, usize), Pose)>,
    /// Scans that were looked for in a block, and among which scans.
    asked: HashMap<usize, Vec<usize>>,
}

/// What is to be done next.
#[derive(Clone, Debug, PartialEq)]
pub enum NextStep {
    /// A pair to look at; answered by [`Pairs::found`].
    Pair(NextPair),
    /// A scan to be looked for among others, with their poses in one frame; answered by [`Pairs::stands`].
    Place(usize, Vec<(usize, Pose)>),
}

/// A pair to look at.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct NextPair {
    /// The scans, the lower index first.
    pub scans: (usize, usize),
    /// Pose of the second in the frame of the first, where other ties say it.
    pub start: Option<Pose>,
}

/// Searches spent on a scan that hangs on nothing, and those of them before it is looked for in a block: its neighbours are
/// few, and a block says more than the scans beyond them.
const SEARCHES: usize = 14;
const FIRST_SEARCHES: usize = 6;
/// Neighbours that each scan is tied to.
const NEIGHBOURS: usize = 5;
/// Scans of a block that a scan is looked for among.
const AMONG: usize = 16;
/// Scans of a part that are looked for in another one.
const ASKED_OF_PART: usize = 4;
/// Pairs that are tried where a place was found.
const TOLD: usize = 4;
/// Stations that are planned farther apart share nothing, metres.
const FAR: f64 = 80.0;

impl Pairs {
    /// Of scans in the order they were taken, with the places of their stations as planned, metres.
    pub fn new(planned: &[Option<Vector2<f64>>]) -> Self {
        let n = planned.len();
        let mut waiting: Vec<(f64, usize, (usize, usize))> = Vec::new();
        for i in 0..n {
            for j in i + 1..n {
                if planned[i].zip(planned[j]).is_none_or(|(a, b)| (a - b).norm() < FAR) {
                    waiting.push((distance(planned, i, j), j - i, (i, j)));
                }
            }
        }
        waiting.sort_by(|a, b| b.0.total_cmp(&a.0).then(b.1.cmp(&a.1)).then(b.2.cmp(&a.2)));
        Self {
            planned: planned.to_vec(),
            told: Vec::new(),
            asked: HashMap::new(),
            waiting: waiting.into_iter().map(|w| w.2).collect(),
            later: Vec::new(),
            limit: FIRST_SEARCHES,
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

    /// Takes scans as held together, in poses of one frame: among them nothing is looked for.
    pub fn hold(&mut self, group: &[(usize, Pose)]) {
        let Some(((first, at), others)) = group.split_first() else { return };
        for (k, pose) in others {
            let relative = at.inverse().compose(pose);
            let (pair, relative) =
                if first < k { ((*first, *k), relative) } else { ((*k, *first), relative.inverse()) };
            self.found(pair, Some(&relative));
        }
        for (n, (i, _)) in group.iter().enumerate() {
            self.tied.extend(group[n + 1..].iter().map(|(j, _)| (*i.min(j), *i.max(j))));
        }
    }

    /// What to do next; `None` when all that is worth it was looked at.
    pub fn next_step(&mut self) -> Option<NextStep> {
        let pair = |scans, start| Some(NextStep::Pair(NextPair { scans, start }));
        if let Some((scans, start)) = self.told.pop() {
            return pair(scans, Some(start));
        }
        loop {
            while let Some((i, j)) = self.waiting.pop() {
                let open = self.part[i].0 != self.part[j].0 && !self.looked.contains(&(i, j));
                if open && self.spent[i].min(self.spent[j]) < self.limit {
                    self.spent[i] += 1;
                    self.spent[j] += 1;
                    return pair((i, j), None);
                }
                if open {
                    self.later.push((i, j));
                }
            }
            if let Some((scan, among)) = self.loose() {
                self.asked.insert(scan, among.iter().map(|a| a.0).collect());
                return Some(NextStep::Place(scan, among));
            }
            if self.limit == SEARCHES {
                break;
            }
            self.limit = SEARCHES;
            self.waiting = std::mem::take(&mut self.later);
            self.waiting.reverse();
        }
        if self.near.is_none() {
            self.near = Some(self.neighbours());
        }
        loop {
            let (i, j) = self.near.as_mut()?.pop()?;
            if !self.tied.contains(&(i, j)) {
                let start = self.part[i].1.inverse().compose(&self.part[j].1);
                return pair((i, j), Some(start));
            }
        }
    }

    /// A scan that does not hang together with the largest part, and those of that part that are nearest to it.
    fn loose(&self) -> Option<(usize, Vec<(usize, Pose)>)> {
        let mut sizes: BTreeMap<usize, usize> = BTreeMap::new();
        self.part.iter().for_each(|p| *sizes.entry(p.0).or_default() += 1);
        let (&main, &most) = sizes.iter().max_by_key(|(_, n)| **n)?;
        if most < 2 {
            return None;
        }
        let members: Vec<usize> = (0..self.part.len()).filter(|&k| self.part[k].0 == main).collect();
        let mut spent: HashMap<usize, usize> = HashMap::new();
        (0..self.part.len()).filter(|&k| self.part[k].0 != main).find_map(|scan| {
            let of_part = spent.entry(self.part[scan].0).or_default();
            *of_part += 1;
            if *of_part > ASKED_OF_PART {
                return None;
            }
            let mut near = members.clone();
            near.sort_by(|&a, &b| {
                distance(&self.planned, a, scan).total_cmp(&distance(&self.planned, b, scan)).then(a.cmp(&b))
            });
            near.truncate(AMONG);
            let among = || near.iter().map(|&k| (k, self.part[k].1)).collect();
            (self.asked.get(&scan) != Some(&near)).then(|| (scan, among()))
        })
    }

    /// Notes where a scan was found to stand in the frame of those it was looked for among: who sees most of it first.
    pub fn stands(&mut self, scan: usize, pose: &Pose, seen_by: &[usize]) {
        for &k in seen_by.iter().take(TOLD).rev() {
            let start = self.part[k].1.inverse().compose(pose);
            let told = if k < scan { ((k, scan), start) } else { ((scan, k), start.inverse()) };
            self.told.push(told);
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

/// How near two scans are likely to stand, metres: by the plan, or by the order, a step in which counts as some metres.
fn distance(planned: &[Option<Vector2<f64>>], i: usize, j: usize) -> f64 {
    planned[i].zip(planned[j]).map_or(8.0 * i.abs_diff(j) as f64, |(a, b)| (a - b).norm())
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
        while let Some(next) = pairs.next_step() {
            count += 1;
            let NextStep::Pair(NextPair { scans: (i, j), start }) = next else { continue };
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
    fn what_no_pair_places_is_looked_for_in_the_block() {
        // the fifth is seen through a door: no pair finds it, the four others together do
        let at = |k: usize| Pose::levelled(0.1 * k as f64, Vec3::new(5.0 * k as f64, 1.0, 1.5));
        let mut pairs = Pairs::new(&[None; 5]);
        let (mut looked, mut told) = (0, 0);
        while let Some(next) = pairs.next_step() {
            match next {
                NextStep::Pair(NextPair { scans: (i, j), start }) => {
                    let truth = at(i).inverse().compose(&at(j));
                    let door = j == 4;
                    if let Some(s) = start.filter(|_| door) {
                        assert!((s.translation - truth.translation).norm() < 1e-9);
                        told += 1;
                    }
                    // told the place, one of two pairs holds
                    let holds = if door { start.is_some() && i == 2 } else { true };
                    pairs.found((i, j), holds.then_some(&truth));
                }
                NextStep::Place(scan, among) => {
                    assert_eq!((scan, among.len()), (4, 4));
                    looked += 1;
                    let frame = at(among[0].0).compose(&among[0].1.inverse());
                    pairs.stands(scan, &frame.inverse().compose(&at(4)), &[3, 2]);
                }
            }
        }
        assert_eq!(looked, 1);
        assert!(told >= 2);
        assert!(pairs.parts().iter().all(|p| *p == pairs.parts()[0]));
    }

    #[test]
    fn what_shares_nothing_costs_a_few_searches_and_stays_apart() {
        let mut pairs = Pairs::new(&[None; 40]);
        let mut count = 0;
        while let Some(next) = pairs.next_step() {
            count += 1;
            let NextStep::Pair(next) = next else { unreachable!("nothing hangs together") };
            pairs.found(next.scans, None);
        }
        assert!(count <= 40 * SEARCHES, "{count}");
        let parts: HashSet<usize> = pairs.parts().into_iter().collect();
        assert_eq!(parts.len(), 40);
    }
}
