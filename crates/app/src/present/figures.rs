//! Counts, rates and sizes in words.

pub(crate) use cribrum_core::tally::count_text;

/// A rate in the unit that gives it a number to read.
pub(crate) fn rate_text(each_second: f64) -> String {
    let (number, unit) = match each_second {
        rate if rate >= 1.0 => (rate, "a second"),
        rate if rate * 60.0 >= 1.0 => (rate * 60.0, "a minute"),
        rate if rate * 3_600.0 >= 1.0 => (rate * 3_600.0, "an hour"),
        rate => (rate * 86_400.0, "a day"),
    };
    if number >= 100.0 {
        #[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "a rate")]
        return format!("{} {unit}", count_text(number.round() as usize));
    }
    format!("{number:.1} {unit}")
}

/// A size in the unit that gives it a number to read.
pub(crate) fn size_text(bytes: u64) -> String {
    #[expect(clippy::cast_precision_loss, reason = "a size for people")]
    let size = bytes as f64;
    match bytes {
        0..1_000 => format!("{bytes} bytes"),
        1_000..1_000_000 => format!("{:.1} kB", size / 1e3),
        1_000_000..1_000_000_000 => format!("{:.1} MB", size / 1e6),
        _ => format!("{:.2} GB", size / 1e9),
    }
}

/// A count and what is counted: `1 source`, `7 sources`.
pub(crate) fn counted(count: usize, noun: &str) -> String {
    let count_text = count_text(count);
    match noun.strip_suffix('y').filter(|stem| !stem.ends_with(['a', 'e', 'o', 'u'])) {
        _ if count == 1 => format!("{count_text} {noun}"),
        Some(stem) => format!("{count_text} {stem}ies"),
        None => format!("{count_text} {noun}s"),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_counted_is_one_or_several() {
        for (count, noun, want) in [
            (1, "entry", "1 entry"),
            (2, "more entry", "2 more entries"),
            (0, "key", "0 keys"),
            (3, "lane", "3 lanes"),
        ] {
            assert_eq!(counted(count, noun), want);
        }
    }

    #[test]
    fn rates_and_sizes_have_the_unit_that_reads_best() {
        for (each_second, want) in [
            (734.4, "734 a second"),
            (52.93, "52.9 a second"),
            (0.5, "30.0 a minute"),
            (0.01, "36.0 an hour"),
            (0.000_1, "8.6 a day"),
        ] {
            assert_eq!(rate_text(each_second), want);
        }
        for (bytes, want) in [
            (999, "999 bytes"),
            (1_500, "1.5 kB"),
            (73_320_025, "73.3 MB"),
            (4_020_000_000, "4.02 GB"),
        ] {
            assert_eq!(size_text(bytes), want);
        }
    }
}
