//! How accurate the positions of a layer are, in one figure, and what it is made of.

use super::columns::{Columns, Placed};
use super::rows::Rows;
use crate::report::{AccuracyPart, AccuracyReport, OperationReport};
use arrow_array::Float64Array;
use basilocus_geodesy::crs::Kind;
use std::collections::BTreeMap;

/// Rows of a block whose digits are looked at: a few say how many all have.
const LOOKED_AT: usize = 100;
/// Metres of a degree of a meridian, in the mean.
const METRES_OF_A_DEGREE: f64 = 111_195.0;
/// The share of rows that a radius holds for.
const SHARE: f64 = 0.95;
/// Less is told as none, metres.
const LEAST_M: f64 = 1e-3;

/// What rows say of the accuracy of their positions.
#[derive(Debug, Default)]
pub(super) struct Worth {
    /// Numbers of positions by their decimals.
    decimals: BTreeMap<usize, u64>,
    /// Rows by the radius around their matches, millimetres.
    radii: BTreeMap<u64, u64>,
}

impl Worth {
    /// What a block of rows says.
    pub(super) fn of(rows: &Rows, columns: &Columns) -> Self {
        let mut worth = Worth::default();
        let Some(placed) = columns.placed() else { return worth };
        if placed.origin.is_of_numbers() {
            let [x, y, _] = rows.positions_as_placed();
            let numbers = x.iter().take(LOOKED_AT).chain(y.iter().take(LOOKED_AT)).filter(|v| v.is_finite());
            numbers.for_each(|v| *worth.decimals.entry(decimals(*v)).or_default() += 1);
        }
        let radius = rows.records().column_by_name("radius_m");
        if let Some(radii) = radius.and_then(|c| c.as_any().downcast_ref::<Float64Array>()) {
            for radius in radii.iter().flatten().filter(|r| *r >= 0.0 && r.is_finite()) {
                *worth.radii.entry((radius * 1000.0).round() as u64).or_default() += 1;
            }
        }
        worth
    }

    pub(super) fn merge(&mut self, other: Worth) {
        for (decimals, numbers) in other.decimals {
            *self.decimals.entry(decimals).or_default() += numbers;
        }
        for (radius, rows) in other.radii {
            *self.radii.entry(radius).or_default() += rows;
        }
    }

    /// The radius that holds for a share of the rows, metres.
    fn radius(&self, share: f64) -> Option<f64> {
        of_share(&self.radii, share).map(|millimetres| millimetres as f64 / 1000.0)
    }

    /// Half of the last digit of the numbers, metres.
    fn of_digits(&self, placed: &Placed) -> Option<f64> {
        let unit_m = match &placed.first_crs.horizontal().kind {
            Kind::Geographic { unit, .. } => unit.degrees * METRES_OF_A_DEGREE,
            Kind::Projected { unit, .. } => unit.metres,
            _ => return None,
        };
        // Of numbers written with as many decimals each nine of ten show them all; a few may have any.
        of_share(&self.decimals, 0.75).map(|decimals| 0.5 * 10f64.powi(-(decimals as i32)) * unit_m)
    }

    /// The figure, where anything is known of it: what adds to it and is independent of the rest adds by its square.
    pub(super) fn report(&self, columns: &Columns, operations: &[OperationReport]) -> Option<AccuracyReport> {
        let placed = columns.placed()?;
        let mut parts = Vec::new();
        let mut add = |what: &str, metres: Option<f64>| {
            if let Some(metres) = metres.filter(|m| *m >= LEAST_M) {
                parts.push(AccuracyPart { what: what.into(), metres });
            }
        };
        let half = self.radius(0.5).unwrap_or_default();
        let radius = format!("the radius that holds for 95 % of the addresses (for half of them it is {half:.0} m)");
        add(&radius, self.radius(SHARE));
        add("the last digit of the coordinates", self.of_digits(placed));
        let worst = operations
            .iter()
            .filter_map(|o| o.accuracy_m)
            .fold(None, |m: Option<f64>, a| Some(m.map_or(a, |m| m.max(a))));
        add("the operation", worst);
        let is_least = operations.iter().any(|o| o.accuracy_m.is_none());
        let metres = parts.iter().map(|p| p.metres * p.metres).sum::<f64>().sqrt();
        (!parts.is_empty()).then_some(AccuracyReport { metres, parts, is_least })
    }
}

/// The value up to which a share of the counts is.
fn of_share<T: Copy>(counts: &BTreeMap<T, u64>, share: f64) -> Option<T> {
    let all: u64 = counts.values().sum();
    let wanted = (all as f64 * share).ceil() as u64;
    let mut passed = 0;
    let found = counts.iter().find(|(_, count)| {
        passed += **count;
        passed >= wanted
    });
    found.map(|(value, _)| *value)
}

/// Decimals of the shortest text of a number.
fn decimals(number: f64) -> usize {
    let text = number.to_string();
    text.split_once('.').map_or(0, |(_, decimals)| decimals.len())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_radius_of_most_rows_counts() {
        let mut worth = Worth::default();
        assert_eq!(worth.radius(SHARE), None);
        worth.merge(Worth { radii: [(10_000, 94), (50_000, 3), (2_000_000, 3)].into(), ..Default::default() });
        assert_eq!(worth.radius(SHARE), Some(50.0));
        worth.merge(Worth { radii: [(10_000, 900)].into(), ..Default::default() });
        assert_eq!(worth.radius(SHARE), Some(10.0));
    }

    #[test]
    fn a_number_with_the_noise_of_a_computation_hides_no_digits() {
        let written: BTreeMap<usize, u64> = [(3, 9), (4, 90), (17, 1)].into();
        assert_eq!(of_share(&written, 0.75), Some(4));
        assert_eq!(of_share(&BTreeMap::<usize, u64>::new(), 0.75), None);
    }

    #[test]
    fn decimals_are_those_of_the_shortest_text() {
        for (number, expected) in [(46.2, 1), (438_000.0, 0), (-123.812_34, 5), (0.1 + 0.2, 17), (1e-7, 7)] {
            assert_eq!(decimals(number), expected, "{number}");
        }
    }
}
