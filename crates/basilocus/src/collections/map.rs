//! A collection as a map on a page.

use super::collection::Collection;
use crate::drawing::{DrawPlan, draw};
use crate::engine::Cancel;
use crate::plan::{InputPlan, LayerPlan};
use crate::{Error, Layer};

impl Collection {
    /// All features drawn as a page for a browser, which asks for nothing else.
    ///
    /// # Errors
    /// Where it cannot be read, or its positions cannot be brought to a map.
    pub fn map_page(&self) -> Result<String, Error> {
        let broken = |e: std::io::Error| Error::Data(format!("a temporary file cannot be used: {e}"));
        let folder = tempfile::tempdir().map_err(broken)?;
        let page = folder.path().join("map.html");
        let mut file = self.store().to_path_buf();
        if basilocus_formats::geopackage::layers(&file)?.len() > 1 {
            // A map shows all layers of a file: this one goes into a file of its own.
            let input = InputPlan { layer: Some(self.table.clone()), ..Default::default() };
            let one = folder.path().join(super::store::file_name(&self.table));
            Layer::of(LayerPlan { input, ..LayerPlan::new(&file) }).named(&self.table).write(&one)?.run()?;
            file = one;
        }
        let plan = DrawPlan { title: Some(self.title().to_string()), ..DrawPlan::new([&file], &page) };
        draw(&plan, &Cancel::default(), &())?;
        std::fs::read_to_string(&page).map_err(broken)
    }
}
