//! What is looked up beside the desk: passes over entries, of which only the latest of a kind is waited for.

use std::{io, sync::Arc};

use cribrum_core::{
    engine::{Latest, Lens, Pass, Snapshot, Survey, diagnose},
    query::Expr,
    trail::Trail,
};
use cribrum_draw::VolumePlate;
use crossbeam_channel::Sender;
use jiff::tz::TimeZone;

use super::{completing::Asked, update::Event};

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
        })
    }

    fn name(&self) -> &'static str {
        match self {
            Self::Survey(_) => "survey",
            Self::Diagnose => "diagnosis",
            Self::Trail(_) => "trail",
            Self::Plate(..) => "plate",
        }
    }
}

/// The latest pass of each kind.
#[derive(Default)]
pub(super) struct Jobs {
    diagnosis: Latest,
    trail: Latest,
    plate: Latest,
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
            // Each is about another field.
            Job::Survey(_) => Pass::default(),
            Job::Diagnose => self.diagnosis.begin(),
            Job::Trail(_) => self.trail.begin(),
            Job::Plate(..) => self.plate.begin(),
        };
        let snapshot = Arc::clone(snapshot);
        std::thread::Builder::new().name(job.name().into()).spawn(move || {
            if let Some(event) = job.run(&snapshot, &pass) {
                // Nobody waits any more when the desk is closed.
                let _ = events.send(event);
            }
        })?;
        Ok(())
    }
}
