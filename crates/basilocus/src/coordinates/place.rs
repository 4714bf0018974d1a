//! Where something is, as people say it: a position, four limits, or the words of an area.

use crate::Error;
use basilocus_geodesy::crs::{Area, Catalogue};
use basilocus_geodesy::notation::{self, AxisOrder};

/// An area with how it was understood.
#[derive(Debug, Clone, PartialEq)]
pub struct Place {
    /// Its limits; west and east, south and north are equal for a single position.
    pub area: Area,
    /// How the text was read.
    pub words: String,
}

/// Reads a place: `LON,LAT` in degrees, `WEST,SOUTH,EAST,NORTH`, a position in a notation with letters, or words of an
/// area of the catalogue.
///
/// # Errors
/// [`Error::Usage`] with what is expected.
///
/// ```
/// let place = basilocus::coordinates::place::find("-124,46,-123,47").unwrap();
/// assert_eq!((place.area.west_deg, place.area.north_deg), (-124.0, 47.0));
/// assert!(basilocus::coordinates::place::find("finland").unwrap().area.contains(25.0, 62.0));
/// ```
pub fn find(text: &str) -> Result<Place, Error> {
    let numbers: Option<Vec<f64>> =
        text.split(',').map(|t| t.trim().parse::<f64>().ok().filter(|v| v.is_finite())).collect();
    let wrong = |problem: String| Error::Usage(format!("\"{text}\" is not a place: {problem}"));
    let point = |lon: f64, lat: f64, words: String| Place {
        area: Area { west_deg: lon, south_deg: lat, east_deg: lon, north_deg: lat, description: words.clone() },
        words,
    };
    match numbers.as_deref() {
        Some([lon, lat]) => {
            if !(lat.abs() <= 90.0 && lon.abs() <= 360.0) {
                return Err(wrong(format!(
                    "LON,LAT in degrees are expected, and {lat} is no latitude or {lon} no longitude"
                )));
            }
            return Ok(point(*lon, *lat, format!("longitude {lon}°, latitude {lat}°")));
        }
        Some([west, south, east, north]) => {
            if !(south.abs() <= 90.0
                && north.abs() <= 90.0
                && south <= north
                && west.abs() <= 360.0
                && east.abs() <= 360.0)
            {
                return Err(wrong("WEST,SOUTH,EAST,NORTH in degrees are expected, south below north".into()));
            }
            let words = format!("longitude {west}° to {east}°, latitude {south}° to {north}°");
            return Ok(Place {
                area: Area {
                    west_deg: *west,
                    south_deg: *south,
                    east_deg: *east,
                    north_deg: *north,
                    description: words.clone(),
                },
                words,
            });
        }
        Some(list) => {
            return Err(wrong(format!("it has {} numbers; LON,LAT or WEST,SOUTH,EAST,NORTH are expected", list.len())));
        }
        None => {}
    }
    if let Ok(r) = notation::read(text, AxisOrder::Reject) {
        return Ok(point(r.lon_deg, r.lat_deg, r.words()));
    }
    match Catalogue::embedded().area_named(text) {
        Some(area) => {
            let words = format!(
                "{} ({}° to {}° longitude, {}° to {}° latitude)",
                area.description.trim_end_matches('.'),
                area.west_deg,
                area.east_deg,
                area.south_deg,
                area.north_deg
            );
            Ok(Place { area, words })
        }
        None => Err(wrong(
            "LON,LAT or WEST,SOUTH,EAST,NORTH in degrees, or words of an area of use are expected, such as Oregon"
                .into(),
        )),
    }
}

impl Place {
    /// Whether it is a single position.
    pub fn is_point(&self) -> bool {
        self.area.west_deg == self.area.east_deg && self.area.south_deg == self.area.north_deg
    }

    /// The area within so many kilometres to all sides.
    pub fn widened(&self, km: f64) -> Area {
        let a = &self.area;
        let lat = km / 111.0;
        let widest = a.south_deg.abs().max(a.north_deg.abs()).min(89.0);
        let lon = (km / (111.0 * widest.to_radians().cos())).min(180.0);
        Area {
            west_deg: (a.west_deg - lon).max(-180.0),
            south_deg: (a.south_deg - lat).max(-90.0),
            east_deg: (a.east_deg + lon).min(180.0),
            north_deg: (a.north_deg + lat).min(90.0),
            description: a.description.clone(),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn places_in_many_forms() {
        assert!(find("-123.8,46.2").unwrap().is_point());
        assert_eq!(find("46.2 N 123.8 W").unwrap().area.west_deg, -123.8);
        assert!(find("10TDS3827716579").unwrap().is_point());
        assert!(find("Oregon").unwrap().area.contains(-121.0, 44.0));
        for wrong in ["", "1,2,3", "0,95", "1,5,2,4", "Atlantis"] {
            assert!(find(wrong).unwrap_err().to_string().contains("is not a place"), "{wrong}");
        }
        let wide = find("-123.8,46.2").unwrap().widened(50.0);
        assert!(wide.contains(-123.3, 46.5) && !wide.contains(-122.8, 46.2));
    }
}
