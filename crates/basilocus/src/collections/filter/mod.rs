//! Filters in CQL2 text (OGC 21-065r2): comparisons, `LIKE`, `BETWEEN`, `IN`, `IS NULL`, `CASEI`, `S_INTERSECTS`, and `AND`,
//! `OR`, `NOT` between them. A filter is checked against the columns before a row is read: a number that is compared with a
//! column of texts is an error, not an empty answer.

mod sql;
mod text;

use super::collection::{Collection, ValueKind};
use super::query::QueryError;
use super::system_name::SystemName;
use basilocus_table::geometry::Geometry;
use rusqlite::types::Value as SqlValue;

/// A filter that was read.
#[derive(Debug, Clone, PartialEq)]
pub struct Filter {
    expression: Expression,
    /// The system of the shapes in it.
    system: SystemName,
}

impl Filter {
    /// Reads a filter for a collection; shapes in it are in a system, their numbers in the order of its axes.
    ///
    /// # Errors
    /// [`QueryError::Question`]: what is wrong where in the text, and what was expected there.
    ///
    /// ```no_run
    /// # fn demo(gates: &basilocus::collections::Collection) -> Result<(), Box<dyn std::error::Error>> {
    /// use basilocus::collections::{SystemName, filter::Filter};
    ///
    /// let text = "kind IN ('culvert', 'weir') AND S_INTERSECTS(geometry, BBOX(-124, 46, -123, 47))";
    /// let filter = Filter::read(text, gates, SystemName::crs84()?)?;
    /// # Ok(()) }
    /// ```
    pub fn read(text: &str, collection: &Collection, system: SystemName) -> Result<Self, QueryError> {
        let expression =
            text::read(text, collection, &system).map_err(|problem| QueryError::question("filter", problem))?;
        Ok(Filter { expression, system })
    }
}

/// A condition.
#[derive(Debug, Clone, PartialEq)]
enum Expression {
    Constant(bool),
    /// A column of true and false.
    Holds(Operand),
    Not(Box<Expression>),
    And(Vec<Expression>),
    Or(Vec<Expression>),
    Compared(Operand, &'static str, Operand),
    /// A text and a pattern in the form of SQLite's GLOB.
    Like(Operand, String),
    Between(Operand, Operand, Operand),
    Among(Operand, Vec<Operand>),
    IsNull(Operand),
    /// The shape of a feature meets another.
    Meets(Geometry),
}

/// A value.
#[derive(Debug, Clone, PartialEq)]
enum Operand {
    /// A column by its number.
    Column(usize),
    /// The shape of a feature, which is asked for being there.
    Shape,
    Value(SqlValue, ValueKind),
    /// Without regard to capitals.
    Folded(Box<Operand>),
}

impl Operand {
    fn kind(&self, collection: &Collection) -> Option<ValueKind> {
        match self {
            Operand::Column(i) => collection.columns().get(*i).map(|c| c.kind),
            Operand::Shape => None,
            Operand::Value(_, kind) => Some(*kind),
            Operand::Folded(_) => Some(ValueKind::Text),
        }
    }
}

/// A text without regard to capitals: ß as ss.
pub(super) fn folded(text: &str) -> String {
    text.to_uppercase().to_lowercase()
}
