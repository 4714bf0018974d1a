//! Addresses of what is served, as they are from outside: behind a proxy they begin with what the proxy is known by.

use crate::problem::Problem;
use crate::server::App;
use axum::extract::FromRequestParts;
use axum::http::header;
use axum::http::request::Parts;
use percent_encoding::{AsciiSet, NON_ALPHANUMERIC, utf8_percent_encode};
use serde_json::{Value, json};
use std::sync::Arc;

/// What all addresses begin with, without a slash at the end.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Base(pub String);

impl FromRequestParts<Arc<App>> for Base {
    type Rejection = Problem;

    async fn from_request_parts(parts: &mut Parts, app: &Arc<App>) -> Result<Self, Problem> {
        if let Some(address) = &app.public_address {
            return Ok(Base(address.clone()));
        }
        let host = parts.headers.get(header::HOST).and_then(|h| h.to_str().ok()).filter(|h| is_host(h));
        Ok(Base(host.map(|host| format!("http://{host}")).unwrap_or_default()))
    }
}

/// Whether a text is a host and a port and nothing more: it comes from whoever asks, and goes into links.
fn is_host(text: &str) -> bool {
    let is_part = |c: char| c.is_ascii_alphanumeric() || matches!(c, '.' | '-' | ':' | '[' | ']' | '_');
    !text.is_empty() && text.len() < 256 && text.chars().all(is_part)
}

impl Base {
    /// The address of a path that begins with a slash.
    pub(crate) fn to(&self, path: &str) -> String {
        format!("{}{path}", self.0)
    }

    /// A link as the standards have it.
    pub(crate) fn link(&self, path: &str, rel: &str, kind: &str, title: &str) -> Value {
        json!({"href": self.to(path), "rel": rel, "type": kind, "title": title})
    }

    /// Makes the addresses in a document whole.
    pub(crate) fn completed(&self, mut document: Value) -> Value {
        self.complete(&mut document);
        document
    }

    fn complete(&self, value: &mut Value) {
        match value {
            Value::Object(members) => {
                for (name, member) in members {
                    match member {
                        Value::String(text) if name == "href" && text.starts_with('/') => *text = self.to(text),
                        other => self.complete(other),
                    }
                }
            }
            Value::Array(list) => list.iter_mut().for_each(|v| self.complete(v)),
            _ => {}
        }
    }
}

/// All but what is unreserved in addresses (RFC 3986, 2.3).
const RESERVED: &AsciiSet = &NON_ALPHANUMERIC.remove(b'-').remove(b'.').remove(b'_').remove(b'~');

/// A part of a path, or a value of a query, so that it stays what it is.
pub(crate) fn encoded(text: &str) -> String {
    utf8_percent_encode(text, RESERVED).to_string()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn addresses_are_made_whole() {
        let base = Base("https://maps.example/tern".into());
        let document =
            base.completed(json!({"links": [{"href": "/jobs/1"}, {"href": "https://other.example/"}], "a": "/b"}));
        assert_eq!(document["links"][0]["href"], "https://maps.example/tern/jobs/1");
        assert_eq!(
            (document["links"][1]["href"].as_str(), document["a"].as_str()),
            (Some("https://other.example/"), Some("/b"))
        );
        assert_eq!(encoded("Tor & Straße/1"), "Tor%20%26%20Stra%C3%9Fe%2F1");
        for (host, is_one) in [
            ("127.0.0.1:8046", true),
            ("[::1]:80", true),
            ("a.example", true),
            ("", false),
            ("a/b", false),
            ("a\"b", false),
        ] {
            assert_eq!(is_host(host), is_one, "{host}");
        }
    }
}
