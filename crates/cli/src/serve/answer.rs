//! Answers to requests.

use std::io;

use serde::Serialize;

use super::http::Connection;

/// What a request gets.
pub(crate) struct Answer {
    status: u16,
    kind: &'static str,
    body: Vec<u8>,
    location: Option<String>,
}

impl Answer {
    pub(crate) fn file(body: Vec<u8>, kind: &'static str) -> Self {
        Self { status: 200, kind, body, location: None }
    }

    pub(crate) fn html(page: String) -> Self {
        Self::file(page.into_bytes(), "text/html; charset=utf-8")
    }

    pub(crate) fn json(value: &impl Serialize) -> Self {
        Self::file(serde_json::to_vec(value).expect("answers are plain data"), "application/json")
    }

    pub(crate) fn plain(status: u16, text: &str) -> Self {
        let body = format!("{text}\n").into_bytes();
        Self { status, kind: "text/plain; charset=utf-8", body, location: None }
    }

    /// Another page is meant.
    pub(crate) fn redirect(location: String) -> Self {
        Self { location: Some(location), ..Self::plain(303, "elsewhere") }
    }

    pub(crate) fn with_status(self, status: u16) -> Self {
        Self { status, ..self }
    }

    pub(super) fn send(self, connection: Connection, is_head_only: bool) -> io::Result<()> {
        let mut headers = vec![
            ("Content-Type", self.kind),
            ("Cache-Control", "no-store"),
            ("X-Content-Type-Options", "nosniff"),
            // The token is part of the address, and buttons act: no other page may see or hold them.
            ("Referrer-Policy", "no-referrer"),
            ("Cross-Origin-Resource-Policy", "same-origin"),
            ("Content-Security-Policy", "frame-ancestors 'none'"),
        ];
        headers.extend(self.location.as_deref().map(|location| ("Location", location)));
        connection.answer(self.status, &headers, &self.body, is_head_only)
    }
}
