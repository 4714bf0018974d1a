//! Our tables and plans as bytes; everything else as the engine has it.

use crate::aggregates::aggregate::Aggregate;
use crate::functions::scalar::Scalar;
use crate::joins::AreaJoin;
use crate::layers::{LayerScan, LayerSource, LayerTable};
use crate::ledger::AccountPlan;
use crate::output::{LayerFormats, PartsPublish, PartsWrite, Target};
use crate::{aggregates, functions};
use ballista_core::serde::{BallistaLogicalExtensionCodec, BallistaPhysicalExtensionCodec};
use datafusion::arrow::datatypes::SchemaRef;
use datafusion::catalog::TableProvider;
use datafusion::common::{DataFusionError, Result, TableReference};
use datafusion::datasource::file_format::FileFormatFactory;
use datafusion::execution::TaskContext;
use datafusion::logical_expr::{AggregateUDF, Extension, LogicalPlan, ScalarUDF};
use datafusion::physical_plan::ExecutionPlan;
use datafusion::physical_plan::empty::EmptyExec;
use datafusion::physical_plan::joins::NestedLoopJoinExec;
use datafusion_proto::logical_plan::LogicalExtensionCodec;
use datafusion_proto::physical_plan::{AsExecutionPlan, PhysicalExtensionCodec, PhysicalProtoConverterExtension};
use datafusion_proto::protobuf::PhysicalPlanNode;
use serde::Serialize;
use serde::de::DeserializeOwned;
use std::sync::Arc;

/// What plans of ours begin with.
const SCAN: &[u8] = b"basilocus layer scan\n";
const WRITE: &[u8] = b"basilocus parts write\n";
const PUBLISH: &[u8] = b"basilocus parts publish\n";
const ACCOUNT: &[u8] = b"basilocus account\n";
const JOIN: &[u8] = b"basilocus area join\n";
/// What a format of ours begins with.
const FORMAT: &[u8] = b"basilocus format\n";

/// Queries: our tables are what they read.
#[derive(Debug, Default)]
pub struct LogicalCodec(BallistaLogicalExtensionCodec);

impl LogicalExtensionCodec for LogicalCodec {
    fn try_decode(&self, bytes: &[u8], inputs: &[LogicalPlan], context: &TaskContext) -> Result<Extension> {
        self.0.try_decode(bytes, inputs, context)
    }

    fn try_encode(&self, node: &Extension, out: &mut Vec<u8>) -> Result<()> {
        self.0.try_encode(node, out)
    }

    fn try_decode_table_provider(
        &self,
        bytes: &[u8],
        _: &TableReference,
        _: SchemaRef,
        _: &TaskContext,
    ) -> Result<Arc<dyn TableProvider>> {
        let source: LayerSource = from_json(bytes)?;
        Ok(Arc::new(LayerTable::of(source)?))
    }

    fn try_encode_table_provider(
        &self,
        table: &TableReference,
        provider: Arc<dyn TableProvider>,
        out: &mut Vec<u8>,
    ) -> Result<()> {
        match provider.downcast_ref::<LayerTable>() {
            Some(layer) => {
                out.extend(to_json(layer.source())?);
                Ok(())
            }
            None => self.0.try_encode_table_provider(table, provider, out),
        }
    }

    fn try_decode_udf(&self, name: &str, bytes: &[u8]) -> Result<Arc<ScalarUDF>> {
        function_of(name, bytes)
    }

    fn try_encode_udf(&self, function: &ScalarUDF, out: &mut Vec<u8>) -> Result<()> {
        // Before a query is planned its systems are not settled; the scheduler does it then.
        if let Some(Ok(Some(systems))) = function.inner().downcast_ref::<Scalar>().map(Scalar::settled) {
            out.extend(to_json(systems)?);
        }
        Ok(())
    }

    fn try_decode_udaf(&self, name: &str, bytes: &[u8]) -> Result<Arc<AggregateUDF>> {
        aggregate_of(name, bytes)
    }

    fn try_encode_udaf(&self, function: &AggregateUDF, out: &mut Vec<u8>) -> Result<()> {
        encode_aggregate(function, out)
    }

    fn try_decode_file_format(&self, bytes: &[u8], context: &TaskContext) -> Result<Arc<dyn FileFormatFactory>> {
        match bytes.strip_prefix(FORMAT) {
            Some(told) => Ok(Arc::new(from_json::<LayerFormats>(told)?)),
            None => self.0.try_decode_file_format(bytes, context),
        }
    }

    fn try_encode_file_format(&self, out: &mut Vec<u8>, format: Arc<dyn FileFormatFactory>) -> Result<()> {
        match format.downcast_ref::<LayerFormats>() {
            Some(ours) => {
                out.extend_from_slice(FORMAT);
                out.extend(to_json(ours)?);
                Ok(())
            }
            None => self.0.try_encode_file_format(out, format),
        }
    }
}

/// Parts of queries.
#[derive(Debug, Default)]
pub struct PhysicalCodec(BallistaPhysicalExtensionCodec);

impl PhysicalExtensionCodec for PhysicalCodec {
    fn try_decode(
        &self,
        bytes: &[u8],
        inputs: &[Arc<dyn ExecutionPlan>],
        context: &TaskContext,
        converter: &dyn PhysicalProtoConverterExtension,
    ) -> Result<Arc<dyn ExecutionPlan>> {
        let target = |bytes: &[u8]| -> Result<Target> { from_json(bytes) };
        if let (true, [input]) = (bytes == ACCOUNT, inputs) {
            return Ok(Arc::new(AccountPlan::around(input.clone())));
        }
        if let (Some(scan), [numbers]) = (bytes.strip_prefix(SCAN), inputs) {
            return Ok(Arc::new(LayerScan::from_bytes(scan, numbers.clone())?));
        }
        if let (Some(plain), [left, right]) = (bytes.strip_prefix(JOIN), inputs) {
            let plain = PhysicalPlanNode::try_decode(plain)?.try_into_physical_plan(context, self)?;
            let join = plain.downcast_ref::<NestedLoopJoinExec>();
            // Its condition and kind; the sides are those that came beside it.
            let whole = join.map(|join| {
                NestedLoopJoinExec::try_new(left.clone(), right.clone(), join.filter().cloned(), join.join_type(), None)
            });
            return match whole.transpose()?.map(|join| AreaJoin::of(&join)).transpose()?.flatten() {
                Some(join) => Ok(Arc::new(join)),
                None => Err(DataFusionError::Internal("a join came without its condition".into())),
            };
        }
        match (bytes.strip_prefix(WRITE), bytes.strip_prefix(PUBLISH), inputs) {
            (Some(told), _, [input, numbers]) => {
                Ok(Arc::new(PartsWrite::of(input.clone(), numbers.clone(), target(told)?)))
            }
            (_, Some(told), [input]) => Ok(Arc::new(PartsPublish::new(input.clone(), target(told)?)?)),
            _ => self.0.try_decode(bytes, inputs, context, converter),
        }
    }

    fn try_encode(
        &self,
        node: Arc<dyn ExecutionPlan>,
        out: &mut Vec<u8>,
        converter: &dyn PhysicalProtoConverterExtension,
    ) -> Result<()> {
        if let Some(scan) = node.downcast_ref::<LayerScan>() {
            out.extend_from_slice(SCAN);
            out.extend(scan.to_bytes()?);
            return Ok(());
        }
        if let Some(join) = node.downcast_ref::<AreaJoin>() {
            let [left, right] = [0, 1].map(|at| Arc::new(EmptyExec::new(node.children()[at].schema())) as _);
            out.extend_from_slice(JOIN);
            return PhysicalPlanNode::try_from_physical_plan(Arc::new(join.plain(left, right)?), self)?.try_encode(out);
        }
        if node.is::<AccountPlan>() {
            out.extend_from_slice(ACCOUNT);
            return Ok(());
        }
        let write = node.downcast_ref::<PartsWrite>().map(|w| (WRITE, w.target()));
        let publish = node.downcast_ref::<PartsPublish>().map(|p| (PUBLISH, p.target()));
        match write.or(publish) {
            Some((tag, target)) => {
                out.extend_from_slice(tag);
                out.extend(to_json(target)?);
                Ok(())
            }
            None => self.0.try_encode(node, out, converter),
        }
    }

    fn try_decode_udf(&self, name: &str, bytes: &[u8]) -> Result<Arc<ScalarUDF>> {
        function_of(name, bytes)
    }

    fn try_encode_udf(&self, function: &ScalarUDF, out: &mut Vec<u8>) -> Result<()> {
        if let Some(ours) = function.inner().downcast_ref::<Scalar>()
            && let Some(systems) = ours.settled()?
        {
            out.extend(to_json(systems)?);
        }
        Ok(())
    }

    fn try_decode_udaf(&self, name: &str, bytes: &[u8]) -> Result<Arc<AggregateUDF>> {
        aggregate_of(name, bytes)
    }

    fn try_encode_udaf(&self, function: &AggregateUDF, out: &mut Vec<u8>) -> Result<()> {
        encode_aggregate(function, out)
    }
}

/// A function of ours with the systems of its arguments.
fn function_of(name: &str, bytes: &[u8]) -> Result<Arc<ScalarUDF>> {
    let found = functions::all().into_iter().find(|f| f.name() == name);
    let found = found.ok_or_else(|| DataFusionError::Plan(format!("there is no function {name}")))?;
    match found.inner().downcast_ref::<Scalar>() {
        Some(ours) if !bytes.is_empty() => Ok(Arc::new(ScalarUDF::new_from_impl(ours.with_systems(from_json(bytes)?)))),
        _ => Ok(Arc::new(found)),
    }
}

fn aggregate_of(name: &str, bytes: &[u8]) -> Result<Arc<AggregateUDF>> {
    let found = aggregates::all().into_iter().find(|f| f.name() == name);
    let found = found.ok_or_else(|| DataFusionError::Plan(format!("there is no function {name}")))?;
    match found.inner().downcast_ref::<Aggregate>() {
        Some(ours) if !bytes.is_empty() => {
            Ok(Arc::new(AggregateUDF::new_from_impl(ours.with_systems(from_json(bytes)?))))
        }
        _ => Ok(Arc::new(found)),
    }
}

fn encode_aggregate(function: &AggregateUDF, out: &mut Vec<u8>) -> Result<()> {
    if let Some(systems) = function.inner().downcast_ref::<Aggregate>().and_then(Aggregate::systems) {
        out.extend(to_json(systems)?);
    }
    Ok(())
}

fn to_json(value: &impl Serialize) -> Result<Vec<u8>> {
    serde_json::to_vec(value).map_err(|e| DataFusionError::External(Box::new(e)))
}

fn from_json<T: DeserializeOwned>(bytes: &[u8]) -> Result<T> {
    serde_json::from_slice(bytes).map_err(|e| DataFusionError::External(Box::new(e)))
}
