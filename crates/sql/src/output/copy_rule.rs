//! What a query that writes was told goes into its format, as options are lost from plans that travel: whether files are replaced,
//! which folder is meant wherever it is planned, and where the parts wait, so that who asked finds them when the query fails.

use super::formats::{LayerFormats, path_of};
use crate::Error;
use datafusion::common::Result;
use datafusion::common::config::ConfigOptions;
use datafusion::common::tree_node::{Transformed, TreeNode, TreeNodeRecursion};
use datafusion::datasource::file_format::{file_type_to_format, format_as_file_type};
use datafusion::logical_expr::LogicalPlan;
use datafusion::logical_expr::dml::CopyTo;
use datafusion::optimizer::AnalyzerRule;
use std::collections::HashMap;
use std::path::PathBuf;
use std::sync::Arc;

/// The rule: queries that write are settled before anything else is done with them.
#[derive(Debug)]
pub struct CopyRule;

impl AnalyzerRule for CopyRule {
    fn analyze(&self, plan: LogicalPlan, _: &ConfigOptions) -> Result<LogicalPlan> {
        settled(plan)
    }

    fn name(&self) -> &str {
        "CopyRule"
    }
}

/// The plan with what it was told in its formats; one that is settled stays as it is.
///
/// # Errors
/// [`Error::Call`] for an option that there is not, or a path that cannot be made whole.
pub(crate) fn settled(plan: LogicalPlan) -> Result<LogicalPlan> {
    let settled = plan.transform_up(|part| {
        let LogicalPlan::Copy(copy) = &part else { return Ok(Transformed::no(part)) };
        let factory = file_type_to_format(&copy.file_type)?;
        let Some(format) = factory.downcast_ref::<LayerFormats>().filter(|f| f.waiting().is_none()) else {
            return Ok(Transformed::no(part));
        };
        let path = path_of(&copy.output_url);
        let whole = std::path::absolute(&path)
            .map_err(|e| Error::Call { function: "COPY", what: format!("{}: {e}", path.display()) })?;
        let format = format.clone().with_options(&copy.options)?.waiting_for(&whole);
        Ok(Transformed::yes(LogicalPlan::Copy(CopyTo::new(
            copy.input.clone(),
            whole.to_string_lossy().into_owned(),
            copy.partition_by.clone(),
            format_as_file_type(Arc::new(format)),
            HashMap::new(),
        ))))
    })?;
    Ok(settled.data)
}

/// Where the parts wait that a settled plan writes.
///
/// # Errors
/// None that is known.
pub(crate) fn waiting(plan: &LogicalPlan) -> Result<Vec<PathBuf>> {
    let mut found = Vec::new();
    plan.apply(|part| {
        if let LogicalPlan::Copy(copy) = part {
            let factory = file_type_to_format(&copy.file_type)?;
            let format = factory.downcast_ref::<LayerFormats>();
            found.extend(format.and_then(LayerFormats::waiting).map(PathBuf::from));
        }
        Ok(TreeNodeRecursion::Continue)
    })?;
    Ok(found)
}
