//! An expression made ready to judge whole blocks: facts first, then bytes that any match must hold, and
//! only then the entries that are left.

use aho_corasick::{AhoCorasick, AhoCorasickBuilder};

use super::{
    Expr,
    eval::{Facts, Subject},
};
use crate::{
    source::Source,
    store::{Bits, Block, NO_TIME},
    veil::Veil,
};

/// Shorter literals are in too many places to be worth a search.
const NEEDLE_BYTES: usize = 3;

/// An expression with the bytes that any match must hold.
pub(crate) struct Predicate {
    expr: Expr,
    /// A match holds one of these, in any case; `None` where that can't be said.
    needles: Option<AhoCorasick>,
    /// The expression compares with what the veil puts in a secret's place.
    stand_ins: bool,
}

impl Predicate {
    pub(crate) fn new(expr: Expr) -> Self {
        let needles = required(&expr).and_then(|needles| {
            AhoCorasickBuilder::new().ascii_case_insensitive(true).build(needles).ok()
        });
        Self { stand_ins: expr.to_string().contains('«'), expr, needles }
    }

    /// Judges every entry of a block. A block whose bytes can't be read any more keeps what the index
    /// alone can tell.
    pub(crate) fn judge(&self, block: &Block, source: &Source, veil: &Veil) -> Bits {
        let mut passed = Bits::none(block.len());
        let mut open = Bits::none(block.len());
        let mut any_open = false;
        for index in 0..block.len() {
            match self.expr.holds_by_facts(&facts(block, index, source)) {
                Some(true) => passed.set(index),
                Some(false) => {}
                None => {
                    open.set(index);
                    any_open = true;
                }
            }
        }
        let mut bytes = Vec::new();
        if !any_open || block.read_all(&mut bytes).is_err() {
            return passed;
        }
        if let Some(needles) = self.needles.as_ref().filter(|_| !has_other_writings(&bytes)) {
            let mut candidates = Bits::none(block.len());
            let mut at = 0;
            while let Some(hit) = needles.find(aho_corasick::Input::new(&bytes).range(at..)) {
                at = hit.end();
                if let Some(index) = block.entry_at(hit.start()) {
                    block.beside(index).for_each(|index| candidates.set(index));
                    // The rest of this entry needs no search.
                    let end = block
                        .records(index)
                        .find(|record| record.contains(&hit.start()))
                        .map_or(at, |record| record.end);
                    at = at.max(end.min(bytes.len()));
                }
            }
            open.keep(&candidates);
        }
        for index in open.iter() {
            if self.holds(block, index, source, veil, &block.cut(index, &bytes), &bytes) {
                passed.set(index);
            }
        }
        passed
    }

    fn holds(
        &self,
        block: &Block,
        index: usize,
        source: &Source,
        veil: &Veil,
        raw: &[u8],
        bytes: &[u8],
    ) -> bool {
        let entry = block.entry(index, raw);
        let line = || {
            let start = block.records(index).next().map_or(0, |r| r.start);
            let before = &bytes[..start.min(bytes.len())];
            block.line_after(memchr::memchr_iter(b'\n', before).count() as u64)
        };
        let veiled = self.stand_ins.then(|| veil.over(&entry));
        self.expr.holds(&Subject {
            facts: &facts(block, index, source),
            veiled: veiled.as_ref(),
            entry: &entry,
            line: &line,
        })
    }
}

fn facts<'f>(block: &Block, index: usize, source: &'f Source) -> Facts<'f> {
    let time = block.time(index);
    Facts {
        time: (time != NO_TIME).then_some(time),
        severity: block.severity(index),
        layout: block.layout(index),
        source: (&source.name, &source.label),
    }
}

/// Whether texts in the block may be written otherwise than they read: escaped letters, colours within
/// words, templates whose values stand elsewhere, lines in pieces.
fn has_other_writings(bytes: &[u8]) -> bool {
    let holds = |part: &[u8]| memchr::memmem::find(bytes, part).is_some();
    // An object's brace has a quote or a blank behind it, a template's has a name.
    let template = || {
        memchr::memchr_iter(b'{', bytes).any(|at| {
            bytes.get(at + 1).is_some_and(|b| b.is_ascii_alphanumeric() || matches!(b, b'@' | b'$'))
        })
    };
    // A container's whole line ends with an escaped line end.
    let torn = || {
        memchr::memmem::find_iter(bytes, b"\",\"stream\":\"")
            .any(|at| !bytes[..at].ends_with(b"\\n"))
    };
    memchr::memchr(0x1b, bytes).is_some()
        || holds(b"\\u00")
        || holds(b"\"args\"")
        || holds(b"stdout P ")
        || holds(b"stderr P ")
        || template()
        || torn()
}

/// Texts one of which every match holds, in any case.
fn required(expr: &Expr) -> Option<Vec<String>> {
    match expr {
        Expr::Word(text) | Expr::Id(text) => Some(vec![plain_part(text)?]),
        Expr::And(items) => items
            .iter()
            .filter_map(required)
            .max_by_key(|needles| needles.iter().map(String::len).min()),
        Expr::Or(items) => {
            let mut all = Vec::new();
            for item in items {
                all.extend(required(item)?);
            }
            Some(all)
        }
        _ => None,
    }
}

/// The longest part of a text that every layout writes as it is: letters, digits, and little else. Not
/// even spaces, since some messages are put together from columns.
fn plain_part(text: &str) -> Option<String> {
    if text.contains('«') {
        return None;
    }
    text.split(|c: char| !(c.is_ascii_alphanumeric() || matches!(c, '_' | '-' | '.')))
        .max_by_key(|part| part.len())
        .filter(|part| part.len() >= NEEDLE_BYTES)
        .map(str::to_owned)
}
