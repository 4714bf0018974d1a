//! Map sheets: the international numbering at 1:1,000,000 and its customary subdivisions, and an index of one's own.
//!
//! | file | what |
//! |---|---|
//! | [`millionth`] | the international sheets |
//! | [`subdivision`] | larger scales within them |
//! | [`index`] | sheets with given limits |

pub mod index;
pub mod millionth;
pub mod subdivision;

pub use index::SheetIndex;
pub use millionth::{by_number, international};
pub use subdivision::{SERIES, Series, of_series};

/// A sheet and its limits.
#[derive(Debug, Clone, PartialEq)]
pub struct Sheet {
    /// Number such as `NL-10`.
    pub number: String,
    /// West, south, east, north limits in degrees.
    pub limits_deg: [f64; 4],
}

impl Sheet {
    /// Whether a position (degrees) is on it; the western and southern edges belong to it, the others to its
    /// neighbours.
    pub fn holds(&self, lon_deg: f64, lat_deg: f64) -> bool {
        let [west, south, east, north] = self.limits_deg;
        let x = (lon_deg - west).rem_euclid(360.0);
        x < (east - west).rem_euclid(360.0).max(if east == west { 360.0 } else { 0.0 })
            && lat_deg >= south
            && lat_deg < north
    }

    /// Where a position lies on the sheet: shares of its width from the west and of its height from the south, 0 to 1.
    pub fn share(&self, lon_deg: f64, lat_deg: f64) -> (f64, f64) {
        let [west, south, east, north] = self.limits_deg;
        ((lon_deg - west).rem_euclid(360.0) / (east - west).rem_euclid(360.0), (lat_deg - south) / (north - south))
    }
}
