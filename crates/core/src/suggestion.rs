//! What a person may have meant who mistyped a name.

/// The name that is most like a wrong one, if any is like it at all: by the letters they share (Jaro and Winkler), or a slip or two
/// apart (Damerau).
pub fn closest_name<T: AsRef<str>>(wrong: &str, known: impl IntoIterator<Item = T>) -> Option<T> {
    let likeness = |name: &T| strsim::jaro_winkler(name.as_ref(), wrong);
    // Two letters of a short name that changed places are hardly like it by any measure but this.
    let slips = |name: &T| strsim::osa_distance(name.as_ref(), wrong);
    let most = (wrong.chars().count() / 4).max(1);
    let like = known.into_iter().filter(|name| likeness(name) > 0.75 || slips(name) <= most);
    // A single slip is nearer than many letters in common.
    let order = |name: &T| (slips(name) <= most, likeness(name));
    like.max_by(|a, b| order(a).partial_cmp(&order(b)).expect("likeness is a number"))
}

/// `; did you mean koi?`, or nothing.
pub(crate) fn did_you_mean(nearest: Option<&String>) -> String {
    nearest.map(|name| format!("; did you mean {name}?")).unwrap_or_default()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn slips_and_likenesses_are_seen_and_strangers_are_not() {
        let names = ["koi", "frog", "frog:croak", "frog:sit", "croak", "heron", "touches-edge", "too-fast"];
        for (wrong, meant) in [
            ("kio", Some("koi")),
            ("koy", Some("koi")),
            ("frgo", Some("frog")),
            ("frog:croaq", Some("frog:croak")),
            ("crok", Some("croak")),
            ("touchs-edge", Some("touches-edge")),
            ("lantern", None),
            ("x", None),
        ] {
            assert_eq!(closest_name(wrong, names), meant, "{wrong}");
        }
    }
}
