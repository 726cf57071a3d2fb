//! What each command gives, with which code it ends, and what it says when it is used wrongly.

use std::{
    fs,
    io::{BufRead, BufReader, Write},
    process::Stdio,
};

use serde_json::json;

use crate::{
    cribrum,
    morning::{Morning, json_lines},
    told,
};

#[test]
fn sift_takes_all_conditions_together() {
    let morning = Morning::write(20_000);
    let (home, logs) = (morning.home.path(), morning.logs());
    let count = |more: &[&str]| {
        let arguments: Vec<&str> =
            ["sift", &logs, "--as", "jsonl"].iter().chain(more).copied().collect();
        let (code, out, messages) = told(home, &arguments);
        assert_eq!(messages.is_empty(), code == 0, "{more:?}: {messages}");
        (code, json_lines(&out))
    };
    let record = morning.record();
    let known =
        |test: &dyn Fn(&serde_json::Value) -> bool| record.iter().filter(|r| test(r)).count();
    let errors = known(&|r| r["level"] == "error" || r["level"] == "fatal");
    assert_eq!(count(&["--level", "error"]).1.len(), errors);
    let window = |r: &serde_json::Value| {
        let time = r["time"].as_str().unwrap();
        ("2026-03-14T06:38:00".."2026-03-14T06:44:00.000000").contains(&time)
    };
    assert_eq!(count(&["--from", "06:38", "--to", "06:44"]).1.len(), known(&window));
    let both = known(&|r| window(r) && r["source"] == "payments.log" && r["level"] != "debug");
    let more = [
        "--from",
        "06:38",
        "--to",
        "2026-03-14T06:44:00Z",
        "-l",
        "info",
        "-w",
        "source = payments",
    ];
    assert_eq!(count(&more).1.len(), both);
    let story = known(&|r| r["request_id"] == "7f3a9c21e0b4d86f");
    assert_eq!(count(&["--id", "7f3a9c21e0b4d86f"]).1.len(), story);
    let (code, nothing) = count(&["-w", "status = 418"]);
    assert_eq!((code, nothing.len()), (1, 0), "nothing matched");
    let earlier = count(&["--zone", "Europe/Rome", "--from", "07:38", "--to", "07:44"]).1.len();
    assert!(earlier > 0, "clock times are those of the zone");
}

#[test]
fn a_stream_is_read_like_a_file() {
    let morning = Morning::write(2_000);
    let text = fs::read(morning.path("logs/booking.log")).unwrap();
    let lines = text.iter().filter(|b| **b == b'\n').count();
    for arguments in [vec!["sift", "--as", "jsonl"], vec!["sift", "-", "--as", "jsonl"]] {
        let mut child = cribrum(morning.home.path(), &arguments)
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .spawn()
            .unwrap();
        let mut stdin = child.stdin.take().unwrap();
        let text = text.clone();
        let writer = std::thread::spawn(move || {
            // In pieces that cut lines, as pipes do.
            for piece in text.chunks(997) {
                stdin.write_all(piece).unwrap();
            }
        });
        let output = child.wait_with_output().unwrap();
        writer.join().unwrap();
        let entries = json_lines(&String::from_utf8(output.stdout).unwrap());
        assert_eq!((output.status.code(), entries.len()), (Some(0), lines));
        assert_eq!(entries[0]["source"], "stdin");
    }
}

#[test]
fn a_stream_that_is_silent_before_it_ends_ends() {
    let home = tempfile::tempdir().unwrap();
    let mut child = cribrum(home.path(), &["sift", "--as", "jsonl", "-"])
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .spawn()
        .unwrap();
    let mut stdin = child.stdin.take().unwrap();
    for at in 0..4 {
        let name = if at % 2 == 0 { "fares" } else { "gate " };
        writeln!(stdin, "{name} | 2026-03-14 06:41:0{at} INFO number {at}").unwrap();
        // Part of what is tested: a program that writes now and then, and ends later still.
        std::thread::sleep(std::time::Duration::from_millis(120));
    }
    drop(stdin);
    let output = child.wait_with_output().unwrap();
    let entries = json_lines(&String::from_utf8(output.stdout).unwrap());
    let told: Vec<_> = entries
        .iter()
        .map(|e| (e["message"].as_str().unwrap(), e["fields"]["container"].as_str()))
        .collect();
    let (fares, gate) = (Some("fares"), Some("gate"));
    let want = [("number 0", fares), ("number 1", gate), ("number 2", fares), ("number 3", gate)];
    assert_eq!(told, want, "the names before the bar are learnt from what came later");
}

#[test]
fn a_stream_is_written_while_it_comes() {
    let home = tempfile::tempdir().unwrap();
    let mut child = cribrum(home.path(), &["sift", "-w", "level >= warn", "--as", "raw"])
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .spawn()
        .unwrap();
    let mut stdin = child.stdin.take().unwrap();
    let line = |level: &str, at: usize| format!("2026-03-14 06:41:{at:02},000 {level} deck - {at}");
    for at in 0..5 {
        writeln!(stdin, "{}", line(if at == 2 { "WARN" } else { "INFO" }, at)).unwrap();
    }
    let mut out = BufReader::new(child.stdout.take().unwrap()).lines();
    assert_eq!(out.next().unwrap().unwrap(), line("WARN", 2), "the stream is still open");
    writeln!(stdin, "{}", line("ERROR", 5)).unwrap();
    drop(stdin);
    assert_eq!(out.map(Result::unwrap).collect::<Vec<_>>(), [line("ERROR", 5)]);
    assert_eq!(child.wait().unwrap().code(), Some(0));
}

#[test]
fn the_order_is_that_of_time_or_that_of_the_sources() {
    let home = tempfile::tempdir().unwrap();
    let write = |name: &str, lines: &[&str]| {
        let path = home.path().join(name);
        fs::write(&path, lines.join("\n")).unwrap();
        path.to_str().unwrap().to_owned()
    };
    let a = write("a.log", &["2026-03-14 06:41:03 INFO three", "2026-03-14 06:41:01 INFO one"]);
    let b = write("b.log", &["2026-03-14 06:41:02 INFO two", "2026-03-14 06:41:04 INFO four"]);
    let words = |arguments: &[&str]| {
        let (code, out, messages) = told(home.path(), arguments);
        assert_eq!((code, messages.as_str()), (0, ""), "{arguments:?}");
        let last = |line: &str| line.rsplit(' ').next().unwrap_or_default().to_owned();
        out.lines().map(last).collect::<Vec<_>>().join(" ")
    };
    let raw = |more: &[&str]| words(&[&["sift", "--as", "raw"], more].concat());
    assert_eq!(raw(&[&a, &b]), "one two three four");
    assert_eq!(raw(&[&a, &b, "--order", "source"]), "three one two four");
    assert_eq!(raw(&[&b, &a, "--order", "source"]), "two four three one");
    assert_eq!(raw(&[&a]), "three one", "one source is written as it stands");
    assert_eq!(raw(&[&a, "--order", "time"]), "one three");
    // By a search, by times that count from the end, and no more than so many.
    assert_eq!(raw(&[&a, "-w", "three or one"]), "three one");
    assert_eq!(raw(&[&a, "--from", "06:41:01"]), "three one");
    assert_eq!(raw(&[&a, &b, "--order", "source", "-n", "3"]), "three one two");
    let (code, _, messages) = told(home.path(), &["sift", &a, "--last", "1", "--order", "source"]);
    assert!(code == 2 && messages.contains("--order"), "{messages}");
}

#[test]
fn a_closed_pipe_ends_quietly() {
    let morning = Morning::write(20_000);
    let mut child = cribrum(morning.home.path(), &["sift", &morning.logs()])
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .unwrap();
    drop(child.stdout.take());
    let output = child.wait_with_output().unwrap();
    assert_eq!(
        (output.status.code(), String::from_utf8_lossy(&output.stderr).as_ref()),
        (Some(0), "")
    );
}

#[test]
fn trail_follows_a_request_to_its_cause() {
    let morning = Morning::write(20_000);
    let (home, logs) = (morning.home.path(), morning.logs());
    let (code, out, _) = told(home, &["trail", "7f3a9c21", &logs]);
    assert_eq!(code, 0);
    for text in [
        "request_id 7f3a9c21e0b4d86f",
        "6 lanes",
        "AcquirerTimeout: no answer after 3 tries",
        "late answer from acquirer: charged, no one waiting",
        "state unknown has no expiry",
        "* the longest wait",
    ] {
        assert!(out.contains(text), "{text} in\n{out}");
    }
    let (code, out, _) = told(home, &["trail", "7f3a9c21e0b4d86f", &logs, "--as", "jsonl"]);
    let steps = json_lines(&out);
    assert_eq!((code, steps.len()), (0, 19));
    let seconds = |step: usize, name: &str| steps[step][name].as_f64().unwrap();
    assert!(seconds(0, "at").abs() < 1e-9 && (seconds(1, "at") - 0.013).abs() < 1e-9);
    let said = |text: &str| steps.iter().position(|step| step["message"] == text).unwrap();
    let retried = said("fare lookup retried");
    assert!((seconds(retried, "gap") - 0.209).abs() < 1e-9, "{}", steps[retried]);
    assert_eq!(told(home, &["trail", "0000000000", &logs]).0, 1);
    let (code, _, messages) = told(home, &["trail", "a", &logs]);
    assert_eq!(code, 2, "too many ids fit");
    assert!(messages.contains("write more of it"), "{messages}");
}

#[test]
fn a_trail_is_compared_and_drawn() {
    let morning = Morning::write(20_000);
    let (home, logs) = (morning.home.path(), morning.logs());
    let (code, out, _) = told(home, &["trail", "7f3a9c21e0b4d86f", &logs, "--usual"]);
    assert_eq!(code, 0);
    let unusual = out.lines().nth(1).unwrap();
    assert!(unusual.starts_with("Unusual: 7.") && unusual.contains("tried 3 times"), "{unusual}");
    assert!(out.contains("* longer than usual for such a step"), "{out}");
    // Two ids in one trail, and lanes by something else.
    let two =
        ["trail", "7f3a9c21e0b4d86f", &logs, "--also", "b81d44f09a7c0e1b", "--lanes", "source"];
    let (code, out, _) = told(home, &two);
    assert!(code == 0 && out.contains("b81d44f09a7c0e1b") && out.contains("spans"), "{out}");
    for (name, palette, ground) in [("t.svg", "chalk", "#fbfaf7"), ("dusk.svg", "dusk", "#14181c")]
    {
        let path = morning.path(name);
        let file = path.to_str().unwrap();
        let drawn = ["trail", "7f3a9c21e0b4d86f", &logs, "-o", file, "--palette", palette];
        assert_eq!(told(home, &drawn).0, 0);
        let svg = fs::read_to_string(&path).unwrap();
        for text in ["request_id 7f3a9c21e0b4d86f", "Unusual: 7.", "usually", ">payments<", ground]
        {
            assert!(svg.contains(text), "{text} in {svg}");
        }
        morning.assert_clean("a drawing", &svg);
    }
    let path = morning.path("t.pdf");
    assert_eq!(
        told(home, &["trail", "7f3a9c21e0b4d86f", &logs, "-o", path.to_str().unwrap()]).0,
        0
    );
    assert!(fs::read(&path).unwrap().starts_with(b"%PDF-"));
    let wrong = told(home, &["trail", "7f3a9c21e0b4d86f", &logs, "--kind", "berth"]);
    assert!(wrong.0 == 2 && wrong.2.contains("the kinds are request_id"), "{}", wrong.2);
    let near = told(home, &["trail", "7f3a9c21e0b4d86a", &logs]);
    assert!(near.0 == 1 && near.2.contains("no entry has the id"), "{}", near.2);
}

#[test]
fn requests_are_listed_in_three_forms() {
    let morning = Morning::write(20_000);
    let (home, logs) = (morning.home.path(), morning.logs());
    let (code, out, messages) = told(home, &["requests", &logs, "--top", "3"]);
    assert_eq!(code, 0);
    let lines: Vec<&str> = out.lines().collect();
    assert!(lines[0].contains("requests by request_id   half within"), "{out}");
    assert!(
        lines[2].contains("8.214 s") && lines[2].contains("POST /crossings/112/seats"),
        "{out}"
    );
    assert!(lines.len() == 5 && messages.contains("more; --top 0 lists all"), "{out}{messages}");
    let (_, out, _) =
        told(home, &["requests", &logs, "--as", "jsonl", "--sort", "start", "--ascending"]);
    let rows = json_lines(&out);
    assert!(
        rows.len() > 1_000
            && rows.windows(2).all(|two| two[0]["start"].as_str() <= two[1]["start"].as_str())
    );
    for (column, member) in [("id", "id"), ("first", "first"), ("before", "before")] {
        let (_, out, _) =
            told(home, &["requests", &logs, "--as", "jsonl", "--sort", column, "--ascending"]);
        let sorted = json_lines(&out);
        let texts: Vec<&str> =
            sorted.iter().map(|row| row[member].as_str().unwrap_or_default()).collect();
        assert!(texts.len() == rows.len() && texts.is_sorted(), "{column}");
    }
    let story = rows.iter().find(|row| row["id"] == "7f3a9c21e0b4d86f").unwrap();
    assert_eq!(
        (&story["status"], &story["entries"], &story["sources"]),
        (&json!(504), &json!(19), &json!(7))
    );
    assert!((story["duration"].as_f64().unwrap() - 8.214).abs() < 1e-9, "{story}");
    assert!((story["wait"].as_f64().unwrap() - 4.824).abs() < 1e-9, "until the answer: {story}");
    let (_, out, _) =
        told(home, &["requests", &logs, "--kind", "session", "--as", "csv", "--top", "2"]);
    assert!(out.starts_with("id,kind,start,duration,") && out.lines().count() == 3, "{out}");
    morning.assert_clean("requests", &out);
    // What the sieve holds back is not listed, but measured.
    let held = ["requests", &logs, "-w", "level >= fatal"];
    assert_eq!(told(home, &held).0, 1);
}

#[test]
fn intake_says_how_each_source_is_read() {
    let morning = Morning::write(20_000);
    let (code, out, _) = told(morning.home.path(), &["intake", &morning.logs(), "--as", "jsonl"]);
    assert_eq!(code, 0);
    let rows = json_lines(&out);
    let layouts = |source: &str| {
        let row = rows.iter().find(|row| row["source"] == source).unwrap();
        assert_eq!(row["entries"], row["understood"], "{row}");
        row["layouts"].as_object().unwrap().keys().cloned().collect::<Vec<_>>().join(" ")
    };
    for (source, want) in [
        ("booking.log", "json"),
        ("deck.log", "json pairs text"),
        ("fares.log", "delimited"),
        ("gate.log", "access"),
        ("harbour.log", "pairs"),
        ("manifest.csv", "csv"),
        ("payments.log", "text"),
    ] {
        assert_eq!(layouts(source), want, "{source}");
    }
    let entries: u64 = rows.iter().map(|row| row["entries"].as_u64().unwrap()).sum();
    assert_eq!(entries, 20_000);
    let (_, table, _) = told(morning.home.path(), &["intake", &morning.logs()]);
    assert!(table.contains("20\u{2009}000") && table.contains("100.0 %"), "{table}");
}

#[test]
fn plates_come_as_svg_and_pdf() {
    let morning = Morning::write(2_000);
    for (name, start) in [("plate.svg", "<svg"), ("plate.PDF", "%PDF-")] {
        let path = morning.path(name);
        let arguments =
            ["draw", "volume", &morning.logs(), "-l", "warn", "-o", path.to_str().unwrap()];
        let (code, out, messages) = told(morning.home.path(), &arguments);
        assert_eq!((code, out.as_str(), messages.as_str()), (0, "", ""));
        assert!(fs::read(&path).unwrap().starts_with(start.as_bytes()), "{name}");
    }
    let left: Vec<_> =
        fs::read_dir(morning.home.path()).unwrap().flatten().map(|e| e.file_name()).collect();
    assert_eq!(left.len(), 6, "no half files: {left:?}");
}

#[test]
fn wrong_use_is_told_with_a_remedy() {
    let morning = Morning::write(100);
    let (home, logs) = (morning.home.path(), morning.logs());
    for (arguments, code, message) in [
        (vec!["sift", &logs, "-w", "level >= loud"], 2, "`loud` is no level"),
        (
            vec!["sift", &logs, "-w", "(a"],
            2,
            "a closing parenthesis was expected here\n  (a\n    ^",
        ),
        (vec!["sift", &logs, "--level", "loud"], 2, "the levels are trace, debug"),
        (vec!["sift", &logs, "--layout", "scroll"], 2, "the layouts are access, balancer"),
        (vec!["sift", &logs, "--zone", "Atlantis"], 2, "no time zone"),
        (vec!["sift", &logs, "--from", "noon"], 2, "`noon` is no time"),
        (vec!["sift", &logs, "--as", "xml"], 2, "possible values: text, jsonl, raw"),
        (vec!["draw", "volume", &logs, "-o", "plate.png"], 2, "ends in .svg, .pdf or .csv"),
        (vec!["trail", "", &logs], 2, "an id was expected"),
        (vec!["sift", "gone.log"], 3, "gone.log: there is no such file or folder"),
        (vec!["sift", &logs, "gone.log", "-w", "nothing here"], 3, "there is no such file"),
        (vec!["sift", &logs, "-o", "/no/such/folder/x"], 4, "can't write"),
        (vec!["demo", "--live", "0"], 2, "a rate of 0"),
    ] {
        let (got, _, messages) = told(home, &arguments);
        assert_eq!(got, code, "{arguments:?}: {messages}");
        assert!(messages.contains(message), "{arguments:?}: {messages}");
    }
}

#[test]
fn no_mistake_repeats_a_secret() {
    let home = tempfile::tempdir().unwrap();
    let path = |name: &str| home.path().join(name).display().to_string();
    fs::write(path("app.log"), "2026-03-14 06:41:01 INFO first\n").unwrap();
    let app = path("app.log");
    let told_of = |arguments: &[&str]| {
        let (code, out, told) = told(home.path(), arguments);
        assert_eq!(code, 2, "{told}");
        assert!(!out.contains("Gertrude") && !told.contains("Gertrude"), "{told}");
        told
    };
    let told = told_of(&["sift", "-w", "password > Gertrude1987 and (", &app]);
    assert!(told.contains("password > «password·"), "{told}");
    told_of(&["sift", "-w", "password=Gertrude1987", "--level", "password=Gertrude1987", &app]);
    let told = told_of(&["sift", "--passwort", &app]);
    assert!(told.contains("unexpected argument '--passwort'"), "{told}");
    fs::write(path("cribrum.toml"), "[[sieve]]\nname = 'a'\nmeshes = ['token == Gertrude1987']\n")
        .unwrap();
    assert!(told_of(&["sift", &app]).contains("cribrum.toml:3:"));
}

#[test]
fn requests_without_times_have_no_beginning() {
    let home = tempfile::tempdir().unwrap();
    let log = home.path().join("app.log");
    fs::write(&log, "INFO seat held request_id=7f3a9c21e0b4d86f\n".repeat(3)).unwrap();
    let log = log.display().to_string();
    let (code, out, _) = told(home.path(), &["requests", &log, "--as", "csv"]);
    assert!(code == 0 && out.contains("7f3a9c21e0b4d86f,request_id,,,3,1,info"), "{out}");
    let (_, out, _) = told(home.path(), &["requests", &log]);
    assert!(!out.contains("0 ms"), "{out}");
}

#[test]
fn help_completions_and_manual_are_there() {
    let home = tempfile::tempdir().unwrap();
    for (arguments, text) in [
        (vec!["--help"], "cribrum trail 7f3a9c21e0b4d86f logs/"),
        (vec!["sift", "--help"], "--where <EXPR>"),
        (vec!["--version"], "cribrum 0."),
        (vec!["completions", "bash"], "_cribrum"),
        (vec!["man"], ".TH cribrum"),
    ] {
        let (code, out, _) = told(home.path(), &arguments);
        assert_eq!(code, 0, "{arguments:?}");
        assert!(out.contains(text), "{arguments:?}: {out}");
    }
}

#[test]
fn stand_ins_are_the_same_today_and_tomorrow() {
    let morning = Morning::write(2_000);
    let out = |home: &std::path::Path| told(home, &["sift", &morning.logs(), "-w", "card"]).1;
    let first = out(morning.home.path());
    assert!(first.contains("«card·"));
    assert_eq!(out(morning.home.path()), first);
    let key = morning.path(".local/state/cribrum/veil.key");
    let mode = std::os::unix::fs::PermissionsExt::mode(&fs::metadata(&key).unwrap().permissions());
    assert_eq!(mode & 0o777, 0o600, "the key is its owner's alone");
    let other = tempfile::tempdir().unwrap();
    assert_ne!(out(other.path()), first, "another user's key");
}

#[test]
fn live_entries_keep_coming() {
    let home = tempfile::tempdir().unwrap();
    let logs = home.path().join("logs");
    let mut child =
        cribrum(home.path(), &["demo", "--live", "400", "--write", logs.to_str().unwrap()])
            .spawn()
            .unwrap();
    let begun = std::time::Instant::now();
    let lines = || {
        let files = fs::read_dir(&logs).into_iter().flatten().flatten();
        files
            .map(|file| {
                fs::read(file.path()).unwrap_or_default().iter().filter(|b| **b == b'\n').count()
            })
            .sum::<usize>()
    };
    while lines() < 200 {
        assert!(begun.elapsed().as_secs() < 20, "only {} lines came", lines());
        std::thread::sleep(std::time::Duration::from_millis(20));
    }
    crate::ask_to_end(&child.id().to_string());
    assert!(child.wait().unwrap().success(), "asked to end, it ends in order");
    let (code, out, _) = told(home.path(), &["intake", logs.to_str().unwrap(), "--as", "jsonl"]);
    assert_eq!(code, 0);
    assert!(json_lines(&out).iter().all(|row| row["entries"] == row["understood"]), "{out}");
}

#[test]
fn two_hosts_copies_of_a_name_stay_apart() {
    let home = tempfile::tempdir().unwrap();
    for host in ["north", "south"] {
        let folder = home.path().join("logs").join(host);
        fs::create_dir_all(&folder).unwrap();
        fs::write(folder.join("app.log"), format!("2026-03-14 06:41:02 INFO a: from {host}\n"))
            .unwrap();
    }
    let logs = home.path().join("logs").display().to_string();
    let (code, out, _) = told(home.path(), &["sift", &logs, "--as", "jsonl"]);
    let sources: Vec<String> =
        json_lines(&out).iter().map(|entry| entry["source"].as_str().unwrap().to_owned()).collect();
    assert_eq!((code, sources), (0, vec!["north/app.log".to_owned(), "south/app.log".to_owned()]));
    let (_, out, _) = told(home.path(), &["sift", &logs, "-w", "source = north/app"]);
    assert!(out.contains("from north") && !out.contains("from south"), "{out}");
}

#[test]
fn zones_serve_times_without_one_and_times_shown() {
    let home = tempfile::tempdir().unwrap();
    let path = home.path().join("a.log");
    fs::write(&path, "2026-07-01 12:00:00 INFO a: bare\n2026-07-01T10:00:01Z INFO a: utc\n")
        .unwrap();
    let path = path.to_str().unwrap();
    let times = |more: &[&str]| {
        let arguments: Vec<&str> = ["sift", path, "--as", "jsonl", "--order", "time"]
            .iter()
            .chain(more)
            .copied()
            .collect();
        json_lines(&told(home.path(), &arguments).1)
            .iter()
            .map(|entry| {
                format!(
                    "{} {}",
                    entry["message"].as_str().unwrap(),
                    entry["time"].as_str().unwrap()
                )
            })
            .collect::<Vec<_>>()
    };
    assert_eq!(times(&[]), ["utc 2026-07-01T10:00:01Z", "bare 2026-07-01T12:00:00Z"]);
    let rome = ["--zone", "Europe/Rome"];
    assert_eq!(times(&rome), ["bare 2026-07-01T10:00:00Z", "utc 2026-07-01T10:00:01Z"]);
    let (_, text, _) = told(home.path(), &["sift", path, "--zone", "Europe/Rome"]);
    assert!(text.starts_with("2026-07-01T12:00:00"), "{text}");
}

#[test]
fn a_forced_layout_takes_what_fits_and_keeps_the_rest() {
    let home = tempfile::tempdir().unwrap();
    let path = home.path().join("a.log");
    fs::write(&path, "{\"level\":\"info\",\"msg\":\"x\"}\n2026-07-01 12:00:00 WARN a: y\n")
        .unwrap();
    let arguments = ["sift", path.to_str().unwrap(), "--as", "jsonl", "--layout", "text"];
    let (code, out, _) = told(home.path(), &arguments);
    let layouts: Vec<String> =
        json_lines(&out).iter().map(|entry| entry["layout"].as_str().unwrap().to_owned()).collect();
    assert_eq!((code, layouts), (0, vec!["plain".to_owned(), "text".to_owned()]));
}

#[test]
fn results_in_a_file_replace_the_one_before() {
    let morning = Morning::write(500);
    let out = morning.path("out.txt");
    fs::write(&out, "something older").unwrap();
    let arguments = ["sift", &morning.logs(), "-l", "warn", "-o", out.to_str().unwrap()];
    let (code, stdout, messages) = told(morning.home.path(), &arguments);
    assert_eq!((code, stdout.as_str(), messages.as_str()), (0, "", ""));
    let text = fs::read_to_string(&out).unwrap();
    assert!(!text.contains("something older") && text.contains("warn"));
    let bare = told(morning.home.path(), &["sift", &morning.logs(), "-l", "warn"]).1;
    assert_eq!(text, bare, "a file and standard output get the same");
    // Where nothing may be written, what was there stays.
    let (code, _, messages) =
        told(morning.home.path(), &["sift", &morning.logs(), "-o", "/proc/out.txt"]);
    assert_eq!(code, 4, "{messages}");
}

#[test]
fn an_id_is_found_without_reading_everything_as_with() {
    let home = tempfile::tempdir().unwrap();
    let logs = home.path().join("logs");
    fs::create_dir(&logs).unwrap();
    let (id, other) = ("7f3a9c21e0b4d86f", "aaaa9c21e0b40000");
    let (mut booking, mut deck) = (String::new(), String::new());
    for at in 0..20_000 {
        let (minute, second) = (at / 600 % 60, at / 10 % 60);
        let here = if at % 6_007 == 17 { id } else { other };
        booking += &format!(
            "{{\"time\":\"2026-03-14T06:{minute:02}:{second:02}.{at:05}Z\",\"level\":\"info\",\"msg\":\"seat {at}\",\"request_id\":\"{here}\",\"token\":\"sm_abcdEFGH{at}\"}}\n"
        );
        deck += &format!(
            "2026-03-14 06:{minute:02}:{second:02},001 WARN deck.holds - hold {at} request_id={here}\n"
        );
        if at % 5 == 0 {
            deck += &format!(
                "java.lang.IllegalStateException: no berth\n\tat deck.Holds.free(Holds.java:{at})\n"
            );
        }
    }
    fs::write(logs.join("booking.log"), booking).unwrap();
    fs::write(logs.join("deck.log"), deck).unwrap();
    let logs = logs.to_str().unwrap();
    for form in ["text", "jsonl", "raw"] {
        let by_search = told(home.path(), &["sift", logs, "--as", form, "--id", id]);
        // An alternative promises no bytes to look for.
        let either = format!("id = {id} or id = {id}");
        let by_reading = told(home.path(), &["sift", logs, "--as", form, "-w", &either]);
        assert_eq!(by_search, by_reading, "{form}");
        assert_eq!(by_search.0, 0);
        let found = by_search.1.matches("seat ").count() + by_search.1.matches("hold ").count();
        assert_eq!(found, 8, "{form}: {}", by_search.1);
        assert!(!by_search.1.contains("sm_abcd"), "no secret in {form}");
    }
    let (code, out, messages) = told(home.path(), &["sift", logs, "--id", "0000000000000000"]);
    assert_eq!((code, out.as_str()), (1, ""));
    assert!(messages.contains("id = 0000000000000000"), "why there is nothing: {messages}");
}
