//! Headers that name coordinates side by side alone.

use super::words::{PAIRS, PLANE_PAIRS};
use super::{Role, plain, rest_in_header};

/// How sure a header is that counts beside another alone.
const BESIDE: usize = 55;

/// Roles of headers that tell something side by side, where no other header names a coordinate and the values agree: degrees
/// with decimals as coordinates have them and no measured thing, plane coordinates of some size.
pub(super) fn pair_up(headers: &[&str], sample: &[Vec<&str>], found: &mut [Option<(Role, usize)>]) {
    let is_open = |slot: &Option<(Role, usize)>| {
        !slot.is_some_and(|(r, _)| matches!(r, Role::Longitude | Role::Latitude | Role::Coordinates))
    };
    if !found.iter().all(is_open) {
        return;
    }
    let at = |word: &str| headers.iter().position(|h| plain(rest_in_header(h).map_or(h, |(name, _)| name)) == word);
    let all = |at: usize, right: &dyn Fn(&str) -> bool| {
        let mut filled = sample.get(at).into_iter().flatten().map(|t| t.trim()).filter(|t| !t.is_empty()).peekable();
        filled.peek().is_some() && filled.all(right)
    };
    let degrees = |limit: f64| {
        move |text: &str| {
            if text.contains('°') {
                return true;
            }
            let text = text.replace(',', ".");
            let decimals = text.split_once('.').map_or(0, |(_, d)| d.len());
            decimals >= 4 && text.parse::<f64>().is_ok_and(|v| v.abs() <= limit)
        }
    };
    let cut = headers.iter().any(|h| rest_in_header(h).is_some());
    let is_far = |text: &str| {
        let digits: String =
            text.chars().take_while(|c| !matches!(c, ',' | '.')).filter(char::is_ascii_digit).collect();
        // Of numbers whose rest stands in the header fewer digits are left.
        text.starts_with(|c: char| c.is_ascii_digit() || c == '-') && digits.len() >= if cut { 1 } else { 5 }
    };
    let sides = |x: &str, y: &str| Some((at(x)?, at(y)?));
    for (x, y) in PAIRS.iter().filter_map(|(x, y)| sides(x, y)) {
        if all(x, &degrees(180.0)) && all(y, &degrees(90.0)) {
            (found[x], found[y]) = (Some((Role::Longitude, BESIDE)), Some((Role::Latitude, BESIDE)));
            return;
        }
    }
    for (x, y) in PLANE_PAIRS.iter().filter_map(|(x, y)| sides(x, y)) {
        if all(x, &is_far) && all(y, &is_far) {
            (found[x], found[y]) = (Some((Role::Easting, BESIDE)), Some((Role::Northing, BESIDE)));
            return;
        }
    }
}
