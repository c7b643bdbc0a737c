//! Ways in which terminals take an image as it is: the graphics protocol (APC G) and inline images (OSC 1337).
//! Both take a PNG in base64. Which one a terminal has is known by its name alone.

use base64::Engine;
use base64::engine::general_purpose::STANDARD;

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Protocol {
    /// `ESC _ G ... ESC \`, in parts of at most 4,096 characters.
    Graphics,
    /// `ESC ] 1337 ; File=... BEL`.
    Inline,
}

/// What one part of a transmission may hold.
const PART: usize = 4096;

impl Protocol {
    /// What the terminal takes, if its name is known; `variable` looks up the environment.
    pub(super) fn of_terminal(variable: impl Fn(&str) -> Option<String>) -> Option<Self> {
        let says = |name: &str, words: &[&str]| {
            variable(name).is_some_and(|value| words.iter().any(|word| value.to_lowercase().contains(word)))
        };
        // A multiplexer stands between the program and the terminal and passes no image on.
        if says("TERM", &["screen", "tmux"]) {
            None
        } else if says("TERM", &["kitty", "ghostty"]) || says("TERM_PROGRAM", &["ghostty", "wezterm"]) {
            Some(Self::Graphics)
        } else if says("TERM_PROGRAM", &["iterm", "mintty", "rio", "warpterminal"])
            || says("LC_TERMINAL", &["iterm"])
            || variable("KONSOLE_VERSION").is_some_and(|value| !value.is_empty())
        {
            Some(Self::Inline)
        } else {
            None
        }
    }

    /// What to write so that the PNG is shown, `columns` characters wide.
    pub(super) fn text(self, png: &[u8], columns: u32) -> String {
        let data = STANDARD.encode(png);
        match self {
            Self::Inline => format!(
                "\u{1b}]1337;File=inline=1;size={};width={columns};preserveAspectRatio=1:{data}\u{7}\r\n",
                png.len()
            ),
            Self::Graphics => {
                let parts: Vec<&[u8]> = data.as_bytes().chunks(PART).collect();
                let mut text = String::with_capacity(data.len() + 64 * parts.len());
                for (number, part) in parts.iter().enumerate() {
                    // a=T: transmit and show; f=100: a PNG; q=2: say nothing back; m: more parts follow.
                    let start =
                        if number == 0 { format!("a=T,f=100,q=2,c={columns},") } else { String::new() };
                    let more = u8::from(number + 1 < parts.len());
                    let part = std::str::from_utf8(part).expect("base64 is ASCII");
                    text += &format!("\u{1b}_G{start}m={more};{part}\u{1b}\\");
                }
                text + "\r\n"
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn terminals_are_known_by_name_and_never_through_a_multiplexer() {
        let of = |pairs: &[(&str, &str)]| {
            let pairs: Vec<(String, String)> =
                pairs.iter().map(|(a, b)| ((*a).to_owned(), (*b).to_owned())).collect();
            Protocol::of_terminal(move |name| {
                pairs.iter().find(|(key, _)| key == name).map(|(_, value)| value.clone())
            })
        };
        assert_eq!(of(&[]), None);
        assert_eq!(of(&[("TERM", "xterm-256color")]), None);
        assert_eq!(of(&[("TERM", "xterm-kitty")]), Some(Protocol::Graphics));
        assert_eq!(of(&[("TERM_PROGRAM", "WezTerm")]), Some(Protocol::Graphics));
        assert_eq!(of(&[("TERM_PROGRAM", "mintty")]), Some(Protocol::Inline));
        assert_eq!(of(&[("TERM", "screen-256color"), ("TERM_PROGRAM", "WezTerm")]), None);
    }

    #[test]
    fn a_long_image_goes_in_parts_that_join_to_the_whole() {
        let png: Vec<u8> = (0..10_000u32).map(|n| n as u8).collect();
        let text = Protocol::Graphics.text(&png, 40);
        let parts: Vec<&str> = text.trim_end().split("\u{1b}\\").filter(|part| !part.is_empty()).collect();
        assert_eq!(parts.len(), 4);
        assert!(parts[0].starts_with("\u{1b}_Ga=T,f=100,q=2,c=40,m=1;"));
        assert!(parts[3].starts_with("\u{1b}_Gm=0;"));
        let data: String =
            parts.iter().filter_map(|part| part.split_once(';')).map(|(_, data)| data).collect();
        assert_eq!(STANDARD.decode(data).unwrap(), png);
    }
}
