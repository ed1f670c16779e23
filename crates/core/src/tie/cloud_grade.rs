use super::search::{Against, Expected, Rival};
use super::shown::{AGREED, Compared};
use super::{CloudFit, Grade};
use crate::geometry::Vec3;
use crate::stats::{K95_1D, K95_3D};

/// What a tie by clouds is worth, and why.
#[derive(Clone, Debug)]
pub struct CloudGrade {
    /// Grade.
    pub grade: Grade,
    /// What it rests on, the weightiest first.
    pub reasons: Vec<CloudReason>,
    /// The direction in which the second is held worst, unit vector in the frame of the first.
    pub weakest: Vec3,
    /// 95 % in that direction, metres.
    pub weakest95: f64,
    /// 95 % of the heading, radians.
    pub heading95: f64,
}

/// What a grade of a tie by clouds rests on.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum CloudReason {
    /// One scan saw through where the other has a surface: share of the places it can speak of.
    Conflict(f64),
    /// Another place is nearly as good: how nearly, and how far away it is, metres and radians.
    Repeats {
        /// 1 is as good.
        share: f64,
        /// Metres.
        shift: f64,
        /// Radians.
        turn: f64,
    },
    /// What decided between two places that are nearly alike: the distance between the stations.
    DistanceDecided(f64),
    /// The same: so many targets that both show, which lie on one another here and not there.
    TargetsDecided(usize),
    /// It lies elsewhere than the other ties say: metres and radians.
    Elsewhere {
        /// Metres.
        shift: f64,
        /// Radians.
        turn: f64,
    },
    /// Little is shared: share of the places of the one that the other saw too, the better way round.
    LittleOverlap(f64),
    /// The surfaces hold the second badly in one direction: 95 %, metres.
    Slides(f64),
    /// The surfaces lie further apart than those of one place: robust root mean square, metres.
    Rough(f64),
    /// So many other scans see it there, and contradict in nothing.
    Confirmed(usize),
    /// Nothing speaks against it: overlap, and conflict.
    Agrees(f64, f64),
}

/// A second place this near to the best makes a tie ambiguous.
pub(super) const NEARLY: f64 = 0.75;
/// Conflict beyond which a tie is doubtful, and beyond which it is wrong.
const CONFLICT: [f64; 2] = [0.012, 0.05];
/// Overlap (the better way round) below which a tie is doubtful, and below which it has failed.
const OVERLAP: [f64; 2] = [0.35, 0.08];
/// The same where nothing contradicts, no other place comes near, and all directions are held: of hundreds of simulated
/// pairs none in a wrong place does (`crates/sim/tests/truth/ties.rs`).
const OVERLAP_CLEAN: [f64; 2] = [0.25, 0.08];
/// The same where other ties say where the scans stand, and this one agrees.
const OVERLAP_KNOWN: [f64; 2] = [0.15, 0.05];
/// Farther than this from where it is said to stand a scan does not agree with it, metres and radians.
const AGREES: (f64, f64) = (0.25, 0.02);
/// The same where it is said to some centimetres.
const AGREES_CLOSE: (f64, f64) = (0.06, 0.01);
/// 95 % in the weakest direction beyond which a tie is said to slide, and beyond which that direction is not held, metres.
/// What slides is right in the others, and says so by its covariance.
const WEAK: [f64; 2] = [0.01, 0.2];
/// Up to this others are looked for from where it stands, metres.
pub const PLACES: f64 = 0.05;
/// Beyond this it is not held to more than little overlap, metres.
pub(super) const FIRM: f64 = 0.02;
/// A second place this near to the best speaks against a tie that is not clean otherwise.
const FAR_BEHIND: f64 = 0.5;
/// Scatter about the surfaces beyond which a tie is doubtful, and beyond which it has failed, metres.
const SCATTER: [f64; 2] = [0.02, 0.04];

impl CloudGrade {
    /// From what the fit and the two scans say, beside what was expected of them.
    pub fn of(fit: &CloudFit, compared: &Compared, rival: Option<&Rival>, expected: &Expected) -> Self {
        let covariance = fit.covariance + fit.shared.covariance(&expected.profile);
        let place = covariance.fixed_view::<3, 3>(0, 0).into_owned().symmetric_eigen();
        let worst = place.eigenvalues.imax();
        let weakest: Vec3 = place.eigenvectors.column(worst).into();
        let weakest95 = place.eigenvalues[worst].max(0.0).sqrt() * K95_3D;
        let (mut grade, mut reasons) = (Grade::Sound, Vec::new());
        let mut weigh = |value: f64, limits: [f64; 2], reason: CloudReason| {
            if value > limits[0] {
                grade = grade.max(if value > limits[1] { Grade::Failed } else { Grade::Doubtful });
                reasons.push(reason);
            }
        };
        let conflict = compared.worst_conflict();
        let overlap = compared.overlap[0].max(compared.overlap[1]);
        let known = expected.pose.map(|p| p.difference(&fit.relative));
        if let Some(d) = known {
            let (shift, turn) = (d.fixed_rows::<3>(0).norm(), d.fixed_rows::<3>(3).norm());
            let within = if expected.close { AGREES_CLOSE } else { AGREES };
            let off = (shift / within.0).max(turn / within.1);
            weigh(off, [1.0, 2.0], CloudReason::Elsewhere { shift, turn });
        }
        let clean = conflict < AGREED && rival.is_none_or(|r| r.share < FAR_BEHIND);
        let shared = match known {
            Some(_) => OVERLAP_KNOWN,
            None if clean && weakest95 < FIRM => OVERLAP_CLEAN,
            None => OVERLAP,
        };
        weigh(conflict, CONFLICT, CloudReason::Conflict(conflict));
        weigh(-overlap, shared.map(|o| -o), CloudReason::LittleOverlap(overlap));
        weigh(fit.rms, SCATTER, CloudReason::Rough(fit.rms));
        if weakest95 > WEAK[0] {
            reasons.push(CloudReason::Slides(weakest95));
        }
        // what slides farther may lie metres away on a corridor that is bare: where other ties say where it stands, they hold
        // what this one does not
        if weakest95 > WEAK[1] && !(clean && known.is_some()) {
            grade = grade.max(if clean { Grade::Doubtful } else { Grade::Failed });
        }
        if let Some(r) = rival {
            let d = fit.relative.difference(&r.pose);
            if r.share > NEARLY
                && let Some(against) = r.against
            {
                reasons.push(match against {
                    Against::Distance => CloudReason::DistanceDecided(r.pose.translation.xy().norm()),
                    Against::Targets(met) => CloudReason::TargetsDecided(met),
                });
            } else if r.share > NEARLY {
                grade = grade.max(Grade::Doubtful);
                let (shift, turn) = (d.fixed_rows::<3>(0).norm(), d.fixed_rows::<3>(3).norm());
                reasons.push(CloudReason::Repeats { share: r.share, shift, turn });
            }
        }
        if grade == Grade::Sound {
            reasons.push(CloudReason::Agrees(overlap, conflict));
        }
        Self { grade, reasons, weakest, weakest95, heading95: covariance[(5, 5)].max(0.0).sqrt() * K95_1D }
    }

    /// Whether the second stands where it says, in every direction to some centimetres: others may be looked for from there.
    pub fn places(&self) -> bool {
        self.grade == Grade::Sound && self.weakest95 < PLACES
    }

    /// Whether another place is nearly as good.
    pub fn is_ambiguous(&self) -> bool {
        self.reasons.iter().any(|r| matches!(r, CloudReason::Repeats { .. }))
    }
}
