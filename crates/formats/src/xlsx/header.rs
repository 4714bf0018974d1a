//! Which rows of a sheet are its header, and where another table begins.
//!
//! People merge cells over groups of columns, and put a second table below or beside the first one.

use basilocus_table::Moment;

/// A row of a sheet with its number, counted from 0.
pub(super) type SheetRow = (u32, Vec<String>);

fn is_blank(cell: &str) -> bool {
    cell.trim().is_empty()
}

/// Whether a cell holds a value that no header is made of: a number, a date, true or false.
fn is_value(cell: &str) -> bool {
    let text = cell.trim();
    text.parse::<f64>().is_ok() || Moment::of(text).is_some() || matches!(text, "true" | "false")
}

/// Whether a text stands for a value that nobody has.
fn is_missing(cell: &str) -> bool {
    const WORDS: [&str; 16] = [
        "n/a",
        "na",
        "n.a.",
        "none",
        "null",
        "nil",
        "nan",
        "unknown",
        "unk",
        "missing",
        "tbd",
        "pending",
        "k.a.",
        "unbekannt",
        "inconnu",
        "desconocido",
    ];
    let text = cell.trim().to_lowercase();
    WORDS.contains(&text.as_str()) || !text.chars().any(char::is_alphanumeric)
}

fn filled(cells: &[String]) -> impl Iterator<Item = (usize, &str)> {
    cells.iter().enumerate().map(|(i, c)| (i, c.trim())).filter(|(_, c)| !c.is_empty())
}

fn at(cells: &[String], column: usize) -> &str {
    cells.get(column).map_or("", |c| c.trim())
}

/// The names of columns where a header goes over two rows: groups above, what is in them below. `None` where the second row
/// is one of the table.
///
/// It belongs to the header where it has no value, names at least one column that the first row leaves open, and columns that
/// it names hold values further down.
pub(super) fn of_two_rows(first: &[String], second: &[String], below: &[SheetRow]) -> Option<Vec<String>> {
    let names: Vec<(usize, &str)> = filled(second).collect();
    if names.len() < 2 || names.iter().any(|(_, c)| is_value(c)) || filled(first).any(|(_, c)| is_value(c)) {
        return None;
    }
    let fills_a_gap = names.iter().any(|(i, _)| at(first, *i).is_empty());
    let has_values = |column: usize| {
        let cells = || below.iter().map(|(_, cells)| at(cells, column)).filter(|c| !c.is_empty());
        cells().next().is_some() && cells().all(is_value)
    };
    if !fills_a_gap || !names.iter().any(|(i, _)| has_values(*i)) {
        return None;
    }
    let width = first.len().max(second.len());
    let mut group = "";
    let joined = (0..width).map(|column| {
        let (above, own) = (at(first, column), at(second, column));
        if !above.is_empty() {
            group = above;
        } else if own.is_empty() {
            group = "";
        }
        match (group, own) {
            ("", own) => own.to_string(),
            (group, "") => group.to_string(),
            (group, own) if group == own => own.to_string(),
            (group, own) => format!("{group} {own}"),
        }
    });
    Some(joined.collect())
}

/// Whether a row above another one names a column that the other leaves open: a title above a table does not.
pub(super) fn holds_what_is_open_below(above: &[String], below: &[String]) -> bool {
    filled(above).any(|(i, _)| at(below, i).is_empty())
}

/// Whether a row says the names of a header of two columns and more again.
fn is_same(header: &[String], cells: &[String]) -> bool {
    let width = header.len().max(cells.len());
    filled(header).count() >= 2 && (0..width).all(|i| at(header, i) == at(cells, i))
}

/// What tells that a row is none of the table: its header, and which of its columns hold values alone.
#[derive(Debug, Clone, Default)]
pub(super) struct Table {
    header: Vec<String>,
    valued: Vec<bool>,
}

/// What a row is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Row {
    /// One of the table.
    Own,
    /// The header once more.
    HeaderAgain,
    /// The header of another table.
    OtherHeader,
}

impl Table {
    /// By its header and its first rows: those up to a gap, as another table may stand behind it.
    pub(super) fn new(header: &[String], rows: &[SheetRow]) -> Self {
        let gap = rows.windows(2).position(|two| two[1].0 > two[0].0 + 1 || two[1].1.iter().all(|c| is_blank(c)));
        let rows = &rows[..gap.map_or(rows.len(), |at| at + 1)];
        let valued = |column: usize| {
            let own = rows.iter().filter(|(_, cells)| !is_same(header, cells));
            let cells = || own.clone().map(|(_, cells)| at(cells, column)).filter(|c| !c.is_empty());
            cells().count() >= 2 && cells().all(is_value)
        };
        Table { header: header.to_vec(), valued: (0..header.len()).map(valued).collect() }
    }

    /// How many of the first rows stand before another table.
    pub(super) fn ends_at(&self, rows: &[SheetRow]) -> usize {
        let is_gap = |cells: &[String]| cells.iter().all(|c| is_blank(c));
        let begins = |i: &usize| {
            let behind_a_gap = *i > 0 && (rows[*i].0 > rows[*i - 1].0 + 1 || is_gap(&rows[*i - 1].1));
            self.row(&rows[*i].1, behind_a_gap) == Row::OtherHeader
        };
        (0..rows.len()).find(begins).unwrap_or(rows.len())
    }

    /// What a row is; `behind_a_gap` says that the row before it is blank.
    pub(super) fn row(&self, cells: &[String], behind_a_gap: bool) -> Row {
        let mut names = filled(cells).peekable();
        if names.peek().is_none() {
            return Row::Own;
        }
        if is_same(&self.header, cells) {
            return Row::HeaderAgain;
        }
        if !behind_a_gap {
            return Row::Own;
        }
        let names: Vec<(usize, &str)> = names.collect();
        // Names, at least two and none twice, where this table has values.
        let differ = names.iter().enumerate().all(|(n, (_, c))| names[..n].iter().all(|(_, other)| other != c));
        let mut over_values = names.iter().filter(|(i, _)| self.valued.get(*i) == Some(&true)).peekable();
        // A row of the table whose values are missing is no header.
        let names_something = over_values.peek().is_some() && !over_values.any(|(_, c)| is_missing(c));
        let is_header = names.len() >= 2 && differ && names_something && !names.iter().any(|(_, c)| is_value(c));
        if is_header { Row::OtherHeader } else { Row::Own }
    }
}

/// The first column behind an empty one that parts the header into two groups of two columns and more; `rows` are those
/// below it.
pub(super) fn second_group(header: &[String], rows: &[SheetRow]) -> Option<usize> {
    let is_empty = |column: usize| at(header, column).is_empty() && rows.iter().all(|(_, c)| at(c, column).is_empty());
    let gap = (0..header.len()).find(|c| is_empty(*c) && *c > 0)?;
    let next = (gap..header.len()).find(|c| !is_empty(*c))?;
    let named = |range: std::ops::Range<usize>| range.filter(|c| !at(header, *c).is_empty()).count();
    (named(0..gap) >= 2 && named(next..header.len()) >= 2).then_some(next)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn cells(texts: &[&str]) -> Vec<String> {
        texts.iter().map(|t| t.to_string()).collect()
    }

    fn rows(list: &[&[&str]]) -> Vec<SheetRow> {
        list.iter().enumerate().map(|(i, r)| (i as u32 + 2, cells(r))).collect()
    }

    #[test]
    fn groups_over_columns_are_joined_with_what_is_below() {
        let below = rows(&[&["G1", "-123.8", "46.2", "12"], &["G2", "-123.7", "46.1", "9"]]);
        let two = |first: &[&str], second: &[&str]| of_two_rows(&cells(first), &cells(second), &below);
        assert_eq!(
            two(&["gate", "position", "", "depth"], &["", "lon", "lat", "m"]),
            Some(cells(&["gate", "position lon", "position lat", "depth m"]))
        );
        assert_eq!(
            two(&["", "position", "", ""], &["gate", "lon", "lat"]),
            Some(cells(&["gate", "position lon", "position lat", ""]))
        );
        // A row of the table, a row of units, a table of texts.
        assert_eq!(two(&["gate", "lon", "lat", "depth"], &["G0", "-123.9", "46.0", "3"]), None);
        assert_eq!(two(&["gate", "lon", "lat", "depth"], &["", "deg", "deg", "m"]), None);
        let texts = rows(&[&["A", "x", "y"], &["B", "z", "w"]]);
        assert_eq!(of_two_rows(&cells(&["name", "kind", ""]), &cells(&["Heron", "flap", "old"]), &texts), None);
    }

    #[test]
    fn another_table_begins_behind_a_gap_and_the_header_may_come_again() {
        let data = rows(&[&["G1", "-123.8", "46.2"], &["G2", "-123.7", "46.1"]]);
        let table = Table::new(&cells(&["gate", "lon", "lat"]), &data);
        assert_eq!(table.row(&cells(&["owner", "houses", "dogs"]), true), Row::OtherHeader);
        assert_eq!(table.row(&cells(&["owner", "houses", "dogs"]), false), Row::Own, "no gap, no other table");
        assert_eq!(table.row(&cells(&["gate", "lon", "lat", ""]), false), Row::HeaderAgain);
        assert_eq!(table.row(&cells(&["G3", "-123.6", "46.3"]), true), Row::Own);
        assert_eq!(table.row(&cells(&["North district", "", ""]), true), Row::Own, "a heading alone");
        assert_eq!(table.row(&cells(&["G3", "see map", "see map"]), true), Row::Own, "the same twice");
        assert_eq!(table.row(&cells(&["G3", "n/a", "?"]), true), Row::Own, "values that are missing");
        assert_eq!(table.row(&cells(&["G3", "Unknown", "tbd"]), true), Row::Own, "values that are missing");
        assert_eq!(table.row(&cells(&["sum", "", "92.3"]), true), Row::Own);
        let texts = Table::new(&cells(&["name", "kind"]), &rows(&[&["A", "x"], &["B", "y"]]));
        assert_eq!(texts.row(&cells(&["C", "z"]), true), Row::Own, "texts tell nothing");
    }

    #[test]
    fn tables_side_by_side() {
        let side = |header: &[&str], list: &[&[&str]]| second_group(&cells(header), &rows(list));
        assert_eq!(side(&["a", "b", "", "c", "d"], &[&["1", "2", "", "3", "4"]]), Some(3));
        assert_eq!(side(&["a", "b", "", "", "c", "d"], &[&["1", "2"]]), Some(4));
        assert_eq!(side(&["a", "b", "", "c", "d"], &[&["1", "2", "x", "3", "4"]]), None, "a column without a name");
        assert_eq!(side(&["a", "b", "", "remarks"], &[&["1", "2", "", "x"]]), None);
        assert_eq!(side(&["", "a", "b"], &[&["", "1", "2"]]), None);
    }
}
