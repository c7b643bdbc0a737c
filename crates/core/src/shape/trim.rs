//! Trimming: keep the part of the canvas that shows something.
//!
//! A wider scope makes frames share one box, so that nothing jumps even in a game that ignores
//! insets. Canvas and inset always restore the frame; a blank frame keeps no pixels.

use crate::components::DisjointSets;
use crate::parallel;
use crate::{FrameSet, Pixels, Rect, SetError, UVec2};

/// How to trim.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Trim {
    /// What shares one box.
    pub scope: TrimScope,
    /// Pixels with an alpha up to this count as empty.
    pub alpha: u8,
    /// Empty pixels to keep around the content.
    pub border: u32,
}

/// What shares one box.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize), serde(rename_all = "kebab-case"))]
#[cfg_attr(feature = "clap", derive(clap::ValueEnum))]
pub enum TrimScope {
    /// No trimming
    #[default]
    None,
    /// Each frame has its own box
    Frame,
    /// The frames of a clip share one
    Clip,
    /// The frames of a sprite share one
    Sprite,
}

/// Trims every frame of a set.
pub fn trim(set: FrameSet, how: Trim) -> Result<FrameSet, SetError> {
    if how.scope == TrimScope::None {
        return Ok(set);
    }
    let content: Vec<Option<Rect>> = parallel::map_slice(set.frames(), |frame| frame.extent(how.alpha));
    let groups = groups(&set, how.scope);
    let mut shared: Vec<Option<Rect>> = vec![None; content.len()];
    for (at, &group) in groups.iter().enumerate() {
        if let Some(found) = content[at] {
            shared[group] = Some(shared[group].map_or(found, |rect| rect.union(found)));
        }
    }
    set.map_frames(|at, frame| {
        let shown = shared[groups[at]].map(|rect| rect.inflate_within(how.border, frame.canvas()));
        // A box shared by frames of several canvases may reach beyond a small one.
        let kept = shown.and_then(|rect| rect.intersection(Rect::of(frame.canvas())));
        let trimmed = match kept {
            Some(rect) => frame.with_kept_rect(rect),
            None => frame.with_pixels(Pixels::empty(), UVec2::default()),
        };
        Ok(trimmed.expect("the box was cut to the canvas"))
    })
}

/// Gives every frame its whole canvas back.
pub fn restore(set: FrameSet) -> Result<FrameSet, SetError> {
    set.map_frames(|_, frame| {
        let whole = frame.full_image();
        Ok(frame.with_pixels(whole, UVec2::default()).expect("a canvas fits itself"))
    })
}

/// For each frame, the first frame of the group it shares a box with.
pub(super) fn groups(set: &FrameSet, scope: TrimScope) -> Vec<usize> {
    let mut groups = DisjointSets::of(set.frames().len());
    match scope {
        TrimScope::None | TrimScope::Frame => {}
        TrimScope::Clip => {
            for clip in set.clips() {
                let start = clip.steps()[0].frame;
                clip.steps().iter().for_each(|step| groups.union(start, step.frame));
            }
        }
        TrimScope::Sprite => {
            let first: Vec<usize> = set.index().sprites().map(|frames| frames[0]).collect();
            for frame in 0..set.frames().len() {
                groups.union(first[set.index().sprite_of(frame)], frame);
            }
        }
    }
    groups.into_representatives()
}

#[cfg(test)]
mod tests {
    use image::{Rgba, RgbaImage};
    use proptest::prelude::*;

    use super::*;
    use crate::pixels::tests::any_pixels;
    use crate::set::tests::with_clips;
    use crate::{Frame, Name};

    /// One frame of 10x10 a dot; `None` is a blank frame.
    fn dots(dots: &[Option<(u32, u32)>]) -> FrameSet {
        let frame = |(at, dot): (usize, &Option<(u32, u32)>)| {
            let mut image = RgbaImage::new(10, 10);
            if let Some((x, y)) = dot {
                image.put_pixel(*x, *y, Rgba([9, 9, 9, 255]));
            }
            let name = Name::new(at.to_string()).unwrap();
            Frame::new(Name::new("dot").unwrap(), name, Pixels::from_image(image)).unwrap()
        };
        FrameSet::new(dots.iter().enumerate().map(frame).collect(), Vec::new()).unwrap()
    }

    fn kept(set: FrameSet, scope: TrimScope, border: u32) -> Vec<Rect> {
        let set = trim(set, Trim { scope, alpha: 0, border }).unwrap();
        set.frames().iter().map(Frame::kept_rect).collect()
    }

    #[test]
    fn each_scope_shares_its_box() {
        let four = || with_clips(dots(&[Some((1, 1)), Some((3, 2)), Some((8, 8)), None]), &["a = 0-1"]);
        let one = |x, y| Rect::new(x, y, 1, 1);
        let shared = Rect::new(1, 1, 3, 2);
        let none = Rect::default();
        assert_eq!(kept(four(), TrimScope::Frame, 0), [one(1, 1), one(3, 2), one(8, 8), none]);
        assert_eq!(kept(four(), TrimScope::Clip, 0), [shared, shared, one(8, 8), none]);
        assert_eq!(kept(four(), TrimScope::Sprite, 0), [Rect::new(1, 1, 8, 8); 4]);
        assert_eq!(kept(four(), TrimScope::None, 0), [Rect::new(0, 0, 10, 10); 4]);
        assert_eq!(kept(four(), TrimScope::Frame, 2)[2], Rect::new(6, 6, 4, 4));
    }

    #[test]
    fn a_frame_in_two_clips_joins_them() {
        let set = with_clips(dots(&[Some((1, 1)), Some((5, 5)), Some((8, 8))]), &["a = 0-1", "b = 2,1"]);
        assert_eq!(kept(set, TrimScope::Clip, 0), [Rect::new(1, 1, 8, 8); 3]);
    }

    #[test]
    fn a_box_once_trimmed_away_comes_back_as_blank_pixels() {
        let set =
            trim(dots(&[Some((1, 1)), Some((3, 3))]), Trim { scope: TrimScope::Frame, ..Trim::default() });
        let again = kept(set.unwrap(), TrimScope::Sprite, 0);
        assert_eq!(again, [Rect::new(1, 1, 3, 3); 2]);
    }

    proptest! {
        #[test]
        fn trimming_loses_nothing_and_trims_to_the_edge(pixels in any_pixels(10), border in 0u32..3) {
            let frame = Frame::new(Name::new("a").unwrap(), Name::new("b").unwrap(), pixels.clone()).unwrap();
            let set = FrameSet::new(vec![frame], Vec::new()).unwrap();
            let set = trim(set, Trim { scope: TrimScope::Frame, alpha: 0, border }).unwrap();
            let frame = &set.frames()[0];
            prop_assert!(frame.full_image().is_same_image(&pixels));
            let wanted = pixels.content_bounds(0).map(|rect| rect.inflate_within(border, pixels.size()));
            prop_assert_eq!(frame.kept_rect(), wanted.unwrap_or_default());
        }
    }
}
