use super::cells::Raw;
use crate::geometry::Pose;
use crate::stats::median;
use nalgebra::{Matrix6, Vector6};

/// The second scan lies beside the first as a whole, by more than its place is uncertain by: what both show, shows twice.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Misfit {
    /// How far apart surfaces lie by it: median of those that are, metres.
    pub apart: f64,
    /// 95 % of that, metres.
    pub apart95: f64,
    /// Share of the places that are.
    pub share: f64,
}

/// Fewest places that say something of a scan as a whole.
const FEWEST: usize = 60;
/// Places that lie within about a metre of one another say much the same: so many count for one.
const ALIKE: f64 = 25.0;
/// Scatter of a place at least, metres: no surface is better than that.
const LEAST: f64 = 0.0003;
/// A misfit is claimed beyond this many σ, in a quarter of the places: of some hundred pairs none is by chance.
const SURE: f64 = 3.5;
const SHARE: f64 = 0.25;
/// Distances beyond so many σ take no part in the fit.
const WIDE: f64 = 4.0;
/// What the prior counts for until the fit is near.
const FAINT: f64 = 1e-4;
/// The least σ in turn, metres, three steps each.
const WIDTHS: [f64; 3] = [0.02, 0.008, 0.003];

/// The floor, the misfit when there is one, and how far each place is moved by how the second as a whole lies beside the first.
pub(super) fn of(raw: &[Raw], relative: &Pose, covariance: &Matrix6<f64>) -> (f64, Option<Misfit>, Vec<f64>) {
    if raw.is_empty() {
        return (0.0, None, Vec::new());
    }
    let rows: Vec<Vector6<f64>> = raw.iter().map(|r| r.row(relative)).collect();
    // a prior that the registration gives, so that what no surface holds stays where it is; a hair more than that, so that
    // what is known exactly has an inverse
    let prior = (covariance + Matrix6::identity() * 1e-12).try_inverse().unwrap_or_else(Matrix6::zeros);
    let spread = |off: &[f64]| {
        let around = 1.4826 * median(&mut off.iter().map(|r| r.abs()).collect::<Vec<_>>()).unwrap_or(0.0);
        let own = median(&mut raw.iter().map(|r| r.own).collect::<Vec<_>>()).unwrap_or(0.0);
        (around * around - own).max(LEAST * LEAST).sqrt()
    };
    let mut by = Vector6::zeros();
    let mut fit = Matrix6::zeros();
    let off = |by: &Vector6<f64>| raw.iter().zip(&rows).map(|(r, row)| r.distance - row.dot(by)).collect::<Vec<f64>>();
    let mut floor = spread(&off(&by));
    // wide at first: a scan that lies beside its place by centimetres is to be seen as a whole
    for step in 0..20 {
        let width = WIDTHS.get(step / 3).copied().unwrap_or(0.0);
        let left = off(&by);
        let (mut normal, mut right) = (if width > 0.0 { prior * FAINT } else { prior }, Vector6::zeros());
        for ((r, row), left) in raw.iter().zip(&rows).zip(&left) {
            let sigma = (r.own + floor * floor).sqrt().max(width);
            let beside = (1.0 - (left / (WIDE * sigma)).powi(2)).max(0.0);
            let weight = beside * beside / (sigma * sigma * ALIKE);
            normal += row * row.transpose() * weight;
            right += row * (r.distance * weight);
        }
        let Some(inverse) = normal.try_inverse() else { break };
        let change = inverse * right - by;
        (by, fit) = (by + change, inverse);
        floor = spread(&off(&by));
        if width == 0.0 && change.norm() < 1e-7 {
            break;
        }
    }
    let moved: Vec<f64> = rows.iter().map(|row| row.dot(&by)).collect();
    if raw.len() < FEWEST {
        return (floor, None, moved);
    }
    let mut sure: Vec<[f64; 2]> = Vec::new();
    for (row, by) in rows.iter().zip(&moved) {
        let own = row.dot(&(fit * row)).max(0.0);
        let all = own + row.dot(&(covariance * row)).max(0.0);
        if by.abs() > SURE * all.sqrt() {
            sure.push([by.abs(), own]);
        }
    }
    let share = sure.len() as f64 / raw.len() as f64;
    if share < SHARE {
        return (floor, None, moved);
    }
    let of = |k: usize| median(&mut sure.iter().map(|s| s[k]).collect::<Vec<_>>()).unwrap_or(0.0);
    (floor, Some(Misfit { apart: of(0), apart95: crate::stats::K95_1D * of(1).sqrt(), share }), moved)
}
