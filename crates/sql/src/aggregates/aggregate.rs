//! A function over groups as the engine knows it.

use crate::Error;
use crate::functions::geometry_column::GeometryColumn;
use crate::functions::scalar::Systems;
use crate::systems;
use datafusion::arrow::datatypes::{DataType, Field, FieldRef};
use datafusion::common::{DataFusionError, Result};
use datafusion::logical_expr::expr::AggregateFunction;
use datafusion::logical_expr::function::{AccumulatorArgs, AggregateFunctionSimplification, StateFieldsArgs};
use datafusion::logical_expr::simplify::SimplifyContext;
use datafusion::logical_expr::{
    Accumulator, AggregateUDF, AggregateUDFImpl, Expr, ExprSchemable, Signature, Volatility,
};
use std::hash::{Hash, Hasher};
use std::sync::Arc;

/// What a function over groups is: one file of this folder each.
pub(super) struct Definition {
    pub name: &'static str,
    /// What its arguments are called, and whether each is a geometry; the others are texts.
    pub parameters: &'static [(&'static str, bool)],
    /// The type of the result; errors are about systems.
    pub result: fn(&[FieldRef]) -> Result<DataType, Error>,
    /// What goes from partition to partition.
    pub state: fn() -> Vec<Field>,
    /// An empty group, from the systems of the arguments.
    pub group: fn(&Systems) -> Result<Box<dyn Accumulator>, Error>,
}

/// The function.
pub(crate) struct Aggregate {
    definition: &'static Definition,
    signature: Signature,
    /// The systems of the arguments, once they are settled.
    systems: Option<Systems>,
}

impl Aggregate {
    pub(super) fn of(definition: &'static Definition) -> Self {
        Aggregate { definition, signature: Signature::user_defined(Volatility::Immutable), systems: None }
    }

    /// The same function for arguments whose systems are known.
    pub(crate) fn with_systems(&self, systems: Systems) -> Self {
        Aggregate { systems: Some(systems), ..Aggregate::of(self.definition) }
    }

    /// The systems of its arguments, as they travel; nothing for a function to which they do not matter.
    pub(crate) fn systems(&self) -> Option<&Systems> {
        self.systems.as_ref()
    }
}

impl std::fmt::Debug for Aggregate {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(self.definition.name)
    }
}

impl PartialEq for Aggregate {
    fn eq(&self, other: &Self) -> bool {
        self.definition.name == other.definition.name && self.systems == other.systems
    }
}

impl Eq for Aggregate {}

impl Hash for Aggregate {
    fn hash<H: Hasher>(&self, state: &mut H) {
        self.definition.name.hash(state);
        self.systems.hash(state);
    }
}

impl AggregateUDFImpl for Aggregate {
    fn name(&self) -> &str {
        self.definition.name
    }

    fn signature(&self) -> &Signature {
        &self.signature
    }

    fn coerce_types(&self, given: &[DataType]) -> Result<Vec<DataType>> {
        let Definition { name, parameters, .. } = self.definition;
        if given.len() != parameters.len() {
            let names = parameters.iter().map(|p| p.0).collect::<Vec<_>>().join(", ");
            let what = format!("{} arguments are given; {name}({names}) is expected", given.len());
            return Err(Error::Call { function: name, what }.into());
        }
        let coerced = given.iter().zip(*parameters).enumerate().map(|(at, (kind, (parameter, is_geometry)))| {
            let wrong = |expected: &str| Error::Argument {
                function: name,
                at: at + 1,
                name: parameter,
                what: format!("is {kind}: {expected}"),
            };
            match (is_geometry, kind) {
                (true, DataType::Null) => Ok(DataType::Binary),
                (true, kind) if GeometryColumn::takes(kind) => Ok(kind.clone()),
                (true, _) => Err(wrong("a geometry is expected; ST_Point(x, y, system) makes one").into()),
                (false, kind) if kind.is_string() || kind.is_null() => Ok(DataType::Utf8),
                (false, _) => Err(DataFusionError::from(wrong("a text is expected"))),
            }
        });
        coerced.collect()
    }

    /// Settles the systems of the arguments.
    fn simplify(&self) -> Option<AggregateFunctionSimplification> {
        if self.systems.is_some() || !self.definition.parameters.iter().any(|p| p.1) {
            return None;
        }
        let of_arguments = move |mut call: AggregateFunction, context: &SimplifyContext| {
            let system = |a: &Expr| Ok(systems::of_field(&a.to_field(context.schema())?.1));
            let systems = call.params.args.iter().map(system).collect::<Result<Systems>>()?;
            if let Some(function) = call.func.inner().downcast_ref::<Aggregate>() {
                call.func = Arc::new(AggregateUDF::new_from_impl(function.with_systems(systems)));
            }
            Ok(Expr::AggregateFunction(call))
        };
        Some(Box::new(of_arguments))
    }

    fn return_type(&self, _: &[DataType]) -> Result<DataType> {
        Err(DataFusionError::Internal(format!(
            "{}: the field of the result is asked for instead",
            self.definition.name
        )))
    }

    fn return_field(&self, arguments: &[FieldRef]) -> Result<FieldRef> {
        Ok(Arc::new(Field::new(self.definition.name, (self.definition.result)(arguments)?, true)))
    }

    fn accumulator(&self, arguments: AccumulatorArgs) -> Result<Box<dyn Accumulator>> {
        match &self.systems {
            Some(settled) => Ok((self.definition.group)(settled)?),
            None => Ok((self.definition.group)(&arguments.expr_fields.iter().map(|f| systems::of_field(f)).collect())?),
        }
    }

    fn state_fields(&self, arguments: StateFieldsArgs) -> Result<Vec<FieldRef>> {
        let named = |f: Field| {
            let name = format!("{}[{}]", arguments.name, f.name());
            Arc::new(f.with_name(name))
        };
        Ok((self.definition.state)().into_iter().map(named).collect())
    }
}
