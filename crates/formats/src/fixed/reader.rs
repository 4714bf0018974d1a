//! Lines cut at fixed positions.

use super::ruler::{Span, find_ruler, parse};
use crate::delimited::{find_encoding, unique_names};
use crate::feature::{Cell, FeatureSource, Give, Shape, layer_schema};
use crate::reader::{About, InputOptions};
use crate::{Format, FormatError};
use arrow_schema::{DataType, SchemaRef};
use encoding_rs::Encoding;
use std::fs::File;
use std::io::{BufRead, BufReader, Read};
use std::path::{Path, PathBuf};

/// Bytes that a line may have.
const LONGEST: usize = 1 << 20;
const SAMPLE: u64 = 64 * 1024;

/// A text in fixed columns.
pub struct FixedReader {
    path: PathBuf,
    about: About,
    schema: SchemaRef,
    spans: Vec<Span>,
    encoding: &'static Encoding,
    /// Lines before the data.
    skip: u64,
}

impl FixedReader {
    /// Opens a text: by the widths or ruler that the options say, or by a ruler under its header.
    ///
    /// # Errors
    /// Where it cannot be read, the widths are none, or nothing stands below the header.
    pub fn open(path: &Path, options: &InputOptions) -> Result<Self, FormatError> {
        let mut head = Vec::new();
        File::open(path).and_then(|f| f.take(SAMPLE).read_to_end(&mut head)).map_err(|e| FormatError::read(path, e))?;
        let wrong = |problem: String| FormatError::Option { path: path.to_path_buf(), problem };
        let mut notes = Vec::new();
        let encoding = match &options.encoding {
            Some(label) => Encoding::for_label(label.as_bytes())
                .ok_or_else(|| wrong(format!("`encoding` {label} is not known; an example: windows-1252")))?,
            None => {
                let (encoding, how) = find_encoding(&head);
                notes.push(format!("encoding {} ({how})", encoding.name()));
                encoding
            }
        };
        let (text, _, _) = encoding.decode(&head);
        let skipped = options.skip_lines.unwrap_or(0);
        let (spans, ruler_line) = match &options.fixed {
            Some(said) => (parse(said).map_err(|p| wrong(format!("`fixed` {said}: {p}")))?, None),
            None => {
                let found =
                    find_ruler(&text).ok_or_else(|| wrong("has no ruler; say the widths with `fixed`".into()))?;
                notes.push(format!("fixed columns by the ruler in line {}", found.1));
                (found.0, Some(found.1))
            }
        };
        let header_row = match (options.header_row, ruler_line) {
            (Some(0), _) => None,
            (Some(row), _) => Some(row),
            (None, Some(line)) => Some(line - 1),
            (None, None) => Some(skipped + 1),
        };
        let cells = |line: &str| cut(line, &spans).unwrap_or_else(|_| vec![String::new(); spans.len()]);
        let names = match header_row {
            None => (1..=spans.len()).map(|i| format!("column_{i}")).collect(),
            Some(row) => {
                let line = text.lines().nth(row as usize - 1).unwrap_or("");
                unique_names(&cells(line), &mut notes)
            }
        };
        let skip = ruler_line.or(header_row).unwrap_or(skipped).max(skipped);
        let about = About { header_row, notes, ..About::of(path, Format::Fixed)? };
        if text.lines().skip(skip as usize).all(|l| l.trim().is_empty()) && about.bytes < SAMPLE {
            return Err(FormatError::Empty {
                path: path.to_path_buf(),
                what: "there is a header and no row below it; rows of data are expected",
            });
        }
        let kinds: Vec<(String, DataType)> = names.into_iter().map(|n| (n, DataType::Utf8)).collect();
        let schema = layer_schema(&kinds, Shape::None, None);
        Ok(FixedReader { path: path.to_path_buf(), about, schema, spans, encoding, skip })
    }
}

/// The cells of a line, without the blanks around them.
///
/// # Errors
/// Where a text runs over the border of its column.
fn cut(line: &str, spans: &[Span]) -> Result<Vec<String>, String> {
    if line.contains('\t') {
        return Err("the line has a tab, so its columns cannot be counted; replace tabs by blanks".into());
    }
    let characters: Vec<char> = line.chars().collect();
    let slice = |from: usize, to: usize| {
        characters.get(from.min(characters.len())..to.min(characters.len())).unwrap_or(&[]).iter().collect::<String>()
    };
    let mut out = Vec::with_capacity(spans.len());
    for (i, span) in spans.iter().enumerate() {
        let end = span.to.unwrap_or(characters.len());
        if let (Some(drawn), Some(to)) = (span.drawn, span.to) {
            let between = slice(drawn, to);
            // A text that goes on to the border would be cut in two there, or join the next column.
            if !between.trim().is_empty() && (i + 1 < spans.len()) {
                return Err(format!(
                    "\"{}\" runs over the border between columns {} and {}",
                    slice(span.from, to).trim(),
                    i + 1,
                    i + 2
                ));
            }
        }
        out.push(slice(span.from, end.max(span.from)).trim().to_string());
    }
    if let Some(to) = spans.last().and_then(|s| s.to)
        && characters.iter().skip(to).any(|c| !c.is_whitespace())
    {
        return Err(format!("the line is longer than its {to} columns of characters"));
    }
    Ok(out)
}

impl FeatureSource for FixedReader {
    fn about(&self) -> &About {
        &self.about
    }

    fn layout(&self) -> (&SchemaRef, Shape) {
        (&self.schema, Shape::None)
    }

    /// Rows are lines of the file.
    fn first_number(&self) -> u64 {
        self.skip + 1
    }

    fn each(&self, give: Give) -> Result<(), FormatError> {
        let file = File::open(&self.path).map_err(|e| FormatError::read(&self.path, e))?;
        let decoded = encoding_rs_io::DecodeReaderBytesBuilder::new()
            .encoding(Some(self.encoding))
            .bom_sniffing(true)
            .build(file);
        let mut input = BufReader::with_capacity(1 << 16, decoded);
        let mut line = Vec::new();
        let mut number = 0u64;
        // Blank lines at the very end are no rows.
        let mut blank = 0u64;
        loop {
            line.clear();
            let n = input
                .by_ref()
                .take(LONGEST as u64)
                .read_until(b'\n', &mut line)
                .map_err(|e| FormatError::read(&self.path, e))?;
            if n == 0 {
                return Ok(());
            }
            number += 1;
            if n == LONGEST {
                return Err(FormatError::Malformed {
                    path: self.path.clone(),
                    line: number,
                    problem: format!("the line is longer than {LONGEST} bytes"),
                });
            }
            if number <= self.skip {
                continue;
            }
            let text = String::from_utf8_lossy(&line);
            let text = text.trim_end_matches(['\n', '\r', '\u{1A}']);
            if text.trim().is_empty() {
                blank += 1;
                continue;
            }
            for _ in 0..std::mem::take(&mut blank) {
                let cells = vec![Cell::Null; self.spans.len()];
                if !give(cells, Err(("blank row", "blank row".into())), 1) {
                    return Ok(());
                }
            }
            let wanted = match cut(text, &self.spans) {
                Ok(cells) => {
                    let cells = cells.into_iter().map(|t| if t.is_empty() { Cell::Null } else { Cell::Text(t) });
                    give(cells.collect(), Ok(None), n as u64)
                }
                Err(problem) => {
                    // The whole line, so that nothing of it is lost.
                    let mut cells = vec![Cell::Text(text.to_string())];
                    cells.resize(self.spans.len(), Cell::Null);
                    give(cells, Err(("ragged row", problem)), n as u64)
                }
            };
            if !wanted {
                return Ok(());
            }
        }
    }
}
