//! The help: the keys of the present screen, those of the others, and the words of the product.

mod screen;
mod view;

pub(crate) use screen::OPENING;
