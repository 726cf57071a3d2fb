//! Syslog of either RFC, and what only looks like it.

use super::*;

const LINES: &[(&str, &str)] = &[
    (
        "<165>1 2026-03-14T06:41:02.003Z quay-1 harbour 312 ID47 - mooring strained",
        "syslog | 2026-03-14T06:41:02.003Z | info | harbour | mooring strained | priority=165 host='quay-1' pid=312 msgid='ID47'",
    ),
    ("<165>1 - - - - - - nothing known", "syslog | - | info | - | nothing known | priority=165"),
    (
        "<0>1 2026-03-14T06:41:02Z quay-1 kernel - - - panic",
        "syslog | 2026-03-14T06:41:02Z | fatal | kernel | panic | priority=0 host='quay-1'",
    ),
    (
        "<191>1 2026-03-14T06:41:02Z h a p m [x@1 k=\"v \\] w\"] msg",
        "syslog | 2026-03-14T06:41:02Z | debug | a | msg | priority=191 host='h' pid='p' msgid='m' x@1.k='v ] w'",
    ),
    ("<192>1 2026-03-14T06:41:02Z h a p m - no such priority", "plain"),
    ("<13>1 2026-02-31T06:41:02Z h a p m - no such day", "plain"),
    ("<13>1 2026-03-14T06:41:02Z h a p m [never closed msg", "plain"),
    (
        "<34>Mar 14 06:41:02 quay-1 su: failed",
        "syslog | 1969-03-14T06:41:02Z | fatal | su | failed | priority=34 host='quay-1'",
    ),
    (
        "<34>Mar 14 06:41:02 quay-1 no tag at all",
        "syslog | 1969-03-14T06:41:02Z | fatal | - | no tag at all | priority=34 host='quay-1'",
    ),
    (
        "Mar 14 06:41:02 quay-1 sshd[7]: Accepted publickey for clerk",
        "syslog | 1969-03-14T06:41:02Z | - | sshd | Accepted publickey for clerk | host='quay-1' pid=7",
    ),
    (
        "Mar 14 06:41:02 quay-1 postfix/smtpd[7]: connect",
        "syslog | 1969-03-14T06:41:02Z | - | postfix/smtpd | connect | host='quay-1' pid=7",
    ),
    ("Mar 14 06:41:02 su[7]: no host", "syslog | 1969-03-14T06:41:02Z | - | su | no host | pid=7"),
    (
        "Mar 14 06:41:02 quay-1 last message repeated 2 times",
        "syslog | 1969-03-14T06:41:02Z | - | - | last message repeated 2 times | host='quay-1'",
    ),
    (
        "Mar 14 06:41:02 quay-1 -- MARK --",
        "syslog | 1969-03-14T06:41:02Z | - | - | -- MARK -- | host='quay-1'",
    ),
    ("March comes in like a lion", "plain"),
    (
        "Mar 14 06:41:02 quay-1 app: ERROR hold lost",
        "syslog | 1969-03-14T06:41:02Z | error | app | ERROR hold lost | host='quay-1'",
    ),
    (
        "2026-03-14T06:41:02+01:00 quay-1 app[7]: hold lost session=s-17",
        "syslog | 2026-03-14T05:41:02Z | - | app | hold lost session=s-17 | session:s-17 | host='quay-1' pid=7",
    ),
    ("2026-03-14T06:41:02Z WARN gate: slow", "text | 2026-03-14T06:41:02Z | warn | gate | slow | "),
    ("<x>1 a", "plain"),
];

#[test]
fn syslog_lines() {
    check(&Dialect::default(), LINES);
}
