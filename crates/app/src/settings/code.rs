//! Where the code is that logs name.

use std::{
    collections::BTreeMap,
    path::{Component, Path, PathBuf},
};

use serde::Deserialize;

/// The table as it stands in a file.
#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields, default)]
#[derive(Default)]
pub(super) struct Table {
    roots: Vec<PathBuf>,
    rewrite: BTreeMap<String, String>,
    own: Vec<String>,
    editor: Option<String>,
}

/// Where the code is, and what opens it.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(crate) struct Code {
    /// Folders that are searched; none: the one that the desk was opened in.
    pub(crate) roots: Vec<PathBuf>,
    /// Beginnings of paths in logs, and what they are called here.
    pub(crate) rewrite: Vec<(String, String)>,
    /// What paths and packages of the program itself begin with.
    pub(crate) own: Vec<String>,
    /// The command that opens a file: `code -g {file}:{line}`.
    pub(crate) editor: Option<String>,
}

impl Table {
    /// What of the table a file beside the logs may say, whoever wrote it: nothing that is run, and no place outside
    /// its own folder. Gives the keys that are left out.
    pub(super) fn limit(&mut self) -> Vec<&'static str> {
        let within = |path: &Path| {
            path.components().all(|part| matches!(part, Component::Normal(_) | Component::CurDir))
                && !path.starts_with("~")
        };
        let before = (self.roots.len(), self.rewrite.len());
        self.roots.retain(|root| within(root));
        self.rewrite.retain(|_, here| within(Path::new(here)));
        let left_out = [
            ("editor", self.editor.take().is_some()),
            ("roots outside its folder", self.roots.len() < before.0),
            ("rewrite to outside its folder", self.rewrite.len() < before.1),
        ];
        left_out.into_iter().filter(|(_, is)| *is).map(|(what, _)| what).collect()
    }

    /// With roots from the folder of the file that they stand in.
    pub(super) fn code(self, file: &Path) -> Code {
        Code {
            roots: self.roots.iter().map(|root| named_in(file, root)).collect(),
            rewrite: self.rewrite.into_iter().collect(),
            own: self.own,
            editor: self.editor,
        }
    }
}

/// A path as a file of settings names it: from its folder, or from the user's own.
pub(super) fn named_in(file: &Path, path: &Path) -> PathBuf {
    match path.strip_prefix("~") {
        Ok(rest) => std::env::home_dir().unwrap_or_default().join(rest),
        Err(_) => file.parent().unwrap_or(Path::new("")).join(path),
    }
}

impl Code {
    /// Adds what a file that is further away says.
    pub(super) fn add(&mut self, more: Self) {
        self.roots.extend(more.roots);
        self.rewrite.extend(more.rewrite);
        self.own.extend(more.own);
        self.editor = self.editor.take().or(more.editor);
    }
}
