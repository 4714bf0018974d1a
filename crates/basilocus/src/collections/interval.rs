//! A time from and to, as RFC 3339 writes them (OGC 17-069r4, clause 7.15.4).

use super::Unusable;
use basilocus_table::Moment;

const DAY_MS: i64 = 86_400_000;

/// A time from and to, both ends included, in milliseconds since 1970 in universal time; an end that is open is none.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Interval {
    /// Its begin.
    pub from_ms: Option<i64>,
    /// Its end.
    pub to_ms: Option<i64>,
}

impl Interval {
    /// Reads an instant (`2026-11-25`, `2026-11-25T10:00:00Z`) or an interval (`2026-11-01/2026-11-25`, `../2026-11-25`).
    /// A day alone is all of that day.
    ///
    /// # Errors
    /// [`Unusable`], what was expected.
    ///
    /// ```
    /// use basilocus::collections::Interval;
    /// let day = Interval::read("1970-01-02").unwrap();
    /// assert_eq!((day.from_ms, day.to_ms), (Some(86_400_000), Some(2 * 86_400_000 - 1)));
    /// assert_eq!(Interval::read("1970-01-02/..").unwrap().to_ms, None);
    /// assert!(Interval::read("yesterday").is_err());
    /// ```
    pub fn read(text: &str) -> Result<Self, Unusable> {
        let bad = || {
            Unusable::from(format!(
                "\"{text}\" is no time; a day such as 2026-11-25, a moment such as 2026-11-25T10:00:00Z, or two of them with a / between and .. for an open end are expected"
            ))
        };
        let end = |part: &str, is_begin: bool| match part {
            "" | ".." => Ok(None),
            _ => instant(part).map(|(from, to)| Some(if is_begin { from } else { to })).ok_or_else(bad),
        };
        let interval = match text.split_once('/') {
            Some((from, to)) => Interval { from_ms: end(from, true)?, to_ms: end(to, false)? },
            None => {
                let (from, to) = instant(text).ok_or_else(bad)?;
                Interval { from_ms: Some(from), to_ms: Some(to) }
            }
        };
        match (interval.from_ms, interval.to_ms) {
            (None, None) => Err(bad()),
            (Some(from), Some(to)) if from > to => Err(format!("\"{text}\" ends before it begins").into()),
            _ => Ok(interval),
        }
    }
}

/// When a day or a moment begins and ends.
pub(super) fn instant(text: &str) -> Option<(i64, i64)> {
    // RFC 3339 has any zone; a value that is kept has Z or none.
    let zoned = |text: &str| text.parse::<jiff::Timestamp>().ok().map(|t| t.as_millisecond());
    match Moment::read(text) {
        Some((Moment::Date, civil)) => Some((civil.milliseconds(), civil.milliseconds() + DAY_MS - 1)),
        Some((_, civil)) => Some((civil.milliseconds(), civil.milliseconds())),
        None => zoned(text).map(|ms| (ms, ms)),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn times_are_read() {
        let of = |text: &str| Interval::read(text).map(|i| (i.from_ms, i.to_ms));
        assert_eq!(of("1970-01-01T00:00:01Z"), Ok((Some(1000), Some(1000))));
        assert_eq!(of("1970-01-01T01:00:01+01:00"), Ok((Some(1000), Some(1000))));
        assert_eq!(of("../1970-01-01"), Ok((None, Some(DAY_MS - 1))));
        assert_eq!(of("1970-01-01/"), Ok((Some(0), None)));
        assert_eq!(of("1970-01-01/1970-01-02"), Ok((Some(0), Some(2 * DAY_MS - 1))));
        for text in ["", "..", "../..", "/", "2026-13-01", "2026-11-25/2026-11-24", "now", "2026-11-25/x", "a/b/c"] {
            assert!(of(text).is_err(), "{text}");
        }
    }
}
