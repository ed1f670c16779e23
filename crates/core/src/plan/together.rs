use super::views::ones;

/// Groups of pieces that the separators start from.
const SEEDS: usize = 60;

/// Rows of places of which every choice that covers enough and hangs together takes at least one.
///
/// Pieces whose area is more than what may be left out cannot all be given up: one of the places that
/// cover any of them is taken, which is the first kind of row. Where two such rows `P` and `Q` are
/// apart, the places chosen in them are linked through others, so each layer of links around `P` that
/// does not reach `Q` yet has a chosen place as well (node separators, as in Wong 1984 for Steiner
/// trees). `by` lists for each piece the places that cover it, as bits; `links` for each place those
/// that it is linked to; `kept` the places that are taken in any case.
pub(super) fn separators(
    by: &[Vec<u64>],
    area: &[f64],
    wanted: f64,
    links: &[Vec<usize>],
    kept: usize,
) -> Vec<Vec<usize>> {
    let slack = area.iter().sum::<f64>() - wanted;
    let words = links.len().div_ceil(64);
    let mut hit: Vec<Vec<u64>> = (0..kept).map(|k| bits(words, &[k])).collect();
    hit.extend(needed(by, area, slack, words));
    let mut rows = hit.clone();
    for start in &hit {
        let mut inside = start.clone();
        while hit.iter().any(|h| h.iter().zip(&inside).all(|(a, b)| a & b == 0)) {
            let mut reach = inside.clone();
            ones(&inside).flat_map(|a| &links[a]).for_each(|&b| reach[b / 64] |= 1 << (b % 64));
            let layer: Vec<u64> = reach.iter().zip(&inside).map(|(r, i)| r & !i).collect();
            if layer.iter().all(|w| *w == 0) {
                break; // nothing hangs together here at all
            }
            rows.push(layer);
            inside = reach;
        }
    }
    // what holds a smaller row says nothing new
    rows.sort_by_key(|r| r.iter().map(|w| w.count_ones()).sum::<u32>());
    let mut least: Vec<Vec<u64>> = Vec::new();
    for r in rows {
        if !least.iter().any(|l| l.iter().zip(&r).all(|(a, b)| a & !b == 0)) {
            least.push(r);
        }
    }
    least.iter().map(|r| ones(r).collect()).collect()
}

fn bits(words: usize, of: &[usize]) -> Vec<u64> {
    let mut out = vec![0; words];
    for &k in of {
        out[k / 64] |= 1 << (k % 64);
    }
    out
}

/// Small sets of places of which one is needed: pieces seen from few places come first, and those are
/// added to them that bring the fewest further places, until they are too large to be left out.
fn needed(by: &[Vec<u64>], area: &[f64], slack: f64, words: usize) -> Vec<Vec<u64>> {
    let size = |b: &[u64]| b.iter().map(|w| w.count_ones()).sum::<u32>();
    let mut order: Vec<usize> = (0..by.len()).filter(|&e| area[e] > 0.0 && size(&by[e]) > 0).collect();
    order.sort_by_key(|&e| (size(&by[e]), e));
    let mut used = vec![false; by.len()];
    let mut out = Vec::new();
    for &first in &order {
        if out.len() == SEEDS {
            break;
        }
        if used[first] {
            continue;
        }
        let (mut places, mut taken, mut sum) = (bits(words, &[]), vec![false; by.len()], 0.0);
        let mut next = Some(first);
        while let Some(e) = next {
            places.iter_mut().zip(&by[e]).for_each(|(p, b)| *p |= b);
            (taken[e], used[e]) = (true, true);
            sum += area[e];
            if sum > slack + 1e-9 {
                break;
            }
            let more = |e: usize| by[e].iter().zip(&places).map(|(b, p)| (b & !p).count_ones()).sum::<u32>();
            next = order.iter().copied().filter(|&e| !taken[e]).min_by_key(|&e| (more(e), e));
        }
        if sum > slack + 1e-9 {
            out.push(places);
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use rand::{Rng, SeedableRng};

    /// On small problems every choice that covers enough and hangs together, found by trying all of them,
    /// takes a place of every row; and the rows say more than the cover alone.
    #[test]
    fn every_choice_takes_a_place_of_every_row() {
        let mut layers = 0;
        for seed in 0..40 {
            let mut rng = rand_chacha::ChaCha8Rng::seed_from_u64(seed);
            // a crooked row of places, each linked to the next ones, each seeing what is near it
            let n = 13;
            let near = |a: usize, b: usize| a != b && a.abs_diff(b) <= 1 + usize::from((a + b).is_multiple_of(5));
            let links: Vec<Vec<usize>> = (0..n).map(|a| (0..n).filter(|&b| near(a, b)).collect()).collect();
            let pieces: Vec<usize> = (0..30).map(|_| rng.random_range(0..n)).collect();
            let area: Vec<f64> = (0..30).map(|_| rng.random_range(0.5..2.0)).collect();
            let sees = |k: usize, e: usize| pieces[e].abs_diff(k) <= 1;
            let by: Vec<Vec<u64>> =
                (0..30).map(|e| bits(1, &(0..n).filter(|&k| sees(k, e)).collect::<Vec<_>>())).collect();
            let wanted = 0.95 * area.iter().sum::<f64>();
            let rows = separators(&by, &area, wanted, &links, 0);
            layers += rows.len();
            for mask in 1..1_u64 << n {
                let covered: f64 = (0..30).filter(|&e| by[e][0] & mask != 0).map(|e| area[e]).sum();
                if covered < wanted {
                    continue;
                }
                let mut group = mask & mask.wrapping_neg();
                loop {
                    let more = ones(&[group]).flat_map(|a| &links[a]).fold(group, |g, &b| g | (mask & 1 << b));
                    if more == group {
                        break;
                    }
                    group = more;
                }
                for row in rows.iter().filter(|_| group == mask) {
                    assert!(row.iter().any(|k| mask >> k & 1 == 1), "seed {seed}: {mask:b} takes none of {row:?}");
                }
            }
        }
        assert!(layers > 200, "{layers} rows");
    }
}
