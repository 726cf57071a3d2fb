//! Levels: the OpenTelemetry severity number (1–24) and its six named ranges.
//!
//! Source: OpenTelemetry Logs Data Model, "Severity Fields". All spellings map to a number; the
//! spelling as written stays with the entry.

use std::fmt;

/// One of the six named ranges of severity.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Level {
    /// 1–4
    Trace,
    /// 5–8
    Debug,
    /// 9–12
    Info,
    /// 13–16
    Warn,
    /// 17–20
    Error,
    /// 21–24
    Fatal,
}

impl Level {
    /// All levels, mildest first.
    pub const ALL: [Self; 6] =
        [Self::Trace, Self::Debug, Self::Info, Self::Warn, Self::Error, Self::Fatal];

    /// The level's name in lower case.
    #[must_use]
    pub fn name(self) -> &'static str {
        match self {
            Self::Trace => "trace",
            Self::Debug => "debug",
            Self::Info => "info",
            Self::Warn => "warn",
            Self::Error => "error",
            Self::Fatal => "fatal",
        }
    }

    /// The lowest severity of the range.
    #[must_use]
    pub fn floor(self) -> Severity {
        Severity(self as u8 * 4 + 1)
    }

    /// Position in [`Level::ALL`].
    #[must_use]
    pub fn index(self) -> usize {
        self as usize
    }

    /// The next milder level, if there is one.
    #[must_use]
    pub fn milder(self) -> Option<Self> {
        self.index().checked_sub(1).map(|i| Self::ALL[i])
    }

    /// The next graver level, if there is one.
    #[must_use]
    pub fn graver(self) -> Option<Self> {
        Self::ALL.get(self.index() + 1).copied()
    }
}

impl fmt::Display for Level {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(self.name())
    }
}

/// An OpenTelemetry severity number, 1–24.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Severity(u8);

impl Severity {
    /// A severity from its number; `None` outside 1–24.
    #[must_use]
    pub fn new(number: u8) -> Option<Self> {
        (1..=24).contains(&number).then_some(Self(number))
    }

    /// The number, 1–24.
    #[must_use]
    pub fn number(self) -> u8 {
        self.0
    }

    /// The named range that the severity lies in.
    #[must_use]
    pub fn level(self) -> Level {
        Level::ALL[usize::from(self.0 - 1) / 4]
    }

    /// Reads a level as people and libraries spell it: a word, a letter, or a number from 10 to 60.
    ///
    /// ```
    /// use cribrum_core::entry::{Level, Severity};
    /// for (written, level) in [
    ///     ("WARNING", Level::Warn), ("E", Level::Error), ("crit", Level::Fatal),
    ///     ("notice", Level::Info), ("30", Level::Info), ("SEVERE", Level::Error),
    /// ] {
    ///     assert_eq!(Severity::read(written.as_bytes()).map(Severity::level), Some(level));
    /// }
    /// assert_eq!(Severity::read(b"loud"), None);
    /// ```
    #[must_use]
    pub fn read(written: &[u8]) -> Option<Self> {
        Self::from_word(written)
            .or_else(|| Self::from_number(written))
            .or_else(|| Self::from_step(written))
    }

    /// Reads the value of a field: what a number means depends on the field's name. Names that stand for
    /// a scale of their own are OpenTelemetry's severity number (1–24), syslog's priority (RFC 5424, 0–7)
    /// and the numbers of level names in steps of ten that begin with debug.
    #[must_use]
    pub fn named(name: &[u8], written: &[u8]) -> Option<Self> {
        let is = |known: &[u8]| {
            let mut folded = name.iter().filter(|b| b.is_ascii_alphanumeric());
            known.iter().all(|k| folded.next().is_some_and(|b| b.eq_ignore_ascii_case(k)))
                && folded.next().is_none()
        };
        if written.first().is_some_and(u8::is_ascii_digit) {
            if is(b"severitynumber") {
                return std::str::from_utf8(written).ok()?.parse().ok().and_then(Self::new);
            }
            if is(b"levelno") {
                return Self::from_tens(written);
            }
        }
        Self::read(written)
    }

    /// `DEBUG-4`, `ERROR+2`: so many steps above or below a word.
    fn from_step(written: &[u8]) -> Option<Self> {
        let sign = written.iter().position(|b| matches!(b, b'+' | b'-'))?;
        let steps = match &written[sign + 1..] {
            [a @ b'0'..=b'9'] => a - b'0',
            [a @ b'0'..=b'9', b @ b'0'..=b'9'] => (a - b'0') * 10 + (b - b'0'),
            _ => return None,
        };
        let word = Self::from_word(&written[..sign])?.0;
        let number = match written[sign] {
            b'+' => word.saturating_add(steps).min(24),
            _ => word.saturating_sub(steps).max(1),
        };
        Some(Self(number))
    }

    /// Levels in steps of ten where 10 is debug.
    fn from_tens(digits: &[u8]) -> Option<Self> {
        Some(match digits {
            b"5" => Self(1),
            b"10" => Self(5),
            b"20" => Self(9),
            b"25" => Self(10),
            b"30" => Self(13),
            b"40" => Self(17),
            b"50" => Self(21),
            _ => return None,
        })
    }

    /// The severity of a syslog priority, 0 (emergency) to 7 (debug), as RFC 5424 names them.
    #[must_use]
    pub fn of_syslog(number: u8) -> Option<Self> {
        let number = match number {
            0 => 24,
            1 => 22,
            2 => 21,
            3 => 17,
            4 => 13,
            5 => 10,
            6 => 9,
            7 => 5,
            _ => return None,
        };
        Some(Self(number))
    }

    /// Reads a level written as a word or a letter, in any case.
    #[must_use]
    pub fn from_word(word: &[u8]) -> Option<Self> {
        if word.is_empty() || word.len() > 13 {
            return None;
        }
        // The forms that most entries have.
        match word {
            b"INFO" | b"info" => return Some(Self(9)),
            b"DEBUG" | b"debug" => return Some(Self(5)),
            b"WARN" | b"warn" | b"WARNING" | b"warning" => return Some(Self(13)),
            b"ERROR" | b"error" => return Some(Self(17)),
            _ => {}
        }
        let mut lower = [0u8; 13];
        for (to, from) in lower.iter_mut().zip(word) {
            *to = from.to_ascii_lowercase();
        }
        let number = match &lower[..word.len()] {
            b"trace" | b"trc" | b"trac" | b"trce" | b"finest" | b"verbose" | b"silly" | b"vrb"
            | b"v" | b"t" | b"all" | b"blat" | b"blather" => 1,
            b"finer" | b"trace2" => 2,
            b"debug" | b"debu" | b"d1" | b"d2" | b"d3" | b"d4" | b"d5" | b"dbug" | b"dbg"
            | b"debg" | b"deb" | b"fine" | b"d" | b"debug1" | b"debug2" | b"debug3" | b"debug4"
            | b"debug5" => 5,
            b"config" => 6,
            b"info" | b"inf" | b"information" | b"informational" | b"i" | b"log" | b"http"
            | b"system" | b"default" | b"mark" => 9,
            b"notice" | b"note" | b"success" | b"ntc" | b"n" => 10,
            b"warn" | b"warning" | b"wrn" | b"warni" | b"w" | b"deprecated" => 13,
            b"error" | b"err" | b"eror" | b"fail" | b"failed" | b"failure" | b"severe" | b"e"
            | b"fault" | b"erro" => 17,
            b"critical" | b"crit" | b"crt" | b"c" | b"dpanic" => 21,
            b"alert" => 22,
            b"fatal" | b"fata" | b"ftl" | b"panic" | b"pani" | b"emerg" | b"emergency" | b"f" => 23,
            _ => return None,
        };
        Some(Self(number))
    }

    /// Reads a level written as a number: from 10 to 60 in tens with 10 for trace, or a syslog priority
    /// from 0 to 7.
    #[must_use]
    pub fn from_number(digits: &[u8]) -> Option<Self> {
        let number = match digits {
            b"10" => 1,
            b"20" => 5,
            b"30" => 9,
            b"40" => 13,
            b"50" => 17,
            b"60" => 21,
            b"35" => 13,
            [digit @ b'0'..=b'7'] => return Self::of_syslog(digit - b'0'),
            _ => return None,
        };
        Some(Self(number))
    }

    /// The severity that an HTTP status stands for: 5xx error, 4xx warn, else info.
    #[must_use]
    pub fn of_status(status: u16) -> Self {
        match status {
            500..=599 => Level::Error.floor(),
            400..=499 => Level::Warn.floor(),
            _ => Level::Info.floor(),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_range_has_four_numbers() {
        for number in 1..=24 {
            let severity = Severity::new(number).unwrap();
            let level = severity.level();
            assert!(level.floor() <= severity, "{number}");
            assert!(level.graver().is_none_or(|next| severity < next.floor()), "{number}");
        }
        assert_eq!((Severity::new(0), Severity::new(25)), (None, None));
    }

    #[test]
    fn steps_count_from_a_word() {
        for (written, want) in [
            ("DEBUG-4", Some(Level::Trace)),
            ("INFO+2", Some(Level::Info)),
            ("ERROR+4", Some(Level::Fatal)),
            ("WARN-", None),
            ("gate-1", None),
        ] {
            assert_eq!(Severity::read(written.as_bytes()).map(Severity::level), want, "{written}");
        }
    }

    #[test]
    fn words_are_read_whole_and_in_any_case() {
        for (word, want) in [
            ("WARN", Some(13)),
            ("Information", Some(9)),
            ("DBUG", Some(5)),
            ("FATA", Some(23)),
            ("D3", Some(5)),
            ("warned", None),
            ("", None),
            ("informationals", None),
        ] {
            assert_eq!(Severity::from_word(word.as_bytes()).map(Severity::number), want, "{word}");
        }
    }
}
