//! The language: what it refuses and how, what it means, and that a prepared predicate means the same.

use std::{io::Write as _, sync::Arc};

use proptest::prelude::*;

use super::*;
use crate::{
    entry::{Shape, shaped},
    layout::Dialect,
    lines::{Carry, Cutter},
    query::{
        eval::{Facts, Subject},
        words::Word,
    },
    source::{Origin, Segment, Source, SourceId},
    store::Block,
    veil::Veil,
};

/// 2026-03-14T06:41:02Z
const LAST: i64 = 1_773_470_462_000_000_000;

fn context() -> Context {
    let marks = vec![("second try".to_owned(), LAST - 1_000_000_000)];
    Context { last: Some(LAST), marks, ..Context::default() }
}

fn parse(text: &str) -> Expr {
    Expr::parse(text, &context()).unwrap_or_else(|error| panic!("{text}: {error}"))
}

#[test]
fn mistakes_are_shown_at_their_place() {
    for (text, at, message) in [
        ("", 0, "write a condition"),
        ("level >= ", 9, "a value was expected"),
        ("level >= loud", 9, "`loud` is no level; the levels are trace, debug"),
        ("layout = scroll", 9, "`scroll` is no layout"),
        ("\"seat hold", 0, "this quote is not closed"),
        ("path ~ \"(\"", 7, "not a regular expression"),
        ("path ~ \"(a{1000}){1000}\"", 7, "too large"),
        ("status in (502, 503", 19, "a comma or a closing parenthesis"),
        ("status in 502", 13, "write a list such as"),
        ("time > noon", 7, "`noon` is no time"),
        ("time in 25:00..26:00", 8, "`25:00` is no time"),
        ("(a or b", 7, "a closing parenthesis"),
        ("a)", 1, "no open parenthesis"),
        ("a or", 4, "a condition was expected"),
        ("and a", 0, "a condition was expected before `and`"),
        (">= 3", 0, "write the field before it"),
        ("! a", 0, "to negate, write `not`"),
        ("a, b", 1, "belongs into a list"),
        ("\"\"", 0, "an empty phrase"),
        ("level >= wran", 9, "`wran` is no level; did you mean warn?"),
        ("status == 503", 7, "`==` is not an operator here; write `=`"),
        ("a && b", 2, "write `and`"),
        ("path =~ x", 5, "write `~`"),
        ("took > 250mss", 7, "`mss` is no unit; did you mean"),
        ("size > 4parsecs", 7, "`parsecs` is no unit; durations have ns us ms"),
        ("took > long", 7, "`took` is a duration; write it as 250ms"),
        ("took > 4KiB", 7, "`took` is a duration"),
        ("line > abc", 7, "`line` is a number"),
        ("id > 7f3a", 5, "ids have no order"),
        ("time ~ 06", 7, "a time is compared with"),
        ("kind > \"seat held\"", 7, "kinds have no order"),
        ("kind in a..b", 11, "kinds have no order"),
        ("took after \"waited\" > long", 22, "a number belongs here"),
        ("time < first", 7, "no entry has a time yet, so there is no first one"),
        ("time < +5min", 7, "no beginning to count from"),
        ("status in 504..500", 15, "this range ends before it begins"),
        ("time in 23:50..00:10", 15, "over midnight, give the dates"),
        ("time > mark \"second\"", 12, "`second` is no mark; the marks are second try"),
    ] {
        let error = Expr::parse(text, &context()).expect_err(text);
        assert!(error.message.contains(message), "{text}: {error}");
        assert_eq!(error.at, at, "{text}: {error}");
    }
    let deep = format!("{}a{}", "(".repeat(5_000), ")".repeat(5_000));
    assert!(Expr::parse(&deep, &context()).is_err(), "nesting is bounded");
    let error = Expr::parse("time > 06:00", &Context::default()).unwrap_err();
    assert!(error.message.contains("no entry has a time yet"), "{error}");
}

#[test]
fn expressions_are_written_in_one_way() {
    for (text, want) in [
        ("a  AND b", "a and b"),
        ("NOT a OR \"AND\"", "not a or \"AND\""),
        ("x NOT IN (1, 2)", "not x in (1, 2)"),
        ("x > \"12abc\"", "x > \"12abc\""),
        ("time > mark \"second try\"", "time > mark \"second try\""),
        ("a b or c", "(a and b) or c"),
        ("not not a", "a"),
        ("not (a or b)", "not (a or b)"),
        ("status!=503", "status != 503"),
        ("not status = 503", "status != 503"),
        ("path !~ x", "path !~ \"x\""),
        ("x not in (1, \"two words\")", "not x in (1, \"two words\")"),
        ("size in 1KiB..4KiB", "size in 1KiB..4KiB"),
        (".level = \"W\"", ".level = W"),
        ("has user.id", "has user.id"),
        ("id = d86f", "id = d86f"),
        ("\"and\"", "\"and\""),
        ("'it is'", "\"it is\""),
    ] {
        assert_eq!(parse(text).to_string(), want, "{text}");
    }
}

#[test]
fn times_are_fixed_when_they_are_entered() {
    let minute = 60_000_000_000;
    let day = LAST - LAST.rem_euclid(1_440 * minute);
    for (text, from, to) in [
        (
            "time in 06:38..06:44:30",
            Some(day + 398 * minute),
            Some(day + 404 * minute + minute / 2),
        ),
        ("time >= -15min", Some(LAST - 15 * minute), None),
        ("time <= 2026-03-14T06:38:00Z", None, Some(day + 398 * minute)),
        ("time >= 2026-03-14", Some(day), None),
        ("time >= \"2026-03-14 06:38\"", Some(day + 398 * minute), None),
    ] {
        assert_eq!(parse(text).window(), Some((from, to)), "{text}");
    }
    let rome = Context {
        zone: jiff::tz::TimeZone::get("Europe/Rome").ok(),
        last: Some(LAST),
        ..Context::default()
    };
    let window = Expr::parse("time >= 07:38", &rome).unwrap().window();
    assert_eq!(window, Some((Some(day + 398 * minute), None)), "clock times are those of the zone");
    assert_eq!(parse("level >= warn").window(), None);
    let mark = parse("time > mark \"second try\"").window();
    assert_eq!(mark, Some((Some(LAST - 1_000_000_000), None)));
    let missing = Expr::parse("time > mark a", &Context::default()).unwrap_err();
    assert!(missing.message.contains("there is no mark yet"), "{missing}");
    // What counts back from the end moves with it, and nothing else does.
    let moved =
        parse("hold and time in -15min..-5min").slid(LAST + 7).map(|expr| format!("{expr:?}"));
    let later = Context { last: Some(LAST + 7), ..context() };
    let again =
        Expr::parse("hold and time in -15min..-5min", &later).map(|expr| format!("{expr:?}"));
    assert_eq!(moved, again.ok());
    assert_eq!(parse("time > 06:40").slid(LAST + 7), None);
}

const LINES: &str = r#"{"time":"2026-03-14T06:41:02.131Z","level":"info","logger":"booking.holds","msg":"seat hold requested","request_id":"7f3a9c21e0b4d86f","seats":2,"user":{"id":"u-1","tags":["a","b"]},"took_ms":250,"size":4096,"password":"gull-tide-1"}
2026-03-14 06:41:06,889 ERROR [worker-4] payments.acquirer - AcquirerTimeout: no answer after 3 tries attempt=3 took=1.5s
    at Acquirer.charge (acquirer:204)
10.7.0.12 - - [14/Mar/2026:06:41:07 +0000] "GET /crossings/112 HTTP/1.1" 503 8812
prose that nobody understands: Timeout
{"time":"2026-03-14T06:41:09Z","level":"warn","msg":"caf\u00e9 \u0054imeout","level_raw":"W","status":"n/a"}
"#;

/// The block of all lines, and its bytes.
fn block(text: &str) -> (Block, Vec<u8>) {
    let mut file = tempfile::tempfile().unwrap();
    file.write_all(text.as_bytes()).unwrap();
    let dialect = Dialect::default().learn(text.as_bytes());
    let mut cutter = Cutter::resume(&dialect, Carry::default(), None, 0);
    cutter.run(text.as_bytes(), 0);
    let (mut parts, ..) = cutter.finish();
    let block = Block {
        source: SourceId(0),
        segment: Arc::new(Segment::unnamed(file)),
        file: None,
        number: 0,
        dialect: Arc::new(dialect),
        offset: 0,
        len: text.len() as u64,
        first_line: 1,
        piece: 0,
        growing: false,
        place: 0,
        columns: parts.remove(0).columns,
        life: 0,
        edition: 0,
        usual: std::sync::OnceLock::new(),
        unlevelled: std::sync::OnceLock::new(),
        clear: Default::default(),
        ids: std::sync::OnceLock::new(),
        hints: std::sync::OnceLock::new(),
    };
    (block, text.as_bytes().to_vec())
}

fn source() -> Source {
    Source { name: "north/app.log".into(), label: "app".into(), origin: Origin::Stdin, day: None }
}

/// The entries for which an expression holds, looked at one by one.
fn naive(expr: &Expr, block: &Block, bytes: &[u8]) -> Vec<usize> {
    let source = source();
    let veil = Veil::new([7; 16]);
    let holds = |index: &usize| {
        let raw = block.cut(*index, bytes);
        let entry = block.entry(*index, &raw);
        let time = block.time(*index);
        let facts = Facts {
            time: (time != crate::store::NO_TIME).then_some(time),
            severity: block.severity(*index),
            layout: block.layout(*index),
            source: (&source.name, &source.label),
        };
        let line = || {
            let before = &bytes[..block.start(*index)];
            block.line_after(memchr::memchr_iter(b'\n', before).count() as u64)
        };
        let text = expr.to_string();
        let seeking = text.contains('«').then(|| veil.seeking(&text));
        let veiled = seeking.as_ref().map(|veil| veil.over(&entry, None));
        expr.holds(&Subject {
            facts: &facts,
            veiled: veiled.as_ref(),
            entry: &entry,
            alone: !block.shares_its_record(*index),
            line: &line,
        })
    };
    (0..block.len()).filter(holds).collect()
}

fn prepared(expr: &Expr, block: &Block) -> Vec<usize> {
    Predicate::new(expr.clone()).judge(block, &source(), &Veil::new([7; 16]), None).iter().collect()
}

#[test]
fn a_number_without_a_unit_is_not_judged_by_a_duration() {
    let (block, bytes) = block(concat!(
        r#"{"time":"2026-03-14T06:41:02Z","level":"info","msg":"done","duration":133}"#,
        "\n",
        r#"{"time":"2026-03-14T06:41:03Z","level":"info","msg":"done","duration":"2 s"}"#,
        "\n",
        r#"{"time":"2026-03-14T06:41:04Z","level":"info","msg":"done","elapsedMilliseconds":1500}"#,
        "\n",
        r#"{"time":"2026-03-14T06:41:05Z","level":"info","msg":"done","size":"500 kB"}"#,
        "\n",
        r#"{"time":"2026-03-14T06:41:06Z","level":"info","msg":"done in 7m54s"}"#,
        "\n",
    ));
    for (text, want, unitless) in [
        ("took > 1s", vec![1, 2], vec![0]),
        ("not took > 1s", vec![0, 3, 4], vec![0]),
        ("took < 1min", vec![1, 2], vec![0]),
        ("duration > 100", vec![0], vec![]),
        ("duration >= 1s", vec![1], vec![0]),
        ("elapsedMilliseconds > 1s", vec![2], vec![]),
        ("size >= 400kB", vec![3], vec![]),
        ("size in 400KiB..600KiB", vec![3], vec![]),
        ("took after \"in\" > 7min", vec![4], vec![]),
        ("took after \"in\" < 8min", vec![4], vec![]),
    ] {
        let expr = parse(text);
        assert_eq!(naive(&expr, &block, &bytes), want, "{text}");
        let judged = Predicate::new(expr).judge_all(&block, &source(), &Veil::new([7; 16]), None);
        assert_eq!(judged.passed.iter().collect::<Vec<_>>(), want, "{text}");
        let without: Vec<usize> =
            judged.unitless.iter().flat_map(crate::store::Bits::iter).collect();
        assert_eq!(without, unitless, "{text}");
    }
}

#[test]
fn expressions_mean_what_people_mean() {
    let (block, bytes) = block(LINES);
    assert_eq!(block.len(), 5);
    for (text, want) in [
        ("level >= warn", vec![1, 2, 4]),
        ("level = error", vec![1, 2]),
        ("not level >= info", vec![3]),
        ("level != info", vec![1, 2, 3, 4]),
        ("has level", vec![0, 1, 2, 4]),
        ("level ~ \"^err\"", vec![1, 2]),
        ("timeout", vec![1, 3, 4]),
        ("Timeout", vec![1, 3, 4]),
        ("TIMEOUT", vec![]),
        ("acquirer:204", vec![1]),
        ("\"seat hold\"", vec![0]),
        ("café", vec![4]),
        ("booking.holds", vec![0]),
        ("seats", vec![0]),
        ("\"level\\\":\\\"warn\"", vec![4]),
        ("06:41", vec![]),
        ("41", vec![]),
        ("8812", vec![2]),
        ("status >= 500", vec![2]),
        ("status != 503", vec![0, 1, 3, 4]),
        ("status in (502, 503)", vec![2]),
        ("status in 500..504", vec![2]),
        ("status:class = 5xx", vec![2]),
        ("status:class != 5xx", vec![0, 1, 3, 4]),
        ("status:class in (4xx, 5xx)", vec![2]),
        ("has status:class", vec![2, 4]),
        ("user.id:template = {id}", vec![0]),
        ("user.id:template ~ \"^.id\"", vec![0]),
        (".status:class = 5xx", vec![]),
        ("took > 1s", vec![1]),
        ("took >= 250ms", vec![0, 1]),
        ("took_ms = 250ms", vec![0]),
        ("took_ms > 0.2s", vec![0]),
        ("size >= 4KiB", vec![0]),
        ("size > 4KiB", vec![]),
        ("seats = 2.0", vec![0]),
        ("user.id = u-1", vec![0]),
        ("user.tags = b", vec![0]),
        ("has user.id", vec![0]),
        ("has user.name", vec![]),
        ("logger ~ \"^payments\\.\"", vec![1]),
        ("not logger ~ \"^payments\"", vec![0, 2, 3, 4]),
        ("request_id = 7f3a9c21e0b4d86f", vec![0]),
        ("id = 7f3a9c21e0b4d86f", vec![0]),
        ("layout = plain", vec![3]),
        ("source = app", vec![0, 1, 2, 3, 4]),
        ("source = north/app.log", vec![0, 1, 2, 3, 4]),
        ("line = 4", vec![2]),
        ("message ~ \"no answer\" attempt = 3", vec![1]),
        (".level = warn", vec![4]),
        ("time > 06:41:06", vec![1, 2, 3, 4]),
        ("time in 06:41:06..06:41:07", vec![1, 2, 3]),
        ("hold or status = 503", vec![0, 2]),
        ("level >= error and not acquirer", vec![2]),
        ("password = gull-tide-1", vec![0]),
        ("gull-tide", vec![0]),
    ] {
        let expr = parse(text);
        assert_eq!(naive(&expr, &block, &bytes), want, "{text}");
        assert_eq!(prepared(&expr, &block), want, "{text}, prepared");
    }
}

#[test]
fn a_stand_in_finds_the_secret_it_stands_for() {
    let (block, bytes) = block(LINES);
    let raw = block.cut(0, &bytes);
    let entry = block.entry(0, &raw);
    let veil = Veil::new([7; 16]);
    let veiled = veil.over::<crate::veil::Desk>(&entry, None);
    let shown = veiled.raw();
    let from = shown.as_str().find('«').unwrap();
    let to = shown.as_str().find('»').unwrap() + '»'.len_utf8();
    let stand_in = shown.as_str().get(from..to).unwrap();
    for text in [format!("password = {stand_in}"), stand_in.to_owned()] {
        let expr = parse(&text);
        assert_eq!(naive(&expr, &block, &bytes), [0], "{text}");
        assert_eq!(prepared(&expr, &block), [0], "{text}");
    }
}

/// Every field, value and word of every sample, asked for in several ways.
#[test]
fn a_prepared_predicate_means_the_same_on_every_layout() {
    let folder = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/samples");
    let (mut asked, mut different) = (0, Vec::new());
    for file in std::fs::read_dir(folder).unwrap() {
        let path = file.unwrap().path();
        let text = String::from_utf8_lossy(&std::fs::read(&path).unwrap()).into_owned();
        let (block, bytes) = block(&text);
        let mut exprs = std::collections::BTreeMap::new();
        let mut ask = |expr: Expr| exprs.insert(expr.to_string(), expr);
        for index in 0..block.len() {
            let raw = block.cut(index, &bytes);
            let entry = block.entry(index, &raw);
            entry.leaves(&mut |path, field| {
                let Some(text) = field.value.text() else { return };
                let value = || Literal::new(text);
                for path in [Path::Literal(path.to_owned()), Path::of(&field.name)] {
                    ask(Expr::Has(path.clone()));
                    ask(Expr::Compare(path.clone(), Op::AtLeast, value()));
                    ask(Expr::Compare(path.clone(), Op::Equal, value()));
                    ask(Expr::Compare(path.clone(), Op::Less, Literal::new("500")));
                    ask(Expr::Compare(path, Op::Equal, Literal::new("500")));
                }
                ask(Expr::Compare(Path::Took, Op::AtLeast, value()));
                if let Some(word) = text.split(' ').find(|word| word.len() > 2) {
                    ask(Expr::Word(word.to_owned()));
                    ask(Expr::Word(word.to_lowercase()));
                }
            });
            for word in entry.message.split(' ').filter(|word| !word.is_empty()).take(8) {
                ask(Expr::Word(word.to_owned()));
            }
            for (_, id) in entry.ids() {
                ask(Expr::Id(id.into_owned()));
            }
        }
        for (text, expr) in exprs {
            asked += 1;
            let want = naive(&expr, &block, &bytes);
            if prepared(&expr, &block) != want {
                different.push(format!("{text} in {}", path.display()));
            }
        }
    }
    assert_eq!(different, [""; 0]);
    assert!(asked > 2_000, "{asked} conditions only");
}

/// Every word of every sample, in every layout: its entries are at least those that have it in their text.
#[test]
fn what_is_in_a_bag_goes_by_its_own_name_as_well() {
    let (block, bytes) = block(concat!(
        "{\"time\":\"2026-03-14T06:41:02Z\",\"level\":\"info\",\"msg\":\"a\",\"Properties\":{\"Berth\":4,\"by\":{\"user\":\"clerk\"}}}\n",
        "{\"time\":\"2026-03-14T06:41:03Z\",\"level\":\"info\",\"msg\":\"b\",\"labels\":{\"zone\":\"north\"},\"Berth\":5}\n",
        "{\"time\":\"2026-03-14T06:41:04Z\",\"level\":\"info\",\"msg\":\"c\",\"crew\":{\"zone\":\"north\"}}\n",
    ));
    for (text, want) in [
        ("Berth = 4", vec![0]),
        ("Berth > 3", vec![0, 1]),
        ("Properties.Berth = 4", vec![0]),
        ("by.user = clerk", vec![0]),
        ("zone = north", vec![1]),
        ("has zone", vec![1]),
        ("crew.zone = north", vec![2]),
    ] {
        let expr = parse(text);
        assert_eq!(naive(&expr, &block, &bytes), want, "{text}");
        assert_eq!(prepared(&expr, &block), want, "{text}");
    }
}

#[test]
fn a_word_finds_what_a_text_search_finds() {
    let folder = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/samples");
    let (mut asked, mut missed) = (0, Vec::new());
    for file in std::fs::read_dir(folder).unwrap() {
        let path = file.unwrap().path();
        let text = String::from_utf8_lossy(&std::fs::read(&path).unwrap()).into_owned();
        let (block, bytes) = block(&text);
        let raws: Vec<String> = (0..block.len())
            .map(|index| String::from_utf8_lossy(&block.cut(index, &bytes)).into_owned())
            .collect();
        let words: std::collections::BTreeSet<&str> = raws
            .iter()
            .flat_map(|raw| raw.split(|c: char| c.is_whitespace()).take(20))
            .flat_map(|word| [word, word.trim_matches(|c: char| !c.is_alphanumeric())])
            .filter(|word| !word.is_empty() && Word::new(word).is_free() && !word.contains('«'))
            .collect();
        for word in words {
            asked += 1;
            let found = prepared(&Expr::Word(word.to_owned()), &block);
            // Of a record with several, each has its own text only.
            let holds = |index: &usize| {
                !block.shares_its_record(*index) && Word::new(word).is_in(raws[*index].as_bytes())
            };
            let lost: Vec<usize> =
                (0..block.len()).filter(holds).filter(|index| !found.contains(index)).collect();
            if !lost.is_empty() {
                missed.push(format!("{word} in {} {lost:?}", path.display()));
            }
        }
    }
    assert_eq!(missed, [""; 0]);
    assert!(asked > 2_000, "{asked} words only");
}

/// Bytes that are gone are judged by nothing but the index.
#[test]
fn a_block_that_cannot_be_read_keeps_what_the_index_says() {
    let (whole, _) = block(LINES);
    let mut file = tempfile::tempfile().unwrap();
    file.write_all(b"{\"time\"").unwrap();
    let cut = Block { segment: Arc::new(Segment::unnamed(file)), ..whole };
    for (text, want) in [
        ("level >= error", vec![1, 2]),
        ("not level >= info", vec![3]),
        ("layout = plain or level = warn", vec![3, 4]),
        ("timeout", vec![]),
        ("not timeout", vec![]),
        ("level >= error and not timeout", vec![]),
        ("level >= error or timeout", vec![1, 2]),
    ] {
        assert_eq!(prepared(&parse(text), &cut), want, "{text}");
    }
}

fn value() -> impl Strategy<Value = String> {
    prop_oneof!["[a-z]{1,6}", "[0-9]{1,3}", "[0-9]{1,2}(ms|s|KiB)", "[a-zA-Z \"\\\\.,()=]{1,8}",]
}

/// A text that can be compared with the field.
fn fitting(path: &Path, text: String, number: u16) -> String {
    match path {
        Path::Line => number.to_string(),
        Path::Took => format!("{number}ms"),
        _ => text,
    }
}

fn expr() -> impl Strategy<Value = Expr> {
    let path = || {
        prop_oneof![
            Just("status"),
            Just("user.id"),
            Just("message"),
            Just("logger"),
            Just("took"),
            Just(".level"),
            Just("line"),
            Just("seats"),
        ]
        .prop_map(Path::of)
    };
    let op = prop_oneof![
        Just(Op::Equal),
        Just(Op::Less),
        Just(Op::AtMost),
        Just(Op::Greater),
        Just(Op::AtLeast)
    ];
    let leaf = prop_oneof![
        (path(), op, value(), 0..900u16).prop_map(|(path, op, text, number)| {
            let value = Literal::new(&fitting(&path, text, number));
            Expr::Compare(path, op, value)
        }),
        (path(), value(), 0..900u16).prop_map(|(path, text, number)| {
            let values = [text, "b".to_owned()].map(|text| fitting(&path, text, number));
            Expr::OneOf(path, values.iter().map(|value| Literal::new(value)).collect())
        }),
        path().prop_map(Expr::Has),
        (
            prop_oneof![Just("status:class"), Just("user.id:template"), Just("seats:family")],
            prop_oneof![Just("5xx"), Just("{id}"), Just("2")],
        )
            .prop_map(|(path, text)| Expr::equals(Path::of(path), text)),
        value().prop_map(Expr::Word),
        prop_oneof![
            Just("timeout"),
            Just("Timeout"),
            Just("hold"),
            Just("112 503"),
            Just("after 3")
        ]
        .prop_map(|word| Expr::Word(word.into())),
        prop_oneof![Just("info"), Just("error")].prop_map(|level| Expr::Compare(
            Path::Level,
            Op::AtLeast,
            Literal::new(level)
        )),
    ];
    leaf.prop_recursive(3, 12, 3, |inner| {
        prop_oneof![
            proptest::collection::vec(inner.clone(), 2..4).prop_map(Expr::And),
            proptest::collection::vec(inner.clone(), 2..4).prop_map(Expr::Or),
            inner.prop_map(Expr::negated),
        ]
    })
}

proptest! {
    #[test]
    fn what_is_printed_reads_back(expr in expr()) {
        let text = expr.to_string();
        let again = Expr::parse(&text, &context());
        prop_assert_eq!(again.map(|again| again.to_string()), Ok(text));
    }

    #[test]
    fn a_prepared_predicate_means_the_same(expr in expr()) {
        let (block, bytes) = block(LINES);
        prop_assert_eq!(prepared(&expr, &block), naive(&expr, &block, &bytes));
    }

    #[test]
    fn pairs_in_texts_are_judged_as_they_are_read(
        front in prop::sample::select(vec![
            "2026-03-14 06:41:02 INFO a.b: ", "2026-03-14 06:41:02 | INFO | a.b | ", "INFO ", "time=1773470462 level=info ",
            "10.7.0.12 - - [14/Mar/2026:06:41:02 +0000] \"GET /a HTTP/1.1\" 200 8812 ", "Mar 14 06:41:02 h a[1]: ", "",
            "2026-03-14T06:41:02Z INFO run{crossing=8}: a: ", "[2026-03-14 06:41:02] [INFO] [crossing=9] ",
        ]),
        parts in proptest::collection::vec(prop::sample::select(vec![
            "crossing=7", "crossing=12,", "(crossing=7)", "[crossing=7]", "crossing=\"7\"", "crossing=7;", "x.crossing=7",
            "crossing=7)b", "crossing='7 8'", "crossing =7", "crossing: 7", "\"crossing\":7", "{\"crossing\": 7}", "crossing",
            "xcrossing=7", "crossing=7.", "crossing=", "crossing=a=7", "n=1", ", crossing: 7", "|", " ", "crossing=7|8", "\t",
            "crossing=7ms", "\\", "crossing=é7", ",", "\n    at A.b(c:1) crossing=7", "\n", "}",
        ]), 0..8),
        gap in prop::sample::select(vec![" ", "", ", "]),
    ) {
        let (block, bytes) = block(&format!("{front}{}\n", parts.join(gap)));
        for text in ["crossing = 7", "crossing >= 5", "crossing < 9", "has crossing", "crossing ~ \"^7\"", "crossing != 7"] {
            let expr = parse(text);
            prop_assert_eq!(prepared(&expr, &block), naive(&expr, &block, &bytes), "{}", text);
        }
    }

    /// A value is compared in its shorter form, however it is written.
    #[test]
    fn values_in_a_shorter_form_are_judged_as_they_are_read(
        parts in proptest::collection::vec(prop::sample::select(vec![
            "crossings", "112", "h-5512", "v1", "app.5f2b3c4d.js", "logo-2.svg", "a%20b", "7f3a9c21", "kä", "",
        ]), 1..5),
        query in prop::sample::select(vec!["", "?seats=2", "#a"]),
        status in 100..600_u16,
        agent in prop::sample::select(vec!["curl/8.5.0", "Mozilla/5.0 (compatible; tidebot/2.1)", "-"]),
    ) {
        let path = format!("/{}{query}", parts.join("/"));
        let lines = [
            format!("10.7.0.12 - - [14/Mar/2026:06:41:02 +0000] \"GET {path} HTTP/1.1\" {status} 12 \"-\" \"{agent}\""),
            format!("{{\"time\":\"2026-03-14T06:41:02Z\",\"msg\":\"a\",\"path\":\"{}\",\"status\":{status}}}", path.replace('/', "\\/")),
            format!("time=1773470462 level=info path=\"{path}\" status={status}"),
        ];
        let template = shaped(Shape::Template, &path).into_owned();
        for line in lines {
            let (block, bytes) = block(&format!("{line}\n"));
            for (path, text, want) in [
                ("path:template", &*template, true),
                ("path:template", "/crossings/{n}", template == "/crossings/{n}"),
                ("path:template", "/hidden", false),
                ("status:class", &format!("{}xx", status / 100), true),
                ("status:class", "6xx", false),
            ] {
                let expr = Expr::equals(Path::of(path), text);
                let want = if want { vec![0] } else { vec![] };
                prop_assert_eq!(naive(&expr, &block, &bytes), want.clone(), "{} {}", line, expr);
                prop_assert_eq!(prepared(&expr, &block), want, "{} {}, prepared", line, expr);
            }
        }
    }

    #[test]
    fn any_text_is_survived(text in "\\PC{0,40}") {
        if let Err(error) = Expr::parse(&text, &context()) {
            prop_assert!(error.at <= text.len());
        }
    }
}

#[test]
fn a_field_is_suggested_by_its_spelling_or_by_a_part_of_its_name() {
    let names = ["user_agent", "error.type", "error.message", "status", "bytes"];
    for (wrong, want) in [
        ("agent", Some("user_agent")),
        ("error", Some("error.type")),
        ("Message", Some("error.message")),
        ("statsu", Some("status")),
        ("byte", Some("bytes")),
        ("berth", None),
    ] {
        assert_eq!(nearest_field(wrong, names.into_iter()), want, "{wrong}");
    }
}
