//! What a part of a word is by its form: a number, a duration, an id; or a word.

/// What stood in a hole.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Form {
    Number,
    Duration,
    Size,
    Time,
    Id,
    Address,
    Path,
    Text,
    Data,
    Word,
    Value,
    Hidden,
}

impl Form {
    /// What stands in its place.
    pub(crate) fn hole(self) -> &'static str {
        match self {
            Self::Number => "{number}",
            Self::Duration => "{duration}",
            Self::Size => "{size}",
            Self::Time => "{time}",
            Self::Id => "{id}",
            Self::Address => "{address}",
            Self::Path => "{path}",
            Self::Text => "{text}",
            Self::Data => "{data}",
            Self::Word => "{word}",
            Self::Value => "{value}",
            Self::Hidden => "{hidden}",
        }
    }
}

/// Letters of a word that are nothing but digits of hexadecimal numbers, from which on it is an id.
const HEX: usize = 8;
/// Letters in a row that are no word.
const LONG: usize = 40;

/// Whether letters alone are an id or a key.
pub(super) fn looks_made(letters: &[u8]) -> bool {
    letters.len() > LONG || letters.len() >= HEX && letters.iter().all(u8::is_ascii_hexdigit)
}

/// Whether a word is a method of HTTP.
pub(super) fn is_method(word: &[u8]) -> bool {
    const METHODS: [&[u8]; 9] =
        [b"GET", b"POST", b"PUT", b"DELETE", b"PATCH", b"HEAD", b"OPTIONS", b"CONNECT", b"TRACE"];
    METHODS.contains(&word)
}

/// Adds a part of a word: a hole where it is one, else its letters with holes for its numbers.
pub(super) fn push(part: &str, out: &mut String) {
    let bytes = part.as_bytes();
    let signs = bytes.iter().any(|b| !b.is_ascii_alphabetic() && *b < 0x80);
    if !signs && !looks_made(bytes) {
        out.push_str(part);
        return;
    }
    match of(part) {
        Some(form) => out.push_str(form.hole()),
        None if bytes.iter().any(u8::is_ascii_digit) => push_parts(part, out),
        None => out.push_str(part),
    }
}

/// Whether a part names the protocol of an address: `https://`.
pub(super) fn has_scheme(part: &[u8]) -> bool {
    memchr::memchr_iter(b':', part).any(|at| part[at..].starts_with(b"://"))
}

/// What a whole part is; `None` where it is a word, or a word with numbers in it.
pub(super) fn of(part: &str) -> Option<Form> {
    let bytes = part.as_bytes();
    let digits = bytes.iter().any(u8::is_ascii_digit);
    if looks_made(bytes) {
        return Some(Form::Id);
    }
    match bytes {
        [b'*', b'*', b'*', ..] if bytes.iter().all(|b| *b == b'*') => return Some(Form::Hidden),
        [b'/', _, ..] | [b'~' | b'.', b'/', ..] | [b'.', b'.', b'/', ..] => {
            return Some(Form::Path);
        }
        [drive, b':', b'\\', ..] if drive.is_ascii_alphabetic() => return Some(Form::Path),
        _ => {}
    }
    if has_scheme(bytes) || is_mail(bytes) {
        return Some(Form::Address);
    }
    if !digits {
        return None;
    }
    measured(bytes)
        .or_else(|| is_time(bytes).then_some(Form::Time))
        .or_else(|| is_address(bytes).then_some(Form::Address))
        .or_else(|| is_id(bytes).then_some(Form::Id))
}

/// A number, with or without a unit.
fn measured(bytes: &[u8]) -> Option<Form> {
    let unsigned = match bytes {
        [b'+' | b'-', rest @ ..] => rest,
        _ => bytes,
    };
    if let [b'P', b'T', b'0'..=b'9', ..] = unsigned {
        return unsigned[2..]
            .iter()
            .all(|b| b"0123456789.HMS".contains(b))
            .then_some(Form::Duration);
    }
    let number = |text: &[u8]| {
        let first = text.first().is_some_and(u8::is_ascii_digit);
        let length = text.iter().take_while(|b| b.is_ascii_digit() || b".,_'".contains(b)).count();
        let length = text[..length].iter().rposition(u8::is_ascii_digit).map_or(0, |at| at + 1);
        if first { length } else { 0 }
    };
    let mut at = number(unsigned);
    if at == 0 {
        return None;
    }
    // An address has more than one point, a time of day colons.
    let points = unsigned[..at].iter().filter(|b| **b == b'.').count();
    let mut rest = &unsigned[at..];
    if rest.is_empty() {
        return (points < 3).then_some(Form::Number);
    }
    if let [b'e' | b'E', exponent @ ..] = rest
        && points < 2
    {
        let exponent =
            exponent.strip_prefix(b"-").or_else(|| exponent.strip_prefix(b"+")).unwrap_or(&[]);
        if !exponent.is_empty() && exponent.iter().all(u8::is_ascii_digit) {
            return Some(Form::Number);
        }
    }
    if rest == b"%" {
        return Some(Form::Number);
    }
    let mut form = None;
    while !rest.is_empty() {
        let length = rest.iter().take_while(|b| b.is_ascii_alphabetic() || **b >= 0x80).count();
        let unit = unit(&rest[..length])?;
        if form.is_some_and(|form| form != unit) {
            return None;
        }
        form = Some(unit);
        rest = &rest[length..];
        at = number(rest);
        if at == 0 && !rest.is_empty() {
            return None;
        }
        // A duration may have several units, `1m30s`, and ends with one.
        if at > 0 && at == rest.len() {
            return None;
        }
        rest = &rest[at..];
    }
    form
}

fn unit(letters: &[u8]) -> Option<Form> {
    match letters {
        b"ns" | b"us" | b"ms" | b"s" | b"sec" | b"secs" | b"m" | b"min" | b"mins" | b"h"
        | b"hr" | b"hrs" | b"d" => Some(Form::Duration),
        b"B" | b"b" | b"K" | b"M" | b"G" | b"T" | b"k" | b"kB" | b"KB" | b"kb" | b"MB" | b"mb"
        | b"GB" | b"gb" | b"TB" | b"KiB" | b"MiB" | b"GiB" | b"TiB" | b"bytes" => Some(Form::Size),
        _ => match std::str::from_utf8(letters) {
            Ok("µs" | "μs") => Some(Form::Duration),
            _ => None,
        },
    }
}

/// What a word behind a number makes of it. Letters that stand for other things as well, such as `m`, do not.
pub(super) fn unit_word(word: &[u8]) -> Option<Form> {
    match word {
        b"ns" | b"us" | b"ms" | b"s" | b"sec" | b"secs" | b"min" | b"mins" | b"hr" | b"hrs"
        | b"msec" | b"msecs" | b"millis" | b"millisecond" | b"milliseconds" | b"microseconds"
        | b"nanoseconds" | b"second" | b"seconds" | b"minute" | b"minutes" | b"hour" | b"hours"
        | b"day" | b"days" => Some(Form::Duration),
        b"byte" | b"bytes" | b"kB" | b"KB" | b"kb" | b"MB" | b"mb" | b"GB" | b"gb" | b"TB"
        | b"KiB" | b"MiB" | b"GiB" | b"TiB" => Some(Form::Size),
        _ if word == "µs".as_bytes() || word == "μs".as_bytes() => Some(Form::Duration),
        _ => None,
    }
}

/// A date, a time of day, or both.
fn is_time(bytes: &[u8]) -> bool {
    let digits = |from: usize, to: usize| {
        bytes.get(from..to).is_some_and(|part| part.iter().all(u8::is_ascii_digit))
    };
    let sign = |at: usize| bytes.get(at).copied();
    let rest =
        |from: usize| bytes[from..].iter().all(|b| b.is_ascii_digit() || b"T:.,+-Zz".contains(b));
    let date = bytes.len() >= 10
        && digits(0, 4)
        && digits(5, 7)
        && digits(8, 10)
        && matches!(sign(4), Some(b'-' | b'/'))
        && sign(4) == sign(7);
    let clock = bytes.len() >= 5 && digits(0, 2) && sign(2) == Some(b':') && digits(3, 5);
    date && rest(10) || clock && (bytes.len() == 5 || sign(5) == Some(b':') && rest(5))
}

fn is_mail(bytes: &[u8]) -> bool {
    let Some(at) = memchr::memchr(b'@', bytes) else { return false };
    let (user, host) = (&bytes[..at], &bytes[at + 1..]);
    let plain = |b: &u8| b.is_ascii_alphanumeric() || b"._%+-".contains(b) || *b >= 0x80;
    !user.is_empty()
        && user.iter().all(plain)
        && host.iter().all(plain)
        && memchr::memchr(b'.', host).is_some()
}

/// An address of IP or of hardware, or a host with its port.
fn is_address(bytes: &[u8]) -> bool {
    let (host, port) = match memchr::memrchr(b':', bytes) {
        Some(at) => (&bytes[..at], &bytes[at + 1..]),
        None => (bytes, &b""[..]),
    };
    let port_fits = !port.is_empty() && port.len() <= 5 && port.iter().all(u8::is_ascii_digit);
    let four = |host: &[u8]| {
        let host = memchr::memchr(b'/', host).map_or(host, |at| &host[..at]);
        let mut groups = host.split(|b| *b == b'.');
        let fit = groups.by_ref().take(4).filter(|group| {
            !group.is_empty() && group.len() <= 3 && group.iter().all(u8::is_ascii_digit)
        });
        fit.count() == 4 && groups.next().is_none()
    };
    if four(host) && (port_fits || host.len() == bytes.len()) {
        return true;
    }
    let colons = bytes.iter().filter(|b| **b == b':').count();
    let hex = |b: &u8| b.is_ascii_hexdigit() || b":.%".contains(b);
    if colons >= 2
        && bytes.iter().all(hex)
        && bytes.split(|b| *b == b':').all(|group| group.len() <= 15)
    {
        return true;
    }
    if !port_fits || port.len() < 2 || colons != 1 {
        return false;
    }
    let name = |b: &u8| b.is_ascii_alphanumeric() || b".-_".contains(b);
    let ending = memchr::memrchr(b'.', host).map(|at| &host[at + 1..]);
    host == b"localhost" || host.iter().all(name) && ending.is_some_and(|ending| !is_source(ending))
}

/// The endings of files with source text, which are named with a line behind a colon.
fn is_source(ending: &[u8]) -> bool {
    const ENDINGS: [&[u8]; 22] = [
        b"java", b"rs", b"py", b"go", b"js", b"mjs", b"ts", b"tsx", b"jsx", b"kt", b"rb", b"c",
        b"cc", b"cpp", b"h", b"cs", b"php", b"ex", b"scala", b"lua", b"swift", b"sql",
    ];
    ENDINGS.contains(&ending)
}

/// Whether a part is one long id: a UUID, the digits of a hexadecimal number.
fn is_id(bytes: &[u8]) -> bool {
    if let [b'0', b'x' | b'X', rest @ ..] = bytes {
        return !rest.is_empty() && rest.iter().all(u8::is_ascii_hexdigit);
    }
    let groups = bytes.split(|b| *b == b'-');
    let uuid = bytes.len() == 36
        && groups.clone().map(<[u8]>::len).eq([8, 4, 4, 4, 12])
        && groups.flatten().all(u8::is_ascii_hexdigit);
    uuid || is_mixed(bytes)
}

/// Letters and digits that are no word with a number behind it.
fn is_mixed(run: &[u8]) -> bool {
    if !run.iter().all(u8::is_ascii_alphanumeric) {
        return false;
    }
    let letters = run.iter().take_while(|b| b.is_ascii_alphabetic()).count();
    if letters == run.len() {
        return looks_made(run);
    }
    let word = letters > 0 && run[letters..].iter().all(u8::is_ascii_digit);
    let hex = run.iter().all(u8::is_ascii_hexdigit) && (run.len() == 4 || run.len() >= 6);
    let number = run.iter().all(u8::is_ascii_digit);
    !number && (!word || hex || run.len() >= 16)
}

/// Adds a word with numbers in it: `pool-{number}`, `h-{number}`, `Hold.java:{number}`.
fn push_parts(part: &str, out: &mut String) {
    let from = out.len();
    let bytes = part.as_bytes();
    let (mut at, mut holes, mut ids) = (0, 0, 0);
    let inside = |at: usize| {
        let byte = bytes[at];
        let joined = (byte == b'.' || byte == b',')
            && at > 0
            && bytes[at - 1].is_ascii_digit()
            && bytes.get(at + 1).is_some_and(u8::is_ascii_digit);
        byte.is_ascii_alphanumeric() || joined
    };
    while at < bytes.len() {
        let start = at;
        while at < bytes.len() && inside(at) {
            at += 1;
        }
        let run = &bytes[start..at];
        let letters = run.iter().take_while(|b| b.is_ascii_alphabetic()).count();
        if letters < run.len() {
            holes += 1;
            if is_mixed(run) {
                ids += 1;
                out.push_str(Form::Id.hole());
            } else if let Some(form) = measured(&run[letters..]) {
                out.push_str(part.get(start..start + letters).unwrap_or_default());
                out.push_str(form.hole());
            } else {
                out.push_str(part.get(start..start + letters).unwrap_or_default());
                out.push_str(Form::Number.hole());
            }
        } else {
            out.push_str(part.get(start..at).unwrap_or_default());
        }
        let start = at;
        while at < bytes.len() && !inside(at) {
            at += 1;
        }
        out.push_str(part.get(start..at).unwrap_or_default());
    }
    // So many numbers and letters are one name of something.
    if ids > 0 && holes > 2 {
        out.truncate(from);
        out.push_str(Form::Id.hole());
    }
}
