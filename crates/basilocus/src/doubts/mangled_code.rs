//! Codes that a spreadsheet turned into something else: postcodes into numbers, identifiers into powers of ten, numbers with a
//! dash into dates.

use super::{Doubt, Ending, Finding, Scene, Seen, Watch};
use arrow_array::{Array, StringArray};
use basilocus_table::Role;
use basilocus_table::batch::text_bytes;
use std::collections::BTreeMap;
use std::sync::{Mutex, PoisonError};

pub static DOUBT: Doubt = Doubt {
    name: "mangled-code",
    looks_for: "postcodes with whole numbers of fewer digits than the longest, identifiers such as 4.10302E+13, and dates such as 12-Mar among numbers of houses or parcels",
    example: "postcodes 2134 and 97103 in one column; 4.10302E+13 for 41030200000117; 12-Mar for 12-3",
    mend: "take the column from the source again, as text",
    watch: |_| Some(Box::new(Watching::default())),
};

/// Rows that are looked at for values of another kind.
const LOOKED_AT: u64 = 50_000;
/// Powers of ten from here on are identifiers, not measurements.
const LEAST_POWER: u32 = 9;

/// Bytes of a day with its month, with a few spaces.
const LONGEST_DAY: usize = 16;

/// Signs that are in a column: most texts are told by one that they lack.
#[derive(Debug, Clone, Copy)]
struct Signs {
    /// A plus, without which there is no power.
    plus: bool,
    /// A dash or space, without which there is no day of a month.
    gap: bool,
}

/// What was found in a column of text.
#[derive(Debug, Default, Clone, PartialEq)]
struct Found {
    values: u64,
    powers: u64,
    dates: u64,
    /// The first of them by its row, and its value.
    first: Option<(u64, String)>,
}

#[derive(Default)]
struct Watching(Mutex<BTreeMap<String, Found>>);

impl Watch for Watching {
    fn rows(&self, seen: &Seen) {
        let numbers = seen.rows.source_rows();
        if numbers.first().is_none_or(|n| *n > LOOKED_AT) {
            return;
        }
        let records = seen.rows.records();
        for (field, array) in records.schema().fields().iter().zip(records.columns()) {
            let Some(texts) = array.as_any().downcast_ref::<StringArray>() else { continue };
            let mut found = Found::default();
            let bytes = text_bytes(texts);
            let signs = Signs {
                plus: memchr::memchr(b'+', bytes).is_some(),
                gap: memchr::memchr2(b'-', b' ', bytes).is_some(),
            };
            for (text, row) in texts.iter().zip(numbers).filter(|(_, row)| **row <= LOOKED_AT) {
                found.add(text.unwrap_or_default(), *row, signs);
            }
            let mut all = self.0.lock().unwrap_or_else(PoisonError::into_inner);
            all.entry(field.name().clone()).or_default().merge(found);
        }
    }

    fn finding(&self, _: &Scene, end: &Ending) -> Option<Finding> {
        let all = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        let mut told: Vec<(String, u64, String)> = postcodes(end).into_iter().collect();
        told.extend(all.iter().filter_map(|(name, found)| found.told(name).map(|(n, words)| (name.clone(), n, words))));
        let columns: Vec<&str> = told.iter().map(|t| t.0.as_str()).collect();
        (!told.is_empty()).then(|| Finding {
            column: Some(columns.join(", ")),
            rows: told.iter().map(|t| t.1).sum(),
            message: told.iter().map(|t| t.2.as_str()).collect::<Vec<_>>().join("; "),
            mend: DOUBT.mend.into(),
        })
    }
}

impl Found {
    fn add(&mut self, text: &str, row: u64, signs: Signs) {
        let is_filled = text.as_bytes().first().is_some_and(u8::is_ascii_graphic) || !text.trim().is_empty();
        self.values += u64::from(is_filled);
        if !is_filled || !(signs.plus || signs.gap) {
            return;
        }
        let text = text.trim();
        let (is_power, is_date) = (signs.plus && is_power_of_ten(text), signs.gap && is_day_and_month(text));
        self.powers += u64::from(is_power);
        self.dates += u64::from(is_date);
        if (is_power || is_date) && self.first.as_ref().is_none_or(|(first, _)| row < *first) {
            self.first = Some((row, text.to_string()));
        }
    }

    fn merge(&mut self, other: Found) {
        self.values += other.values;
        self.powers += other.powers;
        self.dates += other.dates;
        self.first = match (self.first.take(), other.first) {
            (Some(a), Some(b)) => Some(if a.0 <= b.0 { a } else { b }),
            (a, b) => a.or(b),
        };
    }

    fn told(&self, name: &str) -> Option<(u64, String)> {
        let (_, first) = self.first.as_ref()?;
        if self.powers > 0 {
            let words = format!(
                "{} values of \"{name}\" are powers of ten such as {first}: a spreadsheet seems to have turned identifiers into numbers, and their digits are lost",
                self.powers
            );
            return Some((self.powers, words));
        }
        // A column of days is what it says.
        (self.dates > 0 && self.dates * 2 < self.values).then(|| {
            let words = format!(
                "{} values of \"{name}\" are days such as {first} among others that are none: a spreadsheet seems to have turned numbers into dates",
                self.dates
            );
            (self.dates, words)
        })
    }
}

/// `4.10302E+13`.
fn is_power_of_ten(text: &str) -> bool {
    let Some((digits, power)) = text.split_once(['E', 'e']) else { return false };
    let Some(power) = power.strip_prefix('+') else { return false };
    let is_number = |t: &str| !t.is_empty() && t.bytes().all(|b| b.is_ascii_digit());
    let whole = digits.split(['.', ',']).all(is_number) && digits.len() <= 16;
    whole && is_number(power) && power.parse::<u32>().is_ok_and(|p| (LEAST_POWER..40).contains(&p))
}

/// `12-Mar`, `Mar-12`, `12. Mrz`, as spreadsheets of a few languages show a day of this year.
fn is_day_and_month(text: &str) -> bool {
    const MONTHS: [&str; 30] = [
        "jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec", "mrz", "mär", "mai", "okt",
        "dez", "janv", "févr", "mars", "avr", "juin", "juil", "août", "sept", "déc", "ene", "abr", "ago", "dic",
    ];
    // A day has a figure and a month of up to five letters.
    let has = |is: fn(&u8) -> bool| text.as_bytes().iter().any(is);
    if text.len() > LONGEST_DAY
        || !has(u8::is_ascii_digit)
        || !has(|b| matches!(b, b'-' | b' '))
        || !has(|b| b.is_ascii_alphabetic())
    {
        return false;
    }
    let parts: Vec<&str> = text.split(['-', ' ']).map(|p| p.trim_end_matches('.')).filter(|p| !p.is_empty()).collect();
    let [a, b] = parts[..] else { return false };
    let is_day = |t: &str| t.len() <= 2 && t.parse::<u8>().is_ok_and(|d| (1..=99).contains(&d));
    let is_month = |t: &str| MONTHS.contains(&t.to_lowercase().as_str());
    is_day(a) && is_month(b) || is_month(a) && is_day(b)
}

/// A postcode column without a single code.
fn postcodes(end: &Ending) -> Option<(String, u64, String)> {
    let (name, _, p) = end.profiles.iter().find(|(_, role, p)| {
        let short = p.range.is_some_and(|(low, _)| (0.0..10_000.0).contains(&low));
        *role == Some(Role::Postcode) && p.codes == 0 && p.integers > 0 && short && p.longest >= 5
    })?;
    let words = format!(
        "postcodes in \"{name}\" have different numbers of digits and none begins with a zero: a spreadsheet seems to have turned them into numbers"
    );
    Some((name.clone(), p.integers, words))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn told(values: &[&str]) -> Option<String> {
        let mut all = Found::default();
        for (i, value) in values.iter().enumerate() {
            let mut one = Found::default();
            one.add(value, i as u64, Signs { plus: true, gap: true });
            all.merge(one);
        }
        all.told("code").map(|t| t.1)
    }

    #[test]
    fn identifiers_and_days_are_known_by_what_is_left_of_them() {
        assert!(
            told(&["4.10302E+13", "41030200000118", ""])
                .unwrap()
                .starts_with("1 values of \"code\" are powers of ten such as 4.10302E+13")
        );
        assert!(told(&["12-4", "12-Mar", "7", "3. Mrz"]).unwrap_or_default().is_empty(), "half of them");
        assert!(told(&["12-4", "12-Mar", "7", "9-11", "101"]).unwrap().contains("days such as 12-Mar"));
        for clean in [
            &["12-Mar", "13-Mar"][..],
            &["1.5E+03", "2.5E+04"],
            &["Mar Vista 12", "May 3rd St", "41E+1x"],
            &["12-3", "12 March Road"],
            &[""],
        ] {
            assert_eq!(told(clean), None, "{clean:?}");
        }
    }
}
