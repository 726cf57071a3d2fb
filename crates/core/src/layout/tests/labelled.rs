//! Labelled values set apart by tabs.

use super::*;

const LINES: &[(&str, &str)] = &[
    (
        "time:2026-03-14T06:41:02Z\tlevel:info\tmsg:berth free\tberth:3",
        "labelled | 2026-03-14T06:41:02Z | info | - | berth free | berth=3",
    ),
    (
        "time:[14/Mar/2026:06:41:02 +0000]\treq:GET /crossings HTTP/1.1\tstatus:503\tsize:-",
        "labelled | 2026-03-14T06:41:02Z | error | - | GET /crossings 503 | req='GET /crossings HTTP/1.1' status=503 size='-'",
    ),
    (
        "time:2026-03-14T06:41:02Z\tmethod:GET\turi:/crossings\tstatus:200\tlevel:warn",
        "labelled | 2026-03-14T06:41:02Z | warn | - | GET /crossings 200 | method='GET' uri='/crossings' status=200",
    ),
    (
        "time:2026-03-14T06:41:02Z\tlogger:harbour.berths\tmessage:a: b\tempty:",
        "labelled | 2026-03-14T06:41:02Z | - | harbour.berths | a: b | empty=''",
    ),
    // Too few, or not labels.
    ("note: this\tand: that", "plain"),
    ("time:2026-03-14T06:41:02Z\tlevel:info\ta sentence: with blanks", "plain"),
    ("a:1\tb:2\t:3", "plain"),
];

#[test]
fn labelled_values() {
    check(&Dialect::default(), LINES);
}
