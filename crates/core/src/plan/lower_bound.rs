/// A partial covering problem: the fewest sets that cover enough area.
pub(super) struct Cells {
    /// For each place the pieces it covers.
    pub sets: Vec<Vec<u32>>,
    /// Area of each piece, m²; 0 for what is not required.
    pub area: Vec<f64>,
    /// How often each has to be covered; 0 for what cannot be.
    pub need: Vec<u16>,
    /// Area to be covered, m².
    pub wanted: f64,
    /// The first so many places are taken in any case.
    pub fixed: usize,
    /// The last so many pieces have no area and are covered in any case.
    pub certain: usize,
}

const ROUNDS: usize = 400;

/// Gets the number of the round, of all rounds, and the reduced cost of each set; returns the number
/// of sets of the best choice known, or `None` to stop.
pub(super) type Round<'a> = dyn FnMut(usize, usize, &[f64]) -> Option<usize> + 'a;

/// A number of sets below which no choice can go, by Lagrangian relaxation.
///
/// In `min Σ x_S` with `z_e n_e ≤ Σ_{S∋e} x_S`, `Σ a_e z_e ≥ W`, `0 ≤ x, z ≤ 1`, the first group of
/// conditions is priced with `y_e ≥ 0`. What is left falls apart:
/// `L(y) = Σ_S min(0, 1 − Σ_{e∈S} y_e) + min { Σ y_e n_e z_e : Σ a_e z_e ≥ W }`, the second part a
/// fractional knapsack; `L(y)` is a bound for any `y`. Subgradient steps (Held & Karp 1971) raise it.
/// A piece that is covered in any case has `z_e = 1`.
///
/// `known` is the number of sets of a choice; `None` when `round` says so.
pub(super) fn lower_bound(cells: &Cells, known: usize, round: &mut Round<'_>) -> Option<usize> {
    let n = cells.area.len();
    let certain = n - cells.certain;
    let mut order: Vec<usize> = (0..certain).filter(|&e| cells.area[e] > 0.0 && cells.need[e] > 0).collect();
    let active: Vec<usize> = order.iter().copied().chain(certain..n).collect();
    // to begin with, each piece is priced by the largest set it is in
    let mut largest = vec![0.0_f64; n];
    for s in &cells.sets {
        let size: f64 = s.iter().map(|&e| cells.area[e as usize]).sum();
        for &e in s {
            largest[e as usize] = largest[e as usize].max(size);
        }
    }
    let mut y: Vec<f64> = (0..n).map(|e| if largest[e] > 0.0 { cells.area[e] / largest[e] } else { 0.0 }).collect();
    // prices move in proportion to what they may become: a piece of many is worth little, a certain one much
    let weight: Vec<f64> = (0..n).map(|e| if e < certain { y[e] } else { 0.1 }).collect();
    let (mut best, mut known, mut scale, mut since) = (0.0_f64, known, 1.0, 0);
    for k in 0..ROUNDS {
        let reduced: Vec<f64> = cells
            .sets
            .iter()
            .enumerate()
            .map(|(s, set)| {
                let price: f64 = set.iter().map(|&e| y[e as usize]).sum();
                // what is taken in any case is taken whatever it costs
                if s < cells.fixed { -price.max(0.0) } else { 1.0 - price }
            })
            .collect();
        known = round(k, ROUNDS, &reduced)?;
        let taken: Vec<bool> = reduced.iter().enumerate().map(|(s, c)| s < cells.fixed || *c < 0.0).collect();
        let mut value: f64 = reduced.iter().zip(&taken).filter(|t| *t.1).map(|t| t.0).sum();
        value += cells.fixed as f64;
        // the cheapest area that is enough
        let price = |e: usize| y[e] * f64::from(cells.need[e]);
        order.sort_unstable_by(|a, b| (price(*a) / cells.area[*a]).total_cmp(&(price(*b) / cells.area[*b])));
        let (mut z, mut left) = (vec![0.0; n], cells.wanted);
        for e in certain..n {
            z[e] = 1.0;
            value += price(e);
        }
        for &e in &order {
            if left <= 0.0 {
                break;
            }
            z[e] = (left / cells.area[e]).min(1.0);
            left -= cells.area[e] * z[e];
            value += price(e) * z[e];
        }
        if value > best + 1e-9 {
            (best, since) = (value, 0);
        } else {
            since += 1;
            if since >= 15 {
                (scale, since) = (scale * 0.6, 0);
            }
        }
        // no need to know better than the next whole number
        if (best - 1e-6).ceil() >= known as f64 {
            break;
        }
        let mut slope: Vec<f64> = (0..n).map(|e| z[e] * f64::from(cells.need[e])).collect();
        for (_, set) in cells.sets.iter().enumerate().filter(|(s, _)| taken[*s]) {
            for &e in set {
                slope[e as usize] -= 1.0;
            }
        }
        let length: f64 = active.iter().map(|&e| slope[e] * slope[e] * weight[e]).sum();
        if length < 1e-12 {
            break;
        }
        let step = scale * (1.02 * known as f64 - value).max(0.05) / length;
        for &e in &active {
            y[e] = (y[e] + step * weight[e] * slope[e]).max(0.0);
        }
    }
    Some(((best - 1e-6).ceil() as usize).min(known))
}

#[cfg(test)]
mod tests {
    use super::*;

    /// On small problems the bound is never above the true optimum, found by trying everything, and
    /// seldom more than one below.
    #[test]
    fn the_bound_is_below_the_optimum_and_near_it() {
        use rand::{Rng, SeedableRng};
        let mut close = 0;
        for seed in 0..60 {
            let mut rng = rand_chacha::ChaCha8Rng::seed_from_u64(seed);
            let (sets, n) = (12, 40);
            let cover: Vec<Vec<u32>> =
                (0..sets).map(|_| (0..n as u32).filter(|_| rng.random_bool(0.3)).collect()).collect();
            let area: Vec<f64> = (0..n).map(|_| rng.random_range(0.5..2.0)).collect();
            let need: Vec<u16> = (0..n).map(|e| u16::from(cover.iter().any(|s| s.contains(&(e as u32))))).collect();
            let of = |mask: usize| -> f64 {
                (0..n)
                    .filter(|&e| (0..sets).any(|s| mask >> s & 1 == 1 && cover[s].contains(&(e as u32))))
                    .map(|e| area[e])
                    .sum()
            };
            let wanted = 0.95 * of((1 << sets) - 1);
            let optimum =
                (1..1_usize << sets).filter(|m| of(*m) >= wanted).map(|m| m.count_ones() as usize).min().unwrap();
            let cells = Cells { sets: cover, area, need, wanted, fixed: 0, certain: 0 };
            let bound = lower_bound(&cells, 12, &mut |_, _, _| Some(12)).unwrap();
            assert!(bound <= optimum, "seed {seed}: bound {bound} above the optimum {optimum}");
            close += usize::from(bound + 1 >= optimum);
        }
        assert!(close >= 48, "{close} of 60 bounds within one of the optimum");
    }
}
