//! One file a command.

pub(crate) mod answer;
pub(crate) mod executor;
pub(crate) mod query;
pub(crate) mod scheduler;
pub(crate) mod submit;

/// An error in the words that matter: the engine tells on the way through which of its parts it came, which is of no use to who
/// asked.
pub(crate) fn words(e: &anyhow::Error) -> String {
    let text = e.to_string();
    let ours = text.rsplit_once("External error: ").map_or(text.as_str(), |(_, ours)| ours);
    ours.trim().to_string()
}
