//! The one system that a person means who writes its name in other words: `WGS84`, `nad27 utm 10n`, `oregon north ft`.

use super::Crs;
use super::catalogue::{Catalogue, KINDS, Record};

/// A system that fits what somebody wrote, with why.
#[derive(Debug, Clone, PartialEq)]
pub struct Meant {
    /// The system.
    pub crs: Crs,
    /// Why it is this one, in words, with others that fit.
    pub evidence: String,
}

/// A system whose name fits.
struct Fitting {
    record: Record,
    /// The name of its frame without that of its realisation: NAD83 of NAD83(HARN).
    family: String,
    /// Whether the name of the frame is that of the family.
    is_plain: bool,
}

/// Text in pieces of letters or of figures, in lower case: `WGS84` and `WGS 84` are the same.
fn pieces(text: &str) -> Vec<String> {
    let mut out: Vec<String> = Vec::new();
    let mut before = ' ';
    for c in text.to_lowercase().chars() {
        if c.is_alphanumeric() {
            match out.last_mut() {
                Some(piece) if before.is_alphanumeric() && before.is_numeric() == c.is_numeric() => piece.push(c),
                _ => out.push(c.to_string()),
            }
        }
        before = c;
    }
    for piece in out.iter_mut().filter(|p| matches!(p.as_str(), "feet" | "foot")) {
        *piece = "ft".into();
    }
    out
}

/// Whether words are pieces of a name, and all that are needed among them; `zone` says nothing.
fn covers(words: &[String], needed: &[String], all: &[String]) -> bool {
    let says = |w: &&String| *w != "zone";
    words.iter().filter(says).all(|w| all.contains(w)) && needed.iter().filter(says).all(|n| words.contains(n))
}

impl Catalogue {
    /// The one system that a text means which is not exactly its name. `None` where several fit that are not
    /// realisations of one frame, or none does.
    ///
    /// UTM without a frame is that of WGS 84, which the evidence says.
    ///
    /// ```
    /// use basilocus_geodesy::crs::Catalogue;
    /// let code = |text| Catalogue::embedded().meant(text).and_then(|m| m.crs.code);
    /// assert_eq!((code("WGS84"), code("utm 32n"), code("NAD27 UTM 10N")), (Some(4326), Some(32632), Some(26710)));
    /// assert_eq!(code("oregon north ft"), Some(2269));
    /// // In feet of one kind or the other, or in metres, on one datum or the other.
    /// assert_eq!(code("oregon north"), None);
    /// ```
    pub fn meant(&self, text: &str) -> Option<Meant> {
        let words = pieces(text);
        let mut fitting: Vec<Fitting> = self.records().filter_map(|r| fits(r, &words)).collect();
        // Who means heights, or a system of three axes, says so.
        let simplest = fitting.iter().map(|f| simplicity(f.record.kind_byte())).min()?;
        fitting.retain(|f| simplicity(f.record.kind_byte()) == simplest);
        let one_family = fitting.iter().all(|f| f.family == fitting[0].family);
        let is_utm = words.iter().any(|w| w == "utm");
        if !one_family {
            let name = |f: &Fitting| f.record.name().split(" / ").nth(1).map(str::to_string);
            let one_zone = fitting.iter().all(|f| name(f).is_some() && name(f) == name(&fitting[0]));
            if !(is_utm && one_zone) {
                return None;
            }
        }
        let order = |f: &Fitting| (!one_family && f.family != "wgs 84", !f.is_plain, f.record.code());
        let best = fitting.iter().min_by_key(|f| order(f))?;
        let title = |f: &Fitting| format!("{} (EPSG:{})", f.record.name(), f.record.code());
        let others: Vec<String> =
            fitting.iter().filter(|f| f.record.code() != best.record.code()).take(4).map(title).collect();
        let more = fitting.len().saturating_sub(others.len() + 1);
        let others = match (others.is_empty(), more) {
            (true, _) => String::new(),
            (false, 0) => format!("; it could also be {}", others.join(", ")),
            (false, more) => format!("; it could also be {}, or one of {more} more", others.join(", ")),
        };
        let evidence = format!("\"{}\" is taken as {}{others}", text.trim(), title(best));
        Some(Meant { crs: best.record.decode(), evidence })
    }
}

/// Plane and geographic systems before those with more axes.
fn simplicity(kind: u8) -> u8 {
    match KINDS[usize::from(kind).min(4)] {
        "geographic" | "projected" => 0,
        "vertical" => 1,
        _ => 2,
    }
}

fn fits(record: Record, words: &[String]) -> Option<Fitting> {
    let name = record.name();
    let all = pieces(name);
    let (frame, needed) = match name.split_once(" / ") {
        Some((frame, conversion)) => (frame, pieces(conversion)),
        None => (name, all.clone()),
    };
    if !covers(words, &needed, &all) {
        return None;
    }
    let family = frame.split(['(']).next().unwrap_or(frame);
    let family =
        family.split_once(" v").filter(|(_, v)| v.starts_with(|c: char| c.is_ascii_digit())).map_or(family, |(f, _)| f);
    Some(Fitting { record, family: family.trim().to_lowercase(), is_plain: family.trim() == frame.trim() })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn code(text: &str) -> Option<u32> {
        Catalogue::embedded().meant(text).and_then(|m| m.crs.code)
    }

    #[test]
    fn names_as_people_write_them() {
        for (text, wanted) in [
            ("wgs84", 4326),
            ("WGS-84", 4326),
            ("etrs 89", 4258),
            ("UTM32N", 32632),
            ("utm zone 33s", 32733),
            ("ETRS89 UTM 32N", 25832),
            ("ED50 UTM zone 32N", 23032),
            ("Oregon North (feet)", 2269),
            ("NAD83(2011) Oregon North ft", 6559),
            ("british national grid", 27700),
            ("RD new", 28992),
            ("lambert 93", 2154),
        ] {
            assert_eq!(code(text), Some(wanted), "{text}");
        }
    }

    #[test]
    fn what_could_be_several_or_is_a_part_of_a_name_is_none() {
        for text in ["utm 10", "utm", "oregon", "oregon north", "mercator", "zone", "", "32n", "lambert", "nad", "84"] {
            assert_eq!(code(text), None, "{text}");
        }
    }

    #[test]
    fn a_choice_names_the_others() {
        let evidence = |text| Catalogue::embedded().meant(text).unwrap().evidence;
        let utm = evidence("utm 32n");
        assert!(
            utm.starts_with("\"utm 32n\" is taken as WGS 84 / UTM zone 32N (EPSG:32632); it could also be"),
            "{utm}"
        );
        assert!(evidence("oregon north ft").contains("NAD83(HARN) / Oregon North (ft) (EPSG:2913)"));
        assert_eq!(evidence("NAD27 UTM 10N"), "\"NAD27 UTM 10N\" is taken as NAD27 / UTM zone 10N (EPSG:26710)");
    }
}
