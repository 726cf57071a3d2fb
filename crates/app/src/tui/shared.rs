//! What all screens share: what the engine has published, the sieve, the clock, what was typed and marked.

use std::{collections::HashMap, path::PathBuf, sync::Arc};

use cribrum_core::{
    EntryId,
    chart::Ask,
    engine::{Lens, LensView, Shown, Snapshot, Survey},
    entry::IdKey,
    ingest::Problem,
    query::{self, Path},
    sieve::{History, Sieve},
    source::{Origin, Source},
    tally::By,
    veil::harmless,
};

use super::{columns::Columns, theme::Theme};
use crate::{
    conditions::Conditions,
    present::Clock,
    results::Extract,
    settings::{self, Folders, Kept, Settings},
    setup::Setup,
};

/// Sieves whose columns are remembered.
const SIEVES: usize = 64;

/// A moment with a name.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Mark {
    pub(crate) name: String,
    pub(crate) time: i64,
}

/// A condition that is waited for.
pub(crate) struct Watch {
    /// The condition, as it may be shown.
    pub(crate) text: String,
    /// A sweep of what had arrived when the watch began, then the condition.
    pub(crate) sieve: Sieve,
    /// Entries that have passed.
    pub(crate) hits: usize,
    /// Those of them that the person has looked at.
    pub(crate) seen: usize,
}

/// A kept sieve in the strip under the masthead.
pub(crate) struct Pinned {
    pub(crate) kept: Kept,
    pub(crate) sieve: Sieve,
    /// Entries that were left when it was looked at last; none before it was counted.
    pub(crate) seen: Option<usize>,
}

/// What a prompt asks to know about the entries.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub(crate) enum Asked {
    Names,
    Values(Path),
}

/// A text that was typed and may hold a secret.
pub(crate) struct Unverified {
    /// The prompt that it was typed into.
    pub(crate) label: &'static str,
    pub(crate) text: String,
    /// Words and values that are still to be looked for.
    pub(crate) parts: Vec<String>,
    /// The last of them is being looked at.
    pub(crate) asked: bool,
    /// One of them is hidden where it stands.
    pub(crate) hidden: bool,
}

/// What was typed into prompts, and what is known for the one that is open.
#[derive(Default)]
pub(crate) struct Typed {
    /// What was typed before, the latest last, with the prompt it was typed into.
    pub(crate) past: Vec<(String, String)>,
    pub(crate) unverified: Option<Unverified>,
    /// What is known of the fields of entries and their values; `None` while it is looked up.
    pub(crate) surveys: HashMap<Asked, Option<Survey>>,
}

/// Something to tell, in the place of the footer until the next key.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Message {
    pub(crate) text: String,
    pub(crate) wrong: bool,
}

/// What the screen on top has under its cursor.
#[derive(Clone, Debug, Default, PartialEq)]
pub(crate) struct Here {
    pub(crate) entry: Option<EntryId>,
    /// The kind of the id under the cursor, where it is one.
    pub(crate) id_kind: Option<&'static str>,
    /// The id itself, where the entry may have several of the kind.
    pub(crate) id: Option<IdKey>,
    /// What the column or the value under the cursor is of, to be grouped by.
    pub(crate) by: Option<By>,
    /// The chart of what is shown, with the names of both sides where two are compared.
    pub(crate) chart: Option<(Ask, Vec<String>)>,
}

/// A part of the help: keys and what they do.
pub(crate) struct Section {
    pub(crate) title: &'static str,
    /// What it is about, where the title does not say it.
    pub(crate) about: &'static str,
    pub(crate) rows: Vec<(&'static str, &'static str)>,
}

/// What all screens share.
pub(crate) struct Shared {
    pub(crate) title: String,
    /// The desk begins at the end and follows it.
    pub(crate) follow: bool,
    /// What could not be read when the desk was opened.
    pub(crate) problems: Vec<Problem>,
    pub(crate) snapshot: Arc<Snapshot>,
    pub(crate) history: History,
    /// Conditions of the command line that wait for the data's last day.
    pub(crate) conditions: Option<Conditions>,
    pub(crate) clock: Clock,
    /// The columns of lists of entries.
    pub(crate) columns: Columns,
    /// The columns of sieves before, for when they come back.
    pub(crate) columns_of: Vec<(Sieve, Columns)>,
    pub(crate) marks: Vec<Mark>,
    pub(crate) watches: Vec<Watch>,
    /// The kept sieves that stand under the masthead, once the day of their clock times is known.
    pub(crate) strip: Option<Vec<Pinned>>,
    pub(crate) typed: Typed,
    pub(crate) settings: Settings,
    pub(crate) folders: Folders,
    pub(crate) theme: Theme,
    /// The program gets the mouse, not the terminal.
    pub(crate) mouse: bool,
    pub(crate) message: Option<Message>,
    pub(crate) here: Here,
    /// The keys of all screens, for the help: those of the screen that it was opened from first.
    pub(crate) manual: Vec<Section>,
    /// The ids of requests in the order in which they are listed: trails are walked in it.
    pub(crate) listed: Arc<[IdKey]>,
    /// What the screen shows from which another is opened, to be written elsewhere.
    pub(crate) extract: Option<Arc<dyn Extract>>,
    /// The file that was written last, or was to be.
    pub(crate) saved: Option<PathBuf>,
    /// Rows that have been read, until there is a new snapshot.
    pub(crate) rows: HashMap<EntryId, Result<Shown, String>>,
}

impl Shared {
    pub(crate) fn new(setup: &Setup, snapshot: Arc<Snapshot>, theme: Theme) -> Self {
        Self {
            title: setup.title.clone(),
            follow: setup.follow,
            // What is waited for is told by the snapshot, as long as it is.
            problems: setup.found.problems.iter().filter(|p| !p.waits()).cloned().collect(),
            snapshot,
            history: History::default(),
            conditions: Some(setup.conditions.clone()),
            clock: Clock::new(setup.conditions.zone.clone()),
            columns: Columns::default(),
            columns_of: Vec::new(),
            marks: Vec::new(),
            watches: Vec::new(),
            strip: None,
            typed: Typed::default(),
            settings: setup.settings.clone(),
            folders: setup.folders.clone(),
            theme,
            mouse: true,
            message: None,
            here: Here::default(),
            manual: Vec::new(),
            listed: Arc::default(),
            extract: None,
            saved: None,
            rows: HashMap::new(),
        }
    }

    pub(crate) fn sieve(&self) -> &Sieve {
        self.history.sieve()
    }

    /// The sieve has changed from another: each has its own columns, and a new one those of the one before.
    pub(crate) fn change_columns(&mut self, before: Sieve) {
        let now = self.history.sieve();
        let known = self.columns_of.iter().position(|(sieve, _)| sieve == now);
        let known = known.map(|at| self.columns_of.remove(at).1);
        let left = self.columns.clone();
        self.columns = known.unwrap_or_else(|| left.clone());
        self.columns_of.retain(|(sieve, _)| *sieve != before);
        self.columns_of.push((before, left));
        if self.columns_of.len() > SIEVES {
            self.columns_of.remove(0);
        }
    }

    /// What clock times and marks in a condition refer to.
    pub(crate) fn context(&self) -> query::Context {
        let marks = self.marks.iter().map(|mark| (mark.name.clone(), mark.time));
        query::Context {
            zone: Some(self.clock.zone.clone()),
            first: self.snapshot.span().map(|(first, _)| first),
            last: self.snapshot.span().map(|(_, last)| last),
            marks: marks.collect(),
            kinds: self.settings.kind_names(),
        }
    }

    pub(crate) fn lens(&self, lens: Lens) -> Option<&LensView> {
        self.snapshot.lens(lens)
    }

    pub(crate) fn tell(&mut self, text: impl Into<String>) {
        let text = harmless(&text.into()).into_owned();
        self.message = Some(Message { text, wrong: false });
    }

    pub(crate) fn warn(&mut self, text: impl Into<String>) {
        let text = harmless(&text.into()).into_owned();
        self.message = Some(Message { text, wrong: true });
    }

    /// Text that a person or a file of settings wrote, with its secrets hidden and harmless to the terminal.
    pub(crate) fn own_text(&self, text: &str) -> String {
        self.snapshot.own_text(text).for_terminal().into_owned()
    }

    /// The label of the source that an entry is from.
    pub(crate) fn label_of(&self, id: EntryId) -> &str {
        &self.snapshot.sources[self.snapshot.source_of(id)].label
    }

    /// An entry as it may be shown, where it has been read.
    pub(crate) fn shown(&self, id: EntryId) -> Option<&Result<Shown, String>> {
        self.rows.get(&id)
    }

    /// The entry under the cursor, where it has been read: as a rule it has been before a key is answered.
    pub(crate) fn selected(&self, id: EntryId) -> Option<&Shown> {
        self.shown(id)?.as_ref().ok()
    }

    /// A moment to the millisecond, with its day where the data are of more than one.
    pub(crate) fn moment(&self, time: i64) -> String {
        let days =
            self.snapshot.span().is_none_or(|(first, last)| self.clock.days_differ(first, last));
        self.clock.moment(time, days)
    }

    /// Entries that passed a watch and that the person has not looked at.
    pub(crate) fn unseen(&self) -> usize {
        self.watches.iter().map(|watch| watch.hits - watch.seen.min(watch.hits)).sum()
    }

    /// The file of settings that lies beside the first file poured in, where a team keeps its sieves.
    pub(crate) fn beside_logs(&self) -> Option<PathBuf> {
        let file = |source: &Source| match &source.origin {
            Origin::Files(files) => files.last().map(|file| settings::beside(file)),
            Origin::Stdin => None,
        };
        self.snapshot.sources.iter().find_map(file)
    }
}

/// Why an entry can't be shown.
pub(crate) fn gone(error: &std::io::Error) -> String {
    match error.kind() {
        std::io::ErrorKind::UnexpectedEof => "gone: these bytes were cut off the file".into(),
        _ => format!("can't be read: {error}"),
    }
}
