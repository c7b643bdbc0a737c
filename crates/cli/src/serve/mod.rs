//! A small server on this machine alone: shows files and pages, and lets pages that know its secret act.
//!
//! Every request must name this machine, so that a page from elsewhere whose name points at 127.0.0.1 gets nothing. Paths that
//! begin with the server's random token are trusted; only they may act, by POST, from a page of this server, with a body of
//! limited size. Each request has a thread, so a client that stalls holds up nobody, and there are only so many.

mod answer;
mod folder;
mod http;
mod live;
mod reload;

use std::io;
use std::net::TcpListener;
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};

use http::{BodyError, Connection, Request};

pub(crate) use answer::Answer;
pub(crate) use folder::Folder;
pub(crate) use live::{
    ApplyRequest, Live, LiveTab, OnConflict, STATUS_PATH, TRY_PATH, failure_text, with_live,
};

pub(crate) use reload::{RELOAD_PATH, problem_page};

/// The longest body: a per-frame list of some ten thousand frames has a few megabytes.
const LONGEST_BODY: usize = 16 << 20;
/// So many requests are answered at a time.
const MOST_REQUESTS: usize = 64;
/// What this machine calls itself.
const NAMES: [&str; 2] = ["127.0.0.1", "localhost"];
/// Random bytes of a token.
const TOKEN_BYTES: usize = 16;

/// What a server shows and does.
pub(crate) trait Site: Send + Sync + 'static {
    /// The answer to a GET. `path` begins with `/`. With the token, it is without it, and `root` is the path that all
    /// trusted requests begin with.
    fn page(&self, path: &str, root: Option<&str>) -> Answer;

    /// The answer to a POST with the token, from a page of this server.
    fn act(&self, path: &str, body: &[u8]) -> Answer;
}

/// A server that runs.
#[derive(Clone, Debug)]
pub(crate) struct Server {
    port: u16,
    token: String,
}

impl Server {
    /// Begins to serve. Port 0 is any that is free.
    pub(crate) fn start(port: u16, site: Arc<impl Site>) -> Result<Self, String> {
        let listener = TcpListener::bind(("127.0.0.1", port)).map_err(|error| error.to_string())?;
        let port = listener.local_addr().map_or(port, |address| address.port());
        let server = Self { port, token: random_token()? };
        let (serving, open) = (server.clone(), Arc::new(AtomicUsize::new(0)));
        std::thread::spawn(move || {
            for stream in listener.incoming() {
                let Ok(connection) = stream.and_then(Connection::new) else { continue };
                // One too many is dropped.
                if open.load(Ordering::Relaxed) >= MOST_REQUESTS {
                    continue;
                }
                open.fetch_add(1, Ordering::Relaxed);
                let (serving, site, open) = (serving.clone(), Arc::clone(&site), Arc::clone(&open));
                // A client's mistake doesn't affect anything else.
                std::thread::spawn(move || {
                    let _open = OnDrop(&open);
                    serving.serve(connection, &*site)
                });
            }
        });
        Ok(server)
    }

    /// The address of what anybody on this machine may see.
    pub(crate) fn address(&self) -> String {
        format!("http://127.0.0.1:{}/", self.port)
    }

    /// The address of pages that may act.
    pub(crate) fn trusted_address(&self) -> String {
        format!("http://127.0.0.1:{}/{}/", self.port, self.token)
    }

    fn serve(&self, mut connection: Connection, site: &impl Site) -> io::Result<()> {
        let Some(request) = connection.request()? else {
            return Answer::plain(400, "not a request").send(connection, false);
        };
        let answer = self.answer(&request, &mut connection, site)?;
        answer.send(connection, request.method == "HEAD")
    }

    fn answer(&self, request: &Request, connection: &mut Connection, site: &impl Site) -> io::Result<Answer> {
        let own = NAMES.map(|name| format!("{name}:{}", self.port));
        let host = request.header("Host").unwrap_or_default();
        if !own.iter().any(|own| own == host) && !NAMES.contains(&host) {
            return Ok(Answer::plain(403, "only this machine can access this server"));
        }
        let path = &request.path;
        let trusted = path.strip_prefix('/').and_then(|path| path.strip_prefix(&*self.token));
        let trusted = trusted.filter(|rest| rest.starts_with('/'));
        match &*request.method {
            "GET" | "HEAD" => Ok(match trusted {
                Some(rest) => site.page(rest, Some(&format!("/{}", self.token))),
                None => site.page(path, None),
            }),
            "POST" => {
                let origin = request.header("Origin").unwrap_or_default();
                let is_own = own.iter().any(|own| origin == format!("http://{own}"));
                let is_json = request.header("Content-Type") == Some("application/json");
                let Some(rest) = trusted.filter(|_| is_own && is_json) else {
                    return Ok(Answer::plain(403, "only pages of this server may do this"));
                };
                match connection.body(request, LONGEST_BODY) {
                    Ok(body) => Ok(site.act(rest, &body)),
                    Err(BodyError::TooLong) => Ok(Answer::plain(413, "too much at once")),
                    Err(BodyError::NoLength) => Ok(Answer::plain(411, "how long is it?")),
                    Err(BodyError::Lost(error)) => Err(error),
                }
            }
            _ => Ok(Answer::plain(405, "only files are served here")),
        }
    }
}

struct OnDrop<'a>(&'a AtomicUsize);

impl Drop for OnDrop<'_> {
    fn drop(&mut self) {
        self.0.fetch_sub(1, Ordering::Relaxed);
    }
}

/// Letters and digits that nobody can guess.
fn random_token() -> Result<String, String> {
    let mut bytes = [0; TOKEN_BYTES];
    getrandom::fill(&mut bytes).map_err(|error| error.to_string())?;
    Ok(bytes.iter().map(|byte| format!("{byte:02x}")).collect())
}
