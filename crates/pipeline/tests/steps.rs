//! The steps as a library user calls them: outcomes, notices and errors are values, several steps share one transaction, and
//! nothing is in place before it is committed.

use std::path::Path;
use std::sync::Mutex;

use image::{Rgba, RgbaImage};
use serde_json::json;
use shibori_core::{Frame, FrameSet, Name, Pixels, Size, UVec2};
use shibori_formats::store::Policy;
use shibori_pipeline::options::{
    CheckOptions, ClipCommand, ContactOptions, ExportOptions, GridPreviewOptions, GuideOptions, HtmlOptions,
    MotionOptions, PackOptions, SliceOptions, UnpackOptions,
};
use shibori_pipeline::steps::{
    self, AdjustTarget, CutMethod, Inspected, MotionContent, RenderedPreview, View,
};
use shibori_pipeline::{
    Context, Error, ExportInputError, GuideError, NoopObserver, Notice, Observer, SheetError, Source, Task,
};
use tempfile::TempDir;

/// Keeps what it hears.
#[derive(Default)]
struct Ear {
    notices: Mutex<Vec<Notice>>,
    counts: Mutex<Vec<(Task, usize, usize)>>,
}

impl Observer for Ear {
    fn notice(&self, notice: Notice) {
        self.notices.lock().unwrap().push(notice);
    }

    fn progress(&self, task: Task, done: usize, of: usize) {
        self.counts.lock().unwrap().push((task, done, of));
    }
}

fn options<T: serde::de::DeserializeOwned>(value: impl Into<serde_json::Value>) -> T {
    serde_json::from_value(value.into()).unwrap()
}

/// Four cells of 16x16 with a block that grows, on a background.
fn sheet(background: Rgba<u8>) -> RgbaImage {
    RgbaImage::from_fn(64, 16, |x, y| {
        let (cell, x) = (x / 16, x % 16);
        let inside = (4..8 + cell).contains(&x) && (5..14).contains(&y);
        if inside { Rgba([40 * cell as u8, 90, (x * 9) as u8, 255]) } else { background }
    })
}

const CLEAR: Rgba<u8> = Rgba([0; 4]);

/// A folder with `koi.png`, and a context whose paths begin there.
fn at_home<'a>(image: &RgbaImage, ear: &'a Ear) -> (TempDir, Context<'a>) {
    let home = tempfile::tempdir().unwrap();
    image.save_with_format(home.path().join("koi.png"), image::ImageFormat::Qoi).unwrap();
    let mut cx = Context::new(ear);
    cx.base = home.path().to_owned();
    (home, cx)
}

/// Four columns; one row is too little to find a grid by.
fn in_four() -> SliceOptions {
    options(json!({ "slice": { "grid": "4x1" } }))
}

fn koi() -> Vec<Source> {
    vec![Path::new("koi.png").into()]
}

fn listing(folder: &Path) -> Vec<String> {
    let mut names: Vec<String> =
        std::fs::read_dir(folder).unwrap().map(|e| e.unwrap().file_name().into_string().unwrap()).collect();
    names.retain(|name| name != ".shibori");
    names.sort();
    names
}

#[test]
fn several_steps_hand_on_frames_in_memory_and_share_one_transaction() {
    let ear = Ear::default();
    let (home, cx) = at_home(&sheet(CLEAR), &ear);
    let slice: SliceOptions = options(json!({
        "slice": { "grid": "4x1" }, "clips": { "clip": "grow = 0-3 @12fps" }, "shape": { "pivot": "feet" },
    }));
    let sliced = steps::slice(&koi(), &slice, &cx).unwrap();
    assert_eq!(sliced.set.frames().len(), 4);
    assert!(
        matches!(&sliced.sheets[0].how, CutMethod::Grid { is_found: false, dropped, .. } if dropped.is_empty())
    );
    let pack = PackOptions::default();
    let packed = steps::pack(&[Source::frames("koi", sliced.set.clone())], &pack, &cx).unwrap();
    steps::stage_set(sliced.set, Path::new("sets/koi"), &cx).unwrap();
    let report = steps::stage_atlases(&packed, Path::new("atlas/koi"), &pack, &cx).unwrap();
    assert_eq!(report.manifests, [home.path().join("atlas/koi.json")]);
    // Made ready, but not in place: no manifest is there yet.
    assert!(!home.path().join("sets/koi/frames.json").exists() && !report.manifests[0].exists());
    cx.commit().unwrap();
    assert_eq!(listing(&home.path().join("atlas")), ["koi.json", "koi.png"]);
    assert_eq!(listing(&home.path().join("sets/koi")).len(), 5);
    let counts = ear.counts.lock().unwrap();
    assert_eq!(counts.iter().filter(|(task, ..)| *task == Task::Frames).count(), 4);
    assert!(counts.contains(&(Task::Pages, 1, 1)));
}

#[test]
fn a_run_that_is_not_committed_leaves_everything_as_it_was() {
    let ear = Ear::default();
    let (home, cx) = at_home(&sheet(CLEAR), &ear);
    let sliced = steps::slice(&koi(), &in_four(), &cx).unwrap();
    steps::stage_set(sliced.set.clone(), Path::new("a/b"), &cx).unwrap();
    // The same files by another step of the run.
    let twice = steps::stage_set(sliced.set, Path::new("a/b"), &cx);
    assert!(matches!(twice, Err(Error::File(_))));
    drop(cx);
    assert_eq!(listing(home.path()), ["koi.png"]);
    // A dry run says what it would write, and writes nothing.
    let mut dry = Context::with_policy(&ear, Policy { dry_run: true, ..Policy::default() });
    dry.base = home.path().to_owned();
    let sliced = steps::slice(&koi(), &in_four(), &dry).unwrap();
    let written = steps::stage_set(sliced.set, Path::new("a"), &dry).unwrap();
    dry.commit().unwrap();
    assert_eq!((written.files.len(), listing(home.path())), (5, vec!["koi.png".to_owned()]));
}

#[test]
fn a_source_is_never_written_over_whatever_step_wants_to() {
    let ear = Ear::default();
    let (_home, cx) = at_home(&sheet(CLEAR), &ear);
    let _ = steps::slice(&koi(), &in_four(), &cx).unwrap();
    let drawn = View::Contact(ContactOptions::default()).draw(&koi()[0], None, &cx).unwrap();
    let error = drawn.stage(Path::new("koi.png"), &cx).unwrap_err();
    assert!(error.to_string().contains("is a source of this run"), "{error}");
}

#[test]
fn what_is_noticed_comes_as_values() {
    let ear = Ear::default();
    let back = Rgba([20, 200, 60, 255]);
    let (_home, cx) = at_home(&sheet(back), &ear);
    let sliced = steps::slice(&koi(), &options(json!({ "slice": { "grid": "4x1" } })), &cx).unwrap();
    assert_eq!(sliced.set.frames().len(), 4);
    let uneven = json!({ "slice": { "grid": "4x1" }, "clean": { "key": "auto" },
        "shape": { "scale": 1.5, "pivot": "99px,5px" } });
    let _ = steps::slice(&koi(), &options(uneven), &cx).unwrap();
    let notices = ear.notices.lock().unwrap();
    assert!(matches!(&notices[0], Notice::FlatBackground { file, .. } if file == Path::new("koi.png")));
    assert!(notices.contains(&Notice::UnevenScale { factor: "1.5".parse().unwrap() }));
    assert!(matches!(notices.last(), Some(Notice::PivotsOutside { frames: 4, .. })));
}

#[test]
fn what_can_not_be_done_says_so_as_a_value_that_names_no_option() {
    let ear = Ear::default();
    let (home, cx) = at_home(&sheet(CLEAR), &ear);
    let cut = |value: serde_json::Value| {
        let error = steps::slice(&koi(), &options(value), &cx).unwrap_err();
        assert!(!error.to_string().contains("--"), "{error}");
        error
    };
    // Half of a sheet is two cells, which prove no grid.
    let half = json!({ "slice": { "within": "0,0,32,16" } });
    assert!(matches!(cut(half), Error::Sheet(SheetError::UnsureGrid { .. })));
    assert!(matches!(cut(json!({ "slice": { "grid": "5x1" } })), Error::Sheet(SheetError::Cut { .. })));
    assert!(matches!(cut(json!({ "slice": { "grid": "4x1", "take": "9" } })), Error::Select(_)));
    assert!(matches!(cut(json!({ "slice": { "grid": "4x1", "islands": true } })), Error::Options(_)));
    assert!(matches!(
        cut(json!({ "clean": { "key": "123456" } })),
        Error::Sheet(SheetError::KeyNowhere { .. })
    ));
    assert!(matches!(
        cut(json!({ "slice": { "grid": "4x1" }, "clean": { "defringe": true } })),
        Error::Sheet(SheetError::NoKey)
    ));
    assert!(matches!(
        cut(json!({ "slice": { "grid": "4x1" }, "clips": { "clip": "a = 7" } })),
        Error::Apply(_)
    ));
    let blank = RgbaImage::new(64, 16);
    blank.save_with_format(home.path().join("blank.png"), image::ImageFormat::Qoi).unwrap();
    let of_blank =
        |value: serde_json::Value| steps::slice(&[Path::new("blank.png").into()], &options(value), &cx);
    assert!(matches!(of_blank(json!({})), Err(Error::Sheet(SheetError::BlankSheet { .. }))));
    assert!(matches!(
        of_blank(json!({ "slice": { "grid": "4x1" } })),
        Err(Error::Sheet(SheetError::AllBlank { cells: 4, .. }))
    ));
    assert!(matches!(
        of_blank(json!({ "slice": { "islands": true } })),
        Err(Error::Sheet(SheetError::NoDrawing { .. }))
    ));
    let no_set = steps::stage_adjusted(Default::default(), Path::new("koi.png"), &AdjustTarget::InPlace, &cx);
    assert!(matches!(no_set, Err(Error::NotASet { .. })));
    let clip = steps::clip(Path::new("koi.png"), &ClipCommand::default(), &cx);
    assert!(matches!(clip, Err(Error::NoClips { .. })));
    let export =
        |path: &str, value| steps::export(Path::new(path), &options::<ExportOptions>(value), None, &cx);
    assert!(matches!(
        export("koi.png", json!({ "to": "csv" })),
        Err(Error::ExportInput(ExportInputError::NoManifest { .. }))
    ));
    let is_gone = |error: Option<Error>| {
        let problem = |error| match error {
            Some(Error::File(shibori_formats::FileError::Read { problem, .. })) => Some(problem),
            _ => None,
        };
        matches!(problem(error), Some(shibori_formats::ReadProblem::NotFound))
    };
    assert!(is_gone(export("gone", json!({ "to": "csv" })).err()));
    assert!(is_gone(steps::clip(Path::new("gone"), &ClipCommand::default(), &cx).err()));
    assert!(matches!(export("koi.png", json!({})), Err(Error::ExportInput(ExportInputError::NoFormat))));
    let page = View::Html(HtmlOptions::default()).draw(&koi()[0], None, &cx).unwrap();
    assert!(matches!(page.stage(Path::new("a.txt"), &cx), Err(Error::NotHtml { .. })));
    let guide = |value| steps::guide_sheet(&options::<GuideOptions>(value), Path::new("g.png"), &cx);
    let names = json!({ "grid": "1x1", "cell": "9x9", "rows": ["a", "b"] });
    assert!(matches!(guide(names), Err(Error::Guide(GuideError::RowNames { names: 2, rows: 1 }))));
    let feet = json!({ "grid": "1x1", "cell": "9x9", "pivot": "feet" });
    assert!(matches!(guide(feet), Err(Error::Guide(GuideError::Unmeasurable { .. }))));
}

#[test]
fn every_other_step_gives_its_outcome_without_a_word() {
    let ear = Ear::default();
    let (home, cx) = at_home(&sheet(CLEAR), &ear);
    let slice: SliceOptions = options(json!({
        "slice": { "grid": "4x1" }, "clips": { "clip": ["grow = 0-3", "back = 3-0 once"] },
    }));
    let sliced = steps::slice(&koi(), &slice, &cx).unwrap();
    let pack = PackOptions::default();
    let packed = steps::pack(&[Source::frames("koi", sliced.set)], &pack, &cx).unwrap();
    steps::stage_atlases(&packed, Path::new("pond"), &pack, &cx).unwrap();
    cx.commit().unwrap();
    let mut cx = Context::new(&NoopObserver);
    cx.base = home.path().to_owned();
    let atlas = Path::new("pond.json");
    let clip: ClipCommand =
        options(json!({ "clips": { "event": "grow@2=splash" }, "edits": { "drop": "back" } }));
    let clipped = steps::clip(atlas, &clip, &cx).unwrap();
    assert!(clipped.is_changed && clipped.set.clips().len() == 1);
    assert_eq!(clipped.manifest, Path::new("pond.json"));
    let unpacked = steps::unpack(atlas, &UnpackOptions::default(), &cx).unwrap();
    assert!(unpacked.frames().iter().all(shibori_core::Frame::is_untrimmed));
    let checked = steps::check(&[atlas.into()], &options::<CheckOptions>(json!({ "allow": "drift" })), &cx);
    assert_eq!(checked.unwrap()[0].set.frames().len(), 4);
    let exported = steps::export(atlas, &options(json!({ "template": "lua" })), None, &cx).unwrap();
    assert!(exported.is_text && exported.files[0].path.ends_with("pond.lua"));
    let text = "{{ frames|length }} of {{ name }}";
    let by_text = steps::export_by_text(atlas, text, Path::new("count.txt"), &cx).unwrap();
    assert_eq!(by_text.files[0].bytes, b"4 of pond");
    let wrong =
        steps::export_by_text(atlas, "\n{{ nmae }}", Path::new("a.txt"), &cx).unwrap_err().to_string();
    assert!(wrong.contains("line 2") && wrong.contains("nmae"), "{wrong}");
    let shows = |only: serde_json::Value| match View::Motion(options::<MotionOptions>(only))
        .draw(&atlas.into(), None, &cx)
        .unwrap()
    {
        RenderedPreview::Motion(motion) => motion.shows,
        _ => panic!("motion is drawn as motion"),
    };
    // What the run is about to write is what its later steps see: one of two clips was dropped.
    for only in [json!({ "only": "grow" }), json!({})] {
        assert!(matches!(shows(only), MotionContent::One(clip) if clip.name().as_str() == "grow"));
    }
    let found = steps::inspect(&["koi.png".into()], &cx).unwrap();
    assert!(matches!(&found[0], Inspected::Image(image) if image.info.size.width == 64));
}

/// What commands read from files and recipes hand over in memory comes to the same picture, page and cut.
#[test]
fn every_view_draws_frames_in_memory_as_it_draws_them_from_files() {
    let ear = Ear::default();
    let (home, cx) = at_home(&sheet(CLEAR), &ear);
    let how: SliceOptions = options(json!({
        "slice": { "grid": "4x1" }, "clips": { "clip": ["grow = 0-3", "back = 3-0 once"] },
    }));
    let in_memory = Source::sheet("koi.png", shibori_core::Pixels::from_image(sheet(CLEAR)));
    let set = steps::slice(&koi(), &how, &cx).unwrap().set;
    let same = steps::slice(std::slice::from_ref(&in_memory), &how, &cx).unwrap().set;
    let known = |frame: &shibori_core::Frame| {
        (frame.name().clone(), frame.source().cloned(), frame.pixels().to_image().into_raw())
    };
    assert!(same.frames().iter().map(known).eq(set.frames().iter().map(known)));
    assert_eq!(same.clips(), set.clips());
    steps::stage_set(set.clone(), Path::new("koi"), &cx).unwrap();
    cx.commit().unwrap();
    let mut cx = Context::new(&NoopObserver);
    cx.base = home.path().to_owned();
    let grid: GridPreviewOptions = options(json!({ "slice": { "grid": "4x1" }, "zoom": 2 }));
    let grid = View::Grid(Box::new(grid));
    let written = |name: &str, drawn: RenderedPreview, view: &View| {
        let path = format!("{name}.{}", view.file_name().1);
        drawn.stage(Path::new(&path), &cx).unwrap();
        cx.limits().staged.read(&home.path().join(path)).unwrap()
    };
    let frames = || (Source::from(Path::new("koi")), Source::frames("koi", set.clone()));
    let mut compared = 0;
    for (view, (file, memory)) in [
        (grid, (koi().remove(0), in_memory)),
        (View::Contact(ContactOptions::default()), frames()),
        (View::Onion(options(json!({}))), frames()),
        (View::Drift(options(json!({}))), frames()),
        (View::Pages(options(json!({}))), frames()),
        (View::Motion(MotionOptions::default()), frames()),
        (View::Html(HtmlOptions::default()), frames()),
    ] {
        let draw = |source: &Source| view.draw(source, None, &cx).unwrap();
        let one = written(&format!("file-{compared}"), draw(&file), &view);
        assert!(one == written(&format!("memory-{compared}"), draw(&memory), &view), "{view:?}");
        compared += 1;
    }
    assert_eq!(compared, 7);
    // Frames can't be cut again, and a light table of frames in memory ends in lines of a recipe.
    let again = View::Grid(Box::default()).draw(&frames().1, None, &cx);
    assert!(matches!(again, Err(Error::Sheet(SheetError::CutAlready { .. }))));
    let table = written(
        "table",
        View::LightTable(None).draw(&frames().1, None, &cx).unwrap(),
        &View::LightTable(None),
    );
    assert!(String::from_utf8(table).unwrap().contains("\"recipe\":{}"));
}

/// Sources in memory that no file could be: without a pixel, without a frame, all blank.
#[test]
fn sources_of_next_to_nothing_give_errors_or_nothing() {
    let dot = RgbaImage::from_pixel(1, 1, Rgba([9, 9, 9, 255]));
    let frame = |pixels: Pixels| {
        let (sprite, name) = (Name::new("koi").unwrap(), Name::new("koi-00").unwrap());
        Frame::trimmed(sprite, name, pixels, Size::new(1, 1), UVec2::default()).unwrap()
    };
    let sources = [
        Source::sheet("empty.png", Pixels::empty()),
        Source::sheet("dot.png", Pixels::from_image(dot.clone())),
        Source::frames("none", FrameSet::default()),
        Source::frames("blank", FrameSet::new(vec![frame(Pixels::empty())], Vec::new()).unwrap()),
        Source::frames("one", FrameSet::new(vec![frame(Pixels::from_image(dot))], Vec::new()).unwrap()),
    ];
    let views = || {
        [
            View::Contact(ContactOptions::default()),
            View::Grid(Box::default()),
            View::Motion(MotionOptions::default()),
            View::Pages(Default::default()),
            View::Html(HtmlOptions::default()),
            View::LightTable(None),
            View::Onion(Default::default()),
            View::Drift(Default::default()),
        ]
    };
    for source in &sources {
        let cx = Context::new(&NoopObserver);
        for cut in [json!({}), json!({ "grid": "2x2" }), json!({ "cell": "1x1" }), json!({ "islands": true })]
        {
            let _ = steps::slice(std::slice::from_ref(source), &options(json!({ "slice": cut })), &cx);
        }
        for shape in [
            json!({}),
            json!({ "align": "match" }),
            json!({ "pivot": "feet", "canvas": "fit", "polygon": 8 }),
        ] {
            let _ = steps::adjust(source, &options(json!({ "shape": shape })), &cx);
        }
        for layout in ["dense", "grid", "strip", "clip-rows"] {
            let _ = steps::pack(
                std::slice::from_ref(source),
                &options(json!({ "pack": { "layout": layout } })),
                &cx,
            );
        }
        let _ = steps::check(std::slice::from_ref(source), &CheckOptions::default(), &cx);
        for view in views() {
            let _ = view.draw(source, None, &cx);
        }
    }
}

/// An asset server packs on several threads.
#[test]
fn threads_that_write_one_atlas_wait_for_each_other() {
    let home = tempfile::tempdir().unwrap();
    let pictures = [sheet(CLEAR), image::imageops::flip_vertical(&sheet(CLEAR))];
    let write = |picture: &RgbaImage| -> Result<(), Error> {
        let mut cx = Context::new(&NoopObserver);
        cx.base = home.path().to_owned();
        let source = Source::sheet("koi.png", Pixels::from_image(picture.clone()));
        let sliced = steps::slice(&[source], &in_four(), &cx)?;
        let packed = steps::pack(&[Source::frames("koi", sliced.set)], &PackOptions::default(), &cx)?;
        steps::stage_atlases(&packed, Path::new("pond"), &PackOptions::default(), &cx)?;
        cx.commit()
    };
    std::thread::scope(|threads| {
        let writers: Vec<_> = (0..8)
            .map(|number| {
                threads.spawn({
                    let (write, picture) = (&write, &pictures[number % 2]);
                    move || write(picture)
                })
            })
            .collect();
        for writer in writers {
            writer.join().unwrap().unwrap();
        }
    });
    // One of the two, whole.
    let set = shibori_formats::decode::load(&home.path().join("pond.json"), &Default::default()).unwrap().set;
    assert_eq!(set.frames().len(), 4);
}

/// A page that a library makes says what looks wrong as the program's does, if with fewer words.
#[test]
fn pages_of_a_library_show_findings() {
    let sheet = RgbaImage::from_fn(128, 32, |x, y| {
        let (cell, x) = (x / 32, x % 32);
        let (dx, dy) = (x as i32 - 10 - 2 * cell as i32, y as i32 - 16);
        Rgba(if dx * dx + dy * dy < 50 { [200, 60, (dy + 8) as u8 * 9, 255] } else { [0; 4] })
    });
    let cx = Context::new(&NoopObserver);
    let source = Source::sheet("lantern.png", Pixels::from_image(sheet));
    let sliding = json!({ "slice": { "grid": "4x1" }, "clips": { "clip": ["glow = 0-3 @8fps"] } });
    let sliced = steps::slice(&[source], &options(sliding), &cx).unwrap();
    let frames = Source::frames("lantern", sliced.set);
    let page = View::Html(HtmlOptions::default()).draw(&frames, None, &cx).unwrap();
    let RenderedPreview::Page(page) = page else { panic!("no page") };
    assert!(page.html().contains("the figure slides 6 px right during 'glow'"));
}
