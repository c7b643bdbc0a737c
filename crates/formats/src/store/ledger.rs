//! The ledger: what shibori last wrote in a folder, kept in the hidden folder `.shibori` there.
//!
//! Each manifest, export or picture has a file of its own in it, `pond.json.ledger`, with a digest of every file that was
//! written with it, and of a manifest the whole text: the base of a three-way merge. A ledger that is missing or can't be
//! understood only means that nothing is known; it can be deleted at any time.

use std::collections::HashMap;
use std::io;
use std::path::{Path, PathBuf};

use serde::{Deserialize, Serialize};

use crate::store::file_system::{FileSystem, read_if_there};
use crate::store::{Digest, HIDDEN_FOLDER, PathText};

/// The form of these files; one of another form is ignored.
const FORM: u32 = 1;
pub(super) const EXTENSION: &str = ".ledger";
/// File systems take names of 255 bytes.
const MAX_NAME: usize = 255;

/// What was last written together with one main file.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct Ledger {
    ledger: u32,
    /// The recipe that wrote it, from the folder; none if a single command did.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(super) recipe: Option<PathText>,
    pub(super) files: Vec<Entry>,
    /// The text of a manifest as it was written, before hand work was merged into it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(super) base: Option<String>,
}

/// One file.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct Entry {
    /// From the folder of the main file.
    pub(super) file: PathText,
    pub(crate) digest: Digest,
    /// Of a picture: a digest of its size and pixels, which saving it again without a change doesn't touch.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) pixels: Option<Digest>,
}

impl Ledger {
    pub(super) fn new(recipe: Option<PathText>, files: Vec<Entry>, base: Option<String>) -> Self {
        Self { ledger: FORM, recipe, files, base }
    }

    /// Where the ledger of a main file is.
    pub(super) fn path(unit: &Path) -> PathBuf {
        let name = unit.file_name().unwrap_or_default();
        let mut file = name.to_owned();
        if name.len() + EXTENSION.len() > MAX_NAME {
            file = Digest::of(name.as_encoded_bytes()).to_string().into();
        }
        file.push(EXTENSION);
        unit.with_file_name(HIDDEN_FOLDER).join(file)
    }

    /// The ledger of a main file, if there is one.
    ///
    /// # Errors
    /// If it is there and can't be read.
    pub(super) fn read(unit: &Path, disk: &dyn FileSystem) -> io::Result<Option<Self>> {
        Ok(read_if_there(disk, &Self::path(unit))?.and_then(|bytes| Self::parse(&bytes)))
    }

    /// Every ledger in a folder.
    ///
    /// # Errors
    /// If one can't be read.
    pub(super) fn read_all(folder: &Path, disk: &dyn FileSystem) -> io::Result<Vec<Self>> {
        let hidden = folder.join(HIDDEN_FOLDER);
        let names = disk.list(&hidden)?;
        let ledgers = names.iter().filter(|name| name.to_string_lossy().ends_with(EXTENSION));
        let read = ledgers.map(|name| read_if_there(disk, &hidden.join(name)));
        let read = read.collect::<io::Result<Vec<_>>>()?;
        Ok(read.into_iter().flatten().filter_map(|bytes| Self::parse(&bytes)).collect())
    }

    /// Every file in a folder that the build of a recipe last wrote.
    pub(super) fn files_of(folder: &Path, recipe: &Path, disk: &dyn FileSystem) -> Vec<PathBuf> {
        let real = |path: &Path| path.canonicalize().ok();
        // What can't be read is not known.
        let ledgers = Self::read_all(folder, disk).unwrap_or_default().into_iter();
        let is_own = |ledger: &Self| {
            ledger.recipe().is_some_and(|other| {
                real(&folder.join(other)).is_some_and(|other| real(recipe) == Some(other))
            })
        };
        let files = ledgers.filter(is_own).flat_map(|ledger| ledger.files);
        files.map(|entry| folder.join(PathBuf::from(entry.file))).collect()
    }

    /// Every file in a folder that shibori last wrote, and whether a recipe's build did.
    pub(super) fn all_files_in(folder: &Path, disk: &dyn FileSystem) -> HashMap<PathBuf, bool> {
        let ledgers = Self::read_all(folder, disk).unwrap_or_default().into_iter();
        let of_ledger = |ledger: Self| {
            let is_built = ledger.recipe().is_some();
            ledger.files.into_iter().map(move |entry| (folder.join(PathBuf::from(entry.file)), is_built))
        };
        ledgers.flat_map(of_ledger).collect()
    }

    fn parse(bytes: &[u8]) -> Option<Self> {
        serde_json::from_slice(bytes).ok().filter(|ledger: &Self| ledger.ledger == FORM)
    }

    pub(super) fn to_bytes(&self) -> Vec<u8> {
        let mut bytes = serde_json::to_vec(self).expect("a ledger is plain data");
        bytes.push(b'\n');
        bytes
    }

    /// What is known of a file, given from the folder of the main file.
    pub(crate) fn entry(&self, file: &Path) -> Option<&Entry> {
        self.files.iter().find(|entry| entry.file.to_path() == file)
    }

    /// The manifest as it was last written.
    pub(crate) fn base(&self) -> Option<&str> {
        self.base.as_deref()
    }

    /// The recipe that wrote it, from the folder.
    pub(crate) fn recipe(&self) -> Option<PathBuf> {
        self.recipe.as_ref().map(PathText::to_path)
    }
}
