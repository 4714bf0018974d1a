//! The element that a document of XML repeats, cut out of it as bytes, so that it can be read on all cores; and what stands
//! around it, as a document of its own.
//!
//! Only the ends of tags are looked for, with comments, CDATA and quotation marks passed over. Whether a document is
//! well-formed is found by those who read the pieces and what stands around them.

use crate::FormatError;
use memchr::{memchr, memchr3, memmem, memrchr};
use std::cell::RefCell;
use std::collections::VecDeque;
use std::io::{self, Read};
use std::path::Path;

/// Bytes of one piece, at most.
const LARGEST: usize = 256 << 20;
/// Bytes that are read at once.
const CHUNK: usize = 1 << 20;

/// A part of a document.
pub(crate) enum Cut<'a> {
    /// What stands around pieces.
    Around(&'a [u8]),
    /// An element of the name, from its opening to its closing tag.
    Piece(Piece<'a>),
    /// Nothing is left.
    End,
}

/// An element as bytes.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Piece<'a> {
    /// Where in the document it begins.
    pub offset: u64,
    pub bytes: &'a [u8],
}

/// Cuts a document in an encoding whose ASCII is ASCII.
pub(crate) struct Cutter<R> {
    input: R,
    /// The name of the element, without a prefix.
    name: &'static str,
    buffer: Vec<u8>,
    /// What of the buffer was given already.
    given: usize,
    /// Where in the document the buffer begins.
    offset: u64,
    ended: bool,
    /// Finds the name, and what begins comments, CDATA and instructions.
    names: memmem::Finder<'static>,
    marks: [memmem::Finder<'static>; 2],
}

enum Kind {
    /// An opening tag; of an element without content too.
    Open {
        empty: bool,
    },
    Close,
    /// Comments, CDATA, instructions, declarations.
    Other,
}

impl<R: Read> Cutter<R> {
    pub(crate) fn new(input: R, name: &'static str) -> Self {
        let marks = ["<!", "<?"].map(memmem::Finder::new);
        let names = memmem::Finder::new(name);
        Cutter { input, name, buffer: Vec::new(), given: 0, offset: 0, ended: false, names, marks }
    }

    /// The next part, in order; all parts together are the document.
    ///
    /// # Errors
    /// Where it cannot be read, and for a piece that is larger than any element.
    pub(crate) fn next(&mut self) -> io::Result<Cut<'_>> {
        if self.given >= CHUNK {
            self.buffer.drain(..self.given);
            self.offset += self.given as u64;
            self.given = 0;
        }
        let from = self.given;
        let (mut at, mut depth) = (from, 0usize);
        loop {
            let tag = memchr(b'<', &self.buffer[at..]).map(|n| at + n);
            let Some((open, (end, kind))) = tag.and_then(|open| Some((open, token(&self.buffer, open)?))) else {
                // Nothing that ends is left in the buffer.
                let known = tag.unwrap_or(self.buffer.len());
                if depth == 0 && known > from {
                    return Ok(self.around(known));
                }
                if self.buffer.len() - from > LARGEST {
                    let problem = format!("an element holds more than {LARGEST} bytes");
                    return Err(io::Error::new(io::ErrorKind::InvalidData, problem));
                }
                at = known;
                if !self.fill()? {
                    // What was cut short is for the reader of what stands around.
                    return Ok(if from < self.buffer.len() { self.around(self.buffer.len()) } else { Cut::End });
                }
                continue;
            };
            match kind {
                Kind::Open { empty } if self.is_named(open + 1) => {
                    if depth == 0 && open > from {
                        return Ok(self.around(open));
                    }
                    if depth == 0
                        && !empty
                        && let Some(end) = self.plain_end(end)
                    {
                        return Ok(self.piece(end));
                    }
                    depth += usize::from(!empty);
                    if depth == 0 {
                        return Ok(self.piece(end));
                    }
                }
                Kind::Close if depth > 0 && self.is_named(open + 2) => {
                    depth -= 1;
                    if depth == 0 {
                        return Ok(self.piece(end));
                    }
                }
                _ => {}
            }
            at = end;
        }
    }

    /// Where an element ends that is in the buffer and has no markup in it but tags, none of them of its own name: most are
    /// so, and are found without a look at each tag.
    fn plain_end(&self, from: usize) -> Option<usize> {
        let rest = &self.buffer[from..];
        let mut names = self.names.find_iter(rest);
        // Behind "</" there is the name alone, or behind a prefix.
        let name = names.next()?;
        let open = memrchr(b'<', &rest[..name])?;
        let prefix = rest[open..name].strip_prefix(b"</")?;
        let is_prefix = prefix.is_empty() || prefix.ends_with(b":") && prefix.iter().all(|b| !b.is_ascii_whitespace());
        let end = name + self.name.len();
        let is_plain =
            is_prefix && rest.get(end) == Some(&b'>') && self.marks.iter().all(|m| m.find(&rest[..open]).is_none());
        is_plain.then_some(from + end + 1)
    }

    fn around(&mut self, end: usize) -> Cut<'_> {
        let from = std::mem::replace(&mut self.given, end);
        Cut::Around(&self.buffer[from..end])
    }

    fn piece(&mut self, end: usize) -> Cut<'_> {
        let from = std::mem::replace(&mut self.given, end);
        Cut::Piece(Piece { offset: self.offset + from as u64, bytes: &self.buffer[from..end] })
    }

    /// Whether the name at a place, without its prefix, is the one of the pieces.
    fn is_named(&self, at: usize) -> bool {
        let rest = &self.buffer[at..];
        let length =
            rest.iter().position(|b| matches!(b, b' ' | b'\t' | b'\r' | b'\n' | b'/' | b'>')).unwrap_or(rest.len());
        let name = &rest[..length];
        let local = memchr(b':', name).map_or(name, |n| &name[n + 1..]);
        local == self.name.as_bytes()
    }

    /// Reads on; false where nothing is left.
    fn fill(&mut self) -> io::Result<bool> {
        if self.ended {
            return Ok(false);
        }
        // As much as is there already: what is looked at again and again is so in sum no more than twice the whole.
        let more = CHUNK.max(self.buffer.len() - self.given);
        let read = self.input.by_ref().take(more as u64).read_to_end(&mut self.buffer)?;
        self.ended = read == 0;
        Ok(read > 0)
    }
}

/// The end of the tag, comment, or other markup that begins at a place, and what it is; none where it does not end.
fn token(buffer: &[u8], at: usize) -> Option<(usize, Kind)> {
    let rest = &buffer[at..];
    let behind = |what: &[u8], from: usize| {
        let end = memmem::find(rest.get(from..)?, what)? + from + what.len();
        Some((at + end, Kind::Other))
    };
    match rest.get(1)? {
        b'?' => behind(b"?>", 2),
        b'!' if rest.starts_with(b"<!--") => behind(b"-->", 4),
        b'!' if rest.starts_with(b"<![CDATA[") => behind(b"]]>", 9),
        // Too short to tell.
        b'!' if rest.len() < 9 => None,
        b'!' => declaration(rest).map(|end| (at + end, Kind::Other)),
        b'/' => memchr(b'>', rest).map(|end| (at + end + 1, Kind::Close)),
        _ => {
            let mut i = 1;
            loop {
                i += memchr3(b'>', b'"', b'\'', &rest[i..])?;
                if rest[i] == b'>' {
                    return Some((at + i + 1, Kind::Open { empty: rest[i - 1] == b'/' }));
                }
                i += 2 + memchr(rest[i], &rest[i + 1..])?;
            }
        }
    }
}

/// The length of a declaration of a document's type, with what it declares itself.
fn declaration(rest: &[u8]) -> Option<usize> {
    let (mut depth, mut i) = (0usize, 2);
    while let Some(b) = rest.get(i) {
        match b {
            b'"' | b'\'' => i += 1 + memchr(*b, &rest[i + 1..])?,
            b'[' | b'<' => depth += 1,
            b']' => depth = depth.saturating_sub(1),
            b'>' if depth == 0 => return Some(i + 1),
            b'>' => depth -= 1,
            _ => {}
        }
        i += 1;
    }
    None
}

/// A piece that is kept.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct KeptPiece {
    pub offset: u64,
    pub bytes: Vec<u8>,
}

/// Pieces that were passed and not yet asked for, and where in the document what stands around them is.
#[derive(Debug, Default)]
pub(crate) struct Passed {
    pieces: VecDeque<KeptPiece>,
    /// Positions in the document around, with how many bytes more stand in front of them in the whole one. What is read
    /// ahead is short, so that a few of the last are enough.
    places: VecDeque<(u64, u64)>,
}

/// More markers than are ever read ahead of those who read.
const PLACES: usize = 1 << 14;

impl Passed {
    /// The piece that the next marker stands for.
    pub(crate) fn next(&mut self) -> Option<KeptPiece> {
        self.pieces.pop_front()
    }

    /// Where in the whole document a position of the document around is.
    pub(crate) fn whole(&self, position: u64) -> u64 {
        let before = self.places.iter().rev().find(|(at, _)| *at <= position);
        position + before.map_or(0, |(_, more)| *more)
    }
}

/// What stands around the pieces of a document, as a document that has an empty element in the place of each.
pub(crate) struct Around<'a, R> {
    cutter: Cutter<R>,
    passed: &'a RefCell<Passed>,
    waiting: Vec<u8>,
    given: usize,
    /// Bytes that were made so far, and how many more there are in the whole document.
    made: u64,
    more: u64,
}

impl<'a, R: Read> Around<'a, R> {
    pub(crate) fn new(input: R, name: &'static str, passed: &'a RefCell<Passed>) -> Self {
        Around { cutter: Cutter::new(input, name), passed, waiting: Vec::new(), given: 0, made: 0, more: 0 }
    }
}

impl<R: Read> Read for Around<'_, R> {
    fn read(&mut self, into: &mut [u8]) -> io::Result<usize> {
        while self.given == self.waiting.len() {
            self.waiting.clear();
            self.given = 0;
            let name = self.cutter.name;
            match self.cutter.next()? {
                Cut::End => return Ok(0),
                Cut::Around(bytes) => self.waiting.extend_from_slice(bytes),
                Cut::Piece(piece) => {
                    self.waiting.extend_from_slice(format!("<{name}/>").as_bytes());
                    let mut passed = self.passed.borrow_mut();
                    self.more = (self.more + piece.bytes.len() as u64).saturating_sub(self.waiting.len() as u64);
                    passed.pieces.push_back(KeptPiece { offset: piece.offset, bytes: piece.bytes.to_vec() });
                    passed.places.push_back((self.made + self.waiting.len() as u64, self.more));
                    if passed.places.len() > PLACES {
                        passed.places.pop_front();
                    }
                }
            }
            self.made += self.waiting.len() as u64;
        }
        let n = into.len().min(self.waiting.len() - self.given);
        into[..n].copy_from_slice(&self.waiting[self.given..self.given + n]);
        self.given += n;
        Ok(n)
    }
}

/// Pieces as the raw block that a decoder takes.
#[derive(Debug, Default)]
pub(crate) struct PieceBlock(Vec<u8>);

impl PieceBlock {
    pub(crate) fn push(&mut self, piece: Piece) {
        self.0.extend_from_slice(&piece.offset.to_le_bytes());
        self.0.extend_from_slice(&(piece.bytes.len() as u64).to_le_bytes());
        self.0.extend_from_slice(piece.bytes);
    }

    pub(crate) fn bytes(&self) -> usize {
        self.0.len()
    }

    /// The block, and an empty one in its place.
    pub(crate) fn take(&mut self) -> Vec<u8> {
        std::mem::take(&mut self.0)
    }

    /// The pieces of a block.
    pub(crate) fn pieces(block: &[u8]) -> impl Iterator<Item = Piece<'_>> {
        let mut rest = block;
        std::iter::from_fn(move || {
            let (offset, behind) = rest.split_first_chunk::<8>()?;
            let (length, behind) = behind.split_first_chunk::<8>()?;
            let (bytes, behind) = behind.split_at_checked(u64::from_le_bytes(*length) as usize)?;
            rest = behind;
            Some(Piece { offset: u64::from_le_bytes(*offset), bytes })
        })
    }
}

/// What reading failed with, in words.
pub(crate) fn failed(path: &Path, e: io::Error) -> FormatError {
    match e.kind() {
        io::ErrorKind::InvalidData => FormatError::broken(path, e.to_string()),
        _ => FormatError::read(path, e),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// Gives its bytes a few at a time.
    struct Slowly<'a>(&'a [u8], usize);

    impl Read for Slowly<'_> {
        fn read(&mut self, into: &mut [u8]) -> io::Result<usize> {
            let n = self.0.len().min(self.1).min(into.len());
            into[..n].copy_from_slice(&self.0[..n]);
            self.0 = &self.0[n..];
            Ok(n)
        }
    }

    fn cut(document: &[u8], step: usize) -> (Vec<String>, String) {
        let mut cutter = Cutter::new(Slowly(document, step), "item");
        let (mut pieces, mut all) = (Vec::new(), String::new());
        loop {
            match cutter.next().unwrap() {
                Cut::End => return (pieces, all),
                Cut::Around(bytes) => all.push_str(std::str::from_utf8(bytes).unwrap()),
                Cut::Piece(piece) => {
                    assert_eq!(piece.offset as usize, all.len());
                    let text = std::str::from_utf8(piece.bytes).unwrap();
                    all.push_str(text);
                    pieces.push(text.to_string());
                }
            }
        }
    }

    #[test]
    fn what_looks_like_a_piece_is_one_only_where_it_is_markup() {
        for (document, wanted) in [
            ("<f><item>a</item> <item/></f>", &["<item>a</item>", "<item/>"][..]),
            ("<f><!-- <item>no</item> --><item>a</item></f>", &["<item>a</item>"]),
            ("<f><![CDATA[<item>no</item>]]><item a='>'>a</item></f>", &["<item a='>'>a</item>"]),
            ("<f><item><![CDATA[</item>]]>a</item></f>", &["<item><![CDATA[</item>]]>a</item>"]),
            ("<f><item><!-- </item> -->a</item></f>", &["<item><!-- </item> -->a</item>"]),
            ("<f b='<item>'><items/><k:item>a<item>b</item></k:item></f>", &["<k:item>a<item>b</item></k:item>"]),
            ("<?x <item> ?><!DOCTYPE f [<!ENTITY a \"<item>\">]><f><item\n/></f>", &["<item\n/>"]),
            ("<f><item>cut", &[]),
            ("<f><item a=\"", &[]),
            ("no markup", &[]),
            ("<", &[]),
            ("", &[]),
        ] {
            for step in [1, 2, 7, 1000] {
                let (pieces, all) = cut(document.as_bytes(), step);
                assert_eq!(pieces, wanted, "{document}");
                assert_eq!(all, document);
            }
        }
    }

    #[test]
    fn what_stands_around_has_a_marker_for_each_and_knows_where_it_is() {
        let document = "<f><item>one</item><g>x</g><a:item>two</a:item></f>";
        let passed = RefCell::new(Passed::default());
        let mut around = String::new();
        Around::new(document.as_bytes(), "item", &passed).read_to_string(&mut around).unwrap();
        assert_eq!(around, "<f><item/><g>x</g><item/></f>");
        let mut passed = passed.into_inner();
        for sign in ["<f>", "<g>", "</g>", "</f>"] {
            let position = around.find(sign).unwrap() as u64;
            assert_eq!(passed.whole(position), document.find(sign).unwrap() as u64, "{sign}");
        }
        assert_eq!(passed.next().map(|p| p.bytes), Some(b"<item>one</item>".to_vec()));
        assert_eq!(passed.next().map(|p| p.offset), Some(27));
        assert_eq!(passed.next(), None);
    }

    proptest! {
        #[test]
        fn all_parts_together_are_the_document_whatever_it_is(
            parts in prop::collection::vec(
                prop::sample::select(vec!["<item>", "</item>", "<item/>", "<", ">", "'", "\"", "<!--", "-->", "<![CDATA[", "]]>", "a", " ", "<b c='d'>", "<?", "?>", "<!D [", "]"]),
                0..30,
            ),
            step in 1usize..9,
        ) {
            let document = parts.concat();
            let (pieces, all) = cut(document.as_bytes(), step);
            prop_assert_eq!(&all, &document);
            prop_assert!(pieces.iter().all(|p| p.starts_with("<item")));
            let mut block = PieceBlock::default();
            pieces.iter().for_each(|p| block.push(Piece { offset: 7, bytes: p.as_bytes() }));
            let bytes = block.take();
            let back: Vec<&[u8]> = PieceBlock::pieces(&bytes).map(|p| p.bytes).collect();
            prop_assert_eq!(back, pieces.iter().map(|p| p.as_bytes()).collect::<Vec<_>>());
        }
    }
}
