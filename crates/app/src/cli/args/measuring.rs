//! The arguments of commands that measure: what their tables and plates are told.

use std::path::PathBuf;

use clap::{Args, Subcommand, ValueEnum};

use super::pouring::Pour;
use crate::results::TableForm;

/// How a table of what was measured is written.
#[derive(Debug, Args)]
pub(crate) struct Listing {
    /// Only the first N of them; 0 for all
    #[arg(long, value_name = "N")]
    pub(crate) top: Option<usize>,
    /// The form of the output
    #[arg(long = "as", value_name = "FORMAT", value_enum, default_value_t = TableForm::Text)]
    pub(crate) form: TableForm,
    /// Write to a file instead of standard output
    #[arg(short, long, value_name = "FILE")]
    pub(crate) output: Option<PathBuf>,
    /// In CSV and TSV, leave texts as they are that a spreadsheet would compute; they get a `'` else
    #[arg(long)]
    pub(crate) formulas: bool,
}

impl Listing {
    /// Rows that are written at most; people are shown the first of them where they ask for no number.
    pub(crate) fn most(&self, for_people: usize) -> usize {
        match self.top {
            Some(0) => usize::MAX,
            Some(top) => top,
            None if self.form.is_for_people() => for_people,
            None => usize::MAX,
        }
    }
}

#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  \
    cribrum tally --by path --of took logs/                      which paths are slow\n  \
    cribrum tally --by path,status:class --sort errors logs/     which paths fail\n  \
    cribrum tally --by 5min,level logs/                          entries over time by level\n  \
    cribrum tally --by path --different user logs/               how many users each path has\n  \
    cribrum tally --by order --at-least 2 logs/                  values that occur more than once\n  \
    cribrum tally --by kind --of 'took after \"completed in\"' logs/")]
pub(crate) struct Tally {
    #[command(flatten)]
    pub(crate) pour: Pour,
    /// What entries are grouped by, one to three: a field, level, logger, source, layout, kind, run, or a length of time
    /// such as 5min. Paths are grouped without their numbers and ids, user agents by program; path:whole, status:class,
    /// user_agent:crawler say otherwise
    #[arg(long, value_name = "WHAT", value_delimiter = ',')]
    pub(crate) by: Vec<String>,
    /// What is measured of each group: took, another field with a number, or one behind words of the message, as in
    /// 'took after "completed in"'
    #[arg(long, value_name = "MEASURE")]
    pub(crate) of: Option<String>,
    /// Count the different values of a field in each group
    #[arg(long, value_name = "FIELD")]
    pub(crate) different: Option<String>,
    /// What groups are ordered by; by default their entries
    #[arg(long, value_name = "COLUMN", value_enum)]
    pub(crate) sort: Option<SortGroups>,
    /// The other way round: the smallest first; of names and times, the last
    #[arg(long)]
    pub(crate) reverse: bool,
    /// Only groups with at least N entries
    #[arg(long, value_name = "N")]
    pub(crate) at_least: Option<u64>,
    #[command(flatten)]
    pub(crate) table: Listing,
}

#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  \
    cribrum kinds logs/                                  what is said, the most frequent first\n  \
    cribrum kinds --sort level logs/                     errors first\n  \
    cribrum kinds --new-since 06:38 logs/                what nobody said before\n  \
    cribrum kinds --new-since run logs/                  what is new since the last start\n  \
    cribrum kinds --rare 3 logs/                         what is hardly ever said\n  \
    cribrum kinds --values 'hold {id} placed' logs/      what stands in its holes\n  \
    cribrum sift -w 'kind = \"hold {id} placed\"' logs/   the entries of a kind")]
pub(crate) struct Kinds {
    #[command(flatten)]
    pub(crate) pour: Pour,
    /// Only kinds of which no entry is older than TIME; `run` is when a program started last
    #[arg(long, value_name = "TIME", allow_hyphen_values = true, conflicts_with_all = ["gone_since", "rare"])]
    pub(crate) new_since: Option<String>,
    /// Only kinds of which no entry is as young as TIME
    #[arg(long, value_name = "TIME", allow_hyphen_values = true, conflicts_with = "rare")]
    pub(crate) gone_since: Option<String>,
    /// Only kinds of at most N entries, the rarest first
    #[arg(long, value_name = "N")]
    pub(crate) rare: Option<u64>,
    /// List what stands in the holes of a kind, or of the one that has these words
    #[arg(long, value_name = "KIND", conflicts_with_all = ["new_since", "gone_since", "rare"])]
    pub(crate) values: Option<String>,
    /// What kinds are ordered by; by default their entries
    #[arg(long, value_name = "COLUMN", value_enum)]
    pub(crate) sort: Option<SortKinds>,
    /// The other way round
    #[arg(long)]
    pub(crate) reverse: bool,
    #[command(flatten)]
    pub(crate) table: Listing,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum SortKinds {
    /// How many entries they have
    Count,
    /// The gravest level, then errors
    Level,
    /// When the first entry was written
    First,
    /// When the last entry was written
    Last,
    /// Their words
    Kind,
}

#[derive(Debug, Args)]
#[command(mut_arg("from", |arg| arg
    .value_name("WHAT")
    .help("What is compared: 06:00..06:30, before 06:38, after 06:38, run = 2, the name of a source, everything, pan, or a \
        condition; without it, all that is not on the other side")))]
#[command(mut_arg("to", |arg| arg.hide(true)))]
#[command(after_help = "Examples:\n  \
    cribrum compare --from 'before 06:38' --with 'after 06:38' logs/\n  \
    cribrum compare --from 06:00..06:30 --with 06:38..06:48 logs/    what changed\n  \
    cribrum compare --from 'run = 1' --with 'run = 2' booking.log    two lives of a program\n  \
    cribrum compare --from gate-1.log --with gate-2.log logs/        two sources\n  \
    cribrum compare --with 'status >= 500' gate.log                  what failing requests have in common")]
pub(crate) struct Compare {
    #[command(flatten)]
    pub(crate) pour: Pour,
    /// What it is compared with, in the same words
    #[arg(long, value_name = "WHAT", allow_hyphen_values = true)]
    pub(crate) with: Option<String>,
    /// What counts are of, so that sides of unlike size compare
    #[arg(long, value_name = "WHAT", value_enum, default_value_t = PerWhat::Entry)]
    pub(crate) per: PerWhat,
    /// List what is alike on both sides as well
    #[arg(long)]
    pub(crate) all: bool,
    #[command(flatten)]
    pub(crate) table: Listing,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum PerWhat {
    /// Of the entries of each side
    Entry,
    /// Of the minutes of each side
    Minute,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum SortGroups {
    /// How many entries they have
    Count,
    /// The share of errors among them
    Errors,
    /// When the first entry was written
    First,
    /// When the last entry was written
    Last,
    /// The smallest value
    Min,
    /// The mean
    Mean,
    /// What half of the values do not exceed
    P50,
    /// What 95 of 100 values do not exceed
    P95,
    /// What 99 of 100 values do not exceed
    P99,
    /// The largest value
    Max,
    /// What the values come to
    Sum,
    /// How many different values they have
    Different,
    /// What they are grouped by
    Value,
}

#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  \
    cribrum draw volume logs/ -o volume.svg                           entries over time by level\n  \
    cribrum draw volume -l error logs/ -o errors.pdf                  errors over time\n  \
    cribrum draw groups --by status gate.log -o status.svg            by the groups of any field\n  \
    cribrum draw rate -w 'status >= 500' gate.log -o failing.svg      a share of all over time\n  \
    cribrum draw quantiles --of took gate.log -o slow.svg             how slow, over time\n  \
    cribrum draw spread --of took gate.log -o took.pdf                how values are distributed\n  \
    cribrum draw bars --by path --of took gate.log -o paths.svg       groups beside each other\n  \
    cribrum draw heat --of took gate.log -o heat.svg                  values against time\n  \
    cribrum draw overlay --from 06:00..06:30 --with 06:38..07:08 logs/ -o two.svg\n  \
    cribrum draw volume logs/ -o volume.csv                           the figures behind it")]
pub(crate) struct Draw {
    #[command(subcommand)]
    pub(crate) plate: Plate,
}

#[derive(Debug, Subcommand)]
pub(crate) enum Plate {
    /// Entries over time, by level
    Volume(Drawn),
    /// Entries over time, by the groups of anything: status, source, logger, kind
    Groups(Grouped),
    /// The share of all entries that passes the conditions, over time
    Rate(Drawn),
    /// Quantiles of a measure over time, as bands
    Quantiles(Measured),
    /// How the values of a measure are distributed, with p50, p95 and p99
    Spread(Measured),
    /// Groups beside each other: their entries, or p95 of a measure
    Bars(Barred),
    /// The values of a measure against time, as a grid
    Heat(Measured),
    /// Two windows, runs or sources laid over each other
    Overlay(Overlaid),
}

/// What all plates are told.
#[derive(Debug, Args)]
pub(crate) struct Drawn {
    #[command(flatten)]
    pub(crate) pour: Pour,
    /// The file to write; its ending decides between .svg, .pdf and .csv, the figures behind the chart
    #[arg(short, long, value_name = "FILE")]
    pub(crate) output: PathBuf,
    /// What the plate is called
    #[arg(long)]
    pub(crate) title: Option<String>,
    /// The colours: chalk for paper, dusk for a dark page
    #[arg(long, value_enum, default_value_t = Sheet::Chalk)]
    pub(crate) palette: Sheet,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum Sheet {
    /// Dark on light
    Chalk,
    /// Light on dark
    Dusk,
}

#[derive(Debug, Args)]
pub(crate) struct Grouped {
    #[command(flatten)]
    pub(crate) drawn: Drawn,
    /// What entries are grouped by: a field, level, logger, source, layout, kind, run
    #[arg(long, value_name = "WHAT")]
    pub(crate) by: String,
}

#[derive(Debug, Args)]
pub(crate) struct Measured {
    #[command(flatten)]
    pub(crate) drawn: Drawn,
    /// What is measured: took, another field with a number, or one behind words of the message
    #[arg(long, value_name = "MEASURE", default_value = "took")]
    pub(crate) of: String,
    /// A logarithmic axis of values
    #[arg(long, conflicts_with = "linear")]
    pub(crate) log: bool,
    /// A linear axis of values
    #[arg(long)]
    pub(crate) linear: bool,
}

#[derive(Debug, Args)]
pub(crate) struct Barred {
    #[command(flatten)]
    pub(crate) drawn: Drawn,
    /// What entries are grouped by: a field, level, logger, source, layout, kind, run, or a length of time such as 5min
    #[arg(long, value_name = "WHAT")]
    pub(crate) by: String,
    /// Draw p95 of a measure instead of entries
    #[arg(long, value_name = "MEASURE")]
    pub(crate) of: Option<String>,
}

#[derive(Debug, Args)]
#[command(mut_arg("from", |arg| arg
    .value_name("WHAT")
    .required(true)
    .help("The first: 06:00..06:30, before 06:38, run = 1, the name of a source, everything, pan, or a condition")))]
#[command(mut_arg("to", |arg| arg.hide(true)))]
pub(crate) struct Overlaid {
    #[command(flatten)]
    pub(crate) drawn: Drawn,
    /// The second, in the same words
    #[arg(long, value_name = "WHAT", allow_hyphen_values = true)]
    pub(crate) with: String,
}
