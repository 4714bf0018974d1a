//! Reads the features of a collection one after another, without holding the collection.

use serde::de::{DeserializeSeed, Deserializer, IgnoredAny, MapAccess, SeqAccess, Visitor};
use serde_json::{Map, Value};
use std::fmt;

/// A feature as it stands in the file.
#[derive(serde::Deserialize, Default)]
pub(super) struct Feature {
    #[serde(default)]
    pub id: Option<Value>,
    #[serde(default)]
    pub geometry: Option<Value>,
    #[serde(default)]
    pub properties: Option<Map<String, Value>>,
    /// Why a line of a sequence is no feature.
    #[serde(skip)]
    pub broken: Option<String>,
}

/// What is beside the features.
#[derive(Default)]
pub(super) struct Collection {
    pub kind: String,
    pub crs: Option<Value>,
    pub saw_features: bool,
    lone: Feature,
}

struct Root<'a> {
    sink: &'a mut dyn FnMut(Feature) -> bool,
    stopped: &'a mut bool,
}

impl<'de> DeserializeSeed<'de> for Root<'_> {
    type Value = Collection;
    fn deserialize<D: Deserializer<'de>>(self, d: D) -> Result<Collection, D::Error> {
        d.deserialize_map(self)
    }
}

impl<'de> Visitor<'de> for Root<'_> {
    type Value = Collection;

    fn expecting(&self, f: &mut fmt::Formatter) -> fmt::Result {
        f.write_str("a GeoJSON object")
    }

    fn visit_map<A: MapAccess<'de>>(self, mut map: A) -> Result<Collection, A::Error> {
        let mut found = Collection::default();
        while let Some(key) = map.next_key::<String>()? {
            match key.as_str() {
                "type" => found.kind = map.next_value()?,
                "crs" => found.crs = Some(map.next_value()?),
                "features" => {
                    found.saw_features = true;
                    map.next_value_seed(Features { sink: self.sink, stopped: self.stopped })?;
                }
                "geometry" => found.lone.geometry = map.next_value()?,
                "properties" => found.lone.properties = map.next_value()?,
                "id" => found.lone.id = map.next_value()?,
                _ => {
                    map.next_value::<IgnoredAny>()?;
                }
            }
        }
        if found.kind == "Feature" {
            found.saw_features = true;
            (self.sink)(std::mem::take(&mut found.lone));
        }
        Ok(found)
    }
}

struct Features<'a> {
    sink: &'a mut dyn FnMut(Feature) -> bool,
    stopped: &'a mut bool,
}

impl<'de> DeserializeSeed<'de> for Features<'_> {
    type Value = ();
    fn deserialize<D: Deserializer<'de>>(self, d: D) -> Result<(), D::Error> {
        d.deserialize_seq(self)
    }
}

impl<'de> Visitor<'de> for Features<'_> {
    type Value = ();

    fn expecting(&self, f: &mut fmt::Formatter) -> fmt::Result {
        f.write_str("an array of features")
    }

    fn visit_seq<A: SeqAccess<'de>>(self, mut seq: A) -> Result<(), A::Error> {
        while let Some(feature) = seq.next_element::<Feature>()? {
            if !(self.sink)(feature) {
                // The parser has no other way to be left in the middle of a file.
                *self.stopped = true;
                return Err(serde::de::Error::custom("no more features are wanted"));
            }
        }
        Ok(())
    }
}

/// Longest line of a sequence, in bytes.
const LONGEST_LINE: u64 = 256 << 20;

/// Gives every feature of newline-delimited GeoJSON (RFC 8142, with its record separators or without) to `sink`. A line
/// that is no feature is given with the reason.
pub(super) fn each_line(
    mut input: impl std::io::BufRead,
    sink: &mut dyn FnMut(Feature) -> bool,
) -> std::io::Result<Collection> {
    #[derive(serde::Deserialize)]
    struct Line {
        #[serde(default, rename = "type")]
        kind: String,
        #[serde(flatten)]
        feature: Feature,
    }
    let mut line = Vec::new();
    loop {
        line.clear();
        let n = std::io::BufRead::read_until(&mut std::io::Read::take(&mut input, LONGEST_LINE), b'\n', &mut line)?;
        if n == 0 {
            return Ok(Collection { saw_features: true, ..Collection::default() });
        }
        let text = line.strip_prefix(b"\x1E").unwrap_or(&line).trim_ascii();
        if text.is_empty() {
            continue;
        }
        let broken = |problem: String| Feature { broken: Some(problem), ..Feature::default() };
        let feature = match serde_json::from_slice::<Line>(text) {
            Ok(l) if l.kind == "Feature" => l.feature,
            Ok(l) => broken(format!("the line is JSON of type \"{}\"; a Feature is expected", l.kind)),
            Err(e) => broken(format!("the line is not valid JSON: {e}")),
        };
        if !sink(feature) {
            return Ok(Collection { saw_features: true, ..Collection::default() });
        }
    }
}

/// Gives every feature to `sink` until it says that it has enough; what follows then is not read.
pub(super) fn each_feature(
    input: impl std::io::Read,
    sink: &mut dyn FnMut(Feature) -> bool,
) -> Result<Collection, serde_json::Error> {
    let mut deserializer = serde_json::Deserializer::from_reader(input);
    let mut stopped = false;
    match (Root { sink, stopped: &mut stopped }).deserialize(&mut deserializer) {
        Ok(found) => {
            deserializer.end()?;
            Ok(found)
        }
        Err(_) if stopped => Ok(Collection { saw_features: true, ..Collection::default() }),
        Err(e) => Err(e),
    }
}
