//! Requests and responses as they are printed apart.

use super::*;

#[test]
fn lines_with_the_tag_of_a_request_are_entries_of_their_own() {
    check(
        &Dialect::default(),
        &[
            (
                "[7f3a9c21] Started GET \"/crossings?x=1\" for 10.7.0.12 at 2026-03-14 06:41:02 +0000",
                "started | 2026-03-14T06:41:02Z | - | - | Started GET \"/crossings?x=1\" for 10.7.0.12 at 2026-03-14 06:41:02 +0000 | request_id:7f3a9c21 | method='GET' path='/crossings' query='x=1' remote='10.7.0.12'",
            ),
            (
                "[7f3a9c21] Completed 503 Service Unavailable in 12ms (Views: 0.2ms)",
                "started | - | error | - | Completed 503 Service Unavailable in 12ms (Views: 0.2ms) | request_id:7f3a9c21 | status=503 took='12ms'",
            ),
            (
                "[7f3a9c21] Processing by FaresController#index as JSON",
                "started | - | - | - | Processing by FaresController#index as JSON | request_id:7f3a9c21 | ",
            ),
            (
                "[7f3a9c21-e0b4-486f-8c1d-0324e1c32e22] told gate=bow",
                "started | - | - | - | told gate=bow | request_id:7f3a9c21-e0b4-486f-8c1d-0324e1c32e22 | ",
            ),
            // A word in brackets is no id, and neither is what a level or a time follows.
            ("[main] Completed 503 of them", "plain"),
            ("[7f3a9c21] sentences of any kind", "plain"),
        ],
    );
}

#[test]
fn dumps_have_a_path_values_in_their_bodies_and_headers_apart() {
    check(
        &Dialect::default(),
        &[
            (
                "POST /holds?dry=1 HTTP/1.1\nHost: booking.example.test\nContent-Type: application/json\n\n{\"seats\":2,\"cabin\":{\"row\":7}}",
                "dump | - | - | - | POST /holds?dry=1 HTTP/1.1 | method='POST' path='/holds' query='dry=1' body.seats=2 body.cabin.row=7 headers.Host='booking.example.test' headers.Content-Type='application/json'",
            ),
            (
                "> GET https://fares.example.test/quote HTTP/1.1\n> Accept: */*\n>\n< HTTP/1.1 200 OK\n< Content-Type: text/plain\n<",
                "dump | - | - | - | > GET https://fares.example.test/quote HTTP/1.1 | method='GET' url='https://fares.example.test/quote' headers.Accept='*/*' status=200 response_headers.Content-Type='text/plain'",
            ),
            (
                "HTTP/1.1 409 Conflict\nRetry-After: 3\n\nno seat is free",
                "dump | - | - | - | HTTP/1.1 409 Conflict | status=409 body='no seat is free' headers.Retry-After=3",
            ),
        ],
    );
}

#[test]
fn objects_in_messages_go_by_the_name_before_them() {
    check(
        &Dialect::default(),
        &[
            (
                "2026-03-14 06:41:02 INFO [71] Request: POST http://fares.example.test/quote body={\"seats\":2}",
                "text | 2026-03-14T06:41:02Z | info | Request | POST http://fares.example.test/quote body={\"seats\":2} | pid=71 method='POST' url='http://fares.example.test/quote' body.seats=2",
            ),
            (
                "2026-03-14 06:41:02 INFO quote asked {\"seats\":2}",
                "text | 2026-03-14T06:41:02Z | info | - | quote asked {\"seats\":2} | seats=2",
            ),
            (
                "2026-03-14 06:41:02 INFO answered 200 OK payload: {\"price\":42.5}",
                "text | 2026-03-14T06:41:02Z | info | - | answered 200 OK payload: {\"price\":42.5} | status=200 payload.price=42.5",
            ),
        ],
    );
}

#[test]
fn spans_without_fields_stand_behind_those_that_have_some() {
    check(
        &Dialect::default(),
        &[(
            "2026-03-14T06:41:02.040000Z  INFO request{method=POST request_id=7f3a9c21e0b4d86f}:charge: booking::pay: close time.busy=1.20ms time.idle=7.80ms",
            "text | 2026-03-14T06:41:02.040000Z | info | booking::pay | close time.busy=1.20ms time.idle=7.80ms | request_id:7f3a9c21e0b4d86f | span='charge' spans='request{method=POST request_id=7f3a9c21e0b4d86f}:charge' method='POST' time.busy='1.20ms' time.idle='7.80ms'",
        )],
    );
}
