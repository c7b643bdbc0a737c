//! A clip as an animation file.

use std::path::{Path, PathBuf};

use shibori_core::RenderedAnimation;
use shibori_core::clip::FrameDuration;

use crate::encode::{apng, gif};
use crate::store::{Transaction, Written};
use crate::{Error, WriteProblem};

/// Animation formats that can be written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum AnimationFormat {
    /// 256 colors, hundredths of a second.
    Gif,
    /// Exact colors and times.
    Apng,
}

impl AnimationFormat {
    /// The format that a file's ending asks for.
    pub fn of(path: &Path) -> Result<Self, Error> {
        let ending = path.extension().unwrap_or_default().to_string_lossy().to_lowercase();
        match ending.as_str() {
            "gif" => Ok(Self::Gif),
            "png" | "apng" => Ok(Self::Apng),
            _ => {
                let text = format!("an animation ends in .gif, .apng or .png, not '.{ending}'");
                Err(Error::write(path, WriteProblem::Format(text)))
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
) -> Result<AnimationReport, Error> {
    let format = AnimationFormat::of(path)?;
    let batch = run.plan(&[PathBuf::from(path)], &[])?;
    let wrong = |problem: WriteProblem| Error::write(path, problem);
    let shortened = drop_short_frames(animation, format);
    let (animation, dropped) =
        shortened.as_ref().map_or((animation, 0), |(animation, dropped)| (animation, *dropped));
    let (bytes, hardened, reduced_from) = match format {
        AnimationFormat::Apng => (apng::apng(animation, tick).map_err(wrong)?, 0, None),
        AnimationFormat::Gif => {
            let encoded = gif::gif(animation, tick).map_err(wrong)?;
            (encoded.bytes, encoded.hardened, encoded.reduced_from)
        }
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
    // Ticks a second in which times are told, and the fewest of them.
    let (clock, least) = match format {
        AnimationFormat::Gif => (100u32, 2u64),
        AnimationFormat::Apng => (1_000_000, 10_001),
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
    use image::RgbaImage;

    use super::*;

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
