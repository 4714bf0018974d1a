//! Finds the operation between two systems by what the plan says of ways, grids and epochs.

use crate::Error;
use crate::coordinates::fitted::Fitted;
use crate::coordinates::grids::GridFolders;
use crate::coordinates::transformation::{OwnTransformation, TransformationFile};
use crate::plan::OperationPlan;
use basilocus_geodesy::crs::{Area, Crs, Kind};
use basilocus_geodesy::operation::{GridSource, Operation, Search, Via, Way};
use std::path::Path;
use std::sync::Arc;

/// A search that is ready for any pair of systems.
///
/// ```
/// use basilocus::coordinates::{finder::Finder, place, system};
/// use basilocus::plan::OperationPlan;
///
/// let (nad27, nad83) = (system::find("EPSG:4267")?.crs, system::find("EPSG:4269")?.crs);
/// let oregon = place::find("Oregon")?.area;
/// let finder = Finder::new(&OperationPlan::default(), false)?.around(oregon);
/// let operation = finder.find(&nad27, &nad83)?;
/// assert!(operation.accuracy_m().is_some());
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, Default)]
pub struct Finder {
    grids: Arc<GridFolders>,
    via: Option<Via>,
    own: Option<OwnTransformation>,
    epoch: Option<f64>,
    require_accuracy_m: Option<f64>,
    strict: bool,
    near: Option<Area>,
}

impl Finder {
    /// A finder for a plan; `strict` makes a missing grid file an error.
    ///
    /// # Errors
    /// [`Error::TransformationFile`], and [`Error::Usage`] for an epoch or accuracy that is none.
    pub fn new(plan: &OperationPlan, strict: bool) -> Result<Self, Error> {
        if let Some(epoch) = plan.epoch
            && !(1900.0..2200.0).contains(&epoch)
        {
            return Err(Error::Usage(format!("`epoch` {epoch}: a decimal year is expected, such as 2020.5")));
        }
        if let Some(a) = plan.require_accuracy
            && !(a > 0.0)
        {
            return Err(Error::Usage(format!("`require_accuracy` {a}: metres above zero are expected")));
        }
        if let Some(folder) = &plan.grids
            && !folder.is_dir()
        {
            return Err(Error::Usage(format!("`grids` {}: there is no such folder", folder.display())));
        }
        let (mut via, mut own) = (None, None);
        if let Some(text) = &plan.via {
            let path = Path::new(text);
            if path.extension().is_some_and(|e| e.eq_ignore_ascii_case("toml")) || path.is_file() {
                let t = TransformationFile::load(path)?.understood(path)?;
                via = t.via();
                own = Some(t);
            } else {
                via = Some(Via::Named(text.clone()));
            }
        }
        Ok(Finder {
            grids: Arc::new(GridFolders::new(plan.grids.as_deref())),
            via,
            own,
            epoch: plan.epoch,
            require_accuracy_m: plan.require_accuracy,
            strict,
            near: None,
        })
    }

    /// The same finder for data that is here.
    pub fn around(&self, near: Area) -> Self {
        Finder { near: Some(near), ..self.clone() }
    }

    /// Where the data is, if that is known.
    pub fn near(&self) -> Option<&Area> {
        self.near.as_ref()
    }

    /// The search as the core takes it.
    pub fn search(&self) -> Search<'_> {
        Search {
            near: self.near.as_ref(),
            epoch: self.epoch,
            grids: &*self.grids,
            via: self.via.as_ref(),
            require_accuracy_m: self.require_accuracy_m,
            strict: self.strict,
        }
    }

    /// Where grid files are looked for, to follow "was not found".
    pub fn grid_place(&self) -> String {
        self.grids.place()
    }

    /// The system that a fitted transformation starts from: that of numbers for which nothing else is said.
    pub fn own_source(&self) -> Option<&Crs> {
        self.own.as_ref().map(|o| &o.from)
    }

    /// The system that a fitted map of the plane leads to.
    pub fn own_target(&self) -> Option<&Crs> {
        self.own.as_ref().filter(|o| o.is_plane()).map(|o| &o.to)
    }

    /// The fitted transformation as it is used between two systems, where it is.
    pub(crate) fn fitted(&self, source: &Crs, target: &Crs) -> Option<Fitted> {
        Fitted::of(self.own.as_ref()?, source, target)
    }

    /// All ways between two systems, best first.
    ///
    /// # Errors
    /// Those of the core.
    pub fn ways(&self, source: &Crs, target: &Crs) -> Result<Vec<Way>, Error> {
        Ok(Operation::ways(source, target, &self.search())?)
    }

    /// The operation between two systems.
    ///
    /// # Errors
    /// Those of the core: no way, a missing grid, an epoch that is needed, an accuracy that is not reached.
    pub fn find(&self, source: &Crs, target: &Crs) -> Result<Operation, Error> {
        let Some(own) = self.own.as_ref().filter(|o| o.is_plane()) else {
            return Ok(Operation::find(source, target, &self.search())?);
        };
        // The map of the plane stands between its two systems; the rest of the way is found as ever.
        let search = Search { via: None, ..self.search() };
        let local = |c: &Crs| matches!(c.kind, Kind::Engineering { .. });
        if local(source) && local(target) || source.is_same(target) {
            return Ok(Operation::between(&own.to, &own.to, None)?);
        }
        let map = |inverse: bool| {
            own.plane(inverse).ok_or_else(|| Error::Usage(format!("\"{}\" is no map of the plane", own.name)))
        };
        if own.starts_from(source) {
            return Ok(map(false)?.then(Operation::find(&own.to, target, &search)?));
        }
        if own.starts_from(target) {
            return Ok(Operation::find(source, &own.to, &search)?.then(map(true)?));
        }
        Err(Error::Usage(format!(
            "`via` \"{}\" leads from {} to {}, and the coordinates go from {} to {}: say `from` or `to` accordingly",
            own.name,
            own.from.title(),
            own.to.title(),
            source.title(),
            target.title()
        )))
    }
}
