//! Which layout takes a line. The first byte says which may, so that most lines are asked about twice at
//! most.

use std::sync::LazyLock;

use super::{Dialect, Head, Layout as _, LayoutId, record};

/// The layouts that may begin with each byte, in their turn.
static BY_FIRST: LazyLock<Vec<Vec<LayoutId>>> = LazyLock::new(|| {
    let may = |byte: u8| {
        let layouts = LayoutId::all().filter(move |id| id.layout().is_some_and(|l| l.first(byte)));
        layouts.collect()
    };
    (0..=u8::MAX).map(may).collect()
});

/// The layouts that a line may be of, in the order in which they are asked.
fn candidates<'l>(line: &'l [u8], dialect: &'l Dialect) -> impl Iterator<Item = LayoutId> + 'l {
    let first = line.first().map(|first| BY_FIRST[usize::from(*first)].as_slice());
    // Columns need a header that names them.
    let table = move |id: &LayoutId| dialect.header.is_some() || !id.is_table();
    let begins = |id: &LayoutId| id.layout().is_some_and(|layout| layout.begins(line));
    first.unwrap_or_default().iter().copied().filter(table).filter(begins)
}

/// One layout that a line was held against, and whether it took it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Tried {
    /// The layout.
    pub layout: LayoutId,
    /// Whether the line fits.
    pub fits: bool,
}

impl Dialect {
    /// The layouts that a line is held against, up to the one that takes it.
    pub(crate) fn tried(&self, line: &[u8]) -> Vec<Tried> {
        let of = |layout: LayoutId| Tried {
            layout,
            fits: layout.layout().is_some_and(|l| l.head(line, self).is_some()),
        };
        if let Some(forced) = self.forced() {
            return vec![of(forced)];
        }
        let own =
            self.own.iter().map(|own| Tried { layout: own.id(), fits: own.head(line).is_some() });
        let others = candidates(line, self).map(of);
        let mut found = Vec::new();
        for tried in own.chain(others) {
            found.push(tried);
            if found.last().is_some_and(|tried| tried.fits) {
                break;
            }
        }
        found
    }

    /// Finds the layout that takes the line, nothing taken off.
    pub(crate) fn detect(&self, line: &[u8]) -> Option<(LayoutId, Head)> {
        if let Some(forced) = self.forced() {
            let head = forced.layout()?.head(line, self)?;
            return Some((forced, head));
        }
        if !self.own.is_empty()
            && let Some((id, head)) = self.own.iter().find_map(|o| Some((o.id(), o.head(line)?)))
        {
            return Some((id, head));
        }
        if self.record.is_some() {
            return Some((LayoutId::RECORD, record::Record.head(line, self)?));
        }
        candidates(line, self).find_map(|id| Some((id, id.layout()?.head(line, self)?)))
    }
}
