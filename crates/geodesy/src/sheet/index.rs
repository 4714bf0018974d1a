//! A sheet index of one's own: sheets by their limits.

use super::Sheet;

/// Sheets with limits in degrees or in the unit of a plane system.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct SheetIndex {
    sheets: Vec<Sheet>,
    plane: bool,
}

/// Why a sheet cannot be used.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
#[error("sheet \"{number}\" has the limits west {}, south {}, east {}, north {}, which hold nothing", .limits[0], .limits[1], .limits[2], .limits[3])]
pub struct SheetError {
    /// Its number.
    pub number: String,
    /// Its limits.
    pub limits: [f64; 4],
}

impl SheetIndex {
    /// An index; `plane` says that the limits are eastings and northings.
    ///
    /// # Errors
    /// [`SheetError`] for a sheet whose limits hold nothing.
    pub fn new(sheets: Vec<Sheet>, plane: bool) -> Result<Self, SheetError> {
        for s in &sheets {
            let [west, south, east, north] = s.limits_deg;
            // In degrees a sheet may cross the 180° meridian.
            let width = if plane { east - west } else { (east - west).rem_euclid(360.0) };
            if !(width > 0.0 && north > south) {
                return Err(SheetError { number: s.number.clone(), limits: s.limits_deg });
            }
        }
        Ok(SheetIndex { sheets, plane })
    }

    /// Number of sheets.
    pub fn len(&self) -> usize {
        self.sheets.len()
    }

    /// Whether it has none.
    pub fn is_empty(&self) -> bool {
        self.sheets.is_empty()
    }

    /// The sheets that hold a position: several where sheets overlap, smallest first.
    pub fn at(&self, x: f64, y: f64) -> Vec<&Sheet> {
        let mut found: Vec<&Sheet> = self
            .sheets
            .iter()
            .filter(|s| {
                if self.plane {
                    let [west, south, east, north] = s.limits_deg;
                    x >= west && x < east && y >= south && y < north
                } else {
                    s.holds(x, y)
                }
            })
            .collect();
        let size = |s: &Sheet| (s.limits_deg[2] - s.limits_deg[0]) * (s.limits_deg[3] - s.limits_deg[1]);
        found.sort_by(|a, b| size(a).total_cmp(&size(b)));
        found
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn sheet(number: &str, limits_deg: [f64; 4]) -> Sheet {
        Sheet { number: number.into(), limits_deg }
    }

    #[test]
    fn overlapping_sheets_smallest_first() {
        let index = SheetIndex::new(
            vec![sheet("whole", [-124.5, 45.5, -123.0, 47.0]), sheet("mouth", [-124.1, 46.1, -123.7, 46.4])],
            false,
        )
        .unwrap();
        let names = |x, y| index.at(x, y).iter().map(|s| s.number.clone()).collect::<Vec<_>>();
        assert_eq!(names(-123.8, 46.2), ["mouth", "whole"]);
        assert_eq!(names(-123.2, 46.2), ["whole"]);
        assert!(names(0.0, 0.0).is_empty());
    }

    #[test]
    fn across_the_antimeridian_and_in_the_plane() {
        let index = SheetIndex::new(vec![sheet("Fiji", [177.0, -20.0, -178.0, -15.0])], false).unwrap();
        assert_eq!(index.at(-179.0, -17.0).len() + index.at(178.0, -17.0).len(), 2);
        assert!(index.at(0.0, -17.0).is_empty());
        let plane = SheetIndex::new(vec![sheet("12", [400_000.0, 5_100_000.0, 410_000.0, 5_110_000.0])], true).unwrap();
        assert_eq!(plane.at(405_000.0, 5_105_000.0)[0].number, "12");
        assert!(SheetIndex::new(vec![sheet("x", [10.0, 0.0, 5.0, 1.0])], true).is_err());
        assert!(SheetIndex::new(vec![sheet("x", [0.0, 1.0, 5.0, 1.0])], false).is_err());
    }
}
