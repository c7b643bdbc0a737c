//! A clip as an animation file.

use std::path::{Path, PathBuf};

use shibori_core::RenderedAnimation;
use shibori_core::clip::FrameDuration;

use crate::encode::{apng, gif, webp, y4m};
use crate::store::{Transaction, Written};
use crate::{FileError, WriteProblem};

/// Animation formats that can be written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum AnimationFormat {
    /// 256 colors, hundredths of a second.
    Gif,
    /// Exact colors and times.
    Apng,
    /// Exact colors, times in milliseconds.
    Webp,
    /// Uncompressed video at one rate.
    Y4m,
}

impl AnimationFormat {
    /// The format that a file's ending asks for.
    pub fn of(path: &Path) -> Result<Self, FileError> {
        let ending = path.extension().unwrap_or_default().to_string_lossy().to_lowercase();
        match ending.as_str() {
            "gif" => Ok(Self::Gif),
            "png" | "apng" => Ok(Self::Apng),
            "webp" => Ok(Self::Webp),
            "y4m" => Ok(Self::Y4m),
            _ => {
                let text = format!("an animation ends in .gif, .apng, .png, .webp or .y4m, not '.{ending}'");
                Err(FileError::write(path, WriteProblem::Format(text)))
            }
        }
    }
}

/// What was written, and what the format could not keep.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct AnimationReport {
    /// The file.
    pub written: Written,
    /// Its length in bytes.
    pub bytes: usize,
    /// Pixels of half transparency that a GIF made clear or solid.
    pub hardened: u64,
    /// Colors there were, where a GIF kept only 255 of them.
    pub reduced_from: Option<usize>,
    /// Pictures that were left out, since browsers would show them too long.
    pub dropped: usize,
}

/// Writes an animation in the format its extension asks for. `tick` is called once per image, from any thread.
pub fn animation(
    path: &Path,
    animation: &RenderedAnimation,
    run: &Transaction,
    tick: impl Fn() + Sync,
) -> Result<AnimationReport, FileError> {
    let format = AnimationFormat::of(path)?;
    let batch = run.plan(&[PathBuf::from(path)], &[])?;
    let wrong = |problem: WriteProblem| FileError::write(path, problem);
    let shortened = drop_short_frames(animation, format);
    let (animation, dropped) =
        shortened.as_ref().map_or((animation, 0), |(animation, dropped)| (animation, *dropped));
    let (bytes, hardened, reduced_from) = match format {
        AnimationFormat::Apng => (apng::apng(animation, tick).map_err(wrong)?, 0, None),
        AnimationFormat::Gif => {
            let encoded = gif::gif(animation, tick).map_err(wrong)?;
            (encoded.bytes, encoded.hardened, encoded.reduced_from)
        }
        AnimationFormat::Webp => (webp::webp(animation, tick).map_err(wrong)?, 0, None),
        AnimationFormat::Y4m => (y4m::y4m(animation, tick).map_err(wrong)?, 0, None),
    };
    batch.stage(0, &bytes)?;
    Ok(AnimationReport { written: batch.written(), bytes: bytes.len(), hardened, reduced_from, dropped })
}

/// An animation without the pictures that a browser would not show for as short as it is meant to: it takes delays up
/// to 10 ms for a mistake and shows 100 ms. What is left lasts until the next one's time, so that the total is right.
/// `None` where all can stay, else how many went.
fn drop_short_frames(
    animation: &RenderedAnimation,
    format: AnimationFormat,
) -> Option<(RenderedAnimation, usize)> {
    // Ticks per second, and the fewest that a picture may last.
    let (clock, least) = match format {
        AnimationFormat::Gif => (100u32, 2u64),
        AnimationFormat::Apng => (1_000_000, 10_001),
        AnimationFormat::Webp => (1000, 11),
        // A video is for encoders, which show every picture.
        AnimationFormat::Y4m => return None,
    };
    let mut ends = Vec::with_capacity(animation.images.len());
    let mut end = 0.0;
    for (_, span) in &animation.images {
        end += span.millis();
        ends.push((end * f64::from(clock) / 1000.0).round() as u64);
    }
    let is_too_fast =
        |(at, end): (usize, &u64)| end - at.checked_sub(1).map_or(0, |before| ends[before]) < least;
    if !ends.iter().enumerate().any(is_too_fast) {
        return None;
    }
    let whole = *ends.last()?;
    // Each picture that stays, and when it begins.
    let mut kept: Vec<(usize, u64)> = vec![(0, 0)];
    for at in 1..animation.images.len() {
        let start = ends[at - 1];
        if start - kept.last().map_or(0, |last| last.1) >= least && whole - start >= least {
            kept.push((at, start));
        }
    }
    let until = |place: usize| kept.get(place + 1).map_or(whole, |next| next.1);
    let picture = |(place, &(at, start)): (usize, &(usize, u64))| {
        let ticks = u32::try_from((until(place) - start).max(least)).unwrap_or(u32::MAX);
        (animation.images[at].0.clone(), FrameDuration::new(ticks, clock).unwrap_or(FrameDuration::DEFAULT))
    };
    let dropped = animation.images.len() - kept.len();
    let pictures = kept.iter().enumerate().map(picture).collect();
    Some((RenderedAnimation { images: pictures, plays: animation.plays }, dropped))
}

#[cfg(test)]
mod tests {
    use ::image::RgbaImage;

    use super::*;
    use crate::decode::{DecodedImage, ReadOptions, image};

    #[test]
    fn webp_and_video_come_back_as_they_were() {
        let picture = |at: u8| {
            RgbaImage::from_fn(5, 3, |x, y| {
                ::image::Rgba([at * 60, x as u8 * 50, y as u8 * 90, 255 - at * 40])
            })
        };
        let spans = [(80, 1000), (1, 12), (160, 1000)];
        let images: Vec<_> = (0u8..)
            .zip(spans)
            .map(|(at, (ticks, clock))| (picture(at), FrameDuration::new(ticks, clock).unwrap()))
            .collect();
        let animation = RenderedAnimation { images, plays: 3 };
        let bytes = webp::webp(&animation, || {}).unwrap();
        let folder = tempfile::tempdir().unwrap();
        let moving = |bytes: &[u8]| {
            let file = folder.path().join("file");
            std::fs::write(&file, bytes).unwrap();
            match image(&file, &ReadOptions::default()).unwrap().picture {
                DecodedImage::Moving(moving) => moving,
                other => panic!("no animation: {other:?}"),
            }
        };
        let moving_webp = moving(&bytes);
        let times: Vec<f64> = moving_webp.moments.iter().map(|moment| moment.span.millis()).collect();
        assert_eq!((times, moving_webp.plays), (vec![80.0, 83.0, 160.0], 3));
        for (moment, (image, _)) in moving_webp.moments.iter().zip(&animation.images) {
            assert!(moment.picture.to_image() == *image);
        }
        // A picture is there as often as it is long; colors are off by rounding at most.
        let even = [(80, 1000), (40, 1000), (120, 1000)];
        let images = animation.images.iter().zip(even);
        let images = images
            .map(|((image, _), (ticks, clock))| (image.clone(), FrameDuration::new(ticks, clock).unwrap()));
        let even = RenderedAnimation { images: images.collect(), plays: 0 };
        let moving = moving(&y4m::y4m(&even, || {}).unwrap());
        assert_eq!((moving.moments.len(), moving.moments[0].span.millis()), (6, 40.0));
        for (at, number) in [(0, 0), (1, 0), (2, 1), (5, 2)] {
            let pairs = moving.moments[at].picture.to_image();
            let off = pairs.iter().zip(even.images[number].0.iter()).map(|(a, b)| a.abs_diff(*b)).max();
            assert!(off <= Some(3), "{off:?}");
        }
    }

    #[test]
    fn fast_animations_lose_pictures_and_keep_their_time() {
        for (spans, format, left, millis) in [
            (vec![(1, 60); 60], AnimationFormat::Gif, 30..=50, 1000.0),
            (vec![(1, 120); 120], AnimationFormat::Gif, 40..=50, 1000.0),
            (vec![(1, 120); 120], AnimationFormat::Apng, 50..=60, 1000.0),
            (vec![(1, 12), (1, 100), (1, 12)], AnimationFormat::Gif, 2..=2, 176.7),
            (vec![(1, 500)], AnimationFormat::Gif, 1..=1, 20.0),
        ] {
            let picture = |&(ticks, clock): &(u32, u32)| {
                (RgbaImage::new(1, 1), FrameDuration::new(ticks, clock).unwrap())
            };
            let animation = RenderedAnimation { images: spans.iter().map(picture).collect(), plays: 0 };
            let (thin, dropped) = drop_short_frames(&animation, format).unwrap();
            assert_eq!(thin.images.len() + dropped, spans.len());
            assert!(left.contains(&thin.images.len()), "{}", thin.images.len());
            let all: f64 = thin.images.iter().map(|(_, span)| span.millis()).sum();
            assert!((all - millis).abs() <= 5.0, "{all}");
            assert!(thin.images.iter().all(|(_, span)| span.millis() > 10.0));
            assert!(drop_short_frames(&thin, format).is_none());
        }
        let slow = RenderedAnimation {
            images: vec![(RgbaImage::new(1, 1), FrameDuration::new(1, 50).unwrap()); 3],
            plays: 0,
        };
        assert!(drop_short_frames(&slow, AnimationFormat::Gif).is_none());
    }
}
