//! Gives columns of text the types that all their values have.

use crate::engine::{Column, Columns, Rows};
use arrow_array::{ArrayRef, BooleanArray, Float64Array, Int64Array, StringArray};
use arrow_schema::{DataType, Field};
use basilocus_formats::ColumnStyle;
use basilocus_table::moment::field_of;
use basilocus_table::{ColumnProfile, Moment, Role, ValueKind};
use std::sync::{Arc, Mutex, PoisonError};

/// The type of a column, as its values have it.
#[derive(Debug, Clone)]
pub(crate) struct Decided {
    name: String,
    role: Option<Role>,
    kind: DataType,
    pub style: ColumnStyle,
    pub profile: ColumnProfile,
}

/// The types of columns whose text nobody decided about before.
#[derive(Debug, Clone, Default)]
pub(crate) struct Types(Vec<Decided>);

impl Decided {
    /// Postcodes and whatever has a code among its values stay text, and numbers with a comma where commas part the fields.
    fn new(column: &Column, profile: ColumnProfile, with_commas: bool) -> Self {
        let kind = match (profile.kind(), column.role) {
            (_, Some(Role::Postcode)) => DataType::Utf8,
            (ValueKind::Boolean, _) => DataType::Boolean,
            (ValueKind::Integer, _) => DataType::Int64,
            (ValueKind::Real, _) => DataType::Float64,
            (ValueKind::DecimalComma, _) if with_commas => DataType::Float64,
            (ValueKind::Date, _) => Moment::Date.data_type(),
            (ValueKind::DateTime { utc }, _) => Moment::DateTime { utc }.data_type(),
            _ => DataType::Utf8,
        };
        let style = ColumnStyle {
            digits: (kind == DataType::Float64).then_some(profile.decimals),
            longest: Some(profile.longest),
        };
        Decided { name: column.name().to_string(), role: column.role, kind, style, profile }
    }

    /// The field with the type; one that has a type already keeps it.
    pub(super) fn field(&self, field: &Field) -> Field {
        match field.data_type() {
            DataType::Utf8 => field_of(field.clone(), &self.kind),
            _ => field.clone(),
        }
    }
}

impl Types {
    /// The types that open columns have in a schema.
    pub(crate) fn of_schema(schema: &arrow_schema::Schema, columns: &Columns) -> Self {
        let open = columns.iter().filter(|c| c.is_open && !c.is_geometry());
        let decided = open.filter_map(|column| {
            let field = schema.field_with_name(column.name()).ok()?;
            Some(Decided {
                name: column.name().to_string(),
                role: column.role,
                kind: field.data_type().clone(),
                style: ColumnStyle { digits: None, longest: None },
                profile: ColumnProfile::default(),
            })
        });
        Types(decided.collect())
    }

    /// What was decided about a column.
    pub(super) fn of(&self, column: &Column) -> Option<&Decided> {
        self.0.iter().find(|d| column.is_open && d.name == column.name())
    }

    /// The columns of numbers that are written with a decimal comma.
    pub(crate) fn with_commas(&self) -> Vec<String> {
        let is_one = |d: &&Decided| d.kind == DataType::Float64 && d.profile.kind() == ValueKind::DecimalComma;
        self.0.iter().filter(is_one).map(|d| d.name.clone()).collect()
    }

    /// Names, roles and profiles of all columns.
    pub(crate) fn profiles(&self) -> Vec<(String, Option<Role>, ColumnProfile)> {
        self.0.iter().map(|d| (d.name.clone(), d.role, d.profile.clone())).collect()
    }
}

/// Looks at all values of the open columns.
pub(crate) struct TypesSurvey {
    columns: Vec<(usize, Column)>,
    profiles: Mutex<Vec<ColumnProfile>>,
    /// Whether a comma in a number may begin its decimals.
    with_commas: bool,
}

impl TypesSurvey {
    /// Of the columns as they are where rows are looked at.
    /// `with_commas` where a comma in a number may begin its decimals: where it parts fields, it is more likely a list.
    pub(crate) fn new(columns: &Columns, with_commas: bool) -> Self {
        let columns: Vec<(usize, Column)> =
            columns.iter().cloned().enumerate().filter(|(_, c)| c.is_open && !c.is_geometry()).collect();
        let profiles = Mutex::new(vec![ColumnProfile::default(); columns.len()]);
        TypesSurvey { columns, profiles, with_commas }
    }

    /// Looks at rows.
    pub(crate) fn look(&self, rows: &Rows) {
        let mut part = vec![ColumnProfile::default(); self.columns.len()];
        for ((at, _), profile) in self.columns.iter().zip(&mut part) {
            let texts = basilocus_table::text_column(rows.records().column(*at));
            texts.iter().for_each(|t| profile.add(t.unwrap_or("")));
        }
        let mut profiles = self.profiles.lock().unwrap_or_else(PoisonError::into_inner);
        profiles.iter_mut().zip(&part).for_each(|(all, p)| all.merge(p));
    }

    /// What was seen.
    pub(crate) fn types(self) -> Types {
        let profiles = self.profiles.into_inner().unwrap_or_else(PoisonError::into_inner);
        Types(
            self.columns
                .iter()
                .zip(profiles)
                .map(|((_, column), p)| Decided::new(column, p, self.with_commas))
                .collect(),
        )
    }
}

/// A column of text in another type; `None` where it has a type already.
pub(super) fn cast(column: &ArrayRef, kind: &DataType) -> Option<ArrayRef> {
    let texts = column.as_any().downcast_ref::<StringArray>()?;
    let trimmed = texts.iter().map(|v| v.map(str::trim).filter(|v| !v.is_empty()));
    Some(match kind {
        DataType::Int64 => Arc::new(trimmed.map(|v| v.and_then(|v| v.parse().ok())).collect::<Int64Array>()),
        DataType::Float64 => {
            // A comma is there where it begins the decimals of all numbers of the column.
            let number = |v: &str| v.parse().ok().or_else(|| v.replace(',', ".").parse().ok());
            Arc::new(trimmed.map(|v| v.and_then(number)).collect::<Float64Array>())
        }
        DataType::Boolean => {
            Arc::new(trimmed.map(|v| v.map(|v| v.eq_ignore_ascii_case("true"))).collect::<BooleanArray>())
        }
        DataType::Utf8 if texts.iter().any(|t| t == Some("")) => {
            // A cell of a table with nothing in it has no value.
            Arc::new(texts.iter().map(|t| t.filter(|t| !t.is_empty())).collect::<StringArray>())
        }
        _ => return None,
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn decided(role: Option<Role>, values: &[&str]) -> DataType {
        let mut profile = ColumnProfile::default();
        values.iter().for_each(|v| profile.add(v));
        let column = Column { role, is_open: true, ..Column::added("c", DataType::Utf8) };
        Decided::new(&column, profile, true).kind
    }

    #[test]
    fn codes_stay_text() {
        assert_eq!(decided(None, &["1", "22"]), DataType::Int64);
        assert_eq!(decided(None, &["1", "2.5"]), DataType::Float64);
        assert_eq!(decided(None, &["01", "22"]), DataType::Utf8);
        assert_eq!(decided(Some(Role::Postcode), &["97101", "97103"]), DataType::Utf8);
        assert_eq!(decided(None, &["true", "false"]), DataType::Boolean);
        assert_eq!(decided(None, &["1", "two"]), DataType::Utf8);
        assert_eq!(decided(None, &["1,5", "2"]), DataType::Float64);
        let mut profile = ColumnProfile::default();
        profile.add("1,5");
        let column = Column { is_open: true, ..Column::added("c", DataType::Utf8) };
        assert_eq!(Decided::new(&column, profile, false).kind, DataType::Utf8, "where commas part fields it is a list");
    }

    #[test]
    fn texts_become_values_and_blanks_become_nothing() {
        let texts: ArrayRef = Arc::new(StringArray::from(vec![Some(" 7 "), Some(""), None]));
        let numbers = cast(&texts, &DataType::Int64).unwrap();
        let numbers = numbers.as_any().downcast_ref::<Int64Array>().unwrap();
        assert_eq!(numbers.iter().collect::<Vec<_>>(), [Some(7), None, None]);
        let blank = cast(&texts, &DataType::Utf8).unwrap();
        let blank = blank.as_any().downcast_ref::<StringArray>().unwrap();
        assert_eq!(blank.iter().collect::<Vec<_>>(), [Some(" 7 "), None, None], "text stays as it is");
        let full: ArrayRef = Arc::new(StringArray::from(vec![Some("a"), None]));
        assert!(cast(&full, &DataType::Utf8).is_none());
    }
}
