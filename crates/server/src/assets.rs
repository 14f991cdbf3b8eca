//! The interface, built by Vite and embedded in the program.

use axum::body::Body;
use axum::http::{StatusCode, Uri, header};
use axum::response::{IntoResponse, Response};
use rust_embed::RustEmbed;

#[derive(RustEmbed)]
#[folder = "../../web/dist"]
#[allow_missing = true]
struct Assets;

/// Serves a file of the interface; every other path is one of its views.
pub(crate) async fn serve(uri: Uri) -> Response {
    let path = uri.path().trim_start_matches('/');
    let (name, file) = match Assets::get(path) {
        Some(file) => (path, file),
        // What is named like a file and is not there is missing, not a view.
        None if path.rsplit('/').next().is_some_and(|name| name.contains('.')) => {
            return (StatusCode::NOT_FOUND, "there is no such file").into_response();
        }
        None => match Assets::get("index.html") {
            Some(file) => ("index.html", file),
            None => return (StatusCode::NOT_FOUND, "the interface was not built into this program").into_response(),
        },
    };
    // Vite puts a hash of the content into the names of what it builds.
    let cache = if name.starts_with("assets/") { "public, max-age=31536000, immutable" } else { "no-cache" };
    Response::builder()
        .header(header::CONTENT_TYPE, file.metadata.mimetype())
        .header(header::CACHE_CONTROL, cache)
        .body(Body::from(file.data))
        .unwrap_or_else(|_| StatusCode::INTERNAL_SERVER_ERROR.into_response())
}
