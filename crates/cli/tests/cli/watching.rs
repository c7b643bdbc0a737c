//! `build --watch --serve`: what is saved is built, mistakes end nothing, and open pages reload.

use std::io::{BufRead, BufReader, Read, Write};
use std::net::TcpStream;
use std::process::{Child, Command, Stdio};
use std::sync::mpsc::{Receiver, channel};
use std::time::Duration;

use crate::env::{Env, words};

/// Long for the slowest machine: only what never comes takes it.
pub(crate) const PATIENCE: Duration = Duration::from_secs(120);

/// A command that goes on until it is stopped, and what it says.
pub(crate) struct Watching {
    child: Child,
    lines: Receiver<String>,
}

impl Watching {
    pub(crate) fn begin(env: &Env, line: &str) -> Self {
        let mut child = Command::new(assert_cmd::cargo::cargo_bin("shibori"))
            .args(words(line))
            .current_dir(env.path(""))
            .stdout(Stdio::piped())
            .stderr(Stdio::piped())
            .spawn()
            .unwrap();
        let (sender, lines) = channel();
        let outputs: [Box<dyn Read + Send>; 2] =
            [Box::new(child.stdout.take().unwrap()), Box::new(child.stderr.take().unwrap())];
        for output in outputs {
            let sender = sender.clone();
            std::thread::spawn(move || {
                for line in BufReader::new(output).lines().map_while(Result::ok) {
                    let _ = sender.send(line);
                }
            });
        }
        Self { child, lines }
    }

    /// The next line that holds a text.
    #[track_caller]
    pub(crate) fn line(&self, wanted: &str) -> String {
        self.wait_for(wanted).0
    }

    /// Lines that hold these texts, in any order: results and messages come by two ways.
    #[track_caller]
    fn all<const N: usize>(&self, wanted: [&str; N]) -> [String; N] {
        let mut found = [const { String::new() }; N];
        while found.iter().any(String::is_empty) {
            let line = self.lines.recv_timeout(PATIENCE);
            let line = line.unwrap_or_else(|_| panic!("no lines with {wanted:?}: {found:#?}"));
            let at = wanted.iter().position(|wanted| line.contains(wanted));
            if let Some(at) = at {
                found[at] = line;
            }
        }
        found
    }

    /// The next line that holds a text, and the lines before it.
    #[track_caller]
    pub(crate) fn wait_for(&self, wanted: &str) -> (String, Vec<String>) {
        let mut heard = Vec::new();
        loop {
            match self.lines.recv_timeout(PATIENCE) {
                Ok(line) if line.contains(wanted) => return (line, heard),
                Ok(line) => heard.push(line),
                Err(_) => panic!("no line with '{wanted}' in {heard:#?}"),
            }
        }
    }
}

impl Drop for Watching {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

fn asked(port: u16, path: &str, host: &str) -> TcpStream {
    let mut stream = TcpStream::connect(("127.0.0.1", port)).unwrap();
    stream.set_read_timeout(Some(PATIENCE)).unwrap();
    write!(stream, "GET {path} HTTP/1.1\r\nHost: {host}\r\nConnection: close\r\n\r\n").unwrap();
    stream
}

fn answer(port: u16, path: &str, host: &str) -> String {
    let mut text = Vec::new();
    asked(port, path, host).read_to_end(&mut text).unwrap();
    String::from_utf8_lossy(&text).into_owned()
}

#[test]
fn what_is_saved_is_built_and_open_pages_load_themselves_anew() {
    let env = Env::with_art();
    let recipe = "[sprite.koi]\nfrom = \"art/koi*.png\"\nslice = { grid = \"8x1\" }\n[atlas.pond]\nuse = \"koi\"\n\
        [[atlas.pond.preview]]\nas = \"html\"\n";
    env.write("shibori.toml", recipe);
    let watching = Watching::begin(&env, "build --watch --serve 0");
    let line = watching.line("serving at http://127.0.0.1:");
    let port: u16 = line.trim_end_matches('/').rsplit(':').next().unwrap().parse().unwrap();
    watching.line("watching for changes");
    let own = format!("127.0.0.1:{port}");
    let page = answer(port, "/pond.html", &own);
    assert!(page.starts_with("HTTP/1.1 200") && page.contains("setInterval"), "{}", &page[..200]);
    let plain = String::from_utf8(env.read("build/pond.html")).unwrap();
    assert!(!plain.contains("setInterval"), "the file itself stays plain");
    assert!(answer(port, "/", &own).contains("pond.html"));
    assert!(answer(port, "/../shibori.toml", &own).starts_with("HTTP/1.1 404"));
    assert!(answer(port, "/pond.html", "evil.example").starts_with("HTTP/1.1 403"));
    // Pages reload when the number of the build is another than theirs. However many are open, nobody waits: neither for
    // a reader that stops reading.
    let news = || answer(port, "/.shibori/news", &own).lines().last().unwrap().to_owned();
    assert!(page.contains(&news()), "{}", news());
    let _stuck: Vec<TcpStream> = (0..8).map(|_| asked(port, "/pond.html", &own)).collect();
    let first = news();
    let reloads = |before: &str| {
        let began = std::time::Instant::now();
        while news() == before {
            assert!(began.elapsed() < PATIENCE, "pages don't reload");
            std::thread::sleep(Duration::from_millis(20));
        }
        news()
    };
    // An editor that writes beside and renames.
    env.write("art/koi.tmp", env.read("art/frog.png"));
    std::fs::rename(env.path("art/koi.tmp"), env.path("art/koi.png")).unwrap();
    let line = watching.line("done");
    assert!(line.starts_with("art/koi.png: 2 targets done"), "{line}");
    let second = reloads(&first);
    // A mistake in the recipe, and one in the art, end nothing.
    env.write("shibori.toml", recipe.replace("grid", "gird"));
    watching.line("unknown key 'gird'");
    env.write("shibori.toml", recipe);
    watching.line("shibori.toml: ");
    env.write("art/koi.png", b"no image");
    watching.line("koi: art/koi.png");
    env.write("art/koi.png", env.read("art/frog.png"));
    watching.line("art/koi.png: ");
    reloads(&second);
    // What isn't part of the recipe is not spoken of, least of all a log of what is said here.
    for text in ["the koi is too slow", "the koi is too fast"] {
        std::thread::sleep(Duration::from_millis(600));
        env.write("notes.txt", text);
    }
    std::thread::sleep(Duration::from_millis(600));
    // A new file that the pattern takes in.
    env.write("art/koi2.png", env.read("art/frog.png"));
    let (line, before) = watching.wait_for("art/koi2.png: ");
    assert!(line.contains("2 targets done"), "{line}");
    assert!(before.iter().all(|line| !line.contains("notes.txt")), "{before:?}");
}

#[test]
fn a_build_that_begins_with_a_mistake_is_served_and_mended_under_any_layout() {
    for out in [".", "art", "build"] {
        let env = Env::with_art();
        let recipe = format!(
            "[out]\ndir = \"{out}\"\n[sprite.koi]\nfrom = \"art/koi.png\"\nslice = {{ grid = \"8x1\" }}\n\
             [atlas.pond]\nuse = \"koi\"\n[[atlas.pond.preview]]\nas = \"html\"\n"
        );
        env.write("shibori.toml", recipe.replace("grid", "gird"));
        let watching = Watching::begin(&env, "build --watch --serve 0");
        let [line, ..] =
            watching.all(["serving at http://127.0.0.1:", "unknown key 'gird'", "watching for changes"]);
        let port: u16 = line.trim_end_matches('/').rsplit(':').next().unwrap().parse().unwrap();
        env.write("shibori.toml", &recipe);
        watching.line("2 targets done");
        let own = format!("127.0.0.1:{port}");
        assert!(answer(port, "/pond.html", &own).starts_with("HTTP/1.1 200"), "{out}");
        // One that fails, and is mended: what is saved is seen though outputs are beside it.
        env.write("art/koi.png", b"no image");
        watching.all(["koi: art/koi.png", "art/koi.png: 0 targets done"]);
        env.write("art/koi.png", env.read("art/frog.png"));
        watching.line("art/koi.png: 2 targets done");
        // What the build itself wrote isn't a change.
        std::thread::sleep(Duration::from_millis(500));
        assert!(watching.lines.try_recv().is_err(), "{out}");
    }
}
