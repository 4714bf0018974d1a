//! A look at all heights of a grid.

use crate::Error;
use basilocus_terrain::{HeightRows, RectifiedGrid};
use serde::Serialize;

/// What the heights of a grid are.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct HeightRange {
    /// How many are known.
    pub known: u64,
    /// How many are not.
    pub unknown: u64,
    /// The lowest one; 0 where none is known.
    pub lowest: f64,
    /// The highest one.
    pub highest: f64,
    /// Their mean.
    pub mean: f64,
    /// How many have exactly the lowest height.
    pub at_lowest: u64,
}

impl HeightRange {
    /// Takes heights in.
    pub(super) fn add(&mut self, heights: &[f64]) {
        for z in heights.iter().copied() {
            if z.is_nan() {
                self.unknown += 1;
                continue;
            }
            if self.known == 0 || z < self.lowest {
                (self.lowest, self.at_lowest) = (z, 0);
            }
            if self.known == 0 || z > self.highest {
                self.highest = z;
            }
            self.at_lowest += u64::from(z == self.lowest);
            self.known += 1;
            self.mean += (z - self.mean) / self.known as f64;
        }
    }
}

/// Heights that are counted as they are read: once each, where each row is read once.
pub(super) struct Counted<'a, H> {
    pub heights: H,
    pub range: &'a mut HeightRange,
}

impl<H: HeightRows<Error = Error>> HeightRows for Counted<'_, H> {
    type Error = Error;

    fn frame(&self) -> RectifiedGrid {
        self.heights.frame()
    }

    fn row(&mut self, row: usize, into: &mut [f64]) -> Result<(), Error> {
        self.heights.row(row, into)?;
        self.range.add(into);
        Ok(())
    }
}

/// # Errors
/// [`Error::Data`] where no height is known.
pub(super) fn check_known(range: &HeightRange, what: &str) -> Result<(), Error> {
    if range.known > 0 {
        return Ok(());
    }
    Err(Error::Data(format!("{what}: none of its {} heights is known", range.unknown)))
}

/// Goes through all rows.
///
/// # Errors
/// Where a row cannot be read; [`Error::Data`] where no height is known.
pub(super) fn survey(heights: &mut impl HeightRows<Error = Error>, what: &str) -> Result<HeightRange, Error> {
    let frame = heights.frame();
    let mut range = HeightRange::default();
    let mut row = vec![0.0; frame.columns];
    for i in 0..frame.rows {
        heights.row(i, &mut row)?;
        range.add(&row);
    }
    check_known(&range, what)?;
    Ok(range)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn heights_are_counted() {
        let of = |heights: &[f64]| {
            let mut range = HeightRange::default();
            range.add(heights);
            range
        };
        let range = of(&[3.0, -9999.0, f64::NAN, 5.0, -9999.0]);
        assert_eq!((range.known, range.unknown, range.at_lowest, range.highest), (4, 1, 2, 5.0));
        assert!((of(&[1.0, 2.0, 6.0]).mean - 3.0).abs() < 1e-12);
    }
}
