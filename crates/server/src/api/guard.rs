//! Keeps pages from elsewhere out, and every answer in the form promised.
//!
//! A page elsewhere can make a browser send requests here, and can give itself a name that leads here
//! (rebinding). So a request must name a host that is known, and must not come from another origin.

use super::errors::ApiError;
use super::errors::Problem;
use axum::Json;
use axum::body::to_bytes;
use axum::extract::{Request, State};
use axum::http::{HeaderMap, HeaderName, HeaderValue, Method, StatusCode, header};
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};
use std::sync::Arc;

/// Names under which the server may be asked.
pub(crate) struct Hosts(Vec<String>);

impl Hosts {
    /// Loopback, and these names.
    pub(crate) fn new(more: Vec<String>) -> Self {
        let loopback = ["localhost", "127.0.0.1", "[::1]"].map(str::to_owned);
        Hosts(loopback.into_iter().chain(more.into_iter().map(|name| name.to_lowercase())).collect())
    }

    /// Whether a host, with or without a port, is one of them.
    fn know(&self, authority: &str) -> bool {
        let authority = authority.to_lowercase();
        let name = match authority.rsplit_once(':') {
            Some((name, port)) if port.bytes().all(|b| b.is_ascii_digit()) => name,
            _ => authority.as_str(),
        };
        self.0.iter().any(|known| known == name)
    }
}

fn text(headers: &HeaderMap, name: impl header::AsHeaderName) -> Option<&str> {
    headers.get(name).and_then(|value| value.to_str().ok())
}

/// Answers only requests to a known host and from no other origin.
pub(super) async fn only_from_here(State(hosts): State<Arc<Hosts>>, request: Request, next: Next) -> Response {
    let headers = request.headers();
    let host = request.uri().authority().map(|a| a.as_str()).or_else(|| text(headers, header::HOST)).unwrap_or("");
    if !hosts.know(host) {
        let message =
            format!("this server is not known as “{}”; start it with --host to allow the name", host.escape_debug());
        return ApiError::new(StatusCode::MISDIRECTED_REQUEST, message).into_response();
    }
    let foreign_origin = text(headers, header::ORIGIN).is_some_and(|origin| {
        origin.split_once("://").is_none_or(|(_, authority)| !authority.eq_ignore_ascii_case(host))
    });
    let reads = matches!(*request.method(), Method::GET | Method::HEAD);
    let foreign_page = text(headers, "sec-fetch-site").is_some_and(|site| !matches!(site, "same-origin" | "none"));
    if foreign_origin || (foreign_page && !reads) {
        return ApiError::new(StatusCode::FORBIDDEN, "the request comes from a page elsewhere").into_response();
    }
    next.run(request).await
}

/// What pages from here may do, and what others may do with them.
const HEADERS: [(HeaderName, HeaderValue); 5] = [
    (
        header::CONTENT_SECURITY_POLICY,
        // Radix sets positions as styles.
        HeaderValue::from_static(
            "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data: blob:; object-src 'none'; \
             base-uri 'none'; form-action 'self'; frame-ancestors 'none'",
        ),
    ),
    (header::X_CONTENT_TYPE_OPTIONS, HeaderValue::from_static("nosniff")),
    (header::X_FRAME_OPTIONS, HeaderValue::from_static("DENY")),
    (header::REFERRER_POLICY, HeaderValue::from_static("no-referrer")),
    (HeaderName::from_static("cross-origin-resource-policy"), HeaderValue::from_static("same-origin")),
];

/// Adds them to every answer.
pub(super) async fn headers(request: Request, next: Next) -> Response {
    let mut response = next.run(request).await;
    response.headers_mut().extend(HEADERS);
    response
}

/// Longest text of an error that is passed on.
const LONGEST: usize = 64 << 10;

/// Turns what the libraries say in plain text into the problem that is promised.
pub(super) async fn errors_as_problems(request: Request, next: Next) -> Response {
    let api = request.uri().path().starts_with("/api/");
    let response = next.run(request).await;
    let status = response.status();
    let failed = status.is_client_error() || status.is_server_error();
    let json = text(response.headers(), header::CONTENT_TYPE).is_some_and(|kind| kind.contains("json"));
    if !api || !failed || json {
        return response;
    }
    let (parts, body) = response.into_parts();
    let said = to_bytes(body, LONGEST).await.unwrap_or_default();
    let said = String::from_utf8_lossy(&said);
    let message = match said.trim() {
        "" => format!("the request was refused: {status}"),
        said => said.to_owned(),
    };
    let mut answer = (status, Json(Problem { message, findings: Vec::new() })).into_response();
    if let Some(allowed) = parts.headers.get(header::ALLOW) {
        answer.headers_mut().insert(header::ALLOW, allowed.clone());
    }
    answer
}
