//! The program as people run it: its commands, and the desk in a real terminal.

#![expect(clippy::unwrap_used, reason = "a test that can't go on has failed")]

mod bad_input;
mod beside;
mod commands;
mod desk;
mod following;
mod harmless;
mod house;
mod measuring;
mod morning;
mod questions;
mod random;
mod reading;
mod sharing;
mod sifting;
mod tmux;
mod torture;
mod truth;
mod veil;

use std::{
    path::Path,
    process::{Command, Output},
};

/// The program with a home of its own.
pub(crate) fn cribrum(home: &Path, arguments: &[&str]) -> Command {
    let mut command = Command::new(env!("CARGO_BIN_EXE_cribrum"));
    command
        .args(arguments)
        .env("HOME", home)
        .env_remove("XDG_STATE_HOME")
        .env_remove("NO_COLOR")
        .stdin(std::process::Stdio::null());
    command
}

/// Runs the program to its end.
pub(crate) fn run(home: &Path, arguments: &[&str]) -> Output {
    cribrum(home, arguments).output().unwrap()
}

/// Runs the program and gives its exit code, its output and its messages.
pub(crate) fn told(home: &Path, arguments: &[&str]) -> (i32, String, String) {
    let output = run(home, arguments);
    (
        output.status.code().unwrap_or(-1),
        String::from_utf8_lossy(&output.stdout).into_owned(),
        String::from_utf8_lossy(&output.stderr).into_owned(),
    )
}

/// Sends SIGTERM to a process, by the shell's own command.
pub(crate) fn ask_to_end(process: &str) {
    assert!(
        Command::new("sh").args(["-c", &format!("kill {process}")]).status().unwrap().success()
    );
}
