//! What a column seems to be, from its header and its values.

mod pairs;
mod words;

use pairs::pair_up;
use words::{FILLERS, HEADERS, LATITUDES, LONGITUDES, NOTATIONS};

/// What a column seems to be.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
#[non_exhaustive]
pub enum Role {
    /// Longitude in degrees.
    Longitude,
    /// Latitude in degrees.
    Latitude,
    /// Easting or x of a plane system.
    Easting,
    /// Northing or y of a plane system.
    Northing,
    /// Height or elevation.
    Height,
    /// A whole position in one column.
    Coordinates,
    /// A whole address in one column.
    Address,
    /// House number.
    HouseNumber,
    /// What stands behind the number and belongs to it (A, bis, ½).
    NumberSuffix,
    /// Direction in front of the street's name.
    StreetDirection,
    /// Thoroughfare (street), with or without the number.
    Street,
    /// Type of the thoroughfare (street, rue), in a column of its own.
    StreetType,
    /// Direction behind the street's name.
    StreetDirectionAfter,
    /// Unit, flat, floor.
    Unit,
    /// A second line of the address: a unit, a building, the street itself.
    SecondLine,
    /// Locality: city, town, village.
    Locality,
    /// Region: state, province.
    Region,
    /// Postcode.
    Postcode,
    /// Country.
    Country,
    /// Something that identifies the row.
    Identifier,
    /// A running number that is no coordinate.
    RowCounter,
}

impl Role {
    /// What an address consists of: the whole in one column, or its parts from the house to the country.
    pub const ADDRESS: [Role; 13] = [
        Role::Address,
        Role::HouseNumber,
        Role::NumberSuffix,
        Role::StreetDirection,
        Role::Street,
        Role::StreetType,
        Role::StreetDirectionAfter,
        Role::Unit,
        Role::SecondLine,
        Role::Locality,
        Role::Region,
        Role::Postcode,
        Role::Country,
    ];

    /// The name for reports.
    pub fn name(self) -> &'static str {
        match self {
            Role::Longitude => "longitude",
            Role::Latitude => "latitude",
            Role::Easting => "easting (x)",
            Role::Northing => "northing (y)",
            Role::Height => "height",
            Role::Coordinates => "position in one column",
            Role::Address => "whole address",
            Role::HouseNumber => "house number",
            Role::NumberSuffix => "suffix of the number",
            Role::StreetDirection => "direction before the street",
            Role::StreetType => "type of the street",
            Role::StreetDirectionAfter => "direction behind the street",
            Role::SecondLine => "second line",
            Role::Street => "street",
            Role::Unit => "unit",
            Role::Locality => "locality",
            Role::Region => "region",
            Role::Postcode => "postcode",
            Role::Country => "country",
            Role::Identifier => "identifier",
            Role::RowCounter => "row counter",
        }
    }
}

/// What a header of positions says without the words that say nothing, in letters and digits of lower case: `mgrs` of
/// `MGRS coordinate`.
pub fn core_of(header: &str) -> String {
    let words = header.split(|c: char| !c.is_alphanumeric()).map(plain);
    words.filter(|w| !FILLERS.contains(&w.as_str())).collect()
}

/// Whether a header that names both coordinates (`lat,lon`, `LonLat`, `Breite/Länge`) names latitude first; `None` where it
/// does not name both, and nothing else.
pub fn order_in_header(header: &str) -> Option<bool> {
    let plain = core_of(header);
    let named = |first: &[&str], second: &[&str]| {
        first.iter().any(|f| plain.strip_prefix(f).is_some_and(|rest| second.contains(&rest)))
    };
    match (named(LATITUDES, LONGITUDES), named(LONGITUDES, LATITUDES)) {
        (true, false) => Some(true),
        (false, true) => Some(false),
        _ => None,
    }
}

/// The rest of plane coordinates that are cut to their last digits, where a header says it: `Northing + 5100000`,
/// `N (-5 100 000)`; with what the header says without it. A number below ten thousand, or one that ends in no three zeros,
/// says something else.
///
/// ```
/// use basilocus_table::role::rest_in_header;
/// assert_eq!(rest_in_header("Northing (+5,100,000 m)"), Some(("Northing", 5_100_000.0)));
/// assert_eq!(rest_in_header("E - 400000"), Some(("E", 400_000.0)));
/// assert_eq!(rest_in_header("easting 1958"), None);
/// ```
pub fn rest_in_header(header: &str) -> Option<(&str, f64)> {
    let trimmed = header.trim();
    let (before, after) = trimmed.split_once(['+', '-', '−', '–'])?;
    let name = before.trim_end().trim_end_matches('(').trim_end();
    let number = after.trim().trim_end_matches(')').trim_end().trim_end_matches(['m', 'M']).trim_end();
    let is_number = number.starts_with(|c: char| c.is_ascii_digit())
        && number.chars().all(|c| c.is_ascii_digit() || matches!(c, ' ' | ',' | '.' | '\'' | '\u{a0}' | '\u{202f}'));
    let digits: String = number.chars().filter(char::is_ascii_digit).collect();
    let is_rest = is_number && (5..=8).contains(&digits.len()) && digits.ends_with("000");
    let rest = digits.parse().ok().filter(|_| is_rest && !name.is_empty())?;
    Some((name, rest))
}

/// How sure a header is of which one word tells the role.
const ONE_WORD: usize = 50;

/// Keeps letters and digits, lower case.
fn plain(header: &str) -> String {
    header.chars().filter(|c| c.is_alphanumeric()).flat_map(char::to_lowercase).collect()
}

/// What a whole header, or a word of it, tells in the languages of the table: the role, and how sure it is.
pub type Told<'a> = &'a dyn Fn(&str) -> Option<(Role, usize)>;

/// The role that a header tells, with how well it does: 0 is a sure word, greater is less sure.
///
/// `told` knows the words of languages; what it says of a whole header or of a single word counts like the words that
/// are known here.
pub fn from_header(header: &str, told: Told) -> Option<(Role, usize)> {
    let header = rest_in_header(header).map_or(header, |(name, _)| name);
    let known =
        |word: &str| HEADERS.iter().find_map(|(role, list)| Some((*role, list.iter().position(|w| *w == word)?)));
    if order_in_header(header).is_some() {
        return Some((Role::Coordinates, 0));
    }
    if let Some(found) = known(&plain(header)).or_else(|| told(header)) {
        return Some(found);
    }
    if [plain(header), core_of(header)].iter().any(|name| NOTATIONS.contains(&name.as_str())) {
        return Some((Role::Coordinates, 30));
    }
    // "Site City", "owner_zip", "gps lat": the last word, then the first.
    let words: Vec<&str> = header.split(|c: char| !c.is_alphanumeric()).filter(|w| !w.is_empty()).collect();
    if words.len() < 2 {
        return None;
    }
    let parts = [words.last(), words.first()].into_iter().flatten().filter(|w| w.chars().count() >= 3);
    let roles =
        parts.filter_map(|w| known(&plain(w)).filter(|(role, _)| *role != Role::Identifier).or_else(|| told(w)));
    roles.map(|(role, _)| (role, ONE_WORD)).next()
}

/// Whether numbers count the rows: each is one more than the one before.
fn counts_rows(numbers: &[f64]) -> bool {
    numbers.len() >= 5 && numbers.windows(2).all(|w| w[1] - w[0] == 1.0)
}

/// The roles of columns from headers, corrected by a sample of values (`sample[column]` holds the column's texts).
///
/// A header that promises degrees over values that are far too large for degrees gives a plane coordinate; x and y
/// over values within degrees give longitude and latitude. A header that says nothing gets a role from its
/// values only where they leave no doubt.
pub fn detect(headers: &[&str], sample: &[Vec<&str>], told: Told) -> Vec<Option<Role>> {
    let mut found: Vec<Option<(Role, usize)>> = headers.iter().map(|h| from_header(h, told)).collect();
    pair_up(headers, sample, &mut found);
    // Numbers whose rest stands in the header are none of degrees, small as they are.
    let is_cut: Vec<bool> = headers.iter().map(|h| rest_in_header(h).is_some()).collect();
    for (i, slot) in found.iter_mut().enumerate() {
        let values: Vec<&str> =
            sample.get(i).map(|v| v.iter().map(|t| t.trim()).filter(|t| !t.is_empty()).collect()).unwrap_or_default();
        let numbers: Vec<f64> = values.iter().filter_map(|v| v.parse().ok()).collect();
        let mostly_numbers = !values.is_empty() && numbers.len() * 2 >= values.len();
        // One value that is none, where many are, is for its row to answer for.
        let in_degrees = |limit: f64| {
            let beyond = numbers.iter().filter(|v| v.abs() > limit).count();
            mostly_numbers && beyond * 10 <= numbers.len() && numbers.iter().all(|v| v.abs() <= 1000.0)
        };
        *slot = match *slot {
            Some((Role::Longitude, r))
                if mostly_numbers && !numbers.is_empty() && numbers.iter().all(|v| v.abs() > 360.0) =>
            {
                Some((Role::Easting, r + 10))
            }
            Some((Role::Latitude, r))
                if mostly_numbers && !numbers.is_empty() && numbers.iter().all(|v| v.abs() > 360.0) =>
            {
                Some((Role::Northing, r + 10))
            }
            Some((Role::Easting, r))
                if !numbers.is_empty() && in_degrees(180.0) && plain(headers[i]).contains('x') && !is_cut[i] =>
            {
                Some((Role::Longitude, r + 10))
            }
            Some((Role::Northing, r))
                if !numbers.is_empty() && in_degrees(90.0) && plain(headers[i]).contains('y') && !is_cut[i] =>
            {
                Some((Role::Latitude, r + 10))
            }
            // "No." and "Nr." are often those of the rows.
            Some((Role::HouseNumber, rank)) if rank > 5 && counts_rows(&numbers) => Some((Role::RowCounter, rank)),
            // "number", "no", "street" and "site" are words of many trades: values must look the part.
            Some((Role::HouseNumber, _))
                if values
                    .iter()
                    .filter(|v| v.starts_with(|c: char| c.is_ascii_digit() || "NSEW".contains(c)))
                    .count()
                    * 2
                    < values.len() =>
            {
                None
            }
            // "lat_dir" over letters is the hemisphere of a latitude, not one.
            Some((Role::Latitude | Role::Longitude, rank))
                if rank >= ONE_WORD
                    && !values.is_empty()
                    && !values.iter().any(|v| v.contains(|c: char| c.is_ascii_digit())) =>
            {
                None
            }
            // "location" and "fix" are words of many trades as well; "coordinates" is not.
            Some((Role::Coordinates, _))
                if ["location", "gps", "waypoint", "fix"].contains(&plain(headers[i]).as_str())
                    && !values.is_empty()
                    && values.iter().filter(|v| looks_like_position(v)).count() * 2 < values.len() =>
            {
                None
            }
            None if values.len() >= 3 && values.iter().all(|v| looks_like_position(v)) => Some((Role::Coordinates, 60)),
            other => other,
        };
    }
    // One column a role: the surest header wins, the first among equals.
    let mut roles: Vec<Option<Role>> = vec![None; headers.len()];
    let mut order: Vec<usize> = (0..headers.len()).filter(|i| found[*i].is_some()).collect();
    order.sort_by_key(|i| found[*i].map_or(usize::MAX, |(_, rank)| rank));
    let mut taken = Vec::new();
    for i in order {
        if let Some((role, _)) = found[i]
            && !taken.contains(&role)
        {
            taken.push(role);
            roles[i] = Some(role);
        }
    }
    number_a_street(headers, sample, &mut roles, told);
    // An address column beside a locality is the street line.
    if taken.contains(&Role::Address)
        && !taken.contains(&Role::Street)
        && (taken.contains(&Role::Locality) || taken.contains(&Role::Postcode))
    {
        for r in roles.iter_mut().filter(|r| **r == Some(Role::Address)) {
            *r = Some(Role::Street);
        }
    }
    roles
}

/// Numbers that run on along one street are those of its houses, not those of the rows.
fn number_a_street(headers: &[&str], sample: &[Vec<&str>], roles: &mut [Option<Role>], told: Told) {
    let of = |role: Role| roles.iter().position(|r| *r == Some(role));
    let (None, Some(counter), Some(street)) = (of(Role::HouseNumber), of(Role::RowCounter), of(Role::Street)) else {
        return;
    };
    let Some(streets) = sample.get(street) else { return };
    let says_number = matches!(from_header(headers[counter], told), Some((Role::HouseNumber, _)));
    let pairs = streets.windows(2).filter(|w| !w[0].trim().is_empty());
    let (same, all) = pairs.fold((0, 0), |(same, all), w| (same + usize::from(w[0].trim() == w[1].trim()), all + 1));
    if says_number && same * 2 >= all && all > 0 {
        roles[counter] = Some(Role::HouseNumber);
    }
}

/// Whether a text has the make of a whole position: two numbers with signs, letters or separators of a position.
fn looks_like_position(text: &str) -> bool {
    if is_number_with_comma(text.trim()) {
        return false;
    }
    // A point in well-known text, an empty one among them.
    let head = text.trim_start();
    if head.get(..5).is_some_and(|t| t.eq_ignore_ascii_case("point"))
        && (head.ends_with(')') || head.trim_end().to_ascii_uppercase().ends_with(" EMPTY"))
    {
        return true;
    }
    let digits = text.chars().filter(char::is_ascii_digit).count();
    let letters = text.chars().filter(|c| c.is_alphabetic()).count();
    let groups = text
        .split(|c: char| !(c.is_ascii_digit() || c == '.'))
        .filter(|g| g.bytes().any(|b| b.is_ascii_digit()))
        .count();
    // Dates, telephone numbers and codes have digits in groups as well, but none of these signs.
    let signs = text.contains(['.', '°', 'º', '\'', '′'])
        || text.contains(", ")
        || text.contains(" -")
        || text.to_uppercase().chars().filter(|c| "NSEW".contains(*c)).count() == 2;
    signs && digits >= 4 && groups >= 2 && letters <= digits / 2 && letters <= 8
}

/// Whether a text is one number with a decimal comma, thousands parted by points, blanks or apostrophes: `500.123,45`.
fn is_number_with_comma(text: &str) -> bool {
    let text = text.trim_start_matches(['-', '+', '−']);
    let (whole, decimals) = text.split_once(',').unwrap_or((text, ""));
    let is_figures = |t: &str| t.bytes().all(|b| b.is_ascii_digit());
    let mut groups = whole.split(['.', ' ', '\'', '\u{a0}', '\u{202f}', '’']);
    let first = groups.next().unwrap_or("");
    let mut rest = groups.peekable();
    let is_parted = rest.peek().is_some();
    let in_thousands = first.len() <= 3 && rest.all(|g| g.len() == 3 && is_figures(g));
    !first.is_empty() && is_figures(first) && is_figures(decimals) && (!is_parted || in_thousands) && text.contains(',')
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A few words of one language, as the library gives those of all.
    fn english(header: &str) -> Option<(Role, usize)> {
        let word = plain(header);
        let known = [
            (Role::Postcode, "zipcode"),
            (Role::Postcode, "zip"),
            (Role::HouseNumber, "houseno"),
            (Role::HouseNumber, "no"),
            (Role::Locality, "city"),
            (Role::Address, "address"),
            (Role::Street, "street"),
        ];
        known.iter().position(|(_, w)| *w == word).map(|i| (known[i].0, if word == "no" { 10 } else { 0 }))
    }

    fn roles(headers: &[&str], rows: &[&[&str]]) -> Vec<Option<Role>> {
        let sample: Vec<Vec<&str>> = (0..headers.len()).map(|c| rows.iter().map(|r| r[c]).collect()).collect();
        detect(headers, &sample, &english)
    }

    #[test]
    fn headers_in_many_spellings() {
        for (header, role) in [
            ("Longitude", Role::Longitude),
            ("LAT_DD", Role::Latitude),
            ("Zip Code", Role::Postcode),
            ("House No.", Role::HouseNumber),
            ("site_city", Role::Locality),
            ("X Coord", Role::Easting),
        ] {
            assert_eq!(from_header(header, &english).map(|(r, _)| r), Some(role), "{header}");
        }
        assert_eq!(from_header("remarks", &english), None);
        // A date has groups of digits as a position has.
        assert_eq!(
            roles(
                &["since", "phone"],
                &[&["1962-02-25", "503-555-0101"], &["1973-08-20", "503-555-0102"], &["1992-07-07", "503-555-0103"]]
            ),
            [None, None]
        );
    }

    #[test]
    fn headers_that_name_both_coordinates_or_a_notation() {
        for (header, latitude_first) in [
            ("lat,lon", true),
            ("LatLng", true),
            ("Latitude & Longitude", true),
            ("lat/long (WGS84)", true),
            ("GPS position lon lat", false),
            ("Breite und Länge", true),
        ] {
            assert_eq!(order_in_header(header), Some(latitude_first), "{header}");
            assert_eq!(from_header(header, &english), Some((Role::Coordinates, 0)), "{header}");
        }
        for header in ["lat", "Longitude", "latest", "long", "lat lon lat", "long name", "plateau", "x,y"] {
            assert_eq!(order_in_header(header), None, "{header}");
        }
        for header in ["MGRS", "mgrs coordinate", "UTM-Koordinaten", "Geohash code", "WKT", "Open Location Code"] {
            assert_eq!(from_header(header, &english).map(|(r, _)| r), Some(Role::Coordinates), "{header}");
        }
        for header in ["UTM zone", "utm_e", "wkt_length", "geometry type"] {
            assert_ne!(from_header(header, &english).map(|(r, _)| r), Some(Role::Coordinates), "{header}");
        }
    }

    #[test]
    fn values_correct_headers() {
        assert_eq!(
            roles(&["x", "y"], &[&["-123.8", "46.2"], &["-123.9", "46.1"]]),
            [Some(Role::Longitude), Some(Role::Latitude)]
        );
        assert_eq!(roles(&["x", "y"], &[&["7345678", "812345"]]), [Some(Role::Easting), Some(Role::Northing)]);
        assert_eq!(roles(&["lon", "lat"], &[&["438278", "5116580"]]), [Some(Role::Easting), Some(Role::Northing)]);
        assert_eq!(
            roles(&["location", "gps"], &[&["north gate", "46 12.0N 123 48.0W"]]),
            [None, Some(Role::Coordinates)]
        );
    }

    #[test]
    fn a_number_with_a_decimal_comma_is_no_position() {
        let rows: &[&[&str]] =
            &[&["500.123,45", "5.400.000,10"], &["500.200,00", "5.400.100,5"], &["500 300,1", "5 400 200,25"]];
        assert_eq!(roles(&["a", "b"], rows), [None, None]);
        assert_eq!(roles(&["Rechtswert", "Hochwert"], rows), [Some(Role::Easting), Some(Role::Northing)]);
        // Two numbers are a position all the same.
        let rows: &[&[&str]] = &[&["46.2,-123.8"], &["46.21, -123.81"], &["46,2 -123,8"]];
        assert_eq!(roles(&["a"], rows), [Some(Role::Coordinates)]);
    }

    #[test]
    fn running_numbers_are_no_house_numbers() {
        let rows: Vec<[&str; 2]> = vec![["1", "A"], ["2", "B"], ["3", "C"], ["4", "D"], ["5", "E"]];
        let rows: Vec<&[&str]> = rows.iter().map(|r| &r[..]).collect();
        assert_eq!(roles(&["No.", "City"], &rows), [Some(Role::RowCounter), Some(Role::Locality)]);
        assert_eq!(roles(&["House No", "City"], &rows), [Some(Role::HouseNumber), Some(Role::Locality)], "it says so");
        // Along a street they are.
        let of_streets = |names: [&'static str; 5]| {
            let rows: Vec<[&str; 2]> = ["1", "2", "3", "4", "5"].into_iter().zip(names).map(|(n, s)| [n, s]).collect();
            roles(&["No.", "Street"], &rows.iter().map(|r| &r[..]).collect::<Vec<_>>())[0]
        };
        assert_eq!(of_streets(["Heron Ln"; 5]), Some(Role::HouseNumber));
        assert_eq!(of_streets(["A St", "B St", "C St", "D St", "E St"]), Some(Role::RowCounter), "a list of streets");
        assert_eq!(
            roles(&["No.", "City"], &[&["7", "A"], &["12a", "B"]]),
            [Some(Role::HouseNumber), Some(Role::Locality)]
        );
    }

    #[test]
    fn an_address_beside_a_town_is_the_street_line() {
        assert_eq!(
            roles(&["Owner", "Address", "City"], &[&["A", "12 Heron Ln", "Ternport"]]),
            [None, Some(Role::Street), Some(Role::Locality)]
        );
        assert_eq!(roles(&["Owner", "Address"], &[&["A", "12 Heron Ln, Ternport"]]), [None, Some(Role::Address)]);
    }

    #[test]
    fn one_column_a_role() {
        assert_eq!(roles(&["lon", "longitude"], &[&["1", "2"]]), [None, Some(Role::Longitude)]);
    }
}
