//! What the fuzz targets do with bytes. The corpus test runs the same functions.

use basilocus_geodesy::crs::{recognise, wkt};
use basilocus_geodesy::datum::{GeoidGrid, GridShift};
use basilocus_geodesy::notation::{self, AxisOrder};

/// A text as a position, an angle, a number, an easting and northing.
pub fn notation(data: &[u8]) {
    let text = String::from_utf8_lossy(data);
    for order in [AxisOrder::Reject, AxisOrder::LatitudeFirst, AxisOrder::LongitudeFirst] {
        match notation::read(&text, order) {
            Ok(r) => {
                assert!(r.lat_deg.abs() <= 90.0 && r.lon_deg.abs() <= 360.0, "{text}: {r:?}");
                let _ = r.words();
                for n in notation::NOTATIONS {
                    let _ = notation::print(r.lon_deg, r.lat_deg, *n, n.usual_digits());
                }
            }
            Err(e) => assert!(!e.to_string().is_empty()),
        }
    }
    for is_latitude in [true, false] {
        if let Ok(a) = notation::read_angle(&text, is_latitude) {
            assert!(a.degrees.is_finite());
        }
    }
    if let Ok(v) = notation::read_number(&text) {
        assert!(v.is_finite());
    }
    let _ = notation::easting_northing::read(&text, 0.3048);
    let _ = notation::order_evidence(&text);
}

/// A text as a definition, read, recognised and written again.
pub fn wkt(data: &[u8]) {
    let text = String::from_utf8_lossy(data);
    if let Ok(definition) = wkt::read(&text) {
        let found = recognise(&definition);
        let _ = (found.crs.title(), found.crs.unit_words());
        if let Ok(again) = wkt::wkt2(&definition.crs) {
            let _ = wkt::read(&again);
            let _ = wkt::indented(&again);
        }
        let _ = wkt::wkt1(&definition.crs);
        let _ = definition.crs.projection();
    }
}

/// Bytes as an NTv2 file; what it takes is bounded by what it was given.
pub fn grid_shift(data: &[u8]) {
    if let Ok(grid) = GridShift::parse(data) {
        let [w, s, e, n] = grid.extent_deg();
        for (lon, lat) in [(w, s), (e, n), ((w + e) / 2.0, (s + n) / 2.0), (0.0, 0.0), (f64::NAN, 1.0)] {
            let _ = grid.at(lon, lat);
            let (mut x, mut y) = ([lon], [lat]);
            grid.inverse_batch(&mut x, &mut y);
        }
    }
}

/// Bytes as a GTX file.
pub fn geoid(data: &[u8]) {
    if let Ok(grid) = GeoidGrid::parse(data) {
        for (lon, lat) in [(0.0, 0.0), (-123.8, 46.2), (359.9, -89.9), (f64::INFINITY, 0.0)] {
            let _ = grid.at(lon, lat);
        }
    }
}
