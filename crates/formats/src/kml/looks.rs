//! What styles say of placemarks: icon, colour and the text of the balloon; of their own, or shared by an address.

use crate::xml::Element;
use std::collections::HashMap;

/// The columns of what styles say, in their order.
pub(super) const COLUMNS: [&str; 3] = ["icon", "color", "balloon"];

/// What a style says, in the order of [`COLUMNS`].
#[derive(Debug, Clone, Default, PartialEq)]
pub(super) struct Look(pub [Option<String>; 3]);

/// A shared style: what it says, or the one that it leads to.
#[derive(Debug, Clone)]
enum Shared {
    Look(Look),
    To(String),
}

/// The shared styles of a document by `#id`.
#[derive(Debug, Default)]
pub(super) struct Looks(HashMap<String, Shared>);

impl Looks {
    /// Takes a `Style` or `StyleMap`.
    pub fn add(&mut self, e: &Element) {
        let Some(id) = e.attribute("id") else { return };
        let shared = if e.name == "StyleMap" {
            let normal = e.children.iter().find(|p| p.text_of("key") == Some("normal"));
            match normal.map(|p| (p.child("Style"), p.text_of("styleUrl"))) {
                Some((Some(style), _)) => Shared::Look(look(style)),
                Some((None, Some(url))) => Shared::To(url.to_string()),
                _ => return,
            }
        } else {
            Shared::Look(look(e))
        };
        self.0.insert(format!("#{id}"), shared);
    }

    /// What an address leads to; a shared style may lead to another one.
    pub fn of(&self, url: &str) -> Option<&Look> {
        match self.0.get(url)? {
            Shared::Look(look) => Some(look),
            Shared::To(next) => match self.0.get(next)? {
                Shared::Look(look) => Some(look),
                Shared::To(_) => None,
            },
        }
    }
}

/// What a style says.
pub(super) fn look(style: &Element) -> Look {
    let icon = style.find("Icon").and_then(|i| i.text_of("href")).filter(|t| !t.is_empty());
    let colored = ["IconStyle", "LineStyle", "PolyStyle"].iter().find_map(|n| style.child(n)?.text_of("color"));
    let balloon = style.child("BalloonStyle").and_then(|b| b.text_of("text")).filter(|t| !t.is_empty());
    Look([icon.map(String::from), colored.and_then(color), balloon.map(String::from)])
}

/// `aabbggrr`, how opaque and blue, green, red, as `#RRGGBB`.
fn color(text: &str) -> Option<String> {
    let hex = text.trim().trim_start_matches('#');
    let plain = hex.len() == 8 && hex.bytes().all(|b| b.is_ascii_hexdigit());
    plain.then(|| format!("#{}{}{}", &hex[6..8], &hex[4..6], &hex[2..4]).to_ascii_uppercase())
}

/// The text of a balloon with what it names in `$[…]` filled in: the placemark's own elements and its data.
pub(super) fn filled(text: &str, values: &[(String, String)]) -> String {
    let mut out = String::with_capacity(text.len());
    let mut rest = text;
    while let Some((before, after)) = rest.split_once("$[") {
        out.push_str(before);
        let Some((name, behind)) = after.split_once(']') else {
            out.push_str("$[");
            rest = after;
            continue;
        };
        // A field of a schema stands behind the schema's name.
        let field = name.rsplit('/').next().unwrap_or(name);
        out.push_str(values.iter().find(|(n, _)| n == field).map_or("", |(_, v)| v));
        rest = behind;
    }
    out.push_str(rest);
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn balloons_and_colours() {
        let values = [("name".to_string(), "Mill Slough".to_string()), ("width".to_string(), "1.5".to_string())];
        assert_eq!(
            filled("<b>$[name]</b>: $[gates/width] m, $[none]$[open", &values),
            "<b>Mill Slough</b>: 1.5 m, $[open"
        );
        assert_eq!(color("ff1e26b3").as_deref(), Some("#B3261E"));
        assert_eq!(color("red"), None);
    }
}
