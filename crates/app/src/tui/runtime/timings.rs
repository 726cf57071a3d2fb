//! How long keys take to be answered, written to a file for measurements.

use std::{
    fs::File,
    io::{self, Write},
    path::Path,
    sync::Mutex,
    time::{Duration, Instant},
};

use ratatui::crossterm::event::KeyEvent;

/// When the last key came out of the terminal.
static CAME: Mutex<Option<Instant>> = Mutex::new(None);

/// Notes that a key has come. Called where keys are read, so that waiting for the screen counts.
pub(super) fn came() {
    if let Ok(mut came) = CAME.lock() {
        *came = Some(Instant::now());
    }
}

/// A line for each key: the key, the milliseconds until the next drawn frame, and until a frame that shows
/// what the key has led to.
pub(super) struct Timings {
    file: File,
    open: Option<(String, Instant, Option<Duration>)>,
}

impl Timings {
    pub(super) fn create(path: &Path) -> io::Result<Self> {
        Ok(Self { file: File::create(path)?, open: None })
    }

    /// A key is about to be answered.
    pub(super) fn key(&mut self, key: KeyEvent) {
        let came = CAME.lock().ok().and_then(|came| *came).unwrap_or_else(Instant::now);
        self.open = Some((key.code.to_string(), came, None));
    }

    /// A frame has been drawn; `current` says that nothing more will come of the last key.
    pub(super) fn drawn(&mut self, current: bool) -> io::Result<()> {
        let Some((key, came, drawn)) = &mut self.open else { return Ok(()) };
        let now = came.elapsed();
        let drawn = *drawn.get_or_insert(now);
        if current {
            let millis = |time: Duration| time.as_secs_f64() * 1e3;
            writeln!(self.file, "{key}\t{:.3}\t{:.3}", millis(drawn), millis(now))?;
            self.open = None;
        }
        Ok(())
    }
}
