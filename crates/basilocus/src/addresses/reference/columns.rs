//! Columns of a source by what they are for: found by header and role, or said in a small file.

use super::geometry;
use crate::Error;
use crate::plan::InputPlan;
use arrow_schema::SchemaRef;
use basilocus_table::{Batch, Role, batch::point_index};
use serde::Deserialize;
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

/// What a source holds.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub(super) enum Kind {
    Places,
    Postcodes,
    Areas,
    Segments,
    Points,
}

impl Kind {
    const ALL: [(Kind, &'static str); 5] = [
        (Kind::Places, "places"),
        (Kind::Postcodes, "postcodes"),
        (Kind::Areas, "areas"),
        (Kind::Segments, "street segments"),
        (Kind::Points, "address points"),
    ];

    pub(super) fn words(self) -> &'static str {
        match self {
            Kind::Segments => "street segments with number ranges",
            Kind::Areas => "areas whose attributes are extras",
            other => Kind::ALL[other as usize].1,
        }
    }
}

/// What a column is for, with the headers that tell it; letters and figures only, in lower case.
const PURPOSES: &[(&str, &[&str])] = &[
    ("number", &[]),
    ("number_suffix", &[]),
    ("unit", &[]),
    ("street_direction", &[]),
    ("street", &[]),
    ("street_type", &[]),
    ("street_direction_after", &[]),
    ("locality", &[]),
    ("region", &[]),
    ("postcode", &[]),
    ("country", &[]),
    ("accuracy", &["accuracy", "accuracym", "positionalaccuracy", "genauigkeit", "precision"]),
    ("radius", &["radius", "radiusm"]),
    ("name", &["name", "placename", "place", "locality", "city", "town"]),
    ("other_names", &["othernames", "othername", "aliases", "alias", "alternatenames", "alsoknownas"]),
    ("kind", &["kind", "placekind", "placetype", "class", "type"]),
    ("parent", &["county", "parent", "district", "within"]),
    ("left_from", &["leftfrom", "fromleft", "lfrom", "froml", "lefta", "leftlow", "lfromadd", "lfromaddr"]),
    ("left_to", &["leftto", "toleft", "lto", "tol", "leftb", "lefthigh", "ltoadd", "ltoaddr"]),
    ("right_from", &["rightfrom", "fromright", "rfrom", "fromr", "righta", "rightlow", "rfromadd", "rfromaddr"]),
    ("right_to", &["rightto", "toright", "rto", "tor", "rightb", "righthigh", "rtoadd", "rtoaddr"]),
    ("left_parity", &["leftparity", "parityleft", "lparity", "parityl"]),
    ("right_parity", &["rightparity", "parityright", "rparity", "parityr"]),
    ("left_locality", &["leftlocality", "localityleft", "leftcity", "cityleft", "lcity", "cityl", "placel"]),
    ("right_locality", &["rightlocality", "localityright", "rightcity", "cityright", "rcity", "cityr", "placer"]),
    ("left_postcode", &["leftpostcode", "postcodeleft", "leftzip", "zipleft", "lzip", "zipl"]),
    ("right_postcode", &["rightpostcode", "postcoderight", "rightzip", "zipright", "rzip", "zipr"]),
    ("geometry", &["wkt", "line", "geometry", "geom", "linestring", "polygon", "shape"]),
    ("start_lon", &["startlon", "fromlon", "lon1", "x1"]),
    ("start_lat", &["startlat", "fromlat", "lat1", "y1"]),
    ("end_lon", &["endlon", "tolon", "lon2", "x2"]),
    ("end_lat", &["endlat", "tolat", "lat2", "y2"]),
    ("lon", &[]),
    ("lat", &[]),
];

/// A file that says which column is what.
///
/// ```toml
/// [[source]]
/// file = "roads.csv"
/// kind = "street segments"
/// from = "EPSG:2269"
/// [source.columns]
/// street = "FULL_NAME"
/// left_from = "L_F"
/// right_from = ["R_PREFIX", "R_F"]
/// ```
#[derive(Debug, Clone, Default, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct Mapping {
    #[serde(default)]
    source: Vec<MappedSource>,
}

/// The header of a column, or those of several that are one thing together.
#[derive(Debug, Clone, Deserialize)]
#[serde(untagged)]
pub(super) enum Headers {
    One(String),
    Several(Vec<String>),
}

impl Headers {
    /// Whether a source has one of the columns.
    pub(super) fn are_in(&self, schema: &SchemaRef) -> bool {
        self.list().iter().any(|h| schema.fields().iter().any(|f| f.name() == h))
    }

    fn list(&self) -> &[String] {
        match self {
            Headers::One(header) => std::slice::from_ref(header),
            Headers::Several(headers) => headers,
        }
    }
}

/// What is said of a source.
///
/// `set` gives what rows do not say: `set = { locality = "Ternport" }`; `input` says how to read the file.
#[derive(Debug, Clone, Default, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct MappedSource {
    file: PathBuf,
    kind: Option<String>,
    /// System of its coordinates.
    pub(super) from: Option<String>,
    #[serde(default)]
    columns: BTreeMap<String, Headers>,
    /// What is taken where a row has nothing, by purpose.
    #[serde(default)]
    pub(super) set: BTreeMap<String, String>,
    /// How to read the file, in place of what is said for all.
    pub(super) input: Option<InputPlan>,
}

impl MappedSource {
    fn is_of(&self, source: &Path) -> bool {
        self.file == source || self.file.file_name() == source.file_name()
    }
}

impl Mapping {
    pub(super) fn load(path: &Path) -> Result<Self, Error> {
        let bad = |problem: String| Error::PlanFile { path: path.to_path_buf(), problem };
        let text = std::fs::read_to_string(path).map_err(|e| bad(e.to_string()))?;
        let mapping: Mapping = toml::from_str(&text).map_err(|e| bad(e.to_string().trim_end().to_string()))?;
        for source in &mapping.source {
            if let Some(wrong) = source.columns.keys().chain(source.set.keys()).find(|k| !is_purpose(k)) {
                return Err(bad(not_a_purpose(wrong)));
            }
            if let Some(kind) = &source.kind
                && !Kind::ALL.iter().any(|(_, w)| w == kind)
            {
                let all: Vec<&str> = Kind::ALL.iter().map(|(_, w)| *w).collect();
                return Err(bad(format!("kind = \"{kind}\" is not known; it can be {}", all.join(", "))));
            }
        }
        Ok(mapping)
    }

    /// What is said of a source, by its path or the name of its file.
    pub(super) fn of(&self, source: &Path) -> Option<&MappedSource> {
        self.source.iter().find(|s| s.is_of(source))
    }

    /// Whether every file that it speaks of is a source: what is said of another one would be passed over in silence.
    ///
    /// # Errors
    /// [`Error::Usage`] with the sources that there are.
    pub(super) fn check(&self, path: Option<&Path>, sources: &[PathBuf]) -> Result<(), Error> {
        match self.source.iter().find(|m| !sources.iter().any(|s| m.is_of(s))) {
            None => Ok(()),
            Some(lost) => Err(Error::Usage(format!(
                "`mapping` {}: it says what {} holds, and that is none of the sources: {}",
                path.unwrap_or(Path::new("")).display(),
                lost.file.display(),
                sources.iter().map(|s| s.display().to_string()).collect::<Vec<_>>().join(", ")
            ))),
        }
    }
}

fn is_purpose(word: &str) -> bool {
    PURPOSES.iter().any(|(p, _)| *p == word)
}

fn not_a_purpose(word: &str) -> String {
    let all: Vec<&str> = PURPOSES.iter().map(|(p, _)| *p).collect();
    format!("{word} is nothing that a column can be for; it can be {}", all.join(", "))
}

/// What is taken where rows have nothing: `PURPOSE=VALUE`.
///
/// # Errors
/// [`Error::Usage`] where a text has another form or names no purpose.
pub(super) fn set_values(texts: &[String]) -> Result<BTreeMap<String, String>, Error> {
    let of = |text: &String| match text.split_once('=') {
        Some((purpose, value)) if is_purpose(purpose.trim()) && !value.trim().is_empty() => {
            Ok((purpose.trim().to_string(), value.trim().to_string()))
        }
        Some((purpose, value)) if !value.trim().is_empty() => {
            Err(Error::Usage(format!("`set` {text}: {}", not_a_purpose(purpose.trim()))))
        }
        _ => Err(Error::Usage(format!("`set` {text}: PURPOSE=VALUE is expected, such as locality=Ternport"))),
    };
    texts.iter().map(of).collect()
}

/// Columns that are one thing together: `PURPOSE=COLUMN,COLUMN`.
///
/// # Errors
/// [`Error::Usage`] where a text has another form or names no purpose.
pub(super) fn joins(texts: &[String]) -> Result<BTreeMap<String, Headers>, Error> {
    let of = |text: &String| {
        let (purpose, columns) = text.split_once('=').unwrap_or((text, ""));
        let headers: Vec<String> = columns.split(',').map(|c| c.trim().to_string()).filter(|c| !c.is_empty()).collect();
        match (is_purpose(purpose.trim()), headers.is_empty()) {
            (true, false) => Ok((purpose.trim().to_string(), Headers::Several(headers))),
            (false, false) => Err(Error::Usage(format!("`join` {text}: {}", not_a_purpose(purpose.trim())))),
            (_, true) => Err(Error::Usage(format!(
                "`join` {text}: PURPOSE=COLUMN,COLUMN is expected, such as street=PREFIX,NAME"
            ))),
        }
    };
    texts.iter().map(of).collect()
}

/// Columns by what they are for, and what is taken where a row has nothing.
#[derive(Debug, Clone, Default)]
pub(super) struct Columns {
    /// Of several columns the texts are joined with blanks.
    at: BTreeMap<&'static str, Vec<usize>>,
    set: BTreeMap<String, String>,
}

impl Columns {
    pub(super) fn get(&self, purpose: &str) -> Option<usize> {
        self.at.get(purpose).and_then(|list| list.first()).copied()
    }

    /// The same, and what is taken where rows have nothing.
    pub(super) fn with_values(self, set: BTreeMap<String, String>) -> Self {
        Columns { set, ..self }
    }

    /// The text of a row for a purpose, else what is taken instead; empty for neither.
    pub(super) fn text(&self, batch: &Batch, purpose: &str, row: usize) -> String {
        let there = match self.at.get(purpose).map_or(&[][..], Vec::as_slice) {
            [] => String::new(),
            [only] => batch.text(*only, row),
            several => {
                let texts = several.iter().map(|i| batch.text(*i, row)).filter(|t| !t.trim().is_empty());
                texts.map(|t| t.trim().to_string()).collect::<Vec<_>>().join(" ")
            }
        };
        if there.trim().is_empty() { self.set.get(purpose).cloned().unwrap_or_default() } else { there }
    }

    /// A file that says what was found of a source, to be corrected: columns that were not found are commented out.
    pub(super) fn template(&self, path: &Path, kind: Option<Kind>, schema: &SchemaRef) -> String {
        let quoted = |text: &str| toml::Value::from(text).to_string();
        let file = path.file_name().map_or(path.to_string_lossy(), |n| n.to_string_lossy());
        let mut out = format!("[[source]]\nfile = {}\n", quoted(&file));
        let kinds: Vec<&str> = Kind::ALL.iter().map(|(_, w)| *w).collect();
        match kind {
            Some(kind) => out.push_str(&format!("kind = {}\n", quoted(Kind::ALL[kind as usize].1))),
            None => out.push_str("# The columns do not tell what it holds.\nkind = \"\"\n"),
        }
        out.push_str(&format!("# one of: {}\n", kinds.join(", ")));
        let names: Vec<String> = schema.fields().iter().map(|f| quoted(f.name())).collect();
        out.push_str(&format!("# The file has the columns {}\n[source.columns]\n", names.join(", ")));
        for (purpose, _) in PURPOSES {
            match self.get(purpose) {
                Some(_) => {
                    let names: Vec<String> = self.at[purpose].iter().map(|i| quoted(schema.field(*i).name())).collect();
                    let list = names.join(", ");
                    let value = if names.len() > 1 { format!("[{list}]") } else { list };
                    out.push_str(&format!("{purpose} = {value}\n"));
                }
                None => out.push_str(&format!("# {purpose} = \"\"\n")),
            }
        }
        out
    }

    /// Finds the columns of a source.
    pub(super) fn find(
        schema: &SchemaRef,
        roles: &[Option<Role>],
        mapped: Option<&MappedSource>,
        joins: &BTreeMap<String, Headers>,
        path: &Path,
    ) -> Result<Self, Error> {
        let names: Vec<String> = schema.fields().iter().map(|f| plain(f.name())).collect();
        let role = |r: Role| roles.iter().position(|x| *x == Some(r));
        let mut out = BTreeMap::new();
        for (purpose, headers) in PURPOSES {
            let by_role = match *purpose {
                "number" => role(Role::HouseNumber),
                "number_suffix" => role(Role::NumberSuffix),
                "unit" => role(Role::Unit),
                "street_direction" => role(Role::StreetDirection),
                "street_type" => role(Role::StreetType),
                "street_direction_after" => role(Role::StreetDirectionAfter),
                "street" => role(Role::Street).or_else(|| role(Role::Address)),
                "locality" => role(Role::Locality),
                "region" => role(Role::Region),
                "postcode" => role(Role::Postcode),
                "country" => role(Role::Country),
                _ => None,
            };
            if let Some(i) = by_role.or_else(|| headers.iter().find_map(|w| names.iter().position(|n| n == w))) {
                out.insert(*purpose, vec![i]);
            }
        }
        let position = |header: &String| {
            schema.fields().iter().position(|f| f.name() == header).ok_or_else(|| Error::NoColumn {
                path: path.to_path_buf(),
                wanted: header.clone(),
                names: schema.fields().iter().map(|f| f.name().clone()).collect(),
            })
        };
        // What is said for all sources counts in those that have such columns.
        let joins = joins.iter().filter(|(_, headers)| headers.are_in(schema));
        for (purpose, headers) in joins.chain(mapped.iter().flat_map(|m| &m.columns)) {
            let at = headers.list().iter().map(position).collect::<Result<Vec<_>, _>>()?;
            if let Some((known, _)) = PURPOSES.iter().find(|(p, _)| p == purpose) {
                out.insert(*known, at);
            }
        }
        Ok(Columns { at: out, set: BTreeMap::new() })
    }

    /// What a source holds, by its columns.
    pub(super) fn kind(
        &self,
        schema: &SchemaRef,
        sample: &Batch,
        mapped: Option<&MappedSource>,
        path: &Path,
    ) -> Result<Kind, Error> {
        if let Some(kind) = mapped.and_then(|m| m.kind.as_deref()) {
            return Ok(Kind::ALL.iter().find(|(_, w)| *w == kind).map_or(Kind::Points, |(k, _)| *k));
        }
        let has = |purpose: &str| self.at.contains_key(purpose);
        let polygons = self
            .get("geometry")
            .is_some_and(|g| (0..sample.len().min(50)).any(|row| geometry::is_polygon(&sample.text(g, row))));
        let line = has("geometry") || ["start_lon", "start_lat", "end_lon", "end_lat"].iter().all(|p| has(p));
        let ranges = ["left_from", "left_to", "right_from", "right_to"].iter().any(|p| has(p));
        let attributes_alone = polygons && !has("street");
        let lines = self
            .get("geometry")
            .is_some_and(|g| (0..sample.len().min(50)).any(|row| geometry::is_line(&sample.text(g, row))));
        if lines && !(ranges && has("street")) {
            return Err(Error::Usage(format!(
                "{}: it has lines, and lines are street segments; {}; it has: {}. A file for `mapping` can say the columns",
                path.display(),
                if has("street") {
                    "no column of left and right from and to numbers was found"
                } else {
                    "no column of street names was found"
                },
                schema.fields().iter().map(|f| f.name().as_str()).collect::<Vec<_>>().join(", ")
            )));
        }
        Ok(if attributes_alone {
            Kind::Areas
        } else if ranges && line && has("street") {
            Kind::Segments
        } else if has("street") && (has("number") || point_index(schema).is_some() || !has("name")) {
            Kind::Points
        } else if has("postcode") && !has("kind") && has("street") {
            // Houses that became postcodes would be placed wrongly and look right.
            return Err(Error::Usage(format!(
                "{}: it has streets and postcodes, and no column of house numbers was found; it has: {}. Address points need their numbers: say the column with `join` number=COLUMN; if it holds postcodes, say so in a file for `mapping`",
                path.display(),
                schema.fields().iter().map(|f| f.name().as_str()).collect::<Vec<_>>().join(", ")
            )));
        } else if has("postcode") && !has("kind") {
            Kind::Postcodes
        } else if has("name") {
            Kind::Places
        } else if has("postcode") {
            Kind::Postcodes
        } else {
            return Err(Error::Usage(format!(
                "{}: the columns do not tell what it holds: address points have a street and a number, segments have left and right from and to numbers and a line, postcodes have a postcode, places have a name, areas have polygons; it has: {}. A file for `mapping` can say it",
                path.display(),
                schema.fields().iter().map(|f| f.name().as_str()).collect::<Vec<_>>().join(", ")
            )));
        })
    }

    /// The columns in words, for a kind.
    pub(super) fn words(&self, kind: Kind, schema: &SchemaRef) -> Vec<String> {
        let wanted: &[&str] = match kind {
            Kind::Points => &[
                "number",
                "number_suffix",
                "unit",
                "street_direction",
                "street",
                "street_type",
                "street_direction_after",
                "locality",
                "region",
                "postcode",
                "country",
                "accuracy",
            ],
            Kind::Segments => &[
                "street_direction",
                "street",
                "street_type",
                "street_direction_after",
                "locality",
                "left_locality",
                "region",
                "postcode",
                "left_postcode",
                "country",
                "geometry",
            ],
            Kind::Postcodes => &["postcode", "locality", "region", "country", "radius"],
            Kind::Places => &["name", "kind", "locality", "region", "parent", "country", "radius"],
            Kind::Areas => &["geometry", "postcode", "country"],
        };
        wanted
            .iter()
            .filter_map(|p| {
                let names: Vec<&str> = self.at.get(p)?.iter().map(|i| schema.field(*i).name().as_str()).collect();
                Some(format!("{} \"{}\"", p.replace('_', " "), names.join("\", \"")))
            })
            .chain(self.set.iter().map(|(p, value)| format!("{} {value} where a row has none", p.replace('_', " "))))
            .collect()
    }
}

fn plain(name: &str) -> String {
    name.chars().filter(|c| c.is_alphanumeric()).flat_map(char::to_lowercase).collect()
}
