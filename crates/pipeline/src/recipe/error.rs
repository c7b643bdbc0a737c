//! What is wrong with a recipe, as values with a place in its text. What to type instead is the program's to say.

use std::fmt;
use std::io;
use std::path::PathBuf;
use std::sync::Arc;

use shibori_formats::DisplaySlashed;

use crate::options::OptionConflict;
use crate::recipe::text::{Location, RecipeText, Span};

/// Something wrong with a recipe.
#[derive(Clone, Debug)]
pub struct RecipeError {
    /// The recipe, as it was named.
    pub file: PathBuf,
    /// Where it is wrong, unless it can't be read at all.
    pub mark: Option<Box<Location>>,
    /// What is wrong.
    pub fault: Box<RecipeErrorKind>,
}

/// What is wrong with a recipe.
#[derive(Clone, Debug, thiserror::Error)]
#[non_exhaustive]
pub enum RecipeErrorKind {
    /// It is not there.
    #[error("no such file")]
    Missing,
    /// A folder without a recipe in it.
    #[error("is a folder with no shibori.toml in it")]
    Folder,
    /// The system does not give it.
    #[error("{0}")]
    Unreadable(#[source] Arc<io::Error>),
    /// It is text of another encoding, or no text.
    #[error("is {0}; a recipe must be UTF-8 text")]
    NotText(&'static str),
    /// It is not TOML.
    #[error("{0}")]
    Syntax(String),
    /// Files that include each other.
    #[error("these files include each other: {}", join_paths(files))]
    IncludeCycle {
        /// The files, the first once more at the end.
        files: Vec<PathBuf>,
    },
    /// It names nothing to make.
    #[error("has no sprites or atlases, so there is nothing to build")]
    Nothing,
    /// A key that is not known there.
    #[error("unknown key '{key}'")]
    UnknownKey {
        /// The key.
        key: String,
        /// The nearest one that is known there.
        nearest: Option<&'static str>,
        /// The table inside this one in which it would be known.
        home: Option<&'static str>,
        /// All that are known there.
        known: Vec<&'static str>,
    },
    /// A value that can't be.
    #[error("{key}: {why}")]
    Value {
        /// The key.
        key: String,
        /// Why.
        why: String,
    },
    /// Something of another kind.
    #[error("{key} must be {wanted}, not {found}")]
    Kind {
        /// The key.
        key: String,
        /// What it should be.
        wanted: &'static str,
        /// What it is.
        found: &'static str,
    },
    /// A key that must be there.
    #[error("{of} needs {key}")]
    Needs {
        /// What needs it.
        of: String,
        /// The key.
        key: &'static str,
    },
    /// Options that make no sense together.
    #[error(transparent)]
    Options(#[from] OptionConflict),
    /// Two keys that say the same.
    #[error("{first} and {second} both define {what}")]
    Both {
        /// One.
        first: &'static str,
        /// The other.
        second: &'static str,
        /// What they say.
        what: &'static str,
    },
    /// A name that no sprite of the recipe has.
    #[error("there is no sprite '{name}' in this recipe")]
    UnknownSprite {
        /// The name or pattern.
        name: String,
        /// The nearest one there is.
        nearest: Option<String>,
        /// All there are.
        known: Vec<String>,
    },
    /// A source that is not there.
    #[error("{}: no such file or folder", path.display_slashed())]
    NoSource {
        /// The path as it was written.
        path: PathBuf,
        /// The nearest name that is there.
        nearest: Option<String>,
    },
    /// A template that is neither a file nor one that comes with shibori.
    #[error("there is no template '{template}'")]
    UnknownTemplate {
        /// What was asked for.
        template: String,
        /// The one that may be meant.
        nearest: Option<String>,
        /// Those that come with shibori.
        known: Vec<String>,
    },
    /// A pattern that fits no file.
    #[error("no file matches '{pattern}'")]
    NoMatch {
        /// The pattern.
        pattern: String,
    },
    /// A pattern that can't be one.
    #[error("'{pattern}': {why}")]
    Pattern {
        /// The pattern.
        pattern: String,
        /// Why.
        why: String,
    },
    /// A name with a star, and sources that do not fill it.
    #[error("'{name}' contains a *, so its from must be a single pattern with a matching *")]
    Star {
        /// The name.
        name: String,
    },
    /// A table for one sprite of a pattern that finds no such sprite.
    #[error("the pattern '{pattern}' finds no sprite '{name}', and no 'from' says where it comes from")]
    NotInPattern {
        /// The sprite.
        name: String,
        /// The name with a star.
        pattern: String,
    },
    /// A table of an atlas that is not there.
    #[error("there is no atlas '{name}'")]
    UnknownAtlas {
        /// The name.
        name: String,
        /// The atlas that may be meant.
        nearest: String,
    },
    /// Two atlases of one name.
    #[error("two atlases would be called '{name}'")]
    TwoAtlases {
        /// The name.
        name: String,
    },
    /// Two sprites of one name.
    #[error("two sprites would be called '{name}': {} and {}", first.display_slashed(), second.display_slashed())]
    TwoSprites {
        /// The name.
        name: String,
        /// A file of the first one.
        first: PathBuf,
        /// A file of the other one.
        second: PathBuf,
    },
    /// One set for all sprites of a pattern.
    #[error("all sprites of '{name}' would go into one set, {}", set.display_slashed())]
    SharedSet {
        /// The pattern of their names.
        name: String,
        /// The set's folder, as it was written.
        set: PathBuf,
    },
    /// Two outputs of one path.
    #[error("{} would be written twice, by {first} and {second}", path.display_slashed())]
    TwoOutputs {
        /// The path from the recipe's folder.
        path: PathBuf,
        /// The step that writes it first.
        first: String,
        /// The other one.
        second: String,
    },
    /// Steps that wait for each other.
    #[error("these targets depend on each other: {}", steps.join(" -> "))]
    Cycle {
        /// The steps, the first once more at the end.
        steps: Vec<String>,
    },
    /// An output that would be read as a source by the next build.
    #[error("the output {} would also match the sources {}", output.display_slashed(), sources.display_slashed())]
    OutputInSource {
        /// The output from the recipe's folder.
        output: PathBuf,
        /// The folder or pattern that takes it in.
        sources: PathBuf,
    },
    /// A pattern or a link that leads out of the project.
    #[error("{} is outside the project", path.display_slashed())]
    Outside {
        /// The path.
        path: PathBuf,
    },
    /// No step of that name.
    #[error("there is no target '{name}'")]
    UnknownStep {
        /// The name.
        name: String,
        /// The nearest one there is.
        nearest: Option<String>,
        /// All there are.
        known: Vec<String>,
    },
}

impl RecipeError {
    /// Something wrong at a place.
    pub(crate) fn at(text: &RecipeText, span: &Span, fault: impl Into<RecipeErrorKind>) -> Self {
        Self {
            file: text.file_of(span).to_owned(),
            mark: Some(Box::new(text.mark(span))),
            fault: Box::new(fault.into()),
        }
    }

    /// Something wrong with the whole.
    pub(crate) fn for_file(file: impl Into<PathBuf>, fault: RecipeErrorKind) -> Self {
        Self { file: file.into(), mark: None, fault: Box::new(fault) }
    }
}

impl fmt::Display for RecipeError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match &self.mark {
            Some(mark) => write!(f, "{}:{mark}: {}", self.file.display_slashed(), self.fault),
            None => write!(f, "{}: {}", self.file.display_slashed(), self.fault),
        }
    }
}

impl std::error::Error for RecipeError {
    fn source(&self) -> Option<&(dyn std::error::Error + 'static)> {
        Some(&*self.fault)
    }
}

fn join_paths(files: &[PathBuf]) -> String {
    files.iter().map(|file| file.display_slashed().to_string()).collect::<Vec<_>>().join(" -> ")
}
