//! What can go wrong with files, sorted by who must act: an input that can't be read, an output that
//! can't be written.

use std::io;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use crate::DisplaySlashed;
use crate::WouldLoseData;
use shibori_core::clip::ClipError;
use shibori_core::{FrameError, LONGEST, NameError, OverBudget, Rect, SetError, Size};

/// A file and what is wrong with it.
#[derive(Clone, Debug, thiserror::Error)]
pub enum FileError {
    /// An input can't be read.
    #[error("{}: {problem}", path.display_slashed())]
    Read {
        /// The input.
        path: PathBuf,
        /// What is wrong.
        #[source]
        problem: ReadProblem,
    },
    /// An output can't be written.
    #[error("{}: {problem}", path.display_slashed())]
    Write {
        /// The output.
        path: PathBuf,
        /// What is wrong.
        #[source]
        problem: WriteProblem,
    },
}

impl FileError {
    /// Whether all that is wrong is that a page is missing.
    pub fn is_page_missing(&self) -> bool {
        matches!(self, Self::Read { problem: ReadProblem::PageMissing(_), .. })
    }

    pub(crate) fn read(path: &Path, problem: impl Into<ReadProblem>) -> Self {
        Self::Read { path: path.to_owned(), problem: problem.into() }
    }

    /// A file that can't be written.
    pub fn write(path: &Path, problem: impl Into<WriteProblem>) -> Self {
        Self::Write { path: path.to_owned(), problem: problem.into() }
    }
}

/// What is wrong with an input.
#[derive(Clone, Debug, thiserror::Error)]
#[non_exhaustive]
pub enum ReadProblem {
    /// Nothing there.
    #[error("no such file or folder")]
    NotFound,
    /// A folder where a file is meant.
    #[error("is a folder, not a file")]
    IsFolder,
    /// The system says no.
    #[error("{0}")]
    Io(#[source] Arc<io::Error>),
    /// 0 bytes.
    #[error("the file is empty (0 bytes)")]
    Empty,
    /// Not a picture, whatever its name says.
    #[error("is not a supported image: {looks}")]
    NotAnImage {
        /// What its first bytes look like.
        looks: String,
    },
    /// The end is missing.
    #[error("the {format} ends early, after {bytes} bytes; the file is incomplete")]
    BrokenOff {
        /// The image format.
        format: &'static str,
        /// The file's length.
        bytes: usize,
        /// Whole frames before the break, of an animation.
        frames: usize,
    },
    /// Wrong inside.
    #[error("the {format} is damaged: {why}")]
    Damaged {
        /// The image format.
        format: &'static str,
        /// What the decoder says.
        why: String,
    },
    /// A picture longer than the limit.
    #[error("{size} px is more than {LONGEST} px on one side")]
    TooLong {
        /// Its size.
        size: Size,
    },
    /// A frame's canvas is larger than a picture may be.
    #[error("frame '{frame}' has a canvas of {size} px, {pixels} pixels; the limit is {limit}", pixels = size.area())]
    CanvasTooLarge {
        /// The frame.
        frame: String,
        /// Its canvas.
        size: Size,
        /// Pixels that a picture may have.
        limit: u64,
    },
    /// A picture of more pixels than allowed.
    #[error("{size} px has {pixels} pixels; the limit is {limit}", pixels = size.area())]
    TooLarge {
        /// The picture's size.
        size: Size,
        /// Pixels allowed.
        limit: u64,
    },
    /// A kind of file that is not read.
    #[error("{0}")]
    Unsupported(String),
    /// More memory than is left, with what it is needed for.
    #[error("{0}")]
    Memory(#[from] OverBudget),
    /// A folder without pictures.
    #[error("the folder contains no images")]
    NoImages,
    /// A list that is not what it should be.
    #[error("line {line}: {why}")]
    List {
        /// Line from 1.
        line: u64,
        /// What is wrong.
        why: String,
    },
    /// A box without a pixel.
    #[error("the box '{name}' of frame '{frame}' is empty: width and height must be at least 1")]
    EmptyBox {
        /// The frame.
        frame: String,
        /// The box.
        name: String,
    },
    /// Not JSON, or not what a manifest holds.
    #[error("line {line}, column {column}: {why}")]
    Json {
        /// Line from 1.
        line: usize,
        /// Column from 1.
        column: usize,
        /// What is wrong.
        why: String,
    },
    /// JSON, but no manifest.
    #[error("is not a shibori manifest: it has no \"format\" key")]
    NotAManifest,
    /// A manifest of another time.
    #[error("is a manifest in format \"{0}\"; this version reads \"{known}\"", known = crate::manifest::FORMAT)]
    UnknownFormat(String),
    /// A page that points out of the manifest's folder.
    #[error("page \"{0}\" is outside the manifest's folder")]
    PathOutside(String),
    /// A page that is not there.
    #[error("page \"{0}\" is missing")]
    PageMissing(String),
    /// A companion of another size than the page it belongs to.
    #[error("companion \"{companion}\" is {found} px, but the image it belongs to is {page} px")]
    CompanionSize {
        /// The companion.
        companion: String,
        /// Its size.
        found: Size,
        /// That of the page.
        page: Size,
    },
    /// A page of another size than the manifest says.
    #[error("page \"{page}\" is {found} px, but the manifest says {said} px")]
    PageSize {
        /// The page's file.
        page: String,
        /// The size in the manifest.
        said: Size,
        /// The image's size.
        found: Size,
    },
    /// A page that moves.
    #[error("page \"{0}\" is an animation; pages must be still images")]
    PageMoves(String),
    /// A frame on a page that is not listed.
    #[error("frame '{frame}' is on page {page}, but there are {count} pages (from 0)")]
    NoPage {
        /// The frame.
        frame: String,
        /// The page it names.
        page: usize,
        /// How many there are.
        count: usize,
    },
    /// A frame that extends beyond its page.
    #[error("frame '{frame}' at {rect} extends beyond its page of {page} px")]
    RectOutside {
        /// The frame.
        frame: String,
        /// Its rectangle.
        rect: Rect,
        /// The page's size.
        page: Size,
    },
    /// A frame that contradicts itself.
    #[error("frame '{frame}': {error}")]
    Frame {
        /// The frame.
        frame: String,
        /// What is wrong.
        #[source]
        error: FrameError,
    },
    /// A name that is none.
    #[error(transparent)]
    Name(#[from] NameError),
    /// Frames and clips that do not go together.
    #[error(transparent)]
    Set(#[from] SetError),
    /// A clip that can't play.
    #[error(transparent)]
    Clip(#[from] ClipError),
}

impl From<io::Error> for ReadProblem {
    fn from(error: io::Error) -> Self {
        match error.kind() {
            io::ErrorKind::NotFound => Self::NotFound,
            io::ErrorKind::IsADirectory => Self::IsFolder,
            _ => Self::Io(Arc::new(error)),
        }
    }
}

impl From<io::Error> for WriteProblem {
    fn from(error: io::Error) -> Self {
        Self::Io(Arc::new(error))
    }
}

/// What is wrong with an output.
#[derive(Clone, Debug, thiserror::Error)]
#[non_exhaustive]
pub enum WriteProblem {
    /// An atlas under the name of something else.
    #[error("an atlas is pages and a manifest, not a .{ending} file")]
    NotAnAtlas {
        /// The extension.
        ending: String,
    },
    /// Someone else's file, or one edited since.
    #[error("already exists, and was not written by shibori or has been edited since")]
    NotOurs,
    /// A manifest that can't be read any more, so nothing in it can be kept.
    #[error("can't be read as a manifest: {why}")]
    BrokenManifest {
        /// What is wrong with it.
        why: String,
    },
    /// A folder where the file should go.
    #[error("is a folder, not a file")]
    IsFolder,
    /// A sheet to draw on that is too long for the formats it is written in.
    #[error("the sheet would exceed {longest} px on one side")]
    TooLong {
        /// The longest side, in pixels.
        longest: u32,
    },
    /// A picture larger than its format can hold.
    #[error("{format} allows at most {longest} px per side; this is {size} px")]
    TooLarge {
        /// The format.
        format: &'static str,
        /// The longest side it can hold, in pixels.
        longest: u32,
        /// The picture.
        size: Size,
    },
    /// A file that another step of this run writes.
    #[error("is also written by another step of this run")]
    TwoSteps,
    /// A file that somebody changed between the check and the moment it was to be replaced.
    #[error("was changed during this run; nothing was written")]
    ChangedMeanwhile,
    /// Files in a folder or of a system that protects them.
    #[error("is read-only")]
    ReadOnly,
    /// A file that the recipe of another project writes.
    #[error("is written by another recipe, {}", recipe.display_slashed())]
    OtherRecipe {
        /// The recipe.
        recipe: PathBuf,
    },
    /// Hand work on something that the run changes too.
    #[error(
        "{}: {conflicts}",
        match has_base {
            true => "changed by hand and by this run",
            false => "was edited, and there is no record of what shibori wrote; it would change",
        }
    )]
    Conflict {
        /// What both changed.
        conflicts: WouldLoseData,
        /// Whether it is known what was written last.
        has_base: bool,
    },
    /// Hand work that has no place in what the run writes.
    #[error("can't keep what was done by hand: {lost}")]
    CannotKeep {
        /// What would be lost.
        lost: WouldLoseData,
    },
    /// A file that could not be moved into place after the run counted.
    #[error(
        "can't be replaced: {error}; {left} {} not in place yet; the next run that writes here will finish",
        if *left == 1 { "file is" } else { "files are" }
    )]
    Unfinished {
        /// How many files are not in place.
        left: usize,
        /// What the system says.
        #[source]
        error: Arc<io::Error>,
    },
    /// A manifest of another kind: a set where an atlas is to go, or an atlas where a set is.
    #[error("is a different kind of manifest, with {frames} frames")]
    OtherKind {
        /// How many frames it has.
        frames: usize,
    },
    /// A manifest of other sprites altogether.
    #[error("is the manifest of other sprites: {}", sprites.join(", "))]
    OtherSprites {
        /// Its sprites.
        sprites: Vec<String>,
    },
    /// A set whose images are not one a frame, so that it can't be changed in place.
    #[error("frame '{frame}' does not have its own image there")]
    NoOwnImage {
        /// The frame.
        frame: String,
    },
    /// A file that this very run reads.
    #[error("is a source of this run; sources are never overwritten")]
    IsSource,
    /// Two outputs would be one file on systems that ignore case, or how accents are spelled.
    #[error("would be written twice: '{first}' and '{second}' need the same file")]
    Twice {
        /// The first frame or page.
        first: String,
        /// The second.
        second: String,
    },
    /// A name that can't be a file's.
    #[error("'{name}' can't be a file name: {why}")]
    FileName {
        /// The name.
        name: String,
        /// Why not.
        why: &'static str,
    },
    /// A file or folder to be made under a name that fails on some system.
    #[error("'{name}' can't be a file or folder name: {why}")]
    NewName {
        /// The name.
        name: String,
        /// Why not.
        why: &'static str,
    },
    /// A format that can't hold it.
    #[error("{0}")]
    Format(String),
    /// More memory than is left.
    #[error("{0}")]
    Memory(#[from] OverBudget),
    /// The system says no.
    #[error("can't be written: {0}")]
    Io(#[source] Arc<io::Error>),
}
