//! Requests in other orders than those of access logs.

use super::*;

const LINES: &[(&str, &str)] = &[
    (
        "1773470462.340    123 10.7.0.12 TCP_MISS/200 1234 GET http://fares.example.test/a?b=1 - DIRECT/10.7.0.20 text/html",
        "request | 2026-03-14T06:41:02.340Z | info | - | GET http://fares.example.test/a 200 | duration_ms=123 remote='10.7.0.12' cache='TCP_MISS' status=200 bytes=1234 method='GET' path='http://fares.example.test/a' query='b=1' upstream='DIRECT/10.7.0.20' content_type='text/html'",
    ),
    (
        "10.7.0.12 -  14/Mar/2026:06:41:02 +0000 \"GET /crossings\" 200",
        "request | 2026-03-14T06:41:02Z | info | - | GET /crossings 200 | remote='10.7.0.12' method='GET' path='/crossings' status=200",
    ),
    (
        "10.7.0.12 hit pass 2026-03-14T06:41:02Z \"GET /crossings?x=1 HTTP/1.1\" 503 512",
        "request | 2026-03-14T06:41:02Z | error | - | GET /crossings 503 | remote='10.7.0.12' cache='hit' handling='pass' method='GET' path='/crossings' query='x=1' protocol='HTTP/1.1' status=503 bytes=512",
    ),
    (
        "GET /crossings/112 200 2.339 ms - 3",
        "request | - | info | - | GET /crossings/112 200 | method='GET' path='/crossings/112' status=200 took='2.339 ms' bytes=3",
    ),
    (
        "GET /crossings?n=2 200 51 - 2.339 ms",
        "request | - | info | - | GET /crossings 200 | method='GET' path='/crossings' query='n=2' status=200 bytes=51 took='2.339 ms'",
    ),
    (
        "::ffff:10.7.0.12 clerk GET /crossings HTTP/1.1 404 - - 2.339 ms",
        "request | - | warn | - | GET /crossings 404 | remote='::ffff:10.7.0.12' user='clerk' method='GET' path='/crossings' protocol='HTTP/1.1' status=404 took='2.339 ms'",
    ),
    (
        "  <-- GET /crossings?n=2",
        "request | - | - | - | GET /crossings | method='GET' path='/crossings' query='n=2'",
    ),
    (
        "  --> GET /crossings 200 3ms 51b",
        "request | - | info | - | GET /crossings 200 | method='GET' path='/crossings' status=200 took='3ms' bytes=51",
    ),
    (
        "[pid: 7|app: 0|req: 1/3] 10.7.0.12 () {24 vars in 254 bytes} [Sat Mar 14 06:41:02 2026] GET /seats?n=2 => generated 51 bytes in 3 msecs (HTTP/1.1 200) 1 headers in 38 bytes",
        "request | 2026-03-14T06:41:02Z | info | - | GET /seats 200 | pid=7 extra='|app: 0|req: 1/3' extra=' () {24 vars in 254 bytes} ' remote='10.7.0.12' method='GET' path='/seats' query='n=2' bytes=51 took='3 msecs' protocol='HTTP/1.1' status=200 extra=' 1 headers in 38 bytes'",
    ),
    (
        "[Sat Mar 14 06:41:02 2026] 10.7.0.12:5000 [404]: GET /seats?n=2 - No such file",
        "text | 2026-03-14T06:41:02Z | - | - | 10.7.0.12:5000 [404]: GET /seats?n=2 - No such file | remote='10.7.0.12' client_port=5000 status=404 method='GET' path='/seats' query='n=2'",
    ),
    (
        "2026-03-14 06:41:02 +0000 HTTP/1.1 200 OK",
        "text | 2026-03-14T06:41:02Z | - | - | HTTP/1.1 200 OK | ",
    ),
    (
        "10.7.0.12:5000 - - [14/Mar/2026:06:41:02] \"GET /seats\" 200 51",
        "access | 2026-03-14T06:41:02Z | info | - | GET /seats 200 | remote='10.7.0.12' client_port=5000 method='GET' path='/seats' status=200 bytes=51",
    ),
    (
        "10.7.0.12 - - [14/Mar/2026 06:41:02] code 404, message File not found",
        "request | 2026-03-14T06:41:02Z | warn | - | code 404, message File not found | remote='10.7.0.12' status=404",
    ),
    (
        "POST /seats 404 in 12ms",
        "request | - | warn | - | POST /seats 404 | method='POST' path='/seats' status=404 took='12ms'",
    ),
    (
        "INFO:     10.7.0.12:5000 - \"GET /fares?x=1 HTTP/1.1\" 200 OK",
        "levelled | - | info | - | 10.7.0.12:5000 - \"GET /fares?x=1 HTTP/1.1\" 200 OK | remote='10.7.0.12' client_port=5000 method='GET' path='/fares' query='x=1' protocol='HTTP/1.1' status=200",
    ),
    (
        "2026-03-14 06:41:02,340 INFO harbour.web: 10.7.0.12 - clerk [14/Mar/2026:06:41:02 +0000] \"GET / HTTP/1.1\" 200 51",
        "text | 2026-03-14T06:41:02.340Z | info | harbour.web | 10.7.0.12 - clerk [14/Mar/2026:06:41:02 +0000] \"GET / HTTP/1.1\" 200 51 | remote='10.7.0.12' user='clerk' method='GET' path='/' protocol='HTTP/1.1' status=200 bytes=51",
    ),
    (
        "2026-03-14 06:41:02,340 INFO the quay said \"GET / HTTP/1.1\" 200 times",
        "text | 2026-03-14T06:41:02.340Z | info | - | the quay said \"GET / HTTP/1.1\" 200 times | ",
    ),
];

#[test]
fn requests_in_other_orders() {
    check(&Dialect::default(), LINES);
}
