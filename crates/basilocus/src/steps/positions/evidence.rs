//! How positions are written, where neither the user nor a row by itself says it: the header does, or all rows together.

use super::numbers::Numbers;
use super::reader::{PositionReader, joined_text};
use super::source::Source;
use crate::engine::Rows;
use basilocus_geodesy::notation::{self, AxisOrder, DecimalMark, Known, MarkEvidence, Notation, OrderEvidence};
use basilocus_table::counted::{counted, is_or_are};
use basilocus_table::role;
use std::collections::BTreeMap;

impl PositionReader {
    /// Whether how a column of whole positions is written is open: nobody said it, and some rows do not say it by
    /// themselves.
    pub(crate) fn is_open(&self, sample: &Rows) -> bool {
        let list = match &self.source {
            Source::OneColumn(list) => list,
            Source::Columns { x, y } if !self.in_degrees => {
                let columns = [*x, *y].map(|at| Numbers::of(sample.records(), at));
                return columns.iter().any(|c| (0..sample.len()).any(|row| c.has_open_marks(row)));
            }
            _ => return false,
        };
        let text = |row| joined_text(sample.records(), list, row);
        let order = self.known.order == AxisOrder::Reject && self.crs.is_geographic();
        (0..sample.len()).any(|row| {
            let text = text(row);
            order && notation::order_evidence(&text) != OrderEvidence::None
                || self.known.notation.is_none() && notation::notation_evidence(&text).is_open
        })
    }

    /// What rows say about how they are written.
    pub(super) fn count_evidence(&self, rows: &Rows) -> Evidence {
        let mut counts = Evidence::default();
        let list = match &self.source {
            Source::OneColumn(list) => list,
            Source::Columns { x, y } => {
                for column in [*x, *y].map(|at| Numbers::of(rows.records(), at)) {
                    (0..rows.len()).for_each(|row| counts.add_marks(column.marks(row)));
                }
                return counts;
            }
            _ => return counts,
        };
        for row in 0..rows.len() {
            let text = joined_text(rows.records(), list, row);
            match notation::order_evidence(&text) {
                OrderEvidence::None => {}
                OrderEvidence::Either => counts.either += 1,
                OrderEvidence::Only(AxisOrder::LatitudeFirst) => counts.latitude_first += 1,
                OrderEvidence::Only(_) => counts.longitude_first += 1,
            }
            let evidence = notation::notation_evidence(&text);
            counts.open += u64::from(evidence.is_open);
            counts.bands += u64::from(evidence.utm_band);
            if let Some(notation) = evidence.notation {
                *counts.notations.entry(notation).or_default() += 1;
            }
        }
        counts
    }

    /// Settles how the column is written by the evidence of all rows, where it is one-sided and some row needs it. Gives
    /// what to tell.
    pub(super) fn settle(&mut self, counts: &Evidence) -> Vec<String> {
        let told = [self.settle_order(counts), self.settle_notation(counts), self.settle_marks(counts)];
        told.into_iter().flatten().collect()
    }

    fn settle_marks(&mut self, counts: &Evidence) -> Option<String> {
        let (decimal, mark, thousands, evidence) = match (counts.decimal_commas, counts.decimal_points) {
            (n, 0) if n > 0 => (DecimalMark::Comma, "comma", "point", n),
            (0, n) if n > 0 => (DecimalMark::Point, "point", "comma", n),
            _ => return None,
        };
        if counts.open_marks == 0 {
            return None;
        }
        self.decimal = Some(decimal);
        Some(format!(
            "in \"{}\" and \"{}\" a {mark} begins the decimals and a {thousands} parts thousands: {} of theirs {}, none contradicts, and {} could be either",
            self.names.0,
            self.names.1,
            counted(evidence, "number"),
            if evidence == 1 { "allows nothing else" } else { "allow nothing else" },
            counts.open_marks
        ))
    }

    fn settle_order(&mut self, counts: &Evidence) -> Option<String> {
        let (order, words, evidence) = match (counts.latitude_first, counts.longitude_first) {
            (n, 0) if n > 0 => (AxisOrder::LatitudeFirst, "latitude first", n),
            (0, n) if n > 0 => (AxisOrder::LongitudeFirst, "longitude first", n),
            _ => return None,
        };
        if counts.either == 0 || self.known.order != AxisOrder::Reject {
            return None;
        }
        self.known.order = order;
        Some(format!(
            "{words} in \"{}\": {evidence} of its rows {} no other order, none contradicts, and {} could be either",
            self.names.0,
            if evidence == 1 { "allows" } else { "allow" },
            counted(counts.either, "row")
        ))
    }

    fn settle_notation(&mut self, counts: &Evidence) -> Option<String> {
        if counts.open == 0 || self.known.notation.is_some() {
            return None;
        }
        let mut all = counts.notations.iter();
        let (Some((notation, rows)), None) = (all.next(), all.next()) else { return None };
        if *notation == Notation::Utm {
            self.known.utm_bands = counts.bands > 0;
            return self.known.utm_bands.then(|| {
                format!(
                    "letters behind zones in \"{}\" are bands, S among them: others than N and S are in {}",
                    self.names.0,
                    counted(counts.bands, "row")
                )
            });
        }
        if !notation.needs_naming() {
            return None;
        }
        self.known.notation = Some(*notation);
        Some(format!(
            "{} in \"{}\": {rows} of its rows {} of no other notation, none contradicts, and {} could be of several or none",
            notation.words(),
            self.names.0,
            is_or_are(*rows),
            counted(counts.open, "row")
        ))
    }
}

/// What the rows of a column say about how they are written.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub(super) struct Evidence {
    pub latitude_first: u64,
    pub longitude_first: u64,
    pub either: u64,
    /// Rows that can only be of one code, by that.
    pub notations: BTreeMap<Notation, u64>,
    /// Rows of UTM whose letter is a band.
    pub bands: u64,
    /// Rows that cannot be read by themselves.
    pub open: u64,
    /// Numbers whose decimal mark can only be a comma, only a point, and either.
    pub decimal_commas: u64,
    pub decimal_points: u64,
    pub open_marks: u64,
}

impl Evidence {
    fn add_marks(&mut self, marks: MarkEvidence) {
        match marks {
            MarkEvidence::None => {}
            MarkEvidence::Either => self.open_marks += 1,
            MarkEvidence::Only(DecimalMark::Comma) => self.decimal_commas += 1,
            MarkEvidence::Only(DecimalMark::Point) => self.decimal_points += 1,
        }
    }

    pub(super) fn merge(&mut self, other: &Evidence) {
        self.latitude_first += other.latitude_first;
        self.longitude_first += other.longitude_first;
        self.either += other.either;
        self.bands += other.bands;
        self.open += other.open;
        self.decimal_commas += other.decimal_commas;
        self.decimal_points += other.decimal_points;
        self.open_marks += other.open_marks;
        for (notation, rows) in &other.notations {
            *self.notations.entry(*notation).or_default() += rows;
        }
    }
}

/// What the header of a column of whole positions says of them; what the user says of the order counts more.
pub(super) fn said_by_header(header: &str, order: Option<AxisOrder>) -> Known {
    let said = match role::order_in_header(header) {
        Some(true) => AxisOrder::LatitudeFirst,
        Some(false) => AxisOrder::LongitudeFirst,
        None => AxisOrder::Reject,
    };
    let notation = Notation::of_header(header).or_else(|| Notation::of_header(&role::core_of(header)));
    Known { order: order.unwrap_or(said), notation, utm_bands: false }
}

pub(super) fn words_of(header: &str, known: &Known) -> Option<String> {
    let order = match known.order {
        AxisOrder::LatitudeFirst => "latitude first",
        AxisOrder::LongitudeFirst => "longitude first",
        AxisOrder::Reject => return None,
    };
    Some(format!("{order}, as the header \"{header}\" says"))
}
