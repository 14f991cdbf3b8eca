//! News of runs: PostgreSQL tells which run has moved, whichever process moved it.

use sqlx::postgres::PgListener;
use std::time::Duration;
use tokio::sync::broadcast;
use uuid::Uuid;

/// The channel the trigger on `runs` writes to.
const CHANNEL: &str = "mellow_runs";
/// News kept for a follower that is slow to fetch it.
const KEPT: usize = 1024;
/// Pause before the next try when the database is away.
const PAUSE: Duration = Duration::from_secs(1);

/// Hands news of runs to whoever follows one; cheap to clone.
#[derive(Clone)]
pub(crate) struct News {
    sender: broadcast::Sender<Uuid>,
}

impl News {
    /// Starts to listen in the background, for as long as the program runs.
    pub(crate) fn listen(url: String) -> Self {
        let (sender, _) = broadcast::channel(KEPT);
        let news = News { sender };
        let own = news.clone();
        tokio::spawn(async move {
            loop {
                if let Err(error) = own.pass_on(&url).await {
                    tracing::warn!("no news of runs: {error}; trying again");
                }
                tokio::time::sleep(PAUSE).await;
            }
        });
        news
    }

    async fn pass_on(&self, url: &str) -> Result<(), sqlx::Error> {
        let mut listener = PgListener::connect(url).await?;
        listener.listen(CHANNEL).await?;
        // What moved while nobody listened is not known, so everybody looks.
        let _ = self.sender.send(Uuid::nil());
        loop {
            let moved = match listener.try_recv().await? {
                Some(notification) => notification.payload().parse().unwrap_or_default(),
                // The connection was lost and is made again.
                None => Uuid::nil(),
            };
            // Without followers there is nobody to tell.
            let _ = self.sender.send(moved);
        }
    }

    /// Follows one run from now on.
    pub(crate) fn follow(&self, run: Uuid) -> Follower {
        Follower { run, receiver: self.sender.subscribe() }
    }
}

/// Waits for news of one run.
pub(crate) struct Follower {
    run: Uuid,
    receiver: broadcast::Receiver<Uuid>,
}

impl Follower {
    /// Returns once the run may have moved, or after `patience` in any case.
    pub(crate) async fn moved(&mut self, patience: Duration) {
        let news = async {
            loop {
                match self.receiver.recv().await {
                    Ok(moved) if moved == self.run || moved.is_nil() => return,
                    Ok(_) => {}
                    Err(broadcast::error::RecvError::Lagged(_)) => return,
                    Err(broadcast::error::RecvError::Closed) => std::future::pending().await,
                }
            }
        };
        let _ = tokio::time::timeout(patience, news).await;
        // One look answers all that has come in meanwhile.
        while self.receiver.try_recv().is_ok() {}
    }
}
