use super::upright::upright;
use super::{PlanView, Seen, Sight};
use crate::cloud::WorkingCloud;
use crate::geometry::{Pose, Vec3};
use nalgebra::UnitQuaternion;

/// What is kept of a scan to bring it together with others by what it shows.
#[derive(Clone, Debug)]
pub struct Shown {
    /// Its surfaces, scanner frame.
    pub cloud: WorkingCloud,
    /// How far it saw.
    pub sight: Sight,
    /// As seen from above, in axes of which z is upright.
    pub plan: PlanView,
    /// From the scanner frame to those axes.
    pub up: UnitQuaternion<f64>,
    /// Some of the places with the way they face (nil when that is not known), spread over the whole.
    sample: Vec<(Vec3, Vec3)>,
}

/// What is taken for a conflict once two scans lie on one another, metres.
pub(super) const CLOSE: f64 = 0.08;
/// As good as nothing contradicts.
pub(super) const AGREED: f64 = 0.004;
/// Places compared each way.
const SAMPLE: usize = 6000;

impl Shown {
    /// Of a scan whose z axis is upright.
    pub fn new(cloud: WorkingCloud, sight: Sight) -> Self {
        Self::with(cloud, sight, UnitQuaternion::identity())
    }

    /// Of a scan that was not levelled: what is upright is taken from its walls and floors, and the z axis for it where
    /// they do not say.
    pub fn leaning(cloud: WorkingCloud, sight: Sight) -> Self {
        let up = upright(&cloud).unwrap_or_else(UnitQuaternion::identity);
        Self::with(cloud, sight, up)
    }

    fn with(mut cloud: WorkingCloud, sight: Sight, up: UnitQuaternion<f64>) -> Self {
        face_levels(&mut cloud, &up);
        let usable = surfaces(&cloud).count();
        let step = (usable / SAMPLE).max(1);
        let sample =
            surfaces(&cloud).step_by(step).map(|(p, n)| (p, if uncertain(&p, &n, &up) { Vec3::zeros() } else { n }));
        let sample = sample.collect();
        let plan = if up.angle() > 0.0 { PlanView::of(&turned(&cloud, &up)) } else { PlanView::of(&cloud) };
        forget_uncertain(&mut cloud, &up);
        Self { cloud, sight, plan, up, sample }
    }

    /// The pose of another in the frame of this one, of what it is between the upright axes of both.
    pub(super) fn of_upright(&self, other: &Self, pose: &Pose) -> Pose {
        Pose {
            rotation: self.up.inverse() * pose.rotation * other.up,
            translation: self.up.inverse() * pose.translation,
        }
    }

    /// Some of its places, about `most` of them, scanner frame, metres, and the unit normals of their surfaces towards the
    /// scanner; nil where they are not known.
    pub fn sample(&self, most: usize) -> impl Iterator<Item = (Vec3, Vec3)> + '_ {
        self.sample.iter().copied().step_by(self.sample.len().div_ceil(most.max(1)).max(1))
    }
}

/// Cosine of the incidence below which nothing says on which side of a surface the scanner stands.
const GRAZED: f64 = 0.17;

/// Vertical part of the normal beyond which a surface is level ground, a ceiling, or the top of a thing.
const LEVEL: f64 = 0.97;
/// What lies this much above or below the scanner is seen from below or above, metres.
const ASIDE: f64 = 0.3;

/// Above the scanner (above 0) or below it, and which way it faces, of a level surface.
fn level(at: &Vec3, facing: &Vec3, up: &UnitQuaternion<f64>) -> Option<(f64, f64)> {
    let (height, rise) = ((up * at).z, (up * facing).z);
    (rise.abs() > LEVEL * facing.norm() && height.abs() > ASIDE).then_some((height, rise))
}

fn uncertain(at: &Vec3, facing: &Vec3, up: &UnitQuaternion<f64>) -> bool {
    facing.dot(at).abs() < GRAZED * facing.norm() * at.norm() && level(at, facing, up).is_none()
}

/// In other axes.
fn turned(cloud: &WorkingCloud, by: &UnitQuaternion<f64>) -> WorkingCloud {
    let turn = |v: Vec3| by * v;
    WorkingCloud {
        points: cloud.points.iter().map(|p| turn(Vec3::from(p.map(f64::from))).map(|v| v as f32).into()).collect(),
        normals: cloud
            .normals
            .iter()
            .map(|n| turn(Vec3::from(n.map(f64::from))).map(|v| v.round() as i8).into())
            .collect(),
        counts: cloud.counts.clone(),
    }
}

/// Turns level surfaces the way they must face: ground below the scanner faces up, however far away it is. Most of what a
/// yard says of heights is seen at such angles.
fn face_levels(cloud: &mut WorkingCloud, up: &UnitQuaternion<f64>) {
    for (p, n) in cloud.points.iter().zip(&mut cloud.normals) {
        let (at, facing) = (Vec3::from(p.map(f64::from)), Vec3::from(n.map(f64::from)));
        if level(&at, &facing, up).is_some_and(|(height, rise)| height * rise > 0.0) {
            *n = n.map(|v| -v);
        }
    }
}

/// Takes for unknown the normals of what is seen at a grazing angle: some degrees of error turn them over, and a few that
/// face the wrong way draw the two sides of a thin wall on one another.
fn forget_uncertain(cloud: &mut WorkingCloud, up: &UnitQuaternion<f64>) {
    for (p, n) in cloud.points.iter().zip(&mut cloud.normals) {
        let (at, facing) = (Vec3::from(p.map(f64::from)), Vec3::from(n.map(f64::from)));
        if uncertain(&at, &facing, up) {
            *n = [0; 3];
        }
    }
}

/// Points whose normal is known: place and unit normal, scanner frame, metres.
pub(super) fn surfaces(cloud: &WorkingCloud) -> impl Iterator<Item = (Vec3, Vec3)> + '_ {
    let known = cloud.points.iter().zip(&cloud.normals).filter(|(_, n)| **n != [0; 3]);
    known.map(|(p, n)| (Vec3::from(p.map(f64::from)), Vec3::from(n.map(f64::from)).normalize()))
}

/// What two scans say of one another in a relative pose: shares of the places of the one that the other can speak
/// of, first of the second's seen from the first, then the other way.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Compared {
    /// Share of all places where the other saw a surface too.
    pub overlap: [f64; 2],
    /// Share of the places of which the other can speak where it saw through.
    pub conflict: [f64; 2],
    /// Share of all places where the other saw through.
    pub through: [f64; 2],
}

impl Compared {
    /// Compares two scans; `relative` is the pose of the second in the frame of the first.
    pub fn of(first: &Shown, second: &Shown, relative: &Pose, tolerance: f64, most: usize) -> Self {
        let back = relative.inverse();
        let one = |sight: &Sight, pose: &Pose, of: &Shown| {
            let (mut all, mut surface, mut through) = (0.0_f64, 0.0, 0.0);
            for (p, n) in of.sample(most) {
                all += 1.0;
                let at = pose.apply(&p);
                match sight.look(&at, tolerance) {
                    // the other side of a thin wall is not what the other saw
                    Seen::Surface if (pose.rotation * n).dot(&at) <= GRAZED * at.norm() => surface += 1.0,
                    Seen::Through => through += 1.0,
                    Seen::Surface | Seen::Unknown => {}
                }
            }
            let all = all.max(1.0);
            (surface / all, through / (surface + through).max(1.0), through / all)
        };
        let (a, b) = (one(&first.sight, relative, second), one(&second.sight, &back, first));
        Self { overlap: [a.0, b.0], conflict: [a.1, b.1], through: [a.2, b.2] }
    }

    /// The larger conflict of both ways.
    pub fn worst_conflict(&self) -> f64 {
        self.conflict[0].max(self.conflict[1])
    }

    /// Whether as good as nothing contradicts.
    pub fn agrees(&self) -> bool {
        self.worst_conflict() < AGREED
    }

    /// One figure to rank by: what agrees, less what cannot be, so many times.
    pub(super) fn score(&self, harm: f64) -> f64 {
        (0..2).map(|k| self.overlap[k] * (1.0 - harm * self.conflict[k])).sum::<f64>() / 2.0
    }
}
