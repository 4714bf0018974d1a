//! When no street fits: the postcode, then the locality, and the contradictions that forbid even that.

use super::candidates::{Context, Found};
use super::place::tail;
use super::{Candidate, Level, Outcome, score};
use crate::normal;
use crate::parse::ParsedAddress;
use crate::reference::Reference;

pub(super) fn find(
    reference: &Reference,
    a: &ParsedAddress,
    context: &Context,
    found: &Found,
) -> Result<Candidate, Outcome> {
    let street_asked = !a.name.is_empty();
    let set_aside =
        |class: &'static str, reason: String| Err(Outcome::SetAside { class, reason, candidates: Vec::new() });
    let mut changes: Vec<String> = a.read_as.clone();
    let mut lost = 0;
    if a.post_box {
        changes.push("post box or rural route: placed no finer than the postcode".to_string());
    } else if street_asked {
        lost = score::STREET_NOT_FOUND;
        changes.push(street_not_found(reference, a, context, found));
    }
    let because = if changes.is_empty() { String::new() } else { format!("{}; ", changes.join("; ")) };

    if let Some(postcode) = if a.postcode.is_empty() { None } else { reference.postcode(&a.postcode) } {
        if !a.region.is_empty() && !postcode.region.is_empty() && postcode.region != a.region {
            return set_aside(
                "postcode and region disagree",
                format!(
                    "{because}postcode {} is not in region {} (it is in {}): correct one of them",
                    a.postcode, a.region, postcode.region
                ),
            );
        }
        let agree = context.localities.iter().find(|(l, _)| context.of_postcode.contains(l));
        if !context.localities.is_empty() && agree.is_none() {
            let there: Vec<&str> = context.of_postcode.iter().map(|l| reference.locality(*l).name).collect();
            return set_aside(
                "postcode and locality disagree",
                format!(
                    "{because}postcode {} is not in {} (it is in {}): correct one of them",
                    a.postcode,
                    reference.locality(context.localities[0].0).name,
                    there.join(", ")
                ),
            );
        }
        let mut cost = lost;
        let locality = match (agree, a.locality.is_empty()) {
            (Some((l, d)), _) => {
                if *d > 0 {
                    changes.push(format!(
                        "locality \"{}\" read as \"{}\"",
                        normal::title(&a.locality),
                        reference.locality(*l).name
                    ));
                    cost += score::locality_misspelt(*d);
                }
                Some(*l)
            }
            (None, false) => {
                changes.push(format!("locality \"{}\" is not in the reference", normal::title(&a.locality)));
                cost += 10;
                context.of_postcode.first().copied()
            }
            (None, true) => context.of_postcode.first().copied(),
        };
        let l = locality.map(|l| reference.locality(l));
        return Ok(Candidate {
            level: Level::Postcode,
            confidence: (score::POSTCODE_CONFIDENCE - cost).clamp(0, 100) as u8,
            lon: postcode.lon,
            lat: postcode.lat,
            address: tail(l.map_or("", |l| l.name), postcode.region, &a.postcode),
            changes,
            locality: l.map_or("", |l| l.name).to_string(),
            region: postcode.region.to_string(),
            parent: l.map_or("", |l| l.parent).to_string(),
            postcode: a.postcode.clone(),
        });
    }
    if !a.postcode.is_empty() {
        changes.push(format!("postcode {} is not in the reference", a.postcode));
    }
    let because = if changes.is_empty() { String::new() } else { format!("{}; ", changes.join("; ")) };
    let with_position: Vec<(u32, usize)> =
        context.localities.iter().filter(|(l, _)| reference.locality(*l).position.is_some()).copied().collect();
    let nearest = with_position.first().map(|(_, d)| *d);
    let best: Vec<u32> = with_position.iter().filter(|(_, d)| Some(*d) == nearest).map(|(l, _)| *l).collect();
    match best.as_slice() {
        [] if a.locality.is_empty() && street_asked => {
            set_aside("street not found", format!("{because}no locality or postcode to fall back to"))
        }
        [] if a.locality.is_empty() => {
            set_aside("nothing to place by", format!("{because}no street, locality or known postcode"))
        }
        [] => set_aside(
            "locality not found",
            format!("{because}locality \"{}\" is not in the reference", normal::title(&a.locality)),
        ),
        [only] => {
            let l = reference.locality(*only);
            if !a.region.is_empty() && l.region != a.region {
                return set_aside(
                    "locality and region disagree",
                    format!(
                        "{because}{} is not in region {} (it is in {}): correct one of them",
                        l.name, a.region, l.region
                    ),
                );
            }
            let d = nearest.unwrap_or(0);
            if d > 0 {
                changes.push(format!("locality \"{}\" read as \"{}\"", normal::title(&a.locality), l.name));
            }
            let cost = lost + score::locality_misspelt(d) + if a.postcode.is_empty() { 0 } else { 8 };
            let (lon, lat) = l.position.unwrap_or_default();
            Ok(Candidate {
                level: Level::Locality,
                confidence: (score::LOCALITY_CONFIDENCE - cost).clamp(0, 100) as u8,
                lon,
                lat,
                address: tail(l.name, l.region, ""),
                changes,
                locality: l.name.to_string(),
                region: l.region.to_string(),
                parent: l.parent.to_string(),
                postcode: String::new(),
            })
        }
        several => {
            let list: Vec<String> =
                several.iter().take(5).map(|l| reference.locality(*l)).map(|l| tail(l.name, l.region, "")).collect();
            set_aside(
                "several equal candidates",
                format!("{because}several localities fit: {}; say the region or the postcode", list.join(" | ")),
            )
        }
    }
}

fn street_not_found(reference: &Reference, a: &ParsedAddress, context: &Context, found: &Found) -> String {
    let name = normal::title(&a.name);
    let place = match (context.localities.first(), a.postcode.is_empty()) {
        (Some((l, _)), _) => reference.locality(*l).name.to_string(),
        (None, false) if context.postcode_known => a.postcode.clone(),
        _ => "the reference".into(),
    };
    let elsewhere: Vec<&str> =
        found.same_name_elsewhere.iter().map(|l| reference.locality(*l).name).filter(|n| *n != place).take(3).collect();
    if elsewhere.is_empty() {
        format!("street \"{name}\" is not in {place}")
    } else {
        format!("street \"{name}\" is not in {place} (it is in {})", elsewhere.join(", "))
    }
}
