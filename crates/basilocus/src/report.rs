//! What a run came to: the object that is printed as JSON.

use crate::doubts::DoubtReport;
use basilocus_geodesy::crs::Crs;
use basilocus_geodesy::operation::Operation;
use serde::Serialize;
use std::collections::BTreeMap;
use std::path::PathBuf;

/// A run.
///
/// ```
/// use basilocus::formats::Format;
/// use basilocus::{Layer, steps::Positions};
///
/// let folder = tempfile::tempdir()?;
/// let gates = "gate,lon,lat\nA,-123.8,46.2\nB,somewhere,46.1\n";
/// let report = Layer::from_reader(gates.as_bytes(), Format::Delimited)?
///     .positions(Positions::in_system("EPSG:4326")?)
///     .to("EPSG:32610")?
///     .write(folder.path().join("out.csv"))?
///     .run()?;
/// // Every row is in exactly one place.
/// let set_aside: u64 = report.set_aside.values().sum();
/// assert_eq!(report.rows_in, report.rows_out + set_aside);
/// assert_eq!(report.operation.unwrap().accuracy_m, Some(0.0), "a conversion on one datum");
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, Default, PartialEq, Serialize)]
// Programs that read the schema have no use for an example in Rust.
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema), schemars(description = "A run."))]
pub struct Report {
    /// Rows read.
    pub rows_in: u64,
    /// Rows written.
    pub rows_out: u64,
    /// Rows set aside by reason.
    pub set_aside: BTreeMap<String, u64>,
    /// Rows that are in a row with others: points that became a line.
    #[serde(skip_serializing_if = "is_zero")]
    pub joined: u64,
    /// Rows that a selection was asked to leave out, by what they are.
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    pub left_out: BTreeMap<String, u64>,
    /// Suspicions about the data.
    pub doubts: Vec<DoubtReport>,
    /// The operation that made the coordinates, of the first layer and its first target.
    pub operation: Option<OperationReport>,
    /// Files written.
    #[serde(serialize_with = "crate::report::path_text::many")]
    pub outputs: Vec<PathBuf>,
    /// Wall-clock time.
    pub seconds: f64,
    /// Each layer by itself.
    pub layers: Vec<LayerReport>,
    /// What a user should know: what was changed for a format's sake, what was decided.
    pub notices: Vec<String>,
}

/// A layer.
#[derive(Debug, Clone, Default, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct LayerReport {
    /// Name.
    pub name: String,
    /// File.
    #[serde(serialize_with = "crate::report::path_text::one")]
    pub source: PathBuf,
    /// How the file and its columns were read.
    pub interpretation: Vec<String>,
    /// Rows read.
    pub rows_in: u64,
    /// Rows written.
    pub rows_out: u64,
    /// Rows set aside by reason.
    pub set_aside: BTreeMap<String, u64>,
    /// Rows that are in a row with others.
    #[serde(skip_serializing_if = "is_zero")]
    pub joined: u64,
    /// Rows that a selection was asked to leave out.
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    pub left_out: BTreeMap<String, u64>,
    /// Matches by level.
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    pub levels: BTreeMap<String, u64>,
    /// Positions by the notation they were read in.
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    pub notations: BTreeMap<String, u64>,
    /// Operations, one for each target.
    pub operations: Vec<OperationReport>,
    /// How accurate positions are, all that is known of it together.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub accuracy: Option<AccuracyReport>,
    /// Where rows set aside were written, beside workbooks.
    #[serde(serialize_with = "crate::report::path_text::maybe")]
    pub set_aside_file: Option<PathBuf>,
    /// The first rows set aside, where no file holds them.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub set_aside_told: Vec<SetAsideTold>,
    /// System of the positions of the result, where they stand in its geometry or in columns of numbers.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub crs: Option<String>,
    /// Extent of the result in its own system: west, south, east, north. In degrees a west that is larger than the east
    /// lies across the 180° meridian.
    pub extent: Option<[f64; 4]>,
}

/// How accurate positions are.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct AccuracyReport {
    /// In all, metres: the root of the sum of the squares of the parts.
    pub metres: f64,
    /// What it is made of.
    pub parts: Vec<AccuracyPart>,
    /// Whether there is a part that nobody states, so that it may be more.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    pub is_least: bool,
}

/// A part of it.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct AccuracyPart {
    /// What it is.
    pub what: String,
    /// Metres.
    pub metres: f64,
}

impl AccuracyReport {
    /// In words: `about 4.1 m: the operation 4 m, the last digit of the coordinates 0.6 m`.
    pub fn words(&self) -> String {
        let rounded = |m: f64| {
            let digits = if m >= 10.0 {
                0
            } else if m >= 1.0 {
                1
            } else {
                3
            };
            let text = format!("{m:.digits$}");
            let text = if text.contains('.') { text.trim_end_matches('0').trim_end_matches('.') } else { &text };
            format!("{text} m")
        };
        let least = if self.is_least { "at least " } else { "about " };
        // What adds nothing that is seen is not told.
        let counts: Vec<&AccuracyPart> = self.parts.iter().filter(|p| p.metres >= 0.1 * self.metres).collect();
        if let [one] = &counts[..] {
            return format!("{least}{}, by {}", rounded(self.metres), one.what);
        }
        let parts: Vec<String> = counts.iter().map(|p| format!("{} {}", p.what, rounded(p.metres))).collect();
        format!("{least}{}: {}", rounded(self.metres), parts.join(", "))
    }
}

/// A row set aside, in short.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct SetAsideTold {
    /// Its row in the source.
    pub source_row: u64,
    /// Why, in words.
    pub reason: String,
}

/// An operation.
#[derive(Debug, Clone, Default, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct OperationReport {
    /// Source system.
    pub source: String,
    /// Target system.
    pub target: String,
    /// Name.
    pub name: String,
    /// Accuracy in metres; 0 for a conversion, null where nobody states one.
    pub accuracy_m: Option<f64>,
    /// Grid files used.
    pub grids: Vec<String>,
    /// Steps in words.
    pub steps: Vec<String>,
    /// What a careful user should know.
    pub notes: Vec<String>,
}

impl OperationReport {
    /// An operation between two systems.
    pub(crate) fn of(source: &Crs, target: &Crs, operation: &Operation) -> Self {
        OperationReport {
            source: source.title(),
            target: target.title(),
            name: operation.name().to_string(),
            accuracy_m: operation.accuracy_m(),
            grids: operation.grids().to_vec(),
            steps: operation.steps().iter().map(|s| s.to_string()).collect(),
            notes: operation.notes().to_vec(),
        }
    }
}

impl Report {
    /// Adds a layer with its doubts and what is to be told of it.
    pub(crate) fn add(&mut self, layer: LayerReport, doubts: Vec<DoubtReport>, notices: &[String]) {
        self.rows_in += layer.rows_in;
        self.rows_out += layer.rows_out;
        self.joined += layer.joined;
        for (sum, part) in [(&mut self.set_aside, &layer.set_aside), (&mut self.left_out, &layer.left_out)] {
            part.iter().for_each(|(reason, n)| *sum.entry(reason.clone()).or_default() += n);
        }
        self.doubts.extend(doubts);
        self.notices.extend(notices.iter().cloned());
        if self.operation.is_none() {
            self.operation = layer.operations.first().cloned();
        }
        self.layers.push(layer);
    }

    /// Says everything once.
    pub(crate) fn tell_once(&mut self) {
        let mut told: Vec<String> = Vec::new();
        for notice in std::mem::take(&mut self.notices) {
            if !told.contains(&notice) {
                told.push(notice);
            }
        }
        self.notices = told;
    }

    /// Whether no row was set aside and no doubt raised that is not accepted.
    pub fn is_clean(&self) -> bool {
        self.set_aside.is_empty() && self.doubts.iter().all(|d| d.accepted)
    }
}

fn is_zero(n: &u64) -> bool {
    *n == 0
}

/// What a command prints with `--json` where it fails: why, in the words of its message.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct ErrorReport {
    /// The message.
    pub error: String,
    /// `usage` for what was asked for, `data` for the data and where it is, `defect` for a fault of the program, `cancelled`.
    pub kind: String,
}

/// Paths as text in reports, also those whose names are no Unicode: a report comes after the outputs, too late to fail.
pub(crate) mod path_text {
    use serde::Serializer;
    use std::path::{Path, PathBuf};

    pub(crate) fn one<S: Serializer>(path: &Path, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.serialize_str(&path.to_string_lossy())
    }

    pub(crate) fn many<S: Serializer>(paths: &[PathBuf], serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_seq(paths.iter().map(|p| p.to_string_lossy()))
    }

    pub(crate) fn maybe<S: Serializer>(path: &Option<PathBuf>, serializer: S) -> Result<S::Ok, S::Error> {
        match path {
            Some(path) => serializer.serialize_some(&path.to_string_lossy()),
            None => serializer.serialize_none(),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn accuracy_is_told_with_what_makes_it() {
        let report = |parts: &[(&str, f64)], is_least| {
            let parts: Vec<AccuracyPart> =
                parts.iter().map(|(what, metres)| AccuracyPart { what: what.to_string(), metres: *metres }).collect();
            let metres = parts.iter().map(|p| p.metres * p.metres).sum::<f64>().sqrt();
            AccuracyReport { metres, parts, is_least }.words()
        };
        assert_eq!(report(&[("the operation", 4.0)], false), "about 4 m, by the operation");
        assert_eq!(
            report(&[("the digits", 3.0), ("the operation", 4.0)], true),
            "at least 5 m: the digits 3 m, the operation 4 m"
        );
        assert_eq!(report(&[("the digits", 0.002), ("the operation", 8.0)], false), "about 8 m, by the operation");
        assert_eq!(report(&[("the digits", 5559.75)], false), "about 5560 m, by the digits");
    }
    use crate::doubts::DoubtName;

    /// A report with something in every field.
    fn full() -> Report {
        let counts = |list: &[(&str, u64)]| list.iter().map(|(k, n)| (k.to_string(), *n)).collect::<BTreeMap<_, _>>();
        let operation = OperationReport {
            source: "NAD27 (EPSG:4267)".into(),
            target: "NAD83 (EPSG:4269)".into(),
            name: "made up".into(),
            accuracy_m: Some(0.15),
            grids: vec!["made_up.gsb".into()],
            steps: vec!["a grid of shifts".into()],
            notes: vec!["a note".into()],
        };
        let layer = LayerReport {
            accuracy: None,
            name: "gates".into(),
            source: "gates.csv".into(),
            interpretation: vec!["delimiter comma (found)".into()],
            rows_in: 10,
            rows_out: 4,
            set_aside: counts(&[("blank row", 1), ("not a coordinate", 2)]),
            joined: 1,
            left_out: counts(&[("another value", 2)]),
            levels: counts(&[("street", 4)]),
            notations: counts(&[("utm", 4)]),
            operations: vec![operation, OperationReport::default()],
            set_aside_file: Some("out.set-aside.csv".into()),
            set_aside_told: Vec::new(),
            crs: None,
            extent: Some([-123.8, 46.1, -123.7, 46.2]),
        };
        let doubt = DoubtReport {
            id: DoubtName::find("lattice").unwrap(),
            layer: "gates".into(),
            column: Some("lon, lat".into()),
            rows: 4,
            message: "what was seen".into(),
            mend: "what mends it".into(),
            accepted: false,
        };
        let mut report = Report { outputs: vec!["out.csv".into()], seconds: 0.25, ..Default::default() };
        report.add(layer, vec![doubt], &["a notice".into(), "a notice".into()]);
        report.tell_once();
        report
    }

    #[test]
    fn what_other_programs_read_stays_as_it_is() {
        let text = serde_json::to_string_pretty(&full()).unwrap() + "\n";
        assert_eq!(text, include_str!("report_golden.json"), "{text}");
        // What is not there is not written, but for what readers count on.
        let empty = serde_json::to_string(&Report::default()).unwrap();
        assert_eq!(
            empty,
            r#"{"rows_in":0,"rows_out":0,"set_aside":{},"doubts":[],"operation":null,"outputs":[],"seconds":0.0,"layers":[],"notices":[]}"#
        );
    }

    #[test]
    fn layers_add_up() {
        let mut report = full();
        let second = LayerReport {
            rows_in: 5,
            rows_out: 4,
            set_aside: [("blank row".to_string(), 1)].into(),
            ..Default::default()
        };
        report.add(second, Vec::new(), &[]);
        assert_eq!((report.rows_in, report.rows_out, report.joined), (15, 8, 1));
        assert_eq!((report.set_aside["blank row"], report.left_out["another value"]), (2, 2));
        let aside: u64 = report.set_aside.values().chain(report.left_out.values()).sum();
        assert_eq!(report.rows_in, report.rows_out + report.joined + aside);
        assert_eq!(report.operation.as_ref().map(|o| o.name.as_str()), Some("made up"), "that of the first layer");
        assert!(!report.is_clean() && Report::default().is_clean());
    }
}
