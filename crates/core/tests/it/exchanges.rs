//! Requests and responses that were printed apart, joined.

use std::{collections::HashMap, sync::Arc};

use cribrum_core::{
    engine::{Engine, Side, Snapshot},
    query::{Context, Expr},
    sieve::{Mesh, Sieve},
    veil::{CleanValue, Desk},
};
use proptest::prelude::*;

use crate::{Intake, messages, wait};

fn related(engine: &Engine, entries: usize) -> Arc<Snapshot> {
    wait(engine, "exchanges", |snapshot| {
        snapshot.settled() && snapshot.is_related() && snapshot.order.len() == entries
    })
}

fn passing(engine: &Engine, condition: &str) -> Vec<String> {
    let expr = Expr::parse(condition, &Context::default()).unwrap();
    let sieve = Sieve { meshes: vec![Mesh::of(expr)] };
    engine.set_sieve(sieve.clone());
    messages(&wait(engine, "the pan", |s| s.sieve == sieve && s.settled() && s.is_related()))
}

/// Each exchange as `method path status took`, by its request and by its response, which must say the same.
fn exchanges(snapshot: &Snapshot) -> Vec<String> {
    let mut told = Vec::new();
    for id in snapshot.order.iter_from(0) {
        let Some(exchange) = snapshot.exchange_of::<Desk>(id).unwrap() else { continue };
        let other = snapshot.exchange_of::<Desk>(exchange.other).unwrap().unwrap();
        assert_eq!((other.other, &other.told, other.took), (id, &exchange.told, exchange.took));
        assert_ne!(other.side, exchange.side);
        if exchange.side == Side::Request {
            let parts = exchange.told.iter().filter(|field| field.name.as_str() != "took");
            let parts = parts.map(|field| match &field.value {
                CleanValue::Text(text) | CleanValue::Number(text) => text.to_string(),
                other => panic!("{other:?}"),
            });
            let took = exchange.took.map(|took| format!("{} ms", took / 1_000_000));
            told.push(parts.chain(took).collect::<Vec<_>>().join(" "));
        }
    }
    told
}

/// A log, and the exchanges in it.
type Case = (&'static str, &'static [&'static str], &'static [&'static str]);

const CASES: [Case; 11] = [
    (
        "arrows and threads",
        &[
            "2026-03-14 06:41:02.118 INFO [http-3] --> POST /crossings/112/seats",
            "2026-03-14 06:41:02.130 INFO [http-4] --> GET /crossings/9",
            "2026-03-14 06:41:02.160 INFO [http-4] <-- 200 OK (30 ms)",
            "2026-03-14 06:41:02.340 INFO [http-3] <-- 504 Gateway Timeout (222 ms)",
        ],
        &["POST /crossings/112/seats 504 222 ms", "GET /crossings/9 200 30 ms"],
    ),
    (
        "started and completed, tagged",
        &[
            "[7f3a9c21] Started GET \"/crossings/112\" for 10.1.2.3 at 2026-03-14 06:41:02 +0000",
            "[7f3a9c21] Processing by CrossingsController#show as JSON",
            "[9c3a9c21] Started POST \"/holds\" for 10.1.2.4 at 2026-03-14 06:41:02 +0000",
            "[7f3a9c21] Completed 200 OK in 12ms (Views: 0.2ms)",
            "[9c3a9c21] Completed 422 Unprocessable Entity in 9ms",
        ],
        &["GET /crossings/112 200 12 ms", "POST /holds 422 9 ms"],
    ),
    (
        "objects with an id, no duration told",
        &[
            r#"{"ts":"2026-03-14T06:41:02.118Z","msg":"request started","request_id":"a1b2c3d4e5f60718","method":"POST","path":"/holds"}"#,
            r#"{"ts":"2026-03-14T06:41:02.125Z","msg":"request started","request_id":"b1b2c3d4e5f60719","method":"GET","path":"/fares"}"#,
            r#"{"ts":"2026-03-14T06:41:02.150Z","msg":"request completed","request_id":"b1b2c3d4e5f60719","status":200}"#,
            r#"{"ts":"2026-03-14T06:41:02.218Z","msg":"request completed","request_id":"a1b2c3d4e5f60718","status":503,"duration_ms":90}"#,
        ],
        &["POST /holds 503 90 ms", "GET /fares 200 25 ms"],
    ),
    (
        "a numbered connection",
        &[
            "2026-03-14 06:41:02.118 INFO  c.e.Client - [71] Request: POST http://fares.example.test/quote body={\"seats\":2}",
            "2026-03-14 06:41:02.120 INFO  c.e.Client - [72] Request: POST http://fares.example.test/quote body={\"seats\":1}",
            "2026-03-14 06:41:02.198 INFO  c.e.Client - [71] Response: 200 OK duration=80ms body={\"price\":42.5}",
            "2026-03-14 06:41:02.199 INFO  c.e.Client - [72] Response: 409 Conflict",
        ],
        &["POST /quote 200 80 ms", "POST /quote 409 79 ms"],
    ),
    (
        "answered by its id, and then a response on its thread",
        &[
            "2026-03-14 06:41:02.000 INFO [http-3] request POST /holds request_id=7f3a9c21e0b4d86f",
            "2026-03-14 06:41:02.050 INFO response 201 request_id=7f3a9c21e0b4d86f",
            "2026-03-14 06:41:02.090 INFO [http-3] response 503",
        ],
        &["POST /holds 201 50 ms"],
    ),
    (
        "a number in the place of a process",
        &[
            "2026-03-14 06:41:02.118 INFO [71] Request: POST http://fares.example.test/quote body={}",
            "2026-03-14 06:41:02.120 INFO [72] Request: GET http://fares.example.test/table",
            "2026-03-14 06:41:02.198 INFO [71] Response: 200 OK duration=80ms",
            "2026-03-14 06:41:02.199 INFO [72] Response: 404 Not Found",
        ],
        &["POST /quote 200 80 ms", "GET /table 404 79 ms"],
    ),
    (
        "a process each",
        &[
            "Mar 14 06:41:02 quay-1 booking[8812]: request POST /holds from 10.0.0.1",
            "Mar 14 06:41:02 quay-1 booking[8813]: request GET /fares from 10.0.0.1",
            "Mar 14 06:41:03 quay-1 booking[8813]: response 200 in 512ms",
            "Mar 14 06:41:04 quay-1 booking[8812]: response 503 in 2012ms",
        ],
        &["POST /holds 503 2012 ms", "GET /fares 200 512 ms"],
    ),
    (
        "pairs with an id of their own",
        &[
            "2026-03-14T06:41:02.118Z gateway request id=71 method=POST path=/holds",
            "2026-03-14T06:41:02.218Z gateway request id=72 method=POST path=/seats",
            "2026-03-14T06:41:02.318Z gateway response id=71 status=201",
        ],
        &["POST /holds 201 200 ms"],
    ),
    (
        "two lines and nothing else",
        &[
            "2026-03-14 06:41:02.100 --> GET /fares",
            "2026-03-14 06:41:02.150 <-- 200 GET /fares",
            "2026-03-14 06:41:03.100 --> GET /seats",
            "2026-03-14 06:41:03.140 --> GET /berths",
            "2026-03-14 06:41:03.150 <-- 200 OK",
        ],
        // The last may be of either.
        &["GET /fares 200 50 ms"],
    ),
    (
        "a call within a request, on the same thread",
        &[
            "2026-03-14 06:41:02.000 INFO [http-3] Incoming request: POST /holds",
            "2026-03-14 06:41:02.010 INFO [http-3] Sending request: GET /quote",
            "2026-03-14 06:41:02.040 INFO [http-3] Received response: 200 OK",
            "2026-03-14 06:41:02.050 INFO [http-3] Returned response: 201 Created",
        ],
        &["POST /holds 201 50 ms", "GET /quote 200 30 ms"],
    ),
    (
        "no exchange",
        &[
            "2026-03-14 06:41:02.000 INFO [http-3] POST /holds is slow",
            "2026-03-14 06:41:02.010 INFO [http-3] got 200 seats",
            "2026-03-14 06:41:02.020 INFO [http-4] completed 3 of 5",
        ],
        &[],
    ),
];

#[test]
fn requests_and_their_responses_are_joined() {
    for (name, lines, want) in CASES {
        let intake = Intake::new(&[("gate.log", &format!("{}\n", lines.join("\n")))]);
        let engine = intake.engine(false);
        let snapshot =
            wait(&engine, "exchanges", |s| s.settled() && s.is_related() && !s.order.is_empty());
        assert_eq!(exchanges(&snapshot), want, "{name}");
    }
}

#[test]
fn both_halves_have_what_either_tells() {
    let (_, lines, _) = CASES[0];
    let intake = Intake::new(&[("gate.log", &format!("{}\n", lines.join("\n")))]);
    let engine = intake.engine(false);
    related(&engine, 4);
    let (asked, answered) = ("--> POST /crossings/112/seats", "<-- 504 Gateway Timeout (222 ms)");
    for condition in [
        "status = 504",
        "status >= 500 and method = POST",
        "path ~ seats",
        "took > 100ms",
        "has status and not status = 200",
    ] {
        assert_eq!(passing(&engine, condition), [asked, answered], "{condition}");
    }
    assert_eq!(passing(&engine, "not has status"), [""; 0]);
    // What is written in an entry is looked for there alone.
    assert_eq!(passing(&engine, "seats"), [asked]);
}

#[test]
fn bodies_are_values_and_headers_stand_apart() {
    let dump = "2026-03-14 06:41:02.118 DEBUG client sends\nPOST /holds HTTP/1.1\nHost: booking.example.test\n\
        X-Request-Id: 7f3a9c21e0b4d86f\n\n{\"seats\":2,\"cabin\":{\"row\":7}}\n\
        2026-03-14 06:41:02.340 DEBUG client receives\nHTTP/1.1 409 Conflict\nX-Request-Id: 7f3a9c21e0b4d86f\n\n{\"free\":1}\n";
    let intake = Intake::new(&[("gate.log", dump)]);
    let engine = intake.engine(false);
    let snapshot = related(&engine, 4);
    assert_eq!(exchanges(&snapshot), ["POST /holds 409 222 ms"]);
    let begins = |texts: Vec<String>| {
        texts.iter().map(|text| text.lines().next().unwrap().to_owned()).collect::<Vec<_>>()
    };
    assert_eq!(begins(passing(&engine, "body.cabin.row = 7")), ["POST /holds HTTP/1.1"]);
    assert_eq!(begins(passing(&engine, "body.free = 1")), ["HTTP/1.1 409 Conflict"]);
    assert_eq!(begins(passing(&engine, "headers.Host ~ booking")), ["POST /holds HTTP/1.1"]);
    assert_eq!(
        begins(passing(&engine, "status = 409")),
        ["POST /holds HTTP/1.1", "HTTP/1.1 409 Conflict"]
    );
}

/// How a program tells of its requests.
#[derive(Clone, Copy, Debug)]
enum Style {
    Thread,
    Id,
    Process,
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(32))]

    /// However requests run side by side, each response is joined to the request that it answers.
    #[test]
    fn joined_exchanges_are_those_that_were_made(
        requests in proptest::collection::vec((1u64..400, 1u64..900, 200u16..600), 1..12),
        style in prop_oneof![Just(Style::Thread), Just(Style::Id), Just(Style::Process)],
    ) {
        let mut lines: Vec<(u64, usize, String)> = Vec::new();
        let mut want: HashMap<String, u64> = HashMap::new();
        let mut start = 0;
        for (number, (gap, took, status)) in requests.iter().enumerate() {
            start += gap;
            let (begun, ended) = (start, start + took);
            let path = format!("/holds/{}", (b'a' + u8::try_from(number).unwrap()) as char);
            let time = |at: u64| format!("2026-03-14T06:{:02}:{:02}.{:03}Z", at / 60_000, at / 1_000 % 60, at % 1_000);
            // Each has a worker to itself.
            let front = |at: u64| match style {
                Style::Thread => format!("{} INFO [worker-{number}] ", time(at)),
                Style::Id => format!("{} INFO [req-5d{number:04}] ", time(at)),
                Style::Process => format!("<14>1 {} quay-1 booking {} - - ", time(at), 100 + number),
            };
            lines.push((begun, number, format!("{}--> POST {path}", front(begun))));
            lines.push((ended, number, format!("{}<-- {status} Told", front(ended))));
            want.insert(format!("POST {path} {status} {took} ms"), 1);
        }
        lines.sort_unstable_by_key(|(at, number, line)| (*at, *number, line.contains("<--")));
        let text: String = lines.iter().map(|(_, _, line)| format!("{line}\n")).collect();
        let intake = Intake::new(&[("gate.log", &text)]);
        let engine = intake.engine(false);
        let snapshot = related(&engine, lines.len());
        let mut found: Vec<String> = exchanges(&snapshot);
        let mut want: Vec<String> = want.into_keys().collect();
        found.sort_unstable();
        want.sort_unstable();
        prop_assert_eq!(found, want, "{}", text);
    }
}

#[test]
fn a_response_that_arrives_later_joins_its_request() {
    let asked = "2026-03-14 06:41:02.118 INFO [http-3] --> POST /holds\n";
    let intake = Intake::new(&[("gate.log", asked)]);
    let engine = intake.engine(true);
    related(&engine, 1);
    assert_eq!(passing(&engine, "status >= 500"), [""; 0]);
    intake.append("gate.log", "2026-03-14 06:41:02.340 INFO [http-3] <-- 504 Gateway Timeout\n");
    // The request passes as soon as its response is known; the sieve is the same.
    let snapshot = wait(&engine, "both halves", |s| s.pan.len() == 2 && s.settled());
    assert_eq!(messages(&snapshot), ["--> POST /holds", "<-- 504 Gateway Timeout"]);
    assert_eq!(exchanges(&snapshot), ["POST /holds 504 222 ms"]);
    let request = snapshot.pan.get(0).unwrap();
    let shown = snapshot.row(request).unwrap();
    let names: Vec<&str> = shown.fields.iter().map(|field| field.name.as_str()).collect();
    assert_eq!((shown.joined, &names[names.len() - 2..]), (2, &["status", "took"][..]));
    assert_eq!(shown.status(), None, "it does not say so itself");
}

#[test]
fn exchanges_are_joined_over_many_blocks_and_only_within_a_source() {
    // Each is answered when thousands of others have been asked.
    let entry = |at: usize, text: &str| {
        format!(
            "2026-03-14T06:{:02}:{:02}.{:03}Z INFO {text}\n",
            at / 60_000,
            at / 1_000 % 60,
            at % 1_000
        )
    };
    let count = 12_000;
    let asked = (0..count).map(|n| entry(n, &format!("[req-{n:08}] --> GET /berths/{n}")));
    let answered =
        (0..count).map(|n| entry(count + n, &format!("[req-{n:08}] <-- 20{} OK", n % 5)));
    let harbour: String = asked.chain(answered).collect();
    let deck: String = entry(1, "[req-zz000001] --> GET /deck");
    let gate: String = entry(2, "[req-zz000001] <-- 201 Created");
    let intake =
        Intake::new(&[("harbour.log", &harbour), ("deck.log", &deck), ("gate.log", &gate)]);
    let engine = intake.engine(false);
    let snapshot = related(&engine, 2 * count + 2);
    let joined =
        snapshot.order.iter_from(0).filter(|id| snapshot.other_half(*id).is_some()).count();
    assert_eq!(joined, 2 * count);
    assert_eq!(passing(&engine, "status = 203").len(), 2 * count / 5);
    assert_eq!(passing(&engine, "took = 12s").len(), 2 * count);
}

#[test]
fn a_client_and_a_server_tell_of_the_same_request() {
    let id = "request_id=7f3a9c21e0b4d86f";
    let client = format!(
        "2026-03-14 06:41:02.100 INFO calling POST http://payments.example.test/charges {id}\n\
        2026-03-14 06:41:02.900 INFO --> POST http://payments.example.test/charges {id}\n\
        2026-03-14 06:41:03.500 INFO --> GET http://fares.example.test/quote {id}\n"
    );
    let server = r#"{"time":"2026-03-14T06:41:02.160Z","level":"info","msg":"handled","method":"POST","path":"/charges","status":504,"duration_ms":35,"request_id":"7f3a9c21e0b4d86f"}
{"time":"2026-03-14T06:41:02.960Z","level":"info","msg":"handled","method":"POST","path":"/charges","status":201,"duration_ms":30,"request_id":"7f3a9c21e0b4d86f"}
{"time":"2026-03-14T06:41:03.960Z","level":"info","msg":"handled","method":"GET","path":"/quote","status":200,"duration_ms":30,"request_id":"0000000000000001"}
"#;
    let intake = Intake::new(&[("booking.log", &client), ("payments.log", server)]);
    let engine = intake.engine(false);
    let snapshot = related(&engine, 6);
    let side_of = |at: usize| {
        let id = snapshot.order.get(at).unwrap();
        let exchange = snapshot.inspect(id).unwrap().exchange?;
        assert_eq!(snapshot.other_side(exchange.other), Some(id), "there and back");
        let status = exchange.told.iter().find(|field| field.name.as_str() == "status").cloned();
        let status = status.map(|field| format!("{:?}", field.value)).unwrap_or_default();
        Some((exchange.side, snapshot.row_of(exchange.other), status, exchange.took))
    };
    // A call that was made twice: the first is told by the first.
    let told = [side_of(0), side_of(1), side_of(2), side_of(3)].map(Option::unwrap);
    let places = told.each_ref().map(|(side, row, ..)| (*side, *row));
    let (asks, ends) = (Side::Request, Side::Response);
    assert_eq!(places, [(asks, 1), (ends, 0), (asks, 3), (ends, 2)]);
    assert!(told[0].2.contains("504") && told[2].2.contains("201"), "{told:?}");
    assert_eq!((told[0].3, told[2].3), (Some(35_000_000), Some(30_000_000)));
    // Another request of the same kind is not it.
    assert_eq!((side_of(4), side_of(5)), (None, None));
}

#[test]
fn what_an_exchange_tells_is_veiled_like_the_entry_that_says_it() {
    let text = "2026-03-14 06:41:02.118 INFO [http-3] --> GET /reset/9f86d081884c7d659a2feaa0c55ad015\n\
        2026-03-14 06:41:02.340 INFO [http-3] <-- 200 OK\n";
    let intake = Intake::new(&[("gate.log", text)]);
    let engine = intake.engine(false);
    let snapshot = related(&engine, 2);
    let response = snapshot.order.get(1).unwrap();
    let shown = format!("{:?}", snapshot.inspect(response).unwrap());
    assert!(
        shown.contains("/reset/") && !shown.contains("9f86d081884c7d659a2feaa0c55ad015"),
        "{shown}"
    );
}
