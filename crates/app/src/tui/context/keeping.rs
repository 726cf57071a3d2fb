//! What is kept: sieves under a name, marks at a moment.

use cribrum_core::{
    query,
    sieve::{Kind, Sieve},
};

use super::{Choice, Context, Input, List, ListKey, Question, Request, Target, Wrong};
use crate::{
    settings::Kept,
    tui::{
        columns::Columns,
        effect::Effect,
        keys::{DROP, Key},
        shared::Mark,
    },
};

const SIEVE_KEYS: &[ListKey] = &[
    ListKey {
        keys: &[Key::Char('s')],
        shown: "s",
        word: "keep the present one",
        run: |cx, _| cx.ask_name(false),
    },
    ListKey {
        keys: &[Key::Char('t')],
        shown: "t",
        word: "the same, beside the logs",
        run: |cx, _| match cx.shared.beside_logs() {
            Some(_) => cx.ask_name(true),
            None => cx.tell("there is no folder beside what was poured in; s keeps it for you"),
        },
    },
];

const MARK_KEYS: &[ListKey] = &[
    ListKey {
        keys: DROP,
        shown: "-",
        word: "drop it",
        run: |cx, at| {
            if at < cx.shared.marks.len() {
                cx.shared.marks.remove(at);
            }
            cx.open_marks();
        },
    },
    ListKey {
        keys: &[Key::Char('m')],
        shown: "m",
        word: "set one here",
        run: |cx, _| cx.ask_mark(),
    },
];

impl Context {
    /// Lists the kept sieves with what each would leave.
    pub(crate) fn open_sieves(&mut self) {
        let context = self.shared.context();
        let rows = self.shared.settings.sieves.iter().enumerate().map(|(at, kept)| {
            let sieve = self.with_sweep(kept, &context);
            // A file that others write may hold anything.
            let row = Choice::common(self.shared.own_text(&kept.name), {
                let kept = kept.clone();
                move |cx| cx.take_kept(&kept)
            });
            let row = row.note(self.shared.own_text(&kept.summary())).counting(sieve);
            match u32::try_from(at + 1).ok().and_then(|at| char::from_digit(at, 10)) {
                Some(key) => row.key(key),
                None => row,
            }
        });
        let rows = rows.collect();
        self.choose(List {
            title: "kept sieves",
            word: "use it",
            empty: "no sieve is kept yet; s keeps the present one under a name",
            rows,
            keys: SIEVE_KEYS,
        });
    }

    /// The sieve that using a kept one makes: a sweep stays.
    fn with_sweep(&self, kept: &Kept, context: &query::Context) -> Sieve {
        let mut sieve = kept.sieve(context);
        let swept = self.shared.sieve().meshes.iter();
        let swept = swept.filter(|mesh| matches!(mesh.kind, Kind::Swept(_))).cloned();
        sieve.meshes.splice(0..0, swept.collect::<Vec<_>>());
        sieve
    }

    fn take_kept(&mut self, kept: &Kept) {
        let sieve = self.with_sweep(kept, &self.shared.context());
        let name = self.shared.own_text(&kept.name);
        self.tell(format!("{name}; u brings the one before back"));
        self.alter(|now| *now = sieve);
        if !kept.columns.is_empty() {
            self.shared.columns = Columns::read(&kept.columns);
        }
    }

    /// Asks for the name under which the sieve is kept, for the user or beside the logs.
    fn ask_name(&mut self, beside: bool) {
        let (label, hint) = match beside {
            false => ("keep as", "a name; the sieve is kept in your own cribrum.toml"),
            true => {
                ("keep for all as", "a name; the sieve is kept in cribrum.toml beside the logs")
            }
        };
        let input = Input::Text { optional: false };
        let question = Question::common(label, hint, input, move |cx, name| {
            cx.keep(name, beside);
            Ok(())
        });
        self.ask(question, "");
    }

    /// Keeps the present sieve under a name, for the user or beside the logs.
    fn keep(&mut self, name: &str, beside: bool) {
        let file = if beside { self.shared.beside_logs() } else { self.shared.folders.settings() };
        let Some(file) = file else {
            return self
                .shared
                .warn("there is no folder for settings; HOME or XDG_CONFIG_HOME names one");
        };
        if self.shared.typed.unverified.is_some() {
            return self.tell("still checking the sieve for secrets; try again in a moment");
        }
        // A secret that was typed is kept as its stand-in.
        let clean = |text: &str| self.shared.snapshot.own_text(text).as_str().to_owned();
        let columns = self.shared.columns.written();
        let kept = Kept::of(&clean(name.trim()), self.shared.sieve(), clean, columns, file);
        if kept.is_empty() {
            return self.tell("there is no mesh to keep; a sweep or a look around is none");
        }
        let sieves = &mut self.shared.settings.sieves;
        sieves.retain(|other| other.name != kept.name || other.file != kept.file);
        sieves.push(kept.clone());
        self.emit(Effect::Keep(kept));
    }

    /// Asks for the name of a mark at the selected entry.
    pub(crate) fn ask_mark(&mut self) {
        let hint = "a name such as \"second try\"; nothing: a number";
        let input = Input::Text { optional: true };
        let question = Question::common("mark", hint, input, |cx, name| {
            cx.set_mark(name);
            Ok(())
        });
        self.ask(question, "");
    }

    fn set_mark(&mut self, name: &str) {
        let shared = &mut self.shared;
        let time = shared.here.entry.and_then(|id| shared.snapshot.time(id));
        let Some(time) = time else {
            return shared.tell("there is no moment here to mark");
        };
        let name = match name.trim() {
            "" => format!("mark {}", shared.marks.len() + 1),
            name => shared.own_text(name).replace(['"', '\\'], ""),
        };
        shared.marks.retain(|mark| mark.name != name);
        shared.tell(format!(
            "marked; time > mark \"{name}\" is what comes after it, ' lists the marks"
        ));
        shared.marks.push(Mark { name, time });
        shared.marks.sort_by_key(|mark| mark.time);
    }

    pub(crate) fn open_marks(&mut self) {
        let rows = self.shared.marks.iter().map(|mark| {
            let time = mark.time;
            let go = move |cx: &mut Context| cx.request(Request::GoTo(Target::Time(time)));
            Choice::common(&mark.name, go).note(self.shared.moment(time))
        });
        let rows = rows.collect();
        self.choose(List {
            title: "marks",
            word: "go there",
            empty: "no mark yet; m sets one at the selected entry",
            rows,
            keys: MARK_KEYS,
        });
    }

    /// Asks for a time to go to.
    pub(crate) fn ask_jump(&mut self) {
        let hint = "06:41   06:41:02.340   2026-03-14T06:41:00Z   -15min   mark \"second try\"";
        let input = Input::Text { optional: false };
        let question = Question::common("go to", hint, input, |cx, text| {
            let wrong: Wrong = match cx.window(text).map(|expr| expr.window()) {
                Ok(Some((Some(time), _))) => {
                    cx.request(Request::GoTo(Target::Time(time)));
                    return Ok(());
                }
                Ok(_) => (0, "one time is needed, such as 06:41".into()),
                Err(error) => (error.at, error.message),
            };
            Err(wrong)
        });
        self.ask(question, "");
    }
}
