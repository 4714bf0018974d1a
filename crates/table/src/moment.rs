//! Dates and times. They travel as text in ISO 8601 form, so that what is not changed stays as it was written; a mark on their
//! column says what all of its values are, for the formats that have a type for it.

use arrow_schema::{DataType, Field, TimeUnit};

/// What all values of a column are.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Moment {
    /// Days: `2026-11-25`.
    Date,
    /// Days and times of day, to the millisecond: `2026-11-25T10:00:00`, with `Z` where they are in universal time.
    DateTime {
        /// Whether they are in universal time; else nobody says where their clock stands.
        utc: bool,
    },
}

/// A date with the time of day, as the calendar has it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Civil {
    /// Year, 1 to 9999.
    pub year: u16,
    /// Month, 1 to 12.
    pub month: u8,
    /// Day of the month.
    pub day: u8,
    /// Milliseconds since midnight; 0 for a date alone.
    pub millisecond: u32,
}

/// The key of the mark in the metadata of a field.
const KEY: &str = "moment";
const DATE: &str = "date";
const LOCAL: &str = "date-time";
const UTC: &str = "date-time-utc";

impl Moment {
    /// What a text is; `None` where it is no date of the calendar, has a zone other than `Z`, or more than milliseconds.
    ///
    /// ```
    /// use basilocus_table::Moment;
    /// assert_eq!(Moment::of("2024-02-29"), Some(Moment::Date));
    /// assert_eq!(Moment::of("2023-02-29"), None);
    /// assert_eq!(Moment::of("2026-11-25 10:00"), Some(Moment::DateTime { utc: false }));
    /// assert_eq!(Moment::of("2026-11-25T10:00:00.5Z"), Some(Moment::DateTime { utc: true }));
    /// ```
    pub fn of(text: &str) -> Option<Self> {
        Self::read(text).map(|(moment, _)| moment)
    }

    /// The same with its numbers.
    pub fn read(text: &str) -> Option<(Self, Civil)> {
        let bytes = text.as_bytes();
        let shaped = bytes.len() >= 10 && bytes[4] == b'-' && bytes[7] == b'-';
        if !shaped {
            return None;
        }
        let (year, month, day) = (figures(&bytes[..4])?, figures(&bytes[5..7])?, figures(&bytes[8..10])?);
        if !(1..=12).contains(&month) || day == 0 || day > days_of(month, year) || year == 0 {
            return None;
        }
        let civil = |millisecond| Civil { year: year as u16, month: month as u8, day: day as u8, millisecond };
        let Some((mark, clock)) = bytes[10..].split_first() else { return Some((Moment::Date, civil(0))) };
        if !matches!(mark, b'T' | b' ') {
            return None;
        }
        let (clock, utc) = match clock.strip_suffix(b"Z") {
            Some(clock) => (clock, true),
            None => (clock, false),
        };
        Some((Moment::DateTime { utc }, civil(time_of_day(clock)?)))
    }

    /// The mark of a field.
    pub fn of_field(field: &Field) -> Option<Self> {
        Some(match field.metadata().get(KEY)?.as_str() {
            DATE => Moment::Date,
            LOCAL => Moment::DateTime { utc: false },
            UTC => Moment::DateTime { utc: true },
            _ => return None,
        })
    }

    /// The type that stands for it where types alone are spoken of.
    pub fn data_type(self) -> DataType {
        match self {
            Moment::Date => DataType::Date32,
            Moment::DateTime { utc } => DataType::Timestamp(TimeUnit::Millisecond, utc.then(|| "UTC".into())),
        }
    }

    fn word(self) -> &'static str {
        match self {
            Moment::Date => DATE,
            Moment::DateTime { utc: false } => LOCAL,
            Moment::DateTime { utc: true } => UTC,
        }
    }
}

/// A field of a type, which for dates and times is text with a mark.
pub fn field_of(field: Field, kind: &DataType) -> Field {
    let moment = match kind {
        DataType::Date32 => Moment::Date,
        DataType::Timestamp(_, zone) => Moment::DateTime { utc: zone.is_some() },
        other => return field.with_data_type(other.clone()),
    };
    let mut metadata = field.metadata().clone();
    metadata.insert(KEY.into(), moment.word().into());
    field.with_data_type(DataType::Utf8).with_metadata(metadata)
}

impl Civil {
    /// Days since 1970-01-01.
    ///
    /// ```
    /// use basilocus_table::Moment;
    /// assert_eq!(Moment::read("1970-01-01").unwrap().1.days(), 0);
    /// assert_eq!(Moment::read("2000-03-01").unwrap().1.days(), 11_017);
    /// ```
    pub fn days(&self) -> i32 {
        let year = i32::from(self.year);
        let before = |year: i32| 365 * year + year / 4 - year / 100 + year / 400;
        let in_year: u32 = (1..u32::from(self.month)).map(|m| days_of(m, u32::from(self.year))).sum();
        before(year - 1) - before(1969) + in_year as i32 + i32::from(self.day) - 1
    }

    /// Milliseconds since 1970-01-01T00:00.
    pub fn milliseconds(&self) -> i64 {
        i64::from(self.days()) * 86_400_000 + i64::from(self.millisecond)
    }

    /// In the full form of ISO 8601: `2026-11-25T10:00:00`, with milliseconds where there are any.
    pub fn text(&self) -> String {
        let Civil { year, month, day, millisecond } = self;
        let (seconds, rest) = (millisecond / 1000, millisecond % 1000);
        let clock = format!("{:02}:{:02}:{:02}", seconds / 3600, seconds / 60 % 60, seconds % 60);
        let fraction = if rest > 0 { format!(".{rest:03}") } else { String::new() };
        format!("{year:04}-{month:02}-{day:02}T{clock}{fraction}")
    }
}

/// Hours and minutes, and seconds with a fraction where they are said; as milliseconds.
fn time_of_day(clock: &[u8]) -> Option<u32> {
    if clock.len() < 5 || clock[2] != b':' {
        return None;
    }
    let (hour, minute) = (figures(&clock[..2])?, figures(&clock[3..5])?);
    let (second, millisecond) = match &clock[5..] {
        [] => (0, 0),
        [b':', a, b] => (figures(&[*a, *b])?, 0),
        [b':', a, b, b'.', fraction @ ..] if (1..=3).contains(&fraction.len()) => {
            (figures(&[*a, *b])?, figures(fraction)? * 10u32.pow(3 - fraction.len() as u32))
        }
        _ => return None,
    };
    (hour < 24 && minute < 60 && second < 60).then_some(((hour * 60 + minute) * 60 + second) * 1000 + millisecond)
}

fn figures(bytes: &[u8]) -> Option<u32> {
    bytes.iter().try_fold(0, |sum, b| b.is_ascii_digit().then(|| sum * 10 + u32::from(b - b'0')))
}

fn days_of(month: u32, year: u32) -> u32 {
    match month {
        2 if year.is_multiple_of(4) && (!year.is_multiple_of(100) || year.is_multiple_of(400)) => 29,
        2 => 28,
        4 | 6 | 9 | 11 => 30,
        _ => 31,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn what_is_no_moment() {
        for text in [
            "",
            "2026-11-2",
            "2026-13-01",
            "2026-00-10",
            "2026-02-30",
            "0000-01-01",
            "2026/11/25",
            "2026-11-25T",
            "2026-11-25T25:00",
            "2026-11-25T10:60",
            "2026-11-25T10:00:60",
            "2026-11-25T10:00:00+02:00",
            "2026-11-25T10:00:00.1234",
            "2026-11-25X10:00",
            "2026-11-255",
            "20é6-11-25",
        ] {
            assert_eq!(Moment::of(text), None, "{text}");
        }
        assert_eq!(Moment::of("1900-02-29"), None);
        assert_eq!(Moment::of("2000-02-29"), Some(Moment::Date));
    }

    #[test]
    fn marks_come_back_and_other_types_have_none() {
        for moment in [Moment::Date, Moment::DateTime { utc: false }, Moment::DateTime { utc: true }] {
            let field = field_of(Field::new("day", DataType::Utf8, true), &moment.data_type());
            assert_eq!((field.data_type(), Moment::of_field(&field)), (&DataType::Utf8, Some(moment)));
        }
        let number = field_of(Field::new("n", DataType::Utf8, true), &DataType::Int64);
        assert_eq!((number.data_type(), Moment::of_field(&number)), (&DataType::Int64, None));
    }

    proptest! {
        /// Counted day by day from 1 January of the year 1.
        #[test]
        fn days_follow_each_other(year in 1u16..9999, month in 1u8..13) {
            let last = days_of(u32::from(month), u32::from(year)) as u8;
            let end = Civil { year, month, day: last, millisecond: 0 };
            let next = if month == 12 {
                Civil { year: year + 1, month: 1, day: 1, millisecond: 0 }
            } else {
                Civil { year, month: month + 1, day: 1, millisecond: 0 }
            };
            prop_assert_eq!(end.days() + 1, next.days());
        }

        #[test]
        fn texts_come_back(year in 1u16..9999, month in 1u8..13, day in 1u8..29, millisecond in 0u32..86_400_000) {
            let civil = Civil { year, month, day, millisecond };
            prop_assert_eq!(Moment::read(&civil.text()), Some((Moment::DateTime { utc: false }, civil)));
        }

        #[test]
        fn no_text_makes_it_panic(text in ".{0,30}") {
            let _ = Moment::of(&text);
        }
    }
}
