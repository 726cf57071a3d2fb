//! Names of fields that hold secrets.

use super::Class;

/// The class of secret that a field of this name holds, if it holds one. Case and punctuation don't
/// count.
///
/// `userPassword`, `X-Api-Key` and `card_number` are hits; `password_age_days` and `max_tokens` are near
/// misses.
pub(super) fn class_of(name: &[u8]) -> Option<Class> {
    let mut folded = [0u8; 48];
    let mut len = 0;
    for byte in name.iter().filter(|b| b.is_ascii_alphanumeric()) {
        // A longer name is judged by its end, where the noun stands.
        if len == folded.len() {
            folded.copy_within(1.., 0);
            len -= 1;
        }
        folded[len] = byte.to_ascii_lowercase();
        len += 1;
    }
    let name = &folded[..len];
    let ends = |ends: &[&[u8]]| ends.iter().any(|end| name.ends_with(end));
    if ends(&[b"password", b"passwd", b"passphrase", b"pwd", b"passcode", b"pass"])
        && !ends(&[b"bypass", b"compass"])
    {
        Some(Class::Password)
    } else if ends(&[b"cardnumber", b"cardno", b"cardnum", b"creditcard"]) || name == b"pan" {
        Some(Class::Card)
    } else if ends(&[b"cookie", b"cookies"]) {
        Some(Class::Cookie)
    } else if ends(&[b"token", b"jwt", b"authorization"]) || name == b"auth" {
        Some(Class::Token)
    } else if ends(&[
        b"apikey",
        b"accesskey",
        b"privatekey",
        b"secretkey",
        b"signingkey",
        b"encryptionkey",
    ]) {
        Some(Class::Key)
    } else if matches!(name, b"pin" | b"cvv" | b"cvc" | b"cvv2" | b"otp")
        || ends(&[b"pincode", b"cardpin", b"onetimecode"])
    {
        Some(Class::Pin)
    } else if ends(&[b"secret", b"secrets", b"credential", b"credentials"]) {
        Some(Class::Secret)
    } else {
        None
    }
}

/// Whether a value under a secret's name is no secret: empty, a switch, or hidden already.
pub(super) fn is_harmless(value: &[u8]) -> bool {
    const WORDS: [&[u8]; 20] = [
        b"",
        b"-",
        b"true",
        b"false",
        b"null",
        b"nil",
        b"none",
        b"undefined",
        b"yes",
        b"no",
        b"ok",
        b"missing",
        b"expired",
        b"invalid",
        b"required",
        b"revoked",
        b"unset",
        b"redacted",
        b"is",
        b"was",
    ];
    let bare = value.trim_ascii();
    WORDS.iter().any(|word| bare.eq_ignore_ascii_case(word))
        || bare.iter().all(|b| matches!(b, b'*' | b'x' | b'X' | b'.' | b'[' | b']'))
        || bare.eq_ignore_ascii_case(b"[redacted]")
        || bare.starts_with("«".as_bytes())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_are_judged_by_their_noun() {
        for (name, want) in [
            ("userPassword", Some(Class::Password)),
            ("X-Api-Key", Some(Class::Key)),
            ("card_number", Some(Class::Card)),
            ("http.headers.Set-Cookie", Some(Class::Cookie)),
            ("a_rather_long_prefix_before_the_noun_that_matters_access_token", Some(Class::Token)),
            ("password_age_days", None),
            ("max_tokens", None),
            ("key", None),
            ("compass", None),
            ("spin", None),
        ] {
            assert_eq!(class_of(name.as_bytes()), want, "{name}");
        }
    }
}
