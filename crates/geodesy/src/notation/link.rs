//! Links to maps on the web that hold decimal degrees: as two members named for latitude and longitude
//! (`?lat=46.2&lon=-123.8`), or as a pair of numbers (`?q=46.2,-123.8`, `/@46.2,-123.8,15z`, `#15/46.2/-123.8`).

/// Whether a text begins as a link does.
pub(super) fn is_link(text: &str) -> bool {
    let begins = |scheme: &str| text.trim_start().get(..scheme.len()).is_some_and(|t| t.eq_ignore_ascii_case(scheme));
    begins("http://") || begins("https://")
}

/// What a link says of a position, as the reader of pairs takes it: labels where the link names the axes. `None` for a text
/// that is no link, or a link without one position.
pub(super) fn position(text: &str) -> Option<String> {
    let text = text.trim();
    if !is_link(text) {
        return None;
    }
    let decoded = text.replace("%2C", ",").replace("%2c", ",").replace("%20", " ");
    let rest = decoded.split_once("://")?.1;
    let (_, path) = rest.split_once('/').unwrap_or((rest, ""));
    named(path).or_else(|| one_pair(path))
}

/// A number with decimals, as degrees in links are written.
fn decimal(text: &str) -> Option<f64> {
    let digits = text.trim_start_matches(['-', '+']);
    let (whole, decimals) = digits.split_once('.')?;
    let is_figures = |t: &str| !t.is_empty() && t.bytes().all(|b| b.is_ascii_digit());
    (text.len() - digits.len() <= 1 && whole.len() <= 3 && is_figures(whole) && is_figures(decimals))
        .then(|| text.parse().ok())
        .flatten()
}

/// Members whose names say latitude and longitude.
fn named(path: &str) -> Option<String> {
    let members: Vec<(String, f64)> = path
        .split(['?', '&', '#', ';', '/'])
        .filter_map(|member| member.split_once('='))
        .filter_map(|(name, value)| Some((name.to_ascii_lowercase(), value.parse::<f64>().ok()?)))
        .collect();
    let of = |words: &[&str]| {
        let mut values = members.iter().filter(|(name, _)| words.iter().any(|w| name.ends_with(w))).map(|(_, v)| *v);
        let first = values.next()?;
        values.all(|v| v == first).then_some(first)
    };
    let (lat, lon) = (of(&["lat", "latitude"])?, of(&["lon", "lng", "long", "longitude"])?);
    Some(format!("lat {lat} lon {lon}"))
}

/// The pair of numbers that a link holds, where it holds one place only.
fn one_pair(path: &str) -> Option<String> {
    let mut pairs: Vec<(f64, f64)> = Vec::new();
    for part in path.split(['?', '&', '#', '=', '@', ':', ' ', '+']) {
        // Pairs between commas; behind a scale, between slashes.
        for list in [part.split(',').collect::<Vec<_>>(), part.split('/').collect()] {
            for two in list.windows(2) {
                let ends = |t: &str| t.rsplit(['/', '(']).next().unwrap_or(t).trim_end_matches(')').to_string();
                if let (Some(a), Some(b)) =
                    (decimal(&ends(two[0])), decimal(two[1].split(['/', ')']).next().unwrap_or("")))
                    && !pairs.contains(&(a, b))
                {
                    pairs.push((a, b));
                }
            }
        }
    }
    match pairs.as_slice() {
        [(a, b)] => Some(format!("{a} {b}")),
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn places_in_links() {
        for link in [
            "https://map.example/?q=46.20,-123.80",
            "https://map.example/place/North+Gate/@46.20,-123.80,15z/data=!3m1",
            "https://map.example/#15/46.20/-123.80",
            "http://map.example/view?zoom=12&centre=46.20%2C-123.80",
            "https://map.example/dir//46.20,-123.80",
        ] {
            assert_eq!(position(link).as_deref(), Some("46.2 -123.8"), "{link}");
        }
        for link in [
            "https://map.example/?mlat=46.20&mlon=-123.80#map=15/46.20/-123.80",
            "https://m.example/x?lon=-123.8&lat=46.2",
        ] {
            assert_eq!(position(link).as_deref(), Some("lat 46.2 lon -123.8"), "{link}");
        }
    }

    #[test]
    fn links_without_one_place_are_none() {
        for link in [
            "https://map.example/dir/46.20,-123.80/46.10,-123.70",
            "https://gate.example/report/2026/11/27",
            "https://gate.example/v1.25/2.50",
            "https://gate.example/",
            "46.20,-123.80",
            "",
        ] {
            assert_eq!(position(link), None, "{link}");
        }
    }
}
