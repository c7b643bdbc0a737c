//! A small server on this machine alone: shows the folder of outputs, and lets open pages reload after each build.
//!
//! Only GET and HEAD of files below that folder are answered, and only if this machine is asked by its own name: a page from
//! elsewhere that points its name at 127.0.0.1 gets nothing. Each request has a thread, so a reader that stops reading holds
//! up nobody, and a page asks once a second whether there is something new, so that no browser runs out of connections.

use std::fs;
use std::io;
use std::path::{Component, Path, PathBuf};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::SystemTime;

use percent_encoding::percent_decode_str;
use shibori_formats::{DisplaySlashed, escape_url_path, escape_xml};
use tiny_http::{Header, Method, Request, Response, StatusCode};

/// Where pages ask for the number of the last build.
const RELOAD_PATH: &str = "/.shibori/news";

pub(super) struct Server {
    address: String,
    shared: Arc<Shared>,
}

struct Shared {
    folder: Mutex<PathBuf>,
    /// When the server began: a page of an earlier one is out of date.
    began: u128,
    builds: Mutex<u64>,
}

impl Server {
    /// Begins to serve; nothing is shown yet. Port 0 is any that is free.
    pub(super) fn start(port: u16) -> Result<Self, String> {
        let http = tiny_http::Server::http(("127.0.0.1", port)).map_err(|error| error.to_string())?;
        let port = http.server_addr().to_ip().map_or(port, |address| address.port());
        let began = SystemTime::now().duration_since(SystemTime::UNIX_EPOCH);
        let began = began.map_or(0, |since| since.as_millis());
        let shared = Arc::new(Shared { folder: Mutex::default(), began, builds: Mutex::default() });
        let serving = Arc::clone(&shared);
        std::thread::spawn(move || {
            for request in http.incoming_requests() {
                let serving = Arc::clone(&serving);
                // A client's mistake doesn't affect the build.
                std::thread::spawn(move || serving.answer(request, port));
            }
        });
        Ok(Self { address: format!("http://127.0.0.1:{port}/"), shared })
    }

    pub(super) fn address(&self) -> &str {
        &self.address
    }

    /// Shows this folder from now on.
    pub(super) fn show(&self, folder: &Path) {
        folder.clone_into(&mut self.shared.folder.lock().unwrap_or_else(PoisonError::into_inner));
    }

    /// Lets open pages reload.
    pub(super) fn reload_pages(&self) {
        *self.shared.builds.lock().unwrap_or_else(PoisonError::into_inner) += 1;
    }
}

impl Shared {
    /// What the last build is known by.
    fn version(&self) -> String {
        format!("{}-{}", self.began, self.builds.lock().unwrap_or_else(PoisonError::into_inner))
    }

    fn answer(&self, request: Request, port: u16) -> io::Result<()> {
        let host = request.headers().iter().find(|header| header.field.equiv("Host"));
        let host = host.map(|header| header.value.as_str().to_owned()).unwrap_or_default();
        let is_own =
            ["127.0.0.1", "localhost"].iter().any(|name| host == format!("{name}:{port}") || host == *name);
        if !is_own {
            return request.respond(plain(403, "only this machine can access this server"));
        }
        if !matches!(request.method(), Method::Get | Method::Head) {
            return request.respond(plain(405, "only files are served here"));
        }
        let path = request.url().split(['?', '#']).next().unwrap_or("/").to_owned();
        let version = self.version();
        if path == RELOAD_PATH {
            return request.respond(plain(200, &version));
        }
        let folder = self.folder.lock().unwrap_or_else(PoisonError::into_inner).clone();
        let Some(file) = inside(&folder, &path) else {
            // Nothing is built yet, perhaps: the page comes as soon as it is.
            return request.respond(html(listening("<p>no such file</p>", &version)).with_status_code(404));
        };
        if file.is_dir() {
            return request.respond(html(listening(&listing(&folder, &file), &version)));
        }
        match fs::read(&file) {
            Err(_) => request.respond(plain(404, "no such file")),
            Ok(bytes) if kind(&file).starts_with("text/html") => {
                request.respond(html(listening(&String::from_utf8_lossy(&bytes), &version)))
            }
            Ok(bytes) => request.respond(with_content_type(Response::from_data(bytes), kind(&file))),
        }
    }
}

/// The file that a path means, if it is below the folder.
fn inside(folder: &Path, path: &str) -> Option<PathBuf> {
    let wanted = PathBuf::from(decoded(path)?.trim_start_matches('/'));
    if !wanted.components().all(|part| matches!(part, Component::Normal(_))) {
        return None;
    }
    let is_hidden = |part: Component<'_>| part.as_os_str().to_string_lossy().starts_with('.');
    if wanted.components().any(is_hidden) {
        return None;
    }
    let (real, folder) = (folder.join(wanted).canonicalize().ok()?, folder.canonicalize().ok()?);
    real.starts_with(folder).then_some(real)
}

/// A path of a URL without `%20` and the like.
fn decoded(path: &str) -> Option<String> {
    Some(percent_decode_str(path).decode_utf8().ok()?.into_owned())
}

/// What a folder holds, as a page of links; pages first.
fn listing(whole: &Path, folder: &Path) -> String {
    let mut names: Vec<(bool, String)> = Vec::new();
    for entry in fs::read_dir(folder).into_iter().flatten().flatten() {
        let name = entry.file_name().to_string_lossy().into_owned();
        if !name.starts_with('.') {
            let name = if entry.path().is_dir() { name + "/" } else { name };
            names.push((!kind(Path::new(&name)).starts_with("text/html"), name));
        }
    }
    names.sort();
    let real = whole.canonicalize().unwrap_or_else(|_| whole.to_owned());
    let shown = folder.strip_prefix(&real).map(|path| path.display_slashed().to_string()).unwrap_or_default();
    let at = if shown.is_empty() { String::new() } else { format!("/{shown}") };
    let link = |(_, name): &(bool, String)| {
        format!(
            "<li><a href=\"{}\">{}</a></li>\n",
            escape_url_path(&format!("{at}/{name}")),
            escape_xml(name)
        )
    };
    let links: String = names.iter().map(link).collect();
    format!(
        "<!doctype html><html lang=\"en\"><meta charset=\"utf-8\"><meta name=\"viewport\" content=\"width=device-width\">\
         <title>{0}</title><style>body {{ font: 16px/1.6 system-ui, sans-serif; margin: 2rem; color-scheme: light dark }}</style>\
         <h1>{0}</h1>\n<ul>\n{links}</ul>\n",
        escape_xml(&if shown.is_empty() { "Outputs".to_owned() } else { shown })
    )
}

/// The same page, reloading once there is another build than that of this version.
fn listening(page: &str, version: &str) -> String {
    let script = format!(
        "<script>setInterval(() => fetch(\"{RELOAD_PATH}\").then(answer => answer.text()).then(\
         version => version.trim() === \"{version}\" || location.reload(), () => 0), 1000)</script>\n"
    );
    match page.rfind("</body>") {
        Some(at) => format!("{}{script}{}", &page[..at], &page[at..]),
        None => format!("{page}{script}"),
    }
}

fn kind(file: &Path) -> &'static str {
    match file.extension().unwrap_or_default().to_string_lossy().to_lowercase().as_str() {
        "html" | "htm" => "text/html; charset=utf-8",
        "png" | "apng" => "image/png",
        "gif" => "image/gif",
        "webp" => "image/webp",
        "svg" => "image/svg+xml",
        "css" => "text/css; charset=utf-8",
        "json" => "application/json",
        "gltf" => "model/gltf+json",
        "glb" => "model/gltf-binary",
        "csv" | "txt" | "lua" | "toml" => "text/plain; charset=utf-8",
        _ => "application/octet-stream",
    }
}

type Bytes = Response<io::Cursor<Vec<u8>>>;

fn html(page: String) -> Bytes {
    with_content_type(Response::from_data(page), "text/html; charset=utf-8")
}

fn plain(status: u16, text: &str) -> Bytes {
    with_content_type(Response::from_data(format!("{text}\n")), "text/plain; charset=utf-8")
        .with_status_code(StatusCode(status))
}

fn with_content_type(response: Bytes, kind: &str) -> Bytes {
    let header = |name: &str, value: &str| Header::from_bytes(name, value).expect("plain letters");
    response
        .with_header(header("Content-Type", kind))
        .with_header(header("Cache-Control", "no-store"))
        .with_header(header("X-Content-Type-Options", "nosniff"))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_files_below_the_folder_are_shown() {
        let folder = tempfile::tempdir().unwrap();
        fs::create_dir(folder.path().join("build")).unwrap();
        fs::write(folder.path().join("secret.txt"), b"x").unwrap();
        fs::write(folder.path().join("build/a b.html"), b"x").unwrap();
        fs::write(folder.path().join("build/.hidden"), b"x").unwrap();
        let build = folder.path().join("build");
        assert!(inside(&build, "/a%20b.html").is_some());
        for path in
            ["/../secret.txt", "/%2e%2e/secret.txt", "//etc/passwd", "/.hidden", "/none", "/%zz", "/%"]
        {
            assert!(inside(&build, path).is_none(), "{path}");
        }
        #[cfg(unix)]
        {
            std::os::unix::fs::symlink(folder.path().join("secret.txt"), build.join("link.txt")).unwrap();
            assert!(inside(&build, "/link.txt").is_none());
        }
        let page = listening("<body>x</body>", "1-2");
        assert!(page.starts_with("<body>x<script>") && page.ends_with("</script>\n</body>"), "{page}");
    }

    #[test]
    fn names_of_any_kind_are_links_that_lead_to_them() {
        let folder = tempfile::tempdir().unwrap();
        let names = ["50% #1?.html", "a'b & <i>.png", "\u{e9} +.png"];
        let odd: &[&str] = if cfg!(windows) { &[] } else { &["x\" onmouseover=\"alert(1).html"] };
        for name in names.iter().filter(|name| !cfg!(windows) || !name.contains(['?', '<', '>'])).chain(odd) {
            fs::write(folder.path().join(name), b"x").unwrap();
            let page = listing(folder.path(), folder.path());
            assert!(
                page.contains(&format!(">{}<", escape_xml(name))) && !page.contains("onmouseover=\"alert"),
                "{page}"
            );
            let link = escape_url_path(&format!("/{name}"));
            assert!(page.contains(&format!("href=\"{link}\"")), "{page}");
            assert!(inside(folder.path(), &link).is_some_and(|file| file.is_file()), "{link}");
        }
    }
}
