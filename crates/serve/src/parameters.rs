//! What stands behind the question mark of an address. A parameter that nobody takes is an error: one that is misspelt would
//! otherwise be answered as if it had not been there.

use crate::problem::Problem;
use axum::extract::{FromRequestParts, Query};
use axum::http::header;
use axum::http::request::Parts;

/// The parameters of a request.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub(crate) struct Parameters(Vec<(String, String)>);

impl<S: Send + Sync> FromRequestParts<S> for Parameters {
    type Rejection = Problem;

    async fn from_request_parts(parts: &mut Parts, state: &S) -> Result<Self, Problem> {
        let Query(list) = Query::<Vec<(String, String)>>::from_request_parts(parts, state)
            .await
            .map_err(|e| Problem::bad(format!("the parameters cannot be read: {e}")))?;
        let mut names: Vec<&str> = list.iter().map(|(name, _)| name.as_str()).collect();
        names.sort_unstable();
        match names.windows(2).find(|w| w[0] == w[1]) {
            Some(twice) => Err(Problem::of_field(twice[0], "it stands there twice; once is expected")),
            None => Ok(Parameters(list)),
        }
    }
}

impl Parameters {
    /// Takes a parameter out.
    pub(crate) fn take(&mut self, name: &str) -> Option<String> {
        let at = self.0.iter().position(|(n, _)| n == name)?;
        Some(self.0.remove(at).1)
    }

    /// Takes out those without a value.
    pub(crate) fn drop_empty(&mut self) {
        self.0.retain(|(_, value)| !value.is_empty());
    }

    /// Those that were not taken.
    pub(crate) fn rest(self) -> Vec<(String, String)> {
        self.0
    }

    /// All in their order, as an address has them.
    pub(crate) fn written(&self, but: &[&str]) -> String {
        let kept = self.0.iter().filter(|(n, _)| !but.contains(&n.as_str()));
        let each = kept.map(|(n, v)| format!("{}={}", crate::links::encoded(n), crate::links::encoded(v)));
        each.collect::<Vec<_>>().join("&")
    }

    /// That none is left.
    pub(crate) fn end(self, known: &str) -> Result<(), Problem> {
        match self.0.first() {
            Some((name, _)) => Err(Problem::of_field(name, format!("there is no such parameter here; {known}"))),
            None => Ok(()),
        }
    }
}

/// What an answer is written as.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Form {
    Json,
    Html,
}

impl Form {
    /// By the parameter `f`, else by what the request accepts.
    pub(crate) fn wanted(parameters: &mut Parameters, headers: &axum::http::HeaderMap) -> Result<Self, Problem> {
        match parameters.take("f").as_deref() {
            Some("json") => Ok(Form::Json),
            Some("html") => Ok(Form::Html),
            Some(other) => Err(Problem::of_field("f", format!("\"{other}\": json or html is expected"))),
            None => {
                let accept = headers.get(header::ACCEPT).and_then(|v| v.to_str().ok()).unwrap_or_default();
                // A browser names html first; programs name json, anything or nothing.
                let place = |kind: &str| accept.find(kind).unwrap_or(usize::MAX);
                Ok(if place("text/html") < place("json") { Form::Html } else { Form::Json })
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use axum::http::HeaderMap;

    #[test]
    fn the_form_is_what_is_asked_for() {
        let of = |f: Option<&str>, accept: &str| {
            let mut parameters = Parameters(f.map(|f| ("f".to_string(), f.to_string())).into_iter().collect());
            let headers: HeaderMap = [(header::ACCEPT, accept.parse().unwrap())].into_iter().collect();
            Form::wanted(&mut parameters, &headers).ok()
        };
        assert_eq!(of(None, "text/html,application/xhtml+xml,*/*;q=0.8"), Some(Form::Html));
        assert_eq!(of(None, "application/json, text/html;q=0.1"), Some(Form::Json));
        assert_eq!(of(None, "*/*"), Some(Form::Json));
        assert_eq!(of(Some("html"), "application/json"), Some(Form::Html));
        assert_eq!(of(Some("xml"), "*/*"), None);
    }
}
