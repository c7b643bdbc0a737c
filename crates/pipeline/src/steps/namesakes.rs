//! Sources of the same name in different folders: kept apart by the nearest folder in which they differ.

use std::collections::HashMap;
use std::path::{Component, Path, PathBuf};

use shibori_core::{FrameSet, FrameSource, Name, SetError};
use shibori_formats::decode::sprite_name;
use shibori_formats::{FileError, ReadProblem};

use crate::paths::full;
use crate::steps::loading::load_all;
use crate::steps::slice::file_name;
use crate::steps::slice_sources::is_file;
use crate::{Context, Error, Notice, Source};

/// Sprites for files of the same name in different folders: `hero/walk.png` and `npc/walk.png` are `hero-walk` and
/// `npc-walk`.
pub(super) fn sprites_of_namesakes(sheets: &[Source], cx: &Context<'_>) -> HashMap<PathBuf, Name> {
    let mut called: Vec<(Name, Vec<&Path>)> = Vec::new();
    for path in sheets.iter().filter_map(Source::path).filter(|path| is_file(path, cx)) {
        let Ok(name) = sprite_name(path) else { continue };
        match called.iter_mut().find(|(other, _)| *other == name) {
            Some((_, paths)) => paths.push(path),
            None => called.push((name, vec![path])),
        }
    }
    let mut names = HashMap::new();
    for (name, paths) in called.into_iter().filter(|(_, paths)| paths.len() > 1) {
        let own = |folder: String| in_folder(&folder, &name);
        let sprites: Option<Vec<Name>> = folder_names(&paths, cx).into_iter().map(own).collect();
        if let Some(sprites) = sprites {
            cx.notify(Notice::Namesakes { file: file_name(paths[0]), sprites: sprites.clone() });
            names.extend(paths.into_iter().map(Path::to_owned).zip(sprites));
        }
    }
    names
}

/// The name of the folder that a file is in.
pub(super) fn folder_name(path: &Path, cx: &Context<'_>) -> String {
    folder_above(path, 1, cx)
}

/// Frames of several sources, each with the folder that sets it apart from those of the same name. Sprites that several
/// sources have are called after it: `hero/walk` and `npc/walk` give `hero-walk` and `npc-walk`.
pub(super) fn load_apart(sources: &[Source], tighten: bool, cx: &Context<'_>) -> Result<FrameSet, Error> {
    // Images side by side are read together: numbered ones are one sequence.
    let are_siblings = |a: &Source, b: &Source| match (a.path(), b.path()) {
        (Some(a), Some(b)) => a.parent() == b.parent() && is_file(a, cx) && is_file(b, cx),
        _ => false,
    };
    let groups: Vec<&[Source]> = sources.chunk_by(are_siblings).collect();
    let paths: Vec<&Path> = groups.iter().filter_map(|group| group[0].path()).collect();
    let mut folders = folder_names(&paths, cx).into_iter();
    let mut sets = Vec::new();
    for group in groups {
        let folder = group[0].path().and_then(|_| folders.next()).unwrap_or_default();
        sets.push((folder, load_all(group, tighten, cx)?));
    }
    let is_shared =
        |sprite: &Name| sets.iter().filter(|(_, set)| set.sprites().contains(&sprite)).count() > 1;
    let shared: Vec<Name> = sets
        .iter()
        .flat_map(|(_, set)| set.sprites().into_iter().cloned())
        .filter(|sprite| is_shared(sprite))
        .collect();
    let apart = |(folder, set): (String, FrameSet)| {
        let name = |sprite: &Name| match shared.contains(sprite) {
            true => in_folder(&folder, sprite).unwrap_or_else(|| sprite.clone()),
            false => sprite.clone(),
        };
        with_folder(set.rename_sprites(name)?, &folder)
    };
    let sets = sets.into_iter().map(apart).collect::<Result<Vec<_>, SetError>>()?;
    Ok(FrameSet::merge(sets)?)
}

/// The same frames, with the folder that `{folder}` stands for.
pub(super) fn with_folder(set: FrameSet, folder: &str) -> Result<FrameSet, SetError> {
    set.map_frames(|_, frame| {
        let source = frame.source().cloned().unwrap_or_default();
        Ok(frame.with_source(Some(FrameSource { folder: folder.to_owned(), ..source })))
    })
}

/// If sources can't be merged because they share a sprite: an error that names it and them.
pub(super) fn name_shared(error: Error, sources: &[Source], cx: &Context<'_>) -> Error {
    let sprite = match &error {
        Error::File(FileError::Read { problem: ReadProblem::Set(shared), .. }) | Error::Set(shared) => {
            match shared {
                SetError::TwoFrames { sprite, .. } | SetError::TwoClips { sprite, .. } => sprite.clone(),
                _ => return error,
            }
        }
        _ => return error,
    };
    let has = |source: &&Source| {
        let set = load_all(std::slice::from_ref(*source), false, cx);
        set.is_ok_and(|set| set.sprites().contains(&&sprite))
    };
    let sources: Vec<PathBuf> =
        sources.iter().filter(has).filter_map(Source::path).map(Path::to_owned).collect();
    let paths: Vec<&Path> = sources.iter().map(PathBuf::as_path).collect();
    let folders = folder_names(&paths, cx);
    let differ = (1..folders.len()).all(|at| !folders[..at].contains(&folders[at]));
    match sources.len() > 1 && differ {
        true => Error::SharedSprite { sprite, sources },
        // The same source twice: no folder keeps it apart.
        false => error,
    }
}

/// The folder name that distinguishes each path: that of the nearest folder in which paths of the same name differ. For a
/// set, this may be the set's own folder.
fn folder_names(paths: &[&Path], cx: &Context<'_>) -> Vec<String> {
    let own: Vec<String> = paths.iter().map(|path| folder_above(path, 0, cx)).collect();
    let are_folders = paths.iter().all(|path| cx.resolve(path).is_dir());
    let deepest = paths.iter().map(|path| full(&cx.resolve(path)).components().count()).max().unwrap_or(0);
    let at =
        |level: usize| -> Vec<String> { paths.iter().map(|path| folder_above(path, level, cx)).collect() };
    let are_apart = |names: &[String]| {
        let whole = |at: usize| (&own[at], &names[at]);
        (0..names.len()).all(|a| (0..a).all(|b| whole(a) != whole(b)))
    };
    let first = usize::from(!are_folders);
    (first..deepest).map(at).find(|names| are_apart(names)).unwrap_or_else(|| at(1))
}

/// The name of the folder so many levels above a path; at level 0 its own.
fn folder_above(path: &Path, level: usize, cx: &Context<'_>) -> String {
    let whole = full(&cx.resolve(path));
    let mut names = whole.components().rev().filter(|part| matches!(part, Component::Normal(_)));
    names.nth(level).map(|name| name.as_os_str().to_string_lossy().into_owned()).unwrap_or_default()
}

fn in_folder(folder: &str, sprite: &Name) -> Option<Name> {
    Name::new(format!("{folder}-{sprite}")).ok()
}
