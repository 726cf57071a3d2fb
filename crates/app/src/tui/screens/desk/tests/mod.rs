//! The desk as a conversation: keys in, screens out, with a real engine behind it and no terminal.

mod keeping;
mod reading;
mod sieve;
mod time;

use cribrum_core::volume::Volume;

use super::{layout::Areas, state::Desk};
use crate::tui::testing::TestDesk;

/// The row of the cursor.
fn row(desk: &mut TestDesk) -> usize {
    desk.app.ask_first(|desk: &Desk, shared| desk.row(shared))
}

/// The volume as the rail shows it.
fn volume(desk: &mut TestDesk) -> Volume {
    desk.app.ask_first(|desk: &Desk, shared| desk.rail_volume(shared))
}

fn areas(desk: &mut TestDesk) -> Areas {
    desk.app.ask_first(Areas::of)
}
