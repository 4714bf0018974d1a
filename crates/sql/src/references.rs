//! Address references that queries name: which files they are, and whether they are the ones that the query was planned with.

use crate::Error;
use crate::functions::scalar::Call;
use basilocus::address::Reference;
use basilocus::formats;
use std::collections::HashMap;
use std::path::{Path, PathBuf};
use std::sync::{LazyLock, Mutex, PoisonError};

/// The references of a call: those of its argument, else those of the session. Most have the sum that they had when the query
/// was planned; in what was computed while it was planned they have that of now.
///
/// # Errors
/// [`Error::Call`] where nothing names one, [`Error::Library`] where one cannot be opened.
pub(crate) fn told(call: &Call, at: usize) -> Result<Vec<String>, Error> {
    let said = if call.len() > at { call.literal(at) } else { None };
    let list = list(&with_sums(&said.unwrap_or_else(|| call.settings.reference.clone()))?);
    if list.is_empty() {
        return Err(Error::Call {
            function: call.function.name,
            what: "no address reference is said: name its file as the last argument, or with SET basilocus.reference = 'FILE'"
                .into(),
        });
    }
    Ok(list)
}

/// The references of a text.
pub(crate) fn list(text: &str) -> Vec<String> {
    text.split(';').map(str::trim).filter(|t| !t.is_empty()).map(str::to_string).collect()
}

/// A file and the sum behind it: `town.reference#0123456789abcdef`.
fn parted(told: &str) -> (&str, Option<u64>) {
    match told.rsplit_once('#') {
        Some((path, sum)) if sum.len() == 16 => match u64::from_str_radix(sum, 16) {
            Ok(sum) => (path, Some(sum)),
            Err(_) => (told, None),
        },
        _ => (told, None),
    }
}

/// What was fetched for this process, by its address.
static FETCHED: LazyLock<Mutex<HashMap<String, PathBuf>>> = LazyLock::new(Mutex::default);

/// Where this process keeps what it fetched.
fn folder() -> PathBuf {
    std::env::temp_dir().join(format!("basilocus-references-{}", std::process::id()))
}

/// The file of a path; one on the web (an object store that answers by http or https) is fetched once a process.
fn local(told: &str) -> Result<PathBuf, Error> {
    if !formats::is_address(Path::new(told)) {
        if told.contains("://") {
            let what = format!(
                "{told}: an address begins with http:// or https://; most object stores give such a one for a file (signed, where it is not public)"
            );
            return Err(Error::Call { function: "reference", what });
        }
        return Ok(PathBuf::from(told));
    }
    // Under the lock: whoever asks first fetches it for all.
    let mut fetched = FETCHED.lock().unwrap_or_else(PoisonError::into_inner);
    if let Some(path) = fetched.get(told) {
        return Ok(path.clone());
    }
    let folder = folder().join(fetched.len().to_string());
    let failed = |e: std::io::Error| Error::Call { function: "reference", what: format!("{}: {e}", folder.display()) };
    std::fs::create_dir_all(&folder).map_err(failed)?;
    let (path, _) = formats::fetch(told, &folder).map_err(basilocus::Error::from)?;
    fetched.insert(told.to_string(), path.clone());
    Ok(path)
}

/// Deletes the references that were fetched from the web, at the end of a process.
pub fn forget_fetched() {
    let mut fetched = FETCHED.lock().unwrap_or_else(PoisonError::into_inner);
    if fetched.drain().next().is_some() {
        // Nobody needs it any more, and there is nobody to tell where it stays.
        let _ = std::fs::remove_dir_all(folder());
    }
}

/// The sum of a file: of all countries in it.
fn sum_of(path: &Path) -> Result<u64, Error> {
    let parts = Reference::open_all(path).map_err(basilocus::Error::from)?;
    Ok(parts.iter().fold(0, |sum, part| sum.rotate_left(1) ^ part.fingerprint()))
}

/// The files, after their sums were compared with those that the query was planned with. One whose sum is not told is taken as
/// it is: those of queries have theirs once they are planned.
///
/// # Errors
/// [`Error::OtherReference`], and [`Error::Library`] where one cannot be opened.
pub(crate) fn paths(told: &[String]) -> Result<Vec<PathBuf>, Error> {
    told.iter()
        .map(|text| {
            let (path, planned) = parted(text);
            let file = local(path)?;
            if let Some(planned) = planned {
                let found = sum_of(&file)?;
                if found != planned {
                    return Err(Error::OtherReference { path: path.into(), found, planned });
                }
            }
            Ok(file)
        })
        .collect()
}

/// References parted by `;`, each by its whole path and with the sum that it has here, unless it has one already.
///
/// # Errors
/// [`Error::Library`] where one cannot be opened here.
pub(crate) fn with_sums(told: &str) -> Result<String, Error> {
    let with_sum = |text: String| match parted(&text) {
        (_, Some(_)) => Ok(text),
        (path, None) => {
            let file = local(path)?;
            let sum = sum_of(&file)?;
            let whole = if formats::is_address(Path::new(path)) { None } else { std::path::absolute(&file).ok() };
            Ok(format!("{}#{sum:016x}", whole.map_or(path.into(), |p| p.to_string_lossy().into_owned())))
        }
    };
    Ok(list(told).into_iter().map(with_sum).collect::<Result<Vec<String>, Error>>()?.join(";"))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn sums_are_parted_from_files() {
        assert_eq!(parted("a.reference#00000000000000ff"), ("a.reference", Some(255)));
        assert_eq!(parted("a#b.reference"), ("a#b.reference", None));
        assert_eq!(parted("a.reference#zz000000000000ff"), ("a.reference#zz000000000000ff", None));
        assert_eq!(list(" a ; ;b#1 "), ["a", "b#1"]);
    }
}
