//! Builds an address reference from tables and layers.
//!
//! | module | what is in it |
//! |---|---|
//! | `columns` | columns by what they are for, found or said in a file |
//! | `entries` | rows to entries |
//! | `update` | adds, replaces and withdraws addresses without the old sources |
//! | `geometry` | lines and polygons of well-known text |

mod columns;
mod entries;
pub(crate) mod geometry;
mod update;

pub use update::{UpdatePlan, update};

use crate::Error;
use crate::doubts::{DoubtName, DoubtReport};
use crate::engine::{Cancel, Progress};
use crate::engine::{Columns as TableColumns, Passing, Rows, roles_of, source, stream};
use crate::paths::Paths;
use crate::plan::InputPlan;
use crate::steps::Positions;
use crate::steps::positions::PositionReader;
use basilocus_address::reference::Unusable;
use basilocus_address::{Builder, Error as AddressError, country, grammar};
use basilocus_formats::{FormatError, PendingOutput, Reader, delimited, publish};
use basilocus_geodesy::crs::Catalogue;
use basilocus_geodesy::operation::Operation;
use basilocus_table::{Batch, Ledger, Reason, SetAsideRow};
use columns::{Columns, Kind, Mapping};
use entries::Row;
use serde::Serialize;
use std::path::{Path, PathBuf};
use std::time::Instant;

/// How the sources of a reference are to be read.
#[derive(Debug, Clone, Default, PartialEq)]
#[cfg_attr(feature = "arguments", derive(clap::Args))]
pub struct SourcesPlan {
    /// System of the coordinates; WGS 84 longitude and latitude unless said
    #[cfg_attr(feature = "arguments", arg(long, value_name = "CRS"))]
    pub from: Option<String>,
    /// File that says what sources hold and which of their columns is what
    #[cfg_attr(feature = "arguments", arg(long, value_name = "FILE.toml"))]
    pub mapping: Option<PathBuf>,
    /// What is taken where a row has nothing, such as locality=Ternport or country=DE
    #[cfg_attr(feature = "arguments", arg(long, value_name = "PURPOSE=VALUE"))]
    pub set: Vec<String>,
    /// Columns that are one thing together, such as street=PREFIX,NAME,KIND
    #[cfg_attr(feature = "arguments", arg(long, value_name = "PURPOSE=COLUMN,COLUMN"))]
    pub join: Vec<String>,
    /// Replace a reference that exists
    #[cfg_attr(feature = "arguments", arg(long))]
    pub overwrite: bool,
    /// How to read the sources
    #[cfg_attr(feature = "arguments", command(flatten))]
    pub input: InputPlan,
}

/// How a reference is to be built.
#[derive(Debug, Clone, Default, PartialEq)]
#[cfg_attr(feature = "arguments", derive(clap::Args))]
pub struct BuildPlan {
    /// Sources, in any mixture
    #[cfg_attr(feature = "arguments", arg(required = true))]
    pub sources: Vec<PathBuf>,
    /// The reference to write
    #[cfg_attr(
        feature = "arguments",
        arg(short, long, value_name = "FILE", default_value = "-", hide_default_value = true)
    )]
    pub output: PathBuf,
    /// Country of rows that do not say theirs, as an ISO 3166 code or a name; US unless said
    #[cfg_attr(feature = "arguments", arg(long, value_name = "CODE"))]
    pub country: Option<String>,
    /// Write a file for --mapping with what was found, to be corrected, and build nothing; - prints it
    #[cfg_attr(feature = "arguments", arg(long, value_name = "FILE.toml", conflicts_with = "mapping"))]
    pub mapping_template: Option<PathBuf>,
    /// How to read the sources
    #[cfg_attr(feature = "arguments", command(flatten))]
    pub reading: SourcesPlan,
}

/// What a build came to.
#[derive(Debug, Clone, Default, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
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
    /// Houses and stretches of an older reference that are in the new one.
    pub kept: u64,
    /// Those that newer rows replaced.
    pub replaced: u64,
    /// Those that were withdrawn.
    pub withdrawn: u64,
    /// Suspicions about the sources.
    pub doubts: Vec<DoubtReport>,
    /// Files written.
    #[serde(serialize_with = "crate::report::path_text::many")]
    pub outputs: Vec<PathBuf>,
    /// Wall-clock time.
    pub seconds: f64,
}

/// A source of a reference.
#[derive(Debug, Clone, Default, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
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

/// Builds a reference. Rows that cannot be used are written to `<output>.set-aside.csv` and counted.
///
/// # Errors
/// Where a source cannot be read or its columns do not tell what it holds, and where the output cannot be written.
///
/// ```
/// use basilocus::Cancel;
/// use basilocus::addresses::reference::{BuildPlan, build};
///
/// let folder = tempfile::tempdir()?;
/// let (points, reference) = (folder.path().join("points.csv"), folder.path().join("town.reference"));
/// std::fs::write(&points, "number,street,locality,region,postcode,lon,lat\n12,Heron Ln,Ternport,OR,97981,-123.8,46.2\n")?;
/// let plan = BuildPlan { sources: vec![points], output: reference.clone(), ..Default::default() };
/// let report = build(&plan, &Cancel::default(), &())?;
/// assert_eq!((report.rows_in, report.rows_out), (1, 1));
/// assert_eq!(report.sources[0].kind, "address points");
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn build(plan: &BuildPlan, cancel: &Cancel, progress: &dyn Progress) -> Result<BuildReport, Error> {
    let started = Instant::now();
    let said = plan.country.as_deref().unwrap_or("US");
    let mut builder = Builder::of_country(said).ok_or_else(|| {
        Error::Usage(format!("`country` {said}: a code of ISO 3166 or the name of a country is expected"))
    })?;
    if basilocus_formats::is_standard(&plan.output) {
        return Err(Error::Usage("say the reference to write with `output` FILE: it is a file of its own".into()));
    }
    let (mut report, aside) = report_of(plan, &mut builder, cancel, progress)?;
    write(plan, &mut builder, &mut report, &aside)?;
    report.seconds = started.elapsed().as_secs_f64();
    Ok(report)
}

/// Rows set aside: their file, the row, the names of its columns.
type Aside = Vec<(String, SetAsideRow, Vec<String>)>;

/// The file of rows set aside.
fn aside_file(plan: &BuildPlan) -> PathBuf {
    let stem = plan.output.file_stem().map_or(String::new(), |s| s.to_string_lossy().into_owned());
    plan.output.with_file_name(format!("{stem}.set-aside.csv"))
}

/// Reads the sources into a builder.
fn report_of(
    plan: &BuildPlan,
    builder: &mut Builder,
    cancel: &Cancel,
    progress: &dyn Progress,
) -> Result<(BuildReport, Aside), Error> {
    // Checks the output before an hour of reading.
    let mut paths = Paths::default();
    plan.sources.iter().for_each(|s| paths.read(s, "a source"));
    plan.reading.mapping.iter().for_each(|m| paths.read(m, "the mapping"));
    paths.written(&plan.output, "the reference")?;
    paths.written(&aside_file(plan), "the file of rows set aside")?;
    drop(PendingOutput::new(&plan.output, plan.reading.overwrite)?);
    drop(PendingOutput::new(&aside_file(plan), plan.reading.overwrite)?);
    let usual = plan.country.as_deref().and_then(country::code_of).unwrap_or("US");
    let mut report = BuildReport { outputs: vec![plan.output.clone()], ..Default::default() };
    let mut aside: Aside = Vec::new();
    let mapping = plan.reading.mapping.as_deref().map(Mapping::load).transpose()?.unwrap_or_default();
    mapping.check(plan.reading.mapping.as_deref(), &plan.sources)?;
    let mut sources = plan.sources.iter().map(|s| Source::open(s, plan, &mapping)).collect::<Result<Vec<_>, _>>()?;
    for (purpose, headers) in columns::joins(&plan.reading.join)? {
        if !sources.iter().any(|s| headers.are_in(&s.reader.schema())) {
            return Err(Error::Usage(format!("`join` {purpose}=…: no source has such columns")));
        }
    }
    // Places first: of two localities of one name the points belong to the nearer one.
    sources.sort_by_key(|s| s.kind);
    for source in &mut sources {
        let grammar = grammar::of_code(usual);
        let ledger = add_source(source, grammar, builder, &mut report, &mut aside, cancel, progress)?;
        ledger.check()?;
        report.rows_in += ledger.rows_in;
        report.rows_out += ledger.rows_out;
        ledger_of(ledger, &mut report);
    }
    Ok((report, aside))
}

/// Adds the rows set aside to those of a report.
fn ledger_of(ledger: Ledger, report: &mut BuildReport) {
    for (reason, n) in ledger.set_aside {
        *report.set_aside.entry(reason.to_string()).or_default() += n;
    }
}

/// Writes a reference, and the rows set aside beside it.
fn write(plan: &BuildPlan, builder: &mut Builder, report: &mut BuildReport, aside: &Aside) -> Result<(), Error> {
    let file = aside_file(plan);
    let reference = PendingOutput::new(&plan.output, plan.reading.overwrite)?;
    builder.write_in_place(reference.path()).map_err(|e| nothing_used(e, report, aside))?;
    let mut pending = vec![reference];
    report.folded = builder.folded();
    if builder.apart() > 0 {
        report.doubts.extend(DoubtName::find("repeated").map(|id| DoubtReport {
            id,
            layer: plan.output.file_stem().map_or(String::new(), |s| s.to_string_lossy().into_owned()),
            column: None,
            rows: builder.apart(),
            message: format!(
                "{} address points have the address of another one and stand more than 30 m away from it: none of them can be matched for sure",
                builder.apart()
            ),
            mend: "`reference describe` names them: correct their addresses, or take out those that are wrong".into(),
            accepted: false,
        }));
    }
    if !aside.is_empty() {
        let output = PendingOutput::new(&file, plan.reading.overwrite)?;
        let mut text = String::from("source,source_row,reason,row\n");
        for (source, row, names) in aside {
            let cells: Vec<String> =
                names.iter().zip(&row.values).filter(|(_, v)| !v.is_empty()).map(|(n, v)| format!("{n}={v}")).collect();
            let number = row.source_row.to_string();
            text.push_str(&delimited::line([source.as_str(), &number, &row.reason, &cells.join("; ")]));
        }
        std::fs::write(output.path(), text)
            .map_err(|e| FormatError::Write { path: file.clone(), problem: e.to_string() })?;
        pending.push(output);
        report.outputs.push(file.clone());
    }
    publish(pending)?;
    if aside.is_empty() && file.exists() {
        // Of an earlier build that --overwrite replaces.
        std::fs::remove_file(&file).map_err(|e| FormatError::Write { path: file.clone(), problem: e.to_string() })?;
    }
    Ok(())
}

/// Where no row could be used: why, with counts.
fn nothing_used(error: AddressError, report: &BuildReport, aside: &Aside) -> Error {
    let (AddressError::Empty, Some((file, first, _))) = (&error, aside.first()) else { return error.into() };
    let counts: Vec<String> = report.set_aside.iter().map(|(class, n)| format!("{n} {class}")).collect();
    Error::Data(format!(
        "no row of the sources could be used for the reference: {}; the first is row {} of {file}: {}",
        counts.join(", "),
        first.source_row,
        first.reason
    ))
}

/// What the sources hold and which of their columns is what, as a file for `mapping` says it, to be corrected.
///
/// # Errors
/// Where a source cannot be read.
pub fn mapping_template(plan: &BuildPlan) -> Result<String, Error> {
    let none = Mapping::default();
    let mut out = String::from("# What the sources of a reference hold, and which column is for what.\n");
    for path in &plan.sources {
        let look = Look::at(path, plan, &none)?;
        let schema = look.reader.schema();
        out.push('\n');
        out.push_str(&look.columns.template(path, look.kind(&none).ok(), &schema));
    }
    Ok(out)
}

/// Writes [`mapping_template`] to its file.
///
/// # Errors
/// Those of [`mapping_template`], and where the file is there already or cannot be written.
pub fn write_mapping_template(plan: &BuildPlan, file: &Path) -> Result<(), Error> {
    let mut paths = Paths::default();
    plan.sources.iter().for_each(|s| paths.read(s, "a source"));
    paths.written(file, "the mapping")?;
    let text = mapping_template(plan)?;
    let pending = PendingOutput::new(file, plan.reading.overwrite)?;
    let failed = |e: std::io::Error| FormatError::Write { path: file.to_path_buf(), problem: e.to_string() };
    std::fs::write(pending.path(), text).map_err(failed)?;
    Ok(pending.publish()?)
}

/// A source with what its columns are for.
struct Look {
    path: PathBuf,
    reader: Box<dyn Reader>,
    table: TableColumns,
    columns: Columns,
    head: Batch,
    from: Option<String>,
}

/// An opened source.
struct Source {
    path: PathBuf,
    reader: Box<dyn Reader>,
    table: TableColumns,
    columns: Columns,
    head: Batch,
    kind: Kind,
    from: Option<String>,
}

impl Look {
    fn at(path: &Path, plan: &BuildPlan, mapping: &Mapping) -> Result<Self, Error> {
        let mapped = mapping.of(path);
        let mut options = mapped.and_then(|m| m.input.as_ref()).unwrap_or(&plan.reading.input).options()?;
        let mut reader = source::open(path, &options)?;
        let mut head = source::sample(reader.as_mut())?;
        // Lines and polygons of a layer of features come as text.
        if basilocus_table::geometry_index(&reader.schema()).is_some() {
            options.geometry_text = true;
            reader = source::open(path, &options)?;
            head = source::sample(reader.as_mut())?;
        }
        let schema = reader.schema();
        let mut table = TableColumns::of_source(&schema, reader.about().typed);
        let roles = roles_of(&Rows::read(head.clone()));
        roles.iter().enumerate().for_each(|(at, role)| table.set_role(at, *role));
        let mut set = columns::set_values(&plan.reading.set)?;
        set.extend(mapped.iter().flat_map(|m| m.set.clone()));
        let joins = columns::joins(&plan.reading.join)?;
        let columns = Columns::find(&schema, &roles, mapped, &joins, path)?.with_values(set);
        let from = mapped.and_then(|m| m.from.clone()).or_else(|| plan.reading.from.clone());
        Ok(Look { path: path.to_path_buf(), reader, table, columns, head, from })
    }

    /// What it holds, by its columns or as it is said.
    fn kind(&self, mapping: &Mapping) -> Result<Kind, Error> {
        self.columns.kind(&self.reader.schema(), &self.head, mapping.of(&self.path), &self.path)
    }
}

impl Source {
    fn open(path: &Path, plan: &BuildPlan, mapping: &Mapping) -> Result<Self, Error> {
        let look = Look::at(path, plan, mapping)?;
        let kind = look.kind(mapping)?;
        let Look { path, reader, table, columns, head, from } = look;
        Ok(Source { path, reader, table, columns, head, kind, from })
    }
}

fn add_source(
    source: &mut Source,
    grammar: &'static grammar::Grammar,
    builder: &mut Builder,
    report: &mut BuildReport,
    aside: &mut Aside,
    cancel: &Cancel,
    progress: &dyn Progress,
) -> Result<Ledger, Error> {
    let Source { path, reader, table, columns, head, kind, from } = source;
    let kind = *kind;
    let schema = reader.schema();
    let names: Vec<String> = schema.fields().iter().map(|f| f.name().clone()).collect();
    let from = from.clone().or_else(|| reader.about().crs.clone()).unwrap_or_else(|| "EPSG:4326".into());
    let wgs84 = Catalogue::embedded().get(4326)?;
    let crs = crate::coordinates::system::find(&from)?.crs;
    let operation = Operation::between(&crs, &wgs84, None)?;
    let position = if matches!(kind, Kind::Segments | Kind::Areas) {
        None
    } else {
        let said = |purpose: &str| columns.get(purpose).map(|i| names[i].clone());
        Some(PositionReader::new(
            &Positions { from: Some(from), x: said("lon"), y: said("lat"), ..Default::default() },
            &std::sync::Arc::default(),
            table,
            &Rows::read(head.clone()),
            path,
        )?)
    };
    let mut ledger = Ledger::default();
    let file = path.file_name().map_or(String::new(), |n| n.to_string_lossy().into_owned());
    progress.start(&file, kind.words(), reader.about().bytes);
    let decoder = reader.decoder();
    let convert = |batch: &Batch| entries::of_batch(batch, kind, columns, position.as_ref(), &operation, grammar);
    stream(
        reader.as_mut(),
        &Passing::quiet(path, cancel),
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
            for (row, found) in found.into_iter().enumerate() {
                let class = |u: Unusable| (Reason::new(u.class()), u.to_string());
                let add = |r: Row| r.entries.iter().try_for_each(|e| builder.add_in(&r.country, e)).map_err(class);
                match found.and_then(add) {
                    Ok(()) => ledger.rows_out += 1,
                    Err((class, reason)) => {
                        ledger.set_aside(&class);
                        aside.push((
                            file.clone(),
                            SetAsideRow {
                                source_row: decoded.batch.source_rows()[row],
                                class,
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
        path: path.to_path_buf(),
        kind: kind.words().into(),
        columns: columns.words(kind, &schema),
        rows_in: ledger.rows_in,
        rows_out: ledger.rows_out,
    });
    Ok(ledger)
}
