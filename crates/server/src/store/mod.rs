//! The PostgreSQL store. Every query is scoped by account, or by a run whose account was checked.

mod chunks;
mod deletion;
mod essence;
mod held;
mod library;
mod measured;
mod own_parts;
mod runs;
mod schema;
mod state;
mod supplies;

pub(crate) use deletion::DeletedSupply;
pub(crate) use essence::essence;
pub(crate) use library::{LatestRun, Order, Summary, SupplySummary};
pub(crate) use measured::NewMeasured;
pub(crate) use runs::{Begun, Finish, NewRun, RunRow, Stranded};
pub(crate) use state::RunState;
pub(crate) use supplies::{Change, RevisionRow, Saved, SupplyRow};

use diesel::migration::MigrationSource;
use diesel::pg::Pg;
use diesel_async::pooled_connection::deadpool::Pool;
use diesel_async::pooled_connection::{AsyncDieselConnectionManager, RecyclingMethod};
use diesel_async::{AsyncConnection, AsyncMigrationHarness, AsyncPgConnection};
use diesel_migrations::{EmbeddedMigrations, MigrationHarness, embed_migrations};
use held::Held;
use uuid::Uuid;

const MIGRATIONS: EmbeddedMigrations = embed_migrations!("migrations");

/// The one account until sign-in arrives; the first migration creates it.
pub(crate) const DEMO_ACCOUNT: Uuid = Uuid::from_u128(1);

/// How long what is deleted can be had back.
pub(crate) const KEPT_DELETED: chrono::TimeDelta = chrono::TimeDelta::days(1);

/// What can go wrong between here and the database.
#[derive(Debug, thiserror::Error)]
pub(crate) enum StoreError {
    #[error("the database cannot be reached: {0}")]
    Unreachable(String),
    #[error("the database is not up to date; run `mellow-coil migrate`, then try again")]
    Unmigrated,
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
            // A backend ended by a restart, or with its disk full, and a socket that is cut, report themselves in words only.
            StoreError::Query(error) => {
                let text = error.to_string();
                [
                    "connection",
                    "communicating with the server",
                    "terminating",
                    "shutting down",
                    "starting up",
                    "recovery",
                    "No space left",
                ]
                .iter()
                .any(|word| text.contains(word))
            }
            StoreError::Damaged(_) | StoreError::Unmigrated => false,
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

    async fn connection(&self) -> Result<Held> {
        self.pool.get().await.map(Held::new).map_err(|error| StoreError::Unreachable(error.to_string()))
    }

    /// Answers if the database does and has all tables as they are meant.
    pub(crate) async fn ping(&self) -> Result<()> {
        use diesel::result::{DatabaseErrorKind, Error};
        use diesel_async::RunQueryDsl;
        let mut connection = self.connection().await?;
        let latest = "SELECT 1 FROM __diesel_schema_migrations WHERE version >= $1";
        let latest = diesel::sql_query(latest).bind::<diesel::sql_types::Text, _>(latest_version());
        match latest.execute(&mut connection).await {
            Ok(0) => Err(StoreError::Unmigrated),
            Ok(_) => Ok(()),
            // A new database has no table of migrations either.
            Err(Error::DatabaseError(DatabaseErrorKind::Unknown, problem))
                if problem.message().contains("__diesel_schema_migrations") =>
            {
                Err(StoreError::Unmigrated)
            }
            Err(error) => Err(error.into()),
        }
    }
}

/// Version of the newest migration.
fn latest_version() -> String {
    let all = MigrationSource::<Pg>::migrations(&MIGRATIONS).unwrap_or_default();
    all.iter().map(|migration| migration.name().version().to_string()).max().unwrap_or_default()
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
