//! Numbers and lists in English sentences.

use crate::UVec2;

/// `8 px on the right and 4 px at the bottom`.
pub fn rest_of(rest: UVec2) -> String {
    let side = |pixels: u32, side: &str| (pixels > 0).then(|| format!("{pixels} px {side}"));
    let sides: Vec<String> =
        [side(rest.x, "on the right"), side(rest.y, "at the bottom")].into_iter().flatten().collect();
    sides.join(" and ")
}

/// `1 frame`, `2 frames`.
pub fn count_noun(count: usize, noun: &str) -> String {
    let plural = match noun {
        _ if count == 1 => "",
        noun if noun.ends_with(['x', 's']) || noun.ends_with("ch") => "es",
        _ => "s",
    };
    format!("{} {noun}{plural}", group_digits(count as u64))
}

/// Items with commas; a long list is cut short with its total: `a, b, ... (40 total)`.
pub fn abbreviate_list(items: &[impl AsRef<str>]) -> String {
    const SHOWN: usize = 16;
    // One more item is as short as the total that would replace it.
    let shown = if items.len() <= SHOWN + 1 { items.len() } else { SHOWN };
    let first: Vec<&str> = items[..shown].iter().map(AsRef::as_ref).collect();
    let rest = if shown < items.len() {
        format!(", ... ({} total)", group_digits(items.len() as u64))
    } else {
        String::new()
    };
    first.join(", ") + &rest
}

/// `12,345`.
pub fn group_digits(number: u64) -> String {
    let digits = number.to_string();
    let mut text = String::with_capacity(digits.len() * 4 / 3);
    for (at, digit) in digits.chars().enumerate() {
        if at > 0 && (digits.len() - at).is_multiple_of(3) {
            text.push(',');
        }
        text.push(digit);
    }
    text
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_read_easily() {
        assert_eq!([0, 999, 1000, 1_234_567].map(group_digits), ["0", "999", "1,000", "1,234,567"]);
        assert_eq!(
            [1, 2, 1000].map(|count| count_noun(count, "pixel")),
            ["1 pixel", "2 pixels", "1,000 pixels"]
        );
        assert_eq!(
            (count_noun(2, "box"), count_noun(0, "patch")),
            ("2 boxes".to_owned(), "0 patches".to_owned())
        );
    }

    #[test]
    fn long_lists_end_with_how_many_there_are() {
        let rows: Vec<String> = (0..40).map(|row| format!("r{row}")).collect();
        assert_eq!(abbreviate_list(&rows[..3]), "r0, r1, r2");
        assert!(abbreviate_list(&rows[..17]).ends_with("r15, r16"));
        assert!(abbreviate_list(&rows).ends_with("r14, r15, ... (40 total)"));
    }
}
