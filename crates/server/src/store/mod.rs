//! The PostgreSQL store. Every query is scoped by account, or by a run whose account was checked.

mod chunks;
mod own_parts;
mod runs;
mod schema;
mod supplies;

pub(crate) use chunks::ChunkRow;
pub(crate) use runs::{Begun, Finish, NewRun, RunRow, RunState};
pub(crate) use supplies::{RevisionRow, Saved, SupplyRow, SupplySummary};

use diesel_async::pooled_connection::deadpool::{Object, Pool};
use diesel_async::pooled_connection::{AsyncDieselConnectionManager, RecyclingMethod};
use diesel_async::{AsyncConnection, AsyncMigrationHarness, AsyncPgConnection};
use diesel_migrations::{EmbeddedMigrations, MigrationHarness, embed_migrations};
use uuid::Uuid;

const MIGRATIONS: EmbeddedMigrations = embed_migrations!("migrations");

/// The one account until sign-in arrives; the first migration creates it.
pub(crate) const DEMO_ACCOUNT: Uuid = Uuid::from_u128(1);

/// What can go wrong between here and the database.
#[derive(Debug, thiserror::Error)]
pub(crate) enum StoreError {
    #[error("the database cannot be reached: {0}")]
    Unreachable(String),
    #[error("the database refused: {0}")]
    Query(#[from] diesel::result::Error),
    #[error("a stored document or outcome cannot be read: {0}")]
    Damaged(#[from] serde_json::Error),
}

impl StoreError {
    /// Whether trying again in a moment may help.
    pub(crate) fn passing(&self) -> bool {
        use diesel::result::{DatabaseErrorKind, Error};
        match self {
            StoreError::Unreachable(_) => true,
            StoreError::Query(Error::DatabaseError(DatabaseErrorKind::ClosedConnection, _)) => true,
            // A backend ended by a restart reports itself in words only.
            StoreError::Query(error) => {
                let text = error.to_string();
                ["connection", "terminating", "shutting down", "starting up", "recovery"]
                    .iter()
                    .any(|word| text.contains(word))
            }
            StoreError::Damaged(_) => false,
        }
    }
}

pub(crate) type Result<T> = std::result::Result<T, StoreError>;

/// A handle on the database; cheap to clone.
#[derive(Clone)]
pub(crate) struct Store {
    pool: Pool<AsyncPgConnection>,
}

impl Store {
    /// Prepares a pool; connections are made when needed.
    pub(crate) fn new(url: &str) -> anyhow::Result<Self> {
        let mut config = diesel_async::pooled_connection::ManagerConfig::default();
        // A connection cut by a database restart is noticed before it is handed out.
        config.recycling_method = RecyclingMethod::Verified;
        let manager = AsyncDieselConnectionManager::<AsyncPgConnection>::new_with_config(url, config);
        let pool = Pool::builder(manager).max_size(16).build()?;
        Ok(Store { pool })
    }

    async fn connection(&self) -> Result<Object<AsyncPgConnection>> {
        self.pool.get().await.map_err(|error| StoreError::Unreachable(error.to_string()))
    }

    /// Answers if the database does.
    pub(crate) async fn ping(&self) -> Result<()> {
        use diesel_async::RunQueryDsl;
        let mut connection = self.connection().await?;
        diesel::sql_query("SELECT 1").execute(&mut connection).await?;
        Ok(())
    }
}

/// Brings the tables up to date.
pub(crate) async fn migrate(url: &str) -> anyhow::Result<()> {
    let connection = AsyncPgConnection::establish(url).await?;
    let mut harness = AsyncMigrationHarness::new(connection);
    let applied = harness.run_pending_migrations(MIGRATIONS).map_err(|error| anyhow::anyhow!("{error}"))?;
    for version in applied {
        tracing::info!("applied migration {version}");
    }
    Ok(())
}
