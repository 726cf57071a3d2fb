//! Access lines with what servers and their administrators add.

use super::*;

const LINES: &[(&str, &str)] = &[
    (
        "gate.example.test - - [14/Mar/2026:06:41:02 +0000] \"GET / HTTP/1.1\" 200 12",
        "access | 2026-03-14T06:41:02Z | info | - | GET / 200 | remote='gate.example.test' method='GET' path='/' protocol='HTTP/1.1' status=200 bytes=12",
    ),
    (
        "10.7.0.12, 10.7.0.1 - - [14/Mar/2026:06:41:02 +0000] \"GET / HTTP/1.1\" 200 12",
        "access | 2026-03-14T06:41:02Z | info | - | GET / 200 | remote='10.7.0.12' proxies='10.7.0.1' method='GET' path='/' protocol='HTTP/1.1' status=200 bytes=12",
    ),
    (
        "- - - [14/Mar/2026:06:41:02 +0000] \"GET / HTTP/1.0\" 200 0",
        "access | 2026-03-14T06:41:02Z | info | - | GET / 200 | method='GET' path='/' protocol='HTTP/1.0' status=200 bytes=0",
    ),
    (
        "10.7.0.12 - - [14/Mar/2026:06:41:02 +0000] \"GET / HTTP/1.1\" 304 -",
        "access | 2026-03-14T06:41:02Z | info | - | GET / 304 | remote='10.7.0.12' method='GET' path='/' protocol='HTTP/1.1' status=304",
    ),
    (
        "10.7.0.12 - - [14/Mar/2026:06:41:02 +0000] \"GET /a b HTTP/1.1\" 400 12",
        "access | 2026-03-14T06:41:02Z | warn | - | GET /a b HTTP/1.1 400 | remote='10.7.0.12' request='GET /a b HTTP/1.1' status=400 bytes=12",
    ),
    (
        "10.7.0.12 - - [14/Mar/2026:06:41:02 +0000] \"GET / HTTP/1.1\" 200 12 \"-\" \"kiosk\" 0.231",
        "access | 2026-03-14T06:41:02Z | info | - | GET / 200 | remote='10.7.0.12' method='GET' path='/' protocol='HTTP/1.1' status=200 bytes=12 user_agent='kiosk' request_time=0.231",
    ),
    (
        "10.7.0.12 - - [14/Mar/2026:06:41:02 +0000] \"GET / HTTP/1.1\" 200 12 \"-\" \"kiosk\" 231ms",
        "access | 2026-03-14T06:41:02Z | info | - | GET / 200 | remote='10.7.0.12' method='GET' path='/' protocol='HTTP/1.1' status=200 bytes=12 user_agent='kiosk' took='231ms'",
    ),
    (
        "10.7.0.12 - - [14/Mar/2026:06:41:02 +0000] \"GET / HTTP/1.1\" 200 12 \"-\" \"never closed",
        "access | 2026-03-14T06:41:02Z | info | - | GET / 200 | remote='10.7.0.12' method='GET' path='/' protocol='HTTP/1.1' status=200 bytes=12 user_agent='never closed'",
    ),
    ("10.7.0.12 - - [14/Mar/2026:06:41:02 +0000] \"GET / HTTP/1.1\" 2000 12", "plain"),
    ("10.7.0.12 - - [14/Mar/2026:06:41:02] GET / 200", "plain"),
    (
        "[2026-03-14T06:41:02.340Z] \"- - HTTP/1.1\" 0 DC 0 0 5 - \"-\" \"-\" \"-\" \"-\" \"-\"",
        "text | 2026-03-14T06:41:02.340Z | - | - | \"- - HTTP/1.1\" 0 DC 0 0 5 - \"-\" \"-\" \"-\" \"-\" \"-\" | ",
    ),
    (
        "[2026-03-14T06:41:02.340Z] \"POST /seats HTTP/2\" 503 UF 12 91 5 - \"-\" \"kiosk\" \"6a2f41a3-c54c-fce8-32d2-0324e1c32e22\" \"gate\" \"-\"",
        "access | 2026-03-14T06:41:02.340Z | error | - | POST /seats 503 | request_id:6a2f41a3-c54c-fce8-32d2-0324e1c32e22 | method='POST' path='/seats' protocol='HTTP/2' status=503 flags='UF' bytes_received=12 bytes=91 duration_ms=5 user_agent='kiosk' host='gate'",
    ),
    ("GET /crossings/112 200 but no time", "plain"),
];

#[test]
fn access_lines_with_more() {
    check(&Dialect::default(), LINES);
}
