//! Reads CQL2 text: clause 7 and annex B of OGC 21-065r2, by descent from `OR` to a value.

use super::{Expression, Operand, folded};
use crate::collections::collection::{Collection, ValueKind};
use crate::collections::interval;
use crate::collections::region::Region;
use crate::collections::system_name::SystemName;
use basilocus_table::geometry::{Geometry, TYPES, wkt};
use rusqlite::types::Value as SqlValue;

/// Expressions in each other.
const DEEPEST: usize = 64;
/// Signs of a filter.
const LONGEST: usize = 100_000;
/// Conditions of a filter, and values in it: the database bears more of neither.
const MOST_CONDITIONS: usize = 500;
const MOST_VALUES: usize = 10_000;
/// Signs of a pattern.
const LONGEST_PATTERN: usize = 10_000;
/// The longer ones first.
const SIGNS: [&str; 6] = ["<>", "<=", ">=", "=", "<", ">"];
/// Words that mean something and so are no names of columns, unless in quotes.
const WORDS: [&str; 9] = ["AND", "OR", "NOT", "IS", "NULL", "LIKE", "BETWEEN", "IN", "BBOX"];

/// Reads a filter.
pub(super) fn read(text: &str, collection: &Collection, system: &SystemName) -> Result<Expression, String> {
    if text.len() > LONGEST {
        return Err(format!("it has more than {LONGEST} signs"));
    }
    let mut reader = Reader { text, at: 0, depth: 0, conditions: 0, values: 0, collection, system };
    let expression = reader.any_of()?;
    reader.skip_blanks();
    match reader.rest().is_empty() {
        true => Ok(expression),
        false => Err(reader.expected("AND, OR or the end")),
    }
}

struct Reader<'a> {
    text: &'a str,
    at: usize,
    depth: usize,
    /// Conditions and values so far.
    conditions: usize,
    values: usize,
    collection: &'a Collection,
    system: &'a SystemName,
}

fn is_name_begin(c: char) -> bool {
    c.is_alphabetic() || c == '_' || c == ':'
}

fn is_name_part(c: char) -> bool {
    is_name_begin(c) || c.is_numeric() || c == '.'
}

impl<'a> Reader<'a> {
    fn rest(&self) -> &'a str {
        &self.text[self.at..]
    }

    fn skip_blanks(&mut self) {
        self.at += self.rest().len() - self.rest().trim_start().len();
    }

    /// What stands here where something else was expected.
    fn expected(&self, what: &str) -> String {
        let rest: String = self.rest().trim_start().chars().take(20).collect();
        let place = self.text[..self.at].chars().count() + 1;
        match rest.is_empty() {
            true => format!("{what} is expected at the end"),
            false => format!("{what} is expected at sign {place}, where \"{rest}\" stands"),
        }
    }

    /// Takes a sign.
    fn sign(&mut self, sign: &str) -> bool {
        self.skip_blanks();
        let is_there = self.rest().starts_with(sign);
        self.at += if is_there { sign.len() } else { 0 };
        is_there
    }

    fn require(&mut self, sign: &str) -> Result<(), String> {
        if self.sign(sign) { Ok(()) } else { Err(self.expected(&format!("\"{sign}\""))) }
    }

    /// The name or word that begins here.
    fn ahead(&mut self) -> &'a str {
        self.skip_blanks();
        let rest = self.rest();
        match rest.starts_with(is_name_begin) {
            true => &rest[..rest.find(|c| !is_name_part(c)).unwrap_or(rest.len())],
            false => "",
        }
    }

    /// Takes a word of the language, in any case of letters.
    fn word(&mut self, word: &str) -> bool {
        let is_there = self.ahead().eq_ignore_ascii_case(word);
        self.at += if is_there { word.len() } else { 0 };
        is_there
    }

    /// Takes a word that an opening bracket follows.
    fn function(&mut self, word: &str) -> bool {
        let begin = self.at;
        if self.word(word) && self.sign("(") {
            return true;
        }
        self.at = begin;
        false
    }

    fn deeper<T>(&mut self, read: impl FnOnce(&mut Self) -> Result<T, String>) -> Result<T, String> {
        if self.depth >= DEEPEST {
            return Err(format!("more than {DEEPEST} expressions lie in each other"));
        }
        self.depth += 1;
        let found = read(self);
        self.depth -= 1;
        found
    }

    fn any_of(&mut self) -> Result<Expression, String> {
        let mut list = vec![self.all_of()?];
        while self.word("OR") {
            list.push(self.all_of()?);
        }
        Ok(if list.len() == 1 { list.remove(0) } else { Expression::Or(list) })
    }

    fn all_of(&mut self) -> Result<Expression, String> {
        let mut list = vec![self.one()?];
        while self.word("AND") {
            list.push(self.one()?);
        }
        Ok(if list.len() == 1 { list.remove(0) } else { Expression::And(list) })
    }

    fn one(&mut self) -> Result<Expression, String> {
        self.conditions += 1;
        if self.conditions > MOST_CONDITIONS {
            return Err(format!("it has more than {MOST_CONDITIONS} conditions"));
        }
        if self.word("NOT") {
            return Ok(Expression::Not(Box::new(self.deeper(Self::one)?)));
        }
        if self.sign("(") {
            let inner = self.deeper(Self::any_of)?;
            self.require(")")?;
            return Ok(inner);
        }
        if self.function("S_INTERSECTS") {
            return self.meets();
        }
        self.predicate()
    }

    /// Behind `S_INTERSECTS(`: the geometry of the features and a shape, in either order.
    fn meets(&mut self) -> Result<Expression, String> {
        let first = self.shape()?;
        self.require(",")?;
        let second = self.shape()?;
        self.require(")")?;
        match (first, second) {
            (None, Some(shape)) | (Some(shape), None) => Ok(Expression::Meets(shape)),
            (None, None) => Ok(Expression::Not(Box::new(Expression::IsNull(Operand::Shape)))),
            (Some(_), Some(_)) => Err("S_INTERSECTS compares two shapes that are written out; one of them has to be the geometry of the features".into()),
        }
    }

    /// A shape that is written out; nothing for the geometry of the features.
    fn shape(&mut self) -> Result<Option<Geometry>, String> {
        if self.function("BBOX") {
            return self.extent().map(Some);
        }
        let word = self.ahead();
        if TYPES.iter().any(|t| word.eq_ignore_ascii_case(t)) {
            return self.well_known_text(word).map(Some);
        }
        let begin = self.at;
        match self.name()? {
            Some(name) if self.is_geometry(&name) => Ok(None),
            _ => {
                self.at = begin;
                let name = self.collection.geometry_name().unwrap_or("geometry");
                Err(self.expected(&format!("a shape in well-known text, BBOX(…) or {name}")))
            }
        }
    }

    fn is_geometry(&self, name: &str) -> bool {
        let column = self.collection.shapes.as_ref().map(|s| s.column.as_str());
        self.collection.geometry_name() == Some(name) || column == Some(name)
    }

    fn extent(&mut self) -> Result<Geometry, String> {
        let mut numbers = Vec::new();
        loop {
            numbers.push(self.number()?.ok_or_else(|| self.expected("a number"))?);
            if self.sign(")") {
                break;
            }
            self.require(",")?;
        }
        if numbers.len() == 6 {
            return Err("BBOX with heights is not served; give it four numbers".into());
        }
        Ok(Region::extent(&numbers, self.system.clone()).map_err(|e| format!("BBOX: {e}"))?.shape)
    }

    fn well_known_text(&mut self, word: &str) -> Result<Geometry, String> {
        let begin = self.at;
        let rest = self.rest();
        let (mut depth, mut end) = (0usize, None);
        for (i, c) in rest.char_indices().skip(word.len()) {
            match c {
                '(' => depth += 1,
                ')' => depth = depth.saturating_sub(1),
                _ => {}
            }
            if c == ')' && depth == 0 {
                end = Some(i + 1);
                break;
            }
            if depth == 0 && (c == ',' || c == '\'') {
                break;
            }
        }
        let end = end.ok_or_else(|| self.expected("a shape in well-known text that is whole"))?;
        let mut shape =
            wkt::read(&rest[..end]).map_err(|e| format!("{e} (at sign {})", self.text[..begin].chars().count() + 1))?;
        if self.system.north_first {
            shape.each_position_mut(&mut |p| std::mem::swap(&mut p.x, &mut p.y));
        }
        self.at += end;
        Ok(shape)
    }

    /// A comparison, or a column of true and false by itself.
    fn predicate(&mut self) -> Result<Expression, String> {
        let begin = self.at;
        let first = self.operand()?;
        let kind = first.kind(self.collection);
        if self.word("IS") {
            let is_negated = self.word("NOT");
            if !self.word("NULL") {
                return Err(self.expected("NULL"));
            }
            return Ok(negated(Expression::IsNull(first), is_negated));
        }
        if kind.is_none() {
            self.at = begin;
            return Err(self.expected("a column with values: a geometry goes with S_INTERSECTS and IS NULL"));
        }
        for sign in SIGNS {
            if self.sign(sign) {
                let second = self.value_like(&first)?;
                let has_order = kind != Some(ValueKind::Boolean);
                if !has_order && !matches!(sign, "=" | "<>") {
                    return Err(format!("true and false have no order; = or <> is expected instead of {sign}"));
                }
                return Ok(Expression::Compared(first, sign, second));
            }
        }
        let is_negated = self.word("NOT");
        if self.word("LIKE") {
            if kind != Some(ValueKind::Text) {
                return Err("LIKE compares texts; the column holds something else".into());
            }
            return Ok(negated(self.pattern(first)?, is_negated));
        }
        if self.word("BETWEEN") {
            let low = self.value_like(&first)?;
            if !self.word("AND") {
                return Err(self.expected("AND"));
            }
            let high = self.value_like(&first)?;
            return Ok(negated(Expression::Between(first, low, high), is_negated));
        }
        if self.word("IN") {
            self.require("(")?;
            let mut list = vec![self.value_like(&first)?];
            while self.sign(",") {
                list.push(self.value_like(&first)?);
            }
            self.require(")")?;
            return Ok(negated(Expression::Among(first, list), is_negated));
        }
        if is_negated {
            return Err(self.expected("LIKE, BETWEEN or IN"));
        }
        match first {
            Operand::Value(SqlValue::Integer(value), ValueKind::Boolean) => Ok(Expression::Constant(value != 0)),
            _ if kind == Some(ValueKind::Boolean) => Ok(Expression::Holds(first)),
            _ => Err(self.expected("=, <>, <, >, <=, >=, LIKE, BETWEEN, IN or IS")),
        }
    }

    /// A value that can be compared with another one.
    fn value_like(&mut self, first: &Operand) -> Result<Operand, String> {
        self.skip_blanks();
        let begin = self.at;
        let second = self.operand()?;
        let kinds = (first.kind(self.collection), second.kind(self.collection));
        let words = |kind: Option<ValueKind>| match kind {
            Some(ValueKind::Integer | ValueKind::Number) => "a number",
            Some(ValueKind::Text) => "a text in single quotes",
            Some(ValueKind::Boolean) => "TRUE or FALSE",
            Some(ValueKind::Date) => "a day, DATE('2026-11-25')",
            Some(ValueKind::Moment) => "a moment, TIMESTAMP('2026-11-25T10:00:00Z')",
            None => "a column with values",
        };
        if words(kinds.0) != words(kinds.1) {
            self.at = begin;
            return Err(self.expected(words(kinds.0)));
        }
        Ok(second)
    }

    fn operand(&mut self) -> Result<Operand, String> {
        self.values += 1;
        if self.values > MOST_VALUES {
            return Err(format!("it has more than {MOST_VALUES} values"));
        }
        if let Some(text) = self.quoted('\'')? {
            return Ok(Operand::Value(text.into(), ValueKind::Text));
        }
        let begin = self.at;
        if let Some(number) = self.number()? {
            let whole = self.text[begin..self.at].trim().parse::<i64>();
            let value = whole.map_or(SqlValue::Real(number), SqlValue::Integer);
            return Ok(Operand::Value(value, ValueKind::Number));
        }
        for (word, kind) in [("DATE", ValueKind::Date), ("TIMESTAMP", ValueKind::Moment)] {
            if self.function(word) {
                let text = self.quoted('\'')?.ok_or_else(|| self.expected("a text in single quotes"))?;
                self.require(")")?;
                let is_day = text.len() == 10;
                let found = interval::instant(&text).filter(|_| is_day == (kind == ValueKind::Date));
                let (begin, _) = found.ok_or_else(|| {
                    format!(
                        "{word}('{text}') is no {}",
                        if kind == ValueKind::Date {
                            "day such as 2026-11-25"
                        } else {
                            "moment such as 2026-11-25T10:00:00Z"
                        }
                    )
                })?;
                return Ok(Operand::Value(SqlValue::Integer(begin), kind));
            }
        }
        if self.function("CASEI") {
            let inner = self.deeper(Self::operand)?;
            self.require(")")?;
            return match inner {
                Operand::Value(SqlValue::Text(text), kind) => Ok(Operand::Value(folded(&text).into(), kind)),
                inner if inner.kind(self.collection) == Some(ValueKind::Text) => Ok(Operand::Folded(Box::new(inner))),
                _ => Err("CASEI takes texts".into()),
            };
        }
        for (word, value) in [("TRUE", 1), ("FALSE", 0)] {
            if self.ahead().eq_ignore_ascii_case(word) && self.collection.column(self.ahead()).is_none() {
                self.word(word);
                return Ok(Operand::Value(SqlValue::Integer(value), ValueKind::Boolean));
            }
        }
        self.skip_blanks();
        let begin = self.at;
        let Some(name) = self.name()? else { return Err(self.expected("a column or a value")) };
        if let Some(column) = self.collection.column(&name) {
            return Ok(Operand::Column(column));
        }
        if self.is_geometry(&name) {
            return Ok(Operand::Shape);
        }
        let is_function = self.sign("(");
        self.at = begin;
        if is_function {
            return Err(format!("the function {name} is not served; S_INTERSECTS, CASEI, DATE and TIMESTAMP are"));
        }
        let names: Vec<&str> = self.collection.columns().iter().map(|c| c.name.as_str()).collect();
        Err(format!("there is no column \"{name}\" in {}; it has: {}", self.collection.id(), names.join(", ")))
    }

    /// A name, in double quotes or not.
    fn name(&mut self) -> Result<Option<String>, String> {
        if let Some(name) = self.quoted('"')? {
            return Ok(Some(name));
        }
        let name = self.ahead();
        if name.is_empty() || WORDS.iter().any(|w| name.eq_ignore_ascii_case(w)) {
            return Ok(None);
        }
        self.at += name.len();
        Ok(Some(name.to_string()))
    }

    /// A text in quotes; a quote in it is written twice, or behind a backslash.
    fn quoted(&mut self, quote: char) -> Result<Option<String>, String> {
        self.skip_blanks();
        let rest = self.rest();
        if !rest.starts_with(quote) {
            return Ok(None);
        }
        let mut out = String::new();
        let mut signs = rest.char_indices().skip(1).peekable();
        while let Some((i, c)) = signs.next() {
            let next = signs.peek().map(|(_, c)| *c);
            if (c == quote || c == '\\' && quote == '\'') && next == Some(quote) {
                out.push(quote);
                signs.next();
            } else if c == quote {
                self.at += i + quote.len_utf8();
                return Ok(Some(out));
            } else {
                out.push(c);
            }
        }
        Err(self.expected(&format!("a text that ends with {quote}")))
    }

    /// A number without a unit; nothing where none begins here.
    fn number(&mut self) -> Result<Option<f64>, String> {
        self.skip_blanks();
        let rest = self.rest();
        if !rest.starts_with(|c: char| c.is_ascii_digit() || matches!(c, '+' | '-' | '.')) {
            return Ok(None);
        }
        let mut end = 0;
        for (i, c) in rest.char_indices() {
            let before = rest[..i].chars().next_back();
            let is_part = c.is_ascii_digit()
                || matches!(c, '.' | 'e' | 'E')
                || matches!(c, '+' | '-') && matches!(before, None | Some('e' | 'E'));
            if !is_part {
                break;
            }
            end = i + c.len_utf8();
        }
        match rest[..end].parse::<f64>() {
            Ok(number) if number.is_finite() => {
                self.at += end;
                Ok(Some(number))
            }
            _ => Err(self.expected("a number")),
        }
    }

    /// Behind `LIKE`: a pattern with `%` for any signs and `_` for one, a backslash before those that are meant.
    fn pattern(&mut self, text: Operand) -> Result<Expression, String> {
        let is_folded = self.function("CASEI");
        let pattern = self.quoted('\'')?.ok_or_else(|| self.expected("a pattern in single quotes"))?;
        if is_folded {
            self.require(")")?;
        }
        if pattern.len() > LONGEST_PATTERN {
            return Err(format!("a pattern has more than {LONGEST_PATTERN} signs"));
        }
        let pattern = if is_folded { folded(&pattern) } else { pattern };
        let mut glob = String::new();
        let mut signs = pattern.chars();
        while let Some(c) = signs.next() {
            let (c, is_meant) = if c == '\\' { (signs.next().unwrap_or('\\'), true) } else { (c, false) };
            match c {
                '%' if !is_meant => glob.push('*'),
                '_' if !is_meant => glob.push('?'),
                '*' | '?' | '[' => glob.extend(['[', c, ']']),
                c => glob.push(c),
            }
        }
        Ok(Expression::Like(text, glob))
    }
}

fn negated(e: Expression, is_negated: bool) -> Expression {
    if is_negated { Expression::Not(Box::new(e)) } else { e }
}
