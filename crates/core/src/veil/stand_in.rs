//! What takes a secret's place: its class, and a part of a keyed hash, so that the same secret has the same stand-in
//! everywhere and can be followed. The key is the user's own; without it one cannot try out which secret a stand-in
//! stands for.

use std::{
    cell::RefCell,
    collections::HashMap,
    hash::{BuildHasherDefault, Hasher},
    sync::{
        PoisonError, RwLock,
        atomic::{AtomicU64, Ordering},
    },
};

use siphasher::sip::SipHasher13;

use super::{Class, decoded};

/// Digits of the hash that a stand-in has: the fewest, and what it grows to where two secrets would share them.
const DIGITS: [usize; 3] = [6, 10, 16];
/// Hashes that are kept to tell where two would share their digits. Later ones are written in full.
const KEPT: usize = 1 << 20;

/// A key of sixteen bytes out of more: two hashes with keys that are known, each over all of them.
pub(super) fn key_of(shared: &[u8]) -> [u8; 16] {
    let mut key = [0; 16];
    for (half, name) in key.chunks_exact_mut(8).zip([b"cribrum veil key", b"key veil cribrum"]) {
        let mut hasher = SipHasher13::new_with_key(name);
        hasher.write(shared);
        half.copy_from_slice(&hasher.finish().to_le_bytes());
    }
    key
}

/// Stand-ins that a thread remembers: addresses and sessions come again and again.
const REMEMBERED: usize = 1024;
/// Bytes of the secrets that are remembered, at most.
const SHORT: usize = 64;

/// A stand-in that has been made.
#[derive(Clone)]
struct Made {
    /// By whom, and of what.
    by: u64,
    class: Class,
    short: bool,
    secret: Box<[u8]>,
    stand_in: Box<str>,
}

/// By digits: the first hash that had them. They are a hash themselves.
type Firsts = HashMap<u64, u64, BuildHasherDefault<AsItIs>>;

/// The hash of a number that is one.
#[derive(Default)]
struct AsItIs(u64);

impl Hasher for AsItIs {
    fn finish(&self) -> u64 {
        self.0
    }

    fn write(&mut self, bytes: &[u8]) {
        bytes.iter().for_each(|byte| self.write_u64(self.0.rotate_left(8) ^ u64::from(*byte)));
    }

    fn write_u64(&mut self, number: u64) {
        // The map uses bits from both ends.
        self.0 = number ^ number << 40;
    }
}

/// Makes stand-ins with a key.
pub(super) struct StandIns {
    key: [u8; 16],
    /// Tells this one from others of the program.
    number: u64,
    /// By number of digits and these: the first hash that had them.
    seen: RwLock<[Firsts; DIGITS.len()]>,
}

impl StandIns {
    pub(super) fn new(key: [u8; 16]) -> Self {
        static MADE: AtomicU64 = AtomicU64::new(0);
        Self { key, number: MADE.fetch_add(1, Ordering::Relaxed), seen: RwLock::default() }
    }

    /// The hash of a secret, whatever the escapes that it is written with.
    pub(super) fn hash(&self, class: Class, secret: &[u8]) -> u64 {
        let mut hasher = SipHasher13::new_with_key(&self.key);
        let plain = decoded::plain(secret);
        let secret = plain.trim_ascii();
        let mut each = |takes: fn(&u8) -> bool| {
            secret.iter().filter(|byte| takes(byte)).for_each(|byte| hasher.write_u8(*byte));
        };
        match class {
            // Numbers are the same with and without the gaps that people write.
            Class::Card | Class::Phone => each(u8::is_ascii_digit),
            Class::Iban | Class::Pin => each(|byte| !matches!(byte, b' ' | b'-')),
            Class::Email => {
                secret.iter().for_each(|byte| hasher.write_u8(byte.to_ascii_lowercase()));
            }
            _ => hasher.write(secret),
        }
        hasher.finish()
    }

    /// Writes the stand-in of a secret: `«card·4e1b77»`, or with the secret's beginning: `«9f3a…·4e1b77»`, which is
    /// never more than a quarter of it.
    pub(super) fn push(&self, class: Class, short: bool, secret: &[u8], out: &mut String) {
        thread_local! {
            static MADE: RefCell<Vec<Option<Made>>> = RefCell::new(vec![None; REMEMBERED]);
        }
        if secret.len() > SHORT {
            return self.make(class, short, secret, out);
        }
        // FNV-1a, by Fowler, Noll and Vo.
        let place = secret
            .iter()
            .fold(0x811c_9dc5u32, |hash, byte| (hash ^ u32::from(*byte)).wrapping_mul(0x0100_0193));
        MADE.with_borrow_mut(|made| {
            let slot = &mut made[(place ^ place >> 16) as usize % REMEMBERED];
            if let Some(known) = slot
                && (known.by, known.class, known.short) == (self.number, class, short)
                && *known.secret == *secret
            {
                return out.push_str(&known.stand_in);
            }
            let mut stand_in = String::new();
            self.make(class, short, secret, &mut stand_in);
            out.push_str(&stand_in);
            let (by, secret) = (self.number, secret.into());
            *slot = Some(Made { by, class, short, secret, stand_in: stand_in.into() });
        });
    }

    fn make(&self, class: Class, short: bool, secret: &[u8], out: &mut String) {
        let hash = self.hash(class, secret);
        out.push('«');
        if short {
            let plain = decoded::plain(secret);
            let most = (plain.len() / 4).min(BEGINNING);
            let begin = String::from_utf8_lossy(&plain);
            out.extend(begin.chars().take(most).take_while(char::is_ascii_alphanumeric));
            out.push('…');
        } else {
            out.push_str(class.name());
        }
        out.push('·');
        let digits = self.digits(hash);
        out.extend((0..digits).filter_map(|at| {
            let digit = first(hash, at + 1) & 0xf;
            char::from_digit(u32::try_from(digit).unwrap_or(0), 16)
        }));
        out.push('»');
    }

    /// The digits of a hash: as few as tell it from those seen before.
    fn digits(&self, hash: u64) -> usize {
        let enough = |seen: &[Firsts; DIGITS.len()]| {
            let all = DIGITS.into_iter().zip(seen).enumerate();
            let mut all =
                all.map(|(at, (digits, firsts))| (at, digits, firsts.get(&first(hash, digits))));
            all.find_map(|(at, digits, first)| match first {
                Some(other) if *other != hash => None,
                first => Some((at, digits, first.is_some())),
            })
        };
        let known = enough(&self.seen.read().unwrap_or_else(PoisonError::into_inner));
        if let Some((_, digits, true)) = known {
            return digits;
        }
        let mut seen = self.seen.write().unwrap_or_else(PoisonError::into_inner);
        let most = DIGITS.len() - 1;
        let (at, digits, known) = enough(&seen).unwrap_or((most, DIGITS[most], true));
        let room = seen.iter().map(HashMap::len).sum::<usize>() < KEPT;
        if !known && room {
            seen[at].insert(first(hash, digits), hash);
        }
        if known || room { digits } else { DIGITS[most] }
    }

    /// Whether digits of a stand-in are those of a hash: all of them, or those that the one seen first has.
    pub(super) fn is(&self, digits: &str, hash: u64) -> bool {
        let Ok(number) = u64::from_str_radix(digits, 16) else { return false };
        let length = digits.len();
        if length > 16 || length == 0 || first(hash, length) != number {
            return false;
        }
        let seen = self.seen.read().unwrap_or_else(PoisonError::into_inner);
        let mut firsts = DIGITS.into_iter().zip(&*seen).filter(|(digits, _)| *digits == length);
        firsts.all(|(_, firsts)| firsts.get(&number).is_none_or(|first| *first == hash))
    }
}

/// The first digits of a hash, as a number.
fn first(hash: u64, digits: usize) -> u64 {
    hash >> (64 - 4 * digits)
}

/// Characters of a shortened value that stay.
const BEGINNING: usize = 4;

/// Whether a value is a stand-in.
pub(super) fn is_one(value: &[u8]) -> bool {
    std::str::from_utf8(value).is_ok_and(|text| {
        parts(text).is_some_and(|(_, _, rest)| rest.is_empty()) && text.starts_with(['«', '['])
    })
}

/// The stand-ins in a text, in either way of writing, with their digits.
pub(crate) fn stand_ins_in(text: &str) -> Vec<(&str, &str)> {
    let mut found = Vec::new();
    let mut rest = text;
    while let Some(from) = rest.find(['«', '[']).and_then(|at| rest.get(at..)) {
        if let Some((_, digits, after)) = parts(from) {
            found.extend(from.get(..from.len() - after.len()).map(|whole| (whole, digits)));
            rest = after;
        } else {
            let mut chars = from.chars();
            chars.next();
            rest = chars.as_str();
        }
    }
    found
}

/// What a stand-in at the beginning of a text says: its class or beginning, its digits, and what follows.
fn parts(text: &str) -> Option<(&str, &str, &str)> {
    let (inner, rest, sign) = match text.chars().next()? {
        '«' => {
            let (inner, rest) = text.strip_prefix('«')?.split_once('»')?;
            (inner, rest, '·')
        }
        _ => {
            let (inner, rest) = text.strip_prefix('[')?.split_once(']')?;
            (inner, rest, ':')
        }
    };
    let (word, digits) = inner.split_once(sign)?;
    let hex = digits.bytes().all(|b| b.is_ascii_hexdigit());
    let short = word.strip_suffix('…').or_else(|| word.strip_suffix(".."));
    let known = Class::named(word).is_some()
        || short.is_some_and(|begin| {
            begin.len() <= BEGINNING && begin.bytes().all(|b| b.is_ascii_alphanumeric())
        });
    (hex && (4..=16).contains(&digits.len()) && known).then_some((word, digits, rest))
}

/// A text with its stand-ins in plain ASCII: `[card:4e1b77]`.
#[must_use]
pub fn ascii_stand_ins(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    let mut rest = text;
    while let Some(at) = rest.find('«') {
        let (before, from) = rest.split_at(at);
        out.push_str(before);
        match parts(from) {
            Some((word, digits, after)) => {
                out.push('[');
                out.push_str(&word.replace('…', ".."));
                out.push(':');
                out.push_str(digits);
                out.push(']');
                rest = after;
            }
            None => {
                out.push('«');
                rest = from.strip_prefix('«').unwrap_or(from);
            }
        }
    }
    out.push_str(rest);
    out
}

/// The classes of the stand-ins in a text, in their order. Cost: one pass over it.
#[must_use]
pub fn hidden_in(text: &str) -> Vec<Class> {
    let class = |(whole, _): &(&str, &str)| {
        let (word, ..) = parts(whole)?;
        // Of the id of a session its beginning stays, where else the class stands.
        Some(Class::named(word).unwrap_or(Class::Session))
    };
    stand_ins_in(text).iter().filter_map(class).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn made(by: &StandIns, class: Class, short: bool, secret: &str) -> String {
        let mut out = String::new();
        by.push(class, short, secret.as_bytes(), &mut out);
        out
    }

    #[test]
    fn a_stand_in_grows_where_two_secrets_would_share_it() {
        let stand_ins = StandIns::new([7; 16]);
        let mut seen: HashMap<String, u32> = HashMap::new();
        for secret in 0..20_000u32 {
            let stand_in = made(&stand_ins, Class::Password, false, &format!("tide-{secret}"));
            assert_eq!(seen.insert(stand_in.clone(), secret), None, "{stand_in}");
        }
        let longest = seen.keys().map(|key| key.chars().count()).max();
        let shortest = seen.keys().map(|key| key.chars().count()).min();
        assert!(longest > shortest, "of 20 000 two share six digits");
        for (stand_in, secret) in &seen {
            let hash = stand_ins.hash(Class::Password, format!("tide-{secret}").as_bytes());
            let digits = stand_ins_in(stand_in)[0].1;
            assert!(stand_ins.is(digits, hash), "{stand_in}");
            assert!(is_one(stand_in.as_bytes()) && is_one(ascii_stand_ins(stand_in).as_bytes()));
        }
    }

    #[test]
    fn a_secret_has_one_stand_in_however_it_is_written() {
        let stand_ins = StandIns::new([7; 16]);
        for (class, writings) in [
            (Class::Card, &["4000001234567899", "4000 0012 3456 7899", "4000-0012-3456-7899"][..]),
            (
                Class::Password,
                &[
                    "gull\"tide",
                    "gull\\\"tide",
                    "gull\\\\\\\"tide",
                    "gull%22tide",
                    "gull&quot;tide",
                    "g\\u0075ll\\\"tide",
                ],
            ),
            (Class::Iban, &["GB82WEST12345698765432", "GB82 WEST 1234 5698 7654 32"]),
            (
                Class::Email,
                &[
                    "Ada@ferries.example.test",
                    "ada@ferries.example.test",
                    "ada%40ferries.example.test",
                ],
            ),
        ] {
            let all: Vec<String> =
                writings.iter().map(|secret| made(&stand_ins, class, false, secret)).collect();
            assert!(all.iter().all(|one| *one == all[0]), "{all:?}");
        }
        let short = made(&stand_ins, Class::Session, true, "0a3f9c21e0b4d86f");
        assert!(short.starts_with("«0a3f…·"), "{short}");
        assert!(!made(&stand_ins, Class::Session, true, "0a3f9c").contains("0a3"));
    }
}
