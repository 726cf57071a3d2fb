//! Which values of an entry are ids, of which kind each is, and when two of them are the same.
//!
//! An id is told by the name of its field: names with a role of their own ([`roles`]), those of [`NAMES`], any that
//! ends in `id`; or by its form, wherever it stands in the entry: a UUID, a ULID, a long hexadecimal number.

use std::{
    borrow::Cow,
    cell::RefCell,
    collections::HashMap,
    hash::{BuildHasherDefault, DefaultHasher, Hash, Hasher},
    ops::Range,
};

pub(crate) use super::id_kinds::{KINDS, number_of};
use super::{Entry, Field, Role, names::Names, own_ids, roles};

/// Names of fields that hold ids and are fields like others beside it, folded, by the kind of the id.
const NAMES: [(&str, &[&str]); 4] = [
    (
        "user_id",
        &[
            "user",
            "userid",
            "username",
            "customerid",
            "accountid",
            "memberid",
            "enduserid",
            "loginid",
        ],
    ),
    ("connection_id", &["connectionid", "connid", "conn", "channelid", "socketid", "streamid"]),
    (
        "job_id",
        &[
            "jobid",
            "taskid",
            "workflowid",
            "runid",
            "executionid",
            "buildid",
            "batchid",
            "invocationid",
        ],
    ),
    (
        "order_id",
        &[
            "orderid",
            "orderno",
            "ordernumber",
            "bookingid",
            "paymentid",
            "invoiceid",
            "transactionid",
            "txid",
        ],
    ),
];

/// Names that end in `id` and number what is no single case: processes, machines, programs.
const OTHERS: [&str; 20] = [
    "pid",
    "ppid",
    "uid",
    "gid",
    "tid",
    "threadid",
    "processid",
    "clientid",
    "deviceid",
    "productid",
    "instanceid",
    "serviceinstanceid",
    "hostid",
    "machineid",
    "bootid",
    "containerid",
    "podid",
    "imageid",
    "applicationid",
    "appid",
];

/// Names of fields whose value may have a query with names and values in it.
const ADDRESSES: [&str; 6] = ["query", "path", "url", "uri", "target", "request"];

/// Bytes of an entry that are looked through for ids by their form.
pub(crate) const LOOKED_THROUGH: usize = 8 << 10;

/// All ids of an entry, each once, as kind and value. Ids without a name, found by their form, are of the kind
/// `id`.
pub(crate) fn of<'s>(entry: &'s Entry<'_>) -> Vec<(&'static str, Cow<'s, str>)> {
    let mut found: Vec<(&'static str, Cow<'s, str>)> = Vec::new();
    let mut take = |kind: &'static str, value: &'s str| {
        if !found.iter().any(|(k, v)| *k == kind && v == value) {
            found.push((kind, Cow::Borrowed(value)));
        }
    };
    walk(&entry.fields, "", &mut take);
    // Where other entries stand in its bytes as well, only the message is sure to be its own.
    let text = if entry.among { entry.message.as_bytes() } else { entry.raw };
    own_ids::each_form(&text[..text.len().min(LOOKED_THROUGH)], &mut |kind, token| {
        if !found.iter().any(|(_, value)| value == token) {
            found.push((kind, Cow::Borrowed(token)));
        }
    });
    for token in by_form(text) {
        if !found.iter().any(|(_, value)| value == token) {
            found.push(("id", Cow::Borrowed(token)));
        }
    }
    found
}

/// Takes the kind of an id, and the id.
type Take<'t, 's> = dyn FnMut(&'static str, &'s str) + 't;

fn walk<'s>(fields: &'s [Field<'_>], parent: &str, take: &mut Take<'_, 's>) {
    for field in fields {
        match (field.role, field.value.text()) {
            (Role::Id(kind), Some(text)) => parts_of(kind, text, take),
            (_, Some(text)) => named(parent, &field.name, text, take),
            // The items of a list go by its name.
            _ if field.name.is_empty() => walk(field.value.children(), parent, take),
            _ => walk(field.value.children(), &field.name, take),
        }
    }
}

/// Hands over the ids that a value holds by its name and by that of the object it stands in, which is empty where
/// that is the entry itself.
pub(crate) fn named<'s>(parent: &str, own: &str, text: &'s str, take: &mut Take<'_, 's>) {
    if let Some(naming) = kind_of(parent, own) {
        within(naming, own, text, take);
    }
}

/// Hands over the ids that a value holds by what its name says.
pub(crate) fn within<'s>(naming: Naming, own: &str, text: &'s str, take: &mut Take<'_, 's>) {
    if text.is_empty() || text == "-" {
        return;
    }
    match naming {
        Naming::Sure(kind) => parts_of(kind, text, take),
        Naming::Kind(kind) if !is_void(text) && text.len() <= 128 => take(kind, text),
        Naming::Any if is_telling(text) => take("id", text),
        Naming::Address => in_query(own, text, take),
        Naming::Kind(_) | Naming::Any => {}
    }
}

/// What a field's name says of ids in its value.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) enum Naming {
    /// An id of a kind that has a role.
    Sure(&'static str),
    /// An id of a kind, whatever its form.
    Kind(&'static str),
    /// An id, where it looks like one.
    Any,
    /// Names and values of a query.
    Address,
}

/// What a name says. Cost: a look at what was asked for before.
fn kind_of(parent: &str, own: &str) -> Option<Naming> {
    thread_local! {
        static KNOWN: RefCell<Names<Option<Naming>>> = const { RefCell::new(Names::new()) };
    }
    // What the settings declare is known before the first entry is read, but for tests.
    if cfg!(test) {
        return naming(parent, own);
    }
    KNOWN.with_borrow_mut(|known| known.of(parent, own, || naming(parent, own)))
}

/// What the name of a field, and that of the object it stands in, say of ids in its value.
pub(crate) fn naming(parent: &str, own: &str) -> Option<Naming> {
    if let Role::Id(kind) = roles::role(own.as_bytes()) {
        return Some(Naming::Sure(kind));
    }
    let own_folded = roles::folded(own.as_bytes());
    let own_folded = std::str::from_utf8(&own_folded).ok()?;
    let of_names = |name: &str| {
        let of = |(_, names): &&(&str, &[&str])| names.contains(&name);
        NAMES.iter().find(of).map(|(kind, _)| Naming::Kind(kind))
    };
    // `"trace": {"id": …}`
    if matches!(own_folded, "id" | "uuid" | "guid") && !parent.is_empty() {
        let joined = format!("{}id", String::from_utf8_lossy(&roles::folded(parent.as_bytes())));
        return match roles::role(joined.as_bytes()) {
            Role::Id(kind) => Some(Naming::Kind(kind)),
            _ => of_names(&joined).or(Some(Naming::Any).filter(|_| !OTHERS.contains(&&*joined))),
        };
    }
    if let Some(kind) = of_names(own_folded) {
        return Some(kind);
    }
    if ADDRESSES.contains(&own_folded) {
        return Some(Naming::Address);
    }
    let ends = ["uuid", "guid"].iter().any(|end| own_folded.ends_with(end))
        || own_folded == "id"
        || own.strip_suffix("Id").or(own.strip_suffix("ID")).is_some_and(|front| {
            front.ends_with(|c: char| c.is_ascii_lowercase() || !c.is_ascii_alphanumeric())
        })
        || own
            .strip_suffix("id")
            .or(own.strip_suffix("ID"))
            .is_some_and(|front| front.ends_with(|c: char| !c.is_ascii_alphanumeric()));
    (ends && !OTHERS.contains(&own_folded)).then_some(Naming::Any)
}

/// The ids in the value of a field that holds some: the headers that carry a trace with a span have two.
fn parts_of<'s>(kind: &'static str, text: &'s str, take: &mut Take<'_, 's>) {
    let hex = |text: &str, len: &[usize]| {
        len.contains(&text.len()) && text.bytes().all(|b| b.is_ascii_hexdigit())
    };
    if kind == "trace_id" {
        // W3C `traceparent`: version, trace, span, flags; `b3`: trace, span, and what follows.
        let mut parts = text.split('-');
        let first = parts.next().unwrap_or_default();
        let rest: Vec<&str> = parts.collect();
        match rest.as_slice() {
            [trace, span, _] if first.len() == 2 && hex(trace, &[32]) && hex(span, &[16]) => {
                take("trace_id", trace);
                take("span_id", span);
                return;
            }
            [span, ..] if hex(first, &[16, 32]) && hex(span, &[16]) => {
                take("trace_id", first);
                take("span_id", span);
                return;
            }
            _ => {}
        }
        // `Root=1-67891233-abcdef012345678912345678;Parent=53995c3f42cd8ad8;Sampled=1`
        if let Some(root) = text.split(';').find_map(|part| part.trim().strip_prefix("Root=")) {
            take("trace_id", root);
            if let Some(span) = text.split(';').find_map(|part| part.trim().strip_prefix("Parent="))
            {
                take("span_id", span);
            }
            return;
        }
    }
    take(kind, text);
}

/// The ids among the names and values of a query.
fn in_query<'s>(own: &str, text: &'s str, take: &mut Take<'_, 's>) {
    let query = match text.split_once('?') {
        Some((_, query)) => query,
        None if own.eq_ignore_ascii_case("query") => text,
        None => return,
    };
    for (name, value) in query.split('&').filter_map(|pair| pair.split_once('=')) {
        match kind_of("", name) {
            Some(Naming::Sure(kind) | Naming::Kind(kind)) if !is_void(value) => take(kind, value),
            Some(Naming::Any) if is_telling(value) => take("id", value),
            _ => {}
        }
    }
}

/// Whether a value stands for no id.
pub(crate) fn is_void(value: &str) -> bool {
    value.bytes().all(|b| matches!(b, b'0' | b'-' | b'.' | b' '))
        || ["null", "none", "nil", "undefined", "unknown", "n/a", "anonymous", "<nil>"]
            .iter()
            .any(|void| value.eq_ignore_ascii_case(void))
}

/// Whether a value under a name that ends in `id` looks like one: letters with digits, or many digits.
fn is_telling(value: &str) -> bool {
    let within = |b: u8| b.is_ascii_alphanumeric() || matches!(b, b'-' | b'_' | b'.' | b':' | b'#');
    let digits = value.bytes().filter(u8::is_ascii_digit).count();
    let letters = value.bytes().any(|b| b.is_ascii_alphabetic());
    (4..=128).contains(&value.len())
        && digits > 0
        && (letters || digits >= 8)
        && value.bytes().all(within)
        && !is_void(value)
}

/// What tells an id from all others: the same for one that goes by different names, unless it is so short that
/// two programs may well use it for different things.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct IdKey(pub(crate) u64);

impl IdKey {
    pub(crate) fn of(kind: &str, value: &str) -> Self {
        let mut hasher = DefaultHasher::new();
        value.hash(&mut hasher);
        let mixed = value.bytes().any(|b| b.is_ascii_digit())
            && value.bytes().any(|b| b.is_ascii_alphabetic());
        if value.len() < 8 || !mixed {
            kind.hash(&mut hasher);
        }
        Self(hasher.finish() >> 16)
    }

    /// Its six bytes.
    pub(crate) fn to_bytes(self) -> [u8; 6] {
        let [_, _, bytes @ ..] = self.0.to_be_bytes();
        bytes
    }

    pub(crate) fn from_bytes([a, b, c, d, e, f]: [u8; 6]) -> Self {
        Self(u64::from_be_bytes([0, 0, a, b, c, d, e, f]))
    }
}

/// A map by keys, which are hashes already.
pub(crate) type ByKey<K, V> = HashMap<K, V, BuildHasherDefault<KeyHasher>>;

/// Takes a key for its hash.
#[derive(Default)]
pub(crate) struct KeyHasher(u64);

impl Hasher for KeyHasher {
    fn finish(&self) -> u64 {
        // The upper bits choose the group, the lower ones the place.
        self.0.wrapping_mul(0x9e37_79b9_7f4a_7c15)
    }

    fn write(&mut self, bytes: &[u8]) {
        bytes.iter().for_each(|byte| self.0 = self.0.rotate_left(8) ^ u64::from(*byte));
    }

    fn write_u64(&mut self, number: u64) {
        self.0 = self.0.rotate_left(48) ^ number;
    }
}

/// The ids that the bytes of an entry hold by their form, wherever they stand.
pub(crate) fn by_form(raw: &[u8]) -> impl Iterator<Item = &str> {
    by_form_beside(raw, &[])
}

/// The same without those that stand in some places, sorted, where they are known.
pub(crate) fn by_form_beside<'r>(
    raw: &'r [u8],
    known: &'r [Range<usize>],
) -> impl Iterator<Item = &'r str> {
    let tokens = tokens(&raw[..raw.len().min(LOOKED_THROUGH)], known);
    let tokens = tokens.filter(|token| has_id_form(token));
    tokens.filter_map(|token| std::str::from_utf8(token).ok())
}

/// Characters of the shortest id that is known by its form.
const SHORTEST: usize = 16;

/// What a byte is to the form of an id.
const FORMS: [u8; 256] = {
    let mut forms = [0; 256];
    let mut byte = 0u8;
    loop {
        forms[byte as usize] = match byte {
            b'0'..=b'9' => INSIDE | DIGIT,
            b'a'..=b'f' => INSIDE | HEX,
            b'A'..=b'F' => INSIDE | HEX | UPPER,
            b'I' | b'L' | b'O' | b'U' => INSIDE | OTHER,
            b'G'..=b'Z' => INSIDE | OTHER | UPPER,
            b'g'..=b'z' => INSIDE | OTHER,
            b'-' => INSIDE | DASH,
            _ => 0,
        };
        if byte == u8::MAX {
            break forms;
        }
        byte += 1;
    }
};
/// It may stand in an id.
const INSIDE: u8 = 1;
const DIGIT: u8 = 2;
/// A letter that is a hexadecimal digit.
const HEX: u8 = 4;
/// Any other letter.
const OTHER: u8 = 8;
const DASH: u8 = 16;
/// A letter of those that a ULID is made of.
const UPPER: u8 = 32;

/// The runs of letters, digits and dashes that are long enough for an id, without those in known places. One that long
/// has a character wherever one looks after that many.
fn tokens<'b>(bytes: &'b [u8], known: &'b [Range<usize>]) -> impl Iterator<Item = &'b [u8]> {
    let inside = |b: &u8| FORMS[usize::from(*b)] & INSIDE > 0;
    let mut at = SHORTEST - 1;
    let mut known = known.iter().peekable();
    std::iter::from_fn(move || {
        loop {
            if !inside(bytes.get(at)?) {
                at += SHORTEST;
                continue;
            }
            while known.next_if(|known| known.end <= at).is_some() {}
            if let Some(known) = known.peek().filter(|known| known.contains(&at)) {
                // What follows at once belongs to it.
                let rest = bytes.get(known.end..)?;
                at = known.end + rest.iter().take_while(|b| inside(b)).count() + SHORTEST;
                continue;
            }
            let start = bytes[..at].iter().rposition(|b| !inside(b)).map_or(0, |before| before + 1);
            let end = bytes[at..].iter().position(|b| !inside(b)).map_or(bytes.len(), |to| at + to);
            at = end + SHORTEST;
            if end - start >= SHORTEST {
                return Some(&bytes[start..end]);
            }
        }
    })
}

/// Whether a token looks like an id: a UUID, a ULID, or 16 and more hexadecimal digits with both
/// letters and numbers among them.
pub(crate) fn has_id_form(token: &[u8]) -> bool {
    if !(SHORTEST..=64).contains(&token.len()) {
        return false;
    }
    let (mut all, mut every, mut digits, mut dashes) = (0, u8::MAX, 0usize, 0usize);
    for byte in token {
        let form = FORMS[usize::from(*byte)];
        all |= form;
        // Digits are among the characters of a ULID.
        every &= form | if form & DIGIT > 0 { UPPER } else { 0 };
        digits += usize::from(form & DIGIT > 0);
        dashes += usize::from(form & DASH > 0);
    }
    let mixed = digits > 0 && all & (HEX | OTHER) > 0;
    // A number may have an exponent.
    let exponent = || digits + 1 == token.len() && token.iter().any(|b| matches!(b, b'e' | b'E'));
    if every & INSIDE == 0 || !mixed || exponent() {
        return false;
    }
    let uuid = || dashes == 4 && [8, 13, 18, 23].iter().all(|at| token[*at] == b'-');
    match token.len() {
        36 if dashes > 0 => uuid() && all & OTHER == 0,
        26 if every & UPPER > 0 => matches!(token[0], b'0'..=b'7'),
        26 | 36 => false,
        _ => dashes == 0 && all & OTHER == 0,
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn ids(parent: &str, own: &str, text: &str) -> Vec<(&'static str, String)> {
        let mut found = Vec::new();
        named(parent, own, text, &mut |kind, value| found.push((kind, value.to_owned())));
        found
    }

    #[test]
    fn names_say_which_kind_of_id_a_value_is() {
        let trace = "4bf92f3577b34da6a3ce929d0e0e4736";
        let span = "00f067aa0ba902b7";
        let both = vec![("trace_id", trace), ("span_id", span)];
        for (parent, own, text, want) in [
            ("", "X-Request-ID", "d86f", vec![("request_id", "d86f")]),
            (
                "",
                "traceparent",
                "00-4bf92f3577b34da6a3ce929d0e0e4736-00f067aa0ba902b7-01",
                both.clone(),
            ),
            ("", "b3", "4bf92f3577b34da6a3ce929d0e0e4736-00f067aa0ba902b7-1", both),
            ("", "traceparent", "a-b-c-d", vec![("trace_id", "a-b-c-d")]),
            (
                "headers",
                "X-Amzn-Trace-Id",
                "Root=1-67891233-abcdef012345678912345678;Parent=53995c3f42cd8ad8;Sampled=1",
                vec![
                    ("trace_id", "1-67891233-abcdef012345678912345678"),
                    ("span_id", "53995c3f42cd8ad8"),
                ],
            ),
            ("user", "id", "u-4711", vec![("user_id", "u-4711")]),
            ("trace", "id", trace, vec![("trace_id", trace)]),
            ("hold", "id", "h-5512", vec![("id", "h-5512")]),
            ("crossing", "id", "112", vec![]),
            ("process", "id", "h-5512", vec![]),
            ("", "holdId", "h-5512", vec![("id", "h-5512")]),
            ("", "paid", "h-5512", vec![]),
            ("", "service.instance.id", "5b3e838f-2bac-475f-9308-bb859dea114f", vec![]),
            ("", "order_id", "88", vec![("order_id", "88")]),
            ("", "conn", "71", vec![("connection_id", "71")]),
            ("", "user", "-", vec![]),
            ("", "user_id", "null", vec![]),
            ("", "parentSpanId", span, vec![("parent_span_id", span)]),
            (
                "",
                "query",
                "lang=en&request_id=d86f&hold_id=h-5512",
                vec![("request_id", "d86f"), ("id", "h-5512")],
            ),
            ("", "path", "/holds?session=s-19c04e", vec![("session", "s-19c04e")]),
        ] {
            let want: Vec<_> = want.into_iter().map(|(kind, id)| (kind, id.to_owned())).collect();
            assert_eq!(ids(parent, own, text), want, "{parent} {own} {text}");
        }
    }

    #[test]
    fn every_kind_has_its_number() {
        for (number, kind) in KINDS.iter().enumerate() {
            assert_eq!(number_of(kind), number, "{kind}");
        }
        assert_eq!(KINDS[number_of("berth")], "id");
    }

    #[test]
    fn a_long_id_is_one_whatever_it_is_called_and_a_short_one_is_not() {
        let long = "7f3a9c21e0b4d86f";
        assert_eq!(IdKey::of("request_id", long), IdKey::of("correlation_id", long));
        assert_ne!(IdKey::of("order_id", "4711"), IdKey::of("user_id", "4711"));
        assert_ne!(IdKey::of("order_id", "20260314"), IdKey::of("user_id", "20260314"));
    }

    proptest! {
        #[test]
        fn long_tokens_are_found_wherever_they_begin(text in "([a-f0-9-]{0,20}[ .:é]){0,6}[a-f0-9-]{0,40}") {
            let outside = |c: char| !c.is_ascii_alphanumeric() && c != '-';
            let want: Vec<&str> = text.split(outside).filter(|token| token.len() >= 16).collect();
            let texts = |known: &[Range<usize>]| {
                let tokens = tokens(text.as_bytes(), known).map(|token| String::from_utf8_lossy(token).into_owned());
                tokens.collect::<Vec<_>>()
            };
            prop_assert_eq!(texts(&[]), &want[..]);
            // One that is known is left out, and no other.
            for token in &want {
                let at = token.as_ptr().addr() - text.as_ptr().addr();
                let others = want.iter().filter(|other| other.as_ptr() != token.as_ptr());
                let known = std::slice::from_ref(&(at..at + token.len())).to_vec();
                prop_assert_eq!(texts(&known), others.copied().collect::<Vec<_>>());
            }
        }
    }

    proptest! {
        #[test]
        fn forms_are_told_byte_by_byte(token in "[0-9a-f]{14,40}|[0-9A-Z]{26}|[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-fg]{4}-[0-9a-f]{12}|[0-9e]{17}|[0-9a-z-]{16,36}") {
            let bytes = token.as_bytes();
            let hex = |bytes: &[u8]| bytes.iter().all(u8::is_ascii_hexdigit);
            let digits = bytes.iter().filter(|b| b.is_ascii_digit()).count();
            let exponent = digits + 1 == bytes.len() && token.contains('e');
            let mixed = digits > 0 && bytes.iter().any(u8::is_ascii_alphabetic);
            let parts: Vec<&str> = token.split('-').collect();
            let form = match bytes.len() {
                36 => parts.iter().map(|part| part.len()).eq([8, 4, 4, 4, 12]) && parts.iter().all(|part| hex(part.as_bytes())),
                26 => token.starts_with(|c| ('0'..='7').contains(&c))
                    && token.chars().all(|c| c.is_ascii_digit() || c.is_ascii_uppercase() && !"ILOU".contains(c)),
                16..=64 => hex(bytes),
                _ => false,
            };
            prop_assert_eq!(has_id_form(bytes), form && mixed && !exponent);
        }
    }

    #[test]
    fn ids_have_forms() {
        for (token, want) in [
            ("7f3a9c21e0b4d86f", true),
            ("6a2f41a3-c54c-fce8-32d2-0324e1c32e22", true),
            ("01ARZ3NDEKTSV4RRFFQ69G5FAV", true),
            ("1234567890123456", false),
            ("deadbeefdeadbeef", false),
            ("773470462340123e9", false),
            ("6a2f41a3-c54c-fce8-32d2", false),
        ] {
            assert_eq!(has_id_form(token.as_bytes()), want, "{token}");
        }
    }
}
