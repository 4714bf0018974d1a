//! A look at a feature for its columns and the kind of its geometry, without reading its values: what the first of two
//! passes needs. Whatever is unusual is left to the parser.

use super::feature::Scalar;
use super::names::Names;
use super::scanner::Scanner;
use arrow_schema::DataType;
use basilocus_table::Moment;

/// Which kinds of values a column has, a bit each; nulls have none.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub(super) struct Kinds(u8);

impl Kinds {
    const NULL: Kinds = Kinds(0);
    const BOOLEAN: Kinds = Kinds(1);
    const INTEGER: Kinds = Kinds(2);
    const REAL: Kinds = Kinds(4);
    const TEXT: Kinds = Kinds(8);
    const DATE: Kinds = Kinds(16);
    const LOCAL_TIME: Kinds = Kinds(32);
    const UTC_TIME: Kinds = Kinds(64);

    pub(super) fn of(value: &Scalar) -> Self {
        match value {
            Scalar::Null => Self::NULL,
            Scalar::Boolean(_) => Self::BOOLEAN,
            Scalar::Integer(_) => Self::INTEGER,
            Scalar::Real(_) => Self::REAL,
            Scalar::Text(text) => Self::of_text(text),
            Scalar::Other(_) => Self::TEXT,
        }
    }

    /// Of a string: JSON has no other form for dates.
    fn of_text(text: &str) -> Self {
        match Moment::of(text) {
            Some(Moment::Date) => Self::DATE,
            Some(Moment::DateTime { utc: false }) => Self::LOCAL_TIME,
            Some(Moment::DateTime { utc: true }) => Self::UTC_TIME,
            None => Self::TEXT,
        }
    }

    pub(super) fn add(&mut self, other: Kinds) {
        self.0 |= other.0;
    }

    /// Whether there are nulls alone.
    pub(super) fn is_empty(self) -> bool {
        self == Self::NULL
    }

    /// The type that holds all of them.
    pub(super) fn data_type(self) -> DataType {
        match self {
            Self::BOOLEAN => DataType::Boolean,
            Self::INTEGER => DataType::Int64,
            Self::REAL | Kinds(6) => DataType::Float64,
            Self::DATE => Moment::Date.data_type(),
            Self::LOCAL_TIME => Moment::DateTime { utc: false }.data_type(),
            Self::UTC_TIME => Moment::DateTime { utc: true }.data_type(),
            _ => DataType::Utf8,
        }
    }
}

/// What is met in a feature.
#[derive(Default)]
pub(super) struct Found {
    /// Kinds of the values by the place of their names: the identifier, and the properties.
    pub values: Vec<(usize, Kinds)>,
    /// Whether the geometry is a point, and whether a point has a height; none where there is none.
    pub geometry: Option<(bool, bool)>,
}

/// Goes through a feature; none where it is not as features usually are, or has a name that is not known yet.
pub(super) fn feature(s: &mut Scanner, names: &Names, found: &mut Found) -> Option<()> {
    found.values.clear();
    found.geometry = None;
    s.object(|s| match s.name()? {
        "type" => (s.string()? == "Feature").then_some(()),
        "id" => {
            let kind = kind(s)?;
            if !kind.is_empty() {
                found.values.push((names.get("id")?, kind));
            }
            Some(())
        }
        "geometry" if s.peek()? == b'n' => s.skip(),
        "geometry" => {
            found.geometry = Some(geometry(s)?);
            Some(())
        }
        "properties" if s.peek()? == b'n' => s.skip(),
        "properties" => {
            let mut next = found.values.len();
            s.object(|s| {
                let at = names.pass(s, next)??;
                next = at + 1;
                // Objects become columns of their own and lists stay as they are written: the parser sees to both.
                if matches!(s.peek()?, b'{' | b'[') {
                    return None;
                }
                found.values.push((at, kind(s)?));
                Some(())
            })
        }
        _ => s.skip(),
    })
}

/// Whether a geometry is a point, and whether a point has a height.
fn geometry(s: &mut Scanner) -> Option<(bool, bool)> {
    let (mut kind, mut numbers) = (None, 0);
    s.object(|s| match s.name()? {
        "type" => {
            kind = Some(s.string()?);
            Some(())
        }
        "coordinates" => {
            numbers = coordinates(s)?;
            Some(())
        }
        _ => s.skip(),
    })?;
    let is_point = kind? == "Point";
    Some((is_point, is_point && numbers > 2))
}

/// Passes over an array of coordinates; gives how many values the innermost first one has.
fn coordinates(s: &mut Scanner) -> Option<usize> {
    let (mut depth, mut values, mut counting) = (0, 0, true);
    let rest = &s.text.as_bytes()[s.at..];
    for (i, c) in rest.iter().enumerate() {
        match c {
            b'[' => {
                depth += 1;
                values = if counting { 1 } else { values };
            }
            b']' => {
                counting = false;
                depth -= 1;
                if depth == 0 {
                    s.at += i + 1;
                    return Some(values);
                }
            }
            b',' if counting => values += 1,
            // What is no list of numbers.
            b'"' | b'{' | b'}' => return None,
            _ if depth == 0 && !c.is_ascii_whitespace() => return None,
            _ => {}
        }
    }
    None
}

fn kind(s: &mut Scanner) -> Option<Kinds> {
    Some(match s.peek()? {
        b'"' => {
            let start = s.at + 1;
            s.skip_string()?;
            // Nobody writes a date with escapes.
            Kinds::of_text(s.text.get(start..s.at - 1)?)
        }
        b'{' | b'[' => {
            s.skip()?;
            Kinds::TEXT
        }
        _ => match s.word()? {
            "null" => Kinds::NULL,
            "true" | "false" => Kinds::BOOLEAN,
            number => {
                let figures = number.strip_prefix('-').unwrap_or(number).as_bytes();
                if !figures.first()?.is_ascii_digit() {
                    return None;
                }
                if figures.iter().all(u8::is_ascii_digit) {
                    // Eighteen figures fit into 64 bits; of more the parser decides, and of a zero with a minus.
                    if figures.len() > 18 || number == "-0" {
                        return None;
                    }
                    Kinds::INTEGER
                } else {
                    Kinds::REAL
                }
            }
        },
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Names with the words for their kinds, and the geometry.
    type Met = (Vec<(usize, &'static str)>, Option<(bool, bool)>);

    fn met(text: &str) -> Option<Met> {
        let names = Names::new(["id", "a", "b", "c", "d", "e", "g"].map(String::from));
        let (mut found, mut s) = (Found::default(), Scanner::new(text, 0));
        feature(&mut s, &names, &mut found).filter(|()| s.at_end())?;
        let word = |k: &Kinds| match *k {
            Kinds::NULL => "null",
            Kinds::BOOLEAN => "boolean",
            Kinds::INTEGER => "integer",
            Kinds::REAL => "real",
            _ => "text",
        };
        Some((found.values.iter().map(|(at, k)| (*at, word(k))).collect(), found.geometry))
    }

    #[test]
    fn usual_features() {
        let text = r#" {"type":"Feature", "id": 7, "geometry" : {"type":"Point","coordinates":[ 1,2 , 3]},"properties":{"a":"x\\\"","b":-1.5e3,"c":12,"d":null,"g":true,"e":"]"}} "#;
        let (found, geometry) = met(text).unwrap();
        assert_eq!(
            found,
            [(0, "integer"), (1, "text"), (2, "real"), (3, "integer"), (4, "null"), (6, "boolean"), (5, "text")]
        );
        assert_eq!(geometry, Some((true, true)));
        assert_eq!(
            met(r#"{"geometry":{"coordinates":[[1,2],[3,4,5]],"type":"LineString"}}"#).unwrap().1,
            Some((false, false))
        );
        assert_eq!(
            met(r#"{"geometry":{"type":"Point","coordinates":[1,2]},"properties":null}"#).unwrap().1,
            Some((true, false))
        );
        assert_eq!(met("{}").unwrap(), (Vec::new(), None));
    }

    #[test]
    fn what_is_unusual_is_left_to_the_parser() {
        for text in [
            r#"{"properties":{"new":1}}"#,
            r#"{"properties":{"a\u0041":1}}"#,
            r#"{"properties":{"a":1234567890123456789}}"#,
            r#"{"properties":{"a":-0}}"#,
            r#"{"properties":{"a":nope}}"#,
            r#"{"type":"Other"}"#,
            r#"{"properties":{"a":{"b":1}}}"#,
            r#"{"properties":{"a":[1]}}"#,
            r#"{"geometry":{"type":"Point","coordinates":["1",2]}}"#,
            r#"{"properties":{"a":1}"#,
            r#"{"properties":{"a":1}} x"#,
            r#"{"properties":{"a":1,}}"#,
            "[1]",
            "",
        ] {
            assert_eq!(met(text), None, "{text}");
        }
    }

    #[test]
    fn one_type_for_all_values() {
        let all = |kinds: &[Kinds]| {
            let mut found = Kinds::default();
            kinds.iter().for_each(|k| found.add(*k));
            found.data_type()
        };
        assert_eq!(all(&[Kinds::INTEGER, Kinds::NULL]), DataType::Int64);
        assert_eq!(all(&[Kinds::INTEGER, Kinds::REAL]), DataType::Float64);
        assert_eq!(all(&[Kinds::BOOLEAN]), DataType::Boolean);
        assert_eq!(all(&[Kinds::BOOLEAN, Kinds::INTEGER]), DataType::Utf8);
        assert_eq!(all(&[Kinds::TEXT, Kinds::REAL]), DataType::Utf8);
        assert_eq!(all(&[]), DataType::Utf8);
    }
}
