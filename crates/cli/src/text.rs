//! All text for people, in one place.

use crate::flags::in_text;
use basilocus::addresses::reference::BuildReport;
use basilocus::geodesy::crs::{Crs, Kind};
use basilocus::look::LookReport;
use basilocus::lookup::ReferenceReport;
use basilocus::report::{LayerReport, OperationReport, Report};
use basilocus::table::counted::of_number;
use basilocus::terrain::{GridLook, SpacingReport, turned_words};
use basilocus::{AccuracyReport, DoubtReport, accuracy_words};
use comfy_table::{CellAlignment, ContentArrangement, Table, TableComponent, presets};
use std::collections::BTreeMap;
use std::fmt::Write as _;
use std::io::{IsTerminal, Write as _};

/// Prints to standard output, long lines folded where that is a terminal; an error is the reader's having gone away.
pub fn print(text: &str) -> std::io::Result<()> {
    let mut out = std::io::stdout().lock();
    let text = harmless(text);
    if std::io::stdout().is_terminal() {
        out.write_all(folded(&text, usize::from(width())).as_bytes())?;
    } else {
        out.write_all(text.as_bytes())?;
    }
    out.flush()
}

/// Prints to standard error.
pub fn tell(text: &str) {
    eprint!("{}", harmless(text));
}

/// Whether a character tells a terminal to do something instead of being shown, or turns the direction of those behind it.
pub fn is_command(c: char) -> bool {
    c.is_control() && !matches!(c, '\n' | '\t') || matches!(c, '\u{202A}'..='\u{202E}' | '\u{2066}'..='\u{2069}')
}

/// Text that does nothing to a terminal, whatever cells and file names hold: control characters become their pictures.
pub fn harmless(text: &str) -> std::borrow::Cow<'_, str> {
    if !text.contains(is_command) {
        return text.into();
    }
    let picture = |c: char| match c {
        '\0'..='\x1F' if is_command(c) => char::from_u32(0x2400 + c as u32).unwrap_or('\u{FFFD}'),
        '\x7F' => '\u{2421}',
        c if is_command(c) => '\u{FFFD}',
        c => c,
    };
    text.chars().map(picture).collect::<String>().into()
}

/// Folds long lines at blanks; what goes on stands below the text that follows a line's label.
fn folded(text: &str, width: usize) -> String {
    /// Columns before the text of a labelled line (`  ledger     …`).
    const LABEL: usize = 13;
    let mut out = String::with_capacity(text.len());
    for line in text.split_inclusive('\n') {
        let body = line.trim_end_matches('\n');
        if body.chars().count() <= width {
            out.push_str(line);
            continue;
        }
        let indent = if body.starts_with("  ") { LABEL } else { 0 };
        let mut column = 0;
        for (i, word) in body.split(' ').enumerate() {
            let length = word.chars().count();
            if i > 0 && column + 1 + length > width && column > indent {
                out.push('\n');
                out.extend(std::iter::repeat_n(' ', indent));
                column = indent;
            } else if i > 0 {
                out.push(' ');
                column += 1;
            }
            out.push_str(word);
            column += length;
        }
        out.push('\n');
    }
    out
}

/// Whether points are a grid.
pub fn spacing_words(s: &SpacingReport) -> String {
    match (s.step, s.size, s.mean) {
        (Some([x, y]), Some([columns, rows]), _) => {
            // Steps of a turned grid come from many positions, with digits that nobody meant.
            let shown = |v: f64| if s.turn_deg.is_some() { format!("{v:.3e}").parse().unwrap_or(v) } else { v };
            let [x, y] = [x, y].map(shown);
            let step = if x == y { format!("{x}") } else { format!("{x} by {y}") };
            let turned = s.turn_deg.map_or(String::new(), |turn| {
                let square = s.between_deg.filter(|b| (b - 90.0).abs() > 0.05);
                let square = square.map_or(String::new(), |b| format!(", its columns {b:.2} degrees from these"));
                format!(", its rows {}{square}", turned_words(turn))
            });
            format!(
                "uniform: {columns} columns and {rows} rows at {step}{turned}; {} of its places empty, {} points off it (more than {} of a step; the others by {:.3} at most), {} at a place that has one",
                thousands(s.empty),
                thousands(s.off),
                s.tolerance.unwrap_or_default(),
                s.farthest.unwrap_or_default(),
                thousands(s.repeated)
            )
        }
        (_, _, mean) => {
            let mean = mean.map_or(String::new(), |m| format!(", {m:.3} apart in the mean"));
            format!("scattered{mean}: {}", s.why.as_deref().unwrap_or("no grid"))
        }
    }
}

/// A grid of heights.
fn height_grid(g: &GridLook, r: &LookReport) -> String {
    let mut out = String::new();
    let of = if g.is_of_points { "points" } else { "cells" };
    let [columns, rows] = g.size.map(|n| thousands(n as u64));
    let _ = writeln!(
        out,
        "  grid       {columns} columns and {rows} rows of {of}, {} by {}; {}",
        g.cell[0], g.cell[1], g.sample
    );
    let system = r
        .crs
        .as_deref()
        .map_or("not said by the file; say it with --from".into(), |crs| format!("{crs} (carried by the file)"));
    let _ = writeln!(out, "  system     {system}");
    let [w, s, e, n] = g.bounds;
    let _ = writeln!(out, "  extent     x {w} to {e}, y {s} to {n} (of the outermost heights)");
    let none = g.no_data.map_or(String::new(), |n| format!(", {n} stands for none"));
    let _ = writeln!(
        out,
        "  heights    {} known, {} not{none}; {:.3} to {:.3}, mean {:.3}; unit {}",
        thousands(g.heights.known),
        thousands(g.heights.unknown),
        g.heights.lowest,
        g.heights.highest,
        g.heights.mean,
        g.height_unit
    );
    if let Some(s) = &g.steepness {
        let _ = writeln!(out, "  steepness  mean {:.1}°, steepest {:.1}°", s.mean_deg, s.steepest_deg);
    }
    doubts(&r.doubts, &mut out);
    out
}

/// The label of a doubt.
fn label(doubt: &DoubtReport) -> &'static str {
    if doubt.accepted { "accepted" } else { "doubt" }
}

/// Suspicions, each with what mends it.
pub fn doubts(found: &[DoubtReport], out: &mut String) {
    for d in found {
        let _ = writeln!(out, "  {:<10} {}: {}; {}", label(d), d.id, in_text(&d.message), in_text(&d.mend));
    }
}

/// A table with a header and thin lines; long cells are cut.
pub fn table(header: &[&str], rows: &[Vec<String>]) -> String {
    let cut =
        |c: &String| if c.chars().count() > 60 { c.chars().take(59).chain("…".chars()).collect() } else { c.clone() };
    whole_table(header, &rows.iter().map(|r| r.iter().map(cut).collect()).collect::<Vec<_>>())
}

/// A table with a header and thin lines; long cells are folded.
pub fn whole_table(header: &[&str], rows: &[Vec<String>]) -> String {
    let mut t = Table::new();
    t.load_preset(presets::NOTHING)
        .set_style(TableComponent::HeaderLines, '─')
        .set_style(TableComponent::MiddleHeaderIntersections, '─')
        .set_content_arrangement(ContentArrangement::Dynamic)
        .set_width(width());
    t.set_header(header.iter().map(|h| h.to_string()));
    for row in rows {
        t.add_row(row.clone());
    }
    // Numbers stand on the right.
    for column in 0..header.len() {
        let numbers = rows.iter().filter_map(|r| r.get(column)).all(|c| c.replace(',', "").parse::<f64>().is_ok());
        if numbers
            && !rows.is_empty()
            && let Some(c) = t.column_mut(column)
        {
            c.set_cell_alignment(CellAlignment::Right);
        }
    }
    t.lines().map(|l| l.trim_end().to_string()).collect::<Vec<_>>().join("\n") + "\n"
}

/// Columns of the terminal; 110 where there is none, unless COLUMNS says otherwise.
fn width() -> u16 {
    let said = std::env::var("COLUMNS").ok().and_then(|c| c.parse().ok());
    said.or_else(|| terminal_size::terminal_size().map(|(w, _)| w.0)).filter(|c| *c >= 40).unwrap_or(110)
}

fn counts(map: &BTreeMap<String, u64>) -> String {
    map.iter().map(|(k, n)| format!("{} {k}", thousands(*n))).collect::<Vec<_>>().join(", ")
}

/// A count with its thousands parted.
pub fn thousands(n: u64) -> String {
    let digits = n.to_string();
    let mut out = String::new();
    for (i, c) in digits.chars().enumerate() {
        if i > 0 && (digits.len() - i).is_multiple_of(3) {
            out.push(',');
        }
        out.push(c);
    }
    out
}

/// A length with the unit and digits that show how large it is.
pub fn short_length(metres: f64) -> String {
    if metres >= 1000.0 {
        format!("{:.1} km", metres / 1000.0)
    } else if metres >= 1.0 {
        format!("{metres:.1} m")
    } else if metres >= 0.01 {
        format!("{:.1} cm", metres * 100.0)
    } else {
        format!("{:.2} mm", metres * 1000.0)
    }
}

/// A run's summary.
pub fn report(r: &Report, verbose: bool) -> String {
    let mut out = String::new();
    for layer in &r.layers {
        layer_text(&mut out, layer, r.layers.len() > 1, verbose);
    }
    for t in &r.notices {
        let _ = writeln!(out, "  note       {}", in_text(t));
    }
    for d in &r.doubts {
        let _ =
            writeln!(out, "  {:<10} {} in {}: {}; {}", label(d), d.id, d.layer, in_text(&d.message), in_text(&d.mend));
    }
    if r.layers.len() > 1 {
        let _ = writeln!(out, "  all        {}", ledger(r.rows_in, r.rows_out, r.joined, &r.left_out, &r.set_aside));
    }
    for o in &r.outputs {
        let standard = basilocus::formats::is_standard(o);
        let shapes = o.extension().is_some_and(|e| e.eq_ignore_ascii_case("shp"));
        let more = if shapes { ", with .shx, .dbf, .cpg and .prj" } else { "" };
        let name = if standard { "standard output".into() } else { o.display().to_string() };
        let _ = writeln!(out, "  wrote      {name}{more}");
    }
    for layer in &r.layers {
        if let Some(file) = &layer.set_aside_file {
            let _ = writeln!(out, "  set aside  {} ({})", file.display(), layer.name);
        }
        for row in &layer.set_aside_told {
            let _ = writeln!(out, "  set aside  row {}: {}", row.source_row, in_text(&row.reason));
        }
        let more = layer.set_aside.values().sum::<u64>().saturating_sub(layer.set_aside_told.len() as u64);
        if more > 0 && !layer.set_aside_told.is_empty() {
            let _ = writeln!(out, "  set aside  and {} more; --set-aside FILE.csv writes all of them", thousands(more));
        }
    }
    out
}

fn layer_text(out: &mut String, layer: &LayerReport, several: bool, verbose: bool) {
    let _ = writeln!(out, "{}", layer.name);
    let _ = writeln!(out, "  source     {}", layer.source.display());
    for u in &layer.interpretation {
        let _ = writeln!(out, "  read as    {}", in_text(u));
    }
    if !layer.notations.is_empty() {
        let _ = writeln!(out, "  notations  {}", counts(&layer.notations));
    }
    if !layer.levels.is_empty() {
        let _ = writeln!(out, "  levels     {}", counts(&layer.levels));
    }
    for (nth, op) in layer.operations.iter().enumerate() {
        operation(out, op, nth, verbose);
    }
    // That of the operation alone stands with it.
    let by_operation = layer.operations.iter().filter_map(|o| o.accuracy_m).fold(0.0, f64::max);
    let is_of_more = |a: &&AccuracyReport| a.metres > by_operation * 1.05;
    if let Some(accuracy) = layer.accuracy.as_ref().filter(is_of_more) {
        let _ = writeln!(out, "  accuracy   {}", accuracy.words());
    }
    if let Some([w, s, e, n]) = layer.extent {
        let geographic = w.abs() <= 360.0 && e.abs() <= 360.0 && s.abs() <= 90.0 && n.abs() <= 90.0;
        let digits = if geographic { 5 } else { 1 };
        let _ = writeln!(out, "  extent     {w:.digits$} to {e:.digits$} east, {s:.digits$} to {n:.digits$} north");
    }
    let _ = writeln!(
        out,
        "  ledger     {}",
        ledger(layer.rows_in, layer.rows_out, layer.joined, &layer.left_out, &layer.set_aside)
    );
    if several {
        let _ = writeln!(out);
    }
}

fn operation(out: &mut String, op: &OperationReport, nth: usize, verbose: bool) {
    if op.source == op.target {
        let word = if nth == 0 { "system" } else { "also in" };
        let _ = writeln!(out, "  {word:<10} {}, as it is in the source", op.target);
        return;
    }
    let _ = writeln!(out, "  operation  {} → {}", op.source, op.target);
    if op.accuracy_m == Some(0.0) {
        let _ = writeln!(out, "             accuracy: {}", accuracy_words(op.accuracy_m));
    } else {
        let _ = writeln!(out, "             by {}; accuracy {}", op.name, accuracy_words(op.accuracy_m));
    }
    if verbose {
        for step in &op.steps {
            let _ = writeln!(out, "             · {step}");
        }
    }
    for note in &op.notes {
        let _ = writeln!(out, "             note: {}", in_text(note));
    }
}

/// `60 rows in = 54 out + 6 set aside (4 blank row, 2 …)`; what a selection left out stands between.
pub fn ledger(
    rows_in: u64,
    rows_out: u64,
    joined: u64,
    left_out: &BTreeMap<String, u64>,
    set_aside: &BTreeMap<String, u64>,
) -> String {
    let n: u64 = set_aside.values().sum();
    let reasons = if n > 0 { format!(" ({})", counts(set_aside)) } else { String::new() };
    let mut left = match left_out.values().sum::<u64>() {
        0 => String::new(),
        l => format!(" + {} not chosen ({})", thousands(l), counts(left_out)),
    };
    if joined > 0 {
        left.insert_str(
            0,
            &format!(" + {} further {} of lines or polygons", thousands(joined), of_number(joined, "position")),
        );
    }
    format!(
        "{} {} in = {} out{left} + {} set aside{reasons}",
        thousands(rows_in),
        of_number(rows_in, "row"),
        thousands(rows_out),
        thousands(n)
    )
}

/// Elements of a document that are shown; more are counted.
const MOST_ELEMENTS: usize = 40;

/// The tree of a document's elements, each in its parent, with how often it is there.
fn tree(r: &LookReport, out: &mut String) {
    for (i, (path, count)) in r.tree.iter().take(MOST_ELEMENTS).enumerate() {
        let depth = path.matches('/').count();
        let name = path.rsplit('/').next().unwrap_or(path);
        let times = if *count > 1 { format!(" × {}", thousands(*count)) } else { String::new() };
        let read = if r.layer.as_ref() == Some(path) { "   ← a row" } else { "" };
        let head = if i == 0 { "elements" } else { "" };
        let _ = writeln!(out, "  {head:<10} {}{name}{times}{read}", "  ".repeat(depth));
    }
    if r.tree.len() > MOST_ELEMENTS {
        let _ = writeln!(out, "  {:<10} and {} more", "", r.tree.len() - MOST_ELEMENTS);
    }
}

/// What a file holds.
pub fn look(r: &LookReport) -> String {
    let mut out = String::new();
    let _ = writeln!(out, "{}: {}", r.path.display(), r.format);
    if let Some(layer) = &r.layer {
        let _ = writeln!(out, "  {}      {layer}", if r.format.starts_with("XLSX") { "sheet" } else { "layer" });
    }
    for n in &r.notes {
        let _ = writeln!(out, "  found      {}", in_text(n));
    }
    tree(r, &mut out);
    if let Some(grid) = &r.grid {
        out.push_str(&height_grid(grid, r));
        return out;
    }
    if let Some(row) = r.header_row {
        let _ = writeln!(out, "  header     row {row}");
    }
    let set_aside: u64 = r.set_aside.values().sum();
    let _ = writeln!(
        out,
        "  rows       {}, columns {}{}",
        thousands(r.rows),
        r.columns.len(),
        if set_aside > 0 {
            let stand = if set_aside == 1 { "it stands" } else { "they stand" };
            format!("; {set_aside} that cannot be used as {stand}: {}", counts(&r.set_aside))
        } else {
            String::new()
        }
    );
    match (
        &r.crs,
        r.columns.iter().any(|c| {
            c.kind == "geometry"
                || c.role
                    .as_deref()
                    .is_some_and(|r| r == "longitude" || r.starts_with("easting") || r.starts_with("position"))
        }),
    ) {
        (Some(crs), _) => {
            let _ = writeln!(out, "  system     {crs} (carried by the file)");
        }
        (None, true) => {
            let _ = writeln!(out, "  system     not said by the file; say it with --from");
        }
        _ => {}
    }
    if let Some([w, s, e, n]) = r.extent {
        // Seven decimals are a centimetre in degrees, and more than anybody measured in metres or feet.
        let short = |v: f64| (v * 1e7).round() / 1e7;
        let digits = |v: f64| if v.abs() > 360.0 { (v * 1e3).round() / 1e3 } else { short(v) };
        let _ = writeln!(out, "  extent     x {} to {}, y {} to {}", digits(w), digits(e), digits(s), digits(n));
    }
    if let Some(spacing) = &r.spacing {
        let _ = writeln!(out, "  spacing    {}", spacing_words(spacing));
    }
    let rows: Vec<Vec<String>> = r
        .columns
        .iter()
        .enumerate()
        .map(|(i, c)| {
            let range = c.range.map_or(String::new(), |(a, b)| format!("{a} … {b}"));
            let note = c.note.clone().unwrap_or_default();
            vec![
                (i + 1).to_string(),
                c.name.clone(),
                c.role.clone().unwrap_or_default(),
                c.kind.clone(),
                thousands(c.filled),
                thousands(c.empty),
                [range, note].into_iter().filter(|t| !t.is_empty()).collect::<Vec<_>>().join("; "),
            ]
        })
        .collect();
    out.push_str(&table(&["", "column", "seems to be", "type", "filled", "empty", "range, remarks"], &rows));
    if !r.first_rows.is_empty() {
        let names: Vec<&str> = std::iter::once("row").chain(r.columns.iter().map(|c| c.name.as_str())).collect();
        let rows: Vec<Vec<String>> = r
            .first_row_numbers
            .iter()
            .zip(&r.first_rows)
            .map(|(n, cells)| std::iter::once(n.to_string()).chain(cells.iter().cloned()).collect())
            .collect();
        out.push('\n');
        out.push_str(&table(&names, &rows));
    }
    doubts(&r.doubts, &mut out);
    out
}

/// A system with every parameter in words.
pub fn crs(c: &Crs, evidence: &[String], wkt: Option<&str>) -> String {
    let mut out = String::new();
    let mut line = |what: &str, value: &str| {
        if !value.is_empty() {
            let _ = writeln!(out, "  {what:<22} {value}");
        }
    };
    for e in evidence {
        line("recognised by", e);
    }
    line("kind", c.kind_name());
    if let Some(d) = c.datum() {
        line("datum", &d.name);
        let shape = if d.ellipsoid.inverse_flattening == 0.0 {
            "a sphere".to_string()
        } else {
            format!("inverse flattening {}", d.ellipsoid.inverse_flattening)
        };
        line("ellipsoid", &format!("{}: semi-major axis {} m, {shape}", d.ellipsoid.name, d.ellipsoid.semi_major_m));
        line(
            "prime meridian",
            &if d.prime_meridian_deg == 0.0 {
                d.prime_meridian.clone()
            } else {
                format!("{}, {}° east of Greenwich", d.prime_meridian, d.prime_meridian_deg)
            },
        );
        if let Some(s) = &d.shift {
            let h = &s.helmert;
            let text = if h.is_null() {
                "zero".to_string()
            } else {
                let [x, y, z] = h.translation_m;
                let rest = if h.is_translation() {
                    String::new()
                } else {
                    format!(
                        "; rotations {}, {}, {}″ (position vector), scale {} ppm",
                        h.rotation_arcsec[0], h.rotation_arcsec[1], h.rotation_arcsec[2], h.scale_ppm
                    )
                };
                format!("{x}, {y}, {z} m{rest}")
            };
            line(
                "shift to WGS 84",
                &format!("{text}; accuracy {}", s.accuracy_m.map_or("not stated".into(), |a| format!("{a} m"))),
            );
        }
    }
    match &c.kind {
        Kind::Projected { base, method, parameters, unit, .. } => {
            let code = base.code.map_or(String::new(), |c| format!(" (EPSG:{c})"));
            line("base system", &format!("{}{code}", base.name));
            line("projection", &method.replace('_', " "));
            for (name, value) in &parameters.0 {
                let name = name.replace('_', " ");
                let lower = name.to_lowercase();
                let is_length = lower.contains("false");
                let is_ratio = lower.contains("scale");
                line(
                    &format!("  {name}"),
                    &if is_length {
                        format!("{value} {}", unit.plural())
                    } else if is_ratio {
                        value.to_string()
                    } else {
                        format!("{}°", trimmed(*value))
                    },
                );
            }
            line("unit", &format!("{} ({} = {} m)", unit.plural(), unit.name, unit.metres));
            match c.projection() {
                Ok(Some(p)) => {
                    line("domain", p.about().domain);
                    line("formulas", p.about().source);
                }
                Ok(None) => {}
                Err(e) => line("note", &e.to_string()),
            }
        }
        Kind::Geographic { unit, .. } => line("unit", &format!("{}s", unit.name)),
        Kind::Geocentric { .. } => line("unit", "metres"),
        Kind::Vertical { datum_name, unit } => {
            line("datum", datum_name);
            line("unit", &unit.plural());
        }
        Kind::Compound { horizontal, vertical } => {
            line("horizontal", &horizontal.title());
            line("vertical", &format!("{}, {}", vertical.title(), vertical.unit_words()));
        }
        Kind::ThreeDimensional { horizontal, unit } => {
            line("horizontal", &horizontal.title());
            line("heights", &format!("{} above the ellipsoid", unit.plural()));
        }
        Kind::Engineering { .. } => line("unit", &c.unit_words()),
    }
    line("axes in the registry", &c.axes);
    line(
        "coordinates here",
        &format!(
            "{} (in this order)",
            if c.is_geographic() {
                "longitude, latitude"
            } else if matches!(c.kind, Kind::Geocentric { .. }) {
                "X, Y, Z"
            } else {
                "easting, northing"
            }
        ),
    );
    line("area of use", &c.area.description);
    line(
        "",
        &format!(
            "{}° to {}° east, {}° to {}° north",
            c.area.west_deg, c.area.east_deg, c.area.south_deg, c.area.north_deg
        ),
    );
    let mut text = format!("{}\n{out}", c.title());
    if let Some(wkt) = wkt {
        let _ = writeln!(text, "\n{}", basilocus::geodesy::crs::wkt::indented(wkt));
    }
    if c.code.is_some() {
        let _ = writeln!(text, "\nFrom the {}.", basilocus::geodesy::crs::catalogue::EDITION);
    }
    text
}

fn trimmed(v: f64) -> String {
    let t = format!("{v:.10}");
    t.trim_end_matches('0').trim_end_matches('.').to_string()
}

/// What a build came to.
pub fn build(r: &BuildReport) -> String {
    let mut out = String::new();
    for s in &r.sources {
        let _ = writeln!(out, "{}: {}", s.path.display(), s.kind);
        let _ = writeln!(out, "  columns    {}", s.columns.join(", "));
        let _ = writeln!(out, "  rows       {} read, {} used", thousands(s.rows_in), thousands(s.rows_out));
    }
    let _ = writeln!(out, "  ledger     {}", ledger(r.rows_in, r.rows_out, 0, &BTreeMap::new(), &r.set_aside));
    if r.kept + r.replaced + r.withdrawn > 0 {
        let [kept, replaced, withdrawn] = [r.kept, r.replaced, r.withdrawn].map(thousands);
        let _ = writeln!(
            out,
            "  older      {kept} addresses and stretches kept, {replaced} replaced, {withdrawn} withdrawn"
        );
    }
    if r.folded > 0 {
        let _ = writeln!(
            out,
            "  note       {} {} the same address point as another row, sharing its place",
            thousands(r.folded),
            if r.folded == 1 { "row is" } else { "rows are" }
        );
    }
    doubts(&r.doubts, &mut out);
    for o in &r.outputs {
        let _ = writeln!(out, "  wrote      {}", o.display());
    }
    out
}

/// What is inside a reference.
pub fn reference(d: &ReferenceReport) -> String {
    let countries = match d.countries.len() {
        0..=12 => d.countries.join(", "),
        n => format!("{} and {} more", d.countries[..12].join(", "), n - 12),
    };
    let mut out = format!("{}: address reference, country {countries}\n", d.file.display());
    let _ = writeln!(
        out,
        "  holds      {} address points, {} street segments, {} streets with {} names, {} postcodes, {} localities",
        thousands(d.address_points as u64),
        thousands(d.segments as u64),
        thousands(d.streets as u64),
        thousands(d.names as u64),
        thousands(d.postcodes as u64),
        thousands(d.localities.len() as u64)
    );
    let per = if d.address_points > 0 {
        format!(", {:.1} an address point", d.bytes as f64 / d.address_points as f64)
    } else {
        String::new()
    };
    if d.units > 0 {
        let _ = writeln!(out, "  units      {} of houses", thousands(d.units as u64));
    }
    for (kind, n) in &d.places {
        let _ = writeln!(out, "  places     {} of the kind {kind}", thousands(*n as u64));
    }
    if d.areas > 0 {
        let _ = writeln!(out, "  areas      {}, with {} for --extras", thousands(d.areas as u64), d.extras.join(", "));
    }
    let _ = writeln!(out, "  size       {} bytes{per}; checksum fits", thousands(d.bytes));
    let mut localities = d.localities.clone();
    localities.sort_by(|a, b| {
        (b.address_points + b.segments).cmp(&(a.address_points + a.segments)).then(a.name.cmp(&b.name))
    });
    let shown = 30;
    let several = d.countries.len() > 1;
    let rows: Vec<Vec<String>> = localities
        .iter()
        .take(shown)
        .map(|l| {
            let counts = [l.streets, l.address_points, l.segments].map(thousands);
            let country = several.then(|| l.country.clone());
            let words = [l.name.clone(), l.region.clone(), l.parent.clone()];
            country.into_iter().chain(words).chain(counts).collect()
        })
        .collect();
    let header = ["country", "locality", "region", "in", "streets", "address points", "segments"];
    out.push_str(&table(&header[usize::from(!several)..], &rows));
    if localities.len() > shown {
        let _ = writeln!(out, "  and {} more localities", localities.len() - shown);
    }
    for doubt in &d.doubts {
        let _ = writeln!(out, "  doubt      {}", in_text(doubt));
    }
    if d.more_doubts > 0 {
        let _ = writeln!(out, "  doubt      and {} more of these kinds", thousands(d.more_doubts as u64));
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn long_lines_fold_below_their_text() {
        insta::assert_snapshot!(folded("  ledger     one two three four five\nshort\nno label here\n", 24), @r"
          ledger     one two
                     three four
                     five
        short
        no label here
        ");
    }

    #[test]
    fn thousands_are_parted() {
        assert_eq!(thousands(0), "0");
        assert_eq!(thousands(999), "999");
        assert_eq!(thousands(1_234_567), "1,234,567");
    }
}
