//! The arguments.

use std::path::PathBuf;

use clap::{Args, Parser, Subcommand, ValueEnum};

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

/// What is poured in, and what is let through.
#[derive(Clone, Debug, Default, Args)]
pub(crate) struct Pour {
    /// Files, folders, patterns such as 'logs/*.log', or - for standard input
    pub(crate) sources: Vec<PathBuf>,
    /// Leave files out of folders that fit this pattern; may be given several times. A file named
    /// .cribrumignore in a folder does the same
    #[arg(long, value_name = "GLOB")]
    pub(crate) exclude: Vec<String>,
    /// Let through only entries for which EXPR holds; may be given several times
    #[arg(short = 'w', long = "where", value_name = "EXPR")]
    pub(crate) conditions: Vec<String>,
    /// Let through entries of this level and graver ones
    #[arg(short, long, value_name = "LEVEL")]
    pub(crate) level: Option<String>,
    /// Let through entries from this time on: 06:38, 2026-03-14T06:38:00Z, -15min
    #[arg(long, value_name = "TIME", allow_hyphen_values = true)]
    pub(crate) from: Option<String>,
    /// Let through entries up to this time
    #[arg(long, value_name = "TIME", allow_hyphen_values = true)]
    pub(crate) to: Option<String>,
    /// Let through what a kept sieve does; may be given several times
    #[arg(long = "sieve", value_name = "NAME")]
    pub(crate) sieves: Vec<String>,
    /// Hold back what a logger, and those below it, write below a level; may be given several times
    #[arg(long = "quiet", value_name = "LOGGER=LEVEL")]
    pub(crate) quiet: Vec<String>,
    /// Let through entries with this id
    #[arg(long, value_name = "ID")]
    pub(crate) id: Option<String>,
    /// Read every line in this layout
    #[arg(long, value_name = "LAYOUT")]
    pub(crate) layout: Option<String>,
    /// The zone of times that name none, and of times shown: UTC, local, +01:00, Europe/Rome
    #[arg(long, value_name = "ZONE")]
    pub(crate) zone: Option<String>,
    /// Set a source's clock right by a zone or a duration: gate.log=Europe/Rome, gate.log=-1.5s; may be
    /// given several times
    #[arg(long = "clock", value_name = "SOURCE=CLOCK")]
    pub(crate) clocks: Vec<String>,
    /// Hide a class at the desk as well, or a group of them: personal, ip, entropy; may be given several times
    #[arg(long = "veil", value_name = "WHAT")]
    pub(crate) veil: Vec<String>,
    /// Show and share a class that is hidden otherwise, or a group of them: personal, email, sessions; may be given
    /// several times
    #[arg(long = "unveil", value_name = "WHAT")]
    pub(crate) unveil: Vec<String>,
    /// Make stand-ins with a key out of a file, so that those who have it get the same ones
    #[arg(long = "veil-key", value_name = "FILE")]
    pub(crate) veil_key: Option<PathBuf>,
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
    /// The form of the output
    #[arg(long = "as", value_name = "FORMAT", value_enum, default_value_t = Form::Text)]
    pub(crate) form: Form,
    /// Write to a file instead of standard output
    #[arg(short, long, value_name = "FILE")]
    pub(crate) output: Option<PathBuf>,
    /// Start at the end, or at --last or --from, and write each entry as it arrives, until stopped
    #[arg(short = 'F', long, conflicts_with = "output")]
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
    /// The form of the output
    #[arg(long = "as", value_name = "FORMAT", value_enum, default_value_t = Form::Text)]
    pub(crate) form: Form,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum Form {
    /// A line an entry, for people
    Text,
    /// A JSON object an entry, for programs
    Jsonl,
    /// As in the source, secrets hidden
    Raw,
}

impl From<Form> for cribrum_core::export::Format {
    fn from(form: Form) -> Self {
        match form {
            Form::Text => Self::Text,
            Form::Jsonl => Self::Jsonl,
            Form::Raw => Self::Raw,
        }
    }
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
    /// Only the first N of them; 0 for all
    #[arg(long, value_name = "N")]
    pub(crate) top: Option<usize>,
    /// The form of the output
    #[arg(long = "as", value_name = "FORMAT", value_enum, default_value_t = Rows::Text)]
    pub(crate) form: Rows,
    /// Write to a file instead of standard output
    #[arg(short, long, value_name = "FILE")]
    pub(crate) output: Option<PathBuf>,
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
pub(crate) enum Rows {
    /// Columns, for people
    Text,
    /// A JSON object a row, for programs
    Jsonl,
    /// A row each, with a header
    Csv,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum Table {
    /// Columns, for people
    Text,
    /// A JSON object a row, for programs
    Jsonl,
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
    /// Only the first N of them; 0 for all
    #[arg(long, value_name = "N")]
    pub(crate) top: Option<usize>,
    /// The form of the output
    #[arg(long = "as", value_name = "FORMAT", value_enum, default_value_t = Written::Text)]
    pub(crate) form: Written,
    /// Write to a file instead of standard output
    #[arg(short, long, value_name = "FILE")]
    pub(crate) output: Option<PathBuf>,
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
    /// Only the first N of them; 0 for all
    #[arg(long, value_name = "N")]
    pub(crate) top: Option<usize>,
    /// The form of the output
    #[arg(long = "as", value_name = "FORMAT", value_enum, default_value_t = Written::Text)]
    pub(crate) form: Written,
    /// Write to a file instead of standard output
    #[arg(short, long, value_name = "FILE")]
    pub(crate) output: Option<PathBuf>,
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
    /// Only the first N of them; 0 for all
    #[arg(long, value_name = "N")]
    pub(crate) top: Option<usize>,
    /// The form of the output
    #[arg(long = "as", value_name = "FORMAT", value_enum, default_value_t = Written::Text)]
    pub(crate) form: Written,
    /// Write to a file instead of standard output
    #[arg(short, long, value_name = "FILE")]
    pub(crate) output: Option<PathBuf>,
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

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum Written {
    /// Columns, for people
    Text,
    /// A JSON object a row, for programs
    Jsonl,
    /// A row each, with a header
    Csv,
    /// A table for a ticket
    Markdown,
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
