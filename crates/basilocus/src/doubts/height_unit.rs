//! Heights in another unit than the one that they are taken in.

use super::{AtTheEnd, Doubt, Ending, Finding, Scene};
use basilocus_geodesy::crs::Heights;

pub static DOUBT: Doubt = Doubt {
    name: "height-unit",
    looks_for: "heights whose column says another unit than the one that their system or the format of the output has",
    example: "a column `elev_ft` as heights in metres above mean sea level, or in a format whose heights are metres (KML, GPX, GeoJSON)",
    mend: "say a system whose heights are in that unit with `from` (`crs find` lists them), or bring the column to the unit first",
    watch: |scene| scene.height_column.is_some().then(|| Box::new(AtTheEnd(finding)) as Box<dyn super::Watch>),
};

/// Words by which headers say a unit of heights: those of feet, and those of metres.
const FEET: [&str; 14] =
    ["ft", "feet", "foot", "usft", "ftus", "sft", "fuß", "fuss", "pied", "pieds", "pie", "pies", "piedi", "voet"];
const METRES: [&str; 10] = ["m", "mtr", "meter", "meters", "metre", "metres", "mètres", "metros", "metri", "müm"];

/// Metres of a unit that a header names, and its words: a foot is one of either kind.
fn unit_in(header: &str) -> Option<(f64, &'static str)> {
    let lower = header.to_lowercase();
    let mut words = lower.split(|c: char| !c.is_alphanumeric()).filter(|w| !w.is_empty());
    // A single letter in front is the name of what is measured.
    let first = words.next()?;
    let all = std::iter::once(first).filter(|w| w.chars().count() > 1).chain(words);
    all.rev().find_map(|word| {
        let is = |list: &[&str]| list.contains(&word);
        if is(&FEET) { Some((0.3048, "feet")) } else { is(&METRES).then_some((1.0, "metres")) }
    })
}

fn finding(scene: &Scene, end: &Ending) -> Option<Finding> {
    let column = scene.height_column.as_ref()?;
    let (metres, said) = unit_in(column)?;
    let system = scene.numbers_in.as_ref()?;
    let (taken, taken_words, why) = match system.heights() {
        Heights::Ellipsoid { unit } | Heights::Level { unit, .. } => {
            (unit.metres, unit.plural(), format!("which {} has", system.title()))
        }
        _ if scene.heights_are_metres => {
            (1.0, "metres".to_string(), "as the format of the output has them".to_string())
        }
        _ => return None,
    };
    // The kinds of feet are told apart by no header.
    let is_another = (metres / taken - 1.0).abs() > 0.01;
    is_another.then(|| Finding {
        column: Some(column.clone()),
        rows: end.ledger.rows_out,
        message: format!("the heights of \"{column}\" are {said} by its name, and are taken as {taken_words}, {why}"),
        mend: DOUBT.mend.into(),
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn headers_say_a_unit_by_a_word_of_their_own() {
        for (header, unit) in [
            ("elev_ft", Some("feet")),
            ("Height (US feet)", Some("feet")),
            ("z [m]", Some("metres")),
            ("H (m)", Some("metres")),
            ("Höhe m", Some("metres")),
            ("feet", Some("feet")),
            ("height", None),
            ("m", None),
            ("left", None),
            ("ftype", None),
            ("M_value", None),
        ] {
            assert_eq!(unit_in(header).map(|u| u.1), unit, "{header}");
        }
    }
}
