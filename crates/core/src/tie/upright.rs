use super::shown::surfaces;
use crate::cloud::WorkingCloud;
use crate::geometry::{Mat3, Vec3};
use nalgebra::{Rotation3, UnitQuaternion};

/// A scanner that stands this far from upright is not found upright by its surfaces, radians.
const LEAN: f64 = 0.6;
/// How far a normal may be from level or plumb, in turn, as sines.
const NEAR: [f64; 4] = [0.26, 0.12, 0.05, 0.03];
/// Share of the surfaces that are level or plumb, once it is found.
const LEAST: f64 = 0.4;
/// Normals looked at.
const MOST: usize = 20_000;
/// Directions tried each way.
const TRIED: i32 = 12;

/// The turn after which the z axis of a scan is upright by what it shows: walls are plumb, floors and ceilings level. A
/// scanner without a compensator that stood on uneven ground is turned by some degrees; more than [`LEAN`] is not
/// looked for, because in a room one wall is as good a floor as another.
///
/// `None` where too little of it is plumb or level.
pub(super) fn upright(cloud: &WorkingCloud) -> Option<UnitQuaternion<f64>> {
    let step = surfaces(cloud).count().div_ceil(MOST).max(1);
    let normals: Vec<Vec3> = surfaces(cloud).step_by(step).map(|s| s.1).collect();
    let fitting =
        |up: &Vec3, near: f64| normals.iter().filter(|n| is_plumb(n, up, near) || is_level(n, up, near)).count();
    let tried = (-TRIED..=TRIED).flat_map(|i| (-TRIED..=TRIED).map(move |j| (i, j)));
    let lean = |k: i32| f64::from(k) / f64::from(TRIED) * LEAN;
    let mut up = tried
        .map(|(i, j)| Vec3::new(lean(i).tan(), lean(j).tan(), 1.0).normalize())
        .filter(|up| up.z > LEAN.cos())
        .max_by_key(|up| fitting(up, NEAR[1]))?;
    for near in NEAR {
        for _ in 0..4 {
            // what lies most across the plumb normals and along the level ones
            let mut m = Mat3::zeros();
            for n in &normals {
                if is_plumb(n, &up, near) {
                    m += n * n.transpose();
                } else if is_level(n, &up, near) {
                    m -= n * n.transpose();
                }
            }
            let eigen = m.symmetric_eigen();
            let found: Vec3 = eigen.eigenvectors.column(eigen.eigenvalues.imin()).into();
            up = if found.z < 0.0 { -found } else { found };
        }
    }
    let share = fitting(&up, NEAR[3]) as f64 / normals.len().max(1) as f64;
    if share < LEAST || up.z < LEAN.cos() {
        return None;
    }
    Rotation3::rotation_between(&up, &Vec3::z()).map(|r| UnitQuaternion::from_rotation_matrix(&r))
}

/// A wall: its normal lies across.
fn is_plumb(n: &Vec3, up: &Vec3, near: f64) -> bool {
    n.dot(up).abs() < near
}

/// A floor or a ceiling.
fn is_level(n: &Vec3, up: &Vec3, near: f64) -> bool {
    n.cross(up).norm_squared() < near * near
}
