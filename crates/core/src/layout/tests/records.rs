//! Entries whose time and level stand below their first line.

use super::*;

/// What is read of an entry, with its index filled by the lines below the first.
fn whole(text: &str) -> String {
    let dialect = Dialect::default().learn(format!("{text}\n\n{text}\n").as_bytes());
    let (first, rest) = crate::entry::first_line(text.as_bytes());
    let (layout, head) = dialect.detect(first).unwrap();
    let known = layout.layout().unwrap();
    let (mut stamp, mut severity) = (head.stamp, head.severity);
    for line in rest.split(|b| *b == b'\n') {
        match known.below(line) {
            Below::Within(time, level) | Below::Last(time, level) => {
                stamp = stamp.or(time);
                severity = severity.or(level);
            }
            Below::Over => break,
        }
    }
    let entry = layout.read(text.as_bytes(), &dialect);
    assert_eq!(
        (stamp, severity),
        (entry.stamp, entry.severity),
        "the index and the entry differ on {text}"
    );
    let mut fields = Vec::new();
    entry.leaves(&mut |path, field| {
        if field.role == crate::entry::Role::Plain {
            fields.push(format!("{path}={}", field.value.text().unwrap_or("{}")));
        }
    });
    let time = entry.stamp.map(|stamp| rfc3339(stamp.nanos(&crate::entry::Clock::default()), 0));
    format!(
        "{} | {} | {} | {} | {} | {}",
        layout.name(),
        time.as_deref().unwrap_or("-"),
        severity.map_or("-", |severity| severity.level().name()),
        entry.logger.as_deref().unwrap_or("-"),
        entry.message,
        fields.join(" ")
    )
}

#[test]
fn records_and_markup() {
    for (text, want) in [
        (
            "__CURSOR=a\n__REALTIME_TIMESTAMP=1773470462340000\nPRIORITY=3\nSYSLOG_IDENTIFIER=gate\nMESSAGE=lost a=b\n_PID=7",
            "record | 2026-03-14T06:41:02Z | error | gate | lost a=b | __CURSOR=a _PID=7",
        ),
        (
            "time=2026-03-14T06:41:02Z\nlevel=warn\nmsg=late\nberth=4",
            "record | 2026-03-14T06:41:02Z | warn | - | late | berth=4",
        ),
        (
            "<record>\n  <date>2026-03-14T06:41:02Z</date>\n  <logger>harbour.Fares</logger>\n  <level>WARNING</level>\n  <message>late &lt;4&gt;</message>\n  <param>x</param>\n</record>",
            "markup | 2026-03-14T06:41:02Z | warn | harbour.Fares | late <4> | param=x",
        ),
        (
            "<log:event logger=\"harbour.Fares\" timestamp=\"2026-03-14T06:41:02Z\" level=\"ERROR\">\n<log:message><![CDATA[lost <4>]]></log:message>\n</log:event>",
            "markup | 2026-03-14T06:41:02Z | error | harbour.Fares | lost <4> | ",
        ),
    ] {
        assert_eq!(whole(text), want, "{text}");
    }
}

#[test]
fn boxes() {
    for (text, want) in [
        (
            "┌────\n│ #0   Berths.free (berths.dart:14:5)\n├┄┄┄┄\n│ 06:41:02.340 (+0:00:00.012)\n├┄┄┄┄\n│ \u{26d4} berth lost\n│ twice\n└────",
            "boxed | 1969-12-31T06:41:02Z | error | - | berth lost | frame=#0   Berths.free (berths.dart:14:5) uptime=0:00:00.012 icon=\u{26d4}",
        ),
        (
            "╔════╗\n║ 2026-03-14 06:41:02 WARN ║\n║ src/berths.rs:12 ║\n║ late n=2 ║\n╚════╝",
            "boxed | 2026-03-14T06:41:02Z | warn | - | late n=2 | caller=src/berths.rs:12",
        ),
    ] {
        assert_eq!(whole(text), want, "{text}");
    }
}

#[test]
fn reports_and_queries() {
    check(
        &Dialect::default(),
        &[
            (
                "=CRASH REPORT==== 14-Mar-2026::06:41:02.340123 ===\n    gate: bow\n    reason: lost",
                "report | 2026-03-14T06:41:02.340123Z | error | - | gate: bow | gate='bow' reason='lost'",
            ),
            (
                "260314  6:41:02\t    3 Query\tselect 1",
                "slow | 2026-03-14T06:41:02Z | - | - | select 1 | tid=3 command='Query'",
            ),
            ("\t\t    3 Quit\t", "slow | - | - | - | Quit | tid=3 command='Quit'"),
        ],
    );
}
