//! The light table: a page on which a cut, or frames already cut, are tried by hand, and which ends in the command to type.
//!
//! The page changes no file. What it needs to reckon as the program does goes in as numbers: which pixels of a sheet show something, the
//! readings that were found, where each frame is drawn. It plays with the script that `preview html` plays with.

use serde::Serialize;

use crate::document::{PageTemplate, as_base64, as_data_url, as_data_urls, as_optional_url, document};
use crate::{STYLE, scripts};
use shibori_formats::manifest::Manifest;

const SHEET: PageTemplate = PageTemplate {
    body: include_str!("pages/table.html"),
    styles: &[STYLE, include_str!("pages/table.css")],
    scripts: scripts::SHEET,
};
const SET: PageTemplate = PageTemplate { scripts: scripts::SET, ..SHEET };

/// A light table.
#[derive(Debug, Serialize)]
pub struct LightTable {
    /// What was asked for, as the user named it.
    pub title: String,
    /// The path of the source, with `/`; not yet quoted for a shell.
    pub source: String,
    /// The source's path for a recipe; for an atlas, its manifest.
    pub from: String,
    /// The path of what is made.
    pub output: String,
    /// What a recipe calls the sprite.
    pub sprite: String,
    /// What a per-frame file is called.
    pub per_frame: String,
    /// Whether the source is a manifest.
    pub has_manifest: bool,
    /// Whether it is a set, which can be changed in place.
    pub in_place: bool,
    /// The sprite's table, if a recipe makes the frames; then the page writes lines for it instead of commands.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub recipe: Option<serde_json::Map<String, serde_json::Value>>,
    /// The lines of the per-frame file that it has already: frame, kind, name, values.
    pub per_frame_lines: Vec<[String; 4]>,
    /// Whether commands are quoted for PowerShell.
    pub is_windows: bool,
    /// What is on the table.
    #[serde(flatten)]
    pub shown: LightTableContent,
}

/// What is on the table.
#[derive(Debug, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum LightTableContent {
    /// An image that is not yet cut.
    Sheet(SheetContent),
    /// Frames.
    Set(SetContent),
}

/// A sheet.
#[derive(Debug, Serialize)]
pub struct SheetContent {
    /// Width and height in pixels.
    pub size: [u32; 2],
    /// Its pixels as a PNG.
    #[serde(serialize_with = "as_data_url")]
    pub png: Vec<u8>,
    /// What is behind the drawings: `clear`, `flat` or `none`.
    pub background: &'static str,
    /// Its colors without transparency as a PNG, if some of its pixels are half transparent: a browser rounds those.
    #[serde(serialize_with = "as_optional_url", skip_serializing_if = "Option::is_none")]
    pub solid: Option<Vec<u8>>,
    /// The background that is found, if it is one color.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub auto_key: Option<AutoKey>,
    /// Which pixels show something, as [`runs`].
    #[serde(serialize_with = "as_base64")]
    pub drawn: Vec<u8>,
    /// The grids that could explain it, the best first.
    pub readings: Vec<GridOption>,
    /// Its separate drawings, for several distances at which pieces belong together.
    pub drawings: Vec<IslandOption>,
    /// The same once the background that is found is removed, if that makes a difference.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub keyed_drawings: Option<Vec<IslandOption>>,
    /// Whether separate drawings explain it better than any grid.
    pub is_loose: bool,
}

/// A background of one color.
#[derive(Debug, Serialize)]
pub struct AutoKey {
    /// The color.
    pub color: String,
    /// The largest difference in one channel that is still background.
    pub tolerance: u8,
}

/// A grid.
#[derive(Debug, Serialize)]
pub struct GridOption {
    /// Cells across.
    pub columns: u32,
    /// Cells down.
    pub rows: u32,
    /// Width and height of a cell.
    pub cell: [u32; 2],
    /// Pixels before the first, across and down.
    pub offset: [u32; 2],
    /// Pixels between them.
    pub gutter: [u32; 2],
    /// Whether the sheet is cut so without being asked.
    pub is_sure: bool,
}

/// Separate drawings.
#[derive(Debug, PartialEq, Eq, Serialize)]
pub struct IslandOption {
    /// Pieces with at most this many empty pixels between them belong together.
    pub join: u32,
    /// Whether that distance was found.
    pub is_found: bool,
    /// Row, column, x, y, width and height of each, in the order in which they are numbered.
    pub drawings: Vec<[u32; 6]>,
}

/// Frames.
#[derive(Debug, Serialize)]
pub struct SetContent {
    /// Frames, clips, and where they are on the pages.
    pub manifest: Manifest,
    /// The pages in the manifest's order, as PNGs.
    #[serde(serialize_with = "as_data_urls")]
    pub pages: Vec<Vec<u8>>,
    /// For each frame where on its canvas anything is drawn: x, y, width and height.
    pub drawn: Vec<Option<[u32; 4]>>,
}

/// Lengths of runs of pixels in reading order: those that show nothing and those that show something by turns, nothing first. A length is
/// written seven bits a byte, the low ones first; the high bit says that more follow.
pub fn runs(pixels: impl Iterator<Item = bool>) -> Vec<u8> {
    let mut bytes = Vec::new();
    let mut put = |mut length: u64| {
        while length > 0x7f {
            bytes.push(length as u8 | 0x80);
            length >>= 7;
        }
        bytes.push(length as u8);
    };
    let (mut is_shown, mut length) = (false, 0);
    for pixel in pixels {
        if pixel != is_shown {
            put(length);
            (is_shown, length) = (pixel, 0);
        }
        length += 1;
    }
    put(length);
    bytes
}

/// The text of the page.
pub fn light_table(table: &LightTable) -> String {
    let parts = match table.shown {
        LightTableContent::Sheet(_) => SHEET,
        LightTableContent::Set(_) => SET,
    };
    document(&parts, &table.title, table)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::document::FRAME;

    #[test]
    fn runs_begin_with_nothing_and_long_ones_take_more_bytes() {
        let pixels = |lengths: &[(bool, usize)]| -> Vec<bool> {
            lengths.iter().flat_map(|&(is, length)| std::iter::repeat_n(is, length)).collect()
        };
        let runs_of = |lengths: &[(bool, usize)]| runs(pixels(lengths).into_iter());
        assert_eq!(runs_of(&[(true, 3), (false, 2)]), [0, 3, 2]);
        assert_eq!(runs_of(&[(false, 300), (true, 127)]), [0xac, 2, 127]);
        assert_eq!(runs_of(&[]), [0]);
    }

    fn sheet_table(name: &str) -> LightTable {
        let sheet = SheetContent {
            size: [1, 1],
            png: vec![1],
            background: "clear",
            solid: Some(vec![1]),
            auto_key: Some(AutoKey { color: "ff00ff".to_owned(), tolerance: 0 }),
            drawn: runs([true].into_iter()),
            readings: Vec::new(),
            drawings: Vec::new(),
            keyed_drawings: Some(Vec::new()),
            is_loose: false,
        };
        let [title, source, from, output, sprite, per_frame] = std::array::from_fn(|_| name.to_owned());
        let (has_manifest, in_place, is_windows) = (false, false, false);
        let shown = LightTableContent::Sheet(sheet);
        LightTable {
            title,
            source,
            from,
            output,
            sprite,
            per_frame,
            has_manifest,
            in_place,
            recipe: Some(serde_json::Map::new()),
            per_frame_lines: Vec::new(),
            is_windows,
            shown,
        }
    }

    #[test]
    fn scripts_read_only_keys_that_are_written() {
        let table = serde_json::to_value(sheet_table("koi")).unwrap();
        let scripts = [scripts::bundled(SHEET.scripts), scripts::bundled(SET.scripts)].concat();
        let name = |rest: &str| -> String {
            rest.chars().take_while(|c| c.is_alphanumeric() || *c == '_').collect()
        };
        let read = |object: &str| -> Vec<String> { scripts.split(object).skip(1).map(name).collect() };
        let (of_table, of_sheet) = (read("data."), read("given."));
        assert!(of_table.len() > 10 && of_sheet.len() > 5, "{of_table:?} {of_sheet:?}");
        // A table has a sheet or a set.
        for key in of_table.iter().filter(|key| *key != "set") {
            assert!(table.get(key).is_some(), "data.{key} is not written");
        }
        for key in &of_sheet {
            assert!(table["sheet"].get(key).is_some(), "given.{key} is not written");
        }
    }

    #[test]
    fn a_name_can_not_become_markup() {
        let table = sheet_table("</script><script>alert(1)</script>");
        let page = document(&SHEET, &table.title, &table);
        assert_eq!(page.matches("</script>").count(), FRAME.matches("</script>").count());
        assert!(!page.contains("http://") && !page.contains("https://"), "it needs no network");
    }
}
