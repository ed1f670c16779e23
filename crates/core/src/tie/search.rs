use super::by_targets::{self, Mark};
use super::cloud_grade::{FIRM, NEARLY};
use super::clouds::{Approach, tie_near};
use super::shown::{CLOSE, Compared};
use super::{CloudFit, CloudGrade, CloudReason, Grade, Shown, tie_clouds};
use crate::geometry::{Pose, Vec3};
use crate::instrument::Systematic;
use rayon::prelude::*;

/// What is known of the relation of two scans before their clouds are looked at.
#[derive(Clone, Debug, Default)]
pub struct Expected {
    /// Pose of the second in the frame of the first, right to some decimetres and a degree or so.
    pub pose: Option<Pose>,
    /// The pose is right to some centimetres: other ties say it.
    pub close: bool,
    /// Distance between the two stations on the plan and its σ, metres.
    pub distance: Option<(f64, f64)>,
    /// Targets that the first and the second show.
    pub targets: [Vec<Mark>; 2],
    /// Errors of the instrument that all points of a scan share.
    pub profile: Systematic,
}

/// Two scans brought together by what they show, with all that speaks for and against it.
#[derive(Clone, Debug)]
pub struct CloudTieFound {
    /// Where the second stands, and how well.
    pub fit: CloudFit,
    /// What the two say of one another there.
    pub compared: Compared,
    /// The best of the other places, when others were looked for.
    pub rival: Option<Rival>,
    /// Grade, with its reasons.
    pub grade: CloudGrade,
}

/// Another place that the second scan might have.
#[derive(Clone, Copy, Debug)]
pub struct Rival {
    /// Pose of the second in the frame of the first.
    pub pose: Pose,
    /// What the two say of one another there.
    pub compared: Compared,
    /// How well it stands beside the one chosen: 1 is as well.
    pub share: f64,
    /// What it was set aside for, when something else than what the scans show of surfaces decided.
    pub against: Option<Against>,
}

/// What decides between places that are alike.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Against {
    /// The distance between the stations on the plan.
    Distance,
    /// So many targets that both show lie on one another in the one place, and not in the other.
    Targets(usize),
}

/// Starts that are looked at closely.
const LOOKED_AT: usize = 1500;
/// A place where targets meet may be so good beside the best by what is seen.
const POSSIBLE: f64 = 0.4;
/// Starts that are followed to their end.
const FOLLOWED: usize = 24;
/// More conflict, or less overlap, than this at the best place: the two do not belong together.
const HOPELESS: (f64, f64) = (0.08, 0.05);
/// Places nearer than this are one, metres and radians.
const SAME: (f64, f64) = (0.3, 0.04);
/// What is taken for a conflict while the place is roughly known, metres.
const ROUGH: f64 = 0.25;

/// Brings two scans together. Without a start all headings and shifts are looked at:
/// likely ones by how the plan views go together, some of them followed, and the best and the second best kept.
///
/// `None` when nothing is shared that could be laid on one another.
pub fn tie_by_clouds(first: &Shown, second: &Shown, expected: &Expected) -> Option<CloudTieFound> {
    let (start, rival) = if let Some(pose) = expected.pose { (pose, None) } else { chosen(first, second, expected)? };
    let fit = if expected.close { tie_near } else { tie_clouds };
    let fit = fit(&first.cloud, &second.cloud, &start)?.in_light(&expected.profile);
    let compared = Compared::of(first, second, &fit.relative, CLOSE, usize::MAX);
    let grade = CloudGrade::of(&fit, &compared, rival.as_ref(), expected);
    Some(CloudTieFound { fit, compared, rival, grade })
}

/// Brings two scans together from where somebody laid the second, right to some decimetres, and judges the tie like
/// any other: the best of the places that a search without this start finds stands beside it.
///
/// `None` when nothing is shared there that could be laid on one another.
pub fn tie_by_hand(first: &Shown, second: &Shown, laid: &Pose, profile: &Systematic) -> Option<CloudTieFound> {
    let fit = tie_clouds(&first.cloud, &second.cloud, laid)?.in_light(profile);
    let own = Compared::of(first, second, &fit.relative, CLOSE, 3000).score(HARM);
    let rival = places(first, second, &[]).into_iter().find(|p| !same(&p.0, &fit.relative)).map(|p| Rival {
        pose: p.0,
        compared: Compared::of(first, second, &p.0, CLOSE, usize::MAX),
        share: (p.1 / own.max(1e-3)).max(0.0),
        against: None,
    });
    let compared = Compared::of(first, second, &fit.relative, CLOSE, usize::MAX);
    let expected = Expected { profile: *profile, ..Expected::default() };
    let grade = CloudGrade::of(&fit, &compared, rival.as_ref(), &expected);
    Some(CloudTieFound { fit, compared, rival, grade })
}

impl CloudTieFound {
    /// Whether nothing speaks against it but that little is shared.
    pub fn wants_witnesses(&self) -> bool {
        let slight = |r: &CloudReason| matches!(r, CloudReason::LittleOverlap(_) | CloudReason::Slides(_));
        // witnesses say that it stands there, not where along a corridor
        self.grade.weakest95 < FIRM
            && self.grade.grade == Grade::Doubtful
            && self.grade.reasons.iter().all(slight)
            && self.compared.agrees()
    }

    /// Asks other scans, whose pose of the second in their frame is given as it would be: a scan in a wrong place lies
    /// where some of them saw through. Those who see it there and contradict in nothing make it sound.
    pub fn ask(&mut self, second: &Shown, others: &[(&Shown, Pose)]) {
        let said: Vec<Compared> =
            others.iter().map(|(o, pose)| Compared::of(o, second, pose, CLOSE, usize::MAX)).collect();
        let shared: Vec<f64> = said.iter().map(|c| c.overlap[0].max(c.overlap[1])).filter(|s| *s > WITNESS).collect();
        let witnesses = shared.len();
        let enough = witnesses > 1 || shared.iter().sum::<f64>() > ALONE;
        if enough && said.iter().all(Compared::agrees) {
            self.grade.grade = Grade::Sound;
            self.grade.reasons.insert(0, CloudReason::Confirmed(witnesses));
        }
    }
}

/// Share of what a scan shows, or of what it is asked about, that makes it a witness.
const WITNESS: f64 = 0.03;
/// A single witness must see so much of it: a corner of one room agrees with many places.
const ALONE: f64 = 0.12;

/// The likeliest place, and the next.
fn chosen(first: &Shown, second: &Shown, expected: &Expected) -> Option<(Pose, Option<Rival>)> {
    let [mine, theirs] = &expected.targets;
    let in_upright = |of: &Shown, marks: &[Mark]| marks.iter().map(|m| (m.0, of.up * m.1)).collect::<Vec<Mark>>();
    let told = by_targets::poses(&[in_upright(first, mine), in_upright(second, theirs)]);
    let told: Vec<Pose> = told.iter().map(|p| first.of_upright(second, p)).collect();
    let mut places = places(first, second, &told);
    let top = places.first()?.1;
    let fits = |p: &(Pose, f64)| {
        expected.distance.is_none_or(|(d, sigma)| (p.0.translation.xy().norm() - d).abs() < 4.0 * sigma)
    };
    let meet = |p: &(Pose, f64)| by_targets::meeting(&expected.targets, &p.0);
    // targets decide where two or more meet in one place that is not much worse than the best, and in no other; the
    // distance between places that are nearly alike, never against one that is better by what is seen: a tripod may
    // stand metres beside its plan
    let possible = places.iter().take_while(|p| p.1 > POSSIBLE * top).count();
    let met: Vec<usize> = (0..possible).filter(|&k| meet(&places[k]) > 1).collect();
    let by_targets = met.first().copied().filter(|_| met.len() == 1);
    let alike = places.iter().take_while(|p| p.1 > NEARLY * top).count();
    let at = by_targets.unwrap_or_else(|| places[..alike].iter().position(fits).unwrap_or(0));
    let best = places.remove(at);
    // what contradicts itself there, or hardly shares anything, becomes no better by a fit
    let close = Compared::of(first, second, &best.0, CLOSE, 3000);
    if close.worst_conflict() > HOPELESS.0 || close.overlap[0].max(close.overlap[1]) < HOPELESS.1 {
        return None;
    }
    // what something else speaks against is no rival any more, and stays on record
    let against = |p: &(Pose, f64)| match by_targets {
        Some(_) => Some(Against::Targets(meet(&best))),
        None => (!fits(p)).then_some(Against::Distance),
    };
    let other = places.iter().find(|p| against(p).is_none()).or(places.first());
    let rival = other.map(|p| Rival {
        pose: p.0,
        compared: Compared::of(first, second, &p.0, CLOSE, usize::MAX),
        share: (p.1 / best.1.max(1e-9)).max(0.0),
        against: against(p),
    });
    Some((best.0, rival))
}

/// Places the second may have in the frame of the first, each with its score, the best first; some are `told`.
fn places(first: &Shown, second: &Shown, told: &[Pose]) -> Vec<(Pose, f64)> {
    let mut starts = first.plan.starts(&second.plan);
    for s in &mut starts {
        s.pose = first.of_upright(second, &s.pose);
    }
    let mut rough: Vec<(Pose, f64)> = starts
        .par_iter()
        .take(LOOKED_AT)
        .map(|s| (s.pose, Compared::of(first, second, &s.pose, ROUGH, 1000).score(3.0)))
        .collect();
    rough.sort_by(|a, b| b.1.total_cmp(&a.1));
    let mut apart: Vec<Pose> = told.to_vec();
    for (pose, _) in rough {
        if apart.len() < FOLLOWED && apart.iter().all(|p| !same(p, &pose)) {
            apart.push(pose);
        }
    }
    let approach = Approach::new(&first.cloud, &second.cloud);
    let mut found: Vec<(Pose, f64)> = apart
        .par_iter()
        .filter_map(|p| approach.from(p))
        .map(|p| (p, Compared::of(first, second, &p, CLOSE, 3000).score(HARM)))
        .collect();
    found.sort_by(|a, b| b.1.total_cmp(&a.1));
    let mut out = apart_from_one_another(found);
    let slid: Vec<_> = out.par_iter().take(SLID).map(|p| along_walls(first, second, &approach, *p)).collect();
    out.splice(..slid.len(), slid);
    out.sort_by(|a, b| b.1.total_cmp(&a.1));
    apart_from_one_another(out)
}

fn apart_from_one_another(places: Vec<(Pose, f64)>) -> Vec<(Pose, f64)> {
    let mut out: Vec<(Pose, f64)> = Vec::new();
    for p in places {
        if out.iter().all(|o| !same(&o.0, &p.0)) {
            out.push(p);
        }
    }
    out
}

/// The best of the best places are slid along and across the walls.
const SLID: usize = 6;
/// So far, each way, and in these steps, metres.
const SLIDE: [(i32, f64); 2] = [(12, 0.12), (5, 0.02)];
/// A place from which no fit comes back as good must be so much better for it.
const SAYS: f64 = 0.05;

/// The walls of a corridor do not say where along it a scan stands, and a fit stays where it began. What was seen through
/// doors says it: the place is slid to where least contradicts, and fitted again from there.
fn along_walls(first: &Shown, second: &Shown, approach: &Approach, from: (Pose, f64)) -> (Pose, f64) {
    let score = |p: &Pose| Compared::of(first, second, p, CLOSE, 3000).score(HARM);
    let (sin, cos) = first.plan.main_direction().sin_cos();
    let ways = [Vec3::new(cos, sin, 0.0), Vec3::new(-sin, cos, 0.0)].map(|w| first.up.inverse() * w);
    let mut best = from;
    for (steps, step) in SLIDE {
        for way in ways {
            let middle = best.0;
            for k in (-steps..=steps).filter(|k| *k != 0) {
                let there = Pose { translation: middle.translation + way * (step * f64::from(k)), ..middle };
                let s = score(&there);
                if s > best.1 {
                    best = (there, s);
                }
            }
        }
    }
    if best.1 <= from.1 {
        return from;
    }
    // the surfaces say better than what was seen through where it stands, wherever they say it
    let fitted = approach.from(&best.0).map(|p| (p, score(&p)));
    if let Some(f) = fitted.filter(|f| f.1 >= from.1) {
        return f;
    }
    if best.1 > from.1 + SAYS { best } else { from }
}

/// A place that was seen through speaks so many times louder than one that agrees: at the right place
/// hardly any is (`crates/sim/tests/truth/ties.rs`).
pub(super) const HARM: f64 = 40.0;

pub(super) fn same(a: &Pose, b: &Pose) -> bool {
    (a.translation - b.translation).norm() < SAME.0 && a.rotation.angle_to(&b.rotation) < SAME.1
}
