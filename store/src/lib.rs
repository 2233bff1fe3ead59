//! One SQLite file that holds a production: its frame grid, its cast, its lines, every edit ever
//! made, and what was delivered. What was acknowledged survives a crash: every change is one
//! transaction, written through to the disk.

mod archive;
mod based;
mod briefs;
mod cast;
mod changes;
mod cut;
mod deliveries;
mod documents;
mod error;
mod films;
mod health;
mod journal;
mod layered;
mod lines;
mod parts;
mod poses;
mod produced;
mod production;
mod recipes;
mod scenes;
mod schema;
mod snapshots;
mod speech;
mod stored;
mod upgrade;
mod waiting;

pub use archive::{Came, Whole};
pub use briefs::Brief;
pub use cast::{CastMember, NewModel, NewWiring, NowCast};
pub use changes::Changes;
pub use cut::Cut;
pub use deliveries::{Delivered, NewDelivered};
pub use error::StoreError;
pub use films::Film;
pub use health::Health;
pub use journal::{NewStep, Now, RESULT, Steps};
pub use layered::Layered;
pub use lines::{ListedLine, NewLine, NewPart, StoredLine};
pub use produced::NowProduction;
pub use production::Production;
pub use snapshots::Snapshot;
pub use speech::{SaidAs, Take};
pub use waiting::Waiting;

use briefs::Briefs;
use diesel::connection::SimpleConnection;
use diesel::prelude::*;
use diesel::r2d2::{ConnectionManager, CustomizeConnection, Pool, PooledConnection};
use diesel_migrations::{EmbeddedMigrations, MigrationHarness, embed_migrations};
use documents::Documents;
use sha2::{Digest, Sha256};
use std::fs::File;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::Duration;

const MIGRATIONS: EmbeddedMigrations = embed_migrations!();

/// `JAML`: says whose file it is.
const APPLICATION: i32 = 0x4A41_4D4C;
/// The layout of the file that this program writes.
const LAYOUT: i32 = 8;

/// Reads and writes a production's data file. Cheap to clone.
#[derive(Clone)]
pub struct Store {
    pool: Pool<ConnectionManager<SqliteConnection>>,
    /// Writers of this program take turns, so that none starves while it polls for the lock.
    writers: Arc<Mutex<()>>,
    documents: Documents,
    briefs: Briefs,
    /// Held as long as the file is open for a server.
    _alone: Option<Arc<File>>,
    backup: Option<Arc<PathBuf>>,
}

/// How a data file is made; it stays so. That freed pages are given back must be set while it is still empty.
const MADE: &str = "PRAGMA auto_vacuum = INCREMENTAL; PRAGMA journal_mode = WAL;";
/// What every connection is told. Nothing of it may write: one may be opened by somebody who holds the file's lock.
const OPENED: &str = "PRAGMA busy_timeout = 2000; PRAGMA synchronous = FULL; PRAGMA foreign_keys = ON;";

#[derive(Debug)]
struct Pragmas;

impl CustomizeConnection<SqliteConnection, diesel::r2d2::Error> for Pragmas {
    fn on_acquire(&self, connection: &mut SqliteConnection) -> Result<(), diesel::r2d2::Error> {
        connection.batch_execute(OPENED).map_err(diesel::r2d2::Error::QueryError)
    }
}

#[derive(QueryableByName)]
struct Number {
    #[diesel(sql_type = diesel::sql_types::Integer)]
    n: i32,
}

fn number(c: &mut SqliteConnection, query: &str) -> Result<i32, StoreError> {
    Ok(diesel::sql_query(query).get_result::<Number>(c)?.n)
}

/// Makes a new data file one that nobody but its owner can read; its log and what lies beside it take after it. One that is
/// there keeps what its owner gave it.
fn own(path: &Path) -> std::io::Result<()> {
    let mut options = File::options();
    options.write(true).create_new(true);
    #[cfg(unix)]
    std::os::unix::fs::OpenOptionsExt::mode(&mut options, 0o600);
    match options.open(path) {
        Err(error) if error.kind() != std::io::ErrorKind::AlreadyExists => Err(error),
        _ => Ok(()),
    }
}

/// A connection that waits for others. Also one that only reads needs it: whoever closes a data file last brings its log
/// over, which takes a moment.
fn patient(address: &str) -> Result<SqliteConnection, StoreError> {
    let mut c = SqliteConnection::establish(address).map_err(|e| StoreError::Open(e.to_string()))?;
    c.batch_execute("PRAGMA busy_timeout = 2000")?;
    Ok(c)
}

/// What lies beside a file under its name and more.
fn beside(path: &Path, more: &str) -> PathBuf {
    let mut name = path.as_os_str().to_owned();
    name.push(more);
    name.into()
}

/// Copies a data file of an older layout beside itself, before it is brought up to date. A copy of an earlier try stays: it
/// is of the file as it was first.
fn backup(c: &mut SqliteConnection, path: &Path) -> Result<PathBuf, StoreError> {
    let to = beside(path, &format!("-before-{LAYOUT}"));
    if to.exists() {
        return Ok(to);
    }
    let failed = |e: &dyn std::fmt::Display| {
        let says = "no copy of it could be made before it is brought up to date";
        StoreError::Open(format!("{says} ({e}); make room beside it, then try again"))
    };
    let aside = beside(&to, "-part");
    if aside.exists() {
        std::fs::remove_file(&aside).map_err(|e| failed(&e))?;
    }
    own(&aside).map_err(|e| failed(&e))?;
    let into = aside.to_str().ok_or_else(|| StoreError::Open("its name is not text".into()))?;
    diesel::sql_query("VACUUM INTO ?")
        .bind::<diesel::sql_types::Text, _>(into)
        .execute(c)
        .map_err(|e| failed(&e))?;
    File::open(&aside).and_then(|f| f.sync_all()).map_err(|e| failed(&e))?;
    std::fs::rename(&aside, &to).map_err(|e| failed(&e))?;
    Ok(to)
}

/// Refuses files of others and of newer programs before anything is written to them.
fn check_whose(path: &Path) -> Result<(), StoreError> {
    if std::fs::metadata(path).map_or(0, |m| m.len()) == 0 {
        return Ok(());
    }
    let name = path.display().to_string();
    let foreign = || StoreError::Foreign(name.clone());
    let mut head = [0; 16];
    let read = File::open(path).and_then(|mut f| std::io::Read::read_exact(&mut f, &mut head));
    match read {
        // Shorter than any data file.
        Err(e) if e.kind() == std::io::ErrorKind::UnexpectedEof => return Err(foreign()),
        read => read.map_err(|e| StoreError::Open(e.to_string()))?,
    }
    if &head != b"SQLite format 3\0" {
        return Err(foreign());
    }
    let mut c = patient(path.to_str().ok_or_else(foreign)?)?;
    let application = number(&mut c, "SELECT application_id AS n FROM pragma_application_id")?;
    let layout = number(&mut c, "SELECT user_version AS n FROM pragma_user_version")?;
    // The first layout did not say whose it was.
    let first = "SELECT count(*) AS n FROM sqlite_master WHERE type = 'table' AND name IN ('production', 'cast_member', 'line', 'journal', 'blob')";
    // Made by a start that did not get further: nobody's.
    let all = "SELECT count(*) AS n FROM sqlite_master";
    match application {
        APPLICATION if layout > LAYOUT => Err(StoreError::Newer),
        APPLICATION => Ok(()),
        0 if number(&mut c, first)? == 5 => Ok(()),
        0 if layout == 0 && number(&mut c, all)? == 0 => Ok(()),
        _ => Err(foreign()),
    }
}

impl Store {
    /// Opens a data file, making it if it does not exist, and brings it to the newest layout.
    ///
    /// # Errors
    /// It is somebody else's file, a newer program's, or cannot be read and written.
    pub fn open(path: &Path) -> Result<Store, StoreError> {
        let name = path.to_str().ok_or_else(|| StoreError::Open("its name is not text".into()))?;
        check_whose(path)?;
        own(path).map_err(|e| StoreError::Open(e.to_string()))?;
        // The first connection makes the file and its log, which on a busy disk takes longer than anybody else has to wait.
        let mut first = patient(name)?;
        first.batch_execute(MADE).map_err(|e| StoreError::Open(e.to_string()))?;
        let pool = Pool::builder()
            .max_size(8)
            // None is opened ahead, aside of everybody: it may still be closing when the store is long gone.
            .min_idle(Some(0))
            .connection_timeout(Duration::from_secs(2))
            .connection_customizer(Box::new(Pragmas))
            .build(ConnectionManager::new(name))
            .map_err(|e| StoreError::Open(e.to_string()))?;
        let store = Store {
            pool,
            writers: Arc::default(),
            documents: Documents::default(),
            briefs: Briefs::default(),
            _alone: None,
            backup: None,
        };
        let mut connection = store.connection()?;
        let layout = number(&mut connection, "SELECT user_version AS n FROM pragma_user_version")?;
        let holds = number(&mut connection, "SELECT count(*) AS n FROM sqlite_master")? > 0;
        let pending =
            connection.has_pending_migration(MIGRATIONS).map_err(|e| StoreError::Open(e.to_string()))?;
        let backup = match holds && (pending || layout < LAYOUT) {
            true => Some(Arc::new(backup(&mut connection, path)?)),
            false => None,
        };
        // Before anything of it changes: a file that was left on the way has tables of no layout, and is known by this alone.
        connection.batch_execute(&format!("PRAGMA application_id = {APPLICATION}"))?;
        connection.run_pending_migrations(MIGRATIONS).map_err(|e| StoreError::Open(e.to_string()))?;
        connection.immediate_transaction(|c| {
            if layout < 2 {
                upgrade::documents(c)?;
            }
            if layout < 3 {
                upgrade::wirings(c)?;
                upgrade::into_parts(c)?;
            }
            free_blobs(c)?;
            c.batch_execute(&format!("PRAGMA user_version = {LAYOUT}")).map_err(StoreError::from)
        })?;
        drop(connection);
        Ok(Store { backup, ..store })
    }

    /// The copy of the data file as it was, if it was one of an older layout until now.
    pub fn backup(&self) -> Option<&Path> {
        self.backup.as_deref().map(PathBuf::as_path)
    }

    /// [`Store::open`] for a server, of which there is one at most for a file.
    ///
    /// # Errors
    /// [`StoreError::InUse`] if there is one already.
    pub fn open_alone(path: &Path) -> Result<Store, StoreError> {
        let lock = beside(path, "-lock");
        let failed = |e: std::io::Error| StoreError::Open(e.to_string());
        let file = File::options().create(true).truncate(false).write(true).open(&lock).map_err(failed)?;
        if file.try_lock().is_err() {
            return Err(StoreError::InUse(path.display().to_string()));
        }
        Ok(Store { _alone: Some(Arc::new(file)), ..Store::open(path)? })
    }

    fn connection(&self) -> Result<PooledConnection<ConnectionManager<SqliteConnection>>, StoreError> {
        self.pool.get().map_err(|e| StoreError::Open(e.to_string()))
    }

    /// A writer's turn.
    fn turn(&self) -> MutexGuard<'_, ()> {
        self.writers.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Runs a change as one transaction that holds the write lock from its start.
    fn change<T>(
        &self,
        work: impl FnOnce(&mut SqliteConnection) -> Result<T, StoreError>,
    ) -> Result<T, StoreError> {
        self.in_turn(|c| work(c).map_err(Failed::Store))
    }

    /// [`Store::change`] for work that has refusals of its own.
    fn in_turn<T, E: From<StoreError>>(
        &self,
        work: impl FnOnce(&mut SqliteConnection) -> Result<T, Failed<E>>,
    ) -> Result<T, E> {
        // The turn first: whoever has it can get a connection, also for what it reads beside its transaction.
        let _turn = self.turn();
        self.connection()?.immediate_transaction(work).map_err(|failed| match failed {
            Failed::Store(error) => error.into(),
            Failed::Work(error) => error,
        })
    }

    /// Brings everything that was written into the file itself, out of the log beside it.
    ///
    /// # Errors
    /// The file cannot be written.
    pub fn checkpoint(&self) -> Result<(), StoreError> {
        let _turn = self.turn();
        Ok(self.connection()?.batch_execute("PRAGMA wal_checkpoint(TRUNCATE)")?)
    }

    /// A stored file's bytes.
    ///
    /// # Errors
    /// The data file cannot be read or written, or there is no such thing in it.
    pub fn blob(&self, hash: &str) -> Result<Vec<u8>, StoreError> {
        use schema::blob;
        Ok(blob::table.find(hash).select(blob::bytes).first(&mut self.connection()?)?)
    }
}

/// Why a transaction was given up.
enum Failed<E> {
    Store(StoreError),
    Work(E),
}

impl<E> From<diesel::result::Error> for Failed<E> {
    fn from(error: diesel::result::Error) -> Failed<E> {
        Failed::Store(error.into())
    }
}

/// What a file is called: the SHA-256 of its bytes.
pub fn hash(bytes: &[u8]) -> String {
    Sha256::digest(bytes).iter().map(|b| format!("{b:02x}")).collect()
}

/// Keeps a file and gives its name.
fn keep_blob(connection: &mut SqliteConnection, bytes: &[u8]) -> Result<String, StoreError> {
    use schema::blob;
    let hash = hash(bytes);
    diesel::insert_or_ignore_into(blob::table)
        .values((
            blob::hash.eq(&hash),
            blob::bytes.eq(bytes),
            blob::base.eq(layered::base_of(bytes).or_else(|| cut::base_of(bytes))),
        ))
        .execute(connection)?;
    Ok(hash)
}

/// Forgets files that nothing names any more, and gives their room back.
fn free_blobs(connection: &mut SqliteConnection) -> Result<(), StoreError> {
    let freed = diesel::sql_query(
        "DELETE FROM blob WHERE hash NOT IN (SELECT recording FROM line UNION SELECT recording FROM take
         UNION SELECT model FROM cast_member
         UNION SELECT source FROM cast_member WHERE source IS NOT NULL
         UNION SELECT from_model FROM wiring_step WHERE from_model IS NOT NULL
         UNION SELECT to_model FROM wiring_step WHERE to_model IS NOT NULL
         UNION SELECT base FROM blob WHERE base IS NOT NULL
         UNION SELECT content FROM delivery
         UNION SELECT faces FROM delivery WHERE faces IS NOT NULL UNION SELECT content FROM film)",
    )
    .execute(connection)?;
    if freed > 0 {
        connection.batch_execute("PRAGMA incremental_vacuum")?;
    }
    Ok(())
}
