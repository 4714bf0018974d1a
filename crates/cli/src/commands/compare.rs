//! `compare`

use super::{Definition, Perform, json};
use crate::Done;
use crate::flags::in_text;
use crate::signals;
use crate::text::{self, thousands};
use anyhow::Result;
use basilocus::compare::{ComparePlan, CompareReport, Displacement, compare};
use basilocus::table::counted::of_number;
use clap::Parser;
use std::fmt::Write;

pub(super) const COMMAND: Definition = Definition::reporting::<Compare>("compare", "compare");

/// The same rows twice: what moved how far, worst first, and which cells changed
#[derive(Debug, Parser)]
struct Compare {
    /// What to compare
    #[command(flatten)]
    plan: ComparePlan,
    /// Exit status 3 where rows are far apart or on one side only
    #[arg(long)]
    strict: bool,
    /// Print one report object
    #[arg(long)]
    json: bool,
}

impl Perform for Compare {
    fn perform(self) -> Result<Done> {
        let r = compare(&self.plan, &signals::cancel())?;
        text::print(&if self.json { json(&r)? } else { words(&r) })?;
        let is_moved = r.far > 0 || !r.set_aside.is_empty() || r.lost_place_count > 0 || r.got_place_count > 0;
        let clean =
            !is_moved && r.only_a_count == 0 && r.only_b_count == 0 && r.cells.is_empty() && r.doubts.is_empty();
        Ok(if self.strict && !clean { Done::NotClean } else { Done::Fine })
    }
}

fn words(r: &CompareReport) -> String {
    let mut out = String::new();
    for u in &r.interpretation {
        let _ = writeln!(out, "  read as    {}", in_text(u));
    }
    let placed = match (r.rows_a, r.rows_b) {
        (0, 0) => String::new(),
        (a, b) => format!("{} and {} with a position; ", thousands(a), thousands(b)),
    };
    let _ = writeln!(out, "  rows       {placed}{} are in both", thousands(r.rows_in_both));
    for (label, count, examples, which) in [
        ("alone", r.only_a_count, &r.only_a, "the first"),
        ("alone", r.only_b_count, &r.only_b, "the second"),
        ("placed", r.lost_place_count, &r.lost_place, "the first"),
        ("placed", r.got_place_count, &r.got_place, "the second"),
    ] {
        if count > 0 {
            let more = if count as usize > examples.len() { ", …" } else { "" };
            let _ = writeln!(out, "  {label:<10} {} in {which} only: {}{more}", thousands(count), examples.join(", "));
        }
    }
    for (reason, n) in &r.set_aside {
        let _ = writeln!(out, "  set aside  {} {reason}", thousands(*n));
    }
    out.push_str(&columns(r));
    if r.pairs > 0 {
        out.push_str(&distances(r));
    }
    text::doubts(&r.doubts, &mut out);
    for o in &r.outputs {
        let _ = writeln!(out, "  wrote      {}", o.display());
    }
    out
}

/// What changed in columns, and cells of them.
fn columns(r: &CompareReport) -> String {
    let mut out = String::new();
    for (names, which) in [(&r.columns_only_a, "the first"), (&r.columns_only_b, "the second")] {
        if !names.is_empty() {
            let _ = writeln!(out, "  columns    in {which} only: {}", names.join(", "));
        }
    }
    for change in &r.cells {
        let rows = format!("{} {}", thousands(change.rows), of_number(change.rows, "row"));
        let _ = writeln!(out, "  changed    {} in {rows}", text::harmless(&change.column));
    }
    let rows: Vec<Vec<String>> = r
        .cells
        .iter()
        .flat_map(|change| {
            change.examples.iter().map(|e| vec![e.key.clone(), change.column.clone(), e.a.clone(), e.b.clone()])
        })
        .collect();
    if !rows.is_empty() {
        out.push_str(&text::table(&["row", "column", "first", "second"], &rows));
    }
    out
}

/// How far positions are apart.
fn distances(r: &CompareReport) -> String {
    let mut out = String::new();
    let _ = writeln!(
        out,
        "  distance   median {}, 95 % within {}, largest {}",
        metres(r.median_m),
        metres(r.most_of_95_m),
        metres(r.largest_m)
    );
    let _ = writeln!(
        out,
        "  far        {} of {} {} or more apart; {} at the same place",
        thousands(r.far),
        format_args!("{} {}", thousands(r.pairs), of_number(r.pairs, "row")),
        metres(r.far_m),
        thousands(r.same)
    );
    if let Some(displacement) = &r.displacement {
        out.push_str(&moved(displacement, r.pairs));
    }
    if !r.levels.is_empty() {
        let rows: Vec<Vec<String>> = r
            .levels
            .iter()
            .map(|(a, b, n, median)| vec![a.clone(), b.clone(), thousands(*n), metres(*median)])
            .collect();
        out.push_str(&text::table(&["level, first", "level, second", "rows", "median distance"], &rows));
    }
    if r.worst.first().is_some_and(|p| p.distance_m > 0.0) {
        let rows: Vec<Vec<String>> = r
            .worst
            .iter()
            .filter(|p| p.distance_m > 0.0)
            .map(|p| {
                let at = |v: [f64; 2]| format!("{:.6}, {:.6}", v[0], v[1]);
                vec![p.key.clone(), metres(p.distance_m), at(p.a), at(p.b)]
            })
            .collect();
        out.push_str("Worst first (longitude, latitude, WGS 84):\n");
        out.push_str(&text::table(&["row", "distance", "first", "second"], &rows));
    }
    out
}

/// What rows that moved have in common, and what explains it.
fn moved(d: &Displacement, pairs: u64) -> String {
    let mut out = String::new();
    let rows = format!("{} of {} {}", thousands(d.moved), thousands(pairs), of_number(pairs, "row"));
    if let Some(s) = &d.shift {
        let (distance, spread) = (fine_metres(s.distance_m), fine_metres(s.spread_m));
        let _ = writeln!(out, "  moved      {rows} by {distance} towards {:.1}°, ± {spread}", s.azimuth_deg);
    } else {
        let _ = writeln!(out, "  moved      {rows}, by no shift that they have in common");
    }
    if let Some(t) = &d.turned {
        let _ = writeln!(
            out,
            "  turned     by {:.5}° clockwise, and {:.7} times as large; that leaves {}; `fit` makes a transformation of such pairs",
            t.turn_deg,
            t.scale,
            fine_metres(t.remains_m)
        );
    }
    for (i, e) in d.explained_by.iter().enumerate() {
        let label = if i == 0 { "as if" } else { "or as if" };
        let _ = writeln!(
            out,
            "  {label:<10} {}; that leaves {}; {}",
            in_text(&e.what),
            fine_metres(e.remains_m),
            in_text(&e.mend)
        );
    }
    out
}

/// A distance of which millimetres may count.
fn fine_metres(m: f64) -> String {
    if m < 10.0 { format!("{m:.3} m") } else { metres(m) }
}

/// A distance with the digits that it is worth.
fn metres(m: f64) -> String {
    if m >= 10_000.0 {
        format!("{:.1} km", m / 1000.0)
    } else if m >= 100.0 {
        format!("{m:.0} m")
    } else {
        format!("{m:.2} m")
    }
}
