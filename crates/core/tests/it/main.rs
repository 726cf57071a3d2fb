//! The engine as a whole, on files that are written while it runs.

#![expect(clippy::unwrap_used, reason = "a test that can't go on has failed")]

mod charts;
mod compare;
mod engine;
mod exchanges;
mod explain;
mod export;
mod filter_page;
mod kinds;
mod kinds_of_values;
mod records;
mod requests;
mod runs;
mod samples;
mod sifting;
mod sources;
mod tally;
mod trail;
mod veil;
mod veil_page;

use std::{
    fs,
    io::Write,
    path::{Path, PathBuf},
    sync::Arc,
};

use cribrum_core::{
    engine::{Engine, Options, Snapshot},
    ingest,
    veil::{Action, Class, Group, Policy, Veil},
};

/// Files of a test, and an engine on them.
pub(crate) struct Intake {
    pub(crate) folder: tempfile::TempDir,
}

impl Intake {
    pub(crate) fn new(files: &[(&str, &str)]) -> Self {
        let intake = Self { folder: tempfile::tempdir().unwrap() };
        for (name, text) in files {
            fs::write(intake.path(name), text).unwrap();
        }
        intake
    }

    pub(crate) fn path(&self, name: &str) -> PathBuf {
        self.folder.path().join(name)
    }

    pub(crate) fn append(&self, name: &str, text: &str) {
        let mut file = fs::OpenOptions::new().append(true).open(self.path(name)).unwrap();
        file.write_all(text.as_bytes()).unwrap();
    }

    pub(crate) fn engine(&self, follow: bool) -> Engine {
        start(self.folder.path(), follow, Policy::default())
    }

    /// One that hides no more than the credentials of its entries.
    pub(crate) fn frank_engine(&self) -> Engine {
        let mut policy = Policy::default();
        let open = |class: &Class| class.group() != Group::Credential;
        Class::ALL.into_iter().filter(open).for_each(|class| policy.set(class, Action::Keep));
        start(self.folder.path(), false, policy)
    }
}

fn start(path: &Path, follow: bool, policy: Policy) -> Engine {
    let found = ingest::discover(&[path.to_owned()]);
    assert_eq!(found.problems, []);
    let options = Options { follow, eager: true, volume: true, ids: true, ..Options::default() };
    Engine::start(found, options, Veil::new([7; 16]).with_policy(policy), || {}).unwrap()
}

/// Waits for a condition; the panic shows what was there instead.
pub(crate) fn wait(engine: &Engine, what: &str, done: impl Fn(&Snapshot) -> bool) -> Arc<Snapshot> {
    let begun = std::time::Instant::now();
    engine.wait(|snapshot| {
        let late = begun.elapsed().as_secs() > 20;
        assert!(!late, "{what} never came: {:#?}", snapshot.status);
        done(snapshot)
    })
}

/// The messages of the pan in their order.
pub(crate) fn messages(snapshot: &Snapshot) -> Vec<String> {
    let read = |id| match snapshot.row(id) {
        Ok(shown) => shown.message.to_string(),
        Err(error) => format!("{error}"),
    };
    snapshot.pan.iter_from(0).map(read).collect()
}

/// A JSON line.
pub(crate) fn line(clock: &str, level: &str, message: &str) -> String {
    format!("{{\"time\":\"2026-03-14T{clock}Z\",\"level\":\"{level}\",\"msg\":\"{message}\"}}\n")
}
