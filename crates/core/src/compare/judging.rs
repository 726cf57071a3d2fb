//! What was counted of both sides becomes differences, the most surprising first.

use super::{
    Change, Comparison, Difference, Per, What, Whole, counting::Compared, surprise,
    tallied::Tallied,
};
use crate::{
    engine::{
        Snapshot,
        pass::{Measured, Selection},
    },
    entry::Level,
    tally::{By, Key},
    veil::Audience,
};

impl<A: Audience> Comparison<A> {
    pub(super) fn put_together(
        snapshot: &Snapshot,
        sides: [&Selection; 2],
        per: Per,
        measured: Measured<Compared<A>>,
    ) -> Self {
        let wholes = sides.map(|selection| Whole {
            entries: selection.len() as u64,
            span: selection.span(snapshot),
        });
        let mut part = measured.part;
        part.find_words();
        let mut comparison = Self {
            differences: Vec::new(),
            wholes,
            per,
            left_out: part.left_out(),
            unread: measured.unread,
        };
        comparison.differences = comparison.judged(part);
        comparison
    }

    fn judged(&self, part: Compared<A>) -> Vec<Difference<A>> {
        let mut differences = Vec::new();
        for kind in part.kinds {
            let (text, tallied) = kind;
            let took = &tallied.took;
            if took.iter().all(|values| values.count > 0) {
                let (surprise, larger) = surprise::of_values(&took[0], &took[1]);
                differences.push(Difference {
                    what: What::Took(text.clone()),
                    change: if larger >= 0.5 { Change::Slower } else { Change::Faster },
                    counts: tallied.counts,
                    took: Some(tallied.took.clone()),
                    level: tallied.level(),
                    surprise,
                    entry: tallied.entry(),
                });
            }
            differences.push(self.counted(What::Kind(text), &tallied));
        }
        for (by, field) in part.fields {
            if field.is_full() {
                continue;
            }
            for (text, tallied) in field.values {
                let key = match &by {
                    By::Source => Key::Source(text.as_str().parse().unwrap_or(usize::MAX)),
                    By::Level => {
                        match Level::ALL.into_iter().find(|level| level.name() == text.as_str()) {
                            Some(level) => Key::Level(level),
                            None => Key::Text(text),
                        }
                    }
                    _ => Key::Text(text),
                };
                differences.push(self.counted(What::Value(by.clone(), key), &tallied));
            }
        }
        differences.sort_by(|one, other| {
            let rank = |difference: &Difference<A>| {
                (difference.is_surprising(), difference.is_surprising() && difference.is_error())
            };
            rank(other)
                .cmp(&rank(one))
                .then_with(|| other.surprise.total_cmp(&one.surprise))
                .then_with(|| one.order().cmp(&other.order()))
        });
        differences
    }

    fn counted(&self, what: What<A>, tallied: &Tallied) -> Difference<A> {
        #[expect(clippy::cast_precision_loss, reason = "counts to compare")]
        let share = |side: usize| surprise::Share {
            count: tallied.counts[side] as f64,
            of: match self.per {
                Per::Entry => self.wholes[side].entries as f64,
                Per::Minute => self.wholes[side].minutes(),
            },
        };
        let (one, other) = (share(0), share(1));
        let surprise = match self.per {
            Per::Entry => surprise::of_entries(one, other),
            Per::Minute => surprise::of_minutes(one, other),
        };
        let change = match tallied.counts {
            [0, _] => Change::New,
            [_, 0] => Change::Gone,
            _ if other.count * one.of >= one.count * other.of => Change::More,
            _ => Change::Less,
        };
        Difference {
            what,
            change,
            counts: tallied.counts,
            took: None,
            level: tallied.level(),
            surprise,
            entry: tallied.entry(),
        }
    }
}

impl<A: Audience> Difference<A> {
    /// Puts differences that are equally surprising in an order.
    fn order(&self) -> (u8, String) {
        match &self.what {
            What::Kind(kind) => (0, kind.as_str().to_owned()),
            What::Took(kind) => (1, kind.as_str().to_owned()),
            What::Value(by, key) => (2, format!("{by} {key:?}")),
        }
    }
}
