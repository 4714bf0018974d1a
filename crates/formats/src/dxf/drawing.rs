//! A drawing as its sections give it: header, layers, blocks, and the entities one by one.

use super::pairs::{Pairs, Value};
use crate::FormatError;
use basilocus_table::Position;
use encoding_rs::Encoding;
use std::collections::HashMap;
use std::path::Path;

/// Pairs that one entity may have: a line of millions of corners is no drawing's.
const MOST_PAIRS: usize = 20_000_000;

/// An entity: its pairs, and the entities that belong to it (corners of a polyline, attributes of an insert).
#[derive(Debug, Clone, Default)]
pub(super) struct Entity {
    pub kind: String,
    pub pairs: Vec<(i32, Value)>,
    pub parts: Vec<Entity>,
}

impl Entity {
    fn get(&self, code: i32) -> Option<&Value> {
        self.pairs.iter().find(|(c, _)| *c == code).map(|(_, v)| v)
    }

    pub fn text(&self, code: i32) -> Option<String> {
        self.get(code).map(Value::text)
    }

    pub fn real(&self, code: i32) -> Option<f64> {
        self.get(code)?.real()
    }

    pub fn integer(&self, code: i32) -> Option<i64> {
        self.get(code)?.integer()
    }

    /// The position whose x has this code; its y and z follow by tens.
    pub fn position(&self, code: i32) -> Option<Position> {
        let z = self.real(code + 20).unwrap_or(0.0);
        Some(Position::xyz(self.real(code)?, self.real(code + 10)?, z))
    }

    /// All positions whose x has this code, in order.
    pub fn positions(&self, code: i32) -> Vec<Position> {
        let mut out: Vec<Position> = Vec::new();
        for (c, v) in &self.pairs {
            match (*c - code, v.real(), out.last_mut()) {
                (0, v, _) => out.push(Position::xyz(v.unwrap_or(f64::NAN), f64::NAN, 0.0)),
                (10, Some(v), Some(p)) => p.y = v,
                (20, Some(v), Some(p)) => p.z = v,
                _ => {}
            }
        }
        out
    }

    /// The normal of the entity's plane.
    pub fn normal(&self) -> [f64; 3] {
        [self.real(210).unwrap_or(0.0), self.real(220).unwrap_or(0.0), self.real(230).unwrap_or(1.0)]
    }
}

/// A block: its own origin, and what is in it.
#[derive(Debug, Clone)]
pub(super) struct Block {
    pub base: Position,
    pub entities: Vec<Entity>,
}

/// What stands in front of the entities.
#[derive(Debug, Clone, Default)]
pub(super) struct Head {
    /// Code of the header's unit, where it says one.
    pub units: Option<i64>,
    /// Colours of layers by their names.
    pub layers: HashMap<String, i64>,
    pub blocks: HashMap<String, Block>,
}

/// The unit that a code of the header says.
pub(super) fn unit_name(code: i64) -> Option<&'static str> {
    const NAMES: [&str; 22] = [
        "",
        "inches",
        "feet",
        "miles",
        "millimetres",
        "centimetres",
        "metres",
        "kilometres",
        "microinches",
        "mils",
        "yards",
        "angstroms",
        "nanometres",
        "microns",
        "decimetres",
        "decametres",
        "hectometres",
        "gigametres",
        "astronomical units",
        "light years",
        "parsecs",
        "US survey feet",
    ];
    usize::try_from(code).ok().and_then(|c| NAMES.get(c)).copied().filter(|n| !n.is_empty())
}

/// Goes through a drawing; `sink` gets every entity with what stands in front of it, and says false where no more is wanted.
pub(super) fn each(path: &Path, sink: &mut dyn FnMut(&Head, Entity) -> bool) -> Result<(), FormatError> {
    let mut walk = Walk { pairs: Pairs::open(path)?, path, ahead: None };
    let mut head = Head::default();
    loop {
        let Some((code, value)) = walk.next()? else {
            return Err(FormatError::broken(path, "the drawing has no end: it was cut; get it again"));
        };
        match (code, value.text().trim()) {
            (0, "EOF") => return Ok(()),
            (0, "SECTION") => {}
            (2, "HEADER") => walk.header(&mut head)?,
            (2, "TABLES") => walk.tables(&mut head)?,
            (2, "BLOCKS") => walk.blocks(&mut head)?,
            (2, "ENTITIES") => {
                while let Some(e) = walk.entity()? {
                    if !sink(&head, e) {
                        return Ok(());
                    }
                }
            }
            _ => {}
        }
    }
}

struct Walk<'a> {
    pairs: Pairs,
    path: &'a Path,
    ahead: Option<(i32, Value)>,
}

impl Walk<'_> {
    fn next(&mut self) -> Result<Option<(i32, Value)>, FormatError> {
        match self.ahead.take() {
            Some(pair) => Ok(Some(pair)),
            None => self.pairs.next(),
        }
    }

    fn must(&mut self) -> Result<(i32, Value), FormatError> {
        self.next()?.ok_or_else(|| FormatError::broken(self.path, "the drawing has no end: it was cut; get it again"))
    }

    fn header(&mut self, head: &mut Head) -> Result<(), FormatError> {
        let mut variable = String::new();
        loop {
            let (code, value) = self.must()?;
            match (code, variable.as_str()) {
                (0, _) => {
                    self.ahead = Some((code, value));
                    return Ok(());
                }
                (9, _) => variable = value.text().trim().to_string(),
                (70, "$INSUNITS") => head.units = value.integer().filter(|u| *u != 0),
                (3, "$DWGCODEPAGE") => {
                    let page = value.text().trim().to_ascii_lowercase().replace("ansi_", "windows-");
                    if let Some(encoding) = Encoding::for_label(page.as_bytes()) {
                        self.pairs.set_encoding(encoding);
                    }
                }
                _ => {}
            }
        }
    }

    /// The pairs of an entity, up to the next.
    fn one(&mut self, kind: String) -> Result<Entity, FormatError> {
        let mut e = Entity { kind, ..Entity::default() };
        loop {
            let (code, value) = self.must()?;
            if code == 0 {
                self.ahead = Some((code, value));
                return Ok(e);
            }
            if e.pairs.len() == MOST_PAIRS {
                return Err(FormatError::broken(self.path, format!("an entity has more than {MOST_PAIRS} values")));
            }
            e.pairs.push((code, value));
        }
    }

    /// The next entity with what belongs to it; none at the end of the section.
    fn entity(&mut self) -> Result<Option<Entity>, FormatError> {
        let (code, value) = self.must()?;
        let kind = value.text().trim().to_string();
        if code != 0 {
            return Err(FormatError::broken(self.path, format!("group code {code} stands where an entity begins")));
        }
        if matches!(kind.as_str(), "ENDSEC" | "EOF" | "ENDBLK") {
            if kind != "ENDBLK" {
                self.ahead = Some((0, value));
            }
            return Ok(None);
        }
        let mut e = self.one(kind)?;
        if !(e.kind == "POLYLINE" || e.kind == "INSERT" && e.integer(66) == Some(1)) {
            return Ok(Some(e));
        }
        loop {
            let (_, value) = self.must()?;
            let kind = value.text().trim().to_string();
            match kind.as_str() {
                "VERTEX" | "ATTRIB" => {
                    let part = self.one(kind)?;
                    e.parts.push(part);
                }
                "SEQEND" => {
                    self.one(kind)?;
                    break;
                }
                // Its end is missing: what follows is an entity of its own.
                _ => {
                    self.ahead = Some((0, value));
                    break;
                }
            }
        }
        Ok(Some(e))
    }

    fn tables(&mut self, head: &mut Head) -> Result<(), FormatError> {
        while let Some(e) = self.entity()? {
            if e.kind == "LAYER"
                && let (Some(name), Some(color)) = (e.text(2), e.integer(62))
            {
                // A negative colour is that of a layer which is switched off.
                head.layers.insert(name, color.abs());
            }
        }
        Ok(())
    }

    fn blocks(&mut self, head: &mut Head) -> Result<(), FormatError> {
        loop {
            let (code, value) = self.must()?;
            let kind = value.text().trim().to_string();
            match (code, kind.as_str()) {
                (0, "ENDSEC" | "EOF") => {
                    self.ahead = Some((code, value));
                    return Ok(());
                }
                (0, "BLOCK") => {
                    let e = self.one(kind)?;
                    let name = e.text(2).unwrap_or_default().to_uppercase();
                    let base = e.position(10).unwrap_or(Position::xyz(0.0, 0.0, 0.0));
                    let mut entities = Vec::new();
                    while let Some(inner) = self.entity()? {
                        entities.push(inner);
                    }
                    head.blocks.insert(name, Block { base, entities });
                }
                // The pairs of what ended a block.
                _ => {}
            }
        }
    }
}
