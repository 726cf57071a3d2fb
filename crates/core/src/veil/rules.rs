//! Rules of one's own: what is hidden beside what the detectors find, and what stays though they find it.

use std::sync::{Arc, OnceLock, PoisonError, RwLock};

use regex::bytes::Regex;

use super::{
    class::{Action, Class},
    kind::Number,
};
use crate::layout::LayoutId;

/// The first number of a rule; detectors of the table have those before it.
const FIRST: Number = 1 << 14;

/// Bytes of a text that an expression is held against at a time, and how much of them again with what follows.
const PIECE: usize = 16 << 10;
const OVERLAP: usize = 1 << 10;
/// Hits in one piece. With more of them the piece is hidden whole: a search for each would take more than linear time.
const HITS: usize = 256;

/// A rule of one's own.
#[derive(Clone, Debug)]
pub struct Rule {
    /// Its name, as reports have it.
    pub name: String,
    /// Names of fields, without case and punctuation.
    names: Vec<Vec<u8>>,
    /// Dotted paths of fields.
    pub(super) paths: Vec<String>,
    expression: Option<Regex>,
    /// The layout that it holds for.
    layout: Option<LayoutId>,
    /// The sources that it holds for: a name, `*` standing for any letters.
    source: Option<String>,
    /// The class of what it finds.
    pub class: Class,
    /// What is done, where it is not what is done about the class.
    pub action: Option<Action>,
    /// It lies beside the logs for a team to share: it adds to what is hidden, and takes nothing from it.
    pub from_others: bool,
}

/// What a rule is made of.
#[derive(Clone, Debug, Default)]
pub struct Parts {
    /// Names of fields.
    pub names: Vec<String>,
    /// Dotted paths of fields.
    pub fields: Vec<String>,
    /// A regular expression; what its group `secret` matches is hidden, or all of it.
    pub expression: Option<String>,
    /// The name of a layout.
    pub layout: Option<String>,
    /// The name of a source, `*` standing for any letters.
    pub source: Option<String>,
}

impl Rule {
    /// A rule out of its parts.
    ///
    /// # Errors
    ///
    /// What is wrong, for people: an expression that is none, or matches an empty text; a layout that there is not;
    /// nothing that it looks for.
    pub fn new(
        name: &str,
        parts: &Parts,
        class: Class,
        action: Option<Action>,
    ) -> Result<Self, String> {
        let fold = |name: &String| fold(name.as_bytes());
        let names: Vec<Vec<u8>> = parts.names.iter().map(fold).collect();
        if names.iter().any(|name| name.len() < 2) {
            return Err("a field's name needs two letters or digits, as \"berth_code\"".into());
        }
        let expression = parts.expression.as_deref().map(expression).transpose()?;
        if names.is_empty() && parts.fields.is_empty() && expression.is_none() {
            return Err("a rule needs names, fields or an expression to look for".into());
        }
        let known = |name: &String| {
            LayoutId::named(name).ok_or_else(|| {
                format!("there is no layout {name}; `cribrum intake` names those of your logs")
            })
        };
        Ok(Self {
            name: name.to_owned(),
            names,
            paths: parts.fields.clone(),
            expression,
            layout: parts.layout.as_ref().map(known).transpose()?,
            source: parts.source.clone(),
            class,
            action,
            from_others: false,
        })
    }

    fn takes(&self, name: &[u8], last: &[u8]) -> bool {
        self.names.iter().any(|own| own == name || own == last)
    }

    /// Calls `visit` with each part of a text that the expression finds.
    fn each_hit(&self, text: &[u8], visit: &mut dyn FnMut(std::ops::Range<usize>)) {
        let Some(expression) = &self.expression else { return };
        let mut start = 0;
        while start < text.len() {
            let end = text.len().min(start + PIECE);
            let piece = &text[start..end];
            let mut hits = 0;
            for found in expression.captures_iter(piece) {
                hits += 1;
                if hits > HITS {
                    visit(start..end);
                    break;
                }
                let whole = found.get(0);
                let secret = found.name("secret").or(whole).map(|part| part.range());
                if let Some(span) = secret.filter(|span| !span.is_empty()) {
                    visit(start + span.start..start + span.end);
                }
            }
            start = if end == text.len() { end } else { end - OVERLAP };
        }
    }
}

/// An expression that a rule may have.
fn expression(text: &str) -> Result<Regex, String> {
    let built = regex::bytes::RegexBuilder::new(text).multi_line(true).size_limit(1 << 20).build();
    let expression = built.map_err(|error| match error {
        regex::Error::CompiledTooBig(_) => "the expression is too large".to_owned(),
        other => other.to_string(),
    })?;
    if expression.is_match(b"") {
        return Err(format!(
            "{text} matches an empty text too; make it ask for one letter at least, as with + for *"
        ));
    }
    Ok(expression)
}

/// Letters and digits alone, in lower case.
fn fold(name: &[u8]) -> Vec<u8> {
    name.iter().filter(|b| b.is_ascii_alphanumeric()).map(u8::to_ascii_lowercase).collect()
}

/// Where an entry stands, for rules that hold for some places.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Place {
    pub(crate) layout: LayoutId,
    /// The number of its source.
    pub(crate) source: usize,
}

/// All rules of one's own.
#[derive(Debug, Default)]
pub(super) struct Rules {
    all: Vec<Rule>,
    /// The names of the sources, where a rule asks for them.
    sources: RwLock<Vec<String>>,
    fragments: OnceLock<Vec<Vec<u8>>>,
}

impl Rules {
    pub(super) fn new(all: Vec<Rule>) -> Arc<Self> {
        Arc::new(Self { all, ..Self::default() })
    }

    pub(super) fn is_empty(&self) -> bool {
        self.all.is_empty()
    }

    pub(super) fn all(&self) -> &[Rule] {
        &self.all
    }

    pub(super) fn get(&self, number: Number) -> Option<&Rule> {
        self.all.get(usize::from(number.checked_sub(FIRST)?))
    }

    /// Takes the names of the sources in.
    pub(super) fn know(&self, names: impl Iterator<Item = String>) {
        if self.all.iter().any(|rule| rule.source.is_some()) {
            *self.sources.write().unwrap_or_else(PoisonError::into_inner) = names.collect();
        }
    }

    pub(super) fn numbered(&self) -> impl Iterator<Item = (Number, &Rule)> {
        (FIRST..).zip(&self.all)
    }

    /// The rule that takes the name of a field: one of the user's own before the detectors, others after them.
    pub(super) fn by_name(&self, name: &[u8], from_others: bool) -> Option<Number> {
        if self.all.is_empty() {
            return None;
        }
        let last = name.rsplit(|b| b".@/:[] ".contains(b)).find(|part| !part.is_empty());
        let (name, last) = (fold(name), fold(last.unwrap_or_default()));
        let takes = |(_, rule): &(Number, &Rule)| {
            rule.from_others == from_others && rule.takes(&name, &last)
        };
        self.numbered().find(takes).map(|(number, _)| number)
    }

    /// Calls `visit` with each place in a text where a name may stand that a rule takes.
    pub(super) fn each_name(&self, text: &[u8], mut visit: impl FnMut(std::ops::Range<usize>)) {
        let fragments = self.fragments.get_or_init(|| {
            // The first letters of each name: what a fold of the text would find, at the least.
            let names = self.all.iter().flat_map(|rule| &rule.names);
            names.map(|name| name[..2].to_vec()).collect()
        });
        for fragment in fragments {
            let (lower, upper) = (fragment[0], fragment[0].to_ascii_uppercase());
            for at in memchr::memchr2_iter(lower, upper, text) {
                let word =
                    at.checked_sub(1).is_none_or(|before| !text[before].is_ascii_alphanumeric());
                let here =
                    text.get(at..at + 2).is_some_and(|two| two.eq_ignore_ascii_case(fragment));
                if here && word {
                    visit(at..at + 2);
                }
            }
        }
    }

    /// Calls `visit` with each part of a text that a rule's expression finds.
    pub(super) fn each_hit(
        &self,
        text: &[u8],
        visit: &mut dyn FnMut(Number, &Rule, std::ops::Range<usize>),
    ) {
        for (number, rule) in self.numbered() {
            rule.each_hit(text, &mut |span| visit(number, rule, span));
        }
    }

    /// The rule that takes the field at a dotted path.
    pub(super) fn by_path(&self, path: &str) -> Option<Number> {
        let takes = |(_, rule): &(Number, &Rule)| rule.paths.iter().any(|own| own == path);
        self.numbered().find(takes).map(|(number, _)| number)
    }

    pub(super) fn has_paths(&self) -> bool {
        self.all.iter().any(|rule| !rule.paths.is_empty())
    }

    /// Whether a rule, or a detector, holds at a place.
    pub(super) fn holds(&self, number: Number, place: Option<Place>) -> bool {
        let (Some(rule), Some(place)) = (self.get(number), place) else { return true };
        let layout = rule.layout.is_none_or(|layout| layout == place.layout);
        let source = rule.source.as_deref().is_none_or(|pattern| {
            let sources = self.sources.read().unwrap_or_else(PoisonError::into_inner);
            sources.get(place.source).is_none_or(|name| fits(pattern, name))
        });
        layout && source
    }
}

/// Whether a name fits a pattern, as a whole or behind its last slash. `*` stands for any letters.
fn fits(pattern: &str, name: &str) -> bool {
    fn glob(pattern: &[u8], name: &[u8]) -> bool {
        // The last star, and where what it stands for ends; a text of n letters is looked at n times at most.
        let (mut p, mut n, mut star) = (0, 0, None);
        while n < name.len() {
            if pattern.get(p) == Some(&b'*') {
                star = Some((p, n));
                p += 1;
            } else if pattern.get(p) == Some(&name[n]) {
                (p, n) = (p + 1, n + 1);
            } else if let Some((at, from)) = star {
                (p, n, star) = (at + 1, from + 1, Some((at, from + 1)));
            } else {
                return false;
            }
        }
        pattern[p..].iter().all(|b| *b == b'*')
    }
    let last = name.rsplit('/').next().unwrap_or(name);
    glob(pattern.as_bytes(), name.as_bytes()) || glob(pattern.as_bytes(), last.as_bytes())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_rule_says_what_is_wrong_with_it() {
        let rule = |parts: Parts| Rule::new("x", &parts, Class::Secret, None).map(|_| ());
        let expression =
            |text: &str| rule(Parts { expression: Some(text.into()), ..Parts::default() });
        for (text, want) in [
            (".*", "empty text"),
            ("x?", "empty text"),
            ("(", "unclosed group"),
            ("(a{500}){500}", "too large"),
        ] {
            let told = expression(text).unwrap_err();
            assert!(told.contains(want), "{text}: {told}");
        }
        assert_eq!(expression("B-[0-9]+"), Ok(()));
        assert!(rule(Parts::default()).unwrap_err().contains("needs names"));
        let layout =
            Parts { names: vec!["a_b".into()], layout: Some("xyz".into()), ..Parts::default() };
        assert!(rule(layout).unwrap_err().contains("no layout xyz"));
    }

    #[test]
    fn patterns_of_sources() {
        for (pattern, name, want) in [
            ("fares*", "fares.log", true),
            ("fares*", "logs/fares-2.log", true),
            ("*fares*.log", "logs/old-fares-2.log", true),
            ("fares", "fares.log", false),
            ("*", "", true),
            ("a*b*c", "aXbXbYc", true),
            ("a*b*c", "aXbXbY", false),
        ] {
            assert_eq!(fits(pattern, name), want, "{pattern} {name}");
        }
    }

    #[test]
    fn an_expression_that_would_search_again_and_again_hides_the_whole() {
        let parts = Parts { expression: Some("[a-z]*!|[a-z]".into()), ..Parts::default() };
        let rule = Rule::new("x", &parts, Class::Secret, None).unwrap();
        let text = "a".repeat(1 << 20);
        let mut hidden = vec![false; text.len()];
        rule.each_hit(text.as_bytes(), &mut |span| hidden[span].fill(true));
        assert!(hidden.iter().all(|is| *is));
    }
}
