use crate::cloud::WorkingCloud;
use crate::geometry::{Mat3, Pose, Vec3};
use crate::instrument::Systematic;
use crate::stats::{K95_1D, chi2_quantile, chi2_tail};
use crate::tie::Index;
use nalgebra::{Matrix6, Vector6};

/// A point on a surface, measured by other means, in the frame of the clouds.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct SurveyPoint {
    /// Where it is, metres.
    pub at: Vec3,
    /// 1σ of each axis, metres.
    pub sigma: Vec3,
}

/// How a scan has the surface that such a point is on.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Beside {
    /// How far the surface of the cloud lies before the point, along its normal, metres.
    pub distance: f64,
    /// Unit normal towards the scanner, frame of the clouds.
    pub normal: Vec3,
    /// 1σ of the distance, by all that is stated, metres.
    pub sigma: f64,
    /// Scatter of the cloud about its surface there, metres.
    pub uneven: f64,
}

/// The surfaces of a scan, for points that are asked for.
pub struct Surfaces(Index);

/// How far from a point its surface is looked for, metres.
const REACH: f64 = 0.25;
/// How far round the point the surface is taken as even, metres.
const PATCH: f64 = 0.2;
/// Fewest places of the cloud, and how far beside their middle the point may lie: beyond it the surface has an edge.
const FEWEST: usize = 6;
const BESIDE: f64 = 0.1;
/// A surface is so wide each way, 1σ of its places, metres.
const WIDE: f64 = 0.03;
/// What surfaces differ by with the light, beyond what is stated, 1σ, metres.
const FLOOR: f64 = 0.0003;

impl Surfaces {
    /// Of a working cloud.
    pub fn of(cloud: &WorkingCloud) -> Self {
        Self(Index::new(cloud, REACH, 1))
    }

    /// The surface beside a point; none where the scan shows none, an edge, or a line. `pose` and `covariance` (left
    /// increments) are of the scan in the frame of the point.
    pub fn beside(
        &self,
        pose: &Pose,
        covariance: &Matrix6<f64>,
        systematic: &Systematic,
        point: &SurveyPoint,
    ) -> Option<Beside> {
        let q = pose.inverse().apply(&point.at);
        let nearest = self.0.all_near(&q, REACH).min_by(|a, b| a.0.norm_squared().total_cmp(&b.0.norm_squared()))?.1;
        let facing = nearest.facing().normalize();
        let (mut sum, mut squares, mut n) = (Vec3::zeros(), Mat3::zeros(), 0.0);
        let foot = nearest.place();
        for (off, _) in self.0.near(&foot, &facing, PATCH) {
            sum += off;
            squares += off * off.transpose();
            n += 1.0;
        }
        if n < FEWEST as f64 {
            return None;
        }
        let mean = sum / n;
        let eigen = (squares / n - mean * mean.transpose()).symmetric_eigen();
        let mut order = [0, 1, 2];
        order.sort_by(|a, b| eigen.eigenvalues[*a].total_cmp(&eigen.eigenvalues[*b]));
        if eigen.eigenvalues[order[1]] < WIDE * WIDE {
            return None;
        }
        let normal: Vec3 = eigen.eigenvectors.column(order[0]).into();
        let normal = if normal.dot(&facing) < 0.0 { -normal } else { normal };
        let middle = foot + mean - q;
        let distance = normal.dot(&middle);
        if (middle - normal * distance).norm() > BESIDE {
            return None;
        }
        let uneven = eigen.eigenvalues[order[0]].max(0.0).sqrt();
        let outer = pose.rotation * normal;
        let turn = (point.at - pose.translation).cross(&outer);
        let row = Vector6::new(outer.x, outer.y, outer.z, turn.x, turn.y, turn.z);
        let variance = row.dot(&(covariance * row)).max(0.0)
            + normal.dot(&(systematic.of_range(&q) * normal))
            + uneven * uneven / n
            + FLOOR * FLOOR
            + outer.component_mul(&point.sigma).norm_squared();
        Some(Beside { distance, normal: outer, sigma: variance.sqrt(), uneven })
    }
}

/// Distances of some points, as one would state them.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Along {
    /// How many points.
    pub count: usize,
    /// Mean, metres.
    pub mean: f64,
    /// 95 % of the mean by how the distances scatter, metres.
    pub mean95: f64,
    /// Root mean square, metres.
    pub rms: f64,
    /// Upper end of a 95 % statement on the 95 % error (1.96 root mean squares), metres: with few points it is far above.
    pub bound: f64,
}

impl Along {
    /// 95 % of the distances are within this, metres.
    pub fn error95(&self) -> f64 {
        K95_1D * self.rms
    }

    fn of(distances: &[f64]) -> Self {
        let n = distances.len() as f64;
        if distances.is_empty() {
            return Self::default();
        }
        let mean = distances.iter().sum::<f64>() / n;
        let square = distances.iter().map(|d| d * d).sum::<f64>();
        let scatter = distances.iter().map(|d| (d - mean).powi(2)).sum::<f64>();
        let rms = (square / n).sqrt();
        let mean95 = if n > 1.0 { K95_1D * (scatter / (n - 1.0) / n).sqrt() } else { f64::INFINITY };
        let quantile = chi2_quantile(0.05, distances.len()).max(1e-12);
        Self { count: distances.len(), mean, mean95, rms, bound: K95_1D * (square / quantile).sqrt() }
    }
}

/// What an independent survey says of the clouds.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct SurveyReport {
    /// All points that lie on a surface.
    pub all: Along,
    /// Those on walls: how far they lie in plan.
    pub horizontal: Along,
    /// Those on floors and ceilings: how far they lie in height, upwards.
    pub vertical: Along,
    /// By how much the clouds as a whole lie beside the survey along each axis, and 95 % of it, metres; none along an axis
    /// that no surface faces.
    pub bias: [Option<(f64, f64)>; 3],
    /// For each point how likely a distance as large is by chance, over all of them; none where it has no surface.
    pub p_family: Vec<Option<f64>>,
}

/// Upright: the vertical part of the normal is less than this; level: more than that.
const UPRIGHT: f64 = 0.5;
const LEVEL: f64 = 0.87;
/// A bias that is not known to this is not stated, 1σ, metres.
const STATED: f64 = 0.02;

/// Puts the points together. The bias is that shift of the cloud which explains the distances best (least squares along the
/// normals): walls of one heading alone say nothing of the other.
pub fn survey_report(points: &[Option<Beside>]) -> SurveyReport {
    let there: Vec<&Beside> = points.iter().flatten().collect();
    let pick = |keep: &dyn Fn(&Beside) -> bool, sign: &dyn Fn(&Beside) -> f64| {
        Along::of(&there.iter().filter(|b| keep(b)).map(|b| b.distance * sign(b)).collect::<Vec<_>>())
    };
    let (mut normal, mut right) = (Mat3::zeros(), Vec3::zeros());
    for b in &there {
        let weight = 1.0 / (b.sigma * b.sigma);
        normal += b.normal * b.normal.transpose() * weight;
        right += b.normal * (b.distance * weight);
    }
    // a hair of a prior, as wide as a house: what nothing holds comes out as not known
    let inverse = (normal + Mat3::identity() * 1e-4).try_inverse().unwrap_or_else(Mat3::zeros);
    let shift = inverse * right;
    let left: f64 = there.iter().map(|b| ((b.distance - b.normal.dot(&shift)) / b.sigma).powi(2)).sum();
    let factor = (left / (there.len() as f64 - 3.0).max(1.0)).max(1.0);
    let bias = std::array::from_fn(|k| {
        let sigma = (inverse[(k, k)] * factor).sqrt();
        (there.len() > 3 && sigma < STATED).then_some((shift[k], K95_1D * sigma))
    });
    let count = there.len() as f64;
    let chance = |b: &Beside| {
        let p = chi2_tail((b.distance / b.sigma).powi(2), 1);
        -f64::exp_m1(count * f64::ln_1p(-p.min(1.0 - 1e-12)))
    };
    SurveyReport {
        all: pick(&|_| true, &|_| 1.0),
        horizontal: pick(&|b| b.normal.z.abs() < UPRIGHT, &|_| 1.0),
        vertical: pick(&|b| b.normal.z.abs() > LEVEL, &|b| b.normal.z.signum()),
        bias,
        p_family: points.iter().map(|b| b.as_ref().map(chance)).collect(),
    }
}
