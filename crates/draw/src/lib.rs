//! Plates: drawings for documents, as SVG and PDF.
//!
//! A plate is a page of rectangles, lines and texts, written as SVG or as PDF. A PDF has the glyphs that it uses
//! inside: its text is there on a machine without fonts.

mod chart;
mod page;
mod palette;
mod pdf;
mod scale;
mod svg;
mod trail;

use std::path::Path;

pub use chart::{ChartPlate, ChartWords, SLICES};
pub use palette::Palette;
pub use scale::Scale;
pub use trail::{TrailPlate, Words};

/// The form of a file.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Format {
    /// Scalable Vector Graphics
    Svg,
    /// Portable Document Format
    Pdf,
}

impl Format {
    /// The form that a file's ending stands for.
    #[must_use]
    pub fn of(path: &Path) -> Option<Self> {
        let ending = path.extension()?.to_str()?.to_ascii_lowercase();
        match ending.as_str() {
            "svg" => Some(Self::Svg),
            "pdf" => Some(Self::Pdf),
            _ => None,
        }
    }
}

/// A plate that can't be made.
#[derive(Debug, thiserror::Error)]
#[error("can't make the PDF: {0}")]
pub struct Error(String);
