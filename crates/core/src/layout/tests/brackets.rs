//! Items before the message, in the orders and marks that programs use.

use super::*;

const LINES: &[(&str, &str)] = &[
    (
        "2026-03-14 06:41:02.340 INFO [nio-8080-exec-1] [4bf92f3577b34da6a3ce929d0e0e4736-00f067aa0ba902b7] f.b.Holds : made",
        "text | 2026-03-14T06:41:02.340Z | info | f.b.Holds | made | trace_id:4bf92f3577b34da6a3ce929d0e0e4736 | span_id:00f067aa0ba902b7 | thread='nio-8080-exec-1'",
    ),
    (
        "2026-03-14 06:41:02.340 INFO [main] [req-5d1a] f.b.Holds : made",
        "text | 2026-03-14T06:41:02.340Z | info | f.b.Holds | made | request_id:req-5d1a | thread='main'",
    ),
    (
        "INFO [Thread:0] 2026-03-14 06:41:02,340 Berths.java:9 - berth free",
        "text | 2026-03-14T06:41:02.340Z | info | - | berth free | thread='Thread:0' caller='Berths.java:9'",
    ),
    (
        "2026-03-14 06:41:02,340 - gate[312] - MainThread - harbour.berths - INFO - berths.free:12 - berth free",
        "text | 2026-03-14T06:41:02.340Z | info | harbour.berths | berth free | thread='MainThread' pid=312 caller='berths.free:12' process='gate'",
    ),
    (
        "2026-03-14 06:41:02 INFO :: tides :: read",
        "text | 2026-03-14T06:41:02Z | info | tides | read | ",
    ),
    (
        "2026-03-14 06:41:02 INFO tides main.py:12 - read",
        "text | 2026-03-14T06:41:02Z | info | tides | read | caller='main.py:12'",
    ),
    (
        "2026-03-14 06:41:02 INFO harbour: >> sent",
        "text | 2026-03-14T06:41:02Z | info | harbour | >> sent | ",
    ),
    (
        "2026-03-14 06:41:02 INFO harbour: [] empty",
        "text | 2026-03-14T06:41:02Z | info | harbour | [] empty | ",
    ),
    (
        "2026-03-14 06:41:02 INFO gate[6a2f41a3-c54c-fce8-32d2-0324e1c32e22]: made",
        "text | 2026-03-14T06:41:02Z | info | gate | made | id:6a2f41a3-c54c-fce8-32d2-0324e1c32e22 | ",
    ),
    (
        "2026-03-14 06:41:02 ✖ ERROR berth lost",
        "text | 2026-03-14T06:41:02Z | error | - | berth lost | icon='✖'",
    ),
    (
        "gate> 2026-03-14 06:41:02,340 WARN berth taken",
        "text | 2026-03-14T06:41:02.340Z | warn | gate | berth taken | ",
    ),
    ("1773470462: ferry left: late", "text | 2026-03-14T06:41:02Z | - | - | ferry left: late | "),
    (
        "[2026-03-14T06:41:02.340+00:00] mail-out.WARNING: not sent {\"to\":\"clerk\"} []",
        "text | 2026-03-14T06:41:02.340Z | warn | mail-out | not sent {\"to\":\"clerk\"} [] | to='clerk'",
    ),
    (
        "[WARN harbour::berths] mooring strained",
        "levelled | - | warn | harbour::berths | mooring strained | ",
    ),
    (
        "DEBU[0001] gate opened berth=4",
        "levelled | - | debug | - | gate opened berth=4 | uptime='0001' berth=4",
    ),
    (
        "2026-03-14 03:41:02.340 -03 [4417] LOG:  checkpoint starting: time",
        "text | 2026-03-14T06:41:02.340Z | info | - | checkpoint starting: time | pid=4417",
    ),
    // Words of a sentence are no levels, and no names.
    (
        "2026-03-14 06:41:02 harbour.survey no FATAL here",
        "text | 2026-03-14T06:41:02Z | - | - | harbour.survey no FATAL here | ",
    ),
    (
        "2026-03-14 06:41:02 INFO Listening on: 8080",
        "text | 2026-03-14T06:41:02Z | info | - | Listening on: 8080 | ",
    ),
    (
        "2026-03-14 06:41:02 INFO the -12 [x] is no zone",
        "text | 2026-03-14T06:41:02Z | info | - | the -12 [x] is no zone | ",
    ),
];

#[test]
fn items_before_the_message() {
    check(&Dialect::default(), LINES);
}

/// What stands behind a message, and in it.
const BEHIND: &[(&str, &str)] = &[
    (
        "2026-03-14 06:41:02 INFO a.b - hold made, berth: 4, vessel: Avocet",
        "text | 2026-03-14T06:41:02Z | info | a.b | hold made, berth: 4, vessel: Avocet | berth=4 vessel='Avocet'",
    ),
    (
        "2026-03-14 06:41:02 INFO a.b - url: https://ferries.example.test/a |action: open |user: clerk",
        "text | 2026-03-14T06:41:02Z | info | a.b | url: https://ferries.example.test/a |action: open |user: clerk | url='https://ferries.example.test/a' action='open' user='clerk'",
    ),
    (
        "2026-03-14 06:41:02 INFO a.b - only one, berth: 4",
        "text | 2026-03-14T06:41:02Z | info | a.b | only one, berth: 4 | ",
    ),
    (
        "[2026-03-14T06:41:02.340+00:00] app.INFO: sent {\"n\":2} {\"uid\":\"ab12\"}",
        "text | 2026-03-14T06:41:02.340Z | info | app | sent {\"n\":2} {\"uid\":\"ab12\"} | n=2 uid='ab12'",
    ),
    (
        "2026-03-14 06:41:02 INFO a.b - settings\n    berth: 4\n    vessel: Avocet",
        "text | 2026-03-14T06:41:02Z | info | a.b | settings | berth=4 vessel='Avocet'",
    ),
    (
        "2026-03-14 06:41:02 INFO a.b - first\nsecond\nthird berth=4 {\"n\":2}",
        "text | 2026-03-14T06:41:02Z | info | a.b | first | berth=4 n=2",
    ),
];

#[test]
fn what_stands_behind_a_message() {
    check(&Dialect::default(), BEHIND);
}

/// Databases' lists of what they were asked, and what a row says that only looks like one of pairs.
const ASKED: &[(&str, &str)] = &[
    (
        "2026-03-14T06:41:02.340Z\t    7 Query\tselect * from holds",
        "delimited | 2026-03-14T06:41:02.340Z | - | - | select * from holds | tid=7 command='Query'",
    ),
    (
        "2026-03-14T06:41:02.340Z\t    7 Quit\t",
        "delimited | 2026-03-14T06:41:02.340Z | - | - | Quit | tid=7 command='Quit'",
    ),
    (
        "2026-03-14T06:41:02.340Z\t    7 berths\tfree",
        "delimited | 2026-03-14T06:41:02.340Z | - | - | 7 berths | column3='free'",
    ),
    (
        "2026-03-14 06:41:02 | INFO | gate | hold=4 is late | seats=2",
        "delimited | 2026-03-14T06:41:02Z | info | gate | hold=4 is late | seats=2 hold=4",
    ),
    (
        "time=2026-03-14T06:41:02Z level=info event=\"hold made\" berth=4",
        "pairs | 2026-03-14T06:41:02Z | info | - | hold made | berth=4",
    ),
    (
        "time=2026-03-14T06:41:02Z level=info msg=made and more berth=4",
        "pairs | 2026-03-14T06:41:02Z | info | - | made | berth=4 text='and more'",
    ),
];

#[test]
fn words_beside_what_is_known_are_kept() {
    check(&Dialect::default(), ASKED);
}

#[test]
fn what_stands_behind_the_mark_is_the_message() {
    check(
        &Dialect::default(),
        &[
            (
                "06:41:02.340 [main] DEBUG harbour.Fares - [bow] told",
                "text | 1969-12-31T06:41:02.340Z | debug | harbour.Fares | [bow] told | thread='main'",
            ),
            (
                "2026-03-14 06:41:02,340 [main] WARN f.Fares.run:6 - slow: took=3ms",
                "text | 2026-03-14T06:41:02.340Z | warn | - | slow: took=3ms | thread='main' caller='f.Fares.run:6' took='3ms'",
            ),
            (
                "2026-03-14 06:41:02,340 [main] INFO h.Fares {id=9f3a2b1c} [] run(Fares.java:21) - told",
                "text | 2026-03-14T06:41:02.340Z | info | h.Fares | told | thread='main' function='run' caller='Fares.java:21' id='9f3a2b1c'",
            ),
            (
                "2026-03-14T06:41:02,340 [myid:x1] - INFO  [main:Quorum@21] - told",
                "text | 2026-03-14T06:41:02.340Z | info | Quorum | told | thread='main' caller='Quorum@21' app='myid:x1'",
            ),
            (
                "[INFO|fares|L28] 2026-03-14 06:41:02,340: told",
                "text | 2026-03-14T06:41:02.340Z | info | fares | told | app='L28'",
            ),
            (
                "(2026-03-14 06:41:02,340) harbour.fares/INFO > told",
                "text | 2026-03-14T06:41:02.340Z | info | harbour.fares | told | ",
            ),
            (
                "INFO 2026-03-14 06:41:02,340 fares 4411 140124403493760 told",
                "text | 2026-03-14T06:41:02.340Z | info | fares | told | pid=4411 tid=140124403493760",
            ),
            (
                "229  [main] INFO  harbour.Fares - told",
                "levelled | - | info | harbour.Fares | told | thread='main' uptime=229",
            ),
            (
                "2026-03-14T06:41:02+0000 [harbour.Fares#warn] late",
                "text | 2026-03-14T06:41:02Z | warn | harbour.Fares | late | ",
            ),
            (
                "[3/14/2026] [6:41:02 AM] [fares] \u{203a} \u{2714}  success   told",
                "text | 2026-03-14T06:41:02Z | info | fares | told | icon='\u{2714}'",
            ),
            ("\u{2139} berth free", "levelled | - | info | - | berth free | "),
            (
                "[I 260314 06:41:02 web:12] 200 GET /fares?n=2 (10.7.0.12) 1.03ms",
                "letter | 2026-03-14T06:41:02Z | info | - | 200 GET /fares?n=2 (10.7.0.12) 1.03ms | caller='web:12' status=200 method='GET' path='/fares' query='n=2' remote='10.7.0.12' took='1.03ms'",
            ),
            (
                "2026-03-14 06:41:02 Accepting HTTP connections",
                "text | 2026-03-14T06:41:02Z | - | - | Accepting HTTP connections | ",
            ),
            (
                "2026-03-14 06:41.02 [info] told items=[1, 2] at={'a': 1}",
                "text | 2026-03-14T06:41:02Z | info | - | told items=[1, 2] at={'a': 1} | items='[1, 2]' at='{'a': 1}'",
            ),
            (
                "Main  2026-03-14 06:41:02 +0000 INFO: told",
                "text | 2026-03-14T06:41:02Z | info | Main | told | ",
            ),
            (
                "Mar 14 06:41:02 resolver[28234:0] notice: told",
                "syslog | 1969-03-14T06:41:02Z | info | resolver | told | pid=28234 tid=0",
            ),
            (
                "2026-03-14T06:41:02Z error: gate: bow",
                "text | 2026-03-14T06:41:02Z | error | - | gate: bow | ",
            ),
        ],
    );
}
