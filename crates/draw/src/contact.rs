//! The contact sheet: every frame at once, by clip, at one zoom.
//!
//! A section a clip with its steps in the order played, then the frames of no clip. Under each frame its
//! number within the sprite, its cell, and the time it is shown. The first step of a clip has a bar at
//! its left, the last one at its right. What is too much for one sheet continues on the next.

use std::borrow::Cow;
use std::ops::Range;

use image::RgbaImage;

use crate::surface::{PixelLimitError, PixelLimits, Surface, ink};
use crate::{Overlay, overlay, text};
use shibori_core::clip::Clip;
use shibori_core::shape::mirrored;
use shibori_core::{Frame, FrameSet, Mirror, Rect, Size};

/// How contact sheets are drawn.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct ContactStyle {
    /// The widest it may become, in pixels.
    pub width: u32,
    /// The tallest one may become, in pixels, unless one line of frames is taller.
    pub height: u32,
    /// How large a pixel is drawn; where not given, as large as keeps the sheet near 16:10.
    pub zoom: Option<u32>,
    /// What is drawn over the frames.
    pub overlay: Overlay,
    /// How large it may become.
    pub limits: PixelLimits,
}

impl Default for ContactStyle {
    fn default() -> Self {
        Self {
            width: 1280,
            height: 4096,
            zoom: None,
            overlay: Overlay::default(),
            limits: PixelLimits::default(),
        }
    }
}

const MARGIN: u32 = 16;
const GAP: u32 = 10;
const SECTION_GAP: u32 = 18;
const HEADING: u32 = 46;
const LABEL: u32 = 5 + 2 * text::LINE;
const BAR: u32 = 3;
const LARGEST_ZOOM: u32 = 8;

#[derive(Clone, Debug)]
struct Section {
    title: String,
    detail: String,
    shots: Vec<Thumbnail>,
    is_clip: bool,
}

/// One frame as it is shown.
#[derive(Clone, Debug)]
struct Thumbnail {
    frame: usize,
    /// Whether it is shown mirrored.
    mirror: bool,
    /// Its number within the sprite, and its cell.
    what: String,
    /// How long it is shown.
    time: String,
}

/// Draws all frames of a set, on as many sheets as they need.
///
/// # Errors
/// If the sheets would be larger than the limits.
pub fn draw_contact(set: &FrameSet, options: ContactStyle) -> Result<Vec<RgbaImage>, PixelLimitError> {
    let sheets = ContactSheets::new(set.clone(), options)?;
    Ok((0..sheets.sizes().len()).map(|at| sheets.draw(at)).collect())
}

/// Contact sheets that are laid out, and drawn one at a time: a hundred thousand frames are gigabytes of pictures.
#[derive(Clone, Debug)]
pub struct ContactSheets {
    set: FrameSet,
    sections: Vec<Section>,
    layouts: Vec<SectionLayout>,
    pages: Vec<ContactPage>,
    sizes: Vec<Size>,
    overlay: Overlay,
}

impl ContactSheets {
    /// Lays out all frames of a set, on as many sheets as they need.
    ///
    /// # Errors
    /// If the sheets would be larger than the limits.
    pub fn new(set: FrameSet, options: ContactStyle) -> Result<Self, PixelLimitError> {
        let sections = sections(&set);
        let zoom = options.zoom.unwrap_or_else(|| fitting_zoom(&set, &sections, options.width)).max(1);
        let key = options.overlay.legend_entries();
        let legend = overlay::legend_width(&key);
        let room = if key.is_empty() { 0 } else { overlay::LEGEND };
        let layouts = layouts(&set, &sections, zoom, options.width);
        let pages = sheets(&layouts, (options.width, options.height.saturating_sub(room)));
        let size =
            |page: &ContactPage| Size::new(page.size.width.max(legend + 2 * MARGIN), page.size.height + room);
        let sizes: Vec<Size> = pages.iter().map(size).collect();
        options.limits.check(sizes.len(), sizes.iter().copied().fold(Size::default(), Size::union))?;
        Ok(Self { set, sections, layouts, pages, sizes, overlay: options.overlay })
    }

    /// The frames that are shown.
    pub fn set(&self) -> &FrameSet {
        &self.set
    }

    /// How large each sheet is, in pixels. There is always one.
    pub fn sizes(&self) -> &[Size] {
        &self.sizes
    }

    /// The sections as lists, for showing them some other way, such as text in a terminal.
    pub fn sections(&self) -> impl Iterator<Item = ContactSection<'_>> {
        self.sections.iter().map(|section| ContactSection {
            title: &section.title,
            detail: &section.detail,
            frames: section.shots.iter().map(|shot| ContactFrame { sheets: self, shot }).collect(),
        })
    }

    /// Draws a sheet.
    ///
    /// # Panics
    /// If there is no such sheet.
    pub fn draw(&self, at: usize) -> RgbaImage {
        let page = &self.pages[at];
        let mut paper = Surface::new(self.sizes[at], ink::PAGE);
        overlay::draw_legend(&mut paper, &self.overlay.legend_entries(), MARGIN, page.size.height);
        for (part, corner) in &page.parts {
            let drawn = SectionPart {
                section: &self.sections[part.section],
                layout: &self.layouts[part.section],
                lines: part.lines.clone(),
            };
            drawn.draw(&mut paper, &self.set, *corner, self.overlay);
        }
        paper.into_image()
    }
}

/// A clip, or the frames of a sprite that are in no clip.
#[derive(Clone, Debug)]
pub struct ContactSection<'a> {
    /// The sprite, and the clip if it is one.
    pub title: &'a str,
    /// How many steps or frames, how long, and how it plays.
    pub detail: &'a str,
    /// In the order in which they are shown.
    pub frames: Vec<ContactFrame<'a>>,
}

/// A frame of a section.
#[derive(Clone, Copy, Debug)]
pub struct ContactFrame<'a> {
    sheets: &'a ContactSheets,
    shot: &'a Thumbnail,
}

impl ContactFrame<'_> {
    /// Its number within the sprite, and its cell: `1 r0c1`.
    pub fn label(&self) -> &str {
        &self.shot.what
    }

    /// How long it is shown; empty if it is in no clip.
    pub fn time(&self) -> &str {
        &self.shot.time
    }

    /// The whole canvas, as the step shows it, at zoom 1, with what the style draws over frames.
    pub fn image(&self) -> RgbaImage {
        let frame = self.shot.drawn_frame(&self.sheets.set);
        let mut paper = Surface::on(frame.full_image().to_image());
        overlay::draw(&mut paper, &frame, (0, 0), 1, self.sheets.overlay);
        paper.into_image()
    }
}

impl Thumbnail {
    /// The frame, mirrored if it is shown so.
    fn drawn_frame<'a>(&self, set: &'a FrameSet) -> Cow<'a, Frame> {
        let frame = &set.frames()[self.frame];
        if self.mirror {
            Cow::Owned(mirrored(frame.clone(), Mirror::LeftRight))
        } else {
            Cow::Borrowed(frame)
        }
    }
}

/// The largest zoom that keeps the sheet near 16:10, but at least 2 where frames are small: a sheet that
/// is too high can be scrolled, a drawing that is too small can't be seen.
fn fitting_zoom(set: &FrameSet, sections: &[Section], width: u32) -> u32 {
    let fits = |zoom: &u32| {
        let size = sheets(&layouts(set, sections, *zoom, width), (width, u32::MAX))[0].size;
        size.width <= width && size.height <= width * 10 / 16
    };
    let largest = set.frames().iter().map(|frame| frame.canvas().width).max().unwrap_or(1);
    let least = if largest * 8 <= width { 2 } else { 1 };
    (2..=LARGEST_ZOOM).rev().find(fits).unwrap_or(least)
}

/// Sections one after another in lines, as words are.
#[derive(Clone, Debug)]
struct ContactPage {
    parts: Vec<(SectionSlice, (u32, u32))>,
    size: Size,
}

fn layouts(set: &FrameSet, sections: &[Section], zoom: u32, width: u32) -> Vec<SectionLayout> {
    sections.iter().map(|section| SectionLayout::new(set, section, zoom, width)).collect()
}

/// Lays sections on sheets of at most a width and a height. There is always one.
fn sheets(layouts: &[SectionLayout], (width, height): (u32, u32)) -> Vec<ContactPage> {
    let most = height.saturating_sub(2 * MARGIN);
    let parts = layouts.iter().enumerate().flat_map(|(section, layout)| layout.parts(section, most));
    let new = || ContactPage { parts: Vec::new(), size: Size::new(2 * MARGIN, 2 * MARGIN) };
    let (mut sheets, mut x, mut y, mut shelf) = (vec![new()], MARGIN, MARGIN, 0);
    for part in parts {
        let layout = &layouts[part.section];
        let (wide, high) = (layout.width, layout.height(&part.lines));
        if x > MARGIN && x + wide + MARGIN > width {
            (x, y, shelf) = (MARGIN, y + shelf + SECTION_GAP, 0);
        }
        // A part in the middle of a shelf may be taller than those before it.
        if y + high > height.saturating_sub(MARGIN) && (x, y) != (MARGIN, MARGIN) {
            sheets.push(new());
            (x, y, shelf) = (MARGIN, MARGIN, 0);
        }
        shelf = shelf.max(high);
        let sheet = sheets.last_mut().expect("there is always one");
        sheet.size = sheet.size.union(Size::new(x + wide + MARGIN, y + shelf + MARGIN));
        sheet.parts.push((part, (x, y)));
        x += wide + 2 * SECTION_GAP;
    }
    sheets
}

fn sections(set: &FrameSet) -> Vec<Section> {
    let mut sections = Vec::new();
    for sprite in set.sprites() {
        let before = sections.len();
        let clips = set.index().clips_of(sprite).iter();
        sections.extend(clips.map(|&clip| clip_section(set, &set.clips()[clip])));
        let rest: Vec<usize> =
            set.frames_of(sprite).iter().copied().filter(|&at| set.first_clip_of(at).is_none()).collect();
        if !rest.is_empty() {
            let detail =
                count_of(rest.len(), if sections.len() > before { "frame not in any clip" } else { "frame" });
            let shot = |at| Thumbnail { frame: at, mirror: false, what: label(set, at), time: String::new() };
            let shots = rest.into_iter().map(shot).collect();
            sections.push(Section { title: sprite.to_string(), detail, shots, is_clip: false });
        }
    }
    sections
}

fn clip_section(set: &FrameSet, clip: &Clip) -> Section {
    let steps = clip.steps();
    let shots = steps.iter().map(|step| Thumbnail {
        frame: step.frame,
        mirror: step.mirror,
        what: label(set, step.frame),
        time: format!("{} ms", text::plain(clip.span(step).millis())),
    });
    let total = text::plain(clip.total_millis());
    Section {
        title: format!("{} {}", clip.sprite(), clip.name()),
        detail: format!("{}  {total} ms  {}", count_of(steps.len(), "step"), clip.playback()),
        shots: shots.collect(),
        is_clip: true,
    }
}

fn label(set: &FrameSet, at: usize) -> String {
    let cell = set.frames()[at].cell().map(|cell| format!(" {cell}"));
    format!("{}{}", set.number_in_sprite(at), cell.unwrap_or_default())
}

fn count_of(count: usize, what: &str) -> String {
    match (count, what.split_once(' ')) {
        (1, _) => format!("1 {what}"),
        (_, Some((noun, rest))) => format!("{count} {noun}s {rest}"),
        (_, None) => format!("{count} {what}s"),
    }
}

/// Where a section's frames go: in cells of one size, line by line. A frame much larger than usual has a cell of its own size,
/// so that one poster among icons does not make a poster of each.
#[derive(Clone, Debug)]
struct SectionLayout {
    zoom: u32,
    /// The width of each shot's cell.
    cells: Vec<u32>,
    lines: Vec<Line>,
    width: u32,
}

/// Shots side by side.
#[derive(Clone, Debug)]
struct Line {
    shots: Range<usize>,
    /// Pixels down, without labels.
    height: u32,
}

/// A section, or as many of its lines as a sheet holds.
#[derive(Clone, Debug)]
struct SectionSlice {
    section: usize,
    lines: Range<usize>,
}

/// The same as it is drawn.
struct SectionPart<'a> {
    section: &'a Section,
    layout: &'a SectionLayout,
    lines: Range<usize>,
}

/// Frames this many times larger than usual get cells of their own size.
const MUCH_LARGER: u32 = 2;

/// The size of most of these, or a little more: the largest of those that are not much larger than the one in the middle.
fn usual(sizes: &[Size]) -> Size {
    let middle = |side: fn(&Size) -> u32| {
        let mut sides: Vec<u32> = sizes.iter().map(side).collect();
        sides.sort_unstable();
        let most = sides.get(sides.len() / 2).map_or(0, |side| side.saturating_mul(MUCH_LARGER));
        sides.into_iter().filter(|side| *side <= most).max().unwrap_or(0)
    };
    Size::new(middle(|size| size.width), middle(|size| size.height))
}

impl SectionLayout {
    fn new(set: &FrameSet, section: &Section, zoom: u32, paper_width: u32) -> Self {
        let canvas = |shot: &Thumbnail| set.frames()[shot.frame].canvas();
        let sizes: Vec<Size> = section.shots.iter().map(canvas).collect();
        let usual = usual(&sizes);
        let label = section.shots.iter().map(|s| text::width(&s.what).max(text::width(&s.time)));
        let label = label.max().unwrap_or(0);
        let cell = |size: &Size| (size.width.max(usual.width) * zoom).max(label) + 2 * BAR;
        let cells: Vec<u32> = sizes.iter().map(cell).collect();
        let room = paper_width.saturating_sub(2 * MARGIN);
        let (mut lines, mut widest, mut used) = (Vec::<Line>::new(), 0, 0);
        for (at, (cell, size)) in cells.iter().zip(&sizes).enumerate() {
            let height = size.height.max(usual.height) * zoom;
            match lines.last_mut() {
                Some(line) if used + GAP + cell <= room => {
                    (line.shots.end, line.height) = (at + 1, line.height.max(height));
                    used += GAP + cell;
                }
                _ => {
                    lines.push(Line { shots: at..at + 1, height });
                    used = *cell;
                }
            }
            widest = widest.max(used);
        }
        let heading = text::width(&section.title).max(text::width(&section.detail));
        Self { zoom, cells, lines, width: widest.max(heading) }
    }

    /// A section in parts of at most a height, or of one line.
    fn parts(&self, section: usize, most: u32) -> Vec<SectionSlice> {
        let mut parts: Vec<SectionSlice> = Vec::new();
        let mut high = 0;
        for (at, line) in self.lines.iter().enumerate() {
            let step = line.step();
            match parts.last_mut() {
                Some(part) if high + step <= most.saturating_add(GAP) => {
                    part.lines.end = at + 1;
                    high += step;
                }
                _ => {
                    parts.push(SectionSlice { section, lines: at..at + 1 });
                    high = HEADING + step;
                }
            }
        }
        parts
    }

    fn height(&self, lines: &Range<usize>) -> u32 {
        HEADING + self.lines[lines.clone()].iter().map(Line::step).sum::<u32>() - GAP
    }

    fn draw_shot(
        &self,
        paper: &mut Surface,
        frame: &Frame,
        shot: &Thumbnail,
        (x, y): (u32, u32),
        cell: Size,
        ends: (bool, bool),
    ) {
        let size = Size::new(frame.canvas().width * self.zoom, frame.canvas().height * self.zoom);
        let left = x + BAR;
        paper.fill_checkerboard(Rect::at(left, y, size), 4 * self.zoom.max(2));
        let inset = frame.inset();
        let (px, py) = (left + inset.x * self.zoom, y + inset.y * self.zoom);
        paper.blit(frame.pixels(), i64::from(px), i64::from(py), self.zoom);
        if ends.0 {
            paper.fill(Rect::new(x, y, BAR, size.height), ink::START);
        }
        if ends.1 {
            paper.fill(Rect::new(left + size.width, y, BAR, size.height), ink::END);
        }
        let room = cell.width - BAR;
        paper.draw_text(&text::fitted(&shot.what, room), left, y + cell.height + 3, ink::TEXT);
        paper.draw_text(&text::fitted(&shot.time, room), left, y + cell.height + 3 + text::LINE, ink::DIM);
    }
}

impl Line {
    /// How far the next line is below this one.
    fn step(&self) -> u32 {
        self.height + LABEL + GAP
    }
}

impl SectionPart<'_> {
    fn draw(&self, paper: &mut Surface, set: &FrameSet, (left, top): (u32, u32), overlay: Overlay) {
        let Self { layout: plan, section, .. } = self;
        let lines = &plan.lines[self.lines.clone()];
        paper.draw_title(&section.title, left, top, ink::TEXT);
        let detail = match lines.first().map_or(0, |line| line.shots.start) {
            0 => section.detail.clone(),
            start => format!("{}  continued, from number {start}", section.detail),
        };
        paper.draw_text(&detail, left, top + 18, ink::DIM);
        paper.fill(Rect::new(left, top + 37, plan.width, 1), ink::RULE);
        let mut y = top + HEADING;
        for line in lines {
            let mut x = left;
            for at in line.shots.clone() {
                let shot = &section.shots[at];
                let ends = (section.is_clip && at == 0, section.is_clip && at + 1 == section.shots.len());
                let frame = &shot.drawn_frame(set);
                plan.draw_shot(paper, frame, shot, (x, y), Size::new(plan.cells[at], line.height), ends);
                overlay::draw(paper, frame, (x + BAR, y), plan.zoom, overlay);
                x += plan.cells[at] + GAP;
            }
            y += line.step();
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::test_sets::{rows, with_clips};

    #[test]
    fn one_large_frame_among_small_ones_makes_no_large_cells() {
        let frame = |at: u32, size: Size| {
            let pixels = shibori_core::Pixels::from_image(RgbaImage::new(size.width, size.height));
            let name = shibori_core::Name::new(format!("{at}")).unwrap();
            Frame::new(shibori_core::Name::new("icons").unwrap(), name, pixels).unwrap()
        };
        let mut frames: Vec<Frame> = (0..30).map(|at| frame(at, Size::new(16, 16))).collect();
        frames.push(frame(30, Size::new(4000, 16)));
        frames.push(frame(31, Size::new(16, 4000)));
        let set = FrameSet::new(frames, Vec::new()).unwrap();
        let sheets = draw_contact(&set, ContactStyle::default()).unwrap();
        let pixels: u64 =
            sheets.iter().map(|sheet| u64::from(sheet.width()) * u64::from(sheet.height())).sum();
        assert!(sheets.len() <= 3 && pixels < 3 * 4100 * 4100, "{} sheets, {pixels} px", sheets.len());
    }

    #[test]
    fn every_clip_is_a_section_and_no_frame_is_left_out() {
        let set = with_clips(rows("frog", &[4]), &["sit = 0-1 @80ms", "turn = 1,0,1 bounce"]);
        let headings: Vec<_> = sections(&set).iter().map(|s| format!("{}: {}", s.title, s.detail)).collect();
        assert_eq!(
            headings,
            [
                "frog sit: 2 steps  160 ms  loop",
                "frog turn: 3 steps  400 ms  bounce",
                "frog: 2 frames not in any clip"
            ]
        );
        assert_eq!(sections(&set)[0].shots[1].what, "1 r0c1");
    }

    #[test]
    fn each_pixel_is_drawn_as_one_square() {
        let set = rows("koi", &[3]);
        let options = ContactStyle { zoom: Some(5), ..ContactStyle::default() };
        let sheet = draw_contact(&set, options).unwrap().remove(0);
        for frame in set.frames() {
            let color = frame.pixels().get(0, 0).unwrap();
            // 4x4 pixels of one color at zoom 5.
            assert_eq!(sheet.pixels().filter(|pixel| **pixel == color).count(), 400);
        }
    }

    #[test]
    fn what_is_too_much_for_one_sheet_continues_on_the_next() {
        let set = with_clips(rows("frog", &[40, 40, 3]), &["sit = 0-39", "leap = 40-79"]);
        for height in [1, 200, 300, 500, 4096] {
            let options = ContactStyle { width: 300, height, ..ContactStyle::default() };
            let sections = sections(&set);
            let layouts = layouts(&set, &sections, 2, options.width);
            let sheets = sheets(&layouts, (options.width, options.height));
            let drawn = draw_contact(&set, ContactStyle { zoom: Some(2), ..options }).unwrap();
            assert_eq!(drawn.len(), sheets.len());
            let shown: Vec<_> = sheets
                .iter()
                .flat_map(|sheet| &sheet.parts)
                .flat_map(|(part, _)| {
                    layouts[part.section].lines[part.lines.clone()]
                        .iter()
                        .flat_map(|line| line.shots.clone())
                        .map(|at| (&sections[part.section].title, at))
                })
                .collect();
            let all: Vec<_> =
                sections.iter().flat_map(|s| (0..s.shots.len()).map(move |at| (&s.title, at))).collect();
            assert_eq!(shown, all, "each frame once, in order, at {height}");
            for sheet in sheets.iter().filter(|sheet| sheet.size.height > height) {
                assert!(sheet.parts.iter().all(|(part, _)| part.lines.len() == 1), "{height}");
            }
        }
    }
}
