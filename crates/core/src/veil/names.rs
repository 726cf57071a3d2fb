//! Names of fields that hold secrets.

use std::cell::RefCell;

use super::Class;

/// The class of secret that a field of this name holds, if it holds one. Case and punctuation don't
/// count.
///
/// `userPassword`, `X-Api-Key` and `card_number` are hits; `password_age_days` and `max_tokens` are near
/// misses.
pub(super) fn class_of(name: &[u8]) -> Option<Class> {
    thread_local! {
        static KNOWN: RefCell<Vec<Known>> = RefCell::new(vec![None; KEPT]);
    }
    if name.len() > LONG {
        return judge(name);
    }
    // FNV-1a, by Fowler, Noll and Vo.
    let hash = name
        .iter()
        .fold(0x811c_9dc5u32, |hash, byte| (hash ^ u32::from(*byte)).wrapping_mul(0x0100_0193));
    KNOWN.with_borrow_mut(|known| {
        let slot = &mut known[(hash ^ hash >> 16) as usize % KEPT];
        match slot {
            Some((kept, class)) if **kept == *name => *class,
            _ => {
                let class = judge(name);
                *slot = Some((name.into(), class));
                class
            }
        }
    })
}

/// Whether a name is written with more than letters and digits: what it says may then stand in none of its parts.
pub(super) fn is_parted(name: &[u8]) -> bool {
    name.iter().any(|b| !b.is_ascii_alphanumeric())
}

/// Whether a secret's name that is written in parts, as `to_ken`, stands before a colon or an equals sign: quoted, or
/// up to what can't be in a name without quotes.
pub(super) fn has_a_parted_one(text: &[u8]) -> bool {
    memchr::memchr2_iter(b':', b'=', text).any(|sign| {
        let before = text[..sign].trim_ascii_end();
        let name = match before.strip_suffix(b"\"") {
            Some(quoted) => memchr::memrchr(b'"', quoted).map_or(quoted, |at| &quoted[at + 1..]),
            None => {
                let inside = |b: &u8| {
                    b.is_ascii_alphanumeric() || matches!(b, b'_' | b'.' | b'-' | b'@' | b'/')
                };
                let start = before.iter().rposition(|b| !inside(b)).map_or(0, |at| at + 1);
                &before[start..]
            }
        };
        is_parted(name) && class_of(name).is_some()
    })
}

/// A name, and what was said of it.
type Known = Option<(Box<[u8]>, Option<Class>)>;

/// Names that are kept with what was said of them: a log has the same ones in every line.
const KEPT: usize = 512;
/// Longer names are judged each time.
const LONG: usize = 64;

fn judge(name: &[u8]) -> Option<Class> {
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
    let has = |words: &[&[u8]]| words.iter().any(|word| contains(name, word)) && !ends(&ABOUT);
    let password = ends(&[b"password", b"passwd", b"passphrase", b"pwd", b"passcode", b"pass"])
        && !ends(&[b"bypass", b"compass"]);
    if password || has(&[b"password", b"passwd", b"passphrase"]) {
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
        b"accountkey",
        b"sharedkey",
        b"masterkey",
        b"storagekey",
        b"sshkey",
        b"authkey",
        b"hmackey",
        b"sessionkey",
        b"clientkey",
    ]) || has(&[b"apikey", b"accesskey", b"secretkey", b"privatekey"])
    {
        Some(Class::Key)
    } else if matches!(name, b"pin" | b"cvv" | b"cvc" | b"cvv2" | b"otp")
        || ends(&[b"pincode", b"cardpin", b"onetimecode"])
    {
        Some(Class::Pin)
    } else if ends(&[b"secret", b"secrets", b"credential", b"credentials"])
        || has(&[b"clientsecret", b"secretvalue"])
    {
        Some(Class::Secret)
    } else {
        None
    }
}

/// Whether a short name has a word in it. Names are looked at field by field: nothing is prepared for the search.
fn contains(name: &[u8], word: &[u8]) -> bool {
    name.windows(word.len()).any(|part| part[0] == word[0] && part == word)
}

/// What a name ends with that says something about a secret, and not the secret.
const ABOUT: [&[u8]; 40] = [
    b"age",
    b"days",
    b"count",
    b"length",
    b"len",
    b"expires",
    b"expiry",
    b"expired",
    b"expiration",
    b"resetat",
    b"changedat",
    b"updatedat",
    b"createdat",
    b"changed",
    b"updated",
    b"created",
    b"reset",
    b"policy",
    b"strength",
    b"type",
    b"attempts",
    b"attempt",
    b"valid",
    b"invalid",
    b"enabled",
    b"disabled",
    b"required",
    b"url",
    b"hint",
    b"field",
    b"file",
    b"path",
    b"id",
    b"name",
    b"status",
    b"set",
    b"present",
    b"missing",
    b"matches",
    b"failures",
];

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
            ("password_confirmation", Some(Class::Password)),
            ("newPasswordRepeat", Some(Class::Password)),
            ("AccountKey", Some(Class::Key)),
            ("api_key_v2", Some(Class::Key)),
            ("oneTimeCode", Some(Class::Pin)),
            ("one_time_code", Some(Class::Pin)),
            ("to_ken", Some(Class::Token)),
            ("P.I.N", Some(Class::Pin)),
            ("password_reset_at", None),
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
