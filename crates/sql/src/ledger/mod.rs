//! What became of every row that went through our functions and tables: `SELECT * FROM ledger()` after a query.
//!
//! | module | what is in it |
//! |---|---|
//! | `entry` | what is counted, and the name that it has on the way |
//! | `account` | the counts of one partition of one part of a plan |
//! | `account_plan` | keeps an account around a part of a plan |
//! | `account_rule` | puts such accounts into plans |
//! | `session_ledger` | the counts of a session |
//! | `ledger_table` | the table function |
//!
//! Counts travel as the metrics of plans, so that a partition that was done twice counts once.

pub(crate) mod account;
mod account_plan;
mod account_rule;
mod entry;
mod ledger_table;
mod session_ledger;

pub use account_plan::AccountPlan;
pub use account_rule::AccountRule;
pub use entry::{Counted, Entry};
pub use ledger_table::LedgerTable;
pub use session_ledger::{SessionLedger, of_plan};
