//! What only a real terminal shows.

use std::{
    fs,
    io::Write,
    path::Path,
    time::{Duration, Instant},
};

use crate::{morning::Morning, tmux::Terminal};

const LARGE: (u16, u16) = (160, 47);

/// The story, solved with keys alone: floor, window, open, follow, and the cause is on the screen.
#[test]
fn the_mystery_is_solved_with_keys_alone() {
    let morning = Morning::write(20_000);
    let desk = Terminal::cribrum(morning.home.path(), LARGE, &morning.logs());
    let mut screens = vec![desk.shows("20\u{2009}000")];
    desk.press(&[">", ">", ">"]);
    screens.push(desk.shows("level ≥ warn"));
    desk.press(&["T"]).enter("06:42..06:43");
    screens.push(desk.shows("06:42 … 06:43"));
    // Somebody finds the crossing full; who holds the seats?
    desk.press(&["/"]).enter("held by no one");
    screens.push(desk.shows("crossing shows full, 6 seats held by no one"));
    desk.press(&["T"]).enter("06:40..06:42");
    desk.press(&["s"]).enter("\"hold kept\"");
    screens.push(desk.until("the holds", |s| {
        s.contains("hold kept, payment unknown") && s.contains("06:41:") && s.contains('−')
    }));
    desk.press(&["/"]).enter("7f3a9c21e0b4d86f");
    // Enter opens nothing as long as the entries are still being sifted.
    desk.shows("in 1 · n N");
    desk.press(&["Enter"]);
    screens.push(desk.shows("in 7 sources"));
    desk.press(&["t"]);
    let told = [
        "AcquirerTimeout",
        "charged, no one waiting",
        "state unknown has no expiry",
        "longer than usual waiting for payments, tried 3 times",
        "done after 8.214 s",
    ];
    let cause = desk.until("the cause", |screen| told.iter().all(|text| screen.contains(text)));
    screens.push(cause);
    // A key that comes right behind an Escape would be read as one with it.
    desk.press(&["Escape"]);
    desk.until("the trail closed", |screen| !screen.contains("longer than usual"));
    desk.press(&["d"]);
    screens.push(desk.shows("a column is"));
    let plate = morning.path("mystery.pdf");
    desk.press(&["d", "C-u"]).enter(plate.to_str().unwrap());
    screens.push(desk.shows("saved "));
    assert!(fs::read(&plate).unwrap().starts_with(b"%PDF-"));
    for screen in &screens {
        morning.assert_clean("a screen", screen);
    }
    desk.press(&["q", "q"]);
    desk.ended();
}

#[test]
fn no_secret_is_on_any_screen() {
    let morning = Morning::write(3_000);
    let desk = Terminal::cribrum(morning.home.path(), LARGE, &morning.logs());
    desk.shows("3\u{2009}000");
    desk.press(&["s"]).enter("card or Bearer or password or cookie or eyJ or postgres or api_key");
    // Keys that come before the sieve is there would act on what was there before.
    desk.until("what is left", |screen| screen.contains(" 1 card or") && screen.contains('−'));
    for _ in 0..12 {
        morning.assert_clean("the desk", &desk.screen());
        desk.press(&["Enter", "Enter"]);
        morning.assert_clean("the entry as written", &desk.shows("as written, secrets hidden"));
        desk.press(&["Escape", "NPage"]);
        desk.until("the inspector closed", |screen| !screen.contains("as written, secrets"));
    }
    desk.press(&["t"]);
    morning.assert_clean("the trail", &desk.shows("lane"));
}

#[test]
fn the_terminal_is_given_back() {
    let morning = Morning::write(500);
    let home = morning.home.path();
    let command =
        format!("{} {}; echo status $?; sleep 1000", env!("CARGO_BIN_EXE_cribrum"), morning.logs());
    let check = |desk: &Terminal| {
        desk.shows("status 0");
        assert_eq!(desk.asks("alternate_on"), "0");
        assert_eq!(desk.asks("mouse_any_flag"), "0");
        assert_eq!(desk.asks("cursor_flag"), "1");
    };
    let desk = Terminal::run(home, LARGE, &command);
    desk.shows("poured in");
    assert_eq!(desk.asks("alternate_on"), "1");
    desk.press(&["q"]);
    check(&desk);
    let desk = Terminal::run(home, LARGE, &command);
    desk.shows("poured in");
    // Asked to end by a signal.
    let pid = desk.asks("pane_pid");
    let child = fs::read_to_string(format!("/proc/{pid}/task/{pid}/children")).unwrap();
    crate::ask_to_end(child.trim());
    check(&desk);
}

#[test]
fn a_pipe_leaves_the_keys_to_the_terminal() {
    let morning = Morning::write(500);
    let command = format!("cat {}/booking.log | {}", morning.logs(), env!("CARGO_BIN_EXE_cribrum"));
    let desk = Terminal::run(morning.home.path(), LARGE, &command);
    desk.shows("stdin");
    desk.press(&["s"]).enter("level >= warn");
    desk.shows("level ≥ warn");
    desk.press(&["q"]);
    desk.ended();
}

#[test]
fn a_file_that_grows_is_followed_on_the_screen() {
    let home = tempfile::tempdir().unwrap();
    let path = home.path().join("app.log");
    fs::write(&path, "2026-03-14 06:41:01 INFO first\n").unwrap();
    let append = |path: &Path, text: &str| {
        fs::OpenOptions::new().append(true).open(path).unwrap().write_all(text.as_bytes()).unwrap();
    };
    let desk = Terminal::cribrum(home.path(), (100, 24), path.to_str().unwrap());
    desk.shows("first");
    append(&path, "2026-03-14 06:41:02 ERROR second\n  at A\n");
    desk.shows("second");
    desk.press(&["F"]);
    desk.shows("following");
    for number in 0..60 {
        append(&path, &format!("2026-03-14 06:42:{number:02} INFO number {number}\n"));
    }
    let screen = desk.shows("number 59");
    assert!(!screen.contains("first"), "the end is followed:\n{screen}");
}

#[test]
fn sizes_and_pastes_come_as_they_come() {
    let morning = Morning::write(2_000);
    let desk = Terminal::cribrum(morning.home.path(), LARGE, &morning.logs());
    desk.shows("2\u{2009}000");
    for (width, height, text) in
        [(80, 24, "poured in"), (40, 10, "Cribrum needs"), (200, 50, "times in UTC")]
    {
        desk.resize(width, height);
        desk.shows(text);
    }
    desk.press(&["s"]);
    desk.shows("level >= warn   status");
    desk.paste("level >= error\nq");
    desk.shows("sift level >= error q");
    desk.press(&["BSpace", "BSpace", "Enter"]);
    desk.shows("level ≥ error");
}

#[test]
fn the_demo_opens_and_plays() {
    let home = tempfile::tempdir().unwrap();
    let demo = Terminal::cribrum(home.path(), LARGE, "demo --entries 700");
    demo.shows("700");
    demo.shows("saltmarsh/");
    let live = Terminal::cribrum(home.path(), LARGE, "demo --live 200");
    live.shows("following");
    let count = |screen: &str| -> usize {
        let line = screen.lines().find(|line| line.contains("poured in")).unwrap_or_default();
        line.chars().filter(char::is_ascii_digit).collect::<String>().parse().unwrap_or(0)
    };
    let first = count(&live.until("some entries", |screen| count(screen) > 20));
    live.until("more entries", |screen| count(screen) > first + 100);
    live.press(&["q"]);
    live.ended();
    let left = fs::read_dir(home.path()).unwrap().flatten();
    let mine = left.filter(|e| e.file_name().to_string_lossy().starts_with("saltmarsh-")).count();
    assert_eq!(mine, 1, "the folder of the one that ended is gone");
}

#[test]
fn a_signal_ends_the_desk_although_its_terminal_has_stopped_reading() {
    use rustix::{
        pty::{OpenptFlags, grantpt, openpt, ptsname, unlockpt},
        termios::{Winsize, tcsetwinsize},
    };
    let morning = Morning::write(2_000);
    for signal in ["TERM", "HUP"] {
        // What is drawn is never taken out of this end.
        let ours = openpt(OpenptFlags::RDWR | OpenptFlags::NOCTTY).unwrap();
        grantpt(&ours).unwrap();
        unlockpt(&ours).unwrap();
        let name = ptsname(&ours, Vec::new()).unwrap();
        let theirs = || fs::OpenOptions::new().read(true).write(true).open(name.to_str().unwrap());
        let size = Winsize { ws_row: 47, ws_col: 160, ws_xpixel: 0, ws_ypixel: 0 };
        tcsetwinsize(&ours, size).unwrap();
        rustix::io::ioctl_fionbio(&ours, true).unwrap();
        let mut desk = crate::cribrum(morning.home.path(), &[])
            .arg(morning.logs())
            .env("TERM", "xterm-256color")
            .stdin(theirs().unwrap())
            .stdout(theirs().unwrap())
            .spawn()
            .unwrap();
        let mut keys = fs::File::from(ours);
        // Each key draws; once the terminal is full, the desk waits in drawing, and no more comes.
        let begun = Instant::now();
        let (mut last, mut since) = (0, begun);
        while last < 4_096 || since.elapsed() < Duration::from_secs(1) {
            assert!(begun.elapsed().as_secs() < 60, "the terminal is never full");
            // The other way fills up as well.
            let _ = keys.write(b"?");
            let now = written_by(desk.id());
            if now != last {
                (last, since) = (now, Instant::now());
            }
            std::thread::yield_now();
        }
        let kill = format!("kill -{signal} {}", desk.id());
        assert!(std::process::Command::new("sh").args(["-c", &kill]).status().unwrap().success());
        let asked = Instant::now();
        while desk.try_wait().unwrap().is_none() {
            assert!(asked.elapsed().as_secs() < 10, "{signal} did not end it");
            std::thread::yield_now();
        }
    }
}

/// Bytes that a process has written to anything.
fn written_by(process: u32) -> u64 {
    let io = fs::read_to_string(format!("/proc/{process}/io")).unwrap();
    io.lines().find_map(|line| line.strip_prefix("wchar: ")).unwrap().parse().unwrap()
}
