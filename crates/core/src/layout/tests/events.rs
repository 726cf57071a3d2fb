//! Objects whose level, message and fields stand in places of their own, and what wraps lines.

use super::*;

const OBJECTS: &[(&str, &str)] = &[
    (
        r#"{"@t":"2026-03-14T06:41:02Z","@m":"berth free"}"#,
        "json | 2026-03-14T06:41:02Z | info | - | berth free | ",
    ),
    (
        r#"{"@t":"2026-03-14T06:41:02Z","@m":"berth late","@l":"Warning"}"#,
        "json | 2026-03-14T06:41:02Z | warn | - | berth late | ",
    ),
    (
        r#"{"time":"2026-03-14T06:41:02Z","msg":"no level"}"#,
        "json | 2026-03-14T06:41:02Z | - | - | no level | ",
    ),
    (
        r#"{"@t":"2026-03-14T06:41:02Z","@mt":"Berth {Berth,5} of {Pier:000} is {{free}} {@Hold}","Berth":4,"Pier":7,"Hold":{"a":1},"@r":["007"]}"#,
        "json | 2026-03-14T06:41:02Z | info | - | Berth     4 of 007 is {free} {a: 1} | @mt='Berth {Berth,5} of {Pier:000} is {{free}} {@Hold}' Berth=4 Pier=7 Hold.a=1 @r.0='007'",
    ),
    (
        r#"{"@t":"2026-03-14T06:41:02Z","@mt":"Berth {Berth,-5}| of {Pier:000}","Berth":4,"Pier":7}"#,
        "json | 2026-03-14T06:41:02Z | info | - | Berth 4    | of 7 | @mt='Berth {Berth,-5}| of {Pier:000}' Berth=4 Pier=7",
    ),
    (
        r#"{"@t":"2026-03-14T06:41:02Z","@mt":"an open { and {Berth} } stay","Berth":4}"#,
        "json | 2026-03-14T06:41:02Z | info | - | an open { and {Berth} } stay | Berth=4",
    ),
];

#[test]
fn levels_and_templates_of_events() {
    check(&Dialect::default(), OBJECTS);
}

#[test]
fn a_level_in_a_bag_counts() {
    for (line, want) in [
        (r#"{"time":"2026-03-14T06:41:02Z","msg":"a","context":{"logLevel":"Warning"}}"#, "warn"),
        (r#"{"time":"2026-03-14T06:41:02Z","msg":"a","extra":{"level":"error"}}"#, "error"),
        (r#"{"time":"2026-03-14T06:41:02Z","level":"info","context":{"level":"error"}}"#, "info"),
    ] {
        let told = read(&Dialect::default(), line);
        assert_eq!(told.split(" | ").nth(2), Some(want), "{told}");
    }
}

#[test]
fn a_pod_before_a_line_is_taken_off() {
    for (line, inner, stamp) in [
        ("[pod/gate-7d9f/gate] INFO berth free", "INFO berth free", false),
        (
            "[pod/gate-7d9f/gate] 2026-03-14T06:41:03Z {\"time\":\"2026-03-14T06:41:02Z\",\"msg\":\"x\"}",
            "{\"time\":\"2026-03-14T06:41:02Z\",\"msg\":\"x\"}",
            true,
        ),
    ] {
        let peeled = wrap::peel(line.as_bytes(), &Dialect::default()).unwrap();
        assert_eq!((&*peeled.inner, peeled.stamp.is_some()), (inner.as_bytes(), stamp), "{line}");
    }
    for line in ["[pod/gate] x", "[pod/gate/a]x", "[podium/gate/a] x", "[pod/gate/a"] {
        assert!(wrap::peel(line.as_bytes(), &Dialect::default()).is_none(), "{line}");
    }
}

/// Rows whose quotes do not end where a cell does.
#[test]
fn what_stands_behind_a_quote_is_kept() {
    let header = Dialect::default().learn(b"time,level,note,pier\n2026-03-14T06:41:02Z,info,x,y\n");
    check(
        &header,
        &[
            (
                "2026-03-14T06:41:02Z,info,\"a\" b,c",
                "csv | 2026-03-14T06:41:02Z | info | - | \"a\" b | pier='c'",
            ),
            (
                "2026-03-14T06:41:02Z,info,\"a, b\" ,c",
                "csv | 2026-03-14T06:41:02Z | info | - | a, b | pier='c'",
            ),
        ],
    );
}

/// A balancer's connections that carried no request.
const CONNECTIONS: &[(&str, &str)] = &[
    (
        "10.7.2.10:51234 [14/Mar/2026:06:41:02.340] front back/gate-1 0/0/5007 212 -- 0/0/0/0/3 0/0",
        "balancer | 2026-03-14T06:41:02.340Z | info | - | front back gate-1 -- | remote='10.7.2.10' client_port=51234 frontend='front' timers='0/0/5007' bytes=212 flags='--' connections='0/0/0/0/3' queues='0/0' backend='back' server='gate-1' duration_ms=5007",
    ),
    (
        "10.7.2.10:51235 [14/Mar/2026:06:41:02.340] front back/<NOSRV> -1/-1/0 0 SC 1/1/0/0/0 0/0",
        "balancer | 2026-03-14T06:41:02.340Z | warn | - | front back <NOSRV> SC | remote='10.7.2.10' client_port=51235 frontend='front' timers='-1/-1/0' bytes=0 flags='SC' connections='1/1/0/0/0' queues='0/0' backend='back' server='<NOSRV>' duration_ms=0",
    ),
    (
        "10.7.2.10:51235 [14/Mar/2026:06:41:02.340] front back/gate-1 0/0 0 -- 1/1/0/0/0 0/0",
        "plain",
    ),
];

#[test]
fn connections_without_a_request() {
    check(&Dialect::default(), CONNECTIONS);
}
