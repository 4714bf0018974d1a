//! The rows of earlier turns, on the disk.

use crate::Error;
use rusqlite::Connection;
use serde_json::{Map, Value};
use std::path::{Path, PathBuf};
use std::time::Duration;

/// Marks the file as one of kept rows ("BKPT").
const APPLICATION: i64 = 0x424b_5054;

const TABLES: &str = "
CREATE TABLE IF NOT EXISTS about (name TEXT PRIMARY KEY, value TEXT NOT NULL) WITHOUT ROWID;
CREATE TABLE IF NOT EXISTS row (
  place INTEGER NOT NULL, key TEXT PRIMARY KEY, number INTEGER NOT NULL, day TEXT NOT NULL, cells TEXT NOT NULL
) WITHOUT ROWID;
";

/// A row that is kept.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct KeptRow {
    pub key: String,
    /// Its number in the turn that it came from.
    pub number: u64,
    /// Its cells by the names of columns.
    pub cells: Map<String, Value>,
}

/// The open file.
pub(super) struct KeptFile {
    path: PathBuf,
    connection: Connection,
}

impl KeptFile {
    /// Opens a file, or makes it.
    pub(super) fn open(path: &Path) -> Result<Self, Error> {
        let failed = |e: rusqlite::Error| Error::Store { path: path.to_path_buf(), problem: e.to_string() };
        let connection = Connection::open(path).map_err(failed)?;
        connection.busy_timeout(Duration::from_secs(10)).map_err(failed)?;
        let application: i64 = connection.pragma_query_value(None, "application_id", |r| r.get(0)).map_err(failed)?;
        let tables: i64 =
            connection.query_row("SELECT count(*) FROM sqlite_master", [], |r| r.get(0)).map_err(failed)?;
        if application != APPLICATION && tables > 0 {
            let problem = "is a database of another sort; name a file of its own for the kept rows".into();
            return Err(Error::Store { path: path.to_path_buf(), problem });
        }
        connection.pragma_update(None, "application_id", APPLICATION).map_err(failed)?;
        connection.execute_batch(TABLES).map_err(failed)?;
        Ok(KeptFile { path: path.to_path_buf(), connection })
    }

    pub(super) fn path(&self) -> &Path {
        &self.path
    }

    fn failed(&self, problem: impl std::fmt::Display) -> Error {
        Error::Store { path: self.path.clone(), problem: problem.to_string() }
    }

    /// The rows in their order.
    ///
    /// # Errors
    /// Where the file is damaged, and where its rows are in another system.
    pub(super) fn rows(&self, crs: &str) -> Result<Vec<KeptRow>, Error> {
        let failed = |e: rusqlite::Error| self.failed(e);
        let mut statement =
            self.connection.prepare("SELECT key, number, cells FROM row ORDER BY place").map_err(failed)?;
        let mut rows = statement.query([]).map_err(failed)?;
        let mut out = Vec::new();
        while let Some(row) = rows.next().map_err(failed)? {
            let cells: String = row.get(2).map_err(failed)?;
            let cells = serde_json::from_str(&cells).map_err(|e| self.failed(format!("a row is damaged: {e}")))?;
            let number: i64 = row.get(1).map_err(failed)?;
            out.push(KeptRow { key: row.get(0).map_err(failed)?, number: number as u64, cells });
        }
        let mut about = self.connection.prepare("SELECT value FROM about WHERE name = 'system'").map_err(failed)?;
        let mut said = about.query([]).map_err(failed)?;
        let before: Option<String> = said.next().map_err(failed)?.map(|r| r.get(0)).transpose().map_err(failed)?;
        match before {
            Some(before) if before != crs && !out.is_empty() => Err(self.failed(format!(
                "its rows are in the system \"{before}\", and those of this turn in \"{crs}\"; name another file with `kept`"
            ))),
            _ => Ok(out),
        }
    }

    /// Keeps rows in place of those that are there.
    pub(super) fn keep(&mut self, rows: &[KeptRow], crs: &str, day: &str) -> Result<(), Error> {
        let path = self.path.clone();
        let failed = |problem: String| Error::Store { path: path.clone(), problem };
        let done = (|| -> rusqlite::Result<()> {
            let transaction = self.connection.transaction()?;
            transaction.execute("INSERT OR REPLACE INTO about (name, value) VALUES ('system', ?1)", [crs])?;
            {
                // What is as it was keeps its day; nothing is written of it.
                let mut statement = transaction.prepare(
                    "INSERT INTO row (place, key, number, day, cells) VALUES (?1, ?2, ?3, ?4, ?5)
                     ON CONFLICT (key) DO UPDATE SET place = ?1, number = ?3, day = ?4, cells = ?5
                     WHERE cells <> ?5 OR place <> ?1",
                )?;
                for (place, row) in rows.iter().enumerate() {
                    let cells = Value::Object(row.cells.clone()).to_string();
                    statement.execute((place as i64, &row.key, row.number as i64, day, cells))?;
                }
            }
            transaction.commit()
        })();
        done.map_err(|e| failed(e.to_string()))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    fn row(key: &str, stage: f64) -> KeptRow {
        let cells = json!({"gauge": key, "stage": stage}).as_object().unwrap().clone();
        KeptRow { key: key.into(), number: 2, cells }
    }

    #[test]
    fn rows_come_back_in_their_order() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("kept.sqlite");
        let rows = [row("B", 0.1), row("A", f64::MAX), row("C", 1e-300)];
        KeptFile::open(&path).unwrap().keep(&rows, "EPSG:4326", "2026-11-27").unwrap();
        let mut kept = KeptFile::open(&path).unwrap();
        assert_eq!(kept.rows("EPSG:4326").unwrap(), rows);
        assert!(kept.rows("EPSG:2269").unwrap_err().to_string().contains("EPSG:2269"));
        let changed = [row("B", 0.2), row("A", f64::MAX), row("C", 1e-300), row("D", 4.0)];
        kept.keep(&changed, "EPSG:4326", "2026-11-28").unwrap();
        assert_eq!(kept.rows("EPSG:4326").unwrap(), changed);
        let days: Vec<String> = kept
            .connection
            .prepare("SELECT day FROM row ORDER BY place")
            .unwrap()
            .query_map([], |r| r.get(0))
            .unwrap()
            .map(Result::unwrap)
            .collect();
        assert_eq!(days, ["2026-11-28", "2026-11-27", "2026-11-27", "2026-11-28"]);
    }

    #[test]
    fn another_database_is_left_alone() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("other.sqlite");
        Connection::open(&path).unwrap().execute_batch("CREATE TABLE gates (id INTEGER)").unwrap();
        assert!(KeptFile::open(&path).err().unwrap().to_string().contains("another sort"));
    }
}
