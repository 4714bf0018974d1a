//! Answers of services, kept as they arrive in the file that keeps answers of reviews too.

use super::Store;
use crate::Error;
use crate::engine::Settling;
use basilocus_services::asking::Outcome;
use basilocus_services::{Account, Asking};
use basilocus_table::counted::counted;
use rusqlite::{Connection, OptionalExtension};
use serde::Serialize;
use std::path::{Path, PathBuf};
use std::time::{Duration, Instant};

const TABLE: &str = "
CREATE TABLE IF NOT EXISTS asked (
  service TEXT NOT NULL, key TEXT NOT NULL, question TEXT NOT NULL, asked TEXT NOT NULL, answer TEXT NOT NULL,
  PRIMARY KEY (service, key)
) WITHOUT ROWID;
";

/// The open file, for one service.
pub(crate) struct Asked {
    path: PathBuf,
    connection: Connection,
    service: String,
}

/// An answer to keep: by what it is found again, the question in words, the answer as JSON.
type Answered = (String, String, String);

/// The file that keeps the answers of services, beside an output.
pub(crate) fn beside(output: &Path) -> PathBuf {
    crate::paths::beside(output, "service.sqlite")
}

/// What asking came to, in words. `asked` is what was asked, with its verb.
pub(crate) fn account_in_words(asked: &str, of: &str, account: &Account, from_before: usize, file: &Path) -> String {
    let mut words = format!("{asked} asked of {of}, in {}", counted(account.requests, "request"));
    if account.again > 0 {
        words.push_str(&format!(", {} of them tried again", account.again));
    }
    if from_before > 0 {
        words.push_str(&format!("; {} from before, kept in {}", counted(from_before as u64, "answer"), file.display()));
    }
    if account.refused > 0 {
        words.push_str(&format!("; {} refused", account.refused));
    }
    words
}

/// How far asking is, in words for a progress bar: requests and what is left of the quota, answers from before, how many a
/// minute.
fn progress_in_words(account: &Account, quota: Option<u64>, from_before: usize, took: Duration) -> String {
    let mut words = counted(account.requests, "request");
    if let Some(quota) = quota {
        words.push_str(&format!(", {} left", quota.saturating_sub(account.requests)));
    }
    if from_before > 0 {
        words.push_str(&format!(", {} from before", from_before));
    }
    let minutes = took.as_secs_f64() / 60.0;
    if minutes > 0.0 {
        words.push_str(&format!(", {:.0} a minute", (account.answered + account.refused) as f64 / minutes));
    }
    words
}

impl Asked {
    /// Opens a file, or makes it.
    pub(crate) fn open(path: &Path, service: &str) -> Result<Self, Error> {
        // Looks at what sort of file it is, and makes what reviews keep.
        drop(Store::open(path)?);
        let failed = |e: rusqlite::Error| Error::Store { path: path.to_path_buf(), problem: e.to_string() };
        let connection = Connection::open(path).map_err(failed)?;
        connection.busy_timeout(Duration::from_secs(10)).map_err(failed)?;
        connection.pragma_update(None, "synchronous", "FULL").map_err(failed)?;
        connection.execute_batch(TABLE).map_err(failed)?;
        Ok(Asked { path: path.to_path_buf(), connection, service: service.to_string() })
    }

    pub(crate) fn path(&self) -> &Path {
        &self.path
    }

    /// Says that the file is not as it should be.
    pub(crate) fn failed(&self, problem: impl std::fmt::Display) -> Error {
        Error::Store { path: self.path.clone(), problem: problem.to_string() }
    }

    /// What was answered on that day or later, as JSON.
    pub(crate) fn answer(&self, key: &str, since: Option<&str>) -> Result<Option<String>, Error> {
        let sql = "SELECT answer FROM asked WHERE service = ?1 AND key = ?2 AND asked >= ?3";
        let mut statement = self.connection.prepare_cached(sql).map_err(|e| self.failed(e))?;
        statement
            .query_row((&self.service, key, since.unwrap_or("")), |r| r.get(0))
            .optional()
            .map_err(|e| self.failed(e))
    }

    /// Asks what is not kept, and keeps every answer before the next request is sent. `each` is told what became of a question,
    /// by its place, when that is on the disk; `words` say what was asked.
    pub(crate) fn ask<Q: Clone + Sync, A: Send + Serialize>(
        &mut self,
        asking: &Asking<Q, A>,
        open: &[(String, Q)],
        words: &dyn Fn(&Q) -> String,
        (day, from_before): (&str, usize),
        setting: &Settling,
        each: &mut dyn FnMut(usize, Outcome<A>),
    ) -> Result<Account, Error> {
        let questions: Vec<Q> = open.iter().map(|(_, question)| question.clone()).collect();
        setting.progress.start(setting.layer, "asking the service", questions.len() as u64);
        let begun = Instant::now();
        let tell = |account: &Account| {
            setting.progress.tell(&progress_in_words(account, asking.manner.quota, from_before, begun.elapsed()));
        };
        let account = asking.run_telling(
            &questions,
            &mut |outcomes| {
                let mut new = Vec::new();
                for (at, answer) in outcomes.iter().filter_map(|(at, outcome)| Some((*at, outcome.as_ref().ok()?))) {
                    let text = serde_json::to_string(answer).map_err(|e| self.failed(e))?;
                    new.push((open[at].0.clone(), words(&open[at].1), text));
                }
                self.keep(&new, day)?;
                setting.progress.advance(outcomes.len() as u64, outcomes.len() as u64);
                outcomes.into_iter().for_each(|(at, outcome)| each(at, outcome));
                Ok::<(), Error>(())
            },
            &tell,
        )?;
        setting.progress.finish();
        Ok(account)
    }

    /// Keeps answers; they are on the disk when this returns.
    fn keep(&mut self, answers: &[Answered], day: &str) -> Result<(), Error> {
        let (path, service) = (self.path.clone(), self.service.clone());
        let done = (|| -> rusqlite::Result<()> {
            let transaction = self.connection.transaction()?;
            for (key, question, answer) in answers {
                transaction.execute(
                    "INSERT OR REPLACE INTO asked (service, key, question, asked, answer) VALUES (?1, ?2, ?3, ?4, ?5)",
                    (&service, key, question, day, answer),
                )?;
            }
            transaction.commit()
        })();
        done.map_err(|e| Error::Store { path, problem: e.to_string() })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn progress_says_what_is_paid_for() {
        let account = Account { requests: 12, answered: 590, refused: 10, ..Default::default() };
        let words = progress_in_words(&account, Some(100), 40, Duration::from_secs(30));
        assert_eq!(words, "12 requests, 88 left, 40 from before, 1200 a minute");
        assert_eq!(progress_in_words(&Account::default(), None, 0, Duration::ZERO), "0 requests");
    }

    #[test]
    fn answers_come_back_for_their_service_and_day() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("kept.sqlite");
        let answered = |key: &str, answer: &str| (key.to_string(), "12 Heron Ln".to_string(), answer.to_string());
        {
            let mut asked = Asked::open(&path, "https://tern.example").unwrap();
            asked.keep(&[answered("a", "[1]"), answered("b", "[]")], "2026-11-20").unwrap();
        }
        let asked = Asked::open(&path, "https://tern.example").unwrap();
        assert_eq!(asked.answer("a", None).unwrap().as_deref(), Some("[1]"));
        assert_eq!(asked.answer("b", Some("2026-11-20")).unwrap().as_deref(), Some("[]"), "none is an answer as well");
        assert_eq!(asked.answer("a", Some("2026-11-21")).unwrap(), None, "too old");
        assert_eq!(asked.answer("c", None).unwrap(), None);
        let other = Asked::open(&path, "https://other.example").unwrap();
        assert_eq!(other.answer("a", None).unwrap(), None);
        // The same file keeps the answers of reviews.
        assert_eq!(Store::open(&path).unwrap().count().unwrap(), 0);
    }
}
