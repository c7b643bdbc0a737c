//! Commands that are proposed: each a verb with its options structs, written as the words to type.

use std::path::{Path, PathBuf};

use shibori_formats::DisplaySlashed;

use crate::options::{AdjustOptions, ClipCommand, GridPreviewOptions, SliceOptions, command_words};
use crate::steps::AdjustTarget;

/// A command with its options, ready to be typed.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub enum CommandLine {
    /// `slice`.
    Slice {
        /// What is cut.
        source: PathBuf,
        /// How.
        options: Box<SliceOptions>,
        /// The set that is written, if it isn't the usual one.
        output: Option<PathBuf>,
    },
    /// `unpack`.
    Unpack {
        /// The atlas.
        manifest: PathBuf,
        /// The set that is written.
        output: PathBuf,
    },
    /// `adjust`.
    Adjust {
        /// The frames.
        source: PathBuf,
        /// What is changed.
        options: Box<AdjustOptions>,
        /// Where they go.
        target: AdjustTarget,
    },
    /// `clip`.
    Clip {
        /// The set or the atlas.
        manifest: PathBuf,
        /// What is changed.
        options: Box<ClipCommand>,
    },
    /// `preview grid`.
    PreviewGrid {
        /// The sheet.
        sheet: PathBuf,
        /// The grid.
        options: Box<GridPreviewOptions>,
        /// The image.
        output: PathBuf,
    },
}

impl CommandLine {
    /// The words behind `shibori`, each to be quoted for the shell.
    pub fn words(&self) -> Vec<String> {
        let mut words = Words(Vec::new());
        match self {
            Self::Slice { source, options, output } => {
                words.verb("slice").path(source).options(options.as_ref());
                if let Some(output) = output {
                    words.output(output);
                }
            }
            Self::Unpack { manifest, output } => {
                words.verb("unpack").path(manifest).output(output);
            }
            Self::Adjust { source, options, target } => {
                words.verb("adjust").path(source);
                match target {
                    AdjustTarget::InPlace => words.verb("--in-place"),
                    AdjustTarget::Set(folder) => words.output(folder),
                };
                words.options(options.as_ref());
            }
            Self::Clip { manifest, options } => {
                words.verb("clip").path(manifest);
                let mut rest = options.as_ref().clone();
                words.0.extend(rest.clips.clip.drain(..).map(|spec| spec.to_string()));
                words.options(&rest);
            }
            Self::PreviewGrid { sheet, options, output } => {
                words.verb("preview").verb("grid").path(sheet).options(options.as_ref()).output(output);
            }
        }
        words.0
    }
}

impl std::fmt::Display for CommandLine {
    /// The words with spaces between them, unquoted: a program quotes them for the shell.
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "shibori {}", self.words().join(" "))
    }
}

impl serde::Serialize for CommandLine {
    fn serialize<S: serde::Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
        self.words().serialize(to)
    }
}

struct Words(Vec<String>);

impl Words {
    fn verb(&mut self, verb: &str) -> &mut Self {
        self.0.push(verb.to_owned());
        self
    }

    /// A path that begins like an option is named with its folder.
    fn path(&mut self, path: &Path) -> &mut Self {
        let text = path.display_slashed().to_string();
        self.0.push(if text.starts_with('-') && text != "-" { format!("./{text}") } else { text });
        self
    }

    fn options(&mut self, options: &impl serde::Serialize) -> &mut Self {
        self.0.extend(command_words(options));
        self
    }

    fn output(&mut self, path: &Path) -> &mut Self {
        self.0.push("-o".to_owned());
        self.path(path)
    }
}
