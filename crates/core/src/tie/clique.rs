/// A set of vertices as bits; the association graphs here stay below a few thousand vertices.
#[derive(Clone)]
struct Bits(Vec<u64>);

impl Bits {
    fn new(n: usize) -> Self {
        Self(vec![0; n.div_ceil(64)])
    }
    fn set(&mut self, i: usize) {
        self.0[i / 64] |= 1 << (i % 64);
    }
    fn clear(&mut self, i: usize) {
        self.0[i / 64] &= !(1 << (i % 64));
    }
    fn and(&self, other: &Self) -> Self {
        Self(self.0.iter().zip(&other.0).map(|(a, b)| a & b).collect())
    }
    fn count(&self) -> usize {
        self.0.iter().map(|w| w.count_ones() as usize).sum()
    }
    fn iter(&self) -> impl Iterator<Item = usize> + '_ {
        self.0.iter().enumerate().flat_map(|(k, w)| {
            let mut w = *w;
            std::iter::from_fn(move || {
                (w != 0).then(|| {
                    let i = w.trailing_zeros() as usize;
                    w &= w - 1;
                    k * 64 + i
                })
            })
        })
    }
}

/// The largest cliques of a graph, largest first, at most `keep` of them and none below `least`.
///
/// Bron–Kerbosch with pivoting (Tomita 2006), cut off below the size that can still matter: one
/// less than the best, because a rival that is nearly as good is what makes a match ambiguous.
/// `limit` bounds the number of nodes visited so that hostile inputs end.
pub(super) fn largest(n: usize, edges: &[(usize, usize)], least: usize, keep: usize, limit: usize) -> Vec<Vec<usize>> {
    let mut adjacent = vec![Bits::new(n); n];
    for &(a, b) in edges {
        adjacent[a].set(b);
        adjacent[b].set(a);
    }
    let mut all = Bits::new(n);
    (0..n).for_each(|i| all.set(i));
    let mut state = State { adjacent, found: Vec::new(), best: least, least, visited: 0, limit };
    state.expand(&mut Vec::new(), all, Bits::new(n));
    state.found.sort_by_key(|c| std::cmp::Reverse(c.len()));
    state.found.truncate(keep);
    state.found
}

struct State {
    adjacent: Vec<Bits>,
    found: Vec<Vec<usize>>,
    best: usize,
    least: usize,
    visited: usize,
    limit: usize,
}

impl State {
    fn expand(&mut self, clique: &mut Vec<usize>, mut candidates: Bits, mut done: Bits) {
        self.visited += 1;
        let size = candidates.count();
        if self.visited > self.limit || clique.len() + size < self.least.max(self.best.saturating_sub(1)) {
            return;
        }
        if size == 0 {
            if done.count() == 0 && clique.len() >= self.least {
                self.best = self.best.max(clique.len());
                self.found.push(clique.clone());
            }
            return;
        }
        let Some(pivot) =
            candidates.iter().chain(done.iter()).max_by_key(|&v| candidates.and(&self.adjacent[v]).count())
        else {
            return;
        };
        let branch: Vec<usize> =
            candidates.iter().filter(|&v| self.adjacent[pivot].0[v / 64] >> (v % 64) & 1 == 0).collect();
        for v in branch {
            clique.push(v);
            self.expand(clique, candidates.and(&self.adjacent[v]), done.and(&self.adjacent[v]));
            clique.pop();
            candidates.clear(v);
            done.set(v);
        }
    }
}

#[cfg(test)]
mod tests {
    #[test]
    fn finds_the_clique_that_exhaustion_finds() {
        use rand::{Rng, SeedableRng};
        for seed in 0..30 {
            let mut rng = rand_chacha::ChaCha8Rng::seed_from_u64(seed);
            let n = 12;
            let edges: Vec<_> =
                (0..n).flat_map(|a| (a + 1..n).map(move |b| (a, b))).filter(|_| rng.random_bool(0.55)).collect();
            let has = |a: usize, b: usize| edges.contains(&(a.min(b), a.max(b)));
            let exhaustive = (0u32..1 << n)
                .filter(|m| (0..n).all(|a| m >> a & 1 == 0 || (a + 1..n).all(|b| m >> b & 1 == 0 || has(a, b))))
                .map(u32::count_ones)
                .max()
                .unwrap();
            let found = super::largest(n, &edges, 1, 10, 100_000);
            assert_eq!(found[0].len() as u32, exhaustive, "seed {seed}");
            assert!(found[0].iter().all(|&a| found[0].iter().all(|&b| a == b || has(a, b))));
        }
    }
}
