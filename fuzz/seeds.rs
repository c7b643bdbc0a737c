//! Writes what fuzzers begin with into `corpus/`: real files of every format, made from the demo art, and texts of every kind
//! that is read. `cargo run --bin seeds` in `fuzz/`.

use std::fs;
use std::io::Cursor;
use std::path::{Path, PathBuf};

use image::{DynamicImage, ImageFormat};

fn main() {
    let fuzz = Path::new(env!("CARGO_MANIFEST_DIR"));
    let demo = fuzz.join("../crates/cli/demo");
    let seed = |target: &str, name: &str, bytes: &[u8]| {
        let folder = fuzz.join("corpus").join(target);
        fs::create_dir_all(&folder).expect("a folder");
        fs::write(folder.join(name), bytes).expect("a seed");
    };
    for file in files(&demo.join("art")) {
        let name = file.file_name().expect("a name").to_string_lossy().into_owned();
        seed("picture", &name, &fs::read(&file).expect("art"));
    }
    let frame = image::open(demo.join("art/lantern/glow_00.png")).expect("art");
    let opaque = DynamicImage::from(frame.to_rgb8());
    for (format, ending) in [
        (ImageFormat::Bmp, "bmp"),
        (ImageFormat::Gif, "still.gif"),
        (ImageFormat::Jpeg, "jpg"),
        (ImageFormat::Qoi, "qoi"),
        (ImageFormat::Tga, "tga"),
        (ImageFormat::Tiff, "tif"),
        (ImageFormat::WebP, "webp"),
    ] {
        let mut bytes = Cursor::new(Vec::new());
        let picture = if format == ImageFormat::Jpeg { &opaque } else { &frame };
        picture.write_to(&mut bytes, format).expect("a format that is written");
        seed("picture", &format!("glow.{ending}"), &bytes.into_inner());
    }
    for (planes, length) in [("mono", 12), ("420", 18), ("444", 36), ("444alpha", 48)] {
        let frame = [b"FRAME\n".as_slice(), &vec![90; length]].concat();
        let film = [format!("YUV4MPEG2 W4 H3 F25:1 C{planes}\n").as_bytes(), &frame, &frame].concat();
        seed("picture", &format!("{planes}.y4m"), &film);
    }
    seed("recipe", "shibori.toml", &fs::read(demo.join("shibori.toml")).expect("a recipe"));
    for template in files(&fuzz.join("../crates/formats/templates")) {
        let name = template.file_name().expect("a name").to_string_lossy().into_owned();
        seed("template", &name, &fs::read(&template).expect("a template"));
    }
    for (at, text) in GRAMMAR.iter().enumerate() {
        seed("grammar", &at.to_string(), text.as_bytes());
    }
    for (at, text) in OPTIONS.iter().enumerate() {
        seed("options", &at.to_string(), text.as_bytes());
    }
    seed("tables", "rects", b"name,x,y,w,h\none,0,0,8,8\n");
    seed(
        "tables",
        "places",
        b"frame,kind,name,values\n,done,,1f\nkoi-01,move,,3,0\nkoi-00,shift,,-2,0\nkoi-00,box,body,1,2,3,4\n",
    );
    seed("manifest", "set", MANIFEST.as_bytes());
    for length in [0u16, 60, 400, 1200] {
        let bytes: Vec<u8> = (0..length).map(|at| (at.wrapping_mul(40_503) >> 7) as u8).collect();
        seed("commands", &length.to_string(), &bytes);
    }
}

/// Every file below a folder.
fn files(folder: &Path) -> Vec<PathBuf> {
    let entries = fs::read_dir(folder).expect("a folder").map(|entry| entry.expect("an entry").path());
    entries.flat_map(|path| if path.is_dir() { files(&path) } else { vec![path] }).collect()
}

const GRAMMAR: [&str; 8] = [
    "walk = 0-5 @12fps",
    "turn = 3,4,5,4 @80ms once",
    "leap = r2c0-5, 4x3 @240ms bounce 2",
    "idle,walk@12fps,-,leap once",
    "walk-{dir8}",
    "koi:0-7,named:leap-*",
    "leap@3=splash",
    "{sheet}/{n:03}",
];

const OPTIONS: [&str; 8] =
    ["4,10,24,12", "32x48", "ff00ff80", "2/3", "fit:120x120", "48x48@24,47", "body=auto:clip", "mark:ff00ff"];

const MANIFEST: &str = r#"{"format":"shibori/1","pages":[{"file":"koi-0.png","size":[4,4]}],
"frames":[{"name":"koi-0","sprite":"koi","page":0,"rect":[0,0,4,4],"canvas":[8,8],"inset":[2,2],"pivot":[4,7.5],
"boxes":{"body":[1,1,3,3]},"nine":[1,1,1,1],"polygon":[[0,0],[4,0],[4,4]]}],
"clips":[{"name":"swim","sprite":"koi","timescale":12,"steps":[{"frame":0,"ticks":1,"event":"splash"}]}]}"#;
