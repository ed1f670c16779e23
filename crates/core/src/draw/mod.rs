//! What a client builds from, drawn out of the clouds: a floor plan from a level slab ([`floor_plan`]), each line with its
//! fit and what it is uncertain by; the [`ground`]; pictures of walls in which lengths are true ([`Elevation`]); simple
//! [`solid`]s.
//!
//! The cloud is read once, scan by scan, into a [`Slab`]; what the faces of walls are is found in what all scans show
//! together, and how well each is known from what every scan says of it by itself.

mod elevation;
mod extract;
mod features;
mod fit;
pub mod ground;
mod openings;
mod plan;
mod profile;
mod round;
mod section;
mod slab;
mod smooth;
pub mod solid;
mod square;
mod stretches;

pub use elevation::{Elevation, Facing, Orthophoto};
pub use features::{CODES, Code, FLOOR, twice};
pub use fit::{Relation, Stand};
pub use openings::{Gap, Opening};
pub use plan::{Corner, Face, FloorPlan, Wall, fit_line, floor_plan};
pub use profile::{Profile, Shot, Snap};
pub use round::Round;
pub use section::Section;
pub use slab::{Layer, Level, Slab, Spot};
pub use square::Squared;
pub use stretches::{Stretch, stretch_beside, stretches};

use nalgebra::Vector2;

/// A straight line on the plan: a place on it, its direction, and the side that it is seen from.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Line {
    pub(crate) at: Vector2<f64>,
    pub(crate) along: Vector2<f64>,
    pub(crate) normal: Vector2<f64>,
}

impl Line {
    /// With the side turned towards `seen_from`.
    pub(crate) fn new(at: Vector2<f64>, along: Vector2<f64>, seen_from: &Vector2<f64>) -> Self {
        let left = Vector2::new(-along.y, along.x);
        let normal = if left.dot(seen_from) < 0.0 { -left } else { left };
        Self { at, along, normal }
    }

    pub(crate) fn t(&self, p: &Vector2<f64>) -> f64 {
        self.along.dot(&(p - self.at))
    }

    pub(crate) fn off(&self, p: &Vector2<f64>) -> f64 {
        self.normal.dot(&(p - self.at))
    }

    pub(crate) fn point(&self, t: f64) -> Vector2<f64> {
        self.at + self.along * t
    }

    /// Where another line crosses it; none where they are almost parallel.
    pub(crate) fn crossing(&self, other: &Self) -> Option<Vector2<f64>> {
        let sine = self.along.perp(&other.along);
        (sine.abs() > 0.17).then(|| self.point((other.at - self.at).perp(&other.along) / sine))
    }
}
