//! Words and phrases: whether one stands in an entry as it is written, but for its timestamp.

use std::ops::Range;

use crate::{
    entry::{Entry, written::stamps_of},
    veil::stand_ins_in,
};

/// A word or a phrase to look for. All lower case ignores case.
pub(super) struct Word {
    text: String,
    any_case: bool,
    /// It may be a part of a timestamp, and counts only outside of the entry's.
    clock: bool,
    finder: memchr::memmem::Finder<'static>,
}

impl Word {
    pub(super) fn new(text: &str) -> Self {
        Self {
            text: text.to_owned(),
            any_case: !text.chars().any(char::is_uppercase),
            clock: may_be_clock(text),
            finder: memchr::memmem::Finder::new(text).into_owned(),
        }
    }

    /// Whether it can't be a part of a timestamp, so that its place in an entry does not matter.
    pub(super) fn is_free(&self) -> bool {
        !self.clock
    }

    /// Whether it is one run of letters, digits and little else, which a message put together from several
    /// values can't hold unless one of them does.
    pub(super) fn is_single(&self) -> bool {
        self.text.bytes().all(|b| b.is_ascii_alphanumeric() || matches!(b, b'_' | b'-'))
    }

    /// Whether it may name what the veil puts in a secret's place.
    pub(super) fn is_stand_in(&self) -> bool {
        self.text.contains('«') || !stand_ins_in(&self.text).is_empty()
    }

    /// Whether it stands in a text.
    pub(super) fn is_in(&self, text: &[u8]) -> bool {
        if self.any_case && !self.text.is_ascii() {
            return String::from_utf8_lossy(text).to_lowercase().contains(&self.text);
        }
        self.find(text, 0).is_some()
    }

    /// Whether it stands in an entry as it is written: in any of its lines, names and level included, but not
    /// only within its timestamp.
    pub(super) fn is_written_in(&self, entry: &Entry<'_>) -> bool {
        if !self.clock || self.any_case && !self.text.is_ascii() {
            return self.is_in(entry.raw);
        }
        let mut stamps: Option<Vec<Range<usize>>> = None;
        let mut from = 0;
        while let Some(at) = self.find(entry.raw, from) {
            let end = at + self.text.len();
            let stamps = stamps.get_or_insert_with(|| stamps_of(entry));
            if !stamps.iter().any(|stamp| stamp.start <= at && end <= stamp.end) {
                return true;
            }
            from = at + 1;
        }
        false
    }

    /// Where it begins in a text, from a place on.
    fn find(&self, text: &[u8], from: usize) -> Option<usize> {
        let rest = text.get(from..)?;
        if !self.any_case {
            return self.finder.find(rest).map(|at| from + at);
        }
        let word = self.text.as_bytes();
        let Some(first) = word.first() else { return Some(from) };
        let fits = |at: &usize| {
            let here = rest.get(*at..*at + word.len());
            here.is_some_and(|here| here.eq_ignore_ascii_case(word))
        };
        let begins = memchr::memchr2_iter(*first, first.to_ascii_uppercase(), rest);
        begins.into_iter().find(fits).map(|at| from + at)
    }
}

/// Whether a text may be a part of a timestamp: one with digits, or short enough for the name of a month, a day
/// or a zone.
fn may_be_clock(text: &str) -> bool {
    let part = |b: u8| b.is_ascii_alphanumeric() || b" :.,-+/".contains(&b);
    text.bytes().all(part)
        && (text.len() < 4 || text.bytes().any(|b| b.is_ascii_digit()))
        && text.bytes().filter(u8::is_ascii_alphabetic).count() < 8
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::layout::Dialect;

    fn written(word: &str, line: &str) -> bool {
        let dialect = Dialect::default();
        let (layout, _) = dialect.detect(line.as_bytes()).unwrap();
        Word::new(word).is_written_in(&layout.read(line.as_bytes(), &dialect))
    }

    #[test]
    fn a_word_counts_where_it_is_written_but_in_the_timestamp() {
        let text =
            "2026-03-14 06:41:02.340 WARN [main] harbour.Berths: berth 41 seats=03 on Mar 14";
        let json =
            r#"{"time":"2026-03-14T06:41:02.340Z","level":"warn","msg":"x 41","pier":"\u00e9"}"#;
        let access = r#"10.7.0.12 - - [14/Mar/2026:06:41:02 +0000] "GET /a HTTP/1.1" 200 1"#;
        for (line, word, want) in [
            (text, "warn", true),
            (text, "Berths: berth", true),
            (text, "seats=", true),
            (text, "41", true),
            (text, "2026-03", false),
            (text, "06:41", false),
            (text, "340 WARN", true),
            (text, "mar", true),
            (json, "level", true),
            (json, "\"level\":\"warn\"", true),
            (json, "41", true),
            (json, "2026", false),
            (json, "é", false),
            (access, "mar", false),
            (access, "200", true),
            (access, "GET /a", true),
            (access, "2026:06", false),
        ] {
            assert_eq!(written(word, line), want, "{word} in {line}");
        }
    }

    proptest::proptest! {
        #[test]
        fn a_word_is_found_as_by_any_other_search(text in "[aAbBé \n0]{0,40}", word in "[aAbBé0]{1,3}") {
            let look = Word::new(&word);
            let want = match word.chars().any(char::is_uppercase) {
                true => text.contains(&word),
                false => text.to_lowercase().contains(&word),
            };
            proptest::prop_assert_eq!(look.is_in(text.as_bytes()), want);
        }
    }
}
