//! What the columns of a source mean, decided once from many of its lines and held to for all.

use std::{collections::HashSet, ops::Range};

use super::{
    Columns, access, command_of, is_logger, is_request, is_tail, json, level_of, mark_of, place_of,
    prefix, status_of, time_of, width,
};

/// Lines from which on a source has said enough about its columns.
const ENOUGH: usize = 4;
/// Columns that are told apart; those behind them are fields without a name.
const MOST: usize = 64;
/// Values of a column that are counted.
const VALUES: usize = 64;

/// What a column holds.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Holds {
    Time,
    Level,
    Id,
    /// The thread and the name of a command.
    Command,
    Status,
    Request,
    Took,
    Remote,
    Caller,
    Logger,
    Thread,
    Message,
    /// Pairs, from its first byte on.
    Pairs,
    Object,
    /// A place in the code, and the message behind it, up to the end of the line.
    Place,
    /// None of these: a field that goes by the number of the column.
    Other,
}

/// The columns of one program's lines.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(in crate::layout) struct Plan {
    mark: u8,
    columns: Vec<Holds>,
    time: usize,
    /// The column that may hold the mark as well.
    message: Option<usize>,
    /// Behind this column nothing is left that a look at the line could find wrong.
    checked: usize,
}

/// A column of a line: its number, what it holds, and where it stands.
pub(super) type Cell = (usize, Holds, Range<usize>);

impl Plan {
    /// Learns what the columns hold from lines of the layout. `None` where they are too few, or differ too much.
    pub(in crate::layout) fn learn(lines: &[&[u8]]) -> Option<Self> {
        let mark = most_frequent(lines.iter().filter_map(|line| mark_of(line)))?;
        let lines: Vec<&[u8]> =
            lines.iter().copied().filter(|line| mark_of(line) == Some(mark)).collect();
        let usual = most_frequent(lines.iter().map(|line| width(line)))?.min(MOST);
        let mut seen = vec![Seen::default(); usual];
        let mut count = 0;
        for line in lines.iter().filter(|line| width(line) == usual) {
            count += 1;
            for (seen, cell) in seen.iter_mut().zip(Columns::of(line)?) {
                seen.look(line, cell);
            }
        }
        if count < ENOUGH {
            return None;
        }
        let mut columns = vec![Holds::Other; usual];
        let time = seen.iter().position(|seen| seen.mostly(seen.times, 90))?;
        columns[time] = Holds::Time;
        tell(&seen, &mut columns);
        tell_names(&seen, &mut columns);
        let at = |wanted: Holds| columns.iter().position(|holds| *holds == wanted);
        let checks = [Holds::Time, Holds::Level, Holds::Id, Holds::Status, Holds::Caller];
        let checked = columns.iter().rposition(|holds| checks.contains(holds)).unwrap_or(time);
        Some(Self { mark, time, message: at(Holds::Message), checked, columns })
    }

    /// Whether a line is one of the program's: its time stands where it should, or is left blank where it repeats.
    pub(super) fn fits(&self, line: &[u8]) -> bool {
        if mark_of(line) != Some(self.mark) {
            return false;
        }
        let Some(cells) = Columns::of(line) else { return false };
        let mut blank = false;
        let mut others = 0;
        for (number, cell) in cells.enumerate() {
            if number != self.time {
                others += usize::from(!is_blank(&line[cell]));
            } else if time_of(&line[cell.clone()]).is_some() {
                return true;
            } else {
                blank = line[cell].trim_ascii().is_empty();
            }
            if number >= self.time && !blank {
                return false;
            }
        }
        blank && others > 1 && width(line) == self.columns.len()
    }

    /// What stands between the columns.
    pub(super) fn mark(&self) -> u8 {
        self.mark
    }

    /// What a column holds, by its number.
    pub(super) fn holds(&self, number: usize) -> Holds {
        self.columns.get(number).copied().unwrap_or(Holds::Other)
    }

    /// The columns of the time, of the last thing that the index looks at, and of the message.
    pub(super) fn looked_at(&self) -> (usize, usize, Option<usize>) {
        (self.time, self.checked.max(self.time), self.message)
    }

    /// Whether there is a column that holds this.
    pub(super) fn has(&self, holds: Holds) -> bool {
        self.columns.contains(&holds)
    }

    /// The columns of a line. More marks than columns are a part of the message.
    pub(super) fn cells<'l>(&'l self, line: &'l [u8]) -> impl Iterator<Item = Cell> + 'l {
        let more = match self.message {
            Some(_) => width(line).saturating_sub(self.columns.len()),
            None => 0,
        };
        let mut cells = Columns::of(line).into_iter().flatten();
        let mut number = 0;
        let mut planned = 0;
        std::iter::from_fn(move || {
            let mut cell = cells.next()?;
            let holds = self.columns.get(planned).copied().unwrap_or(Holds::Other);
            let first = number;
            (number, planned) = (number + 1, planned + 1);
            if holds == Holds::Message {
                for _ in 0..more {
                    let Some(next) = cells.next() else { break };
                    (cell.end, number) = (next.end, number + 1);
                }
            }
            Some((first, holds, cell))
        })
    }

    /// The columns that are looked at for the index.
    pub(super) fn first_cells<'l>(&'l self, line: &'l [u8]) -> impl Iterator<Item = Cell> + 'l {
        self.cells(line).take(self.checked + 1)
    }
}

/// Whether a column of a line does not hold what it should.
pub(super) fn contradicts(holds: Holds, cell: &[u8]) -> bool {
    if is_blank(cell) {
        return false;
    }
    match holds {
        Holds::Time => time_of(cell).is_none(),
        Holds::Level => level_of(cell).is_none(),
        Holds::Id => !prefix::is_hexadecimal(cell) && !prefix::is_id(cell),
        Holds::Status => status_of(cell).is_none(),
        Holds::Caller => !prefix::is_caller(cell),
        _ => false,
    }
}

pub(super) fn is_blank(cell: &[u8]) -> bool {
    cell.is_empty() || cell == b"-"
}

fn most_frequent<T: Ord + Copy>(values: impl Iterator<Item = T>) -> Option<T> {
    let mut values: Vec<T> = values.collect();
    values.sort_unstable();
    // Of those that are as frequent, the first.
    let runs: Vec<&[T]> = values.chunk_by(|a, b| a == b).collect();
    runs.iter().rev().max_by_key(|run| run.len()).map(|run| run[0])
}

/// What was seen in a column.
#[derive(Clone, Debug, Default)]
struct Seen {
    /// Lines in which it is not blank.
    lines: usize,
    times: usize,
    levels: usize,
    ids: usize,
    commands: usize,
    hexadecimal: usize,
    lettered: usize,
    lengths: HashSet<usize>,
    statuses: usize,
    requests: usize,
    durations: usize,
    addresses: usize,
    callers: usize,
    places: usize,
    tails: usize,
    objects: usize,
    names: usize,
    paths: usize,
    threads: usize,
    spaces: usize,
    values: HashSet<Vec<u8>>,
}

impl Seen {
    fn look(&mut self, line: &[u8], span: Range<usize>) {
        let cell = &line[span.clone()];
        if is_blank(cell) {
            return;
        }
        let mut count = |sum: fn(&mut Self) -> &mut usize, is: bool| *sum(self) += usize::from(is);
        count(|seen| &mut seen.lines, true);
        count(|seen| &mut seen.times, time_of(cell).is_some());
        count(|seen| &mut seen.levels, level_of(cell).is_some());
        count(|seen| &mut seen.ids, prefix::is_id(cell));
        count(|seen| &mut seen.commands, command_of(cell).is_some());
        count(|seen| &mut seen.hexadecimal, prefix::is_hexadecimal(cell));
        count(|seen| &mut seen.lettered, cell.iter().any(u8::is_ascii_alphabetic));
        count(|seen| &mut seen.statuses, status_of(cell).is_some());
        count(|seen| &mut seen.requests, is_request(cell));
        count(|seen| &mut seen.durations, access::is_duration(cell));
        count(|seen| &mut seen.addresses, access::is_address(cell));
        count(|seen| &mut seen.callers, prefix::is_caller(cell));
        count(|seen| &mut seen.places, place_of(cell).is_some());
        count(|seen| &mut seen.tails, is_tail(line, &span));
        count(|seen| &mut seen.objects, cell[0] == b'{' && json::is_object(cell));
        count(|seen| &mut seen.names, is_logger(cell));
        count(|seen| &mut seen.paths, is_logger(cell) && prefix::is_path(cell));
        count(|seen| &mut seen.threads, prefix::looks_like_thread(cell));
        count(|seen| &mut seen.spaces, cell.contains(&b' '));
        self.lengths.insert(cell.len());
        if self.values.len() < VALUES {
            self.values.insert(cell.to_vec());
        }
    }

    /// Whether so many of its lines are at least this share of them, in percent.
    fn mostly(&self, count: usize, percent: usize) -> bool {
        count > 0 && count * 100 >= self.lines * percent
    }

    /// Whether it holds ids: most have the form of one, or all are hexadecimal digits of one length that are no
    /// number.
    fn is_id(&self) -> bool {
        let alike = self.hexadecimal == self.lines
            && self.lengths.len() == 1
            && self.lettered > 0
            && self.values.len() > 1;
        self.mostly(self.ids, 60) || alike
    }
}

/// Tells what the columns hold whose form says it.
fn tell(seen: &[Seen], columns: &mut [Holds]) {
    let mut status = false;
    let mut text = false;
    for (at, seen) in seen.iter().enumerate() {
        if columns[at] != Holds::Other || seen.lines == 0 {
            continue;
        }
        let level = !columns.contains(&Holds::Level) && seen.mostly(seen.levels, 80);
        let holds = if level {
            Holds::Level
        } else if seen.mostly(seen.tails, 60) {
            Holds::Pairs
        } else if seen.mostly(seen.objects, 60) {
            Holds::Object
        } else if seen.mostly(seen.commands, 80) {
            Holds::Command
        } else if seen.is_id() {
            Holds::Id
        } else if !status && !text && seen.mostly(seen.statuses, 95) {
            Holds::Status
        } else if status && seen.mostly(seen.requests, 80) {
            Holds::Request
        } else if status && seen.mostly(seen.durations, 80) {
            Holds::Took
        } else if status && seen.mostly(seen.addresses, 80) {
            Holds::Remote
        } else if seen.mostly(seen.callers, 80) {
            Holds::Caller
        } else if seen.mostly(seen.places, 80) {
            Holds::Place
        } else {
            Holds::Other
        };
        status |= holds == Holds::Status;
        text |= holds == Holds::Other;
        let once = !matches!(holds, Holds::Pairs | Holds::Object | Holds::Id);
        if !once || !columns.contains(&holds) {
            columns[at] = holds;
        }
    }
}

/// Finds thread, logger and message among the columns whose form says nothing.
fn tell_names(seen: &[Seen], columns: &mut [Holds]) {
    let mut open: Vec<usize> = (0..columns.len())
        .filter(|at| columns[*at] == Holds::Other && seen[*at].lines > 0)
        .collect();
    if columns.contains(&Holds::Place) {
        return;
    }
    // The message: where words stand; of those that are alike, the first behind all names.
    let wordy = open.iter().copied().filter(|at| seen[*at].mostly(seen[*at].spaces, 1));
    let most = wordy.max_by_key(|at| (seen[*at].spaces, std::cmp::Reverse(*at)));
    let named = |at: &usize| seen[*at].mostly(seen[*at].names, 90);
    let first_other = open.iter().copied().find(|at| !named(at));
    let message = most.or(first_other).or(match open.as_slice() {
        [] => None,
        [only] => Some(*only),
        [_, second, ..] => Some(*second),
    });
    if let Some(message) = message {
        columns[message] = Holds::Message;
        open.retain(|at| *at != message);
    }
    let threads = |at: &usize| seen[*at].mostly(seen[*at].threads, 80);
    let path = |at: &usize| named(at) && seen[*at].mostly(seen[*at].paths, 60);
    let before = |at: &usize| message.is_none_or(|message| *at < message);
    let names = || open.iter().copied().filter(|at| named(at) && before(at));
    let logger = names().find(path).or_else(|| names().find(|at| !threads(at)));
    let logger = logger.or_else(|| names().next());
    if let Some(logger) = logger {
        columns[logger] = Holds::Logger;
        open.retain(|at| *at != logger);
    }
    if let Some(thread) = open.iter().copied().find(|at| threads(at) && before(at)) {
        columns[thread] = Holds::Thread;
    }
}

/// The name of a column without one.
pub(super) fn number_name(number: usize) -> String {
    format!("column{}", number + 1)
}
