//! What a recipe's `from` means on a disk: files, folders and patterns of them, in natural order.

use std::collections::HashSet;
use std::ffi::OsString;
use std::path::{Component, Path, PathBuf};

use glob::{MatchOptions, Pattern};
use shibori_formats::DisplaySlashed;
use shibori_formats::decode::{is_image, manifest_images, manifest_of, names_in};
use shibori_formats::manifest::SET_FILE;

use crate::recipe::{RecipeErrorKind, closest_name};

/// Folders in folders in folders: deeper is a mistake, or a link that leads back.
const DEEPEST: usize = 16;

/// `*` stays within a name, and passes over no leading dot.
pub(super) const IN_NAMES: MatchOptions =
    MatchOptions { case_sensitive: true, require_literal_separator: true, require_literal_leading_dot: true };

/// A file or a folder that was found.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct SourceMatch {
    /// From the recipe's folder, or as it was written.
    pub(super) path: PathBuf,
    /// What the last `*` of the pattern stands for.
    pub(super) star: Option<String>,
}

/// Whether a text is a pattern. Signs in brackets, such as `[*]`, mean themselves.
pub(super) fn is_pattern(text: &str) -> bool {
    let mut rest = text;
    while let Some(at) = rest.find(['*', '?', '[']) {
        match escaped(&rest[at..]) {
            Some(sign) => rest = &rest[at + sign.len_utf8() + 2..],
            None => return true,
        }
    }
    false
}

/// The sign at the beginning of a text that is in brackets alone.
fn escaped(text: &str) -> Option<char> {
    let mut letters = text.chars();
    let (open, sign, close) = (letters.next()?, letters.next()?, letters.next()?);
    (open == '[' && close == ']' && sign != '!').then_some(sign)
}

/// A text that isn't a pattern as it is meant: without the brackets around signs.
pub(super) fn unescape(text: &str) -> String {
    let (mut plain, mut rest) = (String::new(), text);
    while let Some(letter) = rest.chars().next() {
        let sign = escaped(rest);
        plain.push(sign.unwrap_or(letter));
        rest = &rest[sign.map_or(letter.len_utf8(), |sign| sign.len_utf8() + 2)..];
    }
    plain
}

/// What a pattern or a path stands for; of a pattern that may be nothing.
pub(super) fn expand(base: &Path, text: &str) -> Result<Vec<SourceMatch>, RecipeErrorKind> {
    if !is_pattern(text) {
        let path = normalize(Path::new(&unescape(text)));
        return match base.join(&path).exists() {
            true => Ok(vec![SourceMatch { path, star: None }]),
            false => Err(RecipeErrorKind::NoSource { nearest: similar_path(base, &path), path }),
        };
    }
    if Path::new(text).components().any(|part| !matches!(part, Component::Normal(_) | Component::CurDir)) {
        return Err(RecipeErrorKind::Outside { path: PathBuf::from(text) });
    }
    let mut parts: Vec<&str> = text.split('/').filter(|part| !part.is_empty() && *part != ".").collect();
    if parts.last() == Some(&"**") {
        parts.push("*");
    }
    let wrong = |error: glob::PatternError| RecipeErrorKind::Pattern {
        pattern: text.to_owned(),
        why: error.msg.to_owned(),
    };
    for part in &parts {
        Pattern::new(part).map_err(wrong)?;
    }
    let mut found = Vec::new();
    walk(base, Path::new(""), &parts, None, 0, &mut found)?;
    Ok(without_twins(base, &found))
}

/// A path that need not be there, if a pattern stands for it.
pub(super) fn match_path(pattern: &str, path: &Path) -> Option<SourceMatch> {
    let pattern = slashed(&normalize(Path::new(pattern)));
    let is_match = Pattern::new(&pattern).is_ok_and(|all| all.matches_path_with(path, IN_NAMES));
    // What comes after a `**` is counted from the end.
    let parts = pattern.rsplit('/').take_while(|part| *part != "**");
    let names = path.iter().rev().map(|name| name.to_string_lossy());
    let star = parts.zip(names).find_map(|(part, name)| wildcard_match(part, &name));
    is_match.then(|| SourceMatch { path: path.to_owned(), star })
}

/// The part of a pattern that is a plain path.
pub(super) fn plain_part(text: &str) -> PathBuf {
    let parts = Path::new(text).iter().map(|part| part.to_string_lossy());
    parts.take_while(|part| !is_pattern(part)).map(|part| unescape(&part)).collect()
}

/// Each file once: a pattern may find a folder and the files in it. A set replaces its files; any other folder is replaced
/// by its files. Files that can't be sources are skipped.
fn without_twins(base: &Path, found: &[SourceMatch]) -> Vec<SourceMatch> {
    let is_folder: Vec<bool> = found.iter().map(|one| base.join(&one.path).is_dir()).collect();
    let is_set = |path: &Path| base.join(path).join(SET_FILE).is_file();
    let folders: HashSet<PathBuf> =
        found.iter().zip(&is_folder).filter(|(_, is)| **is).map(|(one, _)| one.path.clone()).collect();
    let has_inner: HashSet<&Path> = found
        .iter()
        .flat_map(|one| one.path.ancestors().skip(1))
        .filter(|path| folders.contains(*path))
        .collect();
    let mut seen = HashSet::new();
    let is_wanted = |(one, is_folder): &(&SourceMatch, &bool)| {
        let in_set = one.path.ancestors().skip(1).any(|above| folders.contains(above) && is_set(above));
        let is_source = match **is_folder {
            true => is_set(&one.path) || !has_inner.contains(one.path.as_path()),
            false => is_image(&one.path) || one.path.extension().is_some_and(|ending| ending == "json"),
        };
        is_source && !in_set && seen.insert(one.path.clone())
    };
    found.iter().zip(&is_folder).filter(is_wanted).map(|(one, _)| one.clone()).collect()
}

fn walk(
    base: &Path,
    at: &Path,
    parts: &[&str],
    star: Option<&str>,
    depth: usize,
    found: &mut Vec<SourceMatch>,
) -> Result<(), RecipeErrorKind> {
    let Some((&part, rest)) = parts.split_first() else {
        found.push(SourceMatch { path: at.to_owned(), star: star.map(str::to_owned) });
        return Ok(());
    };
    if !is_pattern(part) {
        let next = at.join(unescape(part));
        return match base.join(&next).exists() {
            true => walk(base, &next, rest, star, depth, found),
            false => Ok(()),
        };
    }
    if part == "**" {
        walk(base, at, rest, star, depth, found)?;
        for (name, path) in listed(base, at) {
            // A link could lead back to where it is.
            let is_folder = base.join(&path).symlink_metadata().is_ok_and(|meta| meta.is_dir());
            if is_folder && !name.starts_with('.') && depth < DEEPEST {
                walk(base, &path, parts, star, depth + 1, found)?;
            }
        }
        return Ok(());
    }
    let pattern = Pattern::new(part).expect("it was looked at before");
    for (name, path) in listed(base, at) {
        let is_wanted =
            pattern.matches_with(&name, IN_NAMES) && (rest.is_empty() || base.join(&path).is_dir());
        if is_wanted {
            ensure_inside(base, &path)?;
            let stands = wildcard_match(part, &name);
            walk(base, &path, rest, stands.as_deref().or(star), depth, found)?;
        }
    }
    Ok(())
}

/// Refuses a link that a pattern found and that leads out of the project.
fn ensure_inside(base: &Path, path: &Path) -> Result<(), RecipeErrorKind> {
    let whole = base.join(path);
    if !whole.symlink_metadata().is_ok_and(|meta| meta.is_symlink()) {
        return Ok(());
    }
    let real = |path: &Path| if path.as_os_str().is_empty() { Path::new(".") } else { path }.canonicalize();
    match (real(&whole), real(base)) {
        (Ok(file), Ok(project)) if file.starts_with(&project) => Ok(()),
        _ => Err(RecipeErrorKind::Outside { path: path.to_owned() }),
    }
}

/// The names in a folder and their paths, in natural order; none where it can't be read.
fn listed(base: &Path, at: &Path) -> Vec<(String, PathBuf)> {
    let named = |name: OsString| (name.to_string_lossy().into_owned(), at.join(name));
    names_in(&base.join(at)).unwrap_or_default().into_iter().map(named).collect()
}

/// What the only `*` of a pattern stands for in a name.
pub(super) fn wildcard_match(pattern: &str, name: &str) -> Option<String> {
    let is_star =
        |(at, _): &(usize, &str)| !(pattern[..*at].ends_with('[') && pattern[at + 1..].starts_with(']'));
    let (at, _) = pattern.match_indices('*').find(is_star)?;
    let (before, after) = (&pattern[..at], &pattern[at + 1..]);
    if is_pattern(before) || is_pattern(after) {
        return None;
    }
    name.strip_prefix(&unescape(before))?.strip_suffix(&unescape(after)).map(str::to_owned)
}

/// The path that is there and most like one that is not: each missing name is replaced by the nearest beside it.
fn similar_path(base: &Path, path: &Path) -> Option<String> {
    let mut found = PathBuf::new();
    for part in path.components() {
        let next = found.join(part);
        if base.join(&next).exists() {
            found = next;
            continue;
        }
        let wrong = part.as_os_str().to_string_lossy().into_owned();
        let names: Vec<String> = listed(base, &found).into_iter().map(|(name, _)| name).collect();
        let same = names.iter().find(|name| name.to_lowercase() == wrong.to_lowercase()).cloned();
        found.push(same.or_else(|| closest_name(&wrong, names.iter().cloned()))?);
    }
    base.join(&found).exists().then(|| slashed(&found))
}

/// A path without `.` in it.
pub(super) fn normalize(path: &Path) -> PathBuf {
    let plain: PathBuf = path.components().filter(|part| *part != Component::CurDir).collect();
    if plain.as_os_str().is_empty() { PathBuf::from(".") } else { plain }
}

/// A path with `/`, on every system.
pub(super) fn slashed(path: &Path) -> String {
    path.display_slashed().to_string()
}

/// Every file that is read where a source is: itself; of a set or an atlas its manifest and images; of a folder all images and
/// manifests in it.
pub(super) fn files_of(base: &Path, path: &Path) -> Vec<PathBuf> {
    let whole = base.join(path);
    let from_base = |file: PathBuf| file.strip_prefix(base).map_or_else(|_| file.clone(), Path::to_owned);
    if let Some(manifest) = manifest_of(&whole) {
        // Reading it reports what is wrong with it.
        let pages = manifest_images(&manifest).unwrap_or_default();
        return std::iter::once(manifest).chain(pages).map(from_base).collect();
    }
    if !whole.is_dir() {
        return vec![path.to_owned()];
    }
    let mut all = Vec::new();
    gather(base, path, 0, &mut all);
    all
}

fn gather(base: &Path, at: &Path, depth: usize, all: &mut Vec<PathBuf>) {
    for (name, path) in listed(base, at) {
        if name.starts_with('.') {
            continue;
        }
        let whole = base.join(&path);
        if whole.is_dir() {
            if depth < DEEPEST {
                gather(base, &path, depth + 1, all);
            }
        } else if is_image(&path) || path.extension().is_some_and(|ending| ending == "json") {
            all.push(path);
        }
    }
}

#[cfg(test)]
mod tests {
    use std::fs;

    use super::*;

    fn project(files: &[&str]) -> tempfile::TempDir {
        let folder = tempfile::tempdir().unwrap();
        for file in files {
            let path = folder.path().join(file);
            fs::create_dir_all(path.parent().unwrap()).unwrap();
            fs::write(path, b"x").unwrap();
        }
        folder
    }

    fn expanded_names(files: &[&str], text: &str) -> Vec<String> {
        let folder = project(files);
        let found = expand(folder.path(), text).unwrap();
        found
            .iter()
            .map(|one| format!("{} {}", slashed(&one.path), one.star.as_deref().unwrap_or("-")))
            .collect()
    }

    #[test]
    fn patterns_find_files_in_natural_order_and_say_what_their_star_stands_for() {
        let files =
            ["art/npc_10.png", "art/npc_2.png", "art/.npc_3.png", "art/koi.png", "art/deep/npc_x.png"];
        assert_eq!(expanded_names(&files, "art/npc_*.png"), ["art/npc_2.png 2", "art/npc_10.png 10"]);
        assert_eq!(expanded_names(&files, "./art/koi.png"), ["art/koi.png -"]);
        assert_eq!(
            expanded_names(&files, "**/npc_*.png"),
            ["art/npc_2.png 2", "art/npc_10.png 10", "art/deep/npc_x.png x"]
        );
        assert_eq!(expanded_names(&files, "*/deep"), ["art/deep art"]);
        assert_eq!(expanded_names(&files, "art/npc_?.png"), ["art/npc_2.png -"]);
        // Signs in brackets mean themselves.
        let odd = ["a[1]/x*y_z.png", "a[1]/x*y_.png"];
        assert_eq!(expanded_names(&odd, "a[[]1[]]/x[*]y_z.png"), ["a[1]/x*y_z.png -"]);
        assert_eq!(expanded_names(&odd, "a[[]1[]]/x[*]y_*.png"), ["a[1]/x*y_.png ", "a[1]/x*y_z.png z"]);
        // Each file once, whether a pattern finds its folder too or not; a set stands for its own files.
        let files =
            ["art/koi.png", "art/notes.txt", "art/deep/a.png", "art/set/frames.json", "art/set/b.png"];
        let each = ["art/koi.png koi.png", "art/set set", "art/deep/a.png a.png"];
        assert_eq!(expanded_names(&files, "art/**/*"), each);
        assert_eq!(expanded_names(&files, "art/**"), each);
    }

    #[test]
    fn what_finds_nothing_says_what_is_there() {
        let folder = project(&["art/koi.png"]);
        let fault = |text: &str| expand(folder.path(), text).unwrap_err();
        assert!(
            matches!(fault("art/kio.png"), RecipeErrorKind::NoSource { nearest: Some(name), .. } if name == "art/koi.png")
        );
        assert_eq!(expand(folder.path(), "art/*.gif").unwrap(), []);
        assert!(matches!(fault("../*.png"), RecipeErrorKind::Outside { .. }));
        assert!(matches!(fault("art/[.png"), RecipeErrorKind::Pattern { .. }));
    }

    #[cfg(unix)]
    #[test]
    fn a_link_out_of_the_project_is_taken_only_when_written_out() {
        let other = project(&["secret/koi.png"]);
        let folder = project(&["art/koi.png"]);
        std::os::unix::fs::symlink(other.path().join("secret"), folder.path().join("art/out")).unwrap();
        assert!(matches!(expand(folder.path(), "art/*/koi.png"), Err(RecipeErrorKind::Outside { .. })));
        assert_eq!(expand(folder.path(), "art/out/koi.png").unwrap().len(), 1);
        assert_eq!(expand(folder.path(), "art/**/koi.png").unwrap().len(), 1);
    }

    #[test]
    fn a_folder_is_all_images_and_manifests_in_it() {
        let folder =
            project(&["art/koi.png", "art/notes.txt", "art/sets/frog/frames.json", "art/.hidden.png"]);
        let files: Vec<String> =
            files_of(folder.path(), Path::new("art")).iter().map(|path| slashed(path)).collect();
        assert_eq!(files, ["art/koi.png", "art/sets/frog/frames.json"]);
    }
}
