//! How rows are to be shown, for the columns of an output.

use crate::Error;
use crate::plan::ShowPlan;
use basilocus_formats::{DRIVERS, Format, Presentation, Rule, Show, Template, color};

/// Refuses what none of the outputs shows.
///
/// # Errors
/// [`Error::Usage`] with the option, and the formats that show it.
pub(crate) fn check(plan: &ShowPlan, outputs: &[Format]) -> Result<(), Error> {
    let said = [
        ("category", Show::Category, plan.category.is_some()),
        ("label", Show::Label, plan.label.is_some()),
        ("balloon", Show::Balloon, plan.balloon.is_some()),
        ("icon", Show::Icon, plan.icon.is_some()),
        ("color", Show::Color, plan.color.is_some()),
        ("altitude", Show::Altitude, plan.altitude.is_some()),
    ];
    let idle = said.into_iter().find(|(_, what, is_said)| *is_said && !outputs.iter().any(|o| o.shows(*what)));
    let Some((option, what, _)) = idle.filter(|_| !outputs.is_empty()) else { return Ok(()) };
    let able: Vec<&str> = DRIVERS.iter().filter(|d| d.shows.contains(&what)).map(|d| d.name).collect();
    Err(Error::Usage(format!(
        "`{option}` does nothing in {}; it is for {}",
        outputs.iter().map(|o| o.name()).collect::<Vec<_>>().join(" and "),
        able.join(", ")
    )))
}

/// The presentation for an output with these columns.
///
/// # Errors
/// [`Error::Usage`] for columns that are not there, and for what is no template, rule or colour.
pub(crate) fn presentation(plan: &ShowPlan, columns: &[String]) -> Result<Presentation, Error> {
    let wrong = |flag: &str, text: &str, problem: String| Error::Usage(format!("`{flag}` {text}: {problem}"));
    let template = |flag: &str, text: &Option<String>| -> Result<Option<Template>, Error> {
        let read = |t: &String| Template::new(t, columns).map_err(|problem| wrong(flag, t, problem));
        text.as_ref().map(read).transpose()
    };
    let rule = |flag: &str, text: &Option<String>| -> Result<Option<Rule>, Error> {
        let read = |t: &String| Rule::new(t, columns).map_err(|problem| wrong(flag, t, problem));
        text.as_ref().map(read).transpose()
    };
    let category = match &plan.category {
        None => None,
        Some(name) => Some(
            columns
                .iter()
                .position(|c| c == name)
                .or_else(|| columns.iter().position(|c| c.eq_ignore_ascii_case(name)))
                .ok_or_else(|| {
                    wrong("category", name, format!("there is no such column; it has: {}", columns.join(", ")))
                })?,
        ),
    };
    let color_rule = rule("color", &plan.color)?;
    if let (Some(r), Some(text)) = (&color_rule, &plan.color) {
        let all = r.values.iter().map(|(_, to)| to).chain(&r.other);
        if let Some(bad) = all.into_iter().find(|to| color(to).is_none()) {
            return Err(wrong(
                "color",
                text,
                format!(
                    "\"{bad}\" is no colour and no column; #RRGGBB, a name such as red or teal, or a column is expected; it has: {}",
                    columns.join(", ")
                ),
            ));
        }
    }
    Ok(Presentation {
        category,
        label: template("label", &plan.label)?,
        balloon: template("balloon", &plan.balloon)?,
        icon: rule("icon", &plan.icon)?,
        color: color_rule,
        altitude: plan.altitude.unwrap_or_default(),
        names_layer: false,
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use basilocus_formats::Altitude;

    const COLUMNS: [&str; 3] = ["gate", "state", "Colour"];

    fn shown(plan: ShowPlan) -> Result<Presentation, String> {
        presentation(&plan, &COLUMNS.map(String::from)).map_err(|e| e.to_string())
    }

    fn some(text: &str) -> Option<String> {
        Some(text.into())
    }

    #[test]
    fn what_no_output_shows_is_refused() {
        let plan = ShowPlan { color: some("red"), category: some("state"), ..Default::default() };
        assert!(check(&plan, &[Format::Kml, Format::Delimited]).is_ok());
        assert!(check(&plan, &[]).is_ok(), "where nothing is said of outputs there is nothing to say");
        let e = check(&plan, &[Format::Delimited, Format::GeoJson]).unwrap_err().to_string();
        assert!(e.starts_with("`category` does nothing in delimited text and GeoJSON; it is for "), "{e}");
        let e = check(&plan, &[Format::Xlsx]).unwrap_err().to_string();
        assert_eq!(e, "`color` does nothing in XLSX workbook; it is for KML");
    }

    #[test]
    fn columns_by_their_names_in_any_letters() {
        let p = shown(ShowPlan { category: some("STATE"), label: some("gate"), ..Default::default() }).unwrap();
        assert_eq!((p.category, p.label.is_some(), p.altitude), (Some(1), true, Altitude::Found));
        let p = shown(ShowPlan { altitude: Some(Altitude::AboveSea), ..Default::default() }).unwrap();
        assert_eq!((p.category, p.altitude), (None, Altitude::AboveSea));
    }

    #[test]
    fn what_is_none_is_named_with_the_option() {
        let e = shown(ShowPlan { category: some("district"), ..Default::default() }).unwrap_err();
        assert_eq!(e, "`category` district: there is no such column; it has: gate, state, Colour");
        let e = shown(ShowPlan { label: some("{gate} of {owner}"), ..Default::default() }).unwrap_err();
        assert!(e.starts_with("`label` {gate} of {owner}:") && e.contains("owner"), "{e}");
        let e = shown(ShowPlan { color: some("state:high=crimsonish,*=red"), ..Default::default() }).unwrap_err();
        assert!(e.starts_with("`color`") && e.contains("\"crimsonish\" is no colour"), "{e}");
        assert!(shown(ShowPlan { color: some("state:high=#B3261E,*=teal"), ..Default::default() }).is_ok());
    }
}
