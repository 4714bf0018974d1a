//! All of it in a session.

use crate::functions;
use crate::layers::ReadLayer;
use crate::output::LayerFormats;
use crate::setting::Settings;
use datafusion::error::Result;
use datafusion::prelude::SessionContext;
use std::sync::Arc;

/// Adds all functions and settings to a session.
///
/// # Errors
/// None that is known; the engine may refuse a function.
pub fn register(context: &SessionContext) -> Result<()> {
    let state = context.state_ref();
    {
        let mut state = state.write();
        let options = state.config_mut().options_mut();
        if options.extensions.get::<Settings>().is_none() {
            options.extensions.insert(Settings::default());
        }
    }
    {
        let mut state = state.write();
        for format in LayerFormats::all() {
            state.register_file_format(Arc::new(format), true)?;
        }
    }
    functions::all().into_iter().for_each(|f| context.register_udf(f));
    context.register_udtf(ReadLayer::NAME, Arc::new(ReadLayer));
    Ok(())
}
