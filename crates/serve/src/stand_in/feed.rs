//! A feed of gauges that changes by itself: water levels of the invented Tern Estuary, as GeoRSS, GeoJSON and CSV. What it
//! says depends on the time alone, so that it is the same for all who ask within one period.

use crate::problem::Problem;
use crate::server::App;
use axum::extract::{Path, State};
use axum::http::{HeaderMap, StatusCode, header};
use axum::response::{IntoResponse, Response};
use jiff::Timestamp;
use quick_xml::escape::escape;
use serde_json::json;
use std::f64::consts::TAU;
use std::fmt::Write;
use std::sync::Arc;
use std::time::Duration;

/// A gauge: identifier, name, longitude, latitude, mean level and amplitude in metres, and a share of the tide by which it
/// is late.
struct Gauge(&'static str, &'static str, f64, f64, f64, f64, f64);

const GAUGES: [Gauge; 6] = [
    Gauge("TG000", "Ternport wharf", -123.8282, 46.1932, 1.62, 1.30, 0.00),
    Gauge("TG001", "Mill Slough mouth", -123.7702, 46.1741, 1.48, 1.05, 0.03),
    Gauge("TG002", "Cannery Creek", -123.8051, 46.1652, 1.35, 0.72, 0.05),
    Gauge("TG003", "Graywater lock", -123.7411, 46.2613, 1.71, 0.94, 0.08),
    Gauge("TG004", "Lower Tern bridge", -123.8804, 46.2305, 1.55, 1.21, 0.02),
    Gauge("TG005", "Pilot Bar", -123.9302, 46.2498, 1.50, 1.42, 0.00),
];

/// The principal lunar tide, seconds.
const TIDE_S: f64 = 44_714.0;
/// Levels from here up are told as high, metres.
const HIGH_M: f64 = 2.4;

/// A gauge as it is at a time.
struct Reading {
    gauge: &'static Gauge,
    at: String,
    level_m: f64,
    state: &'static str,
}

/// The readings of the period that a time is in, and the number of that period.
fn readings(now: Timestamp, period: Duration) -> (i64, Vec<Reading>) {
    let seconds = period.as_secs().max(1) as i64;
    let number = now.as_second().div_euclid(seconds);
    let begun = number * seconds;
    let at = Timestamp::from_second(begun).unwrap_or(now).strftime("%Y-%m-%dT%H:%M:%SZ").to_string();
    let reading = |gauge: &'static Gauge| {
        let phase = begun as f64 / TIDE_S - gauge.6;
        let level_m = ((gauge.4 + gauge.5 * (TAU * phase).sin()) * 100.0).round() / 100.0;
        let state = if level_m >= HIGH_M { "high" } else { "normal" };
        Reading { gauge, at: at.clone(), level_m, state }
    };
    (number, GAUGES.iter().map(reading).collect())
}

fn as_rss(readings: &[Reading]) -> String {
    let mut out = String::from(
        "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<rss version=\"2.0\" xmlns:georss=\"http://www.georss.org/georss\" xmlns:g=\"urn:x-tern:gauges\">\n<channel>\n<title>Tern Estuary gauges</title>\n<description>Levels; all invented</description>\n",
    );
    for r in readings {
        let Gauge(id, name, lon, lat, ..) = r.gauge;
        let _ = writeln!(
            out,
            "<item><title>{}</title><guid isPermaLink=\"false\">{id}</guid><g:read>{}</g:read><g:level unit=\"m\">{:.2}</g:level><g:state>{}</g:state><georss:point>{lat} {lon}</georss:point></item>",
            escape(*name),
            r.at,
            r.level_m,
            r.state
        );
    }
    out + "</channel>\n</rss>\n"
}

fn as_geojson(readings: &[Reading]) -> String {
    let feature = |r: &Reading| {
        let Gauge(id, name, lon, lat, ..) = r.gauge;
        json!({
            "type": "Feature",
            "id": id,
            "geometry": {"type": "Point", "coordinates": [lon, lat]},
            "properties": {"gauge": id, "name": name, "read": r.at, "level_m": r.level_m, "state": r.state},
        })
    };
    json!({"type": "FeatureCollection", "features": readings.iter().map(feature).collect::<Vec<_>>()}).to_string()
        + "\n"
}

fn as_csv(readings: &[Reading]) -> String {
    let mut out = String::from("gauge,name,lon,lat,read,level_m,state\n");
    for r in readings {
        let Gauge(id, name, lon, lat, ..) = r.gauge;
        let _ = writeln!(out, "{id},{name},{lon},{lat},{},{:.2},{}", r.at, r.level_m, r.state);
    }
    out
}

/// `GET /feed/gauges.xml`, `.geojson`, `.csv`
pub(crate) async fn get(
    State(app): State<Arc<App>>,
    Path(name): Path<String>,
    headers: HeaderMap,
) -> Result<Response, Problem> {
    let period = app.feed.ok_or_else(|| Problem::new(StatusCode::NOT_FOUND, "no feed is served here"))?;
    let (kind, write): (&str, fn(&[Reading]) -> String) = match name.as_str() {
        "gauges.xml" => ("application/rss+xml", as_rss),
        "gauges.geojson" => ("application/geo+json", as_geojson),
        "gauges.csv" => ("text/csv; charset=utf-8", as_csv),
        _ => {
            let detail = format!("there is no feed \"{name}\"; gauges.xml, gauges.geojson and gauges.csv are served");
            return Err(Problem::new(StatusCode::NOT_FOUND, detail));
        }
    };
    let (number, readings) = readings(Timestamp::now(), period);
    let tag = format!("\"{number}\"");
    if headers.get(header::IF_NONE_MATCH).is_some_and(|v| v.as_bytes() == tag.as_bytes()) {
        return Ok((StatusCode::NOT_MODIFIED, [(header::ETAG, tag)]).into_response());
    }
    Ok(([(header::CONTENT_TYPE, kind.to_string()), (header::ETAG, tag)], write(&readings)).into_response())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn readings_change_with_the_period_and_stay_within_the_tide() {
        let at = |text: &str| readings(text.parse().unwrap(), Duration::from_secs(60));
        let (a, first) = at("2026-11-28T06:00:10Z");
        let (b, same) = at("2026-11-28T06:00:50Z");
        let (c, later) = at("2026-11-28T06:31:00Z");
        assert_eq!((a, as_csv(&first)), (b, as_csv(&same)));
        assert!(c > a && as_csv(&first) != as_csv(&later));
        for r in first.iter().chain(&later) {
            assert!((r.level_m - r.gauge.4).abs() <= r.gauge.5 + 0.005, "{}", r.level_m);
        }
        assert!(as_csv(&first).contains("2026-11-28T06:00:00Z"));
        roxmltree::Document::parse(&as_rss(&first)).unwrap();
        let json: serde_json::Value = serde_json::from_str(&as_geojson(&first)).unwrap();
        assert_eq!(json["features"].as_array().unwrap().len(), GAUGES.len());
    }
}
