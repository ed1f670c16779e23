use crate::geometry::{Mat3, Pose, Vec3};
use crate::stats::{K95_1D, median};
use crate::tie::{Index, Seen, Shown};
use nalgebra::{Matrix6, Vector2, Vector6};
use rayon::prelude::*;

/// Something that is to be built, in the frame of the clouds, metres.
#[derive(Clone, Debug, PartialEq)]
pub enum Element {
    /// A wall: its axis on the plan, foot, top, and thickness (0: the axis is its face).
    Wall {
        /// Axis on the plan.
        line: Vec<Vector2<f64>>,
        /// Foot.
        base: f64,
        /// Top.
        top: f64,
        /// Thickness.
        thickness: f64,
    },
    /// An opening in a wall: its two ends on the plan, sill and head.
    Opening {
        /// Both ends.
        ends: [Vector2<f64>; 2],
        /// Lower edge.
        sill: f64,
        /// Upper edge.
        head: f64,
    },
    /// A pipe or a round column: its axis and radius.
    Pipe {
        /// Axis.
        line: Vec<Vec3>,
        /// Radius.
        radius: f64,
    },
}

/// What is there of an element.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Built {
    /// It is where it should be.
    There,
    /// It is there, beside its place by more than can be explained.
    Elsewhere,
    /// Some of it is there.
    Partly,
    /// Scans look through its place.
    NotYet,
    /// No scan sees enough of its place.
    NotSeen,
}

/// An element set against the clouds.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct State {
    /// What is there.
    pub built: Built,
    /// How far beside its place, metres: a wall along its normal (to the left of its line), an opening along its wall, a
    /// pipe across its axis. None where nothing is there.
    pub distance: Option<f64>,
    /// Distances smaller than this are not told from noise: 95 %, metres.
    pub detectable: f64,
    /// Share of it that some scan could see.
    pub seen: f64,
    /// Share of that which is there.
    pub shown: f64,
    /// What stands where it is still to come.
    pub clash: Option<Clash>,
}

/// Something that stands where an element is still to come.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Clash {
    /// The middle of it.
    pub at: Vec3,
    /// How far it reaches, metres.
    pub extent: f64,
}

/// Places on an element that are looked at, apart, metres; along pipes, and columns across an opening.
const STEP: f64 = 0.2;
const FINE: f64 = 0.1;
/// Ways round a pipe.
const ROUND: usize = 12;
/// What stands no farther beside its place than this is taken for it, metres.
const BESIDE: f64 = 0.15;
/// How far about a place its surface is taken from, metres; cells of the index.
const PATCH: f64 = 0.15;
const REACH: f64 = 0.25;
/// A place is looked at askew no more than this: cosine.
const ASKEW: f64 = 0.15;
/// What is nearer to a surface than this is not looked through, metres; and so much more for each metre of distance.
const CLEAR: [f64; 2] = [0.06, 0.004];
/// Seen enough; there; not there.
const ENOUGH: f64 = 0.2;
const MOST: f64 = 0.6;
const FEW: f64 = 0.2;
/// What ranges differ by with the light, 1σ, and how many places beside one another say much the same.
const FLOOR: f64 = 0.002;
const ALIKE: f64 = 9.0;
/// An opening is looked for so far along its wall, metres.
const ALONG: f64 = 0.8;
/// What lies so much deeper in an element than its faces is in its way, metres; in one without thickness, so far about it.
const DEEP: f64 = 0.02;
const THIN: f64 = 0.03;
/// As far from its rim nothing is in its way: floors, ceilings and walls that it meets are where they should be, metres.
const RIM: f64 = 0.2;
/// Points of an element at most.
const LIMIT: usize = 40_000;

/// A place on an element: where, the normal that its distance counts along, and half the thickness behind it.
#[derive(Clone, Copy, Debug)]
struct Place {
    at: Vec3,
    normal: Vec3,
    half: f64,
    /// How far along an opening's wall, from the middle of the opening, metres.
    along: f64,
    /// Something could be in the way here: it is no rim, and of a pipe one place speaks for all round the axis.
    inner: bool,
}

/// What scans say of a place.
#[derive(Clone, Copy, Debug, Default)]
struct Found {
    /// Along the normal, metres, with the variance by the pose.
    distance: Option<(f64, f64)>,
    through: bool,
    /// Something lies inside of the element here.
    inside: bool,
}

/// Elements that are being looked at, scan by scan.
pub struct Gaze {
    elements: Vec<Element>,
    places: Vec<Vec<Place>>,
    found: Vec<Vec<Found>>,
}

impl Gaze {
    /// Nothing was looked at yet.
    pub fn new(elements: Vec<Element>) -> Self {
        let places: Vec<Vec<Place>> = elements.iter().map(places).collect();
        let found = places.iter().map(|p| vec![Found::default(); p.len()]).collect();
        Self { elements, places, found }
    }

    /// What one scan shows; `pose` and `covariance` (left increments) are its own in the frame of the elements.
    pub fn look(&mut self, scan: &Shown, pose: &Pose, covariance: &Matrix6<f64>) {
        let index = Index::new(&scan.cloud, REACH, 1);
        let back = pose.inverse();
        let elements = self.elements.par_iter().zip(&self.places).zip(&mut self.found);
        elements.for_each(|((element, places), found)| {
            let solid = !matches!(element, Element::Opening { .. });
            let pipe = matches!(element, Element::Pipe { .. });
            for (p, f) in places.iter().zip(found) {
                if p.inner && !f.inside {
                    let (q, n) = (back.apply(&p.at), back.rotation * p.normal);
                    f.inside = lies_inside(&index, &q, &n, p.half, pipe);
                }
                let towards = pose.translation - p.at;
                let facing = towards.dot(&p.normal) / towards.norm().max(1e-9);
                // a pipe is seen from one side, a wall from either
                let side = if pipe { 1.0 } else { facing.signum() };
                if facing * side < ASKEW {
                    continue;
                }
                let normal = p.normal * side;
                let (q, n) = (back.apply(&(p.at + normal * p.half)), back.rotation * normal);
                let near = if pipe { round_beside(&index, &q, &n) } else { flat_beside(&index, &q, &n) };
                if let Some(h) = near {
                    let turn = (p.at - pose.translation).cross(&normal);
                    let row = Vector6::new(normal.x, normal.y, normal.z, turn.x, turn.y, turn.z);
                    let variance = row.dot(&(covariance * row)).max(0.0);
                    if f.distance.is_none_or(|d| variance < d.1) {
                        f.distance = Some((h * side, variance));
                    }
                } else {
                    let margin = CLEAR[0] + CLEAR[1] * q.norm() + if solid { BESIDE - CLEAR[0] } else { 0.0 };
                    f.through |= scan.sight.look(&q, margin) == Seen::Through;
                }
            }
        });
    }

    /// What is there of each element. `tolerance` is how far beside its place it may be, metres.
    pub fn states(&self, tolerance: f64) -> Vec<State> {
        let all = self.elements.iter().zip(&self.places).zip(&self.found);
        all.map(|((e, p), f)| match e {
            Element::Opening { ends, .. } => opening(p, f, (ends[1] - ends[0]).norm(), tolerance),
            Element::Wall { .. } => clashing(solid(f, tolerance, flat(f)), p, f, false),
            Element::Pipe { .. } => clashing(solid(f, tolerance, axis(p, f)), p, f, true),
        })
        .collect()
    }
}

/// Whether points lie deeper in an element about a place than its faces: more than a stray one.
fn lies_inside(index: &Index, q: &Vec3, n: &Vec3, half: f64, pipe: bool) -> bool {
    let depth = (half - DEEP).max(THIN);
    let reach = if pipe { depth.min(REACH) } else { BESIDE };
    let deep = |off: &Vec3| if pipe { off.norm() < depth } else { n.dot(off).abs() < depth };
    index.all_near(q, reach).filter(|(off, _)| deep(off)).take(2).count() == 2
}

/// With what is in the way of something that is not, or not all, there. A face where the element's own should be is a part
/// of it, and not in its way.
fn clashing(state: State, places: &[Place], found: &[Found], pipe: bool) -> State {
    let open = match state.built {
        Built::NotYet | Built::NotSeen => true,
        Built::Partly => !pipe,
        Built::There | Built::Elsewhere => false,
    };
    let own = |f: &Found| !pipe && f.distance.is_some();
    let inside = places.iter().zip(found).filter(|(_, f)| f.inside && !own(f)).map(|(p, _)| p.at);
    let all: Vec<Vec3> = inside.collect();
    let few = if pipe { 1 } else { 2 };
    if !open || all.len() < few {
        return state;
    }
    let (low, high) = all.iter().fold((all[0], all[0]), |(a, b), p| (a.inf(p), b.sup(p)));
    let extent = (high - low).norm() + if pipe { FINE } else { STEP };
    State { clash: Some(Clash { at: (low + high) / 2.0, extent }), ..state }
}

/// Median distance of the surface about a place from it.
fn flat_beside(index: &Index, q: &Vec3, n: &Vec3) -> Option<f64> {
    let across = |off: &Vec3| off.norm_squared() - n.dot(off).powi(2) < PATCH * PATCH;
    let near = index.near(q, n, REACH).map(|s| s.0).filter(|off| across(off) && n.dot(off).abs() < BESIDE);
    median(&mut near.map(|off| n.dot(&off)).collect::<Vec<_>>())
}

/// The same of what is too round for its normals to be known well.
fn round_beside(index: &Index, q: &Vec3, n: &Vec3) -> Option<f64> {
    let across = |off: &Vec3| off.norm_squared() - n.dot(off).powi(2) < FINE * FINE / 2.0;
    let near = index.all_near(q, BESIDE).map(|s| s.0).filter(across);
    median(&mut near.map(|off| n.dot(&off)).collect::<Vec<_>>())
}

/// Even steps from one end to the other, both left out by half a step.
fn steps(length: f64, step: f64) -> impl Iterator<Item = f64> + Clone {
    let count = ((length / step).round() as usize).clamp(1, LIMIT);
    (0..count).map(move |k| (k as f64 + 0.5) / count as f64 * length)
}

fn places(element: &Element) -> Vec<Place> {
    let mut out = Vec::new();
    match element {
        Element::Wall { line, base, top, thickness } => {
            for part in line.windows(2) {
                let (d, length) = (part[1] - part[0], (part[1] - part[0]).norm());
                let along = d / length.max(1e-9);
                let normal = Vec3::new(-along.y, along.x, 0.0);
                for (s, h) in steps(length, STEP).flat_map(|s| steps(top - base, STEP).map(move |h| (s, h))) {
                    let p = part[0] + along * s;
                    let inner = s.min(length - s).min(h).min(top - base - h) > RIM;
                    let at = Vec3::new(p.x, p.y, base + h);
                    out.push(Place { at, normal, half: thickness / 2.0, along: 0.0, inner });
                }
            }
        }
        Element::Opening { ends, sill, head } => {
            let (middle, length) = ((ends[0] + ends[1]) / 2.0, (ends[1] - ends[0]).norm());
            let along = (ends[1] - ends[0]) / length.max(1e-9);
            let normal = Vec3::new(-along.y, along.x, 0.0);
            let wide = length + 2.0 * ALONG;
            for (s, h) in steps(wide, FINE).flat_map(|s| steps(head - sill, STEP).map(move |h| (s - wide / 2.0, h))) {
                let p = middle + along * s;
                let at = Vec3::new(p.x, p.y, sill + h);
                out.push(Place { at, normal, half: 0.0, along: s, inner: false });
            }
        }
        Element::Pipe { line, radius } => {
            for part in line.windows(2) {
                let length = (part[1] - part[0]).norm();
                let along = (part[1] - part[0]) / length.max(1e-9);
                let aside = if along.z.abs() < 0.9 { Vec3::z() } else { Vec3::x() };
                let u = along.cross(&aside).normalize();
                let v = along.cross(&u);
                for s in steps(length, FINE) {
                    for k in 0..ROUND {
                        let (sin, cos) = (k as f64 / ROUND as f64 * std::f64::consts::TAU).sin_cos();
                        let normal = u * cos + v * sin;
                        let inner = k == 0 && s.min(length - s) > RIM;
                        out.push(Place { at: part[0] + along * s, normal, half: *radius, along: 0.0, inner });
                    }
                }
            }
        }
    }
    out.truncate(LIMIT);
    out
}

/// Signed distance and its variance, of places that are there.
fn flat(found: &[Found]) -> Option<(f64, f64)> {
    let mut all: Vec<f64> = found.iter().filter_map(|f| f.distance).map(|d| d.0).collect();
    let n = all.len() as f64;
    let distance = median(&mut all)?;
    let scatter = 1.4826 * median(&mut all.iter().map(|d| (d - distance).abs()).collect::<Vec<_>>())?;
    let by_pose = found.iter().filter_map(|f| f.distance).map(|d| d.1).sum::<f64>() / n;
    Some((distance, scatter * scatter / (n / ALIKE).max(1.0) + by_pose))
}

/// How far a pipe's axis lies beside its place: the shift that explains the distances round it.
fn axis(places: &[Place], found: &[Found]) -> Option<(f64, f64)> {
    let (mut normal, mut right, mut n, mut by_pose) = (Mat3::identity() * 1e-6, Vec3::zeros(), 0.0, 0.0);
    let there = || places.iter().zip(found).filter_map(|(p, f)| f.distance.map(|d| (p, d)));
    for (p, (h, variance)) in there() {
        normal += p.normal * p.normal.transpose();
        right += p.normal * h;
        n += 1.0;
        by_pose += variance;
    }
    let inverse = normal.try_inverse()?;
    let shift = inverse * right;
    let left = there().map(|(p, d)| (d.0 - p.normal.dot(&shift)).powi(2)).sum::<f64>() / (n - 2.0_f64).max(1.0);
    let across = shift.try_normalize(1e-9).unwrap_or_else(Vec3::x);
    let own = across.dot(&(inverse * across)) * left * ALIKE;
    (n > 0.0).then(|| (shift.norm(), own + by_pose / n))
}

fn solid(found: &[Found], tolerance: f64, distance: Option<(f64, f64)>) -> State {
    let there = found.iter().filter(|f| f.distance.is_some()).count() as f64;
    let through = found.iter().filter(|f| f.distance.is_none() && f.through).count() as f64;
    let (seen, shown) = ((there + through) / found.len().max(1) as f64, there / (there + through).max(1.0));
    let (distance, variance) = distance.map_or((None, 0.0), |d| (Some(d.0), d.1));
    let detectable = K95_1D * (variance + FLOOR * FLOOR).sqrt();
    let built = match distance {
        _ if seen < ENOUGH => Built::NotSeen,
        _ if shown <= FEW => Built::NotYet,
        _ if shown < MOST => Built::Partly,
        Some(d) if d.abs() > tolerance.max(detectable) => Built::Elsewhere,
        _ => Built::There,
    };
    let distance = distance.filter(|_| matches!(built, Built::There | Built::Elsewhere | Built::Partly));
    State { built, distance, detectable, seen, shown, clash: None }
}

/// An opening is where scans look through its wall: the shift along the wall at which the most of it is open, and the
/// most beside it closed.
fn opening(places: &[Place], found: &[Found], width: f64, tolerance: f64) -> State {
    // of each place 1 where it is open, −1 where something is there
    let said: Vec<(f64, f64)> = places
        .iter()
        .zip(found)
        .filter(|(_, f)| f.distance.is_some() || f.through)
        .map(|(p, f)| (p.along, if f.distance.is_some() { -1.0 } else { 1.0 }))
        .collect();
    let inside = |s: f64, a: f64| (a - s).abs() < width / 2.0;
    let of_it = places.iter().filter(|p| inside(0.0, p.along)).count().max(1) as f64;
    let in_place: Vec<f64> = said.iter().filter(|p| inside(0.0, p.0)).map(|p| p.1).collect();
    let seen = in_place.len() as f64 / of_it;
    let open = in_place.iter().filter(|v| **v > 0.0).count() as f64 / in_place.len().max(1) as f64;
    let state = |built, distance| State { built, distance, detectable: FINE, seen, shown: open, clash: None };
    if seen < ENOUGH {
        return state(Built::NotSeen, None);
    }
    let score = |s: f64| {
        let (mut own, mut others) = ([0.0, 0.0], [0.0, 0.0]);
        for (a, v) in &said {
            let to = if inside(s, *a) { &mut own } else { &mut others };
            to[0] += v;
            to[1] += 1.0;
        }
        (own[0] - others[0]) / (own[1] + others[1]).max(1.0)
    };
    let shifts = (-8..=8).map(|k| f64::from(k) * FINE);
    let best = shifts.max_by(|a, b| score(*a).total_cmp(&score(*b)).then(b.abs().total_cmp(&a.abs()))).unwrap_or(0.0);
    let open_there: Vec<f64> = said.iter().filter(|p| inside(best, p.0)).map(|p| p.1).collect();
    let share = open_there.iter().filter(|v| **v > 0.0).count() as f64 / open_there.len().max(1) as f64;
    if share < MOST {
        return state(if open > FEW { Built::Partly } else { Built::NotYet }, None);
    }
    let built = if best.abs() > tolerance.max(FINE) { Built::Elsewhere } else { Built::There };
    state(built, Some(best))
}
