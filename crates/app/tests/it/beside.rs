//! What entries mean beside others, on the command line: runs, exchanges, clocks, and a trail by a search.

use std::{fs, io::Write, path::Path, process::Stdio};

use crate::{morning::json_lines, told};

/// A folder of logs.
fn logs(files: &[(&str, &str)]) -> tempfile::TempDir {
    let folder = tempfile::tempdir().unwrap();
    for (name, text) in files {
        fs::write(folder.path().join(name), text).unwrap();
    }
    folder
}

fn messages(out: &str) -> Vec<String> {
    let rows = json_lines(out);
    rows.iter().map(|row| row["message"].as_str().unwrap().to_owned()).collect()
}

const GATE: &str = "2026-03-14 06:41:02.118 INFO [http-3] --> POST /crossings/112/seats\n\
    2026-03-14 06:41:02.130 INFO [http-4] --> GET /crossings/9\n\
    2026-03-14 06:41:02.160 INFO [http-4] <-- 200 OK\n\
    2026-03-14 06:41:02.340 INFO [http-3] <-- 504 Gateway Timeout (222 ms)\n";

#[test]
fn conditions_hold_for_both_halves_of_an_exchange() {
    let folder = logs(&[("gate.log", GATE)]);
    let path = folder.path().display().to_string();
    let sift = |more: &[&str]| {
        let (code, out, _) =
            told(folder.path(), &[&["sift", &path, "--as", "jsonl"], more].concat());
        (code, out)
    };
    let both = ["--> POST /crossings/112/seats", "<-- 504 Gateway Timeout (222 ms)"];
    for more in [
        &["-w", "status >= 500"][..],
        &["-w", "method = POST and took > 200ms"],
        &["-w", "status >= 500", "--order", "time"],
        &["-w", "status >= 500", "--last", "5"],
    ] {
        let (code, out) = sift(more);
        assert_eq!((code, messages(&out)), (0, both.map(str::to_owned).to_vec()), "{more:?}");
    }
    let (_, out) = sift(&["-w", "status >= 500"]);
    let rows = json_lines(&out);
    let exchange = &rows[0]["exchange"];
    assert_eq!(
        (&exchange["half"], &exchange["line"], &exchange["status"]),
        (&"request".into(), &4.into(), &504.into())
    );
    assert_eq!(rows[1]["exchange"]["path"], "/crossings/112/seats");
    assert_eq!(rows[1]["exchange"]["took"], "222ms");
    // Without a condition on it, nothing is read twice.
    let (_, out) = sift(&[]);
    assert!(json_lines(&out).iter().all(|row| row.get("exchange").is_none()));
    // What comes through a pipe is written as it comes.
    let mut child = std::process::Command::new(env!("CARGO_BIN_EXE_cribrum"))
        .args(["sift", "-w", "status >= 500", "--as", "jsonl"])
        .env("HOME", folder.path())
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .spawn()
        .unwrap();
    child.stdin.take().unwrap().write_all(GATE.as_bytes()).unwrap();
    let out = child.wait_with_output().unwrap();
    assert_eq!(messages(&String::from_utf8(out.stdout).unwrap()), both[1..]);
}

fn booking() -> String {
    let entry = |second: u32, message: &str| {
        format!("{{\"time\":\"2026-03-14T06:41:{second:02}Z\",\"msg\":\"{message}\"}}\n")
    };
    [
        entry(1, "hold placed"),
        entry(20, "starting booking 4.7.1"),
        entry(21, "hold placed"),
        entry(50, "starting booking 4.7.2"),
        entry(51, "hold kept"),
    ]
    .concat()
}

#[test]
fn runs_are_sifted_by_commands() {
    let folder = logs(&[("booking.log", &booking())]);
    let path = folder.path().display().to_string();
    for (condition, want) in [
        ("run = 2", &["starting booking 4.7.1", "hold placed"][..]),
        ("run = latest", &["starting booking 4.7.2", "hold kept"]),
        ("run = 1", &["hold placed"]),
        ("run > 1 and run != latest", &["starting booking 4.7.1", "hold placed"]),
    ] {
        let (_, out, _) = told(folder.path(), &["sift", &path, "--as", "jsonl", "-w", condition]);
        assert_eq!(messages(&out), want, "{condition}");
    }
    let (_, out, _) =
        told(folder.path(), &["sift", &path, "--as", "jsonl", "-w", "run = latest", "-n", "1"]);
    assert_eq!(json_lines(&out)[0]["run"], 3);
    // What is not known while following is not pretended.
    let (code, out, messages) =
        told(folder.path(), &["sift", &path, "--follow", "-w", "run = latest"]);
    assert!(
        (code, out.as_str()) == (2, "") && messages.contains("can't be followed here"),
        "{messages}"
    );
    let (code, _, messages) = told(folder.path(), &["sift", &path, "-w", "run = newest"]);
    assert_eq!(code, 2);
    assert!(
        messages.contains("`run` is a number, or `latest`: run = 2, run = latest"),
        "{messages}"
    );
}

#[test]
fn requests_name_the_option_that_sets_a_clock_right() {
    let (mut gate, mut booking) = (String::new(), String::new());
    for request in 0..8 {
        let entry = |second: u32, millis: u32, message: &str| {
            format!(
                "{{\"time\":\"2026-03-14T06:41:{second:02}.{millis:03}Z\",\"msg\":\"{message}\",\"request_id\":\"7f3a9c21e0b4d8{request:02}\"}}\n"
            )
        };
        gate +=
            &(entry(10 + request, 100, "asked") + &entry(10 + request, 200 + request, "answered"));
        booking += &(entry(13 + request, 110, "hold placed")
            + &entry(13 + request, 180, "hold confirmed"));
    }
    let folder = logs(&[("gate.log", &gate), ("booking.log", &booking)]);
    let path = folder.path().display().to_string();
    let (code, _, messages) = told(folder.path(), &["requests", &path]);
    let option = "--clock 'booking.log=-3s'";
    assert!(
        code == 0 && messages.contains(option) && messages.contains("8 of 8 requests"),
        "{messages}"
    );
    let (_, out, messages) =
        told(folder.path(), &["requests", &path, "--clock", "booking.log=-3s", "--as", "jsonl"]);
    assert!(!messages.contains("--clock"), "{messages}");
    assert!(json_lines(&out).iter().all(|row| row["duration"].as_f64().unwrap() < 0.2), "{out}");
}

/// A trail as it is written with and without a condition, which takes reading everything.
fn both_ways(folder: &Path, id: &str, more: &[&str]) -> [(i32, String); 2] {
    let path = folder.display().to_string();
    let quick = told(folder, &[&["trail", id, &path], more].concat());
    let whole =
        told(folder, &[&["trail", id, &path, "-w", "time >= 1970-01-01T00:00:00Z"], more].concat());
    [(quick.0, quick.1), (whole.0, whole.1)]
}

#[test]
fn a_trail_by_a_search_is_that_of_reading_everything() {
    let others: String = (0..4_000)
        .map(|n| {
            format!(
                "2026-03-14 06:40:{:02}.{:03} INFO other request_id=11aa22bb33cc{n:04}\n",
                n / 1_000,
                n % 1_000
            )
        })
        .collect();
    let own = "2026-03-14 06:41:02.118 INFO asked request_id=7f3a9c21e0b4d86f order_id=4711\n\
        2026-03-14 06:41:02.218 WARN answered late request_id=7f3a9c21e0b4d86f\n  after a wait\n";
    let deck = "{\"time\":\"2026-03-14T06:41:02.150Z\",\"msg\":\"seated\",\"request_id\":\"7f3a9c21e0b4d86f\",\"user_id\":\"4711\"}\n";
    let folder = logs(&[("gate.log", &(others.clone() + own)), ("deck.log", deck)]);
    for (id, more) in [
        ("7f3a9c21e0b4d86f", &[][..]),
        ("7f3a9c21e0b4d86f", &["--as", "jsonl"]),
        ("d86f", &["--as", "jsonl"]),
        ("7F3A9C21", &[]),
        ("11aa22bb33cc1234", &["--as", "jsonl"]),
        // Two things, many ids, and nobody's.
        ("4711", &[]),
        ("4711", &["--kind", "user_id"]),
        ("11aa22bb33cc", &[]),
        ("feed0000beef", &[]),
    ] {
        let [quick, whole] = both_ways(folder.path(), id, more);
        assert_eq!(quick, whole, "{id} {more:?}");
    }
    let [(code, out), _] = both_ways(folder.path(), "d86f", &[]);
    assert!(code == 0 && out.contains("3 entries") && out.contains("+1 lines"), "{out}");
}
