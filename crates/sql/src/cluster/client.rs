//! Sends queries to a scheduler.

use super::session;
use ballista::prelude::SessionContextExt;
use datafusion::common::Result;
use datafusion::prelude::SessionContext;

/// A session whose queries a scheduler plans and executors do. Files are those that all of them find under the same path.
///
/// # Errors
/// For an address that is none.
pub async fn connect(host: &str, port: u16) -> Result<SessionContext> {
    let state = session::state(session::config())?;
    let context = SessionContext::remote_with_state(&format!("df://{host}:{port}"), state).await?;
    crate::register(&context)?;
    Ok(context)
}
