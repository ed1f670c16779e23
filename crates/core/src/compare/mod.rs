//! Scan against scan, and points measured by other means against the clouds ([`Surfaces`]): how far their surfaces lie apart, place by place, what could be told from noise there, and what is
//! there in one and not in the other.
//!
//! The distance is along the local normal, between the means of what lies in a cylinder about it, with a level of detection
//! for each place (M3C2, Lague et al. 2013). Unlike there, the cylinder is cut into cells across, and only cells that both
//! scans filled are set against one another: where one scan saw round an edge and the other did not, nothing is compared
//! with nothing. What the registration is uncertain by comes from its own covariance, as large at each place as it is there.

mod cells;
mod design;
mod misfit;
mod region;
mod survey;

pub use cells::{Cell, by_pose};
pub use design::{Built, Clash, Element, Gaze, State};
pub use misfit::Misfit;
pub use region::{Kind, Region, Thing, things};
pub use survey::{Along, Beside, Surfaces, SurveyPoint, SurveyReport, survey_report};

use crate::geometry::{Pose, Vec3};
use crate::tie::{Index, Shown};
use nalgebra::Matrix6;

/// Distance between the places that are compared, metres.
pub const SPACING: f64 = 0.2;

/// Two scans compared, in the frame of the first.
#[derive(Clone, Debug, Default)]
pub struct Comparison {
    /// Places where both show a surface.
    pub cells: Vec<Cell>,
    /// By how much surfaces of these two scans lie apart beyond noise where nothing is wrong: what ranges differ by with
    /// the light and the angle, 1σ, metres.
    pub floor: f64,
    /// How the second lies beside the first as a whole, where that is more than its place is uncertain by.
    pub misfit: Option<Misfit>,
    /// What is beyond that: changes of places.
    pub regions: Vec<Region>,
}

impl Comparison {
    /// Share of the places whose distance is beyond what could be told from noise: of two scans of things that did not
    /// change it is 5 % or less.
    pub fn beyond(&self) -> f64 {
        self.cells.iter().filter(|c| c.is_beyond()).count() as f64 / self.cells.len().max(1) as f64
    }

    /// Median distance and median level of detection, metres.
    pub fn medians(&self) -> (f64, f64) {
        let median = |of: fn(&Cell) -> f64| {
            crate::stats::median(&mut self.cells.iter().map(of).collect::<Vec<_>>()).unwrap_or(0.0)
        };
        (median(|c| c.distance), median(|c| c.detectable))
    }
}

/// Compares two scans. `relative` is the pose of the second in the frame of the first, `covariance` how well that is known
/// (left increments, m² and rad²: [`crate::adjust::Solution::relative`]).
///
/// The regions are of what is left when that is taken off by which the second lies beside the first as a whole: a wall that
/// shows twice because a scan is not quite in its place is no thing that moved.
pub fn compare(first: &Shown, second: &Shown, relative: &Pose, covariance: &Matrix6<f64>) -> Comparison {
    let indexes = [Index::new(&first.cloud, cells::REACH, 1), Index::new(&second.cloud, cells::REACH, 1)];
    let raw = cells::between(&indexes, relative);
    let (floor, misfit, moved) = misfit::of(&raw, relative, covariance);
    let cells: Vec<Cell> = raw.iter().map(|r| r.cell(floor, relative, covariance)).collect();
    let left: Vec<f64> = cells.iter().zip(&moved).map(|(c, m)| c.distance - m).collect();
    let mut regions = region::apart(&cells, &left);
    let back = relative.inverse();
    let sigma = covariance.fixed_view::<3, 3>(0, 0).trace().max(0.0).sqrt();
    let own = cells::alone(&indexes[0], &indexes[1], second, &back, sigma);
    regions.extend(region::alone(&own, Kind::FirstOnly));
    let theirs: Vec<Vec3> =
        cells::alone(&indexes[1], &indexes[0], first, relative, sigma).iter().map(|p| relative.apply(p)).collect();
    regions.extend(region::alone(&theirs, Kind::SecondOnly));
    Comparison { cells, floor, misfit, regions }
}
