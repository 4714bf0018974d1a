//! Well-known text: definitions as other programs write and read them.
//!
//! | file | what |
//! |---|---|
//! | [`tree`] | brackets, quotes, numbers |
//! | [`fn@read`] | version 1 (OGC 01-009) and version 2 (ISO 19162:2019), both spellings of every keyword |
//! | [`version_1`] | written as OGC 01-009 |
//! | [`version_2`] | written as ISO 19162:2019 |
//! | [`names`] | what methods and parameters are called there |

pub mod names;
mod read;
pub mod tree;
pub mod version_1;
pub mod version_2;

pub use read::{Definition, read};
pub use version_1::wkt1;
pub use version_2::wkt2;

use std::fmt::Write;

/// Whether a text begins like well-known text of a system.
pub fn looks_like(text: &str) -> bool {
    let head: String = text.trim_start().chars().take_while(|c| c.is_ascii_alphabetic() || *c == '_').collect();
    !head.is_empty()
        && text.trim_start()[head.len()..].trim_start().starts_with(['[', '('])
        && read::KEYWORDS.contains(&head.to_ascii_uppercase().as_str())
}

/// Breaks a WKT text into indented lines for reading.
pub fn indented(wkt: &str) -> String {
    let (mut out, mut depth, mut quoted) = (String::new(), 0usize, false);
    let mut rest = wkt.chars().peekable();
    while let Some(c) = rest.next() {
        match c {
            '"' => quoted = !quoted,
            '[' if !quoted => depth += 1,
            ']' if !quoted => depth = depth.saturating_sub(1),
            _ => {}
        }
        out.push(c);
        let keyword_follows = c == ',' && !quoted && rest.peek().is_some_and(|n| n.is_ascii_uppercase()) && {
            let mut ahead = rest.clone();
            ahead.find(|n| !n.is_ascii_uppercase() && *n != '_') == Some('[')
        };
        if keyword_follows {
            let _ = write!(out, "\n{:width$}", "", width = depth * 2);
        }
    }
    out
}

/// A text between quotes, with the quotes inside doubled.
fn quoted(text: &str) -> String {
    format!("\"{}\"", text.replace('"', "\"\""))
}
