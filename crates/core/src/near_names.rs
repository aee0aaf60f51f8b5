//! Names near a misspelt one: what a hand gets wrong that types or copies a host name.

/// Most of them that are asked for.
pub const MOST: usize = 10;

/// Longest label that a name can have (RFC 1035, section 2.3.4).
const LONGEST_LABEL: usize = 63;

/// The names to which the likeliest slips would have led to this one, the likeliest
/// first: two letters swapped, a letter doubled or lost from a double, a figure that is off
/// by one, a hyphen lost or one too many.
pub fn near(name: &str) -> Vec<String> {
    let name = name.trim_end_matches('.').to_ascii_lowercase();
    let (label, rest) = match name.split_once('.') {
        Some((label, rest)) => (label, format!(".{rest}")),
        None => (name.as_str(), String::new()),
    };
    let mut out: Vec<String> = Vec::new();
    let mut add = |label: String| {
        let fits = !label.is_empty()
            && label.len() <= LONGEST_LABEL
            && !label.starts_with('-')
            && !label.ends_with('-');
        let whole = format!("{label}{rest}");
        if fits && whole != name && !out.contains(&whole) {
            out.push(whole);
        }
    };
    let chars: Vec<char> = label.chars().collect();
    let joined = |chars: &[char]| chars.iter().collect::<String>();
    for at in figures_at(&chars) {
        for by in [-1i32, 1] {
            if let Some(changed) = stepped(&chars, at, by) {
                add(joined(&changed));
            }
        }
    }
    for at in 1..chars.len() {
        let mut swapped = chars.clone();
        swapped.swap(at - 1, at);
        add(joined(&swapped));
        if chars.get(at - 1) == chars.get(at) {
            let mut single = chars.clone();
            single.remove(at);
            add(joined(&single));
        }
    }
    if let Some(at) = label.find('-') {
        let mut without = label.to_owned();
        without.remove(at);
        add(without);
    }
    if label.contains('_') {
        add(label.replace('_', "-"));
    }
    out.truncate(MOST);
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
        let found = near("qauy-2.osmary.example");
        assert!(
            found.contains(&"quay-2.osmary.example".to_owned()),
            "{found:?}"
        );
        assert_eq!(found[0], "qauy-1.osmary.example");
        assert!(found.len() <= MOST);
        assert!(near("quayy.osmary.example").contains(&"quay.osmary.example".to_owned()));
        assert!(near("").is_empty());
    }

    #[test]
    fn a_control_name_stays_in_its_zone() {
        let name = control("quay.osmary.example", &[0; 18]);
        assert_eq!(name, "cx-aaaaaaaa.osmary.example");
    }
}
