//! Colours from photographs: where a camera stood and how it draws ([`resect`]), what of the cloud it saw ([`Depth`]), how the light
//! of several is made to agree ([`Exposure`]), and which photograph colours which point ([`paint`]).
//!
//! The camera is a pinhole with radial distortion (Brown 1971): what lies at (X, Y, Z) in its frame, X to the right, Y down, Z
//! forward, is drawn at `c + f·(x, y)·(1 + k₁r² + k₂r⁴)` with x = X/Z, y = Y/Z.

mod camera;
mod depth;
mod exposure;
mod paint;
mod resect;
mod start;

pub use camera::Camera;
pub use depth::Depth;
pub use exposure::Exposure;
pub use paint::{Painted, Photo, paint};
pub use resect::{Fit, Pair, ResectError, resect};
