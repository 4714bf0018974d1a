//! Answers, and what a run found, in a small SQLite file.

use super::{Known, Record, StoredAnswer};
use crate::Error;
use basilocus_address::Text;
use basilocus_table::Reason;
use rusqlite::{Connection, OptionalExtension, Row, Statement, ToSql};
use std::path::{Path, PathBuf};
use std::sync::{Mutex, MutexGuard, PoisonError};

const VERSION: i64 = 2;
/// The version before, which lacks the radius.
const WITHOUT_RADIUS: i64 = 1;

const TABLES: &str = "
CREATE TABLE IF NOT EXISTS answer (
  key TEXT PRIMARY KEY, answer TEXT NOT NULL, answered TEXT NOT NULL, level TEXT, confidence INTEGER, lon REAL, lat REAL,
  address TEXT, changes TEXT, locality TEXT, region TEXT, parent TEXT, postcode TEXT, extension TEXT, class TEXT, reason TEXT, radius_m REAL
) WITHOUT ROWID;
CREATE TABLE IF NOT EXISTS found (
  key TEXT PRIMARY KEY, level TEXT, confidence INTEGER, lon REAL, lat REAL, address TEXT, changes TEXT, locality TEXT,
  region TEXT, parent TEXT, postcode TEXT, extension TEXT, class TEXT, reason TEXT, radius_m REAL
) WITHOUT ROWID;
CREATE TABLE IF NOT EXISTS run (fingerprint TEXT NOT NULL);
";

const COLUMNS: &str = "level, confidence, lon, lat, address, changes, locality, region, parent, postcode, extension, class, reason, radius_m";

/// The places of their values in a statement.
const VALUES: &str = "?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10, ?11, ?12, ?13, ?14";

/// The answers that a file keeps, by address.
///
/// # Errors
/// Where the file cannot be read.
pub fn answers_of(path: &Path) -> Result<Vec<StoredAnswer>, Error> {
    let store = Store::open(path)?;
    let connection = store.connection();
    let failed = |e: rusqlite::Error| store.error(e);
    let mut statement =
        connection.prepare("SELECT key, answer, answered, address FROM answer ORDER BY key").map_err(failed)?;
    let rows = statement
        .query_map([], |r| {
            let key: String = r.get(0)?;
            let asked: Vec<&str> = key.split('\u{1f}').filter(|f| !f.is_empty()).collect();
            Ok(StoredAnswer {
                asked: asked.join(", "),
                answer: r.get(1)?,
                answered: r.get(2)?,
                address: r.get::<_, Option<String>>(3)?.unwrap_or_default(),
            })
        })
        .map_err(failed)?;
    rows.collect::<Result<_, _>>().map_err(failed)
}

/// An open file.
pub(crate) struct Store {
    path: PathBuf,
    connection: Mutex<Connection>,
}

impl Store {
    /// Opens a file, or makes it.
    pub(crate) fn open(path: &Path) -> Result<Self, Error> {
        let failed = |e: rusqlite::Error| Error::Store { path: path.to_path_buf(), problem: e.to_string() };
        let connection = Connection::open(path).map_err(failed)?;
        let version: i64 = connection.pragma_query_value(None, "user_version", |r| r.get(0)).map_err(failed)?;
        let tables: i64 =
            connection.query_row("SELECT count(*) FROM sqlite_master", [], |r| r.get(0)).map_err(failed)?;
        if version == WITHOUT_RADIUS && tables > 0 {
            let added = "ALTER TABLE answer ADD COLUMN radius_m REAL; ALTER TABLE found ADD COLUMN radius_m REAL;";
            connection.execute_batch(added).map_err(failed)?;
        } else if version != VERSION && tables > 0 {
            return Err(Error::Store {
                path: path.to_path_buf(),
                problem: "is a database of another sort; name a file of its own for the answers".into(),
            });
        }
        connection.pragma_update(None, "journal_mode", "WAL").map_err(failed)?;
        connection.pragma_update(None, "synchronous", "NORMAL").map_err(failed)?;
        connection.execute_batch(TABLES).map_err(failed)?;
        connection.pragma_update(None, "user_version", VERSION).map_err(failed)?;
        Ok(Store { path: path.to_path_buf(), connection: Mutex::new(connection) })
    }

    /// The file.
    pub(crate) fn path(&self) -> &Path {
        &self.path
    }

    fn connection(&self) -> MutexGuard<'_, Connection> {
        self.connection.lock().unwrap_or_else(PoisonError::into_inner)
    }

    fn error(&self, e: rusqlite::Error) -> Error {
        Error::Store { path: self.path.clone(), problem: e.to_string() }
    }

    /// What was answered for an address, and on which day.
    pub(crate) fn answer(&self, key: &str) -> Result<Option<(Known, String)>, Error> {
        let sql = format!("SELECT {COLUMNS}, answered FROM answer WHERE key = ?1");
        let connection = self.connection();
        let mut statement = connection.prepare_cached(&sql).map_err(|e| self.error(e))?;
        statement.query_row([key], |r| Ok((known(r)?, r.get(14)?))).optional().map_err(|e| self.error(e))
    }

    /// How many answers there are.
    pub(crate) fn count(&self) -> Result<u64, Error> {
        let n: i64 =
            self.connection().query_row("SELECT count(*) FROM answer", [], |r| r.get(0)).map_err(|e| self.error(e))?;
        Ok(n as u64)
    }

    /// Keeps answers: key, what was typed, what it came to.
    pub(crate) fn keep(&self, answers: &[(String, String, Known)], day: &str) -> Result<(), Error> {
        let mut connection = self.connection();
        let failed = |e| self.error(e);
        let transaction = connection.transaction().map_err(failed)?;
        {
            let sql = format!(
                "INSERT OR REPLACE INTO answer ({COLUMNS}, key, answer, answered) VALUES ({VALUES}, ?15, ?16, ?17)"
            );
            let mut statement = transaction.prepare(&sql).map_err(failed)?;
            for (key, answer, known) in answers {
                bind(&mut statement, known)
                    .and_then(|()| statement.raw_bind_parameter(15, key))
                    .and_then(|()| statement.raw_bind_parameter(16, answer))
                    .and_then(|()| statement.raw_bind_parameter(17, day))
                    .and_then(|()| statement.raw_execute())
                    .map_err(failed)?;
            }
        }
        transaction.commit().map_err(failed)
    }

    /// Begins to keep what a run finds, in place of what an earlier one found.
    pub(crate) fn start_run(&self, fingerprint: &str) -> Result<(), Error> {
        let failed = |e| self.error(e);
        let connection = self.connection();
        connection.execute_batch("BEGIN; DELETE FROM found; DELETE FROM run").map_err(failed)?;
        connection.execute("INSERT INTO run (fingerprint) VALUES (?1)", [fingerprint]).map_err(failed)?;
        Ok(())
    }

    /// Keeps what was found for addresses; the first of equal addresses counts.
    pub(crate) fn add_found(&self, found: &[(String, Known)]) -> Result<(), Error> {
        let failed = |e| self.error(e);
        let sql = format!("INSERT OR IGNORE INTO found ({COLUMNS}, key) VALUES ({VALUES}, ?15)");
        let connection = self.connection();
        let mut statement = connection.prepare_cached(&sql).map_err(failed)?;
        for (key, known) in found {
            bind(&mut statement, known)
                .and_then(|()| statement.raw_bind_parameter(15, key))
                .and_then(|()| statement.raw_execute())
                .map_err(failed)?;
        }
        Ok(())
    }

    /// Ends keeping what a run finds.
    pub(crate) fn end_run(&self) -> Result<(), Error> {
        self.connection().execute_batch("COMMIT").map_err(|e| self.error(e))
    }

    /// Whether what is kept was found by a run with this fingerprint.
    pub(crate) fn is_of(&self, fingerprint: &str) -> Result<bool, Error> {
        let found: Option<String> = self
            .connection()
            .query_row("SELECT fingerprint FROM run", [], |r| r.get(0))
            .optional()
            .map_err(|e| self.error(e))?;
        Ok(found.as_deref() == Some(fingerprint))
    }

    /// What a run found for an address.
    pub(crate) fn found(&self, key: &str) -> Result<Option<Known>, Error> {
        let sql = format!("SELECT {COLUMNS} FROM found WHERE key = ?1");
        let connection = self.connection();
        let mut statement = connection.prepare_cached(&sql).map_err(|e| self.error(e))?;
        statement.query_row([key], known).optional().map_err(|e| self.error(e))
    }
}

/// Gives a statement the values of [`COLUMNS`], its first fourteen parameters.
fn bind(statement: &mut Statement, known: &Known) -> rusqlite::Result<()> {
    let nothing = Record::default();
    let (r, class, reason) = match known {
        Known::Placed(r) => (&**r, None, None),
        Known::Aside { class, reason } => (&nothing, Some(class), Some(reason)),
    };
    let values: [&dyn ToSql; 14] = [
        &r.level.as_str(),
        &r.confidence,
        &r.lon,
        &r.lat,
        &r.address,
        &r.changes,
        &r.locality.as_str(),
        &r.region.as_str(),
        &r.parent.as_str(),
        &r.postcode.as_str(),
        &r.extension.as_str(),
        &class.map(Reason::as_str),
        &reason,
        &r.radius_m,
    ];
    values.iter().enumerate().try_for_each(|(i, v)| statement.raw_bind_parameter(i + 1, v))
}

/// What the values of [`COLUMNS`] tell.
fn known(r: &Row) -> rusqlite::Result<Known> {
    if let Some(class) = r.get::<_, Option<String>>(11)? {
        return Ok(Known::Aside { class: Reason::named(class), reason: r.get(12)? });
    }
    let text = |at: usize| -> rusqlite::Result<Text> { Ok(r.get_ref(at)?.as_str()?.into()) };
    Ok(Known::Placed(Box::new(Record {
        level: text(0)?,
        confidence: r.get(1)?,
        lon: r.get(2)?,
        lat: r.get(3)?,
        address: r.get(4)?,
        changes: r.get(5)?,
        locality: text(6)?,
        region: text(7)?,
        parent: text(8)?,
        postcode: text(9)?,
        extension: text(10)?,
        radius_m: r.get(13)?,
    })))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn placed(lon: f64) -> Known {
        Known::Placed(Box::new(Record {
            level: "address point".into(),
            confidence: 97,
            lon,
            lat: 46.2,
            radius_m: Some(30.0),
            ..Default::default()
        }))
    }

    #[test]
    fn a_file_of_the_version_before_is_taken_on() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("answers.sqlite");
        let old = Connection::open(&path).unwrap();
        old.execute_batch(&TABLES.replace(", radius_m REAL", "")).unwrap();
        old.execute_batch(
            "INSERT INTO answer (key, answer, answered, level, confidence, lon, lat, address, changes, locality, region,
             parent, postcode, extension) VALUES ('a', '1', '2026-11-25', 'street', 90, 1, 2, '', '', '', '', '', '', '')",
        )
        .unwrap();
        old.pragma_update(None, "user_version", WITHOUT_RADIUS).unwrap();
        drop(old);
        for _ in 0..2 {
            let store = Store::open(&path).unwrap();
            let Some((Known::Placed(record), _)) = store.answer("a").unwrap() else { panic!("placed") };
            assert_eq!((record.level.as_str(), record.radius_m), ("street", None));
        }
    }

    #[test]
    fn answers_and_findings_come_back() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("answers.sqlite");
        let store = Store::open(&path).unwrap();
        let none = Known::Aside { class: Reason::new("no such address"), reason: "answered none".into() };
        store
            .keep(&[("a".into(), "2".into(), placed(-123.8)), ("b".into(), "none".into(), none.clone())], "2026-11-25")
            .unwrap();
        store.start_run("f1").unwrap();
        store.add_found(&[("c".into(), placed(-123.5)), ("c".into(), placed(0.0))]).unwrap();
        store.end_run().unwrap();
        drop(store);
        let store = Store::open(&path).unwrap();
        assert_eq!(store.answer("a").unwrap(), Some((placed(-123.8), "2026-11-25".into())));
        assert_eq!(store.answer("b").unwrap().map(|(k, _)| k), Some(none));
        assert_eq!(store.answer("z").unwrap(), None);
        assert_eq!(store.found("c").unwrap(), Some(placed(-123.5)), "the first of equal addresses counts");
        assert!(store.is_of("f1").unwrap() && !store.is_of("f2").unwrap());
        assert_eq!(store.count().unwrap(), 2);
        assert_eq!(answers_of(&path).unwrap()[1].answer, "none");
    }

    #[test]
    fn another_database_is_left_alone() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("other.sqlite");
        Connection::open(&path).unwrap().execute_batch("CREATE TABLE gates (id INTEGER)").unwrap();
        let message = Store::open(&path).err().unwrap().to_string();
        assert!(message.contains("another sort"), "{message}");
    }
}
