//! Units, flats and floors of the houses of a reference.

use super::file::*;
use super::open::Reference;

/// A unit of a house.
#[derive(Debug, Clone, Copy)]
pub(crate) struct UnitView<'a> {
    /// In standard form, such as `Apt 3`.
    pub text: &'a str,
    pub lon: f64,
    pub lat: f64,
}

impl Reference {
    /// The units of an address point that the reference knows.
    pub(crate) fn units_of(&self, point: u32) -> Vec<UnitView<'_>> {
        let field = |i: usize, field: usize| self.u32(Section::Units, i, UNIT, field);
        let (mut low, mut high) = (0, self.units());
        while low < high {
            let middle = (low + high) / 2;
            if field(middle, 0) < point { low = middle + 1 } else { high = middle }
        }
        (low..self.units())
            .take_while(|i| field(*i, 0) == point)
            .map(|i| UnitView {
                text: self.string(field(i, 1)),
                lon: degrees(field(i, 2) as i32),
                lat: degrees(field(i, 3) as i32),
            })
            .collect()
    }

    /// Whether it knows units of houses.
    pub(crate) fn has_units(&self) -> bool {
        self.units() > 0
    }

    /// How many units it has.
    pub(super) fn units(&self) -> usize {
        self.count(Section::Units, UNIT)
    }
}
