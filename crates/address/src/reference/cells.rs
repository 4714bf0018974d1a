//! What is near a position: address points and stretches of streets, by the cells of a grid over the earth.

use super::file::*;
use super::open::Reference;

/// What a cell holds.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) enum Near {
    /// An address point.
    Point(u32),
    /// A stretch of a street.
    Segment(u32),
}

impl Reference {
    /// Gives everything in the cells from so many rings around a position's cell, `inner` rings left out.
    pub(crate) fn in_rings(&self, lon: f64, lat: f64, inner: Option<u32>, outer: u32, f: &mut dyn FnMut(Near)) {
        let (row, column) = cell_of(lon, lat);
        for r in row.saturating_sub(outer)..=row.saturating_add(outer) {
            let (west, east) = (column.saturating_sub(outer), column.saturating_add(outer));
            match inner.filter(|i| r.abs_diff(row) <= *i) {
                None => self.in_row(r, west, east, f),
                Some(i) => {
                    if column > i {
                        self.in_row(r, west, column - i - 1, f);
                    }
                    self.in_row(r, column + i + 1, east, f);
                }
            }
        }
    }

    /// Gives what each cell holds, cell by cell.
    pub(super) fn each_cell(&self, f: &mut dyn FnMut(&[Near])) {
        let entries = self.count(Section::CellEntries, 4) as u32;
        let mut here = Vec::new();
        for cell in 0..self.count(Section::Cells, CELL).saturating_sub(1) {
            let first = self.u32(Section::Cells, cell, CELL, 2);
            let end = self.u32(Section::Cells, cell + 1, CELL, 2).min(entries);
            here.clear();
            here.extend((first..end).map(|i| self.near(i)));
            f(&here);
        }
    }

    fn near(&self, entry: u32) -> Near {
        let entry = self.u32(Section::CellEntries, entry as usize, 4, 0);
        if entry & IS_SEGMENT == 0 { Near::Point(entry) } else { Near::Segment(entry & !IS_SEGMENT) }
    }

    fn in_row(&self, row: u32, west: u32, east: u32, f: &mut dyn FnMut(Near)) {
        // The last cell only ends the one before.
        let n = self.count(Section::Cells, CELL).saturating_sub(1);
        let cell = |i: usize| (self.u32(Section::Cells, i, CELL, 0), self.u32(Section::Cells, i, CELL, 1));
        let (mut low, mut high) = (0, n);
        while low < high {
            let middle = (low + high) / 2;
            if cell(middle) < (row, west) { low = middle + 1 } else { high = middle }
        }
        let entries = self.count(Section::CellEntries, 4) as u32;
        while low < n && cell(low) <= (row, east) {
            let first = self.u32(Section::Cells, low, CELL, 2);
            let end = self.u32(Section::Cells, low + 1, CELL, 2).min(entries);
            (first..end).for_each(|i| f(self.near(i)));
            low += 1;
        }
    }
}
