//! Made-up secrets and decoys in the ways in which logs write them: none gets out, and nothing beside them is lost.

use proptest::prelude::*;

use super::super::*;

/// Ways in which a program may write a line to its log.
const WRAPS: [&str; 7] = ["plain", "text", "json", "json in json", "pairs", "pipes", "csv"];

fn quoted(text: &str) -> String {
    serde_json::to_string(text).unwrap()
}

/// A line of a log that says a text.
fn wrapped(wrap: &str, text: &str) -> String {
    match wrap {
        "text" => format!("2026-03-14 06:41:02.340 WARN [main] a.b.Berths: {text}"),
        "json" => format!(
            r#"{{"time":"2026-03-14T06:41:02Z","level":"warn","msg":{},"n":1}}"#,
            quoted(text)
        ),
        "json in json" => {
            let inner = format!(r#"{{"said":{}}}"#, quoted(text));
            format!(r#"{{"level":"info","body":{}}}"#, quoted(&inner))
        }
        "pairs" => format!("time=2026-03-14T06:41:02Z level=info msg={} n=1", quoted(text)),
        "pipes" => format!("2026-03-14 06:41:02 | I | a.b | {text} | n=1"),
        "csv" => format!("2026-03-14T06:41:02Z,info,\"{}\",1", text.replace('"', "\"\"")),
        _ => text.to_owned(),
    }
}

/// What an entry's bytes look like to a person with whom they are shared.
fn shared(line: &str) -> (String, String) {
    super::shown_to::<Anyone>(line, &crate::layout::Dialect::default())
}

fn lines(text: &str) -> impl Iterator<Item = String> {
    text.lines().filter(|line| !line.starts_with('#')).map(|line| line.replace('⏎', "\n"))
}

/// A text with stand-ins as they are told: by their class alone.
fn by_class(text: &str) -> String {
    let mut out = text.to_owned();
    for (whole, _) in stand_ins_in(text) {
        out = out.replace(whole, "«»");
    }
    // A number of JSON becomes a text.
    out.replace(":\"«»\"", ":«»")
}

#[test]
fn no_secret_gets_out_and_nothing_beside_it_is_lost() {
    let mut wrong = Vec::new();
    let mut count = 0;
    for line in lines(include_str!("../../../tests/veil/secrets.txt")) {
        let (class, text) = line.split_once('\t').unwrap();
        let secrets: Vec<&str> =
            text.split('⟦').skip(1).map(|rest| rest.split_once('⟧').unwrap().0).collect();
        let mut bare = text.to_owned();
        let mut want = text.to_owned();
        for secret in &secrets {
            want = want.replace(&format!("⟦{secret}⟧"), "«»");
            bare = bare.replace(&format!("⟦{secret}⟧"), secret);
        }
        for wrap in WRAPS {
            count += 1;
            let (raw, parts) = shared(&wrapped(wrap, &bare));
            let leaks = |shown: &str| {
                let shown = shown.replace("«", "\u{0}");
                secrets.iter().find_map(|secret| {
                    let letters: Vec<char> = secret.chars().collect();
                    let six = letters
                        .windows(6.min(letters.len()))
                        .map(|six| six.iter().collect::<String>());
                    six.into_iter().find(|six| shown.contains(six.as_str()))
                })
            };
            if let Some(six) = leaks(&raw).or_else(|| leaks(&parts)) {
                wrong.push(format!(
                    "LEAK  {class} {wrap}: {six} of {bare}\n   raw {raw}\n   parts {parts}"
                ));
            } else if by_class(&raw) != by_class(&wrapped(wrap, &want)) {
                wrong.push(format!(
                    "LOST  {class} {wrap}: {bare}\n   {}\n   {}",
                    by_class(&raw),
                    wrapped(wrap, &want)
                ));
            }
        }
    }
    assert!(wrong.is_empty(), "{} of {count}\n{}", wrong.len(), wrong.join("\n"));
}

#[test]
fn decoys_stay() {
    let mut hidden = Vec::new();
    for text in lines(include_str!("../../../tests/veil/decoys.txt")) {
        for wrap in WRAPS {
            let line = wrapped(wrap, &text);
            let (raw, _) = shared(&line);
            if raw != line {
                hidden.push(format!("{wrap}: {raw}"));
            }
        }
    }
    assert!(hidden.is_empty(), "{}\n{}", hidden.len(), hidden.join("\n"));
}

/// Ways in which a line says a secret; `{}` stands for it.
const SAID: [&str; 18] = [
    "login password={} done",
    "user=clerk&password={}&next=1",
    "{\"user\":\"clerk\",\"password\":\"{}\"}",
    "{\"a\":{\"api_key\":[\"{}\"]}}",
    "<password>{}</password>",
    "<p name=\"password\" value=\"{}\"/>",
    "Authorization: Bearer {}",
    "{'token': '{}', 'n': 1}",
    "Login(user=clerk, password={})",
    "--password {} --port 80",
    "UPDATE t SET password = '{}' WHERE id = 1",
    "INSERT INTO t (a, password) VALUES (1, '{}')",
    "amqp://harbour:{}@queue.example.test/",
    "X-Api-Key: {}",
    "[[\"password\", \"{}\"]]",
    "Cookie: sid={}; theme=dark",
    "client_secret: \"{}\"",
    "Server=a;Password={};Port=1",
];

/// A secret as an encoding writes it.
fn encoded(secret: &str, encoding: usize) -> String {
    let all = |write: &dyn Fn(u8) -> String| secret.bytes().map(write).collect::<String>();
    match encoding {
        1 => all(&|b| {
            if b.is_ascii_alphanumeric() { char::from(b).to_string() } else { format!("%{b:02X}") }
        }),
        2 => all(&|b| format!("%{b:02x}")),
        3 => all(&|b| format!("\\u{b:04x}")),
        4 => all(&|b| if b % 3 == 0 { format!("\\u{b:04x}") } else { char::from(b).to_string() }),
        _ => secret.to_owned(),
    }
}

proptest! {
    #[test]
    fn no_six_characters_of_a_secret_come_out(
        secret in "[A-Za-z0-9]{4,12}[0-9][A-Z][a-z][A-Za-z0-9_.-]{2,12}[a-z0-9]",
        said in prop::sample::select(&SAID[..]),
        wrap in prop::sample::select(&WRAPS[..]),
        encoding in 0usize..5,
    ) {
        let line = wrapped(wrap, &said.replace("{}", &encoded(&secret, encoding)));
        let (raw, parts) = shared(&line);
        let letters: Vec<char> = secret.chars().collect();
        for six in letters.windows(6) {
            let six: String = six.iter().collect();
            prop_assert!(!raw.contains(&six) && !parts.contains(&six), "{}\n{}\n{}", line, raw, parts);
        }
        prop_assert!(raw.contains('«'), "{}", raw);
        if wrap.starts_with("json") {
            let value: Result<serde_json::Value, _> = serde_json::from_str(&raw);
            prop_assert!(value.is_ok(), "{}", raw);
        }
    }

    #[test]
    fn numbers_in_objects_stay_objects(pin in 100_000u32..999_999, depth in 0usize..3) {
        let open = "{\"a\":".repeat(depth);
        let close = "}".repeat(depth);
        let line = format!("{{\"level\":\"info\",\"n\":{open}{{\"pin\":{pin},\"x\":[{pin}]}}{close}}}");
        let (raw, parts) = shared(&line);
        prop_assert!(!raw.contains(&pin.to_string()) && !parts.contains(&pin.to_string()), "{}", raw);
        let value: Result<serde_json::Value, _> = serde_json::from_str(&raw);
        prop_assert!(value.is_ok(), "{}", raw);
    }
}
