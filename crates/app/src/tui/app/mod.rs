//! The application: a stack of screens, what lies over them, and what happens to both. No I/O.

mod actions;
mod application;
mod offers;
mod view;

use application::Overlay;
pub(crate) use application::{App, Event, Reread};
pub(crate) use view::draw;
