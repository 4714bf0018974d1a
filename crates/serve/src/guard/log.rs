//! What is written down: one JSON object a line, without addresses of people or of machines.

use crate::ServeError;
use axum::http::{Method, StatusCode};
use serde_json::{Value, json};
use std::fs::OpenOptions;
use std::io::Write;
use std::path::PathBuf;
use std::sync::{Mutex, PoisonError};
use std::time::Duration;

/// Where it is written down.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub enum LogTo {
    /// On standard error, and only what goes wrong here.
    #[default]
    Problems,
    /// On standard error.
    StandardError,
    /// At the end of a file.
    File(PathBuf),
}

/// An open log.
pub(crate) struct Log {
    out: Mutex<Box<dyn Write + Send>>,
    only_problems: bool,
}

impl Log {
    pub(crate) fn open(to: &LogTo) -> Result<Self, ServeError> {
        let out: Box<dyn Write + Send> = match to {
            LogTo::Problems | LogTo::StandardError => Box::new(std::io::stderr()),
            LogTo::File(file) => {
                let opened = OpenOptions::new().create(true).append(true).open(file);
                Box::new(opened.map_err(|problem| ServeError::Log { file: file.clone(), problem })?)
            }
        };
        Ok(Log { out: Mutex::new(out), only_problems: *to == LogTo::Problems })
    }

    fn line(&self, mut fields: Value) {
        fields["time"] = jiff::Timestamp::now().strftime("%Y-%m-%dT%H:%M:%S%.3fZ").to_string().into();
        let mut out = self.out.lock().unwrap_or_else(PoisonError::into_inner);
        // A log that cannot be written is no reason not to answer.
        let _ = writeln!(out, "{fields}");
    }

    /// A request.
    pub(crate) fn request(&self, method: &Method, place: &str, status: StatusCode, took: Duration) {
        if !self.only_problems || status.is_server_error() {
            let ms = (took.as_secs_f64() * 1e5).round() / 100.0;
            self.line(json!({"event": "request", "method": method.as_str(), "route": place, "status": status.as_u16(), "ms": ms}));
        }
    }

    /// Something else that happened.
    pub(crate) fn event(&self, event: &str, words: &str) {
        self.line(json!({"event": event, "message": words}));
    }
}
