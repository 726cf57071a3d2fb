//! Sieves on the command line, watches, and sifting in a real terminal.

use std::{
    fs,
    io::{BufRead, BufReader, Read, Write},
    path::Path,
    process::Stdio,
};

use crate::{cribrum, morning::Morning, tmux::Terminal, told};

fn json(second: u8, level: &str, logger: &str, message: &str) -> String {
    format!(
        "{{\"time\":\"2026-03-14T06:41:{second:02}Z\",\"level\":\"{level}\",\"logger\":\"{logger}\",\"msg\":\"{message}\"}}\n"
    )
}

/// A folder with a few lines and a sieve beside them.
fn small() -> tempfile::TempDir {
    let home = tempfile::tempdir().unwrap();
    let logs = home.path().join("logs");
    fs::create_dir(&logs).unwrap();
    let lines = [
        json(1, "debug", "http.client", "connection opened"),
        json(2, "info", "booking", "seat hold requested"),
        json(3, "warn", "http.client", "connection slow"),
        json(4, "error", "booking", "seat hold failed"),
    ];
    fs::write(logs.join("a.log"), lines.concat()).unwrap();
    fs::write(
        logs.join("cribrum.toml"),
        "[[sieve]]\nname = \"holds\"\nmeshes = [\"seat\"]\nquiet = { booking = \"warn\" }\n",
    )
    .unwrap();
    home
}

fn sift(home: &Path, more: &[&str]) -> (i32, Vec<String>, String) {
    let logs = home.join("logs/a.log").display().to_string();
    let arguments: Vec<&str> = ["sift", &logs, "--as", "raw"].iter().chain(more).copied().collect();
    let (code, out, messages) = told(home, &arguments);
    let message = |line: &str| {
        let parsed: serde_json::Value = serde_json::from_str(line).unwrap();
        parsed["msg"].as_str().unwrap().to_owned()
    };
    (code, out.lines().map(message).collect(), messages)
}

#[test]
fn kept_sieves_and_quiet_loggers_work_for_commands() {
    let home = small();
    let sift = |more: &[&str]| sift(home.path(), more);
    assert_eq!(sift(&["--sieve", "holds"]).1, ["seat hold failed"]);
    assert_eq!(sift(&["--quiet", "http=warn"]).1.len(), 3, "and what is below it by name");
    let both = sift(&["--quiet", "http=warn", "--quiet", "booking=error", "-w", "not failed"]);
    assert_eq!(both.1, ["connection slow"]);
    for (more, message) in [
        (["--sieve", "hold"], "no sieve is kept as `hold`; did you mean `holds`?"),
        (["--sieve", "nothing like it"], "there are holds"),
        (["--quiet", "http"], "write LOGGER=LEVEL"),
        (["--quiet", "http=loud"], "`loud` is no level"),
    ] {
        let (code, _, messages) = sift(&more);
        assert_eq!(code, 2, "{messages}");
        assert!(messages.contains(message), "{messages}");
    }
    fs::write(
        home.path().join("logs/cribrum.toml"),
        "[[sieve]]\nname = \"x\"\nmeshes = [\"a &&\"]\n",
    )
    .unwrap();
    let (code, _, messages) = sift(&["--sieve", "x"]);
    assert_eq!(code, 2);
    assert!(
        messages.contains("cribrum.toml:3:14: `&&` is not an operator here; write `and`"),
        "{messages}"
    );
}

#[test]
fn a_sieve_that_lets_nothing_through_says_why() {
    let home = small();
    for (condition, message) in [
        (
            "levle = error",
            "No entry has the field levle (4 looked at). Did you mean: level = error",
        ),
        (
            "logger = bookin",
            "logger is never bookin; it is booking, http.client … Did you mean: logger = booking",
        ),
        ("time > 09:00", "The window lies outside the data: 2026-03-14 06:41:01"),
        ("level = trace", "No source wrote anything below debug."),
    ] {
        let (code, left, messages) = sift(home.path(), &["-w", condition]);
        assert_eq!((code, left.len()), (1, 0), "{condition}");
        assert!(messages.contains(message), "{condition}: {messages}");
    }
}

#[test]
fn a_watch_tells_of_what_arrives_and_ends_as_asked() {
    let home = small();
    let path = home.path().join("logs/a.log");
    let logs = path.display().to_string();
    let watch = |more: &[&str]| {
        let arguments: Vec<&str> =
            ["watch", "level >= warn", &logs, "--as", "raw"].iter().chain(more).copied().collect();
        cribrum(home.path(), &arguments)
            .stdout(Stdio::piped())
            .stderr(Stdio::piped())
            .spawn()
            .unwrap()
    };
    // What is there already counts only when asked for.
    let output = watch(&["--all", "-n", "2"]).wait_with_output().unwrap();
    assert_eq!(output.status.code(), Some(0));
    assert_eq!(String::from_utf8_lossy(&output.stdout).lines().count(), 2);
    let output = watch(&["--for", "300ms"]).wait_with_output().unwrap();
    assert_eq!((output.status.code(), output.stdout.len()), (Some(1), 0), "nothing came");
    let mut child = watch(&["-n", "2", "--for", "60s"]);
    let mut lines = BufReader::new(child.stdout.take().unwrap()).lines();
    let add = |text: &str| {
        let mut file = fs::OpenOptions::new().append(true).open(&path).unwrap();
        file.write_all(text.as_bytes()).unwrap();
    };
    // The watch begins when it has read what is there; until then lines are old to it.
    let mut first = None;
    std::thread::scope(|scope| {
        let reader = scope.spawn(|| lines.next().unwrap().unwrap());
        let mut second = 10;
        while !reader.is_finished() {
            add(&json(second % 60, "info", "x", "passes not"));
            add(&json(second % 60, "error", "x", "came"));
            second += 1;
            std::thread::sleep(std::time::Duration::from_millis(100));
        }
        first = Some(reader.join().unwrap());
    });
    assert!(first.unwrap().contains("came"));
    assert_eq!(child.wait().unwrap().code(), Some(0), "two were enough");
    for (arguments, message) in [
        (["watch", "level >=", "-"], "a value was expected"),
        (["watch", "x", "--for=soon"], "`soon` is no duration"),
        (["watch", "x", "--count=0"], "a count of 0"),
    ] {
        let (code, _, messages) = told(home.path(), &arguments);
        assert_eq!(code, 2, "{messages}");
        assert!(messages.contains(message), "{messages}");
    }
}

#[test]
fn a_watch_on_a_stream_ends_with_it() {
    let home = small();
    let mut child = cribrum(home.path(), &["watch", "level >= warn", "-", "--as", "raw"])
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .spawn()
        .unwrap();
    let mut stdin = child.stdin.take().unwrap();
    stdin.write_all(json(1, "error", "x", "one").as_bytes()).unwrap();
    let mut out = BufReader::new(child.stdout.take().unwrap());
    let mut line = String::new();
    out.read_line(&mut line).unwrap();
    assert!(line.contains("one"), "told while the stream is open: {line}");
    stdin.write_all(json(2, "info", "x", "two").as_bytes()).unwrap();
    stdin.write_all(json(3, "warn", "x", "three").as_bytes()).unwrap();
    drop(stdin);
    let mut rest = String::new();
    out.read_to_string(&mut rest).unwrap();
    assert!(rest.contains("three") && !rest.contains("two"), "{rest}");
    assert_eq!(child.wait().unwrap().code(), Some(0));
}

#[test]
fn every_command_takes_the_whole_sieve() {
    let home = small();
    let logs = home.path().join("logs/a.log").display().to_string();
    let plate = home.path().join("plate.svg").display().to_string();
    let sieve = ["--sieve", "holds", "--quiet", "http=warn", "--level", "warn", "--to", "06:41:04"];
    let run = |first: &[&str]| {
        let arguments: Vec<&str> =
            first.iter().chain(&[logs.as_str()]).chain(&sieve).copied().collect();
        told(home.path(), &arguments)
    };
    let (code, out, messages) = run(&["intake"]);
    assert_eq!((code, messages.as_str()), (0, ""), "{out}");
    let (code, _, messages) = run(&["draw", "volume", "-o", &plate]);
    assert_eq!((code, messages.as_str()), (0, ""));
    assert!(fs::read_to_string(&plate).unwrap().contains("<svg"));
    let (code, out, _) = run(&["watch", "hold", "--all", "-n", "1", "--as", "jsonl"]);
    assert_eq!(code, 0);
    let entry: serde_json::Value = serde_json::from_str(out.trim()).unwrap();
    assert_eq!(entry["message"], "seat hold failed");
    let (code, _, messages) = run(&["trail", "7f3a"]);
    assert_eq!(code, 1, "{messages}");
}

#[test]
fn the_bell_and_the_title_can_be_off() {
    let home = small();
    let logs = home.path().join("logs");
    fs::write(logs.join("cribrum.toml"), "[watch]\nbell = false\ntitle = false\n").unwrap();
    let timings = home.path().join("timings");
    let diagnostics = home.path().join("diagnostics");
    let arguments = format!(
        "{} --timings {} --diagnostics {}",
        logs.display(),
        timings.display(),
        diagnostics.display()
    );
    let desk = Terminal::cribrum(home.path(), (120, 30), &arguments);
    desk.shows("seat hold failed");
    let title = desk.asks("pane_title");
    desk.press(&["W"]);
    // A key that comes before the screen is drawn again is timed in the place of this one.
    desk.shows("status >= 500");
    desk.enter("level >= error");
    desk.shows("watching for");
    let mut file = fs::OpenOptions::new().append(true).open(logs.join("a.log")).unwrap();
    file.write_all(json(9, "fatal", "booking", "again").as_bytes()).unwrap();
    desk.shows("1 came");
    assert_eq!(desk.asks("pane_title"), title);
    desk.press(&["q"]);
    desk.ended();
    // What the desk has done is told without a word of the logs, and of what was typed.
    let done = fs::read_to_string(&diagnostics).unwrap();
    assert!(done.contains("effect=\"beside\"") && done.contains("sources=1"), "{done}");
    assert!(!done.contains("seat hold") && !done.contains("level >="), "{done}");
    // Each key was timed to its frame.
    let told = fs::read_to_string(&timings).unwrap();
    let keys: Vec<&str> = told.lines().filter_map(|line| line.split('\t').next()).collect();
    assert!(
        keys.starts_with(&["W"]) && told.lines().all(|line| line.split('\t').count() == 3),
        "{told}"
    );
}

/// Type, point and undo through the morning.
#[test]
fn sifting_in_a_terminal() {
    let morning = Morning::write(3_000);
    let home = morning.home.path();
    let desk = Terminal::cribrum(home, (160, 47), &morning.logs());
    desk.shows("3\u{2009}000");
    desk.press(&["s"]).enter("levle = error");
    desk.shows("No entry has the field levle");
    desk.press(&["Enter"]);
    desk.shows("level = error");
    desk.press(&["1"]);
    desk.until("the mesh is off", |screen| screen.contains(" off"));
    desk.press(&["1"]);
    desk.until("the mesh is on", |screen| !screen.contains(" off") && screen.contains("−2"));
    desk.press(&["o"]);
    desk.shows("with this value");
    desk.press(&["s"]);
    desk.until("the source", |screen| screen.contains("2 source = "));
    desk.press(&["a"]);
    desk.until("around", |screen| screen.contains("± 1 s") && screen.matches("waits").count() == 2);
    desk.press(&["a"]);
    desk.shows("± 10 s");
    desk.press(&["u"]);
    desk.until("both again", |screen| !screen.contains("waits"));
    desk.press(&["u", "u", "u", "u", "u"]);
    desk.until("nothing sifted", |screen| !screen.contains(" 1 level"));
    // A window drawn with keys.
    desk.press(&["Tab", "Home", "Down", "Enter", "Down", "Down", "Enter"]);
    desk.until("the window", |screen| screen.contains(" 1 06:0"));
    desk.press(&["u", "Escape"]);
    desk.until("the desk's own keys", |screen| screen.contains("s sift"));
    desk.press(&["m"]).enter("second try");
    desk.press(&["s"]).enter("time > mark \"second try\"");
    desk.shows("1 time > mark \"second try\"");
    desk.press(&["S"]).enter("after it");
    desk.shows("is kept in");
    desk.press(&["u", "S"]);
    desk.shows("after it");
    desk.press(&["1"]);
    desk.until("taken", |screen| screen.contains(" 1 time > "));
    desk.press(&["q"]);
    desk.ended();
    let again =
        Terminal::cribrum(home, (160, 47), &format!("{} --sieve 'after it'", morning.logs()));
    again.until("the kept sieve", |screen| screen.contains(" 1 time > "));
    // What was typed is there in the next session.
    again.press(&["s", "Up"]);
    again.shows("sift time > mark");
    again.press(&["Escape"]);
    again.until("the prompt closed", |screen| !screen.contains("sift time > mark"));
    again.press(&["u", "w"]);
    again.shows("swept at");
    let mut file =
        fs::OpenOptions::new().append(true).open(morning.path("logs/booking.log")).unwrap();
    file.write_all(json(5, "error", "booking", "after the sweep").as_bytes()).unwrap();
    again.shows("after the sweep");
    again.press(&["q"]);
    again.ended();
}

#[test]
fn a_watch_on_the_desk_sets_the_title() {
    let home = small();
    let logs = home.path().join("logs");
    let desk = Terminal::cribrum(home.path(), (120, 30), &logs.display().to_string());
    desk.shows("seat hold failed");
    desk.press(&["W"]).enter("level >= error");
    desk.shows("watching for level >= error");
    let mut file = fs::OpenOptions::new().append(true).open(logs.join("a.log")).unwrap();
    file.write_all(json(9, "error", "booking", "again").as_bytes()).unwrap();
    desk.shows("1 came");
    desk.until("the title", |_| desk.asks("pane_title").starts_with("(1) cribrum"));
    desk.press(&["W", "Enter"]);
    desk.until("looked at", |screen| !screen.contains("came"));
    desk.press(&["q"]);
    desk.ended();
}
