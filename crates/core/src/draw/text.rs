//! Labels in an 8x8 pixel font. Letters the font lacks are drawn as a hollow box, never left out.

use font8x8::{BASIC_FONTS, LATIN_FONTS, UnicodeFonts};

/// Pixels a letter takes across and down at scale 1.
pub(super) const LETTER: u32 = 8;

const MISSING: [u8; 8] = [0x7e, 0x42, 0x42, 0x42, 0x42, 0x42, 0x7e, 0];

/// Pixels a text takes across.
pub(super) fn width(text: &str, scale: u32) -> u32 {
    text.chars().count() as u32 * LETTER * scale
}

/// The lit pixels of a text at scale 1, as x and y.
pub(super) fn lit(text: &str) -> impl Iterator<Item = (u32, u32)> {
    text.chars().enumerate().flat_map(|(at, letter)| {
        let rows = BASIC_FONTS.get(letter).or_else(|| LATIN_FONTS.get(letter)).unwrap_or(MISSING);
        (0..LETTER * LETTER).filter_map(move |n| {
            let (x, y) = (n % LETTER, n / LETTER);
            (rows[y as usize] >> x & 1 == 1).then_some((at as u32 * LETTER + x, y))
        })
    })
}

/// A text cut to fit a width, with two dots where something is missing.
pub(super) fn fitted(text: &str, room: u32, scale: u32) -> String {
    if width(text, scale) <= room {
        return text.to_owned();
    }
    let letters = (room / (LETTER * scale)) as usize;
    let kept: String = text.chars().take(letters.saturating_sub(2)).collect();
    kept + &"..".chars().take(letters).collect::<String>()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn long_texts_are_cut_visibly_and_strange_letters_show_a_box() {
        assert_eq!(fitted("dive-07", 56, 1), "dive-07");
        assert_eq!(fitted("dive-07", 55, 1), "dive..");
        assert_eq!(fitted("dive-07", 8, 1), ".");
        assert_eq!(lit("鯉").count(), lit("\u{2603}").count());
        assert!(lit("鯉").count() > 10);
    }
}
