//! One condition of a sieve.

use std::{fmt, sync::Arc};

use crate::{
    entry::{Level, Severity},
    query::{Expr, Literal, Op, Path, Pattern},
};

/// One condition; it lets entries through or holds them back.
#[derive(Clone, Debug, PartialEq)]
pub struct Mesh {
    /// What it lets through.
    pub kind: Kind,
    /// Whether it is switched on.
    pub on: bool,
    /// Whether it waits while the surroundings of a moment are looked at.
    pub suspended: bool,
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
    /// All entries but those of a logger, and of the loggers below it, that are milder than a level.
    Quiet {
        /// The beginning of the logger's name, up to a dot or its end.
        logger: String,
        /// The mildest level of this logger that passes.
        level: Level,
    },
    /// Entries around a moment, the other meshes suspended.
    Around {
        /// The moment, in nanoseconds UTC.
        at: i64,
        /// How far before and after it, in nanoseconds.
        half: i64,
    },
    /// Entries that arrived after a sweep.
    Swept(Arrival),
    /// Entries for which an expression holds.
    Expr(Expr),
}

/// What had arrived at a moment.
#[derive(Clone, Debug)]
pub struct Arrival {
    /// The life of each block, and its entries.
    blocks: Arc<[(u32, u32)]>,
    /// The moment, in nanoseconds UTC.
    at: i64,
}

impl Arrival {
    pub(crate) fn new(blocks: impl Iterator<Item = (u32, usize)>, at: i64) -> Self {
        let len = |len: usize| u32::try_from(len).unwrap_or(u32::MAX);
        let blocks = blocks.map(|(life, entries)| (life, len(entries))).collect();
        Self { blocks, at }
    }

    /// How many entries had arrived of the block that has this number in this life of it.
    pub(crate) fn of_block(&self, block: usize, life: u32) -> usize {
        let known = self.blocks.get(block).filter(|(known, _)| *known == life);
        known.map_or(0, |(_, len)| *len as usize)
    }

    /// What had arrived at either of two moments.
    #[must_use]
    pub fn or_later(&self, other: &Self) -> Self {
        let len = self.blocks.len().max(other.blocks.len());
        let of = |block: usize| {
            let each = [&self.blocks, &other.blocks];
            let (life, len) =
                each.iter().filter_map(|of| of.get(block)).max().copied().unwrap_or_default();
            (life, len as usize)
        };
        Self::new((0..len).map(of), self.at.max(other.at))
    }

    /// The moment, in nanoseconds UTC.
    #[must_use]
    pub fn at(&self) -> i64 {
        self.at
    }
}

impl Default for Arrival {
    fn default() -> Self {
        Self::new(std::iter::empty(), 0)
    }
}

impl PartialEq for Arrival {
    fn eq(&self, other: &Self) -> bool {
        self.at == other.at && self.blocks == other.blocks
    }
}

impl Mesh {
    /// A mesh that is switched on.
    #[must_use]
    pub fn new(kind: Kind) -> Self {
        Self { kind, on: true, suspended: false }
    }

    /// A mesh that lets through what the expression says.
    #[must_use]
    pub fn of(expr: Expr) -> Self {
        Self::new(Kind::Expr(expr))
    }

    /// A level floor.
    #[must_use]
    pub fn floor(level: Level) -> Self {
        Self::new(Kind::Floor { level, unlevelled: false })
    }

    /// The level that an expression is a floor at, and whether entries without one pass.
    pub(super) fn floor_of(expr: &Expr) -> Option<(Level, bool)> {
        let level = |expr: &Expr| match expr {
            Expr::Compare(Path::Level, Op::AtLeast, value) => {
                Severity::read(value.text.as_bytes()).map(Severity::level)
            }
            _ => None,
        };
        let no_level = |expr: &Expr| *expr == Expr::Has(Path::Level).negated();
        match expr {
            Expr::Or(items) => match items.as_slice() {
                [floor, none] if no_level(none) => level(floor).map(|level| (level, true)),
                _ => None,
            },
            expr => level(expr).map(|level| (level, false)),
        }
    }

    /// Whether it holds anything back now.
    #[must_use]
    pub fn counts(&self) -> bool {
        self.on && !self.suspended
    }

    /// The mesh as an expression; a sweep is none.
    #[must_use]
    pub fn expr(&self) -> Option<Expr> {
        let level = |op, level: Level| Expr::Compare(Path::Level, op, Literal::new(level.name()));
        Some(match &self.kind {
            Kind::Expr(expr) => expr.clone(),
            Kind::Floor { level: least, unlevelled: false } => level(Op::AtLeast, *least),
            Kind::Floor { level: least, unlevelled: true } => {
                Expr::Or(vec![level(Op::AtLeast, *least), Expr::Has(Path::Level).negated()])
            }
            Kind::Quiet { logger, level: least } => {
                Expr::Matches(Path::Logger, Pattern::name_or_below(logger))
                    .and(level(Op::Less, *least))
                    .negated()
            }
            Kind::Around { at, half } => {
                Expr::within(at.saturating_sub(*half), at.saturating_add(*half))
            }
            Kind::Swept(_) => return None,
        })
    }

    /// Whether a time is compared in it.
    #[must_use]
    pub fn is_timed(&self) -> bool {
        let mut timed = false;
        if let Some(expr) = self.expr() {
            expr.leaves(&mut |leaf| timed |= leaf.path() == Some(&Path::Time));
        }
        timed
    }

    /// The bounds of a mesh that is a time window and nothing else.
    #[must_use]
    pub fn window(&self) -> Option<(Option<i64>, Option<i64>)> {
        match &self.kind {
            Kind::Expr(expr) => expr.window(),
            Kind::Around { .. } => self.expr()?.window(),
            Kind::Floor { .. } | Kind::Quiet { .. } | Kind::Swept(_) => None,
        }
    }
}

impl fmt::Display for Mesh {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match &self.kind {
            Kind::Floor { level, unlevelled } => {
                write!(f, "level ≥ {level}")?;
                if *unlevelled {
                    f.write_str(" or none")?;
                }
                Ok(())
            }
            Kind::Quiet { logger, level } => write!(f, "{logger} quiet below {level}"),
            Kind::Around { half, .. } => write!(f, "around, ± {} s", half / 1_000_000_000),
            Kind::Swept(_) => f.write_str("swept"),
            Kind::Expr(expr) => write!(f, "{expr}"),
        }
    }
}
