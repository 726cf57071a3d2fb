//! The eight sources, and how each writes its lines.

use jiff::{Timestamp, tz::TimeZone};

/// A source of the scenario.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Service {
    /// The reverse proxy: access log.
    Gate,
    /// Seats and holds: JSON lines.
    Booking,
    /// Prices: pipe-delimited with a key=value tail.
    Fares,
    /// Charges: text with stack traces.
    Payments,
    /// Passenger lists: CSV with a header.
    Manifest,
    /// Tides and berths: key=value.
    Harbour,
    /// Spans of booking, fares and payments: requests of the OpenTelemetry protocol in JSON.
    Spans,
    /// Three programs in one container: JSON, text and key=value in turn.
    Deck,
}

impl Service {
    /// All sources.
    pub const ALL: [Self; 8] = [
        Self::Gate,
        Self::Booking,
        Self::Fares,
        Self::Payments,
        Self::Manifest,
        Self::Harbour,
        Self::Spans,
        Self::Deck,
    ];

    /// The name of the file it writes to.
    #[must_use]
    pub fn file(self) -> &'static str {
        match self {
            Self::Gate => "gate.log",
            Self::Booking => "booking.log",
            Self::Fares => "fares.log",
            Self::Payments => "payments.log",
            Self::Manifest => "manifest.csv",
            Self::Harbour => "harbour.log",
            Self::Spans => "spans.jsonl",
            Self::Deck => "deck.log",
        }
    }

    /// What the file begins with.
    #[must_use]
    pub fn header(self) -> &'static str {
        match self {
            Self::Manifest => {
                "time,level,request_id,crossing,passenger,seats,card_number,message\n"
            }
            _ => "",
        }
    }

    /// Digits of the fraction of a second in its times.
    #[must_use]
    pub fn digits(self) -> u8 {
        match self {
            Self::Harbour => 6,
            Self::Spans => 9,
            _ => 3,
        }
    }
}

/// `2026-03-14T06:41:02.340Z`
pub(crate) fn rfc3339(time: i64, digits: usize) -> String {
    format!("{:.digits$}", at(time))
}

/// `2026-03-14 06:41:02.340` with any mark before the fraction.
pub(crate) fn spaced(time: i64, mark: char) -> String {
    let text = rfc3339(time, 3);
    text.trim_end_matches('Z')
        .chars()
        .map(|c| match c {
            'T' => ' ',
            '.' => mark,
            c => c,
        })
        .collect()
}

/// `14/Mar/2026:06:41:02.340 +0000`
pub(crate) fn access(time: i64) -> String {
    let zoned = at(time).to_zoned(TimeZone::UTC);
    zoned.strftime("%d/%b/%Y:%H:%M:%S%.3f %z").to_string()
}

fn at(time: i64) -> Timestamp {
    Timestamp::from_nanosecond(i128::from(time)).unwrap_or(Timestamp::UNIX_EPOCH)
}
