//! The workbook of rows in doubt with their candidates and a column to answer in.

use super::Record;
use crate::Error;
use crate::engine::source;
use basilocus_address::Candidate;
use basilocus_formats::xlsx::{Table, write_tables};
use basilocus_formats::{Decode, Format, InputOptions, PendingOutput, detect};
use std::collections::HashMap;
use std::path::Path;
use std::sync::Arc;

/// The sheet to answer in.
pub(crate) const REVIEW: &str = "review";
const CANDIDATES: &str = "candidates";
/// What parts the fields of a key in a cell, which cannot hold the unit separator itself.
const SHOWN_SEPARATOR: &str = "\u{241f}";
const HOW: &str = "how to answer";
/// Candidates that are shown of a row.
const SHOWN: usize = 3;

/// A row in doubt.
#[derive(Debug, Clone)]
pub(crate) struct ReviewRow {
    pub source_row: u64,
    pub key: String,
    /// The address as the table has it.
    pub address: String,
    pub reason: String,
    pub candidates: Vec<Candidate>,
}

/// A row that was answered.
#[derive(Debug, Clone)]
pub(crate) struct Reviewed {
    pub row: u64,
    pub key: String,
    pub answer: String,
    /// The candidates that were offered.
    pub candidates: Vec<Record>,
}

/// Writes the workbook. Rows with the same address are asked once.
pub(crate) fn write(pending: &PendingOutput, rows: &[ReviewRow], date: &str) -> Result<u64, Error> {
    let mut once: Vec<(&ReviewRow, u64)> = Vec::new();
    let mut index: HashMap<&str, usize> = HashMap::new();
    for row in rows {
        match index.get(row.key.as_str()) {
            Some(i) => once[*i].1 += 1,
            None => {
                index.insert(&row.key, once.len());
                once.push((row, 1));
            }
        }
    }
    let mut review = review_table();
    let mut candidates = candidates_table();
    for (row, n) in &once {
        review.rows.push(asked(row, *n));
        let offered = row.candidates.iter().take(SHOWN).enumerate();
        candidates.rows.extend(offered.map(|(i, c)| offer(row.source_row, i + 1, c)));
    }
    write_tables(pending, &[review, candidates, how_table()], date)?;
    Ok(once.len() as u64)
}

/// The sheet of the rows in doubt, without rows.
fn review_table() -> Table {
    Table {
        name: REVIEW.into(),
        header: [
            "source_row",
            "rows",
            "address",
            "reason",
            "answer",
            "candidate 1",
            "candidate 2",
            "candidate 3",
            "key",
        ]
        .map(String::from)
        .to_vec(),
        widths: vec![11, 6, 36, 48, 30, 34, 34, 34, 40],
        numbers: vec![0, 1],
        answers: vec![4],
        ..Default::default()
    }
}

/// The sheet of their candidates, without rows.
fn candidates_table() -> Table {
    Table {
        name: CANDIDATES.into(),
        header: [
            "source_row",
            "choice",
            "address",
            "level",
            "confidence",
            "lon",
            "lat",
            "radius_m",
            "differs_in",
            "changes",
            "locality",
            "region",
            "parent",
            "postcode",
            "extension",
        ]
        .map(String::from)
        .to_vec(),
        widths: vec![10, 7, 40, 14, 10, 13, 13, 9, 30, 46, 16, 8, 20, 10, 8],
        numbers: vec![0, 1, 4, 5, 6, 7],
        ..Default::default()
    }
}

/// The sheet that says how to answer.
fn how_table() -> Table {
    Table {
        name: HOW.into(),
        header: vec!["In the column \"answer\" of the sheet \"review\" write one of these".into()],
        widths: vec![100],
        rows: [
            "1, 2 or 3: the candidate of that number",
            "the address corrected, such as 12 Heron Ln, Ternport, OR 97981: it is matched again",
            "a coordinate in any notation, such as 46 12.345 N 123 48.1 W: WGS 84",
            "none: the address has no place; the row stays set aside with that reason",
            "nothing: the row stays as it is",
            "Then run the same again, with this file as its answers.",
        ]
        .iter()
        .map(|t| vec![t.to_string()])
        .collect(),
        ..Default::default()
    }
}

/// The cells of a row in doubt, which stands for so many rows.
fn asked(row: &ReviewRow, n: u64) -> Vec<String> {
    let mut cells =
        vec![row.source_row.to_string(), n.to_string(), row.address.clone(), row.reason.clone(), String::new()];
    for i in 0..SHOWN {
        cells.push(row.candidates.get(i).map_or(String::new(), |c| {
            // A place that was only offered has no score.
            let worth = if c.confidence > 0 { format!(", {}; {}", c.confidence, c.parts) } else { String::new() };
            // Candidates that look the same are told apart by where they are.
            let alike = row.candidates.iter().take(SHOWN).filter(|o| o.address == c.address).count() > 1;
            let place = if alike { format!(" at {:.6}, {:.6}", c.lon, c.lat) } else { String::new() };
            format!("{}: {}{place} ({}{worth})", i + 1, c.address, c.level.name())
        }));
    }
    cells.push(row.key.replace('\u{1f}', SHOWN_SEPARATOR));
    cells
}

/// The cells of a candidate.
fn offer(source_row: u64, choice: usize, c: &Candidate) -> Vec<String> {
    vec![
        source_row.to_string(),
        choice.to_string(),
        c.address.clone(),
        c.level.name().to_string(),
        c.confidence.to_string(),
        c.lon.to_string(),
        c.lat.to_string(),
        c.radius_m.to_string(),
        c.parts.to_string(),
        c.changes.join("; "),
        c.locality.to_string(),
        c.region.to_string(),
        c.parent.to_string(),
        c.postcode.to_string(),
        c.extension.to_string(),
    ]
}

/// Reads the answers of a workbook; rows without one are left out.
pub(crate) fn read(path: &Path) -> Result<Vec<Reviewed>, Error> {
    let format = detect(path)?;
    if format != Format::Xlsx {
        return Err(Error::Usage(format!(
            "`answers` {}: a workbook that `review` wrote is expected; this is {}",
            path.display(),
            format.name()
        )));
    }
    let review = sheet(path, REVIEW, &["source_row", "answer", "key"])?;
    let offered = sheet(path, CANDIDATES, &["source_row", "choice", "address", "level", "confidence", "lon", "lat"])?;
    let mut by_row: HashMap<u64, Vec<Record>> = HashMap::new();
    for cell in &offered {
        let text = |name: &str| cell.get(name).cloned().unwrap_or_default();
        let number = |name: &str| text(name).trim().parse::<f64>().ok();
        if let (Some(row), Some(lon), Some(lat)) = (number("source_row"), number("lon"), number("lat")) {
            by_row.entry(row as u64).or_default().push(Record {
                level: text("level").into(),
                confidence: number("confidence").unwrap_or(0.0) as u8,
                lon,
                lat,
                radius_m: number("radius_m"),
                address: text("address"),
                changes: text("changes"),
                locality: text("locality").into(),
                region: text("region").into(),
                parent: text("parent").into(),
                postcode: text("postcode").into(),
                extension: text("extension").into(),
            });
        }
    }
    Ok(review
        .into_iter()
        .filter(|cells| cells.get("answer").is_some_and(|a| !a.trim().is_empty()))
        .map(|cells| {
            let row = cells.get("source_row").and_then(|r| r.trim().parse::<f64>().ok()).unwrap_or(0.0) as u64;
            Reviewed {
                row,
                key: cells.get("key").map_or(String::new(), |k| k.replace(SHOWN_SEPARATOR, "\u{1f}")),
                answer: cells.get("answer").map_or(String::new(), |a| a.trim().to_string()),
                candidates: by_row.get(&row).cloned().unwrap_or_default(),
            }
        })
        .collect())
}

/// The rows of a sheet, each cell by its header.
fn sheet(path: &Path, name: &str, wanted: &[&str]) -> Result<Vec<HashMap<String, String>>, Error> {
    let options = InputOptions { sheet: Some(name.into()), header_row: Some(1), ..Default::default() };
    let mut reader = match source::open(path, &options) {
        Ok(reader) => reader,
        // A sheet without rows: nothing was in doubt, or nothing could be offered.
        Err(crate::Error::Format(basilocus_formats::FormatError::Empty { .. })) => return Ok(Vec::new()),
        Err(e) => return Err(e),
    };
    let names: Vec<String> = reader.schema().fields().iter().map(|f| f.name().clone()).collect();
    if let Some(missing) = wanted.iter().find(|w| !names.iter().any(|n| n == **w)) {
        return Err(Error::NoColumn { path: path.to_path_buf(), wanted: (*missing).into(), names });
    }
    let decoder: Arc<dyn Decode> = reader.decoder();
    let mut out = Vec::new();
    let mut failed = None;
    reader.read(&mut |block| match decoder.decode(block) {
        Ok(decoded) => {
            for row in 0..decoded.batch.len() {
                out.push(names.iter().cloned().zip(decoded.batch.row_texts(row)).collect());
            }
            true
        }
        Err(e) => {
            failed = Some(e);
            false
        }
    })?;
    match failed {
        Some(e) => Err(e.into()),
        None => Ok(out),
    }
}
