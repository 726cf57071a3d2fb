//! Prefixes in any order and any punctuation.

use super::*;

const LINES: &[(&str, &str)] = &[
    (
        "2026-03-14 06:41:02.340 [pool-1-thread-3] WARN c.e.Berths - strained",
        "text | 2026-03-14T06:41:02.340Z | warn | c.e.Berths | strained | thread='pool-1-thread-3'",
    ),
    (
        "2026-03-14 06:41:02,340 | no second mark",
        "text | 2026-03-14T06:41:02.340Z | - | - | no second mark | ",
    ),
    (
        "[2026-03-14 06:41:02] [ERROR] [berths] strained",
        "text | 2026-03-14T06:41:02Z | error | berths | strained | ",
    ),
    (
        "[2026-03-14 06:41:02.340] [berths] [error] strained",
        "text | 2026-03-14T06:41:02.340Z | error | berths | strained | ",
    ),
    (
        "2026-03-14 06:41:02 berths[312]: strained",
        "text | 2026-03-14T06:41:02Z | - | berths | strained | pid=312",
    ),
    ("2026-03-14T06:41:02.340Z INFO odd blank", "plain"),
    ("2026-03-14 06:41:02 ERROR", "text | 2026-03-14T06:41:02Z | error | - |  | "),
    ("2026-03-14 06:41:02", "text | 2026-03-14T06:41:02Z | - | - |  | "),
    (
        "2026-03-14 06:41:02 -- ERROR -- strained",
        "text | 2026-03-14T06:41:02Z | error | - | strained | ",
    ),
    (
        "2026-03-14 06:41:02 INFO  : strained",
        "text | 2026-03-14T06:41:02Z | info | - | strained | ",
    ),
    ("2026-03-14 06:41:02 error strained", "text | 2026-03-14T06:41:02Z | error | - | strained | "),
    (
        "2026-03-14 06:41:02 Error: strained",
        "text | 2026-03-14T06:41:02Z | error | - | strained | ",
    ),
    (
        "2026-03-14 06:41:02 information desk opened",
        "text | 2026-03-14T06:41:02Z | - | - | information desk opened | ",
    ),
    (
        "2026-03-14 06:41:02 [DEBUG] (berths) strained",
        "text | 2026-03-14T06:41:02Z | debug | - | (berths) strained | ",
    ),
    (
        "2026-03-14 06:41:02 DEBUG (berth.py:12) strained",
        "text | 2026-03-14T06:41:02Z | debug | - | strained | caller='berth.py:12'",
    ),
    (
        "2026-03-14 06:41:02 INFO http://quay-1.example.test/ answered",
        "text | 2026-03-14T06:41:02Z | info | - | http://quay-1.example.test/ answered | ",
    ),
    (
        "2026-03-14 06:41:02 WARN 10.7.0.12:8080 refused",
        "text | 2026-03-14T06:41:02Z | warn | - | 10.7.0.12:8080 refused | ",
    ),
    (
        "2026-03-14 06:41:02 INFO v1.2.3: released",
        "text | 2026-03-14T06:41:02Z | info | v1.2.3 | released | ",
    ),
    (
        "2026-03-14 06:41:02 INFO [a=1 b=\"two words\"] strained",
        "text | 2026-03-14T06:41:02Z | info | - | [a=1 b=\"two words\"] strained | a=1 b='two words'",
    ),
    (
        "2026-03-14 06:41:02 INFO [not a group, but words] strained",
        "text | 2026-03-14T06:41:02Z | info | - | [not a group, but words] strained | ",
    ),
    ("2026-03-14 06:41:02 INFO - - dashes", "text | 2026-03-14T06:41:02Z | info | - | dashes | "),
    (
        "2026-03-14 06:41:02 TRACE a::b::c: {\"n\":1}",
        "text | 2026-03-14T06:41:02Z | trace | a::b::c | {\"n\":1} | n=1",
    ),
    (
        "2026-03-14 06:41:02 INFO seats {not json}",
        "text | 2026-03-14T06:41:02Z | info | - | seats {not json} | ",
    ),
    (
        "2026-03-14 06:41:02 FATAL thread main: gone",
        "text | 2026-03-14T06:41:02Z | fatal | - | thread main: gone | ",
    ),
    ("14/03/2026 06:41:02 INFO day first", "text | 2026-03-14T06:41:02Z | info | - | day first | "),
    (
        "03/14/2026 06:41:02 PM INFO month first",
        "text | 2026-03-14T18:41:02Z | info | - | month first | ",
    ),
    (
        "Sat Mar 14 06:41:02 2026: berths free",
        "text | 2026-03-14T06:41:02Z | - | - | berths free | ",
    ),
    (
        "Sat Mar 14 06:41:02 UTC 2026 berths free",
        "text | 2026-03-14T06:41:02Z | - | - | berths free | ",
    ),
    ("1773470462.340 INFO seconds", "text | 2026-03-14T06:41:02.340Z | info | - | seconds | "),
    ("1773470462 just a number", "plain"),
    ("06:41:02.340 INFO clock only", "text | 1969-12-31T06:41:02.340Z | info | - | clock only | "),
    ("6:41AM INF twelve hours", "text | 1969-12-31T06:41:00Z | info | - | twelve hours | "),
    ("[06:41:02] no level", "text | 1969-12-31T06:41:02Z | - | - | no level | "),
    (
        "[06:41:02 WRN] <berths> strained",
        "text | 1969-12-31T06:41:02Z | warn | - | <berths> strained | ",
    ),
    (
        "ERROR [2026-03-14 06:41:02,340] berths.Holds: strained",
        "text | 2026-03-14T06:41:02.340Z | error | berths.Holds | strained | ",
    ),
    (
        "2026-03-14T06:41:02.340Z ERROR gate::proxy{id=7}: gate: strained",
        "text | 2026-03-14T06:41:02.340Z | error | gate | strained | span='gate::proxy' id=7",
    ),
    (
        "2026-03-14T06:41:02.340Z  INFO a{x=1}:b{y=2}: gate::c: in two spans",
        "text | 2026-03-14T06:41:02.340Z | info | gate::c | in two spans | span='b' spans='a{x=1}:b{y=2}' x=1 y=2",
    ),
    ("   2026-03-14 06:41:02 INFO deeper than an entry begins", "plain"),
    ("  2026-03-14 06:41:02 no level, and indented", "plain"),
];

#[test]
fn text_in_any_order() {
    check(&Dialect::default(), LINES);
}
