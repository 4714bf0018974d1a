//! Letters as outlines. The font is DejaVu Sans, cut down to the letters of Europe's languages; its licence is beside it in
//! `font/LICENSE`.

use crate::canvas::{Part, Path};
use ttf_parser::{Face, OutlineBuilder};

static FONT: &[u8] = include_bytes!("../font/labels.ttf");

/// A text as outlines, its first letter's foot at a place.
pub fn outlines(text: &str, [x, y]: [f64; 2], size: f64) -> Path {
    let mut path = Path::default();
    let Ok(face) = Face::parse(FONT, 0) else { return path };
    let scale = size / f64::from(face.units_per_em());
    let mut pen = x;
    for c in text.chars() {
        let Some(glyph) = face.glyph_index(c).or_else(|| face.glyph_index('\u{FFFD}')) else { continue };
        face.outline_glyph(glyph, &mut Outline { path: &mut path, at: [pen, y], scale });
        pen += f64::from(face.glyph_hor_advance(glyph).unwrap_or(0)) * scale;
    }
    path
}

/// How wide a text is.
///
/// ```
/// use basilocus_draw::font::width;
///
/// assert!(width("Ternport", 12.0) > width("Tern", 12.0));
/// assert_eq!(width("", 12.0), 0.0);
/// ```
pub fn width(text: &str, size: f64) -> f64 {
    let Ok(face) = Face::parse(FONT, 0) else { return 0.0 };
    let scale = size / f64::from(face.units_per_em());
    let advance = |c: char| {
        let glyph = face.glyph_index(c).or_else(|| face.glyph_index('\u{FFFD}'));
        glyph.and_then(|g| face.glyph_hor_advance(g)).map_or(0.0, f64::from)
    };
    text.chars().map(advance).sum::<f64>() * scale
}

struct Outline<'a> {
    path: &'a mut Path,
    at: [f64; 2],
    scale: f64,
}

impl Outline<'_> {
    fn place(&self, x: f32, y: f32) -> [f64; 2] {
        [self.at[0] + f64::from(x) * self.scale, self.at[1] - f64::from(y) * self.scale]
    }
}

impl OutlineBuilder for Outline<'_> {
    fn move_to(&mut self, x: f32, y: f32) {
        let part = Part::Move(self.place(x, y));
        self.path.0.push(part);
    }

    fn line_to(&mut self, x: f32, y: f32) {
        let part = Part::Line(self.place(x, y));
        self.path.0.push(part);
    }

    fn quad_to(&mut self, x1: f32, y1: f32, x: f32, y: f32) {
        let part = Part::Curve(self.place(x1, y1), self.place(x, y));
        self.path.0.push(part);
    }

    fn curve_to(&mut self, _: f32, _: f32, _: f32, _: f32, x: f32, y: f32) {
        // A font of this kind has none.
        self.line_to(x, y);
    }

    fn close(&mut self) {
        self.path.0.push(Part::Close);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn letters_of_many_languages_have_outlines() {
        for text in ["Ternport", "Ålesund Łódź Ðakovo", "Ελλάδα", "Київ", "46° 12′ 3″ → m²"] {
            assert!(
                text.chars().filter(|c| *c != ' ').all(|c| !outlines(&c.to_string(), [0.0; 2], 10.0).0.is_empty()),
                "{text}"
            );
        }
        assert!(!outlines("漢", [0.0; 2], 10.0).0.is_empty(), "a sign that the font lacks is a box, not a gap");
    }
}
