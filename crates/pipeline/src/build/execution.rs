//! How each step of a graph is done: the same functions as the commands call, with frames handed over in memory.
//!
//! A step reads what it declares and writes what it declares, so that it comes to the same whether the steps before it were just
//! done, were done yesterday, or on another machine.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use shibori_core::clip::Clip;
use shibori_core::{FrameSet, Name};
use shibori_formats::manifest::SET_FILE;

use crate::build::graph::{Graph, ResolvedSprite, Target, TargetKind, TargetSource};
use crate::build::locations::located;
use crate::build::sources::slashed;
use crate::options::{ClipCommand, ClipEdits, FilterOption, PackOptions, SliceOptions};
use crate::recipe::{FrameRecipe, SpriteRecipe};
use crate::steps::{
    SpriteInput, View, edit_clips, export, pack, replace_clip_frames, slice_manifests, slice_sprite,
    stage_atlases, stage_export, stage_set,
};
use crate::{Context, Error, Source};

/// The frames of a figure, with their clips.
pub(super) fn make_frames(
    graph: &Graph,
    figure: &ResolvedSprite,
    cx: &Context<'_>,
) -> Result<FrameSet, Error> {
    let sprite = &graph.recipe.sprites[figure.sprite];
    let place = |error| located(error, &sprite.settings, &sprite.name.span, &graph.recipe);
    frames_of(sprite, &figure.name, &figure.parts, cx).map_err(place)
}

/// The frames of a sprite that is called `name`, of these files for each of its parts.
pub(super) fn frames_of(
    sprite: &SpriteRecipe,
    name: &Name,
    parts: &[Vec<PathBuf>],
    cx: &Context<'_>,
) -> Result<FrameSet, Error> {
    let mut set = slice_parts(name, parts, &sprite.making, cx)?;
    for own in &sprite.own {
        if let Some(making) = &own.making {
            let other = slice_parts(name, parts, making, cx)?;
            set = replace_clip_frames(set, &other, &own.name.value, own.is_apart)?;
        }
        if own.edits != ClipEdits::default() {
            let clip = set.clips().iter().find(|clip| clip.name().as_str() == own.name.value);
            let only = clip.map_or_else(|| own.name.value.clone(), Clip::qualified_name);
            let only = FilterOption { only: only.parse().ok() };
            set = edit_clips(
                set,
                &ClipCommand { only, edits: own.edits.clone(), ..ClipCommand::default() },
                cx,
            )?;
        }
    }
    match sprite.edits == ClipEdits::default() {
        true => Ok(set),
        false => edit_clips(set, &ClipCommand { edits: sprite.edits.clone(), ..ClipCommand::default() }, cx),
    }
}

fn slice_parts(
    name: &Name,
    parts: &[Vec<PathBuf>],
    making: &FrameRecipe,
    cx: &Context<'_>,
) -> Result<FrameSet, Error> {
    let parts: Vec<SpriteInput<'_>> = parts
        .iter()
        .zip(&making.parts)
        .map(|(files, part)| SpriteInput { files, options: &part.options })
        .collect();
    slice_sprite(name, &parts, &making.shape, &making.clips, cx)
}

/// Does a step, and gives what it writes, from the recipe's folder. `frames` are those of its figures, in their order.
pub(super) fn execute(
    graph: &Graph,
    step: &Target,
    frames: &[Arc<FrameSet>],
    cx: &Context<'_>,
) -> Result<Vec<PathBuf>, Error> {
    let whole: Vec<PathBuf> = step.inputs.iter().map(|path| cx.resolve(path)).collect();
    cx.transaction().add_sources(&whole);
    let outputs = match &step.kind {
        TargetKind::Set { figure } => set(graph, *figure, step, frames, cx)?,
        TargetKind::Atlas { atlas, .. } => {
            let atlas = graph.atlas(*atlas);
            let mut options: PackOptions = atlas.options.clone();
            let old = step.target.with_added_extension("json");
            if atlas.keeps_places {
                match cx.resolve(&old).is_file() {
                    true => options.arrange.keep_places = Some(old),
                    false => options.arrange.repack_over = None,
                }
            }
            let all = FrameSet::merge(frames.iter().map(|set| set.as_ref().clone()))?;
            let all = Source::frames(atlas.name.value.clone(), all);
            let place = |error| located(error, &atlas.settings, &atlas.name.span, &graph.recipe);
            let packed = pack(&[all], &options, cx).map_err(place)?;
            stage_atlases(&packed, &step.target, &options, cx)?.written.files
        }
        TargetKind::Export { of, at } => {
            let options = match of {
                TargetSource::Atlas(atlas) => &graph.atlas(*atlas).exports[*at].options,
                TargetSource::Sprite(figure) => &graph.sprite(*figure).exports[*at].options,
            };
            let manifest = manifest_of(&graph.steps[step.root]);
            let exported = export(&manifest, options, Some(&step.target), cx)?;
            stage_export(&exported, cx)?;
            exported.files.into_iter().map(|file| file.path).collect()
        }
        TargetKind::Preview { of, at, .. } => preview(graph, step, *of, *at, frames, cx)?,
    };
    let from_base =
        |path: PathBuf| path.strip_prefix(&graph.base).map_or_else(|_| path.clone(), Path::to_owned);
    Ok(outputs.into_iter().map(from_base).collect())
}

/// Draws a preview: of an atlas as it was written, of a figure from its frames.
fn preview(
    graph: &Graph,
    step: &Target,
    of: TargetSource,
    at: usize,
    frames: &[Arc<FrameSet>],
    cx: &Context<'_>,
) -> Result<Vec<PathBuf>, Error> {
    let preview = match of {
        TargetSource::Atlas(atlas) => &graph.atlas(atlas).previews[at],
        TargetSource::Sprite(figure) => &graph.sprite(figure).previews[at],
    };
    let mut view = preview.view.clone();
    let mut frames = frames.iter();
    let source = match of {
        TargetSource::Atlas(_) => Source::Path(manifest_of(&graph.steps[step.root])),
        TargetSource::Sprite(figure) => {
            let name = graph.figures[figure].name.as_str();
            let set = frames.next().map(|set| set.as_ref().clone()).unwrap_or_default();
            match &mut view {
                View::LightTable(recipe) => {
                    *recipe = Some(Box::new(graph.sprite(figure).settings.values().clone()));
                    Source::frames(name, set)
                }
                View::Grid(options) => {
                    // The cut is the sprite's own.
                    let part = &graph.sprite(figure).making.parts[0].options;
                    (options.cut, options.clean) = (part.cut.clone(), part.clean.clone());
                    Source::Path(graph.figures[figure].parts[0][0].clone())
                }
                _ => Source::frames(name, set),
            }
        }
    };
    let before = frames.next().map(|set| Source::frames("before", set.as_ref().clone()));
    let drawn = match &before {
        Some(before) => view.draw(before, Some(&source), cx),
        None => view.draw(&source, None, cx),
    };
    let written = drawn.and_then(|drawn| drawn.stage(&step.target, cx));
    let place = |error| located(error, &preview.settings, &preview.span, &graph.recipe);
    Ok(written.map_err(place)?.files)
}

fn set(
    graph: &Graph,
    figure: usize,
    step: &Target,
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
    Ok(stage_set(frames[0].as_ref().clone(), &step.target, cx)?.files)
}

/// The manifest that an atlas or a set writes.
pub(super) fn manifest_of(root: &Target) -> PathBuf {
    match root.kind {
        TargetKind::Atlas { .. } => root.target.with_added_extension("json"),
        _ if root.target.extension().is_some_and(|ending| ending == "json") => root.target.clone(),
        _ => root.target.join(SET_FILE),
    }
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
pub(super) fn settings_key(graph: &Graph, at: usize) -> String {
    let step = &graph.steps[at];
    let figures: Vec<String> =
        graph.figures_of(at).into_iter().map(|figure| settings_of_figure(graph, figure)).collect();
    let own = match &step.kind {
        TargetKind::Set { .. } => "set",
        TargetKind::Atlas { atlas, .. } => graph.atlas(*atlas).settings.text(),
        TargetKind::Export { of: TargetSource::Atlas(atlas), at } => {
            graph.atlas(*atlas).exports[*at].settings.text()
        }
        TargetKind::Export { of: TargetSource::Sprite(figure), at } => {
            graph.sprite(*figure).exports[*at].settings.text()
        }
        TargetKind::Preview { of: TargetSource::Atlas(atlas), at, .. } => {
            graph.atlas(*atlas).previews[*at].settings.text()
        }
        TargetKind::Preview { of: TargetSource::Sprite(figure), at, .. } => {
            graph.sprite(*figure).previews[*at].settings.text()
        }
    };
    format!("{} {own} {figures:?}", slashed(&step.target))
}
