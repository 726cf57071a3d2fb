//! The veil: what is hidden, and the only door through which text of a log leaves the core.
//!
//! [`Clean`] and [`Shareable`] are made here and nowhere else. The veil looks at whole entries, since a value cut out
//! of one says nothing of its key: secrets are first found in all of an entry, by the names of its fields and by the
//! form of its texts, under all escapes, and then hidden in whatever is taken out of it.
//!
//! What is looked for is a table of [`Detector`]s; what is done about a hit is a [`Policy`]. A secret is replaced by a
//! stand-in such as `«card·4e1b77»`, so that it can be followed without being known.

mod checks;
mod class;
mod clean;
mod decoded;
mod detectors;
mod fields;
mod filter;
mod form;
mod found;
mod fragments;
mod glance;
mod hits;
mod kind;
mod marked;
mod names;
mod plausible;
mod policy;
mod reveal;
mod rules;
mod scan;
mod shapes;
mod sql;
mod stand_in;
mod text;
mod typed;
mod value;
mod veiled;

use std::{
    borrow::Cow,
    ops::Range,
    sync::{Arc, PoisonError, RwLock},
};

pub use class::{Action, Class, Group};
pub(crate) use clean::is_harmful;
pub use clean::{Anyone, Audience, Clean, Desk, Shareable, Text, Who, harmless};
pub use detectors::Detector;
pub use fields::{CleanField, CleanValue};
pub(crate) use fields::{Fields, PartValue};
pub use hits::{By, Hit};
pub use policy::Policy;
pub use reveal::Revealed;
pub(crate) use rules::Place;
pub use rules::{Parts, Rule};
pub(crate) use stand_in::stand_ins_in;
pub use stand_in::{ascii_stand_ins, hidden_in};
pub(crate) use veiled::Veiled;

use crate::entry::Entry;
use found::{Mark, Near, Want};

/// All detectors, in the order in which they judge.
pub fn detectors() -> impl Iterator<Item = &'static Detector> {
    detectors::TABLE.iter().copied()
}

/// A look at the bytes of an entry has found nothing to hide from its audience.
#[derive(Clone, Copy)]
pub(crate) struct Clear<A: Audience>(std::marker::PhantomData<A>);

impl<A: Audience> Clear<A> {
    /// A value that was read out of them.
    pub(crate) fn value<'t>(self, value: Cow<'t, str>) -> Text<'t, A> {
        Text::new(value)
    }
}

/// The veil with the key that its stand-ins are made with.
///
/// Copies share what was typed and turned out to be a secret: `gull-tide` says nothing by itself, but is
/// hidden from the funnel and from kept sieves once an entry shows it as the value of a password.
#[derive(Clone)]
pub struct Veil {
    stand_ins: Arc<stand_in::StandIns>,
    policy: Arc<Policy>,
    rules: Arc<rules::Rules>,
    typed: Arc<RwLock<Vec<(Class, String)>>>,
    /// Stand-ins that are looked for, as they were typed.
    sought: Arc<[String]>,
    /// The program was started so that an entry may be shown without the veil.
    reveals: bool,
}

impl std::fmt::Debug for Veil {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("Veil")
    }
}

impl Veil {
    /// A veil whose stand-ins are made with `key`, with the usual policy.
    #[must_use]
    pub fn new(key: [u8; 16]) -> Self {
        Self {
            stand_ins: Arc::new(stand_in::StandIns::new(key)),
            policy: Arc::default(),
            rules: Arc::default(),
            typed: Arc::default(),
            sought: Arc::default(),
            reveals: false,
        }
    }

    /// The same, and the person at the desk may look at an entry without it.
    #[must_use]
    pub fn allowing_reveal(self) -> Self {
        Self { reveals: true, ..self }
    }

    /// Whether an entry may be shown without the veil.
    pub(crate) fn reveals(&self) -> bool {
        self.reveals
    }

    /// An entry's bytes as they are, where that is allowed.
    pub(crate) fn reveal(&self, raw: &[u8]) -> Option<Revealed> {
        self.reveals.then(|| Revealed::of(raw))
    }

    /// A key made of all bytes of a secret that people share.
    #[must_use]
    pub fn key_of(shared: &[u8]) -> [u8; 16] {
        stand_in::key_of(shared)
    }

    /// The same with another policy.
    #[must_use]
    pub fn with_policy(self, policy: Policy) -> Self {
        Self { policy: Arc::new(policy), ..self }
    }

    /// The same with rules of one's own.
    #[must_use]
    pub fn with_rules(self, rules: Vec<Rule>) -> Self {
        Self { rules: rules::Rules::new(rules), ..self }
    }

    /// The rules of one's own.
    #[must_use]
    pub fn rules(&self) -> &[Rule] {
        self.rules.all()
    }

    /// Takes the names of the sources in, for rules that hold for some of them.
    pub(crate) fn know(&self, sources: impl Iterator<Item = String>) {
        self.rules.know(sources);
    }

    /// A veil that writes each secret whose stand-in is among those in a text as it is written there: by another
    /// class, shortened, with fewer digits. All else is hidden whole.
    pub(crate) fn seeking(&self, text: &str) -> Self {
        let sought = stand_ins_in(text).into_iter().map(|(whole, _)| whole.to_owned()).collect();
        Self { sought, policy: Arc::new(Policy::strictest()), ..self.clone() }
    }

    /// What is done about each class.
    #[must_use]
    pub fn policy(&self) -> &Policy {
        &self.policy
    }

    /// Hides the secrets in a text that a person typed or pasted, such as a condition, by their form, the
    /// names before them, and what is known to be hidden in the entries.
    #[must_use]
    pub fn typed<A: Audience>(&self, text: &str) -> Text<'static, A> {
        let marks = self.typed_marks::<A>(text);
        Text::new(self.replaced::<A>(text.as_bytes(), &marks).into())
    }

    /// The same with a place in the text, in bytes, and where that is in the result: at the beginning of a secret if it
    /// is within one. What is hidden here is [`known`](Self::known) from then on.
    #[must_use]
    pub fn typed_at<A: Audience>(&self, text: &str, at: usize) -> (Text<'static, A>, usize) {
        let marks = self.typed_marks::<A>(text);
        let within = marks.iter().find(|mark| mark.span.contains(&at));
        let at = within.map_or(at, |mark| mark.span.start).min(text.len());
        let before: Vec<Mark> = marks.iter().filter(|mark| mark.span.end <= at).cloned().collect();
        let at = self.replaced::<A>(&text.as_bytes()[..at], &before).len();
        for mark in &marks {
            if let Some(secret) = text.get(mark.span.clone()) {
                self.learn(mark.class, secret);
            }
        }
        (Text::new(self.replaced::<A>(text.as_bytes(), &marks).into()), at)
    }

    /// Hides in a text of the program's own what was typed and is a secret.
    #[must_use]
    pub fn known<A: Audience>(&self, text: &str) -> Text<'static, A> {
        let mut marks = self.known_marks(text);
        // A short one is found within many words.
        let bytes = text.as_bytes();
        let within = |span: &Range<usize>| {
            let word = |at: Option<&u8>| at.is_some_and(u8::is_ascii_alphanumeric);
            word(span.start.checked_sub(1).and_then(|at| bytes.get(at)))
                || word(bytes.get(span.end))
        };
        marks.retain(|mark| mark.span.len() > 5 || !within(&mark.span));
        Text::new(self.replaced::<A>(bytes, &scan::apart(marks)).into())
    }

    /// The same for a value that a person typed for a field of a name.
    pub(crate) fn typed_value<A: Audience>(&self, name: &str, value: &str) -> Text<'static, A> {
        let want = self.want(A::WHO);
        let by = names::told(name.as_bytes(), want.personal, Some(&self.rules));
        let mut marks = self.typed_marks::<A>(value);
        if let Some(by) = by {
            let mut found =
                found::Found { want, rules: Some(&self.rules), ..found::Found::default() };
            value::hide_field(value.as_bytes(), by, &mut found);
            marks.extend(self.acted_on(found.marks, A::WHO, None));
        }
        Text::new(self.replaced::<A>(value.as_bytes(), &scan::apart(marks)).into())
    }

    /// Where secrets stand in a text that a person types, in bytes, in their order.
    pub(crate) fn secrets_in(&self, text: &str) -> Vec<Range<usize>> {
        self.typed_marks::<Desk>(text).into_iter().map(|mark| mark.span).collect()
    }

    fn typed_marks<A: Audience>(&self, text: &str) -> Vec<Mark> {
        let want = self.want(A::WHO);
        let mut marks = typed::typed(text.as_bytes(), want.personal, &self.rules);
        marks.extend(self.look(text.as_bytes(), A::WHO, None).0);
        marks.extend(self.known_marks(text));
        marks.retain(|mark| self.action(A::WHO, mark) != Action::Keep);
        scan::apart(marks)
    }

    /// Where secrets stand that were typed before.
    fn known_marks(&self, text: &str) -> Vec<Mark> {
        let known = self.typed.read().unwrap_or_else(PoisonError::into_inner);
        let mut marks = Vec::new();
        for (class, secret) in known.iter() {
            let found = memchr::memmem::find_iter(text.as_bytes(), secret.as_bytes());
            marks.extend(found.map(|at| Mark {
                span: at..at + secret.len(),
                class: *class,
                by: found::Number::MAX,
                named: true,
            }));
        }
        marks
    }

    /// Hides from now on what was typed and is hidden in an entry.
    fn learn(&self, class: Class, secret: &str) {
        let mut known = self.typed.write().unwrap_or_else(PoisonError::into_inner);
        if !known.iter().any(|(_, other)| other == secret) {
            known.push((class, secret.to_owned()));
        }
    }

    /// Finds the secrets of an entry.
    pub(crate) fn over<'e, 'a, A: Audience>(
        &'e self,
        entry: &'e Entry<'a>,
        place: Option<Place>,
    ) -> Veiled<'e, 'a, A> {
        Veiled::new(self, entry, place)
    }

    /// The bytes of an entry whose names all stand in it, as text; `None` where it must be read to know what to hide.
    pub(crate) fn raw<'r, A: Audience>(
        &self,
        raw: &'r [u8],
        place: Option<Place>,
    ) -> Option<Text<'r, A>> {
        let (marks, open) = self.look(raw, A::WHO, place);
        match (open, marks.is_empty()) {
            (true, _) => None,
            (false, true) => Some(Text::new(lossy(raw))),
            (false, false) => Some(veiled::raw_of(self, raw, marks)),
        }
    }

    /// Whether one look at the bytes of an entry whose names all stand in it says that it holds nothing to hide;
    /// `None` where it must be read to know.
    pub(crate) fn clear<A: Audience>(&self, raw: &[u8]) -> Option<Clear<A>> {
        let (marks, open) = self.look(raw, A::WHO, None);
        (marks.is_empty() && !open).then_some(Clear(std::marker::PhantomData))
    }

    /// The same for an entry of which [`Veil::clear`] is known to have said so.
    pub(crate) fn known_clear<A: Audience>(&self, raw: &[u8]) -> Clear<A> {
        debug_assert!(self.clear::<A>(raw).is_some());
        Clear(std::marker::PhantomData)
    }

    /// Whether one look at a text finds nothing to hide from anyone. The benchmarks measure it.
    #[must_use]
    pub fn is_clear(&self, text: &[u8]) -> bool {
        self.clear::<Anyone>(text).is_some()
    }

    fn want(&self, who: Who) -> Want {
        Want { personal: self.policy.minds_people(who), entropy: self.policy.entropy, near: false }
    }

    /// What must be hidden in a text that stands at a place, under all its escapes, and whether a secret's
    /// name stands in it whose value only a layout can tell. Marks are in no order. Without a place all rules hold.
    fn look(&self, text: &[u8], who: Who, place: Option<Place>) -> (Vec<Mark>, bool) {
        if self.rules.is_empty() && self.policy.hides_nothing(who) {
            return (Vec::new(), false);
        }
        let (found, _, open) = self.look_for(text, self.want(who));
        (self.acted_on(found, who, place), open)
    }

    /// All that stands in a text, hidden or not, and what is nearly a hit.
    fn look_for(&self, text: &[u8], want: Want) -> (Vec<Mark>, Vec<Near>, bool) {
        let found = scan::scan(text, want, &self.rules);
        let (mut marks, mut near, mut open) = (found.marks, found.near, found.open);
        open |= self.rules.has_paths();
        let below: &[u8] = if found.escapes { text } else { &[] };
        layers(below, |layer, written| {
            let found = scan::scan(layer, want, &self.rules);
            open |= found.open;
            marks.extend(
                found.marks.into_iter().map(|mark| Mark { span: written(&mark.span), ..mark }),
            );
            near.extend(
                found.near.into_iter().map(|near| Near { span: written(&near.span), ..near }),
            );
        });
        (marks, near, open)
    }

    /// Those of marks of which something is hidden. What a rule of the user's own keeps is kept from the detectors too.
    fn acted_on(&self, mut marks: Vec<Mark>, who: Who, place: Option<Place>) -> Vec<Mark> {
        if !self.rules.is_empty() {
            marks.retain(|mark| self.rules.holds(mark.by, place));
            let keeps = |mark: &&Mark| {
                let own = self.rules.get(mark.by).filter(|rule| !rule.from_others);
                own.is_some() && self.action(who, mark) == Action::Keep
            };
            let kept: Vec<Range<usize>> =
                marks.iter().filter(keeps).map(|mark| mark.span.clone()).collect();
            let within = |mark: &Mark| {
                kept.iter().any(|kept| kept.start <= mark.span.start && mark.span.end <= kept.end)
            };
            marks.retain(|mark| !within(mark));
        }
        marks.retain(|mark| self.action(who, mark) != Action::Keep);
        marks
    }

    /// What is done about a mark.
    fn action(&self, who: Who, mark: &Mark) -> Action {
        let usual = self.policy.action(who, mark.class);
        match self.rules.get(mark.by).and_then(|rule| Some((rule, rule.action?))) {
            Some((rule, action)) if !rule.from_others || action.is_stricter(usual) => action,
            _ => usual,
        }
    }

    fn stand_in(&self, who: Who, mark: &Mark, secret: &[u8]) -> String {
        let mut out = String::new();
        self.push_stand_in(who, mark, secret, &mut out);
        out
    }

    fn push_stand_in(&self, who: Who, mark: &Mark, secret: &[u8], out: &mut String) {
        if !self.sought.is_empty() {
            let hash = self.stand_ins.hash(mark.class, secret);
            let is = |sought: &&String| {
                let digits = stand_ins_in(sought).first().map(|(_, digits)| *digits);
                digits.is_some_and(|digits| self.stand_ins.is(digits, hash))
            };
            if let Some(sought) = self.sought.iter().find(is) {
                return out.push_str(sought);
            }
        }
        let short = self.action(who, mark) == Action::Shorten;
        self.stand_ins.push(mark.class, short, secret, out);
    }

    /// A text with stand-ins in the place of what is marked.
    fn replaced<A: Audience>(&self, bytes: &[u8], marks: &[Mark]) -> String {
        let text = std::str::from_utf8(bytes).ok();
        let part = |span: Range<usize>| match text.and_then(|text| text.get(span.clone())) {
            Some(part) => Cow::Borrowed(part),
            None => String::from_utf8_lossy(&bytes[span]),
        };
        let mut out = String::with_capacity(bytes.len() + marks.len() * 16);
        let mut at = 0;
        for mark in marks {
            out.push_str(&part(at..mark.span.start.max(at)));
            let secret = &bytes[mark.span.clone()];
            let from = out.len();
            self.push_stand_in(A::WHO, mark, secret, &mut out);
            at = mark.span.end;
            // Where blanks fill a column up, what follows stays where it was.
            let blanks = bytes[at..].iter().take_while(|b| **b == b' ').count();
            if blanks > 1 {
                let is = out.get(from..).map_or(0, |stand_in| stand_in.chars().count());
                let was = String::from_utf8_lossy(secret).chars().count();
                at += is.saturating_sub(was).min(blanks - 1);
                (is..was).for_each(|_| out.push(' '));
            }
        }
        out.push_str(&part(at..bytes.len()));
        out
    }
}

/// Bytes as text. Most are, which is told faster than where they are not.
fn lossy(bytes: &[u8]) -> Cow<'_, str> {
    match std::str::from_utf8(bytes) {
        Ok(text) => Cow::Borrowed(text),
        Err(_) => String::from_utf8_lossy(bytes),
    }
}

/// Calls `visit` with each text that a text is when its escapes are resolved, layer by layer, and where a part of it is
/// written.
fn layers(text: &[u8], mut visit: impl FnMut(&[u8], &dyn Fn(&Range<usize>) -> Range<usize>)) {
    let mut above: Vec<decoded::Decoded> = Vec::new();
    while above.len() < decoded::LAYERS {
        let last = above.last().map_or(text, |layer| layer.text.as_slice());
        let Some(next) = decoded::decode(last) else { return };
        visit(&next.text, &|span| {
            let span = next.written(span);
            above.iter().rev().fold(span, |span, layer| layer.written(&span))
        });
        above.push(next);
    }
}

#[cfg(test)]
mod tests;
