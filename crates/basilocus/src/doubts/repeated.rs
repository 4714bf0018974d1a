//! Rows that are there twice, and one address at places far apart.
//!
//! Rows are known again by a fingerprint of all their values. Of tables with more than some 220,000 different ones a part
//! is kept that the fingerprints themselves decide, so that memory does not grow: what is told is then an estimate, and
//! says so. The result does not depend on the order in which threads come by.

use super::{Doubt, Ending, Finding, Scene, Seen, Watch};
use arrow_array::{ArrayRef, RecordBatch};
use basilocus_geodesy::ellipsoid::Ellipsoid;
use basilocus_geodesy::geodesic::Geodesic;
use basilocus_table::batch::cell_text;
use basilocus_table::{Role, fingerprint};
use std::collections::HashMap;
use std::collections::hash_map::Entry;
use std::hash::{BuildHasherDefault, Hasher};
use std::sync::atomic::{AtomicU32, Ordering};
use std::sync::{Mutex, PoisonError};

pub static DOUBT: Doubt = Doubt {
    name: "repeated",
    looks_for: "rows that are there twice in all columns, and one address at places more than 100 m apart",
    example: "rows 2 and 4 are the same; 12 Heron Ln lies at the mouth in one row and in the hills in another",
    mend: "take out what is there twice; of an address at two places one of the places is wrong, or the address is",
    watch: |scene| Some(Box::new(Watching::new(scene))),
};

/// Watches the columns of the source.
struct Watching {
    met: Met,
    with_geometry: bool,
}

impl Watching {
    fn new(scene: &Scene) -> Self {
        let of_source = || scene.columns.iter().enumerate().filter(|(_, c)| !c.added);
        let roles: Vec<(usize, Option<Role>)> =
            of_source().filter(|(_, c)| !c.is_geometry()).map(|(at, c)| (at, c.role)).collect();
        let with_geometry = of_source().any(|(_, c)| c.is_geometry());
        // A geometry beside a single column is compared with it.
        let alone = roles.len() == 1 && with_geometry;
        let mut met = Met::new(&roles, scene.asks_for_addresses);
        if alone {
            met.columns = vec![roles[0].0];
        }
        Watching { met, with_geometry }
    }
}

/// Parts of the fingerprints, each behind a lock of its own.
const SHARDS: usize = 16;
/// Different fingerprints that a part keeps.
const KEPT: usize = 14_000;
/// One address may have a point at its door and one at its gate, metres apart.
const ONE_PLACE_M: f64 = 100.0;

/// Rows and addresses that were met.
struct Met {
    rows: Kept<u64>,
    addresses: Kept<Address>,
    /// Columns of the address; none where they do not tell houses apart.
    address_columns: Vec<(usize, Role)>,
    /// Columns whose values must all be the same again.
    columns: Vec<usize>,
}

/// What was met more than once.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
struct Repeated {
    /// Rows that are equal to an earlier one.
    rows: u64,
    /// The first of them, and the row that it repeats.
    row: Option<(u64, u64)>,
    /// Addresses at places far apart.
    addresses: u64,
    /// Two rows of the first of them.
    address: Option<(u64, u64)>,
    /// Whether the counts are estimates.
    estimated: bool,
}

/// Rows that are equal.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
struct Row {
    times: u64,
    /// The two lowest numbers.
    first: u64,
    second: u64,
}

/// Rows of one address.
#[derive(Debug, Clone, Copy)]
struct Address {
    row: Row,
    /// West, south, east, north.
    bounds: [f64; 4],
}

/// What is kept of a row that was met once, and of such that were met again.
trait Join: Copy {
    type Again: Copy;
    fn again(self, other: Self) -> Self::Again;
    fn join(again: &mut Self::Again, other: Self);
}

impl Row {
    fn once(number: u64) -> Self {
        Row { times: 1, first: number, second: u64::MAX }
    }

    fn join(&mut self, other: Row) {
        let mut lowest = [self.first, self.second, other.first, other.second];
        lowest.sort_unstable();
        *self = Row { times: self.times + other.times, first: lowest[0], second: lowest[1] };
    }
}

/// A row is its number alone: most are met once, and their number is all that has to be kept.
impl Join for u64 {
    type Again = Row;
    fn again(self, other: Self) -> Row {
        Row { times: 2, first: self.min(other), second: self.max(other) }
    }
    fn join(again: &mut Row, other: Self) {
        again.join(Row::once(other));
    }
}

impl Join for Address {
    type Again = Address;
    fn again(mut self, other: Self) -> Address {
        Self::join(&mut self, other);
        self
    }
    fn join(again: &mut Address, other: Self) {
        again.row.join(other.row);
        let ([w, s, e, n], b) = (again.bounds, other.bounds);
        again.bounds = [w.min(b[0]), s.min(b[1]), e.max(b[2]), n.max(b[3])];
    }
}

impl Address {
    /// Whether its places are farther apart than those of one house.
    fn is_apart(&self) -> bool {
        let [west, south, east, north] = self.bounds;
        Geodesic::new(&Ellipsoid::wgs84()).inverse(west, south, east, north).distance_m > ONE_PLACE_M
    }
}

/// Fingerprints are mixed already.
#[derive(Debug, Default, Clone, Copy)]
struct AsItIs(u64);

impl Hasher for AsItIs {
    fn write(&mut self, bytes: &[u8]) {
        bytes.iter().for_each(|b| self.0 = self.0.rotate_left(8) ^ u64::from(*b));
    }
    fn write_u64(&mut self, n: u64) {
        // The lowest bits are the same for all in a part, and the highest for all that are kept of many.
        self.0 = n.wrapping_mul(0x9e37_79b9_7f4a_7c15).rotate_left(32);
    }
    fn finish(&self) -> u64 {
        self.0
    }
}

type Map<T> = HashMap<u64, T, BuildHasherDefault<AsItIs>>;

/// What was met, by fingerprint, of a bounded number of them.
struct Kept<T: Join>(Vec<Shard<T>>);

struct Shard<T: Join> {
    /// Of the fingerprints those are kept that have so many zeros in front; it only grows.
    level: AtomicU32,
    seen: Mutex<Known<T>>,
}

struct Known<T: Join> {
    once: Map<T>,
    again: Map<T::Again>,
}

impl<T: Join> Kept<T> {
    fn new() -> Self {
        let shard = |_| Shard {
            level: AtomicU32::new(0),
            seen: Mutex::new(Known { once: Map::default(), again: Map::default() }),
        };
        Kept((0..SHARDS).map(shard).collect())
    }

    fn add(&self, met: impl Iterator<Item = (u64, T)>) {
        let levels: [u32; SHARDS] = std::array::from_fn(|i| self.0[i].level.load(Ordering::Relaxed));
        let mut parts: [Vec<(u64, T)>; SHARDS] = std::array::from_fn(|_| Vec::new());
        for (key, value) in met {
            let at = key as usize % SHARDS;
            if key.leading_zeros() >= levels[at] {
                parts[at].push((key, value));
            }
        }
        for (shard, part) in self.0.iter().zip(parts).filter(|(_, part)| !part.is_empty()) {
            let mut seen = shard.seen.lock().unwrap_or_else(PoisonError::into_inner);
            part.into_iter().for_each(|(key, value)| shard.add(&mut seen, key, value));
        }
    }

    /// All that was met again, with how many each stands for; whether that is more than one.
    fn each(&self, f: &mut dyn FnMut(&T::Again, u64)) -> bool {
        let mut estimated = false;
        for shard in &self.0 {
            let seen = shard.seen.lock().unwrap_or_else(PoisonError::into_inner);
            let level = shard.level.load(Ordering::Relaxed);
            estimated |= level > 0;
            seen.again.values().for_each(|again| f(again, 1 << level));
        }
        estimated
    }
}

impl<T: Join> Shard<T> {
    fn add(&self, seen: &mut Known<T>, key: u64, value: T) {
        let mut level = self.level.load(Ordering::Relaxed);
        if key.leading_zeros() < level {
            return;
        }
        match seen.once.entry(key) {
            Entry::Occupied(there) => match seen.again.entry(key) {
                Entry::Occupied(mut again) => T::join(again.get_mut(), value),
                Entry::Vacant(slot) => {
                    slot.insert(there.get().again(value));
                }
            },
            Entry::Vacant(slot) => {
                slot.insert(value);
                while seen.once.len() > KEPT {
                    level += 1;
                    seen.once.retain(|key, _| key.leading_zeros() >= level);
                    seen.again.retain(|key, _| key.leading_zeros() >= level);
                }
                self.level.store(level, Ordering::Relaxed);
            }
        }
    }
}

/// Columns of an address that tell houses apart: a whole address, or a street with what it lies in.
fn address_columns(roles: &[(usize, Option<Role>)]) -> Vec<(usize, Role)> {
    let has = |wanted: &[Role]| roles.iter().filter_map(|(_, r)| r.as_ref()).any(|r| wanted.contains(r));
    let tells_houses_apart = has(&[Role::Address]) || has(&[Role::Street]) && has(&[Role::Locality, Role::Postcode]);
    if !tells_houses_apart {
        return Vec::new();
    }
    let parts = roles.iter().filter_map(|(c, r)| r.map(|r| (*c, r)));
    parts.filter(|(_, r)| Role::ADDRESS.contains(r)).collect()
}

/// The letters and figures of an address; none where it does not begin with the number of a house: a street or a road
/// that is known by a number has many places. Numbers behind the name are not looked for, as those of roads stand there.
fn house(parts: impl Iterator<Item = (Role, String)>) -> Option<String> {
    let mut text = String::new();
    let mut numbered = false;
    for (role, part) in parts {
        let upper = part.to_uppercase();
        let words: Vec<&str> = upper.split(|c: char| !c.is_alphanumeric()).filter(|w| !w.is_empty()).collect();
        // A post box has no place of its own, and a rural route many.
        if words.contains(&"BOX") || words.first().is_some_and(|w| matches!(*w, "POB" | "RR")) {
            return None;
        }
        let ordinal = |w: &str| ["ST", "ND", "RD", "TH"].iter().any(|ending| w.ends_with(ending));
        numbered |= matches!(role, Role::Address | Role::HouseNumber | Role::Street)
            && words.first().is_some_and(|w| w.starts_with(|c: char| c.is_ascii_digit()) && !ordinal(w));
        for word in words {
            text.push_str(word);
            text.push(' ');
        }
        text.push('|');
    }
    numbered.then_some(text)
}

impl Met {
    /// For rows with columns of such roles, at such places. `asks` says that addresses are asked for: then it is no slip to
    /// ask for one twice, and only what is more than an address is compared.
    fn new(roles: &[(usize, Option<Role>)], asks: bool) -> Self {
        let more = roles.iter().any(|(_, r)| !r.is_some_and(|r| Role::ADDRESS.contains(&r)));
        let compared = roles.len() > 1 && (!asks || more);
        Met {
            rows: Kept::new(),
            addresses: Kept::new(),
            address_columns: if asks { Vec::new() } else { address_columns(roles) },
            columns: if compared { roles.iter().map(|(c, _)| *c).collect() } else { Vec::new() },
        }
    }

    /// Adds rows; their geometry counts where it is one of the source's columns.
    fn add_rows(&self, records: &RecordBatch, geometry: Option<&ArrayRef>, source_rows: &[u64]) {
        if self.columns.is_empty() {
            return;
        }
        let columns: Vec<&ArrayRef> =
            self.columns.iter().filter_map(|c| records.columns().get(*c)).chain(geometry).collect();
        let keys = fingerprint::of_rows(&columns, source_rows.len());
        self.rows.add(keys.into_iter().zip(source_rows.iter().copied()));
    }

    /// Adds addresses with their places, in degrees.
    fn add_addresses(&self, records: &RecordBatch, source_rows: &[u64], lon_deg: &[f64], lat_deg: &[f64]) {
        let met = source_rows.iter().enumerate().filter_map(|(row, number)| {
            let text = |c: usize| cell_text(records.column(c), row);
            let text = house(self.address_columns.iter().map(|(c, role)| (*role, text(*c))))?;
            let (x, y) = (lon_deg[row], lat_deg[row]);
            (x.is_finite() && y.is_finite())
                .then(|| (fingerprint::of_text(&text), Address { row: Row::once(*number), bounds: [x, y, x, y] }))
        });
        self.addresses.add(met);
    }

    /// What was met more than once.
    fn repeated(&self) -> Repeated {
        let mut out = Repeated::default();
        let lower = |slot: &mut Option<(u64, u64)>, row: &Row| {
            let pair = (row.second, row.first);
            *slot = Some(slot.map_or(pair, |p| p.min(pair)));
        };
        out.estimated |= self.rows.each(&mut |row, weight| {
            out.rows += (row.times - 1) * weight;
            lower(&mut out.row, row);
        });
        out.estimated |= self.addresses.each(&mut |address, weight| {
            if address.is_apart() {
                out.addresses += weight;
                lower(&mut out.address, &address.row);
            }
        });
        out
    }
}

impl Watch for Watching {
    fn rows(&self, seen: &Seen) {
        let rows = seen.rows;
        self.met.add_rows(rows.records(), rows.geometry_as_placed().filter(|_| self.with_geometry), rows.source_rows());
        if !self.met.address_columns.is_empty()
            && let Some((x, y)) = seen.degrees()
        {
            self.met.add_addresses(rows.records(), rows.source_rows(), x, y);
        }
    }

    fn finding(&self, _: &Scene, _: &Ending) -> Option<Finding> {
        told(&self.met.repeated())
    }
}

/// What is told of rows that are there twice, and of addresses at two places.
fn told(r: &Repeated) -> Option<Finding> {
    // Of an estimate two figures say what it is worth.
    let count = |n: u64| match (r.estimated, n.checked_ilog10()) {
        (true, Some(figures)) if figures > 1 => {
            let unit = 10u64.pow(figures - 1);
            format!("about {}", (n + unit / 2) / unit * unit)
        }
        (true, _) => format!("about {n}"),
        _ => n.to_string(),
    };
    let plural = |n: u64, one: &str, more: &str| if n == 1 { one.to_string() } else { more.to_string() };
    let (mut said, mut mends) = (Vec::new(), Vec::new());
    if let Some((row, earlier)) = r.row {
        said.push(format!(
            "{} {} an earlier one in all columns, the first of them row {row} (as row {earlier})",
            count(r.rows),
            plural(r.rows, "row repeats", "rows repeat"),
        ));
        mends.push("take out what is there twice");
    }
    if let Some((row, earlier)) = r.address {
        said.push(format!(
            "{} {} more than {ONE_PLACE_M} m apart, the first of them in rows {earlier} and {row}",
            count(r.addresses),
            plural(r.addresses, "address has places", "addresses have places"),
        ));
        mends.push("of an address at two places one of the places is wrong, or the address is");
    }
    (!said.is_empty()).then(|| Finding {
        column: None,
        rows: r.rows + r.addresses,
        message: said.join("; "),
        mend: mends.join("; "),
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use arrow_array::StringArray;
    use arrow_schema::{DataType, Field, Schema};
    use std::sync::Arc;

    /// Rows of texts, the first of them in row 2 of the file.
    fn batch(rows: &[Vec<String>], first: u64) -> (RecordBatch, Vec<u64>) {
        let n = rows.first().map_or(0, Vec::len);
        let schema = Schema::new((0..n).map(|c| Field::new(format!("c{c}"), DataType::Utf8, true)).collect::<Vec<_>>());
        let columns =
            (0..n).map(|c| Arc::new(rows.iter().map(|r| Some(r[c].as_str())).collect::<StringArray>()) as ArrayRef);
        let records = RecordBatch::try_new(Arc::new(schema), columns.collect()).unwrap();
        (records, (first..).take(rows.len()).collect())
    }

    fn texts(rows: &[&str]) -> Vec<Vec<String>> {
        rows.iter().map(|r| r.split('|').map(String::from).collect()).collect()
    }

    fn met(roles: &[Option<Role>], asks: bool, rows: &[&str], places: &[(f64, f64)]) -> Repeated {
        let roles: Vec<(usize, Option<Role>)> = roles.iter().copied().enumerate().collect();
        let met = Met::new(&roles, asks);
        let (records, numbers) = batch(&texts(rows), 2);
        met.add_rows(&records, None, &numbers);
        let (x, y): (Vec<f64>, Vec<f64>) = places.iter().copied().unzip();
        if !places.is_empty() {
            met.add_addresses(&records, &numbers, &x, &y);
        }
        met.repeated()
    }

    #[test]
    fn rows_that_are_there_twice() {
        let found = met(&[None, None], false, &["1|a", "2|b", "1|a", "1|b", "2|b", "2|b"], &[]);
        assert_eq!(found, Repeated { rows: 3, row: Some((4, 2)), ..Default::default() });
        assert_eq!(met(&[None, None], false, &["1|a", "2|b", "1|b"], &[]), Repeated::default());
        // One column says too little, and addresses may be asked for as often as one likes.
        assert_eq!(met(&[None], false, &["a", "a"], &[]), Repeated::default());
        let address = [Some(Role::Street), Some(Role::Locality)];
        assert_eq!(met(&address, true, &["12 Heron Ln|Ternport", "12 Heron Ln|Ternport"], &[]).rows, 0);
        assert_eq!(met(&[Some(Role::Address), None], true, &["12 Heron Ln|Ann", "12 Heron Ln|Ann"], &[]).rows, 1);
    }

    #[test]
    fn an_address_at_two_places() {
        let roles = [Some(Role::Street), Some(Role::Locality), None];
        let rows = ["12 Heron Ln|Ternport|a", "12 HERON LN.|Ternport|b", "14 Heron Ln|Ternport|c"];
        let far = [(-123.80, 46.20), (-123.80, 46.21), (-123.7, 46.2)];
        let found = met(&roles, false, &rows, &far);
        assert_eq!((found.addresses, found.address, found.rows), (1, Some((3, 2)), 0));
        // A door and a gate; a street without a number; a post box; a street that says no locality.
        assert_eq!(met(&roles, false, &rows, &[(-123.80, 46.20), (-123.80, 46.2005), (-123.7, 46.2)]).addresses, 0);
        for row in ["Heron Ln|Ternport|a", "PO Box 12|Ternport|a", "RR 2 Box 7|Ternport|a"] {
            assert_eq!(met(&roles, false, &[row, row], &far[..2]).addresses, 0, "{row}");
        }
        assert_eq!(met(&[Some(Role::Street), None, None], false, &rows, &far).addresses, 0);
        // Figures of a postcode, an ordinal street and a road are no house.
        let roles = [Some(Role::Postcode), Some(Role::Street)];
        for row in ["97981|Heron Ln", "97981|5th Ave", "97981|Highway 101"] {
            assert_eq!(met(&roles, false, &[row, row], &far[..2]).addresses, 0, "{row}");
        }
        assert_eq!(met(&roles, false, &["97981|5 5th Ave"; 2], &far[..2]).addresses, 1);
        let whole = [Some(Role::Address), None];
        assert_eq!(met(&whole, false, &["Heron Ln, Ternport OR 97981|a"; 2], &far[..2]).addresses, 0);
    }

    /// Memory is bounded and the estimate near, in whichever order and from however many threads rows come.
    #[test]
    fn many_rows_are_estimated_and_the_same_each_time() {
        // 600,000 rows, of which each tenth is there twice.
        let n = 600_000u64;
        let key = |i: u64| fingerprint::of_text(&format!("row {}", if i % 10 == 9 { i - 1 } else { i }));
        let add = |met: &Met, rows: &mut dyn Iterator<Item = u64>| {
            met.rows.add(rows.map(|i| (key(i), i)));
        };
        let (forward, threads) = (Met::new(&[(0, None), (1, None)], false), Met::new(&[(0, None), (1, None)], false));
        add(&forward, &mut (0..n));
        std::thread::scope(|scope| {
            for part in 0..4 {
                let threads = &threads;
                scope.spawn(move || add(threads, &mut (0..n).rev().filter(|i| i / 1000 % 4 == part)));
            }
        });
        let found = forward.repeated();
        assert_eq!(found, threads.repeated());
        assert!(found.estimated);
        assert!((54_000..66_000).contains(&found.rows), "{found:?}");
        assert!(forward.rows.0.iter().all(|s| s.seen.lock().unwrap().once.len() <= KEPT));
    }
}
