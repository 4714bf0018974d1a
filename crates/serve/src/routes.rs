//! Which address leads where.

use crate::features::{self, items};
use crate::guard::{MOST_BYTES, within_limit};
use crate::links::Base;
use crate::parameters::{Form, Parameters};
use crate::problem::Problem;
use crate::server::{App, guarded};
use crate::stand_in::{Faulty, feed, pass};
use crate::{api, heights, html, openls, processes, tries};
use axum::extract::{DefaultBodyLimit, Path, State};
use axum::http::{HeaderMap, StatusCode, header};
use axum::response::{IntoResponse, Response};
use axum::routing::{get, post};
use axum::{Json, Router, middleware};
use serde_json::{Value, json};
use std::sync::Arc;
use std::sync::atomic::Ordering;
use std::time::Duration;
use tower_http::catch_panic::CatchPanicLayer;
use tower_http::compression::CompressionLayer;
use tower_http::timeout::{RequestBodyTimeoutLayer, TimeoutLayer};

/// How long the next part of a request's body may take.
const BODY: Duration = Duration::from_secs(15);
/// How long an answer may take.
const ANSWER: Duration = Duration::from_secs(60);

const JSON: &str = "application/json";
const OPENAPI: &str = "application/vnd.oai.openapi+json;version=3.0";

pub(crate) fn router(app: &Arc<App>) -> Router {
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
        .route("/collections", get(collections))
        .route("/collections/{id}", get(collection))
        .route("/collections/{id}/queryables", get(queryables))
        .route("/collections/{id}/items", get(items::items))
        .route("/collections/{id}/items/{feature}", get(items::item))
        .route("/collections/{id}/map", get(features::map))
        .route("/collections/{id}/position", get(heights::position))
        .layer(middleware::from_fn_with_state(app.clone(), pass))
        .route("/", get(landing))
        .route("/conformance", get(conformance))
        .route("/api", get(openapi))
        .route("/try/position", get(tries::position))
        .route("/try/address", get(tries::address))
        .route("/metrics", get(metrics));
    // What a service would bill.
    let served = if is_stand_in { served.route("/account", get(account)) } else { served };
    let served = served
        .fallback(|| async { Problem::none("there is nothing here; / says what there is") })
        .method_not_allowed_fallback(|| async {
            Problem::new(StatusCode::METHOD_NOT_ALLOWED, "this address takes no such request; /api says which it takes")
        })
        .layer(DefaultBodyLimit::max(MOST_BYTES))
        .layer(RequestBodyTimeoutLayer::new(BODY))
        .layer(middleware::from_fn(within_limit))
        .layer(TimeoutLayer::with_status_code(StatusCode::SERVICE_UNAVAILABLE, ANSWER))
        .layer(CatchPanicLayer::custom(|_| Problem::broke("the request could not be answered").into_response()))
        .with_state(app.clone());
    guarded(served, app)
        .layer(CompressionLayer::new())
        // Whoever starts and stops servers asks these; they are neither counted nor guarded.
        .route("/health", get(|| async { Json(json!({"status": "ok"})) }))
        .route("/ready", get(|| async { Json(json!({"status": "ready"})) }))
}

/// `GET /account`
async fn account(State(app): State<Arc<App>>) -> Json<Value> {
    let (requests, answered) = app.faulty.as_ref().map_or((0, 0), Faulty::account);
    Json(json!({"requests": requests, "answered": answered, "addresses": app.asked.load(Ordering::Relaxed)}))
}

/// `GET /metrics`
async fn metrics(State(app): State<Arc<App>>) -> Response {
    let kind = "application/openmetrics-text; version=1.0.0; charset=utf-8";
    ([(header::CONTENT_TYPE, kind)], app.metrics.text()).into_response()
}

/// What a request wants its answer as; no other parameter is taken.
fn form_alone(mut parameters: Parameters, headers: &HeaderMap) -> Result<Form, Problem> {
    let form = Form::wanted(&mut parameters, headers)?;
    parameters.end("f is")?;
    Ok(form)
}

/// That a request of a document for programs asks for nothing else.
fn json_alone(mut parameters: Parameters) -> Result<(), Problem> {
    match parameters.take("f").as_deref() {
        None | Some("json") => parameters.end("f is"),
        Some(other) => Err(Problem::of_field("f", format!("\"{other}\": json is what this is written in"))),
    }
}

/// `GET /`
async fn landing(
    State(app): State<Arc<App>>,
    base: Base,
    headers: HeaderMap,
    parameters: Parameters,
) -> Result<Response, Problem> {
    if form_alone(parameters, &headers)? == Form::Html {
        return Ok(html::landing(&base, app.layers().iter().next().is_some(), app.has_geocoder()));
    }
    let rel = |name: &str| format!("http://www.opengis.net/def/rel/ogc/1.0/{name}");
    Ok(Json(json!({
        "title": "Basilocus",
        "description": "Layers by OGC API - Features, conversions and addresses by OGC API - Processes, heights by OGC API - Environmental Data Retrieval, and addresses at /openls by OpenLS 1.2.",
        "links": [
            base.link("/", "self", JSON, "This document"),
            base.link("/?f=html", "alternate", "text/html", "This document as a page"),
            base.link("/api", "service-desc", OPENAPI, "What can be asked, for programs"),
            base.link("/?f=html", "service-doc", "text/html", "What can be asked, for people"),
            base.link("/conformance", "conformance", JSON, "What of the standards is served"),
            base.link("/conformance", &rel("conformance"), JSON, "What of the standards is served"),
            base.link("/collections", "data", JSON, "Collections"),
            base.link("/processes", &rel("processes"), JSON, "Processes"),
            base.link("/jobs", &rel("job-list"), JSON, "Jobs"),
        ],
    }))
    .into_response())
}

/// `GET /conformance`
async fn conformance(
    State(app): State<Arc<App>>,
    base: Base,
    headers: HeaderMap,
    parameters: Parameters,
) -> Result<Response, Problem> {
    let common = [
        "http://www.opengis.net/spec/ogcapi-common-1/1.0/conf/core",
        "http://www.opengis.net/spec/ogcapi-common-2/1.0/conf/collections",
    ];
    let heights = if app.heights().is_some() { &heights::CONFORMANCE[..] } else { &[] };
    let all = common.iter().chain(&features::CONFORMANCE).chain(&processes::CONFORMANCE).chain(heights);
    let classes: Vec<&str> = all.copied().collect();
    if form_alone(parameters, &headers)? == Form::Html {
        return Ok(html::conformance(&base, &classes));
    }
    Ok(Json(json!({ "conformsTo": classes })).into_response())
}

/// `GET /api`
async fn openapi(State(app): State<Arc<App>>, base: Base, parameters: Parameters) -> Result<Response, Problem> {
    json_alone(parameters)?;
    Ok(([(header::CONTENT_TYPE, OPENAPI)], api::document(&app, &base).to_string()).into_response())
}

/// `GET /collections`
async fn collections(
    State(app): State<Arc<App>>,
    base: Base,
    headers: HeaderMap,
    parameters: Parameters,
) -> Result<Response, Problem> {
    let layers = app.layers();
    let served = app.heights();
    if form_alone(parameters, &headers)? == Form::Html {
        let others = if served.is_some() { html::heights(&base) } else { String::new() };
        return Ok(html::collections(&base, layers.iter(), &others));
    }
    let mut all: Vec<Value> = layers.iter().map(|c| features::collection(c, &base)).collect();
    all.extend((*served).iter().map(|h| base.completed(heights::collection(h))));
    let links = [
        base.link("/collections", "self", JSON, "This document"),
        base.link("/collections?f=html", "alternate", "text/html", "This document as a page"),
    ];
    Ok(Json(json!({"links": links, "collections": all})).into_response())
}

/// `GET /collections/{id}`
async fn collection(
    State(app): State<Arc<App>>,
    Path(id): Path<String>,
    base: Base,
    headers: HeaderMap,
    parameters: Parameters,
) -> Result<Response, Problem> {
    let form = form_alone(parameters, &headers)?;
    if id == heights::ID
        && let Some(served) = &*app.heights()
    {
        return Ok(match form {
            Form::Html => html::heights_alone(&base),
            Form::Json => Json(base.completed(heights::collection(served))).into_response(),
        });
    }
    let layers = app.layers();
    let found = features::find(&layers, &id)?;
    Ok(match form {
        Form::Html => html::collection(&base, found),
        Form::Json => Json(features::collection(found, &base)).into_response(),
    })
}

/// `GET /collections/{id}/queryables`
async fn queryables(
    State(app): State<Arc<App>>,
    Path(id): Path<String>,
    base: Base,
    parameters: Parameters,
) -> Result<Response, Problem> {
    json_alone(parameters)?;
    let layers = app.layers();
    let document = features::queryables(features::find(&layers, &id)?, &base);
    Ok(([(header::CONTENT_TYPE, "application/schema+json")], document.to_string()).into_response())
}
