//! Synthetic grid files: the values are made up, the form is that of the agencies' files.

/// Shift of longitude (east) and latitude in seconds, and accuracy in metres, at a position in degrees.
pub type ShiftAt<'a> = &'a dyn Fn(f64, f64) -> [f64; 3];

/// A rectangle of nodes of an NTv2 file, limits and steps in degrees, longitudes positive to the east.
pub struct Rectangle<'a> {
    pub name: &'a str,
    pub parent: &'a str,
    /// West, south, east, north.
    pub limits: [f64; 4],
    pub step: f64,
    pub shift: ShiftAt<'a>,
}

struct File {
    bytes: Vec<u8>,
    big: bool,
}

impl File {
    fn text(&mut self, label: &str, value: &str) {
        self.bytes.extend(format!("{label:<8}{value:<8}").into_bytes());
    }

    fn integer(&mut self, label: &str, v: i32) {
        self.bytes.extend(format!("{label:<8}").into_bytes());
        self.bytes.extend(if self.big { v.to_be_bytes() } else { v.to_le_bytes() });
        self.bytes.extend([0; 4]);
    }

    fn double(&mut self, label: &str, v: f64) {
        self.bytes.extend(format!("{label:<8}").into_bytes());
        self.bytes.extend(if self.big { v.to_be_bytes() } else { v.to_le_bytes() });
    }

    fn single(&mut self, v: f64) {
        let v = v as f32;
        self.bytes.extend(if self.big { v.to_be_bytes() } else { v.to_le_bytes() });
    }
}

/// The bytes of an NTv2 file.
pub fn ntv2(rectangles: &[Rectangle], big: bool) -> Vec<u8> {
    let mut f = File { bytes: Vec::new(), big };
    f.integer("NUM_OREC", 11);
    f.integer("NUM_SREC", 11);
    f.integer("NUM_FILE", rectangles.len() as i32);
    f.text("GS_TYPE", "SECONDS");
    f.text("VERSION", "NTv2.0");
    f.text("SYSTEM_F", "OLD");
    f.text("SYSTEM_T", "NEW");
    for label in ["MAJOR_F", "MINOR_F", "MAJOR_T", "MINOR_T"] {
        f.double(label, 6_378_137.0);
    }
    for r in rectangles {
        let [west, south, east, north] = r.limits;
        let (columns, rows) =
            (((east - west) / r.step).round() as i32 + 1, ((north - south) / r.step).round() as i32 + 1);
        f.text("SUB_NAME", r.name);
        f.text("PARENT", r.parent);
        f.text("CREATED", "20260101");
        f.text("UPDATED", "20260101");
        f.double("S_LAT", south * 3600.0);
        f.double("N_LAT", north * 3600.0);
        f.double("E_LONG", -east * 3600.0);
        f.double("W_LONG", -west * 3600.0);
        f.double("LAT_INC", r.step * 3600.0);
        f.double("LONG_INC", r.step * 3600.0);
        f.integer("GS_COUNT", columns * rows);
        for row in 0..rows {
            for column in 0..columns {
                let (lon, lat) = (east - f64::from(column) * r.step, south + f64::from(row) * r.step);
                let [d_lon, d_lat, accuracy] = (r.shift)(lon, lat);
                for v in [d_lat, -d_lon, accuracy, accuracy] {
                    f.single(v);
                }
            }
        }
    }
    f.text("END", "");
    f.bytes
}

/// The bytes of a GTX file; limits and step in degrees, heights in metres.
pub fn gtx(limits: [f64; 4], step: f64, height: &dyn Fn(f64, f64) -> f64) -> Vec<u8> {
    let [west, south, east, north] = limits;
    let (columns, rows) = (((east - west) / step).round() as i32 + 1, ((north - south) / step).round() as i32 + 1);
    let mut out = Vec::new();
    for v in [south, west, step, step] {
        out.extend(v.to_be_bytes());
    }
    out.extend(rows.to_be_bytes());
    out.extend(columns.to_be_bytes());
    for row in 0..rows {
        for column in 0..columns {
            let h = height(west + f64::from(column) * step, south + f64::from(row) * step) as f32;
            out.extend(h.to_be_bytes());
        }
    }
    out
}
