//! Reading as people meet it: why a line was read so, layouts that are taught, sets of files.

use std::{fs, io::Write, path::Path};

use crate::{morning::json_lines, tmux::Terminal, told};

/// A home with a folder of logs.
fn home(files: &[(&str, &str)]) -> tempfile::TempDir {
    let home = tempfile::tempdir().unwrap();
    let logs = home.path().join("logs");
    fs::create_dir(&logs).unwrap();
    for (name, text) in files {
        fs::write(logs.join(name), text).unwrap();
    }
    home
}

fn path(home: &Path, name: &str) -> String {
    home.join("logs").join(name).display().to_string()
}

const PAYMENTS: &str = "2026-03-14 06:41:02,340 ERROR [main] payments.Acquirer - refused card=4000005946016038\n\
    java.lang.IllegalStateException: limit\n\
    \tat payments.Acquirer.charge(Acquirer.java:41)\n\
    2026-03-14 06:41:03,340 INFO [main] payments.Acquirer - next\n";

#[test]
fn a_line_is_explained() {
    let home = home(&[("payments.log", PAYMENTS)]);
    let explain = |place: &str| {
        let place = path(home.path(), place);
        told(home.path(), &["intake", "--explain", &place])
    };
    let (code, out, messages) = explain("payments.log:3");
    assert_eq!((code, messages.as_str()), (0, ""));
    for want in [
        "lines 1 to 3 are one entry",
        "tried         syslog no, mobile no, delimited no, text yes",
        "time          2026-03-14T06:41:02.340Z",
        "level         error, written ERROR",
        "logger        payments.Acquirer",
        "error         type=java.lang.IllegalStateException  message=limit",
    ] {
        assert!(out.contains(want), "{want} in {out}");
    }
    assert!(!out.contains("4000005946016038"), "what is hidden stays hidden: {out}");
    assert!(explain("payments.log:4").1.contains("line 4 is one entry"));
    for (place, code, message) in [
        ("payments.log:5", 1, "no entry has this line"),
        ("payments.log:0", 2, "names no line; write FILE:LINE"),
        ("payments.log", 2, "names no line; write FILE:LINE"),
        ("nothing.log:1", 3, "there is no such file"),
    ] {
        let (got, out, messages) = explain(place);
        assert_eq!((got, out.as_str()), (code, ""), "{place}: {messages}");
        assert!(messages.contains(message), "{place}: {messages}");
    }
}

#[test]
fn an_explanation_for_programs() {
    let wrapped = "{\"log\":\"{\\\"level\\\":\\\"warn\\\",\\\"msg\\\":\\\"old\\\"}\\n\",\"stream\":\"stdout\",\"time\":\"2026-03-14T06:41:02Z\"}\n";
    let home = home(&[("a.log", wrapped), ("b.log", "prose\n")]);
    let logs = home.path().join("logs").display().to_string();
    let arguments = ["intake", &logs, "--explain", "a.log:1", "--as", "jsonl"];
    let (code, out, messages) = told(home.path(), &arguments);
    assert_eq!((code, messages.as_str()), (0, ""));
    let value = &json_lines(&out)[0];
    assert_eq!((&value["layout"], &value["wrapped"]), (&"json".into(), &true.into()));
    assert_eq!((&value["message"], &value["level"]), (&"old".into(), &"warn".into()));
    assert_eq!(value["tried"], serde_json::json!([{"layout": "json", "fits": true}]));
    let (code, _, messages) = told(home.path(), &["intake", &logs, "--explain", "c.log:1"]);
    assert_eq!(code, 2);
    assert!(messages.contains("the sources are a.log, b.log"), "{messages}");
    let (_, out, _) = told(home.path(), &["intake", &logs]);
    assert!(
        out.contains("b.log: 1 not understood, the first in line 1: --explain b.log:1"),
        "{out}"
    );
}

#[test]
fn a_clock_is_set_right_for_its_source_alone() {
    let line = |program: &str| format!("2026-03-14 06:41:02.000 INFO {program}: said\n");
    let home = home(&[("gate.log", &line("gate")), ("fares.log", &line("fares"))]);
    let logs = home.path().join("logs").display().to_string();
    for (clock, want) in [
        ("gate.log=-1.5s", [("gate.log", "06:41:00.500"), ("fares.log", "06:41:02.000")]),
        ("gate.log=+01:00", [("gate.log", "05:41:02.000"), ("fares.log", "06:41:02.000")]),
        ("fares=-2min", [("fares.log", "06:39:02.000"), ("gate.log", "06:41:02.000")]),
    ] {
        let (code, out, messages) =
            told(home.path(), &["sift", &logs, "--clock", clock, "--as", "jsonl"]);
        assert_eq!((code, messages.as_str()), (0, ""));
        let entries = json_lines(&out);
        let got: Vec<_> = entries
            .iter()
            .map(|e| {
                (e["source"].as_str().unwrap(), e["time"].as_str().unwrap().get(11..23).unwrap())
            })
            .collect();
        assert_eq!(got, want, "{clock}");
    }
    for (clock, message) in [
        ("dock.log=1s", "`dock.log` is no source; the sources are fares.log, gate.log"),
        ("gate.log", "`gate.log` sets no clock; write SOURCE=CLOCK"),
        ("gate.log=soon", "`soon` is neither a zone nor a duration; write Europe/Rome"),
    ] {
        let (code, _, messages) = told(home.path(), &["sift", &logs, "--clock", clock]);
        assert_eq!(code, 2);
        assert!(messages.contains(message), "{messages}");
    }
}

const BERTHS: &str = "B4~2026-03-14 06:41:02~warn~mooring strained load=0.9\nB5~2026-03-14 06:41:03~info~free\nnot so\n";

#[test]
fn a_taught_layout_holds_beside_the_logs() {
    let taught = "[[layout]]\nname = \"berths\"\nfiles = \"berth*\"\ntemplate = \"{berth}~{time}~{level}~{message}\"\nids = [\"berth\"]\n";
    let home = home(&[("berth.log", BERTHS), ("other.log", BERTHS), ("cribrum.toml", taught)]);
    let logs = home.path().join("logs").display().to_string();
    let (code, out, messages) = told(home.path(), &["sift", &logs, "--as", "jsonl"]);
    assert_eq!((code, messages.as_str()), (0, ""));
    let entries = json_lines(&out);
    let of = |source: &str, line: u64| {
        entries.iter().find(|e| e["source"] == source && e["line"] == line).unwrap()
    };
    let first = of("berth.log", 1);
    assert_eq!(first["layout"], "berths");
    assert_eq!(
        (&first["level"], &first["message"]),
        (&"warn".into(), &"mooring strained load=0.9".into())
    );
    assert_eq!(first["ids"]["id"], "B4");
    assert_eq!(first["fields"]["load"], 0.9);
    assert_eq!(of("berth.log", 3)["layout"], "plain");
    assert_eq!(of("other.log", 1)["layout"], "plain", "it holds for its files only");
    let count = |layout: &str| {
        let arguments =
            ["sift", &logs, "--layout", layout, "-w", "layout = berths", "--as", "jsonl"];
        json_lines(&told(home.path(), &arguments).1).len()
    };
    assert_eq!(count("berths"), 4, "unless it is asked for by name");
    let (code, _, messages) = told(home.path(), &["sift", &logs, "--layout", "scroll"]);
    assert_eq!(code, 2);
    assert!(
        messages.contains("`scroll` is no layout") && messages.contains("berths"),
        "{messages}"
    );
}

#[test]
fn taught_layouts_go_on_each_by_its_own_rule() {
    let taught = "[[layout]]\nname = \"berths\"\ntemplate = \"B~{time}~{message}\"\ncontinues = \"always\"\n\
        [[layout]]\nname = \"gates\"\ntemplate = \"G~{time}~{message}\"\ncontinues = \"never\"\n";
    let lines = "G~2026-03-14 06:41:02~open\n  indented\nG~2026-03-14 06:41:03~shut\n";
    let berths = "B~2026-03-14 06:41:02~open\nat the margin\nB~2026-03-14 06:41:03~shut\n";
    let home = home(&[("a.log", lines), ("b.log", berths), ("cribrum.toml", taught)]);
    let logs = home.path().join("logs").display().to_string();
    let (_, out, _) = told(home.path(), &["sift", &logs, "--as", "jsonl"]);
    let mut told: Vec<String> = json_lines(&out)
        .iter()
        .map(|e| format!("{} {} {}+{}", e["source"], e["layout"], e["line"], e["lines"]))
        .collect();
    told.sort();
    let want = [
        r#""a.log" "gates" 1+1"#,
        r#""a.log" "gates" 3+1"#,
        r#""a.log" "plain" 2+1"#,
        r#""b.log" "berths" 1+2"#,
        r#""b.log" "berths" 3+1"#,
    ];
    assert_eq!(told, want);
}

#[test]
fn a_mistake_in_a_taught_layout_is_shown_at_its_column() {
    let home = home(&[
        ("a.log", "one\n"),
        ("cribrum.toml", "[[layout]]\nname = \"x\"\ntemplate = \"{time\"\n"),
    ]);
    let logs = home.path().join("logs").display().to_string();
    for arguments in [vec!["sift", &logs], vec!["intake", &logs]] {
        let (code, out, messages) = told(home.path(), &arguments);
        assert_eq!((code, out.as_str()), (2, ""));
        assert!(
            messages.contains("cribrum.toml:3:13: this hole is not closed; write `}`"),
            "{messages}"
        );
        assert!(messages.contains("template = \"{time\"\n              ^"), "{messages}");
    }
    fs::write(path(home.path(), "cribrum.toml"), "[[layout]\n").unwrap();
    let (code, _, messages) = told(home.path(), &["sift", &logs]);
    assert_eq!(code, 2);
    assert!(messages.contains("cribrum.toml:1:"), "{messages}");
}

#[test]
fn packed_and_rotated_files_are_one_source() {
    let line = |second: u32| format!("2026-03-14 06:41:{second:02} INFO berths - entry {second}\n");
    let home = home(&[("app.log", &line(4)), ("app.log.1", &line(3))]);
    let mut packer = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::fast());
    packer.write_all(line(2).as_bytes()).unwrap();
    fs::write(path(home.path(), "app.log.2.gz"), packer.finish().unwrap()).unwrap();
    let logs = home.path().join("logs").display().to_string();
    let (code, out, messages) = told(home.path(), &["sift", &logs, "--as", "jsonl"]);
    assert_eq!((code, messages.as_str()), (0, ""));
    let told_of: Vec<String> = json_lines(&out)
        .iter()
        .map(|e| {
            format!(
                "{} {} {}",
                e["source"].as_str().unwrap(),
                e["file"].as_str().unwrap(),
                e["line"]
            )
        })
        .collect();
    assert_eq!(told_of, ["app.log app.log.2.gz 1", "app.log app.log.1 1", "app.log app.log 1"]);
}

#[test]
fn a_clock_is_set_on_the_intake_screen() {
    let home = home(&[("payments.log", PAYMENTS)]);
    let logs = home.path().join("logs").display().to_string();
    let desk = Terminal::cribrum(home.path(), (100, 30), &logs);
    desk.shows("06:41:02.340");
    desk.press(&["i"]);
    desk.shows("times name no zone: UTC");
    desk.press(&["c"]).enter("Europe/Rome -2s");
    desk.shows("times name no zone: Europe/Rome · clock -2s");
    desk.press(&["Escape"]);
    desk.shows("05:41:00.340");
    desk.press(&["i", "c", "C-u"]).enter("");
    desk.shows("times name no zone: UTC");
    desk.press(&["Escape"]);
    desk.shows("06:41:02.340");
    desk.press(&["q"]);
    desk.ended();
}

#[test]
fn a_layout_is_taught_on_the_intake_screen() {
    let home = home(&[("berth.log", BERTHS)]);
    let logs = home.path().join("logs").display().to_string();
    let desk = Terminal::cribrum(home.path(), (120, 30), &logs);
    desk.shows("poured in");
    desk.press(&["i"]);
    desk.shows("lines as they are read");
    desk.press(&["e"]);
    desk.shows("template");
    desk.press(&["C-u"]).enter("{berth}~{time}~{level}~{message}");
    desk.until("the layout at work", |screen| {
        screen.contains("taught; saved to") && screen.contains("berth 66 %")
    });
    let saved = fs::read_to_string(path(home.path(), "cribrum.toml")).unwrap();
    assert!(saved.contains("template = \"{berth}~{time}~{level}~{message}\""), "{saved}");
    desk.press(&["Enter"]);
    desk.until("what is not understood", |screen| {
        screen.contains("layout = plain")
            && screen.contains("not so")
            && !screen.contains("mooring")
    });
    desk.press(&["q"]);
    desk.ended();
}

#[test]
fn lines_unlike_the_others_are_told_as_doubtful() {
    let home = tempfile::tempdir().unwrap();
    let line = |at: usize, level: &str| {
        format!(
            "2026-03-14 06:41:{at:02} | {level} | 9f3a2b{at:02} | Holds:{at} | hold made seats={at}"
        )
    };
    let mut lines: Vec<String> = (10..30).map(|at| line(at, "INFO")).collect();
    lines[12] = line(22, "late again");
    let path = home.path().join("holds.log");
    std::fs::write(&path, lines.join("\n")).unwrap();
    let path = path.to_str().unwrap();
    let (code, out, messages) = told(home.path(), &["intake", path]);
    assert_eq!((code, messages.as_str()), (0, ""));
    let doubt = "holds.log: 1 doubtful, unlike the other lines, the first in line 13";
    assert!(out.contains(doubt), "{out}");
    let place = format!("{path}:13");
    let (_, out, _) = told(home.path(), &["intake", path, "--explain", &place]);
    assert!(out.contains("doubtful: it contradicts the other lines"), "{out}");
    let (_, out, _) = told(home.path(), &["intake", path, "--as", "jsonl"]);
    assert_eq!(json_lines(&out)[0]["doubtful"], 1);
    // What contradicts is kept, and the other columns mean what they mean elsewhere.
    let arguments = ["sift", path, "--as", "jsonl", "-w", "column2 = \"late again\""];
    let (_, out, _) = told(home.path(), &arguments);
    let entry = &json_lines(&out)[0];
    assert_eq!(
        (entry["message"].as_str(), entry["ids"]["id"].as_str()),
        (Some("hold made seats=22"), Some("9f3a2b22"))
    );
}

#[test]
fn columns_that_change_in_the_middle_are_read_as_they_are_named() {
    let home = home(&[(
        "servers.log",
        "#Fields: date time cs-method cs-uri-stem sc-status\n\
         2026-03-14 06:41:02 GET /fares 200\n\
         #Fields: sc-status date time cs-uri-stem\n\
         503 2026-03-14 06:41:03 /seats\n",
    )]);
    let servers = path(home.path(), "servers.log");
    for arguments in [
        ["sift", &servers, "--as", "jsonl", "--where", "sc-status >= 200"],
        ["sift", &servers, "--as", "jsonl", "--order", "source"],
    ] {
        let (code, out, messages) = told(home.path(), &arguments);
        assert_eq!((code, messages.as_str()), (0, ""));
        let entries = json_lines(&out);
        let status: Vec<i64> =
            entries.iter().filter_map(|entry| entry["fields"]["sc-status"].as_i64()).collect();
        assert_eq!(status, [200, 503], "{out}");
        assert_eq!(entries[1]["time"], "2026-03-14T06:41:03Z");
        assert_eq!(entries[1]["fields"]["cs-uri-stem"], "/seats");
    }
}

#[test]
fn a_source_without_dates_says_which_day_it_is_taken_for() {
    let home = home(&[
        (
            "booking.log",
            "2026-03-14T06:41:00Z info hold made\n2026-03-14T06:42:00Z info hold kept\n",
        ),
        ("gate.log", "06:41:02 INFO opened\n06:41:30 WARN late\n"),
    ]);
    let logs = home.path().join("logs").display().to_string();
    let (_, out, _) = told(home.path(), &["intake", &logs]);
    let note = "gate.log: its times have no date: they are taken for those of 2026-03-14, the day of booking.log";
    assert!(out.contains(note), "{out}");
    let (_, out, _) = told(home.path(), &["intake", &logs, "--as", "jsonl"]);
    assert!(json_lines(&out)[1]["notes"][0].as_str().unwrap().contains("no date"), "{out}");
    let (_, out, _) = told(home.path(), &["sift", &logs, "--as", "jsonl"]);
    let messages: Vec<String> = json_lines(&out)
        .iter()
        .map(|entry| entry["message"].as_str().unwrap().to_owned())
        .collect();
    assert_eq!(messages, ["hold made", "opened", "late", "hold kept"], "in order of time");
}

#[test]
fn fields_are_ids_where_the_settings_say_so() {
    let home = home(&[
        (
            "booking.log",
            "{\"time\":\"2026-03-14T06:41:00Z\",\"msg\":\"hold made\",\"booking_ref\":\"B-17\"}\n",
        ),
        (
            "gate.log",
            "2026-03-14 06:41:02 INFO opened booking-ref=B-17\n2026-03-14 06:41:03 INFO shut\n",
        ),
        ("cribrum.toml", "ids = [\"booking_ref\"]\n"),
    ]);
    let logs = home.path().join("logs").display().to_string();
    let (code, out, messages) = told(home.path(), &["trail", "B-17", &logs]);
    assert_eq!(code, 0, "{messages}");
    assert!(out.contains("hold made") && out.contains("opened") && !out.contains("shut"), "{out}");
    let (_, out, _) = told(home.path(), &["sift", &logs, "--id", "B-17", "--as", "jsonl"]);
    let ids: Vec<_> = json_lines(&out).iter().map(|entry| entry["ids"]["id"].clone()).collect();
    assert_eq!(ids, ["B-17", "B-17"]);
    // With a kind of its own, and by a form wherever it stands.
    let settings = home.path().join("logs/cribrum.toml");
    let ids = "ids = [{ name = \"booking_ref\", kind = \"order_id\" }, { form = \"B-[0-9]{2}\", kind = \"order_id\" }]\n";
    fs::write(&settings, ids).unwrap();
    let more = home.path().join("logs/deck.log");
    fs::write(more, "2026-03-14 06:41:04 INFO boarded (B-17), row 4\n").unwrap();
    let (code, out, messages) = told(home.path(), &["trail", "B-17", &logs, "--kind", "order_id"]);
    assert_eq!(code, 0, "{messages}");
    assert!(out.starts_with("order_id B-17") && out.contains("boarded"), "{out}");
    for (wrong, told_of) in [
        (
            "ids = [{ name = \"a\", kind = \"berth\" }]",
            "`berth` is no kind of id; the kinds are request_id",
        ),
        ("ids = [{ form = \"[\" }]", "`[` is no regular expression"),
        ("ids = [7]", "expected a name, { name = "),
    ] {
        fs::write(&settings, wrong).unwrap();
        let (code, _, messages) = told(home.path(), &["trail", "B-17", &logs]);
        assert_eq!(code, 2);
        assert!(messages.contains(told_of) && messages.contains("cribrum.toml:1:"), "{messages}");
    }
}
