//! Finds joins whose condition says where things are, and gives them an index.

use super::AreaJoin;
use crate::functions::scalar::Scalar;
use datafusion::arrow::datatypes::DataType;
use datafusion::common::config::ConfigOptions;
use datafusion::common::tree_node::{Transformed, TransformedResult, TreeNode};
use datafusion::common::{JoinSide, JoinType, Result, ScalarValue};
use datafusion::physical_expr::expressions::{Column, Literal};
use datafusion::physical_expr::utils::{collect_columns, split_conjunction};
use datafusion::physical_expr::{PhysicalExpr, ScalarFunctionExpr};
use datafusion::physical_optimizer::PhysicalOptimizerRule;
use datafusion::physical_plan::ExecutionPlan;
use datafusion::physical_plan::joins::NestedLoopJoinExec;
use datafusion::physical_plan::joins::utils::JoinFilter;
use std::sync::Arc;

/// The rule.
#[derive(Debug)]
pub struct AreaJoinRule;

impl PhysicalOptimizerRule for AreaJoinRule {
    fn optimize(&self, plan: Arc<dyn ExecutionPlan>, _: &ConfigOptions) -> Result<Arc<dyn ExecutionPlan>> {
        let indexed = |part: Arc<dyn ExecutionPlan>| {
            let join = part.downcast_ref::<NestedLoopJoinExec>().and_then(|join| AreaJoin::of(join).transpose());
            Ok(match join {
                Some(join) => Transformed::yes(Arc::new(join?) as Arc<dyn ExecutionPlan>),
                None => Transformed::no(part),
            })
        };
        plan.transform_up(indexed).data()
    }

    fn name(&self) -> &str {
        "AreaJoinRule"
    }

    fn schema_check(&self) -> bool {
        true
    }
}

/// What an index needs to know of a condition.
#[derive(Clone)]
pub(super) struct Places {
    /// Whether the left side is taken whole.
    pub build_is_left: bool,
    /// The geometry of the side that is taken whole, over its columns.
    pub build: Arc<dyn PhysicalExpr>,
    /// The geometry of the side that goes by.
    pub probe: Arc<dyn PhysicalExpr>,
    /// What is asked of the nearest ones; nothing where the geometries have to meet.
    pub nearest: Option<Nearest>,
}

/// How many of the nearest are asked for, within which distance, in which system.
#[derive(Debug, Clone)]
pub(super) struct Nearest {
    pub count: usize,
    pub most: f64,
    pub system: Option<String>,
}

/// The condition that only a join can answer: each row of its first table takes the nearest ones of the second.
fn nearest(filter: &JoinFilter, kind: JoinType) -> Result<Option<Places>> {
    let Some(call) = filter.expression().downcast_ref::<ScalarFunctionExpr>() else { return Ok(None) };
    let Some(scalar) = call.fun().inner().downcast_ref::<Scalar>().filter(|s| s.function() == "nearest") else {
        return Ok(None);
    };
    let [a, b, count, most] = call.args() else { return Ok(None) };
    let figure = |e: &Arc<dyn PhysicalExpr>| match e.downcast_ref::<Literal>()?.value().cast_to(&DataType::Float64) {
        Ok(ScalarValue::Float64(value)) => value,
        _ => None,
    };
    let (Some(count), Some(most)) = (figure(count), figure(most)) else { return Ok(None) };
    let (Some((side, probe)), Some((other, build))) = (of_one_side(a, filter)?, of_one_side(b, filter)?) else {
        return Ok(None);
    };
    let keeps = match kind {
        JoinType::Inner => None,
        JoinType::Left => Some(JoinSide::Left),
        JoinType::Right => Some(JoinSide::Right),
        _ => return Ok(None),
    };
    if side == other || keeps.is_some_and(|kept| kept != side) {
        return Ok(None);
    }
    let nearest = Nearest { count: count as usize, most, system: scalar.system(0) };
    Ok(Some(Places { build_is_left: other == JoinSide::Left, build, probe, nearest: Some(nearest) }))
}

/// The geometries of both sides in a condition that they have to meet; nothing for other conditions and kinds of joins.
pub(super) fn places(filter: &JoinFilter, kind: JoinType) -> Result<Option<Places>> {
    if let Some(found) = nearest(filter, kind)? {
        return Ok(Some(found));
    }
    for condition in split_conjunction(filter.expression()) {
        let Some(call) = condition.downcast_ref::<ScalarFunctionExpr>() else { continue };
        let function = call.fun().inner().downcast_ref::<Scalar>().map(Scalar::function);
        // Areas are fewer than what lies in them.
        let container = match function {
            Some("ST_Within") => 1,
            Some("ST_Contains" | "ST_Intersects") => 0,
            _ => continue,
        };
        let [a, b] = call.args() else { continue };
        let sides = [of_one_side(a, filter)?, of_one_side(b, filter)?];
        let [Some((side_of_a, a)), Some((side_of_b, b))] = sides else { continue };
        if side_of_a == side_of_b {
            continue;
        }
        let wanted = if container == 0 { side_of_a } else { side_of_b };
        // The side whose rows stay, whether they find others or not, goes by.
        let build_is_left = match kind {
            JoinType::Inner => wanted == JoinSide::Left,
            JoinType::Left => false,
            JoinType::Right => true,
            _ => return Ok(None),
        };
        let a_is_built = (side_of_a == JoinSide::Left) == build_is_left;
        let (build, probe) = if a_is_built { (a, b) } else { (b, a) };
        return Ok(Some(Places { build_is_left, build, probe, nearest: None }));
    }
    Ok(None)
}

/// An expression over the columns of one side, and which that is.
fn of_one_side(
    expression: &Arc<dyn PhysicalExpr>,
    filter: &JoinFilter,
) -> Result<Option<(JoinSide, Arc<dyn PhysicalExpr>)>> {
    let indices = filter.column_indices();
    let columns = collect_columns(expression);
    let mut sides = columns.iter().map(|c| indices[c.index()].side);
    let Some(side) = sides.next().filter(|side| sides.all(|other| other == *side)) else { return Ok(None) };
    let over_side = |e: Arc<dyn PhysicalExpr>| {
        Ok(match e.downcast_ref::<Column>() {
            Some(c) => Transformed::yes(Arc::new(Column::new(c.name(), indices[c.index()].index)) as _),
            None => Transformed::no(e),
        })
    };
    Ok(Some((side, expression.clone().transform_up(over_side).data()?)))
}
