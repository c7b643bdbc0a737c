//! Labels: an 8x8 pixel font for Latin letters, GNU Unifont for every other script and for emoji.
//!
//! The tall letters of other scripts are 16 pixels high and 8 or 16 wide. On a line of small letters they reach four pixels
//! above and below it; from scale 2 on they are drawn at half the scale, and all letters are of one height. Letters follow
//! each other from left to right as they are written in memory, Arabic and Hebrew words from right to left,
//! Arabic letters joined. What neither font has is drawn as a hollow box, never left out; signs that only say how the letter before them
//! is to look (variation selectors, joiners) take no room.

use std::sync::{LazyLock, Mutex, PoisonError};

use font8x8::{BASIC_FONTS, LATIN_FONTS, UnicodeFonts};
use unifont::i18n::preprocess_text;
use unifont_bitmap::Unifont;

/// Pixels a small letter takes across and down at scale 1.
pub(super) const LETTER: u32 = 8;
/// Pixels a tall letter takes down.
const TALL: u32 = 16;

const MISSING: [u8; 8] = [0x7e, 0x42, 0x42, 0x42, 0x42, 0x42, 0x7e, 0];

#[derive(Clone, Copy)]
enum Shape {
    Small([u8; 8]),
    Tall(Tall),
}

/// A letter of GNU Unifont.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
struct Tall {
    /// Rows from the top; the leftmost pixel is the highest bit.
    rows: [u16; TALL as usize],
    /// 8 or 16 pixels.
    width: u32,
}

impl Tall {
    /// What the font shows for what it does not have.
    const UNKNOWN: char = '\u{fffd}';

    fn of(letter: char) -> Option<Self> {
        static UNKNOWN: LazyLock<Tall> = LazyLock::new(|| Tall::load(Tall::UNKNOWN));
        let tall = Self::load(letter);
        (tall != *UNKNOWN || letter == Self::UNKNOWN).then_some(tall)
    }

    fn load(letter: char) -> Self {
        // The font is kept compressed; what was looked up once stays.
        static FONT: LazyLock<Mutex<Unifont>> = LazyLock::new(|| Mutex::new(Unifont::open()));
        let mut font = FONT.lock().unwrap_or_else(PoisonError::into_inner);
        let bitmap = font.load_bitmap(letter.into());
        let (bytes, is_wide) = (bitmap.get_bytes(), bitmap.is_wide());
        let row = |at: usize| match is_wide {
            true => u16::from_be_bytes([bytes[2 * at], bytes[2 * at + 1]]),
            false => u16::from_be_bytes([bytes[at], 0]),
        };
        Self { rows: std::array::from_fn(row), width: if is_wide { 16 } else { 8 } }
    }
}

impl Shape {
    fn of(letter: char) -> Self {
        let small = BASIC_FONTS.get(letter).or_else(|| LATIN_FONTS.get(letter)).map(Self::Small);
        small.or_else(|| Tall::of(letter).map(Self::Tall)).unwrap_or(Self::Small(MISSING))
    }

    /// The side of a lit pixel.
    fn pixel(self, scale: u32) -> u32 {
        match self {
            Self::Small(_) => scale,
            Self::Tall(_) => (scale / 2).max(1),
        }
    }

    fn width(self, scale: u32) -> u32 {
        let letters = match self {
            Self::Small(_) => LETTER,
            Self::Tall(tall) => tall.width,
        };
        letters * self.pixel(scale)
    }

    /// Lit pixels, each by its place in the letter.
    fn lit(self) -> Vec<(u32, u32)> {
        let (wide, high) = match self {
            Self::Small(_) => (LETTER, LETTER),
            Self::Tall(tall) => (tall.width, TALL),
        };
        let is_lit = |x: u32, y: u32| match self {
            Self::Small(rows) => rows[y as usize] >> x & 1 == 1,
            Self::Tall(tall) => tall.rows[y as usize] << x & 0x8000 != 0,
        };
        let all = (0..high).flat_map(|y| (0..wide).map(move |x| (x, y)));
        all.filter(|&(x, y)| is_lit(x, y)).collect()
    }
}

/// Pixels a text takes across.
pub(super) fn width(text: &str, scale: u32) -> u32 {
    in_reading_order(text).into_iter().map(|letter| Shape::of(letter).width(scale)).sum()
}

/// Pixels a line takes down: more where it has tall letters at scale 1.
pub(super) fn height(text: &str, scale: u32) -> u32 {
    let is_tall = text.chars().any(|letter| matches!(Shape::of(letter), Shape::Tall(_)));
    if is_tall { (LETTER * scale).max(TALL) } else { LETTER * scale }
}

/// The lit squares of a text on a line: left, top (which may lie above the line) and side.
pub(super) fn lit(text: &str, scale: u32) -> Vec<(u32, i32, u32)> {
    let mut left = 0;
    let mut squares = Vec::new();
    for letter in in_reading_order(text) {
        let shape = Shape::of(letter);
        let side = shape.pixel(scale);
        // The middle of a tall letter is that of the line.
        let above = match shape {
            Shape::Small(_) => 0,
            Shape::Tall(_) => (LETTER * scale) as i32 / 2 - (TALL * side) as i32 / 2,
        };
        squares
            .extend(shape.lit().into_iter().map(|(x, y)| (left + x * side, above + (y * side) as i32, side)));
        left += shape.width(scale);
    }
    squares
}

/// The letters from left to right: runs of letters that are written from right to left are reversed. All that a name
/// needs of the Unicode Bidirectional Algorithm (UAX 9).
fn in_reading_order(text: &str) -> Vec<char> {
    let is_right_to_left =
        |c: char| matches!(c, '\u{590}'..='\u{8ff}' | '\u{fb1d}'..='\u{fdff}' | '\u{fe70}'..='\u{feff}');
    let is_seen = |c: &char| !matches!(c, '\u{200c}' | '\u{200d}' | '\u{fe00}'..='\u{fe0f}');
    let mut letters: Vec<char> = match text.chars().any(is_right_to_left) {
        true => preprocess_text(text).chars().filter(is_seen).collect(),
        false => return text.chars().filter(is_seen).collect(),
    };
    let mut at = 0;
    while at < letters.len() {
        if !is_right_to_left(letters[at]) {
            at += 1;
            continue;
        }
        let run = letters[at..].iter().take_while(|&&c| is_right_to_left(c) || c == ' ').count();
        // Spaces at the end of a run belong to what follows.
        let spaces = letters[at..at + run].iter().rev().take_while(|&&c| c == ' ').count();
        letters[at..at + run - spaces].reverse();
        at += run;
    }
    letters
}

/// A text cut to fit a width, with two dots where something is missing.
pub(super) fn fitted(text: &str, room: u32, scale: u32) -> String {
    if width(text, scale) <= room {
        return text.to_owned();
    }
    let dots = (room / (LETTER * scale)).min(2);
    let mut left = room.saturating_sub(dots * LETTER * scale);
    let fits = |letter: &char| {
        let needed = Shape::of(*letter).width(scale);
        let fits = needed <= left;
        left = left.saturating_sub(needed);
        fits
    };
    let kept: String = text.chars().take_while(fits).collect();
    kept + &"..".chars().take(dots as usize).collect::<String>()
}

/// At most one decimal, and none where it would be 0.
pub(super) fn plain(number: f64) -> String {
    let text = format!("{number:.1}");
    text.strip_suffix(".0").map(str::to_owned).unwrap_or(text)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn long_texts_are_cut_visibly() {
        assert_eq!(fitted("dive-07", 56, 1), "dive-07");
        assert_eq!(fitted("dive-07", 55, 1), "dive..");
        assert_eq!(fitted("dive-07", 8, 1), ".");
        // Two wide letters and a dot each.
        assert_eq!(fitted("鯉の歩き", 50, 1), "鯉の..");
    }

    #[test]
    fn every_script_has_letters_of_its_own_and_what_has_none_is_a_box() {
        let shape = |text: &str| lit(text, 1);
        let scripts = ["鯉", "ж", "ش", "ש", "का", "한", "ก", "🐸", "🦆", "🔥"];
        for (at, letter) in scripts.iter().enumerate() {
            assert!(shape(letter).len() > 8, "{letter}");
            assert!(scripts[..at].iter().all(|other| shape(other) != shape(letter)), "{letter}");
        }
        assert_eq!(shape("\u{10ffff}"), shape("\u{e000}"));
        assert_eq!((shape("\u{2b50}\u{fe0f}"), width("\u{1f438}\u{200d}", 1)), (shape("\u{2b50}"), 16));
        assert_eq!((width("鯉", 1), width("鯉", 2), width("ж", 1), width("a", 2)), (16, 16, 8, 16));
        assert_eq!((height("koi", 1), height("鯉", 1), height("鯉", 2)), (8, 16, 16));
        // At scale 2 all letters stand on one line; at scale 1 tall ones reach over it on both sides.
        assert!(lit("鯉a", 2).iter().all(|&(_, top, side)| top >= 0 && top + side as i32 <= 16));
        assert!(lit("鯉", 1).iter().any(|&(_, top, _)| top < 0));
    }

    #[test]
    fn words_from_right_to_left_are_reversed_in_place() {
        let read = |text: &str| in_reading_order(text).into_iter().collect::<String>();
        assert_eq!(read("koi-07"), "koi-07");
        assert_eq!(read("a שלום b"), "a םולש b");
        // Joined: the first letter of the word stands last, in its initial form.
        assert_eq!(read("سمك-07"), "\u{feda}\u{fee4}\u{feb3}-07");
    }
}
