//! Which names of fields hold secrets.

use std::cell::RefCell;

use super::{
    Group,
    detectors::{Check, Names, TABLE},
    kind::Number,
    rules::Rules,
};

/// What is known of a name.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(super) struct Judged {
    /// The detector that its values are hidden by.
    secret: Option<Number>,
    /// The same where what tells who somebody is counts too.
    personal: Option<Number>,
}

impl Judged {
    /// The detector of a name's values.
    pub(super) fn by(self, personal: bool) -> Option<Number> {
        if personal { self.secret.or(self.personal) } else { self.secret }
    }
}

/// What kind of values a field of this name has. Case and punctuation don't count, and what stands before the last
/// dot, slash or blank counts only with what follows it.
///
/// `userPassword`, `X-Api-Key` and `card_number` are hits; `password_age_days` and `max_tokens` are near misses.
pub(super) fn judged(name: &[u8]) -> Judged {
    thread_local! {
        static KNOWN: RefCell<Vec<Known>> = RefCell::new(vec![None; KEPT]);
    }
    if name.len() > LONG {
        // The noun stands at the end.
        return judge(&name[name.len() - LONG..]);
    }
    // FNV-1a, by Fowler, Noll and Vo.
    let hash = name
        .iter()
        .fold(0x811c_9dc5u32, |hash, byte| (hash ^ u32::from(*byte)).wrapping_mul(0x0100_0193));
    KNOWN.with_borrow_mut(|known| {
        let slot = &mut known[(hash ^ hash >> 16) as usize % KEPT];
        match slot {
            Some((kept, judged)) if **kept == *name => *judged,
            _ => {
                let judged = judge(name);
                *slot = Some((name.into(), judged));
                judged
            }
        }
    })
}

/// The detector, or the rule of one's own, of the values of a field of this name.
pub(super) fn told(name: &[u8], personal: bool, rules: Option<&Rules>) -> Option<Number> {
    let rules = rules.filter(|rules| !rules.is_empty());
    let own = |from_others| rules.and_then(|rules| rules.by_name(name, from_others));
    own(false).or_else(|| judged(name).by(personal)).or_else(|| own(true))
}

/// A name, and what was said of it.
type Known = Option<(Box<[u8]>, Judged)>;

/// Names that are kept with what was said of them: a log has the same ones in every line.
const KEPT: usize = 1024;
/// Longer names are judged each time, by their end.
const LONG: usize = 64;

fn judge(name: &[u8]) -> Judged {
    let lower = name.to_ascii_lowercase();
    let folded = fold(&lower);
    let last = lower.rsplit(|b| b".@/:[] ".contains(b)).find(|part| !part.is_empty());
    let last = fold(last.unwrap_or_default());
    let mut judged = Judged::default();
    for (number, detector) in (0..).zip(TABLE.iter()) {
        let Check::Name(names) = detector.check else { continue };
        let personal = detector.class.group() == Group::Personal;
        let slot = if personal { &mut judged.personal } else { &mut judged.secret };
        if slot.is_none() && names.have(&folded, &last) && holds(&lower, detector.fragments) {
            *slot = Some(number);
        }
    }
    judged
}

/// Letters and digits alone.
fn fold(lower: &[u8]) -> Vec<u8> {
    lower.iter().copied().filter(u8::is_ascii_alphanumeric).collect()
}

/// Whether one of the fragments stands in the name as it is written. Without one it is not found in a text either.
fn holds(name: &[u8], fragments: &[&str]) -> bool {
    fragments.iter().any(|fragment| {
        let fragment = fragment.trim_end_matches(['=', ':', '"']).to_ascii_lowercase();
        memchr::memmem::find(name, fragment.as_bytes()).is_some()
    })
}

impl Names {
    fn have(&self, name: &[u8], last: &[u8]) -> bool {
        let ends = |ends: &[&str]| ends.iter().any(|end| name.ends_with(end.as_bytes()));
        let has = |words: &[&str]| {
            words.iter().any(|word| memchr::memmem::find(name, word.as_bytes()).is_some())
        };
        let is = self.is.iter().any(|is| is.as_bytes() == name || is.as_bytes() == last);
        (is || ends(self.ends) || has(self.has) && !is_about(name)) && !ends(self.not)
    }
}

/// Whether a folded name says something about a secret, and is not the secret.
pub(super) fn is_about(folded: &[u8]) -> bool {
    ABOUT.iter().any(|end| folded.ends_with(end.as_bytes()))
}

/// What such names end with.
const ABOUT: [&str; 52] = [
    "age",
    "days",
    "count",
    "length",
    "len",
    "expires",
    "expiresat",
    "expiresin",
    "expiry",
    "expired",
    "expiration",
    "exp",
    "iat",
    "ttl",
    "issuedat",
    "resetat",
    "changedat",
    "updatedat",
    "createdat",
    "changed",
    "updated",
    "created",
    "reset",
    "policy",
    "strength",
    "type",
    "attempts",
    "attempt",
    "valid",
    "invalid",
    "enabled",
    "disabled",
    "required",
    "url",
    "hint",
    "field",
    "file",
    "path",
    "id",
    "name",
    "status",
    "set",
    "present",
    "missing",
    "matches",
    "failures",
    "version",
    "rotation",
    "algorithm",
    "alg",
    "scope",
    "rounds",
];

/// What names inside an object end with that are not secret though the object's name is.
pub(super) fn is_beside(name: &[u8]) -> bool {
    const BESIDE: [&str; 22] = [
        "type",
        "expires",
        "expiresat",
        "expiresin",
        "expiry",
        "expiration",
        "exp",
        "iat",
        "ttl",
        "issuedat",
        "createdat",
        "updatedat",
        "count",
        "status",
        "enabled",
        "version",
        "algorithm",
        "alg",
        "scope",
        "length",
        "age",
        "valid",
    ];
    let folded = fold(&name.to_ascii_lowercase());
    BESIDE.iter().any(|end| folded.ends_with(end.as_bytes()))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::veil::{Class, detectors::detector};

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
            ("user.pin", Some(Class::Pin)),
            ("card pin", Some(Class::Pin)),
            ("JSESSIONID", Some(Class::Cookie)),
            ("connect.sid", Some(Class::Cookie)),
            ("sessionId", Some(Class::Session)),
            ("X-Session-Id", Some(Class::Cookie)),
            ("password_reset_at", None),
            ("password_age_days", None),
            ("max_tokens", None),
            ("token_count", None),
            ("sessions", None),
            ("key", None),
            ("cache_key", None),
            ("compass", None),
            ("spin", None),
            ("hostname", None),
        ] {
            let class = told(name.as_bytes(), false, None).and_then(detector).map(|d| d.class);
            assert_eq!(class, want, "{name}");
        }
    }

    /// Or a text would be taken for one without secrets at a look.
    #[test]
    fn each_name_holds_a_fragment_of_its_detector() {
        for detector in TABLE.iter() {
            let Check::Name(names) = &detector.check else { continue };
            for word in [names.is, names.ends, names.has].into_iter().flatten() {
                let fold = |fragment: &&str| {
                    String::from_utf8(super::fold(fragment.as_bytes())).unwrap_or_default()
                };
                let held = detector.fragments.iter().map(fold).any(|f| word.contains(&f));
                assert!(held, "{}: {word}", detector.name);
            }
        }
    }
}
