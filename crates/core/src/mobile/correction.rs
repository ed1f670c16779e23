use super::Drift;
use crate::geometry::{Mat3, Pose, Vec3};
use nalgebra::{Matrix3x6, Matrix6, Vector6};

/// Where the frame of a path truly lay, by time: what takes a pass from that frame into the one of the stations.
///
/// Between two pieces both say where a point is, and the nearer in time says more: the cloud has no steps.
#[derive(Clone, Debug)]
pub struct Correction {
    /// Times of the pieces, seconds, growing.
    pub times: Vec<f64>,
    /// Place of each in the frame of the path, metres about its origin.
    pub places: Vec<Vec3>,
    /// Pose of each piece in the frame of the stations.
    pub poses: Vec<Pose>,
    /// Its covariance by left increments, m² and rad².
    pub covariances: Vec<Matrix6<f64>>,
    /// Covariance of each with the next one.
    pub cross: Vec<Matrix6<f64>>,
    /// Metres walked up to each.
    pub walked: Vec<f64>,
    /// How it loses its way, as the ties found it.
    pub drift: Drift,
}

impl Correction {
    /// The pieces before and after a time, and how far it is on the way, 0..1.
    fn within(&self, time: f64) -> (usize, usize, f64) {
        let n = self.times.len();
        let k = self.times.partition_point(|t| *t <= time);
        if k == 0 {
            return (0, 0, 0.0);
        }
        if k == n {
            return (n - 1, n - 1, 0.0);
        }
        (k - 1, k, (time - self.times[k - 1]) / (self.times[k] - self.times[k - 1]))
    }

    /// A point of the pass (metres about the origin of the path) where it truly is.
    pub fn apply(&self, time: f64, p: &Vec3) -> Vec3 {
        let (a, b, w) = self.within(time);
        let at = |k: usize| self.poses[k].apply(&(p - self.places[k]));
        if a == b { at(a) } else { at(a) * (1.0 - w) + at(b) * w }
    }

    /// Covariance of where a point (in the frame of the stations) is by the path alone, m².
    pub fn covariance(&self, time: f64, at: &Vec3) -> Mat3 {
        let (a, b, w) = self.within(time);
        let by = |k: usize, w: f64| {
            let mut j = Matrix3x6::zeros();
            j.fixed_view_mut::<3, 3>(0, 0).copy_from(&(Mat3::identity() * w));
            j.fixed_view_mut::<3, 3>(0, 3).copy_from(&((at - self.poses[k].translation).cross_matrix() * -w));
            j
        };
        if a == b {
            let j = by(a, 1.0);
            // beyond the ends it goes on drifting
            let off = (time - self.times[a]).abs() * SLOW;
            return j * self.covariances[a] * j.transpose() + Mat3::identity() * (self.drift.walked.powi(2) * off);
        }
        let (j, k) = (by(a, 1.0 - w), by(b, w));
        let cross = j * self.cross[a] * k.transpose();
        let both = j * self.covariances[a] * j.transpose() + k * self.covariances[b] * k.transpose();
        // between two places that are known a walk may bulge
        let bulge = self.drift.walked.powi(2) * (self.walked[b] - self.walked[a]) * w * (1.0 - w);
        both + cross + cross.transpose() + Mat3::identity() * bulge
    }

    /// The pass laid down as one piece instead: where the rigid placement has each of its places. How far that is from where the
    /// path truly lay, by all that is known of it, is part of its error.
    #[must_use]
    pub fn laid_whole(&self, rigid: &Pose) -> Self {
        let laid = |k: usize| Pose { translation: rigid.apply(&self.places[k]), ..*rigid };
        let poses: Vec<Pose> = (0..self.places.len()).map(laid).collect();
        let off: Vec<Vector6<f64>> =
            poses.iter().zip(&self.poses).map(|(laid, true_)| laid.difference(true_)).collect();
        Self {
            covariances: self.covariances.iter().zip(&off).map(|(c, d)| c + d * d.transpose()).collect(),
            cross: self.cross.iter().zip(off.windows(2)).map(|(c, d)| c + d[0] * d[1].transpose()).collect(),
            poses,
            ..self.clone()
        }
    }

    /// By how much a place of the path was moved against where one rigid placement would have it, metres.
    pub fn moved_against(&self, rigid: &Pose, k: usize) -> Vec3 {
        self.poses[k].translation - rigid.apply(&self.places[k])
    }
}

/// Walking on beyond the middle of the last piece, metres a second.
const SLOW: f64 = 0.8;
