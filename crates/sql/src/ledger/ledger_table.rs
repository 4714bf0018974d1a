//! The table function `ledger()`: what became of the rows of the last query, function by function, partition by partition.

use super::{Counted, SessionLedger};
use crate::Error;
use datafusion::catalog::{TableFunctionArgs, TableFunctionImpl, TableProvider};
use datafusion::common::{Result, ScalarValue};
use datafusion::datasource::ViewTable;
use datafusion::logical_expr::{Expr, LogicalPlanBuilder};
use datafusion::prelude::{col, lit};
use std::sync::Arc;

/// The function.
#[derive(Debug)]
pub struct LedgerTable(pub Arc<SessionLedger>);

impl LedgerTable {
    /// The name in queries.
    pub const NAME: &str = "ledger";
}

impl TableFunctionImpl for LedgerTable {
    fn call_with_args(&self, args: TableFunctionArgs) -> Result<Arc<dyn TableProvider>> {
        if !args.exprs().is_empty() {
            let what = "takes no argument; WHERE chooses its rows".to_string();
            return Err(Error::Call { function: LedgerTable::NAME, what }.into());
        }
        // A list of values, which travels like any query: the table itself is only known here.
        let text = |t: &str| lit(t);
        let none = || lit(ScalarValue::Utf8(None));
        let mut rows: Vec<Vec<Expr>> = Vec::new();
        for (entry, count) in self.0.entries() {
            let partition = lit(ScalarValue::UInt64(entry.partition.map(|p| p as u64)));
            let (became, reason) = match &entry.counted {
                Counted::Made => ("made", none()),
                Counted::Empty => ("empty", none()),
                Counted::SetAside(reason) => ("set aside", text(reason)),
            };
            rows.push(vec![text(&entry.function), partition, lit(count), text(became), reason]);
        }
        let is_empty = rows.is_empty();
        if is_empty {
            let partition = lit(ScalarValue::UInt64(None));
            rows.push(vec![none(), partition, lit(0u64), none(), none()]);
        }
        let names = ["function", "partition", "rows", "became", "reason"];
        let columns = names.iter().enumerate().map(|(at, name)| col(format!("column{}", at + 1)).alias(*name));
        let plan = LogicalPlanBuilder::values(rows)?.project(columns)?;
        let plan = if is_empty { plan.filter(lit(false))? } else { plan };
        Ok(Arc::new(ViewTable::new(plan.build()?, None)))
    }
}
