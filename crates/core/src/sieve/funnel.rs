//! What is left after each mesh.

use super::Sieve;
use crate::store::Bits;

/// One mesh's row of the funnel.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct FunnelRow {
    /// Entries left after this mesh and the ones above it.
    pub left: usize,
    /// Entries that this mesh held back of those that reached it.
    pub held: usize,
    /// Entries that would be in the pan if this mesh alone were off. Counted only where the pan is empty.
    pub gives_back: usize,
    /// Of those held back by a level floor, entries that have no level.
    pub unlevelled: usize,
}

/// The figures of a sieve.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Funnel {
    /// Entries poured in.
    pub poured: usize,
    /// A row a mesh, in the order of the sieve.
    pub rows: Vec<FunnelRow>,
}

impl Funnel {
    /// Entries in the pan.
    #[must_use]
    pub fn left(&self) -> usize {
        self.rows.last().map_or(self.poured, |row| row.left)
    }
}

/// Adds one block to the figures. `bits` holds a mesh's bits each; a mesh that is off has none.
pub(crate) fn add_block(
    funnel: &mut Funnel,
    sieve: &Sieve,
    len: usize,
    bits: &[Option<&Bits>],
    unlevelled: impl Fn() -> Bits,
) {
    funnel.rows.resize(sieve.meshes.len(), FunnelRow::default());
    funnel.poured += len;
    let mut left = Bits::all(len);
    let mut before = len;
    for ((row, mesh), bits) in funnel.rows.iter_mut().zip(&sieve.meshes).zip(bits) {
        let mut after = before;
        if let Some(bits) = bits {
            if matches!(mesh.kind, super::Kind::Floor { unlevelled: false, .. }) {
                let mut held = unlevelled();
                held.keep(&left);
                held.remove(bits);
                row.unlevelled += held.count();
            }
            left.keep(bits);
            after = left.count();
        }
        row.left += after;
        row.held += before - after;
        before = after;
    }
}

/// Counts for every mesh what it alone holds back.
pub(crate) fn add_gives_back(funnel: &mut Funnel, len: usize, bits: &[Option<&Bits>]) {
    for (at, row) in funnel.rows.iter_mut().enumerate() {
        if bits[at].is_none() {
            continue;
        }
        let mut left = Bits::all(len);
        for (other, bits) in bits.iter().enumerate() {
            if let (true, Some(bits)) = (other != at, bits) {
                left.keep(bits);
            }
        }
        row.gives_back += left.count();
    }
}
