//! Each frame mirrored in its own cell. The order of frames never changes.

use image::imageops;

use crate::{Annotations, Frame, FrameSet, Mirror, Pixels, SetError, Size, UVec2};

/// Mirrors every frame; pivot, boxes, nine-slice, polygon and companions follow.
pub fn mirror(set: FrameSet, how: Mirror) -> Result<FrameSet, SetError> {
    set.map_frames(|_, frame| Ok(mirrored(frame, how)))
}

/// One frame mirrored.
pub fn mirrored(frame: Frame, how: Mirror) -> Frame {
    let (canvas, kept) = (frame.canvas(), frame.kept_rect());
    let pixels = match how {
        _ if kept.is_empty() => Pixels::empty(),
        Mirror::LeftRight => Pixels::from_image(imageops::flip_horizontal(&frame.pixels().to_image())),
        Mirror::UpDown => Pixels::from_image(imageops::flip_vertical(&frame.pixels().to_image())),
    };
    let Size { width, height } = kept.size();
    let inset = match how {
        _ if kept.is_empty() => UVec2::default(),
        Mirror::LeftRight => UVec2 { x: canvas.width - kept.x - width, y: kept.y },
        Mirror::UpDown => UVec2 { x: kept.x, y: canvas.height - kept.y - height },
    };
    let pivot = how.point(frame.pivot(), canvas);
    let annotations: Annotations = frame.to_follow().mirrored(how, canvas);
    let companions = frame.companions().iter().map(|one| one.clone().mirrored(how)).collect();
    let frame =
        frame.with_companions(Vec::new()).with_pixels(pixels, inset).expect("a mirror keeps the size");
    frame.with_companions(companions).with_pivot(pivot).with_annotations(annotations)
}
