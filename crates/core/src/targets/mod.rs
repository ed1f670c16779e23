//! Finding targets in a scan: spheres of known diameter and flat checkers.
//!
//! Each has two files: the search proposes places in the grid of directions, the fit measures
//! one place and decides whether it is a target at all. Checkers have two more: the picture that is
//! fitted, and the error of what comes out, found or expected.
//!
//! ```
//! use vistazo_core::geometry::Vec3;
//! use vistazo_core::instrument::Instrument;
//! use vistazo_core::scan::Scan;
//! use vistazo_core::targets::{Search, SizeVerdict, detect};
//!
//! // a sphere of 200 mm 5 m away before a wall at 9 m, one direction every 3 mrad
//! let (centre, radius, step) = (Vec3::new(0.0, 5.0, 0.2), 0.1, 0.003);
//! let (mut cells, mut points) = (Vec::new(), Vec::new());
//! for row in 0..120_u32 {
//!     for col in 0..120_u32 {
//!         let (az, el) = ((f64::from(col) - 60.0) * step, (f64::from(row) - 60.0) * step);
//!         let ray = Vec3::new(az.sin() * el.cos(), az.cos() * el.cos(), el.sin());
//!         let (along, beside) = (ray.dot(&centre), ray.cross(&centre).norm());
//!         let range = if beside < radius { along - (radius * radius - beside * beside).sqrt() } else { 9.0 / ray.y };
//!         let p = ray * range;
//!         cells.push((row, col));
//!         points.push([p.x as f32, p.y as f32, p.z as f32]);
//!     }
//! }
//! let intensity = vec![30_000; points.len()];
//! let scan = Scan::from_grid(120, 120, cells.into_iter(), points, intensity).unwrap();
//! let search = Search { sphere_radius: Some(radius), checker_half: None };
//! let found = detect(&scan, &Instrument::mid_range(), &search);
//! let sphere = found.iter().find(|d| d.size == SizeVerdict::Agrees).unwrap();
//! assert!((sphere.centre - centre).norm() < 0.001);
//! ```

mod checker_error;
mod checker_fit;
mod checker_flat;
mod checker_picture;
mod checker_search;
mod configuration;
mod detect;
mod mark;
mod predict;
mod roughness;
mod sphere_fit;
mod sphere_search;
mod sphere_shape;

pub use checker_fit::{CheckerFit, fit_checker};
pub(crate) use checker_flat::crossing;
pub use configuration::{Configuration, Fault, SAME_DISTANCE, configuration};
pub use detect::{Detection, Search, detect};
pub use mark::{mark, picked};
pub use predict::{CheckerTable, DEPENDABLE_HITS, predicted_hits, predicted_sphere_covariance, usable_distance};
pub use sphere_fit::{SphereFit, fit_sphere};

/// What kind of target it is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum TargetKind {
    /// A sphere; its position is the centre.
    Sphere,
    /// A flat board of four alternating dark and light quarters; its position is the crossing.
    Checker,
    /// A corner of three surfaces, pointed at by hand.
    Corner,
    /// A place pointed at by hand.
    Point,
}

/// What the size of a sphere says about it.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum SizeVerdict {
    /// Agrees with the nominal radius within its uncertainty.
    Agrees,
    /// About half or double the nominal: diameter entered for radius, or the other way round.
    DiameterRadiusMixUp,
    /// Some other size: not one of the job's spheres.
    WrongSize,
}
