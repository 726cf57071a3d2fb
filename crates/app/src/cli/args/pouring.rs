//! The arguments that say what is read, and what of it is let through.

use std::path::PathBuf;

use clap::Args;

/// What is poured in, and what is let through.
#[derive(Clone, Debug, Default, Args)]
pub(crate) struct Pour {
    /// Files, folders, patterns such as 'logs/*.log', or - for standard input
    pub(crate) sources: Vec<PathBuf>,
    /// Leave files out of folders that fit this pattern; may be given several times. A file named
    /// .cribrumignore in a folder does the same
    #[arg(long, value_name = "GLOB")]
    pub(crate) exclude: Vec<String>,
    /// Let through only entries for which EXPR holds; may be given several times
    #[arg(short = 'w', long = "where", value_name = "EXPR")]
    pub(crate) conditions: Vec<String>,
    /// Let through entries of this level and graver ones
    #[arg(short, long, value_name = "LEVEL")]
    pub(crate) level: Option<String>,
    /// Let through entries from this time on: 06:38, 2026-03-14T06:38:00Z, -15min
    #[arg(long, value_name = "TIME", allow_hyphen_values = true)]
    pub(crate) from: Option<String>,
    /// Let through entries up to this time
    #[arg(long, value_name = "TIME", allow_hyphen_values = true)]
    pub(crate) to: Option<String>,
    /// Let through what a kept sieve does; may be given several times
    #[arg(long = "sieve", value_name = "NAME")]
    pub(crate) sieves: Vec<String>,
    /// Hold back what a logger, and those below it, write below a level; may be given several times
    #[arg(long = "quiet", value_name = "LOGGER=LEVEL")]
    pub(crate) quiet: Vec<String>,
    /// Let through entries with this id
    #[arg(long, value_name = "ID")]
    pub(crate) id: Option<String>,
    /// Read every line in this layout
    #[arg(long, value_name = "LAYOUT")]
    pub(crate) layout: Option<String>,
    /// The zone of times that name none, and of times shown: UTC, local, +01:00, Europe/Rome
    #[arg(long, value_name = "ZONE")]
    pub(crate) zone: Option<String>,
    /// Set a source's clock right by a zone or a duration: gate.log=Europe/Rome, gate.log=-1.5s; may be
    /// given several times
    #[arg(long = "clock", value_name = "SOURCE=CLOCK")]
    pub(crate) clocks: Vec<String>,
    /// Hide a class at the desk as well, or a group of them: personal, ip, entropy; may be given several times
    #[arg(long = "veil", value_name = "WHAT")]
    pub(crate) veil: Vec<String>,
    /// Show and share a class that is hidden otherwise, or a group of them: personal, email, sessions; may be given
    /// several times
    #[arg(long = "unveil", value_name = "WHAT")]
    pub(crate) unveil: Vec<String>,
    /// Make stand-ins with a key out of a file, so that those who have it get the same ones
    #[arg(long = "veil-key", value_name = "FILE")]
    pub(crate) veil_key: Option<PathBuf>,
}
