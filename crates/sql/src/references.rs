//! Address references that queries name: which files they are.

use crate::Error;
use crate::functions::scalar::Call;
use std::path::PathBuf;

/// The references of a call: those of its argument, else those of the session.
///
/// # Errors
/// [`Error::Call`] where nothing names one.
pub(crate) fn told(call: &Call, at: usize) -> Result<Vec<String>, Error> {
    let said = if call.len() > at { call.literal(at) } else { None };
    let text = said.unwrap_or_else(|| call.settings.reference.clone());
    let list: Vec<String> = text.split(';').map(str::trim).filter(|t| !t.is_empty()).map(str::to_string).collect();
    if list.is_empty() {
        return Err(Error::Call {
            function: call.function.name,
            what: "no address reference is said: name its file as the last argument, or with SET basilocus.reference = 'FILE'".into(),
        });
    }
    Ok(list)
}

/// Their files.
///
/// # Errors
/// None yet: paths are those of the machine that the call runs on.
pub(crate) fn paths(told: &[String]) -> Result<Vec<PathBuf>, Error> {
    Ok(told.iter().map(PathBuf::from).collect())
}
