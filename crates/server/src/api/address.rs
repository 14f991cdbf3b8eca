//! What addresses name, and what the OpenAPI document says of answers that are not JSON.

use aide::openapi::MediaType;
use schemars::JsonSchema;
use serde::Deserialize;
use uuid::Uuid;

/// The supply in an address.
#[derive(Deserialize, JsonSchema)]
pub(super) struct SupplyPath {
    pub(super) supply: Uuid,
}

/// The run in an address.
#[derive(Deserialize, JsonSchema)]
pub(super) struct RunPath {
    pub(super) run: Uuid,
}

/// What the OpenAPI document says of an answer that is not JSON.
pub(super) fn documented(media: &str, what: &str) -> aide::openapi::Response {
    let content = [(media.to_owned(), MediaType::default())].into_iter().collect();
    aide::openapi::Response { description: what.to_owned(), content, ..Default::default() }
}
