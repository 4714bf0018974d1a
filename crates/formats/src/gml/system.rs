//! Names of reference systems: which one, and whether its axes stand in the order of the registry.

/// A system that a name says.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct System {
    /// `EPSG:code`, of a compound system `EPSG:code+code`.
    pub crs: String,
    /// Whether positions stand in the order of the registry's axes: so it is with the forms that OGC 09-048r5 defines.
    /// The older forms are easting or longitude first by custom.
    pub by_registry: bool,
}

/// Reads a name; `None` for one that is not understood.
pub(super) fn read(name: &str) -> Option<System> {
    let name = name.trim();
    let upper = name.to_ascii_uppercase();
    // Systems of the web map service: longitude first.
    for (end, code) in [("CRS84", 4326), ("CRS:84", 4326), ("CRS83", 4269), ("CRS:83", 4269), ("CRS27", 4267)] {
        if upper.ends_with(end) {
            return Some(System { crs: format!("EPSG:{code}"), by_registry: false });
        }
    }
    let digits = |text: &str| text.bytes().all(|b| b.is_ascii_digit()) && !text.is_empty();
    let codes: Vec<&str> = if upper.starts_with("URN:") || upper.contains("/DEF/CRS") {
        // `urn:ogc:def:crs,crs:EPSG::27700,crs:EPSG::5701` and `…/crs-compound?1=…&2=…` name several.
        name.split([',', '&', '?'])
            .filter(|part| part.to_ascii_uppercase().contains("EPSG"))
            .map(|part| part.rsplit([':', '/']).next().unwrap_or(""))
            .collect()
    } else if let Some((_, code)) = name.split_once('#') {
        vec![code]
    } else if upper.starts_with("EPSG:") {
        vec![name[5..].trim_start_matches(':')]
    } else {
        return None;
    };
    if codes.is_empty() || !codes.iter().all(|c| digits(c)) {
        return None;
    }
    let by_registry = !name.contains('#') && !upper.starts_with("EPSG:");
    // The registry's three-dimensional WGS 84.
    let crs = if codes == ["4979"] { "EPSG:4326+ellipsoidal".into() } else { format!("EPSG:{}", codes.join("+")) };
    Some(System { crs, by_registry })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_forms_of_names() {
        let of = |name: &str| read(name).map(|s| (s.crs, s.by_registry));
        let said = |crs: &str, by_registry: bool| Some((crs.to_string(), by_registry));
        assert_eq!(of("urn:ogc:def:crs:EPSG::2269"), said("EPSG:2269", true));
        assert_eq!(of("urn:ogc:def:crs:EPSG:6.18.3:4326"), said("EPSG:4326", true));
        assert_eq!(of("urn:x-ogc:def:crs:EPSG:4326"), said("EPSG:4326", true));
        assert_eq!(of("http://www.opengis.net/def/crs/EPSG/0/25832"), said("EPSG:25832", true));
        assert_eq!(of("urn:ogc:def:crs,crs:EPSG::27700,crs:EPSG::5701"), said("EPSG:27700+5701", true));
        assert_eq!(
            of(
                "http://www.opengis.net/def/crs-compound?1=http://www.opengis.net/def/crs/EPSG/0/25832&2=http://www.opengis.net/def/crs/EPSG/0/7837"
            ),
            said("EPSG:25832+7837", true)
        );
        assert_eq!(of("http://www.opengis.net/gml/srs/epsg.xml#4326"), said("EPSG:4326", false));
        assert_eq!(of("EPSG:4326"), said("EPSG:4326", false));
        assert_eq!(of("urn:ogc:def:crs:OGC:1.3:CRS84"), said("EPSG:4326", false));
        assert_eq!(of("#local"), None);
        assert_eq!(of("urn:ogc:def:crs:OTHER::1"), None);
        assert_eq!(of(""), None);
    }
}
