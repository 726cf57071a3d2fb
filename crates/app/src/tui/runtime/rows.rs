//! Rows read beside the desk: the thread that draws never waits for a disk.

use std::{
    io,
    sync::{
        Arc,
        atomic::{AtomicBool, Ordering},
    },
    time::{Duration, Instant},
};

use cribrum_core::{
    EntryId,
    engine::{Shown, Snapshot},
};
use crossbeam_channel::{Receiver, Sender, bounded, unbounded};

use crate::tui::{
    app::{App, Event},
    shared::gone,
};

/// How long a frame waits for its rows: mostly they are there at once, and nothing flickers. What takes longer is
/// drawn when it has come.
const MOMENT: Duration = Duration::from_millis(12);

/// Rows of a snapshot that are asked for.
struct Ask {
    snapshot: Arc<Snapshot>,
    rows: Vec<EntryId>,
}

/// What was read of them.
struct Read {
    snapshot: Arc<Snapshot>,
    rows: Vec<(EntryId, Result<Shown, String>)>,
}

/// The thread that reads rows, and what it has read.
pub(super) struct Rows {
    asks: Sender<Ask>,
    read: Receiver<Read>,
    /// The screen was drawn without rows that were asked for.
    late: Arc<AtomicBool>,
}

impl Rows {
    /// Starts the thread; it ends when this is dropped. `events` is told when rows have come.
    pub(super) fn start(events: Sender<Event>) -> io::Result<Self> {
        let (asks, asked) = unbounded::<Ask>();
        let (done, read) = bounded(2);
        let late = Arc::new(AtomicBool::new(false));
        let waited_for = Arc::clone(&late);
        std::thread::Builder::new().name("rows".into()).spawn(move || {
            while let Ok(ask) = asked.recv() {
                // Only the latest screen is waited for.
                let ask = asked.try_iter().last().unwrap_or(ask);
                let rows = read_rows(&ask.snapshot, &ask.rows);
                if done.send(Read { snapshot: ask.snapshot, rows }).is_err() {
                    return;
                }
                if waited_for.swap(false, Ordering::AcqRel) {
                    // In a full channel there is an event to come anyway.
                    let _ = events.try_send(Event::Rows);
                }
            }
        })?;
        Ok(Self { asks, read, late })
    }

    /// Gets the rows that the screen lacks, as far as they come in a moment.
    pub(super) fn fill(&self, app: &mut App) {
        while let Ok(read) = self.read.try_recv() {
            take(app, read);
        }
        let rows = app.missing();
        if rows.is_empty() {
            return;
        }
        // The thread ends only with this.
        let _ = self.asks.send(Ask { snapshot: Arc::clone(&app.cx.shared.snapshot), rows });
        let until = Instant::now() + MOMENT;
        while !app.missing().is_empty() {
            let wait = until.saturating_duration_since(Instant::now());
            match self.read.recv_timeout(wait) {
                Ok(read) => take(app, read),
                Err(_) => break,
            }
        }
        if !app.missing().is_empty() {
            self.late.store(true, Ordering::Release);
            // No event is sent for rows that came in between: take them here.
            while let Ok(read) = self.read.try_recv() {
                take(app, read);
            }
        }
    }
}

/// Reads rows of a snapshot.
fn read_rows(snapshot: &Snapshot, rows: &[EntryId]) -> Vec<(EntryId, Result<Shown, String>)> {
    rows.iter().map(|id| (*id, snapshot.row(*id).map_err(|error| gone(&error)))).collect()
}

/// Takes rows in, unless there is another snapshot by now.
fn take(app: &mut App, read: Read) {
    let shared = &mut app.cx.shared;
    if Arc::ptr_eq(&read.snapshot, &shared.snapshot) {
        shared.rows.extend(read.rows);
    }
}
