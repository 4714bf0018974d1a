//! The rows of one side of a comparison.

use super::CompareReport;
use crate::Error;
use crate::coordinates::expectation::Expectation;
use crate::doubts::{Ending, Scene, Seen, Watchers};
use crate::engine::{Cancel, Chain, Part, Run, source};
use crate::plan::LayerPlan;
use crate::steps::Positions;
use basilocus_geodesy::crs::{Catalogue, Crs};
use basilocus_geodesy::operation::Operation;
use basilocus_table::Reason;
use basilocus_table::batch::cell_text;
use std::collections::HashMap;
use std::path::Path;

/// A row of one side.
pub(super) struct Row {
    /// Longitude and latitude, degrees in WGS 84.
    pub place: Option<[f64; 2]>,
    pub level: String,
    /// What a person calls it: its key, or its number in the file.
    pub name: String,
    /// Its other cells, in the order of [`Rows::columns`], in one text: tables have millions of them.
    cells: Box<str>,
}

/// Stands between cells; no table has it in one.
const BETWEEN: char = '\u{1f}';

impl Row {
    /// Its other cells, in the order of [`Rows::columns`].
    pub(super) fn cells(&self) -> Vec<&str> {
        self.cells.split(BETWEEN).collect()
    }
}

/// Cells in one text.
fn together(cells: impl Iterator<Item = String>) -> Box<str> {
    let mut text = String::new();
    for (at, cell) in cells.enumerate() {
        if at > 0 {
            text.push(BETWEEN);
        }
        text.extend(cell.chars().map(|c| if c == BETWEEN { ' ' } else { c }));
    }
    text.into_boxed_str()
}

/// The rows of a file by their keys, which come in order.
pub(super) struct Rows {
    /// The system of its positions.
    pub crs: Option<Crs>,
    pub rows: HashMap<String, Row>,
    pub order: Vec<String>,
    /// Rows that are not blank, those without a position among them.
    pub count: u64,
    /// Columns whose cells are kept: all but the key and those that say the position.
    pub columns: Vec<String>,
}

/// What is asked of both files.
#[derive(Clone, Copy)]
pub(super) struct Asked<'a> {
    /// The system of the coordinates.
    pub from: Option<&'a String>,
    /// The column that tells rows apart.
    pub key: Option<&'a str>,
    /// Where positions should be.
    pub expected: Option<&'a Expectation>,
}

/// Reads a file. With a key every row counts, one without a position too, and its cells are kept.
pub(super) fn read(
    path: &Path,
    Asked { from, key, expected }: Asked,
    report: &mut CompareReport,
    cancel: &Cancel,
) -> Result<Rows, Error> {
    let carried = source::open(path, &Default::default())?.about().crs.clone();
    let nothing_said = from.is_none() && carried.is_none();
    let from = from.cloned().or(carried).unwrap_or_else(|| "EPSG:4326".into());
    let run = Run::quiet(cancel);
    let placed = LayerPlan::new(path).with(Positions { from: Some(from), ..Default::default() });
    let opened = Chain::open(&placed, &run).and_then(|mut chain| chain.survey(&run).map(|_| chain));
    let mut chain = match opened {
        // Tables without coordinates have cells that may differ.
        Err(Error::NoPosition { .. }) if key.is_some() => {
            let mut chain = Chain::open(&LayerPlan::new(path), &run)?;
            chain.survey(&run)?;
            chain
        }
        opened => opened?,
    };
    let columns = chain.columns();
    let crs = columns.placed().map(|p| p.crs.clone());
    if crs.is_some() && nothing_said {
        report.interpretation.push(format!("{}: WGS 84, as nothing else is said", path.display()));
    }
    // How the table was cut into cells is of no interest here; which numbers are the coordinates is.
    report.interpretation.extend(chain.interpretation_of_steps().iter().map(|t| format!("{}: {t}", path.display())));
    let key_column = key.map(|k| columns.require(k, path)).transpose()?;
    let level_column = columns.position("level");
    let operation = match &crs {
        Some(crs) => Some(Operation::between(crs, &Catalogue::embedded().get(4326)?, None)?),
        None if key.is_none() => {
            return Err(Error::NoPosition { path: path.to_path_buf(), names: columns.names() });
        }
        None => None,
    };
    let says_position = |name: &str| columns.placed().is_some_and(|p| p.names.0 == name || p.names.1 == name);
    let in_file = &chain.aside.names;
    let kept: Vec<String> = match key {
        Some(key) => {
            let is_kept = |n: &&String| *n != key && !says_position(n) && columns.position(n).is_some();
            in_file.iter().filter(is_kept).cloned().collect()
        }
        None => Vec::new(),
    };
    let at_end: Vec<usize> = kept.iter().filter_map(|n| columns.position(n)).collect();
    let place_of = |name: &str| in_file.iter().position(|n| n == name);
    let in_source: Vec<Option<usize>> = kept.iter().map(|n| place_of(n)).collect();
    let key_in_source = key.and_then(place_of);
    let mut out = Rows { crs, rows: HashMap::new(), order: Vec::new(), count: 0, columns: kept.clone() };
    let file = path.file_name().map_or(String::new(), |n| n.to_string_lossy().into_owned());
    let mut scene = Scene::new(&file, chain.reader.about(), chain.columns(), &[], true)?;
    scene.name_source_columns(&chain.aside.names);
    if let Some(expected) = expected {
        scene.expect(expected);
    }
    // Nobody is told of anything else here.
    let watchers = Watchers::of_the_expected_place(&scene);
    let watched = |part: Part| {
        watchers.rows(&Seen::new(&part.rows, &scene));
        watchers.set_aside(&part.set_aside, &scene);
        Ok(part)
    };
    chain.each(&run, "reading", &watched, &mut |part| {
        for row in &part.set_aside {
            *report.set_aside.entry(format!("{file}: {}", row.class)).or_default() += 1;
        }
        // Files count their rows from different numbers (a header is a row of a table and none of a layer), so
        // that rows are paired by how many stand before them.
        let without_place = || part.set_aside.iter().filter(|r| r.class != Reason::BLANK_ROW);
        let mut numbers: Vec<u64> = part.rows.source_rows().to_vec();
        numbers.extend(without_place().map(|r| r.source_row));
        numbers.sort_unstable();
        numbers.dedup();
        let before = out.count;
        out.count += numbers.len() as u64;
        let [mut x, mut y, mut z] = match &operation {
            Some(_) => part.rows.positions(),
            None => std::array::from_fn(|_| vec![f64::NAN; part.rows.source_rows().len()]),
        };
        if let Some(operation) = &operation {
            operation.apply(&mut x, &mut y, &mut z);
        }
        let text = |c: usize, row: usize| cell_text(part.rows.records().column(c), row);
        for (row, number) in part.rows.source_rows().iter().enumerate() {
            let place = (x[row].is_finite() && y[row].is_finite()).then_some([x[row], y[row]]);
            if place.is_none() && operation.is_some() {
                let class = Reason::CANNOT_BE_TRANSFORMED;
                *report.set_aside.entry(format!("{file}: {class}")).or_default() += 1;
                if key.is_none() {
                    continue;
                }
            }
            let name = key_column.map_or_else(|| format!("row {number}"), |c| text(c, row));
            let by_order = || (before + numbers.partition_point(|n| n < number) as u64).to_string();
            let key = key_column.map_or_else(by_order, |_| name.clone());
            let level = level_column.map_or(String::new(), |c| text(c, row));
            let cells = together(at_end.iter().map(|c| text(*c, row)));
            out.add(path, *number, key, Row { place, level, name, cells })?;
        }
        let Some(key_at) = key_in_source else { return Ok(()) };
        for row in without_place() {
            let value = |at: usize| row.values.get(at).cloned().unwrap_or_default();
            let cells = together(in_source.iter().map(|at| at.map_or(String::new(), value)));
            let name = value(key_at);
            out.add(path, row.source_row, name.clone(), Row { place: None, level: String::new(), name, cells })?;
        }
        Ok(())
    })?;
    report.doubts.extend(watchers.findings(&scene, &Ending::default()));
    Ok(out)
}

impl Rows {
    fn add(&mut self, path: &Path, number: u64, key: String, row: Row) -> Result<(), Error> {
        if self.rows.contains_key(&key) {
            return Err(Error::Data(format!(
                "{}: row {number}: \"{}\" is the key of an earlier row too; a column that tells rows apart is expected",
                path.display(),
                row.name
            )));
        }
        self.order.push(key.clone());
        self.rows.insert(key, row);
        Ok(())
    }

    /// Rows with a position.
    pub(super) fn placed(&self) -> u64 {
        self.rows.values().filter(|r| r.place.is_some()).count() as u64
    }
}
