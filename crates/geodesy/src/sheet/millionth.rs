//! The international numbering of map sheets at 1:1,000,000.
//!
//! Sheets are four degrees high, lettered A to V from the equator to 88°, and six degrees wide, numbered 1 to
//! 60 from 180° W (specifications of the International Map of the World, Bonn 1962). Polewards of 60° sheets
//! are joined in pairs in print; the number given here is that of the single sheet.

use super::Sheet;

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
    let (north, south) = if lat_deg >= 0.0 { (true, row * 4.0) } else { (false, -row * 4.0 - 4.0) };
    Some(sheet(north, row as u8, column as u8, south))
}

fn sheet(north: bool, row: u8, column: u8, south: f64) -> Sheet {
    let west = f64::from(column) * 6.0 - 180.0;
    Sheet {
        number: format!("{}{}-{:02}", if north { 'N' } else { 'S' }, char::from(b'A' + row), column + 1),
        limits_deg: [west, south, west + 6.0, south + 4.0],
    }
}

/// The sheet of a number such as `NL-10`, `NL 10` or `nl10`; `None` where there is no such sheet.
pub fn by_number(number: &str) -> Option<Sheet> {
    let plain: String = number.chars().filter(|c| c.is_ascii_alphanumeric()).collect::<String>().to_ascii_uppercase();
    let mut letters = plain.chars();
    let north = match letters.next()? {
        'N' => true,
        'S' => false,
        _ => return None,
    };
    let row = letters.next().filter(|c| ('A'..='V').contains(c))? as u8 - b'A';
    let zone: u8 = letters.as_str().parse().ok().filter(|z| (1..=60).contains(z))?;
    let south = if north { f64::from(row) * 4.0 } else { -f64::from(row) * 4.0 - 4.0 };
    Some(sheet(north, row, zone - 1, south))
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

    #[test]
    fn numbers_lead_back_to_their_sheets() {
        for (lon, lat) in [(-123.8, 46.2), (15.0, -33.0), (-180.0, 0.0), (179.9, 87.9), (0.0, -87.9)] {
            let sheet = international(lon, lat).unwrap();
            assert!(sheet.holds(lon, lat), "{sheet:?}");
            assert_eq!(by_number(&sheet.number), Some(sheet.clone()));
            assert_eq!(by_number(&sheet.number.replace('-', " ").to_lowercase()), Some(sheet));
        }
        for wrong in ["", "N", "NW-10", "NL-61", "NL-0", "XL-10", "NL-1O"] {
            assert_eq!(by_number(wrong), None, "{wrong}");
        }
    }
}
