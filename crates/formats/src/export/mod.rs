//! Metadata in other formats, for programs that don't read the manifest.
//!
//! [`ExportSource`] is what is exported: a manifest, its pages, and what follows from both ([`FrameGeometry`], [`ClipTimeline`]). Each
//! format makes files of it: [`csv()`], [`css()`], [`svg()`], [`gltf()`], [`render()`] for the user's own templates. [`stage_files`] puts
//! them in place. Nothing here changes a manifest or a page.

mod css;
mod csv;
mod gltf;
mod idents;
mod metrics;
mod subject;
mod svg;
mod template;

use std::path::{Path, PathBuf};

use crate::decode::is_image;
use crate::store::seal::is_intact;
use crate::store::{Transaction, Written};
use crate::{FileError, WriteProblem};

pub use css::css;
pub use csv::{csv, steps_beside as csv_steps_beside};
pub use gltf::{Container, Gltf, gltf};
pub use metrics::{ClipTimeline, FrameGeometry, PlayedStep};
pub use subject::{ExportSource, PageImage};
pub use svg::svg;
pub use template::{BUILTIN_TEMPLATES, BuiltinTemplate, TemplateError, render};

/// Why something can't be exported to a format.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum ExportError {
    /// Two things would have one name.
    #[error("{first} and {second} would both be called '{name}' in {format}")]
    Clash {
        /// The name.
        name: String,
        /// Whose it is, as a person says it: "frame 'koi:koi-00'".
        first: String,
        /// Whose it would be, too.
        second: String,
        /// The format.
        format: &'static str,
    },
    /// Frames that are rotated where nothing can rotate them back.
    #[error("frame '{frame}' is rotated on its page, and {format} can't rotate it back")]
    Rotated {
        /// The frame.
        frame: String,
        /// The format.
        format: &'static str,
    },
    /// Steps too short to be distinguished.
    #[error("clip '{clip}': steps {step} and {next} start at the same time when rounded to 32 bits")]
    SameTime {
        /// The clip.
        clip: String,
        /// A step from 0.
        step: usize,
        /// The next one.
        next: usize,
    },
    /// A page in a form that the format does not know.
    #[error("page '{page}' can't be used in {format}: {what}")]
    Page {
        /// Its file.
        page: String,
        /// What it is.
        what: &'static str,
        /// The format.
        format: &'static str,
    },
    /// A picture that can't be encoded.
    #[error("{0}")]
    Encode(String),
}

/// A file about to be written.
#[derive(Clone, Debug)]
pub struct File {
    /// Where.
    pub path: PathBuf,
    /// Its bytes.
    pub bytes: Vec<u8>,
}

impl File {
    fn new(path: impl Into<PathBuf>, bytes: impl Into<Vec<u8>>) -> Self {
        Self { path: path.into(), bytes: bytes.into() }
    }
}

/// Endings that say what a file is; `.txt` or `.scss` leave it open.
const FORMAT_EXTENSIONS: [&str; 7] = ["json", "html", "csv", "css", "svg", "gltf", "glb"];

/// Refuses a name that says another format than the one that is written. It distinguishes the two of glTF.
///
/// # Errors
/// If it does.
pub fn check_extension(path: &Path, own: &str) -> Result<(), FileError> {
    let typed = path.extension().unwrap_or_default().to_string_lossy().to_lowercase();
    let is_other =
        is_image(path) || FORMAT_EXTENSIONS.contains(&typed.as_str()) || matches!(own, "gltf" | "glb");
    if typed == own || !is_other {
        return Ok(());
    }
    let not = if typed.is_empty() { String::new() } else { format!(", not '.{typed}'") };
    let text = format!("the file name for this export must end in .{own}{not}");
    Err(FileError::write(path, WriteProblem::Format(text)))
}

/// Stages files, all or none; the first is the one the user asked for. They are in place after [`Transaction::commit`].
///
/// # Errors
/// If one can't be written.
pub fn stage_files(files: &[File], run: &Transaction) -> Result<Written, FileError> {
    let Some((main, others)) = files.split_first() else { return Ok(Written::default()) };
    for file in files {
        run.approve_unchanged(&file.path, &file.bytes);
        if !is_intact(&file.bytes) {
            run.approve_declared(&file.path, &main.path);
        }
    }
    // The main file goes last: it says what the others are.
    let ordered: Vec<&File> = others.iter().chain([main]).collect();
    let targets: Vec<PathBuf> = ordered.iter().map(|file| file.path.clone()).collect();
    let batch = run.plan(&targets, &[])?;
    ordered.iter().enumerate().try_for_each(|(index, file)| batch.stage(index, &file.bytes))?;
    let files = files.iter().map(|file| file.path.clone()).collect();
    Ok(Written { files, ..batch.written() })
}

/// A path beside another: `pond.css` and `-clips.csv` make `pond-clips.csv`.
fn sibling_path(path: &Path, ending: &str) -> PathBuf {
    let stem = path.file_stem().unwrap_or_default().to_string_lossy().into_owned();
    path.with_file_name(stem + ending)
}

#[cfg(test)]
mod sample;
#[cfg(test)]
mod tests;
