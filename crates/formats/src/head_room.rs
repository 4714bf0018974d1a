//! Room in the head of a document for what is known at its end alone: how many rows were read, how accurate they are.

use crate::xml::push_escaped;
use std::io::{BufWriter, Result, Seek, SeekFrom, Write};

/// Bytes that are kept free; blanks between elements mean nothing.
const ROOM: usize = 1024;

/// Blanks that a description takes the place of.
#[derive(Debug)]
pub(crate) struct HeadRoom {
    at: u64,
}

impl HeadRoom {
    /// Keeps room where a file is being written.
    pub(crate) fn keep(file: &mut BufWriter<impl Write + Seek>) -> Result<Self> {
        let at = file.stream_position()?;
        file.write_all(&[b' '; ROOM])?;
        file.write_all(b"\n")?;
        Ok(HeadRoom { at })
    }

    /// Puts a text there, between the tags of its element, as many of its lines as there is room for; none where there is no
    /// text. Leaves the file at its end.
    pub(crate) fn fill(
        &self,
        file: &mut BufWriter<impl Write + Seek>,
        tags: [&str; 2],
        lines: &[String],
    ) -> Result<()> {
        let mut text = String::new();
        for line in lines.iter().filter(|line| !line.is_empty()) {
            let before = text.len();
            if before > 0 {
                text.push_str(". ");
            }
            push_escaped(&mut text, line);
            if tags[0].len() + text.len() + tags[1].len() > ROOM {
                text.truncate(before);
                break;
            }
        }
        if text.is_empty() {
            return Ok(());
        }
        file.seek(SeekFrom::Start(self.at))?;
        write!(file, "{}{text}{}", tags[0], tags[1])?;
        file.seek(SeekFrom::End(0))?;
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn filled(lines: &[&str]) -> String {
        let mut file = BufWriter::new(tempfile::tempfile().unwrap());
        file.write_all(b"<a>").unwrap();
        let room = HeadRoom::keep(&mut file).unwrap();
        file.write_all(b"<b/>").unwrap();
        let lines: Vec<String> = lines.iter().map(|l| l.to_string()).collect();
        room.fill(&mut file, ["<d>", "</d>"], &lines).unwrap();
        file.write_all(b"</a>").unwrap();
        let mut file = file.into_inner().unwrap();
        file.rewind().unwrap();
        let mut text = String::new();
        std::io::Read::read_to_string(&mut file, &mut text).unwrap();
        assert_eq!(text.len(), 3 + ROOM + 1 + 4 + 4, "nothing is moved");
        text.split_whitespace().collect::<Vec<_>>().join(" ")
    }

    #[test]
    fn what_is_known_at_the_end_stands_in_the_head() {
        assert_eq!(filled(&["12 < 13 rows", "as they are"]), "<a><d>12 &lt; 13 rows. as they are</d> <b/></a>");
        assert_eq!(filled(&[]), "<a> <b/></a>");
        let long = "x".repeat(600);
        assert_eq!(filled(&[&long, &long]), format!("<a><d>{long}</d> <b/></a>"), "whole lines alone");
        assert_eq!(filled(&["y".repeat(2000).as_str()]), "<a> <b/></a>");
    }
}
