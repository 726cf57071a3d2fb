//! Tables as commands write them.

use std::io::Write;

use cribrum_core::{engine::Pass, veil::Anyone};

use super::{args, exit::Stop, exit::tell, pour::Poured};
use crate::{
    output::Output,
    present::{Clock, count_text},
    results::{Findings, Inquiry, Listing, Reader, Sheet, TableForm},
};

/// What an inquiry found.
pub(super) struct Answer<I: Inquiry> {
    pub(super) found: I::Found<Anyone>,
    /// The rows that are listed, in their order.
    pub(super) rows: Vec<u32>,
    clock: Clock,
}

/// Finds what is asked of the pan and lists it.
///
/// # Errors
///
/// The pass was ended.
pub(super) fn answer<I: Inquiry>(
    mut inquiry: I,
    listing: &Listing<I>,
    poured: &Poured,
) -> Result<Answer<I>, Stop> {
    let (snapshot, pass) = (&*poured.snapshot, Pass::default());
    let clock = Clock::new(poured.zone.clone());
    let ended = || Stop::source("the count was ended");
    inquiry.settle(false, snapshot, &pass).ok_or_else(ended)?;
    let found = inquiry.find::<Anyone>(&mut inquiry.begin(), snapshot, &pass).ok_or_else(ended)?;
    let rows = listing.rows(&found, &Reader::new(snapshot, &clock), &pass).ok_or_else(ended)?;
    Ok(Answer { found, rows, clock })
}

impl<I: Inquiry> Answer<I> {
    /// Writes the table as the arguments say; `usual` rows for people who ask for no number, below a head.
    ///
    /// # Errors
    ///
    /// Those of writing.
    pub(super) fn write(
        &mut self,
        args: &args::Listing,
        usual: usize,
        head: &dyn Fn(&Self, &Clock) -> String,
        poured: &Poured,
    ) -> Result<(), Stop> {
        let head = head(self, &self.clock);
        let found = &mut self.found;
        write_rows(found, (&self.rows, args.most(usual)), args, &head, (poured, &self.clock))
    }
}

/// Writes so many of some rows as the arguments say, below a head.
///
/// # Errors
///
/// Those of writing.
pub(super) fn write_rows<F: Findings>(
    found: &mut F,
    (rows, most): (&[u32], usize),
    args: &args::Listing,
    head: &str,
    (poured, clock): (&Poured, &Clock),
) -> Result<(), Stop> {
    let mut out = Output::open(args.output.as_deref()).map_err(Stop::output)?;
    if args.form == TableForm::Text {
        writeln!(out, "{head}").map_err(Stop::output)?;
    }
    let terminal = out.is_terminal();
    let (reader, pass) = (Reader::new(&poured.snapshot, clock), &Pass::default());
    let mut sheet = Sheet::new(found, rows, reader, pass);
    (sheet.most, sheet.terminal, sheet.formulas) = (most, terminal, args.formulas);
    sheet.write(args.form, &mut out).and_then(|_| out.finish()).map_err(Stop::output)?;
    if args.form.is_for_people() && rows.len() > most {
        tell(&format!("{} more; --top 0 lists all", count_text(rows.len() - most)));
    }
    Ok(())
}
