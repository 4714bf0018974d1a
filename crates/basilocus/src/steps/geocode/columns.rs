//! Which columns hold the parts of an address.

use super::Geocode;
use crate::Error;
use crate::engine::Columns;
use basilocus_table::Role;
use std::path::Path;

/// Places of the columns of an address, in the order of [`Role::ADDRESS`].
pub(super) type Parts = [Option<usize>; 8];

/// The columns that the plan names, and those that headers and values show; and what was found, in words.
pub(super) fn find(plan: &Geocode, columns: &Columns, source: &Path) -> Result<(Parts, String), Error> {
    let said = [
        &plan.address,
        &plan.house_number,
        &plan.street,
        &plan.unit,
        &plan.locality,
        &plan.region,
        &plan.postcode,
        &plan.country_column,
    ];
    let mut parts: Parts = [None; 8];
    for (slot, wanted) in parts.iter_mut().zip(said) {
        *slot = wanted.as_deref().map(|w| columns.require(w, source)).transpose()?;
    }
    for (i, role) in Role::ADDRESS.iter().enumerate() {
        let found = columns.iter().position(|c| c.role == Some(*role)).filter(|c| !parts.contains(&Some(*c)));
        // A whole address that was said makes the thoroughfare columns that were only found unnecessary.
        let whole_said = plan.address.is_some() && (1..=2).contains(&i);
        if parts[i].is_none() && !whole_said {
            parts[i] = found;
        }
    }
    if parts[0].is_none() && parts[2].is_none() && parts[4].is_none() && parts[6].is_none() {
        return Err(Error::NoAddress { path: source.to_path_buf(), names: columns.names() });
    }
    let words: Vec<String> = Role::ADDRESS
        .iter()
        .zip(parts)
        .filter_map(|(role, at)| Some(format!("{} \"{}\"", role.name(), columns.get(at?)?.name())))
        .collect();
    Ok((parts, words.join(", ")))
}
