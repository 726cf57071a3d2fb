//! The sieve: an ordered stack of meshes, with undo.

mod funnel;
mod history;
mod mesh;

pub use funnel::{Funnel, FunnelRow};
pub(crate) use funnel::{add_block, add_gives_back};
pub use history::History;
pub use mesh::{Arrival, Kind, Mesh};

use crate::{
    entry::Level,
    query::{Expr, Needs},
};

/// How far around a moment the first look goes, and each that follows it, in seconds.
const AROUND: [i64; 7] = [1, 10, 60, 600, 3_600, 21_600, 86_400];

/// The stack of meshes.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Sieve {
    /// From top to bottom.
    pub meshes: Vec<Mesh>,
}

impl Sieve {
    /// The level floor, if there is one that counts.
    #[must_use]
    pub fn floor(&self) -> Option<Level> {
        self.meshes.iter().find_map(|mesh| match mesh.kind {
            Kind::Floor { level, .. } if mesh.counts() => Some(level),
            _ => None,
        })
    }

    /// Raises the floor by one level; there is nothing above fatal.
    pub fn raise_floor(&mut self) {
        let next = match self.floor() {
            None => Some(Level::Debug),
            Some(level) => level.graver(),
        };
        if let Some(level) = next {
            self.set_floor(Some(level));
        }
    }

    /// Lowers the floor by one level; below debug there is none.
    pub fn lower_floor(&mut self) {
        let next = self.floor().and_then(Level::milder).filter(|level| *level != Level::Trace);
        self.set_floor(next);
    }

    /// Sets or takes away the floor. It stands first, since it is what people change most.
    pub fn set_floor(&mut self, floor: Option<Level>) {
        let at = self.meshes.iter().position(|mesh| matches!(mesh.kind, Kind::Floor { .. }));
        match (at, floor) {
            (Some(at), None) => {
                self.meshes.remove(at);
            }
            (Some(at), Some(new)) => {
                let mesh = &mut self.meshes[at];
                (mesh.on, mesh.suspended) = (true, false);
                if let Kind::Floor { level, .. } = &mut mesh.kind {
                    *level = new;
                }
            }
            (None, Some(level)) => self.meshes.insert(0, Mesh::floor(level)),
            (None, None) => {}
        }
    }

    /// Lets entries without a level pass the floor, or holds them back again. Without a floor nothing
    /// changes.
    pub fn toggle_unlevelled(&mut self) {
        for mesh in &mut self.meshes {
            if let Kind::Floor { unlevelled, .. } = &mut mesh.kind {
                *unlevelled = !*unlevelled;
            }
        }
    }

    /// Adds a condition; a level floor is the one that is raised and lowered.
    pub fn add(&mut self, expr: Expr) {
        match Mesh::floor_of(&expr) {
            Some((level, unlevelled)) => {
                self.set_floor(Some(level));
                for mesh in &mut self.meshes {
                    if let Kind::Floor { unlevelled: pass, .. } = &mut mesh.kind {
                        *pass = unlevelled;
                    }
                }
            }
            None => self.meshes.push(Mesh::of(expr)),
        }
    }

    /// Switches a mesh off or on; one that was suspended counts again.
    pub fn toggle(&mut self, at: usize) {
        let Some(mesh) = self.meshes.get_mut(at) else { return };
        mesh.on = !mesh.counts();
        mesh.suspended = false;
        let (on, around) = (mesh.on, matches!(mesh.kind, Kind::Around { .. }));
        if around {
            self.suspend_others(at, on);
        }
    }

    /// Drops a mesh.
    pub fn drop_mesh(&mut self, at: usize) {
        if at < self.meshes.len()
            && let Kind::Around { .. } = self.meshes.remove(at).kind
        {
            self.meshes.iter_mut().for_each(|mesh| mesh.suspended = false);
        }
    }

    /// Keeps a logger quiet below a level; another level for the same logger takes the place of the first.
    pub fn quieten(&mut self, logger: &str, level: Level) {
        let quiet = Mesh::new(Kind::Quiet { logger: logger.to_owned(), level });
        let same =
            |mesh: &&mut Mesh| matches!(&mesh.kind, Kind::Quiet { logger: l, .. } if l == logger);
        match self.meshes.iter_mut().find(same) {
            Some(mesh) => *mesh = quiet,
            None => self.meshes.push(quiet),
        }
    }

    /// Holds back all that has arrived until now.
    pub fn sweep(&mut self, arrival: Arrival) {
        self.meshes.retain(|mesh| !matches!(mesh.kind, Kind::Swept(_)));
        self.meshes.insert(0, Mesh::new(Kind::Swept(arrival)));
    }

    /// Whether a mesh asks for runs, which are known only when everything has been read.
    #[must_use]
    pub fn asks_for_runs(&self) -> bool {
        self.needs().any(|needs| needs.runs)
    }

    /// Whether a mesh asks for what a request and its response have in common, where they were printed apart.
    #[must_use]
    pub fn asks_for_exchanges(&self) -> bool {
        self.needs().any(|needs| needs.exchanges)
    }

    fn needs(&self) -> impl Iterator<Item = Needs> + '_ {
        self.meshes.iter().filter_map(Mesh::expr).map(|expr| Needs::of(&expr))
    }

    /// Holds back all but the latest runs, or lets the others through again.
    pub fn toggle_runs(&mut self) {
        let latest = Kind::Expr(Expr::latest_runs());
        match self.meshes.iter().position(|mesh| mesh.kind == latest) {
            Some(at) => drop(self.meshes.remove(at)),
            None => self.meshes.insert(0, Mesh::new(latest)),
        }
    }

    /// Shows what happened around a moment, all other meshes suspended; the same moment again shows more.
    pub fn around(&mut self, moment: i64) {
        const SECOND: i64 = 1_000_000_000;
        let at = self.meshes.iter().position(|mesh| matches!(mesh.kind, Kind::Around { .. }));
        let shown = at.and_then(|at| match self.meshes[at].kind {
            Kind::Around { at, half } if at == moment => Some(half),
            _ => None,
        });
        let wider = |half: i64| AROUND.iter().map(|s| s * SECOND).find(|next| *next > half);
        let half = match shown {
            Some(half) => wider(half).unwrap_or(half),
            None => AROUND[0] * SECOND,
        };
        let around = Mesh::new(Kind::Around { at: moment, half });
        let at = at.unwrap_or_else(|| {
            self.meshes.push(around.clone());
            self.meshes.len() - 1
        });
        self.meshes[at] = around;
        self.suspend_others(at, true);
    }

    fn suspend_others(&mut self, at: usize, suspended: bool) {
        for (number, mesh) in self.meshes.iter_mut().enumerate() {
            // A sweep is a new beginning: what was before it is not around anything.
            if number != at && !matches!(mesh.kind, Kind::Swept(_)) {
                mesh.suspended = suspended;
            }
        }
    }

    /// The bounds of the time window that counts.
    #[must_use]
    pub fn window(&self) -> Option<(Option<i64>, Option<i64>)> {
        self.meshes.iter().filter(|mesh| mesh.counts()).find_map(Mesh::window)
    }

    /// Puts a time window in the place of the one there is, or below the other meshes.
    pub fn set_window(&mut self, window: Expr) {
        match self
            .meshes
            .iter_mut()
            .find(|mesh| mesh.window().is_some() && matches!(mesh.kind, Kind::Expr(_)))
        {
            Some(mesh) => *mesh = Mesh::of(window),
            None => self.meshes.push(Mesh::of(window)),
        }
    }
}

#[cfg(test)]
mod tests;
