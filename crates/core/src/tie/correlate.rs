//! Pictures from above laid over one another in all shifts at once.

use rustfft::num_complex::Complex32;

/// A position on a picture that has no border: what leaves on one side comes in on the other.
pub(super) fn wrap(k: i64, size: usize) -> usize {
    k.rem_euclid(size as i64) as usize
}

/// The next size that a transform is quick for: no factors but 2, 3 and 5.
pub(super) fn smooth(least: usize) -> usize {
    let quick = |mut n: usize| {
        for f in [2, 3, 5] {
            while n.is_multiple_of(f) {
                n /= f;
            }
        }
        n == 1
    };
    (least.max(1)..=least.next_power_of_two()).find(|n| quick(*n)).unwrap_or(least)
}

/// Along the rows, then along the columns. What comes out is transposed; after the way back it is upright again.
pub(super) fn both_ways(fft: &dyn rustfft::Fft<f32>, mut data: Vec<Complex32>, size: usize) -> Vec<Complex32> {
    fft.process(&mut data);
    let mut turned = transposed(&data, size);
    fft.process(&mut turned);
    turned
}

/// In blocks, so that both sides stay in the cache.
fn transposed(data: &[Complex32], size: usize) -> Vec<Complex32> {
    const BLOCK: usize = 32;
    let mut out = vec![Complex32::new(0.0, 0.0); data.len()];
    for j in (0..size).step_by(BLOCK) {
        for i in (0..size).step_by(BLOCK) {
            for y in j..(j + BLOCK).min(size) {
                for x in i..(i + BLOCK).min(size) {
                    out[x * size + y] = data[y * size + x];
                }
            }
        }
    }
    out
}

/// The highest places of a correlation: shift in pixels and height, none within some pixels of a higher one.
pub(super) fn peaks(back: &[Complex32], size: usize, most: usize) -> Vec<(f64, f64, f64)> {
    const APART: i64 = 4;
    let at = |i: i64, j: i64| back[wrap(j, size) * size + wrap(i, size)].re;
    let rows = size as i64;
    let mut all: Vec<(f32, i64, i64)> = Vec::new();
    for j in 0..rows {
        for i in 0..rows {
            let here = at(i, j);
            let highest = || (-1..=1).all(|dj| (-1..=1).all(|di| at(i + di, j + dj) <= here));
            if here > 0.0 && highest() {
                all.push((here, i, j));
            }
        }
    }
    all.sort_by(|a, b| b.0.total_cmp(&a.0));
    let round = |a: i64, b: i64| (a - b).rem_euclid(rows).min((b - a).rem_euclid(rows));
    let mut best: Vec<(f32, i64, i64)> = Vec::with_capacity(most);
    for p in all {
        if best.len() == most {
            break;
        }
        if best.iter().all(|b| round(b.1, p.1) > APART || round(b.2, p.2) > APART) {
            best.push(p);
        }
    }
    let signed = |k: i64| if k >= rows / 2 { k - rows } else { k } as f64;
    best.into_iter()
        .map(|(v, i, j)| {
            let x = signed(i) + summit(at(i - 1, j), v, at(i + 1, j));
            let y = signed(j) + summit(at(i, j - 1), v, at(i, j + 1));
            (x, y, f64::from(v))
        })
        .collect()
}

/// Where between three values, the middle one the largest, the top of the parabola through them lies: in steps from
/// the middle.
pub(super) fn summit(before: f32, here: f32, after: f32) -> f64 {
    let bend = before - 2.0 * here + after;
    if bend < 0.0 { f64::from(0.5 * (before - after) / bend) } else { 0.0 }
}
