//! Which columns hold the parts of an address.

use super::Geocode;
use crate::Error;
use crate::engine::Columns;
use basilocus_table::Role;
use std::collections::BTreeMap;
use std::path::Path;

/// Places of the columns of an address, in the order of [`Role::ADDRESS`].
pub(super) type Parts = [Option<usize>; Role::ADDRESS.len()];

/// The columns that the plan names, and those that headers and values show; and what was found, in words.
pub(super) fn find(plan: &Geocode, columns: &Columns, source: &Path) -> Result<(Parts, String), Error> {
    let said = [
        &plan.address,
        &plan.house_number,
        &plan.number_suffix,
        &plan.street_direction,
        &plan.street,
        &plan.street_type,
        &plan.street_direction_after,
        &plan.unit,
        &plan.second_line,
        &plan.locality,
        &plan.region,
        &plan.postcode,
        &plan.country_column,
    ];
    let mut parts: Parts = [None; Role::ADDRESS.len()];
    for (slot, wanted) in parts.iter_mut().zip(said) {
        *slot = wanted.as_deref().map(|w| columns.require(w, source)).transpose()?;
    }
    let mut passed_over: Vec<String> = Vec::new();
    for (i, role) in Role::ADDRESS.iter().enumerate() {
        let found = columns.iter().position(|c| c.role == Some(*role)).filter(|c| !parts.contains(&Some(*c)));
        // A whole address that was said has all its parts; others count where they are said as well.
        match (parts[i], found) {
            (None, Some(at)) if plan.address.is_some() => passed_over.push(named(*role, at, columns)),
            (None, found) => parts[i] = found,
            _ => {}
        }
    }
    let places = [Role::Address, Role::Street, Role::Locality, Role::Postcode];
    if !Role::ADDRESS.iter().zip(parts).any(|(role, at)| at.is_some() && places.contains(role)) {
        return Err(Error::NoAddress { path: source.to_path_buf(), names: columns.names() });
    }
    let mut missing = "";
    let has = |wanted: Role| Role::ADDRESS.iter().zip(parts).any(|(role, at)| *role == wanted && at.is_some());
    if has(Role::HouseNumber) && !has(Role::Street) && !has(Role::Address) {
        missing = "; house numbers without a column of streets: say it with `street`, or they count only where a postcode is that of one street";
    }
    let words = Role::ADDRESS.iter().zip(parts).filter_map(|(role, at)| Some(named(*role, at?, columns)));
    let mut words = words.collect::<Vec<_>>().join(", ");
    if !passed_over.is_empty() {
        words
            .push_str(&format!("; not used beside the whole address, as nobody says them: {}", passed_over.join(", ")));
    }
    words.push_str(missing);
    Ok((parts, words))
}

/// The columns by the part of an address that each holds, as plans keep them.
pub(super) fn by_part(parts: &Parts, columns: &Columns) -> BTreeMap<String, String> {
    let all = Role::ADDRESS.iter().zip(parts);
    all.filter_map(|(role, at)| Some((role.name().to_string(), columns.get((*at)?)?.name().to_string()))).collect()
}

/// `locality "Town"`
fn named(role: Role, at: usize, columns: &Columns) -> String {
    format!("{} \"{}\"", role.name(), columns.get(at).map_or("", |c| c.name()))
}
