//! The keys of a GeoTIFF, by their numbers in the standard (annex B of OGC 19-008r4).

use std::collections::BTreeMap;

/// What the keys say of the system.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct GeoKeys {
    /// Whether positions are projected (1), longitude and latitude (2) or geocentric (3).
    pub model: Option<u16>,
    /// EPSG code of the projected system.
    pub projected: Option<u16>,
    /// EPSG code of the geographic system.
    pub geodetic: Option<u16>,
    /// EPSG code of the vertical system.
    pub vertical: Option<u16>,
    /// EPSG code of the unit of heights.
    pub vertical_unit: Option<u16>,
    /// EPSG code of the unit of eastings and northings.
    pub linear_unit: Option<u16>,
    /// Metres that such a unit is, where it has no code.
    pub linear_unit_size: Option<f64>,
    /// The method of a projection that has no code.
    pub method: Option<u16>,
    /// Its parameters, by their keys: angles in degrees, lengths in the unit.
    pub parameters: BTreeMap<u16, f64>,
    /// What the system is called.
    pub names: Vec<String>,
    /// Whether heights are those of points.
    pub is_of_points: bool,
}

/// Key numbers of the standard.
pub(super) mod key {
    pub const MODEL: u16 = 1024;
    pub const RASTER: u16 = 1025;
    pub const CITATION: u16 = 1026;
    pub const GEODETIC: u16 = 2048;
    pub const GEODETIC_CITATION: u16 = 2049;
    pub const ANGULAR_UNIT: u16 = 2054;
    pub const PROJECTED: u16 = 3072;
    pub const PROJECTED_CITATION: u16 = 3073;
    pub const PROJECTION: u16 = 3074;
    pub const METHOD: u16 = 3075;
    pub const LINEAR_UNIT: u16 = 3076;
    pub const LINEAR_UNIT_SIZE: u16 = 3077;
    pub const FIRST_PARAMETER: u16 = 3078;
    pub const LAST_PARAMETER: u16 = 3096;
    pub const VERTICAL: u16 = 4096;
    pub const VERTICAL_UNIT: u16 = 4099;
}

/// The code that stands for what the user defines.
pub(super) const USER_DEFINED: u16 = 32_767;
/// EPSG code of the degree.
pub(super) const DEGREE: u16 = 9102;

/// Where the values of keys that are no short numbers stand.
pub(super) const DOUBLES: u16 = 34_736;
pub(super) const TEXTS: u16 = 34_737;

impl GeoKeys {
    /// Reads the directory of keys: four numbers each, after four of its own.
    pub(super) fn read(directory: &[u16], doubles: &[f64], texts: &str) -> Self {
        let mut keys = GeoKeys::default();
        for entry in directory.get(4..).unwrap_or_default().chunks_exact(4) {
            let [number, place, count, value] = [entry[0], entry[1], entry[2], entry[3]];
            let code = (place == 0 && value != USER_DEFINED && value != 0).then_some(value);
            let double = || (place == DOUBLES).then(|| doubles.get(usize::from(value)).copied()).flatten();
            match number {
                key::MODEL => keys.model = code,
                key::RASTER => keys.is_of_points = place == 0 && value == 2,
                key::PROJECTED => keys.projected = code,
                key::GEODETIC => keys.geodetic = code,
                key::VERTICAL => keys.vertical = code,
                key::VERTICAL_UNIT => keys.vertical_unit = code,
                key::LINEAR_UNIT => keys.linear_unit = code,
                key::LINEAR_UNIT_SIZE => keys.linear_unit_size = double(),
                key::METHOD => keys.method = code,
                key::FIRST_PARAMETER..=key::LAST_PARAMETER => {
                    keys.parameters.extend(double().map(|v| (number, v)));
                }
                key::CITATION | key::GEODETIC_CITATION | key::PROJECTED_CITATION if place == TEXTS => {
                    let (from, length) = (usize::from(value), usize::from(count));
                    let text = texts.get(from..(from + length).min(texts.len())).unwrap_or_default();
                    let text = text.trim_end_matches(['|', '\0', ' ']).to_string();
                    if !text.is_empty() && !keys.names.contains(&text) {
                        keys.names.push(text);
                    }
                }
                _ => {}
            }
        }
        keys
    }

    /// Whether they say a system at all.
    pub(super) fn say_a_system(&self) -> bool {
        self.projected.is_some() || self.geodetic.is_some() || self.method.is_some()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn keys_are_read_by_their_numbers() {
        // A projection of its own on a geographic system by code, with heights in feet.
        let directory = [
            1, 1, 0, 8, //
            1024, 0, 1, 1, //
            1025, 0, 1, 2, //
            1026, 34_737, 13, 0, //
            2048, 0, 1, 4269, //
            3072, 0, 1, 32_767, //
            3075, 0, 1, 8, //
            3078, 34_736, 1, 1, //
            4099, 0, 1, 9003,
        ];
        let keys = GeoKeys::read(&directory, &[9.0, 44.5], "Estuary grid|");
        assert_eq!((keys.model, keys.projected, keys.geodetic), (Some(1), None, Some(4269)));
        assert_eq!((keys.method, keys.parameters[&3078], keys.vertical_unit), (Some(8), 44.5, Some(9003)));
        assert_eq!((&keys.names[..], keys.is_of_points), (&["Estuary grid".to_string()][..], true));
        assert!(keys.say_a_system());
    }

    #[test]
    fn a_directory_that_points_nowhere_says_nothing() {
        let keys = GeoKeys::read(&[1, 1, 0, 2, 3078, 34_736, 1, 500, 1026, 34_737, 900, 4000], &[1.0], "short");
        assert!(!keys.say_a_system() && keys.parameters.is_empty() && keys.names.is_empty());
        assert_eq!(GeoKeys::read(&[1, 1], &[], ""), GeoKeys::default());
    }
}
