//! Clips in motion.

use shibori_core::clip::{Clip, FrameDuration, add_clips, speed};
use shibori_core::{FrameSet, Name, RenderedAnimation};
use shibori_draw::{AnimationStyle, render_clip, render_clips};

use crate::options::{BoundedInt, MotionOptions};
use crate::steps::loading::load;
use crate::{Context, Error, SizeCause, Source};

/// Clips in motion.
#[derive(Clone, Debug)]
pub struct Motion {
    /// The images with their times.
    pub animation: RenderedAnimation,
    /// What they show.
    pub shows: MotionContent,
}

/// What an animation shows.
#[derive(Clone, Debug)]
pub enum MotionContent {
    /// One clip; of a set without clips all frames, at 100 ms each.
    One(Clip),
    /// So many clips side by side.
    Several(usize),
}

pub(super) fn draw(source: &Source, options: &MotionOptions, cx: &Context<'_>) -> Result<Motion, Error> {
    let mut set = load(source, &options.only, cx)?;
    if !options.clip.is_empty() {
        set = add_clips(set.with_clips(Vec::new())?, &options.clip)?;
    }
    let faster = |clip: Clip| options.speed.map_or(Ok(clip.clone()), |factor| speed(clip, factor));
    let how = AnimationStyle {
        zoom: options.zoom.map_or(1, BoundedInt::get),
        backdrop: options.background.unwrap_or_default(),
        overlay: options.show.get(),
        limits: cx.pixel_limits(),
    };
    let growth = if how.zoom > 1 { SizeCause::Zoom } else { SizeCause::Animation };
    let one = |clip: Clip| -> Result<Motion, Error> {
        let animation = cx.map_limit_error(render_clip(&set, &clip, how), growth)?;
        Ok(Motion { animation, shows: MotionContent::One(clip) })
    };
    match set.clips() {
        [] => one(faster(all_frames(&set)?)?),
        [clip] => one(faster(clip.clone())?),
        several => {
            let several = several.iter().cloned().map(faster).collect::<Result<Vec<_>, _>>()?;
            let clips: Vec<&Clip> = several.iter().collect();
            let animation = cx.map_limit_error(render_clips(&set, &clips, how), growth)?;
            Ok(Motion { animation, shows: MotionContent::Several(clips.len()) })
        }
    }
}

fn all_frames(set: &FrameSet) -> Result<Clip, Error> {
    let spans: Vec<(usize, FrameDuration)> =
        (0..set.frames().len()).map(|at| (at, FrameDuration::DEFAULT)).collect();
    let sprite = set.frames().first().map(|frame| frame.sprite().clone()).ok_or(Error::NoFrames)?;
    let name = Name::new("all frames").expect("not empty");
    Ok(Clip::from_durations(sprite, name, &spans)?)
}
