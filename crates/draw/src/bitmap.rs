//! Pixels.

use crate::PictureError;
use crate::canvas::{Canvas, Part, Path, Pixels};
use crate::color::{Color, PAPER};
use tiny_skia::{
    FillRule, FilterQuality, IntSize, LineCap, LineJoin, Mask, Paint, PathBuilder, Pixmap, PixmapPaint, Rect, Stroke,
    Transform,
};

/// A picture of pixels.
pub struct Bitmap {
    pixmap: Pixmap,
    mask: Option<Mask>,
}

/// What a side may have.
const SIDES: std::ops::RangeInclusive<u32> = 64..=20_000;

impl Bitmap {
    /// White paper.
    ///
    /// # Errors
    /// [`PictureError::Size`].
    pub fn new([width, height]: [u32; 2]) -> Result<Self, PictureError> {
        let mut bitmap = Self::clear([width, height])?;
        bitmap.pixmap.fill(of(PAPER));
        Ok(bitmap)
    }

    /// Nothing, that lets through what is below.
    ///
    /// # Errors
    /// [`PictureError::Size`].
    pub fn clear([width, height]: [u32; 2]) -> Result<Self, PictureError> {
        let wrong = PictureError::Size { width, height };
        if !(SIDES.contains(&width) && SIDES.contains(&height)) {
            return Err(wrong);
        }
        Ok(Bitmap { pixmap: Pixmap::new(width, height).ok_or(wrong)?, mask: None })
    }

    /// Its pixels, with how much they cover.
    pub fn into_pixels(self) -> Pixels {
        let color = |p: &tiny_skia::PremultipliedColorU8| {
            let p = p.demultiply();
            Color([p.red(), p.green(), p.blue(), p.alpha()])
        };
        let size = [self.pixmap.width() as usize, self.pixmap.height() as usize];
        Pixels { size, colors: self.pixmap.pixels().iter().map(color).collect() }
    }

    /// As PNG.
    ///
    /// # Errors
    /// [`PictureError::Packing`].
    pub fn into_png(self) -> Result<Vec<u8>, PictureError> {
        let failed = |e: png::EncodingError| PictureError::Packing(e.to_string());
        let mut bytes = Vec::new();
        let mut encoder = png::Encoder::new(&mut bytes, self.pixmap.width(), self.pixmap.height());
        encoder.set_color(png::ColorType::Rgb);
        encoder.set_depth(png::BitDepth::Eight);
        let mut writer = encoder.write_header().map_err(failed)?;
        // The paper covers everything: nothing is let through.
        let pixels: Vec<u8> = self.pixmap.data().chunks_exact(4).flat_map(|p| [p[0], p[1], p[2]]).collect();
        writer.write_image_data(&pixels).map_err(failed)?;
        writer.finish().map_err(failed)?;
        Ok(bytes)
    }
}

/// Pixels as PNG, with how much they cover; `None` for a picture without pixels.
pub(crate) fn packed(pixels: &Pixels) -> Option<Vec<u8>> {
    let mut bytes = Vec::new();
    let mut encoder = png::Encoder::new(&mut bytes, pixels.size[0] as u32, pixels.size[1] as u32);
    encoder.set_color(png::ColorType::Rgba);
    encoder.set_depth(png::BitDepth::Eight);
    let raw: Vec<u8> = pixels.colors.iter().flat_map(|c| c.0).collect();
    let mut writer = encoder.write_header().ok()?;
    writer.write_image_data(&raw).ok()?;
    writer.finish().ok()?;
    Some(bytes)
}

fn of(color: Color) -> tiny_skia::Color {
    let [r, g, b, a] = color.0;
    tiny_skia::Color::from_rgba8(r, g, b, a)
}

fn paint(color: Color) -> Paint<'static> {
    let mut paint = Paint { anti_alias: true, ..Default::default() };
    paint.set_color(of(color));
    paint
}

fn built(path: &Path) -> Option<tiny_skia::Path> {
    let mut builder = PathBuilder::new();
    for part in &path.0 {
        match part {
            Part::Move([x, y]) => builder.move_to(*x as f32, *y as f32),
            Part::Line([x, y]) => builder.line_to(*x as f32, *y as f32),
            Part::Curve([u, v], [x, y]) => builder.quad_to(*u as f32, *v as f32, *x as f32, *y as f32),
            Part::Close => builder.close(),
        }
    }
    builder.finish()
}

impl Canvas for Bitmap {
    fn fill(&mut self, path: &Path, color: Color) {
        if let Some(path) = built(path) {
            let mask = self.mask.as_ref();
            self.pixmap.fill_path(&path, &paint(color), FillRule::EvenOdd, Transform::identity(), mask);
        }
    }

    fn stroke(&mut self, path: &Path, width: f64, color: Color) {
        if let Some(path) = built(path) {
            let stroke = Stroke {
                width: width as f32,
                line_cap: LineCap::Round,
                line_join: LineJoin::Round,
                ..Default::default()
            };
            self.pixmap.stroke_path(&path, &paint(color), &stroke, Transform::identity(), self.mask.as_ref());
        }
    }

    fn picture(&mut self, pixels: &Pixels, [x, y]: [f64; 2], [width, height]: [f64; 2]) {
        let [columns, rows] = pixels.size;
        let premultiplied = |c: &Color| {
            let [r, g, b, a] = c.0;
            let times = |v: u8| ((u16::from(v) * u16::from(a) + 127) / 255) as u8;
            [times(r), times(g), times(b), a]
        };
        let data: Vec<u8> = pixels.colors.iter().flat_map(premultiplied).collect();
        let size = IntSize::from_wh(columns as u32, rows as u32);
        let Some(picture) = size.and_then(|size| Pixmap::from_vec(data, size)) else { return };
        let scale = [width / columns as f64, height / rows as f64];
        // What is made smaller is smoothed; what is made larger shows its cells.
        let quality = if scale[0] < 1.0 { FilterQuality::Bilinear } else { FilterQuality::Nearest };
        let transform = Transform::from_row(scale[0] as f32, 0.0, 0.0, scale[1] as f32, x as f32, y as f32);
        let how = PixmapPaint { quality, ..Default::default() };
        self.pixmap.draw_pixmap(0, 0, picture.as_ref(), &how, transform, self.mask.as_ref());
    }

    fn clip(&mut self, to: Option<([f64; 2], [f64; 2])>) {
        self.mask = to.and_then(|([x, y], [width, height])| {
            let mut mask = Mask::new(self.pixmap.width(), self.pixmap.height())?;
            let rectangle = Rect::from_xywh(x as f32, y as f32, width as f32, height as f32)?;
            mask.fill_path(&PathBuilder::from_rect(rectangle), FillRule::Winding, true, Transform::identity());
            Some(mask)
        });
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_filled_covers_and_what_is_clipped_does_not() {
        let mut bitmap = Bitmap::new([100, 64]).unwrap();
        bitmap.clip(Some(([0.0, 0.0], [50.0, 64.0])));
        bitmap.fill(&Path::rectangle([10.0, 10.0], [80.0, 20.0]), Color::rgb(255, 0, 0));
        bitmap.clip(None);
        bitmap.fill(&Path::rectangle([60.0, 40.0], [10.0, 10.0]), Color::rgb(0, 0, 255));
        let at = |x: usize, y: usize| &bitmap.pixmap.data()[4 * (y * 100 + x)..][..3];
        assert_eq!((at(20, 20), at(70, 20), at(65, 45)), (&[255, 0, 0][..], &[255, 255, 255][..], &[0, 0, 255][..]));
    }

    #[test]
    fn pictures_that_cannot_be_are_told() {
        for size in [[0, 100], [63, 100], [100, 20_001]] {
            assert!(matches!(Bitmap::new(size), Err(PictureError::Size { .. })), "{size:?}");
        }
    }

    #[test]
    fn a_picture_lies_where_it_is_put() {
        let mut bitmap = Bitmap::new([64, 64]).unwrap();
        let colors = vec![Color::rgb(255, 0, 0), Color::rgb(0, 255, 0), Color([0, 0, 0, 0]), Color::rgb(0, 0, 255)];
        bitmap.picture(&Pixels { size: [2, 2], colors }, [10.0, 20.0], [20.0, 20.0]);
        let at = |x: usize, y: usize| [0, 1, 2].map(|i| bitmap.pixmap.data()[4 * (y * 64 + x) + i]);
        assert_eq!((at(15, 25), at(25, 25), at(25, 35)), ([255, 0, 0], [0, 255, 0], [0, 0, 255]));
        assert_eq!((at(15, 35), at(9, 25)), ([255, 255, 255], [255, 255, 255]), "let through, and outside");
    }
}
