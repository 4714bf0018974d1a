//! How rows are to be shown, for the columns of an output.

use crate::Error;
use crate::plan::ShowPlan;
use basilocus_formats::{Presentation, Rule, Template, color};

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
