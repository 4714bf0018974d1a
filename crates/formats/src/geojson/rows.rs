//! Features to columns. What is usual goes from the text into its column at once; for the rest the general parser reads the
//! feature as a whole, so that there is one place that says what is wrong with it.

use super::feature::{Feature, Scalar};
use super::names::Names;
use super::scanner::{Number, Scanner};
use arrow_array::ArrayRef;
use arrow_array::builder::{BooleanBuilder, Float64Builder, Int64Builder, StringBuilder};
use arrow_schema::DataType;
use basilocus_table::geometry::{Geometry, Position};
use std::sync::Arc;

/// The columns that the features have in common, by the names of their properties.
pub(super) struct Columns {
    pub names: Names,
    types: Vec<DataType>,
}

impl Columns {
    pub(super) fn new(list: Vec<(String, DataType)>) -> Self {
        let (names, types): (Vec<String>, Vec<DataType>) = list.into_iter().unzip();
        Columns { names: Names::new(names), types }
    }

    /// An array being built for each column.
    pub(super) fn builders(&self) -> Vec<Builder> {
        self.types.iter().map(Builder::new).collect()
    }
}

/// A value of a property that is no object and no list.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) enum Slot<'a> {
    Missing,
    Null,
    Boolean(bool),
    Number(Number),
    Text(&'a str),
}

/// A usual feature: its values column by column, and its geometry.
pub(super) struct Row<'a> {
    pub slots: Vec<Slot<'a>>,
    pub geometry: Option<Geometry>,
    /// The column of the first property in the feature before: mostly it is that of the next one's as well.
    first: usize,
}

impl<'a> Row<'a> {
    pub(super) fn new(columns: &Columns) -> Self {
        Row { slots: vec![Slot::Missing; columns.types.len()], geometry: None, first: 0 }
    }

    /// Reads a feature; none where it is not as features usually are, or is broken.
    pub(super) fn read(&mut self, s: &mut Scanner<'a>, columns: &Columns, sequence: bool) -> Option<()> {
        self.slots.fill(Slot::Missing);
        self.geometry = None;
        let mut id = Slot::Missing;
        // Which members were there: of two of one name the general parser has something to say.
        let mut seen = [false; 4];
        s.object(|s| {
            let member = match s.name()? {
                "type" => 0,
                "id" => 1,
                "geometry" => 2,
                "properties" => 3,
                _ => return s.skip_valid(),
            };
            if std::mem::replace(&mut seen[member], true) {
                return None;
            }
            match member {
                0 => (s.string()? == "Feature").then_some(()),
                1 => {
                    id = slot(s)?;
                    Some(())
                }
                2 => {
                    self.geometry = if s.peek()? == b'n' { null(s).map(|()| None) } else { geometry(s).map(Some) }?;
                    Some(())
                }
                _ if s.peek()? == b'n' => null(s),
                _ => self.properties(s, columns),
            }
        })?;
        if sequence && !(seen[0] && s.at_end()) {
            return None;
        }
        if let Some(own) = columns.names.get("id").map(|i| &mut self.slots[i])
            && *own == Slot::Missing
        {
            *own = id;
        }
        Some(())
    }

    fn properties(&mut self, s: &mut Scanner<'a>, columns: &Columns) -> Option<()> {
        let (mut next, mut first) = (self.first, None);
        s.object(|s| {
            let Some(at) = columns.names.pass(s, next)? else {
                // Where others have an object, whose members are the columns.
                return (slot(s)? == Slot::Null).then_some(());
            };
            first.get_or_insert(at);
            next = at + 1;
            self.slots[at] = slot(s)?;
            Some(())
        })?;
        self.first = first.unwrap_or(self.first);
        Some(())
    }
}

fn null(s: &mut Scanner) -> Option<()> {
    (s.word()? == "null").then_some(())
}

fn slot<'a>(s: &mut Scanner<'a>) -> Option<Slot<'a>> {
    Some(match s.peek()? {
        b'"' => Slot::Text(s.string()?),
        // Objects become columns of their own, and lists stay as they are written.
        b'{' | b'[' => return None,
        b'n' | b't' | b'f' => match s.word()? {
            "null" => Slot::Null,
            "true" => Slot::Boolean(true),
            "false" => Slot::Boolean(false),
            _ => return None,
        },
        _ => Slot::Number(s.number()?),
    })
}

/// A geometry object other than a collection.
fn geometry(s: &mut Scanner) -> Option<Geometry> {
    let (mut kind, mut found, mut waiting) = (None, None, None);
    s.object(|s| match s.name()? {
        "type" if kind.is_none() => {
            kind = Some(s.string()?);
            Some(())
        }
        "coordinates" if found.is_none() && waiting.is_none() => {
            s.peek()?;
            match kind {
                Some(kind) => found = Some(coordinates(s, kind)?),
                None => {
                    let from = s.at;
                    s.skip()?;
                    waiting = Some((from, s.at));
                }
            }
            Some(())
        }
        "type" | "coordinates" | "geometries" => None,
        _ => s.skip_valid(),
    })?;
    match (found, waiting) {
        (None, Some((at, end))) => {
            let mut s = Scanner::new(s.text, at);
            coordinates(&mut s, kind?).filter(|_| s.at == end)
        }
        (found, _) => found,
    }
}

fn coordinates(s: &mut Scanner, kind: &str) -> Option<Geometry> {
    Some(match kind {
        "Point" => Geometry::Point(position(s)?),
        "LineString" => Geometry::LineString(s.array(position)?),
        "MultiPoint" => Geometry::MultiPoint(s.array(position)?),
        "Polygon" => Geometry::Polygon(s.array(|s| s.array(position))?),
        "MultiLineString" => Geometry::MultiLineString(s.array(|s| s.array(position))?),
        "MultiPolygon" => Geometry::MultiPolygon(s.array(|s| s.array(|s| s.array(position)))?),
        _ => return None,
    })
}

fn position(s: &mut Scanner) -> Option<Position> {
    s.take(b'[')?;
    let x = s.number()?.real();
    s.take(b',')?;
    let y = s.number()?.real();
    let mut z = f64::NAN;
    let mut more = 0;
    while s.peek()? == b',' {
        s.at += 1;
        let value = s.number()?.real();
        // What stands behind the height has no meaning (clause 3.1.1).
        if more == 0 {
            z = value;
        }
        more += 1;
    }
    s.take(b']')?;
    Some(Position::xyz(x, y, z))
}

/// The array of a column while it is built.
pub(super) enum Builder {
    Integer(Int64Builder),
    Real(Float64Builder),
    Boolean(BooleanBuilder),
    Text(StringBuilder),
}

impl Builder {
    fn new(kind: &DataType) -> Self {
        match kind {
            DataType::Int64 => Builder::Integer(Int64Builder::new()),
            DataType::Float64 => Builder::Real(Float64Builder::new()),
            DataType::Boolean => Builder::Boolean(BooleanBuilder::new()),
            _ => Builder::Text(StringBuilder::new()),
        }
    }

    pub(super) fn append(&mut self, slot: Slot) {
        match (self, slot) {
            (Builder::Integer(b), Slot::Number(Number::Integer(v))) => b.append_value(v),
            (Builder::Integer(b), _) => b.append_null(),
            (Builder::Real(b), Slot::Number(v)) => b.append_value(v.real()),
            (Builder::Real(b), _) => b.append_null(),
            (Builder::Boolean(b), Slot::Boolean(v)) => b.append_value(v),
            (Builder::Boolean(b), _) => b.append_null(),
            (Builder::Text(b), Slot::Text(t)) => b.append_value(t),
            (Builder::Text(b), Slot::Missing | Slot::Null) => b.append_null(),
            (Builder::Text(b), Slot::Boolean(v)) => b.append_value(if v { "true" } else { "false" }),
            (Builder::Text(b), Slot::Number(Number::Integer(v))) => b.append_value(itoa::Buffer::new().format(v)),
            (Builder::Text(b), Slot::Number(Number::Real(v))) => {
                b.append_value(Scalar::Real(v).text().unwrap_or_default())
            }
        }
    }

    /// Appends what the general parser read.
    pub(super) fn append_scalar(&mut self, value: Option<&Scalar>) {
        self.append(match value {
            None => Slot::Missing,
            Some(Scalar::Null) => Slot::Null,
            Some(Scalar::Boolean(v)) => Slot::Boolean(*v),
            Some(Scalar::Integer(v)) => Slot::Number(Number::Integer(*v)),
            Some(Scalar::Real(v)) => Slot::Number(Number::Real(*v)),
            Some(Scalar::Text(t)) => Slot::Text(t),
            Some(Scalar::Other(v)) => return self.append(Slot::Text(&v.to_string())),
        });
    }

    pub(super) fn finish(self) -> ArrayRef {
        match self {
            Builder::Integer(mut b) => Arc::new(b.finish()),
            Builder::Real(mut b) => Arc::new(b.finish()),
            Builder::Boolean(mut b) => Arc::new(b.finish()),
            Builder::Text(mut b) => Arc::new(b.finish()),
        }
    }
}

/// The value of a column in a feature that the general parser read; the column is likely at a place.
pub(super) fn cell<'f, 'a>(f: &'f Feature<'a>, name: &str, likely: usize) -> Option<&'f Scalar<'a>> {
    match f.properties.as_ref().and_then(|p| p.get(name, likely)) {
        Some(v) => Some(v),
        None if name == "id" => f.id.as_ref(),
        None => None,
    }
}
