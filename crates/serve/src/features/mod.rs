//! OGC API - Features: part 1 (OGC 17-069r4), part 2 for systems (OGC 18-058r1), part 3 for filters (OGC 19-079r2) in CQL2
//! text (OGC 21-065r2).

mod description;
pub(crate) mod items;

pub(crate) use description::{collection, description, path, queryables, schema_of};
pub(crate) use items::feature_path;

use crate::problem::Problem;
use crate::server::App;
use axum::extract::{Path, State};
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};
use basilocus::collections::{Collection, Collections, QueryError, ValueKind};
use std::sync::{Arc, PoisonError};

/// What is asked of everything here.
pub(crate) const CONFORMANCE: [&str; 16] = [
    "http://www.opengis.net/spec/ogcapi-features-1/1.0/conf/core",
    "http://www.opengis.net/spec/ogcapi-features-1/1.0/conf/oas30",
    "http://www.opengis.net/spec/ogcapi-features-1/1.0/conf/html",
    "http://www.opengis.net/spec/ogcapi-features-1/1.0/conf/geojson",
    "http://www.opengis.net/spec/ogcapi-features-2/1.0/conf/crs",
    "http://www.opengis.net/spec/ogcapi-features-3/1.0/conf/queryables",
    "http://www.opengis.net/spec/ogcapi-features-3/1.0/conf/queryables-query-parameters",
    "http://www.opengis.net/spec/ogcapi-features-3/1.0/conf/filter",
    "http://www.opengis.net/spec/ogcapi-features-3/1.0/conf/features-filter",
    "http://www.opengis.net/spec/cql2/1.0/conf/cql2-text",
    "http://www.opengis.net/spec/cql2/1.0/conf/basic-cql2",
    "http://www.opengis.net/spec/cql2/1.0/conf/advanced-comparison-operators",
    "http://www.opengis.net/spec/cql2/1.0/conf/case-insensitive-comparison",
    "http://www.opengis.net/spec/cql2/1.0/conf/basic-spatial-functions",
    "http://www.opengis.net/spec/cql2/1.0/conf/basic-spatial-functions-plus",
    "http://www.opengis.net/spec/cql2/1.0/conf/property-property",
];

/// A collection by its name in addresses.
pub(crate) fn find<'a>(layers: &'a Collections, id: &str) -> Result<&'a Collection, Problem> {
    layers.get(id).ok_or_else(|| Problem::none(format!("there is no collection \"{id}\"; /collections lists them")))
}

/// What the values of a column are, for people.
pub(crate) fn kind_words(kind: ValueKind) -> &'static str {
    match kind {
        ValueKind::Integer => "whole numbers",
        ValueKind::Number => "numbers",
        ValueKind::Text => "texts",
        ValueKind::Boolean => "true or false",
        ValueKind::Date => "days",
        ValueKind::Moment => "days with the time",
    }
}

/// Maps that are kept.
const MOST_MAPS: usize = 20;

/// `GET /collections/{id}/map`: all features on a page that is moved and searched.
pub(crate) async fn map(State(app): State<Arc<App>>, Path(id): Path<String>) -> Result<Response, Problem> {
    let at = app.clone();
    at.work(move || {
        let layers = app.layers();
        let collection = find(&layers, &id)?;
        let kept = |maps: &[(String, Arc<String>)]| maps.iter().find(|(of, _)| *of == id).map(|(_, page)| page.clone());
        // One at a time: whoever asks for the same map meanwhile finds it made.
        let mut maps = app.maps.lock().unwrap_or_else(PoisonError::into_inner);
        let page = match kept(&maps) {
            Some(page) => page,
            None => {
                let drawn = collection.map_page().map_err(|e| told(&app, &id, e.into()))?;
                let page = Arc::new(drawn);
                if maps.len() >= MOST_MAPS {
                    maps.remove(0);
                }
                maps.push((id.clone(), page.clone()));
                page
            }
        };
        drop(maps);
        Ok(([(header::CONTENT_TYPE, "text/html; charset=utf-8")], page.as_str().to_string()).into_response())
    })
    .await?
}

/// Why a search has no answer, for who asked; what is wrong here goes to the log, as what files are called is nobody's
/// business.
pub(crate) fn told(app: &App, id: &str, e: QueryError) -> Problem {
    match e {
        QueryError::Question { parameter, problem } => Problem::of_field(parameter, problem),
        QueryError::TooLong => Problem::new(StatusCode::SERVICE_UNAVAILABLE, e.to_string()),
        broken => {
            app.log.event("broken", &format!("{id}: {broken}"));
            Problem::broke("the collection cannot be read; who serves it finds the reason in the log")
        }
    }
}
