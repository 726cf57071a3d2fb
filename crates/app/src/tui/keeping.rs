//! Sieves that are kept under a name, and what was typed before.

use cribrum_core::{
    query::Context,
    sieve::{Kind as Mesh, Sieve},
};

use super::{
    picker::{Kind, Pick, Row},
    state::{App, Effect},
};
use crate::config::{self, Kept};

impl App {
    /// Lists the kept sieves with what each would leave.
    pub(super) fn open_sieves(&mut self) -> Vec<Effect> {
        let context = self.context();
        let rows = self.settings.sieves.iter().enumerate().map(|(at, kept)| Row {
            key: u32::try_from(at + 1).ok().and_then(|at| char::from_digit(at, 10)),
            // A file that others write may hold anything.
            text: self.snapshot.own_text(&kept.name).for_terminal().into_owned(),
            note: self.snapshot.own_text(&kept.summary()).for_terminal().into_owned(),
            sieve: Some(self.taken(kept, &context)),
            pick: Pick::Take(kept.clone()),
        });
        let rows = rows.collect();
        self.open_picker(Kind::Sieves, rows)
    }

    /// The sieve that taking a kept one makes: a sweep stays.
    fn taken(&self, kept: &Kept, context: &Context) -> Sieve {
        let mut sieve = kept.sieve(context);
        let swept = self.history.sieve().meshes.iter();
        let swept = swept.filter(|mesh| matches!(mesh.kind, Mesh::Swept(_))).cloned();
        sieve.meshes.splice(0..0, swept.collect::<Vec<_>>());
        sieve
    }

    pub(super) fn take_kept(&mut self, kept: &Kept) -> Vec<Effect> {
        let sieve = self.taken(kept, &self.context());
        let name = self.snapshot.own_text(&kept.name).for_terminal().into_owned();
        self.tell(format!("{name}; u brings the one before back"));
        self.alter(|now| *now = sieve)
    }

    /// Keeps the present sieve under a name, for the user or beside the logs.
    pub(super) fn keep(&mut self, name: &str, beside: bool) -> Vec<Effect> {
        let file = if beside { self.beside_logs.clone() } else { config::user_file() };
        let Some(file) = file else {
            self.warn("there is no folder for settings; HOME or XDG_CONFIG_HOME names one");
            return Vec::new();
        };
        if self.unverified.is_some() {
            self.tell("still checking the sieve for secrets; try again in a moment");
            return Vec::new();
        }
        // A secret that was typed is kept as its stand-in.
        let clean = |text: &str| self.snapshot.own_text(text).as_str().to_owned();
        let kept = Kept::of(&clean(name.trim()), self.history.sieve(), clean, file);
        if kept.is_empty() {
            self.tell("there is no mesh to keep; a sweep or a look around is none");
            return Vec::new();
        }
        self.settings.sieves.retain(|other| other.name != kept.name || other.file != kept.file);
        self.settings.sieves.push(kept.clone());
        vec![Effect::Keep(kept)]
    }
}
