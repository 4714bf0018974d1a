//! What stands before everything that is served: who may ask and how often, what is counted and what is written down.

mod body;
mod clients;
mod conditional;
mod hosts;
mod log;
mod metrics;
mod tokens;

pub(crate) use body::{MOST_BYTES, within_limit};
pub(crate) use clients::Clients;
pub(crate) use conditional::conditional;
pub(crate) use hosts::Hosts;
pub(crate) use log::Log;
pub use log::LogTo;
pub(crate) use metrics::Metrics;
pub(crate) use tokens::Tokens;

use crate::problem::Problem;
use crate::server::App;
use axum::extract::{ConnectInfo, MatchedPath, Request, State};
use axum::http::{HeaderValue, Method, StatusCode, header};
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};
use std::net::SocketAddr;
use std::path::PathBuf;
use std::sync::Arc;
use std::time::Instant;
use tower_http::cors::{AllowOrigin, CorsLayer};

/// Who may ask, how often, and what is written down of it.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Guard {
    /// A file of tokens, one a line, one of which a request has to bear; anybody may ask where there is none.
    pub tokens: Option<PathBuf>,
    /// Requests that a client may make in a second.
    pub rate: Option<u32>,
    /// Origins whose pages may ask from a browser; `*` for any.
    pub origins: Vec<String>,
    /// What is written down.
    pub log: LogTo,
}

/// Lets pages of other origins ask; nothing where none may.
pub(crate) fn cross_origin(origins: &[String]) -> Option<CorsLayer> {
    if origins.is_empty() {
        return None;
    }
    let allowed = match origins.iter().any(|o| o == "*") {
        true => AllowOrigin::any(),
        false => AllowOrigin::list(origins.iter().filter_map(|o| HeaderValue::from_str(o).ok())),
    };
    let methods = [Method::GET, Method::POST, Method::DELETE];
    let headers = [header::ACCEPT, header::AUTHORIZATION, header::CONTENT_TYPE, header::IF_NONE_MATCH];
    Some(CorsLayer::new().allow_origin(allowed).allow_methods(methods).allow_headers(headers))
}

/// Lets through who may ask.
pub(crate) async fn admit(State(app): State<Arc<App>>, request: Request, next: Next) -> Response {
    let host = request.headers().get(header::HOST).map(|h| h.to_str().unwrap_or_default());
    if host.is_some_and(|host| !app.hosts.takes(host)) {
        let detail = "this server answers to this machine alone, under its own address; a proxy before it is named with --public-address";
        return Problem::new(StatusCode::MISDIRECTED_REQUEST, detail).into_response();
    }
    if let Some(tokens) = &app.tokens {
        let borne = request.headers().get(header::AUTHORIZATION).and_then(|v| v.to_str().ok());
        let token = borne.and_then(|v| v.split_once(' ')).filter(|(scheme, _)| scheme.eq_ignore_ascii_case("bearer"));
        if !token.is_some_and(|(_, token)| tokens.has(token.trim())) {
            let detail = "a token is expected: Authorization: Bearer …";
            let mut response = Problem::new(StatusCode::UNAUTHORIZED, detail).into_response();
            response.headers_mut().insert(header::WWW_AUTHENTICATE, HeaderValue::from_static("Bearer"));
            return response;
        }
    }
    let client = request.extensions().get::<ConnectInfo<SocketAddr>>().map(|c| c.0.ip());
    if let (Some(clients), Some(client)) = (&app.clients, client)
        && let Err(wait_s) = clients.come(client, Instant::now())
    {
        let detail = format!("more requests than are served in a second; come again in {wait_s} s");
        let mut response = Problem::new(StatusCode::TOO_MANY_REQUESTS, detail).into_response();
        response.headers_mut().insert(header::RETRY_AFTER, HeaderValue::from(wait_s));
        return response;
    }
    next.run(request).await
}

/// Counts a request, and writes it down: where it went by the pattern of its address, never what was asked, as that may be
/// where somebody lives.
pub(crate) async fn watch(State(app): State<Arc<App>>, request: Request, next: Next) -> Response {
    let begun = Instant::now();
    let method = request.method().clone();
    let matched = request.extensions().get::<MatchedPath>().map(|p| p.as_str().to_string());
    let place = matched.unwrap_or_else(|| "other".into());
    let mut response = next.run(request).await;
    // What is text is never taken for a page.
    response.headers_mut().insert(header::X_CONTENT_TYPE_OPTIONS, HeaderValue::from_static("nosniff"));
    let took = begun.elapsed();
    app.metrics.count(&method, &place, response.status(), took);
    app.log.request(&method, &place, response.status(), took);
    response
}
