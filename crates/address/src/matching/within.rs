//! Areas that results must lie in.

use super::Candidate;
use super::place::Placed;
use crate::nearest::ray_crosses;
use crate::normal;
use crate::reference::Reference;

/// A polygon: rings of longitudes and latitudes in degrees, holes among them.
pub type Polygon = Vec<Vec<(f64, f64)>>;

/// An area that results must lie in: a box, polygons, or names of localities, regions, districts and areas of the
/// reference.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Within {
    /// West, south, east and north in degrees.
    pub bounds: Option<[f64; 4]>,
    /// Polygons, each a list of rings of longitudes and latitudes; empty for none.
    pub polygons: Vec<Polygon>,
    /// Names, of which one must fit; empty for none.
    pub names: Vec<String>,
}

impl Within {
    /// Whether a position is in the box and in a polygon, as far as they are given.
    pub fn contains_position(&self, lon: f64, lat: f64) -> bool {
        let in_box = self.bounds.is_none_or(|[w, s, e, n]| {
            let across = if w <= e { (w..=e).contains(&lon) } else { lon >= w || lon <= e };
            across && (s..=n).contains(&lat)
        });
        in_box && (self.polygons.is_empty() || self.polygons.iter().any(|rings| inside(rings, lon, lat)))
    }

    /// The first of its names that neither a locality, region or district nor an area of a reference has.
    pub fn unknown_name<'a>(&self, references: impl Iterator<Item = &'a Reference> + Clone) -> Option<&str> {
        let is_known = |name: &str, reference: &Reference| {
            let words = normal::words(name);
            let code = reference.grammar().region(&words);
            let is = |text: &str| !text.is_empty() && (normal::words(text) == words || Some(text) == code);
            let mut places = (0..reference.places()).map(|id| reference.place(id));
            places.any(|p| is(p.name) || is(p.region) || is(p.parent)) || reference.has_attribute_value(&words)
        };
        self.names.iter().map(String::as_str).find(|name| !references.clone().any(|r| is_known(name, r)))
    }

    pub(super) fn contains(&self, reference: &Reference, p: &Placed) -> bool {
        self.contains_position(p.lon, p.lat)
            && (self.names.is_empty() || self.names.iter().any(|n| self.is_named(reference, n, p)))
    }

    /// Whether a candidate that was found by its postcode or locality lies in the area.
    pub(super) fn contains_candidate(&self, reference: &Reference, c: &Candidate) -> bool {
        let named = |n: &String| is_named(reference, n, [&c.locality, &c.region, &c.parent, ""], (c.lon, c.lat));
        self.contains_position(c.lon, c.lat) && (self.names.is_empty() || self.names.iter().any(named))
    }

    fn is_named(&self, reference: &Reference, name: &str, p: &Placed) -> bool {
        let place = reference.place(p.place(reference));
        let within = place.within.map(|w| reference.place(w).name).unwrap_or_default();
        is_named(reference, name, [place.name, place.region, place.parent, within], (p.lon, p.lat))
    }
}

/// Whether a name is one of those of a place, or of an area around a position.
fn is_named(reference: &Reference, name: &str, names: [&str; 4], (lon, lat): (f64, f64)) -> bool {
    let words = normal::words(name);
    let code = reference.grammar().region(&words);
    names.iter().any(|n| !n.is_empty() && (normal::words(n) == words || Some(*n) == code))
        || reference.attributes_at(lon, lat).iter().any(|(_, v)| normal::words(v) == words)
}

/// Whether an odd number of rings is around a position.
fn inside(rings: &[Vec<(f64, f64)>], lon: f64, lat: f64) -> bool {
    let mut odd = false;
    for ring in rings {
        let Some(mut before) = ring.last().copied() else { continue };
        for here in ring.iter().copied() {
            odd ^= ray_crosses((lon, lat), before, here);
            before = here;
        }
    }
    odd
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn boxes_and_rings() {
        let square = |a: f64, b: f64| vec![(a, a), (b, a), (b, b), (a, b), (a, a)];
        let w = Within { polygons: vec![vec![square(0.0, 4.0), square(1.0, 2.0)]], ..Default::default() };
        assert!(w.contains_position(3.0, 3.0));
        assert!(!w.contains_position(1.5, 1.5), "in the hole");
        assert!(!w.contains_position(5.0, 3.0));
        let across = Within { bounds: Some([170.0, -10.0, -170.0, 10.0]), ..Default::default() };
        assert!(across.contains_position(179.0, 0.0) && across.contains_position(-175.0, 0.0));
        assert!(!across.contains_position(0.0, 0.0));
    }
}
