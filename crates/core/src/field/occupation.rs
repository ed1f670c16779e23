use crate::geometry::Vec3;

/// A position that a receiver gave, grid or plan coordinates, metres.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Epoch {
    /// When, seconds.
    pub time: f64,
    /// E, N, H of the antenna's reference point.
    pub position: Vec3,
    /// Standard deviations that the receiver states, E, N, H.
    pub sigma: Vec3,
    /// The ambiguities were solved.
    pub fixed: bool,
}

/// A point from the epochs of one occupation.
#[derive(Clone, Debug, PartialEq)]
pub struct Occupied {
    /// The mark, metres: the antenna less the pole.
    pub position: Vec3,
    /// Standard deviations, E, N, H, metres: of the mean, of the pole, and of what a short time does not average out.
    pub sigma: Vec3,
    /// Epochs that were used, of all.
    pub used: usize,
    /// Epochs that were given.
    pub of: usize,
    /// Epochs that count as independent of one another.
    pub independent: f64,
    /// Largest scatter of an epoch used against the mean, in standard deviations of an epoch.
    pub scatter: f64,
}

/// Why an occupation gives no point.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum OccupationError {
    /// Fewer than [`FEWEST`] epochs with solved ambiguities.
    TooFew {
        /// Found.
        found: usize,
    },
    /// Half of the epochs or more lie apart from the others: two solutions, one of which is wrong.
    TwoSolutions,
}

/// Two occupations of one mark beside each other.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Repeat {
    /// The second less the first, metres.
    pub difference: Vec3,
    /// Its standard deviations, metres.
    pub sigma: Vec3,
    /// The mean of both by their weights, metres.
    pub mean: Vec3,
    /// Its standard deviations, metres.
    pub mean_sigma: Vec3,
    /// They agree at 99 %.
    pub agrees: bool,
}

/// Fewest epochs of an occupation.
pub const FEWEST: usize = 5;
/// Epochs further off than so many robust standard deviations are left out.
const OUTLIER: f64 = 4.0;
/// Scatter so many times what the receiver states is not noise.
const TORN: f64 = 4.0;
/// Epochs of one batch, where there are enough for several.
const BATCH: usize = 20;
/// What satellites and reflections do over some minutes is in all epochs alike: horizontal and vertical, metres. Found by
/// none of them; a second occupation after half an hour or more shows it.
const COMMON: [f64; 2] = [0.006, 0.010];
/// Centring and plumb of a pole, metres.
const POLE: [f64; 2] = [0.002, 0.001];

/// Reduces the epochs of one occupation to the mark, `pole` metres below the antenna. Epochs that lie apart are left out
/// (median and its absolute deviation); the σ of the mean counts only epochs that are independent, by their correlation.
///
/// # Errors
/// [`OccupationError`] when fewer than five epochs are fixed, or half of them lie apart.
pub fn occupied(epochs: &[Epoch], pole: f64) -> Result<Occupied, OccupationError> {
    let fixed: Vec<&Epoch> = epochs.iter().filter(|e| e.fixed).collect();
    if fixed.len() < FEWEST {
        return Err(OccupationError::TooFew { found: fixed.len() });
    }
    let axis = |a: usize| fixed.iter().map(|e| e.position[a]).collect::<Vec<f64>>();
    let middle = Vec3::from_fn(|a, _| median(axis(a)));
    let spread = Vec3::from_fn(|a, _| {
        let off = median(fixed.iter().map(|e| (e.position[a] - middle[a]).abs()).collect());
        // quieter than the receiver says for a moment proves nothing
        (1.4826 * off).max(0.5 * median(fixed.iter().map(|e| e.sigma[a]).collect())).max(1e-4)
    });
    // half here and half there, and no epoch stands out: the scatter is far beyond what the receiver states
    let stated = |a: usize| median(fixed.iter().map(|e| e.sigma[a]).collect());
    if (0..3).any(|a| spread[a] > TORN * stated(a)) {
        return Err(OccupationError::TwoSolutions);
    }
    let near = |e: &&&Epoch| (0..3).all(|a| (e.position[a] - middle[a]).abs() <= OUTLIER * spread[a]);
    let used: Vec<&Epoch> = fixed.iter().filter(near).copied().collect();
    if 2 * used.len() <= fixed.len() || used.len() < FEWEST {
        return Err(OccupationError::TwoSolutions);
    }
    let n = used.len() as f64;
    let mean = used.iter().map(|e| e.position).sum::<Vec3>() / n;
    let residual = |e: &Epoch, a: usize| e.position[a] - mean[a];
    let mut sigma = Vec3::zeros();
    let mut independent = n;
    for a in 0..3 {
        let variance = used.iter().map(|e| residual(e, a).powi(2)).sum::<f64>() / (n - 1.0);
        let here = n_independent(&used.iter().map(|e| residual(e, a)).collect::<Vec<f64>>(), variance);
        independent = independent.min(here);
        let stated = median(used.iter().map(|e| e.sigma[a]).collect());
        // few that are independent say little of the variance: what the receiver states counts as some more
        let pooled = (variance * here + 4.0 * stated * stated) / (here + 4.0);
        let (common, pole) = if a == 2 { (COMMON[1], POLE[1]) } else { (COMMON[0], POLE[0]) };
        sigma[a] = (pooled / here + common * common + pole * pole).sqrt();
    }
    let scatter = used.iter().flat_map(|e| (0..3).map(|a| residual(e, a).abs() / spread[a])).fold(0.0, f64::max);
    Ok(Occupied {
        position: mean - Vec3::new(0.0, 0.0, pole),
        sigma,
        used: used.len(),
        of: epochs.len(),
        independent,
        scatter,
    })
}

/// Two occupations within this share what satellites and reflections do, seconds.
pub const SOON: f64 = 1800.0;

/// A mark occupied again `apart` seconds later: whether both agree, and their mean. What a whole session has alike is in
/// both the more, the sooner the second follows: then it shows less in their difference, and the mean is not better for it.
pub fn repeated(first: &Occupied, second: &Occupied, apart: f64) -> Repeat {
    let alike = (1.0 - apart.abs() / SOON).max(0.0);
    let common = |a: usize| if a == 2 { COMMON[1] } else { COMMON[0] };
    // σ without what both have alike
    let own = |o: &Occupied, a: usize| (o.sigma[a].powi(2) - alike * common(a).powi(2)).max(1e-8).sqrt();
    let difference = second.position - first.position;
    let sigma = Vec3::from_fn(|a, _| own(first, a).hypot(own(second, a)));
    let weight = |o: &Occupied, a: usize| own(o, a).powi(-2);
    let whole = Vec3::from_fn(|a, _| weight(first, a) + weight(second, a));
    let mean = Vec3::from_fn(|a, _| {
        (weight(first, a) * first.position[a] + weight(second, a) * second.position[a]) / whole[a]
    });
    Repeat {
        difference,
        sigma,
        mean,
        mean_sigma: Vec3::from_fn(|a, _| (1.0 / whole[a] + alike * common(a).powi(2)).sqrt()),
        // three coordinates: 1 % over all of them
        agrees: (0..3).all(|a| difference[a].abs() <= 2.93 * sigma[a]),
    }
}

/// How many independent epochs would leave the mean as uncertain as these (residuals, in order of time): by the correlation
/// of each with the next, and by the means of batches, which see what lasts longer; the smaller of both.
fn n_independent(residuals: &[f64], variance: f64) -> f64 {
    let n = residuals.len() as f64;
    let variance = variance.max(1e-12);
    let next: f64 = residuals.windows(2).map(|w| w[0] * w[1]).sum::<f64>() / (n - 1.0);
    let r = (next / variance).clamp(0.0, 0.98);
    let by_neighbours = n * (1.0 - r) / (1.0 + r);
    let batches = (residuals.len() / BATCH).min(12);
    let by_batches = if batches < 3 {
        n
    } else {
        let wide = residuals.len() / batches;
        let means: Vec<f64> = residuals.chunks_exact(wide).map(|c| c.iter().sum::<f64>() / wide as f64).collect();
        let m = means.len() as f64;
        let of_mean = means.iter().map(|v| v * v).sum::<f64>() / (m - 1.0) / m;
        variance / of_mean.max(1e-12)
    };
    by_neighbours.min(by_batches).clamp(1.0, n)
}

fn median(mut values: Vec<f64>) -> f64 {
    let k = values.len() / 2;
    if values.is_empty() {
        return 0.0;
    }
    *values.select_nth_unstable_by(k, f64::total_cmp).1
}
