//! Where columns begin and end.

/// A column: the characters from one position up to another; the last one runs to the end of the line.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Span {
    pub from: usize,
    pub to: Option<usize>,
    /// Where the drawing of the column ends: what stands between there and the next column must be blank. None where the
    /// columns touch.
    pub drawn: Option<usize>,
}

/// Reads widths (`10,8,12`, the last one may be `*`) or a ruler (`----- --- ----`).
///
/// # Errors
/// In words.
pub(crate) fn parse(text: &str) -> Result<Vec<Span>, String> {
    if let Some(spans) = ruler(text) {
        return Ok(spans);
    }
    let expected = "widths in characters are expected, such as 10,8,12, or a ruler, such as \"----- --- ----\"";
    let parts: Vec<&str> = text.split(',').map(str::trim).collect();
    let mut spans = Vec::new();
    let mut from = 0;
    for (i, part) in parts.iter().enumerate() {
        let last = i + 1 == parts.len();
        if *part == "*" && last {
            spans.push(Span { from, to: None, drawn: None });
            break;
        }
        let width: usize = part
            .parse()
            .ok()
            .filter(|w| (1..=100_000).contains(w))
            .ok_or_else(|| format!("\"{part}\" is no width; {expected}"))?;
        spans.push(Span { from, to: Some(from + width), drawn: None });
        from += width;
    }
    Ok(spans)
}

/// The columns that a line of dashes draws; none where it is no ruler.
fn ruler(line: &str) -> Option<Vec<Span>> {
    let line = line.trim_end();
    let dash = line.trim_start().chars().next().filter(|c| matches!(c, '-' | '=' | '_'))?;
    if !line.chars().all(|c| c == dash || c == ' ') || !line.trim().contains(' ') {
        return None;
    }
    let mut spans: Vec<Span> = Vec::new();
    let mut before = ' ';
    for (i, c) in line.chars().enumerate() {
        match (before, c) {
            (' ', c) if c != ' ' => {
                if let Some(last) = spans.last_mut() {
                    last.to = Some(i);
                }
                spans.push(Span { from: i, to: None, drawn: None });
            }
            (b, ' ') if b != ' ' => {
                if let Some(last) = spans.last_mut() {
                    last.drawn = Some(i);
                }
            }
            _ => {}
        }
        before = c;
    }
    Some(spans)
}

/// The ruler among the first lines of a text, and the number of its line, counted from 1.
pub(crate) fn find_ruler(text: &str) -> Option<(Vec<Span>, u64)> {
    text.lines().take(20).enumerate().skip(1).find_map(|(i, line)| Some((ruler(line)?, i as u64 + 1)))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn widths_and_rulers() {
        let of = |t: &str| parse(t).map(|l| l.iter().map(|s| (s.from, s.to)).collect::<Vec<_>>());
        assert_eq!(of("10,8,*").unwrap(), [(0, Some(10)), (10, Some(18)), (18, None)]);
        assert_eq!(of(" --- ----  --").unwrap(), [(1, Some(5)), (5, Some(11)), (11, None)]);
        assert_eq!(parse("--- ----").unwrap()[0].drawn, Some(3));
        assert!(of("10,x").unwrap_err().contains("\"x\" is no width"));
        assert!(of("*,10").is_err());
        assert_eq!(find_ruler("a b\n- -\n1 2").map(|(s, l)| (s.len(), l)), Some((2, 2)));
        assert_eq!(find_ruler("a\n-----\n1"), None, "a line under a title is no ruler");
    }
}
