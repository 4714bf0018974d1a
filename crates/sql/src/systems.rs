//! Reference systems as texts, and the operations between them: found once a process.

use crate::Error;
use crate::setting::Settings;
use basilocus::coordinates::finder::Finder;
use basilocus::coordinates::{place, system};
use basilocus::geodesy::crs::{Area, Crs};
use basilocus::geodesy::operation::Operation;
use basilocus::plan::OperationPlan;
use basilocus::table::batch::point_crs;
use basilocus::table::geometry_field;
use datafusion::arrow::datatypes::{Field, Schema};
use std::collections::HashMap;
use std::hash::Hash;
use std::sync::{Arc, LazyLock, Mutex, PoisonError};

/// What is kept at most of each; then it begins anew.
const MOST: usize = 4096;

/// What was found, kept for the process.
struct Kept<K, V>(LazyLock<Mutex<HashMap<K, V>>>);

impl<K: Eq + Hash, V: Clone> Kept<K, V> {
    fn get_or<E>(&self, key: K, find: impl FnOnce() -> Result<V, E>) -> Result<V, E> {
        let lock = || self.0.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(found) = lock().get(&key) {
            return Ok(found.clone());
        }
        let found = find()?;
        let mut map = lock();
        if map.len() >= MOST {
            map.clear();
        }
        map.insert(key, found.clone());
        Ok(found)
    }
}

/// The system that a text names: a code, a name, a definition.
///
/// # Errors
/// [`Error::Library`] with what is near in the catalogue.
pub(crate) fn find(text: &str) -> Result<Arc<Crs>, Error> {
    static FOUND: Kept<String, Arc<Crs>> = Kept(LazyLock::new(Mutex::default));
    FOUND.get_or(text.to_string(), || {
        let is_number = !text.is_empty() && text.bytes().all(|b| b.is_ascii_digit());
        let found = if is_number { system::find(&format!("EPSG:{text}")) } else { system::find(text) };
        Ok(Arc::new(found?.crs))
    })
}

/// A text that names a system wherever it is read: its code, or its definition.
pub(crate) fn text_of(crs: &Crs) -> Result<String, Error> {
    Ok(system::text_of(crs)?)
}

/// The system that the field of a geometry carries, as GeoArrow has it.
pub(crate) fn of_field(field: &Field) -> Option<String> {
    point_crs(&Schema::new(vec![field.clone()]))
}

/// A field of geometries in well-known binary with their system.
pub(crate) fn field(name: &str, crs: Option<&str>) -> Field {
    geometry_field(crs).with_name(name)
}

/// What decides which way is taken between two systems, but for where a position is.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
struct Question {
    from: String,
    to: String,
    /// Hundredths of a year.
    epoch: Option<i64>,
    grids: String,
    area: String,
}

/// A square of a degree: west and south.
type Degree = [i32; 2];

/// The operations between two systems: one, or one for each degree where it depends on the place which is the best.
#[derive(Clone)]
pub(crate) struct Operations {
    pub from: Arc<Crs>,
    pub to: Arc<Crs>,
    finder: Finder,
    way: Way,
}

#[derive(Clone)]
enum Way {
    Everywhere(Arc<Operation>),
    ByPlace { to_degrees: Arc<Operation>, found: Arc<Mutex<HashMap<Degree, Arc<Operation>>>> },
}

/// The operations between two systems.
///
/// # Errors
/// [`Error::Library`] where there is no way, an epoch is needed, or a setting says no area.
pub(crate) fn operations(
    from: &str,
    to: &str,
    epoch: Option<f64>,
    settings: &Settings,
) -> Result<Arc<Operations>, Error> {
    static FOUND: Kept<Question, Arc<Operations>> = Kept(LazyLock::new(Mutex::default));
    let question = Question {
        from: from.to_string(),
        to: to.to_string(),
        epoch: epoch.map(|e| (e * 100.0).round() as i64),
        grids: settings.grids.clone(),
        area: settings.area.clone(),
    };
    FOUND.get_or(question, || {
        let (from, to) = (find(from)?, find(to)?);
        let grids = Some(settings.grids.clone()).filter(|g| !g.is_empty()).map(Into::into);
        let plan = OperationPlan { epoch, grids, ..Default::default() };
        let finder = Finder::new(&plan, false)?;
        let way = if !settings.area.is_empty() {
            let area = place::find(&settings.area)?.area;
            Way::Everywhere(Arc::new(finder.around(area).find(&from, &to)?))
        } else if depends_on_place(&finder, &from, &to) {
            Way::ByPlace {
                to_degrees: Arc::new(Operation::to_degrees(&from).map_err(basilocus::Error::from)?),
                found: Arc::default(),
            }
        } else {
            Way::Everywhere(Arc::new(finder.find(&from, &to)?))
        };
        Ok(Arc::new(Operations { from, to, finder, way }))
    })
}

/// Whether there is more than one way, so that the place decides.
fn depends_on_place(finder: &Finder, from: &Crs, to: &Crs) -> bool {
    finder.ways(from, to).is_ok_and(|ways| ways.len() > 1)
}

impl Operations {
    /// Brings positions to the other system, each by the operation that is the best where it is. `done` is told the operation of
    /// each group of rows. Positions without a place are NaN.
    ///
    /// # Errors
    /// [`Error::Library`] where there is no way at a place.
    pub(crate) fn apply(
        &self,
        x: &mut [f64],
        y: &mut [f64],
        z: &mut [f64],
        done: &mut dyn FnMut(&Arc<Operation>, &[usize]),
    ) -> Result<(), Error> {
        let (to_degrees, found) = match &self.way {
            Way::Everywhere(operation) => {
                operation.apply(x, y, z);
                let all: Vec<usize> = (0..x.len()).collect();
                done(operation, &all);
                return Ok(());
            }
            Way::ByPlace { to_degrees, found } => (to_degrees, found),
        };
        let (mut lon, mut lat, mut up) = (x.to_vec(), y.to_vec(), vec![f64::NAN; x.len()]);
        to_degrees.apply(&mut lon, &mut lat, &mut up);
        let mut groups: HashMap<Degree, Vec<usize>> = HashMap::new();
        for row in 0..x.len() {
            let is_placed = lon[row].is_finite() && lat[row].is_finite();
            // What has no place in degrees fails in any operation.
            let degree = if is_placed { [lon[row].floor() as i32, lat[row].floor() as i32] } else { [0, 0] };
            groups.entry(degree).or_default().push(row);
        }
        for (degree, rows) in groups {
            let operation = self.in_degree(degree, found)?;
            let take = |from: &[f64]| rows.iter().map(|r| from[*r]).collect::<Vec<f64>>();
            let (mut gx, mut gy, mut gz) = (take(x), take(y), take(z));
            operation.apply(&mut gx, &mut gy, &mut gz);
            for (at, row) in rows.iter().enumerate() {
                (x[*row], y[*row], z[*row]) = (gx[at], gy[at], gz[at]);
            }
            done(&operation, &rows);
        }
        Ok(())
    }

    fn in_degree(
        &self,
        degree: Degree,
        found: &Mutex<HashMap<Degree, Arc<Operation>>>,
    ) -> Result<Arc<Operation>, Error> {
        let lock = || found.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(operation) = lock().get(&degree) {
            return Ok(operation.clone());
        }
        let [west, south] = degree.map(f64::from);
        let square = Area::of_bounds([west, south, west + 1.0, south + 1.0]);
        let operation = Arc::new(self.finder.around(square).find(&self.from, &self.to)?);
        let mut map = lock();
        if map.len() >= MOST {
            map.clear();
        }
        map.insert(degree, operation.clone());
        Ok(operation)
    }
}
