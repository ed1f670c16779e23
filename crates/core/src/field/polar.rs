use super::set_up_doubts::{SetUpRemark, remarks, unlike};
use crate::geometry::{Mat3, Vec3};
use crate::stats::chi2_tail;
use nalgebra::{DMatrix, DVector, Matrix4};
use std::f64::consts::TAU;

/// A point whose coordinates are known, grid, metres.
#[derive(Clone, Debug, PartialEq)]
pub struct Known {
    /// Its name.
    pub name: String,
    /// E, N, H.
    pub position: Vec3,
    /// Standard deviations of E, N, H.
    pub sigma: Vec3,
}

/// What a total station reads to a point.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Reading {
    /// On the horizontal circle, clockwise, radians.
    pub direction: f64,
    /// From the zenith, radians.
    pub zenith: f64,
    /// Slope distance, metres; none when only angles were read.
    pub distance: Option<f64>,
    /// Height of the reflector over the point, metres.
    pub height: f64,
    /// Its σ in direction (radians), zenith (radians) and distance (metres) where they were found by themselves, as by
    /// [`fine_point`](super::fine_point); without, [`Accuracy`] says them.
    pub sigma: Option<[f64; 3]>,
}

/// How well a total station reads.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Accuracy {
    /// σ of a direction and of a zenith angle, radians.
    pub angle: f64,
    /// σ of a distance, metres.
    pub distance: f64,
    /// And more for each metre of it.
    pub per_metre: f64,
    /// σ of a measured height of the instrument or of a reflector, metres.
    pub height: f64,
    /// σ of standing over a point, and of a reflector over its own, metres.
    pub centring: f64,
}

impl Accuracy {
    /// Of a common instrument: 2 arc seconds, 1.5 mm and 2 mm a kilometre, heights by tape.
    pub const USUAL: Self = Self { angle: 9.7e-6, distance: 0.0015, per_metre: 2e-6, height: 0.0015, centring: 0.001 };

    /// σ of direction, zenith and distance over `reach` metres, reflector included.
    fn of(&self, r: &Reading, reach: f64) -> [f64; 3] {
        let [direction, zenith, distance] =
            r.sigma.unwrap_or([self.angle, self.angle, self.distance + self.per_metre * reach]);
        // what is pointed at without a reflector stands over nothing
        let held = if r.height > 0.0 { self.centring } else { 0.0 };
        [direction.hypot(held / reach.max(0.1)), zenith, distance]
    }
}

/// Where the instrument stands.
#[derive(Clone, Debug, PartialEq)]
pub enum Stand {
    /// Over a known point, so many metres above it.
    Over(Known, f64),
    /// Anywhere: its place comes from what it reads.
    Free,
}

/// A set-up as it came out.
#[derive(Clone, Debug, PartialEq)]
pub struct SetUp {
    /// The axis of the instrument, grid, metres.
    pub position: Vec3,
    /// Bearing of zero on its circle, clockwise from grid north, radians.
    pub orientation: f64,
    /// Covariance of E, N, H (square metres) and orientation (square radians).
    pub covariance: Matrix4<f64>,
    /// What is left of each sight.
    pub residuals: Vec<SightLeft>,
    /// Chance of residuals as large as these or larger; 1 where nothing checks.
    pub chance: f64,
    /// What to look at before anything is measured from here.
    pub remarks: Vec<SetUpRemark>,
    scale: f64,
}

/// What is left of a sight after the adjustment, metres at the point.
#[derive(Clone, Debug, PartialEq)]
pub struct SightLeft {
    /// The point.
    pub name: String,
    /// Across the line of sight, clockwise positive.
    pub across: f64,
    /// Along it; none without a distance.
    pub along: Option<f64>,
    /// In height, up positive.
    pub up: f64,
    /// The largest of them beside its σ.
    pub worst: f64,
}

/// Why there is no set-up.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum SetUpError {
    /// Fewer known points than are needed, with distances: found, needed.
    TooFew(usize, usize),
    /// The known points lie at one place.
    OnePlace,
    /// The sights contradict one another so much that no place fits.
    NoPlace,
}

/// A new point.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct PolarPoint {
    /// Grid, metres.
    pub position: Vec3,
    /// Covariance, square metres: of the set-up and of the reading.
    pub covariance: Mat3,
}

/// Below this chance the sights do not fit.
pub(super) const FITS: f64 = 0.01;
/// Earth's radius over what refraction leaves of curvature, metres.
const BENT: f64 = 6_371_000.0 / (1.0 - 0.13);

/// What would be read to a point from a set-up: direction, zenith, distance.
pub(super) fn read(at: &Vec3, orientation: f64, point: &Vec3, height: f64, scale: f64) -> [f64; 3] {
    let d = point - at;
    let flat = d.x.hypot(d.y) / scale;
    let up = d.z + height - flat * flat / (2.0 * BENT);
    [d.x.atan2(d.y) - orientation, flat.atan2(up), flat.hypot(up)]
}

pub(super) fn turn(a: f64) -> f64 {
    a - TAU * (a / TAU).round()
}

/// Adjusts a set-up: over a known point with backsights, or a free station (resection) from two known points or more with
/// distances. `scale` is grid over ground. The known points take part with their σ, so that the covariance holds what they
/// bring along; the one sight that does not fit is named where the others can tell.
///
/// # Errors
/// [`SetUpError`] when the place is not determined.
pub fn set_up(
    stand: &Stand,
    sights: &[(Known, Reading)],
    accuracy: &Accuracy,
    scale: f64,
) -> Result<SetUp, SetUpError> {
    let (at, orientation) = first_place(stand, sights, scale)?;
    let known: Vec<&Known> = match stand {
        Stand::Over(k, _) => std::iter::once(k).chain(sights.iter().map(|s| &s.0)).collect(),
        Stand::Free => sights.iter().map(|s| &s.0).collect(),
    };
    let offset = known.len() - sights.len();
    let n = 4 + 3 * known.len();
    let mut x = DVector::zeros(n);
    x.fixed_rows_mut::<3>(0).copy_from(&at);
    x[3] = orientation;
    for (k, p) in known.iter().enumerate() {
        x.fixed_rows_mut::<3>(4 + 3 * k).copy_from(&p.position);
    }
    // observed less computed, each over its σ
    let residuals = |x: &DVector<f64>| -> Vec<f64> {
        let vec = |k: usize| Vec3::new(x[k], x[k + 1], x[k + 2]);
        let mut out = Vec::new();
        for (k, p) in known.iter().enumerate() {
            let off = p.position - vec(4 + 3 * k);
            out.extend((0..3).map(|a| off[a] / p.sigma[a].max(1e-5)));
        }
        if let Stand::Over(_, height) = stand {
            let off = vec(4) + Vec3::new(0.0, 0.0, *height) - vec(0);
            out.extend([off.x / accuracy.centring, off.y / accuracy.centring, off.z / accuracy.height]);
        }
        for (k, (_, r)) in sights.iter().enumerate() {
            let [direction, zenith, distance] = read(&vec(0), x[3], &vec(4 + 3 * (k + offset)), r.height, scale);
            let [sd, sz, ss] = accuracy.of(r, distance);
            // a reflector's height is off by its own σ, seen at that distance
            let sz = if r.height > 0.0 { sz.hypot(accuracy.height / distance.max(0.1)) } else { sz };
            out.push(turn(r.direction - direction) / sd);
            out.push((r.zenith - zenith) / sz);
            out.extend(r.distance.map(|d| (d - distance) / ss));
        }
        out
    };
    let mut inverse = DMatrix::zeros(n, n);
    let mut jacobian = DMatrix::zeros(0, n);
    for round in 0..20 {
        let v = DVector::from_vec(residuals(&x));
        jacobian = DMatrix::zeros(v.len(), n);
        for c in 0..n {
            let step = if c == 3 { 1e-6 } else { 1e-4 };
            let (mut more, mut less) = (x.clone(), x.clone());
            more[c] += step;
            less[c] -= step;
            let (more, less) = (residuals(&more), residuals(&less));
            for r in 0..v.len() {
                jacobian[(r, c)] = (more[r] - less[r]) / (2.0 * step);
            }
        }
        let normal = jacobian.transpose() * &jacobian;
        inverse = normal.try_inverse().ok_or(SetUpError::OnePlace)?;
        let step = -(&inverse * jacobian.transpose() * v);
        x += &step;
        if step.iter().any(|s| !s.is_finite()) || round == 19 && step.amax() > 1e-3 {
            return Err(SetUpError::NoPlace);
        }
        if step.amax() < 1e-7 {
            break;
        }
    }
    let v = DVector::from_vec(residuals(&x));
    // the part of each observation that the others check
    let hat = &jacobian * &inverse * jacobian.transpose();
    let w: Vec<f64> = (0..v.len()).map(|k| v[k] / (1.0 - hat[(k, k)]).max(1e-6).sqrt()).collect();
    let free = v.len() - n;
    let chance = if free == 0 { 1.0 } else { chi2_tail(v.norm_squared(), free) };
    let position = Vec3::new(x[0], x[1], x[2]);
    let covariance = inverse.fixed_view::<4, 4>(0, 0).into_owned();
    let mut at = v.len() - sights.iter().map(|s| 2 + usize::from(s.1.distance.is_some())).sum::<usize>();
    let mut left = Vec::new();
    for (k, (p, r)) in sights.iter().enumerate() {
        let of = Vec3::new(x[4 + 3 * (k + offset)], x[5 + 3 * (k + offset)], x[6 + 3 * (k + offset)]);
        // beside the coordinates as they are known: what a slip in them looks like belongs to the sight
        let [direction, zenith, distance] = read(&position, x[3], &p.position, r.height, scale);
        let rows = 2 + usize::from(r.distance.is_some());
        let own = (0..3).map(|a| w[3 * (k + offset) + a].abs());
        let worst = own.chain(w[at..at + rows].iter().map(|w| w.abs())).fold(0.0, f64::max);
        at += rows;
        let flat = (of - position).xy().norm() / scale;
        left.push(SightLeft {
            name: p.name.clone(),
            across: turn(r.direction - direction) * flat,
            along: r.distance.map(|d| d - distance),
            up: -(r.zenith - zenith) * distance,
            worst,
        });
    }
    let mut remarks = remarks(stand, sights, &position, free);
    if chance < FITS {
        remarks.insert(0, unlike(stand, sights, &left, accuracy, scale));
    }
    Ok(SetUp { position, orientation: x[3].rem_euclid(TAU), covariance, residuals: left, chance, remarks, scale })
}

/// A new point from a set-up, with what set-up, reading and reflector bring along.
///
/// # Errors
/// `None` without a distance.
pub fn polar_point(from: &SetUp, r: &Reading, accuracy: &Accuracy) -> Option<PolarPoint> {
    let distance = r.distance?;
    let place = |x: &[f64; 8]| {
        let (sz, cz) = x[5].sin_cos();
        let flat = x[6] * sz;
        let bearing = x[3] + x[4];
        let up = x[6] * cz + flat * flat / (2.0 * BENT) - x[7];
        Vec3::new(x[0] + flat * from.scale * bearing.sin(), x[1] + flat * from.scale * bearing.cos(), x[2] + up)
    };
    let p = from.position;
    let x = [p.x, p.y, p.z, from.orientation, r.direction, r.zenith, distance, r.height];
    let mut jacobian = nalgebra::SMatrix::<f64, 3, 8>::zeros();
    for c in 0..8 {
        let step = if (3..6).contains(&c) { 1e-6 } else { 1e-4 };
        let (mut more, mut less) = (x, x);
        more[c] += step;
        less[c] -= step;
        jacobian.set_column(c, &((place(&more) - place(&less)) / (2.0 * step)));
    }
    let mut c = nalgebra::SMatrix::<f64, 8, 8>::zeros();
    c.fixed_view_mut::<4, 4>(0, 0).copy_from(&from.covariance);
    let [sd, sz, ss] = accuracy.of(r, distance);
    let held = if r.height > 0.0 { accuracy.height } else { 0.0 };
    for (k, s) in [sd, sz, ss, held].into_iter().enumerate() {
        c[(4 + k, 4 + k)] = s * s;
    }
    Some(PolarPoint { position: place(&x), covariance: jacobian * c * jacobian.transpose() })
}

/// Where the adjustment begins: over a point by its first sight, free by the two sights whose points lie farthest apart.
fn first_place(stand: &Stand, sights: &[(Known, Reading)], scale: f64) -> Result<(Vec3, f64), SetUpError> {
    match stand {
        Stand::Over(k, height) => {
            let (to, r) = sights.first().ok_or(SetUpError::TooFew(0, 1))?;
            let d = to.position - k.position;
            if d.xy().norm() < 0.5 {
                return Err(SetUpError::OnePlace);
            }
            Ok((k.position + Vec3::new(0.0, 0.0, *height), d.x.atan2(d.y) - r.direction))
        }
        Stand::Free => {
            let with: Vec<(&Known, &Reading, f64)> =
                sights.iter().filter_map(|(k, r)| Some((k, r, r.distance?))).collect();
            if with.len() < 2 {
                return Err(SetUpError::TooFew(with.len(), 2));
            }
            let apart = |i: usize, j: usize| (with[i].0.position - with[j].0.position).xy().norm();
            let pairs = (0..with.len()).flat_map(|i| (0..i).map(move |j| (i, j)));
            let (i, j) =
                pairs.max_by(|a, b| apart(a.0, a.1).total_cmp(&apart(b.0, b.1))).ok_or(SetUpError::OnePlace)?;
            if apart(i, j) < 0.5 {
                return Err(SetUpError::OnePlace);
            }
            // both points in the frame of the circle, turned onto the grid
            let local = |(_, r, d): &(&Known, &Reading, f64)| {
                let flat = d * r.zenith.sin() * scale;
                nalgebra::Vector2::new(flat * r.direction.sin(), flat * r.direction.cos())
            };
            let (a, b) = (local(&with[i]), local(&with[j]));
            let (from, to) = (b - a, (with[j].0.position - with[i].0.position).xy());
            let orientation = to.x.atan2(to.y) - from.x.atan2(from.y);
            let (s, c) = orientation.sin_cos();
            let turned = nalgebra::Vector2::new(c * a.x + s * a.y, c * a.y - s * a.x);
            let at = with[i].0.position.xy() - turned;
            let z = with[i].0.position.z + with[i].1.height - with[i].2 * with[i].1.zenith.cos();
            Ok((Vec3::new(at.x, at.y, z), orientation))
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rand::{Rng, SeedableRng};
    use rand_chacha::ChaCha8Rng;
    use rand_distr::StandardNormal;

    /// Readings worked out by hand from where things are, not by the functions under test.
    fn look(from: Vec3, zero: f64, to: Vec3, height: f64, off: [f64; 3]) -> Reading {
        let d = to + Vec3::new(0.0, 0.0, height) - from;
        let flat = (d.x * d.x + d.y * d.y).sqrt();
        let up = d.z - flat * flat * (1.0 - 0.13) / (2.0 * 6_371_000.0);
        Reading {
            direction: (std::f64::consts::FRAC_PI_2 - d.y.atan2(d.x) - zero + off[0]).rem_euclid(TAU),
            zenith: std::f64::consts::FRAC_PI_2 - (up / flat).atan() + off[1],
            distance: Some((flat * flat + up * up).sqrt() + off[2]),
            height,
            sigma: None,
        }
    }

    fn known(name: &str, p: [f64; 3]) -> Known {
        Known { name: name.into(), position: p.into(), sigma: Vec3::new(0.002, 0.002, 0.002) }
    }

    /// A free station and the new points measured from it, in five hundred drawings: 95 % of them within what is stated.
    #[test]
    fn a_free_station_and_its_points_lie_within_what_is_stated() {
        let mut rng = ChaCha8Rng::seed_from_u64(5);
        let a = Accuracy::USUAL;
        let (mut inside, mut points, mut fits) = (0, 0, 0);
        for _ in 0..500 {
            let mut n = |s: f64| s * rng.sample::<f64, _>(StandardNormal);
            let from = Vec3::new(410.0 + n(3.0), 250.0 + n(3.0), 51.6);
            let zero = n(2.0);
            let marks = [[400.0, 280.0, 50.0], [440.0, 262.0, 52.0], [405.0, 215.0, 49.5]];
            let sights: Vec<(Known, Reading)> = marks
                .iter()
                .map(|m| {
                    let truth = Vec3::from(*m) + Vec3::new(n(0.002), n(0.002), n(0.002));
                    let d = (truth - from).norm();
                    let held = n(a.centring) / d;
                    let off = [n(a.angle) + held, n(a.angle) + n(a.height) / d, n(a.distance + a.per_metre * d)];
                    (known("M", *m), look(from, zero, truth, 1.5, off))
                })
                .collect();
            let s = set_up(&Stand::Free, &sights, &a, 1.0).unwrap();
            fits += usize::from(s.chance > 0.05);
            let off = s.position - from;
            let c = s.covariance.fixed_view::<3, 3>(0, 0).into_owned();
            inside += usize::from((off.transpose() * c.try_inverse().unwrap() * off)[0] < 7.815);
            let to = Vec3::new(425.0, 240.0, 53.0);
            let d = (to - from).norm();
            let r = look(from, zero, to, 0.0, [n(a.angle), n(a.angle), n(a.distance + a.per_metre * d)]);
            let p = polar_point(&s, &r, &a).unwrap();
            let off = p.position - to;
            points += usize::from((off.transpose() * p.covariance.try_inverse().unwrap() * off)[0] < 7.815);
        }
        for (what, count) in [("stations", inside), ("points", points), ("fits", fits)] {
            assert!((462..=488).contains(&count), "{what}: {count} of 500 within 95 %");
        }
    }

    #[test]
    fn what_does_not_fit_is_named_and_what_cannot_be_told_is_not() {
        let a = Accuracy::USUAL;
        let from = Vec3::new(10.0, 20.0, 51.6);
        let marks = [[0.0, 50.0, 50.0], [40.0, 42.0, 52.0], [5.0, -15.0, 49.5], [-20.0, 10.0, 50.5]];
        let mut sights: Vec<(Known, Reading)> = marks
            .iter()
            .enumerate()
            .map(|(k, m)| (known(&format!("M{k}"), *m), look(from, 1.2, Vec3::from(*m), 1.5, [0.0; 3])))
            .collect();
        let all = set_up(&Stand::Free, &sights, &a, 1.0).unwrap();
        assert!((all.position - from).norm() < 1e-6 && (all.orientation - 1.2).abs() < 1e-9);
        assert!(matches!(all.remarks[..], [SetUpRemark::Short(_)]), "{:?}", all.remarks);
        // a point named wrongly by four centimetres is found
        sights[2].0.position.x += 0.04;
        let said = set_up(&Stand::Free, &sights, &a, 1.0).unwrap().remarks;
        assert!(
            matches!(&said[0], SetUpRemark::Unlike(name, off) if name == "M2" && (0.037..0.043).contains(off)),
            "{said:?}"
        );
        // with two points nobody can tell which one it is
        let two = [sights[2].clone(), sights[0].clone()];
        let said = set_up(&Stand::Free, &two, &a, 1.0).unwrap().remarks;
        assert!(said.iter().any(|r| matches!(r, SetUpRemark::Torn(_) | SetUpRemark::Thin(2))), "{said:?}");
        assert_eq!(set_up(&Stand::Free, &two[..1], &a, 1.0), Err(SetUpError::TooFew(1, 2)));
        // two points in one direction
        let far = Vec3::new(0.0, 50.0, 50.0) + (Vec3::new(0.0, 50.0, 50.0) - Vec3::new(10.0, 20.0, 50.0)) * 0.8;
        let line = [sights[0].clone(), (known("L", far.into()), look(from, 1.2, far, 1.5, [0.0; 3]))];
        let narrow = set_up(&Stand::Free, &line, &a, 1.0).unwrap();
        assert!(narrow.remarks.iter().any(|r| matches!(r, SetUpRemark::Narrow(_))), "{:?}", narrow.remarks);
        let flat = |s: &SetUp| s.covariance[(0, 0)] + s.covariance[(1, 1)];
        assert!(flat(&narrow) > 3.0 * flat(&all), "{} {}", flat(&narrow), flat(&all));
        // over a point, with one backsight: the distance checks, and the height of the instrument is part of it
        let over = Stand::Over(known("S", [10.0, 20.0, 50.0]), 1.6);
        let s = set_up(&over, &sights[..1], &a, 1.0).unwrap();
        assert!((s.position - from).norm() < 1e-6 && s.chance > 0.99, "{s:?}");
        let slip = Stand::Over(known("S", [10.0, 20.0, 50.0]), 1.7);
        let s = set_up(&slip, &sights[..1], &a, 1.0).unwrap();
        assert!(s.remarks.iter().any(|r| matches!(r, SetUpRemark::Torn(_))) && s.residuals[0].up.abs() > 0.02, "{s:?}");
    }
}
