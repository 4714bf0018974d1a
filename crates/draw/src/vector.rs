//! SVG.

use crate::bitmap;
use crate::canvas::{Canvas, Part, Path, Pixels};
use crate::color::{Color, PAPER};
use base64::Engine;
use std::fmt::Write;

/// A picture of paths.
pub struct Vector {
    size: [u32; 2],
    body: String,
    clips: usize,
    in_clip: bool,
}

impl Vector {
    /// White paper.
    pub fn new(size: [u32; 2]) -> Self {
        let mut vector = Vector { size, body: String::new(), clips: 0, in_clip: false };
        vector.fill(&Path::rectangle([0.0, 0.0], size.map(f64::from)), PAPER);
        vector
    }

    /// As text.
    pub fn into_svg(mut self) -> String {
        self.clip(None);
        let [width, height] = self.size;
        format!(
            "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"{width}\" height=\"{height}\" viewBox=\"0 0 {width} {height}\">\n{}</svg>\n",
            self.body
        )
    }
}

/// A number with a hundredth of a pixel.
fn number(v: f64) -> String {
    let text = format!("{v:.2}");
    let text = text.trim_end_matches('0').trim_end_matches('.');
    if text == "-0" { "0".into() } else { text.into() }
}

fn data(path: &Path) -> String {
    let mut out = String::new();
    let mut put = |letter: char, places: &[[f64; 2]]| {
        out.push(letter);
        let numbers: Vec<String> = places.iter().flatten().map(|v| number(*v)).collect();
        out.push_str(&numbers.join(" "));
    };
    for part in &path.0 {
        match part {
            Part::Move(p) => put('M', &[*p]),
            Part::Line(p) => put('L', &[*p]),
            Part::Curve(c, p) => put('Q', &[*c, *p]),
            Part::Close => put('Z', &[]),
        }
    }
    out
}

fn opacity(color: Color, what: &str) -> String {
    match color.0[3] {
        255 => String::new(),
        a => format!(" {what}-opacity=\"{}\"", number(f64::from(a) / 255.0)),
    }
}

impl Canvas for Vector {
    fn fill(&mut self, path: &Path, color: Color) {
        let seen = opacity(color, "fill");
        let _ =
            writeln!(self.body, "<path fill=\"{}\"{seen} fill-rule=\"evenodd\" d=\"{}\"/>", color.hex(), data(path));
    }

    fn stroke(&mut self, path: &Path, width: f64, color: Color) {
        let _ = writeln!(
            self.body,
            "<path fill=\"none\" stroke=\"{}\"{} stroke-width=\"{}\" stroke-linecap=\"round\" stroke-linejoin=\"round\" d=\"{}\"/>",
            color.hex(),
            opacity(color, "stroke"),
            number(width),
            data(path)
        );
    }

    fn picture(&mut self, pixels: &Pixels, [x, y]: [f64; 2], [width, height]: [f64; 2]) {
        let Some(bytes) = bitmap::packed(pixels) else { return };
        let rendering = if width / pixels.size[0] as f64 >= 1.0 { " image-rendering=\"pixelated\"" } else { "" };
        let _ = writeln!(
            self.body,
            "<image x=\"{}\" y=\"{}\" width=\"{}\" height=\"{}\" preserveAspectRatio=\"none\"{rendering} href=\"data:image/png;base64,{}\"/>",
            number(x),
            number(y),
            number(width),
            number(height),
            base64::engine::general_purpose::STANDARD.encode(bytes)
        );
    }

    fn clip(&mut self, to: Option<([f64; 2], [f64; 2])>) {
        if std::mem::take(&mut self.in_clip) {
            self.body.push_str("</g>\n");
        }
        if let Some((corner, size)) = to {
            self.clips += 1;
            self.in_clip = true;
            let _ = writeln!(
                self.body,
                "<clipPath id=\"c{0}\"><path d=\"{1}\"/></clipPath>\n<g clip-path=\"url(#c{0})\">",
                self.clips,
                data(&Path::rectangle(corner, size))
            );
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn paths_are_written_with_a_hundredth_of_a_pixel() {
        let mut vector = Vector::new([100, 64]);
        vector.clip(Some(([1.0, 2.0], [30.0, 40.0])));
        vector.stroke(&Path::line(&[[0.0, -0.001], [10.126, 3.5]]), 1.5, Color::rgb(1, 2, 3).covering(0.5));
        vector.fill(&Path(vec![Part::Move([0.0, 0.0]), Part::Curve([1.0, 1.0], [2.0, 0.0]), Part::Close]), PAPER);
        let svg = vector.into_svg();
        assert!(svg.contains("stroke=\"#010203\" stroke-opacity=\"0.5\" stroke-width=\"1.5\""), "{svg}");
        assert!(svg.contains("d=\"M0 0L10.13 3.5\"") && svg.contains("d=\"M0 0Q1 1 2 0Z\""), "{svg}");
        assert!(svg.contains("<g clip-path=\"url(#c1)\">") && svg.matches("</g>").count() == 1, "{svg}");
    }
}
