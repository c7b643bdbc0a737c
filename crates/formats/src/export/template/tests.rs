use std::process::{Command, Stdio};
use std::sync::Arc;

use super::*;
use crate::encode::PageEncoding;
use crate::export::metrics::FrameGeometry;
use crate::export::sample::{frames, subject};
use crate::manifest::{Alpha, Coordinate, Sampling};

const CLIPS: [&str; 2] = ["swim = 0-2@80ms,4@240ms", "turn = 1,4,5 @12fps bounce"];

fn rendered(source: &str) -> Result<String, TemplateError> {
    let (_folder, subject) = subject(frames(6), &CLIPS, &PageEncoding::default(), "pond");
    render(&subject, source)
}

#[test]
fn names_and_numbers_come_as_asked_for() {
    let text = |source: &str| rendered(source).unwrap();
    assert_eq!(
        text("{{ frames[1].ident }} {{ 'leap up-2'|camel }} {{ 'leapUp'|screaming }}"),
        "koi_01 leapUp2 LEAP_UP"
    );
    assert_eq!(
        text("{{ 255|hex }} {{ 10|hex(4) }} {{ (1/3)|fixed(3) }} {{ (0-0.0001)|fixed(2) }}"),
        "ff 000a 0.333 0.00"
    );
    assert_eq!(
        text("{{ 'a\"b'|quoted }} {{ '<&>'|xml }} {{ '3d view'|pascal }}"),
        r#""a\"b" &lt;&amp;&gt; _3dView"#
    );
    let cased = "{{ 'nâge e\u{301}te-2'|camel }} {{ 'nâge'|screaming }} {{ '鯉 泳ぐ'|snake }} {{ 'XMLFrog'|kebab }} {{ '-'|pascal }}";
    assert_eq!(text(cased), "nâgeÉte2 NÂGE 鯉_泳ぐ xml-frog _");
    // Frame 0: drawing at 1,2 of 12x10, 3x5 px, pivot 5,9.
    assert_eq!(
        text(
            "{% set f = frames[0] %}{{ f.from_pivot }} {{ f.from_pivot_up }} {{ f.mid_from_pivot_up }} {{ f.inset_up }}"
        ),
        "[-4.0, -7.0] [-4.0, 2.0] [-2.5, 4.5] [1, 3]"
    );
    assert_eq!(
        text(
            "{{ clips[0].ms }} {{ clips[0].fps is none }} {{ clips[1].fps }} {{ clips[1].playback|length }}"
        ),
        "480.0 true 12.0 4"
    );
    assert_eq!(
        text("{% for step in clips[0].steps %}{{ step.start_ms }},{% endfor %}"),
        "0.0,80.0,160.0,240.0,"
    );
}

#[test]
fn mistakes_have_their_place() {
    let error = |source: &str| rendered(source).unwrap_err().to_string();
    assert_eq!(error("ok\n  {{ frames[0].nmae }}"), "line 2, column 6: 'frames[0].nmae' is not defined");
    assert!(
        error("{% for frame in frames %}\n{{ frame.name }").starts_with("line 2, column"),
        "{}",
        error("{% for frame in frames %}\n{{ frame.name }")
    );
    assert!(error("{% include '/etc/passwd' %}").contains("line 1"));
    assert!(error("\n{{ 'x'|shout }}").starts_with("line 2, column"));
    let endless = "{% for a in range(99999) %}{% for b in range(99999) %}{{ a * b }}{% endfor %}{% endfor %}";
    let (_folder, subject) = subject(frames(6), &CLIPS, &PageEncoding::default(), "pond");
    let stopped =
        |steps, bytes| render_within(&subject, endless, RenderLimits { steps, bytes }).unwrap_err().problem;
    assert_eq!(stopped(10_000, 1 << 20), "the template exceeds the step limit");
    assert_eq!(stopped(RenderLimits::of(&subject).steps, 1 << 20), "the output would exceed 1 MB");
}

#[test]
fn names_that_clash_are_reported_only_where_identifiers_are_asked_for() {
    let name = |text: &str| shibori_core::Name::new(text).unwrap();
    let set = frames(2);
    let set = set
        .map_frames(|at, frame| {
            Ok::<_, shibori_core::SetError>(frame.with_name(name(["koi-a b", "koi-a.b"][at])))
        })
        .unwrap();
    let (_folder, subject) = subject(set, &["swim = 0-1"], &PageEncoding::default(), "pond");
    assert_eq!(render(&subject, "{{ frames[1].name }}").unwrap(), "koi-a.b");
    let error = render(&subject, "\n{{ frames[1].ident }}").unwrap_err().to_string();
    assert_eq!(
        error,
        "line 2, column 14: frame 'koi:koi-a b' and frame 'koi:koi-a.b' would both be called 'koi_a_b' in identifiers"
    );
}

/// Runs a compiler or an interpreter over a text; `None` where it is not on this machine.
fn accepted(program: &str, arguments: &[&str], file: &str, text: &str) -> Option<bool> {
    let folder = tempfile::tempdir().unwrap();
    std::fs::write(folder.path().join(file), text).unwrap();
    let mut command = Command::new(program);
    command.args(arguments).arg(file).current_dir(folder.path()).stdout(Stdio::null());
    let output = command.output().ok()?;
    assert!(output.status.success(), "{program}: {}", String::from_utf8_lossy(&output.stderr));
    Some(true)
}

/// Compiles a Rust module as a game includes it, against the crate it is for, and plays its clip.
fn plays(module: &str) -> bool {
    let folder = tempfile::tempdir().unwrap();
    let game = r#"
        mod pond { include!("pond.rs"); }
        fn main() {
            let atlas = pond::atlas().unwrap();
            let clip = &atlas.clips()[pond::clip::KOI_SWIM];
            let page = &atlas.pages()[0];
            println!("{} {:?}", clip.at(0.35).frame, clip.events(0..200).map(|event| event.tick).collect::<Vec<_>>());
            println!("{:?} {:?} {}", page.alpha, page.sampling, page.companions[0].is_normal);
            println!("{:?}", atlas.hitbox(pond::frame::KOI_02, "hit", false));
        }"#;
    std::fs::write(folder.path().join("pond.rs"), module).unwrap();
    std::fs::write(folder.path().join("game.rs"), game).unwrap();
    let run = |program: &std::path::Path, arguments: &[&str]| {
        let output = Command::new(program).args(arguments).current_dir(folder.path()).output().unwrap();
        assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
        String::from_utf8(output.stdout).unwrap()
    };
    let play = concat!(env!("CARGO_MANIFEST_DIR"), "/../play/src/lib.rs");
    let edition = ["--edition", "2024", "-D", "warnings"];
    let library = ["--crate-type", "lib", "--crate-name", "shibori_play", play];
    run("rustc".as_ref(), &[&edition[..], &library[..]].concat());
    run(
        "rustc".as_ref(),
        &[&edition[..], &["--extern", "shibori_play=libshibori_play.rlib", "game.rs"]].concat(),
    );
    let said = run(&folder.path().join("game"), &[]);
    assert_eq!(said, "3 [100]\nPremultiplied Some(Smooth) true\nSome([-19.347626, -7.1000004, 41.0, 4.0])\n");
    true
}

/// The sample with a box, a nine-slice, a polygon and an event.
fn marked(source: &str) -> Result<String, TemplateError> {
    let (_folder, mut subject) = subject(frames(6), &["swim = 0-3"], &PageEncoding::default(), "pond");
    let manifest = Arc::get_mut(&mut subject.manifest).unwrap();
    let frame = &mut manifest.frames[2];
    frame.boxes.insert("hit".to_owned(), [-7, 2, 41, 4]);
    frame.nine = Some([1, 2, 31, 4]);
    frame.polygon = [[0.5, 6.25], [3.0, 1.0], [4.0, 5.0]].map(|at| at.map(Coordinate)).to_vec();
    frame.pivot = [12.347_625, 9.1].map(Coordinate);
    let page = &mut manifest.pages[0];
    (page.alpha, page.sampling) = (Alpha::Premultiplied, Some(Sampling::Smooth));
    page.companions.insert("_n".to_owned(), "pond_n.png".to_owned());
    manifest.clips[0].steps[1].event = Some("splash".to_owned());
    subject.frames = FrameGeometry::of_all(manifest).into();
    Arc::get_mut(&mut subject.clips).unwrap()[0].playback[1].event = Some("splash".to_owned());
    render(&subject, source)
}

#[test]
fn two_things_of_one_name_are_reported_and_never_lost() {
    let (_folder, mut subject) =
        subject(frames(2), &["swim = 0", "turn = 1"], &PageEncoding::default(), "pond");
    let manifest = Arc::get_mut(&mut subject.manifest).unwrap();
    (manifest.clips[1].sprite, manifest.clips[1].name) = ("koi-swim".into(), "koi-swim".into());
    let error = render(&subject, BUILTIN_TEMPLATES[0].source).map(drop);
    let table = render(&subject, "{{ clips[0].full_name }}").unwrap_err();
    assert!(error.is_err() || BUILTIN_TEMPLATES[0].source.find("full_name").is_none());
    assert!(table.problem.contains("clip 'koi:swim' and clip 'koi-swim:koi-swim'"), "{}", table.problem);
}

#[test]
fn starters_make_code_that_compilers_take() {
    for starter in BUILTIN_TEMPLATES {
        let text = marked(starter.source).unwrap();
        assert!(text.contains("koi-05"), "{}", starter.name);
        // Whatever a person put into a manifest arrives in every language.
        let marked = ["hit", "-7", "41", "31", "6.25", "splash", "12.347625", "9.1", "pond_n.png", "_n"];
        for part in marked {
            assert!(text.contains(part), "{}: {part}", starter.name);
        }
        let page = &text[..text.find("koi-00").unwrap()].to_lowercase();
        assert!(["premultiplied", "true"].iter().any(|said| page.contains(said)), "{}: alpha", starter.name);
        assert!(
            ["smooth", "true, true"].iter().any(|said| page.contains(said)),
            "{}: sampling",
            starter.name
        );
        let file = format!("pond.{}", starter.extension());
        let known = match starter.name {
            "json" => serde_json::from_str::<serde_json::Value>(&text).map(|_| true).ok(),
            "rust" => Some(plays(&text)),
            "c" => accepted(
                "cc",
                &["-std=c99", "-Wall", "-Werror", "-Wno-unused-const-variable", "-fsyntax-only", "-x", "c"],
                &file,
                &text,
            ),
            "python" => accepted("python3", &["-m", "py_compile"], &file, &text),
            "lua" => accepted("luac", &["-p"], &file, &text),
            "typescript" => accepted("tsc", &["--noEmit", "--strict"], &file, &text),
            _ => None,
        };
        // rustc is there wherever these tests are.
        assert!(known.is_some() || !["rust", "json"].contains(&starter.name));
    }
}
