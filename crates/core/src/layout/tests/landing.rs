//! Every token of an entry lands somewhere: in its time, level, logger, message, an id, a field, or the lines below.

use proptest::prelude::*;

use super::*;

#[test]
fn every_token_of_the_samples_lands_somewhere() {
    let mut told = Vec::new();
    for path in std::fs::read_dir(concat!(env!("CARGO_MANIFEST_DIR"), "/tests/samples")).unwrap() {
        let path = path.unwrap().path();
        let bytes = std::fs::read(&path).unwrap();
        let dialect = Dialect::default().learn(&bytes);
        for line in bytes.split(|b| *b == b'\n') {
            let Some((id, _)) = dialect.detect(line) else { continue };
            let entry = id.read(line, &dialect);
            if let Some(token) = id.lost(&entry) {
                told.push(format!(
                    "{} {}: `{token}` of {}",
                    path.file_name().unwrap().to_string_lossy(),
                    id.name(),
                    String::from_utf8_lossy(&line[..line.len().min(260)])
                ));
            }
        }
    }
    told.sort();
    assert!(told.is_empty(), "{}\n{}", told.len(), told.join("\n"));
}

/// What lines are put together from: items of prefixes, marks, values.
fn item() -> impl Strategy<Value = String> {
    prop_oneof![
        prop::sample::select(vec![
            "2026-03-14 06:41:02,340",
            "INFO",
            "[WARN]",
            "error:",
            "[main]",
            "harbour.berths",
            "[312]",
            "(gate)",
            "hold{id=7}:",
            "-",
            "|",
            ":",
            "::",
            "Berths.java:9",
            "[9f3a2b1c]",
            "a=1",
            "b=\"two words\"",
            "c=",
            "{\"n\":2}",
            "[]",
            "GET /x 200 2.3 ms - 3",
            "\"GET /x?y=1 HTTP/1.1\" 200 OK",
            "10.7.0.12:5000",
            ", berth: 4",
            ", vessel: Avocet",
            "✔",
            "*5",
            "\t",
            "in",
            "on",
            "7 Query",
            "{k=v}",
            "{k=v, n=2}",
            "run(Fares.java:21)",
            "<module>()",
            "[INFO|gate|L2]",
            "[harbour.Fares#warn]",
            "[main:Quorum@21]",
            "[myid:x1]",
            "[3/14/2026] [6:41:02 AM]",
            "gate/INFO",
            "(gate/312)",
            "ThreadId(01)",
            "fares 4411 140124403493760",
            "[unknown]@[unknown]",
            "200 GET /x?y=1 (10.7.0.12) 1.03ms",
            "10.7.0.12:50 [404]: GET /x",
            "GET /x HTTP/1.1 200 2 - 3.7 ms",
            "--> GET /x 200 3ms 2b",
            "a==b",
            "items=[1, 2]",
            "at={'a': 1}",
            "\u{203a}",
            "\u{2139}",
            "unbound[28:0] notice:",
        ])
        .prop_map(str::to_owned),
        "[a-z]{1,6}",
        "[0-9]{1,9}",
    ]
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(2000))]

    #[test]
    fn every_token_of_any_line_lands_somewhere(
        lines in proptest::collection::vec(proptest::collection::vec(item(), 1..9), 1..7),
        front in prop::sample::select(vec![
            "", "2026-03-14 06:41:02,340 ", "[2026-03-14 06:41:02] ", "2026-03-14 06:41:02 | ", "INFO ", "Mar 14 06:41:02 quay-1 ",
            "<13>1 2026-03-14T06:41:02Z quay-1 gate 3 - - ", "2026-03-14T06:41:02Z\t", "time=2026-03-14T06:41:02Z ",
            "10.7.0.12 - - [14/Mar/2026:06:41:02 +0000] \"GET /x HTTP/1.1\" 200 5 ", "I0314 06:41:02.340123 7 a.go:1] ",
            "229 [main] ", "(2026-03-14 06:41:02,340) ", "[I 260314 06:41:02 web:12] ", "harbour.gate INFO ", "  --> ",
            "2026-03-14 06:41:02,340,INFO,gate,", "\u{2139} ", "7:signal-handler (1773470462) ", "::1 - ",
        ]),
        mark in prop::sample::select(vec![" ", " | ", "\t", " - "]),
    ) {
        let lines: Vec<String> = lines.iter().map(|items| format!("{front}{}", items.join(mark))).collect();
        let dialect = Dialect::default().learn(lines.join("\n").as_bytes());
        for line in &lines {
            let Some((id, head)) = dialect.detect(line.as_bytes()) else { continue };
            if !head.many {
                let entry = id.read(line.as_bytes(), &dialect);
                prop_assert_eq!(id.lost(&entry), None, "{} of {}", id.name(), line);
            }
        }
    }
}
