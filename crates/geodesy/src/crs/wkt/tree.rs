//! The syntax of well-known text: keywords with values in brackets.

/// A keyword with its values.
#[derive(Debug, Clone, PartialEq)]
pub struct Node {
    /// In capitals.
    pub keyword: String,
    /// What stands between its brackets.
    pub values: Vec<Value>,
    /// Character (from 1) where it begins.
    pub at: usize,
}

/// A value between brackets.
#[derive(Debug, Clone, PartialEq)]
pub enum Value {
    /// A text in quotes.
    Text(String),
    /// A number.
    Number(f64),
    /// A word without quotes, such as an axis direction.
    Word(String),
    /// A keyword with values of its own.
    Node(Node),
}

/// Deepest nesting; definitions need ten.
const DEEPEST: usize = 32;
/// Longest text, bytes; definitions need a few thousand.
const LONGEST: usize = 200_000;

impl Node {
    /// The first node below with one of these keywords.
    pub fn child(&self, keywords: &[&str]) -> Option<&Node> {
        self.values.iter().find_map(|v| match v {
            Value::Node(n) if keywords.contains(&n.keyword.as_str()) => Some(n),
            _ => None,
        })
    }

    /// All nodes below with one of these keywords.
    pub fn children<'a>(&'a self, keywords: &'a [&str]) -> impl Iterator<Item = &'a Node> {
        self.values.iter().filter_map(move |v| match v {
            Value::Node(n) if keywords.contains(&n.keyword.as_str()) => Some(n),
            _ => None,
        })
    }

    /// The text in quotes that comes first.
    pub fn name(&self) -> Option<&str> {
        match self.values.first() {
            Some(Value::Text(t)) => Some(t),
            _ => None,
        }
    }

    /// The number at a place among the values.
    pub fn number(&self, index: usize) -> Option<f64> {
        match self.values.get(index) {
            Some(Value::Number(v)) => Some(*v),
            // Some writers put numbers into quotes.
            Some(Value::Text(t)) => t.trim().parse().ok().filter(|v: &f64| v.is_finite()),
            _ => None,
        }
    }
}

/// Reads the tree of a text.
///
/// # Errors
/// What is wrong, with the character.
///
/// ```
/// use basilocus_geodesy::crs::wkt::tree::parse;
/// let node = parse("UNIT[\"metre\", 1]").unwrap();
/// assert_eq!((node.name(), node.number(1)), (Some("metre"), Some(1.0)));
/// assert!(parse("UNIT[\"metre\", 1").unwrap_err().contains("bracket"));
/// ```
pub fn parse(text: &str) -> Result<Node, String> {
    if text.len() > LONGEST {
        return Err(format!("it is longer than {LONGEST} bytes"));
    }
    let characters: Vec<char> = text.trim_start_matches('\u{feff}').chars().collect();
    let mut p = Parser { characters: &characters, at: 0 };
    p.blank();
    let node = p.node(0)?;
    p.blank();
    match p.peek() {
        None => Ok(node),
        Some(c) => Err(p.problem(&format!("nothing is expected after the last bracket, not \"{c}\""))),
    }
}

struct Parser<'a> {
    characters: &'a [char],
    at: usize,
}

impl Parser<'_> {
    fn peek(&self) -> Option<char> {
        self.characters.get(self.at).copied()
    }

    fn blank(&mut self) {
        while self.peek().is_some_and(|c| c.is_whitespace() || c == '\0') {
            self.at += 1;
        }
    }

    fn problem(&self, text: &str) -> String {
        format!("{text} (at character {})", self.at + 1)
    }

    fn word(&mut self) -> String {
        let start = self.at;
        while self.peek().is_some_and(|c| c.is_alphanumeric() || matches!(c, '_' | '-' | '+' | '.')) {
            self.at += 1;
        }
        self.characters[start..self.at].iter().collect()
    }

    fn node(&mut self, depth: usize) -> Result<Node, String> {
        let at = self.at + 1;
        let keyword = self.word();
        if keyword.is_empty() {
            return Err(self.problem("a keyword is expected"));
        }
        self.blank();
        match self.peek() {
            Some('[' | '(') => self.values(keyword, at, depth),
            _ => Err(self.problem(&format!("an opening bracket is expected after {keyword}"))),
        }
    }

    fn values(&mut self, keyword: String, at: usize, depth: usize) -> Result<Node, String> {
        if depth >= DEEPEST {
            return Err(self.problem("it is nested too deeply"));
        }
        let close = if self.peek() == Some('[') { ']' } else { ')' };
        self.at += 1;
        let mut values = Vec::new();
        loop {
            self.blank();
            let value = match self.peek() {
                Some('"') => Value::Text(self.text()?),
                Some(_) => {
                    let start = self.at + 1;
                    let word = self.word();
                    self.blank();
                    if word.is_empty() {
                        return Err(self.problem("a value is expected"));
                    } else if matches!(self.peek(), Some('[' | '(')) {
                        Value::Node(self.values(word, start, depth + 1)?)
                    } else {
                        match word.parse::<f64>() {
                            Ok(v) if v.is_finite() && word.contains(|c: char| c.is_ascii_digit()) => Value::Number(v),
                            _ => Value::Word(word),
                        }
                    }
                }
                None => return Err(self.problem(&format!("the closing bracket of {keyword} is missing"))),
            };
            values.push(value);
            self.blank();
            match self.peek() {
                Some(',') => self.at += 1,
                Some(c) if c == close => {
                    self.at += 1;
                    return Ok(Node { keyword: keyword.to_ascii_uppercase(), values, at });
                }
                Some(c) => return Err(self.problem(&format!("a comma or a closing bracket is expected, not \"{c}\""))),
                None => return Err(self.problem(&format!("the closing bracket of {keyword} is missing"))),
            }
        }
    }

    fn text(&mut self) -> Result<String, String> {
        let start = self.at;
        self.at += 1;
        let mut out = String::new();
        loop {
            match self.peek() {
                Some('"') if self.characters.get(self.at + 1) == Some(&'"') => {
                    out.push('"');
                    self.at += 2;
                }
                Some('"') => {
                    self.at += 1;
                    return Ok(out);
                }
                Some(c) => {
                    out.push(c);
                    self.at += 1;
                }
                None => {
                    self.at = start;
                    return Err(self.problem("the closing quote is missing"));
                }
            }
        }
    }
}
