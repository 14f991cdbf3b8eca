use crate::recorded::{TraceError, Untaken};
use crate::store::StoreError;
use aide::OperationOutput;
use aide::generate::GenContext;
use aide::openapi::{Operation, Response as ApiResponse};
use aide::operation::OperationInput;
use axum::Json;
use axum::body::Bytes;
use axum::extract::{FromRequest, Request};
use axum::http::StatusCode;
use axum::http::header::CONTENT_TYPE;
use axum::response::{IntoResponse, Response};
use circuit::Finding;
use schemars::JsonSchema;
use serde::Serialize;
use serde::de::DeserializeOwned;
use std::time::Duration;

/// Largest request body; a supply of 10,000 parts takes some 4 MB.
pub(super) const LARGEST_BODY: usize = 16 << 20;
/// Largest request with a measured file in it; base64 makes four bytes of three.
pub(super) const LARGEST_FILE: usize = 66 << 20;

/// What went wrong, where, and what to do.
#[derive(Clone, Debug, Serialize, JsonSchema)]
pub(crate) struct Problem {
    /// A sentence for people.
    pub(crate) message: String,
    /// Findings that block a run, if that is the trouble.
    pub(crate) findings: Vec<Finding>,
}

/// An answer other than success.
#[derive(Clone, Debug)]
pub(crate) struct ApiError {
    status: StatusCode,
    problem: Problem,
}

impl ApiError {
    /// There is no such supply.
    pub(super) fn no_supply() -> Self {
        ApiError::not_found("there is no such supply in the library")
    }

    /// What it says.
    pub(super) fn message(&self) -> &str {
        &self.problem.message
    }

    /// There is no such run.
    pub(super) fn no_run() -> Self {
        ApiError::not_found("there is no such run")
    }

    pub(crate) fn new(status: StatusCode, message: impl Into<String>) -> Self {
        ApiError { status, problem: Problem { message: message.into(), findings: Vec::new() } }
    }

    pub(crate) fn not_found(message: &str) -> Self {
        Self::new(StatusCode::NOT_FOUND, message)
    }

    pub(crate) fn unusable(message: impl Into<String>) -> Self {
        Self::new(StatusCode::UNPROCESSABLE_ENTITY, message)
    }

    pub(crate) fn blocked(findings: Vec<Finding>) -> Self {
        let mut error = Self::unusable("the supply has errors that block a run");
        error.problem.findings = findings;
        error
    }
}

impl IntoResponse for ApiError {
    fn into_response(self) -> Response {
        (self.status, Json(self.problem)).into_response()
    }
}

impl OperationOutput for ApiError {
    type Inner = Problem;

    fn inferred_responses(ctx: &mut GenContext, operation: &mut Operation) -> Vec<(Option<u16>, ApiResponse)> {
        let response = <Json<Problem> as OperationOutput>::operation_response(ctx, operation);
        response.map(|response| (None, response)).into_iter().collect()
    }
}

impl From<StoreError> for ApiError {
    fn from(error: StoreError) -> Self {
        tracing::error!("{error}");
        if matches!(error, StoreError::Unmigrated) {
            Self::new(StatusCode::SERVICE_UNAVAILABLE, error.to_string())
        } else if error.passing() {
            let message = "the database cannot be reached just now; nothing was changed, try again in a moment";
            Self::new(StatusCode::SERVICE_UNAVAILABLE, message)
        } else {
            Self::new(StatusCode::INTERNAL_SERVER_ERROR, "the database refused the request; the server's log says why")
        }
    }
}

impl From<Untaken> for ApiError {
    fn from(error: Untaken) -> Self {
        Self::unusable(error.to_string())
    }
}

impl From<TraceError> for ApiError {
    fn from(error: TraceError) -> Self {
        match error {
            TraceError::Store(error) => error.into(),
            TraceError::Signal(error) => Self::unusable(format!("the signal cannot be read: {error}")),
            TraceError::Formula(error) => Self::unusable(format!("the formula cannot be read: {error}")),
            TraceError::NotRecorded(_) | TraceError::Measure(_) => Self::unusable(error.to_string()),
            TraceError::Damaged(_) => Self::new(StatusCode::INTERNAL_SERVER_ERROR, error.to_string()),
        }
    }
}

/// How long a body may take to arrive.
const BODY: Duration = Duration::from_secs(60);

/// Entries a list in a request may have.
const MOST_LISTED: usize = 100;

/// Refuses a list that would have more work done than one request may ask for.
pub(super) fn few<T>(what: &str, list: &[T]) -> Result<(), ApiError> {
    if list.len() <= MOST_LISTED {
        return Ok(());
    }
    let message =
        format!("{} {what} are asked for at once; up to {MOST_LISTED} are answered, ask for fewer", list.len());
    Err(ApiError::unusable(message))
}

/// A JSON body whose errors are answered as problems.
pub(crate) struct Body<T>(pub(crate) T);

impl<T: DeserializeOwned, S: Send + Sync> FromRequest<S> for Body<T> {
    type Rejection = ApiError;

    async fn from_request(request: Request, state: &S) -> Result<Self, ApiError> {
        let media = request.headers().get(CONTENT_TYPE).and_then(|value| value.to_str().ok()).unwrap_or_default();
        if !media.starts_with("application/json") {
            let message = "a request with a body needs the content type application/json";
            return Err(ApiError::new(StatusCode::UNSUPPORTED_MEDIA_TYPE, message));
        }
        let bytes = tokio::time::timeout(BODY, Bytes::from_request(request, state)).await.map_err(|_| {
            let message = format!("the rest of the request did not come within {} s; send it again", BODY.as_secs());
            ApiError::new(StatusCode::REQUEST_TIMEOUT, message)
        })?;
        let bytes = bytes.map_err(|rejection| match rejection.status() {
            StatusCode::PAYLOAD_TOO_LARGE => ApiError::new(
                StatusCode::PAYLOAD_TOO_LARGE,
                format!(
                    "the request is larger than is read here, {} MB or, with a measured file, {} MB; leave out what is not \
                     needed",
                    LARGEST_BODY >> 20,
                    LARGEST_FILE >> 20
                ),
            ),
            status => ApiError::new(status, rejection.body_text()),
        })?;
        // Others need not wait while a large one is read.
        let read = tokio::task::block_in_place(|| Json::<T>::from_bytes(&bytes));
        read.map(|Json(value)| Body(value))
            .map_err(|rejection| ApiError::new(rejection.status(), rejection.body_text()))
    }
}

impl<T: JsonSchema> OperationInput for Body<T> {
    fn operation_input(ctx: &mut GenContext, operation: &mut Operation) {
        <Json<T> as OperationInput>::operation_input(ctx, operation);
    }
}
