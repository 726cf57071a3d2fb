//! Changes of the sieve.

use cribrum_core::{
    query::Expr,
    sieve::{Kind, Mesh, Sieve},
};

use super::{
    keymap::Action,
    prompt::Purpose,
    state::{App, Effect, Focus},
    watching::now,
};

impl App {
    /// Changes the sieve in one step that can be taken back.
    pub(super) fn alter(&mut self, change: impl FnOnce(&mut Sieve)) -> Vec<Effect> {
        if self.history.change(change) { self.sifted() } else { Vec::new() }
    }

    /// Changes of the sieve that a key asks for.
    pub(super) fn change(&mut self, action: Action) -> Vec<Effect> {
        let at = self.desk.mesh;
        match action {
            Action::Undo | Action::Redo => return self.step_back(action == Action::Undo),
            Action::KeepOnly | Action::Drop => {
                let Some(same) = self.same_value() else {
                    self.tell("there is no single value here");
                    return Vec::new();
                };
                let expr = if action == Action::Drop { same.negated() } else { same };
                return self.alter(|sieve| sieve.meshes.push(Mesh::of(expr)));
            }
            Action::PassUnlevelled if self.history.sieve().floor().is_none() => {
                self.tell("there is no level floor; > sets one");
            }
            Action::LowerFloor => return self.alter(Sieve::lower_floor),
            Action::RaiseFloor => return self.alter(Sieve::raise_floor),
            Action::PassUnlevelled => return self.alter(Sieve::toggle_unlevelled),
            Action::Toggle(number) => {
                return self.alter(|sieve| sieve.toggle(usize::from(number) - 1));
            }
            Action::NegateMesh => return self.negate(at),
            Action::DropMesh => return self.alter(|sieve| sieve.drop_mesh(at)),
            Action::MeshUp if at > 0 => {
                self.desk.mesh -= 1;
                return self.alter(|sieve| sieve.meshes.swap(at, at - 1));
            }
            Action::MeshDown if at + 1 < self.history.sieve().meshes.len() => {
                self.desk.mesh += 1;
                return self.alter(|sieve| sieve.meshes.swap(at, at + 1));
            }
            Action::Around => return self.around(),
            Action::Sweep => return self.sweep(),
            Action::Quieten => return self.ask_quiet(),
            _ => {}
        }
        Vec::new()
    }

    fn step_back(&mut self, undo: bool) -> Vec<Effect> {
        let stepped = if undo { self.history.undo() } else { self.history.redo() };
        if !stepped {
            self.tell(if undo { "nothing to undo" } else { "nothing to take again" });
            return Vec::new();
        }
        self.sifted()
    }

    /// The sieve has changed.
    pub(super) fn sifted(&mut self) -> Vec<Effect> {
        let sieve = self.history.sieve().clone();
        self.desk.mesh = self.desk.mesh.min(sieve.meshes.len().saturating_sub(1));
        self.desk.remedy = 0;
        if sieve.meshes.is_empty() && self.desk.focus == Focus::Funnel {
            self.desk.focus = Focus::Entries;
        }
        vec![Effect::Sieve(sieve)]
    }

    fn negate(&mut self, at: usize) -> Vec<Effect> {
        let mesh = self.history.sieve().meshes.get(at);
        let Some(expr) = mesh.and_then(Mesh::expr) else {
            self.tell("a sweep can't be turned round");
            return Vec::new();
        };
        self.alter(|sieve| {
            // A look around a moment lets the others count again when it is gone.
            if matches!(sieve.meshes[at].kind, Kind::Around { .. }) {
                sieve.toggle(at);
            }
            sieve.meshes[at] = Mesh::of(expr.negated());
        })
    }

    /// Shows what happened around the selected entry; again and again, more of it, in one step.
    fn around(&mut self) -> Vec<Effect> {
        let time = self.desk.selected.and_then(|id| self.snapshot.time(id));
        let Some(time) = time else {
            self.tell("this entry has no time");
            return Vec::new();
        };
        // The cursor may have gone to a neighbour since: the moment stays.
        let shown = self.history.sieve().meshes.iter().find_map(|mesh| match mesh.kind {
            Kind::Around { at, half } if mesh.on && (at - half..=at + half).contains(&time) => {
                Some(at)
            }
            _ => None,
        });
        self.tell("a again shows more, u brings the other meshes back");
        let changed = match shown {
            Some(at) => self.history.amend(|sieve| sieve.around(at)),
            None => self.history.change(|sieve| sieve.around(time)),
        };
        if changed { self.sifted() } else { Vec::new() }
    }

    /// Empties the view from now on.
    fn sweep(&mut self) -> Vec<Effect> {
        let progress = self.snapshot.progress;
        if progress.read.0 < progress.read.1 {
            self.tell("still reading; what is there before the sweep is not all known yet");
            return Vec::new();
        }
        self.tell("swept; what arrives from now on is shown, u brings the rest back");
        let arrival = self.snapshot.arrival(now());
        self.desk.follow = true;
        self.alter(|sieve| sieve.sweep(arrival))
    }

    fn ask_quiet(&mut self) -> Vec<Effect> {
        let logger = self.desk.selected.and_then(|id| self.fetch(id)?.logger.clone());
        match logger {
            Some(logger) => {
                let text = format!("{logger}=warn");
                self.ask(Purpose::Quiet, &text)
            }
            None => {
                self.tell("this entry does not name its logger; choose one that does");
                Vec::new()
            }
        }
    }

    /// Keeps a logger quiet, as `LOGGER=LEVEL` says.
    pub(super) fn quieten(&mut self, text: &str) -> Result<Vec<Effect>, (usize, String)> {
        let Some((logger, level)) =
            text.rsplit_once('=').filter(|(logger, _)| !logger.trim().is_empty())
        else {
            return Err((0, "write the logger, then = and the mildest level that passes".into()));
        };
        let known = cribrum_core::entry::Severity::read(level.trim().as_bytes());
        let Some(severity) = known else {
            return Err((
                logger.len() + 1,
                format!("`{level}` is no level: trace, debug, info, warn, error, fatal"),
            ));
        };
        Ok(self.alter(|sieve| sieve.quieten(logger.trim(), severity.level())))
    }

    /// Opens the prompt on the mesh under the cursor.
    pub(super) fn edit_mesh(&mut self) -> Vec<Effect> {
        let at = self.desk.mesh;
        let Some(mesh) = self.history.sieve().meshes.get(at) else { return Vec::new() };
        match (&mesh.kind, mesh.expr()) {
            (Kind::Quiet { logger, level }, _) => {
                let text = format!("{logger}={level}");
                self.ask(Purpose::Quiet, &text)
            }
            // A secret that was typed shows as its stand-in, which finds the same entries.
            (_, Some(expr)) => {
                let text = self.snapshot.own_text(&expr.to_string());
                self.ask(Purpose::Edit(at), text.as_str())
            }
            (_, None) => {
                self.tell("a sweep is not edited; w sweeps anew, - drops it");
                Vec::new()
            }
        }
    }

    /// Puts an expression in the place of a mesh.
    pub(super) fn replace_mesh(&mut self, at: usize, expr: Expr) -> Vec<Effect> {
        self.alter(|sieve| {
            if at < sieve.meshes.len() {
                let mut one = Sieve::default();
                one.add(expr);
                let on = sieve.meshes[at].on;
                sieve.meshes[at] = Mesh { on, ..one.meshes.swap_remove(0) };
            }
        })
    }
}
