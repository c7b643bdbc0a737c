//! What `pack` tells: a table for people, an object for scripts.

use shibori_formats::DisplaySlashed;

use serde::Serialize;
use shibori_core::pack::{Atlas, PageGrid};
use shibori_formats::encode::{AtlasReport, PageFile, PaletteOutcome};
use shibori_pipeline::steps::Packed;

use super::CommandContext;
use crate::message::{Message, MessageLevel};
use crate::wording::ReportPath;
use crate::wording::{count_noun, format_bytes, group_digits, table};

/// Bytes of texture memory a pixel takes, uncompressed.
const PIXEL: u64 = 4;

#[derive(Serialize)]
pub(super) struct Report {
    manifest: ReportPath,
    pages: Vec<PageReport>,
    /// Share of all pages covered by frames, 0 to 1.
    fill: f64,
    /// No arrangement can need fewer pixels: by the areas, the largest sides, and the spaces asked for.
    least_area: u64,
    /// No arrangement can need fewer pages.
    least_pages: usize,
    count: usize,
    /// Places: blank frames need none, identical ones share one.
    distinct: usize,
    blank: usize,
    /// Pictures that are the mirror image of another.
    mirrored: usize,
    rotated: usize,
    memory: Memory,
    #[serde(skip_serializing_if = "Option::is_none")]
    palette: Option<PaletteReport>,
    /// The same atlas in other sizes.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    scales: Vec<ScaleReport>,
    removed: Vec<ReportPath>,
    #[serde(skip)]
    first_mirrored: Option<(String, String)>,
    /// What makes pages of cells larger than the frames.
    #[serde(skip)]
    wasted_by: Option<&'static str>,
    /// Pages are there once, and once more for each companion.
    #[serde(skip)]
    sheets: u64,
}

#[derive(Serialize)]
struct PageReport {
    file: ReportPath,
    size: [u32; 2],
    /// Places on this page.
    count: usize,
    fill: f64,
    bytes: usize,
    /// Of a WebP file: its length if it were PNG.
    #[serde(skip_serializing_if = "Option::is_none")]
    as_png: Option<usize>,
    /// What it holds, if not frames but their companions.
    #[serde(skip_serializing_if = "Option::is_none")]
    companion: Option<String>,
}

/// Texture memory in bytes, uncompressed RGBA: every frame's canvas on its own, and the pages.
#[derive(Serialize)]
struct Memory {
    before: u64,
    after: u64,
}

#[derive(Serialize)]
struct PaletteReport {
    colors: usize,
    /// Colors there were.
    from: usize,
    /// Root of the mean squared error of a channel, in steps of 255.
    mean_error: f64,
    largest_error: u8,
    /// The largest error of a color under transparent pixels, which smooth sampling mixes into edges.
    #[serde(skip_serializing_if = "Option::is_none")]
    edge_error: Option<u8>,
}

#[derive(Serialize)]
struct ScaleReport {
    factor: f64,
    manifest: ReportPath,
    pages: Vec<PageReport>,
}

/// Why pages of cells are larger than their frames: whatever wastes more.
fn wasted_by_cells(atlas: &Atlas, canvas_pixels: u64) -> Option<&'static str> {
    let grids: Vec<PageGrid> = atlas.pages().iter().filter_map(|page| page.grid).collect();
    let area = grids.first()?.cell.area();
    let cells: u64 =
        grids.iter().map(|grid| u64::from(grid.counts.columns) * u64::from(grid.counts.rows)).sum();
    let frames = atlas.set().frames().len() as u64;
    let (blank, uneven) =
        (cells.saturating_sub(frames) * area, (frames * area).saturating_sub(canvas_pixels));
    match blank > uneven {
        true => Some("some cells are blank"),
        false => (uneven > 0).then_some("all cells are the same size"),
    }
}

impl Report {
    pub(super) fn of(packed: &Packed, written: &AtlasReport, program: &CommandContext<'_>) -> Self {
        let atlases = &packed.atlases;
        let pages = |at: usize| -> Vec<PageReport> {
            written.pages[at].iter().map(|file| page_report(&atlases[at], file, program)).collect()
        };
        let atlas = &atlases[0];
        let area: u64 = atlas.pages().iter().map(|page| page.size.area()).sum();
        let rects = (0..atlas.pages().len()).map(|page| atlas.rects_on(page));
        let rects: Vec<_> = rects.flatten().collect();
        let covered: u64 = rects.iter().map(|rect| rect.size().area()).sum();
        let scale = |at: usize| ScaleReport {
            factor: atlases[at].factor().value(),
            manifest: program.report_path(&written.manifests[at]),
            pages: pages(at),
        };
        let name = |at: usize| atlas.set().frames()[at].name().to_string();
        let palette = written.palette.map(|PaletteOutcome { colors, loss, edge_loss }| PaletteReport {
            colors,
            edge_error: edge_loss.map(|loss| loss.largest),
            from: loss.map_or(colors, |loss| loss.from),
            mean_error: loss.map_or(0.0, |loss| loss.mean),
            largest_error: loss.map_or(0, |loss| loss.largest),
        });
        let sheets = 1 + packed.atlases[0].companions().len() as u64;
        Self {
            manifest: program.report_path(&written.manifests[0]),
            pages: pages(0),
            fill: covered as f64 / area as f64,
            least_area: atlas.lower_bound().area,
            least_pages: atlas.lower_bound().pages,
            count: atlas.set().frames().len(),
            distinct: rects.len(),
            blank: atlas.placements().iter().filter(|place| place.rect.is_empty()).count(),
            mirrored: atlas.mirrored().len(),
            rotated: atlas.placements().iter().filter(|place| place.rotated).count(),
            memory: Memory { before: packed.canvas_pixels * PIXEL * sheets, after: area * PIXEL * sheets },
            palette,
            scales: (1..atlases.len()).map(scale).collect(),
            removed: program.all_shown(&written.written.removed),
            wasted_by: wasted_by_cells(atlas, packed.canvas_pixels),
            sheets,
            // No hint about mirrored duplicates if they were requested.
            first_mirrored: atlas
                .mirrored()
                .first()
                .filter(|_| !packed.draws_mirrored)
                .map(|&(at, of)| (name(at), name(of))),
        }
    }

    fn describe_memory(&self) -> String {
        let Memory { before, after } = self.memory;
        let share = (after as f64 * 100.0 / before.max(1) as f64 - 100.0).round();
        let apart = format!("than {} for separate untrimmed frames", format_bytes(before));
        let comparison = match share {
            0.0 => format!("the same as {} for separate untrimmed frames", format_bytes(before)),
            share if share < 0.0 => format!("{:.0}% less {apart}", -share),
            share => {
                let by_scales = (!self.scales.is_empty()).then_some("all scales share one layout");
                let why = self.wasted_by.or(by_scales);
                let why = why.map(|why| format!(", because {why}")).unwrap_or_default();
                format!("{share:.0}% more {apart}{why}")
            }
        };
        format!("texture memory {}, {comparison}", format_bytes(after))
    }

    /// The closing table, and what else is worth knowing.
    pub(super) fn describe(&self, program: &CommandContext<'_>) {
        let pages = || self.pages.iter().chain(self.scales.iter().flat_map(|scale| &scale.pages));
        let name = |page: &PageReport| page.file.display_slashed().to_string();
        let row = |page: &PageReport| {
            vec![
                name(page),
                format!("{}x{} px", page.size[0], page.size[1]),
                group_digits(page.count as u64),
                format!("{:.1}%", page.fill * 100.0),
                format_bytes(page.bytes as u64),
            ]
        };
        let mut rows: Vec<Vec<String>> = pages().map(row).collect();
        let total: usize = pages().map(|page| page.bytes).sum();
        if rows.len() > 1 {
            let fill = format!("{:.1}%", self.fill * 100.0);
            let all = [
                "all".to_owned(),
                String::new(),
                group_digits(self.distinct as u64),
                fill,
                format_bytes(total as u64),
            ];
            rows.push(all.to_vec());
        }
        let (heading, lines) = table(&["page", "size", "places", "fill", "on disk"], &rows, &[1, 2, 3, 4]);
        program.console.print_heading(&heading);
        lines.iter().for_each(|line| program.say(line));
        let as_png: usize = pages().filter_map(|page| page.as_png).sum();
        if as_png > 0 && as_png < total {
            let less = 100.0 - as_png as f64 * 100.0 / total as f64;
            let text = format!(
                "as PNG these pages would be {}, {less:.0}% smaller than as WebP",
                format_bytes(as_png as u64)
            );
            program.console.message(MessageLevel::Note, &Message { text, pointer: None, hint: None });
        }
        program.say(&self.describe_frames());
        program.say(&self.describe_memory());
        for scale in &self.scales {
            let of_frames = scale.pages.iter().filter(|page| page.companion.is_none());
            let area: u64 = of_frames.map(|page| u64::from(page.size[0]) * u64::from(page.size[1])).sum();
            let memory = format_bytes(area * PIXEL * self.sheets);
            program.say(&format!("texture memory at {}: {memory}", scale.factor));
        }
        if let Some((one, other)) = &self.first_mirrored {
            let text = format!(
                "{} the mirror image of another, such as '{one}' of '{other}'; play it with a 'mirrored' clip to save the space",
                is_or_are(self.mirrored)
            );
            program.console.message(MessageLevel::Note, &Message { text, pointer: None, hint: None });
        }
        if let Some(palette) = &self.palette {
            program.say(&palette.describe_size());
        }
        let manifests = [&self.manifest].into_iter().chain(self.scales.iter().map(|scale| &scale.manifest));
        for manifest in manifests {
            program.say(&format!("{} {}", program.write_verb(), manifest.display_slashed()));
        }
    }

    /// `31 frames: 27 places, 3 share a place with an identical one, 1 blank`.
    fn describe_frames(&self) -> String {
        let shared = (self.count - self.blank).saturating_sub(self.distinct);
        let mut parts = vec![count_noun(self.distinct, "place")];
        if shared > 0 {
            parts.push(format!("{} sharing a place with an identical frame", group_digits(shared as u64)));
        }
        if self.blank > 0 {
            parts.push(format!("{} blank", self.blank));
        }
        if self.rotated > 0 {
            parts.push(format!("{} rotated", self.rotated));
        }
        format!("{}: {}", count_noun(self.count, "frame"), parts.join(", "))
    }
}

fn is_or_are(count: usize) -> String {
    if count == 1 { "1 frame is".to_owned() } else { format!("{} are", count_noun(count, "frame")) }
}

impl PaletteReport {
    fn describe_size(&self) -> String {
        let edges = self
            .edge_error
            .map_or(String::new(), |most| format!("; colors at transparent edges are off by up to {most}"));
        let colors = count_noun(self.colors, "color");
        if self.largest_error == 0 {
            return format!("palette of {colors}: no color changed{edges}");
        }
        format!(
            "palette of {colors} from {}: color error {:.1} of 255 on average, {} at most{edges}",
            group_digits(self.from as u64),
            self.mean_error,
            self.largest_error
        )
    }
}

fn page_report(atlas: &Atlas, file: &PageFile, program: &CommandContext<'_>) -> PageReport {
    let size = atlas.pages()[file.page].size;
    PageReport {
        file: program.report_path(&file.path),
        size: [size.width, size.height],
        count: atlas.rects_on(file.page).len(),
        fill: atlas.fill(file.page),
        bytes: file.bytes,
        as_png: file.as_png,
        companion: file.companion.map(|companion| atlas.companions()[companion].suffix.clone()),
    }
}
