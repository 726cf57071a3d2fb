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
