//! A change of what a person has decided: what is written to which file, and what is told of it.

use std::{io, path::PathBuf};

use cribrum_core::veil::Parts;

use super::{
    edit::{add_layout, add_rule, drop_sieve, keep, name_kind},
    folders::Folders,
    history,
    kinds::NamedKind,
    sieves::Kept,
};

/// A change of the files of settings.
pub(crate) enum Change {
    /// Keeps a sieve.
    Keep(Kept),
    /// Removes a kept sieve from its file.
    Unkeep(Kept),
    /// Gives a kind its name in a file, or takes it away.
    Name(PathBuf, NamedKind),
    /// Keeps what was typed for the next time.
    Remember(Vec<(String, String)>),
    /// Adds a layout to a file.
    Teach { file: PathBuf, name: String, files: String, template: String },
    /// Adds a rule of the veil to the user's settings.
    Rule(String, Parts),
}

impl Change {
    /// What it is called in diagnostics.
    pub(crate) fn name(&self) -> &'static str {
        match self {
            Self::Keep(_) => "keep",
            Self::Unkeep(_) => "unkeep",
            Self::Name(..) => "name",
            Self::Remember(_) => "remember",
            Self::Teach { .. } => "teach",
            Self::Rule(..) => "rule",
        }
    }

    /// Whether what was read before must be read by the new settings.
    pub(crate) fn is_of_reading(&self) -> bool {
        matches!(self, Self::Teach { .. } | Self::Rule(..))
    }

    /// Writes it. Gives what is told of it, if anything.
    ///
    /// # Errors
    ///
    /// In words, where a file can't be written.
    pub(crate) fn write(&self, folders: &Folders) -> Result<Option<String>, String> {
        let (file, written, told) = match self {
            Self::Keep(kept) => {
                let told = format!("{} is kept in {}", kept.name, kept.file.display());
                (kept.file.clone(), keep(kept), told)
            }
            Self::Unkeep(kept) => {
                let told = format!("{} is no longer kept", kept.name);
                (kept.file.clone(), drop_sieve(kept), told)
            }
            Self::Name(file, named) => {
                let told = match named.name.is_empty() {
                    true => "the kind has no name any more".to_owned(),
                    false => format!("{} is kept in {}", named.name, file.display()),
                };
                (file.clone(), name_kind(file, named), told)
            }
            Self::Remember(past) => {
                let failed = |error: io::Error| format!("what was typed can't be kept: {error}");
                return history::write(past, folders).map(|()| None).map_err(failed);
            }
            Self::Teach { file, name, files, template } => {
                let told = format!("taught; saved to {}", file.display());
                (file.clone(), add_layout(file, name, files, template), told)
            }
            Self::Rule(name, parts) => {
                let file = folders.settings();
                let file = file.ok_or("there is no folder for your settings: HOME is not set")?;
                let told = format!("{name} is kept in {}", file.display());
                let written = add_rule(&file, name, parts);
                (file, written, told)
            }
        };
        written.map_err(|error| format!("can't write {}: {error}", file.display()))?;
        Ok(Some(told))
    }
}
