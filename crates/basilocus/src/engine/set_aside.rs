//! The files of rows set aside.

use crate::Error;
use crate::plan::Plan;
use crate::report::SetAsideTold;
use basilocus_formats::{Format, FormatError, PendingOutput, SetAsideTable, delimited};
use basilocus_table::SetAsideRow;
use std::io::Write;
use std::path::PathBuf;

/// Rows set aside that are told one by one where nothing else holds them.
const TOLD: usize = 10;

/// Where rows set aside go: to the file that was said, else beside the first output that has no place for them. Parts have
/// none, whatever their format: a row without a position belongs to no part. A layer that joins others has a file of its
/// own. Beside standard output there is no file that would not be in the way of the next run.
pub(super) fn path(plan: &Plan, layer: &str, append: bool) -> Option<PathBuf> {
    if let Some(file) = &plan.set_aside {
        let stem = file.file_stem()?.to_string_lossy();
        let is_one = plan.layers.len() < 2;
        return Some(if is_one { file.clone() } else { file.with_file_name(format!("{stem}.{layer}.csv")) });
    }
    let output =
        plan.outputs.iter().find(|o| o.split_by.is_some() || Format::of_ending(&o.file) != Some(Format::Xlsx))?;
    if basilocus_formats::is_standard(&output.file) {
        return None;
    }
    let stem = output.file.file_stem()?.to_string_lossy().into_owned();
    let name = if plan.layers.len() > 1 || append {
        format!("{stem}.{layer}.set-aside.csv")
    } else {
        format!("{stem}.set-aside.csv")
    };
    Some(output.file.with_file_name(name))
}

/// Whether nothing but the account holds the rows set aside.
pub(super) fn is_told(plan: &Plan) -> bool {
    plan.set_aside.is_none() && plan.outputs.iter().all(|o| basilocus_formats::is_standard(&o.file))
}

/// Whether the file that was said can be written.
///
/// # Errors
/// [`Error::Usage`] for another ending than `.csv`.
pub(super) fn check(plan: &Plan) -> Result<(), Error> {
    let Some(file) = &plan.set_aside else { return Ok(()) };
    let wrong = |problem: &str| Err(Error::Usage(format!("`set_aside` {}: {problem}", file.display())));
    if !file.extension().is_some_and(|e| e.eq_ignore_ascii_case("csv")) {
        return wrong("rows set aside are written as comma-separated text; name a file that ends in .csv");
    }
    Ok(())
}

/// The file of rows set aside; it is made when the first one comes.
pub(crate) struct AsideFile {
    path: Option<PathBuf>,
    overwrite: bool,
    header: Vec<String>,
    /// The first rows, where they are told.
    told: Vec<SetAsideTold>,
    is_told: bool,
    open: Option<(PendingOutput, std::io::BufWriter<std::fs::File>)>,
}

impl AsideFile {
    pub(crate) fn new(path: Option<PathBuf>, is_told: bool, overwrite: bool, columns: &[String]) -> Self {
        let header =
            ["source_row".to_string(), "reason".to_string()].into_iter().chain(columns.iter().cloned()).collect();
        AsideFile { path, overwrite, header, told: Vec::new(), is_told, open: None }
    }

    /// The first rows, where nothing but the account holds them.
    pub(super) fn told(&mut self) -> Vec<SetAsideTold> {
        std::mem::take(&mut self.told)
    }

    pub(crate) fn write(&mut self, row: &SetAsideRow) -> Result<(), Error> {
        if self.is_told && self.told.len() < TOLD {
            self.told.push(SetAsideTold { source_row: row.source_row, reason: row.reason.clone() });
        }
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

    pub(crate) fn finish(self) -> Result<Option<PendingOutput>, Error> {
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

#[cfg(test)]
mod tests {
    use super::*;
    use crate::plan::{LayerPlan, OutputPlan};
    use basilocus_table::Reason;

    fn plan(outputs: &[&str], layers: usize) -> Plan {
        Plan {
            layers: (0..layers).map(|i| LayerPlan::new(format!("{i}.csv"))).collect(),
            outputs: outputs.iter().map(OutputPlan::new).collect(),
            ..Default::default()
        }
    }

    fn row(number: u64, reason: &str, values: &[&str]) -> SetAsideRow {
        let values = values.iter().map(|v| v.to_string()).collect();
        SetAsideRow { source_row: number, class: Reason::new("c"), reason: reason.into(), values }
    }

    #[test]
    fn the_file_stands_beside_the_first_output_that_has_no_place_for_it() {
        let at = |outputs: &[&str], layers, append| {
            path(&plan(outputs, layers), "gates", append).map(|p| p.to_string_lossy().into_owned())
        };
        assert_eq!(at(&["out/a.csv"], 1, false).as_deref(), Some("out/a.set-aside.csv"));
        assert_eq!(at(&["out/a.csv"], 2, false).as_deref(), Some("out/a.gates.set-aside.csv"));
        assert_eq!(at(&["a.gpkg"], 1, true).as_deref(), Some("a.gates.set-aside.csv"), "a layer that joins others");
        assert_eq!(at(&["a.xlsx"], 1, false), None, "a workbook has a sheet for them");
        assert_eq!(at(&["a.xlsx", "b.geojson"], 1, false).as_deref(), Some("b.set-aside.csv"));
        assert_eq!(at(&["-"], 1, false), None, "it would be in the way of the next run");
        let said = |outputs: &[&str], layers| {
            let plan = Plan { set_aside: Some("x/aside.csv".into()), ..plan(outputs, layers) };
            path(&plan, "gates", false).map(|p| p.to_string_lossy().into_owned())
        };
        assert_eq!(said(&["-"], 1).as_deref(), Some("x/aside.csv"));
        assert_eq!(said(&["a.xlsx"], 2).as_deref(), Some("x/aside.gates.csv"));
        let mut parts = plan(&["a.xlsx"], 1);
        parts.outputs[0].split_by = Some("kind".into());
        assert!(path(&parts, "gates", false).is_some(), "a row that is set aside belongs to no part");
    }

    #[test]
    fn a_file_is_made_when_the_first_row_comes() {
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("a.set-aside.csv");
        let columns = ["id".to_string(), "remark".to_string()];
        let none = AsideFile::new(Some(file.clone()), false, false, &columns);
        assert!(none.finish().unwrap().is_none() && !file.exists());
        let mut some = AsideFile::new(Some(file.clone()), false, false, &columns);
        some.write(&row(2, "no \"height\"", &["1", "two\nlines"])).unwrap();
        assert!(!file.exists(), "not before it is whole");
        some.finish().unwrap().unwrap().publish().unwrap();
        let text = std::fs::read_to_string(&file).unwrap().replace("\r\n", "\n");
        assert_eq!(text, "source_row,reason,id,remark\n2,\"no \"\"height\"\"\",1,\"two\nlines\"\n");
        let mut again = AsideFile::new(Some(file), false, false, &columns);
        assert!(again.write(&row(3, "x", &["", ""])).is_err(), "what is there is not replaced unasked");
        let mut nowhere = AsideFile::new(None, true, false, &columns);
        (3..20).for_each(|i| nowhere.write(&row(i, "x", &["", ""])).unwrap());
        let told = nowhere.told();
        assert_eq!((told.len(), told[0].source_row, told[0].reason.as_str()), (TOLD, 3, "x"));
        assert!(nowhere.finish().unwrap().is_none());
    }

    #[test]
    fn rows_of_several_layers_share_the_columns_of_a_sheet() {
        let mut table = SetAsideTable::default();
        let names = |list: &[&str]| list.iter().map(|n| n.to_string()).collect::<Vec<_>>();
        add_row(&mut table, "gates", &names(&["id", "kind"]), &row(2, "r", &["7", "tide gate"]));
        add_row(&mut table, "notes", &names(&["kind", "text"]), &row(9, "s", &["note", "wet"]));
        assert_eq!(table.header, ["layer", "source_row", "reason", "id", "kind", "text"]);
        assert_eq!(table.rows[0], ["gates", "2", "r", "7", "tide gate"]);
        assert_eq!(table.rows[1], ["notes", "9", "s", "", "note", "wet"]);
    }
}
