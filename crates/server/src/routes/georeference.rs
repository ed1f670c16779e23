//! Control and the fit to it.

use crate::auth::{Access, Edit, Read};
use crate::dto::GeorefDto;
use crate::work::grid;
use crate::{ApiError, App};
use axum::Json;
use axum::extract::{Path, State};
use uuid::Uuid;
use vistazo_core::geometry::FitModel;
use vistazo_core::units::LengthUnit;
use vistazo_formats::control::{self, ColumnOrder};
use vistazo_store::results::{self, ControlRow};
use vistazo_store::{field, jobs};

/// A control file and how to read it.
#[derive(serde::Deserialize, utoipa::ToSchema)]
pub struct ControlText {
    text: String,
    /// `ENH` or `NEH`; none takes what the heading says, or ENH.
    order: Option<String>,
    /// `m`, `ft` or `ftUS`.
    unit: String,
    /// Standard deviation of easting and northing, metres.
    sigma_h: f64,
    /// Standard deviation of the height, metres.
    sigma_v: f64,
    /// Take out points that are not in this file.
    #[serde(default)]
    replace: bool,
}

/// What was understood of a control file. Nothing is stored yet.
#[derive(serde::Serialize, utoipa::ToSchema)]
pub struct ControlPreview {
    separator: String,
    order: String,
    order_from_heading: bool,
    heading: Option<String>,
    points: Vec<PreviewPoint>,
    remarks: Vec<String>,
}

/// One point of a preview, metres.
#[derive(serde::Serialize, utoipa::ToSchema)]
pub struct PreviewPoint {
    line: usize,
    name: String,
    e: f64,
    n: f64,
    h: f64,
}

/// A changed control point.
#[derive(serde::Deserialize, utoipa::ToSchema)]
pub struct ControlChange {
    is_check: bool,
    target: Option<String>,
    version: i32,
}

/// Which model to fit: `levelled`, `rigid` or `similarity`.
#[derive(serde::Deserialize, utoipa::ToSchema)]
pub struct GeorefRun {
    model: String,
}

fn understand(form: &ControlText) -> Result<ControlPreview, ApiError> {
    let unit = LengthUnit::from_code(&form.unit)
        .ok_or_else(|| ApiError::field("unit", format!("found “{}”, expected m, ft or ftUS", form.unit)))?;
    let order = match form.order.as_deref() {
        None => None,
        Some("ENH") => Some(ColumnOrder::Enh),
        Some("NEH") => Some(ColumnOrder::Neh),
        Some(o) => return Err(ApiError::field("order", format!("found “{o}”, expected ENH or NEH"))),
    };
    for (name, v) in [("sigma_h", form.sigma_h), ("sigma_v", form.sigma_v)] {
        if !(1e-5..=10.0).contains(&v) {
            return Err(ApiError::field(name, format!("found {v} m, expected 0.01 mm to 10 m")));
        }
    }
    let file = control::read(&form.text, order).map_err(|e| ApiError::field("text", e.to_string()))?;
    let mut remarks = Vec::new();
    if !file.order_from_heading && order.is_none() {
        remarks.push("no heading names the columns: easting, northing, height was assumed".to_owned());
    }
    if file.points.len() < 3 {
        remarks.push(format!(
            "{} point{}: at least 3 control points are needed to fit, and more to check",
            file.points.len(),
            if file.points.len() == 1 { "" } else { "s" }
        ));
    }
    Ok(ControlPreview {
        separator: format!("{:?}", file.separator).to_lowercase(),
        order: if file.order == ColumnOrder::Enh { "ENH" } else { "NEH" }.into(),
        order_from_heading: file.order_from_heading,
        heading: file.heading,
        points: file
            .points
            .into_iter()
            .map(|p| PreviewPoint {
                line: p.line,
                name: p.name,
                e: p.position.x * unit.metres(),
                n: p.position.y * unit.metres(),
                h: p.position.z * unit.metres(),
            })
            .collect(),
        remarks,
    })
}

/// Show what would be understood of a control file.
#[utoipa::path(post, path = "/api/jobs/{job}/control/preview", tag = "georeference", params(("job" = Uuid, Path)), request_body = ControlText, responses((status = 200, body = ControlPreview), (status = 422, body = crate::error::ErrorBody)))]
pub async fn preview(_access: Access<Edit>, Json(form): Json<ControlText>) -> Result<Json<ControlPreview>, ApiError> {
    understand(&form).map(Json)
}

/// Control and check points.
#[utoipa::path(get, path = "/api/jobs/{job}/control", tag = "georeference", params(("job" = Uuid, Path)), responses((status = 200, body = [ControlRow])))]
pub async fn control(State(app): State<App>, access: Access<Read>) -> Result<Json<Vec<ControlRow>>, ApiError> {
    Ok(Json(results::control(&app.db, access.job).await?))
}

/// Store a control file.
#[utoipa::path(post, path = "/api/jobs/{job}/control", tag = "georeference", params(("job" = Uuid, Path)), request_body = ControlText, responses((status = 200, body = [ControlRow]), (status = 422, body = crate::error::ErrorBody)))]
pub async fn put_control(
    State(app): State<App>,
    access: Access<Edit>,
    Json(form): Json<ControlText>,
) -> Result<Json<Vec<ControlRow>>, ApiError> {
    let read = understand(&form)?;
    let points: Vec<results::NewControl> =
        read.points.into_iter().map(|p| (p.name, p.e, p.n, p.h, form.sigma_h, form.sigma_v)).collect();
    results::put_control(&app.db, access.job, &points, form.replace).await?;
    jobs::note(&app.db, access.job, Some(access.user.id), &format!("stored {} control points", points.len())).await?;
    Ok(Json(results::control(&app.db, access.job).await?))
}

/// Change the use of a control point, or pair it by hand.
#[utoipa::path(put, path = "/api/jobs/{job}/control/{point}", tag = "georeference", params(("job" = Uuid, Path), ("point" = Uuid, Path)), request_body = ControlChange, responses((status = 200, body = [ControlRow]), (status = 409, body = crate::error::ErrorBody)))]
pub async fn update_control(
    State(app): State<App>,
    access: Access<Edit>,
    Path((_job, point)): Path<(Uuid, Uuid)>,
    Json(change): Json<ControlChange>,
) -> Result<Json<Vec<ControlRow>>, ApiError> {
    let target = change.target.as_deref().map(str::trim).filter(|t| !t.is_empty());
    results::update_control(&app.db, access.job, point, change.is_check, target, change.version).await?;
    Ok(Json(results::control(&app.db, access.job).await?))
}

/// The last georeferencing.
#[utoipa::path(get, path = "/api/jobs/{job}/georeference", tag = "georeference", params(("job" = Uuid, Path)), responses((status = 200, body = Option<GeorefDto>)))]
pub async fn get(State(app): State<App>, access: Access<Read>) -> Result<Json<Option<GeorefDto>>, ApiError> {
    Ok(Json(grid::current(&app, access.job).await?.map(|g| g.1)))
}

/// Fit the adjusted block to control. Refused while there is no adjusted block.
#[utoipa::path(post, path = "/api/jobs/{job}/georeference", tag = "georeference", params(("job" = Uuid, Path)), request_body = GeorefRun, responses((status = 200, body = GeorefDto), (status = 409, body = crate::error::ErrorBody)))]
pub async fn run(
    State(app): State<App>,
    access: Access<Edit>,
    Json(run): Json<GeorefRun>,
) -> Result<Json<GeorefDto>, ApiError> {
    let model = match run.model.as_str() {
        "levelled" => FitModel::Levelled,
        "rigid" => FitModel::Rigid,
        "similarity" => FitModel::Similarity,
        m => return Err(ApiError::field("model", format!("found “{m}”, expected levelled, rigid or similarity"))),
    };
    let scans = field::scans(&app.db, access.job).await?;
    if model == FitModel::Levelled && !scans.is_empty() && scans.iter().all(|s| !s.levelled) {
        return Err(ApiError::field(
            "model",
            "no scan is levelled: the levelled fit would leave the tilt of the block wrong; use the rigid fit",
        ));
    }
    let dto = grid::run(&app, access.job, model).await?;
    jobs::note(
        &app.db,
        access.job,
        Some(access.user.id),
        &format!("georeferenced with the {} fit to {} control points", run.model, dto.result.residuals.len()),
    )
    .await?;
    Ok(Json(dto))
}
