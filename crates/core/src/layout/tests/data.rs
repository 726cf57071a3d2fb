//! Objects and pairs, whole and not.

use super::*;

const LINES: &[(&str, &str)] = &[
    (
        "{\"@timestamp\":\"2026-03-14T06:41:02.340Z\",\"level\":\"WARN\",\"msg\":\"a\",\"trace\":{\"id\":\"x\"}}",
        "json | 2026-03-14T06:41:02.340Z | warn | - | a | trace.id='x'",
    ),
    (
        "{\"time\":1773470462,\"severity\":3,\"msg\":\"syslog number\"}",
        "json | 2026-03-14T06:41:02Z | error | - | syslog number | ",
    ),
    (
        "{\"time\":1.773470462340123e9,\"level\":\"info\",\"msg\":\"float\"}",
        "json | 2026-03-14T06:41:02.340123Z | info | - | float | ",
    ),
    (
        "{\"time\":\"2026-03-14T06:41:02Z\",\"severityNumber\":18,\"body\":\"by number\"}",
        "json | 2026-03-14T06:41:02Z | error | - | by number | ",
    ),
    (
        "{\"date\":\"2026-03-14\",\"time\":\"06:41:02\",\"msg\":\"apart\"}",
        "json | 2026-03-14T06:41:02Z | - | - | apart | date='2026-03-14'",
    ),
    (
        "{\"level\":\"info\",\"event\":\"opened\",\"name\":\"gate\"}",
        "json | - | info | gate | opened | ",
    ),
    (
        "{\"level\":\"info\",\"message\":\"\",\"event\":\"empty message\"}",
        "json | - | info | - | empty message | ",
    ),
    (
        "{\"message\":\"{\\\"level\\\":\\\"warn\\\",\\\"msg\\\":\\\"inside\\\",\\\"n\\\":1}\",\"time\":\"2026-03-14T06:41:02Z\"}",
        "json | 2026-03-14T06:41:02Z | warn | - | inside | n=1",
    ),
    (
        "{\"msg\":\"{Name} took {Seats} of {Missing}\",\"Name\":\"Avocet\",\"Seats\":2}",
        "json | - | - | - | Avocet took 2 of {Missing} | msg='{Name} took {Seats} of {Missing}' Name='Avocet' Seats=2",
    ),
    ("{\"msg\":\"100%\",\"args\":[1]}", "json | - | - | - | 100% | args.0=1"),
    (
        "{\"status\":200,\"path\":\"/a\",\"method\":\"GET\"}",
        "json | - | info | - | GET /a 200 | status=200 path='/a' method='GET'",
    ),
    ("{\"status\":\"ok\",\"path\":\"/a\"}", "json | - | - | - |  | status='ok' path='/a'"),
    ("{\"level\":\"info\",\"msg\":\"x\"} ", "json | - | info | - | x | "),
    ("{\"level\":\"info\",\"msg\":\"x\"},", "json | - | info | - | x | "),
    (
        "{\"a\":{\"b\":[1,{\"c\":null}]},\"msg\":\"deep\"}",
        "json | - | - | - | deep | a.b.0=1 a.b.1.c=null",
    ),
    ("[]", "plain"),
    ("[1,2]", "plain"),
    ("level=info", "plain"),
    ("level=info msg=\"a b\"", "pairs | - | info | - | a b | "),
    (
        "time=2026-03-14T06:41:02Z level=WARN msg=\"a \\\"b\\\" \\n c\" n=1",
        "pairs | 2026-03-14T06:41:02Z | warn | - | a \"b\" ⏎ c | n=1",
    ),
    ("msg='single quoted' level=info", "pairs | - | info | - | single quoted | "),
    ("a=1, b=2, c=3", "pairs | - | - | - |  | a=1 b=2 c=3"),
    (
        "t=2026-03-14T06:41:02+0000 lvl=eror msg=old",
        "pairs | 2026-03-14T06:41:02Z | error | - | old | ",
    ),
    ("key==value other=x", "pairs | - | - | - |  | key='=value' other='x'"),
];

#[test]
fn objects_and_pairs() {
    check(&Dialect::default(), LINES);
}
