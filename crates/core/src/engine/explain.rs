//! Why a line was read as it was.

use std::io;

use super::{Shown, Snapshot};
use crate::{
    layout::{LayoutId, Tried, colours, wrap},
    store::{Block, EntryId},
    veil::{Anyone, Shareable},
};

/// How one line of a source came to be what it is.
#[derive(Debug)]
pub struct Explained {
    /// The entry that the line belongs to.
    pub entry: Shown<Anyone>,
    /// Its first physical line, from 1, and how many lines it has.
    pub lines: (u64, usize),
    /// What was around its first line, and was taken off.
    pub wrapped: bool,
    /// Colour codes were dropped.
    pub coloured: bool,
    /// The layouts that its first line was held against, in this order.
    pub tried: Vec<Tried>,
    /// The entry's bytes as text.
    pub raw: Shareable<'static>,
}

impl Snapshot {
    /// Explains a line of a source, counted from 1 in the file of that name where the source has several.
    /// `None` where no entry has it. Cost: the bytes of one block.
    ///
    /// # Errors
    ///
    /// As [`Snapshot::row`].
    pub fn explain(
        &self,
        source: usize,
        file: Option<&str>,
        line: u64,
    ) -> io::Result<Option<Explained>> {
        let named = |block: &Block| file.is_none_or(|file| block.file.as_deref() == Some(file));
        let holding = self
            .blocks
            .iter()
            .enumerate()
            .filter(|(_, block)| block.source.index() == source && named(block))
            .filter(|(_, block)| (1..=line).contains(&block.first_line) && block.len() > 0)
            // One that begins within the line has not its first entry.
            .filter(|(_, block)| block.first_line < line || block.piece == 0)
            .max_by_key(|(_, block)| block.first_line);
        let Some((number, block)) = holding else { return Ok(None) };
        let mut bytes = Vec::new();
        block.read_all(&mut bytes)?;
        let behind = usize::try_from(line - block.first_line).unwrap_or(usize::MAX);
        let offset = match behind {
            0 => Some(0),
            _ => memchr::memchr_iter(b'\n', &bytes).nth(behind - 1).map(|at| at + 1),
        };
        let Some(offset) = offset.filter(|offset| *offset < bytes.len()) else { return Ok(None) };
        // A list has something before its first entry.
        let end = memchr::memchr(b'\n', &bytes[offset..]).map_or(bytes.len(), |to| offset + to);
        let within = || block.first_from(offset).filter(|(_, start)| *start < end);
        let index = block.entry_at(offset).or_else(|| within().map(|(index, _)| index));
        let Some(index) = index else { return Ok(None) };
        let id = EntryId::new(number, index);
        let raw = block.cut(index, &bytes);
        let (first, _) = crate::entry::first_line(&raw);
        let plain = colours::strip(first);
        let peeled = wrap::peel(&plain, &block.dialect).filter(|_| block.wrapped(index));
        let inner = peeled.as_ref().map_or(&*plain, |peeled| &peeled.inner);
        Ok(Some(Explained {
            entry: self.inspect_to_share(id)?,
            lines: (self.line(id)?, memchr::memchr_iter(b'\n', &raw).count() + 1),
            wrapped: peeled.is_some(),
            coloured: colours::is_coloured(first),
            tried: block.dialect.tried(inner),
            raw: self.raw_to_share(id)?,
        }))
    }

    /// The first entry of a source that no layout took, in the order of the file.
    #[must_use]
    pub fn first_plain(&self, source: usize) -> Option<EntryId> {
        self.first(source, |block, index| block.layout(index) == LayoutId::PLAIN)
    }

    /// The first entry of a source that contradicts what holds for the others, in the order of the file.
    #[must_use]
    pub fn first_doubtful(&self, source: usize) -> Option<EntryId> {
        self.first(source, Block::doubtful)
    }

    fn first(&self, source: usize, fits: impl Fn(&Block, usize) -> bool) -> Option<EntryId> {
        self.blocks_of(source).into_iter().find_map(|(number, block)| {
            let index = (0..block.len()).find(|index| fits(block, *index))?;
            Some(EntryId::new(number, index))
        })
    }

    /// The blocks of a source in the order of its bytes, with their numbers. Cost: a look at all blocks, once.
    fn blocks_of(&self, source: usize) -> Vec<(usize, &Block)> {
        let by_source = self.by_source.get_or_init(|| {
            let mut by_source = vec![Vec::new(); self.sources.len()];
            for (number, block) in self.blocks.iter().enumerate() {
                if let Some(own) = by_source.get_mut(block.source.index()) {
                    own.push(number);
                }
            }
            by_source.iter_mut().for_each(|own| own.sort_by_key(|at| self.blocks[*at].place));
            by_source
        });
        let own = by_source.get(source).into_iter().flatten();
        own.map(|number| (*number, &*self.blocks[*number])).collect()
    }

    /// A few entries of a source: those that no layout took, those that are doubtful, then the first of the others. Cost: a look at
    /// the layout of every entry, at most.
    #[must_use]
    pub fn sample(&self, source: usize, most: usize) -> Vec<EntryId> {
        let blocks = self.blocks_of(source);
        let of_kind = |kind: Kind, most: usize| {
            blocks
                .iter()
                .flat_map(move |&(number, block)| {
                    let fits = move |index: &usize| Kind::of(block, *index) == kind;
                    (0..block.len()).filter(fits).map(move |index| EntryId::new(number, index))
                })
                .take(most)
                .collect::<Vec<_>>()
        };
        let mut found = of_kind(Kind::Plain, most / 2);
        found.extend(of_kind(Kind::Doubtful, most / 4));
        found.extend(of_kind(Kind::Sure, most - found.len()));
        found
    }

    /// The name of the file that an entry stands in, where its source has several.
    #[must_use]
    pub fn file_of(&self, id: EntryId) -> Option<&str> {
        self.block(id)?.file.as_deref()
    }
}

/// How sure it is what an entry means.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Kind {
    Plain,
    Doubtful,
    Sure,
}

impl Kind {
    fn of(block: &Block, index: usize) -> Self {
        match block.layout(index) {
            LayoutId::PLAIN => Self::Plain,
            _ if block.doubtful(index) => Self::Doubtful,
            _ => Self::Sure,
        }
    }
}
