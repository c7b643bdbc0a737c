//! One picture of an animation: which pixels it keeps, and where they are on its canvas.
//!
//! Trimming loses nothing: canvas and inset always restore the whole picture. A frame never knows on
//! which page or in which file it lies.

use std::fmt;

use crate::{
    Annotations, Companion, CompanionSpec, ExtraFields, Insets, LONGEST, Name, Pixels, Point, Rect, Size,
    UVec2,
};
use image::{Rgba, RgbaImage};

/// One frame.
///
/// # Guarantees
/// The canvas is at least 1x1 and the kept pixels, placed at the inset, lie completely inside it. Companions have pixels
/// of the same size at the same place, one of each suffix.
#[derive(Clone, Debug)]
pub struct Frame {
    sprite: Name,
    name: Name,
    pixels: Pixels,
    canvas: Size,
    inset: UVec2,
    pivot: Point,
    annotations: Annotations,
    companions: Vec<Companion>,
    source: Option<FrameSource>,
    carried: ExtraFields,
}

/// Why pixels can't be a frame.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum FrameError {
    /// A canvas without a pixel.
    #[error("a canvas of {0} px is empty")]
    NoCanvas(Size),
    /// A canvas longer than the limit.
    #[error("a canvas of {0} px is too large; its sides are at most {LONGEST} px")]
    TooLong(Size),
    /// The kept pixels stick out of the canvas.
    #[error("{pixels} px at {inset} do not fit on a canvas of {canvas} px")]
    SticksOut {
        /// Size of the kept pixels.
        pixels: Size,
        /// Where they were to lie.
        inset: UVec2,
        /// The canvas they had to fit on.
        canvas: Size,
    },
}

impl Frame {
    /// A frame whose canvas is its picture, with the pivot in the middle.
    pub fn new(sprite: Name, name: Name, pixels: Pixels) -> Result<Self, FrameError> {
        let canvas = pixels.size();
        Self::trimmed(sprite, name, pixels, canvas, UVec2::default())
    }

    /// A frame that keeps `pixels` at `inset` of a `canvas`, with the pivot in the canvas's middle.
    pub fn trimmed(
        sprite: Name,
        name: Name,
        pixels: Pixels,
        canvas: Size,
        inset: UVec2,
    ) -> Result<Self, FrameError> {
        check(&pixels, canvas, inset)?;
        let pivot = canvas.center();
        Ok(Self {
            sprite,
            name,
            pixels,
            canvas,
            inset,
            pivot,
            annotations: Annotations::default(),
            companions: Vec::new(),
            source: None,
            carried: ExtraFields::new(),
        })
    }

    /// The same frame keeping other pixels of the same canvas, and of its companions what is there.
    pub fn with_pixels(self, pixels: Pixels, inset: UVec2) -> Result<Self, FrameError> {
        check(&pixels, self.canvas, inset)?;
        let (old, new) = (self.kept_rect(), Rect::at(inset.x, inset.y, pixels.size()));
        let mut companions = self.companions;
        if new != old {
            for Companion { spec, pixels } in &mut companions {
                *pixels = part(pixels, old, new, spec.neutral.0).compacted();
            }
        }
        Ok(Self { pixels, inset, companions, ..self })
    }

    /// The same frame with a picture of the same canvas as its companion; it replaces one of the same suffix. The frame keeps what
    /// it kept and all that shows of the companion.
    ///
    /// # Errors
    /// If the canvases differ.
    pub fn with_companion(self, spec: CompanionSpec, picture: &Frame) -> Result<Self, FrameError> {
        if picture.canvas != self.canvas {
            let (pixels, inset, canvas) = (picture.canvas, UVec2::default(), self.canvas);
            return Err(FrameError::SticksOut { pixels, inset, canvas });
        }
        let companion = Companion { spec, pixels: picture.pixels.clone() };
        let UVec2 { x, y } = picture.inset;
        let shown = companion.content(0).map(|found| Rect { x: found.x + x, y: found.y + y, ..found });
        let kept = Some(self.kept_rect()).filter(|kept| !kept.is_empty());
        let kept = kept.into_iter().chain(shown).reduce(Rect::union).unwrap_or_default();
        let mut frame = self.with_kept_rect(kept)?;
        let pixels = if kept.is_empty() { Pixels::empty() } else { picture.crop(kept).compacted() };
        frame.companions.retain(|one| one.spec.suffix != companion.spec.suffix);
        frame.companions.push(Companion { pixels, ..companion });
        Ok(frame)
    }

    /// The same frame with these specs for its companions of the same suffixes.
    pub(crate) fn respecify_companions(mut self, specs: &[CompanionSpec]) -> Self {
        for companion in &mut self.companions {
            if let Some(spec) = specs.iter().find(|spec| spec.suffix == companion.spec.suffix) {
                companion.spec = spec.clone();
            }
        }
        self
    }

    /// The same frame with other companions, each as large as the kept pixels.
    pub(crate) fn with_companions(self, companions: Vec<Companion>) -> Self {
        debug_assert!(companions.iter().all(|one| one.pixels.size() == self.pixels.size()));
        Self { companions, ..self }
    }

    /// The same drawing with all that belongs to it, moved by this many pixels on another canvas. Nine-slice insets
    /// grow and shrink with the canvas's sides; what no longer fits is forgotten.
    pub fn translate_onto(self, canvas: Size, x: i64, y: i64) -> Result<Self, FrameError> {
        let sticks_out = || FrameError::SticksOut { pixels: self.pixels.size(), inset: self.inset, canvas };
        let at = |from: u32, by: i64| u32::try_from(i64::from(from) + by).map_err(|_| sticks_out());
        let is_blank = self.pixels.is_empty();
        let inset = if is_blank {
            UVec2::default()
        } else {
            UVec2 { x: at(self.inset.x, x)?, y: at(self.inset.y, y)? }
        };
        check(&self.pixels, canvas, inset)?;
        let pivot = Point::new(self.pivot.x + x as f64, self.pivot.y + y as f64);
        let nine = self.annotations.nine.and_then(|nine| grow_insets(nine, self.canvas, canvas, x, y));
        let annotations = Annotations { nine, ..self.to_follow().moved(x, y) };
        Ok(Self { canvas, inset, pivot, ..self }.with_annotations(annotations))
    }

    /// What the frame carries, with the corners of its cell spelled out, so that they follow a step.
    pub(crate) fn to_follow(&self) -> Annotations {
        Annotations { cell: Some(self.cell_corners()), ..self.annotations.clone() }
    }

    /// Where the top left and the bottom right of the cell it was cut from are on the canvas.
    pub fn cell_corners(&self) -> [Point; 2] {
        self.annotations.cell.unwrap_or_else(|| canvas_corners(self.canvas))
    }

    /// The same frame with its drawing, boxes and polygon moved by this many pixels; canvas and pivot stay.
    ///
    /// # Errors
    /// If kept pixels would leave the canvas.
    pub fn translate(self, x: i64, y: i64) -> Result<Self, FrameError> {
        let (canvas, pivot, nine) = (self.canvas, self.pivot, self.annotations.nine);
        let moved = self.translate_onto(canvas, x, y)?;
        Ok(Self { pivot, annotations: Annotations { nine, ..moved.annotations }, ..moved })
    }

    /// The same frame with other boxes, nine-slice and polygon. Corners of a cell that are those of the canvas are left out.
    pub fn with_annotations(self, annotations: Annotations) -> Self {
        let cell = annotations.cell.filter(|cell| *cell != canvas_corners(self.canvas));
        Self { annotations: Annotations { cell, ..annotations }, ..self }
    }

    /// The same frame as one of another sprite.
    pub(crate) fn with_sprite(self, sprite: Name) -> Self {
        Self { sprite, ..self }
    }

    /// The same frame under another name.
    pub fn with_name(self, name: Name) -> Self {
        Self { name, ..self }
    }

    /// The first part that is invalid on any frame, if there is one: its name and the problem.
    pub(crate) fn fault(&self) -> Option<(String, String)> {
        match self.pivot.is_near() {
            true => self.annotations.fault(self.canvas),
            false => Some(("the pivot".to_owned(), format!("is at {}, {}", self.pivot, Point::FAR))),
        }
    }

    /// The same frame with its pivot at another point of the canvas; outside is allowed.
    pub fn with_pivot(self, pivot: Point) -> Self {
        Self { pivot, ..self }
    }

    /// The same frame with a note of where it came from.
    pub fn with_source(self, source: Option<FrameSource>) -> Self {
        Self { source, ..self }
    }

    /// The same frame with other carried keys.
    pub fn with_carried(self, carried: ExtraFields) -> Self {
        Self { carried, ..self }
    }

    /// The sprite it belongs to.
    pub fn sprite(&self) -> &Name {
        &self.sprite
    }

    /// Its name, unique within the sprite.
    pub fn name(&self) -> &Name {
        &self.name
    }

    /// The kept pixels.
    pub fn pixels(&self) -> &Pixels {
        &self.pixels
    }

    /// The full size before trimming.
    pub fn canvas(&self) -> Size {
        self.canvas
    }

    /// Where the kept pixels start inside the canvas.
    pub fn inset(&self) -> UVec2 {
        self.inset
    }

    /// Where the kept pixels are on the canvas.
    pub fn kept_rect(&self) -> Rect {
        Rect::at(self.inset.x, self.inset.y, self.pixels.size())
    }

    /// The point of the canvas that stays put in the game.
    pub fn pivot(&self) -> Point {
        self.pivot
    }

    /// Boxes, nine-slice and polygon.
    pub fn annotations(&self) -> &Annotations {
        &self.annotations
    }

    /// Where it came from, if known.
    pub fn source(&self) -> Option<&FrameSource> {
        self.source.as_ref()
    }

    /// The pictures that belong to it.
    pub fn companions(&self) -> &[Companion] {
        &self.companions
    }

    /// The companion of a suffix.
    pub fn companion(&self, suffix: &str) -> Option<&Companion> {
        self.companions.iter().find(|one| one.spec.suffix == suffix)
    }

    /// The whole picture of each companion, neutral where nothing was kept.
    pub(crate) fn whole_companions(&self) -> impl Iterator<Item = (&CompanionSpec, Pixels)> {
        let (kept, canvas) = (self.kept_rect(), Rect::of(self.canvas));
        self.companions
            .iter()
            .map(move |Companion { spec, pixels }| (spec, part(pixels, kept, canvas, spec.neutral.0)))
    }

    /// The cell of the sheet it came from, if it came from one.
    pub fn cell(&self) -> Option<Cell> {
        self.source.as_ref()?.cell
    }

    /// Keys carried along for the user.
    pub fn carried(&self) -> &ExtraFields {
        &self.carried
    }

    /// Whether no pixel shows.
    pub fn is_blank(&self) -> bool {
        self.content(0).is_none()
    }

    /// The smallest rectangle of the canvas that holds every pixel with an alpha above `alpha`.
    pub fn content(&self, alpha: u8) -> Option<Rect> {
        let found = self.pixels.content_bounds(alpha)?;
        Some(Rect { x: found.x + self.inset.x, y: found.y + self.inset.y, ..found })
    }

    /// The smallest rectangle of the canvas that holds all that shows of it and of its companions.
    pub fn extent(&self, alpha: u8) -> Option<Rect> {
        let UVec2 { x, y } = self.inset;
        let companions = self.companions.iter().filter_map(|one| one.content(alpha));
        let shown = companions.map(|found| Rect { x: found.x + x, y: found.y + y, ..found });
        shown.chain(self.content(alpha)).reduce(Rect::union)
    }

    /// Whether the kept pixels are the whole canvas.
    pub fn is_untrimmed(&self) -> bool {
        self.kept_rect() == Rect::of(self.canvas)
    }

    /// The whole picture, as it was before trimming. Costs nothing where nothing is trimmed.
    pub fn full_image(&self) -> Pixels {
        if self.is_untrimmed() {
            return self.pixels.clone();
        }
        self.crop(Rect::of(self.canvas))
    }

    /// The same frame keeping exactly the part `rect` of its canvas.
    ///
    /// # Errors
    /// If `rect` extends beyond the canvas.
    pub fn with_kept_rect(self, rect: Rect) -> Result<Self, FrameError> {
        let inset = UVec2 { x: rect.x, y: rect.y };
        if rect.is_empty() {
            return self.with_pixels(Pixels::empty(), UVec2::default());
        }
        if !rect.lies_in(Rect::of(self.canvas)) {
            return Err(FrameError::SticksOut { pixels: rect.size(), inset, canvas: self.canvas });
        }
        let part = self.crop(rect).compacted();
        self.with_pixels(part, inset)
    }

    /// The same frame keeping only what shows: the picture is the same, and costs no more memory than that. How a frame
    /// was trimmed is forgotten.
    pub fn trim_to_content(self) -> Self {
        let shown = self.extent(0).unwrap_or_default();
        self.with_kept_rect(shown).expect("visible pixels are inside the canvas")
    }

    /// The color at a point of the canvas; clear where nothing is kept.
    pub(crate) fn color_at(&self, x: u32, y: u32) -> Rgba<u8> {
        let inside = x.checked_sub(self.inset.x).zip(y.checked_sub(self.inset.y));
        inside.and_then(|(x, y)| self.pixels.get(x, y)).unwrap_or(Rgba([0; 4]))
    }

    /// The pixels of a rectangle of the canvas, clear where nothing is kept. It must be on the canvas.
    pub(crate) fn crop(&self, rect: Rect) -> Pixels {
        part(&self.pixels, self.kept_rect(), rect, Rgba([0; 4]))
    }
}

/// What pixels that are at `kept` have in `rect`, filled up where they don't reach.
fn part(pixels: &Pixels, kept: Rect, rect: Rect, fill: Rgba<u8>) -> Pixels {
    if rect.lies_in(kept) {
        let own = Rect { x: rect.x.saturating_sub(kept.x), y: rect.y.saturating_sub(kept.y), ..rect };
        return pixels.crop(own).expect("it is inside the kept pixels");
    }
    let mut image = RgbaImage::from_pixel(rect.width, rect.height, fill);
    if let Some(shared) = rect.intersection(kept) {
        let bytes = 4 * shared.width as usize;
        let left = 4 * (shared.x - kept.x) as usize;
        let stride = 4 * rect.width as usize;
        let target: &mut [u8] = &mut image;
        for y in shared.y..shared.y + shared.height {
            let row = &pixels.row(y - kept.y)[left..left + bytes];
            let start = (y - rect.y) as usize * stride + 4 * (shared.x - rect.x) as usize;
            target[start..start + bytes].copy_from_slice(row);
        }
    }
    Pixels::from_image(image)
}

fn canvas_corners(canvas: Size) -> [Point; 2] {
    [Point::new(0.0, 0.0), Point::new(f64::from(canvas.width), f64::from(canvas.height))]
}

/// Insets on a canvas whose sides were moved.
fn grow_insets(nine: Insets, old: Size, new: Size, x: i64, y: i64) -> Option<Insets> {
    let side = |inset: u32, by: i64| u32::try_from(i64::from(inset) + by).ok();
    let after = |old: u32, new: u32, before: i64| i64::from(new) - i64::from(old) - before;
    let grown = Insets {
        left: side(nine.left, x)?,
        top: side(nine.top, y)?,
        right: side(nine.right, after(old.width, new.width, x))?,
        bottom: side(nine.bottom, after(old.height, new.height, y))?,
    };
    grown.fit(new).then_some(grown)
}

fn check(pixels: &Pixels, canvas: Size, inset: UVec2) -> Result<(), FrameError> {
    if canvas.is_empty() {
        return Err(FrameError::NoCanvas(canvas));
    }
    if canvas.width.max(canvas.height) > LONGEST {
        return Err(FrameError::TooLong(canvas));
    }
    if !Rect::at(inset.x, inset.y, pixels.size()).lies_in(Rect::of(canvas)) {
        return Err(FrameError::SticksOut { pixels: pixels.size(), inset, canvas });
    }
    Ok(())
}

/// Where a frame came from.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct FrameSource {
    /// The file, as the user named it, without its folders.
    pub file: String,
    /// The folder it is in, without those above it; known only while names are given.
    pub folder: String,
    /// The cell of the sheet.
    pub cell: Option<Cell>,
    /// The pixels of the file.
    pub rect: Option<Rect>,
    /// Keys carried along.
    pub carried: ExtraFields,
}

/// One slot of a grid: `r2c5` is row 2, column 5, both from 0.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Cell {
    /// The row from 0, downwards.
    pub row: u32,
    /// The column from 0, to the right.
    pub column: u32,
}

impl fmt::Display for Cell {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "r{}c{}", self.row, self.column)
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::pixels::tests::any_pixels;

    pub(crate) fn frame(pixels: Pixels) -> Frame {
        Frame::new(Name::new("koi").unwrap(), Name::new("koi-00").unwrap(), pixels).unwrap()
    }

    proptest! {
        #[test]
        fn trimming_and_restoring_is_the_identity(pixels in any_pixels(12)) {
            let whole = frame(pixels.clone());
            let rect = whole.content(0).unwrap_or_default();
            let trimmed = whole.with_kept_rect(rect).unwrap();
            prop_assert!(trimmed.pixels().size().fits_in(pixels.size()));
            prop_assert!(trimmed.full_image().is_same_image(&pixels));
        }

        #[test]
        fn keeping_more_than_is_kept_adds_blank_pixels_only(pixels in any_pixels(8)) {
            let all = Rect::of(pixels.size());
            let trimmed = frame(pixels.clone()).with_kept_rect(pixels.content_bounds(0).unwrap_or_default()).unwrap();
            prop_assert!(trimmed.with_kept_rect(all).unwrap().pixels().is_same_image(&pixels));
        }
    }

    #[test]
    fn pixels_outside_the_canvas_are_refused() {
        let pixels = Pixels::from_image(RgbaImage::new(4, 4));
        let placed = frame(pixels.clone()).with_pixels(pixels, UVec2 { x: 1, y: 0 });
        let canvas = Size::new(4, 4);
        assert_eq!(
            placed.unwrap_err(),
            FrameError::SticksOut { pixels: canvas, inset: UVec2 { x: 1, y: 0 }, canvas }
        );
        assert!(
            frame(Pixels::from_image(RgbaImage::new(4, 4))).with_kept_rect(Rect::new(3, 3, 2, 2)).is_err()
        );
    }

    #[test]
    fn what_belongs_to_a_drawing_moves_with_it() {
        use crate::{Annotations, Insets, SignedRect};
        let boxes = [(Name::new("body").unwrap(), SignedRect { x: 1, y: 1, width: 2, height: 2 })].into();
        let nine = Some(Insets { left: 1, top: 1, right: 1, bottom: 1 });
        let annotations = Annotations {
            boxes,
            nine,
            polygon: vec![Point::new(0.0, 0.0), Point::new(4.0, 0.0)],
            marks: vec![],
            cell: None,
        };
        let whole = frame(Pixels::from_image(RgbaImage::new(4, 4))).with_annotations(annotations);
        // Three more on the left, two more on the right: the corners of a panel grow with its sides.
        let moved = whole.clone().translate_onto(Size::new(9, 4), 3, 0).unwrap();
        let body = moved.annotations().boxes.values().next().copied().unwrap();
        assert_eq!((body.x, body.y), (4, 1));
        assert_eq!(moved.pivot(), Point::new(5.0, 2.0));
        assert_eq!(moved.annotations().nine, Some(Insets { left: 4, top: 1, right: 3, bottom: 1 }));
        assert_eq!(moved.annotations().polygon[1], Point::new(7.0, 0.0));
        // Shifted inside its canvas, the drawing takes its boxes along and leaves the pivot.
        let small = whole.with_kept_rect(Rect::new(0, 0, 2, 2)).unwrap().translate(1, 2).unwrap();
        assert_eq!((small.inset(), small.pivot()), (UVec2 { x: 1, y: 2 }, Point::new(2.0, 2.0)));
        assert_eq!(small.annotations().boxes.values().next().map(|area| area.y), Some(3));
        assert!(small.translate(3, 0).is_err());
    }
}
