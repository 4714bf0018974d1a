//! Positions far from the town or postcode that their own row names, by the reference of addresses that says where data should
//! be. Those outside of the reference are told by other doubts.

use super::explained::{Numbers, suppositions};
use super::{Doubt, Ending, Finding, Scene, Seen, Watch};
use basilocus_address::matching::find_in;
use basilocus_address::nearest::metres;
use basilocus_address::parse::AddressInput;
use basilocus_address::{Level, MatchOptions, Outcome, Reference};
use basilocus_table::Role;
use basilocus_table::batch::cell_text;
use basilocus_table::counted::is_or_are;
use std::collections::HashMap;
use std::sync::{Arc, Mutex, PoisonError};

pub static DOUBT: Doubt = Doubt {
    name: "other-town",
    looks_for: "positions far from the town, region or postcode that their own row names, where `expect` says a reference of addresses",
    example: "a gate of Ternport that lies in Ash, 150 km away: rows of two tables were joined by their order",
    mend: "compare these rows with their addresses: the position or the town is wrong",
    watch,
};

/// Beside the radius of a town, twice, so many metres are near: people name the next town.
const NEAR_M: f64 = 25_000.0;
/// Towns that are remembered.
const MOST_TOWNS: usize = 200_000;
/// Rows far away whose numbers are kept.
const MOST_FAR: usize = 2_000;
/// Matches below that are no evidence.
const SURE: u8 = 80;

/// A town, region, postcode and country as a row names them.
type Named = [String; 4];

/// A town that the reference knows.
#[derive(Clone, Copy)]
struct Town {
    lon: f64,
    lat: f64,
    /// Positions that are farther from its middle are not in it, metres.
    limit_m: f64,
}

/// A row far from its town.
struct Far {
    row: u64,
    numbers: Numbers,
    town: Town,
    name: String,
}

#[derive(Default)]
struct Found {
    towns: HashMap<Named, Option<Town>>,
    /// Rows whose town is known.
    known: u64,
    far: u64,
    /// The first of them by their rows, up to a limit.
    kept: Vec<Far>,
}

struct Watching {
    references: Arc<[Reference]>,
    options: MatchOptions,
    /// Names of the columns of town, region, postcode and country.
    columns: [Option<String>; 4],
    found: Mutex<Found>,
}

fn watch(scene: &Scene) -> Option<Box<dyn Watch>> {
    scene.numbers_in.as_ref()?;
    let column = |role: Role| {
        let found = scene.columns.iter().find(|c| c.role == Some(role) && !c.added);
        found.map(|c| c.name().to_string())
    };
    let columns = [Role::Locality, Role::Region, Role::Postcode, Role::Country].map(column);
    let is_told = !scene.references.is_empty() && (columns[0].is_some() || columns[2].is_some());
    is_told.then(|| {
        let options = MatchOptions { finest: Level::Postcode, others: 0, ..Default::default() };
        let references = scene.references.clone();
        Box::new(Watching { references, options, columns, found: Mutex::default() }) as Box<dyn Watch>
    })
}

impl Watching {
    /// Where a town is, if the reference is sure of it.
    fn town(&self, [locality, region, postcode, country]: &Named) -> Option<Town> {
        let input = AddressInput { locality, region, postcode, country, ..Default::default() };
        let Outcome::Matched(found) = find_in(&self.references, &self.options, &input) else { return None };
        let best = found.best;
        let is_town = matches!(best.level, Level::Postcode | Level::Locality) && best.confidence >= SURE;
        is_town.then_some(Town { lon: best.lon, lat: best.lat, limit_m: 2.0 * best.radius_m + NEAR_M })
    }

    /// The town that a row names, looked up once.
    fn remembered(&self, named: Named) -> Option<Town> {
        let lock = || self.found.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(known) = lock().towns.get(&named) {
            return *known;
        }
        let town = self.town(&named);
        let mut found = lock();
        if found.towns.len() < MOST_TOWNS {
            found.towns.insert(named, town);
        }
        town
    }
}

impl Watch for Watching {
    fn rows(&self, seen: &Seen) {
        let Some((lon, lat)) = seen.degrees() else { return };
        let [x, y, _] = seen.placed();
        let expected = seen.scene().area.as_ref().map(|a| &a.area);
        let is_expected = |row: usize| expected.is_none_or(|area| area.contains(lon[row], lat[row]));
        let records = seen.rows.records();
        let columns = self.columns.clone().map(|name| name.and_then(|name| records.column_by_name(&name)));
        for (row, number) in seen.rows.source_rows().iter().enumerate() {
            if !(lon[row].is_finite() && lat[row].is_finite() && is_expected(row)) {
                continue;
            }
            let named: Named = columns.map(|c| c.map_or(String::new(), |c| cell_text(c, row).trim().to_string()));
            if named[0].is_empty() && named[2].is_empty() {
                continue;
            }
            let name = if named[0].is_empty() { named[2].clone() } else { named[0].clone() };
            let Some(town) = self.remembered(named) else { continue };
            let is_far = metres((lon[row], lat[row]), (town.lon, town.lat)) > town.limit_m;
            let mut found = self.found.lock().unwrap_or_else(PoisonError::into_inner);
            found.known += 1;
            if is_far {
                found.far += 1;
                // Threads bring blocks in any order: of more than can be kept, the first by their rows are.
                found.kept.push(Far { row: *number, numbers: [x[row], y[row]], town, name });
                if found.kept.len() > 2 * MOST_FAR {
                    found.kept.sort_by_key(|far| far.row);
                    found.kept.truncate(MOST_FAR);
                }
            }
        }
    }

    fn finding(&self, scene: &Scene, _: &Ending) -> Option<Finding> {
        let mut found = self.found.lock().unwrap_or_else(PoisonError::into_inner);
        found.kept.sort_by_key(|far| far.row);
        found.kept.truncate(MOST_FAR);
        let first = found.kept.first()?;
        let mut message = format!(
            "{} of {} positions {} far from the town or postcode that their own row names, the first in row {} from \"{}\"",
            found.far,
            found.known,
            is_or_are(found.far),
            first.row,
            first.name
        );
        let mut mend = DOUBT.mend.to_string();
        if let Some((claim, of, mends)) = explained(scene, &found.kept) {
            message.push_str(&format!("; {claim}: so {of} of {} would be near", found.kept.len()));
            mend = mends;
        }
        Some(Finding { column: scene.columns_of_positions(), rows: found.far, message, mend })
    }
}

/// What brings most of the rows to their towns: what seems to be wrong, how many rows it explains, and what mends it.
fn explained(scene: &Scene, far: &[Far]) -> Option<(String, usize, String)> {
    let crs = scene.numbers_in.as_ref()?;
    let area = scene.area.as_ref().map(|a| &a.area)?;
    let numbers: Vec<Numbers> = far.iter().map(|f| f.numbers).collect();
    let near = |place: &super::explained::Place| {
        let is_near = |f: &&Far| {
            (place)(f.numbers).is_some_and(|[lon, lat]| metres((lon, lat), (f.town.lon, f.town.lat)) <= f.town.limit_m)
        };
        far.iter().filter(is_near).count()
    };
    let tried = suppositions(crs, area, &numbers).into_iter().map(|s| (near(&s.place), s));
    // Of those that do as well, the first is the most usual one.
    let best = tried.fold(None, |best: Option<(usize, _)>, next| match best {
        Some(best) if best.0 >= next.0 => Some(best),
        _ => Some(next),
    });
    let (rows, supposed) = best.filter(|(rows, _)| *rows * 2 > far.len())?;
    Some((supposed.claim, rows, supposed.mend))
}
