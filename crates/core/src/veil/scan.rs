//! Secrets in a text, by their form and by the names before them.
//!
//! A search for a few fragments finds the candidates; the detectors they belong to look around each. What no fragment
//! begins, such as a card's number, is looked for in the whole text by its shape.

use std::ops::Range;

use base64::{
    Engine as _, alphabet,
    engine::{DecodePaddingMode, GeneralPurpose, GeneralPurposeConfig},
};

use super::{
    detectors::{self, Check, Rest},
    filter::places,
    form,
    found::{Found, Mark, Number, Want},
    fragments::{CREDENTIALS, EVERYTHING, PREFIXES, Target},
    glance::{STRETCH, Tables, each_stretch},
    kind::SHAPES,
    rules::Rules,
    shapes::Around,
    sql,
    text::begins_a_word,
    value,
};

/// Looks through a text. Marks are in no order and may overlap. Cost: linear in the text, whatever stands in it: what
/// has been hidden, or looked at in vain, is not looked at again.
pub(super) fn scan<'r>(text: &[u8], want: Want, rules: &'r Rules) -> Found<'r> {
    let found = Found { want, rules: Some(rules), ..Found::default() };
    let fragments = if want.personal { &*EVERYTHING } else { &*CREDENTIALS };
    let mut scan = Scan { text, found, name_end: 0, hidden: 0..0, next: [0; SHAPES] };
    let (mut in_word, mut in_number) = (false, false);
    each_stretch(text, &Tables::of(fragments), |from, now, next| {
        let around = Around { now, next, in_word, in_number };
        for at in places(around.prefixes()) {
            PREFIXES.at(text, from + at, |hit, number| scan.token(hit, *number));
        }
        for at in places(now.fragments) {
            fragments.at(text, from + at, |hit, target| scan.target(hit, *target));
        }
        let shapes = around.shapes(want.personal);
        if shapes.iter().fold(0, |any, shape| any | shape) != 0 {
            scan.shapes(from, &shapes);
        }
        scan.found.escapes |= now.escapes != 0;
        in_word = now.words >> (STRETCH - 1) == 1;
        in_number = (now.digits | now.gaps) >> (STRETCH - 1) == 1;
    });
    let mut found = scan.found;
    if want.entropy {
        for (number, detector) in detectors::whole() {
            if let Check::Whole(look) = detector.check {
                value::set(&mut found, *number);
                look(text, &mut found);
            }
        }
    }
    own(text, rules, &mut found);
    for mark in found.marks.iter_mut().filter(|mark| mark.named && rules.get(mark.by).is_none()) {
        if let Some((class, by)) = form::of(&text[mark.span.clone()]) {
            (mark.class, mark.by) = (class, by);
        }
    }
    found
}

/// A look through a text.
struct Scan<'t, 'r> {
    text: &'t [u8],
    found: Found<'r>,
    /// All before this place has been looked at for names.
    name_end: usize,
    /// What a fragment led to and was hidden last.
    hidden: Range<usize>,
    /// The place before which a shape is not looked for again.
    next: [usize; SHAPES],
}

impl Scan<'_, '_> {
    /// Looks at a fragment.
    fn target(&mut self, hit: Range<usize>, target: Target) {
        // What ends with what is hidden may say something of what follows: `Bearer`.
        if hit.start >= self.hidden.start && hit.end < self.hidden.end {
            return;
        }
        let found = &mut self.found;
        let before = found.marks.len();
        match target {
            // One name may hold several fragments.
            Target::Name if hit.start < self.name_end => {}
            Target::Name => self.name_end = value::named(self.text, hit, found),
            Target::Detector(number) => {
                value::set(found, number);
                match detectors::detector(number).map(|detector| &detector.check) {
                    Some(Check::Form(look)) => look(self.text, hit, found),
                    Some(Check::Statement) => sql::statement(self.text, hit, found),
                    Some(Check::Encoded) => encoded(self.text, hit, found),
                    Some(Check::Token(rest)) => token(self.text, hit, *rest, found),
                    _ => {}
                }
            }
        }
        self.hid(before);
    }

    /// Looks at the prefix of a token.
    fn token(&mut self, hit: Range<usize>, number: Number) {
        self.target(hit, Target::Detector(number));
    }

    /// Takes in what was hidden last.
    fn hid(&mut self, before: usize) {
        if let [.., last] = &self.found.marks[before..] {
            self.hidden = last.span.clone();
        }
    }

    /// Looks at what begins like a shape.
    fn shapes(&mut self, from: usize, all: &[u64; SHAPES]) {
        for (number, shape, look) in detectors::shapes() {
            for at in places(all[*shape as usize]).map(|at| from + at) {
                if at >= self.next[*shape as usize] {
                    value::set(&mut self.found, *number);
                    self.next[*shape as usize] = look(self.text, at, &mut self.found);
                }
            }
        }
    }
}

/// What the rules of one's own find.
fn own(text: &[u8], rules: &Rules, found: &mut Found<'_>) {
    if rules.is_empty() {
        return;
    }
    rules.each_name(text, |hit| {
        value::named(text, hit, found);
    });
    rules.each_hit(text, &mut |by, rule, span| {
        (found.by, found.class) = (by, rule.class);
        found.hide(span);
    });
}

/// Sorts marks and lets the widest of those that overlap stand.
pub(super) fn apart(mut found: Vec<Mark>) -> Vec<Mark> {
    if found.len() > 1 {
        found.sort_by_key(|mark| (mark.span.start, std::cmp::Reverse(mark.span.end)));
    }
    let mut kept: Vec<Mark> = Vec::with_capacity(found.len());
    for mark in found {
        match kept.last_mut() {
            Some(last) if mark.span.start < last.span.end => {
                last.span.end = last.span.end.max(mark.span.end);
            }
            _ => kept.push(mark),
        }
    }
    kept
}

/// Hides a word in base64 that holds something to hide.
fn encoded(text: &[u8], hit: Range<usize>, found: &mut Found<'_>) {
    let start = hit.start;
    if start < found.decoded || !begins_a_word(text, start) {
        return;
    }
    let is_part = |b: &u8| b.is_ascii_alphanumeric() || matches!(b, b'+' | b'/' | b'-' | b'_');
    let end = start + text[start..].iter().take_while(|b| is_part(b)).count();
    found.decoded = end;
    let Some(Ok(plain)) =
        (end - start >= SHORTEST).then(|| ANY_BASE64.decode(url_safe(&text[start..end])))
    else {
        return;
    };
    let no_rules = Rules::default();
    let within = scan(&plain, found.want, found.rules.unwrap_or(&no_rules));
    let signs = text[end..].iter().take(2).take_while(|b| **b == b'=').count();
    if let Some(mark) = within.marks.first() {
        found.class = mark.class;
        found.hide(start..end + signs);
    }
}

/// Letters of the shortest object in base64 that can hide anything.
const SHORTEST: usize = 16;

/// Base64 without the signs that fill it up.
const ANY_BASE64: GeneralPurpose = GeneralPurpose::new(
    &alphabet::URL_SAFE,
    GeneralPurposeConfig::new()
        .with_decode_allow_trailing_bits(true)
        .with_decode_padding_mode(DecodePaddingMode::Indifferent),
);

/// Either alphabet of base64 in that for URLs.
fn url_safe(letters: &[u8]) -> Vec<u8> {
    let safe = |b: &u8| match b {
        b'+' => b'-',
        b'/' => b'_',
        b => *b,
    };
    letters.iter().map(safe).collect()
}

/// The token that begins with its issuer's prefix at a hit.
fn token(text: &[u8], hit: Range<usize>, rest: Rest, found: &mut Found<'_>) {
    // The search ignores case, the issuers do not.
    let here = &text[hit.clone()];
    let is_prefix = |detector: &detectors::Detector| {
        detector.fragments.iter().any(|fragment| fragment.as_bytes() == here)
    };
    if !detectors::detector(found.by).is_some_and(is_prefix) {
        return;
    }
    let joined = hit.start.checked_sub(1).map(|before| text[before]);
    if joined.is_some_and(|b| b.is_ascii_alphanumeric() || b == b'_') {
        return;
    }
    if let Some(end) = form::token_end(text, hit.end, rest) {
        found.hide(hit.start..end);
    } else {
        let short = text[hit.end..].iter().take(rest.least).take_while(|b| rest.of.has(**b));
        let end = hit.end + short.count();
        if end > hit.end + 3 {
            found.nearly(hit.start..end, "too short for its prefix, or it goes on");
        }
    }
}
