//! Values that go by a name, where none has the name that was given.

/// A name that none of a list has.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("\"{given}\" is no {kind}; one of {} is expected", .known.join(", "))]
pub struct UnknownName {
    /// What was given.
    pub given: String,
    /// What it should name.
    pub kind: &'static str,
    /// The names that there are.
    pub known: Vec<&'static str>,
}

/// Finds a value by its name, as it stands in a list.
pub(crate) fn find<T: Copy>(list: &[(T, &'static str)], kind: &'static str, given: &str) -> Result<T, UnknownName> {
    list.iter().find(|(_, name)| *name == given).map(|(value, _)| *value).ok_or_else(|| UnknownName {
        given: given.to_string(),
        kind,
        known: list.iter().map(|(_, name)| *name).collect(),
    })
}
