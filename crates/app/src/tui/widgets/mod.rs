//! Pieces that screens are put together from. They draw what they are given and know no screen.

mod chart;
mod frame;
mod said;
mod scroll;
mod text;

pub(crate) use chart::{Part, round_ticks, stack};
pub(crate) use frame::{ascii, clear, heading, masthead_style, rule};
pub(crate) use said::{brief, is_said, pair_text, pairs, without_tail};
pub(crate) use scroll::Scroll;
pub(crate) use text::{find_style, put, put_kind, put_right, put_veiled};
