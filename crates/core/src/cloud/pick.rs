use super::WorkingCloud;
use crate::geometry::{Mat3, Vec3};

/// What was found where somebody pointed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Feature {
    /// Where three surfaces meet.
    Corner,
    /// On the line in which two surfaces meet, nearest to where one pointed.
    Edge,
    /// On one surface, where one pointed.
    Surface,
    /// No surface could be told: the nearest point.
    Point,
}

/// A place that was pointed at.
#[derive(Clone, Copy, Debug)]
pub struct Picked {
    /// Scanner frame, metres.
    pub at: Vec3,
    /// What is there.
    pub feature: Feature,
    /// How well it is fixed: covariance, m². An edge holds it across, a surface along its normal; the rest is pointing.
    pub covariance: Mat3,
    /// Points that it was found from.
    pub points: usize,
    /// Root mean square distance of these from their surfaces, metres.
    pub rms: f64,
}

impl Picked {
    /// 1σ in the worst direction, metres.
    pub fn sigma(&self) -> f64 {
        self.covariance.symmetric_eigenvalues().max().max(0.0).sqrt()
    }
}

/// Covariance of what is fixed to `along` in the direction of a unit vector and to `across` in all others (1σ, metres).
fn spread(axis: &Vec3, along: f64, across: f64) -> Mat3 {
    Mat3::identity() * across.powi(2) + axis * axis.transpose() * (along.powi(2) - across.powi(2))
}

/// Points so near to the line of sight belong to it: metres, and metres a metre of range.
const BESIDE: (f64, f64) = (0.05, 0.006);
/// Surfaces about the place are taken from points so near: metres, or metres a metre of range.
const AROUND: (f64, f64) = (0.45, 0.03);
/// Points of one surface: cosine between their normals, and distance from it, metres.
const ONE: (f64, f64) = (0.966, 0.03);
/// Fewest points of a surface.
const LEAST: usize = 10;
/// Three surfaces whose normals span less than this meet nowhere in particular; the same for two.
const MEET: (f64, f64) = (0.35, 0.5);
/// A corner or an edge farther than this from where one pointed was not meant: metres, or metres a metre of range.
const MEANT: (f64, f64) = (0.25, 0.02);
/// One points no better than this, radians: a pixel or two of a panorama.
const POINTING: f64 = 0.003;
/// The nearest point of what is no surface lies so far from what was meant, 1σ, metres.
const LOOSE: f64 = 0.03;
/// A surface fits no better than this, metres: walls are uneven.
const UNEVEN: f64 = 0.002;

/// Finds what lies in a direction from the scanner, and holds on to the corner or edge that was meant.
///
/// The nearest surface along the line of sight is taken. `None` when nothing was measured there.
pub fn pick(cloud: &WorkingCloud, direction: &Vec3) -> Option<Picked> {
    let along = direction.try_normalize(1e-9)?;
    let place = |k: usize| Vec3::from(cloud.points[k].map(f64::from));
    let seed = (0..cloud.points.len())
        .filter_map(|k| {
            let p = place(k);
            let range = p.dot(&along);
            let beside = (p - along * range).norm();
            // of what lies one behind the other the nearest, of what lies together that in the middle
            (range > 0.1 && beside < BESIDE.0 + BESIDE.1 * range).then_some((range + 4.0 * beside, p))
        })
        .min_by(|a, b| a.0.total_cmp(&b.0))?
        .1;
    let range = seed.norm();
    let around = AROUND.0.max(AROUND.1 * range).min(1.5);
    let near: Vec<(Vec3, Vec3)> = (0..cloud.points.len())
        .filter(|&k| cloud.normals[k] != [0; 3])
        .map(|k| (place(k), Vec3::from(cloud.normals[k].map(f64::from)).normalize()))
        .filter(|(p, _)| (p - seed).norm() < around)
        .collect();
    let planes = planes(near, &seed);
    let reach = MEANT.0.max(MEANT.1 * range);
    let meant = |p: &Vec3| (p - along * p.dot(&along)).norm() < reach && (p - seed).norm() < 1.5 * around;
    let from = |planes: &[Plane]| {
        let points: usize = planes.iter().map(|p| p.points).sum();
        let squares: f64 = planes.iter().map(|p| p.points as f64 * p.rms.powi(2)).sum();
        (points, (squares / points.max(1) as f64).sqrt())
    };
    if let Some((at, covariance)) = corner(&planes).filter(|c| meant(&c.0)) {
        let (points, rms) = from(&planes);
        return Some(Picked { at, feature: Feature::Corner, covariance, points, rms });
    }
    let pointing = POINTING * range;
    if let Some((at, line, sigma)) = edge(&planes, &along).filter(|e| meant(&e.0)) {
        let (points, rms) = from(&planes[..2]);
        return Some(Picked { at, feature: Feature::Edge, covariance: spread(&line, pointing, sigma), points, rms });
    }
    let own = planes.iter().find(|p| (p.normal.dot(&seed) - p.at).abs() < ONE.1);
    if let Some(p) = own.filter(|p| p.normal.dot(&along).abs() > 0.1) {
        let steep = p.normal.dot(&along).abs();
        let at = along * (p.at / p.normal.dot(&along));
        let covariance = spread(&p.normal, p.sigma, pointing / steep);
        return Some(Picked { at, feature: Feature::Surface, covariance, points: p.points, rms: p.rms });
    }
    let covariance = Mat3::identity() * (pointing.powi(2) + LOOSE.powi(2));
    Some(Picked { at: seed, feature: Feature::Point, covariance, points: 1, rms: 0.0 })
}

struct Plane {
    normal: Vec3,
    /// `normal · p` of its points, metres.
    at: f64,
    /// 1σ of `at`, metres.
    sigma: f64,
    points: usize,
    rms: f64,
}

/// Surfaces among points with normals, those with most points about the place first.
fn planes(mut near: Vec<(Vec3, Vec3)>, seed: &Vec3) -> Vec<Plane> {
    let mut out: Vec<Plane> = Vec::new();
    near.sort_by(|a, b| (a.0 - seed).norm().total_cmp(&(b.0 - seed).norm()));
    while out.len() < 3 && near.len() >= LEAST {
        let of = |(p, n): &(Vec3, Vec3), at: &Vec3, normal: &Vec3| {
            n.dot(normal) > ONE.0 && normal.dot(&(p - at)).abs() < ONE.1
        };
        // the surface that most of the points are of, begun at some of them
        let step = (near.len() / 40).max(1);
        let Some((at, normal)) = near
            .iter()
            .step_by(step)
            .max_by_key(|(at, normal)| near.iter().filter(|q| of(q, at, normal)).count())
            .copied()
        else {
            break;
        };
        let (own, rest): (Vec<_>, Vec<_>) = near.into_iter().partition(|q| of(q, &at, &normal));
        near = rest;
        if own.len() < LEAST {
            break;
        }
        let n = own.len() as f64;
        let middle = own.iter().map(|q| q.0).sum::<Vec3>() / n;
        let scatter: Mat3 = own.iter().map(|q| (q.0 - middle) * (q.0 - middle).transpose()).sum();
        let eigen = scatter.symmetric_eigen();
        let least = eigen.eigenvalues.imin();
        let normal: Vec3 = eigen.eigenvectors.column(least).into();
        let rms = (eigen.eigenvalues[least].max(0.0) / n).sqrt();
        out.push(Plane {
            normal,
            at: normal.dot(&middle),
            sigma: (rms / n.sqrt()).hypot(UNEVEN),
            points: own.len(),
            rms,
        });
    }
    out
}

/// Where three surfaces meet, and the covariance of it, m².
fn corner(planes: &[Plane]) -> Option<(Vec3, Mat3)> {
    let [a, b, c] = planes else { return None };
    let m = Mat3::from_rows(&[a.normal.transpose(), b.normal.transpose(), c.normal.transpose()]);
    if m.determinant().abs() < MEET.0 {
        return None;
    }
    let inverse = m.try_inverse()?;
    let variances = Vec3::new(a.sigma, b.sigma, c.sigma).map(|s| s * s);
    let covariance = inverse * Mat3::from_diagonal(&variances) * inverse.transpose();
    Some((inverse * Vec3::new(a.at, b.at, c.at), covariance))
}

/// The place on the line of the first two surfaces that lies nearest to the line of sight, the direction of the
/// line, and 1σ across it, metres.
fn edge(planes: &[Plane], along: &Vec3) -> Option<(Vec3, Vec3, f64)> {
    let [a, b, ..] = planes else { return None };
    let line = a.normal.cross(&b.normal);
    if line.norm() < MEET.1 {
        return None;
    }
    let line = line.normalize();
    let m = Mat3::from_rows(&[a.normal.transpose(), b.normal.transpose(), line.transpose()]);
    let foot = m.try_inverse()? * Vec3::new(a.at, b.at, 0.0);
    // nearest approach of foot + s line to the ray t along
    let c = line.dot(along);
    let denominator = 1.0 - c * c;
    if denominator < 1e-3 {
        return None;
    }
    let s = (c * foot.dot(along) - foot.dot(&line)) / denominator;
    Some((foot + line * s, line, a.sigma.hypot(b.sigma)))
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The inside of a room, 8 by 6 by 3 metres, seen from (3, 2, 1.5), with a post before one corner.
    fn room() -> WorkingCloud {
        let mut cloud = WorkingCloud::default();
        let scanner = Vec3::new(3.0, 2.0, 1.5);
        let mut add = |p: Vec3, n: [i8; 3]| {
            let q = p - scanner;
            cloud.points.push([q.x as f32, q.y as f32, q.z as f32]);
            cloud.normals.push(n);
            cloud.counts.push(10);
        };
        let steps = |to: f64| (0..(to / 0.05) as usize).map(|k| 0.025 + 0.05 * k as f64);
        for x in steps(8.0) {
            for y in steps(6.0) {
                add(Vec3::new(x, y, 0.0), [0, 0, 127]);
                add(Vec3::new(x, y, 3.0), [0, 0, -127]);
            }
            for z in steps(3.0) {
                add(Vec3::new(x, 0.0, z), [0, 127, 0]);
                add(Vec3::new(x, 6.0, z), [0, -127, 0]);
            }
        }
        for (y, z) in steps(6.0).flat_map(|y| steps(3.0).map(move |z| (y, z))) {
            add(Vec3::new(0.0, y, z), [127, 0, 0]);
            add(Vec3::new(8.0, y, z), [-127, 0, 0]);
        }
        cloud
    }

    #[test]
    fn pointing_near_a_corner_or_an_edge_holds_on_to_it() {
        let (cloud, scanner) = (room(), Vec3::new(3.0, 2.0, 1.5));
        let to = |p: [f64; 3]| Vec3::from(p) - scanner;
        let found = pick(&cloud, &to([7.9, 5.92, 2.95])).unwrap();
        assert_eq!(found.feature, Feature::Corner);
        assert!((found.at - to([8.0, 6.0, 3.0])).norm() < 1e-3 && found.sigma() < 0.006, "{found:?}");
        let found = pick(&cloud, &to([7.95, 5.95, 1.4])).unwrap();
        assert_eq!(found.feature, Feature::Edge);
        assert!((found.at - to([8.0, 6.0, 1.4])).norm() < 0.05, "{found:?}");
        let found = pick(&cloud, &to([8.0, 3.0, 1.4])).unwrap();
        assert_eq!(found.feature, Feature::Surface);
        assert!((found.at - to([8.0, 3.0, 1.4])).norm() < 1e-3, "{found:?}");
    }

    #[test]
    fn nothing_is_found_where_nothing_was_measured() {
        assert!(pick(&WorkingCloud::default(), &Vec3::x()).is_none());
        let mut cloud = room();
        cloud.points.retain(|p| p[2] < 1.4);
        cloud.normals.truncate(cloud.points.len());
        assert!(pick(&cloud, &Vec3::new(0.01, 0.0, 1.0)).is_none(), "straight up");
    }
}
