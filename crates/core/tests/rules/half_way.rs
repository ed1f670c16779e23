//! How far a walk is off half-way between two places that hold it, against the walk's own steps.

use nalgebra::{DMatrix, DVector};
use vistazo_core::mobile::units;

/// Two thousand steps, each with its own error of place and heading: what is left of the error across the walk in its middle
/// when its end and its direction there are known. Conditional variance of jointly normal figures; no formula of a bridge.
#[test]
fn half_way_is_what_steps_add_up_to_between_ties() {
    let n = 2000;
    for unit in units() {
        for (length, speed) in [(20.0, 0.7), (120.0, 1.0)] {
            let dt = length / speed / f64::from(n);
            let (place, turn) = (unit.drift.walked * (speed * dt).sqrt(), unit.drift.heading * dt.sqrt());
            // what each step's error does to the middle, the end, and the heading at the end
            let count = n as usize;
            let row = |k: usize| {
                DVector::from_fn(2 * count, |i, _| {
                    let (step, heading) = (i % count, i >= count);
                    let walked = if step < k { (k - step) as f64 * dt * speed } else { 0.0 };
                    if heading { turn * walked } else { f64::from(u8::from(step < k)) * place }
                })
            };
            let (middle, end) = (row(count / 2), row(count));
            let facing = DVector::from_fn(2 * count, |i, _| if i >= count { turn } else { 0.0 });
            let known = DMatrix::from_columns(&[end, facing]);
            let (vv, cv) = (known.tr_mul(&known), known.tr_mul(&middle));
            let left = middle.dot(&middle) - cv.dot(&(vv.try_inverse().unwrap() * &cv));
            let stated = unit.drift.half_way(length, speed);
            let ratio = left.sqrt() / stated;
            // place and heading help to tell one another apart: what is stated may be a little more than that
            assert!((0.9..1.01).contains(&ratio), "{} over {length} m: {:.4} of {stated:.4}", unit.name, left.sqrt());
        }
    }
}
