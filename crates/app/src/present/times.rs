//! Moments in the zone that a person has chosen.

use cribrum_core::entry::civil;
use jiff::tz::TimeZone;

/// In which zone times are shown.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Times {
    /// In one zone.
    Zone,
    /// Each as its log has it.
    Written,
}

/// The zone that times are shown in, and the one that was asked for at first.
#[derive(Clone, Debug)]
pub(crate) struct Clock {
    pub(crate) zone: TimeZone,
    /// The zone of the command line, or UTC.
    first: TimeZone,
    pub(crate) times: Times,
}

impl Clock {
    pub(crate) fn new(zone: Option<TimeZone>) -> Self {
        let zone = zone.unwrap_or(TimeZone::UTC);
        Self { first: zone.clone(), zone, times: Times::Zone }
    }

    /// A time in the form of `strftime`.
    pub(crate) fn format(&self, time: i64, form: &str) -> String {
        civil(time, &self.zone).strftime(form).to_string()
    }

    /// A moment to the millisecond; `days` says that the data are of more than one day.
    pub(crate) fn moment(&self, time: i64, days: bool) -> String {
        self.format(time, if days { "%d %b %H:%M:%S%.3f" } else { "%H:%M:%S%.3f" })
    }

    /// Whether two times are on different days.
    pub(crate) fn days_differ(&self, one: i64, other: i64) -> bool {
        civil(one, &self.zone).date() != civil(other, &self.zone).date()
    }

    /// The name of the zone, or that times are shown as written.
    pub(crate) fn name(&self) -> String {
        match (self.times, self.zone.iana_name()) {
            (Times::Written, _) => "as written".to_owned(),
            (Times::Zone, Some(name)) => name.to_owned(),
            (Times::Zone, None) if self.zone == TimeZone::system() => "local".to_owned(),
            (Times::Zone, None) => self.zone.to_offset(jiff::Timestamp::now()).to_string(),
        }
    }

    /// From one way to show times to the next: the zone asked for, the machine's own, as written.
    pub(crate) fn next(&mut self) {
        let local = TimeZone::system();
        let at_first = self.zone == self.first;
        (self.zone, self.times) = match self.times {
            Times::Zone if at_first && local != self.first => (local, Times::Zone),
            Times::Zone => (self.first.clone(), Times::Written),
            Times::Written => (self.first.clone(), Times::Zone),
        };
    }
}
