use super::{Ground, Surface};
use nalgebra::Vector2;

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

/// What lies over and under a level within an outline (none: everywhere), cell by cell of the raster.
pub fn volume_to(surface: &Surface, ground: &Ground, level: f64, outline: &[Vector2<f64>]) -> Volume {
    volume(ground, outline, &|p| surface.height(p).map(|h| (h.height - level, h.error95)))
}

/// What the first surface has over the second, and under it.
pub fn volume_between(first: &Surface, second: &Surface, ground: &Ground, outline: &[Vector2<f64>]) -> Volume {
    let of = |p: &Vector2<f64>| {
        let (a, b) = (first.height(p)?, second.height(p)?);
        Some((a.height - b.height, a.error95.hypot(b.error95)))
    };
    volume(ground, outline, &of)
}

fn volume(
    ground: &Ground,
    outline: &[Vector2<f64>],
    of: &(dyn Fn(&Vector2<f64>) -> Option<(f64, f64)> + Sync),
) -> Volume {
    let area = ground.cell * ground.cell;
    let mut out = Volume::default();
    let mut errors = 0.0;
    for k in 0..ground.cells.len() {
        let p = ground.middle(k);
        if !outline.is_empty() && !crate::plan::inside(outline, &p) {
            continue;
        }
        let Some((d, e)) = of(&p) else { continue };
        out.area += area;
        if d > 0.0 {
            out.above += d * area
        } else {
            out.below -= d * area
        }
        errors += e * area;
    }
    // heights are wrong together rather than by chance: their errors add up
    out.error95 = errors;
    out
}
