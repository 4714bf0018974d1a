//! What a workbook says about itself: source, systems, operations, counts, doubts.

use crate::coordinates::accuracy::accuracy_words;
use crate::engine::Chain;
use crate::report::{LayerReport, Report};
use basilocus_formats::RunAbout;

/// The lines of a run.
pub(super) fn of(report: &Report, layers: &[Chain], date: &str, map: Option<Vec<u8>>) -> RunAbout {
    let mut about = About::default();
    about.heading("About this workbook");
    about.line("Date", date);
    about.line("Rows read", report.rows_in);
    about.line("Rows written", report.rows_out);
    about.line("Rows set aside", report.set_aside.values().sum::<u64>());
    let left_out: u64 = report.left_out.values().sum();
    if left_out > 0 {
        about.line("Rows not chosen", left_out);
    }
    for (layer, chain) in report.layers.iter().zip(layers) {
        about.layer(layer);
        about.system(chain);
        about.operations(layer);
        about.columns(chain);
    }
    for doubt in &report.doubts {
        let what = if doubt.accepted { "Accepted doubt" } else { "Doubt" };
        about.line(format!("{what} {}", doubt.id), format!("{}: {}; {}", doubt.layer, doubt.message, doubt.mend));
    }
    about.line("Catalogue", format!("Definitions from the {}", basilocus_geodesy::crs::catalogue::EDITION));
    let layers = report.layers.iter().map(described).collect();
    RunAbout { lines: about.0, layers, date: date.to_string(), map }
}

/// A layer in a sentence.
fn described(layer: &LayerReport) -> String {
    let source = layer.source.file_name().map_or(String::new(), |n| n.to_string_lossy().into_owned());
    let accuracy = layer.accuracy.as_ref().map_or(String::new(), |a| format!("; positions accurate to {}", a.words()));
    format!("From {source}, {} of {} rows{accuracy}", layer.rows_out, layer.rows_in)
}

/// What columns that we add mean.
const MEANINGS: [(&str, &str); 13] = [
    ("level", "how precisely the address was found: address point, street range, street, postcode, locality"),
    ("confidence", "how sure it is that the place is the one that was meant, 0 to 100"),
    ("radius_m", "metres around the place within which the address should be"),
    ("matched_address", "the address that was found in the reference"),
    ("candidates", "other places that it may be"),
    ("changes", "what had to be changed in the address to find it"),
    ("source_row", "the row of the source"),
    ("distance_m", "metres along the ground"),
    ("lon", "degrees east of Greenwich"),
    ("lat", "degrees north of the equator"),
    ("easting", "to the east, in the unit of the system"),
    ("northing", "to the north, in the unit of the system"),
    ("height", "height, in the unit of its system"),
];

/// Pairs of what and value; an empty value makes a heading.
#[derive(Default)]
struct About(Vec<(String, String)>);

impl About {
    fn heading(&mut self, text: impl Into<String>) {
        self.0.push((text.into(), String::new()));
    }

    fn line(&mut self, what: impl Into<String>, value: impl ToString) {
        self.0.push((what.into(), value.to_string()));
    }

    fn layer(&mut self, layer: &LayerReport) {
        self.heading(&layer.name);
        self.line("Source", layer.source.file_name().map_or(String::new(), |n| n.to_string_lossy().into_owned()));
        layer.interpretation.iter().for_each(|text| self.line("Read as", text));
        self.line("Rows read", layer.rows_in);
        self.line("Rows written", layer.rows_out);
        if layer.joined > 0 {
            self.line("Rows that are in them with others", layer.joined);
        }
        layer.left_out.iter().for_each(|(reason, n)| self.line(format!("Not chosen: {reason}"), n));
        layer.set_aside.iter().for_each(|(reason, n)| self.line(format!("Set aside: {reason}"), n));
        layer.levels.iter().for_each(|(level, n)| self.line(format!("Level: {level}"), n));
    }

    /// System of the result, and what the digits of its columns are worth.
    fn system(&mut self, chain: &Chain) {
        let Some(placed) = chain.columns().placed() else { return };
        let crs = &placed.crs;
        self.line("Coordinate reference system", format!("{}, in {}", crs.title(), crs.unit_words()));
        if let Some(datum) = crs.datum() {
            self.line("Datum", format!("{} on the ellipsoid {}", datum.name, datum.ellipsoid.name));
        }
        if let Some(worth) = chain.decisions.operations.first().and_then(|o| o.worth.as_ref()) {
            self.line("Digits", worth);
        }
    }

    fn operations(&mut self, layer: &LayerReport) {
        for op in &layer.operations {
            if op.source == op.target {
                self.line("Also in", format!("{}, as in the source", op.target));
                continue;
            }
            self.line("Operation", format!("{} → {}: {}", op.source, op.target, op.name));
            self.line("Accuracy", accuracy_words(op.accuracy_m));
            op.notes.iter().for_each(|note| self.line("Note", note));
        }
        if let Some(accuracy) = &layer.accuracy {
            self.line("Accuracy of positions", accuracy.words());
        }
    }

    /// What the columns mean that were added.
    fn columns(&mut self, chain: &Chain) {
        for column in chain.columns().iter().filter(|c| c.added) {
            if let Some((_, meaning)) = MEANINGS.iter().find(|(name, _)| *name == column.name()) {
                self.line(format!("Column {}", column.name()), meaning);
            }
        }
    }
}
