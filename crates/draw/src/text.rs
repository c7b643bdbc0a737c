//! Labels in GNU Unifont: 16 pixels high, 8 or 16 wide, in any script and with emoji.
//!
//! Text is laid out from left to right as it is read (UAX 9), Arabic letters joined. A character the font lacks is drawn as
//! a hollow box, never left out; characters that only change the one before them (variation selectors, joiners) take no room.

use std::sync::{LazyLock, Mutex, PoisonError};

use unicode_bidi::BidiInfo;
use unifont::i18n::preprocess_text;
use unifont_bitmap::Unifont;

/// Width of a narrow character in pixels.
pub(crate) const LETTER: u32 = 8;
/// Height of a line in pixels.
pub(crate) const LINE: u32 = 16;

/// How a label is drawn.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Style {
    Plain,
    /// Each pixel is drawn twice, side by side.
    Bold,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
struct Glyph {
    /// Rows from the top; the leftmost pixel is the highest bit.
    rows: [u16; LINE as usize],
    /// 8 or 16 pixels.
    width: u32,
}

impl Glyph {
    const MISSING: Self = Self {
        rows: [
            0, 0, 0, 0x7e00, 0x4200, 0x4200, 0x4200, 0x4200, 0x4200, 0x4200, 0x4200, 0x4200, 0x4200, 0x7e00,
            0, 0,
        ],
        width: LETTER,
    };
    /// What the font has in place of a character it lacks.
    const REPLACEMENT: char = '\u{fffd}';

    fn of(letter: char) -> Self {
        static ASCII: LazyLock<Vec<Glyph>> = LazyLock::new(|| ('\0'..'\u{80}').map(Glyph::load).collect());
        static REPLACEMENT: LazyLock<Glyph> = LazyLock::new(|| Glyph::load(Glyph::REPLACEMENT));
        if let Some(glyph) = ASCII.get(letter as usize) {
            return *glyph;
        }
        let glyph = Self::load(letter);
        if glyph == *REPLACEMENT && letter != Self::REPLACEMENT { Self::MISSING } else { glyph }
    }

    fn load(letter: char) -> Self {
        // The font is kept compressed; a block that was looked up once stays.
        static FONT: LazyLock<Mutex<Unifont>> = LazyLock::new(|| Mutex::new(Unifont::open()));
        let mut font = FONT.lock().unwrap_or_else(PoisonError::into_inner);
        let bitmap = font.load_bitmap(letter.into());
        let (bytes, is_wide) = (bitmap.get_bytes(), bitmap.is_wide());
        let row = |at: usize| match is_wide {
            true => u16::from_be_bytes([bytes[2 * at], bytes[2 * at + 1]]),
            false => u16::from_be_bytes([bytes[at], 0]),
        };
        Self { rows: std::array::from_fn(row), width: if is_wide { 2 * LETTER } else { LETTER } }
    }

    fn lit(self) -> impl Iterator<Item = (u32, u32)> {
        let all = (0..LINE).flat_map(move |y| (0..self.width).map(move |x| (x, y)));
        all.filter(move |&(x, y)| self.rows[y as usize] << x & 0x8000 != 0)
    }
}

/// Width of a text in pixels.
pub(crate) fn width(text: &str) -> u32 {
    in_reading_order(text).chars().map(|letter| Glyph::of(letter).width).sum()
}

/// The lit pixels of a text: left, top.
pub(crate) fn lit(text: &str, style: Style) -> Vec<(u32, u32)> {
    let (mut left, mut pixels) = (0, Vec::new());
    for letter in in_reading_order(text).chars() {
        let glyph = Glyph::of(letter);
        for (x, y) in glyph.lit() {
            pixels.push((left + x, y));
            if style == Style::Bold {
                pixels.push((left + x + 1, y));
            }
        }
        left += glyph.width;
    }
    pixels
}

/// The characters from left to right.
fn in_reading_order(text: &str) -> String {
    let is_seen = |c: &char| !matches!(c, '\u{200c}' | '\u{200d}' | '\u{fe00}'..='\u{fe0f}');
    if text.is_ascii() {
        return text.to_owned();
    }
    let joined: String = preprocess_text(text).chars().filter(is_seen).collect();
    let info = BidiInfo::new(&joined, None);
    info.paragraphs.iter().map(|line| info.reorder_line(line, line.range.clone())).collect()
}

/// A text cut to fit a width, with two dots where something is missing.
pub(crate) fn fitted(text: &str, room: u32) -> String {
    if width(text) <= room {
        return text.to_owned();
    }
    let dots = (room / LETTER).min(2);
    let mut left = room.saturating_sub(dots * LETTER);
    let fits = |letter: &char| {
        let needed = Glyph::of(*letter).width;
        let fits = needed <= left;
        left = left.saturating_sub(needed);
        fits
    };
    let kept: String = text.chars().take_while(fits).collect();
    kept + &"..".chars().take(dots as usize).collect::<String>()
}

/// At most one decimal, and none where it would be 0.
pub(crate) fn plain(number: f64) -> String {
    let text = format!("{number:.1}");
    text.strip_suffix(".0").map(str::to_owned).unwrap_or(text)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn long_texts_are_cut_visibly() {
        assert_eq!(fitted("dive-07", 56), "dive-07");
        assert_eq!(fitted("dive-07", 55), "dive..");
        assert_eq!(fitted("dive-07", 8), ".");
        // Two wide letters and a dot each.
        assert_eq!(fitted("鯉の歩き", 50), "鯉の..");
    }

    #[test]
    fn every_script_has_letters_of_its_own_and_a_missing_one_is_a_box() {
        let pixels = |text: &str| lit(text, Style::Plain);
        let scripts = ["a", "é", "鯉", "ж", "ش", "ש", "か", "한", "ก", "🐸", "🦆", "🔥"];
        for (at, letter) in scripts.iter().enumerate() {
            assert!(pixels(letter).len() > 8, "{letter}");
            assert!(scripts[..at].iter().all(|other| pixels(other) != pixels(letter)), "{letter}");
        }
        assert_eq!(pixels("\u{10ffff}"), pixels("\u{e000}"));
        assert_eq!((pixels("\u{2b50}\u{fe0f}"), width("\u{1f438}\u{200d}")), (pixels("\u{2b50}"), 16));
        assert_eq!((width("鯉"), width("ж"), width("a")), (16, 8, 8));
        assert!(lit("鯉Ág", Style::Bold).iter().all(|&(x, y)| x <= 32 && y < LINE));
    }

    #[test]
    fn words_from_right_to_left_are_reversed_in_place() {
        assert_eq!(in_reading_order("koi-07"), "koi-07");
        assert_eq!(in_reading_order("a שלום b"), "a םולש b");
        // Joined: the first letter of the word comes last, in its initial form. The number keeps its order.
        assert_eq!(in_reading_order("koi سمك 07 b"), "koi 07 \u{feda}\u{fee4}\u{feb3} b");
    }
}
