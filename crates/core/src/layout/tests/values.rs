//! Values one by one, as layouts give them without reading, are those of an entry that was read in full.

use proptest::prelude::*;

use super::*;
use crate::entry::Field;

/// What reading in full gives: the dotted path and the text of each value, the items of a list by its own name.
fn in_full(entry: &Entry<'_>) -> Vec<(String, String)> {
    fn walk(fields: &[Field<'_>], above: &str, found: &mut Vec<(String, String)>) {
        for field in fields {
            let path = match (above, &*field.name) {
                ("", name) => name.to_owned(),
                (above, "") => above.to_owned(),
                (above, name) => format!("{above}.{name}"),
            };
            match field.value.text() {
                Some(text) => found.push((path, text.to_owned())),
                None => walk(field.value.children(), &path, found),
            }
        }
    }
    let mut found = Vec::new();
    walk(&entry.fields, "", &mut found);
    found
}

/// What a layout gives without reading, if it does.
fn one_by_one(line: &[u8], dialect: &Dialect) -> Option<(LayoutId, Vec<(String, String)>)> {
    let (id, head) = dialect.detect(line)?;
    if head.many {
        return None;
    }
    let mut found = Vec::new();
    id.layout()?.values(line, dialect, &mut |name, spot| {
        if let Some(spot) = spot {
            found.push((name.path.to_owned(), spot.text().into_owned()));
        }
    })?;
    Some((id, found))
}

fn check(line: &str, dialect: &Dialect) -> Option<LayoutId> {
    let (id, found) = one_by_one(line.as_bytes(), dialect)?;
    let entry = id.read(line.as_bytes(), dialect);
    assert_eq!(found, in_full(&entry), "{} of {line}", id.name());
    Some(id)
}

#[test]
fn samples_give_their_values_one_by_one() {
    let mut given: Vec<&str> = Vec::new();
    for id in LayoutId::all() {
        let Some(sample) = id.sample() else { continue };
        let dialect = Dialect::default().learn(format!("{sample}\n").as_bytes());
        given
            .extend(check(sample.lines().last().unwrap_or_default(), &dialect).map(LayoutId::name));
    }
    assert_eq!(given, ["csv", "w3c", "access", "labelled", "pairs", "text", "json"]);
}

#[test]
fn values_that_are_written_otherwise_than_they_read_are_left_to_reading() {
    let header = Dialect::default().learn(b"time,level,note\n");
    for (line, dialect) in [
        ("2026-03-14T06:41:02Z,info,\"a \"\"quoted\"\" word\"", &header),
        ("time=2026-03-14T06:41:02Z level=info note=\"a \\\"quoted\\\" word\"", &header),
        ("{\"time\":\"2026-03-14T06:41:02Z\",\"msg\":\"{\\\"level\\\":\\\"warn\\\"}\"}", &header),
    ] {
        assert_eq!(one_by_one(line.as_bytes(), dialect), None, "{line}");
    }
}

/// A value with what parts values in some layouts.
fn value() -> impl Strategy<Value = String> {
    prop_oneof!["[a-z]{1,6}", "[0-9]{1,4}", "[a-z0-9 ,;:|=/.-]{0,10}", Just("-".to_owned())]
}

proptest! {
    #[test]
    fn rows_give_their_cells(cells in proptest::collection::vec((value(), any::<bool>()), 0..6)) {
        let header = Dialect::default().learn(b"time,level,berth,note\n2026-03-14T06:41:02Z,info,3,x\n");
        let cells = cells.iter().map(|(value, quoted)| match quoted {
            true => format!("\"{value}\""),
            false => value.replace(',', " "),
        });
        let row: Vec<String> = ["2026-03-14T06:41:02Z".into(), "info".into()].into_iter().chain(cells).collect();
        check(&row.join(","), &header);
    }

    #[test]
    fn requests_give_their_values(path in "/[a-z0-9/?=&.-]{0,12}", status in 100u16..600, tail in proptest::collection::vec(value(), 0..4)) {
        let tail: Vec<String> = tail.iter().enumerate().map(|(at, value)| match at % 3 {
            0 => format!(" \"{value}\""),
            1 => format!(" took={}", value.replace(' ', "_")),
            _ => format!(" {}", value.replace(' ', "_")),
        }).collect();
        let line = format!("10.7.0.12 - - [14/Mar/2026:06:41:02 +0000] \"GET {path} HTTP/1.1\" {status} 5{}", tail.concat());
        check(&line, &Dialect::default());
    }

    #[test]
    fn columns_give_what_they_hold(
        cells in proptest::collection::vec((value(), value(), "([a-z=-]|, ){0,20}"), 4..12),
        mark in prop_oneof![Just("|"), Just(" | "), Just("\t")],
    ) {
        let lines: Vec<String> = cells.iter().enumerate().map(|(at, (first, second, text))| {
            let time = format!("2026-03-14 06:41:{at:02}");
            [&time, "INFO", first, "Fares:12", second, text].join(mark)
        }).collect();
        let dialect = Dialect::default().learn(lines.join("\n").as_bytes());
        let told = lines.iter().filter(|line| check(line, &dialect) == Some(LayoutId::DELIMITED));
        prop_assert!(told.count() > 0 || dialect.columns.is_none());
    }

    #[test]
    fn lines_of_text_give_their_values(
        items in proptest::collection::vec(prop_oneof![
            Just("INFO".to_owned()), Just("[worker-5]".to_owned()), Just("harbour.berths".to_owned()),
            Just("[a=1 b=2]".to_owned()), Just("(312)".to_owned()), Just("lookup.go:12:".to_owned()),
            Just("[7f3a9c21e0b4d86f]".to_owned()), Just("hold{id=7}:".to_owned()), Just("-".to_owned()),
            Just("pier@ferries".to_owned()), Just("(harbour.Berths)".to_owned()), "[a-z]{1,6}=[a-z0-9\"{},]{0,6}",
            Just(", client: 10.0.0.1, server: a".to_owned()), Just("{\"a\":1}".to_owned()), value(),
        ], 0..9),
        named in any::<bool>(),
    ) {
        let mut dialect = Dialect::default();
        dialect.habits.named = named;
        let line = format!("2026-03-14 06:41:02,340 {}", items.join(" "));
        check(&line, &dialect);
    }

    #[test]
    fn labels_and_pairs_give_their_values(values in proptest::collection::vec(("[a-z_]{1,8}", value()), 2..6)) {
        let labelled: Vec<String> = values.iter().map(|(name, value)| format!("{name}:{value}")).collect();
        check(&format!("time:2026-03-14T06:41:02Z\t{}", labelled.join("\t")), &Dialect::default());
        let pairs: Vec<String> = values.iter().map(|(name, value)| format!("{name}=\"{value}\"")).collect();
        check(&format!("time=2026-03-14T06:41:02Z {}", pairs.join(" ")), &Dialect::default());
    }
}
