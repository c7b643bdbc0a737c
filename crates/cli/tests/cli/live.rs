//! Light tables that act: `preview light-table --serve`, and `build --watch --serve`.

use std::io::{Read, Write};
use std::net::TcpStream;
use std::time::Duration;

use serde_json::{Value, json};

use crate::env::Env;
use crate::watching::{PATIENCE, Watching};

/// A server with a light table, as a page talks to it.
struct Table {
    watching: Watching,
    port: u16,
    token: String,
}

struct Answer {
    status: u16,
    body: String,
}

impl Answer {
    fn json(&self) -> Value {
        serde_json::from_str(&self.body).unwrap_or_else(|_| panic!("{} {}", self.status, self.body))
    }

    /// Everything that was said.
    fn said(&self) -> String {
        let lines = self.json()["lines"].as_array().unwrap().clone();
        lines.iter().map(|line| format!("{}: {}\n", line["kind"], line["text"])).collect()
    }
}

impl Table {
    fn begin(env: &Env, line: &str, address: &str) -> Self {
        let watching = Watching::begin(env, line);
        let line = watching.line(address);
        let rest = line.split("http://127.0.0.1:").nth(1).unwrap();
        let (port, token) = rest.trim_end_matches('/').split_once('/').unwrap();
        Self { watching, port: port.parse().unwrap(), token: token.to_owned() }
    }

    fn of(env: &Env, source: &str) -> Self {
        Self::begin(env, &format!("preview light-table {source} --serve"), "light table of")
    }

    fn send(&self, request: &str, body: &[u8]) -> Answer {
        let mut stream = TcpStream::connect(("127.0.0.1", self.port)).unwrap();
        stream.set_read_timeout(Some(PATIENCE)).unwrap();
        stream.write_all(request.as_bytes()).unwrap();
        // A server that refuses a body may close before all of it is there.
        let _ = stream.write_all(body);
        let mut text = Vec::new();
        let _ = stream.read_to_end(&mut text);
        let text = String::from_utf8_lossy(&text).into_owned();
        let (head, body) = text.split_once("\r\n\r\n").unwrap_or((&text, ""));
        let status = head.split(' ').nth(1).and_then(|status| status.parse().ok()).unwrap_or(0);
        Answer { status, body: body.to_owned() }
    }

    fn get(&self, path: &str) -> Answer {
        let host = format!("Host: 127.0.0.1:{}", self.port);
        self.send(&format!("GET {path} HTTP/1.1\r\n{host}\r\nConnection: close\r\n\r\n"), b"")
    }

    fn page(&self, path: &str) -> Answer {
        self.get(&format!("/{}{path}", self.token))
    }

    fn post_as(&self, path: &str, headers: &str, body: &str) -> Answer {
        let length = body.len();
        let head =
            format!("POST {path} HTTP/1.1\r\n{headers}Content-Length: {length}\r\nConnection: close\r\n\r\n");
        self.send(&head, body.as_bytes())
    }

    fn headers(&self) -> String {
        let own = format!("127.0.0.1:{}", self.port);
        format!("Host: {own}\r\nOrigin: http://{own}\r\nContent-Type: application/json\r\n")
    }

    fn post(&self, action: &str, mut body: Value) -> Answer {
        if body.get("version").is_none() {
            body["version"] = self.version().into();
        }
        let path = format!("/{}/.shibori/{action}", self.token);
        self.post_as(&path, &self.headers(), &body.to_string())
    }

    fn apply(&self, words: &[&str]) -> Answer {
        self.post("apply", json!({ "commands": [words] }))
    }

    fn status(&self) -> Value {
        self.page("/.shibori/status").json()
    }

    fn version(&self) -> String {
        self.status()["version"].as_str().unwrap().to_owned()
    }

    /// Waits until pages are to load again.
    #[track_caller]
    fn wait_for_another_version(&self, before: &str) {
        let began = std::time::Instant::now();
        while self.version() == before {
            assert!(began.elapsed() < PATIENCE, "pages don't load again");
            std::thread::sleep(Duration::from_millis(30));
        }
    }
}

const LIST: &str = "frame,kind,name,values\nfrog:frog-02,shift,,2 1\n";

#[test]
fn what_a_page_shows_is_done_and_undone_by_the_byte() {
    let env = Env::with_art();
    let table = Table::of(&env, "art/frog.png");
    let start = env.files("");
    assert!(table.page("/").body.contains("id=\"live\""));
    // A wrong grid writes nothing.
    let wrong = table.apply(&["slice", "art/frog.png", "--grid", "7x4", "-o", "frog"]);
    assert!(wrong.said().contains("7 equal columns"), "{}", wrong.said());
    assert_eq!(env.files(""), start);
    let grid = ["slice", "art/frog.png", "--grid", "8x4", "--clip", "sit = 0-3 @6fps", "-o", "frog"];
    let done = table.apply(&grid);
    assert!(done.said().contains("wrote frog/frames.json and 25 images"), "{}", done.said());
    assert_eq!(env.ok(r#"slice art/frog.png --grid 8x4 --clip "sit = 0-3 @6fps" -o other --quiet"#), "");
    assert_eq!(env.files("frog"), env.files("other"), "as the command alone would have done it");
    let sliced = env.files("");
    // The set has a page of its own, where frames are moved.
    assert!(table.page("/frames").body.contains("frog-24"));
    let words = ["adjust", "frog", "--per-frame", "frog-per-frame.csv", "--in-place"];
    let moved = table.post("apply", json!({ "commands": [words], "per_frame": LIST }));
    assert!(moved.said().contains("frog-02: moved +2,+1 px"), "{}", moved.said());
    assert_ne!(env.files(""), sliced);
    assert!(!env.names("").iter().any(|name| name.contains("per-frame")), "{:?}", env.names(""));
    let undone = table.post("undo", json!({}));
    assert!(undone.said().contains("put back"), "{}", undone.said());
    assert_eq!(env.files(""), sliced);
    assert!(table.status()["undo"].as_str().unwrap().starts_with("shibori slice"));
    table.post("undo", json!({}));
    std::fs::remove_dir_all(env.path("other")).unwrap();
    assert_eq!(env.files(""), start);
    assert!(table.post("undo", json!({})).said().contains("nothing to undo"));
    // Without the set, its page leads back.
    assert_eq!(table.page("/frames").status, 303);
}

#[test]
fn a_trial_writes_nothing_and_says_so_to_its_page_alone() {
    let env = Env::with_art();
    let table = Table::of(&env, "art/frog.png");
    let start = env.files("");
    let slice = |grid: &str| json!({ "commands": [["slice", "art/frog.png", "--grid", grid, "-o", "frog"]] });
    let tried = table.post("try", slice("4x2"));
    assert!(tried.said().contains("would write frog/frames.json"), "{}", tried.said());
    assert!(table.post("try", slice("7x4")).said().contains("7 equal columns"));
    let mut stale = slice("8x4");
    stale["version"] = "0.0".into();
    assert_eq!(table.post("try", stale).status, 409);
    assert_eq!((env.files(""), table.status()["undo"].clone()), (start, Value::Null));
    table.post("apply", slice("8x4"));
    let (_, before) = table.watching.wait_for("wrote frog/frames.json");
    assert!(
        !before.iter().any(|line| line.contains("would write") || line.contains("7 equal")),
        "{before:#?}"
    );
}

#[test]
fn only_pages_of_this_server_may_act_and_only_with_commands_that_they_show() {
    let env = Env::with_art();
    let table = Table::of(&env, "art/frog.png");
    let start = env.files("");
    let own = format!("127.0.0.1:{}", table.port);
    let apply = format!("/{}/.shibori/apply", table.token);
    let slice = ["slice", "art/frog.png", "--grid", "8x4", "-o", "frog"];
    let body = json!({ "version": table.version(), "commands": [slice] }).to_string();
    let json_kind = "Content-Type: application/json\r\n";
    let origin = format!("Origin: http://{own}\r\n");
    for (what, path, headers) in [
        ("no token", "/.shibori/apply", format!("Host: {own}\r\n{origin}{json_kind}")),
        ("half a token", &apply[..20], format!("Host: {own}\r\n{origin}{json_kind}")),
        ("other host", &apply, format!("Host: evil.example\r\n{origin}{json_kind}")),
        ("no host", &apply, format!("{origin}{json_kind}")),
        ("other origin", &apply, format!("Host: {own}\r\nOrigin: http://evil.example\r\n{json_kind}")),
        ("no origin", &apply, format!("Host: {own}\r\n{json_kind}")),
        ("null origin", &apply, format!("Host: {own}\r\nOrigin: null\r\n{json_kind}")),
        ("a form", &apply, format!("Host: {own}\r\n{origin}Content-Type: text/plain\r\n")),
    ] {
        assert_eq!(table.post_as(path, &headers, &body).status, 403, "{what}");
    }
    for path in ["/", "/frames", "/.shibori/status", "/../art/frog.png"] {
        assert_eq!(table.get(path).status, 404, "{path} without the token");
    }
    for path in ["/../art/frog.png", "/%2e%2e/art/frog.png", "/art/frog.png", "//etc/passwd"] {
        assert_eq!(table.page(path).status, 404, "{path}");
    }
    // Too much, said or sent.
    let huge = format!("POST {apply} HTTP/1.1\r\n{}Content-Length: 99999999999\r\n\r\n", table.headers());
    assert_eq!(table.send(&huge, b"{").status, 413);
    let long = format!("{{\"version\":\"{}\"}}", "x".repeat(17 << 20));
    assert!([0, 413].contains(&table.post_as(&apply, &table.headers(), &long).status));
    assert_eq!(table.post_as(&apply, &table.headers(), "{").status, 400);
    assert_eq!(table.post_as(&apply, &table.headers(), &"[".repeat(1 << 20)).status, 400);
    for words in [
        &["slice", "art/frog.png", "--grid", "8x4", "-o", "../frog"] as &[&str],
        &["slice", "art/frog.png", "--grid", "8x4"],
        &["slice", "art/koi.png", "--grid", "8x1", "-o", "frog"],
        &["slice", "art/frog.png", "art/koi.png", "-o", "frog"],
        &["slice", "art/frog.png", "--manifest-only"],
        &["slice", "art/frog.png", "--rects", "/etc/passwd", "-o", "frog"],
        &["slice", "art/frog.png", "--grid", "8x4", "-o", "frog", "--force"],
        &["slice", "art/frog.png", "--grid", "8x4", "-o", "frog", "--json"],
        &["slice", "art/frog.png", "--grid", "8x4", "--per-frame", "/etc/passwd", "-o", "frog"],
        &["adjust", "art", "--in-place", "--pivot", "feet"],
        &["adjust", "art/frog.png", "--pivot", "feet", "-o", "elsewhere"],
        &["clip", "art/koi.png", "a = 0"],
        &["pack", "art/frog.png", "-o", "frog"],
        &["demo", "frog"],
        &["build"],
        &["preview", "light-table", "art/frog.png", "--serve"],
        &["--version"],
        &[],
    ] {
        let said = table.apply(words).said();
        assert!(said.contains("error"), "{words:?}: {said}");
    }
    let two = json!({ "commands": [slice, ["clip", "frog", "a = 0-99"]] });
    assert!(table.post("apply", two).said().contains("error"), "of two commands both are done or none");
    assert_eq!(env.files(""), start);
    assert_eq!(table.post("apply", json!({ "version": "1-2", "commands": [slice] })).status, 409);
    // Clients that stall hold up nobody.
    let stalled: Vec<TcpStream> = (0..12)
        .map(|at| {
            let mut stream = TcpStream::connect(("127.0.0.1", table.port)).unwrap();
            let head = format!("POST {apply} HTTP/1.1\r\n{}Content-Length: 90\r\n\r\n{{", table.headers());
            stream.write_all(&head.as_bytes()[..if at % 2 == 0 { head.len() } else { 30 }]).unwrap();
            stream
        })
        .collect();
    assert!(table.apply(&slice).said().contains("wrote frog/frames.json"));
    drop(stalled);
}

#[test]
fn hand_work_in_the_way_is_listed_and_chosen() {
    let env = Env::with_art();
    let table = Table::of(&env, "art/frog.png");
    let slice =
        |pivot: &'static str| ["slice", "art/frog.png", "--grid", "8x4", "--pivot", pivot, "-o", "frog"];
    table.apply(&slice("feet"));
    env.ok("adjust frog --in-place --pivot center --quiet");
    table.wait_for_another_version("");
    let mine = env.files("frog");
    let refused = table.apply(&slice("bottom")).json();
    assert_eq!(refused["conflict"], "apply", "{refused}");
    assert_eq!(env.files("frog"), mine);
    let again =
        |pivot: &'static str, choice: &str| json!({ "commands": [slice(pivot)], "on_conflict": choice });
    table.post("apply", again("bottom", "keep"));
    assert_eq!(env.frames("frog/frames.json").frames()[0].pivot().to_string(), "16,16");
    assert_eq!(table.apply(&slice("top")).json()["conflict"], "apply");
    table.post("apply", again("top", "replace"));
    assert_eq!(env.frames("frog/frames.json").frames()[0].pivot().to_string(), "16,0");
    // What was painted since isn't undone unasked.
    let mut painted = env.image("frog/frog-00.png");
    painted.put_pixel(0, 0, image::Rgba([255, 0, 0, 255]));
    table.apply(&[
        "slice",
        "art/frog.png",
        "--grid",
        "8x4",
        "--pivot",
        "top",
        "--mirror",
        "left-right",
        "-o",
        "frog",
    ]);
    env.save("frog/frog-00.png", &painted);
    let before = env.read("frog/frog-00.png");
    let refused = table.post("undo", json!({}));
    assert_eq!(refused.json()["conflict"], "undo");
    assert!(refused.said().contains("frog/frog-00.png"), "{}", refused.said());
    assert_eq!(env.read("frog/frog-00.png"), before);
    table.post("undo", json!({ "on_conflict": "replace" }));
    assert_ne!(env.read("frog/frog-00.png"), before);
}

#[test]
fn a_save_in_a_paint_program_and_another_tab_are_seen() {
    let env = Env::with_art();
    env.ok("slice art/frog.png --grid 8x4 -o frog --quiet");
    let table = Table::of(&env, "frog");
    let before = table.version();
    let mut painted = env.image("frog/frog-03.png");
    painted.put_pixel(0, 0, image::Rgba([255, 0, 0, 255]));
    env.save("frog/frog-03.png", &painted);
    table.wait_for_another_version(&before);
    // A file that can't be read yet says so, and comes back.
    let before = table.version();
    let whole = env.read("frog/frog-03.png");
    env.write("frog/frog-03.png", &whole[..40]);
    table.wait_for_another_version(&before);
    let page = table.page("/");
    assert!(page.body.contains("frog-03.png") && page.body.contains("setInterval"), "{}", page.body);
    let before = table.version();
    env.write("frog/frog-03.png", &whole);
    table.wait_for_another_version(&before);
    assert!(table.page("/").body.contains("id=\"live\""));
    // What one tab did, another one sees, and can't act on what it showed before.
    let old = table.version();
    let said = table.status()["said"].clone();
    table.apply(&["clip", "frog", "--clip", "sit = 0-3"]);
    let status = table.status();
    assert!(status["version"] != old && status["said"] != said, "{status}");
    let late = json!({ "version": old, "commands": [["clip", "frog", "--clip", "sit = 0-2"]] });
    assert_eq!(table.post("apply", late).status, 409);
    drop(table.watching);
}

#[test]
fn a_build_takes_lines_into_its_recipe_and_gives_them_back() {
    let env = Env::with_art();
    let recipe = "# Ours.\n[sprite.frog]   # green\nfrom = \"art/frog.png\"\nslice = { grid = '8x4' }\n\n\
        [[sprite.frog.preview]]\nas = \"light-table\"\n\n[sprite.koi]\nfrom = \"art/koi.png\"\n";
    env.write("shibori.toml", recipe);
    let table = Table::begin(&env, "build --watch --serve 0", "light tables that change the recipe");
    table.watching.line("watching for changes");
    let page = table.page("/frog-light-table.html");
    assert!(page.body.contains("id=\"live\""));
    assert!(
        !table.get("/frog-light-table.html").body.contains("id=\"live\""),
        "without the token it can't act"
    );
    let lines =
        "[sprite.frog]\nclips = { sit = \"0-3 @6fps\" }\nshape = { per-frame = \"frog-per-frame.csv\" }";
    let apply = |sprite: &str, lines: &str, list: &str| json!({ "sprite": sprite, "lines": lines, "per_frame": list });
    for (sprite, lines, list) in [
        ("koi", "[sprite.koi]\nclips = { swim = \"0-7\" }", ""),
        ("frog", "[sprite.frog]\nclips = { sit = \"0-99\" }\n[out]\ndir = \"..\"", ""),
        ("frog", "[sprite.frog]\nshape = { per-frame = \"art/frog.csv\", pivot = 3 }", LIST),
        ("frog", "[sprite.frog]\nshape = { per-frame = \"../frog.csv\" }", LIST),
    ] {
        let said = table.post("apply", apply(sprite, lines, list)).said();
        assert!(said.contains("error"), "{lines}: {said}");
        assert_eq!(env.read("shibori.toml"), recipe.as_bytes());
    }
    let before = table.version();
    let done = table.post("apply", apply("frog", lines, LIST));
    assert!(done.said().contains("changed clips, shape of [sprite.frog] in shibori.toml"), "{}", done.said());
    table.wait_for_another_version(&before);
    let wanted = recipe.replace(
        "'8x4' }\n",
        "'8x4' }\nclips = { sit = \"0-3 @6fps\" }\nshape = { per-frame = \"frog-per-frame.csv\" }\n",
    );
    assert_eq!(String::from_utf8(env.read("shibori.toml")).unwrap(), wanted);
    assert!(table.page("/frog-light-table.html").body.contains("per-frame"));
    // Lines that make no frames are an error with its place, and undone they are gone.
    table.post("apply", apply("frog", "[sprite.frog]\nclips = { sit = \"0-99 @6fps\" }", ""));
    let began = std::time::Instant::now();
    while !table.status()["lines"].to_string().contains("shibori.toml:5:") {
        assert!(began.elapsed() < PATIENCE, "{}", table.status());
        std::thread::sleep(Duration::from_millis(30));
    }
    table.post("undo", json!({}));
    assert_eq!(String::from_utf8(env.read("shibori.toml")).unwrap(), wanted);
    table.post("undo", json!({}));
    assert_eq!(env.read("shibori.toml"), recipe.as_bytes());
    assert!(!env.path("frog-per-frame.csv").exists());
}
