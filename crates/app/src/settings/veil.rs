//! What a person has decided about the veil.
//!
//! ```toml
//! [veil]
//! keep = ["email"]                    # classes that stay, or credentials, sessions, personal for all of a group
//! shorten = ["token"]                 # their beginning stays
//! hide = ["ip", "entropy"]            # hidden at the desk as well; entropy: words without a pattern too
//! key = "~/team.key"                  # a file that the stand-ins' key is made of, for people who share them
//!
//! [[veil.rule]]                       # what the veil does not know by itself
//! name = "berth code"
//! names = ["berth_code"]              # names of fields, without case and punctuation
//! fields = ["hold.berth.code"]        # dotted paths
//! expression = 'BC-(?<secret>\d{6})'  # the group `secret` is hidden, or all that matches
//! layout = "json"                     # only in entries of this layout
//! source = "booking*"                 # only in these sources
//! class = "pin"                       # else secret
//! do = "hide"                         # or shorten or keep; else what is done about the class
//! ```
//!
//! A file beside the logs may hide more, never less: `keep`, `shorten` and `key` are the user's alone, and a rule in it is
//! held only where it is stricter than what is done otherwise.

use std::path::{Path, PathBuf};

use cribrum_core::veil::{Action, Class, Group, Parts, Policy, Rule};
use serde::Deserialize;
use toml::Spanned;

/// The table as it stands in a file.
#[derive(Debug, Default, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct Table {
    #[serde(default)]
    keep: Vec<Spanned<String>>,
    #[serde(default)]
    shorten: Vec<Spanned<String>>,
    #[serde(default)]
    hide: Vec<Spanned<String>>,
    key: Option<Spanned<String>>,
    #[serde(default)]
    rule: Vec<RuleTable>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct RuleTable {
    name: Spanned<String>,
    #[serde(default)]
    names: Vec<String>,
    #[serde(default)]
    fields: Vec<String>,
    expression: Option<String>,
    layout: Option<String>,
    source: Option<String>,
    class: Option<Spanned<String>>,
    #[serde(rename = "do")]
    action: Option<Spanned<String>>,
}

/// What is decided about a class, a group, or words without a pattern.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Decision {
    Class(Class, Action),
    Group(Group, Action),
    /// Words without a pattern are hidden.
    Entropy,
}

/// All that was decided.
#[derive(Clone, Debug, Default)]
pub(crate) struct Decided {
    /// In the order in which they hold: the last that names a class decides.
    pub(crate) decisions: Vec<Decision>,
    /// Rules, the user's own before those beside the logs.
    pub(crate) rules: Vec<Rule>,
    /// What the key of the stand-ins is made of.
    pub(crate) key: Option<PathBuf>,
}

impl Decided {
    /// Adds what a file that is further away says, or an argument.
    pub(super) fn add(&mut self, more: Self) {
        self.decisions.extend(more.decisions);
        self.rules.extend(more.rules);
        self.key = more.key.or(self.key.take());
    }

    /// What all decisions together come to.
    pub(super) fn policy(&self) -> Policy {
        let mut policy = Policy::default();
        self.decisions.iter().for_each(|decision| decision.apply(&mut policy));
        policy
    }
}

impl Decision {
    /// What is decided about what a word names.
    ///
    /// # Errors
    ///
    /// What the words are.
    pub(crate) fn about(word: &str, action: Action) -> Result<Self, String> {
        if word == "entropy" && action == Action::Hide {
            return Ok(Self::Entropy);
        }
        let group = Group::ALL.into_iter().find(|group| group.name() == word);
        let class = Class::named(word).map(|class| Self::Class(class, action));
        class.or_else(|| group.map(|group| Self::Group(group, action))).ok_or_else(|| {
            let groups = Group::ALL.map(Group::name).join(", ");
            let classes = Class::ALL.map(Class::name).join(", ");
            format!("the veil knows no `{word}`; write one of {groups}, or a class: {classes}")
        })
    }

    fn apply(self, policy: &mut Policy) {
        match self {
            Self::Class(class, action) => policy.set(class, action),
            Self::Group(group, action) => {
                let all = Class::ALL.into_iter().filter(|class| class.group() == group);
                all.for_each(|class| policy.set(class, action));
            }
            Self::Entropy => policy.entropy = true,
        }
    }
}

impl Table {
    /// What the table decides; `own` says that it is the user's. Else the byte of the file and what is wrong.
    pub(super) fn decided(&self, file: &Path, own: bool) -> Result<Decided, (usize, String)> {
        let mut decided = Decided::default();
        let only_own = |word: &Spanned<String>| {
            let text = "a file beside the logs may hide more, never less; write this into your own settings";
            if own { Ok(()) } else { Err((word.span().start, text.to_owned())) }
        };
        for (words, action) in [
            (&self.hide, Action::Hide),
            (&self.shorten, Action::Shorten),
            (&self.keep, Action::Keep),
        ] {
            for word in words {
                if action != Action::Hide {
                    only_own(word)?;
                }
                let decision = Decision::about(word.get_ref(), action);
                decided.decisions.push(decision.map_err(|text| (word.span().start, text))?);
            }
        }
        if let Some(key) = &self.key {
            only_own(key)?;
            decided.key = Some(super::code::named_in(file, Path::new(key.get_ref())));
        }
        for rule in &self.rule {
            decided.rules.push(rule.rule(own)?);
        }
        Ok(decided)
    }
}

impl RuleTable {
    fn rule(&self, own: bool) -> Result<Rule, (usize, String)> {
        let class = match &self.class {
            None => Class::Secret,
            Some(word) => Class::named(word.get_ref()).ok_or_else(|| {
                let classes = Class::ALL.map(Class::name).join(", ");
                (
                    word.span().start,
                    format!("there is no class `{}`; the classes are {classes}", word.get_ref()),
                )
            })?,
        };
        let action = match &self.action {
            None => None,
            Some(word) => Some(Action::named(word.get_ref()).ok_or_else(|| {
                (
                    word.span().start,
                    format!("`{}` is nothing to do; write hide, shorten or keep", word.get_ref()),
                )
            })?),
        };
        let parts = Parts {
            names: self.names.clone(),
            fields: self.fields.clone(),
            expression: self.expression.clone(),
            layout: self.layout.clone(),
            source: self.source.clone(),
        };
        let rule = Rule::new(self.name.get_ref(), &parts, class, action);
        let mut rule = rule.map_err(|text| (self.name.span().start, text))?;
        rule.from_others = !own;
        Ok(rule)
    }
}
