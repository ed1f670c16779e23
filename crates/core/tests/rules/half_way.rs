//! How far a walk is off half-way between two places that hold it, against the walk's own steps.

use nalgebra::{DMatrix, DVector};
use vistazo_core::mobile::units;
use vistazo_core::walks::half_way;

/// A thousand steps, each with its own error of place and heading and its own change of what the rate of the heading and the length of
/// ways are wrong by: what is left of the error across and along the walk in its middle when its end and its direction
/// there are known. Conditional variance of jointly normal figures; no graph, no formula of a bridge.
#[test]
fn half_way_is_what_steps_add_up_to_between_ties() {
    let n: u32 = 1000;
    let count = n as usize;
    for unit in units() {
        for (length, speed) in [(30.0, 0.7), (120.0, 1.0)] {
            let dt = length / speed / f64::from(n);
            let step = speed * dt;
            let (place, turn) = (unit.drift.walked * step.sqrt(), unit.drift.heading * dt.sqrt());
            let (rate, scale) = (unit.habits.rate, unit.habits.scale);
            let later = |of: [f64; 2], i: usize| if i == 0 { of[0] } else { of[1] * dt.sqrt() };
            // of each lot of errors: steps, headings, changes of the rate (the first is that at the start); what each does after k steps
            let across = |k: usize| {
                DVector::from_fn(3 * count, |i, _| {
                    let (s, after) = (i % count, (k.saturating_sub(i % count)) as f64);
                    match i / count {
                        0 => f64::from(u8::from(s < k)) * place,
                        1 => turn * after * step,
                        _ => later(rate, s) * dt * after * after / 2.0 * step,
                    }
                })
            };
            let facing = DVector::from_fn(3 * count, |i, _| match i / count {
                0 => 0.0,
                1 => turn,
                _ => later(rate, i % count) * dt * (count - i % count) as f64,
            });
            let along = |k: usize| {
                DVector::from_fn(3 * count, |i, _| {
                    let (s, after) = (i % count, (k.saturating_sub(i % count)) as f64);
                    match i / count {
                        0 => f64::from(u8::from(s < k)) * place,
                        1 => later(scale, s) * after * step,
                        _ => 0.0,
                    }
                })
            };
            let left = |middle: &DVector<f64>, known: &DMatrix<f64>| {
                let (vv, cv) = (known.tr_mul(known), known.tr_mul(middle));
                (middle.dot(middle) - cv.dot(&(vv.try_inverse().unwrap() * &cv))).sqrt()
            };
            let half = count / 2;
            let off = left(&across(half), &DMatrix::from_columns(&[across(count), facing]))
                .max(left(&along(half), &DMatrix::from_columns(&[along(count)])));
            let stated = half_way(&unit, length, speed);
            let ratio = off / stated;
            // it is cut into pieces of 3 m: its ends lie a piece within
            assert!((0.9..1.12).contains(&ratio), "{} over {length} m: {off:.4} of {stated:.4}", unit.name);
        }
    }
}
