//! Forms to try a position or an address, and what comes of them.

use super::{escaped, form, list, page, problem, table};
use crate::geocoder::FoundPlaces;
use crate::links::Base;
use axum::response::Response;
use basilocus::lookup::SpotReport;

/// A position that is tried, as it was typed.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub(crate) struct Tried {
    pub position: String,
    pub from: String,
    pub to: String,
}

fn accuracy(metres: Option<f64>) -> String {
    basilocus::accuracy_words(metres)
}

/// A position in other notations and systems; nothing where none was typed.
pub(crate) fn position(base: &Base, tried: &Tried, found: Option<Result<SpotReport, String>>) -> Response {
    let inputs = [
        ("position", "Position", tried.position.as_str()),
        ("from", "Its system; WGS 84 unless said", &tried.from),
        ("to", "Another system, such as EPSG:2269", &tried.to),
    ];
    let mut body = String::from(
        "<p class=\"pale\">In any usual notation: <code>46.2N 123.8W</code>, <code>46°12'00\"N 123°48'00\"W</code>, <code>10TDS3827716579</code>.</p>\n",
    );
    body.push_str(&form(&base.to("/try/position"), &inputs, "Convert"));
    match found {
        None => {}
        Some(Err(words)) => body.push_str(&problem(&words)),
        Some(Ok(spot)) => {
            body.push_str("<h2>Read</h2>\n");
            body.push_str(&list(&[
                ("as", escaped(&spot.read_as)),
                ("reading", escaped(&spot.reading)),
                ("system", escaped(&spot.crs_title)),
                (
                    "longitude, latitude",
                    format!("{:.8}, {:.8} in WGS 84, {}", spot.lon, spot.lat, escaped(&accuracy(spot.accuracy_m))),
                ),
            ]));
            body.push_str("<h2>In other systems</h2>\n");
            let rows: Vec<Vec<String>> = spot
                .systems
                .iter()
                .map(|s| {
                    let digits = if s.is_geographic { 8 } else { 3 };
                    vec![
                        escaped(&format!("{} ({})", s.name, s.code)),
                        format!("{:.digits$}", s.x),
                        format!("{:.digits$}", s.y),
                        escaped(&s.unit),
                        escaped(&format!("{}; {}", s.operation, accuracy(s.accuracy_m))),
                    ]
                })
                .collect();
            let heads = ["system", "easting or longitude", "northing or latitude", "unit", "way"].map(String::from);
            body.push_str(&table("Systems", &heads, &rows));
            body.push_str("<h2>In other notations</h2>\n");
            let rows: Vec<Vec<String>> =
                spot.notations.iter().map(|n| vec![n.notation.name().to_string(), escaped(&n.text)]).collect();
            body.push_str(&table("Notations", &["notation", "text"].map(String::from), &rows));
        }
    }
    page(base, &[], "Try a position", &body)
}

/// The form for an address.
pub(crate) fn address(base: &Base, typed: &str, markup: &str) -> Response {
    let body = form(&base.to("/try/address"), &[("address", "Address", typed)], "Find") + markup;
    page(base, &[], "Try an address", &body)
}

/// The places of an address.
pub(crate) fn geocoded(base: &Base, typed: &str, found: &FoundPlaces) -> Response {
    let mut body = String::new();
    if let Some(reason) = &found.reason {
        body.push_str(&problem(&format!("None of the places is sure: {reason}")));
    }
    let rows: Vec<Vec<String>> = found
        .places
        .iter()
        .map(|p| {
            let c = &p.candidate;
            vec![
                escaped(&c.address),
                format!("{:.6} {:.6}", c.lon, c.lat),
                c.level.name().to_string(),
                c.confidence.to_string(),
                format!("{:.0}", c.radius_m),
                escaped(&c.changes.join("; ")),
            ]
        })
        .collect();
    let heads =
        ["address", "longitude, latitude", "level", "confidence", "radius in metres", "changes"].map(String::from);
    body.push_str(&table("Places", &heads, &rows));
    address(base, typed, &body)
}
