//! Paths and file names inside JSON, such that every one a system allows comes back as it was.

use std::ffi::OsString;
use std::path::{Path, PathBuf};

use serde::{Deserialize, Deserializer, Serialize, Serializer};

/// A file name or a path.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct OsText(pub OsString);

impl From<PathBuf> for OsText {
    fn from(path: PathBuf) -> Self {
        Self(path.into_os_string())
    }
}

impl Serialize for OsText {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        units(&self.0).serialize(serializer)
    }
}

impl<'de> Deserialize<'de> for OsText {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        Vec::<u16>::deserialize(deserializer).map(|units| Self(of_units(&units)))
    }
}

#[cfg(unix)]
fn units(text: &OsString) -> Vec<u16> {
    use std::os::unix::ffi::OsStrExt;
    text.as_bytes().iter().map(|&byte| u16::from(byte)).collect()
}

#[cfg(unix)]
fn of_units(units: &[u16]) -> OsString {
    use std::os::unix::ffi::OsStringExt;
    OsString::from_vec(units.iter().map(|&unit| unit as u8).collect())
}

#[cfg(windows)]
fn units(text: &OsString) -> Vec<u16> {
    use std::os::windows::ffi::OsStrExt;
    text.encode_wide().collect()
}

#[cfg(windows)]
fn of_units(units: &[u16]) -> OsString {
    use std::os::windows::ffi::OsStringExt;
    OsString::from_wide(units)
}

#[cfg(not(any(unix, windows)))]
fn units(text: &OsString) -> Vec<u16> {
    text.to_string_lossy().encode_utf16().collect()
}

#[cfg(not(any(unix, windows)))]
fn of_units(units: &[u16]) -> OsString {
    String::from_utf16_lossy(units).into()
}

/// A path in JSON: plain text where it is Unicode.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(untagged)]
pub enum PathText {
    /// Unicode.
    Plain(String),
    /// Anything else a system allows.
    Units(OsText),
}

impl From<&Path> for PathText {
    fn from(path: &Path) -> Self {
        match path.to_str() {
            Some(text) => Self::Plain(text.to_owned()),
            None => Self::Units(OsText::from(path.to_owned())),
        }
    }
}

impl From<PathText> for PathBuf {
    fn from(text: PathText) -> Self {
        match text {
            PathText::Plain(text) => Self::from(text),
            PathText::Units(OsText(text)) => Self::from(text),
        }
    }
}

impl PathText {
    /// The path it stands for.
    pub fn to_path(&self) -> PathBuf {
        self.clone().into()
    }
}
