//! The tables of a page. Tags that a page leaves out are implied as the standard has it: a cell ends where the next one
//! begins, a row where the next row does.

use html5ever::tendril::StrTendril;
use html5ever::tokenizer::states::RawKind;
use html5ever::tokenizer::{
    BufferQueue, CharacterTokens, StartTag, Tag, TagToken, Token, TokenSink, TokenSinkResult, Tokenizer, TokenizerOpts,
};
use std::cell::RefCell;

/// Cells that the tables of a page have together, merged ones spread out.
const MOST_CELLS: usize = 20_000_000;
/// What the standard limits merged cells to.
const MOST_COLUMNS_MERGED: usize = 1_000;
const MOST_ROWS_MERGED: usize = 65_534;

/// A table with its rows, all as wide as the widest.
#[derive(Debug, Default, Clone, PartialEq)]
pub(super) struct Table {
    pub caption: String,
    pub rows: Vec<Row>,
}

#[derive(Debug, Default, Clone, PartialEq)]
pub(super) struct Row {
    pub cells: Vec<String>,
    /// Whether it is a row of headers: all its cells are, or it stands in the head of the table.
    pub is_header: bool,
    /// Whether one cell lies across all columns.
    pub is_one: bool,
    /// Cells that the row has itself, or from above.
    pub filled: usize,
}

/// A cell as it is written.
#[derive(Debug, Default)]
struct Written {
    text: String,
    columns: usize,
    rows: usize,
    is_header: bool,
}

/// A table that is not closed yet.
#[derive(Debug, Default)]
struct Open {
    number: usize,
    caption: String,
    in_caption: bool,
    in_head: bool,
    rows: Vec<(Vec<Written>, bool)>,
    row: Option<Vec<Written>>,
    cell: Option<Written>,
}

impl Open {
    fn end_cell(&mut self) {
        if let Some(cell) = self.cell.take() {
            self.row.get_or_insert_default().push(cell);
        }
    }

    fn end_row(&mut self) {
        self.end_cell();
        if let Some(row) = self.row.take() {
            self.rows.push((row, self.in_head));
        }
    }

    fn text(&mut self, text: &str) {
        match &mut self.cell {
            Some(cell) => cell.text.push_str(text),
            None if self.in_caption => self.caption.push_str(text),
            None => {}
        }
    }

    /// Rows with merged cells spread out; none where they would be too many.
    fn spread(self) -> Option<Table> {
        // For each column the text that comes from above, and for how many rows more.
        let mut above: Vec<Option<(String, usize)>> = Vec::new();
        let mut rows: Vec<Row> = Vec::with_capacity(self.rows.len());
        let mut cells_of_all = 0;
        for (written, in_head) in self.rows {
            let is_header = in_head || !written.is_empty() && written.iter().all(|c| c.is_header);
            let widths: usize = written.iter().map(|c| c.columns).sum();
            let is_one = written.len() == 1 && widths > 1;
            let mut cells: Vec<String> = Vec::new();
            let take_above = |cells: &mut Vec<String>, above: &mut Vec<Option<(String, usize)>>| {
                while let Some(slot) = above.get_mut(cells.len()) {
                    let Some((text, left)) = slot else { break };
                    cells.push(text.clone());
                    *left -= 1;
                    if *left == 0 {
                        *slot = None;
                    }
                }
            };
            for cell in written {
                take_above(&mut cells, &mut above);
                let text = cell.text.split_whitespace().collect::<Vec<_>>().join(" ");
                for i in 0..cell.columns {
                    // A header is that of all its columns; a value stands in the first.
                    let own = if i == 0 || is_header { text.clone() } else { String::new() };
                    if cell.rows > 1 {
                        if above.len() <= cells.len() {
                            above.resize(cells.len() + 1, None);
                        }
                        above[cells.len()] = Some((own.clone(), cell.rows - 1));
                    }
                    cells.push(own);
                }
                cells_of_all += cell.columns;
                if cells_of_all > MOST_CELLS {
                    return None;
                }
            }
            take_above(&mut cells, &mut above);
            let filled = cells.len();
            cells_of_all += filled;
            rows.push(Row { cells, is_header, is_one, filled });
        }
        let width = rows.iter().map(|r| r.cells.len()).max().unwrap_or(0);
        if width.saturating_mul(rows.len()) > MOST_CELLS {
            return None;
        }
        rows.iter_mut().for_each(|r| r.cells.resize(width, String::new()));
        let caption = self.caption.split_whitespace().collect::<Vec<_>>().join(" ");
        Some(Table { caption, rows })
    }
}

/// What has been met of a page.
#[derive(Debug, Default)]
struct Page {
    open: Vec<Open>,
    closed: Vec<Open>,
    met: usize,
    /// Whether what comes is no text of the page: a script or a style.
    is_hidden: bool,
}

impl Page {
    fn close(&mut self) {
        if let Some(mut open) = self.open.pop() {
            open.end_row();
            self.closed.push(open);
        }
    }

    fn start(&mut self, tag: &Tag) {
        let name = &*tag.name;
        self.is_hidden |= matches!(name, "script" | "style" | "noscript" | "template") && !tag.self_closing;
        if name == "table" {
            self.open.push(Open { number: self.met, ..Default::default() });
            self.met += 1;
            return;
        }
        let Some(open) = self.open.last_mut() else { return };
        match name {
            "caption" => open.in_caption = true,
            "thead" | "tbody" | "tfoot" => {
                open.end_row();
                open.in_head = name == "thead";
            }
            "tr" => {
                open.end_row();
                open.in_caption = false;
                open.row = Some(Vec::new());
            }
            "td" | "th" => {
                open.end_cell();
                open.in_caption = false;
                let span = |name: &str, most: usize| {
                    let said = tag.attrs.iter().find(|a| &*a.name.local == name);
                    said.and_then(|a| a.value.trim().parse::<usize>().ok()).unwrap_or(1).clamp(1, most)
                };
                let (columns, rows) = (span("colspan", MOST_COLUMNS_MERGED), span("rowspan", MOST_ROWS_MERGED));
                open.cell = Some(Written { text: String::new(), columns, rows, is_header: name == "th" });
            }
            // What begins a line of its own parts words.
            "br" | "p" | "div" | "li" | "ul" | "ol" | "hr" | "h1" | "h2" | "h3" | "h4" => open.text(" "),
            _ => {}
        }
    }

    fn end(&mut self, name: &str) {
        self.is_hidden &= !matches!(name, "script" | "style" | "noscript" | "template");
        if name == "table" {
            return self.close();
        }
        let Some(open) = self.open.last_mut() else { return };
        match name {
            "caption" => open.in_caption = false,
            "td" | "th" => open.end_cell(),
            "tr" => open.end_row(),
            "thead" | "tbody" | "tfoot" => {
                open.end_row();
                open.in_head = false;
            }
            "p" | "div" | "li" => open.text(" "),
            _ => {}
        }
    }
}

struct Sink(RefCell<Page>);

impl TokenSink for Sink {
    type Handle = ();

    fn process_token(&self, token: Token, _: u64) -> TokenSinkResult<()> {
        let mut page = self.0.borrow_mut();
        match token {
            TagToken(tag) if tag.kind == StartTag => {
                page.start(&tag);
                // What these hold is no markup.
                return match &*tag.name {
                    "script" => TokenSinkResult::RawData(RawKind::ScriptData),
                    "style" | "iframe" | "noscript" | "xmp" => TokenSinkResult::RawData(RawKind::Rawtext),
                    "textarea" | "title" => TokenSinkResult::RawData(RawKind::Rcdata),
                    _ => TokenSinkResult::Continue,
                };
            }
            TagToken(tag) => page.end(&tag.name),
            CharacterTokens(text) => {
                let is_hidden = page.is_hidden;
                if let Some(open) = page.open.last_mut().filter(|_| !is_hidden) {
                    open.text(&text);
                }
            }
            _ => {}
        }
        TokenSinkResult::Continue
    }
}

/// The tables of a page in the order in which they begin; `None` where merged cells make too many.
pub(super) fn tables(text: &str) -> Option<Vec<Table>> {
    let input = BufferQueue::default();
    input.push_back(StrTendril::from(text));
    let tokenizer = Tokenizer::new(Sink(RefCell::default()), TokenizerOpts::default());
    let _ = tokenizer.feed(&input);
    tokenizer.end();
    let mut page = tokenizer.sink.0.into_inner();
    while !page.open.is_empty() {
        page.close();
    }
    page.closed.sort_by_key(|t| t.number);
    page.closed.into_iter().map(Open::spread).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn cells(text: &str) -> Vec<Vec<Vec<String>>> {
        tables(text).unwrap().into_iter().map(|t| t.rows.into_iter().map(|r| r.cells).collect()).collect()
    }

    #[test]
    fn tags_that_are_left_out_are_implied() {
        assert_eq!(cells("<table><tr><td>a<td>b<tr><td>c<td>d</table>"), [[["a", "b"], ["c", "d"]]]);
        assert_eq!(cells("<TABLE><TR><TH>a</TH><TH>b</TH></TR><TR><TD>1<TD>2"), [[["a", "b"], ["1", "2"]]]);
        assert!(cells("no table").is_empty());
    }

    #[test]
    fn text_is_what_a_person_reads() {
        let text = "<table><tr><td> <a href='x'>Gate&nbsp;1</a>\n <b>N</b>orth<br>side &amp; co<td><script>var a = '<td>';</script>2<!-- 3 --></table>";
        assert_eq!(cells(text), [[["Gate 1 North side & co", "2"]]]);
    }

    #[test]
    fn merged_cells_are_spread_out() {
        let text = "<table><tr><th rowspan=2>id<th colspan=2>place<tr><th>lon<th>lat<tr><td>1<td rowspan=2>-123.8<td>46.2<tr><td>2<td>46.1</table>";
        let rows = [["id", "place", "place"], ["id", "lon", "lat"], ["1", "-123.8", "46.2"], ["2", "-123.8", "46.1"]];
        assert_eq!(cells(text), [rows]);
        let bomb = "<table><tr>".to_string() + &"<td colspan=1000 rowspan=65534>x".repeat(100_000);
        assert!(tables(&bomb).is_none());
    }

    #[test]
    fn a_table_in_a_cell_is_a_table_of_its_own() {
        let text = "<table><tr><td>a<table><tr><td>x<td>y</table>b<td>c</table>";
        assert_eq!(cells(text), [vec![vec!["ab", "c"]], vec![vec!["x", "y"]]]);
    }
}
