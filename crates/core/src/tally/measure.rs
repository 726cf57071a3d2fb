//! What is measured of entries: a field with its unit, how long something took, or a number behind words of the message.

use std::fmt;

use crate::query;

/// What is measured.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Measure {
    /// How long something took, as an entry's field for that says: `took`.
    Took,
    /// A field by its dotted path: `bytes`.
    Field(String),
    /// The number behind some words of the message: `took after "completed in"`. The name tells the unit of one that
    /// has none.
    After {
        /// What it is called.
        name: String,
        /// The words.
        words: String,
    },
}

impl Measure {
    /// The measure that a person typed.
    ///
    /// # Errors
    ///
    /// In words, where it is none.
    pub fn parse(text: &str) -> Result<Self, String> {
        let text = text.trim();
        if let Some((name, words)) = text.split_once(" after ") {
            let words = words.trim();
            let inner = words.strip_prefix('"').and_then(|rest| rest.strip_suffix('"'));
            let words = inner.unwrap_or(words).trim();
            if words.is_empty() || name.trim().is_empty() {
                return Err(format!("`{text}` names no words; write took after \"completed in\""));
            }
            return Ok(Self::After { name: name.trim().to_owned(), words: words.to_owned() });
        }
        match text {
            "" => Err("write what is measured: took, bytes, took after \"completed in\"".into()),
            "took" => Ok(Self::Took),
            "time" | "level" | "message" | "logger" | "source" | "layout" | "id" | "kind"
            | "run" => {
                Err(format!("`{text}` is no number; write a field with one, such as took or bytes"))
            }
            field => Ok(Self::Field(field.strip_prefix('.').unwrap_or(field).to_owned())),
        }
    }

    /// What it is called.
    #[must_use]
    pub fn name(&self) -> &str {
        match self {
            Self::Took => "took",
            Self::Field(name) | Self::After { name, .. } => name,
        }
    }

    /// The number behind the words in a message, with the unit that follows it.
    pub(crate) fn behind<'m>(message: &'m str, words: &str) -> Option<&'m str> {
        let mut rest = message;
        loop {
            let at = rest.find(words)?;
            rest = rest.get(at + words.len()..)?;
            let value = rest.trim_start_matches([' ', ':', '=', '\t', '"', '(', '[']);
            if value.starts_with(|c: char| c.is_ascii_digit() || matches!(c, '-' | '+' | '.')) {
                return Some(number_with_unit(value));
            }
        }
    }
}

impl fmt::Display for Measure {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::After { name, words } => write!(f, "{name} after \"{words}\""),
            other => f.write_str(other.name()),
        }
    }
}

/// What numbers count.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Unit {
    /// Nothing that is known.
    Number,
    /// Seconds.
    Seconds,
    /// Bytes.
    Bytes,
}

impl Unit {
    /// All of them, in the order of their numbers.
    pub(crate) const ALL: [Self; 3] = [Self::Number, Self::Seconds, Self::Bytes];
}

/// A number and its unit at the beginning of a text: `1 234.5 ms of work` has `1 234.5 ms`.
fn number_with_unit(text: &str) -> &str {
    let digit = |c: char| c.is_ascii_digit();
    let mut end = 0;
    let mut chars = text.char_indices().peekable();
    while let Some((at, c)) = chars.next() {
        let next_is_digit = chars.peek().is_some_and(|(_, next)| digit(*next));
        let sign = at == 0 && matches!(c, '-' | '+' | '.');
        if digit(c) || sign || next_is_digit && (matches!(c, ',' | '.' | '_' | '\'') || is_gap(c)) {
            end = at + c.len_utf8();
        } else {
            break;
        }
    }
    let behind = text.get(end..).unwrap_or_default();
    let blank = behind.len() - behind.trim_start_matches(' ').len();
    let unit: usize = behind
        .get(blank..)
        .unwrap_or_default()
        .chars()
        .take_while(|c| c.is_alphabetic())
        .map(char::len_utf8)
        .sum();
    let with_unit = text.get(..end + blank + unit).unwrap_or(text);
    let number = text.get(..end).unwrap_or(text);
    match read("", with_unit) {
        Some(_) => with_unit,
        None => number,
    }
}

/// A number as a value writes it: with its unit, or with that of its name; with separators between thousands, or with a
/// decimal comma. `None` where it is none, is infinite, or may be read in two ways (`1,250`).
pub(crate) fn read(name: &str, text: &str) -> Option<(Unit, f64)> {
    let text = text.trim();
    if text.is_empty() || text.len() > 64 {
        return None;
    }
    let known = query::seconds(name, text).map(|seconds| (Unit::Seconds, seconds));
    let known = known.or_else(|| plain(text)).or_else(|| {
        let number = text.trim_end_matches(|c: char| c.is_alphabetic() || c == '%').trim_end();
        let unit = text.get(number.len()..)?.trim().trim_end_matches('%');
        let number = grouped(number)?;
        let whole = format!("{number}{unit}");
        let seconds = query::seconds(name, &whole).map(|seconds| (Unit::Seconds, seconds));
        seconds.or_else(|| plain(&whole))
    });
    known.filter(|(_, value)| value.is_finite())
}

/// A number that needs no second look.
fn plain(text: &str) -> Option<(Unit, f64)> {
    use query::Quantity::{Duration, Number, Size};
    match query::quantity(text) {
        Some(Number(number)) => Some((Unit::Number, number)),
        Some(Duration(seconds)) => Some((Unit::Seconds, seconds)),
        Some(Size(bytes)) => Some((Unit::Bytes, bytes)),
        // 1.5e-3
        None if text.ends_with(|c: char| c.is_ascii_digit()) => {
            text.parse().ok().map(|number| (Unit::Number, number))
        }
        None => None,
    }
}

fn is_gap(c: char) -> bool {
    matches!(c, ' ' | '\u{a0}' | '\u{2009}' | '\u{202f}')
}

/// A number without what separates its thousands, and with a decimal point.
fn grouped(text: &str) -> Option<String> {
    let (sign, digits) = match text.strip_prefix(['-', '+']) {
        Some(rest) => (text.get(..1)?, rest),
        None => ("", text),
    };
    let seps: Vec<char> = digits.chars().filter(|c| !c.is_ascii_digit()).collect();
    if digits.is_empty() || seps.iter().any(|c| !matches!(c, ',' | '.' | '_' | '\'') && !is_gap(*c))
    {
        return None;
    }
    let count = |sep: char| seps.iter().filter(|c| **c == sep).count();
    let (commas, points) = (count(','), count('.'));
    let decimal = match (commas, points) {
        (0, 0) => None,
        (0, 1) => Some('.'),
        (0, _) => None,
        (1, 0) => {
            let (before, behind) = digits.split_once(',')?;
            // `1,250` is a thousand and more in one country and little more than one in another.
            match behind.len() == 3 && before.trim_start_matches('0') == before {
                true if before.is_empty() => Some(','),
                true => return None,
                false => Some(','),
            }
        }
        (_, 0) => None,
        _ => seps.iter().rev().find(|c| matches!(c, ',' | '.')).copied(),
    };
    let (whole, rest) = match decimal {
        Some(sep) => digits.rsplit_once(sep).map(|(whole, rest)| (whole, Some(rest)))?,
        None => (digits, None),
    };
    let groups: Vec<&str> = whole.split(|c: char| !c.is_ascii_digit()).collect();
    let threes = groups.iter().skip(1).all(|group| group.len() == 3);
    let first = groups.len() == 1 || (1..=3).contains(&groups[0].len());
    if !threes || !first || decimal.is_some_and(|sep| whole.contains(sep)) {
        return None;
    }
    let rest = rest.unwrap_or_default();
    if !rest.bytes().all(|b| b.is_ascii_digit()) {
        return None;
    }
    Some(format!("{sign}{}.{rest}", groups.concat()).trim_end_matches('.').to_owned())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_are_read_as_people_write_them() {
        use Unit::{Bytes, Number, Seconds};
        for (name, text, want) in [
            ("seats", "12", Some((Number, 12.0))),
            ("seats", "-3", Some((Number, -3.0))),
            ("ratio", "1.5e-3", Some((Number, 0.0015))),
            ("load", "97.5%", Some((Number, 97.5))),
            ("took", "35", Some((Seconds, 35.0))),
            ("took", "35ms", Some((Seconds, 0.035))),
            ("took", "35 ms", Some((Seconds, 0.035))),
            ("berth", "35 ms", Some((Seconds, 0.035))),
            ("took_ms", "1,234,567.5", Some((Seconds, 1_234.567_5))),
            ("bytes", "4KiB", Some((Bytes, 4_096.0))),
            ("bytes", "12 345", Some((Number, 12_345.0))),
            ("bytes", "1'234'567", Some((Number, 1_234_567.0))),
            ("bytes", "1.234,5", Some((Number, 1_234.5))),
            ("bytes", "1.234.567", Some((Number, 1_234_567.0))),
            ("price", "42,5", Some((Number, 42.5))),
            ("price", "0,250", Some((Number, 0.25))),
            // A thousand and more, or little more than one.
            ("price", "1,250", None),
            ("price", "12,34,5", None),
            ("price", "inf", None),
            ("price", "NaN", None),
            ("price", "1e999", None),
            ("price", "-", None),
            ("price", "", None),
            ("price", "twelve", None),
            ("price", "10.7.1.168", None),
            ("price", "2026-03-14", None),
        ] {
            let got = read(name, text);
            let close = match (got, want) {
                (Some((unit, got)), Some((wanted, want))) => {
                    unit == wanted && (got - want).abs() < 1e-9
                }
                (got, want) => got == want,
            };
            assert!(close, "{name}={text}: {got:?}, not {want:?}");
        }
    }

    #[test]
    fn numbers_behind_words_are_found() {
        for (message, words, want) in [
            ("Completed in 12ms (Views: 0.2ms)", "Completed in", Some("12ms")),
            ("completed in: 1 234.5 ms of work", "completed in", Some("1 234.5 ms")),
            ("took=3, then took 35 seats", "took", Some("3")),
            ("took nothing, took 35 seats", "took", Some("35")),
            ("waited -1.5s.", "waited", Some("-1.5s")),
            ("waited long", "waited", None),
            ("no such words", "waited", None),
        ] {
            assert_eq!(Measure::behind(message, words), want, "{message}");
        }
    }

    #[test]
    fn measures_are_typed() {
        let after = Measure::parse("took after \"completed in\"").unwrap();
        assert_eq!(after, Measure::After { name: "took".into(), words: "completed in".into() });
        assert_eq!(after.to_string(), "took after \"completed in\"");
        assert_eq!(Measure::parse(" took "), Ok(Measure::Took));
        assert_eq!(Measure::parse(".took"), Ok(Measure::Field("took".into())));
        for wrong in ["", "level", "took after \"\""] {
            assert!(Measure::parse(wrong).is_err(), "{wrong}");
        }
    }
}
