//! Units of length and angle, with the two feet kept apart.

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

/// A unit of length by the number of metres in it: the standard name where the number is that of a known unit
/// (printed with nine digits or more), else the name that was given.
pub fn length_of(name: &str, metres: f64) -> LinearUnit {
    const KNOWN: [(&str, f64); 4] =
        [("metre", 1.0), ("foot", INTERNATIONAL_FOOT_M), ("US survey foot", US_SURVEY_FOOT_M), ("kilometre", 1000.0)];
    match KNOWN.iter().find(|(_, m)| (metres / m - 1.0).abs() < 2e-9) {
        Some((name, metres)) => LinearUnit { name: (*name).to_string(), metres: *metres },
        None => LinearUnit { name: name.replace('_', " "), metres },
    }
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
    fn plurals() {
        let unit = |name: &str| LinearUnit { name: name.into(), metres: 1.0 }.plural();
        assert_eq!(unit("US survey foot"), "US survey feet");
        assert_eq!(unit("British foot (Sears 1922)"), "British feet (Sears 1922)");
        assert_eq!(unit("British chain (Sears 1922)"), "British chains (Sears 1922)");
        assert_eq!(unit("Clarke's link"), "Clarke's links");
    }
}
