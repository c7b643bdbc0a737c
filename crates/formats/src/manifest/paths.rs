//! Pages are named by paths relative to the manifest, with `/`, that never leave its folder.

use std::path::{Component, Path, PathBuf};

use crate::manifest::{Manifest, PageEntry};
use crate::{FileError, ReadProblem};

/// The images of a page as its manifest names them: its own, then those of its companions.
pub(crate) fn images_of_page(page: &PageEntry) -> impl Iterator<Item = &String> {
    std::iter::once(&page.file).chain(page.companions.values())
}

/// Where the pages of a manifest lie.
pub(crate) fn page_files(path: &Path, manifest: &Manifest) -> Result<Vec<PathBuf>, FileError> {
    let folder = path.parent().unwrap_or(Path::new(""));
    let files = manifest.pages.iter().map(|page| page_path(folder, &page.file));
    files.collect::<Result<Vec<_>, _>>().map_err(|problem| FileError::read(path, problem))
}

/// The page a manifest in `folder` names.
///
/// # Errors
/// If the path is absolute, climbs out with `..`, is written with `\` or a drive letter, or leads out
/// of the folder through a link.
pub(crate) fn page_path(folder: &Path, named: &str) -> Result<PathBuf, ReadProblem> {
    let outside = || ReadProblem::PathOutside(named.to_owned());
    let relative = Path::new(named);
    let is_plain = |part: Component<'_>| matches!(part, Component::Normal(_));
    if named.is_empty() || named.contains(['\\', ':', '\0']) || !relative.components().all(is_plain) {
        return Err(outside());
    }
    let path = folder.join(relative);
    // What is not there can't lead anywhere; it is missed when it is read.
    if let (Ok(real), Ok(home)) = (path.canonicalize(), real_folder(folder).canonicalize())
        && !real.starts_with(home)
    {
        return Err(outside());
    }
    Ok(path)
}

/// A manifest named without a folder is in the current one.
fn real_folder(folder: &Path) -> &Path {
    if folder.as_os_str().is_empty() { Path::new(".") } else { folder }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn paths_that_could_lead_out_are_refused() {
        for good in ["pond.png", "koi/koi-00.png", "a b/ü.png"] {
            assert_eq!(page_path(Path::new("x"), good).unwrap(), Path::new("x").join(good));
        }
        for bad in
            ["", "../pond.png", "a/../../pond.png", "/etc/pond.png", "a\\..\\b.png", "c:pond.png", "./a.png"]
        {
            assert!(page_path(Path::new("x"), bad).is_err(), "{bad:?}");
        }
    }
}
