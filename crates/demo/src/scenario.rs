//! The morning as a stream of events in the order of time.

use std::{cmp::Reverse, collections::BinaryHeap};

use crate::{
    event::{Event, MILLI, SECOND},
    flows,
    leaks::Leaks,
    random::Random,
};

/// 2026-03-14T06:00:00Z
const MORNING: i64 = 1_773_468_000 * SECOND;
/// The morning lasts two hours.
const SECONDS: usize = 7_200;

/// How many entries come, and when.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Pace {
    /// The morning of 14 March with this many entries.
    Morning {
        /// Entries in all.
        entries: usize,
    },
    /// A steady stream without an end.
    Steady {
        /// Nanoseconds UTC of the first entry.
        start: i64,
        /// Entries a second.
        rate: usize,
    },
}

/// Makes the events, one after the other.
pub struct Scenario {
    pace: Pace,
    random: Random,
    leaks: Leaks,
    /// Seconds of the morning that have been filled.
    filled: usize,
    made: usize,
    given: usize,
    weights: Vec<f64>,
    waiting: BinaryHeap<Reverse<Waiting>>,
}

struct Waiting {
    event: Event,
    number: usize,
}

impl Waiting {
    fn key(&self) -> (i64, usize) {
        (self.event.time, self.number)
    }
}

impl PartialEq for Waiting {
    fn eq(&self, other: &Self) -> bool {
        self.key() == other.key()
    }
}

impl Eq for Waiting {}

impl PartialOrd for Waiting {
    fn partial_cmp(&self, other: &Self) -> Option<std::cmp::Ordering> {
        Some(self.cmp(other))
    }
}

impl Ord for Waiting {
    fn cmp(&self, other: &Self) -> std::cmp::Ordering {
        self.key().cmp(&other.key())
    }
}

impl Scenario {
    /// The events of a seed.
    #[must_use]
    pub fn new(seed: u64, pace: Pace) -> Self {
        let weights: Vec<f64> = (0..SECONDS).map(weight).collect();
        let sum: f64 = weights.iter().sum();
        let mut share = 0.0;
        Self {
            pace,
            random: Random::new(seed),
            leaks: Leaks::new(seed),
            filled: 0,
            made: 0,
            given: 0,
            weights: weights
                .into_iter()
                .map(|weight| {
                    share += weight / sum;
                    share
                })
                .collect(),
            waiting: BinaryHeap::new(),
        }
    }

    /// Fills one more second. The events of a request reach into the seconds after it.
    #[expect(
        clippy::cast_precision_loss,
        clippy::cast_possible_truncation,
        clippy::cast_sign_loss,
        reason = "counts of entries, far below the limits"
    )]
    fn fill(&mut self) {
        let second = self.filled;
        self.filled += 1;
        let offset = i64::try_from(second).unwrap_or(i64::MAX) * SECOND;
        let (start, target, morning) = match self.pace {
            Pace::Morning { entries } => {
                let share = self.weights.get(second).copied().unwrap_or(1.0);
                let more = usize::from(second >= SECONDS) * entries;
                (MORNING, (share * entries as f64).ceil() as usize + more, true)
            }
            Pace::Steady { start, rate } => (start, (second + 1) * rate, false),
        };
        if morning {
            for event in flows::scripted(second, start + offset, &mut self.random) {
                self.wait(event);
            }
        }
        let trouble = morning && (2_280..2_880).contains(&second);
        while self.made < target {
            let time = start + offset + self.random.within(0, 999) * MILLI;
            for event in flows::any(time, trouble, &mut self.random) {
                self.wait(event);
            }
        }
    }

    fn wait(&mut self, event: Event) {
        self.made += 1;
        self.waiting.push(Reverse(Waiting { event, number: self.made }));
    }
}

impl Iterator for Scenario {
    type Item = Event;

    fn next(&mut self) -> Option<Event> {
        if let Pace::Morning { entries } = self.pace
            && self.given >= entries
        {
            return None;
        }
        let base = match self.pace {
            Pace::Morning { .. } => MORNING,
            Pace::Steady { start, .. } => start,
        };
        loop {
            let filled = base + i64::try_from(self.filled).unwrap_or(i64::MAX) * SECOND;
            match self.waiting.peek() {
                Some(Reverse(first)) if first.event.time < filled => break,
                _ => self.fill(),
            }
        }
        self.given += 1;
        self.waiting.pop().map(|Reverse(first)| self.leaks.put_into(first.event))
    }
}

/// How busy a second of the morning is: commuters come before seven, the 06:40 crossing draws a crowd,
/// and after the restart it is still for some minutes.
fn weight(second: usize) -> f64 {
    let minute = second / 60;
    match minute {
        0..=24 => 0.5,
        25..=37 => 1.0,
        38..=46 => 3.2,
        47..=51 => 1.6,
        // The line is down for the restart.
        52 => 0.15,
        64..=68 => 0.02,
        _ if second % 900 < 20 => 4.0,
        _ => 0.7,
    }
}
