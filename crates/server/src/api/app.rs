//! What handlers share.

use super::errors::ApiError;
use super::look::{Look, look};
use crate::news::News;
use crate::queue::Queue;
use crate::store::{DEMO_ACCOUNT, Store, SupplyRow};
use axum::http::StatusCode;
use circuit::{Circuit, resolve};
use moka::future::Cache;
use serde_json::Value;
use std::sync::Arc;
use std::time::Duration;
use tokio::sync::Semaphore;
use uuid::Uuid;

/// What is kept ready of supplies and of circuits, bytes as they are sent; in memory it is about twice as much.
const KEPT_BYTES: u64 = 8 << 20;
/// Bytes of a part of a circuit.
const PART: usize = 2048;
/// How long something is kept ready that nobody asks for.
const KEPT_FOR: Duration = Duration::from_secs(1800);

/// Store, queue and what is kept ready; cheap to clone.
#[derive(Clone)]
pub(crate) struct App {
    pub(crate) store: Store,
    pub(crate) queue: Queue,
    pub(crate) news: News,
    /// As many at once as there are processors; more would only take each other's time.
    thinking: Arc<Semaphore>,
    /// What may take seconds, such as arranging hundreds of parts: one at a time, beside the rest.
    arranging: Arc<Semaphore>,
    /// Supplies by revision: neither ever changes.
    looks: Cache<(Uuid, i32), Arc<Look>>,
    /// Circuits by account and run.
    circuits: Cache<(Uuid, Uuid), Arc<Circuit>>,
}

impl App {
    pub(crate) fn new(store: Store, queue: Queue, news: News) -> Self {
        let bytes = |count: usize| u32::try_from(count).unwrap_or(u32::MAX);
        App {
            store,
            queue,
            news,
            thinking: Arc::new(Semaphore::new(std::thread::available_parallelism().map_or(1, usize::from))),
            arranging: Arc::new(Semaphore::new(1)),
            looks: Cache::builder()
                .max_capacity(KEPT_BYTES)
                .weigher(move |_, look: &Arc<Look>| bytes(look.bytes))
                .time_to_idle(KEPT_FOR)
                .build(),
            circuits: Cache::builder()
                .max_capacity(KEPT_BYTES)
                .weigher(move |_, circuit: &Arc<Circuit>| bytes(PART * (circuit.parts.len() + 1)))
                .time_to_idle(KEPT_FOR)
                .build(),
        }
    }

    /// The account a request belongs to: the demo account until sign-in arrives.
    pub(super) fn account(&self) -> Uuid {
        DEMO_ACCOUNT
    }

    /// Does what takes time away from the threads that answer requests. A defect in it is answered as one.
    pub(super) async fn think<T: Send + 'static>(
        &self,
        work: impl FnOnce() -> T + Send + 'static,
    ) -> Result<T, ApiError> {
        Self::within(&self.thinking, work).await
    }

    /// The same for what may have to arrange parts, which takes seconds where they are many and keeps nothing else waiting.
    pub(super) async fn arrange<T: Send + 'static>(
        &self,
        work: impl FnOnce() -> T + Send + 'static,
    ) -> Result<T, ApiError> {
        Self::within(&self.arranging, work).await
    }

    async fn within<T: Send + 'static>(
        permits: &Arc<Semaphore>,
        work: impl FnOnce() -> T + Send + 'static,
    ) -> Result<T, ApiError> {
        let permit = Arc::clone(permits).acquire_owned().await;
        let thought = tokio::task::spawn_blocking(move || {
            let thought = work();
            drop(permit);
            thought
        });
        thought.await.map_err(|error| {
            tracing::error!("{error}");
            let message = "the request met a defect in Mellow Coil; nothing was changed";
            ApiError::new(StatusCode::INTERNAL_SERVER_ERROR, message)
        })
    }

    /// A stored supply, read, checked and drawn.
    pub(super) async fn look(&self, row: &SupplyRow) -> Result<Arc<Look>, ApiError> {
        let document = row.document.clone();
        let made = async { Ok::<_, ApiError>(Arc::new(self.think(move || look(&document)).await??)) };
        self.looks.try_get_with((row.id, row.revision), made).await.map_err(|error| (*error).clone())
    }

    /// Forgets the circuits kept ready, for runs that are deleted.
    pub(super) fn forget_circuits(&self) {
        self.circuits.invalidate_all();
    }

    /// The circuit a run is of.
    pub(super) async fn circuit_of(&self, run: Uuid) -> Result<Arc<Circuit>, ApiError> {
        let made = async {
            let document: Value = self.store.run_document(self.account(), run).await?.ok_or_else(ApiError::no_run)?;
            let circuit = move || resolve(&super::look::read(&document)?).map_err(ApiError::blocked);
            Ok::<_, ApiError>(Arc::new(self.think(circuit).await??))
        };
        self.circuits.try_get_with((self.account(), run), made).await.map_err(|error| (*error).clone())
    }
}
