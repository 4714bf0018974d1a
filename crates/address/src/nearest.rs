//! The other direction: the address nearest to a position, and the areas that contain it.

use crate::matching::{Level, street_text, tail};
use crate::reference::{Near, Reference};

/// The nearest address to a position.
#[derive(Debug, Clone, PartialEq)]
pub struct Nearest {
    /// The address in standard form.
    pub address: String,
    /// Whether it is an address point or a number along a street.
    pub level: Level,
    /// Metres from the position.
    pub distance_m: f64,
    /// The side of the street that the position is on, seen along its line; none at an address point.
    pub side: Option<Side>,
    /// Longitude of the nearest point, degrees.
    pub lon: f64,
    /// Latitude of the nearest point, degrees.
    pub lat: f64,
    /// Locality.
    pub locality: String,
    /// Region.
    pub region: String,
    /// Postcode.
    pub postcode: String,
}

/// A side of a street, seen along its line.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Side {
    /// Left.
    Left,
    /// Right.
    Right,
}

impl Side {
    /// The word for it.
    pub fn name(self) -> &'static str {
        match self {
            Side::Left => "left",
            Side::Right => "right",
        }
    }
}

/// Metres between two positions (longitude, latitude) that are near each other: a plane that touches the sphere at
/// the first one, good to a part in a thousand within some ten kilometres.
pub fn metres(a: (f64, f64), b: (f64, f64)) -> f64 {
    let mut dx = (a.0 - b.0).abs();
    if dx > 180.0 {
        dx = 360.0 - dx;
    }
    (dx * a.1.to_radians().cos()).hypot(a.1 - b.1) * METRES_A_DEGREE
}

const METRES_A_DEGREE: f64 = 111_195.0;

/// Whether an edge crosses the ray from a position to the east: one end is above its height, the other is not. A
/// position is inside of rings whose edges cross its ray an odd number of times; on a boundary it is on one side of it.
pub(crate) fn ray_crosses((x, y): (f64, f64), a: (f64, f64), b: (f64, f64)) -> bool {
    (a.1 > y) != (b.1 > y) && x < a.0 + (y - a.1) / (b.1 - a.1) * (b.0 - a.0)
}

/// Distance in metres from a position to a line, its nearest point, and how far along the line that is (0 to 1).
pub(crate) fn nearest_on_line(lon: f64, lat: f64, line: &[(f64, f64)]) -> (f64, (f64, f64), f64) {
    let shrink = lat.to_radians().cos();
    let flat = |p: &(f64, f64)| ((p.0 - lon) * shrink * METRES_A_DEGREE, (p.1 - lat) * METRES_A_DEGREE);
    let plane: Vec<(f64, f64)> = line.iter().map(flat).collect();
    let mut best = (f64::MAX, (lon, lat), 0.0);
    let (mut before, mut at) = (0.0, 0.0);
    for w in plane.windows(2) {
        let (dx, dy) = (w[1].0 - w[0].0, w[1].1 - w[0].1);
        let length = dx.hypot(dy);
        let t = if length > 0.0 { (-(w[0].0 * dx + w[0].1 * dy) / (length * length)).clamp(0.0, 1.0) } else { 0.0 };
        let (x, y) = (w[0].0 + t * dx, w[0].1 + t * dy);
        let d = x.hypot(y);
        if d < best.0 {
            best = (d, (lon + x / METRES_A_DEGREE / shrink, lat + y / METRES_A_DEGREE), 0.0);
            at = before + t * length;
        }
        before += length;
    }
    if let ([only], true) = (plane.as_slice(), best.0 == f64::MAX) {
        best = (only.0.hypot(only.1), line[0], 0.0);
    }
    (best.0, best.1, if before > 0.0 { at / before } else { 0.0 })
}

/// Distance in metres from a position to a line.
pub(crate) fn distance_to_line(lon: f64, lat: f64, line: &[(f64, f64)]) -> f64 {
    nearest_on_line(lon, lat, line).0
}

/// Which side of a line a position is on, by the stretch that is nearest.
fn side_of(lon: f64, lat: f64, line: &[(f64, f64)]) -> Side {
    let shrink = lat.to_radians().cos();
    let mut best = (f64::MAX, 0.0);
    for w in line.windows(2) {
        let d = distance_to_line(lon, lat, w);
        if d < best.0 {
            let cross = (w[1].0 - w[0].0) * shrink * (lat - w[0].1) - (w[1].1 - w[0].1) * (lon - w[0].0) * shrink;
            best = (d, cross);
        }
    }
    if best.1 >= 0.0 { Side::Left } else { Side::Right }
}

impl Reference {
    /// The address nearest to a position (longitude, latitude in degrees), no farther than `most_m` metres.
    ///
    /// An address point wins over a number along a street where both are equally near; a number along a street is
    /// that of the side on which the position is.
    pub fn nearest(&self, lon: f64, lat: f64, most_m: f64) -> Option<Nearest> {
        const CELL_M: f64 = 0.002 * METRES_A_DEGREE;
        let mut best: Option<(f64, Near)> = None;
        let mut inner = None;
        let mut outer = 1u32;
        loop {
            self.in_rings(lon, lat, inner, outer, &mut |near| {
                let d = match near {
                    Near::Point(id) => {
                        let p = self.point(id);
                        metres((lon, lat), (p.lon, p.lat))
                    }
                    Near::Segment(id) => distance_to_line(lon, lat, &self.line(&self.segment(id))),
                };
                let nearer = best.is_none_or(|(b, n)| (d, near) < (b, n) && (d < b - 1e-9 || near < n));
                if d <= most_m && nearer {
                    best = Some((d, near));
                }
            });
            // What is in a ring is at least so far away: a cell is narrower to the east.
            let reached = f64::from(outer) * CELL_M * lat.to_radians().cos().max(0.01);
            if best.is_some_and(|(d, _)| d <= reached) || reached > most_m {
                break;
            }
            inner = Some(outer);
            outer = (outer * 2).min(outer + 64);
        }
        best.map(|(d, near)| self.as_nearest(lon, lat, d, near))
    }

    fn as_nearest(&self, lon: f64, lat: f64, distance_m: f64, near: Near) -> Nearest {
        let (street, number, level, side, at, postcode) = match near {
            Near::Point(id) => {
                let p = self.point(id);
                let number = self.number_text(p.number, p.suffix);
                (p.street, number, Level::AddressPoint, None, (p.lon, p.lat), p.postcode)
            }
            Near::Segment(id) => {
                let s = self.segment(id);
                let line = self.line(&s);
                let (_, at, along) = nearest_on_line(lon, lat, &line);
                let side = side_of(lon, lat, &line);
                let i = side as usize;
                let number = s.ranges[i].map(|(from, to)| number_along(from, to, along, |n| s.parity_differs(i, n)));
                let level = if number.is_some() { Level::StreetRange } else { Level::Street };
                let text = number.map_or(String::new(), |n| n.to_string());
                (s.street, text, level, Some(side), at, s.postcodes[i])
            }
        };
        let grammar = self.grammar();
        let view = self.street(street);
        let place = self.place(view.place);
        let name = street_text(self, &view);
        let line = match (number.is_empty(), grammar.number) {
            (true, _) => name,
            (false, _) if !number.contains(|c: char| c.is_ascii_digit()) => format!("{number}, {name}"),
            (false, crate::grammar::NumberPlace::Before) => format!("{number} {name}"),
            (false, crate::grammar::NumberPlace::After) => format!("{name} {number}"),
        };
        let code = postcode.map_or("", |p| self.string(p));
        Nearest {
            address: format!("{line}, {}", tail(self, place.name, place.region, code)),
            level,
            distance_m,
            side,
            lon: at.0,
            lat: at.1,
            locality: place.name.to_string(),
            region: self.as_written(place.region).to_string(),
            postcode: code.to_string(),
        }
    }
}

/// The number at a share of a range, of the parity that the side has.
fn number_along(from: u32, to: u32, share: f64, differs: impl Fn(u32) -> bool) -> u32 {
    let number = (f64::from(from) + share * (f64::from(to) - f64::from(from))).round() as u32;
    if !differs(number) {
        return number;
    }
    let (low, high) = (from.min(to), from.max(to));
    if number < high { number + 1 } else { number.saturating_sub(1).max(low) }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn distances_and_sides() {
        assert!((metres((0.0, 0.0), (0.0, 1.0)) - METRES_A_DEGREE).abs() < 1e-6);
        assert!((metres((179.999, 0.0), (-179.999, 0.0)) - 0.002 * METRES_A_DEGREE).abs() < 1e-6);
        let north = [(10.0, 50.0), (10.0, 50.001), (10.0, 50.002)];
        let (d, at, along) = nearest_on_line(10.001, 50.001, &north);
        assert!((d - 0.001 * 50.001f64.to_radians().cos() * METRES_A_DEGREE).abs() < 1e-6, "{d}");
        assert!((at.0 - 10.0).abs() < 1e-12 && (along - 0.5).abs() < 1e-9);
        assert_eq!(side_of(9.999, 50.001, &north), Side::Left);
        assert_eq!(side_of(10.001, 50.001, &north), Side::Right);
    }

    #[test]
    fn numbers_along_keep_their_parity() {
        let odd = |n: u32| n.is_multiple_of(2);
        assert_eq!(number_along(101, 199, 0.5, odd) % 2, 1);
        assert_eq!(number_along(101, 199, 0.0, odd), 101);
        assert_eq!(number_along(101, 199, 1.0, odd), 199);
        assert_eq!(number_along(10, 10, 0.3, |_| false), 10);
    }
}
