//! What every process of a cluster knows: our functions, settings and codecs.

use super::{LogicalCodec, PhysicalCodec};
use crate::setting::Settings;
use ballista_core::extension::SessionConfigExt;
use ballista_core::utils::default_session_builder;
use datafusion::common::Result;
use datafusion::execution::context::SessionContext;
use datafusion::execution::session_state::SessionState;
use datafusion::prelude::SessionConfig;
use std::sync::Arc;

/// A configuration with our settings and codecs.
pub(super) fn config() -> SessionConfig {
    let mut config = SessionConfig::new_with_ballista();
    config.options_mut().optimizer.enable_leaf_expression_pushdown = false;
    config
        // The planner that changes plans while they run leaves out the rules of sessions, and with them the ledger.
        .with_ballista_adaptive_query_planner(false)
        .with_option_extension(Settings::default())
        .with_ballista_logical_extension_codec(Arc::new(LogicalCodec::default()))
        .with_ballista_physical_extension_codec(Arc::new(PhysicalCodec::default()))
}

/// A session with our functions.
pub(super) fn state(config: SessionConfig) -> Result<SessionState> {
    let context = SessionContext::new_with_state(default_session_builder(config)?);
    crate::register(&context)?;
    Ok(context.state())
}
