//! An address that is asked for, and the places that a service answers with.

use serde::{Deserialize, Serialize};

/// An address to ask for; what is not known is empty.
#[derive(Debug, Clone, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(default)]
pub struct Question {
    /// A whole address in one text, where it is not parted.
    pub address: String,
    /// House number.
    pub number: String,
    /// Thoroughfare.
    pub street: String,
    /// Unit, flat or floor.
    pub unit: String,
    /// Locality.
    pub locality: String,
    /// Region.
    pub region: String,
    /// Postcode.
    pub postcode: String,
    /// Country: its ISO 3166 code of two letters, where it is known.
    pub country: String,
}

impl Question {
    /// The address in one line: the whole one, else its parts with commas between.
    pub fn line(&self) -> String {
        if !self.address.is_empty() {
            return self.address.clone();
        }
        let street = joined(&[&self.number, &self.street], " ");
        let place = joined(&[&self.region, &self.postcode], " ");
        joined(&[&street, &self.unit, &self.locality, &place, &self.country], ", ")
    }

    /// Whether it says nothing at all, its country aside.
    pub fn is_empty(&self) -> bool {
        let parts =
            [&self.address, &self.number, &self.street, &self.unit, &self.locality, &self.region, &self.postcode];
        parts.iter().all(|p| p.trim().is_empty())
    }
}

fn joined(parts: &[&str], between: &str) -> String {
    parts.iter().map(|p| p.trim()).filter(|p| !p.is_empty()).collect::<Vec<_>>().join(between)
}

/// Which of two numbers comes first.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum AxisOrder {
    /// Longitude, then latitude.
    LonLat,
    /// Latitude, then longitude.
    LatLon,
}

/// A place that a service answers with.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct Place {
    /// The two numbers in the order in which they came.
    pub position: [f64; 2],
    /// Which of them is the longitude, where the service or its protocol says it.
    pub order: Option<AxisOrder>,
    /// EPSG code of the system, where the service says one; WGS 84 where it does not.
    pub system: Option<u32>,
    /// The address in one text, where it is not parted.
    pub address: String,
    /// House number.
    pub number: String,
    /// Thoroughfare.
    pub street: String,
    /// Unit.
    pub unit: String,
    /// Locality.
    pub locality: String,
    /// Region.
    pub region: String,
    /// Postcode.
    pub postcode: String,
    /// Country.
    pub country: String,
    /// How precisely the service says it is placed, in its words.
    pub level: String,
    /// The service's score as it came; what it means is the service's affair.
    pub score: String,
    /// How far the truth may be from it in metres, where the service says so.
    pub accuracy_m: Option<f64>,
}

/// What a service answered to a question: its places, best first; none where it knows none.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct Answer {
    /// The places.
    pub places: Vec<Place>,
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn parts_make_a_line() {
        let parted = Question {
            number: "12".into(),
            street: "Heron Ln".into(),
            locality: "Ternport".into(),
            region: "OR".into(),
            postcode: "97981".into(),
            country: "US".into(),
            ..Default::default()
        };
        assert_eq!(parted.line(), "12 Heron Ln, Ternport, OR 97981, US");
        let whole = Question { address: "12 Heron Ln, Ternport".into(), country: "US".into(), ..Default::default() };
        assert_eq!(whole.line(), "12 Heron Ln, Ternport");
        assert!(Question { country: "US".into(), ..Default::default() }.is_empty() && !whole.is_empty());
    }
}
