//! Columns that nobody takes for a part of the addresses, and with which more of them would be placed.

use super::columns::Parts;
use super::work::Addresses;
use crate::engine::{Columns, Rows, UnusedColumn};
use basilocus_address::matching::find_in;
use basilocus_address::{AddressInput, MatchOptions, Outcome, Reference, normal};
use basilocus_table::Role;

/// Rows that are tried.
const TRIED: usize = 60;
/// Fewer rows with a text tell nothing.
const FEW: usize = 3;
/// Parts that are tried, in the order in which they tell most.
const ROLES: [Role; 5] = [Role::Street, Role::Locality, Role::Postcode, Role::HouseNumber, Role::Region];
/// Confidence that is a gain.
const GAIN: u8 = 10;

/// The columns with which half of the first rows and more would be placed better.
pub(super) fn find(
    rows: &Rows,
    columns: &Columns,
    parts: &Parts,
    references: &[Reference],
    options: &MatchOptions,
) -> Vec<UnusedColumn> {
    let is_used = |role: Role| Role::ADDRESS.iter().zip(parts).any(|(r, at)| *r == role && at.is_some());
    let tried = rows.len().min(TRIED);
    let place = |input: &AddressInput| worth(&find_in(references, options, input));
    let as_it_is: Vec<u16> = {
        let addresses = Addresses::of(rows, parts);
        (0..tried).map(|row| place(&addresses.input(row))).collect()
    };
    let mut out: Vec<UnusedColumn> = Vec::new();
    for role in ROLES.into_iter().filter(|role| !is_used(*role)) {
        let slot = Role::ADDRESS.iter().position(|r| *r == role).unwrap_or_default();
        for (at, column) in columns.iter().enumerate() {
            let is_free = !parts.contains(&Some(at)) && !out.iter().any(|u| u.column == column.name());
            if !is_free || Some(at) == columns.geometry() {
                continue;
            }
            let mut with = *parts;
            with[slot] = Some(at);
            let addresses = Addresses::of(rows, &with);
            let said: Vec<usize> =
                (0..tried).filter(|row| !text(&addresses.input(*row), role).trim().is_empty()).collect();
            let may_be = |row: &&usize| may_be(role, text(&addresses.input(**row), role), references);
            if said.len() < FEW || said.iter().filter(may_be).count() * 2 < said.len() {
                continue;
            }
            let better = said.iter().filter(|row| place(&addresses.input(**row)) > as_it_is[**row]).count();
            if better >= FEW && better * 2 >= said.len() {
                let column = column.name().to_string();
                out.push(UnusedColumn { column, role, better: better as u64, tried: said.len() as u64 });
                // One column is a part; another one that seems to be it as well would be a guess.
                break;
            }
        }
    }
    out
}

/// What a match is worth: how fine it is, then how sure, in steps that are a gain.
fn worth(outcome: &Outcome) -> u16 {
    match outcome {
        Outcome::Matched(m) => 1 + 20 * (20 - m.best.level as u16) + u16::from(m.best.confidence / GAIN),
        Outcome::SetAside { .. } => 0,
    }
}

fn text<'a>(input: &AddressInput<'a>, role: Role) -> &'a str {
    match role {
        Role::Street => input.street,
        Role::Locality => input.locality,
        Role::Postcode => input.postcode,
        Role::HouseNumber => input.number,
        _ => input.region,
    }
}

/// Whether a text may be such a part at all, at first sight.
fn may_be(role: Role, text: &str, references: &[Reference]) -> bool {
    let words = normal::words(text);
    let of_any = |is: &dyn Fn(&Reference) -> bool| references.iter().any(is);
    match role {
        Role::Street => words.chars().filter(|c| c.is_alphabetic()).count() >= 3,
        Role::Locality => of_any(&|r| r.is_locality(&words)),
        Role::Postcode => of_any(&|r| r.grammar().postcode(&words).is_some()),
        Role::HouseNumber => words.starts_with(|c: char| c.is_ascii_digit()) && words.len() <= 8,
        _ => of_any(&|r| r.grammar().region(&words).is_some() || r.is_region_name(&words)),
    }
}
