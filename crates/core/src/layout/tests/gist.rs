//! Who speaks in an entry and what is said, told without reading it in full, is what reading in full tells.

use proptest::prelude::*;

use super::*;

/// The layout of a line, who speaks in it, what is said and its kind, as the gist tells it.
fn gist(text: &str, dialect: &Dialect) -> Option<String> {
    let (id, head) = dialect.detect(text.lines().next()?.as_bytes())?;
    if head.many {
        return None;
    }
    let entry = id.read(text.as_bytes(), dialect);
    let gist = id.gist(text.as_bytes(), dialect)?;
    let mut kind = String::new();
    gist.says.push_kind(&mut kind);
    let told = (gist.logger.as_deref(), &*gist.says.message());
    assert_eq!(told, (entry.logger.as_deref(), &*entry.message), "{text}");
    if !kind.is_empty() {
        assert_eq!(kind, crate::entry::kind::of(&entry), "{text}");
    }
    let logger = gist.logger.as_deref().unwrap_or("-");
    Some(format!("{} | {logger} | {} | {kind}", id.name(), gist.says.message()))
}

#[test]
fn usual_lines_tell_it_at_a_look() {
    let rows = Dialect::default().learn(b"time,level,event,note,name\n");
    let piped: String = (1..9)
        .map(|n| {
            format!(
                "2026-03-14 06:41:0{n}.187 | I | fares.lookup | fare {n} told | rid=c3ddec56{n}\n"
            )
        })
        .collect();
    let columns = Dialect::default().learn(piped.as_bytes());
    let plain = Dialect::default();
    for (text, dialect, want) in [
        (
            "{\"time\":\"2026-03-14T06:41:02Z\",\"msg\":\"hold h-5512 \\\"placed\\\"\",\"logger\":\"booking\",\"msg\":\"b\"}",
            &plain,
            "json | booking | hold h-5512 \"placed\" | hold h-{number} {text}",
        ),
        (
            "{\"time\":\"2026-03-14T06:41:02Z\",\"error\":\"lost\",\"event\":\"seat 5\",\"category\":\"b\",\"name\":\"a\"}",
            &plain,
            "json | a | seat 5 | seat {number}",
        ),
        (
            "time=2026-03-14T06:41:02Z level=info logger=deck msg=\"seat 5\"",
            &plain,
            "pairs | deck | seat 5 | seat {number}",
        ),
        (
            "2026-03-14 06:41:02,340 INFO [worker-5] harbour.berths - berth 4 free\n  at a.b(C.java:3)",
            &plain,
            "text | harbour.berths | berth 4 free | berth {number} free",
        ),
        (
            "2026-03-14 06:41:02 INFO berth free (harbour.server.Berths)",
            &plain,
            "text | harbour.server.Berths | berth free | berth free",
        ),
        (
            "10.7.0.1 - - [14/Mar/2026:06:41:06 +0000] \"GET /b/7?x=1 HTTP/1.1\" 200 9 \"-\" \"a\" took=1s",
            &plain,
            "access | - | GET /b/7?x=1 200 | GET /b/{n}",
        ),
        (
            "2026-03-14T06:41:02Z,info,\"seat 5, taken\",x,gate",
            &rows,
            "csv | gate | seat 5, taken | seat {number}, taken",
        ),
        (
            "2026-03-14 06:41:02.187 | I | fares.lookup | fare 9 told | rid=c3ddec569",
            &columns,
            "delimited | fares.lookup | fare 9 told | fare {number} told",
        ),
    ] {
        assert_eq!(gist(text, dialect).as_deref(), Some(want), "{text}");
    }
}

#[test]
fn what_only_the_whole_entry_tells_is_left_to_it() {
    for text in [
        "{\"time\":\"2026-03-14T06:41:02Z\",\"msg\":\"seat {Seat} held\",\"Seat\":4}",
        "{\"time\":\"2026-03-14T06:41:02Z\",\"msg\":\"a\",\"fields\":{\"MessageTemplate\":\"a {b}\"}}",
        "{\"time\":\"2026-03-14T06:41:02Z\",\"msg\":\"\"}",
        "time=2026-03-14T06:41:02Z level=info msg=\"a\" message_template=\"{a}\"",
        "time=2026-03-14T06:41:02Z level=info berth=3",
        "2026-03-14 06:41:02 INFO\n  berth free",
        "10.7.0.1 - - [14/Mar/2026:06:41:06 +0000] \"GET /b HTTP/1.1\" 200 9 \"-\" \"a\" logger=gate",
    ] {
        assert_eq!(gist(text, &Dialect::default()), None, "{text}");
    }
}

#[test]
fn records_of_one_request_tell_it_one_by_one() {
    let spans = LayoutId::SPANS.sample().unwrap().replace(
        "\"spans\":[",
        "\"scope\":{\"name\":\"booking.http\"},\"spans\":[{\"name\":\"seat 5\",\"attributes\":[]},",
    );
    let layout = LayoutId::SPANS.layout().unwrap();
    let told: Vec<Option<(Option<String>, String)>> = layout
        .members(spans.as_bytes())
        .unwrap()
        .iter()
        .map(|member| {
            let own = &spans.as_bytes()[member.span.clone()];
            let shared = member.shared(spans.as_bytes());
            LayoutId::SPANS.member(own, &shared, &Dialect::default());
            let gist = LayoutId::SPANS.member_gist(own, &shared, &Dialect::default())?;
            Some((gist.logger.as_deref().map(str::to_owned), gist.says.message().into_owned()))
        })
        .collect();
    let scope = Some("booking.http".to_owned());
    assert_eq!(told, [Some((scope.clone(), "seat 5".into())), Some((scope, "berth".into()))]);
}

/// A value with what layouts look at.
fn value() -> impl Strategy<Value = &'static str> {
    proptest::sample::select(
        &[
            "a berth is free",
            "x",
            "",
            "-",
            "42",
            "error",
            "a {Name} b",
            "100%",
            "say \\\"hi\\\"",
            "id=5 name=z",
            "berth (harbour.server.Berths)",
            "2026-03-14T06:41:02Z",
            "[tag] word",
            "é ü",
            "a, berth: 4, seat: 7, rid: 9",
            "url: x |action: open|id: 5",
        ][..],
    )
}

fn name() -> impl Strategy<Value = &'static str> {
    proptest::sample::select(
        &[
            "msg",
            "message",
            "m",
            "event",
            "text",
            "name",
            "logger",
            "module",
            "target",
            "level",
            "l",
            "time",
            "id",
            "request_id",
            "status",
            "path",
            "method",
            "tags",
            "error",
            "body",
            "@mt",
            "message_template",
            "context",
        ][..],
    )
}

/// Members of an object, some of them in objects and lists within.
fn members() -> impl Strategy<Value = String> {
    let member = (name(), value(), 0..6u8).prop_map(|(name, value, form)| match form {
        0 => format!("\"{name}\":7"),
        1 => format!("\"{name}\":[\"{value}\"]"),
        2 => format!("\"{name}\":{{\"msg\":\"{value}\"}}"),
        _ => format!("\"{name}\":\"{value}\""),
    });
    proptest::collection::vec(member, 0..7).prop_map(|members| members.join(","))
}

proptest! {
    #[test]
    fn objects_tell_what_reading_tells(first in members(), then in members()) {
        for members in [first, then] {
            gist(&format!("{{\"time\":\"2026-03-14T06:41:02Z\",{members}}}").replace(",}", "}"), &Dialect::default());
        }
    }

    #[test]
    fn lines_tell_what_reading_tells(
        front in proptest::sample::select(&[
            "2026-03-14 06:41:02,340 INFO [worker-3] harbour.berths - ", "2026-03-14 06:41:02 WARN ",
            "2026-03-14 06:41:02 user@db LOG:  ", "time=2026-03-14T06:41:02Z level=info ", "INFO: ",
            "10.7.0.1 - - [14/Mar/2026:06:41:06 +0000] \"GET /a%20b?x={y} HTTP/1.1\" 200 9 \"-\" \"a\" ",
        ][..]),
        pairs in proptest::collection::vec((name(), value(), any::<bool>()), 0..5),
        below in proptest::option::of(value()),
    ) {
        let mut line = front.to_owned();
        for (name, value, named) in pairs {
            line += &if named { format!("{name}=\"{value}\" ") } else { format!("{value} ") };
        }
        // Access lines are entries of one line.
        if let Some(below) = below.filter(|_| !front.starts_with("10.")) {
            line += &format!("\n  {below}");
        }
        gist(&line, &Dialect::default());
    }

    #[test]
    fn rows_tell_what_reading_tells(names in proptest::collection::vec(name(), 3..7), cells in proptest::collection::vec((value(), any::<bool>()), 7)) {
        let header = format!("at_time,{}", names.join(",")).replace("at_time", "timestamp");
        let dialect = Dialect::default().learn(format!("{header}\n").as_bytes());
        let cells = cells.iter().take(names.len()).map(|(cell, quoted)| {
            if *quoted { format!("\"{}\"", cell.replace("\\\"", "\"\"")) } else { cell.replace(',', ";") }
        });
        let row = format!("2026-03-14T06:41:02Z,{}", cells.collect::<Vec<_>>().join(","));
        gist(&row, &dialect);
    }
}
