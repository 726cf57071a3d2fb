//! Columns by their form.

use proptest::prelude::*;

use super::*;

const LINES: &[(&str, &str)] = &[
    (
        "2026-03-14 06:41:02.3400|ERROR|Harbour.Berths|lost|System.Exception: x",
        "delimited | 2026-03-14T06:41:02.3400Z | error | Harbour.Berths | lost | column5='System.Exception: x'",
    ),
    (
        "INFO|2026-03-14 06:41:02|berths|free",
        "delimited | 2026-03-14T06:41:02Z | info | berths | free | ",
    ),
    (
        "2026-03-14 06:41:02;WARN;berths;strained;berth=4",
        "delimited | 2026-03-14T06:41:02Z | warn | berths | strained | berth=4",
    ),
    (
        "2026-03-14T06:41:02Z\tinfo\tfares/lookup.go:12\tread\t{\"n\":1}",
        "delimited | 2026-03-14T06:41:02Z | info | - | read | caller='fares/lookup.go:12' n=1",
    ),
    (
        "[GATE] 2026/03/14 - 06:41:02 | 404 |      12.3µs |       ::1 | GET      \"/nope\"",
        "delimited | 2026-03-14T06:41:02Z | warn | GATE | GET /nope 404 | status=404 took='12.3µs' remote='::1' method='GET' path='/nope'",
    ),
    (
        "2026-03-14 06:41:02 | 7f3a9c21e0b4d86f | info | a | b | c",
        "delimited | 2026-03-14T06:41:02Z | info | a | b | id:7f3a9c21e0b4d86f | column6='c'",
    ),
    (
        "2026-03-14 06:41:02 | INFO     | a.b:c:12 - d | e",
        "delimited | 2026-03-14T06:41:02Z | info | a.b | d | e | function='c' line=12",
    ),
    ("a | b | c | 2026-03-14 06:41:02", "plain"),
    (
        "| 2026-03-14 06:41:02 | info | framed |",
        "delimited | 2026-03-14T06:41:02Z | info | - | framed | ",
    ),
];

#[test]
fn columns_by_their_form() {
    check(&Dialect::default(), LINES);
}

/// Lines of one program: a session that may be nothing but digits, and a message that may hold the mark.
const SERVICE: &[(&str, &str)] = &[
    (
        "2026-03-14 06:41:02.340|INFO|9f3a2b1c|HoldTable:88|hold made seats=2 took=14ms",
        "delimited | 2026-03-14T06:41:02.340Z | info | - | hold made seats=2 took=14ms | id:9f3a2b1c | caller='HoldTable:88' seats=2 took='14ms'",
    ),
    (
        "2026-03-14 06:41:03.340|WARN|30492817|HoldTable:91|hold late took=1140ms",
        "delimited | 2026-03-14T06:41:03.340Z | warn | - | hold late took=1140ms | id:30492817 | caller='HoldTable:91' took='1140ms'",
    ),
    (
        "2026-03-14 06:41:04.340|INFO|77120934|HoldTable:88|round done",
        "delimited | 2026-03-14T06:41:04.340Z | info | - | round done | id:77120934 | caller='HoldTable:88'",
    ),
    (
        "2026-03-14 06:41:05.340|INFO|-|HoldTable:12|released a|b|c=4",
        "delimited | 2026-03-14T06:41:05.340Z | info | - | released a|b|c=4 | caller='HoldTable:12'",
    ),
    (
        "2026-03-14 06:41:06.340|INFO|c0ffee00|HoldTable:12|Released",
        "delimited | 2026-03-14T06:41:06.340Z | info | - | Released | id:c0ffee00 | caller='HoldTable:12'",
    ),
    (
        "2026-03-14 06:41:07.340|round|c0ffee01|HoldTable:12|no level here",
        "delimited | 2026-03-14T06:41:07.340Z | - | - | no level here | id:c0ffee01 | column2='round' caller='HoldTable:12'",
    ),
];

fn learnt(lines: impl Iterator<Item = &'static str>) -> Dialect {
    Dialect::default().learn(lines.collect::<Vec<_>>().join("\n").as_bytes())
}

#[test]
fn what_a_column_holds_is_the_same_in_all_lines() {
    let dialect = learnt(SERVICE.iter().map(|(line, _)| *line));
    check(&dialect, SERVICE);
    let doubtful = |line: &str| dialect.detect(line.as_bytes()).unwrap().1.doubtful;
    let doubted: Vec<bool> = SERVICE.iter().map(|(line, _)| doubtful(line)).collect();
    assert_eq!(doubted, [false, false, false, false, false, true]);
    assert!(doubtful("INFO|2026-03-14 06:41:02|berths|free"), "another program's");
}

#[test]
fn names_before_the_message_are_told_apart() {
    let lines = [
        "2026-03-14 06:41:02 | worker-1 | harbour.berths | INFO | berth free | 12",
        "2026-03-14 06:41:03 | worker-2 | harbour.tides | INFO | read | 13",
        "2026-03-14 06:41:04 | worker-1 | harbour.berths | WARN | mooring strained | 12",
        "2026-03-14 06:41:05 | main | harbour.tides | INFO | stop | ",
    ];
    check(
        &learnt(lines.into_iter()),
        &[
            (
                lines[1],
                "delimited | 2026-03-14T06:41:03Z | info | harbour.tides | read | thread='worker-2' column6=13",
            ),
            (
                lines[3],
                "delimited | 2026-03-14T06:41:05Z | info | harbour.tides | stop | thread='main'",
            ),
        ],
    );
}

proptest! {
    #[test]
    fn roles_do_not_change_from_line_to_line(
        sessions in proptest::collection::vec("[0-9a-f]{8}", 12..80),
        order in any::<proptest::sample::Index>(),
        every in 1usize..3,
    ) {
        let line = |(at, session): (usize, &String)| {
            let level = ["INFO", "WARN", "DEBUG"][at % 3];
            let message = ["hold made seats=2", "done", "a|b left"][at / 2 % 3];
            format!("2026-03-14 06:41:{:02}|{level}|{session}|Hold:{at}|{message}", at % 60)
        };
        let lines: Vec<String> = sessions.iter().enumerate().map(line).collect();
        let mut some: Vec<&str> = lines.iter().step_by(every).map(String::as_str).collect();
        let at = order.index(some.len());
        some.rotate_left(at);
        let dialect = Dialect::default().learn(some.join("\n").as_bytes());
        for (line, session) in lines.iter().zip(&sessions) {
            let (id, head) = dialect.detect(line.as_bytes()).unwrap();
            let entry = id.read(line.as_bytes(), &dialect);
            let ids: Vec<_> = entry.ids().into_iter().map(|(_, id)| id.into_owned()).collect();
            prop_assert_eq!(ids.first(), Some(session), "{}", line);
            prop_assert!(!head.doubtful && entry.logger.is_none(), "{}", line);
            prop_assert_eq!(&*entry.message, line.splitn(5, '|').last().unwrap());
        }
    }
}
