//! Pictures of the main views, made from the demo data in a real terminal.
//!
//! The program runs in tmux in xterm on a display of its own, so the keys and the colours are real.

use std::{
    fs,
    io::Read,
    os::fd::OwnedFd,
    path::Path,
    process::{Child, Command, Stdio},
    time::{Duration, Instant},
};

use anyhow::{Context, Result, bail};

use crate::need;

/// A picture: its name, the size of the terminal, the arguments, the keys, and the text that says that
/// the screen is there.
struct Shot {
    name: &'static str,
    size: (u16, u16),
    light: bool,
    /// Keys that several pictures begin with.
    first: &'static [&'static str],
    /// Keys; `=text` is typed, `^text` is waited for.
    keys: &'static [&'static str],
    shows: &'static str,
}

const PLAIN: Shot = Shot { name: "", size: LARGE, light: false, first: &[], keys: &[], shows: "" };

const LARGE: (u16, u16) = (160, 47);
const FOUR_MESHES: &[&str] = &[
    "s",
    "=level >= debug",
    "Enter",
    "T",
    "=06:38..06:44",
    "Enter",
    "s",
    "=not path ~ \"^/assets\"",
    "Enter",
    "s",
    "=not source = harbour",
    "Enter",
];

const SHOTS: [Shot; 19] = [
    Shot { name: "desk", first: FOUR_MESHES, shows: "source != harbour", ..PLAIN },
    Shot {
        name: "desk-chalk",
        light: true,
        keys: &["s", "=session_id or sessionId or api_key", "Enter"],
        shows: "table fetched",
        ..PLAIN
    },
    Shot {
        name: "desk-small",
        size: (80, 24),
        keys: &["s", "=level >= warn", "Enter", "s", "=status in (502, 50"],
        shows: "status in (502",
        ..PLAIN
    },
    Shot {
        name: "inspector",
        keys: &["s", "=\"no answer after\"", "Enter", "Enter"],
        shows: "in 7 sources",
        ..PLAIN
    },
    Shot {
        name: "trail",
        keys: &["s", "=id = 7f3a9c21e0b4d86f", "Enter", "t", "End"],
        shows: "not released",
        ..PLAIN
    },
    Shot { name: "requests", keys: &["r"], shows: "half within", ..PLAIN },
    Shot {
        name: "compare",
        keys: &["r", "^half within", "m", "/", "=seats 201", "Enter", "^993 requests", "m", "C"],
        shows: "longer by",
        ..PLAIN
    },
    Shot { name: "plate", keys: &["d"], shows: "a column is", ..PLAIN },
    Shot {
        name: "kinds",
        keys: &["K", "^acquirer.charge", "Down", "Down", "h"],
        shows: "different",
        ..PLAIN
    },
    Shot {
        name: "differences",
        keys: &["@", "=06:38", "Enter", "m", "Enter", "@", "=06:48", "Enter", "m", "Enter", "C"],
        shows: "AcquirerTimeout",
        ..PLAIN
    },
    Shot {
        name: "quantiles",
        light: true,
        keys: &["d", "^a column is", "o", "=took over", "Enter"],
        shows: "p50 – p95",
        ..PLAIN
    },
    Shot { name: "intake", keys: &["i"], shows: "understood", ..PLAIN },
    Shot {
        name: "empty",
        keys: &[
            "s",
            "=level >= error",
            "Enter",
            "T",
            "=06:00..06:20",
            "Enter",
            "s",
            "=status = 418",
            "Enter",
        ],
        shows: "Nothing is left",
        ..PLAIN
    },
    Shot {
        name: "prompt",
        first: FOUR_MESHES,
        keys: &["s", "=status in (", "Tab", "Tab"],
        shows: "status in (2",
        ..PLAIN
    },
    Shot {
        name: "window",
        keys: &[
            "s",
            "=level >= warn",
            "Enter",
            "@",
            "=06:41",
            "Enter",
            "m",
            "=seats shown as full",
            "Enter",
            "Tab",
            "Tab",
            "Up",
            "Enter",
            "Down",
            "Down",
            "Enter",
        ],
        shows: "1 level",
        ..PLAIN
    },
    Shot {
        name: "extract",
        keys: &["s", "=card or Bearer or email", "Enter", "^ Bearer ", "x"],
        shows: "personal data are hidden",
        ..PLAIN
    },
    Shot { name: "veil", keys: &["v"], shows: "finds the number", ..PLAIN },
    Shot { name: "help", keys: &["?"], shows: "what every key does", ..PLAIN },
    Shot {
        name: "tally",
        keys: &["c", "^/crossings/{n}/seats", "p"],
        shows: "/crossings/{n}/seats",
        ..PLAIN
    },
];

pub(crate) fn run() -> Result<()> {
    need::programs(&[
        ("Xvfb", "xvfb"),
        ("xterm", "xterm"),
        ("tmux", "tmux"),
        ("import", "imagemagick"),
        ("fc-list", "fontconfig"),
    ])?;
    let program = crate::release()?;
    let folder = Path::new("docs/screenshots");
    fs::create_dir_all(folder)?;
    for shot in &SHOTS {
        take(shot, &program, folder).with_context(|| format!("the picture {}", shot.name))?;
    }
    Ok(())
}

/// Ends a program that was started for the picture.
struct Running(Child);

impl Drop for Running {
    fn drop(&mut self) {
        // It may have ended by itself.
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

fn take(shot: &Shot, program: &Path, folder: &Path) -> Result<()> {
    let home = tempfile::tempdir()?;
    // A fixed key keeps the stand-ins the same from picture to picture.
    let state = home.path().join(".local/state/cribrum");
    fs::create_dir_all(&state)?;
    fs::write(state.join("veil.key"), b"saltmarsh-ferry!")?;
    let conf = home.path().join("tmux.conf");
    fs::write(
        &conf,
        "set -g status off\nset -g default-terminal tmux-256color\n\
         set -as terminal-overrides ',xterm*:Tc'\nset -g escape-time 0\n",
    )?;
    let socket = format!("cribrum-shot-{}", std::process::id());
    let (mut told, tells) = std::io::pipe()?;
    let display = Command::new("bash")
        .arg("-c")
        .arg("exec Xvfb -displayfd 0 -screen 0 1280x800x24 -nolisten tcp 2>/dev/null")
        .stdin(Stdio::from(OwnedFd::from(tells)))
        .stdout(Stdio::null())
        .spawn()?;
    let _display = Running(display);
    let mut number = [0; 8];
    let got = told.read(&mut number)?;
    let number = format!(":{}", String::from_utf8_lossy(&number[..got]).trim());
    let (ground, ink) = if shot.light { ("#fbfaf7", "#22262b") } else { ("#14181c", "#d6d9d2") };
    let palette = if shot.light { "chalk" } else { "dusk" };
    let command = format!(
        "env COLORTERM=truecolor HOME={} LC_ALL=C.UTF-8 {} demo --palette {palette}",
        home.path().display(),
        program.display()
    );
    let terminal = Command::new("xterm")
        .args(["-fa", "DejaVu Sans Mono", "-fs", "10", "-b", "0", "-bw", "0", "+sb"])
        .args(["-geometry", &format!("{}x{}+0+0", shot.size.0, shot.size.1)])
        .args(["-bg", ground, "-fg", ink, "-xrm", "xterm*boldMode: false", "-e"])
        .args(["tmux", "-L", &socket, "-f"])
        .arg(&conf)
        .args(["new-session", &command])
        .env("DISPLAY", &number)
        .env("LC_ALL", "C.UTF-8")
        .spawn()?;
    let _terminal = Running(terminal);
    wait_for(&socket, "20\u{2009}000")?;
    for key in shot.first.iter().chain(shot.keys) {
        if let Some(text) = key.strip_prefix('^').filter(|text| !text.is_empty()) {
            wait_for(&socket, text)?;
            continue;
        }
        let mut send = Command::new("tmux");
        send.args(["-L", &socket, "send-keys"]);
        match key.strip_prefix('=') {
            Some(text) if !text.is_empty() => send.args(["-l", "--", text]),
            _ => send.args(["--", key]),
        };
        crate::run(&mut send)?;
        // The screen must take each key before the next, as it does from a person.
        std::thread::sleep(Duration::from_millis(120));
    }
    wait_for(&socket, shot.shows)?;
    // xterm paints a moment after tmux knows.
    std::thread::sleep(Duration::from_millis(700));
    let picture = folder.join(format!("{}.png", shot.name));
    let size = format!("{}x{}+0+0", 8 * shot.size.0, 17 * shot.size.1);
    crate::run(
        Command::new("import")
            .args(["-window", "root", "-crop", &size])
            .arg("+repage")
            .arg(&picture)
            .env("DISPLAY", &number),
    )?;
    crate::run(Command::new("tmux").args(["-L", &socket, "kill-server"]))
}

/// Waits until the screen shows a text.
fn wait_for(socket: &str, text: &str) -> Result<()> {
    let begun = Instant::now();
    loop {
        let screen = Command::new("tmux").args(["-L", socket, "capture-pane", "-p"]).output()?;
        let screen = String::from_utf8_lossy(&screen.stdout).into_owned();
        if screen.contains(text) {
            return Ok(());
        }
        if begun.elapsed() > Duration::from_secs(20) {
            bail!("`{text}` never came; the screen was:\n{screen}");
        }
        std::thread::sleep(Duration::from_millis(50));
    }
}
