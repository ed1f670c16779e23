use super::{Ground, Height, Surface};
use nalgebra::Vector2;
use rayon::prelude::*;
use std::ops::Range;

/// How much lies between two surfaces, or a surface and a level.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Volume {
    /// Above the second, m³.
    pub above: f64,
    /// Below it, m³.
    pub below: f64,
    /// 95 % of the difference of both, m³.
    pub error95: f64,
    /// Area that both know, m².
    pub area: f64,
}

/// What lies over and under a level within an outline (none: everywhere).
pub fn volume_to(surface: &Surface, level: f64, outline: &[Vector2<f64>]) -> Volume {
    let of = |p: &Vector2<f64>| surface.height(p).map(|h| [h.height - level, h.common95, own(&h)]);
    volume(surface.ground(), outline, &of)
}

/// What a surface has over another, and under it, within an outline (none: everywhere); where both are known. Heights of the other
/// come by place.
pub fn volume_between(
    surface: &Surface,
    other: &(dyn Fn(&Vector2<f64>) -> Option<Height> + Sync),
    outline: &[Vector2<f64>],
) -> Volume {
    let of = |p: &Vector2<f64>| {
        let (a, b) = (surface.height(p)?, other(p)?);
        Some([a.height - b.height, a.common95.hypot(b.common95), own(&a).hypot(own(&b))])
    };
    volume(surface.ground(), outline, &of)
}

/// What a height is uncertain by for itself, 95 %.
fn own(h: &Height) -> f64 {
    (h.error95 * h.error95 - h.common95 * h.common95).max(0.0).sqrt()
}

/// Cells that an outline crosses are cut into so many a side.
const CUT: usize = 6;

fn volume(
    ground: &Ground,
    outline: &[Vector2<f64>],
    of: &(dyn Fn(&Vector2<f64>) -> Option<[f64; 3]> + Sync),
) -> Volume {
    let [columns, rows] = reached(ground, outline);
    let row = |y: usize| {
        let mut out = (Volume::default(), 0.0, 0.0);
        for x in columns.clone() {
            let middle = ground.middle(y * ground.size[0] + x);
            let share = share(outline, &middle, ground.cell);
            if share == 0.0 {
                continue;
            }
            let Some([d, common, own]) = of(&middle) else { continue };
            let area = share * ground.cell * ground.cell;
            out.0.area += area;
            out.0.above += d.max(0.0) * area;
            out.0.below += (-d).max(0.0) * area;
            // what heights have in common adds up, what they have for themselves evens out
            out.1 += common * area;
            out.2 += (own * area).powi(2);
        }
        out
    };
    let sum = |a: (Volume, f64, f64), b: (Volume, f64, f64)| {
        let (u, v) = (a.0, b.0);
        let both = Volume { above: u.above + v.above, below: u.below + v.below, area: u.area + v.area, error95: 0.0 };
        (both, a.1 + b.1, a.2 + b.2)
    };
    let rows: Vec<_> = rows.into_par_iter().map(row).collect();
    // row by row, so that it comes to the same each time
    let (out, common, own) = rows.into_iter().fold((Volume::default(), 0.0, 0.0), sum);
    Volume { error95: common.hypot(own.sqrt()), ..out }
}

/// Columns and rows of cells that an outline may reach.
fn reached(ground: &Ground, outline: &[Vector2<f64>]) -> [Range<usize>; 2] {
    std::array::from_fn(|k| {
        let at = |v: f64| ((v - ground.corner[k]) / ground.cell).clamp(0.0, ground.size[k] as f64);
        let over = |p: &Vector2<f64>| p[k];
        let (Some(low), Some(high)) =
            (outline.iter().map(over).min_by(f64::total_cmp), outline.iter().map(over).max_by(f64::total_cmp))
        else {
            return 0..ground.size[k];
        };
        at(low).floor() as usize..at(high).ceil() as usize
    })
}

/// How much of a cell lies within an outline.
fn share(outline: &[Vector2<f64>], middle: &Vector2<f64>, cell: f64) -> f64 {
    if outline.is_empty() {
        return 1.0;
    }
    let at = |x: f64, y: f64| crate::plan::inside(outline, &(middle + Vector2::new(x, y) * cell));
    let corners = [(-0.5, -0.5), (0.5, -0.5), (-0.5, 0.5), (0.5, 0.5), (0.0, 0.0)];
    match corners.iter().filter(|c| at(c.0, c.1)).count() {
        0 => 0.0,
        5 => 1.0,
        _ => {
            let part = |k: usize| (k as f64 + 0.5) / CUT as f64 - 0.5;
            let inside = (0..CUT * CUT).filter(|k| at(part(k % CUT), part(k / CUT))).count();
            inside as f64 / (CUT * CUT) as f64
        }
    }
}
