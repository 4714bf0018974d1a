//! Rows of a source to entries of a reference.

use super::columns::{Columns, Kind};
use super::geometry;
use crate::engine::{Account, Rows};
use crate::steps::positions::PositionReader;
use basilocus_address::grammar::{self, Grammar};
use basilocus_address::reference::{AreaEntry, Parity, PlaceEntry, PlaceKind, PointEntry, PostcodeEntry, SegmentEntry};
use basilocus_address::{AddressInput, Entry, country};
use basilocus_geodesy::operation::Operation;
use basilocus_table::{Batch, Reason};

/// The class of rows with numbers or geometry that cannot be read.
const UNREADABLE: Reason = Reason::new("number or geometry not readable");

/// What a row of a source is: its country as the row says it, and its entries. A postcode's area is an area and a
/// postcode.
pub(super) struct Row {
    pub country: String,
    pub entries: Vec<Entry>,
}

/// The entries of a batch, row by row, or why a row is none. Rows that do not say their country are read by the grammar
/// of `usual`.
pub(super) fn of_batch(
    batch: &Batch,
    kind: Kind,
    c: &Columns,
    position: Option<&PositionReader>,
    operation: &Operation,
    usual: &'static Grammar,
) -> Vec<Result<Row, (Reason, String)>> {
    let country = |row: usize| c.text(batch, "country", row).trim().to_string();
    let with_country = |(row, entries): (usize, Result<Vec<Entry>, (Reason, String)>)| {
        entries.map(|entries| Row { country: country(row), entries })
    };
    let unreadable = |problem: String| (UNREADABLE, problem);
    let Some(position) = position else {
        let entries = |row: usize| match kind {
            Kind::Areas => area(batch, c, row, operation),
            _ => segment(batch, c, row, operation, grammar_of(&country(row), usual)).map(|s| vec![Entry::Segment(s)]),
        };
        return (0..batch.len()).map(|row| with_country((row, entries(row).map_err(unreadable)))).collect();
    };
    let mut account = Account::new(batch.len());
    let ([mut x, mut y, mut z], _) = position.read(&Rows::read(batch.clone()), &mut account);
    operation.apply(&mut x, &mut y, &mut z);
    let mut out: Vec<Result<Vec<Entry>, (Reason, String)>> = (0..batch.len())
        .map(|row| {
            let grammar = grammar_of(&country(row), usual);
            placed(batch, kind, c, row, (x[row], y[row]), grammar).map(|entry| vec![entry]).map_err(unreadable)
        })
        .collect();
    let set_aside = account.into_parts().set_aside;
    for (row, class, reason) in set_aside {
        out[row] = Err((class, reason));
    }
    out.into_iter().enumerate().map(with_country).collect()
}

/// The grammar of a country that a row says, else the usual one.
fn grammar_of(country: &str, usual: &'static Grammar) -> &'static Grammar {
    if country.is_empty() { usual } else { country::code_of(country).map_or(usual, grammar::of_code) }
}

/// A street of the columns that it is parted into.
fn street_of_parts(batch: &Batch, c: &Columns, row: usize, grammar: &Grammar) -> String {
    let text = |purpose: &str| c.text(batch, purpose, row);
    let (direction, street, street_type, direction_after) =
        (text("street_direction"), text("street"), text("street_type"), text("street_direction_after"));
    let parts = AddressInput {
        direction: &direction,
        street: &street,
        street_type: &street_type,
        direction_after: &direction_after,
        ..Default::default()
    };
    parts.street_line(grammar).into_owned()
}

/// The address of a row, without its position.
pub(super) fn address(batch: &Batch, c: &Columns, row: usize, grammar: &Grammar) -> PointEntry {
    let text = |purpose: &str| c.text(batch, purpose, row);
    let mut street = street_of_parts(batch, c, row, grammar);
    let mut number = text("number");
    let suffix = text("number_suffix");
    if !suffix.trim().is_empty() && !number.trim().is_empty() {
        number = format!("{} {}", number.trim(), suffix.trim());
    }
    if c.get("number").is_none() && street.starts_with(|c: char| c.is_ascii_digit()) {
        // "12 Heron Ln" in one column
        let (first, rest) =
            street.split_once(' ').map_or((street.clone(), String::new()), |(a, b)| (a.to_string(), b.to_string()));
        (number, street) = (first, rest);
    }
    let (locality, region, postcode) = (text("locality"), text("region"), text("postcode"));
    PointEntry { number, street, unit: text("unit"), locality, region, postcode, ..Default::default() }
}

/// Metres in a cell, where it has some.
fn metres(text: &str) -> Result<Option<f64>, String> {
    match text.trim() {
        "" => Ok(None),
        t => match t.parse::<f64>() {
            Ok(m) if m >= 0.0 && m.is_finite() => Ok(Some(m)),
            _ => Err(format!("accuracy \"{t}\" is no number of metres")),
        },
    }
}

fn placed(
    batch: &Batch,
    kind: Kind,
    c: &Columns,
    row: usize,
    (lon, lat): (f64, f64),
    grammar: &Grammar,
) -> Result<Entry, String> {
    let text = |purpose: &str| c.text(batch, purpose, row);
    Ok(match kind {
        Kind::Postcodes => Entry::Postcode(PostcodeEntry {
            postcode: text("postcode"),
            locality: text("locality"),
            region: text("region"),
            lon,
            lat,
            radius_m: metres(&text("radius"))?,
        }),
        Kind::Places => {
            let column = |purpose: &str| c.get(purpose);
            let kind = PlaceKind::from_words(&text("kind"));
            let inside = matches!(kind, PlaceKind::Neighbourhood | PlaceKind::Landmark);
            Entry::Place(PlaceEntry {
                name: text("name"),
                other_names: text("other_names")
                    .split([';', '|'])
                    .map(|s| s.trim().to_string())
                    .filter(|s| !s.is_empty())
                    .collect(),
                kind,
                // A column of localities beside that of names says what neighbourhoods and landmarks are in.
                locality: if inside && column("locality") != column("name") { text("locality") } else { String::new() },
                region: if column("region") == column("parent") { String::new() } else { text("region") },
                parent: text("parent"),
                lon,
                lat,
                radius_m: metres(&text("radius"))?,
            })
        }
        _ => {
            let point = address(batch, c, row, grammar);
            Entry::Point(PointEntry { lon, lat, accuracy_m: metres(&text("accuracy"))?, ..point })
        }
    })
}

fn segment(
    batch: &Batch,
    c: &Columns,
    row: usize,
    operation: &Operation,
    grammar: &Grammar,
) -> Result<SegmentEntry, String> {
    let text = |purpose: &str| c.text(batch, purpose, row);
    let number = |purpose: &str| {
        let t = text(purpose);
        if t.trim().is_empty() {
            Ok(None)
        } else {
            t.trim().parse::<u32>().map(Some).map_err(|_| format!("range number \"{t}\" is not a whole number"))
        }
    };
    let [lf, lt, rf, rt] = [number("left_from")?, number("left_to")?, number("right_from")?, number("right_to")?];
    // Zero on both ends is how many tables write "no numbers here".
    let pair = |a: Option<u32>, b: Option<u32>| a.zip(b).filter(|p| *p != (0, 0));
    let raw = match c.get("geometry") {
        Some(_) => geometry::line(&text("geometry"))?,
        None => {
            let v: Vec<f64> = ["start_lon", "start_lat", "end_lon", "end_lat"]
                .iter()
                .map(|e| text(e).trim().parse().map_err(|_| "an end of the segment is not a number".to_string()))
                .collect::<Result<_, _>>()?;
            vec![(v[0], v[1]), (v[2], v[3])]
        }
    };
    let side = |side: &str, whole: &str| {
        let t = text(side);
        if t.trim().is_empty() { text(whole) } else { t }
    };
    Ok(SegmentEntry {
        street: street_of_parts(batch, c, row, grammar),
        left: pair(lf, lt),
        right: pair(rf, rt),
        parity: [Parity::from_words(&text("left_parity")), Parity::from_words(&text("right_parity"))],
        locality: [side("left_locality", "locality"), side("right_locality", "locality")],
        region: text("region"),
        postcode: [side("left_postcode", "postcode"), side("right_postcode", "postcode")],
        line: transformed(raw, operation)?,
    })
}

/// An area with all its columns but the geometry as attributes; one with a postcode is that postcode too.
fn area(batch: &Batch, c: &Columns, row: usize, operation: &Operation) -> Result<Vec<Entry>, String> {
    let geometry = c.get("geometry");
    let rings = geometry::rings(&c.text(batch, "geometry", row))?
        .into_iter()
        .map(|r| transformed(r, operation))
        .collect::<Result<Vec<_>, _>>()?;
    let schema = batch.records().schema();
    let attributes = (0..schema.fields().len())
        .filter(|i| Some(*i) != geometry)
        .map(|i| (schema.field(i).name().clone(), batch.text(i, row)))
        .collect();
    let mut out = Vec::new();
    let postcode = c.text(batch, "postcode", row);
    if !postcode.trim().is_empty()
        && let Some((lon, lat)) = middle(&rings)
    {
        out.push(Entry::Postcode(PostcodeEntry {
            postcode,
            locality: c.text(batch, "locality", row),
            region: c.text(batch, "region", row),
            lon,
            lat,
            radius_m: farthest(&rings, (lon, lat)),
        }));
    }
    out.push(Entry::Area(AreaEntry { attributes, rings }));
    Ok(out)
}

fn transformed(line: Vec<(f64, f64)>, operation: &Operation) -> Result<Vec<(f64, f64)>, String> {
    line.into_iter()
        .map(|(x, y)| {
            operation
                .apply_one(x, y, 0.0)
                .map(|(lon, lat, _)| (lon, lat))
                .ok_or_else(|| format!("position {x} {y} of the geometry is outside the system"))
        })
        .collect()
}

/// How far the corners of rings are from a position, metres.
fn farthest(rings: &[Vec<(f64, f64)>], from: (f64, f64)) -> Option<f64> {
    rings.iter().flatten().map(|corner| basilocus_address::nearest::metres(from, *corner)).reduce(f64::max)
}

/// A position inside: the middle of gravity of the largest ring, or where that is outside of all, the middle of the
/// longest stretch inside on its latitude.
fn middle(rings: &[Vec<(f64, f64)>]) -> Option<(f64, f64)> {
    let area2 = |r: &[(f64, f64)]| r.windows(2).map(|w| w[0].0 * w[1].1 - w[1].0 * w[0].1).sum::<f64>();
    let largest = rings.iter().max_by(|a, b| area2(a).abs().total_cmp(&area2(b).abs()))?;
    // Relative to the first vertex: the area is small beside the coordinates.
    let (x0, y0) = *largest.first()?;
    let near: Vec<(f64, f64)> = largest.iter().map(|(x, y)| (x - x0, y - y0)).collect();
    let twice = area2(&near);
    if twice == 0.0 {
        return Some((x0, y0));
    }
    let (mut x, mut y) = (0.0, 0.0);
    for w in near.windows(2) {
        let cross = w[0].0 * w[1].1 - w[1].0 * w[0].1;
        x += (w[0].0 + w[1].0) * cross;
        y += (w[0].1 + w[1].1) * cross;
    }
    let (x, y) = (x0 + x / (3.0 * twice), y0 + y / (3.0 * twice));
    // Where all rings cut the latitude, west to east: inside is from every odd cut to the next.
    let mut cuts: Vec<f64> = rings
        .iter()
        .flat_map(|r| r.windows(2))
        .filter(|w| (w[0].1 > y) != (w[1].1 > y))
        .map(|w| w[0].0 + (y - w[0].1) / (w[1].1 - w[0].1) * (w[1].0 - w[0].0))
        .collect();
    cuts.sort_by(f64::total_cmp);
    let stretches: Vec<(f64, f64)> = cuts.chunks_exact(2).map(|c| (c[0], c[1])).collect();
    if stretches.iter().any(|(a, b)| (*a..=*b).contains(&x)) {
        return Some((x, y));
    }
    let (a, b) = stretches.into_iter().max_by(|p, q| (p.1 - p.0).total_cmp(&(q.1 - q.0)))?;
    Some(((a + b) / 2.0, y))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn middles_are_inside() {
        let square = vec![(0.0, 0.0), (2.0, 0.0), (2.0, 2.0), (0.0, 2.0), (0.0, 0.0)];
        let (x, y) = middle(&[square]).unwrap();
        assert!((x - 1.0).abs() < 1e-12 && (y - 1.0).abs() < 1e-12);
        // The middle of gravity of a horseshoe is between its arms.
        let shoe = vec![
            (0.0, 0.0),
            (9.0, 0.0),
            (9.0, 9.0),
            (8.0, 9.0),
            (8.0, 1.0),
            (1.0, 1.0),
            (1.0, 9.0),
            (0.0, 9.0),
            (0.0, 0.0),
        ];
        let (x, y) = middle(&[shoe]).unwrap();
        assert!(y > 1.0 && !(1.0..=8.0).contains(&x), "{x} {y}");
    }
}
