//! What is measured of entries: a field with its unit, how long something took, or a number behind words of the message.

use std::fmt;

#[cfg(test)]
use crate::query::{Unit, behind, read};

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
}

impl fmt::Display for Measure {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::After { name, words } => write!(f, "{name} after \"{words}\""),
            other => f.write_str(other.name()),
        }
    }
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
            ("took", "35", Some((Number, 35.0))),
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
            ("waited long", "waited", Some("")),
            ("inside 3 min in 4 s", "in", Some("4 s")),
            ("_in 4 or ein 5, in3 or", "in", Some("3")),
            ("weight=inf 4", "in", None),
            ("gate (12)", "gate (", Some("12")),
            ("no such words", "waited", None),
        ] {
            assert_eq!(behind(message, words), want, "{message}");
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
