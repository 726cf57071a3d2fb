//! The arguments.

mod measuring;
mod pouring;

use std::path::PathBuf;

use clap::{Args, Parser, Subcommand, ValueEnum};

pub(crate) use measuring::{
    Compare, Draw, Drawn, Kinds, Listing, PerWhat, Plate, Sheet, SortGroups, SortKinds, Tally,
};
pub(crate) use pouring::Pour;

use crate::settings::Palette;

/// Pour logs of any layout in, stack meshes until only the interesting entries are left, and follow one
/// request through all services. Secrets never reach the screen.
#[derive(Debug, Parser)]
#[command(version, args_conflicts_with_subcommands = true, max_term_width = 100)]
#[command(after_help = "Examples:\n  \
    cribrum /var/log/app/                    open the desk on every log in a folder\n  \
    cribrum app.log --level warn             only warnings and worse\n  \
    cribrum sift logs/ -w 'status >= 500'    write what is left to standard output\n  \
    cribrum sift -F logs/ --level warn       write warnings and worse as they come\n  \
    cribrum sift logs/ --order source        source by source, written while they are read\n  \
    cribrum sift --last 100 app.log          the last hundred entries, whatever the size\n  \
    cribrum trail 7f3a9c21e0b4d86f logs/     one request through all services\n  \
    cribrum requests logs/                   all requests, the slowest first\n  \
    cribrum tally --by path --of took logs/  which paths are slow\n  \
    cribrum kinds --new-since 06:38 logs/    which messages are new\n  \
    cribrum compare --with 'after 06:38' logs/  what has changed since then\n  \
    cribrum watch 'level >= error' logs/     tell of errors as they are written\n  \
    cribrum demo                             a made-up morning to try it on")]
pub(crate) struct Arguments {
    #[command(subcommand)]
    pub(crate) command: Option<Command>,
    #[command(flatten)]
    pub(crate) pour: Pour,
    /// Start at the end and follow it
    #[arg(short = 'F', long)]
    pub(crate) follow: bool,
    #[command(flatten)]
    pub(crate) look: Look,
}

#[derive(Debug, Subcommand)]
pub(crate) enum Command {
    /// Write the entries that fall through the sieve
    Sift(Sift),
    /// Write the steps of one id across all sources
    Trail(Trail),
    /// List every id with its duration and outcome, the slowest first
    Requests(Requests),
    /// Count and measure the entries in groups: by path, status, level, slices of time
    Tally(Tally),
    /// List what is said: messages grouped by their constant words
    Kinds(Kinds),
    /// Tell what differs between two windows, runs, sources, or any two conditions
    Compare(Compare),
    /// Draw a plate: a chart as SVG or PDF, or its figures as CSV
    Draw(Draw),
    /// Wait for entries, and write each as it arrives; ends after a count or a time
    Watch(Watch),
    /// Tell how each source is read, and how well
    Intake(Intake),
    /// What is hidden: by which rule, how often, and where
    Veil(Veil),
    /// Open, write or play the made-up morning of Saltmarsh Ferries
    Demo(Demo),
    /// Write shell completions to standard output
    Completions {
        /// The shell to write them for
        shell: clap_complete::Shell,
    },
    /// Write the manual page to standard output
    #[command(hide = true)]
    Man,
}

/// How the desk looks.
#[derive(Clone, Debug, Default, Args)]
pub(crate) struct Look {
    /// The colours of the desk
    #[arg(long, value_enum, default_value_t, env = "CRIBRUM_PALETTE", hide_env = true)]
    pub(crate) palette: Palette,
    /// Let the desk show one entry without the veil for ten seconds, on R
    #[arg(long)]
    pub(crate) allow_reveal: bool,
    /// Write what the desk does to a file, for reports of errors: figures and names, no text of a log
    #[arg(long, value_name = "FILE")]
    pub(crate) diagnostics: Option<PathBuf>,
    /// Write how long each key takes to be answered, for measurements
    #[arg(long, value_name = "FILE", hide = true)]
    pub(crate) timings: Option<PathBuf>,
}

#[derive(Debug, Args)]
pub(crate) struct Sift {
    #[command(flatten)]
    pub(crate) pour: Pour,
    #[command(flatten)]
    pub(crate) written: Entries,
    /// Write to a file instead of standard output
    #[arg(short, long, value_name = "FILE")]
    pub(crate) output: Option<PathBuf>,
    /// Start at the end, or at --last or --from, and write each entry as it arrives, until stopped; a file is there once
    /// that is done
    #[arg(short = 'F', long)]
    pub(crate) follow: bool,
    /// Only the last N entries; files are read from their ends
    #[arg(long, value_name = "N")]
    pub(crate) last: Option<usize>,
    /// End after N entries
    #[arg(short = 'n', long, value_name = "N")]
    pub(crate) count: Option<usize>,
    /// Write stand-ins in plain ASCII, as `[card:4e1b77]`
    #[arg(long, conflicts_with = "follow")]
    pub(crate) ascii: bool,
    /// The order of the output. By default, one source is written as it stands, while it is read, and several in one
    /// order of time, once all of them have been read
    #[arg(long, value_name = "ORDER", value_enum, conflicts_with_all = ["follow", "last"])]
    pub(crate) order: Option<Order>,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum Order {
    /// By time over all sources: written when all of them have been read
    Time,
    /// Source by source, as entries stand there: written while the rest is read, in little memory
    Source,
}

#[derive(Debug, Args)]
pub(crate) struct Watch {
    /// The condition to wait for
    #[arg(value_name = "EXPR")]
    pub(crate) expr: String,
    #[command(flatten)]
    pub(crate) pour: Pour,
    /// End with status 0 after so many entries
    #[arg(short = 'n', long, value_name = "N")]
    pub(crate) count: Option<usize>,
    /// End after this time: with status 1 if nothing came, or less than the count
    #[arg(long = "for", value_name = "DURATION")]
    pub(crate) time: Option<String>,
    /// Tell of the entries that are there already as well
    #[arg(long)]
    pub(crate) all: bool,
    /// Ring the terminal's bell for each
    #[arg(long)]
    pub(crate) bell: bool,
    #[command(flatten)]
    pub(crate) written: Entries,
}

/// How entries are written.
#[derive(Debug, Args)]
pub(crate) struct Entries {
    /// The form of the output
    #[arg(long = "as", value_name = "FORMAT", value_enum, default_value_t = Form::Text)]
    pub(crate) form: Form,
    /// The columns of a table: time, level, source, logger, id, ids, message, took, fields (all of them as JSON), or a field by
    /// its name; without a form, a table for people
    #[arg(long, value_name = "COLUMN", value_delimiter = ',', conflicts_with = "line")]
    pub(crate) columns: Vec<String>,
    /// A template for a line of each entry, such as '{time} {level} {message}'; {{ is a brace
    #[arg(long, value_name = "TEMPLATE", conflicts_with = "form")]
    pub(crate) line: Option<String>,
    /// In CSV and TSV, leave texts as they are that a spreadsheet would compute; they get a `'` else
    #[arg(long)]
    pub(crate) formulas: bool,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum Form {
    /// A line an entry, for people
    Text,
    /// A JSON object an entry, for programs
    Jsonl,
    /// As in the source, secrets hidden
    Raw,
    /// A row an entry, with a header
    Csv,
    /// The same with tabs between the values
    Tsv,
    /// A table for a ticket
    Markdown,
    /// name=value, a line an entry
    Pairs,
}

#[derive(Debug, Args)]
pub(crate) struct Trail {
    /// The id, or its beginning or end where that is enough
    #[arg(id = "trail_id", value_name = "ID")]
    pub(crate) id: String,
    #[command(flatten)]
    pub(crate) pour: Pour,
    /// Follow a further id as well, in one trail with the first; may be given several times
    #[arg(long, value_name = "ID")]
    pub(crate) also: Vec<String>,
    /// The kind of the id, where a short one stands for different things: request_id, order_id, user_id
    #[arg(long, value_name = "KIND")]
    pub(crate) kind: Option<String>,
    /// Compare the trail with those that begin alike, and say what is unusual; reads all sources
    #[arg(long)]
    pub(crate) usual: bool,
    /// What lanes are told apart by; by default whatever tells them apart best
    #[arg(long, value_name = "BY", value_enum)]
    pub(crate) lanes: Option<Lanes>,
    /// The form of the output
    #[arg(long = "as", value_name = "FORMAT", value_enum, default_value_t = Table::Text)]
    pub(crate) form: Table,
    /// The colours of a drawing
    #[arg(long, value_enum, value_name = "PALETTE", default_value_t = Paper::Chalk)]
    pub(crate) palette: Paper,
    /// Write to a file instead of standard output; one that ends in .svg or .pdf becomes a drawing, with what is
    /// unusual
    #[arg(short, long, value_name = "FILE")]
    pub(crate) output: Option<PathBuf>,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum Paper {
    /// Dark on light
    Chalk,
    /// Light on dark
    Dusk,
}

impl From<Paper> for cribrum_draw::Palette {
    fn from(paper: Paper) -> Self {
        match paper {
            Paper::Chalk => Self::Chalk,
            Paper::Dusk => Self::Dusk,
        }
    }
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum Lanes {
    /// The service that says its name
    Service,
    /// The source
    Source,
    /// The container or the pod
    Container,
    /// The host
    Host,
}

impl From<Lanes> for cribrum_core::trail::LaneBy {
    fn from(lanes: Lanes) -> Self {
        match lanes {
            Lanes::Service => Self::Service,
            Lanes::Source => Self::Source,
            Lanes::Container => Self::Container,
            Lanes::Host => Self::Host,
        }
    }
}

#[derive(Debug, Args)]
pub(crate) struct Requests {
    #[command(flatten)]
    pub(crate) pour: Pour,
    /// The kind of id that requests go by, such as request_id, trace_id, session, user_id; by default the one that names
    /// a single request best
    #[arg(long, value_name = "KIND")]
    pub(crate) kind: Option<String>,
    /// What they are ordered by
    #[arg(long, value_name = "COLUMN", value_enum, default_value_t = SortRequests::Duration)]
    pub(crate) sort: SortRequests,
    /// The smallest first, or the earliest
    #[arg(long)]
    pub(crate) ascending: bool,
    #[command(flatten)]
    pub(crate) table: Listing,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum SortRequests {
    /// When they began
    Start,
    /// How long they took
    Duration,
    /// The longest wait between two entries
    Wait,
    /// How many entries they have
    Entries,
    /// How many sources have entries of them
    Sources,
    /// The gravest level
    Level,
    /// The status
    Status,
    /// The id
    Id,
    /// What the first step says
    First,
    /// What the step says before which the longest wait lies
    Before,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum Table {
    /// Columns, for people
    Text,
    /// A JSON object a row, for programs
    Jsonl,
}

#[derive(Debug, Args)]
pub(crate) struct Intake {
    #[command(flatten)]
    pub(crate) pour: Pour,
    /// Tell why a line is read as it is: the layouts tried, what fitted, what was captured
    #[arg(long, value_name = "FILE:LINE")]
    pub(crate) explain: Option<String>,
    /// The form of the output
    #[arg(long = "as", value_name = "FORMAT", value_enum, default_value_t = Table::Text)]
    pub(crate) form: Table,
}

#[derive(Debug, Args)]
pub(crate) struct Veil {
    #[command(flatten)]
    pub(crate) pour: Pour,
    /// End with status 1 when anything is found: for a check that runs by itself
    #[arg(long)]
    pub(crate) check: bool,
    /// Tell of what was nearly a hit as well
    #[arg(long)]
    pub(crate) near: bool,
    /// The form of the output: counts and examples, or a row for each hit with file, line and column
    #[arg(long = "as", value_name = "FORMAT", value_enum, default_value_t = Report::Text)]
    pub(crate) form: Report,
    /// Write to a file instead of standard output
    #[arg(short, long, value_name = "FILE")]
    pub(crate) output: Option<PathBuf>,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum Report {
    /// Counts and examples, for people
    Text,
    /// A JSON object a hit, for programs
    Jsonl,
    /// A row a hit, with a header
    Csv,
}

#[derive(Debug, Args)]
pub(crate) struct Demo {
    /// Write the logs into this folder instead of opening them
    #[arg(long, value_name = "DIR")]
    pub(crate) write: Option<PathBuf>,
    /// How many entries the morning has
    #[arg(long, value_name = "N", default_value_t = 20_000)]
    pub(crate) entries: usize,
    /// Another seed gives another morning with the same story
    #[arg(long, value_name = "N", default_value_t = 7)]
    pub(crate) seed: u64,
    /// Keep writing in real time, at this many entries a second
    #[arg(long, value_name = "RATE", num_args = 0..=1, default_missing_value = "20")]
    pub(crate) live: Option<usize>,
    /// Write what the generator knows of each entry, a JSON line each
    #[arg(long, value_name = "FILE")]
    pub(crate) record: Option<PathBuf>,
    /// Write what secrets it has planted where, a JSON line each
    #[arg(long, value_name = "FILE")]
    pub(crate) secrets: Option<PathBuf>,
    #[command(flatten)]
    pub(crate) look: Look,
}

#[cfg(test)]
mod tests {
    use clap::CommandFactory;

    #[test]
    fn the_arguments_fit_together() {
        super::Arguments::command().debug_assert();
    }
}
