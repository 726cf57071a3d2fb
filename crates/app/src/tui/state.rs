//! Everything the interface knows.

use std::{collections::HashMap, path::PathBuf, sync::Arc};

use cribrum_core::{
    EntryId,
    engine::{Finding, Lens, LensView, Options, Shown, Snapshot, Survey},
    entry::Correction,
    ingest::{Discovery, Problem},
    query::{Context, Expr},
    sieve::{History, Sieve},
    source::{Origin, Source},
    trail::Trail,
};
use cribrum_draw::VolumePlate;
use jiff::tz::TimeZone;

use super::{
    columns::Columns, completing::Asked, inspector::Inspector, jobs::Job, keymap::Mode,
    picker::Picker, prompt::Prompt, teach::Sample, theme::Theme, watching::Watch,
};
use crate::{
    cli::{Conditions, Palette},
    config::{self, Kept, Settings},
};

/// What the desk is opened with.
pub(crate) struct Setup {
    pub(crate) title: String,
    pub(crate) found: Discovery,
    pub(crate) options: Options,
    pub(crate) conditions: Conditions,
    pub(crate) palette: Palette,
    pub(crate) follow: bool,
    pub(crate) settings: Settings,
    /// Where to write how long keys take.
    pub(crate) timings: Option<PathBuf>,
}

/// Which screen is shown.
pub(crate) enum Screen {
    Desk,
    Trail(Box<TrailView>),
    Plate(Box<PlateView>),
    Intake {
        cursor: usize,
        /// Lines of the source under the cursor.
        samples: Vec<Sample>,
        /// Those of the source under the cursor have been asked for.
        asked: bool,
    },
    /// The keys, over whatever was shown before.
    Help {
        under: Box<Screen>,
        from: usize,
    },
}

/// A trail, or the wait for one.
pub(crate) struct TrailView {
    /// The condition that its entries satisfy.
    pub(crate) expr: Expr,
    pub(crate) trail: Option<Trail>,
    /// It has been asked for.
    pub(crate) asked: bool,
    pub(crate) cursor: usize,
    /// The entry that it was opened from.
    pub(crate) from: EntryId,
}

/// A plate that is looked at.
pub(crate) struct PlateView {
    /// What is drawn, once it is counted.
    pub(crate) plate: Option<VolumePlate>,
}

/// Which region of the desk takes the keys.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Focus {
    Entries,
    Funnel,
    Inspector,
    Rail,
}

/// In which zone times are shown.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Times {
    /// In one zone.
    Zone,
    /// Each as its log has it.
    Written,
}

/// A moment with a name.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Mark {
    pub(crate) name: String,
    pub(crate) time: i64,
}

/// What was typed and may hold a secret.
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

/// What the rail shows, and what is being drawn on it.
#[derive(Clone, Debug, Default)]
pub(crate) struct RailView {
    /// The time under the rail's own cursor.
    pub(crate) cursor: Option<i64>,
    /// Where a window that is being drawn begins.
    pub(crate) from: Option<i64>,
    /// The spans that were zoomed into, the last one shown.
    pub(crate) zoom: Vec<(i64, i64)>,
}

/// A line of the list of entries.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Line {
    /// An entry and the time since the one above, if both have a time.
    Entry { id: EntryId, gap: Option<i64> },
    /// Nothing happened for so long.
    Quiet(i64),
    /// Another day begins.
    Day(i64),
    /// A program has started again.
    Restart(EntryId),
}

/// The desk's own state.
pub(crate) struct Desk {
    pub(crate) focus: Focus,
    pub(crate) selected: Option<EntryId>,
    pub(crate) top: Option<EntryId>,
    pub(crate) follow: bool,
    /// A person has moved the cursor; until then it stays on the first entry, whichever that becomes.
    pub(crate) moved: bool,
    pub(crate) columns: Columns,
    pub(crate) mesh: usize,
    pub(crate) rail: RailView,
    /// The remedy for an empty pan that the cursor is on.
    pub(crate) remedy: usize,
    pub(crate) inspector: Option<Inspector>,
    /// What is on the screen, made before each drawing.
    pub(crate) lines: Vec<Line>,
    pub(crate) height: usize,
}

/// Something to tell, in the place of the footer until the next key.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Message {
    pub(crate) text: String,
    pub(crate) wrong: bool,
}

/// Everything.
pub(crate) struct App {
    pub(crate) title: String,
    pub(crate) problems: Vec<Problem>,
    pub(crate) snapshot: Arc<Snapshot>,
    pub(crate) history: History,
    /// Conditions of the command line that wait for the data's last day.
    pub(crate) conditions: Option<Conditions>,
    pub(crate) screen: Screen,
    pub(crate) desk: Desk,
    pub(crate) prompt: Option<Prompt>,
    pub(crate) picker: Option<Picker>,
    /// What was typed before, the latest last, with the prompt it was typed into.
    pub(crate) past: Vec<(String, String)>,
    pub(crate) unverified: Option<Unverified>,
    /// What is known of the fields of entries and their values, while a prompt is open.
    pub(crate) surveys: HashMap<Asked, Option<Survey>>,
    pub(crate) marks: Vec<Mark>,
    pub(crate) watches: Vec<Watch>,
    pub(crate) settings: Settings,
    /// The paths that were poured in: where a team keeps its sieves.
    pub(crate) beside_logs: Option<PathBuf>,
    /// Why nothing is left, and the sieve that this is about.
    pub(crate) findings: Option<(Sieve, Vec<Finding>)>,
    pub(crate) found: Option<String>,
    /// The cursor goes to what find finds as soon as that is known: forwards or backwards.
    pub(crate) finding: Option<bool>,
    pub(crate) message: Option<Message>,
    pub(crate) zone: TimeZone,
    pub(crate) times: Times,
    /// The zone that was asked for on the command line, or UTC.
    pub(crate) first_zone: TimeZone,
    pub(crate) theme: Theme,
    /// Columns and rows of the terminal.
    pub(crate) size: (u16, u16),
    pub(crate) mouse: bool,
    pub(crate) quitting: bool,
    /// Rows that have been read, until there is a new snapshot.
    pub(crate) read: HashMap<EntryId, Result<Shown, String>>,
}

/// What an event leads to outside the state.
pub(crate) enum Effect {
    Sieve(Sieve),
    Lens(Lens, Option<Expr>),
    /// Sieves to count beside the pan.
    Beside(Vec<Sieve>),
    /// The span of time that the rail shows.
    Span(Option<(i64, i64)>),
    /// Something to look up beside the desk.
    Look(Job),
    /// Keep a sieve in a file of settings.
    Keep(Kept),
    /// Keep what was typed for the next time.
    Remember(Vec<(String, String)>),
    /// Something passed a watch: ring, and show the count in the title.
    Bell,
    Title(String),
    Save(PathBuf, Box<VolumePlate>),
    /// Text for the terminal's clipboard.
    Copy(String),
    Mouse(bool),
    /// A table for a file of settings, after which everything is read again.
    Teach(PathBuf, String),
    /// What sets the clock of the source of this label right, after which everything is read again.
    Clock(String, Correction),
}

impl App {
    pub(crate) fn new(setup: &Setup, snapshot: Arc<Snapshot>, theme: Theme) -> Self {
        Self {
            title: setup.title.clone(),
            // What is waited for is told by the snapshot, as long as it is.
            problems: setup.found.problems.iter().filter(|p| !p.waits()).cloned().collect(),
            snapshot,
            history: History::default(),
            picker: None,
            past: Vec::new(),
            unverified: None,
            surveys: HashMap::new(),
            marks: Vec::new(),
            watches: Vec::new(),
            settings: setup.settings.clone(),
            beside_logs: beside_logs(&setup.found.sources),
            findings: None,
            conditions: Some(setup.conditions.clone()),
            screen: Screen::Desk,
            desk: Desk {
                focus: Focus::Entries,
                selected: None,
                top: None,
                follow: setup.follow,
                moved: false,
                columns: Columns::default(),
                mesh: 0,
                rail: RailView::default(),
                remedy: 0,
                inspector: None,
                lines: Vec::new(),
                height: 0,
            },
            prompt: None,
            found: None,
            finding: None,
            message: None,
            zone: setup.conditions.zone.clone().unwrap_or(TimeZone::UTC),
            first_zone: setup.conditions.zone.clone().unwrap_or(TimeZone::UTC),
            times: Times::Zone,
            theme,
            size: (80, 24),
            mouse: true,
            quitting: false,
            read: HashMap::new(),
        }
    }

    /// Which keys mean what.
    pub(crate) fn mode(&self) -> Mode {
        match &self.screen {
            Screen::Desk => match self.desk.focus {
                Focus::Entries => Mode::Entries,
                Focus::Funnel => Mode::Funnel,
                Focus::Inspector => Mode::Inspector,
                Focus::Rail => Mode::Rail,
            },
            Screen::Trail(_) => Mode::Trail,
            Screen::Plate(_) => Mode::Plate,
            Screen::Intake { .. } => Mode::Intake,
            Screen::Help { .. } => Mode::Help,
        }
    }

    /// Whether the screen shows all that the last key has led to.
    pub(crate) fn is_current(&self) -> bool {
        let progress = self.snapshot.progress;
        self.snapshot.sieve == *self.history.sieve() && progress.sifted.0 == progress.sifted.1
    }

    /// What clock times refer to.
    pub(crate) fn context(&self) -> Context {
        let marks = self.marks.iter().map(|mark| (mark.name.clone(), mark.time));
        Context {
            zone: Some(self.zone.clone()),
            last: self.snapshot.span().map(|(_, last)| last),
            marks: marks.collect(),
        }
    }

    pub(crate) fn lens(&self, lens: Lens) -> Option<&LensView> {
        self.snapshot.lens(lens)
    }

    pub(crate) fn tell(&mut self, text: impl Into<String>) {
        self.message = Some(Message { text: text.into(), wrong: false });
    }

    pub(crate) fn warn(&mut self, text: impl Into<String>) {
        self.message = Some(Message { text: text.into(), wrong: true });
    }

    /// The row of the cursor.
    pub(crate) fn row(&self) -> usize {
        let len = self.snapshot.pan.len();
        let row = match self.desk.selected {
            _ if self.desk.follow => len,
            Some(id) => self.snapshot.row_of(id),
            None => 0,
        };
        row.min(len.saturating_sub(1))
    }

    /// Puts the cursor on a row.
    pub(crate) fn go(&mut self, row: usize) {
        let last = self.snapshot.pan.len().saturating_sub(1);
        self.desk.moved |= row > 0;
        self.desk.selected = self.snapshot.pan.get(row.min(last));
    }

    /// An entry as it may be shown, read at most once a snapshot.
    pub(crate) fn shown(&self, id: EntryId) -> Option<&Result<Shown, String>> {
        self.read.get(&id)
    }

    /// The entries on the screen that have not been read yet.
    pub(crate) fn missing(&self) -> Vec<EntryId> {
        let shown = self.desk.lines.iter().filter_map(|line| match line {
            Line::Entry { id, .. } => Some(*id),
            _ => None,
        });
        shown.filter(|id| !self.read.contains_key(id)).collect()
    }

    /// The entry under the cursor, which the screen has as a rule.
    pub(crate) fn fetch(&mut self, id: EntryId) -> Option<&Shown> {
        let snapshot = Arc::clone(&self.snapshot);
        self.read
            .entry(id)
            .or_insert_with(|| snapshot.row(id).map_err(|error| gone(&error)))
            .as_ref()
            .ok()
    }
}

/// The file of settings that lies beside the first file poured in.
fn beside_logs(sources: &[Source]) -> Option<PathBuf> {
    sources.iter().find_map(|source| match &source.origin {
        Origin::Files(files) => Some(config::folder_of(files.last()?).join(config::NAME)),
        Origin::Stdin => None,
    })
}

/// Why an entry can't be shown.
pub(crate) fn gone(error: &std::io::Error) -> String {
    match error.kind() {
        std::io::ErrorKind::UnexpectedEof => "gone: these bytes were cut off the file".into(),
        _ => format!("can't be read: {error}"),
    }
}
