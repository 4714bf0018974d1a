//! Turns a filter into SQL: values never stand in its text.

use super::{Expression, Filter, Operand};
use crate::collections::collection::Collection;
use crate::collections::query::{Conditions, QueryError, comparable};
use crate::collections::region::Region;
use basilocus_formats::geopackage::quoted;
use basilocus_table::geometry::Geometry;

impl Filter {
    /// SQL that is true where the filter holds; what stands for its question marks, and its shapes, go to the conditions.
    pub(in crate::collections) fn sql(
        &self,
        of: &Collection,
        conditions: &mut Conditions,
    ) -> Result<String, QueryError> {
        self.expression(&self.expression, of, conditions)
    }

    /// Adds that features are near the shapes that they have to meet whatever else the filter says.
    pub(in crate::collections) fn add_near(&self, of: &Collection, to: &mut Conditions) -> Result<(), QueryError> {
        let all = match &self.expression {
            Expression::And(list) => list.as_slice(),
            one => std::slice::from_ref(one),
        };
        for shape in all.iter().filter_map(|e| if let Expression::Meets(shape) = e { Some(shape) } else { None }) {
            to.add_near(self.region(shape), of).map_err(|e| QueryError::question("filter-crs", e.to_string()))?;
        }
        Ok(())
    }

    fn region(&self, shape: &Geometry) -> Region {
        Region { shape: shape.clone(), system: self.system.clone(), heights: None }
    }

    fn expression(&self, e: &Expression, of: &Collection, to: &mut Conditions) -> Result<String, QueryError> {
        let all = |list: &[Expression], word: &str, to: &mut Conditions| -> Result<String, QueryError> {
            let parts: Vec<String> = list.iter().map(|e| self.expression(e, of, to)).collect::<Result<_, _>>()?;
            Ok(format!("({})", parts.join(word)))
        };
        Ok(match e {
            Expression::Constant(true) => "1".into(),
            Expression::Constant(false) => "0".into(),
            Expression::Holds(operand) => value(operand, of, to),
            Expression::Not(inner) => format!("(NOT {})", self.expression(inner, of, to)?),
            Expression::And(list) => all(list, " AND ", to)?,
            Expression::Or(list) => all(list, " OR ", to)?,
            Expression::Compared(a, sign, b) => format!("({} {sign} {})", value(a, of, to), value(b, of, to)),
            Expression::Like(text, pattern) => {
                let text = value(text, of, to);
                to.values.push(pattern.clone().into());
                format!("({text} GLOB ?)")
            }
            Expression::Between(a, low, high) => {
                let a = value(a, of, to);
                format!("({a} BETWEEN {} AND {})", value(low, of, to), value(high, of, to))
            }
            Expression::Among(a, list) => {
                let a = value(a, of, to);
                let list: Vec<String> = list.iter().map(|o| value(o, of, to)).collect();
                format!("({a} IN ({}))", list.join(", "))
            }
            Expression::IsNull(Operand::Column(i)) => format!("({} IS NULL)", quoted(&of.columns()[*i].name)),
            Expression::IsNull(operand) => format!("({} IS NULL)", value(operand, of, to)),
            Expression::Meets(shape) => {
                to.meets(self.region(shape), of).map_err(|e| QueryError::question("filter-crs", e.to_string()))?
            }
        })
    }
}

fn value(operand: &Operand, of: &Collection, to: &mut Conditions) -> String {
    match operand {
        Operand::Column(i) => format!("({})", comparable(&of.columns()[*i].name, of.columns()[*i].kind)),
        Operand::Shape => of.shapes.as_ref().map_or_else(|| "NULL".into(), |s| quoted(&s.column)),
        Operand::Value(value, _) => {
            to.values.push(value.clone());
            "?".into()
        }
        Operand::Folded(inner) => format!("folded({})", value(inner, of, to)),
    }
}
