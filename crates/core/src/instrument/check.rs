use super::Instrument;
use crate::adjust::Parameter;
use crate::stats::chi2_tail;
use nalgebra::{DMatrix, DVector};
use std::f64::consts::TAU;

/// A target read in both faces from one set-up: direction (radians, anticlockwise) and elevation (radians) of each.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct TwoFaces {
    /// In the first face.
    pub first: [f64; 2],
    /// In the second, brought to the sense of the first.
    pub second: [f64; 2],
}

/// A distance that is known, and what the instrument made of it, metres.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct KnownDistance {
    /// What is known.
    pub known: f64,
    /// Its standard deviation.
    pub sigma: f64,
    /// What was measured, the mean of a scanned target.
    pub measured: f64,
}

/// Under what conditions an instrument was checked.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Conditions {
    /// How long it had been on, seconds.
    pub on_for: f64,
    /// Temperature of the check, °C.
    pub temperature: f64,
    /// Temperature of the job, °C, when it is known.
    pub job_temperature: Option<f64>,
}

/// What was read, and under what conditions.
#[derive(Clone, Debug, PartialEq)]
pub struct InstrumentCheck {
    /// Targets in two faces.
    pub faces: Vec<TwoFaces>,
    /// Known distances.
    pub distances: Vec<KnownDistance>,
    /// Conditions.
    pub conditions: Conditions,
}

/// What to do with an error that was found.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Advice {
    /// It does not differ from zero by more than the check can tell, or not by enough to matter.
    Leave,
    /// Take it into the profile of the instrument.
    Apply,
    /// The check does not decide: repeat it as said.
    Repeat,
    /// Beyond what a healthy instrument has: send it in.
    SendIn,
}

/// Why a check has to be repeated.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Doubt {
    /// The readings do not fit one another: a target moved, or somebody walked on the floor. Chance of it.
    Readings(f64),
    /// It was not on long enough: so many seconds are missing.
    NotWarm(f64),
    /// It was so many °C warmer (negative: colder) than the job is.
    Temperature(f64),
    /// The layout does not tell this error: its σ beside that of the profile.
    Layout(f64),
}

/// One error of an instrument as a check found it. Units of its parameter: metres, metres per metre, or radians.
#[derive(Clone, Debug, PartialEq)]
pub struct ErrorFound {
    /// Which.
    pub parameter: Parameter,
    /// Value, to be taken from what is measured.
    pub value: f64,
    /// Its σ.
    pub sigma: f64,
    /// σ of a healthy instrument of this profile.
    pub usual: f64,
    /// It differs from zero at 99 %.
    pub significant: bool,
    /// What to do.
    pub advice: Advice,
    /// What keeps the check from deciding.
    pub doubts: Vec<Doubt>,
}

/// A check warm by so many degrees more or less than the job says nothing about the job, °C.
pub const SAME_TEMPERATURE: f64 = 10.0;
/// Beyond so many σ of the profile an instrument is not healthy.
const UNHEALTHY: f64 = 4.0;
/// An error is applied when it is so much of the profile's σ: less is within what the profile counts anyway.
const MATTERS: f64 = 0.5;
/// Two-sided 99 %.
const K99: f64 = 2.576;
/// The readings fit one another, above this chance.
const FITS: f64 = 0.01;

/// Estimates the errors of an instrument from a check, and says what to do with each.
///
/// Half the difference of the two faces is c / cos e + t tan e in direction (collimation, trunnion) and the index in
/// elevation; known distances give zero offset and, when they differ enough, scale. Each group is adjusted by least squares
/// with the noise of the profile. What is not significant is left; a check at another temperature than the job, of a cold
/// instrument, or whose readings do not fit one another is repeated and never applied.
pub fn check_instrument(check: &InstrumentCheck, profile: &Instrument) -> Vec<ErrorFound> {
    let mut out = Vec::new();
    let noise = profile.angular_sigma;
    if !check.faces.is_empty() {
        let half = |a: f64, b: f64| ((a - b + TAU / 2.0).rem_euclid(TAU) - TAU / 2.0) / 2.0;
        let rows: Vec<Row<2>> = check
            .faces
            .iter()
            .map(|f| {
                let e = f64::midpoint(f.first[1], f.second[1]);
                Row {
                    design: [1.0 / e.cos(), e.tan()],
                    value: half(f.first[0], f.second[0]),
                    sigma: noise / (2.0_f64.sqrt() * e.cos()),
                }
            })
            .collect();
        out.extend(estimate(&rows, [Parameter::Collimation, Parameter::Trunnion], profile));
        let rows: Vec<Row<1>> = check
            .faces
            .iter()
            .map(|f| Row {
                design: [1.0],
                value: (f.first[1] - f.second[1]) / 2.0,
                sigma: noise.hypot(profile.compensator_sigma.unwrap_or(0.0)) / 2.0_f64.sqrt(),
            })
            .collect();
        out.extend(estimate(&rows, [Parameter::Index], profile));
    }
    let sigma = |d: &KnownDistance| d.sigma.hypot(profile.range_noise(d.known, 1.0) / TAKEN_TOGETHER);
    let difference = |d: &KnownDistance| d.measured - d.known;
    if check.distances.len() > 1 {
        let rows: Vec<Row<2>> = check
            .distances
            .iter()
            .map(|d| Row { design: [1.0, d.known], value: difference(d), sigma: sigma(d) })
            .collect();
        // distances that are all alike do not tell a scale from an offset: the offset is found with the scale of the profile
        match estimate(&rows, [Parameter::RangeOffset, Parameter::RangeScale], profile) {
            found if found.len() == 2 && found[1].sigma < found[1].usual => out.extend(found),
            _ => out.extend(offset_only(check, &sigma, profile)),
        }
    } else {
        out.extend(offset_only(check, &sigma, profile));
    }
    for found in &mut out {
        found.doubts.extend(of_conditions(&check.conditions, profile));
        found.advice = advice(found);
    }
    out
}

/// Points of a scanned target that are averaged leave this share of the noise of one: an offset that is in all of them stays.
const TAKEN_TOGETHER: f64 = 5.0;

fn offset_only(
    check: &InstrumentCheck,
    sigma: &dyn Fn(&KnownDistance) -> f64,
    profile: &Instrument,
) -> Vec<ErrorFound> {
    let rows: Vec<Row<1>> = check
        .distances
        .iter()
        .map(|d| Row {
            design: [1.0],
            value: d.measured - d.known,
            sigma: sigma(d).hypot(profile.systematic.range_scale * d.known),
        })
        .collect();
    estimate(&rows, [Parameter::RangeOffset], profile)
}

struct Row<const N: usize> {
    design: [f64; N],
    value: f64,
    sigma: f64,
}

/// Weighted least squares; nothing where the rows do not determine it.
fn estimate<const N: usize>(rows: &[Row<N>], of: [Parameter; N], profile: &Instrument) -> Vec<ErrorFound> {
    if rows.len() < N {
        return Vec::new();
    }
    let design = DMatrix::from_fn(rows.len(), N, |i, j| rows[i].design[j] / rows[i].sigma);
    let value = DVector::from_fn(rows.len(), |i, _| rows[i].value / rows[i].sigma);
    let Some(covariance) = (design.transpose() * &design).try_inverse() else { return Vec::new() };
    let found = &covariance * design.transpose() * &value;
    let residual = &value - &design * &found;
    let dof = rows.len() - N;
    let p = if dof > 0 { chi2_tail(residual.norm_squared(), dof) } else { 1.0 };
    (0..N)
        .map(|k| {
            let (value, sigma, usual) = (found[k], covariance[(k, k)].sqrt(), of[k].sigma(&profile.systematic));
            let mut doubts = Vec::new();
            if p < FITS {
                doubts.push(Doubt::Readings(p));
            }
            if usual > 0.0 && sigma > usual {
                doubts.push(Doubt::Layout(sigma / usual));
            }
            let significant = value.abs() > K99 * sigma;
            ErrorFound { parameter: of[k], value, sigma, usual, significant, advice: Advice::Leave, doubts }
        })
        .collect()
}

fn of_conditions(c: &Conditions, profile: &Instrument) -> Vec<Doubt> {
    let mut out = Vec::new();
    if c.on_for < profile.warm_up {
        out.push(Doubt::NotWarm(profile.warm_up - c.on_for));
    }
    if let Some(job) = c.job_temperature.filter(|j| (c.temperature - j).abs() > SAME_TEMPERATURE) {
        out.push(Doubt::Temperature(c.temperature - job));
    }
    out
}

fn advice(found: &ErrorFound) -> Advice {
    if !found.doubts.is_empty() {
        return Advice::Repeat;
    }
    match (found.significant, found.value.abs() / found.usual.max(1e-12)) {
        (true, beyond) if beyond > UNHEALTHY => Advice::SendIn,
        (true, beyond) if beyond > MATTERS => Advice::Apply,
        _ => Advice::Leave,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rand::{Rng, SeedableRng};
    use rand_chacha::ChaCha8Rng;
    use rand_distr::StandardNormal;

    /// What an instrument with errors reads of six targets high and low, by the geometry of a tilted axis, not by the
    /// formulas that are tested.
    fn read(errors: [f64; 5], rng: &mut ChaCha8Rng, profile: &Instrument) -> InstrumentCheck {
        let [offset, scale, collimation, trunnion, index] = errors;
        let mut noise = |s: f64| s * rng.sample::<f64, _>(StandardNormal);
        let sighted = |azimuth: f64, elevation: f64, face: f64| -> [f64; 2] {
            // the ray of the instrument turned about its own axes until it meets the target: found by iteration
            let target = nalgebra::Vector3::new(
                azimuth.cos() * elevation.cos(),
                azimuth.sin() * elevation.cos(),
                elevation.sin(),
            );
            let (mut a, mut e) = (azimuth, elevation);
            for _ in 0..20 {
                let head = nalgebra::Rotation3::from_axis_angle(&nalgebra::Vector3::z_axis(), a);
                let tilt = nalgebra::Rotation3::from_axis_angle(&nalgebra::Vector3::x_axis(), face * trunnion);
                let lift = nalgebra::Rotation3::from_axis_angle(&nalgebra::Vector3::y_axis(), -e);
                let ray = head * tilt * lift * nalgebra::Vector3::new(1.0, -face * collimation, 0.0).normalize();
                let off = target - ray;
                let side = nalgebra::Vector3::new(-azimuth.sin(), azimuth.cos(), 0.0);
                let up = side.cross(&target) * -1.0;
                a += off.dot(&side) / elevation.cos();
                e += off.dot(&up);
            }
            [a, e + face * index]
        };
        let faces = [(0.1, -0.6), (1.2, 0.5), (2.5, -0.1), (3.4, 0.55), (4.6, -0.5), (5.6, 0.2)]
            .map(|(az, el)| {
                let mut face = |f: f64| {
                    let [a, e] = sighted(az, el, f);
                    let level = profile.angular_sigma.hypot(profile.compensator_sigma.unwrap_or(0.0));
                    [a + noise(profile.angular_sigma / f64::cos(el)), e + noise(level)]
                };
                let first = face(1.0);
                TwoFaces { first, second: face(-1.0) }
            })
            .to_vec();
        let distances = [5.0, 12.0, 20.0, 60.0, 110.0]
            .map(|known| {
                let measured = known
                    + offset
                    + scale * known
                    + noise(profile.range_noise(known, 1.0) / TAKEN_TOGETHER)
                    + noise(0.0003);
                KnownDistance { known, sigma: 0.0003, measured }
            })
            .to_vec();
        let conditions = Conditions { on_for: 3600.0, temperature: 14.0, job_temperature: Some(11.0) };
        InstrumentCheck { faces, distances, conditions }
    }

    #[test]
    fn planted_errors_come_out_within_their_sigma() {
        let profile = Instrument::mid_range();
        let mut rng = ChaCha8Rng::seed_from_u64(4);
        let arc = std::f64::consts::PI / 648_000.0;
        let (mut within, mut all, mut squares) = (0, 0, 0.0);
        for _ in 0..500 {
            let mut drawn = |s: f64| s * rng.sample::<f64, _>(StandardNormal);
            let planted = [drawn(0.002), drawn(15e-6), drawn(12.0 * arc), drawn(9.0 * arc), drawn(12.0 * arc)];
            let found = check_instrument(&read(planted, &mut rng, &profile), &profile);
            for f in found {
                let k = match f.parameter {
                    Parameter::RangeOffset => 0,
                    Parameter::RangeScale => 1,
                    Parameter::Collimation => 2,
                    Parameter::Trunnion => 3,
                    _ => 4,
                };
                let off = (f.value - planted[k]) / f.sigma;
                all += 1;
                within += usize::from(off.abs() < 1.96);
                squares += off * off;
            }
        }
        assert!(all >= 2000, "{all}");
        let share = within as f64 / f64::from(all);
        println!("{within} of {all} within 95 %, mean square {:.2}", squares / f64::from(all));
        assert!((0.93..0.97).contains(&share), "{share}");
    }

    #[test]
    fn what_is_not_significant_is_never_applied() {
        let profile = Instrument::mid_range();
        let mut rng = ChaCha8Rng::seed_from_u64(5);
        let mut applied = 0;
        for _ in 0..200 {
            for f in check_instrument(&read([0.0; 5], &mut rng, &profile), &profile) {
                assert!(f.significant || matches!(f.advice, Advice::Leave | Advice::Repeat), "{f:?}");
                applied += usize::from(f.advice == Advice::Apply);
            }
        }
        // 1 % of what is healthy looks significant by chance
        assert!(applied <= 20, "{applied} of 1000");
    }

    #[test]
    fn a_warm_check_says_nothing_about_a_frozen_job_and_a_moved_target_shows() {
        let profile = Instrument::mid_range();
        let mut rng = ChaCha8Rng::seed_from_u64(6);
        let planted = [0.004, 0.0, 1e-4, 0.0, 0.0];
        let mut check = read(planted, &mut rng, &profile);
        let found = check_instrument(&check, &profile);
        assert!(found.iter().any(|f| f.advice == Advice::Apply || f.advice == Advice::SendIn), "{found:?}");
        check.conditions.job_temperature = Some(-12.0);
        assert!(check_instrument(&check, &profile).iter().all(|f| f.advice == Advice::Repeat));
        let mut check = read(planted, &mut rng, &profile);
        check.conditions.on_for = 60.0;
        let not_warm = |f: &ErrorFound| f.doubts.iter().any(|d| matches!(d, Doubt::NotWarm(s) if *s > 0.0));
        assert!(check_instrument(&check, &profile).iter().all(not_warm));
        let mut check = read(planted, &mut rng, &profile);
        check.faces[2].second[0] += 2e-4;
        let found = check_instrument(&check, &profile);
        let c = found.iter().find(|f| f.parameter == Parameter::Collimation).unwrap();
        assert!(c.advice == Advice::Repeat && matches!(c.doubts[..], [Doubt::Readings(_)]), "{c:?}");
        check.distances.clear();
        check.faces.truncate(1);
        assert!(check_instrument(&check, &profile).iter().all(|f| f.parameter == Parameter::Index));
    }
}
