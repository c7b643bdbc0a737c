//! What is drawn for people shows what the frames hold; files written decode elsewhere to the same.

use std::fs::File;
use std::io::BufReader;

use image::RgbaImage;

use crate::env::Env;

/// Pictures and delays in milliseconds, by a decoder that knows nothing of ours: every frame covers the
/// whole canvas.
fn gif_frames(env: &Env, name: &str) -> Vec<(RgbaImage, f64)> {
    let mut options = gif::DecodeOptions::new();
    options.set_color_output(gif::ColorOutput::RGBA);
    let mut decoder = options.read_info(BufReader::new(File::open(env.path(name)).unwrap())).unwrap();
    let mut frames = Vec::new();
    let mut canvas = RgbaImage::new(decoder.width().into(), decoder.height().into());
    while let Some(frame) = decoder.read_next_frame().unwrap() {
        let (left, top) = (u32::from(frame.left), u32::from(frame.top));
        let (width, height) = (u32::from(frame.width), u32::from(frame.height));
        let part = RgbaImage::from_raw(width, height, frame.buffer.to_vec()).unwrap();
        for (x, y, pixel) in part.enumerate_pixels().filter(|(.., pixel)| pixel[3] > 0) {
            canvas.put_pixel(left + x, top + y, *pixel);
        }
        frames.push((canvas.clone(), f64::from(frame.delay) * 10.0));
        if frame.dispose == gif::DisposalMethod::Background {
            image::imageops::replace(&mut canvas, &RgbaImage::new(width, height), left.into(), top.into());
        }
    }
    frames
}

fn zoomed(image: &RgbaImage, zoom: u32) -> RgbaImage {
    RgbaImage::from_fn(image.width() * zoom, image.height() * zoom, |x, y| {
        *image.get_pixel(x / zoom, y / zoom)
    })
}

/// The same picture with one color for everything that is fully transparent.
pub(crate) fn visible(mut image: RgbaImage) -> RgbaImage {
    for pixel in image.pixels_mut().filter(|pixel| pixel[3] == 0) {
        *pixel = image::Rgba([0; 4]);
    }
    image
}

#[test]
fn a_gif_shows_exactly_the_frames_and_times_of_the_clip() {
    let env = Env::with_art();
    env.ok("slice art/frog.png --cell 32x32 --trim frame --clip \"leap = r2@80ms,10x3@50ms\" -o frog");
    env.ok("preview motion frog --only leap --zoom 3 -o leap.gif");
    let set = env.frames("frog");
    let clip = &set.clips()[0];
    let shown = gif_frames(&env, "leap.gif");
    assert_eq!(shown.len(), 9);
    for (step, (image, ms)) in clip.steps().iter().zip(shown) {
        assert_eq!(ms, clip.span(step).millis());
        let wanted = zoomed(&set.frames()[step.frame].full_image().to_image(), 3);
        assert_eq!(visible(image), visible(wanted));
    }
}

#[test]
fn an_apng_keeps_soft_colors_and_odd_times_exactly() {
    let env = Env::with_art();
    env.ok("slice art/ripple.png -o ripple --clip \"spread = 0-9 @12fps loop 3\"");
    env.ok("preview motion ripple --only spread -o spread.apng");
    let (wanted, shown) = (env.frames("ripple"), env.frames("spread.apng"));
    let clip = &shown.clips()[0];
    assert_eq!(clip.plays(), 3);
    assert!((clip.total_millis() - 10_000.0 / 12.0).abs() < 1e-9);
    for (a, b) in shown.frames().iter().zip(wanted.frames()) {
        assert_eq!(a.pixels().to_image(), b.pixels().to_image());
    }
}

#[test]
fn a_gif_of_soft_art_says_what_is_lost() {
    let env = Env::with_art();
    let outcome = env.run("preview motion art/lantern -o lantern.gif");
    assert_eq!(outcome.code, 0);
    assert!(outcome.err.contains("GIF has no semitransparency"), "{}", outcome.err);
    let outcome = env.run("preview motion art/lantern -o lantern.gif --background 203040");
    assert_eq!(outcome.err, "");
}

#[test]
fn a_gif_of_many_colors_is_reduced_and_says_so() {
    let env = Env::with_art();
    let many =
        RgbaImage::from_fn(64, 64, |x, y| image::Rgba([x as u8 * 4, y as u8 * 4, (x ^ y) as u8 * 4, 255]));
    let bytes = shibori_formats::encode::png(&many).unwrap();
    env.write("many/a_0.png", &bytes);
    env.write("many/a_1.png", &bytes);
    let outcome = env.run("preview motion many -o many.gif");
    assert!(outcome.err.contains("4,096 were reduced to 255"), "{}", outcome.err);
    let far =
        |a: &image::Rgba<u8>, b: &image::Rgba<u8>| (0..3).map(|c| a[c].abs_diff(b[c]) as u32).sum::<u32>();
    let shown = &gif_frames(&env, "many.gif")[0].0;
    let error: u32 = shown.pixels().zip(many.pixels()).map(|(a, b)| far(a, b)).sum();
    assert!(error / (64 * 64) < 24, "mean error {} over three channels", error / (64 * 64));
}

#[test]
fn several_clips_play_side_by_side_each_in_its_own_time() {
    let env = Env::with_art();
    env.ok("slice art/koi.png --grid 8x1 --clip \"swim = 0-7 @10fps\" --clip \"turn = 3-5 @80ms\" -o koi");
    let result = env.json("preview motion koi -o koi.gif --zoom 2 --show pivot,boxes");
    assert_eq!(result["ms"], 800.0);
    let shown = gif_frames(&env, "koi.gif");
    assert_eq!(shown.iter().map(|(_, ms)| ms).sum::<f64>(), 800.0);
    assert!(shown[0].0.width() >= 2 * 64);
}

#[test]
fn a_gif_stores_only_what_changes() {
    let env = Env::with_art();
    let still = image::RgbaImage::from_fn(64, 64, |x, y| image::Rgba([x as u8, y as u8, 9, 255]));
    for at in 0..4u32 {
        let mut image = still.clone();
        image.put_pixel(10 + at, 20, image::Rgba([255, 255, 255, 255]));
        env.write(&format!("blink/b_{at}.png"), shibori_formats::encode::png(&image).unwrap());
    }
    env.ok("preview motion blink -o blink.gif --background 000000");
    let mut options = gif::DecodeOptions::new();
    options.set_color_output(gif::ColorOutput::Indexed);
    let bytes = env.read("blink.gif");
    let mut decoder = options.read_info(&bytes[..]).unwrap();
    let mut sizes = Vec::new();
    while let Some(frame) = decoder.read_next_frame().unwrap() {
        sizes.push((frame.width, frame.height));
    }
    assert_eq!(sizes, [(64, 64), (2, 1), (2, 1), (2, 1)]);
}

#[test]
fn one_page_plays_everything_without_a_network() {
    let env = Env::with_art();
    env.ok("slice art/frog.png --clip-rows \"sit@5fps,croak,leap once,dive\" --event leap@3=splash -o frog");
    env.ok("pack frog -o pond");
    for source in ["frog", "pond", "art/firefly.gif", "art/koi.png"] {
        let result = env.json(&format!("preview html {source} -o page.html"));
        let page = String::from_utf8(env.read("page.html")).unwrap();
        assert!(!page.contains("http:") && !page.contains("https:") && !page.contains("src=\""), "{source}");
        assert!(page.contains("data:image/png;base64,"), "{source}");
        assert!(result["count"].as_u64().unwrap() > 0);
    }
    let twice = env.read("page.html");
    env.ok("preview html art/koi.png -o page.html --jobs 1");
    assert_eq!(twice, env.read("page.html"));
    let wrong = env.run("preview html frog -o page.png");
    assert!(wrong.code == 2 && wrong.err.contains("use -o page.html"), "{}", wrong.err);
}

#[test]
fn a_contact_sheet_of_anything() {
    let env = Env::with_art();
    env.ok("slice art/frog.png --grid 8x4 --manifest-only --clip \"sit = r0\"");
    for source in ["art/koi.png", "art/firefly.gif", "art/lantern", "art/frog.json", "art/frog"] {
        let result = env.json(&format!("preview contact {source} -o contact.png"));
        let sheet = env.image("contact.png");
        let size = serde_json::json!([sheet.width(), sheet.height()]);
        assert_eq!(result["files"], serde_json::json!([{ "file": "contact.png", "size": size }]), "{source}");
        assert!(sheet.width() <= 1280);
    }
}

#[test]
fn pages_show_where_frames_lie_and_here_needs_a_terminal() {
    let env = Env::with_art();
    env.ok("pack art/koi.png art/lantern -o pond");
    let result = env.json("preview pages pond -o pages.png --zoom 2");
    let page = env.image("pond.png");
    assert!(result["files"][0]["size"][0].as_u64().unwrap() >= u64::from(page.width()) * 2);
    // What has no pages is packed for the picture.
    env.ok("preview pages art/lantern -o packed.png");
    for line in [
        "preview contact art/koi.png --here",
        "preview motion art/firefly.gif --here",
        "preview pages pond --here",
        "preview onion art/lantern --here",
        "preview grid art/koi.png --here",
    ] {
        let refused = env.run(line);
        assert_eq!(refused.code, 2, "{line}");
        assert!(refused.err.contains("-o FILE"), "{line}: {}", refused.err);
    }
    // Without -o a picture is named after the source and goes into the current folder.
    env.ok("slice art/koi.png --grid 8x1 -o sets/koi");
    env.ok("preview contact sets/koi");
    env.ok("preview html sets/koi/frames.json");
    assert!(env.path("koi-contact.png").is_file() && env.path("koi.html").is_file());
}

#[test]
fn a_contact_sheet_of_many_frames_goes_over_several_files() {
    let env = Env::with_art();
    env.ok("slice art/frog.png --grid 8x4 --clip-rows sit,croak,leap,dive -o frog");
    let result = env.run("preview contact frog -o look/frog.png --zoom 4 --height 300");
    assert!(result.out.contains("look/frog.png to look/frog-"), "{}", result.out);
    let result = env.json("preview contact frog -o look/frog.png --zoom 4 --height 300");
    let files = result["files"].as_array().unwrap();
    assert!(files.len() > 1 && result["count"] == 25, "{result}");
    for (at, file) in files.iter().enumerate() {
        let name = if at == 0 { "look/frog.png".to_owned() } else { format!("look/frog-{at}.png") };
        assert_eq!(file["file"], name);
        let size = env.image(&name).dimensions();
        assert!(size.1 <= 300 && file["size"] == serde_json::json!([size.0, size.1]), "{name}: {size:?}");
    }
    // In a build, sheets that are no longer needed go.
    let recipe = |height: u32| {
        let text = format!(
            "[out]\ndir = \"out\"\n[sprite.frog]\nfrom = \"art/frog.png\"\nslice = {{ grid = \"8x4\" }}\n\
             [[sprite.frog.preview]]\nas = \"contact\"\nzoom = 4\nheight = {height}\n"
        );
        env.write("shibori.toml", text);
        env.ok("build");
        env.names("out").len()
    };
    assert_eq!(recipe(4000), 1);
    assert!(recipe(300) > 1, "{:?}", env.names("out"));
    assert_eq!(recipe(4000), 1);
}
