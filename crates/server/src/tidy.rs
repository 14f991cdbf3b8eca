//! Gives the room of what was deleted free once it can no longer be had back.

use crate::queue::Queue;
use crate::store::{KEPT_DELETED, Store};
use std::time::Duration;

/// How often it is looked for.
const EVERY: Duration = Duration::from_secs(600);

/// Tidies up for as long as the program runs.
pub(crate) async fn keep_tidy(store: Store, queue: Queue) {
    let mut due = tokio::time::interval(EVERY);
    loop {
        due.tick().await;
        let before = chrono::Utc::now() - KEPT_DELETED;
        match store.purge(None, before).await {
            Ok(0) => {}
            Ok(purged) => tracing::info!("gave the room of {purged} deleted supplies and runs free"),
            // It is tried again; nothing depends on when it is done.
            Err(error) => tracing::warn!("nothing tidied up: {error}"),
        }
        if let Err(error) = queue.forget(before).await {
            tracing::warn!("the queue is not tidied up: {error}");
        }
    }
}
