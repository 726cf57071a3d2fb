//! What is kept: sieves under a name, marks at a moment.

use cribrum_core::{
    query,
    sieve::{Kind, Sieve},
};

use super::{Choice, Context, Input, List, ListKey, Question, Request, Target, Wrong};
use crate::{
    settings::{Change, Kept, NamedKind},
    tui::{
        columns::Columns,
        effect::Effect,
        keys::{DELETE, DROP, Key},
        shared::{Mark, Pinned},
    },
};

const SIEVE_KEYS: &[ListKey] = &[
    ListKey {
        keys: &[Key::Ctrl('p')],
        shown: "^P",
        word: "strip on, off",
        run: |cx, at| cx.pin(at),
    },
    ListKey {
        keys: &[DELETE, Key::Ctrl('d')],
        shown: "Del",
        word: "drop it",
        run: |cx, at| cx.unkeep(at),
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
    /// Lists the kept sieves with what each would leave. A name that is typed is looked for among them, or is the one
    /// that the present sieve is kept as.
    pub(crate) fn open_sieves(&mut self) {
        let context = self.shared.context();
        let rows = self.shared.settings.sieves.iter().enumerate().map(|(at, kept)| {
            let sieve = self.with_sweep(kept, &context);
            // A file that others write may hold anything.
            let row = Choice::common(self.shared.own_text(&kept.name), {
                let kept = kept.clone();
                move |cx| cx.use_kept(&kept)
            });
            let pinned = if kept.strip { "in the strip   " } else { "" };
            let note = format!("{pinned}{}", self.shared.own_text(&kept.summary()));
            let row = row.note(note).counting(sieve);
            match u32::try_from(at + 1).ok().and_then(|at| char::from_digit(at, 10)) {
                Some(key) => row.key(key),
                None => row,
            }
        });
        let rows = rows.collect();
        self.choose(List {
            title: "kept sieves",
            word: "use it",
            empty: "no sieve is kept yet; type a name to keep the present one under it",
            rows,
            keys: SIEVE_KEYS,
            named: Some(|name| {
                let (own, all) = (name.to_owned(), name.to_owned());
                vec![
                    Choice::common(format!("keep the present sieve as \"{name}\""), move |cx| {
                        cx.keep(&own, false);
                    })
                    .note("in your own cribrum.toml"),
                    Choice::common(format!("keep it as \"{name}\" for all"), move |cx| {
                        cx.keep(&all, true);
                    })
                    .note("in cribrum.toml beside the logs"),
                ]
            }),
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

    fn use_kept(&mut self, kept: &Kept) {
        let sieve = self.with_sweep(kept, &self.shared.context());
        let name = self.shared.own_text(&kept.name);
        self.tell(format!("{name}; u brings the one before back"));
        self.alter(|now| *now = sieve);
        if !kept.columns.is_empty() {
            self.shared.columns = Columns::read(&kept.columns);
        }
    }

    /// Switches to the sieve of this number in the strip, from 1; if it is in use already, back to the one before.
    pub(crate) fn switch(&mut self, number: usize) {
        let pinned = self.shared.strip.iter().flatten().nth(number - 1);
        let Some(pinned) = pinned else {
            return self
                .tell(format!("there is no sieve {number} in the strip; S lists the kept ones"));
        };
        if self.with_sweep(&pinned.kept, &self.shared.context()) == *self.shared.sieve() {
            return self.undo();
        }
        let kept = pinned.kept.clone();
        self.use_kept(&kept);
    }

    /// Puts a kept sieve into the strip, or takes it out.
    fn pin(&mut self, at: usize) {
        if let Some(kept) = self.shared.settings.sieves.get_mut(at) {
            kept.strip = !kept.strip;
            let kept = kept.clone();
            self.emit(Effect::Settings(Change::Keep(kept)));
            self.make_strip();
        }
        self.open_sieves();
    }

    /// Drops a kept sieve.
    fn unkeep(&mut self, at: usize) {
        if at < self.shared.settings.sieves.len() {
            let kept = self.shared.settings.sieves.remove(at);
            self.emit(Effect::Settings(Change::Unkeep(kept)));
            self.make_strip();
        }
        self.open_sieves();
    }

    /// Makes the strip of the kept sieves that stand in it, and has them counted.
    pub(super) fn make_strip(&mut self) {
        let context = self.shared.context();
        let before = self.shared.strip.take().unwrap_or_default();
        let strip = self.shared.settings.sieves.iter().filter(|kept| kept.strip).map(|kept| {
            let same =
                |pinned: &&Pinned| pinned.kept.name == kept.name && pinned.kept.file == kept.file;
            let seen = before.iter().find(same).and_then(|pinned| pinned.seen);
            Pinned { kept: kept.clone(), sieve: kept.sieve(&context), seen }
        });
        self.shared.strip = Some(strip.collect());
        if !before.is_empty() || self.shared.strip.iter().flatten().next().is_some() {
            self.count_beside();
        }
    }

    /// Takes in the counts of the strip: what is in use has been looked at, and so has what was there at first.
    pub(super) fn look_at_strip(&mut self) {
        if self.shared.strip.is_none() {
            if !self.shared.snapshot.loaded() {
                return;
            }
            self.make_strip();
        }
        let (snapshot, now) = (&self.shared.snapshot, self.shared.history.sieve());
        for pinned in self.shared.strip.iter_mut().flatten() {
            let view = snapshot.beside.iter().find(|view| view.sieve == pinned.sieve);
            let Some(view) = view.filter(|view| view.done) else { continue };
            if pinned.seen.is_none() || pinned.sieve == *now {
                pinned.seen = Some(view.left);
            }
        }
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
        self.emit(Effect::Settings(Change::Keep(kept)));
        self.make_strip();
    }

    /// Gives a kind a name of its own, or takes it away where it is empty.
    pub(crate) fn name_kind(&mut self, named: NamedKind) {
        let Some(file) = self.shared.folders.settings() else {
            return self
                .shared
                .warn("there is no folder for settings; HOME or XDG_CONFIG_HOME names one");
        };
        let kinds = &mut self.shared.settings.kinds;
        kinds.retain(|other| other.words != named.words && other.name != named.name);
        if !named.name.is_empty() {
            kinds.push(named.clone());
        }
        self.emit(Effect::Settings(Change::Name(file, named)));
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
            named: None,
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
