//! A picture as characters: each stands for two pixels, one above the other. Never larger than the picture.

use image::{RgbaImage, imageops};
use shibori_draw::ContactSheets;
use unicode_width::UnicodeWidthStr;

/// How many colors a terminal shows.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Depth {
    /// Every color.
    True,
    /// The 256 of the xterm palette.
    Palette,
}

impl Depth {
    /// What the environment says; `variable` looks one up.
    pub(super) fn of_terminal(variable: impl Fn(&str) -> Option<String>) -> Self {
        match variable("COLORTERM").as_deref() {
            Some("truecolor" | "24bit") => Self::True,
            _ => Self::Palette,
        }
    }

    /// The parameters that set a color: of the character itself, or of the ground behind it.
    fn parameters(self, [red, green, blue]: [u8; 3], is_ground: bool) -> String {
        let which = if is_ground { 48 } else { 38 };
        match self {
            Self::True => format!("{which};2;{red};{green};{blue}"),
            Self::Palette => format!("{which};5;{}", nearest([red, green, blue])),
        }
    }
}

/// Brightness of the six levels that each channel has in the palette's color cube (colors 16 to 231).
const LEVELS: [u8; 6] = [0, 95, 135, 175, 215, 255];

/// The palette's color nearest to `color`: of the cube, or of the 24 grays (232 to 255).
fn nearest(color: [u8; 3]) -> u8 {
    let level = |value: u8| (0..6).min_by_key(|&at| LEVELS[at].abs_diff(value)).unwrap_or(0);
    let [red, green, blue] = color.map(level);
    let cube = ((16 + 36 * red + 6 * green + blue) as u8, [LEVELS[red], LEVELS[green], LEVELS[blue]]);
    let gray = (0..24u8).map(|at| (232 + at, [8 + 10 * at; 3]));
    let distance = |shown: [u8; 3]| -> u32 {
        shown.iter().zip(color).map(|(a, b)| u32::from(a.abs_diff(b)).pow(2)).sum()
    };
    std::iter::once(cube).chain(gray).min_by_key(|&(_, shown)| distance(shown)).map_or(16, |(at, _)| at)
}

/// The picture, `columns` characters wide, a line of text for two of its rows.
pub(super) fn text(picture: &RgbaImage, columns: u32, depth: Depth) -> String {
    let (width, height) = picture.dimensions();
    let columns = columns.min(width).max(1);
    let rows = ((u64::from(height) * u64::from(columns)).div_ceil(u64::from(width.max(1))) as u32).max(1);
    let small = if columns == width { picture.clone() } else { imageops::thumbnail(picture, columns, rows) };
    let color = |x: u32, y: u32| {
        let pixel = small.get_pixel_checked(x, y)?;
        // Half transparent is transparent: a character has no alpha.
        (pixel[3] >= 128).then_some([pixel[0], pixel[1], pixel[2]])
    };
    let mut text = String::new();
    for y in (0..small.height()).step_by(2) {
        for x in 0..small.width() {
            text += &match (color(x, y), color(x, y + 1)) {
                (None, None) => " ".to_owned(),
                (Some(top), None) => format!("\u{1b}[{}m\u{2580}\u{1b}[0m", depth.parameters(top, false)),
                (None, Some(low)) => format!("\u{1b}[{}m\u{2584}\u{1b}[0m", depth.parameters(low, false)),
                (Some(top), Some(low)) => format!(
                    "\u{1b}[{};{}m\u{2580}\u{1b}[0m",
                    depth.parameters(top, false),
                    depth.parameters(low, true)
                ),
            };
        }
        text += "\r\n";
    }
    text
}

/// Characters between frames.
const GAP: u32 = 2;
/// A frame is shrunk until so many are side by side.
const SIDE_BY_SIDE: u32 = 4;

/// A contact sheet, `columns` characters wide: frames as blocks, their labels as text.
pub(super) fn contact(sheets: &ContactSheets, columns: u32, depth: Depth) -> String {
    let mut text = String::new();
    for section in sheets.sections() {
        text += &format!("{}  {}\r\n", section.title, section.detail);
        let room = (columns / SIDE_BY_SIDE).saturating_sub(GAP).max(1);
        let frames: Vec<(RgbaImage, [&str; 2])> = section
            .frames
            .iter()
            .map(|frame| (shrunk(&frame.image(), room), [frame.label(), frame.time()]))
            .collect();
        let cell = frames.iter().map(|(image, words)| {
            let words = words.iter().map(|word| word.width() as u32).max().unwrap_or(0);
            image.width().max(words.min(room))
        });
        let cell = cell.max().unwrap_or(1);
        for line in frames.chunks(((columns + GAP) / (cell + GAP)).max(1) as usize) {
            text += &row(line, cell, depth);
        }
        text += "\r\n";
    }
    text
}

/// Frames side by side in cells of one width, with their labels below.
fn row(frames: &[(RgbaImage, [&str; 2])], cell: u32, depth: Depth) -> String {
    let height = frames.iter().map(|(image, _)| image.height()).max().unwrap_or(1);
    let mut picture = RgbaImage::new(frames.len() as u32 * (cell + GAP) - GAP, height);
    for (at, (image, _)) in (0..).zip(frames) {
        imageops::replace(&mut picture, image, i64::from(at * (cell + GAP)), 0);
    }
    let mut text = text(&picture, picture.width(), depth);
    for which in 0..2 {
        let words = frames.iter().map(|(_, words)| {
            let mut word: String = words[which].to_owned();
            while word.width() > cell as usize {
                word.pop();
            }
            let space = (cell + GAP) as usize - word.width();
            word + &" ".repeat(space)
        });
        let line = words.collect::<String>();
        if !line.trim().is_empty() {
            text += &format!("{}\r\n", line.trim_end());
        }
    }
    text
}

/// The whole picture, no wider than that.
fn shrunk(picture: &RgbaImage, width: u32) -> RgbaImage {
    if picture.width() <= width {
        return picture.clone();
    }
    let height = (u64::from(picture.height()) * u64::from(width)).div_ceil(u64::from(picture.width())) as u32;
    imageops::thumbnail(picture, width, height.max(1))
}

#[cfg(test)]
mod tests {
    use image::Rgba;

    use super::*;

    #[test]
    fn a_character_holds_two_pixels_and_clear_ones_are_left_free() {
        let mut picture = RgbaImage::new(2, 3);
        picture.put_pixel(0, 0, Rgba([255, 0, 0, 255]));
        picture.put_pixel(0, 1, Rgba([0, 255, 0, 255]));
        picture.put_pixel(1, 1, Rgba([1, 2, 3, 255]));
        picture.put_pixel(1, 2, Rgba([9, 9, 9, 40]));
        let expected =
            "\u{1b}[38;2;255;0;0;48;2;0;255;0m\u{2580}\u{1b}[0m\u{1b}[38;2;1;2;3m\u{2584}\u{1b}[0m\r\n  \r\n";
        assert_eq!(text(&picture, 80, Depth::True), expected);
    }

    #[test]
    fn colors_of_the_palette_are_the_nearest() {
        for (color, index) in [
            ([0, 0, 0], 16),
            ([255, 255, 255], 231),
            ([255, 0, 0], 196),
            ([95, 135, 175], 67),
            ([120, 120, 120], 243),
        ] {
            assert_eq!(nearest(color), index, "{color:?}");
        }
        assert_eq!(Depth::of_terminal(|_| None), Depth::Palette);
        assert_eq!(Depth::of_terminal(|_| Some("truecolor".into())), Depth::True);
    }

    #[test]
    fn labels_of_a_contact_sheet_are_text_below_the_frames() {
        use shibori_core::{Frame, FrameSet, Name, Pixels};
        let name = |text: &str| Name::new(text).unwrap();
        let frame = |at: usize| {
            let image = RgbaImage::from_pixel(40, 20, Rgba([9, 9, 9, 255]));
            Frame::new(name("koi"), name(&format!("koi-{at}")), Pixels::from_image(image)).unwrap()
        };
        let set = FrameSet::new((0..5).map(frame).collect(), Vec::new()).unwrap();
        let sheets = ContactSheets::new(set, shibori_draw::ContactStyle::default()).unwrap();
        let shown = contact(&sheets, 80, Depth::True);
        let plain: Vec<&str> = shown.lines().filter(|line| !line.contains('\u{1b}')).collect();
        assert_eq!(
            plain,
            ["koi  5 frames", "0                   1                   2                   3", "4", ""]
        );
        // 40x20 px shrink to 18x9: five rows of blocks.
        assert_eq!(shown.matches('\u{2580}').count(), 5 * 18 * 5, "{shown}");
    }

    #[test]
    fn a_wide_picture_is_brought_to_the_width_asked_for() {
        let picture = RgbaImage::from_pixel(100, 50, Rgba([255, 255, 255, 255]));
        let text = text(&picture, 10, Depth::Palette);
        assert_eq!((text.lines().count(), text.matches('\u{2580}').count()), (3, 30));
    }
}
