//! The names of taught layouts, which the index knows by number.

use std::sync::RwLock;

use crate::layout::LayoutId;

/// The first number of a taught layout with a name of its own, and how many there can be: the index has a byte
/// for all layouts, of which the first half is for those built in, and the last number for none.
pub(in crate::layout) const FIRST: u8 = 128;
const MOST: u8 = 127;

/// The names given so far. They are few, and kept until the program ends, since any entry may have one.
static NAMES: RwLock<Vec<&'static str>> = RwLock::new(Vec::new());

/// The number of a name. A layout without a name, and one for which there is no number left, is just own.
pub(super) fn id_of(name: &str) -> LayoutId {
    if name.is_empty() {
        return LayoutId::OWN;
    }
    let Ok(mut names) = NAMES.write() else { return LayoutId::OWN };
    let known = names.iter().position(|known| *known == name);
    let at = known.unwrap_or_else(|| {
        if names.len() < usize::from(MOST) {
            names.push(Box::leak(name.into()));
            names.len() - 1
        } else {
            usize::from(MOST)
        }
    });
    match u8::try_from(at) {
        Ok(at) if at < MOST => LayoutId::from_bits(FIRST + at),
        _ => LayoutId::OWN,
    }
}

/// Whether a number stands for a taught layout with a name.
pub(in crate::layout) fn is_named(bits: u8) -> bool {
    (FIRST..FIRST + MOST).contains(&bits)
}

/// The name of a number.
pub(in crate::layout) fn name_of(bits: u8) -> Option<&'static str> {
    let at = bits.checked_sub(FIRST).filter(|_| is_named(bits))?;
    NAMES.read().ok()?.get(usize::from(at)).copied()
}

/// The number of a name that was given.
pub(in crate::layout) fn known(name: &str) -> Option<LayoutId> {
    let names = NAMES.read().ok()?;
    let at = names.iter().position(|known| *known == name)?;
    u8::try_from(at).ok().map(|at| LayoutId::from_bits(FIRST + at))
}
