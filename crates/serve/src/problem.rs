//! Errors as problem details (RFC 9457): what was wrong, where, and what was expected.

use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};
use serde_json::json;

/// A problem that is answered with.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Problem {
    pub status: StatusCode,
    /// The type of a standard, as an address; `about:blank` where the status says it all.
    pub kind: &'static str,
    pub detail: String,
    /// The parameter or the part of the body that is wrong, where it is one.
    pub field: Option<String>,
}

/// The type of an exception of OGC API - Processes.
macro_rules! exception {
    ($name:literal) => {
        concat!("http://www.opengis.net/def/exceptions/ogcapi-processes-1/1.0/", $name)
    };
}

impl Problem {
    pub(crate) fn new(status: StatusCode, detail: impl Into<String>) -> Self {
        Problem { status, kind: "about:blank", detail: detail.into(), field: None }
    }

    /// A request that cannot be used.
    pub(crate) fn bad(detail: impl Into<String>) -> Self {
        Problem::new(StatusCode::BAD_REQUEST, detail)
    }

    /// A request of which one part cannot be used.
    pub(crate) fn of_field(field: impl Into<String>, problem: impl std::fmt::Display) -> Self {
        let field = field.into();
        Problem { field: Some(field.clone()), ..Problem::bad(format!("{field}: {problem}")) }
    }

    /// Something that is not there.
    pub(crate) fn none(detail: impl Into<String>) -> Self {
        Problem::new(StatusCode::NOT_FOUND, detail)
    }

    /// Something that broke here.
    pub(crate) fn broke(detail: impl Into<String>) -> Self {
        Problem::new(StatusCode::INTERNAL_SERVER_ERROR, detail)
    }

    pub(crate) fn no_such_process(id: &str) -> Self {
        let detail = format!("there is no process \"{id}\"; /processes lists them");
        Problem { kind: exception!("no-such-process"), ..Problem::new(StatusCode::NOT_FOUND, detail) }
    }

    pub(crate) fn no_such_job(id: &str) -> Self {
        let detail = format!("there is no job \"{id}\"; /jobs lists them");
        Problem { kind: exception!("no-such-job"), ..Problem::new(StatusCode::NOT_FOUND, detail) }
    }

    pub(crate) fn result_not_ready(id: &str) -> Self {
        let detail = format!("the job \"{id}\" is not done yet; /jobs/{id} says how far it is");
        Problem { kind: exception!("result-not-ready"), ..Problem::new(StatusCode::NOT_FOUND, detail) }
    }
}

impl IntoResponse for Problem {
    fn into_response(self) -> Response {
        let mut body = json!({
            "type": self.kind,
            "title": self.status.canonical_reason().unwrap_or("problem"),
            "status": self.status.as_u16(),
            "detail": self.detail,
        });
        if let Some(field) = self.field {
            body["field"] = field.into();
        }
        (self.status, [(header::CONTENT_TYPE, "application/problem+json")], body.to_string()).into_response()
    }
}
