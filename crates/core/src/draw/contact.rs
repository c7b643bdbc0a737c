//! The contact sheet: every frame at once, by clip, at one zoom.
//!
//! A section a clip with its steps in the order played, then the frames of no clip. Under each frame its
//! number within the sprite, its cell, and the time it is shown. The first step of a clip has a bar at
//! its left, the last one at its right.

use image::RgbaImage;

use crate::clip::Clip;
use crate::draw::paper::{NoRoom, Paper, Room, ink};
use crate::draw::{Show, overlay, text};
use crate::shape::mirrored;
use crate::{Frame, FrameSet, Mirror, Rect, Size};

/// How a contact sheet is drawn.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct ContactOptions {
    /// The widest it may become, in pixels.
    pub width: u32,
    /// How large a pixel is drawn; where not given, as large as keeps the sheet near 16:10.
    pub zoom: Option<u32>,
    /// What is drawn over the frames.
    pub show: Show,
    /// How large it may become.
    pub room: Room,
}

impl Default for ContactOptions {
    fn default() -> Self {
        Self { width: 1280, zoom: None, show: Show::default(), room: Room::default() }
    }
}

const MARGIN: u32 = 16;
const GAP: u32 = 10;
const SECTION_GAP: u32 = 18;
const HEADING: u32 = 44;
const LABEL: u32 = 26;
const BAR: u32 = 3;
const LARGEST_ZOOM: u32 = 8;

struct Section {
    title: String,
    detail: String,
    shots: Vec<Shot>,
    is_clip: bool,
}

/// One frame as it is shown.
struct Shot {
    frame: usize,
    /// Whether it is shown mirrored.
    mirror: bool,
    /// Its number within the sprite, and its cell.
    what: String,
    /// How long it is shown.
    time: String,
}

/// Draws all frames of a set.
///
/// # Errors
/// Where there is no room for the sheet.
pub fn contact(set: &FrameSet, options: ContactOptions) -> Result<RgbaImage, NoRoom> {
    let sections = sections(set);
    let zoom = options.zoom.unwrap_or_else(|| fitting_zoom(set, &sections, options.width)).max(1);
    let shelves = Shelves::new(set, &sections, zoom, options.width);
    let key = options.show.key();
    let legend = overlay::legend_width(&key);
    let room = if key.is_empty() { 0 } else { overlay::LEGEND };
    let size = Size::new(shelves.size.width.max(legend + 2 * MARGIN), shelves.size.height + room);
    options.room.hold(1, size)?;
    let mut paper = Paper::new(size, ink::PAGE);
    overlay::draw_legend(&mut paper, &key, MARGIN, shelves.size.height);
    for (section, (plan, corner)) in sections.iter().zip(shelves.plans.iter().zip(&shelves.corners)) {
        plan.draw(&mut paper, set, section, *corner, options.show);
    }
    Ok(paper.into_image())
}

/// The largest zoom that keeps the sheet near 16:10, but at least 2 where frames are small: a sheet that
/// is too high can be scrolled, a drawing that is too small can't be seen.
fn fitting_zoom(set: &FrameSet, sections: &[Section], width: u32) -> u32 {
    let fits = |zoom: &u32| {
        let Size { width: used, height } = Shelves::new(set, sections, *zoom, width).size;
        used <= width && height <= width * 10 / 16
    };
    let largest = set.frames().iter().map(|frame| frame.canvas().width).max().unwrap_or(1);
    let least = if largest * 8 <= width { 2 } else { 1 };
    (2..=LARGEST_ZOOM).rev().find(fits).unwrap_or(least)
}

/// Sections one after another in lines, as words are.
struct Shelves {
    plans: Vec<Plan>,
    corners: Vec<(u32, u32)>,
    size: Size,
}

impl Shelves {
    fn new(set: &FrameSet, sections: &[Section], zoom: u32, paper_width: u32) -> Self {
        let plans: Vec<Plan> = sections.iter().map(|s| Plan::new(set, s, zoom, paper_width)).collect();
        let (mut x, mut y, mut shelf, mut width) = (MARGIN, MARGIN, 0, 0);
        let mut corners = Vec::with_capacity(plans.len());
        for plan in &plans {
            if x > MARGIN && x + plan.width + MARGIN > paper_width {
                (x, y, shelf) = (MARGIN, y + shelf + SECTION_GAP, 0);
            }
            corners.push((x, y));
            width = width.max(x + plan.width + MARGIN);
            x += plan.width + 2 * SECTION_GAP;
            shelf = shelf.max(plan.height());
        }
        Self { plans, corners, size: Size::new(width, y + shelf + MARGIN) }
    }
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
                count_of(rest.len(), if sections.len() > before { "frame of no clip" } else { "frame" });
            let shot = |at| Shot { frame: at, mirror: false, what: label(set, at), time: String::new() };
            let shots = rest.into_iter().map(shot).collect();
            sections.push(Section { title: sprite.to_string(), detail, shots, is_clip: false });
        }
    }
    sections
}

fn clip_section(set: &FrameSet, clip: &Clip) -> Section {
    let steps = clip.steps();
    let shots = steps.iter().map(|step| Shot {
        frame: step.frame,
        mirror: step.mirror,
        what: label(set, step.frame),
        time: format!("{} ms", plain(clip.span(step).millis())),
    });
    let total = plain(clip.total_millis());
    Section {
        title: format!("{} {}", clip.sprite(), clip.name()),
        detail: format!("{}  {total} ms  {}", count_of(steps.len(), "step"), clip.way()),
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

/// At most one decimal, and none where it would be 0.
fn plain(number: f64) -> String {
    let text = format!("{number:.1}");
    text.strip_suffix(".0").map(str::to_owned).unwrap_or(text)
}

/// Where a section's frames go.
struct Plan {
    zoom: u32,
    cell: Size,
    columns: u32,
    lines: u32,
    width: u32,
}

impl Plan {
    fn new(set: &FrameSet, section: &Section, zoom: u32, paper_width: u32) -> Self {
        let frames = section.shots.iter().map(|shot| set.frames()[shot.frame].canvas());
        let largest = frames.fold(Size::default(), Size::union);
        let label = section.shots.iter().map(|s| text::width(&s.what, 1).max(text::width(&s.time, 1)));
        let width = (largest.width * zoom).max(label.max().unwrap_or(0)) + 2 * BAR;
        let cell = Size::new(width, largest.height * zoom);
        let room = paper_width.saturating_sub(2 * MARGIN) + GAP;
        let columns = (room / (cell.width + GAP)).clamp(1, section.shots.len().max(1) as u32);
        let lines = (section.shots.len() as u32).div_ceil(columns);
        let heading = text::width(&section.title, 2).max(text::width(&section.detail, 1));
        Self { zoom, cell, columns, width: (columns * (cell.width + GAP) - GAP).max(heading), lines }
    }

    fn height(&self) -> u32 {
        HEADING + self.lines * (self.cell.height + LABEL + GAP) - GAP
    }

    fn draw(
        &self,
        paper: &mut Paper,
        set: &FrameSet,
        section: &Section,
        (left, top): (u32, u32),
        show: Show,
    ) {
        paper.write(&section.title, left, top, 2, ink::TEXT);
        paper.write(&section.detail, left, top + 21, 1, ink::DIM);
        paper.fill(Rect::new(left, top + 34, self.width, 1), ink::RULE);
        for (number, shot) in (0u32..).zip(&section.shots) {
            let x = left + number % self.columns * (self.cell.width + GAP);
            let y = top + HEADING + number / self.columns * (self.cell.height + LABEL + GAP);
            let ends = (
                section.is_clip && number == 0,
                section.is_clip && number as usize + 1 == section.shots.len(),
            );
            let frame = &set.frames()[shot.frame];
            let turned = shot.mirror.then(|| mirrored(frame.clone(), Mirror::LeftRight));
            let frame = turned.as_ref().unwrap_or(frame);
            self.draw_shot(paper, frame, shot, (x, y), ends);
            overlay::draw(paper, frame, (x + BAR, y), self.zoom, show);
        }
    }

    fn draw_shot(
        &self,
        paper: &mut Paper,
        frame: &Frame,
        shot: &Shot,
        (x, y): (u32, u32),
        ends: (bool, bool),
    ) {
        let size = Size::new(frame.canvas().width * self.zoom, frame.canvas().height * self.zoom);
        let left = x + BAR;
        paper.checker(Rect::at(left, y, size), 4 * self.zoom.max(2));
        let inset = frame.inset();
        let (px, py) = (left + inset.x * self.zoom, y + inset.y * self.zoom);
        paper.lay(frame.pixels(), i64::from(px), i64::from(py), self.zoom);
        if ends.0 {
            paper.fill(Rect::new(x, y, BAR, size.height), ink::START);
        }
        if ends.1 {
            paper.fill(Rect::new(left + size.width, y, BAR, size.height), ink::END);
        }
        let room = self.cell.width - BAR;
        paper.write(&text::fitted(&shot.what, room, 1), left, y + self.cell.height + 5, 1, ink::TEXT);
        paper.write(&text::fitted(&shot.time, room, 1), left, y + self.cell.height + 16, 1, ink::DIM);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::set::tests::{rows, with_clips};

    #[test]
    fn every_clip_is_a_section_and_no_frame_is_left_out() {
        let set = with_clips(rows("frog", &[4]), &["sit = 0-1 @80ms", "turn = 1,0,1 bounce"]);
        let told: Vec<_> = sections(&set).iter().map(|s| format!("{}: {}", s.title, s.detail)).collect();
        assert_eq!(
            told,
            [
                "frog sit: 2 steps  160 ms  loop",
                "frog turn: 3 steps  400 ms  bounce",
                "frog: 2 frames of no clip"
            ]
        );
        assert_eq!(sections(&set)[0].shots[1].what, "1 r0c1");
    }

    #[test]
    fn each_pixel_is_drawn_as_one_square() {
        let set = rows("koi", &[3]);
        let options = ContactOptions { zoom: Some(5), ..ContactOptions::default() };
        let sheet = contact(&set, options).unwrap();
        for frame in set.frames() {
            let color = frame.pixels().get(0, 0).unwrap();
            // 4x4 pixels of one color at zoom 5.
            assert_eq!(sheet.pixels().filter(|pixel| **pixel == color).count(), 400);
        }
    }
}
