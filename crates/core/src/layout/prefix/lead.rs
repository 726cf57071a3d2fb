//! Prefixes without a time whose level has no mark of its own: only the source as a whole tells that it is one.

use std::ops::Range;

use super::{
    Habits, Lead, Prefix,
    forms::{is_name, is_upper, level_ahead, word_of_level},
};

impl Prefix {
    /// `info fares opened`, `harbour.fares INFO opened`, as the source has them.
    pub(in crate::layout) fn led(line: &[u8], habits: Habits) -> Option<Self> {
        let first = memchr::memchr(b' ', line)?;
        let mut found = Self { habits, ..Self::default() };
        let mut at = 0..first;
        if habits.lead == Lead::Second {
            let numbered = line[at.clone()].iter().all(u8::is_ascii_digit);
            if !numbered && !is_name(&line[at.clone()]) {
                return None;
            }
            match numbered {
                true => found.named_parts.push(("serial", at)),
                false => found.logger = Some(at),
            }
            let length = memchr::memchr(b' ', &line[first + 1..]).unwrap_or(line.len() - first - 1);
            at = first + 1..first + 1 + length;
            if !numbered && !is_upper(&line[at.clone()]) {
                return None;
            }
        }
        let severity = word_of_level(&line[at.clone()]).filter(|_| at.len() > 2)?;
        let blanks = line[at.end..].iter().take_while(|b| **b == b' ').count();
        found.message = at.end + blanks;
        found.level = Some((at, severity));
        Some(found)
    }

    /// `229  [main] INFO  harbour.fares - …`: milliseconds since the start, which stand in front.
    pub(in crate::layout) fn since_start(
        line: &[u8],
        uptime: Range<usize>,
        habits: Habits,
    ) -> Option<Self> {
        let behind = line.get(uptime.end..)?;
        let blanks = behind.iter().take_while(|b| **b == b' ').count();
        let rest = &behind[blanks..];
        let close = memchr::memchr(b']', rest.get(..rest.len().min(80))?)?;
        let fits = blanks > 0
            && rest.first() == Some(&b'[')
            && level_ahead(rest[close + 1..].trim_ascii_start());
        if !fits {
            return None;
        }
        let mut found = Self::without_message(line, uptime.end + blanks, habits);
        found.level.as_ref()?;
        found.named_parts.push(("uptime", uptime));
        Some(found)
    }
}
