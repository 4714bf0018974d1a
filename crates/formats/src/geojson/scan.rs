//! A look at a feature for its columns and the kind of its geometry, without reading its values: what the first of two
//! passes needs. Whatever is unusual is left to the parser.

use super::feature::Scalar;
use std::borrow::Cow;

/// What is met in a feature.
#[derive(Default)]
pub(super) struct Found<'a> {
    /// The identifier, where there is one that is not null, and the properties, with any value of their kind.
    pub properties: Vec<(&'a str, Scalar<'static>)>,
    /// Whether the geometry is a point, and whether a point has a height; none where there is none.
    pub geometry: Option<(bool, bool)>,
}

/// Goes through a feature; none where it is not as features usually are.
pub(super) fn feature<'a>(text: &'a [u8], found: &mut Found<'a>) -> Option<()> {
    found.properties.clear();
    found.geometry = None;
    let mut s = Scanner { text, at: 0 };
    // The identifier stands in front of the properties, in the table and mostly in the file.
    let mut seen_properties = false;
    s.object(&mut |s, name| match name {
        "type" => (s.string()? == b"Feature").then_some(()),
        "id" => {
            let value = s.scalar()?;
            if seen_properties {
                return None;
            }
            if value != Scalar::Null {
                found.properties.push((name, value));
            }
            Some(())
        }
        "geometry" => {
            if s.peek()? == b'n' {
                return s.skip();
            }
            let (mut kind, mut numbers) = (None, 0);
            s.object(&mut |s, name| match name {
                "type" => {
                    kind = Some(s.string()?.to_vec());
                    Some(())
                }
                "coordinates" => {
                    numbers = s.array()?;
                    Some(())
                }
                _ => s.skip(),
            })?;
            let is_point = kind? == b"Point";
            found.geometry = Some((is_point, is_point && numbers > 2));
            Some(())
        }
        "properties" => {
            seen_properties = true;
            if s.peek()? == b'n' {
                return s.skip();
            }
            s.object(&mut |s, name| {
                // Objects become columns of their own and lists stay as they are written: the parser sees to both.
                if matches!(s.peek()?, b'{' | b'[') {
                    return None;
                }
                let value = s.scalar()?;
                found.properties.push((name, value));
                Some(())
            })
        }
        _ => s.skip(),
    })?;
    (s.at == text.len() || s.text[s.at..].iter().all(u8::is_ascii_whitespace)).then_some(())
}

struct Scanner<'a> {
    text: &'a [u8],
    at: usize,
}

impl<'a> Scanner<'a> {
    /// The next byte that is no blank, which stays.
    fn peek(&mut self) -> Option<u8> {
        while self.text.get(self.at)?.is_ascii_whitespace() {
            self.at += 1;
        }
        Some(self.text[self.at])
    }

    fn take(&mut self, wanted: u8) -> Option<()> {
        let found = self.peek()? == wanted;
        self.at += usize::from(found);
        found.then_some(())
    }

    /// A string without signs that are written by others.
    fn string(&mut self) -> Option<&'a [u8]> {
        self.take(b'"')?;
        let rest = &self.text[self.at..];
        let end = memchr::memchr2(b'"', b'\\', rest)?;
        if rest[end] == b'\\' {
            return None;
        }
        self.at += end + 1;
        Some(&rest[..end])
    }

    /// Passes over a string of any form.
    fn skip_string(&mut self) -> Option<()> {
        self.take(b'"')?;
        loop {
            let end = memchr::memchr2(b'"', b'\\', &self.text[self.at..])?;
            self.at += end + 1;
            if self.text[self.at - 1] == b'"' {
                return Some(());
            }
            self.at += 1;
            self.text.get(self.at)?;
        }
    }

    /// The members of an object.
    fn object(&mut self, member: &mut dyn FnMut(&mut Self, &'a str) -> Option<()>) -> Option<()> {
        self.take(b'{')?;
        if self.peek()? == b'}' {
            self.at += 1;
            return Some(());
        }
        loop {
            let name = std::str::from_utf8(self.string()?).ok()?;
            self.take(b':')?;
            member(self, name)?;
            match self.peek()? {
                b',' => self.at += 1,
                b'}' => {
                    self.at += 1;
                    return Some(());
                }
                _ => return None,
            }
            self.peek()?;
        }
    }

    /// Passes over an array; gives how many values the innermost first one has.
    fn array(&mut self) -> Option<usize> {
        let (mut depth, mut values, mut counting) = (0, 0, true);
        loop {
            let c = *self.text.get(self.at)?;
            self.at += 1;
            match c {
                b'[' => {
                    depth += 1;
                    values = if counting { 1 } else { values };
                }
                b']' => {
                    counting = false;
                    depth -= 1;
                    if depth == 0 {
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
    }

    /// Passes over any value.
    fn skip(&mut self) -> Option<()> {
        match self.peek()? {
            b'"' => self.skip_string(),
            b'{' | b'[' => {
                let mut depth = 0;
                loop {
                    match self.text.get(self.at)? {
                        b'"' => {
                            self.skip_string()?;
                            continue;
                        }
                        b'{' | b'[' => depth += 1,
                        b'}' | b']' => depth -= 1,
                        _ => {}
                    }
                    self.at += 1;
                    if depth == 0 {
                        return Some(());
                    }
                }
            }
            _ => {
                self.word()?;
                Some(())
            }
        }
    }

    /// A number, or a word such as `true`.
    fn word(&mut self) -> Option<&'a [u8]> {
        let start = self.at;
        while self.text.get(self.at).is_some_and(|b| b.is_ascii_alphanumeric() || matches!(b, b'-' | b'+' | b'.')) {
            self.at += 1;
        }
        (self.at > start).then(|| &self.text[start..self.at])
    }

    /// The kind of a value, with any value of it.
    fn scalar(&mut self) -> Option<Scalar<'static>> {
        Some(match self.peek()? {
            b'"' | b'{' | b'[' => {
                self.skip()?;
                Scalar::Text(Cow::Borrowed(""))
            }
            _ => match self.word()? {
                b"null" => Scalar::Null,
                b"true" | b"false" => Scalar::Boolean(true),
                number => {
                    let figures = number.strip_prefix(b"-").unwrap_or(number);
                    if !figures.first()?.is_ascii_digit() {
                        return None;
                    }
                    if figures.iter().all(u8::is_ascii_digit) {
                        // Eighteen figures fit into 64 bits; of more the parser decides.
                        if figures.len() > 18 {
                            return None;
                        }
                        Scalar::Integer(0)
                    } else {
                        Scalar::Real(0.0)
                    }
                }
            },
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Names with the words for their kinds, and the geometry.
    type Kinds<'a> = (Vec<(&'a str, &'static str)>, Option<(bool, bool)>);

    fn kinds(text: &str) -> Option<Kinds<'_>> {
        let mut found = Found::default();
        feature(text.as_bytes(), &mut found)?;
        let word = |v: &Scalar| match v {
            Scalar::Null => "null",
            Scalar::Boolean(_) => "boolean",
            Scalar::Integer(_) => "integer",
            Scalar::Real(_) => "real",
            Scalar::Text(_) | Scalar::Other(_) => "text",
        };
        Some((found.properties.iter().map(|(n, v)| (*n, word(v))).collect(), found.geometry))
    }

    #[test]
    fn usual_features() {
        let text = r#" {"type":"Feature", "id": 7, "geometry" : {"type":"Point","coordinates":[ 1,2 , 3]},"properties":{"a":"x\\\"","b":-1.5e3,"c":12,"d":null,"e":"]","g":true}} "#;
        let (found, geometry) = kinds(text).unwrap();
        assert_eq!(
            found,
            [
                ("id", "integer"),
                ("a", "text"),
                ("b", "real"),
                ("c", "integer"),
                ("d", "null"),
                ("e", "text"),
                ("g", "boolean")
            ]
        );
        assert_eq!(geometry, Some((true, true)));
        assert_eq!(
            kinds(r#"{"geometry":{"coordinates":[[1,2],[3,4,5]],"type":"LineString"}}"#).unwrap().1,
            Some((false, false))
        );
        assert_eq!(
            kinds(r#"{"geometry":{"type":"Point","coordinates":[1,2]},"properties":null}"#).unwrap().1,
            Some((true, false))
        );
        assert_eq!(kinds("{}").unwrap(), (Vec::new(), None));
    }

    #[test]
    fn what_is_unusual_is_left_to_the_parser() {
        for text in [
            r#"{"properties":{},"id":1}"#,
            r#"{"properties":{"a\u0041":1}}"#,
            r#"{"properties":{"a":1234567890123456789}}"#,
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
            assert_eq!(kinds(text), None, "{text}");
        }
    }
}
