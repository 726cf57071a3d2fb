//! Following on the command line and on the desk: what is printed, and what is waited for.

use std::{
    fs::{self, OpenOptions},
    io::{BufRead, BufReader, Write},
    path::Path,
    process::{Child, Stdio},
    sync::mpsc::{Receiver, channel},
    time::Duration,
};

use crate::{cribrum, tmux::Terminal, told};

fn line(second: usize, message: &str) -> String {
    format!(
        "{{\"time\":\"2026-03-14T06:{:02}:{:02}Z\",\"level\":\"info\",\"msg\":\"{message}\"}}\n",
        second / 60 % 60,
        second % 60
    )
}

fn append(path: &Path, text: &str) {
    let mut file = OpenOptions::new().append(true).create(true).open(path).unwrap();
    file.write_all(text.as_bytes()).unwrap();
}

/// A command that goes on, and its lines as they come.
struct Going {
    child: Child,
    lines: Receiver<String>,
}

impl Going {
    fn start(home: &Path, arguments: &[&str]) -> Self {
        let mut command = cribrum(home, arguments);
        let mut child = command.stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap();
        let (send, lines) = channel();
        let out = BufReader::new(child.stdout.take().unwrap());
        std::thread::spawn(move || {
            for line in out.lines().map_while(Result::ok) {
                let _ = send.send(line);
            }
        });
        Self { child, lines }
    }

    fn next(&self) -> String {
        self.lines.recv_timeout(Duration::from_secs(20)).expect("another line")
    }

    /// Ends it, and gives what it told.
    fn end(mut self) -> String {
        self.child.kill().unwrap();
        self.child.wait().unwrap();
        let mut told = String::new();
        let mut messages = self.child.stderr.take().unwrap();
        std::io::Read::read_to_string(&mut messages, &mut told).unwrap();
        told
    }
}

impl Drop for Going {
    fn drop(&mut self) {
        let _ = self.child.kill();
    }
}

#[test]
fn entries_are_written_once_as_they_come_through_rotation_and_truncation() {
    let home = tempfile::tempdir().unwrap();
    let path = home.path().join("app.log");
    fs::write(&path, line(1, "there before")).unwrap();
    let sift = Going::start(home.path(), &["sift", "-F", path.to_str().unwrap()]);
    // The first that is written says that it has begun to follow.
    let first = loop {
        append(&path, &line(2, "first"));
        if let Ok(line) = sift.lines.recv_timeout(Duration::from_millis(900)) {
            break line;
        }
    };
    assert!(first.ends_with("app      first") || first.ends_with("  first"), "{first}");
    let next = |wanted: &str| {
        let line = std::iter::repeat_with(|| sift.next()).find(|line| !line.ends_with("first"));
        assert!(line.as_ref().is_some_and(|line| line.ends_with(wanted)), "{wanted}: {line:?}");
    };
    // Half a line is not written.
    let half = line(3, "a whole line");
    let (front, rest) = half.split_at(30);
    append(&path, front);
    append(&path, rest);
    next("a whole line");
    fs::rename(&path, home.path().join("app.log.1")).unwrap();
    append(&path, &line(4, "after the rename"));
    next("after the rename");
    OpenOptions::new().write(true).truncate(true).open(&path).unwrap();
    append(&path, &line(5, "after the truncation"));
    next("after the truncation");
    fs::remove_file(&path).unwrap();
    append(&path, &line(6, "after the deletion"));
    next("after the deletion");
    let messages = sift.end();
    assert!(messages.contains("app.log was truncated or rewritten after "), "{messages}");
}

#[test]
fn the_last_entries_come_from_the_end_and_a_count_ends() {
    let home = tempfile::tempdir().unwrap();
    let path = home.path().join("app.log");
    let text: String = (0..3_000).map(|at| line(at, &format!("number {at}")).repeat(5)).collect();
    fs::write(&path, &text).unwrap();
    let path = path.to_str().unwrap();
    let messages = |arguments: &[&str]| {
        let (code, out, err) = told(home.path(), arguments);
        assert_eq!((code, err.as_str()), (0, ""), "{arguments:?}");
        let message = |line: &str| line.rsplit("  ").next().unwrap().to_owned();
        out.lines().map(message).collect::<Vec<_>>()
    };
    let last = messages(&["sift", "--last", "2", path]);
    let whole = messages(&["sift", path]);
    assert_eq!(last, whole[whole.len() - 2..]);
    let many = messages(&["sift", "--last", "9000", path]);
    assert_eq!(many, whole[whole.len() - 9_000..], "more than the first look at the end holds");
    assert_eq!(messages(&["sift", "-n", "3", path]), whole[..3]);
    let (_, out, _) = told(home.path(), &["sift", "--last", "1", "--as", "jsonl", path]);
    assert!(out.contains("\"line\":null"), "no line is counted from the end: {out}");
    let (code, _, err) = told(home.path(), &["sift", "--last", "0", path]);
    assert_eq!((code, err.as_str()), (2, "cribrum: --last 0 writes nothing; give 1 or more\n"));
    let (code, ..) = told(home.path(), &["trail", "x", "-F", path]);
    assert_eq!(code, 2, "what can't follow does not accept it");
}

#[test]
fn what_is_not_there_yet_is_waited_for() {
    let home = tempfile::tempdir().unwrap();
    let (missing, folder) = (home.path().join("missing.log"), home.path().join("logs"));
    fs::create_dir(&folder).unwrap();
    for (place, file) in [(&missing, missing.clone()), (&folder, folder.join("new.log"))] {
        let (code, _, err) = told(home.path(), &["sift", place.to_str().unwrap()]);
        assert!(code == 3 && err.contains(place.to_str().unwrap()), "{err}");
        let mut going =
            Going::start(home.path(), &["sift", "-F", "-n", "1", place.to_str().unwrap()]);
        let mut out = BufReader::new(going.child.stderr.take().unwrap());
        let mut said = String::new();
        out.read_line(&mut said).unwrap();
        assert!(said.contains("yet; waiting for "), "{said}");
        append(&file, &line(1, "here it is"));
        assert!(going.next().ends_with("here it is"));
        assert!(going.child.wait().unwrap().success());
    }
}

#[test]
fn the_desk_waits_for_files_and_takes_new_ones_in() {
    let home = tempfile::tempdir().unwrap();
    let folder = home.path().join("pods");
    let desk = Terminal::cribrum(home.path(), (120, 30), folder.to_str().unwrap());
    desk.shows("there is no such file or folder yet; waiting for it");
    fs::create_dir(&folder).unwrap();
    append(&folder.join("pod-a.log"), &line(1, "the first pod"));
    desk.shows("the first pod");
    append(&folder.join("pod-b.log"), &line(2, "another pod"));
    let screen = desk.shows("another pod");
    assert!(screen.contains("pod-a") && screen.contains("2 sources"), "{screen}");
    // A line without its end is shown as it grows.
    append(&folder.join("pod-b.log"), "2026-03-14T06:00:03Z INFO half a li");
    desk.shows("half a li");
    append(&folder.join("pod-b.log"), "ne, whole now\n");
    let screen = desk.shows("half a line, whole now");
    assert_eq!(screen.matches("half a li").count(), 1, "{screen}");
    OpenOptions::new().write(true).truncate(true).open(folder.join("pod-a.log")).unwrap();
    let screen = desk.shows("pod-a.log was truncated");
    assert!(screen.contains("the first pod"), "what was shown stays: {screen}");
}
