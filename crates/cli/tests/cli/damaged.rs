//! Damaged files, as they come from broken downloads, full disks and other people's programs: an error, never a crash.

use std::fs;

use shibori_formats::DisplaySlashed;

use crate::env::Env;

/// Numbers that look random and are always the same (G. Marsaglia, "Xorshift RNGs", 2003).
struct Draw(u64);

impl Draw {
    fn below(&mut self, end: usize) -> usize {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        (self.0 % end.max(1) as u64) as usize
    }
}

/// The file cut short, with a few bytes changed, a part left out, or a part twice.
fn damaged(bytes: &[u8], way: usize, draw: &mut Draw) -> Vec<u8> {
    let mut bytes = bytes.to_vec();
    let (from, length) = (draw.below(bytes.len()), 1 + draw.below(40));
    let to = (from + length).min(bytes.len());
    match way % 4 {
        0 => bytes.truncate(from),
        1 => {
            for _ in 0..1 + draw.below(6) {
                let at = draw.below(bytes.len());
                bytes[at] = draw.below(256) as u8;
            }
        }
        2 => drop(bytes.drain(from..to)),
        _ => {
            let part = bytes[from..to].to_vec();
            bytes.splice(from..from, part);
        }
    }
    bytes
}

/// Damages a file in so many ways and runs a command on each; `line` holds `FILE`.
fn holds(env: &Env, file: &str, ways: usize, lines: &[&str]) {
    let whole = env.read(file);
    let mut draw =
        Draw(file.bytes().fold(0x9e37_79b9, |sum: u64, byte| sum.rotate_left(7) ^ u64::from(byte)) | 1);
    for way in 0..ways {
        env.write(file, damaged(&whole, way, &mut draw));
        for line in lines {
            let outcome = env.run(&line.replace("FILE", file));
            let kept = std::env::temp_dir().join("shibori-damaged");
            if !(0..=4).contains(&outcome.code) || outcome.err.contains("has a bug") {
                fs::copy(env.path(file), &kept).unwrap();
                panic!(
                    "{line}, {file} damaged {way}: exit {}, kept as {}\n{}",
                    outcome.code,
                    kept.display_slashed(),
                    outcome.err
                );
            }
        }
    }
    env.write(file, whole);
}

#[test]
fn pictures() {
    let env = Env::with_art();
    for file in ["art/koi.png", "art/firefly.gif", "art/ripple.png"] {
        holds(
            &env,
            file,
            16,
            &["inspect FILE", "preview contact FILE -o out.png --force --accept truncated"],
        );
    }
    env.ok("slice art/koi.png --grid 8x1 --clip \"swim = 0-7\" -o koi");
    for format in ["webp", "qoi", "tga"] {
        env.ok(&format!("pack koi --page-format {format} -o {format}"));
        holds(&env, &format!("{format}.{format}"), 12, &["inspect FILE --max-memory 200MB"]);
    }
}

#[test]
fn manifests_recipes_and_lists() {
    let env = Env::with_art();
    env.ok("slice art/koi.png --grid 8x1 --pivot feet --box body=auto --clip \"swim = 0-7\" -o koi");
    env.ok("pack koi -o pond");
    env.ok("init art/koi.png art/frog.png");
    env.write("places.csv", "frame,kind,name,values\nkoi-03,shift,,\"-2,0\"\nkoi-04,pivot,,\"3,4\"\n");
    env.write("rects.csv", "name,x,y,w,h\na,0,0,32,32\nb,32,0,32,32\n");
    env.write("own.j2", "{% for frame in frames %}{{ frame.name }} {{ frame.rect[0] }}\n{% endfor %}");
    holds(&env, "koi/frames.json", 24, &["clip koi", "check koi"]);
    holds(&env, "pond.json", 24, &["unpack FILE -o out --force", "export FILE --to csv -o out.csv --force"]);
    holds(&env, "shibori.toml", 24, &["build --dry-run"]);
    holds(&env, "places.csv", 12, &["adjust koi --per-frame FILE -o placed --force"]);
    holds(&env, "rects.csv", 12, &["slice art/koi.png --rects FILE -o cut --force"]);
    holds(&env, "own.j2", 12, &["export pond.json --template FILE -o -"]);
}
