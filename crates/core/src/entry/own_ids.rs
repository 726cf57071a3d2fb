//! Ids that the settings declare: by the names of fields, or by their form.

use std::sync::{
    RwLock,
    atomic::{AtomicBool, Ordering},
};

use regex::bytes::Regex;

use super::{id_kinds::KINDS, names::folded};

/// What makes a value an id because the settings say so.
#[derive(Clone, Debug)]
pub struct OwnId {
    sign: Sign,
    kind: &'static str,
}

#[derive(Clone, Debug)]
enum Sign {
    /// The name of a field, folded.
    Name(Vec<u8>),
    /// A form, wherever it stands in an entry.
    Form(Regex),
}

/// Those that are declared, until the program ends.
static DECLARED: RwLock<Vec<OwnId>> = RwLock::new(Vec::new());
static NAMES: AtomicBool = AtomicBool::new(false);
static FORMS: AtomicBool = AtomicBool::new(false);

impl OwnId {
    /// Fields of a name. Case and punctuation don't count, as with all others.
    ///
    /// # Errors
    ///
    /// When there is no such kind.
    pub fn named(name: &str, kind: Option<&str>) -> Result<Self, String> {
        let folded = folded(name.as_bytes());
        if folded.is_empty() {
            return Err("an id has a name with letters or digits".to_owned());
        }
        Ok(Self { sign: Sign::Name(folded), kind: known(kind)? })
    }

    /// Words of a form: a regular expression for the whole id.
    ///
    /// # Errors
    ///
    /// When it is no regular expression, fits nothing at all as well, or there is no such kind.
    pub fn formed(form: &str, kind: Option<&str>) -> Result<Self, String> {
        let regex = Regex::new(&format!(r"\b(?:{form})\b"));
        let regex = regex.map_err(|_| format!("`{form}` is no regular expression"))?;
        if regex.is_match(b"") || regex.is_match(b"a") {
            return Err(format!(
                "`{form}` fits words that are no ids; write all of it, as BK-[0-9]{{6}}"
            ));
        }
        Ok(Self { sign: Sign::Form(regex), kind: known(kind)? })
    }
}

fn known(kind: Option<&str>) -> Result<&'static str, String> {
    let kind = kind.unwrap_or("id");
    KINDS
        .iter()
        .find(|known| **known == kind)
        .copied()
        .ok_or_else(|| format!("`{kind}` is no kind of id; the kinds are {}", KINDS.join(", ")))
}

/// Declares ids, in place of those that were before. What was read before stays as it was.
pub fn declare_ids(own: &[OwnId]) {
    let Ok(mut declared) = DECLARED.write() else { return };
    declared.clear();
    declared.extend_from_slice(own);
    let any = |is: fn(&Sign) -> bool| own.iter().any(|own| is(&own.sign));
    NAMES.store(any(|sign| matches!(sign, Sign::Name(_))), Ordering::Release);
    FORMS.store(any(|sign| matches!(sign, Sign::Form(_))), Ordering::Release);
}

/// The kind of the id that a field of this name holds.
pub(super) fn kind_of(name: &[u8]) -> Option<&'static str> {
    if !NAMES.load(Ordering::Acquire) {
        return None;
    }
    let folded = folded(name);
    let declared = DECLARED.read().ok()?;
    let found =
        declared.iter().find(|own| matches!(&own.sign, Sign::Name(name) if *name == folded));
    found.map(|own| own.kind)
}

/// Calls `take` with the ids in a text that have a declared form.
pub(crate) fn each_form<'t>(text: &'t [u8], take: &mut dyn FnMut(&'static str, &'t str)) {
    if !FORMS.load(Ordering::Acquire) {
        return;
    }
    let Ok(declared) = DECLARED.read() else { return };
    for own in declared.iter() {
        let Sign::Form(form) = &own.sign else { continue };
        for found in form.find_iter(text) {
            if let Ok(id) = std::str::from_utf8(found.as_bytes()) {
                take(own.kind, id);
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{
        entry::{Role, roles},
        layout::{Dialect, LayoutId},
    };

    #[test]
    fn ids_are_declared_by_name_and_by_form() {
        // Names and forms that no other test has: what is declared holds for all of them.
        assert_eq!(roles::role(b"passagePermitNumber"), Role::Plain);
        declare_ids(&[
            OwnId::named("Passage-Permit_Number", Some("order_id")).unwrap(),
            OwnId::named("ppn", None).unwrap(),
            OwnId::formed("QX-[0-9]{4}", Some("job_id")).unwrap(),
        ]);
        assert_eq!(roles::role(b"passagePermitNumber"), Role::Id("order_id"));
        assert_eq!((roles::role(b"ppn"), roles::role(b"level")), (Role::Id("id"), Role::Level));
        let line = b"2026-03-14 06:41:02 INFO rows QX-0017 and QX-99 and aQX-0018 ppn=7";
        let entry = LayoutId::TEXT.read(line, &Dialect::default());
        let ids: Vec<(&str, String)> =
            entry.ids().into_iter().map(|(kind, id)| (kind, id.into_owned())).collect();
        assert_eq!(ids, [("id", "7".to_owned()), ("job_id", "QX-0017".to_owned())]);
        declare_ids(&[]);
        assert_eq!(roles::role(b"ppn"), Role::Plain);
        for wrong in [
            OwnId::formed("[", None),
            OwnId::formed("x*", None),
            OwnId::named("-", None),
            OwnId::named("a", Some("berth")),
        ] {
            assert!(wrong.is_err());
        }
    }
}
