//! What a person has decided: `cribrum.toml`, their own and those that lie beside the logs for a team to share; what
//! they typed before; the key of their stand-ins.
//!
//! ```toml
//! ids = ["booking_ref", { form = "BK-[0-9]{6}", kind = "order_id" }]   # ids, whatever the layout
//!
//! [[layout]]                                    # how lines are read that no built-in layout takes
//! name = "berths"
//! files = "berth*.log"
//! template = "{time} | {session:id} | {level} | {message}"
//!
//! [[sieve]]                                     # a sieve that is kept under a name
//! name = "failing holds"
//! meshes = ["level >= warn"]
//!
//! [[kind]]                                      # a kind of message that has a name
//! name = "lost holds"
//! words = "hold h-{number} not released"
//!
//! [code]                                        # where the code is that logs name
//! roots = ["~/work/booking"]                    # searched for files; else the folder the desk was opened in
//! rewrite = { "/app/src" = "src" }              # what a path in a log is called here
//! own = ["test.ferries.", "src/"]               # frames of these are the program's own
//! editor = "code -g {file}:{line}"              # else $VISUAL or $EDITOR
//!
//! [veil]                                        # what is hidden beside what is hidden anyway: see `veil.rs`
//! hide = ["personal"]
//!
//! [watch]                                       # how the desk tells of entries that a watch waits for
//! bell = true
//! title = true
//! ```
//!
//! A file beside the logs may be anybody's. It can teach layouts, ids and kinds, keep sieves, name roots within its own
//! folder, and add to what the veil hides. It can't name a program to run, a place outside its folder, or a secret that
//! is to be shown: `code::Table::limit` and `veil::Table::decided` leave that out.

mod change;
mod code;
mod edit;
mod folders;
pub(crate) mod history;
mod ids;
mod kinds;
mod layouts;
mod sieves;
mod veil;
mod veil_key;

use std::{
    fs, io,
    path::{Path, PathBuf},
    sync::Arc,
};

use cribrum_core::{entry::OwnId, own::Own};
use serde::Deserialize;

pub(crate) use change::Change;
pub(crate) use code::Code;
pub(crate) use folders::{Folders, NAME, beside};
pub(crate) use kinds::NamedKind;
pub(crate) use sieves::Kept;
pub(crate) use veil::{Decided, Decision};
pub(crate) use veil_key::veil;

use crate::mistake;

#[derive(Debug, Default, Deserialize)]
#[serde(deny_unknown_fields)]
struct Config {
    #[serde(default)]
    ids: Vec<toml::Spanned<ids::Table>>,
    #[serde(default)]
    layout: Vec<layouts::Table>,
    #[serde(default)]
    sieve: Vec<sieves::Table>,
    #[serde(default)]
    kind: Vec<kinds::Table>,
    watch: Option<Watching>,
    code: Option<code::Table>,
    veil: Option<veil::Table>,
}

/// A set of colours for the desk.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, clap::ValueEnum)]
pub(crate) enum Palette {
    /// Dark
    #[default]
    Dusk,
    /// Light
    Chalk,
    /// The terminal's own sixteen
    Plain,
}

/// How the desk tells of what a watch has seen.
#[derive(Clone, Copy, Debug, Deserialize, PartialEq, Eq)]
#[serde(deny_unknown_fields, default)]
pub(crate) struct Watching {
    /// The terminal's bell rings.
    pub(crate) bell: bool,
    /// The terminal's title counts.
    pub(crate) title: bool,
}

impl Default for Watching {
    fn default() -> Self {
        Self { bell: true, title: true }
    }
}

/// All that the files of settings say.
#[derive(Clone, Debug, Default)]
pub(crate) struct Settings {
    /// Taught layouts, those beside the logs first.
    pub(crate) layouts: Vec<Arc<Own>>,
    /// Names and forms of ids, whatever the layout.
    pub(crate) ids: Vec<OwnId>,
    /// Kept sieves, those beside the logs first.
    pub(crate) sieves: Vec<Kept>,
    /// Kinds that have a name, those beside the logs first.
    pub(crate) kinds: Vec<NamedKind>,
    /// As the nearest file that says so has it.
    pub(crate) watch: Option<Watching>,
    /// Where the code is; what the nearest file says comes first.
    pub(crate) code: Code,
    /// What the veil hides; the user's own decisions hold last.
    pub(crate) veil: Decided,
    /// The files beside the logs that are in force.
    pub(crate) beside: Vec<PathBuf>,
    /// What of them is left out, and why.
    pub(crate) left_out: Vec<String>,
}

impl Settings {
    /// The names of kinds, and their words.
    pub(crate) fn kind_names(&self) -> Vec<(String, String)> {
        self.kinds.iter().map(|named| (named.name.clone(), named.words.clone())).collect()
    }
}

/// The settings in the files beside the sources and in the user's, the nearer first.
///
/// # Errors
///
/// A message with file, line, column and what was expected.
pub(crate) fn load(sources: &[PathBuf], folders: &Folders) -> Result<Settings, String> {
    let mut files: Vec<PathBuf> = Vec::new();
    for source in sources {
        let file = beside(source);
        if !files.contains(&file) {
            files.push(file);
        }
    }
    let own = folders.settings();
    files.extend(own.clone().filter(|own| !files.contains(own)));
    let mut found = Settings::default();
    for file in files {
        let text = match text_of(&file) {
            Ok(text) => text,
            Err(error) if error.kind() == io::ErrorKind::NotFound => continue,
            Err(error) => return Err(format!("{}: can't be read: {error}", file.display())),
        };
        let is_own = own.as_ref() == Some(&file);
        let more =
            read(&text, &file, is_own).map_err(|(at, what)| located(&file, &text, at, &what))?;
        found.layouts.extend(more.layouts);
        found.sieves.extend(more.sieves);
        found.kinds.extend(more.kinds);
        found.ids.extend(more.ids);
        found.watch = found.watch.or(more.watch);
        found.code.add(more.code);
        found.veil.add(more.veil);
        found.left_out.extend(more.left_out);
        if !is_own {
            found.beside.push(file);
        }
    }
    Ok(found)
}

fn read(text: &str, file: &Path, own: bool) -> Result<Settings, (usize, String)> {
    let config: Config = toml::from_str(text)
        .map_err(|error| (error.span().map_or(0, |span| span.start), error.message().to_owned()))?;
    let layouts: Result<_, _> = config.layout.iter().map(layouts::Table::layout).collect();
    let sieves: Result<_, _> =
        config.sieve.iter().map(|table| table.kept(file.to_owned())).collect();
    let kinds: Result<_, _> = config.kind.iter().map(kinds::Table::named).collect();
    let mut table = config.code.unwrap_or_default();
    let left_out = if own { Vec::new() } else { table.limit() };
    let left_out = left_out.iter().map(|what| {
        format!("{}: [code] {what} is left out; only your own settings may say it", file.display())
    });
    let left_out = left_out.collect();
    let code = table.code(file);
    let veil = config.veil.map(|table| table.decided(file, own)).transpose()?.unwrap_or_default();
    let (ids, watch) = (ids::declared(&config.ids)?, config.watch);
    Ok(Settings {
        layouts: layouts?,
        ids,
        sieves: sieves?,
        kinds: kinds?,
        watch,
        code,
        veil,
        left_out,
        ..Settings::default()
    })
}

/// Bytes of a file of settings: one that has more is none.
const MOST_BYTES: u64 = 8 << 20;

/// The text of a file of settings. Opening a pipe without a writer would wait for ever, so what a path leads to is
/// looked at first.
pub(super) fn text_of(path: &Path) -> io::Result<String> {
    let meta = fs::metadata(path)?;
    if !meta.is_file() {
        return Err(io::Error::new(io::ErrorKind::InvalidInput, "it is no regular file"));
    }
    if meta.len() > MOST_BYTES {
        return Err(io::Error::new(io::ErrorKind::FileTooLarge, "it has more than 8 MiB"));
    }
    fs::read_to_string(path)
}

/// A mistake with its file, line and column, and the line itself.
fn located(file: &Path, text: &str, at: usize, message: &str) -> String {
    let before = text.get(..at).unwrap_or(text);
    let line = before.matches('\n').count() + 1;
    let start = before.rfind('\n').map_or(0, |at| at + 1);
    let column = text.get(start..at).unwrap_or_default().chars().count() + 1;
    let whole = text.lines().nth(line - 1).unwrap_or_default();
    let told = mistake::at(message, whole, at.min(text.len()).saturating_sub(start));
    format!("{}:{line}:{column}: {told}", file.display())
}

#[cfg(test)]
mod tests;
