//! Map projections, one file each.
//!
//! A method is a type that implements [`Method`]: the names it goes by, its domain and the source of its formulas,
//! how it is built from parameters, and `forward` and `inverse` from the point of view of its central meridian.
//! [`Framed`] adds the central meridian and the false easting and northing; [`Projection`] is any of them, ready for
//! columns.
//!
//! To add one: a file here, and one line in the list at the end of this page.

mod distortion;
mod newton;
mod parameters;

pub use distortion::Distortion;
pub use parameters::{Given, Parameter, Parameters, Problem};

use crate::ellipsoid::Ellipsoid;
use crate::error::Error;
use basilocus_arithmetic::vectors::{Loop, widest};

/// What a method is called and where its formulas come from.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct About {
    /// The names that definitions use, the registry's first. Compared without case, blanks and signs.
    pub names: &'static [&'static str],
    /// Where the method gives numbers, in words.
    pub domain: &'static str,
    /// The publication of the formulas.
    pub source: &'static str,
}

/// A projection method.
///
/// `lambda` and `phi` are radians, `lambda` from the central meridian and within −π…π; `x` and `y` are metres without
/// false easting and northing. Outside the domain both results are NaN, in both directions.
pub trait Method: Sized {
    /// Names, domain and source.
    const ABOUT: About;

    /// Whether [`Method::forward`] and [`Method::inverse`] are straight lines of arithmetic and selections, which are compiled
    /// for each width of vectors. What calls or decides is slower so.
    const IN_VECTORS: InVectors = InVectors { forward: false, inverse: false };

    /// Builds the method from parameters.
    ///
    /// # Errors
    /// [`Problem`] with the parameter that is missing or not usable.
    fn from_given(given: &Given) -> Result<Self, Problem>;

    /// Central meridian and false origin; methods whose axes run the other way change the signs.
    ///
    /// # Errors
    /// [`Problem`] as above.
    fn frame(&self, given: &Given) -> Result<Frame, Problem> {
        given.frame()
    }

    /// Longitude and latitude to x and y.
    fn forward(&self, lambda: f64, phi: f64) -> (f64, f64);

    /// x and y to longitude and latitude.
    fn inverse(&self, x: f64, y: f64) -> (f64, f64);
}

/// Which directions of a method run in the processor's widest vectors.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct InVectors {
    /// Longitude and latitude to x and y.
    pub forward: bool,
    /// x and y to longitude and latitude.
    pub inverse: bool,
}

/// Central meridian and false origin.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Frame {
    /// Longitude where x is zero, degrees.
    pub central_meridian_deg: f64,
    /// Added to x, metres.
    pub false_easting_m: f64,
    /// Added to y, metres.
    pub false_northing_m: f64,
}

/// A method with its central meridian and false origin: degrees to metres and back.
#[derive(Debug, Clone, PartialEq)]
pub struct Framed<M> {
    method: M,
    frame: Frame,
}

impl<M: Method> Framed<M> {
    /// Puts a method on its place.
    pub fn new(method: M, central_meridian_deg: f64, false_easting_m: f64, false_northing_m: f64) -> Self {
        Framed { method, frame: Frame { central_meridian_deg, false_easting_m, false_northing_m } }
    }

    /// Longitude and latitude (degrees) to easting and northing (metres); `None` outside the domain.
    pub fn forward(&self, lon_deg: f64, lat_deg: f64) -> Option<(f64, f64)> {
        let (x, y) = self.forward_or_nan(lon_deg, lat_deg);
        (!x.is_nan()).then_some((x, y))
    }

    /// Easting and northing (metres) to longitude and latitude (degrees); `None` outside the domain.
    pub fn inverse(&self, easting_m: f64, northing_m: f64) -> Option<(f64, f64)> {
        let (lon, lat) = self.inverse_or_nan(easting_m, northing_m);
        (!lon.is_nan()).then_some((lon, lat))
    }

    fn forward_batch(&self, x: &mut [f64], y: &mut [f64]) {
        let work = Forward { projection: self, x, y };
        if M::IN_VECTORS.forward { widest(work) } else { work.run() }
    }

    fn inverse_batch(&self, x: &mut [f64], y: &mut [f64]) {
        let work = Inverse { projection: self, x, y };
        if M::IN_VECTORS.inverse { widest(work) } else { work.run() }
    }

    #[inline(always)]
    fn forward_or_nan(&self, lon_deg: f64, lat_deg: f64) -> (f64, f64) {
        let lambda = wrap_deg(lon_deg - self.frame.central_meridian_deg).to_radians();
        let (x, y) = self.method.forward(lambda, lat_deg.to_radians());
        // Written so that a NaN fails too.
        let inside = (lat_deg.abs() <= 90.0) & x.is_finite() & y.is_finite();
        let (e, n) = (self.frame.false_easting_m + x, self.frame.false_northing_m + y);
        (if inside { e } else { f64::NAN }, if inside { n } else { f64::NAN })
    }

    #[inline(always)]
    fn inverse_or_nan(&self, easting_m: f64, northing_m: f64) -> (f64, f64) {
        let (lambda, phi) =
            self.method.inverse(easting_m - self.frame.false_easting_m, northing_m - self.frame.false_northing_m);
        let lon = wrap_deg(self.frame.central_meridian_deg + lambda.to_degrees());
        let inside = lon.is_finite() & phi.is_finite();
        (if inside { lon } else { f64::NAN }, if inside { phi.to_degrees() } else { f64::NAN })
    }
}

/// Brings a longitude or a difference of longitudes into −180…180 degrees. What is there already is not touched.
#[inline(always)]
pub(crate) fn wrap_deg(deg: f64) -> f64 {
    deg - 360.0 * basilocus_arithmetic::trigonometry::nearest(deg * (1.0 / 360.0))
}

/// A longitude that inverse formulas found: NaN beyond half a turn, where the plane shows nothing or shows it twice.
#[inline(always)]
fn within_half_turn(lambda: f64) -> f64 {
    if lambda.abs() <= std::f64::consts::PI + 1e-11 { lambda } else { f64::NAN }
}

// A type for each direction: a function that one type is given is called, not inlined, which costs five times the time.
/// Degrees to metres, in place over two columns.
struct Forward<'a, M> {
    projection: &'a Framed<M>,
    x: &'a mut [f64],
    y: &'a mut [f64],
}

impl<M: Method> Loop for Forward<'_, M> {
    #[inline(always)]
    fn run(self) {
        for (x, y) in self.x.iter_mut().zip(self.y.iter_mut()) {
            (*x, *y) = self.projection.forward_or_nan(*x, *y);
        }
    }
}

/// Metres to degrees, in place over two columns.
struct Inverse<'a, M> {
    projection: &'a Framed<M>,
    x: &'a mut [f64],
    y: &'a mut [f64],
}

impl<M: Method> Loop for Inverse<'_, M> {
    #[inline(always)]
    fn run(self) {
        for (x, y) in self.x.iter_mut().zip(self.y.iter_mut()) {
            (*x, *y) = self.projection.inverse_or_nan(*x, *y);
        }
    }
}

/// The letters and digits of a name in lower case: `Lambert_Conformal_Conic_2SP` and `Lambert conformal conic (2SP)`
/// are one.
pub(crate) fn plain(name: &str) -> String {
    name.chars().filter(|c| c.is_alphanumeric()).flat_map(char::to_lowercase).collect()
}

/// Whether two names are one by their letters and digits, as [`plain`] has it, without making texts.
pub(crate) fn is_same_name(a: &str, b: &str) -> bool {
    // Names of methods and parameters are ASCII; other letters are compared as they stand.
    let plain = |c: &u8| c.is_ascii_alphanumeric() || !c.is_ascii();
    a.bytes().filter(plain).map(|c| c.to_ascii_lowercase()).eq(b.bytes().filter(plain).map(|c| c.to_ascii_lowercase()))
}

macro_rules! methods {
    ($($module:ident :: $name:ident),* $(,)?) => {
        $(pub mod $module;)*
        $(pub use $module::$name;)*

        /// A projection that is ready to compute.
        ///
        /// Longitudes are degrees from the prime meridian of the system, latitudes degrees, eastings and northings
        /// metres (false easting and northing included).
        // One is made for a system, not for a position: its size costs nothing.
        #[allow(clippy::large_enum_variant)]
        #[derive(Debug, Clone, PartialEq)]
        #[non_exhaustive]
        pub enum Projection {
            $(#[doc = concat!("See [`", stringify!($name), "`].")] $name(Framed<$name>),)*
        }

        /// Every method, in the order of the files.
        pub static METHODS: &[About] = &[$($name::ABOUT),*];

        impl Projection {
            fn build(method: &str, given: &Given) -> Option<Result<Self, Problem>> {
                $(if $name::ABOUT.names.iter().any(|n| is_same_name(n, method)) {
                    return Some($name::from_given(given).and_then(|method| {
                        let frame = method.frame(given)?;
                        Ok(Projection::$name(Framed { method, frame }))
                    }));
                })*
                None
            }

            /// Names, domain and source of the method.
            pub fn about(&self) -> About {
                match self {
                    $(Projection::$name(_) => $name::ABOUT,)*
                }
            }

            /// Longitude and latitude (degrees) to easting and northing (metres), in place over two columns.
            ///
            /// A position outside the projection's domain becomes NaN in both columns.
            pub fn forward_batch(&self, x: &mut [f64], y: &mut [f64]) {
                match self {
                    $(Projection::$name(p) => p.forward_batch(x, y),)*
                }
            }

            /// Easting and northing (metres) to longitude and latitude (degrees), in place over two columns.
            ///
            /// A position outside the projection's domain becomes NaN in both columns.
            pub fn inverse_batch(&self, x: &mut [f64], y: &mut [f64]) {
                match self {
                    $(Projection::$name(p) => p.inverse_batch(x, y),)*
                }
            }
        }
    };
}

impl Projection {
    /// Builds a projection from a method name and parameters, under the names of the registry or of either form of
    /// well-known text.
    ///
    /// `crs` names the system in errors; `unit_m` is the number of metres in the unit of the false easting and
    /// northing.
    ///
    /// # Errors
    /// [`Error::MethodNotImplemented`] for a method that is not in [`METHODS`], [`Error::Parameter`] where a
    /// parameter is missing or not usable.
    pub fn from_parameters(
        crs: &str,
        method: &str,
        parameters: &Parameters,
        ellipsoid: &Ellipsoid,
        unit_m: f64,
    ) -> Result<Self, Error> {
        let given = Given::new(method, parameters, ellipsoid, unit_m);
        match Self::build(method, &given) {
            Some(built) => {
                built.map_err(|p| Error::Parameter { crs: crs.to_string(), parameter: p.parameter, problem: p.problem })
            }
            None => Err(Error::MethodNotImplemented { crs: crs.to_string(), method: method.replace('_', " ") }),
        }
    }

    /// Whether a method of this name is implemented.
    pub fn is_implemented(method: &str) -> bool {
        METHODS.iter().any(|a| a.names.iter().any(|n| is_same_name(n, method)))
    }

    /// One position (degrees) to easting and northing (metres); `None` outside the domain.
    pub fn forward(&self, lon_deg: f64, lat_deg: f64) -> Option<(f64, f64)> {
        let (mut x, mut y) = ([lon_deg], [lat_deg]);
        self.forward_batch(&mut x, &mut y);
        (!x[0].is_nan()).then_some((x[0], y[0]))
    }

    /// One easting and northing (metres) to longitude and latitude (degrees); `None` outside the domain.
    pub fn inverse(&self, easting_m: f64, northing_m: f64) -> Option<(f64, f64)> {
        let (mut x, mut y) = ([easting_m], [northing_m]);
        self.inverse_batch(&mut x, &mut y);
        (!x[0].is_nan()).then_some((x[0], y[0]))
    }
}

methods! {
    transverse_mercator::TransverseMercator,
    transverse_mercator_south_orientated::TransverseMercatorSouthOrientated,
    transverse_mercator_zoned::TransverseMercatorZoned,
    lambert_conformal_conic::LambertConformalConic,
    lambert_conic_near_conformal::LambertConicNearConformal,
    mercator::Mercator,
    pseudo_mercator::PseudoMercator,
    albers_equal_area::AlbersEqualArea,
    lambert_azimuthal_equal_area::LambertAzimuthalEqualArea,
    polar_stereographic::PolarStereographic,
    oblique_stereographic::ObliqueStereographic,
    oblique_mercator::ObliqueMercator,
    laborde::Laborde,
    cassini_soldner::CassiniSoldner,
    american_polyconic::AmericanPolyconic,
    krovak::Krovak,
    new_zealand_map_grid::NewZealandMapGrid,
    tunisian_mining_grid::TunisianMiningGrid,
    cylindrical_equal_area::CylindricalEqualArea,
    equidistant_cylindrical::EquidistantCylindrical,
    equidistant_conic::EquidistantConic,
    azimuthal_equidistant::AzimuthalEquidistant,
    guam::Guam,
    bonne::Bonne,
    sinusoidal::Sinusoidal,
    orthographic::Orthographic,
    gnomonic::Gnomonic,
    equal_earth::EqualEarth,
    natural_earth::NaturalEarth,
    robinson::Robinson,
    mollweide::Mollweide,
    eckert_iv::EckertIv,
    eckert_vi::EckertVi,
    winkel_tripel::WinkelTripel,
    van_der_grinten::VanDerGrinten,
    hammer::Hammer,
    aitoff::Aitoff,
    gall_stereographic::GallStereographic,
    miller_cylindrical::MillerCylindrical,
    two_point_equidistant::TwoPointEquidistant,
    goode_homolosine::GoodeHomolosine,
}
