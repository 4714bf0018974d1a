//! One layer: its passes, its rows, its account.

use super::accuracy::Worth;
use super::chain::{Chain, Run};
use super::outputs::{Encoder, Outputs};
use super::overview::{Placed, Places};
use super::reach::{Reach, is_in_degrees};
use super::set_aside::{AsideFile, add_row};
use super::setting::TakenOperation;
use super::{Counts, Part};
use crate::Error;
use crate::addresses::review::Review;
use crate::coordinates::{expectation, plate_motion};
use crate::doubts::{DoubtReport, Ending, Neighbour, Scene, Seen, Watchers};
use crate::plan::LayerPlan;
use crate::report::{LayerReport, OperationReport};
use crate::steps::finish::{Finish, Types, is_typed};
use basilocus_formats::{Encoded, Format, Suspicion};
use basilocus_geodesy::operation::Operation;
use basilocus_table::counted::{counted, is_or_are};
use basilocus_table::{Ledger, Reason, SetAsideRow};
use std::collections::BTreeMap;
use std::sync::Arc;

/// What rows of a layer go to, beside the outputs.
pub(super) struct Aside<'a> {
    pub file: &'a mut AsideFile,
    pub review: Option<&'a mut Review>,
    /// Whether workbooks take rows set aside.
    pub in_workbook: bool,
}

/// What a layer came to.
pub(super) struct LayerOutcome {
    pub report: LayerReport,
    pub notices: Vec<String>,
    pub doubts: Vec<DoubtReport>,
    /// Some places of the rows, where an output shows them.
    pub placed: Option<Placed>,
    /// Where it lies, where the run has other layers.
    pub neighbour: Option<Neighbour>,
}

/// A block at the end of its way.
struct Ready {
    encoded: Vec<Encoded>,
    set_aside: Vec<SetAsideRow>,
    left_out: BTreeMap<Reason, u64>,
    rows_in: u64,
    rows_out: u64,
    counts: Counts,
    reach: Reach,
    worth: Worth,
    /// The places of the rows, where an output shows some of them.
    places: Vec<[f64; 2]>,
}

/// Runs a layer whose steps are bound.
pub(super) fn run(
    layer: &LayerPlan,
    name: &str,
    chain: &mut Chain,
    outputs: &mut Outputs,
    mut aside: Aside,
    run: &Run,
) -> Result<LayerOutcome, Error> {
    chain.survey(run)?;
    let types = types(chain, outputs, run)?;
    let profiles = types.profiles();
    let finishes = outputs.formats.iter();
    let finishes = finishes.map(|f| Finish::new(chain.columns(), name, *f, Some(types.clone()), &layer.show));
    let mut finishes = finishes.collect::<Result<Vec<_>, _>>()?;
    finishes.iter_mut().for_each(|f| f.set_names_layer(outputs.is_shared));
    let encoders = outputs.start_layer(finishes)?;
    let decisions = &chain.decisions;
    let about = chain.reader.about();
    let mut scene = Scene::new(name, about, chain.columns(), &decisions.operations, decisions.asks_for_addresses)?;
    scene.unused_columns = decisions.unused_columns.clone();
    scene.left_out_parts = decisions.left_out_parts.clone();
    scene.shapes_in_output = outputs.formats.iter().any(|f| !f.is_always_wgs84());
    scene.heights_are_metres = outputs.formats.iter().any(|f| f.is_always_wgs84());
    scene.is_delimited = outputs.formats.contains(&Format::Delimited);
    scene.name_source_columns(&chain.aside.names);
    scene.neighbours = run.has_several_layers.then(Default::default);
    if let Some(expected) = &layer.expect {
        scene.expect(&expectation::find(expected, run.cancel)?);
    }
    let watchers = Watchers::new(&scene);
    let mut account = LayerAccount::new(chain, &scene);
    let columns = chain.aside.names.clone();
    let shows_places = chain.columns().placed().is_some() && outputs.formats.contains(&Format::Xlsx);
    let then = |part: Part| {
        let places = if shows_places { places_of(&part) } else { Vec::new() };
        let worth = Worth::of(&part.rows, &scene.columns);
        Ok(Ready { places, worth, ..ready(part, &encoders, &scene, &watchers)? })
    };
    chain.each(run, "writing", &then, &mut |ready| {
        for row in &ready.set_aside {
            aside.file.write(row)?;
            if aside.in_workbook {
                add_row(&mut outputs.set_aside, name, &columns, row);
            }
        }
        let (encoded, doubtful, found) = account.add(ready);
        if let Some(review) = aside.review.as_deref_mut() {
            review.add(doubtful, &found)?;
        }
        outputs.write(encoded)
    })?;
    account.ledger.check()?;
    outputs.end_layer(account.ledger.rows_out)?;
    let doubts = watchers.findings(&scene, &account.ending(chain.reader.found(), &profiles));
    let report = account.report(layer, name, chain, run.day);
    let places = std::mem::take(&mut account.places);
    let crs = chain.columns().placed().map(|p| p.crs.clone()).filter(|_| !places.is_empty());
    let placed = crs.map(|crs| Placed { name: name.to_string(), crs, places });
    let neighbour = Neighbour::of(&scene);
    Ok(LayerOutcome { report, notices: account.notices(), doubts, placed, neighbour })
}

fn places_of(part: &Part) -> Vec<[f64; 2]> {
    let [x, y, _] = part.rows.positions();
    x.into_iter().zip(y).map(|(x, y)| [x, y]).filter(|p| p.iter().all(|v| v.is_finite())).collect()
}

/// The types of columns of text, where an output wants them and the source does not know them.
fn types(chain: &mut Chain, outputs: &Outputs, run: &Run) -> Result<Arc<Types>, Error> {
    let wanted = !chain.reader.about().typed && outputs.formats.iter().any(|f| is_typed(*f));
    let types = if wanted { chain.types(run)?.types() } else { Types::default() };
    let commas = types.with_commas();
    if !commas.is_empty() {
        chain
            .decisions
            .notices
            .push(format!("numbers with a decimal comma are numbers in typed formats: {}", commas.join(", ")));
    }
    Ok(Arc::new(types))
}

/// Shows the doubts what became of a block, and makes it ready for all outputs.
fn ready(part: Part, encoders: &[Encoder], scene: &Scene, watchers: &Watchers) -> Result<Ready, Error> {
    watchers.rows(&Seen::new(&part.rows, scene));
    watchers.set_aside(&part.set_aside, scene);
    let encoded = encoders.iter().map(|e| e.encode(&part.rows)).collect::<Result<Vec<_>, _>>()?;
    Ok(Ready {
        encoded,
        places: Vec::new(),
        worth: Worth::default(),
        reach: Reach::of(&part.rows),
        rows_out: part.rows.len() as u64,
        rows_in: part.rows_in,
        set_aside: part.set_aside,
        left_out: part.left_out,
        counts: part.counts,
    })
}

/// The account of a layer while its rows come by.
struct LayerAccount {
    ledger: Ledger,
    counts: Counts,
    reach: Reach,
    worth: Worth,
    places: Places,
    header_row: Option<u64>,
    blank_second_row: bool,
}

impl LayerAccount {
    fn new(chain: &Chain, scene: &Scene) -> Self {
        LayerAccount {
            ledger: Ledger { rows_in: chain.joined, joined: chain.joined, ..Default::default() },
            counts: Counts::default(),
            reach: Reach::default(),
            worth: Worth::default(),
            places: Places::default(),
            header_row: scene.header_row,
            blank_second_row: false,
        }
    }

    /// Adds a block. Gives what is to be written, and what the review takes.
    #[allow(clippy::type_complexity)]
    fn add(
        &mut self,
        mut ready: Ready,
    ) -> (Vec<Encoded>, Vec<crate::addresses::review::ReviewRow>, Vec<(String, crate::addresses::review::Known)>) {
        self.ledger.rows_in += ready.rows_in;
        self.ledger.rows_out += ready.rows_out;
        for row in &ready.set_aside {
            self.ledger.set_aside(&row.class);
            self.blank_second_row |=
                row.class == Reason::BLANK_ROW && self.header_row.is_some_and(|h| row.source_row == h + 1);
        }
        ready.left_out.iter().for_each(|(class, n)| self.ledger.leave_out(class, *n));
        self.reach.merge(ready.reach);
        self.worth.merge(ready.worth);
        self.places.add(&ready.places);
        let doubtful = std::mem::take(&mut ready.counts.doubtful);
        let found = std::mem::take(&mut ready.counts.found);
        self.counts.merge(ready.counts);
        (ready.encoded, doubtful, found)
    }

    fn ending<'a>(
        &self,
        found: Vec<Suspicion>,
        profiles: &'a [(String, Option<basilocus_table::Role>, basilocus_table::ColumnProfile)],
    ) -> Ending<'a> {
        Ending {
            ledger: self.ledger.clone(),
            blank_second_row: self.blank_second_row,
            marks: self.counts.marks,
            contradictions: self.counts.contradictions,
            found,
            profiles,
        }
    }

    /// What is to be told of the rows as a whole.
    fn notices(&self) -> Vec<String> {
        let n = self.counts.turned;
        let told = format!(
            "{n} {} taken as within −180…180, such as 181.5 as −178.5; the columns that they were read from stay",
            if n == 1 { "longitude beyond 180° is" } else { "longitudes beyond 180° are" }
        );
        let without = self.counts.without_geometry;
        let kept = format!("{} without a geometry {} kept without one", counted(without, "row"), is_or_are(without));
        [(n, told), (without, kept)].into_iter().filter(|(n, _)| *n > 0).map(|(_, told)| told).collect()
    }

    /// The operations; frames that were taken as equal and have moved apart by more than the catalogue says are worth less.
    fn operations(&self, layer: &LayerPlan, chain: &Chain, day: &str) -> Vec<OperationReport> {
        let year = layer.operation.epoch.or_else(|| plate_motion::year_of(day));
        let placed = chain.columns().placed();
        // A place in the middle, in the system that the positions were read in.
        let middle = placed.zip(self.reach.middle()).and_then(|(placed, [x, y])| {
            let back = Operation::between(placed.crs.horizontal(), placed.first_crs.horizontal(), None).ok()?;
            back.apply_one(x, y, 0.0).map(|(x, y, _)| (&placed.first_crs, [x, y]))
        });
        let told = |taken: &TakenOperation| {
            let mut report = taken.report_at_the_end();
            let apart = middle.zip(year).and_then(|((source, at), year)| {
                plate_motion::apart(source, &taken.target, &taken.operation, at, year)
            });
            if let Some(apart) = apart.filter(|a| report.accuracy_m.is_none_or(|m| a.distance_m > m)) {
                report.accuracy_m = Some((apart.distance_m * 100.0).ceil() / 100.0);
                report.notes.push(apart.words);
            }
            report
        };
        chain.decisions.operations.iter().map(told).collect()
    }

    fn report(&self, layer: &LayerPlan, name: &str, chain: &Chain, day: &str) -> LayerReport {
        let text = |m: &BTreeMap<Reason, u64>| m.iter().map(|(r, n)| (r.to_string(), *n)).collect();
        let operations = self.operations(layer, chain, day);
        LayerReport {
            accuracy: self.worth.report(chain.columns(), &operations),
            name: name.to_string(),
            source: layer.source.clone(),
            interpretation: chain.decisions.interpretation.clone(),
            rows_in: self.ledger.rows_in,
            rows_out: self.ledger.rows_out,
            set_aside: text(&self.ledger.set_aside),
            joined: self.ledger.joined,
            left_out: text(&self.ledger.left_out),
            levels: self.counts.levels.clone(),
            notations: self.counts.notations.iter().map(|(n, rows)| (n.to_string(), *rows)).collect(),
            operations,
            set_aside_file: None,
            set_aside_told: Vec::new(),
            crs: chain.columns().placed().map(|p| p.crs.identifier()),
            extent: self.reach.extent(chain.columns().placed().is_some_and(|p| is_in_degrees(&p.crs))),
        }
    }
}
