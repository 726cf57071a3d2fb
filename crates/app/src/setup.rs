//! What the desk is opened with.

use std::path::PathBuf;

use cribrum_core::{engine::Options, ingest::Discovery, veil::Veil};

use crate::{
    conditions::Conditions,
    settings::{Folders, Palette, Settings},
};

/// Everything that the command line and the settings say about a desk.
pub(crate) struct Setup {
    /// A short name for all that is poured in.
    pub(crate) title: String,
    pub(crate) found: Discovery,
    pub(crate) options: Options,
    pub(crate) conditions: Conditions,
    pub(crate) palette: Palette,
    pub(crate) follow: bool,
    pub(crate) settings: Settings,
    pub(crate) veil: Veil,
    pub(crate) folders: Folders,
    /// Where files are saved that are named without a folder.
    pub(crate) here: PathBuf,
    /// Where to write what the program does.
    pub(crate) diagnostics: Option<PathBuf>,
    /// Where to write how long keys take.
    pub(crate) timings: Option<PathBuf>,
}
