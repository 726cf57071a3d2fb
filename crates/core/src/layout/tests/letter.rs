//! Lines whose first letter is their level.

use super::*;

const LINES: &[(&str, &str)] = &[
    (
        "I20260314 06:41:02.340123       1 server.go:120] ready",
        "letter | 2026-03-14T06:41:02.340123Z | info | - | ready | pid=1 caller='server.go:120'",
    ),
    (
        "F20260314 06:41:02.340123   312 berth.cc:44] Check failed: berths > 0",
        "letter | 2026-03-14T06:41:02.340123Z | fatal | - | Check failed: berths > 0 | pid=312 caller='berth.cc:44'",
    ),
    (
        "E20260314 06:41:02.340123 berth.cc:44] no thread here",
        "letter | 2026-03-14T06:41:02.340123Z | error | - | no thread here | caller='berth.cc:44'",
    ),
    (
        "I20260314 06:41:02.340123       1 controller.go:12] \"Reconciled\" berth=\"4\" took=\"3ms\"",
        "letter | 2026-03-14T06:41:02.340123Z | info | - | Reconciled | pid=1 caller='controller.go:12' berth='4' took='3ms'",
    ),
    ("X20260314 06:41:02.340123 1 a.go:1] no such letter", "plain"),
    ("I20261314 06:41:02.340123 1 a.go:1] no such month", "plain"),
    ("Island 06:41", "plain"),
    (
        "D, [2026-03-14T06:41:02.340123 #312] DEBUG -- : detail",
        "letter | 2026-03-14T06:41:02.340123Z | debug | - | detail | pid=312",
    ),
    (
        "A, [2026-03-14T06:41:02.340123 #312]   ANY -- : unknown kind",
        "letter | 2026-03-14T06:41:02.340123Z | info | - | unknown kind | pid=312",
    ),
    (
        "F, [2026-03-14T06:41:02.340123 #312] FATAL -- tickets.printer: paper: none",
        "letter | 2026-03-14T06:41:02.340123Z | fatal | tickets.printer | paper: none | pid=312",
    ),
    (
        "I, [2026-03-14T06:41:02.340123 #312]  INFO -- : [7f3a9c21-e0b4-486f-8c1d-0324e1c32e22] Started GET \"/seats\"",
        "letter | 2026-03-14T06:41:02.340123Z | info | - | [7f3a9c21-e0b4-486f-8c1d-0324e1c32e22] Started GET \"/seats\" | request_id:7f3a9c21-e0b4-486f-8c1d-0324e1c32e22 | pid=312 method='GET' path='/seats'",
    ),
    ("I, too, am a sentence", "plain"),
];

#[test]
fn letter_first_lines() {
    check(&Dialect::default(), LINES);
}
