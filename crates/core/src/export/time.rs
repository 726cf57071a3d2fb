//! Times as they are written out.

use std::{cell::RefCell, io::Write as _};

use crate::entry::rfc3339;

/// Writes a time as RFC 3339 with the precision that it was written with, or that it needs.
#[must_use]
pub fn time_text(nanos: i64, digits: Option<u8>) -> String {
    let mut out = Vec::with_capacity(32);
    write_time(&mut out, nanos, digits);
    String::from_utf8_lossy(&out).into_owned()
}

const DAY: i64 = 86_400 * 1_000_000_000;

/// The same into a buffer. The date is worked out once for times of one day.
pub(super) fn write_time(out: &mut Vec<u8>, nanos: i64, digits: Option<u8>) {
    thread_local! {
        static DATE: RefCell<(i64, String)> = const { RefCell::new((i64::MIN, String::new())) };
    }
    let needed = || {
        let fits = |digits: &u8| nanos.rem_euclid(10i64.pow(9 - u32::from(*digits))) == 0;
        [0, 3, 6].into_iter().find(fits).unwrap_or(9)
    };
    let digits = usize::from(digits.unwrap_or_else(needed).min(9));
    let (day, within) = (nanos.div_euclid(DAY), nanos.rem_euclid(DAY));
    DATE.with_borrow_mut(|(of, date)| {
        if *of != day {
            let midnight = rfc3339(day.saturating_mul(DAY), 0);
            let written = midnight.split_once('T').map_or("", |(date, _)| date);
            (*of, *date) = (day, written.to_owned());
        }
        out.extend_from_slice(date.as_bytes());
    });
    let seconds = within / 1_000_000_000;
    let two = |number: i64| {
        let number = u8::try_from(number % 100).unwrap_or(0);
        [b'0' + number / 10, b'0' + number % 10]
    };
    for (mark, number) in [(b'T', seconds / 3_600), (b':', seconds / 60 % 60), (b':', seconds % 60)]
    {
        out.push(mark);
        out.extend_from_slice(&two(number));
    }
    if digits > 0 {
        let at = out.len();
        // Writing to memory does not fail.
        let _ = write!(out, ".{:09}", within % 1_000_000_000);
        out.truncate(at + 1 + digits);
    }
    out.push(b'Z');
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn times_are_those_of_the_calendar(nanos in i64::MIN + 1.., digits in 0u8..10) {
            prop_assert_eq!(time_text(nanos, Some(digits)), rfc3339(nanos, digits));
        }
    }
}
