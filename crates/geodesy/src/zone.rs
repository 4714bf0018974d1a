//! Zones of the universal transverse Mercator grid.

/// One of the 60 zones, with the hemisphere.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct UtmZone {
    /// 1 to 60, eastwards from 180° W.
    pub number: u8,
    /// North of the equator.
    pub north: bool,
}

/// Latitude bands from 80° S, eight degrees each, the last one twelve; I and O are left out.
pub const BANDS: &[u8; 20] = b"CDEFGHJKLMNPQRSTUVWX";

impl UtmZone {
    /// The zone of a position, with the exceptions of south-west Norway (32V) and Svalbard (31X to 37X).
    ///
    /// `None` outside 80° S to 84° N, where the grid is not defined. `lon_deg` of 180 belongs to zone 1.
    ///
    /// ```
    /// use basilocus_geodesy::zone::UtmZone;
    /// assert_eq!(UtmZone::of(-123.8, 46.2).unwrap().number, 10);
    /// assert_eq!(UtmZone::of(5.0, 60.0).unwrap().number, 32); // would be 31 by longitude alone
    /// ```
    pub fn of(lon_deg: f64, lat_deg: f64) -> Option<UtmZone> {
        if !(-80.0..=84.0).contains(&lat_deg) || !lon_deg.is_finite() {
            return None;
        }
        let lon = (lon_deg + 180.0).rem_euclid(360.0) - 180.0;
        let mut number = ((lon + 180.0) / 6.0).floor() as u8 + 1;
        if (56.0..64.0).contains(&lat_deg) && (3.0..12.0).contains(&lon) {
            number = 32;
        }
        if lat_deg >= 72.0 && (0.0..42.0).contains(&lon) {
            number = if lon < 9.0 {
                31
            } else if lon < 21.0 {
                33
            } else if lon < 33.0 {
                35
            } else {
                37
            };
        }
        Some(UtmZone { number: number.min(60), north: lat_deg >= 0.0 })
    }

    /// Central meridian, degrees east.
    pub fn central_meridian_deg(&self) -> f64 {
        f64::from(self.number) * 6.0 - 183.0
    }

    /// West and east limits by the plain six-degree division, degrees east.
    pub fn limits_deg(&self) -> (f64, f64) {
        let middle = self.central_meridian_deg();
        (middle - 3.0, middle + 3.0)
    }

    /// EPSG code of this zone on WGS 84.
    pub fn epsg_code(&self) -> u32 {
        (if self.north { 32600 } else { 32700 }) + u32::from(self.number)
    }
}

/// The latitude band letter of a latitude, or `None` outside 80° S to 84° N.
pub fn band_of(lat_deg: f64) -> Option<char> {
    if !(-80.0..=84.0).contains(&lat_deg) {
        return None;
    }
    let index = ((lat_deg + 80.0) / 8.0).floor() as usize;
    Some(char::from(BANDS[index.min(19)]))
}

/// South and north limits of a band, degrees; `None` where the letter is no band.
pub fn band_limits_deg(letter: char) -> Option<(f64, f64)> {
    let index = BANDS.iter().position(|b| char::from(*b) == letter.to_ascii_uppercase())?;
    let south = index as f64 * 8.0 - 80.0;
    Some((south, if index == 19 { 84.0 } else { south + 8.0 }))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn zones_and_exceptions() {
        let number = |lon, lat| UtmZone::of(lon, lat).map(|z| z.number);
        assert_eq!(number(-180.0, 0.0), Some(1));
        assert_eq!(number(180.0, 0.0), Some(1));
        assert_eq!(number(179.999, 0.0), Some(60));
        assert_eq!(number(2.999, 60.0), Some(31));
        assert_eq!(number(3.0, 60.0), Some(32));
        assert_eq!(number(8.9, 75.0), Some(31));
        assert_eq!(number(9.0, 75.0), Some(33));
        assert_eq!(number(42.0, 75.0), Some(38));
        assert_eq!(number(0.0, 84.1), None);
        assert_eq!(number(0.0, f64::NAN), None);
    }

    #[test]
    fn bands() {
        assert_eq!(band_of(46.2), Some('T'));
        assert_eq!(band_of(84.0), Some('X'));
        assert_eq!(band_of(-0.1), Some('M'));
        assert_eq!(band_of(0.0), Some('N'));
        assert_eq!(band_limits_deg('S'), Some((32.0, 40.0)));
        assert_eq!(band_limits_deg('X'), Some((72.0, 84.0)));
        assert_eq!(band_limits_deg('I'), None);
    }
}
