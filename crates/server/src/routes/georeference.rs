//! Control and the fit to it.

use super::sent::{Query, Sent};
use crate::auth::{Access, Edit, Read};
use crate::dto::GeorefDto;
use crate::record::georeference::Model;
use crate::work::grid::{self, To};
use crate::{ApiError, App};
use axum::Json;
use axum::extract::{Path, State};
use uuid::Uuid;
use vistazo_core::geometry::FitModel;
use vistazo_core::units::LengthUnit;
use vistazo_formats::control::{self, ColumnOrder};
use vistazo_formats::{dxf_points, landxml};
use vistazo_store::results::{self, ControlRow, NewControl};
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
    pub(super) points: Vec<PreviewPoint>,
    remarks: Vec<String>,
}

/// One point of a preview, metres; none where a coordinate is not known.
#[derive(serde::Serialize, utoipa::ToSchema)]
pub struct PreviewPoint {
    pub(super) line: usize,
    pub(super) name: String,
    pub(super) e: Option<f64>,
    pub(super) n: Option<f64>,
    pub(super) h: Option<f64>,
    /// Standard deviations E, N, H: of the file, or those that hold for all.
    pub(super) sigma: [f64; 3],
}

/// A changed control point: only what is given changes.
#[derive(serde::Deserialize, utoipa::ToSchema)]
pub struct ControlChange {
    is_check: bool,
    target: Option<String>,
    /// All of the point, when more than its use changes.
    point: Option<NewControl>,
    version: i32,
}

/// A control point to add under an identifier of the page's, so that undo finds it again.
#[derive(serde::Deserialize, utoipa::ToSchema)]
pub struct ControlAdd {
    id: Uuid,
    point: NewControl,
}

/// Which model to fit.
#[derive(serde::Deserialize, utoipa::ToSchema)]
pub struct GeorefRun {
    model: Model,
    /// No control: the block stays in the system that it was adjusted in.
    #[serde(default)]
    own: bool,
}

/// What a point file says: text in columns, LandXML, or a drawing.
pub(super) fn understand(form: &ControlText) -> Result<ControlPreview, ApiError> {
    let unit = LengthUnit::from_code(&form.unit)
        .ok_or_else(|| ApiError::field("unit", format!("found “{:.20}”, expected m, ft or ftUS", form.unit)))?;
    let order = match form.order.as_deref() {
        None => None,
        Some("ENH") => Some(ColumnOrder::Enh),
        Some("NEH") => Some(ColumnOrder::Neh),
        Some(o) => return Err(ApiError::field("order", format!("found “{o:.20}”, expected ENH or NEH"))),
    };
    for (name, v) in [("sigma_h", form.sigma_h), ("sigma_v", form.sigma_v)] {
        if !(1e-5..=10.0).contains(&v) {
            return Err(ApiError::field(name, format!("found {v} m, expected 0.01 mm to 10 m")));
        }
    }
    if landxml::is_xml(&form.text) {
        let points = landxml::points(&form.text).map_err(|e| ApiError::field("text", e.to_string()))?;
        let sigma = [form.sigma_h, form.sigma_h, form.sigma_v];
        let point = |p: landxml::LandPoint| {
            let [e, n, h] = p.position.map(Some);
            PreviewPoint { line: p.line, name: p.name, e, n, h, sigma }
        };
        return Ok(ControlPreview {
            separator: "LandXML".into(),
            order: "NEH".into(),
            order_from_heading: true,
            heading: None,
            points: points.into_iter().map(point).collect(),
            remarks: vec!["LandXML: northing first, in the unit that the file states".into()],
        });
    }
    if dxf_points::is_dxf(&form.text) {
        let points =
            dxf_points::points(&form.text, unit.metres()).map_err(|e| ApiError::field("text", e.to_string()))?;
        let sigma = [form.sigma_h, form.sigma_h, form.sigma_v];
        let point = |(k, p): (usize, dxf_points::DrawnPoint)| {
            let [e, n, h] = p.position.map(Some);
            PreviewPoint { line: k + 1, name: p.name, e, n, h, sigma }
        };
        return Ok(ControlPreview {
            separator: "DXF".into(),
            order: "ENH".into(),
            order_from_heading: true,
            heading: None,
            points: points.into_iter().enumerate().map(point).collect(),
            remarks: vec!["DXF: points by layer and number, lines by their vertices and at every metre between".into()],
        });
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
            .map(|p| {
                let [e, n, h] = p.position.map(|v| v.map(|v| v * unit.metres()));
                let usual = [form.sigma_h, form.sigma_h, form.sigma_v];
                let sigma = std::array::from_fn(|a| p.sigma[a].map_or(usual[a], |s| s * unit.metres()));
                PreviewPoint { line: p.line, name: p.name, e, n, h, sigma }
            })
            .collect(),
        remarks,
    })
}

/// Show what would be understood of a control file.
#[utoipa::path(post, path = "/api/jobs/{job}/control/preview", tag = "georeference", params(("job" = Uuid, Path)), request_body = ControlText, responses((status = 200, body = ControlPreview), (status = 422, body = crate::error::ErrorBody)))]
pub async fn preview(
    _access: Access<Edit>,
    Sent(form): Sent<ControlText, { 16 << 20 }>,
) -> Result<Json<ControlPreview>, ApiError> {
    crate::work::blocking(move || understand(&form)).await?.map(Json)
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
    Sent(form): Sent<ControlText, { 16 << 20 }>,
) -> Result<Json<Vec<ControlRow>>, ApiError> {
    let replace = form.replace;
    // a long file is read off the threads that serve requests
    let read = crate::work::blocking(move || understand(&form)).await??;
    let points: Vec<NewControl> = read
        .points
        .into_iter()
        .map(|p| NewControl {
            name: p.name,
            e: p.e,
            n: p.n,
            h: p.h,
            sigma_e: p.sigma[0],
            sigma_n: p.sigma[1],
            sigma_v: p.sigma[2],
            is_check: false,
            target: None,
        })
        .collect();
    results::put_control(&app.db, access.job, &points, replace).await?;
    jobs::note(&app.db, access.job, Some(access.user.id), &format!("stored {} control points", points.len())).await?;
    Ok(Json(results::control(&app.db, access.job).await?))
}

/// Add one control point.
#[utoipa::path(post, path = "/api/jobs/{job}/control/points", tag = "georeference", params(("job" = Uuid, Path)), request_body = ControlAdd, responses((status = 200, body = [ControlRow]), (status = 409, body = crate::error::ErrorBody), (status = 422, body = crate::error::ErrorBody)))]
pub async fn add_point(
    State(app): State<App>,
    access: Access<Edit>,
    Sent(form): Sent<ControlAdd>,
) -> Result<Json<Vec<ControlRow>>, ApiError> {
    let point = checked(form.point)?;
    results::add_control(&app.db, access.job, form.id, &point).await?;
    note(&app, &access, &format!("added the control point {}", point.name)).await?;
    Ok(Json(results::control(&app.db, access.job).await?))
}

/// Change a control point: its use, its target, or all of it.
#[utoipa::path(put, path = "/api/jobs/{job}/control/{point}", tag = "georeference", params(("job" = Uuid, Path), ("point" = Uuid, Path)), request_body = ControlChange, responses((status = 200, body = [ControlRow]), (status = 409, body = crate::error::ErrorBody), (status = 422, body = crate::error::ErrorBody)))]
pub async fn update_control(
    State(app): State<App>,
    access: Access<Edit>,
    Path((_job, point)): Path<(Uuid, Uuid)>,
    Sent(change): Sent<ControlChange>,
) -> Result<Json<Vec<ControlRow>>, ApiError> {
    let rows = results::control(&app.db, access.job).await?;
    let Some(now) = rows.into_iter().find(|r| r.id == point) else { return Err(ApiError::not_found()) };
    let mut new = match change.point {
        Some(p) => checked(p)?,
        None => NewControl {
            name: now.name.clone(),
            e: now.e,
            n: now.n,
            h: now.h,
            sigma_e: now.sigma_e,
            sigma_n: now.sigma_n,
            sigma_v: now.sigma_v,
            is_check: false,
            target: None,
        },
    };
    new.is_check = change.is_check;
    new.target = change.target.map(|t| t.trim().to_owned()).filter(|t| !t.is_empty());
    results::update_control(&app.db, access.job, point, &new, change.version).await?;
    if new.is_check != now.is_check {
        let word = if new.is_check { "a check" } else { "control" };
        note(&app, &access, &format!("made {} {word}", new.name)).await?;
    } else if (new.e, new.n, new.h, &new.name) != (now.e, now.n, now.h, &now.name) {
        note(&app, &access, &format!("changed the control point {}", new.name)).await?;
    }
    Ok(Json(results::control(&app.db, access.job).await?))
}

/// Remove a control point.
#[utoipa::path(delete, path = "/api/jobs/{job}/control/{point}", tag = "georeference", params(("job" = Uuid, Path), ("point" = Uuid, Path), ("version" = i32, Query)), responses((status = 200, body = [ControlRow]), (status = 409, body = crate::error::ErrorBody)))]
pub async fn remove_point(
    State(app): State<App>,
    access: Access<Edit>,
    Path((_job, point)): Path<(Uuid, Uuid)>,
    Query(at): Query<AtVersion>,
) -> Result<Json<Vec<ControlRow>>, ApiError> {
    results::remove_control(&app.db, access.job, point, at.version).await?;
    note(&app, &access, "removed a control point").await?;
    Ok(Json(results::control(&app.db, access.job).await?))
}

/// The version that was seen.
#[derive(serde::Deserialize)]
pub struct AtVersion {
    version: i32,
}

async fn note(app: &App, access: &Access<Edit>, what: &str) -> Result<(), ApiError> {
    Ok(jobs::note(&app.db, access.job, Some(access.user.id), what).await?)
}

/// A point that can be stored.
fn checked(mut p: NewControl) -> Result<NewControl, ApiError> {
    p.name = p.name.trim().to_owned();
    if p.name.is_empty() || p.name.len() > 100 || p.name.contains('\0') {
        return Err(ApiError::field("name", "expected a name of 1 to 100 characters"));
    }
    if p.e.is_some() != p.n.is_some() || (p.e.is_none() && p.h.is_none()) {
        return Err(ApiError::field("e", "expected easting and northing, a height, or all three"));
    }
    if [p.e, p.n, p.h].iter().flatten().any(|v| !v.is_finite() || v.abs() > 1e8) {
        return Err(ApiError::field("e", "expected finite coordinates"));
    }
    for (name, v) in [("sigma_e", p.sigma_e), ("sigma_n", p.sigma_n), ("sigma_v", p.sigma_v)] {
        if !(1e-5..=10.0).contains(&v) {
            return Err(ApiError::field(name, format!("found {v} m, expected 0.01 mm to 10 m")));
        }
    }
    Ok(p)
}

/// The last georeferencing.
#[utoipa::path(get, path = "/api/jobs/{job}/georeference", tag = "georeference", params(("job" = Uuid, Path)), responses((status = 200, body = Option<GeorefDto>)))]
pub async fn get(State(app): State<App>, access: Access<Read>) -> Result<Json<Option<GeorefDto>>, ApiError> {
    let (_, brief) = crate::work::brief(&app, access.job).await?;
    Ok(Json(grid::current(&app, access.job).await?.map(|g| grid::to_dto(&brief, &g))))
}

/// Fit the adjusted block to control, or keep it in a system of its own. Refused while there is no adjusted block.
#[utoipa::path(post, path = "/api/jobs/{job}/georeference", tag = "georeference", params(("job" = Uuid, Path)), request_body = GeorefRun, responses((status = 200, body = GeorefDto), (status = 409, body = crate::error::ErrorBody)))]
pub async fn run(
    State(app): State<App>,
    access: Access<Edit>,
    Sent(run): Sent<GeorefRun>,
) -> Result<Json<GeorefDto>, ApiError> {
    let model = FitModel::from(run.model);
    let scans = field::scans(&app.db, access.job).await?;
    if !run.own && model == FitModel::Levelled && !scans.is_empty() && scans.iter().all(|s| !s.levelled) {
        return Err(ApiError::field(
            "model",
            "no scan is levelled: the levelled fit would leave the tilt of the block wrong; use the rigid fit",
        ));
    }
    let dto = grid::run(&app, access.job, if run.own { To::Own } else { To::Control(model) }).await?;
    let said = if run.own {
        "kept the block in a system of its own".to_owned()
    } else {
        let model = format!("{model:?}").to_lowercase();
        format!("georeferenced with the {model} fit to {} control points", dto.result.residuals.len())
    };
    note(&app, &access, &said).await?;
    Ok(Json(dto))
}
