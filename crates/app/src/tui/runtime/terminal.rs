//! The terminal: taken over, and given back whatever happens.

use std::{
    io::{self, Stdout, Write},
    process::{Command, ExitStatus},
    sync::{
        Mutex, PoisonError, TryLockError,
        atomic::{AtomicBool, Ordering},
    },
    time::{Duration, Instant},
};

use super::input;
use base64::{Engine as _, engine::general_purpose::STANDARD};
use ratatui::{
    Frame,
    backend::CrosstermBackend,
    crossterm::{
        cursor,
        event::{
            DisableBracketedPaste, DisableMouseCapture, EnableBracketedPaste, EnableMouseCapture,
        },
        execute,
        terminal::{
            EnterAlternateScreen, LeaveAlternateScreen, SetTitle, disable_raw_mode, enable_raw_mode,
        },
    },
};

/// Whether the program has the terminal, for the panic hook.
static TAKEN: AtomicBool = AtomicBool::new(false);
/// Whether it is given back for good.
static CLOSING: AtomicBool = AtomicBool::new(false);
/// Held while something is drawn.
static SCREEN: Mutex<()> = Mutex::new(());
/// How long a process that ends waits for its terminal.
const ENDING: Duration = Duration::from_millis(300);
/// After so long without an end of drawing, the terminal does not read.
const HANGS: Duration = Duration::from_secs(1);

/// Whether the program has set its title.
static TITLED: AtomicBool = AtomicBool::new(false);

/// The terminal while it is the program's. Dropping it gives it back.
pub(crate) struct Terminal {
    inner: ratatui::Terminal<CrosstermBackend<Stdout>>,
}

/// What the desk is shown on: the terminal, or what stands for it in tests.
pub(crate) trait Host {
    fn size(&self) -> io::Result<(u16, u16)>;
    fn draw(&mut self, draw: &mut dyn FnMut(&mut Frame<'_>)) -> io::Result<()>;
    /// Gives the terminal back, stops the process until it is continued, and takes the terminal again.
    fn suspend(&mut self) -> io::Result<()>;
    /// Gives the terminal to a command until it ends.
    fn lend(&mut self, command: &mut Command) -> io::Result<ExitStatus>;
    fn mouse(&mut self, on: bool) -> io::Result<()>;
    /// Puts text on the clipboard of the terminal.
    fn copy(&mut self, text: &str) -> io::Result<()>;
    fn bell(&mut self) -> io::Result<()>;
    fn title(&mut self, title: &str) -> io::Result<()>;
}

impl Terminal {
    pub(crate) fn open() -> io::Result<Self> {
        let hook = std::panic::take_hook();
        std::panic::set_hook(Box::new(move |info| {
            // What is caught is survived, and told on the screen.
            if cribrum_core::is_guarded() {
                return;
            }
            // The message would be lost on the other screen, and a desk without one of its threads would
            // go on drawing over it.
            if give_back().is_ok_and(|had| had) {
                hook(info);
                std::process::exit(101);
            }
            hook(info);
        }));
        Self::take().inspect_err(|_| {
            let _ = give_back();
        })
    }

    fn take() -> io::Result<Self> {
        take_over()?;
        Ok(Self { inner: ratatui::Terminal::new(CrosstermBackend::new(io::stdout()))? })
    }

    pub(crate) fn close(self) -> io::Result<()> {
        CLOSING.store(true, Ordering::Release);
        give_back().map(drop)
    }
}

impl Host for Terminal {
    fn size(&self) -> io::Result<(u16, u16)> {
        let size = self.inner.size()?;
        Ok((size.width, size.height))
    }

    fn draw(&mut self, draw: &mut dyn FnMut(&mut Frame<'_>)) -> io::Result<()> {
        let _drawing = SCREEN.lock().unwrap_or_else(PoisonError::into_inner);
        self.inner.draw(draw)?;
        Ok(())
    }

    fn suspend(&mut self) -> io::Result<()> {
        give_back()?;
        // SIGSTOP, since SIGTSTP is caught: the shell sees a stopped job either way.
        signal_hook::low_level::raise(signal_hook::consts::SIGSTOP)?;
        take_over()?;
        // All is drawn anew. Clearing would ask for the place of the cursor, and the answer comes as input.
        self.inner = ratatui::Terminal::new(CrosstermBackend::new(io::stdout()))?;
        Ok(())
    }

    fn lend(&mut self, command: &mut Command) -> io::Result<ExitStatus> {
        let reading = input::pause();
        give_back()?;
        let status = command.status();
        take_over()?;
        drop(reading);
        self.inner = ratatui::Terminal::new(CrosstermBackend::new(io::stdout()))?;
        status
    }

    fn mouse(&mut self, on: bool) -> io::Result<()> {
        match on {
            true => execute!(io::stdout(), EnableMouseCapture),
            false => execute!(io::stdout(), DisableMouseCapture),
        }
    }

    /// By OSC 52: it works wherever the program runs.
    fn copy(&mut self, text: &str) -> io::Result<()> {
        let mut out = io::stdout();
        write!(out, "\x1b]52;c;{}\x07", STANDARD.encode(text))?;
        out.flush()
    }

    fn bell(&mut self) -> io::Result<()> {
        let mut out = io::stdout();
        out.write_all(b"\x07")?;
        out.flush()
    }

    /// The title before is kept by the terminal itself.
    fn title(&mut self, title: &str) -> io::Result<()> {
        if !TITLED.swap(true, Ordering::AcqRel) {
            io::stdout().write_all(b"\x1b[22;2t")?;
        }
        execute!(io::stdout(), SetTitle(cribrum_core::veil::harmless(title)))
    }
}

impl Drop for Terminal {
    fn drop(&mut self) {
        let _ = give_back();
    }
}

fn take_over() -> io::Result<()> {
    enable_raw_mode()?;
    TAKEN.store(true, Ordering::Release);
    execute!(
        io::stdout(),
        EnterAlternateScreen,
        EnableBracketedPaste,
        EnableMouseCapture,
        cursor::Hide
    )
}

/// Gives the terminal back for a process that is about to end, while others may be drawing.
pub(crate) fn give_up() {
    // Drawing takes less than a frame; if it hangs, give the terminal back all the same.
    let begun = Instant::now();
    let drawing = loop {
        match SCREEN.try_lock() {
            Err(TryLockError::WouldBlock) if begun.elapsed() < ENDING => {
                std::thread::sleep(Duration::from_millis(5));
            }
            held => break held.ok(),
        }
    };
    // A terminal that has stopped reading takes nothing, and does not end its program for that.
    let given = std::thread::Builder::new().name("ending".into()).spawn(give_back);
    let begun = Instant::now();
    while given.as_ref().is_ok_and(|given| !given.is_finished()) && begun.elapsed() < ENDING {
        std::thread::sleep(Duration::from_millis(5));
    }
    // Keep the lock for ever, so that nothing is drawn on the terminal any more.
    std::mem::forget(drawing);
}

/// Waits until the terminal takes nothing more, neither what is drawn nor what gives it back.
pub(crate) fn wait_until_it_hangs() {
    let hangs = || CLOSING.load(Ordering::Acquire) || SCREEN.try_lock().is_err();
    let mut since = None;
    loop {
        match hangs() {
            true if since.get_or_insert_with(Instant::now).elapsed() > HANGS => return,
            true => {}
            false => since = None,
        }
        std::thread::sleep(Duration::from_millis(20));
    }
}

/// Gives the terminal back; says whether the program had it.
fn give_back() -> io::Result<bool> {
    if !TAKEN.swap(false, Ordering::AcqRel) {
        return Ok(false);
    }
    // What is written may wait for a terminal that does not read; this does not.
    let raw = disable_raw_mode();
    if TITLED.swap(false, Ordering::AcqRel) {
        io::stdout().write_all(b"\x1b[23;2t")?;
    }
    let shown = execute!(
        io::stdout(),
        DisableMouseCapture,
        DisableBracketedPaste,
        LeaveAlternateScreen,
        cursor::Show
    );
    raw.and(shown).map(|()| true)
}
