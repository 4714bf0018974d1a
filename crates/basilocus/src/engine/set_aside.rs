//! The files of rows set aside.

use crate::Error;
use crate::plan::Plan;
use basilocus_formats::{Format, FormatError, PendingOutput, SetAsideTable, delimited};
use basilocus_table::SetAsideRow;
use std::io::Write;
use std::path::PathBuf;

/// Where rows set aside go: beside the first output that has no place for them. Parts have none, whatever their format: a
/// row without a position belongs to no part. A layer that joins others has a file of its own.
pub(super) fn path(plan: &Plan, layer: &str, append: bool) -> Option<PathBuf> {
    let output =
        plan.outputs.iter().find(|o| o.split_by.is_some() || Format::of_ending(&o.file) != Some(Format::Xlsx))?;
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
pub(super) struct AsideFile {
    path: Option<PathBuf>,
    overwrite: bool,
    header: Vec<String>,
    open: Option<(PendingOutput, std::io::BufWriter<std::fs::File>)>,
}

impl AsideFile {
    pub(super) fn new(path: Option<PathBuf>, overwrite: bool, columns: &[String]) -> Self {
        let header =
            ["source_row".to_string(), "reason".to_string()].into_iter().chain(columns.iter().cloned()).collect();
        AsideFile { path, overwrite, header, open: None }
    }

    pub(super) fn write(&mut self, row: &SetAsideRow) -> Result<(), Error> {
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

    pub(super) fn finish(self) -> Result<Option<PendingOutput>, Error> {
        let Some((pending, mut file)) = self.open else {
            return Ok(None);
        };
        file.flush()
            .map_err(|e| FormatError::Write { path: pending.target().to_path_buf(), problem: e.to_string() })?;
        Ok(Some(pending))
    }
}

/// Adds a row set aside to the workbook's table, whose columns are those of all layers.
pub(super) fn add_row(table: &mut SetAsideTable, layer: &str, columns: &[String], row: &SetAsideRow) {
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
