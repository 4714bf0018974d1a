//! A column of grid zones beside eastings and northings: rows of another zone than the system's would be placed hundreds of
//! kilometres away.

use crate::engine::{Columns, Rows};
use arrow_array::RecordBatch;
use basilocus_geodesy::crs::Crs;
use basilocus_table::batch::cell_text;

/// Names of columns that hold zones, in letters and digits of lower case.
const HEADERS: [&str; 10] =
    ["zone", "utmzone", "zoneutm", "zonenumber", "utmzonenumber", "zoneno", "gridzone", "fuseau", "huso", "utmhuso"];

/// The zones of rows, and the one that the system has.
#[derive(Debug, Clone)]
pub(super) struct Zones {
    column: usize,
    name: String,
    number: u8,
    is_north: bool,
}

/// A zone as it is written: its number, and the letter behind it.
fn read(text: &str) -> Option<(u8, Option<char>)> {
    let text = text.trim();
    let digits = text.bytes().take_while(u8::is_ascii_digit).count();
    let number = text[..digits].parse().ok().filter(|n| (1..=60).contains(n))?;
    let mut rest = text[digits..].trim().chars();
    match (rest.next().map(|c| c.to_ascii_uppercase()), rest.next()) {
        (None, _) => Some((number, None)),
        (Some(letter @ 'C'..='X'), None) => Some((number, Some(letter))),
        _ => None,
    }
}

/// The zone of a system of the universal transverse Mercator grid.
fn of_system(crs: &Crs) -> Option<(u8, bool)> {
    let zone = crs.horizontal().name.split_once("UTM zone ")?.1;
    let end = zone.find(|c: char| !c.is_ascii_digit())?;
    Some((zone[..end].parse().ok()?, zone[end..].starts_with('N')))
}

impl Zones {
    /// The column of zones of a table whose system is one of them.
    pub(super) fn find(columns: &Columns, sample: &Rows, crs: &Crs) -> Option<Self> {
        let (number, is_north) = of_system(crs)?;
        let column = (0..columns.len()).find(|at| {
            let header = columns.get(*at).map_or("", |c| c.name());
            let plain: String = header.chars().filter(|c| c.is_alphanumeric()).flat_map(char::to_lowercase).collect();
            if !HEADERS.contains(&plain.as_str()) {
                return false;
            }
            let texts = (0..sample.len()).map(|row| cell_text(sample.records().column(*at), row));
            let zones: Vec<_> = texts.filter(|t| !t.trim().is_empty()).map(|t| read(&t)).collect();
            // Districts and tariffs have zones too: those of the grid say so, or have the system's among them.
            let is_of_grid = plain.contains("utm") || zones.iter().flatten().any(|(n, _)| *n == number);
            !zones.is_empty() && zones.iter().all(Option::is_some) && is_of_grid
        })?;
        let name = columns.get(column).map_or(String::new(), |c| c.name().to_string());
        Some(Zones { column, name, number, is_north })
    }

    /// What is looked at, in words.
    pub(super) fn words(&self) -> String {
        format!("zones from column \"{}\": rows of another than {} are set aside", self.name, self.number)
    }

    /// Why the row is of another zone than the system; none for a row that says none.
    pub(super) fn refusal(&self, records: &RecordBatch, row: usize, system: &str) -> Option<String> {
        let text = cell_text(records.column(self.column), row).trim().to_string();
        if text.is_empty() {
            return None;
        }
        let advice = "say `coordinates` with the columns of zone, easting and northing, and `from` EPSG:4326";
        match read(&text) {
            // N and S may be hemispheres as well as bands: S is in the north as a band.
            Some((number, letter)) if number == self.number => {
                let is_north = letter.map(|c| c >= 'N');
                let agrees = letter == Some('S') || is_north.is_none_or(|north| north == self.is_north);
                (!agrees).then(|| {
                    format!(
                        "column \"{}\": zone {text} is not in the half of the Earth of {system}; {advice}",
                        self.name
                    )
                })
            }
            Some(_) => Some(format!(
                "column \"{}\": the row is in zone {text}, and the system is {system}; {advice}",
                self.name
            )),
            None => Some(format!(
                "column \"{}\": \"{text}\" is no zone; 1 to 60 with or without a letter is expected",
                self.name
            )),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn zones_as_they_are_written() {
        for (text, zone) in [
            ("10", Some((10, None))),
            ("10T", Some((10, Some('T')))),
            ("33 s", Some((33, Some('S')))),
            ("061", None),
            ("", None),
        ] {
            assert_eq!(read(text), zone, "{text}");
        }
        for text in ["0", "61", "10TT", "T10", "10Z", "zone"] {
            assert_eq!(read(text), None, "{text}");
        }
        let utm = basilocus_geodesy::crs::Catalogue::embedded().get(32733).unwrap();
        assert_eq!(of_system(&utm), Some((33, false)));
    }
}
