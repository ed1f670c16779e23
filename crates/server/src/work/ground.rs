//! The ground: kept as a raster beside the scans, told as contours, heights and volumes.

use super::stands::{Standing, Stands};
use crate::dto::{GroundDto, GroundHeightDto, GroundRequest, HeightsRequest, VolumeDto, VolumeRequest};
use crate::{ApiError, App};
use nalgebra::Vector2;
use serde::{Deserialize, Serialize};
use uuid::Uuid;
use vistazo_core::draw::ground::{Ground, GroundCell, Surface, contours, volume_to};
use vistazo_core::geometry::Vec3;
use vistazo_core::stats::{K95_1D, median};
use vistazo_store::views;

/// Contours are so far apart that about so many cross the site; the heights that they may be apart by, metres.
const CONTOURS: f64 = 25.0;
const APART: [f64; 9] = [0.02, 0.05, 0.1, 0.2, 0.25, 0.5, 1.0, 2.0, 5.0];

/// The raster as it is stored, in the frame that the scans stand in.
#[derive(Serialize, Deserialize)]
struct Stored {
    corner: [f64; 2],
    cell: f64,
    size: [usize; 2],
    /// Height, own and common variance, points; nothing where no scan shows it.
    cells: Vec<Option<(f64, f32, f32, u32)>>,
    points: [u64; 2],
}

/// What a raster was found with and from, and where it is kept.
#[derive(Serialize, Deserialize)]
struct Kept {
    inputs: String,
    key: String,
    told: GroundDto,
}

/// Everything that is told of it.
pub(crate) fn tell(ground: &Ground, stands: &Stands, request: GroundRequest) -> Option<GroundDto> {
    let surface = Surface::new(ground, &[], request.tolerance, request.longest)?;
    let (corners, triangles) = surface.triangles();
    let on_grid = |p: &Vec3| stands.position(p);
    let there: Vec<&GroundCell> = ground.cells.iter().flatten().collect();
    let z: Vec<f64> = there.iter().map(|c| c.height).collect();
    let (low, high) = (z.iter().copied().fold(f64::MAX, f64::min), z.iter().copied().fold(f64::MIN, f64::max));
    let mut errors: Vec<f64> = there.iter().map(|c| K95_1D * (c.own + c.common).sqrt()).collect();
    let worst = errors.iter().copied().fold(0.0, f64::max);
    let apart = APART.into_iter().find(|a| (high - low) / a < CONTOURS).unwrap_or(10.0);
    // heights of the grid are round, those of the frame need not be
    let lift = on_grid(&Vec3::new(ground.corner.x, ground.corner.y, 0.0))[2];
    let lines = contours(&surface, apart, -lift);
    Some(GroundDto {
        request,
        stale: false,
        points: ground.points,
        cells: there.len(),
        area: there.len() as f64 * ground.cell * ground.cell,
        heights: [low + lift, high + lift],
        error95: [median(&mut errors)?, worst],
        corners: corners.len(),
        triangles: triangles.len(),
        apart,
        contours: lines
            .into_iter()
            .map(|(h, line)| {
                let at = |p: &Vector2<f64>| {
                    let [e, n, _] = on_grid(&p.push(h));
                    [e, n].map(|v| (v * 1e3).round() / 1e3)
                };
                (h + lift, line.iter().map(at).collect())
            })
            .collect(),
    })
}

/// Keeps it.
pub(crate) async fn keep(app: &App, job: Uuid, key: &str, inputs: &str, ground: &Ground, told: &GroundDto) -> Result<(), ApiError> {
    let stored = Stored {
        corner: ground.corner.into(),
        cell: ground.cell,
        size: ground.size,
        cells: ground.cells.iter().map(|c| c.map(|c| (c.height, c.own as f32, c.common as f32, c.points))).collect(),
        points: ground.points,
    };
    let bytes = serde_json::to_vec(&stored).map_err(|e| ApiError::conflict(e.to_string()))?;
    app.objects.put(key, bytes).await?;
    let kept = Kept { inputs: inputs.into(), key: key.into(), told: told.clone() };
    views::keep(&app.db, job, "ground", "last", &serde_json::json!(kept)).await?;
    Ok(())
}
