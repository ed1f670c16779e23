//! The routes, one file for each sheet of the job.

mod brief;
mod built;
mod check;
mod cloud;
mod compare;
mod day;
mod deliver;
mod design;
mod drawing;
mod features;
mod field;
mod georeference;
mod ground;
mod groups;
mod hand;
mod instruments;
mod journal;
mod kit;
mod letterhead;
mod package_files;
mod passes;
mod photos;
mod plan;
mod planned_walks;
mod register;
mod sent;
mod session;
mod slices;
mod solids;
mod survey;
mod task;
mod ties;
mod underlays;
mod uploads;
mod web;

use crate::App;
use axum::extract::DefaultBodyLimit;
use axum::http::{HeaderName, HeaderValue, header};
use std::time::Duration;
use tower_http::CompressionLevel;
use tower_http::catch_panic::CatchPanicLayer;
use tower_http::compression::CompressionLayer;
use tower_http::set_header::SetResponseHeaderLayer;
use tower_http::timeout::TimeoutLayer;
use tower_http::trace::TraceLayer;
use utoipa::OpenApi;
use utoipa::openapi::security::{HttpAuthScheme, HttpBuilder, SecurityScheme};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

#[derive(OpenApi)]
#[openapi(
    components(schemas(crate::dto::PlanData, crate::dto::SetUpDto)),
    info(
        title = "Vistazo",
        description = "The whole job of a laser scanning survey: brief, plan, field, register, georeference, check, deliver. Lengths are metres and angles radians unless a field says otherwise."
    )
)]
struct Doc;

/// Every route of the API, with its description.
fn api() -> OpenApiRouter<App> {
    let quick = OpenApiRouter::with_openapi(Doc::openapi())
        .routes(routes!(session::sign_in))
        .routes(routes!(session::me, session::sign_out))
        .routes(routes!(session::tokens, session::add_token))
        .routes(routes!(session::remove_token))
        .routes(routes!(brief::jobs, brief::create))
        .routes(routes!(brief::get, brief::update))
        .routes(routes!(brief::members, brief::set_member))
        .routes(routes!(brief::summary))
        .routes(routes!(brief::log, brief::note))
        .routes(routes!(brief::reference))
        .routes(routes!(instruments::list, instruments::keep))
        .routes(routes!(instruments::remove))
        .routes(routes!(plan::get))
        .routes(routes!(plan::edit))
        .routes(routes!(plan::import))
        .routes(routes!(plan::cover))
        .routes(routes!(underlays::add_underlay))
        .routes(routes!(underlays::add_slice))
        .routes(routes!(underlays::underlay))
        .routes(routes!(design::look))
        .routes(routes!(design::map))
        .routes(routes!(design::propose))
        .routes(routes!(design::proposal))
        .routes(routes!(design::leapfrog))
        .routes(routes!(design::advice))
        .routes(routes!(design::targets))
        .routes(routes!(design::control))
        .routes(routes!(design::density))
        .routes(routes!(design::file))
        .routes(routes!(planned_walks::planned_walks))
        .routes(routes!(planned_walks::propose_walks))
        .routes(routes!(planned_walks::split_walk))
        .routes(routes!(day::day, day::put_day))
        .routes(routes!(day::better_order))
        .routes(routes!(day::day_options))
        .routes(routes!(day::day_file))
        .routes(routes!(field::scans))
        .routes(routes!(field::update, field::remove))
        .routes(routes!(field::simulate))
        .routes(routes!(journal::now))
        .routes(routes!(journal::entries, journal::keep))
        .routes(routes!(journal::file))
        .routes(routes!(journal::tie))
        .routes(routes!(journal::take_control))
        .routes(routes!(journal::instrument_checks))
        .routes(routes!(journal::simulated_check))
        .routes(routes!(journal::take_check))
        .routes(routes!(journal::record_table))
        .routes(routes!(journal::record_paper))
        .routes(routes!(kit::devices))
        .routes(routes!(kit::command))
        .routes(routes!(register::detections, register::decide))
        .routes(routes!(register::run))
        .routes(routes!(ties::cloud_ties, ties::find_ties, ties::judge))
        .routes(routes!(ties::tie_card))
        .routes(routes!(hand::try_tie))
        .routes(routes!(hand::lay_tie))
        .routes(routes!(hand::lift_tie))
        .routes(routes!(hand::point_at))
        .routes(routes!(hand::mark_target))
        .routes(routes!(hand::unmark_target))
        .routes(routes!(hand::by_pairs))
        .routes(routes!(hand::parts))
        .routes(routes!(hand::one_more))
        .routes(routes!(passes::walked, passes::add_pass))
        .routes(routes!(passes::change_pass, passes::remove_pass))
        .routes(routes!(passes::order_marks))
        .routes(routes!(passes::register_passes))
        .routes(routes!(passes::pass_path))
        .routes(routes!(passes::preview_path))
        .routes(routes!(groups::groups, groups::add_group))
        .routes(routes!(groups::change_group, groups::dissolve))
        .routes(routes!(register::adjustment))
        .routes(routes!(register::take_profile))
        .routes(routes!(register::otherwise))
        .routes(routes!(register::schools))
        .routes(routes!(register::keep))
        .routes(routes!(register::reopen))
        .routes(routes!(register::lock, register::unlock))
        .routes(routes!(georeference::preview))
        .routes(routes!(georeference::control, georeference::put_control))
        .routes(routes!(georeference::add_point))
        .routes(routes!(georeference::update_control, georeference::remove_point))
        .routes(routes!(georeference::get, georeference::run))
        .routes(routes!(check::verdicts))
        .routes(routes!(check::spacing))
        .routes(routes!(check::shown))
        .routes(routes!(check::cleaning, check::clean))
        .routes(routes!(check::turn_step))
        .routes(routes!(compare::comparison, compare::run))
        .routes(routes!(compare::places))
        .routes(routes!(compare::look))
        .routes(routes!(slices::slices, slices::keep))
        .routes(routes!(slices::cut))
        .routes(routes!(slices::offsets))
        .routes(routes!(built::designs, built::add_design))
        .routes(routes!(built::run))
        .routes(routes!(built::remove_design))
        .routes(routes!(photos::photographs, photos::add_photo))
        .routes(routes!(photos::picture))
        .routes(routes!(photos::change_photo, photos::remove_photo))
        .routes(routes!(photos::run, photos::undo))
        .routes(routes!(survey::surveys, survey::add_survey))
        .routes(routes!(survey::run))
        .routes(routes!(survey::limit_survey, survey::remove_survey))
        .routes(routes!(drawing::drawing, drawing::draw))
        .routes(routes!(drawing::edit))
        .routes(routes!(drawing::fit))
        .routes(routes!(solids::find_solids))
        .routes(routes!(solids::solids_file))
        .routes(routes!(features::measure))
        .routes(routes!(features::features_file))
        .routes(routes!(letterhead::letterhead, letterhead::put))
        .routes(routes!(package_files::file))
        .routes(routes!(package_files::walk))
        .routes(routes!(drawing::file))
        .routes(routes!(drawing::picture))
        .routes(routes!(ground::ground, ground::find))
        .routes(routes!(ground::ground_file))
        .routes(routes!(ground::change_surface, ground::remove_surface))
        .routes(routes!(deliver::packages, deliver::make))
        .routes(routes!(deliver::deliverables))
        .routes(routes!(deliver::sign))
        .routes(routes!(task::tasks))
        .routes(routes!(task::all))
        .routes(routes!(task::retry_all))
        .routes(routes!(task::cancel))
        .routes(routes!(task::retry))
        .routes(routes!(uploads::preview))
        .routes(routes!(uploads::propose))
        .routes(routes!(cloud::cloud))
        .routes(routes!(cloud::tileset))
        .routes(routes!(cloud::tile))
        .routes(routes!(cloud::panorama))
        .routes(routes!(cloud::measure))
        .routes(routes!(cloud::views, cloud::save_view))
        .routes(routes!(cloud::remove_view))
        .layer(TimeoutLayer::with_status_code(axum::http::StatusCode::GATEWAY_TIMEOUT, Duration::from_secs(60)))
        .layer(DefaultBodyLimit::max(16 << 20));
    // photographs and voices, over a poor network
    let files = OpenApiRouter::new().routes(routes!(journal::put_file)).layer(DefaultBodyLimit::max(journal::LARGEST));
    let surfaces =
        OpenApiRouter::new().routes(routes!(ground::add_surface)).layer(DefaultBodyLimit::max(ground::LARGEST));
    // these last as long as they last
    let long = OpenApiRouter::new()
        .routes(routes!(uploads::state, uploads::create, uploads::abilities))
        .routes(routes!(uploads::offset, uploads::append, uploads::remove))
        .routes(routes!(deliver::download))
        .routes(routes!(task::events))
        .layer(DefaultBodyLimit::disable());
    quick.merge(files).merge(surfaces).merge(long)
}

/// The whole application: API, its description and the pages.
pub fn router(app: App) -> axum::Router {
    let (router, openapi) = api().split_for_parts();
    let description = serde_json::to_value(describe(openapi)).unwrap_or_default();
    let header = |name: HeaderName, value: &'static str| {
        SetResponseHeaderLayer::if_not_present(name, HeaderValue::from_static(value))
    };
    router
        .route("/api/openapi.json", axum::routing::get(move || { let d = description.clone(); async move { axum::Json(d) } }))
        .route("/api/health", axum::routing::get(|| async { "ok" }))
        .fallback(web::page)
        .layer(header(header::X_CONTENT_TYPE_OPTIONS, "nosniff"))
        .layer(header(header::REFERRER_POLICY, "same-origin"))
        .layer(header(header::CONTENT_SECURITY_POLICY, "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data: blob:; connect-src 'self'; worker-src 'self' blob:; frame-ancestors 'none'"))
        .layer(CompressionLayer::new().quality(CompressionLevel::Fastest))
        .layer(CatchPanicLayer::new())
        .layer(TraceLayer::new_for_http())
        .with_state(app)
}

/// The description of the API.
pub fn openapi() -> utoipa::openapi::OpenApi {
    describe(api().into_openapi())
}

fn describe(mut d: utoipa::openapi::OpenApi) -> utoipa::openapi::OpenApi {
    let mut c = d.components.take().unwrap_or_default();
    c.add_security_scheme("token", SecurityScheme::Http(HttpBuilder::new().scheme(HttpAuthScheme::Bearer).build()));
    d.components = Some(c);
    // two sheets may have a handler of the same name: the sheet makes them unique
    for item in d.paths.paths.values_mut() {
        let operations = [&mut item.get, &mut item.post, &mut item.put, &mut item.patch, &mut item.delete];
        for operation in operations.into_iter().flatten() {
            let tag = operation.tags.as_ref().and_then(|t| t.first()).cloned().unwrap_or_default();
            operation.operation_id = operation.operation_id.take().map(|id| format!("{tag}_{id}"));
        }
    }
    d
}
