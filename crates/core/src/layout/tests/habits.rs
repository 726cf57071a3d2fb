//! What prefixes of text mean in a source, learnt from many of its lines.

use super::*;

fn learnt(lines: &[&str]) -> Dialect {
    Dialect::default().learn(lines.join("\n").as_bytes())
}

#[test]
fn a_letter_behind_the_time_is_a_level_where_all_lines_have_one() {
    let lines = [
        "2026-03-14 06:41:02.340 I berth free",
        "2026-03-14 06:41:03.340 W berth late",
        "2026-03-14 06:41:04.340 E berth lost",
    ];
    check(
        &learnt(&lines),
        &[
            (lines[0], "text | 2026-03-14T06:41:02.340Z | info | - | berth free | "),
            (lines[1], "text | 2026-03-14T06:41:03.340Z | warn | - | berth late | "),
        ],
    );
    let prose = [
        "2026-03-14 06:41:02.340 I am the ferry",
        "2026-03-14 06:41:03.340 the berth is free",
        "2026-03-14 06:41:04.340 the tide is out",
    ];
    check(
        &learnt(&prose),
        &[(prose[0], "text | 2026-03-14T06:41:02.340Z | - | - | I am the ferry | ")],
    );
}

#[test]
fn a_name_in_round_brackets_is_a_logger_where_all_lines_have_one() {
    let lines = [
        "2026-03-14 06:41:02 INFO (berths) berth free",
        "2026-03-14 06:41:03 INFO (berth-watch) berth late",
        "2026-03-14 06:41:04 WARN (tides) read",
    ];
    check(
        &learnt(&lines),
        &[
            (lines[0], "text | 2026-03-14T06:41:02Z | info | berths | berth free | "),
            (lines[1], "text | 2026-03-14T06:41:03Z | info | berth-watch | berth late | "),
        ],
    );
    let some = [
        "2026-03-14 06:41:02 INFO (re)start of the gate",
        "2026-03-14 06:41:03 INFO (late) berth free",
        "2026-03-14 06:41:04 WARN tide out",
        "2026-03-14 06:41:05 WARN tide in",
    ];
    check(
        &learnt(&some),
        &[(some[1], "text | 2026-03-14T06:41:03Z | info | - | (late) berth free | ")],
    );
}

#[test]
fn a_bracket_holds_ids_in_all_lines_whether_they_have_letters_or_not() {
    let lines = [
        "2026-03-14 06:41:02.340 INFO [main] [9f3a2b1c] f.b.Holds : made",
        "2026-03-14 06:41:03.340 INFO [main] [30492817] f.b.Holds : made",
        "2026-03-14 06:41:04.340 INFO [main] [77120934] f.b.Holds : made",
        "2026-03-14 06:41:05.340 INFO [main] [0000ab12] f.b.Holds : made",
    ];
    check(
        &learnt(&lines),
        &[
            (
                lines[0],
                "text | 2026-03-14T06:41:02.340Z | info | f.b.Holds | made | id:9f3a2b1c | thread='main'",
            ),
            (
                lines[1],
                "text | 2026-03-14T06:41:03.340Z | info | f.b.Holds | made | id:30492817 | thread='main'",
            ),
        ],
    );
    // Numbers in all lines are none.
    let numbers = [
        "2026-03-14 06:41:02.340 INFO [main] [30492817] f.b.Holds : made",
        "2026-03-14 06:41:03.340 INFO [main] [30492818] f.b.Holds : made",
        "2026-03-14 06:41:04.340 INFO [main] [30492819] f.b.Holds : made",
    ];
    let (id, _) = learnt(&numbers).detect(numbers[0].as_bytes()).unwrap();
    assert!(id.read(numbers[0].as_bytes(), &learnt(&numbers)).ids().is_empty());
}

#[test]
fn a_word_behind_the_level_is_a_logger_where_others_have_a_path() {
    let lines = [
        "2026-03-14 06:41:02 INFO harbour.berths berth free",
        "2026-03-14 06:41:03 INFO gate berth free",
        "2026-03-14 06:41:04 INFO harbour.tides read",
    ];
    check(
        &learnt(&lines),
        &[(lines[1], "text | 2026-03-14T06:41:03Z | info | gate | berth free | ")],
    );
    let alone = &lines[1..2];
    check(
        &learnt(alone),
        &[(lines[1], "text | 2026-03-14T06:41:03Z | info | - | gate berth free | ")],
    );
}

#[test]
fn a_name_in_front_of_a_colon_is_a_logger_where_the_source_has_it_as_such() {
    let line = |at: usize, text: &str| format!("2026-03-14 06:41:{at:02} INFO {text}");
    let all: Vec<String> = (0..14).map(|at| line(at, "fares: told")).collect();
    let some = |name: &str| -> Vec<String> {
        let text = |at: usize| {
            if at.is_multiple_of(2) { format!("{name}: told") } else { "berth free".into() }
        };
        (0..14).map(|at| line(at, &text(at))).collect()
    };
    for (lines, logger, message) in [
        (all, "fares", "told"),
        (some("Fares"), "Fares", "told"),
        (some("harbour.fares"), "harbour.fares", "told"),
        // A word of a sentence.
        (some("spawned"), "-", "spawned: told"),
    ] {
        let lines: Vec<&str> = lines.iter().map(String::as_str).collect();
        let want = format!("text | 2026-03-14T06:41:00Z | info | {logger} | {message} | ");
        check(&learnt(&lines), &[(lines[0], &want)]);
    }
}

#[test]
fn a_bare_word_is_a_level_where_all_lines_have_one() {
    let first = ["info fares opened", "http fetch GET 200", "ERR! gate shut", "verb tides read"];
    check(
        &learnt(&first),
        &[
            (first[0], "levelled | - | info | - | fares opened | "),
            (first[2], "levelled | - | error | - | gate shut | "),
            (first[3], "levelled | - | trace | - | tides read | "),
        ],
    );
    let second = ["harbour.fares INFO opened", "harbour WARN late: x", "harbour.fares INFO shut"];
    check(&learnt(&second), &[(second[1], "levelled | - | warn | harbour | late: x | ")]);
    let prose = ["error while the ferry lands", "error while it leaves", "error while it waits"];
    check(&learnt(&prose), &[(prose[0], "plain")]);
}

#[test]
fn a_bracket_more_than_usual_is_the_messages() {
    let mut lines = vec!["2026-03-14 06:41:02 INFO [main] harbour.Fares [F.java:6] told"; 7];
    lines.push("2026-03-14 06:41:02 INFO [main] harbour.Fares [F.java:6] [bow] told");
    check(
        &learnt(&lines),
        &[(
            lines[7],
            "text | 2026-03-14T06:41:02Z | info | harbour.Fares | [bow] told | thread='main' caller='F.java:6'",
        )],
    );
}

#[test]
fn a_level_below_a_time_that_repeats_begins_an_entry() {
    let lines = [
        "[03/14/26 06:41:02] INFO     berth free",
        "                    ERROR    berth lost",
        "[03/14/26 06:41:03] INFO     berth free",
    ];
    check(
        &learnt(&lines),
        &[
            (lines[0], "text | 2026-03-14T06:41:02Z | info | - | berth free | "),
            (lines[1], "levelled | - | error | - | berth lost | "),
        ],
    );
}

#[test]
fn a_time_that_is_left_blank_is_that_of_the_row_above() {
    let mut lines = vec!["2026-03-14 06:41:02 | INFO | fares | told"; 5];
    lines.push("                    | WARN | fares | late");
    lines.push("                    a message | goes on");
    check(
        &learnt(&lines),
        &[(lines[5], "delimited | - | warn | fares | late | "), (lines[6], "plain")],
    );
    let rows = ["time,level,gate,message", "2026-03-14T06:41:02Z,info,bow,told", ",warn,bow,late"];
    check(&learnt(&rows), &[(rows[2], "csv | - | warn | - | late | gate='bow'")]);
}

#[test]
fn lines_of_a_log_with_commas_are_no_table() {
    let lines = [
        "2026-03-14 06:41:02,340,INFO,harbour.fares,told, and told again",
        "2026-03-14 06:41:03,340,WARN,harbour.fares,late",
        "2026-03-14 06:41:04,340,INFO,tides,read",
    ];
    check(
        &learnt(&lines),
        &[(
            lines[0],
            "csv | 2026-03-14T06:41:02.340Z | info | harbour.fares | told, and told again | ",
        )],
    );
}

#[test]
fn a_module_behind_a_span_is_the_logger_where_all_lines_have_both() {
    let lines = [
        "2026-03-14T06:41:02Z  INFO request: gate: told seats=2",
        "2026-03-14T06:41:03Z  WARN request:load: gate: late",
        "2026-03-14T06:41:04Z ERROR request:load: gate: failed: 0",
    ];
    check(
        &learnt(&lines),
        &[
            (
                lines[0],
                "text | 2026-03-14T06:41:02Z | info | gate | told seats=2 | span='request' seats=2",
            ),
            (
                lines[2],
                "text | 2026-03-14T06:41:04Z | error | gate | failed: 0 | span='request:load'",
            ),
        ],
    );
}

#[test]
fn a_name_in_parts_behind_the_time_is_a_logger_where_all_lines_have_one() {
    let lines = [
        "2026-03-14T06:41:02Z harbour:fares told",
        "2026-03-14T06:41:03Z harbour:gate opened { gate: 'bow' }",
        "2026-03-14T06:41:04Z harbour:fares late",
    ];
    check(
        &learnt(&lines),
        &[(lines[1], "text | 2026-03-14T06:41:03Z | - | harbour:gate | opened { gate: 'bow' } | ")],
    );
    let some = ["2026-03-14T06:41:02Z ratio:high", "2026-03-14T06:41:03Z tide out"];
    check(&learnt(&some), &[(some[0], "text | 2026-03-14T06:41:02Z | - | - | ratio:high | ")]);
}

#[test]
fn what_a_source_says_in_colours_is_learnt_as_without() {
    let lines = [
        "\u{1b}[32minfo\u{1b}[0m fares opened",
        "\u{1b}[33mwarn\u{1b}[0m gate late",
        "\u{1b}[31merror\u{1b}[0m gate shut",
    ];
    let dialect = learnt(&lines);
    check(&dialect, &[("warn gate late", "levelled | - | warn | - | gate late | ")]);
}

#[test]
fn spans_below_an_event_are_fields() {
    check(
        &Dialect::default(),
        &[(
            "  2026-03-14T06:41:02Z  INFO gate: told, seats: 2, gate: \"bow\"\n    at src/gate.rs:3\n    in gate::request with method: \"GET\", n: 1",
            "text | 2026-03-14T06:41:02Z | info | gate | told, seats: 2, gate: \"bow\" | seats=2 gate='bow' caller='src/gate.rs:3' span='gate::request' method='GET' n=1",
        )],
    );
}
