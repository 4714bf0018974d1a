//! Texts that a spreadsheet program takes for formulas when it opens delimited text.

use super::{Doubt, Ending, Finding, Scene, Seen, Watch};
use arrow_array::{Array, StringArray};
use basilocus_table::batch::text_bytes;
use std::collections::BTreeMap;
use std::sync::{Mutex, PoisonError};

pub static DOUBT: Doubt = Doubt {
    name: "formula",
    looks_for: "texts that begin with `=`, or with `+`, `-` or `@` and have a call in them, in delimited text: a spreadsheet program computes them when it opens the file",
    example: "=HYPERLINK(\"http://…\",\"gate 7\") in a column of remarks that somebody else filled in",
    mend: "send a workbook (.xlsx), in which they stay texts, or take the sign in front away",
    watch: |scene| scene.is_delimited.then(|| Box::<Watching>::default() as Box<dyn Watch>),
};

/// Columns with how many such cells they have, and the first of them.
#[derive(Default)]
struct Watching(Mutex<BTreeMap<String, (u64, u64, String)>>);

/// Whether a text is taken for a formula.
fn is_formula(text: &str) -> bool {
    let text = text.trim_start();
    match text.as_bytes() {
        [b'=', second, ..] => !matches!(second, b'=' | b' ' | b'-'),
        // A name and what it is called with.
        [b'+' | b'-' | b'@', rest @ ..] => {
            let name = rest.iter().take_while(|b| b.is_ascii_alphanumeric() || matches!(b, b'.' | b'_')).count();
            // A telephone number is none.
            rest.first().is_some_and(u8::is_ascii_alphabetic) && rest.get(name) == Some(&b'(')
        }
        _ => false,
    }
}

impl Watch for Watching {
    fn rows(&self, seen: &Seen) {
        let records = seen.rows.records();
        for (at, field) in records.schema_ref().fields().iter().enumerate() {
            let Some(texts) = records.column(at).as_any().downcast_ref::<StringArray>() else { continue };
            // What has neither of these signs anywhere holds no formula.
            if memchr::memchr2(b'=', b'(', text_bytes(texts)).is_none() {
                continue;
            }
            for (row, text) in texts.iter().enumerate() {
                let Some(text) = text.filter(|t| is_formula(t)) else { continue };
                let number = seen.rows.source_rows()[row];
                let mut found = self.0.lock().unwrap_or_else(PoisonError::into_inner);
                let (count, first, example) =
                    found.entry(field.name().clone()).or_insert_with(|| (0, u64::MAX, String::new()));
                *count += 1;
                if number < *first {
                    (*first, *example) = (number, text.chars().take(40).collect());
                }
            }
        }
    }

    fn finding(&self, _: &Scene, _: &Ending) -> Option<Finding> {
        let found = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        let rows = found.values().map(|(count, ..)| count).sum();
        let (_, (_, row, example)) = found.iter().min_by_key(|(_, (_, first, _))| *first)?;
        let columns: Vec<&str> = found.keys().map(String::as_str).collect();
        Some(Finding {
            column: Some(columns.join(", ")),
            rows,
            message: format!(
                "{rows} texts would be computed by a spreadsheet program that opens the file, the first of them in row {row}: {example}; they are written as they stand"
            ),
            mend: DOUBT.mend.into(),
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn formulas_are_known_by_how_they_begin() {
        for text in ["=1+1", " =SUM(A1:A9)", "=cmd|' /C calc'!A0", "@SUM(1,2)", "+HYPERLINK(\"x\")"] {
            assert!(is_formula(text), "{text}");
        }
        for text in [
            "-123.8",
            "+46.2",
            "@harbour",
            "- closed (ice)",
            "==",
            "= 7",
            "=-=",
            "",
            "a=b",
            "-N 5 (old)",
            "+1(503)555-0123",
        ] {
            assert!(!is_formula(text), "{text}");
        }
    }
}
