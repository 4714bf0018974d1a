//! Answers of services, kept as they arrive in the file that keeps answers of reviews too.

use crate::Error;
use crate::addresses::review::Store;
use basilocus_services::{Answer, Question};
use rusqlite::{Connection, OptionalExtension};
use std::path::{Path, PathBuf};
use std::time::Duration;

const TABLE: &str = "
CREATE TABLE IF NOT EXISTS asked (
  service TEXT NOT NULL, key TEXT NOT NULL, question TEXT NOT NULL, asked TEXT NOT NULL, answer TEXT NOT NULL,
  PRIMARY KEY (service, key)
) WITHOUT ROWID;
";

/// The open file, for one service.
pub(super) struct Kept {
    path: PathBuf,
    connection: Connection,
    service: String,
}

impl Kept {
    /// Opens a file, or makes it.
    pub(super) fn open(path: &Path, service: &str) -> Result<Self, Error> {
        // Looks at what sort of file it is, and makes what reviews keep.
        drop(Store::open(path)?);
        let failed = |e: rusqlite::Error| Error::Store { path: path.to_path_buf(), problem: e.to_string() };
        let connection = Connection::open(path).map_err(failed)?;
        connection.busy_timeout(Duration::from_secs(10)).map_err(failed)?;
        connection.pragma_update(None, "synchronous", "FULL").map_err(failed)?;
        connection.execute_batch(TABLE).map_err(failed)?;
        Ok(Kept { path: path.to_path_buf(), connection, service: service.to_string() })
    }

    pub(super) fn path(&self) -> &Path {
        &self.path
    }

    fn failed(&self, problem: impl std::fmt::Display) -> Error {
        Error::Store { path: self.path.clone(), problem: problem.to_string() }
    }

    /// What was answered to an address on that day or later.
    pub(super) fn answer(&self, key: &str, since: Option<&str>) -> Result<Option<Answer>, Error> {
        let sql = "SELECT answer FROM asked WHERE service = ?1 AND key = ?2 AND asked >= ?3";
        let mut statement = self.connection.prepare_cached(sql).map_err(|e| self.failed(e))?;
        let text: Option<String> = statement
            .query_row((&self.service, key, since.unwrap_or("")), |r| r.get(0))
            .optional()
            .map_err(|e| self.failed(e))?;
        text.map(|t| serde_json::from_str(&t).map_err(|e| self.failed(format!("an answer is damaged: {e}"))))
            .transpose()
    }

    /// Keeps answers; they are on the disk when this returns.
    pub(super) fn keep(&mut self, answers: &[(&str, &Question, &Answer)], day: &str) -> Result<(), Error> {
        let (path, service) = (self.path.clone(), self.service.clone());
        let failed = |problem: String| Error::Store { path: path.clone(), problem };
        let transaction = self.connection.transaction().map_err(|e| failed(e.to_string()))?;
        for (key, question, answer) in answers {
            let text = serde_json::to_string(answer).map_err(|e| failed(e.to_string()))?;
            transaction
                .execute(
                    "INSERT OR REPLACE INTO asked (service, key, question, asked, answer) VALUES (?1, ?2, ?3, ?4, ?5)",
                    (&service, key, question.line(), day, text),
                )
                .map_err(|e| failed(e.to_string()))?;
        }
        transaction.commit().map_err(|e| failed(e.to_string()))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use basilocus_services::Place;

    #[test]
    fn answers_come_back_for_their_service_and_day() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("kept.sqlite");
        let place = Place { position: [-123.8, 46.2], score: "0.9".into(), ..Default::default() };
        let answer = Answer { places: vec![place] };
        let question = Question { address: "12 Heron Ln".into(), ..Default::default() };
        {
            let mut kept = Kept::open(&path, "https://tern.example").unwrap();
            kept.keep(&[("a", &question, &answer), ("b", &question, &Answer::default())], "2026-11-20").unwrap();
        }
        let kept = Kept::open(&path, "https://tern.example").unwrap();
        assert_eq!(kept.answer("a", None).unwrap(), Some(answer));
        assert_eq!(kept.answer("b", Some("2026-11-20")).unwrap(), Some(Answer::default()), "none is an answer as well");
        assert_eq!(kept.answer("a", Some("2026-11-21")).unwrap(), None, "too old");
        assert_eq!(kept.answer("c", None).unwrap(), None);
        let other = Kept::open(&path, "https://other.example").unwrap();
        assert_eq!(other.answer("a", None).unwrap(), None);
        // The same file keeps the answers of reviews.
        assert_eq!(Store::open(&path).unwrap().count().unwrap(), 0);
    }
}
