//! All of it in a session.

use crate::aggregates;
use crate::functions;
use crate::joins::AreaJoinRule;
use crate::layers::{ReadLayer, RowGroupRule};
use crate::ledger::{AccountRule, LedgerTable, SessionLedger, of_plan};
use crate::output::{CopyRule, LayerFormats, PlainFormatRule, settled, waiting};
use crate::setting::Settings;
use datafusion::error::Result;
use datafusion::execution::SendableRecordBatchStream;
use datafusion::execution::session_state::SessionStateBuilder;
use datafusion::physical_optimizer::PhysicalOptimizerRule;
use datafusion::physical_plan::{ExecutionPlan, execute_stream};
use datafusion::prelude::{DataFrame, SessionContext};
use std::path::PathBuf;
use std::sync::Arc;

/// Adds all functions and settings to a session. The ledger is what `ledger()` shows: who runs plans fills it ([`run`]).
///
/// # Errors
/// None that is known; the engine may refuse a function.
pub fn register(context: &SessionContext) -> Result<Arc<SessionLedger>> {
    let state = context.state_ref();
    {
        let mut state = state.write();
        let options = state.config_mut().options_mut();
        if options.extensions.get::<Settings>().is_none() {
            options.extensions.insert(Settings::default());
        }
        // It asks a function for each field of its result anew: `g.lon`, `g.lat` of an address would be two searches.
        options.optimizer.enable_leaf_expression_pushdown = false;
    }
    {
        let mut state = state.write();
        for format in LayerFormats::all() {
            state.register_file_format(Arc::new(format), true)?;
        }
    }
    add_rules(context);
    let ledger = Arc::new(SessionLedger::default());
    context.register_udtf(LedgerTable::NAME, Arc::new(LedgerTable(ledger.clone())));
    functions::all().into_iter().for_each(|f| context.register_udf(f));
    aggregates::all().into_iter().for_each(|f| context.register_udaf(f));
    context.register_udtf(ReadLayer::NAME, Arc::new(ReadLayer));
    Ok(ledger)
}

/// Puts our rules among those of the session, once: what changes plans before all others, what only counts behind them.
fn add_rules(context: &SessionContext) {
    let state = context.state_ref();
    let mut state = state.write();
    let rules = state.physical_optimizers();
    if rules.iter().any(|r| r.name() == AccountRule.name()) {
        return;
    }
    type Rule = Arc<dyn PhysicalOptimizerRule + Send + Sync>;
    let first: [Rule; 3] = [Arc::new(PlainFormatRule), Arc::new(AreaJoinRule), Arc::new(RowGroupRule)];
    let last: Rule = Arc::new(AccountRule);
    let rules = first.into_iter().chain(rules.iter().cloned()).chain([last]).collect();
    *state = SessionStateBuilder::new_from_existing(state.clone()).with_physical_optimizer_rules(rules).build();
    state.add_analyzer_rule(Arc::new(CopyRule));
}

/// A query that runs, and its account when its rows are all taken.
pub struct Running {
    /// The rows.
    pub rows: SendableRecordBatchStream,
    plan: Arc<dyn ExecutionPlan>,
    /// Where the parts of what it writes wait.
    waiting: Vec<PathBuf>,
}

impl Running {
    /// Removes what a query that failed would have written. Elsewhere its parts may still be made: they find no place any more.
    pub fn clear(&self) {
        for folder in &self.waiting {
            // Mostly it is gone: where the query ended here, or no part was begun.
            let _ = std::fs::remove_dir_all(folder);
        }
    }

    /// The plan that is run.
    pub fn plan(&self) -> &Arc<dyn ExecutionPlan> {
        &self.plan
    }

    /// Brings what became of the rows into the ledger of the session ([`SessionLedger::set`]).
    pub fn enter(&self, ledger: &SessionLedger) -> bool {
        ledger.set(of_plan(&self.plan))
    }
}

/// Runs a query so that its account can be asked for.
///
/// # Errors
/// Those of the engine.
pub async fn run(query: DataFrame) -> Result<Running> {
    let (state, logical) = query.into_parts();
    let logical = settled(logical)?;
    let waiting = waiting(&logical)?;
    let query = DataFrame::new(state, logical);
    let (context, plan) = (Arc::new(query.task_ctx()), query.create_physical_plan().await?);
    Ok(Running { rows: execute_stream(plan.clone(), context)?, plan, waiting })
}
