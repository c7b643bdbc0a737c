//! How each step of a graph is done: the same functions as the commands call, with frames handed over in memory.
//!
//! A step reads what it declares and writes what it declares, so that it comes to the same whether the steps before it were just
//! done, were done yesterday, or on another machine.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use serde_json::Value;
use shibori_core::FrameSet;
use shibori_core::clip::Clip;
use shibori_formats::manifest::SET_FILE;

use crate::build::graph::{Figure, Graph, Kind, Source, Step};
use crate::build::locations::located;
use crate::build::sources::slashed;
use crate::options::{ClipCommand, ClipEdits, FilterOption, PackOptions, SliceOptions};
use crate::recipe::{FrameRecipe, Look, Preview, Sprite};
use crate::steps::{
    CheckReport, Drawn, SpriteInput, clip_set, contact, contact_of, drift_of, export, grid, html, html_of,
    light_table_of, motion, motion_of, onion, onion_of, pack_set, pages, pages_of_set, replace_clip_frames,
    slice_manifests, slice_sprite, whole, write_animation, write_atlases, write_export, write_pictures,
    write_set,
};
use crate::{Context, Error};

/// The frames of a figure, with their clips.
pub(super) fn frames(graph: &Graph, figure: &Figure, cx: &Context<'_>) -> Result<FrameSet, Error> {
    let sprite = &graph.recipe.sprites[figure.sprite];
    let place = |error| located(error, &sprite.settings, &sprite.name.span, &graph.recipe);
    frames_of(sprite, figure, cx).map_err(place)
}

fn frames_of(sprite: &Sprite, figure: &Figure, cx: &Context<'_>) -> Result<FrameSet, Error> {
    let mut set = made(figure, &sprite.making, cx)?;
    for own in &sprite.own {
        if let Some(making) = &own.making {
            set = replace_clip_frames(set, &made(figure, making, cx)?, &own.name.value, own.is_apart)?;
        }
        if own.edits != ClipEdits::default() {
            let clip = set.clips().iter().find(|clip| clip.name().as_str() == own.name.value);
            let only = clip.map_or_else(|| own.name.value.clone(), Clip::qualified_name);
            let only = FilterOption { only: only.parse().ok() };
            set =
                clip_set(set, &ClipCommand { only, edits: own.edits.clone(), ..ClipCommand::default() }, cx)?;
        }
    }
    match sprite.edits == ClipEdits::default() {
        true => Ok(set),
        false => clip_set(set, &ClipCommand { edits: sprite.edits.clone(), ..ClipCommand::default() }, cx),
    }
}

fn made(figure: &Figure, making: &FrameRecipe, cx: &Context<'_>) -> Result<FrameSet, Error> {
    let parts: Vec<SpriteInput<'_>> = figure
        .parts
        .iter()
        .zip(&making.parts)
        .map(|(files, part)| SpriteInput { files, options: &part.options })
        .collect();
    slice_sprite(&figure.name, &parts, &making.shape, &making.clips, cx)
}

/// Does a step, and gives what it writes, from the recipe's folder. `frames` are those of its figures, in their order. `tell` words what looks
/// wrong, for pages.
pub(super) fn step(
    graph: &Graph,
    step: &Step,
    frames: &[Arc<FrameSet>],
    tell: &dyn Fn(&CheckReport) -> Value,
    cx: &Context<'_>,
) -> Result<Vec<PathBuf>, Error> {
    let whole: Vec<PathBuf> = step.inputs.iter().map(|path| cx.at(path)).collect();
    cx.run().add_sources(&whole);
    let outputs = match &step.kind {
        Kind::Set { figure } => set(graph, *figure, step, frames, cx)?,
        Kind::Atlas { atlas, .. } => {
            let atlas = graph.atlas(*atlas);
            let mut options: PackOptions = atlas.options.clone();
            let old = step.target.with_added_extension("json");
            if atlas.keeps_places && cx.at(&old).is_file() {
                options.arrange.keep_places = Some(old);
            }
            let all = FrameSet::merge(frames.iter().map(|set| set.as_ref().clone()))?;
            let place = |error| located(error, &atlas.settings, &atlas.name.span, &graph.recipe);
            let used = options.only.of(all).map_err(|error| place(error.into()))?;
            let packed = pack_set(used, &options, cx).map_err(place)?;
            write_atlases(&packed, &step.target, &options, cx)?.written.files
        }
        Kind::Export { of, at } => {
            let options = match of {
                Source::Atlas(atlas) => &graph.atlas(*atlas).exports[*at].options,
                Source::Figure(figure) => &graph.sprite(*figure).exports[*at].options,
            };
            let manifest = manifest_of(&graph.steps[step.root]);
            let exported = export(&manifest, options, Some(&step.target), cx)?;
            write_export(&exported, cx)?;
            exported.files.into_iter().map(|file| file.path).collect()
        }
        Kind::Preview { of: Source::Atlas(atlas), at, before } => {
            let manifest = manifest_of(&graph.steps[step.root]);
            let preview = &graph.atlas(*atlas).previews[*at];
            debug_assert!(before.is_none() || frames.len() == 1);
            of_atlas(&manifest, preview, frames.first(), &step.target, tell, cx)
                .map_err(|error| located(error, &preview.settings, &preview.span, &graph.recipe))?
        }
        Kind::Preview { of: Source::Figure(figure), at, .. } => {
            let preview = &graph.sprite(*figure).previews[*at];
            of_figure(
                &graph.figures[*figure],
                &graph.sprite(*figure).making,
                preview,
                frames,
                &step.target,
                tell,
                cx,
            )
            .map_err(|error| located(error, &preview.settings, &preview.span, &graph.recipe))?
        }
    };
    let from_base =
        |path: PathBuf| path.strip_prefix(&graph.base).map_or_else(|_| path.clone(), Path::to_owned);
    Ok(outputs.into_iter().map(from_base).collect())
}

fn set(
    graph: &Graph,
    figure: usize,
    step: &Step,
    frames: &[Arc<FrameSet>],
    cx: &Context<'_>,
) -> Result<Vec<PathBuf>, Error> {
    let making = &graph.sprite(figure).making;
    let part = &making.parts[0];
    if part.options.cut.manifest_only.is_on() {
        let options =
            SliceOptions { shape: making.shape.clone(), clips: making.clips.clone(), ..part.options.clone() };
        let written = slice_manifests(&graph.figures[figure].parts[0], &options, cx)?;
        return Ok(written.into_iter().flat_map(|(_, written)| written.files).collect());
    }
    Ok(write_set(frames[0].as_ref().clone(), &step.target, cx)?.files)
}

/// The manifest that an atlas or a set writes.
pub(super) fn manifest_of(root: &Step) -> PathBuf {
    match root.kind {
        Kind::Atlas { .. } => root.target.with_added_extension("json"),
        _ if root.target.extension().is_some_and(|ending| ending == "json") => root.target.clone(),
        _ => root.target.join(SET_FILE),
    }
}

fn of_atlas(
    manifest: &Path,
    preview: &Preview,
    before: Option<&Arc<FrameSet>>,
    target: &Path,
    tell: &dyn Fn(&CheckReport) -> Value,
    cx: &Context<'_>,
) -> Result<Vec<PathBuf>, Error> {
    let alone = || Ok(vec![cx.at(target)]);
    let drawn: Drawn = match &preview.look {
        Look::Contact(options) => contact(manifest, options, cx)?,
        Look::Onion(options) => onion(manifest, options, cx)?,
        Look::Pages(options) => pages(manifest, options, cx)?,
        Look::Drift { options, .. } => {
            let now = whole(manifest, cx)?;
            match before {
                Some(before) => drift_of(before.as_ref().clone(), Some(now), options, cx)?,
                None => drift_of(now, None, options, cx)?,
            }
        }
        Look::Motion(options) => {
            write_animation(&motion(manifest, options, cx)?.animation, target, cx)?;
            return alone();
        }
        Look::Html(options) => {
            html(manifest, options, target, tell, cx)?;
            return alone();
        }
        // Refused where the graph is made.
        Look::Grid(_) | Look::LightTable => return Err(Error::NoFrames),
    };
    write_pictures(&drawn.pictures, target, cx)
}

fn of_figure(
    figure: &Figure,
    making: &FrameRecipe,
    preview: &Preview,
    frames: &[Arc<FrameSet>],
    target: &Path,
    tell: &dyn Fn(&CheckReport) -> Value,
    cx: &Context<'_>,
) -> Result<Vec<PathBuf>, Error> {
    let set = || frames[0].as_ref().clone();
    let alone = || Ok(vec![cx.at(target)]);
    let drawn: Drawn = match &preview.look {
        Look::Contact(options) => contact_of(set(), options, cx)?,
        Look::Onion(options) => onion_of(set(), options, cx)?,
        Look::Pages(options) => pages_of_set(set(), options, cx)?,
        Look::Drift { options, .. } => match frames.get(1) {
            Some(before) => drift_of(before.as_ref().clone(), Some(set()), options, cx)?,
            None => drift_of(set(), None, options, cx)?,
        },
        Look::Motion(options) => {
            write_animation(&motion_of(set(), options, cx)?.animation, target, cx)?;
            return alone();
        }
        Look::Html(options) => {
            html_of(set(), Path::new(figure.name.as_str()), options, target, tell, cx)?;
            return alone();
        }
        Look::LightTable => {
            light_table_of(&frames[0], figure.name.as_str(), target, cx)?;
            return alone();
        }
        Look::Grid(options) => {
            // The cut is the sprite's own.
            let (part, mut options) = (&making.parts[0], options.as_ref().clone());
            (options.cut, options.clean) = (part.options.cut.clone(), part.options.clean.clone());
            return write_pictures(&[grid(&figure.parts[0][0], &options, cx)?.image], target, cx);
        }
    };
    write_pictures(&drawn.pictures, target, cx)
}

/// What makes the frames of a figure besides its inputs, as a text.
pub(super) fn settings_of_figure(graph: &Graph, figure: usize) -> String {
    let one = &graph.figures[figure];
    let files: Vec<Vec<String>> =
        one.parts.iter().map(|files| files.iter().map(|path| slashed(path)).collect()).collect();
    format!("{} {files:?} {}", one.name, graph.sprite(figure).settings.text())
}

/// What makes a step's outcome besides its inputs, as a text: all that the recipe says of it. What shibori makes of that may
/// change with its version, which is a part of every digest.
pub(super) fn settings(graph: &Graph, at: usize) -> String {
    let step = &graph.steps[at];
    let figures: Vec<String> =
        graph.figures_of(at).into_iter().map(|figure| settings_of_figure(graph, figure)).collect();
    let own = match &step.kind {
        Kind::Set { .. } => "set",
        Kind::Atlas { atlas, .. } => graph.atlas(*atlas).settings.text(),
        Kind::Export { of: Source::Atlas(atlas), at } => graph.atlas(*atlas).exports[*at].settings.text(),
        Kind::Export { of: Source::Figure(figure), at } => graph.sprite(*figure).exports[*at].settings.text(),
        Kind::Preview { of: Source::Atlas(atlas), at, .. } => {
            graph.atlas(*atlas).previews[*at].settings.text()
        }
        Kind::Preview { of: Source::Figure(figure), at, .. } => {
            graph.sprite(*figure).previews[*at].settings.text()
        }
    };
    format!("{} {own} {figures:?}", slashed(&step.target))
}
