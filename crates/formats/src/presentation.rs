//! How a layer is shown by formats that show things: folders, names, balloons, icons and colours.

use basilocus_table::Batch;
use std::fmt::{self, Display, Formatter};
use std::str::FromStr;

/// How the rows of a layer are shown. Formats that have no place for a part of it pass over it.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Presentation {
    /// The column whose values part the layer: folders of KML, layers of a drawing, sheets of a workbook.
    pub category: Option<usize>,
    /// The name of a row.
    pub label: Option<Template>,
    /// The text of a row's balloon.
    pub balloon: Option<Template>,
    /// Address or file of a row's icon.
    pub icon: Option<Rule>,
    /// Colour of a row, `#RRGGBB` or the name of a basic colour.
    pub color: Option<Rule>,
    /// What heights are counted from.
    pub altitude: Altitude,
    /// Whether rows say the name of their layer, in formats that have no other place for it: several layers share a file.
    pub names_layer: bool,
}

/// What heights are counted from where a row is shown.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
#[non_exhaustive]
pub enum Altitude {
    /// The sea where a row has heights, else it lies on the ground.
    #[default]
    Found,
    /// It lies on the ground, whatever its heights.
    Ground,
    /// The ground below.
    AboveGround,
    /// The sea.
    AboveSea,
}

/// What heights can be counted from, by name.
const ALTITUDES: [(Altitude, &str); 3] =
    [(Altitude::Ground, "ground"), (Altitude::AboveGround, "above-ground"), (Altitude::AboveSea, "above-sea")];

/// A word that names nothing that heights are counted from.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("\"{given}\" is nothing that heights are counted from; ground, above-ground or above-sea is expected")]
pub struct UnknownAltitude {
    /// What was given.
    pub given: String,
}

impl FromStr for Altitude {
    type Err = UnknownAltitude;

    fn from_str(name: &str) -> Result<Self, UnknownAltitude> {
        let found = ALTITUDES.iter().find(|(_, n)| *n == name).map(|(altitude, _)| *altitude);
        found.ok_or_else(|| UnknownAltitude { given: name.to_string() })
    }
}

impl Display for Altitude {
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        f.write_str(ALTITUDES.iter().find(|(altitude, _)| altitude == self).map_or("found", |(_, name)| name))
    }
}

/// Text with the values of columns in it.
#[derive(Debug, Clone, PartialEq)]
pub struct Template(Vec<Part>);

#[derive(Debug, Clone, PartialEq)]
enum Part {
    Text(String),
    Column(usize),
}

impl Template {
    /// Reads `{name} is {kind}`; `{{` and `}}` are braces. A text without braces is the name of a column.
    ///
    /// # Errors
    /// The name of a column that is not there, or a brace that is not closed.
    pub fn new(text: &str, columns: &[String]) -> Result<Self, String> {
        let find = |name: &str| {
            let name = name.trim();
            columns
                .iter()
                .position(|c| c == name)
                .or_else(|| columns.iter().position(|c| c.eq_ignore_ascii_case(name)))
                .ok_or_else(|| format!("there is no column \"{name}\"; it has: {}", columns.join(", ")))
        };
        if !text.contains('{') {
            // A name that is misspelt would else stand at every row.
            return Ok(Template(vec![Part::Column(find(text)?)]));
        }
        let mut parts = Vec::new();
        let mut literal = String::new();
        let mut rest = text;
        while let Some(c) = rest.chars().next() {
            if rest.starts_with("{{") || rest.starts_with("}}") {
                literal.push(c);
                rest = &rest[2..];
            } else if c == '{' {
                let (name, after) =
                    rest[1..].split_once('}').ok_or_else(|| format!("\"{rest}\": a brace is not closed"))?;
                parts.push(Part::Text(std::mem::take(&mut literal)));
                parts.push(Part::Column(find(name)?));
                rest = after;
            } else {
                literal.push(c);
                rest = &rest[c.len_utf8()..];
            }
        }
        parts.push(Part::Text(literal));
        parts.retain(|p| !matches!(p, Part::Text(t) if t.is_empty()));
        Ok(Template(parts))
    }

    /// The text of a row; `value` gives that of a column.
    pub(crate) fn text(&self, value: &dyn Fn(usize) -> String) -> String {
        self.0
            .iter()
            .map(|p| match p {
                Part::Text(t) => t.clone(),
                Part::Column(c) => value(*c),
            })
            .collect()
    }
}

/// A value for each row: the same for all, that of a column, or by the values of a column.
#[derive(Debug, Clone, PartialEq)]
pub struct Rule {
    /// The column that decides.
    pub column: Option<usize>,
    /// Its values, and what each leads to.
    pub values: Vec<(String, String)>,
    /// What all else leads to.
    pub other: Option<String>,
}

impl Rule {
    /// Reads `VALUE`, `COLUMN`, or `COLUMN:A=X,B=Y,*=Z`.
    ///
    /// # Errors
    /// A part that is no pair.
    pub fn new(text: &str, columns: &[String]) -> Result<Self, String> {
        let find = |name: &str| {
            let name = name.trim();
            columns.iter().position(|c| c == name).or_else(|| columns.iter().position(|c| c.eq_ignore_ascii_case(name)))
        };
        if let Some(column) = find(text) {
            return Ok(Rule { column: Some(column), values: Vec::new(), other: None });
        }
        let Some((column, list)) = text.split_once(':').and_then(|(c, list)| Some((find(c)?, list))) else {
            // Pairs behind something that is no column: a name that is misspelt.
            if let Some((name, _)) = text
                .split_once(':')
                .filter(|(n, l)| l.contains('=') && !n.contains('/') && *n != "http" && *n != "https")
            {
                return Err(format!("there is no column \"{name}\"; it has: {}", columns.join(", ")));
            }
            return Ok(Rule { column: None, values: Vec::new(), other: Some(text.to_string()) });
        };
        let mut rule = Rule { column: Some(column), values: Vec::new(), other: None };
        for pair in list.split(',') {
            match pair.split_once('=') {
                Some(("*", other)) => rule.other = Some(other.trim().to_string()),
                Some((value, to)) => rule.values.push((value.trim().to_string(), to.trim().to_string())),
                None => {
                    return Err(format!("\"{pair}\": VALUE=… is expected, such as {}:a=x,b=y,*=z", columns[column]));
                }
            }
        }
        Ok(rule)
    }

    /// What a row leads to; `None` for nothing.
    pub(crate) fn of(&self, batch: &Batch, row: usize) -> Option<String> {
        let Some(column) = self.column else { return self.other.clone() };
        let value = batch.text(column, row);
        if self.values.is_empty() && self.other.is_none() {
            return Some(value).filter(|v| !v.is_empty());
        }
        self.values.iter().find(|(v, _)| *v == value).map(|(_, to)| to.clone()).or_else(|| self.other.clone())
    }
}

/// Names of basic colours (CSS Color Module Level 4, section 6.1).
const NAMES: [(&str, [u8; 3]); 17] = [
    ("black", [0, 0, 0]),
    ("silver", [192, 192, 192]),
    ("gray", [128, 128, 128]),
    ("grey", [128, 128, 128]),
    ("white", [255, 255, 255]),
    ("maroon", [128, 0, 0]),
    ("red", [255, 0, 0]),
    ("purple", [128, 0, 128]),
    ("fuchsia", [255, 0, 255]),
    ("green", [0, 128, 0]),
    ("lime", [0, 255, 0]),
    ("olive", [128, 128, 0]),
    ("yellow", [255, 255, 0]),
    ("navy", [0, 0, 128]),
    ("blue", [0, 0, 255]),
    ("teal", [0, 128, 128]),
    ("orange", [255, 165, 0]),
];

/// A colour by `#RRGGBB` or its name.
pub fn color(text: &str) -> Option<[u8; 3]> {
    let text = text.trim();
    if let Some(hex) = text.strip_prefix('#').filter(|h| h.len() == 6 && h.is_ascii()) {
        let part = |i: usize| u8::from_str_radix(&hex[i..i + 2], 16).ok();
        return Some([part(0)?, part(2)?, part(4)?]);
    }
    NAMES.iter().find(|(n, _)| n.eq_ignore_ascii_case(text)).map(|(_, c)| *c)
}

/// Colours for values in the order in which they are met: hues by the golden angle, so that neighbours differ, at two
/// brightnesses in turn.
pub(crate) fn color_of_index(index: usize) -> [u8; 3] {
    let hue = (205.0 + index as f64 * 137.507_764) % 360.0;
    let value = if index.is_multiple_of(2) { 0.85 } else { 0.62 };
    let channel = |n: f64| {
        let k = (n + hue / 60.0) % 6.0;
        let v = value - value * 0.8 * k.min(4.0 - k).clamp(0.0, 1.0);
        (v * 255.0).round() as u8
    };
    [channel(5.0), channel(3.0), channel(1.0)]
}

#[cfg(test)]
mod tests {
    use super::*;

    fn names() -> Vec<String> {
        ["id", "Kind", "note"].map(String::from).to_vec()
    }

    #[test]
    fn templates() {
        let text = |t: &str| Template::new(t, &names()).map(|t| t.text(&|c| format!("<{c}>")));
        assert_eq!(text("{id}: {kind} {{x}}").unwrap(), "<0>: <1> {x}");
        assert_eq!(text("kind").unwrap(), "<1>", "the name of a column alone");
        assert!(text("kin").unwrap_err().contains("there is no column \"kin\""));
        assert_eq!(text("{{all the same}}").unwrap(), "{all the same}");
        assert!(text("{ID").unwrap_err().contains("not closed"));
        assert!(text("{kin}").unwrap_err().contains("id, Kind, note"));
    }

    #[test]
    fn rules() {
        let of = |t: &str| Rule::new(t, &names());
        assert_eq!(of("kind").unwrap().column, Some(1));
        assert_eq!(of("#CC3311").unwrap().other.as_deref(), Some("#CC3311"));
        assert_eq!(of("https://tern.example/a.png?x=1").unwrap().column, None);
        let r = of("kind:flap=red,sluice=#0000FF,*=grey").unwrap();
        assert_eq!((r.column, r.values.len(), r.other.as_deref()), (Some(1), 2, Some("grey")));
        assert!(of("kinds:flap=red").unwrap_err().contains("no column \"kinds\""));
        assert!(of("kind:flap").unwrap_err().contains("VALUE=…"));
    }

    #[test]
    fn colors() {
        assert_eq!(color("#0a141E"), Some([10, 20, 30]));
        assert_eq!(color("Teal"), Some([0, 128, 128]));
        assert_eq!(color("#12"), None);
        let list: Vec<_> = (0..24).map(color_of_index).collect();
        for (i, a) in list.iter().enumerate() {
            for b in &list[..i] {
                let apart: i32 = a.iter().zip(b).map(|(x, y)| (i32::from(*x) - i32::from(*y)).abs()).sum();
                assert!(apart > 12, "{a:?} {b:?}");
            }
        }
    }
}
