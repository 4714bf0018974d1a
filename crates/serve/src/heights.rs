//! OGC API - Environmental Data Retrieval (OGC 19-086r6): one collection, `heights`, and position queries of it; answers in
//! CoverageJSON (OGC 21-069r2). Positions are longitude and latitude of WGS 84.

use crate::problem::Problem;
use crate::server::App;
use axum::extract::{Path, Query, State};
use axum::http::header;
use axum::response::{IntoResponse, Response};
use basilocus::geodesy::unit::LinearUnit;
use basilocus::table::geometry::{Geometry, wkt};
use basilocus::terrain::HeightLookup;
use serde::Deserialize;
use serde_json::{Value, json};
use std::sync::Arc;

/// The collection.
pub(crate) const ID: &str = "heights";
/// The parameter that it has.
const PARAMETER: &str = "height";
/// Positions in a request.
const MOST: usize = 1000;
const COVERAGE_JSON: &str = "application/prs.coverage+json";

/// The symbols of UCUM for lengths, and how many metres each is.
const SYMBOLS: [(&str, f64); 3] = [("m", 1.0), ("[ft_i]", 0.3048), ("[ft_us]", 1200.0 / 3937.0)];

/// What of the standard is served.
pub(crate) const CONFORMANCE: [&str; 3] = [
    "http://www.opengis.net/spec/ogcapi-edr-1/1.1/conf/core",
    "http://www.opengis.net/spec/ogcapi-edr-1/1.1/conf/collections",
    "http://www.opengis.net/spec/ogcapi-edr-1/1.1/conf/covjson",
];

/// A unit as parameters have it: its words, and a symbol where UCUM has one.
fn unit(unit: &LinearUnit) -> Value {
    let symbol = SYMBOLS.iter().find(|(_, metres)| (metres - unit.metres).abs() < 1e-12);
    let mut out = json!({"label": {"en": unit.plural()}});
    if let Some((symbol, _)) = symbol {
        out["symbol"] = json!({"value": symbol, "type": "http://www.opengis.net/def/uom/UCUM/"});
    }
    out
}

fn parameter(heights: &HeightLookup) -> Value {
    let mut out = json!({
        "type": "Parameter",
        "description": {"en": "Height of the ground"},
        "observedProperty": {"label": {"en": "Height"}},
    });
    // A unit that nobody said is not made up.
    if let Some(said) = heights.unit() {
        out["unit"] = unit(said);
    }
    out
}

pub(crate) fn collection(heights: &HeightLookup) -> Value {
    json!({
        "id": ID,
        "title": "Heights of the ground",
        "links": [{"href": format!("/collections/{ID}"), "rel": "self", "type": "application/json"}],
        "crs": ["http://www.opengis.net/def/crs/OGC/1.3/CRS84"],
        "output_formats": ["CoverageJSON"],
        "data_queries": {"position": {"link": {
            "href": format!("/collections/{ID}/position"),
            "rel": "data",
            "variables": {"query_type": "position", "output_formats": ["CoverageJSON"], "default_output_format": "CoverageJSON"},
        }}},
        "parameter_names": {PARAMETER: parameter(heights)},
    })
}

/// What a position query says.
#[derive(Debug, Default, Deserialize)]
pub(crate) struct PositionQuery {
    coords: Option<String>,
    #[serde(rename = "parameter-name")]
    parameter_name: Option<String>,
    f: Option<String>,
    crs: Option<String>,
}

impl PositionQuery {
    /// The positions, or what is wrong with the query.
    fn positions(&self) -> Result<Vec<[f64; 2]>, Problem> {
        let coords = self.coords.as_deref().ok_or_else(|| Problem::bad("coords: POINT(lon lat) is expected"))?;
        if let Some(other) = self.parameter_name.iter().flat_map(|p| p.split(',')).find(|p| p.trim() != PARAMETER) {
            return Err(Problem::bad(format!("parameter-name \"{other}\": {PARAMETER} is the one that is served")));
        }
        if let Some(other) = self.f.as_deref().filter(|f| !f.eq_ignore_ascii_case("CoverageJSON")) {
            return Err(Problem::bad(format!("f \"{other}\": CoverageJSON is what is answered")));
        }
        if let Some(other) = self.crs.as_deref().filter(|c| !c.to_ascii_uppercase().ends_with("CRS84")) {
            return Err(Problem::bad(format!("crs \"{other}\": CRS84, longitude first, is served")));
        }
        let bad = |what: String| {
            Problem::bad(format!("coords: {what}; POINT(lon lat) or MULTIPOINT((lon lat),…) is expected"))
        };
        let positions: Vec<[f64; 2]> = match wkt::read(coords).map_err(|e| bad(e.to_string()))? {
            Geometry::Point(p) => vec![[p.x, p.y]],
            Geometry::MultiPoint(points) => points.iter().map(|p| [p.x, p.y]).collect(),
            other => return Err(bad(format!("a {} is no position", other.type_name()))),
        };
        if positions.is_empty() || positions.len() > MOST {
            return Err(bad(format!("{} positions; from 1 to {MOST} are taken", positions.len())));
        }
        let is_on_earth = |[x, y]: &[f64; 2]| x.abs() <= 180.0 && y.abs() <= 90.0;
        match positions.iter().find(|p| !is_on_earth(p)) {
            Some([x, y]) => Err(bad(format!("{x} {y} is no longitude and latitude"))),
            None => Ok(positions),
        }
    }
}

/// `GET /collections/{id}/position`
pub(crate) async fn position(
    State(app): State<Arc<App>>,
    Path(id): Path<String>,
    Query(query): Query<PositionQuery>,
) -> Result<Response, Problem> {
    let served = app.heights();
    if id != ID || served.is_none() {
        return Err(Problem::none(format!("no heights are served under \"{id}\"; /collections says what is")));
    }
    let positions = query.positions()?;
    let read = app.work(move || {
        let Some(heights) = &*served else { return Err(Problem::none("no heights are served here")) };
        let found =
            heights.at(&positions).map_err(|e| Problem::broke(format!("the heights could not be read: {e}")))?;
        Ok(coverage(heights, &positions, &found).to_string())
    });
    let body = read.await??;
    Ok(([(header::CONTENT_TYPE, COVERAGE_JSON)], body).into_response())
}

/// The coverage of positions and their heights: of a point, or of many.
fn coverage(lookup: &HeightLookup, positions: &[[f64; 2]], heights: &[Option<f64>]) -> Value {
    let rounded = |v: f64| (v * 1000.0).round() / 1000.0;
    let values: Vec<Option<f64>> = heights.iter().map(|h| h.map(rounded)).collect();
    let (kind, axes, names, shape) = match positions {
        [[x, y]] => ("Point", json!({"x": {"values": [x]}, "y": {"values": [y]}}), json!([]), json!([])),
        _ => (
            "MultiPoint",
            json!({"composite": {"dataType": "tuple", "coordinates": ["x", "y"], "values": positions}}),
            json!(["composite"]),
            json!([positions.len()]),
        ),
    };
    json!({
        "type": "Coverage",
        "domain": {
            "type": "Domain",
            "domainType": kind,
            "axes": axes,
            "referencing": [{"coordinates": ["x", "y"], "system": {
                "type": "GeographicCRS", "id": "http://www.opengis.net/def/crs/OGC/1.3/CRS84",
            }}],
        },
        "parameters": {PARAMETER: parameter(lookup)},
        "ranges": {PARAMETER: {"type": "NdArray", "dataType": "float", "axisNames": names, "shape": shape, "values": values}},
    })
}
