//! Counts with the word that they count, in the number that it has.

/// A count with its word: `1 row`, `2 rows`, `0 addresses`.
///
/// ```
/// use basilocus_table::counted;
/// assert_eq!(counted(1, "row"), "1 row");
/// assert_eq!(counted(1_200, "address point"), "1200 address points");
/// assert_eq!(counted(3, "address"), "3 addresses");
/// ```
pub fn counted(count: u64, word: &str) -> String {
    format!("{count} {}", of_number(count, word))
}

/// A word in the number of a count.
pub fn of_number(count: u64, word: &str) -> String {
    match count {
        1 => word.to_string(),
        _ if word.ends_with(['s', 'x']) || word.ends_with("ch") => format!("{word}es"),
        _ => format!("{word}s"),
    }
}

/// `is` or `are`.
pub fn is_or_are(count: u64) -> &'static str {
    if count == 1 { "is" } else { "are" }
}
