//! What a command line lets through.

use cribrum_core::{
    entry::Level,
    query::{Context, Expr},
    sieve::{Mesh, Sieve},
};
use jiff::tz::TimeZone;

use crate::{mistake, settings::Kept};

/// Conditions in the words of the command line. Clock times such as `06:38` refer to the last day of the data, so that
/// the sieve is made when that day is known.
#[derive(Clone, Debug, Default)]
pub(crate) struct Conditions {
    pub(crate) zone: Option<TimeZone>,
    pub(crate) level: Option<Level>,
    pub(crate) kept: Vec<Kept>,
    /// Loggers, and the mildest level of each that passes.
    pub(crate) quiet: Vec<(String, Level)>,
    /// Names of kinds, and their words.
    pub(crate) kinds: Vec<(String, String)>,
    /// Conditions of the filter language.
    pub(crate) texts: Vec<String>,
}

impl Conditions {
    /// The sieve, with clock times on the day of `last`, and times that count from the first entry.
    ///
    /// # Errors
    ///
    /// What is wrong with a condition, with the condition and a mark under the place.
    pub(crate) fn sieve(&self, first: Option<i64>, last: Option<i64>) -> Result<Sieve, String> {
        let kinds = self.kinds.clone();
        let context = Context { zone: self.zone.clone(), first, last, kinds, ..Context::default() };
        let mut sieve = Sieve::default();
        for kept in &self.kept {
            let more = kept.sieve(&context);
            sieve.meshes.extend(more.meshes);
        }
        for text in &self.texts {
            let expr = Expr::parse(text, &context)
                .map_err(|error| mistake::at(&error.to_string(), text, error.at))?;
            sieve.meshes.push(Mesh::of(expr));
        }
        for (logger, level) in &self.quiet {
            sieve.quieten(logger, *level);
        }
        if self.level.is_some() {
            sieve.set_floor(self.level);
        }
        Ok(sieve)
    }

    /// Checks the conditions before the last day of the data is known.
    ///
    /// # Errors
    ///
    /// As of [`sieve`](Self::sieve).
    pub(crate) fn check(&self) -> Result<(), String> {
        self.sieve(Some(0), Some(0)).map(drop)
    }

    /// The sieve, where it does not depend on what the last entry is.
    pub(crate) fn fixed(&self) -> Option<Sieve> {
        const LATER: i64 = 1_000 * 86_400 * 1_000_000_000;
        let sieve = self.sieve(Some(0), Some(0)).ok()?;
        (self.sieve(Some(LATER), Some(LATER)).ok()? == sieve).then_some(sieve)
    }

    /// The same with one more condition.
    ///
    /// # Errors
    ///
    /// As of [`sieve`](Self::sieve).
    pub(crate) fn and(mut self, text: &str) -> Result<Self, String> {
        self.texts.push(text.to_owned());
        self.check()?;
        Ok(self)
    }
}
