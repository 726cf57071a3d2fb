//! Where the program keeps what is the user's: settings in the configuration folder, history and the veil's key in
//! the state folder, as the XDG base directories have it.

use std::path::{Path, PathBuf};

use etcetera::BaseStrategy;

/// The name of a file of settings.
pub(crate) const NAME: &str = "cribrum.toml";

/// The user's folders; each is `None` where there is no home.
#[derive(Clone, Debug, Default)]
pub(crate) struct Folders {
    config: Option<PathBuf>,
    state: Option<PathBuf>,
}

impl Folders {
    /// Those of the user who runs the program.
    pub(crate) fn user() -> Self {
        let Ok(base) = etcetera::choose_base_strategy() else { return Self::default() };
        Self {
            config: Some(base.config_dir().join("cribrum")),
            state: base.state_dir().map(|folder| folder.join("cribrum")),
        }
    }

    /// Both within one folder, for tests.
    #[cfg(test)]
    pub(crate) fn within(folder: &Path) -> Self {
        Self { config: Some(folder.join("config")), state: Some(folder.join("state")) }
    }

    /// The user's own settings.
    pub(crate) fn settings(&self) -> Option<PathBuf> {
        Some(self.config.as_ref()?.join(NAME))
    }

    /// What was typed into prompts.
    pub(super) fn history(&self) -> Option<PathBuf> {
        Some(self.state.as_ref()?.join("history"))
    }

    /// The key of the user's stand-ins.
    pub(super) fn veil_key(&self) -> Option<PathBuf> {
        Some(self.state.as_ref()?.join("veil.key"))
    }
}

/// The settings that lie beside a source, for a team to share.
pub(crate) fn beside(source: &Path) -> PathBuf {
    let folder = if source.is_dir() { Some(source) } else { source.parent() };
    folder.unwrap_or(Path::new("")).join(NAME)
}
