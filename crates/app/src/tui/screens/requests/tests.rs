//! Requests as a conversation.

use crate::tui::testing::TestDesk;
