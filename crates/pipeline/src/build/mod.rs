//! Doing a recipe: everything once, and from then on only what changed.
//!
//! [`Graph`] says what is made of what. [`Build`] compares it with what earlier builds did, and does what is stale: frames
//! of sprites are handed over in memory, sprites and atlases that do not need each other are done at the same time,
//! the largest first. What belongs together, an atlas with its exports and pictures, is put in place together or not
//! at all. Whatever stops a build, even between two files, the next one comes to what a build from nothing would come
//! to.
//!
//! Nothing here prints; a [`BuildObserver`] hears what happens.

mod cache_keys;
mod check;
mod depfile;
mod edit;
mod execution;
mod graph;
mod ledger;
mod locations;
mod producers;
mod recipe_sprite;
mod run;
mod schedule;
mod sources;
mod status;
mod watch;

use std::collections::BTreeSet;
use std::fmt;
use std::path::{Path, PathBuf};

use serde_json::Value;
pub use shibori_formats::store::Digest;

use shibori_core::Name;
use shibori_core::wording::count_noun;

use crate::options::RunOptions;
use crate::recipe::Recipe;
use crate::steps::{CheckReport, View};
use crate::{Error, NoopObserver, Notice};

pub use check::{RecipeFinding, RecipeObservation};
pub use edit::RecipeEdit;
pub use graph::Graph;
pub use ledger::LedgerProblem;
pub use recipe_sprite::RecipeSprite;
pub use run::Outcome;
pub use status::{StaleReason, TargetStatus};
pub use watch::{ChangedFiles, Unwatched, Watch};

/// Receives the events of a build. Methods may be called from any thread; the defaults ignore events and notices.
pub trait BuildObserver: Sync {
    /// Something happened.
    fn event(&self, event: BuildEvent<'_>) {
        let _ = event;
    }

    /// There is something to know of a step or a sprite.
    fn notice(&self, of: &str, notice: Notice) {
        let _ = (of, notice);
    }

    /// Describes findings, for pages that show them. The default uses plain words.
    fn findings(&self, checked: &CheckReport) -> Value {
        checked.describe()
    }
}

impl BuildObserver for NoopObserver {}

/// What happens in a build.
#[derive(Debug, serde::Serialize)]
#[serde(rename_all = "kebab-case", rename_all_fields = "snake_case")]
#[non_exhaustive]
pub enum BuildEvent<'a> {
    /// Another build by the same recipe runs; this one waits for it.
    Waiting,
    /// Something about the folder in which is kept what was done.
    Trouble(&'a LedgerProblem),
    /// So many steps are stale, of this many.
    Begins {
        /// Steps that are to be done.
        stale: usize,
        /// All steps.
        steps: usize,
    },
    /// The frames of a sprite are about to be made, or a step is about to be done.
    Starts {
        /// The sprite's or the step's name.
        name: &'a str,
    },
    /// The frames of a sprite are there.
    Framed {
        /// The sprite.
        name: &'a str,
    },
    /// The work of a step is done; its outputs are not in place yet.
    Worked {
        /// The step.
        name: &'a str,
    },
    /// A step's outputs are in place.
    Done {
        /// The step.
        name: &'a str,
        /// Why it was stale.
        why: &'a StaleReason,
        /// The sprites whose frames were made for it.
        sprites: Vec<&'a str>,
        /// What it writes, from the recipe's folder.
        outputs: &'a [PathBuf],
    },
    /// A step was as it should be.
    Kept {
        /// The step.
        name: &'a str,
        /// What it wrote, from the recipe's folder.
        outputs: &'a [PathBuf],
    },
    /// A step can't be done.
    Failed {
        /// The step, or the sprite.
        name: &'a str,
        /// Its place in the recipe: of several the first one speaks for the build.
        place: usize,
        /// Why.
        #[serde(serialize_with = "as_text")]
        error: Error,
    },
    /// A step was not done, since another failed.
    Skipped {
        /// The step.
        name: &'a str,
        /// The other one.
        because: &'a str,
    },
    /// Outputs of steps that are gone were taken away.
    Removed {
        /// The files, from the recipe's folder.
        files: &'a [PathBuf],
        /// Files that stay, since they were changed by somebody.
        left: &'a [PathBuf],
    },
}

impl fmt::Display for BuildEvent<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let count = |files: &[PathBuf]| count_noun(files.len(), "file");
        match self {
            Self::Waiting => f.write_str("another build of this recipe is running; waiting for it"),
            Self::Trouble(problem) => problem.fmt(f),
            Self::Begins { stale, steps } => write!(f, "{stale} of {} to do", count_noun(*steps, "target")),
            Self::Starts { name } => write!(f, "{name}: started"),
            Self::Framed { name } => write!(f, "{name}: frames are ready"),
            Self::Worked { name } => write!(f, "{name}: made"),
            Self::Done { name, why, outputs, .. } => write!(f, "{name}: {} in place ({why})", count(outputs)),
            Self::Kept { name, .. } => write!(f, "{name}: up to date"),
            Self::Failed { name, error, .. } => write!(f, "{name}: {error}"),
            Self::Skipped { name, because } => write!(f, "{name}: skipped: {because} failed"),
            Self::Removed { files, left } => {
                write!(f, "removed {}; left {} that were edited by hand", count(files), left.len())
            }
        }
    }
}

fn as_text<S: serde::Serializer>(error: &Error, to: S) -> Result<S::Ok, S::Error> {
    to.collect_str(error)
}

/// A recipe that is to be done.
#[derive(Debug)]
pub struct Build {
    graph: Graph,
    run: RunOptions,
    /// Records are kept in `.shibori` beside this path.
    records: PathBuf,
}

/// Which recipe is to be done, and where its outputs and records go.
#[derive(Clone, Debug)]
#[must_use = "nothing is read before open()"]
pub struct BuildSetup {
    recipe: PathBuf,
    out_dir: Option<PathBuf>,
    state_dir: Option<PathBuf>,
    run: RunOptions,
}

impl BuildSetup {
    /// Writes outputs to this folder instead of the recipe's.
    pub fn out_dir(self, folder: impl Into<PathBuf>) -> Self {
        Self { out_dir: Some(folder.into()), ..self }
    }

    /// Keeps records and cached frames in `.shibori` in this folder instead of the recipe's.
    pub fn state_dir(self, folder: impl Into<PathBuf>) -> Self {
        Self { state_dir: Some(folder.into()), ..self }
    }

    /// Limits, and what may be replaced.
    pub fn options(self, run: RunOptions) -> Self {
        Self { run, ..self }
    }

    /// Reads the recipe and finds its sources.
    ///
    /// # Errors
    /// If something is wrong with it.
    pub fn open(self) -> Result<Build, Error> {
        let mut recipe = Recipe::read(&self.recipe)?;
        if let Some(folder) = self.out_dir {
            // Paths of outputs begin at the recipe.
            recipe.out.value = std::path::absolute(&folder).unwrap_or(folder);
        }
        let file = recipe.text.file().to_owned();
        let records = match &self.state_dir {
            Some(folder) => folder.join(file.file_name().unwrap_or_default()),
            None => file,
        };
        Ok(Build { graph: Graph::of(recipe)?, run: self.run, records })
    }
}

/// A target, or a sprite's frames, that failed.
#[derive(Clone, Debug, thiserror::Error)]
#[error("{name}: {error}")]
pub struct TargetError {
    /// Its name.
    pub name: String,
    /// Why.
    #[source]
    pub error: Error,
}

/// A build in which something failed.
#[derive(Clone, Debug, thiserror::Error)]
#[error("{}", list_errors(errors))]
pub struct BuildError {
    /// What failed, in the recipe's order; at least one.
    pub errors: Vec<TargetError>,
    /// What was done anyway.
    pub outcome: Outcome,
}

fn list_errors(errors: &[TargetError]) -> String {
    errors.iter().map(ToString::to_string).collect::<Vec<_>>().join("\n")
}

/// A step as tools want to know it.
#[derive(Clone, Debug)]
pub struct TargetInfo {
    /// Its name.
    pub name: String,
    /// Files that it reads, from the recipe's folder.
    pub inputs: Vec<PathBuf>,
    /// Files that it writes, from the recipe's folder.
    pub outputs: Vec<PathBuf>,
    /// What it is made of, as a hash.
    pub digest: Digest,
}

impl Build {
    /// A build of a recipe. By default, outputs and records go where the recipe puts them.
    ///
    /// In a Cargo build script, both go to `OUT_DIR`:
    ///
    /// ```no_run
    /// # use std::{env, error::Error, path::PathBuf};
    /// use shibori_pipeline::NoopObserver;
    /// use shibori_pipeline::build::Build;
    ///
    /// fn main() -> Result<(), Box<dyn Error>> {
    ///     let out = PathBuf::from(env::var_os("OUT_DIR").ok_or("cargo sets OUT_DIR")?);
    ///     let build = Build::of("art/shibori.toml").out_dir(&out).state_dir(&out).open()?;
    ///     for path in build.rerun_paths() {
    ///         println!("cargo::rerun-if-changed={}", path.display());
    ///     }
    ///     build.run(None, &NoopObserver)?;
    ///     Ok(())
    /// }
    /// ```
    pub fn of(recipe: impl Into<PathBuf>) -> BuildSetup {
        let (out_dir, state_dir, run) = (None, None, RunOptions::default());
        BuildSetup { recipe: recipe.into(), out_dir, state_dir, run }
    }

    /// Reads a recipe and finds its sources.
    ///
    /// # Errors
    /// If something is wrong with it.
    pub fn open(recipe: &Path, run: &RunOptions) -> Result<Self, Error> {
        Self::of(recipe).options(run.clone()).open()
    }

    /// Every file and folder whose change calls for another build: the recipe and its includes, sources, templates, and the folders
    /// where a new file would become a source. Relative to the current folder if the recipe's path is.
    pub fn rerun_paths(&self) -> Vec<PathBuf> {
        let paths = self.all_files().into_iter().chain(self.source_folders());
        let paths: BTreeSet<PathBuf> = paths.map(|path| self.graph.base.join(path)).collect();
        paths.into_iter().collect()
    }

    /// Whether the recipe's files still hold what was read.
    pub fn is_current(&self) -> bool {
        self.graph.recipe.is_current()
    }

    /// What is made of what.
    pub fn graph(&self) -> &Graph {
        &self.graph
    }

    /// The recipe's folder; paths of steps begin there.
    pub fn base(&self) -> &Path {
        &self.graph.base
    }

    /// The whole name of the target that a person means.
    ///
    /// # Errors
    /// If there is none.
    pub fn target_named(&self, name: &str) -> Result<&str, crate::recipe::RecipeError> {
        Ok(&self.graph.steps[self.graph.find_target(name)?].name)
    }

    /// The folder of all outputs, from the recipe's.
    pub fn out(&self) -> PathBuf {
        self.graph.out()
    }

    /// Every file that is read, from the recipe's folder.
    pub fn all_files(&self) -> Vec<PathBuf> {
        let of_steps = self.graph.steps.iter().flat_map(|step| &step.inputs);
        // A sprite that nothing uses yet is read, too, as soon as something does.
        let of_sprites = self.graph.figures.iter().flat_map(|figure| &figure.inputs);
        of_steps.chain(of_sprites).cloned().chain(self.recipe_files()).collect()
    }

    /// The recipe and the files that it includes, from the recipe's folder.
    pub fn recipe_files(&self) -> Vec<PathBuf> {
        let from_base = |file: &Path| file.strip_prefix(self.base()).unwrap_or(file).to_owned();
        self.graph.recipe.text.files().map(from_base).collect()
    }

    /// Folders in which a new file would be a source, from the recipe's folder.
    pub fn source_folders(&self) -> Vec<PathBuf> {
        let parts = self.graph.recipe.sprites.iter().flat_map(|sprite| &sprite.making.parts);
        let folder = |from: &str| match sources::is_pattern(from) {
            true => sources::plain_part(from),
            false => PathBuf::from(sources::unescape(from)),
        };
        let folders = parts.flat_map(|part| &part.from).map(|from| folder(&from.value));
        folders.filter(|folder| self.graph.base.join(folder).is_dir()).collect()
    }

    /// The light tables: of which sprite each is, and its file, from the recipe's folder.
    pub fn light_tables(&self) -> Vec<(&Name, &Path)> {
        let table = |step: &'_ graph::Target| match step.kind {
            graph::TargetKind::Preview { of: graph::TargetSource::Sprite(figure), at, .. } => {
                let preview = &self.graph.sprite(figure).previews[at];
                matches!(preview.view, View::LightTable(_)).then_some(figure)
            }
            _ => None,
        };
        let tables = self.graph.steps.iter().filter_map(|step| Some((table(step)?, step)));
        tables.map(|(figure, step)| (&self.graph.figures[figure].name, step.target.as_path())).collect()
    }

    /// Every file that builds by this recipe are known to have written, from the recipe's folder.
    pub fn all_outputs(&self) -> Vec<PathBuf> {
        let (record, _) = ledger::read_only(&self.records);
        let sure = (0..self.graph.steps.len()).flat_map(|at| self.graph.known_outputs(at));
        record.outputs().map(|(path, _)| path.to_owned()).chain(sure).collect()
    }

    fn recipe_file(&self) -> &Path {
        self.graph.recipe.text.file()
    }
}
