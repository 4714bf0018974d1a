//! Helmert transformations between geocentric coordinates, three and seven parameters.
//!
//! EPSG methods 1031 (geocentric translations), 1033 (position vector) and 1032 (coordinate frame), in the
//! small-angle form that the agencies' parameters are made for. The two conventions differ in the sign of the
//! rotations; a [`Helmert`] remembers which one its numbers were published in.

/// Which way round the published rotations are to be read.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum RotationConvention {
    /// Rotations turn the position vector (EPSG 1033).
    PositionVector,
    /// Rotations turn the coordinate frame (EPSG 1032): opposite signs.
    CoordinateFrame,
}

/// A similarity transformation of geocentric coordinates.
#[derive(Debug, Clone, PartialEq)]
pub struct Helmert {
    /// Translations along X, Y, Z, metres.
    pub translation_m: [f64; 3],
    /// Rotations about X, Y, Z, arc-seconds, as published.
    pub rotation_arcsec: [f64; 3],
    /// Scale difference, parts per million.
    pub scale_ppm: f64,
    /// How `rotation_arcsec` is to be read.
    pub convention: RotationConvention,
}

impl Helmert {
    /// Three parameters.
    pub fn translation(x_m: f64, y_m: f64, z_m: f64) -> Self {
        Helmert {
            translation_m: [x_m, y_m, z_m],
            rotation_arcsec: [0.0; 3],
            scale_ppm: 0.0,
            convention: RotationConvention::PositionVector,
        }
    }

    /// Whether all parameters are zero.
    pub fn is_null(&self) -> bool {
        self.translation_m == [0.0; 3] && self.rotation_arcsec == [0.0; 3] && self.scale_ppm == 0.0
    }

    /// Whether rotations and scale are zero.
    pub fn is_translation(&self) -> bool {
        self.rotation_arcsec == [0.0; 3] && self.scale_ppm == 0.0
    }

    /// The rotations as the position-vector convention has them, arc-seconds.
    pub fn position_vector_arcsec(&self) -> [f64; 3] {
        match self.convention {
            RotationConvention::PositionVector => self.rotation_arcsec,
            RotationConvention::CoordinateFrame => self.rotation_arcsec.map(|r| -r),
        }
    }

    /// The rotation and scale matrix of the forward direction, rows first.
    fn matrix(&self) -> [[f64; 3]; 3] {
        let sign = match self.convention {
            RotationConvention::PositionVector => 1.0,
            RotationConvention::CoordinateFrame => -1.0,
        };
        let [rx, ry, rz] = self.rotation_arcsec.map(|r| sign * (r / 3600.0).to_radians());
        let m = 1.0 + self.scale_ppm * 1e-6;
        [[m, -m * rz, m * ry], [m * rz, m, -m * rx], [-m * ry, m * rx, m]]
    }

    /// Source to target, in place over columns of metres.
    pub fn forward_batch(&self, x: &mut [f64], y: &mut [f64], z: &mut [f64]) {
        let [tx, ty, tz] = self.translation_m;
        let [r0, r1, r2] = self.matrix();
        for ((x, y), z) in x.iter_mut().zip(y.iter_mut()).zip(z.iter_mut()) {
            let (a, b, c) = (*x, *y, *z);
            *x = tx + r0[0] * a + r0[1] * b + r0[2] * c;
            *y = ty + r1[0] * a + r1[1] * b + r1[2] * c;
            *z = tz + r2[0] * a + r2[1] * b + r2[2] * c;
        }
    }

    /// Target to source: the exact inverse of the matrix, so that a round trip closes.
    pub fn inverse_batch(&self, x: &mut [f64], y: &mut [f64], z: &mut [f64]) {
        let [tx, ty, tz] = self.translation_m;
        let [r0, r1, r2] = invert(self.matrix());
        for ((x, y), z) in x.iter_mut().zip(y.iter_mut()).zip(z.iter_mut()) {
            let (a, b, c) = (*x - tx, *y - ty, *z - tz);
            *x = r0[0] * a + r0[1] * b + r0[2] * c;
            *y = r1[0] * a + r1[1] * b + r1[2] * c;
            *z = r2[0] * a + r2[1] * b + r2[2] * c;
        }
    }
}

/// Inverse of a matrix that is close to the identity (its determinant is never near zero).
fn invert(m: [[f64; 3]; 3]) -> [[f64; 3]; 3] {
    let cofactor = |r: usize, c: usize| {
        let (r1, r2, c1, c2) = ((r + 1) % 3, (r + 2) % 3, (c + 1) % 3, (c + 2) % 3);
        m[r1][c1] * m[r2][c2] - m[r1][c2] * m[r2][c1]
    };
    let determinant = m[0][0] * cofactor(0, 0) + m[0][1] * cofactor(0, 1) + m[0][2] * cofactor(0, 2);
    std::array::from_fn(|r| std::array::from_fn(|c| cofactor(c, r) / determinant))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn apply(h: &Helmert, p: [f64; 3]) -> [f64; 3] {
        let (mut x, mut y, mut z) = ([p[0]], [p[1]], [p[2]]);
        h.forward_batch(&mut x, &mut y, &mut z);
        [x[0], y[0], z[0]]
    }

    #[track_caller]
    fn close(a: [f64; 3], b: [f64; 3], tolerance: f64) {
        for i in 0..3 {
            assert!((a[i] - b[i]).abs() <= tolerance, "{a:?} {b:?}");
        }
    }

    #[test]
    fn gda94_to_gda2020_as_published() {
        // ICSM, GDA2020 Technical Manual: station ALIC, coordinate frame convention.
        let h = Helmert {
            translation_m: [0.06155, -0.01087, -0.04019],
            rotation_arcsec: [-0.039_492_4, -0.032_722_1, -0.032_897_9],
            scale_ppm: -0.009_994,
            convention: RotationConvention::CoordinateFrame,
        };
        close(
            apply(&h, [-4_052_051.764_3, 4_212_836.201_7, -2_545_106.024_5]),
            [-4_052_052.737_9, 4_212_835.989_7, -2_545_104.589_8],
            1e-4,
        );
    }

    #[test]
    fn wgs72_to_wgs84_both_conventions() {
        // IOGP Guidance Note 373-7-2, sections 4.3.3.1 and 4.3.3.2: the same transformation written in the
        // two conventions, X 3657660.66, Y 255768.55, Z 5201382.11 to 3657660.78, 255778.43, 5201387.75.
        for (sign, convention) in
            [(1.0, RotationConvention::PositionVector), (-1.0, RotationConvention::CoordinateFrame)]
        {
            let h = Helmert {
                translation_m: [0.0, 0.0, 4.5],
                rotation_arcsec: [0.0, 0.0, sign * 0.554],
                scale_ppm: 0.219,
                convention,
            };
            close(apply(&h, [3_657_660.66, 255_768.55, 5_201_382.11]), [3_657_660.78, 255_778.43, 5_201_387.75], 6e-3);
        }
    }

    #[test]
    fn inverse_closes() {
        let h = Helmert {
            translation_m: [446.448, -125.157, 542.06],
            rotation_arcsec: [0.15, 0.247, 0.842],
            scale_ppm: -20.489,
            convention: RotationConvention::PositionVector,
        };
        let start = [3_874_938.85, 116_218.624, 5_047_168.208];
        let [mut x, mut y, mut z] = apply(&h, start).map(|v| [v]);
        h.inverse_batch(&mut x, &mut y, &mut z);
        close([x[0], y[0], z[0]], start, 2e-9);
    }
}
