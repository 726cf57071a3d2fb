//! How figures, spans, times and causes are written: by commands and by screens alike.

mod cause;
mod charts;
mod differences;
mod figures;
mod measures;
mod plate;
mod sides;
mod spans;
mod steps;
mod text;
mod times;
mod verdict;

pub(crate) use cause::cause;
pub(crate) use charts::{
    axis_text, chart_axis, chart_csv, chart_plate, chart_title, names, width_text,
};
pub(crate) use differences::{rate_pair, times_text, took_pair};
pub(crate) use figures::{count_text, counted, rate_text, size_text};
pub(crate) use measures::{
    bar_text, curve_text, histogram_text, key_text, share, share_text, value_text,
};
pub(crate) use plate::trail_plate;
pub(crate) use sides::side;
pub(crate) use spans::{gap_text, span_text};
pub(crate) use steps::{asked_text, step_text};
pub(crate) use text::{cells, fit, one_line, wrapped};
pub(crate) use times::{Clock, Times};
pub(crate) use verdict::{clock_off_text, unusual_text, usual_text};
