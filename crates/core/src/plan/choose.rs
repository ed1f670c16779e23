use super::views::{View, ones};
use rayon::prelude::*;

/// Places to choose from: the fewest that cover enough, hanging together or not.
pub(super) struct Problem<'a> {
    /// For each place those it is linked to, sorted.
    pub links: Vec<Vec<usize>>,
    pub views: &'a [View],
    /// Area of each piece, m²; 0 for what is not required.
    pub area: &'a [f64],
    /// How often each has to be covered; 0 for what cannot be.
    pub need: &'a [u16],
    /// Area to be covered, m².
    pub wanted: f64,
    /// The first so many places are taken in any case.
    pub locked: usize,
}

impl Problem<'_> {
    fn counts(&self, chosen: &[usize]) -> Vec<u16> {
        let mut count = vec![0; self.area.len()];
        for &c in chosen {
            ones(&self.views[c].covers).for_each(|i| count[i] += 1);
        }
        count
    }

    pub(super) fn covered(&self, chosen: &[usize]) -> f64 {
        let count = self.counts(chosen);
        (0..count.len()).filter(|&i| self.need[i] > 0 && count[i] >= self.need[i]).map(|i| self.area[i]).sum()
    }

    /// What a place would add, each piece counted as far as it is still needed.
    fn gain(&self, c: usize, count: &[u16]) -> f64 {
        ones(&self.views[c].covers)
            .filter(|&i| count[i] < self.need[i])
            .map(|i| self.area[i] / f64::from(self.need[i]))
            .sum()
    }

    /// Adds the place with the most area for its cost until enough is covered.
    pub(super) fn greedy(&self, cost: &[f64]) -> Vec<usize> {
        let mut chosen: Vec<usize> = (0..self.locked).collect();
        let mut count = self.counts(&chosen);
        while self.covered(&chosen) < self.wanted {
            let best = (0..self.views.len())
                .into_par_iter()
                .filter(|c| !chosen.contains(c))
                .map(|c| (c, self.gain(c, &count) / cost[c]))
                .max_by(|a, b| a.1.total_cmp(&b.1).then(b.0.cmp(&a.0)));
            let Some((c, _)) = best.filter(|b| b.1 > 1e-12) else { break };
            ones(&self.views[c].covers).for_each(|i| count[i] += 1);
            chosen.push(c);
        }
        chosen
    }

    /// Drops what is not needed, then exchanges two for one while that is possible.
    pub(super) fn tidy(&self, chosen: Vec<usize>, connected: bool) -> Vec<usize> {
        let mut chosen = self.drop_unneeded(chosen, connected);
        while let Some(better) = self.exchange(&chosen, connected) {
            chosen = better;
        }
        chosen
    }

    /// Two chosen places exchanged for one other with which enough stays covered (and no more groups fall apart).
    fn exchange(&self, chosen: &[usize], connected: bool) -> Option<Vec<usize>> {
        let count = self.counts(chosen);
        let covered = self.covered(chosen);
        let groups = if connected { self.groups(chosen).len() } else { usize::MAX };
        // what one more place would complete
        let mut open = vec![0_u64; self.area.len().div_ceil(64)];
        let completes = |n: u16, i: usize| n + 1 == self.need[i] && self.area[i] > 0.0;
        (0..count.len()).filter(|&i| completes(count[i], i)).for_each(|i| open[i / 64] |= 1 << (i % 64));
        for a in self.locked..chosen.len() {
            for b in a + 1..chosen.len() {
                let (first, second) = (&self.views[chosen[a]].covers, &self.views[chosen[b]].covers);
                let (mut open, mut lost) = (open.clone(), 0.0);
                let either: Vec<u64> = first.iter().zip(second).map(|(p, q)| p | q).collect();
                for i in ones(&either) {
                    let (w, bit) = (i / 64, 1 << (i % 64));
                    let left = count[i] - u16::from(first[w] & bit != 0) - u16::from(second[w] & bit != 0);
                    if count[i] >= self.need[i] && left < self.need[i] {
                        lost += self.area[i];
                    }
                    open[w] = if completes(left, i) { open[w] | bit } else { open[w] & !bit };
                }
                let missing = self.wanted - (covered - lost);
                let rest = || chosen.iter().enumerate().filter(move |(k, _)| *k != a && *k != b).map(|(_, c)| *c);
                let one = (0..self.views.len()).find(|&c| {
                    let adds: Vec<u64> = self.views[c].covers.iter().zip(&open).map(|(p, q)| p & q).collect();
                    ones(&adds).map(|i| self.area[i]).sum::<f64>() >= missing + 1e-9
                        && !rest().any(|r| r == c)
                        && (!connected || self.groups(&rest().chain([c]).collect::<Vec<_>>()).len() <= groups)
                });
                if let Some(c) = one {
                    return Some(rest().chain([c]).collect());
                }
            }
        }
        None
    }

    /// Leaves out stations, those that add least first, while enough stays covered (and no more groups fall apart).
    fn drop_unneeded(&self, mut chosen: Vec<usize>, connected: bool) -> Vec<usize> {
        loop {
            let count = self.counts(&chosen);
            let groups = if connected { self.groups(&chosen).len() } else { usize::MAX };
            let mut order: Vec<(f64, usize)> = (self.locked..chosen.len())
                .map(|k| {
                    let own: f64 = ones(&self.views[chosen[k]].covers)
                        .filter(|&i| count[i] == self.need[i])
                        .map(|i| self.area[i])
                        .sum();
                    (own, k)
                })
                .collect();
            order.sort_by(|a, b| a.0.total_cmp(&b.0));
            let gone = order.into_iter().find(|&(_, k)| {
                let mut rest = chosen.clone();
                rest.remove(k);
                self.covered(&rest) >= self.wanted && (!connected || self.groups(&rest).len() <= groups)
            });
            match gone {
                Some((_, k)) => chosen.remove(k),
                None => return chosen,
            };
        }
    }

    /// The chosen places in groups that hang together.
    pub(super) fn groups(&self, chosen: &[usize]) -> Vec<Vec<usize>> {
        let mut left: Vec<usize> = chosen.iter().rev().copied().collect();
        let mut out = Vec::new();
        while let Some(first) = left.pop() {
            let mut group = vec![first];
            let mut next = 0;
            while next < group.len() {
                let links = &self.links[group[next]];
                next += 1;
                left.retain(|b| {
                    let linked = links.binary_search(b).is_ok();
                    if linked {
                        group.push(*b);
                    }
                    !linked
                });
            }
            out.push(group);
        }
        out
    }

    /// Of the places that hang together by links (with the locked ones, if there are any) those that
    /// cover the most.
    pub(super) fn largest_group(&self) -> Vec<bool> {
        let n = self.views.len();
        let mut left: Vec<bool> = vec![true; n];
        let mut best = (-1.0, vec![true; n]);
        for first in 0..n {
            if !left[first] || (self.locked > 0 && first > 0) {
                continue;
            }
            let mut group = vec![first];
            left[first] = false;
            let mut next = 0;
            while next < group.len() {
                for &b in &self.links[group[next]] {
                    if std::mem::take(&mut left[b]) {
                        group.push(b);
                    }
                }
                next += 1;
            }
            let covered = self.covered(&group);
            if covered > best.0 {
                best = (covered, (0..n).map(|k| group.contains(&k)).collect());
            }
        }
        best.1
    }

    /// Joins what does not hang together: the cheapest path of places (Dijkstra 1959) from one group to
    /// any station outside it, until all are one or nothing more can be reached.
    pub(super) fn join(&self, mut chosen: Vec<usize>, cost: &[f64]) -> Vec<usize> {
        loop {
            let groups = self.groups(&chosen);
            if groups.len() < 2 {
                return chosen;
            }
            let Some(path) = groups.iter().find_map(|g| self.path_out(g, &chosen, cost)) else { return chosen };
            chosen.extend(path);
        }
    }

    /// The places to add for the cheapest path from a group to a chosen place outside it.
    fn path_out(&self, group: &[usize], chosen: &[usize], cost: &[f64]) -> Option<Vec<usize>> {
        let n = self.views.len();
        let mut from = vec![None; n];
        let mut far = vec![f64::INFINITY; n];
        let mut done = vec![false; n];
        for &c in group {
            far[c] = 0.0;
        }
        let end = loop {
            let open = (0..n).filter(|&c| !done[c] && far[c] < f64::INFINITY);
            let c = open.min_by(|a, b| far[*a].total_cmp(&far[*b]))?;
            if chosen.contains(&c) && !group.contains(&c) {
                break c;
            }
            done[c] = true;
            for &b in self.links[c].iter().filter(|&&b| !done[b]) {
                let through = far[c] + if chosen.contains(&b) { 0.0 } else { cost[b] };
                if through < far[b] {
                    (far[b], from[b]) = (through, Some(c));
                }
            }
        };
        let path = std::iter::successors(from[end], |c| from[*c]);
        Some(path.filter(|c| !chosen.contains(c)).collect())
    }
}
