//! Values that a plan writes by their names: read where the plan is read, so that a wrong one is an error with its line.

use serde::{Deserialize, Deserializer, Serializer};
use std::fmt::Display;
use std::str::FromStr;

pub(crate) fn serialize<T: Display, S: Serializer>(value: &Option<T>, serializer: S) -> Result<S::Ok, S::Error> {
    match value {
        Some(v) => serializer.collect_str(v),
        None => serializer.serialize_none(),
    }
}

pub(crate) fn deserialize<'de, T: FromStr<Err: Display>, D: Deserializer<'de>>(from: D) -> Result<Option<T>, D::Error> {
    String::deserialize(from)?.parse().map(Some).map_err(serde::de::Error::custom)
}
