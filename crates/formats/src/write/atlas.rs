//! An atlas: `pond.json` and its pages `pond.png`, `pond-1.png`, ...

use std::fs;
use std::path::{Path, PathBuf};

use rayon::prelude::*;
use shibori_core::pack::{Atlas, paint};

use crate::manifest;
use crate::write::{Outputs, Policy, Written, png};
use crate::{Error, WriteProblem};

/// An atlas ready to be written: its targets are checked.
#[derive(Debug)]
pub struct AtlasFiles {
    names: Vec<String>,
    targets: Vec<PathBuf>,
    outputs: Outputs,
}

/// Checks that an atlas of so many pages can be written to a path without ending.
pub fn atlas_files(path: &Path, pages: usize, policy: &Policy) -> Result<AtlasFiles, Error> {
    let Some(stem) = path.file_name().map(|name| name.to_string_lossy().into_owned()) else {
        return Err(Error::write(
            path,
            WriteProblem::Format("an atlas needs a name, such as build/pond".into()),
        ));
    };
    let folder = path.parent().unwrap_or(Path::new(""));
    let name = |page| page_name(&stem, page);
    let names: Vec<String> = (0..pages).map(name).collect();
    // The manifest goes last: while it is the old one, the old pages are still what it says.
    let targets: Vec<PathBuf> =
        names.iter().map(|name| folder.join(name)).chain([folder.join(format!("{stem}.json"))]).collect();
    let stale = left_behind(&targets, folder, &stem);
    let outputs = Outputs::plan(&targets, &stale, policy)?;
    Ok(AtlasFiles { names, targets, outputs })
}

fn page_name(stem: &str, page: usize) -> String {
    if page == 0 { format!("{stem}.png") } else { format!("{stem}-{page}.png") }
}

/// Pages of the atlas that stood here before and has more of them.
fn left_behind(targets: &[PathBuf], folder: &Path, stem: &str) -> Vec<PathBuf> {
    let old = targets.last().and_then(|path| fs::read(path).ok());
    let old = old.and_then(|bytes| manifest::parse(&bytes).ok());
    let pages = old.map_or(0, |old| old.pages.len());
    (targets.len() - 1..pages).map(|page| folder.join(page_name(stem, page))).collect()
}

/// Writes an atlas; gives what was written and the bytes of each page. `tick` is called once a page, from
/// any thread.
pub fn atlas(
    files: AtlasFiles,
    atlas: &Atlas,
    tick: impl Fn() + Sync,
) -> Result<(Written, Vec<usize>), Error> {
    let AtlasFiles { names, targets, outputs } = files;
    let write_page = |page: usize| {
        let bytes = png(&paint(atlas, page)).map_err(|problem| Error::write(&targets[page], problem))?;
        tick();
        outputs.stage(page, &bytes)?;
        Ok(bytes.len())
    };
    let sizes = (0..names.len()).into_par_iter().map(write_page).collect::<Result<Vec<_>, Error>>()?;
    let text = manifest::of_atlas(atlas, &names).to_text();
    outputs.stage(names.len(), text.as_bytes())?;
    Ok((outputs.commit()?, sizes))
}
