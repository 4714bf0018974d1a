//! Tokens that requests bear.

use crate::ServeError;
use std::path::Path;

/// Characters of a token at least: shorter ones are found by trying.
const SHORTEST: usize = 16;

/// The tokens that are good.
pub(crate) struct Tokens(Vec<String>);

impl Tokens {
    /// Reads a file: one token a line; blank lines and those that begin with `#` are left out.
    pub(crate) fn read(file: &Path) -> Result<Self, ServeError> {
        let bad = |problem: String| ServeError::Tokens { file: file.to_path_buf(), problem };
        let text = std::fs::read_to_string(file).map_err(|e| bad(e.to_string()))?;
        let lines = text.lines().map(str::trim).enumerate();
        let tokens: Vec<(usize, &str)> = lines.filter(|(_, l)| !l.is_empty() && !l.starts_with('#')).collect();
        if let Some((line, _)) =
            tokens.iter().find(|(_, t)| t.len() < SHORTEST || !t.chars().all(|c| c.is_ascii_graphic()))
        {
            return Err(bad(format!(
                "line {}: a token of at least {SHORTEST} letters, digits and signs is expected",
                line + 1
            )));
        }
        if tokens.is_empty() {
            return Err(bad("it holds no token; one a line is expected".into()));
        }
        Ok(Tokens(tokens.into_iter().map(|(_, t)| t.to_string()).collect()))
    }

    /// Whether a token is one of them. It takes as long for one that is nearly right as for any other.
    pub(crate) fn has(&self, token: &str) -> bool {
        let is_same = |known: &String| {
            let difference =
                known.bytes().zip(token.bytes()).fold(known.len() ^ token.len(), |d, (a, b)| d | usize::from(a ^ b));
            difference == 0
        };
        self.0.iter().fold(false, |found, known| found | is_same(known))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn tokens_are_whole_and_long() {
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("tokens");
        let read = |text: &str| {
            std::fs::write(&file, text).unwrap();
            Tokens::read(&file).map_err(|e| e.to_string())
        };
        let tokens = read("# of the office\n\nabcdefghijklmnopq\n  0123456789abcdefXY  \n").unwrap();
        for (token, is_good) in [
            ("abcdefghijklmnopq", true),
            ("0123456789abcdefXY", true),
            ("abcdefghijklmnop", false),
            ("abcdefghijklmnopqr", false),
            ("Abcdefghijklmnopq", false),
            ("", false),
            ("# of the office", false),
        ] {
            assert_eq!(tokens.has(token), is_good, "{token}");
        }
        assert!(read("short\n").err().unwrap().contains("line 1"));
        assert!(read("# none\n").err().unwrap().contains("no token"));
        assert!(Tokens::read(&folder.path().join("none")).is_err());
    }
}
