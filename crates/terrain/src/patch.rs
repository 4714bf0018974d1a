//! Integrals over a cell: how much of a bilinear surface lies above zero, over the whole cell or over a part of it that
//! straight edges cut out.
//!
//! Along a row of a cell the surface is straight, so that the inner integral has a closed form; the outer one runs over
//! pieces on which that form is smooth. On a piece where the surface changes its sign along rows the form is a square over
//! a straight line: it is integrated by sixteen nodes of Gauss and Legendre, and by those of halves where these say something
//! else, as they do where that line comes near zero.

/// What lies above zero: volume and area, in units of the cell (its area is 1).
#[derive(Debug, Clone, Copy, Default, PartialEq)]
pub(crate) struct Above {
    pub volume: f64,
    pub area: f64,
}

impl Above {
    pub(crate) fn add(&mut self, other: Above, times: f64) {
        self.volume += other.volume * times;
        self.area += other.area * times;
    }
}

/// A surface over a cell, or over the half of it that lies at its corner (0,0).
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Patch {
    /// The heights above the level that is asked for, at the corners (0,0), (1,0), (0,1), (1,1).
    corners: [f64; 4],
    /// Whether the surface ends at the diagonal from (1,0) to (0,1).
    is_half: bool,
}

/// Half of the nodes and weights of Gauss and Legendre of order 16 on −1 to 1 (Abramowitz and Stegun, table 25.4).
const NODES: [(f64, f64); 8] = [
    (0.095_012_509_837_637_44, 0.189_450_610_455_068_5),
    (0.281_603_550_779_258_9, 0.182_603_415_044_923_6),
    (0.458_016_777_657_227_4, 0.169_156_519_395_002_54),
    (0.617_876_244_402_643_7, 0.149_595_988_816_576_73),
    (0.755_404_408_355_003, 0.124_628_971_255_533_87),
    (0.865_631_202_387_831_7, 0.095_158_511_682_492_78),
    (0.944_575_023_073_232_6, 0.062_253_523_938_647_89),
    (0.989_400_934_991_649_9, 0.027_152_459_411_754_095),
];

/// How often a piece is halved at most.
const HALVINGS: u32 = 30;

impl Patch {
    /// The surface that is straight along rows and columns.
    pub(crate) fn whole(corners: [f64; 4]) -> Self {
        Patch { corners, is_half: false }
    }

    /// The plane through the heights at (0,0), (1,0) and (0,1), between them.
    pub(crate) fn half([corner, along_x, along_y]: [f64; 3]) -> Self {
        Patch { corners: [corner, along_x, along_y, along_x + along_y - corner], is_half: true }
    }

    /// What lies above zero.
    pub(crate) fn above(&self) -> Above {
        let known = &self.corners[..if self.is_half { 3 } else { 4 }];
        let size = if self.is_half { 0.5 } else { 1.0 };
        if known.iter().all(|z| *z <= 0.0) {
            return Above::default();
        }
        if known.iter().all(|z| *z >= 0.0) {
            return Above { volume: size * known.iter().sum::<f64>() / known.len() as f64, area: size };
        }
        self.left_of_edge([1.0, 0.0], [1.0, 1.0])
    }

    /// Where the surface ends on a row.
    fn right(&self, y: f64) -> f64 {
        if self.is_half { 1.0 - y } else { 1.0 }
    }

    /// What lies above zero between the side x = 0 of the cell and an edge; less than nothing for an edge that runs towards
    /// smaller y. Summed over the edges of a ring that runs counter-clockwise (with x to the right and y up) it is what
    /// lies above zero inside. Where the edge is outside of the cell it leaves nothing of a row, or all of it.
    pub(crate) fn left_of_edge(&self, from: [f64; 2], to: [f64; 2]) -> Above {
        let mut sum = Above::default();
        let (y0, y1) = (from[1], to[1]);
        if y0 == y1 {
            return sum;
        }
        let (sign, [low, high]) = if y0 < y1 { (1.0, [from, to]) } else { (-1.0, [to, from]) };
        let slope = (high[0] - low[0]) / (high[1] - low[1]);
        let x = |y: f64| low[0] + (y - low[1]) * slope;
        let (bottom, top) = (low[1].max(0.0), high[1].min(1.0));
        if !(bottom < top) {
            return sum;
        }
        // Where the edge enters and leaves the cell, where the surface is zero on the side x = 0, and where it is zero on
        // the edge: between them the inner integral is smooth.
        let mut cuts = Cuts::between(bottom, top);
        if slope != 0.0 {
            cuts.add(low[1] - low[0] / slope);
        }
        // The edge meets the end of the surface, which is x = 1 or x = 1 − y.
        let ends_at = if self.is_half {
            (1.0 - low[0] + low[1] * slope) / (1.0 + slope)
        } else {
            low[1] + (1.0 - low[0]) / slope
        };
        cuts.add(ends_at);
        let [a, b, c, d] = self.corners;
        let far = if self.is_half { c } else { d };
        cuts.add(a / (a - c));
        cuts.add(b / (b - far));
        // On the edge: height a + (b−a)x + (c−a)y + (a−b−c+d)xy with x = p + qy.
        let (bx, cy, dxy, p, q) = (b - a, c - a, a - b - c + d, low[0] - low[1] * slope, slope);
        cuts.add_roots(dxy * q, bx * q + cy + dxy * p, a + bx * p);
        for [from, to] in cuts.pieces() {
            let middle = (from + to) / 2.0;
            if x(middle) <= 0.0 {
                continue;
            }
            let is_beyond = x(middle) >= self.right(middle);
            let width = |y: f64| if is_beyond { self.right(y) } else { x(y).clamp(0.0, self.right(y)) };
            sum.add(self.piece(from, to, &width), sign);
        }
        sum
    }

    /// The heights at x = 0 and x = `width` of a row.
    fn ends(&self, y: f64, width: f64) -> [f64; 2] {
        let [a, b, c, d] = self.corners;
        let (left, right) = (a + (c - a) * y, b + (d - b) * y);
        [left, left + (right - left) * width]
    }

    /// What lies above zero along a row.
    fn row(&self, y: f64, width: f64) -> Above {
        let [left, right] = self.ends(y, width);
        match (left > 0.0, right > 0.0) {
            (true, true) => Above { volume: width * (left + right) / 2.0, area: width },
            (false, false) => Above::default(),
            _ => {
                let (high, low) = (left.max(right), left.min(right));
                let area = width * (high / (high - low));
                Above { volume: area * high / 2.0, area }
            }
        }
    }

    /// The integral over rows on which neither end changes its sign.
    fn piece(&self, from: f64, to: f64, width: &impl Fn(f64) -> f64) -> Above {
        let ends = |y: f64| self.ends(y, width(y));
        let [left, right] = ends((from + to) / 2.0);
        let mut sum = Above::default();
        if left <= 0.0 && right <= 0.0 {
            return sum;
        }
        if left > 0.0 && right > 0.0 {
            // At most of the third power in y: a few nodes are exact.
            self.nodes(from, to, width, &mut sum);
            return sum;
        }
        // The square over the difference of both ends.
        let scale = self.corners.iter().fold(0.0f64, |a, z| a.max(z.abs()));
        self.halved(from, to, width, scale, HALVINGS, &mut sum);
        sum
    }

    /// The integral by the nodes, of halves as long as these differ from the whole.
    fn halved(&self, from: f64, to: f64, width: &impl Fn(f64) -> f64, scale: f64, depth: u32, sum: &mut Above) {
        let middle = (from + to) / 2.0;
        let (mut whole, mut halves) = (Above::default(), Above::default());
        self.nodes(from, to, width, &mut whole);
        self.nodes(from, middle, width, &mut halves);
        self.nodes(middle, to, width, &mut halves);
        let differ = (whole.volume - halves.volume).abs() > 1e-15 * scale || (whole.area - halves.area).abs() > 1e-13;
        if differ && depth > 0 {
            self.halved(from, middle, width, scale, depth - 1, sum);
            self.halved(middle, to, width, scale, depth - 1, sum);
        } else {
            sum.add(halves, 1.0);
        }
    }

    fn nodes(&self, from: f64, to: f64, width: &impl Fn(f64) -> f64, sum: &mut Above) {
        let (middle, half) = ((from + to) / 2.0, (to - from) / 2.0);
        for (node, weight) in NODES {
            for y in [middle - half * node, middle + half * node] {
                sum.add(self.row(y, width(y)), weight * half);
            }
        }
    }
}

/// Where an interval is cut; at most seven places inside.
struct Cuts {
    at: [f64; 9],
    count: usize,
    ends: [f64; 2],
}

impl Cuts {
    fn between(from: f64, to: f64) -> Self {
        Cuts { at: [0.0; 9], count: 0, ends: [from, to] }
    }

    fn add(&mut self, y: f64) {
        if y > self.ends[0] && y < self.ends[1] {
            self.at[self.count] = y;
            self.count += 1;
        }
    }

    /// The roots of a y² + b y + c, without loss of digits.
    fn add_roots(&mut self, a: f64, b: f64, c: f64) {
        let d = b * b - 4.0 * a * c;
        if d < 0.0 {
            return;
        }
        let q = -0.5 * (b + d.sqrt().copysign(b));
        self.add(q / a);
        self.add(c / q);
    }

    fn pieces(mut self) -> impl Iterator<Item = [f64; 2]> {
        let inner = &mut self.at[..self.count];
        inner.sort_unstable_by(f64::total_cmp);
        let (at, count, [from, to]) = (self.at, self.count, self.ends);
        let end = move |i: usize| {
            if i == 0 {
                from
            } else if i > count {
                to
            } else {
                at[i - 1]
            }
        };
        (0..=count).map(move |i| [end(i), end(i + 1)]).filter(|[a, b]| a < b)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// By very many small columns: an independent, slow way.
    fn by_columns(patch: &Patch, n: usize) -> Above {
        let mut sum = Above::default();
        for j in 0..n {
            for i in 0..n {
                let (x, y) = ((i as f64 + 0.5) / n as f64, (j as f64 + 0.5) / n as f64);
                let [a, b, c, d] = patch.corners;
                let z = a * (1.0 - x) * (1.0 - y) + b * x * (1.0 - y) + c * (1.0 - x) * y + d * x * y;
                sum.volume += z.max(0.0);
                sum.area += f64::from(u8::from(z > 0.0));
            }
        }
        let cells = (n * n) as f64;
        Above { volume: sum.volume / cells, area: sum.area / cells }
    }

    #[test]
    fn surfaces_whose_volume_is_known() {
        let close = |a: f64, b: f64| assert!((a - b).abs() < 1e-14, "{a} {b}");
        // A ramp through zero in the middle: a wedge of 1/2 · 1/2 · 1/2.
        let ramp = Patch::whole([-1.0, 1.0, -1.0, 1.0]).above();
        close(ramp.volume, 0.25);
        close(ramp.area, 0.5);
        // A corner of a plane: a pyramid over a triangle with legs of 1/2, a sixth of the legs times the height.
        let corner = Patch::whole([1.0, -1.0, -1.0, -3.0]).above();
        close(corner.volume, 0.25 / 6.0);
        close(corner.area, 0.125);
        // A saddle (2x−1)(2y−1): both quarters above zero hold 1/16.
        let saddle = Patch::whole([1.0, -1.0, -1.0, 1.0]).above();
        close(saddle.volume, 0.125);
        close(saddle.area, 0.5);
        // z = xy − 1/4: ∫ over x of (x − 1/4)²/2x from 1/4 to 1 = 7/32 − ... by parts: 15/64 − 3/16 + ln 4 / 32.
        let hyperbola = Patch::whole([-0.25, -0.25, -0.25, 0.75]).above();
        close(hyperbola.volume, 15.0 / 64.0 - 3.0 / 16.0 + 4f64.ln() / 32.0);
        close(hyperbola.area, 0.75 - 4f64.ln() / 4.0);
    }

    #[test]
    fn a_triangle_is_half_a_cell() {
        let whole = Patch::half([3.0, 3.0, 3.0]).above();
        assert!((whole.volume - 1.5).abs() < 1e-14 && (whole.area - 0.5).abs() < 1e-14);
        // One corner up: a pyramid over half the cell.
        let corner = Patch::half([1.0, 0.0, 0.0]).above();
        assert!((corner.volume - 1.0 / 6.0).abs() < 1e-14);
    }

    proptest! {
        #[test]
        fn the_integral_is_that_of_small_columns(z in prop::array::uniform4(-2.0..2.0f64)) {
            let (exact, counted) = (Patch::whole(z).above(), by_columns(&Patch::whole(z), 300));
            prop_assert!((exact.volume - counted.volume).abs() < 1e-4, "{exact:?} {counted:?}");
            prop_assert!((exact.area - counted.area).abs() < 1e-2, "{exact:?} {counted:?}");
        }

        #[test]
        fn what_is_above_and_what_is_below_make_the_whole(z in prop::array::uniform4(-2.0..2.0f64)) {
            let (above, below) = (Patch::whole(z).above(), Patch::whole(z.map(|v| -v)).above());
            let mean = z.iter().sum::<f64>() / 4.0;
            prop_assert!((above.volume - below.volume - mean).abs() < 1e-12, "{above:?} {below:?}");
            prop_assert!((above.area + below.area - 1.0).abs() < 1e-9, "{above:?} {below:?}");
        }

        #[test]
        fn the_cell_may_be_turned_and_mirrored(z in prop::array::uniform4(-2.0..2.0f64)) {
            let [a, b, c, d] = z;
            let first = Patch::whole(z).above();
            for other in [[a, c, b, d], [b, a, d, c], [c, d, a, b], [d, b, c, a]] {
                let other = Patch::whole(other).above();
                prop_assert!((first.volume - other.volume).abs() < 1e-12, "{first:?} {other:?}");
                prop_assert!((first.area - other.area).abs() < 1e-9, "{first:?} {other:?}");
            }
        }

        #[test]
        fn halves_cut_by_a_line_make_the_half(
            z in prop::array::uniform3(-2.0..2.0f64), from in -0.5..1.5f64, to in -0.5..1.5f64
        ) {
            // The part beside the side x = 0 and, with both axes exchanged, that beside the side y = 0.
            let [a, b, c] = z;
            let (half, exchanged) = (Patch::half(z), Patch::half([a, c, b]));
            let (start, end) = ([from, -0.2], [to, 1.3]);
            let left = half.left_of_edge(start, end);
            // A ring around the right part: up the far side and back along the line, in exchanged axes.
            let ring = [start, [9.0, -0.2], [9.0, 1.3], end].map(|[x, y]| [y, x]);
            let mut right = Above::default();
            for i in 0..4 {
                right.add(exchanged.left_of_edge(ring[i], ring[(i + 1) % 4]), -1.0);
            }
            let whole = half.above();
            prop_assert!((whole.volume - exchanged.above().volume).abs() < 1e-12);
            prop_assert!((left.volume + right.volume - whole.volume).abs() < 1e-11, "{left:?} {right:?} {whole:?}");
        }

        #[test]
        fn parts_of_a_cut_cell_make_the_whole(
            z in prop::array::uniform4(-2.0..2.0f64), from in -0.5..1.5f64, to in -0.5..1.5f64
        ) {
            // Cut by a line from the lower to the upper side, beyond them perhaps: the left part by the line itself, the
            // right part by the right side less the line.
            let patch = Patch::whole(z);
            let left = patch.left_of_edge([from, -0.2], [to, 1.3]);
            let mirrored = Patch::whole([z[1], z[0], z[3], z[2]]).left_of_edge([1.0 - from, -0.2], [1.0 - to, 1.3]);
            let whole = patch.above();
            prop_assert!((left.volume + mirrored.volume - whole.volume).abs() < 1e-11, "{left:?} {mirrored:?} {whole:?}");
        }
    }
}
