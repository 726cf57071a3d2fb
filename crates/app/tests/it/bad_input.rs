//! Files that nobody would wish for.

use std::{fs, os::unix::fs::PermissionsExt};

use crate::{morning::json_lines, told};

fn home(files: &[(&str, &[u8])]) -> tempfile::TempDir {
    let home = tempfile::tempdir().unwrap();
    fs::create_dir(home.path().join("logs")).unwrap();
    for (name, bytes) in files {
        fs::write(home.path().join("logs").join(name), bytes).unwrap();
    }
    home
}

fn sifted(home: &tempfile::TempDir, more: &[&str]) -> (i32, String, String) {
    let logs = home.path().join("logs").display().to_string();
    let arguments: Vec<&str> = ["sift", &logs].into_iter().chain(more.iter().copied()).collect();
    told(home.path(), &arguments)
}

#[test]
fn folders_and_files_that_hold_no_logs() {
    let empty = home(&[]);
    let (code, out, messages) = sifted(&empty, &[]);
    assert_eq!((code, out.as_str()), (3, ""));
    assert!(messages.contains("no log files in this folder"), "{messages}");
    let blank = home(&[("a.log", b""), ("b.log", b"\n\n\n")]);
    assert_eq!(sifted(&blank, &[]).0, 1, "nothing in them is nothing found");
    let binary = home(&[("core", &[0; 4_096]), ("a.log", b"one\n"), ("old.gz", b"\x1f\x8b\x08")]);
    let (code, out, messages) = sifted(&binary, &[]);
    assert_eq!(code, 3, "{messages}");
    assert!(out.contains("one"));
    assert!(messages.contains("core: left out: this is binary data"), "{messages}");
    assert!(messages.contains("the gzip file is cut off before any text"), "{messages}");
}

#[test]
fn a_file_without_the_right_to_read_it() {
    let home = home(&[("a.log", b"one\n"), ("secret.log", b"two\n")]);
    let path = home.path().join("logs/secret.log");
    fs::set_permissions(&path, fs::Permissions::from_mode(0o000)).unwrap();
    if fs::File::open(&path).is_ok() {
        // Root may read everything; a folder in the place of the file is as unreadable.
        fs::remove_file(&path).unwrap();
        std::os::unix::fs::symlink("/no/such/file", &path).unwrap();
    }
    let (code, out, messages) = sifted(&home, &[]);
    assert_eq!(code, 3, "{messages}");
    assert!(out.contains("one") && messages.contains("secret.log"), "{out}{messages}");
}

#[test]
fn bytes_that_are_no_text() {
    let home = home(&[(
        "a.log",
        b"2026-03-14 06:41:02 ERROR x: \x1b[31mred\x1b[0m \x1b]0;owned\x07 caf\xe9 nul\0 \xe2\x80\xae last",
    )]);
    let (code, out, _) = sifted(&home, &["--as", "jsonl"]);
    let entries = json_lines(&out);
    assert_eq!((code, entries.len()), (0, 1));
    let message = entries[0]["message"].as_str().unwrap();
    assert_eq!(message, "red  caf\u{fffd} nul\0 \u{202e} last", "colours are no text");
    let (_, raw, _) = sifted(&home, &["--as", "raw"]);
    assert!(raw.ends_with("last\n"));
}

#[test]
fn a_line_of_twenty_megabytes() {
    let mut bytes = b"2026-03-14 06:41:01 INFO before\n2026-03-14 06:41:02 INFO ".to_vec();
    bytes.extend(vec![b'x'; 20 << 20]);
    bytes.extend(b"\n2026-03-14 06:41:03 INFO after\n");
    let home = home(&[("a.log", &bytes)]);
    let (code, out, _) = sifted(&home, &["--as", "raw"]);
    assert_eq!(code, 0);
    assert!(out.as_bytes() == bytes, "not a byte is lost");
    let (_, out, _) = sifted(&home, &["--as", "jsonl", "-w", "after"]);
    assert_eq!(json_lines(&out)[0]["line"], 3);
}

#[test]
fn times_and_objects_that_are_broken() {
    let lines = [
        r#"{"time":"2026-02-30T06:41:02Z","level":"info","msg":"no such day"}"#,
        r#"{"time":"9999-12-31T23:59:59Z","level":"loud","msg":"no such level"}"#,
        r#"{"time":"2026-03-14T06:41:02Z","msg":"half"#,
        "2026-03-14 25:61:00 ERROR impossible",
        r#"{"a":[[[[{"b":1}]]]],"a":2,"level":"info"}"#,
    ];
    let home = home(&[("a.log", lines.join("\n").as_bytes())]);
    let (code, out, _) = sifted(&home, &["--as", "jsonl"]);
    let entries = json_lines(&out);
    assert_eq!((code, entries.len()), (0, 5), "{out}");
    let layouts: Vec<&str> = entries.iter().map(|e| e["layout"].as_str().unwrap()).collect();
    assert_eq!(layouts, ["json", "json", "plain", "plain", "json"]);
    assert!(entries.iter().all(|entry| entry["time"].is_null()));
    let (_, raw, _) = sifted(&home, &["--as", "raw"]);
    assert_eq!(raw.trim_end(), lines.join("\n"));
}

#[test]
fn an_output_that_is_full_is_told() {
    let home = home(&[("a.log", "2026-03-14 06:41:01 INFO much\n".repeat(20_000).as_bytes())]);
    let full = fs::OpenOptions::new().write(true).open("/dev/full").unwrap();
    let logs = home.path().join("logs").display().to_string();
    let output = crate::cribrum(home.path(), &["sift", &logs]).stdout(full).output().unwrap();
    assert_eq!(output.status.code(), Some(4));
    assert!(String::from_utf8_lossy(&output.stderr).contains("can't write"), "{output:?}");
}

#[test]
fn a_source_is_never_written_to_by_the_desk() {
    let home = home(&[("a.log", b"one\n")]);
    let log = home.path().join("logs/a.log").display().to_string();
    let (code, _, messages) = told(home.path(), &[&log, "--diagnostics", &log]);
    assert_eq!(code, 2, "{messages}");
    assert!(messages.contains("this is the source"), "{messages}");
    assert_eq!(fs::read(&log).unwrap(), b"one\n");
}
