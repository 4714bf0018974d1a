//! Texts without the signs that format them.

/// A text of one line: signs by their numbers (`\U+00E4`, `%%176`, `%%d`), underlines (`%%u`) left out.
pub(super) fn plain(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    let mut rest = text;
    while let Some(c) = rest.chars().next() {
        if let Some(after) = rest.strip_prefix("\\U+")
            && let Some(sign) = after.get(..4).and_then(|h| u32::from_str_radix(h, 16).ok()).and_then(char::from_u32)
        {
            out.push(sign);
            rest = &after[4..];
        } else if let Some(after) = rest.strip_prefix("%%") {
            let code = after.chars().next().map(|c| c.to_ascii_lowercase());
            let number = after.get(..3).and_then(|n| n.parse::<u8>().ok());
            let (sign, length) = match (code, number) {
                (_, Some(n)) => (Some(char::from(n)), 3),
                (Some('d'), _) => (Some('°'), 1),
                (Some('p'), _) => (Some('±'), 1),
                (Some('c'), _) => (Some('⌀'), 1),
                (Some('u' | 'o' | 'k'), _) => (None, 1),
                (Some('%'), _) => (Some('%'), 1),
                _ => (Some('%'), 0),
            };
            out.extend(sign);
            rest = &after[length..];
        } else {
            out.push(c);
            rest = &rest[c.len_utf8()..];
        }
    }
    out
}

/// A text of several lines: what formats it is left out, lines are parted by blanks.
pub(super) fn without_formats(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    let mut characters = text.chars().peekable();
    while let Some(c) = characters.next() {
        match c {
            '{' | '}' => {}
            '\\' => match characters.next() {
                Some('P' | 'N' | 'X') => out.push(' '),
                Some('~') => out.push('\u{a0}'),
                Some(c @ ('\\' | '{' | '}')) => out.push(c),
                // A fraction: over and under, parted by one of three signs.
                Some('S') => {
                    for c in characters.by_ref().take_while(|c| *c != ';') {
                        out.push(if matches!(c, '^' | '#') { '/' } else { c });
                    }
                }
                Some('U') if characters.peek() == Some(&'+') => {
                    let digits: String = characters.by_ref().skip(1).take(4).collect();
                    out.extend(u32::from_str_radix(&digits, 16).ok().and_then(char::from_u32));
                }
                Some('A' | 'C' | 'c' | 'F' | 'f' | 'H' | 'Q' | 'T' | 'W' | 'p') => {
                    characters.by_ref().take_while(|c| *c != ';').for_each(drop);
                }
                _ => {}
            },
            c => out.push(c),
        }
    }
    plain(&out).split_whitespace().collect::<Vec<_>>().join(" ")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn signs_and_formats() {
        assert_eq!(plain("M\\U+00FChle %%u12%%d%%u 5%%%"), "Mühle 12° 5%");
        assert_eq!(plain("%%176 %%x"), "° %x");
        assert_eq!(plain("100\\U+2"), "100\\U+2", "too short to be a sign");
        assert_eq!(
            without_formats("{\\fArial|b0;Tide gate}\\PNo. \\S1/2;\\~7 \\\\ \\C1;red"),
            "Tide gate No. 1/2 7 \\ red"
        );
        assert_eq!(without_formats("\\U+00C4 b"), "Ä b");
    }
}
