use std::path::Path;
use std::sync::Arc;

use super::sample::{frames, subject};
use super::*;
use crate::encode::PageEncoding;

const CLIPS: [&str; 3] = ["swim = 0-2@80ms,4@240ms", "turn = 1,4,5 @12fps bounce", "back = 0-1 mirror once"];

#[test]
fn tables_have_a_row_a_frame_and_a_row_a_step() {
    let (_folder, subject) = subject(frames(6), &CLIPS, &PageEncoding::default(), "pond");
    let files = csv(&subject, &subject.path.with_extension("csv")).unwrap();
    assert!(files[1].path.ends_with("pond-clips.csv"));
    let rows = |at: usize| -> Vec<Vec<String>> {
        let text = String::from_utf8(files[at].bytes.clone()).unwrap();
        assert!(text.ends_with("\r\n") && !text.replace("\r\n", "").contains('\n'));
        let mut reader = ::csv::ReaderBuilder::new().has_headers(false).from_reader(text.as_bytes());
        reader.records().map(|row| row.unwrap().iter().map(str::to_owned).collect()).collect()
    };
    let (frames, steps) = (rows(0), rows(1));
    assert_eq!((frames.len(), steps.len()), (7, 1 + 4 + 3 + 2));
    assert_eq!(frames[2][..4], ["koi", "koi-01", "1", "1"].map(str::to_owned));
    let rect = subject.manifest.frames[1].rect;
    assert_eq!(frames[2][6..10], rect.map(|number| number.to_string()));
    // The last step of swim begins at 240 ms and lasts as long.
    assert_eq!(steps[4][1], "swim");
    assert_eq!(steps[4][11..13], ["240", "240"].map(str::to_owned));
}

#[test]
fn styles_refuse_what_they_can_not_turn_and_name_clashes() {
    let (_folder, rotated) = subject(frames(8), &CLIPS, &PageEncoding::default(), "pond");
    let error = css(&rotated, Path::new("pond.css")).unwrap_err();
    assert!(matches!(error, ExportError::Rotated { format: "CSS", .. }), "{error}");
    let name = |text: &str| shibori_core::Name::new(text).unwrap();
    let set =
        frames(1).map_frames(|_, frame| Ok::<_, shibori_core::SetError>(frame.with_name(name("koi-swim"))));
    let (_folder, same) = subject(set.unwrap(), &["swim = 0"], &PageEncoding::default(), "pond");
    let error = css(&same, Path::new("pond.css")).unwrap_err().to_string();
    assert_eq!(error, "frame 'koi:koi-swim' and clip 'koi:swim' would both be called 'koi-swim' in CSS");
    assert!(svg(&same, Path::new("pond.svg")).is_ok(), "clips have no name there");
    // An atlas of one sprite is called like it, and so may its clip be: the class of all is another.
    let lone =
        frames(1).map_frames(|_, frame| Ok::<_, shibori_core::SetError>(frame.with_name(name("koi-0"))));
    let (_folder, mut lone) = subject(lone.unwrap(), &["koi = 0"], &PageEncoding::default(), "koi");
    Arc::get_mut(&mut lone.manifest).unwrap().frames[0].rotated = false;
    let text =
        String::from_utf8(css(&lone, &lone.path.with_extension("css")).unwrap()[0].bytes.clone()).unwrap();
    assert_eq!((text.matches("\n.koi {").count(), text.matches("\n.koi-atlas {").count()), (1, 1));
}

#[test]
fn styles_refuse_pages_that_browsers_do_not_show_as_meant() {
    let premultiplied = shibori_core::pack::ColorFinish { spread: 0, premultiplied: true };
    let soft = PageEncoding { finish: premultiplied, ..PageEncoding::default() };
    let tga = PageEncoding { format: crate::encode::PageFormat::Tga, ..PageEncoding::default() };
    for (options, expected) in [
        (soft, "page 'pond.png' can't be used in CSS: its colors are multiplied by alpha"),
        (tga, "page 'pond.tga' can't be used in CSS: browsers can't display this file format"),
    ] {
        let (_folder, mut subject) = subject(frames(2), &[], &options, "pond");
        Arc::get_mut(&mut subject.manifest)
            .unwrap()
            .frames
            .iter_mut()
            .for_each(|frame| frame.rotated = false);
        assert_eq!(css(&subject, Path::new("pond.css")).unwrap_err().to_string(), expected);
        // An SVG has its pages in it, as they are meant.
        assert!(svg(&subject, Path::new("pond.svg")).is_ok());
    }
}

#[test]
fn a_style_holds_uneven_times_and_written_out_bounces() {
    let (_folder, subject) =
        subject(frames(1), &["swim = 0@100ms,0@300ms"], &PageEncoding::default(), "pond");
    let mut subject = subject;
    Arc::get_mut(&mut subject.manifest).unwrap().frames.iter_mut().for_each(|frame| frame.rotated = false);
    let files = css(&subject, &subject.path.with_extension("css")).unwrap();
    let text = String::from_utf8(files[0].bytes.clone()).unwrap();
    assert!(text.contains("animation: pond-atlas-koi-swim 400ms steps(1, end) infinite both;"), "{text}");
    assert!(text.contains("  0% {") && text.contains("  25% {") && text.contains("  100% {"));
    assert!(text.contains("url(\"pond.png\")"));
}

#[test]
fn an_svg_has_a_view_and_a_symbol_for_every_frame_and_no_two_overlap() {
    let (_folder, subject) = subject(frames(8), &CLIPS, &PageEncoding::default(), "pond");
    let files = svg(&subject, &subject.path.with_extension("svg")).unwrap();
    let text = String::from_utf8(files[0].bytes.clone()).unwrap();
    let views: Vec<Vec<u32>> = text
        .lines()
        .filter_map(|line| line.strip_prefix("<view id=\"")?.split_once("viewBox=\""))
        .map(|(_, rest)| rest.split('"').next().unwrap().split(' ').map(|n| n.parse().unwrap()).collect())
        .collect();
    assert_eq!(views.len(), 8);
    for (at, a) in views.iter().enumerate() {
        assert_eq!(a[2..], [12, 10]);
        for b in &views[..at] {
            assert!(a[0] >= b[0] + b[2] || b[0] >= a[0] + a[2] || a[1] >= b[1] + b[3] || b[1] >= a[1] + a[3]);
        }
    }
    assert_eq!(text.matches("<symbol id=").count(), 8);
    assert_eq!(text.matches("data:image/png;base64,").count(), 1, "the page is embedded once");
    assert!(text.contains("rotate(-90)"), "a rotated frame is rotated back");
    assert!(!text.contains("href=\"pond"), "nothing is loaded");
}

#[test]
fn facts_of_a_frame_agree_with_each_other() {
    let (_folder, subject) = subject(frames(9), &CLIPS, &PageEncoding::default(), "pond");
    for (entry, facts) in subject.manifest.frames.iter().zip(subject.frames.iter()) {
        if facts.blank {
            continue;
        }
        let [width, height] = facts.size.map(f64::from);
        let [x, y] = facts.from_pivot;
        assert_eq!(facts.mid_from_pivot, [x + width / 2.0, y + height / 2.0]);
        assert_eq!(facts.from_pivot_up, [x, -(y + height)]);
        assert_eq!(facts.mid_from_pivot_up, [facts.mid_from_pivot[0], -facts.mid_from_pivot[1]]);
        assert_eq!(facts.inset_up[1] + facts.size[1] + entry.inset[1], entry.canvas[1]);
        let page = subject.manifest.pages[0].size.map(f64::from);
        let pixels =
            [facts.uv[0] * page[0], facts.uv[1] * page[1], facts.uv[2] * page[0], facts.uv[3] * page[1]];
        let [left, top, wide, high] = entry.rect.map(f64::from);
        for (found, wanted) in pixels.iter().zip([left, top, left + wide, top + high]) {
            assert!((found - wanted).abs() < 1e-9);
        }
        assert!((facts.uv[1] + facts.uv_up[1] - 1.0).abs() < 1e-12);
    }
    let bounce = &subject.clips[1];
    assert_eq!(bounce.playback.iter().map(|step| step.step).collect::<Vec<_>>(), [0, 1, 2, 1]);
    assert_eq!((bounce.fps, bounce.playback[3].start_ticks), (Some(12.0), 3));
    assert_eq!(subject.clips[0].fps, None);
}

#[test]
fn files_stand_beside_the_manifest_they_are_named_after() {
    assert_eq!(sibling_path(Path::new("a/pond.gltf"), ".bin"), Path::new("a/pond.bin"));
    assert_eq!(sibling_path(Path::new("pond"), "-clips.csv"), Path::new("pond-clips.csv"));
}
