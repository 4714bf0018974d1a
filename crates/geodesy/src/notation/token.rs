//! The pieces of a written angle.

use super::NotationError;

#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) enum Token {
    /// Digits with at most one decimal sign; `decimals` is `None` for a whole number.
    Number {
        value: f64,
        decimals: Option<u8>,
        comma: bool,
    },
    Minus,
    Plus,
    /// N, S, E or W; O where a language's west and another's east share it.
    Letter(char),
    Degree,
    Minute,
    Second,
    /// A comma between two angles.
    Comma,
    /// A semicolon, slash or bar between two angles.
    Separator,
}

/// A token, the character at which it starts, and whether white space comes before it.
#[derive(Debug, Clone, Copy)]
pub(super) struct Placed {
    pub token: Token,
    pub at: usize,
    pub spaced: bool,
}

/// Cuts a text into tokens. Words such as `lat`, `deg`, `min`, `sec` count as the signs they stand for.
///
/// `decimal_comma` says whether a comma between digits is a decimal sign.
pub(super) fn tokens(text: &str, decimal_comma: bool) -> Result<Vec<Placed>, NotationError> {
    // "с. ш." and "в.д." are words with points in them.
    let mended;
    let text = if text.contains(['ш', 'д']) {
        mended = [("с", "ш", "N"), ("ю", "ш", "S"), ("в", "д", "E"), ("з", "д", "W")].iter().fold(
            text.to_string(),
            |t, (a, b, letter)| {
                t.replace(&format!("{a}.{b}."), letter)
                    .replace(&format!("{a}. {b}."), letter)
                    .replace(&format!("{a}{b}"), letter)
            },
        );
        &mended
    } else {
        text
    };
    let chars: Vec<char> = text.chars().collect();
    let mut out: Vec<Placed> = Vec::new();
    let (mut i, mut spaced) = (0, false);
    // Whether the last minutes were closed by a letter, so that an s behind them closes seconds.
    let mut by_letter: Option<char> = None;
    while i < chars.len() {
        let c = chars[i];
        let start = i;
        let token = match c {
            c if c.is_whitespace() || c == '\u{feff}' || c == '_' => {
                spaced = true;
                i += 1;
                continue;
            }
            '0'..='9' | '.' => {
                let (token, next) = number(&chars, i, decimal_comma)
                    .ok_or_else(|| NotationError::new(text, Some(start), "has a number that cannot be read"))?;
                i = next;
                token
            }
            '-' | '−' | '–' | '‐' => {
                i += 1;
                Token::Minus
            }
            '+' => {
                i += 1;
                Token::Plus
            }
            '°' | 'º' | '˚' | '∘' | '*' => {
                i += 1;
                Token::Degree
            }
            '\'' | '′' | '’' | '‘' | '`' | '´' | 'ʹ' | '‵' => {
                i += 1;
                // Two single signs are a second sign.
                if chars.get(i).is_some_and(|n| matches!(n, '\'' | '′' | '’' | '‘' | '`' | '´' | 'ʹ')) {
                    i += 1;
                    Token::Second
                } else {
                    Token::Minute
                }
            }
            '"' | '″' | '”' | '“' | 'ʺ' | '˝' => {
                i += 1;
                Token::Second
            }
            ',' => {
                i += 1;
                Token::Comma
            }
            ';' | '/' | '|' => {
                i += 1;
                Token::Separator
            }
            '(' | ')' | '[' | ']' | ':' | '=' => {
                // Brackets hold nothing; a colon stands between parts as a blank does.
                spaced = true;
                i += 1;
                continue;
            }
            c if c.is_alphabetic() => {
                let mut word = String::new();
                while i < chars.len() && chars[i].is_alphabetic() {
                    word.extend(chars[i].to_lowercase());
                    i += 1;
                }
                let letter = std::mem::take(&mut by_letter);
                if word == "m" {
                    by_letter = Some(chars[start]);
                }
                match word.as_str() {
                    "s" if letter.is_some() && follows_seconds(&out) => {
                        let other = chars[i..].iter().find(|c| c.is_alphabetic());
                        let has_hemisphere = other.is_some_and(|c| "NSEWnsew".contains(*c))
                            || matches!(out.first(), Some(Placed { token: Token::Letter(_), .. }));
                        if !has_hemisphere && letter == Some('M') {
                            return Err(NotationError::new(
                                text,
                                Some(start),
                                "has an S that closes the seconds or is south; write \" for seconds, or the hemisphere behind it",
                            ));
                        }
                        Token::Second
                    }
                    "n" | "north" | "nord" | "norte" | "noord" | "norden" | "nördlich" | "nördl" => {
                        Token::Letter('N')
                    }
                    "s" | "south" | "sud" | "sur" | "sul" | "süd" | "zuid" | "syd" | "südlich" | "südl" => {
                        Token::Letter('S')
                    }
                    "e" | "east" | "est" | "este" | "leste" | "ost" | "osten" | "oost" | "øst" | "öst" | "östlich"
                    | "östl" | "l" | "ö" | "ø" => Token::Letter('E'),
                    "w" | "west" | "ouest" | "oeste" | "ovest" | "westen" | "vest" | "väst" | "westlich" | "westl" => {
                        Token::Letter('W')
                    }
                    "o" => Token::Letter('O'),
                    "d" | "deg" | "degs" | "degree" | "degrees" => Token::Degree,
                    "m" | "min" | "mins" | "minute" | "minutes" => Token::Minute,
                    "sec" | "secs" | "second" | "seconds" => Token::Second,
                    "lat" | "latitude" | "lon" | "long" | "lng" | "longitude" => {
                        // A label says which axis; it is checked where the pair is put together.
                        out.push(Placed {
                            token: Token::Letter(if word.starts_with("la") { 'φ' } else { 'λ' }),
                            at: start,
                            spaced: true,
                        });
                        if chars.get(i) == Some(&'.') {
                            i += 1;
                        }
                        spaced = true;
                        continue;
                    }
                    _ => {
                        return Err(NotationError::new(
                            text,
                            Some(start),
                            format!("has the word \"{word}\", which is no part of a position in degrees"),
                        ));
                    }
                }
            }
            _ => {
                return Err(NotationError::new(
                    text,
                    Some(start),
                    "has a sign that is no part of a position in degrees",
                ));
            }
        };
        out.push(Placed { token, at: start, spaced });
        spaced = false;
    }
    Ok(out)
}

/// Whether what comes next closes seconds: degrees and minutes are closed, and a number stands behind them.
fn follows_seconds(tokens: &[Placed]) -> bool {
    let last: Vec<Token> = tokens.iter().rev().take(3).map(|t| t.token).collect();
    matches!(last.as_slice(), [Token::Number { .. }, Token::Minute, Token::Number { .. }])
}

/// The tokens with the letter O taken for east or for west.
pub(super) fn decided(mut tokens: Vec<Placed>, east: bool) -> Vec<Placed> {
    for t in &mut tokens {
        if t.token == Token::Letter('O') {
            t.token = Token::Letter(if east { 'E' } else { 'W' });
        }
    }
    tokens
}

fn number(chars: &[char], start: usize, decimal_comma: bool) -> Option<(Token, usize)> {
    let mut text = String::new();
    let (mut i, mut decimals, mut comma) = (start, None, false);
    while i < chars.len() {
        let c = chars[i];
        if c.is_ascii_digit() {
            decimals = decimals.map(|d: u8| d.saturating_add(1));
        } else if decimals.is_none()
            && (c == '.'
                || (decimal_comma && c == ',' && i > start && chars.get(i + 1).is_some_and(char::is_ascii_digit)))
        {
            // A point that ends a sentence or stands before a sign is still a decimal point of a whole number.
            decimals = Some(0);
            comma = c == ',';
            text.push('.');
            i += 1;
            continue;
        } else {
            break;
        }
        text.push(c);
        i += 1;
    }
    let value = text.parse::<f64>().ok()?;
    Some((Token::Number { value, decimals: decimals.filter(|d| *d > 0), comma }, i))
}
