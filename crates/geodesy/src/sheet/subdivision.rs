//! Larger scales within the international sheets.
//!
//! How a country cuts its sheets is its own business; these are the divisions in general use, counted from the
//! north-west, row by row.

use super::{Sheet, international};

/// A series: how its sheets are cut out of those of another one.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Series {
    /// Its scale: 1 to so many.
    pub scale: u32,
    /// Scale of the sheets that it is cut out of; 1,000,000 for the international ones.
    pub within: u32,
    /// Columns and rows that one of them is cut into.
    pub columns: u32,
    /// Rows.
    pub rows: u32,
    /// How the parts are counted.
    pub counting: Counting,
}

/// How parts are counted.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub enum Counting {
    /// A, B, C …
    Letters,
    /// a, b, c …
    SmallLetters,
    /// 1, 2, 3 …
    Numbers,
    /// I, II, III …
    Roman,
}

/// The series in general use.
pub const SERIES: &[Series] = &[
    Series { scale: 500_000, within: 1_000_000, columns: 2, rows: 2, counting: Counting::Letters },
    Series { scale: 250_000, within: 1_000_000, columns: 3, rows: 4, counting: Counting::Numbers },
    Series { scale: 200_000, within: 1_000_000, columns: 6, rows: 6, counting: Counting::Roman },
    Series { scale: 100_000, within: 1_000_000, columns: 12, rows: 12, counting: Counting::Numbers },
    Series { scale: 50_000, within: 100_000, columns: 2, rows: 2, counting: Counting::Letters },
    Series { scale: 25_000, within: 50_000, columns: 2, rows: 2, counting: Counting::SmallLetters },
    Series { scale: 10_000, within: 25_000, columns: 2, rows: 2, counting: Counting::Numbers },
];

/// The sheet of a series that holds a position; `None` polewards of 88° and for scales that are no series.
///
/// ```
/// let sheet = basilocus_geodesy::sheet::of_series(100_000, -123.8, 46.2).unwrap();
/// assert_eq!(sheet.number, "NL-10-65");
/// ```
pub fn of_series(scale: u32, lon_deg: f64, lat_deg: f64) -> Option<Sheet> {
    if scale == 1_000_000 {
        return international(lon_deg, lat_deg);
    }
    let series = SERIES.iter().find(|s| s.scale == scale)?;
    let parent = of_series(series.within, lon_deg, lat_deg)?;
    let [west, south, east, north] = parent.limits_deg;
    let (width, height) = ((east - west) / f64::from(series.columns), (north - south) / f64::from(series.rows));
    let (x, y) = parent.share(lon_deg, lat_deg);
    // A place on the northern edge of a row belongs to the row above, as on the parent.
    let column = ((x * f64::from(series.columns)) as u32).min(series.columns - 1);
    let from_south = ((y * f64::from(series.rows)) as u32).min(series.rows - 1);
    let row = series.rows - 1 - from_south;
    let number = row * series.columns + column + 1;
    let (w, s) = (west + f64::from(column) * width, south + f64::from(from_south) * height);
    Some(Sheet {
        number: format!("{}-{}", parent.number, series.counting.text(number)),
        limits_deg: [w, s, w + width, s + height],
    })
}

impl Counting {
    fn text(self, number: u32) -> String {
        let letter = |first: u8| char::from(first + (number - 1).min(25) as u8).to_string();
        match self {
            Counting::Letters => letter(b'A'),
            Counting::SmallLetters => letter(b'a'),
            Counting::Numbers => number.to_string(),
            Counting::Roman => {
                let mut rest = number;
                let mut out = String::new();
                for (value, sign) in
                    [(100, "C"), (90, "XC"), (50, "L"), (40, "XL"), (10, "X"), (9, "IX"), (5, "V"), (4, "IV"), (1, "I")]
                {
                    while rest >= value {
                        out.push_str(sign);
                        rest -= value;
                    }
                }
                out
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::collections::HashSet;

    #[test]
    fn every_part_is_counted_once_and_holds_its_places() {
        for series in SERIES {
            let parent = of_series(series.within, 37.1, 55.7).unwrap();
            let [west, south, east, north] = parent.limits_deg;
            let mut numbers = HashSet::new();
            for c in 0..series.columns {
                for r in 0..series.rows {
                    let lon = west + (f64::from(c) + 0.5) / f64::from(series.columns) * (east - west);
                    let lat = south + (f64::from(r) + 0.5) / f64::from(series.rows) * (north - south);
                    let sheet = of_series(series.scale, lon, lat).unwrap();
                    assert!(sheet.holds(lon, lat) && sheet.number.starts_with(&parent.number), "{sheet:?}");
                    assert!(numbers.insert(sheet.number));
                }
            }
            assert_eq!(numbers.len() as u32, series.columns * series.rows);
        }
    }

    #[test]
    fn counted_from_the_north_west() {
        // NL-10 reaches from 126° to 120° W and from 44° to 48° N.
        assert_eq!(of_series(500_000, -125.9, 47.9).unwrap().number, "NL-10-A");
        assert_eq!(of_series(500_000, -120.1, 44.1).unwrap().number, "NL-10-D");
        assert_eq!(of_series(250_000, -120.1, 44.1).unwrap().number, "NL-10-12");
        assert_eq!(of_series(200_000, -120.1, 44.1).unwrap().number, "NL-10-XXXVI");
        assert_eq!(of_series(100_000, -120.1, 44.1).unwrap().number, "NL-10-144");
        assert_eq!(of_series(10_000, -120.001, 44.001).unwrap().number, "NL-10-144-D-d-4");
        assert_eq!(of_series(12_345, -120.1, 44.1), None);
        assert_eq!(of_series(250_000, -125.9, 47.9).unwrap().limits_deg, [-126.0, 47.0, -124.0, 48.0]);
    }

    #[test]
    fn edges_belong_to_one_sheet() {
        let sheet = of_series(100_000, -123.5, 46.0).unwrap();
        assert!(sheet.holds(-123.5, 46.0), "{sheet:?}");
        assert_eq!((sheet.limits_deg[0], sheet.limits_deg[1]), (-123.5, 46.0));
    }
}
