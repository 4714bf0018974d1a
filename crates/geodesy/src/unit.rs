//! Units of length, area and angle, with the two feet kept apart.

/// A unit of length.
#[derive(Debug, Clone, PartialEq)]
pub struct LinearUnit {
    /// Name in the registry, such as `metre`, `foot`, `US survey foot`.
    pub name: String,
    /// Metres in one unit.
    pub metres: f64,
}

/// A unit of angle.
#[derive(Debug, Clone, PartialEq)]
pub struct AngularUnit {
    /// Name in the registry, such as `degree`, `grad`.
    pub name: String,
    /// Degrees in one unit.
    pub degrees: f64,
}

/// Metres in an international foot (exact, 1959 agreement).
pub const INTERNATIONAL_FOOT_M: f64 = 0.3048;
/// Metres in a US survey foot (exact, 1893 Mendenhall order: 39.37 inches to the metre).
pub const US_SURVEY_FOOT_M: f64 = 1200.0 / 3937.0;

impl LinearUnit {
    /// The metre.
    pub fn metre() -> Self {
        LinearUnit { name: "metre".into(), metres: 1.0 }
    }

    /// What the unit is called when read aloud: `international feet`, `US survey feet`, `metres`.
    ///
    /// ```
    /// use basilocus_geodesy::unit::{LinearUnit, INTERNATIONAL_FOOT_M};
    /// let foot = LinearUnit { name: "foot".into(), metres: INTERNATIONAL_FOOT_M };
    /// assert_eq!(foot.plural(), "international feet");
    /// ```
    pub fn plural(&self) -> String {
        match self.name.as_str() {
            "foot" => "international feet".into(),
            "inch" => "inches".into(),
            "US survey inch" => "US survey inches".into(),
            name => match name.split_once("foot") {
                Some((before, after)) => format!("{before}feet{after}"),
                None => match name.split_once(" (") {
                    Some((unit, rest)) => format!("{unit}s ({rest}"),
                    None => format!("{name}s"),
                },
            },
        }
    }

    /// A short sign for column headings and lists: `m`, `ft`, `ftUS`, or the name.
    pub fn sign(&self) -> &str {
        match self.name.as_str() {
            "metre" => "m",
            "foot" => "ft",
            "US survey foot" => "ftUS",
            other => other,
        }
    }
}

/// A unit of length as the tables list it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Length {
    /// Name, signs and other names.
    pub names: &'static [&'static str],
    /// Metres in it.
    pub metres: f64,
    /// Where the number comes from.
    pub source: &'static str,
}

impl Length {
    /// The unit.
    pub fn unit(&self) -> LinearUnit {
        LinearUnit { name: self.names[0].to_string(), metres: self.metres }
    }
}

const SI: &str = "SI";
const AGREEMENT: &str = "agreement of 1959: 0.9144 m a yard";
const MENDENHALL: &str = "order of 1893: 39.37 inches a metre";
const CLARKE: &str = "Clarke 1865: 0.3047972654 m a foot";
const SEARS: &str = "Sears 1922: 39.370147 inches a metre";
const SEARS_CUT: &str = "Sears 1922, cut to 0.914398 m a yard";
const BENOIT: &str = "Benoît 1895: 39.370113 inches a metre";
const INDIA: &str = "India: 39.370142 inches a metre";

/// The units of length of the registry's systems, and those that people write in field books.
pub const LENGTHS: &[Length] = &[
    Length { names: &["metre", "m", "meter"], metres: 1.0, source: SI },
    Length { names: &["kilometre", "km", "kilometer"], metres: 1000.0, source: SI },
    Length { names: &["centimetre", "cm", "centimeter"], metres: 0.01, source: SI },
    Length { names: &["millimetre", "mm", "millimeter"], metres: 0.001, source: SI },
    Length { names: &["foot", "ft", "international foot"], metres: 0.3048, source: AGREEMENT },
    Length { names: &["yard", "yd", "international yard"], metres: 0.9144, source: AGREEMENT },
    Length { names: &["inch", "in", "international inch"], metres: 0.0254, source: AGREEMENT },
    Length { names: &["mile", "mi", "statute mile", "international mile"], metres: 1609.344, source: AGREEMENT },
    Length { names: &["chain", "ch", "international chain"], metres: 20.1168, source: AGREEMENT },
    Length { names: &["link", "international link"], metres: 0.201168, source: AGREEMENT },
    Length { names: &["rod", "perch", "pole"], metres: 5.0292, source: AGREEMENT },
    Length { names: &["furlong"], metres: 201.168, source: AGREEMENT },
    Length { names: &["fathom"], metres: 1.8288, source: AGREEMENT },
    Length { names: &["nautical mile", "NM", "nmi"], metres: 1852.0, source: "Monaco conference, 1929" },
    Length {
        names: &["US survey foot", "ftUS", "usft", "survey foot", "foot_US", "US foot"],
        metres: US_SURVEY_FOOT_M,
        source: MENDENHALL,
    },
    Length { names: &["US survey yard", "ydUS"], metres: 3600.0 / 3937.0, source: MENDENHALL },
    Length { names: &["US survey inch", "inUS"], metres: 100.0 / 3937.0, source: MENDENHALL },
    Length { names: &["US survey mile", "miUS"], metres: 6_336_000.0 / 3937.0, source: MENDENHALL },
    Length { names: &["US survey chain", "chUS"], metres: 79_200.0 / 3937.0, source: MENDENHALL },
    Length { names: &["US survey link", "linkUS"], metres: 792.0 / 3937.0, source: MENDENHALL },
    Length { names: &["US survey rod", "rodUS"], metres: 19_800.0 / 3937.0, source: MENDENHALL },
    Length { names: &["Clarke's foot", "Clarke foot"], metres: 0.3047972654, source: CLARKE },
    Length { names: &["Clarke's yard", "Clarke yard"], metres: 0.9143917962, source: CLARKE },
    Length { names: &["Clarke's chain", "Clarke chain"], metres: 20.1166195164, source: CLARKE },
    Length { names: &["Clarke's link", "Clarke link"], metres: 0.201166195164, source: CLARKE },
    Length { names: &["British foot (Sears 1922)"], metres: 12.0 / 39.370147, source: SEARS },
    Length { names: &["British yard (Sears 1922)"], metres: 36.0 / 39.370147, source: SEARS },
    Length { names: &["British chain (Sears 1922)"], metres: 792.0 / 39.370147, source: SEARS },
    Length { names: &["British link (Sears 1922)"], metres: 7.92 / 39.370147, source: SEARS },
    Length { names: &["British foot (Sears 1922 truncated)"], metres: 0.914398 / 3.0, source: SEARS_CUT },
    Length { names: &["British yard (Sears 1922 truncated)"], metres: 0.914398, source: SEARS_CUT },
    Length { names: &["British chain (Sears 1922 truncated)"], metres: 20.116756, source: SEARS_CUT },
    Length { names: &["British link (Sears 1922 truncated)"], metres: 0.20116756, source: SEARS_CUT },
    Length { names: &["British foot (Benoit 1895 B)"], metres: 12.0 / 39.370113, source: BENOIT },
    Length { names: &["British yard (Benoit 1895 B)"], metres: 36.0 / 39.370113, source: BENOIT },
    Length { names: &["British chain (Benoit 1895 B)"], metres: 792.0 / 39.370113, source: BENOIT },
    Length { names: &["British link (Benoit 1895 B)"], metres: 7.92 / 39.370113, source: BENOIT },
    Length { names: &["British foot (1936)"], metres: 0.3048007491, source: "retriangulation of 1936" },
    Length { names: &["Indian foot"], metres: 12.0 / 39.370142, source: INDIA },
    Length { names: &["Indian yard"], metres: 36.0 / 39.370142, source: INDIA },
    Length { names: &["Gold Coast foot"], metres: 6_378_300.0 / 20_926_201.0, source: "War Office 1926" },
    Length { names: &["German legal metre"], metres: 1.0000135965, source: "legal metre of 1868" },
];

/// A unit of length by the number of metres in it: the name of the tables where the number is that of a unit there
/// (printed with nine digits or more), else the name that was given.
pub fn length_of(name: &str, metres: f64) -> LinearUnit {
    LENGTHS
        .iter()
        .find(|u| (metres / u.metres - 1.0).abs() < 2e-9)
        .map_or_else(|| LinearUnit { name: name.replace('_', " "), metres }, Length::unit)
}

/// A unit of length by its name in the singular or plural, or by its sign; case does not matter.
pub fn find_length(name: &str) -> Option<LinearUnit> {
    let wanted = name.trim().to_lowercase();
    LENGTHS
        .iter()
        .find(|u| {
            let plural = u.unit().plural().to_lowercase();
            // The foot that says no more is the international one.
            let short = plural.trim_start_matches("international ");
            u.names.iter().any(|n| n.to_lowercase() == wanted) || plural == wanted || short == wanted
        })
        .map(Length::unit)
}

/// A unit of angle as the tables list it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Angle {
    /// Name, signs and other names.
    pub names: &'static [&'static str],
    /// Degrees in it.
    pub degrees: f64,
    /// Where the number comes from.
    pub source: &'static str,
}

/// Units of angle.
pub const ANGLES: &[Angle] = &[
    Angle { names: &["degree", "°", "deg"], degrees: 1.0, source: "360 in a turn" },
    Angle { names: &["arc-minute", "′", "'", "minute", "arcmin"], degrees: 1.0 / 60.0, source: "60 in a degree" },
    Angle {
        names: &["arc-second", "″", "\"", "second", "arcsec"], degrees: 1.0 / 3600.0, source: "3600 in a degree"
    },
    Angle { names: &["grad", "gon"], degrees: 0.9, source: "400 in a turn" },
    Angle { names: &["centesimal minute"], degrees: 0.009, source: "100 in a grad" },
    Angle { names: &["centesimal second"], degrees: 0.00009, source: "10,000 in a grad" },
    Angle { names: &["radian", "rad"], degrees: 180.0 / std::f64::consts::PI, source: SI },
    Angle { names: &["milliradian", "mrad"], degrees: 0.18 / std::f64::consts::PI, source: SI },
    Angle { names: &["mil", "mil 6400", "mil_6400"], degrees: 0.05625, source: "6400 in a turn" },
    Angle { names: &["turn"], degrees: 360.0, source: "one turn" },
];

/// A unit of angle by its name or sign; case does not matter.
pub fn find_angle(name: &str) -> Option<&'static Angle> {
    let wanted = name.trim().to_lowercase();
    let singular = wanted.strip_suffix('s').unwrap_or(&wanted);
    ANGLES.iter().find(|u| u.names.iter().any(|n| n.to_lowercase() == wanted || n.to_lowercase() == singular))
}

/// A unit of area.
#[derive(Debug, Clone, PartialEq)]
pub struct AreaUnit {
    /// Name, such as `hectare`, `square US survey foot`.
    pub name: String,
    /// Square metres in it.
    pub square_metres: f64,
    /// Where the number comes from.
    pub source: &'static str,
}

/// Units of area with names of their own; the square of every unit of length is one as well.
pub const AREAS: &[(&[&str], f64, &str)] = &[
    (&["are", "a"], 100.0, SI),
    (&["hectare", "ha"], 10_000.0, SI),
    (&["dunam", "decare"], 1000.0, SI),
    (&["acre", "ac", "international acre"], 4046.8564224, AGREEMENT),
    (&["rood"], 1011.7141056, AGREEMENT),
    (&["US survey acre", "acUS", "survey acre"], 10.0 * SURVEY_CHAIN_M * SURVEY_CHAIN_M, MENDENHALL),
];

/// Metres in a chain of 66 US survey feet.
const SURVEY_CHAIN_M: f64 = 79_200.0 / 3937.0;

/// The squares that are listed where nobody asked for one.
const SQUARES: [&str; 8] =
    ["metre", "kilometre", "centimetre", "foot", "yard", "mile", "US survey foot", "US survey mile"];

impl AreaUnit {
    /// What several of it are called: `acres`, `square feet`.
    pub fn plural(&self) -> String {
        match self.name.strip_prefix("square ") {
            Some(length) => {
                let unit = LinearUnit { name: length.to_string(), metres: 1.0 };
                // Of a square nobody asks whether its foot is the international one: it says so if it is not.
                format!("square {}", unit.plural().trim_start_matches("international "))
            }
            None => format!("{}s", self.name),
        }
    }
}

fn square_of(unit: &Length) -> AreaUnit {
    let name = format!("square {}", unit.names[0]);
    AreaUnit { name, square_metres: unit.metres * unit.metres, source: unit.source }
}

/// The units of area that are listed where nobody asks for one: squares, then those with names of their own.
pub fn usual_areas() -> Vec<AreaUnit> {
    let squares = SQUARES.iter().filter_map(|name| LENGTHS.iter().find(|l| l.names[0] == *name)).map(square_of);
    let named = AREAS.iter().map(|(names, square_metres, source)| AreaUnit {
        name: names[0].to_string(),
        square_metres: *square_metres,
        source,
    });
    squares.chain(named).collect()
}

/// A unit of area by its name in the singular or plural, or by its sign: `ha`, `acres`, `square feet`, `sq ft`, `ft2`, `m²`.
///
/// ```
/// use basilocus_geodesy::unit::find_area;
/// assert_eq!(find_area("acres").unwrap().square_metres, 4046.8564224);
/// assert_eq!(find_area("sq ft").unwrap().square_metres, 0.09290304);
/// assert!(find_area("ft").is_none());
/// ```
pub fn find_area(name: &str) -> Option<AreaUnit> {
    let wanted = name.trim().to_lowercase();
    let singular = wanted.strip_suffix('s').unwrap_or(&wanted);
    let named =
        AREAS.iter().find(|(names, ..)| names.iter().map(|n| n.to_lowercase()).any(|n| n == wanted || n == singular));
    if let Some((names, square_metres, source)) = named {
        return Some(AreaUnit { name: names[0].to_string(), square_metres: *square_metres, source });
    }
    let length = ["square ", "sq. ", "sq "]
        .iter()
        .find_map(|p| wanted.strip_prefix(p))
        .or_else(|| ["²", "^2", "2"].iter().find_map(|s| wanted.strip_suffix(s)))?;
    let found = find_length(length)?;
    LENGTHS.iter().find(|l| l.names[0] == found.name).map(square_of)
}

impl AngularUnit {
    /// The degree.
    pub fn degree() -> Self {
        AngularUnit { name: "degree".into(), degrees: 1.0 }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_two_feet_are_not_the_same() {
        // Two parts in a million: 4 ft on a false easting of two million.
        let difference = 2_000_000.0 * (US_SURVEY_FOOT_M - INTERNATIONAL_FOOT_M) / INTERNATIONAL_FOOT_M;
        assert!((difference - 4.000_008).abs() < 1e-6, "{difference}");
    }

    #[test]
    fn the_catalogues_units_are_those_of_the_table() {
        let catalogue = crate::crs::Catalogue::embedded();
        for code in catalogue.codes() {
            if let crate::crs::Kind::Projected { unit, .. } | crate::crs::Kind::Vertical { unit, .. } =
                catalogue.get(code).unwrap().kind
            {
                let known = find_length(&unit.name).unwrap_or_else(|| panic!("{code}: {}", unit.name));
                // The registry's file prints 10 to 15 digits.
                assert!((known.metres / unit.metres - 1.0).abs() < 1e-10, "{code} {known:?} {unit:?}");
            }
        }
    }

    #[test]
    fn names_and_signs() {
        let metres = |name: &str| find_length(name).map(|u| u.metres);
        assert_eq!(metres("ft"), Some(0.3048));
        assert_eq!(metres("FTUS"), Some(US_SURVEY_FOOT_M));
        assert_eq!(metres("US survey feet"), Some(US_SURVEY_FOOT_M));
        assert_eq!(metres("Clarke's links"), Some(0.201166195164));
        assert_eq!(metres("cubit"), None);
        assert_eq!(find_angle("Grads").map(|a| a.degrees), Some(0.9));
        assert_eq!(length_of("Foot_US", 0.3048006096012192).name, "US survey foot");
        assert_eq!(length_of("some_unit", 2.5).name, "some unit");
    }

    #[test]
    fn areas_are_what_their_definitions_make_of_them() {
        let square_metres = |name: &str| find_area(name).map(|u| u.square_metres);
        assert_eq!(square_metres("ha"), Some(1e4));
        // NIST Special Publication 811, appendix B.8: 4046.873 m² for the acre of US survey feet.
        assert!((square_metres("US survey acre").unwrap() - 4046.873).abs() < 5e-4);
        // An acre is a tenth of a furlong by a furlong, a square mile 640 of them.
        assert!((square_metres("acre").unwrap() - 201.168 * 20.1168).abs() < 1e-9);
        assert!((square_metres("square miles").unwrap() / square_metres("acres").unwrap() - 640.0).abs() < 1e-9);
        assert_eq!(square_metres("Square Clarke's links"), Some(0.201166195164 * 0.201166195164));
        for same in ["ft2", "ft²", "ft^2", "sq ft", "sq. ft", "square foot", "square feet"] {
            assert_eq!(square_metres(same), Some(0.3048 * 0.3048), "{same}");
        }
        assert_eq!((square_metres("m"), square_metres("square"), square_metres("2")), (None, None, None));
        let names: Vec<String> = usual_areas().iter().map(AreaUnit::plural).collect();
        assert!(names.contains(&"square US survey feet".into()) && names.contains(&"acres".into()), "{names:?}");
        assert!(names.contains(&"square feet".into()), "{names:?}");
    }

    #[test]
    fn plurals() {
        let unit = |name: &str| LinearUnit { name: name.into(), metres: 1.0 }.plural();
        assert_eq!(unit("US survey foot"), "US survey feet");
        assert_eq!(unit("British foot (Sears 1922)"), "British feet (Sears 1922)");
        assert_eq!(unit("British chain (Sears 1922)"), "British chains (Sears 1922)");
        assert_eq!(unit("Clarke's link"), "Clarke's links");
    }
}
