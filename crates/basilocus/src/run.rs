//! Runs a plan.

use crate::Error;
use crate::answers::{self, Known, ReviewRow, Store};
use crate::doubt::{self, Evidence, Tally};
use crate::engine::{Cancel, Progress, stream};
use crate::gather::gather;
use crate::pipeline::{Pipeline, Wants};
use crate::plan::{LayerPlan, Plan};
use crate::report::{LayerReport, Report};
use crate::source::open;
use crate::split::Split;
use crate::step::position::OrderCounts;
use basilocus_formats::{
    AsRows, Encoded, Format, FormatError, PendingOutput, Reader, RunAbout, SetAsideTable, Writer, append, create,
    delimited,
};
use basilocus_table::{ColumnProfile, Ledger, SetAsideRow};
use std::io::Write;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::Instant;

/// How to run a plan.
#[derive(Default)]
pub struct RunOptions<'a> {
    /// Whether existing outputs are replaced.
    pub overwrite: bool,
    /// Whether layers are added to GeoPackages that exist.
    pub append: bool,
    /// Whether a coarser operation than the best, for want of a grid file, is an error.
    pub strict: bool,
    /// Lets another thread stop the run.
    pub cancel: Cancel,
    /// Told how it goes on.
    pub progress: Option<&'a dyn Progress>,
}

/// Runs a plan. Outputs appear whole, all together at the end, or not at all.
///
/// # Errors
/// [`Error`]: everything that keeps the run from being completed; rows that cannot be used are no error, they are
/// set aside and counted in the report.
pub fn run(plan: &Plan, options: &RunOptions) -> Result<Report, Error> {
    let started = Instant::now();
    let date = plan.date.clone().unwrap_or_else(today);
    if plan.layers.is_empty() {
        return Err(Error::Plan("the plan has no layer".into()));
    }
    if plan.outputs.is_empty() {
        return Err(Error::Plan("no output is said; name one with -o".into()));
    }
    for (i, output) in plan.outputs.iter().enumerate() {
        if plan.outputs[..i].iter().any(|o| o.file == output.file) {
            return Err(Error::Plan(format!("{} is named twice as an output", output.file.display())));
        }
        if let Some(layer) = plan.layers.iter().find(|l| same_file(&l.source, &output.file)) {
            return Err(Error::Plan(format!(
                "{} is read and written in one run; name another output",
                layer.source.display()
            )));
        }
    }
    // Everything that can be wrong before a row is read is found here, for all layers and outputs.
    let mut writers: Vec<Box<dyn Writer>> = Vec::new();
    let split_by = split_by(plan);
    if options.append && split_by.is_some() {
        return Err(Error::Plan("--append and --split-by exclude each other: parts are files of their own".into()));
    }
    if split_by.is_some() && plan.layers.len() > 1 {
        return Err(Error::Plan("--split-by parts one layer; the plan has several".into()));
    }
    let mut split: Option<Split> = None;
    let mut wants = Vec::new();
    for output in &plan.outputs {
        let format =
            Format::of_ending(&output.file).ok_or_else(|| FormatError::OutputFormat { path: output.file.clone() })?;
        if split_by.is_none() {
            writers.push(if options.append { append(&output.file)? } else { create(&output.file, options.overwrite)? });
        }
        wants.push(Wants { format });
    }
    let names = layer_names(&plan.layers);
    if !options.overwrite
        && let Some(path) = names.iter().filter_map(|n| set_aside_path(plan, n, options.append)).find(|p| p.exists())
    {
        // Left alone, rows set aside by an earlier run would be taken for this one's.
        return Err(FormatError::OutputExists { path }.into());
    }
    let mut layers: Vec<(Box<dyn Reader>, Pipeline)> = Vec::new();
    let mut joined = Vec::new();
    for layer in &plan.layers {
        let reader = open(&layer.source, &layer.options()?)?;
        let mut gathered = gather(layer, reader, &options.cancel)?;
        let mut pipeline = Pipeline::new(&gathered.plan, gathered.reader.as_mut(), &wants, options.strict, &date)?;
        pipeline.told.splice(0..0, gathered.told);
        if let Some(columns) = gathered.source_columns {
            pipeline.set_source_columns(columns);
        }
        joined.push(gathered.joined);
        layers.push((gathered.reader, pipeline));
    }
    let mut report = Report { outputs: plan.outputs.iter().map(|o| o.file.clone()).collect(), ..Default::default() };
    let mut set_aside_table = SetAsideTable::default();
    let mut pending: Vec<PendingOutput> = Vec::new();
    let mut stale: Vec<PathBuf> = Vec::new();
    let holds_set_aside = writers.iter().any(|w| w.holds_set_aside());
    for (((layer, name), (reader, pipeline)), joined) in plan.layers.iter().zip(&names).zip(&mut layers).zip(joined) {
        let file = set_aside_path(plan, name, options.append);
        let mut aside = AsideFile::new(file, options.overwrite, &pipeline.source_columns);
        let table = holds_set_aside.then_some(&mut set_aside_table);
        let mut review = Review::start(pipeline, options.overwrite)?;
        if let Some(column) = split_by {
            let outputs = plan.outputs.iter().map(|o| o.file.clone()).zip(wants.iter().copied()).collect();
            split = Some(Split::new(column, outputs, options.overwrite));
        }
        let run = LayerRun { layer, name, wants: &wants, options, joined };
        let (layer_report, ledger, doubts) =
            run.run(reader.as_mut(), pipeline, &mut writers, &mut aside, table, review.as_mut(), split.as_mut())?;
        let mut layer_report = layer_report;
        match aside.finish()? {
            Some(output) => {
                layer_report.set_aside_file = Some(output.target().to_path_buf());
                pending.push(output);
            }
            None => {
                stale.extend(set_aside_path(plan, name, options.append).filter(|p| options.overwrite && p.exists()))
            }
        }
        if let Some(review) = review {
            let (output, told) = review.finish(&date)?;
            report.outputs.push(output.target().to_path_buf());
            report.told.push(told);
            pending.push(output);
        }
        report.add(&ledger);
        report.doubts.extend(doubts);
        report.told.extend(pipeline.told.iter().cloned());
        if report.operation.is_none() {
            report.operation = layer_report.operations.first().cloned();
        }
        report.layers.push(layer_report);
    }
    let about = about(&report, &layers, &date);
    if let Some(split) = split {
        report.told.push(split.sum());
        let (outputs, told) = split.finish(&about, &set_aside_table)?;
        report.outputs = outputs.iter().map(|o| o.target().to_path_buf()).collect();
        pending.extend(outputs);
        report.told.extend(told);
    }
    for writer in writers {
        let (output, told) = writer.finish(&about, &set_aside_table)?;
        pending.push(output);
        report.told.extend(told);
    }
    let mut once = Vec::new();
    report.told.retain(|t| {
        if once.contains(t) {
            false
        } else {
            once.push(t.clone());
            true
        }
    });
    if options.cancel.is_cancelled() {
        return Err(Error::Cancelled);
    }
    for output in pending {
        output.publish()?;
    }
    for file in stale {
        // Rows set aside by an earlier run of the same output would be taken for this one's.
        if std::fs::remove_file(&file).is_ok() {
            report.told.push(format!("{} of an earlier run was removed: this run set no row aside", file.display()));
        }
    }
    report.seconds = started.elapsed().as_secs_f64();
    Ok(report)
}

/// The rows in doubt of a layer, and what was found for the others, until the answers come back.
struct Review {
    pending: PendingOutput,
    store: Store,
    rows: Vec<ReviewRow>,
}

/// Rows that a sheet for review holds.
const MOST_REVIEWED: usize = 1_000_000;

impl Review {
    fn start(pipeline: &Pipeline, overwrite: bool) -> Result<Option<Self>, Error> {
        let Some((path, store, fingerprint)) = pipeline.review() else { return Ok(None) };
        let pending = PendingOutput::new(path, overwrite)?;
        let store = Store::open(&store)?;
        store.start_run(&fingerprint)?;
        Ok(Some(Review { pending, store, rows: Vec::new() }))
    }

    fn add(&mut self, doubtful: Vec<ReviewRow>, found: &[(String, Known)]) -> Result<(), Error> {
        self.rows.extend(doubtful);
        if self.rows.len() > MOST_REVIEWED {
            return Err(Error::Plan(format!(
                "more than {MOST_REVIEWED} rows are in doubt, which no person can answer; look at their reasons in the rows set aside of a run without --review"
            )));
        }
        self.store.add_found(found)
    }

    fn finish(self, date: &str) -> Result<(PendingOutput, String), Error> {
        self.store.end_run()?;
        let asked = answers::write(&self.pending, &self.rows, date)?;
        let path = self.pending.target().display().to_string();
        let told = format!(
            "{} rows with {asked} different addresses are in doubt: answer in {path}, then run this again with --answers {path}; what was found for the other rows waits in {}",
            self.rows.len(),
            self.store.path().display()
        );
        Ok((self.pending, told))
    }
}

fn same_file(a: &Path, b: &Path) -> bool {
    match (a.canonicalize(), b.canonicalize()) {
        (Ok(a), Ok(b)) => a == b,
        _ => false,
    }
}

/// Names of the layers, each one once.
fn layer_names(layers: &[LayerPlan]) -> Vec<String> {
    let mut names: Vec<String> = Vec::new();
    for layer in layers {
        let name = crate::step::free_name(&layer.layer_name(), &names);
        names.push(name);
    }
    names
}

/// The column whose values have an output each.
fn split_by(plan: &Plan) -> Option<&str> {
    plan.layers.iter().find_map(|l| l.select.as_ref()?.split_by.as_deref())
}

/// Where rows set aside go: beside the first output that has no place for them. Parts have none, whatever their format: a
/// row without a position belongs to no part. A layer that joins others has a file of its own.
fn set_aside_path(plan: &Plan, layer: &str, append: bool) -> Option<PathBuf> {
    let split = split_by(plan).is_some();
    let output = plan.outputs.iter().find(|o| split || Format::of_ending(&o.file) != Some(Format::Xlsx))?;
    if basilocus_formats::is_standard(&output.file) {
        return Some(PathBuf::from(format!("{layer}.set-aside.csv")));
    }
    let stem = output.file.file_stem()?.to_string_lossy().into_owned();
    let name = if plan.layers.len() > 1 || append {
        format!("{stem}.{layer}.set-aside.csv")
    } else {
        format!("{stem}.set-aside.csv")
    };
    Some(output.file.with_file_name(name))
}

/// The file of rows set aside; it is made when the first one comes.
struct AsideFile {
    path: Option<PathBuf>,
    overwrite: bool,
    header: Vec<String>,
    open: Option<(PendingOutput, std::io::BufWriter<std::fs::File>)>,
}

impl AsideFile {
    fn new(path: Option<PathBuf>, overwrite: bool, columns: &[String]) -> Self {
        let header =
            ["source_row".to_string(), "reason".to_string()].into_iter().chain(columns.iter().cloned()).collect();
        AsideFile { path, overwrite, header, open: None }
    }

    fn write(&mut self, row: &SetAsideRow) -> Result<(), Error> {
        let Some(path) = &self.path else {
            return Ok(());
        };
        let failed = |e: std::io::Error| FormatError::Write { path: path.clone(), problem: e.to_string() };
        if self.open.is_none() {
            let pending = PendingOutput::new(path, self.overwrite)?;
            let mut file = std::io::BufWriter::new(std::fs::File::create(pending.path()).map_err(failed)?);
            file.write_all(delimited::line(self.header.iter().map(String::as_str)).as_bytes()).map_err(failed)?;
            self.open = Some((pending, file));
        }
        if let Some((_, file)) = &mut self.open {
            let number = row.source_row.to_string();
            let fields =
                [number.as_str(), row.reason.as_str()].into_iter().chain(row.values.iter().map(String::as_str));
            file.write_all(delimited::line(fields).as_bytes()).map_err(failed)?;
        }
        Ok(())
    }

    fn finish(self) -> Result<Option<PendingOutput>, Error> {
        let Some((pending, mut file)) = self.open else {
            return Ok(None);
        };
        file.flush()
            .map_err(|e| FormatError::Write { path: pending.target().to_path_buf(), problem: e.to_string() })?;
        Ok(Some(pending))
    }
}

struct LayerRun<'a> {
    layer: &'a LayerPlan,
    name: &'a str,
    wants: &'a [Wants],
    options: &'a RunOptions<'a>,
    /// Rows of the source that became positions of lines with others.
    joined: u64,
}

impl LayerRun<'_> {
    #[allow(clippy::too_many_arguments)]
    fn run(
        &self,
        reader: &mut dyn Reader,
        pipeline: &mut Pipeline,
        writers: &mut [Box<dyn Writer>],
        aside: &mut AsideFile,
        mut table: Option<&mut SetAsideTable>,
        mut review: Option<&mut Review>,
        mut split: Option<&mut Split>,
    ) -> Result<(LayerReport, Ledger, Vec<crate::DoubtReport>), Error> {
        let progress: &dyn Progress = self.options.progress.unwrap_or(&());
        let bytes = reader.about().bytes;
        let mut profiles = Vec::new();
        if pipeline.order_is_open {
            progress.start(self.name, "reading the order of coordinates", bytes);
            let mut counts = OrderCounts::default();
            stream(reader, &self.options.cancel, &|block| pipeline.orders_of(block), &mut |(part, bytes, rows)| {
                counts.merge(&part);
                progress.advance(bytes, rows);
                Ok(())
            })?;
            progress.finish();
            pipeline.settle_order(&counts);
        }
        if !reader.about().typed && self.wants.iter().any(|w| w.format != Format::Delimited) {
            progress.start(self.name, "looking at all values", bytes);
            profiles = profile(reader, pipeline, &self.options.cancel, progress)?;
            progress.finish();
            pipeline.set_types(&profiles);
        }
        let mut outputs = Vec::new();
        for (writer, wants) in writers.iter_mut().zip(self.wants) {
            outputs.push((*wants, writer.start_layer(&pipeline.layer_out(self.name, *wants)?)?));
        }
        if let Some(split) = split.as_deref_mut() {
            for wants in self.wants {
                split.layer(pipeline.layer_out(self.name, *wants)?)?;
                outputs.push((*wants, Arc::new(AsRows)));
            }
        }
        progress.start(self.name, "writing", bytes);
        let mut ledger = Ledger { rows_in: self.joined, joined: self.joined, ..Default::default() };
        let mut tally = Tally::default();
        let mut report = LayerReport {
            name: self.name.to_string(),
            source: self.layer.source.clone(),
            understood: pipeline.understood.clone(),
            ..Default::default()
        };
        let mut second_row_blank = false;
        let header_row = reader.about().header_row;
        let about = reader.about().clone();
        let pipeline = &*pipeline;
        stream(reader, &self.options.cancel, &|block| pipeline.process(block, &outputs), &mut |part| {
            ledger.rows_in += part.rows_in;
            ledger.rows_out += part.rows_out;
            tally.merge(&part.tally);
            for (level, n) in part.levels {
                *report.levels.entry(level).or_default() += n;
            }
            if let Some(review) = review.as_deref_mut() {
                review.add(part.doubtful, &part.found)?;
            }
            for (notation, n) in part.notations {
                *report.notations.entry(notation.to_string()).or_default() += n;
            }
            if let Some(e) = part.extent {
                let x = report.extent.get_or_insert(e);
                *x = [x[0].min(e[0]), x[1].min(e[1]), x[2].max(e[2]), x[3].max(e[3])];
            }
            for row in &part.set_aside {
                ledger.set_aside(&row.class);
                second_row_blank |= row.class == "blank row" && header_row.is_some_and(|h| row.source_row == h + 1);
                aside.write(row)?;
                if let Some(table) = table.as_deref_mut() {
                    add_row(table, self.name, &pipeline.source_columns, row);
                }
            }
            for (class, n) in &part.left_out {
                ledger.leave_out(class, *n);
            }
            match split.as_deref_mut() {
                Some(split) => {
                    for (i, encoded) in part.encoded.into_iter().enumerate() {
                        if let Encoded::Rows(batch) = encoded {
                            split.write(i, &batch)?;
                        }
                    }
                }
                None => {
                    for (writer, encoded) in writers.iter_mut().zip(part.encoded) {
                        writer.write(encoded)?;
                    }
                }
            }
            progress.advance(part.bytes, part.rows_in);
            Ok(())
        })?;
        for writer in writers.iter_mut() {
            writer.end_layer()?;
        }
        progress.finish();
        ledger.check()?;
        if let Some(split) = split.as_deref().filter(|s| s.rows() != ledger.rows_out) {
            return Err(Error::Plan(format!(
                "the parts have {} rows and the whole {}: this is a defect, nothing was written",
                split.rows(),
                ledger.rows_out
            )));
        }
        let named: Vec<_> = pipeline
            .schema()
            .fields()
            .iter()
            .zip(&pipeline.roles)
            .zip(&profiles)
            .map(|((f, r), p)| (f.name().clone(), *r, p.clone()))
            .collect();
        let doubts = doubt::all(&Evidence {
            layer: self.name,
            columns: pipeline.position_columns(),
            area_of: pipeline.area_title(),
            tally,
            ledger: ledger.clone(),
            source: Some((&about.path, about.format)),
            notes: &about.notes,
            header_row,
            blank_second_row: second_row_blank,
            missed: pipeline
                .operations_taken()
                .iter()
                .filter_map(|(crs, op)| op.missed().map(|m| (crs.title(), m.clone(), op.accuracy_m())))
                .collect(),
            frames_mixed: frames_mixed(pipeline),
            repeated: pipeline.met.repeated(),
            profiles: &named,
        });
        report.rows_in = ledger.rows_in;
        report.rows_out = ledger.rows_out;
        report.set_aside = ledger.set_aside.clone();
        report.joined = ledger.joined;
        report.left_out = ledger.left_out.clone();
        report.operations = pipeline.operations();
        Ok((report, ledger, doubts))
    }
}

/// A moving and a fixed frame that an operation of the layer takes as equal.
fn frames_mixed(pipeline: &Pipeline) -> Option<(&str, &str)> {
    let source = pipeline.source()?.datum()?;
    pipeline.operations_taken().into_iter().find_map(|(crs, op)| {
        let target = crs.datum()?;
        let ensemble = |name: &str| name == "WGS 1984";
        let mixed = op.assumes_equal() && !ensemble(&source.name) && !ensemble(&target.name);
        (mixed && source.is_dynamic() != target.is_dynamic()).then_some((source.name.as_str(), target.name.as_str()))
    })
}

/// Goes through all values of a source for the types of its columns.
pub(crate) fn profile(
    reader: &mut dyn Reader,
    pipeline: &Pipeline,
    cancel: &Cancel,
    progress: &dyn Progress,
) -> Result<Vec<ColumnProfile>, Error> {
    let width = pipeline.schema().fields().len();
    let mut profiles = vec![ColumnProfile::default(); width];
    stream(
        reader,
        cancel,
        &|block| {
            let (batch, bytes) = pipeline.mended(block)?;
            let mut part = vec![ColumnProfile::default(); width];
            for (i, p) in part.iter_mut().enumerate() {
                let texts = basilocus_table::text_column(batch.records.column(i));
                texts.iter().for_each(|t| p.add(t.unwrap_or("")));
            }
            Ok((part, bytes, batch.len() as u64))
        },
        &mut |(part, bytes, rows)| {
            profiles.iter_mut().zip(&part).for_each(|(all, p)| all.merge(p));
            progress.advance(bytes, rows);
            Ok(())
        },
    )?;
    Ok(profiles)
}

/// Adds a row set aside to the workbook's table, whose columns are those of all layers.
fn add_row(table: &mut SetAsideTable, layer: &str, columns: &[String], row: &SetAsideRow) {
    if table.header.is_empty() {
        table.header = ["layer", "source_row", "reason"].map(String::from).to_vec();
    }
    let mut cells = vec![layer.to_string(), row.source_row.to_string(), row.reason.clone()];
    for (column, value) in columns.iter().zip(&row.values) {
        let at = match table.header.iter().skip(3).position(|h| h == column) {
            Some(i) => i + 3,
            None => {
                table.header.push(column.clone());
                table.header.len() - 1
            }
        };
        if cells.len() <= at {
            cells.resize(at + 1, String::new());
        }
        cells[at] = value.clone();
    }
    table.rows.push(cells);
}

/// What a workbook says about itself.
fn about(report: &Report, layers: &[(Box<dyn Reader>, Pipeline)], date: &str) -> RunAbout {
    let mut lines: Vec<(String, String)> = vec![
        ("About this workbook".into(), String::new()),
        ("Date".into(), date.to_string()),
        ("Rows read".into(), report.rows_in.to_string()),
        ("Rows written".into(), report.rows_out.to_string()),
        ("Rows set aside".into(), report.set_aside.values().sum::<u64>().to_string()),
    ];
    let left_out: u64 = report.left_out.values().sum();
    if left_out > 0 {
        lines.push(("Rows not chosen".into(), left_out.to_string()));
    }
    for (layer, (_, pipeline)) in report.layers.iter().zip(layers) {
        lines.push((layer.name.clone(), String::new()));
        lines.push((
            "Source".into(),
            layer.source.file_name().map_or(String::new(), |n| n.to_string_lossy().into_owned()),
        ));
        for text in &layer.understood {
            lines.push(("Read as".into(), text.clone()));
        }
        lines.push(("Rows read".into(), layer.rows_in.to_string()));
        lines.push(("Rows written".into(), layer.rows_out.to_string()));
        if layer.joined > 0 {
            lines.push(("Rows that are in them with others".into(), layer.joined.to_string()));
        }
        for (reason, n) in &layer.left_out {
            lines.push((format!("Not chosen: {reason}"), n.to_string()));
        }
        for (reason, n) in &layer.set_aside {
            lines.push((format!("Set aside: {reason}"), n.to_string()));
        }
        for (level, n) in &layer.levels {
            lines.push((format!("Level: {level}"), n.to_string()));
        }
        if let Some((crs, worth)) = pipeline.result_system() {
            lines.push(("Coordinate reference system".into(), format!("{}, in {}", crs.title(), crs.unit_words())));
            if let Some(datum) = crs.datum() {
                lines.push(("Datum".into(), format!("{} on the ellipsoid {}", datum.name, datum.ellipsoid.name)));
            }
            if let Some(worth) = worth {
                lines.push(("Digits".into(), worth));
            }
        }
        for op in &layer.operations {
            if op.source == op.target {
                lines.push(("Also in".into(), format!("{}, as in the source", op.target)));
                continue;
            }
            lines.push(("Operation".into(), format!("{} → {}: {}", op.source, op.target, op.name)));
            lines.push(("Accuracy".into(), accuracy_words(op.accuracy_m)));
            for note in &op.notes {
                lines.push(("Note".into(), note.clone()));
            }
        }
    }
    for doubt in &report.doubts {
        lines.push((format!("Doubt {}", doubt.id), format!("{}: {}", doubt.layer, doubt.message)));
    }
    lines.push(("Catalogue".into(), format!("Definitions from the {}", basilocus_geodesy::crs::catalogue::EDITION)));
    RunAbout { lines, date: date.to_string() }
}

/// An accuracy as people read it.
pub fn accuracy_words(accuracy_m: Option<f64>) -> String {
    match accuracy_m {
        Some(0.0) => "exact (a conversion, no change of datum)".into(),
        // Three figures that count, whatever a sum or a fit left behind.
        Some(a) => {
            let unit = 10f64.powi(a.abs().log10().floor() as i32 - 2);
            let rounded = (a / unit).round() * unit;
            let decimals = (2 - a.abs().log10().floor() as i32).clamp(0, 6) as usize;
            let text = format!("{rounded:.decimals$}");
            let text = if text.contains('.') { text.trim_end_matches('0').trim_end_matches('.') } else { &text };
            format!("{text} m")
        }
        None => "not stated".into(),
    }
}

/// Today in UTC, `YYYY-MM-DD`.
pub fn today() -> String {
    let days =
        std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH).map_or(0, |d| d.as_secs() / 86_400) as i64;
    let (y, m, d) = civil(days);
    format!("{y:04}-{m:02}-{d:02}")
}

/// Year, month and day of a number of days since 1970-01-01, by eras of 400 years.
fn civil(days: i64) -> (i64, i64, i64) {
    let z = days + 719_468;
    let era = z.div_euclid(146_097);
    let doe = z.rem_euclid(146_097);
    let yoe = (doe - doe / 1460 + doe / 36_524 - doe / 146_096) / 365;
    let doy = doe - (365 * yoe + yoe / 4 - yoe / 100);
    let mp = (5 * doy + 2) / 153;
    let (d, m) = (doy - (153 * mp + 2) / 5 + 1, if mp < 10 { mp + 3 } else { mp - 9 });
    (yoe + era * 400 + i64::from(m <= 2), m, d)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn accuracies_have_three_figures() {
        for (a, words) in [
            (12.0, "12 m"),
            (6.859_678_693, "6.86 m"),
            (0.001, "0.001 m"),
            (0.15, "0.15 m"),
            (1234.5, "1230 m"),
            (1.01, "1.01 m"),
        ] {
            assert_eq!(accuracy_words(Some(a)), words);
        }
        assert_eq!(accuracy_words(None), "not stated");
    }

    #[test]
    fn days_and_dates() {
        assert_eq!(civil(0), (1970, 1, 1));
        assert_eq!(civil(20_782), (2026, 11, 25));
        assert_eq!(civil(11_016), (2000, 2, 29));
        assert_eq!(civil(-1), (1969, 12, 31));
    }
}
