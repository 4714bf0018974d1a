//! What methods and parameters are called in the two versions of well-known text.

use crate::projection::{Parameter, Parameters, is_same_name, plain};

/// How a method's parameters are named in version 2.
#[derive(Debug, Clone, Copy, PartialEq)]
enum Family {
    NaturalOrigin,
    FalseOrigin,
    Centre,
    CentreWithItsEasting,
    StandardParallel,
    StandardParallelWithFalseOrigin,
    Krovak,
}
use Family::{Centre, CentreWithItsEasting, FalseOrigin, NaturalOrigin, StandardParallel};

/// Name in version 1, name in version 2, names of its parameters there.
const METHODS: &[(&str, &str, Family)] = &[
    ("Transverse_Mercator", "Transverse Mercator", NaturalOrigin),
    ("Transverse_Mercator_South_Orientated", "Transverse Mercator (South Orientated)", NaturalOrigin),
    ("Transverse_Mercator_Zoned_Grid_System", "Transverse Mercator Zoned Grid System", NaturalOrigin),
    ("Lambert_Conformal_Conic_1SP", "Lambert Conic Conformal (1SP)", NaturalOrigin),
    ("Lambert_Conformal_Conic_2SP", "Lambert Conic Conformal (2SP)", FalseOrigin),
    ("Lambert_Conformal_Conic_2SP_Belgium", "Lambert Conic Conformal (2SP Belgium)", FalseOrigin),
    ("Lambert_Conformal_Conic_2SP_Michigan", "Lambert Conic Conformal (2SP Michigan)", FalseOrigin),
    ("Lambert_Conic_Conformal_(West_Orientated)", "Lambert Conic Conformal (West Orientated)", NaturalOrigin),
    ("Lambert_Conic_Near-Conformal", "Lambert Conic Near-Conformal", NaturalOrigin),
    ("Mercator_1SP", "Mercator (variant A)", NaturalOrigin),
    ("Mercator_2SP", "Mercator (variant B)", NaturalOrigin),
    ("Popular_Visualisation_Pseudo_Mercator", "Popular Visualisation Pseudo Mercator", NaturalOrigin),
    ("Albers_Conic_Equal_Area", "Albers Equal Area", FalseOrigin),
    ("Lambert_Azimuthal_Equal_Area", "Lambert Azimuthal Equal Area", NaturalOrigin),
    ("Polar_Stereographic", "Polar Stereographic (variant A)", NaturalOrigin),
    ("Polar_Stereographic_(variant_B)", "Polar Stereographic (variant B)", StandardParallel),
    ("Polar_Stereographic_(variant_C)", "Polar Stereographic (variant C)", Family::StandardParallelWithFalseOrigin),
    ("Oblique_Stereographic", "Oblique Stereographic", NaturalOrigin),
    ("Hotine_Oblique_Mercator", "Hotine Oblique Mercator (variant A)", Centre),
    ("Hotine_Oblique_Mercator_Azimuth_Center", "Hotine Oblique Mercator (variant B)", CentreWithItsEasting),
    ("Laborde_Oblique_Mercator", "Laborde Oblique Mercator", Centre),
    ("Cassini_Soldner", "Cassini-Soldner", NaturalOrigin),
    ("Hyperbolic_Cassini_Soldner", "Hyperbolic Cassini-Soldner", NaturalOrigin),
    ("Polyconic", "American Polyconic", NaturalOrigin),
    ("Krovak", "Krovak", Family::Krovak),
    ("Krovak_(North_Orientated)", "Krovak (North Orientated)", Family::Krovak),
    ("Krovak_Modified", "Krovak Modified", Family::Krovak),
    ("Krovak_Modified_(North_Orientated)", "Krovak Modified (North Orientated)", Family::Krovak),
    ("New_Zealand_Map_Grid", "New Zealand Map Grid", NaturalOrigin),
    ("Cylindrical_Equal_Area", "Lambert Cylindrical Equal Area", NaturalOrigin),
    ("Equirectangular", "Equidistant Cylindrical", NaturalOrigin),
    ("Equidistant_Conic", "Equidistant Conic", FalseOrigin),
    ("Azimuthal_Equidistant", "Azimuthal Equidistant", NaturalOrigin),
    ("Bonne", "Bonne", NaturalOrigin),
    ("Bonne_(South_Orientated)", "Bonne (South Orientated)", NaturalOrigin),
];

fn entry(method: &str) -> Option<&'static (&'static str, &'static str, Family)> {
    METHODS.iter().find(|(one, two, _)| is_same_name(one, method) || is_same_name(two, method))
}

/// The name of a method in version 1.
pub fn wkt1_method(method: &str) -> String {
    entry(method).map_or_else(|| method.replace(' ', "_"), |(one, _, _)| one.to_string())
}

/// The name of a method in version 2. Polar stereographic has one name in version 1 and two here, which its latitude
/// tells apart.
pub fn wkt2_method(method: &str, parameters: &Parameters) -> String {
    match entry(method) {
        Some(("Polar_Stereographic", _, _)) if is_variant_b(parameters) => "Polar Stereographic (variant B)".into(),
        Some((_, two, _)) => two.to_string(),
        None => method.replace('_', " "),
    }
}

fn is_variant_b(parameters: &Parameters) -> bool {
    parameters.value(Parameter::LatitudeOfOrigin).is_some_and(|v| (v.abs() - 90.0).abs() > 1e-9)
}

/// Directions of the axes of a projected system, in the order of this library's coordinates, where its method and not
/// the registry's file says them.
pub fn axes_of_method(method: &str) -> [&'static str; 2] {
    let plain = plain(method);
    if plain.contains("southorientated") || plain.contains("krovak") && !plain.contains("north") {
        ["west", "south"]
    } else if plain.contains("westorientated") {
        ["west", "north"]
    } else {
        ["east", "north"]
    }
}

/// The name of a parameter in version 1; a name that is one already stays.
pub fn wkt1_parameter(parameter: Parameter, given: &str) -> &str {
    if given.contains('_') || given == "azimuth" { given } else { parameter.wkt1_name() }
}

/// The name of a parameter of a method in version 2.
pub fn wkt2_parameter(method: &str, parameters: &Parameters, parameter: Parameter) -> &'static str {
    let family = match entry(method) {
        Some(("Polar_Stereographic", _, _)) if is_variant_b(parameters) => StandardParallel,
        Some((_, _, family)) => *family,
        None => NaturalOrigin,
    };
    let [latitude, longitude, easting, northing, scale] = match family {
        NaturalOrigin => [
            "Latitude of natural origin",
            "Longitude of natural origin",
            "False easting",
            "False northing",
            "Scale factor at natural origin",
        ],
        FalseOrigin => [
            "Latitude of false origin",
            "Longitude of false origin",
            "Easting at false origin",
            "Northing at false origin",
            "Scale factor at natural origin",
        ],
        Centre => [
            "Latitude of projection centre",
            "Longitude of projection centre",
            "False easting",
            "False northing",
            "Scale factor at projection centre",
        ],
        CentreWithItsEasting => [
            "Latitude of projection centre",
            "Longitude of projection centre",
            "Easting at projection centre",
            "Northing at projection centre",
            "Scale factor at projection centre",
        ],
        StandardParallel => [
            "Latitude of standard parallel",
            "Longitude of origin",
            "False easting",
            "False northing",
            "Scale factor at natural origin",
        ],
        Family::StandardParallelWithFalseOrigin => [
            "Latitude of standard parallel",
            "Longitude of origin",
            "Easting at false origin",
            "Northing at false origin",
            "Scale factor at natural origin",
        ],
        Family::Krovak => [
            "Latitude of projection centre",
            "Longitude of origin",
            "False easting",
            "False northing",
            "Scale factor on pseudo standard parallel",
        ],
    };
    match parameter {
        Parameter::LatitudeOfOrigin => latitude,
        Parameter::LongitudeOfOrigin => longitude,
        Parameter::FalseEasting => easting,
        Parameter::FalseNorthing => northing,
        Parameter::ScaleFactor => scale,
        Parameter::Azimuth if matches!(family, Centre | CentreWithItsEasting) => "Azimuth at projection centre",
        other => other.name(),
    }
}
