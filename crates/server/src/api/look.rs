//! A document with all that is said and drawn of it.

use super::errors::ApiError;
use crate::store::essence;
use aide::OperationOutput;
use aide::generate::GenContext;
use aide::openapi::{self, Operation};
use axum::http::header::{CACHE_CONTROL, CONTENT_TYPE};
use axum::response::{IntoResponse, Response};
use circuit::{Finding, Place, Supply, check};
use drawing::{Drawing, draw};
use serde_json::Value;
use std::collections::BTreeMap;
use uuid::Uuid;

pub(super) fn read(document: &Value) -> Result<Supply, ApiError> {
    let text = document.to_string();
    // PostgreSQL cannot keep this character; nothing else refuses it before the database does.
    if text.contains("\\u0000") {
        return Err(ApiError::unusable("the document contains the character NUL, which cannot be stored; remove it"));
    }
    Supply::from_json(&text).map_err(|error| ApiError::unusable(error.to_string()))
}

/// A document with all that is said and drawn of it.
pub(super) struct Look {
    pub(super) document: Supply,
    pub(super) findings: Vec<Finding>,
    pub(super) drawing: Drawing,
    pub(super) essences: BTreeMap<String, Uuid>,
    /// Bytes it takes when it is sent.
    pub(super) bytes: usize,
}

/// Reads, checks and draws a document. A picture that fails does not hide the document.
pub(super) fn look(document: &Value) -> Result<Look, ApiError> {
    let document = read(document)?;
    let mut findings = [check(&document), design::check(&document)].concat();
    let drawing = std::panic::catch_unwind(|| draw(&document)).unwrap_or_else(|_| {
        findings.push(Finding::warning(
            "not-drawn",
            Place::Supply,
            "The circuit cannot be drawn because of a defect in Mellow Coil".to_owned(),
            "It can be edited and run all the same; undoing the last change may bring the drawing back",
        ));
        draw(&Supply::new(""))
    });
    let essences = document.studies.iter().map(|s| (s.id.clone(), essence(&document, &s.id))).collect();
    let bytes = serde_json::to_vec(&(&document, &findings, &drawing)).map_or(0, |sent| sent.len());
    Ok(Look { document, findings, drawing, essences, bytes })
}

/// A drawing as a picture.
pub(crate) struct Picture {
    svg: String,
    /// Whether the same address gives the same for ever.
    lasting: bool,
}

impl Picture {
    pub(super) fn of(drawing: &Drawing, lasting: bool) -> Self {
        Picture { svg: drawing::svg(drawing), lasting }
    }
}

impl IntoResponse for Picture {
    fn into_response(self) -> Response {
        let cache = if self.lasting { "private, max-age=31536000, immutable" } else { "no-cache" };
        ([(CONTENT_TYPE, "image/svg+xml"), (CACHE_CONTROL, cache)], self.svg).into_response()
    }
}

impl OperationOutput for Picture {
    type Inner = ();

    fn operation_response(_: &mut GenContext, _: &mut Operation) -> Option<openapi::Response> {
        Some(super::address::documented("image/svg+xml", "the drawing"))
    }
}
