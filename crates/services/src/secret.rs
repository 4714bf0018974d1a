//! What a service wants to know of its customers. It comes from an environment variable or a file, and is never printed.

use crate::ServiceError;
use std::fmt;
use std::path::Path;

/// Bytes of a file that may be a secret.
const LONGEST: usize = 16 << 10;

/// A secret, and the header that carries it.
#[derive(Clone, PartialEq, Eq)]
pub struct Secret {
    text: String,
    header: Option<String>,
}

impl Secret {
    /// The value of an environment variable.
    ///
    /// # Errors
    /// [`ServiceError::Secret`] where it is not set, is empty or cannot stand in a header.
    pub fn of_variable(name: &str) -> Result<Self, ServiceError> {
        let from = format!("the environment variable {name}");
        match std::env::var(name) {
            Ok(text) => Secret::checked(&text, from),
            Err(std::env::VarError::NotPresent) => Err(ServiceError::Secret { from, problem: "it is not set".into() }),
            Err(_) => Err(ServiceError::Secret { from, problem: "it is not text".into() }),
        }
    }

    /// The first line of a file.
    ///
    /// # Errors
    /// [`ServiceError::Secret`] where it cannot be read, is empty or cannot stand in a header.
    pub fn of_file(path: &Path) -> Result<Self, ServiceError> {
        let from = path.display().to_string();
        let failed = |problem: String| ServiceError::Secret { from: from.clone(), problem };
        let bytes = std::fs::read(path).map_err(|e| failed(e.to_string()))?;
        if bytes.len() > LONGEST {
            return Err(failed(format!("it has {} bytes, more than any secret", bytes.len())));
        }
        let text = String::from_utf8(bytes).map_err(|_| failed("it is not text".into()))?;
        Secret::checked(text.trim_start_matches('\u{feff}').lines().next().unwrap_or_default(), from.clone())
    }

    fn checked(text: &str, from: String) -> Result<Self, ServiceError> {
        let text = text.trim();
        let problem = if text.is_empty() {
            "it is empty"
        } else if !text.bytes().all(|b| (0x20..0x7f).contains(&b)) {
            "it has characters that cannot be sent in a header"
        } else {
            return Ok(Secret { text: text.to_string(), header: None });
        };
        Err(ServiceError::Secret { from, problem: problem.into() })
    }

    /// The same, sent as the value of a header of this name instead of as a bearer token.
    #[must_use]
    pub fn in_header(self, name: &str) -> Self {
        Secret { header: Some(name.to_string()), ..self }
    }

    /// The header: name and value.
    pub(crate) fn header(&self) -> (String, String) {
        match &self.header {
            Some(name) => (name.clone(), self.text.clone()),
            None => ("authorization".into(), format!("Bearer {}", self.text)),
        }
    }

    /// The secret in a text that somebody will read, struck out.
    pub(crate) fn struck_out(&self, text: &str) -> String {
        text.replace(&self.text, "***")
    }
}

impl fmt::Debug for Secret {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Secret").field("header", &self.header).finish_non_exhaustive()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_secret_is_read_and_never_shown() {
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("key");
        std::fs::write(&file, "\u{feff}tern-4711 \r\nmore").unwrap();
        let secret = Secret::of_file(&file).unwrap();
        assert_eq!(secret.header(), ("authorization".into(), "Bearer tern-4711".into()));
        assert_eq!(secret.clone().in_header("x-key").header(), ("x-key".into(), "tern-4711".into()));
        assert!(!format!("{secret:?}").contains("4711"));
        assert_eq!(secret.struck_out("key=tern-4711 refused"), "key=*** refused");
        for bad in ["", "  \n", "a\u{7}b", "schlüssel"] {
            std::fs::write(&file, bad).unwrap();
            assert!(Secret::of_file(&file).is_err(), "{bad}");
        }
        let missing = Secret::of_variable("BASILOCUS_NO_SUCH_VARIABLE").unwrap_err().to_string();
        assert!(missing.contains("BASILOCUS_NO_SUCH_VARIABLE") && missing.contains("not set"), "{missing}");
    }
}
