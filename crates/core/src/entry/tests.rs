//! Entries as layouts fill them.

use std::borrow::Cow;

use super::*;

#[test]
fn the_first_value_that_fits_a_role_gets_it() {
    let raw = b"raw";
    let mut entry = Entry::empty(raw);
    let mut take =
        |name: &'static str, value: Value<'static>| entry.take(Cow::Borrowed(name), value, 0..0);
    take("time", Value::Text("soon".into()));
    take("ts", Value::Number("1773470462".into()));
    take("timestamp", Value::Text("2026-01-01T00:00:00Z".into()));
    take("level", Value::Map(Vec::new()));
    take("severity", Value::Text("warn".into()));
    take("msg", Value::Number("7".into()));
    take("message", Value::Text("hello".into()));
    take("logger", Value::Null);
    take("component", Value::Text("net".into()));
    take("request_id", Value::Text("-".into()));
    take("rid", Value::Text("d86f".into()));
    take("session", Value::Text(String::new().into()));
    let roles: Vec<String> =
        entry.fields.iter().map(|field| format!("{} {:?}", field.name, field.role)).collect();
    assert_eq!(
        roles,
        [
            "time Plain",
            "ts Time",
            "timestamp Plain",
            "level Plain",
            "severity Level",
            "msg Plain",
            "message Message",
            "logger Plain",
            "component Logger",
            "request_id Plain",
            "rid Id(\"request_id\")",
            "session Plain",
        ]
    );
    assert_eq!(entry.severity.map(Severity::level), Some(Level::Warn));
    assert_eq!((entry.message.as_ref(), entry.logger.as_deref()), ("hello", Some("net")));
    assert_eq!(entry.ids(), [("request_id", Cow::Borrowed("d86f"))]);
}

#[test]
fn ids_are_found_once_each() {
    let text = "for 6a2f41a3-c54c-fce8-32d2-0324e1c32e22 and (7f3a9c21e0b4d86f), 7f3a9c21e0b4d86f";
    let mut entry = Entry::empty(text.as_bytes());
    entry.message = text.into();
    entry.take("trace_id".into(), Value::Text("7f3a9c21e0b4d86f".into()), 0..0);
    let ids = entry.ids();
    assert_eq!(
        ids,
        [
            ("trace_id", Cow::Borrowed("7f3a9c21e0b4d86f")),
            ("id", Cow::Borrowed("6a2f41a3-c54c-fce8-32d2-0324e1c32e22")),
        ]
    );
}

#[test]
fn leaves_have_dotted_paths() {
    let field = |name: &'static str, value| Field::new(name, value, 0..0);
    let mut entry = Entry::empty(b"");
    entry.fields = vec![
        field(
            "a",
            Value::Map(vec![
                field("b", Value::List(vec![field("", Value::Bool(true)), field("", Value::Null)])),
                field("c.d", Value::Number("1".into())),
            ]),
        ),
        field("e", Value::Map(Vec::new())),
    ];
    let mut paths = Vec::new();
    entry.leaves(&mut |path, _| paths.push(path.to_owned()));
    assert_eq!(paths, ["a.b.0", "a.b.1", "a.c.d", "e"]);
}

#[test]
fn lines_are_split_where_they_end() {
    for (raw, first, rest) in
        [("one", "one", ""), ("one\r\ntwo\n", "one", "two\n"), ("\n", "", ""), ("", "", "")]
    {
        assert_eq!(first_line(raw.as_bytes()), (first.as_bytes(), rest.as_bytes()), "{raw:?}");
    }
    let plain = Entry::plain(b"first\nsecond");
    assert_eq!((plain.message.as_ref(), plain.body.as_deref()), ("first", Some("second")));
}

#[test]
fn times_are_written_as_precisely_as_asked() {
    for (digits, want) in [
        (0, "2026-03-14T06:41:02Z"),
        (3, "2026-03-14T06:41:02.345Z"),
        (12, "2026-03-14T06:41:02.345678901Z"),
    ] {
        assert_eq!(rfc3339(1_773_470_462_345_678_901, digits), want);
    }
    let zone = jiff::tz::TimeZone::get("Europe/Rome").unwrap();
    assert_eq!(civil(1_773_470_462_000_000_000, &zone).to_string(), "2026-03-14T07:41:02");
    assert_eq!(civil(i64::MAX, &zone).year(), 2262);
}

#[test]
fn levels_as_libraries_spell_them() {
    for (level, written) in [
        (Level::Trace, "TRACE trc finest verbose silly V T"),
        (Level::Debug, "DEBUG dbug dbg fine config D debug2"),
        (Level::Info, "INFO inf Information informational I notice NOTE success log"),
        (Level::Warn, "WARN Warning wrn W deprecated"),
        (Level::Error, "ERROR err eror fail failed SEVERE E fault"),
        (Level::Fatal, "FATAL ftl critical CRIT alert emerg emergency panic F"),
    ] {
        for word in written.split(' ') {
            let read = Severity::from_word(word.as_bytes()).map(Severity::level);
            assert_eq!(read, Some(level), "{word}");
        }
    }
    for word in ["", "x", "warned", "information desk", "0", "level"] {
        assert_eq!(Severity::from_word(word.as_bytes()), None, "{word}");
    }
}

#[test]
fn a_number_means_what_its_name_says() {
    for (name, written, want) in [
        ("level", "30", Some(Level::Info)),
        ("level", "50", Some(Level::Error)),
        ("level", "60", Some(Level::Fatal)),
        ("level", "3", Some(Level::Error)),
        ("level", "7", Some(Level::Debug)),
        ("level", "8", None),
        ("level", "400", None),
        ("levelno", "10", Some(Level::Debug)),
        ("levelno", "30", Some(Level::Warn)),
        ("levelno", "50", Some(Level::Fatal)),
        ("severityNumber", "1", Some(Level::Trace)),
        ("severity_number", "9", Some(Level::Info)),
        ("severity_number", "24", Some(Level::Fatal)),
        ("severity_number", "25", None),
        ("PRIORITY", "0", Some(Level::Fatal)),
        ("priority", "6", Some(Level::Info)),
    ] {
        let read = Severity::named(name.as_bytes(), written.as_bytes()).map(Severity::level);
        assert_eq!(read, want, "{name}={written}");
    }
}

#[test]
fn weaker_claims_are_heard_where_nobody_has_a_better() {
    for (fields, message, logger) in [
        (&[("event", "opened"), ("name", "gate")][..], "opened", Some("gate")),
        (&[("event", "opened"), ("msg", "better")], "better", None),
        (&[("body", "b"), ("event", "e"), ("text", "t")], "e", None),
        (&[("name", "gate"), ("logger", "gate.proxy")], "", Some("gate.proxy")),
        (&[("target", "t"), ("category", "c")], "", Some("t")),
        (&[("Name", "Avocet")], "", None),
        (&[("error", "lost")], "lost", None),
    ] {
        let mut entry = Entry::empty(b"");
        for (name, value) in fields {
            entry.take((*name).into(), Value::Text((*value).into()), 0..0);
        }
        entry.settle();
        assert_eq!(
            (entry.message.as_ref(), entry.logger.as_deref()),
            (message, logger),
            "{fields:?}"
        );
    }
}
