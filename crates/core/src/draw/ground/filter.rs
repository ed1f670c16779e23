//! The simple morphological filter on a raster (Pingel, Clarke & `McBride` 2013).

/// The surface that is left when all that stands out is taken off, filled where nothing is. What nobody saw holds nothing
/// up: a platform at the rim is no wider for what lies unseen behind it.
pub(super) fn opened(lowest: &[f64], size: [usize; 2], cell: f64, widest: f64, slope: f64) -> Vec<f64> {
    let mut now = lowest.to_vec();
    let mut off = vec![false; now.len()];
    let most = (widest / cell).ceil() as usize;
    let mut window = 1;
    while window <= most {
        let open = opening(&now, size, window);
        // elevation threshold of this window
        let limit = slope * (window as f64) * cell;
        for (k, v) in open.iter().enumerate() {
            if now[k] - v > limit.max(super::raster::SLICE * 1.5) {
                off[k] = true;
            }
        }
        now = open;
        window = (window + 1).max(window * 5 / 4);
    }
    let left: Vec<f64> = lowest.iter().zip(&off).map(|(v, o)| if *o { f64::NAN } else { *v }).collect();
    filled(&left, size)
}

/// Steepest rise over run at each cell.
pub(super) fn slopes(surface: &[f64], [w, h]: [usize; 2], cell: f64) -> Vec<f64> {
    let at = |x: usize, y: usize| surface[y * w + x];
    (0..surface.len())
        .map(|k| {
            let (x, y) = (k % w, k / w);
            let (l, r) = (x.saturating_sub(1), (x + 1).min(w - 1));
            let (b, t) = (y.saturating_sub(1), (y + 1).min(h - 1));
            let dx = (at(r, y) - at(l, y)) / ((r - l).max(1) as f64 * cell);
            let dy = (at(x, t) - at(x, b)) / ((t - b).max(1) as f64 * cell);
            dx.hypot(dy)
        })
        .collect()
}

/// Opening with a square of half-width `r`: lowest, then highest, of windows about what was seen; the rest stays missing.
fn opening(v: &[f64], size: [usize; 2], r: usize) -> Vec<f64> {
    let seen = |k: usize, z: f64, none: f64| if v[k].is_nan() { none } else { z };
    let high: Vec<f64> = (0..v.len()).map(|k| seen(k, v[k], f64::INFINITY)).collect();
    let low = square(&high, size, r, f64::min, f64::INFINITY);
    let low: Vec<f64> = low.iter().enumerate().map(|(k, z)| seen(k, *z, f64::NEG_INFINITY)).collect();
    let open = square(&low, size, r, f64::max, f64::NEG_INFINITY);
    open.iter().enumerate().map(|(k, z)| seen(k, *z, f64::NAN)).collect()
}

fn square(v: &[f64], [w, h]: [usize; 2], r: usize, best: fn(f64, f64) -> f64, none: f64) -> Vec<f64> {
    use rayon::prelude::*;
    let mut rows = vec![0.0; v.len()];
    rows.par_chunks_mut(w).zip(v.par_chunks(w)).for_each(|(out, row)| line(row, out, r, best, none));
    let mut columns = vec![0.0; v.len()];
    // columns as rows, there and back
    let turned: Vec<f64> = (0..w).flat_map(|x| (0..h).map(move |y| (x, y))).map(|(x, y)| rows[y * w + x]).collect();
    columns.par_chunks_mut(h).zip(turned.par_chunks(h)).for_each(|(out, c)| line(c, out, r, best, none));
    (0..h).flat_map(|y| (0..w).map(move |x| (x, y))).map(|(x, y)| columns[x * h + y]).collect()
}

/// Lowest or highest of a window that runs along a line, in three looks at each place whatever its width (van Herk 1992).
fn line(v: &[f64], out: &mut [f64], r: usize, best: fn(f64, f64) -> f64, none: f64) {
    let n = v.len();
    let side = 2 * r + 1;
    let at = |k: isize| if k < 0 || k as usize >= n { none } else { v[k as usize] };
    let length = (n + 2 * r).div_ceil(side) * side;
    let (mut ahead, mut back) = (vec![none; length], vec![none; length]);
    for k in 0..length {
        let value = at(k as isize - r as isize);
        ahead[k] = if k % side == 0 { value } else { best(ahead[k - 1], value) };
    }
    for k in (0..length).rev() {
        let value = at(k as isize - r as isize);
        back[k] = if k % side == side - 1 { value } else { best(back[k + 1], value) };
    }
    for (k, o) in out.iter_mut().enumerate() {
        *o = best(back[k], ahead[k + side - 1]);
    }
}

/// Fills what is missing from around it: coarser and coarser means, then a few rounds of smoothing.
pub(super) fn filled(v: &[f64], [w, h]: [usize; 2]) -> Vec<f64> {
    if w == 0 || h == 0 || v.iter().all(|x| x.is_nan()) {
        return v.iter().map(|x| if x.is_nan() { 0.0 } else { *x }).collect();
    }
    if v.iter().all(|x| !x.is_nan()) {
        return v.to_vec();
    }
    let (cw, ch) = (w.div_ceil(2), h.div_ceil(2));
    let mut coarse = vec![f64::NAN; cw * ch];
    for (k, c) in coarse.iter_mut().enumerate() {
        let (x, y) = (k % cw * 2, k / cw * 2);
        let of = [(x, y), (x + 1, y), (x, y + 1), (x + 1, y + 1)];
        let there: Vec<f64> =
            of.into_iter().filter(|p| p.0 < w && p.1 < h).map(|p| v[p.1 * w + p.0]).filter(|z| !z.is_nan()).collect();
        if !there.is_empty() {
            *c = there.iter().sum::<f64>() / there.len() as f64;
        }
    }
    let coarse = filled(&coarse, [cw, ch]);
    let mut out: Vec<f64> =
        (0..w * h).map(|k| if v[k].is_nan() { coarse[k / w / 2 * cw + k % w / 2] } else { v[k] }).collect();
    for _ in 0..4 {
        let before = out.clone();
        for k in (0..w * h).filter(|k| v[*k].is_nan()) {
            let (x, y) = (k % w, k / w);
            let around = [
                before[y * w + x.saturating_sub(1)],
                before[y * w + (x + 1).min(w - 1)],
                before[y.saturating_sub(1) * w + x],
                before[(y + 1).min(h - 1) * w + x],
            ];
            out[k] = around.iter().sum::<f64>() / 4.0;
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_window_finds_the_lowest_about_each_place() {
        let v = [5.0, 3.0, 8.0, 1.0, 9.0, 7.0, 2.0];
        for r in 0..5 {
            let mut out = [0.0; 7];
            line(&v, &mut out, r, f64::min, f64::INFINITY);
            for (k, o) in out.iter().enumerate() {
                let near = &v[k.saturating_sub(r)..(k + r + 1).min(7)];
                let lowest = near.iter().copied().fold(f64::INFINITY, f64::min);
                assert!((o - lowest).abs() < 1e-12, "{r} {k}");
            }
        }
    }

    #[test]
    fn a_platform_at_the_rim_is_taken_off_though_nobody_saw_behind_it() {
        let (w, h) = (80, 60);
        let v: Vec<f64> = (0..w * h)
            .map(|k| match (k % w, k / w) {
                (_, 0..20) => f64::NAN,
                (10..40, 20..26) => 1.25,
                _ => 0.0,
            })
            .collect();
        let open = opened(&v, [w, h], 0.25, 6.0, 0.3);
        assert!(open.iter().skip(20 * w).all(|z| z.abs() < 1e-9));
    }

    #[test]
    fn what_stands_on_a_slope_is_taken_off_and_the_slope_stays() {
        let (w, h) = (80, 60);
        let slope = |k: usize| (k % w) as f64 * 0.25 * 0.1;
        let chest = |k: usize| (20..30).contains(&(k % w)) && (20..34).contains(&(k / w));
        let v: Vec<f64> = (0..w * h).map(|k| slope(k) + if chest(k) { 0.9 } else { 0.0 }).collect();
        let open = opened(&v, [w, h], 0.25, 6.0, 0.3);
        for (k, z) in open.iter().enumerate() {
            let off = (z - slope(k)).abs();
            assert!(off < if chest(k) { 0.12 } else { 1e-9 }, "{k} {off}");
        }
    }
}
