//! What is served where, until somebody ends it.

use crate::geocoder::Geocoder;
use crate::problem::Problem;
use crate::processes::{self, Jobs};
use crate::stand_in::{Faults, Faulty, feed, pass};
use crate::{ServeError, heights, openls};
use axum::extract::{DefaultBodyLimit, State};
use axum::http::StatusCode;
use axum::routing::{get, post};
use axum::{Json, Router, middleware};
use basilocus::terrain::HeightLookup;
use serde_json::{Value, json};
use std::net::SocketAddr;
use std::path::PathBuf;
use std::sync::Arc;
use std::time::Duration;

/// Bytes that a request may have.
const MOST_BYTES: usize = 8 << 20;
/// How often it is asked whether to end.
const LOOK_AROUND: Duration = Duration::from_millis(50);

/// What is served.
#[derive(Debug, Clone)]
pub struct Options {
    /// Where it is listened; port 0 takes one that is free.
    pub listen: SocketAddr,
    /// Address references, as `reference build` writes them.
    pub references: Vec<PathBuf>,
    /// A grid of heights, such as a GeoTIFF that carries its system.
    pub heights: Option<PathBuf>,
    /// How long the readings of the feed of gauges stay as they are, where that is served.
    pub feed: Option<Duration>,
    /// How a stand-in behaves; nothing for a service that does its best.
    pub faults: Option<Faults>,
}

/// What all requests share.
pub(crate) struct App {
    /// Where addresses are found, where references are served.
    geocoder: Option<Geocoder>,
    /// Heights at positions, where a grid is served.
    pub heights: Option<HeightLookup>,
    pub feed: Option<Duration>,
    pub jobs: Jobs,
    pub faulty: Option<Faulty>,
}

impl App {
    /// Where addresses are found.
    pub(crate) fn geocoder(&self) -> Result<&Geocoder, Problem> {
        self.geocoder.as_ref().ok_or_else(|| Problem::new(StatusCode::NOT_FOUND, "no address reference is served here"))
    }
}

/// Serves until `ends` says true. `ready` is told the address that is listened at, once requests are taken.
///
/// ```
/// use basilocus_serve::{Options, ServeError, serve};
///
/// let options = Options { listen: ([127, 0, 0, 1], 0).into(), references: vec![], heights: None, feed: None, faults: None };
/// assert!(matches!(serve(&options, |_| {}, || true), Err(ServeError::Nothing)));
/// ```
///
/// # Errors
/// [`ServeError`] where nothing can be served, or where the server breaks off.
pub fn serve(
    options: &Options,
    ready: impl FnOnce(SocketAddr),
    ends: impl Fn() -> bool + Send + Sync + 'static,
) -> Result<(), ServeError> {
    if options.references.is_empty() && options.feed.is_none() && options.heights.is_none() {
        return Err(ServeError::Nothing);
    }
    let app = App {
        geocoder: Geocoder::open(&options.references)?,
        heights: options.heights.as_deref().map(HeightLookup::open).transpose()?,
        feed: options.feed,
        jobs: Jobs::default(),
        faulty: options.faults.map(Faulty::new),
    };
    let runtime = tokio::runtime::Builder::new_multi_thread().enable_all().build()?;
    runtime.block_on(async {
        let listen = |problem| ServeError::Listen { address: options.listen, problem };
        let listener = tokio::net::TcpListener::bind(options.listen).await.map_err(listen)?;
        ready(listener.local_addr()?);
        let end = async move {
            while !ends() {
                tokio::time::sleep(LOOK_AROUND).await;
            }
        };
        axum::serve(listener, router(Arc::new(app))).with_graceful_shutdown(end).await?;
        Ok(())
    })
}

fn router(app: Arc<App>) -> Router {
    let is_stand_in = app.faulty.is_some();
    let served = Router::new()
        .route("/openls", post(openls::take))
        .route("/processes", get(processes::list))
        .route("/processes/{id}", get(processes::describe))
        .route("/processes/{id}/execution", post(processes::execute))
        .route("/jobs", get(processes::jobs))
        .route("/jobs/{id}", get(processes::job).delete(processes::dismiss))
        .route("/jobs/{id}/results", get(processes::results))
        .route("/feed/{name}", get(feed::get))
        .route("/collections", get(heights::list))
        .route("/collections/{id}", get(heights::describe))
        .route("/collections/{id}/position", get(heights::position))
        .layer(middleware::from_fn_with_state(app.clone(), pass))
        .route("/", get(landing))
        .route("/conformance", get(conformance))
        .route("/health", get(|| async { Json(json!({"status": "ok"})) }))
        .fallback(|| async { Problem::new(StatusCode::NOT_FOUND, "there is nothing here; / says what there is") })
        .method_not_allowed_fallback(|| async {
            Problem::new(StatusCode::METHOD_NOT_ALLOWED, "this address takes no such request; / says what there is")
        })
        .layer(DefaultBodyLimit::max(MOST_BYTES))
        .with_state(app.clone());
    // What a service would bill.
    if is_stand_in { served.route("/account", get(account).with_state(app)) } else { served }
}

/// `GET /account`
async fn account(State(app): State<Arc<App>>) -> Json<Value> {
    let (requests, answered) = app.faulty.as_ref().map_or((0, 0), Faulty::account);
    Json(
        json!({"requests": requests, "answered": answered, "addresses": app.geocoder.as_ref().map_or(0, Geocoder::asked)}),
    )
}

/// `GET /`
async fn landing() -> Json<Value> {
    let link = |href: &str, rel: &str, title: &str| json!({"href": href, "rel": rel, "type": "application/json", "title": title});
    Json(json!({
        "title": "Basilocus",
        "description": "Addresses to positions, by OGC API - Processes, and at /openls by OpenLS 1.2.",
        "links": [
            link("/", "self", "This document"),
            link("/conformance", "http://www.opengis.net/def/rel/ogc/1.0/conformance", "What of the standards is served"),
            link("/processes", "http://www.opengis.net/def/rel/ogc/1.0/processes", "Processes"),
            link("/jobs", "http://www.opengis.net/def/rel/ogc/1.0/job-list", "Jobs"),
        ],
    }))
}

/// `GET /conformance`
async fn conformance() -> Json<Value> {
    let class = |name: &str| format!("http://www.opengis.net/spec/ogcapi-processes-1/1.0/conf/{name}");
    let classes = ["core", "json", "job-list", "dismiss", "ogc-process-description"].map(class);
    Json(json!({ "conformsTo": classes }))
}
