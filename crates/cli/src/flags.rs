//! The library names options as plans and calls do, in backquotes (`` `header_row` ``); for people at a command line they
//! are flags (`--header-row`). Only sentences of the library are changed so: tables and JSON, which show data, stay as they are.

use crate::commands::command_line;
use clap::Command;
use std::borrow::Cow;

/// Options whose flags have other names.
const OTHER_NAMES: &[(&str, &str)] = &[
    ("choose", "--where"),
    ("lines.order", "--gather-order"),
    ("most_m", "--most"),
    ("values", "--value"),
    ("vertices", "--gather points"),
];

/// The same text with flags in the place of the options that it names.
pub(crate) fn in_text(text: &str) -> Cow<'_, str> {
    if !text.contains('`') {
        return Cow::Borrowed(text);
    }
    let command = command_line();
    let mut out = String::with_capacity(text.len());
    let mut rest = text;
    while let Some((before, behind)) = rest.split_once('`') {
        out.push_str(before);
        match behind.split_once('`').and_then(|(name, after)| Some((flag(&command, name)?, after))) {
            Some((flag, after)) => {
                out.push_str(&flag);
                rest = after;
            }
            None => {
                out.push('`');
                rest = behind;
            }
        }
    }
    out.push_str(rest);
    Cow::Owned(out)
}

/// The flag of an option, where it has one.
fn flag(command: &Command, name: &str) -> Option<String> {
    if let Some((_, flag)) = OTHER_NAMES.iter().find(|(n, _)| *n == name) {
        return Some((*flag).into());
    }
    let long = name.replace('_', "-");
    has_flag(command, &long).then(|| format!("--{long}"))
}

fn has_flag(command: &Command, long: &str) -> bool {
    command.get_arguments().any(|a| a.get_long() == Some(long)) || command.get_subcommands().any(|c| has_flag(c, long))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn options_become_flags() {
        assert_eq!(in_text("say it with `from`, or `header_row` 2"), "say it with --from, or --header-row 2");
        assert_eq!(in_text("say `lines.order`: `choose`"), "say --gather-order: --where");
    }

    #[test]
    fn what_is_no_option_stays() {
        for text in ["nothing here", "make it with `reference build`", "an odd ` sign", "`no_such_option` ``", "`"] {
            assert_eq!(in_text(text), text);
        }
    }

    #[test]
    fn other_names_are_flags_too() {
        let command = command_line();
        for (name, flag) in OTHER_NAMES {
            let long = flag.trim_start_matches("--").split(' ').next().unwrap_or_default();
            assert!(has_flag(&command, long), "{name}: {flag}");
        }
    }
}
