//! Whether what stands under a secret's name may be a secret.

use super::kind::Kind;

/// What is said about a secret in its place.
#[rustfmt::skip]
const WORDS: &[&[u8]] = &[
    b"", b"-", b"--", b"true", b"false", b"null", b"nil", b"none", b"undefined", b"yes", b"no",
    b"on", b"off", b"ok", b"n/a", b"na", b"empty", b"unknown", b"missing", b"absent", b"present",
    b"expired", b"invalid", b"valid", b"required", b"optional", b"revoked", b"rotated", b"unset",
    b"set", b"reset", b"changed", b"updated", b"accepted", b"rejected", b"denied", b"failed",
    b"failure", b"success", b"incorrect", b"wrong", b"mismatch", b"redacted", b"filtered",
    b"hidden", b"masked", b"removed", b"omitted", b"sanitized", b"scrubbed", b"stripped",
    b"protected", b"sensitive", b"obfuscated", b"encrypted", b"secret", b"is", b"was", b"are",
    b"has", b"not", b"must", b"should", b"cannot", b"can't", b"too", b"for", b"from", b"with",
    b"string", b"same-origin", b"include", b"disabled", b"enabled",
];

/// Whether a value is no secret: empty, a switch, masked, a placeholder, or what is said about a secret.
pub(super) fn is_harmless(value: &[u8]) -> bool {
    let bare = said(value);
    if bare.len() <= 24 {
        let wrapped = |b: &u8| b"[]<>(){}*_#".contains(b);
        let start = bare.iter().position(|b| !wrapped(b)).unwrap_or(bare.len());
        let end = bare.iter().rposition(|b| !wrapped(b)).map_or(start, |at| at + 1);
        let word = &bare[start..end];
        // `not set`, `is missing`
        let is_said = |word: &[u8]| WORDS.iter().any(|known| word.eq_ignore_ascii_case(known));
        if word.split(|b| *b == b' ').all(is_said) {
            return true;
        }
    }
    is_masked(bare) || is_template(bare) || super::stand_in::is_one(bare)
}

/// A value without blanks around it, and without what ends a sentence or a clause: a layout may leave it on.
fn said(value: &[u8]) -> &[u8] {
    let value = value.trim_ascii();
    let end =
        value.iter().rposition(|b| !matches!(b, b':' | b',' | b';' | b'.')).map_or(0, |at| at + 1);
    if end == 0 { value } else { &value[..end] }
}

/// Whether so much of a value is masked that what is left tells nothing: `****`, `xxxx`, `•••• 7899`, `40…99`.
fn is_masked(value: &[u8]) -> bool {
    let mask = |b: &u8| matches!(b, b'*' | b'x' | b'X' | b'.' | b'#' | b'?');
    if value.iter().all(|b| mask(b) || b" -[]".contains(b)) {
        return true;
    }
    let stars = value.iter().filter(|b| matches!(b, b'*' | b'#')).count();
    // The bullet and the ellipsis are three bytes each.
    let dots = ["•", "…", "●"]
        .into_iter()
        .map(|dot| memchr::memmem::find_iter(value, dot).count())
        .sum::<usize>();
    let left = value.iter().filter(|b| b.is_ascii_alphanumeric()).count();
    (stars >= 3 || dots > 0 && dots * 3 >= left / 2) && left <= 10 && left <= (stars + dots * 4) * 2
}

/// Whether a value stands for one that is filled in elsewhere: `${DB_PASSWORD}`, `{{password}}`, `%s`, `<password>`.
fn is_template(value: &[u8]) -> bool {
    let word = |text: &[u8]| {
        !text.is_empty() && text.iter().all(|b| b.is_ascii_alphanumeric() || b"_-.: ".contains(b))
    };
    let between = |open: &[u8], close: &[u8]| {
        value.strip_prefix(open).and_then(|rest| rest.strip_suffix(close)).is_some_and(word)
    };
    let variable = value.strip_prefix(b"$").is_some_and(|name| {
        name.len() > 1
            && name[0].is_ascii_alphabetic()
            && name.iter().all(|b| b.is_ascii_uppercase() || b.is_ascii_digit() || *b == b'_')
    });
    let format = matches!(value, b"{}" | b"%s" | b"%v" | b"%d" | b"{0}" | b"%q" | b"%@");
    variable
        || format
        || value
            .strip_prefix(b"${")
            .is_some_and(|name| word(name.strip_suffix(b"}").unwrap_or(name)))
        || between(b"{{", b"}}")
        || between(b"${{", b"}}")
        || between(b"%(", b")s")
        || between(b"$(", b")")
        || between(b"<", b">") && value.len() <= 24
        || between(b"%", b"%") && value.len() <= 32
        || between(b"{", b"}") && value.iter().all(|b| b.is_ascii_lowercase() || b"{}_".contains(b))
}

/// Whether a value is the parameter of a statement: `?`, `$2`, `:password`, `@p1`, `%(password)s`.
pub(super) fn is_parameter(value: &[u8]) -> bool {
    let word = |text: &[u8]| {
        !text.is_empty()
            && text.iter().all(|b| b.is_ascii_lowercase() || b.is_ascii_digit() || *b == b'_')
    };
    match value {
        b"?" | b"%s" => true,
        [b'$', rest @ ..] => {
            !rest.is_empty() && rest.len() < 4 && rest.iter().all(u8::is_ascii_digit)
        }
        [b':', rest @ ..] => word(rest) && rest.len() < 24,
        [b'@', b'p', rest @ ..] => rest.len() < 4 && rest.iter().all(u8::is_ascii_digit),
        [b'%', b'(', rest @ ..] => rest.strip_suffix(b")s").is_some_and(word),
        _ => false,
    }
}

/// Why a value is no secret of a kind, if it is none.
pub(super) fn why_not(value: &[u8], kind: Kind) -> Option<&'static str> {
    let value = said(value);
    let digits = value.iter().filter(|b| b.is_ascii_digit()).count();
    let letters = value.iter().filter(|b| b.is_ascii_alphabetic()).count();
    let all_digits = digits == value.len();
    let word = letters == value.len();
    let other = value.iter().any(|b| !b.is_ascii());
    match kind {
        Kind::Text | Kind::Phrase => (all_digits && digits < 2).then_some("a number of one digit"),
        Kind::Opaque | Kind::Credentials | Kind::Cookies => {
            if all_digits && digits < 6 {
                Some("a small number")
            } else if word && (letters < 8 || letters < 14 && is_one_case(value)) {
                Some("a plain word")
            } else if digits + letters < 3 && !other {
                Some("too few letters and digits")
            } else {
                None
            }
        }
        Kind::Code => {
            let code = value.iter().all(|b| b.is_ascii_alphanumeric() || matches!(b, b' ' | b'-'));
            (digits < 3 || value.len() > 12 || !code)
                .then_some("no code of three to twelve digits and letters")
        }
        Kind::Long => {
            let long = |b: &u8| b.is_ascii_alphanumeric() || b"+/=-_%.~:".contains(b);
            (value.len() < 20 || !value.iter().all(long) || digits == 0)
                .then_some("fewer than twenty letters and digits")
        }
        Kind::Digits => (!(6..=16).contains(&digits)).then_some("fewer than six digits"),
        Kind::Person => (letters < 2 && !other || digits > 0).then_some("no name"),
        Kind::Home => {
            let pointer = value.starts_with(b"0x");
            let blank = value.contains(&b' ');
            let host =
                !blank && value.iter().any(|b| matches!(b, b':' | b'/' | b'@' | b'.' | b'['));
            (pointer || host || !blank && digits == 0)
                .then_some("an address of a machine, not of a person")
        }
    }
}

/// Whether a word is written as words are: in one case, or with a capital at its beginning.
fn is_one_case(word: &[u8]) -> bool {
    word.iter().all(u8::is_ascii_uppercase) || word.iter().skip(1).all(u8::is_ascii_lowercase)
}

/// Whether the body of a token is one that people write to say that a token stands there.
pub(super) fn is_placeholder(body: &[u8]) -> bool {
    let mut seen = [false; 256];
    body.iter().for_each(|b| seen[usize::from(*b)] = true);
    seen.iter().filter(|is| **is).count() <= 3
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_masked_or_filled_in_elsewhere_is_no_secret() {
        for value in [
            "",
            "***",
            "********",
            "[REDACTED]",
            "<redacted>",
            "(hidden)",
            "[FILTERED]",
            "null",
            "xxxx",
            "****7899",
            "4000********7899",
            "•••• 7899",
            "${DB_PASSWORD}",
            "$DB_PASSWORD",
            "{{ password }}",
            "%s",
            "<password>",
            "%(password)s",
            "«password·4e1b77»",
            "[password:4e1b77]",
        ] {
            assert!(is_harmless(value.as_bytes()), "{value}");
        }
        for value in [
            "hunter2",
            "gull",
            "p***word-tide-harbour",
            "$2b$12$abc",
            "{gull}7",
            "4821",
            "tide...7",
            "%gull%7!",
        ] {
            assert!(!is_harmless(value.as_bytes()), "{value}");
        }
    }
}
