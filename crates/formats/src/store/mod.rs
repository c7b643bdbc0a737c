//! Files put in place: the ledger of what shibori wrote, and the one transaction that every output goes through.
//!
//! [`Transaction`] stages the files of a run and commits all of them or none, never over a file that is not ours
//! (`seal`, `ledger`). `staging` holds the bytes until then and finishes what a killed run left, by its
//! `journal`. [`FileStamp`] and [`Digest`] say whether a file is still what it was. Nothing here knows what a file
//! means: hand work in manifests is merged before it comes here.

mod build_log;
mod file_system;
mod fingerprint;
mod fingerprint_cache;
mod journal;
mod ledger;
mod names;
mod os_text;
pub(crate) mod seal;
mod staged_files;
mod staging;
mod transaction;
mod undo;

#[cfg(test)]
mod faults;

#[doc(hidden)]
pub use build_log::{BuildLog, is_log_locked, log_file};
pub use fingerprint::Digest;
#[doc(hidden)]
pub use fingerprint::{FileStamp, Fingerprint, nanoseconds};
#[doc(hidden)]
pub use fingerprint_cache::FingerprintCache;
pub(crate) use ledger::Ledger;
#[doc(hidden)]
pub use names::file_key;
pub(crate) use names::files_of;
#[doc(hidden)]
pub use os_text::{OsText, PathText};
pub use staged_files::StagedFiles;
#[doc(hidden)]
pub use staging::{Abandoned, discard, finish_interrupted};
pub(crate) use transaction::Existing;
pub use transaction::{Batch, Policy, Transaction, Written, on_wait};
pub use undo::{Undo, UndoLog};

/// Every file that the build of a recipe last wrote, of those with their records in a folder.
pub fn outputs_of_recipe(folder: &std::path::Path, recipe: &std::path::Path) -> Vec<std::path::PathBuf> {
    Ledger::files_of(folder, recipe, &file_system::OsFileSystem)
}

/// Every file that shibori last wrote, of those with their records in a folder, and whether a recipe's build did.
pub fn outputs_in(folder: &std::path::Path) -> std::collections::HashMap<std::path::PathBuf, bool> {
    Ledger::all_files_in(folder, &file_system::OsFileSystem)
}

/// The hidden folder in each folder that shibori writes to, and beside each recipe.
pub const HIDDEN_FOLDER: &str = ".shibori";
