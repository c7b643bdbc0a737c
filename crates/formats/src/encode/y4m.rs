//! YUV4MPEG2: uncompressed video for any encoder. 4:4:4 with alpha, full range, ITU-R BT.601 or, from 720 rows on, BT.709,
//! as it is read.

use image::RgbaImage;
use shibori_core::RenderedAnimation;
use shibori_core::clip::{FrameDuration, common_clock};

use crate::WriteProblem;

/// A video has one rate: a picture is there as often as it is long. More pictures than this a second no player shows.
const MOST_A_SECOND: u32 = 1000;

/// The bytes of a video that shows each picture for its time, once. `tick` is called once a picture.
pub(super) fn y4m(animation: &RenderedAnimation, tick: impl Fn() + Sync) -> Result<Vec<u8>, WriteProblem> {
    let spans: Vec<FrameDuration> = animation.images.iter().map(|(_, span)| *span).collect();
    let (clock, ticks) = common_clock(&spans).map_err(|error| WriteProblem::Format(error.to_string()))?;
    let step = ticks.iter().copied().fold(0, num_integer::gcd).max(1);
    if clock / step > MOST_A_SECOND {
        let text = format!(
            "a video needs one rate, and these times fit only {} pictures a second; round them with --snap, such as 60fps",
            clock / step
        );
        return Err(WriteProblem::Format(text));
    }
    let (width, height) = animation.images[0].0.dimensions();
    let whole = num_integer::gcd(clock, step);
    let (rate, per) = (clock / whole, step / whole);
    let head = format!("YUV4MPEG2 W{width} H{height} F{rate}:{per} Ip A1:1 C444alpha XCOLORRANGE=FULL\n");
    let mut bytes = head.into_bytes();
    for ((picture, _), ticks) in animation.images.iter().zip(&ticks) {
        let planes = planes(picture);
        for _ in 0..ticks / step {
            bytes.extend(b"FRAME\n");
            bytes.extend(&planes);
        }
        tick();
    }
    Ok(bytes)
}

/// Luma, blue and red difference and alpha, one plane after the other.
fn planes(picture: &RgbaImage) -> Vec<u8> {
    let (kr, kb) = if picture.height() >= 720 { (0.2126, 0.0722) } else { (0.299, 0.114) };
    let mut planes: [Vec<u8>; 4] = std::array::from_fn(|_| Vec::with_capacity(picture.len() / 4));
    for pixel in picture.pixels() {
        let [r, g, b] = [pixel[0], pixel[1], pixel[2]].map(|channel| f32::from(channel) / 255.0);
        let luma = kr * r + (1.0 - kr - kb) * g + kb * b;
        let difference = |channel: f32, k: f32| (channel - luma) / (2.0 * (1.0 - k)) * 255.0 + 128.0;
        for (plane, value) in
            planes.iter_mut().zip([luma * 255.0, difference(b, kb), difference(r, kr), f32::from(pixel[3])])
        {
            plane.push(value.round().clamp(0.0, 255.0) as u8);
        }
    }
    planes.concat()
}
