//! Simple solids out of the clouds: cylinders for pipes and columns, outlines drawn up to what is there for walls, pillars
//! and what stands about.
//!
//! The clouds are read twice. First into [`Voxels`], in which [`rods`] are looked for; then what lies [`Near`] each solid is
//! kept, from which it is measured ([`cylinder`], [`block`]) with what it is uncertain by, and how far points lie off it.

mod block;
mod cylinder;
mod near;
mod outlines;
mod rods;
mod voxels;

pub use block::{Block, Limit, block};
pub use cylinder::{Cylinder, cylinder};
pub use near::{Kept, Near, beside};
pub use outlines::{Piece, closed, pieces};
pub use rods::rods;
pub use voxels::Voxels;

use crate::geometry::Vec3;
use nalgebra::Vector2;

/// Where a solid is looked for.
#[derive(Clone, Debug, PartialEq)]
pub enum Start {
    /// About a cylinder: both ends of its axis and its radius, metres.
    Rod([Vec3; 2], f64),
    /// Within an outline on the plan (anticlockwise or clockwise), between two heights, metres.
    Block(Vec<Vector2<f64>>, [f64; 2]),
}

/// Width of a step of a [`Spread`], metres, and how many there are.
pub const STEP: f64 = 0.002;
/// Half of the width that distances are told in, metres.
pub const WIDE: f64 = 0.05;
const STEPS: usize = 50;

/// How far points lie off a solid: outside is positive.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Spread {
    /// Points by their distance, from -50 mm up in steps of 2 mm.
    pub steps: Vec<u32>,
}

impl Spread {
    fn of(distances: impl Iterator<Item = f64>) -> Self {
        let mut steps = vec![0; STEPS];
        for d in distances.filter(|d| d.abs() < WIDE) {
            steps[(((d + WIDE) / STEP) as usize).min(STEPS - 1)] += 1;
        }
        Self { steps }
    }

    /// Share of them that lie within a distance (a multiple of the step) on either side.
    ///
    /// ```
    /// use vistazo_core::draw::solid::Spread;
    /// let mut steps = vec![0; 50];
    /// (steps[24], steps[25], steps[40]) = (6, 2, 2);
    /// assert_eq!(Spread { steps }.within(0.004), 0.8);
    /// ```
    pub fn within(&self, distance: f64) -> f64 {
        let n = (distance / STEP).round() as usize;
        let all: u32 = self.steps.iter().sum();
        let middle = self.steps.len() / 2;
        let near: u32 = self.steps[middle.saturating_sub(n)..(middle + n).min(self.steps.len())].iter().sum();
        f64::from(near) / f64::from(all.max(1))
    }
}

/// What a measured solid rests on.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Rests {
    /// How far points about it lie off it.
    pub spread: Spread,
    /// Of points on it, 1σ, metres.
    pub rms: f64,
    /// Points on it.
    pub points: u64,
    /// The scans that show it.
    pub scans: Vec<usize>,
}
