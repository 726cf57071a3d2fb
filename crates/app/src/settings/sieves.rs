//! Sieves that are kept under a name.
//!
//! ```toml
//! [[sieve]]
//! name = "failing holds"
//! meshes = ["level >= warn", "path ~ \"^/crossings\""]
//! quiet = { "http.client" = "error" }
//! columns = ["level", "source:12", "took:8", "message"]
//! strip = true
//! ```

use std::{collections::BTreeMap, path::PathBuf};

use cribrum_core::{
    entry::{Level, Severity},
    query::{Context, Expr},
    sieve::{Kind, Sieve},
};
use serde::Deserialize;
use toml::Spanned;

/// The table as it stands in a file.
#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct Table {
    name: Spanned<String>,
    #[serde(default)]
    meshes: Vec<Spanned<String>>,
    #[serde(default)]
    quiet: BTreeMap<String, Spanned<String>>,
    #[serde(default)]
    columns: Vec<String>,
    #[serde(default)]
    strip: bool,
}

/// A sieve with its name.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct Kept {
    pub(crate) name: String,
    /// The conditions, as typed.
    pub(crate) meshes: Vec<String>,
    /// Loggers, and the mildest level of each that passes.
    pub(crate) quiet: Vec<(String, Level)>,
    /// The columns of the list, where they are not the usual ones.
    pub(crate) columns: Vec<String>,
    /// It stands in the strip under the masthead.
    pub(crate) strip: bool,
    /// Where it is kept.
    pub(crate) file: PathBuf,
}

impl Table {
    /// The sieve, or what is wrong and at which byte of the file.
    pub(super) fn kept(&self, file: PathBuf) -> Result<Kept, (usize, String)> {
        // A day to try clock times on, until the data's own is known.
        let context = Context { last: Some(0), ..Context::default() };
        for mesh in &self.meshes {
            Expr::parse(mesh.get_ref(), &context)
                .map_err(|error| (mesh.span().start + 1 + error.at, error.message))?;
        }
        let quiet = self.quiet.iter().map(|(logger, level)| {
            let read = Severity::read(level.get_ref().as_bytes()).map(Severity::level);
            let wrong = || (level.span().start + 1, format!("`{}` is no level", level.get_ref()));
            Ok((logger.clone(), read.ok_or_else(wrong)?))
        });
        let quiet: Result<Vec<_>, _> = quiet.collect();
        if self.meshes.is_empty() && self.quiet.is_empty() {
            return Err((
                self.name.span().start,
                "a sieve needs meshes = […] or quiet = {…}".into(),
            ));
        }
        Ok(Kept {
            name: self.name.get_ref().clone(),
            meshes: self.meshes.iter().map(|mesh| mesh.get_ref().clone()).collect(),
            quiet: quiet?,
            columns: self.columns.clone(),
            strip: self.strip,
            file,
        })
    }
}

impl Kept {
    /// The sieve, with clock times on the day that the context says. What does not fit is left out.
    pub(crate) fn sieve(&self, context: &Context) -> Sieve {
        let mut sieve = Sieve::default();
        for expr in self.meshes.iter().filter_map(|text| Expr::parse(text, context).ok()) {
            sieve.add(expr);
        }
        for (logger, level) in &self.quiet {
            sieve.quieten(logger, *level);
        }
        sieve
    }

    /// What of a sieve can be kept; `clean` hides the secrets in a text.
    pub(crate) fn of(
        name: &str,
        sieve: &Sieve,
        clean: impl Fn(&str) -> String,
        columns: Vec<String>,
        file: PathBuf,
    ) -> Self {
        let (meshes, quiet) = (Vec::new(), Vec::new());
        let name = name.to_owned();
        let mut kept = Self { name, meshes, quiet, columns, strip: false, file };
        for mesh in sieve.meshes.iter().filter(|mesh| mesh.on) {
            match (&mesh.kind, mesh.expr()) {
                (Kind::Quiet { logger, level }, _) => kept.quiet.push((logger.clone(), *level)),
                (Kind::Around { .. } | Kind::Swept(_), _) | (_, None) => {}
                (_, Some(expr)) => kept.meshes.push(clean(&expr.lasting().to_string())),
            }
        }
        kept
    }

    /// Whether there is nothing in it.
    pub(crate) fn is_empty(&self) -> bool {
        self.meshes.is_empty() && self.quiet.is_empty()
    }

    /// The meshes in one line.
    pub(crate) fn summary(&self) -> String {
        let quiet =
            self.quiet.iter().map(|(logger, level)| format!("{logger} quiet below {level}"));
        self.meshes.iter().cloned().chain(quiet).collect::<Vec<_>>().join("   ")
    }
}
