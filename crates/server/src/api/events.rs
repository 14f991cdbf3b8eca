use super::address::RunPath;
use super::app::App;
use super::errors::ApiError;
use super::runs::shown;
use aide::OperationOutput;
use aide::generate::GenContext;
use aide::openapi::{self, Operation};
use axum::extract::{Path, State};
use axum::response::sse::{Event, KeepAlive, Sse};
use axum::response::{IntoResponse, Response};
use futures::StreamExt;
use futures::stream::BoxStream;
use std::convert::Infallible;
use std::time::Duration;

/// How often a run is looked at without news of it, in case some was lost.
const PATIENCE: Duration = Duration::from_secs(2);

/// Server-sent events.
pub(crate) struct Events(BoxStream<'static, Result<Event, Infallible>>);

impl IntoResponse for Events {
    fn into_response(self) -> Response {
        Sse::new(self.0).keep_alive(KeepAlive::default()).into_response()
    }
}

impl OperationOutput for Events {
    type Inner = ();

    fn operation_response(_: &mut GenContext, _: &mut Operation) -> Option<openapi::Response> {
        Some(super::address::documented("text/event-stream", "events named run, each with the run as JSON"))
    }
}

/// Follows a run: an event `run` with the run whenever it has moved, until it is over.
///
/// Workers may live in other processes, so the news comes from the database.
pub(crate) async fn follow(State(app): State<App>, Path(RunPath { run }): Path<RunPath>) -> Result<Events, ApiError> {
    // First the ear, then the eye: nothing can happen unnoticed in between.
    let follower = app.news.follow(run);
    app.store.run(app.account(), run).await?.ok_or_else(ApiError::no_run)?;
    let stream = futures::stream::unfold(Some((follower, None)), move |state| {
        let app = app.clone();
        async move {
            // None after the final state: the stream ends.
            let (mut follower, seen): (_, Option<String>) = state?;
            loop {
                let current = match app.store.run(app.account(), run).await {
                    Ok(Some(row)) => shown(&app, row).await.ok(),
                    Ok(None) => return None,
                    // The database is away for a moment; so is the news.
                    Err(_) => None,
                };
                if let Some(current) = current {
                    let over = current.state.is_final();
                    let text = serde_json::to_string(&current).unwrap_or_default();
                    if seen.as_ref() != Some(&text) {
                        let event = Event::default().event("run").data(&text);
                        return Some((Ok(event), if over { None } else { Some((follower, Some(text))) }));
                    }
                }
                follower.moved(PATIENCE).await;
            }
        }
    });
    Ok(Events(stream.boxed()))
}
