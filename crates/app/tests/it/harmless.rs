//! Nothing is harmed: not a source, not the terminal, not whoever reads the output.

use std::{fs, os::unix::fs::symlink, process::Command};

use crate::{tmux::Terminal, told};

const ENTRY: &str = "2026-03-14 06:41:02 ERROR x: refused\n";

#[test]
fn no_output_takes_the_place_of_a_source() {
    let home = tempfile::tempdir().unwrap();
    let path = |name: &str| home.path().join(name).display().to_string();
    fs::write(path("app.log"), ENTRY).unwrap();
    fs::hard_link(path("app.log"), path("hard")).unwrap();
    symlink(path("hard"), path("soft")).unwrap();
    symlink(path("nowhere"), path("dangling")).unwrap();
    symlink(path("app.log"), path("plate.svg")).unwrap();
    for arguments in [
        ["sift", &path("app.log"), "-o", &path("app.log")],
        ["sift", &path("app.log"), "-o", &path("hard")],
        ["sift", &path("soft"), "-o", &path("app.log")],
        ["sift", &path("app.log"), "-o", &path("soft")],
        ["sift", &path("app.log"), "-o", &path("dangling")],
    ] {
        let (code, out, err) = told(home.path(), &arguments);
        assert_eq!((code, out.as_str()), (2, ""), "{arguments:?}: {err}");
    }
    let (code, _, err) =
        told(home.path(), &["draw", "volume", &path("app.log"), "-o", &path("plate.svg")]);
    assert!(code == 2 && err.contains("which is never written to"), "{err}");
    let shell = format!("{} sift {1} >> {1}", env!("CARGO_BIN_EXE_cribrum"), path("app.log"));
    let status = Command::new("sh").args(["-c", &shell]).env("HOME", home.path()).status().unwrap();
    assert_eq!(status.code(), Some(2), "standard output is the source itself");
    let (code, _, err) = told(home.path(), &["demo", "--write", &path("")]);
    assert_eq!(code, 0, "{err}");
    let (code, _, err) = told(home.path(), &["demo", "--write", &path("")]);
    assert!(code == 2 && err.contains("is there already"), "{err}");
    assert_eq!(fs::read_to_string(path("app.log")).unwrap(), ENTRY);
    assert!(!home.path().join("nowhere").exists());
    let left = fs::read_dir(home.path()).unwrap().flatten();
    let left = left.filter(|file| file.file_name().to_string_lossy().contains("cribrum-part"));
    assert_eq!(left.count(), 0);
}

#[test]
fn what_is_no_log_is_refused_with_a_reason() {
    let home = tempfile::tempdir().unwrap();
    let pipe = home.path().join("pipe");
    assert!(Command::new("mkfifo").arg(&pipe).status().unwrap().success());
    for (path, reason) in [
        (pipe.to_str().unwrap(), "a named pipe"),
        ("/dev/zero", "a device"),
        ("/proc/meminfo", "a file of the kernel"),
        ("nothing-fits-*.log", "no file that fits this pattern"),
    ] {
        let (code, _, err) = told(home.path(), &["sift", path]);
        assert!(code == 3 && err.contains(reason), "{path}: {err}");
    }
}

#[test]
fn names_and_entries_are_harmless_wherever_they_go() {
    let home = tempfile::tempdir().unwrap();
    let folder = home.path().join("logs");
    fs::create_dir(&folder).unwrap();
    let name = "evil\u{1b}]0;owned\u{7}\u{202e}\nname.log";
    fs::write(
        folder.join(name),
        "2026-03-14 06:41:02 ERROR x: \u{1b}[2J\u{7} nul\0 \u{7f}\u{9b}31m \u{202e}end\n",
    )
    .unwrap();
    fs::write(folder.join("core.bin\u{1b}[2J"), [0; 100]).unwrap();
    let folder = folder.to_str().unwrap();
    for arguments in [
        &["sift", folder][..],
        &["sift", folder, "--as", "jsonl"],
        &["intake", folder],
        &["intake", folder, "--as", "jsonl"],
    ] {
        let (code, out, err) = told(home.path(), arguments);
        assert_eq!(code, 0, "{arguments:?}: {err}");
        for (what, text) in [("output", &out), ("messages", &err)] {
            let harmful =
                |c: char| c.is_control() && c != '\n' || ('\u{202a}'..='\u{202e}').contains(&c);
            let found = text.chars().find(|c| harmful(*c));
            assert_eq!(found, None, "{arguments:?}: {what} {text:?}");
        }
    }
    let (_, raw, _) = told(home.path(), &["sift", folder, "--as", "raw"]);
    assert!(raw.contains("\u{1b}[2J\u{7} nul\0"), "raw keeps its bytes in a pipe: {raw:?}");
}

#[test]
fn outputs_that_take_nothing_end_as_others_do() {
    let home = tempfile::tempdir().unwrap();
    let run = |command: &str| {
        let shell = format!("{} {command}", env!("CARGO_BIN_EXE_cribrum"));
        let bash =
            Command::new("bash").args(["-c", &shell]).env("HOME", home.path()).output().unwrap();
        (bash.status.code().unwrap(), String::from_utf8_lossy(&bash.stderr).into_owned())
    };
    for command in ["completions bash", "--help", "--version", "man"] {
        let (code, err) = run(&format!("{command} > /dev/full"));
        assert!(code == 4 && err.contains("can't write: "), "{command}: {code} {err}");
        let (code, err) = run(&format!("{command} | true; exit ${{PIPESTATUS[0]}}"));
        assert_eq!((code, err.as_str()), (0, ""), "{command}");
    }
}

#[test]
fn the_terminal_is_given_away_and_taken_again() {
    let home = tempfile::tempdir().unwrap();
    let path = home.path().join("app.log");
    fs::write(&path, ENTRY.repeat(50)).unwrap();
    let shell = format!("{} {}", env!("CARGO_BIN_EXE_cribrum"), path.display());
    let terminal = Terminal::run(home.path(), (100, 24), "bash --norc --noprofile -i");
    terminal.until("the shell", |screen| screen.contains('$') || screen.contains('#'));
    terminal.enter(&shell);
    terminal.shows("refused");
    assert_eq!(terminal.asks("alternate_on"), "1");
    terminal.press(&["C-z"]);
    terminal.shows("Stopped");
    assert_eq!(terminal.asks("alternate_on"), "0");
    terminal.enter("echo the shell is $((40 + 2))");
    terminal.shows("the shell is 42");
    terminal.enter("fg");
    terminal.until("the desk again", |screen| screen.contains("refused") && !screen.contains("42"));
    assert_eq!(terminal.asks("alternate_on"), "1");
    // A flood of keys is read to its end without another key.
    terminal.paste_raw(&"j".repeat(3_000));
    terminal.press(&["g"]);
    terminal.paste_raw(&"k".repeat(12_000));
    // Not one of many keys is lost on the way.
    let digits = "0123456789".repeat(8);
    terminal.press(&["/"]);
    terminal.paste_raw(&digits);
    terminal.shows(&digits);
    // A key that comes right behind an Escape would be read as one with it.
    terminal.press(&["Escape"]);
    terminal.until("the prompt closed", |screen| !screen.contains(&digits));
    terminal.press(&["?"]);
    terminal.until("the help", |screen| !screen.contains("refused"));
    terminal.press(&["Escape"]);
    terminal.shows("refused");
    terminal.press(&["q"]);
    terminal.until("the shell again", |_| terminal.asks("alternate_on") == "0");
    for signal in ["QUIT", "USR1", "ALRM", "TERM", "HUP"] {
        let number = home.path().join("number");
        terminal.enter(&format!("clear; sh -c 'echo $$ > {}; exec {shell}'", number.display()));
        terminal.shows("refused");
        let process = fs::read_to_string(&number).unwrap();
        let kill = format!("kill -{signal} {process}");
        assert!(Command::new("sh").args(["-c", &kill]).status().unwrap().success());
        terminal.until("the shell after a signal", |_| terminal.asks("alternate_on") == "0");
        terminal.enter(&format!("clear; echo after {signal}"));
        terminal.shows(&format!("after {signal}"));
    }
}
