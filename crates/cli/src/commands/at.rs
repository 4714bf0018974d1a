//! `at`: one coordinate typed by hand.

use super::json;
use crate::Done;
use crate::args::AtArgs;
use crate::flags::in_text;
use crate::text;
use anyhow::Result;
use basilocus::coordinates::finder::Finder;
use basilocus::coordinates::{position_text, system};
use basilocus::geodesy::crs::{Area, Catalogue, Crs, Kind};
use basilocus::geodesy::notation::{self, Notation};
use basilocus::geodesy::sheet;
use basilocus::geodesy::zone::{UtmZone, band_of};
use basilocus::plan::OperationPlan;
use serde_json::{Value, json as object};
use std::fmt::Write;

/// Systems offered without being asked for.
const OFFERED: usize = 6;
/// Decimals of seconds without the option; other notations have what is worth as much.
const USUAL_DIGITS: usize = 2;

struct Place {
    crs: Crs,
    x: f64,
    y: f64,
    z: Option<f64>,
    accuracy_m: Option<f64>,
    operation: String,
    notes: Vec<String>,
}

/// Reads a coordinate and gives it in every useful form.
pub fn run(a: &AtArgs) -> Result<Done> {
    let catalogue = Catalogue::embedded();
    let wgs84 = catalogue.get(4326)?;
    let p = position_text::read(&a.coordinate, a.from.as_deref(), position_text::order(a.order.as_deref())?)?;
    let here =
        Area { west_deg: p.lon, south_deg: p.lat, east_deg: p.lon, north_deg: p.lat, description: String::new() };
    let finder = Finder::new(&a.operation.clone(), false)?.around(here);
    // A local transformation or a way by name is for the systems asked for; WGS 84 is reached as ever.
    let plain = Finder::new(&OperationPlan { via: None, ..a.operation.clone() }, false)?
        .around(finder.near().cloned().unwrap_or_else(|| wgs84.area.clone()));
    let (lon, lat, _, to_wgs84) = p.in_system(&wgs84, &plain)?;
    let place = |crs: Crs, finder: &Finder| -> Result<Place, basilocus::Error> {
        let (x, y, z, op) = p.in_system(&crs, finder)?;
        Ok(Place {
            accuracy_m: op.accuracy_m(),
            operation: op.name().to_string(),
            notes: op.notes().to_vec(),
            x,
            y,
            z,
            crs,
        })
    };
    let mut places = Vec::new();
    for text in &a.to {
        places.push(place(system::find(text)?.crs, &finder)?);
    }
    if a.to.is_empty() {
        offered(catalogue, lon, lat, &|crs| place(crs, &plain).ok(), &mut places);
    }
    let digits = a.digits.unwrap_or(USUAL_DIGITS);
    let mut written: Vec<(Notation, usize, String)> = Vec::new();
    for n in notation::NOTATIONS {
        // Codes are written to about a metre; the written angles follow the digits that were asked for.
        let d = match n.is_code() {
            true => n.usual_digits(),
            false => (n.usual_digits() + digits).saturating_sub(USUAL_DIGITS),
        };
        let (x, y) = match n.crs_code() {
            None => (lon, lat),
            Some(code) => match p.in_system(&catalogue.get(code)?, &plain) {
                Ok((x, y, ..)) => (x, y),
                Err(_) => continue,
            },
        };
        if let Some(t) = notation::print(x, y, *n, d) {
            written.push((*n, d, t));
        }
    }
    let zone = UtmZone::of(lon, lat);
    let sheet = sheet::international(lon, lat);
    let said = a.from.is_some();
    if a.json {
        let notations: serde_json::Map<String, Value> =
            written.iter().map(|(n, _, t)| (n.name().to_string(), Value::from(t.as_str()))).collect();
        let systems: Vec<Value> = places
            .iter()
            .map(|p| object!({"code": p.crs.identifier(), "name": p.crs.name, "x": p.x, "y": p.y, "z": p.z, "unit": p.crs.unit_words(), "operation": p.operation, "accuracy_m": p.accuracy_m, "notes": p.notes}))
            .collect();
        text::print(&json(&object!({
            "input": a.coordinate,
            "read_as": p.read_as,
            "reading": p.words,
            "crs": p.crs.identifier(),
            "crs_said": said,
            "lon": lon,
            "lat": lat,
            "height_m": p.height_m,
            "cell_m": p.cell_m,
            "accuracy_m": to_wgs84.accuracy_m(),
            "operation": {"name": to_wgs84.name(), "accuracy_m": to_wgs84.accuracy_m(), "grids": to_wgs84.grids(), "steps": to_wgs84.steps(), "notes": to_wgs84.notes()},
            "notations": notations,
            "zone": zone.map(|z| object!({"number": z.number, "band": band_of(lat).map(String::from), "central_meridian": z.central_meridian_deg(), "west": z.limits_deg().0, "east": z.limits_deg().1})),
            "sheet": sheet.as_ref().map(|s| object!({"number": s.number, "west": s.limits_deg[0], "south": s.limits_deg[1], "east": s.limits_deg[2], "north": s.limits_deg[3]})),
            "systems": systems,
        }))?)?;
        return Ok(Done::Fine);
    }
    let mut out = String::new();
    let _ = writeln!(out, "read as      {} ({})", p.words, p.read_as);
    if let Some(cell) = p.cell_m {
        let _ =
            writeln!(out, "             a code names a cell; this is its centre, the cell is {} across", length(cell));
    }
    let because = match (said, p.crs.code == Some(4326)) {
        (true, _) => "",
        (false, true) => ", because --from says nothing else",
        (false, false) => ", because the text says so",
    };
    let _ = writeln!(out, "in           {}{because}", p.crs.title());
    if to_wgs84.accuracy_m() != Some(0.0) {
        let _ = writeln!(
            out,
            "to WGS 84    by {}; accuracy {}",
            to_wgs84.name(),
            basilocus::accuracy_words(to_wgs84.accuracy_m())
        );
        for note in to_wgs84.notes() {
            let _ = writeln!(out, "note         {}", in_text(note));
        }
    }
    let _ = writeln!(out, "\nthe same spot in WGS 84");
    for (n, d, t) in &written {
        let (north, _) = n.last_digit_m(*d, lat);
        let what = if n.is_cell() { "cell" } else { "last digit" };
        let _ = writeln!(out, "  {:<43} {t:<42} {what}: {}", n.words(), length(north));
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
        let heights = places.iter().any(|p| p.z.is_some());
        let rows: Vec<Vec<String>> = places
            .iter()
            .map(|p| {
                let d = if p.crs.is_geographic() { 7 } else { 2 };
                let mut row =
                    vec![p.crs.identifier(), p.crs.name.clone(), format!("{:.d$}", p.x), format!("{:.d$}", p.y)];
                if heights {
                    row.push(p.z.map_or(String::new(), |z| format!("{z:.3}")));
                }
                row.push(p.crs.unit_words());
                row.push(basilocus::accuracy_words(p.accuracy_m).replace(" (a conversion, no change of datum)", ""));
                row
            })
            .collect();
        let mut header = vec!["code", "name", "x", "y"];
        if heights {
            header.push("z");
        }
        header.extend(["unit", "accuracy"]);
        out.push_str(&text::table(&header, &rows));
        if !a.to.is_empty() {
            for p in &places {
                let _ = writeln!(out, "  {} by {}", p.crs.identifier(), p.operation);
                for note in &p.notes {
                    let _ = writeln!(out, "    note: {}", in_text(note));
                }
            }
        }
    }
    text::print(&out)?;
    Ok(Done::Fine)
}

/// The smallest areas of use that hold the position, in datums of today first.
fn offered(catalogue: Catalogue, lon: f64, lat: f64, place: &dyn Fn(Crs) -> Option<Place>, out: &mut Vec<Place>) {
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
        let Some(code) = crs.code else {
            continue;
        };
        if wanted.len() < OFFERED + 2
            && today
            && basilocus::geodesy::projection::Projection::is_implemented(method)
            && seen.insert(crs.area.description.clone())
        {
            wanted.push(code);
        }
    }
    for code in wanted {
        if out.iter().all(|p| p.crs.code != Some(code))
            && let Ok(crs) = catalogue.get(code)
            && let Some(p) = place(crs)
        {
            out.push(p);
        }
    }
}

fn length(metres: f64) -> String {
    if metres >= 1000.0 {
        format!("{:.1} km", metres / 1000.0)
    } else if metres >= 1.0 {
        format!("{metres:.1} m")
    } else if metres >= 0.01 {
        format!("{:.1} cm", metres * 100.0)
    } else {
        format!("{:.2} mm", metres * 1000.0)
    }
}
