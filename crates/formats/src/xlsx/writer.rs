//! Writes a workbook that a colleague can use at once: real numbers, codes as text, frozen header, widths and
//! filters, a sheet of the rows set aside, and a sheet that says what this is.

use super::{MOST_CHARACTERS, MOST_ROWS};
use crate::writer::{AsRows, ColumnStyle, Encode, Encoded, LayerOut, RunAbout, SetAsideTable, Writer};
use crate::{FormatError, PendingOutput};
use arrow_array::{Array, BooleanArray, Float64Array, Int64Array, StringArray};
use arrow_schema::DataType;
use basilocus_table::Moment;
use basilocus_table::batch::{cell_text, spatial_index};
use basilocus_table::counted;
use rust_xlsxwriter::{
    DocProperties, ExcelDateTime, Format, FormatAlign, FormatBorder, Formula, Image, Workbook, Worksheet, XlsxError,
};
use std::borrow::Cow;
use std::collections::BTreeMap;
use std::sync::Arc;

/// A workbook in the making. Rows go to temporary files, so that memory does not grow with them.
pub struct XlsxWriter {
    pending: PendingOutput,
    workbook: Workbook,
    layer: Option<LayerOut>,
    columns: Vec<usize>,
    formats: Vec<Format>,
    /// What the columns of dates and times are.
    moments: Vec<Option<Moment>>,
    /// The sheets of the layer that are being written, by the value of its category; one of no value without a category.
    open: BTreeMap<Option<String>, Sheet>,
    sheets: usize,
    names: Vec<String>,
    told: Vec<String>,
    /// Cells whose text was cut.
    cut: u64,
    /// Cells whose geometry was left out.
    too_long: u64,
    /// Addresses that are no links because a sheet had enough of them.
    unlinked: u64,
}

/// A sheet of a layer that is being written.
#[derive(Debug, Clone)]
struct Sheet {
    /// What it is called, before it goes on in another one.
    title: String,
    index: usize,
    /// The next row.
    row: u32,
    /// How many sheets of the title there are.
    part: u32,
    links: u32,
}

/// Sheets by a category that a workbook gets: with more nobody finds his.
const MOST_SHEETS: usize = 250;
/// Links that a sheet may have.
const MOST_LINKS: u32 = 65_530;

/// Runs a call of the workbook library, whose writes to its temporary files panic where the disk is full, and turns
/// such a panic into an error. The hook keeps quiet about panics that are caught here and leaves all others alone.
fn guarded<T>(target: &std::path::Path, f: impl FnOnce() -> Result<T, XlsxError>) -> Result<T, FormatError> {
    static HOOK: std::sync::Once = std::sync::Once::new();
    HOOK.call_once(|| {
        let before = std::panic::take_hook();
        std::panic::set_hook(Box::new(move |info| {
            if !GUARDED.get() {
                before(info);
            }
        }));
    });
    GUARDED.set(true);
    let outcome = std::panic::catch_unwind(std::panic::AssertUnwindSafe(f));
    GUARDED.set(false);
    match outcome {
        Ok(result) => result.map_err(|e| FormatError::write(target, e)),
        Err(panic) => {
            let text = panic
                .downcast_ref::<String>()
                .cloned()
                .or_else(|| panic.downcast_ref::<&str>().map(|s| s.to_string()))
                .unwrap_or_default();
            Err(FormatError::write(
                target,
                format!(
                    "a temporary file of the workbook failed ({})",
                    text.replace("Couldn't write to xml file: ", "")
                ),
            ))
        }
    }
}

thread_local! {
    static GUARDED: std::cell::Cell<bool> = const { std::cell::Cell::new(false) };
}

impl XlsxWriter {
    /// Begins a workbook.
    pub fn create(pending: PendingOutput) -> Self {
        XlsxWriter {
            pending,
            workbook: Workbook::new(),
            layer: None,
            columns: Vec::new(),
            formats: Vec::new(),
            moments: Vec::new(),
            open: BTreeMap::new(),
            sheets: 0,
            names: Vec::new(),
            told: Vec::new(),
            cut: 0,
            too_long: 0,
            unlinked: 0,
        }
    }

    fn add_sheet(&mut self, wanted: &str) -> Result<usize, FormatError> {
        let name = sheet_name(wanted, &self.names);
        if name != wanted {
            self.told.push(format!("sheet \"{wanted}\" is called \"{name}\""));
        }
        let failed = |e| FormatError::write(self.pending.target(), e);
        let sheet = self.workbook.add_worksheet_with_constant_memory().map_err(failed)?;
        sheet.set_name(&name).map_err(failed)?;
        self.names.push(name);
        self.sheets += 1;
        Ok(self.sheets - 1)
    }

    /// Begins the sheet of a title: the first, or the one in which it goes on.
    fn start_sheet(&mut self, title: &str, part: u32) -> Result<Sheet, FormatError> {
        let name = if part == 1 { title.to_string() } else { format!("{title} {part}") };
        let index = self.add_sheet(&name)?;
        let sheet = Sheet { title: title.to_string(), index, row: 1, part, links: 0 };
        let Some(layer) = self.layer.clone() else {
            return Ok(sheet);
        };
        let head: Vec<Heading> = self
            .columns
            .iter()
            .map(|c| {
                let field = layer.schema.field(*c);
                Heading {
                    name: field.name().clone(),
                    width: width(field.name(), field.data_type(), layer.styles.get(*c)),
                    numeric: matches!(field.data_type(), DataType::Float64 | DataType::Int64),
                }
            })
            .collect();
        let target = self.pending.target().to_path_buf();
        let workbook = &mut self.workbook;
        let formats = &self.formats;
        guarded(&target, || {
            let sheet = workbook.worksheet_from_index(index)?;
            write_header(sheet, &head)?;
            // Once a column: a format at each cell is looked up by all of its properties each time.
            for (i, format) in formats.iter().enumerate() {
                sheet.set_column_format(i as u16, format)?;
            }
            Ok(())
        })?;
        Ok(sheet)
    }

    /// The sheet for a value of the category, made where it is not there yet or is full.
    fn sheet_of(&mut self, value: Option<String>) -> Result<(), FormatError> {
        match self.open.get(&value).cloned() {
            Some(sheet) if sheet.row < MOST_ROWS => Ok(()),
            Some(full) => {
                self.close_sheet(&full)?;
                if full.part == 1 {
                    let title = &full.title;
                    self.told.push(format!("layer {title} has more rows than a sheet holds ({MOST_ROWS} with the header); it goes on in \"{title} 2\" and so on"));
                }
                let next = self.start_sheet(&full.title, full.part + 1)?;
                self.open.insert(value, next);
                Ok(())
            }
            None => {
                if self.open.len() == MOST_SHEETS {
                    return Err(FormatError::write(
                        self.pending.target(),
                        format!(
                            "the category has more than {MOST_SHEETS} values, each a sheet; is it the column that is meant? One file a value is made by `split_by`"
                        ),
                    ));
                }
                let layer = self.layer.as_ref().map_or(String::new(), |l| l.name.clone());
                let title = match &value {
                    None => layer,
                    Some(v) if v.trim().is_empty() => "(empty)".into(),
                    Some(v) => v.clone(),
                };
                let sheet = self.start_sheet(&title, 1)?;
                self.open.insert(value, sheet);
                Ok(())
            }
        }
    }

    fn close_sheet(&mut self, sheet: &Sheet) -> Result<(), FormatError> {
        let (index, last_row, columns) = (sheet.index, sheet.row.saturating_sub(1), self.columns.len());
        let target = self.pending.target().to_path_buf();
        let sheet = self.workbook.worksheet_from_index(index).map_err(|e| FormatError::write(&target, e))?;
        if columns > 0 {
            let last_column = columns as u16 - 1;
            sheet.autofilter(0, 0, last_row, last_column).map_err(|e| FormatError::write(&target, e))?;
            on_paper(sheet, last_row, last_column).map_err(|e| FormatError::write(&target, e))?;
        }
        Ok(())
    }
}

/// A column's heading.
struct Heading {
    name: String,
    width: f64,
    /// Numbers stand on the right, and so does their heading.
    numeric: bool,
}

/// How moments are shown; the cells hold their numbers.
fn moment_format(moment: Option<Moment>) -> Format {
    let form = if moment == Some(Moment::Date) { "yyyy-mm-dd" } else { "yyyy-mm-dd hh:mm:ss" };
    Format::new().set_num_format(form).set_align(FormatAlign::Left).set_indent(1)
}

/// Texts keep a little distance from the numbers on their left.
fn text_format() -> Format {
    Format::new().set_align(FormatAlign::Left).set_indent(1)
}

fn write_header(sheet: &mut Worksheet, head: &[Heading]) -> Result<(), XlsxError> {
    let base = Format::new().set_bold().set_border_bottom(FormatBorder::Thin);
    let (left, right) = (base.clone().set_align(FormatAlign::Left).set_indent(1), base.set_align(FormatAlign::Right));
    for (i, heading) in head.iter().enumerate() {
        sheet.set_column_width(i as u16, heading.width)?;
        let format = if heading.numeric { &right } else { &left };
        sheet.write_string_with_format(0, i as u16, &heading.name, format)?;
    }
    sheet.set_freeze_panes(1, 0)?;
    Ok(())
}

/// Columns beyond which a sheet is printed along the long side of the paper.
const UPRIGHT: u16 = 4;

/// How a sheet is printed: as wide as a page, its header on each, with its name and the number of the page below.
fn on_paper(sheet: &mut Worksheet, last_row: u32, last_column: u16) -> Result<(), XlsxError> {
    sheet.set_print_area(0, 0, last_row, last_column)?;
    sheet.set_repeat_rows(0, 0)?;
    sheet.set_print_fit_to_pages(1, 0);
    sheet.set_footer("&L&A&R&P / &N");
    if last_column > UPRIGHT {
        sheet.set_landscape();
    }
    Ok(())
}

/// Characters in the column of reasons.
const REASON_WIDTH: usize = 80;

/// A width that shows most values whole: between 6 and 48 characters.
fn width(name: &str, data_type: &DataType, style: Option<&ColumnStyle>) -> f64 {
    let values = match data_type {
        DataType::Float64 => style.and_then(|s| s.digits).map_or(12, |d| d + 8),
        _ => style.and_then(|s| s.longest).unwrap_or(12),
    };
    (values.max(name.chars().count() + 3) as f64 + 2.0).clamp(7.0, 49.0)
}

/// A name that a sheet may have: at most 31 characters, none of []:*?/\, not taken.
fn sheet_name(wanted: &str, taken: &[String]) -> String {
    let cleaned: String = wanted.chars().map(|c| if "[]:*?/\\".contains(c) { '_' } else { c }).collect();
    let base: String = cleaned.trim_matches('\'').chars().take(31).collect();
    let base = if base.trim().is_empty() { "points".to_string() } else { base };
    let mut name = base.clone();
    let mut n = 2;
    while taken.iter().any(|t| t.eq_ignore_ascii_case(&name)) {
        let suffix = format!(" {n}");
        name = base.chars().take(31 - suffix.len()).collect::<String>() + &suffix;
        n += 1;
    }
    name
}

impl Writer for XlsxWriter {
    fn start_layer(&mut self, layer: &LayerOut) -> Result<Arc<dyn Encode>, FormatError> {
        let skip = spatial_index(&layer.schema);
        self.columns = (0..layer.schema.fields().len()).filter(|i| Some(*i) != skip).collect();
        if self.columns.len() > 16_384 {
            return Err(FormatError::write(
                self.pending.target(),
                format!("{} columns; a sheet holds 16,384", self.columns.len()),
            ));
        }
        // A cell says no zone: moments in universal time stay text, which does.
        let moment =
            |c: &usize| Moment::of_field(layer.schema.field(*c)).filter(|m| *m != Moment::DateTime { utc: true });
        self.moments = self.columns.iter().map(moment).collect();
        self.formats = self
            .columns
            .iter()
            .zip(&self.moments)
            .map(|(c, moment)| match layer.styles.get(*c).and_then(|s| s.digits) {
                _ if moment.is_some() => moment_format(*moment),
                Some(0) => Format::new().set_num_format("0"),
                Some(d) => Format::new().set_num_format(format!("0.{}", "0".repeat(d))),
                None if matches!(layer.schema.field(*c).data_type(), DataType::Utf8) => text_format(),
                None => Format::new(),
            })
            .collect();
        self.layer = Some(layer.clone());
        if layer.show.category.is_none() {
            self.sheet_of(None)?;
        }
        Ok(Arc::new(AsRows))
    }

    fn write(&mut self, part: Encoded) -> Result<(), FormatError> {
        let Encoded::Rows(batch) = part else {
            return Ok(());
        };
        let category = self.layer.as_ref().and_then(|l| l.show.category);
        for row in 0..batch.len() {
            let value = category.map(|c| batch.text(c, row));
            self.sheet_of(value.clone())?;
            let Some(open) = self.open.get_mut(&value) else { continue };
            let (index, at, room) = (open.index, open.row, MOST_LINKS - open.links);
            let (workbook, columns, moments) = (&mut self.workbook, &self.columns, &self.moments);
            let wrote = guarded(self.pending.target(), || {
                let sheet = workbook.worksheet_from_index(index)?;
                let mut wrote = Wrote { room, ..Wrote::default() };
                for (i, (column, moment)) in columns.iter().zip(moments).enumerate() {
                    let array = batch.records().column(*column);
                    if let Some(number) = moment.and_then(|_| serial(array, row)) {
                        sheet.write_number(at, i as u16, number)?;
                        continue;
                    }
                    write_cell(sheet, (at, i as u16), array, row, &mut wrote)?;
                }
                Ok(wrote)
            })?;
            self.cut += wrote.cut;
            self.too_long += wrote.too_long;
            self.unlinked += wrote.unlinked;
            open.links += wrote.links;
            open.row += 1;
        }
        Ok(())
    }

    fn end_layer(&mut self) -> Result<(), FormatError> {
        // A layer without a row has its sheet all the same.
        if self.open.is_empty() {
            self.sheet_of(None)?;
        }
        for sheet in std::mem::take(&mut self.open).into_values() {
            self.close_sheet(&sheet)?;
        }
        Ok(())
    }

    fn holds_set_aside(&self) -> bool {
        true
    }

    fn finish(
        mut self: Box<Self>,
        about: &RunAbout,
        set_aside: &SetAsideTable,
    ) -> Result<(PendingOutput, Vec<String>), FormatError> {
        let target = self.pending.target().to_path_buf();
        if !set_aside.rows.is_empty() {
            let index = self.add_sheet("Set aside")?;
            let workbook = &mut self.workbook;
            guarded(&target, || write_set_aside(workbook.worksheet_from_index(index)?, set_aside))?;
        }
        let index = self.add_sheet("About")?;
        let workbook = &mut self.workbook;
        guarded(&target, || write_about(workbook.worksheet_from_index(index)?, about))?;
        // The time of writing would make two runs of one plan differ.
        let created = date(&about.date).unwrap_or_else(|| ExcelDateTime::from_ymd(2000, 1, 1).unwrap_or_default());
        self.workbook.set_properties(&DocProperties::new().set_creation_datetime(&created));
        let (workbook, path) = (&mut self.workbook, self.pending.path());
        guarded(&target, || workbook.save(path))?;
        if self.cut > 0 {
            self.told.push(format!(
                "{} with more than {MOST_CHARACTERS} characters, which a workbook cannot hold: cut",
                counted(self.cut, "text")
            ));
        }
        if self.too_long > 0 {
            self.told.push(format!(
                "{} with more than {MOST_CHARACTERS} characters as text, which a cell cannot hold: left out; another format has it, such as GeoPackage",
                counted(self.too_long, "geometry")
            ));
        }
        if self.unlinked > 0 {
            self.told.push(format!(
                "{} as text and not as links: a sheet holds {MOST_LINKS} links",
                counted(self.unlinked, "address")
            ));
        }
        Ok((self.pending, self.told))
    }
}

fn write_set_aside(sheet: &mut Worksheet, set_aside: &SetAsideTable) -> Result<(), XlsxError> {
    let head: Vec<Heading> = set_aside
        .header
        .iter()
        .enumerate()
        .map(|(i, name)| {
            let longest =
                set_aside.rows.iter().take(500).filter_map(|r| r.get(i)).map(|v| v.chars().count()).max().unwrap_or(0);
            Heading {
                name: name.clone(),
                width: (longest.max(name.chars().count() + 3) as f64 + 2.0)
                    .clamp(7.0, if name == "reason" { REASON_WIDTH as f64 } else { 40.0 }),
                numeric: name == "source_row",
            }
        })
        .collect();
    write_header(sheet, &head)?;
    let reason = set_aside.header.iter().position(|h| h == "reason").unwrap_or(0);
    // Reasons are sentences: they wrap, so that none is cut by its neighbour.
    let (text, wrapped, number) = (
        text_format().set_align(FormatAlign::Top),
        text_format().set_text_wrap().set_align(FormatAlign::Top),
        Format::new().set_align(FormatAlign::Top),
    );
    for (r, row) in set_aside.rows.iter().enumerate().take(MOST_ROWS as usize - 1) {
        // Rows of wrapped text need their height said: not every program finds it by itself.
        let lines = row.get(reason).map_or(1, |v| v.chars().count().div_ceil(REASON_WIDTH - 4)).max(1);
        sheet.set_row_height(r as u32 + 1, 15.0 * lines as f64)?;
        for (c, value) in row.iter().enumerate() {
            // The source's row number is for looking up, so it is a number; all else stays as it was read.
            match value.parse::<u32>() {
                Ok(n) if set_aside.header[c] == "source_row" => {
                    sheet.write_number_with_format(r as u32 + 1, c as u16, n, &number)?
                }
                _ if value.is_empty() => continue,
                _ => {
                    let format = if set_aside.header[c] == "reason" { &wrapped } else { &text };
                    sheet.write_string_with_format(r as u32 + 1, c as u16, value, format)?
                }
            };
        }
    }
    let last = (set_aside.rows.len() as u32).min(MOST_ROWS - 1);
    let last_column = set_aside.header.len().max(1) as u16 - 1;
    sheet.autofilter(0, 0, last, last_column)?;
    on_paper(sheet, last, last_column)
}

/// Characters in a line of the sheet that says what this is.
const ABOUT_WIDTH: usize = 100;

fn write_about(sheet: &mut Worksheet, about: &RunAbout) -> Result<(), XlsxError> {
    sheet.set_column_width(0, 44)?;
    sheet.set_column_width(1, ABOUT_WIDTH as f64)?;
    sheet.set_print_fit_to_pages(1, 0);
    sheet.set_landscape();
    let (heading, wrapped, top) = (
        Format::new().set_bold(),
        Format::new().set_text_wrap().set_align(FormatAlign::Top),
        Format::new().set_align(FormatAlign::Top),
    );
    for (r, (what, value)) in about.lines.iter().enumerate() {
        if value.is_empty() {
            sheet.write_string_with_format(r as u32, 0, what, &heading)?;
            continue;
        }
        // Not every program makes room for a text of several lines by itself.
        let lines = value.chars().count().div_ceil(ABOUT_WIDTH);
        if lines > 1 {
            sheet.set_row_height(r as u32, 15.0 * lines.min(20) as f64)?;
        }
        sheet.write_string_with_format(r as u32, 0, what, &top)?;
        match value.parse::<f64>() {
            Ok(n) if !value.starts_with('0') || value == "0" => {
                sheet.write_number_with_format(r as u32, 1, n, &Format::new().set_align(FormatAlign::Left))?
            }
            _ => sheet.write_string_with_format(r as u32, 1, value, &wrapped)?,
        };
    }
    if let Some(map) = &about.map {
        let row = about.lines.len() as u32 + 1;
        sheet.write_string_with_format(row, 0, "Where the rows lie", &top)?;
        let mut image = Image::new_from_buffer(map)?.set_alt_text("A map of the rows, some thousand of each layer");
        image = image.set_scale_width(0.8).set_scale_height(0.8);
        sheet.insert_image(row, 1, &image)?;
    }
    Ok(())
}

fn date(text: &str) -> Option<ExcelDateTime> {
    let mut parts = text.split('-');
    let (y, m, d) = (parts.next()?.parse().ok()?, parts.next()?.parse().ok()?, parts.next()?.parse().ok()?);
    ExcelDateTime::from_ymd(y, m, d).ok()
}

/// A date or time as the number that workbooks hold for it: days since the end of 1899; none before March 1900, where
/// programs disagree, and for what is no date.
fn serial(array: &arrow_array::ArrayRef, row: usize) -> Option<f64> {
    const FIRST: i32 = -25_508;
    const ZERO: i32 = -25_569;
    if array.is_null(row) {
        return None;
    }
    let (_, civil) = Moment::read(&cell_text(array, row))?;
    let days = civil.days();
    (days >= FIRST).then(|| f64::from(days - ZERO) + f64::from(civil.millisecond) / 86_400_000.0)
}

/// What became of the cells of a row.
#[derive(Debug, Default)]
struct Wrote {
    /// Links that the sheet still has room for.
    room: u32,
    links: u32,
    unlinked: u64,
    cut: u64,
    too_long: u64,
}

/// Whether a text is an address that a click should lead to, and may be a link by the limits of workbooks.
fn is_link(text: &str) -> bool {
    (text.starts_with("https://") || text.starts_with("http://"))
        && text.len() <= 2_000
        && !text.contains(|c: char| c.is_whitespace() || c.is_control())
}

/// Whether a text is a `geo` link (RFC 5870), which opens a map of the place, of signs that a formula takes as they are.
fn is_geo_link(text: &str) -> bool {
    let rest = text.strip_prefix("geo:").unwrap_or_default();
    rest.starts_with(|c: char| c.is_ascii_digit() || c == '-')
        && rest.contains(',')
        && text.len() <= 255
        && rest.bytes().all(|b| b.is_ascii_alphanumeric() || b"-.,;=".contains(&b))
}

/// Writes a cell; a text that is longer than a cell holds is cut, and a geometry left out: cut, it would be none or another one.
fn write_cell(
    sheet: &mut Worksheet,
    (row, column): (u32, u16),
    array: &arrow_array::ArrayRef,
    at: usize,
    wrote: &mut Wrote,
) -> Result<(), XlsxError> {
    if array.is_null(at) {
        return Ok(());
    }
    let any = array.as_any();
    if let Some(a) = any.downcast_ref::<Float64Array>() {
        if a.value(at).is_finite() {
            sheet.write_number(row, column, a.value(at))?;
        }
    } else if let Some(a) = any.downcast_ref::<Int64Array>() {
        sheet.write_number(row, column, a.value(at) as f64)?;
    } else if let Some(a) = any.downcast_ref::<BooleanArray>() {
        sheet.write_boolean(row, column, a.value(at))?;
    } else {
        let text = match any.downcast_ref::<StringArray>() {
            Some(a) => Cow::Borrowed(a.value(at)),
            None => Cow::Owned(cell_text(array, at)),
        };
        if text.is_empty() {
            return Ok(());
        }
        if is_link(&text) {
            if wrote.room > 0 {
                wrote.room -= 1;
                wrote.links += 1;
                sheet.write_url(row, column, &*text)?;
                return Ok(());
            }
            wrote.unlinked += 1;
        }
        // A link of workbooks has two strokes behind its scheme, which these have not; a formula takes any.
        if is_geo_link(&text) {
            let formula = Formula::new(format!("=HYPERLINK(\"{text}\")")).set_result(&*text);
            sheet.write_formula_with_format(row, column, formula, &text_format().set_hyperlink())?;
            return Ok(());
        }
        let cut = text.len() > MOST_CHARACTERS && text.chars().count() > MOST_CHARACTERS;
        if cut && basilocus_table::geometry::wkt::read(&text).is_ok() {
            wrote.too_long += 1;
            return Ok(());
        }
        wrote.cut += u64::from(cut);
        if cut {
            sheet.write_string(row, column, text.chars().take(MOST_CHARACTERS).collect::<String>())?;
        } else {
            sheet.write_string(row, column, &*text)?;
        }
    }
    Ok(())
}
