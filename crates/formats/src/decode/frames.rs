//! One image file as frames: a still is one, an animation is a clip.

use std::path::Path;

use shibori_core::clip::{Clip, PlayMode};
use shibori_core::{Frame, FrameSet, FrameSource, Name, Pixels, SetError};

use crate::decode::codec::{Animation, DecodedFile, DecodedImage, ReadOptions};
use crate::decode::image::image;
use crate::decode::open_raster::layer_frames;
use crate::decode::outcome::{ReadNotice, file_name, sprite_name};
use crate::{FileError, ReadProblem};

/// The frames of one image file: one named after the file, or an animation's with their clip.
pub(super) fn load_frames(
    path: &Path,
    sprite: &Name,
    limits: &ReadOptions,
) -> Result<(FrameSet, Vec<ReadNotice>), FileError> {
    let DecodedFile { info, picture, is_truncated } = image(path, limits)?;
    let file = file_name(path);
    let read = match picture {
        DecodedImage::Still(pixels) => {
            let remark = is_truncated.then(|| ReadNotice::Truncated { file: file.clone(), frames: 0 });
            frames_of_still(pixels, sprite, sprite_name(path)?, &file)
                .map(|set| (set, Vec::from_iter(remark)))
        }
        DecodedImage::Moving(animation) => {
            animation_frames(animation, sprite, &sprite_name(path)?, &file, is_truncated)
        }
        DecodedImage::Layers(layered) if layered.is_flat() => {
            let flat = layered.flattened(limits);
            let flat = flat.map_err(|problem| FileError::read(path, problem))?;
            frames_of_still(flat, sprite, sprite_name(path)?, &file).map(|set| (set, layered.remarks(&file)))
        }
        DecodedImage::Layers(layered) => layer_frames(*layered, sprite, &file),
    };
    let (set, mut remarks) = read.map_err(|problem| FileError::read(path, problem))?;
    remarks.extend(info.loss.map(|loss| ReadNotice::Loss { file, files: 1, loss }));
    if !limits.tighten {
        return Ok((set, remarks));
    }
    let set = set.map_frames(|_, frame| Ok::<_, SetError>(frame.trim_to_content()));
    Ok((set.map_err(|error| FileError::read(path, error))?, remarks))
}

/// A still image as one frame.
pub fn frames_of_still(
    pixels: Pixels,
    sprite: &Name,
    name: Name,
    file: &str,
) -> Result<FrameSet, ReadProblem> {
    let frame = Frame::new(sprite.clone(), name, pixels);
    let frame = frame.map_err(|error| ReadProblem::Frame { frame: file.to_owned(), error })?;
    let source = FrameSource { file: file.to_owned(), ..FrameSource::default() };
    Ok(FrameSet::new(vec![frame.with_source(Some(source))], Vec::new())?)
}

/// The pictures of an animation as frames `name-00`, `name-01`, ..., and the clip `name` that plays them.
pub fn animation_frames(
    animation: Animation,
    sprite: &Name,
    name: &Name,
    file: &str,
    is_truncated: bool,
) -> Result<(FrameSet, Vec<ReadNotice>), ReadProblem> {
    let digits = animation.moments.len().saturating_sub(1).max(10).ilog10() as usize + 1;
    let (mut frames, mut spans, mut fast) = (Vec::new(), Vec::new(), 0);
    for (number, moment) in animation.moments.into_iter().enumerate() {
        let frame_name = Name::new(format!("{name}-{number:0digits$}"))?;
        let mut source = FrameSource { file: file.to_owned(), ..FrameSource::default() };
        if let Some(raw) = moment.raw_delay {
            source.carried.insert("delay", raw.to_string());
            fast += 1;
        }
        let frame = Frame::new(sprite.clone(), frame_name, moment.picture);
        let frame = frame.map_err(|error| ReadProblem::Frame { frame: file.to_owned(), error })?;
        frames.push(frame.with_source(Some(source)));
        spans.push((number, moment.span));
    }
    let clip = Clip::from_durations(sprite.clone(), name.clone(), &spans)?
        .playing(PlayMode::Forward, animation.plays);
    let remark = ReadNotice::FastDelays { file: file.to_owned(), frames: fast };
    let mut remarks = if fast > 0 { vec![remark] } else { Vec::new() };
    if is_truncated {
        remarks.push(ReadNotice::Truncated { file: file.to_owned(), frames: frames.len() });
    }
    Ok((FrameSet::new(frames, vec![clip])?, remarks))
}
