//! An entry under the veil.

use std::{borrow::Cow, collections::HashSet, marker::PhantomData, ops::Range};

use aho_corasick::{AhoCorasick, MatchKind};

use super::{
    Audience, CleanField, Fields, Place, Text, Veil, decoded,
    found::{Found, Mark, Number},
    layers, lossy, names, scan, value,
};
use crate::entry::{Entry, Field, kind};

/// Secrets this long are hidden wherever they occur in their entry.
pub(super) const SPREADS: usize = 6;
/// Those this long where they stand as a word of their own; shorter ones only where they were found.
const SPREADS_AS_A_WORD: usize = 4;
/// Secrets that are looked for one by one.
const FEW: usize = 8;
/// Bytes of a line, mostly.
const A_LINE: usize = 1024;

/// An entry of which it is known what must be hidden from its audience.
pub(crate) struct Veiled<'e, 'a, A: Audience> {
    veil: &'e Veil,
    entry: &'e Entry<'a>,
    place: Option<Place>,
    /// `None` where there is nothing to hide.
    secrets: Option<Secrets<'e>>,
    audience: PhantomData<A>,
}

/// What is hidden in an entry.
#[derive(Default)]
struct Secrets<'s> {
    /// Where the entry's bytes are hidden by what stands in them.
    marks: Vec<Mark>,
    /// Each as it is written and as it reads.
    texts: Vec<(Mark, Cow<'s, str>)>,
    /// The same texts, where there are many.
    seen: HashSet<Cow<'s, str>>,
    /// How many there are, each counted once.
    count: usize,
    /// Finds those that are hidden wherever they stand, where there are many.
    finder: Option<(AhoCorasick, Vec<usize>)>,
}

impl<'e, 'a, A: Audience> Veiled<'e, 'a, A> {
    pub(super) fn new(veil: &'e Veil, entry: &'e Entry<'a>, place: Option<Place>) -> Self {
        let mut veiled = Self { veil, entry, place, secrets: None, audience: PhantomData };
        // What is found in a value is found in the entry's bytes as well, under all escapes; what is found by the
        // name of its field needs such a name, which stands there too unless the layout gave it.
        let (marks, open) = veil.look(entry.raw, A::WHO, place);
        let written = entry.raw.as_ptr_range();
        let given = |name: &str| open || !written.contains(&name.as_ptr());
        if !marks.is_empty()
            || veil.rules.has_paths()
            || veiled.is_joined()
            || veiled.names_a_secret(&entry.fields, &given)
        {
            let mut secrets = Secrets::default();
            for mark in marks {
                secrets.add(&mark, &entry.raw[mark.span.clone()]);
                secrets.marks.push(mark);
            }
            veiled.gather(&entry.fields, None, &mut secrets);
            veiled.at_paths(&mut secrets);
            veiled.joined(&mut secrets);
            secrets.index();
            veiled.secrets = (secrets.count > 0).then_some(secrets);
        }
        veiled
    }

    /// How many secrets are hidden.
    pub(crate) fn hidden(&self) -> usize {
        self.secrets.as_ref().map_or(0, |secrets| secrets.count)
    }

    /// Any text of the entry.
    pub(crate) fn text<'t>(&self, text: Cow<'t, str>) -> Text<'t, A> {
        self.hide_in(text, None)
    }

    pub(crate) fn message(&self) -> Text<'e, A> {
        self.text(Cow::Borrowed(&self.entry.message))
    }

    /// What the entry says without its variable parts, and without what is hidden.
    pub(crate) fn kind(&self) -> Text<'static, A> {
        let made = match &self.secrets {
            None => kind::of(self.entry),
            Some(_) => kind::hiding(self.entry, &|text| {
                self.hide_in(Cow::Borrowed(text), None).as_str().to_owned().into()
            }),
        };
        // Names and values that the entry has apart stand side by side in it: `GET /reset {hidden}`. A hole behind the name
        // of a secret becomes a stand-in, and a hole again.
        let text = self.text(Cow::Owned(made));
        text.made_into(kind::without_stand_ins(text.as_str()).into_owned())
    }

    pub(crate) fn body(&self) -> Option<Text<'e, A>> {
        self.entry.body.as_deref().map(|body| self.text(Cow::Borrowed(body)))
    }

    pub(crate) fn logger(&self) -> Option<Text<'e, A>> {
        self.entry.logger.as_deref().map(|logger| self.text(Cow::Borrowed(logger)))
    }

    pub(crate) fn level_raw(&self) -> Option<Text<'e, A>> {
        self.entry.level_raw.as_deref().map(|level| self.text(Cow::Borrowed(level)))
    }

    /// The ids as kind and value.
    pub(crate) fn ids(&self) -> Vec<(&'static str, Text<'e, A>)> {
        self.entry.ids().into_iter().map(|(kind, id)| (kind, self.text(id))).collect()
    }

    /// The entry's bytes as text.
    pub(crate) fn raw(&self) -> Text<'e, A> {
        let raw = self.entry.raw;
        match &self.secrets {
            None => Text::new(lossy(raw)),
            Some(secrets) => written(self.veil, raw, &self.marks_of_raw(), secrets),
        }
    }

    /// What is hidden in the entry's bytes, in its order.
    pub(super) fn marks_of_raw(&self) -> Vec<Mark> {
        let Some(secrets) = &self.secrets else { return Vec::new() };
        let mut marks = secrets.marks.clone();
        self.field_marks(&self.entry.fields, None, &mut marks);
        secrets.spread(self.entry.raw, &mut marks);
        scan::apart(marks)
    }

    /// Whether a word stands in the entry only where it is hidden. It is then hidden from then on wherever a
    /// person's own text is shown. In any case.
    pub(crate) fn hides(&self, word: &str) -> bool {
        let lower = word.to_lowercase();
        let texts = self.secrets.iter().flat_map(|secrets| &secrets.texts);
        let holds = |(_, secret): &&(Mark, Cow<'_, str>)| secret.to_lowercase().contains(&lower);
        let Some((mark, _)) = texts.into_iter().find(holds) else { return false };
        if self.raw().as_str().to_lowercase().contains(&lower) {
            return false;
        }
        self.veil.learn(mark.class, word);
        true
    }

    /// A secret of the entry that a text shows, outside of stand-ins, though it is long enough to be hidden
    /// wherever it stands.
    pub(crate) fn shown_in(&self, text: &str) -> Option<&str> {
        let outside = || {
            text.split('«').enumerate().map(|(at, part)| match at {
                0 => part,
                _ => part.split_once('»').map_or(part, |(_, rest)| rest),
            })
        };
        let texts = self.secrets.iter().flat_map(|secrets| &secrets.texts);
        texts
            .map(|(_, secret)| &**secret)
            .filter(|secret| secret.len() >= SPREADS && !secret.contains(['«', '»']))
            .find(|secret| outside().any(|part| part.contains(secret)))
    }

    /// The fields; those that became time, level, message, logger or an id only where `all`.
    pub(crate) fn fields(&self, all: bool) -> Vec<CleanField<A>> {
        self.parts(all).map(super::fields::Part::into_owned).collect()
    }

    /// The same, one by one and without a copy.
    pub(crate) fn parts(&self, all: bool) -> Fields<'_, 'a, A> {
        Fields::of(self, &self.entry.fields, None, all)
    }

    /// Which detector hides the values under a name, where the entry holds a secret at all.
    pub(super) fn detector_of(&self, name: &str) -> Option<Number> {
        self.secrets.as_ref().and_then(|_| self.named(name))
    }

    fn named(&self, name: &str) -> Option<Number> {
        names::told(name.as_bytes(), self.veil.want(A::WHO).personal, Some(&self.veil.rules))
    }

    /// Which detector hides the values of a field: by its own name, or by that of what it stands in.
    pub(super) fn judged(&self, name: &str, under: Option<Number>) -> Option<Number> {
        self.detector_of(name)
            .or(under)
            .filter(|_| under.is_none() || !names::is_beside(name.as_bytes()))
    }

    /// The value of a field of the entry, as its audience sees it.
    pub(crate) fn value_text(&self, field: &Field<'a>, under: Option<Number>) -> Option<String> {
        let text = field.value.text()?;
        let by = self.judged(&field.name, under);
        Some(self.value(text, by, &field.span).as_str().to_owned())
    }

    /// The text of a field's value, which stands at a place of the entry's bytes.
    pub(super) fn value<'t>(
        &self,
        text: &'t str,
        by: Option<Number>,
        span: &Range<usize>,
    ) -> Text<'t, A> {
        let marks = self.secrets.as_ref().map_or(&[][..], |secrets| &secrets.marks);
        let hidden = self.hide_in(Cow::Borrowed(text), self.unless_told(by, span, marks));
        // A layout may resolve escapes in a way of its own: where what is secret in the value is not found again in
        // how it reads, all of it goes.
        let known = span.len() < self.entry.raw.len() && self.within(text).is_none();
        let over = |mark: &&Mark| mark.span.start < span.end && span.start < mark.span.end;
        match marks.iter().find(over) {
            Some(mark) if known && hidden.as_str() == text => {
                let secret = &self.entry.raw[mark.span.clone()];
                Text::new(self.veil.stand_in(A::WHO, mark, secret).into())
            }
            _ => hidden,
        }
    }

    /// A value of which the entry's bytes tell which part is secret is not hidden whole for its field's name: a layout
    /// may have taken more for the value than its name is meant for.
    fn unless_told(
        &self,
        by: Option<Number>,
        span: &Range<usize>,
        marks: &[Mark],
    ) -> Option<Number> {
        let known = span.len() < self.entry.raw.len();
        let inside = |mark: &Mark| {
            mark.span.start >= span.start
                && mark.span.end <= span.end
                && mark.span.len() < span.len()
        };
        by.filter(|_| !known || !marks.iter().any(inside))
    }

    fn hide_in<'t>(&self, text: Cow<'t, str>, by: Option<Number>) -> Text<'t, A> {
        let Some(secrets) = &self.secrets else {
            return Text::new(text);
        };
        let mut marks = self.own_marks(&text, by);
        if let Some(within) = self.within(&text) {
            // A part of the entry's bytes is hidden where these are.
            let clip = |mark: &Mark| {
                let start = mark.span.start.max(within.start);
                let end = mark.span.end.min(within.end);
                (start < end).then(|| Mark {
                    span: start - within.start..end - within.start,
                    ..mark.clone()
                })
            };
            marks.extend(secrets.marks.iter().filter_map(clip));
        }
        secrets.spread(text.as_bytes(), &mut marks);
        if marks.is_empty() {
            // An id, or another value, may be a part of a secret.
            let part = text.len() >= SPREADS;
            let of = secrets.texts.iter().find(|(_, secret)| part && secret.contains(&*text));
            return match of {
                Some((mark, secret)) => {
                    Text::new(self.veil.stand_in(A::WHO, mark, secret.as_bytes()).into())
                }
                None => Text::new(text),
            };
        }
        Text::new(self.veil.replaced::<A>(text.as_bytes(), &scan::apart(marks)).into())
    }

    /// What is hidden in a text for what stands in it, and for the name that it stands under.
    fn own_marks(&self, text: &str, by: Option<Number>) -> Vec<Mark> {
        let mut marks = match self.within(text) {
            Some(_) => Vec::new(),
            None => self.veil.look(text.as_bytes(), A::WHO, self.place).0,
        };
        if let Some(by) = by {
            let (want, rules) = (self.veil.want(A::WHO), Some(&*self.veil.rules));
            let mut found = Found { want, rules, ..Found::default() };
            value::hide_field(text.as_bytes(), by, &mut found);
            marks.extend(self.veil.acted_on(found.marks, A::WHO, self.place));
        }
        marks
    }

    /// Where in the entry's bytes a text stands, if it is a part of them.
    fn within(&self, text: &str) -> Option<Range<usize>> {
        let raw = self.entry.raw.as_ptr_range();
        let start = text.as_ptr();
        let inside = raw.contains(&start);
        inside.then(|| {
            let at = start as usize - raw.start as usize;
            at..at + text.len()
        })
    }

    /// Marks of the raw bytes under which field values lie.
    fn field_marks(&self, fields: &[Field<'a>], under: Option<Number>, marks: &mut Vec<Mark>) {
        for field in fields {
            let by = self.judged(&field.name, under);
            let children = field.value.children();
            if !children.is_empty() {
                self.field_marks(children, by, marks);
                continue;
            }
            let Some(text) = field.value.text().filter(|_| by.is_some()) else {
                continue;
            };
            let raw = self.entry.raw.get(field.span.clone()).unwrap_or_default();
            let by = self.unless_told(by, &field.span, marks);
            for mark in self.own_marks(text, by) {
                let secret = &text.as_bytes()[mark.span.clone()];
                let at = field.span.start;
                let span = match written_in(raw, secret) {
                    Some(span) => at + span.start..at + span.end,
                    // Written in a way that is not known: the whole value goes.
                    None => field.span.clone(),
                };
                marks.push(Mark { span, ..mark });
            }
        }
    }

    /// Whether a field, at any depth, has a secret's name among those that are looked at.
    fn names_a_secret(&self, fields: &[Field<'_>], look_at: &dyn Fn(&str) -> bool) -> bool {
        fields.iter().any(|field| {
            look_at(&field.name) && self.named(&field.name).is_some()
                || self.names_a_secret(field.value.children(), look_at)
        })
    }

    /// The secrets in the values of fields.
    fn gather(&self, fields: &'e [Field<'_>], under: Option<Number>, secrets: &mut Secrets<'e>) {
        for field in fields {
            let beside = under.is_some() && names::is_beside(field.name.as_bytes());
            let by = self.named(&field.name).or(under).filter(|_| !beside);
            if let Some(text) = field.value.text().filter(|_| by.is_some()) {
                let by = self.unless_told(by, &field.span, &secrets.marks);
                for mark in self.own_marks(text, by) {
                    secrets.add(&mark, &text.as_bytes()[mark.span.clone()]);
                }
            }
            self.gather(field.value.children(), by, secrets);
        }
    }
}

impl<'e, A: Audience> Veiled<'e, '_, A> {
    /// Whether the message is put together from several lines: a secret may stand in two of them.
    fn is_joined(&self) -> bool {
        let message = self.entry.message.as_bytes();
        !message.is_empty()
            && self.within(&self.entry.message).is_none()
            && memchr::memchr(b'\n', self.entry.raw).is_some()
    }

    /// The secrets of a message that is put together, and the parts of them that stand in the lines.
    fn joined(&self, secrets: &mut Secrets<'e>) {
        if !self.is_joined() {
            return;
        }
        let entry: &'e Entry<'_> = self.entry;
        let body: &'e str = entry.body.as_deref().unwrap_or_default();
        for text in [&*entry.message, body] {
            for mark in self.own_marks(text, None) {
                let secret = &text.as_bytes()[mark.span.clone()];
                secrets.add(&mark, secret);
                if memchr::memmem::find(self.entry.raw, secret).is_none() {
                    parts(self.entry.raw, secret, |span| {
                        secrets.marks.push(Mark { span, ..mark.clone() });
                    });
                }
            }
        }
    }

    /// The values of fields whose paths rules name.
    fn at_paths(&self, secrets: &mut Secrets<'e>) {
        if !self.veil.rules.has_paths() {
            return;
        }
        self.entry.leaves(&mut |path, field| {
            let Some(by) = self.veil.rules.by_path(path) else { return };
            for mark in
                field.value.text().into_iter().flat_map(|text| self.own_marks(text, Some(by)))
            {
                let secret = field.value.text().unwrap_or_default();
                secrets
                    .add_copy(&mark, secret.as_bytes().get(mark.span.clone()).unwrap_or_default());
                if field.span.len() < self.entry.raw.len() {
                    secrets.marks.push(Mark { span: field.span.clone(), ..mark });
                }
            }
        });
    }
}

/// Calls `visit` with each part of a secret that stands in bytes which part it: at least six of its bytes.
fn parts(raw: &[u8], secret: &[u8], mut visit: impl FnMut(Range<usize>)) {
    let mut from = 0;
    while let Some(six) = secret.get(from..from + SPREADS) {
        let mut longest = 1;
        for at in memchr::memmem::find_iter(raw, six) {
            let both = raw[at..].iter().zip(&secret[from..]);
            let length = both.take_while(|(a, b)| a == b).count();
            longest = longest.max(length);
            visit(at..at + length);
        }
        // What is left at the end may be shorter than six: it is looked for with some of what is hidden already.
        let next = from + longest;
        from = if next + SPREADS > secret.len() && next < secret.len() && longest > 1 {
            secret.len() - SPREADS
        } else {
            next
        };
    }
}

/// Where a secret stands in bytes that may write it with escapes.
fn written_in(raw: &[u8], secret: &[u8]) -> Option<Range<usize>> {
    if let Some(at) = memchr::memmem::find(raw, secret) {
        return Some(at..at + secret.len());
    }
    let mut found = None;
    layers(raw, |layer, written| {
        if found.is_none() {
            found = memchr::memmem::find(layer, secret).map(|at| written(&(at..at + secret.len())));
        }
    });
    found
}

impl<'s> Secrets<'s> {
    fn add(&mut self, mark: &Mark, secret: &'s [u8]) {
        match decoded::plain(secret) {
            Cow::Borrowed(_) => {
                self.count += usize::from(self.insert(mark, lossy(secret)));
            }
            Cow::Owned(plain) => {
                let plain = String::from_utf8_lossy(&plain).into_owned();
                self.count += usize::from(self.insert(mark, plain.into()));
                self.insert(mark, lossy(secret));
            }
        }
    }

    /// The same for a secret that does not live as long.
    fn add_copy(&mut self, mark: &Mark, secret: &[u8]) {
        let mut other = Secrets::default();
        other.add(mark, secret);
        for (at, (mark, text)) in other.texts.into_iter().enumerate() {
            let new = self.insert(&mark, text.into_owned().into());
            self.count += usize::from(new && at == 0);
        }
    }

    /// Takes a text in. Gives whether it is new.
    fn insert(&mut self, mark: &Mark, text: Cow<'s, str>) -> bool {
        let known = match self.texts.len() {
            0..=FEW => self.texts.iter().any(|(_, other)| *other == text),
            _ => self.seen.contains(&text),
        };
        if known || text.is_empty() {
            return !known;
        }
        if self.texts.len() == FEW {
            self.seen = self.texts.iter().map(|(_, text)| text.clone()).collect();
        }
        if self.texts.len() >= FEW {
            self.seen.insert(text.clone());
        }
        self.texts.push((mark.clone(), text));
        true
    }

    /// An automaton is worth its building only for many.
    fn index(&mut self) {
        let long =
            |(_, (_, text)): &(usize, &(Mark, Cow<'_, str>))| text.len() >= SPREADS_AS_A_WORD;
        if self.texts.len() <= FEW {
            return;
        }
        let texts: Vec<_> = self.texts.iter().enumerate().filter(long).collect();
        if texts.len() > FEW {
            let mut builder = AhoCorasick::builder();
            let built = builder
                .match_kind(MatchKind::LeftmostLongest)
                .build(texts.iter().map(|(_, (_, text))| &**text));
            let numbers = texts.iter().map(|(number, _)| *number).collect();
            self.finder = built.ok().map(|built| (built, numbers));
        }
    }

    /// Every place in a text where a secret of the entry stands, under all escapes.
    fn spread(&self, text: &[u8], marks: &mut Vec<Mark>) {
        self.spread_in(text, &mut |mark| marks.push(mark));
        layers(text, |layer, written| {
            self.spread_in(layer, &mut |mark| {
                marks.push(Mark { span: written(&mark.span), ..mark });
            });
        });
    }

    fn spread_in(&self, text: &[u8], hand: &mut dyn FnMut(Mark)) {
        let mut one = |number: usize, span: Range<usize>| {
            let (mark, secret) = &self.texts[number];
            let spreads = secret.len() >= SPREADS && !secret.bytes().all(|b| b.is_ascii_digit())
                || secret.len() >= SPREADS + 2
                || is_a_word(text, &span);
            if spreads {
                hand(Mark { span, ..mark.clone() });
            }
        };
        match &self.finder {
            Some((finder, numbers)) => {
                finder
                    .find_iter(text)
                    .for_each(|hit| one(numbers[hit.pattern().as_usize()], hit.range()));
            }
            None => {
                for (number, (_, secret)) in self.texts.iter().enumerate() {
                    if secret.len() >= SPREADS_AS_A_WORD && secret.len() <= text.len() {
                        each_place(text, secret.as_bytes(), |at| {
                            one(number, at..at + secret.len());
                        });
                    }
                }
            }
        }
    }
}

/// Calls `visit` with each place at which a word stands in a text.
fn each_place(text: &[u8], word: &[u8], visit: impl FnMut(usize)) {
    // In a line a searcher takes longer to make than to use.
    if text.len() > A_LINE {
        return memchr::memmem::find_iter(text, word).for_each(visit);
    }
    let Some(first) = word.first() else { return };
    let places = memchr::memchr_iter(*first, text);
    places.filter(|at| text[*at..].starts_with(word)).for_each(visit);
}

/// Whether a part of a text is a word of its own, and no part of a number or a time.
fn is_a_word(text: &[u8], span: &Range<usize>) -> bool {
    let joins = |b: u8| b.is_ascii_alphanumeric() || matches!(b, b'_' | b'-' | b'.' | b':');
    let before = span.start.checked_sub(1).map(|at| text[at]);
    !before.is_some_and(joins) && !text.get(span.end).is_some_and(|b| joins(*b))
}

/// An entry's bytes as text, where all that is to be hidden is marked in them.
pub(super) fn raw_of<'t, A: Audience>(veil: &Veil, raw: &[u8], marks: Vec<Mark>) -> Text<'t, A> {
    if stand_once(raw, &marks) {
        let all = marks.len();
        let apart = scan::apart(marks.clone());
        // One within another may stand elsewhere alone.
        if apart.len() == all
            && let Some(text) = valid::<A>(veil, raw, &apart)
        {
            return Text::new(Cow::Owned(text));
        }
    }
    let mut secrets = Secrets::default();
    for mark in &marks {
        secrets.add(mark, &raw[mark.span.clone()]);
    }
    secrets.index();
    let mut all = marks;
    secrets.spread(raw, &mut all);
    written(veil, raw, &scan::apart(all), &secrets)
}

/// Whether it is plain that what is marked stands nowhere else in a line, under escapes neither.
fn stand_once(raw: &[u8], marks: &[Mark]) -> bool {
    if raw.len() > A_LINE || marks.len() > FEW || memchr::memchr3(b'\\', b'%', b'&', raw).is_some()
    {
        return false;
    }
    marks.iter().all(|mark| {
        let secret = &raw[mark.span.clone()];
        let Some(head) = secret.first_chunk::<SPREADS_AS_A_WORD>() else { return true };
        memchr::memchr_iter(head[0], raw)
            .all(|at| at == mark.span.start || raw[at..].first_chunk() != Some(head))
    })
}

/// Bytes with stand-ins in the place of what is marked.
fn written<'t, A: Audience>(
    veil: &Veil,
    raw: &[u8],
    marks: &[Mark],
    secrets: &Secrets<'_>,
) -> Text<'t, A> {
    if let Some(text) = valid::<A>(veil, raw, marks) {
        return Text::new(Cow::Owned(text));
    }
    // Secrets are known as text: one with bytes that are none is found again only in what is shown.
    let text = replaced::<A>(veil, raw, marks);
    let mut again = Vec::new();
    secrets.spread(text.as_bytes(), &mut again);
    Text::new(veil.replaced::<A>(text.as_bytes(), &scan::apart(again)).into())
}

/// The same where all of the bytes are text.
fn valid<A: Audience>(veil: &Veil, raw: &[u8], marks: &[Mark]) -> Option<String> {
    std::str::from_utf8(raw).is_ok().then(|| replaced::<A>(veil, raw, marks))
}

fn replaced<A: Audience>(veil: &Veil, raw: &[u8], marks: &[Mark]) -> String {
    match json_marks(raw, marks) {
        true => as_json::<A>(veil, raw, marks),
        false => veil.replaced::<A>(raw, marks),
    }
}

/// The bytes with stand-ins for numbers in quotes, so that JSON stays JSON.
fn as_json<A: Audience>(veil: &Veil, raw: &[u8], marks: &[Mark]) -> String {
    let mut out = String::with_capacity(raw.len());
    let mut at = 0;
    for (mark, bare) in marks.iter().zip(bare_in_json(raw, marks)) {
        out.push_str(&lossy(&raw[at..mark.span.start]));
        let quote = if bare { "\"" } else { "" };
        out.push_str(quote);
        out.push_str(&veil.stand_in(A::WHO, mark, &raw[mark.span.clone()]));
        out.push_str(quote);
        at = mark.span.end;
    }
    out.push_str(&lossy(&raw[at..]));
    out
}

/// Whether any mark may cover a number of JSON.
fn json_marks(raw: &[u8], marks: &[Mark]) -> bool {
    matches!(raw.trim_ascii_start().first(), Some(b'{' | b'['))
        && marks.iter().any(|mark| is_between_signs(raw, mark))
        && bare_in_json(raw, marks).contains(&true)
}

/// Whether a mark stands where JSON has a value, and no quotes stand around it.
fn is_between_signs(raw: &[u8], mark: &Mark) -> bool {
    let before = raw[..mark.span.start].trim_ascii_end().last().copied();
    let after = raw[mark.span.end..].trim_ascii_start().first().copied();
    matches!(before, Some(b':' | b',' | b'[')) && matches!(after, Some(b',' | b'}' | b']'))
}

/// Which marks cover a value of JSON that stands without quotes.
fn bare_in_json(raw: &[u8], marks: &[Mark]) -> Vec<bool> {
    let (mut at, mut quoted) = (0, false);
    let mut bare = Vec::with_capacity(marks.len());
    for mark in marks {
        while at < mark.span.start {
            match raw[at] {
                b'\\' if quoted => at += 1,
                b'"' => quoted = !quoted,
                _ => {}
            }
            at += 1;
        }
        bare.push(!quoted && is_between_signs(raw, mark));
    }
    bare
}
