//! APNG: exact colours, exact times.

use ::png::{BlendOp, DisposeOp, EncodingError};
use shibori_core::clip::Span;
use shibori_core::draw::Film;

use crate::WriteProblem;
use crate::write::{png, seal};

/// The bytes of an animated PNG.
pub(super) fn apng(film: &Film) -> Result<Vec<u8>, WriteProblem> {
    encode(film).map(seal::png).map_err(|error| png::problem(&error))
}

fn encode(film: &Film) -> Result<Vec<u8>, EncodingError> {
    let mut bytes = Vec::new();
    let mut encoder = png::encoder(&mut bytes, &film.pictures[0].0);
    encoder.set_animated(film.pictures.len() as u32, film.plays)?;
    encoder.set_blend_op(BlendOp::Source)?;
    encoder.set_dispose_op(DisposeOp::None)?;
    let mut writer = encoder.write_header()?;
    for (picture, span) in &film.pictures {
        let (numerator, denominator) = delay(*span);
        writer.set_frame_delay(numerator, denominator)?;
        writer.write_image_data(picture)?;
    }
    writer.finish()?;
    Ok(bytes)
}

/// Seconds as a fraction of two 16-bit numbers: exact where it fits, else the nearest tenth of a
/// millisecond, else the nearest hundredth of a second, at most 655.35 s.
fn delay(span: Span) -> (u16, u16) {
    let reduced = span.reduced();
    if let (Ok(ticks), Ok(scale)) = (u16::try_from(reduced.ticks()), u16::try_from(reduced.timescale())) {
        return (ticks, scale);
    }
    let nearest = |parts: f64| (span.millis() * parts / 1000.0).round();
    let (count, parts) =
        if nearest(10_000.0) <= 65_535.0 { (nearest(10_000.0), 10_000) } else { (nearest(100.0), 100) };
    (count.min(65_535.0) as u16, parts)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn delays_are_exact_where_they_fit() {
        let delay = |ticks, scale| delay(Span::new(ticks, scale).unwrap());
        assert_eq!(delay(1, 12), (1, 12));
        assert_eq!(delay(80, 1000), (2, 25));
        assert_eq!(delay(100_000, 1_000_000), (1, 10));
        assert_eq!(delay(100_001, 1_000_000), (1000, 10_000));
        assert_eq!(delay(100_000, 1), (65_535, 100));
    }
}
