//! One file a command.

pub(crate) mod answer;
pub(crate) mod executor;
pub(crate) mod query;
pub(crate) mod scheduler;
pub(crate) mod submit;

/// An error in the words that matter.
pub(crate) fn words(e: &anyhow::Error) -> String {
    match e.downcast_ref::<datafusion::error::DataFusionError>() {
        Some(e) => basilocus_sql::words(e),
        None => e.to_string(),
    }
}
