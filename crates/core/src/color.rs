//! Colors as people type them, and one laid over another.

use std::fmt;

use image::Rgba;

/// A straight-alpha color: `ff00ff`, or `ff00ff80` with alpha; a leading `#` is taken too.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Color(pub Rgba<u8>);

impl fmt::Display for Color {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let Rgba([r, g, b, a]) = self.0;
        write!(f, "{r:02x}{g:02x}{b:02x}")?;
        if a == 255 { Ok(()) } else { write!(f, "{a:02x}") }
    }
}

/// One pixel over another, both in straight alpha: the PNG standard (third edition), section 13.16, in
/// whole numbers, rounded to nearest.
pub fn over(under: Rgba<u8>, top: Rgba<u8>) -> Rgba<u8> {
    match (top[3], under[3]) {
        (0, _) => return under,
        (255, _) | (_, 0) => return top,
        _ => {}
    }
    let alpha = u32::from(top[3]);
    let (top_share, under_share) = (alpha * 255, (255 - alpha) * u32::from(under[3]));
    let sum = top_share + under_share;
    let mix = |t: u8, u: u8| ((u32::from(t) * top_share + u32::from(u) * under_share + sum / 2) / sum) as u8;
    let [r, g, b] = [0, 1, 2].map(|channel| mix(top[channel], under[channel]));
    Rgba([r, g, b, ((sum + 127) / 255) as u8])
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn colors_read_with_and_without_alpha_and_print_back() {
        for text in ["ff00ff", "ff00ff80", "012345"] {
            assert_eq!(text.parse::<Color>().unwrap().to_string(), text);
        }
        assert_eq!("#FF00FF".parse::<Color>().unwrap().0, Rgba([255, 0, 255, 255]));
        for (text, same) in [
            ("#fff", "ffffff"),
            ("white", "ffffff"),
            ("rgb(106,76,48)", "6a4c30"),
            ("106, 76, 48", "6a4c30"),
            ("rgb(106 76 48 / 50%)", "6a4c3080"),
        ] {
            assert_eq!(text.parse::<Color>().unwrap().to_string(), same, "{text}");
        }
        for wrong in ["", "ff00f", "ggffff", "ff00ff8", "ÿff0", "whit", "300,0,0", "1,2"] {
            assert!(wrong.parse::<Color>().is_err(), "{wrong}");
        }
    }

    #[test]
    fn every_channel_is_read_exactly() {
        for value in 0..=255u8 {
            let color = Color(Rgba([value, 255 - value, 7, value]));
            assert_eq!(color.to_string().parse::<Color>(), Ok(color));
            let typed = format!("rgb({value}, {}, 7)", 255 - value);
            assert_eq!(typed.parse::<Color>().unwrap().0[0], value);
        }
    }

    #[test]
    fn blending_is_exact_at_the_ends() {
        for under in [Rgba([10, 20, 30, 255]), Rgba([10, 20, 30, 90])] {
            assert_eq!(over(under, Rgba([1, 2, 3, 255])), Rgba([1, 2, 3, 255]));
            assert_eq!(over(under, Rgba([1, 2, 3, 0])), under);
        }
        assert_eq!(over(Rgba([0, 0, 0, 0]), Rgba([1, 2, 3, 4])), Rgba([1, 2, 3, 4]));
        assert_eq!(over(Rgba([0, 0, 0, 255]), Rgba([255, 255, 255, 128])), Rgba([128, 128, 128, 255]));
    }
}
