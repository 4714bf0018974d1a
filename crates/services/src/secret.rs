//! What a service wants to know of its customers. It comes from an environment variable or a file, and is never printed.

use crate::ServiceError;
use crate::web::in_address;
use std::fmt;
use std::path::Path;

/// Bytes of a file that may be a secret.
const LONGEST: usize = 16 << 10;

/// A secret, and what carries it.
#[derive(Clone, PartialEq, Eq)]
pub struct Secret {
    text: String,
    carrier: Carrier,
}

/// What carries a secret.
#[derive(Debug, Clone, PartialEq, Eq)]
enum Carrier {
    /// The usual header, as a bearer token.
    Bearer,
    /// A header of this name.
    Header(String),
    /// A parameter of this name in the address.
    Parameter(String),
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
            return Ok(Secret { text: text.to_string(), carrier: Carrier::Bearer });
        };
        Err(ServiceError::Secret { from, problem: problem.into() })
    }

    /// The same, sent as the value of a header of this name instead of as a bearer token.
    #[must_use]
    pub fn in_header(self, name: &str) -> Self {
        Secret { carrier: Carrier::Header(name.to_string()), ..self }
    }

    /// The same, sent as a parameter of this name in the address of each request.
    #[must_use]
    pub fn in_parameter(self, name: &str) -> Self {
        Secret { carrier: Carrier::Parameter(name.to_string()), ..self }
    }

    /// The header that carries it: name and value; none where a parameter does.
    pub(crate) fn header(&self) -> Option<(String, String)> {
        match &self.carrier {
            Carrier::Bearer => Some(("authorization".into(), format!("Bearer {}", self.text))),
            Carrier::Header(name) => Some((name.clone(), self.text.clone())),
            Carrier::Parameter(_) => None,
        }
    }

    /// An address with the parameter that carries it, where one does.
    pub(crate) fn in_address(&self, address: &str) -> String {
        let Carrier::Parameter(name) = &self.carrier else { return address.to_string() };
        let (address, fragment) = address.split_once('#').map_or((address, None), |(a, f)| (a, Some(f)));
        let sign = if address.contains('?') { '&' } else { '?' };
        let fragment = fragment.map(|f| format!("#{f}")).unwrap_or_default();
        format!("{address}{sign}{}={}{fragment}", in_address(name), in_address(&self.text))
    }

    /// Whether a text has it in it.
    pub(crate) fn is_in(&self, text: &str) -> bool {
        text.contains(&self.text) || text.contains(&in_address(&self.text))
    }

    /// The secret in a text that somebody will read, struck out.
    pub(crate) fn struck_out(&self, text: &str) -> String {
        text.replace(&self.text, "***").replace(&in_address(&self.text), "***")
    }
}

impl fmt::Debug for Secret {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Secret").field("carrier", &self.carrier).finish_non_exhaustive()
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
        assert_eq!(secret.header(), Some(("authorization".into(), "Bearer tern-4711".into())));
        assert_eq!(secret.clone().in_header("x-key").header(), Some(("x-key".into(), "tern-4711".into())));
        assert!(!format!("{secret:?}").contains("4711"));
        assert_eq!(secret.struck_out("key=tern-4711 refused"), "key=*** refused");
        std::fs::write(&file, "a key/4711").unwrap();
        let carried = Secret::of_file(&file).unwrap().in_parameter("key");
        assert_eq!(
            (carried.header(), carried.in_address("https://t.example/x")),
            (None, "https://t.example/x?key=a%20key%2F4711".into())
        );
        assert_eq!(carried.in_address("https://t.example/x?a=b#c"), "https://t.example/x?a=b&key=a%20key%2F4711#c");
        assert_eq!(carried.struck_out("x?key=a%20key%2F4711 a key/4711"), "x?key=*** ***");
        assert!(!format!("{carried:?}").contains("4711"));
        for bad in ["", "  \n", "a\u{7}b", "schlüssel"] {
            std::fs::write(&file, bad).unwrap();
            assert!(Secret::of_file(&file).is_err(), "{bad}");
        }
        let missing = Secret::of_variable("BASILOCUS_NO_SUCH_VARIABLE").unwrap_err().to_string();
        assert!(missing.contains("BASILOCUS_NO_SUCH_VARIABLE") && missing.contains("not set"), "{missing}");
    }
}
