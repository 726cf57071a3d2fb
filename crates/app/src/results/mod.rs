//! Tables of what is found out about the pan: groups, kinds, differences, requests.
//!
//! A table is described once: what is asked ([`Inquiry`]), what was found and its columns ([`Findings`]). Screens draw it
//! (`tui/table`), commands and extracts write it in each form ([`write`]).

mod cell;
mod differences;
mod entries;
mod extract;
mod fillings;
mod groups;
mod inquiry;
mod kinds;
mod requests;
mod table;
mod write;

pub(crate) use cell::{Cell, Reader};
pub(crate) use differences::{AskDifferences, Differences, Which, difference_text};
pub(crate) use entries::{EntryColumn, EntryTable, field_at};
pub(crate) use extract::{EntryExtract, Extract, ExtractForm, TableExtract, WhichEntries};
pub(crate) use fillings::Fillings;
pub(crate) use groups::AskGroups;
pub(crate) use inquiry::{Inquiry, Listing};
pub(crate) use kinds::AskKinds;
pub(crate) use requests::{AskRequests, Summary};
pub(crate) use table::{Column, Findings};
pub(crate) use write::{Sheet, TableForm, With};

#[cfg(test)]
mod tests;
