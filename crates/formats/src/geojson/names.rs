//! Names of properties, found in the text of a feature.

use super::scanner::Scanner;
use std::collections::HashMap;

/// Names in the order in which they were met first.
#[derive(Default)]
pub(super) struct Names {
    pub list: Vec<String>,
    index: HashMap<String, usize>,
    /// As they mostly stand in the text, with quotes and colon.
    written: Vec<String>,
}

impl Names {
    pub(super) fn new(names: impl IntoIterator<Item = String>) -> Self {
        let mut all = Names::default();
        names.into_iter().for_each(|name| {
            all.add(&name);
        });
        all
    }

    /// The place of a name, which is likely at one; it is added where it is not there.
    pub(super) fn place(&mut self, name: &str, likely: usize) -> usize {
        match self.list.get(likely) {
            Some(own) if own == name => likely,
            _ => self.index.get(name).copied().unwrap_or_else(|| self.add(name)),
        }
    }

    fn add(&mut self, name: &str) -> usize {
        let at = self.list.len();
        self.index.entry(name.to_string()).or_insert(at);
        self.written.push(format!("{}:", serde_json::Value::from(name)));
        self.list.push(name.to_string());
        at
    }

    /// The place of a name.
    pub(super) fn get(&self, name: &str) -> Option<usize> {
        self.index.get(name).copied()
    }

    /// Passes over the name of a member, which is likely one of ours; gives its place if it is any of ours.
    pub(super) fn pass(&self, s: &mut Scanner, likely: usize) -> Option<Option<usize>> {
        if self.written.get(likely).is_some_and(|name| s.pass(name)) {
            return Some(Some(likely));
        }
        Some(self.get(s.name()?))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_are_found_however_they_are_written() {
        let mut names = Names::new(["a".to_string(), "b \"c\"".to_string()]);
        assert_eq!((names.place("a", 1), names.place("d", 0), names.get("d"), names.get("e")), (0, 2, Some(2), None));
        let pass = |text: &str, likely| {
            let mut s = Scanner::new(text, 0);
            names.pass(&mut s, likely).map(|found| (found, s.at))
        };
        assert_eq!(pass(r#""a":1"#, 0), Some((Some(0), 4)));
        assert_eq!(pass(r#""a" : 1"#, 2), Some((Some(0), 5)));
        assert_eq!(pass(r#""b \"c\"":1"#, 1), Some((Some(1), 10)));
        // Unknown ones are passed; what has signs that are written by others is left to the parser where it is not likely.
        assert_eq!(pass(r#""e":1"#, 0), Some((None, 4)));
        assert_eq!(pass(r#""b \"c\"":1"#, 0), None);
    }
}
