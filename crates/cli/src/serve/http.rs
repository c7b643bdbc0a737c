//! One request, one answer, then the connection is closed: as much of HTTP/1.1 as a browser on the same machine needs. Sizes
//! and waits are bounded, whatever a client claims or does.

use std::io::{self, ErrorKind, Read, Write};
use std::net::{Shutdown, TcpStream};
use std::time::{Duration, Instant};

/// The longest head of a request, and the most headers.
const LONGEST_HEAD: usize = 32 << 10;
const MOST_HEADERS: usize = 100;
/// So long a client may take to ask; browsers open connections that they may never use.
const HEAD_PATIENCE: Duration = Duration::from_secs(5);
/// So long it may take for a body, and for reading an answer.
const PATIENCE: Duration = Duration::from_secs(60);
/// A client that sent more than was read gets this long, and this much, to notice that it was answered.
const LINGER: Duration = Duration::from_millis(500);
const LINGER_BYTES: usize = 1 << 20;

/// What a client asks for.
pub(super) struct Request {
    pub(super) method: String,
    /// The path of the address, without a query.
    pub(super) path: String,
    headers: Vec<(String, String)>,
    /// What was read of the body along with the head.
    begun: Vec<u8>,
}

/// Why there is no body.
pub(super) enum BodyError {
    TooLong,
    NoLength,
    Lost(io::Error),
}

/// A connection to a client.
pub(super) struct Connection {
    stream: TcpStream,
    until: Instant,
}

impl Connection {
    pub(super) fn new(stream: TcpStream) -> io::Result<Self> {
        stream.set_write_timeout(Some(PATIENCE))?;
        Ok(Self { stream, until: Instant::now() + HEAD_PATIENCE })
    }

    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        let left = self.until.saturating_duration_since(Instant::now());
        if left.is_zero() {
            return Err(ErrorKind::TimedOut.into());
        }
        self.stream.set_read_timeout(Some(left))?;
        self.stream.read(buffer)
    }

    /// The head of the request; `None` if it isn't one.
    pub(super) fn request(&mut self) -> io::Result<Option<Request>> {
        let (mut head, mut buffer) = (Vec::new(), [0; 4096]);
        loop {
            let length = self.read(&mut buffer)?;
            head.extend_from_slice(&buffer[..length]);
            let mut headers = [httparse::EMPTY_HEADER; MOST_HEADERS];
            let mut parsed = httparse::Request::new(&mut headers);
            match parsed.parse(&head) {
                Ok(httparse::Status::Complete(end)) => {
                    let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
                    let path = parsed.path.unwrap_or_default();
                    return Ok(Some(Request {
                        method: parsed.method.unwrap_or_default().to_owned(),
                        path: path.split(['?', '#']).next().unwrap_or_default().to_owned(),
                        headers: parsed
                            .headers
                            .iter()
                            .map(|header| (header.name.to_owned(), text(header.value)))
                            .collect(),
                        begun: head[end..].to_vec(),
                    }));
                }
                Ok(httparse::Status::Partial) if length > 0 && head.len() < LONGEST_HEAD => {}
                _ => return Ok(None),
            }
        }
    }

    /// The body of a request, if it is no longer than this.
    pub(super) fn body(&mut self, request: &Request, longest: usize) -> Result<Vec<u8>, BodyError> {
        let length = request.header("Content-Length").and_then(|length| length.parse::<u64>().ok());
        let length = length.ok_or(BodyError::NoLength)?;
        let length = usize::try_from(length).ok().filter(|&length| length <= longest);
        let length = length.ok_or(BodyError::TooLong)?;
        self.until = Instant::now() + PATIENCE;
        let (mut body, mut buffer) = (request.begun.clone(), [0; 1 << 14]);
        while body.len() < length {
            match self.read(&mut buffer).map_err(BodyError::Lost)? {
                0 => return Err(BodyError::Lost(ErrorKind::UnexpectedEof.into())),
                read => body.extend_from_slice(&buffer[..read]),
            }
        }
        body.truncate(length);
        Ok(body)
    }

    /// Answers, and closes the connection.
    pub(super) fn answer(
        mut self,
        status: u16,
        headers: &[(&str, &str)],
        body: &[u8],
        is_head_only: bool,
    ) -> io::Result<()> {
        let mut head = format!("HTTP/1.1 {status} {}\r\n", reason(status));
        for (name, value) in headers {
            head += &format!("{name}: {value}\r\n");
        }
        head += &format!("Content-Length: {}\r\nConnection: close\r\n\r\n", body.len());
        self.stream.write_all(head.as_bytes())?;
        if !is_head_only {
            self.stream.write_all(body)?;
        }
        self.stream.flush()?;
        self.stream.shutdown(Shutdown::Write)?;
        // Closing while something is unread would take the answer back.
        self.until = Instant::now() + LINGER;
        let (mut left, mut buffer) = (LINGER_BYTES, [0; 1 << 14]);
        while let Ok(read) = self.read(&mut buffer)
            && read > 0
            && left > read
        {
            left -= read;
        }
        Ok(())
    }
}

impl Request {
    /// A header's value. One that is there twice is as good as none: no browser sends that.
    pub(super) fn header(&self, name: &str) -> Option<&str> {
        let mut found = self.headers.iter().filter(|(other, _)| other.eq_ignore_ascii_case(name));
        let (_, value) = found.next()?;
        found.next().is_none().then_some(value)
    }
}

fn reason(status: u16) -> &'static str {
    match status {
        200 => "OK",
        303 => "See Other",
        400 => "Bad Request",
        403 => "Forbidden",
        404 => "Not Found",
        405 => "Method Not Allowed",
        409 => "Conflict",
        411 => "Length Required",
        413 => "Content Too Large",
        503 => "Service Unavailable",
        _ => "",
    }
}
