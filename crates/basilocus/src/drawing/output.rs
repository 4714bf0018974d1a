//! Files of pictures: by their ending PNG, SVG or a page; there whole or not at all.

use crate::Error;
use crate::engine::Cancel;
use basilocus_draw::{Chart, Drawing, PictureError, Scene};
use basilocus_formats::{FormatError, PendingOutput};
use std::path::{Path, PathBuf};

/// Width and height of pictures that a command makes beside its output, pixels.
pub(crate) const USUAL_SIZE: [u32; 2] = [1200, 800];

/// What becomes of a drawing, by the ending of its file.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Form {
    Png,
    Svg,
    Page,
}

/// A picture that is being made.
pub(crate) struct PictureOutput {
    path: PathBuf,
    form: Form,
    size: [u32; 2],
    pending: PendingOutput,
}

/// Whether a file's ending is one of pictures and pages.
pub(crate) fn is_picture(path: &Path) -> bool {
    form_of(path).is_some()
}

fn form_of(path: &Path) -> Option<Form> {
    match path.extension()?.to_string_lossy().to_lowercase().as_str() {
        "png" => Some(Form::Png),
        "svg" => Some(Form::Svg),
        "html" => Some(Form::Page),
        _ => None,
    }
}

impl PictureOutput {
    /// A map, whose place is taken before anything is read.
    ///
    /// # Errors
    /// For endings that no picture has, and where the file exists and is not to be replaced.
    pub(crate) fn map(path: &Path, size: [u32; 2], overwrite: bool) -> Result<Self, Error> {
        let problem = "the ending says no map that is drawn; use one of .png, .svg, .html";
        Self::open(path, size, overwrite, problem, &[Form::Png, Form::Svg, Form::Page])
    }

    /// A chart, which a page does not hold.
    ///
    /// # Errors
    /// As [`Self::map`].
    pub(crate) fn chart(path: &Path, overwrite: bool) -> Result<Self, Error> {
        let problem = "the ending says no chart that is drawn; use one of .png, .svg";
        Self::open(path, USUAL_SIZE, overwrite, problem, &[Form::Png, Form::Svg])
    }

    fn open(path: &Path, size: [u32; 2], overwrite: bool, problem: &str, forms: &[Form]) -> Result<Self, Error> {
        let form = form_of(path).filter(|f| forms.contains(f));
        let wrong = || FormatError::Option { path: path.to_path_buf(), problem: problem.into() };
        let form = form.ok_or_else(wrong)?;
        Ok(PictureOutput { path: path.to_path_buf(), form, size, pending: PendingOutput::new(path, overwrite)? })
    }

    /// Whether what the rows hold is shown too.
    pub(crate) fn is_page(&self) -> bool {
        self.form == Form::Page
    }

    /// Width and height of a map on it; a page has the frame of a picture of the usual size.
    pub(crate) fn size(&self) -> [u32; 2] {
        self.size
    }

    /// Writes a map.
    ///
    /// # Errors
    /// Where the picture cannot be made or written.
    pub(crate) fn write_map(self, scene: &Scene, cancel: &Cancel) -> Result<PathBuf, Error> {
        match self.form {
            Form::Page => {
                let page = basilocus_draw::page(scene).map_err(wrong_size)?;
                self.write(page.into_bytes(), cancel)
            }
            _ => self.write_drawing(scene, cancel),
        }
    }

    /// Writes a map with a chart below it; a page holds the map alone.
    ///
    /// # Errors
    /// As [`Self::write_map`].
    pub(crate) fn write_map_with_chart(self, scene: &Scene, chart: &Chart, cancel: &Cancel) -> Result<PathBuf, Error> {
        match self.form {
            Form::Page => self.write_map(scene, cancel),
            _ => self.write_drawing(&(scene, chart), cancel),
        }
    }

    /// Writes a chart or map as a picture.
    ///
    /// # Errors
    /// As [`Self::write_map`].
    pub(crate) fn write_drawing(self, of: &dyn Drawing, cancel: &Cancel) -> Result<PathBuf, Error> {
        let bytes = match self.form {
            Form::Svg => basilocus_draw::svg(of, self.size).into_bytes(),
            _ => basilocus_draw::png(of, self.size).map_err(wrong_size)?,
        };
        self.write(bytes, cancel)
    }

    fn write(self, bytes: Vec<u8>, cancel: &Cancel) -> Result<PathBuf, Error> {
        std::fs::write(self.pending.path(), bytes).map_err(|e| FormatError::write(&self.path, e))?;
        if cancel.is_cancelled() {
            return Err(Error::Cancelled);
        }
        self.pending.publish()?;
        Ok(self.path)
    }
}

fn wrong_size(e: PictureError) -> Error {
    Error::Usage(format!("`size`: {e}"))
}
