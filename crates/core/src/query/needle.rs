//! Bytes that every match of a condition must hold, and how they are looked for.

use std::collections::BTreeSet;

use aho_corasick::{AhoCorasick, AhoCorasickBuilder, packed};
use memchr::memmem;
use regex_syntax::hir::{Hir, HirKind};

use super::{Expr, Literal, Op, Path, ast::Pattern};
use crate::entry::{Shape, ids};
use crate::scan::Spread;

/// Shorter literals are in too many places to be worth a search.
const NEEDLE_BYTES: usize = 3;
/// More literals than this are looked for by an automaton.
const FEW: usize = 8;
/// Letters from the most usual to the rarest, as texts have them.
const USUAL: &[u8] = b"etaoinsrhldcumfpgwybvkxjqz";

/// Texts one of which every match holds.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Needles {
    pub(super) texts: Vec<String>,
    /// Letters match in either case.
    pub(super) any_case: bool,
    /// The texts are names of fields, which not every layout writes.
    pub(super) names: bool,
}

impl Needles {
    /// What a condition on a single field or word needs; `None` where nothing is sure.
    pub(super) fn of(leaf: &Expr) -> Option<Self> {
        if leaf.path() == Some(&Path::Kind) {
            return of_kind(leaf);
        }
        if let Some(Path::After { words, .. }) = leaf.path() {
            let texts = vec![plain_part(words)?];
            return Some(Self { texts, any_case: false, names: false });
        }
        if let Some(Path::Shaped { shape, .. }) = leaf.path() {
            return of_shape(leaf, *shape).or_else(|| names(leaf));
        }
        // The number of a line stands nowhere in it.
        if leaf.path() == Some(&Path::Line) {
            return None;
        }
        let sure = |texts: Vec<Option<String>>, any_case| {
            let texts: Option<Vec<String>> = texts.into_iter().collect();
            texts.map(|texts| Self { texts, any_case, names: false })
        };
        let values = match leaf {
            Expr::Word(text) => {
                let any_case = !text.chars().any(char::is_uppercase);
                sure(vec![plain_part(text)], any_case)
            }
            Expr::Id(text) => sure(vec![plain_part(text)], false),
            Expr::Compare(_, Op::Equal, value) => sure(vec![value_part(value)], false),
            Expr::OneOf(_, values) => sure(values.iter().map(value_part).collect(), false),
            Expr::Matches(_, pattern) => pattern_parts(pattern)
                .and_then(|parts| sure(parts.iter().map(|part| plain_part(part)).collect(), false)),
            _ => None,
        };
        values.or_else(|| names(leaf))
    }

    /// The length of the shortest text: how much the search promises to leave out.
    pub(super) fn worth(&self) -> usize {
        let shortest = self.texts.iter().map(String::len).min().unwrap_or(0);
        if self.names { 1 } else { shortest }
    }
}

/// The longest of the parts that paths of a template have in common. Other forms say nothing of how a value is written.
fn of_shape(leaf: &Expr, shape: Shape) -> Option<Needles> {
    let values = match leaf {
        Expr::Compare(_, Op::Equal, value) => std::slice::from_ref(value),
        Expr::OneOf(_, values) => values,
        _ => return None,
    };
    let longest = |value: &Literal| {
        let parts = value.text.split('/').filter(|part| !part.contains('{'));
        parts.filter_map(plain_part).max_by_key(String::len)
    };
    let texts: Option<Vec<String>> = values.iter().map(longest).collect();
    let texts = texts.filter(|_| shape == Shape::Template)?;
    Some(Needles { texts, any_case: false, names: false })
}

/// The longest of the words that the entries of a kind have in common.
fn of_kind(leaf: &Expr) -> Option<Needles> {
    let values = match leaf {
        Expr::Compare(_, Op::Equal, value) => std::slice::from_ref(value),
        Expr::OneOf(_, values) => values,
        _ => return None,
    };
    let longest = |value: &Literal| {
        let words =
            value.text.split_ascii_whitespace().filter(|word| !word.contains(['{', '…', '%']));
        words.filter_map(plain_part).max_by_key(String::len)
    };
    let texts: Option<Vec<String>> = values.iter().map(longest).collect();
    texts.map(|texts| Needles { texts, any_case: false, names: false })
}

/// The name that every entry with the field holds.
fn names(leaf: &Expr) -> Option<Needles> {
    let path = leaf.path()?;
    let texts = match path {
        // An id may have been found by its form, and has no name then.
        Path::Field(name) | Path::Shaped { path: name, .. }
            if ids::KINDS.contains(&name.as_str()) =>
        {
            return None;
        }
        Path::Field(name) | Path::Literal(name) | Path::Shaped { path: name, .. } => {
            let part = name.split('.').max_by_key(|part| part.len())?;
            // A name may have letters in it that are written as escapes.
            let plain = part.bytes().all(|b| b.is_ascii_alphanumeric() || b"_-@".contains(&b));
            vec![Some(part.to_owned()).filter(|part| plain && part.len() >= NEEDLE_BYTES)?]
        }
        // Written with a sign between their words, or without: `responseTimeMs`.
        Path::Took => super::units::DURATION_STEMS
            .iter()
            .flat_map(|stem| [(*stem).to_owned(), stem.replace('_', "")])
            .collect::<BTreeSet<_>>()
            .into_iter()
            .collect(),
        _ => return None,
    };
    Some(Needles { texts, any_case: *path == Path::Took, names: true })
}

/// A value that is compared as text stands in the entry; a quantity may be written in other ways.
fn value_part(value: &Literal) -> Option<String> {
    if value.quantity.is_some() {
        return None;
    }
    plain_part(&value.text)
}

/// The longest part of a text that every layout writes as it is: letters, digits, and little else. Not
/// even spaces, since some messages are put together from columns.
fn plain_part(text: &str) -> Option<String> {
    if text.contains('«') {
        return None;
    }
    // Letters beyond ASCII whose lower case lies within it.
    let folded = |c: char| !text.is_ascii() && matches!(c, 'k' | 'i' | 'K' | 'I');
    text.split(|c: char| !(c.is_ascii_alphanumeric() || matches!(c, '_' | '-' | '.')) || folded(c))
        .max_by_key(|part| part.len())
        .filter(|part| part.len() >= NEEDLE_BYTES)
        .map(str::to_owned)
}

/// Literals one of which every text that a pattern matches holds.
fn pattern_parts(pattern: &Pattern) -> Option<Vec<String>> {
    let hir = regex_syntax::parse(pattern.0.as_str()).ok()?;
    parts_of(&hir).filter(|parts| parts.len() <= FEW)
}

fn parts_of(hir: &Hir) -> Option<Vec<String>> {
    match hir.kind() {
        HirKind::Literal(literal) => {
            let text = std::str::from_utf8(&literal.0).ok()?;
            (text.len() >= NEEDLE_BYTES).then(|| vec![text.to_owned()])
        }
        HirKind::Capture(capture) => parts_of(&capture.sub),
        HirKind::Repetition(repetition) if repetition.min > 0 => parts_of(&repetition.sub),
        HirKind::Concat(items) => items
            .iter()
            .filter_map(parts_of)
            .max_by_key(|parts| parts.iter().map(String::len).min()),
        HirKind::Alternation(items) => {
            let all: Option<Vec<Vec<String>>> = items.iter().map(parts_of).collect();
            all.map(|parts| parts.concat())
        }
        _ => None,
    }
}

/// A search for needles.
pub(super) enum Search {
    /// An id, in one case or in any.
    Id(Spread),
    Exact(Vec<memmem::Finder<'static>>),
    AnyCase(AnyCase),
    Many(AhoCorasick),
}

impl Search {
    pub(super) fn new(needles: &Needles) -> Option<Self> {
        let letters = |text: &String| text.bytes().any(|b| b.is_ascii_alphabetic());
        let any_case = needles.any_case && needles.texts.iter().any(letters);
        if let [text] = needles.texts.as_slice()
            && let Some(id) = Spread::new(text, any_case)
        {
            return Some(Self::Id(id));
        }
        if !any_case && needles.texts.len() <= FEW {
            let finder = |text: &String| memmem::Finder::new(text).into_owned();
            return Some(Self::Exact(needles.texts.iter().map(finder).collect()));
        }
        let packed = AnyCase::new(&needles.texts).filter(|_| any_case).map(Self::AnyCase);
        packed.or_else(|| {
            let mut builder = AhoCorasickBuilder::new();
            builder.ascii_case_insensitive(any_case).build(&needles.texts).ok().map(Self::Many)
        })
    }

    /// Calls `hit` with places where one of the texts begins; it gives the place to go on from. The places
    /// ascend, but for several texts in one case: those ascend for each text.
    pub(super) fn each(&self, bytes: &[u8], mut hit: impl FnMut(usize) -> usize) {
        match self {
            Self::Exact(finders) => {
                for finder in finders {
                    let mut at = 0;
                    while let Some(found) = bytes.get(at..).and_then(|rest| finder.find(rest)) {
                        at = hit(at + found).max(at + found + 1);
                    }
                }
            }
            Self::Id(id) => {
                let mut at = 0;
                while let Some(found) = id.find(bytes, at) {
                    at = hit(found).max(found + 1);
                }
            }
            Self::AnyCase(search) => search.each(bytes, hit),
            Self::Many(automaton) => {
                let mut at = 0;
                while let Some(found) = automaton.find(aho_corasick::Input::new(bytes).range(at..))
                {
                    at = hit(found.start()).max(found.end());
                    if at > bytes.len() {
                        return;
                    }
                }
            }
        }
    }
}

/// A search for texts in any case: all writings of a few rare letters of each at once, then the others.
pub(super) struct AnyCase {
    /// The texts in lower case, and where the letters that are looked for stand in them.
    texts: Vec<(Vec<u8>, usize)>,
    writings: packed::Searcher,
}

impl AnyCase {
    /// Writings that are looked for at once.
    const WRITINGS: usize = 64;

    fn new(texts: &[String]) -> Option<Self> {
        let shortest = texts.iter().map(String::len).min()?;
        let width = if texts.len() << 4 > Self::WRITINGS / 4 { 3 } else { 4 }.min(shortest);
        if texts.len() << width > Self::WRITINGS {
            return None;
        }
        let lower = |text: &String| {
            let text = text.to_ascii_lowercase().into_bytes();
            let rare = |b: &u8| match b {
                b'0'..=b'9' => 4,
                // Between words, and so rarely between the same letters.
                b'_' | b'-' | b'.' => 20,
                letter => USUAL.iter().position(|usual| usual == letter).unwrap_or(0),
            };
            let rarity = |at: &usize| text[*at..*at + width].iter().map(rare).sum::<usize>();
            let start = (0..=text.len() - width).max_by_key(rarity).unwrap_or(0);
            (text, start)
        };
        let texts: Vec<(Vec<u8>, usize)> = texts.iter().map(lower).collect();
        let all = texts.iter().flat_map(|(text, start)| writings(&text[*start..*start + width]));
        let mut all: Vec<Vec<u8>> = all.collect();
        all.sort_unstable();
        all.dedup();
        Some(Self { texts, writings: packed::Searcher::new(all)? })
    }

    fn each(&self, bytes: &[u8], mut hit: impl FnMut(usize) -> usize) {
        let (mut at, mut floor) = (0, 0);
        while at < bytes.len() {
            let Some(found) = self.writings.find_in(bytes, (at..bytes.len()).into()) else {
                return;
            };
            at = found.start() + 1;
            for (text, start) in &self.texts {
                let Some(begin) = found.start().checked_sub(*start).filter(|b| *b >= floor) else {
                    continue;
                };
                let whole = bytes.get(begin..begin + text.len());
                if whole.is_some_and(|whole| whole.eq_ignore_ascii_case(text)) {
                    floor = hit(begin);
                    at = at.max(floor);
                }
            }
        }
    }
}

/// All ways to write some letters in upper and lower case.
fn writings(letters: &[u8]) -> Vec<Vec<u8>> {
    let mut all = vec![Vec::new()];
    for byte in letters {
        let upper = byte.to_ascii_uppercase();
        let with =
            |byte: u8| all.iter().map(move |writing: &Vec<u8>| [&writing[..], &[byte]].concat());
        let next = with(*byte).chain(with(upper).filter(|_| upper != *byte)).collect();
        all = next;
    }
    all
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::query::Context;

    #[test]
    fn every_condition_names_what_it_needs() {
        let needs = |text: &str| {
            let expr = Expr::parse(text, &Context::default()).unwrap();
            Needles::of(&expr).map(|needles| (needles.texts.join(" "), needles.any_case))
        };
        for (text, want) in [
            ("timeout", Some(("timeout", true))),
            ("Timeout", Some(("Timeout", false))),
            ("\"seat hold\"", Some(("hold", true))),
            ("ab", None),
            ("path = /crossings/112", Some(("crossings", false))),
            ("status = 503", Some(("status", false))),
            ("status in (ready, open)", Some(("ready open", false))),
            ("status in (ready, 5)", Some(("status", false))),
            ("path ~ \"^/crossings/[0-9]+/seats$\"", Some(("crossings", false))),
            ("path ~ \"(hold|fares?)x\"", Some(("hold fare", false))),
            ("path ~ \"(?i)hold\"", Some(("path", false))),
            ("user.id = \"«token·1\"", Some(("user", false))),
            ("request_id ~ \"^7f\"", None),
            ("id ~ \"^7f\"", None),
            ("logger ~ \"^http\\\\.\"", Some(("http.", false))),
            (
                "took > 1s",
                Some((
                    "duration elapsed latency request_time requesttime response_time responsetime took",
                    true,
                )),
            ),
        ] {
            assert_eq!(
                needs(text).as_ref().map(|(texts, any_case)| (texts.as_str(), *any_case)),
                want,
                "{text}"
            );
        }
    }

    #[test]
    fn what_programs_say_when_they_start_is_known() {
        let starting = Expr::starting();
        let needles = Needles::of(&starting).map(|needles| needles.texts);
        assert!(needles.is_some_and(|texts| texts.contains(&"tarting".to_owned())));
        for (message, want) in [
            ("Starting up", true),
            ("starting", true),
            ("starting booking 2.14.0", true),
            ("Started Application in 3.2 seconds", true),
            ("fares listening on 8080", true),
            ("Server started", true),
            ("starting a hold for crossing 112", false),
            ("Started GET \"/\"", false),
            ("request started", false),
            ("seat hold requested", false),
        ] {
            assert_eq!(starting.judges("message", message), want, "{message}");
        }
    }

    proptest! {
        #[test]
        fn a_search_finds_every_place(
            text in "[a-cK._]{3,7}",
            around in proptest::collection::vec("[a-cA-CkK._]{0,9}", 0..6),
            any_case in any::<bool>(),
        ) {
            let bytes = around.join(&text);
            let needles = Needles { texts: vec![text.clone()], any_case, names: false };
            let mut found = Vec::new();
            Search::new(&needles).unwrap().each(bytes.as_bytes(), |at| {
                found.push(at);
                at + 1
            });
            let same = |window: &[u8]| match any_case {
                true => window.eq_ignore_ascii_case(text.as_bytes()),
                false => window == text.as_bytes(),
            };
            let want: Vec<usize> = bytes
                .as_bytes()
                .windows(text.len())
                .enumerate()
                .filter(|(_, window)| same(window))
                .map(|(at, _)| at)
                .collect();
            prop_assert_eq!(found, want);
        }
    }
}
