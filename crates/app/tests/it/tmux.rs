//! A real terminal: tmux on a socket of its own, keys in, screens out.

use std::{
    path::Path,
    process::Command,
    sync::atomic::{AtomicUsize, Ordering},
    time::{Duration, Instant},
};

static NUMBER: AtomicUsize = AtomicUsize::new(0);

/// A terminal with a shell command in it. Dropping it ends both.
pub(crate) struct Terminal {
    socket: String,
}

impl Terminal {
    /// Runs a shell command in a terminal of a fixed size.
    pub(crate) fn run(home: &Path, size: (u16, u16), command: &str) -> Self {
        let number = NUMBER.fetch_add(1, Ordering::Relaxed);
        let socket = format!("cribrum-test-{}-{number}", std::process::id());
        let terminal = Self { socket };
        let conf = home.join("tmux.conf");
        std::fs::write(
            &conf,
            "set -g status off\nset -g escape-time 0\nset -g remain-on-exit on\nset -s set-clipboard on\n",
        )
        .unwrap();
        let (width, height) = (size.0.to_string(), size.1.to_string());
        let shell = format!(
            "HOME={0} TMPDIR={0} LC_ALL=C.UTF-8 COLORTERM=truecolor {command}",
            home.display()
        );
        let conf = conf.display().to_string();
        // What is saved under a bare name must not land among the sources.
        let folder = home.display().to_string();
        terminal.tmux(&[
            "-f",
            &conf,
            "new-session",
            "-d",
            "-x",
            &width,
            "-y",
            &height,
            "-c",
            &folder,
            &shell,
        ]);
        terminal
    }

    /// The program in a terminal.
    pub(crate) fn cribrum(home: &Path, size: (u16, u16), arguments: &str) -> Self {
        Self::run(home, size, &format!("exec {} {arguments}", env!("CARGO_BIN_EXE_cribrum")))
    }

    fn tmux(&self, arguments: &[&str]) -> String {
        let output = Command::new("tmux")
            .args(["-L", &self.socket])
            .args(arguments)
            .env_remove("TMUX")
            .output()
            .expect("tmux is needed; `cargo xtask test` installs it");
        assert!(output.status.success(), "tmux {arguments:?}: {output:?}");
        String::from_utf8_lossy(&output.stdout).into_owned()
    }

    /// Presses keys by their tmux names.
    pub(crate) fn press(&self, keys: &[&str]) -> &Self {
        for key in keys {
            self.tmux(&["send-keys", "--", key]);
        }
        self
    }

    /// Presses keys without a pause.
    pub(crate) fn press_together(&self, keys: &[&str]) {
        self.tmux(&[&["send-keys", "--"], keys].concat());
    }

    /// Sends characters as they are.
    pub(crate) fn type_in(&self, text: &str) {
        self.tmux(&["send-keys", "-l", "--", text]);
    }

    /// Types a text and presses Enter.
    pub(crate) fn enter(&self, text: &str) -> &Self {
        self.tmux(&["send-keys", "-l", "--", text]);
        self.press(&["Enter"])
    }

    pub(crate) fn screen(&self) -> String {
        self.tmux(&["capture-pane", "-p"])
    }

    pub(crate) fn resize(&self, width: u16, height: u16) {
        self.tmux(&["resize-window", "-x", &width.to_string(), "-y", &height.to_string()]);
    }

    pub(crate) fn paste(&self, text: &str) {
        self.tmux(&["set-buffer", text]);
        self.tmux(&["paste-buffer", "-p"]);
    }

    /// Pastes as a terminal does that knows no brackets: every character is a key.
    pub(crate) fn paste_raw(&self, keys: &str) {
        self.tmux(&["set-buffer", keys]);
        self.tmux(&["paste-buffer"]);
    }

    /// A variable of the terminal, such as `alternate_on`.
    pub(crate) fn asks(&self, variable: &str) -> String {
        self.tmux(&["display-message", "-p", &format!("#{{{variable}}}")]).trim().to_owned()
    }

    /// What the program has put on the clipboard.
    pub(crate) fn clipboard(&self) -> String {
        self.tmux(&["show-buffer"])
    }

    /// Waits until a condition holds for the screen, and gives it.
    pub(crate) fn until(&self, what: &str, holds: impl Fn(&str) -> bool) -> String {
        let begun = Instant::now();
        loop {
            let screen = self.screen();
            if holds(&screen) {
                return screen;
            }
            assert!(begun.elapsed() < Duration::from_secs(20), "{what} never came:\n{screen}");
            std::thread::sleep(Duration::from_millis(20));
        }
    }

    /// Waits until the screen shows a text, and gives it.
    pub(crate) fn shows(&self, text: &str) -> String {
        self.until(text, |screen| screen.contains(text))
    }

    /// Waits until the program has ended.
    pub(crate) fn ended(&self) -> String {
        self.until("the end", |_| self.asks("pane_dead") == "1")
    }
}

impl Drop for Terminal {
    fn drop(&mut self) {
        let _ = Command::new("tmux").args(["-L", &self.socket, "kill-server"]).output();
    }
}
