//! Documented entry points with degenerate input: no pixel, no frame, another sheet's grid. The result is an error or empty; only an
//! index out of range may panic, and the documentation says so.

use std::collections::HashMap;

use image::{Rgba, RgbaImage};
use shibori_core::changes::SetChanges;
use shibori_core::check::{Thresholds, check};
use shibori_core::clean::{CanvasView, clear_edge, defringe, erase, harden, mixed_edges, specks};
use shibori_core::clip::{Clip, ClipSpec, FrameDuration, add_clips};
use shibori_core::cut::{
    CellChoice, Counts, CutError, Grid, IslandOptions, SheetAnalysis, Spacing, cut_cells, detect_grid,
    find_crossings, islands, judge_grids,
};
use shibori_core::pack::{Layout, PackSettings, pack};
use shibori_core::shape::{
    AlignOptions, AlignTo, Anchor, NineRule, PivotPer, Trim, align, coregister_pivots, mirror, restore,
    set_nine, set_pivot, set_polygons, trim,
};
use shibori_core::{Background, Frame, FrameSet, Mirror, Name, Pixels, Size, find_background};

fn sheets() -> Vec<Pixels> {
    let picture =
        |width, height, color| Pixels::from_image(RgbaImage::from_pixel(width, height, Rgba(color)));
    let mut all = vec![Pixels::empty()];
    for (width, height) in [(1, 1), (1, 300), (300, 1), (2, 2), (31, 17)] {
        all.push(picture(width, height, [0; 4]));
        all.push(picture(width, height, [9, 9, 9, 255]));
    }
    all.push(Pixels::from_image(RgbaImage::from_fn(64, 64, |x, y| {
        Rgba([0, 0, 0, if (x ^ y) & 1 == 0 { 255 } else { 0 }])
    })));
    all
}

fn name(text: &str) -> Name {
    Name::new(text).unwrap()
}

#[test]
fn sheets_without_anything_on_them() {
    for sheet in sheets() {
        let background = find_background(&sheet);
        let analysis = SheetAnalysis::with_background(&sheet, background);
        let found = detect_grid(&analysis);
        for candidate in &found.candidates {
            let cut = cut_cells(&sheet, &candidate.grid, &CellChoice::default()).unwrap();
            let _ = cut.only_specks(background);
        }
        let _ = judge_grids(&analysis);
        let _ = analysis.ruled();
        let _ = islands(&analysis, IslandOptions::default());
        let _ = specks(&sheet, 4);
        let _ = defringe(&sheet, &[]);
        let _ = mixed_edges(&sheet, &[]);
        let _ = harden(&sheet, 128);
        let view = CanvasView { pixels: &sheet, at: Default::default(), canvas: sheet.size() };
        let _ = clear_edge(view, u32::MAX);
        let _ = erase(view, &[]);
        for y in 0..sheet.size().height {
            assert_eq!(sheet.row(y).len(), sheet.size().width as usize * 4);
        }
        assert_eq!(sheet.get(sheet.size().width, 0), None);
    }
}

#[test]
fn a_grid_of_another_sheet_is_an_error() {
    let large = Pixels::from_image(RgbaImage::new(64, 64));
    let grid = Grid::by_counts(large.size(), Counts::new(4, 4).unwrap(), Spacing::default(), false).unwrap();
    for sheet in sheets().into_iter().filter(|sheet| sheet.size() != large.size()) {
        let cut = cut_cells(&sheet, &grid, &CellChoice::default());
        assert!(matches!(cut, Err(CutError::OtherSheet { .. })), "{}", sheet.size());
        for background in [Background::Clear, Background::None] {
            let _ = find_crossings(&sheet, background, &grid);
        }
    }
    assert!(Grid::by_counts(Size::default(), Counts::new(1, 1).unwrap(), Spacing::default(), true).is_err());
}

/// Sets of no frame, of blank ones, and of frames of one pixel, with clips.
fn sets() -> Vec<FrameSet> {
    let frame = |number: usize, pixels: Pixels, canvas: Size| {
        Frame::trimmed(name("koi"), name(&format!("koi-{number}")), pixels, canvas, Default::default())
            .unwrap()
    };
    let dot = || Pixels::from_image(RgbaImage::from_pixel(1, 1, Rgba([9, 9, 9, 255])));
    let blank =
        |count| (0..count).map(|number| frame(number, Pixels::empty(), Size::new(1, 1))).collect::<Vec<_>>();
    let dots = (0..3).map(|number| frame(number, dot(), Size::new(1, 1 + number as u32))).collect::<Vec<_>>();
    let mut mixed = blank(2);
    mixed.push(frame(2, dot(), Size::new(40, 1)));
    let swim: ClipSpec = "swim = 0-1 @80ms bounce".parse().unwrap();
    let with_clip = |frames: Vec<Frame>| {
        let set = FrameSet::new(frames, Vec::new()).unwrap();
        if set.frames().len() > 1 { add_clips(set, std::slice::from_ref(&swim)).unwrap() } else { set }
    };
    vec![FrameSet::default(), with_clip(blank(1)), with_clip(blank(3)), with_clip(dots), with_clip(mixed)]
}

#[test]
fn sets_of_next_to_nothing() {
    let sets = sets();
    for set in &sets {
        let _ = check(set, &Thresholds::default());
        for to in [AlignTo::Feet, AlignTo::Center, AlignTo::Mass, AlignTo::Match] {
            let _ = align(set.clone(), &AlignOptions::to(to));
        }
        let _ = trim(set.clone(), Trim::default()).and_then(restore).unwrap();
        let _ = mirror(set.clone(), Mirror::LeftRight).unwrap();
        let _ = coregister_pivots(set.clone()).unwrap();
        let _ = set_polygons(set.clone(), 8, 0);
        let _ = set_nine(set.clone(), NineRule::Auto);
        for per in [PivotPer::Frame, PivotPer::Clip, PivotPer::Sprite] {
            let _ = set_pivot(set.clone(), Anchor::Feet, per);
        }
        for layout in [
            Layout::Dense(Default::default()),
            Layout::Grid { columns: None },
            Layout::Strip,
            Layout::ClipRows { order: None },
        ] {
            let _ = pack(set.clone(), &PackSettings { layout, ..PackSettings::dense() });
        }
        for other in &sets {
            let _ = SetChanges::between(set, other);
        }
        assert_eq!(set.first_clip_of(usize::MAX), None);
        assert!(set.frames_of(&name("nobody")).is_empty());
        assert_eq!(set.take(&[], &HashMap::new()).frames().len(), 0);
    }
}

#[test]
fn a_clip_of_frames_that_are_not_there_is_refused() {
    let clip = Clip::from_durations(name("koi"), name("swim"), &[(7, FrameDuration::DEFAULT)]).unwrap();
    for set in sets() {
        assert!(set.with_clips(vec![clip.clone()]).is_err());
    }
}
