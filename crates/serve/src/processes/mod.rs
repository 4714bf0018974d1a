//! OGC API - Processes, part 1 (OGC 18-062r2): the list, descriptions, execution at once and as jobs.
//!
//! To add a process: a file here with a [`Process`], and its line in [`PROCESSES`].

mod convert;
mod distortion;
mod fit;
mod geocode;
pub(crate) mod inputs;
mod jobs;
mod nearest;
mod ways;

pub(crate) use jobs::Jobs;

use crate::links::Base;
use crate::parameters::Parameters;
use crate::problem::Problem;
use crate::server::App;
use axum::Json;
use axum::body::Bytes;
use axum::extract::{Path, State};
use axum::http::{HeaderMap, StatusCode, header};
use axum::response::{IntoResponse, Response};
use serde::Deserialize;
use serde_json::{Map, Value, json};
use std::sync::Arc;

/// A process: what it says of itself, and what it does.
pub(crate) struct Process {
    pub id: &'static str,
    pub title: &'static str,
    pub description: &'static str,
    /// Its inputs and outputs, as a description has them.
    pub inputs: fn() -> Value,
    pub outputs: fn() -> Value,
    /// Makes the value of its one output of the inputs.
    pub run: fn(&App, &Map<String, Value>) -> Result<Value, Problem>,
    /// The name of its one output.
    pub output: &'static str,
    /// Whether these inputs take so little that handing them to another thread would take longer.
    pub is_quick: fn(&Map<String, Value>) -> bool,
}

pub(crate) const PROCESSES: &[&Process] =
    &[&convert::PROCESS, &distortion::PROCESS, &fit::PROCESS, &geocode::PROCESS, &nearest::PROCESS, &ways::PROCESS];

/// What of the standard is served.
pub(crate) const CONFORMANCE: [&str; 6] = [
    "http://www.opengis.net/spec/ogcapi-processes-1/1.0/conf/core",
    "http://www.opengis.net/spec/ogcapi-processes-1/1.0/conf/json",
    "http://www.opengis.net/spec/ogcapi-processes-1/1.0/conf/oas30",
    "http://www.opengis.net/spec/ogcapi-processes-1/1.0/conf/job-list",
    "http://www.opengis.net/spec/ogcapi-processes-1/1.0/conf/dismiss",
    "http://www.opengis.net/spec/ogcapi-processes-1/1.0/conf/ogc-process-description",
];

const VERSION: &str = env!("CARGO_PKG_VERSION");

fn find(id: &str) -> Result<&'static Process, Problem> {
    PROCESSES.iter().copied().find(|p| p.id == id).ok_or_else(|| Problem::no_such_process(id))
}

fn summary(process: &Process) -> Map<String, Value> {
    let link = json!({"href": format!("/processes/{}", process.id), "rel": "self", "type": "application/json"});
    let fields = json!({
        "id": process.id,
        "version": VERSION,
        "title": process.title,
        "description": process.description,
        "jobControlOptions": ["sync-execute", "async-execute", "dismiss"],
        "outputTransmission": ["value"],
        "links": [link],
    });
    fields.as_object().cloned().unwrap_or_default()
}

/// Entries of a list, unless it is said how many.
const USUAL_LIMIT: usize = 100;

/// A list under its name, as many of it as were asked for, with a link to what follows.
fn listed(base: &Base, name: &str, all: Vec<Value>, mut parameters: Parameters) -> Result<Json<Value>, Problem> {
    let mut number = |name: &str, usual: usize, least: usize| match parameters.take(name) {
        Some(text) => match text.parse() {
            Ok(number) if number >= least => Ok(number),
            _ => Err(Problem::of_field(name, format!("\"{text}\": a whole number from {least} is expected"))),
        },
        None => Ok(usual),
    };
    let (limit, after) = (number("limit", USUAL_LIMIT, 1)?, number("after", 0, 0)?);
    parameters.end("limit is")?;
    let mut links = vec![json!({"href": format!("/{name}"), "rel": "self", "type": "application/json"})];
    let end = after.saturating_add(limit);
    if end < all.len() {
        links.push(
            json!({"href": format!("/{name}?limit={limit}&after={end}"), "rel": "next", "type": "application/json"}),
        );
    }
    let shown: Vec<Value> = all.into_iter().skip(after).take(limit).collect();
    Ok(Json(base.completed(json!({name: shown, "links": links}))))
}

/// `GET /processes`
pub(crate) async fn list(base: Base, parameters: Parameters) -> Result<Json<Value>, Problem> {
    let all: Vec<Value> = PROCESSES.iter().map(|p| Value::Object(summary(p))).collect();
    listed(&base, "processes", all, parameters)
}

/// `GET /processes/{id}`
pub(crate) async fn describe(Path(id): Path<String>, base: Base) -> Result<Json<Value>, Problem> {
    let process = find(&id)?;
    let mut fields = summary(process);
    fields.insert("inputs".into(), (process.inputs)());
    fields.insert("outputs".into(), (process.outputs)());
    fields.insert(
        "links".into(),
        json!([
            {"href": format!("/processes/{id}"), "rel": "self", "type": "application/json"},
            {"href": format!("/processes/{id}/execution"), "rel": "http://www.opengis.net/def/rel/ogc/1.0/execute"},
        ]),
    );
    Ok(Json(base.completed(Value::Object(fields))))
}

/// The document that asks for an execution.
#[derive(Debug, Deserialize)]
struct Execute {
    #[serde(default)]
    inputs: Map<String, Value>,
    #[serde(default)]
    outputs: Option<Map<String, Value>>,
    #[serde(default)]
    response: Option<String>,
}

/// How results are given.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Form {
    /// The value alone.
    Raw,
    /// The values by the names of outputs.
    Document,
}

/// `POST /processes/{id}/execution`
pub(crate) async fn execute(
    State(app): State<Arc<App>>,
    Path(id): Path<String>,
    base: Base,
    headers: HeaderMap,
    body: Bytes,
) -> Result<Response, Problem> {
    let process = find(&id)?;
    let no_document =
        |e: serde_json::Error| Problem::bad(format!("the body is no execute document of OGC API - Processes: {e}"));
    // An object: a list of its values in their order would be read as well.
    let fields: Map<String, Value> = serde_json::from_slice(&body).map_err(no_document)?;
    let execute: Execute = serde_json::from_value(Value::Object(fields)).map_err(no_document)?;
    let known = |name: &String| name == process.output;
    if let Some(other) = execute.outputs.iter().flatten().map(|(name, _)| name).find(|n| !known(n)) {
        return Err(Problem::bad(format!("there is no output \"{other}\"; {} is the one of {id}", process.output)));
    }
    let form = match execute.response.as_deref() {
        None | Some("raw") => Form::Raw,
        Some("document") => Form::Document,
        Some(other) => return Err(Problem::bad(format!("response \"{other}\": raw or document is expected"))),
    };
    let prefers_job = headers.get_all("prefer").iter().any(|v| v.to_str().is_ok_and(|v| v.contains("respond-async")));
    let inputs = execute.inputs;
    if prefers_job {
        let job = app.jobs.start(process.id).ok_or_else(|| {
            Problem::new(StatusCode::SERVICE_UNAVAILABLE, "too many jobs are under way; try again later")
        })?;
        let (worker, number) = (app.clone(), job.clone());
        tokio::spawn(async move {
            let at = worker.clone();
            let (here, known) = (worker.clone(), number.clone());
            let run = move || match here.jobs.status(&known) {
                // Dismissed while it waited for its turn.
                None => Err(Problem::no_such_job(&known)),
                Some(_) => (process.run)(&here, &inputs).map(|value| given(process, value, form)),
            };
            let outcome = at.work(run).await.and_then(|outcome| outcome);
            worker.jobs.finish(&number, outcome);
        });
        let status = base.completed(app.jobs.status(&job).unwrap_or_default());
        let place = base.to(&format!("/jobs/{job}"));
        return Ok((
            StatusCode::CREATED,
            [
                (header::LOCATION, place),
                (header::HeaderName::from_static("preference-applied"), "respond-async".into()),
            ],
            Json(status),
        )
            .into_response());
    }
    if (process.is_quick)(&inputs) {
        let value = (process.run)(&app, &inputs)?;
        return Ok(Json(given(process, value, form)).into_response());
    }
    let at = app.clone();
    let value = at.work(move || (process.run)(&app, &inputs)).await??;
    Ok(Json(given(process, value, form)).into_response())
}

fn given(process: &Process, value: Value, form: Form) -> Value {
    match form {
        Form::Raw => value,
        Form::Document => json!({ process.output: value }),
    }
}

/// `GET /jobs`
pub(crate) async fn jobs(
    State(app): State<Arc<App>>,
    base: Base,
    parameters: Parameters,
) -> Result<Json<Value>, Problem> {
    listed(&base, "jobs", app.jobs.all(), parameters)
}

/// `GET /jobs/{id}`
pub(crate) async fn job(
    State(app): State<Arc<App>>,
    base: Base,
    Path(id): Path<String>,
) -> Result<Json<Value>, Problem> {
    app.jobs.status(&id).map(|status| Json(base.completed(status))).ok_or_else(|| Problem::no_such_job(&id))
}

/// `DELETE /jobs/{id}`
pub(crate) async fn dismiss(
    State(app): State<Arc<App>>,
    base: Base,
    Path(id): Path<String>,
) -> Result<Json<Value>, Problem> {
    app.jobs.dismiss(&id).map(|status| Json(base.completed(status))).ok_or_else(|| Problem::no_such_job(&id))
}

/// `GET /jobs/{id}/results`
pub(crate) async fn results(State(app): State<Arc<App>>, Path(id): Path<String>) -> Result<Json<Value>, Problem> {
    app.jobs.results(&id).map(Json)
}
