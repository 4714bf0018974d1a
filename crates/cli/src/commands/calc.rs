//! `calc`: everyday arithmetic.

use super::json;
use crate::Done;
use crate::args::CalcCommand;
use crate::flags::in_text;
use crate::text;
use anyhow::Result;
use basilocus::coordinates::measure::{self, Measures, PointTable, Range};
use basilocus::coordinates::{position_text, sheets};
use basilocus::doubts::of_measures;
use basilocus::geodesy::crs::{Catalogue, Crs};
use basilocus::geodesy::geodesic::{Geodesic, rhumb};
use basilocus::geodesy::notation::{self, Notation};
use basilocus::geodesy::sheet::{self, SERIES, Sheet};
use basilocus::geodesy::unit::{ANGLES, LENGTHS, find_angle, find_length};
use basilocus::geodesy::zone::{UtmZone, band_limits_deg, band_of};
use basilocus::plan::{InputPlan, LayerPlan};
use basilocus::{Cancel, DoubtReport, Error};
use serde_json::{Value, json as object};
use std::fmt::Write;
use std::path::{Path, PathBuf};

/// Does one calculation.
pub fn run(command: &CalcCommand) -> Result<Done> {
    let (out, object) = match command {
        CalcCommand::Zone { what, json } => (zone(&what.join(" "))?, json),
        CalcCommand::Units { value, unit, to, json } => (units(value, unit, to)?, json),
        CalcCommand::Distance { a, b, from, order, json } => (distance(a, b, from.as_deref(), order.as_deref())?, json),
        CalcCommand::Area { what, from, on, order, json, input } => {
            (area(what, from.as_deref(), on.as_deref(), order.as_deref(), input)?, json)
        }
        CalcCommand::Sheet { what, index, index_crs, from, order, output, overwrite, json } => {
            let index = index.as_deref().map(|p| (p, index_crs.as_deref()));
            let layer = output.as_ref().map(|p| (p, *overwrite));
            (map_sheet(what, index, from.as_deref(), order.as_deref(), layer)?, json)
        }
        CalcCommand::Distortion { what, on, from, order, json, input } => {
            (distortion(what, on, from.as_deref(), order.as_deref(), input)?, json)
        }
    };
    let (words, value) = out;
    text::print(&if *object { json(&value)? } else { words })?;
    Ok(Done::Fine)
}

type Answer = (String, Value);

fn wrong(problem: String) -> anyhow::Error {
    Error::Usage(problem).into()
}

fn zone(what: &str) -> Result<Answer> {
    let plain = what.trim();
    // A zone: 1 to 60, perhaps with a hemisphere or a band.
    let digits: String = plain.chars().take_while(char::is_ascii_digit).collect();
    let rest = plain[digits.len()..].trim();
    let number = digits.parse::<u8>().ok().filter(|n| (1..=60).contains(n));
    let letter = rest.chars().next().filter(|_| rest.chars().count() == 1).map(|c| c.to_ascii_uppercase());
    // "10" alone is a zone; "10.5" and "-123.8" are longitudes.
    if let (Some(n), true) =
        (number, rest.is_empty() || letter.is_some_and(|l| l.is_ascii_alphabetic()) && !"EW°".contains(rest))
    {
        let band = letter.and_then(|l| band_limits_deg(l).map(|limits| (l, limits)));
        if letter.is_some() && band.is_none() {
            return Err(wrong(format!(
                "\"{what}\": {} is no hemisphere and no latitude band (C to X without I and O)",
                letter.unwrap_or(' ')
            )));
        }
        let north = |z: bool| UtmZone { number: n, north: z };
        let (west, east) = north(true).limits_deg();
        let middle = north(true).central_meridian_deg();
        let mut out = format!(
            "UTM zone {n}: central meridian {}, from {} to {}\n",
            longitude(middle),
            longitude(west),
            longitude(east)
        );
        let mut value = object!({"zone": n, "central_meridian": middle, "west": west, "east": east, "crs": [format!("EPSG:{}", north(true).epsg_code()), format!("EPSG:{}", north(false).epsg_code())]});
        // N and S are a hemisphere to most people and a band to some: both are said.
        if let Some((l, (s, t))) = band {
            let _ = writeln!(
                out,
                "  band {l}     from {} to {}{}",
                latitude(s),
                latitude(t),
                match l {
                    'N' => "; N also stands for the northern hemisphere",
                    'S' => "; S also stands for the southern hemisphere",
                    _ => "",
                }
            );
            value["band"] = object!({"letter": l.to_string(), "south": s, "north": t});
        }
        let _ = writeln!(
            out,
            "  in WGS 84  EPSG:{} (north), EPSG:{} (south)",
            north(true).epsg_code(),
            north(false).epsg_code()
        );
        if (31..=37).contains(&n) {
            out.push_str("  note       between 56° and 64° N zone 32 reaches from 3° to 12° E; from 72° N on there are 31, 33, 35 and 37 only\n");
        }
        return Ok((out, value));
    }
    let lone = notation::read_number(plain).ok().or_else(|| notation::read_angle(plain, false).ok().map(|a| a.degrees));
    let (lon, lat) = match lone {
        Some(lon) => (lon, None),
        None => {
            let p = position_text::read(plain, None, notation::AxisOrder::Reject)?;
            (p.lon, Some(p.lat))
        }
    };
    if lon.abs() > 360.0 {
        return Err(wrong(format!("\"{what}\": {lon} is no longitude; −180 to 180 degrees are expected")));
    }
    let zone = UtmZone::of(lon, lat.unwrap_or(0.0));
    let Some(z) = zone else {
        return Err(wrong(format!(
            "\"{what}\": UTM reaches from 80° S to 84° N; polewards the polar stereographic grid is used (EPSG:5041, EPSG:5042)"
        )));
    };
    let (west, east) = z.limits_deg();
    let middle = z.central_meridian_deg();
    let mut out = format!(
        "{}{} is in UTM zone {}: central meridian {}, from {} to {}\n",
        longitude(lon),
        lat.map_or(String::new(), |l| format!(", latitude {l}°")),
        z.number,
        longitude(middle),
        longitude(west),
        longitude(east)
    );
    let _ = writeln!(
        out,
        "  from there {:.6}° {} of the central meridian",
        (lon - middle).abs(),
        if lon < middle { "west" } else { "east" }
    );
    let mut value =
        object!({"zone": z.number, "lon": lon, "lat": lat, "central_meridian": middle, "west": west, "east": east});
    match lat {
        Some(lat) => {
            let _ = writeln!(out, "  band       {}; in WGS 84 EPSG:{}", band_of(lat).unwrap_or('-'), z.epsg_code());
            value["band"] = Value::from(band_of(lat).map(String::from));
            value["crs"] = object!([format!("EPSG:{}", z.epsg_code())]);
        }
        None => {
            let south = UtmZone { north: false, ..z };
            let _ = writeln!(out, "  in WGS 84  EPSG:{} (north), EPSG:{} (south)", z.epsg_code(), south.epsg_code());
            value["crs"] = object!([format!("EPSG:{}", z.epsg_code()), format!("EPSG:{}", south.epsg_code())]);
        }
    }
    if (0.0..42.0).contains(&lon) && lat.is_none() {
        out.push_str("  note       in south-west Norway and around Svalbard zones differ: say the latitude too\n");
    }
    Ok((out, value))
}

fn longitude(deg: f64) -> String {
    let d = (deg + 180.0).rem_euclid(360.0) - 180.0;
    let d = if d == -180.0 && deg > 0.0 { 180.0 } else { d };
    // The modulus leaves a digit of noise.
    let d = (d * 1e9).round() / 1e9;
    format!("{}° {}", d.abs(), if d < 0.0 { 'W' } else { 'E' })
}

fn latitude(deg: f64) -> String {
    format!("{}° {}", deg.abs(), if deg < 0.0 { 'S' } else { 'N' })
}

/// A number with ten figures that count.
fn figures(v: f64) -> String {
    if v == 0.0 || !v.is_finite() {
        return v.to_string();
    }
    let decimals = (9 - v.abs().log10().floor() as i32).clamp(0, 15) as usize;
    let text = format!("{v:.decimals$}");
    if text.contains('.') { text.trim_end_matches('0').trim_end_matches('.').to_string() } else { text }
}

fn units(value: &str, unit: &str, to: &[String]) -> Result<Answer> {
    let v = notation::read_number(value).map_err(|e| wrong(format!("{e}; a number is expected")))?;
    if let Some(u) = find_length(unit) {
        let metres = v * u.metres;
        let mut rows = Vec::new();
        let mut list = Vec::new();
        let wanted: Vec<_> = if to.is_empty() {
            LENGTHS.iter().map(|l| l.unit()).collect()
        } else {
            to.iter()
                .map(|t| find_length(t).ok_or_else(|| wrong(format!("--to {t} is no unit of length that is known; such as m, ft, ftUS, yd, chain, \"Clarke's link\""))))
                .collect::<Result<_>>()?
        };
        for w in wanted {
            let source = LENGTHS.iter().find(|l| l.names[0] == w.name).map_or("", |l| l.source);
            rows.push(vec![figures(metres / w.metres), w.plural(), figures(w.metres), source.to_string()]);
            list.push(object!({"unit": w.name, "value": metres / w.metres, "metres": w.metres, "source": source}));
        }
        let mut out = format!("{value} {} ({} m each)\n", u.plural(), figures(u.metres));
        out.push_str(&text::table(&["value", "unit", "metres in one", "by"], &rows));
        // The two feet: what the other one would make of the same number.
        let other = match u.name.as_str() {
            n if n.starts_with("US survey ") => find_length(&n.replace("US survey ", "")),
            n => find_length(&format!("US survey {n}")),
        };
        if let Some(o) = other {
            let _ = writeln!(
                out,
                "taken as {} it would be {} m, {} beside",
                o.plural(),
                figures(v * o.metres),
                length((v * (o.metres - u.metres)).abs())
            );
        }
        let report = object!({"value": v, "unit": u.name, "metres": metres, "kind": "length", "in": list});
        return Ok((out, report));
    }
    if let Some(u) = find_angle(unit) {
        let degrees = v * u.degrees;
        let wanted: Vec<_> = if to.is_empty() {
            ANGLES.iter().collect()
        } else {
            to.iter()
                .map(|t| {
                    find_angle(t).ok_or_else(|| {
                        wrong(format!(
                            "--to {t} is no unit of angle that is known; such as degree, grad, radian, arc-second, mil"
                        ))
                    })
                })
                .collect::<Result<_>>()?
        };
        let rows: Vec<Vec<String>> = wanted
            .iter()
            .map(|w| vec![figures(degrees / w.degrees), w.names[0].to_string(), w.source.to_string()])
            .collect();
        let list: Vec<Value> =
            wanted.iter().map(|w| object!({"unit": w.names[0], "value": degrees / w.degrees})).collect();
        let mut out = format!("{value} {}\n", u.names[0]);
        out.push_str(&text::table(&["value", "unit", "by"], &rows));
        return Ok((out, object!({"value": v, "unit": u.names[0], "degrees": degrees, "kind": "angle", "in": list})));
    }
    let known: Vec<&str> = LENGTHS.iter().map(|l| l.names[0]).chain(ANGLES.iter().map(|a| a.names[0])).collect();
    Err(wrong(format!("\"{unit}\" is no unit that is known; there are {}", known.join(", "))))
}

fn length(metres: f64) -> String {
    if metres >= 1000.0 {
        format!("{:.3} km", metres / 1000.0)
    } else if metres >= 1.0 {
        format!("{metres:.3} m")
    } else {
        format!("{:.3} mm", metres * 1000.0)
    }
}

fn distance(a: &str, b: &str, from: Option<&str>, order: Option<&str>) -> Result<Answer> {
    let order = position_text::order(order)?;
    let (p, q) = (position_text::read(a, from, order)?, position_text::read(b, from, order)?);
    let ellipsoid = &p.crs.datum().ok_or_else(|| wrong(format!("{} has no ellipsoid", p.crs.title())))?.ellipsoid;
    if q.crs.datum().map(|d| &d.name) != p.crs.datum().map(|d| &d.name) {
        return Err(wrong(format!(
            "\"{a}\" is in {} and \"{b}\" in {}: bring them to one datum first (`basilocus at`)",
            p.crs.title(),
            q.crs.title()
        )));
    }
    let g = Geodesic::new(ellipsoid).inverse(p.lon, p.lat, q.lon, q.lat);
    let r = rhumb::inverse(ellipsoid, p.lon, p.lat, q.lon, q.lat);
    let back = |azimuth: f64| (azimuth + 180.0 + 180.0).rem_euclid(360.0) - 180.0;
    let mut out = String::new();
    for (text, t) in [(a, &p), (b, &q)] {
        let _ = writeln!(out, "  {text}: {} ({})", t.words, t.read_as);
    }
    let _ = writeln!(out, "on the ellipsoid {}", ellipsoid.name);
    let _ = writeln!(out, "  distance         {} m ({})", thousands(g.distance_m, 4), in_other(g.distance_m));
    let _ = writeln!(
        out,
        "  azimuth          {} at the first, {} at the second in the direction of travel",
        azimuth(g.azimuth_deg),
        azimuth(g.final_azimuth_deg)
    );
    let _ = writeln!(out, "  azimuth back     {}", azimuth(back(g.final_azimuth_deg)));
    let _ = writeln!(out, "  constant bearing {} over {} m", azimuth(r.azimuth_deg), thousands(r.distance_m, 4));
    let value = object!({
        "a": {"text": a, "lon": p.lon, "lat": p.lat, "read_as": p.read_as}, "b": {"text": b, "lon": q.lon, "lat": q.lat, "read_as": q.read_as},
        "crs": p.crs.identifier(), "ellipsoid": ellipsoid.name,
        "distance_m": g.distance_m, "azimuth_deg": g.azimuth_deg, "final_azimuth_deg": g.final_azimuth_deg,
        "rhumb_distance_m": r.distance_m, "rhumb_azimuth_deg": r.azimuth_deg,
    });
    Ok((out, value))
}

fn azimuth(deg: f64) -> String {
    format!("{:.6}°", deg.rem_euclid(360.0))
}

fn in_other(metres: f64) -> String {
    format!(
        "{} ft, {} ftUS, {} nautical miles",
        thousands(metres / 0.3048, 2),
        thousands(metres * 3937.0 / 1200.0, 2),
        thousands(metres / 1852.0, 4)
    )
}

fn thousands(v: f64, decimals: usize) -> String {
    let text = format!("{:.decimals$}", v.abs());
    let (whole, rest) = text.split_once('.').unwrap_or((&text, ""));
    let whole = text::thousands(whole.parse().unwrap_or(0));
    let sign = if v < 0.0 { "-" } else { "" };
    if rest.is_empty() { format!("{sign}{whole}") } else { format!("{sign}{whole}.{rest}") }
}

/// Positions in degrees, their system, and how they were understood.
type Places = (Vec<(f64, f64)>, Crs, Vec<String>);

/// Positions of a table, or those that were typed.
fn positions(what: &[String], from: Option<&str>, order: Option<&str>, input: &InputPlan) -> Result<Places> {
    if let [file] = what
        && Path::new(file).is_file()
    {
        let layer = LayerPlan {
            input: input.clone(),
            ..LayerPlan::new(file).with(basilocus::steps::Positions {
                from: from.map(String::from),
                order: order.map(String::from),
                ..Default::default()
            })
        };
        let points: PointTable = measure::read_points(&layer, &Cancel::default())?;
        let mut notes = points.interpretation.clone();
        for (reason, n) in &points.set_aside {
            notes.push(format!("{n} {} left out: {reason}", if *n == 1 { "row" } else { "rows" }));
        }
        let degrees = points.degrees()?;
        if degrees.len() < points.x.len() {
            notes.push(format!(
                "{} positions left out: outside the domain of {}",
                points.x.len() - degrees.len(),
                points.crs.title()
            ));
        }
        return Ok((degrees, points.crs, notes));
    }
    let order = position_text::order(order)?;
    let mut out = Vec::new();
    let mut notes = Vec::new();
    let mut crs = None;
    for text in what {
        let p = position_text::read(text, from, order)?;
        notes.push(format!("{text}: {} ({})", p.words, p.read_as));
        out.push((p.lon, p.lat));
        crs.get_or_insert(p.crs);
    }
    Ok((out, crs.map_or_else(|| Catalogue::embedded().get(4326), Ok)?, notes))
}

fn area(
    what: &[String],
    from: Option<&str>,
    on: Option<&str>,
    order: Option<&str>,
    input: &InputPlan,
) -> Result<Answer> {
    let (degrees, crs, notes) = positions(what, from, order, input)?;
    if degrees.len() < 3 {
        return Err(wrong(format!("{} positions make no polygon; three or more are needed", degrees.len())));
    }
    let map = match on {
        Some(text) => Some(measure::projected(text)?),
        // A table on a map is compared with that map: it is what measuring there would give.
        None => Some(crs.clone()).filter(|c| !c.is_geographic() && c.projection().is_ok_and(|p| p.is_some())),
    };
    let m = measure::measure(&degrees, &crs, map.as_ref())?;
    let mut out = String::new();
    if notes.len() <= 12 {
        for n in &notes {
            let _ = writeln!(out, "  {}", in_text(n));
        }
    }
    let _ = writeln!(out, "polygon through {} positions in their order, on the ellipsoid {}", m.points, m.ellipsoid);
    let _ = writeln!(
        out,
        "  area       {} m² ({} ha, {} acres, {} km²)",
        thousands(m.area_m2, 2),
        thousands(m.area_m2 / 1e4, 4),
        thousands(m.area_m2 / ACRE_M2, 4),
        thousands(m.area_m2 / 1e6, 6)
    );
    let _ = writeln!(
        out,
        "  perimeter  {} m; the line without the closing side {} m",
        thousands(m.perimeter_m, 3),
        thousands(m.length_m, 3)
    );
    let _ = writeln!(out, "  corners    run {}", if m.counter_clockwise { "counter-clockwise" } else { "clockwise" });
    map_words(&mut out, &m);
    let doubts: Vec<DoubtReport> = of_measures(&m).into_iter().collect();
    let mut value = serde_json::to_value(&m)?;
    value["doubts"] = serde_json::to_value(&doubts)?;
    for d in &doubts {
        let _ = writeln!(out, "  doubt      {}: {}; {}", d.id, in_text(&d.message), in_text(&d.mend));
    }
    Ok((out, value))
}

/// International acre: 4840 square yards.
const ACRE_M2: f64 = 4_046.856_422_4;

/// What the map gives.
fn map_words(out: &mut String, m: &Measures) {
    let Some(map) = &m.on_map else { return };
    let percent = (map.area_ratio - 1.0) * 100.0;
    let _ = writeln!(out, "on the map {}", map.crs);
    let _ = writeln!(
        out,
        "  area       {} m², {}{percent:.4} %",
        thousands(map.area_m2, 2),
        if percent >= 0.0 { "+" } else { "" }
    );
    let along = (map.length_ratio - 1.0) * 100.0;
    let _ = writeln!(
        out,
        "  perimeter  {} m; the line {} m, {}{along:.4} %",
        thousands(map.perimeter_m, 3),
        thousands(map.length_m, 3),
        if along >= 0.0 { "+" } else { "" }
    );
}

/// A sheet with its series, and where on it the position is.
type FoundSheet = (String, Sheet, Option<(f64, f64)>);

fn map_sheet(
    what: &str,
    index: Option<(&Path, Option<&str>)>,
    from: Option<&str>,
    order: Option<&str>,
    layer: Option<(&PathBuf, bool)>,
) -> Result<Answer> {
    let mut found: Vec<FoundSheet> = Vec::new();
    let mut out = String::new();
    let position = match sheet::by_number(what) {
        Some(s) => {
            let _ = writeln!(out, "international sheet {}", s.number);
            found.push(("1:1,000,000".into(), s, None));
            None
        }
        None => {
            let p = position_text::read(what, from, position_text::order(order)?)?;
            let _ = writeln!(out, "{what}: {} ({})", p.words, p.read_as);
            let at = |s: &Sheet| Some(s.share(p.lon, p.lat));
            if let Some(s) = sheet::international(p.lon, p.lat) {
                found.push(("1:1,000,000".into(), s.clone(), at(&s)));
            }
            for series in SERIES {
                if let Some(s) = sheet::of_series(series.scale, p.lon, p.lat) {
                    found.push((format!("1:{}", text::thousands(u64::from(series.scale))), s.clone(), at(&s)));
                }
            }
            Some(p)
        }
    };
    let mut own_plane = false;
    if let (Some((path, crs)), Some(p)) = (index, &position) {
        let own = sheets::read_index(path, &InputPlan::default(), crs)?;
        let _ = writeln!(out, "  index      {}: {}", path.display(), own.interpretation);
        let (x, y, _, op) = p.in_system(&own.crs, &Default::default())?;
        if op.accuracy_m() != Some(0.0) {
            let _ = writeln!(
                out,
                "  note       brought to {} by {} ({})",
                own.crs.title(),
                op.name(),
                basilocus::accuracy_words(op.accuracy_m())
            );
        }
        let hits = own.index.at(x, y);
        if hits.is_empty() {
            let _ = writeln!(out, "  note       none of its sheets holds the position");
        }
        own_plane = !own.crs.is_geographic();
        for s in hits {
            let [w, so, e, n] = s.limits_deg;
            let share = if own_plane { ((x - w) / (e - w), (y - so) / (n - so)) } else { s.share(x, y) };
            found.push(("of the index".into(), s.clone(), Some(share)));
        }
    }
    if found.is_empty() {
        return Err(wrong(format!(
            "\"{what}\": the international numbering ends at 88° latitude, and no index holds the position"
        )));
    }
    let rows: Vec<Vec<String>> = found
        .iter()
        .map(|(series, s, at)| {
            let [w, so, e, n] = s.limits_deg.map(|v| {
                if own_plane && series == "of the index" {
                    format!("{v}")
                } else {
                    notation::print_angle(v, false, Notation::DecimalDegrees, 6)
                        .unwrap_or_default()
                        .trim_end_matches('0')
                        .trim_end_matches('.')
                        .to_string()
                }
            });
            vec![
                series.clone(),
                s.number.clone(),
                w,
                so,
                e,
                n,
                at.map_or(String::new(), |(x, y)| format!("{:.1} %, {:.1} %", x * 100.0, y * 100.0)),
            ]
        })
        .collect();
    out.push_str(&text::table(
        &["series", "sheet", "west", "south", "east", "north", "on it (from west, from south)"],
        &rows,
    ));
    if let Some(p) = &position {
        for (n, digits) in [(Notation::Mgrs, 5), (Notation::Utm, 0)] {
            if let Some(t) = notation::print(p.lon, p.lat, n, digits) {
                let _ = writeln!(out, "  {:<10} {t}", n.name());
            }
        }
    }
    if let Some((path, overwrite)) = layer {
        let geographic: Vec<(String, Sheet)> = found
            .iter()
            .filter(|(s, ..)| !(own_plane && s == "of the index"))
            .map(|(a, b, _)| (a.clone(), b.clone()))
            .collect();
        sheets::write_limits(path, &geographic, overwrite)?;
        let _ = writeln!(out, "  wrote      {} ({} polygons)", path.display(), geographic.len());
    }
    let list: Vec<Value> = found
        .iter()
        .map(|(series, s, at)| object!({"series": series, "sheet": s.number, "west": s.limits_deg[0], "south": s.limits_deg[1], "east": s.limits_deg[2], "north": s.limits_deg[3], "from_west": at.map(|a| a.0), "from_south": at.map(|a| a.1)}))
        .collect();
    let value = object!({
        "input": what, "lon": position.as_ref().map(|p| p.lon), "lat": position.as_ref().map(|p| p.lat), "sheets": list,
        "mgrs": position.as_ref().and_then(|p| notation::print(p.lon, p.lat, Notation::Mgrs, 5)),
        "outputs": layer.map(|(p, _)| vec![p]),
    });
    Ok((out, value))
}

fn distortion(what: &str, on: &str, from: Option<&str>, order: Option<&str>, input: &InputPlan) -> Result<Answer> {
    let map = measure::projected(on)?;
    let (degrees, crs, notes) = positions(std::slice::from_ref(&what.to_string()), from, order, input)?;
    let r = measure::distortion(&degrees, &map)?;
    let mut out = String::new();
    for n in notes.iter().take(12) {
        let _ = writeln!(out, "  {}", in_text(n));
    }
    let _ = writeln!(
        out,
        "{} at {} of {} positions{}",
        r.crs,
        text::thousands(r.points as u64),
        text::thousands(r.of as u64),
        if r.outside > 0 { format!("; at {} it gives no numbers", r.outside) } else { String::new() }
    );
    let row = |name: &str, v: Range, digits: usize| {
        vec![
            name.to_string(),
            format!("{:.digits$}", v.smallest),
            format!("{:.digits$}", v.mean),
            format!("{:.digits$}", v.largest),
        ]
    };
    out.push_str(&text::table(
        &["", "smallest", "mean", "largest"],
        &[
            row("scale along the meridian", r.meridian_scale, 9),
            row("scale along the parallel", r.parallel_scale, 9),
            row("area scale", r.area_scale, 9),
            row("convergence, true to grid north (degrees)", r.convergence_deg, 6),
            row("angular distortion (degrees)", r.angular_distortion_deg, 6),
        ],
    ));
    let _ = writeln!(out, "  lengths    off by up to {:.1} ppm (mm a kilometre)", r.length_error_ppm);
    let mut value = serde_json::to_value(&r)?;
    if degrees.len() > 1
        && let Ok(m) = measure::measure(&degrees, &crs, Some(&map))
    {
        let _ = writeln!(
            out,
            "  true       the line through the positions in their order {} m{}",
            thousands(m.length_m, 3),
            if m.points > 2 { format!(", the polygon {} m²", thousands(m.area_m2, 2)) } else { String::new() }
        );
        map_words(&mut out, &m);
        if let Some(d) = of_measures(&m) {
            let _ = writeln!(out, "  doubt      {}: {}; {}", d.id, in_text(&d.message), in_text(&d.mend));
        }
        value["measures"] = serde_json::to_value(&m)?;
    }
    Ok((out, value))
}
