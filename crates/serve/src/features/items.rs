//! Features, page by page or one alone, as GeoJSON.

use super::description::path;
use super::{find, told};
use crate::html;
use crate::links::{Base, encoded};
use crate::parameters::{Form, Parameters};
use crate::problem::Problem;
use crate::server::App;
use axum::extract::{Path, State};
use axum::http::{HeaderMap, HeaderValue, header};
use axum::response::{IntoResponse, Response};
use basilocus::collections::filter::Filter;
use basilocus::collections::{Collection, Feature, Interval, Page, Query, QueryError, Region, SystemName};
use basilocus::formats::geojson::push_geometry;
use serde_json::{Value, json};
use std::sync::Arc;
use std::time::{Duration, Instant};

/// Features of a page, unless it is said.
const USUAL_LIMIT: usize = 10;
/// Features of a page at most: who asks for more gets so many, and a link to the rest.
pub(crate) const MOST: usize = 10_000;
/// How long a search may take.
const LONGEST: Duration = Duration::from_secs(20);
const GEO_JSON: &str = "application/geo+json";

/// `GET /collections/{id}/items`
pub(crate) async fn items(
    State(app): State<Arc<App>>,
    Path(id): Path<String>,
    base: Base,
    headers: HeaderMap,
    mut parameters: Parameters,
) -> Result<Response, Problem> {
    let form = Form::wanted(&mut parameters, &headers)?;
    if form == Form::Html {
        // A form sends what was left empty too.
        parameters.drop_empty();
    }
    let said = parameters.clone();
    let at = app.clone();
    at.work(move || {
        let layers = app.layers();
        let collection = find(&layers, &id)?;
        let query = query(collection, parameters)?;
        let page = collection.page(&query).map_err(|e| told(&app, &id, e))?;
        let own = |form: &str, after: Option<i64>| {
            let mut words = said.written(if after.is_some() { &["after"] } else { &[] });
            for (name, value) in
                [("after", after.map(|a| a.to_string())), ("f", (!form.is_empty()).then(|| form.into()))]
            {
                if let Some(value) = value {
                    words.push_str(&format!("{}{name}={value}", if words.is_empty() { "" } else { "&" }));
                }
            }
            let mark = if words.is_empty() { "" } else { "?" };
            format!("{}/items{mark}{words}", path(collection))
        };
        match form {
            Form::Html => {
                let next = page.next.map(|after| base.to(&own("html", Some(after))));
                Ok(html::items(&base, collection, &page, &said, next.as_deref(), &base.to(&own("json", None))))
            }
            Form::Json => {
                let mut links = vec![
                    base.link(&own("", None), "self", GEO_JSON, "This page"),
                    base.link(&own("html", None), "alternate", "text/html", "This page for people"),
                    base.link(&path(collection), "collection", "application/json", "The collection"),
                ];
                if let Some(after) = page.next {
                    links.push(base.link(&own("", Some(after)), "next", GEO_JSON, "The next page"));
                }
                Ok(answer(document(collection, &query, &page, links), &query.system))
            }
        }
    })
    .await?
}

/// `GET /collections/{id}/items/{feature}`
pub(crate) async fn item(
    State(app): State<Arc<App>>,
    Path((id, number)): Path<(String, String)>,
    base: Base,
    headers: HeaderMap,
    mut parameters: Parameters,
) -> Result<Response, Problem> {
    let form = Form::wanted(&mut parameters, &headers)?;
    let system = system(&mut parameters, "crs")?;
    parameters.end("crs and f are")?;
    let at = app.clone();
    at.work(move || {
        let layers = app.layers();
        let collection = find(&layers, &id)?;
        let none = || Problem::none(format!("there is no feature \"{number}\" in {id}"));
        let number_read: i64 = number.parse().map_err(|_| none())?;
        let feature = collection.feature_of(number_read, &system).map_err(|e| told(&app, &id, e))?.ok_or_else(none)?;
        let place = format!("{}/items/{number_read}", path(collection));
        if form == Form::Html {
            return Ok(html::feature(&base, collection, &feature, &base.to(&format!("{place}?f=json"))));
        }
        let links = vec![
            base.link(&place, "self", GEO_JSON, "This feature"),
            base.link(&format!("{place}?f=html"), "alternate", "text/html", "This feature for people"),
            base.link(&path(collection), "collection", "application/json", "The collection"),
        ];
        let mut out = Vec::new();
        push_feature(&mut out, &feature, &system, Some(&links));
        Ok(answer(out, &system))
    })
    .await?
}

/// The system that a parameter names.
fn system(parameters: &mut Parameters, name: &str) -> Result<SystemName, Problem> {
    match parameters.take(name) {
        Some(text) => SystemName::read(&text).map_err(|problem| Problem::of_field(name, problem)),
        None => SystemName::crs84().map_err(|e| Problem::broke(e.to_string())),
    }
}

/// What is asked by the parameters.
fn query(collection: &Collection, mut parameters: Parameters) -> Result<Query, Problem> {
    let of = |name: &'static str| move |problem: String| Problem::of_field(name, problem);
    let is_without_bbox = |p: &Parameters| p.clone().take("bbox").is_none();
    if is_without_bbox(&parameters) && parameters.clone().take("bbox-crs").is_some() {
        return Err(Problem::of_field("bbox-crs", "it says the system of bbox, which is not there"));
    }
    let extent_system = system(&mut parameters, "bbox-crs")?;
    let extent = match parameters.take("bbox") {
        Some(text) => {
            let numbers: Result<Vec<f64>, _> = text.split(',').map(|n| n.trim().parse()).collect();
            let numbers = numbers
                .map_err(|_| of("bbox")(format!("\"{text}\": four numbers with commas between are expected")))?;
            Some(Region::extent(&numbers, extent_system).map_err(|e| Problem::of_field("bbox", e))?)
        }
        None => None,
    };
    let time = match parameters.take("datetime") {
        Some(text) => Some(Interval::read(&text).map_err(|e| Problem::of_field("datetime", e))?),
        None => None,
    };
    let limit = match parameters.take("limit") {
        Some(text) => match text.parse::<usize>() {
            Ok(limit) if limit > 0 => limit.min(MOST),
            _ => return Err(of("limit")(format!("\"{text}\": a whole number from 1 to {MOST} is expected"))),
        },
        None => USUAL_LIMIT,
    };
    let after =
        match parameters.take("after") {
            Some(text) => Some(text.parse().map_err(|_| {
                of("after")(format!("\"{text}\" is no place that a page begins behind; follow the links"))
            })?),
            None => None,
        };
    if let Some(other) = parameters.take("filter-lang").filter(|l| l != "cql2-text") {
        return Err(of("filter-lang")(format!("\"{other}\": cql2-text is read")));
    }
    let filter_system = system(&mut parameters, "filter-crs")?;
    let filter = match parameters.take("filter") {
        Some(text) => Some(Filter::read(&text, collection, filter_system).map_err(of_question)?),
        None => None,
    };
    let system = system(&mut parameters, "crs")?;
    let values = parameters.rest();
    let is_column = |name: &str| collection.columns().iter().any(|c| c.name == name);
    if let Some((other, _)) = values.iter().find(|(name, _)| !is_column(name)) {
        let names: Vec<&str> = collection.columns().iter().map(|c| c.name.as_str()).collect();
        return Err(Problem::of_field(
            other,
            format!(
                "there is no such parameter or column; bbox, bbox-crs, datetime, limit, crs, filter, filter-crs, f and the columns {} are",
                names.join(", ")
            ),
        ));
    }
    Ok(Query { extent, time, values, filter, limit, after, system, until: Some(Instant::now() + LONGEST) })
}

/// What is wrong with a question.
fn of_question(e: QueryError) -> Problem {
    match e {
        QueryError::Question { parameter, problem } => Problem::of_field(parameter, problem),
        other => Problem::bad(other.to_string()),
    }
}

fn answer(body: Vec<u8>, system: &SystemName) -> Response {
    let mut response = ([(header::CONTENT_TYPE, GEO_JSON)], body).into_response();
    if let Ok(value) = HeaderValue::from_str(&format!("<{}>", system.uri)) {
        response.headers_mut().insert("content-crs", value);
    }
    response
}

/// The document of a page. It says no time, so that the same question has the same answer, which need not be sent twice.
fn document(collection: &Collection, query: &Query, page: &Page, links: Vec<Value>) -> Vec<u8> {
    let mut head = json!({
        "type": "FeatureCollection",
        "numberMatched": page.matched,
        "numberReturned": page.features.len(),
        "links": links,
    });
    // How sure positions are that were computed for this answer.
    if let (Some(stored), Ok(operation)) = (collection.system(), collection.operation(&query.system))
        && !stored.is_same(&query.system.crs)
    {
        head["operation"] = json!({
            "name": operation.name(),
            "accuracy_m": operation.accuracy_m(),
            "notes": operation.notes(),
        });
    }
    if page.without_place > 0 {
        head["notices"] = json!([format!(
            "{} of these features have a shape that cannot be read or has no place in {}",
            page.without_place,
            query.system.crs.title()
        )]);
    }
    let mut out = head.to_string().into_bytes();
    out.pop();
    out.extend_from_slice(b",\"features\":[");
    for (i, feature) in page.features.iter().enumerate() {
        if i > 0 {
            out.push(b',');
        }
        push_feature(&mut out, feature, &query.system, None);
    }
    out.extend_from_slice(b"]}");
    out
}

/// Appends a feature; its positions in the order of the system's axes.
fn push_feature(out: &mut Vec<u8>, feature: &Feature, system: &SystemName, links: Option<&[Value]>) {
    out.extend_from_slice(format!("{{\"type\":\"Feature\",\"id\":{},\"geometry\":", feature.id).as_bytes());
    match &feature.geometry {
        None => out.extend_from_slice(b"null"),
        Some(shape) if system.north_first => {
            let mut turned = shape.clone();
            turned.each_position_mut(&mut |p| std::mem::swap(&mut p.x, &mut p.y));
            push_geometry(out, &turned);
        }
        Some(shape) => push_geometry(out, shape),
    }
    out.extend_from_slice(b",\"properties\":");
    out.extend_from_slice(Value::Object(feature.properties.clone()).to_string().as_bytes());
    if let Some(links) = links {
        out.extend_from_slice(b",\"links\":");
        out.extend_from_slice(Value::Array(links.to_vec()).to_string().as_bytes());
    }
    out.push(b'}');
}

/// The address of a feature's page.
pub(crate) fn feature_path(collection: &Collection, id: i64) -> String {
    format!("/collections/{}/items/{id}", encoded(collection.id()))
}
