//! JSON as libraries write it, and what is none.

use proptest::prelude::*;

use super::{cursor::decode, *};
use crate::{entry::Severity, limits};

#[test]
fn half_an_object_is_refused() {
    for line in [
        "{}}",
        r#"{"time":"2026-03-14T06:41:02Z""#,
        r#"{"a":1,}"#,
        r#"{"a" 1}"#,
        r#"{"a":"}"#,
        "{a: 1}",
    ] {
        assert_eq!(Json.head(line.as_bytes(), &Dialect::default()), None, "{line}");
    }
}

#[test]
fn escapes_are_resolved() {
    for (inside, want) in [
        (r"plain", "plain"),
        (r#"a \"b\" \\ \/ c"#, r#"a "b" \ / c"#),
        (r"\n\t\r\b\f", "\n\t\r\u{8}\u{c}"),
        (r"\u00e9\u5ea7", "é座"),
        (r"\ud83d\ude00", "😀"),
        (r"\ud83d alone", "\u{fffd} alone"),
        (r"\ud83d\u0041", "\u{fffd}A"),
        (r"\uZZZZ", "\u{fffd}ZZZZ"),
        (r"\u12", "\u{fffd}12"),
        (r"\x41 \q", r"\x41 \q"),
        ("ends with \\", "ends with \\"),
    ] {
        assert_eq!(decode(inside.as_bytes()), want, "{inside}");
    }
    assert_eq!(decode(b"caf\xe9"), "caf\u{fffd}");
}

#[test]
fn values_keep_their_type_and_place() {
    let line = r#"{"a": 1.50, "b":"x", "c":[true,null,{"d":-2e3}], "a":2}"#;
    let entry = Json.read(line.as_bytes(), &Dialect::default()).unwrap();
    let mut seen = Vec::new();
    entry.leaves(&mut |path, field| {
        let written = line.get(field.span.clone()).unwrap();
        assert_eq!(field.value.text(), Some(written), "{path}");
        seen.push(format!("{path}={written}"));
    });
    assert_eq!(seen, ["a=1.50", "b=x", "c.0=true", "c.1=null", "c.2.d=-2e3", "a=2"]);
    for line in [r#"{"a":01}"#, r#"{"a":nope}"#, r#"{"a":+1}"#, r#"{"a":"b" "c":1}"#] {
        assert!(Json.read(line.as_bytes(), &Dialect::default()).is_none(), "{line}");
    }
}

#[test]
fn deep_nesting_is_survived() {
    let line = format!("{{\"a\":{}1{}}}", "[".repeat(100_000), "]".repeat(100_000));
    assert!(Json.head(line.as_bytes(), &Dialect::default()).is_some());
    let entry = Json.read(line.as_bytes(), &Dialect::default()).unwrap();
    let mut deepest = 0;
    entry.leaves(&mut |path, _| deepest = path.split('.').count());
    assert_eq!(deepest, limits::NESTING);
}

#[test]
fn a_light_walk_leaves_what_is_doubtful() {
    let time = r#""time":"2026-03-14T06:41:02Z""#;
    for (line, told) in [
        (format!(r#"{{{time},"level":"warn"}}"#), true),
        (format!(r#"{{"level":"warn",{time}}}"#), true),
        (
            format!(r#"{{"msg":"a \" b","n":-1.5e3,"ok":true,"o":{{"x":[1]}},{time},"level":40}}"#),
            true,
        ),
        (format!(r#"{{{time},"level":"loud"}}"#), false),
        (format!(r#"{{{time},"l":"warn"}}"#), false),
        (format!(r#"{{{time},"level":{{"name":"warn"}}}}"#), false),
        (format!(r#"{{{time}, "level":"warn"}}"#), false),
        (format!(r#"{{{time},"le\u0076el":"warn"}}"#), false),
        (format!(r#"{{"_SOURCE_REALTIME_TIMESTAMP":"1",{time},"level":"warn"}}"#), false),
        (r#"{"time":"06:41:02","level":"warn"}"#.to_owned(), false),
        (format!(r#"{{{time},"n":1x?2,"level":"warn"}}"#), false),
        (format!(r#"{{{time},"level":"#), false),
    ] {
        let head = walk::head(line.as_bytes());
        assert_eq!(
            head.is_some_and(|head| head.severity == Severity::read(b"warn")),
            told,
            "{line}"
        );
    }
}

/// An object as programs write them, with the keys in any order.
fn object() -> impl Strategy<Value = String> {
    let member = prop::sample::select(vec![
        "\"time\":\"2026-03-14T06:41:02.340Z\"",
        "\"time\":\"2026-03-14T07:41:02.34+01:00\"",
        "\"time\":\"soon\"",
        "\"ts\":1773470462",
        "\"level\":\"info\"",
        "\"level\":\"warn\"",
        "\"level\":\"loud\"",
        "\"level\":30",
        "\"msg\":\"x\"",
        "\"msg\":\"a \\\"quoted\\\" word\"",
        "\"msg\":\"{\\\"level\\\":\\\"error\\\"}\"",
        "\"n\":12",
        "\"n\":null",
        "\"o\":{\"level\":\"error\"}",
        "\"log\":{\"level\":\"error\"}",
        "\"t\":{\"time\":\"2026-03-14T06:41:02Z\"}",
        "\"l\":\"a\"",
        "\"severity\":\"\"",
        "\"levelno\":20",
        "\"tags\":[1,{\"level\":\"warn\"}]",
        "\"__REALTIME_TIMESTAMP\":\"1773470462340000\"",
        "\"http\":{\"path\":\"/a\",\"level\":\"warn\",\"n\":{\"time\":1,\"of\":[{}]}}",
        "\"http\":{}",
        "\"tags\":[\"a\",\"]\",{\"b\":1}]",
        "\"tags\":[]",
        "\"date\":null",
        "\"date\":\"2026-03-14\"",
        "\"time\":\"06:41:02.340\"",
        "\"time\": \"2026-03-14T06:41:02.340Z\"",
    ]);
    proptest::collection::vec(member, 0..6).prop_map(|members| format!("{{{}}}", members.join(",")))
}

proptest! {
    #[test]
    fn a_learnt_shape_gives_what_the_walk_gives(lines in proptest::collection::vec(object(), 1..24)) {
        for line in &lines {
            let line = line.as_bytes();
            let walked = scan::object(&mut Cursor { bytes: line, at: 0 }, true).map(|f| head_of(&f));
            prop_assert_eq!(Json.head(line, &Dialect::default()), walked);
            if let Some(told) = usual(line) {
                prop_assert_eq!(Some(told), walked);
            }
        }
    }

    #[test]
    fn an_entry_by_plan_is_the_entry_in_full(
        lines in proptest::collection::vec(prop_oneof![object(), asked_object()], 1..24)
    ) {
        // The second time all that can be learnt is known.
        for line in lines.iter().chain(&lines) {
            if let Some(by_plan) = planned::read(line.as_bytes()) {
                let full = whole(line.as_bytes());
                prop_assert_eq!(format!("{:?}", Some(by_plan)), format!("{full:?}"), "{}", line);
            }
        }
        let usual = br#"{"time":"2026-03-14T06:41:02Z","level":"info","msg":"x","n":{"of":2}}"#;
        prop_assert!(planned::read(usual).is_some());
    }

    #[test]
    fn strings_decode_as_a_json_library_decodes_them(text in "\\PC*") {
        let written = serde_json::to_string(&text).unwrap();
        prop_assert_eq!(decode(&written.as_bytes()[1..written.len() - 1]), text);
    }

    #[test]
    fn any_bytes_are_survived(bytes in proptest::collection::vec(any::<u8>(), 0..80)) {
        let mut line = b"{".to_vec();
        line.extend(&bytes);
        line.push(b'}');
        let _ = Json.head(&line, &Dialect::default());
        let _ = Json.read(&line, &Dialect::default());
    }
}

/// Objects with the names that tests ask for, whole and broken.
fn asked_object() -> impl Strategy<Value = String> {
    let name = prop_oneof![
        Just("status"),
        Just("user"),
        Just("id"),
        Just("took_ms"),
        Just("a.b"),
        Just("message"),
        Just("error"),
        Just("text"),
        Just("n\\u0061me"),
        Just(""),
    ];
    let scalar = prop_oneof![
        Just("503".to_owned()),
        Just("-1.5e3".to_owned()),
        Just("null".to_owned()),
        Just("true".to_owned()),
        Just("01".to_owned()),
        Just("\"ready\"".to_owned()),
        Just("\"a \\\"b\\\" \\n c\"".to_owned()),
        Just("\"{\\\"status\\\":7,\\\"msg\\\":\\\"x\\\"}\"".to_owned()),
        Just("\"status\"".to_owned()),
        Just("x".to_owned()),
    ];
    let value = scalar.prop_recursive(3, 16, 3, move |inner| {
        let name = prop_oneof![Just("status"), Just("id"), Just("took"), Just("b")];
        prop_oneof![
            proptest::collection::vec(inner.clone(), 0..3)
                .prop_map(|items| format!("[{}]", items.join(","))),
            proptest::collection::vec((name, inner), 0..3).prop_map(|members| {
                let members: Vec<String> =
                    members.iter().map(|(name, value)| format!("\"{name}\": {value}")).collect();
                format!("{{{}}}", members.join(", "))
            }),
        ]
    });
    let whole = proptest::collection::vec((name, value), 0..5).prop_map(|members| {
        let members: Vec<String> =
            members.iter().map(|(name, value)| format!("\"{name}\":{value}")).collect();
        format!("{{{}}}", members.join(","))
    });
    (
        whole,
        any::<proptest::sample::Index>(),
        0..8u8,
        prop_oneof![Just(""), Just(","), Just(" more")],
    )
        .prop_map(|(mut text, at, broken, tail)| {
            let at = at.index(text.len());
            if broken == 0 && text.is_char_boundary(at) {
                text.truncate(at);
            }
            text + tail
        })
}

proptest! {
    #[test]
    fn values_one_by_one_are_those_of_a_whole_reading(text in asked_object()) {
        let raw = text.as_bytes();
        let entry = Json.read(raw, &Dialect::default());
        for path in ["status", "user.id", "user.status", "a.b", "user.b.status", "id", "name"] {
            let (mut seen, mut seen_there) = (Vec::new(), false);
            let found = Json.values(raw, &Dialect::default(), &mut |name, spot| {
                if name.path == path {
                    seen_there = true;
                    seen.extend(spot.map(|spot| spot.text().into_owned()));
                }
            });
            let finder = memchr::memmem::Finder::new(path);
            let refused = values::refuses(raw, path, &finder, &mut |_, text| text == "503");
            let mut want = Vec::new();
            let mut there = false;
            if let Some(entry) = &entry {
                values_at(&entry.fields, path, &mut there, &mut want);
            }
            if found.is_some() {
                prop_assert_eq!((seen_there, &seen), (there, &want), "{} in {}", path, text);
            }
            // A name with escaped letters is not looked for.
            if refused && !path.contains('.') && !text.contains("\\u00") {
                prop_assert!(!want.contains(&"503".to_owned()), "{} in {}", path, text);
            }
        }
    }
}

/// The texts that a path leads to in a tree.
fn values_at(fields: &[Field<'_>], path: &str, there: &mut bool, found: &mut Vec<String>) {
    for field in fields {
        if field.name == path {
            *there = true;
            let items = match &field.value {
                Value::List(items) => items.as_slice(),
                _ => std::slice::from_ref(field),
            };
            found.extend(items.iter().filter_map(|item| item.value.text().map(str::to_owned)));
        } else if let Some(rest) =
            path.strip_prefix(field.name.as_ref()).and_then(|rest| rest.strip_prefix('.'))
        {
            match &field.value {
                Value::Map(inner) => values_at(inner, rest, there, found),
                Value::List(items) => {
                    items
                        .iter()
                        .for_each(|item| values_at(item.value.children(), rest, there, found));
                }
                _ => {}
            }
        }
    }
}

/// The entry that a plan gives is the one in full; `None` where there is no plan.
fn planned_as_in_full(line: &str) -> Option<()> {
    let planned = planned::read(line.as_bytes())?;
    let full = whole(line.as_bytes()).unwrap();
    assert_eq!(format!("{planned:?}"), format!("{full:?}"), "{line}");
    Some(())
}

#[test]
fn plans_know_objects_as_programs_write_them() {
    for line in [
        r#"{"time":"2026-03-14T06:41:02Z","level":"info","msg":"x"}"#,
        r#"{"level":"warn","msg":"x","time":"2026-03-14T06:41:02Z"}"#,
        r#"{"log":{"level":"error","logger":"a.b"},"fields":{"message":"nested"},"ts":1773470462}"#,
        r#"{"a":{"x":1},"a":{"y":2},"a":3}"#,
        r#"{"a":{"b":{"c":[1,{"d":2},[3]]}},"e":{},"f":[],"g":null,"h":true,"i":-1.5e3}"#,
        r#"{ "msg" : "blanks" , "n" : 1 , "o" : { "p" : "q" } }"#,
        r#"  {"msg":"in a list"},"#,
        r#"{"msg":"escapes \" \\ \u00e9 \n","user":{"id":"7f3a9c21e0b4d86f"}}"#,
        r#"{"a.b":1,"a":{"b":2}}"#,
        r#"{"@timestamp":"2026-03-14T06:41:02Z","request_method":"GET","uri":"/x","status":500}"#,
        r#"{"msg":"{Seat} held","Seat":12}"#,
        r#"{"message":"{\"level\":\"warn\",\"msg\":\"inner\"}","n":1}"#,
    ] {
        // Whether a plan is at hand must not matter.
        for _ in 0..3 {
            assert!(planned_as_in_full(line).is_some(), "{line}");
        }
    }
}

#[test]
fn what_is_doubtful_has_no_plan() {
    for line in [
        "{}",
        r#"{"a":1"#,
        r#"{"a":1}}"#,
        r#"{"a":1} and text"#,
        r#"{"a":01}"#,
        r#"{"a":yes}"#,
        r#"{"a":[1,]}"#,
        r#"{"a":1,}"#,
        r#"{"na\u006de":1}"#,
        r#"[{"a":1}]"#,
        r#"{"a":1}{"a":2}"#,
        "",
    ] {
        for _ in 0..2 {
            assert!(planned::read(line.as_bytes()).is_none(), "{line}");
        }
    }
}

#[test]
fn ever_new_names_are_read_and_not_kept() {
    for at in 0..6_000 {
        planned_as_in_full(&format!(r#"{{"msg":"x","k{at}":{{"z{at}":{at}}}}}"#));
    }
    // Those that come again are learnt again, once there is patience for it.
    let line = r#"{"msg":"x","berth":3}"#;
    let tries = (0..2_000).position(|_| planned_as_in_full(line).is_some());
    assert!(tries.is_some(), "a plan in the end");
}

#[test]
fn a_message_of_very_many_members_is_read() {
    let members: Vec<String> = (0..5_000).map(|at| format!(r#""k{at}":{at}"#)).collect();
    let line = format!(r#"{{"msg":"wide",{}}}"#, members.join(","));
    for _ in 0..3 {
        let entry = Json.read(line.as_bytes(), &Dialect::default()).unwrap();
        assert_eq!((entry.message.as_ref(), entry.fields.len()), ("wide", 5_001));
    }
}

#[test]
fn a_plan_survives_whoever_fails_at_it() {
    let line = r#"{"time":"2026-03-14T06:41:02Z","level":"info","msg":"x","berth":3}"#;
    assert!(planned_as_in_full(line).is_some());
    let failed = crate::guard::catch(|| {
        plan::with(line.as_bytes(), |plan| -> Option<()> {
            assert!(plan.places.is_empty(), "on purpose");
            None
        })
    });
    assert!(failed.is_none());
    assert!(planned_as_in_full(line).is_some(), "the plan is as good as before");
    // Who asks for a plan within a plan reads in full.
    let within = plan::with(line.as_bytes(), |_| Some(planned::read(line.as_bytes()).is_none()));
    assert_eq!(within, Some(true));
    let entry = Json.read(line.as_bytes(), &Dialect::default()).unwrap();
    assert_eq!(entry.fields.len(), 4);
}
