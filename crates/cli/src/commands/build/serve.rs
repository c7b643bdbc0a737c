//! A small server on this machine alone: shows the folder of outputs, and tells pages that are open to load themselves anew.
//!
//! Only GET and HEAD of files below that folder are answered, and only where this machine is asked by its own name: a page from elsewhere that points its
//! name at 127.0.0.1 gets nothing.

use std::fs;
use std::io::{self, Write};
use std::path::{Component, Path, PathBuf};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;

use shibori_formats::ShownPath;
use tiny_http::{Header, Method, Request, Response, StatusCode};

/// Where pages listen for the news that something was built.
const NEWS: &str = "/.shibori/news";

/// What a page gets at its end while it is shown: it loads itself anew on news.
const LISTENS: &str =
    "<script>new EventSource(\"/.shibori/news\").onmessage = () => location.reload()</script>\n";

/// A proxy or a browser closes what says nothing for long.
const BREATH: Duration = Duration::from_secs(15);

pub(super) struct Server {
    address: String,
    shared: Arc<Shared>,
}

#[derive(Default)]
struct Shared {
    folder: Mutex<PathBuf>,
    listeners: Mutex<Vec<Box<dyn Write + Send>>>,
}

impl Server {
    /// Begins to serve; nothing is shown yet. Port 0 is any that is free.
    pub(super) fn start(port: u16) -> Result<Self, String> {
        let http = tiny_http::Server::http(("127.0.0.1", port)).map_err(|error| error.to_string())?;
        let port = http.server_addr().to_ip().map_or(port, |address| address.port());
        let shared = Arc::new(Shared::default());
        let serving = Arc::clone(&shared);
        std::thread::spawn(move || {
            for request in http.incoming_requests() {
                // What one asker does wrong is no matter of the build.
                let _ = serving.answer(request, port);
            }
        });
        let breathing = Arc::clone(&shared);
        std::thread::spawn(move || {
            loop {
                std::thread::sleep(BREATH);
                breathing.send(": still here\n\n");
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

    /// Tells open pages that something was built.
    pub(super) fn tell(&self) {
        self.shared.send("data: built\n\n");
    }
}

impl Shared {
    fn send(&self, text: &str) {
        let mut listeners = self.listeners.lock().unwrap_or_else(PoisonError::into_inner);
        // Who went away is forgotten.
        listeners.retain_mut(|to| to.write_all(text.as_bytes()).and_then(|()| to.flush()).is_ok());
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
        if path == NEWS {
            let mut to = request.into_writer();
            to.write_all(
                b"HTTP/1.1 200 OK\r\nContent-Type: text/event-stream\r\nCache-Control: no-store\r\n\r\n",
            )?;
            to.write_all(b"retry: 500\n\n")?;
            to.flush()?;
            self.listeners.lock().unwrap_or_else(PoisonError::into_inner).push(to);
            return Ok(());
        }
        let folder = self.folder.lock().unwrap_or_else(PoisonError::into_inner).clone();
        let Some(file) = inside(&folder, &path) else {
            return request.respond(plain(404, "no such file"));
        };
        if file.is_dir() {
            return request.respond(html(listing(&folder, &file)));
        }
        match fs::read(&file) {
            Err(_) => request.respond(plain(404, "no such file")),
            Ok(bytes) if kind(&file).starts_with("text/html") => {
                request.respond(html(listening(&String::from_utf8_lossy(&bytes))))
            }
            Ok(bytes) => request.respond(typed(Response::from_data(bytes), kind(&file))),
        }
    }
}

/// The file that a path means, if it lies below the folder.
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

/// A path of a URL with `%20` and the like as what they stand for.
fn decoded(path: &str) -> Option<String> {
    let mut bytes = Vec::with_capacity(path.len());
    let mut rest = path.bytes();
    while let Some(byte) = rest.next() {
        bytes.push(match byte {
            b'%' => {
                let digits = [rest.next()?, rest.next()?];
                u8::from_str_radix(std::str::from_utf8(&digits).ok()?, 16).ok()?
            }
            byte => byte,
        });
    }
    String::from_utf8(bytes).ok()
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
    let shown = folder.strip_prefix(&real).map(|path| path.shown().to_string()).unwrap_or_default();
    let at = if shown.is_empty() { String::new() } else { format!("/{shown}") };
    let link = |(_, name): &(bool, String)| {
        format!("<li><a href=\"{at}/{}\">{}</a></li>\n", quoted(name), quoted(name))
    };
    let links: String = names.iter().map(link).collect();
    listening(&format!(
        "<!doctype html><html lang=\"en\"><meta charset=\"utf-8\"><meta name=\"viewport\" content=\"width=device-width\">\
         <title>{0}</title><style>body {{ font: 16px/1.6 system-ui, sans-serif; margin: 2rem; color-scheme: light dark }}</style>\
         <h1>{0}</h1>\n<ul>\n{links}</ul>\n",
        quoted(&if shown.is_empty() { "Outputs".to_owned() } else { shown })
    ))
}

/// A name inside HTML and URLs.
fn quoted(name: &str) -> String {
    let plain = name.replace('&', "&amp;").replace('<', "&lt;").replace('"', "&quot;");
    plain.replace('%', "%25").replace('#', "%23").replace('?', "%3f")
}

/// The same page, loading itself anew on news.
fn listening(page: &str) -> String {
    match page.rfind("</body>") {
        Some(at) => format!("{}{LISTENS}{}", &page[..at], &page[at..]),
        None => format!("{page}{LISTENS}"),
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
    typed(Response::from_data(page), "text/html; charset=utf-8")
}

fn plain(status: u16, text: &str) -> Bytes {
    typed(Response::from_data(format!("{text}\n")), "text/plain; charset=utf-8")
        .with_status_code(StatusCode(status))
}

fn typed(response: Bytes, kind: &str) -> Bytes {
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
        assert_eq!(listening("<body>x</body>"), format!("<body>x{LISTENS}</body>"));
    }
}
