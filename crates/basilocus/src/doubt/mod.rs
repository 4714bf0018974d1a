//! Suspicions about data, one file a slip. None of them changes a row; each says what it saw and what to do.
//!
//! | id | file |
//! |---|---|
//! | slip-01 | [`swapped`] |
//! | slip-03 | [`sign`] |
//! | slip-08 | [`empty_point`] |
//! | slip-09 | [`header`] |
//! | slip-10 | [`code`] |
//! | slip-11 | [`minutes`] |
//! | slip-12 | [`comma`] |
//! | slip-13 | [`drawing`] |
//! | slip-15 | [`empty_result`] |
//! | slip-16 | [`missing_grid`] |
//! | slip-17 | [`frame`] |
//! | slip-18 | [`area`] |
//! | slip-19 | [`lattice`] |
//! | slip-20 | [`contradiction`] |
//! | slip-21 | [`repeated`] |
//! | ending | [`mod@ending`] |
//!
//! To add one: a file with a function from what was counted to an `Option<DoubtReport>`, and its line in [`all`].

pub mod area;
pub mod code;
pub mod comma;
pub mod contradiction;
pub mod drawing;
pub mod empty_point;
pub mod empty_result;
pub mod ending;
pub mod frame;
pub mod header;
pub mod lattice;
pub mod minutes;
pub mod missing_grid;
pub mod repeated;
pub mod sign;
pub mod swapped;

use crate::report::DoubtReport;
use basilocus_formats::Format;
use basilocus_geodesy::crs::Area;
use basilocus_geodesy::operation::MissedWay;
use basilocus_table::{ColumnProfile, Ledger, Role};
use std::path::Path;

/// What is counted while rows go by.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Tally {
    /// Positions looked at.
    pub positions: u64,
    /// Positions at exactly 0, 0.
    pub at_zero: u64,
    /// Positions outside the area of use.
    pub outside: u64,
    /// Of these, inside with longitude and latitude exchanged.
    pub inside_if_swapped: u64,
    /// Of these, inside with the other sign of the longitude.
    pub inside_if_negated: u64,
    /// Rows whose numbers are written with a comma.
    pub with_comma: u64,
    /// Rows whose numbers are written with a point and no comma.
    pub with_point: u64,
    /// Decimals of the longitudes, where the source has degrees.
    pub x: minutes::Axis,
    /// Decimals of the latitudes.
    pub y: minutes::Axis,
}

impl Tally {
    /// Counts a position in degrees against the area of use of a system.
    #[inline]
    pub fn add(&mut self, lon_deg: f64, lat_deg: f64, area: Option<&Area>) {
        self.positions += 1;
        if lon_deg == 0.0 && lat_deg == 0.0 {
            self.at_zero += 1;
        }
        if let Some(area) = area
            && !near(area, lon_deg, lat_deg)
        {
            self.outside += 1;
            if near(area, lat_deg, lon_deg) {
                self.inside_if_swapped += 1;
            }
            if near(area, -lon_deg, lat_deg) {
                self.inside_if_negated += 1;
            }
        }
    }

    /// Adds another part's counts.
    pub fn merge(&mut self, other: &Tally) {
        self.positions += other.positions;
        self.at_zero += other.at_zero;
        self.outside += other.outside;
        self.inside_if_swapped += other.inside_if_swapped;
        self.inside_if_negated += other.inside_if_negated;
        self.with_comma += other.with_comma;
        self.with_point += other.with_point;
        self.x.merge(&other.x);
        self.y.merge(&other.y);
    }
}

/// Inside an area or a little beside it: limits of areas of use are rounded.
fn near(area: &Area, lon: f64, lat: f64) -> bool {
    const MARGIN: f64 = 0.05;
    let wide = Area {
        west_deg: area.west_deg - MARGIN,
        south_deg: area.south_deg - MARGIN,
        east_deg: area.east_deg + MARGIN,
        north_deg: area.north_deg + MARGIN,
        description: String::new(),
    };
    wide.contains(lon, lat)
}

/// What the doubts look at.
#[derive(Debug, Default)]
pub struct Evidence<'a> {
    /// Name of the layer.
    pub layer: &'a str,
    /// Columns of x and y.
    pub columns: Option<(&'a str, &'a str)>,
    /// The system whose area of use was taken.
    pub area_of: Option<&'a str>,
    /// Counts of positions.
    pub tally: Tally,
    /// Rows in and out.
    pub ledger: Ledger,
    /// The file and the format of its content.
    pub source: Option<(&'a Path, Format)>,
    /// What the reader told.
    pub notes: &'a [String],
    /// Row of the header, and rows that are blank.
    pub header_row: Option<u64>,
    /// Whether the row below the header is blank.
    pub blank_second_row: bool,
    /// Better ways that were missed for want of a grid file: target, way, accuracy of the one that was taken.
    pub missed: Vec<(String, MissedWay, Option<f64>)>,
    /// A frame that moves and one that is fixed to its plate, where they were taken as equal.
    pub frames_mixed: Option<(&'a str, &'a str)>,
    /// Rows and addresses that are there more than once.
    pub repeated: repeated::Repeated,
    /// Names, roles and profiles of the columns, where all values were seen.
    pub profiles: &'a [(String, Option<Role>, ColumnProfile)],
}

/// All doubts about a layer.
pub fn all(e: &Evidence) -> Vec<DoubtReport> {
    let doubts = [
        swapped::doubt,
        sign::doubt,
        empty_point::doubt,
        header::doubt,
        code::doubt,
        minutes::doubt,
        comma::doubt,
        empty_result::doubt,
        missing_grid::doubt,
        frame::doubt,
        area::doubt,
        contradiction::doubt,
        repeated::doubt,
        drawing::doubt,
        lattice::doubt,
        ending::doubt,
    ];
    doubts.iter().filter_map(|d| d(e)).collect()
}

fn report(e: &Evidence, id: &str, column: Option<String>, rows: u64, message: String) -> Option<DoubtReport> {
    Some(DoubtReport { id: id.to_string(), layer: e.layer.to_string(), column, rows, message })
}

fn columns(e: &Evidence) -> Option<String> {
    e.columns.map(|(x, y)| if x == y { x.to_string() } else { format!("{x}, {y}") })
}

#[cfg(test)]
mod tests {
    use super::*;
    use basilocus_geodesy::crs::Catalogue;

    fn ids(points: &[(f64, f64)]) -> Vec<String> {
        let area = Catalogue::embedded().get(2269).unwrap().area;
        let mut e = Evidence {
            layer: "t",
            columns: Some(("lon", "lat")),
            area_of: Some("NAD83 / Oregon North (ft) (EPSG:2269)"),
            ledger: Ledger { rows_in: 9, rows_out: 9, ..Default::default() },
            ..Default::default()
        };
        for (x, y) in points {
            e.tally.add(*x, *y, Some(&area));
        }
        all(&e).into_iter().map(|d| d.id).collect()
    }

    #[test]
    fn clean_data_raises_none() {
        assert!(ids(&[(-123.0, 45.0), (-122.0, 44.5), (-120.0, 45.5)]).is_empty());
        assert!(ids(&[(-124.17, 43.95), (-116.47, 46.26)]).is_empty(), "the limits themselves");
    }

    fn decimals(values: impl Iterator<Item = (f64, f64)>) -> Vec<String> {
        let mut e = Evidence {
            layer: "t",
            columns: Some(("lon", "lat")),
            ledger: Ledger { rows_in: 9, rows_out: 9, ..Default::default() },
            ..Default::default()
        };
        for (x, y) in values {
            e.tally.add(x, y, None);
            e.tally.x.add(x);
            e.tally.y.add(y);
        }
        all(&e).into_iter().map(|d| d.id).collect()
    }

    #[test]
    fn minutes_written_as_decimals() {
        // Degrees and minutes joined by a point, over some degrees of country.
        let slipped = (0..60).map(|i| {
            let minutes = f64::from(i * 7 % 60) / 100.0;
            (-(121.0 + f64::from(i % 4) + minutes), 44.0 + f64::from(i % 3) + f64::from(i * 11 % 60) / 100.0)
        });
        assert_eq!(decimals(slipped), ["slip-11"]);
        // The same country in real decimal degrees.
        assert!(decimals((0..60).map(|i| (-121.0 - f64::from(i) * 0.06713, 44.0 + f64::from(i) * 0.04127))).is_empty());
        // A small area whose decimals stay below .60 by themselves.
        assert!(decimals((0..60).map(|i| (-123.3 - f64::from(i) * 0.00113, 46.2 + f64::from(i) * 0.00207))).is_empty());
        // Too few to tell.
        assert!(
            decimals((0..20).map(|i| (-121.0 - f64::from(i % 5) - 0.31, 44.0 + f64::from(i % 3) + 0.17))).is_empty()
        );
    }

    #[test]
    fn rounded_points_and_grids_that_are_meant() {
        // Scattered over half a degree, three decimals.
        let rounded = |d: f64| {
            (0..40).map(move |i| {
                let (x, y) = (f64::from(i * 37 % 40) * 0.01234, f64::from(i * 17 % 40) * 0.01171);
                (-((123.1 + x) * d).round() / d, ((46.0 + y) * d).round() / d)
            })
        };
        assert_eq!(decimals(rounded(1e3)), ["slip-19"]);
        assert!(decimals(rounded(1e5)).is_empty());
        // Every place of a grid of hundredths.
        let grid = (0..40).map(|i| (-123.0 + f64::from(i % 8) / 100.0, 46.0 + f64::from(i / 8) / 100.0));
        assert!(decimals(grid).is_empty());
    }

    #[test]
    fn an_ending_that_says_something_else() {
        let of = |name: &str, format: Format| {
            let path = std::path::PathBuf::from(name);
            let e = Evidence { source: Some((&path, format)), ..Default::default() };
            all(&e).into_iter().map(|d| d.id).collect::<Vec<_>>()
        };
        assert_eq!(of("gates.csv", Format::Xlsx), ["ending"]);
        assert!(of("gates.csv", Format::Xyz).is_empty() && of("gates.zip", Format::Kml).is_empty());
        assert!(of("gates.kmz", Format::Kml).is_empty() && of("gates", Format::Dxf).is_empty());
    }

    #[test]
    fn slips_are_caught() {
        assert_eq!(ids(&[(45.0, -123.0), (44.5, -122.0)]), ["slip-01"]);
        assert_eq!(ids(&[(123.0, 45.0), (122.0, 44.5)]), ["slip-03"]);
        assert_eq!(ids(&[(-123.0, 45.0), (-122.0, 44.5), (0.0, 0.0)]), ["slip-08", "slip-18"]);
        assert_eq!(ids(&[(-100.0, 30.0)]), ["slip-18"]);
    }
}
