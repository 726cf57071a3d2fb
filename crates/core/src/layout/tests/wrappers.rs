//! What is taken off, and what is learnt of a source from its first lines.

use super::*;

/// What is inside, where something is around it.
fn inside(dialect: &Dialect, line: &str) -> Option<String> {
    let peeled = wrap::peel(line.as_bytes(), dialect)?;
    let mut out = String::from_utf8_lossy(&peeled.inner).into_owned();
    if peeled.partial {
        out.push_str(" …");
    }
    if let Some(stamp) = peeled.stamp {
        let time = rfc3339(stamp.nanos(&crate::entry::Clock::default()), stamp.digits);
        out = format!("{time} | {out}");
    }
    Some(out)
}

#[test]
fn wrappers_are_taken_off() {
    for (line, want) in [
        (
            r#"{"log":"one\n","stream":"stdout","time":"2026-03-14T06:41:02.34Z"}"#,
            Some("2026-03-14T06:41:02.34Z | one"),
        ),
        (
            r#"{"log":"half","stream":"stdout","time":"2026-03-14T06:41:02Z"}"#,
            Some("2026-03-14T06:41:02Z | half …"),
        ),
        (
            r#"{"log":"a \"b\" \u00e9\r\n","stream":"stderr","attrs":{"x":"y"},"time":"2026-03-14T06:41:02Z"}"#,
            Some("2026-03-14T06:41:02Z | a \"b\" é"),
        ),
        (r#"{"log":"one\n","level":"info","time":"2026-03-14T06:41:02Z"}"#, None),
        (r#"{"log":"one\n","stream":"stdout"}"#, None),
        (r#"{"log":"one\n","stream":"stdout","time":"soon"}"#, None),
        ("2026-03-14T06:41:02Z stdout F one", Some("2026-03-14T06:41:02Z | one")),
        ("2026-03-14T06:41:02Z stderr P half ", Some("2026-03-14T06:41:02Z | half  …")),
        ("2026-03-14T06:41:02+01:00 stdout F:a=b one", Some("2026-03-14T05:41:02Z | one")),
        ("2026-03-14T06:41:02Z stdout F", Some("2026-03-14T06:41:02Z | ")),
        ("2026-03-14T06:41:02Z stdout X one", None),
        ("2026-03-14T06:41:02Z stdout says one", None),
        ("2026-03-14T06:41:02Z {\"a\":1}", Some("2026-03-14T06:41:02Z | {\"a\":1}")),
        ("2026-03-14T06:41:02Z level=info x", Some("2026-03-14T06:41:02Z | level=info x")),
        ("2026-03-14T06:41:02Z prose is no entry", None),
        (
            "<14>1 2026-03-14T06:41:02Z h a 1 - - {\"a\":1}",
            Some("2026-03-14T06:41:02Z | {\"a\":1}"),
        ),
        (
            "2026-03-14T06:41:02Z stdout F 2026-03-14T06:41:01Z {\"a\":1}",
            Some("2026-03-14T06:41:01Z | {\"a\":1}"),
        ),
        ("booking-1  | one", None),
        ("", None),
    ] {
        assert_eq!(inside(&Dialect::default(), line).as_deref(), want, "{line}");
    }
}

#[test]
fn names_before_lines_are_learnt() {
    for (name, lines, want) in [
        ("two services", "booking-1  | a\ngate-1     | b\n", true),
        ("one that is counted", "booking-1  | a\nbooking-1  | b\n", true),
        ("one that is not", "booking | a\nbooking | b\n", false),
        ("bars out of line", "booking-1 | a\ngate-1 | b\n", false),
        ("levels", "INFO  | a\nERROR | b\n", false),
        ("numbers before names", "0|gate  | a\n1|booking  | b\n", true),
        ("not every line", "booking-1  | a\nprose\n", false),
        ("nothing", "", false),
    ] {
        let dialect = Dialect::default().learn(lines.as_bytes());
        assert_eq!(dialect.prefixed, want, "{name}");
        if want {
            let first = lines.lines().next().unwrap();
            assert_eq!(inside(&dialect, first).as_deref(), Some("a"), "{name}");
        }
    }
}

#[test]
fn the_word_behind_the_level_is_learnt_to_be_a_logger() {
    let lines = "2026-03-14 06:41:02 INFO berths.free taken twice\n2026-03-14 06:41:03 WARN root left alone\n";
    let dialect = Dialect::default().learn(lines.as_bytes());
    check(
        &dialect,
        &[(
            "2026-03-14 06:41:03 WARN root left alone",
            "text | 2026-03-14T06:41:03Z | warn | root | left alone | ",
        )],
    );
    // Without a logger with a path among them, they are words.
    let dialect = Dialect::default().learn(lines.lines().nth(1).unwrap().as_bytes());
    check(
        &dialect,
        &[(
            "2026-03-14 06:41:03 WARN root left alone",
            "text | 2026-03-14T06:41:03Z | warn | - | root left alone | ",
        )],
    );
}

#[test]
fn columns_without_a_header_are_inferred() {
    let rows =
        "2026-03-14T06:41:02Z,INFO,gate,\"one, two\",3\n2026-03-14T06:41:03Z,WARN,gate,three,4\n";
    let dialect = Dialect::default().learn(rows.as_bytes());
    check(
        &dialect,
        &[
            (
                "2026-03-14T06:41:02Z,INFO,gate,\"one, two\",3",
                "csv | 2026-03-14T06:41:02Z | info | - | one, two | column3='gate' column5=3",
            ),
            ("2026-03-14T06:41:02Z,INFO,gate,too few", "plain"),
            ("soon,INFO,gate,x,3", "plain"),
        ],
    );
    for (name, rows) in [
        ("prose with commas", "one, two, three, four\nfive, six, seven, eight\n"),
        ("no level in three", "2026-03-14T06:41:02Z,a,b\n2026-03-14T06:41:03Z,a,b\n"),
        ("widths differ", "2026-03-14T06:41:02Z,INFO,a,b\n2026-03-14T06:41:03Z,INFO,a\n"),
        ("text with a comma", "2026-03-14 06:41:02,340 INFO a, b, c\n"),
    ] {
        assert_eq!(Dialect::default().learn(rows.as_bytes()).header, None, "{name}");
    }
}

#[test]
fn directives_name_the_columns() {
    let lines = "#Version: 1.0\n#Fields: date time cs-method cs-uri-stem sc-status time-taken\n";
    let dialect = Dialect::default().learn(lines.as_bytes());
    check(
        &dialect,
        &[
            (
                "2026-03-14 06:41:02 GET /a 404 12",
                "w3c | 2026-03-14T06:41:02Z | warn | - | GET /a 404 | cs-method='GET' cs-uri-stem='/a' sc-status=404 time-taken=12",
            ),
            ("2026-03-14 06:41:02 - - - -", "w3c | 2026-03-14T06:41:02Z | - | - |  | "),
        ],
    );
    assert!(dialect.is_furniture(b"#Date: 2026-03-14"), "any directive is");
    assert!(!dialect.is_furniture(b"2026-03-14 06:41:02 GET /a 404 12"));
}

#[test]
fn dumps_know_their_lines() {
    for (line, want) in [
        ("Content-Type: text/plain", true),
        ("Empty-Header:", true),
        ("> Accept: */*", true),
        ("<", true),
        ("--> END POST (12-byte body)", true),
        ("* Connected to gate", true),
        ("{\"a\":1}", true),
        ("> GET /next HTTP/1.1", false),
        ("two words: no header", false),
        ("prose", false),
        ("java.lang.X: y", true),
    ] {
        assert_eq!(belongs_to_dump(line.as_bytes()), want, "{line}");
    }
}

#[test]
fn lines_of_traces_are_known() {
    for (line, torn, next) in [
        ("\tat a.B.c(D.java:1)", true, true),
        ("Caused by: x", true, true),
        ("#12 /srv/a.php(3): b()", true, true),
        ("#hashtag", false, false),
        ("/srv/a.rb:41:in `b'", true, true),
        ("/srv/a.rb", false, false),
        ("ValueError: x", false, true),
        ("KeyError", false, true),
        ("main.hold(0x1, 0x2)", false, true),
        ("ferries/fares.Lookup", false, true),
        ("│ 4 │ free │", false, true),
        ("┌───┐", false, false),
        ("A sentence: with a colon", false, false),
        ("plain words", false, false),
        ("v1.2.3", false, true),
    ] {
        let line = line.as_bytes();
        let got = (trace::is_trace(line), trace::is_continuation(line));
        assert_eq!(got, (torn, next), "{}", String::from_utf8_lossy(line));
    }
}

#[test]
fn a_batch_holds_several_entries() {
    let line = br#"{"resourceLogs":[{"resource":{"attributes":[{"key":"host","value":{"stringValue":"quay-1"}}]},"scopeLogs":[{"scope":{"name":"s"},"logRecords":[{"timeUnixNano":"1773470462340000000","severityText":"WARN","body":{"stringValue":"one"},"attributes":[{"key":"n","value":{"intValue":"7"}},{"key":"l","value":{"arrayValue":{"values":[{"boolValue":true},{"doubleValue":1.5}]}}}]},{"severityNumber":"SEVERITY_NUMBER_ERROR2","body":{"stringValue":"two"},"traceId":"4bf92f3577b34da6a3ce929d0e0e4736"}]}]}]}"#;
    let (layout, head) = Dialect::default().detect(line).unwrap();
    assert!(head.many && layout.name() == "otlp");
    let otlp = layout.layout().unwrap();
    let members = otlp.members(line).unwrap();
    let read = |member: &Member| {
        layout.member(&line[member.span.clone()], &member.shared(line), &Dialect::default())
    };
    let severities: Vec<_> = members
        .iter()
        .map(|member| otlp.member_head(line, member).severity.map(|s| s.level().name()))
        .collect();
    assert_eq!(severities, [Some("warn"), Some("error")]);
    let one = read(&members[0]);
    assert_eq!((one.message.as_ref(), one.logger.as_deref()), ("one", Some("s")));
    let mut leaves = Vec::new();
    one.leaves(&mut |path, field| leaves.push(format!("{path}={}", field.value.text().unwrap())));
    assert_eq!(
        leaves,
        ["attributes.n=7", "attributes.l.0=true", "attributes.l.1=1.5", "resource.host=quay-1"]
    );
    let two = read(&members[1]);
    assert_eq!(two.ids(), [("trace_id", "4bf92f3577b34da6a3ce929d0e0e4736".into())]);
    assert_eq!(
        Dialect::default().detect(br#"{"resourceLogs":[]}"#).map(|(l, _)| l.name()),
        Some("json")
    );
}

#[test]
fn a_line_is_held_against_few_layouts() {
    for (line, want) in [
        (r#"{"level":"info"}"#, "json"),
        (r#"{"half":"#, "-json"),
        ("2026-03-14 06:41:02 INFO x", "-syslog -mobile -delimited text"),
        ("10.7.0.12 - - [14/Mar/2026:06:41:02 +0000] \"GET / HTTP/1.1\" 200 1", "access"),
        ("1:M 14 Mar 2026 06:41:02.340 * x", "-access -request -balancer marked"),
        ("[    1.000000] x", "-access -letter kernel"),
        ("<34>Mar 14 06:41:02 h a: x", "syslog"),
        ("\tat A", ""),
        ("  at A", "-text -levelled"),
        ("# Time: 2026-03-14T06:41:02Z", "slow"),
        ("/srv/a.js:1", "crash"),
    ] {
        let tried = Dialect::default().tried(line.as_bytes());
        let told: Vec<String> = tried
            .iter()
            .map(|tried| format!("{}{}", if tried.fits { "" } else { "-" }, tried.layout.name()))
            .collect();
        assert_eq!(told.join(" "), want, "{line}");
    }
    let forced = Dialect::new(None, LayoutId::named("pairs"));
    assert_eq!(forced.tried(b"{}").len(), 1, "a forced layout is the only one");
}

#[test]
fn what_was_around_an_entry_stays_with_it() {
    let prefixed = Dialect::default().learn(b"booking-1  | a\ngate-1     | b\n");
    for (dialect, line, want) in [
        (
            &Dialect::default(),
            "2026-03-14T06:41:02Z stdout F x",
            "- | time=2026-03-14T06:41:02Z stream=stdout",
        ),
        (
            &Dialect::default(),
            r#"{"log":"x\n","stream":"stderr","time":"2026-03-14T06:41:02Z"}"#,
            "- | stream=stderr time=2026-03-14T06:41:02Z",
        ),
        (
            &Dialect::default(),
            "<14>1 2026-03-14T06:41:02Z quay-1 harbour 7 - - {\"a\":1}",
            "harbour | priority=14 host=quay-1 pid=7",
        ),
        (&Dialect::default(), "2026-03-14T06:41:02Z {\"a\":1}", "- | time=2026-03-14T06:41:02Z"),
        (&prefixed, "booking-1  | x", "- | container=booking-1"),
        (&Dialect::default(), "nothing around", "- | "),
    ] {
        let mut entry = Entry::empty(line.as_bytes());
        wrap::note(&mut entry, line.as_bytes(), dialect);
        let fields: Vec<String> = entry
            .fields
            .iter()
            .map(|field| format!("{}={}", field.name, field.value.text().unwrap()))
            .collect();
        let logger = entry.logger.as_deref().unwrap_or("-");
        assert_eq!(format!("{logger} | {}", fields.join(" ")), want, "{line}");
    }
}
