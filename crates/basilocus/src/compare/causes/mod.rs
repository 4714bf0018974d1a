//! What would displace rows, one file a kind: each says where numbers of one side would be if it were so.
//!
//! To add one: a file with an `add`, and its line in the list below.

use super::{Pair, Side};
use crate::Error;
use basilocus_geodesy::crs::{Catalogue, Crs};
use basilocus_geodesy::operation::Operation;

/// Where numbers would be, longitude and latitude in WGS 84.
type Place = Box<dyn Fn([f64; 2]) -> Option<[f64; 2]>>;

/// What would displace rows.
pub(super) struct Cause {
    /// What seems to have happened.
    pub what: String,
    /// What to do.
    pub mend: String,
    /// The side that is wrong: 0 the first, 1 the second.
    pub side: usize,
    /// Its numbers, in its own system.
    pub numbers: std::rc::Rc<Vec<[f64; 2]>>,
    pub place: Place,
}

/// A side of a comparison that may be wrong.
struct Suspect<'a> {
    side: usize,
    crs: &'a Crs,
    /// `the first` or `the second`.
    name: &'static str,
    /// What says its system: `from` or `from_b`.
    option: &'static str,
    /// Its numbers, in its own system.
    numbers: std::rc::Rc<Vec<[f64; 2]>>,
    /// Whether all rows moved by the same shift.
    is_constant: bool,
    /// A place in the middle, degrees in WGS 84.
    middle: [f64; 2],
    /// West, south, east, north of where the rows should be, degrees in WGS 84.
    bounds: [f64; 4],
}

macro_rules! causes {
    ($($file:ident,)+) => {
        $(mod $file;)+

        /// All causes of both sides, of rows that moved by one shift or by several.
        ///
        /// # Errors
        /// Where a system has no way to WGS 84.
        pub(super) fn all(sample: &[&Pair], sides: &[Side; 2], is_constant: bool) -> Result<Vec<Cause>, Error> {
            let mut out = Vec::new();
            for side in 0..2 {
                let suspect = Suspect { is_constant, ..Suspect::of(side, sample, &sides[side])? };
                $($file::add(&suspect, &mut out)?;)+
            }
            Ok(out)
        }
    };
}

causes! {
    rounding,
    numbers,
    datums,
    feet,
    plates,
}

fn wgs84() -> Result<Crs, Error> {
    Ok(Catalogue::embedded().get(4326)?)
}

impl<'a> Suspect<'a> {
    fn of(side: usize, sample: &[&Pair], of: &'a Side) -> Result<Self, Error> {
        let way = Operation::between(&wgs84()?, of.crs.horizontal(), None)?;
        let degrees = |p: &Pair| if side == 0 { p.a } else { p.b };
        let numbers = sample.iter().map(|p| {
            let [lon, lat] = degrees(p);
            way.apply_one(lon, lat, 0.0).map_or([f64::NAN; 2], |(x, y, _)| [x, y])
        });
        let others: Vec<[f64; 2]> = sample.iter().map(|p| if side == 0 { p.b } else { p.a }).collect();
        let bounds = others.iter().map(|p| [p[0], p[1], p[0], p[1]]).reduce(basilocus_draw::scene::united);
        let bounds = bounds.unwrap_or_default();
        Ok(Suspect {
            side,
            crs: of.crs.horizontal(),
            is_constant: false,
            name: ["the first", "the second"][side],
            option: ["from", "from_b"][side],
            numbers: std::rc::Rc::new(numbers.collect()),
            middle: [(bounds[0] + bounds[2]) / 2.0, (bounds[1] + bounds[3]) / 2.0],
            bounds,
        })
    }

    fn cause(&self, what: String, mend: String, place: Place) -> Cause {
        Cause { what, mend, side: self.side, numbers: self.numbers.clone(), place }
    }
}
