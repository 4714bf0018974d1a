//! `crs find`, `show`, `between`, `advise` and `detect`

use super::json;
use crate::Done;
use crate::args::{AdviseArgs, BetweenArgs, CrsCommand, DetectArgs};
use crate::flags::in_text;
use crate::text;
use anyhow::Result;
use basilocus::Cancel;
use basilocus::coordinates::finder::Finder;
use basilocus::coordinates::measure::read_points;
use basilocus::coordinates::{place, system};
use basilocus::geodesy::crs::advise::{PURPOSES, Worst};
use basilocus::geodesy::crs::{Catalogue, Crs, Kind, Purpose, advise, wkt};
use basilocus::geodesy::operation::Way;
use basilocus::plan::{LayerPlan, OperationPlan};
use basilocus::steps::Positions;
use serde_json::{Value, json as object};
use std::fmt::Write;
use std::path::Path;

/// Finds, shows, compares systems.
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
                        text::print(&text::crs(&crs, &[], None))?;
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
        CrsCommand::Show { crs, wkt: version, toml, json: as_json } => {
            let found = system::find(crs)?;
            let crs = &found.crs;
            // Version 2 has a form for what version 1 has none for.
            let wkt_text = wkt::wkt1(crs).or_else(|_| wkt::wkt2(crs));
            if let Some(version) = version {
                let text = if *version == 2 { wkt::wkt2(crs)? } else { wkt::wkt1(crs)? };
                text::print(&format!("{text}\n"))?;
            } else if *toml {
                text::print(&system::to_toml(crs)?)?;
            } else if *as_json {
                let others: Vec<String> = found.others.iter().map(Crs::title).collect();
                let mut out = show(crs, wkt_text.ok(), wkt::wkt2(crs).ok());
                out["evidence"] = Value::from(found.evidence);
                out["others"] = Value::from(others);
                text::print(&json(&out)?)?;
            } else {
                let mut evidence = found.evidence.clone();
                if !found.others.is_empty() {
                    let list: Vec<String> = found.others.iter().map(Crs::title).collect();
                    evidence.push(format!("with the same numbers: {}", list.join("; ")));
                }
                text::print(&text::crs(crs, &evidence, wkt_text.ok().as_deref()))?;
            }
        }
        CrsCommand::Between(a) => between(a)?,
        CrsCommand::Advise(a) => advised(a)?,
        CrsCommand::Detect(a) => detected(a)?,
    }
    Ok(Done::Fine)
}

fn show(crs: &Crs, wkt: Option<String>, wkt2: Option<String>) -> Value {
    let mut out = object!({
        "code": crs.identifier(), "name": crs.name, "kind": crs.kind_name(), "unit": crs.unit_words(), "axes": crs.axes, "wkt": wkt, "wkt2": wkt2,
        "area": {"description": crs.area.description, "west": crs.area.west_deg, "south": crs.area.south_deg, "east": crs.area.east_deg, "north": crs.area.north_deg},
    });
    if let Some(d) = crs.datum() {
        out["datum"] = object!({"name": d.name, "ellipsoid": d.ellipsoid.name, "semi_major_m": d.ellipsoid.semi_major_m, "inverse_flattening": d.ellipsoid.inverse_flattening, "prime_meridian": d.prime_meridian, "prime_meridian_deg": d.prime_meridian_deg});
    }
    if let Kind::Projected { base, method, parameters, unit, .. } = &crs.horizontal().kind {
        let list: serde_json::Map<String, Value> =
            parameters.0.iter().map(|(n, v)| (n.clone(), Value::from(*v))).collect();
        let about = crs.projection().ok().flatten().map(|p| p.about());
        out["projection"] = object!({
            "base": base.code.map_or_else(|| base.name.clone(), |c| format!("EPSG:{c}")), "method": method, "parameters": list, "unit_m": unit.metres,
            "implemented": about.is_some(), "domain": about.map(|a| a.domain), "source": about.map(|a| a.source),
        });
    }
    if let Kind::Compound { horizontal, vertical } = &crs.kind {
        out["parts"] = object!([horizontal.title(), vertical.title()]);
    }
    out
}

fn accuracy(w: &Way) -> Option<f64> {
    Some(w.accuracy_m).filter(|a| a.is_finite())
}

fn between(a: &BetweenArgs) -> Result<()> {
    let (from, to) = (system::find(&a.from)?.crs, system::find(&a.to)?.crs);
    let mut finder =
        Finder::new(&OperationPlan { epoch: a.epoch, grids: a.grids.clone(), ..Default::default() }, false)?;
    let near = a.near.as_deref().map(place::find).transpose()?;
    if let Some(place) = &near {
        finder = finder.around(place.area.clone());
    }
    let ways = finder.ways(&from, &to)?;
    let taken = finder.find(&from, &to);
    // What the grid files themselves say of the place.
    let stated = match (&near, &taken, from.geographic()) {
        (Some(place), Ok(op), Some(geographic)) if place.is_point() && !op.grids().is_empty() => {
            let there = finder
                .find(&geographic, &from)
                .ok()
                .and_then(|o| o.apply_one(place.area.west_deg, place.area.south_deg, 0.0));
            there.and_then(|(x, y, _)| op.grid_accuracy_m(x, y, 0.0))
        }
        _ => None,
    };
    let mark = |w: &Way| {
        if taken.as_ref().is_ok_and(|op| op.name() == w.name || w.legs.is_empty()) {
            "taken"
        } else if !w.has_its_grids() {
            "grid missing"
        } else if w.needs_epoch && a.epoch.is_none() {
            "needs --epoch"
        } else {
            ""
        }
    };
    if a.json {
        let list: Vec<Value> = ways
            .iter()
            .map(|w| {
                let grids: Vec<Value> = w.grids.iter().map(|(n, there)| object!({"file": n, "present": there})).collect();
                object!({"name": w.name, "accuracy_m": accuracy(w), "holds_area": w.holds_area, "needs_epoch": w.needs_epoch, "through": w.through(), "grids": grids, "taken": mark(w) == "taken"})
            })
            .collect();
        let (operation, error) = match &taken {
            Ok(op) => (
                object!({"name": op.name(), "accuracy_m": op.accuracy_m(), "grids": op.grids(), "steps": op.steps(), "notes": op.notes(), "grid_accuracy_m": stated}),
                Value::Null,
            ),
            Err(e) => (Value::Null, Value::from(e.to_string())),
        };
        let report = object!({"from": from.title(), "to": to.title(), "near": near.map(|p| p.words), "epoch": a.epoch, "ways": list, "operation": operation, "error": error});
        text::print(&json(&report)?)?;
        return Ok(());
    }
    let mut out = format!("{} → {}\n", from.title(), to.title());
    if let Some(p) = &near {
        let _ = writeln!(out, "  near       {}", p.words);
    }
    if ways.len() == 1 && ways[0].legs.is_empty() {
        out.push_str("  a conversion only: both are on the same datum, and nothing is lost\n");
    } else if ways.is_empty() {
        out.push_str("  no way is known\n");
    } else {
        let rows: Vec<Vec<String>> = ways
            .iter()
            .take(a.most)
            .enumerate()
            .map(|(i, w)| {
                let grids: Vec<String> = w
                    .grids
                    .iter()
                    .map(|(n, there)| format!("{n} ({})", if *there { "there" } else { "missing" }))
                    .collect();
                vec![
                    (i + 1).to_string(),
                    accuracy(w).map_or("not stated".into(), |a| format!("{a} m")),
                    if w.holds_area { "yes" } else { "no" }.into(),
                    w.name.clone(),
                    grids.join(", "),
                    mark(w).into(),
                ]
            })
            .collect();
        out.push_str(&text::whole_table(&["", "accuracy", "area holds", "way", "grid files", ""], &rows));
        if ways.len() > a.most {
            let _ = writeln!(out, "and {} more; --most N shows them", ways.len() - a.most);
        }
    }
    match &taken {
        Ok(op) => {
            let _ = writeln!(out, "\ntaken: {}", op.name());
            let _ = writeln!(out, "  accuracy   {}", basilocus::accuracy_words(op.accuracy_m()));
            if let Some(a) = stated {
                let _ = writeln!(out, "  here       {a:.3} m, as the grid file states");
            }
            for step in op.steps() {
                let _ = writeln!(out, "  step       {step}");
            }
            for note in op.notes() {
                let _ = writeln!(out, "  note       {}", in_text(note));
            }
        }
        Err(e) => {
            let _ = writeln!(out, "\nnone is taken: {}", in_text(&e.to_string()));
        }
    }
    text::print(&out)?;
    Ok(())
}

fn advised(a: &AdviseArgs) -> Result<()> {
    let purpose = Purpose::from_name(&a.purpose).ok_or_else(|| {
        basilocus::Error::Usage(format!(
            "--for {}: one of {} is expected",
            a.purpose,
            PURPOSES.iter().map(|(_, n)| *n).collect::<Vec<_>>().join(", ")
        ))
    })?;
    let (area, words) = if Path::new(&a.area).is_file() {
        let layer = LayerPlan {
            input: a.input.clone(),
            ..LayerPlan::new(&a.area).with(Positions { from: a.from.clone(), ..Default::default() })
        };
        let area = read_points(&layer, &Cancel::default())?.area()?;
        let words = format!(
            "{}: {:.4}° to {:.4}° longitude, {:.4}° to {:.4}° latitude",
            a.area, area.west_deg, area.east_deg, area.south_deg, area.north_deg
        );
        (area, words)
    } else {
        let place = place::find(&a.area)?;
        let area = if place.is_point() { place.widened(10.0) } else { place.area.clone() };
        (area, if place.is_point() { format!("within 10 km of {}", place.words) } else { place.words })
    };
    let found = advise(&area, purpose);
    if a.json {
        let list: Vec<Value> = found
            .iter()
            .take(a.most)
            .map(|s| {
                object!({"code": s.crs.code.map(|_| s.crs.identifier()), "name": s.crs.name, "unit": s.crs.unit_words(), "reasons": s.reasons,
                    "length_error_ppm": s.worst.length_ppm(), "area_error_ppm": s.worst.area_ppm(), "angular_distortion_deg": s.worst.angular_distortion_deg, "convergence_deg": s.worst.convergence_deg,
                    "toml": if s.crs.code.is_none() { system::to_toml(&s.crs).ok() } else { None }})
            })
            .collect();
        text::print(&json(
            &object!({"area": [area.west_deg, area.south_deg, area.east_deg, area.north_deg], "for": a.purpose, "found": found.len(), "systems": list}),
        )?)?;
        return Ok(());
    }
    let mut out = format!("for {} in {words}\n", a.purpose);
    if found.is_empty() {
        out.push_str("  no system of the catalogue covers it\n");
    } else {
        let rows: Vec<Vec<String>> = found
            .iter()
            .take(a.most)
            .map(|s| {
                let w = &s.worst;
                let none = *w == Worst::default();
                let number = |v: f64, unit: &str| if none { String::new() } else { format!("{}{unit}", short(v)) };
                vec![
                    s.crs.code.map_or("your own".into(), |_| s.crs.identifier()),
                    s.crs.name.clone(),
                    number(w.length_ppm(), " ppm"),
                    number(w.area_ppm(), " ppm"),
                    number(w.angular_distortion_deg, "°"),
                    number(w.convergence_deg, "°"),
                ]
            })
            .collect();
        out.push_str(&text::table(&["code", "name", "length error", "area error", "angle error", "grid north"], &rows));
        out.push_str("errors are the largest over the area; 1 ppm is 1 mm a kilometre, or 1 m² a square kilometre\n");
        if found.len() > a.most {
            let _ = writeln!(out, "and {} more; --most N shows them", found.len() - a.most);
        }
        if let Some(best) = found.first() {
            let _ = writeln!(out, "\nfirst: {}", best.crs.name);
            for reason in &best.reasons {
                let _ = writeln!(out, "  because    {reason}");
            }
        }
        if let Some(own) = found.iter().take(a.most).find(|s| s.crs.code.is_none()) {
            let _ = writeln!(out, "\nthe one of your own, to save as a .toml file and say with --to:\n");
            out.push_str(&system::to_toml(&own.crs)?);
        }
    }
    text::print(&out)?;
    Ok(())
}

/// A number with three figures that count.
fn short(v: f64) -> String {
    if v >= 100.0 {
        text::thousands(v.round() as u64)
    } else if v >= 1.0 {
        format!("{v:.1}")
    } else if v < 0.0005 {
        "0".into()
    } else {
        format!("{v:.3}")
    }
}

fn detected(a: &DetectArgs) -> Result<()> {
    let place = place::find(&a.near)?;
    let area = if place.is_point() { place.widened(a.within) } else { place.area.clone() };
    let layer = LayerPlan {
        input: a.input.clone(),
        ..LayerPlan::new(&a.file).with(Positions {
            from: Some("local".into()),
            x: a.x.clone(),
            y: a.y.clone(),
            ..Default::default()
        })
    };
    let points = read_points(&layer, &Cancel::default())?;
    let (found, looked_at) = points.detect(&area);
    let factor = |g: &basilocus::geodesy::crs::Detected| {
        g.unit_m.map(|m| match m {
            1.0 => "the numbers in metres".to_string(),
            0.3048 => "the numbers in international feet".into(),
            _ => "the numbers in US survey feet".to_string(),
        })
    };
    if a.json {
        let list: Vec<Value> = found
            .iter()
            .take(a.most)
            .map(|g| object!({"code": g.crs.identifier(), "name": g.crs.name, "unit": g.crs.unit_words(), "swapped": g.swapped, "unit_m": g.unit_m, "share": g.share, "in_area_of_use": g.in_area_of_use, "lon": g.middle.0, "lat": g.middle.1, "distance_m": g.distance_m}))
            .collect();
        text::print(&json(
            &object!({"file": a.file, "near": place.words, "points": points.x.len(), "looked_at": looked_at, "found": found.len(), "systems": list}),
        )?)?;
        return Ok(());
    }
    let mut out = format!("{}\n", a.file.display());
    for u in &points.interpretation {
        let _ = writeln!(
            out,
            "  read as    {}",
            u.replace(", in local grid (a system of your own) (units of the local grid)", "")
        );
    }
    let _ = writeln!(
        out,
        "  near       {}{}",
        place.words,
        if place.is_point() { format!(", within {} km", a.within) } else { String::new() }
    );
    if looked_at < points.x.len() {
        let _ = writeln!(
            out,
            "  looked at  {} of {} positions, evenly over the table",
            text::thousands(looked_at as u64),
            text::thousands(points.x.len() as u64)
        );
    }
    if found.is_empty() {
        out.push_str(
            "  in no system of the catalogue do these numbers fall there: a local grid? (see `basilocus fit`)\n",
        );
        text::print(&out)?;
        return Ok(());
    }
    let rows: Vec<Vec<String>> = found
        .iter()
        .take(a.most)
        .map(|g| {
            let mut how = Vec::new();
            how.extend(factor(g));
            if g.swapped {
                how.push("northing or latitude first".to_string());
            }
            if g.in_area_of_use < 0.9 {
                how.push("outside its area of use".to_string());
            }
            vec![
                g.crs.identifier(),
                g.crs.name.clone(),
                g.crs.unit_words(),
                format!("{:.0} %", g.share * 100.0),
                format!("{:.4}, {:.4}", g.middle.0, g.middle.1),
                how.join("; "),
            ]
        })
        .collect();
    let _ = writeln!(out, "\nthese numbers could be");
    out.push_str(&text::table(&["code", "name", "unit", "there", "middle (lon, lat)", "if"], &rows));
    if found.len() > a.most {
        let _ = writeln!(out, "and {} more; --most N shows them", found.len() - a.most);
    }
    out.push_str(
        "systems on other datums put them some 100 m beside each other; only a known point tells them apart\n",
    );
    text::print(&out)?;
    Ok(())
}
