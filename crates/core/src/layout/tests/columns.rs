//! Columns by their form.

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
        "delimited | 2026-03-14T06:41:02Z | warn | - | GET /nope 404 | status=404 took='12.3µs' remote='::1' method='GET' path='/nope'",
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
