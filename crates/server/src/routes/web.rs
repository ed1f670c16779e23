//! The pages, embedded in the program.

use axum::extract::Request;
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};

#[derive(rust_embed::RustEmbed)]
#[folder = "../../web/dist"]
struct Pages;

/// A file of the front end, or its first page for any address that it knows itself.
pub(super) async fn page(request: Request) -> Response {
    let path = request.uri().path().trim_start_matches('/');
    if path.starts_with("api/") {
        return (
            StatusCode::NOT_FOUND,
            axum::Json(serde_json::json!({ "error": "there is no such route; see /api/openapi.json" })),
        )
            .into_response();
    }
    let (file, name) = match Pages::get(path) {
        Some(f) => (f, path),
        None => match Pages::get("index.html") {
            Some(f) => (f, "index.html"),
            None => {
                return (
                    StatusCode::NOT_FOUND,
                    "the pages were not built into this program: run npm run build in web/ first",
                )
                    .into_response();
            }
        },
    };
    // built files carry their sum in the name
    let cache = if name.starts_with("assets/") { "public, max-age=31536000, immutable" } else { "no-cache" };
    (
        [(header::CONTENT_TYPE, file.metadata.mimetype().to_owned()), (header::CACHE_CONTROL, cache.to_owned())],
        file.data,
    )
        .into_response()
}
