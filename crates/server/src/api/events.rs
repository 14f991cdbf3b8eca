use super::runs::{missing, shown};
use super::{ApiError, App, RunPath};
use axum::extract::{Path, State};
use axum::response::sse::{Event, KeepAlive, Sse};
use futures::Stream;
use std::convert::Infallible;
use std::time::Duration;

/// How often a run is looked at.
const EVERY: Duration = Duration::from_millis(200);

/// Follows a run: an event `run` with the run whenever it has moved, until it is over.
///
/// Workers may live in other processes, so the database is the place to look.
pub(crate) async fn follow(
    State(app): State<App>,
    Path(RunPath { run }): Path<RunPath>,
) -> Result<Sse<impl Stream<Item = Result<Event, Infallible>>>, ApiError> {
    app.store.run(app.account(), run).await?.ok_or_else(missing)?;
    let stream = futures::stream::unfold(Some(None), move |seen: Option<Option<String>>| {
        let app = app.clone();
        async move {
            // None after the final state: the stream ends.
            let seen = seen?;
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
                        return Some((Ok(event), if over { None } else { Some(Some(text)) }));
                    }
                }
                tokio::time::sleep(EVERY).await;
            }
        }
    });
    Ok(Sse::new(stream).keep_alive(KeepAlive::default()))
}
