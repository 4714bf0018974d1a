//! Reads a table of control pairs: which columns are the old coordinates, which the new ones, which the names.

use super::FitPlan;
use crate::Error;
use crate::engine::source;
use basilocus_geodesy::datum::fit::{ControlPair, FitKind};
use basilocus_geodesy::notation;
use basilocus_table::Reason;

/// Control pairs with their names.
pub(super) struct Table {
    pub names: Vec<String>,
    pub pairs: Vec<ControlPair>,
    /// How the table was read.
    pub interpretation: Vec<String>,
}

/// The cells of a table.
struct Cells {
    header: Vec<String>,
    /// Each row with its number.
    rows: Vec<(u64, Vec<String>)>,
}

/// Which columns hold what.
struct Places {
    old: Vec<usize>,
    new: Vec<usize>,
    label: Option<usize>,
}

/// Reads the control pairs of a plan.
pub(super) fn read(plan: &FitPlan, kind: FitKind) -> Result<Table, Error> {
    let cells = cells(plan)?;
    let places = places(plan, kind, &cells)?;
    let mut table = Table { names: Vec::new(), pairs: Vec::new(), interpretation: vec![words(plan, &cells, &places)] };
    for (number, row) in &cells.rows {
        let side = |columns: &[usize]| -> Result<[f64; 3], Error> {
            let mut out = [0.0; 3];
            for (slot, c) in out.iter_mut().zip(columns) {
                *slot = notation::read_number(&row[*c]).map_err(|e| {
                    bad(plan, format!("row {number}, column \"{}\": {e}; a number is expected", cells.header[*c]))
                })?;
            }
            Ok(out)
        };
        table.pairs.push(ControlPair { from: side(&places.old)?, to: side(&places.new)? });
        let name = places.label.map(|l| row[l].trim().to_string()).filter(|n| !n.is_empty());
        table.names.push(name.unwrap_or_else(|| format!("row {number}")));
    }
    leave_out(plan, &mut table)?;
    Ok(table)
}

fn bad(plan: &FitPlan, problem: String) -> Error {
    Error::Fit { path: plan.pairs.clone(), problem }
}

fn cells(plan: &FitPlan) -> Result<Cells, Error> {
    let mut reader = source::open(&plan.pairs, &plan.input.options()?)?;
    let header: Vec<String> = reader.schema().fields().iter().map(|f| f.name().clone()).collect();
    let mut rows: Vec<(u64, Vec<String>)> = Vec::new();
    let mut aside = 0u64;
    source::each_batch(reader.as_mut(), &mut |decoded| {
        let batch = decoded.batch;
        rows.extend((0..batch.len()).map(|r| (batch.source_rows()[r], batch.row_texts(r))));
        // A blank row is no control pair; anything else that cannot be read is said.
        aside += decoded.set_aside.iter().filter(|r| r.class != Reason::BLANK_ROW).count() as u64;
        Ok(())
    })?;
    if aside > 0 {
        return Err(bad(plan, format!("{aside} rows cannot be read as rows of the table; mend them first")));
    }
    if rows.len() > 100_000 {
        let problem = format!("{} rows; a table of control pairs has a few, at most 100,000", rows.len());
        return Err(bad(plan, problem));
    }
    Ok(Cells { header, rows })
}

/// The columns that the plan names, or those that hold numbers.
fn places(plan: &FitPlan, kind: FitKind, cells: &Cells) -> Result<Places, Error> {
    let dimensions = if kind.is_3d() { 3 } else { 2 };
    let find = |wanted: &String| {
        cells.header.iter().position(|h| h.eq_ignore_ascii_case(wanted)).ok_or_else(|| Error::NoColumn {
            path: plan.pairs.clone(),
            wanted: wanted.clone(),
            names: cells.header.clone(),
        })
    };
    let (old, new) = match (plan.old.len(), plan.new.len()) {
        (0, 0) => numbers(plan, kind, cells, plan.label.as_ref().and_then(|l| find(l).ok()))?,
        (a, b) if a == dimensions && b == dimensions => (
            plan.old.iter().map(find).collect::<Result<Vec<_>, _>>()?,
            plan.new.iter().map(find).collect::<Result<Vec<_>, _>>()?,
        ),
        (a, b) => {
            return Err(Error::Usage(format!(
                "`old` names {a} columns and `new` {b}; {} needs {dimensions} of each",
                kind.name()
            )));
        }
    };
    let label = match &plan.label {
        Some(l) => Some(find(l)?),
        None => (0..cells.header.len()).find(|c| !old.contains(c) && !new.contains(c)),
    };
    Ok(Places { old, new, label })
}

/// The columns of numbers, the old ones first.
fn numbers(
    plan: &FitPlan,
    kind: FitKind,
    cells: &Cells,
    label: Option<usize>,
) -> Result<(Vec<usize>, Vec<usize>), Error> {
    let dimensions = if kind.is_3d() { 3 } else { 2 };
    let is_number = |text: &str| text.trim().is_empty() || notation::read_number(text).is_ok();
    let holds_numbers =
        |c: &usize| !cells.rows.is_empty() && cells.rows.iter().all(|(_, r)| is_number(&r[*c])) && Some(*c) != label;
    let found: Vec<usize> = (0..cells.header.len()).filter(holds_numbers).collect();
    if found.len() != 2 * dimensions {
        let z = if dimensions == 3 { ",Z" } else { "" };
        return Err(bad(
            plan,
            format!(
                "{} columns hold numbers ({}); {} needs {}: say them with `old` X,Y{z} and `new` X,Y{z}",
                found.len(),
                found.iter().map(|c| cells.header[*c].as_str()).collect::<Vec<_>>().join(", "),
                kind.name(),
                2 * dimensions,
            ),
        ));
    }
    let (old, new) = found.split_at(dimensions);
    Ok((old.to_vec(), new.to_vec()))
}

/// How the table was read.
fn words(plan: &FitPlan, cells: &Cells, places: &Places) -> String {
    let list = |c: &[usize]| c.iter().map(|c| format!("\"{}\"", cells.header[*c])).collect::<Vec<_>>().join(", ");
    format!(
        "old coordinates from {}, new ones from {}{}{}",
        list(&places.old),
        list(&places.new),
        places.label.map_or(String::new(), |l| format!(", names from \"{}\"", cells.header[l])),
        if plan.old.is_empty() { " (found)" } else { "" }
    )
}

/// Takes out the pairs that the plan leaves out.
fn leave_out(plan: &FitPlan, table: &mut Table) -> Result<(), Error> {
    for name in &plan.without {
        let Some(at) = table.names.iter().position(|n| n == name) else {
            return Err(Error::Usage(format!(
                "`without` {name}: there is no such control pair; there are {}",
                table.names.join(", ")
            )));
        };
        table.names.remove(at);
        table.pairs.remove(at);
        table.interpretation.push(format!("control pair \"{name}\" left out, as `without` says"));
    }
    Ok(())
}
