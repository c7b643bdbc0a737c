//! An atlas to export, made up for tests: trimmed and rotated frames, a blank one, one shared by clips, one of no clip.

use image::{Rgba, RgbaImage};
use shibori_core::clip::{ClipSpec, add_clips};
use shibori_core::pack::{DenseOptions, Layout, PackSettings, pack};
use shibori_core::shape::{Trim, TrimScope, trim};
use shibori_core::{Frame, FrameSet, Name, Pixels, Point};
use tempfile::TempDir;

use crate::decode::ReadOptions;
use crate::encode::{self, PageEncoding};
use crate::export::ExportSource;
use crate::store::Transaction;

/// Frames of 12x10 pixels, each of its own colors, the drawing somewhere inside; number 3 is blank.
pub(super) fn frames(count: u32) -> FrameSet {
    let frame = |at: u32| {
        let image = RgbaImage::from_fn(12, 10, |x, y| {
            let (left, top) = (1 + at % 3, 2 + at % 2);
            let inside = at != 3 && x >= left && x < left + 3 + at % 5 && y >= top && y < top + 5;
            let shade = Rgba([(at * 7) as u8, (x * 20) as u8, (y * 25) as u8, 255]);
            if inside { shade } else { Rgba([0; 4]) }
        });
        let name = Name::new(format!("koi-{at:02}")).unwrap();
        let frame = Frame::new(Name::new("koi").unwrap(), name, Pixels::from_image(image)).unwrap();
        frame.with_pivot(Point::new(5.0, 9.0))
    };
    FrameSet::new((0..count).map(frame).collect(), Vec::new()).unwrap()
}

/// Packs frames with clips and opens the atlas.
pub(super) fn subject(
    set: FrameSet,
    clips: &[&str],
    options: &PageEncoding,
    stem: &str,
) -> (TempDir, ExportSource) {
    let specs: Vec<ClipSpec> = clips.iter().map(|text| text.parse().unwrap()).collect();
    let set =
        trim(add_clips(set, &specs).unwrap(), Trim { scope: TrimScope::Frame, ..Trim::default() }).unwrap();
    let layout = Layout::Dense(DenseOptions { may_rotate: true, ..DenseOptions::default() });
    let atlas = pack(set, &PackSettings { layout, ..PackSettings::dense() }).unwrap();
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join(stem);
    let atlases = [atlas];
    let run = Transaction::default();
    encode::atlas(&path, &atlases, options, &run, || {}).unwrap();
    run.commit().unwrap();
    let limits = ReadOptions { companions: true, ..ReadOptions::default() };
    let subject = ExportSource::open(&folder.path().join(format!("{stem}.json")), &limits).unwrap();
    (folder, subject)
}
