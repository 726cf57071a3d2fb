//! Numbers as values and messages write them.

use super::{
    Literal, Op, Quantity,
    quantity::{duration_or_number, leading_duration, quantity},
    units::{meet_unitless, seconds},
};

/// The number behind the words in a message, with the unit that follows it; an empty text where the words stand but no
/// number does. The words are whole ones: `in` does not stand in `inside 3`.
pub(crate) fn behind<'m>(message: &'m str, words: &str) -> Option<&'m str> {
    let mut found = None;
    let (mut before, mut rest) = (None, message);
    loop {
        let Some(at) = rest.find(words) else { return found };
        let (front, from) = rest.split_at(at);
        let (_, after) = from.split_at(words.len());
        let last = front.chars().next_back().or(before);
        (before, rest) = (words.chars().next_back(), after);
        if joins(last, words.chars().next()) || joins(before, after.chars().next()) {
            continue;
        }
        let value = after.trim_start_matches([' ', ':', '=', '\t', '"', '(', '[']);
        if value.starts_with(|c: char| c.is_ascii_digit() || matches!(c, '-' | '+' | '.')) {
            return Some(number_with_unit(value));
        }
        found = Some("");
    }
}

/// Whether two letters are of one word.
fn joins(one: Option<char>, other: Option<char>) -> bool {
    let letter = |c: Option<char>| c.is_some_and(|c| c.is_alphabetic() || c == '_');
    letter(one) && letter(other)
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
    if let Some((Quantity::Duration(_) | Quantity::Size(_), length)) = leading_duration(text) {
        return text.get(..length).unwrap_or(text);
    }
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
    let known = seconds(name, text).map(|seconds| (Unit::Seconds, seconds));
    // Words say what a number behind them is.
    let timed = || match duration_or_number(text).filter(|_| name.is_empty()) {
        Some(Quantity::Duration(seconds)) => Some((Unit::Seconds, seconds)),
        _ => None,
    };
    let known = known.or_else(timed).or_else(|| plain(text)).or_else(|| {
        let number = text.trim_end_matches(|c: char| c.is_alphabetic() || c == '%').trim_end();
        let unit = text.get(number.len()..)?.trim().trim_end_matches('%');
        let number = grouped(number)?;
        let whole = format!("{number}{unit}");
        let seconds = seconds(name, &whole).map(|seconds| (Unit::Seconds, seconds));
        seconds.or_else(|| plain(&whole))
    });
    known.filter(|(_, value)| value.is_finite())
}

/// A number that needs no second look.
fn plain(text: &str) -> Option<(Unit, f64)> {
    use Quantity::{Duration, Number, Size};
    match quantity(text) {
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

/// Whether a number that a message holds compares with a value; `name` tells the unit of one that has none.
pub(super) fn compares(name: &str, written: &str, op: Op, value: &Literal) -> bool {
    let Some((unit, number)) = read(name, written) else { return false };
    if let (Unit::Number, Some(Quantity::Duration(_))) = (unit, value.quantity) {
        meet_unitless();
    }
    let want = match (unit, value.quantity) {
        (Unit::Seconds, Some(Quantity::Duration(want) | Quantity::Number(want)))
        | (Unit::Bytes | Unit::Number, Some(Quantity::Size(want) | Quantity::Number(want))) => want,
        _ => return false,
    };
    number.partial_cmp(&want).is_some_and(|order| op.holds(order))
}
