//! A few looks tell what all layouts tell, asked in turn.

use proptest::prelude::*;

use crate::layout::{
    Dialect,
    quick::{self, Ahead},
    wrap,
};

/// Pieces that lines of usual forms are made of, with what may mislead.
const PIECES: [&str; 60] = [
    "2026-03-14 06:41:02.340",
    "2026-03-14 06:41:02,340",
    "2026-03-14T06:41:02.340Z",
    "2026-03-14T06:41:02",
    "2026-03-14 06:41:02.340123",
    "2026-03-14 06:41:02,340.340",
    "2026-03-14 06:41:02:340",
    "2026-03-14 06:41:02 PM",
    "2026-03-14 06:41:02 UTC",
    "2026-03-14 06:41:02 +0000",
    "2026-13-14 06:41:02",
    "2261-03-14 06:41:02.340",
    "9999-03-14 06:41:02.340",
    "10.7.2.10 - clerk [14/Mar/2026:06:41:02 +0000] \"GET / HTTP/1.1\" 200 12",
    "10.7.2.10 - - [14/Mar/2026:06:41:02.340 +0100] \"GET /a\\\"b HTTP/1.1\" 503 -",
    "14/Mar/2026:06:41:02 +0000]",
    "time=",
    "ts=",
    " level=",
    " INFO",
    " [INFO]",
    "  WARN ",
    " ERROR ",
    " WARNING ",
    " [TRACE] ",
    " debug ",
    " error",
    " INFORMATION ",
    " | ",
    " | I | ",
    " | ERROR | ",
    "|",
    ";",
    "\t",
    " - ",
    " ",
    "[worker-5] ",
    "payments.charge - charge asked",
    "stdout F ",
    "stderr P ",
    " host app[12]: ",
    " app: ",
    "GET /fares HTTP/1.1",
    " > POST /holds",
    " <-- 200",
    "--> END",
    "{\"level\":\"info\"}",
    "{\"time\":\"2026-03-14T06:41:02.340Z\",\"level\":\"info\",\"msg\":\"x\"}",
    "{\"level\":30,\"time\":1773470462340,\"msg\":\"x\"}",
    "{\"log\":\"x\\n\",\"stream\":\"stdout\",\"time\":\"2026-03-14T06:41:02.340Z\"}",
    "}",
    "{",
    "\"",
    "request_id=6f7327e43eeb7bb1 ",
    "msg=\"a b\" ",
    "[14/Mar/2026:06:41:02 +0000] \"GET / HTTP/1.1\" 200",
    "1234",
    "6:41:02",
    "É",
    ":",
];

fn line() -> impl Strategy<Value = String> {
    proptest::collection::vec(prop::sample::select(PIECES.to_vec()), 1..7)
        .prop_map(|pieces| pieces.concat())
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 2_000, ..ProptestConfig::default() })]
    #[test]
    fn a_few_looks_tell_what_all_layouts_tell(lines in proptest::collection::vec(line(), 1..12)) {
        let text = lines.join("\n");
        let dialect = Dialect::default();
        let mut ahead = Ahead::over(text.as_bytes(), &dialect);
        let mut at = 0;
        for line in &lines {
            let line = line.as_bytes();
            let (end, several) = quick::end(&text.as_bytes()[at..]);
            prop_assert_eq!(end, line.len());
            if !several && let Some(told) = quick::head(line, at, &mut ahead) {
                prop_assert!(wrap::peel(line, &dialect).is_none());
                prop_assert_eq!(Some(told), dialect.detect(line));
            }
            // What is learnt on the way must not change the answer.
            let _ = dialect.detect(line);
            at += end + 1;
        }
    }
}

#[test]
fn usual_lines_need_no_second_look() {
    for line in [
        "2026-03-14 06:41:02,340 INFO  [worker-5] payments.charge - charge asked",
        "2026-03-14T06:41:02.340Z ERROR fares: no fare",
        "2026-03-14 06:41:02.340 [WARN] fares: no fare",
        "2026-03-14 06:41:02.015 | D | fares.lookup | FareTable:61 | fare asked",
        "time=2026-03-14T06:41:02.340Z level=info msg=x",
        "10.7.2.10 - clerk [14/Mar/2026:06:41:02.010 +0000] \"GET / HTTP/1.1\" 200 2209",
    ] {
        let dialect = Dialect::default();
        let mut ahead = Ahead::over(line.as_bytes(), &dialect);
        let told = quick::head(line.as_bytes(), 0, &mut ahead);
        assert!(
            told.is_some_and(|(_, head)| head.stamp.is_some() && head.severity.is_some()),
            "{line}"
        );
    }
}

#[test]
fn the_end_of_a_line_is_found_with_its_objects() {
    for (text, want) in [
        ("{\"a\":1}\n{\"b\":2}\n", (7, false)),
        ("{\"a\":{\"b\":1}}\nx", (13, false)),
        ("{\"a\":1}{\"b\":2}\n", (14, true)),
        ("{\"a\":1} {\"b\":2}\n", (15, true)),
        ("{\"a\":1}  {\"b\":2}\n", (16, false)),
        ("{\"a\":1}", (7, false)),
        ("a}{b\nc", (4, false)),
        ("\n{", (0, false)),
        ("", (0, false)),
    ] {
        assert_eq!(quick::end(text.as_bytes()), want, "{text:?}");
    }
}
