//! Text in XML and HTML, in attributes too, and paths in URLs: the one place where they are escaped.

use percent_encoding::{AsciiSet, NON_ALPHANUMERIC, utf8_percent_encode};

/// A text that means itself. Control characters, which XML can't hold, become replacement characters.
pub fn escape_xml(text: &str) -> String {
    let mut all = String::with_capacity(text.len());
    for sign in text.chars() {
        match sign {
            '&' => all.push_str("&amp;"),
            '<' => all.push_str("&lt;"),
            '>' => all.push_str("&gt;"),
            '"' => all.push_str("&quot;"),
            '\'' => all.push_str("&#39;"),
            '\t' | '\n' | '\r' => all.push(sign),
            sign if sign.is_control() || matches!(sign, '\u{fffe}' | '\u{ffff}') => all.push('\u{fffd}'),
            sign => all.push(sign),
        }
    }
    all
}

/// A path with `/` as part of a URL (RFC 3986): only unreserved characters and `/` stay as they are.
pub fn escape_url_path(path: &str) -> String {
    const RESERVED: AsciiSet =
        NON_ALPHANUMERIC.remove(b'-').remove(b'.').remove(b'_').remove(b'~').remove(b'/');
    utf8_percent_encode(path, &RESERVED).to_string()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn nothing_in_a_text_can_become_markup_or_break_a_file() {
        assert_eq!(escape_xml("<a href='b'>\"&\""), "&lt;a href=&#39;b&#39;&gt;&quot;&amp;&quot;");
        assert_eq!(escape_xml("\u{1b}[31m\u{0}\n"), "\u{fffd}[31m\u{fffd}\n");
    }
}
