//! A function of ours as the engine knows functions: parameters checked when a query is planned, columns in, a column out,
//! and what becomes of rows that it cannot use.

use crate::functions::geometry_column::GeometryColumn;
use crate::ledger::account;
use crate::setting::{OnFailure, Settings};
use crate::{Error, references, systems};
use basilocus::table::Reason;
use datafusion::arrow::array::{Array, ArrayRef, AsArray, Float64Array, StringArray};
use datafusion::arrow::compute::cast;
use datafusion::arrow::datatypes::{DataType, Field, FieldRef, Float64Type};
use datafusion::common::{DataFusionError, Result, ScalarValue};
use datafusion::logical_expr::expr::ScalarFunction;
use datafusion::logical_expr::simplify::{ExprSimplifyResult, SimplifyContext};
use datafusion::logical_expr::{
    ColumnarValue, Expr, ExprSchemable, ReturnFieldArgs, ScalarFunctionArgs, ScalarUDF, ScalarUDFImpl, Signature,
    Volatility,
};
use std::collections::BTreeMap;
use std::hash::{Hash, Hasher};
use std::sync::Arc;

/// What a function is: one file of this folder each.
pub(crate) struct Definition {
    /// The name in queries.
    pub name: &'static str,
    /// Another name that a standard gives it.
    pub other_names: &'static [&'static str],
    pub parameters: &'static [Parameter],
    /// So many of the parameters have to be given.
    pub required: usize,
    pub failures: Failures,
    /// The field of the result, from the fields of the arguments.
    pub result: fn(&Planned) -> Result<Field, Error>,
    /// The column of the result.
    pub apply: fn(&Call) -> Result<Made, Error>,
}

/// A parameter of a function.
pub(crate) struct Parameter {
    pub name: &'static str,
    pub kind: Kind,
}

/// What a parameter takes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Kind {
    /// A number.
    Number,
    /// A number that is the same for all rows.
    Figure,
    /// A text.
    Text,
    /// A geometry: well-known binary, or points as GeoArrow has them.
    Geometry,
    /// A reference system: a code of the registry as a number, or whatever names a system as a text.
    System,
    /// A text, or a struct of texts.
    Address,
    /// Address references: their files, the same for all rows; those of the session where none are said.
    Reference,
    /// Names parted by commas, the same for all rows.
    Names,
}

/// What a function does with rows that it cannot use.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Failures {
    /// There are none.
    Never,
    /// The result is null, and NAME_reason says why.
    Null,
    /// The result is a struct whose last field says why.
    InResult,
}

/// A row that a function could not use.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Failure {
    /// The row, from 0.
    pub row: usize,
    /// What the ledger counts it by.
    pub class: Reason,
    pub reason: String,
}

/// Bytes that are no geometry, or one of a type that is not taken.
pub(crate) const NOT_A_GEOMETRY: Reason = Reason::new("not a geometry");

impl Failure {
    pub(crate) fn new(row: usize, class: Reason, reason: impl Into<String>) -> Self {
        Failure { row, class, reason: reason.into() }
    }
}

/// What a function made of a batch.
pub(crate) struct Made {
    /// A value for each row; null for those that failed.
    pub values: ArrayRef,
    pub failures: Vec<Failure>,
}

impl Made {
    pub(crate) fn without_failures(values: ArrayRef) -> Self {
        Made { values, failures: Vec::new() }
    }

    /// Tells the ledger what became of the rows.
    fn count(&self, function: &'static str) {
        let first = match self.values.as_struct_opt() {
            Some(columns) => columns.column(0),
            None => &self.values,
        };
        let mut set_aside: BTreeMap<String, usize> = BTreeMap::new();
        self.failures.iter().for_each(|f| *set_aside.entry(f.class.to_string()).or_default() += 1);
        let nulls = first.null_count();
        account::count(function, first.len() - nulls, nulls.saturating_sub(self.failures.len()), &set_aside);
    }
}

/// What is known of a call before there are rows.
pub(crate) struct Planned<'a> {
    pub function: &'static Definition,
    fields: &'a [FieldRef],
    literals: &'a [Option<&'a ScalarValue>],
    systems: Option<&'a Systems>,
}

/// The systems of the arguments of a call, settled when the query is planned: what columns are called in plans that travel says
/// no system any more.
pub(crate) type Systems = Vec<Option<String>>;

/// The system of an argument: as it was settled, else as its field says it.
fn system_of(systems: Option<&Systems>, fields: &[FieldRef], at: usize) -> Option<String> {
    match systems {
        Some(settled) => settled.get(at).cloned().flatten(),
        None => systems::of_field(&fields[at]),
    }
}

impl Planned<'_> {
    /// How many arguments are given.
    pub(crate) fn len(&self) -> usize {
        self.fields.len()
    }

    pub(crate) fn field(&self, at: usize) -> &Field {
        &self.fields[at]
    }

    /// The system of a geometry.
    pub(crate) fn system_of(&self, at: usize) -> Option<String> {
        system_of(self.systems, self.fields, at)
    }

    /// A text that is the same for all rows.
    pub(crate) fn literal(&self, at: usize) -> Result<Option<String>, Error> {
        match self.literals[at] {
            Some(value) => Ok(text_of(value)),
            None => Err(self.wrong(at, "has to be the same for all rows: a value in quotes or a number is expected")),
        }
    }

    /// Names parted by commas that are the same for all rows, each once; none where they are not said.
    pub(crate) fn names(&self, at: usize) -> Result<Vec<String>, Error> {
        let names = names_of(if self.len() > at { self.literal(at)? } else { None });
        match names.iter().enumerate().find(|(n, name)| names[..*n].contains(name)) {
            Some((_, name)) => Err(self.wrong(at, format!("names \"{name}\" twice: name it once"))),
            None => Ok(names),
        }
    }

    /// A number that is the same for all rows; nothing for null.
    pub(crate) fn number(&self, at: usize) -> Result<Option<f64>, Error> {
        match self.literals[at] {
            Some(value) => Ok(figure_of(value)),
            None => Err(self.wrong(at, "has to be the same for all rows: a number is expected")),
        }
    }

    /// An error about an argument.
    pub(crate) fn wrong(&self, at: usize, what: impl Into<String>) -> Error {
        self.function.wrong(at, what)
    }

    /// An error about the call.
    pub(crate) fn refuse(&self, what: impl Into<String>) -> Error {
        Error::Call { function: self.function.name, what: what.into() }
    }

    /// The system that two geometries have in common.
    pub(crate) fn common_system(&self, a: usize, b: usize) -> Result<Option<String>, Error> {
        let words = |s: &Option<String>| s.clone().unwrap_or_else(|| "no system".into());
        let (of_a, of_b) = (self.system_of(a), self.system_of(b));
        let same = match (&of_a, &of_b) {
            (Some(a), Some(b)) => a == b || systems::find(a)?.is_same(&*systems::find(b)?),
            (a, b) => a == b,
        };
        if same {
            return Ok(of_a);
        }
        Err(self.refuse(format!(
            "the geometries are in different systems, {} and {}: bring them to one with ST_Transform, or say the system of one that has none with ST_SRID(geometry, system)",
            words(&of_a),
            words(&of_b)
        )))
    }
}

/// A call with its rows.
pub(crate) struct Call<'a> {
    pub function: &'static Definition,
    arguments: &'a [ColumnarValue],
    fields: &'a [FieldRef],
    pub rows: usize,
    pub result: &'a Field,
    systems: Option<&'a Systems>,
    pub settings: Settings,
}

impl Call<'_> {
    /// How many arguments are given.
    pub(crate) fn len(&self) -> usize {
        self.arguments.len()
    }

    pub(crate) fn column(&self, at: usize) -> Result<ArrayRef, Error> {
        self.arguments[at].to_array(self.rows).map_err(|e| self.function.wrong(at, e.to_string()))
    }

    pub(crate) fn numbers(&self, at: usize) -> Result<Float64Array, Error> {
        let column = self.column(at)?;
        column.as_primitive_opt::<Float64Type>().cloned().ok_or_else(|| self.unexpected(at, &column))
    }

    pub(crate) fn texts(&self, at: usize) -> Result<StringArray, Error> {
        let column = self.column(at)?;
        let column = if column.data_type().is_integer() {
            cast(&column, &DataType::Utf8).map_err(|e| self.function.wrong(at, e.to_string()))?
        } else {
            column
        };
        column.as_string_opt::<i32>().cloned().ok_or_else(|| self.unexpected(at, &column))
    }

    /// The text of an argument that is the same for all rows.
    pub(crate) fn literal(&self, at: usize) -> Option<String> {
        match &self.arguments[at] {
            ColumnarValue::Scalar(value) => text_of(value),
            ColumnarValue::Array(_) => None,
        }
    }

    /// Names parted by commas that are the same for all rows; none where they are not said.
    pub(crate) fn names(&self, at: usize) -> Vec<String> {
        names_of(if self.len() > at { self.literal(at) } else { None })
    }

    /// The number of an argument that is the same for all rows; nothing for null.
    pub(crate) fn literal_number(&self, at: usize) -> Result<Option<f64>, Error> {
        match &self.arguments[at] {
            ColumnarValue::Scalar(value) => Ok(figure_of(value)),
            ColumnarValue::Array(_) => {
                Err(self.function.wrong(at, "has to be the same for all rows: a number is expected"))
            }
        }
    }

    pub(crate) fn geometries(&self, at: usize) -> Result<GeometryColumn, Error> {
        let made = match &self.arguments[at] {
            ColumnarValue::Scalar(value) => {
                value.to_array().map(|one| GeometryColumn::of(&one).map(GeometryColumn::for_all))
            }
            ColumnarValue::Array(array) => Ok(GeometryColumn::of(array)),
        };
        made.map_err(|e| self.function.wrong(at, e.to_string()))?.map_err(|what| self.function.wrong(at, what))
    }

    /// The system of a geometry.
    pub(crate) fn system_of(&self, at: usize) -> Option<String> {
        system_of(self.systems, self.fields, at)
    }

    fn unexpected(&self, at: usize, column: &ArrayRef) -> Error {
        self.function.wrong(at, format!("came as {}", column.data_type()))
    }
}

fn names_of(said: Option<String>) -> Vec<String> {
    said.iter().flat_map(|text| text.split(',')).map(|name| name.trim().to_string()).filter(|n| !n.is_empty()).collect()
}

/// A text, or a number as one.
fn text_of(value: &ScalarValue) -> Option<String> {
    match value.try_as_str() {
        Some(text) => text.map(str::to_string),
        None if value.is_null() => None,
        None => Some(value.to_string()),
    }
}

fn figure_of(value: &ScalarValue) -> Option<f64> {
    match value.cast_to(&DataType::Float64) {
        Ok(ScalarValue::Float64(number)) => number,
        _ => None,
    }
}

impl Definition {
    /// An error about an argument.
    pub(crate) fn wrong(&self, at: usize, what: impl Into<String>) -> Error {
        let name = self.parameters.get(at).map_or("", |p| p.name);
        Error::Argument { function: self.name, at: at + 1, name, what: what.into() }
    }

    fn coerce(&self, given: &[DataType]) -> Result<Vec<DataType>, Error> {
        let (least, most) = (self.required, self.parameters.len());
        if !(least..=most).contains(&given.len()) {
            let names: Vec<String> = self
                .parameters
                .iter()
                .enumerate()
                .map(|(at, p)| if at < least { p.name.to_string() } else { format!("[{}]", p.name) })
                .collect();
            return Err(Error::Call {
                function: self.name,
                what: format!("{} arguments are given; {}({}) is expected", given.len(), self.name, names.join(", ")),
            });
        }
        given.iter().zip(self.parameters).enumerate().map(|(at, (t, p))| self.coerced(at, p.kind, t)).collect()
    }

    fn coerced(&self, at: usize, kind: Kind, given: &DataType) -> Result<DataType, Error> {
        let is_text = matches!(given, DataType::Utf8 | DataType::LargeUtf8 | DataType::Utf8View | DataType::Null);
        let is_dictionary = matches!(given, DataType::Dictionary(_, of) if **of == DataType::Utf8);
        let wrong = |what: &str| Err(self.wrong(at, format!("is {given}: {what}")));
        match kind {
            Kind::Number if given.is_numeric() || given.is_null() => Ok(DataType::Float64),
            Kind::Number => wrong("a number is expected; CAST(… AS DOUBLE) makes one of a text"),
            // A cast would hide that it is the same for all rows.
            Kind::Figure if given.is_numeric() || given.is_null() => Ok(given.clone()),
            Kind::Figure => wrong("a number is expected"),
            // A cast would hide that it is the same for all rows.
            Kind::Reference | Kind::Names if given.is_null() => Ok(given.clone()),
            Kind::Text | Kind::Reference | Kind::Names if is_text || is_dictionary => Ok(DataType::Utf8),
            Kind::Text => wrong("a text is expected"),
            Kind::Reference => wrong("the file of an address reference is expected"),
            Kind::Names => wrong("names parted by commas are expected"),
            Kind::System if is_text || is_dictionary => Ok(DataType::Utf8),
            Kind::System if given.is_integer() => Ok(given.clone()),
            Kind::System => wrong("a reference system is expected, such as 4326 or 'EPSG:4326'"),
            Kind::Address if is_text || is_dictionary => Ok(DataType::Utf8),
            Kind::Address => match given {
                DataType::Struct(_) => Ok(given.clone()),
                _ => wrong("an address as a text, or a struct of its parts, is expected"),
            },
            Kind::Geometry if given.is_null() => Ok(DataType::Binary),
            Kind::Geometry if GeometryColumn::takes(given) => Ok(given.clone()),
            Kind::Geometry => wrong("a geometry is expected; ST_GeomFromText(text, system) makes one of a text"),
        }
    }
}

/// Which result of a function is asked for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
enum Asked {
    Values,
    Reasons,
}

/// A function as the engine knows it.
#[derive(Clone)]
pub(crate) struct Scalar {
    definition: &'static Definition,
    asked: Asked,
    name: String,
    other_names: Vec<String>,
    signature: Signature,
    /// The systems of the arguments, once they are settled.
    systems: Option<Systems>,
}

impl std::fmt::Debug for Scalar {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(&self.name)
    }
}

impl PartialEq for Scalar {
    fn eq(&self, other: &Self) -> bool {
        self.name == other.name && self.systems == other.systems
    }
}

impl Eq for Scalar {}

impl Hash for Scalar {
    fn hash<H: Hasher>(&self, state: &mut H) {
        self.name.hash(state);
        self.systems.hash(state);
    }
}

impl Scalar {
    /// The function, and the one that says why rows are null where it has none of its own.
    pub(crate) fn all(definition: &'static Definition) -> Vec<ScalarUDF> {
        let of = |asked: Asked| {
            let name = |n: &str| match asked {
                Asked::Values => n.to_lowercase(),
                Asked::Reasons => format!("{}_reason", n.to_lowercase()),
            };
            ScalarUDF::new_from_impl(Scalar {
                definition,
                asked,
                name: name(definition.name),
                other_names: definition.other_names.iter().map(|n| name(n)).collect(),
                signature: Signature::user_defined(Volatility::Stable),
                systems: None,
            })
        };
        match definition.failures {
            Failures::Null => vec![of(Asked::Values), of(Asked::Reasons)],
            Failures::Never | Failures::InResult => vec![of(Asked::Values)],
        }
    }
}

impl Scalar {
    /// Which function it is, where its values are asked for.
    pub(crate) fn function(&self) -> &'static str {
        if self.asked == Asked::Values { self.definition.name } else { "" }
    }

    /// The system of an argument, once it is settled.
    pub(crate) fn system(&self, at: usize) -> Option<String> {
        self.systems.as_ref()?.get(at)?.clone()
    }

    /// Whether the systems of arguments matter to it.
    fn takes_geometries(&self) -> bool {
        self.definition.parameters.iter().any(|p| p.kind == Kind::Geometry)
    }

    /// Which of its arguments names address references.
    fn reference(&self) -> Option<usize> {
        self.definition.parameters.iter().position(|p| p.kind == Kind::Reference)
    }

    /// The address references that a call of it names, with their sums once they are settled.
    pub(crate) fn references(&self, arguments: &[Expr]) -> Vec<String> {
        match self.reference().and_then(|at| arguments.get(at)) {
            Some(Expr::Literal(value, _)) => references::list(&text_of(value).unwrap_or_default()),
            _ => Vec::new(),
        }
    }

    /// The arguments with the references that are meant, each with the sum that it has here: another machine with another file
    /// of that name does not answer with it. Nothing where they are settled, or are no literal, which the call refuses.
    fn with_references(&self, arguments: &[Expr], settings: &Settings) -> Result<Option<Vec<Expr>>, Error> {
        let Some(at) = self.reference() else { return Ok(None) };
        let said = match arguments.get(at) {
            Some(Expr::Literal(value, _)) => text_of(value),
            Some(_) => return Ok(None),
            None => None,
        };
        let meant = said.clone().unwrap_or_else(|| settings.reference.clone());
        let settled = references::with_sums(&meant)?;
        if settled.is_empty() || said.as_ref() == Some(&settled) {
            return Ok(None);
        }
        let mut arguments = arguments.to_vec();
        let literal = Expr::Literal(ScalarValue::Utf8(Some(settled)), None);
        match arguments.get_mut(at) {
            Some(argument) => *argument = literal,
            // Those before it are required.
            None => arguments.push(literal),
        }
        Ok(Some(arguments))
    }

    /// The same function for arguments whose systems are known.
    pub(crate) fn with_systems(&self, systems: Systems) -> Self {
        Scalar { systems: Some(systems), ..self.clone() }
    }

    /// The systems of its arguments, as they travel; nothing for a function to which they do not matter.
    ///
    /// # Errors
    /// [`Error::Call`] where they were not settled: elsewhere they could not be.
    pub(crate) fn settled(&self) -> Result<Option<&Systems>, Error> {
        match &self.systems {
            None if self.takes_geometries() => {
                let what =
                    "the systems of its arguments were not settled before the query went to other machines".into();
                Err(Error::Call { function: self.definition.name, what })
            }
            settled => Ok(settled.as_ref()),
        }
    }
}

impl ScalarUDFImpl for Scalar {
    fn name(&self) -> &str {
        &self.name
    }

    fn aliases(&self) -> &[String] {
        &self.other_names
    }

    fn signature(&self) -> &Signature {
        &self.signature
    }

    fn coerce_types(&self, given: &[DataType]) -> Result<Vec<DataType>> {
        Ok(self.definition.coerce(given)?)
    }

    fn return_type(&self, _: &[DataType]) -> Result<DataType> {
        Err(DataFusionError::Internal(format!("{}: the field of the result is asked for instead", self.name)))
    }

    fn return_field_from_args(&self, args: ReturnFieldArgs) -> Result<FieldRef> {
        let planned = Planned {
            function: self.definition,
            fields: args.arg_fields,
            literals: args.scalar_arguments,
            systems: self.systems.as_ref(),
        };
        let field = (self.definition.result)(&planned)?;
        Ok(Arc::new(match self.asked {
            Asked::Values => field,
            Asked::Reasons => Field::new(&self.name, DataType::Utf8, true),
        }))
    }

    /// Settles what could be something else elsewhere: the systems of the arguments, and which references are meant.
    fn simplify(&self, arguments: Vec<Expr>, context: &SimplifyContext) -> Result<ExprSimplifyResult> {
        if let Some(arguments) = self.with_references(&arguments, &Settings::of(context.config_options()))? {
            let function = Arc::new(ScalarUDF::new_from_impl(self.clone()));
            return Ok(ExprSimplifyResult::Simplified(Expr::ScalarFunction(ScalarFunction::new_udf(
                function, arguments,
            ))));
        }
        if self.systems.is_some() || !self.takes_geometries() {
            return Ok(ExprSimplifyResult::Original(arguments));
        }
        let system = |a: &Expr| Ok(systems::of_field(&a.to_field(context.schema())?.1));
        let systems = arguments.iter().map(system).collect::<Result<Systems>>()?;
        let function = Arc::new(ScalarUDF::new_from_impl(self.with_systems(systems)));
        Ok(ExprSimplifyResult::Simplified(Expr::ScalarFunction(ScalarFunction::new_udf(function, arguments))))
    }

    fn invoke_with_args(&self, args: ScalarFunctionArgs) -> Result<ColumnarValue> {
        let settings = Settings::of(&args.config_options);
        let on_failure = settings.failure()?;
        let call = Call {
            function: self.definition,
            arguments: &args.args,
            fields: &args.arg_fields,
            rows: args.number_rows,
            result: &args.return_field,
            systems: self.systems.as_ref(),
            settings,
        };
        let made = (self.definition.apply)(&call)?;
        if self.asked == Asked::Reasons {
            let mut reasons: Vec<Option<&str>> = vec![None; args.number_rows];
            made.failures.iter().for_each(|f| reasons[f.row] = Some(&f.reason));
            return Ok(ColumnarValue::Array(Arc::new(StringArray::from(reasons))));
        }
        made.count(self.definition.name);
        let ends = match (on_failure, self.definition.failures) {
            (OnFailure::Error, _) | (OnFailure::Told, Failures::Null) => made.failures.first(),
            _ => None,
        };
        if let Some(Failure { row, reason, .. }) = ends {
            let (function, reason) = (self.definition.name, reason.clone());
            return Err(Error::Row { function, row: row + 1, reason }.into());
        }
        let wanted = args.return_field.data_type();
        if made.values.data_type() == wanted {
            return Ok(ColumnarValue::Array(made.values));
        }
        Ok(ColumnarValue::Array(cast(&made.values, wanted)?))
    }
}
