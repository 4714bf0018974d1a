//! Names that come nearest to one that does not exist, for error messages.

/// Up to three of `names`, nearest first, none that has nothing to do with `wanted`.
///
/// ```
/// assert_eq!(basilocus_table::nearest::nearest("longtude", ["latitude", "longitude", "name"]), ["longitude"]);
/// ```
pub fn nearest<'a>(wanted: &str, names: impl IntoIterator<Item = &'a str>) -> Vec<String> {
    let wanted = wanted.to_lowercase();
    let mut scored: Vec<(usize, &str)> = names
        .into_iter()
        .map(|name| {
            let lower = name.to_lowercase();
            let distance =
                if !wanted.is_empty() && (lower.contains(&wanted) || wanted.contains(&lower) && !lower.is_empty()) {
                    1
                } else {
                    edit_distance(&wanted, &lower)
                };
            (distance, name)
        })
        .filter(|(d, name)| *d <= (wanted.chars().count().max(name.chars().count())) / 2)
        .collect();
    scored.sort_by_key(|(d, _)| *d);
    // What is twice as far as the nearest was hardly meant.
    let nearest = scored.first().map_or(0, |(d, _)| *d);
    scored.into_iter().take_while(|(d, _)| *d <= 2 * nearest).take(3).map(|(_, name)| name.to_string()).collect()
}

/// Optimal string alignment distance: insertions, deletions, substitutions and swaps of neighbours.
pub fn edit_distance(a: &str, b: &str) -> usize {
    let a: Vec<char> = a.chars().collect();
    let b: Vec<char> = b.chars().collect();
    let mut before: Vec<usize> = Vec::new();
    let mut last: Vec<usize> = (0..=b.len()).collect();
    for i in 1..=a.len() {
        let mut row = vec![i; b.len() + 1];
        for j in 1..=b.len() {
            let cost = usize::from(a[i - 1] != b[j - 1]);
            row[j] = (last[j] + 1).min(row[j - 1] + 1).min(last[j - 1] + cost);
            if i > 1 && j > 1 && a[i - 1] == b[j - 2] && a[i - 2] == b[j - 1] {
                row[j] = row[j].min(before[j - 2] + 1);
            }
        }
        before = std::mem::replace(&mut last, row);
    }
    last[b.len()]
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn distances() {
        assert_eq!(edit_distance("maple", "mpale"), 1);
        assert_eq!(edit_distance("", "abc"), 3);
        assert_eq!(edit_distance("kitten", "sitting"), 3);
        assert!(nearest("zzzzzz", ["lon", "lat"]).is_empty());
        assert_eq!(nearest("Lon", ["lon_deg", "id"]), ["lon_deg"]);
    }
}
