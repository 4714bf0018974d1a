//! Small tables for people to fill in: sheets of text with a frozen header, widths, and columns that ask for an answer.

use super::{MOST_CHARACTERS, Table};
use crate::{FormatError, PendingOutput};
use rust_xlsxwriter::{Color, DocProperties, ExcelDateTime, Format, FormatAlign, FormatBorder, Workbook, XlsxError};

/// Height of a line of text, points.
const LINE_POINTS: f64 = 15.0;
/// Lines that a row shows at most.
const MOST_LINES: u32 = 12;

/// Lines that a text takes in a column of so many characters, generously.
fn lines(text: &str, width: u16) -> u32 {
    let width = u32::from(width.saturating_sub(2).max(4));
    (text.chars().count() as u32).div_ceil(width).max(1)
}

/// Writes sheets to a workbook.
///
/// # Errors
/// [`FormatError::Write`] where the workbook cannot be written.
pub fn write_tables(pending: &PendingOutput, tables: &[Table], date: &str) -> Result<(), FormatError> {
    let failed = |e: XlsxError| FormatError::write(pending.target(), e);
    let mut book = Workbook::new();
    let mut parts = date.split('-').map(|p| p.parse::<u32>().unwrap_or(1));
    let (y, m, d) = (parts.next().unwrap_or(2000), parts.next().unwrap_or(1), parts.next().unwrap_or(1));
    let created = ExcelDateTime::from_ymd(y as u16, m as u8, d as u8).map_err(failed)?;
    book.set_properties(&DocProperties::new().set_creation_datetime(&created));
    let bold =
        Format::new().set_bold().set_text_wrap().set_border_bottom(FormatBorder::Thin).set_align(FormatAlign::Top);
    // Texts keep a little distance from the numbers on their left, so that both are not read as one.
    let beside = |format: &Format| format.clone().set_align(FormatAlign::Left).set_indent(1);
    let (bold, bold_number) = (beside(&bold), bold.set_align(FormatAlign::Right));
    let ask = bold.clone().set_background_color(Color::RGB(0xFF_F2_CC));
    let cell = beside(&Format::new().set_align(FormatAlign::Top).set_text_wrap().set_num_format("@"));
    let number_cell = Format::new().set_align(FormatAlign::Top);
    let blank = cell.clone().set_background_color(Color::RGB(0xFF_FA_E8)).set_border(FormatBorder::Hair);
    for table in tables {
        let sheet = book.add_worksheet();
        sheet.set_name(&table.name).map_err(failed)?;
        for (c, name) in table.header.iter().enumerate() {
            let format = match (table.answers.contains(&c), table.numbers.contains(&c)) {
                (true, _) => &ask,
                (_, true) => &bold_number,
                _ => &bold,
            };
            sheet.write_string_with_format(0, c as u16, name, format).map_err(failed)?;
        }
        for (c, width) in table.widths.iter().enumerate() {
            sheet.set_column_width(c as u16, f64::from(*width)).map_err(failed)?;
        }
        for (r, row) in table.rows.iter().enumerate() {
            // Wrapped text is read only where its row is high enough, which not every program sees to by itself.
            let lines = row.iter().enumerate().map(|(c, text)| lines(text, table.widths.get(c).copied().unwrap_or(10)));
            let height = LINE_POINTS * f64::from(lines.max().unwrap_or(1).min(MOST_LINES));
            sheet.set_row_height(r as u32 + 1, height).map_err(failed)?;
            for (c, text) in row.iter().enumerate() {
                let at = (r as u32 + 1, c as u16);
                match text.parse::<f64>() {
                    Ok(number) if table.numbers.contains(&c) => {
                        sheet.write_number_with_format(at.0, at.1, number, &number_cell).map_err(failed)?;
                    }
                    _ => {
                        let format = if table.answers.contains(&c) { &blank } else { &cell };
                        let short: String = text.chars().take(MOST_CHARACTERS).collect();
                        sheet.write_string_with_format(at.0, at.1, &short, format).map_err(failed)?;
                    }
                }
            }
        }
        if !table.header.is_empty() {
            sheet.set_freeze_panes(1, 0).map_err(failed)?;
        }
    }
    book.save(pending.path()).map_err(failed)?;
    Ok(())
}
