//! Text in XML and HTML, in attributes too. The one place where it is escaped.

/// A text such that it stands for itself. Control characters, which XML can't hold, become the sign for what can't be shown.
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

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn nothing_in_a_text_can_become_markup_or_break_a_file() {
        assert_eq!(escape_xml("<a href='b'>\"&\""), "&lt;a href=&#39;b&#39;&gt;&quot;&amp;&quot;");
        assert_eq!(escape_xml("\u{1b}[31m\u{0}\n"), "\u{fffd}[31m\u{fffd}\n");
    }
}
