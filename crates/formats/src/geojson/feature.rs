//! A feature as it stands in the file: what is in it is borrowed from its text where that can be.

use super::geometry::Coordinates;
use serde::Deserialize;
use serde::de::{Deserializer, MapAccess, Visitor};
use serde_json::Value;
use std::borrow::Cow;
use std::fmt;

/// A feature.
#[derive(Deserialize, Default)]
pub(super) struct Feature<'a> {
    #[serde(default, borrow, rename = "type")]
    pub kind: Option<Cow<'a, str>>,
    #[serde(default, borrow)]
    pub id: Option<Scalar<'a>>,
    #[serde(default, borrow)]
    pub geometry: Option<GeometryObject<'a>>,
    #[serde(default, borrow)]
    pub properties: Option<Properties<'a>>,
}

/// A geometry object.
#[derive(Deserialize, Debug, Clone, PartialEq)]
pub(super) struct GeometryObject<'a> {
    #[serde(default, borrow, rename = "type")]
    pub kind: Cow<'a, str>,
    #[serde(default)]
    pub coordinates: Coordinates,
    #[serde(default, borrow)]
    pub geometries: Option<Vec<GeometryObject<'a>>>,
}

/// A value of a property.
#[derive(Debug, Clone, PartialEq)]
pub(super) enum Scalar<'a> {
    Null,
    Boolean(bool),
    Integer(i64),
    Real(f64),
    Text(Cow<'a, str>),
    /// An array or object, which is kept as its text.
    Other(Value),
}

impl Scalar<'_> {
    pub(super) fn text(&self) -> Option<Cow<'_, str>> {
        match self {
            Scalar::Null => None,
            Scalar::Boolean(b) => Some(b.to_string().into()),
            Scalar::Integer(i) => Some(i.to_string().into()),
            // As serde_json writes it: a whole number keeps its point.
            Scalar::Real(f) => Some(Value::from(*f).to_string().into()),
            Scalar::Text(t) => Some(Cow::Borrowed(t)),
            Scalar::Other(v) => Some(v.to_string().into()),
        }
    }
}

impl<'de: 'a, 'a> Deserialize<'de> for Scalar<'a> {
    fn deserialize<D: Deserializer<'de>>(d: D) -> Result<Self, D::Error> {
        struct V;
        impl<'de> Visitor<'de> for V {
            type Value = Scalar<'de>;
            fn expecting(&self, f: &mut fmt::Formatter) -> fmt::Result {
                f.write_str("a value")
            }
            fn visit_unit<E>(self) -> Result<Self::Value, E> {
                Ok(Scalar::Null)
            }
            fn visit_bool<E>(self, v: bool) -> Result<Self::Value, E> {
                Ok(Scalar::Boolean(v))
            }
            fn visit_i64<E>(self, v: i64) -> Result<Self::Value, E> {
                Ok(Scalar::Integer(v))
            }
            fn visit_u64<E>(self, v: u64) -> Result<Self::Value, E> {
                Ok(i64::try_from(v).map_or(Scalar::Real(v as f64), Scalar::Integer))
            }
            fn visit_f64<E>(self, v: f64) -> Result<Self::Value, E> {
                Ok(Scalar::Real(v))
            }
            fn visit_borrowed_str<E>(self, v: &'de str) -> Result<Self::Value, E> {
                Ok(Scalar::Text(Cow::Borrowed(v)))
            }
            fn visit_str<E>(self, v: &str) -> Result<Self::Value, E> {
                Ok(Scalar::Text(Cow::Owned(v.to_string())))
            }
            fn visit_seq<A: serde::de::SeqAccess<'de>>(self, seq: A) -> Result<Self::Value, A::Error> {
                Value::deserialize(serde::de::value::SeqAccessDeserializer::new(seq)).map(Scalar::Other)
            }
            fn visit_map<A: MapAccess<'de>>(self, map: A) -> Result<Self::Value, A::Error> {
                Value::deserialize(serde::de::value::MapAccessDeserializer::new(map)).map(Scalar::Other)
            }
        }
        d.deserialize_any(V)
    }
}

/// Properties in the order in which they stand; of a name that is there twice the last counts.
#[derive(Default)]
pub(super) struct Properties<'a> {
    pub list: Vec<(Cow<'a, str>, Scalar<'a>)>,
    /// Names that stood in objects.
    pub nested: Vec<String>,
}

impl<'a> Properties<'a> {
    /// Adds a property; what is in an object becomes properties of their own, named by the way there (`owner.name`).
    fn put(&mut self, name: Cow<'a, str>, value: Scalar<'a>) {
        if let Scalar::Other(Value::Object(members)) = value {
            // An empty one has nothing that could be a column, so it stays as it is written.
            if members.is_empty() {
                return self.put(name, Scalar::Text(Cow::Borrowed("{}")));
            }
            for (inner, value) in members {
                let path = format!("{name}{NESTED}{inner}");
                self.nested.push(path.clone());
                self.put(Cow::Owned(path), Scalar::from(value));
            }
            return;
        }
        match self.list.iter_mut().find(|(n, _)| *n == name) {
            Some((_, there)) => *there = value,
            None => self.list.push((name, value)),
        }
    }

    /// The value of a name, which is likely at a place.
    pub(super) fn get(&self, name: &str, likely: usize) -> Option<&Scalar<'a>> {
        match self.list.get(likely) {
            Some((n, v)) if n == name => Some(v),
            _ => self.list.iter().rev().find(|(n, _)| n == name).map(|(_, v)| v),
        }
    }
}

/// What stands between the names of an object and of what is in it.
pub(super) const NESTED: char = '.';

impl From<Value> for Scalar<'static> {
    fn from(value: Value) -> Self {
        match value {
            Value::Null => Scalar::Null,
            Value::Bool(b) => Scalar::Boolean(b),
            Value::Number(n) => {
                n.as_i64().map_or_else(|| Scalar::Real(n.as_f64().unwrap_or(f64::NAN)), Scalar::Integer)
            }
            Value::String(t) => Scalar::Text(Cow::Owned(t)),
            other => Scalar::Other(other),
        }
    }
}

impl<'de: 'a, 'a> Deserialize<'de> for Properties<'a> {
    fn deserialize<D: Deserializer<'de>>(d: D) -> Result<Self, D::Error> {
        struct Key<'a>(Cow<'a, str>);
        impl<'de: 'a, 'a> Deserialize<'de> for Key<'a> {
            fn deserialize<D: Deserializer<'de>>(d: D) -> Result<Self, D::Error> {
                struct K;
                impl<'de> Visitor<'de> for K {
                    type Value = Key<'de>;
                    fn expecting(&self, f: &mut fmt::Formatter) -> fmt::Result {
                        f.write_str("a name")
                    }
                    fn visit_borrowed_str<E>(self, v: &'de str) -> Result<Self::Value, E> {
                        Ok(Key(Cow::Borrowed(v)))
                    }
                    fn visit_str<E>(self, v: &str) -> Result<Self::Value, E> {
                        Ok(Key(Cow::Owned(v.to_string())))
                    }
                }
                d.deserialize_str(K)
            }
        }
        struct V;
        impl<'de> Visitor<'de> for V {
            type Value = Properties<'de>;
            fn expecting(&self, f: &mut fmt::Formatter) -> fmt::Result {
                f.write_str("an object of properties")
            }
            fn visit_map<A: MapAccess<'de>>(self, mut map: A) -> Result<Self::Value, A::Error> {
                let mut found = Properties { list: Vec::with_capacity(8), nested: Vec::new() };
                while let Some((Key(name), value)) = map.next_entry::<Key, Scalar>()? {
                    found.put(name, value);
                }
                Ok(found)
            }
        }
        d.deserialize_map(V)
    }
}
