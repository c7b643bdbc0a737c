//! A temporary folder with the demo art in it, and the program run there.

use std::fs;
use std::path::{Path, PathBuf};

use assert_cmd::Command;
use image::RgbaImage;
use serde_json::Value;
use shibori_core::{FrameSet, Pixels};
use shibori_formats::decode::{ReadOptions, source};
use tempfile::TempDir;

/// A folder of its own for one test.
pub(crate) struct Env {
    folder: TempDir,
    inner: PathBuf,
}

/// What a run left behind.
pub(crate) struct Outcome {
    pub(crate) code: i32,
    pub(crate) out: String,
    pub(crate) err: String,
}

impl Env {
    /// A folder with the whole demo art under `art/`.
    pub(crate) fn with_art() -> Self {
        let env = Self::in_folder("work");
        copy_folder(&Path::new(env!("CARGO_MANIFEST_DIR")).join("demo/art"), &env.path("art"));
        env
    }

    /// An empty folder of this name in a folder of its own.
    pub(crate) fn in_folder(name: &str) -> Self {
        let env = Self { folder: tempfile::tempdir().unwrap(), inner: name.into() };
        fs::create_dir(env.path("")).unwrap();
        env
    }

    pub(crate) fn path(&self, name: &str) -> PathBuf {
        self.folder.path().join(&self.inner).join(name)
    }

    /// Runs lines as somebody pastes them into a shell, with the program on the path.
    #[cfg(unix)]
    #[track_caller]
    pub(crate) fn paste(&self, lines: &str) {
        let program = PathBuf::from(assert_cmd::cargo::cargo_bin!("shibori"));
        let folders = std::env::var_os("PATH").unwrap_or_default();
        let folders =
            [program.parent().unwrap().to_owned()].into_iter().chain(std::env::split_paths(&folders));
        let mut shell = std::process::Command::new("sh");
        shell
            .arg("-ec")
            .arg(lines)
            .current_dir(self.path(""))
            .env("PATH", std::env::join_paths(folders).unwrap());
        let output = shell.output().unwrap();
        assert!(output.status.success(), "{lines}\n{}", String::from_utf8_lossy(&output.stderr));
    }

    pub(crate) fn write(&self, name: &str, bytes: impl AsRef<[u8]>) {
        fs::create_dir_all(self.path(name).parent().unwrap()).unwrap();
        fs::write(self.path(name), bytes).unwrap();
    }

    pub(crate) fn read(&self, name: &str) -> Vec<u8> {
        fs::read(self.path(name)).unwrap_or_else(|error| panic!("{name}: {error}"))
    }

    /// Runs the program; `line` is a command line in which double quotes hold a value together.
    pub(crate) fn run(&self, line: &str) -> Outcome {
        let mut command = Command::cargo_bin("shibori").unwrap();
        command.current_dir(self.path("")).env_remove("NO_COLOR").env("COLUMNS", "80").args(words(line));
        let output = command.output().unwrap();
        Outcome {
            code: output.status.code().unwrap_or(-1),
            out: String::from_utf8(output.stdout).unwrap(),
            err: String::from_utf8(output.stderr).unwrap(),
        }
    }

    /// Runs the program and expects it to succeed; gives stdout.
    #[track_caller]
    pub(crate) fn ok(&self, line: &str) -> String {
        let outcome = self.run(line);
        assert_eq!(outcome.code, 0, "shibori {line}\n{}{}", outcome.out, outcome.err);
        outcome.out
    }

    /// Runs the program with `--json` and gives its result.
    #[track_caller]
    pub(crate) fn json(&self, line: &str) -> Value {
        let out = self.ok(&format!("{line} --json"));
        serde_json::from_str(&out).unwrap_or_else(|error| panic!("{error}:\n{out}"))
    }

    /// The frames of anything the program can read.
    #[track_caller]
    pub(crate) fn frames(&self, name: &str) -> FrameSet {
        source(&self.path(name), &ReadOptions::default()).unwrap().set
    }

    pub(crate) fn image(&self, name: &str) -> RgbaImage {
        let set = self.frames(name);
        set.frames()[0].full_image().to_image()
    }

    /// Writes a picture as another program would.
    pub(crate) fn save(&self, name: &str, image: &RgbaImage) {
        let mut bytes = Vec::new();
        let mut encoder = png::Encoder::new(&mut bytes, image.width(), image.height());
        encoder.set_color(png::ColorType::Rgba);
        let mut writer = encoder.write_header().unwrap();
        writer.write_image_data(image).unwrap();
        writer.finish().unwrap();
        self.write(name, bytes);
    }

    /// Every file below a folder, with its bytes, in order; hidden folders, in which records are kept, aside.
    pub(crate) fn files(&self, folder: &str) -> Vec<(String, Vec<u8>)> {
        let mut files = Vec::new();
        gather(&self.path(folder), "", &mut files);
        files.sort();
        files
    }

    pub(crate) fn names(&self, folder: &str) -> Vec<String> {
        self.files(folder).into_iter().map(|(name, _)| name).collect()
    }
}

/// The pictures of all frames, whole.
pub(crate) fn pictures(set: &FrameSet) -> Vec<Pixels> {
    set.frames().iter().map(shibori_core::Frame::full_image).collect()
}

pub(crate) fn words(line: &str) -> Vec<String> {
    let part = |(number, part): (usize, &str)| match number % 2 {
        0 => part.split_whitespace().map(str::to_owned).collect(),
        _ => vec![part.to_owned()],
    };
    line.split('"').enumerate().flat_map(part).collect()
}

pub(crate) fn copy_folder(from: &Path, to: &Path) {
    fs::create_dir_all(to).unwrap();
    for entry in fs::read_dir(from).unwrap() {
        let entry = entry.unwrap();
        let target = to.join(entry.file_name());
        if entry.path().is_dir() {
            copy_folder(&entry.path(), &target);
        } else {
            fs::copy(entry.path(), target).unwrap();
        }
    }
}

fn gather(folder: &Path, prefix: &str, files: &mut Vec<(String, Vec<u8>)>) {
    let Ok(entries) = fs::read_dir(folder) else { return };
    for entry in entries {
        let entry = entry.unwrap();
        let name = format!("{prefix}{}", entry.file_name().to_string_lossy());
        if entry.path().is_dir() && name.split('/').next_back() == Some(".shibori") {
            continue;
        }
        if entry.path().is_dir() {
            gather(&entry.path(), &format!("{name}/"), files);
        } else {
            files.push((name, fs::read(entry.path()).unwrap()));
        }
    }
}
