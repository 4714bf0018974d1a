//! XML as a stream of elements, each held whole, for formats that repeat one.
//!
//! Entities of a document's own are not expanded (they are kept as they stand), so no document grows in memory beyond
//! the size of its largest element.

use crate::FormatError;
use compact_str::CompactString as Text;
use encoding_rs::Encoding;
use encoding_rs_io::DecodeReaderBytesBuilder;
use quick_xml::events::{BytesStart, Event};
use quick_xml::name::{Namespace, ResolveResult};
use quick_xml::{NsReader, XmlVersion};
use std::borrow::Cow;
use std::fs::File;
use std::io::{BufRead, BufReader, Read};
use std::path::Path;
use std::sync::Arc;

/// Bytes of text and names that one element may hold.
const LARGEST: usize = 256 << 20;
/// How deep elements may lie in each other.
const DEEPEST: usize = 256;

/// An element with all that is in it. Names are without their prefixes.
#[derive(Debug, Clone, Default, PartialEq)]
pub(crate) struct Element {
    pub name: Text,
    /// The name space that the name is in; empty for none.
    pub space: Arc<str>,
    /// Attributes, without those that declare name spaces.
    pub attributes: Vec<(Text, Text)>,
    /// The text directly in it, without blanks at its ends.
    pub text: Text,
    pub children: Vec<Element>,
}

impl Element {
    /// The first child of a name.
    pub(crate) fn child(&self, name: &str) -> Option<&Element> {
        self.children.iter().find(|c| c.name == name)
    }

    /// The text of the first child of a name.
    pub(crate) fn text_of(&self, name: &str) -> Option<&str> {
        self.child(name).map(|c| c.text.as_str())
    }

    /// An attribute.
    pub(crate) fn attribute(&self, name: &str) -> Option<&str> {
        self.attributes.iter().find(|(n, _)| n == name).map(|(_, v)| v.as_str())
    }

    /// The first element of a name in it, at any depth.
    pub(crate) fn find(&self, name: &str) -> Option<&Element> {
        self.children.iter().find_map(|c| if c.name == name { Some(c) } else { c.find(name) })
    }
}

/// What is met in a document.
pub(crate) enum Found {
    /// An element that is not held whole begins; its children are given one by one.
    Enter(Element),
    /// An element that was asked for, whole.
    Whole(Element),
    /// An element that was entered ends.
    Leave,
}

/// Goes through a document. `whole` says, of the name of an element and of those that it is in, outermost first, whether it
/// is wanted whole. `sink` says false where no more is wanted.
///
/// # Errors
/// Where the file cannot be read or is no well-formed XML.
pub(crate) fn each(
    path: &Path,
    whole: &dyn Fn(&str, &[String]) -> bool,
    sink: &mut dyn FnMut(Found) -> bool,
) -> Result<(), FormatError> {
    let file = File::open(path).map_err(|e| FormatError::read(path, e))?;
    each_in(decoded(file, encoding(path)?), path, &|position| position, whole, sink)
}

/// The same for a document that is made of a file; `place` gives where in the file a position of the document is.
///
/// # Errors
/// As of [`each`].
pub(crate) fn each_in(
    input: impl BufRead,
    path: &Path,
    place: &dyn Fn(u64) -> u64,
    whole: &dyn Fn(&str, &[String]) -> bool,
    sink: &mut dyn FnMut(Found) -> bool,
) -> Result<(), FormatError> {
    let mut reader = NsReader::from_reader(input);
    reader.config_mut().allow_dangling_amp = true;
    let mut buffer = Vec::new();
    let mut entered: Vec<String> = Vec::new();
    // Mostly the next element is in the same space as the one before.
    let mut last_space: Arc<str> = Arc::default();
    // The element that is held, outermost first.
    let mut held: Vec<Element> = Vec::new();
    let mut size = 0usize;
    let broken = |at: u64, problem: &dyn std::fmt::Display| not_well_formed(path, place(at), problem);
    loop {
        buffer.clear();
        let at = reader.buffer_position();
        let event = reader.read_event_into(&mut buffer).map_err(|e| broken(at, &e))?;
        let (start, empty) = match &event {
            Event::Start(e) => (Some(e), false),
            Event::Empty(e) => (Some(e), true),
            _ => (None, false),
        };
        if let Some(e) = start {
            let space = match reader.resolver().resolve_element(e.name()).0 {
                ResolveResult::Bound(Namespace(space)) => space,
                _ => "",
            };
            if *last_space != *space {
                last_space = space.into();
            }
            let element = head(e, last_space.clone());
            size += element.attributes.iter().map(|(n, v)| n.len() + v.len()).sum::<usize>() + element.name.len();
            if entered.len() + held.len() > DEEPEST {
                return Err(broken(at, &format!("elements lie more than {DEEPEST} deep in each other")));
            }
            if held.is_empty() && !whole(&element.name, &entered) {
                entered.push(element.name.to_string());
                if !sink(Found::Enter(element)) {
                    return Ok(());
                }
                if empty {
                    entered.pop();
                    if !sink(Found::Leave) {
                        return Ok(());
                    }
                }
                continue;
            }
            held.push(element);
        }
        if empty || matches!(event, Event::End(_)) {
            match held.pop() {
                Some(mut done) => {
                    trim(&mut done.text);
                    match held.last_mut() {
                        Some(parent) => parent.children.push(done),
                        None => {
                            size = 0;
                            if !sink(Found::Whole(done)) {
                                return Ok(());
                            }
                        }
                    }
                }
                None => {
                    entered.pop();
                    if !sink(Found::Leave) {
                        return Ok(());
                    }
                }
            }
            continue;
        }
        if matches!(event, Event::Eof) {
            return match entered.last() {
                Some(name) => Err(broken(at, &format!("<{name}> is not closed: the file was cut"))),
                None if !held.is_empty() => {
                    Err(broken(at, &format!("<{}> is not closed: the file was cut", held[0].name)))
                }
                None => Ok(()),
            };
        }
        let Some(inner) = held.last_mut() else { continue };
        let before = inner.text.len();
        match &event {
            Event::Text(t) => inner.text.push_str(&t.xml10_content()),
            Event::CData(t) => inner.text.push_str(&t.xml10_content()),
            Event::GeneralRef(r) => push_reference(r, &mut inner.text),
            _ => {}
        }
        size += inner.text.len() - before;
        if size > LARGEST {
            return Err(broken(at, &format!("an element holds more than {LARGEST} bytes")));
        }
    }
}

/// What is told of a document that breaks the rules of XML.
pub(crate) fn not_well_formed(path: &Path, at: u64, problem: &dyn std::fmt::Display) -> FormatError {
    FormatError::broken(path, format!("is not well-formed XML: {problem} (after {at} bytes)"))
}

/// A part of a document in UTF-8. Whole text is known faster than text with foreign bytes.
pub(crate) fn text(bytes: &[u8]) -> Cow<'_, str> {
    std::str::from_utf8(bytes).map_or_else(|_| String::from_utf8_lossy(bytes), Cow::Borrowed)
}

/// An element from its own text alone, from its opening to its closing tag. Name spaces that are declared around it are not
/// known: all are empty.
///
/// # Errors
/// What is not well-formed, in words, and after how many bytes.
pub(crate) fn element(text: &str) -> Result<Element, (u64, String)> {
    let mut reader = quick_xml::Reader::from_str(text);
    reader.config_mut().allow_dangling_amp = true;
    let no_space: Arc<str> = Arc::default();
    // The elements around the one that is read, outermost first.
    let mut held: Vec<Element> = Vec::new();
    loop {
        let at = reader.buffer_position();
        let event = reader.read_event().map_err(|e| (at, e.to_string()))?;
        let ends = matches!(event, Event::Empty(_) | Event::End(_));
        match (&event, held.last_mut()) {
            (Event::Start(e) | Event::Empty(e), _) => {
                if held.len() > DEEPEST {
                    return Err((at, format!("elements lie more than {DEEPEST} deep in each other")));
                }
                held.push(head(e, no_space.clone()));
            }
            (Event::Eof, _) => {
                let name = held.first().map_or("", |e| &e.name);
                return Err((at, format!("<{name}> is not closed: the file was cut")));
            }
            (Event::Text(t), Some(inner)) => inner.text.push_str(&t.xml10_content()),
            (Event::CData(t), Some(inner)) => inner.text.push_str(&t.xml10_content()),
            (Event::GeneralRef(r), Some(inner)) => push_reference(r, &mut inner.text),
            _ => {}
        }
        if ends && let Some(mut done) = held.pop() {
            trim(&mut done.text);
            match held.last_mut() {
                Some(parent) => parent.children.push(done),
                None => return Ok(done),
            }
        }
    }
}

/// The sign that a reference stands for; one that is not known stays as it is.
fn push_reference(name: &str, out: &mut Text) {
    let number = name.strip_prefix('#').and_then(|n| match n.strip_prefix(['x', 'X']) {
        Some(hex) => u32::from_str_radix(hex, 16).ok(),
        None => n.parse().ok(),
    });
    match (number.and_then(char::from_u32), name) {
        (Some(c), _) => out.push(c),
        (_, "amp") => out.push('&'),
        (_, "lt") => out.push('<'),
        (_, "gt") => out.push('>'),
        (_, "quot") => out.push('"'),
        (_, "apos") => out.push('\''),
        (_, "nbsp") => out.push(' '),
        _ => {
            out.push('&');
            out.push_str(name);
            out.push(';');
        }
    }
}

/// Takes the blanks at both ends off.
fn trim(text: &mut Text) {
    text.truncate(text.trim_end().len());
    let blanks = text.len() - text.trim_start().len();
    if blanks > 0 {
        text.replace_range(..blanks, "");
    }
}

fn head(e: &BytesStart, space: Arc<str>) -> Element {
    // Most elements have none, which needs no look at how attributes are written.
    if e.attributes_raw().trim().is_empty() {
        return Element { name: e.local_name().into_inner().into(), space, ..Element::default() };
    }
    let attributes = e
        .attributes()
        .with_checks(false)
        .flatten()
        .filter(|a| a.key.as_namespace_binding().is_none())
        .map(|a| {
            let value =
                a.normalized_value(XmlVersion::Implicit1_0).map_or_else(|_| Text::from(&*a.value), |v| Text::from(&*v));
            (a.key.local_name().into_inner().into(), value)
        })
        .collect();
    Element { name: e.local_name().into_inner().into(), space, attributes, ..Element::default() }
}

/// The encoding of a document: a mark in front counts, then what the document says.
///
/// # Errors
/// Where the file cannot be read.
pub(crate) fn encoding(path: &Path) -> Result<&'static Encoding, FormatError> {
    let mut head = Vec::new();
    File::open(path).and_then(|f| f.take(256).read_to_end(&mut head)).map_err(|e| FormatError::read(path, e))?;
    let said = String::from_utf8_lossy(&head);
    let label = said.split_once("encoding=").map(|(_, rest)| rest.trim_start_matches(['"', '\'']));
    let label = label.and_then(|l| l.split(['"', '\'']).next()).unwrap_or("utf-8");
    let encoding = Encoding::for_label(label.as_bytes()).unwrap_or(encoding_rs::UTF_8);
    // A document that says UTF-16 in letters of one byte is not.
    let encoding = if encoding == encoding_rs::UTF_16LE || encoding == encoding_rs::UTF_16BE {
        encoding_rs::UTF_8
    } else {
        encoding
    };
    // A mark in front counts more than what is said.
    if head.starts_with(&[0xEF, 0xBB, 0xBF]) {
        return Ok(encoding_rs::UTF_8);
    }
    Ok(crate::detect::utf16(&head).unwrap_or(encoding))
}

/// A document in UTF-8.
pub(crate) fn decoded(input: impl Read, encoding: &'static Encoding) -> impl BufRead {
    let input =
        DecodeReaderBytesBuilder::new().encoding(Some(encoding)).bom_override(true).strip_bom(true).build(input);
    BufReader::with_capacity(1 << 16, input)
}

/// The outermost element, without what is in it; none where it is no XML.
pub(crate) fn root(path: &Path) -> Option<Element> {
    let mut root = None;
    each(path, &|_, _| false, &mut |found| {
        if let Found::Enter(e) = found {
            root = Some(e);
        }
        false
    })
    .ok()?;
    root
}

/// Appends text with the signs of markup written out.
pub(crate) fn push_escaped(out: &mut String, text: &str) {
    for c in text.chars() {
        match c {
            '&' => out.push_str("&amp;"),
            '<' => out.push_str("&lt;"),
            '>' => out.push_str("&gt;"),
            '"' => out.push_str("&quot;"),
            // Signs that XML has no place for.
            c if (c as u32) < 32 && !matches!(c, '\t' | '\n' | '\r') => out.push(' '),
            c => out.push(c),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn wholes(text: &[u8]) -> Result<Vec<Element>, String> {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("a.xml");
        std::fs::write(&path, text).unwrap();
        let mut out = Vec::new();
        each(&path, &|name, _| name == "item", &mut |found| {
            if let Found::Whole(e) = found {
                out.push(e);
            }
            true
        })
        .map_err(|e| e.to_string().split_once(": ").unwrap().1.to_string())?;
        Ok(out)
    }

    #[test]
    fn elements_with_what_is_in_them() {
        let found = wholes(
            br#"<?xml version="1.0"?><a:feed xmlns:a="x"><title>no</title><a:item id="1&amp;2"> x &lt; <![CDATA[<b>]]> &#228; <c>y</c><d/></a:item><item/></a:feed>"#,
        )
        .unwrap();
        assert_eq!(found.len(), 2);
        assert_eq!((found[0].name.as_str(), found[0].attribute("id")), ("item", Some("1&2")));
        assert_eq!((&*found[0].space, &*found[1].space), ("x", ""));
        assert_eq!(found[0].text, "x < <b> \u{e4}");
        assert_eq!(found[0].text_of("c"), Some("y"));
        assert_eq!(found[0].children[1], Element { name: "d".into(), ..Element::default() });
    }

    #[test]
    fn encodings() {
        let latin = b"<?xml version=\"1.0\" encoding=\"ISO-8859-1\"?><f><item>M\xFChle</item></f>";
        assert_eq!(wholes(latin).unwrap()[0].text, "Mühle");
        let mut wide = vec![0xFF, 0xFE];
        wide.extend("<f><item>Mühle</item></f>".encode_utf16().flat_map(u16::to_le_bytes));
        assert_eq!(wholes(&wide).unwrap()[0].text, "Mühle");
    }

    #[test]
    fn what_is_broken_is_said_and_bombs_do_not_go_off() {
        assert!(wholes(b"<f><item>a").unwrap_err().contains("the file was cut"));
        assert!(wholes(b"<f><item></f>").unwrap_err().contains("not well-formed"));
        let deep = "<item>".repeat(100_000);
        assert!(wholes(format!("<f>{deep}").as_bytes()).unwrap_err().contains("256 deep"));
        let laughs = br#"<!DOCTYPE f [<!ENTITY a "ha"><!ENTITY b "&a;&a;&a;">]><f><item>&b;</item></f>"#;
        assert_eq!(wholes(laughs).unwrap()[0].text, "&b;");
    }
}
