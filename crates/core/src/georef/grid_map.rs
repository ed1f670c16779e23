use crate::adjust::EARTH_RADIUS;
use crate::geometry::{Mat3, Pose, Vec3};
use nalgebra::{Matrix6, Rotation3, UnitQuaternion};

/// How lengths on the grid relate to lengths on site, at one place.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct GridFactors {
    /// Grid over ellipsoid: the projection's scale at the place.
    pub point_scale: f64,
    /// Ellipsoid over site: `R / (R + h)`.
    pub height_factor: f64,
    /// Angle from true north to grid north, radians clockwise.
    pub convergence: f64,
}

impl GridFactors {
    /// Grid over site.
    pub fn combined(&self) -> f64 {
        self.point_scale * self.height_factor
    }
}

/// What the coordinates that are handed over mean.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Default)]
pub enum Output {
    /// Coordinates of the grid: distances are shorter or longer than on site by the combined factor.
    #[default]
    Grid,
    /// Grid coordinates stretched about the local origin, so that distances are those on site.
    Ground,
}

/// The map from a local frame of true metres to the grid, and back.
///
/// The local frame has its z axis along the plumb line at its origin and its y axis to grid north. The
/// map is the Taylor polynomial of second degree of the exact one (projection, height above the
/// ellipsoid, curvature of the earth). What is left out is of third degree: `x³/R²`, a thousandth of a
/// millimetre at 400 m and 0.03 mm at 1 km.
///
/// ```
/// use vistazo_core::geometry::Vec3;
/// use vistazo_core::georef::GridMap;
/// let map = GridMap::local(Vec3::new(5000.0, 2000.0, 80.0));
/// let p = Vec3::new(200.0, 0.0, 0.0);
/// // the level surface falls away from the tangent plane by 3.1 mm at 200 m
/// assert!((map.apply(&p).z - 80.0 - 0.00314).abs() < 1e-5);
/// assert!((map.inverse(&map.apply(&p)) - p).norm() < 1e-9);
/// ```
#[derive(Clone, Debug, PartialEq)]
pub struct GridMap {
    /// Grid coordinates of the local origin: E, N, H, metres.
    pub origin: Vec3,
    /// Derivative of the grid coordinates by the local ones, at the origin.
    pub linear: Mat3,
    /// Second derivatives, one matrix a coordinate, 1/m.
    pub quadratic: [Mat3; 3],
    /// Factors of the grid there; `None` for a local grid.
    pub factors: Option<GridFactors>,
    /// What it gives out.
    pub output: Output,
}

impl GridMap {
    /// A plain local grid: plan coordinates are lengths on site, heights follow the level surface.
    pub fn local(origin: Vec3) -> Self {
        let bend = Mat3::from_diagonal(&Vec3::new(1.0 / EARTH_RADIUS, 1.0 / EARTH_RADIUS, 0.0));
        Self {
            origin,
            linear: Mat3::identity(),
            quadratic: [Mat3::zeros(), Mat3::zeros(), bend],
            factors: None,
            output: Output::Grid,
        }
    }

    /// From an exact map of local metres to grid metres, by central differences over 400 m.
    pub fn from_exact(origin: Vec3, factors: GridFactors, exact: impl Fn(&Vec3) -> Vec3) -> Self {
        const STEP: f64 = 400.0;
        let f = |x: f64, y: f64, z: f64| exact(&Vec3::new(x, y, z));
        let here = f(0.0, 0.0, 0.0);
        let axis = |k: usize, s: f64| Vec3::ith(k, s * STEP);
        let mut linear = Mat3::zeros();
        let mut second = [[Vec3::zeros(); 3]; 3];
        for a in 0..3 {
            let (plus, minus) = (exact(&axis(a, 1.0)), exact(&axis(a, -1.0)));
            linear.set_column(a, &((plus - minus) / (2.0 * STEP)));
            second[a][a] = (plus + minus - here * 2.0) / (STEP * STEP);
            for b in 0..a {
                let mixed = exact(&(axis(a, 1.0) + axis(b, 1.0)))
                    - exact(&(axis(a, 1.0) + axis(b, -1.0)))
                    - exact(&(axis(a, -1.0) + axis(b, 1.0)))
                    + exact(&(axis(a, -1.0) + axis(b, -1.0)));
                second[a][b] = mixed / (4.0 * STEP * STEP);
                second[b][a] = second[a][b];
            }
        }
        let quadratic = std::array::from_fn(|k| Mat3::from_fn(|a, b| second[a][b][k]));
        Self { origin, linear, quadratic, factors: Some(factors), output: Output::Grid }
    }

    /// The same with distances as on site: plan coordinates stretched about the origin.
    #[must_use]
    pub fn ground(mut self) -> Self {
        let Some(factors) = self.factors else { return self };
        let k = 1.0 / factors.combined();
        for row in 0..2 {
            self.linear.row_mut(row).scale_mut(k);
            self.quadratic[row] *= k;
        }
        self.output = Output::Ground;
        self
    }

    /// Takes a local point to the grid, metres.
    pub fn apply(&self, p: &Vec3) -> Vec3 {
        let bend = Vec3::from_fn(|k, _| 0.5 * (p.transpose() * self.quadratic[k] * p)[0]);
        self.origin + self.linear * p + bend
    }

    /// Derivative of the grid coordinates by the local ones at a local point.
    pub fn jacobian(&self, p: &Vec3) -> Mat3 {
        let mut j = self.linear;
        for k in 0..3 {
            let row = (self.quadratic[k] * p).transpose();
            j.set_row(k, &(j.row(k) + row));
        }
        j
    }

    /// Takes a grid point to the local frame.
    pub fn inverse(&self, grid: &Vec3) -> Vec3 {
        let mut p = grid - self.origin;
        for _ in 0..4 {
            let miss = grid - self.apply(&p);
            p += self.jacobian(&p).try_inverse().unwrap_or_else(Mat3::identity) * miss;
        }
        p
    }

    /// A covariance at a local point as it is on the grid, m².
    pub fn covariance(&self, p: &Vec3, c: &Mat3) -> Mat3 {
        let j = self.jacobian(p);
        j * c * j.transpose()
    }

    /// The rigid transform that is nearest to pose and map together at the scanner: what a file
    /// format that knows only rigid poses is given. Points go with [`GridMap::in_scan`].
    pub fn pose(&self, local: &Pose) -> Pose {
        let turned = self.jacobian(&local.translation) * local.matrix();
        let rotation = UnitQuaternion::from_rotation_matrix(&Rotation3::from_matrix(&turned));
        Pose { rotation, translation: self.apply(&local.translation) }
    }

    /// The covariance of a pose as it is on the grid, by left increments.
    pub fn pose_covariance(&self, local: &Pose, c: &Matrix6<f64>) -> Matrix6<f64> {
        let mut j = Matrix6::identity();
        j.fixed_view_mut::<3, 3>(0, 0).copy_from(&self.jacobian(&local.translation));
        j * c * j.transpose()
    }

    /// A point of a scan in the frame of the rigid pose that [`GridMap::pose`] gives: with that pose it
    /// comes out where the map puts it.
    pub fn in_scan(&self, local: &Pose, rigid: &Pose, p: &Vec3) -> Vec3 {
        rigid.rotation.inverse_transform_vector(&(self.apply(&local.apply(p)) - rigid.translation))
    }
}
