//! One SQLite file that holds a production: its frame grid, its cast, its lines, every edit ever
//! made, and what was delivered. What was acknowledged survives a crash: every change is one
//! transaction, written through to the disk.

mod cast;
mod deliveries;
mod error;
mod lines;
mod poses;
mod production;
mod schema;
mod snapshots;
mod speech;

pub use cast::CastMember;
pub use deliveries::Delivered;
pub use error::StoreError;
pub use lines::{NewLine, Steps, StoredLine};
pub use production::Production;
pub use snapshots::Snapshot;
pub use speech::Take;

use diesel::connection::SimpleConnection;
use diesel::prelude::*;
use diesel::r2d2::{ConnectionManager, CustomizeConnection, Pool, PooledConnection};
use diesel_migrations::{EmbeddedMigrations, MigrationHarness, embed_migrations};
use sha2::{Digest, Sha256};
use std::path::Path;

const MIGRATIONS: EmbeddedMigrations = embed_migrations!();

/// Reads and writes a production's data file. Cheap to clone.
#[derive(Clone)]
pub struct Store {
    pool: Pool<ConnectionManager<SqliteConnection>>,
}

#[derive(Debug)]
struct Pragmas;

impl CustomizeConnection<SqliteConnection, diesel::r2d2::Error> for Pragmas {
    fn on_acquire(&self, connection: &mut SqliteConnection) -> Result<(), diesel::r2d2::Error> {
        // Waiting must be set before anything that may have to wait.
        connection
            .batch_execute(
                "PRAGMA busy_timeout = 10000; PRAGMA journal_mode = WAL; PRAGMA synchronous = FULL; PRAGMA foreign_keys = ON;",
            )
            .map_err(diesel::r2d2::Error::QueryError)
    }
}

impl Store {
    /// Opens a data file, making it if it does not exist, and brings it to the newest layout.
    pub fn open(path: &Path) -> Result<Store, StoreError> {
        let name = path.to_str().ok_or_else(|| StoreError::Open("its name is not text".into()))?;
        let pool = Pool::builder()
            .max_size(4)
            .connection_customizer(Box::new(Pragmas))
            .build(ConnectionManager::new(name))
            .map_err(|e| StoreError::Open(e.to_string()))?;
        let store = Store { pool };
        let mut connection = store.connection()?;
        connection.run_pending_migrations(MIGRATIONS).map_err(|e| StoreError::Open(e.to_string()))?;
        drop(connection);
        Ok(store)
    }

    fn connection(&self) -> Result<PooledConnection<ConnectionManager<SqliteConnection>>, StoreError> {
        self.pool.get().map_err(|e| StoreError::Open(e.to_string()))
    }

    /// Runs a change as one transaction that holds the write lock from its start.
    fn change<T>(
        &self,
        work: impl FnOnce(&mut SqliteConnection) -> Result<T, StoreError>,
    ) -> Result<T, StoreError> {
        self.connection()?.immediate_transaction(work)
    }

    /// A stored file's bytes.
    pub fn blob(&self, hash: &str) -> Result<Vec<u8>, StoreError> {
        use schema::blob;
        Ok(blob::table.find(hash).select(blob::bytes).first(&mut self.connection()?)?)
    }
}

/// Keeps a file and gives its name, the SHA-256 of its bytes.
fn keep_blob(connection: &mut SqliteConnection, bytes: &[u8]) -> Result<String, StoreError> {
    use schema::blob;
    let hash: String = Sha256::digest(bytes).iter().map(|b| format!("{b:02x}")).collect();
    diesel::insert_or_ignore_into(blob::table)
        .values((blob::hash.eq(&hash), blob::bytes.eq(bytes)))
        .execute(connection)?;
    Ok(hash)
}
