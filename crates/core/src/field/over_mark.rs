use super::polar::Known;
use crate::geometry::{Mat3, Vec3};
use crate::stats::chi2_tail;

/// What a scanner over a mark draws attention to, beside where other control has it.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum MarkRemark {
    /// It stands so far beside the mark, metres: centring, or another mark.
    Beside(f64),
    /// Its axis is so high over the mark and so much was noted, metres: the tape, or another mark.
    Height {
        /// By control.
        found: f64,
        /// By tape.
        noted: f64,
    },
}

/// Chance below which a difference is no noise.
const CHANCE: f64 = 0.001;

/// Compares a scanner that occupies a mark with where control which it shows has it. `axis` (grid, metres) and `covariance`
/// (square metres) are of the scanner, `noted` is the height of the instrument over the mark, metres; `centring` and `tape`
/// are the σ of standing over it and of that height, metres. The mark itself must have taken no part in `axis`.
///
/// ```
/// use vistazo_core::field::{Known, MarkRemark, over_mark};
/// use vistazo_core::geometry::{Mat3, Vec3};
/// let mark = Known { name: "CP1".into(), position: Vec3::new(10.0, 20.0, 50.0), sigma: Vec3::repeat(0.002) };
/// let axis = Vec3::new(10.001, 20.0, 51.652);
/// let said = over_mark(&axis, &(Mat3::identity() * 4e-6), &mark, Some(1.752), 0.001, 0.002);
/// assert!(matches!(said[..], [MarkRemark::Height { found, .. }] if (found - 1.652).abs() < 1e-9));
/// assert!(over_mark(&axis, &(Mat3::identity() * 4e-6), &mark, Some(1.650), 0.001, 0.002).is_empty());
/// ```
pub fn over_mark(
    axis: &Vec3,
    covariance: &Mat3,
    mark: &Known,
    noted: Option<f64>,
    centring: f64,
    tape: f64,
) -> Vec<MarkRemark> {
    let mut out = Vec::new();
    let off = axis - mark.position;
    let plan = covariance.fixed_view::<2, 2>(0, 0)
        + nalgebra::Matrix2::from_diagonal(&mark.sigma.xy().map(|s| s * s + centring * centring));
    let beside = plan.try_inverse().map_or(0.0, |w| (off.xy().transpose() * w * off.xy())[0]);
    if chi2_tail(beside, 2) < CHANCE {
        out.push(MarkRemark::Beside(off.xy().norm()));
    }
    if let Some(noted) = noted {
        let variance = covariance[(2, 2)] + mark.sigma.z.powi(2) + tape * tape;
        if chi2_tail((off.z - noted).powi(2) / variance, 1) < CHANCE {
            out.push(MarkRemark::Height { found: off.z, noted });
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use rand::{Rng, SeedableRng};
    use rand_chacha::ChaCha8Rng;
    use rand_distr::StandardNormal;

    /// Two thousand drawings: nothing is said of what is right, a slip of two centimetres always.
    #[test]
    fn slips_are_said_and_noise_is_not() {
        let mut rng = ChaCha8Rng::seed_from_u64(11);
        let (mut false_alarms, mut missed) = (0, 0);
        for _ in 0..2000 {
            let mut n = |s: f64| s * rng.sample::<f64, _>(StandardNormal);
            let truth = Vec3::new(3.0, -2.0, 10.0);
            let mark = Known {
                name: "M".into(),
                position: truth + Vec3::repeat(0.0).map(|_: f64| n(0.002)),
                sigma: Vec3::repeat(0.002),
            };
            let height = 1.6 + n(0.05);
            let over = truth + Vec3::new(n(0.001), n(0.001), height);
            let axis = over + Vec3::new(n(0.003), n(0.003), n(0.002));
            let c = Mat3::from_diagonal(&Vec3::new(9e-6, 9e-6, 4e-6));
            let noted = height + n(0.0015);
            false_alarms += over_mark(&axis, &c, &mark, Some(noted), 0.001, 0.0015).len();
            let said = over_mark(&axis, &c, &mark, Some(noted + 0.02), 0.001, 0.0015);
            missed += usize::from(!said.iter().any(|r| matches!(r, MarkRemark::Height { .. })));
            let aside = over_mark(&(axis + Vec3::new(0.03, 0.0, 0.0)), &c, &mark, None, 0.001, 0.0015);
            missed += usize::from(!matches!(aside[..], [MarkRemark::Beside(_)]));
        }
        // one in a thousand of four thousand tests, and its own scatter
        assert!(false_alarms <= 12 && missed <= 4000 / 50, "{false_alarms} false, {missed} missed");
    }
}
