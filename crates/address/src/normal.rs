//! One spelling for all: upper case, no accents, no punctuation, single blanks.

/// The normal form of a text: upper-case words of letters, digits and a few signs, parted by single blanks.
///
/// ```
/// assert_eq!(basilocus_address::normal::words("  Señor  o'Brien St. "), "SENOR OBRIEN ST");
/// ```
pub fn words(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    push_words(text, &mut out);
    out
}

/// Appends the normal form of a text.
pub(crate) fn push_words(text: &str, out: &mut String) {
    let start = out.len();
    let mut gap = false;
    for c in text.chars() {
        // Combining marks go the way of the accents.
        if c == '\'' || c == '’' || c == '.' || c == '`' || ('\u{300}'..='\u{36f}').contains(&c) {
            continue;
        }
        if c.is_alphanumeric() || c == '#' || c == '/' || c == '-' || c == '&' {
            if gap && out.len() > start {
                out.push(' ');
            }
            gap = false;
            if c.is_ascii() {
                out.push(c.to_ascii_uppercase());
            } else {
                fold(c, out);
            }
        } else {
            gap = true;
        }
    }
}

/// Latin letters without their marks; others in upper case as they are.
fn fold(c: char, out: &mut String) {
    let plain = match c {
        'À'..='Å' | 'à'..='å' | 'Ā' | 'ā' | 'Ă' | 'ă' | 'Ą' | 'ą' => "A",
        'Æ' | 'æ' => "AE",
        'Ç' | 'ç' | 'Ć' | 'ć' | 'Č' | 'č' => "C",
        'Ď' | 'ď' | 'Đ' | 'đ' | 'Ð' | 'ð' => "D",
        'È'..='Ë' | 'è'..='ë' | 'Ē' | 'ē' | 'Ė' | 'ė' | 'Ę' | 'ę' | 'Ě' | 'ě' => "E",
        'Ğ' | 'ğ' | 'Ģ' | 'ģ' => "G",
        'Ì'..='Ï' | 'ì'..='ï' | 'Ī' | 'ī' | 'Į' | 'į' | 'İ' | 'ı' => "I",
        'Ł' | 'ł' | 'Ľ' | 'ľ' => "L",
        'Ñ' | 'ñ' | 'Ń' | 'ń' | 'Ň' | 'ň' => "N",
        'Ò'..='Ö' | 'ò'..='ö' | 'Ø' | 'ø' | 'Ō' | 'ō' | 'Ő' | 'ő' => "O",
        'Œ' | 'œ' => "OE",
        'Ř' | 'ř' => "R",
        'Ś' | 'ś' | 'Š' | 'š' | 'Ş' | 'ş' | 'Ș' | 'ș' => "S",
        'ß' => "SS",
        'Ť' | 'ť' | 'Ț' | 'ț' => "T",
        'Ù'..='Ü' | 'ù'..='ü' | 'Ū' | 'ū' | 'Ů' | 'ů' | 'Ű' | 'ű' => "U",
        'Ý' | 'ý' | 'ÿ' => "Y",
        'Ź' | 'ź' | 'Ż' | 'ż' | 'Ž' | 'ž' => "Z",
        _ => {
            out.extend(c.to_uppercase().filter(|u| u.is_alphanumeric()));
            return;
        }
    };
    out.push_str(plain);
}

/// A name as it is written in an address: `NE 5TH` to `NE 5th`, `OCONNOR` to `Oconnor`.
pub fn title(words: &str) -> String {
    let mut out = String::with_capacity(words.len());
    for (i, word) in words.split(' ').enumerate() {
        if i > 0 {
            out.push(' ');
        }
        // Initials of a road system ("US Highway 701") are no word.
        if word == "US" {
            out.push_str(word);
            continue;
        }
        let mut chars = word.chars();
        if let Some(first) = chars.next() {
            out.push(first);
            chars.for_each(|c| out.extend(c.to_lowercase()));
        }
    }
    out
}

/// Optimal string alignment distance of two byte strings, given up beyond `most`.
pub fn distance(a: &[u8], b: &[u8], most: usize) -> Option<usize> {
    if a.len().abs_diff(b.len()) > most {
        return None;
    }
    const LIMIT: usize = 64;
    if a.len() > LIMIT || b.len() > LIMIT {
        return (a == b).then_some(0);
    }
    let mut rows = [[0u8; LIMIT + 1]; 3];
    for (j, cell) in rows[0][..=b.len()].iter_mut().enumerate() {
        *cell = j as u8;
    }
    for i in 1..=a.len() {
        let (now, last, before) = (i % 3, (i + 2) % 3, (i + 1) % 3);
        rows[now][0] = i as u8;
        let mut best = i as u8;
        for j in 1..=b.len() {
            let cost = u8::from(a[i - 1] != b[j - 1]);
            let mut v = (rows[last][j] + 1).min(rows[now][j - 1] + 1).min(rows[last][j - 1] + cost);
            if i > 1 && j > 1 && a[i - 1] == b[j - 2] && a[i - 2] == b[j - 1] {
                v = v.min(rows[before][j - 2] + 1);
            }
            rows[now][j] = v;
            best = best.min(v);
        }
        if usize::from(best) > most {
            return None;
        }
    }
    Some(usize::from(rows[a.len() % 3][b.len()])).filter(|d| *d <= most)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// The slow, obvious twin: the definition of the distance by recursion over prefixes.
    fn slow(a: &[u8], b: &[u8]) -> usize {
        let mut d = vec![vec![0; b.len() + 1]; a.len() + 1];
        for i in 0..=a.len() {
            for j in 0..=b.len() {
                d[i][j] = if i == 0 || j == 0 {
                    i + j
                } else {
                    let mut v =
                        (d[i - 1][j] + 1).min(d[i][j - 1] + 1).min(d[i - 1][j - 1] + usize::from(a[i - 1] != b[j - 1]));
                    if i > 1 && j > 1 && a[i - 1] == b[j - 2] && a[i - 2] == b[j - 1] {
                        v = v.min(d[i - 2][j - 2] + 1);
                    }
                    v
                };
            }
        }
        d[a.len()][b.len()]
    }

    proptest! {
        #[test]
        fn distance_is_the_definition(a in "[AB]{0,8}", b in "[AB]{0,8}", most in 0usize..4) {
            let wanted = Some(slow(a.as_bytes(), b.as_bytes())).filter(|d| *d <= most);
            prop_assert_eq!(distance(a.as_bytes(), b.as_bytes(), most), wanted);
        }

        #[test]
        fn normal_form_is_stable(text in "\\PC{0,30}") {
            let once = words(&text);
            prop_assert_eq!(words(&once), once);
        }
    }
}
