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
    }
    for doubt in &report.doubts {
        let what = if doubt.accepted { "Accepted doubt" } else { "Doubt" };
        about.line(format!("{what} {}", doubt.id), format!("{}: {}; {}", doubt.layer, doubt.message, doubt.mend));
    }
    about.line("Catalogue", format!("Definitions from the {}", basilocus_geodesy::crs::catalogue::EDITION));
    RunAbout { lines: about.0, date: date.to_string(), map }
}

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
    }
}
