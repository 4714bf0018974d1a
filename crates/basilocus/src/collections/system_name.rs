//! Systems as the OGC names them (OGC 18-058r1): `http://www.opengis.net/def/crs/EPSG/0/25832`. Positions under such a name
//! stand in the order of the registry's axes.

use super::Unusable;
use basilocus_geodesy::crs::{Catalogue, Crs, Kind};

/// WGS 84 with the longitude first.
pub const CRS84: &str = "http://www.opengis.net/def/crs/OGC/1.3/CRS84";

/// A system under its name.
#[derive(Debug, Clone, PartialEq)]
pub struct SystemName {
    /// The name: an address.
    pub uri: String,
    /// The system.
    pub crs: Crs,
    /// Whether northing or latitude stands first in positions.
    pub north_first: bool,
}

impl SystemName {
    /// Longitude and latitude of WGS 84.
    ///
    /// # Errors
    /// None with a catalogue that is whole.
    pub fn crs84() -> Result<Self, Unusable> {
        let crs = Catalogue::embedded().get(4326).map_err(|e| e.to_string())?;
        Ok(SystemName { uri: CRS84.into(), crs, north_first: false })
    }

    /// Reads a name: the address of a system, in `[]` or not, or its code, `EPSG:25832`.
    ///
    /// # Errors
    /// [`Unusable`]: a name of nothing, a system that is neither geographic nor projected, or one whose order of axes nobody
    /// knows here. That is not guessed: an easting in the place of a northing looks right.
    ///
    /// ```
    /// use basilocus::collections::SystemName;
    /// let read = |text: &str| SystemName::read(text).map(|s| (s.uri, s.north_first));
    /// assert_eq!(read("[EPSG:4326]").unwrap(), ("http://www.opengis.net/def/crs/EPSG/0/4326".into(), true));
    /// assert!(!read("http://www.opengis.net/def/crs/OGC/1.3/CRS84").unwrap().1);
    /// assert!(read("EPSG:1").is_err());
    /// assert!(read("EPSG:31467").unwrap_err().to_string().contains("order of the axes"));
    /// ```
    pub fn read(text: &str) -> Result<Self, Unusable> {
        let bare = text.trim();
        let bare = bare.strip_prefix('[').and_then(|t| t.strip_suffix(']')).unwrap_or(bare);
        // Over https the same name.
        let name = match bare.strip_prefix("https://") {
            Some(rest) => format!("http://{rest}"),
            None => bare.to_string(),
        };
        if name == CRS84 || name.eq_ignore_ascii_case("OGC:CRS84") {
            return Self::crs84();
        }
        let code = name.strip_prefix("http://www.opengis.net/def/crs/EPSG/").and_then(|rest| rest.split_once('/'));
        let code = code.map(|(_, code)| code).or_else(|| {
            let prefix = name.get(..5)?;
            prefix.eq_ignore_ascii_case("EPSG:").then(|| &name[5..])
        });
        let unknown = || {
            format!(
                "\"{text}\" is no system that is known here; {CRS84} or http://www.opengis.net/def/crs/EPSG/0/… with a code is expected"
            )
        };
        let code: u32 = code.and_then(|c| c.parse().ok()).ok_or_else(unknown)?;
        let crs = Catalogue::embedded().get(code).map_err(|_| unknown())?;
        Self::of(&crs)
    }

    /// The name of a system of the catalogue.
    ///
    /// # Errors
    /// As [`SystemName::read`]; and where the system has no code.
    pub fn of(crs: &Crs) -> Result<Self, Unusable> {
        let title = crs.title();
        let Some(code) = crs.code else { return Err(format!("{title} has no code of the registry").into()) };
        if !matches!(crs.kind, Kind::Geographic { .. } | Kind::Projected { .. }) {
            return Err(format!("{title} is a {}; one of two axes is expected", crs.kind_name()).into());
        }
        if let Err(problem) = crs.projection() {
            return Err(format!("{title} cannot be used: {problem}").into());
        }
        let north_first = crs.north_first().ok_or_else(|| {
            format!("the order of the axes of {title} in the registry is not known here, so positions in it could be read the wrong way round; ask for another system")
        })?;
        Ok(SystemName { uri: format!("http://www.opengis.net/def/crs/EPSG/0/{code}"), crs: crs.clone(), north_first })
    }

    /// Two numbers of a position in the order of the axes as easting and northing, and the other way round.
    pub fn turned(&self, [a, b]: [f64; 2]) -> [f64; 2] {
        if self.north_first { [b, a] } else { [a, b] }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_are_read_and_files_are_not() {
        for (text, uri, north_first) in [
            ("OGC:CRS84", CRS84, false),
            ("https://www.opengis.net/def/crs/EPSG/0/2269", "http://www.opengis.net/def/crs/EPSG/0/2269", false),
            ("http://www.opengis.net/def/crs/EPSG/9.9.1/4269", "http://www.opengis.net/def/crs/EPSG/0/4269", true),
            ("[epsg:32610]", "http://www.opengis.net/def/crs/EPSG/0/32610", false),
        ] {
            let name = SystemName::read(text).unwrap();
            assert_eq!((name.uri.as_str(), name.north_first), (uri, north_first), "{text}");
        }
        for text in
            ["", "/etc/passwd", "Cargo.toml", "UTM 10N", "EPSG:", "EPSG:x", "EPSG:4978", "EPSG:5703", "ép", "EPS€:1"]
        {
            assert!(SystemName::read(text).is_err(), "{text}");
        }
    }
}
