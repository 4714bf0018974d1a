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
}

/// What is beside the features.
#[derive(Default)]
pub(super) struct Collection {
    pub kind: String,
    pub crs: Option<Value>,
    pub saw_features: bool,
    pub stopped: bool,
    lone: Feature,
}

struct Root<'a> {
    sink: &'a mut dyn FnMut(Feature) -> bool,
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
                    found.stopped = !map.next_value_seed(Features { sink: self.sink })?;
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
}

impl<'de> DeserializeSeed<'de> for Features<'_> {
    type Value = bool;
    fn deserialize<D: Deserializer<'de>>(self, d: D) -> Result<bool, D::Error> {
        d.deserialize_seq(self)
    }
}

impl<'de> Visitor<'de> for Features<'_> {
    type Value = bool;

    fn expecting(&self, f: &mut fmt::Formatter) -> fmt::Result {
        f.write_str("an array of features")
    }

    fn visit_seq<A: SeqAccess<'de>>(self, mut seq: A) -> Result<bool, A::Error> {
        let mut wanted = true;
        while let Some(feature) = seq.next_element::<Feature>()? {
            wanted = wanted && (self.sink)(feature);
        }
        Ok(wanted)
    }
}

/// Gives every feature to `sink`; what `sink` no longer wants is still checked.
pub(super) fn each_feature(
    input: impl std::io::Read,
    sink: &mut dyn FnMut(Feature) -> bool,
) -> Result<Collection, serde_json::Error> {
    let mut deserializer = serde_json::Deserializer::from_reader(input);
    let found = Root { sink }.deserialize(&mut deserializer)?;
    deserializer.end()?;
    Ok(found)
}
