//! Whatever an artist has in hand goes in.

use assert_cmd::Command;
use image::{DynamicImage, ImageFormat, RgbaImage};

use crate::env::{Env, pictures};

fn save(env: &Env, name: &str, image: &RgbaImage, format: ImageFormat) {
    let mut bytes = std::io::Cursor::new(Vec::new());
    if format == ImageFormat::Tiff {
        let mut tiff = tiff::encoder::TiffEncoder::new(&mut bytes).unwrap();
        let (width, height) = image.dimensions();
        tiff.write_image::<tiff::encoder::colortype::RGBA8>(width, height, image.as_raw()).unwrap();
    } else {
        DynamicImage::from(image.clone()).write_to(&mut bytes, format).unwrap();
    }
    env.write(name, bytes.into_inner());
}

#[test]
fn every_still_format_cuts_to_the_same_frames() {
    let env = Env::with_art();
    let sheet = env.image("art/koi.png");
    env.ok("slice art/koi.png --grid 8x1 -o png");
    let wanted = pictures(&env.frames("png"));
    for (ending, format) in [
        ("bmp", ImageFormat::Bmp),
        ("tiff", ImageFormat::Tiff),
        ("tga", ImageFormat::Tga),
        ("qoi", ImageFormat::Qoi),
    ] {
        save(&env, &format!("{ending}/koi.{ending}"), &sheet, format);
        env.ok(&format!("slice {ending}/koi.{ending} --grid 8x1 -o out"));
        for (frame, wanted) in pictures(&env.frames("out")).iter().zip(&wanted) {
            assert!(frame.is_same_image(wanted), "{ending}");
        }
    }
}

#[test]
fn a_file_of_another_ending_is_read_by_what_it_is() {
    let env = Env::with_art();
    env.write("koi.jpg", env.read("art/koi.png"));
    assert!(env.ok("inspect koi.jpg").contains("PNG, RGBA"));
}

#[test]
fn standard_input_is_a_file_too() {
    let env = Env::with_art();
    let mut command = Command::cargo_bin("shibori").unwrap();
    let output = command
        .current_dir(env.path(""))
        .args(["slice", "-", "--grid", "8x1", "-o", "koi"])
        .write_stdin(env.read("art/koi.png"))
        .output()
        .unwrap();
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    assert_eq!(env.frames("koi").frames()[0].name().as_str(), "stdin-00");
}

#[test]
fn a_video_is_thinned_out_and_keeps_its_time() {
    let env = Env::with_art();
    let mut film = b"YUV4MPEG2 W8 H4 F24:1 Ip C420jpeg\n".to_vec();
    for shade in 0..24u8 {
        film.extend(b"FRAME\n");
        film.extend([shade * 10; 32]);
        film.extend([128; 16]);
    }
    env.write("film.y4m", &film);
    let listed = env.ok("inspect film.y4m");
    assert!(listed.contains("4:2:0 video, read as BT.601, full range"), "{listed}");
    env.ok("slice film.y4m --take 0-23/3 -o film");
    let set = env.frames("film");
    assert_eq!(set.frames().len(), 8);
    assert_eq!(set.clips()[0].total_millis(), 1000.0);
    assert_eq!(set.frames()[1].pixels().get(0, 0).unwrap().0, [30, 30, 30, 255]);
    env.write("broken.y4m", &film[..film.len() - 5]);
    let outcome = env.run("slice broken.y4m -o broken");
    assert_eq!(outcome.code, 3);
    assert!(outcome.err.contains("add --accept truncated to use the 23 whole frames"), "{}", outcome.err);
    let outcome = env.run("slice broken.y4m -o broken --accept truncated");
    assert!(
        outcome.code == 0 && outcome.err.contains("the 23 frames before that were used"),
        "{}",
        outcome.err
    );
}

#[test]
fn a_truncated_gif_gives_its_whole_frames_where_that_is_wanted() {
    let env = Env::with_art();
    let gif = env.read("art/firefly.gif");
    env.write("half.gif", &gif[..gif.len() * 2 / 3]);
    let outcome = env.run("slice half.gif -o half");
    assert_eq!(outcome.code, 3);
    assert!(outcome.err.contains("--accept truncated"), "{}", outcome.err);
    env.ok("slice half.gif -o half --accept truncated");
    let (half, whole) = (env.frames("half"), env.frames("art/firefly.gif"));
    assert!(half.frames().len() >= 2 && half.frames().len() < 8);
    for (a, b) in half.frames().iter().zip(whole.frames()) {
        assert!(a.pixels().is_same_image(b.pixels()));
    }
}

#[test]
fn the_limit_on_pixels_can_be_moved() {
    let env = Env::with_art();
    let outcome = env.run("inspect art/koi.png --max-pixels 8000");
    assert_eq!(outcome.code, 3);
    assert!(outcome.err.contains("256x32 px has 8192 pixels; the limit is 8000"), "{}", outcome.err);
    assert!(outcome.err.contains("--max-pixels 8192"), "{}", outcome.err);
    env.ok("inspect art/koi.png --max-pixels 8192");
}

#[test]
fn a_mark_that_an_editor_put_before_a_text_is_not_part_of_it() {
    let env = Env::with_art();
    env.ok("slice art/koi.png --grid 8x1 -o koi");
    env.ok("pack koi -o atlas/koi");
    let marked = |text: &[u8]| [b"\xef\xbb\xbf", text].concat();
    env.write("atlas/koi.json", marked(&env.read("atlas/koi.json")));
    env.write("names.txt.j2", marked(b"{{ frames | length }} frames"));
    env.ok("export atlas/koi.json --template names.txt.j2 -o names.txt");
    assert_eq!(env.read("names.txt"), b"8 frames");
}

#[test]
fn nothing_is_made_under_a_name_that_another_system_can_not_have() {
    let env = Env::with_art();
    env.ok("slice art/koi.png --grid 8x1 -o koi");
    let before = env.names("");
    for line in [
        "pack koi -o NUL",
        "pack koi -o con.png",
        "pack koi -o aux/koi",
        "slice art/koi.png -o carp.",
        "pack koi -o -",
    ] {
        let outcome = env.run(line);
        assert_ne!(outcome.code, 0, "{line}");
        assert!(outcome.err.contains("can't be a file or folder name"), "{line}: {}", outcome.err);
    }
    assert_eq!(env.names(""), before);
}

#[test]
fn absurd_sizes_are_refused_before_they_cost_anything() {
    let env = Env::with_art();
    env.ok("slice art/koi.png --grid 8x1 -o koi");
    let before = env.names("");
    for (line, expected) in [
        ("adjust koi -o big --canvas 100000x100000", "100000x100000 px, 10000000000 pixels"),
        ("adjust koi -o big --canvas 4294967295x4294967295", "--canvas"),
        ("adjust koi -o big --scale 64 --max-pixels 4194303", "--scale: 'koi-00' would become 2048x2048 px"),
        (
            "preview contact koi -o big.png --zoom 64 --max-pixels 4000000",
            "--zoom: the image would have 4512018 pixels",
        ),
        ("preview onion koi -o big.png --zoom 64 --max-pixels 100000", "--zoom: "),
        ("preview grid art/koi.png -o big.png --zoom 64 --max-pixels 4000000", "--zoom: "),
        ("preview motion koi -o big.gif --zoom 64 --max-pixels 4000000", "--zoom: "),
        (
            "guide-sheet --grid 30x30 --cell 2000x2000 -o big.png",
            "--grid with --cell: the image would have 3600000000",
        ),
        ("pack koi -o big --page-size 70000x70000", "70000"),
    ] {
        let outcome = env.run(line);
        assert_eq!(outcome.code, 2, "{line}: {}", outcome.err);
        assert!(outcome.err.contains(expected), "{line}: {}", outcome.err);
    }
    assert_eq!(env.names(""), before);
    env.ok("adjust koi -o many --scale 2 --jobs 100000");
}

#[test]
#[cfg(unix)]
fn results_tell_of_files_whose_names_are_no_text() {
    use std::ffi::OsString;
    use std::os::unix::ffi::OsStringExt;
    use std::path::Path;

    let env = Env::with_art();
    let odd = |name: &str| env.path("").join(OsString::from_vec([b"k\xff", name.as_bytes()].concat()));
    let (sheet, set, page) = (odd(".png"), odd(""), odd(".html"));
    if std::fs::copy(env.path("art/koi.png"), &sheet).is_err() {
        return; // this file system takes Unicode alone
    }
    let result = |words: &[&Path]| -> serde_json::Value {
        let mut command = assert_cmd::Command::cargo_bin("shibori").unwrap();
        let output = command.current_dir(env.path("")).args(words).arg("--json").output().unwrap();
        let result: serde_json::Value = serde_json::from_slice(&output.stdout).unwrap();
        assert_eq!(result["ok"], true, "{words:?}: {result}");
        result
    };
    let word = Path::new;
    let inspected = result(&[word("inspect"), &sheet]);
    assert_eq!(inspected["sheets"][0]["file"].as_str().unwrap().matches('\u{fffd}').count(), 1);
    result(&[
        word("slice"),
        &sheet,
        word("--sprite"),
        word("koi"),
        word("--grid"),
        word("8x1"),
        word("-o"),
        &set,
    ]);
    result(&[word("check"), &set]);
    result(&[word("preview"), word("html"), &set, word("-o"), &page]);
    result(&[word("clip"), &set]);
    result(&[word("adjust"), &set, word("--in-place"), word("--trim"), word("frame")]);
}
