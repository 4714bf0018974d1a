//! Builds an address reference from tables and layers.

use crate::Error;
use crate::engine::{Cancel, Progress};
use crate::pipeline::{roles, sample};
use crate::plan::{InputPlan, PositionPlan};
use crate::step::position::PositionReader;
use arrow_schema::SchemaRef;
use basilocus_address::reference::{PlaceEntry, PointEntry, PostcodeEntry, SegmentEntry};
use basilocus_address::{Builder, Entry, grammar};
use basilocus_formats::{FormatError, PendingOutput, delimited, open};
use basilocus_geodesy::crs::Catalogue;
use basilocus_geodesy::operation::Operation;
use basilocus_table::{Batch, Ledger, Role, SetAsideRow};
use serde::Serialize;
use std::path::{Path, PathBuf};
use std::time::Instant;

/// How a reference is to be built.
#[derive(Debug, Clone, Default)]
pub struct BuildPlan {
    /// Sources, in any mixture.
    pub sources: Vec<PathBuf>,
    /// The reference to write.
    pub output: PathBuf,
    /// System of the sources' coordinates; without it, longitude and latitude in WGS 84.
    pub from: Option<String>,
    /// Country of the grammar; the United States without it.
    pub country: Option<String>,
    /// Whether an existing reference is replaced.
    pub overwrite: bool,
}

/// What a build came to.
#[derive(Debug, Clone, Default, PartialEq, Serialize)]
pub struct BuildReport {
    /// Rows read.
    pub rows_in: u64,
    /// Rows that are in the reference.
    pub rows_out: u64,
    /// Rows set aside by reason.
    pub set_aside: std::collections::BTreeMap<String, u64>,
    /// Each source: file, what it was read as, rows in, rows used.
    pub sources: Vec<SourceReport>,
    /// Rows that were the same address point as another (units of one building).
    pub folded: u64,
    /// Files written.
    pub outputs: Vec<PathBuf>,
    /// Wall-clock time.
    pub seconds: f64,
}

/// A source of a reference.
#[derive(Debug, Clone, Default, PartialEq, Serialize)]
pub struct SourceReport {
    /// The file.
    pub path: PathBuf,
    /// What it was read as.
    pub kind: String,
    /// The columns and what they were taken for.
    pub columns: Vec<String>,
    /// Rows read.
    pub rows_in: u64,
    /// Rows used.
    pub rows_out: u64,
}

/// What a source holds.
#[derive(Debug, Clone, Copy, PartialEq)]
enum Kind {
    Points,
    Segments,
    Postcodes,
    Places,
}

impl Kind {
    fn words(self) -> &'static str {
        match self {
            Kind::Points => "address points",
            Kind::Segments => "street segments with number ranges",
            Kind::Postcodes => "postcodes",
            Kind::Places => "places",
        }
    }
}

/// Columns of a source by what they are for.
#[derive(Debug, Default)]
struct Columns {
    number: Option<usize>,
    street: Option<usize>,
    locality: Option<usize>,
    region: Option<usize>,
    postcode: Option<usize>,
    name: Option<usize>,
    other_names: Option<usize>,
    parent: Option<usize>,
    ranges: [Option<usize>; 4],
    side_postcodes: [Option<usize>; 2],
    line: Option<usize>,
    ends: [Option<usize>; 4],
}

const RANGE_NAMES: [&[&str]; 4] = [
    &["leftfrom", "fromleft", "lfrom", "froml", "lefta", "leftlow", "lfromadd", "lfromaddr"],
    &["leftto", "toleft", "lto", "tol", "leftb", "lefthigh", "ltoadd", "ltoaddr"],
    &["rightfrom", "fromright", "rfrom", "fromr", "righta", "rightlow", "rfromadd", "rfromaddr"],
    &["rightto", "toright", "rto", "tor", "rightb", "righthigh", "rtoadd", "rtoaddr"],
];
const SIDE_POSTCODES: [&[&str]; 2] = [
    &["leftpostcode", "postcodeleft", "leftzip", "zipleft", "lzip", "zipl"],
    &["rightpostcode", "postcoderight", "rightzip", "zipright", "rzip", "zipr"],
];
const LINE_NAMES: &[&str] = &["wkt", "line", "geometry", "geom", "linestring", "shape"];
const END_NAMES: [&[&str]; 4] = [
    &["startlon", "fromlon", "lon1", "x1"],
    &["startlat", "fromlat", "lat1", "y1"],
    &["endlon", "tolon", "lon2", "x2"],
    &["endlat", "tolat", "lat2", "y2"],
];
const PLACE_NAMES: &[&str] = &["name", "placename", "place", "locality", "city", "town"];
const OTHER_NAMES: &[&str] = &["othernames", "othername", "aliases", "alias", "alternatenames", "alsoknownas"];
const PARENT_NAMES: &[&str] = &["county", "parent", "district", "within"];

/// Builds a reference. Rows that cannot be used are written to `<output>.set-aside.csv` and counted.
///
/// # Errors
/// Where a source cannot be read or its columns do not tell what it holds, and where the output cannot be written.
pub fn build(plan: &BuildPlan, cancel: &Cancel, progress: &dyn Progress) -> Result<BuildReport, Error> {
    let started = Instant::now();
    let country = plan.country.as_deref().unwrap_or("US");
    let grammar = grammar::of_country(country).ok_or_else(|| {
        Error::Plan(format!("--country {country}: there is no grammar for this country yet; US is there"))
    })?;
    // Checks the output before an hour of reading.
    drop(PendingOutput::new(&plan.output, plan.overwrite)?);
    let file = plan.output.with_file_name(format!(
        "{}.set-aside.csv",
        plan.output.file_stem().map_or(String::new(), |s| s.to_string_lossy().into_owned())
    ));
    drop(PendingOutput::new(&file, plan.overwrite)?);
    let mut builder = Builder::new(grammar);
    let mut report = BuildReport { outputs: vec![plan.output.clone()], ..Default::default() };
    let mut aside: Vec<(String, SetAsideRow, Vec<String>)> = Vec::new();
    for source in &plan.sources {
        let ledger = add_source(plan, source, &mut builder, &mut report, &mut aside, cancel, progress)?;
        ledger.check()?;
        report.rows_in += ledger.rows_in;
        report.rows_out += ledger.rows_out;
        for (reason, n) in ledger.set_aside {
            *report.set_aside.entry(reason).or_default() += n;
        }
    }
    builder.write(&plan.output)?;
    report.folded = builder.folded();
    if !aside.is_empty() {
        let pending = PendingOutput::new(&file, plan.overwrite)?;
        let mut text = String::from("source,source_row,reason,row\n");
        for (source, row, names) in &aside {
            let cells: Vec<String> =
                names.iter().zip(&row.values).filter(|(_, v)| !v.is_empty()).map(|(n, v)| format!("{n}={v}")).collect();
            let number = row.source_row.to_string();
            text.push_str(&delimited::line([source.as_str(), &number, &row.reason, &cells.join("; ")]));
        }
        std::fs::write(pending.path(), text)
            .map_err(|e| FormatError::Write { path: file.clone(), problem: e.to_string() })?;
        pending.publish()?;
        report.outputs.push(file);
    } else if file.exists() {
        // Of an earlier build that --overwrite replaces.
        std::fs::remove_file(&file).map_err(|e| FormatError::Write { path: file.clone(), problem: e.to_string() })?;
    }
    report.seconds = started.elapsed().as_secs_f64();
    Ok(report)
}

fn plain(name: &str) -> String {
    name.chars().filter(|c| c.is_alphanumeric()).flat_map(char::to_lowercase).collect()
}

fn find_columns(schema: &SchemaRef, roles: &[Option<Role>]) -> Columns {
    let names: Vec<String> = schema.fields().iter().map(|f| plain(f.name())).collect();
    let named = |words: &[&str]| words.iter().find_map(|w| names.iter().position(|n| n == w));
    let role = |r: Role| roles.iter().position(|x| *x == Some(r));
    Columns {
        number: role(Role::HouseNumber),
        street: role(Role::Street).or_else(|| role(Role::Address)),
        locality: role(Role::Locality),
        region: role(Role::Region),
        postcode: role(Role::Postcode),
        name: named(PLACE_NAMES),
        other_names: named(OTHER_NAMES),
        parent: named(PARENT_NAMES),
        ranges: RANGE_NAMES.map(named),
        side_postcodes: SIDE_POSTCODES.map(named),
        line: named(LINE_NAMES),
        ends: END_NAMES.map(named),
    }
}

fn add_source(
    plan: &BuildPlan,
    source: &Path,
    builder: &mut Builder,
    report: &mut BuildReport,
    aside: &mut Vec<(String, SetAsideRow, Vec<String>)>,
    cancel: &Cancel,
    progress: &dyn Progress,
) -> Result<Ledger, Error> {
    let mut reader = open(source, &InputPlan::default().options()?)?;
    let schema = reader.schema();
    let head = sample(reader.as_mut())?;
    let roles = roles(&schema, &head);
    let c = find_columns(&schema, &roles);
    let names: Vec<String> = schema.fields().iter().map(|f| f.name().clone()).collect();
    let has_line = c.line.is_some() || c.ends.iter().all(Option::is_some);
    let kind = if c.ranges.iter().any(Option::is_some) && has_line && c.street.is_some() {
        Kind::Segments
    } else if c.street.is_some() {
        Kind::Points
    } else if c.postcode.is_some() {
        Kind::Postcodes
    } else if c.name.is_some() {
        Kind::Places
    } else {
        return Err(Error::Plan(format!(
            "{}: the columns do not tell what it holds: address points have a street and a number, segments have left and right from and to numbers and a line, postcodes have a postcode, places have a name; it has: {}",
            source.display(),
            names.join(", ")
        )));
    };
    let from = plan.from.clone().or_else(|| reader.about().crs.clone()).unwrap_or_else(|| "EPSG:4326".into());
    let wgs84 = Catalogue::embedded().get(4326)?;
    let crs = crate::system::find(&from)?.crs;
    let operation = Operation::between(&crs, &wgs84, None)?;
    let position = if kind == Kind::Segments {
        None
    } else {
        Some(PositionReader::new(
            &PositionPlan { from: Some(from), ..Default::default() },
            &std::sync::Arc::new(crate::finder::Finder::default()),
            &schema,
            &roles,
            source,
        )?)
    };
    let used = [
        ("number", c.number),
        ("street", c.street),
        ("locality", c.locality.or(c.name.filter(|_| kind == Kind::Places))),
        ("region", c.region),
        ("postcode", c.postcode),
        ("line", c.line.filter(|_| kind == Kind::Segments)),
    ];
    let columns = used.iter().filter_map(|(what, i)| i.map(|i| format!("{what} \"{}\"", names[i]))).collect();
    let mut ledger = Ledger::default();
    progress.start(
        &source.file_name().map_or(String::new(), |n| n.to_string_lossy().into_owned()),
        kind.words(),
        reader.about().bytes,
    );
    let decoder = reader.decoder();
    let convert = |batch: &Batch| entries(batch, kind, &c, position.as_ref(), &operation);
    let file = source.file_name().map_or(String::new(), |n| n.to_string_lossy().into_owned());
    crate::engine::stream(
        reader.as_mut(),
        cancel,
        &|block| {
            let decoded = decoder.decode(block)?;
            let found = convert(&decoded.batch);
            Ok((decoded, found))
        },
        &mut |(decoded, found)| {
            ledger.rows_in += (decoded.batch.len() + decoded.set_aside.len()) as u64;
            for row in decoded.set_aside {
                ledger.set_aside(&row.class);
                aside.push((file.clone(), row, names.clone()));
            }
            for (row, entry) in found.into_iter().enumerate() {
                match entry.and_then(|e| builder.add(&e)) {
                    Ok(()) => ledger.rows_out += 1,
                    Err(reason) => {
                        let class = "not usable for the reference";
                        ledger.set_aside(class);
                        aside.push((
                            file.clone(),
                            SetAsideRow {
                                source_row: decoded.batch.source_rows[row],
                                class: class.into(),
                                reason,
                                values: decoded.batch.row_texts(row),
                            },
                            names.clone(),
                        ));
                    }
                }
            }
            progress.advance(decoded.bytes, decoded.batch.len() as u64);
            Ok(())
        },
    )?;
    progress.finish();
    report.sources.push(SourceReport {
        path: source.to_path_buf(),
        kind: kind.words().into(),
        columns,
        rows_in: ledger.rows_in,
        rows_out: ledger.rows_out,
    });
    Ok(ledger)
}

/// The entries of a batch, or why a row is none.
fn entries(
    batch: &Batch,
    kind: Kind,
    c: &Columns,
    position: Option<&PositionReader>,
    operation: &Operation,
) -> Vec<Result<Entry, String>> {
    let text = |column: Option<usize>, row: usize| column.map_or(String::new(), |i| batch.text(i, row));
    let Some(position) = position else {
        return (0..batch.len()).map(|row| segment(batch, c, row, operation).map(Entry::Segment)).collect();
    };
    let mut places = position.read(batch);
    operation.apply(&mut places.x, &mut places.y, &mut places.z);
    (0..batch.len())
        .map(|row| {
            if let Some(why) = &places.unusable[row] {
                return Err(why.reason.clone());
            }
            let (lon, lat) = (places.x[row], places.y[row]);
            Ok(match kind {
                Kind::Points => {
                    let mut street = text(c.street, row);
                    let mut number = text(c.number, row);
                    if c.number.is_none() && street.starts_with(|c: char| c.is_ascii_digit()) {
                        // "12 Heron Ln" in one column
                        let (first, rest) = street
                            .split_once(' ')
                            .map_or((street.clone(), String::new()), |(a, b)| (a.to_string(), b.to_string()));
                        (number, street) = (first, rest);
                    }
                    Entry::Point(PointEntry {
                        number,
                        street,
                        locality: text(c.locality, row),
                        region: text(c.region, row),
                        postcode: text(c.postcode, row),
                        lon,
                        lat,
                    })
                }
                Kind::Postcodes => Entry::Postcode(PostcodeEntry {
                    postcode: text(c.postcode, row),
                    locality: text(c.locality, row),
                    region: text(c.region, row),
                    lon,
                    lat,
                }),
                _ => Entry::Place(PlaceEntry {
                    name: text(c.name, row),
                    other_names: text(c.other_names, row)
                        .split([';', '|'])
                        .map(|s| s.trim().to_string())
                        .filter(|s| !s.is_empty())
                        .collect(),
                    region: text(c.region.filter(|r| Some(*r) != c.parent), row),
                    parent: text(c.parent, row),
                    lon,
                    lat,
                }),
            })
        })
        .collect()
}

fn segment(batch: &Batch, c: &Columns, row: usize, operation: &Operation) -> Result<SegmentEntry, String> {
    let text = |column: Option<usize>| column.map_or(String::new(), |i| batch.text(i, row));
    let number = |column: Option<usize>| {
        let t = text(column);
        if t.trim().is_empty() {
            Ok(None)
        } else {
            t.trim().parse::<u32>().map(Some).map_err(|_| format!("range number \"{t}\" is not a whole number"))
        }
    };
    let [lf, lt, rf, rt] = [number(c.ranges[0])?, number(c.ranges[1])?, number(c.ranges[2])?, number(c.ranges[3])?];
    // Zero on both ends is how many tables write "no numbers here".
    let pair = |a: Option<u32>, b: Option<u32>| a.zip(b).filter(|p| *p != (0, 0));
    let raw = match c.line {
        Some(_) => line_of_wkt(&text(c.line))?,
        None => {
            let v: Vec<f64> = c
                .ends
                .iter()
                .map(|e| text(*e).trim().parse().map_err(|_| "an end of the segment is not a number".to_string()))
                .collect::<Result<_, _>>()?;
            vec![(v[0], v[1]), (v[2], v[3])]
        }
    };
    let mut line = Vec::with_capacity(raw.len());
    for (x, y) in raw {
        let (lon, lat, _) = operation
            .apply_one(x, y, 0.0)
            .ok_or_else(|| format!("position {x} {y} of the line is outside the system"))?;
        line.push((lon, lat));
    }
    let side = |i: usize| {
        let t = text(c.side_postcodes[i]);
        if t.is_empty() { text(c.postcode) } else { t }
    };
    Ok(SegmentEntry {
        street: text(c.street),
        left: pair(lf, lt),
        right: pair(rf, rt),
        locality: text(c.locality),
        region: text(c.region),
        left_postcode: side(0),
        right_postcode: side(1),
        line,
    })
}

/// The vertices of a `LINESTRING (x y, x y)` of OGC well-known text.
fn line_of_wkt(text: &str) -> Result<Vec<(f64, f64)>, String> {
    let body = text.trim();
    let upper = body.to_ascii_uppercase();
    let inner = upper
        .strip_prefix("LINESTRING")
        .map(|r| r.trim_start().trim_start_matches(['Z', 'M']).trim())
        .and_then(|r| r.strip_prefix('('))
        .and_then(|r| r.strip_suffix(')'))
        .ok_or_else(|| {
            format!("\"{}\" is not a LINESTRING in well-known text", body.chars().take(40).collect::<String>())
        })?;
    inner
        .split(',')
        .map(|vertex| {
            let mut numbers = vertex.split_whitespace().map(str::parse::<f64>);
            match (numbers.next(), numbers.next()) {
                (Some(Ok(x)), Some(Ok(y))) => Ok((x, y)),
                _ => Err(format!("vertex \"{}\" of the line is not two numbers", vertex.trim())),
            }
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lines_of_well_known_text() {
        assert_eq!(line_of_wkt("LINESTRING (-123.8 46.2, -123.7 46.3)").unwrap(), [(-123.8, 46.2), (-123.7, 46.3)]);
        assert_eq!(line_of_wkt("linestring z(1 2 3,4 5 6)").unwrap(), [(1.0, 2.0), (4.0, 5.0)]);
        assert!(line_of_wkt("POINT (1 2)").unwrap_err().contains("LINESTRING"));
        assert!(line_of_wkt("LINESTRING (1 2, x y)").unwrap_err().contains("vertex"));
    }
}
