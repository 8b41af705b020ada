//! SVG pages to one PDF file.

use std::sync::Arc;

use krilla::Document;
use krilla::geom::Size;
use krilla::page::PageSettings;
use krilla_svg::{SurfaceExt, SvgSettings};
use usvg::{Options, Tree};

/// The font that the pages are set in. A font of the system stands in for what it lacks.
const FONT: &[u8] = include_bytes!("../font/DejaVuSansMono.ttf");

/// Why there is no PDF.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum PdfError {
    /// A page is no SVG that can be drawn.
    #[error("page {page} cannot be drawn: {source}")]
    Page {
        /// Counted from 1.
        page: usize,
        /// What is wrong with it.
        #[source]
        source: usvg::Error,
    },
    /// The pages cannot be put together.
    #[error("the pages cannot be put together: {0}")]
    Document(String),
}

/// Makes a PDF of SVG pages, each as large as it says. Text stays text.
///
/// # Errors
/// See [`PdfError`].
pub fn pdf(pages: &[String]) -> Result<Vec<u8>, PdfError> {
    let mut options = Options { font_family: "DejaVu Sans Mono".to_owned(), ..Options::default() };
    let fonts = Arc::make_mut(&mut options.fontdb);
    fonts.load_font_data(FONT.to_vec());
    if pages.iter().any(|page| page.chars().any(|c| c as u32 > 0x2fff)) {
        fonts.load_system_fonts();
    }
    fonts.set_monospace_family("DejaVu Sans Mono");
    let mut document = Document::new();
    for (at, page) in pages.iter().enumerate() {
        let tree = Tree::from_str(page, &options).map_err(|source| PdfError::Page { page: at + 1, source })?;
        let (width, height) = (tree.size().width(), tree.size().height());
        // Sizes in an SVG are pixels of 1/96 inch; paper counts points of 1/72.
        let (width, height) = (width * 0.75, height * 0.75);
        let size = Size::from_wh(width, height).ok_or_else(|| PdfError::Document("a page has no size".to_owned()))?;
        let settings = PageSettings::from_wh(width, height).ok_or_else(|| PdfError::Document("a page has no size".to_owned()))?;
        let mut page = document.start_page_with(settings);
        let mut surface = page.surface();
        surface
            .draw_svg(&tree, size, SvgSettings::default())
            .ok_or_else(|| PdfError::Document(format!("page {} was not drawn", at + 1)))?;
        surface.finish();
        page.finish();
    }
    document.finish().map_err(|error| PdfError::Document(format!("{error:?}")))
}
