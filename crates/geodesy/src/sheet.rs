//! The international numbering of map sheets at 1:1,000,000.
//!
//! Sheets are four degrees high, lettered A to V from the equator to 88°, and six degrees wide, numbered 1 to
//! 60 from 180° W (specifications of the International Map of the World, Bonn 1962). Polewards of 60° sheets
//! are joined in pairs in print; the number given here is that of the single sheet.

/// A sheet and its limits.
#[derive(Debug, Clone, PartialEq)]
pub struct Sheet {
    /// Number such as `NL-10`.
    pub number: String,
    /// West, south, east, north limits in degrees.
    pub limits_deg: [f64; 4],
}

/// The 1:1,000,000 sheet that holds a position; `None` polewards of 88°.
///
/// ```
/// assert_eq!(basilocus_geodesy::sheet::international(-123.8, 46.2).unwrap().number, "NL-10");
/// ```
pub fn international(lon_deg: f64, lat_deg: f64) -> Option<Sheet> {
    if !(lat_deg.abs() < 88.0) || !lon_deg.is_finite() {
        return None;
    }
    let row = (lat_deg.abs() / 4.0).floor();
    let lon = (lon_deg + 180.0).rem_euclid(360.0);
    let column = (lon / 6.0).floor();
    let letter = char::from(b'A' + row as u8);
    let (hemisphere, south) = if lat_deg >= 0.0 { ('N', row * 4.0) } else { ('S', -row * 4.0 - 4.0) };
    let west = column * 6.0 - 180.0;
    Some(Sheet {
        number: format!("{hemisphere}{letter}-{:02}", column as u8 + 1),
        limits_deg: [west, south, west + 6.0, south + 4.0],
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn limits_hold_the_point() {
        let sheet = international(15.0, -33.0).unwrap();
        assert_eq!(sheet.number, "SI-33");
        assert_eq!(sheet.limits_deg, [12.0, -36.0, 18.0, -32.0]);
        assert_eq!(international(0.0, 89.0), None);
        assert_eq!(international(f64::NAN, 0.0), None);
    }
}
