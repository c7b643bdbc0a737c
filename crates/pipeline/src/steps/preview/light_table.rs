//! A page on which a sheet's cut, or frames already cut, are tried by hand.

use std::collections::HashMap;
use std::path::{Path, PathBuf};

use shibori_core::clean::{KeyColors, KeyScope, key};
use shibori_core::cut::{GridCandidate, IslandOptions, SheetAnalysis};
use shibori_core::{Background, Color, Frame, Pixels};
use shibori_formats::DisplaySlashed;
use shibori_formats::decode::{DecodedImage, image, manifest_of, overrides, sprite_name};
use shibori_formats::encode;
use shibori_formats::manifest::SET_FILE;
use shibori_report::{
    AutoKey, GridOption, IslandOption, LightTable, LightTableContent, SetContent, SheetContent, light_table,
    runs,
};

use crate::options::CutOptions;
use crate::steps::inspect::{ImageContent, sheet_content};
use crate::steps::loading::load_with_companions;
use crate::steps::preview::html::HtmlPage;
use crate::steps::preview::pages::pages_of;
use crate::steps::sheet::{SheetReading, find_islands, flattened};
use crate::{Context, Error, Source};

/// Distances at which pieces belong together that can be tried on the page.
const JOINS: [u32; 9] = [0, 1, 2, 3, 4, 6, 8, 16, 32];
/// On larger sheets only the distance that is found: looking takes long there.
const MANY_PIXELS: u64 = 1 << 21;

/// What a sprite's table in a recipe says.
type RecipeTable = serde_json::Map<String, serde_json::Value>;

/// What the commands of a light table write.
#[derive(Clone, Debug)]
pub struct TableTarget {
    sprite: String,
    /// The source's path for a recipe.
    from: PathBuf,
    /// The set that is made of the source, if that isn't changed in place.
    pub output: PathBuf,
    /// Whether the source is a set or an atlas.
    pub has_manifest: bool,
    /// Whether the source is a set, which is changed in place.
    pub in_place: bool,
}

impl TableTarget {
    /// What is made of a source.
    ///
    /// # Errors
    /// If no sprite can have the source's name.
    pub fn of(source: &Path, cx: &Context<'_>) -> Result<Self, Error> {
        let whole = cx.resolve(source);
        let manifest = manifest_of(&whole);
        let in_place =
            manifest.as_ref().is_some_and(|path| path.file_name().is_some_and(|name| name == SET_FILE));
        // A set is called like its folder.
        let named = if in_place && whole.is_file() { source.parent().unwrap_or(source) } else { source };
        let sprite = sprite_name(named)?.to_string();
        // An atlas may be typed without its ending.
        let from = match &manifest {
            Some(_) if !whole.exists() => source.with_added_extension("json"),
            _ => source.to_owned(),
        };
        let has_manifest = manifest.is_some();
        let output = if has_manifest { format!("{sprite}-moved").into() } else { PathBuf::from(&sprite) };
        Ok(Self { sprite, from, output, has_manifest, in_place })
    }
}

pub(super) fn draw(
    source: &Source,
    recipe: Option<&RecipeTable>,
    cx: &Context<'_>,
) -> Result<HtmlPage, Error> {
    let Some(path) = source.path() else { return in_recipe(source, recipe, cx) };
    let whole = cx.resolve(path);
    let target = TableTarget::of(path, cx)?;
    let from = target.from.display_slashed().to_string();
    let sprite = &target.sprite;
    let table = |shown: LightTableContent| LightTable {
        title: path.display_slashed().to_string(),
        source: path.display_slashed().to_string(),
        from: from.clone(),
        output: target.output.display_slashed().to_string(),
        per_frame: format!("{sprite}-per-frame.csv"),
        sprite: sprite.clone(),
        has_manifest: target.has_manifest,
        in_place: target.in_place,
        recipe: None,
        per_frame_lines: Vec::new(),
        is_windows: cfg!(windows),
        shown,
    };
    if !target.has_manifest
        && whole.is_file()
        && let Some(pixels) = still(path, &whole, cx)?
    {
        cx.transaction().add_sources(std::slice::from_ref(&whole));
        let table = table(LightTableContent::Sheet(sheet(path, &pixels, cx)?));
        return Ok(HtmlPage::new(light_table(&table), None, 0));
    }
    page(source, &table, cx)
}

/// The pixels of a sheet; none of an animation, or of a painting whose layers are frames.
fn still(path: &Path, whole: &Path, cx: &Context<'_>) -> Result<Option<Pixels>, Error> {
    match image(whole, cx.limits())?.picture {
        DecodedImage::Still(pixels) => Ok(Some(pixels)),
        DecodedImage::Layers(painting) if painting.is_flat() => flattened(path, &painting, cx).map(Some),
        DecodedImage::Layers(_) | DecodedImage::Moving(_) => Ok(None),
    }
}

/// The table of frames that a recipe makes: it ends in lines of the recipe.
fn in_recipe(source: &Source, recipe: Option<&RecipeTable>, cx: &Context<'_>) -> Result<HtmlPage, Error> {
    let sprite = source.name().display_slashed().to_string();
    let recipe = recipe.cloned().unwrap_or_default();
    // A recipe that already has a per-frame file keeps using it.
    let per_frame = recipe.get("shape").and_then(|shape| shape.get("per-frame")?.as_str());
    let per_frame_lines = match per_frame {
        Some(file) => encode::override_columns(&overrides(&cx.resolve(Path::new(file)), cx.limits())?.lines),
        None => Vec::new(),
    };
    let usual = || format!("{}-per-frame.csv", sprite.replace('/', "-"));
    let per_frame = per_frame.map_or_else(usual, str::to_owned);
    let table = |shown: LightTableContent| LightTable {
        title: sprite.clone(),
        source: String::new(),
        from: String::new(),
        output: String::new(),
        sprite: sprite.clone(),
        per_frame: per_frame.clone(),
        has_manifest: false,
        in_place: false,
        recipe: Some(recipe.clone()),
        per_frame_lines: per_frame_lines.clone(),
        is_windows: cfg!(windows),
        shown,
    };
    page(source, &table, cx)
}

fn page(
    source: &Source,
    table: &dyn Fn(LightTableContent) -> LightTable,
    cx: &Context<'_>,
) -> Result<HtmlPage, Error> {
    let set = load_with_companions(source, cx)?;
    let (manifest, pages) = pages_of(source, false, &set, cx)?;
    let pages = pages.iter().map(|page| png(&page.pixels, &page.name)).collect::<Result<_, _>>()?;
    // A layout may list a frame again.
    let named: HashMap<(&str, &str), &Frame> =
        set.frames().iter().map(|frame| ((frame.sprite().as_str(), frame.name().as_str()), frame)).collect();
    let drawn = manifest.frames.iter().map(|entry| {
        let content = named.get(&(&*entry.sprite, &*entry.name))?.extent(0)?;
        Some([content.x, content.y, content.width, content.height])
    });
    let drawn = drawn.collect();
    let (frames, clips) = (manifest.frames.len(), manifest.clips.len());
    let table = table(LightTableContent::Set(SetContent { manifest, pages, drawn }));
    Ok(HtmlPage::new(light_table(&table), Some(frames), clips))
}

fn png(pixels: &Pixels, name: &str) -> Result<Vec<u8>, Error> {
    let wrong = |problem| shibori_formats::FileError::write(Path::new(name), problem);
    Ok(encode::png(&pixels.to_image()).map_err(wrong)?)
}

fn sheet(path: &Path, pixels: &Pixels, cx: &Context<'_>) -> Result<SheetContent, Error> {
    let analysis = SheetAnalysis::of(pixels);
    let (size, behind) = (pixels.size(), analysis.background());
    let sheet = SheetReading::of(path, &analysis, cx)?;
    let is_sure = sheet.is_sure();
    let readings: Vec<GridOption> =
        sheet.proposals().enumerate().map(|(at, one)| reading(one, is_sure && at == 0)).collect();
    let drawings = if behind == Background::None { Vec::new() } else { find_drawings(&analysis, cx)? };
    let (auto_key, keyed_drawings) = match behind {
        Background::Flat { color, tolerance } => {
            let colors = KeyColors { colors: vec![Color(color)], tolerance };
            let keyed = Pixels::from_image(key(pixels, &colors, KeyScope::Outside, &[]).image);
            let keyed = find_drawings(&SheetAnalysis::with_background(&keyed, Background::Clear), cx)?;
            let auto = AutoKey { color: Color(color).to_string(), tolerance };
            (Some(auto), (keyed != drawings).then_some(keyed))
        }
        Background::Clear | Background::None => (None, None),
    };
    let is_loose = match sheet_content(path, pixels, size, cx)? {
        ImageContent::Sheet { loose: Some(loose), .. } => loose.is_likelier,
        _ => false,
    };
    let is_soft = |pixel: &[u8]| (1..255).contains(&pixel[3]);
    let has_soft = pixels.rows().flat_map(|row| row.chunks_exact(4)).any(is_soft);
    let solid = has_soft.then(|| {
        let mut solid = pixels.to_image();
        solid.pixels_mut().for_each(|pixel| pixel[3] = 255);
        png(&Pixels::from_image(solid), &path.to_string_lossy())
    });
    let shown = pixels.rows().flat_map(|row| row.chunks_exact(4)).map(|pixel| behind.is_content(pixel));
    Ok(SheetContent {
        size: [size.width, size.height],
        png: png(pixels, &path.to_string_lossy())?,
        background: match behind {
            Background::Clear => "clear",
            Background::Flat { .. } => "flat",
            Background::None => "none",
        },
        solid: solid.transpose()?,
        auto_key,
        drawn: runs(shown),
        is_loose: is_loose && !drawings.is_empty(),
        keyed_drawings,
        readings,
        drawings,
    })
}

fn reading(candidate: &GridCandidate, is_sure: bool) -> GridOption {
    let (grid, spacing) = (&candidate.grid, candidate.grid.spacing());
    let (counts, cell) = (grid.counts(), grid.cell_size());
    GridOption {
        columns: counts.columns,
        rows: counts.rows,
        cell: [cell.width, cell.height],
        offset: [spacing.offset.x, spacing.offset.y],
        gutter: [spacing.gutter.x, spacing.gutter.y],
        is_sure,
    }
}

fn find_drawings(sheet: &SheetAnalysis, cx: &Context<'_>) -> Result<Vec<IslandOption>, Error> {
    let usual = CutOptions::default().island_options();
    let look = |join: Option<u32>| -> Result<IslandOption, Error> {
        let found = find_islands(sheet, IslandOptions { join, ..usual }, cx)?;
        let place = |one: &shibori_core::cut::Island| {
            let (cell, rect) = (one.cell, one.rect);
            [cell.row, cell.column, rect.x, rect.y, rect.width, rect.height]
        };
        let (join, is_found) = (found.join, join.is_none());
        Ok(IslandOption { join, is_found, drawings: found.drawings.iter().map(place).collect() })
    };
    let own = look(None)?;
    if own.drawings.is_empty() {
        return Ok(Vec::new());
    }
    let others: &[u32] = if sheet.size().area() > MANY_PIXELS { &[] } else { &JOINS };
    let others = others.iter().filter(|&&join| join != own.join).map(|&join| look(Some(join)));
    let mut all = others.collect::<Result<Vec<_>, _>>()?;
    all.retain(|one| !one.drawings.is_empty());
    all.push(own);
    all.sort_by_key(|one| one.join);
    Ok(all)
}
