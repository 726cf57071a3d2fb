//! From SVG to PDF.

use std::sync::{Arc, LazyLock};

use svg2pdf::{
    ConversionOptions, PageOptions,
    usvg::{Options, Tree, fontdb},
};

use crate::Error;

static FONTS: LazyLock<Arc<fontdb::Database>> = LazyLock::new(|| {
    let mut fonts = fontdb::Database::new();
    fonts.load_font_data(include_bytes!("../font/DejaVuSans.ttf").to_vec());
    Arc::new(fonts)
});

/// The family of the font that travels with the program.
pub(crate) const FAMILY: &str = "DejaVu Sans";

pub(crate) fn from_svg(svg: &str) -> Result<Vec<u8>, Error> {
    let options = Options {
        font_family: FAMILY.to_owned(),
        fontdb: Arc::clone(&FONTS),
        ..Options::default()
    };
    let tree = Tree::from_str(svg, &options).map_err(|error| Error(error.to_string()))?;
    svg2pdf::to_pdf(&tree, ConversionOptions::default(), PageOptions::default())
        .map_err(|error| Error(error.to_string()))
}
