//! What stack traces tell.

use super::*;

const LINES: &[(&str, &str)] = &[
    (
        "2026-03-14 06:41:02 ERROR x\njava.lang.IllegalStateException: a: b\n\tat org.springframework.X.y(X.java:1)\n\tat booking.Seats.read(Seats.java:88)\nCaused by: java.io.IOException: c\n\tat booking.Io.read(Io.java:1)",
        "text | 2026-03-14T06:41:02Z | error | - | x | error.type='java.lang.IllegalStateException' error.message='a: b' error.frame='booking.Seats.read(Seats.java:88)'",
    ),
    (
        "2026-03-14 06:41:02 ERROR x\nTraceback (most recent call last):\n  File \"/srv/a.py\", line 1, in a\n    b()\n  File \"/usr/lib/python3/site-packages/c.py\", line 2, in b\n    raise ValueError('d')\nValueError: d",
        "text | 2026-03-14T06:41:02Z | error | - | x | error.type='ValueError' error.message='d' error.frame='File \"/srv/a.py\", line 1, in a'",
    ),
    (
        "2026-03-14 06:41:02 ERROR x\nTypeError: y is undefined\n    at node:internal/a:1:2\n    at z (/srv/node_modules/q/i.js:1:1)\n    at w (/srv/w.js:3:4)",
        "text | 2026-03-14T06:41:02Z | error | - | x | error.type='TypeError' error.message='y is undefined' error.frame='w (/srv/w.js:3:4)'",
    ),
    (
        "2026-03-14 06:41:02 ERROR x\nSystem.InvalidOperationException: bad state\n   at System.Linq.First()\n   at Harbour.Berths.Take() in /srv/B.cs:line 4\n   --- End of inner exception stack trace ---",
        "text | 2026-03-14T06:41:02Z | error | - | x | error.type='System.InvalidOperationException' error.message='bad state' error.frame='Harbour.Berths.Take() in /srv/B.cs:line 4'",
    ),
    (
        "2026-03-14 06:41:02 ERROR TicketError: no paper\n    at Tickets.print (tickets.js:1:1)",
        "text | 2026-03-14T06:41:02Z | error | - | TicketError: no paper | error.type='TicketError' error.message='no paper' error.frame='Tickets.print (tickets.js:1:1)'",
    ),
    (
        "2026-03-14 06:41:02 ERROR x\n  only indented words\n  and more",
        "text | 2026-03-14T06:41:02Z | error | - | x | ",
    ),
    (
        "panic: assignment to entry in nil map\n\ngoroutine 7 [running]:\nmain.hold(...)\n\t/srv/main.go:41\nmain.main()\n\t/srv/main.go:12 +0x1d",
        "crash | - | fatal | - | panic: assignment to entry in nil map | error.type='panic' error.message='assignment to entry in nil map' error.frame='/srv/main.go:41'",
    ),
    (
        "Unhandled exception. System.Exception: gone\n   at Harbour.Program.Main(String[] args) in /srv/P.cs:line 7",
        "crash | - | fatal | - | Unhandled exception. System.Exception: gone | error.type='System.Exception' error.message='gone' error.frame='Harbour.Program.Main(String[] args) in /srv/P.cs:line 7'",
    ),
    (
        "thread 'tokio-1' panicked at src/main.rs:4:9:\ncalled `Option::unwrap()` on a `None` value\nstack backtrace:\n   0: rust_begin_unwind\n   1: core::panicking::panic\n   2: gate::seat\n             at ./src/main.rs:4:9",
        "crash | - | fatal | - | thread 'tokio-1' panicked at src/main.rs:4:9: | error.type='panicked' error.message='called `Option::unwrap()` on a `None` value' error.frame='gate::seat'",
    ),
    (
        "fatal error: all goroutines are asleep - deadlock!",
        "crash | - | fatal | - | fatal error: all goroutines are asleep - deadlock! | ",
    ),
    (
        "Exception in thread \"worker-1\" java.lang.OutOfMemoryError: Java heap space\n\tat booking.Seats.read(Seats.java:88)",
        "crash | - | fatal | - | Exception in thread \"worker-1\" java.lang.OutOfMemoryError: Java heap space | error.type='java.lang.OutOfMemoryError' error.message='Java heap space' error.frame='booking.Seats.read(Seats.java:88)'",
    ),
];

#[test]
fn errors_in_traces() {
    check(&Dialect::default(), LINES);
}
