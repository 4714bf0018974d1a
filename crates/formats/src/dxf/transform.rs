//! Affine maps of space: from the plane of an entity to the drawing, and from a block to where it is inserted.

use basilocus_table::Position;

/// Rows of a matrix, each with its shift last.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct Transform([[f64; 4]; 3]);

impl Transform {
    pub const NONE: Transform = Transform([[1.0, 0.0, 0.0, 0.0], [0.0, 1.0, 0.0, 0.0], [0.0, 0.0, 1.0, 0.0]]);

    pub fn shift(x: f64, y: f64, z: f64) -> Self {
        Transform([[1.0, 0.0, 0.0, x], [0.0, 1.0, 0.0, y], [0.0, 0.0, 1.0, z]])
    }

    pub fn scale(x: f64, y: f64, z: f64) -> Self {
        Transform([[x, 0.0, 0.0, 0.0], [0.0, y, 0.0, 0.0], [0.0, 0.0, z, 0.0]])
    }

    /// A turn about the axis of z, against the clock.
    pub fn turn(deg: f64) -> Self {
        let (sin, cos) = deg.to_radians().sin_cos();
        Transform([[cos, -sin, 0.0, 0.0], [sin, cos, 0.0, 0.0], [0.0, 0.0, 1.0, 0.0]])
    }

    /// From the plane of an entity with this normal to the drawing: the reference's rule of the arbitrary axis.
    pub fn of_normal(n: [f64; 3]) -> Self {
        let length = (n[0] * n[0] + n[1] * n[1] + n[2] * n[2]).sqrt();
        if n == [0.0, 0.0, 1.0] || !(length > 0.0) || !length.is_finite() {
            return Self::NONE;
        }
        let n = n.map(|v| v / length);
        let cross = |a: [f64; 3], b: [f64; 3]| {
            let c = [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]];
            let l = (c[0] * c[0] + c[1] * c[1] + c[2] * c[2]).sqrt();
            c.map(|v| v / l)
        };
        let near_z = n[0].abs() < 1.0 / 64.0 && n[1].abs() < 1.0 / 64.0;
        let x = cross(if near_z { [0.0, 1.0, 0.0] } else { [0.0, 0.0, 1.0] }, n);
        let y = cross(n, x);
        Transform([[x[0], y[0], n[0], 0.0], [x[1], y[1], n[1], 0.0], [x[2], y[2], n[2], 0.0]])
    }

    /// This one after another.
    pub fn after(self, first: Transform) -> Self {
        let mut out = [[0.0; 4]; 3];
        for (row, a) in out.iter_mut().zip(self.0) {
            for (column, v) in row.iter_mut().enumerate() {
                *v = a[0] * first.0[0][column] + a[1] * first.0[1][column] + a[2] * first.0[2][column];
            }
            row[3] += a[3];
        }
        Transform(out)
    }

    pub fn apply(&self, p: &mut Position) {
        let at = |row: [f64; 4]| row[0] * p.x + row[1] * p.y + row[2] * p.z + row[3];
        (p.x, p.y, p.z) = (at(self.0[0]), at(self.0[1]), at(self.0[2]));
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn maps_one_after_another() {
        let t = Transform::shift(10.0, 20.0, 5.0)
            .after(Transform::turn(90.0))
            .after(Transform::scale(2.0, 1.0, 1.0))
            .after(Transform::shift(-1.0, 0.0, 0.0));
        let mut p = Position::xyz(3.0, 1.0, 0.0);
        t.apply(&mut p);
        // (3-1)*2 = 4 along x becomes 4 along y; 1 along y becomes -1 along x.
        assert!((p.x - 9.0).abs() < 1e-12 && (p.y - 24.0).abs() < 1e-12 && p.z == 5.0, "{p:?}");
    }

    #[test]
    fn a_normal_downwards_mirrors() {
        let mut p = Position::xyz(3.0, 1.0, 0.0);
        Transform::of_normal([0.0, 0.0, -1.0]).apply(&mut p);
        assert_eq!((p.x, p.y), (-3.0, 1.0));
        let mut p = Position::xyz(1.0, 0.0, 0.0);
        Transform::of_normal([1.0, 0.0, 0.0]).apply(&mut p);
        assert_eq!((p.x, p.y, p.z), (0.0, 1.0, 0.0), "in a wall that faces east, x runs north");
    }
}
