//! The columns of a layer between two steps, known before a row is read.

use super::rows::is_geometry;
use crate::Error;
use arrow_schema::{DataType, Field, Schema, SchemaRef};
use basilocus_formats::ColumnStyle;
use basilocus_geodesy::crs::Crs;
use basilocus_table::Role;
use basilocus_table::batch::point_field;
use basilocus_table::geometry::geometry_field;
use std::path::Path;
use std::sync::Arc;

/// A column.
#[derive(Debug, Clone, PartialEq)]
pub struct Column {
    /// Name and type.
    pub field: Field,
    /// How it is best shown.
    pub style: ColumnStyle,
    /// Decimals that a workbook shows, where they are fewer than the file holds.
    pub shown_digits: Option<usize>,
    /// What it seems to be, where its header and values say so.
    pub role: Option<Role>,
    /// Whether a step added it; otherwise it came from the source, perhaps mended.
    pub added: bool,
    /// Whether it is text of whose values nobody has decided yet what type they are.
    pub is_open: bool,
}

impl Column {
    /// A column that a step adds.
    pub fn added(name: impl Into<String>, kind: DataType) -> Self {
        let style = ColumnStyle { digits: None, longest: None };
        let field = Field::new(name.into(), kind, true);
        Column { field, style, shown_digits: None, role: None, added: true, is_open: false }
    }

    /// The same with so many decimals to be shown.
    pub fn with_digits(mut self, digits: usize) -> Self {
        self.style.digits = Some(digits);
        self
    }

    /// The same, where the longest value has so many characters.
    pub fn with_longest(mut self, characters: usize) -> Self {
        self.style.longest = Some(characters);
        self
    }

    /// The name.
    pub fn name(&self) -> &str {
        self.field.name()
    }

    /// Whether it holds the geometry.
    pub fn is_geometry(&self) -> bool {
        is_geometry(&self.field)
    }
}

/// How the geometry of a layer came to be.
#[derive(Debug, Clone)]
pub struct Placed {
    /// The system of the geometry.
    pub crs: Crs,
    /// The system in which the rows were placed, before they were brought to another one.
    pub first_crs: Crs,
    /// What it was made of.
    pub origin: PlacedFrom,
    /// Names of the columns of x and y; the same twice where one column held the position, or the geometry.
    pub names: (String, String),
    /// Name of the column of heights, where they stand in one.
    pub height_name: Option<String>,
    /// Whether the coordinates stand in columns as well, in the system of the geometry.
    pub in_columns: bool,
    /// Whether it was decided which columns hold the coordinates.
    pub is_written: bool,
    /// Columns that hold the coordinates of the geometry as well, as in files that we wrote: they are written anew, not once
    /// more beside.
    pub mirrored: Vec<String>,
    /// Whether rows without a geometry are kept: all outputs have a place for them.
    pub may_lack: bool,
}

/// What positions were made of.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub enum PlacedFrom {
    /// Two columns or more.
    Columns,
    /// One column that holds the whole position.
    OneColumn,
    /// The geometry of the source.
    Geometry,
    /// Addresses.
    Addresses,
}

impl PlacedFrom {
    /// Whether somebody wrote the numbers down.
    pub(crate) fn is_of_numbers(self) -> bool {
        matches!(self, PlacedFrom::Columns | PlacedFrom::OneColumn)
    }
}

/// The columns of a layer.
#[derive(Debug, Clone, Default)]
pub struct Columns {
    list: Vec<Column>,
    placed: Option<Placed>,
    pub(crate) roles_known: bool,
}

impl Columns {
    /// The columns of a source. Those of text are open where the source knows no types.
    pub(crate) fn of_source(schema: &Schema, typed: bool) -> Self {
        let column = |f: &Arc<Field>| Column {
            field: f.as_ref().clone(),
            style: ColumnStyle { digits: None, longest: None },
            shown_digits: None,
            role: None,
            added: false,
            is_open: !typed && f.data_type() == &DataType::Utf8,
        };
        Columns { list: schema.fields().iter().map(column).collect(), placed: None, roles_known: false }
    }

    /// All columns in their order.
    pub fn iter(&self) -> impl Iterator<Item = &Column> {
        self.list.iter()
    }

    /// A column by its place.
    pub fn get(&self, at: usize) -> Option<&Column> {
        self.list.get(at)
    }

    /// How many there are.
    pub fn len(&self) -> usize {
        self.list.len()
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.list.is_empty()
    }

    /// The columns as Arrow has them.
    pub fn schema(&self) -> SchemaRef {
        Arc::new(Schema::new(self.list.iter().map(|c| c.field.clone()).collect::<Vec<_>>()))
    }

    /// The names, that of the geometry among them.
    pub fn names(&self) -> Vec<String> {
        self.list.iter().map(|c| c.name().to_string()).collect()
    }

    /// Gives a column another type.
    pub(crate) fn replace_field(&mut self, at: usize, field: Field) {
        if let Some(column) = self.list.get_mut(at) {
            column.field = field;
        }
    }

    /// Says what a column seems to be.
    pub(crate) fn set_role(&mut self, at: usize, role: Option<Role>) {
        self.list[at].role = role;
    }

    /// The place of a column; letters of another case are taken where no name is the same.
    pub fn position(&self, name: &str) -> Option<usize> {
        self.list
            .iter()
            .position(|c| c.name() == name)
            .or_else(|| self.list.iter().position(|c| c.name().eq_ignore_ascii_case(name)))
    }

    /// The place of a column that must be there.
    ///
    /// # Errors
    /// [`Error::NoColumn`] with the names that are there and those that come nearest.
    pub fn require(&self, name: &str, source: &Path) -> Result<usize, Error> {
        self.position(name).ok_or_else(|| Error::NoColumn {
            path: source.to_path_buf(),
            wanted: name.to_string(),
            names: self.list.iter().filter(|c| !c.is_geometry()).map(|c| c.name().to_string()).collect(),
        })
    }

    /// The place of the geometry.
    pub fn geometry(&self) -> Option<usize> {
        self.list.iter().position(Column::is_geometry)
    }

    /// Whether the geometry is of lines, polygons or mixed types.
    pub fn has_shapes(&self) -> bool {
        self.geometry().is_some_and(|i| self.list[i].field.data_type() == &DataType::Binary)
    }

    /// Whether points have heights.
    pub fn has_heights(&self) -> bool {
        self.geometry().is_some_and(|i| matches!(self.list[i].field.data_type(), DataType::Struct(f) if f.len() > 2))
    }

    /// How the geometry came to be; `None` for a table without positions, and for a layer whose geometry no step has
    /// looked at yet.
    pub fn placed(&self) -> Option<&Placed> {
        self.placed.as_ref()
    }

    /// A name that no column has: the one that is wanted, else with `code` behind it, else with a number.
    pub fn free_name(&self, wanted: &str, code: Option<u32>) -> String {
        let taken = |name: &str| self.list.iter().any(|c| !c.is_geometry() && c.name().eq_ignore_ascii_case(name));
        if !taken(wanted) {
            return wanted.to_string();
        }
        let numbered = (2..).map(|n| format!("{wanted}_{n}"));
        code.map(|c| format!("{wanted}_{c}")).into_iter().chain(numbered).find(|n| !taken(n)).unwrap_or_default()
    }

    /// Adds a column behind the others.
    pub fn push(&mut self, column: Column) {
        self.list.push(column);
    }

    /// Adds a column at a place.
    pub fn insert(&mut self, at: usize, column: Column) {
        self.list.insert(at, column);
    }

    /// Takes a column out.
    pub fn remove(&mut self, at: usize) -> Column {
        self.list.remove(at)
    }

    /// A column that may be changed.
    pub fn get_mut(&mut self, at: usize) -> Option<&mut Column> {
        self.list.get_mut(at)
    }

    /// Says how the geometry came to be, and makes its column: where it was, or behind the others. Gives its place.
    ///
    /// # Errors
    /// Where the system cannot be written as text.
    pub(crate) fn place(&mut self, placed: Placed, with_heights: bool) -> Result<usize, Error> {
        let system = crate::coordinates::system::text_of(&placed.crs)?;
        let keeps_shapes = placed.origin == PlacedFrom::Geometry && self.has_shapes();
        let field = if keeps_shapes { geometry_field(Some(&system)) } else { point_field(Some(&system), with_heights) };
        let style = ColumnStyle { digits: None, longest: None };
        let added = placed.origin != PlacedFrom::Geometry;
        self.placed = Some(placed);
        match self.geometry() {
            Some(at) => {
                self.list[at].field = field;
                self.list[at].added = added;
                Ok(at)
            }
            None => {
                self.list.push(Column { field, style, shown_digits: None, role: None, added, is_open: false });
                Ok(self.list.len() - 1)
            }
        }
    }

    /// Says that it was decided which columns hold the coordinates.
    pub(crate) fn set_written(&mut self) {
        if let Some(placed) = &mut self.placed {
            placed.is_written = true;
        }
    }

    /// Forgets in which system the rows were placed first: a step that is not ours may have moved them.
    pub(crate) fn forget_first_system(&mut self) {
        if let Some(placed) = &mut self.placed {
            placed.first_crs = placed.crs.clone();
            placed.in_columns = false;
            placed.is_written = false;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use basilocus_geodesy::crs::Catalogue;

    fn columns(names: &[&str]) -> Columns {
        let fields: Vec<Field> = names.iter().map(|n| Field::new(*n, DataType::Utf8, true)).collect();
        Columns::of_source(&Schema::new(fields), false)
    }

    fn placed(code: u32, origin: PlacedFrom) -> Placed {
        let crs = Catalogue::embedded().get(code).unwrap();
        let names = ("x".to_string(), "y".to_string());
        Placed {
            first_crs: crs.clone(),
            crs,
            origin,
            names,
            in_columns: true,
            is_written: false,
            mirrored: Vec::new(),
            may_lack: false,
            height_name: None,
        }
    }

    #[test]
    fn a_name_is_found_as_it_is_before_one_in_other_letters() {
        let c = columns(&["Name", "name", "KIND"]);
        assert_eq!((c.position("name"), c.position("Name"), c.position("kind")), (Some(1), Some(0), Some(2)));
        assert_eq!(c.position("kinds"), None);
        let e = c.require("kinds", Path::new("gates.csv")).unwrap_err().to_string();
        assert!(
            e.contains("gates.csv") && e.contains("did you mean \"KIND\"") && e.contains("Name, name, KIND"),
            "{e}"
        );
    }

    #[test]
    fn a_free_name_is_the_wanted_one_or_has_the_code_or_a_number_behind() {
        let c = columns(&["lon", "LON_4326", "lon_2"]);
        assert_eq!(c.free_name("lat", Some(4326)), "lat");
        assert_eq!(c.free_name("Lon", Some(7844)), "Lon_7844", "letters of another case are taken too");
        assert_eq!(c.free_name("lon", Some(4326)), "lon_3");
        assert_eq!(c.free_name("lon", None), "lon_3");
        assert_eq!(columns(&["lon"]).free_name("lon", None), "lon_2");
    }

    #[test]
    fn text_of_a_source_without_types_is_open() {
        let fields = vec![Field::new("a", DataType::Utf8, true), Field::new("b", DataType::Int64, true)];
        let open = |typed| {
            Columns::of_source(&Schema::new(fields.clone()), typed).iter().map(|c| c.is_open).collect::<Vec<_>>()
        };
        assert_eq!((open(false), open(true)), (vec![true, false], vec![false, false]));
    }

    #[test]
    fn a_place_makes_one_geometry_behind_the_columns_and_keeps_it_there() {
        let mut c = columns(&["x", "y"]);
        assert!(c.geometry().is_none() && c.placed().is_none());
        assert_eq!(c.place(placed(32610, PlacedFrom::Columns), true).unwrap(), 2);
        assert!(c.has_heights() && !c.has_shapes());
        c.push(Column::added("note", DataType::Utf8));
        assert_eq!(c.place(placed(4326, PlacedFrom::Columns), false).unwrap(), 2, "another system, the same place");
        assert_eq!((c.len(), c.has_heights()), (4, false));
        assert_eq!(c.placed().map(|p| p.crs.code), Some(Some(4326)));
        assert!(c.require("note", Path::new("t")).is_ok());
        let e = c.require("gone", Path::new("t")).unwrap_err().to_string();
        assert!(e.ends_with("it has: x, y, note"), "a geometry is no column to a person: {e}");
    }

    #[test]
    fn a_step_that_moves_rows_makes_their_first_system_the_present_one() {
        let mut c = columns(&["x", "y"]);
        let first = Catalogue::embedded().get(4267).unwrap();
        c.place(Placed { first_crs: first, ..placed(4326, PlacedFrom::Columns) }, false).unwrap();
        c.set_written();
        assert!(c.placed().is_some_and(|p| p.is_written));
        c.forget_first_system();
        let p = c.placed().unwrap();
        assert_eq!((p.first_crs.code, p.in_columns, p.is_written), (Some(4326), false, false));
    }

    #[test]
    fn columns_come_and_go_in_their_order() {
        let mut c = columns(&["a", "b"]);
        c.insert(1, Column::added("between", DataType::Float64).with_digits(2).with_longest(9));
        assert_eq!(c.names(), ["a", "between", "b"]);
        let between = c.get(1).unwrap();
        assert_eq!((between.style.digits, between.style.longest, between.added), (Some(2), Some(9), true));
        assert_eq!(c.remove(0).name(), "a");
        c.get_mut(1).unwrap().role = Some(Role::Height);
        c.set_role(0, None);
        assert_eq!(c.schema().fields().iter().map(|f| f.name().as_str()).collect::<Vec<_>>(), ["between", "b"]);
        assert!(!c.is_empty() && Columns::default().is_empty());
    }
}
