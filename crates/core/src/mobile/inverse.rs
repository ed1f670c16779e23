use nalgebra::Matrix6;
use std::collections::{BTreeMap, BTreeSet};

/// Blocks of the inverse of a symmetric, positive definite matrix of blocks: those where the matrix itself has one, and what
/// its elimination fills in besides.
///
/// Columns of the inverse would have to be solved for one by one, and hold far more than anybody asks. Going through the
/// elimination from its end, each wanted block follows from those of later unknowns alone (Takahashi, Fagan & Chen 1973;
/// Erisman & Tinney 1975). Unknowns are eliminated where the fewest others are touched (minimum degree).
pub(super) struct Inverse {
    /// When an unknown is eliminated.
    turn: Vec<usize>,
    diagonal: Vec<Matrix6<f64>>,
    columns: Vec<Column>,
}

/// The later unknowns that an unknown is tied to, in the order they are eliminated, and a block for each: rows of the later.
type Column = Vec<(usize, Matrix6<f64>)>;

impl Inverse {
    /// Of the lower blocks of a matrix: (row, column), row not above the column. `None` where it is not positive definite.
    pub(super) fn of(unknowns: usize, lower: &BTreeMap<(usize, usize), Matrix6<f64>>) -> Option<Self> {
        let (turn, later) = eliminated(unknowns, lower.keys().copied());
        let mut diagonal = vec![Matrix6::zeros(); unknowns];
        let empty = |of: Vec<usize>| of.into_iter().map(|t| (t, Matrix6::zeros())).collect();
        let mut columns: Vec<Column> = later.into_iter().map(empty).collect();
        for (&(a, b), block) in lower {
            match turn[a].cmp(&turn[b]) {
                std::cmp::Ordering::Equal => diagonal[turn[a]] += block,
                std::cmp::Ordering::Greater => *at(&mut columns[turn[b]], turn[a])? += block,
                std::cmp::Ordering::Less => *at(&mut columns[turn[a]], turn[b])? += block.transpose(),
            }
        }
        for t in 0..unknowns {
            let own = diagonal[t].cholesky()?.inverse();
            let column = std::mem::take(&mut columns[t]);
            let ties: Column = column.iter().map(|(u, b)| (*u, b * own)).collect();
            for (i, (u, by)) in ties.iter().enumerate() {
                diagonal[*u] -= by * column[i].1.transpose();
                for (w, block) in &column[..i] {
                    *at(&mut columns[*w], *u)? -= by * block.transpose();
                }
            }
            (diagonal[t], columns[t]) = (own, ties);
        }
        let mut out = Self { turn, diagonal, columns };
        for t in (0..unknowns).rev() {
            let ties = std::mem::take(&mut out.columns[t]);
            let block = |u: usize| -> Matrix6<f64> {
                -ties.iter().map(|(w, by)| out.by_turn(u, *w) * by).sum::<Matrix6<f64>>()
            };
            let blocks: Column = ties.iter().map(|(u, _)| (*u, block(*u))).collect();
            let less: Matrix6<f64> = ties.iter().zip(&blocks).map(|((_, by), (_, z))| by.transpose() * z).sum();
            out.diagonal[t] -= less;
            out.columns[t] = blocks;
        }
        Some(out)
    }

    /// A block of the inverse: rows of the first unknown, columns of the second; nil where the elimination never met the two.
    pub(super) fn block(&self, a: usize, b: usize) -> Matrix6<f64> {
        self.by_turn(self.turn[a], self.turn[b])
    }

    fn by_turn(&self, a: usize, b: usize) -> Matrix6<f64> {
        let kept = |first: usize, later: usize| {
            let column = &self.columns[first];
            column.binary_search_by_key(&later, |c| c.0).map_or_else(|_| Matrix6::zeros(), |k| column[k].1)
        };
        match a.cmp(&b) {
            std::cmp::Ordering::Equal => self.diagonal[a],
            std::cmp::Ordering::Greater => kept(b, a),
            std::cmp::Ordering::Less => kept(a, b).transpose(),
        }
    }
}

fn at(column: &mut Column, later: usize) -> Option<&mut Matrix6<f64>> {
    let k = column.binary_search_by_key(&later, |c| c.0).ok()?;
    Some(&mut column[k].1)
}

/// The turn of each unknown, and for each turn the later ones that it is tied to then.
fn eliminated(unknowns: usize, ties: impl Iterator<Item = (usize, usize)>) -> (Vec<usize>, Vec<Vec<usize>>) {
    let mut beside: Vec<BTreeSet<usize>> = vec![BTreeSet::new(); unknowns];
    for (a, b) in ties.filter(|(a, b)| a != b) {
        beside[a].insert(b);
        beside[b].insert(a);
    }
    let mut next: BTreeSet<(usize, usize)> = beside.iter().enumerate().map(|(k, b)| (b.len(), k)).collect();
    let (mut turn, mut later) = (vec![0; unknowns], Vec::with_capacity(unknowns));
    while let Some((_, k)) = next.pop_first() {
        turn[k] = later.len();
        let mine = std::mem::take(&mut beside[k]);
        for &a in &mine {
            next.remove(&(beside[a].len(), a));
            beside[a].remove(&k);
            beside[a].extend(mine.iter().filter(|b| **b != a));
            next.insert((beside[a].len(), a));
        }
        later.push(mine.into_iter().collect::<Vec<_>>());
    }
    for of in &mut later {
        for k in of.iter_mut() {
            *k = turn[*k];
        }
        of.sort_unstable();
    }
    (turn, later)
}

#[cfg(test)]
mod tests {
    use super::*;
    use nalgebra::{DMatrix, Matrix6};
    use rand::{Rng, SeedableRng};
    use rand_chacha::ChaCha8Rng;

    #[test]
    fn blocks_are_those_of_the_dense_inverse() {
        for seed in 0..12 {
            let mut rng = ChaCha8Rng::seed_from_u64(seed);
            let n = rng.random_range(1..30);
            let mut lower: BTreeMap<(usize, usize), Matrix6<f64>> = BTreeMap::new();
            let mut dense = DMatrix::<f64>::zeros(6 * n, 6 * n);
            let mut put = |a: usize, b: usize, block: Matrix6<f64>| {
                *lower.entry((a.max(b), a.min(b))).or_default() += if a >= b { block } else { block.transpose() };
                for (i, j) in (0..6).flat_map(|i| (0..6).map(move |j| (i, j))) {
                    dense[(6 * a + i, 6 * b + j)] += block[(i, j)];
                    if a != b {
                        dense[(6 * b + j, 6 * a + i)] += block[(i, j)];
                    }
                }
            };
            // a chain with some ties across it, as a walk is
            let across = (0..n).map(|_| (rng.random_range(0..n), rng.random_range(0..n))).collect::<Vec<_>>();
            for (a, b) in (1..n).map(|k| (k - 1, k)).chain(across).filter(|(a, b)| a != b) {
                let [j, k] = [0; 2].map(|_| Matrix6::from_fn(|_, _| rng.random_range(-1.0..1.0)));
                put(a, a, j.transpose() * j);
                put(b, b, k.transpose() * k);
                put(a, b, j.transpose() * k);
            }
            for k in 0..n {
                put(k, k, Matrix6::identity() * 0.1);
            }
            let inverse = dense.try_inverse().unwrap();
            let found = Inverse::of(n, &lower).unwrap();
            for (a, b) in lower.keys().flat_map(|&(a, b)| [(a, b), (b, a)]) {
                let truth = Matrix6::from_fn(|i, j| inverse[(6 * a + i, 6 * b + j)]);
                assert!((found.block(a, b) - truth).amax() < 1e-8 * truth.amax().max(1.0), "seed {seed}: {a}, {b}");
            }
        }
        let not_definite = BTreeMap::from([((0, 0), Matrix6::zeros())]);
        assert!(Inverse::of(1, &not_definite).is_none());
    }
}
