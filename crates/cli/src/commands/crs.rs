//! `crs find` and `crs show`

use super::json;
use crate::Done;
use crate::args::CrsCommand;
use crate::text;
use anyhow::Result;
use basilocus::geodesy::crs::{Catalogue, Crs, Kind, wkt};
use serde_json::{Value, json as object};

/// Finds or shows systems.
pub fn run(command: &CrsCommand) -> Result<Done> {
    let catalogue = Catalogue::embedded();
    match command {
        CrsCommand::Find { words, most, json: as_json } => {
            let query = words.join(" ");
            let hits = catalogue.search(&query);
            if hits.is_empty() {
                // The error of an unknown name offers what is near.
                return match catalogue.find_one(&query) {
                    Err(e) => Err(e.into()),
                    Ok(crs) => {
                        text::print(&text::crs(&crs, None))?;
                        Ok(Done::Fine)
                    }
                };
            }
            if *as_json {
                let list: Vec<Value> = hits.iter().take(*most).map(|h| object!({"code": format!("EPSG:{}", h.code), "name": h.name, "kind": h.kind, "unit": h.unit, "area": h.area})).collect();
                text::print(&json(&object!({"query": query, "found": hits.len(), "systems": list}))?)?;
                return Ok(Done::Fine);
            }
            let rows: Vec<Vec<String>> = hits
                .iter()
                .take(*most)
                .map(|h| {
                    vec![
                        format!("EPSG:{}", h.code),
                        h.name.to_string(),
                        h.kind.to_string(),
                        h.unit.to_string(),
                        h.area.chars().take(48).collect(),
                    ]
                })
                .collect();
            let mut out = text::table(&["code", "name", "kind", "unit", "area of use"], &rows);
            if hits.len() > *most {
                out.push_str(&format!("and {} more; add words, or --most N\n", hits.len() - most));
            }
            text::print(&out)?;
        }
        CrsCommand::Show { crs, wkt: only_wkt, json: as_json } => {
            let crs = catalogue.find_one(crs)?;
            let wkt_text = wkt::wkt1(&crs);
            if *only_wkt {
                text::print(&format!("{}\n", wkt_text?))?;
            } else if *as_json {
                text::print(&json(&show(&crs, wkt_text.ok()))?)?;
            } else {
                text::print(&text::crs(&crs, wkt_text.ok().as_deref()))?;
            }
        }
    }
    Ok(Done::Fine)
}

fn show(crs: &Crs, wkt: Option<String>) -> Value {
    let mut out = object!({
        "code": crs.identifier(), "name": crs.name, "kind": crs.kind_name(), "unit": crs.unit_words(), "axes": crs.axes, "wkt": wkt,
        "area": {"description": crs.area.description, "west": crs.area.west_deg, "south": crs.area.south_deg, "east": crs.area.east_deg, "north": crs.area.north_deg},
    });
    if let Some(d) = crs.datum() {
        out["datum"] = object!({"name": d.name, "ellipsoid": d.ellipsoid.name, "semi_major_m": d.ellipsoid.semi_major_m, "inverse_flattening": d.ellipsoid.inverse_flattening, "prime_meridian": d.prime_meridian, "prime_meridian_deg": d.prime_meridian_deg});
    }
    if let Kind::Projected { base_code, method, parameters, unit, .. } = &crs.kind {
        let list: serde_json::Map<String, Value> =
            parameters.0.iter().map(|(n, v)| (n.clone(), Value::from(*v))).collect();
        out["projection"] = object!({"base": format!("EPSG:{base_code}"), "method": method, "parameters": list, "unit_m": unit.metres, "implemented": crs.projection().is_ok()});
    }
    out
}
