//! Names near a misspelt one: what a hand gets wrong that types or copies a host name.

/// Most of them that are asked for.
pub const MOST: usize = 20;

/// Longest label that a name can have (RFC 1035, section 2.3.4).
const LONGEST_LABEL: usize = 63;

/// The names to which the likeliest slips would have led to this one, the likeliest first.
///
/// The zone whose authority denies the name is there: the slip is in one of the labels
/// before it (RFC 2308, section 3). Without a zone it is looked for in the first label.
pub fn near(name: &str, zone: Option<&str>) -> Vec<String> {
    let name = name.trim_end_matches('.').to_ascii_lowercase();
    let labels: Vec<&str> = name.split('.').collect();
    let doubtful = match zone.map(|z| z.trim_end_matches('.').to_ascii_lowercase()) {
        Some(zone) if zone.is_empty() => labels.len(),
        Some(zone) if name.ends_with(&format!(".{zone}")) => labels.len() - zone.split('.').count(),
        _ => 1,
    };
    let varied = |at: usize| {
        let slips = labels.get(at).map(|label| slips(label)).unwrap_or_default();
        let whole = |label: String| {
            let mut all = labels.clone();
            if let Some(own) = all.get_mut(at) {
                *own = &label;
            }
            all.join(".")
        };
        slips.into_iter().map(whole).collect::<Vec<String>>()
    };
    let mut of_each: Vec<_> = (0..doubtful).map(|at| varied(at).into_iter()).collect();
    let mut out: Vec<String> = Vec::new();
    // From each label in turn, so that a long one leaves the others their share.
    loop {
        let before = out.len();
        for slips in &mut of_each {
            out.extend(slips.next());
        }
        if out.len() == before || out.len() >= MOST {
            out.truncate(MOST);
            return out;
        }
    }
}

/// What is looked for, in words.
pub const LOOKED_FOR: &str = "a figure one off; letters swapped, one too many, one missing, or one that looks alike; a hyphen";

/// Letters and figures that look alike in many typefaces.
const ALIKE: &[(&str, &str)] = &[
    ("0", "o"),
    ("o", "0"),
    ("1", "l"),
    ("l", "1"),
    ("i", "l"),
    ("l", "i"),
    ("5", "s"),
    ("rn", "m"),
    ("m", "rn"),
    ("vv", "w"),
];

/// What a label may have been meant to be, the kinds of slips in turn, so that none takes
/// all the room.
fn slips(label: &str) -> Vec<String> {
    let chars: Vec<char> = label.chars().collect();
    // Letters swapped are the commonest slip of a hand that types.
    let (first, second): (Vec<_>, Vec<_>) =
        (swapped(&chars).into_iter().enumerate()).partition(|(at, _)| at.is_multiple_of(2));
    let names = |all: Vec<(usize, String)>| all.into_iter().map(|(_, name)| name).collect();
    let mut kinds = [
        figures(&chars),
        names(first),
        names(second),
        one_too_many(&chars),
        one_missing(&chars),
        alike(label),
        hyphens(label),
    ]
    .map(Vec::into_iter);
    let fits = |meant: &String| {
        !meant.is_empty()
            && meant.len() <= LONGEST_LABEL
            && !meant.starts_with('-')
            && !meant.ends_with('-')
            && meant != label
    };
    let mut out: Vec<String> = Vec::new();
    loop {
        let round: Vec<String> = kinds.iter_mut().filter_map(Iterator::next).collect();
        if round.is_empty() || out.len() >= MOST {
            return out;
        }
        for meant in round.into_iter().filter(fits) {
            if !out.contains(&meant) {
                out.push(meant);
            }
        }
    }
}

fn figures(chars: &[char]) -> Vec<String> {
    let steps = figures_at(chars)
        .into_iter()
        .flat_map(|at| [(at, -1), (at, 1)]);
    let changed = steps.filter_map(|(at, by)| stepped(chars, at, by));
    changed.map(|c| c.into_iter().collect()).collect()
}

fn swapped(chars: &[char]) -> Vec<String> {
    let each = (1..chars.len()).map(|at| {
        let mut swapped = chars.to_vec();
        swapped.swap(at - 1, at);
        swapped.into_iter().collect()
    });
    each.collect()
}

/// Each letter left out; of a double one first.
fn one_too_many(chars: &[char]) -> Vec<String> {
    let is_double = |at: &usize| at.checked_sub(1).and_then(|b| chars.get(b)) == chars.get(*at);
    let mut places: Vec<usize> = (0..chars.len()).collect();
    places.sort_by_key(|at| !is_double(at));
    let without = |at: usize| {
        let mut left = chars.to_vec();
        left.remove(at);
        left.into_iter().collect()
    };
    places.into_iter().map(without).collect()
}

/// A vowel between two consonants, and behind a q; then each letter doubled.
fn one_missing(chars: &[char]) -> Vec<String> {
    const VOWELS: &str = "aeiou";
    let is_consonant = |at: usize| {
        chars
            .get(at)
            .is_some_and(|c| c.is_ascii_alphabetic() && !VOWELS.contains(*c))
    };
    let with = |at: usize, letter: char| {
        let mut more = chars.to_vec();
        more.insert(at, letter);
        more.into_iter().collect::<String>()
    };
    let mut out = Vec::new();
    for at in 1..=chars.len() {
        if chars.get(at - 1) == Some(&'q') && chars.get(at) != Some(&'u') {
            out.push(with(at, 'u'));
        }
    }
    for at in 1..chars.len() {
        if is_consonant(at - 1) && is_consonant(at) {
            out.extend(VOWELS.chars().map(|v| with(at, v)));
        }
    }
    let letters = chars.iter().enumerate();
    out.extend(letters.map(|(at, letter)| with(at, *letter)));
    out
}

fn alike(label: &str) -> Vec<String> {
    let each = ALIKE.iter().flat_map(|(this, that)| {
        let places = label.match_indices(this);
        places.map(move |(at, _)| {
            let mut changed = label.to_owned();
            changed.replace_range(at..at + this.len(), that);
            changed
        })
    });
    each.collect()
}

fn hyphens(label: &str) -> Vec<String> {
    let mut out = Vec::new();
    if let Some(at) = label.find('-') {
        let mut without = label.to_owned();
        without.remove(at);
        out.push(without);
    }
    if label.contains('_') {
        out.push(label.replace('_', "-"));
    }
    out
}

fn figures_at(chars: &[char]) -> Vec<usize> {
    let all = chars.iter().enumerate();
    all.filter(|(_, c)| c.is_ascii_digit())
        .map(|(at, _)| at)
        .collect()
}

fn stepped(chars: &[char], at: usize, by: i32) -> Option<Vec<char>> {
    let digit = i32::try_from(chars.get(at)?.to_digit(10)?).ok()?;
    let other = u32::try_from(digit + by).ok()?;
    let mut changed = chars.to_vec();
    *changed.get_mut(at)? = char::from_digit(other, 10)?;
    Some(changed)
}

/// A name beside this one that nobody has: its first label from random bytes.
pub fn control(name: &str, seed: &[u8]) -> String {
    let label: String = seed
        .iter()
        .take(8)
        .map(|b| char::from(b'a' + b % 26))
        .collect();
    match name.trim_end_matches('.').split_once('.') {
        Some((_, rest)) => format!("cx-{label}.{rest}"),
        None => format!("cx-{label}"),
    }
}

#[cfg(test)]
mod tests {
    use super::{MOST, control, near};

    #[test]
    fn the_likeliest_slips_come_first() {
        let found = near("qauy-2.osmary.example", None);
        assert!(
            found.contains(&"quay-2.osmary.example".to_owned()),
            "{found:?}"
        );
        assert_eq!(found[0], "qauy-1.osmary.example");
        assert!(found.len() <= MOST);
        let doubled = near("quayy.osmary.example", Some("osmary.example"));
        assert!(doubled.contains(&"quay.osmary.example".to_owned()));
        assert!(near("", None).is_empty());
        assert!(near(".", Some("")).is_empty());
    }

    /// A letter missing, added, or alike.
    #[test]
    fn letters_missing_added_and_alike() {
        for (typed, meant) in [
            ("qay", "quay"),
            ("hrbour", "harbour"),
            ("quuay", "quay"),
            ("quayx", "quay"),
            ("quay-o1", "quay-01"),
            ("saiIings".to_ascii_lowercase().as_str(), "sailings"),
            ("harnour-rn", "harnour-m"),
            ("fery", "ferry"),
        ] {
            let found = near(&format!("{typed}.osmary.example"), Some("osmary.example"));
            let meant = format!("{meant}.osmary.example");
            assert!(found.contains(&meant), "{typed}: {found:?}");
            assert!(found.len() <= MOST);
        }
    }

    /// The zone that denies it ends before the slip.
    #[test]
    fn a_slip_in_the_domain_is_looked_for_there() {
        let meant = "quay.osmary.example".to_owned();
        let in_domain = near("quay.omsary.example", Some("example"));
        assert!(in_domain.contains(&meant), "{in_domain:?}");
        assert!(in_domain.len() <= MOST);
        let at_the_end = near("quay.osmary.exmaple", Some("."));
        assert!(at_the_end.contains(&meant), "{at_the_end:?}");
        let first = near("quay.omsary.example", Some("omsary.example"));
        assert!(!first.contains(&meant), "{first:?}");
        // A zone that is none of this name says nothing.
        assert_eq!(
            near("qauy.a.example", Some("b.example")),
            near("qauy.a.example", None)
        );
    }

    #[test]
    fn a_control_name_stays_in_its_zone() {
        let name = control("quay.osmary.example", &[0; 18]);
        assert_eq!(name, "cx-aaaaaaaa.osmary.example");
    }
}
