//! The keys that all tables share.

use super::rows::{OfEntries, Table};
use crate::tui::{
    keys::{ENTER, Key, LEFT, RIGHT},
    screen::{
        Binding,
        Group::{Closer, Saving, Sieve},
    },
};

type Keys<T, R> = Binding<T, R>;
type In<R> = &'static [R];

pub(crate) const fn left<T: Table>(within: In<T::Region>) -> Keys<T, T::Region> {
    Binding::new(Closer, &[LEFT], "←", "the column to the left", |view: &mut T, _| {
        view.move_column(false);
    })
    .within(within)
}

pub(crate) const fn right<T: Table>(within: In<T::Region>) -> Keys<T, T::Region> {
    Binding::new(Closer, &[RIGHT], "→", "the column to the right", |view: &mut T, _| {
        view.move_column(true);
    })
    .within(within)
}

pub(crate) const fn order<T: Table>(within: In<T::Region>) -> Keys<T, T::Region> {
    let help = "order by this column; again: the other way";
    Binding::new(Closer, &[Key::Char(',')], ",", help, |view: &mut T, cx| view.sort(cx))
        .footer("order")
        .within(within)
}

pub(crate) const fn narrow<T: Table>(
    help: &'static str,
    within: In<T::Region>,
) -> Keys<T, T::Region> {
    Binding::new(Closer, &[Key::Char('/')], "/", help, |view: &mut T, cx| view.ask_words(cx))
        .footer("narrow")
        .within(within)
}

pub(crate) const fn copy<T: Table>(within: In<T::Region>) -> Keys<T, T::Region> {
    let help = "copy this row, secrets hidden";
    Binding::new(Saving, &[Key::Char('y')], "y", help, |view: &mut T, cx| view.copy_row(cx))
        .within(within)
}

/// The entries of the row, on the desk.
pub(crate) const fn entries<T: OfEntries>(
    help: &'static str,
    within: In<T::Region>,
) -> Keys<T, T::Region> {
    Binding::new(Closer, &[ENTER], "⏎", help, |view: &mut T, cx| view.open_entries(cx))
        .footer("entries")
        .within(within)
}

/// Keeps only the entries of the row. `help` is that of both keys, this one and [`drop_these`].
pub(crate) const fn keep_these<T: OfEntries>(
    help: &'static str,
    within: In<T::Region>,
) -> Keys<T, T::Region> {
    Binding::new(Sieve, &[Key::Char('=')], "= -", help, |view: &mut T, cx| view.sift(true, cx))
        .within(within)
}

/// Drops the entries of the row.
pub(crate) const fn drop_these<T: OfEntries>(
    help: &'static str,
    word: &'static str,
    within: In<T::Region>,
) -> Keys<T, T::Region> {
    Binding::new(Sieve, &[Key::Char('-')], "= -", help, |view: &mut T, cx| view.sift(false, cx))
        .footer(word)
        .within(within)
}
