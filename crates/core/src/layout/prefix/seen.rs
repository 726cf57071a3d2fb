//! What many lines of a source show of its prefixes.

use std::ops::Range;

use super::{
    Habits, Lead, Prefix, Tags,
    forms::{
        is_error_name, is_hexadecimal, is_id, is_name, is_parted, is_path, is_upper, level_ahead,
        word_of_level,
    },
};
use crate::entry::{Severity, Stamp};

/// What was seen of the prefixes of a source's lines.
#[derive(Default)]
pub(in crate::layout) struct Seen {
    timed: usize,
    levelled: usize,
    /// Lines with a letter behind the time that is a level, and no other level.
    letters: usize,
    /// Lines without a level whose message begins with a name in parts that colons set apart.
    parted: usize,
    /// Lines with a name in round brackets behind the level.
    round: usize,
    /// Lines whose message begins with a word that may be a logger, and those that have a logger with a path
    /// behind the level.
    bare: usize,
    paths: usize,
    other: usize,
    /// For each bracket: lines, those with an id in it, and those with hexadecimal digits alone.
    brackets: [(usize, usize, usize); 6],
    /// Lines with so many brackets before the message.
    counts: [usize; 7],
    /// Lines whose logger stands elsewhere.
    named_otherwise: usize,
    /// Lines with a name that has a path in front of a colon.
    path_tags: usize,
    /// Lines with two names in front of a colon each.
    pairs: usize,
    /// Lines with a level and no time.
    untimed: usize,
    /// Names in front of a colon, and how often each was met.
    tags: Vec<(Vec<u8>, usize)>,
    /// Lines that nothing is known of but where a word stands that may be a level, and the levels.
    loose: usize,
    first: usize,
    second: usize,
    words: Vec<Severity>,
    /// The column of the level behind a time in brackets; lines with it, with another, and without a time.
    column: Option<usize>,
    columns: usize,
    other_columns: usize,
    blank: usize,
}

/// Lines from which on a share of them means something.
const ENOUGH: usize = 3;

impl Seen {
    /// Takes a line with a time in.
    pub(in crate::layout) fn look(&mut self, line: &[u8], prefix: &Prefix) {
        self.timed += 1;
        let front = &line[..prefix.message.min(line.len())];
        for (inside, seen) in brackets(front).zip(&mut self.brackets) {
            seen.0 += 1;
            seen.1 += usize::from(is_id(inside));
            seen.2 += usize::from(is_hexadecimal(inside));
        }
        let count = brackets(front).count();
        self.counts[count.min(6)] += 1;
        self.tag(line, prefix);
        let message = &line[prefix.message.min(line.len())..];
        if line.first() == Some(&b'[')
            && let Some((level, _)) = &prefix.level
        {
            match self.column {
                Some(column) if column != level.start => self.other_columns += 1,
                _ => self.columns += 1,
            }
            self.column.get_or_insert(level.start);
        }
        let Some((level, _)) = prefix.level.as_ref() else {
            let letter = matches!(
                message,
                [b'V' | b'T' | b'D' | b'I' | b'W' | b'E' | b'F' | b'C', b' ', ..]
            );
            self.letters += usize::from(letter);
            let word = &message[..memchr::memchr(b' ', message).unwrap_or(0)];
            self.parted += usize::from(is_parted(word));
            return;
        };
        if level.start >= prefix.message {
            return;
        }
        self.levelled += 1;
        let round = line.get(level.end..).and_then(|rest| {
            let rest = rest.trim_ascii_start().strip_prefix(b"(")?;
            let close = memchr::memchr(b')', rest.get(..rest.len().min(60))?)?;
            (is_name(&rest[..close]) && rest.get(close + 1) == Some(&b' ')).then_some(())
        });
        self.round += usize::from(round.is_some());
        let behind = |span: &Range<usize>| span.start == level.end + 1 && line[level.end] == b' ';
        let path = prefix.logger.as_ref().is_some_and(|span| {
            behind(span) && is_path(&line[span.clone()]) && line.get(span.end) == Some(&b' ')
        });
        let word = &message[..memchr::memchr(b' ', message).unwrap_or(message.len())];
        let bare = prefix.logger.is_none() && behind(&(prefix.message..line.len()));
        if path {
            self.paths += 1;
        } else if bare && is_name(word) && word[0].is_ascii_lowercase() {
            self.bare += 1;
        } else {
            self.other += 1;
        }
    }

    /// Takes a line without a time in: what is known of it, where it has a level.
    pub(in crate::layout) fn look_untimed(&mut self, line: &[u8], prefix: Option<&Prefix>) {
        if let Some(prefix) = prefix {
            self.untimed += 1;
            self.tag(line, prefix);
        }
        let mut words = line.split(|b| *b == b' ');
        let (Some(first), Some(second)) = (words.next(), words.next()) else { return };
        if first.is_empty() {
            let blanks = line.iter().take_while(|b| **b == b' ').count();
            if self.column == Some(blanks) && level_ahead(&line[blanks..]) {
                self.blank += 1;
            }
            return;
        }
        self.loose += 1;
        let level = |word: &[u8]| word_of_level(word).filter(|_| word.len() > 2);
        if let Some(severity) = level(first) {
            self.first += 1;
            self.words.push(severity);
        } else if is_name(first) && is_upper(second) || first.iter().all(u8::is_ascii_digit) {
            self.second += usize::from(level(second).is_some());
        }
    }

    /// Takes in the name in front of a colon that may be that of a logger.
    fn tag(&mut self, line: &[u8], prefix: &Prefix) {
        let name = match &prefix.logger {
            Some(span) if span.start > 0 && line[span.end..].starts_with(b": ") => {
                &line[span.clone()]
            }
            Some(_) => {
                self.named_otherwise += 1;
                return;
            }
            None => {
                let message = &line[prefix.message.min(line.len())..];
                let word = &message[..memchr::memchr(b' ', message).unwrap_or(0)];
                let Some(name) = word.strip_suffix(b":") else { return };
                name
            }
        };
        if !is_name(name) || is_error_name(name) {
            return;
        }
        if is_path(name) {
            self.path_tags += 1;
            return;
        }
        let behind = name.as_ptr() as usize - line.as_ptr() as usize + name.len() + 2;
        let rest = line.get(behind..).unwrap_or_default();
        let next = &rest[..memchr::memchr(b' ', rest).unwrap_or(0)];
        self.pairs +=
            usize::from(next.strip_suffix(b":").is_some_and(|n| is_name(n) && !is_path(n)));
        let room = self.tags.len() < 64;
        match self.tags.iter_mut().find(|(known, _)| known == name) {
            Some((_, count)) => *count += 1,
            None if room => self.tags.push((name.to_vec(), 1)),
            None => {}
        }
    }

    pub(in crate::layout) fn habits(&self) -> Habits {
        let most = |part: usize, all: usize| all >= ENOUGH && part * 10 >= all * 9;
        let id = self.brackets.iter().position(|(lines, ids, hexadecimal)| {
            *lines >= ENOUGH && ids * 10 >= lines * 4 && (*hexadecimal == *lines)
        });
        Habits {
            named: self.paths > 0 && self.other == 0 && self.paths * 3 >= self.paths + self.bare,
            letter: most(self.letters, self.timed),
            round: most(self.round, self.levelled),
            id: id.and_then(|at| u8::try_from(at).ok()),
            brackets: self.usual_brackets(),
            tags: Tags::of(&self.tags, self.path_tags, self.tagged_lines()),
            parted: most(self.parted, self.timed),
            spanned: most(self.pairs, self.timed),
            lead: self.lead(),
            column: self
                .column
                .filter(|at| *at > 8 && self.blank > 0 && self.other_columns * 10 <= self.columns)
                .and_then(|at| u8::try_from(at).ok()),
        }
    }

    /// The lines that may have a name in front of a colon: those of the usual kind, with a time or without.
    fn tagged_lines(&self) -> usize {
        let untimed = if self.untimed * 10 < self.timed { 0 } else { self.untimed };
        (self.timed + untimed).saturating_sub(self.named_otherwise)
    }

    /// The brackets before a message, where most lines have as many and hardly one has fewer.
    fn usual_brackets(&self) -> Option<u8> {
        let (usual, lines) = self.counts.iter().enumerate().max_by_key(|(_, lines)| **lines)?;
        let most = self.timed >= 2 * ENOUGH && lines * 10 >= self.timed * 6;
        u8::try_from(usual).ok().filter(|_| most)
    }

    fn lead(&self) -> Lead {
        let lines = self.loose + self.timed;
        let most = |part: usize| part >= ENOUGH && part * 10 >= lines * 8;
        let several = self.words.iter().any(|severity| *severity != self.words[0]);
        if most(self.first) && several && self.timed == 0 {
            return Lead::First;
        }
        if most(self.second) && self.timed == 0 { Lead::Second } else { Lead::Nowhere }
    }
}

/// What stands in the brackets of a prefix, but for times and levels.
fn brackets(front: &[u8]) -> impl Iterator<Item = &[u8]> {
    let mut rest = front;
    std::iter::from_fn(move || {
        loop {
            let open = memchr::memchr(b'[', rest)?;
            let close = open + memchr::memchr(b']', &rest[open..])?;
            let inside = rest[open + 1..close].trim_ascii();
            rest = &rest[close + 1..];
            let counted = !inside.is_empty()
                && inside != b"-"
                && Severity::from_word(inside).is_none()
                && Stamp::leading(inside).is_none();
            if counted {
                return Some(inside);
            }
        }
    })
}
