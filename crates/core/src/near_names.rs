//! Names near a misspelt one: what a hand gets wrong that types or copies a host name.

/// Most of them that are asked for.
pub const MOST: usize = 10;

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

/// What a label may have been meant to be: two letters swapped, a letter doubled or lost from
/// a double, a figure that is off by one, a hyphen lost or one too many.
fn slips(label: &str) -> Vec<String> {
    let mut out: Vec<String> = Vec::new();
    let mut add = |meant: String| {
        let fits = !meant.is_empty()
            && meant.len() <= LONGEST_LABEL
            && !meant.starts_with('-')
            && !meant.ends_with('-');
        if fits && meant != label && !out.contains(&meant) {
            out.push(meant);
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
