//! Puts accounts around the parts of a plan that call our functions, and numbers the partitions of those that write: the last
//! thing that is done to a plan.

use super::AccountPlan;
use crate::functions::scalar::Scalar;
use crate::output::PartsWrite;
use datafusion::common::Result;
use datafusion::common::config::ConfigOptions;
use datafusion::common::tree_node::{Transformed, TransformedResult, TreeNode, TreeNodeRecursion};
use datafusion::physical_expr::{PhysicalExpr, ScalarFunctionExpr};
use datafusion::physical_optimizer::PhysicalOptimizerRule;
use datafusion::physical_plan::ExecutionPlan;
use std::sync::Arc;

/// The rule.
#[derive(Debug)]
pub struct AccountRule;

impl PhysicalOptimizerRule for AccountRule {
    fn optimize(&self, plan: Arc<dyn ExecutionPlan>, _: &ConfigOptions) -> Result<Arc<dyn ExecutionPlan>> {
        accounted(plan)
    }

    fn name(&self) -> &str {
        "AccountRule"
    }

    fn schema_check(&self) -> bool {
        true
    }
}

/// From the top down, so that what has an account already is passed by: a plan may come here twice.
fn accounted(plan: Arc<dyn ExecutionPlan>) -> Result<Arc<dyn ExecutionPlan>> {
    if plan.is::<AccountPlan>() {
        let part = plan.children()[0].clone();
        return Ok(Arc::new(AccountPlan::around(with_accounted_children(part)?)));
    }
    let plan = with_accounted_children(plan)?;
    if let Some(write) = plan.downcast_ref::<PartsWrite>() {
        return Ok(Arc::new(write.numbered()?));
    }
    Ok(if calls_ours(&plan)? { Arc::new(AccountPlan::around(plan)) } else { plan })
}

fn with_accounted_children(plan: Arc<dyn ExecutionPlan>) -> Result<Arc<dyn ExecutionPlan>> {
    plan.map_children(|child| accounted(child).map(Transformed::yes)).data()
}

/// Whether an expression of a part of a plan calls a function of ours.
fn calls_ours(plan: &Arc<dyn ExecutionPlan>) -> Result<bool> {
    let mut found = false;
    plan.apply_expressions(&mut |expression: &Arc<dyn PhysicalExpr>| {
        expression.apply(|e| {
            let function = e.downcast_ref::<ScalarFunctionExpr>();
            found |= function.is_some_and(|f| f.fun().inner().is::<Scalar>());
            Ok(if found { TreeNodeRecursion::Stop } else { TreeNodeRecursion::Continue })
        })
    })?;
    Ok(found)
}
