//! Each layout on lines as programs write them.

mod access;
mod brackets;
mod columns;
mod data;
mod described;
mod events;
mod exchange;
mod gist;
mod habits;
mod labelled;
mod landing;
mod letter;
mod levelled;
mod others;
mod quick;
mod records;
mod request;
mod syslog;
mod text;
mod traces;
mod values;
mod wrappers;

use proptest::prelude::*;

use super::*;
use crate::entry::{Value, rfc3339};

/// What was read, on one line: layout, time, level, logger, message, ids, other fields.
fn read(dialect: &Dialect, text: &str) -> String {
    let first = crate::entry::first_line(text.as_bytes()).0;
    let Some((layout, head)) = dialect.detect(first) else {
        return "plain".into();
    };
    let entry = layout.read(text.as_bytes(), dialect);
    assert_eq!(head.stamp, entry.stamp, "the index and the entry differ on {text}");
    assert_eq!(head.severity, entry.severity, "the index and the entry differ on {text}");
    let mut out = layout.name().to_owned();
    let time = entry
        .stamp
        .map(|stamp| rfc3339(stamp.nanos(&crate::entry::Clock::default()), stamp.digits));
    out.push_str(&format!(" | {}", time.unwrap_or_else(|| "-".into())));
    let level = entry.severity.map(|severity| severity.level().name());
    out.push_str(&format!(" | {}", level.unwrap_or("-")));
    out.push_str(&format!(" | {}", entry.logger.as_deref().unwrap_or("-")));
    out.push_str(&format!(" | {}", entry.message));
    // Fields that are ids by their names alone stand among the fields.
    let mut plain = Vec::new();
    entry.leaves(&mut |_, field| {
        if field.role == crate::entry::Role::Plain {
            plain.push(field.value.text());
        }
    });
    for (kind, id) in entry.ids().into_iter().filter(|(_, id)| !plain.contains(&Some(&**id))) {
        out.push_str(&format!(" | {kind}:{id}"));
    }
    let mut fields = Vec::new();
    entry.leaves(&mut |path, field| {
        if field.role == crate::entry::Role::Plain {
            let quote = if matches!(field.value, Value::Text(_)) { "'" } else { "" };
            fields.push(format!("{path}={quote}{}{quote}", field.value.text().unwrap_or("{}")));
        }
    });
    format!("{out} | {}", fields.join(" "))
}

fn check(dialect: &Dialect, cases: &[(&str, &str)]) {
    for (line, want) in cases {
        assert_eq!(read(dialect, line).replace('\n', "⏎"), want.replace('\n', "⏎"), "{line}");
    }
}

#[test]
fn json_lines() {
    check(
        &Dialect::default(),
        &[
            (
                r#"{"time":"2026-03-14T06:41:02.131Z","level":"info","logger":"booking.holds","msg":"seat hold requested","request_id":"7f3a9c21e0b4d86f","seats":2}"#,
                "json | 2026-03-14T06:41:02.131Z | info | booking.holds | seat hold requested | request_id:7f3a9c21e0b4d86f | seats=2",
            ),
            (
                r#"{"msg":"late keys","user":{"id":"u-1","roles":["a","b"]},"ts":1773470462.340,"severity":"WARNING"}"#,
                "json | 2026-03-14T06:41:02.340Z | warn | - | late keys | user.id='u-1' user.roles.0='a' user.roles.1='b'",
            ),
            (
                r#"{"@timestamp":"2026-03-14 06:41:02,340","log.level":"ERROR","message":"a \"quoted\" \u00e9 \ud83d\ude00 \\ text","ok":true,"none":null}"#,
                "json | 2026-03-14T06:41:02.340Z | error | - | a \"quoted\" é 😀 \\ text | ok=true none=null",
            ),
            (
                r#"{"level":40,"time":1773470462340,"msg":"by number","context":{"traceparent":"00-4bf92f3577b34da6a3ce929d0e0e4736-00f067aa0ba902b7-01"}}"#,
                "json | 2026-03-14T06:41:02.340Z | warn | - | by number | trace_id:4bf92f3577b34da6a3ce929d0e0e4736 | span_id:00f067aa0ba902b7 | ",
            ),
            (r#"{"level":"loud","msg":"x"}"#, "json | - | - | - | x | "),
            (
                r#"{"level":"info","level":"error","msg":"twice"}"#,
                "json | - | info | - | twice | level='error'",
            ),
            (
                r#"{"level":{"name":"x"},"msg":"nested level"}"#,
                "json | - | - | - | nested level | ",
            ),
            ("{}", "json | - | - | - |  | "),
            (r#"{"a":"#, "plain"),
            (r#"["a"]"#, "plain"),
        ],
    );
}

#[test]
fn access_lines() {
    check(
        &Dialect::default(),
        &[
            (
                r#"10.7.0.12 - - [14/Mar/2026:06:41:02 +0000] "GET /crossings/112 HTTP/1.1" 200 8812"#,
                "access | 2026-03-14T06:41:02Z | info | - | GET /crossings/112 200 | remote='10.7.0.12' method='GET' path='/crossings/112' protocol='HTTP/1.1' status=200 bytes=8812",
            ),
            (
                r#"2001:db8::7 - clerk one [14/Mar/2026:07:41:02.118 +0100] "POST /seats?x=\"y\" HTTP/2" 504 - "-" "app 1" request_id=7f3a9c21e0b4d86f took=8.214s "more" 17"#,
                "access | 2026-03-14T06:41:02.118Z | error | - | POST /seats?x=\\\"y\\\" 504 | request_id:7f3a9c21e0b4d86f | remote='2001:db8::7' user='clerk one' method='POST' path='/seats' query='x=\\\"y\\\"' protocol='HTTP/2' status=504 user_agent='app 1' took='8.214s' extra='more' extra=17",
            ),
            (
                r#"10.7.0.12 - - [14/Mar/2026:06:41:02 +0000] "\x16\x03\x01" 400 157 "-" "-""#,
                "access | 2026-03-14T06:41:02Z | warn | - | \\x16\\x03\\x01 400 | remote='10.7.0.12' request='\\x16\\x03\\x01' status=400 bytes=157",
            ),
            (r#"10.7.0.12 - - [14/Mar/2026:06:41:02 +0000] "GET / HTTP/1.1" ok 157"#, "plain"),
            (r#"10.7.0.12 - - [31/Feb/2026:06:41:02 +0000] "GET / HTTP/1.1" 200 1"#, "plain"),
        ],
    );
}

#[test]
fn delimited_lines() {
    check(
        &Dialect::default(),
        &[
            (
                "2026-03-14 06:41:02.340 | W | fares.lookup | FareLookup:118 | fare lookup retried | rid=7f3a9c21e0b4d86f attempt=2 took=209ms",
                "delimited | 2026-03-14T06:41:02.340Z | warn | fares.lookup | fare lookup retried | request_id:7f3a9c21e0b4d86f | caller='FareLookup:118' attempt=2 took='209ms'",
            ),
            (
                "2026-03-14T06:41:02Z|INFO|7f3a9c21e0b4d86f|ready",
                "delimited | 2026-03-14T06:41:02Z | info | - | ready | id:7f3a9c21e0b4d86f | ",
            ),
            (
                "app-1 | 2026-03-14 06:41:02 | error | two words | and more words",
                "delimited | 2026-03-14T06:41:02Z | error | app-1 | two words | column5='and more words'",
            ),
            ("2026-03-14 06:41:02 | only two", "text | 2026-03-14T06:41:02Z | - | - | only two | "),
            ("a | b | c", "plain"),
        ],
    );
}

#[test]
fn csv_rows() {
    let header = "time,level,request_id,crossing,passenger,message";
    let dialect = Dialect::default().learn(format!("{header}\r\n").as_bytes());
    assert!(dialect.is_furniture(header.as_bytes()));
    check(
        &dialect,
        &[
            (
                "2026-03-14T06:41:02.340Z,info,7f3a9c21e0b4d86f,112,\"A. Fennimore\",seat assigned",
                "csv | 2026-03-14T06:41:02.340Z | info | - | seat assigned | request_id:7f3a9c21e0b4d86f | crossing=112 passenger='A. Fennimore'",
            ),
            (
                "2026-03-14T06:41:02Z,warn,,007,\"says \"\"no\"\"\",\"one\ntwo\"",
                "csv | 2026-03-14T06:41:02Z | warn | - | one\ntwo | crossing='007' passenger='says \"no\"'",
            ),
            ("2026-03-14T06:41:02Z,info,too few", "plain"),
            ("2026-03-14T06:41:02Z,a,b,c,d,e,too many", "plain"),
            ("yesterday,info,,112,x,y", "plain"),
        ],
    );
    for line in ["a,b,c", "time,level", "time,b=c,d", "2026,level,time"] {
        assert_eq!(csv::Header::read(line.as_bytes()), None, "{line} is no header");
    }
}

#[test]
fn pairs() {
    check(
        &Dialect::default(),
        &[
            (
                "time=2026-03-14T06:41:02.340123Z level=warn logger=harbour.berths msg=\"mooring \\\"strained\\\"\" berth=4 load=0.94",
                "pairs | 2026-03-14T06:41:02.340123Z | warn | harbour.berths | mooring \"strained\" | berth=4 load=0.94",
            ),
            ("level=info user=a loose words", "pairs | - | info | - | loose words | user='a'"),
            ("a=1 b=2", "pairs | - | - | - |  | a=1 b=2"),
            ("a=1 and nothing else", "plain"),
            (
                "level=info ts=1773470462 url=\"never closed",
                "pairs | 2026-03-14T06:41:02Z | info | - | closed | url='\"never'",
            ),
        ],
    );
}

#[test]
fn text_lines() {
    let cases = [
        (
            "2026-03-14 06:41:06,889 ERROR [worker-4] payments.acquirer - AcquirerTimeout: no answer attempt=3 request_id=7f3a9c21e0b4d86f",
            "text | 2026-03-14T06:41:06.889Z | error | payments.acquirer | AcquirerTimeout: no answer attempt=3 request_id=7f3a9c21e0b4d86f | request_id:7f3a9c21e0b4d86f | thread='worker-4' attempt=3",
        ),
        (
            "2026-03-14T06:41:06Z INFO: started",
            "text | 2026-03-14T06:41:06Z | info | - | started | ",
        ),
        (
            "[2026-03-14 06:41:06] [main] WARN store: slow (took=2s)",
            "text | 2026-03-14T06:41:06Z | warn | store | slow (took=2s) | thread='main' took='2s'",
        ),
        (
            "2026/03/14 06:41:06 no level here",
            "text | 2026-03-14T06:41:06Z | - | - | no level here | ",
        ),
        (
            "2026-03-14 06:41:06 DEBUG [req=7f3a9c21e0b4d86f] net::wire: sent",
            "text | 2026-03-14T06:41:06Z | debug | net::wire | sent | id:7f3a9c21e0b4d86f | req='7f3a9c21e0b4d86f'",
        ),
        (
            "2026-03-14 06:41:06 A sentence: with a colon",
            "text | 2026-03-14T06:41:06Z | - | - | A sentence: with a colon | ",
        ),
        ("2026-03-14 06:41:06x", "plain"),
        ("06:41:06 started", "text | 1969-12-31T06:41:06Z | - | - | started | "),
        ("06:41 started", "plain"),
    ];
    for (line, want) in cases {
        // An id without a name of its own is found by its form, in the message only.
        let want = want.replace(" | id:7f3a9c21e0b4d86f | req=", " | req=");
        assert_eq!(read(&Dialect::default(), line), want, "{line}");
    }
}

#[test]
fn a_stack_trace_is_the_body() {
    let text = "2026-03-14 06:41:06 ERROR a: failed\n\tat B.c (d:1)\nCaused by: X\n";
    let (layout, _) = Dialect::default().detect(text.lines().next().unwrap().as_bytes()).unwrap();
    let entry = layout.read(text.as_bytes(), &Dialect::default());
    assert_eq!(entry.body.as_deref(), Some("\tat B.c (d:1)\nCaused by: X\n"));
    assert_eq!(entry.message, "failed");
}

#[test]
fn a_forced_layout_is_the_only_one() {
    let dialect = Dialect::new(None, LayoutId::named("text"));
    assert_eq!(dialect.detect(br#"{"level":"info"}"#), None);
    assert!(dialect.detect(b"2026-03-14 06:41:06 x").is_some());
    assert_eq!(LayoutId::named("scroll"), None);
}

#[test]
fn names_lead_back_to_layouts() {
    for id in LayoutId::all() {
        assert_eq!(LayoutId::named(id.name()), Some(id));
        assert_eq!(LayoutId::from_bits(id.bits()), id);
    }
    assert!(!LayoutId::PLAIN.understood());
}

#[test]
fn invalid_utf8_stays_readable() {
    let line = b"2026-03-14 06:41:06 ERROR x: caf\xe9 key=\xff\xfe";
    let (layout, _) = Dialect::default().detect(line).unwrap();
    let entry = layout.read(line, &Dialect::default());
    assert_eq!(entry.message, "caf\u{fffd} key=\u{fffd}\u{fffd}");
}

#[test]
fn a_pair_ends_where_its_value_does() {
    for (line, want) in [
        ("a=1 b", Some(("a", "1", 3))),
        ("a=\"x y\" b", Some(("a", "x y", 7))),
        ("a=\"x \\\" y\"", Some(("a", "x \\\" y", 10))),
        ("a=\"open", Some(("a", "\"open", 7))),
        ("a.b-c/d@e=", Some(("a.b-c/d@e", "", 10))),
        ("=1", None),
        ("1=a", None),
        ("a = 1", None),
        ("a", None),
        ("", None),
    ] {
        let pair = pairs::pair(line.as_bytes(), 0);
        let got = pair.map(|p| (line.get(p.name).unwrap(), line.get(p.value).unwrap(), p.end));
        assert_eq!(got, want, "{line}");
    }
    let long = format!("{}=1", "n".repeat(65));
    assert!(pairs::pair(long.as_bytes(), 0).is_none(), "a name that long is none");
}

#[test]
fn several_programs_are_noticed() {
    let json = r#"{"level":"info","msg":"x"}"#;
    let text = "2026-03-14 06:41:06 ERROR x: y";
    for (lines, want) in [
        (vec![json, json], false),
        (vec![text, "  at A", "prose"], false),
        (vec![json, "prose", text], true),
        (vec![], false),
    ] {
        let dialect = Dialect::default().learn(lines.join("\n").as_bytes());
        assert_eq!(dialect.mixed(), want, "{lines:?}");
    }
}

/// Beginnings of lines as programs write them.
const FRONTS: &[&str] = &[
    "2026-03-14 06:41:06 ",
    "2026-03-14T06:41:06Z stdout F ",
    "2026-03-14T06:41:06Z {\"",
    "[2026-03-14 06:41:06,340] [",
    "{\"time\":",
    "{\"log\":\"",
    "{\"log\":\"x\\n\",\"stream\":\"",
    "{\"resourceLogs\":[",
    "{\"level\":\"info\",\"msg\":\"{A} %s\",\"args\":[",
    "[{\"a\":",
    "a=1 b=",
    "INFO:",
    "INFO[",
    "info: a.b[1]\n",
    "WARN 2026-03-14 06:41:06 [",
    "1.1.1.1 - - [14/Mar/2026:06:41:02 +0000] \"",
    "[2026-03-14T06:41:02Z] \"GET / HTTP/1.1\" 200 ",
    "<34>1 2026-03-14T06:41:02Z a b c d [",
    "<34>Mar 14 06:41:02 quay app[",
    "Mar 14, 2026 6:41:02 AM a.B c\nINFO: ",
    "I0314 06:41:02.340123 1 a.go:1] ",
    "I, [2026-03-14T06:41:02.340123 #1]  INFO -- ",
    "03-14 06:41:02.340  312  340 W ",
    "W/a( 1",
    "[   12.345678] ",
    "312:M 14 Mar 2026 06:41:02.340 ",
    "# Time: ",
    "# User@Host: a\n# b: ",
    "# Time: 260314 ",
    "> GET / HTTP/1.1\n",
    "--> POST http://a\nA: b\n\n",
    "thread 'a' panicked at ",
    "/a.js:1\n",
    "Traceback (most recent call last)\n File \"a\", line 1\n",
    "2026-03-14 06:41:06 ERROR a: x\njava.lang.E: y\n\tat a.b(c:1)\n",
    "2026-03-14 06:41:06 ERROR x\n2026-03-14 06:41:06 DETAIL:  ",
    "2026-03-14 06:41:06 [error] 1#1: *5 x, client: ",
    "2026-03-14 06:41:06 | INFO | a:b:1 - ",
    "2026-03-14T06:41:02Z\tINFO\ta\tb.go:1\t",
    "0|app  | ",
    "a-1  | ",
];

proptest! {
    #[test]
    fn any_line_is_survived_by_every_layout(
        bytes in proptest::collection::vec(prop_oneof![
            any::<u8>(), Just(b'"'), Just(b'|'), Just(b'='), Just(b','), Just(b'['), Just(b'\\'), Just(b' ')
        ], 0..120),
        front in prop_oneof![Just(""), prop::sample::select(FRONTS)],
        header in prop_oneof![Just("time,level,a,b\n"), Just("#Fields: date time a\n"), Just("a-1 | b\n"), Just("[\n {\n")],
    ) {
        let dialect = Dialect::default().learn(header.as_bytes());
        let mut line = front.as_bytes().to_vec();
        line.extend(&bytes);
        if let Some(peeled) = wrap::peel(&line, &dialect) {
            let _ = dialect.detect(&peeled.inner);
        }
        let mut around = Entry::empty(&line);
        wrap::note(&mut around, &line, &dialect);
        let _ = (wrap::unwrap(&line, &dialect), belongs_to_dump(&line), level_of_second(&line));
        let _ = (trace::is_continuation(&line), json::brackets(&line));
        for id in LayoutId::all() {
            let entry = id.read(&line, &dialect);
            let _ = entry.ids();
            if let Some(layout) = id.layout() {
                let _ = layout.head(&line, &dialect);
            }
            for field in &entry.fields {
                prop_assert!(field.span.end <= line.len(), "{} of {}", field.name, id.name());
            }
            let owned = entry.rebased(&line);
            let _ = owned.ids();
            if let Some(layout) = id.layout() {
                for member in layout.members(&line).unwrap_or_default().iter().take(4) {
                    prop_assert!(member.span.end <= line.len());
                    let _ = layout.member_head(&line, member);
                    let own = &line[member.span.clone()];
                    let entry = id.member(own, &member.shared(&line), &dialect);
                    prop_assert!(entry.fields.iter().all(|field| field.span.end <= entry.raw.len()));
                }
            }
        }
        let _ = dialect.detect(&line);
    }
}
