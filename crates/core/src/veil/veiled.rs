//! An entry under the veil.

use std::{borrow::Cow, collections::HashSet};

use aho_corasick::{AhoCorasick, MatchKind};

use super::{
    Class, Clean, CleanField, Fields, Veil, names,
    scan::{self, Mark},
};
use crate::entry::{Entry, Field};

/// Secrets this long are hidden wherever they occur in their entry; shorter ones would take innocent
/// texts with them and are hidden where they were found.
const SPREADS: usize = 4;
/// Secrets that are looked for one by one.
const FEW: usize = 8;

/// An entry whose secrets have been found. Everything taken out of it is [`Clean`].
pub(crate) struct Veiled<'e, 'a> {
    veil: &'e Veil,
    entry: &'e Entry<'a>,
    /// The secrets of the entry as text, longest first; `None` where the entry can't hold any.
    secrets: Option<Vec<(Class, String)>>,
    /// Finds those that are long enough to be hidden wherever they stand, where there are many.
    spread: Option<(AhoCorasick, Vec<Class>)>,
}

impl<'e, 'a> Veiled<'e, 'a> {
    pub(super) fn new(veil: &'e Veil, entry: &'e Entry<'a>) -> Self {
        let mut veiled = Self { veil, entry, secrets: None, spread: None };
        // A secret found in a value by its form is found in the raw bytes as well, unless it is written
        // with escapes there; one found by the name of its field needs such a name, which stands there too
        // unless the layout gave it, and in one piece unless it is written in parts.
        let (marks, named) = scan::look(entry.raw);
        let written = entry.raw.as_ptr_range();
        let given = |name: &str| {
            named || names::is_parted(name.as_bytes()) || !written.contains(&name.as_ptr())
        };
        if memchr::memchr(b'\\', entry.raw).is_some()
            || !marks.is_empty()
            || names_a_secret(&entry.fields, &given)
        {
            let mut secrets = Secrets::default();
            gather_fields(&entry.fields, None, &mut secrets);
            let logger = entry.logger.as_deref().unwrap_or_default();
            let body = entry.body.as_deref().unwrap_or_default();
            for text in [&entry.message, body, logger] {
                gather(text, scan::marks(text.as_bytes()), &mut secrets);
            }
            let raw = String::from_utf8_lossy(entry.raw);
            gather(&raw, scan::marks(raw.as_bytes()), &mut secrets);
            let secrets = secrets.found;
            let long = || secrets.iter().filter(|(_, secret)| secret.len() >= SPREADS);
            // An automaton is worth its building only for many.
            if long().count() > FEW {
                let mut builder = AhoCorasick::builder();
                let texts = long().map(|(_, secret)| secret);
                let built = builder.match_kind(MatchKind::LeftmostLongest).build(texts).ok();
                veiled.spread =
                    built.map(|built| (built, long().map(|(class, _)| *class).collect()));
            }
            veiled.secrets = (!secrets.is_empty()).then_some(secrets);
        }
        veiled
    }

    /// How many secrets are hidden.
    pub(crate) fn hidden(&self) -> usize {
        self.secrets.as_ref().map_or(0, Vec::len)
    }

    /// Any text of the entry.
    pub(crate) fn text<'t>(&self, text: Cow<'t, str>) -> Clean<'t> {
        match self.secrets {
            None => Clean::new(text),
            Some(_) => {
                let marks = self.marks(text.as_bytes(), scan::marks(text.as_bytes()));
                self.replace(text, &marks)
            }
        }
    }

    pub(crate) fn message(&self) -> Clean<'e> {
        self.text(Cow::Borrowed(&self.entry.message))
    }

    pub(crate) fn body(&self) -> Option<Clean<'e>> {
        self.entry.body.as_deref().map(|body| self.text(Cow::Borrowed(body)))
    }

    pub(crate) fn logger(&self) -> Option<Clean<'e>> {
        self.entry.logger.as_deref().map(|logger| self.text(Cow::Borrowed(logger)))
    }

    pub(crate) fn level_raw(&self) -> Option<Clean<'e>> {
        self.entry.level_raw.as_deref().map(|level| self.text(Cow::Borrowed(level)))
    }

    /// The ids as kind and value.
    pub(crate) fn ids(&self) -> Vec<(&'static str, Clean<'e>)> {
        self.entry.ids().into_iter().map(|(kind, id)| (kind, self.text(id))).collect()
    }

    /// The entry's bytes as text.
    pub(crate) fn raw(&self) -> Clean<'e> {
        let raw = self.entry.raw;
        if self.secrets.is_none() {
            return Clean::new(String::from_utf8_lossy(raw));
        }
        let mut marks = scan::marks(raw);
        self.field_marks(&self.entry.fields, None, &mut marks);
        let marks = self.marks(raw, marks);
        let text = self.replaced(raw, &marks);
        // Secrets are known as text: one with bytes that are none is found again only in what is shown.
        if std::str::from_utf8(raw).is_err() {
            let again = self.marks(text.as_bytes(), Vec::new());
            return self.replace(Cow::Owned(text), &again);
        }
        Clean::new(Cow::Owned(text))
    }

    /// Whether a word stands in the entry only where it is hidden. It is then hidden from then on wherever a
    /// person's own text is shown. In any case.
    pub(crate) fn hides(&self, word: &str) -> bool {
        let lower = word.to_lowercase();
        let holds = |(_, secret): &&(Class, String)| secret.to_lowercase().contains(&lower);
        let Some((class, _)) = self.secrets.iter().flatten().find(holds) else { return false };
        if self.raw().as_str().to_lowercase().contains(&lower) {
            return false;
        }
        self.veil.learn(*class, word);
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
        let secrets = self.secrets.iter().flatten().map(|(_, secret)| secret.as_str());
        secrets
            .filter(|secret| secret.len() >= SPREADS && !secret.contains(['«', '»']))
            .find(|secret| outside().any(|part| part.contains(secret)))
    }

    /// The fields; those that became time, level, message, logger or an id only where `all`.
    pub(crate) fn fields(&self, all: bool) -> Vec<CleanField> {
        self.parts(all).map(super::fields::Part::into_owned).collect()
    }

    /// The same, one by one and without a copy.
    pub(crate) fn parts(&self, all: bool) -> Fields<'_, 'a> {
        Fields::of(self, &self.entry.fields, None, all)
    }

    /// What is secret about a name, where the entry holds a secret at all.
    pub(super) fn class_of(&self, name: &str) -> Option<Class> {
        self.secrets.as_ref().and_then(|_| names::class_of(name.as_bytes()))
    }

    /// The value of a field of the entry: what people see, and what a stand-in is compared with.
    pub(crate) fn value_text(&self, field: &Field<'a>, under: Option<Class>) -> Option<String> {
        let text = field.value.text()?;
        let class = names::class_of(field.name.as_bytes()).or(under);
        Some(self.value(text, class).as_str().to_owned())
    }

    pub(super) fn value<'t>(&self, text: &'t str, class: Option<Class>) -> Clean<'t> {
        if self.secrets.is_none() {
            return Clean::new(Cow::Borrowed(text));
        }
        let own = match class {
            Some(class) => scan::under_name(text.as_bytes(), class),
            None => scan::marks(text.as_bytes()),
        };
        let marks = self.marks(text.as_bytes(), own);
        self.replace(Cow::Borrowed(text), &marks)
    }

    /// Marks of the raw bytes under which field values lie.
    fn field_marks(&self, fields: &[Field<'a>], under: Option<Class>, marks: &mut Vec<Mark>) {
        for field in fields {
            let class = names::class_of(field.name.as_bytes()).or(under);
            let children = field.value.children();
            if !children.is_empty() {
                self.field_marks(children, class, marks);
                continue;
            }
            let Some(text) = field.value.text() else {
                continue;
            };
            let inside = match class {
                Some(class) => scan::under_name(text.as_bytes(), class),
                None => scan::marks(text.as_bytes()),
            };
            let raw = self.entry.raw.get(field.span.clone()).unwrap_or_default();
            let as_written = raw == text.as_bytes();
            for mark in inside {
                let secret = &text.as_bytes()[mark.span.clone()];
                let span = if as_written {
                    field.span.start + mark.span.start..field.span.start + mark.span.end
                } else if let Some(at) = memchr::memmem::find(raw, secret) {
                    field.span.start + at..field.span.start + at + secret.len()
                } else {
                    // Written with escapes: the whole value goes.
                    field.span.clone()
                };
                marks.push(Mark { span, class: mark.class });
            }
        }
    }

    /// `own` and every place in the text where a secret of the entry stands.
    fn marks(&self, text: &[u8], mut own: Vec<Mark>) -> Vec<Mark> {
        match &self.spread {
            Some((finder, classes)) => {
                own.extend(finder.find_iter(text).map(|hit| Mark {
                    span: hit.range(),
                    class: classes[hit.pattern().as_usize()],
                }));
            }
            None => {
                let spreading = self.secrets.iter().flatten();
                let spreading = spreading.filter(|(_, secret)| secret.len() >= SPREADS);
                for (class, secret) in spreading.filter(|(_, secret)| secret.len() <= text.len()) {
                    own.extend(
                        memchr::memmem::find_iter(text, secret.as_bytes())
                            .map(|at| Mark { span: at..at + secret.len(), class: *class }),
                    );
                }
            }
        }
        scan::apart(own)
    }

    fn replace<'t>(&self, text: Cow<'t, str>, marks: &[Mark]) -> Clean<'t> {
        if marks.is_empty() {
            return Clean::new(text);
        }
        Clean::new(Cow::Owned(self.replaced(text.as_bytes(), marks)))
    }

    fn replaced(&self, bytes: &[u8], marks: &[Mark]) -> String {
        let mut out = String::with_capacity(bytes.len());
        let mut at = 0;
        for mark in marks {
            out.push_str(&String::from_utf8_lossy(&bytes[at..mark.span.start]));
            out.push_str(&self.veil.stand_in(mark.class, &bytes[mark.span.clone()]));
            at = mark.span.end;
        }
        out.push_str(&String::from_utf8_lossy(&bytes[at..]));
        out
    }
}

/// Whether a field, at any depth, has a secret's name among those that are looked at.
fn names_a_secret(fields: &[Field<'_>], look_at: &dyn Fn(&str) -> bool) -> bool {
    fields.iter().any(|field| {
        look_at(&field.name) && names::class_of(field.name.as_bytes()).is_some()
            || names_a_secret(field.value.children(), look_at)
    })
}

/// The secrets of an entry, each once.
#[derive(Default)]
struct Secrets {
    found: Vec<(Class, String)>,
    seen: HashSet<String>,
}

fn gather(text: &str, marks: Vec<Mark>, secrets: &mut Secrets) {
    for mark in marks {
        let secret = String::from_utf8_lossy(&text.as_bytes()[mark.span]).into_owned();
        if secrets.seen.insert(secret.clone()) {
            secrets.found.push((mark.class, secret));
        }
    }
}

fn gather_fields(fields: &[Field<'_>], under: Option<Class>, secrets: &mut Secrets) {
    for field in fields {
        let class = names::class_of(field.name.as_bytes()).or(under);
        if let Some(text) = field.value.text() {
            let marks = match class {
                Some(class) => scan::under_name(text.as_bytes(), class),
                None => scan::marks(text.as_bytes()),
            };
            gather(text, marks, secrets);
        }
        gather_fields(field.value.children(), class, secrets);
    }
}
