//! What the header of a PLY file says.

/// How the values stand in the file.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Form {
    Text,
    LittleEndian,
    BigEndian,
}

/// The type of a value.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Number {
    I8,
    U8,
    I16,
    U16,
    I32,
    U32,
    F32,
    F64,
}

impl Number {
    /// By its name, of which there are two generations.
    fn named(name: &str) -> Option<Self> {
        Some(match name {
            "char" | "int8" => Number::I8,
            "uchar" | "uint8" => Number::U8,
            "short" | "int16" => Number::I16,
            "ushort" | "uint16" => Number::U16,
            "int" | "int32" => Number::I32,
            "uint" | "uint32" => Number::U32,
            "float" | "float32" => Number::F32,
            "double" | "float64" => Number::F64,
            _ => return None,
        })
    }

    pub(super) fn bytes(self) -> usize {
        match self {
            Number::I8 | Number::U8 => 1,
            Number::I16 | Number::U16 => 2,
            Number::I32 | Number::U32 | Number::F32 => 4,
            Number::F64 => 8,
        }
    }

    pub(super) fn is_whole(self) -> bool {
        !matches!(self, Number::F32 | Number::F64)
    }

    /// The value of as many bytes as it has. A float of 32 bits is the shortest decimal that it stands for, so that 0.1 stays 0.1.
    pub(super) fn read(self, bytes: &[u8], form: Form) -> f64 {
        let mut all = [0u8; 8];
        let width = self.bytes();
        all[..width].copy_from_slice(&bytes[..width]);
        if form == Form::BigEndian {
            all[..width].reverse();
        }
        let [a, b, c, d, ..] = all;
        match self {
            Number::I8 => f64::from(a as i8),
            Number::U8 => f64::from(a),
            Number::I16 => f64::from(i16::from_le_bytes([a, b])),
            Number::U16 => f64::from(u16::from_le_bytes([a, b])),
            Number::I32 => f64::from(i32::from_le_bytes([a, b, c, d])),
            Number::U32 => f64::from(u32::from_le_bytes([a, b, c, d])),
            Number::F32 => shortest(f32::from_le_bytes([a, b, c, d])),
            Number::F64 => f64::from_le_bytes(all),
        }
    }
}

/// The shortest decimal of a float, as a double.
pub(super) fn shortest(value: f32) -> f64 {
    if !value.is_finite() || value.fract() == 0.0 {
        return f64::from(value);
    }
    zmij::Buffer::new().format_finite(value).parse().unwrap_or(f64::from(value))
}

/// A property of an element.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct Property {
    pub name: String,
    pub number: Number,
    /// The type of its length, where it is a list.
    pub list: Option<Number>,
}

/// An element, such as `vertex` or `face`.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct Element {
    pub name: String,
    pub count: u64,
    pub properties: Vec<Property>,
}

/// The header.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct Header {
    pub form: Form,
    pub elements: Vec<Element>,
    pub comments: Vec<String>,
    /// Its bytes, and its lines.
    pub bytes: usize,
    pub lines: u64,
}

/// Whether bytes begin as such a file does.
pub(super) fn is_ply(bytes: &[u8]) -> bool {
    bytes.starts_with(b"ply\n") || bytes.starts_with(b"ply\r")
}

impl Header {
    /// Reads the header.
    ///
    /// # Errors
    /// The line, and what is wrong with it.
    pub(super) fn read(bytes: &[u8]) -> Result<Self, (u64, String)> {
        let mut header = Header { form: Form::Text, elements: Vec::new(), comments: Vec::new(), bytes: 0, lines: 0 };
        let mut form = None;
        loop {
            let rest = &bytes[header.bytes..];
            let line = header.lines + 1;
            let Some(end) = memchr::memchr2(b'\n', b'\r', rest) else {
                return Err((line, "the header has no end_header".into()));
            };
            let text = String::from_utf8_lossy(&rest[..end]).trim().to_string();
            let ends_twice = rest[end] == b'\r' && rest.get(end + 1) == Some(&b'\n');
            header.bytes += end + 1 + usize::from(ends_twice);
            header.lines = line;
            let words: Vec<&str> = text.split_ascii_whitespace().collect();
            let wrong = |problem: String| Err((line, problem));
            match words[..] {
                [] | ["ply"] => {}
                ["comment" | "obj_info", ..] => {
                    header.comments.push(text.split_once(' ').map_or("", |(_, rest)| rest).trim().to_string());
                }
                ["format", name, _] => {
                    form = Some(match name {
                        "ascii" => Form::Text,
                        "binary_little_endian" => Form::LittleEndian,
                        "binary_big_endian" => Form::BigEndian,
                        _ => {
                            return wrong(format!(
                                "the format {name} is not known; ascii, binary_little_endian or binary_big_endian is expected"
                            ));
                        }
                    });
                }
                ["element", name, count] => match count.parse() {
                    Ok(count) => header.elements.push(Element { name: name.into(), count, properties: Vec::new() }),
                    Err(_) => return wrong(format!("the element {name} has the count {count}; a number is expected")),
                },
                ["property", .., name] => {
                    let type_of = |name: &str| Number::named(name);
                    let property = match words[1..words.len() - 1] {
                        [number] => type_of(number).map(|number| Property { name: name.into(), number, list: None }),
                        ["list", length, number] => type_of(length)
                            .filter(|length| length.is_whole())
                            .zip(type_of(number))
                            .map(|(length, number)| Property { name: name.into(), number, list: Some(length) }),
                        _ => None,
                    };
                    let Some(property) = property else {
                        return wrong(format!(
                            "`{text}` is no property; a type such as double, and a name are expected"
                        ));
                    };
                    let Some(element) = header.elements.last_mut() else {
                        return wrong(format!("the property {name} belongs to no element"));
                    };
                    element.properties.push(property);
                }
                ["end_header"] => break,
                _ => return wrong(format!("`{text}` is no line of a header")),
            }
        }
        header.form = form.ok_or((1, "the header does not say its format".to_string()))?;
        Ok(header)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_header_says_elements_and_their_properties() {
        let text =
            b"ply\r\nformat binary_big_endian 1.0\r\ncomment  of a scan \r\nelement vertex 3\r\nproperty double x\r\n\
            property float32 quality\r\nelement face 1\r\nproperty list uchar int vertex_indices\r\nend_header\r\nrest";
        let header = Header::read(text).unwrap();
        assert_eq!(
            (header.form, &header.comments[..], header.lines),
            (Form::BigEndian, &["of a scan".to_string()][..], 9)
        );
        assert_eq!(&text[header.bytes..], b"rest");
        let [vertex, face] = &header.elements[..] else { panic!("{header:?}") };
        assert_eq!((vertex.count, vertex.properties[1].number), (3, Number::F32));
        assert_eq!((face.properties[0].list, face.properties[0].number), (Some(Number::U8), Number::I32));
    }

    #[test]
    fn what_is_wrong_with_a_header_is_told_with_its_line() {
        for (text, line, expected) in [
            ("ply\nformat ascii 1.0\n", 3, "no end_header"),
            ("ply\nformat packed 1.0\n", 2, "the format packed"),
            ("ply\nproperty float x\n", 2, "belongs to no element"),
            ("ply\nelement vertex many\n", 2, "count many"),
            ("ply\nelement vertex 1\nproperty length x\n", 3, "is no property"),
            ("ply\nelement vertex 1\nproperty list float int x\n", 3, "is no property"),
            ("ply\nend_header\n", 1, "does not say its format"),
            ("ply\nhello\n", 2, "`hello`"),
        ] {
            let (at, problem) = Header::read(text.as_bytes()).unwrap_err();
            assert!(at == line && problem.contains(expected), "{text:?}: {at} {problem}");
        }
    }

    #[test]
    fn numbers_are_read_in_either_order() {
        assert_eq!(Number::I16.read(&[0xFE, 0xFF], Form::LittleEndian), -2.0);
        assert_eq!(Number::I16.read(&[0xFF, 0xFE], Form::BigEndian), -2.0);
        assert_eq!(Number::F32.read(&0.1f32.to_be_bytes(), Form::BigEndian), 0.1);
        assert_eq!(Number::F64.read(&0.1f64.to_le_bytes(), Form::LittleEndian), 0.1);
        assert_eq!(Number::U32.read(&u32::MAX.to_le_bytes(), Form::LittleEndian), 4_294_967_295.0);
        assert!(Number::F32.read(&f32::NAN.to_le_bytes(), Form::LittleEndian).is_nan());
    }
}
