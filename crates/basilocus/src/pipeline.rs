//! A layer's steps, compiled: what every worker does with a block.

mod shapes;

use crate::Error;
use crate::answers::{Known, ReviewRow};
use crate::doubt::Tally;
use crate::doubt::repeated::Met;
use crate::finder::Finder;
use crate::plan::{LayerPlan, ShowPlan};
use crate::report::OperationReport;
use crate::step::conform::Conform;
use crate::step::geocode::Geocode;
use crate::step::measure::Measure;
use crate::step::nearest::NearestStep;
use crate::step::position::{OrderCounts, PositionReader, has_position_roles};
use crate::step::repair::Repair;
use crate::step::select::{OTHER_VALUE, Select};
use crate::step::target::{ColumnsWanted, Target};
use crate::step::typing::Typing;
use crate::step::with_columns;
use arrow_array::Array;
use arrow_schema::SchemaRef;
use basilocus_formats::{Block, ColumnStyle, CrsText, Decode, Encode, Encoded, Format, FormatError, LayerOut, Reader};
use basilocus_geodesy::crs::{Area, Catalogue, Crs, Kind, wkt};
use basilocus_geodesy::operation::Operation;
use basilocus_table::batch::{point_array, point_field, spatial_index};
use basilocus_table::geometry::{Geometry, Position, geometry_field, geometry_index};
use basilocus_table::{Batch, ColumnProfile, Role, SetAsideRow, role};
use std::collections::BTreeMap;
use std::sync::Arc;

/// What an output wants of a layer.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Wants {
    pub format: Format,
}

impl Wants {
    fn typed(self) -> bool {
        self.format != Format::Delimited
    }
}

/// The steps of one layer.
pub(crate) struct Pipeline {
    decoder: Arc<dyn Decode>,
    repair: Repair,
    geocode: Option<Geocode>,
    nearest: Option<NearestStep>,
    select: Option<Select>,
    measure: Option<Measure>,
    position: Option<PositionReader>,
    source_crs: Option<Crs>,
    targets: Vec<Target>,
    finder: Arc<Finder>,
    /// Index into `targets` of WGS 84, for outputs that must have it.
    wgs84: Option<usize>,
    /// Whether the source is in degrees from Greenwich, as areas of use are.
    source_in_degrees: bool,
    /// Index into `targets` of a system in degrees from Greenwich, for doubts.
    geographic: Option<usize>,
    /// From the source to such degrees, where neither it nor a target is in them.
    to_degrees: Option<Operation>,
    area: Option<(Area, String)>,
    typing: Option<Typing>,
    show: ShowPlan,
    conform: Option<Conform>,
    /// Whether all rows have to be looked at for the order of latitude and longitude.
    pub(crate) order_is_open: bool,
    with_z: bool,
    /// Whether the geometry is of any type, not points alone.
    any_shape: bool,
    /// Rows that came by, for those that come twice.
    pub(crate) met: Met,
    pub(crate) roles: Vec<Option<Role>>,
    pub(crate) understood: Vec<String>,
    pub(crate) told: Vec<String>,
    /// Names of the source's columns, for rows set aside.
    pub(crate) source_columns: Vec<String>,
    /// For each of them the column of the rows as they come here, where they are others: lines made of points.
    aside_columns: Option<Vec<Option<usize>>>,
}

/// What a worker makes of a block.
pub(crate) struct Part {
    pub encoded: Vec<Encoded>,
    pub set_aside: Vec<SetAsideRow>,
    /// Rows that a selection left out, by what they are.
    pub left_out: BTreeMap<&'static str, u64>,
    pub rows_in: u64,
    pub rows_out: u64,
    pub bytes: u64,
    pub tally: Tally,
    pub levels: BTreeMap<String, u64>,
    pub doubtful: Vec<ReviewRow>,
    pub found: Vec<(String, Known)>,
    pub notations: BTreeMap<&'static str, u64>,
    pub extent: Option<[f64; 4]>,
}

/// Rows with their positions, in the system of the source.
pub(crate) struct Vertices {
    pub source: Batch,
    pub mended: Batch,
    pub places: Vec<(usize, Position)>,
    pub set_aside: Vec<SetAsideRow>,
}

/// The first rows of a source, decoded.
pub(crate) fn sample(reader: &mut dyn Reader) -> Result<Batch, Error> {
    let decoder = reader.decoder();
    let mut first = None;
    reader.read(&mut |block| {
        first = Some(decoder.decode(block));
        false
    })?;
    match first {
        Some(decoded) => Ok(decoded?.batch),
        None => Ok(Batch::empty(reader.schema())),
    }
}

/// Roles of the columns of a schema, by headers and the values of a sample.
pub(crate) fn roles(schema: &SchemaRef, sample: &Batch) -> Vec<Option<Role>> {
    const ROWS: usize = 500;
    let names: Vec<&str> = schema.fields().iter().map(|f| f.name().as_str()).collect();
    let texts: Vec<Vec<String>> =
        (0..names.len()).map(|c| (0..sample.len().min(ROWS)).map(|r| sample.text(c, r)).collect()).collect();
    let values: Vec<Vec<&str>> = texts.iter().map(|c| c.iter().map(String::as_str).collect()).collect();
    let mut found = role::detect(&names, &values);
    if let Some(i) = spatial_index(schema) {
        found[i] = None;
    }
    found
}

impl Pipeline {
    pub(crate) fn new(
        plan: &LayerPlan,
        reader: &mut dyn Reader,
        outputs: &[Wants],
        strict: bool,
        day: &str,
    ) -> Result<Self, Error> {
        let path = plan.source.clone();
        let source_schema = reader.schema();
        let sample = sample(reader)?;
        let repair = Repair::new(&plan.repair, &source_schema, &path)?;
        let mended_sample = repair.apply(&sample);
        let schema = repair.schema().clone();
        let roles = roles(&schema, &mended_sample);
        let mut taken: Vec<String> = schema
            .fields()
            .iter()
            .filter(|f| f.name() != basilocus_table::POINT_COLUMN)
            .map(|f| f.name().clone())
            .collect();
        let mut p = Pipeline {
            decoder: reader.decoder(),
            repair,
            geocode: None,
            nearest: None,
            select: None,
            measure: None,
            position: None,
            source_crs: None,
            targets: Vec::new(),
            finder: Arc::new(Finder::new(&plan.operation, strict)?),
            wgs84: None,
            source_in_degrees: false,
            geographic: None,
            to_degrees: None,
            area: None,
            typing: None,
            show: plan.write.show.clone(),
            conform: plan.write.like.as_deref().map(Conform::new).transpose()?,
            order_is_open: false,
            with_z: false,
            any_shape: false,
            met: Met::new(&roles, plan.geocode.is_some()),
            roles,
            understood: reader.about().notes.iter().filter(|n| !n.starts_with("slip-")).cloned().collect(),
            told: Vec::new(),
            source_columns: source_schema.fields().iter().map(|f| f.name().clone()).collect(),
            aside_columns: None,
        };
        let spatial = outputs.iter().any(|o| o.format.holds_geometry());
        if let Some(g) = &plan.geocode {
            let geocode = Geocode::new(g, &schema, &p.roles, &path, day, &mut taken)?;
            p.understood.push(geocode.understood.clone());
            p.told.extend(geocode.told.iter().cloned());
            p.geocode = Some(geocode);
            p.source_crs = Some(Catalogue::embedded().get(4326)?);
        } else if plan.position.is_some()
            || plan.select.as_ref().is_some_and(|s| s.inside.is_some() || s.extent.is_some())
            || !plan.to.is_empty()
            || spatial_index(&schema).is_some()
            || spatial && has_position_roles(&p.roles)
        {
            let reader =
                PositionReader::new(&plan.position.clone().unwrap_or_default(), &p.finder, &schema, &p.roles, &path)?;
            p.understood.extend(reader.understood.iter().cloned());
            p.with_z = reader.has_z(&schema);
            p.any_shape = reader.is_from_geometry() && geometry_index(&schema).is_some();
            p.source_crs = Some(reader.crs.clone());
            p.order_is_open = reader.order_is_open(&mended_sample);
            if p.any_shape {
                p.tell_of_shapes(outputs);
            }
            if let Some(near) = near_of(&reader, &mended_sample) {
                p.finder = Arc::new(p.finder.around(near));
            }
            p.position = Some(reader);
        } else if outputs.iter().any(|o| o.format.needs_geometry()) {
            return Err(Error::NoPosition { path, names: taken });
        }
        if let (Some(n), Some(source)) = (&plan.nearest, &p.source_crs) {
            let step = NearestStep::new(n, source, &mut taken)?;
            p.understood.push(step.understood.clone());
            p.nearest = Some(step);
        }
        if let Some(s) = &plan.select {
            let step = Select::new(s, p.source_crs.as_ref(), &schema, &path, &mut taken)?;
            p.understood.extend(step.understood.iter().cloned());
            p.select = Some(step);
        }
        if plan.write.measure {
            let Some(source) = p.source_crs.as_ref().filter(|_| p.any_shape) else {
                return Err(Error::Plan(format!(
                    "--measure: {} has no lines or polygons, so there is nothing to measure",
                    path.display()
                )));
            };
            let step = Measure::new(source, &mut taken)?;
            p.understood.push(step.understood.clone());
            p.measure = Some(step);
        }
        if p.source_crs.is_some() {
            p.find_targets(plan, &schema, spatial, &mut taken, outputs)?;
        }
        p.tell_of_model(outputs)?;
        Ok(p)
    }

    /// Says which columns the source had before its points became lines.
    pub(crate) fn set_source_columns(&mut self, columns: Vec<String>) {
        let here = std::mem::replace(&mut self.source_columns, columns);
        let found = self.source_columns.iter().map(|c| here.iter().position(|h| h == c));
        self.aside_columns = Some(found.collect());
    }

    /// What does not go together with the model that the layer is brought to, for an output.
    fn tell_of_model(&mut self, outputs: &[Wants]) -> Result<(), Error> {
        let Some(conform) = self.conform.take() else { return Ok(()) };
        // What is shown goes by the columns of the model.
        let show = std::mem::take(&mut self.show);
        if let Some(wants) = outputs.first() {
            // As the layer would be without a model, its geometry apart.
            let fields = self.layer_out("", *wants)?.schema;
            self.told.extend(conform.fit(&fields).told);
        }
        (self.conform, self.show) = (Some(conform), show);
        Ok(())
    }

    /// What becomes of lines and polygons in outputs that have no place for them.
    fn tell_of_shapes(&mut self, outputs: &[Wants]) {
        if outputs.iter().any(|o| o.format == Format::Delimited) {
            self.told.push(
                "lines and polygons are written as well-known text in the column \"geometry\"; coordinate columns are those of their middle"
                    .into(),
            );
        }
        if outputs.iter().any(|o| matches!(o.format, Format::Xlsx | Format::Dbf)) {
            self.told.push(
                "a workbook or DBF has no place for lines and polygons: the coordinates of their middle are written"
                    .into(),
            );
        }
    }

    fn find_targets(
        &mut self,
        plan: &LayerPlan,
        schema: &SchemaRef,
        spatial: bool,
        taken: &mut Vec<String>,
        outputs: &[Wants],
    ) -> Result<(), Error> {
        let Some(source) = self.source_crs.clone() else {
            return Ok(());
        };
        let catalogue = Catalogue::embedded();
        let mut wanted: Vec<Crs> = Vec::new();
        for text in &plan.to {
            let found = crate::system::find(text)?;
            self.understood.extend(found.evidence.into_iter().map(|e| format!("system {text}: {e}")));
            if !wanted.iter().any(|w| w.is_same(&found.crs)) {
                wanted.push(found.crs);
            }
        }
        let said = !wanted.is_empty();
        if wanted.is_empty() {
            // A local grid is of use to nobody else: its coordinates go where the fitted transformation leads.
            wanted.push(self.finder.own_target().filter(|_| source.datum().is_none()).unwrap_or(&source).clone());
        }
        // Where the data is decides between regional transformations: its own extent where it is known, else the area
        // of the first plane system.
        let mut finder = self.finder.clone();
        if finder.near().is_none() {
            let plane = wanted.iter().find(|c| !c.is_geographic()).unwrap_or(&source);
            finder = Arc::new(finder.around(plane.area.clone()));
        }
        let finder = &*finder;
        for (i, crs) in wanted.into_iter().enumerate() {
            let from_geometry = spatial_index(schema).is_some();
            let own = crs.is_same(&source);
            let hidden = if self.geocode.is_some() {
                // The match's own columns hold WGS 84 already.
                own && plan.write.notation.is_none()
            } else if !said {
                // Coordinates that stand in columns as they are, or in the geometry of a spatial output.
                own && plan.write.notation.is_none()
                    && plan.write.columns.is_empty()
                    && if from_geometry {
                        spatial && outputs.iter().all(|o| o.format.holds_geometry())
                    } else {
                        self.position.as_ref().is_some_and(|p| p.column_names().0 != p.column_names().1)
                    }
            } else {
                false
            };
            let columns = match (hidden, i) {
                (true, _) => ColumnsWanted::None,
                (false, 0) => ColumnsWanted::First,
                (false, _) => ColumnsWanted::Further,
            };
            self.targets.push(Target::new(&source, crs, finder, &plan.write, columns, taken, &mut self.told)?);
        }
        let fixed: Vec<Format> = outputs.iter().map(|o| o.format).filter(|f| f.is_always_wgs84()).collect();
        if !fixed.is_empty() {
            let at = match self.targets.iter().position(|t| t.crs.code == Some(4326)) {
                Some(i) => i,
                None => {
                    let t = Target::new(
                        &source,
                        catalogue.get(4326)?,
                        finder,
                        &Default::default(),
                        ColumnsWanted::None,
                        taken,
                        &mut self.told,
                    )?;
                    let accuracy =
                        t.operation.accuracy_m().map_or("accuracy not stated".into(), |a| format!("accuracy {a} m"));
                    if source.code != Some(4326) {
                        self.told.push(format!(
                            "{}: positions are brought there from {} ({}; {accuracy})",
                            always_wgs84(&fixed),
                            source.title(),
                            t.operation.name()
                        ));
                    }
                    self.targets.push(t);
                    self.targets.len() - 1
                }
            };
            self.wgs84 = Some(at);
        }
        self.with_z |= self.targets.iter().any(|t| t.operation.moves_heights());
        // The area to check against: that of the narrower system.
        let narrower = |a: &&Crs, b: &&Crs| a.area.share_of_earth().total_cmp(&b.area.share_of_earth());
        let candidate = if source.is_geographic() {
            self.targets.iter().map(|t| &t.crs).chain([&source]).min_by(narrower).unwrap_or(&source)
        } else {
            &source
        };
        if candidate.area.share_of_earth() < 0.9 {
            self.area = Some((candidate.area.clone(), candidate.title()));
        }
        let plain = |c: &Crs| {
            c.datum().is_some_and(|d| d.prime_meridian_deg == 0.0)
                && matches!(&c.horizontal().kind, Kind::Geographic { unit, .. } if unit.degrees == 1.0)
        };
        self.geographic = self.targets.iter().position(|t| plain(&t.crs));
        self.source_in_degrees = plain(&source);
        if !self.source_in_degrees && self.geographic.is_none() && source.datum().is_some() {
            self.to_degrees = Some(Operation::to_degrees(&source)?);
        }
        Ok(())
    }

    /// Sets the types of text columns from their profiles.
    pub(crate) fn set_types(&mut self, profiles: &[ColumnProfile]) {
        self.typing = Some(Typing::new(profiles, &self.roles));
    }

    /// Rows as the mended table.
    pub(crate) fn mend(&self, batch: &Batch) -> Batch {
        self.repair.apply(batch)
    }

    /// Rows of a block as the mended table, for profiling: those with a usable position, because a word among the
    /// eastings of a row that is set aside must not make the column text for all others.
    pub(crate) fn mended(&self, block: Block) -> Result<(Batch, u64), Error> {
        let decoded = self.decoder.decode(block)?;
        let mended = self.repair.apply(&decoded.batch);
        let usable: Option<Vec<bool>> =
            self.position.as_ref().map(|p| p.read(&mended).unusable.iter().map(Option::is_none).collect());
        Ok((usable.map_or_else(|| mended.clone(), |keep| mended.filter(&keep)), decoded.bytes))
    }

    /// What the rows of a block say about the order of latitude and longitude.
    pub(crate) fn orders_of(&self, block: Block) -> Result<(OrderCounts, u64, u64), Error> {
        let decoded = self.decoder.decode(block)?;
        let mended = self.repair.apply(&decoded.batch);
        let mut counts = OrderCounts::default();
        if let Some(p) = &self.position {
            p.count_orders(&mended, &mut counts);
        }
        Ok((counts, decoded.bytes, mended.len() as u64))
    }

    /// Usable positions of a block with their source rows, and the reasons of the others.
    #[allow(clippy::type_complexity)]
    pub(crate) fn positions_of(&self, block: Block) -> Result<(Vec<(u64, f64, f64)>, Vec<String>), Error> {
        let decoded = self.decoder.decode(block)?;
        let mended = self.repair.apply(&decoded.batch);
        let mut aside: Vec<String> = decoded.set_aside.iter().map(|r| r.class.clone()).collect();
        let mut points = Vec::new();
        if let Some(p) = &self.position {
            let found = p.read(&mended);
            for (row, why) in found.unusable.into_iter().enumerate() {
                match why {
                    Some(why) => aside.push(why.class.to_string()),
                    None => points.push((mended.source_rows[row], found.x[row], found.y[row])),
                }
            }
        }
        Ok((points, aside))
    }

    /// The mended rows of a block that have a usable position, with it, and the rows that were set aside.
    pub(crate) fn vertices(&self, block: Block) -> Result<Vertices, Error> {
        let decoded = self.decoder.decode(block)?;
        let (source, mut set_aside_rows) = (decoded.batch, decoded.set_aside);
        let mended = self.repair.apply(&source);
        let mut places = Vec::new();
        if let Some(p) = &self.position {
            let found = p.read(&mended);
            for (row, why) in found.unusable.into_iter().enumerate() {
                match why {
                    Some(why) => set_aside_rows.push(set_aside(&source, row, why.class, why.reason)),
                    None => places.push((row, Position::xyz(found.x[row], found.y[row], found.z[row]))),
                }
            }
        }
        Ok(Vertices { source, mended, places, set_aside: set_aside_rows })
    }

    /// Texts of two columns, and usable positions, of a block with their source rows; the reasons of the others.
    #[allow(clippy::type_complexity)]
    pub(crate) fn texts_and_positions_of(
        &self,
        block: Block,
        columns: [Option<usize>; 2],
    ) -> Result<(Vec<(u64, [String; 2], f64, f64)>, Vec<String>), Error> {
        let decoded = self.decoder.decode(block)?;
        let mended = self.repair.apply(&decoded.batch);
        let mut aside: Vec<String> = decoded.set_aside.iter().map(|r| r.class.clone()).collect();
        let mut rows = Vec::new();
        if let Some(p) = &self.position {
            let found = p.read(&mended);
            for (row, why) in found.unusable.into_iter().enumerate() {
                match why {
                    Some(why) => aside.push(why.class.to_string()),
                    None => {
                        let texts = columns.map(|c| c.map_or(String::new(), |c| mended.text(c, row)));
                        rows.push((mended.source_rows[row], texts, found.x[row], found.y[row]));
                    }
                }
            }
        }
        Ok((rows, aside))
    }

    /// Takes the evidence of all rows.
    pub(crate) fn settle_order(&mut self, counts: &OrderCounts) {
        if let Some(p) = &mut self.position {
            let known = p.understood.len();
            p.settle_order(counts);
            self.understood.extend(p.understood[known..].iter().cloned());
        }
    }

    /// What the operations of the layer missed for want of a grid, and which frames they took as equal.
    pub(crate) fn operations_taken(&self) -> Vec<(&Crs, &Operation)> {
        self.targets.iter().map(|t| (&t.crs, &t.operation)).collect()
    }

    /// The workbook of rows in doubt, the file beside it, and what tells this run from others.
    pub(crate) fn review(&self) -> Option<(&std::path::Path, std::path::PathBuf, String)> {
        self.geocode.as_ref().and_then(Geocode::review)
    }

    pub(crate) fn source(&self) -> Option<&Crs> {
        self.source_crs.as_ref()
    }

    pub(crate) fn schema(&self) -> &SchemaRef {
        self.repair.schema()
    }

    /// Title of the system whose area of use is checked.
    pub(crate) fn area_title(&self) -> Option<&str> {
        self.area.as_ref().map(|(_, t)| t.as_str())
    }

    pub(crate) fn position_columns(&self) -> Option<(&str, &str)> {
        self.position.as_ref().map(PositionReader::column_names)
    }

    pub(crate) fn operations(&self) -> Vec<OperationReport> {
        let Some(source) = &self.source_crs else {
            return Vec::new();
        };
        self.targets.iter().map(|t| t.report(source)).collect()
    }

    /// System of the result, and what the digits of its columns are worth.
    pub(crate) fn result_system(&self) -> Option<(&Crs, Option<String>)> {
        self.targets.first().map(|t| (&t.crs, t.worth((t.crs.area.south_deg + t.crs.area.north_deg) / 2.0)))
    }

    /// The layer as an output takes it.
    pub(crate) fn layer_out(&self, name: &str, wants: Wants) -> Result<LayerOut, Error> {
        let base = self.repair.schema();
        let typed = match (&self.typing, wants.typed()) {
            (Some(t), true) => t.schema(base),
            _ => base.clone(),
        };
        let point = spatial_index(&typed);
        let mut fields = Vec::new();
        let mut styles = Vec::new();
        for (i, f) in typed.fields().iter().enumerate() {
            if Some(i) == point {
                continue;
            }
            fields.push(f.as_ref().clone());
            styles.push(
                match (&self.typing, wants.typed()) {
                    (Some(t), true) => t.styles.get(i).cloned(),
                    _ => None,
                }
                .unwrap_or(ColumnStyle { digits: None, longest: None }),
            );
        }
        for (f, s) in (self.geocode.iter().flat_map(Geocode::fields))
            .chain(self.nearest.iter().flat_map(NearestStep::fields))
            .chain(self.select.iter().flat_map(Select::fields))
            .chain(self.measure.iter().flat_map(Measure::fields))
        {
            fields.push(f);
            styles.push(s);
        }
        for target in &self.targets {
            for (f, mut s) in target.fields() {
                if wants.format == Format::Xlsx && s.digits.is_some() {
                    s.digits = Some(target.shown_digits());
                }
                fields.push(f);
                styles.push(s);
            }
        }
        if let Some(conform) = &self.conform {
            fields = conform.fit(&arrow_schema::Schema::new(fields)).fields;
            styles = vec![ColumnStyle { digits: None, longest: None }; fields.len()];
        }
        let mut crs = None;
        if let Some(target) = self.geometry_target(wants) {
            let system = crate::system::text_of(&target.crs)?;
            fields.push(match (self.any_shape, wants.format) {
                (true, Format::Delimited) => arrow_schema::Field::new("geometry", arrow_schema::DataType::Utf8, true),
                (true, _) => geometry_field(Some(&system)),
                (false, _) => point_field(Some(&system), self.with_z),
            });
            styles.push(ColumnStyle { digits: None, longest: None });
            crs = Some(CrsText {
                code: target.crs.code,
                name: target.crs.name.clone(),
                wkt: wkt::wkt1(&target.crs).or_else(|_| wkt::wkt2(&target.crs))?,
                wkt2: wkt::wkt2(&target.crs).ok(),
                geographic: target.crs.is_geographic(),
                north_first: target.crs.north_first(),
            });
        }
        let names: Vec<String> = fields.iter().map(|f| f.name().clone()).collect();
        let show = crate::step::show::presentation(&self.show, &names)?;
        Ok(LayerOut { name: name.to_string(), schema: Arc::new(arrow_schema::Schema::new(fields)), styles, crs, show })
    }

    fn geometry_target(&self, wants: Wants) -> Option<&Target> {
        match (wants.format, self.wgs84) {
            (format, Some(i)) if format.is_always_wgs84() => self.targets.get(i),
            _ => self.targets.first(),
        }
    }

    /// Index of the target whose positions an output has as its geometry.
    pub(crate) fn geometry_index(&self, wants: Wants) -> Option<usize> {
        let target = self.geometry_target(wants)?;
        self.targets.iter().position(|u| std::ptr::eq(u, target))
    }

    /// All steps for one block.
    pub(crate) fn process(&self, block: Block, outputs: &[(Wants, Arc<dyn Encode>)]) -> Result<Part, Error> {
        let decoded = self.decoder.decode(block)?;
        let source = decoded.batch;
        let mut part = Part {
            encoded: Vec::new(),
            rows_in: (source.len() + decoded.set_aside.len()) as u64,
            rows_out: 0,
            set_aside: decoded.set_aside,
            left_out: BTreeMap::new(),
            bytes: decoded.bytes,
            tally: Tally::default(),
            levels: BTreeMap::new(),
            doubtful: Vec::new(),
            found: Vec::new(),
            notations: BTreeMap::new(),
            extent: None,
        };
        let aside_before = part.set_aside.len();
        let mended = self.repair.apply(&source);
        whole(&mended)?;
        let n = mended.len();
        let mut keep = vec![true; n];
        if let Some(select) = &self.select {
            for row in (0..n).filter(|r| !select.has_values(&mended, *r)) {
                keep[row] = false;
                *part.left_out.entry(OTHER_VALUE).or_default() += 1;
            }
        }
        let mut added = Vec::new();
        let mut places: Vec<[Vec<f64>; 3]> = Vec::new();
        let mut shaped: Vec<Vec<Option<Geometry>>> = Vec::new();
        if let Some(start) = self.start(&mended, &mut part, &mut keep, &source, &mut added)? {
            if let Some(nearest) = &self.nearest {
                added.extend(nearest.columns(&start, &keep));
            }
            if let Some(select) = &self.select {
                let left_out = &mut part.left_out;
                added.extend(select.by_place(&start, &mut keep, &mut |why| *left_out.entry(why).or_default() += 1));
            }
            if let Some(measure) = &self.measure {
                added.extend(measure.columns(&mended));
            }
            for target in &self.targets {
                let [mut x, mut y, mut z] = start.clone();
                target.operation.apply(&mut x, &mut y, &mut z);
                for row in 0..n {
                    if keep[row] && !(x[row].is_finite() && y[row].is_finite()) {
                        keep[row] = false;
                        part.set_aside.push(set_aside(
                            &source,
                            row,
                            "cannot be transformed",
                            target.refused(start[0][row], start[1][row], start[2][row]),
                        ));
                    }
                }
                places.push([x, y, z]);
            }
            if self.any_shape {
                shaped = shapes::transformed(self, &mended, outputs, &mut keep, &mut |row, class, reason| {
                    part.set_aside.push(set_aside(&source, row, class, reason));
                });
            }
            self.count(&mended, &start, &places, &keep, &mut part.tally);
            for (target, [x, y, z]) in self.targets.iter().zip(&places) {
                let columns = target.columns(x, y, z);
                if let (Some(n), Some((_, texts))) = (target.whole_notation(), columns.first()) {
                    for row in (0..texts.len()).filter(|r| texts.is_null(*r)) {
                        if std::mem::take(&mut keep[row]) {
                            part.set_aside.push(set_aside(
                                &source,
                                row,
                                "outside the notation",
                                format!(
                                    "{}, {} has no {}: the position is outside its area; choose another --notation for these rows",
                                    x[row],
                                    y[row],
                                    n.words()
                                ),
                            ));
                        }
                    }
                }
                added.extend(columns);
            }
        }
        let conformed = self.conform.as_ref().map(|conform| {
            conform.apply(&with_columns(&without_point(&mended), added.clone()), &mut |row, reason| {
                if std::mem::take(&mut keep[row]) {
                    part.set_aside.push(set_aside(&source, row, "does not fit the model", reason));
                }
            })
        });
        self.met.add_rows(&mended, &keep);
        part.rows_out = keep.iter().filter(|k| **k).count() as u64;
        if let Some([x, y, _]) = places.first() {
            for row in (0..n).filter(|r| keep[*r]) {
                let whole = shaped.first().and_then(|s| s[row].as_ref()).and_then(Geometry::bounds);
                let b = whole.unwrap_or([x[row], y[row], x[row], y[row]]);
                let e = part.extent.get_or_insert(b);
                *e = [e[0].min(b[0]), e[1].min(b[1]), e[2].max(b[2]), e[3].max(b[3])];
            }
        }
        for (wants, encode) in outputs {
            let base = match (&self.typing, wants.typed()) {
                (Some(t), true) => t.apply(&mended),
                _ => mended.clone(),
            };
            let (base, mut columns) = match &conformed {
                Some(conformed) => (conformed.clone(), Vec::new()),
                None => (base, added.clone()),
            };
            let target = self.geometry_index(*wants);
            if let Some(i) = target
                .filter(|_| self.any_shape && (wants.format.holds_geometry() || wants.format == Format::Delimited))
            {
                columns.push(shapes::column(
                    shaped.get(i).map_or(&[], Vec::as_slice),
                    &crate::system::text_of(&self.targets[i].crs)?,
                    // A tenth of a millimetre.
                    (wants.format == Format::Delimited).then_some(if self.targets[i].crs.is_geographic() {
                        9
                    } else {
                        4
                    }),
                ));
            } else if let Some(i) = target.filter(|_| wants.format.holds_geometry() && !self.any_shape) {
                let [x, y, z] = places[i].clone();
                columns.push((
                    point_field(Some(&crate::system::text_of(&self.targets[i].crs)?), self.with_z),
                    point_array(x, y, self.with_z.then_some(z)),
                ));
            }
            let batch = with_columns(&without_point(&base), columns);
            whole(&batch)?;
            let batch = batch.filter(&keep);
            whole(&batch)?;
            part.encoded.push(encode.encode(&batch));
        }
        if let Some(columns) = &self.aside_columns {
            // What was set aside here has the columns of the lines, what was before those of the source.
            for row in &mut part.set_aside[aside_before..] {
                row.values = columns.iter().map(|c| c.map_or(String::new(), |c| row.values[c].clone())).collect();
            }
        }
        // Rows set aside at different steps of a block, in the order of the source.
        part.set_aside.sort_by_key(|r| r.source_row);
        Ok(part)
    }

    /// Positions in the source's system.
    fn start(
        &self,
        mended: &Batch,
        part: &mut Part,
        keep: &mut [bool],
        source: &Batch,
        added: &mut Vec<(arrow_schema::Field, arrow_array::ArrayRef)>,
    ) -> Result<Option<[Vec<f64>; 3]>, Error> {
        if let Some(geocode) = &self.geocode {
            let found = geocode.apply(mended)?;
            for (row, why) in found.unusable.into_iter().enumerate() {
                if let Some((class, reason)) = why
                    && std::mem::take(&mut keep[row])
                {
                    part.set_aside.push(set_aside(source, row, &class, reason));
                }
            }
            part.levels = found.levels;
            part.doubtful = found.doubtful;
            part.found = found.found;
            added.extend(found.columns);
            let z = vec![f64::NAN; found.lon.len()];
            return Ok(Some([found.lon, found.lat, z]));
        }
        let Some(position) = self.position.as_ref() else { return Ok(None) };
        let found = position.read(mended);
        for (row, why) in found.unusable.into_iter().enumerate() {
            // A row that was left out for its values is not asked for its position.
            if let Some(why) = why
                && std::mem::take(&mut keep[row])
            {
                part.set_aside.push(set_aside(source, row, why.class, why.reason));
            }
        }
        part.notations = found.notations;
        part.tally.with_comma = found.marks.0;
        part.tally.with_point = found.marks.1;
        Ok(Some([found.x, found.y, found.z]))
    }

    fn count(&self, mended: &Batch, start: &[Vec<f64>; 3], places: &[[Vec<f64>; 3]], keep: &[bool], tally: &mut Tally) {
        let area = self.area.as_ref().map(|(a, _)| a);
        let own;
        let (x, y) = match (self.geographic, &self.to_degrees) {
            _ if self.source_in_degrees => (&start[0], &start[1]),
            (Some(i), _) => (&places[i][0], &places[i][1]),
            (None, Some(op)) => {
                let [mut x, mut y, mut z] = start.clone();
                op.apply(&mut x, &mut y, &mut z);
                own = (x, y);
                (&own.0, &own.1)
            }
            _ => return,
        };
        for row in (0..keep.len()).filter(|r| keep[*r]) {
            tally.add(x[row], y[row], area);
        }
        self.met.add_addresses(mended, keep, x, y);
        // Decimals of numbers that stand in columns; the parts of a written angle say themselves what they are.
        if self.source_in_degrees && self.position.as_ref().is_some_and(PositionReader::is_from_columns) {
            for row in (0..keep.len()).filter(|r| keep[*r]) {
                tally.x.add(start[0][row]);
                tally.y.add(start[1][row]);
            }
        }
        // Zero in another system is as empty as in degrees.
        if !self.source_in_degrees {
            tally.at_zero =
                (0..keep.len()).filter(|r| keep[*r] && start[0][*r] == 0.0 && start[1][*r] == 0.0).count() as u64;
        }
    }
}

/// Where the positions of a sample are, without the hundredth at either end of each axis, so that a few wrong values do
/// not hide which region the data is in. `None` where that is not within reach of the system's area of use.
fn near_of(reader: &PositionReader, sample: &Batch) -> Option<Area> {
    let found = reader.read(sample);
    let degrees = Operation::to_degrees(&reader.crs).ok()?;
    let (mut x, mut y, mut z) = (found.x, found.y, found.z);
    degrees.apply(&mut x, &mut y, &mut z);
    let axis = |mut v: Vec<f64>| {
        v.retain(|v| v.is_finite());
        v.sort_by(f64::total_cmp);
        let last = v.len().checked_sub(1)?;
        Some((v[last / 100], v[last - last / 100]))
    };
    let ((west, east), (south, north)) = (axis(x)?, axis(y)?);
    let area = Area { west_deg: west, south_deg: south, east_deg: east, north_deg: north, description: String::new() };
    let use_area = &reader.crs.area;
    (use_area.contains(area.west_deg, area.south_deg) && use_area.contains(area.east_deg, area.north_deg))
        .then_some(area)
}

/// Rows whose columns do not go together would be lost without a word.
fn whole(batch: &Batch) -> Result<(), Error> {
    if batch.is_whole() {
        return Ok(());
    }
    Err(FormatError::Defect { row: batch.source_rows.first().copied().unwrap_or_default() }.into())
}

/// `GeoJSON is always WGS 84 (RFC 7946)`, `KML and GPX are always WGS 84`.
fn always_wgs84(formats: &[Format]) -> String {
    match formats {
        [Format::GeoJson] => "GeoJSON is always WGS 84 (RFC 7946)".into(),
        [one] => format!("{} is always WGS 84", one.name()),
        several => format!("{} are always WGS 84", several.iter().map(|f| f.name()).collect::<Vec<_>>().join(" and ")),
    }
}

fn without_point(batch: &Batch) -> Batch {
    match spatial_index(&batch.records.schema()) {
        None => batch.clone(),
        Some(point) => {
            let columns: Vec<usize> = (0..batch.records.num_columns()).filter(|i| *i != point).collect();
            match batch.records.project(&columns) {
                Ok(records) => Batch { records, source_rows: batch.source_rows.clone() },
                Err(_) => batch.clone(),
            }
        }
    }
}

fn set_aside(source: &Batch, row: usize, class: &str, reason: String) -> SetAsideRow {
    SetAsideRow { source_row: source.source_rows[row], class: class.to_string(), reason, values: source.row_texts(row) }
}
