//! What leaves in forms that other programs read, held against JSON lines.

use std::{
    fs::{self, OpenOptions},
    io::{BufRead, BufReader, Write},
    process::Stdio,
    time::{Duration, Instant},
};

use serde_json::{Value, json};

use crate::{
    ask_to_end, cribrum,
    morning::{Morning, json_lines},
    told,
};

/// A cell of a line as the value of an object has it.
fn cell(value: &Value) -> String {
    match value {
        Value::Null => String::new(),
        Value::String(text) => text.clone(),
        other => other.to_string(),
    }
}

/// The rows of a table with a header, by the names of its columns.
fn rows(text: &str, between: u8) -> (Vec<String>, Vec<Vec<String>>) {
    let mut table = csv::ReaderBuilder::new().delimiter(between).from_reader(text.as_bytes());
    let names = table.headers().unwrap().iter().map(str::to_owned).collect();
    let of = |record: Result<csv::StringRecord, csv::Error>| {
        record.unwrap().iter().map(str::to_owned).collect()
    };
    (names, table.records().map(of).collect())
}

#[test]
fn entries_are_the_same_in_every_form() {
    let morning = Morning::write(6_000);
    let (home, logs) = (morning.home.path(), morning.logs());
    let sift = |arguments: &[&str]| {
        let (code, out, messages) = told(home, &[&["sift", &logs][..], arguments].concat());
        assert_eq!((code, messages.as_str()), (0, ""), "{arguments:?}");
        out
    };
    let objects = json_lines(&sift(&["--as", "jsonl"]));
    for (form, between) in [("csv", b','), ("tsv", b'\t')] {
        let out = sift(&["--as", form, "--formulas"]);
        morning.assert_clean(form, &out);
        let (names, rows) = rows(&out, between);
        assert_eq!(names, ["time", "level", "source", "logger", "ids", "message", "fields"]);
        assert_eq!(rows.len(), objects.len());
        for (row, object) in rows.iter().zip(&objects) {
            for (at, name) in [(1, "level"), (2, "source"), (3, "logger")] {
                assert_eq!(row[at], cell(&object[name]), "{form} {name} of {object}");
            }
            let ids = match row[4].as_str() {
                "" => json!({}),
                text => serde_json::from_str(text).unwrap(),
            };
            // JSON lines have the first id of each kind.
            for (kind, id) in ids.as_object().unwrap() {
                let first = id.get(0).unwrap_or(id);
                assert_eq!(first, &object["ids"][kind], "{object}");
            }
            assert_eq!(ids.as_object().unwrap().len(), object["ids"].as_object().unwrap().len());
            let body = object["body"].as_str().map_or(String::new(), |body| format!("\n{body}"));
            assert_eq!(row[5], format!("{}{body}", cell(&object["message"])), "{object}");
            let fields = match row[6].as_str() {
                "" => json!({}),
                text => serde_json::from_str(text).unwrap(),
            };
            for (name, value) in fields.as_object().unwrap() {
                assert_eq!(value, &object["fields"][name], "{name} of {object}");
            }
        }
    }
    // One source, written while it is read, in the columns that are asked for.
    let gate = morning.path("logs").join("gate.log").display().to_string();
    let columns = ["sift", &gate, "--columns", "time,status,took,path,nobody"];
    let out = |form: &str| told(home, &[&columns[..], &["--as", form]].concat()).1;
    let (names, rows) = rows(&out("csv"), b',');
    assert_eq!(names, ["time", "status", "took", "path", "nobody"]);
    let objects = json_lines(&out("jsonl"));
    assert!(objects.len() == rows.len() && rows.len() > 500, "{}", rows.len());
    for (row, object) in rows.iter().zip(&objects) {
        let cells: Vec<String> = names.iter().map(|name| cell(&object[name])).collect();
        assert_eq!(row, &cells);
        assert!(object["status"].is_number() && object["nobody"].is_null(), "{object}");
    }
    // A field that is an id is found by its name as well.
    let named = ["sift", &logs, "--columns", "request_id", "--as", "jsonl"];
    let all = json_lines(&told(home, &["sift", &logs, "--as", "jsonl"]).1);
    for (row, object) in json_lines(&told(home, &named).1).iter().zip(&all) {
        assert_eq!(row["request_id"], object["ids"]["request_id"], "{object}");
    }
    let pairs = out("pairs");
    assert_eq!(pairs.lines().count(), rows.len());
    assert!(pairs.starts_with("time=2026-") && !pairs.contains("nobody"), "{pairs}");
    let table = out("markdown");
    assert!(table.starts_with("| time | status | took | path | nobody |\n| --- |"), "{table}");
    assert_eq!(table.lines().count(), rows.len() + 2);
    // A template, some of them, and in plain ASCII.
    let line = ["sift", &gate, "--line", "{status} {{{path}} took={took}", "-n", "2"];
    let (_, lines, _) = told(home, &line);
    let want = |row: &Vec<String>| format!("{} {{{}}} took={}\n", row[1], row[3], row[2]);
    assert_eq!(lines, rows.iter().take(2).map(want).collect::<String>());
    let hidden = ["sift", &logs, "-w", "card", "--as", "csv", "--ascii"];
    let (_, hidden, _) = told(home, &hidden);
    assert!(hidden.contains("[card:") && !hidden.contains('«'), "{hidden}");
    for (arguments, message) in [
        (&["--as", "raw", "--columns", "time"][..], "has no columns"),
        (&["--line", "{time"], "a brace is left open"),
    ] {
        let (code, _, told) = told(home, &[&["sift", &gate][..], arguments].concat());
        assert!(code == 2 && told.contains(message), "{told}");
    }
}

#[test]
fn a_table_is_written_while_it_is_followed() {
    let home = tempfile::tempdir().unwrap();
    let log = home.path().join("app.log");
    fs::write(&log, "").unwrap();
    // From a time on: what is written before it follows counts as well.
    let arguments = ["sift", "-F", "--columns", "time,seats,message", "--as", "csv"];
    let mut child = cribrum(home.path(), &arguments)
        .args(["--from", "2026-03-14T06:00:00Z"])
        .arg(&log)
        .stdout(Stdio::piped())
        .spawn()
        .unwrap();
    let mut lines = BufReader::new(child.stdout.take().unwrap()).lines();
    let mut file = OpenOptions::new().append(true).open(&log).unwrap();
    for second in 0..3 {
        let message = if second == 1 { "hold, \\\"kept\\\"" } else { "hold kept" };
        writeln!(
            file,
            "{{\"time\":\"2026-03-14T06:41:0{second}Z\",\"msg\":\"{message}\",\"seats\":{second}}}"
        )
        .unwrap();
    }
    let mut next = || lines.next().unwrap().unwrap();
    assert_eq!(next(), "time,seats,message");
    assert_eq!(next(), "2026-03-14T06:41:00.000Z,0,hold kept");
    assert_eq!(next(), "2026-03-14T06:41:01.000Z,1,\"hold, \"\"kept\"\"\"");
    assert_eq!(next(), "2026-03-14T06:41:02.000Z,2,hold kept");
    child.kill().unwrap();
    child.wait().unwrap();
}

#[test]
fn a_spreadsheet_computes_nothing_of_a_log() {
    let home = tempfile::tempdir().unwrap();
    let log = home.path().join("app.log");
    let values = ["=cmd|' /c calc'!A1", "+SUM(1)", "-2+3", "@x", "-5", "+1.5", "plain"];
    let line = |(second, value): (usize, &&str)| {
        let time = format!("2026-03-14T06:41:0{second}Z");
        format!("{}\n", json!({"time": time, "msg": "told", "value": value}))
    };
    fs::write(&log, values.iter().enumerate().map(line).collect::<String>()).unwrap();
    let log = log.display().to_string();
    for form in ["csv", "tsv"] {
        let between = if form == "csv" { b',' } else { b'\t' };
        for (arguments, cells) in
            [(["sift", &log, "--columns", "value"], 0), (["tally", &log, "--by", "value"], 0)]
        {
            let got = |more: &[&str]| {
                let out = told(home.path(), &[&arguments[..], &["--as", form], more].concat()).1;
                let mut got: Vec<String> =
                    rows(&out, between).1.into_iter().map(|row| row[cells].clone()).collect();
                got.sort_unstable();
                got
            };
            let mut want: Vec<String> = values.iter().map(|value| (*value).to_owned()).collect();
            want.sort_unstable();
            assert_eq!(got(&["--formulas"]), want, "{form} {arguments:?}");
            for value in &mut want {
                if ["=cmd|' /c calc'!A1", "+SUM(1)", "-2+3", "@x"].contains(&value.as_str()) {
                    value.insert(0, '\'');
                }
            }
            want.sort_unstable();
            assert_eq!(got(&[]), want, "{form} {arguments:?}");
        }
    }
}

#[test]
fn a_file_that_is_written_while_following_is_whole_when_that_ends() {
    let home = tempfile::tempdir().unwrap();
    let (log, out) = (home.path().join("app.log"), home.path().join("out.csv"));
    let line = |second: usize| {
        format!("{{\"time\":\"2026-03-14T06:41:0{second}Z\",\"msg\":\"hold {second}\"}}\n")
    };
    fs::write(&log, "").unwrap();
    fs::write(&out, "before").unwrap();
    let arguments = ["sift", "-F", "--columns", "message", "--as", "csv"];
    let mut child = cribrum(home.path(), &arguments)
        .args(["--from", "2026-03-14T06:00:00Z", "-o"])
        .args([&out, &log])
        .spawn()
        .unwrap();
    let mut file = OpenOptions::new().append(true).open(&log).unwrap();
    for second in 0..3 {
        file.write_all(line(second).as_bytes()).unwrap();
    }
    let part = || -> Option<String> {
        let names = fs::read_dir(home.path()).unwrap().flatten();
        let part = names.map(|entry| entry.path()).find(|path| {
            path.file_name().is_some_and(|name| name.to_string_lossy().contains("-part-"))
        });
        fs::read_to_string(part?).ok()
    };
    let begun = Instant::now();
    while part().is_none_or(|text| text.lines().count() < 4) {
        assert!(begun.elapsed() < Duration::from_secs(20), "{:?}", part());
        std::thread::yield_now();
    }
    assert_eq!(fs::read_to_string(&out).unwrap(), "before", "until it is whole");
    ask_to_end(&child.id().to_string());
    assert!(child.wait().unwrap().success());
    assert_eq!(fs::read_to_string(&out).unwrap(), "message\nhold 0\nhold 1\nhold 2\n");
    assert!(part().is_none());
    // It is never one of the sources.
    let (code, _, told) =
        told(home.path(), &["sift", "-F", log.to_str().unwrap(), "-o", log.to_str().unwrap()]);
    assert!(code == 2 && told.contains("never written to"), "{code} {told}");
}
