//! Places along a line.

/// A place on a line.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Station {
    /// From the beginning of the line, metres on the ground.
    pub distance_m: f64,
    /// Easting.
    pub x: f64,
    /// Northing.
    pub y: f64,
}

/// The places of a profile: the points of the line, or with `every` the places so many metres apart, the end among them.
/// `lengths` are those of the line's parts on the ground, one less than points.
///
/// ```
/// use basilocus_terrain::profile::stations;
///
/// let places = stations(&[[0.0, 0.0], [3.0, 4.0], [3.0, 10.0]], &[5.0, 6.0], Some(4.0));
/// assert_eq!(places.iter().map(|s| s.distance_m).collect::<Vec<_>>(), [0.0, 4.0, 8.0, 11.0]);
/// assert_eq!((places[2].x, places[2].y), (3.0, 7.0));
/// ```
pub fn stations(points: &[[f64; 2]], lengths: &[f64], every: Option<f64>) -> Vec<Station> {
    let mut reached = 0.0;
    let mut ends = vec![0.0];
    ends.extend(lengths.iter().map(|length| {
        reached += length;
        reached
    }));
    let at_point = |i: usize| Station { distance_m: ends[i], x: points[i][0], y: points[i][1] };
    let Some(every) = every.filter(|every| *every > 0.0) else {
        return (0..points.len().min(ends.len())).map(at_point).collect();
    };
    let mut out = Vec::new();
    let mut number = 0u64;
    for i in 0..lengths.len().min(points.len().saturating_sub(1)) {
        let (from, to) = (ends[i], ends[i + 1]);
        // A place on a point belongs to the part that begins there; the end is added below.
        while number as f64 * every < to {
            let distance_m = number as f64 * every;
            let share = (distance_m - from) / (to - from);
            let along = |axis: usize| points[i][axis] + (points[i + 1][axis] - points[i][axis]) * share;
            out.push(Station { distance_m, x: along(0), y: along(1) });
            number += 1;
        }
    }
    if let Some(last) = points.len().min(ends.len()).checked_sub(1) {
        // A last place so near to the end is the end.
        if out.last().is_some_and(|s| reached - s.distance_m < every * 1e-9) {
            out.pop();
        }
        out.push(at_point(last));
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn without_a_distance_the_places_are_the_points() {
        let places = stations(&[[0.0, 0.0], [0.0, 2.0], [5.0, 2.0]], &[2.0, 5.0], None);
        assert_eq!(places.iter().map(|s| s.distance_m).collect::<Vec<_>>(), [0.0, 2.0, 7.0]);
        assert!(stations(&[], &[], None).is_empty() && stations(&[], &[], Some(1.0)).is_empty());
    }

    #[test]
    fn a_line_that_is_a_whole_number_of_steps_long_ends_once() {
        let places = stations(&[[0.0, 0.0], [1.0, 0.0]], &[0.3], Some(0.1));
        assert_eq!(places.len(), 4, "{places:?}");
        assert_eq!((places[3].distance_m, places[3].x), (0.3, 1.0));
    }

    #[test]
    fn points_that_come_twice_do_no_harm() {
        let places = stations(&[[0.0, 0.0], [0.0, 0.0], [4.0, 0.0]], &[0.0, 4.0], Some(2.0));
        assert_eq!(places.iter().map(|s| s.x).collect::<Vec<_>>(), [0.0, 2.0, 4.0]);
    }

    proptest! {
        #[test]
        fn places_are_even_and_lie_on_the_line(
            parts in prop::collection::vec((0.1..50.0f64, -1.0..1.0f64), 1..12), every in 0.5..80.0f64
        ) {
            let mut points = vec![[0.0, 0.0]];
            for (length, turn) in &parts {
                let last = points[points.len() - 1];
                points.push([last[0] + length * turn.cos(), last[1] + length * turn.sin()]);
            }
            let lengths: Vec<f64> = parts.iter().map(|p| p.0).collect();
            let whole: f64 = lengths.iter().sum();
            let places = stations(&points, &lengths, Some(every));
            prop_assert_eq!(places[0], Station { distance_m: 0.0, x: 0.0, y: 0.0 });
            prop_assert!((places[places.len() - 1].distance_m - whole).abs() < 1e-9);
            for pair in places.windows(2) {
                let apart = pair[1].distance_m - pair[0].distance_m;
                prop_assert!(apart > 0.0 && apart <= every * (1.0 + 1e-9));
                // A chord is never longer than the way along the line.
                prop_assert!((pair[1].x - pair[0].x).hypot(pair[1].y - pair[0].y) <= apart + 1e-9);
            }
            prop_assert_eq!(places.len(), (whole / every * (1.0 - 1e-12)).floor() as usize + 2);
        }
    }
}
