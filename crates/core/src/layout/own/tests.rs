//! Templates and patterns on lines, and what is wrong with those that are.

use proptest::prelude::*;

use super::{template::propose, *};

fn taught(template: &str) -> Own {
    Own::new(&Spec { template: Some(template.into()), ..Spec::default() }).unwrap()
}

#[test]
fn holes_take_what_their_kind_takes() {
    for (template, line, want) in [
        (
            "{time} | {session:id} | {level} | {caller}:{line:int} | {rest:pairs}",
            "2026-03-14 06:41:02.340 | s-17 | WARN | src/berth.rs:12 | berth=4 load=0.9",
            Some("warn | session:s-17 | caller=src/berth.rs line=12 berth=4 load=0.9"),
        ),
        ("[{level}] {message}", "[ warn ]   two words", Some("warn | two words")),
        ("{time} {level} {message}", "2026-03-14 06:41:02 loud x", Some("- | x")),
        ("{time} {level} {message}", "soon info x", None),
        ("{n:int}% {{done}} {message}", "12% {done} é", Some("- | n=12 | é")),
        ("{a:number};{b}", "1.5;x;y", Some("- | a=1.5 b=x;y")),
        ("{a:int};{b}", "1.5;x", None),
        ("{json}", "{\"berth\":4}", Some("- | berth=4")),
    ] {
        let entry = taught(template).read(line.as_bytes());
        let told = entry.map(|entry| {
            let mut out = entry.severity.map_or("-", |s| s.level().name()).to_owned();
            for (kind, id) in entry.ids() {
                out.push_str(&format!(" | {kind}:{id}"));
            }
            let mut fields = Vec::new();
            entry.leaves(&mut |path, field| {
                if field.role == Role::Plain {
                    fields.push(format!("{path}={}", field.value.text().unwrap_or("{}")));
                }
            });
            let message = entry.message.to_string();
            for part in [fields.join(" "), message] {
                if !part.is_empty() {
                    out.push_str(&format!(" | {part}"));
                }
            }
            out
        });
        assert_eq!(told.as_deref(), want, "{template} on {line}");
    }
}

#[test]
fn mistakes_are_told_with_their_place() {
    let spec = Spec::default;
    let template = |text: &str| Spec { template: Some(text.into()), ..spec() };
    for (spec, want) in [
        (template("{time} {level"), "Template 7: this hole is not closed; write `}`"),
        (template("a } b"), "Template 2: this closes no hole; write `}}` for a brace"),
        (template("{a}{b}"), "Template 3: two holes need something between them"),
        (template("{a} {a}"), "Template 5: there is a hole of this name already"),
        (template("{} x"), "Template 1: a hole is named with letters, digits, `_`, `.` and `-`"),
        (
            template("{n:whole}"),
            "Template 3: this is no kind; the kinds are text, time, level, id, int, number, pairs and json",
        ),
        (
            template("plain"),
            "Template 0: this has no hole; write for example {time} {level} {message}",
        ),
        (spec(), "Template 0: a layout needs a template, or a pattern"),
        (Spec { pattern: Some("(x".into()), ..spec() }, "Pattern 0: unclosed group"),
        (
            Spec { pattern: Some("x".into()), ..spec() },
            "Pattern 0: this has no named group; write one as (?<message>.*)",
        ),
        (
            Spec { pattern: Some("(?<a>x)".into()), ..template("{a}") },
            "Pattern 0: there is a template already; keep one of the two",
        ),
        (
            Spec { zone: Some("Moon/Sea".into()), ..template("{a}") },
            "Zone 0: this is no time zone; write UTC or a name like Europe/Rome",
        ),
        (
            Spec { continues: Some("often".into()), ..template("{a}") },
            "Continues 0: write `indented`, `always` or `never`",
        ),
        (
            Spec { time: Some("day".into()), ..template("{a}") },
            "Time 0: this is no format of a time; write for example %d.%m.%Y %H:%M:%S%.f",
        ),
        (
            Spec { files: Some("a[".into()), ..template("{a}") },
            "Files 0: this is no glob: unclosed character class; missing ']'",
        ),
    ] {
        let error = Own::new(&spec).unwrap_err();
        assert_eq!(format!("{:?} {}: {error}", error.part, error.at), want);
    }
}

#[test]
fn times_of_their_own_form_and_zone() {
    let own = Own::new(&Spec {
        pattern: Some(r"^(?<time>\S+ \S+) (?<user>\w+) (?<message>.*)$".into()),
        time: Some("%d.%m.%y %H-%M-%S".into()),
        zone: Some("Europe/Rome".into()),
        ids: vec!["user".into()],
        files: Some("berth*.log".into()),
        ..Spec::default()
    })
    .unwrap();
    let entry = own.read(b"14.07.26 06-41-02 clerk ready").unwrap();
    let nanos = entry.stamp.unwrap().nanos(&crate::entry::Clock::default());
    assert_eq!(crate::entry::rfc3339(nanos, 0), "2026-07-14T04:41:02Z");
    assert_eq!(entry.ids(), [("id", "clerk".into())]);
    assert!(own.holds_for("berth-1.log") && !own.holds_for("gate.log"));
}

#[test]
fn a_first_template_is_proposed() {
    for (line, want) in [
        (
            "2026-03-14 06:41:02 | WARN | fares | retried",
            "{time} | {level} | {column1} | {message}",
        ),
        ("2026-03-14 06:41:02 [warn] retried twice", "{time} [{level}] {message}"),
        ("2026-03-14 06:41:02 retried", "{time} {message}"),
        ("nothing known", "{message}"),
    ] {
        assert_eq!(propose(line), want);
        assert!(taught(want).read(line.as_bytes()).is_some(), "{line}");
    }
}

proptest! {
    #[test]
    fn any_template_is_compiled_or_refused(template in "[{}a-c:|% é]{0,16}", line in "[a-c|: é]{0,12}") {
        if let Ok(own) = Own::new(&Spec { template: Some(template), ..Spec::default() }) {
            let _ = own.read(line.as_bytes());
        }
    }

    #[test]
    fn what_is_proposed_can_be_taught(line in "[ -~]{0,40}") {
        let template = propose(&line);
        let own = Own::new(&Spec { template: Some(template.clone()), ..Spec::default() });
        prop_assert!(own.is_ok(), "{} for {}", template, line);
    }
}

#[test]
fn words_between_a_text_and_pairs_are_kept() {
    for (template, line, message, fields) in [
        ("{level} {message} {rest:pairs}", "info told twice berth=4 n=2", "told twice", "berth=4 n=2"),
        ("{level} {message} {rest:pairs}", "info told twice", "told twice", ""),
        ("{level} {rest:pairs}", "info told berth=4", "", "berth=4 rest=told berth=4"),
        ("{level} {rest:json}", "info {\"berth\":4", "{\"berth\":4", ""),
    ] {
        let own = taught(template);
        let entry = own.read(line.as_bytes()).unwrap();
        let mut told = Vec::new();
        entry.leaves(&mut |path, field| told.push(format!("{path}={}", field.value.text().unwrap())));
        assert_eq!((&*entry.message, &*told.join(" ")), (message, fields), "{template} on {line}");
    }
    let pattern = Spec {
        pattern: Some("^(?<level>\\S+) \\S+ at (?<message>.*)".into()),
        ..Spec::default()
    };
    let own = Own::new(&pattern).unwrap();
    let entry = own.read(b"info berth-4 at noon").unwrap();
    let left: Vec<&str> = entry.fields.iter().filter_map(|field| field.value.text()).collect();
    assert_eq!(left, ["berth-4 at"], "what no group takes is kept");
}

proptest! {
    #[test]
    fn every_token_of_a_line_that_fits_lands_somewhere(
        template in prop::sample::select(vec![
            "{time} {level} {message} {rest:pairs}", "{level}: {message}", "{a} | {b:id} | {rest:pairs}",
            "{a:int} of {b} {rest:json}", "at {time} {message}", "{level} {rest:pairs}",
        ]),
        words in proptest::collection::vec(prop::sample::select(vec![
            "info", "info:", "2026-03-14T06:41:02Z", "told", "a=1", "b='x y'", "|", "7", "of", "at", "{\"c\":2}",
            "s-17", "=", "a=", "x:y", "[z]",
        ]), 1..9),
    ) {
        let line = words.join(" ");
        let own = taught(template);
        if let Some(entry) = own.read(line.as_bytes()) {
            let literal = |word: &str| template.contains(word);
            prop_assert_eq!(crate::entry::written::lost(&entry, &literal), None, "{} on {}", template, line);
        }
    }
}
