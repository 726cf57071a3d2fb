//! Entries for fuzzing: plain functions over bytes, which must survive anything. The targets in `fuzz/`
//! call them, and so do the tests here, with what was once found.

use crate::{
    entry::Entry,
    layout::{Dialect, LayoutId, json, own, trace, wrap},
    lines::{Carry, Cutter},
    query::{Context, Expr},
    veil::Veil,
};

pub use crate::scan::seconds as scan_seconds;

/// One line, held against every layout; what fits is read and veiled.
pub fn line(bytes: &[u8]) {
    let dialect = Dialect::default().learn(bytes);
    let line = crate::entry::first_line(bytes).0;
    let _ = (trace::is_continuation(line), json::brackets(line), dialect.tried(line));
    let veil = Veil::new([7; 16]);
    for layout in LayoutId::all() {
        if layout.layout().is_some_and(|known| known.head(line, &dialect).is_some()) {
            let entry = layout.read(bytes, &dialect);
            let _ = veil.over::<crate::veil::Desk>(&entry, None).raw();
        }
    }
    if let Some(peeled) = wrap::peel(line, &dialect) {
        let _ = dialect.detect(&peeled.inner);
    }
}

/// A whole file: learnt from, cut into entries, and each of them read.
///
/// # Panics
///
/// When an entry's records lie outside of the file.
pub fn file(bytes: &[u8]) {
    let dialect = Dialect::default().learn(bytes);
    let mut cutter = Cutter::resume(&dialect, Carry::default(), None, 0);
    cutter.run(bytes, 0);
    let (parts, ..) = cutter.finish();
    for part in parts {
        let census = part.columns.census();
        let counted: usize = census.layouts().map(|(_, count)| count).sum();
        assert_eq!(counted, part.columns.len(), "every entry has a layout");
    }
}

/// A template, and a line that it is held against.
pub fn template(bytes: &[u8]) {
    let (template, line) = crate::entry::first_line(bytes);
    let template = String::from_utf8_lossy(template).into_owned();
    let spec = own::Spec { template: Some(template), ..own::Spec::default() };
    if let Ok(own) = own::Own::new(&spec) {
        let _ = own.captures(line);
    }
}

/// A file in pieces: cut at places that its first bytes name, it has the same entries as in one piece.
///
/// # Panics
///
/// When it has not.
pub fn cuts(bytes: &[u8]) {
    let Some((places, text)) = bytes.split_at_checked(4) else { return };
    let dialect = Dialect::default().learn(text);
    let whole = crate::lines::starts_in_pieces(&dialect, text, &[]);
    let mut at: Vec<usize> =
        places.iter().map(|place| usize::from(*place) * text.len() / 256).collect();
    at.sort_unstable();
    let pieces = crate::lines::starts_in_pieces(&dialect, text, &at);
    assert_eq!(pieces, whole, "cut at {at:?}: {}", text.escape_ascii());
}

/// A text in the filter language: understood, written and understood again it is the same.
///
/// # Panics
///
/// When it is not.
pub fn filter(bytes: &[u8]) {
    let text = String::from_utf8_lossy(bytes);
    let context = Context { zone: None, last: Some(0), ..Context::default() };
    let _ = crate::query::hole(&text);
    if let Ok(expr) = Expr::parse(&text, &context) {
        let written = expr.to_string();
        let again = Expr::parse(&written, &context);
        assert_eq!(again.as_ref().ok(), Some(&expr), "{text:?} is written {written:?}: {again:?}");
    }
}

/// A text under the veil: nothing of what was found in it is left in it.
///
/// # Panics
///
/// When a secret is shown.
pub fn veil(bytes: &[u8]) {
    let veil = Veil::new([7; 16]);
    let entry = Entry::plain(bytes);
    let veiled = veil.over::<crate::veil::Desk>(&entry, None);
    for shown in [veiled.raw(), veiled.message()] {
        let secret = veiled.shown_in(shown.as_str());
        assert_eq!(secret, None, "{} is shown as {}", bytes.escape_ascii(), shown.as_str());
    }
    let _ = veil.typed::<crate::veil::Desk>(&String::from_utf8_lossy(bytes));
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    /// Each of these once ended the program, or was read in two ways.
    #[test]
    fn what_was_found_once_is_survived() {
        const FOUND: [&str; 13] = [
            "<record>p",
            "2026-03-14 06:41:02,340 INFO a.b - url: https://ferries.example.test/a |action:  ",
            "[Sat Mar 14 06:41:02.340123 2026] [mpm_event:notice] [pid 312:t01] gate opened",
            "[Sat Mar 14 06:41:02.340123 2026] [unixd:alert] [pid 2026-03-14 06:41:02,340 INFO in 24192] x",
            "ERROR:root:broke2026/11/23 10:42:15 [error] 8427#8427: *3 connect() failed",
            "DEBUG request{method=\"GET\" path=\"/far{\"level\":\"es\" id=9f3a2b1c}: gate: close",
            "<165>1 2026-03-14T06:41:02Z quay-1 harbour 312 ID47 [berth@32473 number    try: return {}[row]",
            "2026/11/26 13:46:34| FD 82026-03-14 06:41:02.340 | INFO | rows:write:12 - rows written | all",
            "8530:M 14 Mar 2026 06:41:02.170 #gate, Version: 10.",
            "10.7.0.12 hit pass 2026-03-14T22:59:05Z \"GET /fares HTTP/1.1\" 200 512::db: rows=3",
            "{\"time\": \"2026-11-23 10:42:13,524\", \"level\": \"DEBUG\", \"message\": \"rows=112\u{1b}}",
            "<27>1 2026-11-21T04:50:40Z host app 1 ID [a b==\"\"] x",
            "<27>1 2026-11-21T04:50:40Z host app 1 ID [a b=\"] x",
        ];
        for text in FOUND {
            super::line(text.as_bytes());
            super::file(text.as_bytes());
        }
    }

    /// Each of these once had other entries in pieces than in one.
    #[test]
    fn pieces_have_the_entries_of_the_whole() {
        for (places, text) in [
            ([4, 7, 12, 14], "#Fields:t m\n1:41:01 \"\n\u{1b}[\"m\n1"),
            ([0, 0, 0, 0], "thread 'main' panicked at src/main.rs a backtrace"),
        ] {
            let bytes = [
                &places.map(|at| u8::try_from(at * 256 / text.len() + 1).unwrap())[..],
                text.as_bytes(),
            ];
            super::cuts(&bytes.concat());
        }
        let mut every: Vec<u8> = vec![0; 4];
        every.extend(b"#Fields:t m\n1:41:01 \"\n\x1b[\"m\n1");
        for place in 0..=u8::MAX {
            every[0] = place;
            super::cuts(&every);
        }
    }

    /// Secrets that stand twice, and names within words: what is left must show none of them.
    #[test]
    fn secrets_with_bytes_that_are_no_text_are_hidden_everywhere() {
        super::veil(b"password=ab\xffcd1 and once more ab\xffcd1");
        super::veil(b"card\x1dpin:rd\x1dpin and card\x1dpinpin:12o\xba\xd9okud\"");
        let veil = super::Veil::new([7; 16]);
        let entry = super::Entry::plain(b"password=ab\xffcd1 and once more ab\xffcd1");
        let shown = veil.over::<crate::veil::Desk>(&entry, None).raw().as_str().to_owned();
        assert!(!shown.contains("cd1"), "{shown}");
    }

    /// The lines of all samples, of some of each.
    fn sampled() -> &'static [Vec<u8>] {
        static LINES: std::sync::LazyLock<Vec<Vec<u8>>> = std::sync::LazyLock::new(|| {
            let folder = concat!(env!("CARGO_MANIFEST_DIR"), "/tests/samples");
            let mut files: Vec<_> =
                std::fs::read_dir(folder).unwrap().flatten().map(|file| file.path()).collect();
            files.sort();
            let lines = files.iter().flat_map(|file| {
                let text = std::fs::read(file).unwrap();
                text.split(|byte| *byte == b'\n').take(24).map(<[u8]>::to_vec).collect::<Vec<_>>()
            });
            lines.filter(|line| !line.is_empty()).collect()
        });
        &LINES
    }

    /// A part of a line of the samples.
    fn torn() -> impl Strategy<Value = Vec<u8>> {
        (any::<prop::sample::Index>(), any::<[prop::sample::Index; 2]>(), 0..4u8).prop_map(
            |(line, [from, to], whole)| {
                let line = line.get(sampled());
                let (from, to) = (from.index(line.len() + 1), to.index(line.len() + 1));
                match whole {
                    0 => line[from.min(to)..from.max(to)].to_vec(),
                    1 => line[..to].to_vec(),
                    2 => line[from..].to_vec(),
                    _ => line.clone(),
                }
            },
        )
    }

    proptest! {
        /// Lines that were cut off, and written into one another by programs that share a file: each word of them lands
        /// in some part, which builds with debug assertions see to.
        #[test]
        fn torn_lines_lose_nothing(parts in proptest::collection::vec(torn(), 1..4)) {
            super::line(&parts.concat());
        }

        /// What programs write into one file has the same entries wherever it is cut.
        #[test]
        fn mixed_files_are_cut_alike(
            parts in proptest::collection::vec((torn(), any::<bool>()), 1..12),
            places in any::<[u8; 4]>(),
        ) {
            let mut bytes = places.to_vec();
            for (part, ends) in parts {
                bytes.extend(part);
                bytes.extend(ends.then_some(b'\n'));
            }
            super::cuts(&bytes);
            super::file(&bytes[4..]);
        }

        #[test]
        fn random_bytes_are_survived(bytes in proptest::collection::vec(any::<u8>(), 0..400)) {
            super::line(&bytes);
            super::file(&bytes);
            super::template(&bytes);
            super::filter(&bytes);
            super::veil(&bytes);
        }

        #[test]
        fn bytes_of_logs_in_any_order_are_survived(
            parts in proptest::collection::vec(prop::sample::select(vec![
                "2026-03-14 06:41:02", "INFO", "{", "}", "\"a\":", "[", "]", "|", "\n", " ", ":", "=",
                "\\", "\"", "#", "at ", "Caused by: ", "stdout F ", "<34>", "1 ", "- ", "\u{1b}[1m", "\0", "é",
                ",", "time,level,a\n", "\t", "POST / HTTP/1.1", "%",
            ]), 0..40),
        ) {
            let text = parts.concat();
            super::line(text.as_bytes());
            super::file(text.as_bytes());
            super::template(text.as_bytes());
        }
    }
}
