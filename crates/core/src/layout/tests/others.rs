//! Devices, kernels, servers with one sign, slow queries.

use super::*;

const LINES: &[(&str, &str)] = &[
    (
        "2026-03-14 06:41:02.340   312   340 D TicketView: painted",
        "mobile | 2026-03-14T06:41:02.340Z | debug | TicketView | painted | pid=312 tid=340",
    ),
    (
        "2026-03-14 06:41:02.340  1000   312   340 D TicketView: with a user",
        "mobile | 2026-03-14T06:41:02.340Z | debug | TicketView | with a user | uid=1000 pid=312 tid=340",
    ),
    ("W/TicketView( 312): short", "mobile | - | warn | TicketView | short | pid=312"),
    ("I/a.b.C(12345): with: colons", "mobile | - | info | a.b.C | with: colons | pid=12345"),
    ("D/TicketView: no process", "plain"),
    ("V for a sentence: no", "plain"),
    ("[12345.678901] eth0: link up", "kernel | - | - | - | eth0: link up | uptime=12345.678901"),
    ("<4>[    0.000001] tsc: slow", "kernel | - | warn | - | tsc: slow | uptime=0.000001"),
    ("[12.5] too few digits", "plain"),
    ("[ 99.123456 not closed", "plain"),
    (
        "1:M 14 Mar 2026 06:41:02.340 # Server initialized",
        "marked | 2026-03-14T06:41:02.340Z | warn | - | Server initialized | pid=1 role='M'",
    ),
    (
        "1:S 14 Mar 2026 06:41:02.340 . detail",
        "marked | 2026-03-14T06:41:02.340Z | debug | - | detail | pid=1 role='S'",
    ),
    ("1:X 14 Mar 2026 06:41:02.340 ? no such sign", "plain"),
    ("12:30 is a clock", "plain"),
    (
        "# Time: 2026-03-14T06:41:02.340123Z\n# User@Host: clerk[clerk] @ quay-1 [10.7.0.12]\n# Query_time: 1.5  Lock_time: 0.0\nSET timestamp=1773470462;\nSELECT *\nFROM holds;",
        "slow | 2026-03-14T06:41:02.340123Z | - | - | SELECT *⏎FROM holds; | User@Host='clerk[clerk] @ quay-1 [10.7.0.12]' Query_time=1.5 Lock_time=0.0 set_timestamp=1773470462",
    ),
    ("# Time: 260314  6:41:02", "slow | 2026-03-14T06:41:02Z | - | - |  | "),
    ("# Time: soon", "plain"),
    ("# a comment", "plain"),
];

#[test]
fn devices_kernels_and_servers() {
    check(&Dialect::default(), LINES);
}

/// What balancers, schedulers, game servers and the kernel's audit write.
const MORE: &[&str] = &[
    "10.7.2.10:51234 [14/Mar/2026:06:41:02.340] front back/gate-1 0/0/1/30/31 502 1240 - - SH-- 1/1/0/0/0 0/0 \"GET /fares HTTP/1.1\"",
    "10.7.2.10:51234 [14/Mar/2026:06:41:02.340] front back 0/0/5007 212 -- 0/0/0/0/3 0/0",
    "https 2026-03-14T06:41:02.340123Z gate-lb 10.7.2.10:51234 10.0.0.5:80 0.001 0.012 0.000 200 404 34 366 \"GET https://a.example.test:443/x HTTP/2.0\" \"kiosk/1\" -",
    "https 2026-03-14T06:41:02.340123Z prose that begins like one",
    "[14/Mar/2026 06:41:02] \"GET /fares HTTP/1.1\" 404 1240",
    "type=SYSCALL msg=audit(1773470462.340:123): arch=c000003e success=yes",
    "06:41:02.340 request_id=abc1234 [info] GET /x",
    "26/03/14 06:41:02 INFO FareContext: Running",
    "2026.03.14 06:41:02.340123 [ 312 ] {0f3a1c77-7d1c-4a43-9d3c-0a4b2f9a1c77} <Error> fares: Read 12 rows",
    "2026.03.14 06:41:02.340123 [ 312 ] {} <Information> fares: ready",
    "[06:41:02] [Server thread/WARN]: strained",
    "[INFO] [1773470462.340123]: ready",
    "[2026-03-14, 06:41:02 UTC] {taskinstance.py:1103} INFO - Dependencies met",
    "2026-03-14 06:41:02,340 INFO  [a.b.Gate] (MSC service thread 1-1) starting",
    "2026-03-14 06:41:02,340 INFO  [a.b.Gate] (and a remark) starting",
];

#[test]
fn what_else_is_met() {
    let dialect = Dialect::new(None, None).dated(Some(1_773_480_000_000_000_000));
    let told: Vec<String> = MORE.iter().map(|line| read(&dialect, line)).collect();
    insta::assert_snapshot!(told.join("\n"));
}

#[test]
fn what_is_nearly_a_balancers_line_is_none() {
    let whole = "10.7.2.10:51234 [14/Mar/2026:06:41:02.340] front back/gate-1 0/0/1/30/31 502 1240 - - ---- 1/1/0/0/0 0/0 \"GET / HTTP/1.1\"";
    let timed = "https 2026-03-14T06:41:02.340123Z gate-lb 10.7.2.10:51234 10.0.0.5:80 0.001 0.012 0.000 200 404 34 366 \"GET / HTTP/2.0\"";
    let layout = |line: &str| {
        let found = Dialect::default().detect(line.as_bytes());
        found.map_or("plain", |(layout, _)| layout.name())
    };
    assert_eq!((layout(whole), layout(timed)), ("balancer", "balancer"));
    for (line, from, to) in [
        (whole, ":51234", ""),
        (whole, "06:41:02", "06:99:02"),
        (whole, "0/0/1/30/31", "0/0/1/30"),
        (whole, "0/0/1/30/31", "0/0/1/30/x"),
        (whole, " 502 ", " 999 "),
        (whole, "\"", ""),
        (timed, "https", "mail"),
        (timed, "06:41:02", "06:99:02"),
        (timed, ":51234", ""),
        (timed, " 200 ", " - "),
        (timed, "\"", "'"),
    ] {
        assert_ne!(layout(&line.replace(from, to)), "balancer", "{from} as {to}");
    }
}
