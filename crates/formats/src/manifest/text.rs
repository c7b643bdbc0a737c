//! The manifest as text: keys of the whole on lines of their own, then one page, frame or clip a line,
//! so that a file of a thousand frames is read, searched and compared line by line.

use std::io;

use serde::Serialize;
use serde_json::ser::{Formatter, Serializer};

use crate::manifest::Manifest;

/// Objects and arrays this deep are broken into lines; what is inside them stays on one.
const BROKEN: usize = 2;

impl Manifest {
    /// The text of the file as it stands.
    pub fn to_text(&self) -> String {
        let mut bytes = Vec::new();
        let mut serializer = Serializer::with_formatter(&mut bytes, LineAnEntry::default());
        self.serialize(&mut serializer).expect("a manifest is plain data and memory takes it all");
        bytes.push(b'\n');
        String::from_utf8(bytes).expect("JSON is UTF-8")
    }
}

#[derive(Default)]
struct LineAnEntry {
    depth: usize,
    /// Whether the innermost object or array holds nothing yet.
    is_empty: bool,
}

impl LineAnEntry {
    fn open<W: ?Sized + io::Write>(&mut self, writer: &mut W, bracket: &[u8]) -> io::Result<()> {
        self.depth += 1;
        self.is_empty = true;
        writer.write_all(bracket)
    }

    fn close<W: ?Sized + io::Write>(&mut self, writer: &mut W, bracket: &[u8]) -> io::Result<()> {
        self.depth -= 1;
        if !self.is_empty {
            if self.depth < BROKEN {
                self.new_line(writer)?;
            } else if bracket == b"}" {
                writer.write_all(b" ")?;
            }
        }
        self.is_empty = false;
        writer.write_all(bracket)
    }

    fn next<W: ?Sized + io::Write>(&mut self, writer: &mut W, first: bool, is_key: bool) -> io::Result<()> {
        self.is_empty = false;
        if !first {
            writer.write_all(b",")?;
        }
        if self.depth <= BROKEN {
            self.new_line(writer)
        } else if !first || is_key {
            writer.write_all(b" ")
        } else {
            Ok(())
        }
    }

    fn new_line<W: ?Sized + io::Write>(&self, writer: &mut W) -> io::Result<()> {
        writer.write_all(b"\n")?;
        (0..self.depth).try_for_each(|_| writer.write_all(b"  "))
    }
}

impl Formatter for LineAnEntry {
    fn begin_object<W: ?Sized + io::Write>(&mut self, writer: &mut W) -> io::Result<()> {
        self.open(writer, b"{")
    }

    fn end_object<W: ?Sized + io::Write>(&mut self, writer: &mut W) -> io::Result<()> {
        self.close(writer, b"}")
    }

    fn begin_object_key<W: ?Sized + io::Write>(&mut self, writer: &mut W, first: bool) -> io::Result<()> {
        self.next(writer, first, true)
    }

    fn begin_object_value<W: ?Sized + io::Write>(&mut self, writer: &mut W) -> io::Result<()> {
        writer.write_all(b": ")
    }

    fn begin_array<W: ?Sized + io::Write>(&mut self, writer: &mut W) -> io::Result<()> {
        self.open(writer, b"[")
    }

    fn end_array<W: ?Sized + io::Write>(&mut self, writer: &mut W) -> io::Result<()> {
        self.close(writer, b"]")
    }

    fn begin_array_value<W: ?Sized + io::Write>(&mut self, writer: &mut W, first: bool) -> io::Result<()> {
        self.next(writer, first, false)
    }
}
