//! Round columns and posts, among what belongs to no line.

use super::extract::{Near, Pooled};
use super::fit::Known;
use crate::stats::K95_1D;
use nalgebra::{Matrix3, Vector2, Vector3};

/// A round column.
#[derive(Clone, Debug, PartialEq)]
pub struct Round {
    /// Its axis, metres.
    pub centre: Vector2<f64>,
    /// Its radius, metres.
    pub radius: f64,
    /// 95 % of the axis (longest semi-axis) and of the radius, metres.
    pub error95: [f64; 2],
    /// How far round it was seen, radians.
    pub arc: f64,
    /// Of single spots about it, metres.
    pub rms: f64,
}

/// Radii that a column may have, metres.
const RADII: [f64; 2] = [0.04, 1.0];
/// Spots nearer than this hang together, metres.
const LINK: f64 = 0.12;
const FEWEST: usize = 12;
/// It is round to within this, metres, and so much more for each metre of its radius: a corner is not.
const ROUNDNESS: [f64; 2] = [0.002, 0.02];
/// So much of it is seen at least, radians.
const ARC: f64 = 1.2;
/// Rays that graze it fall short or pass: its radius is known no better, 1σ, metres.
const GRAZING: f64 = 0.001;

/// Columns among spots.
pub(super) fn columns(spots: &[Pooled], left: &[usize], near: &Near, known: &Known) -> Vec<Round> {
    let mut free = vec![false; spots.len()];
    for k in left {
        free[*k] = true;
    }
    let mut out = Vec::new();
    for &seed in left {
        if !free[seed] {
            continue;
        }
        let (mut of, mut next) = (vec![seed], 0);
        free[seed] = false;
        while let Some(&k) = of.get(next) {
            next += 1;
            for m in near.within(&spots[k].at, LINK) {
                if free[m] {
                    free[m] = false;
                    of.push(m);
                }
            }
        }
        let places: Vec<&Pooled> = of.iter().map(|k| &spots[*k]).collect();
        out.extend(round(&places, known));
    }
    out
}

fn round(spots: &[&Pooled], known: &Known) -> Option<Round> {
    if spots.len() < FEWEST {
        return None;
    }
    let mean = spots.iter().map(|s| s.at).sum::<Vector2<f64>>() / spots.len() as f64;
    if spots.iter().any(|s| (s.at - mean).norm() > 2.0 * RADII[1]) {
        return None;
    }
    // algebraic start, then distances: Kåsa 1976, Gauss–Newton
    let (mut normal, mut right) = (Matrix3::zeros(), Vector3::zeros());
    for s in spots {
        let p = s.at - mean;
        let row = Vector3::new(p.x, p.y, 1.0);
        normal += row * row.transpose();
        right += row * p.norm_squared();
    }
    let start = normal.try_inverse()? * right;
    let mut centre = Vector2::new(start.x, start.y) / 2.0;
    let mut radius = (start.z + centre.norm_squared()).max(0.0).sqrt();
    let mut kept: Vec<Vector2<f64>> = spots.iter().map(|s| s.at - mean).collect();
    let mut inverse = Matrix3::zeros();
    for round in 0..12 {
        let (mut normal, mut right) = (Matrix3::zeros(), Vector3::zeros());
        for p in &kept {
            let d = p - centre;
            let u = d.try_normalize(1e-9)?;
            let row = Vector3::new(u.x, u.y, 1.0);
            normal += row * row.transpose();
            right += row * (d.norm() - radius);
        }
        inverse = normal.try_inverse()?;
        let step = inverse * right;
        centre += step.xy();
        radius += step.z;
        if !(RADII[0]..RADII[1]).contains(&radius) {
            return None;
        }
        // ranges mixed at its rim lie behind it
        if round == 5 {
            let mut off: Vec<f64> = kept.iter().map(|p| ((p - centre).norm() - radius).abs()).collect();
            let limit = 4.0 * crate::stats::median(&mut off)?.max(0.001);
            kept.retain(|p| ((p - centre).norm() - radius).abs() < limit);
        }
    }
    if kept.len() < FEWEST || kept.len() * 10 < spots.len() * 7 {
        return None;
    }
    let squares: f64 = kept.iter().map(|p| ((p - centre).norm() - radius).powi(2)).sum();
    let rms = (squares / (kept.len() - 3) as f64).sqrt();
    let arc = arc(kept.iter().map(|p| (p.y - centre.y).atan2(p.x - centre.x)).collect());
    if rms > ROUNDNESS[0] + ROUNDNESS[1] * radius || arc < ARC {
        return None;
    }
    let centre = centre + mean;
    // it is seen from outside
    let outside = spots.iter().filter(|s| s.towards.dot(&(s.at - centre)) > 0.0).count();
    if outside * 10 < spots.len() * 9 {
        return None;
    }
    let at = centre.push(known.height);
    let nearest = known.stands.iter().min_by(|a, b| {
        let d = |s: &super::Stand| (s.pose.translation - at).norm();
        d(a).total_cmp(&d(b))
    })?;
    let placed = super::fit::place(&at, &nearest.pose.translation, &nearest.covariance);
    let range = (nearest.pose.translation - at).norm();
    let s = &known.instrument.systematic;
    let common = s.common_range(range).hypot(0.5 * s.reflectivity);
    let c = inverse * (rms * rms);
    // ranges in common move what is seen from one side, and swell what is seen from all
    let sided = 1.0 - arc / std::f64::consts::TAU;
    let across = c[(0, 0)].max(c[(1, 1)]) + placed + (common * (0.3 + 0.7 * sided)).powi(2);
    let wide = c[(2, 2)] + (common * (1.0 - sided)).powi(2) + GRAZING * GRAZING;
    Some(Round { centre, radius, error95: [K95_1D * 1.25 * across.sqrt(), K95_1D * wide.sqrt()], arc, rms })
}

/// How far round places lie, whatever is missing between.
pub(super) fn arc(mut angles: Vec<f64>) -> f64 {
    angles.sort_by(f64::total_cmp);
    let (Some(first), Some(last)) = (angles.first(), angles.last()) else { return 0.0 };
    let back = first + std::f64::consts::TAU - last;
    // places where spots follow one another closely count
    let gaps: f64 = angles.windows(2).map(|w| w[1] - w[0]).chain([back]).filter(|g| *g > 0.35).sum();
    std::f64::consts::TAU - gaps
}
