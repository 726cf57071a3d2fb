//! The sieve: an ordered stack of meshes, with undo.

mod funnel;
mod history;

pub use funnel::{Funnel, FunnelRow};
pub(crate) use funnel::{add_block, add_gives_back};
pub use history::History;

use crate::{
    entry::Level,
    query::{Expr, Path},
};

/// One condition; it lets entries through or holds them back.
#[derive(Clone, Debug, PartialEq)]
pub struct Mesh {
    /// What it lets through.
    pub kind: Kind,
    /// Whether it counts.
    pub on: bool,
}

/// What a mesh lets through.
#[derive(Clone, Debug, PartialEq)]
pub enum Kind {
    /// Entries of a level and graver ones.
    Floor {
        /// The mildest level that passes.
        level: Level,
        /// Whether entries without a level pass as well.
        unlevelled: bool,
    },
    /// Entries for which an expression holds.
    Expr(Expr),
}

impl Mesh {
    /// A mesh that lets through what the expression says.
    #[must_use]
    pub fn of(expr: Expr) -> Self {
        Self { kind: Kind::Expr(expr), on: true }
    }

    /// A level floor.
    #[must_use]
    pub fn floor(level: Level) -> Self {
        Self { kind: Kind::Floor { level, unlevelled: false }, on: true }
    }

    /// The mesh as an expression.
    #[must_use]
    pub fn expr(&self) -> Expr {
        match &self.kind {
            Kind::Expr(expr) => expr.clone(),
            Kind::Floor { level, unlevelled } => {
                let floor = Expr::Compare(
                    Path::Level,
                    crate::query::Op::AtLeast,
                    crate::query::Literal::new(level.name()),
                );
                if *unlevelled {
                    Expr::Or(vec![floor, Expr::Has(Path::Level).negated()])
                } else {
                    floor
                }
            }
        }
    }

    /// The bounds of a mesh that is a time window and nothing else.
    #[must_use]
    pub fn window(&self) -> Option<(Option<i64>, Option<i64>)> {
        match &self.kind {
            Kind::Expr(expr) => expr.window(),
            Kind::Floor { .. } => None,
        }
    }

    /// What the mesh's bits depend on; equal keys have equal bits.
    pub(crate) fn key(&self) -> String {
        // A clock time is fixed when it is entered: the same text may mean another instant.
        format!("{:?}", self.expr())
    }
}

impl std::fmt::Display for Mesh {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match &self.kind {
            Kind::Floor { level, unlevelled } => {
                write!(f, "level ≥ {level}")?;
                if *unlevelled {
                    f.write_str(" or none")?;
                }
                Ok(())
            }
            Kind::Expr(expr) => write!(f, "{expr}"),
        }
    }
}

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
            Kind::Floor { level, .. } if mesh.on => Some(level),
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
                mesh.on = true;
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

    /// Puts a time window in the place of the one there is, or below the other meshes.
    pub fn set_window(&mut self, window: Expr) {
        match self.meshes.iter_mut().find(|mesh| mesh.window().is_some()) {
            Some(mesh) => *mesh = Mesh::of(window),
            None => self.meshes.push(Mesh::of(window)),
        }
    }
}

#[cfg(test)]
mod tests;
