//! `cribrum sift`

use std::{io::Write, ops::ControlFlow};

use cribrum_core::{
    engine::{Options, Snapshot, stream},
    export::{Error, Exporter, write_rows},
    sieve::Sieve,
};
use jiff::tz::TimeZone;

use super::{
    args::{Order, Sift},
    exit::{Exit, Stop, tell},
    following::{Following, Start},
    pour::{self, Asked, Passed},
    writing::{Writing, write_each, write_table},
};
use crate::{output::Output, results::EntryTable};

pub(super) fn run(args: &Sift) -> Result<Exit, Stop> {
    for (name, number) in [("-n", args.count), ("--last", args.last)] {
        if number == Some(0) {
            return Err(Stop::usage(format!("{name} 0 writes nothing; give 1 or more")));
        }
    }
    if args.follow {
        return follow(args);
    }
    let output = args.output.as_deref();
    let writing = Writing::of(&args.written, args.ascii)?;
    if let Some(most) = args.last {
        let passed = pour::pour_last(&args.pour, output, most)?.into();
        return write(args, writing, &passed, Order::Time);
    }
    let asked = Asked::of(&args.pour, output)?;
    let usual = if asked.found.sources.len() == 1 { Order::Source } else { Order::Time };
    let order = args.order.unwrap_or(usual);
    if let Some(passed) = asked.searched(writing.is_numbered()) {
        return write(args, writing, &passed, order);
    }
    // Of a table, what ends a number of entries is known once they are written.
    let counted = args.count.is_some() && !matches!(writing, Writing::Lines(_));
    match asked.fixed().filter(|_| order == Order::Source && !asked.beside && !counted) {
        Some(sieve) => write_streaming(args, writing, &asked, &sieve),
        None => write(args, writing, &asked.read()?, order),
    }
}

/// Writes what is in the pan.
fn write(args: &Sift, mut writing: Writing, passed: &Passed, order: Order) -> Result<Exit, Stop> {
    pour::explain(&passed.snapshot, passed.zone.as_ref());
    let mut out = Output::open(args.output.as_deref()).map_err(Stop::output)?;
    let snapshot = &passed.snapshot;
    let terminal = out.is_terminal();
    writing.set_terminal(terminal);
    let mut lost = Lost::default();
    let rows = match order {
        Order::Time => snapshot.pan.clone(),
        Order::Source => snapshot.pan_by_place(),
    };
    let from = args.last.map_or(0, |last| rows.len().saturating_sub(last));
    let some = || rows.iter_from(from).take(args.count.unwrap_or(usize::MAX));
    match &writing {
        Writing::Table(table) => {
            lost.0 += write_table(some(), table, snapshot, passed.zone.as_ref(), &mut out)
                .map_err(Stop::output)?;
        }
        Writing::Lines(format) => {
            let make = || {
                Exporter::new(snapshot, *format, passed.zone.clone(), terminal).ascii(args.ascii)
            };
            let told = &mut |error: &Error| lost.tell(error);
            match args.last.is_some() || args.count.is_some() {
                true => write_each(some(), &mut make(), &mut out, told),
                false => write_rows(&rows, &make, &mut out, told),
            }
            .map_err(Stop::output)?;
        }
    }
    lost.tell_all();
    out.finish().map_err(Stop::output)?;
    Ok(Exit::of(!rows.is_empty(), passed.unread || lost.0 > 0))
}

/// Entries that could not be read again, so many.
/// And how many of them were told one by one.
#[derive(Default)]
struct Lost(usize, usize);

impl Lost {
    fn tell(&mut self, error: &Error) {
        self.0 += 1;
        if self.1 < 5 {
            self.1 += 1;
            tell(&error.to_string());
        }
    }

    fn tell_all(&self) {
        if self.0 > self.1 {
            tell(&format!("{} entries in all could not be read again", self.0));
        }
    }
}

/// What has been written of one block.
#[derive(Default)]
struct Written {
    text: Vec<u8>,
    /// Where each entry ends in it.
    ends: Vec<usize>,
    errors: Vec<Error>,
    /// Entries that can't be read any more, beside those.
    lost: usize,
}

impl Written {
    /// As a table, all entries of the block at once.
    fn of_table(snapshot: &Snapshot, table: &EntryTable, zone: Option<&TimeZone>) -> Self {
        let mut written = Self::default();
        let ids = snapshot.pan.iter_from(0);
        // Memory takes all that is written to it.
        written.lost = write_table(ids, table, snapshot, zone, &mut written.text).unwrap_or(0);
        written.ends = vec![written.text.len(); snapshot.pan.len()];
        written
    }

    fn of(snapshot: &Snapshot, mut exporter: Exporter<'_>) -> Self {
        let mut written = Self::default();
        for id in snapshot.pan.iter_from(0) {
            match exporter.write(id, &mut written.text) {
                Ok(()) => written.ends.push(written.text.len()),
                Err(error) => written.errors.push(error),
            }
        }
        written
    }
}

/// Writes source by source while the rest is read.
fn write_streaming(
    args: &Sift,
    mut writing: Writing,
    asked: &Asked,
    sieve: &Sieve,
) -> Result<Exit, Stop> {
    let mut out = Output::open(args.output.as_deref()).map_err(Stop::output)?;
    let zone = &asked.conditions.zone;
    let terminal = out.is_terminal();
    writing.set_terminal(terminal);
    let empty = Snapshot::empty(&[], asked.veil.clone());
    writing.head(&empty, &mut out).map_err(Stop::output)?;
    let mut lost = Lost::default();
    let mut left = args.count.unwrap_or(usize::MAX);
    let mut done = Ok(());
    let take = |written: Written| {
        written.errors.iter().for_each(|error| lost.tell(error));
        lost.0 += written.lost;
        let count = written.ends.len().min(left);
        let end = count.checked_sub(1).map_or(0, |last| written.ends[last]);
        left -= count;
        done = out.write_all(&written.text[..end]).and_then(|()| out.flush());
        if done.is_err() || left == 0 { ControlFlow::Break(()) } else { ControlFlow::Continue(()) }
    };
    let write = |snapshot: &Snapshot| match &writing {
        Writing::Lines(format) => {
            let exporter = Exporter::new(snapshot, *format, zone.clone(), terminal);
            Written::of(snapshot, exporter.ascii(args.ascii))
        }
        Writing::Table(table) => Written::of_table(snapshot, table, zone.as_ref()),
    };
    let streamed = stream(&asked.found, &asked.options, sieve, &asked.veil, write, take)
        .map_err(Stop::engine)?;
    done.map_err(Stop::output)?;
    for (source, problem) in &streamed.problems {
        tell(&format!("{source}: {problem}"));
    }
    pour::tell_failing(streamed.failing);
    pour::tell_unitless(streamed.unitless);
    match &streamed.nothing {
        Some(snapshot) => pour::explain(snapshot, zone.as_ref()),
        None if streamed.passed == 0 && streamed.entries > 0 => {
            tell(&format!("none of {} entries passes", streamed.entries));
        }
        None => {}
    }
    lost.tell_all();
    out.finish().map_err(Stop::output)?;
    let unread = asked.unread() || !streamed.problems.is_empty() || lost.0 > 0;
    Ok(Exit::of(streamed.passed > 0, unread))
}

/// Writes entries as they arrive.
fn follow(args: &Sift) -> Result<Exit, Stop> {
    let writing = Writing::of(&args.written, false)?;
    let settings = pour::settings(&args.pour)?;
    let conditions = pour::conditions(&args.pour, &settings)?;
    let start = match (args.last, &args.pour.from) {
        (Some(last), _) => Start::Last(last),
        (None, Some(_)) => Start::All,
        (None, None) => Start::End,
    };
    let last_bytes = match start {
        Start::All => None,
        Start::End => Some(pour::LAST_BYTES),
        // Entries are rarely longer than this; where they are, fewer of them are shown.
        Start::Last(last) => Some((last as u64).saturating_mul(4 << 10).max(pour::LAST_BYTES)),
    };
    let options =
        Options { volume: false, last_bytes, ..pour::options(&args.pour, &settings, true)? };
    let veil = pour::veil(&args.pour, &settings)?;
    let writing = (writing, args.output.as_deref());
    let mut following = Following::open(&args.pour, &conditions, (options, veil), writing, start)?;
    let exit = following.until(args.count, None, false)?;
    following.finish()?;
    Ok(exit)
}
