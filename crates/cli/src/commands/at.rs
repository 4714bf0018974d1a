//! `at`: one coordinate typed by hand.

use super::json;
use crate::Done;
use crate::args::AtArgs;
use crate::text;
use anyhow::Result;
use basilocus::geodesy::crs::{Catalogue, Crs, Kind};
use basilocus::geodesy::notation::{self, AxisOrder, Notation};
use basilocus::geodesy::operation::Operation;
use basilocus::geodesy::zone::{UtmZone, band_of};
use basilocus::geodesy::{Error, sheet};
use serde_json::{Value, json as object};
use std::fmt::Write;

/// Systems offered without being asked for.
const OFFERED: usize = 6;

struct Place {
    crs: Crs,
    x: f64,
    y: f64,
    accuracy_m: Option<f64>,
    operation: String,
}

/// Reads a coordinate and gives it in every useful form.
pub fn run(a: &AtArgs) -> Result<Done> {
    let catalogue = Catalogue::embedded();
    let wgs84 = catalogue.get(4326)?;
    let from = match &a.from {
        Some(text) => catalogue.find_one(text)?,
        None => wgs84.clone(),
    };
    let order = match a.order.as_deref() {
        None => AxisOrder::Reject,
        Some("latitude-first") => AxisOrder::LatitudeFirst,
        Some("longitude-first") => AxisOrder::LongitudeFirst,
        Some(other) => {
            return Err(basilocus::Error::Plan(format!(
                "--order {other}: latitude-first or longitude-first is expected"
            ))
            .into());
        }
    };
    let (x, y, read_as, words) = read(&a.coordinate, &from, order)?;
    let to_wgs84 = Operation::between(&from, &wgs84, Some(&from.area))?;
    let outside = || {
        anyhow::anyhow!(
            "\"{}\" is outside the domain of {}; check the numbers, or the system said with --from",
            a.coordinate,
            from.title()
        )
    };
    let (lon, lat, _) = to_wgs84.apply_one(x, y, 0.0).ok_or_else(outside)?;
    let place = |crs: Crs| -> Result<Option<Place>, Error> {
        let op = Operation::between(&from, &crs, None)?;
        Ok(op.apply_one(x, y, 0.0).map(|(x, y, _)| Place {
            accuracy_m: op.accuracy_m(),
            operation: op.name().to_string(),
            x,
            y,
            crs,
        }))
    };
    let mut places = Vec::new();
    for text in &a.to {
        let crs = catalogue.find_one(text)?;
        let title = crs.title();
        places.push(place(crs)?.ok_or_else(|| anyhow::anyhow!("this position is outside the domain of {title}"))?);
    }
    if a.to.is_empty() {
        offered(catalogue, lon, lat, &place, &mut places);
    }
    let digits = a.digits.unwrap_or(2);
    let forms = [
        (Notation::DecimalDegrees, digits + 4),
        (Notation::DegreesMinutes, digits + 2),
        (Notation::DegreesMinutesSeconds, digits),
        (Notation::Utm, digits.saturating_sub(1)),
    ];
    let written: Vec<(Notation, usize, String)> =
        forms.iter().filter_map(|(n, d)| notation::print(lon, lat, *n, *d).map(|t| (*n, *d, t))).collect();
    let zone = UtmZone::of(lon, lat);
    let sheet = sheet::international(lon, lat);
    if a.json {
        let notations: serde_json::Map<String, Value> =
            written.iter().map(|(n, _, t)| (n.name().to_string(), Value::from(t.as_str()))).collect();
        let systems: Vec<Value> = places
            .iter()
            .map(|p| object!({"code": p.crs.identifier(), "name": p.crs.name, "x": p.x, "y": p.y, "unit": p.crs.unit_words(), "operation": p.operation, "accuracy_m": p.accuracy_m}))
            .collect();
        text::print(&json(&object!({
            "input": a.coordinate,
            "read_as": read_as,
            "reading": words,
            "crs": from.identifier(),
            "crs_said": a.from.is_some(),
            "lon": lon,
            "lat": lat,
            "accuracy_m": to_wgs84.accuracy_m(),
            "notations": notations,
            "zone": zone.map(|z| object!({"number": z.number, "band": band_of(lat).map(String::from), "central_meridian": z.central_meridian_deg(), "west": z.limits_deg().0, "east": z.limits_deg().1})),
            "sheet": sheet.as_ref().map(|s| object!({"number": s.number, "west": s.limits_deg[0], "south": s.limits_deg[1], "east": s.limits_deg[2], "north": s.limits_deg[3]})),
            "systems": systems,
        }))?)?;
        return Ok(Done::Fine);
    }
    let mut out = String::new();
    let _ = writeln!(out, "read as      {words} ({read_as})");
    let _ = writeln!(
        out,
        "in           {}{}",
        from.title(),
        if a.from.is_some() { "" } else { ", because --from says nothing else" }
    );
    if to_wgs84.accuracy_m() != Some(0.0) {
        let _ = writeln!(
            out,
            "to WGS 84    by {}; accuracy {}",
            to_wgs84.name(),
            basilocus::accuracy_words(to_wgs84.accuracy_m())
        );
    }
    let _ = writeln!(out, "\nthe same spot in WGS 84");
    for (n, d, t) in &written {
        let (north, _) = n.last_digit_m(*d, lat);
        let _ = writeln!(out, "  {:<34} {t:<42} last digit: {}", n.words(), length(north));
    }
    if let (Some(z), Some(band)) = (zone, band_of(lat)) {
        let (west, east) = z.limits_deg();
        let _ = writeln!(
            out,
            "  zone {}{band}, central meridian {}°, from {west}° to {east}°",
            z.number,
            z.central_meridian_deg()
        );
    }
    if let Some(s) = &sheet {
        let _ = writeln!(out, "  international map sheet 1:1,000,000 {}", s.number);
    }
    if !places.is_empty() {
        let _ = writeln!(out, "\nin other systems (easting or longitude first)");
        let rows: Vec<Vec<String>> = places
            .iter()
            .map(|p| {
                let d = if p.crs.is_geographic() { 7 } else { 2 };
                vec![
                    p.crs.identifier(),
                    p.crs.name.clone(),
                    format!("{:.d$}", p.x),
                    format!("{:.d$}", p.y),
                    p.crs.unit_words(),
                    basilocus::accuracy_words(p.accuracy_m).replace(" (a conversion, no change of datum)", ""),
                ]
            })
            .collect();
        out.push_str(&text::table(&["code", "name", "x", "y", "unit", "accuracy"], &rows));
    }
    text::print(&out)?;
    Ok(Done::Fine)
}

/// Coordinates in the source system, how they were read, and in words.
fn read(text: &str, from: &Crs, order: AxisOrder) -> Result<(f64, f64, String, String)> {
    if from.is_geographic() {
        let r = notation::read(text, order).map_err(Error::Notation)?;
        return Ok((r.lon_deg, r.lat_deg, r.notation.words(), r.words));
    }
    // Two numbers of a plane system: easting first.
    let parts: Vec<&str> =
        if text.contains(';') { text.split(';').collect() } else { text.split_whitespace().collect() };
    let numbers: Vec<f64> = parts
        .iter()
        .filter_map(|p| {
            notation::read_number(p.trim().trim_end_matches(',').trim_end_matches(|c: char| c.is_alphabetic())).ok()
        })
        .collect();
    match numbers.as_slice() {
        [x, y] if parts.len() == 2 => {
            let unit = from.unit_words();
            Ok((*x, *y, "easting and northing".into(), format!("easting {x}, northing {y} ({unit})")))
        }
        _ => anyhow::bail!(
            "\"{text}\" is not an easting and a northing, which {} needs; two numbers with a blank between them are expected",
            from.title()
        ),
    }
}

/// The smallest areas of use that hold the position, in datums of today first.
fn offered(
    catalogue: Catalogue,
    lon: f64,
    lat: f64,
    place: &dyn Fn(Crs) -> Result<Option<Place>, Error>,
    out: &mut Vec<Place>,
) {
    let mut wanted: Vec<u32> = Vec::new();
    for code in [4269, 4258, 7844, 4167] {
        if catalogue.get(code).is_ok_and(|c| c.area.contains(lon, lat)) {
            wanted.push(code);
        }
    }
    if let Some(zone) = UtmZone::of(lon, lat) {
        wanted.push(zone.epsg_code());
    }
    let mut seen = std::collections::HashSet::new();
    for crs in catalogue.projected_at(lon, lat) {
        let Kind::Projected { datum, method, .. } = &crs.kind else {
            continue;
        };
        let today = ["GRS 1980", "WGS 84"].contains(&datum.ellipsoid.name.as_str()) && datum.shift.is_some();
        if wanted.len() < OFFERED + 2
            && today
            && basilocus::geodesy::projection::Projection::is_implemented(method)
            && seen.insert(crs.area.description.clone())
        {
            wanted.push(crs.code);
        }
    }
    for code in wanted {
        if out.iter().all(|p| p.crs.code != code)
            && let Ok(crs) = catalogue.get(code)
            && let Ok(Some(p)) = place(crs)
        {
            out.push(p);
        }
    }
}

fn length(metres: f64) -> String {
    if metres >= 1.0 {
        format!("{metres:.1} m")
    } else if metres >= 0.01 {
        format!("{:.1} cm", metres * 100.0)
    } else {
        format!("{:.2} mm", metres * 1000.0)
    }
}
