//! The rows that a reference is built from.

use crate::normal;

/// One row of a source.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub enum Entry {
    /// A building or entrance.
    Point(PointEntry),
    /// A stretch of a thoroughfare with number ranges.
    Segment(SegmentEntry),
    /// A postcode's middle.
    Postcode(PostcodeEntry),
    /// A locality or another place.
    Place(PlaceEntry),
    /// A polygon whose attributes become extras.
    Area(AreaEntry),
}

/// An address point.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct PointEntry {
    /// House number with suffix.
    pub number: String,
    /// Thoroughfare with directions and type.
    pub street: String,
    /// Unit, flat or floor in the building; empty for the building itself.
    pub unit: String,
    /// Locality.
    pub locality: String,
    /// Region.
    pub region: String,
    /// Postcode, with or without extension.
    pub postcode: String,
    /// Longitude, degrees.
    pub lon: f64,
    /// Latitude, degrees.
    pub lat: f64,
    /// How far the building may be from it, metres; not said is taken for 30.
    pub accuracy_m: Option<f64>,
}

/// Which numbers are on a side of a street.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Parity {
    /// Not said: both ends odd or both even tell it.
    #[default]
    ByEnds,
    /// Odd numbers.
    Odd,
    /// Even numbers.
    Even,
    /// All numbers.
    Both,
}

impl Parity {
    /// What a cell says: `O`, `odd`, `E`, `even`, `B`, `both`, `all`, `mixed`.
    pub fn from_words(text: &str) -> Self {
        match normal::words(text).as_str() {
            "O" | "ODD" => Parity::Odd,
            "E" | "EVEN" => Parity::Even,
            "B" | "BOTH" | "M" | "MIXED" | "ALL" | "A" => Parity::Both,
            _ => Parity::ByEnds,
        }
    }
}

/// A street segment. "Left" and "right" are seen along its line.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct SegmentEntry {
    /// Thoroughfare with directions and type.
    pub street: String,
    /// First and last number on the left.
    pub left: Option<(u32, u32)>,
    /// First and last number on the right.
    pub right: Option<(u32, u32)>,
    /// Which numbers are on the left and on the right.
    pub parity: [Parity; 2],
    /// Localities on the left and on the right.
    pub locality: [String; 2],
    /// Region.
    pub region: String,
    /// Postcodes on the left and on the right.
    pub postcode: [String; 2],
    /// Longitudes and latitudes of the line, degrees.
    pub line: Vec<(f64, f64)>,
}

/// A postcode.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct PostcodeEntry {
    /// The postcode.
    pub postcode: String,
    /// Its locality; may be empty.
    pub locality: String,
    /// Its region.
    pub region: String,
    /// Longitude, degrees.
    pub lon: f64,
    /// Latitude, degrees.
    pub lat: f64,
    /// How far what has it is from there, metres; not said is found from what belongs to it.
    pub radius_m: Option<f64>,
}

/// What kind of place it is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Default)]
#[non_exhaustive]
pub enum PlaceKind {
    /// A city, town, village.
    #[default]
    Locality,
    /// A part of a locality.
    Neighbourhood,
    /// A county or district.
    District,
    /// A state or province.
    Region,
    /// A building, park, station and the like.
    Landmark,
}

impl PlaceKind {
    /// All kinds with the word for them.
    pub const ALL: [(PlaceKind, &'static str); 5] = [
        (PlaceKind::Locality, "locality"),
        (PlaceKind::Neighbourhood, "neighbourhood"),
        (PlaceKind::District, "district"),
        (PlaceKind::Region, "region"),
        (PlaceKind::Landmark, "landmark"),
    ];

    /// The kind that words tell; what is not known is a landmark, nothing a locality.
    pub fn from_words(text: &str) -> Self {
        match normal::words(text).as_str() {
            "" | "LOCALITY" | "CITY" | "TOWN" | "VILLAGE" | "HAMLET" | "MUNICIPALITY" | "POPULATED PLACE" | "PLACE"
            | "COMMUNITY" | "POST TOWN" => PlaceKind::Locality,
            "NEIGHBOURHOOD" | "NEIGHBORHOOD" | "SUBURB" | "QUARTER" | "SUBDIVISION" => PlaceKind::Neighbourhood,
            "COUNTY" | "DISTRICT" | "PARISH" | "DEPARTMENT" => PlaceKind::District,
            "REGION" | "STATE" | "PROVINCE" | "LAND" => PlaceKind::Region,
            _ => PlaceKind::Landmark,
        }
    }

    pub(super) fn from_code(code: u32) -> Self {
        PlaceKind::ALL.get(code as usize).map_or(PlaceKind::Landmark, |(k, _)| *k)
    }

    /// The word for it.
    pub fn name(self) -> &'static str {
        PlaceKind::ALL[self as usize].1
    }
}

/// A locality or another place.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct PlaceEntry {
    /// Name.
    pub name: String,
    /// Other names.
    pub other_names: Vec<String>,
    /// What it is.
    pub kind: PlaceKind,
    /// The locality that a neighbourhood or landmark is in.
    pub locality: String,
    /// Region.
    pub region: String,
    /// What it lies in (county, district).
    pub parent: String,
    /// Longitude, degrees.
    pub lon: f64,
    /// Latitude, degrees.
    pub lat: f64,
    /// How far what belongs to it is from there, metres; not said is found from what does.
    pub radius_m: Option<f64>,
}

/// A polygon with attributes.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct AreaEntry {
    /// Names and values; empty values are left out.
    pub attributes: Vec<(String, String)>,
    /// Closed rings of longitudes and latitudes in degrees; a position is inside where an odd number of them is
    /// around it.
    pub rings: Vec<Vec<(f64, f64)>>,
}
