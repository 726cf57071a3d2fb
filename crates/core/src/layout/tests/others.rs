//! Devices, kernels, servers with one sign, slow queries.

use super::*;

const LINES: &[(&str, &str)] = &[
    (
        "2026-03-14 06:41:02.340   312   340 D TicketView: painted",
        "mobile | 2026-03-14T06:41:02.340Z | debug | TicketView | painted | pid=312 tid=340",
    ),
    (
        "2026-03-14 06:41:02.340  1000   312   340 D TicketView: with a user",
        "mobile | 2026-03-14T06:41:02.340Z | debug | TicketView | with a user | pid=312 tid=340",
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
        "slow | 2026-03-14T06:41:02.340123Z | - | - | SELECT *⏎FROM holds; | User@Host='clerk[clerk] @ quay-1 [10.7.0.12]' Query_time=1.5 Lock_time=0.0",
    ),
    ("# Time: 260314  6:41:02", "slow | 2026-03-14T06:41:02Z | - | - |  | "),
    ("# Time: soon", "plain"),
    ("# a comment", "plain"),
];

#[test]
fn devices_kernels_and_servers() {
    check(&Dialect::default(), LINES);
}
