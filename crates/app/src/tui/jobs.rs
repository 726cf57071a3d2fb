//! What is looked up beside the desk: passes over entries, of which only the latest of a kind is waited for.

use std::{io, sync::Arc};

use cribrum_core::{
    EntryId,
    engine::{Latest, Lens, Pass, Snapshot, Survey, diagnose},
    query::Expr,
    trail::Trail,
};
use cribrum_draw::VolumePlate;
use crossbeam_channel::Sender;
use jiff::tz::TimeZone;

use super::{completing::Asked, inspector::View, state::gone, update::Event};

/// Something to look up.
#[derive(Clone, Debug)]
pub(crate) enum Job {
    /// The names or values that a prompt can complete.
    Survey(Asked),
    /// Why nothing is left.
    Diagnose,
    /// The steps of an id, once its lens is done.
    Trail(Expr),
    /// A plate of the pan, with its title.
    Plate(String, TimeZone),
    /// An entry for the inspector.
    Inspect(EntryId),
    /// An entry's text for the clipboard.
    Copy(EntryId),
    /// The id of an entry to follow: the best one, or one of a kind.
    Follow(EntryId, Option<&'static str>),
    /// Lines of a source as they are read.
    Samples(usize),
    /// Whether a word that was typed stands in any of these entries only where it is hidden.
    Hides(String, Vec<EntryId>),
}

impl Job {
    /// Looks it up; `None` when nobody waits any more.
    pub(crate) fn run(self, snapshot: &Snapshot, pass: &Pass) -> Option<Event> {
        Some(match self {
            Self::Survey(asked) => {
                let survey = match &asked {
                    Asked::Names => Survey::names(snapshot, pass)?,
                    Asked::Values(path) => Survey::values(snapshot, path, pass)?,
                };
                Event::Survey(asked, survey)
            }
            Self::Diagnose => Event::Findings(snapshot.sieve.clone(), diagnose(snapshot, pass)?),
            Self::Trail(expr) => {
                let id = match &expr {
                    Expr::Id(id) => id.as_str(),
                    _ => "",
                };
                let lens = snapshot.lens(Lens::Trail)?;
                Event::Trail(Box::new(Trail::build(snapshot, lens, id, pass)?))
            }
            Self::Plate(title, zone) => {
                Event::Plate(Box::new(VolumePlate::of(snapshot, Some(title), Some(zone), pass)?))
            }
            Self::Inspect(id) => {
                let view = View::read(snapshot, id).map_err(|error| gone(&error));
                // A source that can't be read is told by the inspector itself.
                let expr = snapshot.id_expr(id, None).ok().flatten();
                Event::Inspected(id, Box::new(view), expr)
            }
            Self::Copy(id) => {
                let text = snapshot.raw(id).map(|text| text.as_str().to_owned());
                Event::Copied(text.map_err(|error| gone(&error)))
            }
            Self::Follow(id, kind) => {
                let expr = snapshot.id_expr(id, kind).map_err(|error| gone(&error));
                Event::Follow(id, expr)
            }
            Self::Samples(source) => {
                Event::Samples(source, super::teach::samples(snapshot, source))
            }
            Self::Hides(word, entries) => {
                let hidden = entries.iter().any(|id| snapshot.hides(*id, &word).unwrap_or(false));
                Event::Hidden(word, hidden)
            }
        })
    }

    fn name(&self) -> &'static str {
        match self {
            Self::Survey(_) => "survey",
            Self::Diagnose => "diagnosis",
            Self::Trail(_) => "trail",
            Self::Plate(..) => "plate",
            Self::Inspect(_) => "inspector",
            Self::Copy(_) | Self::Follow(..) | Self::Samples(_) | Self::Hides(..) => "entries",
        }
    }
}

/// The latest pass of each kind.
#[derive(Default)]
pub(super) struct Jobs {
    diagnosis: Latest,
    trail: Latest,
    plate: Latest,
    inspector: Latest,
}

impl Jobs {
    /// Starts a job on a thread of its own, and ends the one of its kind before. What it finds is sent as an event.
    pub(super) fn start(
        &self,
        job: Job,
        snapshot: &Arc<Snapshot>,
        events: Sender<Event>,
    ) -> io::Result<()> {
        let pass = match job {
            // Each is about something else, and all of them are waited for.
            Job::Survey(_) | Job::Copy(_) | Job::Follow(..) | Job::Samples(_) | Job::Hides(..) => {
                Pass::default()
            }
            Job::Inspect(_) => self.inspector.begin(),
            Job::Diagnose => self.diagnosis.begin(),
            Job::Trail(_) => self.trail.begin(),
            Job::Plate(..) => self.plate.begin(),
        };
        let snapshot = Arc::clone(snapshot);
        std::thread::Builder::new().name(job.name().into()).spawn(move || {
            let found = job.run(&snapshot, &pass).filter(|_| !pass.is_cancelled());
            if let Some(event) = found {
                // Nobody waits any more when the desk is closed.
                let _ = events.send(event);
            }
        })?;
        Ok(())
    }
}
