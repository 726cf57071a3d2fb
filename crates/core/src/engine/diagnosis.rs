//! Why nothing is left, and what would help.

use super::{Pass, Snapshot, Survey};
use crate::{
    entry::{Level, Severity},
    query::{Expr, Literal, Op, Path, nearest, nearest_field},
    sieve::{Kind, Mesh, Sieve},
    veil::{Anyone, Shareable},
};

/// Something that explains an empty pan.
#[derive(Clone, Debug)]
pub struct Finding {
    /// The number of the mesh it is about.
    pub mesh: usize,
    /// What is the matter.
    pub cause: Cause,
    /// What would help, and the sieve with it.
    pub remedy: Option<(Remedy, Sieve)>,
}

/// What is the matter with a mesh.
#[derive(Clone, Debug)]
pub enum Cause {
    /// It held back the last entries, so many.
    TookTheLast(usize),
    /// The entries that it held back have no level at all.
    NoLevels(usize),
    /// Its window lies outside the data, which spans these times.
    Outside(i64, i64),
    /// None of the entries looked at, so many, has the field of this name.
    NoField(String, usize),
    /// None of the entries looked at, so many, has this value in the field; some that occur.
    NoValue {
        /// The field.
        path: Path,
        /// The value as typed.
        value: Shareable<'static>,
        /// The most frequent ones that occur.
        occur: Vec<Shareable<'static>>,
        /// Entries looked at.
        looked: usize,
    },
    /// The sources it lets through, or this one, wrote nothing below this level.
    NeverBelow(Option<String>, Level),
}

/// What would help.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Remedy {
    /// Switch the mesh off; so many entries come back.
    Off(usize),
    /// Let entries without a level pass.
    PassUnlevelled,
    /// Write the mesh in this way.
    Rewrite,
}

/// Finds out why the sieve lets nothing through. `None` when the pass was ended. Cost: a few thousand entries are read, for each field
/// that the sieve names.
#[must_use]
pub fn diagnose(snapshot: &Snapshot, pass: &Pass) -> Option<Vec<Finding>> {
    let mut findings = Vec::new();
    let meshes = || snapshot.sieve.meshes.iter().enumerate().filter(|(_, mesh)| mesh.counts());
    let rows = &snapshot.funnel.rows;
    let taker = meshes().find(|(at, _)| rows.get(*at).is_some_and(|row| row.left == 0));
    if let Some((mesh, _)) = taker {
        let row = &rows[mesh];
        let none = row.unlevelled > 0 && row.unlevelled == row.held;
        findings.push(match none {
            true => Finding {
                mesh,
                cause: Cause::NoLevels(row.held),
                remedy: changed(snapshot, Remedy::PassUnlevelled, Sieve::toggle_unlevelled),
            },
            false => Finding { mesh, cause: Cause::TookTheLast(row.held), remedy: None },
        });
    }
    for (at, mesh) in meshes() {
        findings.extend(misspelt(snapshot, at, mesh, pass)?);
    }
    for (at, _) in meshes() {
        let gives_back = rows.get(at).map_or(0, |row| row.gives_back);
        if gives_back > 0 {
            let remedy = changed(snapshot, Remedy::Off(gives_back), |sieve| sieve.toggle(at));
            findings.push(Finding { mesh: at, cause: Cause::TookTheLast(gives_back), remedy });
        }
    }
    Some(findings)
}

fn changed(
    snapshot: &Snapshot,
    remedy: Remedy,
    change: impl FnOnce(&mut Sieve),
) -> Option<(Remedy, Sieve)> {
    let mut sieve = snapshot.sieve.clone();
    change(&mut sieve);
    Some((remedy, sieve))
}

/// What a mesh asks for that is nowhere.
fn misspelt(snapshot: &Snapshot, at: usize, mesh: &Mesh, pass: &Pass) -> Option<Vec<Finding>> {
    let mut findings = Vec::new();
    if let (Some((first, last)), Some((from, to))) = (snapshot.span(), mesh.window())
        && (from.is_some_and(|from| from > last) || to.is_some_and(|to| to < first))
    {
        let cause = Cause::Outside(first, last);
        findings.push(Finding { mesh: at, cause, remedy: None });
    }
    let Kind::Expr(expr) = &mesh.kind else { return Some(findings) };
    // What a negation asks for may well be nowhere.
    for leaf in wanted(expr) {
        let rewrite = |new: &Expr| {
            changed(snapshot, Remedy::Rewrite, |sieve| {
                sieve.meshes[at] = Mesh::of(expr.with(leaf, new));
            })
        };
        let found = match leaf {
            Expr::Word(word) => {
                pair(snapshot, word, pass).map(|(cause, new)| (cause, rewrite(&new)))
            }
            _ => leaf.path().and_then(|path| {
                no_field(snapshot, leaf, path, pass)
                    .map(|(cause, new)| (cause, new.and_then(|new| rewrite(&new))))
                    .or_else(|| no_level(snapshot, expr, leaf).map(|cause| (cause, None)))
                    .or_else(|| {
                        let (cause, new) = no_value(snapshot, leaf, path, pass)?;
                        Some((cause, new.and_then(|new| rewrite(&new))))
                    })
            }),
        };
        if let Some((cause, remedy)) = found {
            findings.push(Finding { mesh: at, cause, remedy });
        }
    }
    (!pass.is_cancelled()).then_some(findings)
}

/// The conditions that must hold.
fn wanted(expr: &Expr) -> Vec<&Expr> {
    match expr {
        Expr::And(items) => items.iter().flat_map(wanted).collect(),
        Expr::Or(_) | Expr::Not(_) => Vec::new(),
        leaf => vec![leaf],
    }
}

/// `name:value` was typed where a field of this name exists.
fn pair(snapshot: &Snapshot, word: &str, pass: &Pass) -> Option<(Cause, Expr)> {
    let (name, value) = word.split_once(':').filter(|(_, value)| !value.is_empty())?;
    let known = match Path::of(name) {
        Path::Field(_) => has_name(&Survey::<Anyone>::names(snapshot, pass)?, name),
        Path::Literal(_) | Path::Time => false,
        _ => true,
    };
    let fits = Path::of(name) != Path::Level || Severity::read(value.as_bytes()).is_some();
    (known && fits).then(|| {
        let cause = Cause::NoValue {
            path: Path::Message,
            value: snapshot.own_text_to_share(word),
            occur: Vec::new(),
            looked: 0,
        };
        (cause, Expr::equals(Path::of(name), value))
    })
}

fn has_name(names: &Survey<Anyone>, name: &str) -> bool {
    names.found.iter().any(|(known, _)| {
        let known = known.as_str();
        known == name || known.strip_prefix(name).is_some_and(|rest| rest.starts_with('.'))
    })
}

fn no_field(
    snapshot: &Snapshot,
    leaf: &Expr,
    path: &Path,
    pass: &Pass,
) -> Option<(Cause, Option<Expr>)> {
    let (Path::Field(name) | Path::Shaped { path: name, .. }) = path else { return None };
    let names = Survey::<Anyone>::names(snapshot, pass)?;
    if has_name(&names, name) {
        return None;
    }
    let own = ["level", "message", "logger", "source", "layout", "line", "took", "time"];
    let known = names.found.iter().map(|(known, _)| known.as_str()).chain(own);
    let meant = |near: &str| match path {
        Path::Shaped { shape, .. } => Path::Shaped { path: near.to_owned(), shape: *shape },
        _ => Path::of(near),
    };
    let near = nearest_field(name, known).map(|near| leaf.on(&meant(near)));
    Some((Cause::NoField(name.clone(), names.looked), near))
}

/// No source that may pass has a level of those that are asked for.
fn no_level(snapshot: &Snapshot, expr: &Expr, leaf: &Expr) -> Option<Cause> {
    let (Expr::Compare(Path::Level, op, value), false) = (leaf, snapshot.order.is_empty()) else {
        return None;
    };
    let want = Severity::read(value.text.as_bytes())?.level();
    let holds = |level: Level| op.holds(level.cmp(&want));
    let all = snapshot.sieve.meshes.iter().filter(|mesh| mesh.counts());
    let exprs: Vec<Expr> = all.filter_map(Mesh::expr).chain([expr.clone()]).collect();
    let only = exprs.iter().flat_map(wanted).find_map(|leaf| match leaf {
        Expr::Compare(Path::Source, Op::Equal, value) => Some(value.text.as_str()),
        _ => None,
    });
    let sources = snapshot.sources.iter().zip(&snapshot.status);
    let mut seen = [0; 6];
    for (source, status) in sources {
        if only.is_none_or(|name| source.name == name || source.label == name) {
            seen.iter_mut().zip(status.levels).for_each(|(sum, more)| *sum += more);
        }
    }
    let mildest = Level::ALL.into_iter().find(|level| seen[level.index()] > 0)?;
    let any = Level::ALL.into_iter().any(|level| seen[level.index()] > 0 && holds(level));
    (!any && Level::ALL.into_iter().filter(|level| holds(*level)).all(|level| level < mildest))
        .then(|| Cause::NeverBelow(only.map(str::to_owned), mildest))
}

fn no_value(
    snapshot: &Snapshot,
    leaf: &Expr,
    path: &Path,
    pass: &Pass,
) -> Option<(Cause, Option<Expr>)> {
    let Expr::Compare(_, Op::Equal, value) = leaf else { return None };
    if matches!(path, Path::Source)
        && snapshot.sources.iter().any(|source| source.name == value.text)
    {
        return None;
    }
    let values = Survey::<Anyone>::values(snapshot, path, pass)?;
    let is = |known: &Shareable<'_>| leaf.judges("", known.as_str());
    if values.found.is_empty() || values.found.iter().any(|(known, _)| is(known)) {
        return None;
    }
    let near = nearest(&value.text, values.found.iter().map(|(known, _)| known.as_str()));
    let near = near.map(|near| Expr::Compare(path.clone(), Op::Equal, Literal::new(near)));
    let cause = Cause::NoValue {
        path: path.clone(),
        value: snapshot.veil.typed_value(&path.to_string(), &value.text),
        occur: values.found.iter().take(3).map(|(known, _)| known.clone()).collect(),
        looked: values.looked,
    };
    Some((cause, near))
}
